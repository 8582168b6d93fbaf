//! How noisy a channel's quantity is, before and after its filters.

use super::Channel;
use crate::levels::Level;
use crate::smooth::Price;
use crate::stats::{Basis, Measured, deviation};

/// Rows of a level that the noise is measured on, the newest.
const MOST_ROWS: u64 = 2048;

/// Rows that are needed.
const FEWEST_ROWS: u64 = 16;

/// In raw steps: less deviation than this has a channel that gives one code all the time, more than this one that does not.
const DEAD: f64 = 0.05;
const LOUD: f64 = 0.3;

impl Channel {
    /// The last level that had begun in front of row `row`.
    fn level_before(&self, row: u64) -> Option<&Level> {
        let found = self.levels().found();
        found.get(found.partition_point(|level| level.rows.start < row).checked_sub(1)?)
    }

    /// The noise of the quantity as the last level in front of row `row` shows it; where there was none, the present one
    /// as if it were white. `None` while nothing is known.
    pub fn noise(&self, row: u64) -> Option<Measured> {
        let white = self.levels().white_noise();
        // One code all the time, as where a converter ends or a contact lifts, says nothing of the noise elsewhere.
        let is_dead = |level: &Level| level.spread < DEAD * self.raw_step();
        let is_loud = white.is_some_and(|white| white.deviation > LOUD * self.raw_step());
        let (raw, at) = match self.level_before(row).filter(|level| !(is_dead(level) && is_loud)) {
            Some(level) => (Measured { deviation: level.spread, basis: Basis::Settled }, level.mean),
            None => (white?, self.last_raw()),
        };
        let deviation = self.difference_of(raw.deviation, at);
        deviation.is_finite().then_some(Measured { deviation, ..raw })
    }

    /// The noise behind the filters, which have this price: that of the smoothed rows of the same level, once the filters
    /// have forgotten what was before it, with what they leave of spikes; else what they leave of white noise. `None` without
    /// filters.
    pub fn noise_after(&self, row: u64, price: &Price) -> Option<Measured> {
        let (before, series) = (self.noise(row)?, self.smoothed()?);
        let skipped = (price.settles / price.interval()).ceil() as u64;
        let measured = self.level_before(row).filter(|_| before.basis == Basis::Settled).and_then(|level| {
            let end = level.rows.end.min(row);
            let from = (level.rows.start + skipped).max(end.saturating_sub(MOST_ROWS));
            if from + FEWEST_ROWS.max(skipped) > end {
                return None;
            }
            let rows = || (from..end).filter_map(|row| series.get(row)).filter(|value| !value.is_nan());
            deviation(rows)
        });
        Some(match measured {
            Some(deviation) => Measured { deviation, basis: Basis::Settled },
            None => Measured { deviation: before.deviation * price.noise_gain, basis: Basis::White },
        })
    }
}
