//! Lines of plain numbers.

use super::number::{Number, scan_count, scan_number, scan_with_comma};
use super::outcome::Rejection;
use super::read::{Cells, Other};
use super::shape::{Delimiter, Plain, bare_text, has_brackets};
use super::value::{is_gap, value};

/// Plain numbers with nothing missing.
#[inline]
pub(super) fn plain(plain: &Plain, line: &[u8], cells: &mut Cells<'_>) -> bool {
    let line = if plain.brackets {
        let inner = bare_text(line);
        // Whether a number stands in brackets may be a part of what it says.
        if inner.end >= line.trim_ascii_end().len() {
            return false;
        }
        &line[inner]
    } else {
        line
    };
    if plain.comma {
        plain_with(plain, line, scan_with_comma, cells)
    } else {
        plain_with(plain, line, scan_number, cells)
    }
}

#[inline(always)]
fn plain_with(
    plain: &Plain,
    line: &[u8],
    scan: impl Fn(&[u8]) -> Option<(Number, usize)>,
    cells: &mut Cells<'_>,
) -> bool {
    let byte = plain.delimiter.byte();
    let is_blank = |at: usize, spaces: bool| {
        line.get(at).is_some_and(|b| *b <= b' ' && matches!(b, b' ' | b'\t') && (spaces || *b != byte))
    };
    let mut at = 0;
    for field in 0..plain.fields {
        let is_last = field + 1 == plain.fields;
        // Nearly all fields are a few digits and the delimiter.
        if let Some((value, next)) = scan_count(line, at, byte).filter(|_| !is_last) {
            cells.set_number(field, Number { value, decimals: 0 });
            at = next;
            continue;
        }
        while is_blank(at, field > 0 && plain.delimiter == Delimiter::Spaces) {
            at += 1;
        }
        let Some((number, used)) = scan(&line[at..]) else { return false };
        cells.set_number(field, number);
        at += used;
        while is_blank(at, false) {
            at += 1;
        }
        if !is_last {
            if line.get(at) != Some(&byte) {
                return false;
            }
            at += 1;
        }
    }
    at == line.len()
}

/// Plain numbers with gaps, states, quotes; says what is wrong where something is.
pub(super) fn any(plain: &Plain, line: &[u8], cells: &mut Cells<'_>) -> Result<(), Other> {
    let (mut count, mut numbers, mut faults, mut empty_at_end) = (0, 0, 0, false);
    let text = &line[bare_text(line)];
    if has_brackets(line) != plain.brackets && text.iter().any(u8::is_ascii_digit) {
        return Err(Other::Damage(Rejection::OtherText));
    }
    for cell in plain.delimiter.cells(text) {
        let parsed = value(&text[cell.clone()], plain.comma);
        if let Some(parsed) = parsed.filter(|_| count < plain.fields) {
            cells.set(count, parsed);
        }
        count += 1;
        numbers += usize::from(parsed.is_some());
        // A cell without a reading costs itself alone.
        faults += usize::from(parsed.is_none() && !is_gap(&text[cell.clone()]) && !cell.is_empty());
        empty_at_end = cell.is_empty();
    }
    // A delimiter behind the last number just ends the line.
    let fits = count == plain.fields || (empty_at_end && count == plain.fields + 1);
    let words = text.iter().take_while(|b| b.is_ascii_alphabetic()).count() >= 2;
    if numbers == 0 || (faults > 0 && words && numbers * 2 <= count) {
        return Err(Other::Text);
    }
    match (faults, fits) {
        (0, true) => Ok(()),
        (0, false) => Err(Other::Damage(Rejection::FieldCount)),
        _ => Err(Other::Damage(Rejection::NotANumber)),
    }
}
