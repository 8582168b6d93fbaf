//! A test that nothing has come for a while.

use super::{Memory, Tests};
use crate::Stamp;
use crate::digits::duration;
use crate::part::{Nudge, Part, Range, Setting, Unit};
use serde::{Deserialize, Serialize};

/// No row came for so long; or, of a channel, no value: rows with a gap in it do not count. It comes true at that very
/// moment, between rows, and is not decided before the first value.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Silent {
    /// The channel or formula whose values count; every row counts where it is empty.
    pub of: String,
    /// In seconds; above 0.
    pub seconds: f64,
}

impl Default for Silent {
    fn default() -> Self {
        Silent { of: String::new(), seconds: 2.0 }
    }
}

impl Part for Silent {
    const KIND: &'static str = "silent";
    const HELP: &'static str = "no row came for so long, or no value of a channel";
    const SETTINGS: &'static [Setting<Self>] = &[
        Setting::text(
            "of",
            "the channel whose values count; every row counts where it is empty",
            |test: &Silent| &test.of,
            |test, of| test.of = of,
        ),
        Setting::number(
            "for",
            "so long nothing came",
            |test: &Silent| test.seconds,
            |test, seconds| test.seconds = seconds,
        )
        .unit(Unit::Is("s"))
        .range(Range::Above(0.0))
        .nudged(Nudge::Along(&[0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 30.0, 60.0, 300.0, 3600.0])),
    ];
}

/// What comes is not silence; that it has come to that is found by the time alone.
#[derive(Clone, Debug)]
struct Heard;

impl Memory for Heard {
    fn push(&mut self, _: Stamp, _: f64) -> Option<bool> {
        Some(false)
    }

    fn copy(&self) -> Box<dyn Memory> {
        Box::new(Heard)
    }
}

impl Tests for Silent {
    fn of(&self) -> &str {
        &self.of
    }

    fn in_words(&self, _: &str) -> String {
        let what = if self.of.is_empty() { "no row" } else { "silent" };
        format!("{what} for {}", duration(self.seconds))
    }

    fn start(&self, _: &dyn Fn(&str) -> Option<f64>) -> Box<dyn Memory> {
        Box::new(Heard)
    }

    fn silence(&self) -> Option<f64> {
        Some(self.seconds)
    }
}
