//! Settled only: a new value is given only after the readings stayed within a band for so long.

use super::mean::Sums;
use super::strength::Window;
use super::{Memory, Smooths, Strength};
use crate::Stamp;
use crate::part::{Nudge, Part, Range, Setting, Unit};
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;

/// Settled only.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Settled {
    /// Between the largest and the smallest reading of a settled channel, at most; above 0, in the unit of the quantity.
    pub band: f64,
    /// For how long they must stay within it, in seconds; above 0.
    pub seconds: f64,
}

impl Default for Settled {
    fn default() -> Self {
        Settled { band: 1.0, seconds: 1.0 }
    }
}

impl Part for Settled {
    const KIND: &'static str = "settled";
    const HELP: &'static str = "a new value only after the readings stayed within a band for so long";
    const SETTINGS: &'static [Setting<Self>] = &[
        Setting::number(
            "band",
            "from the smallest to the largest reading, noise and all",
            |filter: &Settled| filter.band,
            |filter, band| filter.band = band,
        )
        .unit(Unit::Input)
        .range(Range::Above(0.0)),
        Setting::number(
            "for",
            "so long it must stay within the band; 1 to 3 s are common",
            |filter: &Settled| filter.seconds,
            |filter, seconds| filter.seconds = seconds,
        )
        .unit(Unit::Is("s"))
        .range(Range::Above(0.0))
        .nudged(Nudge::Along(&[0.1, 0.2, 0.5, 1.0, 1.5, 2.0, 3.0, 5.0, 10.0])),
    ];

    fn short(&self) -> String {
        format!("settled {}", crate::digits::duration(self.seconds))
    }
}

impl Smooths for Settled {
    fn delay(&self, _: f64) -> f64 {
        self.seconds
    }

    fn goes_backward(&self) -> bool {
        false
    }

    fn start(&self) -> Box<dyn Memory> {
        Box::new(State {
            settings: *self,
            window: Window::new(Strength::Seconds(self.seconds)),
            sums: Sums::default(),
            ends: Default::default(),
            begin: None,
            passed: 0,
            shown: f64::NAN,
        })
    }
}

#[derive(Clone, Debug)]
struct State {
    settings: Settled,
    window: Window,
    sums: Sums,
    /// The values that may still become the smallest or the largest of the window, with the numbers of their rows.
    ends: [VecDeque<(u64, f64)>; 2],
    begin: Option<Stamp>,
    /// Rows that have left the window.
    passed: u64,
    shown: f64,
}

impl Memory for State {
    /// The mean of the last `seconds`, when all of it lies within the band and the mean is more than half a band from what is
    /// given now; else what is given stays. A gap before the first settled value.
    fn push(&mut self, at: Stamp, value: f64) -> f64 {
        let begin = *self.begin.get_or_insert(at);
        self.sums.push(value);
        let (sums, passed) = (&mut self.sums, &mut self.passed);
        self.window.slide(at, value, |left| {
            sums.pop(left.values());
            *passed += 1;
        });
        let newest = self.passed + self.window.len() as u64 - 1;
        for (end, sign) in self.ends.iter_mut().zip([1.0, -1.0]) {
            while end.back().is_some_and(|(_, other)| sign * other >= sign * value) {
                end.pop_back();
            }
            end.push_back((newest, value));
            while end.front().is_some_and(|(row, _)| *row < self.passed) {
                end.pop_front();
            }
        }
        let [least, most] = [0, 1].map(|end: usize| self.ends[end].front().map_or(f64::NAN, |(_, value)| *value));
        let is_settled = at.seconds_since(begin) >= self.settings.seconds && most - least <= self.settings.band;
        if is_settled {
            let mean = self.sums.sum() / self.window.len() as f64;
            // Also where nothing is given yet.
            let stays = (mean - self.shown).abs() <= self.settings.band / 2.0;
            if !stays {
                self.shown = mean;
            }
        }
        self.shown
    }

    fn copy(&self) -> Box<dyn Memory> {
        Box::new(self.clone())
    }
}
