//! Whether a stream is text or binary frames, from its first bytes. They wait here until that is told.

use super::clean::clean;
use super::frames::{self, Found};
use crate::Stamp;

/// Text is looked for every so many bytes, and at each line end.
const STEP: usize = 64;

/// So many bytes up to a line end are text when the stream is.
const TEXT: usize = 32;

/// Fewer are text by accident.
const LEAST: usize = 8;

/// Frames are looked for among so many bytes.
const LOOKS: [usize; 5] = [256, 512, 1024, 2048, 4096];

/// Frames by which their fields are guessed.
const ENOUGH: usize = 32;

/// The first bytes of a stream.
#[derive(Clone, Debug, Default)]
pub(super) struct Probe {
    pub(super) bytes: Vec<u8>,
    /// Where each piece of them begins, and when it came.
    pub(super) pieces: Vec<(usize, Stamp)>,
}

/// What a stream is.
#[derive(Clone, Debug)]
pub(super) enum Verdict {
    /// Lines of text, or nothing that is known.
    Lines,
    /// Frames.
    Frames(Found),
}

impl Probe {
    /// Begins with bytes that came at `at`.
    pub(super) fn of(at: Stamp, bytes: Vec<u8>) -> Probe {
        Probe { bytes, pieces: vec![(0, at)] }
    }

    /// Takes bytes up to where there is something to be said; gives how many, and what is said.
    pub(super) fn take(&mut self, at: Stamp, bytes: &[u8]) -> (usize, Option<Verdict>) {
        let to_step = STEP - self.bytes.len() % STEP;
        let to_end = bytes.iter().position(|b| matches!(b, b'\n' | b'\r')).map_or(usize::MAX, |end| end + 1);
        let used = bytes.len().min(to_step).min(to_end);
        self.pieces.push((self.bytes.len(), at));
        self.bytes.extend_from_slice(&bytes[..used]);
        let is_step = self.bytes.len().is_multiple_of(STEP);
        let length = match used == to_end {
            true => Some(TEXT),
            false if is_step => Some(STEP),
            false => None,
        };
        if length.is_some_and(|length| self.is_text(length)) {
            return (used, Some(Verdict::Lines));
        }
        // It may have begun with a long line.
        let is_last = self.bytes.len() >= LOOKS[LOOKS.len() - 1];
        if is_last || LOOKS.contains(&self.bytes.len()) {
            // Few frames say little of what is in them.
            if let Some(found) = frames::find(&self.bytes).filter(|found| found.seen >= ENOUGH || is_last) {
                return (used, Some(Verdict::Frames(found)));
            }
            if is_last {
                return (used, Some(Verdict::Lines));
            }
        }
        (used, None)
    }

    /// No more comes.
    pub(super) fn end(&self) -> Verdict {
        frames::find(&self.bytes).map_or(Verdict::Lines, Verdict::Frames)
    }

    /// Whether the last `length` bytes, or all there are, are lines of text.
    fn is_text(&self, length: usize) -> bool {
        let last = &self.bytes[self.bytes.len().saturating_sub(length)..];
        let mut lines = last.split(|b| matches!(b, b'\n' | b'\r')).filter(|line| !line.is_empty()).peekable();
        last.len() >= LEAST && lines.peek().is_some() && lines.all(|line| clean(line).is_some())
    }
}
