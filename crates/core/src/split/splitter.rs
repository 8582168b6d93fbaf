//! The stage as a whole: bytes in; rows, messages and refusals out.

use super::fate::{Fate, Refusal, Sink};
use super::form::carries_numbers;
use super::frame::{Frame, Framer};
use super::learn::{Learning, MOST_HELD};
use super::read::{Other, Reader, Seen, legible};
use super::shape::{Bare, Shape};
use super::turns::{Families, Step, Turns};
use crate::Stamp;

/// How often a new label must be seen on sound lines before it becomes a column.
const SIGHTINGS: u32 = 3;

/// How many new labels are watched at once.
const MOST_SUSPECTS: usize = 16;

/// Lines in a row that fit another shape before that shape is offered.
const RIVALS: u32 = 8;

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

/// Another shape that may be the right one.
#[derive(Clone, Debug, PartialEq)]
pub struct Offer {
    /// The shape.
    pub shape: Shape,
    /// Why, in a sentence.
    pub why: String,
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

/// What is known while a shape is in force.
#[derive(Debug)]
struct Reading {
    reader: Reader,
    pinned: bool,
    values: Vec<f64>,
    /// For rows of several lines.
    turns: Option<Turns>,
    families: Families,
    suspects: Vec<(String, u32)>,
    /// Lines that fit the shape, and lines with numbers that do not.
    fits: u64,
    misfits: u64,
    /// Lines that fit since the last one that did not.
    fits_since: u32,
    /// The lines that did not fit, and what they could be.
    rival: Learning,
    rivals: u32,
    offer: Option<Offer>,
}

impl Reading {
    fn new(shape: Shape, pinned: bool) -> Reading {
        let several = match &shape {
            Shape::Stacked(_) => true,
            Shape::Bare(bare) => bare.lines > 1,
            _ => false,
        };
        Reading {
            values: Vec::new(),
            turns: several.then(|| Turns::new(&shape)),
            reader: Reader::new(shape),
            pinned,
            families: Families::default(),
            suspects: Vec::new(),
            fits: 0,
            misfits: 0,
            fits_since: 0,
            rival: Learning::default(),
            rivals: 0,
            offer: None,
        }
    }
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
        if let State::Reading(reading) = &mut self.lines.state
            && let Some(turns) = &mut reading.turns
        {
            turns.join();
        }
        self.framer.reset()
    }

    /// The next byte begins a line, and does not follow from the bytes before. Gives the number of bytes of an
    /// unfinished line that is forgotten.
    pub fn begin(&mut self) -> usize {
        let lost = self.join();
        self.lines.half = false;
        lost
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
            // A few lines do not make another shape.
            let _ = reading.take(waiting.at, waiting.half, &waiting.line, sink);
        }
        self.state = State::Reading(Box::new(reading));
    }
}

impl Reading {
    /// Reads a line; gives another shape when the one in force turns out to have been found too early.
    #[inline]
    fn take(&mut self, at: Stamp, half: bool, line: &[u8], sink: &mut impl Sink) -> Option<Shape> {
        let shape = self.reader.shape();
        let (width, first) = match shape {
            Shape::Bare(bare) => (bare.fields, self.turns.as_ref().map_or(0, |turns| turns.turn * bare.fields)),
            other => (other.columns(), 0),
        };
        self.values.resize(width, f64::NAN);
        let outcome = self.reader.read(line, first, &mut self.values);
        match outcome {
            Ok(_) if half && !self.reader.knows_its_start() => sink.line(at, Fate::Half, line),
            Ok(filled) => {
                if self.turns.is_some() {
                    self.take_turn(at, filled, line, sink);
                } else {
                    sink.line(at, Fate::Row(0), line);
                    sink.row(at, &self.values);
                }
                self.fits += 1;
                if self.rivals > 0 || self.offer.is_some() {
                    self.outlive_rivals();
                }
                self.look_for_families();
            }
            Err(Other::Text) => {
                sink.line(at, Fate::Message, line);
                return self.doubt(at, line, false);
            }
            Err(Other::Damage(why)) => {
                refuse(at, half, why, line, sink);
                if !half {
                    self.miss_a_turn();
                    return self.doubt(at, line, true);
                }
            }
            Err(Other::NewLabel(_)) if half => sink.line(at, Fate::Half, line),
            Err(Other::NewLabel(label)) => {
                if !self.suspect(at, label, line, sink) {
                    return self.doubt(at, line, true);
                }
            }
        }
        None
    }

    fn take_turn(&mut self, at: Stamp, filled: u64, line: &[u8], sink: &mut impl Sink) {
        let Some(turns) = &mut self.turns else { return };
        let mut first = filled.trailing_zeros() as u8;
        let step = match self.reader.shape() {
            Shape::Bare(bare) => {
                let before = turns.turn;
                let step = turns.bare(bare, &self.values);
                // The line may have told where in the row it stands.
                let here = if turns.turn == 0 { bare.lines - 1 } else { turns.turn - 1 };
                first = (if matches!(step, Step::Taken { .. }) { here } else { before } * bare.fields) as u8;
                step
            }
            _ => turns.labelled(at, &self.values, filled, |at, row| sink.row(at, row)),
        };
        match step {
            Step::Taken { complete } => {
                sink.line(at, Fate::Row(first), line);
                if complete {
                    sink.row(at, &turns.values);
                }
            }
            Step::Half => sink.line(at, Fate::Half, line),
            Step::Refused(why) => sink.line(at, Fate::Refused(why), line),
        }
    }

    /// A damaged line had its place among lines told apart by order.
    fn miss_a_turn(&mut self) {
        if let (Shape::Bare(bare), Some(turns)) = (self.reader.shape(), &mut self.turns) {
            self.values.fill(f64::NAN);
            let _ = turns.bare(bare, &self.values);
        }
    }

    /// Bare numbers may come in turn, which only their values can tell.
    #[inline]
    fn look_for_families(&mut self) {
        if self.pinned || self.turns.is_some() || self.values.len() != 1 {
            return;
        }
        let Shape::Bare(bare) = self.reader.shape() else { return };
        if let Some(typical) = self.families.push(self.values[0]) {
            let shape = Bare { lines: typical.len(), typical, ..bare.clone() };
            let why = format!("the values fall into {} families in turn", shape.lines);
            self.offer = Some(Offer { shape: Shape::Bare(shape), why });
        }
    }

    /// A line with numbers did not fit: perhaps the stream has changed its shape.
    #[cold]
    fn doubt(&mut self, at: Stamp, line: &[u8], damage: bool) -> Option<Shape> {
        self.fits_since = 0;
        if !carries_numbers(line) {
            self.rival.hear(line);
            return None;
        }
        // Garbage speaks for no other shape.
        if !legible(line) {
            self.misfits += 1;
            return None;
        }
        self.misfits += u64::from(damage);
        self.rivals += 1;
        let found = self.rival.hold(at, false, line);
        if self.rival.held.len() > MOST_HELD {
            self.rival.held.remove(0);
        }
        let shape = found.filter(|shape| shape != self.reader.shape() && self.rivals >= RIVALS)?;
        if !self.pinned && self.fits < u64::from(RIVALS) {
            return Some(shape);
        }
        let why = format!("the last {} lines do not fit the shape in force", self.rivals);
        self.offer = Some(Offer { shape, why });
        None
    }

    /// Lines fit again.
    #[cold]
    fn outlive_rivals(&mut self) {
        self.fits_since += 1;
        if self.rivals > 0 && self.fits_since >= RIVALS {
            self.rivals = 0;
            self.rival = Learning::default();
            self.offer = None;
        }
    }

    /// Damage rarely makes the same wrong label twice; a label that comes again on sound lines is a new field. Gives
    /// whether it has become one.
    #[cold]
    fn suspect(&mut self, at: Stamp, label: String, line: &[u8], sink: &mut impl Sink) -> bool {
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
            refuse(at, false, Refusal::NewLabel, line, sink);
            return false;
        }
        self.suspects.remove(index);
        if !self.reader.grow(label) {
            refuse(at, false, Refusal::FieldCount, line, sink);
            return false;
        }
        sink.shape(self.reader.shape());
        if let Some(turns) = &mut self.turns {
            *turns = Turns::new(self.reader.shape());
        }
        let _ = self.take(at, false, line, sink);
        true
    }
}

fn refuse(at: Stamp, half: bool, why: Refusal, line: &[u8], sink: &mut impl Sink) {
    sink.line(at, if half { Fate::Half } else { Fate::Refused(why) }, line);
}

#[cfg(test)]
#[path = "splitter_tests.rs"]
mod tests;
