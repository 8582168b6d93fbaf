//! A reading told in terms of its lines: what stands on them, and what the fields are. Whoever reads streams fast compiles it.

use crate::column::{Base, Column, Role};
use crate::lex::{Kind, Token};
use crate::number::Writing;
use crate::rows::Reading;
use crate::template::{Template, Variant};
use std::collections::HashMap;

/// What stands on lines.
#[derive(Clone, Debug, PartialEq)]
pub struct Spec {
    /// The columns of a row.
    pub columns: Vec<SpecColumn>,
    /// The kinds of lines.
    pub lines: Vec<SpecLine>,
    /// All lines are of one kind, and so many in turn make a row.
    pub turns: Option<usize>,
}

/// A kind of line.
#[derive(Clone, Debug, PartialEq)]
pub struct SpecLine {
    /// Its place in a row; several kinds may have the same one.
    pub step: usize,
    /// Whether each row has a line of this place.
    pub is_always: bool,
    /// What stands on it, in order.
    pub parts: Vec<SpecPart>,
}

/// A part of a line.
#[derive(Clone, Debug, PartialEq)]
pub enum SpecPart {
    /// This text; blanks do not count.
    Text(String),
    /// The value of a column.
    Field(usize),
    /// Something that is not told.
    Skip,
}

/// A column.
#[derive(Clone, Debug, PartialEq)]
pub struct SpecColumn {
    /// Its name; empty for none.
    pub name: String,
    /// Its unit; empty for none.
    pub unit: String,
    /// How its values are written.
    pub kind: SpecKind,
}

/// How values are written.
#[derive(Clone, Debug, PartialEq)]
pub enum SpecKind {
    /// Numbers; `minus`: it may stand apart.
    Number {
        /// What commas and points are.
        writing: Writing,
        /// Whether the minus may stand apart.
        minus: bool,
    },
    /// Hexadecimal digits with nothing in front.
    Hex,
    /// Binary digits.
    Binary,
    /// Words for the codes 0, 1, 2 …
    Words(Vec<String>),
    /// Dates and times of day; `comma`: one stands in front of the fraction of a second.
    Moment {
        /// A comma stands in front of the fraction.
        comma: bool,
    },
}

impl Spec {
    /// The spec of a reading whose columns have these names and units; none where a column cannot be told so.
    pub(crate) fn of(reading: &Reading<'_>, labels: &[(String, String)]) -> Option<Spec> {
        let mut places: HashMap<(usize, usize), usize> = HashMap::new();
        let mut columns = Vec::new();
        for ((t, atom), (name, unit)) in reading.columns.iter().zip(labels) {
            // What has never changed is text, unless a line has nothing else to tell.
            let template = &reading.templates[*t];
            if template.columns[*atom].role == Role::Single && template.slots() > 0 {
                continue;
            }
            places.insert((*t, *atom), columns.len());
            let kind = kind(&reading.templates[*t], *atom, reading.options.writing)?;
            columns.push(SpecColumn { name: name.clone(), unit: unit.clone(), kind });
        }
        let of_turn = |t: &usize| reading.templates[*t].turn.is_some();
        let turns = reading.turn.iter().all(of_turn).then_some(reading.turn.len()).filter(|turns| *turns > 1);
        if turns.is_none() && reading.turn.iter().any(of_turn) {
            return None;
        }
        let mut lines = Vec::new();
        for (step, t) in reading.turn.iter().enumerate() {
            let template = &reading.templates[*t];
            for variant in &template.variants {
                let parts = parts(template, variant, |atom| places.get(&(*t, atom)).copied())?;
                lines.push(SpecLine { step, is_always: reading.main.contains(t), parts });
            }
        }
        Some(Spec { columns, lines, turns })
    }
}

fn tokens<'t, 'a>(template: &'t Template<'a>, atom: usize) -> impl Iterator<Item = &'t Token<'a>> {
    let at = template.atoms[atom];
    template.rows.iter().map(move |row| &row[at]).filter(|token| !matches!(token.kind, Kind::Empty | Kind::Gap))
}

/// The mark that stands in front of the digits of each number: `#`, `$`, `B` or `0b`.
fn prefix(template: &Template<'_>, atom: usize) -> Option<&'static str> {
    let first = tokens(template, atom).find(|token| token.kind == Kind::Prefixed)?;
    ["#", "$", "0b", "B"].into_iter().find(|prefix| first.text.starts_with(prefix))
}

fn kind(template: &Template<'_>, atom: usize, writing: Writing) -> Option<SpecKind> {
    let column = &template.columns[atom];
    Some(match column.role {
        Role::Words | Role::Single => SpecKind::Words(words(column)),
        Role::Moment => SpecKind::Moment { comma: tokens(template, atom).any(|token| token.text.contains(',')) },
        Role::Number | Role::Constant => {
            let prefix = prefix(template, atom);
            let is_all = tokens(template, atom).all(|token| token.kind == Kind::Prefixed);
            match (prefix, column.base) {
                (Some(_), _) if !is_all => return None,
                (Some("#" | "$"), _) => SpecKind::Hex,
                (Some(_), _) | (None, Base::Binary) => SpecKind::Binary,
                (None, Base::Hex) if tokens(template, atom).all(|token| token.kind == Kind::Prefixed) => {
                    SpecKind::Number { writing, minus: false }
                }
                (None, Base::Hex) => SpecKind::Hex,
                (None, Base::Decimal | Base::Zeros) => {
                    SpecKind::Number { writing, minus: tokens(template, atom).any(|token| token.text.contains("- ")) }
                }
            }
        }
        Role::Text | Role::Empty | Role::Free => return None,
    })
}

/// The words of a column; one that came once and is the beginning of another, or another with something in
/// front of it, or but for a character, is damaged.
fn words(column: &Column) -> Vec<String> {
    let counts = column.counts();
    let is_damaged_one = |place: usize| {
        let is_of = |(other, whole): (usize, &String)| {
            let own = &column.words[place];
            counts[other] > 2
                && (own.ends_with(whole.as_str()) || whole.starts_with(own.as_str()) || is_but_for_one(own, whole))
        };
        counts[place] == 1 && column.words.iter().enumerate().any(is_of)
    };
    let sound = (0..column.words.len()).filter(|place| !is_damaged_one(*place));
    sound.map(|place| column.words[place].clone()).collect()
}

/// Whether one of two words, of more than two letters, has a character that the other has not, or another one.
fn is_but_for_one(a: &str, b: &str) -> bool {
    let front = a.chars().zip(b.chars()).take_while(|(a, b)| a == b).count();
    let back = a.chars().rev().zip(b.chars().rev()).take_while(|(a, b)| a == b).count();
    let (own, other) = (a.chars().count(), b.chars().count());
    own.min(other) > 2 && own.abs_diff(other) <= 1 && front + back + 1 >= own.max(other)
}

fn parts(template: &Template<'_>, variant: &Variant, column: impl Fn(usize) -> Option<usize>) -> Option<Vec<SpecPart>> {
    let mut parts: Vec<SpecPart> = Vec::new();
    let mut text = String::new();
    let mut atom = 0;
    for (place, token) in template.rows[0].iter().enumerate() {
        let own = if token.is_atom() { Some(atom) } else { None };
        atom += usize::from(own.is_some());
        if !variant.there[place] {
            continue;
        }
        if token.is_apart {
            text.push(' ');
        }
        let Some(own) = own else {
            text += token.text;
            continue;
        };
        let role = template.columns[own].role;
        if role == Role::Text || (role == Role::Single && column(own).is_none()) {
            // Words that were parted stand apart.
            if text.ends_with(|c: char| c.is_alphanumeric()) {
                text.push(' ');
            }
            text += token.text;
            continue;
        }
        if role == Role::Empty && token.text.is_empty() {
            continue;
        }
        let field = column(own);
        if let Some(prefix) = prefix(template, own).filter(|_| field.is_some()) {
            text += prefix;
        }
        if !text.trim().is_empty() {
            parts.push(SpecPart::Text(std::mem::take(&mut text)));
        }
        text.clear();
        let part = field.map_or(SpecPart::Skip, SpecPart::Field);
        // Two things side by side that are not told are one.
        if !(part == SpecPart::Skip && parts.last() == Some(&SpecPart::Skip)) {
            parts.push(part);
        }
    }
    if !text.trim().is_empty() {
        parts.push(SpecPart::Text(text));
    }
    // Of something that is not told and a word behind it, nothing tells where the word begins.
    let is_open = |pair: &[SpecPart]| matches!(pair, [SpecPart::Skip, SpecPart::Field(_)]);
    (!parts.windows(2).any(is_open)).then_some(parts)
}
