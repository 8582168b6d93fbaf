//! Stage 6: what of the rows goes into a take's table, at what pace, from when until when.
//!
//! The bytes of the wire are kept whole in any case; what is set here decides about the table that is made of them, and
//! about the beginning and the end of the take. Each setting has one text, which is typed, stands in a bench file and is
//! given on the command line alike.

mod gather;
mod paper;
mod plan;
mod publish;
mod span;
mod station;

pub use gather::Gatherer;
pub use paper::{FigureSettings, PaperSize};
pub use plan::{Limit, Limits, Part, Parts, Start};
pub use publish::{BrokerAddress, Publish, SpoolSize, Topics, host_and_port};
pub use span::{seconds, size};
pub use station::{Station, StationReading, StationRule};

use crate::digits::{counted, duration};
use serde::{Deserialize, Deserializer, Serialize, Serializer, de};
use std::fmt::{self, Display};
use std::str::FromStr;

/// What a take keeps, and when.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Keep {
    /// Each channel's raw value, in a column of its own behind the quantity.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub raw: bool,
    /// Each channel's smoothed quantity, in a column of its own behind that, where it has filters.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub smoothed: bool,
    /// The channels that have columns, by name or title; all of them when empty.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub channels: Vec<String>,
    /// Which rows.
    #[serde(skip_serializing_if = "crate::bench::is_default")]
    pub pace: Pace,
    /// Which clocks, beside the time since the start.
    #[serde(skip_serializing_if = "crate::bench::is_default")]
    pub clocks: Clocks,
    /// Decimals of all numbers; by each channel's resolution where none are set.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub decimals: Option<u8>,
    /// Columns are parted by semicolons and numbers have a decimal comma, as spreadsheets of some countries want it.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub decimal_comma: bool,
    /// So many seconds from before the start are part of the take, as far as they are in memory.
    #[serde(skip_serializing_if = "crate::bench::is_default")]
    pub before: f64,
    /// What is taken at a station.
    #[serde(skip_serializing_if = "crate::bench::is_default")]
    pub station: StationRule,
    /// What starts the take.
    #[serde(skip_serializing_if = "crate::bench::is_default")]
    pub start: Start,
    /// What ends the take, whichever comes first; the key where nothing is set.
    #[serde(skip_serializing_if = "crate::bench::is_default")]
    pub stop: Limits,
    /// When its files are ended and the next ones begun.
    #[serde(skip_serializing_if = "crate::bench::is_default")]
    pub parts: Parts,
}

impl Default for Keep {
    fn default() -> Keep {
        Keep {
            raw: false,
            smoothed: false,
            channels: Vec::new(),
            pace: Pace::default(),
            clocks: Clocks::default(),
            decimals: None,
            decimal_comma: false,
            before: 0.0,
            station: StationRule::default(),
            start: Start::default(),
            stop: Limits::default(),
            parts: Parts::default(),
        }
    }
}

/// The most decimals that a table has.
pub const MOST_DECIMALS: u8 = 12;

/// The longest time before the start that can be asked for, in seconds.
pub const LONGEST_BEFORE: f64 = 86_400.0;

impl Keep {
    /// A word near the mistake, and the mistake, where a number is out of its range.
    pub fn fault(&self) -> Option<(&'static str, String)> {
        if self.decimals.is_some_and(|decimals| decimals > MOST_DECIMALS) {
            return Some(("decimals", format!("decimals are 0 to {MOST_DECIMALS}")));
        }
        let is_sound = (0.0..=LONGEST_BEFORE).contains(&self.before);
        (!is_sound).then(|| ("before", format!("before is 0 to {LONGEST_BEFORE} seconds")))
    }

    /// Whether a channel with this name and title has columns.
    pub fn has(&self, name: &str, title: &str) -> bool {
        self.channels.is_empty() || self.channels.iter().any(|own| own == name || own == title)
    }

    /// The plan as a sentence, for rows that come `rate` times a second, where that is known: `one row each 1 s: mean of 100
    /// rows; for 10 min; 3 files a day`.
    pub fn sentence(&self, rate: Option<f64>) -> String {
        let mut parts = vec![self.pace.sentence(rate)];
        if !self.channels.is_empty() {
            parts.push(format!("of {}", self.channels.join(", ")));
        }
        match &self.start {
            Start::Key => {}
            start => parts.push(format!("started {start}")),
        }
        if self.before > 0.0 {
            parts.push(format!("with {} from before", duration(self.before)));
        }
        parts.push(if self.stop.is_empty() { "until it is ended".into() } else { self.stop.sentence() });
        if let Some(part) = self.parts.sentence() {
            parts.push(part);
        }
        parts.join("; ")
    }

    /// Rows of the table a second, for rows that come `rate` times a second.
    pub fn table_rate(&self, rate: f64) -> f64 {
        match &self.pace {
            Pace::Every(1) => rate,
            Pace::Every(n) => rate / *n as f64,
            Pace::Each { seconds, .. } => rate.min(1.0 / seconds),
        }
    }
}

/// Which rows go into the table.
#[derive(Clone, Debug, PartialEq)]
pub enum Pace {
    /// Every n-th, beginning with the first; 1 is every row.
    Every(u64),
    /// One for each stretch of so many seconds, counted from the start, in which there are rows.
    Each {
        /// Its length in seconds.
        seconds: f64,
        /// What of its rows, in the order of the columns; not empty.
        values: Vec<Statistic>,
    },
}

impl Default for Pace {
    fn default() -> Pace {
        Pace::Every(1)
    }
}

/// What of the rows of a stretch stands in a table.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Statistic {
    /// The last value that is no gap.
    Last,
    /// The mean of all that are no gaps.
    Mean,
    /// The smallest.
    Min,
    /// The largest.
    Max,
}

impl Statistic {
    /// All of them.
    pub const ALL: [Statistic; 4] = [Statistic::Last, Statistic::Mean, Statistic::Min, Statistic::Max];

    /// The word for it, also at the end of a column's name.
    pub fn name(self) -> &'static str {
        ["last", "mean", "min", "max"][self as usize]
    }
}

/// What stands in a table when nothing else is said.
const USUAL: [Statistic; 3] = [Statistic::Mean, Statistic::Min, Statistic::Max];

impl Pace {
    fn sentence(&self, rate: Option<f64>) -> String {
        match self {
            Pace::Every(1) => "every row".into(),
            Pace::Every(n) => format!("one row of {n}"),
            Pace::Each { seconds, values } => {
                let names: Vec<&str> = values.iter().map(|value| value.name()).collect();
                let of = rate.map(|rate| (rate * seconds).round()).filter(|rows| *rows >= 1.0);
                let of = of.map_or(String::new(), |rows| format!(" of {}", counted(rows as u64, "row")));
                format!("one row each {}: {}{of}", duration(*seconds), names.join(", "))
            }
        }
    }
}

impl Display for Pace {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Pace::Every(1) => f.write_str("every row"),
            Pace::Every(n) => write!(f, "every {n}"),
            Pace::Each { seconds, values } => {
                write!(f, "{seconds} s")?;
                if values[..] != USUAL {
                    values.iter().try_for_each(|value| write!(f, " {}", value.name()))?;
                }
                Ok(())
            }
        }
    }
}

impl FromStr for Pace {
    type Err = String;

    fn from_str(text: &str) -> Result<Pace, String> {
        let usage = "type every row, every 10 (one row of ten), or a time such as 1 s, then any of: last mean min max";
        let text = text.trim();
        let mut words = text.split_whitespace().peekable();
        if words.next_if(|word| word.eq_ignore_ascii_case("every")).is_some() {
            let rest: Vec<&str> = words.collect();
            return match rest[..] {
                [] | ["row"] => Ok(Pace::Every(1)),
                [n] | [n, "rows"] => {
                    n.parse().ok().filter(|n| (1..=1_000_000_000).contains(n)).map(Pace::Every).ok_or(usage.into())
                }
                _ => Err(usage.into()),
            };
        }
        if text.is_empty() {
            return Ok(Pace::default());
        }
        let is_value = |word: &str| Statistic::ALL.iter().copied().find(|value| value.name() == word);
        let all: Vec<&str> =
            text.split(|c: char| c.is_whitespace() || c == ',').filter(|word| !word.is_empty()).collect();
        // Right behind a number, min is a minute.
        let is_number = |at: usize| all[at].parse::<f64>().is_ok();
        let is_unit = |at: usize| all[at] == "min" && at == 1 && is_number(0);
        let at = (0..all.len()).find(|at| is_value(all[*at]).is_some() && !is_unit(*at)).unwrap_or(all.len());
        let seconds = seconds(&all[..at].join(" ")).map_err(|_| usage.to_owned())?;
        let mut values = Vec::new();
        for word in &all[at..] {
            let value = is_value(word).ok_or_else(|| format!("{word} is none of: last mean min max"))?;
            if !values.contains(&value) {
                values.push(value);
            }
        }
        if values.is_empty() {
            values = USUAL.into();
        }
        Ok(Pace::Each { seconds, values })
    }
}

/// Which clocks have columns, beside the time since the start, which every table has.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Clocks {
    /// That of the host and those of the board.
    #[default]
    Both,
    /// That of the host, in UTC.
    Wall,
    /// Those that the board sends.
    Board,
    /// None.
    None,
}

impl Clocks {
    /// All choices, in their order.
    pub const ALL: [Clocks; 4] = [Clocks::Both, Clocks::Wall, Clocks::Board, Clocks::None];

    /// The word for it.
    pub fn name(self) -> &'static str {
        ["wall and board", "wall", "board", "none"][self as usize]
    }

    /// Whether there is the host's clock.
    pub fn wall(self) -> bool {
        matches!(self, Clocks::Both | Clocks::Wall)
    }

    /// Whether there are the board's clocks.
    pub fn board(self) -> bool {
        matches!(self, Clocks::Both | Clocks::Board)
    }
}

impl Display for Clocks {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}

impl FromStr for Clocks {
    type Err = String;

    fn from_str(text: &str) -> Result<Clocks, String> {
        let known = Clocks::ALL.into_iter().find(|clocks| clocks.name() == text.trim());
        known.ok_or_else(|| "clocks are: wall and board, wall, board, or none".into())
    }
}

/// Settings that are one text each.
macro_rules! as_text {
    ($($name:ty),*) => {$(
        impl Serialize for $name {
            fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
                serializer.collect_str(self)
            }
        }

        impl<'de> Deserialize<'de> for $name {
            fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
                String::deserialize(deserializer)?.parse().map_err(de::Error::custom)
            }
        }
    )*};
}

as_text!(Pace, Clocks, Start, Limits, Parts, StationRule, PaperSize, BrokerAddress, Topics, SpoolSize);

#[cfg(test)]
mod tests;
