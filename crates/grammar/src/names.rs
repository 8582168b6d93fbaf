//! What the text around a value calls it, and in which unit.

use crate::column::Role;
use crate::lex::Kind;
use crate::template::Template;
use crate::units;
use regex::Regex;
use std::sync::LazyLock;

pub(crate) fn regex(text: &str) -> Regex {
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
    for (place, token) in template.rows[0].iter().enumerate() {
        let is_named = || template.rows[0].get(place + 1).is_some_and(|next| matches!(next.text, ":" | "="));
        if token.is_atom() {
            if token.kind == Kind::Word && token.text.starts_with(|c: char| c.is_ascii_digit()) && !is_named() {
                // An address or a serial number is no part of a name.
                text += ": ";
            } else if template.columns[at].is_slot() {
                found.slots.push(at);
                found.before.push(std::mem::take(&mut text));
            } else {
                let is_behind_atom = before.is_some_and(|token| token.is_atom() && !token.text.is_empty());
                if token.is_apart || (is_behind_atom && !token.is_number()) {
                    text.push(' ');
                }
                text += token.text;
            }
            at += 1;
        } else {
            if token.is_apart {
                text.push(' ');
            }
            // A tab between a name's mark and its value parts no fields.
            if !(token.text == "\t" && text.trim_end().ends_with([':', '='])) {
                text += token.text;
            }
        }
        before = Some(token);
    }
    found.tail = text;
    found
}

static MARKS: LazyLock<Regex> = LazyLock::new(|| regex(r#"[{}<>"'=:;,|\t()*&$>]+|->| - |^\s*[-/]\s"#));
static FILLERS: LazyLock<Regex> =
    LazyLock::new(|| regex(r"^(and|The|the|current|got|measured|At|After)\s+|\s+(is now|is|reads|of|about|and)\s*$"));
static BRACKETS: LazyLock<Regex> = LazyLock::new(|| regex(r"\([^)]*\)|\[[^\]]*\]"));
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
    let inner = text.strip_prefix('[').and_then(|inner| inner.strip_suffix(']')).filter(|inner| !inner.contains(']'));
    let text = inner.unwrap_or(text);
    text.trim().to_owned()
}

/// A name and a unit.
#[derive(Clone, Debug, Default, PartialEq)]
pub(crate) struct Label {
    pub(crate) name: String,
    pub(crate) unit: String,
}

/// A unit in brackets at the end of a text, and what is in front.
pub(crate) fn unit_in_brackets(text: &str) -> Option<(&str, &str)> {
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

/// Words for how grave a message is.
const LEVELS: [&str; 11] = ["INFO", "WARN", "WARNING", "DEBUG", "ERROR", "TRACE", "I", "W", "E", "D", "V"];

/// Whether all words say how grave a message is.
pub(crate) fn are_levels(words: &[String]) -> bool {
    words.iter().all(|word| LEVELS.contains(&word.as_str()))
}

/// What stands behind the last mark within a text.
fn last_part(text: &str) -> &str {
    let bare = text.trim_end_matches(|c: char| !c.is_alphanumeric());
    // `Reading(x=`: a bracket that stays open begins a list of names.
    let mark = bare.rfind([':', '=']).max(bare.rfind('(').filter(|at| !bare[*at..].contains(')')));
    let from = mark.map_or(0, |at| at + 1);
    // Names of names in braces belong together.
    if has_letter(&bare[from..]) && !text.contains(['{', '"']) { &text[from..] } else { text }
}

/// Marks that stand between fields.
const DELIMITERS: [char; 4] = [',', ';', '|', '\t'];

pub(crate) fn has_letter(text: &str) -> bool {
    text.contains(char::is_alphabetic)
}

/// A label for each slot of a form.
pub(crate) fn labels(template: &Template<'_>) -> Vec<(usize, Label)> {
    let Around { slots, before, tail } = around(template);
    let Some(first) = before.first() else { return Vec::new() };
    // What stands between a name and its value parts no fields, where another mark does that.
    let is_own = |mark: &char| {
        let begins_other = |text: &str| text.trim_start().starts_with(DELIMITERS) && !text.starts_with(*mark);
        let ends = |(place, text): (usize, &String)| {
            has_letter(text) && text.ends_with(*mark) && (place == 0 || begins_other(text))
        };
        before.iter().enumerate().any(ends)
    };
    let delimiters: Vec<char> = DELIMITERS.into_iter().filter(|mark| !is_own(mark)).collect();
    let delimiters = delimiters.as_slice();
    let mut labels = vec![Label::default(); slots.len()];
    let behind: Vec<&str> = before[1..].iter().chain([&tail]).map(String::as_str).collect();
    let mut rest: Vec<String> = Vec::with_capacity(slots.len());
    for (index, text) in behind.iter().enumerate() {
        let role = template.columns[slots[index]].role;
        let found = unit_behind(text).filter(|(unit, rest)| {
            let is_number = matches!(role, Role::Number | Role::Constant);
            let is_time = role == Role::Moment && matches!(*unit, "s" | "ms" | "us");
            // A unit in front of a mark is the next name, unless it is that of a time in front of all.
            let is_time_in_front = index == 0 && !has_letter(first) && matches!(*unit, "s" | "ms" | "us");
            let is_name = matches!(BRACKETS.replace_all(rest, "").trim(), ":" | "=")
                && !(text.starts_with(' ') && is_time_in_front);
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
    let (mut names, mut short) = (Vec::with_capacity(slots.len()), Vec::with_capacity(slots.len()));
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
        short.push(clean(last_part(text)));
    }
    // `data: a:` is called `a`, unless others are called so as well.
    for place in 0..names.len() {
        if has_letter(&short[place]) && short.iter().filter(|name| **name == short[place]).count() == 1 {
            names[place].clone_from(&short[place]);
        }
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
