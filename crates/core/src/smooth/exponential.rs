//! First-order low-pass, an exponential moving average.

use super::strength::{self, Strong};
use super::{Memory, Smooths, Strength};
use crate::Stamp;
use crate::part::{Part, Setting};
use serde::{Deserialize, Serialize};

/// First-order low-pass.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Exponential {
    /// Its time constant.
    pub time_constant: Strength,
}

impl Part for Exponential {
    const KIND: &'static str = "exponential";
    const HELP: &'static str = "first-order low-pass: against noise";
    const SETTINGS: &'static [Setting<Self>] = &strength::settings("time constant");

    fn short(&self) -> String {
        format!("exponential {}", self.time_constant.spelled())
    }
}

impl Strong for Exponential {
    fn strength(&self) -> Strength {
        self.time_constant
    }

    fn strength_mut(&mut self) -> &mut Strength {
        &mut self.time_constant
    }
}

impl Exponential {
    /// The weight of the newest row, a = 1 - exp(-1/n) for a time constant of n rows, which may be less than one.
    fn weight(&self, interval: f64) -> f64 {
        let rows = match self.time_constant {
            Strength::Rows(_) => self.time_constant.rows(interval),
            Strength::Seconds(tau) => tau / interval,
        };
        1.0 - (-rows.recip()).exp()
    }
}

impl Smooths for Exponential {
    /// (1-a)/a rows, which is how late a ramp comes out; for many rows that is half a row less than the time constant.
    fn delay(&self, interval: f64) -> f64 {
        match self.time_constant {
            Strength::Seconds(tau) if interval <= 0.0 => tau,
            _ => {
                let a = self.weight(interval);
                (1.0 - a) / a * interval
            }
        }
    }

    fn is_linear(&self) -> bool {
        true
    }

    fn in_other_terms(&self, interval: f64) -> Option<String> {
        Some(self.time_constant.in_other_terms(interval))
    }

    fn start(&self) -> Box<dyn Memory> {
        Box::new(State { time_constant: self.time_constant, level: None })
    }
}

#[derive(Clone, Debug)]
struct State {
    time_constant: Strength,
    level: Option<(Stamp, f64)>,
}

impl Memory for State {
    /// y += (1 - exp(-dt/tau)) (x - y), which is exact for a value that changes in steps, whatever the intervals.
    fn push(&mut self, at: Stamp, value: f64) -> f64 {
        let level = match self.level {
            None => value,
            Some((before, level)) => {
                let steps = match self.time_constant {
                    Strength::Rows(rows) => 1.0 / f64::from(rows.max(1)),
                    Strength::Seconds(tau) => at.seconds_since(before) / tau,
                };
                let a = 1.0 - (-steps).exp();
                let next = level + a * (value - level);
                // The difference of two large numbers may leave the range of a number; their mean does not.
                if next.is_finite() { next } else { (1.0 - a) * level + a * value }
            }
        };
        self.level = Some((at, level));
        level
    }

    fn copy(&self) -> Box<dyn Memory> {
        Box::new(self.clone())
    }
}
