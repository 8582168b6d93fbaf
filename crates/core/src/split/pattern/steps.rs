//! Rows of several lines of a pattern: `{then}` stands between the kinds of lines that follow one another.

use super::{Part, Pattern};
use crate::Stamp;
use crate::split::outcome::Sink;

/// A row of several lines that is being put together.
#[derive(Clone, Debug)]
pub(in crate::split) struct StepRow {
    /// The step of each column.
    steps: Vec<usize>,
    last: usize,
    values: Vec<f64>,
    /// The step that came last, while a row is under way.
    at: Option<(usize, Stamp)>,
    /// No row has begun since the source was opened or the link was broken.
    is_joining: bool,
    /// Damaged lines since the last whole one.
    damaged: usize,
}

impl Pattern {
    /// Whether rows have several lines.
    pub(in crate::split) fn has_steps(&self) -> bool {
        self.forms.iter().any(|form| form.step > 0)
    }
}

impl StepRow {
    pub(in crate::split) fn new(pattern: &Pattern) -> StepRow {
        let mut steps = vec![0; pattern.columns()];
        for form in &pattern.forms {
            for part in &form.parts {
                if let Part::Field(column) = part {
                    steps[*column] = form.step;
                }
            }
        }
        let last = pattern.forms.iter().map(|form| form.step).max().unwrap_or(0);
        StepRow { steps, last, values: vec![f64::NAN; pattern.columns()], at: None, is_joining: false, damaged: 0 }
    }

    /// What comes next does not follow from what came before: a row that is under way is not given, nor the rest of one that began before.
    pub(in crate::split) fn break_off(&mut self) {
        self.values.fill(f64::NAN);
        (self.at, self.is_joining, self.damaged) = (None, true, 0);
    }

    /// Takes the values of a line, of which the columns `filled` are set.
    pub(in crate::split) fn take(&mut self, at: Stamp, filled: u64, values: &[f64], sink: &mut impl Sink) {
        let step = self.steps.get(filled.trailing_zeros() as usize).copied().unwrap_or(0);
        // Where more lines are damaged than are missing, one of them was the beginning of a row.
        let damaged = std::mem::take(&mut self.damaged);
        if self.at.is_some_and(|(before, _)| step <= before + damaged) {
            self.finish(sink);
        }
        self.is_joining &= step > 0;
        for (column, value) in values.iter().enumerate().filter(|(column, _)| filled >> column & 1 == 1) {
            self.values[column] = *value;
        }
        self.at = Some((step, at));
        if step == self.last {
            self.finish(sink);
        }
    }

    /// A line was damaged, which may be one of a row.
    pub(in crate::split) fn miss(&mut self) {
        self.damaged += 1;
    }

    /// The row that is under way is over; one whose beginning was never seen is not given.
    pub(in crate::split) fn finish(&mut self, sink: &mut impl Sink) {
        if let Some((_, at)) = self.at.take()
            && !std::mem::take(&mut self.is_joining)
        {
            sink.row(at, &self.values);
        }
        self.values.fill(f64::NAN);
    }
}
