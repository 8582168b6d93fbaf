//! Rows of several lines: which line of the row it is, and when the row is complete.

use super::outcome::Rejection;
use super::shape::{Plain, Shape};
use crate::Stamp;
use std::collections::VecDeque;

/// Means apart by so many times their spread belong to columns that can be told apart.
const APART: f64 = 6.0;

/// The share with which a new value moves a column's mean and spread.
const SHARE: f64 = 0.05;

/// Rows after which the means are trusted.
const TRUSTED: u32 = 8;

/// A row that is being put together.
#[derive(Clone, Debug, Default)]
pub(super) struct Turns {
    /// The columns so far.
    pub(super) values: Vec<f64>,
    filled: u64,
    /// When its last line came.
    at: Stamp,
    /// For rows told apart by order: the line of the row that comes next.
    pub(super) turn: usize,
    /// The place in the row is not known.
    lost: bool,
    mean: Vec<f64>,
    spread: Vec<f64>,
    rows: u32,
    /// The lines were joined in the middle of a row, so that the first one seen begins none.
    joined: bool,
    pauses: Pauses,
}

/// Lines whose pauses are added up to see where a row begins.
const PAUSES: u32 = 64;

/// Seconds without a line before each line of a row, added up over the first rows.
#[derive(Clone, Debug, Default)]
struct Pauses {
    before: Vec<f64>,
    last: Option<Stamp>,
    lines: u32,
    /// The place before which they are longest, once so many lines tell it.
    longest: Option<usize>,
}

impl Pauses {
    fn note(&mut self, at: Stamp, column: usize) {
        if self.lines >= PAUSES {
            return;
        }
        if let (Some(last), Some(before)) = (self.last.replace(at), self.before.get_mut(column)) {
            *before += at.seconds_since(last);
            self.lines += 1;
            // Before the same number of lines each, about.
            if self.lines.is_multiple_of(PAUSES / 4) && self.lines as usize >= 2 * self.before.len() {
                self.longest = longest_pause(&self.before);
            }
        }
    }
}

/// The place before which the pause is far longer than before all others.
pub(super) fn longest_pause(before: &[f64]) -> Option<usize> {
    let longest = (0..before.len()).max_by(|a, b| before[*a].total_cmp(&before[*b]))?;
    let others = before.iter().enumerate().filter(|(place, _)| *place != longest).map(|(_, pause)| *pause);
    (before[longest] > 2.0 * others.fold(0.0, f64::max)).then_some(longest)
}

/// What a line of a row of several lines did.
#[derive(Debug, PartialEq)]
pub(super) enum TurnStep {
    /// The row goes on, or was completed by this line.
    Taken {
        /// The row is complete.
        complete: bool,
    },
    /// The line's row began before anyone listened.
    Half,
    /// The row is given up.
    Rejected(Rejection),
}

impl Turns {
    pub(super) fn new(shape: &Shape) -> Turns {
        let mut turns = Turns { values: vec![f64::NAN; shape.columns()], ..Turns::default() };
        turns.mean = vec![f64::NAN; turns.values.len()];
        turns.spread = vec![0.0; turns.values.len()];
        turns.pauses.before = vec![0.0; turns.values.len()];
        if let Shape::Plain(plain) = shape
            && plain.typical.len() == turns.mean.len()
        {
            turns.mean.clone_from(&plain.typical);
            turns.rows = TRUSTED;
            turns.lost = plain.lines > 1;
        }
        turns
    }

    /// What comes next does not follow from what came before: an unfinished row is given up.
    pub(super) fn break_off(&mut self) {
        self.filled = 0;
        self.turn = 0;
        self.lost = true;
        self.pauses.last = None;
    }

    /// The first line of all may have stood in the middle of a row.
    pub(super) fn join(&mut self) {
        self.break_off();
        self.joined = true;
    }

    /// The column of the labelled line before which the board pauses, once that is known.
    pub(super) fn pauses_before(&self) -> Option<usize> {
        self.pauses.longest
    }

    /// Whether nothing tells with which line a row begins.
    pub(super) fn begins_anywhere(&self) -> bool {
        self.joined && self.pauses.longest.is_none()
    }

    /// The labelled line that fills `filled` columns of `line` comes; `emit` gets a row that it shows to be over.
    pub(super) fn labelled(
        &mut self,
        at: Stamp,
        line: &[f64],
        filled: u64,
        emit: impl FnOnce(Stamp, &[f64]),
    ) -> TurnStep {
        self.pauses.note(at, filled.trailing_zeros() as usize);
        if std::mem::take(&mut self.lost) && filled & 1 == 0 {
            self.lost = true;
            return TurnStep::Half;
        }
        // Labels come in their order; where one comes before those that are there, the first line of its row was lost.
        if self.filled != 0 && filled.trailing_zeros() <= 63 - self.filled.leading_zeros() {
            emit(self.at, &self.values);
            self.filled = 0;
        }
        if self.filled == 0 {
            self.values.clear();
            self.values.resize(line.len(), f64::NAN);
        }
        for (column, value) in line.iter().enumerate().filter(|(column, _)| filled & (1 << column) != 0) {
            self.values[column] = *value;
        }
        self.filled |= filled;
        self.at = at;
        let complete = self.filled.count_ones() as usize == line.len();
        self.filled = if complete { 0 } else { self.filled };
        TurnStep::Taken { complete }
    }

    /// The next line of alternating plain numbers; NaN for one that was damaged. The column that it begins with is
    /// `turn * fields` before the call.
    pub(super) fn plain(&mut self, at: Stamp, plain: &Plain, line: &[f64]) -> TurnStep {
        let waited = at.seconds_since(std::mem::replace(&mut self.at, at));
        if let Some(pause) = plain.pause {
            if waited >= pause {
                (self.turn, self.lost) = (0, false);
            } else if self.lost {
                return TurnStep::Half;
            } else if self.turn == 0 && waited > 0.0 && self.rows > 0 {
                self.lost = true;
                return TurnStep::Rejected(Rejection::OutOfTurn);
            }
        } else if self.lost && self.rows >= TRUSTED && self.told_apart() {
            let nearest = |value: f64| {
                let distance = |turn: usize| (self.mean[turn * plain.fields] - value).abs();
                (0..plain.lines).min_by(|a, b| distance(*a).total_cmp(&distance(*b))).unwrap_or(0)
            };
            match line.first() {
                Some(value) if !value.is_nan() && nearest(*value) == 0 => self.turn = 0,
                _ => return TurnStep::Half,
            }
        }
        self.lost = false;
        let first = self.turn * plain.fields;
        self.values[first..first + line.len()].copy_from_slice(line);
        self.turn = (self.turn + 1) % plain.lines;
        if self.turn != 0 {
            return TurnStep::Taken { complete: false };
        }
        if self.rows >= TRUSTED && self.told_apart() && self.out_of_turn() {
            self.lost = true;
            return TurnStep::Rejected(Rejection::OutOfTurn);
        }
        self.learn();
        TurnStep::Taken { complete: true }
    }

    fn learn(&mut self) {
        self.rows = self.rows.saturating_add(1);
        for ((value, mean), spread) in self.values.iter().zip(&mut self.mean).zip(&mut self.spread) {
            if mean.is_nan() {
                *mean = *value;
            } else if !value.is_nan() {
                *spread += SHARE * ((value - *mean).abs() - *spread);
                *mean += SHARE * (value - *mean);
            }
        }
    }

    /// Whether the columns differ so much that each can be known by its value.
    fn told_apart(&self) -> bool {
        (0..self.mean.len())
            .all(|a| (0..a).all(|b| (self.mean[a] - self.mean[b]).abs() > APART * (self.spread[a] + self.spread[b])))
    }

    /// A typical value of each column, once known.
    pub(super) fn typical(&self) -> Vec<f64> {
        if self.rows >= TRUSTED && self.told_apart() { self.mean.clone() } else { Vec::new() }
    }

    /// Whether a value is much nearer to what another column usually has than to its own.
    fn out_of_turn(&self) -> bool {
        self.values.iter().zip(&self.mean).any(|(value, own)| {
            let distance = |mean: &f64| (value - mean).abs();
            self.mean.iter().any(|other| distance(other) * 4.0 < distance(own))
        })
    }
}

/// Finds out whether plain numbers come in turn: by values that fall into separate families by their order, or by bursts
/// with pauses between, within which each value follows its own of the burst before.
#[derive(Clone, Debug, Default)]
pub(super) struct Families {
    /// The last values, with their arrivals.
    last: VecDeque<(Stamp, f64)>,
    count: u64,
    /// The count at which they are looked at next; 0 before the first look.
    due: u64,
}

/// Values that are looked at.
const LOOK: usize = 24;

/// The count of them at which that is done first.
const FIRST_LOOK: u64 = 12;

/// The most lines a row that are looked for.
const MOST_LINES: usize = 6;

/// A pause is so many times as long as what lies between the lines of a burst, and so long at least, in seconds.
const PAUSE: f64 = 4.0;
const SHORTEST_PAUSE: f64 = 0.005;

/// Rows that are made of several lines.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Turn {
    /// How many lines they are.
    pub(super) lines: usize,
    /// A typical value of each; none where these do not tell them apart.
    pub(super) typical: Vec<f64>,
    /// The pause before each row, in seconds.
    pub(super) pause: Option<f64>,
}

impl Families {
    /// Takes a value; when enough came, and again when twice as many did, gives the turn in which they come, if any.
    pub(super) fn push(&mut self, at: Stamp, value: f64) -> Option<Turn> {
        self.count += 1;
        // Only what comes right before a look is looked at.
        let due = self.due.max(FIRST_LOOK);
        if self.count + (LOOK as u64) <= due {
            return None;
        }
        if self.last.len() == LOOK {
            self.last.pop_front();
        }
        self.last.push_back((at, value));
        if self.count < due {
            return None;
        }
        self.due = if due < 24 { due + 6 } else { due * 2 };
        if self.last.iter().any(|(_, value)| value.is_nan()) {
            return None;
        }
        // Values that lie apart tell the place in a row also where a pause is missing.
        let apart = (2..=MOST_LINES).find_map(|lines| self.by_values(lines));
        apart.or_else(|| (2..=MOST_LINES).find_map(|lines| self.by_pauses(lines)))
    }

    fn by_values(&self, lines: usize) -> Option<Turn> {
        let typical = self.typical(lines, 0)?;
        Some(Turn { lines, typical, pause: None })
    }

    /// Bursts of so many lines, where a value is nearer to its own of the burst before than to its neighbour.
    fn by_pauses(&self, lines: usize) -> Option<Turn> {
        let gaps: Vec<f64> =
            self.last.iter().zip(self.last.iter().skip(1)).map(|(a, b)| b.0.seconds_since(a.0)).collect();
        let first = (0..lines).find(|first| {
            let longs = gaps.iter().skip(*first).step_by(lines);
            let shortest = longs.clone().fold(f64::INFINITY, |least, gap| least.min(*gap));
            let others = gaps.iter().enumerate().filter(|(i, _)| i % lines != *first).map(|(_, gap)| *gap);
            shortest >= SHORTEST_PAUSE && longs.count() >= 3 && shortest >= PAUSE * others.fold(0.0, f64::max)
        })?;
        let shorts =
            gaps.iter().enumerate().filter(|(i, _)| i % lines != first).fold(0.0f64, |most, (_, gap)| most.max(*gap));
        let least = gaps.iter().skip(first).step_by(lines).fold(f64::INFINITY, |least, gap| least.min(*gap));
        let begin = (first + 1) % lines;
        let values: Vec<f64> = self.last.iter().map(|(_, value)| *value).collect();
        let apart = |lag: usize| -> f64 {
            let pairs = values.iter().zip(values.iter().skip(lag));
            pairs.map(|(a, b)| (a - b).abs()).sum::<f64>() / (values.len() - lag) as f64
        };
        // One signal that is merely delivered in bursts is smooth from line to line.
        let typical = self.typical(lines, begin);
        if typical.is_none() && apart(lines) * 2.0 >= apart(1) {
            return None;
        }
        let pause = ((shorts.max(1e-4) * least).sqrt() * 1e4).round() / 1e4;
        Some(Turn { lines, typical: typical.unwrap_or_default(), pause: Some(pause) })
    }

    /// The middle of each family, from the value `begin` on, where their ranges lie apart.
    fn typical(&self, lines: usize, begin: usize) -> Option<Vec<f64>> {
        if self.last.len() < lines * 4 + begin {
            return None;
        }
        let family = |turn: usize| self.last.iter().skip(begin + turn).step_by(lines).map(|(_, value)| *value);
        let range = |turn| {
            family(turn)
                .fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), value| (low.min(value), high.max(value)))
        };
        let mut ranges: Vec<(f64, f64)> = (0..lines).map(range).collect();
        let typical = ranges.iter().map(|(low, high)| (low + high) / 2.0).collect();
        ranges.sort_by(|a, b| a.0.total_cmp(&b.0));
        let apart = ranges.windows(2).all(|pair| {
            let width = (pair[0].1 - pair[0].0).max(pair[1].1 - pair[1].0);
            pair[1].0 - pair[0].1 > width.max(f64::MIN_POSITIVE)
        });
        apart.then_some(typical)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The turn of values that are given with the milliseconds before each.
    fn turn(lines: impl Iterator<Item = (i64, f64)>) -> Option<Turn> {
        let (mut families, mut at) = (Families::default(), 0);
        lines.fold(None, |found, (wait, value)| {
            at += wait * 1_000_000;
            found.or(families.push(Stamp(at), value))
        })
    }

    #[test]
    fn turns_are_found_by_pauses_also_when_joined_in_the_middle_and_late() {
        // Two smooth signals that cross, printed together every 100 ms; joined at the second of a pair.
        let pair = |i: i64| (if i % 2 == 1 { 1 } else { 99 }, if i % 2 == 1 { i as f64 } else { 10.0 - i as f64 });
        let found = turn((1..60).map(pair)).unwrap();
        assert_eq!(found.lines, 2);
        assert!((0.002..0.05).contains(&found.pause.unwrap()), "{found:?}");
        // One signal that a link delivers in pairs.
        assert_eq!(turn((1..60).map(|i| (if i % 2 == 1 { 1 } else { 9 }, (i as f64 / 9.0).sin() * 100.0))), None);
        // A second signal that begins to differ late.
        let late = turn((0..200).map(|i| (10, if i % 2 == 0 || i < 30 { 500.0 + (i * i % 11) as f64 } else { 90.0 })));
        assert_eq!(late.map(|turn| (turn.lines, turn.pause)), Some((2, None)));
    }
}
