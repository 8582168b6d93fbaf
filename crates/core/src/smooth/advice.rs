//! Advice: which filters bring a channel closest to what it measures, told from its own rows.
//!
//! What is measured is not known, but how far filtered rows lie from it can be estimated (C. M. Stein, "Estimation of the mean
//! of a multivariate normal distribution", 1981): with y filtered of x = truth + noise, the mean of (y - truth)^2 is that of
//! (y - x)^2, less the noise's power, plus twice the noise that y and x have in common. That counts delay as well as noise.

use super::price::impulse;
use super::{Butterworth, Exponential, Filter, Mean, Median, Notch, SavitzkyGolay, Smoother, Spikes, Strength};
use crate::Stamp;
use crate::chance::Chance;
use crate::spectrum::{Maker, Recipe, Spectrum, names, peaks};
use std::f64::consts::TAU;

/// Rows that advice is taken from, the newest.
pub const MOST_ROWS: usize = 2048;

/// Fewer rows say nothing.
pub const FEWEST_ROWS: usize = 64;

/// What rows say from one to the next may be less than the noise is, where several share it: by so much.
const LOOSE: f64 = 1.5;

/// Where fewer rows than this share lie off the line between their neighbours there is no noise.
const SELDOM: f64 = 0.03;

/// Filters that leave more than this share of the error are not worth their delay.
const WORTH: f64 = 0.8;

/// A simpler family is preferred that is at most this much worse.
const AS_GOOD: f64 = 1.03;

/// A spike is farther off than so many deviations of the noise.
const FAR: f64 = 8.0;

/// A family of filters, which differ by their strength.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Family {
    /// Moving average.
    Mean,
    /// Exponential.
    Exponential,
    /// Butterworth low-pass of order 2.
    LowPass,
    /// Median.
    Median,
    /// Savitzky-Golay of degree 2.
    Polynomial,
}

impl Family {
    /// All of them, the simpler ones first.
    pub const ALL: [Family; 5] =
        [Family::Mean, Family::Exponential, Family::LowPass, Family::Median, Family::Polynomial];

    /// Its filters for rows `interval` seconds apart, the weakest first.
    pub fn strengths(self, interval: f64) -> Vec<Filter> {
        const WINDOWS: [u32; 15] = [2, 3, 4, 5, 7, 9, 11, 15, 21, 31, 41, 51, 71, 101, 151];
        const TAUS: [u32; 12] = [1, 2, 3, 4, 5, 7, 10, 15, 20, 30, 50, 75];
        const TURNS: [f64; 15] =
            [0.4, 0.3, 0.2, 0.15, 0.12, 0.1, 0.07, 0.05, 0.04, 0.03, 0.02, 0.015, 0.01, 0.007, 0.005];
        let windows = |of: fn(Strength) -> Filter| WINDOWS.iter().map(|rows| of(Strength::Rows(*rows))).collect();
        match self {
            Family::Mean => windows(|window| Mean { window }.into()),
            Family::Median => windows(|window| Median { window }.into())
                .into_iter()
                .filter(|filter: &Filter| !matches!(filter, Filter::Median(Median { window: Strength::Rows(2 | 4) })))
                .collect(),
            Family::Exponential => {
                TAUS.iter().map(|rows| Exponential { time_constant: Strength::Rows(*rows) }.into()).collect()
            }
            Family::LowPass => {
                let cutoff = |turns: &f64| format!("{:.1e}", turns / interval).parse().unwrap_or(*turns);
                let filter = |turns| Butterworth { cutoff: cutoff(turns), order: 2, ..Butterworth::default() };
                TURNS.iter().map(|turns| filter(turns).into()).collect()
            }
            Family::Polynomial => WINDOWS[4..]
                .iter()
                .map(|rows| SavitzkyGolay { window: Strength::Rows(*rows), degree: 2, at_newest: false }.into())
                .collect(),
        }
    }
}

/// Filters that are proposed, and how well they should do.
#[derive(Clone, Debug, PartialEq)]
pub struct Candidate {
    /// The filters, in their order.
    pub filters: Vec<Filter>,
    /// How far from the truth it is estimated to lie, as a standard deviation.
    pub error: f64,
}

/// What the rows of a channel say of its noise, and which filters follow from that.
#[derive(Clone, Debug)]
pub struct Advice {
    /// The standard deviation of the noise, hum and spikes apart.
    pub noise: f64,
    /// Waves of the mains: frequency in the rows in hertz, and amplitude.
    pub hum: Vec<(f64, f64)>,
    /// How many spikes there are.
    pub spikes: usize,
    /// How far from the truth the rows lie as they are.
    pub error: f64,
    /// The strongest wave that is not the mains: frequency in hertz and amplitude.
    pub wave: Option<(f64, f64)>,
    /// What is proposed; without filters where none is worth its delay.
    pub best: Candidate,
    /// The best of each family, the best first.
    pub candidates: Vec<Candidate>,
}

/// The strongest wave of a spectrum that is not the mains.
pub fn strongest_wave(spectrum: &Spectrum) -> Option<(f64, f64)> {
    let found = peaks::find(spectrum).found;
    let is_mains = |hertz: f64| names::mains(hertz, spectrum.rate, spectrum.resolution()).is_some();
    found.iter().find(|peak| !is_mains(peak.hertz)).map(|peak| (peak.hertz, peak.amplitude))
}

struct Rows<'a> {
    values: &'a [f64],
    interval: f64,
    /// Which of them are spikes.
    spikes: Vec<bool>,
    noise: f64,
    hum: Vec<(f64, f64)>,
}

impl Rows<'_> {
    fn filtered(&self, filters: &[Filter], values: &[f64]) -> Vec<f64> {
        let times: Vec<Stamp> =
            (0..values.len()).map(|row| Stamp::default().plus(row as f64 * self.interval)).collect();
        let mut out = values.to_vec();
        Smoother::new(filters).push_all(&times, &mut out);
        out
    }

    /// The estimated mean square of the error of `filters`, of which `front` remove spikes.
    fn risk(&self, front: &[Filter], filters: &[Filter]) -> f64 {
        let all = [front, filters].concat();
        let out = self.filtered(&all, self.values);
        let skipped = self.values.len() / 8;
        let counted = (skipped..self.values.len()).filter(|row| !self.spikes[*row] && !out[*row].is_nan());
        let count = counted.clone().count().max(1) as f64;
        let apart = counted.map(|row| (out[row] - self.values[row]).powi(2)).sum::<f64>() / count;
        let hum: f64 = self.hum.iter().map(|(_, amplitude)| amplitude * amplitude / 2.0).sum();
        let power = self.noise * self.noise;
        // What the output has in common with the noise of its own row.
        let common = match filters.iter().filter_map(Filter::in_force).all(|filter| filter.is_linear()) {
            true => {
                let impulse = impulse(filters, self.interval);
                let of_hum = |(hertz, amplitude): &(f64, f64)| {
                    let turn = TAU * hertz * self.interval;
                    let sum: f64 = impulse.iter().enumerate().map(|(k, h)| h * (turn * k as f64).cos()).sum();
                    sum * amplitude * amplitude / 2.0
                };
                power * impulse[0] + self.hum.iter().map(of_hum).sum::<f64>()
            }
            false => {
                // By how much the output moves with a row that is moved a little: by chance, as noise, and as the hum does.
                let along = |direction: Vec<f64>| {
                    let step = 0.5 * self.noise.max(1e-12);
                    let moved: Vec<f64> =
                        self.values.iter().zip(&direction).map(|(value, by)| value + step * by).collect();
                    let other = self.filtered(&all, &moved);
                    let rows = (skipped..out.len()).filter(|row| !(other[*row] - out[*row]).is_nan());
                    let sum: f64 = rows.map(|row| (other[row] - out[row]) * direction[row] / step).sum();
                    sum / (out.len() - skipped) as f64
                };
                let mut chance = Chance(21);
                let white = self.values.iter().map(|_| if chance.share() < 0.5 { -1.0 } else { 1.0 }).collect();
                let wave = |hertz: f64| {
                    let turn = TAU * hertz * self.interval;
                    (0..self.values.len()).map(|row| (turn * row as f64).cos()).collect()
                };
                let of_hum = self.hum.iter().map(|(hertz, amplitude)| along(wave(*hertz)) * amplitude * amplitude);
                power * along(white).clamp(0.0, 1.0) + of_hum.sum::<f64>()
            }
        };
        apart - power - hum + 2.0 * common
    }
}

/// Which of the rows are spikes: far from the rows on both sides, which agree with one another.
fn spikes(values: &[f64]) -> Vec<bool> {
    // Of white noise, what lies off the line between neighbours has sqrt(6) its deviation; a median knows no spikes.
    let noise = of_bends(values);
    let noise = if noise.is_infinite() { 0.0 } else { noise };
    let median = |from: usize| {
        let mut rows = [values[from], values[from + 1], values[from + 2]];
        rows.sort_by(f64::total_cmp);
        rows[1]
    };
    let mut found = vec![false; values.len()];
    for row in 4..values.len().saturating_sub(5) {
        // A row is left out on either side, which may be of the same spike.
        let (before, after) = (median(row - 4), median(row + 2));
        let off = (values[row] - before).abs().min((values[row] - after).abs());
        found[row] = off > FAR * noise && off > 2.0 * (before - after).abs();
    }
    found
}

/// The deviation of white noise by what rows lie off the line between their neighbours, which has sqrt(6) of it; by the
/// median, so that what is rare does not count. Where most lie on that line, as on codes that seldom change, it is not told,
/// unless hardly any lies off it.
fn of_bends(values: &[f64]) -> f64 {
    let mut bends: Vec<f64> = values.windows(3).map(|rows| (rows[0] - 2.0 * rows[1] + rows[2]).abs()).collect();
    let off = bends.iter().filter(|bend| **bend > 0.0).count() as f64 / bends.len() as f64;
    let middle = bends.len() / 2;
    match *bends.select_nth_unstable_by(middle, f64::total_cmp).1 {
        _ if off < SELDOM => 0.0,
        0.0 => f64::INFINITY,
        bend => 1.4826 / 6f64.sqrt() * bend,
    }
}

/// Advice on even rows, `rate` a second. `None` for too few rows, or rows without noise.
pub fn advise(values: &[f64], rate: f64, maker: &mut Maker) -> Option<Advice> {
    let values = &values[values.len().saturating_sub(MOST_ROWS)..];
    if values.len() < FEWEST_ROWS || rate.is_nan() || rate <= 0.0 {
        return None;
    }
    let spikes = spikes(values);
    // Without spikes: the value before stands in.
    let mut calm = values.to_vec();
    (1..calm.len()).filter(|row| spikes[*row]).for_each(|row| calm[row] = calm[row - 1]);
    let whole = maker.spectrum(&calm, rate, Recipe { length: calm.len(), ..Recipe::default() })?;
    let parts = maker.spectrum(&calm, rate, Recipe { length: calm.len() / 4, ..Recipe::default() })?;
    let found = peaks::find(&whole);
    let near = whole.resolution();
    let hum: Vec<(f64, f64)> = found
        .found
        .iter()
        .filter(|peak| names::mains(peak.hertz, rate, near).is_some())
        .map(|peak| (peak.hertz, peak.amplitude))
        .collect();
    // Noise is told where waves and movement are least: in the upper half of the frequencies, waves apart.
    let mut upper: Vec<f64> = parts.amplitudes[parts.amplitudes.len() / 2..].iter().map(|a| a * a).collect();
    let middle = upper.len() / 2;
    // Of a mean of seven exponential numbers the median lies 5 % below it.
    let power = *upper.select_nth_unstable_by(middle, f64::total_cmp).1 * 1.05;
    let noise = power.sqrt() * parts.to_density() * (rate / 2.0).sqrt();
    // Steps are in all frequencies; from row to row they are rare.
    let noise = noise.min(LOOSE * of_bends(&calm));
    if noise <= 0.0 && hum.is_empty() && !spikes.contains(&true) {
        return None;
    }
    let rows = Rows { values, interval: 1.0 / rate, noise, hum, spikes };
    let hum_power: f64 = rows.hum.iter().map(|(_, amplitude)| amplitude * amplitude / 2.0).sum();
    let own = noise * noise + hum_power;
    let spiked =
        values.iter().zip(&calm).map(|(value, calm)| (value - calm).powi(2)).sum::<f64>() / values.len() as f64;
    let count = rows.spikes.iter().filter(|spike| **spike).count();
    let front: Vec<Filter> =
        if count > 0 { vec![Spikes { window: Strength::Rows(7), deviations: 6.0 }.into()] } else { Vec::new() };
    let notches: Vec<Filter> = rows
        .hum
        .iter()
        .filter(|(_, amplitude)| *amplitude > noise)
        .take(2)
        .map(|(hertz, _)| {
            Notch { hertz: (hertz * 1e3).round() / 1e3, harmonics: 1, width: (rate / 50.0).min(2.0) }.into()
        })
        .collect();
    let mut options: Vec<Vec<Filter>> = vec![Vec::new()];
    if !notches.is_empty() {
        options.push(notches);
    }
    let candidate = |filters: Vec<Filter>, risk: f64| Candidate {
        filters: [front.clone(), filters].concat(),
        error: risk.max(1e-4 * own).sqrt(),
    };
    let best_of = |family: Family| {
        let tried = options.iter().flat_map(|notches| {
            let of = |filter: Filter| [notches.clone(), vec![filter]].concat();
            family.strengths(rows.interval).into_iter().map(of).collect::<Vec<_>>()
        });
        let tried = tried.map(|filters| (rows.risk(&front, &filters), filters));
        tried.min_by(|a, b| a.0.total_cmp(&b.0)).map(|(risk, filters)| candidate(filters, risk))
    };
    let mut candidates: Vec<Candidate> = Family::ALL.iter().filter_map(|family| best_of(*family)).collect();
    let least = candidates.iter().map(|candidate| candidate.error).fold(f64::INFINITY, f64::min);
    let alone = options.into_iter().map(|filters| (rows.risk(&front, &filters), filters));
    let alone = alone.map(|(risk, filters)| candidate(filters, risk)).min_by(|a, b| a.error.total_cmp(&b.error));
    let simple = candidates.iter().find(|candidate| candidate.error <= AS_GOOD * least).cloned();
    let best = match (alone, simple) {
        (Some(alone), Some(simple)) if simple.error > WORTH * alone.error => alone,
        (alone, simple) => simple.or(alone)?,
    };
    candidates.sort_by(|a, b| a.error.total_cmp(&b.error));
    Some(Advice {
        noise,
        spikes: count,
        error: (own + spiked).sqrt(),
        wave: strongest_wave(&whole),
        hum: rows.hum,
        best,
        candidates,
    })
}
