//! Ohms of a thermistor become degrees Celsius, by the Steinhart-Hart equation.

use super::thermistor::{KELVIN, absolute};
use super::{Role, Transform, code_number};
use crate::part::{Part, Setting};
use serde::{Deserialize, Serialize};

/// A thermistor with three constants: 1/T = a + b ln R + c (ln R)^3, with T in kelvin (Steinhart and Hart, "Calibration
/// curves for thermistors", Deep-Sea Research 15, 1968).
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Steinhart {
    /// The constant, in 1/K.
    pub a: f64,
    /// The factor of the logarithm of the ohms.
    pub b: f64,
    /// The factor of its cube.
    pub c: f64,
}

impl Default for Steinhart {
    fn default() -> Self {
        Steinhart { a: 1.129e-3, b: 2.341e-4, c: 8.775e-8 }
    }
}

impl Part for Steinhart {
    const KIND: &'static str = "steinhart";
    const HELP: &'static str = "ohms become degrees Celsius, by the Steinhart-Hart equation";
    const SETTINGS: &'static [Setting<Self>] = &[
        Setting::<Self>::number(
            "a",
            "the constant; from the sensor's sheet",
            |sensor| sensor.a,
            |sensor, a| sensor.a = a,
        ),
        Setting::<Self>::number("b", "the factor of ln R", |sensor| sensor.b, |sensor, b| sensor.b = b),
        Setting::<Self>::number("c", "the factor of (ln R)^3", |sensor| sensor.c, |sensor, c| sensor.c = c),
    ];

    fn conflict(&self) -> Option<&'static str> {
        (self.b == 0.0 && self.c == 0.0).then_some("b and c must not both be 0")
    }
}

impl Transform for Steinhart {
    fn in_code(&self, x: &str) -> String {
        let [a, b, c] = [self.a, self.b, self.c].map(code_number);
        format!("1 / ({a} + {b} * ln({x}) + {c} * ln({x})^3) - {KELVIN}")
    }

    #[inline]
    fn apply(&self, ohms: f64, _reference: f64) -> f64 {
        let l = ohms.ln();
        absolute((self.a + self.b * l + self.c * l * l * l).recip())
    }

    /// The one real root of c l^3 + b l + (a - 1/T) = 0 by Cardano's formula; `None` when there are three.
    fn inverse(&self, t: f64, _reference: f64) -> Option<f64> {
        let rest = self.a - (t + KELVIN).recip();
        if self.c == 0.0 {
            return Some((-rest / self.b).exp());
        }
        let (p, q) = (self.b / self.c, rest / self.c);
        let inside = q * q / 4.0 + p * p * p / 27.0;
        (inside >= 0.0).then(|| {
            let root = inside.sqrt();
            // The larger of the two cube roots is made without cancellation, the other one follows from it.
            let u = if q > 0.0 { -(q / 2.0 + root).cbrt() } else { (root - q / 2.0).cbrt() };
            let v = if u == 0.0 { 0.0 } else { -p / (3.0 * u) };
            (u + v).exp()
        })
    }

    fn unit(&self) -> &str {
        "°C"
    }

    fn role(&self) -> Role {
        Role::Sensor
    }
}
