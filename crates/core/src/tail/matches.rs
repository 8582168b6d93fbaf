//! The lines that a filter lets through, found once: what was looked at is not looked at again.

use super::{Filter, Tail};
use std::collections::VecDeque;
use std::ops::Range;

/// Lines that are looked at in one go; the rest is left for the next.
const AT_ONCE: u64 = 20_000;

/// Matches that are enough, on either side of the place that is looked from.
const ENOUGH: usize = 512;

/// Matches that are remembered at most.
const MOST: usize = 4 * ENOUGH;

/// Numbers of lines that a filter lets through, around a place.
#[derive(Clone, Debug, Default)]
pub struct Matches {
    text: String,
    looked_at: Range<u64>,
    numbers: VecDeque<u64>,
}

impl Matches {
    /// The numbers found so far, rising.
    pub fn numbers(&self) -> &VecDeque<u64> {
        &self.numbers
    }

    /// Looks at lines that came since, and at older ones while there are few matches before `place`, as many as are done
    /// in a few milliseconds. Gives whether the numbers changed.
    pub fn follow(&mut self, tail: &Tail, filter: &Filter, place: u64) -> bool {
        let kept = tail.numbers();
        let place = place.clamp(kept.start, kept.end);
        let mut changed = false;
        // New lines are caught up with; from a place further off it is begun anew.
        let is_near = (self.looked_at.start..=self.looked_at.end.saturating_add(AT_ONCE)).contains(&place);
        if self.text != filter.text() || !is_near {
            changed = !self.numbers.is_empty();
            *self = Matches { text: filter.text().to_owned(), looked_at: place..place, numbers: VecDeque::new() };
        }
        self.looked_at.start = self.looked_at.start.max(kept.start);
        while self.numbers.front().is_some_and(|number| *number < self.looked_at.start) {
            self.numbers.pop_front();
            changed = true;
        }
        let passes = |number: u64| tail.line(number).is_some_and(|line| filter.passes(line.bytes));
        let newest = kept.end.min(self.looked_at.end.saturating_add(AT_ONCE));
        let after = |numbers: &VecDeque<u64>| numbers.len() - numbers.partition_point(|number| *number < place);
        self.looked_at.end = self.looked_at.end.max(kept.start);
        let mut room = ENOUGH.saturating_sub(after(&self.numbers));
        while self.looked_at.end < newest && room > 0 {
            if passes(self.looked_at.end) {
                self.numbers.push_back(self.looked_at.end);
                room -= usize::from(self.looked_at.end >= place);
                changed = true;
            }
            self.looked_at.end += 1;
        }
        let before = self.numbers.partition_point(|number| *number < place);
        let mut wanted = ENOUGH.saturating_sub(before);
        let oldest = kept.start.max(self.looked_at.start.saturating_sub(AT_ONCE));
        while wanted > 0 && self.looked_at.start > oldest {
            self.looked_at.start -= 1;
            if passes(self.looked_at.start) {
                self.numbers.push_front(self.looked_at.start);
                changed = true;
                wanted -= 1;
            }
        }
        while self.numbers.len() > MOST && self.numbers.get(ENOUGH).is_some_and(|number| *number < place) {
            self.numbers.pop_front();
            self.looked_at.start = self.numbers.front().copied().unwrap_or(self.looked_at.end);
        }
        changed
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Stamp;
    use crate::split::LineOutcome;

    #[test]
    fn what_is_found_bit_by_bit_is_what_a_search_of_all_finds() {
        let filter = Filter::parse("7").unwrap();
        let (mut tail, mut matches) = (Tail::default(), Matches::default());
        for i in 0..90_000u64 {
            tail.push(Stamp(i as i64), LineOutcome::Row(0), format!("gauge={i}").as_bytes());
            // Seldom enough that there is more than is looked at in one go.
            if i % 30_000 == 29_999 {
                let end = tail.numbers().end;
                for _ in 0..8 {
                    matches.follow(&tail, &filter, end);
                }
                let found: Vec<u64> = matches.numbers().iter().rev().take(300).copied().collect();
                let all: Vec<u64> = (0..end).rev().filter(|n| n.to_string().contains('7')).take(300).collect();
                assert_eq!(found, all, "after {end} lines");
                assert!(!matches.follow(&tail, &filter, end), "nothing new");
            }
        }
        // From a place in between, and with a filter that finds nothing, which ends all the same.
        for _ in 0..20 {
            matches.follow(&tail, &filter, 500);
        }
        let around: Vec<u64> = matches.numbers().iter().copied().filter(|n| (480..=520).contains(n)).collect();
        assert_eq!(around, [487, 497, 507, 517]);
        let none = Filter::parse("none").unwrap();
        for _ in 0..8 {
            matches.follow(&tail, &none, 90_000);
        }
        assert!(matches.numbers().is_empty());
    }
}
