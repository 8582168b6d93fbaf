//! How evenly rows are spaced, and whether that is enough for a spectrum.

use super::Time;
use crate::Stamp;
use crate::digits::duration;
use std::collections::VecDeque;

/// Intervals that are needed for a verdict.
const ENOUGH: usize = 64;

/// The spread, as a share of the median, that a spectrum bears: the phase error at a tenth of the sampling rate is then
/// below one hundredth of a turn.
const EVEN: f64 = 0.05;

/// An interval of so many times the middle one is a gap.
const GAP: f64 = 1.6;

/// Bars of the histogram.
const BARS: usize = 24;

/// The newest intervals between rows.
#[derive(Clone, Debug, Default)]
pub struct Intervals {
    newest: VecDeque<f32>,
    last: Option<(Stamp, Stamp)>,
    /// The longest time between two rows of one link, in seconds.
    longest: f64,
    rows: u64,
    /// Rows that arrived together with the one before.
    together: u64,
    arrivals: u64,
}

/// What the intervals are like.
#[derive(Clone, Debug, PartialEq)]
pub struct Spacing {
    /// The middle interval, in seconds.
    pub middle: f64,
    /// The intervals below which 5 % and 95 % of them lie.
    pub spread: (f64, f64),
    /// The longest interval since the link was opened.
    pub longest: f64,
    /// Rows that arrive together, on average: 1 when each comes by itself.
    pub burst: f64,
    /// Intervals of more than 1.6 times the middle one among the newest.
    pub gaps: usize,
    /// How many of the newest intervals fall into each of equal bars from 0 to twice the middle one; the last bar has
    /// all that are longer.
    pub histogram: Vec<u32>,
}

/// Whether rows are spaced evenly enough for a spectrum.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Verdict {
    /// Whether they are.
    pub even: bool,
    /// Why, in a sentence.
    pub reason: String,
}

impl Intervals {
    /// Intervals that are looked at.
    pub const KEPT: usize = 1024;

    /// A row at `time` arrived at `arrival`.
    #[inline]
    pub fn row(&mut self, time: Stamp, arrival: Stamp) {
        self.rows += 1;
        if let Some((last, last_arrival)) = self.last {
            let interval = time.seconds_since(last);
            if self.newest.len() == Self::KEPT {
                self.newest.pop_front();
            }
            self.newest.push_back(interval as f32);
            self.longest = self.longest.max(interval);
            self.together += u64::from(arrival.seconds_since(last_arrival) < 1e-4);
            self.arrivals += 1;
        }
        self.last = Some((time, arrival));
    }

    /// What comes next does not follow from what came before: the time between is no interval.
    pub fn break_off(&mut self) {
        self.last = None;
        self.newest.clear();
        self.longest = 0.0;
        (self.together, self.arrivals) = (0, 0);
    }

    /// What the newest intervals are like; `None` while there are fewer than four.
    pub fn spacing(&self) -> Option<Spacing> {
        if self.newest.len() < 4 {
            return None;
        }
        let mut sorted: Vec<f32> = self.newest.iter().copied().collect();
        sorted.sort_by(f32::total_cmp);
        let at = |share: f64| f64::from(sorted[((sorted.len() - 1) as f64 * share).round() as usize]);
        let middle = at(0.5);
        let bar = |interval: f32| {
            let place = f64::from(interval) / (2.0 * middle).max(1e-12) * BARS as f64;
            (place as usize).min(BARS - 1)
        };
        let mut histogram = vec![0; BARS];
        sorted.iter().for_each(|interval| histogram[bar(*interval)] += 1);
        let alone = (self.arrivals - self.together).max(1);
        Some(Spacing {
            middle,
            spread: (at(0.05), at(0.95)),
            longest: self.longest,
            burst: self.arrivals as f64 / alone as f64,
            gaps: sorted.iter().filter(|interval| f64::from(**interval) > GAP * middle).count(),
            histogram,
        })
    }

    /// Whether a spectrum can be taken of rows whose times come from `time`.
    pub fn verdict(&self, time: &Time) -> Verdict {
        let no = |reason: String| Verdict { even: false, reason };
        let Some(spacing) = self.spacing().filter(|_| self.newest.len() >= ENOUGH) else {
            return no(format!("not yet known: {} of {ENOUGH} rows", self.newest.len()));
        };
        let Spacing { middle, spread: (low, high), burst, gaps, .. } = spacing;
        let width = (high - low) / middle.max(1e-12);
        if *time == Time::Arrival && burst > 1.25 {
            return no(format!(
                "no: rows arrive in bursts of {burst:.0}; let them be evened out, or send the board's clock"
            ));
        }
        if width > EVEN {
            let whose = if *time == Time::Arrival { " as they arrive" } else { "" };
            return no(format!("no: intervals{whose} are {} to {}", duration(low), duration(high)));
        }
        if gaps > 0 {
            let (count, last) = (gaps, self.newest.len());
            return no(format!("no: {count} gap{} in the last {last} rows", if count == 1 { "" } else { "s" }));
        }
        let nyquist = 0.5 / middle;
        let reason = match time {
            Time::Even => format!("yes, to {nyquist:.0} Hz, if the board samples evenly: its rows were evened out"),
            Time::Rate { .. } => format!("yes, to {nyquist:.0} Hz, if the declared rate is right"),
            _ => format!("yes, to {nyquist:.0} Hz: 90 % within {:.1} % of the median", width * 100.0),
        };
        Verdict { even: true, reason }
    }
}
