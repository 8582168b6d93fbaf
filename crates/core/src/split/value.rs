//! What a field may hold: a number, or a word for one of two states.

use super::number::{Number, number, number_with_comma};

/// Words for two states, the one that counts as 0 first. Read in any case.
pub const STATE_WORDS: [(&str, &str); 7] = [
    ("low", "high"),
    ("off", "on"),
    ("closed", "open"),
    ("false", "true"),
    ("no", "yes"),
    ("released", "pressed"),
    ("inactive", "active"),
];

/// A field's value.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Value {
    pub(super) number: Number,
    /// The pair of [`STATE_WORDS`] that it was written with.
    pub(super) words: Option<u8>,
}

impl From<Number> for Value {
    fn from(number: Number) -> Self {
        Value { number, words: None }
    }
}

/// Words that stand where there is no reading, beside the numbers' own such as `nan`. Read in any case.
const GAPS: [&str; 22] = [
    "none",
    "null",
    "na",
    "n/a",
    "nan",
    "inf",
    "ovf",
    "ovl",
    "err",
    "error",
    "fail",
    "failed",
    "failure",
    "undefined",
    "?",
    "-",
    "invalid",
    "nc",
    "n/c",
    "oc",
    "ol",
    "#n/a",
];

/// Whether `word` says that there is no reading.
pub(super) fn is_gap(word: &[u8]) -> bool {
    let filled = word.len() >= 2 && matches!(word[0], b'*' | b'-' | b'#' | b'?') && word.iter().all(|b| *b == word[0]);
    filled || GAPS.iter().any(|gap| word.eq_ignore_ascii_case(gap.as_bytes()))
}

/// Whether one text is the other with a byte more, less or changed.
pub(super) fn is_near(a: &[u8], b: &[u8]) -> bool {
    let (short, long) = if a.len() <= b.len() { (a, b) } else { (b, a) };
    let front = short.iter().zip(long).take_while(|(a, b)| a == b).count();
    let back = short[front..].iter().rev().zip(long[front..].iter().rev()).take_while(|(a, b)| a == b).count();
    long.len() - front - back <= 1
}

/// Whether `text` is nothing but letters, as no damaged number is.
pub(super) fn is_word(text: &[u8]) -> bool {
    text.len() >= 3 && text.iter().all(u8::is_ascii_alphabetic)
}

/// Reads `word` as a state: 0 or 1.
pub(super) fn state(word: &[u8]) -> Option<Value> {
    if !(2..=8).contains(&word.len()) || !word[0].is_ascii_alphabetic() {
        return None;
    }
    let is = |known: &str| word.eq_ignore_ascii_case(known.as_bytes());
    let at = STATE_WORDS.iter().position(|(low, high)| is(low) || is(high))?;
    let value = f64::from(u8::from(is(STATE_WORDS[at].1)));
    Some(Value { number: Number { value, decimals: 0 }, words: Some(at as u8) })
}

/// Reads all of `text` as a number or a state; one pair of double quotes around it is taken off.
pub(super) fn value(text: &[u8], comma: bool) -> Option<Value> {
    let text = text.trim_ascii();
    let text = text.strip_prefix(b"\"").and_then(|text| text.strip_suffix(b"\"")).unwrap_or(text);
    let number = if comma { number_with_comma(text) } else { number(text) };
    number.map(Value::from).or_else(|| state(text))
}
