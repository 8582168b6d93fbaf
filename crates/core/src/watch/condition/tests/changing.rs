//! A test that a value changes faster than so much a second.

use super::{Memory, Tests, of};
use crate::Stamp;
use crate::digits::{duration, set_value};
use crate::part::{Nudge, Part, Range, Setting, Unit};
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;

/// Which way a value changes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Way {
    /// Up or down.
    #[default]
    Either,
    /// Up.
    Up,
    /// Down.
    Down,
}

/// The value changes faster than so much a second, from the newest row that lies at least `over` back to the present one.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Changing {
    /// What it looks at: a channel or a formula.
    pub of: String,
    /// So fast, in its unit a second; above 0.
    pub rate: f64,
    /// So much slower it counts no longer; 0 or more.
    pub hysteresis: f64,
    /// Over so many seconds; 0 is from one row to the next.
    pub over: f64,
    /// Which way.
    pub way: Way,
}

impl Default for Changing {
    fn default() -> Self {
        Changing { of: String::new(), rate: 1.0, hysteresis: 0.0, over: 0.5, way: Way::Either }
    }
}

const WAYS: [Way; 3] = [Way::Either, Way::Up, Way::Down];

impl Part for Changing {
    const KIND: &'static str = "changing";
    const HELP: &'static str = "the value changes faster than so much a second";
    const SETTINGS: &'static [Setting<Self>] = &[
        of!(),
        Setting::number("rate", "so much a second", |test: &Changing| test.rate, |test, rate| test.rate = rate)
            .unit(Unit::Input)
            .range(Range::Above(0.0)),
        Setting::number(
            "hysteresis",
            "so much slower it counts no longer",
            |test: &Changing| test.hysteresis,
            |test, width| test.hysteresis = width,
        )
        .unit(Unit::Input)
        .range(Range::FromZero),
        Setting::number(
            "over",
            "from the row that long ago to the present one; longer heeds noise less",
            |test: &Changing| test.over,
            |test, over| test.over = over,
        )
        .unit(Unit::Is("s"))
        .range(Range::FromZero)
        .nudged(Nudge::Along(&[0.0, 0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 30.0, 60.0])),
        Setting::choice(
            "way",
            "which way it changes",
            &["either", "up", "down"],
            |test: &Changing| WAYS.iter().position(|way| *way == test.way).unwrap_or(0),
            |test, at| test.way = WAYS[at],
        ),
    ];

    fn conflict(&self) -> Option<&'static str> {
        (self.hysteresis > self.rate).then_some("the hysteresis must be at most the rate")
    }
}

/// Rows of a stretch that are remembered: of more, those that lie a share of it apart.
const ROWS: f64 = 4096.0;

#[derive(Clone, Debug)]
struct Slope {
    settings: Changing,
    rows: VecDeque<(Stamp, f64)>,
    is_fast: Option<bool>,
}

impl Memory for Slope {
    fn push(&mut self, at: Stamp, value: f64) -> Option<bool> {
        let over = self.settings.over;
        // The newest that lies far enough back stays, so that there is always one.
        while self.rows.get(1).is_some_and(|(time, _)| at.seconds_since(*time) >= over) {
            self.rows.pop_front();
        }
        let from = self.rows.front().filter(|(time, _)| at.seconds_since(*time) >= over && at > *time);
        if let Some((time, before)) = from {
            let rate = (value - before) / at.seconds_since(*time);
            let rate = match self.settings.way {
                Way::Either => rate.abs(),
                Way::Up => rate,
                Way::Down => -rate,
            };
            if rate > self.settings.rate {
                self.is_fast = Some(true);
            } else if rate < self.settings.rate - self.settings.hysteresis || self.is_fast.is_none() {
                self.is_fast = Some(false);
            }
        }
        if self.rows.back().is_none_or(|(time, _)| at.seconds_since(*time) >= over / ROWS) {
            self.rows.push_back((at, value));
        }
        self.is_fast
    }

    fn break_off(&mut self) {
        self.rows.clear();
    }

    fn copy(&self) -> Box<dyn Memory> {
        Box::new(self.clone())
    }
}

impl Tests for Changing {
    fn of(&self) -> &str {
        &self.of
    }

    fn in_words(&self, unit: &str) -> String {
        let way = match self.way {
            Way::Either => "changing",
            Way::Up => "rising",
            Way::Down => "falling",
        };
        let over = if self.over > 0.0 { format!(" over {}", duration(self.over)) } else { String::new() };
        format!("{way} faster than {} a second{over}", set_value(self.rate, unit))
    }

    fn start(&self, _: &dyn Fn(&str) -> Option<f64>) -> Box<dyn Memory> {
        Box::new(Slope { settings: self.clone(), rows: VecDeque::new(), is_fast: None })
    }
}
