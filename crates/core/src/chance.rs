//! Made-up chance, for what filters are tried on and for tests: the same seed gives the same.

#![allow(dead_code, reason = "each user takes what it needs")]

/// A source of chance.
pub(crate) struct Chance(pub(crate) u64);

impl Chance {
    /// Evenly from 0 to 1.
    pub(crate) fn share(&mut self) -> f64 {
        self.0 = self.0.wrapping_mul(6364136223846793005).wrapping_add(1442695040888963407);
        (self.0 >> 11) as f64 / (1u64 << 53) as f64
    }

    /// A whole number below `end`, which is more than 0.
    pub(crate) fn below(&mut self, end: usize) -> usize {
        (self.share() * end as f64) as usize
    }

    /// Of deviation 1: the sum of twelve uniforms less six is close to a Gaussian.
    pub(crate) fn gauss(&mut self) -> f64 {
        (0..12).map(|_| self.share()).sum::<f64>() - 6.0
    }
}
