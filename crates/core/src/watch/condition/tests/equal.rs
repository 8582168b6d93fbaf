//! A test that a channel has a code.

use super::{Memory, Tests, of};
use crate::Stamp;
use crate::part::{Part, Setting, Value};
use serde::{Deserialize, Serialize};

/// The value is a code: a number, or one of the channel's words.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Equal {
    /// What it looks at: a channel or a formula.
    pub of: String,
    /// The number, or the word, such as `on` or `idle`.
    pub code: String,
}

impl Default for Equal {
    fn default() -> Self {
        Equal { of: String::new(), code: "1".into() }
    }
}

impl Part for Equal {
    const KIND: &'static str = "equal";
    const HELP: &'static str = "the value is a code: a number, or one of the channel's words";
    const SETTINGS: &'static [Setting<Self>] = &[
        of!(),
        Setting::own(
            "code",
            "a number, or a word of the channel",
            Value::Spelled {
                shown: |test: &Equal| test.code.clone(),
                typed: |test| test.code.clone(),
                set: |test, text| {
                    test.code = text.trim().to_owned();
                    Ok(())
                },
                nudge: |test, by| {
                    if let Ok(code) = test.code.parse::<i64>() {
                        test.code = code.saturating_add(i64::from(by)).to_string();
                    }
                },
                fault: |test| test.code.trim().is_empty().then_some("code must be a number or a word"),
                examples: &["1", "on"],
            },
        ),
    ];
}

/// As near as this, relative to its size, a value is the code: the rest is left by rounding.
const NEAR: f64 = 1e-9;

#[derive(Clone, Debug)]
struct Code(Option<f64>);

impl Memory for Code {
    fn push(&mut self, _: Stamp, value: f64) -> Option<bool> {
        self.0.map(|code| (value - code).abs() <= NEAR * code.abs())
    }

    fn copy(&self) -> Box<dyn Memory> {
        Box::new(self.clone())
    }
}

impl Tests for Equal {
    fn of(&self) -> &str {
        &self.of
    }

    fn in_words(&self, _: &str) -> String {
        format!("is {}", self.code)
    }

    fn start(&self, code: &dyn Fn(&str) -> Option<f64>) -> Box<dyn Memory> {
        Box::new(Code(self.code.trim().parse().ok().or_else(|| code(self.code.trim()))))
    }
}
