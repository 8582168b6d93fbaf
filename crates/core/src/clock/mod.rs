//! When did it happen: the time of each row, and how evenly rows are spaced.
//!
//! A row arrives when its last byte does, which is not when it was measured: USB delivers in bursts, and hosts are
//! busy. [`Timing`] gives each row its time by one of four rules ([`Time`]); it decides from rows alone, so that the same
//! rows with the same arrivals always get the same times. A text has no arrivals: its own clock is the time.
//! [`Intervals`] judges the result.

mod across;
mod board;
mod even;
mod find;
mod intervals;
mod rate;
mod says;
mod text;
mod timer;
mod timing;

pub use across::Across;
pub use board::Drift;
pub use intervals::{Intervals, Spacing, Verdict};
pub use rate::RateMeter;
pub(crate) use says::{names_a_clock, numbers_rows};
pub use text::ASSUMED_HZ;
pub use timer::Timer;
pub use timing::{FinalTimes, Item, Timed, Timing};

use crate::Stamp;
use serde::{Deserialize, Serialize};

/// The unit in which a board counts its time.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Tick {
    /// Microseconds.
    #[default]
    Us,
    /// Milliseconds.
    Ms,
    /// Seconds.
    S,
}

impl Tick {
    /// All of them, in the order in which a person steps through them.
    pub const ALL: [Tick; 3] = [Tick::Us, Tick::Ms, Tick::S];

    /// Its length in seconds.
    pub fn seconds(self) -> f64 {
        match self {
            Tick::Us => 1e-6,
            Tick::Ms => 1e-3,
            Tick::S => 1.0,
        }
    }

    /// Its symbol.
    pub fn name(self) -> &'static str {
        match self {
            Tick::Us => "µs",
            Tick::Ms => "ms",
            Tick::S => "s",
        }
    }
}

/// How a source was opened: what comes next does not follow from what came before.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Opening {
    /// A link on which rows arrive as they are made.
    Link,
    /// A text, at its beginning, opened at this instant.
    Text {
        /// When.
        at: Stamp,
        /// Its rows arrive as they are made, as far as is known: a pipe.
        arrives: bool,
    },
    /// The text goes on, and from here on rows arrive as they are added. They do follow from those before.
    Grows(Stamp),
}

/// Where the time of a row comes from.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(tag = "from", rename_all = "lowercase", deny_unknown_fields)]
pub enum Time {
    /// The board's clock where there is one, else arrival, evened out when rows come in bursts.
    #[default]
    Auto,
    /// When the row's last byte arrived.
    Arrival,
    /// Arrival, with rows spread evenly by the measured rate.
    Even,
    /// The board's clock.
    Board {
        /// The channel that carries it.
        channel: String,
        /// The unit in which it counts.
        #[serde(default)]
        tick: Tick,
        /// After so many bits it starts over; detected when not given.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        bits: Option<u8>,
    },
    /// Evenly, so many rows a second.
    Rate {
        /// Rows a second.
        hz: f64,
    },
}

impl Time {
    /// What is wrong with it, if anything.
    pub fn fault(&self) -> Option<&'static str> {
        match self {
            Time::Rate { hz } if !(1e-4..=1e7).contains(hz) => Some("hz must be 0.0001 to 10000000 rows a second"),
            Time::Board { bits: Some(bits), .. } if !(8..=52).contains(bits) => Some("bits must be 8 to 52"),
            _ => None,
        }
    }

    /// What it is, in a few words.
    pub fn sentence(&self) -> String {
        match self {
            Time::Auto => "detected".into(),
            Time::Arrival => "arrival of the last byte".into(),
            Time::Even => "arrival, evened out".into(),
            Time::Board { channel, tick, .. } => format!("board's clock {channel}, {}", tick.name()),
            Time::Rate { hz } => format!("declared, {hz} rows/s"),
        }
    }
}

#[cfg(test)]
#[path = "clock_tests.rs"]
mod tests;
