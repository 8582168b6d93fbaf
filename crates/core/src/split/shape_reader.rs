//! Lines while a shape is in force: rows out of them, and doubts about the shape.

use super::doubts::Doubts;
use super::learn::{Learning, MOST_HELD};
use super::line_shape::carries_numbers;
use super::outcome::{LineOutcome, Rejection, Sink};
use super::read::{Other, Reader, legible};
use super::shape::{Plain, Shape};
use super::turns::{Families, TurnStep, Turns};
use crate::Stamp;

/// How often a new label must be seen on sound lines before it becomes a column.
const SIGHTINGS: u32 = 3;

/// How many new labels are watched at once.
const MOST_SUSPECTS: usize = 16;

/// Lines in a row that fit another shape before that shape is offered.
const RIVALS: u32 = 8;

/// Another shape that may be the right one.
#[derive(Clone, Debug, PartialEq)]
pub struct Proposal {
    /// The shape.
    pub shape: Shape,
    /// Why, in a sentence.
    pub why: String,
}

/// A shape that should be in force instead, while the one in force is on trial.
#[derive(Debug)]
pub(super) enum Better {
    /// The same with another field.
    Grown(Shape),
    /// Another one, which the last lines fit.
    Other(Shape),
}

/// What is known while a shape is in force.
#[derive(Clone, Debug)]
pub(super) struct ShapeReader {
    pub(super) reader: Reader,
    pub(super) pinned: bool,
    /// The shape stays, although few lines fit it.
    pub(super) settled: bool,
    values: Vec<f64>,
    /// For rows of several lines.
    pub(super) turns: Option<Turns>,
    families: Families,
    suspects: Vec<(String, u32)>,
    /// Lines that fit the shape, and lines with numbers that do not.
    pub(super) fits: u64,
    pub(super) misfits: u64,
    /// Lines that fit since the last one that did not.
    fits_since: u32,
    /// The lines that did not fit, and what they could be.
    rival: Learning,
    rivals: u32,
    pub(super) proposal: Option<Proposal>,
    /// About commas and signs.
    pub(super) doubts: Doubts,
}

impl ShapeReader {
    pub(super) fn new(shape: Shape, pinned: bool) -> ShapeReader {
        let several = match &shape {
            Shape::PerLine(_) => true,
            Shape::Plain(plain) => plain.lines > 1,
            _ => false,
        };
        ShapeReader {
            values: Vec::new(),
            turns: several.then(|| Turns::new(&shape)),
            reader: Reader::new(shape),
            pinned,
            settled: false,
            families: Families::default(),
            suspects: Vec::new(),
            fits: 0,
            misfits: 0,
            fits_since: 0,
            rival: Learning::default(),
            rivals: 0,
            proposal: None,
            doubts: Doubts::new(pinned),
        }
    }
}

impl ShapeReader {
    /// Reads a line; gives another shape when the one in force turns out to have been found too early.
    #[inline]
    pub(super) fn take(&mut self, at: Stamp, half: bool, line: &[u8], sink: &mut impl Sink) -> Option<Better> {
        let shape = self.reader.shape();
        let (width, first) = match shape {
            Shape::Plain(plain) => (plain.fields, self.turns.as_ref().map_or(0, |turns| turns.turn * plain.fields)),
            other => (other.columns(), 0),
        };
        self.values.resize(width, f64::NAN);
        let outcome = self.reader.read(line, first, &mut self.values);
        match outcome {
            Ok(_) if half && !self.reader.knows_its_start() => sink.line(at, LineOutcome::Half, line),
            Ok(filled) => {
                if self.turns.is_some() {
                    self.take_turn(at, filled, line, sink);
                } else {
                    sink.line(at, LineOutcome::Row(0), line);
                    sink.row(at, &self.values);
                }
                self.fits += 1;
                if !self.doubts.settled {
                    self.look_for_doubts(line);
                }
                if self.rivals > 0 || self.proposal.is_some() {
                    self.outlive_rivals();
                }
                self.look_for_families();
            }
            Err(Other::Text) => {
                sink.line(at, LineOutcome::Message, line);
                return self.doubt(at, line, false);
            }
            Err(Other::Damage(why)) => {
                reject(at, half, why, line, sink);
                if !half {
                    self.miss_a_turn();
                    return self.doubt(at, line, true);
                }
            }
            Err(Other::NewLabel(_)) if half => sink.line(at, LineOutcome::Half, line),
            Err(Other::NewLabel(label)) => return self.suspect(at, label, line, sink),
        }
        None
    }

    fn take_turn(&mut self, at: Stamp, filled: u64, line: &[u8], sink: &mut impl Sink) {
        let Some(turns) = &mut self.turns else { return };
        let mut first = filled.trailing_zeros() as u8;
        let step = match self.reader.shape() {
            Shape::Plain(plain) => {
                let before = turns.turn;
                let step = turns.plain(plain, &self.values);
                // The line may have told where in the row it stands.
                let here = if turns.turn == 0 { plain.lines - 1 } else { turns.turn - 1 };
                first = (if matches!(step, TurnStep::Taken { .. }) { here } else { before } * plain.fields) as u8;
                step
            }
            _ => turns.labelled(at, &self.values, filled, |at, row| sink.row(at, row)),
        };
        match step {
            TurnStep::Taken { complete } => {
                sink.line(at, LineOutcome::Row(first), line);
                if complete {
                    sink.row(at, &turns.values);
                }
            }
            TurnStep::Half => sink.line(at, LineOutcome::Half, line),
            TurnStep::Rejected(why) => sink.line(at, LineOutcome::Rejected(why), line),
        }
    }

    /// A damaged line had its place among lines told apart by order.
    fn miss_a_turn(&mut self) {
        if let (Shape::Plain(plain), Some(turns)) = (self.reader.shape(), &mut self.turns) {
            self.values.fill(f64::NAN);
            let _ = turns.plain(plain, &self.values);
        }
    }

    /// Commas and signs may mean something else.
    #[inline]
    fn look_for_doubts(&mut self, line: &[u8]) {
        match self.reader.shape() {
            Shape::Plain(plain) if Doubts::looks_at_pairs(plain) => self.doubts.pair(line),
            Shape::Worded(labels) | Shape::PerLine(labels) if !self.reader.signs.is_empty() => {
                let style = labels.style();
                let signs = std::mem::take(&mut self.reader.signs);
                self.doubts.words(signs, style, line);
            }
            Shape::Worded(_) | Shape::PerLine(_) => {}
            _ => self.doubts.settled = true,
        }
    }

    /// Plain numbers may come in turn, which only their values can tell.
    #[inline]
    fn look_for_families(&mut self) {
        if self.pinned || self.turns.is_some() || self.values.len() != 1 {
            return;
        }
        let Shape::Plain(plain) = self.reader.shape() else { return };
        if let Some(typical) = self.families.push(self.values[0]) {
            let shape = Plain { lines: typical.len(), typical, ..plain.clone() };
            let why = format!("the values alternate between {} signals", shape.lines);
            self.proposal = Some(Proposal { shape: Shape::Plain(shape), why });
        }
    }

    /// A line with numbers did not fit: perhaps the stream has changed its shape.
    #[cold]
    fn doubt(&mut self, at: Stamp, line: &[u8], damage: bool) -> Option<Better> {
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
        if !self.is_decided() {
            return Some(Better::Other(shape));
        }
        let why = format!("the last {} lines do not fit the shape in force", self.rivals);
        self.proposal = Some(Proposal { shape, why });
        None
    }

    /// Lines fit again.
    #[cold]
    fn outlive_rivals(&mut self) {
        self.fits_since += 1;
        if self.rivals > 0 && self.fits_since >= RIVALS {
            self.rivals = 0;
            self.rival = Learning::default();
            self.proposal = None;
        }
    }

    /// Damage rarely makes the same wrong label twice; a label that comes again on sound lines is a new field. While the
    /// shape is on trial, gives the shape with that field.
    #[cold]
    fn suspect(&mut self, at: Stamp, label: String, line: &[u8], sink: &mut impl Sink) -> Option<Better> {
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
        let why = if self.reader.is_full() { Rejection::TooManyLabels } else { Rejection::NewLabel };
        if self.suspects[index].1 < SIGHTINGS || self.reader.is_full() {
            reject(at, false, why, line, sink);
            return self.doubt(at, line, true);
        }
        self.suspects.remove(index);
        self.reader.grow(label);
        if !self.is_decided() {
            reject(at, false, why, line, sink);
            return Some(Better::Grown(self.reader.shape().clone()));
        }
        sink.shape(self.reader.shape());
        if let Some(turns) = &mut self.turns {
            *turns = Turns::new(self.reader.shape());
        }
        self.take(at, false, line, sink)
    }

    /// Whether the shape is no longer on trial: from here on another one is offered and never taken.
    pub(super) fn is_decided(&self) -> bool {
        self.pinned || self.settled || self.fits >= u64::from(RIVALS)
    }
}

pub(super) fn reject(at: Stamp, half: bool, why: Rejection, line: &[u8], sink: &mut impl Sink) {
    sink.line(at, if half { LineOutcome::Half } else { LineOutcome::Rejected(why) }, line);
}
