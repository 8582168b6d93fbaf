//! What the text around a value calls it, and in which unit.

use crate::column::Role;
use crate::template::Template;
use crate::units;
use regex::Regex;
use std::sync::LazyLock;

fn regex(text: &str) -> Regex {
    #[expect(clippy::expect_used, reason = "the expressions are those of this file")]
    Regex::new(text).expect("a sound expression")
}

/// The text in front of each slot of a form, and that behind the last one.
pub(crate) struct Around {
    /// The atoms that are slots.
    pub(crate) slots: Vec<usize>,
    pub(crate) before: Vec<String>,
    pub(crate) tail: String,
}

/// What stands around the slots.
pub(crate) fn around(template: &Template<'_>) -> Around {
    let mut found = Around { slots: Vec::new(), before: Vec::new(), tail: String::new() };
    let (mut at, mut text) = (0, String::new());
    let mut before: Option<&crate::lex::Token<'_>> = None;
    for token in &template.rows[0] {
        if token.is_atom() {
            if template.columns[at].is_slot() {
                found.slots.push(at);
                found.before.push(std::mem::take(&mut text));
            } else {
                if token.is_apart || before.is_some_and(|token| token.is_atom() && !token.text.is_empty()) {
                    text.push(' ');
                }
                text += token.text;
            }
            at += 1;
        } else {
            if token.is_apart {
                text.push(' ');
            }
            text += token.text;
        }
        before = Some(token);
    }
    found.tail = text;
    found
}

static MARKS: LazyLock<Regex> = LazyLock::new(|| regex(r#"[{}<>"'=:;,|\t()*&$>]+|->| - |^\s*[-/]\s"#));
static FILLERS: LazyLock<Regex> =
    LazyLock::new(|| regex(r"^(and|The|the|current|got|measured|At|After)\s+|\s+(is now|is|reads|of|about|and)\s*$"));
static EMPTY_BRACKETS: LazyLock<Regex> = LazyLock::new(|| regex(r"\[\s*\]"));

/// A text as a name: marks and words that fill a sentence left out.
pub(crate) fn clean(text: &str) -> String {
    let mut text = MARKS.replace_all(text, " ").split_whitespace().collect::<Vec<_>>().join(" ");
    for _ in 0..2 {
        text = FILLERS.replace_all(&text, " ").into_owned();
    }
    let text = EMPTY_BRACKETS.replace_all(&text, "");
    let text = text.trim_matches([' ', '.', '-', '/', '#', '_', '!', '\t']);
    // A bracket that is not closed belongs to what stands around.
    let text = if text.contains(']') { text } else { text.trim_end_matches('[') };
    let text = if text.contains('[') { text } else { text.trim_start_matches(']') };
    text.trim().to_owned()
}

/// A name and a unit.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Label {
    pub(crate) name: String,
    pub(crate) unit: String,
}

/// A unit in brackets at the end of a text, and what is in front.
fn unit_in_brackets(text: &str) -> Option<(&str, &str)> {
    let bare = text.trim_end_matches([' ', ':', '=', '\t', '-', '>', '"', '\'']);
    let inner = bare.strip_suffix([')', ']'])?;
    let open = inner.rfind(['(', '['])?;
    let unit = inner[open + 1..].trim();
    units::is_unit(unit).then_some((&text[..open], unit))
}

/// The unit that begins a text behind a value, and the rest; it may stand in brackets.
fn unit_behind(text: &str) -> Option<(&'static str, &str)> {
    let bare = text.trim_start_matches(' ');
    let inner = bare.strip_prefix(['(', '[']);
    let (unit, rest) = units::begins(inner.unwrap_or(bare))?;
    Some((unit, if inner.is_some() { rest.strip_prefix([')', ']']).unwrap_or(rest) } else { rest }))
}

/// A key that is a value itself, as in `{"sensor": "hum", "value": 45}`, names what stands behind it.
fn name_by_key(template: &Template<'_>, slots: &[usize], labels: &mut [Label]) {
    let Some(key) = template.keys.last() else { return };
    let is_key = |place: &usize| template.rows[0][template.atoms[*place]].text == key;
    let Some(place) = (0..template.atoms.len()).find(is_key).filter(|place| template.is_value_of_name(*place)) else {
        return;
    };
    let behind = slots.iter().filter(|slot| **slot > place).count();
    for (slot, label) in slots.iter().zip(labels) {
        if *slot > place {
            label.name = if behind == 1 { key.clone() } else { format!("{key} {}", label.name) };
        }
    }
}

/// Marks that stand between fields.
const DELIMITERS: [char; 4] = [',', ';', '|', '\t'];

fn has_letter(text: &str) -> bool {
    text.contains(char::is_alphabetic)
}

/// A label for each slot of a form.
pub(crate) fn labels(template: &Template<'_>) -> Vec<(usize, Label)> {
    let Around { slots, before, tail } = around(template);
    let Some(first) = before.first() else { return Vec::new() };
    // What stands between a name and its value parts no fields.
    let own = first.chars().next_back().filter(|_| has_letter(first));
    let delimiters: Vec<char> = DELIMITERS.into_iter().filter(|mark| Some(*mark) != own).collect();
    let delimiters = delimiters.as_slice();
    let mut labels = vec![Label::default(); slots.len()];
    let behind: Vec<&str> = before[1..].iter().chain([&tail]).map(String::as_str).collect();
    let mut rest: Vec<String> = Vec::with_capacity(slots.len());
    for (index, text) in behind.iter().enumerate() {
        let role = template.columns[slots[index]].role;
        let found = unit_behind(text).filter(|(unit, rest)| {
            let is_number = matches!(role, Role::Number | Role::Constant);
            let is_time = role == Role::Moment && matches!(*unit, "s" | "ms" | "us");
            // A unit in front of a mark is the next name.
            let is_name = matches!(rest.trim(), ":" | "=") && !text.starts_with(' ');
            (is_number || is_time) && !is_name
        });
        match found {
            Some((unit, left)) => {
                labels[index].unit = units::written(unit).to_owned();
                rest.push(left.to_owned());
            }
            None => rest.push((*text).to_owned()),
        }
    }
    let fronts = std::iter::once(first.as_str()).chain(rest.iter().map(String::as_str)).take(slots.len());
    let mut names: Vec<String> = Vec::with_capacity(slots.len());
    for (label, front) in labels.iter_mut().zip(fronts) {
        let (text, unit) = match unit_in_brackets(front) {
            Some((text, unit)) => (text, unit),
            None => (front, ""),
        };
        // What stands in front of the last delimiter belongs to the field before.
        let text = text.rsplit(delimiters).find(|part| has_letter(part)).unwrap_or(text);
        if label.unit.is_empty() {
            units::written(unit).clone_into(&mut label.unit);
        }
        names.push(clean(text));
    }
    let first_part = |text: &str| clean(text.split(delimiters).find(|part| has_letter(part)).unwrap_or(text));
    let mut after: Vec<String> = rest.iter().map(|text| first_part(text)).collect();
    let count = |names: &[String]| names.iter().filter(|name| has_letter(name)).count();
    // Where delimiters part the fields, a name stands on the side of them where its value is.
    let between = &rest[..rest.len() - 1];
    let parted = between.iter().filter(|text| text.contains(delimiters));
    let side = |text: &String| {
        let (front, back) = (text.split(delimiters).next(), text.rsplit(delimiters).next());
        i32::from(front.is_some_and(has_letter)) - i32::from(back.is_some_and(has_letter))
    };
    let balance: i32 = parted.map(side).sum();
    let all_after = count(&after) == after.len();
    let starts_alike = before.get(1).is_none_or(|second| first.trim().chars().last() == second.trim().chars().last());
    let last_is_word = after.last().is_some_and(|last| has_letter(last));
    let names_follow = match balance {
        0 => {
            count(&after) > count(&names)
                || (all_after && after.len() > 1 && !starts_alike)
                || (!has_letter(&names[0]) && last_is_word && names.len() > 1 && all_after)
                || (slots.len() == 1 && names[0].is_empty())
        }
        balance => balance > 0,
    };
    if names_follow {
        for (index, text) in rest.iter().enumerate() {
            let found = text.find(['(', '[']).and_then(|open| {
                let close = open + text[open..].find([')', ']'])?;
                let unit = text[open + 1..close].trim();
                units::is_unit(unit)
                    .then(|| (unit.to_owned(), clean(&format!("{}{}", &text[..open], &text[close + 1..]))))
            });
            if let Some((unit, name)) = found.filter(|_| labels[index].unit.is_empty()) {
                units::written(&unit).clone_into(&mut labels[index].unit);
                after[index] = name;
            }
        }
        names = after;
    }
    for (label, name) in labels.iter_mut().zip(names) {
        label.name = name;
    }
    name_by_key(template, &slots, &mut labels);
    slots.into_iter().zip(labels).collect()
}

/// The cells of a line that may be a header, in the ways in which it may be cut.
fn cuts<'t>(line: &'t str, delimiter: &str) -> Vec<Vec<&'t str>> {
    let bare = line.trim_start().trim_start_matches('#').trim();
    let by = |mark: &str| -> Vec<&'t str> {
        bare.trim_matches(|c: char| c == ' ' || mark.contains(c)).split(mark).map(str::trim).collect()
    };
    let wide = || bare.split("  ").map(str::trim).filter(|cell| !cell.is_empty()).collect::<Vec<_>>();
    let doubled = format!("{delimiter}{delimiter}");
    let main = match () {
        () if !delimiter.trim().is_empty() && bare.contains(&doubled) => by(&doubled),
        () if !delimiter.trim().is_empty() && bare.contains(delimiter) => by(delimiter),
        () if bare.contains('\t') => by("\t"),
        () if bare.contains(',') => by(","),
        () if wide().len() > 1 => wide(),
        () => bare.split_whitespace().collect(),
    };
    vec![main, bare.split_whitespace().collect(), wide()]
}

/// The labels that the last line of `lines` gives that has one for each of `count` columns.
pub(crate) fn header(lines: &[&str], count: usize, delimiter: &str) -> Option<Vec<Label>> {
    let is_name = |cell: &&str| cell.is_empty() || has_letter(cell);
    let is_number = |cell: &&str| {
        let bare = cell.trim_start_matches(['+', '-']);
        bare.starts_with(|c: char| c.is_ascii_digit()) || NUMBER_INSIDE.is_match(bare)
    };
    let sound = |cells: &Vec<&str>| {
        let unique = (1..cells.len()).all(|i| !cells[..i].contains(&cells[i]));
        cells.len() == count && unique && cells.iter().all(is_name) && !cells.iter().any(is_number)
    };
    let cells = lines.iter().rev().find_map(|line| cuts(line, delimiter).into_iter().find(sound))?;
    Some(cells.into_iter().map(of_cell).collect())
}

static NUMBER_INSIDE: LazyLock<Regex> = LazyLock::new(|| regex(r"\d\.\d"));

/// A cell of a header: a name, and the unit behind it.
fn of_cell(cell: &str) -> Label {
    let (name, unit) = match unit_in_brackets(cell) {
        Some((name, unit)) => (name, unit),
        None => match cell.rfind(['_', '/']).map(|at| (&cell[..at], &cell[at + 1..])) {
            Some((name, unit)) if units::is_unit(unit) && !matches!(unit, "m" | "k" | "in") => (name, unit),
            _ => (cell, ""),
        },
    };
    let name = if name.trim().is_empty() { cell } else { name };
    Label { name: name.trim().trim_matches('"').to_owned(), unit: units::written(unit).to_owned() }
}
