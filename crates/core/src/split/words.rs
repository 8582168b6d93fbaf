//! Lines of names and values with words, units and padding around, as in `gauge 2210 cnt  (1.781 V)` or
//! `a:==== 22  b: 4`.
//!
//! Values are found first; of the words between two values those before a break (two spaces, a comma, a bracket) are
//! the unit of the first, those behind it the label of the second. Where there is no break, a word that is a unit by
//! its spelling is one.

use super::address::address;
use super::number::{Number, number, scan_number, scan_with_comma};
use super::shape::{Comma, MAX_FIELDS, Style, prompt};
use super::units::{UNIT, is_degrees, is_time_unit, is_unit, may_be_name};
use super::value::{Value, state};
use std::ops::Range;

/// Words that stand between a name and its value and belong to neither.
const FILLERS: [&str; 9] = ["is", "are", "was", "the", "of", "at", "and", "reads", "equals"];

/// What loggers write in front of a name.
const LEVELS: [&[u8]; 15] = [
    b"OK", b"INFO", b"DEBUG", b"DBG", b"WARN", b"WARNING", b"ERROR", b"TRACE", b"LOG", b"DATA", b"RX", b"TX", b"info",
    b"debug", b"log",
];

/// The longest label.
const LABEL: usize = 32;

/// One value with what belongs to it.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Slot {
    /// Its name, made of plain characters only.
    pub(super) label: String,
    pub(super) value: Value,
    /// Where the text of the value stands.
    pub(super) at: Range<usize>,
    /// From the first word of its label to the end of its value.
    pub(super) whole: Range<usize>,
    /// Where its unit stands; empty when it has none.
    pub(super) unit: Range<usize>,
}

/// All values of a line.
#[derive(Clone, Debug, Default, PartialEq)]
pub(super) struct Scan {
    pub(super) slots: Vec<Slot>,
    /// Each value's name is followed by `=` or `:`, so that the line can hardly be a sentence with a number in it.
    pub(super) strong: bool,
    /// There were more values than a row may have.
    pub(super) too_many: bool,
    /// Signs that can be read in another way.
    pub(super) signs: Vec<Sign>,
    /// A word stands behind a name, as a value does: `state: idle`.
    pub(super) has_text: bool,
    /// A word between two values that was taken as the unit of the first may as well be the name of the second: `LDR 604 V 3 V`.
    pub(super) unclear: Option<Range<usize>>,
}

/// A sign among digits that can be read in more than one way.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Sign {
    /// A comma with so many digits in front of it and behind it, the first of the latter being 0 or not.
    Comma { front: usize, behind: usize, zero: bool },
    /// A minus that stands apart from the number behind it, or right behind another number.
    Minus,
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Token {
    Value(Value),
    Word,
    /// `=` or `:`, with any padding.
    Names,
    /// Something that ends a unit: a comma, two spaces, a bracket.
    Break,
    /// Anything else.
    Other,
}

fn is_word(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || matches!(byte, b'_' | b'%' | b'/' | b'^') || byte >= 0x80
}

fn begins_word(byte: u8) -> bool {
    byte.is_ascii_alphabetic() || matches!(byte, b'_' | b'%') || byte >= 0x80
}

/// A number at `at` that has its minus apart, or right behind another number, and where it ends.
fn apart(line: &[u8], at: usize, style: Style) -> Option<(Value, usize)> {
    let blanks = line[at + 1..].iter().take_while(|b| **b == b' ').count();
    let before = at.checked_sub(1).map_or(b' ', |before| line[before]);
    let next = at + 1 + blanks;
    let digit = |at: usize| line.get(at).is_some_and(u8::is_ascii_digit);
    // A number that begins with a zero, as of a date, has no sign.
    let begins = match blanks {
        0 => before.is_ascii_digit() && !(line.get(next) == Some(&b'0') && digit(next + 1)),
        _ => matches!(before, b' ' | b':' | b'=' | b',' | b'\t'),
    };
    if line[at] != b'-' || !begins || !digit(next) {
        return None;
    }
    let (mut value, used) = value_at(line, next, style)?;
    value.number.value = -value.number.value;
    Some((value, next + used))
}

/// Where the word at `at` ends: `gauge.a` is one word, the point at the end of a sentence belongs to none.
pub(super) fn word_end(line: &[u8], at: usize) -> usize {
    if line[at] == b'%' && line.get(at + 1).is_none_or(|b| !b.is_ascii_alphabetic()) {
        return at + 1;
    }
    let run = |at: usize| line[at..].iter().take_while(|b| is_word(**b)).count();
    let mut end = at + run(at);
    while line.get(end).is_some_and(|b| matches!(b, b'.' | b'-')) && line.get(end + 1).is_some_and(|b| is_word(*b)) {
        end += 1 + run(end + 1);
    }
    end
}

/// The token at `at`, and where it ends.
fn token(line: &[u8], at: usize, style: Style) -> (Token, usize) {
    let byte = line[at];
    if let Some((value, end)) = if style.minus { apart(line, at, style) } else { None } {
        return (Token::Value(value), end);
    }
    if byte.is_ascii_hexdigit()
        && at.checked_sub(1).is_none_or(|before| !(is_word(line[before]) || line[before] == b'.'))
        && let Some(length) = address(&line[at..])
    {
        // Where it names what follows, it is a name as any.
        let sign = line[at + length..].trim_ascii_start().first();
        let is_name = matches!(sign, Some(b':' | b'='));
        return (if is_name { Token::Word } else { Token::Other }, at + length);
    }
    let run = |test: fn(u8) -> bool| at + line[at..].iter().take_while(|b| test(**b)).count();
    if let Some((value, used)) = value_at(line, at, style) {
        return (Token::Value(value), at + used);
    }
    if let Some(length) = parting_sign(&line[at..]) {
        return (Token::Break, at + length);
    }
    if begins_word(byte) || byte.is_ascii_digit() {
        return (Token::Word, word_end(line, at));
    }
    if is_mocked_degree(line, at) {
        return (Token::Word, at + 2);
    }
    let end = run(|b| matches!(b, b'=' | b':' | b'.' | b'-' | b'_' | b'*' | b'~' | b'#'));
    if end > at {
        let is_arrow = matches!(line[end - 1], b'-' | b'=') && line.get(end) == Some(&b'>');
        if is_arrow {
            return (Token::Names, end + 1);
        }
        let names = line[at..end].iter().any(|b| matches!(b, b'=' | b':'));
        let apart = |may: bool| may && apart(line, end - 1, style).is_some();
        // The sign of the number that follows is its own.
        let end = if end - at > 1
            && line[end - 1] == b'-'
            && (value_at(line, end - 1, style).is_some() || apart(style.minus))
        {
            end - 1
        } else {
            end
        };
        return (if names { Token::Names } else { Token::Other }, end);
    }
    match byte {
        b' ' => {
            let end = run(|b| b == b' ');
            (if end - at > 1 { Token::Break } else { Token::Other }, end)
        }
        b',' | b';' | b'|' | b'/' | b'\t' | b'(' | b')' | b'[' | b']' | b'{' | b'}' => (Token::Break, at + 1),
        _ => (Token::Other, at + 1),
    }
}

/// The length of a sign at the start of `text` that is no ASCII and parts two numbers: `±`, or that of degrees as in `48°30'`.
pub(super) fn parting_sign(text: &[u8]) -> Option<usize> {
    let degree = "°".as_bytes();
    let parts = |text: &[u8]| text.first().is_some_and(u8::is_ascii_digit);
    let found = text.starts_with("±".as_bytes()) || text.strip_prefix(degree).is_some_and(parts);
    found.then_some(degree.len())
}

/// Whether a sign right behind a number stands for the one of degrees: `22*C`, `22'F`.
fn is_mocked_degree(line: &[u8], at: usize) -> bool {
    line[..at].trim_ascii_end().last().is_some_and(|b| b.is_ascii_digit() || matches!(b, b'(' | b'['))
        && matches!(line[at], b'*' | b'\'' | b'^' | b'~')
        && matches!(line.get(at + 1), Some(b'C' | b'F'))
        && !line.get(at + 2).is_some_and(|b| is_word(*b))
}

/// A number at `at` that does not continue a word, and its length.
fn value_at(line: &[u8], at: usize, style: Style) -> Option<(Value, usize)> {
    // `40%/22`, `T:205 /210`
    let behind_slash = line[..at].ends_with(b"%/") || line[..at].ends_with(b" /");
    if at > 0 && (is_word(line[at - 1]) || line[at - 1] == b'.') && !behind_slash {
        return None;
    }
    let text = &line[at..];
    if text[0].is_ascii_alphabetic() {
        // `nan`, `inf`, `ovf` and the words for states are values; other words are not.
        let end = text.iter().position(|b| !is_word(*b)).unwrap_or(text.len());
        if let Some(value) = state(&text[..end]) {
            return Some((value, end));
        }
        return scan_number(text).filter(|(_, used)| *used == end).map(|(number, used)| (number.into(), used));
    }
    let (mut number, mut used) = scan_number(text)?;
    match style.comma {
        Comma::Decimal if comma_at(line, at).is_some() => (number, used) = scan_with_comma(text)?,
        Comma::Thousands if grouped_length(text, b',').is_some() => (number, used) = with_thousands(text)?,
        Comma::Decimal | Comma::Between | Comma::Thousands => {}
    }
    // `22C` is a value with its unit, `3x4` a word; `22/P2:23` are two with their names.
    let rest = &text[used..];
    if rest.first() == Some(&b'/') && rest.get(1).is_some_and(u8::is_ascii_alphabetic) {
        return Some((number.into(), used));
    }
    let percent = rest.first() == Some(&b'%') && !rest.get(1).is_some_and(u8::is_ascii_alphabetic);
    let word = if percent { 1 } else { rest.iter().take_while(|b| is_word(**b)).count() };
    let unit = rest[..word].first().is_none_or(|b| begins_word(*b)) && !rest[..word].iter().any(u8::is_ascii_digit);
    unit.then_some((number.into(), used))
}

/// The comma within the number at `at`, where it may be a decimal one: `1,78`, while `1, 78` and `1,78,3` are lists.
fn comma_at(line: &[u8], at: usize) -> Option<Sign> {
    let text = &line[at..];
    let sign = usize::from(matches!(text.first(), Some(b'-' | b'+')));
    let digits = |text: &[u8]| text.iter().take_while(|b| b.is_ascii_digit()).count();
    let front = digits(&text[sign..]);
    let comma = sign + front;
    if front == 0 || text.get(comma) != Some(&b',') || (at > 0 && line[at - 1] == b',') {
        return None;
    }
    let behind = digits(&text[comma + 1..]);
    let next = text.get(comma + 1 + behind);
    let list = matches!(next, Some(b',' | b'.' | b'=' | b':')) || next.is_some_and(|b| is_word(*b));
    (behind > 0 && !list).then(|| Sign::Comma { front, behind, zero: text[comma + 1] == b'0' && behind > 1 })
}

/// The signs that may part groups of three digits.
pub(super) const GROUPS: [u8; 3] = [b',', b'\'', b' '];

/// The length of the number at the start of `text` whose thousands are parted by `sign`: one group at least.
pub(super) fn grouped_length(text: &[u8], sign: u8) -> Option<usize> {
    let digits = |at: usize| text[at..].iter().take_while(|b| b.is_ascii_digit()).count();
    let begin = usize::from(matches!(text.first(), Some(b'-' | b'+')));
    let mut end = begin + digits(begin);
    let front = end - begin;
    if !(1..=3).contains(&front) || text[begin] == b'0' {
        return None;
    }
    while text.get(end) == Some(&sign) && digits(end + 1) == 3 {
        end += 4;
    }
    if end == begin + front {
        return None;
    }
    if text.get(end) == Some(&b'.') {
        end += 1 + digits(end + 1);
    }
    Some(end)
}

/// The number at the start of `text`, and its length; its thousands may be parted, as in `2,311` or `-1,048,576.5`.
pub(super) fn with_thousands(text: &[u8]) -> Option<(Number, usize)> {
    let Some((sign, length)) = GROUPS.into_iter().find_map(|sign| Some((sign, grouped_length(text, sign)?))) else {
        return scan_number(text);
    };
    let plain: Vec<u8> = text[..length].iter().copied().filter(|b| *b != sign).collect();
    Some((number(&plain)?, length))
}

/// Signs behind which there is no unit of the value before.
const SIGNS: [u8; 6] = *b"!*#<>~";

/// What stands between two values.
#[derive(Default)]
struct Gap {
    /// Words before the first break.
    before: Vec<Range<usize>>,
    /// Words behind it.
    behind: Vec<Range<usize>>,
    broken: bool,
    /// A break stands in front of all words.
    apart: bool,
    /// What stands in `behind` may be a text of its own, as long as nothing but one blank follows.
    text: bool,
    /// A sign stands behind some of the words, which is no blank: `S,` or `[INFO]`.
    parted: bool,
    /// A bracket is open.
    open: bool,
    /// A `=` or `:` stands right before the value.
    named: bool,
    /// It is a `=` that touches the name.
    tight: bool,
    /// All values before have names of their own.
    in_turn: bool,
    /// A comma stands in front of all words.
    behind_comma: bool,
}

impl Gap {
    /// `leads`: a name's sign or a value stands right behind the token.
    fn take(&mut self, line: &[u8], token: Token, at: Range<usize>, leads: bool) {
        let sign = line[at.start];
        match token {
            Token::Word if self.named && leads => {
                // `probe: level=22`, `hall: raw 22`: the last name is the value's.
                self.named = false;
                self.before.truncate(usize::from(!self.broken && self.before.len() > 1));
                (self.behind, self.broken) = (vec![at], true);
            }
            Token::Word if std::mem::take(&mut self.named) => {
                // `state: idle  temp: 22`: a text of its own, and what it is called, are no part of the next label. In
                // `data: flow rate: 22` it is one with that.
                self.before.truncate(usize::from(!self.broken && self.before.len() > 1));
                let word = &line[at.clone()];
                let next = line[at.end..].trim_ascii_start();
                let leads_on = next.starts_with(b"(") || next.starts_with(b"[") || next.starts_with(b"->");
                // `room=lab t=22`: what touches a `=` on both sides is its value.
                let is_value = self.tight && at.start > 0 && line[at.start - 1] == b'=';
                let is_upper = word.iter().all(|b| b.is_ascii_uppercase() || b.is_ascii_digit());
                let is_code = !leads_on && (is_value || is_upper || state(word).is_some());
                self.behind = if is_code { Vec::new() } else { vec![at] };
                (self.broken, self.text) = (true, true);
            }
            Token::Word if self.broken => self.behind.push(at),
            Token::Word => self.before.push(at),
            Token::Break if !self.named => {
                // A break between a name and its value is padding.
                let has_words = !self.before.is_empty() || !self.behind.is_empty();
                self.broken |= has_words;
                self.apart |= !has_words;
                self.behind_comma |= !has_words && sign == b',';
                if std::mem::take(&mut self.text) && !matches!(sign, b'(' | b'[') {
                    self.behind.clear();
                }
                self.parted |= has_words && matches!(sign, b',' | b';' | b'|' | b']');
            }
            Token::Names => {
                self.named = true;
                self.tight = sign == b'=' && at.start > 0 && is_word(line[at.start - 1]);
            }
            // What stands behind a sign such as `!` is no unit of the value before.
            Token::Other if SIGNS.contains(&sign) && !self.named => self.broken = true,
            Token::Break | Token::Other | Token::Value(_) => {}
        }
    }

    /// Cuts the words into the unit of the value before and the label of the value behind.
    ///
    /// `names_lead`: the line begins with a name.
    fn cut(
        mut self,
        line: &[u8],
        attached: bool,
        first: bool,
        names_lead: bool,
        between: Between,
    ) -> (Vec<Range<usize>>, Vec<Range<usize>>) {
        if first {
            if (self.parted || (self.open && self.named)) && !self.behind.is_empty() {
                // `Reading(x=22)`: what stands in the bracket is the name; `S,x=22`, `[INFO] x 22`: no part of one is the tag.
                return (Vec::new(), self.behind);
            }
            self.before.append(&mut self.behind);
            let is_level = self.before.len() > 1 && LEVELS.contains(&&line[self.before[0].clone()]);
            return (Vec::new(), self.before.split_off(usize::from(is_level)));
        }
        if self.broken && !self.behind.is_empty() {
            return (self.before, self.behind);
        }
        let words = self.before;
        let is_first_unit = |word: &[u8]| is_time_unit(word) || (is_unit(word) && !may_be_name(word));
        // Behind a comma stands the name of what comes next, though it may be that of a unit: `min`.
        let is_unit = |range: &Range<usize>| is_unit(&line[range.clone()]) && !(self.apart && names_lead);
        // Words by turns with values, a word first and a value last, are names: `A 22 B 23 C 24`.
        let by_turns = names_lead && between == Between::Names;
        let is_sure =
            |range: &Range<usize>| is_unit(range) && (between == Between::Units || !may_be_name(&line[range.clone()]));
        let unit = match words.len() {
            0 => 0,
            _ if is_degrees(line, &words) => 2,
            // `21.5hum:40`: a name follows at once.
            1 if attached && self.named && !is_unit(&words[0]) => 0,
            _ if attached => 1,
            // `1234 ms: 22`, `814 mV => 20`: a value in front, and what it comes to.
            1 if self.named && !names_lead && is_first_unit(&line[words[0].clone()]) => 1,
            // `CPS, 3, CPM, 20`: a word between two signs names what follows.
            1 if self.named || (self.in_turn && self.behind_comma && self.broken) => 0,
            1 if by_turns && (self.apart || !self.broken) => 0,
            1 if self.broken => 1,
            1 => usize::from(!names_lead || is_sure(&words[0])),
            _ => usize::from(is_unit(&words[0]) || self.broken),
        };
        (words[..unit].to_vec(), words[unit..].to_vec())
    }
}

/// Finds all values of `line` with their labels and units.
pub(super) fn scan(line: &[u8], style: Style) -> Scan {
    let end = line.iter().rposition(|b| !matches!(b, b' ' | b'\t' | b')' | b']' | b';' | b',' | b'.'));
    let text = &line[..end.map_or(0, |end| end + 1)];
    if text.last().is_some_and(|b| begins_word(*b)) {
        let apart =
            text.iter().rfind(|b| !begins_word(**b) && !matches!(b, b'/' | b'*')).is_none_or(|b| !b.is_ascii_digit());
        // Where units touch their values, a word apart may be a name.
        if apart {
            let (scan, gaps) = scan_as(line, style, Between::Units);
            if !gaps.has_name {
                return scan;
            }
        }
        return scan_as(line, style, Between::Either).0;
    }
    let (scan, gaps) = scan_as(line, style, Between::Names);
    // Where there is a unit and a name between two values, one word may be either.
    if gaps.most > 1 { scan_as(line, style, Between::Either).0 } else { scan }
}

/// What one word between two values is, on a line that begins with a name.
#[derive(Clone, Copy, PartialEq)]
enum Between {
    /// A unit, where it is one by its spelling: the line ends with a unit.
    Units,
    /// A name: names and values come by turns.
    Names,
    /// A unit that is nothing else, or a name.
    Either,
}

/// What stands between the values of a line.
#[derive(Clone, Copy, Debug, Default)]
struct Gaps {
    /// The most words.
    most: usize,
    /// Somewhere there is one word that is no unit, and so a name.
    has_name: bool,
}

/// The same, and what stands between values.
fn scan_as(line: &[u8], style: Style, between: Between) -> (Scan, Gaps) {
    let mut scan = Scan { strong: true, ..Scan::default() };
    let mut gaps = Gaps::default();
    let mut gap = Gap::default();
    let mut names_lead = false;
    let mut all_named = true;
    // The unit that stands in front of the value to come.
    let mut next_unit: Option<Range<usize>> = None;
    let mut in_front: Vec<Option<Range<usize>>> = Vec::new();
    let mut at = prompt(line);
    while at < line.len() {
        // Behind a value brackets may hold another one.
        let has_name = !gap.before.is_empty() || !gap.behind.is_empty();
        if let Some((unit, end)) = if has_name { bracketed_unit(line, at, style) } else { None } {
            (next_unit, at) = (Some(unit), end);
            continue;
        }
        let (token, end) = token(line, at, style);
        let Token::Value(value) = token else {
            let ends = matches!(token, Token::Other | Token::Names) && line[end - 1] == b'-';
            if !style.minus && ends && apart(line, end - 1, style).is_some() {
                scan.signs.push(Sign::Minus);
            }
            let leads = leads(line, end, style);
            scan.has_text |= token == Token::Word && gap.named && !leads;
            match line[at] {
                b'(' | b'[' | b'{' => gap.open = true,
                b')' | b']' | b'}' => gap.open = false,
                _ => {}
            }
            gap.take(line, token, at..end, leads);
            at = end;
            continue;
        };
        // A number right before a `:` belongs to the name: `ch 1: 22`.
        // `Sensor 1 (V): 22`: a unit may stand between.
        let at_name = end + line[end..].iter().take_while(|b| **b == b' ').count();
        let behind_unit =
            line.get(at_name).and_then(|_| bracketed_unit(line, at_name, style)).map_or(at_name, |(_, end)| end);
        let sign = line[behind_unit..].trim_ascii_start();
        let names = matches!(sign.first(), Some(b':' | b'=')) || (behind_unit > at_name && sign.starts_with(b"->"));
        let counted = |slot: &Slot| slot.label.bytes().all(|b| b.is_ascii_digit()) && !slot.label.is_empty();
        // Where the first name is nothing but a number, so are the others: `0: 22  1: 23`.
        let labelled = !gap.before.is_empty() || !gap.behind.is_empty() || scan.slots.first().is_none_or(counted);
        // `09:41.5 837`: minutes and seconds.
        let pair = |at: usize| line.get(at..at + 2).is_some_and(|pair| pair.iter().all(u8::is_ascii_digit));
        let minutes = end == at + 2 && pair(at) && line.get(end) == Some(&b':') && pair(end + 1);
        if names && labelled && !gap.named && !minutes {
            gap.take(line, Token::Word, at..end, true);
            at = end;
            continue;
        }
        if style.comma == Comma::Decimal {
            scan.signs.extend(comma_at(line, at));
        }
        let attached =
            scan.slots.last().is_some_and(|slot| gap.before.first().is_some_and(|word| word.start == slot.at.end));
        let named = gap.named;
        let first = scan.slots.is_empty();
        if !first {
            let words = gap.before.len() + gap.behind.len() - usize::from(attached);
            gaps.most = gaps.most.max(words);
            let word = gap.before.iter().chain(&gap.behind).next();
            gaps.has_name |= words == 1 && !attached && word.is_some_and(|word| !is_unit(&line[word.clone()]));
        }
        if let ([word], true) = (gap.before.as_slice(), !first && names_lead && between == Between::Units) {
            let text = &line[word.clone()];
            let alone = gap.behind.is_empty() && !attached && !gap.named && !gap.broken && !gap.apart;
            scan.unclear = Some(word.clone()).filter(|_| alone && is_unit(text) && may_be_name(text)).or(scan.unclear);
        }
        gap.in_turn = names_lead && all_named;
        let (unit, label) = std::mem::take(&mut gap).cut(line, attached, first, names_lead, between);
        if let Some(last) = scan.slots.last_mut() {
            last.unit = unit_of(line, &unit);
        }
        names_lead |= first && !label.is_empty();
        all_named &= !label.is_empty();
        scan.strong &= named;
        let whole = label.first().map_or(at, |word| word.start)..end;
        let label = joined(line, &label);
        scan.slots.push(Slot { label, value, at: at..end, whole, unit: 0..0 });
        in_front.push(next_unit.take());
        if scan.slots.len() > MAX_FIELDS {
            scan.too_many = true;
            break;
        }
        at = end;
    }
    // Of several words behind the last value the first is its unit when it touches it, or is known as one; else they are a
    // sentence.
    let touches =
        scan.slots.last().is_some_and(|slot| gap.before.first().is_some_and(|word| word.start == slot.at.end));
    let all = gap.broken || touches || gap.before.len() == 1 || is_degrees(line, &gap.before);
    let known = gap.before.first().is_some_and(|word| is_unit(&line[word.clone()]));
    // Where names and values come by turns, what stands behind a comma is a unit where it is known as one.
    let in_turn = names_lead && all_named && scan.slots.len() > 1;
    let words = match all && !(gap.behind_comma && in_turn) {
        true => gap.before.len(),
        false => usize::from(known),
    };
    let tail: Vec<_> = gap.before.into_iter().take(words).collect();
    if let Some(last) = scan.slots.last_mut() {
        last.unit = unit_of(line, &tail);
    }
    for (slot, unit) in scan.slots.iter_mut().zip(in_front) {
        slot.unit = unit.filter(|_| slot.unit.is_empty()).unwrap_or(slot.unit.clone());
    }
    name_the_rest(line, &mut scan.slots);
    (scan, gaps)
}

/// Whether a name's sign or a value stands at `at`, behind blanks.
fn leads(line: &[u8], at: usize, style: Style) -> bool {
    let at = at + line[at..].iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
    match line.get(at) {
        Some(b'=' | b':') => true,
        Some(b'-') if line.get(at + 1) == Some(&b'>') => true,
        Some(_) => matches!(token(line, at, style).0, Token::Value(_)),
        None => false,
    }
}

/// The unit in brackets at `at` that belongs to the value which follows, as in `Temp (C): 22`, and the place behind it.
fn bracketed_unit(line: &[u8], at: usize, style: Style) -> Option<(Range<usize>, usize)> {
    let close = match line[at] {
        b'(' => b')',
        b'[' => b']',
        _ => return None,
    };
    let length = line[at + 1..].iter().position(|b| *b == close).filter(|length| (1..=UNIT + 4).contains(length))?;
    let unit = at + 1..at + 1 + length;
    let plain = !line[unit.clone()].iter().any(|b| matches!(b, b'(' | b'[' | b'=' | b':' | b','));
    let begins = begins_word(line[unit.start]) || line[unit.start] == b'1' || is_mocked_degree(line, unit.start);
    (plain && begins && leads(line, unit.end + 1, style)).then_some((unit.clone(), unit.end + 1))
}

/// The first of `words`, when it is short enough for a unit.
fn unit_of(line: &[u8], words: &[Range<usize>]) -> Range<usize> {
    let fits = |word: &&Range<usize>| word.len() <= UNIT + 2 && std::str::from_utf8(&line[(*word).clone()]).is_ok();
    let first = if is_degrees(line, words) { Some(words[0].start..words[1].end) } else { words.first().cloned() };
    first.filter(|word| fits(&word)).unwrap_or(0..0)
}

/// Words as one label: letters, digits, `_`, `.` and `-`, nothing that a terminal would act on.
fn joined(line: &[u8], words: &[Range<usize>]) -> String {
    let mut label = String::new();
    for word in words {
        let text = String::from_utf8_lossy(&line[word.clone()]);
        if words.len() > 1 && FILLERS.iter().any(|filler| text.eq_ignore_ascii_case(filler)) {
            continue;
        }
        if !label.is_empty() {
            label.push('_');
        }
        label.extend(text.chars().map(|c| if c.is_alphanumeric() || matches!(c, '_' | '.' | '-') { c } else { '_' }));
    }
    if let Some((end, _)) = label.char_indices().nth(LABEL) {
        label.truncate(end);
    }
    label
}

/// Gives values without a label the one before with their unit or number behind, and makes labels differ.
fn name_the_rest(line: &[u8], slots: &mut [Slot]) {
    let mut named: Option<(String, usize)> = None;
    for i in 0..slots.len() {
        if slots[i].label.is_empty() {
            let unit = joined(line, std::slice::from_ref(&slots[i].unit));
            slots[i].label = match &mut named {
                Some((label, _)) if unit.bytes().any(|b| b.is_ascii_alphabetic()) => format!("{label}_{unit}"),
                Some((label, count)) => {
                    *count += 1;
                    format!("{label}_{count}")
                }
                None => format!("field{}", i + 1),
            };
        } else {
            named = Some((slots[i].label.clone(), 1));
        }
        let same = |label: &str| slots[..i].iter().any(|other| other.label == label);
        if same(&slots[i].label) {
            let base = slots[i].label.clone();
            let number = (2..).find(|n| !same(&format!("{base}_{n}"))).unwrap_or(2);
            slots[i].label = format!("{base}_{number}");
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(line: &str) -> Vec<String> {
        let text = |range: &Range<usize>| String::from_utf8_lossy(&line.as_bytes()[range.clone()]).into_owned();
        let slots = scan(line.as_bytes(), Style::default()).slots;
        slots
            .iter()
            .map(|s| format!("{}={} {}", s.label, s.value.number.value, text(&s.unit)).trim_end().to_owned())
            .collect()
    }

    #[test]
    fn names_values_units_words_and_padding_are_told_apart() {
        for (line, fields) in [
            ("gauge 2210 cnt  (1.781 V)", &["gauge=2210 cnt", "gauge_V=1.781 V"][..]),
            ("a:==== 22  b: 4", &["a=22", "b=4"]),
            ("temp: 22.5 C, hum: 40 %", &["temp=22.5 C", "hum=40 %"]),
            ("temp 22 hum 40", &["temp=22", "hum=40"]),
            ("temp 22 C hum 40 %", &["temp=22 C", "hum=40 %"]),
            ("22.5C,40%", &["field1=22.5 C", "field2=40 %"]),
            ("T=22.5°C", &["T=22.5 °C"]),
            ("water level is 104.2 mm", &["water_level=104.2 mm"]),
            ("acc: -0.12, 0.98, +0.03", &["acc=-0.12", "acc_2=0.98", "acc_3=0.03"]),
            ("Sensor 1 (V):574", &["Sensor_1=574 V"]),
            ("ch 1: 22 ch 2: 23", &["ch_1=22", "ch_2=23"]),
            ("0: 512", &["0=512"]),
            ("A0 = 512 | A1 = 480", &["A0=512", "A1=480"]),
            ("a: 1,78; b: 2,5", &["a=1.78", "b=2.5"]),
            ("X accel: 1.2 m/s  Y accel: 0.3 m/s", &["X_accel=1.2 m/s", "Y_accel=0.3 m/s"]),
            ("state: idle  temp: 22", &["temp=22"]),
            ("door: open, lid: closed", &["door=1", "lid=0"]),
            ("a=-3 b=- 4 c:--5", &["a=-3", "b=4", "c=-5"]),
            ("raw: 0x8A2  volts: nan", &["raw=2210", "volts=NaN"]),
            ("> p: 1.0 bar", &["p=1 bar"]),
            ("a 1 a 2", &["a=1", "a_2=2"]),
            ("H:45% T:23.1*C HI:23'C", &["H=45 %", "T=23.1 *C", "HI=23 'C"]),
            ("0: 22\t1: 23\t2: 24", &["0=22", "1=23", "2=24"]),
            ("temp 22 (avg 21, min 20, max 25)", &["temp=22", "avg=21", "min=20", "max=25"]),
            ("[INFO] pot 839; raw 100", &["pot=839", "raw=100"]),
            ("S,A1=955 raw=0", &["A1=955", "raw=0"]),
            ("data: flow rate : 12 | T : 7", &["flow_rate=12", "T=7"]),
            ("data: temp (degC)=11 x=2", &["temp=11 degC", "x=2"]),
            ("data: CO2 (ppm) : 9", &["CO2=9 ppm"]),
            ("mv 557 CO2 0 ppm lvl 117 min 327", &["mv=557", "CO2=0 ppm", "lvl=117", "min=327"]),
            ("I (mA) -> 1007", &["I=1007 mA"]),
            ("out = 5, T = 13 (deg C)", &["out=5", "T=13 deg C"]),
            ("T:9 (deg C), hum:10", &["T=9 deg C", "hum=10"]),
            ("T:7 (*C)", &["T=7 *C"]),
            ("T (*C): 7", &["T=7 *C"]),
            ("S,8 mm 14 Hz.", &["S=8 mm", "S_Hz=14 Hz"]),
            ("T:73 *C", &["T=73 *C"]),
            ("a 5 T 13deg C b 7", &["a=5", "T=13 deg C", "b=7"]),
            ("wind 270 deg 3.4 m/s gust 5.6", &["wind=270 deg", "wind_m_s=3.4 m/s", "gust=5.6"]),
            ("A 22 B 23 C 24", &["A=22", "B=23", "C=24"]),
            ("V 3.3 A 0.5 W 1.65", &["V=3.3", "A=0.5", "W=1.65"]),
            ("t,22.5,h,40", &["t=22.5", "h=40"]),
            ("temp -> 22, hum -> 40", &["temp=22", "hum=40"]),
            ("min 178 cnt 497 air 420 (hPa)", &["min=178", "cnt=497", "air=420 hPa"]),
            ("LDR 604 rpm 281rpm", &["LDR=604", "rpm=281 rpm"]),
            ("E: 1.5 kWh P: 230 W PF: 0.9", &["E=1.5 kWh", "P=230 W", "PF=0.9"]),
            (
                "the temperature is 22 degrees C and the humidity is 40 percent",
                &["temperature=22 degrees C", "humidity=40 percent"],
            ),
            ("HR: 72 beats / O2: 98 %", &["HR=72 beats", "O2=98 %"]),
            ("22%/40%", &["field1=22 %", "field2=40 %"]),
            ("P1:22/P2:23", &["P1=22", "P2=23"]),
            ("Temp:21.5Hum:40", &["Temp=21.5", "Hum=40"]),
            ("Distance = 12 cm now", &["Distance=12 cm"]),
            ("CPS, 3, CPM, 20, uSv/hr, 0.15, SLOW", &["CPS=3", "CPM=20", "uSv_hr=0.15"]),
            ("T:205.1 /210.00 B:55", &["T=205.1", "T_2=210", "B=55"]),
            ("814 mV => 20.5 %", &["field1=814 mV", "field2=20.5 %"]),
            ("1234 ms: 512", &["field1=1234 ms", "field2=512"]),
        ] {
            assert_eq!(read(line), fields, "{line}");
        }
    }
}
