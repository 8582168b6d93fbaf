//! The time of rows from a text: there is no arrival to hold them to, so the clock written in it *is* the time, or the
//! declared rate is.

use super::board::WIDTHS;
use super::{Tick, Time};
use crate::Stamp;

/// Rows a second that are assumed of a text that tells nothing of its time.
pub const ASSUMED_HZ: f64 = 100.0;

/// A step of so many times the one before is damage rather than a pause, unless it is seen this often.
const WILD: f64 = 1e6;
const DOUBTED: u32 = 3;

/// Seconds within which a counter that wraps goes on.
const WRAPS: f64 = 2.0;

/// Times rows exactly, from the beginning of a text on.
#[derive(Clone, Debug)]
pub(super) struct TextTime {
    begun: Stamp,
    /// Rows so far, those that were not taken in included.
    rows: u64,
    /// The last count, and the seconds since the beginning.
    last: Option<(f64, f64)>,
    /// The last step, in seconds.
    step: f64,
    doubted: u32,
    /// Rows come as the text grows: by so much later than they arrive, in seconds.
    pub(super) grows: Option<f64>,
}

impl TextTime {
    pub(super) fn new(begun: Stamp) -> TextTime {
        TextTime { begun, rows: 0, last: None, step: 0.0, doubted: 0, grows: None }
    }

    pub(super) fn missed(&mut self) {
        self.rows += u64::from(self.rows > 0);
    }

    /// The time of the row that comes next where rows come at a fixed rate.
    pub(super) fn by_rate(&mut self, hz: f64) -> Stamp {
        let at = self.begun.plus(self.rows as f64 / hz);
        self.rows += 1;
        at
    }

    /// The time of the row that comes next where it has this count of the clock; the second is whether the clock
    /// started over. A gap in the clock has the time of the row before.
    pub(super) fn by_clock(&mut self, count: f64, tick: Tick, bits: Option<u8>) -> (Stamp, bool) {
        self.rows += 1;
        let Some((last, seconds)) = self.last else {
            self.last = (!count.is_nan()).then_some((count, 0.0));
            return (self.begun, false);
        };
        let here = self.begun.plus(seconds);
        if count.is_nan() {
            return (here, false);
        }
        let found = step(count, last, tick.seconds(), bits);
        if found.is_some_and(|step| self.step > 0.0 && step > self.step * WILD) && self.doubted + 1 < DOUBTED {
            self.doubted += 1;
            return (here, false);
        }
        self.doubted = 0;
        // A clock that started over does not tell how long that took: one step, as before.
        let step = found.unwrap_or(self.step);
        if found.is_some_and(|step| step > 0.0) {
            self.step = step;
        }
        self.last = Some((count, seconds + step));
        (self.begun.plus(seconds + step), found.is_none())
    }
}

/// The seconds from one count to the next; `None` when the clock started over.
fn step(count: f64, last: f64, tick: f64, bits: Option<u8>) -> Option<f64> {
    if count >= last {
        return Some((count - last) * tick);
    }
    let own = bits.filter(|bits| !WIDTHS.contains(bits));
    WIDTHS.into_iter().filter(|width| bits.is_none_or(|own| own == *width)).chain(own).find_map(|width| {
        let span = 2f64.powi(i32::from(width));
        let step = (count + span - last) * tick;
        (last < span && count >= 0.0 && step <= WRAPS).then_some(step)
    })
}

/// What the rule is called where nothing tells it.
pub(super) fn assumed() -> Time {
    Time::Rate { hz: ASSUMED_HZ }
}
