//! The lines that came while the shape was being found and tried: when another shape does better, they are read again.

use super::clean::clean;
use super::effort::Effort;
use super::frame::Frame;
use super::header::Header;
use super::opinion::{self, Opinion, Rows};
use super::outcome::{LineOutcome, Nothing, Rejection, Sink};
use super::pattern::{self, Found};
use super::read::Numbers;
use super::shape::{Comma, MAX_FIELDS, Shape};
use super::shape_reader::{Better, Proposal, ShapeReader, reject};
use super::splitter::Waiting;
use crate::Stamp;
use std::collections::VecDeque;

/// Lines after which the shape stays, although few of them fit it.
const MOST: usize = 256;

/// The most messages that are kept in front of the lines.
const MOST_HEADS: usize = 4;

/// Counts of lines at which these are looked at together; from there on whenever there are twice as many.
const LOOKS: [usize; 5] = [4, 6, 8, 12, 16];

#[derive(Clone, Debug)]
struct Line {
    at: Stamp,
    half: bool,
    /// The link was broken between the line before and this one.
    broken: bool,
    /// What became of it was given before any shape was known, and stays.
    told: bool,
    /// Why it is no whole line, if it is none.
    bad: Option<Rejection>,
    bytes: Vec<u8>,
}

/// Lines from the first one that carried numbers until the shape is settled.
#[derive(Clone, Debug, Default)]
pub(super) struct Trial {
    lines: VecDeque<Line>,
    /// The link was broken since the last of them.
    broken: bool,
    /// Rows in them that were not given.
    pub(super) rows: u64,
    /// The names of columns, where a line before said them.
    pub(super) header: Option<Header>,
    /// The columns that carry numbers other than 0 and 1, as far as was found.
    pub(super) numbers: Numbers,
    /// The last messages in front of them, which may say names.
    heads: VecDeque<Vec<u8>>,
    /// What else the lines of a pattern that was found may mean.
    rival: Option<Proposal>,
    /// For looking at the lines together.
    effort: Effort,
    /// How many of them were asked together what they mean.
    looked_at: usize,
    /// Lines that were given up since they were as many as are looked at.
    given_up: usize,
}

/// What a look at all lines together says.
pub(super) enum Second {
    /// The same as the shape in force, or nothing that is sure.
    Agrees,
    /// They are rows of another shape, which has read them.
    Better(Box<ShapeReader>),
    /// They are surely read otherwise: what is told, and the shape, where shapes can say it.
    Differs(String, Option<Shape>),
    /// What they are is open: what is doubted.
    Doubted(String),
}

/// Keeps rows.
#[derive(Default)]
struct Kept(Vec<Vec<f64>>);

impl Sink for Kept {
    fn shape(&mut self, _: &Shape) {}
    fn line(&mut self, _: Stamp, _: LineOutcome, _: &[u8]) {}
    fn row(&mut self, _: Stamp, values: &[f64]) {
        self.0.push(values.to_vec());
    }
}

/// Counts rows and gives nothing on.
pub(super) struct RowCount<'a>(pub(super) &'a mut u64);

impl Sink for RowCount<'_> {
    fn shape(&mut self, _: &Shape) {}
    fn line(&mut self, _: Stamp, _: LineOutcome, _: &[u8]) {}
    fn row(&mut self, _: Stamp, _: &[f64]) {
        *self.0 += 1;
    }
}

impl Trial {
    /// No lines, behind a header.
    pub(super) fn new(header: Option<Header>) -> Trial {
        Trial { header, ..Trial::default() }
    }

    pub(super) fn is_empty(&self) -> bool {
        self.lines.is_empty()
    }

    pub(super) fn len(&self) -> usize {
        self.lines.len()
    }

    pub(super) fn is_full(&self) -> bool {
        self.lines.len() >= MOST
    }

    /// Whether there are enough lines to go by what they mean together.
    pub(super) fn is_long(&self) -> bool {
        let seconds =
            self.lines.front().zip(self.lines.back()).map_or(0.0, |(first, last)| last.at.seconds_since(first.at));
        self.lines.len() >= opinion::MOST || (seconds >= opinion::SLOW.0 && self.lines.len() >= opinion::SLOW.1)
    }

    pub(super) fn is_broken_behind(&self) -> bool {
        self.broken
    }

    pub(super) fn break_off(&mut self) {
        self.broken = !self.lines.is_empty();
    }

    pub(super) fn push(&mut self, at: Stamp, half: bool, frame: Frame<'_>, told: bool) {
        let (bytes, bad) = match frame {
            Frame::Whole(line) => (line.to_vec(), None),
            Frame::Bad(why, head) => (head.to_vec(), Some(why)),
        };
        // The break lies before the next line of which nothing was given yet.
        let broken = !told && std::mem::take(&mut self.broken);
        self.effort.earn();
        self.lines.push_back(Line { at, half, broken, told, bad, bytes });
    }

    /// A message in front of all lines.
    pub(super) fn hear(&mut self, line: &[u8]) {
        if self.heads.len() == MOST_HEADS {
            self.heads.pop_front();
        }
        self.heads.push_back(line.to_vec());
    }

    /// The lines of which nothing was given.
    pub(super) fn untold(&self) -> impl Iterator<Item = Waiting<'_>> {
        self.lines.iter().filter(|line| !line.told).map(|line| Waiting {
            at: line.at,
            half: line.half,
            broken: line.broken,
            bytes: &line.bytes,
        })
    }

    /// The oldest line finds no shape, and is given as such.
    pub(super) fn give_up_oldest(&mut self, sink: &mut impl Sink) {
        let Some(oldest) = self.lines.pop_front() else { return };
        if oldest.broken {
            sink.gap();
        }
        let numbers = oldest.bytes.split(|b| !(b.is_ascii_digit() || *b == b'.')).filter(|text| !text.is_empty());
        let why = if numbers.count() > MAX_FIELDS { Rejection::TooManyFields } else { Rejection::NoShape };
        reject(oldest.at, oldest.half, why, &oldest.bytes, sink);
        // When enough others have come, they are looked at again.
        if self.looked_at >= opinion::MOST {
            self.given_up += 1;
            if self.given_up.is_multiple_of(opinion::MOST / 2) {
                self.looked_at = opinion::MOST - 1;
            }
        }
        // A trial begins with a line of which nothing was given.
        while self.lines.front().is_some_and(|line| line.told) {
            self.lines.pop_front();
        }
        if self.lines.is_empty() && std::mem::take(&mut self.broken) {
            sink.gap();
        }
    }

    /// Reads all lines as rows of `shape`, and of the fields that are found to belong to it.
    pub(super) fn read_as(&mut self, shape: Shape) -> ShapeReader {
        let mut shape = shape;
        loop {
            self.rows = 0;
            let mut rows = 0;
            let mut reading = self.begin_reading(shape.clone());
            let mut numbers = None;
            let grown = self.lines.iter().find_map(|line| {
                match line.read(&mut reading, &mut RowCount(&mut rows)) {
                    Some(Better::Grown(shape)) => {
                        numbers = Some(reading.reader.numbers());
                        Some(shape)
                    }
                    // A few lines do not make another shape.
                    _ => None,
                }
            });
            match grown {
                // With each turn there is one more field, of which there are 64 at most.
                Some(grown) => {
                    shape = grown;
                    self.numbers = numbers.unwrap_or_default();
                }
                None => {
                    self.rows = rows;
                    return reading;
                }
            }
        }
    }

    /// Looks at the lines together for a pattern, now and then: where there is no shape yet, or doubt about that of
    /// `now`. Gives the lines read by it when that does better.
    pub(super) fn survey(&mut self, now: Option<&ShapeReader>) -> Option<ShapeReader> {
        let is_due =
            LOOKS.contains(&self.lines.len()) || (self.lines.len() > LOOKS[0] && self.lines.len().is_power_of_two());
        if !is_due || now.is_some_and(|now| !now.may_be_a_pattern()) || !self.effort.spend(self.lines.len()) {
            return None;
        }
        let texts: Vec<_> = self
            .lines
            .iter()
            .filter(|line| !line.half && line.bad.is_none())
            .filter_map(|line| clean(&line.bytes))
            .collect();
        let texts: Vec<&[u8]> = texts.iter().map(AsRef::as_ref).collect();
        let looked_at = texts.len() as u64;
        let Found { pattern, rival } = pattern::find(&texts, self.header.as_ref())?;
        let shape = Shape::Pattern(pattern);
        let rival = rival.map(|(pattern, why)| Proposal { shape: Shape::Pattern(pattern), why: why.into() });
        let known = now.is_some_and(|now| *now.reader.shape() == shape && now.other == rival);
        if known {
            return None;
        }
        let halves = self.lines.iter().filter(|line| line.half).count() as u64;
        let before = std::mem::replace(&mut self.rival, rival);
        let rows = self.rows;
        let reading = self.read_as(shape);
        let is_read = reading.fits * 2 >= looked_at;
        let better = is_read
            && now.is_none_or(|now| {
                let names = self.header.as_ref().map_or(&[][..], |header| &header.names);
                match self.rival.is_none() && says_the_same(now.reader.shape(), reading.reader.shape(), names) {
                    true => reading.fits * 4 > now.fits * 5,
                    // What was a whole row to one shape may be half a line to the other.
                    false => reading.fits + halves >= now.fits,
                }
            });
        if !better {
            (self.rival, self.rows) = (before, rows);
            return None;
        }
        Some(reading)
    }

    /// Whether it is time to ask what all lines mean together.
    pub(super) fn is_second_due(&self) -> bool {
        opinion::is_due(self.looked_at, self.lines.len())
    }

    /// Whether all lines were asked what they mean together.
    pub(super) fn was_asked(&self) -> bool {
        self.looked_at == self.lines.len()
    }

    /// What all lines mean together, beside what they mean to `now`; `None` where they are no text.
    pub(super) fn second(&mut self, now: Option<&ShapeReader>) -> Option<Second> {
        self.looked_at = self.lines.len();
        if now.is_some_and(|now| now.reader.shape().is_binary()) {
            return None;
        }
        let whole = self.lines.iter().filter(|line| line.bad.is_none()).map(|line| line.bytes.as_slice());
        let heads = self.heads.iter().map(Vec::as_slice);
        let opinion = opinion::opinion(heads.chain(whole), self.header.as_ref());
        let Some(opinion) = opinion else { return Some(Second::Agrees) };
        // Lines that are to be given up are read although nothing changes on them.
        let is_last = now.is_none() && self.lines.len() >= opinion::MOST && opinion.is_dull;
        if let Some(doubt) = opinion.doubt.filter(|_| !is_last) {
            let Some(now) = now else { return Some(Second::Doubted(doubt.into())) };
            let rows = self.rows_of(now.reader.shape());
            let is_told = opinion.is_told_by(&rows);
            return Some(match () {
                // What all lines together say is all that speaks for it, or is open whoever reads them.
                () if is_told && (now.is_ranked || opinion.is_open) => Second::Doubted(doubt.into()),
                () if is_told || says_itself(now, &rows, &opinion) => Second::Agrees,
                () => Second::Doubted(opinion.said()),
            });
        }
        let with_rows = opinion.shapes.iter().map(|shape| (shape, self.rows_of(shape)));
        let shape = with_rows.into_iter().find(|(_, rows)| opinion.is_told_by(rows));
        if let Some(now) = now {
            let rows = self.rows_of(now.reader.shape());
            let has_all = shape.as_ref().is_none_or(|(shape, _)| now.reader.shape().columns() >= shape.columns());
            let is_alike = shape.as_ref().is_none_or(|(shape, own)| {
                named(now.reader.shape(), &rows) >= named(shape, own) && is_near(rows.count, own.count)
            });
            let is_said =
                says_itself(now, &rows, &opinion) && (has_all || !matches!(now.reader.shape(), Shape::PerLine(_)));
            if is_said || (opinion.is_told_by(&rows) && is_alike) {
                return Some(Second::Agrees);
            }
        }
        let said = opinion.said();
        let known = now.map(|now| now.reader.shape());
        let Some((shape, _)) = shape.filter(|(shape, _)| Some(*shape) != known) else {
            return Some(Second::Differs(said, opinion.shapes.into_iter().find(|shape| Some(shape) != known)));
        };
        let mut reading = self.read_as(shape.clone());
        reading.is_ranked = true;
        Some(Second::Better(Box::new(reading)))
    }

    /// The rows that all lines are to `shape`.
    fn rows_of(&self, shape: &Shape) -> Rows {
        let mut rows = Kept::default();
        let mut reading = self.begin_reading(shape.clone());
        for line in &self.lines {
            let _ = line.read(&mut reading, &mut rows);
        }
        reading.finish(&mut rows);
        Rows::of(&rows.0)
    }

    /// The same, giving what it finds, and `shape` first; gives how it reads on.
    pub(super) fn give(&mut self, shape: Shape, sink: &mut impl Sink) -> ShapeReader {
        self.rows = 0;
        sink.shape(&shape);
        let mut reading = self.begin_reading(shape);
        for line in &self.lines {
            if line.broken {
                sink.gap();
            }
            let _ = match line.told {
                true => line.read(&mut reading, &mut Nothing),
                false => line.read(&mut reading, sink),
            };
        }
        reading
    }

    /// A trial of the lines that come next.
    pub(super) fn after(&self) -> Trial {
        Trial { effort: self.effort, ..Trial::default() }
    }

    fn begin_reading(&self, shape: Shape) -> ShapeReader {
        let mut reading = ShapeReader::new(shape, false);
        reading.effort = None;
        reading.reader.know_numbers(self.numbers);
        if matches!(reading.reader.shape(), Shape::Pattern(_)) {
            reading.other.clone_from(&self.rival);
        }
        if let (Some(steps), true) = (&mut reading.steps, self.lines.front().is_some_and(|line| line.half)) {
            steps.break_off();
        }
        if let (Some(turns), true) = (&mut reading.turns, self.lines.front().is_some_and(|line| line.half)) {
            turns.join();
        }
        reading
    }
}

/// Whether lines say themselves what they are to `now`: names that all lines have do; a check that holds and a time that is one are more than what is likely.
fn says_itself(now: &ShapeReader, rows: &Rows, opinion: &Opinion) -> bool {
    let has_all = || rows.varying().count() >= opinion.columns();
    // A damaged line is nothing that is left to tell.
    let is_whole = (now.misfits + now.lost) * 25 <= now.fits;
    match now.reader.shape() {
        Shape::PerLine(_) | Shape::Labelled(_) => now.misfits + now.lost == 0 && has_all(),
        Shape::Pattern(pattern) => {
            pattern.is_checked() || (pattern.has_moment() && !opinion.has_clock() && (is_whole || has_all()))
        }
        _ => false,
    }
}

/// How many columns that vary have a name of their own: neither `field2` nor `level_2`.
fn named(shape: &Shape, rows: &Rows) -> usize {
    let is_number = |text: &str| !text.is_empty() && text.bytes().all(|b| b.is_ascii_digit());
    let names: Vec<String> = (0..shape.columns()).map(|column| shape.label(column)).collect();
    let is_own = |name: &String| {
        let is_again = |(stem, rest): (&str, &str)| is_number(rest) && names.iter().any(|name| name == stem);
        name.contains(char::is_alphanumeric)
            && !name.strip_prefix("field").is_some_and(is_number)
            && !name.rsplit_once('_').is_some_and(is_again)
    };
    names.iter().enumerate().filter(|(column, name)| rows.varies(*column) && is_own(name)).count()
}

/// Whether there are about as many rows of both.
fn is_near(a: usize, b: usize) -> bool {
    a.abs_diff(b) * 10 <= a.max(b) + 10
}

/// Whether a pattern has the fields of a line of words, reads nothing in another way, and has no more of the names that a header
/// gives.
fn says_the_same(words: &Shape, pattern: &Shape, names: &[String]) -> bool {
    let Shape::Pattern(found) = pattern else { return false };
    let commas = match words {
        Shape::Plain(plain) => plain.comma,
        Shape::Worded(labels) => labels.comma == Comma::Decimal,
        _ => false,
    };
    let named = |shape: &Shape| (0..shape.columns()).filter(|column| names.contains(&shape.label(*column))).count();
    words.columns() == found.columns() && found.is_simple(commas) && named(pattern) <= named(words)
}

impl Line {
    fn read(&self, reading: &mut ShapeReader, sink: &mut impl Sink) -> Option<Better> {
        if self.broken {
            reading.break_off();
        }
        let frame = self.bad.map_or(Frame::Whole(&self.bytes), |why| Frame::Bad(why, &self.bytes));
        read(reading, self.at, self.half, frame, sink)
    }
}

/// Reads a line, or what there is of a bad one.
#[inline]
pub(super) fn read(
    reading: &mut ShapeReader,
    at: Stamp,
    half: bool,
    frame: Frame<'_>,
    sink: &mut impl Sink,
) -> Option<Better> {
    match frame {
        Frame::Whole(line) => reading.take(at, half, line, sink),
        Frame::Bad(why, head) => {
            reading.take_bad(at, half, why, head, sink);
            None
        }
    }
}
