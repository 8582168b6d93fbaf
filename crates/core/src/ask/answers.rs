//! Answers of which bytes may be lost: a question is asked again until each part of its answer came twice alike.

use crate::split::pins::message::CAPABILITIES;

/// Answers that are held, the newest.
const MOST: usize = 16;

/// The answers to one question.
#[derive(Clone, Debug, Default)]
pub(super) struct Answers {
    held: Vec<Vec<u8>>,
    /// All that came.
    pub(super) count: usize,
}

/// The parts of an answer, each of which tells itself where it ends: what one pin can do; else all of it.
fn parts(answer: &[u8]) -> Vec<&[u8]> {
    match answer {
        [CAPABILITIES, rest @ ..] => rest.split_inclusive(|byte| *byte == 0x7f).collect(),
        _ => vec![answer],
    }
}

/// Whether a part is whole, as far as it tells itself: modes come in pairs, none twice, and end.
fn is_sound(answer: &[u8], part: &[u8]) -> bool {
    let ([CAPABILITIES, ..], [modes @ .., 0x7f]) = (answer, part) else { return answer.first() != Some(&CAPABILITIES) };
    let modes: Vec<&[u8]> = modes.chunks(2).collect();
    let is_new = |at: usize| modes[..at].iter().all(|other| other[0] != modes[at][0]);
    modes.iter().all(|mode| mode.len() == 2) && (0..modes.len()).all(is_new)
}

impl Answers {
    /// Takes an answer; gives the whole one, once each of its parts came twice alike in answers of the most parts, or where it is
    /// what was believed `before`.
    pub(super) fn take(&mut self, answer: &[u8], before: &[u8]) -> Option<Vec<u8>> {
        self.count += 1;
        if answer == before {
            return Some(answer.to_vec());
        }
        if self.held.len() == MOST {
            self.held.remove(0);
        }
        self.held.push(answer.to_vec());
        // Bytes are lost, none are added: fewer parts are joined ones.
        let length = self.held.iter().map(|held| parts(held).len()).max()?;
        let alike: Vec<Vec<&[u8]>> =
            self.held.iter().map(|held| parts(held)).filter(|own| own.len() == length).collect();
        let whole = (0..length).map(|at| {
            let is_told =
                |part: &&[u8]| is_sound(answer, part) && alike.iter().filter(|other| other[at] == *part).count() >= 2;
            alike.iter().map(|own| own[at]).find(is_told)
        });
        let whole = whole.collect::<Option<Vec<&[u8]>>>()?.concat();
        Some(if let [CAPABILITIES, ..] = answer { [&[CAPABILITIES], &whole[..]].concat() } else { whole })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_pins_can_do_is_put_together_from_answers_none_of_which_is_whole() {
        let whole = [&[CAPABILITIES][..], &[0, 1, 1, 1, 0x7f, 0x7f, 0, 1, 2, 10, 0x7f, 0, 1, 3, 8, 0x7f]].concat();
        let without = |lost: usize| [&whole[..lost], &whole[lost + 1..]].concat();
        let mut answers = Answers::default();
        assert_eq!(answers.take(&without(2), &[]), None);
        assert_eq!(answers.take(&without(9), &[]), None);
        // A lost end joins two pins, which then can the same twice.
        assert_eq!(answers.take(&without(11), &[]), None);
        assert_eq!(answers.take(&without(13), &[]), Some(whole.clone()));
        // One end of two in a row is lost, which leaves a sound answer for one pin less.
        let mut answers = Answers::default();
        let taken =
            [without(5), whole.clone(), without(6), without(6), whole.clone()].map(|own| answers.take(&own, &[]));
        assert_eq!(taken, [None, None, None, None, Some(whole.clone())]);
        assert_eq!(Answers::default().take(&whole, &whole), Some(whole.clone()), "what is known is confirmed by one");
        let mut answers = Answers::default();
        assert_eq!((answers.take(&[0x6a, 1, 2], &[]), answers.take(&[0x6a, 2], &[])), (None, None));
        assert_eq!(answers.take(&[0x6a, 1, 2], &[]), Some(vec![0x6a, 1, 2]));
    }
}
