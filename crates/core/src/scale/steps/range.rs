//! A travelled range becomes another one.

use super::{Transform, code_number};
use crate::digits::typed;
use crate::part::{Part, Setting, Value};
use serde::{Deserialize, Serialize};

/// A travelled range becomes another one.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Range {
    /// The two ends of the travel, in the unit of the step before; different.
    pub from: (f64, f64),
    /// What they become; different.
    pub to: (f64, f64),
    /// The unit behind it; empty: the same as before.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub unit: String,
}

impl Default for Range {
    fn default() -> Self {
        Range { from: (0.0, 1.0), to: (0.0, 100.0), unit: "%".into() }
    }
}

impl Part for Range {
    const KIND: &'static str = "range";
    const HELP: &'static str = "a travelled range becomes another, such as 0 to 100 %";
    const SETTINGS: &'static [Setting<Self>] = &[
        Setting::own(
            "from",
            "the two ends of the travel; the survey (r) finds them",
            Value::Spelled {
                shown: |range| spelled(range.from),
                typed: |range| spelled(range.from),
                set: |range, text| {
                    range.from = pair(text)?;
                    Ok(())
                },
                nudge: |_, _| {},
                fault: |range| fault(range.from),
                examples: &["0.4 2.9"],
            },
        ),
        Setting::own(
            "to",
            "what the two ends become",
            Value::Spelled {
                shown: |range| spelled(range.to),
                typed: |range| spelled(range.to),
                set: |range, text| {
                    range.to = pair(text)?;
                    Ok(())
                },
                nudge: |_, _| {},
                fault: |range| fault(range.to),
                examples: &["0 100", "-135 135"],
            },
        ),
        Setting::output_unit(|range| &range.unit, |range, unit| range.unit = unit),
    ];
}

fn spelled(pair: (f64, f64)) -> String {
    format!("{} {}", pair.0, pair.1)
}

fn pair(text: &str) -> Result<(f64, f64), String> {
    let two: Vec<f64> = text.split_whitespace().map(typed).collect::<Result<_, _>>()?;
    let [a, b] = two[..] else { return Err("type two numbers".into()) };
    Ok((a, b))
}

fn fault(pair: (f64, f64)) -> Option<&'static str> {
    (!(pair.0.is_finite() && pair.1.is_finite()) || pair.0 == pair.1).then_some("the two ends of a range must differ")
}

impl Transform for Range {
    fn in_code(&self, x: &str) -> String {
        let (factor, shift) = self.line(f64::NAN).unwrap_or((1.0, 0.0));
        format!("{x} * {} + {}", code_number(factor), code_number(shift))
    }

    fn apply(&self, x: f64, _reference: f64) -> f64 {
        let (from, to) = (self.from, self.to);
        to.0 + (x - from.0) * ((to.1 - to.0) / (from.1 - from.0))
    }

    fn line(&self, _reference: f64) -> Option<(f64, f64)> {
        let factor = (self.to.1 - self.to.0) / (self.from.1 - self.from.0);
        Some((factor, self.to.0 - self.from.0 * factor))
    }

    fn unit(&self) -> &str {
        &self.unit
    }
}
