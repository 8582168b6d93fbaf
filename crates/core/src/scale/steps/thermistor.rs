//! Ohms of a thermistor become degrees Celsius, by its beta.

use super::{Role, Transform, code_number};
use crate::part::{Part, Range, Setting, Unit};
use serde::{Deserialize, Serialize};

/// 0 °C in kelvin.
pub(super) const KELVIN: f64 = 273.15;

/// A thermistor with a beta: 1/T = 1/T0 + ln(R/R0)/beta, with T in kelvin.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Thermistor {
    /// Ohms at `celsius`; above 0.
    pub ohms: f64,
    /// The temperature at which they hold; above -273.15.
    pub celsius: f64,
    /// Kelvin; above 0.
    pub beta: f64,
}

impl Default for Thermistor {
    fn default() -> Self {
        Thermistor { ohms: 10_000.0, celsius: 25.0, beta: 3950.0 }
    }
}

impl Part for Thermistor {
    const KIND: &'static str = "thermistor";
    const HELP: &'static str = "ohms become degrees Celsius, by beta";
    const SETTINGS: &'static [Setting<Self>] = &[
        Setting::<Self>::number(
            "resistance",
            "of the thermistor at the temperature below; 10k",
            |sensor| sensor.ohms,
            |sensor, ohms| sensor.ohms = ohms,
        )
        .unit(Unit::Is("Ω"))
        .range(Range::Above(0.0)),
        Setting::<Self>::number(
            "at",
            "the temperature that the resistance holds for",
            |sensor| sensor.celsius,
            |sensor, celsius| sensor.celsius = celsius,
        )
        .unit(Unit::Is("°C"))
        .range(Range::Above(-KELVIN)),
        Setting::<Self>::number(
            "beta",
            "from the sensor's sheet",
            |sensor| sensor.beta,
            |sensor, beta| sensor.beta = beta,
        )
        .unit(Unit::Is("K"))
        .range(Range::Above(0.0)),
    ];
}

impl Transform for Thermistor {
    fn in_code(&self, x: &str) -> String {
        let [ohms, beta] = [self.ohms, self.beta].map(code_number);
        format!("1 / ({} + ln({x} / {ohms}) / {beta}) - {KELVIN}", code_number((self.celsius + KELVIN).recip()))
    }

    #[inline]
    fn apply(&self, ohms: f64, _reference: f64) -> f64 {
        absolute(((self.celsius + KELVIN).recip() + (ohms / self.ohms).ln() / self.beta).recip())
    }

    /// R = R0 exp(beta (1/T - 1/T0)).
    fn inverse(&self, t: f64, _reference: f64) -> Option<f64> {
        Some(self.ohms * (self.beta * ((t + KELVIN).recip() - (self.celsius + KELVIN).recip())).exp())
    }

    fn unit(&self) -> &str {
        "°C"
    }

    fn role(&self) -> Role {
        Role::Sensor
    }
}

/// Kelvin to degrees; a gap where the formula gives no temperature.
#[inline]
pub(super) fn absolute(kelvin: f64) -> f64 {
    if kelvin > 0.0 && kelvin.is_finite() { kelvin - KELVIN } else { f64::NAN }
}
