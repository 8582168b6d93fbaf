//! A scale made ready to run: steps that are straight lines are joined into one, the others follow one another over
//! whole blocks of values.

use super::{Step, reference_volts};
use crate::or_gap;
use crate::part::Listed;

#[derive(Clone, Debug, PartialEq)]
enum Op {
    /// Times the first, plus the second.
    Line(f64, f64),
    /// Any other step.
    Step(Step),
}

/// A scale that is ready to run.
#[derive(Clone, Debug)]
pub struct Scaler {
    ops: Vec<Op>,
    reference: Option<String>,
    /// The converter's reference, where no channel says it; NaN without one.
    volts: f64,
}

impl Default for Scaler {
    fn default() -> Self {
        Scaler { ops: Vec::new(), reference: None, volts: f64::NAN }
    }
}

impl Scaler {
    pub(super) fn new(steps: &[Step]) -> Self {
        let mut scaler = Scaler { volts: reference_volts(steps, f64::NAN), ..Scaler::default() };
        for step in steps {
            scaler.add(step);
        }
        scaler
    }

    fn add(&mut self, step: &Step) {
        if step.is_bypassed() {
            return;
        }
        if let Some(name) = step.reference() {
            self.reference = Some(name.to_owned());
            return self.ops.push(Op::Step(step.clone()));
        }
        match (self.ops.last_mut(), step.line(f64::NAN)) {
            (Some(Op::Line(a, b)), Some((factor, shift))) => (*a, *b) = (*a * factor, *b * factor + shift),
            (_, Some((factor, shift))) => self.ops.push(Op::Line(factor, shift)),
            (_, None) => self.ops.push(Op::Step(step.clone())),
        }
    }

    /// The channel whose quantity is the converter's reference, if one is.
    pub fn reference(&self) -> Option<&str> {
        self.reference.as_deref()
    }

    /// Factor and shift, where the whole scale is one straight line.
    pub fn line(&self) -> Option<(f64, f64)> {
        match self.ops[..] {
            [] => Some((1.0, 0.0)),
            [Op::Line(factor, shift)] => Some((factor, shift)),
            _ => None,
        }
    }

    /// The quantity that `raw` stands for, where the reference channel says `reference` volts. A gap (NaN) stays a gap, and
    /// what is not finite becomes one at once, behind whichever step.
    #[inline]
    pub fn quantity(&self, raw: f64, reference: f64) -> f64 {
        let reference = if self.reference.is_some() { reference } else { self.volts };
        self.ops.iter().fold(raw, |x, op| op.apply(x, reference))
    }

    /// How far apart the quantities of two raw values around `raw` lie, which are `apart` from one another.
    pub fn difference(&self, raw: f64, apart: f64, reference: f64) -> f64 {
        (self.quantity(raw + apart / 2.0, reference) - self.quantity(raw - apart / 2.0, reference)).abs()
    }

    /// The same as [`Scaler::quantity`] for many raw values, in place; for a scale without a reference channel.
    pub fn quantities(&self, values: &mut [f64]) {
        for op in &self.ops {
            match op {
                // A loop of its own, so that the compiler does several at once.
                Op::Line(factor, shift) => values.iter_mut().for_each(|x| *x = or_gap(*x * factor + shift)),
                Op::Step(step) => step.apply_all(values, self.volts),
            }
        }
    }
}

impl Op {
    #[inline]
    fn apply(&self, x: f64, reference: f64) -> f64 {
        match self {
            Op::Line(factor, shift) => or_gap(x * factor + shift),
            Op::Step(step) => step.apply(x, reference),
        }
    }
}
