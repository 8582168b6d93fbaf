//! Sums over rows that follow one another.

use crate::Stamp;
use std::ops::Range;

/// Sums over rows, less the run's base.
#[derive(Clone, Debug, Default)]
pub(super) struct Block {
    pub(super) rows: Range<u64>,
    pub(super) from: Stamp,
    pub(super) to: Stamp,
    pub(super) count: f64,
    pub(super) sum: f64,
    pub(super) squares: f64,
}

impl Block {
    pub(super) fn beginning(row: u64, at: Stamp) -> Block {
        Block { rows: row..row, from: at, to: at, ..Block::default() }
    }

    #[inline]
    pub(super) fn take(&mut self, row: u64, at: Stamp, value: f64) {
        (self.rows.end, self.to) = (row + 1, at);
        self.count += 1.0;
        self.sum += value;
        self.squares += value * value;
    }

    pub(super) fn mean(&self) -> f64 {
        self.sum / self.count
    }

    pub(super) fn variance(&self) -> f64 {
        ((self.squares - self.sum * self.mean()) / (self.count - 1.0).max(1.0)).max(0.0)
    }

    pub(super) fn add(&mut self, other: &Block) {
        if self.count == 0.0 {
            *self = other.clone();
            return;
        }
        (self.rows.end, self.to) = (other.rows.end, other.to);
        self.count += other.count;
        self.sum += other.sum;
        self.squares += other.squares;
    }

    /// Counts its values from a base that lies `by` higher.
    pub(super) fn lower(&mut self, by: f64) {
        self.squares += by * (self.count * by - 2.0 * self.sum);
        self.sum -= self.count * by;
    }

    /// Lets go of what `other` added at the beginning.
    pub(super) fn behead(&mut self, other: &Block) {
        (self.rows.start, self.from) = (other.rows.end, other.to);
        self.count -= other.count;
        self.sum -= other.sum;
        self.squares -= other.squares;
    }
}
