//! The rows of a block, as they come.

use super::block::Block;
use super::spread::FEW;
use crate::Stamp;

/// Rows of a block that are kept one by one, so that spikes among them are found.
const KEPT: usize = 1024;

/// A row of a block is a spike when it lies so many deviations off.
const SPIKE: f64 = 6.0;

/// The deviation of a Gaussian, in medians of what its values lie off.
const OF_MEDIAN: f64 = 1.482_602_218_505_602;

/// Gathers rows until they make a block.
#[derive(Clone, Debug)]
pub(super) struct Gather {
    seconds: f64,
    block: Block,
    /// The sum of each value times its place in the block.
    moment: f64,
    values: Vec<f64>,
    /// The time of the last row, and how long it was after the one before.
    last: Option<Stamp>,
    interval: f64,
    slow: bool,
}

impl Gather {
    /// For blocks of so many seconds.
    pub(super) fn new(seconds: f64) -> Self {
        let (block, values) = (Block::default(), Vec::new());
        Gather { seconds, block, moment: 0.0, values, last: None, interval: f64::INFINITY, slow: true }
    }

    /// Whether blocks have too few rows to say anything of them alone.
    pub(super) fn is_slow(&self) -> bool {
        self.slow
    }

    /// The seconds between two rows, or of a block, whichever is more.
    pub(super) fn pace(&self) -> f64 {
        if self.interval.is_finite() { self.interval.max(self.seconds) } else { self.seconds }
    }

    /// Whether a row at `at` begins another block.
    #[inline]
    pub(super) fn is_over(&self, at: Stamp) -> bool {
        self.block.count > 0.0 && at.seconds_since(self.block.from) >= self.seconds - 1e-6
    }

    /// Takes a row, and says whether there is no room for another one.
    #[inline]
    pub(super) fn take(&mut self, row: u64, at: Stamp, value: f64) -> bool {
        if self.block.count == 0.0 {
            self.block = Block::beginning(row, at);
        }
        self.moment += value * self.block.count;
        self.block.take(row, at, value);
        if self.values.len() < KEPT {
            self.values.push(value);
        }
        let before =
            std::mem::replace(&mut self.interval, self.last.map_or(f64::INFINITY, |last| at.seconds_since(last)));
        self.last = Some(at);
        // After a gap the interval before it counts.
        let interval = if before < self.interval { before } else { self.interval };
        at.seconds_since(self.block.from) + interval >= self.seconds - 1e-6 && interval.is_finite()
    }

    /// Forgets the rows.
    pub(super) fn clear(&mut self) {
        self.block = Block::default();
        self.moment = 0.0;
        self.values.clear();
    }

    /// The next row does not follow from the last one.
    pub(super) fn break_off(&mut self) {
        self.clear();
        (self.last, self.interval) = (None, f64::INFINITY);
    }

    /// The block, spikes left out, and how far its rows lie off a line where there are enough. `known` is what they are
    /// usually off, `step` the size of one raw step.
    pub(super) fn close(&mut self, known: Option<f64>, step: f64) -> (Block, Option<f64>) {
        self.slow = self.block.count < FEW;
        let mut block = std::mem::take(&mut self.block);
        let mut deviation = None;
        if !self.slow {
            let mut off = off_line(&block, self.moment);
            let usual = known.is_some_and(|known| off <= 1.5 * known.max(step / 12f64.sqrt()));
            if !usual && self.values.len() as f64 == block.count {
                off = self.without_spikes(&mut block, step).unwrap_or(off);
            }
            deviation = Some(off);
        }
        self.clear();
        (block, deviation)
    }

    /// Leaves out what lies far off the rest, where that is not a quarter of the rows or more.
    fn without_spikes(&mut self, block: &mut Block, step: f64) -> Option<f64> {
        let half = self.values.len() / 2;
        let mut sorted = self.values.clone();
        let (first, second) = sorted.split_at_mut(half);
        let (low, high) = (median(first), median(second));
        let slope = (high - low) / (self.values.len() as f64 / 2.0);
        let line = |i: usize| low + slope * (i as f64 - (half as f64 - 1.0) / 2.0);
        let mut offs: Vec<f64> = self.values.iter().enumerate().map(|(i, value)| (value - line(i)).abs()).collect();
        let most = SPIKE * f64::max(median(&mut offs) * OF_MEDIAN, step / 12f64.sqrt());
        let mut rest = Block { rows: block.rows.clone(), from: block.from, to: block.to, ..Block::default() };
        let (mut moment, mut sum, mut squares) = (0.0, 0.0, 0.0);
        for (i, value) in self.values.iter().enumerate().filter(|(i, value)| (*value - line(*i)).abs() <= most) {
            let x = i as f64;
            (rest.count, rest.sum, rest.squares) = (rest.count + 1.0, rest.sum + value, rest.squares + value * value);
            (moment, sum, squares) = (moment + x * value, sum + x, squares + x * x);
        }
        if rest.count == block.count || rest.count < 0.75 * block.count {
            return None;
        }
        let spread = squares - sum * sum / rest.count;
        let joint = moment - sum * rest.mean();
        *block = rest;
        let left = block.variance() * (block.count - 1.0) - joint * joint / spread;
        Some((left / (block.count - 2.0)).max(0.0).sqrt())
    }
}

/// The deviation of a block's rows about the line through them, whose places are 0, 1, 2 ….
fn off_line(block: &Block, moment: f64) -> f64 {
    let n = block.count;
    let spread = n * (n * n - 1.0) / 12.0;
    let joint = moment - (n - 1.0) / 2.0 * block.sum;
    let left = block.variance() * (n - 1.0) - joint * joint / spread;
    (left / (n - 2.0)).max(0.0).sqrt()
}

/// The median, of two in the middle their mean; moves the values about.
fn median(values: &mut [f64]) -> f64 {
    let is_even = values.len().is_multiple_of(2);
    let (below, middle, _) = values.select_nth_unstable_by(values.len() / 2, f64::total_cmp);
    let middle = *middle;
    match below.iter().copied().max_by(f64::total_cmp).filter(|_| is_even) {
        Some(lower) => (lower + middle) / 2.0,
        None => middle,
    }
}
