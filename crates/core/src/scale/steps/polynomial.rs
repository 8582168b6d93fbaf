//! A polynomial.

use super::{Transform, code_number};
use crate::digits::typed;
use crate::part::{Part, Setting, Value};
use serde::{Deserialize, Serialize};

/// A polynomial: the constant first, then the factors of x, x squared and so on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Polynomial {
    /// 1 to 10 of them.
    pub terms: Vec<f64>,
    /// The unit behind it; empty: the same as before.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub unit: String,
}

impl Default for Polynomial {
    fn default() -> Self {
        Polynomial { terms: vec![0.0, 1.0], unit: String::new() }
    }
}

impl Polynomial {
    fn spelled(&self) -> String {
        self.terms.iter().map(f64::to_string).collect::<Vec<_>>().join(" ")
    }
}

impl Part for Polynomial {
    const KIND: &'static str = "polynomial";
    const HELP: &'static str = "a + b x + c x² …";
    const SETTINGS: &'static [Setting<Self>] = &[
        Setting::own(
            "terms",
            "the constant first, then the factors of x, x^2 …",
            Value::Spelled {
                shown: Polynomial::spelled,
                typed: Polynomial::spelled,
                set: |polynomial, text| {
                    polynomial.terms = text.split_whitespace().map(typed).collect::<Result<_, _>>()?;
                    Ok(())
                },
                nudge: |_, _| {},
                fault: |polynomial| {
                    let sound =
                        (1..=10).contains(&polynomial.terms.len()) && polynomial.terms.iter().all(|t| t.is_finite());
                    (!sound).then_some("a polynomial has 1 to 10 finite terms, the constant first")
                },
                examples: &["0.5 2 -0.01", "3 1"],
            },
        ),
        Setting::output_unit(|polynomial| &polynomial.unit, |polynomial, unit| polynomial.unit = unit),
    ];
}

impl Transform for Polynomial {
    fn in_code(&self, x: &str) -> String {
        in_code(&self.terms, x)
    }

    fn apply(&self, x: f64, _reference: f64) -> f64 {
        value(&self.terms, x)
    }

    fn inverse(&self, y: f64, _reference: f64) -> Option<f64> {
        match self.terms[..] {
            [constant, factor] => Some((y - constant) / factor),
            _ => None,
        }
    }

    fn unit(&self) -> &str {
        &self.unit
    }
}

/// The same as text.
pub(super) fn in_code(terms: &[f64], x: &str) -> String {
    let terms: Vec<String> = terms.iter().copied().map(code_number).collect();
    let last = terms.last().cloned().unwrap_or_default();
    terms.iter().rev().skip(1).fold(last, |sum, term| format!("({sum}) * {x} + {term}"))
}

/// A polynomial's value by Horner's rule, the constant first; a gap stays a gap.
#[inline]
pub(super) fn value(terms: &[f64], x: f64) -> f64 {
    terms.iter().rev().fold(if x.is_nan() { x } else { 0.0 }, |sum, term| sum * x + term)
}
