//! A number is subtracted.

use super::{Transform, code_number};
use crate::digits::short;
use crate::part::{Nudge, Part, Setting, Unit};
use serde::{Deserialize, Serialize};

/// Subtracts a number.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Offset {
    /// What is subtracted, in the unit of the step before.
    pub subtract: f64,
}

impl Part for Offset {
    const KIND: &'static str = "offset";
    const HELP: &'static str = "subtracts a number";
    const SETTINGS: &'static [Setting<Self>] = &[Setting::<Self>::number(
        "subtract",
        "in the unit of the value before it",
        |step| step.subtract,
        |step, by| step.subtract = by,
    )
    .unit(Unit::Input)
    .nudged(Nudge::Input)];

    fn short(&self) -> String {
        let sign = if self.subtract < 0.0 { "+" } else { "-" };
        format!("{sign}{}", short(self.subtract.abs(), 6))
    }
}

impl Transform for Offset {
    fn in_code(&self, x: &str) -> String {
        format!("{x} - {}", code_number(self.subtract))
    }

    fn apply(&self, x: f64, _reference: f64) -> f64 {
        x - self.subtract
    }

    fn line(&self, _reference: f64) -> Option<(f64, f64)> {
        Some((1.0, -self.subtract))
    }
}
