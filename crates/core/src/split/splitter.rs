//! The stage as a whole: bytes in; rows, messages and refusals out.

use super::fate::{Fate, Refusal, Sink};
use super::form::carries_numbers;
use super::frame::{Frame, Framer};
use super::learn::{Learning, MOST_HELD};
use super::read::{Seen, legible};
use super::reading::{Offer, Reading, refuse};
use super::shape::Shape;
use super::turns::Turns;
use crate::Stamp;

/// How sure it is that the shape in force is the stream's.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Sure {
    /// There is another reading, or much does not fit.
    Unsure,
    /// Few lines so far, all or nearly all of which fit.
    Likely,
    /// Many lines, nearly all of which fit; or it was pinned.
    Sure,
}

impl Sure {
    /// A word for it.
    pub fn name(self) -> &'static str {
        match self {
            Sure::Unsure => "unsure",
            Sure::Likely => "likely",
            Sure::Sure => "sure",
        }
    }
}

/// A line that waits for the shape to be found.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Waiting<'a> {
    /// When its last byte arrived.
    pub at: Stamp,
    /// Its beginning may be missing.
    pub half: bool,
    /// The link was broken before it.
    pub broken: bool,
    /// The line.
    pub bytes: &'a [u8],
}

#[derive(Debug)]
enum State {
    Learning(Learning),
    Reading(Box<Reading>),
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
}

impl Splitter {
    /// A splitter that reads `shape`, or finds one when there is none. It takes the first byte for the start of a
    /// line; call [`Splitter::join`] where that is not sure.
    pub fn new(shape: Option<Shape>) -> Self {
        let state = match shape {
            Some(shape) => State::Reading(Box::new(Reading::new(shape, true))),
            None => State::Learning(Learning::default()),
        };
        Splitter { framer: Framer::new(), lines: Lines { state, half: false } }
    }

    /// The next byte may lie within a line, because bytes before it were never seen. Forgets an unfinished line and
    /// gives the number of its bytes.
    pub fn join(&mut self) -> usize {
        self.lines.half = true;
        match &mut self.lines.state {
            State::Learning(learning) => learning.broken = !learning.held.is_empty(),
            State::Reading(reading) => reading.turns.iter_mut().for_each(Turns::join),
        }
        self.framer.reset()
    }

    /// Whether lines wait for the shape to be found. A break of the link then lies behind them, and is given to the sink
    /// when its place has come.
    pub fn waits(&self) -> bool {
        matches!(&self.lines.state, State::Learning(learning) if !learning.held.is_empty())
    }

    /// The next byte begins a line, and does not follow from the bytes before. Gives the number of bytes of an
    /// unfinished line that is forgotten.
    pub fn begin(&mut self) -> usize {
        let lost = self.join();
        self.lines.half = false;
        lost
    }

    /// The lines that wait for the shape to be found.
    pub fn waiting(&self) -> impl Iterator<Item = Waiting<'_>> {
        let held = match &self.lines.state {
            State::Learning(learning) => learning.held.as_slice(),
            State::Reading(_) => &[],
        };
        held.iter().map(|held| Waiting { at: held.at, half: held.half, broken: held.broken, bytes: &held.line })
    }

    /// Whether the link was broken behind the lines that wait.
    pub fn is_broken_behind(&self) -> bool {
        matches!(&self.lines.state, State::Learning(learning) if learning.broken)
    }

    /// Goes on with the line that is under way in another splitter of the same bytes.
    pub fn go_on_from(&mut self, other: Splitter) {
        self.framer = other.framer;
        self.lines.half = other.lines.half;
    }

    fn reading(&self) -> Option<&Reading> {
        match &self.lines.state {
            State::Learning(_) => None,
            State::Reading(reading) => Some(reading),
        }
    }

    /// The shape in force, once it is known.
    pub fn shape(&self) -> Option<&Shape> {
        self.reading().map(|reading| reading.reader.shape())
    }

    /// The shape in force with all that is needed to find the place in a stream again, as a take needs it.
    pub fn settled_shape(&self) -> Option<Shape> {
        let reading = self.reading()?;
        let mut shape = reading.reader.shape().clone();
        if let (Shape::Bare(bare), Some(turns)) = (&mut shape, &reading.turns) {
            bare.typical = turns.typical();
        }
        Some(shape)
    }

    /// How sure the shape is; `None` while there is none.
    pub fn sure(&self) -> Option<Sure> {
        let reading = self.reading()?;
        let fit = self.fit().unwrap_or(1.0);
        Some(match (reading.fits, fit) {
            _ if reading.offer.is_some() => Sure::Unsure,
            _ if reading.pinned => Sure::Sure,
            (20.., 0.9..) => Sure::Sure,
            (4.., 0.7..) => Sure::Likely,
            _ => Sure::Unsure,
        })
    }

    /// The share of lines with numbers that fit the shape, 0 to 1.
    pub fn fit(&self) -> Option<f64> {
        let reading = self.reading()?;
        let all = reading.fits + reading.misfits;
        (all > 0).then(|| reading.fits as f64 / all as f64)
    }

    /// Another shape that may be the right one.
    pub fn offer(&self) -> Option<&Offer> {
        self.reading()?.offer.as_ref()
    }

    /// What is known of each column; empty while no shape is known.
    pub fn seen(&self) -> impl Iterator<Item = Seen> {
        self.reading().into_iter().flat_map(|reading| reading.reader.seen())
    }

    /// Takes all of `bytes`, which arrived at `at`.
    pub fn feed(&mut self, at: Stamp, bytes: &[u8], sink: &mut impl Sink) {
        let lines = &mut self.lines;
        self.framer.feed(bytes, |frame| match frame {
            Frame::Line(line) => lines.take(at, line, sink),
            Frame::TooLong(head) => {
                lines.half = false;
                sink.line(at, Fate::Refused(Refusal::TooLong), head);
            }
        });
    }
}

impl Lines {
    #[inline]
    fn take(&mut self, at: Stamp, line: &[u8], sink: &mut impl Sink) {
        let half = std::mem::take(&mut self.half);
        match &mut self.state {
            State::Reading(reading) => {
                if let Some(better) = reading.take(at, half, line, sink) {
                    self.begin(better, sink);
                }
            }
            State::Learning(learning) => {
                if !legible(line) {
                    return refuse(at, half, Refusal::Unreadable, line, sink);
                }
                if !carries_numbers(line) {
                    learning.hear(line);
                    return sink.line(at, Fate::Message, line);
                }
                if let Some(shape) = learning.hold(at, half, line) {
                    self.begin(shape, sink);
                } else if learning.held.len() > MOST_HELD {
                    let given_up = learning.held.remove(0);
                    if given_up.broken {
                        sink.gap();
                    }
                    refuse(given_up.at, given_up.half, Refusal::NoShape, &given_up.line, sink);
                }
            }
        }
    }

    /// Reads `shape` from now on, and first the lines that waited for it.
    #[cold]
    fn begin(&mut self, shape: Shape, sink: &mut impl Sink) {
        let held = match &mut self.state {
            State::Learning(learning) => std::mem::take(&mut learning.held),
            State::Reading(_) => Vec::new(),
        };
        sink.shape(&shape);
        let mut reading = Reading::new(shape, false);
        if let (Some(turns), true) = (&mut reading.turns, held.first().is_some_and(|held| held.half)) {
            turns.join();
        }
        for waiting in held {
            if waiting.broken {
                sink.gap();
                reading.turns.iter_mut().for_each(Turns::join);
            }
            // A few lines do not make another shape.
            let _ = reading.take(waiting.at, waiting.half, &waiting.line, sink);
        }
        self.state = State::Reading(Box::new(reading));
    }
}

#[cfg(test)]
#[path = "splitter_tests.rs"]
mod tests;
