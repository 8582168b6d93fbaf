//! What was received and what became of it, so that nothing is lost without being said.

use crate::split::{LineOutcome, Rejection};

/// Bytes over which readability is judged; older ones count half each time as many have come.
const JUDGED: u64 = 1024;

/// Running totals since the start.
#[derive(Clone, Debug, Default)]
pub struct Counts {
    /// Bytes received.
    pub bytes: u64,
    /// Bytes received elsewhere and never seen here, because there was no time for them.
    pub skipped: u64,
    /// Bytes heard while the speed was being found, and kept nowhere.
    pub unkept: u64,
    /// News of the link that were not told one by one, because there was no time for them.
    pub merged: u64,
    /// Bytes sent to the board.
    pub sent: u64,
    /// Bytes of unfinished lines that were given up at a break.
    pub cut_off: u64,
    /// Rows.
    pub rows: u64,
    /// Lines that became rows or parts of rows.
    pub lines: u64,
    /// The board's own words, in lines.
    pub messages: u64,
    /// Lines whose beginning was not seen.
    pub half: u64,
    /// Rejected lines by reason, in the order of [`Rejection::ALL`].
    by_reason: [u64; Rejection::ALL.len()],
    text: u64,
    other: u64,
}

impl Counts {
    /// All rejected lines.
    pub fn rejected(&self) -> u64 {
        self.by_reason.iter().sum()
    }

    /// The reasons that occurred, with their counts.
    pub fn reasons(&self) -> impl Iterator<Item = (Rejection, u64)> + '_ {
        Rejection::ALL.into_iter().zip(self.by_reason).filter(|(_, count)| *count > 0)
    }

    /// So many lines came of which this became.
    #[inline]
    pub(super) fn lines(&mut self, outcome: LineOutcome, count: u64) {
        match outcome {
            LineOutcome::Row(_) => self.lines += count,
            LineOutcome::Message => self.messages += count,
            LineOutcome::Half => self.half += count,
            LineOutcome::Rejected(why) => self.by_reason[why as usize] += count,
            LineOutcome::Sent => {}
        }
    }

    pub(super) fn receive(&mut self, bytes: &[u8]) {
        self.bytes += bytes.len() as u64;
        let is_text = |b: &u8| u8::from(matches!(b, b' '..=b'~' | b'\t' | b'\r' | b'\n'));
        // Few enough at once for a sum of one byte, so that the compiler does many at once.
        let text = bytes.chunks(255).map(|part| u64::from(part.iter().map(is_text).sum::<u8>())).sum::<u64>();
        self.text += text;
        self.other += bytes.len() as u64 - text;
        while self.text + self.other > JUDGED {
            self.text /= 2;
            self.other /= 2;
        }
    }

    /// Begins to count lines and rows anew; what was received stays counted.
    pub(super) fn recount_lines(&self) -> Counts {
        self.with_lines_of(&Counts::default())
    }

    /// The same with lines and rows as `other` counted them.
    pub(super) fn with_lines_of(&self, other: &Counts) -> Counts {
        let Counts { rows, lines, messages, half, by_reason, .. } = *other;
        Counts { rows, lines, messages, half, by_reason, ..self.clone() }
    }

    pub(super) fn judge_afresh(&mut self) {
        (self.text, self.other) = (0, 0);
    }

    /// The share of recent bytes that are not text, when it is above a quarter of at least 64 bytes.
    pub(super) fn unreadable(&self) -> Option<f64> {
        let judged = self.text + self.other;
        let share = self.other as f64 / judged.max(1) as f64;
        (judged >= 64 && share > 0.25).then_some(share)
    }
}
