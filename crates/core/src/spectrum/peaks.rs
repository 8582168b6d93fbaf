//! What stands out of a spectrum: peaks, their harmonics, the noise below them.

use super::Spectrum;

/// The most peaks that are told.
pub const MOST: usize = 12;

/// The highest harmonic that counts.
const HIGHEST: u32 = 10;

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
    /// How often the fundamental fits into its frequency: 1 for the fundamental, 2 and more for its harmonics; `None` for a wave
    /// of its own.
    pub harmonic: Option<u32>,
}

/// What stands out of a spectrum.
#[derive(Clone, Debug, PartialEq)]
pub struct Peaks {
    /// The largest first, at most [`MOST`].
    pub found: Vec<Peak>,
    /// Total harmonic distortion: the harmonics' amplitudes, as the root of the sum of their squares, over that of the
    /// fundamental. 0 where no harmonic stands out; `None` without a peak.
    pub distortion: Option<f64>,
    /// The density of the noise below, the median over all frequencies, in the unit of the values per root hertz.
    pub floor: f64,
    /// The standard deviation of that noise.
    pub noise: f64,
}

/// Finds what stands out of `spectrum`.
pub fn find(spectrum: &Spectrum) -> Peaks {
    let width = spectrum.window.half_width();
    let powers: Vec<f64> = spectrum.amplitudes.iter().map(|amplitude| amplitude * amplitude).collect();
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
    tops.truncate(MOST);
    let mut found: Vec<Peak> = tops
        .iter()
        .map(|bin| {
            let (hertz, amplitude) = spectrum.refined(*bin);
            Peak { hertz, amplitude, harmonic: None }
        })
        .collect();
    let near = 0.6 * spectrum.resolution();
    let mut distortion = None;
    if let Some(fundamental) = found.first().copied() {
        let mut squares = 0.0;
        for peak in &mut found {
            let times = (peak.hertz / fundamental.hertz).round();
            if (1.0..=f64::from(HIGHEST)).contains(&times) && (peak.hertz - times * fundamental.hertz).abs() <= near {
                peak.harmonic = Some(times as u32);
                squares += if times > 1.0 { peak.amplitude * peak.amplitude } else { 0.0 };
            }
        }
        distortion = Some(squares.sqrt() / fundamental.amplitude);
    }
    let middle = median(powers[first..].to_vec()) * to_mean;
    let floor = middle.sqrt() * spectrum.to_density();
    Peaks { found, distortion, floor, noise: floor * (spectrum.rate / 2.0).sqrt() }
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
