//! Butterworth filters: as flat as can be where they let through.

use super::section::{Cascade, Design, Section, bent};
use super::{Memory, Smooths};
use crate::digits::{duration, hertz, short};
use crate::part::{Nudge, Part, Range, Setting, Unit};
use serde::{Deserialize, Serialize};
use std::f64::consts::{PI, SQRT_2, TAU};

const HERTZ: &[f64] = &[
    0.01, 0.02, 0.05, 0.1, 0.2, 0.3, 0.5, 0.7, 1.0, 1.5, 2.0, 3.0, 5.0, 7.0, 10.0, 15.0, 20.0, 30.0, 50.0, 70.0, 100.0,
    200.0, 500.0, 1000.0, 2000.0,
];

/// What a filter lets through.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Pass {
    /// What is slower than the cut-off.
    #[default]
    Low,
    /// What is faster than the cut-off.
    High,
    /// What lies between two cut-offs.
    Band,
}

const PASSES: [Pass; 3] = [Pass::Low, Pass::High, Pass::Band];

/// Butterworth filter.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Butterworth {
    /// What it lets through.
    #[serde(default)]
    pub pass: Pass,
    /// How steep it is, 1 to 8; a band-pass has so many poles on either side.
    pub order: u32,
    /// The frequency at which 1/sqrt(2) of a wave is left, in hertz; the lower one of a band.
    pub cutoff: f64,
    /// The upper cut-off of a band in hertz, above the lower one.
    #[serde(default = "upper", skip_serializing_if = "is_upper")]
    pub upper: f64,
}

fn upper() -> f64 {
    10.0
}

fn is_upper(hertz: &f64) -> bool {
    *hertz == upper()
}

impl Default for Butterworth {
    fn default() -> Self {
        Butterworth { pass: Pass::Low, order: 2, cutoff: 5.0, upper: upper() }
    }
}

const fn in_hertz<F>(setting: Setting<F>) -> Setting<F> {
    setting.unit(Unit::Is("Hz")).range(Range::Above(0.0)).nudged(Nudge::Along(HERTZ))
}

impl Part for Butterworth {
    const KIND: &'static str = "butterworth";
    const HELP: &'static str = "Butterworth low-pass, high-pass or band-pass: against all faster, slower or both";
    const SETTINGS: &'static [Setting<Self>] = &[
        Setting::choice(
            "passes",
            "what it lets through",
            &["low frequencies", "high frequencies", "a band"],
            |filter: &Butterworth| PASSES.iter().position(|pass| *pass == filter.pass).unwrap_or(0),
            |filter, choice| {
                filter.pass = PASSES[choice];
                filter.upper = if filter.pass == Pass::Band { filter.upper.max(2.0 * filter.cutoff) } else { upper() };
            },
        ),
        Setting::number(
            "order",
            "higher: steeper, more delay, more ringing at steps",
            |filter: &Butterworth| f64::from(filter.order),
            // Checked against the range before.
            |filter, order| filter.order = order as u32,
        )
        .range(Range::Whole(1, 8))
        .nudged(Nudge::One),
        in_hertz(Setting::number(
            "cut-off",
            "here 71 % of a wave is left; lower: less noise, more delay",
            |filter: &Butterworth| filter.cutoff,
            |filter, hertz| filter.cutoff = hertz,
        )),
        in_hertz(Setting::number(
            "upper cut-off",
            "the other end of the band",
            |filter: &Butterworth| filter.upper,
            |filter, hertz| filter.upper = hertz,
        ))
        .when(|filter| filter.pass == Pass::Band),
    ];

    fn conflict(&self) -> Option<&'static str> {
        let wrong = self.pass == Pass::Band && self.upper <= self.cutoff;
        wrong.then_some("the upper cut-off must lie above the cut-off")
    }

    fn short(&self) -> String {
        match self.pass {
            Pass::Low => format!("low-pass {}", hertz(self.cutoff)),
            Pass::High => format!("high-pass {}", hertz(self.cutoff)),
            Pass::Band => format!("band {}–{} Hz", short(self.cutoff, 3), short(self.upper, 3)),
        }
    }
}

impl Butterworth {
    /// 2 sin of half the angles between the poles of the low-pass: the dampings of its sections of the second order.
    fn dampings(&self) -> impl Iterator<Item = f64> {
        let order = f64::from(self.order);
        (0..self.order / 2).map(move |i| 2.0 * (PI * (2.0 * f64::from(i) + 1.0) / (2.0 * order)).sin())
    }

    fn is_odd(&self) -> bool {
        self.order % 2 == 1
    }
}

impl Smooths for Butterworth {
    /// The group delay, of a low-pass at 0 Hz, of a band-pass in the middle of its band: the sum of k/omega over the
    /// sections of the second order and of 1/omega over that of the first. A high-pass lets no slow change through: 0.
    fn delay(&self, interval: f64) -> f64 {
        let unit = self.dampings().sum::<f64>() + f64::from(u8::from(self.is_odd()));
        let dt = if interval > 0.0 { interval } else { 1e-6 };
        let slow = |g: f64| unit * dt / (2.0 * g);
        match self.pass {
            Pass::Low => slow(bent(self.cutoff, dt)),
            Pass::High => 0.0,
            Pass::Band => 2.0 * slow(bent(self.upper, dt) - bent(self.cutoff, dt)),
        }
    }

    fn passes_slow(&self) -> bool {
        self.pass == Pass::Low
    }

    fn is_linear(&self) -> bool {
        true
    }

    fn start(&self) -> Box<dyn Memory> {
        Box::new(Cascade::new(*self))
    }

    fn in_other_terms(&self, interval: f64) -> Option<String> {
        let tau = 1.0 / (TAU * self.cutoff);
        let rows = short(tau / interval, 2);
        let tau = format!("{tau:.1e}").parse().unwrap_or(tau);
        (self.pass == Pass::Low).then(|| format!("time constant {}, {rows} rows", duration(tau)))
    }

    fn doubt(&self, interval: f64) -> Option<String> {
        let highest = if self.pass == Pass::Band { self.upper } else { self.cutoff };
        let half = 0.5 / interval;
        (highest >= half).then(|| {
            let what = match self.pass {
                Pass::Low => "everything passes",
                Pass::High => "next to nothing passes",
                Pass::Band => "the band ends there",
            };
            format!("the cut-off lies above half the row rate, {}: {what}", hertz(half))
        })
    }
}

impl Design for Butterworth {
    fn sections(&self, dt: f64, into: &mut Vec<Section>) {
        let g = bent(self.cutoff, dt);
        match self.pass {
            Pass::Low | Pass::High => {
                let is_low = self.pass == Pass::Low;
                let mix = |k: f64| if is_low { [0.0, 0.0, 1.0] } else { [1.0, -k, -1.0] };
                into.extend(self.dampings().map(|k| Section { g, k, mix: mix(k), is_first_order: false }));
                if self.is_odd() {
                    into.push(Section { g, k: 0.0, mix: mix(0.0), is_first_order: true });
                }
            }
            Pass::Band => {
                // The low-pass with s replaced by (s^2 + w0^2) / (B s): each of its poles p gives the two that solve
                // s^2 - p B s + w0^2 = 0; those of a conjugate pair of poles are two conjugate pairs.
                let upper = bent(self.upper, dt);
                let (width, squared) = (upper - g, upper * g);
                let section = |g: f64, k: f64| Section { g, k, mix: [0.0, width / g, 0.0], is_first_order: false };
                for k in self.dampings() {
                    let pole = (-k / 2.0 * width, (1.0 - k * k / 4.0).sqrt() * width);
                    // The root of (pB)^2 - 4 w0^2.
                    let (re, im) = (pole.0 * pole.0 - pole.1 * pole.1 - 4.0 * squared, 2.0 * pole.0 * pole.1);
                    let size = re.hypot(im);
                    let root =
                        ((size + re).max(0.0).sqrt() / SQRT_2, (size - re).max(0.0).sqrt() / SQRT_2 * im.signum());
                    // The larger solution; the other follows from their product, which is w0^2, so that nothing cancels.
                    let sign = if pole.0 * root.0 + pole.1 * root.1 >= 0.0 { 1.0 } else { -1.0 };
                    let (re, im) = ((pole.0 + sign * root.0) / 2.0, (pole.1 + sign * root.1) / 2.0);
                    let g = re.hypot(im);
                    let k = -2.0 * re / g;
                    into.extend([section(g, k), section(squared / g, k)]);
                }
                if self.is_odd() {
                    let g = squared.sqrt();
                    into.push(section(g, width / g));
                }
            }
        }
    }
}
