//! The stage as a whole: bytes in; rows, messages and refusals out.

use super::frame::{Frame, Framer};
use super::learn::{Learning, MOST_HELD, carries_numbers};
use super::read::{Other, Reader, legible};
use super::shape::Shape;
use crate::Stamp;

/// How often a new label must be seen on sound lines before it becomes a column.
const SIGHTINGS: u32 = 3;

/// How many new labels are watched at once.
const MOST_SUSPECTS: usize = 16;

/// Why a line did not become a row.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Refusal {
    /// Holds bytes that are not text.
    Unreadable,
    /// A field's text is not a number.
    NotANumber,
    /// More or fewer numbers than the other rows.
    FieldCount,
    /// A label that was not there before and has not yet been seen often enough to become a channel.
    NewLabel,
    /// The same label twice on a line, as when two lines ran together.
    LabelTwice,
    /// A label that every other row has is not there.
    MissingLabel,
    /// Longer than [`super::MAX_LINE`].
    TooLong,
    /// Came before any shape could be found.
    NoShape,
}

impl Refusal {
    /// All reasons; the position of each is its index in a table of counts.
    pub const ALL: [Refusal; 8] = [
        Refusal::Unreadable,
        Refusal::NotANumber,
        Refusal::FieldCount,
        Refusal::NewLabel,
        Refusal::LabelTwice,
        Refusal::MissingLabel,
        Refusal::TooLong,
        Refusal::NoShape,
    ];

    /// The reason in a few words.
    pub fn text(self) -> &'static str {
        match self {
            Refusal::Unreadable => "not readable text",
            Refusal::NotANumber => "a field is not a number",
            Refusal::FieldCount => "wrong number of fields",
            Refusal::NewLabel => "a label not seen before",
            Refusal::LabelTwice => "a label stands twice",
            Refusal::MissingLabel => "a field is missing",
            Refusal::TooLong => "line too long",
            Refusal::NoShape => "no shape found yet",
        }
    }
}

/// Where the splitter's findings go, each with the stamp of the bytes that completed its line.
pub trait Sink {
    /// The shape was found, pinned, or has grown a column at its end.
    fn shape(&mut self, shape: &Shape);
    /// A row: one value a column, NaN for a gap.
    fn row(&mut self, at: Stamp, values: &[f64], line: &[u8]);
    /// Words of the board's own: a banner, an answer, an error message.
    fn message(&mut self, at: Stamp, line: &[u8]);
    /// The rest of a line whose beginning was sent before anyone listened. Not damage.
    fn half(&mut self, at: Stamp, line: &[u8]);
    /// A line that was refused, or its first [`super::MAX_LINE`] bytes.
    fn refused(&mut self, at: Stamp, why: Refusal, line: &[u8]);
}

#[derive(Debug)]
enum State {
    Learning(Learning),
    Reading(Reader),
}

/// Bytes to rows. Deterministic: the same bytes give the same rows however they are cut into pieces.
#[derive(Debug)]
pub struct Splitter {
    framer: Framer,
    lines: Lines,
}

#[derive(Debug)]
struct Lines {
    state: State,
    half: bool,
    values: Vec<f64>,
    suspects: Vec<(String, u32)>,
}

impl Splitter {
    /// A splitter that reads `shape`, or finds one when there is none. It takes the first byte for the start of a
    /// line; call [`Splitter::join`] where that is not sure.
    pub fn new(shape: Option<Shape>) -> Self {
        let state = match shape {
            Some(shape) => State::Reading(Reader::new(shape)),
            None => State::Learning(Learning::default()),
        };
        Splitter {
            framer: Framer::new(),
            lines: Lines { state, half: false, values: Vec::new(), suspects: Vec::new() },
        }
    }

    /// The next byte may lie within a line, because bytes before it were never seen. Forgets an unfinished line and
    /// gives the number of its bytes.
    pub fn join(&mut self) -> usize {
        self.lines.half = true;
        self.framer.reset()
    }

    /// The shape in force, once it is known.
    pub fn shape(&self) -> Option<&Shape> {
        match &self.lines.state {
            State::Learning(_) => None,
            State::Reading(reader) => Some(reader.shape()),
        }
    }

    /// The most digits after the point seen so far in each column; empty while no shape is known.
    pub fn decimals(&self) -> &[u8] {
        match &self.lines.state {
            State::Learning(_) => &[],
            State::Reading(reader) => reader.decimals(),
        }
    }

    /// Takes all of `bytes`, which arrived at `at`.
    pub fn feed(&mut self, at: Stamp, bytes: &[u8], sink: &mut impl Sink) {
        let lines = &mut self.lines;
        self.framer.feed(bytes, |frame| match frame {
            Frame::Line(line) => lines.take(at, line, sink),
            Frame::TooLong(head) => {
                lines.half = false;
                sink.refused(at, Refusal::TooLong, head);
            }
        });
    }
}

impl Lines {
    #[inline]
    fn take(&mut self, at: Stamp, line: &[u8], sink: &mut impl Sink) {
        let half = std::mem::take(&mut self.half);
        match &mut self.state {
            State::Reading(_) => self.read(at, half, line, sink),
            State::Learning(learning) => {
                if !legible(line) {
                    return refuse(at, half, Refusal::Unreadable, line, sink);
                }
                if !carries_numbers(line) {
                    return sink.message(at, line);
                }
                let found = learning.hold(at, half, line);
                if let Some(shape) = found {
                    let held = std::mem::take(&mut learning.held);
                    sink.shape(&shape);
                    self.state = State::Reading(Reader::new(shape));
                    for waiting in held {
                        self.read(waiting.at, waiting.half, &waiting.line, sink);
                    }
                } else if learning.held.len() > MOST_HELD {
                    let given_up = learning.held.remove(0);
                    refuse(given_up.at, given_up.half, Refusal::NoShape, &given_up.line, sink);
                }
            }
        }
    }

    #[inline]
    fn read(&mut self, at: Stamp, half: bool, line: &[u8], sink: &mut impl Sink) {
        let State::Reading(reader) = &mut self.state else {
            return;
        };
        self.values.resize(reader.shape().columns(), f64::NAN);
        match reader.read(line, &mut self.values) {
            Ok(()) if half && !reader.knows_its_start() => sink.half(at, line),
            Ok(()) => sink.row(at, &self.values, line),
            Err(Other::Text) => sink.message(at, line),
            Err(Other::Damage(why)) => refuse(at, half, why, line, sink),
            Err(Other::NewLabel(_)) if half => sink.half(at, line),
            Err(Other::NewLabel(label)) => self.suspect(at, label, line, sink),
        }
    }

    /// Damage rarely makes the same wrong label twice; a label that comes again on sound lines is a new field.
    #[cold]
    fn suspect(&mut self, at: Stamp, label: String, line: &[u8], sink: &mut impl Sink) {
        let State::Reading(reader) = &mut self.state else {
            return;
        };
        let index = match self.suspects.iter().position(|(known, _)| *known == label) {
            Some(index) => index,
            None => {
                if self.suspects.len() == MOST_SUSPECTS {
                    self.suspects.remove(0);
                }
                self.suspects.push((label.clone(), 0));
                self.suspects.len() - 1
            }
        };
        self.suspects[index].1 += 1;
        if self.suspects[index].1 < SIGHTINGS {
            return sink.refused(at, Refusal::NewLabel, line);
        }
        self.suspects.remove(index);
        if !reader.grow(label) {
            return sink.refused(at, Refusal::FieldCount, line);
        }
        sink.shape(reader.shape());
        self.read(at, false, line, sink);
    }
}

fn refuse(at: Stamp, half: bool, why: Refusal, line: &[u8], sink: &mut impl Sink) {
    if half { sink.half(at, line) } else { sink.refused(at, why, line) }
}

#[cfg(test)]
#[path = "splitter_tests.rs"]
mod tests;
