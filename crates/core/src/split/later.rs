//! Lines that come when a shape stays and are no rows of it: now and then they are looked at, together with those around.

use super::frame::Frame;
use super::header::Header;
use super::opinion;
use super::shape_reader::{Proposal, ShapeReader};
use super::trial::{Second, Trial};
use crate::Stamp;

/// At the end of a text, fewer will do.
const LEAST: usize = 32;

/// So many lines of a name, a mark and a number that are not read are no messages.
const AGAIN: u32 = 3;

/// The most names of such lines.
const MOST_NAMES: usize = 16;

/// What a look at them says against the shape that stays: the doubt, and what they may be, where shapes can say it.
pub(super) type Against = (String, Option<Proposal>);

/// The lines from one that is no row on.
#[derive(Clone, Debug, Default)]
pub(super) struct Later {
    lines: Trial,
    /// Lines that are no rows, and that pass before the next look: with each look twice as many.
    pass: u32,
    passed: u32,
    /// Names in front of a mark and a number on lines that were not read, and how often they came.
    unread: Vec<(Vec<u8>, u32)>,
}

impl Later {
    /// None were seen. The lines before said these names.
    pub(super) fn new(header: Option<Header>) -> Later {
        Later { lines: Trial::new(header), ..Later::default() }
    }

    /// Whether every line is wanted, and not only those that are no rows.
    #[inline]
    pub(super) fn is_open(&self) -> bool {
        !self.lines.is_empty()
    }

    /// A line came that may be no row of the shape of `now`.
    #[cold]
    pub(super) fn note(
        &mut self,
        at: Stamp,
        half: bool,
        frame: Frame<'_>,
        is_row: bool,
        now: &ShapeReader,
    ) -> Option<Against> {
        let unread = match frame {
            Frame::Whole(line) if !is_row && !half => self.note_reading(line),
            _ => None,
        };
        self.keep(at, half, frame, now).or(unread)
    }

    /// A line that was not read may be a reading.
    fn note_reading(&mut self, line: &[u8]) -> Option<Against> {
        let name = name_of_reading(line)?;
        let place = self.unread.iter().position(|(known, _)| known == name);
        match place {
            Some(place) => self.unread[place].1 += 1,
            None if self.unread.len() < MOST_NAMES => self.unread.push((name.to_vec(), 1)),
            None => {}
        }
        let is_enough = place.is_some_and(|place| self.unread[place].1 == AGAIN);
        let name = String::from_utf8_lossy(name);
        is_enough.then(|| (format!("'{name}' comes again and again with a number, and is not read"), None))
    }

    fn keep(&mut self, at: Stamp, half: bool, frame: Frame<'_>, now: &ShapeReader) -> Option<Against> {
        if !self.is_open() {
            if !matches!(frame, Frame::Whole(line) if line.iter().any(u8::is_ascii_alphanumeric)) {
                return None;
            }
            self.passed += 1;
            if self.passed <= self.pass {
                return None;
            }
        }
        self.lines.push(at, half, frame, false);
        if self.lines.len() < opinion::MOST { None } else { self.look(now) }
    }

    /// No more lines will come.
    pub(super) fn end(&mut self, now: &ShapeReader) -> Option<Against> {
        if self.lines.len() < LEAST { None } else { self.look(now) }
    }

    fn look(&mut self, now: &ShapeReader) -> Option<Against> {
        (self.pass, self.passed) = (self.pass * 2 + 1, 0);
        let rest = Trial::new(self.lines.header.clone());
        let (said, shape) = match std::mem::replace(&mut self.lines, rest).second(Some(now))? {
            Second::Better(reading) => {
                let shape = reading.reader.shape().clone();
                (format!("lines that came later may be of {}", shape.sentence()), Some(shape))
            }
            Second::Differs(said, shape) => (said, shape),
            // What is open about a few lines says nothing against what was sure of others.
            Second::Doubted(_) | Second::Agrees => return None,
        };
        Some(match shape {
            Some(shape) if shape.columns() >= now.reader.shape().columns() => {
                (said, Some(Proposal { shape, why: "lines that came later may be read so".into() }))
            }
            // A few lines do not show all that others do.
            _ => ("some lines that came later tell more than is read of them".into(), None),
        })
    }
}

/// The name on a line that is a name, a mark and a number, and little more: `Code = 0x1D`.
fn name_of_reading(line: &[u8]) -> Option<&[u8]> {
    const LONGEST: usize = 32;
    let mark = line.iter().position(|b| matches!(b, b':' | b'='))?;
    let (name, value) = (line[..mark].trim_ascii(), line[mark + 1..].trim_ascii());
    let is_name = |b: &u8| b.is_ascii_alphanumeric() || !b.is_ascii() || matches!(b, b' ' | b'_' | b'.' | b'"' | b'-');
    let begins = value.strip_prefix(b"-").or(value.strip_prefix(b"+")).unwrap_or(value).first()?;
    let is_sound = name.len() <= LONGEST
        && value.len() <= LONGEST / 2
        && std::str::from_utf8(name)
            .is_ok_and(|name| name.contains(char::is_alphabetic) && !name.contains(char::is_control))
        && name.iter().all(is_name)
        && begins.is_ascii_digit();
    is_sound.then_some(name)
}
