//! A test that another condition is true.

use super::{Memory, Tests};
use crate::Stamp;
use crate::part::{Part, Setting};
use serde::{Deserialize, Serialize};

/// Another condition, above this one in the list, is true and has held.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct When {
    /// Its name.
    pub condition: String,
}

impl Part for When {
    const KIND: &'static str = "when";
    const HELP: &'static str = "another condition, above this one in the list, is true";
    const SETTINGS: &'static [Setting<Self>] = &[Setting::text(
        "condition",
        "the name of a condition above this one in the list",
        |test: &When| &test.condition,
        |test, condition| test.condition = condition,
    )];
}

/// It needs no value.
#[derive(Clone, Debug)]
struct Nothing;

impl Memory for Nothing {
    fn push(&mut self, _: Stamp, _: f64) -> Option<bool> {
        None
    }

    fn copy(&self) -> Box<dyn Memory> {
        Box::new(Nothing)
    }
}

impl Tests for When {
    fn of(&self) -> &str {
        ""
    }

    fn in_words(&self, _: &str) -> String {
        self.condition.clone()
    }

    fn start(&self, _: &dyn Fn(&str) -> Option<f64>) -> Box<dyn Memory> {
        Box::new(Nothing)
    }

    fn other(&self) -> Option<&str> {
        Some(&self.condition)
    }
}
