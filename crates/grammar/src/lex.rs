//! Lines as tokens: atoms, which may be values, and the marks between. What commas and letters mean is no matter of the line but
//! an option of the whole text.

use crate::moment;
use crate::number::{self, Comma, Writing};
use crate::units;

/// What the whole text is taken to be written in.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Options {
    /// Of numbers.
    pub writing: Writing,
    /// What looks like a time of day is none.
    pub no_times: bool,
    /// A comma behind the seconds of a date stands apart from them.
    pub clock_comma_apart: bool,
    /// The widths of hexadecimal numbers with nothing in front.
    pub hex: Vec<usize>,
    /// The widths of hexadecimal numbers behind `#` or `$`.
    pub marked_hex: Vec<usize>,
    /// Underscores stand between values.
    pub underscore: bool,
    /// Words for a missing value may stand in quotes.
    pub quoted_gaps: bool,
    /// Numbers may stand right behind letters.
    pub glued: bool,
    /// A minus right behind a number is the sign of the next.
    pub minus_between: bool,
    /// What stands in double quotes is one text, unless it is a value.
    pub quotes: bool,
}

/// What a token is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) enum Kind {
    /// A date, a time of day or both.
    Moment,
    /// Hexadecimal or binary digits behind their prefix.
    Prefixed,
    /// Hexadecimal digits alone.
    Hex,
    /// A number.
    Number,
    /// A word for a missing value.
    Gap,
    /// Words with single blanks between.
    Word,
    /// Nothing, between two delimiters.
    Empty,
    /// A character that is none of these.
    Mark,
}

/// A part of a line.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Token<'a> {
    pub(crate) kind: Kind,
    pub(crate) text: &'a str,
    /// Whether a blank stands in front. It makes no other token of it.
    pub(crate) is_apart: bool,
}

impl PartialEq for Token<'_> {
    fn eq(&self, other: &Self) -> bool {
        (self.kind, self.text) == (other.kind, other.text)
    }
}

impl Eq for Token<'_> {}

impl std::hash::Hash for Token<'_> {
    fn hash<H: std::hash::Hasher>(&self, state: &mut H) {
        (self.kind, self.text).hash(state);
    }
}

impl Token<'_> {
    /// Nothing, where something might be.
    pub(crate) const EMPTY: Token<'static> = Token { kind: Kind::Empty, text: "", is_apart: false };

    /// Whether it may be a value.
    pub(crate) fn is_atom(&self) -> bool {
        self.kind != Kind::Mark
    }

    pub(crate) fn is_number(&self) -> bool {
        matches!(self.kind, Kind::Number | Kind::Prefixed | Kind::Hex | Kind::Moment)
    }

    fn is_delimiter(&self) -> bool {
        self.kind == Kind::Mark && matches!(self.text, "," | ";" | "|" | "\t" | "_")
    }
}

/// Words for a value that is missing, as they may stand anywhere.
const GAPS: [&str; 23] = [
    "nan", "NaN", "NAN", "-nan", "inf", "-inf", "None", "nil", "---", "--", "OVF", "null", "N/A", "n/a", "n.a.",
    "NULL", "ERROR", "ERR", "ovf", "timeout", "NA", "OL", "undef",
];

/// Whether a word says that a value is missing.
pub(crate) fn is_gap_word(word: &str) -> bool {
    let lower = word.to_ascii_lowercase();
    GAPS.iter().any(|gap| gap.eq_ignore_ascii_case(&lower))
        || matches!(lower.as_str(), "-" | "?" | "*" | "error" | "err")
}

fn is_letter(c: char) -> bool {
    c.is_alphabetic()
}

fn is_word(c: char) -> bool {
    c.is_alphanumeric() || c == '_'
}

/// A line that is being cut.
struct Cutter<'a, 'o> {
    line: &'a str,
    options: &'o Options,
}

/// The tokens of a line.
pub(crate) fn tokens<'a>(line: &'a str, options: &Options) -> Vec<Token<'a>> {
    let cutter = Cutter { line, options };
    let mut found: Vec<Token<'a>> = Vec::new();
    let mut at = 0;
    let mut is_apart = false;
    while let Some(c) = line[at..].chars().next() {
        if matches!(c, ' ' | '\u{a0}') {
            is_apart = true;
            at += c.len_utf8();
            continue;
        }
        let is_opening = options.quotes
            && found.last().is_some_and(|last| last.kind == Kind::Mark && last.text == "\"")
            && found.iter().filter(|token| token.text == "\"").count() % 2 == 1;
        let (kind, length) = match cutter.quoted(at).filter(|_| is_opening) {
            Some(length) => (Kind::Word, length),
            None => cutter.token(at, c),
        };
        let mut token = Token { kind, text: &line[at..at + length], is_apart };
        at += length;
        if kind == Kind::Mark && matches!(c, '-' | '?' | '*') && cutter.is_lone(at, &found) {
            token.kind = Kind::Gap;
        }
        found.push(token);
        is_apart = false;
    }
    let mut tokens: Vec<Token<'a>> = Vec::with_capacity(found.len());
    for token in found {
        if token.is_delimiter() && tokens.last().is_some_and(|last| last.is_delimiter() && last.text == token.text) {
            tokens.push(Token::EMPTY);
        }
        tokens.push(token);
    }
    if tokens.last().is_some_and(Token::is_delimiter) {
        tokens.push(Token::EMPTY);
    }
    tokens
}

impl<'a> Cutter<'a, '_> {
    fn before(&self, at: usize) -> Option<char> {
        self.line[..at].chars().next_back()
    }

    /// Whether the mark that ends at `at` stands for a missing value: between delimiters.
    fn is_lone(&self, at: usize, found: &[Token<'a>]) -> bool {
        let rest = &self.line[at..];
        let behind = rest.chars().next();
        let is_closed =
            behind.is_none_or(|c| matches!(c, ',' | ';' | '|' | '\t' | ' ' | '"' | '_' | ')' | ']' | '}' | '%' | '°'));
        let opens = |token: &Token<'_>| token.kind == Kind::Mark && ",;|\t:=_([{>".contains(token.text);
        is_closed && found.last().is_none_or(|last| last.kind == Kind::Mark) && found.iter().rev().take(2).any(opens)
    }

    /// The length of the text from `at` up to a quote, where it is more than a number, a time or a word for a gap.
    fn quoted(&self, at: usize) -> Option<usize> {
        let length = self.line[at..].find('"')?;
        let text = &self.line[at..at + length];
        let is_value = |c| matches!(self.token(at, c), (kind, own) if own == length && kind != Kind::Word);
        (text.starts_with(is_letter) && !text.chars().next().is_some_and(is_value)).then_some(length)
    }

    /// The kind and the length of what begins at `at` with `c`.
    fn token(&self, at: usize, c: char) -> (Kind, usize) {
        let (text, bytes) = (&self.line[at..], &self.line.as_bytes()[at..]);
        let before = self.before(at);
        let is_apart = !before.is_some_and(is_word);
        let options = self.options;
        // `clock:2022-06-02`
        let is_behind_name = before == Some(':') && self.before(at - 1).is_some_and(is_letter);
        if c.is_ascii_digit() && is_apart && (is_behind_name || !matches!(before, Some('.' | ':'))) {
            let comma = !options.clock_comma_apart;
            if let Some(length) = moment::length(bytes, !options.no_times, comma) {
                return (Kind::Moment, length);
            }
        }
        if is_apart && let Some(length) = self.prefixed(bytes) {
            return (Kind::Prefixed, length);
        }
        if is_apart
            && before != Some('.')
            && let Some(length) = self.bare_hex(at)
        {
            return (Kind::Hex, length);
        }
        if c.is_ascii_digit()
            && is_apart
            && let Some(length) = self.serial(bytes)
        {
            return (Kind::Word, length);
        }
        let is_number_start = c.is_ascii_digit() || matches!(c, '+' | '-' | '.');
        let is_free = !before.is_some_and(|c| is_word(c) && !(options.underscore && c == '_')) && before != Some('.');
        if is_number_start
            && is_free
            && let Some(length) = number::length(bytes, options.writing)
        {
            return (Kind::Number, length);
        }
        let is_behind = options.minus_between && c == '-' && before.is_some_and(|c| c.is_ascii_digit());
        if is_behind && let Some(length) = number::length(bytes, options.writing) {
            return (Kind::Number, length);
        }
        if let Some(length) = self.minus_apart(at, c) {
            return (Kind::Number, length);
        }
        if let Some(length) = self.gap(text) {
            return (Kind::Gap, length);
        }
        if is_letter(c) {
            return self.phrase(at);
        }
        // The rest of letters and a number: that begins where the letters end.
        if c.is_ascii_digit()
            && before.is_some_and(is_letter)
            && let Some(length) = number::length(bytes, options.writing)
        {
            return (Kind::Number, length);
        }
        if options.glued
            && matches!(c, '+' | '-')
            && before.is_some_and(is_letter)
            && let Some(length) = number::length(bytes, options.writing)
        {
            return (Kind::Number, length);
        }
        (Kind::Mark, c.len_utf8())
    }

    /// The length of a serial number, as `28FF641E`, or an address or version, as `192.168.0.10`: no number.
    fn serial(&self, bytes: &[u8]) -> Option<usize> {
        let dotted = bytes.iter().take_while(|b| b.is_ascii_digit() || **b == b'.').count();
        let parts: Vec<&[u8]> = bytes[..dotted].split(|b| *b == b'.').collect();
        let is_short = parts.iter().all(|part| (1..=3).contains(&part.len()));
        if parts.len() > 2 && is_short && self.options.writing.groups != Some('.') {
            return Some(dotted);
        }
        // `3C:61:05:0A:F2:9B`
        let pairs = bytes.iter().take_while(|b| b.is_ascii_hexdigit() || matches!(b, b':' | b'-')).count();
        let parts: Vec<&[u8]> = bytes[..pairs].split(|b| matches!(b, b':' | b'-')).collect();
        if parts.len() >= 6 && parts.iter().all(|part| part.len() == 2) {
            return Some(pairs);
        }
        let length = bytes.iter().take_while(|b| b.is_ascii_alphanumeric()).count();
        let run = &bytes[..length];
        let letter = run.iter().position(u8::is_ascii_alphabetic)?;
        let is_mixed = run[letter..].iter().any(u8::is_ascii_digit);
        (is_mixed && number::length(bytes, self.options.writing).is_none_or(|number| number < length)).then_some(length)
    }

    fn prefixed(&self, bytes: &[u8]) -> Option<usize> {
        let count = |from: usize, is: fn(&u8) -> bool| {
            bytes.get(from..).unwrap_or_default().iter().take_while(|b| is(b)).count()
        };
        let is_over = |end: usize| !bytes.get(end).is_some_and(|b| b.is_ascii_alphanumeric() || *b == b'_');
        let hex = |b: &u8| b.is_ascii_hexdigit();
        match bytes {
            [b'0', b'x' | b'X', ..] => Some(2 + count(2, hex)).filter(|end| *end > 2 && is_over(*end)),
            [b'#' | b'$', ..] => {
                let digits = count(1, hex);
                let is_point =
                    bytes.get(1 + digits) == Some(&b'.') && bytes.get(2 + digits).is_some_and(u8::is_ascii_digit);
                let is_whole = is_over(1 + digits) && !is_point;
                (self.options.marked_hex.contains(&digits) && is_whole).then_some(1 + digits)
            }
            [b'0', b'b', ..] => {
                Some(2 + count(2, |b| matches!(b, b'0' | b'1'))).filter(|end| *end > 4 && is_over(*end))
            }
            [b'B', b'0' | b'1', ..] => {
                Some(1 + count(1, |b| matches!(b, b'0' | b'1'))).filter(|end| *end > 3 && is_over(*end))
            }
            _ => None,
        }
    }

    fn bare_hex(&self, at: usize) -> Option<usize> {
        if self.options.hex.is_empty() {
            return None;
        }
        let bytes = &self.line.as_bytes()[at..];
        let digits = bytes.iter().take_while(|b| b.is_ascii_hexdigit()).count();
        let is_over = !self.line[at + digits..].chars().next().is_some_and(|c| is_word(c) || c == '.');
        let is_decimal = self.options.writing.comma == Comma::Decimal;
        let digit = |b: Option<&u8>| b.is_some_and(u8::is_ascii_digit);
        let is_torn = is_decimal
            && ((bytes.get(digits) == Some(&b',') && digit(bytes.get(digits + 1)))
                || (self.before(at) == Some(',') && at > 1 && digit(self.line.as_bytes().get(at - 2))));
        (self.options.hex.contains(&digits) && is_over && !is_torn).then_some(digits)
    }

    /// A minus that stands apart from its number, as in `x: - 837`: behind a mark and a blank, and with a blank behind it.
    fn minus_apart(&self, at: usize, c: char) -> Option<usize> {
        let blanks = self.line[at + c.len_utf8()..].bytes().take_while(|b| *b == b' ').count();
        let before = self.line[..at].trim_end_matches(' ');
        let is_behind = before.len() < at && before.ends_with([':', '=']);
        let from = at + 1 + blanks;
        if c != '-' || blanks == 0 || !is_behind || !self.line.as_bytes().get(from)?.is_ascii_digit() {
            return None;
        }
        number::length(&self.line.as_bytes()[from..], self.options.writing).map(|length| 1 + blanks + length)
    }

    fn gap(&self, text: &str) -> Option<usize> {
        let whole = |word: &&&str| {
            let Some(rest) = text.strip_prefix(**word) else { return false };
            let is_inside = rest.starts_with(|c| is_word(c) || matches!(c, '/' | '-'));
            // The unit may stand right behind.
            let unit = rest.find(|c: char| !is_letter(c)).unwrap_or(rest.len());
            !is_inside || (word.len() > 2 && units::is_unit(&rest[..unit]) && !rest[unit..].starts_with(is_word))
        };
        if self.options.quoted_gaps
            && let Some(inner) = text.strip_prefix('"')
            && let Some(gap) = GAPS.iter().filter(|gap| inner.starts_with(**gap)).max_by_key(|gap| gap.len())
            && inner[gap.len()..].starts_with('"')
            && inner[gap.len() + 1..].chars().next().is_none_or(|c| matches!(c, ',' | '}' | ']' | ' '))
        {
            return Some(gap.len() + 2);
        }
        GAPS.iter().filter(whole).map(|gap| gap.len()).max()
    }

    /// The length of the word at `at`.
    fn word(&self, at: usize) -> usize {
        let is_inside = |c: char| is_word(c) && !(self.options.underscore && c == '_');
        let word = &self.line[at..];
        let length = word.find(|c| !is_inside(c)).unwrap_or(word.len());
        let word = word[..length].trim_end_matches('_');
        // `T25.3` is a name and a number.
        let letters = word.find(|c: char| c.is_ascii_digit()).unwrap_or(word.len());
        let rest = &self.line[at + letters..];
        let is_point = |text: &str| text.starts_with('.') && text[1..].starts_with(|c: char| c.is_ascii_digit());
        let digits = rest.bytes().take_while(u8::is_ascii_digit).count();
        let is_tail = letters + digits == word.len() && digits > 0;
        // In front of a colon it is a name.
        let is_name = rest[digits..].trim_start_matches(' ').starts_with([':', '=']);
        // `v1.2.3` is a version.
        let dotted = &rest[..rest.bytes().take_while(|b| b.is_ascii_digit() || *b == b'.').count()];
        if is_tail && dotted.split('.').filter(|part| !part.is_empty()).count() > 2 {
            return letters + dotted.len();
        }
        let is_glued = self.options.glued && is_tail && !is_name;
        if is_tail && (is_glued || is_point(&rest[digits..])) { letters } else { word.len() }
    }

    /// Words with single blanks between: none of them says that a value is missing, or is a number.
    fn phrase(&self, at: usize) -> (Kind, usize) {
        let mut end = at + self.word(at);
        while let Some(blank) =
            self.line[end..].chars().next().filter(|c| *c == ' ' || (*c == '_' && !self.options.underscore))
        {
            let next = end + blank.len_utf8();
            let rest = &self.line[next..];
            if !rest.starts_with(is_letter) || self.gap(rest).is_some() || self.prefixed(rest.as_bytes()).is_some() {
                break;
            }
            if self.bare_hex(next).is_some_and(|digits| rest[..digits].bytes().any(|b| b.is_ascii_digit())) {
                break;
            }
            end = next + self.word(next);
        }
        (Kind::Word, end - at)
    }
}

/// What stands for an atom in a skeleton: no line has it.
pub(crate) const ATOM: &str = "\u{1}";

/// The marks of a line with a place for each atom: lines with the same belong together.
pub(crate) fn skeleton(tokens: &[Token<'_>]) -> String {
    tokens.iter().map(|token| if token.is_atom() { ATOM } else { token.text }).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn cut(line: &str, options: &Options) -> String {
        let name = |token: &Token<'_>| match token.kind {
            Kind::Moment => 'c',
            Kind::Prefixed => 'x',
            Kind::Hex => 'h',
            Kind::Number => 'n',
            Kind::Gap => 'g',
            Kind::Word => 'w',
            Kind::Empty => 'e',
            Kind::Mark => 'm',
        };
        tokens(line, options).iter().map(|token| format!("{}<{}>", name(token), token.text)).collect()
    }

    #[test]
    fn lines_are_cut_without_deciding_what_they_mean() {
        let plain = Options::default();
        let hex = Options { hex: vec![4], ..plain.clone() };
        let glued = Options { glued: true, ..plain.clone() };
        let quoted = Options { quotes: true, ..plain.clone() };
        for (line, options, found) in [
            ("a1=503, b 2.5 V", &plain, "w<a1>m<=>n<503>m<,>w<b>n<2.5>w<V>"),
            ("12,,nan,", &plain, "n<12>m<,>e<>m<,>g<nan>m<,>e<>"),
            ("x: - 837;-4", &plain, "w<x>m<:>n<- 837>m<;>n<-4>"),
            ("[12:00:01] Door is open", &plain, "m<[>c<12:00:01>m<]>w<Door is open>"),
            ("T25.3 --", &plain, "w<T>n<25.3>g<-->"),
            ("354;06f3", &hex, "n<354>m<;>h<06f3>"),
            ("X12 Y-3", &glued, "w<X>n<12>w<Y>n<-3>"),
            ("0x1F B0101 10%", &plain, "x<0x1F>x<B0101>n<10>m<%>"),
            (
                "{\"a 1\": 5, \"b\": \"x 2 °C\", \"c\": \"7\"}",
                &quoted,
                "m<{>m<\">w<a 1>m<\">m<:>n<5>m<,>m<\">w<b>m<\">m<:>m<\">w<x 2 °C>m<\">m<,>m<\">w<c>m<\">m<:>m<\">n<7>m<\">m<}>",
            ),
            ("clock:2025-04-06 21:41:19 t:12:00:01", &plain, "w<clock>m<:>c<2025-04-06 21:41:19>w<t>m<:>c<12:00:01>"),
            ("Nonecm nano", &plain, "g<None>w<cm nano>"),
            ("12-5", &plain, "n<12>m<->n<5>"),
            ("28FF641E 10.0.0.7 1.5", &plain, "w<28FF641E>w<10.0.0.7>n<1.5>"),
            ("3C:61:05:0A:F2:9B v1.2.3;4", &plain, "w<3C:61:05:0A:F2:9B>w<v1.2.3>m<;>n<4>"),
        ] {
            assert_eq!(cut(line, options), found, "{line}");
        }
    }
}
