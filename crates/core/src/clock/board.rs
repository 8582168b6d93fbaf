//! The board's own clock: counters that wrap, boards that start over, and how far it runs apart from the host's.

use super::Tick;
use crate::Stamp;
use std::collections::VecDeque;

/// The most by which the distance to the host's clock follows the arrivals, in seconds a second.
const SLEW: f64 = 1e-3;

/// Seconds in which that distance is found.
const FINDING: f64 = 1.0;

/// Seconds by which the clock may run ahead of the arrivals before it is not believed.
const AHEAD: f64 = 1.0;

/// Seconds by which the clock may fall behind the arrivals before it is set again: it stood still.
const BEHIND: f64 = 5.0;

/// Rows with a clock that is not believed before it is believed after all.
const DOUBTED: u32 = 3;

/// Seconds in a day.
const DAY: f64 = 86_400.0;

/// Widths of counters, in bits.
pub(super) const WIDTHS: [u8; 3] = [16, 24, 32];

/// Follows the clock of one board.
#[derive(Clone, Debug)]
pub(super) struct BoardClock {
    tick: f64,
    bits: Option<u8>,
    /// The last count, the seconds since the anchor, and the arrival.
    last: Option<(f64, f64, Stamp)>,
    anchor: Stamp,
    /// Seconds from the board's time to the earliest arrivals.
    offset: f64,
    /// That distance was known before the first row.
    known: bool,
    /// It is wanted for the next row that begins anew.
    start: Option<f64>,
    doubted: u32,
    drift: Blocks,
    /// How often it started over.
    pub(super) resets: u64,
}

impl BoardClock {
    pub(super) fn new(tick: Tick, bits: Option<u8>) -> BoardClock {
        BoardClock {
            tick: tick.seconds(),
            bits,
            last: None,
            anchor: Stamp(0),
            offset: 0.0,
            known: false,
            start: None,
            doubted: 0,
            drift: Blocks::default(),
            resets: 0,
        }
    }

    /// What comes next does not follow from what came before.
    pub(super) fn break_off(&mut self) {
        self.last = None;
        self.known = false;
    }

    /// Whether the times that it gives are final.
    pub(super) fn is_final(&self) -> bool {
        self.known || self.last.is_some_and(|(_, seconds, _)| seconds >= FINDING)
    }

    /// No more can be waited for.
    pub(super) fn finalize(&mut self) {
        self.known = true;
    }

    /// The distance to the arrivals, as the first rows told it.
    pub(super) fn start(&self) -> Option<f64> {
        self.last.map(|_| self.offset)
    }

    /// Takes that distance for known when rows begin next.
    pub(super) fn start_with(&mut self, offset: Option<f64>) {
        self.start = offset;
    }

    pub(super) fn drift(&self) -> Option<Drift> {
        self.drift.drift()
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
                return (self.begin(arrival, count), true);
            }
            Some(step) => step,
        };
        if step > passed + AHEAD {
            self.doubted += 1;
            if self.doubted >= DOUBTED {
                return (self.begin(arrival, count), false);
            }
            return (arrival, false);
        }
        self.doubted = 0;
        let now = seconds + step;
        let distance = arrival.seconds_since(self.anchor) - now;
        if distance - self.offset > BEHIND {
            return (self.begin(arrival, count), false);
        }
        self.last = Some((count, now, arrival));
        let finding = now < FINDING && !self.known;
        let most = if finding { f64::INFINITY } else { SLEW * step };
        self.offset += (distance - self.offset).clamp(-most, if finding { 0.0 } else { most * 0.1 });
        self.drift.push(now, distance);
        (self.anchor.plus(now + self.offset), false)
    }

    /// Takes `count` for the first one; gives the time of its row.
    fn begin(&mut self, arrival: Stamp, count: f64) -> Stamp {
        self.anchor = arrival;
        self.known = self.start.is_some();
        self.offset = self.start.take().unwrap_or(0.0);
        self.doubted = 0;
        self.drift = Blocks::default();
        self.last = Some((count, 0.0, arrival));
        arrival.plus(self.offset)
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

/// The least distance between arrival and board time in each second.
#[derive(Clone, Debug, Default)]
struct Blocks {
    blocks: VecDeque<(f64, f64)>,
}

/// Blocks that are kept, and that are needed for a drift.
const MOST_BLOCKS: usize = 600;
const ENOUGH_BLOCKS: usize = 8;

impl Blocks {
    fn push(&mut self, at: f64, distance: f64) {
        match self.blocks.back_mut() {
            // Seconds since the beginning are never negative.
            Some((begun, least)) if at as i64 == *begun as i64 => {
                if distance < *least {
                    (*begun, *least) = (at, distance);
                }
            }
            _ => {
                if self.blocks.len() == MOST_BLOCKS {
                    self.blocks.pop_front();
                }
                self.blocks.push_back((at, distance));
            }
        }
    }

    /// The slope of the least-squares line through the blocks that are full, and its standard error.
    fn drift(&self) -> Option<Drift> {
        let count = self.blocks.len().saturating_sub(1);
        if count < ENOUGH_BLOCKS {
            return None;
        }
        let n = count as f64;
        let full = || self.blocks.iter().take(count);
        let mean_x = full().map(|(x, _)| x).sum::<f64>() / n;
        let mean_y = full().map(|(_, y)| y).sum::<f64>() / n;
        let spread = full().map(|(x, _)| (x - mean_x).powi(2)).sum::<f64>();
        let slope = full().map(|(x, y)| (x - mean_x) * (y - mean_y)).sum::<f64>() / spread;
        let rest = full().map(|(x, y)| (y - mean_y - slope * (x - mean_x)).powi(2)).sum::<f64>();
        let error = (rest / (n - 2.0) / spread).sqrt();
        Some(Drift { ppm: slope * 1e6, error: error * 1e6 })
    }
}
