//! Windows: how the ends of a stretch are faded, so that a wave that does not fit into it spreads less.

use std::f64::consts::TAU;

/// A window, as a sum of cosines.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Window {
    /// For most signals.
    #[default]
    Hann,
    /// For amplitudes: right to 0.1 % wherever a wave lies between bins; peaks are wide.
    FlatTop,
    /// None: for a stretch of whole periods, or a decay.
    Rectangular,
    /// For small waves beside large ones.
    BlackmanHarris,
}

impl Window {
    /// All of them, in the order in which they are offered.
    pub const ALL: [Window; 4] = [Window::Hann, Window::FlatTop, Window::Rectangular, Window::BlackmanHarris];

    /// What a person calls it.
    pub fn name(self) -> &'static str {
        match self {
            Window::Hann => "Hann",
            Window::FlatTop => "flat top",
            Window::Rectangular => "rectangular",
            Window::BlackmanHarris => "Blackman-Harris",
        }
    }

    /// What it is for.
    pub fn help(self) -> &'static str {
        match self {
            Window::Hann => "for most signals",
            Window::FlatTop => "for amplitudes: right to 0.1 %, but wide peaks",
            Window::Rectangular => "for whole periods, or a decay",
            Window::BlackmanHarris => "for small waves beside large ones",
        }
    }

    /// The factors of the cosines, with turning signs. Blackman-Harris: F. J. Harris, "On the use of windows for harmonic
    /// analysis with the discrete Fourier transform", 1978, four terms; flat top: five terms as in G. Heinzel, A. Rüdiger and
    /// R. Schilling, "Spectrum and spectral density estimation by the DFT", 2002 (SR785).
    fn factors(self) -> &'static [f64] {
        match self {
            Window::Rectangular => &[1.0],
            Window::Hann => &[0.5, 0.5],
            Window::BlackmanHarris => &[0.35875, 0.48829, 0.14128, 0.01168],
            Window::FlatTop => &[1.0, 1.93, 1.29, 0.388, 0.028],
        }
    }

    /// The weights for `length` rows, periodic.
    pub fn weights(self, length: usize) -> Vec<f64> {
        let weight = |row: usize| {
            let turn = TAU * row as f64 / length as f64;
            let terms = self.factors().iter().enumerate();
            terms.map(|(i, factor)| if i % 2 == 0 { *factor } else { -factor } * (turn * i as f64).cos()).sum()
        };
        (0..length).map(weight).collect()
    }

    /// The width of noise that one bin holds, in bins.
    pub fn noise_bandwidth(self) -> f64 {
        let factors = self.factors();
        let squares: f64 = factors[1..].iter().map(|factor| factor * factor / 2.0).sum();
        1.0 + squares / (factors[0] * factors[0])
    }

    /// Half the width of the peak of one wave, in bins.
    pub fn half_width(self) -> usize {
        self.factors().len()
    }
}
