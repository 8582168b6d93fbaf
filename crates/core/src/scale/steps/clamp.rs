//! The value is held between two limits.

use super::{Role, Transform, code_number};
use crate::part::{Part, Setting, Unit};
use serde::{Deserialize, Serialize};

/// Holds the value between two limits.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Clamp {
    /// The minimum that comes out.
    pub min: f64,
    /// The maximum that comes out; above `low`.
    pub max: f64,
}

impl Default for Clamp {
    fn default() -> Self {
        Clamp { min: 0.0, max: 100.0 }
    }
}

impl Part for Clamp {
    const KIND: &'static str = "clamp";
    const HELP: &'static str = "holds the value between two limits";
    const SETTINGS: &'static [Setting<Self>] = &[
        Setting::<Self>::number("min", "what lies below becomes this", |step| step.min, |step, low| step.min = low)
            .unit(Unit::Input),
        Setting::<Self>::number("max", "what lies above becomes this", |step| step.max, |step, high| step.max = high)
            .unit(Unit::Input),
    ];

    fn conflict(&self) -> Option<&'static str> {
        (self.min >= self.max).then_some("min must lie below max")
    }
}

impl Transform for Clamp {
    fn in_code(&self, x: &str) -> String {
        format!("min(max({x}, {}), {})", code_number(self.min), code_number(self.max))
    }

    #[inline]
    fn apply(&self, x: f64, _reference: f64) -> f64 {
        // Unlike the standard library's clamp this never panics, and a gap stays a gap.
        if x < self.min {
            self.min
        } else if x > self.max {
            self.max
        } else {
            x
        }
    }

    fn role(&self) -> Role {
        Role::Trim
    }
}
