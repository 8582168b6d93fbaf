//! Tests that a value lies on one side of a threshold, or within a band or beyond it, with hysteresis.

use super::{Line, Memory, Tests, of};
use crate::Stamp;
use crate::digits::set_value;
use crate::part::{Nudge, Part, Range, Setting, Unit};
use serde::{Deserialize, Serialize};

/// The value is above a threshold: it comes true above `value + hysteresis / 2`, and false below `value - hysteresis / 2`.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Above {
    /// What it looks at: a channel or a formula.
    pub of: String,
    /// The threshold.
    pub value: f64,
    /// The width of the dead band around it; 0 or more.
    pub hysteresis: f64,
}

/// The value is below a threshold: it comes true below `value - hysteresis / 2`, and false above `value + hysteresis / 2`.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Below {
    /// What it looks at: a channel or a formula.
    pub of: String,
    /// The threshold.
    pub value: f64,
    /// The width of the dead band around it; 0 or more.
    pub hysteresis: f64,
}

/// The value is between two others: it comes true half a hysteresis within them, and false half a hysteresis beyond.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Inside {
    /// What it looks at: a channel or a formula.
    pub of: String,
    /// The lower end.
    pub low: f64,
    /// The upper end, above the lower one.
    pub high: f64,
    /// The width of the dead band around either end; 0 or more, and less than the band.
    pub hysteresis: f64,
}

/// The value is not between two others: it comes true half a hysteresis beyond them, and false half a hysteresis within.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Outside {
    /// What it looks at: a channel or a formula.
    pub of: String,
    /// The lower end.
    pub low: f64,
    /// The upper end, above the lower one.
    pub high: f64,
    /// The width of the dead band around either end; 0 or more, and less than the band.
    pub hysteresis: f64,
}

/// True in the inner band, false beyond the outer one, as it was between them; the other way round where it is turned.
#[derive(Clone, Debug)]
struct Band {
    inner: (f64, f64),
    outer: (f64, f64),
    is_turned: bool,
    is_in: Option<bool>,
}

impl Band {
    fn boxed(low: f64, high: f64, hysteresis: f64, is_turned: bool) -> Box<dyn Memory> {
        let half = hysteresis / 2.0;
        Box::new(Band { inner: (low + half, high - half), outer: (low - half, high + half), is_turned, is_in: None })
    }
}

impl Memory for Band {
    fn push(&mut self, _: Stamp, value: f64) -> Option<bool> {
        if value > self.inner.0 && value < self.inner.1 {
            self.is_in = Some(true);
        } else if value < self.outer.0 || value > self.outer.1 {
            self.is_in = Some(false);
        }
        self.is_in.map(|is_in| is_in != self.is_turned)
    }

    fn copy(&self) -> Box<dyn Memory> {
        Box::new(self.clone())
    }
}

macro_rules! one_sided {
    ($kind:ident, $name:literal, $help:literal, $low:expr, $high:expr) => {
        impl Part for $kind {
            const KIND: &'static str = $name;
            const HELP: &'static str = $help;
            const SETTINGS: &'static [Setting<Self>] = &[
                of!(),
                Setting::number("value", "the threshold", |test: &Self| test.value, |test, value| test.value = value)
                    .unit(Unit::Input)
                    .nudged(Nudge::Input),
                Setting::number(
                    "hysteresis",
                    "the width of the dead band around it; wider than the noise stops flicker",
                    |test: &Self| test.hysteresis,
                    |test, width| test.hysteresis = width,
                )
                .unit(Unit::Input)
                .range(Range::FromZero)
                .nudged(Nudge::Input),
            ];
        }

        impl Tests for $kind {
            fn of(&self) -> &str {
                &self.of
            }

            fn in_words(&self, unit: &str) -> String {
                format!("{} {}", $name, set_value(self.value, unit))
            }

            fn start(&self, _: &dyn Fn(&str) -> Option<f64>) -> Box<dyn Memory> {
                let value = self.value;
                Band::boxed($low(value), $high(value), self.hysteresis, false)
            }

            fn lines(&self) -> Vec<Line> {
                vec![Line { value: self.value, hysteresis: self.hysteresis }]
            }
        }
    };
}

one_sided!(Above, "above", "the value is above a threshold", |value| value, |_| f64::INFINITY);
one_sided!(Below, "below", "the value is below a threshold", |_| f64::NEG_INFINITY, |value| value);

macro_rules! two_sided {
    ($kind:ident, $name:literal, $help:literal, $is_turned:literal) => {
        impl Default for $kind {
            fn default() -> Self {
                $kind { of: String::new(), low: 0.0, high: 1.0, hysteresis: 0.0 }
            }
        }

        impl Part for $kind {
            const KIND: &'static str = $name;
            const HELP: &'static str = $help;
            const SETTINGS: &'static [Setting<Self>] = &[
                of!(),
                Setting::number("low", "the lower end", |test: &Self| test.low, |test, low| test.low = low)
                    .unit(Unit::Input)
                    .nudged(Nudge::Input),
                Setting::number("high", "the upper end", |test: &Self| test.high, |test, high| test.high = high)
                    .unit(Unit::Input)
                    .nudged(Nudge::Input),
                Setting::number(
                    "hysteresis",
                    "the width of the dead band around either end; wider than the noise stops flicker",
                    |test: &Self| test.hysteresis,
                    |test, width| test.hysteresis = width,
                )
                .unit(Unit::Input)
                .range(Range::FromZero)
                .nudged(Nudge::Input),
            ];

            fn conflict(&self) -> Option<&'static str> {
                if self.low >= self.high {
                    return Some("the lower end must be below the upper one");
                }
                (self.hysteresis >= self.high - self.low).then_some("the hysteresis must be less than the band")
            }
        }

        impl Tests for $kind {
            fn of(&self) -> &str {
                &self.of
            }

            fn in_words(&self, unit: &str) -> String {
                format!("{} {} to {}", $name, set_value(self.low, ""), set_value(self.high, unit))
            }

            fn start(&self, _: &dyn Fn(&str) -> Option<f64>) -> Box<dyn Memory> {
                Band::boxed(self.low, self.high, self.hysteresis, $is_turned)
            }

            fn lines(&self) -> Vec<Line> {
                [self.low, self.high].map(|value| Line { value, hysteresis: self.hysteresis }).into()
            }
        }
    };
}

two_sided!(Inside, "inside", "the value is between two others", false);
two_sided!(Outside, "outside", "the value is not between two others", true);
