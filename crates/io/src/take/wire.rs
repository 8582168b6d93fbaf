//! The codec of `wire.csv`: when each piece of `wire.bin` arrived, and what happened between.

use amber_core::Stamp;
use amber_core::clock::Opening;
use std::ops::Range;

/// The header row.
pub(super) const HEADER: &[u8] = b"offset,arrival_ns,event\r\n";

/// What happened to the source before bytes came.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Event {
    /// It was opened.
    Opened {
        /// As what.
        opening: Opening,
        /// What comes next may begin within a line.
        within: bool,
    },
    /// The text came to its end.
    Ended,
}

impl Event {
    /// A link was opened at the start of a line.
    pub const BEGIN: Event = Event::Opened { opening: Opening::Link, within: false };
    /// A link was opened, perhaps within a line.
    pub const JOIN: Event = Event::Opened { opening: Opening::Link, within: true };

    /// The word for it in the table.
    fn word(self) -> &'static str {
        match self {
            Event::Opened { opening: Opening::Link, within: true } => "join",
            Event::Opened { opening: Opening::Link, within: false } => "begin",
            Event::Opened { opening: Opening::Text { arrives: false, .. }, .. } => "text",
            Event::Opened { opening: Opening::Text { arrives: true, .. }, .. } => "pipe",
            Event::Opened { opening: Opening::Grows(_), .. } => "grows",
            Event::Ended => "end",
        }
    }

    fn of_word(word: &str, at: Stamp) -> Option<Event> {
        let (opening, within) = match word {
            "join" => (Opening::Link, true),
            "begin" => (Opening::Link, false),
            "text" => (Opening::Text { at, arrives: false }, false),
            "pipe" => (Opening::Text { at, arrives: true }, false),
            "grows" => (Opening::Grows(at), false),
            "end" => return Some(Event::Ended),
            _ => return None,
        };
        Some(Event::Opened { opening, within })
    }
}

/// A row of the table: from `offset` on bytes arrived at `at`.
pub(super) fn row(offset: u64, at: Stamp, event: Option<Event>) -> String {
    format!("{offset},{},{}\r\n", at.0, event.map_or("", Event::word))
}

/// A stretch of `wire.bin` that arrived at once.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Piece {
    /// When.
    pub at: Stamp,
    /// Its bytes in `wire.bin`.
    pub bytes: Range<usize>,
    /// What happened just before.
    pub event: Option<Event>,
}

/// What the table says.
#[derive(Debug)]
pub(super) struct Stamps {
    /// When the take began.
    pub(super) start: Stamp,
    pub(super) pieces: Vec<Piece>,
    /// The length up to which the table is whole and belongs to `wire.bin`.
    pub(super) whole: usize,
    /// Words that are not known, each once; the first few.
    pub(super) unknown: Vec<String>,
}

/// Reads the table for a `wire.bin` of `wire` bytes.
///
/// # Errors
/// The line that makes no sense, and what was expected.
pub(super) fn parse(text: &[u8], wire: usize) -> Result<Stamps, String> {
    let mut rows: Vec<(usize, Stamp, Option<Event>)> = Vec::new();
    let mut unknown: Vec<String> = Vec::new();
    let mut whole = 0;
    let lines = text[..super::reader::whole_lines(text)].split_inclusive(|b| *b == b'\n');
    for (number, line) in (1..).zip(lines) {
        if number > 1 {
            let line = String::from_utf8_lossy(line);
            let fields: Vec<&str> = line.trim_end().splitn(3, ',').collect();
            let parsed = match fields[..] {
                [offset, at, event] => {
                    offset.parse::<usize>().ok().zip(at.parse::<i64>().ok()).map(|(o, at)| (o, at, event))
                }
                _ => None,
            };
            let Some((offset, at, word)) = parsed.filter(|(offset, ..)| rows.last().is_none_or(|row| row.0 <= *offset))
            else {
                let found: String = line.trim_end().chars().take(40).collect();
                return Err(format!("line {number}: expected a rising offset, a time and an event, found '{found}'"));
            };
            if offset > wire || (offset == wire && word.is_empty()) {
                break; // Stamps are written through before their bytes.
            }
            let at = Stamp(at);
            let event = Event::of_word(word, at);
            if event.is_none() && !word.is_empty() && unknown.len() < 4 && !unknown.iter().any(|known| known == word) {
                unknown.push(word.chars().take(40).collect());
            }
            rows.push((offset, at, event));
        }
        whole += line.len();
    }
    let Some((0, start, _)) = rows.first().copied() else {
        return Err("expected a first row with offset 0".into());
    };
    let ends = rows.iter().skip(1).map(|(offset, ..)| *offset).chain([wire]);
    let pieces = rows.iter().zip(ends);
    let pieces = pieces.map(|((offset, at, event), end)| Piece { at: *at, bytes: *offset..end, event: *event });
    Ok(Stamps { start, pieces: pieces.collect(), whole, unknown })
}
