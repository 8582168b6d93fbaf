//! **Levels**: stretches in which a channel was settled, found as rows come.
//!
//! Rows are gathered in blocks, a quarter of the shortest level each. A stretch is settled when the means of its blocks
//! differ by no more than white noise of the size that the channel has by itself ([`crate::stats::Noise`]) explains, and
//! when no block is wider than that noise. So a level ends with the block that does not fit any more, and one that a
//! reading creeps into begins where the creeping is lost in the noise. Up to three rows in a row that lie far off are
//! spikes, and left out; four are a move.

mod block;
mod level;

pub use level::{Level, LevelRule};

use crate::Stamp;
use crate::stats::Noise;
use block::Block;
use std::collections::VecDeque;

/// Blocks in the shortest level.
const WINDOW: usize = 4;

/// The fewest rows in a block.
const LEAST_ROWS: u64 = 3;

/// By how many standard errors a block's mean may lie off.
const OFF: f64 = 3.5;

/// The same for the mean of [`WINDOW`] blocks, and for the difference of two halves of such a window.
const TREND: f64 = 3.0;

/// What is forgiven beside that, in standard deviations: no noise is quite white.
const FORGIVEN: f64 = 0.15;

/// Deviations at which a row may be a spike.
const SPIKE: f64 = 6.0;

/// So many rows that lie far off, one after the other, are no spike.
const MOVE: u32 = 4;

/// The levels that are kept; older ones are let go.
pub const MAX_LEVELS: usize = 1000;

/// How far off a row must lie to be a spike, in noise of this deviation.
#[inline]
fn far(deviation: f64, step: f64, rule: &LevelRule) -> f64 {
    SPIKE * if deviation > step { deviation } else { step } * rule.spread
}

/// The levels of one channel.
#[derive(Clone, Debug)]
pub struct Levels {
    rule: LevelRule,
    /// The size of one raw step: quieter than that nothing is.
    step: f64,
    noise: Noise,
    block: Block,
    /// What is subtracted before summing, so that large values keep their digits.
    base: f64,
    /// The mean of the last block, less the base: what a row is compared with.
    near: f64,
    /// Rows that lie far off, one after the other.
    odd: Block,
    /// The last blocks that may become a level, or of the open one.
    window: VecDeque<Block>,
    /// The first blocks of the open level, while they may still be let go.
    head: VecDeque<Block>,
    whole: Option<Block>,
    /// The level before, as long as it may turn out to go on.
    ended: Option<Block>,
    /// The blocks in the open level, and in the last one.
    blocks: usize,
    last_blocks: usize,
    found: VecDeque<Level>,
    number: u64,
}

impl Levels {
    /// Nothing seen.
    pub fn new(rule: LevelRule) -> Self {
        Levels {
            rule,
            step: 1.0,
            noise: Noise::default(),
            block: Block::default(),
            base: 0.0,
            near: f64::NAN,
            odd: Block::default(),
            window: VecDeque::with_capacity(WINDOW + 1),
            head: VecDeque::new(),
            whole: None,
            ended: None,
            blocks: 0,
            last_blocks: 0,
            found: VecDeque::new(),
            number: 0,
        }
    }

    /// Says how fine the raw values are.
    pub fn set_step(&mut self, step: f64) {
        self.step = step;
    }

    /// The noise of the raw values.
    pub fn noise(&self) -> &Noise {
        &self.noise
    }

    /// The levels so far, the oldest first; one that goes on stands last.
    pub fn found(&self) -> &VecDeque<Level> {
        &self.found
    }

    /// The level that goes on, if the channel is settled.
    pub fn present(&self) -> Option<&Level> {
        self.found.back().filter(|level| level.open)
    }

    /// The number of levels so far, those included that were let go.
    pub fn count(&self) -> u64 {
        self.number
    }

    /// Takes the raw values of rows at `times`, the first of which is row `first`. A gap (NaN) is passed over.
    pub fn extend(&mut self, first: u64, times: &[Stamp], raw: &[f64]) {
        // A block that is younger than this is not full, whatever rounding says.
        let young = (self.rule.seconds / WINDOW as f64 * 1e9) as i64 - 1000;
        let mut at = 0;
        while at < raw.len() {
            at += self.go_along(first + at as u64, &times[at..], &raw[at..], young);
            if at < raw.len() {
                self.push(first + at as u64, times[at], raw[at], young);
                at += 1;
            }
        }
    }

    /// Takes rows that go into the block, or lie far off and decide nothing; gives how many.
    fn go_along(&mut self, first: u64, times: &[Stamp], raw: &[f64], young: i64) -> usize {
        let Levels { noise, block, base, near, step, rule, odd, .. } = self;
        if block.count == 0.0 {
            return 0;
        }
        let (mut count, mut sum, mut squares, mut last) = (block.count, block.sum, block.squares, None);
        let taken = noise.take_while(raw, |at, deviation| {
            let value = raw[at] - *base;
            let off = (value - *near).abs();
            if off > far(deviation, *step, rule) {
                if odd.count + 1.0 >= f64::from(MOVE) {
                    return false;
                }
                if odd.count == 0.0 {
                    *odd = Block::beginning(first + at as u64, times[at]);
                }
                odd.take(first + at as u64, times[at], value);
                return true;
            }
            if times[at].0.saturating_sub(block.from.0) >= young {
                return false;
            }
            odd.count = 0.0;
            count += 1.0;
            sum += value;
            squares += value * value;
            last = Some(at);
            true
        });
        if let Some(last) = last {
            (block.count, block.sum, block.squares) = (count, sum, squares);
            (block.rows.end, block.to) = (first + last as u64 + 1, times[last]);
        }
        taken
    }

    /// Takes the raw value of row `row`.
    #[inline]
    fn push(&mut self, row: u64, at: Stamp, raw: f64, young: i64) {
        self.noise.push(raw);
        if raw.is_nan() {
            return;
        }
        if self.block.count == 0.0 {
            if self.near.is_nan() {
                (self.base, self.near) = (raw, 0.0);
            }
            self.block = Block::beginning(row, at);
        }
        let value = raw - self.base;
        let off = (value - self.near).abs();
        if off > self.far() {
            self.stray(row, at, value);
            return;
        }
        self.odd.count = 0.0;
        self.block.take(row, at, value);
        if at.0.saturating_sub(self.block.from.0) < young {
            return;
        }
        let full = at.seconds_since(self.block.from) >= self.rule.seconds / WINDOW as f64;
        if full && self.block.count >= LEAST_ROWS as f64 {
            self.close_block();
        }
    }

    /// How far off a row must lie to be a spike.
    #[inline]
    fn far(&self) -> f64 {
        self.noise.deviation().map_or(f64::INFINITY, |noise| far(noise, self.step, &self.rule))
    }

    /// The standard deviation that is explained.
    fn deviation(&self) -> Option<f64> {
        // Rounding to steps adds the deviation of an even spread over one of them.
        let rounding = self.step / 12f64.sqrt();
        self.noise.deviation().map(|noise| noise.max(rounding) * self.rule.spread)
    }

    /// A row that lies far off.
    #[cold]
    fn stray(&mut self, row: u64, at: Stamp, value: f64) {
        if self.odd.count == 0.0 {
            self.odd = Block::beginning(row, at);
        }
        self.odd.take(row, at, value);
        if self.odd.count >= f64::from(MOVE) {
            self.end();
            // What follows is compared with these.
            let near = self.odd.mean() + self.base;
            self.odd = Block::default();
            self.window.clear();
            (self.base, self.near) = (near, 0.0);
            self.block = Block::default();
            self.ended = None;
        }
    }

    fn close_block(&mut self) {
        let block = std::mem::take(&mut self.block);
        self.near = block.mean();
        let Some(deviation) = self.deviation() else { return };
        let error = |count: f64| deviation / count.sqrt();
        let wide = block.variance() > deviation * deviation * (1.5 + 4.0 * (2.0 / block.count).sqrt());
        let forgiven = FORGIVEN * deviation;
        if wide {
            self.end();
            self.window.clear();
            return;
        }
        if let Some(whole) = &self.whole {
            let off = (block.mean() - whole.mean()).abs();
            let mut recent = Block::default();
            self.window.iter().skip(1).chain([&block]).for_each(|part| recent.add(part));
            let creep = (recent.mean() - whole.mean()).abs();
            if off > OFF * error(block.count) + forgiven || creep > TREND * error(recent.count) + forgiven {
                self.curtail(block.mean(), error(block.count));
                self.end();
                self.window.clear();
            }
        }
        self.window.push_back(block.clone());
        if self.window.len() > WINDOW {
            self.window.pop_front();
        }
        if self.whole.is_some() {
            self.go_on(&block, error(block.count));
        } else if self.window.len() == WINDOW && self.is_even(deviation) {
            self.open(deviation);
        }
    }

    /// Whether the blocks of the window stand as high as one another.
    fn is_even(&self, deviation: f64) -> bool {
        let sum = |blocks: &mut dyn Iterator<Item = &Block>| {
            let mut all = Block::default();
            blocks.for_each(|block| all.add(block));
            all
        };
        let all = sum(&mut self.window.iter());
        let (first, last) =
            (sum(&mut self.window.iter().take(WINDOW / 2)), sum(&mut self.window.iter().skip(WINDOW / 2)));
        let error = |count: f64| deviation / count.sqrt();
        let even = |block: &Block| (block.mean() - all.mean()).abs() <= OFF * error(block.count) + FORGIVEN * deviation;
        // The halves' difference has the error of a quarter of the rows.
        self.window.iter().all(even) && (first.mean() - last.mean()).abs() <= TREND * error(all.count / 4.0)
    }

    fn open(&mut self, deviation: f64) {
        let mut whole = Block::default();
        self.window.iter().for_each(|block| whole.add(block));
        let close = OFF * deviation / whole.count.sqrt() + FORGIVEN * deviation;
        let same = |before: &Block| {
            let pause = whole.from.seconds_since(before.to);
            pause <= self.rule.seconds && (before.mean() - whole.mean()).abs() <= close
        };
        // A young one that was nearly there was still on its way.
        let young = self.last_blocks < 3 * WINDOW;
        let on_its_way = |before: &Block| {
            let pause = whole.from.seconds_since(before.to);
            young && pause <= self.rule.seconds && (before.mean() - whole.mean()).abs() < 1.5 * deviation
        };
        let ended = self.ended.take();
        let replaces = ended.as_ref().is_some_and(|before| !same(before) && on_its_way(before));
        // A few odd rows ended it, and it goes on as before.
        let before = ended.filter(same);
        self.head = if before.is_some() { VecDeque::new() } else { self.window.clone() };
        self.blocks = WINDOW;
        let goes_on = before.is_some();
        self.whole = Some(match before {
            Some(mut before) => {
                before.add(&whole);
                before
            }
            None => whole,
        });
        if goes_on || replaces {
            self.found.pop_back();
        } else {
            self.number += 1;
            if self.found.len() == MAX_LEVELS {
                self.found.pop_front();
            }
        }
        let level = self.level();
        self.found.extend(level);
    }

    fn go_on(&mut self, block: &Block, error: f64) {
        let Some(whole) = &mut self.whole else { return };
        whole.add(block);
        self.blocks += 1;
        // Once there is enough to compare with, what the reading crept through at the beginning is let go.
        if self.blocks >= 2 * WINDOW {
            while let Some(first) = self.head.pop_front() {
                let rest = (whole.sum - first.sum) / (whole.count - first.count);
                if (first.mean() - rest).abs() <= 1.5 * error {
                    self.head.clear();
                    break;
                }
                whole.behead(&first);
            }
        }
        if let (Some(level), Some(last)) = (self.level(), self.found.back_mut()) {
            *last = level;
        }
    }

    /// The open level as it stands.
    fn level(&self) -> Option<Level> {
        let whole = self.whole.as_ref()?;
        Some(Level {
            number: self.number,
            rows: whole.rows.clone(),
            from: whole.from,
            to: whole.to,
            mean: whole.mean() + self.base,
            spread: whole.variance().sqrt(),
            count: whole.count as u64,
            open: true,
        })
    }

    /// Takes the last block back where it was on its way already to `next`.
    fn curtail(&mut self, next: f64, error: f64) {
        let (Some(whole), Some(last)) = (&mut self.whole, self.window.back()) else { return };
        if self.blocks <= WINDOW || whole.count <= last.count {
            return;
        }
        let rest = (whole.sum - last.sum) / (whole.count - last.count);
        let off = last.mean() - rest;
        if off.abs() > 1.5 * error && off.signum() == (next - rest).signum() {
            whole.sum -= last.sum;
            whole.squares -= last.squares;
            whole.count -= last.count;
            (whole.rows.end, whole.to) = (last.rows.start, last.from);
            if let (Some(level), Some(known)) = (self.level(), self.found.back_mut()) {
                *known = level;
            }
        }
    }

    /// Ends the open level.
    fn end(&mut self) {
        if let Some(whole) = self.whole.take() {
            self.ended = Some(whole);
            self.last_blocks = self.blocks;
            if let Some(last) = self.found.back_mut() {
                last.open = false;
            }
        }
        self.head.clear();
    }

    /// The next row does not follow from the last one.
    pub fn break_off(&mut self) {
        self.noise.push(f64::NAN);
        self.end();
        self.window.clear();
        self.odd.count = 0.0;
        (self.block, self.ended, self.near) = (Block::default(), None, f64::NAN);
    }
}

#[cfg(test)]
#[path = "levels_tests.rs"]
mod tests;
