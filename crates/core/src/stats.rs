//! How noisy a channel is, apart from its slow movement.

/// What a noise was measured on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Basis {
    /// Rows of a settled channel, spikes left out: the noise is what it is.
    Settled,
    /// A channel that was never settled: noise is told from movement as if it were white, and is larger where it is slow.
    White,
}

/// A noise, and what it was measured on.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Measured {
    /// The standard deviation.
    pub deviation: f64,
    /// What it was measured on.
    pub basis: Basis,
}

/// The standard deviation of the values that `values` gives each time; `None` for fewer than two.
pub fn deviation<I: Iterator<Item = f64>>(values: impl Fn() -> I) -> Option<f64> {
    let (count, sum) = values().fold((0.0, 0.0), |(count, sum), value| (count + 1.0, sum + value));
    let mean = sum / count;
    (count >= 2.0).then(|| (values().map(|value| (value - mean).powi(2)).sum::<f64>() / (count - 1.0)).sqrt())
}

/// Rows over which the estimate forgets; a power of two.
const MEMORY: f64 = 128.0;

/// Triples that are believed whatever they say.
const FIRST: f64 = 16.0;

/// The deviation, in means of what rows lie off: sqrt(pi / 12).
const OF_MEAN: f64 = 0.511_663_353_973_244_3;

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

/// What counts of a row that lies `off`. Comparisons as the processor makes them: `f64::min` and `max` take longer, for
/// the sake of NaN.
#[inline(always)]
fn held(off: f64, mean: f64) -> f64 {
    let (most, share) = (4.0 * mean, off / 64.0);
    let most = if share > most { share } else { most };
    if off < most { off } else { most }
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
            let held = if self.rows < FIRST { off } else { held(off, self.mean) };
            // A division by a power of two is a multiplication, to the bit, and takes a third of the time.
            if self.rows < MEMORY {
                self.rows += 1.0;
                self.mean += (held - self.mean) / self.rows;
            } else {
                self.mean += (held - self.mean) * MEMORY.recip();
            }
        }
        (self.before, self.last) = (self.last, Some(value));
    }

    /// The same for many readings as long as `goes_on` says so of the reading at a place and of the deviation with it:
    /// once the estimate has its full memory, and up to a gap. Gives how many were taken.
    #[inline]
    pub fn take_while(&mut self, values: &[f64], mut goes_on: impl FnMut(usize, f64) -> bool) -> usize {
        let (Some(mut before), Some(mut last), true) = (self.before, self.last, self.rows >= MEMORY) else { return 0 };
        let mut taken = 0;
        for value in values {
            let off = (before - 2.0 * last + value).abs();
            let mean = self.mean + (held(off, self.mean) - self.mean) * MEMORY.recip();
            if value.is_nan() || !goes_on(taken, mean * OF_MEAN) {
                break;
            }
            (before, last, self.mean) = (last, *value, mean);
            taken += 1;
        }
        (self.before, self.last) = (Some(before), Some(last));
        taken
    }

    /// The standard deviation of the noise in the readings' unit; `None` before sixteen triples.
    #[inline]
    pub fn deviation(&self) -> Option<f64> {
        (self.rows >= FIRST).then_some(self.mean * OF_MEAN)
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
