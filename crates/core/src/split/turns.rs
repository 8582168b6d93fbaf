//! Rows of several lines: which line of the row it is, and when the row is complete.

use super::outcome::Rejection;
use super::shape::{Plain, Shape};
use crate::Stamp;

/// Means apart by so many times their spread belong to columns that can be told apart.
const APART: f64 = 6.0;

/// The share with which a new value moves a column's mean and spread.
const SHARE: f64 = 0.05;

/// Rows after which the means are trusted.
const TRUSTED: u32 = 8;

/// A row that is being put together.
#[derive(Clone, Debug, Default)]
pub(super) struct Turns {
    /// The columns so far.
    pub(super) values: Vec<f64>,
    filled: u64,
    /// When its last line came.
    at: Stamp,
    /// For rows told apart by order: the line of the row that comes next.
    pub(super) turn: usize,
    /// The place in the row is not known.
    lost: bool,
    mean: Vec<f64>,
    spread: Vec<f64>,
    rows: u32,
}

/// What a line of a row of several lines did.
#[derive(Debug, PartialEq)]
pub(super) enum TurnStep {
    /// The row goes on, or was completed by this line.
    Taken {
        /// The row is complete.
        complete: bool,
    },
    /// The line's row began before anyone listened.
    Half,
    /// The row is given up.
    Rejected(Rejection),
}

impl Turns {
    pub(super) fn new(shape: &Shape) -> Turns {
        let mut turns = Turns { values: vec![f64::NAN; shape.columns()], ..Turns::default() };
        turns.mean = vec![f64::NAN; turns.values.len()];
        turns.spread = vec![0.0; turns.values.len()];
        if let Shape::Plain(plain) = shape
            && plain.typical.len() == turns.mean.len()
        {
            turns.mean.clone_from(&plain.typical);
            turns.rows = TRUSTED;
            turns.lost = plain.lines > 1;
        }
        turns
    }

    /// What comes next does not follow from what came before: an unfinished row is given up.
    pub(super) fn break_off(&mut self) {
        self.filled = 0;
        self.turn = 0;
        self.lost = true;
    }

    /// The labelled line that fills `filled` columns of `line` comes; `emit` gets a row that it shows to be over.
    pub(super) fn labelled(
        &mut self,
        at: Stamp,
        line: &[f64],
        filled: u64,
        emit: impl FnOnce(Stamp, &[f64]),
    ) -> TurnStep {
        if std::mem::take(&mut self.lost) && filled & 1 == 0 {
            self.lost = true;
            return TurnStep::Half;
        }
        if self.filled & filled != 0 {
            emit(self.at, &self.values);
            self.filled = 0;
        }
        if self.filled == 0 {
            self.values.clear();
            self.values.resize(line.len(), f64::NAN);
        }
        for (column, value) in line.iter().enumerate().filter(|(column, _)| filled & (1 << column) != 0) {
            self.values[column] = *value;
        }
        self.filled |= filled;
        self.at = at;
        let complete = self.filled.count_ones() as usize == line.len();
        self.filled = if complete { 0 } else { self.filled };
        TurnStep::Taken { complete }
    }

    /// The next line of alternating plain numbers; NaN for one that was damaged. The column that it begins with is
    /// `turn * fields` before the call.
    pub(super) fn plain(&mut self, plain: &Plain, line: &[f64]) -> TurnStep {
        if self.lost && self.rows >= TRUSTED && self.told_apart() {
            let nearest = |value: f64| {
                let distance = |turn: usize| (self.mean[turn * plain.fields] - value).abs();
                (0..plain.lines).min_by(|a, b| distance(*a).total_cmp(&distance(*b))).unwrap_or(0)
            };
            match line.first() {
                Some(value) if !value.is_nan() && nearest(*value) == 0 => self.turn = 0,
                _ => return TurnStep::Half,
            }
        }
        self.lost = false;
        let first = self.turn * plain.fields;
        self.values[first..first + line.len()].copy_from_slice(line);
        self.turn = (self.turn + 1) % plain.lines;
        if self.turn != 0 {
            return TurnStep::Taken { complete: false };
        }
        if self.rows >= TRUSTED && self.told_apart() && self.out_of_turn() {
            self.lost = true;
            return TurnStep::Rejected(Rejection::OutOfTurn);
        }
        self.learn();
        TurnStep::Taken { complete: true }
    }

    fn learn(&mut self) {
        self.rows = self.rows.saturating_add(1);
        for ((value, mean), spread) in self.values.iter().zip(&mut self.mean).zip(&mut self.spread) {
            if mean.is_nan() {
                *mean = *value;
            } else if !value.is_nan() {
                *spread += SHARE * ((value - *mean).abs() - *spread);
                *mean += SHARE * (value - *mean);
            }
        }
    }

    /// Whether the columns differ so much that each can be known by its value.
    fn told_apart(&self) -> bool {
        (0..self.mean.len())
            .all(|a| (0..a).all(|b| (self.mean[a] - self.mean[b]).abs() > APART * (self.spread[a] + self.spread[b])))
    }

    /// A typical value of each column, once known.
    pub(super) fn typical(&self) -> Vec<f64> {
        if self.rows >= TRUSTED && self.told_apart() { self.mean.clone() } else { Vec::new() }
    }

    /// Whether a value is much nearer to what another column usually has than to its own.
    fn out_of_turn(&self) -> bool {
        self.values.iter().zip(&self.mean).any(|(value, own)| {
            let distance = |mean: &f64| (value - mean).abs();
            self.mean.iter().any(|other| distance(other) * 4.0 < distance(own))
        })
    }
}

/// Finds out whether plain numbers come in turn: by values that fall into separate families by their order.
#[derive(Clone, Debug, Default)]
pub(super) struct Families {
    values: Vec<f64>,
}

/// Values that are looked at.
const LOOK: usize = 24;

/// The most lines a row that are looked for.
const MOST_LINES: usize = 6;

impl Families {
    /// Takes a value; when enough came, gives the typical values of a turn if they fall into families.
    pub(super) fn push(&mut self, value: f64) -> Option<Vec<f64>> {
        if self.values.len() > LOOK {
            return None; // Has been decided.
        }
        self.values.push(value);
        match self.values.len() {
            12 | 18 | LOOK => (2..=MOST_LINES).find_map(|lines| self.typical(lines)),
            _ => None,
        }
    }

    fn typical(&self, lines: usize) -> Option<Vec<f64>> {
        if self.values.len() < lines * 4 || self.values.iter().any(|value| value.is_nan()) {
            return None;
        }
        let family = |turn: usize| self.values.iter().skip(turn).step_by(lines);
        let range = |turn| {
            family(turn)
                .fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), value| (low.min(*value), high.max(*value)))
        };
        let mut ranges: Vec<(f64, f64)> = (0..lines).map(range).collect();
        let typical = ranges.iter().map(|(low, high)| (low + high) / 2.0).collect();
        ranges.sort_by(|a, b| a.0.total_cmp(&b.0));
        let apart = ranges.windows(2).all(|pair| {
            let width = (pair[0].1 - pair[0].0).max(pair[1].1 - pair[1].0);
            pair[1].0 - pair[0].1 > width.max(f64::MIN_POSITIVE)
        });
        apart.then_some(typical)
    }
}
