//! What of a step can be set: its parts by name, each as text, typed or nudged.

use super::step::{Converter, Divider, Reference, Step};
use crate::axis::round_step;
use crate::digits::{si, typed};

/// A part of a step that can be set.
#[derive(Clone, Debug, PartialEq)]
pub struct Part {
    /// What it is.
    pub name: &'static str,
    /// As it is shown.
    pub shown: String,
    /// As it would be typed.
    pub typed: String,
    /// What it means.
    pub hint: &'static str,
}

/// The kinds of step that can be added, with a sentence each.
pub const NEW_STEPS: [(&str, &str); 15] = [
    ("converter", "counts become volts: bits and reference"),
    ("offset", "takes a number away"),
    ("gain", "multiplies: units for each volt"),
    ("sensitivity", "divides: volts for each unit, as a sensor's sheet says"),
    ("sign", "turns the sign"),
    ("absolute", "drops the sign"),
    ("clamp", "holds the value between two limits"),
    ("decimals", "rounds, and sets the decimals shown and logged"),
    ("zero", "takes away what is there now (z does it from the settled value)"),
    ("divider", "volts at a resistor divider become ohms, or back"),
    ("table", "a line through typed points"),
    ("polynomial", "a + b x + c x^2 ..."),
    ("thermistor", "ohms become degrees, by beta"),
    ("steinhart", "ohms become degrees, by Steinhart-Hart"),
    ("range", "a travelled range becomes another, such as 0 to 100 %"),
];

const BITS: [u8; 7] = [8, 10, 12, 14, 16, 18, 24];
const REFERENCES: [f64; 7] = [1.1, 1.8, 2.048, 2.5, 3.3, 4.096, 5.0];

fn part(name: &'static str, shown: impl Into<String>, typed: impl ToString, hint: &'static str) -> Part {
    Part { name, shown: shown.into(), typed: typed.to_string(), hint }
}

fn number(name: &'static str, value: f64, unit: &str, hint: &'static str) -> Part {
    part(name, si_or_plain(value, unit), value, hint)
}

/// With an SI prefix where the unit takes one.
fn si_or_plain(value: f64, unit: &str) -> String {
    if unit == "Ω" { si(value, unit) } else { crate::digits::with_unit(value, unit) }
}

fn list(points: &[(f64, f64)]) -> String {
    points.iter().map(|(x, y)| format!("{x} {y}")).collect::<Vec<_>>().join(", ")
}

fn unit_part(unit: &str) -> Part {
    part("unit behind", unit, unit, "the unit from here on; channels of one unit share a lane")
}

impl Step {
    /// A step of this kind as it is before anything is set; `None` for a kind that there is not.
    pub fn of_kind(kind: &str) -> Option<Step> {
        let unit = String::new();
        Some(match kind {
            "converter" => Step::Converter(Converter { bits: Some(12), reference: Reference::Volts(3.3), top: false }),
            "offset" => Step::Offset { by: 0.0 },
            "gain" => Step::Gain { by: 1.0, unit },
            "sensitivity" => Step::Sensitivity { by: 1.0, unit },
            "sign" => Step::Sign,
            "absolute" => Step::Absolute,
            "clamp" => Step::Clamp { low: 0.0, high: 100.0 },
            "decimals" => Step::Decimals { places: 1 },
            "zero" => Step::Zero { by: 0.0, taken: String::new() },
            "divider" => Step::Divider(Divider { fixed: 10_000.0, supply: 3.3, high: false, back: false }),
            "table" => Step::Table { points: vec![(0.0, 0.0), (1.0, 1.0)], unit },
            "polynomial" => Step::Polynomial { terms: vec![0.0, 1.0], unit },
            "thermistor" => Step::Thermistor { ohms: 10_000.0, celsius: 25.0, beta: 3950.0 },
            "steinhart" => Step::Steinhart { a: 1.129e-3, b: 2.341e-4, c: 8.775e-8 },
            "range" => Step::Range { from: (0.0, 1.0), to: (0.0, 100.0), unit: "%".into() },
            _ => return None,
        })
    }

    /// A word for its kind.
    pub fn kind(&self) -> &'static str {
        match self {
            Step::Converter(_) => "converter",
            Step::Offset { .. } => "offset",
            Step::Gain { .. } => "gain",
            Step::Sensitivity { .. } => "sensitivity",
            Step::Sign => "sign",
            Step::Absolute => "absolute",
            Step::Clamp { .. } => "clamp",
            Step::Decimals { .. } => "decimals",
            Step::Zero { .. } => "zero",
            Step::Divider(_) => "divider",
            Step::Table { .. } => "table",
            Step::Polynomial { .. } => "polynomial",
            Step::Thermistor { .. } => "thermistor",
            Step::Steinhart { .. } => "steinhart",
            Step::Range { .. } => "range",
            Step::Calibration(_) => "calibration",
            Step::Passed { step } => step.kind(),
        }
    }

    /// In a few characters, for the chain's cell.
    pub fn short(&self) -> String {
        match self {
            Step::Converter(converter) => {
                let codes = converter.bits.map_or("0-1".into(), |bits| format!("{bits} bit"));
                match &converter.reference {
                    Reference::Volts(volts) => format!("{codes} {volts} V"),
                    Reference::Channel(name) => format!("{codes} {name}"),
                }
            }
            Step::Offset { by } => format!("{:+}", -by),
            Step::Zero { .. } => "zeroed".into(),
            Step::Gain { by, .. } => format!("×{by}"),
            Step::Sensitivity { by, .. } => format!("÷{by}"),
            Step::Sign => "×-1".into(),
            Step::Calibration(_) => "calibrated".into(),
            Step::Passed { .. } => String::new(),
            other => other.kind().into(),
        }
    }

    /// Its parts. `unit` is the unit in front of it.
    pub fn parts(&self, unit: &str) -> Vec<Part> {
        match self {
            Step::Converter(converter) => {
                let bits = converter.bits.map_or("0 to 1".into(), |bits| bits.to_string());
                let (shown, written) = match &converter.reference {
                    Reference::Volts(volts) => (format!("{volts} V"), volts.to_string()),
                    Reference::Channel(name) => (format!("channel {name}"), name.clone()),
                };
                let top = if converter.top { "full scale" } else { "one step below it" };
                vec![
                    part(
                        "bits",
                        bits.clone(),
                        bits,
                        "8, 10, 12 … of the converter; 0 to 1 where the board sends shares",
                    ),
                    part("reference", shown, written, "full scale in volts, as measured; or a channel that says it"),
                    part("top code is", top, top, "what the highest code stands for; most converters: one step below"),
                ]
            }
            Step::Offset { by } => vec![number("taken away", *by, unit, "in the unit before it")],
            Step::Gain { by, unit: to } => {
                vec![number("times", *by, "", "units for each unit before; type 1/0.04 to divide"), unit_part(to)]
            }
            Step::Sensitivity { by, unit: to } => vec![
                number("divided by", *by, unit, "of the unit before for each unit behind; 40m is 0.04"),
                unit_part(to),
            ],
            Step::Sign | Step::Absolute => Vec::new(),
            Step::Clamp { low, high } => vec![
                number("at least", *low, unit, "what lies below becomes this"),
                number("at most", *high, unit, "what lies above becomes this"),
            ],
            Step::Decimals { places } => {
                vec![part("decimals", places.to_string(), places, "shown and logged; the value is rounded to them")]
            }
            Step::Zero { by, taken } => {
                let hint = "what counts as zero; z takes the settled value";
                let mut parts = vec![number("zero at", *by, unit, hint)];
                if !taken.is_empty() {
                    parts.push(part("taken", taken, taken, "when the zero was taken; Enter notes something else"));
                }
                parts
            }
            Step::Divider(divider) => vec![
                number("fixed resistor", divider.fixed, "Ω", "in ohms: 4.7k is 4700; A advises which one suits"),
                number("supply", divider.supply, "V", "over both resistors, as measured"),
                part(
                    "sensor is",
                    if divider.high { "at the supply" } else { "at ground" },
                    "",
                    "where the sensor stands: above the tap, or below it",
                ),
                part(
                    "turns",
                    if divider.back { "ohms into volts" } else { "volts into ohms" },
                    "",
                    "the way back shows what a sensor would give",
                ),
            ],
            Step::Table { points, unit: to } => vec![
                part(
                    "points",
                    crate::digits::counted(points.len() as u64, "point"),
                    list(points),
                    "from and to, as in: 0 0, 1.2 50, 2.9 100",
                ),
                unit_part(to),
            ],
            Step::Polynomial { terms, unit: to } => {
                let written = terms.iter().map(f64::to_string).collect::<Vec<_>>().join(" ");
                vec![
                    part("terms", written.clone(), written, "the constant first, then the factors of x, x^2 …"),
                    unit_part(to),
                ]
            }
            Step::Thermistor { ohms, celsius, beta } => vec![
                number("resistance", *ohms, "Ω", "of the thermistor at the temperature below; 10k"),
                number("at", *celsius, "°C", "the temperature that the resistance holds for"),
                number("beta", *beta, "K", "from the sensor's sheet"),
            ],
            Step::Steinhart { a, b, c } => vec![
                number("a", *a, "", "the constant; from the sensor's sheet"),
                number("b", *b, "", "the factor of ln R"),
                number("c", *c, "", "the factor of (ln R)^3"),
            ],
            Step::Range { from, to, unit: behind } => {
                let pair = |pair: &(f64, f64)| format!("{} {}", pair.0, pair.1);
                vec![
                    part("from", pair(from), pair(from), "the two ends of the travel; the survey (r) finds them"),
                    part("to", pair(to), pair(to), "what they become: 0 100, or angles such as -135 135"),
                    unit_part(behind),
                ]
            }
            Step::Calibration(calibration) => vec![
                part(
                    "made",
                    &calibration.date,
                    &calibration.date,
                    "when; c opens it, to check it against fresh levels",
                ),
                part("curve", calibration.curve.name(), "", "c makes another one"),
                unit_part(&calibration.unit),
            ],
            Step::Passed { step } => step.parts(unit),
        }
    }

    /// Sets part `index` to what was typed.
    ///
    /// # Errors
    /// What is wrong with it, in a sentence; the step is as it was then.
    pub fn set_part(&mut self, index: usize, text: &str) -> Result<(), String> {
        let text = text.trim();
        let mut changed = self.clone();
        changed.put(index, text)?;
        match changed.fault() {
            Some(fault) => Err(fault),
            None => {
                *self = changed;
                Ok(())
            }
        }
    }

    fn put(&mut self, index: usize, text: &str) -> Result<(), String> {
        match (self, index) {
            (Step::Passed { step }, _) => return step.put(index, text),
            (Step::Converter(converter), 0) => {
                let shares = matches!(text.replace(' ', "").as_str(), "0to1" | "0-1" | "0..1" | "off");
                let bits = || text.parse().map_err(|_| "type the bits as a whole number, or 0 to 1".to_owned());
                converter.bits = if shares { None } else { Some(bits()?) };
            }
            (Step::Converter(converter), 1) => {
                let is_name = text.chars().next().is_some_and(|c| c.is_alphabetic() || c == '_');
                converter.reference =
                    if is_name { Reference::Channel(text.into()) } else { Reference::Volts(typed(text)?) };
            }
            (Step::Offset { by } | Step::Gain { by, .. } | Step::Sensitivity { by, .. } | Step::Zero { by, .. }, 0) => {
                *by = typed(text)?;
            }
            (Step::Zero { taken, .. }, 1) => *taken = text.into(),
            (
                Step::Gain { unit, .. }
                | Step::Sensitivity { unit, .. }
                | Step::Table { unit, .. }
                | Step::Polynomial { unit, .. },
                1,
            )
            | (Step::Range { unit, .. }, 2) => *unit = text.into(),
            (Step::Calibration(calibration), 0) => calibration.date = text.into(),
            (Step::Calibration(calibration), 2) => calibration.unit = text.into(),
            (Step::Clamp { low, .. }, 0) => *low = typed(text)?,
            (Step::Clamp { high, .. }, 1) => *high = typed(text)?,
            (Step::Decimals { places }, 0) => *places = text.parse().map_err(|_| "type 0 to 9")?,
            (Step::Divider(divider), 0) => divider.fixed = typed(text)?,
            (Step::Divider(divider), 1) => divider.supply = typed(text)?,
            (Step::Table { points, .. }, 0) => *points = typed_points(text)?,
            (Step::Polynomial { terms, .. }, 0) => {
                *terms = text.split_whitespace().map(typed).collect::<Result<_, _>>()?;
            }
            (Step::Thermistor { ohms, .. }, 0) => *ohms = typed(text)?,
            (Step::Thermistor { celsius, .. }, 1) => *celsius = typed(text)?,
            (Step::Thermistor { beta, .. }, 2) => *beta = typed(text)?,
            (Step::Steinhart { a, .. }, 0) => *a = typed(text)?,
            (Step::Steinhart { b, .. }, 1) => *b = typed(text)?,
            (Step::Steinhart { c, .. }, 2) => *c = typed(text)?,
            (Step::Range { from: pair, .. }, 0) | (Step::Range { to: pair, .. }, 1) => {
                let two: Vec<f64> = text.split_whitespace().map(typed).collect::<Result<_, _>>()?;
                let [a, b] = two[..] else { return Err("type two numbers".into()) };
                *pair = (a, b);
            }
            _ => return Err("this part changes with ← and →".into()),
        }
        Ok(())
    }

    /// Moves part `index` a little up (1) or down (-1), or to its next choice; `finest` is the size of one raw step in
    /// front of this step. What cannot be moved stays.
    pub fn nudge_part(&mut self, index: usize, by: i32, finest: f64) {
        let before = self.clone();
        match (&mut *self, index) {
            (Step::Passed { step }, _) => step.nudge_part(index, by, finest),
            (Step::Converter(converter), 0) => {
                let here = converter.bits.map_or(0, |bits| BITS.partition_point(|b| *b < bits) + 1);
                let to = (here as i32 + by).clamp(0, BITS.len() as i32) as usize;
                converter.bits = to.checked_sub(1).map(|i| BITS[i]);
            }
            (Step::Converter(converter), 1) => {
                if let Reference::Volts(volts) = &mut converter.reference {
                    let beyond = |v: &&f64| if by > 0 { **v > *volts } else { **v < *volts };
                    let next =
                        if by > 0 { REFERENCES.iter().find(beyond) } else { REFERENCES.iter().rev().find(beyond) };
                    *volts = next.copied().unwrap_or(*volts);
                }
            }
            (Step::Converter(converter), 2) => converter.top = !converter.top,
            (Step::Divider(divider), 2) => divider.high = !divider.high,
            (Step::Divider(divider), 3) => divider.back = !divider.back,
            (Step::Decimals { places }, 0) => *places = (i32::from(*places) + by).clamp(0, 9) as u8,
            (Step::Offset { by: value } | Step::Zero { by: value, .. }, 0) => {
                nudge(value, by, round_step(finest.max(1e-12)));
            }
            (Step::Clamp { low: value, .. }, 0)
            | (Step::Clamp { high: value, .. }, 1)
            | (Step::Gain { by: value, .. } | Step::Sensitivity { by: value, .. }, 0)
            | (Step::Divider(Divider { fixed: value, .. }), 0)
            | (Step::Divider(Divider { supply: value, .. }), 1)
            | (Step::Thermistor { ohms: value, .. }, 0)
            | (Step::Thermistor { celsius: value, .. }, 1)
            | (Step::Thermistor { beta: value, .. }, 2)
            | (Step::Steinhart { a: value, .. }, 0)
            | (Step::Steinhart { b: value, .. }, 1)
            | (Step::Steinhart { c: value, .. }, 2) => nudge(value, by, 0.0),
            _ => {}
        }
        if self.fault().is_some() {
            *self = before;
        }
    }

    /// Whether part `index` is changed by stepping rather than by typing.
    pub fn is_choice(&self, index: usize) -> bool {
        match self {
            Step::Converter(_) => index == 2,
            Step::Divider(_) => index >= 2,
            Step::Passed { step } => step.is_choice(index),
            _ => false,
        }
    }
}

/// Moves a number by a hundredth of its size, rounded to 1, 2 or 5, or by `least` if that is more. A number that would
/// become 0 turns its sign instead, where it may not be 0.
fn nudge(value: &mut f64, by: i32, least: f64) {
    let step = round_step((value.abs() / 100.0).max(1e-12)).max(least);
    // Adding round steps leaves rounding behind: it is cut off where nobody will miss it.
    *value = ((*value + f64::from(by) * step) / step * 1e6).round() / 1e6 * step;
    *value = format!("{value:.12e}").parse().unwrap_or(*value);
}

/// Points as typed: `0 0, 1.2 50`.
fn typed_points(text: &str) -> Result<Vec<(f64, f64)>, String> {
    let mut points = Vec::new();
    for pair in text.split([',', ';']).map(str::trim).filter(|pair| !pair.is_empty()) {
        let two: Vec<f64> = pair.split_whitespace().map(typed).collect::<Result<_, _>>()?;
        let [x, y] = two[..] else { return Err(format!("'{pair}': type pairs, from and to, as in 0 0, 1.2 50")) };
        points.push((x, y));
    }
    points.sort_by(|a: &(f64, f64), b| a.0.total_cmp(&b.0));
    Ok(points)
}
