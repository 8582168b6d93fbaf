//! Bytes to frames that are not lines: what marks their ends, and that their check is right.
//!
//! A frame is given with its stuffing undone and without the bytes that only mark its end; its sync word, length and check are part
//! of it.

use super::super::frame::{Frame, MAX_LINE};
use super::super::outcome::Rejection;
use super::cbor::{self, NoItem};
use super::{Envelope, Frames};
use crate::Stamp;
use memchr::memchr;
use std::collections::VecDeque;

/// The byte that ends a frame of SLIP, the one that stands before those that mean something else, and what these mean (RFC 1055).
pub(super) const END: u8 = 0xc0;
const ESCAPE: u8 = 0xdb;
const ESCAPED: [(u8, u8); 2] = [(0xdc, END), (0xdd, ESCAPE)];

/// The framing of [`Frames`]. Damage is given as one bad frame, up to where the next good one begins.
#[derive(Clone, Debug)]
pub(in super::super) struct FrameCutter {
    frames: Frames,
    /// Bytes that came before, and are not yet a whole frame.
    partial: Vec<u8>,
    /// So many of them were given.
    given: usize,
    /// So many of them, behind those, are no frame.
    damaged: usize,
    /// Why, where it is known.
    why: Rejection,
    /// The last frame was good, so that the next byte begins one.
    is_in_step: bool,
    /// The rest of a frame that is too long.
    discards: bool,
    /// No more comes.
    is_over: bool,
    /// A frame without its stuffing.
    plain: Vec<u8>,
    /// Bytes that were given so far, and that came; when the pieces came that were not given whole.
    told: u64,
    came: u64,
    pieces: VecDeque<(u64, Stamp)>,
}

/// A frame, and when it came where that is not now.
pub(in super::super) type Cut<'a> = (Frame<'a>, Option<Stamp>);

/// What stands at some place.
enum Look {
    /// A frame of so many bytes.
    Frame(usize),
    /// None, for this reason.
    No(Rejection),
    /// It takes so many bytes to tell.
    More(usize),
}

/// What the bytes kept turned out to be.
enum Found {
    Frame,
    Damage(Rejection),
    /// So many more are needed to tell.
    Nothing {
        needed: usize,
    },
}

/// So many bytes are taken at a time where nothing says how long an item is.
const ITEM: usize = 256;

impl FrameCutter {
    pub(in super::super) fn new(frames: Frames) -> FrameCutter {
        FrameCutter {
            frames,
            partial: Vec::new(),
            given: 0,
            damaged: 0,
            why: Rejection::NoFrame,
            is_in_step: false,
            discards: false,
            is_over: false,
            plain: Vec::new(),
            told: 0,
            came: 0,
            pieces: VecDeque::new(),
        }
    }

    /// So many bytes come at `at`.
    #[inline]
    pub(in super::super) fn come(&mut self, at: Stamp, length: usize) {
        if self.waits_for_next() {
            self.came += length as u64;
            self.pieces.push_back((self.came, at));
        }
    }

    /// Whether a frame is given when the next one begins.
    fn waits_for_next(&self) -> bool {
        self.frames.check.is_none() && matches!(self.frames.envelope, Envelope::Fixed { .. } | Envelope::Counted { .. })
    }

    /// When the last byte of the frame that was given last came; `None` where that is now.
    #[inline]
    fn came_at(&mut self, length: usize) -> Option<Stamp> {
        if !self.waits_for_next() {
            return None;
        }
        self.told += length as u64;
        while self.pieces.front().is_some_and(|(end, _)| *end < self.told) {
            self.pieces.pop_front();
        }
        self.pieces.front().map(|(_, at)| *at)
    }

    fn forget_given(&mut self) {
        self.partial.drain(..std::mem::take(&mut self.given));
    }

    /// What stands at the start of `bytes`.
    #[inline]
    fn look(&self, bytes: &[u8]) -> Look {
        let length = match &self.frames.envelope {
            Envelope::Items => {
                return match cbor::length(bytes) {
                    Ok(length) if length > MAX_LINE => Look::No(Rejection::TooLong),
                    Ok(length) => Look::Frame(length),
                    Err(NoItem::Unfinished) if bytes.len() < MAX_LINE => Look::More(bytes.len() + 1),
                    Err(_) => Look::No(Rejection::NoFrame),
                };
            }
            Envelope::Fixed { sync } => {
                if !begins(bytes, sync) {
                    return Look::No(Rejection::NoFrame);
                }
                self.frames.length()
            }
            Envelope::Counted { sync, count } => {
                if !begins(bytes, sync) {
                    return Look::No(Rejection::NoFrame);
                }
                let head = sync.len() + count.width;
                if bytes.len() < head {
                    return Look::More(head);
                }
                match self.frames.counted(bytes) {
                    Some(length) => length,
                    None => return Look::No(Rejection::FrameLength),
                }
            }
            Envelope::Cobs | Envelope::Slip => return Look::No(Rejection::NoFrame),
        };
        if bytes.len() < length {
            return Look::More(length);
        }
        if !self.frames.is_sound(&bytes[..length]) {
            return Look::No(Rejection::FrameCheck);
        }
        // Without a check, a frame counts when the next one follows: one that lost bytes holds some of that.
        if self.frames.check.is_none() {
            let sync = self.frames.envelope.sync();
            if bytes.len() < length + sync.len() && !self.is_over {
                return Look::More(length + sync.len());
            }
            if !begins(&bytes[length..], sync) {
                return Look::No(Rejection::NoFrame);
            }
        }
        Look::Frame(length)
    }

    /// What the bytes kept are by now. What is found is to be given next.
    fn settle(&mut self) -> Found {
        loop {
            let rest = &self.partial[self.damaged..];
            if rest.is_empty() {
                return Found::Nothing { needed: 1 };
            }
            let look = match self.look(rest) {
                Look::More(_) if self.is_over => Look::No(Rejection::NoFrame),
                look => look,
            };
            match look {
                // What is no frame comes first.
                Look::Frame(_) if self.damaged > 0 => return self.find_damage(),
                Look::Frame(length) => {
                    (self.given, self.is_in_step) = (length, true);
                    return Found::Frame;
                }
                Look::More(needed) => return Found::Nothing { needed: needed - rest.len() },
                Look::No(why) => {
                    if self.damaged == 0 {
                        self.why = why;
                    }
                    self.is_in_step = false;
                    // The next place where one may begin.
                    let next = match self.frames.envelope.sync().first() {
                        Some(first) => memchr(*first, &rest[1..]).map_or(rest.len(), |at| at + 1),
                        None => 1,
                    };
                    self.damaged = (self.damaged + next).min(MAX_LINE);
                    if self.damaged == MAX_LINE {
                        return self.find_damage();
                    }
                }
            }
        }
    }

    fn find_damage(&mut self) -> Found {
        self.given = std::mem::take(&mut self.damaged);
        Found::Damage(std::mem::replace(&mut self.why, Rejection::NoFrame))
    }

    /// Frames that stand one behind another, told by what they begin with.
    #[inline]
    fn step_by_sync<'a>(&'a mut self, bytes: &'a [u8]) -> (usize, Option<Cut<'a>>) {
        // Usually a whole frame is there, right behind the one before.
        if self.partial.is_empty()
            && self.is_in_step
            && let Look::Frame(length) = self.look(bytes)
        {
            let at = self.came_at(length);
            return (length, Some((Frame::Whole(&bytes[..length]), at)));
        }
        let mut used = 0;
        loop {
            match self.settle() {
                Found::Frame => {
                    let at = self.came_at(self.given);
                    return (used, Some((Frame::Whole(&self.partial[..self.given]), at)));
                }
                Found::Damage(why) => {
                    let at = self.came_at(self.given);
                    return (used, Some((Frame::Bad(why, &self.partial[..self.given]), at)));
                }
                Found::Nothing { needed } => {
                    // How long an item is, it does not say.
                    let needed = if self.frames.envelope == Envelope::Items { ITEM } else { needed };
                    let more = &bytes[used..bytes.len().min(used + needed)];
                    if more.is_empty() {
                        return (used, None);
                    }
                    self.partial.extend_from_slice(more);
                    used += more.len();
                }
            }
        }
    }

    /// Frames that end with a byte that is nowhere else.
    fn step_by_end<'a>(&'a mut self, bytes: &'a [u8], end: u8) -> (usize, Option<Frame<'a>>) {
        let mut at = 0;
        // What stands between two ends, where not all of it came before.
        let head = loop {
            let rest = &bytes[at..];
            if rest.is_empty() {
                return (at, None);
            }
            let length = memchr(end, rest);
            let head = &rest[..length.unwrap_or(rest.len())];
            at += length.map_or(rest.len(), |length| length + 1);
            if std::mem::take(&mut self.discards) {
                self.discards = length.is_none();
                continue;
            }
            if self.partial.len() + head.len() > MAX_LINE {
                self.partial.extend_from_slice(&head[..MAX_LINE - self.partial.len()]);
                (self.given, self.discards) = (MAX_LINE, length.is_none());
                return (at, Some(Frame::Bad(Rejection::TooLong, &self.partial)));
            }
            if length.is_none() {
                self.partial.extend_from_slice(head);
                return (at, None);
            }
            if !(head.is_empty() && self.partial.is_empty()) {
                break head;
            }
        };
        let stuffed = if self.partial.is_empty() {
            head
        } else {
            self.partial.extend_from_slice(head);
            self.given = self.partial.len();
            &self.partial
        };
        let is_undone = match end {
            END => unescape(stuffed, &mut self.plain),
            _ => unstuff(stuffed, &mut self.plain),
        };
        let frame = match is_undone {
            true if self.plain.is_empty() => Frame::Bad(Rejection::Stuffing, stuffed),
            true if !self.frames.is_sound(&self.plain) => Frame::Bad(Rejection::FrameCheck, &self.plain),
            true => Frame::Whole(&self.plain),
            false => Frame::Bad(Rejection::Stuffing, stuffed),
        };
        (at, Some(frame))
    }
}

#[inline]
fn begins(bytes: &[u8], sync: &[u8]) -> bool {
    // What is not there yet may still come.
    // A sync word is short: comparing it here is faster than a call.
    bytes.iter().zip(sync).all(|(own, sync)| own == sync)
}

/// Undoes consistent overhead byte stuffing (Cheshire and Baker, 1999); whether `stuffed` has any.
pub(super) fn unstuff(stuffed: &[u8], plain: &mut Vec<u8>) -> bool {
    plain.clear();
    plain.resize(stuffed.len(), 0);
    match cobs::decode(stuffed, plain) {
        Ok(report) if report.parsed_size() == stuffed.len() || report.parsed_size() == stuffed.len() + 1 => {
            plain.truncate(report.frame_size());
            true
        }
        _ => false,
    }
}

/// Undoes the escapes of SLIP (RFC 1055); whether they are sound.
pub(super) fn unescape(stuffed: &[u8], plain: &mut Vec<u8>) -> bool {
    plain.clear();
    let mut bytes = stuffed.iter();
    while let Some(byte) = bytes.next() {
        if *byte != ESCAPE {
            plain.push(*byte);
            continue;
        }
        let Some(meant) = bytes.next().and_then(|next| ESCAPED.iter().find(|(sent, _)| sent == next)) else {
            return false;
        };
        plain.push(meant.1);
    }
    true
}

impl FrameCutter {
    #[inline]
    pub(in super::super) fn step<'a>(&'a mut self, bytes: &'a [u8]) -> (usize, Option<Cut<'a>>) {
        if self.given > 0 {
            self.forget_given();
        }
        let now = |(used, frame): (usize, Option<Frame<'a>>)| (used, frame.map(|frame| (frame, None)));
        match self.frames.envelope {
            Envelope::Cobs => now(self.step_by_end(bytes, 0)),
            Envelope::Slip => now(self.step_by_end(bytes, END)),
            _ => self.step_by_sync(bytes),
        }
    }

    /// No more comes: gives what is left, one after another.
    pub(in super::super) fn finish(&mut self) -> Option<Frame<'_>> {
        self.forget_given();
        self.discards = false;
        if matches!(self.frames.envelope, Envelope::Cobs | Envelope::Slip) {
            self.given = self.partial.len();
            return (self.given > 0).then_some(Frame::Bad(Rejection::NoFrame, &self.partial));
        }
        self.is_over = true;
        let found = self.settle();
        self.is_over = false;
        match found {
            Found::Frame => Some(Frame::Whole(&self.partial[..self.given])),
            Found::Damage(why) => Some(Frame::Bad(why, &self.partial[..self.given])),
            Found::Nothing { .. } if self.damaged > 0 => {
                self.find_damage();
                Some(Frame::Bad(Rejection::NoFrame, &self.partial[..self.given]))
            }
            Found::Nothing { .. } => None,
        }
    }

    /// Forgets what is unfinished; gives the number of its bytes.
    pub(in super::super) fn reset(&mut self) -> usize {
        self.forget_given();
        let lost = self.partial.len();
        self.partial.clear();
        (self.damaged, self.is_in_step, self.discards) = (0, false, false);
        self.pieces.clear();
        (self.told, self.came) = (0, 0);
        lost
    }
}
