//! The rows of a stretch, gathered into one.

use super::Statistic;

/// What the values of one column come to in a stretch. Gaps count for nothing; without any other value all is a gap.
#[derive(Clone, Copy, Debug)]
pub struct Gatherer {
    last: f64,
    sum: f64,
    /// What was lost of the sum by rounding (Neumaier's compensated summation, 1974).
    rest: f64,
    min: f64,
    max: f64,
    count: u64,
}

impl Default for Gatherer {
    fn default() -> Gatherer {
        Gatherer { last: f64::NAN, sum: 0.0, rest: 0.0, min: f64::NAN, max: f64::NAN, count: 0 }
    }
}

impl Gatherer {
    /// Takes a value; a gap (NaN) changes nothing.
    pub fn take(&mut self, value: f64) {
        if value.is_nan() {
            return;
        }
        self.last = value;
        let sum = self.sum + value;
        self.rest += if self.sum.abs() >= value.abs() { (self.sum - sum) + value } else { (value - sum) + self.sum };
        self.sum = sum;
        self.min = self.min.min(value);
        self.max = self.max.max(value);
        self.count += 1;
    }

    /// What they come to; NaN without any.
    pub fn gives(&self, statistic: Statistic) -> f64 {
        match statistic {
            Statistic::Last => self.last,
            Statistic::Mean => (self.sum + self.rest) / self.count as f64,
            Statistic::Min => self.min,
            Statistic::Max => self.max,
        }
    }
}
