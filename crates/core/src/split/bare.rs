//! Lines of bare numbers.

use super::fate::Refusal;
use super::number::{scan_number, scan_with_comma};
use super::read::{Cells, Other, legible};
use super::shape::{Bare, Delimiter, bare_text};
use super::value::value;

/// Bare numbers with nothing missing.
#[inline]
pub(super) fn plain(bare: &Bare, line: &[u8], cells: &mut Cells<'_>) -> bool {
    let line = if bare.brackets { &line[bare_text(line)] } else { line };
    let delimiter = bare.delimiter;
    let byte = delimiter.byte();
    let skip = |mut at: usize, is_blank: fn(u8, u8) -> bool| {
        while line.get(at).is_some_and(|b| is_blank(*b, byte)) {
            at += 1;
        }
        at
    };
    let blanks = |at| skip(at, |b, byte| matches!(b, b' ' | b'\t') && b != byte);
    let mut at = blanks(0);
    for field in 0..bare.fields {
        let text = &line[at..];
        let found = if bare.comma { scan_with_comma(text) } else { scan_number(text) };
        let Some((number, used)) = found else { return false };
        cells.set_number(field, number);
        at = blanks(at + used);
        if field + 1 < bare.fields {
            if line.get(at) != Some(&byte) {
                return false;
            }
            at = match delimiter {
                Delimiter::Spaces => skip(at + 1, |b, _| matches!(b, b' ' | b'\t')),
                _ => blanks(at + 1),
            };
        }
    }
    at == line.len()
}

/// Bare numbers with gaps, states, quotes; says what is wrong where something is.
pub(super) fn any(bare: &Bare, line: &[u8], cells: &mut Cells<'_>) -> Result<(), Other> {
    let (mut count, mut numbers, mut faults, mut empty_at_end) = (0, 0, 0, false);
    let inner = bare_text(line);
    let text = &line[inner];
    for cell in bare.delimiter.cells(text) {
        let parsed = value(&text[cell.clone()], bare.comma);
        if let Some(parsed) = parsed.filter(|_| count < bare.fields) {
            cells.set(count, parsed);
        }
        count += 1;
        numbers += usize::from(parsed.is_some());
        faults += usize::from(parsed.is_none() && !cell.is_empty());
        empty_at_end = cell.is_empty();
    }
    if !legible(line) {
        return Err(Other::Damage(Refusal::Unreadable));
    }
    // A delimiter behind the last number just ends the line.
    let fits = count == bare.fields || (empty_at_end && count == bare.fields + 1);
    let words = text.iter().take_while(|b| b.is_ascii_alphabetic()).count() >= 2;
    if numbers == 0 || (faults > 0 && words && numbers * 2 <= count) {
        return Err(Other::Text);
    }
    match (faults, fits) {
        (0, true) => Ok(()),
        (0, false) => Err(Other::Damage(Refusal::FieldCount)),
        _ => Err(Other::Damage(Refusal::NotANumber)),
    }
}
