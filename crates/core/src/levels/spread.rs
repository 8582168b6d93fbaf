//! What a channel's noise is like, learnt from blocks of rows: how far rows lie off their block, and how far the means of
//! neighbouring blocks lie apart. Nothing is taken for white that was not found to be.

use std::collections::VecDeque;

/// By how many standard errors a block's mean may lie off.
const OFF: f64 = 3.5;

/// The same for the mean of four blocks, and for the difference of two pairs of them.
const TREND: f64 = 3.0;

/// What is forgiven beside that, in deviations of single rows.
const FORGIVEN: f64 = 0.12;

/// By how much more a block, and the mean of four, may lie off where the noise is slow.
const SLOW: (f64, f64) = (0.4, 0.4);

/// Values that a [`Recent`] remembers.
const MEMORY: usize = 32;

/// The median of the absolute value of a Gaussian of deviation 1.
const MEDIAN: f64 = 0.674_489_750_196_081_7;

/// Blocks of fewer rows say nothing of how far rows lie off a line through them.
pub(super) const FEW: f64 = 5.0;

/// By how much the means of neighbouring blocks may differ and still be noise, in deviations of the rows about their
/// block's line. Noise that a board averages, and 1/f noise, reach 1.6; a wave of a period of eight blocks or more
/// bends so little within a block that it is far beyond.
const CAP: f64 = 1.7;

/// Differences of block means that are enough to believe.
pub(super) const ENOUGH: usize = 5;

/// The median of the last values.
#[derive(Clone, Debug, Default)]
pub(super) struct Recent {
    order: VecDeque<f64>,
    sorted: Vec<f64>,
}

impl Recent {
    /// Takes a value, not NaN.
    pub(super) fn push(&mut self, value: f64) {
        if self.order.len() == MEMORY
            && let Some(oldest) = self.order.pop_front()
        {
            let at = self.sorted.partition_point(|other| *other < oldest);
            self.sorted.remove(at);
        }
        self.order.push_back(value);
        let at = self.sorted.partition_point(|other| *other < value);
        self.sorted.insert(at, value);
    }

    pub(super) fn len(&self) -> usize {
        self.sorted.len()
    }

    /// What three quarters of the values lie below.
    pub(super) fn upper_quartile(&self) -> Option<f64> {
        self.sorted.get(self.sorted.len() * 3 / 4).or(self.sorted.last()).copied()
    }

    pub(super) fn median(&self) -> Option<f64> {
        let (len, sorted) = (self.sorted.len(), &self.sorted);
        (len > 0).then(|| (sorted[(len - 1) / 2] + sorted[len / 2]) / 2.0)
    }
}

/// Block means by which a wave is told: as many as are needed, and as are looked at.
const LAST: (usize, usize) = (10, 16);

/// The share of the power of block means that must be left unexplained by those beside them, for noise.
const UNEXPLAINED: f64 = 0.2;

/// Differences that a share of turns is counted over.
const TURNS: usize = 64;

/// The share of turning points from which on values that follow one another are movement, and from which on they are noise
/// (Bienaymé's test): two thirds for white noise, a half for a random walk, less for a wave of more than four values a
/// period. The first pair holds where the values differ by more than rows within a block, which slow noise hardly does.
const NOISE_TURNS: [(f64, f64); 2] = [(0.5, 0.58), (0.35, 0.42)];

/// Differences of values that follow one another.
#[derive(Clone, Debug, Default)]
struct Differences {
    last: Option<f64>,
    before: Option<f64>,
    first: Recent,
    second: Recent,
    /// The way of the last difference other than 0, and whether each of those before turned.
    rises: Option<bool>,
    turns: VecDeque<bool>,
    turned: usize,
}

impl Differences {
    fn push(&mut self, value: f64) {
        if let Some(last) = self.last {
            self.first.push((value - last).abs());
            if value != last {
                self.turn(value > last);
            }
            if let Some(before) = self.before {
                self.second.push((before - 2.0 * last + value).abs());
            }
        }
        (self.before, self.last) = (self.last, Some(value));
    }

    fn turn(&mut self, rises: bool) {
        if let Some(before) = self.rises.replace(rises) {
            if self.turns.len() == TURNS {
                self.turned -= usize::from(self.turns.pop_front() == Some(true));
            }
            self.turns.push_back(before != rises);
            self.turned += usize::from(before != rises);
        }
    }

    /// How far the values are noise rather than movement, from 0 to 1.
    fn share_of_noise(&self, (from, to): (f64, f64)) -> f64 {
        let share = self.turned as f64 / self.turns.len().max(1) as f64;
        ((share - from) / (to - from)).clamp(0.0, 1.0)
    }

    fn break_off(&mut self) {
        (self.last, self.before, self.rises) = (None, None, None);
    }

    /// The deviation of the values: steps count once among first differences and ramps not at all among second ones.
    fn deviation(&self) -> Option<f64> {
        let first = self.first.median()? / (MEDIAN * 2f64.sqrt());
        Some(self.second.median().map_or(first, |second| first.min(second / (MEDIAN * 6f64.sqrt()))))
    }
}

/// What the noise explains of a block, in raw values.
#[derive(Clone, Copy, Debug)]
pub(super) struct Explained {
    /// The deviation of single rows.
    pub(super) rows: f64,
    /// That of the block's mean.
    pub(super) mean: f64,
    /// From 0 for white noise to 1 for noise that mostly moves whole blocks.
    slowness: f64,
}

impl Explained {
    /// By how much a block's mean may lie off that of others.
    pub(super) fn off(&self) -> f64 {
        OFF * self.mean * (1.0 + SLOW.0 * self.slowness) + FORGIVEN * self.rows
    }

    /// The same within the four blocks that begin a level.
    pub(super) fn off_at_first(&self) -> f64 {
        OFF * self.mean + FORGIVEN * self.rows
    }

    /// By how much the halves of four blocks may differ: the error is that of one of them.
    pub(super) fn trend(&self) -> f64 {
        TREND * self.mean
    }

    /// By how much the mean of four blocks may lie off: for white noise its error is half that of one.
    pub(super) fn creep(&self) -> f64 {
        TREND * self.of_four() + FORGIVEN * self.rows
    }

    /// By how much the mean of four blocks may lie off that of the level before, to be the same level.
    pub(super) fn same(&self) -> f64 {
        OFF * self.of_four() + FORGIVEN * self.rows
    }

    /// By how much the mean of four blocks may lie off that of a young level before, which was still on its way then: noise
    /// that hides a slow movement from row to row hides more of it.
    pub(super) fn on_its_way(&self) -> f64 {
        1.5 * self.rows * (1.0 + self.slowness)
    }

    /// Up to how far a block's mean may lie off that of the level that it ends, to be the beginning of a slow departure.
    pub(super) fn departure(&self) -> f64 {
        4.0 * self.off()
    }

    fn of_four(&self) -> f64 {
        self.mean * (0.5 + SLOW.1 * self.slowness)
    }
}

/// The noise of rows and of block means.
#[derive(Clone, Debug, Default)]
pub(super) struct Spread {
    /// How far rows lie off their block's line, for blocks of [`FEW`] rows or more.
    within: Recent,
    /// Of single rows, where blocks have fewer.
    rows: Differences,
    means: Differences,
    /// The last means, which follow one another.
    last: VecDeque<f64>,
}

impl Spread {
    /// A row of a slow channel.
    pub(super) fn push_row(&mut self, value: f64) {
        self.rows.push(value);
    }

    /// A block of so many rows with this mean; `deviation` of its rows about a line, where there are enough.
    pub(super) fn push_block(&mut self, mean: f64, deviation: Option<f64>) {
        self.means.push(mean);
        if self.last.len() == LAST.1 {
            self.last.pop_front();
        }
        self.last.push_back(mean);
        if let Some(deviation) = deviation {
            self.within.push(deviation);
        }
    }

    /// What follows is not next to what was.
    pub(super) fn break_off(&mut self) {
        self.rows.break_off();
        self.means.break_off();
        self.last.clear();
    }

    /// Whether the block means follow from one another as those of a wave do, of whatever period: of three in a row the
    /// outer two add up to the middle one times a constant (a linear prediction of second order). For white noise nothing
    /// of their sum is explained by that, for 1/f noise a third.
    fn are_a_wave(&self) -> bool {
        let mean = self.last.iter().sum::<f64>() / self.last.len() as f64;
        let at = |i: usize| self.last[i] - mean;
        let inner = || (1..self.last.len().max(1) - 1).map(|i| (at(i), at(i - 1) + at(i + 1)));
        let outer: f64 = inner().map(|(_, sum)| sum * sum).sum();
        let power: f64 = inner().map(|(x, _)| x * x).sum();
        let factor = inner().map(|(x, sum)| x * sum).sum::<f64>() / power;
        let left = (outer - factor * factor * power) / (2.0 * power);
        self.last.len() >= LAST.0 && left < UNEXPLAINED
    }

    /// Whether the last `blocks` means, which were taken for noise, are a wave now that there are more of them.
    pub(super) fn were_a_wave(&self, blocks: usize) -> bool {
        blocks < LAST.1 && self.are_a_wave()
    }

    /// How far rows usually lie off a line through their block, once there was a block of enough rows.
    pub(super) fn off_line(&self) -> Option<f64> {
        self.within.median()
    }

    /// Whether block means were compared often enough.
    pub(super) fn is_learnt(&self) -> bool {
        self.means.first.len() >= ENOUGH
    }

    /// The deviation of single rows, once known; `slow` where blocks have fewer than [`FEW`] rows.
    fn of_rows(&self, slow: bool) -> Option<f64> {
        if slow { self.rows.deviation() } else { self.off_line() }
    }

    /// Beyond how much the rows of a block of `count` lie farther off its line than usual; `rows` is their deviation.
    pub(super) fn widest(&self, rows: f64, count: f64) -> f64 {
        let white = rows * (2.5 + 4.0 * (2.0 / count).sqrt()).sqrt();
        white.max(2.0 * self.within.upper_quartile().unwrap_or(0.0))
    }

    /// What is explained of a block of `count` rows, once known; `slow` where such blocks have fewer than [`FEW`] rows,
    /// `step` is the size of one raw step, `factor` what the noise is to be multiplied by.
    pub(super) fn explains(&self, count: f64, slow: bool, step: f64, factor: f64) -> Option<Explained> {
        // Rounding to steps adds the deviation of an even spread over one of them.
        let rows = self.of_rows(slow)?.max(step / 12f64.sqrt());
        let white = rows / count.sqrt();
        let seen = if self.is_learnt() { self.means.deviation() } else { None };
        let mean = seen.map_or(white, |seen| {
            // Steps of the converter hide how a slow movement turns.
            let is_slow_noise = seen < rows && rows * factor > step / 2.0;
            let more = (seen.min(CAP * rows) - white).max(0.0);
            let more = if more > white && self.are_a_wave() { 0.0 } else { more };
            white + more * self.means.share_of_noise(NOISE_TURNS[usize::from(is_slow_noise)])
        });
        let slowness = (mean / white - 1.5).clamp(0.0, 1.0);
        Some(Explained { rows: rows * factor, mean: mean * factor, slowness })
    }
}
