//! How a spectrum changes: one line of levels for each step of time, on a fixed grid, so that finished lines never change.

use super::{Maker, Recipe};
use crate::Stamp;
use crate::spectrum::even::Even;
use std::collections::VecDeque;

/// Lines that are kept.
const MOST_LINES: usize = 400;

/// One line: a spectrum.
#[derive(Clone, Debug)]
pub struct Line {
    /// The step of time that it ends with: the line is of the rows up to then.
    pub step: i64,
    /// Rows a second.
    pub rate: f64,
    /// The amplitude of each bin from 0 to half the rate; empty where there were no rows, or they were too uneven.
    pub amplitudes: Vec<f32>,
}

/// The lines of the last minutes.
#[derive(Debug, Default)]
pub struct Waterfall {
    lines: VecDeque<Line>,
    made_with: Option<(Recipe, i64)>,
}

impl Waterfall {
    /// Forgets all lines: they are of something else from now on.
    pub fn clear(&mut self) {
        self.lines.clear();
    }

    /// The lines that are known, the oldest first.
    pub fn lines(&self) -> impl DoubleEndedIterator<Item = &Line> {
        self.lines.iter()
    }

    /// Makes the lines that end at whole steps of `hop` up to `end`, at most `most` of them; `rows` gives the times and values
    /// of the last rows up to a moment, so many as are asked for. Lines that are known are kept. At most `budget` are made at
    /// once, the newest first; gives whether all there should be are there.
    pub fn follow(
        &mut self,
        maker: &mut Maker,
        recipe: Recipe,
        hop: f64,
        (end, most): (Stamp, usize),
        mut budget: usize,
        mut rows: impl FnMut(Stamp, usize) -> (Vec<Stamp>, Vec<f64>),
    ) -> bool {
        let hop = ((hop * 1e9) as i64).max(1_000_000);
        if self.made_with != Some((recipe, hop)) {
            self.lines.clear();
            self.made_with = Some((recipe, hop));
        }
        let last = end.0.div_euclid(hop);
        let first = last - most.min(MOST_LINES) as i64 + 1;
        // What lies apart from what is to be seen is of no use.
        self.lines.retain(|line| (first..=last).contains(&line.step));
        let mut step = last;
        let mut at = self.lines.len();
        while step >= first {
            if at > 0 && self.lines[at - 1].step == step {
                at -= 1;
            } else if budget == 0 {
                return false;
            } else {
                budget -= 1;
                let (times, values) = rows(Stamp(step * hop), recipe.length);
                let spectrum = (values.len() >= recipe.length.min(super::LONGEST))
                    .then(|| Even::of(&times, &values).ok())
                    .flatten()
                    .and_then(|even| maker.spectrum(&even.values, even.rate, recipe));
                let (rate, amplitudes) = spectrum.map_or((0.0, Vec::new()), |spectrum| {
                    (spectrum.rate, spectrum.amplitudes.iter().map(|amplitude| *amplitude as f32).collect())
                });
                self.lines.insert(at, Line { step, rate, amplitudes });
            }
            step -= 1;
        }
        true
    }
}
