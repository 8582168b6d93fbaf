//! Dead band: a change is shown only when it is one.

use super::{Memory, Smooths};
use crate::Stamp;
use crate::part::{Part, Range, Setting, Unit};
use serde::{Deserialize, Serialize};

/// Dead band.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct DeadBand {
    /// A value that is no farther than this from the last one given is no change; above 0, in the unit of the quantity.
    pub band: f64,
}

impl Default for DeadBand {
    fn default() -> Self {
        DeadBand { band: 1.0 }
    }
}

impl Part for DeadBand {
    const KIND: &'static str = "dead-band";
    const HELP: &'static str = "shows a change only when it is one: against flicker of the last digit";
    const SETTINGS: &'static [Setting<Self>] = &[Setting::number(
        "dead band",
        "the value stays until it moved by more than this",
        |filter: &DeadBand| filter.band,
        |filter, band| filter.band = band,
    )
    .unit(Unit::Input)
    .range(Range::Above(0.0))];

    fn short(&self) -> String {
        format!("dead band {}", crate::digits::short(self.band, 3))
    }
}

impl Smooths for DeadBand {
    /// A change comes out at once, when it is larger than the band.
    fn delay(&self, _: f64) -> f64 {
        0.0
    }

    fn goes_backward(&self) -> bool {
        false
    }

    fn start(&self) -> Box<dyn Memory> {
        Box::new(State { band: self.band, shown: f64::NAN })
    }
}

#[derive(Clone, Debug)]
struct State {
    band: f64,
    shown: f64,
}

impl Memory for State {
    fn push(&mut self, _: Stamp, value: f64) -> f64 {
        // Before the first value there is nothing to stay at.
        let stays = (value - self.shown).abs() <= self.band;
        if !stays {
            self.shown = value;
        }
        self.shown
    }

    fn copy(&self) -> Box<dyn Memory> {
        Box::new(self.clone())
    }
}
