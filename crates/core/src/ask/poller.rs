//! Questions that are sent every so often to a board that only answers.

use crate::Stamp;
use crate::split::polled::Polled;

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
