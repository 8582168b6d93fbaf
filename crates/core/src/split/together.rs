//! The first lines that fitted and the last ones looked at together, once a shape is in force: where some do not fit, or are
//! not fully read, a pattern may have all of them.

use super::clean::clean;
use super::doubts::Doubts;
use super::learn::{Learning, MOST_HELD};
use super::outcome::Sink;
use super::pattern::{self, Found, Pattern};
use super::read::Reader;
use super::shape::Shape;
use super::shape_reader::{DOUBTFUL, RIVALS, ShapeReader};

impl ShapeReader {
    /// Keeps a line among the last ones.
    pub(super) fn remember(&mut self, line: &[u8]) {
        if self.recent.len() == MOST_HELD {
            self.recent.pop_front();
        }
        self.recent.push_back(line.to_vec());
    }

    /// Looks at the last lines together for a pattern that has the fields in force, and reads those lines too that did not
    /// fit: a remark that came later, thousands set apart when there were thousands, a word that turned out to be a state and
    /// is a column behind the others. Whether it goes by that now.
    #[cold]
    pub(super) fn refine(&mut self, sink: &mut impl Sink) -> bool {
        self.unexplained += 1;
        if self.pinned || self.turns.is_some() || !self.is_decided() || !self.unexplained.is_multiple_of(RIVALS) {
            return false;
        }
        if !self.may_look_at(self.jointly()) {
            return false;
        }
        let Some(Found { pattern, rival: None }) = self.joint_pattern() else { return false };
        let Some(pattern) = self.with_own_columns(pattern) else { return false };
        let shape = Shape::Pattern(pattern);
        if shape == *self.reader.shape() {
            return false;
        }
        self.reader.refine(shape);
        self.rivals = 0;
        self.rival = Learning::default();
        self.recent.clear();
        (self.proposal, self.other, self.doubts) = (None, None, Doubts::default());
        sink.shape(self.reader.shape());
        true
    }

    /// Goes on weighing the two readings that a pattern has, with the last lines: now and then, and ever more rarely.
    #[cold]
    pub(super) fn weigh(&mut self, line: &[u8]) {
        self.remember(line);
        if !self.is_decided() || self.fits < u64::from(DOUBTFUL) * 2 || !self.fits.is_power_of_two() {
            return;
        }
        if !self.may_look_at(self.jointly()) {
            return;
        }
        let Some(Found { pattern, rival: None }) = self.joint_pattern() else { return };
        let shape = Shape::Pattern(pattern);
        if shape == *self.reader.shape() {
            self.other = None;
            self.recent.clear();
        } else if let Some(other) = self.other.as_mut().filter(|other| other.shape == shape) {
            other.why = "the lines that came later are of the other reading".into();
        }
    }

    /// `pattern` with the columns in force in front, under their names, and what it has beyond them behind; `None` where one of
    /// them is not there. They are known by their values on the first lines.
    fn with_own_columns(&self, pattern: Pattern) -> Option<Pattern> {
        let mut own = Reader::new(self.reader.shape().clone());
        let found = Shape::Pattern(pattern.clone());
        let mut other = Reader::new(found.clone());
        let mut rows = Vec::new();
        for line in &self.samples {
            let (mut a, mut b) = (vec![f64::NAN; own.shape().columns()], vec![f64::NAN; found.columns()]);
            if own.read(line, 0, &mut a).is_ok() && other.read(line, 0, &mut b).is_ok() {
                rows.push((a, b));
            }
        }
        let same = |i: usize, j: usize| {
            rows.iter().all(|(a, b)| a[i] == b[j] || (a[i].is_nan() && b[j].is_nan()))
                && rows.iter().any(|(a, _)| !a[i].is_nan())
        };
        let mut order: Vec<usize> = Vec::new();
        for i in 0..own.shape().columns() {
            let free = |j: &usize| !order.contains(j) && same(i, *j);
            order.push((i..found.columns()).chain(0..i).find(free)?);
        }
        let names: Vec<String> = (0..order.len()).map(|i| own.shape().label(i)).collect();
        let mut pattern = pattern.ordered(&order, &names);
        (0..order.len()).for_each(|i| pattern.keep_codes(i, own.shape().codes(i)));
        Some(pattern)
    }

    /// How many lines these are.
    pub(super) fn jointly(&self) -> usize {
        self.samples.len() + self.recent.len()
    }

    /// The pattern of the first lines that fitted and the last lines together, where most are of it.
    pub(super) fn joint_pattern(&self) -> Option<Found> {
        let texts: Vec<_> = self.samples.iter().chain(&self.recent).filter_map(|line| clean(line)).collect();
        let texts: Vec<&[u8]> = texts.iter().map(AsRef::as_ref).collect();
        let found = pattern::find(&texts, None)?;
        let reads = |line: &&&[u8]| found.pattern.reads(line);
        (self.samples.iter().filter(|line| found.pattern.reads(line)).count() * 2 >= self.samples.len()
            && texts.iter().filter(reads).count() * 10 >= texts.len() * 8)
            .then_some(found)
    }
}
