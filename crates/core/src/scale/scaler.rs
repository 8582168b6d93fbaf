//! A scale made ready to run: steps that are straight lines are joined into one, the others follow one another over
//! whole blocks of values.

use super::sensor;
use super::step::{Divider, Reference, Step};

#[derive(Clone, Debug, PartialEq)]
enum Op {
    /// Times the first, plus the second.
    Line(f64, f64),
    /// Times this share of what the reference channel says.
    Share(f64),
    Absolute,
    Clamp(f64, f64),
    Round(u8),
    Divider(Divider),
    Table(Vec<(f64, f64)>),
    Polynomial(Vec<f64>),
    Beta(f64, f64, f64),
    Steinhart([f64; 3]),
}

/// A scale that is ready to run.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Scaler {
    ops: Vec<Op>,
    reference: Option<String>,
}

impl Scaler {
    pub(super) fn new(steps: &[Step]) -> Self {
        let mut scaler = Scaler::default();
        for step in steps {
            scaler.add(step);
        }
        scaler
    }

    fn add(&mut self, step: &Step) {
        let op = match step {
            Step::Passed { .. } => return,
            Step::Converter(converter) if matches!(converter.reference, Reference::Channel(_)) => {
                if let Reference::Channel(name) = &converter.reference {
                    self.reference = Some(name.clone());
                }
                Op::Share(converter.share())
            }
            Step::Absolute => Op::Absolute,
            Step::Clamp { low, high } => Op::Clamp(*low, *high),
            Step::Decimals { places } => Op::Round(*places),
            Step::Divider(divider) => Op::Divider(divider.clone()),
            Step::Table { points, .. } => Op::Table(points.clone()),
            Step::Thermistor { ohms, celsius, beta } => Op::Beta(*ohms, *celsius, *beta),
            Step::Steinhart { a, b, c } => Op::Steinhart([*a, *b, *c]),
            Step::Polynomial { terms, .. } => Op::Polynomial(terms.clone()),
            Step::Calibration(calibration) => match calibration.line() {
                Some((factor, shift)) => Op::Line(factor, shift),
                None if calibration.terms.is_empty() => Op::Table(calibration.points.clone()),
                None => Op::Polynomial(calibration.terms.clone()),
            },
            line => {
                let (factor, shift) = line.line(f64::NAN).unwrap_or((1.0, 0.0));
                Op::Line(factor, shift)
            }
        };
        match (self.ops.last_mut(), &op) {
            (Some(Op::Line(a, b)), Op::Line(factor, shift)) => (*a, *b) = (*a * factor, *b * factor + shift),
            _ => self.ops.push(op),
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

    /// The quantity that `raw` stands for, where the reference channel says `reference` volts. A gap (NaN) stays a gap.
    #[inline]
    pub fn quantity(&self, raw: f64, reference: f64) -> f64 {
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
                Op::Line(factor, shift) => values.iter_mut().for_each(|x| *x = *x * factor + shift),
                op => values.iter_mut().for_each(|x| *x = op.apply(*x, f64::NAN)),
            }
        }
    }
}

impl Op {
    #[inline]
    fn apply(&self, x: f64, reference: f64) -> f64 {
        match self {
            Op::Line(factor, shift) => x * factor + shift,
            Op::Share(share) => x * (reference * share),
            Op::Absolute => x.abs(),
            Op::Clamp(low, high) => sensor::clamp(x, *low, *high),
            Op::Round(places) => sensor::round(x, *places),
            Op::Divider(divider) if divider.back => divider.volts(x),
            Op::Divider(divider) => divider.ohms(x),
            Op::Table(points) => sensor::along(points, x),
            Op::Polynomial(terms) => sensor::polynomial(terms, x),
            Op::Beta(ohms, celsius, beta) => sensor::beta_celsius(x, *ohms, *celsius, *beta),
            Op::Steinhart(terms) => sensor::steinhart_celsius(x, *terms),
        }
    }
}
