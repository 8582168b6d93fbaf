//! Which columns of a reading are told: numbers of names, indexes, keys and units are none.

use crate::column::Role;
use crate::lex::{Kind, Token};
use crate::names::Label;
use crate::rows::Reading;
use crate::template::Template;
use crate::units;
use std::collections::{BTreeSet, HashMap};

/// Leaves columns out of a reading; their text belongs to the names around.
fn leave_out(reading: &mut Reading<'_>, places: &BTreeSet<usize>) {
    for place in places {
        let (t, atom) = reading.columns[*place];
        reading.templates[t].columns[atom].role = Role::Text;
    }
    keep(reading, |place| !places.contains(&place));
}

fn keep(reading: &mut Reading<'_>, is_kept: impl Fn(usize) -> bool) {
    let kept = |(place, value): (usize, Option<f64>)| is_kept(place).then_some(value);
    for row in &mut reading.rows {
        *row = std::mem::take(row).into_iter().enumerate().filter_map(kept).collect();
    }
    let columns = std::mem::take(&mut reading.columns);
    reading.columns =
        columns.into_iter().enumerate().filter(|(place, _)| is_kept(*place)).map(|(_, column)| column).collect();
}

fn token<'a>(template: &Template<'a>, at: usize) -> Option<Token<'a>> {
    template.rows[0].get(at).copied()
}

fn is_index(template: &Template<'_>, atom: usize) -> bool {
    template.columns[atom].role == Role::Constant && has_digits(template, atom)
}

fn has_digits(template: &Template<'_>, atom: usize) -> bool {
    let token = template.rows[0][template.atoms[atom]];
    token.kind == Kind::Number && token.text.bytes().all(|b| b.is_ascii_digit())
}

/// `Analog 1: 503  Analog 2: 211`: the numbers behind the words are no values.
pub(crate) fn drop_numbers_of_names(reading: &mut Reading<'_>) {
    // Of a template, a word and what stands in front of the number: the numbers, each with its column.
    type Family<'a> = (usize, &'a str, Kind);
    let mut families: HashMap<Family<'_>, Vec<(i64, usize)>> = HashMap::new();
    for (place, (t, atom)) in reading.columns.iter().enumerate() {
        let template = &reading.templates[*t];
        let at = template.atoms[*atom];
        if !is_index(template, *atom) || at == 0 {
            continue;
        }
        let before = template.rows[0][at - 1];
        let word = match before.kind {
            Kind::Word => Some(before),
            Kind::Mark if at > 1 && matches!(before.text, "[" | "(" | "#") => {
                token(template, at - 2).filter(|token| token.kind == Kind::Word)
            }
            _ => None,
        };
        let Some(word) = word else { continue };
        let last = word.text.rsplit(' ').next().unwrap_or(word.text);
        if let Ok(number) = template.rows[0][at].text.parse() {
            families.entry((*t, last, before.kind)).or_default().push((number, place));
        }
    }
    let most = if reading.main.len() > 1 { 17 } else { 1 };
    let mut dropped = BTreeSet::new();
    for mut family in families.into_values() {
        family.sort_unstable();
        let follows = family.windows(2).all(|pair| pair[1].0 == pair[0].0 + 1);
        if family.len() > 1 && follows && family[0].0 <= most {
            dropped.extend(family.iter().map(|(_, place)| *place));
        }
    }
    leave_out(reading, &dropped);
}

const MONTHS: [&str; 12] = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"];

/// `pin(7): 1`: a number that never changes, behind a word and in front of a mark and a value, belongs to the name.
pub(crate) fn drop_keyed_constants(reading: &mut Reading<'_>) {
    let mut dropped = BTreeSet::new();
    for (place, (t, atom)) in reading.columns.iter().enumerate() {
        let template = &reading.templates[*t];
        let row = &template.rows[0];
        let at = template.atoms[*atom];
        if !is_index(template, *atom) || at == 0 || at + 1 >= row.len() {
            continue;
        }
        let before = row[at - 1];
        let is_close = |at: usize, text: &str| row.get(at).is_some_and(|token| token.text == text && !token.is_apart);
        // A value, not the next field, stands behind a subscript.
        let has_value =
            row.get(at + 2).is_some_and(|token| token.is_number() || matches!(token.text, ":" | "=" | "-" | "\""));
        let is_subscript =
            has_value && at > 1 && is_close(at - 1, "[") && is_close(at + 1, "]") && row[at - 2].kind == Kind::Word;
        if is_subscript && !row[at].is_apart {
            dropped.insert(place);
            continue;
        }
        let mut next = at + 1;
        while let Some(token) = row.get(next).filter(|token| !token.is_atom()) {
            let is_between = ")]:=>-\"'".contains(token.text) || (token.text == "\t" && next > at + 1);
            if !is_between {
                break;
            }
            next += 1;
        }
        let mark: String = row[at + 1..next].iter().map(|token| token.text).collect();
        let is_bracket = |at: Option<usize>| {
            at.and_then(|at| row.get(at)).is_some_and(|token| matches!(token.text, "(" | "[" | "<"))
        };
        let word = |at: Option<usize>| at.and_then(|at| row.get(at)).is_some_and(|token| token.kind == Kind::Word);
        let is_closed = mark.starts_with([')', ']', '>']);
        let value = row.get(next).filter(|token| token.is_atom());
        let opens = matches!(before.text, "(" | "[" | "#") && word(at.checked_sub(2)) && mark.starts_with([')', ']']);
        let is_keyed = (before.kind == Kind::Word
            && (mark.starts_with([':', '=', '-', '"', '\'']) || (is_bracket(at.checked_sub(2)) && is_closed)))
            || (opens && (mark.len() > 1 || value.is_some_and(|token| token.kind != Kind::Word)));
        let is_value = value.is_some_and(|token| token.kind != Kind::Word || mark.contains([':', '=']));
        let last = before.text.rsplit(' ').next().unwrap_or_default().to_lowercase();
        let is_noun = before.kind == Kind::Word
            && matches!(last.as_str(), "pin" | "channel" | "sensor" | "analog")
            && at >= 2
            && row[at - 2].is_atom();
        // `main.c:120` is a place in a program.
        let is_place = before.text == ":" && at > 3 && word(Some(at - 2)) && row[at - 3].text == ".";
        // `Nov 24 09:41:07`: a day of a month.
        let is_day = MONTHS.contains(&last.as_str())
            && template.columns.get(atom + 1).is_some_and(|column| column.role == Role::Moment);
        if (is_keyed && !mark.is_empty() && is_value) || is_place || is_noun || is_day {
            dropped.insert(place);
        }
    }
    leave_out(reading, &dropped);
}

/// `0 = 191 mm`, `1 = 1116`: the numbers with which the lines of each kind begin tell them apart.
pub(crate) fn drop_indexes(reading: &mut Reading<'_>) {
    if reading.main.len() < 2 {
        return;
    }
    // The number with which a kind begins, and its column where that is told.
    let first = |t: &usize| {
        let template = &reading.templates[*t];
        let is_parted = template.columns.first().is_some_and(|column| column.role == Role::Text);
        let atom = match is_parted && has_digits(template, 0) {
            true => 0,
            false => (0..template.columns.len()).find(|atom| is_index(template, *atom))?,
        };
        let mark = token(template, template.atoms[atom] + 1).filter(|token| !token.is_atom())?;
        let place = reading.columns.iter().position(|column| *column == (*t, atom));
        let is_key = template.slots() > usize::from(place.is_some()) && ":=)]>-".contains(mark.text);
        is_key.then(|| (place, template.rows[0][template.atoms[atom]].text.to_owned()))
    };
    let found: Vec<(Option<usize>, String)> = reading.turn.iter().filter_map(first).collect();
    let unique: BTreeSet<&String> = found.iter().map(|(_, text)| text).collect();
    if found.len() == reading.turn.len() && unique.len() == found.len() {
        leave_out(reading, &found.iter().filter_map(|(place, _)| *place).collect());
    }
}

/// Kinds of lines that differ in the word behind one and the same name, as `"sensor": "hum"` and `"sensor": "temp", … "unit": "C"`,
/// are told apart by it.
pub(crate) fn take_keys_across(reading: &mut Reading<'_>) {
    if reading.turn.len() < 2 {
        return;
    }
    let is_fixed = |role: Role| matches!(role, Role::Text | Role::Single);
    let words = |t: &usize| {
        let template = &reading.templates[*t];
        let atoms = (0..template.columns.len()).filter(|atom| is_fixed(template.columns[*atom].role));
        atoms.filter_map(|atom| template.named_word(atom).map(|(name, word)| (atom, name, word))).collect::<Vec<_>>()
    };
    let found: Vec<Vec<(usize, &str, &str)>> = reading.turn.iter().map(words).collect();
    let Some(first) = found.first() else { return };
    let key = first.iter().map(|(_, name, _)| *name).find(|name| {
        let own: Vec<&str> = found
            .iter()
            .filter_map(|words| words.iter().find(|(_, own, _)| own == name))
            .map(|(.., word)| *word)
            .collect();
        own.len() == found.len() && own.iter().collect::<BTreeSet<_>>().len() == own.len()
    });
    let Some(key) = key else { return };
    let keyed: Vec<(usize, usize, String)> = reading
        .turn
        .iter()
        .zip(&found)
        .filter_map(|(t, words)| {
            words.iter().find(|(_, name, _)| *name == key).map(|(atom, _, word)| (*t, *atom, (*word).to_owned()))
        })
        .collect();
    for (t, atom, word) in keyed {
        let template = &mut reading.templates[t];
        template.columns[atom].role = Role::Text;
        if !template.keys.contains(&word) {
            template.keys.push(word);
        }
    }
}

/// `"value": 21.5, "unit": "C"`: a word called unit is that of the value in front.
pub(crate) fn take_units(reading: &mut Reading<'_>, labels: &mut Vec<Label>) {
    let mut taken = BTreeSet::new();
    for place in 1..labels.len() {
        let (t, atom) = reading.columns[place];
        let column = &reading.templates[t].columns[atom];
        let is_unit =
            column.role == Role::Single && matches!(labels[place].name.to_lowercase().as_str(), "unit" | "units");
        if is_unit && reading.columns[place - 1].0 == t && labels[place - 1].unit.is_empty() {
            let unit = column.words.first().cloned().unwrap_or_default();
            labels[place - 1].unit = unit;
            taken.insert(place);
        }
    }
    keep_but(reading, labels, &taken);
}

/// Columns and their labels without these.
fn keep_but(reading: &mut Reading<'_>, labels: &mut Vec<Label>, left: &BTreeSet<usize>) {
    keep(reading, |place| !left.contains(&place));
    let mut place = 0;
    labels.retain(|_| {
        place += 1;
        !left.contains(&(place - 1))
    });
}

/// What units with prefixes multiply by: for the template and atom of a number, the atom of the unit and a factor for each word.
pub(crate) type Scales = HashMap<(usize, usize), (usize, Vec<Option<f64>>)>;

/// `1.66 m`, `52 cm`: a number and its unit with prefixes become one number.
pub(crate) fn scale_prefixes(reading: &mut Reading<'_>, labels: &mut Vec<Label>) -> Scales {
    let mut scales = HashMap::new();
    let mut place = 0;
    while place + 1 < reading.columns.len() {
        let ((t, atom), (other, next)) = (reading.columns[place], reading.columns[place + 1]);
        let columns = &reading.templates[t].columns;
        let is_pair =
            t == other && next == atom + 1 && columns[atom].role == Role::Number && columns[next].role == Role::Words;
        let found = if is_pair { units::prefixed(&columns[next].words, &columns[next].counts()) } else { None };
        let Some((factors, unit)) = found else {
            place += 1;
            continue;
        };
        // Where lengths are told in centimetres and now and then in metres, they stay in the usual one.
        let counts = columns[next].counts();
        let usual = (0..factors.len()).filter(|code| factors[*code].is_some()).max_by_key(|code| counts[*code]);
        let centi = usual
            .filter(|code| columns[next].words[*code].starts_with('c'))
            .and_then(|code| factors[code].zip(Some(code)));
        let (factors, unit) = match centi {
            Some((usual, code)) => {
                let scaled = factors.iter().map(|factor| factor.map(|factor| factor / usual)).collect();
                (scaled, columns[next].words[code].clone())
            }
            None => (factors, unit.to_owned()),
        };
        for row in &mut reading.rows {
            let factor = row[place + 1].and_then(|code| factors.get(code as usize).copied().flatten());
            row[place] = row[place].zip(factor).map(|(value, factor)| value * factor);
        }
        let name = std::mem::take(&mut labels[place + 1].name);
        labels[place].unit = unit;
        if labels[place].name.is_empty() {
            labels[place].name = name;
        }
        labels.remove(place + 1);
        keep(reading, |own| own != place + 1);
        scales.insert((t, atom), (next, factors));
        place += 1;
    }
    scales
}

/// The same value under the same name on several lines is one column.
pub(crate) fn join_same(reading: &mut Reading<'_>, labels: &mut Vec<Label>) {
    if reading.main.len() < 2 {
        return;
    }
    let mut doubled: BTreeSet<usize> = BTreeSet::new();
    for place in 0..labels.len() {
        let is_same = |other: usize| {
            let equal = reading.rows.iter().filter(|row| row[place] == row[other]).count();
            !doubled.contains(&other)
                && reading.columns[other].0 != reading.columns[place].0
                && labels[other].name == labels[place].name
                && equal as f64 > 0.8 * reading.rows.len() as f64
        };
        if (0..place).any(is_same) {
            doubled.insert(place);
        }
    }
    keep_but(reading, labels, &doubled);
}
