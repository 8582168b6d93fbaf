//! Spectra of evenly spaced rows: amplitudes in the channel's unit, densities, peaks with their harmonics, noise floor.
//!
//! Rows become even by [`even`]; a [`Spectrum`] is averaged over parts of them that overlap by half (P. D. Welch, "The use of
//! fast Fourier transform for the estimation of power spectra", 1967). [`peaks`] finds what stands out, [`names`] what it may
//! be, [`waterfall`] how it changes, [`period`] a slow wave by its crossings, [`follow`] how late one channel follows another.

pub mod even;
pub mod follow;
pub mod names;
pub mod peaks;
pub mod period;
pub mod waterfall;
mod window;

pub use window::Window;

use realfft::RealFftPlanner;
use std::f64::consts::TAU;
use std::sync::Arc;

/// The shortest part that a spectrum is made of, in rows.
pub const SHORTEST: usize = 16;

/// The longest part, in rows.
pub const LONGEST: usize = 1 << 18;

/// Parabolas after which a peak is found.
const MOST_STEPS: usize = 24;

/// How a spectrum is made.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Recipe {
    /// How the ends of each part are faded.
    pub window: Window,
    /// Rows of a part; shorter where there are fewer.
    pub length: usize,
}

impl Default for Recipe {
    fn default() -> Self {
        Recipe { window: Window::Hann, length: 1024 }
    }
}

/// An amplitude spectrum, averaged over parts.
#[derive(Clone, Debug)]
pub struct Spectrum {
    /// Rows a second.
    pub rate: f64,
    /// Rows of each part.
    pub length: usize,
    /// How many parts there are.
    pub parts: usize,
    /// How their ends were faded.
    pub window: Window,
    /// The mean of the rows, which is taken away before.
    pub mean: f64,
    /// The amplitude of each bin, from 0 to half the rate: that of a wave in the middle of the bin, in the unit of the values.
    pub amplitudes: Vec<f64>,
    weights: Arc<Vec<f64>>,
    values: Arc<Vec<f64>>,
}

/// Makes spectra; what it needs for a length is worked out once.
pub struct Maker {
    planner: RealFftPlanner<f64>,
    weights: Option<(Window, Arc<Vec<f64>>)>,
}

impl Default for Maker {
    fn default() -> Self {
        Maker { planner: RealFftPlanner::new(), weights: None }
    }
}

impl std::fmt::Debug for Maker {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Maker").finish_non_exhaustive()
    }
}

impl Maker {
    fn weights(&mut self, window: Window, length: usize) -> Arc<Vec<f64>> {
        match &self.weights {
            Some((of, weights)) if *of == window && weights.len() == length => Arc::clone(weights),
            _ => {
                let weights = Arc::new(window.weights(length));
                self.weights = Some((window, Arc::clone(&weights)));
                weights
            }
        }
    }

    /// The spectrum of `values`, `rate` a second, none of them NaN. `None` for fewer than [`SHORTEST`], or a rate that is
    /// none.
    pub fn spectrum(&mut self, values: &[f64], rate: f64, recipe: Recipe) -> Option<Spectrum> {
        if values.len() < SHORTEST || !(rate > 0.0 && rate.is_finite()) || values.iter().any(|v| !v.is_finite()) {
            return None;
        }
        let length = recipe.length.clamp(SHORTEST, LONGEST).min(values.len());
        let weights = self.weights(recipe.window, length);
        let transform = self.planner.plan_fft_forward(length);
        let (mut input, mut output) = (transform.make_input_vec(), transform.make_output_vec());
        let mean = values.iter().map(|value| value / values.len() as f64).sum::<f64>();
        let mut powers = vec![0.0; output.len()];
        let begins = part_begins(values.len(), length);
        for begin in &begins {
            let part = values[*begin..begin + length].iter().zip(weights.iter());
            input.iter_mut().zip(part).for_each(|(input, (value, weight))| *input = (value - mean) * weight);
            transform.process(&mut input, &mut output).ok()?;
            powers.iter_mut().zip(&output).for_each(|(power, bin)| *power += bin.norm_sqr());
        }
        let sum: f64 = weights.iter().sum();
        let amplitude = |(bin, power): (usize, f64)| {
            // A wave shares its power with its mirror image, but at 0 and at half the rate there is none.
            let sides = if bin == 0 || 2 * bin == length { 1.0 } else { 2.0 };
            sides * (power / begins.len() as f64).sqrt() / sum
        };
        Some(Spectrum {
            rate,
            length,
            parts: begins.len(),
            window: recipe.window,
            mean,
            amplitudes: powers.into_iter().enumerate().map(amplitude).collect(),
            weights,
            values: Arc::new(values.to_vec()),
        })
    }
}

/// Where the parts of `length` rows begin; the last one ends with the last row.
fn part_begins(rows: usize, length: usize) -> Vec<usize> {
    let count = (rows - length) / (length / 2).max(1) + 1;
    // From the end: the newest rows count.
    let first = rows - length - (count - 1) * (length / 2).max(1);
    (0..count).map(|part| first + part * (length / 2).max(1)).collect()
}

impl Spectrum {
    /// The distance of bins in hertz.
    pub fn resolution(&self) -> f64 {
        self.rate / self.length as f64
    }

    /// The frequency of a bin in hertz.
    pub fn hertz(&self, bin: usize) -> f64 {
        bin as f64 * self.resolution()
    }

    /// By what an amplitude is multiplied to become a density, in the unit of the values per root hertz: that of noise whose
    /// power the bin holds.
    pub fn to_density(&self) -> f64 {
        (0.5 / (self.window.noise_bandwidth() * self.resolution())).sqrt()
    }

    /// The amplitude at any frequency, in turns a row: the transform of the rows between its bins, faded by `weights`.
    fn amplitude_at(&self, turns: f64, weights: &[f64]) -> f64 {
        let (sin, cos) = (TAU * turns).sin_cos();
        let sum: f64 = weights.iter().sum();
        let begins = part_begins(self.values.len(), self.length);
        let power = |begin: &usize| {
            let (mut re, mut im, mut x, mut y) = (0.0, 0.0, 1.0, 0.0);
            let part = self.values[*begin..begin + self.length].iter().zip(weights);
            for (row, (value, weight)) in part.enumerate() {
                // The angle is turned on row by row, and set right now and then.
                if row % 4096 == 0 && row > 0 {
                    (y, x) = (TAU * (turns * row as f64).fract()).sin_cos();
                }
                let value = (value - self.mean) * weight;
                re += value * x;
                im += value * y;
                (x, y) = (x * cos - y * sin, x * sin + y * cos);
            }
            re * re + im * im
        };
        2.0 * (begins.iter().map(power).sum::<f64>() / begins.len() as f64).sqrt() / sum
    }

    /// The frequency in hertz and the amplitude of the peak around a bin, where the transform between bins is greatest. A flat
    /// top does not tell where its middle is: there the frequency is that of a Hann window.
    fn refined(&self, bin: usize) -> (f64, f64) {
        let hann;
        let weights = if self.window == Window::FlatTop {
            hann = Window::Hann.weights(self.length);
            &hann[..]
        } else {
            &self.weights[..]
        };
        let at = |turns| self.amplitude_at(turns, weights);
        // The vertex of the parabola through three points, again and again: within a bin to either side.
        let turn = 1.0 / self.length as f64;
        let middle = bin as f64 * turn;
        let mut known = [(middle - turn).max(0.0), middle, (middle + turn).min(0.5)].map(|turns| (turns, at(turns)));
        for _ in 0..MOST_STEPS {
            let [(a, at_a), (b, at_b), (c, at_c)] = known;
            let (left, right) = ((b - a) * (at_b - at_c), (b - c) * (at_b - at_a));
            let vertex = b - 0.5 * ((b - a) * left - (b - c) * right) / (left - right);
            // Near its greatest value a function is flat: closer than this rounding decides.
            let near = 2e-6 * turn;
            if !vertex.is_finite() || !(a..=c).contains(&vertex) || (vertex - b).abs() < near {
                break;
            }
            let point = (vertex, at(vertex));
            known = match (vertex < b, point.1 > at_b) {
                (true, true) => [known[0], point, known[1]],
                (true, false) => [point, known[1], known[2]],
                (false, true) => [known[1], point, known[2]],
                (false, false) => [known[0], known[1], point],
            };
        }
        let middle = known[1].0;
        (middle * self.rate, self.amplitude_at(middle, &self.weights))
    }
}

#[cfg(test)]
#[path = "spectrum_tests.rs"]
mod tests;
