//! Rate limit: the value moves no faster than it should be able to.

use super::{Memory, Smooths};
use crate::Stamp;
use crate::part::{Part, Range, Setting, Unit};
use serde::{Deserialize, Serialize};

/// Rate limit.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct RateLimit {
    /// The largest change in a second, in the unit of the quantity; above 0.
    pub per_second: f64,
}

impl Default for RateLimit {
    fn default() -> Self {
        RateLimit { per_second: 10.0 }
    }
}

impl Part for RateLimit {
    const KIND: &'static str = "rate-limit";
    const HELP: &'static str = "the value moves no faster than this: against jumps that cannot be";
    const SETTINGS: &'static [Setting<Self>] = &[Setting::number(
        "largest change per second",
        "what moves faster is followed at this pace",
        |filter: &RateLimit| filter.per_second,
        |filter, most| filter.per_second = most,
    )
    .unit(Unit::Input)
    .range(Range::Above(0.0))];

    fn short(&self) -> String {
        format!("limit {}/s", crate::digits::short(self.per_second, 3))
    }
}

impl Smooths for RateLimit {
    /// A slow change comes out at once.
    fn delay(&self, _: f64) -> f64 {
        0.0
    }

    fn start(&self) -> Box<dyn Memory> {
        Box::new(State { per_second: self.per_second, last: None })
    }
}

#[derive(Clone, Debug)]
struct State {
    per_second: f64,
    last: Option<(Stamp, f64)>,
}

impl Memory for State {
    fn push(&mut self, at: Stamp, value: f64) -> f64 {
        let out = self.last.map_or(value, |(before, level)| {
            let most = self.per_second * at.seconds_since(before).max(0.0);
            value.min(level + most).max(level - most)
        });
        self.last = Some((at, out));
        out
    }

    fn copy(&self) -> Box<dyn Memory> {
        Box::new(self.clone())
    }
}
