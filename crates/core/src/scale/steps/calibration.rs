//! A calibration that was taken into a scale, kept with what it rests on, so that it can be looked at and checked again.

use super::{Transform, polynomial, table};
use crate::part::{Part, Setting, Value};
use serde::{Deserialize, Serialize};

/// A calibration.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Calibration {
    /// When it was made, as text for a person.
    pub date: String,
    /// The curve that was fitted.
    pub curve: Curve,
    /// The terms of the curve, the constant first; none where it is the line through the points.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub terms: Vec<f64>,
    /// What was compared, in rising order: the value that came, and what it really was.
    pub points: Vec<(f64, f64)>,
    /// How far the curve lies above each point, in `unit`.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub residuals: Vec<f64>,
    /// The unit of what it really was.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub unit: String,
}

/// What can be fitted.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Curve {
    /// A straight line.
    #[default]
    Line,
    /// A polynomial of the second degree.
    Square,
    /// A polynomial of the third degree.
    Cubic,
    /// Straight from point to point.
    Table,
}

impl Curve {
    /// All of them, in the order in which a person steps through them.
    pub const ALL: [Curve; 4] = [Curve::Line, Curve::Square, Curve::Cubic, Curve::Table];

    /// A word for the screen.
    pub fn name(self) -> &'static str {
        match self {
            Curve::Line => "line",
            Curve::Square => "curve of degree 2",
            Curve::Cubic => "curve of degree 3",
            Curve::Table => "table, point to point",
        }
    }

    /// The number of terms; 0 for a table.
    pub fn terms(self) -> usize {
        match self {
            Curve::Line => 2,
            Curve::Square => 3,
            Curve::Cubic => 4,
            Curve::Table => 0,
        }
    }
}

impl Part for Calibration {
    const KIND: &'static str = "calibration";
    const HELP: &'static str = "a curve through points that were compared with true values";
    const SETTINGS: &'static [Setting<Self>] = &[
        Setting::<Self>::text(
            "made",
            "when; c opens it, to check it against fresh levels",
            |calibration| &calibration.date,
            |calibration, date| calibration.date = date,
        ),
        Setting::own(
            "curve",
            "c makes another one",
            Value::Fact { get: |calibration| calibration.curve.name().into() },
        ),
        Setting::output_unit(|calibration| &calibration.unit, |calibration, unit| calibration.unit = unit),
    ];
    const IS_ADDED: bool = false;

    fn conflict(&self) -> Option<&'static str> {
        let rising = self.points.windows(2).all(|pair| pair[0].0 < pair[1].0);
        let points = self.points.iter().flat_map(|(x, y)| [x, y]);
        let finite = points.chain(&self.terms).chain(&self.residuals).all(|v| v.is_finite());
        Some(match self.curve {
            _ if !finite => "the points and terms of a calibration must be finite",
            Curve::Table if self.points.len() < 2 || !rising => "a calibration by table needs two rising points",
            Curve::Line if self.terms.get(1) == Some(&0.0) => "the second term of a line must not be 0",
            curve if self.terms.len() != curve.terms() => "a line has 2 terms, a square 3, a cubic 4, a table none",
            _ => return None,
        })
    }

    fn short(&self) -> String {
        "calibrated".into()
    }
}

impl Transform for Calibration {
    fn in_code(&self, x: &str) -> String {
        match self.curve {
            Curve::Table => table::in_code(&self.points, x),
            Curve::Line | Curve::Square | Curve::Cubic => polynomial::in_code(&self.terms, x),
        }
    }

    fn apply(&self, x: f64, _reference: f64) -> f64 {
        self.true_value(x)
    }

    fn line(&self, _reference: f64) -> Option<(f64, f64)> {
        (self.curve == Curve::Line).then(|| (self.terms[1], self.terms[0]))
    }

    fn unit(&self) -> &str {
        &self.unit
    }
}

impl Calibration {
    /// The true value, by the curve, for the value that came.
    #[inline]
    pub fn true_value(&self, x: f64) -> f64 {
        match self.curve {
            Curve::Table => table::along(&self.points, x),
            Curve::Line | Curve::Square | Curve::Cubic => polynomial::value(&self.terms, x),
        }
    }

    /// Full scale as far as it was compared: from the minimum to the maximum of the true values.
    pub fn span(&self) -> f64 {
        let most = self.points.iter().map(|point| point.1).fold(f64::NEG_INFINITY, f64::max);
        let least = self.points.iter().map(|point| point.1).fold(f64::INFINITY, f64::min);
        (most - least).max(0.0)
    }
}
