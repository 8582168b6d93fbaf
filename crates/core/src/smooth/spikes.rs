//! Spike removal by median and deviation: what lies far off becomes the median, all else stays as it is.

use super::halves::Middle;
use super::strength::{self, Strong, Window};
use super::{Memory, Smooths, Strength};
use crate::Stamp;
use crate::part::{Nudge, Part, Range, Setting};
use serde::{Deserialize, Serialize};

/// Of Gaussian noise, the standard deviation in median absolute deviations.
const OF_MEDIAN: f64 = 1.482_602_218_505_602;

/// Rows before which nothing is a spike.
const FEWEST: usize = 5;

/// Spike removal.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "Written", into = "Written")]
pub struct Spikes {
    /// The rows whose median and deviation are taken.
    pub window: Strength,
    /// How many deviations off the median a spike lies at least; above 0.
    pub deviations: f64,
}

/// [`Spikes`] as it stands in a bench file.
#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Written {
    #[serde(skip_serializing_if = "Option::is_none")]
    rows: Option<u32>,
    #[serde(skip_serializing_if = "Option::is_none")]
    seconds: Option<f64>,
    deviations: f64,
}

impl TryFrom<Written> for Spikes {
    type Error = &'static str;

    fn try_from(written: Written) -> Result<Self, Self::Error> {
        let window = Strength::written(written.rows, written.seconds)?;
        Ok(Spikes { window, deviations: written.deviations })
    }
}

impl From<Spikes> for Written {
    fn from(filter: Spikes) -> Self {
        let (rows, seconds) = filter.window.as_written();
        Written { rows, seconds, deviations: filter.deviations }
    }
}

impl Default for Spikes {
    fn default() -> Self {
        Spikes { window: Strength::Rows(15), deviations: 5.0 }
    }
}

impl Part for Spikes {
    const KIND: &'static str = "spikes";
    const HELP: &'static str = "removes spikes by median and deviation, all else stays as it is";
    const SETTINGS: &'static [Setting<Self>] = &{
        let [counted, rows, seconds] = strength::settings("window");
        let deviations = Setting::number(
            "a spike is off by",
            "in deviations of the window; smaller: more is taken for a spike",
            |filter: &Spikes| filter.deviations,
            |filter, off| filter.deviations = off,
        )
        .range(Range::Above(0.0))
        .nudged(Nudge::Along(&[2.0, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0, 15.0, 20.0]));
        [counted, rows, seconds, deviations]
    };

    fn short(&self) -> String {
        format!("spikes {}", self.window.spelled())
    }
}

impl Strong for Spikes {
    fn strength(&self) -> Strength {
        self.window
    }

    fn strength_mut(&mut self) -> &mut Strength {
        &mut self.window
    }
}

impl Smooths for Spikes {
    /// What is no spike comes out at once.
    fn delay(&self, _: f64) -> f64 {
        0.0
    }

    /// Twice the window: how far off a row lies is told from the median of its own window.
    fn reach(&self, interval: f64) -> f64 {
        2.0 * self.window.rows(interval)
    }

    fn start(&self) -> Box<dyn Memory> {
        Box::new(State {
            window: Window::new(self.window),
            values: Middle::default(),
            offs: Middle::default(),
            deviations: self.deviations,
            last: f64::NAN,
            finest: f64::INFINITY,
        })
    }

    fn in_other_terms(&self, interval: f64) -> Option<String> {
        let rows = (self.window.rows(interval) / 2.0).ceil();
        Some(format!("a step comes out {} late", crate::digits::duration(rows * interval)))
    }
}

#[derive(Clone, Debug)]
struct State {
    window: Window,
    values: Middle,
    /// How far each row lay off the median of its window.
    offs: Middle,
    deviations: f64,
    last: f64,
    /// The smallest step between two rows: a channel that gives one code nearly all the time has no deviation, and yet its
    /// flicker is no spike.
    finest: f64,
}

impl Memory for State {
    /// The median m of the window, the row's own value among it; the deviation is that of a Gaussian noise with the median of
    /// |value - m| over the window, at least the finest step between rows. Farther off than so many of it: m, else the value.
    fn push(&mut self, at: Stamp, value: f64) -> f64 {
        let step = (value - self.last).abs();
        if step > 0.0 && step < self.finest {
            self.finest = step;
        }
        self.last = value;
        self.values.push(value);
        let (values, offs) = (&mut self.values, &mut self.offs);
        self.window.slide(at, value, |_| {
            values.pop();
            offs.pop();
        });
        let median = values.median();
        let off = (value - median).abs();
        offs.push(if off.is_nan() { f64::INFINITY } else { off });
        // So many rows say what is usual.
        if self.window.len() < FEWEST {
            return value;
        }
        let finest = if self.finest.is_finite() { self.finest } else { 0.0 };
        let deviation = (OF_MEDIAN * offs.median()).max(finest);
        if off > self.deviations * deviation { median } else { value }
    }

    fn copy(&self) -> Box<dyn Memory> {
        Box::new(self.clone())
    }
}
