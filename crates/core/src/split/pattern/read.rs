//! A line read by a pattern.

use super::super::number::{Number, scan_number, scan_with_comma};
use super::super::outcome::Rejection;
use super::super::read::{Cells, Other};
use super::super::value::{is_gap, state};
use super::super::wall::moment;
use super::super::words::with_thousands;
use super::{FieldKind, Form, Part, Pattern};
use std::ops::Range;

/// A word that stood where a column has codes, and is none of them.
pub(in super::super) type Unread = Option<(usize, Vec<u8>)>;

/// How far a line went along with a form.
struct Reached {
    /// Fields that were read.
    fields: usize,
    /// The text in front of the first field was there, and is more than a sign.
    begun: bool,
    why: Rejection,
}

fn is_blank(byte: u8) -> bool {
    matches!(byte, b' ' | b'\t')
}

fn blanks(line: &[u8], at: usize) -> usize {
    line[at..].iter().take_while(|b| is_blank(**b)).count()
}

fn is_letter(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || byte == b'_' || byte >= 0x80
}

/// The place behind `text`, which stands at `at`; blanks on both sides do not count.
#[inline]
fn behind(line: &[u8], at: usize, text: &[u8]) -> Option<usize> {
    let mut at = at;
    for byte in text.iter().filter(|b| !is_blank(**b)) {
        while line.get(at).is_some_and(|b| is_blank(*b)) {
            at += 1;
        }
        if line.get(at) != Some(byte) {
            return None;
        }
        at += 1;
    }
    Some(at)
}

/// The two digits behind the last `*` are those of the bytes between `$` and it, joined by XOR; gives the place of the `*`.
pub(super) fn checked(line: &[u8]) -> Option<(usize, bool)> {
    let line = line.trim_ascii_end();
    let star = line.len().checked_sub(3).filter(|star| line[*star] == b'*')?;
    let told = u8::from_str_radix(std::str::from_utf8(&line[star + 1..]).ok()?, 16).ok()?;
    let begin = usize::from(matches!(line.first(), Some(b'$' | b'!')));
    Some((star, line[begin..star].iter().fold(0, |sum, byte| sum ^ byte) == told))
}

impl FieldKind {
    /// The value at `at` and where it ends. `text` is a word that is none of the codes.
    #[inline]
    fn value(&self, line: &[u8], at: usize, word: &mut Unread, column: usize, cells: &mut Cells<'_>) -> Option<usize> {
        let text = &line[at..];
        let mut number = |found: Option<(Number, usize)>| {
            let (number, used) = found?;
            cells.set_number(column, number);
            Some(at + used)
        };
        match self {
            FieldKind::Number | FieldKind::Ticks => number(scan_number(text)),
            FieldKind::Comma => number(scan_with_comma(text)),
            FieldKind::Thousands => number(with_thousands(text)),
            FieldKind::Minus => {
                let gap = if text.first() == Some(&b'-') { blanks(text, 1) } else { 0 };
                number(scan_number(&text[if gap > 0 { gap + 1 } else { 0 }..]).map(|(mut number, used)| {
                    number.value = if gap > 0 { -number.value } else { number.value };
                    (number, used + if gap > 0 { gap + 1 } else { 0 })
                }))
            }
            FieldKind::Hex => {
                let digits = text.iter().take_while(|b| b.is_ascii_hexdigit()).count();
                let text = std::str::from_utf8(&text[..digits]).ok()?;
                let value = u64::from_str_radix(text, 16).ok()? as f64;
                number(Some((Number { value, decimals: 0 }, digits)))
            }
            FieldKind::Binary => {
                let digits = text.iter().take_while(|b| matches!(b, b'0' | b'1')).count();
                let text = std::str::from_utf8(&text[..digits]).ok()?;
                let value = u64::from_str_radix(text, 2).ok()? as f64;
                number(Some((Number { value, decimals: 0 }, digits)))
            }
            FieldKind::State => {
                let length = text.iter().take_while(|b| is_letter(**b)).count();
                cells.set(column, state(&text[..length])?);
                Some(at + length)
            }
            FieldKind::Clock(written) => {
                let (moment, used) = moment(text, *written)?;
                number(Some((Number { value: moment.seconds, decimals: moment.decimals }, used)))
            }
            FieldKind::Codes(codes) => {
                let fits = |code: &&String| {
                    text.starts_with(code.as_bytes()) && !text.get(code.len()).is_some_and(|b| is_letter(*b))
                };
                let longest =
                    codes.iter().enumerate().filter(|(_, code)| fits(code)).max_by_key(|(_, code)| code.len());
                if let Some((index, code)) = longest {
                    return number(Some((Number { value: index as f64, decimals: 0 }, code.len())));
                }
                let length = word_length(text);
                (length > 0 && length <= 32).then_some(())?;
                if !is_gap(&text[..length]) {
                    *word = Some((column, text[..length].to_vec()));
                }
                number(Some((Number { value: f64::NAN, decimals: 0 }, length)))
            }
        }
    }
}

/// The length of one word: letters and digits that begin with a letter.
fn word_length(text: &[u8]) -> usize {
    let first = text.first().is_some_and(|b| is_letter(*b) && !b.is_ascii_digit());
    if first { text.iter().take_while(|b| is_letter(**b) || matches!(b, b'-' | b'/')).count() } else { 0 }
}

impl Form {
    /// Whether `line` has all words of the form, one at least, in their order: it is a damaged row rather than a message.
    fn has_words(&self, line: &[u8]) -> bool {
        let (mut at, mut count) = (0, 0);
        let texts = self.parts.iter().filter_map(|part| if let Part::Text(text) = part { Some(text) } else { None });
        for word in texts.flat_map(|text| text.split(|c: char| !c.is_alphanumeric())).filter(|word| !word.is_empty()) {
            let Some(found) = memchr::memmem::find(&line[at..], word.as_bytes()) else { return false };
            (at, count) = (at + found + word.len(), count + 1);
        }
        count > 0 && line[at..].iter().any(u8::is_ascii_digit)
    }

    /// Reads `line`; gives the place of each column's text to `found`.
    #[inline]
    fn read(
        &self,
        pattern: &Pattern,
        line: &[u8],
        cells: &mut Cells<'_>,
        word: &mut Unread,
        mut found: impl FnMut(usize, Range<usize>),
    ) -> Result<(), Reached> {
        let mut reached = Reached { fields: 0, begun: false, why: Rejection::NotANumber };
        let line = match (self.checked, if self.checked { checked(line) } else { None }) {
            (false, _) => line,
            (true, Some((star, true))) => &line[..star],
            (true, Some((_, false))) => return Err(Reached { why: Rejection::Checksum, ..reached }),
            (true, None) => return Err(reached),
        };
        let (mut at, mut after_number) = (0, false);
        for (i, part) in self.parts.iter().enumerate() {
            match part {
                Part::Text(text) => {
                    let Some(end) = behind(line, at, text.as_bytes()) else {
                        reached.why = Rejection::OtherText;
                        return Err(reached);
                    };
                    reached.begun |= i == 0 && text.trim().len() > 1;
                    // A word of the text goes on in the line.
                    let cut = line.get(end).is_some_and(|b| b.is_ascii_alphabetic())
                        && text.ends_with(|c: char| c.is_ascii_alphanumeric())
                        && !matches!(self.parts.get(i + 1), Some(Part::Field(_) | Part::Rest));
                    if cut {
                        reached.why = Rejection::OtherText;
                        return Err(reached);
                    }
                    at = end;
                    after_number &= text.trim().is_empty();
                }
                Part::Field(column) => {
                    let gap = blanks(line, at);
                    // Of two numbers side by side, a sign begins the second.
                    if after_number && gap == 0 && !matches!(line.get(at), Some(b'-' | b'+')) {
                        reached.why = Rejection::FieldCount;
                        return Err(reached);
                    }
                    let start = at + gap;
                    let kind = &pattern.columns[*column].kind;
                    let end = kind.value(line, start, word, *column, cells).or_else(|| {
                        let end = no_reading(line, start)?;
                        cells.set_number(*column, Number { value: f64::NAN, decimals: 0 });
                        Some(end)
                    });
                    let Some(end) = end else { return Err(reached) };
                    found(*column, start..end);
                    reached.fields += 1;
                    at = end;
                    after_number = true;
                }
                Part::Word => {
                    let next = self.parts.get(i + 1);
                    let length = match next {
                        Some(Part::Text(text)) => {
                            let first = text.trim_start().as_bytes().first().copied().unwrap_or(b' ');
                            line[at..].iter().position(|b| *b == first).unwrap_or(line.len() - at)
                        }
                        Some(_) => line[at..].iter().take_while(|b| !b.is_ascii_digit()).count(),
                        None => line.len() - at,
                    };
                    at += length;
                    after_number = false;
                }
                Part::Rest => at = line.len(),
            }
        }
        if at + blanks(line, at) == line.len() {
            return Ok(());
        }
        reached.why = Rejection::OtherText;
        Err(reached)
    }
}

/// The end of a word at `start` that says that there is no reading.
fn no_reading(line: &[u8], start: usize) -> Option<usize> {
    let text = &line[start..];
    let length = text.iter().take_while(|b| is_letter(**b) || matches!(b, b'/' | b'-' | b'*' | b'?')).count();
    if length == 0 {
        // An empty cell of a list.
        return matches!(text.first(), None | Some(b',' | b';' | b'|')).then_some(start);
    }
    is_gap(&text[..length]).then_some(start + length)
}

impl Pattern {
    /// Reads `line` into `cells`.
    #[inline]
    pub(in super::super) fn read(&self, line: &[u8], cells: &mut Cells<'_>, word: &mut Unread) -> Result<(), Other> {
        let mut best: Option<Reached> = None;
        if self.forms.len() > 1 {
            // A line of one kind has none of the others' columns.
            cells.clear();
        }
        for form in &self.forms {
            match form.read(self, line, cells, word, |_, _| ()) {
                Ok(()) => return Ok(()),
                Err(reached) => {
                    cells.clear();
                    *word = None;
                    let rank = |reached: &Reached| (reached.why == Rejection::Checksum, reached.fields, reached.begun);
                    if best.as_ref().is_none_or(|best| rank(&reached) > rank(best)) {
                        best = Some(reached);
                    }
                }
            }
        }
        let Some(best) = best else { return Err(Other::Text) };
        let is_row = best.why == Rejection::Checksum
            || best.begun
            || best.fields * 2 >= self.columns.len().max(2)
            || self.forms.iter().any(|form| !form.checked && form.has_words(line));
        Err(if is_row { Other::Damage(best.why) } else { Other::Text })
    }

    /// Whether `line` is of the pattern.
    pub(in super::super) fn reads(&self, line: &[u8]) -> bool {
        self.read(line, &mut Cells::new(&mut vec![f64::NAN; self.columns.len()]), &mut None).is_ok()
    }

    /// Where the fields of a line stand, with their columns.
    pub(in super::super) fn spans(&self, line: &[u8]) -> Vec<(Range<usize>, usize)> {
        let mut values = vec![f64::NAN; self.columns.len()];
        for form in &self.forms {
            let mut spans = Vec::new();
            let mut cells = Cells::new(&mut values);
            if form.read(self, line, &mut cells, &mut None, |column, at| spans.push((at, column))).is_ok() {
                return spans;
            }
        }
        Vec::new()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What a line comes to by a pattern: its values, or why it is no row.
    fn read(pattern: &str, line: &str) -> Result<Vec<f64>, Other> {
        let pattern: Pattern = pattern.parse().unwrap();
        let mut values = vec![f64::NAN; pattern.columns()];
        pattern.read(line.as_bytes(), &mut Cells::new(&mut values), &mut None)?;
        Ok(values)
    }

    #[test]
    fn every_kind_of_field_is_read_and_what_is_none_is_told() {
        for (pattern, line, values) in [
            ("S,{a},{b}", "S,837,-287.5", &[837.0, -287.5][..]),
            ("S,{a},{b}", " S , 837 ,  287 ", &[837.0, 287.0]),
            ("{a}{b}", "-1.33-10.49", &[-1.33, -10.49]),
            ("{a:comma} V; {b:comma}", "1,78 V; -0,5", &[1.78, -0.5]),
            ("{a:thousands} of {b:thousands}", "2,311 of 1'048'576", &[2311.0, 1_048_576.0]),
            ("p: {a:thousands} Pa", "p: 987 Pa", &[987.0]),
            ("x: {x:minus}", "x: - 837", &[-837.0]),
            ("x: {x:minus}", "x: 837", &[837.0]),
            ("#{a:hex}", "#0BC8", &[3016.0]),
            ("{a:binary};{b}", "0101;7", &[5.0, 7.0]),
            ("{t:clock} -> {a}", "12:59:00.5 -> 3", &[46_740.5, 3.0]),
            ("[{t:ticks}] {a}", "[1234] 5", &[1234.0, 5.0]),
            ("door {d:state} {m=idle|very fast}", "door OPEN very fast", &[1.0, 1.0]),
            ("temp {a}{:rest}", "temp 21 !!! HOT", &[21.0]),
            ("{:word} = {a}", "water level = 7", &[7.0]),
            ("$A,{a}*{:check} {or} $B,{b}*{:check}", "$B,5*5B", &[f64::NAN, 5.0]),
            ("{a};{b};{c}", "1;N/A;", &[1.0, f64::NAN, f64::NAN]),
        ] {
            let found = read(pattern, line);
            let same = found.as_ref().is_ok_and(|found| {
                found.len() == values.len()
                    && found.iter().zip(values).all(|(a, b)| a == b || (a.is_nan() && b.is_nan()))
            });
            assert!(same, "{pattern}: {line}: {found:?}");
        }
        for (pattern, line, why) in [
            ("S,{a},{b}", "S,837", Some(Rejection::OtherText)),
            ("S,{a},{b}", "S,8x7,5", Some(Rejection::OtherText)),
            ("S,{a},{b}", "wave board ready", None),
            ("{a} {b}", "837", Some(Rejection::FieldCount)),
            ("$A,{a}*{:check}", "$A,5*59", Some(Rejection::Checksum)),
            ("$A,{a}*{:check}", "$A,5", None),
            ("{t:clock} {a}", "25:59:00 7", None),
            ("temp {a} C", "temp 21 F", Some(Rejection::OtherText)),
        ] {
            let expected = why.map_or(Other::Text, Other::Damage);
            assert_eq!(read(pattern, line), Err(expected), "{pattern}: {line}");
        }
    }
}
