//! What the lines on trial mean, all of them read together, by readings that are ranked by their description length.

use super::clean::clean;
use super::header::Header;
use super::pattern::shapes_of;
use super::shape::Shape;
use amber_grammar::{ChannelKind, Finding, Lines, find};
use std::collections::HashMap;

/// Counts of lines at which they are looked at.
const LOOKS: [usize; 4] = [16, 32, 64, MOST];

/// Whether lines are looked at when there are so many.
pub(super) fn is_due(lines: usize) -> bool {
    LOOKS.contains(&lines)
}

/// Lines before which no shape stays, since fewer tell too little: rare kinds of lines come once in dozens.
pub(super) const MOST: usize = 128;

/// So many seconds, and so many lines within them, tell enough of a slow stream, which nobody wants to wait for.
pub(super) const SLOW: (f64, usize) = (60.0, 32);

/// What the lines are, taken together.
pub(super) struct Opinion {
    /// Shapes that may read them so, the fastest first.
    pub(super) shapes: Vec<Shape>,
    /// Nothing speaks against it.
    pub(super) is_sure: bool,
    /// Its columns.
    columns: Vec<Told>,
}

/// A column of values, gaps left out.
struct Told {
    name: String,
    is_clock: bool,
    values: Vec<f64>,
}

/// What these lines are.
pub(super) fn opinion<'l>(lines: impl Iterator<Item = &'l [u8]>, header: Option<&Header>) -> Option<Opinion> {
    let lines = lines.filter_map(clean).map(|line| String::from_utf8_lossy(&line).into_owned()).collect();
    let text = Lines { lines, is_ended: true };
    let found: Finding = find(&text)?;
    let table = found.table(&text, false);
    let column = |place: usize| Told {
        name: table.channels[place].name.clone(),
        is_clock: table.channels[place].kind == ChannelKind::Clock,
        values: table.rows.iter().filter_map(|row| row[place]).collect(),
    };
    let columns = (0..table.channels.len()).map(column).filter(|told| varies(&told.values)).collect();
    let shapes = found.spec.as_ref().map_or_else(Vec::new, |spec| shapes_of(spec, header));
    Some(Opinion { shapes, is_sure: found.doubts.is_empty(), columns })
}

fn varies(values: &[f64]) -> bool {
    values.windows(2).any(|pair| pair[0] != pair[1])
}

/// The values of a column of rows, gaps (NaN) left out.
fn values_of(rows: &[Vec<f64>], column: usize) -> Vec<f64> {
    rows.iter().filter_map(|row| row.get(column)).copied().filter(|value| !value.is_nan()).collect()
}

/// Whether a column of rows varies.
pub(super) fn column_varies(rows: &[Vec<f64>], column: usize) -> bool {
    varies(&values_of(rows, column))
}

/// The columns of rows that vary.
fn columns_that_vary(rows: &[Vec<f64>]) -> impl Iterator<Item = Vec<f64>> {
    let width = rows.iter().map(Vec::len).max().unwrap_or(0);
    (0..width).map(|column| values_of(rows, column)).filter(|values| varies(values))
}

/// How many columns of rows vary.
pub(super) fn varying(rows: &[Vec<f64>]) -> usize {
    columns_that_vary(rows).count()
}

impl Opinion {
    /// Whether these rows, NaN for a gap, tell the same, whatever they call it.
    pub(super) fn is_told_by(&self, rows: &[Vec<f64>]) -> bool {
        let own: Vec<Vec<f64>> = columns_that_vary(rows).collect();
        let is_known = |values: &Vec<f64>| {
            self.columns
                .iter()
                .any(|told| same(values, &told.values) || (told.is_clock && runs_alike(values, &told.values)))
        };
        let is_there = |told: &Told| told.is_clock || own.iter().any(|values| same(values, &told.values));
        own.iter().all(is_known) && self.columns.iter().all(is_there)
    }

    /// How many columns it tells that vary.
    pub(super) fn columns(&self) -> usize {
        self.columns.len()
    }

    /// Whether it tells a time.
    pub(super) fn has_clock(&self) -> bool {
        self.columns.iter().any(|told| told.is_clock)
    }

    /// What it tells, in a few words.
    pub(super) fn said(&self) -> String {
        let names: Vec<&str> = self.columns.iter().take(4).map(|told| told.name.as_str()).collect();
        let more = if self.columns.len() > names.len() { " …" } else { "" };
        format!("all lines together may also be read as {}{more}", names.join(", "))
    }
}

/// How often each value comes.
fn counts(values: &[f64]) -> HashMap<u64, usize> {
    let mut counts = HashMap::new();
    values.iter().for_each(|value| *counts.entry((value + 0.0).to_bits()).or_insert(0) += 1);
    counts
}

/// Whether nearly all values are the same, or the same states under other numbers.
fn same(a: &[f64], b: &[f64]) -> bool {
    let (of_a, of_b) = (counts(a), counts(b));
    let most = a.len().max(b.len());
    let shared: usize = of_a.iter().map(|(value, count)| (*count).min(of_b.get(value).copied().unwrap_or(0))).sum();
    if shared + 2 >= most || shared * 20 >= most * 19 {
        return true;
    }
    let sorted = |counts: &HashMap<u64, usize>| {
        let mut sorted: Vec<usize> = counts.values().copied().collect();
        sorted.sort_unstable();
        sorted
    };
    let (of_a, of_b) = (sorted(&of_a), sorted(&of_b));
    let apart: usize = of_a.iter().zip(&of_b).map(|(a, b)| a.abs_diff(*b)).sum();
    of_a.len() == of_b.len() && of_a.len() <= 12 && apart * 10 <= most + 10
}

/// Whether both may be one clock in two units.
fn runs_alike(a: &[f64], b: &[f64]) -> bool {
    let span = |values: &[f64]| values.last().zip(values.first()).map_or(0.0, |(last, first)| last - first);
    let is_alike = a.len().abs_diff(b.len()) * 5 <= a.len().max(b.len()) + 10;
    is_alike && span(a) != 0.0 && (span(a) > 0.0) == (span(b) > 0.0)
}
