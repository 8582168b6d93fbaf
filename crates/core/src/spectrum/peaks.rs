//! What stands out of a spectrum: peaks, their harmonics, the noise below them.

use super::Spectrum;

/// The most peaks that are told.
pub const MOST: usize = 12;

/// The highest harmonic that counts as distortion.
const HIGHEST: u32 = 10;

/// A peak of at least this share of the largest one may be its fundamental.
const LARGE: f64 = 0.5;

/// So many of them are tried, the lowest first.
const TRIED: usize = 4;

/// How well the frequency of a peak is known, in bins: by its height over the noise, at best and at worst.
const SURE: f64 = 0.02;
const UNSURE: f64 = 0.6;

/// How likely noise alone makes a peak anywhere.
const CHANCE: f64 = 0.01;

/// Bins over which the floor is taken.
const NEAR: usize = 64;

/// The mean of noise power over its median in one part: 1 / ln 2.
const OF_MEDIAN: f64 = std::f64::consts::LOG2_E;

/// A wave that stands out.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Peak {
    /// Its frequency in hertz, found between bins.
    pub hertz: f64,
    /// Its amplitude in the unit of the values.
    pub amplitude: f64,
    /// How often the fundamental fits into its frequency, as far as both are known: 1 for the fundamental, 2 and more for its
    /// harmonics; `None` for a wave of its own.
    pub harmonic: Option<u32>,
}

/// What stands out of a spectrum.
#[derive(Clone, Debug, PartialEq)]
pub struct Peaks {
    /// The largest first, at most [`MOST`].
    pub found: Vec<Peak>,
    /// Total harmonic distortion: the amplitudes of the second to the tenth harmonic below half the rate, as the root of the
    /// sum of their squares, over that of the fundamental. 0 where no harmonic stands out; `None` without a peak.
    pub distortion: Option<f64>,
    /// The density of the noise below, the median over all frequencies, in the unit of the values per root hertz.
    pub floor: f64,
    /// The standard deviation of that noise.
    pub noise: f64,
}

/// Finds what stands out of `spectrum`.
pub fn find(spectrum: &Spectrum) -> Peaks {
    let width = spectrum.window.half_width();
    let mut powers: Vec<f64> = spectrum.amplitudes.iter().map(|amplitude| amplitude * amplitude).collect();
    if spectrum.length.is_multiple_of(2)
        && let Some(last) = powers.last_mut()
    {
        // A wave at half the rate has no mirror image; beside its neighbours, where it is seen as well, it counts like them.
        *last *= 4.0;
    }
    // The mean belongs to no wave.
    let first = width.min(powers.len().saturating_sub(1));
    let parts = spectrum.parts as f64;
    // Of a mean of k exponential numbers: the median lies by 1 - 1 / (9 k), to the third power, below it.
    let to_mean = if spectrum.parts == 1 { OF_MEDIAN } else { (1.0 - 1.0 / (9.0 * parts)).powi(-3) };
    let floors = floors(&powers, first);
    let floor_at = |bin: usize| floors[bin / NEAR] * to_mean;
    // A bound for the largest of so many means of exponential numbers.
    let rare = (powers.len() as f64 / CHANCE).ln();
    let times = 1.0 + (2.0 * rare / parts).sqrt() + rare / parts;
    let largest = powers[first..].iter().copied().fold(0.0, f64::max);
    // What the window of the largest wave leaves far away, and rounding, are no waves.
    let least = largest * 1e-9 + (spectrum.mean * 1e-13).powi(2);
    let mut tops: Vec<usize> = (first..powers.len())
        .filter(|bin| {
            let near = bin.saturating_sub(width)..(bin + width + 1).min(powers.len());
            let power = powers[*bin];
            power > times * floor_at(*bin) && power > least && powers[near].iter().all(|other| *other <= power)
        })
        .collect();
    tops.sort_by(|a, b| powers[*b].total_cmp(&powers[*a]));
    let mut found: Vec<Peak> = tops.iter().take(MOST).map(|bin| peak(spectrum, *bin)).collect();
    let doubt = |bin: usize| (powers[bin] / floor_at(bin)).sqrt().recip().clamp(SURE, UNSURE);
    let distortion = fundamental(spectrum, &tops, &powers).map(|bin| {
        let (own, its_doubt) = (peak(spectrum, bin), doubt(bin));
        // How often the fundamental fits into a frequency that is known to so many bins.
        let fits = |hertz: f64, doubt: f64| {
            let times = (hertz / own.hertz).round();
            let off = (hertz - times * own.hertz).abs() / spectrum.resolution();
            (times >= 1.0 && off <= doubt).then_some(times as u32)
        };
        let harmonic = |bin: usize, peak: &Peak| {
            let times = (peak.hertz / own.hertz).round();
            fits(peak.hertz, (doubt(bin) + times * its_doubt).min(UNSURE))
        };
        let mut squares = 0.0;
        let mut add = |times: Option<u32>, amplitude: f64| {
            if times.is_some_and(|times| (2..=HIGHEST).contains(&times)) {
                squares += amplitude * amplitude;
            }
        };
        for (bin, peak) in tops.iter().zip(&mut found) {
            peak.harmonic = harmonic(*bin, peak);
            add(peak.harmonic, peak.amplitude);
        }
        for bin in tops.iter().skip(MOST) {
            if fits(spectrum.hertz(*bin), 1.0).is_some_and(|times| times <= HIGHEST) {
                let peak = peak(spectrum, *bin);
                add(harmonic(*bin, &peak), peak.amplitude);
            }
        }
        squares.sqrt() / own.amplitude
    });
    let middle = median(powers[first..].to_vec()) * to_mean;
    let floor = middle.sqrt() * spectrum.to_density();
    Peaks { found, distortion, floor, noise: floor * (spectrum.rate / 2.0).sqrt() }
}

/// The peak in a bin.
fn peak(spectrum: &Spectrum, bin: usize) -> Peak {
    // Between it and its mirror image a wave at half the rate cannot be found.
    let (hertz, amplitude) = if 2 * bin == spectrum.length {
        (spectrum.hertz(bin), spectrum.amplitudes[bin])
    } else {
        spectrum.refined(bin)
    };
    Peak { hertz, amplitude, harmonic: None }
}

/// The bin of the fundamental: that of the largest peak, or of a lower one nearly as large of which it is a multiple, as are
/// most between them: pulses have many harmonics of one size.
fn fundamental(spectrum: &Spectrum, tops: &[usize], powers: &[f64]) -> Option<usize> {
    let largest = *tops.first()?;
    let there = |hertz: f64| tops.iter().any(|top| (spectrum.hertz(*top) - hertz).abs() <= spectrum.resolution());
    let is_large = |top: &usize| *top > 0 && *top < largest && powers[*top] >= LARGE * LARGE * powers[largest];
    let mut large: Vec<usize> = tops.iter().copied().filter(is_large).collect();
    large.sort_unstable();
    let is_it = |top: &usize| {
        let own = spectrum.refined(*top).0;
        let times = (spectrum.hertz(largest) / own).round() as u32;
        let all = (1..=times).filter(|n| there(f64::from(*n) * own)).count();
        there(f64::from(times) * own) && times >= 2 && 3 * all >= 2 * times as usize
    };
    large.into_iter().take(TRIED).find(is_it).or(Some(largest))
}

/// The median power around every [`NEAR`] bins.
fn floors(powers: &[f64], first: usize) -> Vec<f64> {
    let around = |bin: usize| {
        let from = bin.saturating_sub(NEAR).max(first);
        let to = (bin + 2 * NEAR).min(powers.len()).max((from + 2 * NEAR).min(powers.len()));
        median(powers[from.min(to)..to].to_vec())
    };
    (0..powers.len()).step_by(NEAR).map(around).collect()
}

fn median(mut values: Vec<f64>) -> f64 {
    if values.is_empty() {
        return 0.0;
    }
    let middle = values.len() / 2;
    *values.select_nth_unstable_by(middle, f64::total_cmp).1
}
