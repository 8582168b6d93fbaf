//! What in its structure speaks against the best reading.

use crate::channel::{Channel, ChannelKind};
use crate::column::Role;
use crate::header;
use crate::lex::{self, Kind, Token};
use crate::moment;
use crate::names::are_levels;
use crate::number::Comma;
use crate::rows::{Doubt, Reading};
use crate::search::Text;
use crate::template::is_reading;

use std::collections::HashMap;

/// A reading is sure with so many bits to the next.
const MARGIN: f64 = 30.0;

/// And with so many lines that make rows.
const LEAST_LINES: usize = 5;

/// What in its structure speaks against a reading.
pub(crate) fn structure(text: &Text<'_>, best: &Reading<'_>, channels: &[Channel], margin: Option<f64>) -> Vec<Doubt> {
    let mut doubts = Vec::new();
    if let Some(margin) = margin.filter(|margin| *margin < MARGIN) {
        doubts.push(Doubt::Rival(margin));
    }
    if has_lost_kind(text, best) && !doubts.contains(&Doubt::Irregular) {
        doubts.push(Doubt::Irregular);
    }
    if header::names_more(text, best, channels) {
        doubts.push(Doubt::Header);
    }
    let explained = best.explained();
    let lines = text.lines.len() - best.marks.len().min(text.lines.len());
    if explained < LEAST_LINES {
        doubts.push(Doubt::FewLines);
    }
    if (explained as f64) < 0.7 * lines as f64 - 2.0 && best.noise.len() as f64 > 0.25 * lines as f64 {
        doubts.push(Doubt::Unexplained);
    }
    let told = || {
        channels
            .iter()
            .zip(&best.columns)
            .filter(|(_, (t, atom))| best.templates[*t].columns[*atom].role != Role::Single)
    };
    if told().count() == 1
        && told().all(|(channel, _)| !channel.words.is_empty())
        && !best.turn.iter().any(|t| best.templates[*t].rows[0].iter().any(|token| matches!(token.text, ":" | "=")))
    {
        doubts.push(Doubt::WordsOnly);
    }
    let varies = |place: usize| {
        let mut values = best.rows.iter().filter_map(|row| row[place]);
        values.next().is_some_and(|first| values.any(|value| value != first))
    };
    // A count in front of words alone tells when they came.
    let is_count = |place: usize| {
        let (t, atom) = best.columns[place];
        let mut values = best.rows.iter().filter_map(|row| row[place]);
        let rises =
            values.next().is_some_and(|mut last| values.all(|value| std::mem::replace(&mut last, value) <= value));
        let row = &best.templates[t].rows[0];
        let words = row[best.templates[t].atoms[atom]..].iter().filter(|token| token.kind == Kind::Word).count();
        rises && best.templates[t].atoms[atom] <= 1 && words > 0 && best.templates[t].slots() == 1
    };
    let is_reading = |place: usize| channels[place].kind != ChannelKind::Clock && varies(place) && !is_count(place);
    if !(0..channels.len()).any(is_reading) {
        doubts.push(Doubt::Constant);
    }
    if best.turn.iter().any(|t| best.templates[*t].columns.iter().any(|column| column.role == Role::Free)) {
        doubts.push(Doubt::FreeWords);
    }
    let is_open_date = |(t, atom): &(usize, usize)| {
        let template = &best.templates[*t];
        let is_open = |row: &Vec<Token<'_>>| moment::is_open(row[template.atoms[*atom]].text);
        template.columns[*atom].role == Role::Moment && template.rows.iter().all(is_open)
    };
    if best.columns.iter().any(is_open_date) {
        doubts.push(Doubt::Date);
    }
    // `512-30+7`: what stands between may be the sign of the next one.
    let is_sign = |three: &[Token<'_>]| {
        three[0].kind == Kind::Number
            && matches!(three[1].text, "-" | "+")
            && three[2].kind == Kind::Number
            && !three[1].is_apart
            && !three[2].is_apart
    };
    if best.turn.iter().any(|t| best.templates[*t].rows[0].windows(3).any(is_sign)) {
        doubts.push(Doubt::Signs);
    }
    // What stands in front of a mark with a value behind is a name, but for words of how grave a message is.
    let is_name = |(t, atom): &(usize, usize)| {
        let column = &best.templates[*t].columns[*atom];
        column.role == Role::Words && !are_levels(&column.words) && best.templates[*t].is_name_of_value(*atom)
    };
    if best.columns.iter().any(is_name) {
        doubts.push(Doubt::Names);
    }
    if may_be_groups(best) {
        doubts.push(Doubt::Comma);
    }
    let is_bits = |(t, atom): &(usize, usize)| {
        let template = &best.templates[*t];
        let mut digits = template.rows.iter().map(|row| row[template.atoms[*atom]]);
        template.columns[*atom].role == Role::Number
            && digits.all(|token| {
                token.kind != Kind::Number
                    || (token.text.len() > 3 && token.text.bytes().all(|b| matches!(b, b'0' | b'1')))
            })
    };
    let has_bare = |(t, atom): &(usize, usize)| {
        let template = &best.templates[*t];
        template.rows.iter().any(|row| row[template.atoms[*atom]].kind == Kind::Number)
    };
    if best.columns.iter().any(|column| is_bits(column) && has_bare(column)) {
        doubts.push(Doubt::Bits);
    }
    doubts
}

/// Whether each comma that is no mark between numbers may be a decimal one or part groups of thousands: three digits stand behind each.
fn may_be_groups(best: &Reading<'_>) -> bool {
    let writing = best.options.writing;
    if writing.comma == Comma::Between || writing.groups.is_some() {
        return false;
    }
    let is_open = |(t, atom): &(usize, usize)| {
        let template = &best.templates[*t];
        let texts =
            || template.rows.iter().map(|row| row[template.atoms[*atom]]).filter(|token| token.kind == Kind::Number);
        let is_both = |token: Token<'_>| {
            token.text.trim_start_matches(['+', '-']).split_once(',').is_some_and(|(front, back)| {
                (1..=3).contains(&front.len()) && !front.starts_with('0') && back.len() == 3
            })
        };
        // Smaller numbers without a comma are those in front of the first thousand.
        template.columns[*atom].is_told() && texts().any(is_both) && texts().all(is_both)
    };
    let has_comma = |(t, atom): &(usize, usize)| {
        let template = &best.templates[*t];
        template.rows.iter().any(|row| row[template.atoms[*atom]].text.contains(','))
    };
    best.columns.iter().any(is_open) && best.columns.iter().filter(|column| has_comma(column)).all(is_open)
}

/// Whether lines of one kind that look like readings come again and again and are explained by nothing.
fn has_lost_kind(text: &Text<'_>, best: &Reading<'_>) -> bool {
    let mut kinds: HashMap<(String, &str), usize> = HashMap::new();
    // What came before all rows is start-up text.
    let first = best.turn.iter().filter_map(|t| best.templates[*t].lines.first()).min();
    for line in best.noise.iter().filter(|line| Some(*line) > first) {
        let tokens = lex::tokens(text.lines[*line], &best.options);
        let is_named = tokens.iter().any(|token| matches!(token.text, ":" | "="));
        let named = tokens.len() <= 6 && (0..tokens.len()).any(|from| is_reading(&tokens[from..]));
        if is_named || tokens.iter().any(lex::Token::is_number) {
            let word = tokens.iter().find(|token| token.kind == Kind::Word).map_or("", |token| token.text);
            // A name and a number alone are hardly a message twice.
            *kinds.entry((lex::skeleton(&tokens), word)).or_default() += if named { 2 } else { 1 };
        }
    }
    kinds.values().any(|count| *count >= 3)
}
