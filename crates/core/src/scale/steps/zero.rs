//! What was there when the zero was taken is subtracted.

use super::{Transform, code_number};
use crate::part::{Nudge, Part, Setting, Unit};
use serde::{Deserialize, Serialize};

/// Subtracts what was there when the zero was taken.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Zero {
    /// What is subtracted, in the unit of the step before.
    pub subtract: f64,
    /// When it was taken, as text for a person; empty when it was typed.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub date: String,
}

impl Part for Zero {
    const KIND: &'static str = "zero";
    const HELP: &'static str = "subtracts what was there when it was taken (z, the mean of a level)";
    const SETTINGS: &'static [Setting<Self>] = &[
        Setting::<Self>::number(
            "zero at",
            "what counts as zero; z takes the settled value",
            |zero| zero.subtract,
            |zero, by| zero.subtract = by,
        )
        .unit(Unit::Input)
        .nudged(Nudge::Input),
        Setting::<Self>::text(
            "date",
            "when the zero was taken; Enter notes something else",
            |zero| &zero.date,
            |zero, date| zero.date = date,
        )
        .when(|zero| !zero.date.is_empty()),
    ];

    fn short(&self) -> String {
        "zeroed".into()
    }
}

impl Transform for Zero {
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
