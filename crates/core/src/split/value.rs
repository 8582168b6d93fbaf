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
