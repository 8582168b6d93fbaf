//! **Levels**: stretches in which a channel was settled, found as rows come.
//!
//! Rows are gathered in blocks, a quarter of the shortest level each, or single rows where they are slower than that. A
//! stretch is settled when the means of its blocks differ by no more than the channel's own noise explains, and when no
//! block is wider than that noise. The noise is learnt from the blocks themselves (`spread`): how far rows lie off their
//! block, and how far the means of neighbouring blocks lie apart, so that hum and noise that a board averaged count as
//! what they are. A level ends with the block that does not fit any more, and one that a reading creeps into begins where
//! the creeping is lost in the noise. Up to three rows in a row that lie far off are spikes, and left out; four are a move.

mod block;
mod gather;
mod level;
mod search;
mod spread;

pub use level::{Level, LevelRule};

use crate::Stamp;
use crate::stats::{Basis, Measured, Noise};
use block::Block;
use gather::Gather;
use search::Search;
use spread::{Explained, Spread};
use std::collections::VecDeque;

/// Blocks in the shortest level.
const WINDOW: usize = 4;

/// Deviations at which a row may be a spike.
const SPIKE: f64 = 6.0;

/// So many rows that lie far off, one after the other, are no spike.
const MOVE: u32 = 4;

/// The levels that are kept; older ones are let go.
pub const MAX_LEVELS: usize = 1000;

/// The levels of one channel.
#[derive(Clone, Debug)]
pub struct Levels {
    rule: LevelRule,
    /// The size of one raw step: quieter than that nothing is.
    step: f64,
    /// As if it were white.
    white: Noise,
    spread: Spread,
    gather: Gather,
    /// What is subtracted before summing, so that large values keep their digits.
    base: f64,
    /// The mean of the last block, less the base: what a row is compared with.
    near: f64,
    /// How far off that a row must lie to be a spike.
    far: f64,
    /// Rows that lie far off, one after the other.
    odd: Block,
    /// The first blocks of a slow channel, whose noise is not known yet.
    waiting: Vec<Block>,
    /// A block of a slow channel that lies far off: a spike, unless the next one does too.
    aside: Option<Block>,
    /// When the last block was closed.
    closed: Option<Stamp>,
    /// Rows are taken however far off they lie, to learn a noise that has grown.
    learns: bool,
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
    search: Search,
}

impl Levels {
    /// Nothing seen.
    pub fn new(rule: LevelRule) -> Self {
        Levels {
            rule,
            step: 1.0,
            white: Noise::default(),
            spread: Spread::default(),
            gather: Gather::new(rule.seconds / WINDOW as f64),
            base: 0.0,
            near: f64::NAN,
            far: f64::INFINITY,
            odd: Block::default(),
            waiting: Vec::new(),
            aside: None,
            closed: None,
            learns: false,
            window: VecDeque::with_capacity(WINDOW + 1),
            head: VecDeque::new(),
            whole: None,
            ended: None,
            blocks: 0,
            last_blocks: 0,
            found: VecDeque::new(),
            number: 0,
            search: Search::default(),
        }
    }

    /// Says how fine the raw values are; NaN where that is not known.
    pub fn set_step(&mut self, step: f64) {
        self.step = step.max(0.0);
    }

    /// The noise of the raw values as if it were white, once known.
    pub fn white_noise(&self) -> Option<Measured> {
        self.white.deviation().map(|deviation| Measured { deviation, basis: Basis::White })
    }

    /// Why there is no level, for rows `interval` seconds apart, if that is known; `None` when there is one.
    pub fn why_none(&self, interval: Option<f64>) -> Option<String> {
        self.found.is_empty().then(|| self.search.why_none(&self.rule, interval))
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
        for ((row, at), raw) in (first..).zip(times).zip(raw) {
            self.push(row, *at, *raw);
        }
    }

    /// Takes the raw value of row `row`.
    #[inline]
    fn push(&mut self, row: u64, at: Stamp, raw: f64) {
        self.white.push(raw);
        if raw.is_nan() {
            return;
        }
        self.search.rows += 1;
        if self.near.is_nan() {
            (self.base, self.near) = (raw, 0.0);
        }
        let value = raw - self.base;
        if (value - self.near).abs() > self.far {
            self.stray(row, at, value);
            return;
        }
        self.odd.count = 0.0;
        if self.gather.is_over(at) {
            self.close_block();
        }
        if self.gather.is_slow() {
            self.spread.push_row(raw);
        }
        if self.gather.take(row, at, raw - self.base) {
            self.close_block();
        }
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
            self.search.moves += 1;
            // What follows is compared with these.
            let near = self.odd.mean() + self.base;
            self.odd = Block::default();
            self.window.clear();
            self.gather.clear();
            self.spread.break_off();
            // It may come back and go on as before: a jolt, or a spike that the board averages.
            self.ended.iter_mut().for_each(|ended| ended.lower(near - self.base));
            (self.base, self.near) = (near, 0.0);
            if self.closed.is_none_or(|closed| at.seconds_since(closed) > 2.0 * self.rule.seconds) {
                (self.learns, self.far) = (true, f64::INFINITY);
            }
        }
    }

    fn close_block(&mut self) {
        let before = self.near;
        let (block, off) = self.gather.close(self.spread.off_line(), self.step);
        let slow = self.gather.is_slow();
        self.closed = Some(block.to);
        self.near = block.mean();
        self.spread.push_block(block.mean() + self.base, off);
        let explained = self.spread.explains(block.count, slow, self.step, self.rule.spread);
        let Some(explained) = explained.filter(|_| !slow || self.spread.is_learnt()) else {
            return self.waiting.push(block);
        };
        // Goes on learning while the channel stands, however wide.
        let stands = |off: f64| (block.mean() - before).abs() <= 2.0 * off && off > 1.5 * explained.rows;
        self.learns &= off.is_some_and(stands);
        self.far = if slow || self.learns {
            f64::INFINITY
        } else {
            SPIKE * f64::max(explained.rows.hypot(2f64.sqrt() * explained.mean), self.step * self.rule.spread)
        };
        for block in std::mem::take(&mut self.waiting) {
            self.take_block(block, None, explained);
        }
        self.take_block(block, off, explained);
    }

    /// Takes a block, whose rows lie `off` a line through them.
    fn take_block(&mut self, block: Block, off: Option<f64>, explained: Explained) {
        self.search.blocks += 1;
        if off.is_some_and(|off| off > self.spread.widest(explained.rows, block.count)) {
            self.search.wide += 1;
            self.end();
            self.window.clear();
            return;
        }
        if let Some(whole) = &self.whole {
            let mut recent = Block::default();
            self.window.iter().skip(1).chain([&block]).for_each(|part| recent.add(part));
            let creeps = (recent.mean() - whole.mean()).abs() > explained.creep();
            let strays = (block.mean() - whole.mean()).abs() > explained.off();
            if strays && self.gather.is_slow() && self.aside.is_none() {
                self.aside = Some(block);
                return;
            }
            if strays || creeps {
                let departs = (block.mean() - whole.mean()).abs() < explained.departure();
                let creeps_away = self.blocks <= WINDOW + 1 && departs && !self.gather.is_slow();
                if creeps_away || self.spread.were_a_wave(self.blocks) {
                    self.withdraw();
                } else {
                    self.curtail(block.mean(), explained.mean);
                    self.end();
                }
                self.window.clear();
                self.window.extend(self.aside.take());
            }
        }
        self.aside = None;
        self.window.push_back(block.clone());
        if self.window.len() > WINDOW {
            self.window.pop_front();
        }
        if self.whole.is_some() {
            self.go_on(&block, explained.mean);
        } else if self.window.len() == WINDOW {
            if self.is_even(explained) { self.open(explained) } else { self.search.uneven += 1 }
        }
    }

    /// Whether the blocks of the window stand as high as one another.
    fn is_even(&self, explained: Explained) -> bool {
        let sum = |blocks: &mut dyn Iterator<Item = &Block>| {
            let mut all = Block::default();
            blocks.for_each(|block| all.add(block));
            all
        };
        let all = sum(&mut self.window.iter());
        let (first, last) =
            (sum(&mut self.window.iter().take(WINDOW / 2)), sum(&mut self.window.iter().skip(WINDOW / 2)));
        let even = |block: &Block| (block.mean() - all.mean()).abs() <= explained.off_at_first();
        self.window.iter().all(even) && (first.mean() - last.mean()).abs() <= explained.trend()
    }

    fn open(&mut self, explained: Explained) {
        let mut whole = Block::default();
        self.window.iter().for_each(|block| whole.add(block));
        let pause_most = self.rule.seconds.max(3.0 * self.gather.pace());
        let same = |before: &Block| {
            let pause = whole.from.seconds_since(before.to);
            pause <= pause_most && (before.mean() - whole.mean()).abs() <= explained.same()
        };
        // A young one that was nearly there was still on its way.
        let young = self.last_blocks < 3 * WINDOW;
        let on_its_way = |before: &Block| {
            let pause = whole.from.seconds_since(before.to);
            young && pause <= pause_most && (before.mean() - whole.mean()).abs() < explained.on_its_way()
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

    /// The open level was none: it lasted no longer than it must, and was left slowly, as a movement leaves its turning
    /// points; or a wave was taken for noise before it could be told.
    fn withdraw(&mut self) {
        (self.whole, self.ended) = (None, None);
        self.head.clear();
        self.found.pop_back();
        self.number -= 1;
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
        self.white.push(f64::NAN);
        self.end();
        self.window.clear();
        self.odd.count = 0.0;
        self.gather.break_off();
        self.spread.break_off();
        self.waiting.clear();
        (self.ended, self.near, self.aside, self.closed) = (None, f64::NAN, None, None);
    }
}

#[cfg(test)]
#[path = "levels_tests.rs"]
mod tests;
