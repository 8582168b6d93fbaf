//! What the fields of a pattern are called, and their units, by the text around them: the line is written with a 0 in
//! the place of each field, and read as any line of words is.

use super::super::address::without_addresses;
use super::super::shape::{Comma, Style};
use super::super::words::{self, Slot};
use std::borrow::Cow;

use super::{FieldKind, Form, Part, Pattern};

/// For each field of `form`, in its order, the slot that a line of words has there; `None` where the text says other things.
fn slots(form: &Form, pattern: &Pattern) -> Option<(Vec<Slot>, String)> {
    let kind = |column: usize| &pattern.columns[column].kind;
    let is_clock = |column: usize| matches!(kind(column), FieldKind::Clock(_));
    let is_stamp = |column: usize| matches!(kind(column), FieldKind::Clock(_) | FieldKind::Ticks);
    let mut line = String::new();
    let mut places = Vec::new();
    let letters_lead =
        matches!(form.parts.first(), Some(Part::Text(text)) if text.ends_with(|c: char| c.is_alphabetic()));
    for (i, part) in form.parts.iter().enumerate() {
        match part {
            // A number in front of a name is no part of it here.
            Part::Text(text) => {
                let text = if i == 0 { text.trim_start_matches(['$', '!', '#']) } else { text };
                let behind_clock = i > 0
                    && form.parts[..i]
                        .iter()
                        .rev()
                        .find_map(|part| match part {
                            Part::Field(column) => Some(*column),
                            _ => None,
                        })
                        .is_some_and(&is_stamp);
                let text = if behind_clock { behind_prefix(text) } else { text };
                let text = &*as_words(&indexed(&without_full_scale(&without_addresses(text))));
                if behind_clock {
                    line.push(' ');
                }
                let behind_number = matches!(i.checked_sub(1).map(|before| &form.parts[before]), Some(Part::Field(_)));
                let trimmed = text.trim_start();
                if behind_number && trimmed.starts_with(['=', ':']) {
                    line.push_str(" , ");
                    line.push_str(&trimmed[1..]);
                } else {
                    // Right behind a number a `/` would be part of it.
                    line.push_str(if behind_number && text.starts_with('/') { " " } else { "" });
                    line.push_str(text);
                }
            }
            // What stands in front of a clock names it.
            Part::Field(column) if is_clock(*column) && places.is_empty() => line.clear(),
            Part::Field(column) if is_clock(*column) => {}
            Part::Field(_) => {
                // In `X{a}Y{b}` letters right in front of a number are its name.
                if letters_lead && line.ends_with(|c: char| c.is_alphabetic()) {
                    line.push(' ');
                }
                // Where only a sign parts two numbers, something must stand between; a `/` would join words.
                if places.last().is_some_and(|last| last + 1 == line.len()) || line.ends_with('/') {
                    line.push(' ');
                }
                places.push(line.len());
                line.push('0');
                line.push_str(if letters_lead { " " } else { "" });
            }
            Part::Word | Part::Rest => line.push_str(" , "),
        }
    }
    let mut slots = words::scan(line.as_bytes(), Style { comma: Comma::Between, minus: false }).slots;
    slots.iter_mut().for_each(|slot| slot.label = as_numbers(&slot.label));
    let same = slots.len() == places.len() && slots.iter().zip(&places).all(|(slot, place)| slot.at.start == *place);
    same.then_some((slots, line))
}

/// `text` without the number behind a `/`, of which a field is a part: it names nothing.
fn without_full_scale(text: &str) -> Cow<'_, str> {
    match text.trim_start().strip_prefix('/').map(str::trim_start) {
        Some(rest) if rest.starts_with(|c: char| c.is_ascii_digit()) => {
            Cow::Owned(format!(" , {}", rest.trim_start_matches(|c: char| c.is_ascii_digit() || c == '.')))
        }
        _ => Cow::Borrowed(text),
    }
}

/// Letters that stand for the digits of text that is the same on all lines: it is no value.
const DIGITS: u32 = 0x1_0000;

fn as_words(text: &str) -> String {
    let letter = |digit: char| digit.to_digit(10).and_then(|digit| char::from_u32(DIGITS + digit));
    text.chars().map(|c| letter(c).unwrap_or(c)).collect()
}

fn as_numbers(text: &str) -> String {
    let digit = |c: char| u32::from(c).checked_sub(DIGITS).and_then(|digit| char::from_digit(digit, 10));
    text.chars().map(|c| digit(c).unwrap_or(c)).collect()
}

/// `text` with a name that counts in brackets as one word: `LDR[0]` as `LDR_0`.
fn indexed(text: &str) -> String {
    let mut parts = text.split('[');
    let mut out = parts.next().unwrap_or_default().to_owned();
    for part in parts {
        let digits = part.bytes().take_while(u8::is_ascii_digit).count();
        let rest = &part[digits..];
        if digits > 0 && rest.starts_with(']') && out.ends_with(char::is_alphanumeric) {
            out = format!("{out}_{}{}", &part[..digits], &rest[1..]);
        } else {
            out = format!("{out}[{part}");
        }
    }
    out
}

/// What a logger writes behind the time, its level and its own name, is no part of the first field's name.
fn behind_prefix(text: &str) -> &str {
    let ends =
        [" - ", "]: ", "] ", ") ", "> "].iter().filter_map(|sign| text.rfind(sign).map(|at| at + sign.len())).max();
    let rest = ends.map_or(text, |at| &text[at..]);
    if rest.contains(char::is_alphabetic) { rest } else { text }
}

/// The columns of the fields of `form`, in order.
fn columns(form: &Form) -> impl Iterator<Item = usize> {
    form.parts.iter().filter_map(|part| if let Part::Field(column) = part { Some(*column) } else { None })
}

/// Finds the units of all columns.
pub(super) fn units(pattern: &mut Pattern) {
    let clocks: Vec<bool> = pattern.columns.iter().map(|column| matches!(column.kind, FieldKind::Clock(_))).collect();
    for column in pattern.columns.iter_mut().filter(|column| matches!(column.kind, FieldKind::Clock(_))) {
        column.unit = "s".into();
    }
    let before = pattern.clone();
    for form in &pattern.forms {
        let Some((slots, line)) = slots(form, &before) else { continue };
        for (column, slot) in columns(form).filter(|column| !clocks[*column]).zip(slots) {
            pattern.columns[column].unit = as_numbers(line.get(slot.unit).unwrap_or_default());
        }
    }
}

/// Names the columns by the text around them; each has another name.
pub(super) fn name(pattern: &mut Pattern) {
    let clocks: Vec<bool> = pattern.columns.iter().map(|column| matches!(column.kind, FieldKind::Clock(_))).collect();
    let mut names: Vec<String> = vec![String::new(); clocks.len()];
    let mut told: Vec<Option<String>> = vec![None; clocks.len()];
    for form in &pattern.forms {
        let found = slots(form, pattern);
        let labels = found.into_iter().flat_map(|(slots, _)| slots).map(|slot| slot.label);
        for (column, label) in columns(form).filter(|column| !clocks[*column]).zip(labels) {
            told[column] = Some(label);
        }
    }
    let is_ticks = |column: &usize| pattern.columns[*column].kind == FieldKind::Ticks;
    let all = || pattern.forms.iter().flat_map(columns);
    // What the board calls `t` is called so.
    for column in all().filter(|column| !is_ticks(column)).chain(all().filter(is_ticks)) {
        let name = match pattern.columns[column].kind {
            FieldKind::Clock(_) => Some("clock_s".into()),
            FieldKind::Ticks => Some("t".into()),
            _ => told[column].take(),
        };
        let name = name.filter(|name| !name.is_empty()).unwrap_or_else(|| format!("field{}", column + 1));
        let free = |name: &String| !names.contains(name);
        names[column] =
            if free(&name) { name } else { (2..).map(|n| format!("{name}_{n}")).find(free).unwrap_or_default() };
    }
    for (column, name) in pattern.columns.iter_mut().zip(names) {
        column.name = name;
    }
    units(pattern);
}
