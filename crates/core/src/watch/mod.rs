//! Stage 5, **watch**: a channel's threshold with hysteresis, its state, how often it was crossed, and [`timing`] of that;
//! and the [`condition`]s of a bench.

pub mod condition;
pub mod timing;

use crate::scale::Scale;
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;

/// A channel's threshold, in the quantity's unit.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Watch {
    /// The level that is watched.
    pub threshold: f64,
    /// The width of the dead band around it: the value must rise above `threshold + hysteresis / 2` to be above, and
    /// fall below `threshold - hysteresis / 2` to be below. At least 0.
    #[serde(default)]
    pub hysteresis: f64,
}

impl Watch {
    /// What is wrong with the settings, if something is.
    pub fn fault(&self) -> Option<&'static str> {
        if !self.threshold.is_finite() {
            return Some("threshold must be a finite number");
        }
        (!(self.hysteresis.is_finite() && self.hysteresis >= 0.0)).then_some("hysteresis must be 0 or more")
    }
}

/// What becomes of a threshold when the scale in front of it changes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Carried {
    /// It says what it said.
    Same,
    /// It is this one now: at the same place of the signal.
    Moved(Watch),
    /// There is no way from the old quantity to the new one.
    Lost,
}

impl Watch {
    /// Carries it over from the scale `old` to `new`, so that it stays at the same place of the signal: a threshold of 2000
    /// counts becomes one of 1.61 V when a converter comes in front. After a zero was taken it counts from there on, as
    /// everything does: its number stays. `channel`: what the reference channel says, in volts; `ends`: least and most raw
    /// value so far.
    pub fn carried(&self, old: &Scale, new: &Scale, channel: f64, ends: Option<(f64, f64)>) -> Carried {
        if !old.measures_otherwise(new) {
            return Carried::Same;
        }
        let scaler = new.without_rounding();
        let there = |quantity: f64| {
            let raw = old.raw_of(quantity, channel, ends)?;
            // Where the new scale is flat, as beyond a clamp, nothing crosses it.
            let slope = scaler.difference(raw, (raw.abs() + 1.0) * 1e-3, channel);
            let value = scaler.quantity(raw, channel);
            // Ways back and forth leave rounding behind.
            format!("{value:.11e}").parse().ok().filter(|value: &f64| value.is_finite() && slope > 0.0)
        };
        let half = self.hysteresis / 2.0;
        let width = || Some(there(self.threshold + half)? - there(self.threshold - half)?);
        match (there(self.threshold), width()) {
            (Some(threshold), _) if self.hysteresis == 0.0 => Carried::Moved(Watch { threshold, hysteresis: 0.0 }),
            (Some(threshold), Some(width)) => {
                let hysteresis = format!("{:.8e}", width.abs()).parse().unwrap_or(width.abs());
                Carried::Moved(Watch { threshold, hysteresis })
            }
            _ => Carried::Lost,
        }
    }
}

/// On which side of the threshold the channel is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Side {
    /// No reading has left the dead band yet.
    #[default]
    Unknown,
    /// Below.
    Below,
    /// Above.
    Above,
}

/// A threshold with its memory: where the channel is, and every crossing in the rows that are kept.
#[derive(Clone, Debug)]
pub struct Watcher {
    settings: Watch,
    /// The state behind the last row.
    state: WatchState,
    /// The number of the next row.
    next: u64,
    /// The row that was decided first.
    decided: Option<u64>,
    /// The rows of the crossings that are kept, each twice its number, and one more where it rose.
    edges: VecDeque<u64>,
}

/// What a watcher saw up to some row.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct WatchState {
    /// The side that the last decided reading was on.
    pub side: Side,
    /// Crossings from below to above.
    pub rises: u64,
    /// Crossings from above to below.
    pub falls: u64,
}

impl Watcher {
    /// A watcher that has seen nothing; the first row that it takes has the number `first`.
    pub fn new(settings: Watch, first: u64) -> Self {
        Watcher { settings, state: WatchState::default(), next: first, decided: None, edges: VecDeque::new() }
    }

    /// Takes the readings of the next rows. A gap (NaN) changes nothing.
    pub fn extend(&mut self, values: &[f64]) {
        let half = self.settings.hysteresis / 2.0;
        let (above, below) = (self.settings.threshold + half, self.settings.threshold - half);
        let first = self.next;
        self.next += values.len() as u64;
        // Mostly nothing happens, which is soon seen.
        let stays = match self.state.side {
            Side::Above => values.iter().fold(true, |stays, value| stays & (*value >= below)),
            Side::Below => values.iter().fold(true, |stays, value| stays & (*value <= above)),
            Side::Unknown => false,
        };
        if stays {
            return;
        }
        for (value, row) in values.iter().zip(first..) {
            let side = match () {
                () if *value > above => Side::Above,
                () if *value < below => Side::Below,
                () => continue,
            };
            let before = std::mem::replace(&mut self.state.side, side);
            match (before, side) {
                (Side::Below, Side::Above) => self.state.rises += 1,
                (Side::Above, Side::Below) => self.state.falls += 1,
                (Side::Unknown, _) => self.decided = Some(row),
                _ => {}
            }
            if before != side && before != Side::Unknown {
                self.edges.push_back(row << 1 | u64::from(side == Side::Above));
            }
        }
    }

    /// Rows before `first` are not kept any more; their crossings count all the same.
    pub(crate) fn forget_before(&mut self, first: u64) {
        while self.edges.front().is_some_and(|edge| *edge >> 1 < first) {
            self.edges.pop_front();
        }
    }

    /// The state behind the last row.
    pub fn now(&self) -> WatchState {
        self.state
    }

    /// The state behind row `row`, which must be one that is kept.
    pub fn at(&self, row: u64) -> WatchState {
        if self.decided.is_none_or(|decided| row < decided) {
            return WatchState::default();
        }
        let seen = self.edges.partition_point(|edge| edge >> 1 <= row);
        let later = self.edges.range(seen..);
        let rises = later.clone().filter(|edge| **edge & 1 == 1).count() as u64;
        let falls = later.len() as u64 - rises;
        // Where nothing before is known, the next crossing tells from where it came.
        let side = match (seen.checked_sub(1).and_then(|last| self.edges.get(last)), self.edges.get(seen)) {
            (Some(edge), _) if edge & 1 == 1 => Side::Above,
            (Some(_), _) => Side::Below,
            (None, Some(edge)) if edge & 1 == 1 => Side::Below,
            (None, Some(_)) => Side::Above,
            (None, None) => self.state.side,
        };
        WatchState { side, rises: self.state.rises - rises, falls: self.state.falls - falls }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn hysteresis_keeps_noise_from_counting() {
        let mut watcher = Watcher::new(Watch { threshold: 100.0, hysteresis: 4.0 }, 7);
        let mut seen = Vec::new();
        for value in [101.0, 99.0, 97.9, 101.9, 102.1, 99.0, f64::NAN, 98.1, 97.9, 102.0, 103.0] {
            watcher.extend(&[value]);
            seen.push(watcher.now());
        }
        let sides: Vec<Side> = seen.iter().map(|state| state.side).collect();
        use Side::*;
        assert_eq!(sides, [Unknown, Unknown, Below, Below, Above, Above, Above, Above, Below, Below, Above]);
        assert_eq!((watcher.now().rises, watcher.now().falls), (2, 1));
        // What it saw then can be told afterwards, also when the first crossings are not kept any more.
        for first in [7, 9, 13, 16] {
            watcher.forget_before(first);
            for row in first..18 {
                assert_eq!(watcher.at(row), seen[row as usize - 7], "row {row}, kept from {first}");
            }
        }
    }
}
