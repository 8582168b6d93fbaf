//! How noisy a channel is, apart from its slow movement.

/// Rows over which the estimate forgets.
const MEMORY: f64 = 128.0;

/// A running estimate of white noise from the differences of neighbouring rows, so that waves and ramps hardly count.
///
/// For Gaussian noise of standard deviation s the mean absolute difference of neighbours is 2s/sqrt(pi) (von Neumann
/// et al., "The mean square successive difference", 1941, in its absolute form, which single spikes disturb less).
#[derive(Clone, Debug, Default)]
pub struct Noise {
    last: Option<f64>,
    mean: f64,
    rows: f64,
}

impl Noise {
    /// Takes one reading; a gap (NaN) starts a new pair.
    #[inline]
    pub fn push(&mut self, value: f64) {
        if let Some(last) = self.last.filter(|_| !value.is_nan()) {
            self.rows = (self.rows + 1.0).min(MEMORY);
            self.mean += ((value - last).abs() - self.mean) / self.rows;
        }
        self.last = (!value.is_nan()).then_some(value);
    }

    /// The standard deviation of the noise in the readings' unit; `None` before sixteen pairs.
    pub fn deviation(&self) -> Option<f64> {
        (self.rows >= 16.0).then(|| self.mean * std::f64::consts::PI.sqrt() / 2.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn finds_the_noise_under_a_wave() {
        let mut noise = Noise::default();
        let mut seed = 7u64;
        let mut uniform = || {
            seed = seed.wrapping_mul(6364136223846793005).wrapping_add(1442695040888963407);
            (seed >> 11) as f64 / (1u64 << 53) as f64
        };
        for i in 0..5000 {
            // The sum of twelve uniforms less six is close to a Gaussian of deviation 1.
            let gauss: f64 = (0..12).map(|_| uniform()).sum::<f64>() - 6.0;
            noise.push((f64::from(i) * 0.01).sin() * 50.0 + gauss);
        }
        let found = noise.deviation().unwrap();
        assert!((found - 1.0).abs() < 0.25, "{found}");
    }
}
