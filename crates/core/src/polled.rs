//! Boards and instruments that only answer: a question is sent every so often, and its answer read. Bytes in, bytes out, with the
//! time passed in.

use crate::Stamp;
use crate::split::{MAX_FIELDS, NotAShape};
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
    fn bytes(&self, question: usize) -> Vec<u8> {
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

/// Seconds from the opening to the first question: many boards start anew then.
const START: f64 = 1.0;

/// Asks, and waits for the answers.
#[derive(Clone, Debug)]
pub struct Poller {
    polled: Polled,
    /// The question that is asked next, or waits for its answer since a moment.
    question: usize,
    asked_at: Option<Stamp>,
    /// Nothing is asked before.
    next: Stamp,
    /// When the round began.
    round: Stamp,
    /// The line that is under way.
    line: Vec<u8>,
    asked: u64,
    answered: u64,
    late: u64,
}

/// The most that is kept of a line, to tell it from an echo of the question.
const LINE: usize = 256;

impl Poller {
    /// Asks these questions from `now` on.
    pub fn new(polled: Polled, now: Stamp) -> Poller {
        let next = now.plus(START);
        Poller {
            polled,
            question: 0,
            asked_at: None,
            next,
            round: next,
            line: Vec::new(),
            asked: 0,
            answered: 0,
            late: 0,
        }
    }

    /// What it asks.
    pub fn polled(&self) -> &Polled {
        &self.polled
    }

    /// Questions that were asked, those that were answered in time, and those that were not.
    pub fn counts(&self) -> (u64, u64, u64) {
        (self.asked, self.answered, self.late)
    }

    /// The link was opened at `now`: the round begins anew.
    pub fn opened(&mut self, now: Stamp) {
        let (asked, answered, late) = self.counts();
        *self = Poller { asked, answered, late, ..Poller::new(self.polled.clone(), now) };
    }

    /// Takes what came at `at`.
    pub fn hear(&mut self, at: Stamp, bytes: &[u8]) {
        for byte in bytes {
            if !matches!(byte, b'\n' | b'\r') {
                if self.line.len() < LINE {
                    self.line.push(*byte);
                }
                continue;
            }
            let line = std::mem::take(&mut self.line);
            let is_echo = line.trim_ascii() == self.polled.bytes(self.question).trim_ascii();
            if line.trim_ascii().is_empty() || is_echo || self.asked_at.is_none() {
                continue;
            }
            self.answered += 1;
            self.go_on(at);
        }
    }

    /// The next question, at once within a round.
    fn go_on(&mut self, at: Stamp) {
        self.asked_at = None;
        self.question += 1;
        self.next = at;
        if self.question == self.polled.questions.len() {
            self.question = 0;
            self.round = self.round.plus(self.polled.every);
            // What took longer than a round is not made up for.
            self.round = self.round.max(at);
            self.next = self.round;
        }
    }

    /// When something is to be done next.
    pub fn due(&self) -> Stamp {
        self.asked_at.map_or(self.next, |asked| asked.plus(self.polled.timeout))
    }

    /// What is to be sent by `now`.
    pub fn poll(&mut self, now: Stamp) -> Option<Vec<u8>> {
        if let Some(asked) = self.asked_at {
            if now.seconds_since(asked) < self.polled.timeout {
                return None;
            }
            self.late += 1;
            self.line.clear();
            self.go_on(now);
            // An answer that comes late must not be taken for one to the next question.
            self.next = self.next.max(now.plus(self.polled.timeout));
        }
        if now < self.next {
            return None;
        }
        self.asked += 1;
        self.asked_at = Some(now);
        Some(self.polled.bytes(self.question))
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

    #[test]
    fn each_question_waits_for_its_answer_or_its_time_and_all_are_counted() {
        let at = |milliseconds: i64| Stamp(milliseconds * 1_000_000);
        let mut poller = Poller::new("every 1 timeout 0.2 | a: A? | b: B?".parse().unwrap(), at(0));
        assert_eq!(poller.poll(at(500)), None);
        assert_eq!(poller.poll(at(1000)).as_deref(), Some(&b"A?\n"[..]));
        assert_eq!(poller.poll(at(1100)), None, "it waits");
        poller.hear(at(1100), b"A?\r\n7\r");
        assert_eq!(poller.poll(at(1110)).as_deref(), Some(&b"B?\n"[..]), "an echo is no answer");
        assert_eq!(poller.poll(at(1320)), None, "late, and what comes now is not an answer to the next");
        poller.hear(at(1400), b"late\n");
        assert_eq!(poller.poll(at(2000)).as_deref(), Some(&b"A?\n"[..]), "the round begins when it is due");
        assert_eq!(poller.counts(), (3, 1, 1));
    }
}
