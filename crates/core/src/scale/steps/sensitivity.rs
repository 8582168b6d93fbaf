//! The value is divided by a sensitivity, as a sensor's sheet gives it.

use super::{Transform, code_number};
use crate::digits::short;
use crate::part::{Part, Range, Setting, Unit};
use serde::{Deserialize, Serialize};

/// Divides by a sensitivity.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Sensitivity {
    /// Units of the step before for each unit behind it; not 0.
    pub divisor: f64,
    /// The unit behind it; empty: the same as before.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub unit: String,
}

impl Default for Sensitivity {
    fn default() -> Self {
        Sensitivity { divisor: 1.0, unit: String::new() }
    }
}

impl Part for Sensitivity {
    const KIND: &'static str = "sensitivity";
    const HELP: &'static str = "divides: volts for each unit, as a sensor's sheet says";
    const SETTINGS: &'static [Setting<Self>] = &[
        Setting::<Self>::number(
            "divide by",
            "of the unit before for each output unit; 40m is 0.04",
            |step| step.divisor,
            |step, by| step.divisor = by,
        )
        .unit(Unit::Input)
        .range(Range::NotZero),
        Setting::output_unit(|step| &step.unit, |step, unit| step.unit = unit),
    ];

    fn short(&self) -> String {
        format!("÷{}", short(self.divisor, 6))
    }
}

impl Transform for Sensitivity {
    fn in_code(&self, x: &str) -> String {
        format!("{x} / {}", code_number(self.divisor))
    }

    fn apply(&self, x: f64, _reference: f64) -> f64 {
        x / self.divisor
    }

    fn line(&self, _reference: f64) -> Option<(f64, f64)> {
        Some((self.divisor.recip(), 0.0))
    }

    fn unit(&self) -> &str {
        &self.unit
    }
}
