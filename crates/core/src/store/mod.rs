//! The buffer behind the chart: the newest rows, raw, with their times and arrivals; and series derived from them that answer
//! "least and most between these rows" without a scan.
//!
//! Rows are numbered from 0 since the start and keep their number when older rows are let go. All parts are made of
//! blocks of [`BLOCK`] rows, and are let go of a block at a time. Raw values and times are kept in the narrowest form that
//! gives them back to the bit.

mod packed;
mod series;
mod spill;

pub use series::Series;
pub use spill::{Put, Spill};

use crate::Stamp;
use packed::Queue;
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;
use std::ops::Range;

/// Rows in a block; a power of 16, so that the levels of [`Series`] fit into it.
pub const BLOCK: usize = 4096;

/// How much history is kept: whichever of the two is less, to within one block.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Limits {
    /// Seconds.
    pub seconds: f64,
    /// Rows.
    pub rows: u64,
}

impl Default for Limits {
    fn default() -> Self {
        Limits { seconds: 600.0, rows: 1_000_000 }
    }
}

impl Limits {
    /// Keeps everything, as for a take that was opened.
    pub const NONE: Limits = Limits { seconds: f64::INFINITY, rows: u64::MAX };
}

/// The newest rows, raw. Copies share full blocks, so that one of a million rows costs microseconds.
#[derive(Clone, Debug)]
pub struct Store {
    times: Queue<Stamp>,
    arrivals: Queue<Stamp>,
    columns: Vec<Queue<f64>>,
    breaks: VecDeque<u64>,
    /// Before which rows how many lines with numbers were rejected.
    missed: VecDeque<(u64, u32)>,
    limits: Limits,
}

impl Store {
    /// An empty store.
    pub fn new(limits: Limits) -> Self {
        Store {
            times: Queue::default(),
            arrivals: Queue::default(),
            columns: Vec::new(),
            breaks: VecDeque::new(),
            missed: VecDeque::new(),
            limits,
        }
    }

    /// Keeps more or less from now on.
    pub fn set_limits(&mut self, limits: Limits) {
        self.limits = limits;
    }

    /// How much is kept.
    pub fn limits(&self) -> Limits {
        self.limits
    }

    /// The numbers of the rows that are kept.
    pub fn rows(&self) -> Range<u64> {
        self.times.range()
    }

    /// Those of `rows` that are kept; none of them where they were let go of, or the history was begun anew.
    pub fn kept(&self, rows: Range<u64>) -> Range<u64> {
        let kept = self.rows();
        let start = rows.start.clamp(kept.start, kept.end);
        start..rows.end.clamp(start, kept.end)
    }

    /// Makes room for `columns` columns; new ones are gaps (NaN) for the rows so far.
    pub fn widen(&mut self, columns: usize) {
        while self.columns.len() < columns {
            self.columns.push(Queue::filled(self.rows(), f64::NAN));
        }
    }

    /// Lets two columns change places.
    pub fn swap_columns(&mut self, a: usize, b: usize) {
        if a.max(b) < self.columns.len() {
            self.columns.swap(a, b);
        }
    }

    /// Adds rows of one value a column, with their times, none of which must be earlier than that of the row before, and
    /// their arrivals. A column of which nothing is told has gaps.
    pub fn extend<'a>(&mut self, times: &[Stamp], arrivals: &[Stamp], columns: impl IntoIterator<Item = &'a [f64]>) {
        self.times.extend(times);
        self.arrivals.extend(arrivals);
        let end = self.rows().end;
        let mut columns = columns.into_iter();
        for column in &mut self.columns {
            column.extend(columns.next().unwrap_or_default());
            column.fill_up(end);
        }
    }

    /// Gives a column other values, one for each row that is kept.
    pub fn set_column(&mut self, column: usize, values: &[f64]) {
        let mut fresh = Queue::starting_at(self.rows().start);
        fresh.extend(values);
        fresh.fill_up(self.rows().end);
        if let Some(column) = self.columns.get_mut(column) {
            *column = fresh;
        }
    }

    /// Lets go of a column; those behind it move up.
    pub fn remove_column(&mut self, column: usize) {
        if column < self.columns.len() {
            self.columns.remove(column);
        }
    }

    /// Adds the raw values of a column in `rows`, as far as these are [kept](Store::kept), to `out`.
    pub fn read_raw(&self, column: usize, rows: Range<u64>, out: &mut Vec<f64>) {
        if let Some(column) = self.columns.get(column) {
            column.read(rows, out);
        }
    }

    /// Lets `series`, which holds the raw values of a column as they are, have them from here.
    pub fn share(&self, column: usize, series: &mut Series) {
        if let Some(column) = self.columns.get(column) {
            series.share(column);
        }
    }

    /// Adds the times of `rows`, as far as these are [kept](Store::kept), to `out`.
    pub fn read_times(&self, rows: Range<u64>, out: &mut Vec<Stamp>) {
        self.times.read(rows, out);
    }

    /// The first row behind `row` that does not follow from the one before, if there is one; it may be the one that comes
    /// next.
    pub fn break_after(&self, row: u64) -> Option<u64> {
        self.breaks.get(self.breaks.partition_point(|known| *known <= row)).copied()
    }

    /// Lets go of the oldest block while the rest still fills the limits; gives the first row that is kept when that
    /// changed, so that derived series can follow.
    pub fn trim(&mut self) -> Option<u64> {
        let before = self.rows().start;
        while let Some(next) = self.times.second_block() {
            let rows = self.rows();
            let newest = self.times.get(rows.end - 1)?;
            let enough = rows.end - next >= self.limits.rows
                || newest.seconds_since(self.times.get(next)?) >= self.limits.seconds;
            if !enough {
                break;
            }
            self.times.drop_block();
            self.arrivals.drop_block();
            self.columns.iter_mut().for_each(Queue::drop_block);
        }
        let start = self.rows().start;
        while self.missed.front().is_some_and(|(row, _)| *row < start) {
            self.missed.pop_front();
        }
        while self.breaks.front().is_some_and(|row| *row <= start) {
            self.breaks.pop_front();
        }
        (start != before).then_some(start)
    }

    /// The next row does not follow from the one before: the link was broken, or bytes were skipped.
    pub fn mark_break(&mut self) {
        let next = self.rows().end;
        if next > self.rows().start && self.breaks.back() != Some(&next) {
            self.breaks.push_back(next);
        }
    }

    /// A line was rejected that may have been the next row.
    pub fn mark_missed(&mut self) {
        let Range { start, end } = self.rows();
        match self.missed.back_mut().filter(|(row, _)| *row == end) {
            Some((_, count)) => *count = count.saturating_add(1),
            None if end > start => self.missed.push_back((end, 1)),
            None => {}
        }
    }

    /// Lines that were rejected between row `row` and the one before, which may have been rows.
    pub fn missed_before(&self, row: u64) -> u32 {
        self.missed.binary_search_by_key(&row, |(at, _)| *at).map_or(0, |place| self.missed[place].1)
    }

    /// Row `row`, which is kept, does not follow from the one before.
    pub fn mark_break_before(&mut self, row: u64) {
        let place = self.breaks.partition_point(|known| *known < row);
        if row > self.rows().start && self.breaks.get(place) != Some(&row) {
            self.breaks.insert(place, row);
        }
    }

    /// Whether there is a break between row `before` and row `after`, both included as ends.
    pub fn broken_between(&self, before: u64, after: u64) -> bool {
        let place = self.breaks.partition_point(|row| *row <= before);
        self.breaks.get(place).is_some_and(|row| *row <= after)
    }

    /// Whether row `row` does not follow from the one before; also for the row that comes next.
    pub fn breaks_before(&self, row: u64) -> bool {
        row > self.rows().start && self.broken_between(row - 1, row)
    }

    /// The raw value of column `column` in row `row`; `None` when the row is not kept.
    #[inline]
    pub fn raw(&self, column: usize, row: u64) -> Option<f64> {
        self.columns.get(column)?.get(row)
    }

    /// The time of row `row`; `None` when the row is not kept.
    #[inline]
    pub fn time(&self, row: u64) -> Option<Stamp> {
        self.times.get(row)
    }

    /// When row `row` arrived; `None` when the row is not kept.
    #[inline]
    pub fn arrival(&self, row: u64) -> Option<Stamp> {
        self.arrivals.get(row)
    }

    /// Gives the rows from `first` on, which must be kept, other times; `times` must be one a row and must not run
    /// backwards.
    pub fn retime(&mut self, first: u64, times: impl IntoIterator<Item = Stamp>) {
        self.times.truncate(first);
        times.into_iter().for_each(|time| self.times.push(time));
    }

    /// The first kept row at or after `at`; the end of [`Store::rows`] when there is none.
    pub fn first_at(&self, at: Stamp) -> u64 {
        let rows = self.rows();
        let (mut low, mut high) = (rows.start, rows.end);
        while low < high {
            let middle = low + (high - low) / 2;
            if self.times.get(middle).is_some_and(|time| time < at) { low = middle + 1 } else { high = middle }
        }
        low
    }

    /// The rows from `from` to `to`, both included.
    pub fn between(&self, from: Stamp, to: Stamp) -> Range<u64> {
        self.first_at(from)..self.first_at(Stamp(to.0.saturating_add(1)))
    }

    /// Moves the full blocks away, as far as there is room.
    pub fn move_away(&mut self, to: &mut dyn Spill) {
        self.times.move_away(to);
        self.arrivals.move_away(to);
        self.columns.iter_mut().for_each(|column| column.move_away(to));
    }

    /// The same for the blocks of `series`, after those of column `column`, whose rows it has.
    pub(crate) fn move_series_away(&self, column: usize, series: &mut Series, to: &mut dyn Spill) {
        if let Some(column) = self.columns.get(column) {
            series.move_away(column, to);
        }
    }

    /// The rows that each part holds: times, arrivals, columns.
    #[cfg(test)]
    pub(crate) fn parts(&self) -> Vec<Range<u64>> {
        [self.times.range(), self.arrivals.range()].into_iter().chain(self.columns.iter().map(Queue::range)).collect()
    }

    /// The bytes that it takes in memory.
    pub fn size(&self) -> usize {
        self.times.size() + self.arrivals.size() + self.columns.iter().map(Queue::size).sum::<usize>()
    }
}
