//! How often rows come.

use crate::Stamp;
use std::collections::VecDeque;

/// Seconds over which the rate is measured.
const SPAN: f64 = 2.0;

/// Entries that are kept even when older, so that a board with a row every ten seconds has a rate too.
const AT_LEAST: usize = 4;

/// Stamps nearer than this to the previous entry are added to it, which bounds the memory.
const GRAIN: f64 = 0.02;

/// Measures rows a second over the last two seconds (or the last rows, when they are fewer).
#[derive(Clone, Debug, Default)]
pub struct RateMeter {
    entries: VecDeque<(Stamp, u64)>,
}

impl RateMeter {
    /// A row came at `at`; stamps must not run backwards.
    #[inline]
    pub fn row(&mut self, at: Stamp) {
        match self.entries.back_mut() {
            Some((last, rows)) if at.seconds_since(*last) < GRAIN => *rows += 1,
            _ => {
                self.entries.push_back((at, 1));
                while self.entries.len() > AT_LEAST && at.seconds_since(self.entries[0].0) > SPAN {
                    self.entries.pop_front();
                }
            }
        }
    }

    /// The mean seconds between rows; `None` until there are enough.
    pub fn interval(&self) -> Option<f64> {
        let (first, last) = (self.entries.front()?, self.entries.back()?);
        // The newest entry may still be filling, so it marks the end and is not counted.
        let rows: u64 = self.entries.iter().take(self.entries.len() - 1).map(|(_, rows)| rows).sum();
        (rows > 0).then(|| last.0.seconds_since(first.0) / rows as f64)
    }

    /// Rows a second at `now`; 0 when nothing came for two seconds or three intervals, whichever is longer.
    pub fn rate(&self, now: Stamp) -> f64 {
        let Some((interval, last)) = self.interval().zip(self.entries.back()) else {
            return 0.0;
        };
        let silent = now.seconds_since(last.0) > SPAN.max(3.0 * interval);
        if silent || interval <= 0.0 { 0.0 } else { interval.recip() }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn fast_bursty_and_slow_boards() {
        let rate = |stamps: &mut dyn Iterator<Item = f64>| {
            let mut meter = RateMeter::default();
            let mut last = Stamp::default();
            for t in stamps {
                last = Stamp::default().plus(t);
                meter.row(last);
            }
            assert!(meter.entries.len() < 120);
            (meter.rate(last), meter.rate(last.plus(100.0)))
        };
        let (even, later) = rate(&mut (0..1000).map(|i| f64::from(i) * 0.01));
        assert!((even - 100.0).abs() < 2.0 && later == 0.0);
        let (bursts, _) = rate(&mut (0..1000).map(|i| f64::from(i / 10) * 0.1));
        assert!((bursts - 100.0).abs() < 2.0, "{bursts}");
        let (slow, _) = rate(&mut (0..5).map(|i| f64::from(i) * 10.0));
        assert!((slow - 0.1).abs() < 1e-9);
        assert_eq!(RateMeter::default().rate(Stamp(5)), 0.0);
    }
}
