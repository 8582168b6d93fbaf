//! What came of late, kept so that it can be part of a take that begins later.

use super::TakeError;
use super::gaps::Gap;
use super::wire::Event;
use super::writer::Writer;
use crate::publish::RowPublisher;
use amber_core::Stamp;
use amber_core::bench::{Bench, Split};
use amber_core::clock::Opening;
use amber_core::split::{Framing, LineFraming};
use std::collections::VecDeque;
use std::sync::Arc;

/// Something that a take takes note of.
#[derive(Clone, Debug)]
pub(super) enum Came {
    Chunk(Stamp, Arc<[u8]>),
    Opened { at: Stamp, opening: Opening, within: bool },
    Listening(Stamp, u32),
    Speed(Stamp, u32),
    Ended(Stamp),
    Sent(Stamp, Arc<[u8]>),
    Gap(Stamp, Gap),
}

impl Came {
    pub(super) fn at(&self) -> Stamp {
        match self {
            Came::Chunk(at, _) | Came::Opened { at, .. } | Came::Ended(at) | Came::Sent(at, _) | Came::Gap(at, _) => {
                *at
            }
            Came::Listening(at, _) | Came::Speed(at, _) => *at,
        }
    }

    /// Puts it into a take.
    pub(super) fn write(&self, writer: &mut Writer) -> Result<(), TakeError> {
        match self {
            Came::Chunk(at, bytes) => writer.chunk(*at, bytes)?,
            Came::Opened { at, opening, within } => {
                writer.event(*at, Event::Opened { opening: *opening, within: *within })?;
            }
            Came::Listening(at, baud) => writer.event(*at, Event::Listening(*baud))?,
            Came::Speed(at, baud) => writer.event(*at, Event::Speed(*baud))?,
            Came::Ended(at) => writer.event(*at, Event::Ended)?,
            Came::Sent(at, bytes) => writer.sent(*at, bytes)?,
            Came::Gap(at, gap) => writer.gap(*at, gap)?,
        }
        Ok(())
    }

    /// Gives it to who publishes.
    pub(super) fn publish(&self, to: &mut RowPublisher) {
        match self {
            Came::Chunk(at, bytes) => to.feed(*at, bytes),
            Came::Opened { at, opening, within } => to.apply(*at, Event::Opened { opening: *opening, within: *within }),
            Came::Listening(at, baud) => to.apply(*at, Event::Listening(*baud)),
            Came::Speed(at, baud) => to.apply(*at, Event::Speed(*baud)),
            Came::Ended(at) => to.apply(*at, Event::Ended),
            Came::Sent(at, bytes) => to.sent(*at, bytes),
            Came::Gap(..) => {}
        }
    }

    /// The memory that it takes, about.
    fn size(&self) -> usize {
        let own = match self {
            Came::Chunk(_, bytes) | Came::Sent(_, bytes) => bytes.len() + 32,
            Came::Gap(..) => 256,
            _ => 0,
        };
        size_of::<Came>() + own
    }
}

/// Where in the stream the next byte stands.
#[derive(Clone, Debug)]
pub(super) struct Unfinished {
    /// The line that is under way.
    pub(super) bytes: Vec<u8>,
    pub(super) at: Stamp,
    /// How the source was opened, and when, while nothing has come since; later, how a take that begins in its midst is
    /// to take it.
    opening: Opening,
    opened: Option<Stamp>,
    /// The beginning of the line is not there.
    within: bool,
    /// The baud rate at which bytes are heard while it is being detected.
    listening: Option<u32>,
}

impl Default for Unfinished {
    fn default() -> Unfinished {
        Unfinished {
            bytes: Vec::new(),
            at: Stamp(0),
            opening: Opening::Link,
            opened: None,
            within: true,
            listening: None,
        }
    }
}

impl Unfinished {
    /// This came.
    fn take(&mut self, came: &Came) {
        match came {
            Came::Chunk(at, bytes) => self.chunk(*at, bytes),
            Came::Opened { at, opening, within } => self.open(*at, *opening, *within),
            Came::Listening(at, baud) => {
                self.open(*at, Opening::Link, true);
                self.listening = Some(*baud);
            }
            // What was heard is read by who heard it; a take that begins now begins in the midst of what comes.
            Came::Speed(..) => self.listening = None,
            Came::Ended(_) | Came::Sent(..) | Came::Gap(..) => {}
        }
    }

    fn open(&mut self, at: Stamp, opening: Opening, within: bool) {
        if let Opening::Grows(_) = opening {
            self.opening = Opening::Link;
            return;
        }
        *self = Unfinished { opening, opened: Some(at), within, ..Unfinished::default() };
    }

    fn chunk(&mut self, at: Stamp, bytes: &[u8]) {
        self.opened = None;
        if let Opening::Text { arrives: false, .. } = self.opening {
            // What is added to a text from now on arrives.
            self.opening = Opening::Link;
        }
        let rest = match LineFraming::boundary(bytes) {
            None => bytes,
            Some(begin) => {
                self.bytes.clear();
                self.within = false;
                &bytes[begin..]
            }
        };
        if self.bytes.len() + rest.len() > LineFraming::LONGEST {
            self.bytes.clear();
            self.within = true;
        } else if !rest.is_empty() {
            self.bytes.extend_from_slice(rest);
            self.at = at;
        }
    }

    /// The same for who reads these settings: where frames or messages come, nothing tells where one begins, so that what came
    /// before belongs to no line.
    pub(super) fn read_by(&self, bench: &Bench) -> Unfinished {
        let is_binary = match &bench.first().split {
            Split::Pinned(shape) => shape.is_binary(),
            Split::Auto => self.bytes.iter().any(|byte| *byte < b'\t'),
        };
        match is_binary {
            true => Unfinished { bytes: Vec::new(), within: true, ..self.clone() },
            false => self.clone(),
        }
    }

    /// How a take that begins at `now` is to take its first byte, and when it begins: with the source, where nothing has
    /// come of it yet.
    pub(super) fn begin(&self, now: Stamp) -> (Stamp, Event) {
        let at = self.opened.unwrap_or(now);
        let opening = match self.opening {
            Opening::Text { arrives, .. } => Opening::Text { at, arrives },
            other => other,
        };
        let event = Event::Opened { opening, within: self.within };
        (at, self.listening.map_or(event, Event::Listening))
    }
}

/// What came of late, as much as there is room for.
#[derive(Debug, Default)]
pub(super) struct Recent {
    kept: VecDeque<Came>,
    /// How many were let go of.
    gone: u64,
    size: usize,
    /// Where the stream stood before what is kept, and where it stands now.
    before: Unfinished,
    now: Unfinished,
}

/// The memory for it.
const ROOM: usize = 64 << 20;

impl Recent {
    pub(super) fn push(&mut self, came: Came) {
        self.now.take(&came);
        self.size += came.size();
        self.kept.push_back(came);
        while self.size > ROOM {
            let Some(first) = self.kept.pop_front() else { break };
            self.size -= first.size();
            self.gone += 1;
            self.before.take(&first);
        }
    }

    /// Where the stream stands now.
    pub(super) fn now(&self) -> &Unfinished {
        &self.now
    }

    /// The place of the first that is kept.
    pub(super) fn oldest(&self) -> u64 {
        self.gone
    }

    /// The place behind all that came, in a count of all that ever did.
    pub(super) fn end(&self) -> u64 {
        self.gone + self.kept.len() as u64
    }

    /// The place of the first that is kept and came at `from` or later.
    pub(super) fn place(&self, from: Stamp) -> u64 {
        self.gone + self.kept.iter().take_while(|came| came.at() < from).count() as u64
    }

    /// Where the stream stood before `place`, or before the first that is kept; whether that is kept; and all that came since.
    pub(super) fn since(&self, place: u64) -> (Unfinished, bool, impl Iterator<Item = &Came>) {
        let mut state = self.before.clone();
        let skipped = place.saturating_sub(self.gone) as usize;
        self.kept.iter().take(skipped).for_each(|came| state.take(came));
        (state, place >= self.gone, self.kept.iter().skip(skipped))
    }
}
