//! The last lines as they came, for the screen.

use crate::Stamp;
use crate::split::{Fate, Shape, Sink, Splitter};
use std::collections::VecDeque;
use unicode_width::UnicodeWidthChar;

/// Lines that are kept.
const LINES: usize = 256;

/// Bytes that are kept of each line.
const BYTES: usize = 400;

/// One line as it came.
#[derive(Clone, Debug)]
pub struct TailLine {
    /// When its last byte arrived.
    pub at: Stamp,
    /// What became of it.
    pub fate: Fate,
    /// Its first bytes, as they came: pass them through [`visible`] before they go anywhere near a terminal.
    pub bytes: Vec<u8>,
    /// Bytes that are not in `bytes`.
    pub cut: usize,
}

/// The newest lines.
#[derive(Clone, Debug, Default)]
pub struct Tail {
    lines: VecDeque<TailLine>,
}

impl Tail {
    /// Adds a line; the oldest gives way, and its memory is used again.
    #[inline]
    pub fn push(&mut self, at: Stamp, fate: Fate, line: &[u8]) {
        let mut bytes = match self.lines.len() {
            LINES => self.lines.pop_front().map(|old| old.bytes).unwrap_or_default(),
            _ => Vec::new(),
        };
        let kept = &line[..line.len().min(BYTES)];
        bytes.clear();
        bytes.extend_from_slice(kept);
        self.lines.push_back(TailLine { at, fate, bytes, cut: line.len() - kept.len() });
    }

    /// The lines, oldest first.
    pub fn lines(&self) -> impl DoubleEndedIterator<Item = &TailLine> + ExactSizeIterator {
        self.lines.iter()
    }
}

/// The last lines of bytes that were recorded, split again as `shape` says. The first line is left out unless the
/// bytes `begin` at the start of a line.
pub fn replay<'a>(shape: Option<Shape>, begin: bool, pieces: impl Iterator<Item = (Stamp, &'a [u8])>) -> Tail {
    let mut splitter = Splitter::new(shape);
    let mut lines = Lines { tail: Tail::default(), skip: !begin };
    pieces.for_each(|(at, bytes)| splitter.feed(at, bytes, &mut lines));
    lines.tail
}

struct Lines {
    tail: Tail,
    skip: bool,
}

impl Sink for Lines {
    fn shape(&mut self, _: &Shape) {}

    fn line(&mut self, at: Stamp, fate: Fate, line: &[u8]) {
        if !std::mem::take(&mut self.skip) {
            self.tail.push(at, fate, line);
        }
    }

    fn row(&mut self, _: Stamp, _: &[f64]) {}
}

/// Bytes as text that is safe on a terminal and takes one cell a character: control characters become their symbols,
/// bytes that are not UTF-8 and characters of any other width a `▯`.
pub fn visible(bytes: &[u8]) -> String {
    let mut out = String::with_capacity(bytes.len());
    for chunk in bytes.utf8_chunks() {
        out.extend(chunk.valid().chars().map(visible_char));
        out.extend(chunk.invalid().iter().map(|_| '▯'));
    }
    out
}

/// The character that stands for `c` in [`visible`] text.
#[inline]
pub fn visible_char(c: char) -> char {
    match c {
        // Text, and lines and blocks, which are most of a screen and need no look into the tables.
        ' '..='~' | '\u{2500}'..='\u{259f}' | '\u{2800}'..='\u{28ff}' => c,
        '\t' => ' ',
        '\0'..='\x1f' => char::from_u32(0x2400 + c as u32).unwrap_or('▯'),
        '\x7f' => '␡',
        _ if c.width() == Some(1) => c,
        _ => '▯',
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::split::Refusal;
    use proptest::prelude::*;

    #[test]
    fn control_bytes_become_symbols() {
        assert_eq!(visible(b"a\x1b[31m\0\x07b\x7f"), "a␛[31m␀␇b␡");
        assert_eq!(visible("5 µm\u{9b}2J \u{202e}x\u{200b} 漢".as_bytes()), "5 µm▯2J ▯x▯ ▯");
        assert_eq!(visible(b"\xff\xfe1"), "▯▯1");
    }

    proptest! {
        #[test]
        fn nothing_that_a_terminal_acts_on_gets_through(bytes in proptest::collection::vec(any::<u8>(), 0..200)) {
            let text = visible(&bytes);
            prop_assert!(text.chars().all(|c| !c.is_control() && c.width() == Some(1)), "{text:?}");
        }
    }

    #[test]
    fn a_replay_leaves_out_the_line_that_it_came_into() {
        let shape = Shape::labelled(["a"], true);
        let lines = |begin| {
            let tail = replay(
                Some(shape.clone()),
                begin,
                [(Stamp(1), &b"7\na=1\nhi"[..]), (Stamp(2), b"!\na=x\n")].into_iter(),
            );
            tail.lines().map(|line| (line.at.0, line.fate)).collect::<Vec<_>>()
        };
        let rest = [(1, Fate::Row(0)), (2, Fate::Message), (2, Fate::Refused(Refusal::NotANumber))];
        assert_eq!(lines(false), rest);
        assert_eq!((lines(true).len(), &lines(true)[1..]), (4, &rest[..]));
    }

    #[test]
    fn the_tail_is_bounded() {
        let mut tail = Tail::default();
        for i in 0..1000 {
            tail.push(Stamp(i), Fate::Row(0), &vec![b'x'; 1000]);
        }
        assert_eq!(tail.lines().len(), LINES);
        let last = tail.lines().last().unwrap();
        assert_eq!((last.at, last.bytes.len(), last.cut), (Stamp(999), BYTES, 600));
    }
}
