//! A line through points, piece by piece.

use super::{Transform, code_number};
use crate::digits::{counted, typed};
use crate::part::{Part, Setting, Value};
use serde::{Deserialize, Serialize};

/// A line through points, piece by piece; it goes on beyond the ends along the last pieces.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Table {
    /// From and to, in rising order of the first; at least two.
    pub points: Vec<(f64, f64)>,
    /// The unit behind it; empty: the same as before.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub unit: String,
}

impl Default for Table {
    fn default() -> Self {
        Table { points: vec![(0.0, 0.0), (1.0, 1.0)], unit: String::new() }
    }
}

impl Part for Table {
    const KIND: &'static str = "table";
    const HELP: &'static str = "a line through points, piece by piece";
    const SETTINGS: &'static [Setting<Self>] = &[
        Setting::own(
            "points",
            "from and to, in pairs",
            Value::Spelled {
                shown: |table| counted(table.points.len() as u64, "point"),
                typed: |table| table.points.iter().map(|(x, y)| format!("{x} {y}")).collect::<Vec<_>>().join(", "),
                set: |table, text| {
                    table.points = typed_points(text)?;
                    Ok(())
                },
                nudge: |_, _| {},
                fault: |table| {
                    let rising = table.points.windows(2).all(|pair| pair[0].0 < pair[1].0);
                    let finite = table.points.iter().all(|(x, y)| x.is_finite() && y.is_finite());
                    (table.points.len() < 2 || !rising || !finite)
                        .then_some("a table needs two points or more, each further on than the one before")
                },
                examples: &["0 0, 1.2 50, 2.9 100"],
            },
        ),
        Setting::output_unit(|table| &table.unit, |table, unit| table.unit = unit),
    ];
}

impl Transform for Table {
    fn in_code(&self, x: &str) -> String {
        in_code(&self.points, x)
    }

    fn apply(&self, x: f64, _reference: f64) -> f64 {
        along(&self.points, x)
    }

    fn inverse(&self, y: f64, _reference: f64) -> Option<f64> {
        let rising = self.points.windows(2).all(|pair| pair[0].1 < pair[1].1);
        let falling = self.points.windows(2).all(|pair| pair[0].1 > pair[1].1);
        let mut turned: Vec<(f64, f64)> = self.points.iter().map(|(x, y)| (*y, *x)).collect();
        match (rising, falling) {
            (true, _) => {}
            (_, true) => turned.reverse(),
            _ => return None,
        }
        Some(along(&turned, y))
    }

    fn unit(&self) -> &str {
        &self.unit
    }
}

/// The line through `points` (two or more, in rising order), piece by piece, going on beyond the ends.
#[inline]
pub(super) fn along(points: &[(f64, f64)], x: f64) -> f64 {
    if x.is_nan() || points.len() < 2 {
        return f64::NAN;
    }
    let after = points.partition_point(|point| point.0 <= x).clamp(1, points.len() - 1);
    let ((x0, y0), (x1, y1)) = (points[after - 1], points[after]);
    y0 + (x - x0) * ((y1 - y0) / (x1 - x0))
}

/// The same as text: piece by piece, the last piece where no end of an earlier one lies above.
pub(super) fn in_code(points: &[(f64, f64)], x: &str) -> String {
    let piece = |pair: &[(f64, f64)]| {
        let [(x0, y0), (x1, y1)] = [pair[0], pair[1]];
        let [x0, y0, slope] = [x0, y0, (y1 - y0) / (x1 - x0)].map(code_number);
        format!("{y0} + ({x} - {x0}) * {slope}")
    };
    let pieces: Vec<&[(f64, f64)]> = points.windows(2).collect();
    let Some((last, before)) = pieces.split_last() else { return x.to_owned() };
    before
        .iter()
        .rev()
        .fold(piece(last), |rest, pair| format!("({x} < {} ? {} : {rest})", code_number(pair[1].0), piece(pair)))
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
