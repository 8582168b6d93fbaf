//! Sections of first and second order that follow the real intervals between rows.
//!
//! A section is an analog filter whose integrators are worked out by the trapezoidal rule over each interval. Over even rows
//! that is the bilinear transform; frequencies are bent before (`tan`), so that they come out where they are set.

use crate::Stamp;
use std::fmt::Debug;

/// The share of the row rate up to which a frequency is a filter's to set; half of it is the end of what rows can show.
pub(super) const HIGHEST: f64 = 0.499;

/// Longer than this times the usual interval is an interval that is gone through in parts.
const LONG: f64 = 1.5;

/// More parts than this: the filter starts over.
const MOST_PARTS: f64 = 2000.0;

/// A section of first or second order, as it is set for one interval: a state-variable filter by the trapezoidal rule.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Section {
    /// The corner frequency, bent: tan(pi f dt).
    pub g: f64,
    /// The damping, 1/Q.
    pub k: f64,
    /// How much of the input, of the band-pass and of the low-pass comes out.
    pub mix: [f64; 3],
    /// Of the first order: there is no band-pass, and no damping.
    pub is_first_order: bool,
}

impl Section {
    /// The rows after which a difference has died away to a share of 1e-12: by the slowest of its poles.
    pub(crate) fn memory(&self) -> f64 {
        let (g, k) = (self.g, self.k);
        let pole = if self.is_first_order {
            (1.0 - g) / (1.0 + g)
        } else if k < 2.0 {
            ((1.0 - g * k + g * g) / (1.0 + g * k + g * g)).sqrt()
        } else {
            let root = (k * k - 4.0).sqrt();
            let of = |s: f64| ((1.0 + g * s) / (1.0 - g * s)).abs();
            of((root - k) / 2.0).max(of((-root - k) / 2.0))
        };
        if self.mix == [1.0, 0.0, 0.0] { 0.0 } else { (1e-12f64.ln() / pole.abs().ln()).max(1.0) }
    }
}

/// tan(pi f dt): a frequency as a section that is worked out over the interval `dt` needs it.
pub(super) fn bent(hertz: f64, dt: f64) -> f64 {
    (std::f64::consts::PI * (hertz * dt).min(HIGHEST)).tan()
}

/// A filter made of sections.
pub(super) trait Design: Clone + Debug + Send + Sync + 'static {
    /// What its sections are for rows `dt` seconds apart, above 0; always as many.
    fn sections(&self, dt: f64, into: &mut Vec<Section>);
}

#[derive(Clone, Copy, Debug, Default)]
struct State {
    high: f64,
    band: f64,
    low: f64,
}

impl State {
    /// At rest at `value`; gives what comes out.
    fn rest(&mut self, value: f64, c: &Section) -> f64 {
        *self = State { high: 0.0, band: 0.0, low: value };
        c.mix[0] * value + c.mix[2] * value
    }

    #[inline]
    fn push(&mut self, value: f64, c: &Section) -> f64 {
        let Section { g, k, mix, is_first_order } = *c;
        if is_first_order {
            self.low = (self.low + g * (self.high + value)) / (1.0 + g);
            self.high = value - self.low;
        } else {
            let (band, low) = (self.band + g * self.high, self.low + g * self.band);
            self.band = (band + g * (value - low)) / (1.0 + g * (g + k));
            self.low = low + g * self.band;
            self.high = value - k * self.band - self.low;
        }
        mix[0] * value + mix[1] * self.band + mix[2] * self.low
    }

    fn is_sound(&self) -> bool {
        self.high.is_finite() && self.band.is_finite() && self.low.is_finite()
    }
}

/// Sections one behind another, at work.
#[derive(Clone, Debug)]
pub(super) struct Cascade<D> {
    design: D,
    states: Vec<State>,
    coefficients: Vec<Section>,
    /// The interval that the coefficients are for.
    interval: f64,
    last: Option<(Stamp, f64)>,
    /// The usual interval.
    usual: f64,
}

impl<D: Design> Cascade<D> {
    pub(super) fn new(design: D) -> Self {
        Cascade {
            design,
            states: Vec::new(),
            coefficients: Vec::new(),
            interval: f64::NAN,
            last: None,
            usual: f64::NAN,
        }
    }

    fn set_interval(&mut self, dt: f64) {
        if self.interval != dt {
            self.interval = dt;
            self.coefficients.clear();
            self.design.sections(dt, &mut self.coefficients);
        }
    }

    fn rest(&mut self, value: f64) -> f64 {
        if self.coefficients.is_empty() {
            // At rest the interval does not matter.
            self.set_interval(1e-3);
        }
        self.states.resize(self.coefficients.len(), State::default());
        let both = self.states.iter_mut().zip(&self.coefficients);
        both.fold(value, |value, (section, coefficients)| section.rest(value, coefficients))
    }

    fn step(&mut self, value: f64) -> f64 {
        let both = self.states.iter_mut().zip(&self.coefficients);
        both.fold(value, |value, (section, coefficients)| section.push(value, coefficients))
    }
}

impl<D: Design> super::Memory for Cascade<D> {
    fn push(&mut self, at: Stamp, value: f64) -> f64 {
        let Some((before, from)) = self.last.replace((at, value)) else { return self.rest(value) };
        // Rows of one moment are a nanosecond apart.
        let dt = at.seconds_since(before).max(1e-9);
        if self.usual.is_nan() {
            self.usual = dt;
        }
        let out = if dt <= LONG * self.usual {
            self.usual += (dt - self.usual) / 8.0;
            self.set_interval(dt);
            self.step(value)
        } else {
            // In one step the sections would swing over: what lies between is taken to be a line.
            let parts = (dt / self.usual).round();
            self.usual = (1.1 * self.usual).min(dt);
            if parts > MOST_PARTS {
                return self.rest(value);
            }
            self.set_interval(dt / parts);
            let parts = parts as u32;
            let between = |part: u32| from + (value - from) * (f64::from(part) / f64::from(parts));
            (1..=parts).map(|part| self.step(between(part))).last().unwrap_or(value)
        };
        if !self.states.iter().all(State::is_sound) {
            self.last = None;
            return f64::NAN;
        }
        out
    }

    fn copy(&self) -> Box<dyn super::Memory> {
        Box::new(self.clone())
    }
}
