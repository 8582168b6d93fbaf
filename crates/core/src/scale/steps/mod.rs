//! The steps of a scale, a file for each kind. A kind is a [`Part`](crate::part::Part) that does what [`Transform`] asks;
//! one line of the list below makes it known.

mod absolute;
mod calibration;
mod clamp;
mod converter;
mod decimals;
mod divider;
mod gain;
mod offset;
mod polynomial;
mod range;
mod sensitivity;
mod sign;
mod steinhart;
mod table;
mod thermistor;
mod zero;

pub use absolute::Absolute;
pub use calibration::{Calibration, Curve};
pub use clamp::Clamp;
pub use converter::{Converter, Reference};
pub use decimals::Decimals;
pub use divider::Divider;
pub use gain::Gain;
pub use offset::Offset;
pub use polynomial::Polynomial;
pub use range::Range;
pub use sensitivity::Sensitivity;
pub use sign::Sign;
pub use steinhart::Steinhart;
pub use table::Table;
pub use thermistor::Thermistor;
pub use zero::Zero;

use crate::or_gap;
use std::fmt::Debug;

/// What a step is for, among the others.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Role {
    /// Turns the raw value into what the sensor gives; a calibration leaves it.
    Sensor,
    /// Turns what the sensor gives into the quantity; a calibration replaces it.
    Quantity,
    /// Only trims the number at the end; a zero stands before it.
    Trim,
}

/// What a step does to values. They come in the unit of the step before; NaN, a gap, stays one.
pub(super) trait Transform: Debug {
    /// The value behind the step. `reference` is the scale's [`Scale::reference_volts`](super::Scale::reference_volts).
    fn apply(&self, x: f64, reference: f64) -> f64;

    /// The same for many values, in place.
    fn apply_all(&self, values: &mut [f64], reference: f64) {
        values.iter_mut().for_each(|x| *x = or_gap(self.apply(*x, reference)));
    }

    /// The value before the step that gives `y` behind it; `None` where there is no single way back.
    fn inverse(&self, y: f64, reference: f64) -> Option<f64> {
        let (factor, shift) = self.line(reference)?;
        Some((y - shift) / factor)
    }

    /// Factor and shift of a step that is a straight line; steps in a row that are lines are joined into one.
    fn line(&self, _reference: f64) -> Option<(f64, f64)> {
        None
    }

    /// What it does to the value called `x`, as a formula that a board can work out; `reference` stands for the volts that
    /// a channel says.
    fn in_code(&self, x: &str) -> String;

    /// The unit behind the step, where it sets one; empty: the same as before.
    fn unit(&self) -> &str {
        ""
    }

    /// The channel whose quantity, in volts, the step needs.
    fn reference(&self) -> Option<&str> {
        None
    }

    /// What it is for.
    fn role(&self) -> Role {
        Role::Quantity
    }
}

/// A number of a listing, with twelve digits: more than the single precision of a board holds. Negative ones stand in brackets.
pub(crate) fn code_number(value: f64) -> String {
    let text = crate::digits::short(value, 12);
    if value < 0.0 { format!("({text})") } else { text }
}

crate::part::kinds! {
    /// A step of a scale. Values come in the unit of the step before, and NaN, a gap, stays one.
    enum Step as Transform, at most 32, "step":
    Converter, Offset, Gain, Sensitivity, Sign, Absolute, Clamp, Decimals, Zero, Divider, Table, Polynomial, Thermistor,
    Steinhart, Range, Calibration,
}

impl Step {
    /// The value behind the step, finite or a gap. `reference` is the scale's
    /// [`Scale::reference_volts`](super::Scale::reference_volts).
    pub fn apply(&self, x: f64, reference: f64) -> f64 {
        self.in_force().map_or(x, |step| or_gap(step.apply(x, reference)))
    }

    /// What it does to the value called `x`, as a formula; `reference` stands for the converter's reference in volts. `None`
    /// while it is bypassed.
    pub fn in_code(&self, x: &str) -> Option<String> {
        self.in_force().map(|step| step.in_code(x))
    }

    /// The same for many values, in place.
    pub(super) fn apply_all(&self, values: &mut [f64], reference: f64) {
        if let Some(step) = self.in_force() {
            step.apply_all(values, reference);
        }
    }

    /// The value before the step that gives `y` behind it; `None` where there is no single way back.
    pub fn inverse(&self, y: f64, reference: f64) -> Option<f64> {
        self.in_force().map_or(Some(y), |step| step.inverse(y, reference))
    }

    /// Factor and shift of a step that is a straight line.
    pub(super) fn line(&self, reference: f64) -> Option<(f64, f64)> {
        self.in_force().map_or(Some((1.0, 0.0)), |step| step.line(reference))
    }

    /// The unit behind the step, where it sets one.
    pub fn unit(&self) -> Option<&str> {
        self.in_force().map(Transform::unit).filter(|unit| !unit.is_empty())
    }

    /// The channel whose quantity, in volts, the step needs.
    pub(super) fn reference(&self) -> Option<&str> {
        self.in_force()?.reference()
    }

    /// What it is for, also while it is bypassed.
    pub fn role(&self) -> Role {
        match self {
            Step::Bypassed { of } => of.role(),
            step => step.in_force().map_or(Role::Quantity, Transform::role),
        }
    }
}
