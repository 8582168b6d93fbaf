//! Numbered stations: what the channels amount to at one place after the other.

use crate::Stamp;
use crate::block::Statistics;
use crate::chain::Chain;
use std::fmt::{self, Display};
use std::ops::Range;
use std::str::FromStr;

/// What is taken at a station.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum StationRule {
    /// So many rows from the key on.
    Rows(u64),
    /// The next level of the selected channel, as soon as it is long enough to be one.
    Level,
}

impl Default for StationRule {
    fn default() -> StationRule {
        StationRule::Rows(100)
    }
}

/// The most rows of a station.
const MOST: u64 = 1_000_000;

impl Display for StationRule {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            StationRule::Rows(1) => f.write_str("1 row"),
            StationRule::Rows(rows) => write!(f, "{rows} rows"),
            StationRule::Level => f.write_str("next level"),
        }
    }
}

impl FromStr for StationRule {
    type Err = String;

    fn from_str(text: &str) -> Result<StationRule, String> {
        let text = text.trim();
        if matches!(text, "next level" | "level") {
            return Ok(StationRule::Level);
        }
        let rows = text.strip_suffix("rows").or_else(|| text.strip_suffix("row")).unwrap_or(text);
        let rows = rows.trim().parse().ok().filter(|rows| (1..=MOST).contains(rows));
        rows.map(StationRule::Rows)
            .ok_or_else(|| format!("type next level, or a number of rows up to {MOST}: 100 rows"))
    }
}

/// What one channel amounts to at a station.
#[derive(Clone, Debug, PartialEq)]
pub struct StationReading {
    /// The channel's title.
    pub channel: String,
    /// Its unit.
    pub unit: String,
    /// Rows that count; gaps do not.
    pub rows: u64,
    /// Their mean; NaN without any.
    pub mean: f64,
    /// Their standard deviation; NaN for fewer than two.
    pub deviation: f64,
    /// The smallest.
    pub min: f64,
    /// The largest.
    pub max: f64,
}

/// A station.
#[derive(Clone, Debug, PartialEq)]
pub struct Station {
    /// From 1.
    pub number: u64,
    /// What a person calls it; may be empty.
    pub name: String,
    /// The times of its first and last row.
    pub times: (Stamp, Stamp),
    /// What the channels amount to.
    pub readings: Vec<StationReading>,
}

impl Station {
    /// What `rows` of all channels of `chain` come to, those of `skip` apart; `None` where there are no rows.
    pub fn of(chain: &Chain, rows: Range<u64>, number: u64, skip: impl Fn(usize) -> bool) -> Option<Station> {
        let store = chain.store();
        let last = rows.end.checked_sub(1)?;
        let times = (store.time(rows.start)?, store.time(last)?);
        let reading = |(index, channel): (usize, &crate::chain::Channel)| {
            let values: Vec<f64> = rows.clone().map(|row| channel.output().get(row).unwrap_or(f64::NAN)).collect();
            let stamps = vec![Stamp(0); values.len()];
            let found = Statistics::of(&stamps, &values);
            (!skip(index)).then(|| StationReading {
                channel: channel.title().to_owned(),
                unit: channel.settings().scale.unit().to_owned(),
                rows: found.as_ref().map_or(0, |found| found.count as u64),
                mean: found.as_ref().map_or(f64::NAN, |found| found.mean),
                deviation: found.as_ref().map_or(f64::NAN, |found| found.deviation),
                min: found.as_ref().map_or(f64::NAN, |found| found.min),
                max: found.as_ref().map_or(f64::NAN, |found| found.max),
            })
        };
        let readings = chain.channels().iter().enumerate().filter_map(reading).collect();
        Some(Station { number, name: String::new(), times, readings })
    }
}
