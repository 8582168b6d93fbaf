//! Binary frames: what marks them ([`Envelope`]), what shows that they are sound ([`CheckKind`]), and what their bytes are
//! ([`Record`], or items of CBOR).
//!
//! `cutter` cuts bytes into them, `find` finds them from bytes alone.

mod cbor;
mod check;
mod cutter;
mod find;
mod record;

use super::frame::MAX_LINE;
use super::outcome::Rejection;
use super::read::{Cells, Other};
use super::shape::MAX_FIELDS;
use super::spelling::NotAShape;
pub use check::CheckKind;
pub(super) use cutter::{Cut, FrameCutter};
pub(super) use find::{Found, find};
pub use record::{Field, FieldKind, Order, Record};
use std::fmt;
use std::ops::Range;
use std::str::FromStr;

/// What marks where frames begin and end.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Envelope {
    /// A zero behind each frame, in which consistent overhead byte stuffing leaves none.
    Cobs,
    /// A byte 0xC0 behind each frame, in which it is escaped (RFC 1055).
    Slip,
    /// A sync word before each frame; all are of one length.
    Fixed {
        /// The sync word, at least one byte.
        sync: Vec<u8>,
    },
    /// A sync word before each frame, and how long it is behind that.
    Counted {
        /// The sync word, at least one byte.
        sync: Vec<u8>,
        /// What says how long it is.
        count: Count,
    },
    /// Nothing: items of CBOR, which know their own length.
    Items,
}

/// What says how long a frame is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Count {
    /// Its bytes, 1 or 2.
    pub width: usize,
    /// What it counts.
    pub of: Counted,
}

/// What the length of a frame counts, in bytes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Counted {
    /// The record.
    Record,
    /// The record and the check.
    Rest,
    /// The whole frame.
    Frame,
}

impl Counted {
    const ALL: [(Counted, &str); 3] = [(Counted::Record, ""), (Counted::Rest, "-rest"), (Counted::Frame, "-frame")];
}

impl Envelope {
    /// What a frame begins with; nothing where its end is marked instead.
    fn sync(&self) -> &[u8] {
        match self {
            Envelope::Fixed { sync } | Envelope::Counted { sync, .. } => sync,
            Envelope::Cobs | Envelope::Slip | Envelope::Items => &[],
        }
    }

    /// The bytes before the record.
    fn head(&self) -> usize {
        match self {
            Envelope::Counted { sync, count } => sync.len() + count.width,
            other => other.sync().len(),
        }
    }
}

/// What shows that a frame is sound: it ends with this.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Check {
    /// How it is worked out.
    pub kind: CheckKind,
    /// The order of its bytes.
    pub order: Order,
    /// It covers the sync word as well as what stands behind that.
    pub from_sync: bool,
}

/// What the bytes of a frame are.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Content {
    /// Fields in a fixed layout.
    Record(Record),
    /// An item of CBOR, of which these values are read, by their paths.
    Cbor(Vec<String>),
}

/// How the rows of a stream are laid out in frames that are not lines.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Frames {
    /// What marks them.
    pub envelope: Envelope,
    /// What shows that they are sound.
    pub check: Option<Check>,
    /// What they hold.
    pub content: Content,
}

/// Frames of other kinds are at most so many times as long as those with the record, or so long.
const LONGER: usize = 8;
const LONGEST: usize = 256;

impl Frames {
    /// Whether they hold together.
    ///
    /// # Errors
    /// What does not, in a sentence.
    fn sound(self) -> Result<Frames, NotAShape> {
        let wrong = |text: &str| Err(NotAShape(text.into()));
        let is_cbor = matches!(self.content, Content::Cbor(_));
        match &self.envelope {
            Envelope::Items if !is_cbor || self.check.is_some() => wrong("'items' are of CBOR and have no check"),
            Envelope::Fixed { .. } if is_cbor => {
                wrong("items of CBOR are not all of one length: add length8 or length16")
            }
            _ => Ok(self),
        }
    }

    fn tail(&self) -> usize {
        self.check.map_or(0, |check| check.kind.width())
    }

    fn order(&self) -> Order {
        match &self.content {
            Content::Record(record) => record.order(),
            Content::Cbor(_) => Order::Big,
        }
    }

    /// The length of a frame, where all are of one.
    fn length(&self) -> usize {
        let record = if let Content::Record(record) = &self.content { record.bytes() } else { 0 };
        self.envelope.head() + record + self.tail()
    }

    /// The length of the frame that begins like this, by what it says; `None` where none can be so long.
    fn counted(&self, head: &[u8]) -> Option<usize> {
        let Envelope::Counted { sync, count } = &self.envelope else { return None };
        let said = self.order().number(&head[sync.len()..sync.len() + count.width]) as usize;
        let length = match count.of {
            Counted::Record => self.envelope.head() + said + self.tail(),
            Counted::Rest => self.envelope.head() + said,
            Counted::Frame => said,
        };
        // A damaged length would have everyone wait for what never comes.
        let longest = match &self.content {
            Content::Record(_) => (self.length() * LONGER).clamp(LONGEST, MAX_LINE),
            Content::Cbor(_) => MAX_LINE,
        };
        (self.envelope.head() + self.tail() + 1..=longest).contains(&length).then_some(length)
    }

    /// Whether the check at the end of a whole frame is right. One without a check is sound.
    #[inline]
    fn is_sound(&self, frame: &[u8]) -> bool {
        let Some(check) = self.check else { return true };
        let width = check.kind.width();
        let from = if check.from_sync { 0 } else { self.envelope.sync().len() };
        let Some(end) = frame.len().checked_sub(width).filter(|end| *end >= from) else { return false };
        check.kind.of(&frame[from..end]) == check.order.number(&frame[end..])
    }

    /// Where the record stands in a whole frame.
    fn record(&self, frame: &[u8]) -> Range<usize> {
        let head = self.envelope.head().min(frame.len());
        head..(frame.len() - self.tail().min(frame.len())).max(head)
    }

    /// Reads a whole frame.
    #[inline]
    pub(super) fn read(&self, frame: &[u8], cells: &mut Cells<'_>) -> Result<(), Other> {
        let bytes = &frame[self.record(frame)];
        match &self.content {
            Content::Record(record) if bytes.len() == record.bytes() => record.read(bytes, cells),
            // A sound frame of another length is another kind of message.
            Content::Record(_) if self.check.is_some() => return Err(Other::Text),
            Content::Record(_) => return Err(Other::Damage(Rejection::FrameLength)),
            Content::Cbor(names) => {
                let (mut next, mut unknown) = (0, None);
                let length = cbor::scan(bytes, |path, _, number| {
                    let is = |column: usize| names.get(column).is_some_and(|name| name == path);
                    let column = if is(next) { Some(next) } else { (0..names.len()).find(|column| is(*column)) };
                    match column {
                        Some(column) => {
                            cells.set_number(column, number);
                            next = column + 1;
                        }
                        None if unknown.is_none() => unknown = Some(path.to_owned()),
                        None => {}
                    }
                });
                if length != Ok(bytes.len()) {
                    return Err(Other::Damage(Rejection::FrameLength));
                }
                if let Some(label) = unknown.filter(|label| !label.is_empty()) {
                    return Err(Other::NewLabel {
                        labels: vec![label],
                        beside_all: names.len() > 1 && cells.count() == names.len(),
                    });
                }
                if cells.count() == 0 {
                    return Err(Other::Text);
                }
            }
        }
        Ok(())
    }

    /// What the field that counts the frames says in this one, and with how many bits.
    #[inline]
    pub(super) fn count(&self, frame: &[u8]) -> Option<(u64, u8)> {
        let Content::Record(record) = &self.content else { return None };
        let bytes = &frame[self.record(frame)];
        if bytes.len() == record.bytes() { record.count(bytes) } else { None }
    }

    /// The bytes of a frame in which each column stands.
    pub(super) fn spans(&self, frame: &[u8]) -> Vec<(Range<usize>, usize)> {
        let at = self.record(frame);
        let moved = |span: Range<usize>| span.start + at.start..span.end + at.start;
        match &self.content {
            Content::Record(record) if at.len() == record.bytes() => {
                record.spans().map(|(span, column)| (moved(span), column)).collect()
            }
            Content::Record(_) => Vec::new(),
            Content::Cbor(names) => {
                let mut spans = Vec::new();
                // What was read before a mistake is shown; an accepted frame has none.
                let _ = cbor::scan(&frame[at.clone()], |path, span, _| {
                    spans.extend(names.iter().position(|name| name == path).map(|column| (moved(span), column)));
                });
                spans
            }
        }
    }

    /// Whether a check or the bytes themselves show that a frame is one.
    pub(super) fn shows_itself(&self) -> bool {
        self.check.is_some() || matches!(self.content, Content::Cbor(_))
    }

    /// Whether there can be no more columns.
    pub(super) fn is_full(&self) -> bool {
        matches!(self.content, Content::Record(_)) || self.names().len() >= MAX_FIELDS
    }

    /// Adds a column, where there can be another one.
    pub(super) fn grow(&mut self, name: String) {
        match &mut self.content {
            Content::Cbor(names) if names.len() < MAX_FIELDS => names.push(name),
            _ => {}
        }
    }

    /// The names of the columns.
    pub(super) fn names(&self) -> &[String] {
        match &self.content {
            Content::Record(record) => record.names(),
            Content::Cbor(names) => names,
        }
    }

    /// One sentence for a person.
    pub(super) fn sentence(&self) -> String {
        let hex = |sync: &[u8]| sync.iter().map(|byte| format!("{byte:02X}")).collect::<Vec<_>>().join(" ");
        let envelope = match &self.envelope {
            Envelope::Cobs => "frames of COBS".to_owned(),
            Envelope::Slip => "frames of SLIP".to_owned(),
            Envelope::Fixed { sync } => format!("frames of {} bytes behind {}", self.length(), hex(sync)),
            Envelope::Counted { sync, .. } => format!("frames that say their length, behind {}", hex(sync)),
            Envelope::Items => "items of CBOR".to_owned(),
        };
        let check = self.check.map_or(", without a check".to_owned(), |check| format!(", {}", check.kind.name()));
        let check = if self.envelope == Envelope::Items { String::new() } else { check };
        let columns = self.names().len();
        let of = if matches!((&self.content, &self.envelope), (Content::Cbor(_), envelope) if *envelope != Envelope::Items)
        {
            " of CBOR"
        } else {
            ""
        };
        format!("{envelope}{check}, {columns} field{}{of}", if columns == 1 { "" } else { "s" })
    }
}

impl fmt::Display for Frames {
    fn fmt(&self, to: &mut fmt::Formatter<'_>) -> fmt::Result {
        let sync = |to: &mut fmt::Formatter<'_>, sync: &[u8]| {
            to.write_str("sync ")?;
            sync.iter().try_for_each(|byte| write!(to, "{byte:02X}"))
        };
        match &self.envelope {
            Envelope::Cobs => to.write_str("cobs")?,
            Envelope::Slip => to.write_str("slip")?,
            Envelope::Items => to.write_str("items")?,
            Envelope::Fixed { sync: word } => sync(to, word)?,
            Envelope::Counted { sync: word, count } => {
                sync(to, word)?;
                let of = Counted::ALL.iter().find(|(of, _)| *of == count.of).map_or("", |(_, name)| name);
                write!(to, " length{}{of}", count.width * 8)?;
            }
        }
        if let Some(check) = self.check {
            write!(to, " {}", check.kind.name())?;
            if check.order != self.order() {
                write!(to, " check-{}", check.order.name())?;
            }
            if check.from_sync {
                to.write_str(" from-sync")?;
            }
        }
        match &self.content {
            Content::Record(record) => write!(to, " {record}"),
            Content::Cbor(names) => write!(to, " cbor {}", names.join(" ")),
        }
    }
}

/// What a person types behind 'frames', in a message about it.
const EXAMPLE: &str = "as in: frames sync A55A crc-16/modbus little n:count8 gauge:u16 bed:u16";

impl FromStr for Frames {
    type Err = NotAShape;

    fn from_str(text: &str) -> Result<Frames, NotAShape> {
        let wrong = |text: String| Err(NotAShape(text));
        let mut words = text.split_whitespace().peekable();
        let mut envelope = match words.next() {
            Some("cobs") => Envelope::Cobs,
            Some("slip") => Envelope::Slip,
            Some("items") => Envelope::Items,
            Some("sync") => Envelope::Fixed { sync: hex(words.next().unwrap_or_default())? },
            _ => return wrong(format!("type cobs, slip, sync or items behind 'frames', {EXAMPLE}")),
        };
        let (mut kind, mut check_order, mut from_sync) = (None, None, false);
        loop {
            let Some(word) = words.next() else {
                return wrong(format!("type little or big and the fields, or cbor and the names, {EXAMPLE}"));
            };
            let order = match word {
                "little" => Order::Little,
                "big" => Order::Big,
                "cbor" => Order::Big,
                "from-sync" => {
                    from_sync = true;
                    continue;
                }
                "check-little" | "check-big" => {
                    check_order = Some(if word == "check-big" { Order::Big } else { Order::Little });
                    continue;
                }
                _ => {
                    if let Some(count) = count(word) {
                        let Envelope::Fixed { sync } = envelope else {
                            return wrong(format!("'{word}' stands behind a sync word, {EXAMPLE}"));
                        };
                        envelope = Envelope::Counted { sync, count };
                    } else if let Some(known) = CheckKind::named(word) {
                        kind = Some(known);
                    } else {
                        let names: Vec<&str> = CheckKind::all().map(CheckKind::name).collect();
                        return wrong(format!(
                            "'{word}' is no check and nothing else that stands here: a check is one of {}",
                            names.join(", ")
                        ));
                    }
                    continue;
                }
            };
            if kind.is_none() && (from_sync || check_order.is_some()) {
                return wrong("name the check first, then how it is written".into());
            }
            let check = kind.map(|kind| Check { kind, order: check_order.unwrap_or(order), from_sync });
            let content = match word {
                "cbor" => Content::Cbor(paths(words)?),
                _ => Content::Record(Record::from_words(order, words)?),
            };
            return Frames { envelope, check, content }.sound();
        }
    }
}

fn paths<'a>(words: impl Iterator<Item = &'a str>) -> Result<Vec<String>, NotAShape> {
    let names: Vec<String> = words.map(str::to_owned).collect();
    if let Some(twice) = (1..names.len()).find(|i| names[..*i].contains(&names[*i])) {
        return Err(NotAShape(format!("'{}' appears twice", names[twice])));
    }
    match names.len() {
        1..=MAX_FIELDS => Ok(names),
        _ => Err(NotAShape(format!("type 1 to {MAX_FIELDS} names behind 'cbor', as in: frames cobs cbor bed gauge.0"))),
    }
}

fn count(word: &str) -> Option<Count> {
    let rest = word.strip_prefix("length")?;
    let (width, of) = rest.strip_prefix("16").map(|of| (2, of)).or(rest.strip_prefix('8').map(|of| (1, of)))?;
    let (of, _) = Counted::ALL.into_iter().find(|(_, name)| *name == of)?;
    Some(Count { width, of })
}

fn hex(word: &str) -> Result<Vec<u8>, NotAShape> {
    let digits: Option<Vec<u8>> = word.chars().map(|c| c.to_digit(16).map(|digit| digit as u8)).collect();
    match digits {
        Some(digits) if (2..=16).contains(&digits.len()) && digits.len().is_multiple_of(2) => {
            Ok(digits.chunks(2).map(|pair| pair[0] << 4 | pair[1]).collect())
        }
        _ => Err(NotAShape(format!("'{word}' is no sync word: type 1 to 8 bytes in hexadecimal, {EXAMPLE}"))),
    }
}
