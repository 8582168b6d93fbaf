//! Volts between a fixed resistor and a sensor become the sensor's ohms, or the other way.

use super::{Role, Transform, code_number};
use crate::digits::{set_value, typed};
use crate::part::{Part, Range, Setting, Unit, Value};
use serde::{Deserialize, Serialize};

/// A fixed resistor and a sensor between a supply and ground.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Divider {
    /// The fixed resistor in ohms; above 0.
    pub fixed: f64,
    /// The supply over both in volts, above 0; without it the reference of the converter, which most boards feed it from.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub supply: Option<f64>,
    /// The sensor stands between supply and tap; else between tap and ground.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub sensor_at_supply: bool,
    /// Ohms become volts; else volts become ohms.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub ohms_to_volts: bool,
}

const AS_CONVERTER: &str = "the converter's reference";

impl Default for Divider {
    fn default() -> Self {
        Divider { fixed: 10_000.0, supply: None, sensor_at_supply: false, ohms_to_volts: false }
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
        Setting::own(
            "supply",
            "over both resistors, as measured; the converter's reference where none is typed",
            Value::Spelled {
                shown: |divider| divider.supply.map_or(AS_CONVERTER.into(), |volts| set_value(volts, "V")),
                typed: |divider| divider.supply.map_or("reference".into(), |volts| volts.to_string()),
                set: |divider, text| {
                    divider.supply = if text.trim() == "reference" { None } else { Some(typed(text)?) };
                    Ok(())
                },
                nudge: |divider, by| {
                    divider.supply =
                        divider.supply.map(|volts| (((volts + f64::from(by) * 0.01) * 1e6).round() / 1e6).max(0.01));
                },
                fault: |divider| {
                    let sound = divider.supply.is_none_or(|volts| volts.is_finite() && volts > 0.0);
                    (!sound).then_some("supply must be volts above 0, or 'reference' for that of the converter")
                },
                examples: &["3.3", "5", "reference"],
            },
        ),
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
    /// The supply in volts, where the converter refers to `reference` volts; NaN where neither is known.
    pub fn supply(&self, reference: f64) -> f64 {
        self.supply.unwrap_or(reference)
    }

    /// The volts at the tap for a sensor of `ohms`, for a converter that refers to `reference` volts.
    pub fn volts(&self, ohms: f64, reference: f64) -> f64 {
        let below = if self.sensor_at_supply { self.fixed } else { ohms };
        self.supply(reference) * below / (self.fixed + ohms)
    }

    /// The sensor's ohms for `volts` at the tap, for a converter that refers to `reference` volts; a gap where no resistor
    /// gives them.
    pub fn ohms(&self, volts: f64, reference: f64) -> f64 {
        let rest = self.supply(reference) - volts;
        let ohms = if self.sensor_at_supply { self.fixed * rest / volts } else { self.fixed * volts / rest };
        if ohms >= 0.0 && ohms.is_finite() { ohms } else { f64::NAN }
    }
}

impl Transform for Divider {
    fn in_code(&self, x: &str) -> String {
        let (fixed, supply) = (code_number(self.fixed), self.supply.map_or("reference".into(), code_number));
        match (self.ohms_to_volts, self.sensor_at_supply) {
            (true, true) => format!("{supply} * {fixed} / ({fixed} + {x})"),
            (true, false) => format!("{supply} * {x} / ({fixed} + {x})"),
            (false, true) => format!("{fixed} * ({supply} - {x}) / {x}"),
            (false, false) => format!("{fixed} * {x} / ({supply} - {x})"),
        }
    }

    #[inline]
    fn apply(&self, x: f64, reference: f64) -> f64 {
        if self.ohms_to_volts { self.volts(x, reference) } else { self.ohms(x, reference) }
    }

    fn inverse(&self, y: f64, reference: f64) -> Option<f64> {
        Some(if self.ohms_to_volts { self.ohms(y, reference) } else { self.volts(y, reference) })
    }

    fn unit(&self) -> &str {
        ["Ω", "V"][usize::from(self.ohms_to_volts)]
    }

    fn role(&self) -> Role {
        Role::Sensor
    }
}
