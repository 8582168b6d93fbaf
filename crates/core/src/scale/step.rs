//! One step of a channel's scale: what it does to a value, and its way back where it has one.

use super::calibration::Calibration;
use super::sensor;
use serde::{Deserialize, Serialize};

/// A step. Values come in in the unit of the step before, and NaN, a gap, stays one.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "is", rename_all = "lowercase", deny_unknown_fields)]
pub enum Step {
    /// Codes of a converter become volts.
    Converter(Converter),
    /// Takes `by` away.
    Offset {
        /// In the unit of the step before.
        by: f64,
    },
    /// Multiplies.
    Gain {
        /// Units for each unit of the step before; not 0.
        by: f64,
        /// The unit behind it; empty: the same as before.
        #[serde(default, skip_serializing_if = "String::is_empty")]
        unit: String,
    },
    /// Divides by a sensitivity, as a sensor's sheet gives it.
    Sensitivity {
        /// Units of the step before for each unit behind it; not 0.
        by: f64,
        /// The unit behind it; empty: the same as before.
        #[serde(default, skip_serializing_if = "String::is_empty")]
        unit: String,
    },
    /// Turns the sign.
    Sign,
    /// Drops the sign.
    Absolute,
    /// Holds the value between two limits.
    Clamp {
        /// The least that comes out.
        low: f64,
        /// The most that comes out; above `low`.
        high: f64,
    },
    /// Rounds, and says how many decimals are shown and logged.
    Decimals {
        /// 0 to 9.
        places: u8,
    },
    /// Takes away what was there when the zero was taken.
    Zero {
        /// What is taken away, in the unit of the step before.
        by: f64,
        /// When it was taken, as text for a person; empty when it was typed.
        #[serde(default, skip_serializing_if = "String::is_empty")]
        taken: String,
    },
    /// Volts between a fixed resistor and a sensor become the sensor's ohms, or the other way.
    Divider(Divider),
    /// A line through points, piece by piece; it goes on beyond the ends along the last pieces.
    Table {
        /// From and to, in rising order of the first; at least two.
        points: Vec<(f64, f64)>,
        /// The unit behind it; empty: the same as before.
        #[serde(default, skip_serializing_if = "String::is_empty")]
        unit: String,
    },
    /// A polynomial: the constant first, then the factors of x, x squared and so on.
    Polynomial {
        /// 1 to 10 of them.
        terms: Vec<f64>,
        /// The unit behind it; empty: the same as before.
        #[serde(default, skip_serializing_if = "String::is_empty")]
        unit: String,
    },
    /// Ohms of a thermistor become degrees Celsius, by its beta.
    Thermistor {
        /// Ohms at `celsius`.
        ohms: f64,
        /// The temperature at which they hold.
        celsius: f64,
        /// Kelvin.
        beta: f64,
    },
    /// Ohms of a thermistor become degrees Celsius, by the Steinhart-Hart equation.
    Steinhart {
        /// The constant, in 1/K.
        a: f64,
        /// The factor of the logarithm of the ohms.
        b: f64,
        /// The factor of its cube.
        c: f64,
    },
    /// A travelled range becomes another one.
    Range {
        /// The two ends of the travel, in the unit of the step before; different.
        from: (f64, f64),
        /// What they become.
        to: (f64, f64),
        /// The unit behind it; empty: the same as before.
        #[serde(default, skip_serializing_if = "String::is_empty")]
        unit: String,
    },
    /// What was found by comparing with known values.
    Calibration(Calibration),
    /// A step that is passed by, to compare: values go on as they came.
    Passed {
        /// The step.
        step: Box<Step>,
    },
}

/// Codes that become volts.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Converter {
    /// Bits of the converter, 1 to 32; without them the board sends shares of full scale, 0 to 1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bits: Option<u8>,
    /// What full scale stands for.
    pub reference: Reference,
    /// The top code stands for the whole reference; else for one step less, as most converters do.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub top: bool,
}

/// What full scale stands for.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum Reference {
    /// So many volts, as measured.
    Volts(f64),
    /// As many volts as this channel says in the same row.
    Channel(String),
}

impl Converter {
    /// The share of the reference that one code stands for.
    pub fn share(&self) -> f64 {
        match self.bits {
            None => 1.0,
            Some(bits) => (2f64.powi(i32::from(bits)) - f64::from(u8::from(self.top))).recip(),
        }
    }

    /// The highest code.
    pub fn top_code(&self) -> f64 {
        self.bits.map_or(1.0, |bits| 2f64.powi(i32::from(bits)) - 1.0)
    }
}

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
    pub high: bool,
    /// Ohms become volts; else volts become ohms.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub back: bool,
}

impl Divider {
    /// The volts at the tap for a sensor of `ohms`.
    pub fn volts(&self, ohms: f64) -> f64 {
        let below = if self.high { self.fixed } else { ohms };
        self.supply * below / (self.fixed + ohms)
    }

    /// The sensor's ohms for `volts` at the tap; a gap where no resistor gives them.
    pub fn ohms(&self, volts: f64) -> f64 {
        let rest = self.supply - volts;
        let ohms = if self.high { self.fixed * rest / volts } else { self.fixed * volts / rest };
        if ohms >= 0.0 && ohms.is_finite() { ohms } else { f64::NAN }
    }
}

impl Step {
    /// The value behind the step. `reference` is what the converter's reference channel says, in volts; it counts for
    /// nothing else.
    pub fn apply(&self, x: f64, reference: f64) -> f64 {
        match self {
            Step::Converter(converter) => {
                let volts = match converter.reference {
                    Reference::Volts(volts) => volts,
                    Reference::Channel(_) => reference,
                };
                x * (volts * converter.share())
            }
            Step::Offset { by } | Step::Zero { by, .. } => x - by,
            Step::Gain { by, .. } => x * by,
            Step::Sensitivity { by, .. } => x / by,
            Step::Sign => -x,
            Step::Absolute => x.abs(),
            Step::Clamp { low, high } => sensor::clamp(x, *low, *high),
            Step::Decimals { places } => sensor::round(x, *places),
            Step::Divider(divider) if divider.back => divider.volts(x),
            Step::Divider(divider) => divider.ohms(x),
            Step::Table { points, .. } => sensor::along(points, x),
            Step::Polynomial { terms, .. } => sensor::polynomial(terms, x),
            Step::Thermistor { ohms, celsius, beta } => sensor::beta_celsius(x, *ohms, *celsius, *beta),
            Step::Steinhart { a, b, c } => sensor::steinhart_celsius(x, [*a, *b, *c]),
            Step::Range { from, to, .. } => to.0 + (x - from.0) * ((to.1 - to.0) / (from.1 - from.0)),
            Step::Calibration(calibration) => calibration.apply(x),
            Step::Passed { .. } => x,
        }
    }

    /// The value before the step that gives `y` behind it; `None` for steps that have no single way back.
    pub fn inverse(&self, y: f64, reference: f64) -> Option<f64> {
        Some(match self {
            Step::Divider(divider) if divider.back => divider.ohms(y),
            Step::Divider(divider) => divider.volts(y),
            Step::Table { points, .. } => {
                let rising = points.windows(2).all(|pair| pair[0].1 < pair[1].1);
                let falling = points.windows(2).all(|pair| pair[0].1 > pair[1].1);
                let mut turned: Vec<(f64, f64)> = points.iter().map(|(x, y)| (*y, *x)).collect();
                match (rising, falling) {
                    (true, _) => {}
                    (_, true) => turned.reverse(),
                    _ => return None,
                }
                sensor::along(&turned, y)
            }
            Step::Thermistor { ohms, celsius, beta } => sensor::beta_ohms(y, *ohms, *celsius, *beta),
            Step::Steinhart { a, b, c } => sensor::steinhart_ohms(y, [*a, *b, *c])?,
            Step::Passed { .. } => y,
            _ => {
                let (factor, shift) = self.line(reference)?;
                (y - shift) / factor
            }
        })
    }

    /// The factor and the shift of a step that is a straight line.
    pub(super) fn line(&self, reference: f64) -> Option<(f64, f64)> {
        match self {
            Step::Converter(_) => Some((self.apply(1.0, reference), 0.0)),
            Step::Offset { by } | Step::Zero { by, .. } => Some((1.0, -by)),
            Step::Gain { by, .. } => Some((*by, 0.0)),
            Step::Sensitivity { by, .. } => Some((by.recip(), 0.0)),
            Step::Sign => Some((-1.0, 0.0)),
            Step::Range { from, to, .. } => {
                let factor = (to.1 - to.0) / (from.1 - from.0);
                Some((factor, to.0 - from.0 * factor))
            }
            Step::Calibration(calibration) => calibration.line(),
            Step::Polynomial { terms, .. } if terms.len() == 2 => Some((terms[1], terms[0])),
            Step::Passed { .. } => Some((1.0, 0.0)),
            _ => None,
        }
    }

    /// The unit behind the step, where it sets one.
    pub fn unit(&self) -> Option<&str> {
        let unit = match self {
            Step::Converter(_) => "V",
            Step::Divider(divider) => ["Ω", "V"][usize::from(divider.back)],
            Step::Thermistor { .. } | Step::Steinhart { .. } => "°C",
            Step::Gain { unit, .. }
            | Step::Sensitivity { unit, .. }
            | Step::Table { unit, .. }
            | Step::Polynomial { unit, .. }
            | Step::Range { unit, .. } => unit,
            Step::Calibration(calibration) => &calibration.unit,
            _ => "",
        };
        (!unit.is_empty()).then_some(unit)
    }

    /// What is wrong with it, if anything.
    pub fn fault(&self) -> Option<String> {
        let sound = |value: f64| value.is_finite();
        let above = |value: f64| value.is_finite() && value > 0.0;
        let rising = |points: &[(f64, f64)]| {
            points.len() >= 2
                && points.windows(2).all(|pair| pair[0].0 < pair[1].0)
                && points.iter().all(|(x, y)| sound(*x) && sound(*y))
        };
        let told = match self {
            Step::Converter(converter) => {
                let reference = match &converter.reference {
                    Reference::Volts(volts) => above(*volts),
                    Reference::Channel(name) => !name.is_empty(),
                };
                match converter.bits {
                    Some(bits) if !(1..=32).contains(&bits) => "bits must be 1 to 32",
                    _ if !reference => "reference must be volts above 0, or the name of a channel",
                    _ => return None,
                }
            }
            Step::Offset { by } | Step::Zero { by, .. } if !sound(*by) => "it must be a finite number",
            Step::Gain { by, .. } if !sound(*by) || *by == 0.0 => "gain must be a finite number, not 0",
            Step::Sensitivity { by, .. } if !sound(*by) || *by == 0.0 => "sensitivity must be a finite number, not 0",
            Step::Clamp { low, high } if !(sound(*low) && sound(*high) && low < high) => {
                "the lower limit must lie below the upper one"
            }
            Step::Decimals { places } if *places > 9 => "decimals must be 0 to 9",
            Step::Divider(divider) if !(above(divider.fixed) && above(divider.supply)) => {
                "the fixed resistor and the supply must be above 0"
            }
            Step::Table { points, .. } if !rising(points) => {
                "a table needs two points or more, each further on than the one before"
            }
            Step::Polynomial { terms, .. } if !(1..=10).contains(&terms.len()) || !terms.iter().all(|t| sound(*t)) => {
                "a polynomial has 1 to 10 finite terms, the constant first"
            }
            Step::Thermistor { ohms, celsius, beta }
                if !(above(*ohms) && above(*beta) && sound(*celsius) && *celsius > -sensor::KELVIN) =>
            {
                "ohms and beta must be above 0, the temperature above -273.15"
            }
            Step::Steinhart { a, b, c } if ![a, b, c].into_iter().all(|v| sound(*v)) || (*b == 0.0 && *c == 0.0) => {
                "a, b and c must be finite, b and c not both 0"
            }
            Step::Range { from, to, .. }
                if ![from.0, from.1, to.0, to.1].into_iter().all(sound) || from.0 == from.1 || to.0 == to.1 =>
            {
                "the two ends of a range must differ"
            }
            Step::Calibration(calibration) => return calibration.fault(),
            Step::Passed { step } if matches!(**step, Step::Passed { .. }) => "a step is passed by once",
            Step::Passed { step } => return step.fault(),
            _ => return None,
        };
        Some(told.into())
    }
}
