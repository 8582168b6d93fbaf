//! Notch: takes the mains and its harmonics out of what was picked up.

use super::section::{Cascade, Design, Section};
use super::{Memory, Smooths};
use crate::digits::{counted, short};
use crate::part::{Nudge, Part, Range, Setting, Unit};
use crate::spectrum::names::shown_at;
use serde::{Deserialize, Serialize};
use std::f64::consts::PI;

/// Notch.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Notch {
    /// The frequency that is taken out, in hertz; above 0.
    pub hertz: f64,
    /// How many multiples of it are taken out, itself counted; 1 to 10.
    pub harmonics: u32,
    /// Between the frequencies at which 1/sqrt(2) of a wave is left, in hertz; above 0.
    pub width: f64,
}

impl Default for Notch {
    fn default() -> Self {
        Notch { hertz: 50.0, harmonics: 1, width: 2.0 }
    }
}

impl Part for Notch {
    const KIND: &'static str = "notch";
    const HELP: &'static str = "takes one frequency and its harmonics out: against mains hum";
    const SETTINGS: &'static [Setting<Self>] = &[
        Setting::number(
            "frequency",
            "50 or 60 Hz for the mains; any other can be typed",
            |filter: &Notch| filter.hertz,
            |filter, hertz| filter.hertz = hertz,
        )
        .unit(Unit::Is("Hz"))
        .range(Range::Above(0.0))
        .nudged(Nudge::Along(&[16.7, 50.0, 60.0, 100.0, 120.0, 400.0])),
        Setting::number(
            "harmonics",
            "1 takes the frequency alone, 3 also twice and three times it",
            |filter: &Notch| f64::from(filter.harmonics),
            // Checked against the range before.
            |filter, count| filter.harmonics = count as u32,
        )
        .range(Range::Whole(1, 10))
        .nudged(Nudge::One),
        Setting::number(
            "width",
            "narrower: less of the signal is lost, but it takes longer to settle",
            |filter: &Notch| filter.width,
            |filter, width| filter.width = width,
        )
        .unit(Unit::Is("Hz"))
        .range(Range::Above(0.0))
        .nudged(Nudge::Along(&[0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0])),
    ];

    fn short(&self) -> String {
        let more = if self.harmonics > 1 { format!(" ×{}", self.harmonics) } else { String::new() };
        format!("notch {}{more}", crate::digits::hertz(self.hertz))
    }
}

impl Smooths for Notch {
    /// The group delay at 0 Hz, k/omega of each section.
    fn delay(&self, interval: f64) -> f64 {
        let dt = if interval > 0.0 { interval } else { 1e-6 };
        let mut sections = Vec::new();
        self.sections(dt, &mut sections);
        sections.iter().filter(|section| section.mix[1] != 0.0).map(|section| section.k * dt / (2.0 * section.g)).sum()
    }

    fn is_linear(&self) -> bool {
        true
    }

    fn start(&self) -> Box<dyn Memory> {
        Box::new(Cascade::new(*self))
    }

    fn in_other_terms(&self, _: f64) -> Option<String> {
        // Three time constants of the envelope, 1 / (pi width).
        Some(format!("settles in {}", crate::digits::duration((300.0 / (PI * self.width)).round() / 100.0)))
    }

    fn doubt(&self, interval: f64) -> Option<String> {
        let half = 0.5 / interval;
        let aliases = (1..=self.harmonics).map(|n| self.hertz * f64::from(n)).filter(|hertz| *hertz > half);
        let (mut taken, mut left) = (Vec::new(), 0);
        for hertz in aliases {
            let at = shown_at(hertz, 1.0 / interval);
            if at > self.width {
                taken.push(format!("{} shows at {}", crate::digits::hertz(hertz), crate::digits::hertz(at)));
            } else {
                left += 1;
            }
        }
        let rate = short(1.0 / interval, 4);
        let taken =
            (!taken.is_empty()).then(|| format!("at {rate} rows/s {} and is taken out there", taken.join(", ")));
        let left = (left > 0)
            .then(|| format!("at {rate} rows/s {} cannot be told from 0 Hz and stays", counted(left, "multiple")));
        taken.into_iter().chain(left).reduce(|a, b| format!("{a}; {b}"))
    }
}

impl Design for Notch {
    fn sections(&self, dt: f64, into: &mut Vec<Section>) {
        for n in 1..=self.harmonics {
            let at = shown_at(self.hertz * f64::from(n), 1.0 / dt);
            let g = (PI * at * dt).tan();
            // The width is that of the notch in the rows: tan(pi width dt) = k g / (1 + g^2).
            let beta = (PI * (self.width * dt).min(super::section::HIGHEST)).tan();
            let k = beta * (1.0 + g * g) / g;
            let is_told = at > self.width && at * dt < super::section::HIGHEST;
            into.push(if is_told {
                Section { g, k, mix: [1.0, -k, 0.0], is_first_order: false }
            } else {
                // Close to 0 Hz it would take the signal itself.
                Section { g: 1.0, k: 1.0, mix: [1.0, 0.0, 0.0], is_first_order: false }
            });
        }
    }
}
