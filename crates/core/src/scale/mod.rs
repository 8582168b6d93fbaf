//! Stage 3, **scale**: a count becomes volts becomes a quantity with a unit, a step at a time.

mod advice;
mod scaler;
mod steps;

pub use advice::{Candidate, ResistorSeries, advise, evaluate};
pub use scaler::Scaler;
pub use steps::*;

use crate::digits::decimals;
use crate::part::Listed;
use serde::{Deserialize, Serialize};

/// How a channel's raw value becomes a quantity: steps in their order.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Scale {
    /// The unit of the raw value, as the board says it; empty where there is none.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub unit: String,
    /// The steps.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub steps: Vec<Step>,
}

impl Scale {
    /// A converter of so many bits, a shift in volts, a factor and a unit: the scale that most sensors need.
    pub fn linear(bits: u8, reference: f64, offset: f64, gain: f64, unit: &str) -> Scale {
        let mut scale = Scale::default();
        let reference = Reference::Volts(reference);
        scale.steps.push(Converter { bits: Some(bits), reference, top_is_reference: false }.into());
        if offset != 0.0 {
            scale.steps.push(Offset { subtract: offset }.into());
        }
        if gain != 1.0 || !unit.is_empty() {
            scale.steps.push(Gain { factor: gain, unit: unit.into() }.into());
        }
        scale
    }

    /// The scale made ready to run.
    pub fn scaler(&self) -> Scaler {
        Scaler::new(&self.steps)
    }

    /// Whether a raw value is changed at all.
    pub fn is_plain(&self) -> bool {
        self.steps.iter().all(Step::is_bypassed)
    }

    /// Whether nothing is set, the unit included.
    pub fn is_default(&self) -> bool {
        *self == Scale::default()
    }

    /// The converter in force, if there is one, and its place.
    pub fn converter(&self) -> Option<(usize, &Converter)> {
        self.steps.iter().enumerate().find_map(|(i, step)| match step {
            Step::Converter(converter) => Some((i, converter)),
            _ => None,
        })
    }

    /// The unit that a person reads: that of the last step that has one, else that of the raw value.
    pub fn unit(&self) -> &str {
        self.unit_behind(self.steps.len())
    }

    /// The same scale with its first `count` steps alone.
    #[must_use]
    pub fn upto(&self, count: usize) -> Scale {
        Scale { unit: self.unit.clone(), steps: self.steps[..count].to_vec() }
    }

    /// The unit behind the first `count` steps.
    pub fn unit_behind(&self, count: usize) -> &str {
        self.steps[..count].iter().rev().find_map(Step::unit).unwrap_or(&self.unit)
    }

    /// The volts that the converter refers to, where the reference channel, if it has one, says `channel` volts; NaN
    /// without a converter.
    pub fn reference_volts(&self, channel: f64) -> f64 {
        reference_volts(&self.steps, channel)
    }

    /// The value before the first step and behind each of them, where the reference channel says `reference` volts.
    pub fn walk(&self, raw: f64, reference: f64) -> Vec<f64> {
        let reference = self.reference_volts(reference);
        let walked = self.steps.iter().scan(raw, |x, step| {
            *x = step.apply(*x, reference);
            Some(*x)
        });
        [raw].into_iter().chain(walked).collect()
    }

    /// The volts that `raw` stands for, behind the converter; `None` without one.
    pub fn volts(&self, raw: f64, reference: f64) -> Option<f64> {
        let (at, _) = self.converter()?;
        self.walk(raw, reference).get(at + 1).copied()
    }

    /// Volts of one code, for a converter with a reference in volts.
    pub fn volts_per_count(&self) -> Option<f64> {
        let (_, converter) = self.converter()?;
        match converter.reference {
            Reference::Volts(volts) => Some(volts * converter.share()),
            Reference::Channel(_) => None,
        }
    }

    /// The size of one raw step in units of the quantity, `raw_step` being 1 for whole counts, 0.01 for two decimals.
    /// Where the scale bends, the middle one of fifteen places along the converter; NaN where that is not known.
    pub fn resolution(&self, raw_step: f64) -> f64 {
        let mut steps = self.step_sizes(raw_step);
        steps.sort_by(f64::total_cmp);
        steps.get(steps.len() / 2).copied().unwrap_or(f64::NAN)
    }

    /// The step sizes along the scale that are known: one where it is straight.
    fn step_sizes(&self, raw_step: f64) -> Vec<f64> {
        let smooth = self.without_rounding();
        if let Some((factor, _)) = smooth.line() {
            return vec![(raw_step * factor).abs()];
        }
        let Some((_, converter)) = self.converter() else { return Vec::new() };
        let place = |i: i32| converter.top_code() * f64::from(i) / 16.0;
        let step = if converter.bits.is_some() { raw_step } else { raw_step.min(1e-3) };
        let sizes = (1..16).map(|i| smooth.difference(place(i), step, 1.0));
        sizes.filter(|size| size.is_finite() && *size > 0.0).collect()
    }

    /// The raw value, not rounded, that stands for `quantity`, where the reference channel says `channel` volts: back through
    /// the steps, else by search between the raw values `ends`. `None` where neither leads there.
    pub fn raw_of(&self, quantity: f64, channel: f64, ends: Option<(f64, f64)>) -> Option<f64> {
        let (reference, there) = (self.reference_volts(channel), self.without_rounding());
        let off = |raw: f64| there.quantity(raw, channel) - quantity;
        let close = |raw: &f64| off(*raw).abs() <= 1e-6 * (quantity.abs() + self.resolution(1.0).max(0.0));
        let rounds = |step: &&Step| !matches!(step, Step::Decimals(_));
        let back = || self.steps.iter().rev().filter(rounds).try_fold(quantity, |y, step| step.inverse(y, reference));
        let search = || {
            let (mut low, mut high) = ends?;
            let falls = off(low) > off(high);
            for _ in 0..100 {
                let middle = (low + high) / 2.0;
                *(if (off(middle) > 0.0) == falls { &mut low } else { &mut high }) = middle;
            }
            Some(low)
        };
        back().filter(close).or_else(|| search().filter(close))
    }

    /// Whether it differs from `other` in more than a zero that was taken and in rounding.
    pub fn measures_otherwise(&self, other: &Scale) -> bool {
        let stays = |step: &&Step| !matches!(step, Step::Decimals(_) | Step::Zero(_));
        !self.steps.iter().filter(stays).eq(other.steps.iter().filter(stays))
    }

    /// The scale ready to run without its rounding, which hides how fine it is.
    pub fn without_rounding(&self) -> Scaler {
        let rounds = |step: &&Step| !matches!(step, Step::Decimals(_));
        Scaler::new(&self.steps.iter().filter(rounds).cloned().collect::<Vec<_>>())
    }

    /// The quantity at the ends of the converter, in rising order; `None` when there is no converter with bits, or its
    /// reference is a channel.
    pub fn full_scale(&self) -> Option<(f64, f64)> {
        let (_, converter) = self.converter()?;
        self.volts_per_count().filter(|_| converter.bits.is_some())?;
        let scaler = self.scaler();
        let places = (0..=64).map(|i| scaler.quantity(converter.top_code() * f64::from(i) / 64.0, f64::NAN));
        let finite = places.filter(|value| value.is_finite()).map(|value| (value, value));
        finite.reduce(|a, b| (a.0.min(b.0), a.1.max(b.1))).filter(|(low, high)| low < high)
    }

    /// The decimals that the last step in force asks for, if it rounds.
    pub fn decimals(&self) -> Option<usize> {
        match self.steps.iter().rev().find(|step| !step.is_bypassed()) {
            Some(Step::Decimals(Decimals { places })) => Some(usize::from(*places)),
            _ => None,
        }
    }

    /// Decimals with which the quantity is written to files: as the last step says, else two finer than the finest step
    /// of the converter. `None` where that is not known, as with shares of full scale; the shortest text is written then.
    pub fn file_decimals(&self) -> Option<usize> {
        let finest = || {
            self.volts_per_count()
                .filter(|_| self.converter().is_some_and(|(_, converter)| converter.bits.is_some()))?;
            self.step_sizes(1.0).into_iter().reduce(f64::min).map(|step| decimals(step) + 2)
        };
        self.decimals().or_else(finest)
    }

    /// The steps behind which a calibration compares: all that turn the raw value into what the sensor gives, up to the
    /// first that a calibration would replace.
    pub fn sensor_steps(&self) -> usize {
        self.steps.iter().take_while(|step| step.role() == Role::Sensor).count()
    }

    /// The newest calibration in force.
    pub fn calibration(&self) -> Option<&Calibration> {
        self.steps.iter().rev().find_map(|step| match step {
            Step::Calibration(calibration) => Some(calibration),
            _ => None,
        })
    }

    /// Takes a calibration in, in place of all behind the sensor's own steps.
    pub fn calibrate(&mut self, calibration: Calibration) {
        self.steps.truncate(self.sensor_steps());
        self.steps.push(Step::Calibration(calibration));
    }

    /// Takes `value`, which stands behind all steps, as zero: moves the zero that is there, or adds one, before what
    /// only trims the number.
    pub fn take_zero(&mut self, raw: f64, reference: f64, taken: String) {
        let trims = |step: &Step| step.role() == Role::Trim || step.is_bypassed();
        let place = self.steps.iter().rposition(|step| matches!(step, Step::Zero(_)));
        let at = place.unwrap_or_else(|| self.steps.iter().rposition(|step| !trims(step)).map_or(0, |last| last + 1));
        let by = self.walk(raw, reference)[at];
        // More digits than a mean of readings has, and no more.
        let by = format!("{by:.8e}").parse().unwrap_or(by);
        let zero = Zero { subtract: by, date: taken }.into();
        match place {
            Some(place) => self.steps[place] = zero,
            None => self.steps.insert(at, zero),
        }
    }

    /// What is wrong with the settings, if something is.
    pub fn fault(&self) -> Option<String> {
        let converts = |step: &&Step| matches!(step, Step::Converter(_));
        if self.steps.iter().filter(converts).count() > 1 {
            return Some("a scale has one converter".into());
        }
        Step::fault_of(&self.steps)
    }
}

fn reference_volts(steps: &[Step], channel: f64) -> f64 {
    let converter =
        steps.iter().find_map(|step| if let Step::Converter(converter) = step { Some(converter) } else { None });
    converter.map_or(f64::NAN, |converter| match converter.reference {
        Reference::Volts(volts) => volts,
        Reference::Channel(_) => channel,
    })
}

#[cfg(test)]
#[path = "scale_tests.rs"]
mod tests;
