//! Stage 4, **smooth**: noise goes, and what that costs in delay is known.
//!
//! A channel's smoothing is a list of filters, a file for each kind. A kind is a [`Part`](crate::part::Part) that does
//! what `Smooths` asks; one line of the list below makes it known. All filters look only backwards, so that live and
//! recorded data come out the same. A gap (NaN) comes out as a gap and leaves their memory as it was.

mod exponential;
mod halves;
mod mean;
mod median;
mod strength;

pub use exponential::Exponential;
pub use mean::Mean;
pub use median::Median;
pub use strength::{MAX_WINDOW, Strength};

use crate::part::Listed;
use crate::{Stamp, or_gap};
use std::fmt::Debug;

/// What a filter does.
trait Smooths: Debug {
    /// How late a slow change comes out, in seconds, for rows `interval` seconds apart.
    fn delay(&self, interval: f64) -> f64;

    /// By how much white noise shrinks (output over input standard deviation), for rows `interval` seconds apart.
    fn noise_gain(&self, interval: f64) -> f64;

    /// The filter at work, which has seen nothing.
    fn start(&self) -> Box<dyn Memory>;
}

/// A filter at work, with what it remembers.
trait Memory: Debug + Send + Sync {
    /// Takes the value of the row at `at`, not NaN, and gives the smoothed one.
    fn push(&mut self, at: Stamp, value: f64) -> f64;

    /// The same for many rows, in place; NaN stays NaN and is not remembered.
    fn push_all(&mut self, at: &[Stamp], values: &mut [f64]) {
        for (value, at) in values.iter_mut().zip(at) {
            if !value.is_nan() {
                *value = or_gap(self.push(*at, *value));
            }
        }
    }

    /// A copy, which goes on by itself.
    fn copy(&self) -> Box<dyn Memory>;
}

crate::part::kinds! {
    /// A filter of a channel; in a bench file `{ filter = "mean", rows = 5 }` or `{ filter = "mean", seconds = 0.2 }`.
    enum Filter as Smooths, at most 8, "filter": Mean, Exponential, Median,
}

impl Filter {
    /// How late a slow change comes out, in seconds, for rows `interval` seconds apart; 0 while it is bypassed.
    pub fn delay(&self, interval: f64) -> f64 {
        self.in_force().map_or(0.0, |filter| filter.delay(interval))
    }

    /// By how much white noise shrinks (output over input standard deviation), for rows `interval` seconds apart; 1
    /// while it is bypassed.
    pub fn noise_gain(&self, interval: f64) -> f64 {
        self.in_force().map_or(1.0, |filter| filter.noise_gain(interval))
    }
}

/// Whether any of these filters is in force.
pub fn smooths(filters: &[Filter]) -> bool {
    filters.iter().any(|filter| !filter.is_bypassed())
}

/// How late a slow change comes out of these filters, one behind another, in seconds.
pub fn delay(filters: &[Filter], interval: f64) -> f64 {
    filters.iter().map(|filter| filter.delay(interval)).sum()
}

/// By how much white noise shrinks in these filters, one behind another, and whether that is only a bound.
///
/// For one filter its own gain. Noise that has gone through a filter is no longer white, so that the gains of several do
/// not multiply. A filter that averages with weights of one sign, which add up to 1, never makes noise larger; therefore
/// several in a row leave at most what the best of them would leave alone.
pub fn noise_gain(filters: &[Filter], interval: f64) -> (f64, bool) {
    let in_force = || filters.iter().filter(|filter| !filter.is_bypassed());
    (in_force().map(|filter| filter.noise_gain(interval)).fold(1.0, f64::min), in_force().count() > 1)
}

/// A channel's filters at work, one behind another.
#[derive(Debug)]
pub struct Smoother {
    filters: Vec<Filter>,
    memories: Vec<Box<dyn Memory>>,
}

impl Clone for Smoother {
    fn clone(&self) -> Self {
        Smoother { filters: self.filters.clone(), memories: self.memories.iter().map(|memory| memory.copy()).collect() }
    }
}

impl Smoother {
    /// Filters that have seen nothing.
    pub fn new(filters: &[Filter]) -> Self {
        let memories = filters.iter().filter_map(Filter::in_force).map(Smooths::start).collect();
        Smoother { filters: filters.to_vec(), memories }
    }

    /// Forgets what was seen, as after a break in the stream.
    pub fn reset(&mut self) {
        *self = Smoother::new(&self.filters);
    }

    /// Takes the value of the row at `at` and gives the smoothed one; NaN gives NaN and is not remembered.
    pub fn push(&mut self, at: Stamp, value: f64) -> f64 {
        let mut values = [value];
        self.push_all(&[at], &mut values);
        values[0]
    }

    /// The same for the values of many rows, in place.
    pub fn push_all(&mut self, at: &[Stamp], values: &mut [f64]) {
        for memory in &mut self.memories {
            memory.push_all(at, values);
        }
    }
}

#[cfg(test)]
#[path = "smooth_tests.rs"]
mod tests;
