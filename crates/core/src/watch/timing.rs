//! How long a channel stays above and below its threshold: pulse widths, period, duty.

use super::Watcher;
use crate::Stamp;
use crate::store::{Series, Store};
use std::ops::{Range, RangeInclusive};

/// The edges that are looked at, the last ones.
pub const MOST_EDGES: usize = 10_000;

/// How long something took, time after time, in seconds.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Stays {
    /// How often.
    pub count: u64,
    /// The last time.
    pub last: f64,
    /// The shortest.
    pub shortest: f64,
    /// The longest.
    pub longest: f64,
    /// All together.
    pub sum: f64,
}

impl Stays {
    /// The mean.
    pub fn mean(&self) -> f64 {
        self.sum / self.count as f64
    }

    fn add(stays: &mut Option<Stays>, seconds: f64) {
        let known = stays.get_or_insert(Stays { count: 0, last: 0.0, shortest: seconds, longest: seconds, sum: 0.0 });
        known.count += 1;
        known.last = seconds;
        known.shortest = known.shortest.min(seconds);
        known.longest = known.longest.max(seconds);
        known.sum += seconds;
    }
}

/// The timing of a channel by its threshold, of the last [`MOST_EDGES`] edges in the rows that are kept. An edge has the time of
/// the first row behind it. What a break of the stream lies in, or begins or ends with, is not known and does not count.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Timing {
    /// Seconds from the last edge to the last row; `None` without an edge, or behind a break.
    pub since: Option<f64>,
    /// How long it was above.
    pub high: Option<Stays>,
    /// How long it was below.
    pub low: Option<Stays>,
    /// From one rising edge to the next.
    pub period: Option<Stays>,
    /// The share of the periods in which it was above, 0 to 1.
    pub duty: Option<f64>,
}

impl Timing {
    /// What the rows in front of row `end` say, of the watcher of one of the channels in `store`.
    pub fn of(watcher: &Watcher, store: &Store, end: u64) -> Timing {
        let mut timing = Timing::default();
        let known = watcher.edges.partition_point(|edge| edge >> 1 < end);
        let edges = watcher.edges.range(known.saturating_sub(MOST_EDGES)..known);
        let is_whole = |rows: RangeInclusive<u64>| store.break_after(*rows.start()).is_none_or(|row| row > *rows.end());
        // The last edge, and the last rising one with how long it was above since then; as long as nothing is broken.
        let mut before: Option<(u64, Stamp)> = None;
        let mut risen: Option<(Stamp, f64)> = None;
        let mut high_of_periods = 0.0;
        for edge in edges {
            let (row, rises) = (edge >> 1, edge & 1 == 1);
            let Some(at) = store.time(row) else { continue };
            before = before.filter(|(from, _)| is_whole(*from..=row));
            match before {
                Some((_, from)) if rises => {
                    Stays::add(&mut timing.low, at.seconds_since(from));
                    if let Some((rise, high)) = risen {
                        Stays::add(&mut timing.period, at.seconds_since(rise));
                        high_of_periods += high;
                    }
                }
                Some((_, from)) => {
                    Stays::add(&mut timing.high, at.seconds_since(from));
                    risen = risen.map(|(rise, _)| (rise, at.seconds_since(from)));
                }
                None => risen = None,
            }
            // The edge of a row that follows a break may be older than that row.
            before = (!store.breaks_before(row)).then_some((row, at));
            if rises || before.is_none() {
                risen = before.filter(|_| rises).map(|(_, at)| (at, 0.0));
            }
        }
        timing.duty = timing.period.map(|period| high_of_periods / period.sum);
        timing.since = before.and_then(|(row, at)| {
            let last = end.checked_sub(1).filter(|last| is_whole(row..=*last))?;
            Some(store.time(last)?.seconds_since(at))
        });
        timing
    }
}

/// How long a channel had a code.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct TimeInCode {
    /// The code.
    pub code: f64,
    /// All together, in seconds: from each row with it to the next one, breaks and gaps left out.
    pub seconds: f64,
    /// How often it began.
    pub times: u64,
}

/// The most codes that are told apart.
pub const MOST_CODES: usize = 64;

/// How long a channel had each code in `rows`, the longest first; `None` with more than [`MOST_CODES`] of them.
pub fn time_in_codes(series: &Series, store: &Store, rows: Range<u64>) -> Option<Vec<TimeInCode>> {
    let mut codes: Vec<TimeInCode> = Vec::new();
    let mut before: Option<(f64, Stamp)> = None;
    for row in rows {
        let Some((value, at)) = series.get(row).zip(store.time(row)) else { continue };
        if store.breaks_before(row) || value.is_nan() {
            before = None;
        }
        if value.is_nan() {
            continue;
        }
        let place = |codes: &mut Vec<TimeInCode>, code: f64| {
            codes.iter().position(|known| known.code == code).or_else(|| {
                codes.push(TimeInCode { code, seconds: 0.0, times: 0 });
                Some(codes.len() - 1).filter(|at| *at < MOST_CODES)
            })
        };
        if let Some((last, since)) = before {
            let at_place = place(&mut codes, last)?;
            codes[at_place].seconds += at.seconds_since(since);
        }
        if before.is_none_or(|(last, _)| last != value) {
            let at_place = place(&mut codes, value)?;
            codes[at_place].times += 1;
        }
        before = Some((value, at));
    }
    codes.sort_by(|a, b| b.seconds.total_cmp(&a.seconds));
    Some(codes)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::bench::Bench;
    use crate::chain::Chain;
    use crate::store::Limits;
    use proptest::prelude::*;

    /// A channel of bits, a row at a time; `None` is a break of the stream.
    fn fed(bits: &[Option<(bool, u32)>], kept: u64) -> (Chain, Vec<(f64, bool, bool)>) {
        let mut chain = Chain::new(&Bench::default(), 0, Limits { rows: kept, ..Limits::NONE });
        let (mut at, mut rows, mut is_broken) = (Stamp(1_790_000_000_000_000_000), Vec::new(), false);
        let begin = at;
        // The shape is known after these.
        for _ in 0..4 {
            at = at.plus(0.01);
            chain.feed(at, b"a=0 b=7\n");
            rows.push((at.seconds_since(begin), false, false));
        }
        for bit in bits {
            match bit {
                None => {
                    chain.break_off();
                    is_broken = true;
                }
                Some((high, millis)) => {
                    at = at.plus(f64::from(*millis) * 1e-3);
                    chain.feed(at, format!("a={} b=7\n", u32::from(*high)).as_bytes());
                    rows.push((at.seconds_since(begin), *high, std::mem::take(&mut is_broken)));
                }
            }
        }
        (chain, rows)
    }

    fn stays(all: &[f64]) -> Option<(u64, f64, f64, f64)> {
        let ends = all.iter().fold((f64::INFINITY, 0.0), |(a, b): (f64, f64), s| (a.min(*s), b.max(*s)));
        all.last().map(|last| (all.len() as u64, *last, ends.0, ends.1))
    }

    fn same(found: Option<Stays>, plain: &[f64]) -> bool {
        let near = |a: f64, b: f64| (a - b).abs() < 1e-8;
        match (found, stays(plain)) {
            (None, None) => true,
            (Some(found), Some((count, last, shortest, longest))) => {
                found.count == count
                    && near(found.last, last)
                    && near(found.shortest, shortest)
                    && near(found.longest, longest)
                    && near(found.mean(), plain.iter().sum::<f64>() / count as f64)
            }
            _ => false,
        }
    }

    proptest! {
        #[test]
        fn timing_is_what_a_walk_along_the_rows_finds(
            bits in proptest::collection::vec(prop_oneof![15 => (any::<bool>(), 1..50u32).prop_map(Some), 1 => Just(None)], 1..200),
            back in 0..30usize,
        ) {
            let (chain, rows) = fed(&bits, 10_000);
            let store = chain.store();
            prop_assert_eq!(store.rows(), 0..rows.len() as u64);
            let end = rows.len().saturating_sub(back).max(1);
            let found = Timing::of(chain.channels()[0].watcher(), store, end as u64);
            // Each stretch between breaks by itself: where it changes, and what lies between.
            let (mut high, mut low, mut periods, mut above, mut since) = (Vec::new(), Vec::new(), Vec::new(), 0.0, None);
            let mut from = 0;
            while from < end {
                let to = (from + 1..end).find(|row| rows[*row].2).unwrap_or(end);
                let changes: Vec<usize> = (from + 1..to).filter(|row| rows[*row].1 != rows[*row - 1].1).collect();
                for pair in changes.windows(2) {
                    let seconds = rows[pair[1]].0 - rows[pair[0]].0;
                    if rows[pair[0]].1 { high.push(seconds) } else { low.push(seconds) }
                }
                for three in changes.windows(3).filter(|three| rows[three[0]].1) {
                    periods.push(rows[three[2]].0 - rows[three[0]].0);
                    above += rows[three[1]].0 - rows[three[0]].0;
                }
                since = changes.last().map(|row| rows[end - 1].0 - rows[*row].0);
                from = to;
            }
            prop_assert!(same(found.high, &high) && same(found.low, &low), "{found:?} {high:?} {low:?}");
            prop_assert!(same(found.period, &periods), "{found:?} {periods:?}");
            prop_assert!(found.duty.is_some() != periods.is_empty());
            if let Some(duty) = found.duty {
                prop_assert!((duty - above / periods.iter().sum::<f64>()).abs() < 1e-8 && (0.0..=1.0).contains(&duty));
            }
            prop_assert_eq!(found.since.is_some(), since.is_some());
            prop_assert!((found.since.unwrap_or(0.0) - since.unwrap_or(0.0)).abs() < 1e-8);
        }
    }

    #[test]
    fn only_the_last_edges_and_those_that_are_kept_count() {
        let bits: Vec<Option<(bool, u32)>> = (0..30_000).map(|row| Some((row % 2 == 0, 1))).collect();
        let (chain, rows) = fed(&bits, 1_000_000);
        let timing = Timing::of(chain.channels()[0].watcher(), chain.store(), rows.len() as u64);
        let (high, low) = (timing.high.unwrap(), timing.low.unwrap());
        assert_eq!(high.count + low.count, MOST_EDGES as u64 - 1);
        assert!((timing.duty.unwrap() - 0.5).abs() < 1e-6 && (timing.period.unwrap().mean() - 0.002).abs() < 1e-9);
        let (chain, rows) = fed(&bits, 2000);
        let timing = Timing::of(chain.channels()[0].watcher(), chain.store(), rows.len() as u64);
        let kept = chain.store().rows();
        assert!(timing.high.unwrap().count <= (kept.end - kept.start) / 2 + 1, "{timing:?}");
        assert_eq!(Timing::of(chain.channels()[1].watcher(), chain.store(), 5), Timing::default());
    }
}
