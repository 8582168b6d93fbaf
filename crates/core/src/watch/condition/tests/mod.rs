//! The kinds of test, a file for each or for those that are alike.

mod band;
mod changing;
mod equal;
mod settled;
mod silent;
mod when;

pub use band::{Above, Below, Inside, Outside};
pub use changing::Changing;
pub use equal::Equal;
pub use settled::Settled;
pub use silent::Silent;
pub use when::When;

use crate::Stamp;
use std::fmt::Debug;

/// What a kind of test does.
trait Tests: Debug {
    /// The channel, or the formula, that it looks at; empty where it needs no value.
    fn of(&self) -> &str;

    /// In words behind the channel, with the unit of its values: `above 3000 counts`.
    fn in_words(&self, unit: &str) -> String;

    /// The test at work, which has seen nothing. `code` gives the number that a word stands for.
    fn start(&self, code: &dyn Fn(&str) -> Option<f64>) -> Box<dyn Memory>;

    /// The values at which it changes, for the chart.
    fn lines(&self) -> Vec<Line> {
        Vec::new()
    }

    /// So many seconds without a value make it true.
    fn silence(&self) -> Option<f64> {
        None
    }

    /// The name of the condition that it asks.
    fn other(&self) -> Option<&str> {
        None
    }
}

/// A value at which a test changes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Line {
    /// In the unit of the channel.
    pub value: f64,
    /// The width of the dead band around it.
    pub hysteresis: f64,
}

/// A test at work, with what it remembers.
pub(super) trait Memory: Debug + Send + Sync {
    /// Takes the value of the row at `at`, not NaN; gives whether it is true now, and nothing while that is not decided.
    fn push(&mut self, at: Stamp, value: f64) -> Option<bool>;

    /// The next row does not follow from the last one.
    fn break_off(&mut self) {}

    /// A copy, which goes on by itself.
    fn copy(&self) -> Box<dyn Memory>;
}

impl Clone for Box<dyn Memory> {
    fn clone(&self) -> Self {
        (**self).copy()
    }
}

crate::part::kinds! {
    /// A test of a condition; in a bench file `kind = "above"`, `of = "sump"`, `value = 3000`.
    enum Test as Tests, at most 16, "test":
    Above, Below, Inside, Outside, Equal, Changing, Settled, Silent, When,
}

impl Test {
    /// The channel, or the formula, that it looks at; empty where it needs no value.
    pub fn of(&self) -> &str {
        match self {
            Test::Bypassed { of } => of.of(),
            test => test.in_force().map_or("", |test| test.of()),
        }
    }

    /// In words, with the unit that `unit` gives for a channel.
    pub fn in_words(&self, unit: impl Fn(&str) -> String) -> String {
        match (self, self.in_force()) {
            (Test::Bypassed { of }, _) => of.in_words(unit),
            (_, Some(test)) if test.of().is_empty() => test.in_words(""),
            (_, Some(test)) => format!("{} {}", test.of(), test.in_words(&unit(test.of()))),
            (_, None) => String::new(),
        }
    }

    /// The values at which it changes; none while it is bypassed.
    pub fn lines(&self) -> Vec<Line> {
        self.in_force().map_or_else(Vec::new, |test| test.lines())
    }

    /// The same with what it needs to begin with, where that is not set: a channel, which says `value` with this noise and
    /// resolution, rounded to so many decimals.
    #[must_use]
    pub fn begun(mut self, channel: &str, value: f64, noise: f64, decimals: usize) -> Test {
        let round = |value: f64| -> f64 { crate::digits::fixed(value, decimals).parse().unwrap_or(0.0) };
        let unit = round(10f64.powi(-(decimals as i32)));
        // Six times the noise holds nearly all of it.
        let (value, wide) = (round(if value.is_nan() { 0.0 } else { value }), round(noise * 6.0).max(0.0));
        let band = (2.0 * wide).max(10.0 * unit);
        match &mut self {
            Test::Above(test) => (test.value, test.hysteresis) = (value, wide),
            Test::Below(test) => (test.value, test.hysteresis) = (value, wide),
            Test::Inside(test) => (test.low, test.high, test.hysteresis) = (value - band, value + band, wide),
            Test::Outside(test) => (test.low, test.high, test.hysteresis) = (value - band, value + band, wide),
            Test::Changing(test) => test.rate = band / test.over.max(0.01),
            Test::Settled(test) => test.band = band,
            Test::Equal(_) | Test::Silent(_) | Test::When(_) | Test::Bypassed { .. } => {}
        }
        if let Some(of) = self.of_mut().filter(|of| of.is_empty()) {
            channel.clone_into(of);
        }
        self
    }

    /// What it must look at; none where it needs no value.
    fn of_mut(&mut self) -> Option<&mut String> {
        match self {
            Test::Above(test) => Some(&mut test.of),
            Test::Below(test) => Some(&mut test.of),
            Test::Inside(test) => Some(&mut test.of),
            Test::Outside(test) => Some(&mut test.of),
            Test::Equal(test) => Some(&mut test.of),
            Test::Changing(test) => Some(&mut test.of),
            Test::Settled(test) => Some(&mut test.of),
            Test::Silent(_) | Test::When(_) | Test::Bypassed { .. } => None,
        }
    }

    /// Moves the value `from` at which it changes, one of its [`Test::lines`], to another.
    pub fn move_line(&mut self, from: f64, to: f64) {
        match self {
            Test::Above(test) => test.value = to,
            Test::Below(test) => test.value = to,
            Test::Inside(Inside { low, high, .. }) | Test::Outside(Outside { low, high, .. }) => {
                *if *low == from { low } else { high } = to;
            }
            _ => {}
        }
    }

    /// The name of the condition that it asks; none while it is bypassed.
    pub fn other(&self) -> Option<&str> {
        self.in_force()?.other()
    }

    pub(super) fn silence(&self) -> Option<f64> {
        self.in_force()?.silence()
    }

    pub(super) fn start(&self, code: &dyn Fn(&str) -> Option<f64>) -> Option<Box<dyn Memory>> {
        Some(self.in_force()?.start(code))
    }
}

/// The setting that says what a test looks at.
macro_rules! of {
    () => {
        $crate::part::Setting::text(
            "of",
            "a channel's name, for what leaves its chain; or a formula over channels",
            |test: &Self| &test.of,
            |test, of| test.of = of,
        )
    };
}
use of;
