//! A look at channels as an experienced colleague would take it: what reads like a fault, with the evidence and what to
//! check.

mod mains;
mod power;

use crate::digits::{duration, si};
use crate::scale::{Converter, Scale, Step};
use crate::stats::Noise;
use mains::{Tone, tone};
pub use power::{Fall, fall};

/// The fewest rows and seconds that are looked at.
const LEAST: (usize, f64) = (150, 1.5);

/// Noise beyond so many steps is more than a converter makes.
const NOISY: f64 = 15.0;

/// What is the matter.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum FaultKind {
    /// It reads like an input with nothing on it.
    Floating,
    /// It never gets off the ground: as from a sensor without power.
    Unpowered,
    /// It stands at an end of the converter.
    Clipped,
    /// It does not change at all.
    Stuck,
    /// The converter's bits or reference cannot be right.
    Converter,
    /// Two channels have the same noise.
    Together,
    /// It carries the mains.
    Hum,
    /// It is far noisier than one step.
    Noisy,
    /// It creeps.
    Drifting,
    /// It uses little of the converter's range.
    SmallRange,
}

impl FaultKind {
    /// Whether what else such a channel does follows from this.
    pub fn is_grave(self) -> bool {
        matches!(self, FaultKind::Floating | FaultKind::Unpowered | FaultKind::Clipped | FaultKind::Stuck)
    }

    /// In two or three words.
    pub fn name(self) -> &'static str {
        match self {
            FaultKind::Floating => "open input",
            FaultKind::Unpowered => "no signal",
            FaultKind::Clipped => "clipped",
            FaultKind::Stuck => "stuck",
            FaultKind::Converter => "converter settings",
            FaultKind::Together => "moves with another",
            FaultKind::Hum => "mains hum",
            FaultKind::Noisy => "noisy",
            FaultKind::Drifting => "drifting",
            FaultKind::SmallRange => "small range",
        }
    }
}

/// One channel, as it is looked at.
#[derive(Clone, Debug)]
pub struct CheckedChannel<'a> {
    /// What it is called.
    pub name: &'a str,
    /// Its scale.
    pub scale: &'a Scale,
    /// The newest raw values, in time order, without gaps.
    pub raw: Vec<f64>,
    /// Least and most raw value of all that is kept.
    pub ever: (f64, f64),
    /// What [`fall`] found in all that is kept.
    pub fall: Option<Fall>,
    /// The size of one raw step.
    pub step: f64,
    /// Seconds between two rows.
    pub interval: f64,
}

/// What was found.
#[derive(Clone, Debug, PartialEq)]
pub struct Finding {
    /// The channel, by its place among the channels_to_check.
    pub channel: usize,
    /// What is the matter.
    pub kind_of_fault: FaultKind,
    /// One sentence: the evidence.
    pub evidence: String,
    /// What to check.
    pub check: &'static str,
}

/// Whether a channel with this scale cannot be judged for lost power, clipping, open pins and what else is told from the
/// converter's range, since no converter is set.
pub fn lacks_converter(scale: &Scale) -> bool {
    scale.converter().is_none()
}

/// Looks at all channels of a source, analog ones with the same rows. The gravest findings of a channel come first.
pub fn check_up(channels_to_check: &[CheckedChannel<'_>]) -> Vec<Finding> {
    let mut findings: Vec<Finding> = Vec::new();
    for (channel, patient) in channels_to_check.iter().enumerate() {
        if let Some(look) = Look::at(patient) {
            findings.extend(look.complaints().into_iter().map(|(kind_of_fault, evidence, check)| Finding {
                channel,
                kind_of_fault,
                evidence,
                check,
            }));
        }
    }
    findings.extend(together(channels_to_check));
    findings.sort_by_key(|finding| (finding.channel, finding.kind_of_fault));
    findings
}

type Told = (FaultKind, String, &'static str);

/// What is measured of a channel.
struct Look<'a> {
    patient: &'a CheckedChannel<'a>,
    seconds: f64,
    least: f64,
    most: f64,
    noise: f64,
    /// The highest code, where a converter is set.
    top: Option<f64>,
    /// The board sends shares of full scale.
    is_share: bool,
    /// The mains, if they can be told.
    mains: Option<Tone>,
}

impl<'a> Look<'a> {
    fn at(patient: &'a CheckedChannel<'a>) -> Option<Look<'a>> {
        let seconds = patient.raw.len() as f64 * patient.interval;
        if patient.raw.len() < LEAST.0 || seconds.is_nan() || seconds < LEAST.1 {
            return None;
        }
        let mut noise = Noise::default();
        patient.raw.iter().for_each(|value| noise.push(*value));
        let fold = |pick: fn(f64, f64) -> f64, from: f64| patient.raw.iter().copied().fold(from, pick);
        let converter = patient.scale.converter().map(|(_, converter)| converter);
        let tones = [50.0, 60.0].into_iter().filter_map(|mains| tone(patient, mains));
        Some(Look {
            seconds,
            least: fold(f64::min, f64::INFINITY),
            most: fold(f64::max, f64::NEG_INFINITY),
            noise: noise.deviation()?,
            top: converter.map(Converter::top_code),
            is_share: converter.is_some_and(|converter| converter.bits.is_none()),
            mains: tones.max_by(|a, b| a.size.total_cmp(&b.size)),
            patient,
        })
    }

    fn complaints(&self) -> Vec<Told> {
        if let Some(told) =
            self.floating().or_else(|| self.unpowered()).or_else(|| self.clipped()).or_else(|| self.stuck())
        {
            // What such a channel does else follows from that.
            return self.converter().into_iter().chain([told]).collect();
        }
        let all = [self.converter(), self.hum(), self.noisy(), self.drifting(), self.small_range()];
        all.into_iter().flatten().collect()
    }

    /// So many codes, of how many.
    fn codes(&self, codes: f64) -> String {
        match self.top {
            Some(_) if self.is_share => format!("{:.1} % of full scale", codes * 100.0),
            Some(top) => format!("{codes:.0} of {top} codes"),
            None => format!("{codes:.0}"),
        }
    }

    fn share_at(&self, end: f64) -> f64 {
        self.patient.raw.iter().filter(|value| **value == end).count() as f64 / self.patient.raw.len() as f64
    }

    fn floating(&self) -> Option<Told> {
        let (top, Tone { mains, size, .. }) = (self.top?, self.mains?);
        (size > 0.04 * top).then(|| {
            (
                FaultKind::Floating,
                format!(
                    "swings by ±{} with the {mains} Hz mains, as an input with nothing on it does",
                    self.codes(size)
                ),
                "is the wire on that pin, and does the sensor share the board's ground?",
            )
        })
    }

    fn clipped(&self) -> Option<Told> {
        let top = self.top?;
        let (low, high) = (self.share_at(0.0), self.share_at(top));
        let (share, end, check) = if high >= low {
            (high, top, "the voltage reaches the reference: divide it down, lower the gain, or raise the reference")
        } else {
            (low, 0.0, "the voltage reaches ground or below: shift it up, or check the sensor's wiring")
        };
        (share >= 0.02).then(|| {
            (
                FaultKind::Clipped,
                format!("{:.0} % of the readings are at the converter's end, {}", share * 100.0, self.codes(end)),
                check,
            )
        })
    }

    fn stuck(&self) -> Option<Told> {
        (self.least == self.most && self.top.is_some() && self.seconds > 4.0).then(|| {
            (
                FaultKind::Stuck,
                format!("{} for {} without any change", self.least, duration(self.seconds)),
                "a live input flickers by a step: does the program read this pin, does the sensor answer?",
            )
        })
    }

    fn converter(&self) -> Option<Told> {
        let top = self.top?;
        if self.patient.ever.1 > top {
            let (code, what) = (self.patient.ever.1, if self.is_share { "share" } else { "code" });
            return Some((
                FaultKind::Converter,
                format!("{what} {code} does not fit the converter, whose top {what} is {top}"),
                "set the converter's bits (3): the board sends more of them",
            ));
        }
        if let Some(over) = self.above_supply() {
            return Some((
                FaultKind::Converter,
                over,
                "measure the supply and the reference, and type both as measured (3)",
            ));
        }
        let step = common_step(&self.patient.raw);
        (step >= 4.0).then(|| {
            (
                FaultKind::Converter,
                format!("codes come in steps of {step}: {:.0} bits less than are set", step.log2()),
                "the board shifts its readings up: set the bits that the converter has, and divide (3)",
            )
        })
    }

    /// Whether a divider sees more volts than its supply.
    fn above_supply(&self) -> Option<String> {
        let scale = self.patient.scale;
        let at =
            scale.steps.iter().position(|step| matches!(step, Step::Divider(divider) if !divider.ohms_to_volts))?;
        let Step::Divider(divider) = &scale.steps[at] else { return None };
        let volts = scale.walk(self.most, f64::NAN)[at];
        let supply = divider.supply(scale.reference_volts(f64::NAN));
        (volts > supply * 1.01).then(|| format!("{} at a divider whose supply is {}", si(volts, "V"), si(supply, "V")))
    }

    fn hum(&self) -> Option<Told> {
        let Tone { mains, size, beside, tallest, line } = self.mains?;
        // A fast signal has lines of its own there: what stands out among them is no mains.
        let stands_out = size > 5.0 * beside && size > 2.5 * tallest && size > 1.2 * line;
        (size > 1.5 * self.patient.step && stands_out).then(|| {
            (
                FaultKind::Hum,
                format!(
                    "{mains} Hz from the mains, ±{size:.1} steps, {:.0} times what lies beside it",
                    size / beside.max(1e-9)
                ),
                "shorter or shielded wires; average over 1/50 or 1/60 s; one common ground",
            )
        })
    }

    fn noisy(&self) -> Option<Told> {
        let steps = self.noise / self.patient.step;
        let loud = self.top.is_some() && !self.is_share && steps > NOISY;
        // Noise is as large between every second row; what a fast signal bends is four times as large.
        let sparser = || {
            let mut noise = Noise::default();
            self.patient.raw.iter().step_by(2).for_each(|value| noise.push(*value));
            noise.deviation().unwrap_or(0.0)
        };
        (loud && sparser() < 2.0 * self.noise).then(|| {
            (
                FaultKind::Noisy,
                format!("noise is {steps:.0} steps of the converter, far more than it makes itself"),
                "a capacitor at the input, a steadier supply, shorter wires",
            )
        })
    }

    fn drifting(&self) -> Option<Told> {
        let top = self.top?;
        let raw = &self.patient.raw;
        if self.seconds < 15.0 {
            return None;
        }
        let quarter = raw.len() / 4;
        let means: Vec<f64> =
            (0..4).map(|i| raw[i * quarter..(i + 1) * quarter].iter().sum::<f64>() / quarter as f64).collect();
        let steps: Vec<f64> = means.windows(2).map(|pair| pair[1] - pair[0]).collect();
        let even = steps.iter().all(|step| step.signum() == steps[0].signum() && step.abs() > 0.3 * steps[0].abs());
        let way = means[3] - means[0];
        // Within each quarter it does nothing else than creep: no waves.
        let spread = |part: &[f64], mean: f64| part.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / part.len() as f64;
        let calm = (0..4).all(|i| {
            let part = &raw[i * quarter..(i + 1) * quarter];
            spread(part, means[i]).sqrt() < 2.0 * self.noise.max(self.patient.step) + way.abs() / 3.0
        });
        let real = way.abs() > 4.0 * self.noise.max(self.patient.step) && way.abs() < 0.012 * top;
        (even && calm && real).then(|| {
            let rate = way / 0.75 / self.seconds * 60.0;
            let sign = if rate < 0.0 { "−" } else { "+" };
            (
                FaultKind::Drifting,
                format!("creeps by {sign}{} a minute, evenly, and nothing else moves it", self.codes(rate.abs())),
                "let it warm up, shield it from draught, check the supply; then take zero again (z)",
            )
        })
    }

    fn small_range(&self) -> Option<Told> {
        let top = self.top?;
        let range = self.patient.ever.1 - self.patient.ever.0;
        let moves = range > 12.0 * self.noise.max(self.patient.step);
        (moves && range < 0.03 * top && self.seconds > 15.0).then(|| {
            (
                FaultKind::SmallRange,
                format!("all its readings lie within {:.1} % of the converter's range", range / top * 100.0),
                "amplify before the converter, or choose a lower reference, to see finer steps",
            )
        })
    }
}

/// The largest number of which all differences of whole readings are multiples; 1 where there are too few different
/// ones, or fractions.
fn common_step(raw: &[f64]) -> f64 {
    let mut codes: Vec<f64> = raw.to_vec();
    codes.sort_by(f64::total_cmp);
    codes.dedup();
    if codes.len() < 12 || codes.iter().any(|code| code.fract() != 0.0) {
        return 1.0;
    }
    let divisor = |mut a: f64, mut b: f64| {
        while b > 0.0 {
            (a, b) = (b, a % b);
        }
        a
    };
    codes.windows(2).fold(0.0, |step, pair| divisor(step, pair[1] - pair[0]))
}

/// Channels whose noise is the same: an open pin keeps what the converter read before.
fn together(channels_to_check: &[CheckedChannel<'_>]) -> Vec<Finding> {
    let bends = |patient: &CheckedChannel<'_>| -> Vec<f64> {
        patient.raw.windows(3).map(|three| three[0] - 2.0 * three[1] + three[2]).collect()
    };
    let all: Vec<Vec<f64>> = channels_to_check.iter().map(bends).collect();
    let mut findings = Vec::new();
    for a in 0..all.len() {
        for b in a + 1..all.len() {
            if all[a].len() != all[b].len() || all[a].len() < LEAST.0 {
                continue;
            }
            let product = |x: &[f64], y: &[f64]| x.iter().zip(y).map(|(x, y)| x * y).sum::<f64>();
            let (xx, yy) = (product(&all[a], &all[a]), product(&all[b], &all[b]));
            let alike = product(&all[a], &all[b]) / (xx * yy).sqrt();
            let size = (yy / xx).sqrt();
            // The steps of the converter must not be all that there is to compare.
            let loud = [xx, yy].into_iter().all(|sum| sum / all[a].len() as f64 > 6.0);
            if loud && alike > 0.9 && (0.2..5.0).contains(&size) {
                // The open one follows with less.
                let (open, other) = if size < 1.0 { (b, a) } else { (a, b) };
                findings.push(Finding {
                    channel: open,
                    kind_of_fault: FaultKind::Together,
                    evidence: format!(
                        "{:.0} % of its noise is that of {}, as if one of the two pins were open",
                        alike * 100.0,
                        channels_to_check[other].name
                    ),
                    check: "ground this pin for a moment: if it still follows, the wire or the channel is wrong",
                });
            }
        }
    }
    findings
}

#[cfg(test)]
#[path = "checkup_tests.rs"]
mod tests;
