//! The value is multiplied.

use super::{Transform, code_number};
use crate::digits::short;
use crate::part::{Part, Range, Setting};
use serde::{Deserialize, Serialize};

/// Multiplies.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Gain {
    /// Units for each unit of the step before; not 0.
    pub factor: f64,
    /// The unit behind it; empty: the same as before.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub unit: String,
}

impl Default for Gain {
    fn default() -> Self {
        Gain { factor: 1.0, unit: String::new() }
    }
}

impl Part for Gain {
    const KIND: &'static str = "gain";
    const HELP: &'static str = "multiplies: units for each volt";
    const SETTINGS: &'static [Setting<Self>] = &[
        Setting::<Self>::number(
            "multiply by",
            "units for each unit before; type 1/0.04 to divide",
            |step| step.factor,
            |step, by| step.factor = by,
        )
        .range(Range::NotZero),
        Setting::output_unit(|step| &step.unit, |step, unit| step.unit = unit),
    ];

    fn short(&self) -> String {
        format!("×{}", short(self.factor, 6))
    }
}

impl Transform for Gain {
    fn in_code(&self, x: &str) -> String {
        format!("{x} * {}", code_number(self.factor))
    }

    fn apply(&self, x: f64, _reference: f64) -> f64 {
        x * self.factor
    }

    fn line(&self, _reference: f64) -> Option<(f64, f64)> {
        Some((self.factor, 0.0))
    }

    fn unit(&self) -> &str {
        &self.unit
    }
}
