//! What a stretch of one channel amounts to.

use crate::Stamp;

/// The statistics of one channel over a stretch; gaps are left out and counted.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Statistics {
    /// Values that count.
    pub count: usize,
    /// Gaps among the rows.
    pub gaps: usize,
    /// Arithmetic mean.
    pub mean: f64,
    /// The middle value, or the mean of the two there.
    pub median: f64,
    /// Standard deviation, by one less than the count; NaN for a single value.
    pub deviation: f64,
    /// Root mean square, of the values themselves.
    pub rms: f64,
    /// The least value.
    pub min: f64,
    /// The greatest value.
    pub max: f64,
    /// The slope of the line through the values, in their unit per second; NaN where all have one time.
    pub slope: f64,
    /// How many different values there are.
    pub distinct: usize,
}

impl Statistics {
    /// Those of `values` at `times`; `None` where all are gaps.
    pub fn of(times: &[Stamp], values: &[f64]) -> Option<Statistics> {
        let rows = || times.iter().zip(values).filter(|(_, value)| value.is_finite()).map(|(at, value)| (*at, *value));
        let mut sorted: Vec<f64> = rows().map(|(_, value)| value).collect();
        let count = sorted.len();
        let begin = rows().next()?.0;
        let n = count as f64;
        sorted.sort_by(f64::total_cmp);
        let mean = sorted.iter().map(|value| value / n).sum::<f64>();
        let middle = (sorted[(count - 1) / 2] + sorted[count / 2]) / 2.0;
        let deviation = crate::stats::deviation(|| sorted.iter().copied()).unwrap_or(f64::NAN);
        let seconds = |at: Stamp| at.seconds_since(begin);
        let mean_time = rows().map(|(at, _)| seconds(at) / n).sum::<f64>();
        let (above, below) = rows().fold((0.0, 0.0), |(above, below), (at, value)| {
            let off = seconds(at) - mean_time;
            (above + off * (value - mean), below + off * off)
        });
        Some(Statistics {
            count,
            gaps: values.len() - count,
            mean,
            median: middle,
            deviation,
            rms: sorted.iter().map(|value| value * value / n).sum::<f64>().sqrt(),
            min: sorted[0],
            max: sorted[count - 1],
            // A slope that moves the value by no more than its rounding is none.
            slope: match above / below {
                _ if below <= 0.0 => f64::NAN,
                slope if (slope * 4.0 * mean_time).abs() <= 1e-13 * sorted[0].abs().max(sorted[count - 1].abs()) => 0.0,
                slope => slope,
            },
            distinct: 1 + sorted.windows(2).filter(|pair| pair[0] != pair[1]).count(),
        })
    }

    /// From the least to the greatest value.
    pub fn peak_to_peak(&self) -> f64 {
        self.max - self.min
    }
}

/// The bits of a converter of `full_scale` steps that noise of `deviation` steps leaves: log2 of the full scale over the noise
/// of an ideal converter with that deviation, whose step is sqrt(12) deviations (IEEE Std 1057, effective number of bits, for
/// a still signal). At most the bits of the converter itself.
pub fn effective_bits(full_scale: f64, deviation: f64) -> f64 {
    // The converter's own rounding is 1/sqrt(12) of a step.
    (full_scale / (deviation * 12f64.sqrt()).max(1.0)).log2()
}

/// How often values fall into each of some classes of one width.
#[derive(Clone, Debug, PartialEq)]
pub struct Histogram {
    /// Where the first class begins.
    pub begin: f64,
    /// How wide each class is.
    pub width: f64,
    /// Values in each class.
    pub counts: Vec<u64>,
}

impl Histogram {
    /// The classes of `values`, at most `most` of them and at least 1. `step` is the resolution of the values, where it is
    /// known: a class holds whole steps, so that none is fuller only because it holds more codes. `None` where all are gaps.
    pub fn of(values: &[f64], step: f64, most: usize) -> Option<Histogram> {
        let sound = || values.iter().copied().filter(|value| value.is_finite());
        let (min, max) = sound().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(v), b.max(v)));
        if min > max {
            return None;
        }
        let most = most.max(1) as f64;
        let (begin, width) = if step.is_finite() && step > 0.0 && (max - min) / step < 1e9 {
            let steps = ((max - min) / step).round() + 1.0;
            (min - step / 2.0, (steps / most).ceil().max(1.0) * step)
        } else if max > min {
            (min, (max - min) / most * (1.0 + 1e-12))
        } else {
            (min - 0.5, 1.0)
        };
        let count = (((max - begin) / width).floor() + 1.0).clamp(1.0, most) as usize;
        let mut counts = vec![0; count];
        sound().for_each(|value| counts[(((value - begin) / width) as usize).min(count - 1)] += 1);
        Some(Histogram { begin, width, counts })
    }
}
