//! A line cut into numbers, phrases, moments and signs, by one of several ways of reading signs.

use super::super::address::address;
use super::super::number::scan_number;
use super::super::wall::{Written, moment};
use super::super::words::{grouped_length, parting_sign, word_end};
use std::ops::Range;

/// The most tokens of a line that is looked at.
const MOST: usize = 200;

/// What a token is. Two lines whose tokens are the same are lines of one form.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(super) enum Kind {
    Number,
    /// Words with nothing but blanks between.
    Phrase,
    /// A date, a time of day, or both.
    Moment,
    /// Any other sign, by its last byte.
    Mark(u8),
}

#[derive(Clone, Debug)]
pub(super) struct Token {
    pub(super) kind: Kind,
    pub(super) at: Range<usize>,
}

/// How signs are read that can be read in several ways.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Mode {
    /// A minus right behind a number is the sign of the next one, as in columns of fixed width.
    pub(super) glued: bool,
    /// A minus that stands apart is the sign of the number behind it.
    pub(super) apart: bool,
    /// This sign parts groups of three digits.
    pub(super) thousands: Option<u8>,
    /// Words of hexadecimal digits are numbers.
    pub(super) hex: bool,
    /// Times and dates are numbers with signs between.
    pub(super) no_moments: bool,
    /// How times and dates are written.
    pub(super) written: Written,
    /// Letters right in front of a number are its name: `X-370Y-932`.
    pub(super) letters: bool,
}

fn is_letter(byte: u8) -> bool {
    byte.is_ascii_alphabetic() || matches!(byte, b'_' | b'%') || byte >= 0x80
}

/// The number at `at` and its end, where there is one.
fn number(line: &[u8], at: usize, mode: Mode) -> Option<usize> {
    let text = &line[at..];
    let before = at.checked_sub(1).map(|before| line[before]);
    let signed = matches!(text[0], b'-' | b'+');
    let joins = before.is_some_and(|b| match mode.letters {
        true => b.is_ascii_digit() || b == b'.',
        false => b.is_ascii_alphanumeric() || b == b'_' || b >= 0x80 || b == b'.',
    });
    if signed {
        let may = !joins || (mode.glued && before.is_some_and(|b| b.is_ascii_digit() || b == b'.'));
        if !may || matches!(before, Some(b')' | b']' | b'-' | b'+')) && !mode.glued {
            return None;
        }
        if mode.apart && text[0] == b'-' {
            let gap = text[1..].iter().take_while(|b| **b == b' ').count();
            if gap > 0 && text.get(1 + gap).is_some_and(u8::is_ascii_digit) {
                return number(line, at + 1 + gap, Mode { apart: false, ..mode });
            }
        }
    } else if joins && before.is_none_or(|b| b < 0x80) {
        return None;
    }
    if mode.hex {
        let digits = text.iter().take_while(|b| b.is_ascii_hexdigit()).count();
        let ends = !text.get(digits).is_some_and(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'.'));
        return (digits >= 2 && ends).then_some(at + digits);
    }
    if let Some(sign) = mode.thousands
        && let Some(length) = grouped_length(text, sign)
    {
        return Some(at + length);
    }
    if text[0].is_ascii_alphabetic() {
        return None;
    }
    let (_, used) = scan_number(text)?;
    let rest = &text[used..];
    // `1.2.3` is a version, `3x4` a word, `22C` a number with its unit.
    let again = rest.first() == Some(&b'.') && rest.get(1).is_some_and(u8::is_ascii_digit);
    let word = rest.iter().take_while(|b| b.is_ascii_alphanumeric() || **b == b'_').count();
    let unit = mode.letters || !rest[..word].iter().any(u8::is_ascii_digit);
    (unit && !again).then_some(at + used)
}

/// The tokens of `line`; `None` where there are too many.
pub(super) fn tokens(line: &[u8], mode: Mode) -> Option<Vec<Token>> {
    let mut tokens: Vec<Token> = Vec::new();
    let (mut at, mut gap) = (0, 0);
    while at < line.len() {
        let byte = line[at];
        if matches!(byte, b' ' | b'\t') {
            // Two blanks or a tab set things apart.
            gap += if byte == b'\t' { 2 } else { 1 };
            at += 1;
            continue;
        }
        let told = if mode.no_moments || (at > 0 && line[at - 1].is_ascii_alphanumeric()) {
            None
        } else {
            moment(&line[at..], mode.written)
        };
        // What is all of a line may be bytes in hexadecimal.
        let beside = |length: &usize| at > 0 || *length < line.trim_ascii_end().len();
        let begins = at == 0 || !(line[at - 1].is_ascii_alphanumeric() || line[at - 1] == b'.');
        let (kind, end) = if let Some((_, used)) = told {
            (Kind::Moment, at + used)
        } else if let Some(length) = (if begins { address(&line[at..]) } else { None }).filter(beside) {
            (Kind::Phrase, at + length)
        } else if let Some(length) = parting_sign(&line[at..]) {
            (Kind::Mark(line[at + length - 1]), at + length)
        } else if let Some(end) = number(line, at, mode) {
            (Kind::Number, end)
        } else if mode.letters && byte.is_ascii_alphabetic() {
            (Kind::Phrase, at + line[at..].iter().take_while(|b| b.is_ascii_alphabetic()).count())
        } else if mode.letters && byte == b'_' {
            (Kind::Mark(byte), at + 1)
        } else if is_letter(byte) || byte.is_ascii_digit() {
            (Kind::Phrase, word_end(line, at).max(at + 1))
        } else if line[at..].starts_with(b"--") && !line.get(at + 2).is_some_and(u8::is_ascii_digit) {
            (Kind::Phrase, at + line[at..].iter().take_while(|b| **b == b'-').count())
        } else {
            (Kind::Mark(byte), at + 1)
        };
        match tokens.last_mut() {
            // Words that follow one another are one phrase, unless they stand apart.
            Some(last) if kind == Kind::Phrase && last.kind == Kind::Phrase && gap < 2 => last.at.end = end,
            _ => tokens.push(Token { kind, at: at..end }),
        }
        (at, gap) = (end, 0);
        if tokens.len() > MOST {
            return None;
        }
    }
    Some(tokens)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_are_cut() {
        let cut = |line: &str, mode: Mode| -> String {
            let tokens = tokens(line.as_bytes(), mode).unwrap();
            let sign = |token: Token| match token.kind {
                Kind::Number => "N".into(),
                Kind::Phrase => format!("<{}>", &line[token.at]),
                Kind::Moment => "T".into(),
                Kind::Mark(byte) => char::from(byte).to_string(),
            };
            tokens.into_iter().map(sign).collect()
        };
        let plain = Mode::default();
        for (line, mode, expected) in [
            ("S,837,-287", plain, "<S>,N,N"),
            ("Light reading = 512 - Bright", plain, "<Light reading>=N-<Bright>"),
            ("12:59:00.100 -> 432", plain, "T->N"),
            ("12:59:00,837", Mode { no_moments: true, ..plain }, "N:N:N,N"),
            ("12:59:00,837,1", Mode { written: Written { comma: true, ..Written::default() }, ..plain }, "T,N"),
            ("-1.33-10.49  10.0", plain, "N-NN"),
            ("-1.33-10.49  10.0", Mode { glued: true, ..plain }, "NNN"),
            ("x: - 837", Mode { apart: true, ..plain }, "<x>:N"),
            ("Steps: 2,311", Mode { thousands: Some(b','), ..plain }, "<Steps>:N"),
            ("0BC8 03B0", Mode { hex: true, ..plain }, "NN"),
            ("PM2.5: 13 ug/m3 PM10: 8", plain, "<PM2.5>:N<ug/m3 PM10>:N"),
            ("fw 1.2.3 at 22.5°C", plain, "<fw 1.2.3 at>N<°C>"),
            ("p: --  q: 5%", plain, "<p>:<-->\u{3c}q>:N<%>"),
            ("22.5±0.10", plain, "N\u{b1}N"),
            ("idle  run", plain, "<idle><run>"),
            ("3C:61:05:0A:F2:9B -70", plain, "<3C:61:05:0A:F2:9B>N"),
            ("3C:61:05:0A:F2:9B", Mode { hex: true, ..plain }, "N:N:N:N:N:N"),
            ("X-370Y-932", Mode { letters: true, ..plain }, "<X>N<Y>N"),
            ("V1_21_V2_28", Mode { letters: true, ..plain }, "<V>N_N_<V>N_N"),
        ] {
            assert_eq!(cut(line, mode), expected, "{line}");
        }
    }
}
