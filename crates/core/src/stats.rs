//! How noisy a channel is, apart from its slow movement.

/// Rows over which the estimate forgets.
const MEMORY: f64 = 128.0;

/// Triples that are believed whatever they say.
const FIRST: f64 = 16.0;

/// A running estimate of white noise from how far each row lies off the line between its neighbours, so that waves and
/// ramps hardly count.
///
/// For Gaussian noise of standard deviation s, `x[i-1] - 2 x[i] + x[i+1]` has the deviation sqrt(6) s (Gasser, Sroka
/// and Jennen-Steinmetz, "Residual variance and residual pattern in nonlinear regression", 1986) and its mean absolute
/// value is sqrt(2/pi) of that. What is far off counts as four times the mean, or a 64th of what it is, whichever is more:
/// so spikes and jumps hardly count, and a signal that really grows noisy is believed within two hundred rows.
#[derive(Clone, Debug, Default)]
pub struct Noise {
    before: Option<f64>,
    last: Option<f64>,
    mean: f64,
    rows: f64,
}

impl Noise {
    /// Takes one reading; a gap (NaN) starts a new triple.
    #[inline]
    pub fn push(&mut self, value: f64) {
        if value.is_nan() {
            (self.before, self.last) = (None, None);
            return;
        }
        if let (Some(before), Some(last)) = (self.before, self.last) {
            let off = (before - 2.0 * last + value).abs();
            let held = if self.rows < FIRST { off } else { off.min((4.0 * self.mean).max(off / 64.0)) };
            self.rows = (self.rows + 1.0).min(MEMORY);
            self.mean += (held - self.mean) / self.rows;
        }
        (self.before, self.last) = (self.last, Some(value));
    }

    /// The standard deviation of the noise in the readings' unit; `None` before sixteen triples.
    pub fn deviation(&self) -> Option<f64> {
        (self.rows >= FIRST).then(|| self.mean * (std::f64::consts::FRAC_PI_2 / 6.0).sqrt())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn finds_the_noise_under_a_wave() {
        let mut noise = Noise::default();
        let mut chance = crate::chance::Chance(7);
        for i in 0..5000 {
            // Steep: up to five deviations from one row to the next.
            noise.push((f64::from(i) * 0.05).sin() * 100.0 + chance.gauss());
        }
        let found = noise.deviation().unwrap();
        // The mean of 128 neighbouring triples is good to about a tenth.
        assert!((found - 1.0).abs() < 0.25, "{found}");
    }
}
