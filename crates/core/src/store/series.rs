//! A derived series in single precision from a base, with the least and most of every 16, 256 and 4096 rows beside it.

use super::BLOCK;
use super::packed::{Narrow, Numbers, Queue};
use super::spill::{Held, Spill};
use std::collections::VecDeque;
use std::ops::Range;
use std::sync::Arc;

const FINE: usize = 16;
const COARSE: usize = 256;

/// Least and most, less the base of their block; least above most where there is no value.
type Span = (f32, f32);

const NOTHING: Span = (f32::INFINITY, f32::NEG_INFINITY);

#[inline]
fn merged(a: Span, b: Span) -> Span {
    (a.0.min(b.0), a.1.max(b.1))
}

/// What a block knows of itself.
#[derive(Clone, Debug)]
struct Summary {
    fine: [Span; BLOCK / FINE],
    coarse: [Span; BLOCK / COARSE],
    whole: Span,
}

const EMPTY: Summary = Summary { fine: [NOTHING; BLOCK / FINE], coarse: [NOTHING; BLOCK / COARSE], whole: NOTHING };

/// A block and what it knows of itself.
#[derive(Clone, Debug)]
struct Full {
    /// What is subtracted before values become single: a whole number near them, so that neither a place on the globe nor
    /// a count of milliseconds loses digits.
    base: f64,
    values: Values,
    /// Least and most of every [`FINE`] rows, one behind the other.
    fine: Held<f32>,
    coarse: [Span; BLOCK / COARSE],
    whole: Span,
}

impl Full {
    fn new(base: f64, values: Values, summary: &Summary) -> Full {
        let fine = summary.fine.iter().flat_map(|(least, most)| [*least, *most]).collect();
        Full { base, values, fine, coarse: summary.coarse, whole: summary.whole }
    }
}

#[derive(Clone, Debug)]
enum Values {
    /// Less the base of the block.
    Own(Held<f32>),
    /// Those of a column of the store, which need no room here.
    Raw(Arc<Numbers>),
}

impl Values {
    #[inline]
    fn get(&self, index: usize, base: f64) -> f64 {
        match self {
            Values::Own(values) => base + f64::from(values[index]),
            Values::Raw(numbers) => f64::get(numbers, index),
        }
    }

    /// Less the base.
    #[inline]
    fn less(&self, index: usize, base: f64) -> f32 {
        match self {
            Values::Own(values) => values[index],
            Values::Raw(numbers) => single(f64::get(numbers, index), base),
        }
    }
}

/// A value less the base; a gap where that is beyond single precision.
#[inline]
fn single(value: f64, base: f64) -> f32 {
    let less = (value - base) as f32;
    if less.is_finite() { less } else { f32::NAN }
}

/// The base of a block whose first value is this one.
fn base_of(first: f64) -> f64 {
    if first.abs() < 1e15 { first.round() } else { 0.0 }
}

/// Values by row, NaN for gaps, with a pyramid of least and most. Copies share full blocks, which never change.
///
/// Single precision carries 7 digits of what a value lies off the first one of its block, more than a 16-bit converter
/// resolves; raw values are kept in full by [`super::Store`]. Values beyond 3e38 are gaps here.
#[derive(Clone, Debug)]
pub struct Series {
    full: VecDeque<Arc<Full>>,
    /// Less its base, which is known from its first value on.
    tail: Vec<f32>,
    base: Option<f64>,
    summary: Box<Summary>,
    first: u64,
}

impl Series {
    /// The bytes that it takes in memory, the pyramid included.
    pub fn size(&self) -> usize {
        let of_block = |full: &Arc<Full>| {
            let values = if let Values::Own(values) = &full.values { values.size() } else { 0 };
            size_of::<Full>() + full.fine.size() + values
        };
        let tail = size_of::<Summary>() + self.tail.capacity() * size_of::<f32>();
        self.full.iter().map(of_block).sum::<usize>() + tail
    }

    /// Moves the full blocks away, as far as there is room; those of `column`, whose blocks this may share, have been.
    pub(super) fn move_away(&mut self, column: &Queue<f64>, to: &mut dyn Spill) {
        let first = self.block_in(column);
        for (block, full) in self.full.iter_mut().enumerate() {
            let shared = first.and_then(|first| column.full().get(first + block));
            let values = match (&full.values, shared) {
                (Values::Own(values), _) => values.moved(to).map(Values::Own),
                (Values::Raw(numbers), Some(moved)) if !Arc::ptr_eq(numbers, moved) => {
                    Some(Values::Raw(Arc::clone(moved)))
                }
                _ => None,
            };
            let fine = full.fine.moved(to);
            if values.is_some() || fine.is_some() {
                let known = &**full;
                *full = Arc::new(Full {
                    values: values.unwrap_or_else(|| known.values.clone()),
                    fine: fine.unwrap_or_else(|| known.fine.clone()),
                    ..*known
                });
            }
        }
    }

    /// An empty series whose first row will be `first`, which must be the first row of a block of the store.
    pub fn starting_at(first: u64) -> Self {
        Series { full: VecDeque::new(), tail: Vec::new(), base: None, summary: Box::new(EMPTY), first }
    }

    /// Nothing but gaps, for all of `rows`, the first of which must be the first of a block.
    pub fn gaps(rows: Range<u64>) -> Self {
        let count = (rows.end - rows.start) as usize;
        let full = Arc::new(Full::new(0.0, Values::Own(Held::Here(vec![f32::NAN; BLOCK].into())), &EMPTY));
        let full = std::iter::repeat_n(full, count / BLOCK).collect();
        let tail = vec![f32::NAN; count % BLOCK];
        Series { full, tail, base: None, summary: Box::new(EMPTY), first: rows.start }
    }

    pub(crate) fn range(&self) -> Range<u64> {
        self.first..self.first + (self.full.len() * BLOCK + self.tail.len()) as u64
    }

    /// Adds the values of the next rows; NaN for a gap.
    pub fn extend(&mut self, mut values: &[f64]) {
        while !values.is_empty() {
            let begin = self.tail.len();
            let (now, later) = values.split_at(values.len().min(BLOCK - begin));
            self.base = self.base.or_else(|| now.iter().find(|value| value.is_finite()).map(|first| base_of(*first)));
            let base = self.base.unwrap_or(0.0);
            self.tail.extend(now.iter().map(|value| single(*value, base)));
            self.sum_up(begin);
            if self.tail.len() == BLOCK {
                let values = Values::Own(Held::Here(self.tail.as_slice().into()));
                self.full.push_back(Arc::new(Full::new(base, values, &self.summary)));
                self.tail.clear();
                self.base = None;
                *self.summary = EMPTY;
            }
            values = later;
        }
    }

    /// Puts the values of the tail from `begin` on into its summary.
    fn sum_up(&mut self, begin: usize) {
        let (summary, end) = (&mut *self.summary, self.tail.len());
        let mut at = begin;
        while at < end {
            let to = end.min((at / FINE + 1) * FINE);
            // `f32::min` and `max` give the other operand for NaN, so gaps change nothing.
            let span = self.tail[at..to].iter().fold(NOTHING, |span, value| merged(span, (*value, *value)));
            for known in [&mut summary.fine[at / FINE], &mut summary.coarse[at / COARSE], &mut summary.whole] {
                *known = merged(*known, span);
            }
            at = to;
        }
    }

    /// The block of `column` that has the rows of the first one here.
    fn block_in(&self, column: &Queue<f64>) -> Option<usize> {
        self.first.checked_sub(column.range().start).map(|rows| rows as usize / BLOCK)
    }

    /// Shares its full blocks with `column`, whose values are the same.
    pub(super) fn share(&mut self, column: &Queue<f64>) {
        let Some(first) = self.block_in(column) else { return };
        for (block, full) in self.full.iter_mut().enumerate().rev() {
            let block = column.full().get(first + block);
            let (Values::Own(_), Some(numbers)) = (&full.values, block) else { return };
            *full = Arc::new(Full { values: Values::Raw(Arc::clone(numbers)), fine: full.fine.clone(), ..**full });
        }
    }

    /// Lets go of all blocks before row `first`.
    pub fn forget_before(&mut self, first: u64) {
        while !self.full.is_empty() && self.first + BLOCK as u64 <= first {
            self.full.pop_front();
            self.first += BLOCK as u64;
        }
    }

    /// The value of row `row`; `None` when it is not kept, NaN when it is a gap.
    #[inline]
    pub fn get(&self, row: u64) -> Option<f64> {
        let index = row.checked_sub(self.first)? as usize;
        match self.full.get(index / BLOCK) {
            Some(full) => Some(full.values.get(index % BLOCK, full.base)),
            None => {
                let less = self.tail.get(index.checked_sub(self.full.len() * BLOCK)?)?;
                Some(self.base.unwrap_or(0.0) + f64::from(*less))
            }
        }
    }

    /// Least and most over `rows`, gaps left out; `None` when there is no value among them.
    pub fn min_max(&self, rows: Range<u64>) -> Option<(f64, f64)> {
        let kept = self.range();
        let (mut at, end) = (rows.start.max(kept.start), rows.end.min(kept.end));
        let mut span = (f64::INFINITY, f64::NEG_INFINITY);
        while at < end {
            let offset = (at - kept.start) as usize;
            let (block, from) = (offset / BLOCK, offset % BLOCK);
            let to = (from + (end - at) as usize).min(BLOCK);
            let base = self.full.get(block).map_or(self.base.unwrap_or(0.0), |full| full.base);
            let (least, most) = self.within(block, from..to);
            span = (span.0.min(base + f64::from(least)), span.1.max(base + f64::from(most)));
            at += (to - from) as u64;
        }
        (span.0 <= span.1).then_some(span)
    }

    /// The same within one block, less its base.
    fn within(&self, block: usize, range: Range<usize>) -> Span {
        let full = self.full.get(block);
        let (coarse, whole) =
            full.map_or((&self.summary.coarse, self.summary.whole), |full| (&full.coarse, full.whole));
        let value = |at: usize| full.map_or_else(|| self.tail[at], |full| full.values.less(at, full.base));
        if range == (0..BLOCK) {
            return whole;
        }
        let scan = |spans: &[Span]| spans.iter().fold(NOTHING, |a, b| merged(a, *b));
        let read = |r: Range<usize>| r.map(value).fold(NOTHING, |a, v| merged(a, (v, v)));
        let scan_fine = |g: Range<usize>| match full {
            None => scan(&self.summary.fine[g]),
            Some(full) => {
                let pairs = full.fine[2 * g.start..2 * g.end].chunks_exact(2);
                pairs.fold(NOTHING, |span, pair| merged(span, (pair[0], pair[1])))
            }
        };
        let fine = |r: Range<usize>| match whole_groups(&r, FINE) {
            None => read(r),
            Some(g) => merged(merged(read(r.start..g.start * FINE), read(g.end * FINE..r.end)), scan_fine(g)),
        };
        match whole_groups(&range, COARSE) {
            None => fine(range),
            Some(g) => {
                merged(merged(fine(range.start..g.start * COARSE), fine(g.end * COARSE..range.end)), scan(&coarse[g]))
            }
        }
    }
}

/// The groups of `size` that lie wholly within `range`, if any.
fn whole_groups(range: &Range<usize>, size: usize) -> Option<Range<usize>> {
    let groups = range.start.div_ceil(size)..range.end / size;
    (groups.start < groups.end).then_some(groups)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Stamp;
    use crate::store::{Limits, Store};
    use proptest::prelude::*;

    fn value(row: u64) -> f64 {
        let x = (row.wrapping_mul(2654435761) % 10007) as f64 - 5000.0;
        if row % 97 < 3 { f64::NAN } else { x }
    }

    proptest! {
        #[test]
        fn the_pyramid_agrees_with_a_scan(length in 1u64..20_000, forgotten in 0u64..3, a in 0.0..1.0f64, b in 0.0..1.0f64) {
            let mut series = Series::starting_at(0);
            (0..length / 2).for_each(|row| series.extend(&[value(row)]));
            series.extend(&(length / 2..length).map(value).collect::<Vec<f64>>());
            series.forget_before(forgotten * BLOCK as u64);
            let kept = series.range();
            let pick = |x: f64| (x * length as f64) as u64;
            let rows = pick(a.min(b))..pick(a.max(b)) + 1;
            let scan = rows.clone().filter(|r| kept.contains(r)).map(value).filter(|v| !v.is_nan())
                .fold(None, |s: Option<(f64, f64)>, v| Some(s.map_or((v, v), |s| (s.0.min(v), s.1.max(v)))));
            prop_assert_eq!(series.min_max(rows), scan);
        }
    }

    proptest! {
        /// Values of any size, in blocks whose bases differ: each is what it was to seven digits of what it lies off the first
        /// one of its block, and the pyramid tells the least and the most of just these values.
        #[test]
        fn any_values_come_back_and_the_pyramid_agrees_with_them(
            parts in proptest::collection::vec((-1e9..1e9f64, 0.0..1e6f64, 1usize..3000), 1..6), a in 0.0..1.0f64, b in 0.0..1.0f64,
        ) {
            let mut series = Series::starting_at(0);
            let mut all: Vec<f64> = Vec::new();
            for (middle, size, count) in parts {
                let value = |i: usize| if i % 41 == 5 { f64::NAN } else { middle + size * ((i * 7919 % 1000) as f64 / 500.0 - 1.0) };
                let values: Vec<f64> = (0..count).map(value).collect();
                series.extend(&values);
                all.extend(values);
            }
            let mut kept = Vec::new();
            for (row, value) in all.iter().enumerate() {
                let got = series.get(row as u64).unwrap();
                let first = all[row / BLOCK * BLOCK..].iter().find(|value| value.is_finite()).copied().unwrap_or(0.0);
                prop_assert!((got.is_nan() && value.is_nan()) || (got - value).abs() <= ((value - first).abs() + 1.0) * 1.3e-7);
                kept.push(got);
            }
            let pick = |share: f64| (share * all.len() as f64) as usize;
            let rows = pick(a.min(b))..(pick(a.max(b)) + 1).min(all.len());
            let ends = kept[rows.clone()].iter().filter(|value| !value.is_nan())
                .fold(None, |ends: Option<(f64, f64)>, v| Some(ends.map_or((*v, *v), |ends| (ends.0.min(*v), ends.1.max(*v)))));
            prop_assert_eq!(series.min_max(rows.start as u64..rows.end as u64), ends);
        }
    }

    #[test]
    fn neither_a_place_on_the_globe_nor_a_count_of_milliseconds_loses_digits() {
        for (first, step, slack) in [(52.1234567, 1e-7, 1e-8), (1_732_012_345_678.0, 10.0, 1e-3), (-0.5, 1e-6, 3e-8)] {
            let mut series = Series::starting_at(0);
            let value = |row: u64| if row % 50 == 7 { f64::NAN } else { first + row as f64 * step };
            (0..9000).for_each(|row| series.extend(&[value(row)]));
            let near = |a: f64, b: f64| (a - b).abs() <= slack || (a.is_nan() && b.is_nan());
            assert!((0..9000).all(|row| near(series.get(row).unwrap(), value(row))), "{first}");
            for rows in [0..9000, 100..4200, 8999..9000, 4090..4100] {
                let (least, most) = series.min_max(rows.clone()).unwrap();
                assert!(near(least, value(rows.start)) && near(most, value(rows.end - 1)), "{rows:?}: {least} {most}");
            }
        }
        let mut series = Series::starting_at(0);
        series.extend(&[3.0, 1e300, -1.7e308, 4.0]);
        assert_eq!(series.min_max(0..4), Some((3.0, 4.0)), "what cannot be drawn is a gap, not an infinity");
    }

    #[test]
    fn the_store_keeps_to_its_limits_and_knows_its_rows() {
        let mut store = Store::new(Limits { seconds: 100.0, rows: 20_000 });
        store.widen(1);
        for row in 0..60_000u64 {
            if row == 50_000 {
                store.mark_break();
            }
            store.extend(&[Stamp(row as i64 * 10_000_000)], &[Stamp(0)], [&[row as f64][..]]);
            store.trim();
        }
        let rows = store.rows();
        // 100 s at 100 rows/s is 10,000 rows; up to a block more is kept.
        assert!((10_000..10_000 + BLOCK as u64).contains(&(rows.end - rows.start)), "{rows:?}");
        assert_eq!(store.raw(0, rows.start - 1), None);
        assert_eq!(store.raw(0, 59_999), Some(59_999.0));
        assert_eq!(store.first_at(Stamp(55_000 * 10_000_000 - 1)), 55_000);
        assert_eq!(store.first_at(Stamp(i64::MAX)), rows.end);
        assert!(store.broken_between(49_999, 50_000) && !store.broken_between(50_000, 59_000));
        store.widen(2);
        assert!(store.raw(1, 59_999).unwrap().is_nan());
    }
}
