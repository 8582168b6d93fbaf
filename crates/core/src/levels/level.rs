//! What counts as a level, and what is known of one.

use crate::Stamp;
use serde::{Deserialize, Serialize};
use std::ops::Range;

/// What counts as a level.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct LevelRule {
    /// The shortest level in seconds; above 0.
    pub seconds: f64,
    /// By how much more than its white noise a settled channel may move; 1 for boards that send what they measure, more
    /// for those that smooth by themselves.
    pub spread: f64,
    /// Whether each new level is told with a bell.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub bell: bool,
}

impl Default for LevelRule {
    fn default() -> Self {
        LevelRule { seconds: 1.0, spread: 1.0, bell: false }
    }
}

impl LevelRule {
    /// What is wrong with the settings, if something is.
    pub fn fault(&self) -> Option<&'static str> {
        if !(0.05..=3600.0).contains(&self.seconds) {
            return Some("the shortest level must be 0.05 to 3600 seconds");
        }
        (!(0.5..=100.0).contains(&self.spread)).then_some("spread must be 0.5 to 100")
    }
}

/// A level, in raw values.
#[derive(Clone, Debug, PartialEq)]
pub struct Level {
    /// Counts the channel's levels from 1.
    pub number: u64,
    /// The rows that it covers.
    pub rows: Range<u64>,
    /// The time of the first row.
    pub from: Stamp,
    /// The time of the last row.
    pub to: Stamp,
    /// The mean, spikes left out.
    pub mean: f64,
    /// The standard deviation of single rows.
    pub spread: f64,
    /// The rows that count, without spikes and gaps.
    pub count: u64,
    /// It goes on.
    pub open: bool,
}

impl Level {
    /// Its length in seconds.
    pub fn seconds(&self) -> f64 {
        self.to.seconds_since(self.from)
    }
}
