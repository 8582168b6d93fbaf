//! What cuts a stream: lines, or the frames of a shape that has some.

use super::frame::{Frame, Framing, LineFraming};
use super::frames::{Cut, FrameCutter};
use super::outcome::{LineOutcome, Rejection};
use super::pins::message::MessageCutter;
use super::shape::Shape;
use crate::Stamp;

/// The framing of a stream.
#[derive(Clone, Debug)]
pub(super) enum Cutter {
    Lines(LineFraming),
    Frames(Box<FrameCutter>),
    Messages(MessageCutter),
}

impl Cutter {
    /// That of a shape; lines where there is none yet.
    pub(super) fn of(shape: Option<&Shape>) -> Cutter {
        match shape {
            Some(Shape::Frames(frames)) => Cutter::Frames(Box::new(FrameCutter::new(frames.clone()))),
            Some(Shape::Pins(_)) => Cutter::Messages(MessageCutter::default()),
            _ => Cutter::Lines(LineFraming::default()),
        }
    }

    /// So many bytes come at `at`.
    #[inline]
    pub(super) fn come(&mut self, at: Stamp, length: usize) {
        if let Cutter::Frames(frames) = self {
            frames.come(at, length);
        }
    }

    #[inline]
    pub(super) fn step<'a>(&'a mut self, bytes: &'a [u8]) -> (usize, Option<Cut<'a>>) {
        let now = |(used, frame): (usize, Option<Frame<'a>>)| (used, frame.map(|frame| (frame, None)));
        match self {
            Cutter::Lines(lines) => now(lines.step(bytes)),
            Cutter::Frames(frames) => frames.step(bytes),
            Cutter::Messages(messages) => now(messages.step(bytes)),
        }
    }

    pub(super) fn finish(&mut self) -> Option<Frame<'_>> {
        match self {
            Cutter::Lines(lines) => lines.finish(),
            Cutter::Frames(frames) => frames.finish(),
            Cutter::Messages(messages) => messages.finish(),
        }
    }

    pub(super) fn reset(&mut self) -> usize {
        match self {
            Cutter::Lines(lines) => lines.reset(),
            Cutter::Frames(frames) => frames.reset(),
            Cutter::Messages(messages) => messages.reset(),
        }
    }

    pub(super) fn is_alike(&self, other: &Cutter) -> bool {
        std::mem::discriminant(self) == std::mem::discriminant(other)
    }

    /// What `bytes` are to this framing, of which `outcome` was said when they were cut by one that is alike or not.
    pub(super) fn again<'a>(&self, alike: bool, outcome: LineOutcome, bytes: &'a [u8]) -> Frame<'a> {
        let is_lines = matches!(self, Cutter::Lines(_));
        let was_lines = match outcome {
            LineOutcome::Rejected(Rejection::CutAsLine) => true,
            LineOutcome::Rejected(Rejection::CutAsFrame) => false,
            _ => is_lines == alike,
        };
        match outcome {
            _ if was_lines != is_lines && was_lines => Frame::Bad(Rejection::CutAsLine, bytes),
            _ if was_lines != is_lines => Frame::Bad(Rejection::CutAsFrame, bytes),
            LineOutcome::Rejected(Rejection::CutAsLine | Rejection::CutAsFrame) => Frame::Whole(bytes),
            LineOutcome::Rejected(why) if why.is_of_frame() => Frame::Bad(why, bytes),
            _ => Frame::Whole(bytes),
        }
    }
}
