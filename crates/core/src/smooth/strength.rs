//! How strong a filter is, in rows or in seconds, and the window that this gives.

use crate::Stamp;
use crate::digits::{counted, duration};
use crate::part::{Nudge, Range, Setting, Unit};
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;

/// The longest window in rows; a window in seconds that would hold more keeps the newest.
pub const MAX_WINDOW: usize = 65_536;

const ROWS: &[f64] = &[2.0, 3.0, 5.0, 7.0, 9.0, 15.0, 21.0, 31.0, 51.0, 101.0, 201.0, 501.0];
const SECONDS: &[f64] = &[0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 30.0];

/// How strong a filter is; in a bench file `rows = 5` or `seconds = 0.2`.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "Written", into = "Written")]
pub enum Strength {
    /// Rows of the window, or rows of the time constant; 1 to 65536.
    Rows(u32),
    /// Seconds of the window, or the time constant; above 0.
    Seconds(f64),
}

impl Default for Strength {
    fn default() -> Self {
        Strength::Rows(5)
    }
}

/// [`Strength`] as it stands in a bench file.
#[derive(Clone, Copy, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Written {
    #[serde(skip_serializing_if = "Option::is_none")]
    rows: Option<u32>,
    #[serde(skip_serializing_if = "Option::is_none")]
    seconds: Option<f64>,
}

impl TryFrom<Written> for Strength {
    type Error = &'static str;

    fn try_from(written: Written) -> Result<Self, Self::Error> {
        Strength::written(written.rows, written.seconds)
    }
}

impl From<Strength> for Written {
    fn from(strength: Strength) -> Self {
        let (rows, seconds) = strength.as_written();
        Written { rows, seconds }
    }
}

impl Strength {
    /// The one of two keys of a bench file that is there.
    pub(super) fn written(rows: Option<u32>, seconds: Option<f64>) -> Result<Self, &'static str> {
        match (rows, seconds) {
            (Some(rows), None) => Ok(Strength::Rows(rows)),
            (None, Some(seconds)) => Ok(Strength::Seconds(seconds)),
            _ => Err("expected either `rows = N` or `seconds = S` beside `kind`"),
        }
    }

    pub(super) fn as_written(self) -> (Option<u32>, Option<f64>) {
        match self {
            Strength::Rows(rows) => (Some(rows), None),
            Strength::Seconds(seconds) => (None, Some(seconds)),
        }
    }

    /// The rows that it spans when they are `interval` seconds apart, at least 1.
    pub(crate) fn rows(self, interval: f64) -> f64 {
        match self {
            Strength::Rows(rows) => f64::from(rows.max(1)),
            Strength::Seconds(seconds) if interval > 0.0 => (seconds / interval).clamp(1.0, MAX_WINDOW as f64),
            Strength::Seconds(_) => 1.0,
        }
    }

    /// The same counted the other way, for rows `interval` seconds apart.
    pub(super) fn in_other_terms(self, interval: f64) -> String {
        match self {
            Strength::Rows(rows) => duration(f64::from(rows) * interval),
            Strength::Seconds(_) => format!("{} rows", crate::digits::short(self.rows(interval), 3)),
        }
    }

    /// As a person reads it.
    pub(super) fn spelled(self) -> String {
        match self {
            Strength::Rows(rows) => counted(u64::from(rows), "row"),
            Strength::Seconds(seconds) => duration(seconds),
        }
    }
}

/// A filter with a strength.
pub(super) trait Strong: Sized + 'static {
    fn strength(&self) -> Strength;
    fn strength_mut(&mut self) -> &mut Strength;
}

/// The settings of a filter whose strength is called `name`.
pub(super) const fn settings<F: Strong>(name: &'static str) -> [Setting<F>; 3] {
    [
        Setting::choice(
            "counted in",
            "rows, or seconds whatever the rate",
            &["rows", "seconds"],
            |filter: &F| usize::from(matches!(filter.strength(), Strength::Seconds(_))),
            |filter, choice| {
                *filter.strength_mut() = if choice == 0 { Strength::Rows(5) } else { Strength::Seconds(0.1) };
            },
        ),
        Setting::number(
            name,
            "longer: less noise, more delay",
            |filter: &F| match filter.strength() {
                Strength::Rows(rows) => f64::from(rows),
                Strength::Seconds(_) => 0.0,
            },
            // Checked against the range before.
            |filter, rows| *filter.strength_mut() = Strength::Rows(rows as u32),
        )
        .unit(Unit::Is("rows"))
        .range(Range::Whole(1, MAX_WINDOW as u32))
        .nudged(Nudge::Along(ROWS))
        .when(|filter| matches!(filter.strength(), Strength::Rows(_))),
        Setting::number(
            name,
            "longer: less noise, more delay",
            |filter: &F| match filter.strength() {
                Strength::Rows(_) => 0.0,
                Strength::Seconds(seconds) => seconds,
            },
            |filter, seconds| *filter.strength_mut() = Strength::Seconds(seconds),
        )
        .unit(Unit::Is("s"))
        .range(Range::Above(0.0))
        .nudged(Nudge::Along(SECONDS))
        .when(|filter| matches!(filter.strength(), Strength::Seconds(_))),
    ]
}

/// The rows that lie within a strength, the newest last.
#[derive(Clone, Debug)]
pub(super) struct Window {
    strength: Strength,
    rows: VecDeque<(Stamp, f64)>,
}

impl Window {
    pub(super) fn new(strength: Strength) -> Self {
        Window { strength, rows: VecDeque::new() }
    }

    /// How many rows there are.
    pub(super) fn len(&self) -> usize {
        self.rows.len()
    }

    /// Their values, the oldest first.
    pub(super) fn values(&self) -> impl DoubleEndedIterator<Item = f64> {
        self.rows.iter().map(|(_, value)| *value)
    }

    /// The same with their times.
    pub(super) fn rows(&self) -> impl DoubleEndedIterator<Item = (Stamp, f64)> {
        self.rows.iter().copied()
    }

    /// Takes a new row and lets go of those that left; `gone` is told after each one.
    pub(super) fn slide(&mut self, at: Stamp, value: f64, mut gone: impl FnMut(&Window)) {
        self.rows.push_back((at, value));
        while let Some(&(front, _)) = self.rows.front() {
            let rows = self.rows.len();
            let left = match self.strength {
                Strength::Rows(most) => rows > most.max(1) as usize,
                Strength::Seconds(seconds) => rows > MAX_WINDOW || (rows > 1 && at.seconds_since(front) >= seconds),
            };
            if !left {
                break;
            }
            self.rows.pop_front();
            gone(self);
        }
    }
}
