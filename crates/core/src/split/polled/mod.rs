//! Boards and instruments that only answer: [`Polled`] is what is asked, and what the answers hold; they are read by what was asked
//! before. [`crate::ask`] sends the questions.

mod row;

pub(super) use row::PolledRow;

use super::{MAX_FIELDS, NotAShape};
use crate::talk::{Ending, encode};
use std::fmt;
use std::str::FromStr;

/// A question, and what its answer holds.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Question {
    /// The names of the values of its answer, in their order.
    pub names: Vec<String>,
    /// What is sent, without its ending.
    pub text: String,
}

/// What is asked, as typed: `every 0.5 timeout 0.2 cr | volts: MEAS:VOLT? | temp,hum: READ?`.
#[derive(Clone, Debug, PartialEq)]
pub struct Polled {
    /// Seconds between two rounds of questions, 0.01 to 86400.
    pub every: f64,
    /// Seconds within which an answer must have come, 0.01 to 60.
    pub timeout: f64,
    /// What is put behind each question.
    pub ending: Ending,
    /// The questions, in the order in which they are asked.
    pub questions: Vec<Question>,
    names: Vec<String>,
}

const EVERY: f64 = 0.5;
const TIMEOUT: f64 = 0.3;

/// The endings by the words for them.
const ENDINGS: [(&str, Ending); 4] =
    [("lf", Ending::Lf), ("cr", Ending::Cr), ("crlf", Ending::CrLf), ("no-ending", Ending::None)];

impl Polled {
    /// The names of the columns.
    pub fn names(&self) -> &[String] {
        &self.names
    }

    /// The first column of a question.
    pub(crate) fn first_column(&self, question: usize) -> usize {
        self.questions[..question].iter().map(|question| question.names.len()).sum()
    }

    /// The bytes of a question.
    pub(crate) fn bytes(&self, question: usize) -> Vec<u8> {
        // It was read once, when it was typed.
        encode(&self.questions[question].text, self.ending).unwrap_or_default()
    }

    /// The question that these bytes are, endings left out of account.
    pub(crate) fn question_of(&self, sent: &[u8]) -> Option<usize> {
        (0..self.questions.len()).find(|question| self.bytes(*question).trim_ascii() == sent.trim_ascii())
    }

    /// One sentence for a person.
    pub fn sentence(&self) -> String {
        let count = |count: usize, noun: &str| format!("{count} {noun}{}", if count == 1 { "" } else { "s" });
        let (questions, fields) = (count(self.questions.len(), "question"), count(self.names.len(), "field"));
        format!("answers to {questions}, {fields}, every {} s", self.every)
    }
}

impl fmt::Display for Polled {
    fn fmt(&self, to: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(to, "every {} timeout {}", self.every, self.timeout)?;
        if let Some((word, _)) = ENDINGS.iter().find(|(_, ending)| *ending == self.ending && *ending != Ending::Lf) {
            write!(to, " {word}")?;
        }
        self.questions.iter().try_for_each(|question| write!(to, " | {}: {}", question.names.join(","), question.text))
    }
}

impl FromStr for Polled {
    type Err = NotAShape;

    fn from_str(text: &str) -> Result<Polled, NotAShape> {
        let wrong = |text: String| Err(NotAShape::new(text));
        let mut parts = text.split('|').map(str::trim);
        let mut polled =
            Polled { every: EVERY, timeout: TIMEOUT, ending: Ending::Lf, questions: Vec::new(), names: Vec::new() };
        let mut words = parts.next().unwrap_or_default().split_whitespace();
        while let Some(word) = words.next() {
            let mut seconds = |range: std::ops::RangeInclusive<f64>| {
                let said = words.next().and_then(|word| word.parse::<f64>().ok()).filter(|said| range.contains(said));
                said.ok_or_else(|| {
                    NotAShape::new(format!("type {} to {} seconds behind '{word}'", range.start(), range.end()))
                })
            };
            match word {
                "every" => polled.every = seconds(0.01..=86_400.0)?,
                "timeout" => polled.timeout = seconds(0.01..=60.0)?,
                _ => match ENDINGS.iter().find(|(known, _)| *known == word) {
                    Some((_, ending)) => polled.ending = *ending,
                    None => {
                        return wrong(format!(
                            "'{word}' is not known here: type every, timeout, lf, cr, crlf or no-ending, then | and questions, as in: polled every 0.5 timeout 0.2 | volts: MEAS:VOLT?"
                        ));
                    }
                },
            }
        }
        for part in parts {
            let Some((names, text)) =
                part.split_once(": ").filter(|(names, text)| !names.is_empty() && !text.is_empty())
            else {
                return wrong(format!(
                    "'{part}' is no question: type the names of its values, a colon, and what is sent, as in temp,hum: READ?"
                ));
            };
            encode(text, polled.ending).map_err(NotAShape::new)?;
            let names: Vec<String> = names.split(',').map(|name| name.trim().replace(' ', "_")).collect();
            if let Some(name) = names.iter().find(|name| name.is_empty() || name.chars().any(char::is_control)) {
                return wrong(format!("'{name}' is no name"));
            }
            polled.questions.push(Question { names, text: text.trim().to_owned() });
        }
        let names: Vec<String> = polled.questions.iter().flat_map(|question| question.names.clone()).collect();
        if let Some(twice) = (1..names.len()).find(|i| names[..*i].contains(&names[*i])) {
            return wrong(format!("'{}' appears twice", names[twice]));
        }
        if !(1..=MAX_FIELDS).contains(&names.len()) {
            return wrong(format!(
                "type 1 to {MAX_FIELDS} values, as in: polled every 0.5 timeout 0.2 | volts: MEAS:VOLT?"
            ));
        }
        polled.names = names;
        Ok(polled)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn questions_are_typed_as_they_are_shown_and_mistakes_are_explained() {
        let text = "every 0.5 timeout 0.2 crlf | volts: MEAS:VOLT? (@101) | temp,hum: READ?";
        let polled: Polled = text.parse().unwrap();
        assert_eq!((polled.to_string().as_str(), polled.names().len()), (text, 3));
        assert_eq!(polled.question_of(b"READ?\r\n"), Some(1));
        for (text, part) in [
            ("", "1 to 64 values"),
            ("every 0 | a: b", "0.01 to 86400"),
            ("soon | a: b", "not known here"),
            ("| a", "no question"),
            ("| a: x | a: y", "twice"),
            ("| a,: x", "no name"),
            ("| a: \\q", "type"),
        ] {
            let said = text.parse::<Polled>().unwrap_err().to_string();
            assert!(said.contains(part), "{text}: {said}");
        }
    }
}
