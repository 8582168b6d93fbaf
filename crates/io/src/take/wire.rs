//! The codec of `wire.csv`: when each piece of `wire.bin` arrived, and what happened between.

use super::hearing::{JUDGED, best};
use amber_core::Stamp;
use amber_core::clock::Opening;
use std::borrow::Cow;
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
    /// From here on bytes were heard at this baud rate, which may be wrong.
    Listening(u32),
    /// The baud rate is known: what was heard at it just before can be read, and so can what comes.
    Speed(u32),
    /// The text came to its end.
    Ended,
    /// The take was ended properly: nothing is missing behind this.
    Stopped,
}

impl Event {
    /// A link was opened at the start of a line.
    pub const BEGIN: Event = Event::Opened { opening: Opening::Link, within: false };
    /// A link was opened, perhaps within a line.
    pub const JOIN: Event = Event::Opened { opening: Opening::Link, within: true };

    /// The word for it in the table.
    fn word(self) -> Cow<'static, str> {
        let word = match self {
            Event::Listening(baud) => return format!("listen {baud}").into(),
            Event::Speed(baud) => return format!("speed {baud}").into(),
            Event::Opened { opening: Opening::Link, within: true } => "join",
            Event::Opened { opening: Opening::Link, within: false } => "begin",
            Event::Opened { opening: Opening::Text { arrives: false, .. }, .. } => "text",
            Event::Opened { opening: Opening::Text { arrives: true, .. }, .. } => "pipe",
            Event::Opened { opening: Opening::Grows(_), .. } => "grows",
            Event::Ended => "end",
            Event::Stopped => "stop",
        };
        word.into()
    }

    fn of_word(word: &str, at: Stamp) -> Option<Event> {
        let (opening, within) = match word {
            "join" => (Opening::Link, true),
            "begin" => (Opening::Link, false),
            "text" => (Opening::Text { at, arrives: false }, false),
            "pipe" => (Opening::Text { at, arrives: true }, false),
            "grows" => (Opening::Grows(at), false),
            "end" => return Some(Event::Ended),
            "stop" => return Some(Event::Stopped),
            other => {
                let (word, baud) = other.split_once(' ')?;
                let baud = baud.parse().ok()?;
                return match word {
                    "listen" => Some(Event::Listening(baud)),
                    "speed" => Some(Event::Speed(baud)),
                    _ => None,
                };
            }
        };
        Some(Event::Opened { opening, within })
    }
}

/// A row of the table: from `offset` on bytes arrived at `at`.
pub(super) fn row(offset: u64, at: Stamp, event: Option<Event>) -> String {
    format!("{offset},{},{}\r\n", at.0, event.map_or(Cow::Borrowed(""), Event::word))
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
    /// They were heard at a baud rate that was wrong, and are not read.
    pub is_unread: bool,
}

/// Tells what can be read of what was heard while the baud rate was being detected: what came at the one that was found, and
/// where none was, what looks most like what boards send. `bytes` gives those of a range.
pub(super) fn settle(pieces: &mut [Piece], bytes: impl Fn(Range<usize>) -> Vec<u8>) {
    let mut i = 0;
    while i < pieces.len() {
        if !matches!(pieces[i].event, Some(Event::Listening(_))) {
            i += 1;
            continue;
        }
        // Up to whatever else happens, the end included.
        let is_heard = |piece: &Piece| matches!(piece.event, None | Some(Event::Listening(_)));
        let end = pieces[i..].iter().position(|piece| !is_heard(piece)).map_or(pieces.len(), |length| i + length);
        let found = match pieces.get(end).and_then(|piece| piece.event) {
            Some(Event::Speed(baud)) => Some(baud),
            _ => {
                let mut heard: Vec<(u32, Vec<u8>)> = Vec::new();
                for piece in &pieces[i..end] {
                    if let Some(Event::Listening(baud)) = piece.event {
                        heard.push((baud, Vec::new()));
                    }
                    if let Some((_, own)) = heard.last_mut() {
                        // Files of others may hold any number of them.
                        let end = piece.bytes.end.min(piece.bytes.start + JUDGED.saturating_sub(own.len()));
                        own.extend(bytes(piece.bytes.start..end));
                    }
                }
                best(heard.into_iter())
            }
        };
        let mut baud = 0;
        for piece in &mut pieces[i..end] {
            let begins = matches!(piece.event, Some(Event::Listening(_)));
            if let Some(Event::Listening(own)) = piece.event {
                baud = own;
            }
            piece.is_unread = found != Some(baud);
            if begins {
                piece.event = (!piece.is_unread).then_some(Event::JOIN);
            }
        }
        i = end;
    }
    for piece in pieces.iter_mut().filter(|piece| matches!(piece.event, Some(Event::Speed(_)))) {
        piece.event = None;
    }
}

/// What the table says.
#[derive(Debug, Default)]
pub(super) struct Stamps {
    /// In their order, covering all bytes; none when no row of the table makes sense.
    pub(super) pieces: Vec<Piece>,
    /// Rows that make no sense or fit none of their neighbours, and the line of the first of them.
    pub(super) damaged: usize,
    pub(super) first_damaged: usize,
    /// Bytes that the table tells of and that are not there.
    pub(super) missing: u64,
    /// The take was ended properly.
    pub(super) stopped: bool,
    /// Bytes behind that end, which belong to no take.
    pub(super) beyond: u64,
    /// The time of the last row that belongs to bytes that are there.
    pub(super) last: Option<Stamp>,
    /// Words that are not known, each once; the first few.
    pub(super) unknown: Vec<String>,
}

/// The longest, in seconds, that a time may run back before its row is taken for damaged.
const SLACK: f64 = 1.0;

/// A row, with the number of its line.
type Row = (usize, u64, Stamp, Option<Event>);

/// Reads the table for a `wire.bin` of `wire` bytes. A row that makes no sense is left out and counted: its bytes then
/// belong to the row before. `times_rise`: a time that runs back is damage; the first format had such of its own.
pub(super) fn parse(text: &[u8], wire: usize, times_rise: bool) -> Stamps {
    let mut found = Stamps::default();
    let mut rows: Vec<Row> = Vec::new();
    // The bytes behind the last ending are half a row.
    let lines = text[..super::reader::whole_lines(text)].split(|b| *b == b'\n');
    for (number, line) in (1..).zip(lines).filter(|(number, line)| *number > 1 && !line.is_empty()) {
        match fields(line) {
            Some((offset, at, word)) => {
                let event = Event::of_word(word, at);
                if event.is_none() && !word.is_empty() {
                    let word: String = word.chars().take(40).collect();
                    if found.unknown.len() < 4 && !found.unknown.contains(&word) {
                        found.unknown.push(word);
                    }
                }
                rows.push((number, offset, at, event));
            }
            None => found.damage(number),
        }
    }
    let rows = found.in_order(rows, times_rise);
    // Stamps are written through before their bytes, so the last ones may tell of bytes that are not there.
    let beyond = rows.iter().rev().take_while(|(_, offset, ..)| *offset > wire as u64).count();
    found.missing = rows.last().map_or(0, |(_, offset, ..)| offset.saturating_sub(wire as u64));
    let rows = &rows[..rows.len() - beyond];
    found.last = rows.last().map(|(_, _, at, _)| *at);
    found.stopped = rows.last().is_some_and(|(.., event)| *event == Some(Event::Stopped));
    let end = rows.last().filter(|_| found.stopped).map_or(wire, |(_, offset, ..)| *offset as usize);
    found.beyond = (wire - end) as u64;
    let starts = rows.iter().map(|(_, offset, ..)| *offset as usize);
    let ends = starts.clone().skip(1).chain([end]);
    for (i, ((_, _, at, event), (start, end))) in rows.iter().zip(starts.zip(ends)).enumerate() {
        if i == 0 && start > 0 {
            // The first row is lost; its bytes came before this one's.
            found.pieces.push(Piece { at: *at, bytes: 0..start, event: Some(Event::JOIN), is_unread: false });
        }
        if start < end || event.is_some() {
            found.pieces.push(Piece { at: *at, bytes: start..end, event: *event, is_unread: false });
        }
    }
    found
}

/// The length of `text`, whole rows, without those at its end that tell of more than `wire` bytes.
pub(super) fn within(text: &[u8], wire: usize) -> usize {
    let mut length = text.len();
    for line in text.split_inclusive(|b| *b == b'\n').rev() {
        let line_length = line.len();
        match fields(line.trim_ascii_end()) {
            Some((offset, ..)) if offset > wire as u64 => length -= line_length,
            _ => break,
        }
    }
    length
}

fn fields(line: &[u8]) -> Option<(u64, Stamp, &str)> {
    let line = std::str::from_utf8(line.strip_suffix(b"\r").unwrap_or(line)).ok()?;
    let mut fields = line.splitn(3, ',');
    let (offset, at, word) = (fields.next()?, fields.next()?, fields.next()?);
    Some((offset.parse().ok()?, Stamp(at.parse().ok()?), word))
}

impl Stamps {
    fn damage(&mut self, line: usize) {
        if self.damaged == 0 || line < self.first_damaged {
            self.first_damaged = line;
        }
        self.damaged += 1;
    }

    /// The rows whose offsets and times rise. Of two that do not, the one goes that fits the rows around it less.
    fn in_order(&mut self, rows: Vec<Row>, times_rise: bool) -> Vec<Row> {
        let rises = |a: &Row, b: &Row| a.1 <= b.1 && (a.2 <= b.2.plus(SLACK) || !times_rise);
        let mut kept: Vec<Row> = Vec::with_capacity(rows.len());
        for (i, row) in rows.iter().enumerate() {
            // A take that begins within a line begins with bytes that came before it.
            let is_first_line = kept.len() == 1 && kept[0].1 == row.1;
            if is_first_line || kept.last().is_none_or(|last| rises(last, row)) {
                kept.push(*row);
                continue;
            }
            let next = rows.get(i + 1);
            let last_is_wrong = next
                .is_none_or(|next| rises(row, next) && !kept.last().is_some_and(|l| rises(l, next)))
                && (kept.len() < 2 || rises(&kept[kept.len() - 2], row));
            if let (true, Some(last)) = (last_is_wrong, kept.last_mut()) {
                let line = last.0;
                *last = *row;
                self.damage(line);
            } else {
                self.damage(row.0);
            }
        }
        kept
    }
}
