//! The value is rounded to so many decimals, which are shown and logged.

use super::{Role, Transform};
use crate::part::{Nudge, Part, Range, Setting};
use serde::{Deserialize, Serialize};

/// Rounds, and says how many decimals are shown and logged.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Decimals {
    /// 0 to 9.
    pub places: u8,
}

impl Default for Decimals {
    fn default() -> Self {
        Decimals { places: 1 }
    }
}

impl Part for Decimals {
    const KIND: &'static str = "decimals";
    const HELP: &'static str = "rounds, and sets the decimals shown and logged";
    const SETTINGS: &'static [Setting<Self>] = &[Setting::<Self>::number(
        "decimals",
        "shown and logged; the value is rounded to them",
        |step| f64::from(step.places),
        // A nudge below 0 saturates there.
        |step, places| step.places = places as u8,
    )
    .range(Range::Whole(0, 9))
    .nudged(Nudge::One)];
}

impl Transform for Decimals {
    fn in_code(&self, x: &str) -> String {
        let power = 10f64.powi(self.places.into());
        format!("round({x} * {power}) / {power}")
    }

    /// Halves are rounded away from zero.
    #[inline]
    fn apply(&self, x: f64, _reference: f64) -> f64 {
        let power = 10f64.powi(i32::from(self.places));
        let rounded = (x * power).round() / power;
        // Where there is nothing to round any more, the product may have overflowed.
        if rounded.is_finite() { rounded } else { x }
    }

    fn role(&self) -> Role {
        Role::Trim
    }
}
