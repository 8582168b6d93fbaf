//! The codec of `gaps.csv`: when and why nothing arrived, or not all was kept.

use super::csv_row;
use super::when::{self, iso8601};
use crate::clock::ClockNote;
use crate::link::LinkState;
use amber_core::Stamp;
use amber_core::clock::Opening;
use amber_core::tail::visible;

/// The header row.
pub(super) const HEADER: &[u8] = b"time_s,wall_clock,offset,event,note\r\n";

/// Something that the readings have a gap for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Gap {
    /// The link was lost, and why.
    Lost(String),
    /// The port was lent to another program.
    Lent,
    /// The link is open again.
    Resumed,
    /// What comes next does not follow from what came before, though the link was not lost.
    Break,
    /// So many bytes arrived and were not kept, while the baud rate was detected.
    Unkept(u64),
    /// So many bytes were heard at a baud rate that was wrong: they are kept, and not read.
    Unread(u64),
    /// Something happened to the host's clocks.
    Clock(ClockNote),
}

impl Gap {
    /// The gap as a row, at `at`, when `offset` bytes had arrived in a take that started at `start`.
    pub(super) fn row(&self, start: Stamp, at: Stamp, offset: u64) -> Vec<u8> {
        let (event, note) = match self {
            Gap::Lost(why) => ("lost", visible(why.as_bytes())),
            Gap::Lent => ("lent", String::new()),
            Gap::Resumed => ("resumed", String::new()),
            Gap::Break => ("break", String::new()),
            Gap::Unread(bytes) => ("not read", format!("{bytes} bytes came at wrong baud rates while it was detected")),
            Gap::Unkept(bytes) => ("not kept", format!("{bytes} bytes")),
            Gap::Clock(note @ ClockNote::Suspended(_)) => ("suspended", note.words()),
            Gap::Clock(note) => ("clock", note.words()),
        };
        let mut seconds = Vec::new();
        when::seconds(at.0 - start.0, &mut seconds);
        let offset = offset.to_string().into_bytes();
        csv_row(&[seconds, iso8601(at).into_bytes(), offset, event.into(), note.into_bytes()])
    }
}

/// How the link stands, as far as a take has a gap for it.
#[derive(Debug, Default)]
pub(super) struct Gaps {
    /// Why it is down, and since when, while it is.
    down: Option<(Stamp, Gap)>,
}

impl Gaps {
    /// The link stands like this from `at` on; gives what a running take is to say of it.
    pub(super) fn state(&mut self, at: Stamp, state: &LinkState) -> Option<Gap> {
        let gap = match state {
            LinkState::Waiting { problem, .. } => Gap::Lost(problem.to_string()),
            LinkState::Lent { .. } => Gap::Lent,
            _ => return None,
        };
        // Each try that fails says so again, perhaps with another reason.
        let is_news = self.down.as_ref().is_none_or(|(_, down)| (*down == Gap::Lent) != (gap == Gap::Lent));
        is_news.then(|| {
            self.down = Some((at, gap.clone()));
            gap
        })
    }

    /// The source was opened.
    pub(super) fn opened(&mut self, opening: Opening) -> Option<Gap> {
        match (self.down.take(), opening) {
            (Some(_), _) => Some(Gap::Resumed),
            (None, Opening::Link) => Some(Gap::Break),
            (None, _) => None,
        }
    }

    /// Why the link is down, and since when, for a take that begins meanwhile.
    pub(super) fn down(&self) -> Option<&(Stamp, Gap)> {
        self.down.as_ref()
    }
}

/// The rows of the table that make sense, and how many do not.
pub(super) fn rows(text: &[u8]) -> (usize, u64) {
    let (found, lost) = super::read_rows(text, |row| {
        let (seconds, event) = (row.get(0)?.parse::<f64>().ok()?, row.get(4).and(row.get(3))?);
        seconds.is_finite().then(|| event.to_owned())
    });
    (found.len(), lost)
}
