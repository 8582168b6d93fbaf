//! The board's own clock: counters that wrap, boards that start over, and how far it runs apart from the host's.

use super::Tick;
use crate::Stamp;
use std::collections::VecDeque;

/// Seconds in which the distance to the host's clock is found, and how fast the board's runs.
const FINDING: f64 = 1.0;

/// The blocks of that time in whose earliest arrivals it is looked for, in seconds; and those of the time after it.
const FIRST_BLOCK: f64 = 0.1;
const BLOCK: f64 = 1.0;

/// How far the first second must show the clock to be off, as a share and in standard errors, to be corrected at once.
const PLAINLY_OFF: f64 = 3e-4;
const ERRORS: f64 = 4.0;

/// Seconds by which the earliest arrivals of most of so many blocks may differ from the times that are given before these
/// follow them.
const APART: f64 = 1.5e-3;
const MOST_OF: usize = 3;

/// Blocks by which the rate is estimated then, and seconds within which the times come to where they should be.
const RATE_BLOCKS: usize = 120;
const SETTLING: f64 = 5.0;

/// The most by which a board's clock is off, as a share.
const MOST_OFF: f64 = 0.02;

/// Seconds by which the clock may run ahead of the arrivals before it is not believed.
const AHEAD: f64 = 1.0;

/// Seconds by which the clock may fall behind the arrivals before it is set again: it stood still.
const BEHIND: f64 = 5.0;

/// Rows with a clock that is not believed before it is believed after all.
const DOUBTED: u32 = 3;

/// Seconds that a clock shows at most which has just begun.
const JUST_BEGUN: f64 = 10.0;

/// Seconds in a day.
const DAY: f64 = 86_400.0;

/// Widths of counters, in bits.
pub(super) const WIDTHS: [u8; 3] = [16, 24, 32];

/// Seconds from the board's time to the host's, as they change with the board's.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(super) struct Line {
    from: f64,
    offset: f64,
    rate: f64,
}

impl Line {
    fn at(&self, now: f64) -> f64 {
        self.offset + self.rate * (now - self.from)
    }

    /// Goes on from `now` at another rate.
    fn turn(&mut self, now: f64, rate: f64) {
        *self = Line { from: now, offset: self.at(now), rate };
    }
}

/// Follows the clock of one board. Between two corrections, times lie exactly as far apart as the board says, times one factor:
/// a clock that is right to within what the arrivals tell is not corrected at all.
#[derive(Clone, Debug)]
pub(super) struct BoardClock {
    tick: f64,
    bits: Option<u8>,
    /// The last count, the seconds since the anchor, and the arrival.
    last: Option<(f64, f64, Stamp)>,
    /// A count, and the seconds since the anchor that it stands for.
    base: (f64, f64),
    anchor: Stamp,
    line: Line,
    /// The line from the anchor on, once known.
    begins: Option<Line>,
    /// The line settles at this one's rate when the board's time is this.
    settles: Option<(f64, f64)>,
    /// It is wanted for the next row that begins anew.
    start: Option<Line>,
    doubted: u32,
    first: Blocks,
    blocks: Blocks,
    /// How often it started over.
    pub(super) resets: u64,
    /// How often it did not agree with the arrivals, other than by starting over.
    pub(super) disagreements: u32,
}

impl BoardClock {
    pub(super) fn new(tick: Tick, bits: Option<u8>) -> BoardClock {
        BoardClock {
            tick: tick.seconds(),
            bits,
            last: None,
            base: (0.0, 0.0),
            anchor: Stamp(0),
            line: Line::default(),
            begins: None,
            settles: None,
            start: None,
            doubted: 0,
            first: Blocks::new(FIRST_BLOCK),
            blocks: Blocks::new(BLOCK),
            resets: 0,
            disagreements: 0,
        }
    }

    /// What comes next does not follow from what came before.
    pub(super) fn break_off(&mut self) {
        self.last = None;
        self.begins = None;
    }

    /// Whether the times that it gives are final.
    pub(super) fn is_final(&self) -> bool {
        self.begins.is_some()
    }

    /// No more can be waited for.
    pub(super) fn finalize(&mut self) {
        if self.begins.is_none() {
            self.begins = Some(self.found());
        }
    }

    /// How the times of its rows begin, as the first of them told it.
    pub(super) fn start(&self) -> Option<Line> {
        self.last.map(|_| self.begins.unwrap_or_else(|| self.found()))
    }

    /// Takes that for known when rows begin next.
    pub(super) fn start_with(&mut self, start: Option<Line>) {
        self.start = start;
    }

    pub(super) fn drift(&self) -> Option<Drift> {
        let full = self.blocks.len().saturating_sub(1);
        (full >= ENOUGH_BLOCKS).then(|| self.blocks.fit(usize::MAX, 1).drift())
    }

    /// What the first rows tell: the rate, where it is plainly off, and the distance by the earliest arrivals.
    fn found(&self) -> Line {
        let rate = match self.line.rate {
            0.0 => Some(self.first.fit(usize::MAX, 0))
                .filter(|fit| {
                    self.first.len() >= ENOUGH_BLOCKS && fit.slope.abs() > PLAINLY_OFF.max(fit.error * ERRORS)
                })
                .map_or(0.0, |fit| fit.slope.clamp(-MOST_OFF, MOST_OFF)),
            rate => rate,
        };
        let offset = self.first.least(rate).min(0.0);
        // Whole nanoseconds, so that the times of even rows are even.
        Line { from: 0.0, offset: (offset * 1e9).round() / 1e9, rate }
    }

    /// The time of a row with this count that arrived at `arrival`; the second is whether the board started over.
    pub(super) fn row(&mut self, arrival: Stamp, count: f64) -> (Stamp, bool) {
        let Some((last, seconds, before)) = self.last else {
            if count.is_nan() {
                return (arrival, false);
            }
            return (self.begin(arrival, count), false);
        };
        let passed = arrival.seconds_since(before);
        let step = match self.step(count, last, passed) {
            // A gap in the clock: the row goes by its arrival.
            None if count.is_nan() => return (arrival, false),
            None => {
                self.resets += 1;
                self.disagreements += u32::from(count * self.tick > JUST_BEGUN);
                return (self.begin(arrival, count), true);
            }
            Some(step) => step,
        };
        if step > passed + AHEAD {
            self.doubted += 1;
            if self.doubted >= DOUBTED {
                self.disagreements += 1;
                return (self.begin(arrival, count), false);
            }
            return (arrival, false);
        }
        self.doubted = 0;
        if count < last {
            self.base = (count, seconds + step);
        }
        let now = self.base.1 + (count - self.base.0) * self.tick;
        let distance = arrival.seconds_since(self.anchor) - now;
        if !(-AHEAD..=BEHIND).contains(&(distance - self.line.at(now))) {
            self.disagreements += 1;
            return (self.begin(arrival, count), false);
        }
        self.last = Some((count, now, arrival));
        if self.begins.is_none() {
            if now >= FINDING {
                self.line = self.found();
                self.begins = Some(self.line);
            } else {
                self.first.push(now, distance);
                self.line.offset = self.line.offset.min(distance - self.line.rate * now);
            }
        }
        if let Some((at, rate)) = self.settles.filter(|(at, _)| now >= *at) {
            self.line.turn(at, rate);
            self.settles = None;
        }
        if self.blocks.push(now, distance) && self.begins.is_some() {
            self.follow(now);
        }
        (self.anchor.plus(now + self.line.at(now)), false)
    }

    /// Lets the times follow the arrivals where those of most blocks lie apart from them.
    fn follow(&mut self, now: f64) {
        let latest = self.blocks.latest(MOST_OF).map(|(at, least)| least - self.line.at(at));
        let (mut behind, mut ahead) = (0, 0);
        for apart in latest {
            behind += usize::from(apart > APART);
            ahead += usize::from(apart < -APART);
        }
        // Nothing arrives before it was measured: one block tells that, where others may all be late.
        if self.settles.is_some() || (ahead == 0 && behind < MOST_OF) {
            return;
        }
        let fit = self.blocks.fit(RATE_BLOCKS, 1);
        let rate = fit.slope.clamp(-MOST_OFF, MOST_OFF);
        let to = fit.at(now + SETTLING);
        let settling = (to - self.line.at(now)) / SETTLING;
        self.line.turn(now, settling.clamp(-MOST_OFF, MOST_OFF));
        self.settles = Some((now + SETTLING, rate));
    }

    /// Takes `count` for the first one; gives the time of its row.
    fn begin(&mut self, arrival: Stamp, count: f64) -> Stamp {
        self.anchor = arrival;
        self.base = (count, 0.0);
        self.begins = self.start.take();
        // The same board's clock runs as it did before.
        let rate = self.settles.take().map_or(self.line.rate, |(_, rate)| rate);
        self.line = self.begins.unwrap_or(Line { rate, ..Line::default() });
        self.doubted = 0;
        (self.first, self.blocks) = (Blocks::new(FIRST_BLOCK), Blocks::new(BLOCK));
        self.first.push(0.0, 0.0);
        self.last = Some((count, 0.0, arrival));
        arrival.plus(self.line.offset)
    }

    /// The seconds since the last count; `None` when the clock did not go on but started over.
    fn step(&self, count: f64, last: f64, passed: f64) -> Option<f64> {
        if count >= last {
            return Some((count - last) * self.tick);
        }
        // A clock on the wall starts over at midnight.
        let day = (count + DAY - last) * self.tick;
        if self.tick == 1.0 && last < DAY && count >= 0.0 && (day - passed).abs() < 0.1 + passed * 0.5 {
            return Some(day);
        }
        let widths = WIDTHS.into_iter().filter(|bits| self.bits.is_none_or(|own| own == *bits));
        let own = self.bits.filter(|bits| !WIDTHS.contains(bits));
        widths.chain(own).find_map(|bits| {
            let span = 2f64.powi(i32::from(bits));
            let step = (count + span - last) * self.tick;
            // The counter must have been near its end for as long as the host says has passed.
            (last < span && count >= 0.0 && (step - passed).abs() < 0.1 + passed * 0.5).then_some(step)
        })
    }
}

/// How far the board's clock runs apart from the host's.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Drift {
    /// Parts in a million by which the board's clock is slow (fast when negative).
    pub ppm: f64,
    /// The standard error of that.
    pub error: f64,
}

/// The least distance between arrival and board time in each block of time.
#[derive(Clone, Debug)]
struct Blocks {
    seconds: f64,
    blocks: VecDeque<(f64, f64)>,
}

/// Blocks that are kept, and that are needed for a rate.
const MOST_BLOCKS: usize = 600;
const ENOUGH_BLOCKS: usize = 8;

/// A least-squares line through blocks.
#[derive(Clone, Copy, Debug)]
struct Fit {
    mean: (f64, f64),
    slope: f64,
    /// The standard error of that.
    error: f64,
}

impl Fit {
    fn at(&self, x: f64) -> f64 {
        self.mean.1 + self.slope * (x - self.mean.0)
    }

    fn drift(self) -> Drift {
        Drift { ppm: self.slope * 1e6, error: self.error * 1e6 }
    }
}

impl Blocks {
    fn new(seconds: f64) -> Blocks {
        Blocks { seconds, blocks: VecDeque::new() }
    }

    fn len(&self) -> usize {
        self.blocks.len()
    }

    /// Takes in a row; gives whether a block is full, and the next begins.
    fn push(&mut self, at: f64, distance: f64) -> bool {
        let place = |at: f64| (at / self.seconds) as i64;
        match self.blocks.back_mut() {
            // Seconds since the beginning are never negative.
            Some((begun, least)) if place(at) == place(*begun) => {
                if distance < *least {
                    (*begun, *least) = (at, distance);
                }
                false
            }
            _ => {
                if self.blocks.len() == MOST_BLOCKS {
                    self.blocks.pop_front();
                }
                self.blocks.push_back((at, distance));
                self.blocks.len() > 1
            }
        }
    }

    /// The latest full blocks, so many.
    fn latest(&self, count: usize) -> impl Iterator<Item = (f64, f64)> {
        self.blocks.iter().rev().skip(1).take(count).copied()
    }

    /// The least distance, where the clocks run apart at this rate.
    fn least(&self, rate: f64) -> f64 {
        self.blocks.iter().map(|(x, y)| y - rate * x).fold(f64::INFINITY, f64::min)
    }

    /// The least-squares line through the latest blocks, so many of them, without the last `open` ones, which are not full. At
    /// least two blocks are needed for a slope, and three for its error.
    fn fit(&self, most: usize, open: usize) -> Fit {
        let chosen = || self.blocks.iter().rev().skip(open).take(most);
        let n = chosen().count().max(1) as f64;
        let mean_x = chosen().map(|(x, _)| x).sum::<f64>() / n;
        let mean_y = chosen().map(|(_, y)| y).sum::<f64>() / n;
        let spread = chosen().map(|(x, _)| (x - mean_x).powi(2)).sum::<f64>();
        let product = chosen().map(|(x, y)| (x - mean_x) * (y - mean_y)).sum::<f64>();
        let slope = if spread > 0.0 { product / spread } else { 0.0 };
        let rest = chosen().map(|(x, y)| (y - mean_y - slope * (x - mean_x)).powi(2)).sum::<f64>();
        let error = if n > 2.0 && spread > 0.0 { (rest / (n - 2.0) / spread).sqrt() } else { f64::INFINITY };
        Fit { mean: (mean_x, mean_y), slope, error }
    }
}
