//! A test that a value has stayed within a band for a while.

use super::{Memory, Tests, of};
use crate::Stamp;
use crate::digits::{duration, set_value};
use crate::part::{Nudge, Part, Range, Setting, Unit};
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;

/// The values of the last so many seconds all lie within a band of this width.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Settled {
    /// What it looks at: a channel or a formula.
    pub of: String,
    /// From the smallest to the largest of them, at most; 0 or more.
    pub band: f64,
    /// In seconds; above 0.
    pub seconds: f64,
}

impl Default for Settled {
    fn default() -> Self {
        Settled { of: String::new(), band: 1.0, seconds: 1.0 }
    }
}

impl Part for Settled {
    const KIND: &'static str = "settled";
    const HELP: &'static str = "the values of the last so many seconds lie within a band";
    const SETTINGS: &'static [Setting<Self>] = &[
        of!(),
        Setting::number(
            "band",
            "from the smallest to the largest value, noise and all",
            |test: &Settled| test.band,
            |test, band| test.band = band,
        )
        .unit(Unit::Input)
        .range(Range::FromZero)
        .nudged(Nudge::Input),
        Setting::number(
            "for",
            "so long they must stay within it",
            |test: &Settled| test.seconds,
            |test, seconds| test.seconds = seconds,
        )
        .unit(Unit::Is("s"))
        .range(Range::Above(0.0))
        .nudged(Nudge::Along(&[0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 30.0, 60.0])),
    ];
}

/// Values that are remembered at most; beyond it, neighbours are taken as one for as long as the later of them lasts.
const MOST: usize = 4096;

/// The largest values of a window, each later one smaller; with a sign turned, the smallest.
#[derive(Clone, Debug, Default)]
struct Tops(VecDeque<(Stamp, f64)>);

impl Tops {
    fn push(&mut self, at: Stamp, value: f64) {
        while self.0.back().is_some_and(|(_, last)| *last <= value) {
            self.0.pop_back();
        }
        self.0.push_back((at, value));
        if self.0.len() > MOST {
            // The larger value lasts as long as the later one: a band is never taken for narrower than it is.
            let pairs: Vec<(Stamp, f64)> = self.0.drain(..).collect();
            self.0 = pairs.chunks(2).map(|pair| (pair[pair.len() - 1].0, pair[0].1)).collect();
        }
    }

    fn forget_until(&mut self, at: Stamp) {
        while self.0.front().is_some_and(|(time, _)| *time <= at) {
            self.0.pop_front();
        }
    }

    fn top(&self) -> f64 {
        self.0.front().map_or(f64::NEG_INFINITY, |(_, value)| *value)
    }
}

#[derive(Clone, Debug)]
struct Window {
    settings: Settled,
    highest: Tops,
    lowest: Tops,
    /// The first row since the rows began or broke off.
    begin: Option<Stamp>,
}

impl Memory for Window {
    fn push(&mut self, at: Stamp, value: f64) -> Option<bool> {
        let begin = *self.begin.get_or_insert(at);
        self.highest.push(at, value);
        self.lowest.push(at, -value);
        let edge = at.plus(-self.settings.seconds);
        self.highest.forget_until(edge);
        self.lowest.forget_until(edge);
        let is_within = self.highest.top() + self.lowest.top() <= self.settings.band;
        Some(is_within && begin <= edge)
    }

    fn break_off(&mut self) {
        self.begin = None;
        (self.highest, self.lowest) = (Tops::default(), Tops::default());
    }

    fn copy(&self) -> Box<dyn Memory> {
        Box::new(self.clone())
    }
}

impl Tests for Settled {
    fn of(&self) -> &str {
        &self.of
    }

    fn in_words(&self, unit: &str) -> String {
        format!("settled within {} for {}", set_value(self.band, unit), duration(self.seconds))
    }

    fn start(&self, _: &dyn Fn(&str) -> Option<f64>) -> Box<dyn Memory> {
        let (highest, lowest) = (Tops::default(), Tops::default());
        Box::new(Window { settings: self.clone(), highest, lowest, begin: None })
    }
}
