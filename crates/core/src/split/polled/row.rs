//! Answers to rows.

use super::Polled;
use crate::Stamp;
use crate::split::clean::clean;
use crate::split::number::{Number, scan_number};
use crate::split::outcome::{LineOutcome, Rejection, Sink};
use crate::split::value::is_gap;

/// A row that is being put together: a round of answers.
#[derive(Clone, Debug, Default)]
pub(in crate::split) struct PolledRow {
    values: Vec<f64>,
    filled: bool,
    /// When the last answer came.
    at: Stamp,
    /// The question that was asked last, and when, until it is answered.
    asked: Option<(usize, Stamp)>,
    /// The finest step of each column.
    pub(in crate::split) decimals: Vec<u8>,
}

impl PolledRow {
    /// What comes next does not follow from what came before.
    pub(in crate::split) fn break_off(&mut self) {
        let decimals = std::mem::take(&mut self.decimals);
        *self = PolledRow { decimals, ..PolledRow::default() };
    }

    /// These bytes were sent at `at`.
    pub(in crate::split) fn sent(&mut self, polled: &Polled, at: Stamp, bytes: &[u8], sink: &mut impl Sink) {
        let Some(question) = polled.question_of(bytes) else { return };
        // A new round: answers that are missing were not given.
        if question == 0 {
            self.give(polled, sink);
        }
        self.asked = Some((question, at));
    }

    fn give(&mut self, polled: &Polled, sink: &mut impl Sink) {
        if std::mem::take(&mut self.filled) {
            sink.row(self.at, &self.values);
        }
        self.values.clear();
        self.values.resize(polled.names().len(), f64::NAN);
    }

    /// Takes a line; gives whether it fits, where it should.
    pub(in crate::split) fn take(
        &mut self,
        polled: &Polled,
        at: Stamp,
        line: &[u8],
        sink: &mut impl Sink,
    ) -> Option<bool> {
        self.decimals.resize(polled.names().len(), 0);
        let Some(text) = clean(line) else {
            sink.line(at, LineOutcome::Rejected(Rejection::Unreadable), line);
            return Some(false);
        };
        let Some((question, asked)) = self.asked else {
            sink.line(at, LineOutcome::Message, line);
            return None;
        };
        // The board may repeat what it was asked.
        if polled.question_of(&text) == Some(question) {
            sink.line(at, LineOutcome::Message, line);
            return None;
        }
        self.asked = None;
        let first = polled.first_column(question);
        let names = polled.questions[question].names.len();
        let numbers = numbers(&text);
        let why = match numbers.len() {
            _ if at.seconds_since(asked) > polled.timeout => Rejection::Late,
            0 => Rejection::NotANumber,
            count if count != names => Rejection::FieldCount,
            _ => {
                if self.values.len() != polled.names().len() {
                    self.give(polled, sink);
                }
                for (i, number) in numbers.iter().enumerate() {
                    self.values[first + i] = number.value;
                    self.decimals[first + i] = self.decimals[first + i].max(number.decimals);
                }
                (self.filled, self.at) = (true, at);
                sink.line(at, LineOutcome::Row(first as u8), line);
                if question + 1 == polled.questions.len() {
                    self.give(polled, sink);
                }
                return Some(true);
            }
        };
        sink.line(at, LineOutcome::Rejected(why), line);
        Some(false)
    }
}

/// The numbers of an answer, with units behind them or not; words are left out, but for those that say that there is no reading.
fn numbers(line: &[u8]) -> Vec<Number> {
    let words = line.split(|b| matches!(b, b',' | b';' | b' ' | b'\t')).filter(|word| !word.is_empty());
    let number = |word: &[u8]| match scan_number(word) {
        Some((number, used))
            if word[used..].iter().all(|b| b.is_ascii_alphabetic() || matches!(b, b'%' | b'/') || *b >= 0x80) =>
        {
            Some(number)
        }
        _ => is_gap(word).then_some(Number { value: f64::NAN, decimals: 0 }),
    };
    words.filter_map(number).collect()
}
