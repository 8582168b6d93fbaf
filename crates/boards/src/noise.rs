//! Randomness that every board makes its readings with.

use rand::rngs::Xoshiro256PlusPlus;
use rand::{RngExt, SeedableRng};

/// A board's source of chance; the same seed gives the same readings.
#[derive(Clone, Debug)]
pub(crate) struct Noise(Xoshiro256PlusPlus);

impl Noise {
    pub(crate) fn new(seed: u64) -> Noise {
        Noise(Xoshiro256PlusPlus::seed_from_u64(seed))
    }

    /// Evenly from 0 to 1.
    pub(crate) fn share(&mut self) -> f64 {
        self.0.random()
    }

    /// Any byte.
    pub(crate) fn byte(&mut self) -> u8 {
        self.0.random()
    }

    /// Of deviation 1: the sum of twelve uniforms less six is close enough to Gaussian for a sensor.
    pub(crate) fn gauss(&mut self) -> f64 {
        (0..12).map(|_| self.share()).sum::<f64>() - 6.0
    }
}
