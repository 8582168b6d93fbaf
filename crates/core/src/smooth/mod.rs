//! Stage 4, **smooth**: noise goes, and what that costs in delay is known.
//!
//! All filters look only backwards, so that live and recorded data come out the same. A gap (NaN) comes out as a gap
//! and leaves the filter's memory as it was.

mod median;

use crate::Stamp;
use median::Halves;
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;

/// The longest window in rows; a window in seconds that would hold more keeps the newest.
pub const MAX_WINDOW: usize = 65_536;

/// The kind of filter.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Filter {
    /// Moving average.
    Mean,
    /// First-order low-pass; the strength is its time constant.
    Exponential,
    /// Moving median, which drops single spikes.
    Median,
}

/// How strong a filter is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Strength {
    /// Rows of the window, or rows of the time constant; at least 1.
    Rows(u32),
    /// Seconds of the window, or the time constant; above 0.
    Seconds(f64),
}

/// A channel's smoothing; in a bench file `{ filter = "mean", rows = 5 }` or `{ filter = "mean", seconds = 0.2 }`.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "Written", into = "Written")]
pub struct Smooth {
    /// The kind of filter.
    pub filter: Filter,
    /// How strong it is.
    pub strength: Strength,
}

/// [`Smooth`] as it stands in a bench file.
#[derive(Clone, Copy, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Written {
    filter: Filter,
    #[serde(skip_serializing_if = "Option::is_none")]
    rows: Option<u32>,
    #[serde(skip_serializing_if = "Option::is_none")]
    seconds: Option<f64>,
}

impl TryFrom<Written> for Smooth {
    type Error = &'static str;

    fn try_from(written: Written) -> Result<Self, Self::Error> {
        let strength = match (written.rows, written.seconds) {
            (Some(rows), None) => Strength::Rows(rows),
            (None, Some(seconds)) => Strength::Seconds(seconds),
            _ => return Err("expected either `rows = N` or `seconds = S` beside `filter`"),
        };
        let smooth = Smooth { filter: written.filter, strength };
        smooth.fault().map_or(Ok(smooth), Err)
    }
}

impl From<Smooth> for Written {
    fn from(smooth: Smooth) -> Self {
        let (rows, seconds) = match smooth.strength {
            Strength::Rows(rows) => (Some(rows), None),
            Strength::Seconds(seconds) => (None, Some(seconds)),
        };
        Written { filter: smooth.filter, rows, seconds }
    }
}

impl Smooth {
    /// How late a slow change comes out, in seconds, for rows `interval` seconds apart: half the window for mean and
    /// median, the time constant for the exponential.
    pub fn delay(&self, interval: f64) -> f64 {
        match (self.filter, self.strength) {
            (Filter::Exponential, Strength::Seconds(tau)) => tau,
            (Filter::Exponential, Strength::Rows(rows)) => f64::from(rows) * interval,
            (_, strength) => (rows_in(strength, interval) - 1.0) / 2.0 * interval,
        }
    }

    /// By how much white noise shrinks (output over input standard deviation), for rows `interval` seconds apart.
    ///
    /// Mean: 1/sqrt(n). Exponential: sqrt(a/(2-a)). Median of Gaussian noise: sqrt(pi/2n), its large-sample efficiency.
    pub fn noise_gain(&self, interval: f64) -> f64 {
        let n = rows_in(self.strength, interval);
        match self.filter {
            Filter::Mean => n.sqrt().recip(),
            Filter::Median => (std::f64::consts::FRAC_PI_2 / n).sqrt().min(1.0),
            Filter::Exponential => {
                let a = 1.0 - (-1.0 / n).exp();
                (a / (2.0 - a)).sqrt()
            }
        }
    }

    /// What is wrong with the settings, if something is.
    pub fn fault(&self) -> Option<&'static str> {
        match self.strength {
            Strength::Rows(rows) if !(1..=MAX_WINDOW as u32).contains(&rows) => Some("rows must be 1 to 65536"),
            Strength::Seconds(s) if !(s.is_finite() && s > 0.0) => Some("seconds must be a number above 0"),
            _ => None,
        }
    }
}

fn rows_in(strength: Strength, interval: f64) -> f64 {
    match strength {
        Strength::Rows(rows) => f64::from(rows.max(1)),
        Strength::Seconds(seconds) if interval > 0.0 => (seconds / interval).clamp(1.0, MAX_WINDOW as f64),
        Strength::Seconds(_) => 1.0,
    }
}

/// The sum of a sliding window, made of the values in it alone: nothing is ever taken away again, so that a value that
/// has left the window leaves no rounding behind, however large it was.
///
/// The window is a queue of two parts. For the older one the sum from each value to the part's end is kept, for the
/// younger one its sum. When the older part is used up the younger one takes its place, so that a row costs two
/// additions on average.
#[derive(Clone, Debug, Default)]
struct Sums {
    /// For the older part, the oldest value last.
    older: Vec<f64>,
    younger: f64,
}

impl Sums {
    #[inline]
    fn push(&mut self, value: f64) {
        self.younger += value;
    }

    /// Lets the oldest value go; `left` are the values that stay, the oldest first.
    #[inline]
    fn pop(&mut self, left: impl DoubleEndedIterator<Item = f64>) {
        if self.older.pop().is_none() {
            // The oldest value was the first of the younger part: what stays is the older part from now on.
            let mut sum = 0.0;
            self.older.extend(left.rev().map(|value| {
                sum += value;
                sum
            }));
            self.younger = 0.0;
        }
    }

    #[inline]
    fn sum(&self) -> f64 {
        self.older.last().copied().unwrap_or(0.0) + self.younger
    }
}

/// A filter with its memory.
#[derive(Clone, Debug)]
pub struct Smoother {
    settings: Smooth,
    window: VecDeque<(Stamp, f64)>,
    /// For a median.
    halves: Halves,
    sums: Sums,
    level: Option<(Stamp, f64)>,
}

impl Smoother {
    /// A filter that has seen nothing.
    pub fn new(settings: Smooth) -> Self {
        Smoother { settings, window: VecDeque::new(), halves: Halves::default(), sums: Sums::default(), level: None }
    }

    /// Forgets what was seen, as after a break in the stream.
    pub fn reset(&mut self) {
        *self = Smoother::new(self.settings);
    }

    /// Takes the value of the row at `at` and gives the smoothed one; NaN gives NaN and is not remembered.
    pub fn push(&mut self, at: Stamp, value: f64) -> f64 {
        if value.is_nan() {
            return f64::NAN;
        }
        match self.settings.filter {
            Filter::Exponential => self.exponential(at, value),
            Filter::Mean => {
                self.sums.push(value);
                self.slide(at, value);
                self.sums.sum() / self.window.len() as f64
            }
            Filter::Median => {
                self.halves.push(value);
                self.slide(at, value);
                self.halves.median()
            }
        }
    }

    fn exponential(&mut self, at: Stamp, value: f64) -> f64 {
        let level = match self.level {
            None => value,
            Some((before, level)) => {
                let steps = match self.settings.strength {
                    Strength::Rows(rows) => 1.0 / f64::from(rows.max(1)),
                    Strength::Seconds(tau) => at.seconds_since(before) / tau,
                };
                level + (1.0 - (-steps).exp()) * (value - level)
            }
        };
        self.level = Some((at, level));
        level
    }

    /// Puts the new row into the window and lets go of the rows that left it.
    fn slide(&mut self, at: Stamp, value: f64) {
        self.window.push_back((at, value));
        let left = |front: Stamp, rows: usize| match self.settings.strength {
            Strength::Rows(most) => rows > most.max(1) as usize,
            Strength::Seconds(seconds) => rows > MAX_WINDOW || (rows > 1 && at.seconds_since(front) >= seconds),
        };
        while let Some(&(front, _)) = self.window.front() {
            if !left(front, self.window.len()) {
                break;
            }
            self.window.pop_front();
            match self.settings.filter {
                Filter::Mean => self.sums.pop(self.window.iter().map(|(_, value)| *value)),
                Filter::Median => self.halves.pop(),
                Filter::Exponential => {}
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// The definition, over all rows so far, for checking.
    fn plain(settings: Smooth, rows: &[(f64, f64)]) -> f64 {
        let (now, value) = *rows.last().unwrap();
        if value.is_nan() {
            return f64::NAN;
        }
        let sound: Vec<_> = rows.iter().filter(|(_, v)| !v.is_nan()).collect();
        let mut window: Vec<f64> = match settings.strength {
            Strength::Rows(n) => sound.iter().rev().take(n as usize).map(|(_, v)| *v).collect(),
            Strength::Seconds(s) => {
                sound.iter().filter(|(t, _)| *t == now || now - t < s - 1e-12).map(|(_, v)| *v).collect()
            }
        };
        match settings.filter {
            Filter::Mean => window.iter().sum::<f64>() / window.len() as f64,
            Filter::Median => {
                window.sort_by(f64::total_cmp);
                let n = window.len();
                (window[(n - 1) / 2] + window[n / 2]) / 2.0
            }
            Filter::Exponential => {
                let mut level = sound[0].1;
                for pair in sound.windows(2) {
                    let k = match settings.strength {
                        Strength::Rows(n) => 1.0 / f64::from(n),
                        Strength::Seconds(tau) => (pair[1].0 - pair[0].0) / tau,
                    };
                    level += (1.0 - (-k).exp()) * (pair[1].1 - level);
                }
                level
            }
        }
    }

    proptest! {
        #[test]
        fn each_filter_keeps_to_its_definition(
            values in proptest::collection::vec(prop_oneof![9 => -1e4..1e4f64, 1 => Just(f64::NAN)], 1..120),
            filter in prop_oneof![Just(Filter::Mean), Just(Filter::Median), Just(Filter::Exponential)],
            strength in prop_oneof![(1..30u32).prop_map(Strength::Rows), (1..40u32).prop_map(|n| Strength::Seconds(f64::from(n) * 0.0099))],
        ) {
            let settings = Smooth { filter, strength };
            let mut smoother = Smoother::new(settings);
            let rows: Vec<(f64, f64)> = values.iter().enumerate().map(|(i, v)| (i as f64 * 0.01, *v)).collect();
            for n in 1..=rows.len() {
                let (t, v) = rows[n - 1];
                let got = smoother.push(Stamp::default().plus(t), v);
                let want = plain(settings, &rows[..n]);
                // Sums of at most 120 values of 1e4 in doubles are exact to about 1e-9.
                prop_assert!((got.is_nan() && want.is_nan()) || (got - want).abs() < 1e-7, "{got} {want}");
            }
        }
    }

    #[test]
    fn a_median_of_a_long_window_is_that_of_its_sorted_values() {
        let settings = Smooth { filter: Filter::Median, strength: Strength::Rows(3000) };
        let (mut smoother, mut state) = (Smoother::new(settings), 1u32);
        let mut rows = Vec::new();
        for i in 0..9000 {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            // Many values are equal, as those of a converter are.
            rows.push((f64::from(i), f64::from(state >> 24) + f64::from(i / 2000) * 100.0));
            let got = smoother.push(Stamp::default().plus(f64::from(i)), rows[rows.len() - 1].1);
            if i % 97 == 0 {
                assert_eq!(got, plain(settings, &rows), "row {i}");
            }
        }
    }

    #[test]
    fn a_huge_value_leaves_nothing_behind_once_it_has_left_the_window() {
        for huge in [3.4e38, 18_446_744_073_709_551_615.0, -1e300] {
            let mut smoother = Smoother::new(Smooth { filter: Filter::Mean, strength: Strength::Rows(4) });
            let mut push = |i: u32, value| smoother.push(Stamp::default().plus(f64::from(i)), value);
            (0..9).for_each(|i| assert_eq!(push(i, 2.0), 2.0));
            push(9, huge);
            (10..13).for_each(|i| assert!(push(i, 2.0).abs() > 1e18));
            (13..1100).for_each(|i| assert_eq!(push(i, 2.0), 2.0, "{huge} at row {i}"));
        }
    }

    #[test]
    fn the_delay_that_is_said_is_the_delay_of_a_ramp() {
        for filter in [Filter::Mean, Filter::Median, Filter::Exponential] {
            for strength in [Strength::Rows(21), Strength::Seconds(0.21)] {
                let settings = Smooth { filter, strength };
                let mut smoother = Smoother::new(settings);
                let mut late = 0.0;
                for i in 0..2000 {
                    let t = f64::from(i) * 0.01;
                    late = t - smoother.push(Stamp::default().plus(t), t);
                }
                // The discrete exponential lags by tau less half a row.
                assert!((late - settings.delay(0.01)).abs() < 0.0055, "{settings:?}: {late}");
            }
        }
    }
}
