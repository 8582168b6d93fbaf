//! A derived series in single precision, with the least and most of every 16, 256 and 4096 rows beside it.

use super::blocks::{BLOCK, Blocks};
use std::collections::VecDeque;
use std::ops::Range;

const FINE: usize = 16;
const COARSE: usize = 256;

/// Least and most; least above most where there is no value.
type Span = (f32, f32);

const NOTHING: Span = (f32::INFINITY, f32::NEG_INFINITY);

#[inline]
fn join(a: Span, b: Span) -> Span {
    (a.0.min(b.0), a.1.max(b.1))
}

/// What a block knows of itself.
#[derive(Debug)]
struct Summary {
    fine: [Span; BLOCK / FINE],
    coarse: [Span; BLOCK / COARSE],
    whole: Span,
}

/// Values by row, NaN for gaps, with a pyramid of least and most.
///
/// Single precision carries 7 digits, more than a 16-bit converter resolves; raw values are kept in full by
/// [`super::Store`].
#[derive(Debug, Default)]
pub struct Series {
    values: Blocks<f32>,
    summaries: VecDeque<Box<Summary>>,
}

impl Series {
    /// The bytes that it takes in memory, the pyramid included.
    pub fn size(&self) -> usize {
        self.summaries.len() * (size_of::<Summary>() + BLOCK * size_of::<f32>())
    }

    /// An empty series whose first row will be `first`, which must be the first row of a block of the store.
    pub fn starting_at(first: u64) -> Self {
        Series { values: Blocks::starting_at(first), summaries: VecDeque::new() }
    }

    /// Adds the value of the next row; NaN for a gap.
    #[inline]
    pub fn push(&mut self, value: f64) {
        let value = value as f32;
        let range = self.values.range();
        let at = (range.end - range.start) as usize % BLOCK;
        if at == 0 {
            let empty = Summary { fine: [NOTHING; BLOCK / FINE], coarse: [NOTHING; BLOCK / COARSE], whole: NOTHING };
            self.summaries.push_back(Box::new(empty));
        }
        self.values.push(value);
        if let Some(summary) = self.summaries.back_mut() {
            // `f32::min` and `max` give the other operand for NaN, so gaps change nothing.
            for span in [&mut summary.fine[at / FINE], &mut summary.coarse[at / COARSE], &mut summary.whole] {
                *span = join(*span, (value, value));
            }
        }
    }

    /// Adds the values of the next rows; quickest where they are whole blocks.
    pub fn extend(&mut self, values: &[f64]) {
        let range = self.values.range();
        let is_block = values.len() == BLOCK && (range.end - range.start).is_multiple_of(BLOCK as u64);
        if !is_block {
            values.iter().for_each(|value| self.push(*value));
            return;
        }
        let block: Vec<f32> = values.iter().map(|value| *value as f32).collect();
        let mut summary = Summary { fine: [NOTHING; BLOCK / FINE], coarse: [NOTHING; BLOCK / COARSE], whole: NOTHING };
        for (span, values) in summary.fine.iter_mut().zip(block.chunks_exact(FINE)) {
            *span = values.iter().fold(NOTHING, |span, value| join(span, (*value, *value)));
        }
        for (span, fine) in summary.coarse.iter_mut().zip(summary.fine.chunks_exact(COARSE / FINE)) {
            *span = fine.iter().fold(NOTHING, |a, b| join(a, *b));
        }
        summary.whole = summary.coarse.iter().fold(NOTHING, |a, b| join(a, *b));
        self.summaries.push_back(Box::new(summary));
        self.values.push_block(block);
    }

    /// Lets go of all blocks before row `first`.
    pub fn forget_before(&mut self, first: u64) {
        while self.values.second_block().is_some_and(|second| second <= first) {
            self.values.drop_block();
            self.summaries.pop_front();
        }
    }

    /// The value of row `row`; `None` when it is not kept, NaN when it is a gap.
    #[inline]
    pub fn get(&self, row: u64) -> Option<f32> {
        self.values.get(row)
    }

    /// Least and most over `rows`, gaps left out; `None` when there is no value among them.
    pub fn least_most(&self, rows: Range<u64>) -> Option<(f32, f32)> {
        let kept = self.values.range();
        let (mut at, end) = (rows.start.max(kept.start), rows.end.min(kept.end));
        let mut span = NOTHING;
        while at < end {
            let offset = (at - kept.start) as usize;
            let (block, from) = (offset / BLOCK, offset % BLOCK);
            let to = (from + (end - at) as usize).min(BLOCK);
            span = join(span, self.within(block, at, from..to));
            at += (to - from) as u64;
        }
        (span.0 <= span.1).then_some(span)
    }

    /// The same within one block, whose row `at` is the first of the range.
    fn within(&self, block: usize, at: u64, range: Range<usize>) -> Span {
        let summary = &self.summaries[block];
        if range == (0..BLOCK) {
            return summary.whole;
        }
        let scan = |spans: &[Span]| spans.iter().fold(NOTHING, |a, b| join(a, *b));
        let values = self.values.block(at).unwrap_or(&[]);
        let read = |r: Range<usize>| values[r].iter().fold(NOTHING, |a, v| join(a, (*v, *v)));
        let fine = |r: Range<usize>| match whole_groups(&r, FINE) {
            None => read(r),
            Some(g) => join(join(read(r.start..g.start * FINE), read(g.end * FINE..r.end)), scan(&summary.fine[g])),
        };
        match whole_groups(&range, COARSE) {
            None => fine(range),
            Some(g) => join(
                join(fine(range.start..g.start * COARSE), fine(g.end * COARSE..range.end)),
                scan(&summary.coarse[g]),
            ),
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
            let mut series = Series::default();
            (0..length).for_each(|row| series.push(value(row)));
            series.forget_before(forgotten * BLOCK as u64);
            let kept = series.values.range();
            let pick = |x: f64| (x * length as f64) as u64;
            let rows = pick(a.min(b))..pick(a.max(b)) + 1;
            let scan = rows.clone().filter(|r| kept.contains(r)).map(|r| value(r) as f32).filter(|v| !v.is_nan())
                .fold(None, |s: Option<Span>, v| Some(s.map_or((v, v), |s| join(s, (v, v)))));
            prop_assert_eq!(series.least_most(rows), scan);
        }
    }

    #[test]
    fn the_store_keeps_to_its_limits_and_knows_its_rows() {
        let mut store = Store::new(Limits { seconds: 100.0, rows: 20_000 });
        store.widen(1);
        for row in 0..60_000u64 {
            if row == 50_000 {
                store.mark_break();
            }
            store.push(Stamp(row as i64 * 10_000_000), Stamp(0), [row as f64]);
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
