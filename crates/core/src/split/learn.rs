//! Finding the shape from the first lines and their stamps, so that the same bytes with the same stamps always give the
//! same shape.

use super::header::{Header, header_of, units_of};
use super::line_shape::{LineShape, form_of};
use super::number::number;
use super::pattern::{self, Found};
use super::shape::{Delimiter, Labels, MAX_FIELDS, Plain, Shape, bare_text};
use super::turns::longest_pause;
use crate::Stamp;

/// How many lines wait for a decision before the oldest is given up.
pub(super) const MOST_HELD: usize = 64;

/// Lines after which these are looked at together.
const SURVEY: usize = 8;

/// Lines with differing labels that are taken as a stream of optional labels.
const VARIED_LINES: usize = 6;

/// Such lines after which no more is waited for.
const MOST_VARIED: usize = 40;

/// A line that waits for the shape.
#[derive(Clone, Debug)]
pub(super) struct WaitingLine {
    pub(super) at: Stamp,
    pub(super) half: bool,
    pub(super) line: Vec<u8>,
    form: Option<LineShape>,
}

/// The lines so far, and what each could be.
#[derive(Clone, Debug, Default)]
pub(super) struct Learning {
    pub(super) held: Vec<WaitingLine>,
    pub(super) header: Option<Header>,
}

impl Learning {
    /// Takes note of a line without numbers: it may name the columns of those that follow, or say their units.
    pub(super) fn hear(&mut self, line: &[u8]) {
        if let Some(header) = &mut self.header
            && let Some(units) = units_of(header, line)
        {
            header.units = units;
            return;
        }
        self.header = header_of(line).or(self.header.take());
    }

    /// Holds a line that carries numbers; gives the shape as soon as the lines held agree on one.
    pub(super) fn hold(&mut self, at: Stamp, half: bool, line: &[u8]) -> Option<Shape> {
        let form = form_of(line);
        if form.is_none() {
            self.hear(line);
        }
        self.held.push(WaitingLine { at, half, line: line.to_vec(), form });
        self.decide()
    }

    /// Whether it is time to look for the pattern of the lines held.
    pub(super) fn is_survey_due(&self) -> bool {
        self.held.len().is_multiple_of(SURVEY)
    }

    /// The pattern of the lines held.
    pub(super) fn survey(&self) -> Option<Shape> {
        let lines: Vec<&[u8]> = self.held.iter().filter(|held| !held.half).map(|held| held.line.as_slice()).collect();
        // What has two readings is no better than what is in force.
        let Found { pattern, rival } = pattern::find(&lines, self.header.as_ref())?;
        rival.is_none().then_some(Shape::Pattern(pattern))
    }

    /// The forms of lines that have a say, newest first: the first line after opening may lack its beginning.
    fn forms(&self) -> impl Iterator<Item = &LineShape> {
        self.held.iter().rev().filter(|held| !held.half).filter_map(|held| held.form.as_ref())
    }

    /// The shape on which the newest lines agree.
    pub(super) fn decide(&self) -> Option<Shape> {
        let newest = self.forms().next()?;
        if newest.single().is_some() {
            return self.stacked().or_else(|| self.agreed(newest));
        }
        match (&newest.shape, self.agreed(newest)) {
            (Shape::Plain(_), Some(Shape::Plain(plain))) => Some(Shape::Plain(self.completed(plain))),
            (_, Some(shape)) => Some(shape),
            (Shape::Plain(_), None) => None,
            (_, None) => self.varied(newest),
        }
    }

    /// The newest form, when enough lines in a row have it.
    fn agreed(&self, newest: &LineShape) -> Option<Shape> {
        let alike = self.forms().take_while(|form| form.like(newest)).count();
        (alike >= newest.needed).then(|| newest.shape.clone())
    }

    /// Labelled lines that do not all carry the same labels.
    fn varied(&self, newest: &LineShape) -> Option<Shape> {
        let mut shape = newest.shape.clone();
        let union: &mut Labels = shape.labels_mut()?;
        *union = Labels::default();
        let (mut lines, mut singles) = (0, 0);
        for held in self.held.iter().filter(|held| !held.half) {
            let Some(form) = held.form.as_ref().filter(|form| form.kind_like(newest)) else { continue };
            let Some(labels) = form.shape.labels() else { continue };
            lines += usize::from(form.needed <= newest.needed);
            singles += usize::from(form.single().is_some());
            for (i, label) in labels.labels.iter().enumerate().filter(|_| form.needed <= newest.needed) {
                if !union.labels.contains(label) && union.labels.len() < MAX_FIELDS {
                    union.labels.push(label.clone());
                    union.units.push(labels.units.get(i).cloned().unwrap_or_default());
                }
            }
        }
        // Where units are not known, none is said to be there.
        if newest.shape.labels().is_some_and(|own| own.units.is_empty()) && union.units.iter().all(String::is_empty) {
            union.units.clear();
        }
        // Sentences with a number in them differ from line to line too; many single labels are rows on several lines.
        let convincing = lines >= VARIED_LINES && newest.needed == 2 && singles * 2 <= lines;
        // As long as each line brings something new, there is more to come.
        let convincing = convincing && (lines >= MOST_VARIED || self.is_known(newest));
        convincing.then_some(shape)
    }

    /// Whether lines before it had all that this form has.
    fn is_known(&self, newest: &LineShape) -> bool {
        let labels = |form: &LineShape| form.shape.labels().map_or(Vec::new(), |own| own.labels.clone());
        let before: Vec<String> = self.forms().skip(1).flat_map(labels).collect();
        labels(newest).iter().all(|label| before.contains(label))
    }

    /// One labelled field a line, twice around in the same order.
    fn stacked(&self) -> Option<Shape> {
        let mut forms: Vec<&LineShape> = self.forms().take_while(|form| form.single().is_some()).collect();
        forms.reverse();
        let labels: Vec<&str> = forms.iter().filter_map(|form| form.single()).collect();
        let newest = *labels.last()?;
        let before = labels[..labels.len() - 1].iter().rposition(|label| *label == newest)?;
        let turn = labels.len() - 1 - before;
        if turn < 2 || labels.len() < turn * 2 {
            return None;
        }
        let (last, previous) = (&labels[labels.len() - turn..], &labels[labels.len() - 2 * turn..labels.len() - turn]);
        let distinct = (1..turn).all(|i| !last[..i].contains(&last[i]));
        if last != previous || !distinct {
            return None;
        }
        // Where the turn begins: behind the pause; else with the first line that was seen, unless something came before
        // it, when an order of the alphabet is better than none, and doubted.
        let sorted = (0..turn).find(|first| (1..turn).all(|i| last[(first + i - 1) % turn] < last[(first + i) % turn]));
        let seen = (turn - labels.len() % turn) % turn;
        let joined = self.held.first().is_some_and(|held| held.half);
        let first = self.behind_the_pause(last).or(sorted.filter(|_| joined)).unwrap_or(seen);
        let labels: Vec<String> = (0..turn).map(|i| last[(first + i) % turn].to_owned()).collect();
        let unit = |label: &String| {
            let found = forms.iter().find(|form| form.single() == Some(label));
            found.map_or(String::new(), |form| form.shape.unit(0).to_owned())
        };
        let units: Vec<String> = labels.iter().map(unit).collect();
        let style = forms.first().and_then(|form| form.shape.labels()).map(Labels::style).unwrap_or_default();
        Some(Shape::PerLine(Labels {
            labels,
            complete: false,
            units,
            comma: style.comma,
            minus: style.minus,
            ..Labels::default()
        }))
    }

    /// The place in `turn` of the label before which there is a pause, when there is one.
    fn behind_the_pause(&self, turn: &[&str]) -> Option<usize> {
        let labelled: Vec<(&str, Stamp)> = (self.held.iter().filter(|held| !held.half))
            .filter_map(|held| Some((held.form.as_ref()?.single()?, held.at)))
            .collect();
        // The mean before each: some were seen once more often than others.
        let mean = |label: &&str| {
            let own = labelled.windows(2).filter(|pair| pair[1].0 == *label);
            let count = own.clone().count().max(1) as f64;
            own.map(|pair| pair[1].1.seconds_since(pair[0].1)).sum::<f64>() / count
        };
        longest_pause(&turn.iter().map(mean).collect::<Vec<f64>>())
    }

    /// What the other lines and the header say of plain numbers.
    fn completed(&self, mut plain: Plain) -> Plain {
        let alike = |held: &&WaitingLine| match held.form.as_ref().map(|form| &form.shape) {
            Some(Shape::Plain(other)) => other.delimiter == plain.delimiter,
            _ => false,
        };
        let lines: Vec<&WaitingLine> = self.held.iter().filter(alike).collect();
        let comma =
            |held: &&&WaitingLine| matches!(&held.form, Some(LineShape { shape: Shape::Plain(b), .. }) if b.comma);
        plain.comma |= lines.iter().any(|held| comma(&held));
        let header = self.header.as_ref().filter(|header| {
            // Names with blanks between are names of cells with tabs between, too.
            let blanks = |own: Delimiter| matches!(own, Delimiter::Spaces | Delimiter::Tab);
            let alike = header.delimiter == plain.delimiter || blanks(header.delimiter) && blanks(plain.delimiter);
            header.names.len() == plain.fields && (alike || plain.fields == 1)
        });
        if let Some(header) = header {
            plain.names.clone_from(&header.names);
            if header.units.iter().any(|unit| !unit.is_empty()) {
                plain.units.clone_from(&header.units);
            }
            let index = |held: &&WaitingLine| {
                let text = &held.line[bare_text(&held.line)];
                let cell = plain.delimiter.cells(text).next()?;
                Some(number(&text[cell])?.value)
            };
            let indexes: Vec<f64> = lines.iter().filter_map(index).collect();
            plain.indexed = plain.fields >= 3
                && indexes.first().is_some_and(|first| *first == 0.0 || *first == 1.0)
                && indexes.windows(2).all(|pair| pair[1] == pair[0] + 1.0);
        }
        plain
    }
}
