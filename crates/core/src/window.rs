//! What of the buffer stands in the chart: a stretch of time cut into columns, and each series' span in each column.
//!
//! Columns lie on a fixed grid of time, so that a finished column never changes while the chart moves on.

use crate::Stamp;
use crate::store::{Series, Store};
use crate::watch::{Side, Watcher};
use std::ops::Range;

/// Stretches of time that the zoom steps through, in seconds.
pub const SPANS: [f64; 20] = [
    0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 30.0, 60.0, 120.0, 300.0, 600.0, 1200.0, 1800.0, 3600.0, 7200.0,
    21600.0, 86400.0,
];

/// The span `steps` zoom steps away from `span` (negative: closer), at the ends of the list if need be.
pub fn zoomed(span: f64, steps: i32) -> f64 {
    let here = SPANS.partition_point(|s| *s < span * (1.0 - 1e-9)) as i32;
    SPANS[(here + steps).clamp(0, SPANS.len() as i32 - 1) as usize]
}

/// How the chart follows the present.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Motion {
    /// The newest column stands at the right and everything moves left.
    #[default]
    Scroll,
    /// The newest column wanders from left to right over the older ones and starts over.
    Sweep,
}

/// A chart's columns. Column `k` covers the instants from `k * width` up to `(k + 1) * width` nanoseconds.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Columns {
    /// Nanoseconds in a column.
    pub width: i64,
    /// The column in each place from left to right; `None` for the blank ahead of a sweep.
    pub places: Vec<Option<i64>>,
}

impl Columns {
    /// `count` columns that together cover `span` seconds and end with the one that holds `end`, or with the one after
    /// it: columns move on in pairs, so that a chart with two columns to a character moves by whole characters, which
    /// is calmer to look at and a quarter of the work for the terminal.
    pub fn new(end: Stamp, span: f64, count: usize, motion: Motion) -> Self {
        let count = count.max(1) as i64;
        let width = ((span * 1e9) as i64 / count).max(1);
        let newest = end.0.div_euclid(width) | 1;
        let places = match motion {
            Motion::Scroll => (newest - count + 1..=newest).map(Some).collect(),
            Motion::Sweep => {
                let here = newest.rem_euclid(count);
                let blank = (count / 80 * 2).max(2);
                let place = |i: i64| match i - here {
                    ..=0 => Some(newest - here + i),
                    ahead if ahead <= blank => None,
                    _ => Some(newest - here + i - count),
                };
                (0..count).map(place).collect()
            }
        };
        Columns { width, places }
    }

    /// The instant at which the column in `place` begins.
    pub fn begin(&self, place: usize) -> Option<Stamp> {
        self.places.get(place).copied().flatten().map(|column| Stamp(column * self.width))
    }

    /// The place of the column that holds `at`, if it is in the chart.
    pub fn place_of(&self, at: Stamp) -> Option<usize> {
        let column = at.0.div_euclid(self.width);
        self.places.iter().position(|place| *place == Some(column))
    }

    /// Runs of places whose columns follow one another: one when scrolling, up to two when sweeping.
    fn runs(&self) -> Vec<(usize, Range<i64>)> {
        let mut runs: Vec<(usize, Range<i64>)> = Vec::new();
        for (place, column) in self.places.iter().enumerate() {
            match (column, runs.last_mut()) {
                (Some(column), Some((start, run)))
                    if run.end == *column && *start + (run.end - run.start) as usize == place =>
                {
                    run.end += 1
                }
                (Some(column), _) => runs.push((place, *column..*column + 1)),
                (None, _) => {}
            }
        }
        runs
    }

    /// The places from `place` on alone.
    pub fn from_place(&self, place: usize) -> Columns {
        Columns { width: self.width, places: self.places[place.min(self.places.len())..].to_vec() }
    }

    /// The number of the newest column; 0 when there is none.
    pub fn newest(&self) -> i64 {
        self.places.iter().flatten().max().copied().unwrap_or(0)
    }
}

/// The rows of every column in the chart, looked up once for all series.
pub struct Grid<'a> {
    store: &'a Store,
    width: i64,
    /// The longest time between two rows that a line is drawn across, in nanoseconds.
    bridge: i64,
    /// The first row that is not shown.
    last: u64,
    runs: Vec<(usize, Range<i64>, Vec<u64>)>,
    places: usize,
}

/// Least and most of a series in a column, what a line to the neighbouring columns covers included.
pub type Span = Option<(f64, f64)>;

/// Where a digital channel was within a column.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Logic {
    /// No reading.
    None,
    /// Low throughout.
    Low,
    /// High throughout.
    High,
    /// Both.
    Both,
}

/// A place of a digital channel.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct LogicSpan {
    /// Where it was.
    pub logic: Logic,
    /// The edges in it.
    pub edges: usize,
}

impl<'a> Grid<'a> {
    /// The grid for `columns`, without the rows after `end`, which may fall into the last column; `interval` is the
    /// usual time between rows in seconds, if known. A line is drawn across at most eight intervals, or a quarter
    /// second if that is longer, and never across a break.
    pub fn new(store: &'a Store, columns: &Columns, end: Stamp, interval: Option<f64>) -> Self {
        let bridge = ((interval.unwrap_or(0.0) * 8.0).max(0.25) * 1e9) as i64;
        let last = store.first_at(Stamp(end.0.saturating_add(1)));
        let edges = |run: &Range<i64>| {
            (run.start..=run.end).map(|column| store.first_at(Stamp(column * columns.width)).min(last)).collect()
        };
        let runs = columns.runs().into_iter().map(|(place, run)| (place, run.clone(), edges(&run))).collect();
        Grid { store, width: columns.width, bridge, last, runs, places: columns.places.len() }
    }

    /// The span of `series` in every place, joined up with lines between neighbouring readings.
    pub fn trace(&self, series: &Series) -> Vec<Span> {
        let mut out = vec![None; self.places];
        for (place, run, edges) in &self.runs {
            let spans = &mut out[*place..*place + edges.len() - 1];
            let mut last = self.reading_before(series, edges[0]);
            for (i, edge) in edges.windows(2).enumerate() {
                let Some((low, high)) = series.min_max(edge[0]..edge[1]) else {
                    continue;
                };
                let own = spans[i].get_or_insert((low, high));
                *own = (own.0.min(low), own.1.max(high));
                let first = self.reading_from(series, edge[0]..edge[1]);
                if let (Some(from), Some(to)) = (last, first) {
                    self.connect(spans, run.start, from, to);
                }
                last = self.reading_before(series, edge[1]).or(last);
            }
            // A line that leaves the chart at its right edge.
            let end = edges[edges.len() - 1];
            if let (Some(from), Some(to)) = (last, self.reading_from(series, end..end + 64)) {
                self.connect(spans, run.start, from, to);
            }
        }
        out
    }

    /// Draws the line between two readings into the columns that it crosses.
    fn connect(&self, spans: &mut [Span], first: i64, from: (u64, Stamp, f64), to: (u64, Stamp, f64)) {
        let length = to.1.0 - from.1.0;
        if length > self.bridge || self.store.broken_between(from.0, to.0) {
            return;
        }
        let column = |at: Stamp| at.0.div_euclid(self.width) - first;
        let (begin, end) = (column(from.1), column(to.1));
        if begin == end {
            return;
        }
        let value = |at: i64| {
            let share = ((at - from.1.0) as f64 / length as f64).clamp(0.0, 1.0);
            from.2 + (to.2 - from.2) * share
        };
        for index in begin.max(0)..=end.min(spans.len() as i64 - 1) {
            let (a, b) = (value((index + first) * self.width), value((index + first + 1) * self.width));
            let span = spans[index as usize].get_or_insert((a.min(b), a.max(b)));
            *span = (span.0.min(a).min(b), span.1.max(a).max(b));
        }
    }

    /// The last reading before row `row`, looking back over a few gaps.
    fn reading_before(&self, series: &Series, row: u64) -> Option<(u64, Stamp, f64)> {
        (row.saturating_sub(64)..row).rev().find_map(|row| self.reading(series, row))
    }

    /// The first reading within `rows`, looking over a few gaps.
    fn reading_from(&self, series: &Series, rows: Range<u64>) -> Option<(u64, Stamp, f64)> {
        rows.take(64).take_while(|row| *row < self.last).find_map(|row| self.reading(series, row))
    }

    fn reading(&self, series: &Series, row: u64) -> Option<(u64, Stamp, f64)> {
        let value = series.get(row).filter(|value| !value.is_nan())?;
        Some((row, self.store.time(row)?, value))
    }

    /// Where a channel was by its threshold in every place, and how many edges lie there, however many they are; a level lasts
    /// until the next reading.
    pub fn logic(&self, series: &Series, watcher: &Watcher) -> Vec<LogicSpan> {
        let mut out = vec![LogicSpan { logic: Logic::None, edges: 0 }; self.places];
        for (place, run, edges) in &self.runs {
            let mut last = self.reading_before(series, edges[0]);
            for (i, edge) in edges.windows(2).enumerate() {
                let begin = (run.start + i as i64) * self.width;
                let edges = watcher.edges_before(edge[1]) - watcher.edges_before(edge[0]);
                let level = |row: u64| match watcher.side_at(row) {
                    Side::Above => Logic::High,
                    Side::Below => Logic::Low,
                    Side::Unknown => Logic::None,
                };
                let logic = match (series.min_max(edge[0]..edge[1]), last) {
                    (Some(_), _) if edges > 0 => Logic::Both,
                    (Some(_), _) => level(edge[1] - 1),
                    (None, Some((row, at, _))) => {
                        let next = self.reading_from(series, edge[1]..edge[1] + 1);
                        let bridged = begin - at.0 <= self.bridge
                            && next.is_some_and(|next| !self.store.broken_between(row, next.0));
                        if bridged { level(row) } else { Logic::None }
                    }
                    (None, None) => Logic::None,
                };
                out[place + i] = LogicSpan { logic, edges };
                last = self.reading_before(series, edge[1]).or(last);
            }
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::store::Limits;

    fn filled(rows: &[(f64, f64)]) -> (Store, Series) {
        let mut store = Store::new(Limits::default());
        let mut series = Series::starting_at(0);
        store.widen(1);
        for (t, v) in rows {
            store.extend(&[Stamp::default().plus(*t)], &[Stamp(0)], [&[*v][..]]);
            series.extend(&[*v]);
        }
        (store, series)
    }

    #[test]
    fn a_finished_column_never_changes_as_the_chart_moves() {
        let rows: Vec<_> = (0..2000).map(|i| (f64::from(i) * 0.01, (f64::from(i) * 0.05).sin())).collect();
        let (store, series) = filled(&rows);
        let at = |end: f64| {
            let columns = Columns::new(Stamp::default().plus(end), 5.0, 100, Motion::Scroll);
            let trace = Grid::new(&store, &columns, Stamp(i64::MAX), Some(0.01)).trace(&series);
            columns.places.into_iter().flatten().zip(trace).collect::<std::collections::BTreeMap<_, _>>()
        };
        let (early, late) = (at(10.0), at(11.03));
        let shared: Vec<_> = early.keys().filter(|k| late.contains_key(k)).collect();
        assert!(shared.len() > 70);
        assert!(shared[..shared.len() - 1].iter().all(|k| early[k] == late[k]));
    }

    #[test]
    fn lines_bridge_columns_without_rows_but_no_gap_and_no_break() {
        let (mut store, mut series) = filled(&[(0.05, 0.0), (0.25, 10.0)]);
        store.mark_break();
        for (t, v) in [(0.45, 0.0), (2.0, 5.0)] {
            store.extend(&[Stamp::default().plus(t)], &[Stamp(0)], [&[v][..]]);
            series.extend(&[v]);
        }
        let columns = Columns::new(Stamp(999_999_999), 1.0, 10, Motion::Scroll);
        let trace = Grid::new(&store, &columns, Stamp(i64::MAX), Some(0.02)).trace(&series);
        assert_eq!(trace[1], Some((2.5, 7.5)));
        assert_eq!(trace[3], None, "a break");
        assert_eq!(trace[4], Some((0.0, 0.0)));
        assert_eq!(trace[5], None, "too long a gap");
    }

    #[test]
    fn a_sweep_shows_each_instant_once_and_starts_over() {
        let columns = Columns::new(Stamp(12_350_000_000), 10.0, 100, Motion::Sweep);
        let shown: Vec<_> = columns.places.iter().flatten().collect();
        assert_eq!(columns.places[23], Some(123));
        assert_eq!(columns.places[0], Some(100));
        assert_eq!(columns.places[99], Some(99));
        assert_eq!(shown.len(), 98, "two places are blank ahead of the newest");
        assert_eq!(columns.runs().len(), 2);
        assert_eq!(columns.place_of(Stamp(12_300_000_000)), Some(23));
    }

    #[test]
    fn a_digital_level_lasts_until_the_next_reading() {
        let (store, series) = filled(&[(0.05, 1.0), (0.25, 1.0), (0.31, 0.0), (0.33, 1.0), (0.41, 0.0)]);
        let columns = Columns::new(Stamp(799_999_999), 0.8, 8, Motion::Scroll);
        use Logic::*;
        let mut watcher = Watcher::new(crate::chain::LOGIC, 0);
        watcher.extend(&[Stamp(0); 5], &[1.0, 1.0, 0.0, 1.0, 0.0]);
        let spans = Grid::new(&store, &columns, Stamp(i64::MAX), Some(0.1)).logic(&series, &watcher);
        let logic: Vec<Logic> = spans.iter().map(|span| span.logic).collect();
        assert_eq!(logic, [High, High, High, Both, Both, None, None, None]);
        assert_eq!(spans.iter().map(|span| span.edges).collect::<Vec<_>>(), [0, 0, 0, 2, 1, 0, 0, 0]);
    }

    #[test]
    fn zoom_steps_stay_on_the_list() {
        assert_eq!([zoomed(10.0, 1), zoomed(10.0, -1), zoomed(0.05, -3), zoomed(33.0, 0)], [20.0, 5.0, 0.05, 60.0]);
    }

    use proptest::prelude::*;

    proptest! {
        /// Against a scan of all rows: a column holds at least its own rows, and at most what lies between them and
        /// their neighbours; what it claims beyond that is a line that was not there.
        #[test]
        fn spans_hold_their_rows_and_nothing_foreign(
            steps in proptest::collection::vec((1..40u32, -100..100i32), 2..200),
            span in 0.2..5.0f64, count in 4..120usize, sweep: bool,
        ) {
            let mut t = 0.0;
            let rows: Vec<(f64, f64)> = steps.iter().map(|(step, value)| {
                t += f64::from(*step) * 0.005;
                (t, f64::from(*value))
            }).collect();
            let (store, series) = filled(&rows);
            let motion = if sweep { Motion::Sweep } else { Motion::Scroll };
            let end = Stamp::default().plus(t);
            let columns = Columns::new(end, span, count, motion);
            let trace = Grid::new(&store, &columns, end, Some(0.1)).trace(&series);
            prop_assert_eq!(trace.len(), columns.places.len());
            for (place, got) in trace.iter().enumerate() {
                let Some(begin) = columns.begin(place) else {
                    prop_assert!(got.is_none(), "the blank ahead of a sweep");
                    continue;
                };
                let own = |at: &f64| (begin.0..begin.0 + columns.width).contains(&Stamp::default().plus(*at).0);
                let inside: Vec<f64> = rows.iter().filter(|(t, _)| own(t)).map(|(_, v)| *v).collect();
                if let (Some((low, high)), false) = (got, inside.is_empty()) {
                    prop_assert!(inside.iter().all(|v| (*low..=*high).contains(v)));
                }
                prop_assert!(got.is_some() || inside.is_empty(), "a row is not shown");
                let first = rows.iter().position(|(t, _)| own(t));
                let before = rows.iter().rposition(|(t, _)| Stamp::default().plus(*t) < begin);
                let after = rows.iter().position(|(t, _)| Stamp::default().plus(*t).0 >= begin.0 + columns.width);
                let near: Vec<f64> = first.into_iter().chain(before).chain(after).map(|i| rows[i].1).chain(inside).collect();
                if let Some((low, high)) = got {
                    let (least, most) = near.iter().fold((f64::MAX, f64::MIN), |s, v| (s.0.min(*v), s.1.max(*v)));
                    // Single precision, and a line's ends interpolated.
                    prop_assert!(*low >= least - 1e-3 && *high <= most + 1e-3, "{low}..{high}, {near:?}");
                }
            }
        }

        #[test]
        fn columns_cover_the_span_and_hold_the_end(end in 1_000_000_000..2_000_000_000_000i64, span in 0.05..1000.0f64, pairs in 2..200usize) {
            let count = pairs * 2;
            let columns = Columns::new(Stamp(end), span, count, Motion::Scroll);
            let place = columns.place_of(Stamp(end)).unwrap();
            prop_assert!(place + 2 >= count, "the end is in the last pair");
            let covered = (columns.width * count as i64) as f64 * 1e-9;
            prop_assert!((covered - span).abs() <= span * 0.01 + 1e-6);
            let sweep = Columns::new(Stamp(end), span, count, Motion::Sweep);
            prop_assert_eq!(sweep.newest(), columns.newest());
            let shown: std::collections::BTreeSet<i64> = sweep.places.iter().flatten().copied().collect();
            prop_assert_eq!(shown.len(), sweep.places.iter().flatten().count(), "no column appears twice");
            prop_assert_eq!(columns.from_place(count - 3).places.len(), 3);
        }
    }
}
