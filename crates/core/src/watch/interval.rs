//! The times from an edge on one channel to an edge on another: how late an answer comes.

use super::Watcher;
use super::timing::MOST_EDGES;
use crate::Stamp;
use crate::store::Store;
use serde::{Deserialize, Serialize};
use std::ops::Range;

/// Which edges of a channel count: of a digital channel, or across a threshold.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Edge {
    /// From low to high, or from below to above.
    #[default]
    Rising,
    /// From high to low, or from above to below.
    Falling,
    /// Both.
    Either,
}

impl Edge {
    /// All of them.
    pub const ALL: [Edge; 3] = [Edge::Rising, Edge::Falling, Edge::Either];

    /// A word for the screen.
    pub fn name(self) -> &'static str {
        match self {
            Edge::Rising => "rising edge",
            Edge::Falling => "falling edge",
            Edge::Either => "either edge",
        }
    }

    fn counts(self, rises: bool) -> bool {
        match self {
            Edge::Rising => rises,
            Edge::Falling => !rises,
            Edge::Either => true,
        }
    }
}

/// From which edge of a channel to which edge of another.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct EdgeInterval {
    /// The edges of the channel itself, with which an interval begins.
    #[serde(default)]
    pub from: Edge,
    /// The name of the channel with whose edge it ends; the channel's own may be given.
    pub to: String,
    /// The edges of that channel.
    #[serde(default)]
    pub edge: Edge,
}

impl EdgeInterval {
    /// What is wrong with it, if anything.
    pub fn fault(&self) -> Option<&'static str> {
        self.to.trim().is_empty().then_some("an interval ends at a channel: give its name")
    }
}

/// An interval that was found.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Found {
    /// When it began.
    pub at: Stamp,
    /// How long it took, in seconds; 0 where both edges are in one row.
    pub seconds: f64,
}

/// The intervals of some rows.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct EdgeIntervals {
    /// In the order in which they began.
    pub found: Vec<Found>,
    /// Beginnings that were followed by the next one before the channel answered.
    pub unanswered: u64,
    /// Beginnings that a break of the stream parts from what followed, so that nothing is known.
    pub broken: u64,
    /// The last beginning has no answer yet.
    pub is_open: bool,
    /// There were more beginnings than [`MOST_EDGES`]: these are of the last ones.
    pub is_cut: bool,
}

/// The intervals that begin in `rows`: from each edge to the first edge of the other channel at or after it, as long as the
/// next beginning has not come. On one channel (`to` is none) an edge does not answer itself, but a beginning may end the
/// interval before it. Both channels are in `store`. An edge has the time of the first row on its other side.
pub fn edge_intervals(
    (from, edge): (&Watcher, Edge),
    (to, until): (Option<&Watcher>, Edge),
    store: &Store,
    rows: Range<u64>,
) -> EdgeIntervals {
    let mut out = EdgeIntervals::default();
    let begins = from.edges.range(from.edges_before(rows.start)..from.edges_before(rows.end));
    let begins = begins.rev().filter(|begin| edge.counts(*begin & 1 == 1)).map(|begin| begin >> 1);
    let mut starts: Vec<u64> = begins.take(MOST_EDGES + 1).collect();
    out.is_cut = starts.len() > MOST_EDGES;
    starts.truncate(MOST_EDGES);
    starts.reverse();
    let ends = to.unwrap_or(from);
    for (number, start) in starts.iter().enumerate() {
        let next = starts.get(number + 1).copied();
        // Rising and falling edges take turns: the first that counts is near.
        let later = ends.edges.range(ends.edges_before(start + u64::from(to.is_none()))..);
        let answer = later.filter(|answer| until.counts(*answer & 1 == 1)).map(|answer| answer >> 1).next();
        let answer = answer.filter(|answer| match next {
            Some(next) => *answer < next + u64::from(to.is_none()),
            None => *answer < rows.end,
        });
        let last = answer.or(next).unwrap_or(rows.end.saturating_sub(1));
        let times = store.time(*start).zip(answer.and_then(|answer| store.time(answer)));
        match times {
            _ if store.breaks_before(*start) || store.broken_between(*start, last) => out.broken += 1,
            Some((at, end)) => out.found.push(Found { at, seconds: end.seconds_since(at) }),
            None if next.is_some() => out.unanswered += 1,
            None => out.is_open = true,
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::bench::Bench;
    use crate::chain::Chain;
    use crate::store::Limits;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn intervals_are_those_of_a_walk_along_the_rows(
            bits in proptest::collection::vec((any::<[bool; 2]>(), 1..50u32, prop::bool::weighted(0.05)), 1..150),
            edges in (0..3usize, 0..3usize),
            is_own: bool,
            skipped in 0..20u64,
        ) {
            let mut chain = Chain::new(&Bench::default(), 0, Limits::NONE);
            let mut at = Stamp(1_790_000_000_000_000_000);
            // The shape is known after these.
            let begin = std::iter::repeat_n(([false, false], 10, false), 4);
            let rows: Vec<([bool; 2], u32, bool)> = begin.chain(bits).collect();
            let mut times = Vec::new();
            for ([a, b], millis, is_broken) in &rows {
                if *is_broken {
                    chain.break_off();
                }
                at = at.plus(f64::from(*millis) * 1e-3);
                chain.feed(at, format!("a={} b={}\n", u8::from(*a), u8::from(*b)).as_bytes());
                times.push(at);
            }
            prop_assert_eq!(chain.store().rows(), 0..rows.len() as u64);
            let (edge, until) = (Edge::ALL[edges.0], Edge::ALL[edges.1]);
            let watcher = |place: usize| chain.channels()[place].watcher();
            let other = (!is_own).then(|| watcher(1));
            let found = edge_intervals((watcher(0), edge), (other, until), chain.store(), skipped..rows.len() as u64);

            // Forward from each row: an edge of `which` of column `column` in row `row`?
            let is_edge = |row: usize, column: usize, which: Edge| {
                let (before, now) = (rows[row - 1].0[column], rows[row].0[column]);
                before != now && which.counts(now)
            };
            let mut plain = EdgeIntervals::default();
            for row in (skipped as usize).max(1)..rows.len() {
                if !is_edge(row, 0, edge) {
                    continue;
                }
                let mut is_broken = rows[row].2;
                let mut outcome = None;
                for later in row..rows.len() {
                    is_broken |= rows[later].2;
                    let is_next = later > row && is_edge(later, 0, edge);
                    let answers = (later > row || !is_own) && is_edge(later, usize::from(!is_own), until);
                    if answers && (is_own || !is_next) {
                        outcome = Some(Some(Found { at: times[row], seconds: times[later].seconds_since(times[row]) }));
                    } else if is_next {
                        outcome = Some(None);
                    }
                    if outcome.is_some() {
                        break;
                    }
                }
                match outcome {
                    _ if is_broken => plain.broken += 1,
                    Some(Some(one)) => plain.found.push(one),
                    Some(None) => plain.unanswered += 1,
                    None => plain.is_open = true,
                }
            }
            prop_assert_eq!(found, plain);
        }
    }
}
