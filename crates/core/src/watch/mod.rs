//! Stage 5, **watch**: a channel's threshold with hysteresis, its state, how often it was crossed, and [`timing`] of that;
//! and the [`condition`]s of a bench.

pub mod advice;
pub mod condition;
pub mod interval;
pub mod target;
pub mod timing;

use crate::Stamp;
use crate::scale::Scale;
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;

/// A channel's threshold, in the quantity's unit.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Watch {
    /// The level that is watched.
    pub threshold: f64,
    /// The width of the dead band around it: the value must rise above `threshold + hysteresis / 2` to be above, and
    /// fall below `threshold - hysteresis / 2` to be below. At least 0.
    #[serde(default)]
    pub hysteresis: f64,
    /// So long the channel must stay on the other side before that counts, in seconds; 0 or more. What stays shorter is a
    /// bounce; the edge is the row since which it stays.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub hold: f64,
    /// The channel has a lane of its own beside its trace, high above the threshold.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub lane: bool,
}

fn is_zero(value: &f64) -> bool {
    *value == 0.0
}

/// The longest time to stay, in seconds.
pub const LONGEST_HOLD: f64 = 3600.0;

impl Watch {
    /// What is wrong with the settings, if something is.
    pub fn fault(&self) -> Option<&'static str> {
        if !self.threshold.is_finite() {
            return Some("threshold must be a finite number");
        }
        if !(self.hysteresis.is_finite() && self.hysteresis >= 0.0) {
            return Some("hysteresis must be 0 or more");
        }
        (!(0.0..=LONGEST_HOLD).contains(&self.hold)).then_some("hold must be 0 to 3600 s")
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
            (Some(threshold), _) if self.hysteresis == 0.0 => Carried::Moved(Watch { threshold, ..*self }),
            (Some(threshold), Some(width)) => {
                let hysteresis = format!("{:.8e}", width.abs()).parse().unwrap_or(width.abs());
                Carried::Moved(Watch { threshold, hysteresis, ..*self })
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
    /// The side that it may be going to, since which row and when.
    pending: Option<(u64, Stamp)>,
    bounces: Bounces,
}

/// What a hold time took away.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Bounces {
    /// Stays that were too short to count.
    pub count: u64,
    /// The longest of them, in seconds.
    pub longest: f64,
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
        Watcher {
            settings,
            state: WatchState::default(),
            next: first,
            decided: None,
            edges: VecDeque::new(),
            pending: None,
            bounces: Bounces::default(),
        }
    }

    /// What its hold time has taken away so far.
    pub fn bounces(&self) -> Bounces {
        self.bounces
    }

    /// Takes the readings of the next rows, with their times. A gap (NaN) changes nothing.
    pub fn extend(&mut self, times: &[Stamp], values: &[f64]) {
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
        if stays && self.pending.is_none() {
            return;
        }
        if self.settings.hold > 0.0 {
            return self.extend_held(first, times, values, above, below);
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

    /// The same where the other side must be held. Where it begins counts at once.
    fn extend_held(&mut self, first: u64, times: &[Stamp], values: &[f64], above: f64, below: f64) {
        for ((value, at), row) in values.iter().zip(times).zip(first..) {
            let side = match () {
                () if *value > above => Side::Above,
                () if *value < below => Side::Below,
                // Within the dead band it is where it was last.
                () => match (self.pending, self.state.side) {
                    _ if value.is_nan() => continue,
                    (None, side) => side,
                    (Some(_), Side::Above) => Side::Below,
                    (Some(_), _) => Side::Above,
                },
            };
            if side == Side::Unknown {
                continue;
            }
            if self.state.side == Side::Unknown {
                (self.state.side, self.decided) = (side, Some(row));
                continue;
            }
            match self.pending {
                None if side == self.state.side => {}
                None => self.pending = Some((row, *at)),
                Some((_, since)) if side == self.state.side => {
                    self.bounces.count += 1;
                    self.bounces.longest = self.bounces.longest.max(at.seconds_since(since));
                    self.pending = None;
                }
                Some(_) => {}
            }
            let has_held = |(_, since): &(u64, Stamp)| *at >= since.plus(self.settings.hold);
            if let Some((from, _)) = self.pending.take_if(|pending| has_held(pending)) {
                self.state.side = side;
                match side {
                    Side::Above => self.state.rises += 1,
                    _ => self.state.falls += 1,
                }
                self.edges.push_back(from << 1 | u64::from(side == Side::Above));
            }
        }
    }

    /// The crossings of the rows that are kept: the row of each, and whether it rose.
    pub fn edges(&self) -> impl DoubleEndedIterator<Item = (u64, bool)> + ExactSizeIterator + '_ {
        self.edges.iter().map(|edge| (edge >> 1, edge & 1 == 1))
    }

    /// How many of the crossings that are kept lie before row `row`.
    pub fn edges_before(&self, row: u64) -> usize {
        self.edges.partition_point(|edge| edge >> 1 < row)
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
        let later = self.edges.range(self.edges_before(row + 1)..);
        let rises = later.clone().filter(|edge| **edge & 1 == 1).count() as u64;
        let falls = later.len() as u64 - rises;
        WatchState { side: self.side_at(row), rises: self.state.rises - rises, falls: self.state.falls - falls }
    }

    /// The side behind row `row`, which must be one that is kept.
    pub fn side_at(&self, row: u64) -> Side {
        if self.decided.is_none_or(|decided| row < decided) {
            return Side::Unknown;
        }
        let seen = self.edges_before(row + 1);
        // Where nothing before is known, the next crossing tells from where it came.
        match (seen.checked_sub(1).and_then(|last| self.edges.get(last)), self.edges.get(seen)) {
            (Some(edge), _) if edge & 1 == 1 => Side::Above,
            (Some(_), _) => Side::Below,
            (None, Some(edge)) if edge & 1 == 1 => Side::Below,
            (None, Some(_)) => Side::Above,
            (None, None) => self.state.side,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn hysteresis_keeps_noise_from_counting() {
        let mut watcher = Watcher::new(Watch { threshold: 100.0, hysteresis: 4.0, ..Watch::default() }, 7);
        let mut seen = Vec::new();
        for value in [101.0, 99.0, 97.9, 101.9, 102.1, 99.0, f64::NAN, 98.1, 97.9, 102.0, 103.0] {
            watcher.extend(&[Stamp(0)], &[value]);
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

    #[test]
    fn what_is_not_held_is_a_bounce_and_an_edge_is_where_the_stay_begins() {
        // A contact at 1 ms a row: it closes with three bounces, is touched for 3 ms, and opens without any.
        let text = "00000 1 00 1111 0 111111111111111 000 111111111111 0000000000000000";
        let bits: Vec<f64> = text.chars().filter_map(|c| c.to_digit(2)).map(f64::from).collect();
        let times: Vec<Stamp> = (0..bits.len() as i64).map(|row| Stamp(row * 1_000_000)).collect();
        let settings = Watch { threshold: 0.5, hold: 0.005, ..Watch::default() };
        for cut in [1, 3, 100] {
            let mut watcher = Watcher::new(settings, 0);
            times.chunks(cut).zip(bits.chunks(cut)).for_each(|(times, bits)| watcher.extend(times, bits));
            assert_eq!(watcher.edges().collect::<Vec<_>>(), [(13, true), (43, false)]);
            assert_eq!((watcher.now().rises, watcher.now().falls, watcher.now().side), (1, 1, Side::Below));
            assert_eq!(watcher.bounces(), Bounces { count: 3, longest: 0.004 });
            assert_eq!((watcher.at(12).side, watcher.at(13).side), (Side::Below, Side::Above));
        }
    }
}
