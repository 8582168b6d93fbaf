//! When a take begins and ends, and when its files do.

use super::span::{seconds, size};
use crate::bench::is_plain;
use crate::digits::{bytes, counted, duration};
use std::fmt::{self, Display};
use std::str::FromStr;

/// What starts a take, once it was asked for.
#[derive(Clone, Debug, Default, PartialEq)]
pub enum Start {
    /// The key alone.
    #[default]
    Key,
    /// So many seconds after the key.
    In(f64),
    /// The next time that the clock on the wall says so: hour, minute, second.
    At(u8, u8, u8),
    /// The next event of the condition with this name.
    On(String),
}

impl Display for Start {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Start::Key => f.write_str("by key"),
            Start::In(seconds) => write!(f, "in {seconds} s"),
            Start::At(hour, minute, 0) => write!(f, "at {hour:02}:{minute:02}"),
            Start::At(hour, minute, second) => write!(f, "at {hour:02}:{minute:02}:{second:02}"),
            Start::On(condition) => write!(f, "on {condition}"),
        }
    }
}

/// The condition that a text behind `on` names.
fn condition(text: &str) -> Result<String, String> {
    let name = text.trim();
    if is_plain(name) { Ok(name.into()) } else { Err("type the name of a condition: on high water".into()) }
}

impl FromStr for Start {
    type Err = String;

    fn from_str(text: &str) -> Result<Start, String> {
        let text = text.trim();
        let usage = "type by key, in 10 s, at 14:30, or on and the name of a condition";
        match text.split_once(' ').unwrap_or((text, "")) {
            ("", _) | ("by", "key") => Ok(Start::Key),
            ("in", rest) => Ok(Start::In(seconds(rest)?)),
            ("on", rest) => Ok(Start::On(condition(rest)?)),
            ("at", rest) => {
                let parts: Vec<u8> =
                    rest.trim().split(':').map(str::parse).collect::<Result<_, _>>().map_err(|_| usage.to_owned())?;
                let (hour, minute, second) = match parts[..] {
                    [hour, minute] => (hour, minute, 0),
                    [hour, minute, second] => (hour, minute, second),
                    _ => return Err(usage.into()),
                };
                if hour < 24 && minute < 60 && second < 60 {
                    Ok(Start::At(hour, minute, second))
                } else {
                    Err("a time of the day is 00:00 to 23:59:59".into())
                }
            }
            _ => Err(usage.into()),
        }
    }
}

/// What ends a take.
#[derive(Clone, Debug, PartialEq)]
pub enum Limit {
    /// So many rows, of those that are received.
    Rows(u64),
    /// So many seconds after its start.
    Seconds(f64),
    /// Files of so many bytes together.
    Bytes(u64),
    /// An event of the condition with this name.
    On(String),
}

/// All that ends a take, whichever comes first; it is ended by the key in any case.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Limits(pub Vec<Limit>);

impl Limits {
    /// Whether the key alone ends it.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// The fewest rows that end it, if any do.
    pub fn rows(&self) -> Option<u64> {
        self.0.iter().filter_map(|limit| if let Limit::Rows(rows) = limit { Some(*rows) } else { None }).min()
    }

    /// The shortest time that ends it, in seconds, if any does.
    pub fn seconds(&self) -> Option<f64> {
        let times = self.0.iter().filter_map(|limit| if let Limit::Seconds(own) = limit { Some(*own) } else { None });
        times.reduce(f64::min)
    }

    /// The smallest size that ends it, in bytes, if any does.
    pub fn bytes(&self) -> Option<u64> {
        self.0.iter().filter_map(|limit| if let Limit::Bytes(bytes) = limit { Some(*bytes) } else { None }).min()
    }

    /// Whether an event of this condition ends it.
    pub fn ends_on(&self, condition: &str) -> bool {
        self.0.iter().any(|limit| matches!(limit, Limit::On(own) if own == condition))
    }

    pub(super) fn sentence(&self) -> String {
        let limit = |limit: &Limit| match limit {
            Limit::Rows(rows) => format!("for {}", counted(*rows, "row")),
            Limit::Seconds(seconds) => format!("for {}", duration(*seconds)),
            Limit::Bytes(size) => format!("up to {}", bytes(*size)),
            Limit::On(condition) => format!("until {condition}"),
        };
        self.0.iter().map(limit).collect::<Vec<_>>().join(" or ")
    }
}

impl Display for Limits {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.0.is_empty() {
            return f.write_str("by key");
        }
        for (i, limit) in self.0.iter().enumerate() {
            if i > 0 {
                f.write_str(", ")?;
            }
            match limit {
                Limit::Rows(rows) => write!(f, "{rows} rows"),
                Limit::Seconds(seconds) => write!(f, "{seconds} s"),
                Limit::Bytes(size) => write!(f, "{}", spelled(*size)),
                Limit::On(condition) => write!(f, "on {condition}"),
            }?;
        }
        Ok(())
    }
}

/// A size, exact, in the largest unit that needs no point.
fn spelled(size: u64) -> String {
    let unit = [(1_000_000_000, "GB"), (1_000_000, "MB"), (1000, "kB"), (1, "B")];
    let (factor, name) = unit.into_iter().find(|(factor, _)| size.is_multiple_of(*factor)).unwrap_or((1, "B"));
    format!("{} {name}", size / factor)
}

impl FromStr for Limits {
    type Err = String;

    fn from_str(text: &str) -> Result<Limits, String> {
        let text = text.trim();
        if text.is_empty() || text == "by key" {
            return Ok(Limits::default());
        }
        let limit = |part: &str| -> Result<Limit, String> {
            let part = part.trim();
            if let Some(name) = part.strip_prefix("on ") {
                return Ok(Limit::On(condition(name)?));
            }
            if let Some(rows) = part.strip_suffix("rows").or_else(|| part.strip_suffix("row")) {
                let rows = rows.trim().parse().ok().filter(|rows| *rows > 0);
                return rows.map(Limit::Rows).ok_or_else(|| "type a whole number of rows: 1000 rows".into());
            }
            match size(part) {
                Ok(size) => Ok(Limit::Bytes(size)),
                Err(_) => seconds(part).map(Limit::Seconds).map_err(|_| {
                    "type by key, or what ends it: 10 min, 1000 rows, 10 MB, on and the name of a condition; or \
                     several, with commas"
                        .into()
                }),
            }
        };
        text.split(',').map(limit).collect::<Result<_, _>>().map(Limits)
    }
}

/// When the files of a take are ended and the next ones begun.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Parts(pub Option<Part>);

/// How long a part is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Part {
    /// In seconds.
    Seconds(f64),
    /// In bytes, all of its files together; a little more, since it ends where a row does.
    Bytes(u64),
}

impl Parts {
    pub(super) fn sentence(&self) -> Option<String> {
        Some(match self.0? {
            Part::Seconds(seconds) => {
                let a_day = 86_400.0 / seconds;
                let a_day = if a_day >= 1.0 && a_day.fract() < 1e-6 {
                    format!(" ({} a day)", counted(a_day.round() as u64, "file"))
                } else {
                    String::new()
                };
                format!("a new file each {}{a_day}", duration(seconds))
            }
            Part::Bytes(size) => format!("a new file each {}", bytes(size)),
        })
    }
}

impl Display for Parts {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.0 {
            None => f.write_str("one"),
            Some(Part::Seconds(seconds)) => write!(f, "{seconds} s"),
            Some(Part::Bytes(size)) => f.write_str(&spelled(size)),
        }
    }
}

/// The shortest and the smallest part.
const LEAST: (f64, u64) = (1.0, 10_000);

impl FromStr for Parts {
    type Err = String;

    fn from_str(text: &str) -> Result<Parts, String> {
        let text = text.trim();
        if text.is_empty() || text == "one" {
            return Ok(Parts(None));
        }
        let part = match size(text) {
            Ok(size) => Part::Bytes(size),
            Err(_) => Part::Seconds(seconds(text).map_err(|_| "type one, or how long a part is: 8 h, 10 MB")?),
        };
        let is_sound = match part {
            Part::Seconds(seconds) => seconds >= LEAST.0,
            Part::Bytes(size) => size >= LEAST.1,
        };
        if is_sound { Ok(Parts(Some(part))) } else { Err("a part has at least 1 s or 10 kB".into()) }
    }
}
