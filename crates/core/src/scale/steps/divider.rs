//! Volts between a fixed resistor and a sensor become the sensor's ohms, or the other way.

use super::{Role, Transform};
use crate::part::{Part, Range, Setting, Unit};
use serde::{Deserialize, Serialize};

/// A fixed resistor and a sensor between a supply and ground.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Divider {
    /// The fixed resistor in ohms; above 0.
    pub fixed: f64,
    /// The supply over both in volts; above 0.
    pub supply: f64,
    /// The sensor stands between supply and tap; else between tap and ground.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub sensor_at_supply: bool,
    /// Ohms become volts; else volts become ohms.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub ohms_to_volts: bool,
}

impl Default for Divider {
    fn default() -> Self {
        Divider { fixed: 10_000.0, supply: 3.3, sensor_at_supply: false, ohms_to_volts: false }
    }
}

impl Part for Divider {
    const KIND: &'static str = "divider";
    const HELP: &'static str = "volts at a resistor divider become ohms, or back";
    const SETTINGS: &'static [Setting<Self>] = &[
        Setting::<Self>::number(
            "fixed resistor",
            "in ohms: 4.7k is 4700; A advises which one suits",
            |divider| divider.fixed,
            |divider, ohms| divider.fixed = ohms,
        )
        .unit(Unit::Is("Ω"))
        .range(Range::Above(0.0)),
        Setting::<Self>::number(
            "supply",
            "over both resistors, as measured",
            |divider| divider.supply,
            |divider, volts| divider.supply = volts,
        )
        .unit(Unit::Is("V"))
        .range(Range::Above(0.0)),
        Setting::choice(
            "sensor is",
            "where the sensor is: above the tap, or below it",
            &["at ground", "at the supply"],
            |divider| usize::from(divider.sensor_at_supply),
            |divider, choice| divider.sensor_at_supply = choice == 1,
        ),
        Setting::choice(
            "turns",
            "the way back shows what a sensor would give",
            &["volts into ohms", "ohms into volts"],
            |divider| usize::from(divider.ohms_to_volts),
            |divider, choice| divider.ohms_to_volts = choice == 1,
        ),
    ];
}

impl Divider {
    /// The volts at the tap for a sensor of `ohms`.
    pub fn volts(&self, ohms: f64) -> f64 {
        let below = if self.sensor_at_supply { self.fixed } else { ohms };
        self.supply * below / (self.fixed + ohms)
    }

    /// The sensor's ohms for `volts` at the tap; a gap where no resistor gives them.
    pub fn ohms(&self, volts: f64) -> f64 {
        let rest = self.supply - volts;
        let ohms = if self.sensor_at_supply { self.fixed * rest / volts } else { self.fixed * volts / rest };
        if ohms >= 0.0 && ohms.is_finite() { ohms } else { f64::NAN }
    }
}

impl Transform for Divider {
    #[inline]
    fn apply(&self, x: f64, _reference: f64) -> f64 {
        if self.ohms_to_volts { self.volts(x) } else { self.ohms(x) }
    }

    fn inverse(&self, y: f64, _reference: f64) -> Option<f64> {
        Some(if self.ohms_to_volts { self.ohms(y) } else { self.volts(y) })
    }

    fn unit(&self) -> &str {
        ["Ω", "V"][usize::from(self.ohms_to_volts)]
    }

    fn role(&self) -> Role {
        Role::Sensor
    }
}
