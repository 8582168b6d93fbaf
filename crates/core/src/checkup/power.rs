//! A sensor without power: from the start, or since the middle of a run.

use super::{FaultKind, Look, Told};
use crate::chain::Channel;
use crate::digits::duration;
use crate::scale::Scale;
use crate::store::Store;
use std::ops::Range;

/// The share of the converter's range that a sensor without power stays below.
const LOW: f64 = 0.02;

/// The same in codes, where the converter's range is not known.
const LOW_CODES: f64 = 24.0;

/// The highest code that is taken for one where the converter's range is not known.
const MOST_CODES: f64 = 4095.0;

/// How many times as high counts as never having been near there.
const NEAR: f64 = 2.5;

/// Rows and seconds for which it must have stayed there.
const STAYED: (u64, f64) = (50, 3.0);

/// How quickly power goes, in seconds and rows; turning a knob down takes longer.
const FALL: (f64, u64) = (0.1, 2);

/// How much of what it was must have been left so long before it was down, against twice so long before.
const LEFT: f64 = 0.65;

/// The highest raw value that a sensor without power gives.
fn low(scale: &Scale) -> f64 {
    scale.converter().map_or(LOW_CODES, |(_, converter)| LOW * converter.top_code())
}

/// A channel that fell at once to where a sensor without power is, where it never was before, and stays there.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Fall {
    /// Seconds since then.
    pub ago: f64,
    /// The highest raw value since then.
    pub most: f64,
}

/// Looks for such a fall in all `rows` that are kept of a channel.
pub fn fall(channel: &Channel, column: usize, store: &Store, rows: Range<u64>) -> Option<Fall> {
    let low = low(&channel.settings().scale);
    let since = below(channel, low, rows.clone());
    let (began, now) = (store.time(since)?, store.time(rows.end.checked_sub(1)?)?);
    let ago = now.seconds_since(began);
    if rows.end - since < STAYED.0 || ago < STAYED.1 {
        return None;
    }
    let falling = below(channel, NEAR * low, rows.start..since);
    let rows_of_fall = (rows.end - since) as f64 / ago * FALL.0;
    let quick = (rows_of_fall.ceil() as u64).max(FALL.1);
    let was = |times: u64| store.raw(column, since.saturating_sub(times * quick).max(rows.start)).unwrap_or(f64::NAN);
    let at_once = since - falling <= quick && was(1) >= LEFT * was(2);
    // It must have been seen for as long before, and high throughout.
    let was_high = falling - rows.start >= STAYED.0
        && above(channel, NEAR * low, rows.start..falling).is_none_or(|(lowest, _)| lowest > 0.0);
    let newest = since..rows.end.min(since + 1000);
    let most = newest.filter_map(|row| store.raw(column, row)).fold(0.0, f64::max);
    (at_once && was_high).then_some(Fall { ago, most })
}

/// The first of the last rows in which the channel's raw value was all the time below `limit`; the end where there are none.
fn below(channel: &Channel, limit: f64, rows: Range<u64>) -> u64 {
    let (mut first, mut count, mut grows) = (rows.end, 1, true);
    while first > rows.start {
        let from = first.saturating_sub(count).max(rows.start);
        if above(channel, limit, from..first).is_none_or(|(_, highest)| highest <= 0.0) {
            first = from;
            count *= if grows { 2 } else { 1 };
        } else if count == 1 {
            break;
        } else {
            (count, grows) = (count / 2, false);
        }
    }
    first
}

/// How far the lowest and the highest raw value of these rows lie above `limit`, in quantities, of which least and most are
/// known at once; `None` where all are gaps.
fn above(channel: &Channel, limit: f64, rows: Range<u64>) -> Option<(f64, f64)> {
    let (least, most) = channel.scaled().min_max(rows)?;
    let (edge, beyond) = (channel.quantity_of(limit), channel.quantity_of(1.5 * limit));
    let slack = (beyond - edge).abs() * 1e-5;
    // Which of them stands for the highest raw value depends on the way that the scale goes.
    let (lowest, highest) = if beyond > edge { (least - edge, most - edge) } else { (edge - most, edge - least) };
    Some((lowest - slack, highest - slack))
}

impl Look<'_> {
    /// Whether the channel reads like one whose sensor has no power.
    pub(super) fn unpowered(&self) -> Option<Told> {
        if self.top.is_none() && !self.sends_codes() {
            return None;
        }
        let fell = |fall: Fall| {
            let to = self.codes(fall.most);
            let ago = duration(fall.ago);
            format!("fell to {to} or less {ago} ago, where it never was before: as when power is lost")
        };
        let evidence = self.never_powered().or_else(|| self.patient.fall.map(fell))?;
        Some((FaultKind::Unpowered, evidence, "measure the supply at the sensor itself, then its output"))
    }

    fn never_powered(&self) -> Option<String> {
        let most = self.patient.ever.1;
        if most > low(self.patient.scale) {
            return None;
        }
        if self.top.is_some() {
            return Some(format!("never above {}: as from a sensor without power", self.codes(most)));
        }
        // Without the converter's range only the flicker of a pin near ground is plain: other numbers are small, too.
        let raw = &self.patient.raw;
        let mut values = raw.clone();
        values.sort_by(f64::total_cmp);
        values.dedup();
        let turns = raw.windows(3).filter(|three| (three[1] - three[0]) * (three[2] - three[1]) < 0.0).count();
        let flickers = values.len() >= 4 && turns * 5 > raw.len();
        (flickers && self.least <= 3.0).then(|| {
            format!("flickers from {} to {most}: as codes of 4095 or 1023 from a sensor without power", self.least)
        })
    }

    /// Whether the raw values look like those of a converter, though nothing is said of one.
    fn sends_codes(&self) -> bool {
        let scale = self.patient.scale;
        let ever = self.patient.ever;
        let is_whole = self.patient.step == 1.0 && self.patient.raw.iter().all(|value| value.fract() == 0.0);
        scale.is_plain() && scale.unit.is_empty() && is_whole && ever.0 >= 0.0 && ever.1 <= MOST_CODES
    }
}
