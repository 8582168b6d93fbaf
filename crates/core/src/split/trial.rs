//! The lines that came while the shape was being found and tried: when another shape does better, they are read again.

use super::frame::Frame;
use super::outcome::{LineOutcome, Nothing, Rejection, Sink};
use super::shape::Shape;
use super::shape_reader::{Better, ShapeReader, reject};
use super::splitter::Waiting;
use super::turns::Turns;
use crate::Stamp;
use std::collections::VecDeque;

/// Lines after which the shape stays, although few of them fit it.
const MOST: usize = 256;

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
    pub(super) fn is_empty(&self) -> bool {
        self.lines.is_empty()
    }

    pub(super) fn is_full(&self) -> bool {
        self.lines.len() >= MOST
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
        self.lines.push_back(Line { at, half, broken, told, bad, bytes });
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
        reject(oldest.at, oldest.half, Rejection::NoShape, &oldest.bytes, sink);
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
            let grown = self.lines.iter().find_map(|line| {
                match line.read(&mut reading, &mut RowCount(&mut rows)) {
                    Some(Better::Grown(shape)) => Some(shape),
                    // A few lines do not make another shape.
                    _ => None,
                }
            });
            match grown {
                // With each turn there is one more field, of which there are 64 at most.
                Some(grown) => shape = grown,
                None => {
                    self.rows = rows;
                    return reading;
                }
            }
        }
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

    fn begin_reading(&self, shape: Shape) -> ShapeReader {
        let mut reading = ShapeReader::new(shape, false);
        if let (Some(turns), true) = (&mut reading.turns, self.lines.front().is_some_and(|line| line.half)) {
            turns.break_off();
        }
        reading
    }
}

impl Line {
    fn read(&self, reading: &mut ShapeReader, sink: &mut impl Sink) -> Option<Better> {
        if self.broken {
            reading.turns.iter_mut().for_each(Turns::break_off);
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
            sink.line(at, LineOutcome::Rejected(why), head);
            None
        }
    }
}
