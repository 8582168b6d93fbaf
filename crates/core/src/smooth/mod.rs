//! Stage 4, **smooth**: noise goes, and what that costs in delay is known.
//!
//! A channel's smoothing is a list of filters, a file for each kind. A kind is a [`Part`](crate::part::Part) that does
//! what `Smooths` asks; one line of the list below makes it known. All filters look only backwards, so that live and
//! recorded data come out the same. A gap (NaN) comes out as a gap and leaves their memory as it was.

pub mod advice;
mod butterworth;
mod dead_band;
mod exponential;
mod halves;
mod mean;
mod median;
mod notch;
mod price;
mod rate_limit;
mod savitzky_golay;
mod section;
mod settled;
mod spikes;
mod strength;

pub use butterworth::{Butterworth, Pass};
pub use dead_band::DeadBand;
pub use exponential::Exponential;
pub use mean::Mean;
pub use median::Median;
pub use notch::Notch;
pub use price::{Price, Signal};
pub use rate_limit::RateLimit;
pub use savitzky_golay::SavitzkyGolay;
pub use section::Section;
pub use settled::Settled;
pub use spikes::Spikes;
pub use strength::{MAX_WINDOW, Strength};

use crate::part::Listed;
use crate::{Stamp, or_gap};
use std::fmt::Debug;

/// What a filter does.
trait Smooths: Debug {
    /// How late a slow change comes out, in seconds, for rows `interval` seconds apart.
    fn delay(&self, interval: f64) -> f64;

    /// The rows after which it has forgotten how it began, for rows `interval` seconds apart; 0 where it begins at rest.
    fn reach(&self, interval: f64) -> f64 {
        2.0 * self.delay(interval) / interval
    }

    /// Whether slow changes come out at all.
    fn passes_slow(&self) -> bool {
        true
    }

    /// Whether it does the same to a sum as to its terms, so that its answer to one row says all of it.
    fn is_linear(&self) -> bool {
        false
    }

    /// Whether it can go over rows backward, too.
    fn goes_backward(&self) -> bool {
        true
    }

    /// Its strength as other people say it, for rows `interval` seconds apart.
    fn in_other_terms(&self, _interval: f64) -> Option<String> {
        None
    }

    /// What must be known of it with rows `interval` seconds apart, if anything.
    fn doubt(&self, _interval: f64) -> Option<String> {
        None
    }

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
    enum Filter as Smooths, at most 8, "filter":
    Mean, Exponential, Median, Spikes, Butterworth, Notch, SavitzkyGolay, RateLimit, DeadBand, Settled,
}

impl Filter {
    /// How late a slow change comes out, in seconds, for rows `interval` seconds apart; 0 while it is bypassed.
    pub fn delay(&self, interval: f64) -> f64 {
        self.in_force().map_or(0.0, |filter| filter.delay(interval))
    }

    /// Its strength as other people say it, for rows `interval` seconds apart.
    pub fn in_other_terms(&self, interval: f64) -> Option<String> {
        self.in_force()?.in_other_terms(interval)
    }

    /// The sections that a Butterworth filter or a notch is made of for rows `interval` seconds apart; none for other filters.
    pub(crate) fn sections(&self, interval: f64) -> Vec<Section> {
        let mut out = Vec::new();
        match self {
            Filter::Butterworth(filter) => section::Design::sections(filter, interval, &mut out),
            Filter::Notch(filter) => section::Design::sections(filter, interval, &mut out),
            _ => {}
        }
        out
    }

    /// What must be known of it with rows `interval` seconds apart, if anything.
    pub fn doubt(&self, interval: f64) -> Option<String> {
        self.in_force()?.doubt(interval)
    }
}

/// The weights by which a filter whose answer ends averages the rows of its window, the oldest first, for rows `interval` seconds
/// apart.
pub(crate) fn weights(filter: &Filter, interval: f64) -> Vec<f64> {
    let mut answer = price::impulse(std::slice::from_ref(filter), interval);
    let peak = answer.iter().copied().map(f64::abs).fold(0.0, f64::max);
    let end = answer.iter().rposition(|weight| weight.abs() > 1e-10 * peak).map_or(1, |last| last + 1);
    answer.truncate(end);
    answer.reverse();
    answer
}

/// Whether any of these filters is in force.
pub fn smooths(filters: &[Filter]) -> bool {
    filters.iter().any(|filter| !filter.is_bypassed())
}

/// How late a slow change comes out of these filters, one behind another, in seconds.
pub fn delay(filters: &[Filter], interval: f64) -> f64 {
    filters.iter().map(|filter| filter.delay(interval)).sum()
}

/// Goes over `values`, which follow one another at `times` and which the filters have gone over forward, once more backward, so
/// that nothing is late any more; filters whose output depends on what was given before (dead band, settled only) go forward
/// only.
pub fn go_back(filters: &[Filter], times: &[Stamp], values: &mut [f64]) {
    let filters: Vec<Filter> =
        filters.iter().filter(|filter| filter.in_force().is_some_and(Smooths::goes_backward)).cloned().collect();
    // Time runs backward, and so do stamps that are told from its end.
    let times: Vec<Stamp> = times.iter().rev().map(|at| Stamp(-at.0)).collect();
    values.reverse();
    Smoother::new(&filters).push_all(&times, values);
    values.reverse();
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
