//! How fine the values of a formula are.

use super::Program;
use crate::Stamp;
use std::collections::VecDeque;

/// The rows that are looked at.
pub const SEEN: usize = 8;

/// Changes that are smaller than this share of the largest are rounding.
const ROUNDING: f64 = 1e-6;

/// The most decimals that are looked for in values that do not move with their inputs.
const DECIMALS: i32 = 6;

/// The smallest difference that says something between two values of a formula.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct FormulaStep {
    /// Its size; NaN where it is not known.
    pub size: f64,
    /// It follows from the steps of the inputs. Else it is that of the values seen, and a finer one may come.
    pub is_from_inputs: bool,
}

/// What the inputs of a formula were in its first rows, and in the last ones.
#[derive(Clone, Debug, Default)]
pub struct SeenRows {
    first: Vec<(Stamp, Vec<f64>)>,
    recent: VecDeque<(Stamp, Vec<f64>)>,
}

impl SeenRows {
    /// Takes the inputs of a row behind which `later` more are at hand: those that will not be looked at are not kept.
    #[inline]
    pub fn push(&mut self, at: Stamp, inputs: &[f64], later: usize) {
        if self.first.len() < SEEN {
            self.first.push((at, inputs.to_vec()));
        }
        if later < SEEN {
            if self.recent.len() == SEEN {
                self.recent.pop_front();
            }
            self.recent.push_back((at, inputs.to_vec()));
        }
    }

    /// The next row does not follow from the last one.
    pub fn break_off(&mut self) {
        self.recent.clear();
    }

    /// The first [`SEEN`] rows, once they are there.
    pub fn first(&self) -> Option<&[(Stamp, Vec<f64>)]> {
        (self.first.len() == SEEN).then_some(&self.first)
    }

    /// The last rows; `None` before the first.
    pub fn recent(&self) -> Option<Vec<(Stamp, Vec<f64>)>> {
        (!self.recent.is_empty()).then(|| self.recent.iter().cloned().collect())
    }
}

impl Program {
    /// How fine its values are, given `rows` that follow one another, each with a value an input, and the step of each
    /// input (NaN where that is not known).
    ///
    /// Each input is moved by its step in every other pair of the rows, up and down; the lower quartile of the changes that
    /// this makes is what the input says. The finest input counts: of degrees plus minutes / 60, the minutes. Where no
    /// input changes anything, as in `a > b ? 10 : 20`, the decimals that the values need count, up to six.
    pub fn step(&self, rows: &[(Stamp, Vec<f64>)], steps: &[f64]) -> FormulaStep {
        let values = self.run_anew(rows, |_, _| 0.0);
        let mut finest = f64::NAN;
        for (input, step) in steps.iter().enumerate().filter(|(_, step)| step.is_finite() && **step > 0.0) {
            let mut changes = Vec::new();
            for step in [*step, -step] {
                let moved = self.run_anew(rows, |row, at| if at == input && row / 2 % 2 == 0 { step } else { 0.0 });
                changes.extend(moved.iter().zip(&values).map(|(moved, value)| (moved - value).abs()));
            }
            changes.retain(|change| *change > 0.0 && change.is_finite());
            changes.sort_by(f64::total_cmp);
            // What is left of rounding where nothing changes is no step.
            let largest = changes.last().copied().unwrap_or(0.0);
            changes.retain(|change| *change > largest * ROUNDING);
            if let Some(small) = changes.get(changes.len() / 4) {
                finest = finest.min(*small);
            }
        }
        if finest.is_nan() {
            return FormulaStep { size: written(&values), is_from_inputs: false };
        }
        // The difference of two values is as exact as they are: a step of 1e-7 comes out as 1.0000000117e-7.
        let size = format!("{finest:.5e}").parse().unwrap_or(finest);
        FormulaStep { size, is_from_inputs: true }
    }

    /// The values in `rows` for one that has seen nothing, with `by` added to each input of each row.
    fn run_anew(&self, rows: &[(Stamp, Vec<f64>)], by: impl Fn(usize, usize) -> f64) -> Vec<f64> {
        let mut program = self.clone();
        program.reset();
        let mut inputs = Vec::new();
        let mut run = |(row, (at, values)): (usize, &(Stamp, Vec<f64>))| {
            inputs.clear();
            inputs.extend(values.iter().enumerate().map(|(input, value)| value + by(row, input)));
            program.run(*at, &inputs)
        };
        rows.iter().enumerate().map(&mut run).collect()
    }
}

/// The step that these values are whole multiples of: 1, 0.1 … ; NaN where there is none or no value.
fn written(values: &[f64]) -> f64 {
    let values = || values.iter().filter(|value| !value.is_nan());
    let is_whole = |value: f64| (value - value.round()).abs() <= value.abs() * 1e-12;
    let fits = |places: &i32| values().all(|value| is_whole(value * 10f64.powi(*places)));
    let places = (0..=DECIMALS).find(fits).filter(|_| values().next().is_some());
    places.map_or(f64::NAN, |places| 10f64.powi(-places))
}
