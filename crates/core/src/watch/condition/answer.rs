//! What is done at an event.

use crate::block::{Length, MOST_ROWS};
use crate::digits::{counted, duration, typed};
use crate::part::{Nudge, Part, Range, Setting, Unit, Value};
use crate::talk::Ending;
use serde::{Deserialize, Serialize};

/// What a kind of answer says of itself.
trait Answers {
    /// In a few words, for a list.
    fn in_words(&self) -> String;
}

macro_rules! plain {
    ($kind:ident, $name:literal, $help:literal) => {
        #[doc = concat!("At an event: ", $help, ".")]
        #[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
        #[serde(deny_unknown_fields)]
        pub struct $kind {}

        impl Part for $kind {
            const KIND: &'static str = $name;
            const HELP: &'static str = $help;
            const SETTINGS: &'static [Setting<Self>] = &[];
        }

        impl Answers for $kind {
            fn in_words(&self) -> String {
                $name.replace('-', " ")
            }
        }
    };
}

plain!(Bell, "bell", "the terminal's bell rings");
plain!(Flash, "flash", "the title flashes");
plain!(Hold, "hold", "the display is held, so that the event stays in view");
plain!(StartTake, "start-take", "a take is started, where none runs");
plain!(StopTake, "stop-take", "the take that runs is ended");

/// At an event: a mark is set in the take that runs.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Mark {
    /// The mark's note, with values filled in; the condition's name where it is empty.
    pub note: String,
}

impl Part for Mark {
    const KIND: &'static str = "mark";
    const HELP: &'static str = "a mark is set in the take that runs";
    const SETTINGS: &'static [Setting<Self>] = &[Setting::text(
        "note",
        "{name} stands for the value of a channel; the condition's name where it is empty",
        |answer: &Mark| &answer.note,
        |answer, note| answer.note = note,
    )];
}

/// At an event: a block is snapped.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Snap {
    /// So many rows; where there are none, `seconds` counts.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub rows: Option<usize>,
    /// So many seconds.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub seconds: Option<f64>,
    /// The share of the block in front of the event, 0 to 100 %.
    pub before: f64,
}

impl Default for Snap {
    fn default() -> Self {
        Snap { rows: Some(1024), seconds: None, before: 50.0 }
    }
}

impl Snap {
    /// How long the block is.
    pub fn length(&self) -> Length {
        match (self.rows, self.seconds) {
            (Some(rows), _) => Length::Rows(rows),
            (None, Some(seconds)) => Length::Seconds(seconds),
            (None, None) => Length::Rows(1024),
        }
    }

    fn set_length(&mut self, text: &str) -> Result<(), String> {
        let text = text.trim();
        let wrong = || "length must be rows, such as 512, or seconds, such as 2 s".to_owned();
        let (rows, seconds) = match text.strip_suffix('s') {
            Some(seconds) if !seconds.ends_with("row") => (None, Some(typed(seconds.trim()).map_err(|_| wrong())?)),
            _ => {
                let rows = text.trim_end_matches(|c: char| c.is_alphabetic()).trim();
                (Some(rows.parse().map_err(|_| wrong())?), None)
            }
        };
        (self.rows, self.seconds) = (rows, seconds);
        Ok(())
    }

    fn shown(&self) -> String {
        match self.length() {
            Length::Rows(rows) => counted(rows as u64, "row"),
            Length::Seconds(seconds) => duration(seconds),
        }
    }
}

impl Part for Snap {
    const KIND: &'static str = "snap";
    const HELP: &'static str = "a block is snapped from the buffer";
    const SETTINGS: &'static [Setting<Self>] = &[
        Setting::own(
            "length",
            "rows, or seconds with an s behind them",
            Value::Spelled {
                shown: Snap::shown,
                typed: Snap::shown,
                set: Snap::set_length,
                nudge: |answer, by| match answer.length() {
                    Length::Rows(rows) => {
                        answer.rows = Some(crate::part::along(&crate::block::SIZES, rows, by));
                    }
                    Length::Seconds(seconds) => {
                        answer.seconds =
                            Some(crate::part::along(&[0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 30.0], seconds, by));
                    }
                },
                fault: |answer| match answer.length() {
                    Length::Rows(rows) if !(1..=MOST_ROWS).contains(&rows) => Some("length must be 1 to 1048576 rows"),
                    Length::Seconds(seconds) if !(seconds > 0.0 && seconds <= super::LONGEST) => {
                        Some("length must be above 0 and at most 86400 s")
                    }
                    _ => None,
                },
                examples: &["512", "2 s"],
            },
        ),
        Setting::number(
            "before",
            "the share of it in front of the event",
            |answer: &Snap| answer.before,
            |answer, before| answer.before = before,
        )
        .unit(Unit::Is("%"))
        .range(Range::Whole(0, 100))
        .nudged(Nudge::Along(&[0.0, 10.0, 25.0, 50.0, 75.0, 90.0, 100.0])),
    ];
}

/// At an event: a line is sent to the board, when sending is armed. Only for rows as they come, never for history.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Send {
    /// The line, with values filled in.
    pub line: String,
    /// What is put behind it.
    pub ending: Ending,
    /// From one sending to the next at least, in seconds; 0 or more. What comes sooner is not sent, and counted.
    pub every: f64,
    /// The oldest row that is answered, in seconds since it arrived; more than 0. What waited longer is not sent, and counted:
    /// an answer to what is over may do harm.
    pub max_age: f64,
}

impl Default for Send {
    fn default() -> Self {
        Send { line: String::new(), ending: Ending::Lf, every: 0.5, max_age: 1.0 }
    }
}

impl Part for Send {
    const KIND: &'static str = "send";
    const HELP: &'static str = "a line is sent to the board, while sending is armed";
    const SETTINGS: &'static [Setting<Self>] = &[
        Setting::text(
            "line",
            "what is sent; {name} stands for the value of a channel",
            |answer: &Send| &answer.line,
            |answer, line| answer.line = line,
        ),
        Setting::choice(
            "ending",
            "the line ending",
            &["LF", "CR LF", "CR", "none", "bytes in hexadecimal"],
            |answer: &Send| Ending::ALL.iter().position(|ending| *ending == answer.ending).unwrap_or(0),
            |answer, at| answer.ending = Ending::ALL[at],
        ),
        Setting::number(
            "at most every",
            "what comes sooner is not sent, and counted",
            |answer: &Send| answer.every,
            |answer, every| answer.every = every,
        )
        .unit(Unit::Is("s"))
        .range(Range::FromZero)
        .nudged(Nudge::Along(&[0.0, 0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 60.0])),
        Setting::number(
            "max age of the row",
            "rows that waited longer are not answered, and counted",
            |answer: &Send| answer.max_age,
            |answer, max_age| answer.max_age = max_age,
        )
        .unit(Unit::Is("s"))
        .range(Range::Above(0.0))
        .nudged(Nudge::Along(&[0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 60.0])),
    ];
}

impl Answers for Mark {
    fn in_words(&self) -> String {
        if self.note.is_empty() { "mark".into() } else { format!("mark '{}'", self.note) }
    }
}

impl Answers for Snap {
    fn in_words(&self) -> String {
        format!("snap {}", self.shown())
    }
}

impl Answers for Send {
    fn in_words(&self) -> String {
        format!("send '{}'", self.line)
    }
}

crate::part::kinds! {
    /// An answer of a condition; in a bench file `kind = "send"`, `line = "pump on"`.
    enum Answer as Answers, at most 8, "answer":
    Mark, Bell, Flash, Hold, Snap, StartTake, StopTake, Send,
}

impl Answer {
    /// In a few words, for a list; empty while it is bypassed.
    pub fn in_words(&self) -> String {
        self.in_force().map_or_else(String::new, |answer| answer.in_words())
    }
}

/// `text` with what stands in braces replaced by what `value` gives for it; `{{` and `}}` stand for braces.
///
/// # Errors
/// What is wrong with it, in a sentence.
pub fn fill(text: &str, value: impl Fn(&str) -> Option<String>) -> Result<String, String> {
    let (mut out, mut rest) = (String::with_capacity(text.len()), text);
    while let Some(at) = rest.find(['{', '}']) {
        out.push_str(&rest[..at]);
        let brace = &rest[at..at + 1];
        rest = &rest[at + 1..];
        if let Some(behind) = rest.strip_prefix(brace) {
            (out, rest) = (out + brace, behind);
            continue;
        }
        let end = rest.find('}').filter(|_| brace == "{");
        let end = end.ok_or_else(|| format!("'{brace}' stands alone: write {brace}{brace} for a brace"))?;
        let name = rest[..end].trim();
        out += &value(name).ok_or_else(|| format!("there is no value of '{name}'"))?;
        rest = &rest[end + 1..];
    }
    Ok(out + rest)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_are_filled_in() {
        let value = |name: &str| (name == "sump").then(|| "3012".to_owned());
        let ok = |text: &str| fill(text, value).unwrap();
        assert_eq!(
            [ok("pump on"), ok("at { sump } of {sump}"), ok("{{sump}} }}")],
            ["pump on", "at 3012 of 3012", "{sump} }"]
        );
        assert!(["{bed}", "{sump", "sump}", "{"].iter().all(|text| fill(text, value).is_err()));
    }

    #[test]
    fn a_block_is_as_long_as_was_typed() {
        let length = |text: &str| {
            let mut snap = Snap::default();
            Part::set(&mut snap, 0, text).map(|()| snap.length())
        };
        assert_eq!(length("512"), Ok(Length::Rows(512)));
        assert_eq!(length("1 row"), Ok(Length::Rows(1)));
        assert_eq!(length("512 rows"), Ok(Length::Rows(512)));
        assert_eq!(length("2.5 s"), Ok(Length::Seconds(2.5)));
        assert!(["", "0", "-1 s", "two", "1e9"].iter().all(|text| length(text).is_err()));
    }
}
