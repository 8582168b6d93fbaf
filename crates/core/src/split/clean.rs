//! What of a line's bytes is text: escape sequences taken out, single bytes of Latin-1 and typographic and wide signs made plain.
//!
//! Only what is split is changed; what is kept and shown are the bytes as they came.

use std::borrow::Cow;

/// One odd byte among so many is a letter of Latin-1 (ISO 8859-1); more are noise.
const ODD: usize = 6;

/// The byte-order mark of UTF-8.
const MARK: &[u8] = b"\xef\xbb\xbf";

/// The text of `line`, the line itself where it is plain; `None` where it is no text that a person can read.
pub(super) fn clean(line: &[u8]) -> Option<Cow<'_, [u8]>> {
    if line.iter().all(|b| matches!(b, b' '..=b'~' | b'\t')) {
        return Some(Cow::Borrowed(line));
    }
    let line = line.strip_prefix(MARK).unwrap_or(line);
    let line = without_idle(line);
    let text = without_escapes(line)?;
    let text = match std::str::from_utf8(&text) {
        Ok(text) => Cow::Borrowed(text),
        Err(_) => Cow::Owned(from_latin_1(&text)?),
    };
    if text.chars().any(|c| c.is_control() && c != '\t') {
        return None;
    }
    Some(Cow::Owned(text.chars().map(plain).collect::<String>().into_bytes()))
}

/// `line` without what says nothing at its ends: NUL, BEL and the signs for going on and pausing (XON, XOFF).
fn without_idle(line: &[u8]) -> &[u8] {
    let is_idle = |b: &u8| matches!(b, 0 | 7 | 0x11 | 0x13);
    let begin = line.iter().take_while(|b| is_idle(b)).count();
    let end = line[begin..].iter().rev().take_while(|b| is_idle(b)).count();
    &line[begin..line.len() - end]
}

/// Signs that are written for a minus, and spaces of other widths, as their plain ones.
fn plain(c: char) -> char {
    match c {
        '\u{2212}' | '\u{2010}' | '\u{2011}' | '\u{2012}' | '\u{2013}' | '\u{fe63}' | '\u{ff0d}' => '-',
        '\u{a0}' | '\u{2000}'..='\u{200a}' | '\u{202f}' | '\u{205f}' | '\u{3000}' => ' ',
        // Letters, digits and signs as wide as those of Chinese and Japanese.
        '\u{ff01}'..='\u{ff5e}' => char::from_u32(u32::from(c) - 0xfee0).unwrap_or(c),
        '\u{3bc}' => '\u{b5}',
        '\u{2126}' => '\u{3a9}',
        other => other,
    }
}

/// Whether boards write this byte of Latin-1: a letter, or one of a few signs such as that for degrees.
fn is_written(byte: u8) -> bool {
    matches!(byte, 0xa0 | 0xa7 | 0xb0..=0xb3 | 0xb5 | 0xb7 | 0xc0..) && !matches!(byte, 0xd7 | 0xf7)
}

/// `text` read as Latin-1, where few of its bytes are odd and all of these are printed signs.
fn from_latin_1(text: &[u8]) -> Option<String> {
    let odd = text.iter().filter(|b| **b >= 0x80);
    let (count, printed) = odd.fold((0, true), |(count, printed), byte| (count + 1, printed && is_written(*byte)));
    (printed && count * ODD <= text.len()).then(|| text.iter().map(|b| char::from(*b)).collect())
}

/// `line` without the sequences that colour a terminal or move its cursor (ECMA-48); `None` where an escape begins no whole
/// one, since what it swallows may be a digit.
fn without_escapes(line: &[u8]) -> Option<Cow<'_, [u8]>> {
    if !line.contains(&0x1b) {
        return Some(Cow::Borrowed(line));
    }
    let mut text = Vec::with_capacity(line.len());
    let mut at = 0;
    while at < line.len() {
        if line[at] != 0x1b {
            text.push(line[at]);
            at += 1;
            continue;
        }
        at = match line.get(at + 1)? {
            b'[' => {
                let body = line[at + 2..].iter().take_while(|b| matches!(b, b'0'..=b'9' | b';' | b'?')).count();
                line.get(at + 2 + body).filter(|b| b.is_ascii_alphabetic())?;
                at + 3 + body
            }
            // A text for the terminal itself ends with a bell or with `ESC \`.
            b']' => {
                let end = at + 2 + line[at + 2..].iter().position(|b| matches!(b, 0x07 | 0x1b))?;
                end + if line[end] == 0x1b { 2 } else { 1 }
            }
            _ => return None,
        };
    }
    Some(Cow::Owned(text))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_few_odd_bytes_are_text_and_many_are_noise() {
        let text = |line: &[u8]| clean(line).map(|text| String::from_utf8(text.into_owned()).unwrap());
        for (line, expected) in [
            (&b"T: 21.5 \xb0C"[..], Some("T: 21.5 °C")),
            (b"\x1b[0;32mI (500) adc: 7\x1b[0m", Some("I (500) adc: 7")),
            (b"\x1b]0;title\x07a=1", Some("a=1")),
            (b"\xef\xbb\xbf1,2", Some("1,2")),
            ("x=\u{2212}5".as_bytes(), Some("x=-5")),
            ("101\u{2009}325 Pa".as_bytes(), Some("101 325 Pa")),
            (b"\x1b[", None),
            (b"1\x1b23", None),
            (b"\x1b[1,2]", None),
            (b"\xb0\xb1\xc4 12", None),
            (b"\x00a=1\x07", Some("a=1")),
            (b"a=1\x02", None),
            (b"level 12 \x9fC at the bed", None),
        ] {
            assert_eq!(text(line).as_deref(), expected, "{line:?}");
        }
    }
}
