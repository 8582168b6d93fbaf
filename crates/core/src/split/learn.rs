//! Finding the shape from the first lines. Only lines count, never time, so that the same bytes always give the same
//! shape.

use super::number::number;
use super::read::legible;
use super::shape::{Delimiter, MAX_FIELDS, Shape, pair, tokens};
use crate::Stamp;

/// How many lines wait for a decision before the oldest is given up.
pub(super) const MOST_HELD: usize = 64;

/// Labelled lines with differing labels that are taken as a stream of optional labels.
const VARIED_LINES: usize = 6;

/// Bare lines of one form that are taken as the stream's shape.
const BARE_LINES: usize = 3;

/// A line that waits for the shape.
#[derive(Debug)]
pub(super) struct Held {
    pub(super) at: Stamp,
    pub(super) half: bool,
    pub(super) line: Vec<u8>,
    form: Option<Shape>,
}

/// The lines so far, and what each could be.
#[derive(Debug, Default)]
pub(super) struct Learning {
    pub(super) held: Vec<Held>,
}

impl Learning {
    /// Holds a line that carries numbers; gives the shape as soon as the lines held agree on one.
    pub(super) fn hold(&mut self, at: Stamp, half: bool, line: &[u8]) -> Option<Shape> {
        self.held.push(Held { at, half, line: line.to_vec(), form: form_of(line) });
        // The first line after opening may lack its beginning, so it has no say.
        let forms = || self.held.iter().rev().filter(|held| !held.half).filter_map(|held| held.form.as_ref());
        let newest = forms().next()?;
        match newest {
            Shape::Labelled { .. } if forms().nth(1) == Some(newest) => Some(newest.clone()),
            Shape::Labelled { .. } => {
                let mut union: Vec<String> = Vec::new();
                let mut lines = 0;
                for held in self.held.iter().filter(|held| !held.half) {
                    if let Some(Shape::Labelled { labels, .. }) = &held.form {
                        lines += 1;
                        let new: Vec<_> = labels.iter().filter(|label| !union.contains(label)).cloned().collect();
                        union.extend(new);
                    }
                }
                union.truncate(MAX_FIELDS);
                (lines >= VARIED_LINES).then_some(Shape::Labelled { labels: union, complete: false })
            }
            Shape::Bare { .. } => {
                let alike = forms().take_while(|form| *form == newest).count();
                (alike >= BARE_LINES).then(|| newest.clone())
            }
        }
    }
}

/// Whether any part of the line reads as a field, so that it may be a row or a damaged row and not just words.
pub(super) fn carries_numbers(line: &[u8]) -> bool {
    tokens(line).any(|token| {
        let token = &line[token];
        number(token).is_some() || pair(token).is_some_and(|(_, value)| number(value).is_some())
    })
}

/// The shape of which this one line is a perfect example, if any.
fn form_of(line: &[u8]) -> Option<Shape> {
    if !legible(line) {
        return None;
    }
    let mut labels: Vec<String> = Vec::new();
    let labelled = tokens(line).all(|token| {
        let Some((label, value)) = pair(&line[token]) else {
            return false;
        };
        let label = String::from_utf8_lossy(label).into_owned();
        let sound = number(value).is_some() && !labels.contains(&label) && labels.len() < MAX_FIELDS;
        labels.push(label);
        sound
    });
    if labelled && !labels.is_empty() {
        return Some(Shape::Labelled { labels, complete: true });
    }
    Delimiter::ALL.into_iter().find_map(|delimiter| {
        let mut fields = 0;
        let sound = delimiter.cells(line).all(|cell| {
            fields += 1;
            number(&line[cell]).is_some()
        });
        let enough = if delimiter == Delimiter::Spaces { 1 } else { 2 };
        (sound && (enough..=MAX_FIELDS).contains(&fields)).then_some(Shape::Bare { delimiter, fields })
    })
}
