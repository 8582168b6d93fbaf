//! Lines in front of the first row, or between rows, that name the columns.

use crate::channel::Channel;
use crate::column::{Role, distinct};
use crate::lex::{self, Token, is_gap_word};
use crate::names::{Label, are_levels, has_letter, regex, unit_in_brackets};
use crate::rows::Reading;
use crate::search::Text;
use crate::template::Template;
use crate::units;
use regex::Regex;
use std::collections::BTreeSet;
use std::sync::LazyLock;

/// Columns without names are called as a line before the first row says.
pub(crate) fn name_columns(text: &Text<'_>, reading: &Reading<'_>, labels: &mut [Label]) {
    let has_name = |label: &Label| label.name.contains(|c: char| c.is_alphanumeric());
    let of = |t: usize| (0..labels.len()).filter(|place| reading.columns[*place].0 == t).collect::<Vec<usize>>();
    // Lines of other kinds have names of their own.
    let mut bare = reading.turn.iter().map(|t| (*t, of(*t))).filter(|(_, places)| {
        let named = places.iter().filter(|place| has_name(&labels[**place])).count();
        !places.is_empty() && named * 2 <= places.len()
    });
    let (Some((t, places)), None) = (bare.next(), bare.next()) else { return };
    let template = &reading.templates[t];
    let row = &template.rows[0];
    let is_between = |place: &usize| {
        row[..*place].iter().any(Token::is_atom)
            && row[*place..].iter().any(Token::is_atom)
            && !"[](){}<>".contains(row[*place].text)
    };
    let marks = (0..row.len()).filter(|place| !row[*place].is_atom()).filter(is_between).map(|place| row[place].text);
    let delimiter = if reading.options.underscore {
        "_"
    } else {
        let weight = |mark: &str| usize::from(matches!(mark, "," | ";" | "|" | "\t"));
        let kinds = distinct(marks).into_iter().rev();
        kinds.max_by_key(|(mark, count)| (weight(mark), *count)).map_or("", |(mark, _)| mark)
    };
    // The line in which listening began is no header where it has numbers like the others.
    let has_numbers = |template: &Template<'_>, line: usize| {
        let tokens = lex::tokens(text.lines[line], &reading.options);
        let mut atoms = template.atoms.iter().zip(&template.columns);
        tokens.len() == template.rows[0].len()
            && atoms.any(|(at, column)| {
                matches!(column.role, Role::Number | Role::Constant | Role::Moment) && tokens[*at].is_number()
            })
    };
    let is_used = |line: &usize| {
        template.lines.binary_search(line).is_ok()
            || reading.templates.iter().any(|template| template.varying() > 0 && has_numbers(template, *line))
    };
    let before: BTreeSet<usize> =
        (0..template.lines[0]).rev().filter(|line| !text.lines[*line].trim().is_empty()).take(3).collect();
    let repeated = |line: usize| text.lines.iter().filter(|other| **other == text.lines[line]).count() > 1;
    let may_be = |line: &usize| {
        let has_mark = !delimiter.trim().is_empty() && text.lines[*line].contains(delimiter);
        let is_loose = !matches!(delimiter, "," | ";" | "|");
        !is_used(line) && (has_mark || (is_loose && (before.contains(line) || repeated(*line))))
    };
    let lines: Vec<&str> = (0..text.lines.len()).filter(may_be).map(|line| text.lines[line]).collect();
    let count = places.len();
    // What a logger puts in front has no name in a header.
    let is_prefix = |place: &&usize| {
        let (t, atom) = reading.columns[**place];
        let column = &reading.templates[t].columns[atom];
        column.role == Role::Moment
            || (column.role == Role::Words && are_levels(&column.words))
            || template.rows[0].get(template.atoms[atom] + 1).is_some_and(|token| matches!(token.text, "]" | ">" | ")"))
    };
    let prefix = places.iter().take_while(is_prefix).count();
    let header = |from: usize, to: usize| {
        (from < to && (to - from > 1 || from == 0))
            .then(|| header(&lines, to - from, delimiter))
            .flatten()
            .map(|found| (from, found))
    };
    // A check value behind the others may have no name either.
    let shorter = || if count > 2 && !delimiter.trim().is_empty() { header(0, count - 1) } else { None };
    let Some((from, found)) = header(0, count).or_else(|| header(prefix, count)).or_else(shorter) else { return };
    for (place, own) in places[from..].iter().zip(found) {
        let (t, atom) = reading.columns[*place];
        let is_words = reading.templates[t].columns[atom].role == Role::Words;
        let label = &mut labels[*place];
        label.name = if is_words { own.whole } else { own.label.name };
        if label.unit.is_empty() && !is_words {
            label.unit = own.label.unit;
        }
    }
}

/// Whether a line in front of the first row names more columns than there are.
pub(crate) fn names_more(text: &Text<'_>, best: &Reading<'_>, channels: &[Channel]) -> bool {
    let [t] = best.turn[..] else { return false };
    let unnamed =
        channels.iter().enumerate().filter(|(place, channel)| channel.name == format!("field{}", place + 1)).count();
    let first = best.templates[t].lines[0];
    let before = (0..first).rev().filter(|line| !text.lines[*line].trim().is_empty()).take(2);
    let count = channels.len();
    unnamed == count
        && before.into_iter().any(|line| {
            let line = text.lines[line];
            (count + 1..=count + 2).filter(|more| *more > 2).any(|more| {
                header(&[line], more, ",")
                    .is_some_and(|cells| cells.iter().all(|cell| cell.label.name.split(' ').count() < 3))
            })
        })
}

/// A cell of a header.
struct Cell {
    /// All of it.
    whole: String,
    /// The name and the unit that it gives.
    label: Label,
}

impl Cell {
    fn of(cell: &str) -> Cell {
        Cell { whole: cell.to_owned(), label: of_cell(cell) }
    }
}

/// Whether a cell is a unit in brackets, or empty ones.
fn is_unit(cell: &str) -> bool {
    let inner = cell.strip_prefix(['[', '(']).and_then(|inner| inner.strip_suffix([']', ')']));
    inner.is_some_and(|inner| inner.trim_matches(['-', ' ']).is_empty() || units::is_unit(inner))
}

/// The cells of a line that may be a header, in the ways in which it may be cut.
fn cuts<'t>(line: &'t str, delimiter: &str) -> Vec<Vec<&'t str>> {
    let bare = line.trim_start().trim_start_matches('#').trim();
    let by = |mark: &str| -> Vec<&'t str> {
        bare.trim_matches(|c: char| c == ' ' || mark.contains(c)).split(mark).map(str::trim).collect()
    };
    let wide = || bare.split("  ").map(str::trim).filter(|cell| !cell.is_empty()).collect::<Vec<_>>();
    let (doubled, apart) = (format!("{delimiter}{delimiter}"), format!(" {delimiter} "));
    let main = match () {
        () if !delimiter.trim().is_empty() && bare.contains(&doubled) => by(&doubled),
        () if delimiter == "/" && bare.contains(&apart) => by(&apart),
        () if !delimiter.trim().is_empty() && bare.contains(delimiter) => by(delimiter),
        () if bare.contains('\t') => by("\t"),
        () if bare.contains(',') => by(","),
        () if wide().len() > 1 => wide(),
        () => bare.split_whitespace().collect(),
    };
    vec![main, bare.split_whitespace().collect(), wide()]
}

/// Words of start-up messages that name no column.
const GREETINGS: [&str; 10] =
    ["hello", "world", "ready", "done", "ok", "starting", "started", "booting", "welcome", "system"];

/// The labels that the last line of `lines` gives that has one for each of `count` columns.
fn header(lines: &[&str], count: usize, delimiter: &str) -> Option<Vec<Cell>> {
    let is_name = |cell: &&str| cell.is_empty() || has_letter(cell);
    let is_number = |cell: &&str| {
        let bare = cell.trim_start_matches(['+', '-']);
        bare.starts_with(|c: char| c.is_ascii_digit()) || NUMBER_INSIDE.is_match(bare)
    };
    let sound = |cells: &Vec<&str>| {
        let unique = (1..cells.len()).all(|i| !cells[..i].contains(&cells[i]));
        let is_greeting = cells.iter().any(|cell| GREETINGS.contains(&cell.to_lowercase().as_str()));
        let units = cells.iter().filter(|cell| is_unit(cell)).count();
        // Pairs of names and values name no columns, nor do words with a comma of a sentence.
        let is_other = is_greeting
            || units == cells.len()
            || cells.iter().all(|cell| is_gap_word(cell))
            || cells.iter().any(|cell| cell.contains([':', '=']) || cell.ends_with(','));
        // A word alone in front of numbers may be any message.
        let is_said = count > 1 || cells.iter().all(|cell| unit_in_brackets(cell).is_some());
        let is_fit = cells.iter().all(is_name) && !cells.iter().any(is_number);
        cells.len() == count && is_fit && is_said && unique && !is_other
    };
    let cells = |line: &&'_ str| {
        cuts(line, delimiter).into_iter().find(sound).map(|cells| cells.into_iter().map(Cell::of).collect())
    };
    let (place, mut found): (usize, Vec<Cell>) =
        lines.iter().enumerate().rev().find_map(|(place, line)| Some((place, cells(line)?)))?;
    // The units may stand on the next line.
    let units = lines.get(place + 1).and_then(|line| {
        cuts(line, delimiter).into_iter().find(|cells| cells.len() == count && cells.iter().all(|cell| is_unit(cell)))
    });
    for (cell, unit) in found.iter_mut().zip(units.unwrap_or_default()) {
        if cell.label.unit.is_empty() {
            units::written(unit.trim_matches(['[', ']', '(', ')'])).clone_into(&mut cell.label.unit);
        }
    }
    Some(found)
}

static NUMBER_INSIDE: LazyLock<Regex> = LazyLock::new(|| regex(r"\d\.\d"));

/// A cell of a header: a name, and the unit behind it.
fn of_cell(cell: &str) -> Label {
    let (name, unit) = match unit_in_brackets(cell) {
        Some((name, unit)) => (name, unit),
        None => match cell.rfind(['_', '/']).map(|at| (&cell[..at], &cell[at + 1..])) {
            // With an underscore it is a part of the name as well.
            Some((name, unit)) if units::is_unit(unit) && !matches!(unit, "m" | "k" | "in") => {
                (if cell[name.len()..].starts_with('_') { cell } else { name }, unit)
            }
            _ => (cell, ""),
        },
    };
    let name = if name.trim().is_empty() { cell } else { name };
    Label { name: name.trim().trim_matches('"').to_owned(), unit: units::written(unit).to_owned() }
}
