//! Lines of `name=value` fields.

use std::ops::Range;

/// Whether `byte` stands between labelled fields.
pub(super) fn separates(byte: u8) -> bool {
    matches!(byte, b' ' | b'\t' | b',' | b';')
}

/// The runs of a line between separators.
pub(super) fn tokens(line: &[u8]) -> impl Iterator<Item = Range<usize>> + '_ {
    let mut at = super::shape::prompt(line);
    std::iter::from_fn(move || {
        at += line[at..].iter().take_while(|b| separates(**b)).count();
        let length = line[at..].iter().take_while(|b| !separates(**b)).count();
        let token = at..at + length;
        at += length;
        (length > 0).then_some(token)
    })
}

/// A token's label and the text of its value, when it has the form `label=text` with a plain label: a letter or `_`,
/// then up to 31 letters, digits, `_`, `.` or `-`. So a label can hold nothing that a terminal would act on.
pub(super) fn pair(token: &[u8]) -> Option<(&[u8], &[u8])> {
    let equals = memchr::memchr(b'=', token)?;
    let (label, value) = (&token[..equals], &token[equals + 1..]);
    let (first, rest) = label.split_first()?;
    let plain = (first.is_ascii_alphabetic() || *first == b'_')
        && rest.len() < 32
        && rest.iter().all(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'.' | b'-'));
    plain.then_some((label, value))
}
