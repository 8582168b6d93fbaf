//! Moving median.

use super::halves::Middle;
use super::strength::{self, Strong, Window};
use super::{Memory, Smooths, Strength};
use crate::Stamp;
use crate::part::{Part, Setting};
use serde::{Deserialize, Serialize};

/// Moving median, which drops single spikes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Median {
    /// The rows whose median is taken.
    pub window: Strength,
}

impl Part for Median {
    const KIND: &'static str = "median";
    const HELP: &'static str = "moving median: against spikes";
    const SETTINGS: &'static [Setting<Self>] = &strength::settings("window");

    fn short(&self) -> String {
        format!("median {}", self.window.spelled())
    }
}

impl Strong for Median {
    fn strength(&self) -> Strength {
        self.window
    }

    fn strength_mut(&mut self) -> &mut Strength {
        &mut self.window
    }
}

impl Smooths for Median {
    /// Half the window.
    fn delay(&self, interval: f64) -> f64 {
        (self.window.rows(interval) - 1.0) / 2.0 * interval
    }

    fn in_other_terms(&self, interval: f64) -> Option<String> {
        Some(self.window.in_other_terms(interval))
    }

    fn start(&self) -> Box<dyn Memory> {
        Box::new(State { window: Window::new(self.window), halves: Middle::default() })
    }
}

#[derive(Clone, Debug)]
struct State {
    window: Window,
    halves: Middle,
}

impl Memory for State {
    fn push(&mut self, at: Stamp, value: f64) -> f64 {
        self.halves.push(value);
        self.window.slide(at, value, |_| self.halves.pop());
        self.halves.median()
    }

    fn copy(&self) -> Box<dyn Memory> {
        Box::new(self.clone())
    }
}
