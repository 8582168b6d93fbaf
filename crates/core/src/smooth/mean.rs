//! Moving average.

use super::strength::{self, Strong, Window};
use super::{Memory, Smooths, Strength};
use crate::Stamp;
use crate::part::{Part, Setting};
use serde::{Deserialize, Serialize};

/// Moving average.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Mean {
    /// The rows that are averaged.
    pub window: Strength,
}

impl Part for Mean {
    const KIND: &'static str = "mean";
    const HELP: &'static str = "moving average: against noise";
    const SETTINGS: &'static [Setting<Self>] = &strength::settings("window");

    fn short(&self) -> String {
        format!("mean {}", self.window.spelled())
    }
}

impl Strong for Mean {
    fn strength(&self) -> Strength {
        self.window
    }

    fn strength_mut(&mut self) -> &mut Strength {
        &mut self.window
    }
}

impl Smooths for Mean {
    /// Half the window.
    fn delay(&self, interval: f64) -> f64 {
        (self.window.rows(interval) - 1.0) / 2.0 * interval
    }

    fn is_linear(&self) -> bool {
        true
    }

    fn in_other_terms(&self, interval: f64) -> Option<String> {
        Some(self.window.in_other_terms(interval))
    }

    fn start(&self) -> Box<dyn Memory> {
        Box::new(State { window: Window::new(self.window), sums: Sums::default() })
    }
}

#[derive(Clone, Debug)]
struct State {
    window: Window,
    sums: Sums,
}

impl Memory for State {
    fn push(&mut self, at: Stamp, value: f64) -> f64 {
        self.sums.push(value);
        self.window.slide(at, value, |left| self.sums.pop(left.values()));
        self.sums.sum() / self.window.len() as f64
    }

    fn copy(&self) -> Box<dyn Memory> {
        Box::new(self.clone())
    }
}

/// The sum of a sliding window, made of the values in it alone: nothing is ever taken away again, so that a value that
/// has left the window leaves no rounding behind, however large it was.
///
/// The window is a queue of two parts. For the older one the sum from each value to the part's end is kept, for the
/// younger one its sum. When the older part is used up the younger one takes its place, so that a row costs two
/// additions on average.
#[derive(Clone, Debug, Default)]
pub(super) struct Sums {
    /// For the older part, the oldest value last.
    older: Vec<f64>,
    younger: f64,
}

impl Sums {
    #[inline]
    pub(super) fn push(&mut self, value: f64) {
        self.younger += value;
    }

    /// Lets the oldest value go; `left` are the values that stay, the oldest first.
    #[inline]
    pub(super) fn pop(&mut self, left: impl DoubleEndedIterator<Item = f64>) {
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
    pub(super) fn sum(&self) -> f64 {
        self.older.last().copied().unwrap_or(0.0) + self.younger
    }
}
