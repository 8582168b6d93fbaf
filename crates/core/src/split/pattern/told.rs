//! A shape of what the ranked readings of many lines tell.

use super::super::header::Header;
use super::super::shape::{Delimiter, MAX_FIELDS, Plain, Shape};
use super::super::value::STATE_WORDS;
use super::super::wall::Written;
use super::{FieldKind, Form, MOST_CODES, Part, Pattern, PatternColumn};
use amber_grammar::{Comma, Spec, SpecColumn, SpecKind, SpecPart, Writing};

/// The most kinds of lines of a pattern that is told.
const MOST_FORMS: usize = 24;

/// The shapes that may read lines so, the fastest first; none where shapes cannot say it.
pub(in super::super) fn shapes_of(spec: &Spec, header: Option<&Header>) -> Vec<Shape> {
    if !(1..=MAX_FIELDS).contains(&spec.columns.len()) {
        return Vec::new();
    }
    match spec.turns {
        Some(turns) => in_turn(spec, turns).into_iter().collect(),
        None => plain(spec, header).into_iter().chain(pattern(spec, header)).collect(),
    }
}

/// Numbers with one mark between.
fn plain(spec: &Spec, header: Option<&Header>) -> Option<Shape> {
    let [line] = &spec.lines[..] else { return None };
    let mut marks: Vec<&str> = Vec::new();
    let mut fields = 0;
    for part in &line.parts {
        match part {
            SpecPart::Field(column) if *column == fields => {
                if marks.len() < fields {
                    marks.push("");
                }
                fields += 1;
            }
            SpecPart::Text(text) if marks.len() + 1 == fields => marks.push(text.trim()),
            _ => return None,
        }
    }
    let comma = |column: &SpecColumn| match column.kind {
        SpecKind::Number { writing: Writing { comma, groups: None }, minus: false } => Some(comma),
        _ => None,
    };
    let comma = comma(&spec.columns[0]).filter(|own| spec.columns.iter().all(|column| comma(column) == Some(*own)))?;
    let mark = marks.first().copied().unwrap_or("");
    if fields != spec.columns.len() || marks.len() + 1 != fields || marks.iter().any(|own| *own != mark) {
        return None;
    }
    let delimiter = match mark {
        "" => Delimiter::Spaces,
        mark => Delimiter::ALL.into_iter().find(|delimiter| mark.as_bytes() == [delimiter.byte()])?,
    };
    let comma = match comma {
        Comma::Between => false,
        Comma::Decimal => delimiter != Delimiter::Comma,
        Comma::Groups => return None,
    };
    let mut plain = Plain { comma, ..Plain::new(delimiter, fields) };
    if spec.columns.iter().any(|column| !column.name.is_empty()) {
        for (place, column) in spec.columns.iter().enumerate() {
            let own = name(&column.name).unwrap_or_else(|| format!("field{}", place + 1));
            plain.names.push(free(own, &plain.names));
            plain.units.push(column.unit.clone());
        }
    } else if let Some(header) = header.filter(|header| header.names.len() == fields) {
        (plain.names, plain.units) = (header.names.clone(), header.units.clone());
    }
    Some(Shape::Plain(plain))
}

/// Texts with fields between.
fn pattern(spec: &Spec, header: Option<&Header>) -> Option<Shape> {
    let mut pattern = Pattern { forms: Vec::new(), columns: Vec::new() };
    let mut names: Vec<String> = Vec::new();
    for (place, column) in spec.columns.iter().enumerate() {
        let own = match name(&column.name) {
            Some(own) => own,
            None if matches!(column.kind, SpecKind::Moment { .. }) => "clock_s".to_owned(),
            None => match name_in_front(spec, place).and_then(|front| name(&spec.columns[front].name)) {
                // Another quantity of the same, as in `gauge 512 cnt (2.5 V)`.
                Some(front) => match name(&column.unit) {
                    Some(unit) => format!("{front}_{unit}"),
                    None => front,
                },
                None => {
                    let clocks =
                        spec.columns[..place].iter().filter(|column| matches!(column.kind, SpecKind::Moment { .. }));
                    format!("field{}", place + 1 - clocks.count())
                }
            },
        };
        let name = free(own, &names);
        names.push(name.clone());
        pattern.columns.push(PatternColumn { name, unit: column.unit.clone(), kind: kind(column)? });
    }
    let mut step = None;
    for line in &spec.lines {
        let parts: Vec<Part> = line.parts.iter().map(part).collect();
        // A line that never changed tells nothing.
        if !parts.iter().any(|part| matches!(part, Part::Field(_))) {
            continue;
        }
        // Steps that have no line are left out.
        let own = match step {
            Some((before, own)) if before == line.step => own,
            Some((_, own)) => own + 1,
            None => 0,
        };
        step = Some((line.step, own));
        pattern.forms.push(Form { parts, step: own, checked: false });
    }
    if pattern.forms.is_empty() || pattern.forms.len() > MOST_FORMS {
        return None;
    }
    // A form that has all that another has, and more, is tried in front of it.
    pattern.forms.sort_by_key(|form| (form.step, std::cmp::Reverse(form.parts.len())));
    if let Some(header) = header {
        pattern.name_by(header);
    }
    // What is read by it later is read by its text.
    let mut again: Pattern = pattern.to_string().parse().ok()?;
    for column in &mut again.columns {
        if let Some(own) = pattern.columns.iter().find(|own| own.name == column.name) {
            column.unit.clone_from(&own.unit);
        }
    }
    (again.forms.len() == pattern.forms.len()).then_some(Shape::Pattern(again))
}

fn part(part: &SpecPart) -> Part {
    match part {
        SpecPart::Text(text) => Part::Text(text.clone()),
        SpecPart::Field(column) => Part::Field(*column),
        SpecPart::Skip => Part::Word,
    }
}

/// The nearest named column in front of this one on a line where marks alone stand between.
fn name_in_front(spec: &Spec, place: usize) -> Option<usize> {
    let line = spec.lines.iter().find(|line| line.parts.contains(&SpecPart::Field(place)))?;
    let at = line.parts.iter().position(|part| *part == SpecPart::Field(place))?;
    let is_mark = |part: &&SpecPart| !matches!(part, SpecPart::Text(text) if text.contains(char::is_alphanumeric));
    let named = |part: &SpecPart| match part {
        SpecPart::Field(column) if !spec.columns[*column].name.is_empty() => Some(*column),
        _ => None,
    };
    line.parts[..at].iter().rev().take_while(is_mark).find_map(named)
}

/// Letters, digits and a few signs of a name, 32 at most.
fn name(name: &str) -> Option<String> {
    let mut own = String::new();
    for c in name.chars() {
        match c {
            c if c.is_alphanumeric() || matches!(c, '_' | '.' | '-') => own.push(c),
            _ if own.ends_with('_') || own.is_empty() => {}
            _ => own.push('_'),
        }
    }
    let own: String = own.trim_matches(['_', '.', '-']).chars().take(32).collect();
    (!own.is_empty()).then_some(own)
}

fn free(name: String, taken: &[String]) -> String {
    if !taken.contains(&name) {
        return name;
    }
    let short: String = name.chars().take(28).collect();
    (2..).map(|number| format!("{short}_{number}")).find(|name| !taken.contains(name)).unwrap_or(name)
}

fn kind(column: &SpecColumn) -> Option<FieldKind> {
    Some(match &column.kind {
        SpecKind::Number { writing: Writing { comma, groups }, minus } => match (comma, groups, minus) {
            (Comma::Between, None, false) => FieldKind::Number,
            (Comma::Between, None, true) => FieldKind::Minus,
            // Points in front of a decimal comma part thousands there.
            (Comma::Decimal, None, false) => FieldKind::Comma,
            (Comma::Groups, None, false) | (Comma::Between, Some('\'' | ' '), false) => FieldKind::Thousands,
            _ => return None,
        },
        SpecKind::Hex => FieldKind::Hex,
        SpecKind::Binary => FieldKind::Binary,
        SpecKind::Moment { comma } => FieldKind::Clock(Written { comma: *comma, ..Written::default() }),
        SpecKind::Words(words) => {
            let is_pair = |(off, on): &(&str, &str)| matches!(&words[..], [first, second] if first.eq_ignore_ascii_case(off) && second.eq_ignore_ascii_case(on));
            if STATE_WORDS.iter().any(is_pair) {
                return Some(FieldKind::State);
            }
            let is_sound = |word: &String| !word.is_empty() && !word.contains(['|', '{', '}']) && word.trim() == word;
            if !(1..=MOST_CODES).contains(&words.len()) || !words.iter().all(is_sound) {
                return None;
            }
            FieldKind::Codes(words.clone())
        }
    })
}

/// Bare numbers on lines of one form, so many lines a row.
fn in_turn(spec: &Spec, turns: usize) -> Option<Shape> {
    let line = spec.lines.first()?;
    let fields = line.parts.iter().filter(|part| matches!(part, SpecPart::Field(_))).count();
    let marks = line.parts.iter().filter_map(|part| match part {
        SpecPart::Text(text) => Some(text.trim()),
        _ => None,
    });
    let mut marks: Vec<&str> = marks.collect();
    marks.dedup();
    let delimiter = match marks[..] {
        [] => Delimiter::Spaces,
        [mark] => Delimiter::ALL.into_iter().find(|delimiter| mark.as_bytes() == [delimiter.byte()])?,
        _ => return None,
    };
    let is_plain = |column: &SpecColumn| matches!(column.kind, SpecKind::Number { writing, minus: false } if writing == Writing::default());
    let sound = fields * turns == spec.columns.len() && spec.columns.iter().all(is_plain);
    sound.then(|| Shape::Plain(Plain { lines: turns, ..Plain::new(delimiter, fields) }))
}
