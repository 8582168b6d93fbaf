//! The last lines as they came, for the screen and for searching back.

mod matches;

pub use matches::Matches;

use crate::Stamp;
use crate::split::{LineOutcome, MAX_LINE, Shape, Sink, Splitter};
use regex::bytes::{Regex, RegexBuilder};
use std::collections::VecDeque;
use std::ops::Range;
use std::sync::Arc;
use unicode_width::UnicodeWidthChar;

/// Memory that lines may take, in bytes; whole parts of it are let go of together.
pub const MEMORY: usize = 24 * 1024 * 1024;

/// Memory of a part.
const PART: usize = 256 * 1024;

/// Bytes that are kept of each line.
const BYTES: usize = MAX_LINE;

/// One line as it came.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct TailLine<'a> {
    /// Its number, from 0 since the start.
    pub number: u64,
    /// When its last byte arrived.
    pub at: Stamp,
    /// What became of it.
    pub outcome: LineOutcome,
    /// Its first bytes, as they came: pass them through [`visible`] before they go anywhere near a terminal.
    pub bytes: &'a [u8],
    /// Bytes that are not in `bytes`.
    pub cut: usize,
}

/// The same, kept for itself.
#[derive(Clone, Debug, PartialEq)]
pub struct KeptLine {
    /// As in [`TailLine`].
    pub number: u64,
    /// As in [`TailLine`].
    pub at: Stamp,
    /// As in [`TailLine`].
    pub outcome: LineOutcome,
    /// As in [`TailLine`].
    pub bytes: Vec<u8>,
    /// As in [`TailLine`].
    pub cut: usize,
}

impl TailLine<'_> {
    /// A copy that stays.
    pub fn kept(&self) -> KeptLine {
        KeptLine { number: self.number, at: self.at, outcome: self.outcome, bytes: self.bytes.to_vec(), cut: self.cut }
    }
}

impl KeptLine {
    /// The line for those who only look at it.
    pub fn borrowed(&self) -> TailLine<'_> {
        TailLine { number: self.number, at: self.at, outcome: self.outcome, bytes: &self.bytes, cut: self.cut }
    }
}

#[derive(Clone, Copy, Debug)]
struct Entry {
    at: Stamp,
    outcome: LineOutcome,
    end: u32,
    cut: u32,
}

/// ReplayedLines that follow one another, with their bytes in one piece.
#[derive(Clone, Debug, Default)]
struct Part {
    first: u64,
    bytes: Vec<u8>,
    entries: Vec<Entry>,
}

impl Part {
    fn size(&self) -> usize {
        self.bytes.len() + self.entries.len() * size_of::<Entry>()
    }

    fn line(&self, index: usize) -> Option<TailLine<'_>> {
        let entry = self.entries.get(index)?;
        let start = index.checked_sub(1).map_or(0, |before| self.entries[before].end as usize);
        let bytes = &self.bytes[start..entry.end as usize];
        Some(TailLine {
            number: self.first + index as u64,
            at: entry.at,
            outcome: entry.outcome,
            bytes,
            cut: entry.cut as usize,
        })
    }
}

/// The newest lines, as many as 24 MB hold. Copies share all but the newest part.
#[derive(Clone, Debug, Default)]
pub struct Tail {
    parts: VecDeque<Arc<Part>>,
    next: u64,
    /// ReplayedLines before which the link was broken.
    breaks: VecDeque<u64>,
}

impl Tail {
    /// Adds a line; the oldest give way, and their memory is used again.
    #[inline]
    pub fn push(&mut self, at: Stamp, outcome: LineOutcome, line: &[u8]) {
        let kept = &line[..line.len().min(BYTES)];
        if self.parts.back().is_none_or(|part| part.size() + kept.len() > PART) {
            self.begin_part();
        }
        let Some(part) = self.parts.back_mut().map(Arc::make_mut) else { return };
        part.bytes.extend_from_slice(kept);
        // A part is far smaller than 4 GB; of an endless line only its head is ever known.
        part.entries.push(Entry { at, outcome, end: part.bytes.len() as u32, cut: (line.len() - kept.len()) as u32 });
        self.next += 1;
    }

    /// So many lines came that are not kept, and neither are those before.
    pub fn pass(&mut self, lines: u64) {
        if lines > 0 {
            self.parts.clear();
            self.breaks.clear();
            self.next += lines;
        }
    }

    /// The next line does not follow from the one before.
    pub fn mark_break(&mut self) {
        if self.breaks.back() != Some(&self.next) {
            self.breaks.push_back(self.next);
        }
    }

    /// Takes back the lines from `number` on.
    pub fn truncate(&mut self, number: u64) {
        while let Some(part) = self.parts.back_mut().filter(|_| self.next > number).map(Arc::make_mut) {
            let keep = number.saturating_sub(part.first).min(part.entries.len() as u64) as usize;
            part.entries.truncate(keep);
            part.bytes.truncate(part.entries.last().map_or(0, |entry| entry.end as usize));
            self.next = part.first + keep as u64;
            if keep == 0 {
                self.parts.pop_back();
            }
        }
        while self.breaks.back().is_some_and(|line| *line > number) {
            self.breaks.pop_back();
        }
    }

    /// Whether line `number` does not follow from the one before.
    pub fn is_broken_before(&self, number: u64) -> bool {
        self.breaks.binary_search(&number).is_ok()
    }

    #[cold]
    fn begin_part(&mut self) {
        let full = self.parts.len() >= MEMORY / PART;
        let oldest = if full { self.parts.pop_front() } else { None };
        // What a copy still looks at is left to it.
        let mut part = oldest.and_then(Arc::into_inner).unwrap_or_default();
        part.bytes.clear();
        part.entries.clear();
        part.first = self.next;
        self.parts.push_back(Arc::new(part));
        let first = self.numbers().start;
        while self.breaks.front().is_some_and(|number| *number < first) {
            self.breaks.pop_front();
        }
    }

    /// The numbers of the lines that are kept.
    pub fn numbers(&self) -> Range<u64> {
        self.parts.front().map_or(self.next, |part| part.first)..self.next
    }

    /// Line `number`; `None` when it is not kept.
    pub fn line(&self, number: u64) -> Option<TailLine<'_>> {
        let after = self.parts.partition_point(|part| part.first <= number);
        let part = &self.parts[after.checked_sub(1)?];
        part.line((number - part.first) as usize)
    }

    /// The number of the first line that came after `at`: of the next line, where none did.
    pub fn number_after(&self, at: Stamp) -> u64 {
        let after = self.parts.partition_point(|part| part.entries.first().is_some_and(|entry| entry.at <= at));
        let Some(part) = after.checked_sub(1).map(|index| &self.parts[index]) else { return self.numbers().start };
        part.first + part.entries.partition_point(|entry| entry.at <= at) as u64
    }

    /// The lines, oldest first.
    pub fn lines(&self) -> impl DoubleEndedIterator<Item = TailLine<'_>> {
        self.parts.iter().flat_map(|part| (0..part.entries.len()).filter_map(|index| part.line(index)))
    }

    /// The newest line before `number` that `filter` lets through.
    pub fn before(&self, number: u64, filter: &Filter) -> Option<TailLine<'_>> {
        let numbers = self.numbers();
        (numbers.start..number.min(numbers.end))
            .rev()
            .filter_map(|n| self.line(n))
            .find(|line| filter.passes(line.bytes))
    }

    /// The oldest line after `number` that `filter` lets through.
    pub fn after(&self, number: u64, filter: &Filter) -> Option<TailLine<'_>> {
        let numbers = self.numbers();
        let from = number.saturating_add(1).max(numbers.start);
        (from..numbers.end).filter_map(|n| self.line(n)).find(|line| filter.passes(line.bytes))
    }
}

/// Which lines are looked for: those with a text in them, or those that a pattern matches.
#[derive(Clone, Debug, Default)]
pub struct Filter {
    text: String,
    pattern: Option<Regex>,
}

impl Filter {
    /// Reads what a person typed: a text, found in any case; or a regular expression between slashes. Nothing lets all
    /// lines through.
    ///
    /// # Errors
    /// What is wrong with the expression.
    pub fn parse(text: &str) -> Result<Filter, String> {
        if text.is_empty() {
            return Ok(Filter::default());
        }
        let expression =
            text.strip_prefix('/').and_then(|rest| rest.strip_suffix('/')).filter(|inner| !inner.is_empty());
        let built = match expression {
            Some(expression) => RegexBuilder::new(expression).build(),
            None => RegexBuilder::new(&regex::escape(text)).case_insensitive(true).build(),
        };
        let last = |error: regex::Error| error.to_string().lines().last().unwrap_or_default().trim().to_owned();
        Ok(Filter { text: text.to_owned(), pattern: Some(built.map_err(last)?) })
    }

    /// What was typed.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Whether it lets all lines through.
    pub fn is_open(&self) -> bool {
        self.pattern.is_none()
    }

    /// Whether it lets a line through.
    pub fn passes(&self, line: &[u8]) -> bool {
        self.pattern.as_ref().is_none_or(|pattern| pattern.is_match(line))
    }
}

/// The last lines of bytes that were recorded, split again as `shape` says. The first line is left out unless the
/// bytes `begin` at the start of a line.
pub fn replay<'a>(shape: Option<Shape>, begin: bool, pieces: impl Iterator<Item = (Stamp, &'a [u8])>) -> Tail {
    let mut splitter = Splitter::new(shape);
    let mut lines = ReplayedLines { tail: Tail::default(), skip: !begin };
    pieces.for_each(|(at, bytes)| splitter.feed(at, bytes, &mut lines));
    lines.tail
}

struct ReplayedLines {
    tail: Tail,
    skip: bool,
}

impl Sink for ReplayedLines {
    fn shape(&mut self, _: &Shape) {}

    fn line(&mut self, at: Stamp, outcome: LineOutcome, line: &[u8]) {
        if !std::mem::take(&mut self.skip) {
            self.tail.push(at, outcome, line);
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

/// `bytes` as two hexadecimal digits each, with `between` between them.
pub fn hexadecimal(bytes: &[u8], between: &str) -> String {
    let mut out = String::with_capacity(bytes.len() * (2 + between.len()));
    for (i, byte) in bytes.iter().enumerate() {
        out.push_str(if i > 0 { between } else { "" });
        out.extend([byte >> 4, byte & 15].map(|digit| char::from(b"0123456789ABCDEF"[usize::from(digit)])));
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
        // Ends of lines to some programs, and a hyphen that may not be seen.
        '\u{2028}' | '\u{2029}' | '\u{ad}' => '▯',
        // Marks that go with the digits behind them, to which terminals give different widths.
        '\u{600}'..='\u{605}' | '\u{6dd}' | '\u{70f}' | '\u{890}' | '\u{891}' | '\u{8e2}' => '▯',
        _ if c.width() == Some(1) => c,
        _ => '▯',
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::split::Rejection;
    use proptest::prelude::*;

    #[test]
    fn control_bytes_become_symbols() {
        assert_eq!(visible(b"a\x1b[31m\0\x07b\x7f"), "a␛[31m␀␇b␡");
        assert_eq!(visible("5 µm\u{9b}2J \u{202e}x\u{200b} 漢\u{2028}\u{2029}".as_bytes()), "5 µm▯2J ▯x▯ ▯▯▯");
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
            tail.lines().map(|line| (line.at.0, line.outcome)).collect::<Vec<_>>()
        };
        let rest =
            [(1, LineOutcome::Row(0)), (2, LineOutcome::Message), (2, LineOutcome::Rejected(Rejection::NotANumber))];
        assert_eq!(lines(false), rest);
        assert_eq!((lines(true).len(), &lines(true)[1..]), (4, &rest[..]));
    }

    #[test]
    fn the_tail_is_bounded() {
        let mut tail = Tail::default();
        for i in 0..20_000 {
            tail.push(Stamp(i), LineOutcome::Row(0), &vec![b'x'; 40_000]);
        }
        let last = tail.lines().next_back().unwrap();
        assert_eq!((last.at, last.bytes.len(), last.cut), (Stamp(19_999), BYTES, 40_000 - BYTES));
        assert_eq!(tail.line(last.number), Some(last));
        assert!(tail.parts.iter().map(|part| part.size()).sum::<usize>() <= MEMORY);
        let numbers = tail.numbers();
        assert!(numbers.start > 10_000 && numbers.end == 20_000 && tail.line(numbers.start - 1).is_none());
        assert_eq!(tail.line(numbers.start).unwrap().at, Stamp(numbers.start as i64));
    }

    #[test]
    fn lines_are_found_by_text_and_by_pattern() {
        let mut tail = Tail::default();
        for line in ["gauge=1", "Board hot", "gauge=22", "gauge=3"] {
            tail.push(Stamp(0), LineOutcome::Message, line.as_bytes());
        }
        let found = |text: &str, from| tail.before(from, &Filter::parse(text).unwrap()).map(|line| line.number);
        assert_eq!(
            [found("board", 4), found("/gauge=\\d\\d/", 4), found("gauge", 3), found("", 4)],
            [Some(1), Some(2), Some(2), Some(3)]
        );
        assert_eq!(tail.after(1, &Filter::parse("gauge=3").unwrap()).map(|line| line.number), Some(3));
        assert_eq!(found("a.c", 4), None);
        assert!(Filter::parse("/(/").unwrap_err().contains("unclosed"));
    }

    #[test]
    fn breaks_stay_with_their_lines_and_go_with_them() {
        let mut tail = Tail::default();
        for i in 0..40_000u64 {
            if i.is_multiple_of(1000) {
                tail.mark_break();
                tail.mark_break();
            }
            tail.push(Stamp(i as i64), LineOutcome::Row(0), &[b'x'; 2000]);
        }
        let numbers = tail.numbers();
        assert!(numbers.start > 20_000);
        for number in numbers.clone() {
            assert_eq!(tail.is_broken_before(number), number.is_multiple_of(1000), "{number}");
        }
        assert!(tail.breaks.len() <= 41 - numbers.start as usize / 1000);
        assert!(
            tail.lines().zip(numbers).all(|(line, number)| line.number == number && line.at == Stamp(number as i64))
        );
    }
}
