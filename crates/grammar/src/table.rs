//! The best reading as a table: its channels with names, units and kinds, and how sure it is.

use crate::column::{Base, Role, distinct};
use crate::lex::{self, Kind, Options, Token};
use crate::names::{self, Label};
use crate::number::Comma;
use crate::reader::{Assembler, Reader, RowLines};
use crate::rows::{Doubt, Reading};
use crate::search::Text;
use crate::spec::{Spec, SpecKind};
use crate::template::Template;
use crate::text::Lines;
use crate::units;
use regex::Regex;
use std::collections::{BTreeSet, HashMap};
use std::sync::LazyLock;

/// What a channel is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ChannelKind {
    /// The board's own time.
    Clock,
    /// A quantity.
    Analog,
    /// Two states.
    Digital,
    /// More states.
    Code,
}

/// A column of the table.
#[derive(Clone, Debug, PartialEq)]
pub struct Channel {
    /// As the lines or a header call it; `field1`, `field2` … where they do not.
    pub name: String,
    /// As the lines or a header say it; empty for none.
    pub unit: String,
    /// What it is.
    pub kind: ChannelKind,
    /// The words of the codes 0, 1, 2 …; none where it is of numbers.
    pub words: Vec<String>,
}

/// A column and where it comes from.
#[derive(Clone, Debug)]
struct Source {
    template: usize,
    atom: usize,
    /// The atom of the unit that stands behind each value, and what each of its words multiplies by.
    scale: Option<(usize, Vec<Option<f64>>)>,
    /// A word that never changed: it is a channel once it does.
    waits: bool,
}

/// What a text means by the best reading, and how to read on by it.
#[derive(Clone, Debug)]
pub struct Finding {
    channels: Vec<Channel>,
    /// What speaks against it; nothing where it is sure.
    pub doubts: Vec<Doubt>,
    /// By how many bits it is cheaper than the next one that tells something else; none where there is none.
    pub margin: Option<f64>,
    /// In which way it is written.
    pub options: Options,
    /// What stands on its lines, where that can be told.
    pub spec: Option<Spec>,
    reader: Reader,
    sources: Vec<Source>,
    assembler: Assembler,
    sentences: Option<Sentences>,
}

/// A table: a value for each channel in a row; none is a gap.
#[derive(Clone, Debug, PartialEq)]
pub struct Table {
    /// Its columns.
    pub channels: Vec<Channel>,
    /// Its rows.
    pub rows: Vec<Vec<Option<f64>>>,
    /// The lines that are no part of a row.
    pub unread: Vec<usize>,
}

/// A reading is sure with so many bits to the next.
const MARGIN: f64 = 30.0;
/// And with so many lines that make rows.
const LEAST_LINES: usize = 5;

/// The most lines and bytes that are looked at.
const MOST_LINES: usize = 160;
const MOST_BYTES: usize = 16 << 10;

/// What a text means, if it has readings: its first lines tell.
pub fn find(text: &Lines) -> Option<Finding> {
    let mut size = 0;
    let within = |line: &&String| {
        size += line.len() + 1;
        size <= MOST_BYTES
    };
    let lines: Vec<&str> = text.lines.iter().take(MOST_LINES).take_while(within).map(String::as_str).collect();
    let is_ended = text.is_ended || lines.len() < text.lines.len();
    let first = of_lines(lines.clone(), is_ended);
    // Whole lines may be the states of one channel.
    let is_state = |channel: &Channel| channel.kind != ChannelKind::Analog;
    let is_flat = first.as_ref().is_none_or(|found| found.channels.iter().all(is_state));
    if is_flat && let Some(sentences) = Sentences::of(&lines, is_ended) {
        let coded: Vec<String> = lines.iter().map(|line| sentences.coded(line)).collect();
        if let Some(mut found) = of_lines(coded.iter().map(String::as_str).collect(), is_ended) {
            sentences.put_back(&mut found);
            found.sentences = Some(sentences);
            return Some(found);
        }
    }
    first
}

fn of_lines(lines: Vec<&str>, is_ended: bool) -> Option<Finding> {
    let text = Text::new(lines, is_ended);
    let mut ranked = text.ranked().into_iter();
    let mut best = ranked.next()?;
    let margin = ranked.next().map(|next| next.bits - best.bits);
    if best.rows.is_empty() {
        return None;
    }
    drop_numbers_of_names(&mut best);
    drop_keyed_constants(&mut best);
    drop_indexes(&mut best);
    take_keys_across(&mut best);
    best.add_waiting();
    let mut labels = labelled(&best);
    let scales = scale_prefixes(&mut best, &mut labels);
    join_same(&mut best, &mut labels);
    take_units(&mut best, &mut labels);
    name_by_header(&text, &best, &mut labels);
    let names = labels.clone();
    let channels: Vec<Channel> = labels
        .into_iter()
        .enumerate()
        .map(|(place, label)| {
            let (t, atom) = best.columns[place];
            let column = &best.templates[t].columns[atom];
            let kind = kind(&best, place, &label);
            let name = if label.name.is_empty() { format!("field{}", place + 1) } else { label.name };
            let is_words = matches!(column.role, Role::Words | Role::Single);
            let words = if is_words { column.words.clone() } else { Vec::new() };
            Channel { name, unit: label.unit, kind, words }
        })
        .collect();
    let mut doubts = std::mem::take(&mut best.doubts);
    doubts.extend(structure(&text, &best, &channels, margin));
    let source = |(template, atom): &(usize, usize)| Source {
        template: *template,
        atom: *atom,
        scale: scales.get(&(*template, *atom)).cloned(),
        waits: best.templates[*template].columns[*atom].role == Role::Single,
    };
    let labels: Vec<(String, String)> = names.into_iter().map(|label| (label.name, label.unit)).collect();
    let spec = if scales.is_empty() { Spec::of(&best, &labels) } else { None };
    Some(Finding {
        channels,
        spec,
        doubts,
        margin,
        reader: Reader::new(&best.templates, &best.options),
        sources: best.columns.iter().map(source).collect(),
        assembler: Assembler::new(&best.turn, &best.main, best.is_bound && best.turn.len() > 1, &best.templates),
        options: best.options,
        sentences: None,
    })
}

impl Finding {
    /// The table of a text by this reading. Where the first line may lack its front (`joined`), a row of it that may be
    /// damaged is left out, and so is one of several lines at either end that is not whole.
    pub fn table(&self, text: &Lines, joined: bool) -> Table {
        let (mut reader, mut assembler) = (self.reader.clone(), self.assembler.clone());
        let mut rows: Vec<RowLines> = Vec::new();
        let mut unread = Vec::new();
        // The row of the first line, where that may be damaged.
        let mut is_damaged = false;
        for (number, line) in text.lines.iter().enumerate() {
            if line.trim().is_empty() {
                assembler.mark();
                continue;
            }
            let coded = self.sentences.as_ref().map(|sentences| sentences.coded(line));
            let found = reader.line(coded.as_deref().unwrap_or(line));
            let is_cut = |template: usize| {
                (number == 0 && joined && reader.begins_with_value(template))
                    || (number + 1 == text.lines.len() && !text.is_ended)
            };
            match found {
                Some((template, mut values)) if assembler.is_part(template) => {
                    // What may be damaged has its place in the row all the same.
                    if is_cut(template) {
                        is_damaged |= number == 0;
                        values.fill(None);
                    }
                    rows.extend(assembler.line(template, values));
                }
                Some(_) => assembler.mark(),
                None => unread.push(number),
            }
        }
        rows.extend(assembler.finish());
        if rows.first().is_some_and(|row| is_damaged || !assembler.is_whole(row)) {
            rows.remove(0);
        }
        if rows.last().is_some_and(|row| !assembler.is_whole(row)) {
            rows.pop();
        }
        rows.retain(|row| row.values().flatten().any(Option::is_some));
        // A line that came in another's turn may have fewer values.
        let cell = |values: &Vec<Option<f64>>, atom: usize| values.get(atom).copied().flatten();
        let value = |row: &RowLines, source: &Source| {
            let values = row.get(&source.template)?;
            match &source.scale {
                Some((unit, factors)) => cell(values, source.atom)
                    .zip(cell(values, *unit).and_then(|code| factors.get(code as usize).copied().flatten()))
                    .map(|(value, factor)| value * factor),
                None => cell(values, source.atom),
            }
        };
        let words = |source: &Source| reader.words(source.template, source.atom);
        let is_told = |source: &&Source| !source.waits || words(source).len() > 1;
        let sources: Vec<&Source> = self.sources.iter().filter(is_told).collect();
        let told = rows.iter().map(|row| sources.iter().map(|source| value(row, source)).collect()).collect();
        let grown = |(channel, source): (&Channel, &Source)| {
            let (mut channel, words) = (channel.clone(), words(source));
            if !channel.words.is_empty() && words.len() > channel.words.len() {
                channel.words.extend_from_slice(&words[channel.words.len()..]);
                channel.kind = if words.len() == 2 { ChannelKind::Digital } else { ChannelKind::Code };
            }
            channel
        };
        let own = self.channels.iter().zip(&self.sources).filter(|(_, source)| is_told(source));
        Table { channels: own.map(grown).collect(), rows: told, unread }
    }
}

/// What in its structure speaks against a reading.
fn structure(text: &Text<'_>, best: &Reading<'_>, channels: &[Channel], margin: Option<f64>) -> Vec<Doubt> {
    let mut doubts = Vec::new();
    if let Some(margin) = margin.filter(|margin| *margin < MARGIN) {
        doubts.push(Doubt::Rival(margin));
    }
    if has_lost_kind(text, best) && !doubts.contains(&Doubt::Irregular) {
        doubts.push(Doubt::Irregular);
    }
    if has_other_header(text, best, channels) {
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
    // What stands in front of a mark with a value behind is a name, but for words of how grave a message is.
    let is_name = |(t, atom): &(usize, usize)| {
        let column = &best.templates[*t].columns[*atom];
        let is_level = column.words.iter().all(|word| LEVELS.contains(&word.as_str()));
        column.role == Role::Words && !is_level && best.templates[*t].is_name_of_value(*atom)
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
    for line in &best.noise {
        let tokens = lex::tokens(text.lines[*line], &best.options);
        let is_named = tokens.iter().any(|token| matches!(token.text, ":" | "="));
        let is_reading = |three: &[Token<'_>]| {
            three[0].kind == Kind::Word && matches!(three[1].text, ":" | "=") && three[2].kind == Kind::Number
        };
        let named = tokens.len() <= 6 && tokens.windows(3).any(is_reading);
        if is_named || tokens.iter().any(lex::Token::is_number) {
            let word = tokens.iter().find(|token| token.kind == Kind::Word).map_or("", |token| token.text);
            // A name and a number alone are hardly a message twice.
            *kinds.entry((lex::skeleton(&tokens), word)).or_default() += if named { 2 } else { 1 };
        }
    }
    kinds.values().any(|count| *count >= 3)
}

/// Whether a line in front of the first row names more columns than there are.
fn has_other_header(text: &Text<'_>, best: &Reading<'_>, channels: &[Channel]) -> bool {
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
                names::header(&[line], more, ",")
                    .is_some_and(|cells| cells.iter().all(|cell| cell.label.name.split(' ').count() < 3))
            })
        })
}

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
    let token = template.rows[0][template.atoms[atom]];
    template.columns[atom].role == Role::Constant
        && token.kind == Kind::Number
        && token.text.bytes().all(|b| b.is_ascii_digit())
}

/// `Analog 1: 503  Analog 2: 211`: the numbers behind the words are no values.
fn drop_numbers_of_names(reading: &mut Reading<'_>) {
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

/// `pin(7): 1`: a number that never changes, behind a word and in front of a mark and a value, belongs to the name.
fn drop_keyed_constants(reading: &mut Reading<'_>) {
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
        if (is_keyed && !mark.is_empty() && is_value) || is_place || is_noun {
            dropped.insert(place);
        }
    }
    leave_out(reading, &dropped);
}

/// `0 = 191 mm`, `1 = 1116`: the numbers with which the lines of each kind begin tell them apart.
fn drop_indexes(reading: &mut Reading<'_>) {
    if reading.main.len() < 2 {
        return;
    }
    let first = |t: &usize| {
        let own = |(_, (other, atom)): &(usize, &(usize, usize))| other == t && is_index(&reading.templates[*t], *atom);
        let (place, (_, atom)) = reading.columns.iter().enumerate().find(own)?;
        let template = &reading.templates[*t];
        let mark = token(template, template.atoms[*atom] + 1).filter(|token| !token.is_atom())?;
        let is_key = template.slots() > 1 && ":=)]>-".contains(mark.text);
        is_key.then(|| (place, template.rows[0][template.atoms[*atom]].text.to_owned()))
    };
    let found: Vec<(usize, String)> = reading.turn.iter().filter_map(first).collect();
    let unique: BTreeSet<&String> = found.iter().map(|(_, text)| text).collect();
    if found.len() == reading.turn.len() && unique.len() == found.len() {
        leave_out(reading, &found.iter().map(|(place, _)| *place).collect());
    }
}

/// Kinds of lines that differ in the word behind one and the same name, as `"sensor": "hum"` and `"sensor": "temp", … "unit": "C"`,
/// are told apart by it.
fn take_keys_across(reading: &mut Reading<'_>) {
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
fn take_units(reading: &mut Reading<'_>, labels: &mut Vec<Label>) {
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

/// A label for each column.
fn labelled(reading: &Reading<'_>) -> Vec<Label> {
    let mut of: HashMap<(usize, usize), Label> = HashMap::new();
    for t in reading.columns.iter().map(|(t, _)| *t).collect::<BTreeSet<usize>>() {
        of.extend(names::labels(&reading.templates[t]).into_iter().map(|(atom, label)| ((t, atom), label)));
    }
    reading.columns.iter().map(|column| of.remove(column).unwrap_or_default()).collect()
}

/// What units with prefixes multiply by: for the template and atom of a number, the atom of the unit and a factor for each word.
type Scales = HashMap<(usize, usize), (usize, Vec<Option<f64>>)>;

/// `1.66 m`, `52 cm`: a number and its unit with prefixes become one number.
fn scale_prefixes(reading: &mut Reading<'_>, labels: &mut Vec<Label>) -> Scales {
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
fn join_same(reading: &mut Reading<'_>, labels: &mut Vec<Label>) {
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

/// Words for how grave a message is.
const LEVELS: [&str; 11] = ["INFO", "WARN", "WARNING", "DEBUG", "ERROR", "TRACE", "I", "W", "E", "D", "V"];

/// Columns without names are called as a line before the first row says.
fn name_by_header(text: &Text<'_>, reading: &Reading<'_>, labels: &mut [Label]) {
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
        !is_used(line) && (has_mark || before.contains(line) || repeated(*line))
    };
    let lines: Vec<&str> = (0..text.lines.len()).filter(may_be).map(|line| text.lines[line]).collect();
    let count = places.len();
    // What a logger puts in front has no name in a header.
    let is_prefix = |place: &&usize| {
        let (t, atom) = reading.columns[**place];
        let column = &reading.templates[t].columns[atom];
        column.role == Role::Moment
            || (column.role == Role::Words && column.words.iter().all(|word| LEVELS.contains(&word.as_str())))
            || template.rows[0].get(template.atoms[atom] + 1).is_some_and(|token| matches!(token.text, "]" | ">"))
    };
    let prefix = places.iter().take_while(is_prefix).count();
    let header = |from: usize, to: usize| {
        (from < to && (to - from > 1 || from == 0))
            .then(|| names::header(&lines, to - from, delimiter))
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

fn kind(reading: &Reading<'_>, place: usize, label: &Label) -> ChannelKind {
    let (t, atom) = reading.columns[place];
    let column = &reading.templates[t].columns[atom];
    match column.role {
        Role::Words if column.words.len() == 2 => return ChannelKind::Digital,
        Role::Words | Role::Single => return ChannelKind::Code,
        Role::Moment => return ChannelKind::Clock,
        _ => {}
    }
    let values: Vec<f64> = reading.rows.iter().filter_map(|row| row[place]).collect();
    let has = |value: f64| values.contains(&value);
    if column.base == Base::Decimal && has(0.0) && has(1.0) && values.iter().all(|value| *value == 0.0 || *value == 1.0)
    {
        return ChannelKind::Digital;
    }
    const CLOCKS: [&str; 11] =
        ["t", "ts", "time", "time_ms", "ms", "us", "millis", "micros", "t_s", "timestamp", "uptime"];
    let is_called = CLOCKS.contains(&label.name.to_lowercase().as_str()) || label.name.to_lowercase() == "clock";
    let is_timed = matches!(label.unit.as_str(), "s" | "ms" | "us");
    let rises = values.windows(2).all(|pair| pair[0] <= pair[1]);
    if is_timed || (is_called && rises) { ChannelKind::Clock } else { ChannelKind::Analog }
}

/// Whole lines, perhaps behind a clock, that are the states of one channel.
#[derive(Clone, Debug)]
struct Sentences {
    /// Each with a word that stands for it.
    codes: Vec<(String, String)>,
    /// The words that all have.
    shared: Vec<String>,
}

static CLOCK_PREFIX: LazyLock<Regex> = LazyLock::new(|| {
    #[expect(clippy::expect_used, reason = "the expression is that of this file")]
    Regex::new(
        r"^\W*(?:[A-Za-z]{1,9}[=:+]?\s*)?(?:\d[\d.,:/T -]*\d|\d)(?:Z|[+-]\d\d:\d\d)?\W*(?:s|ms|us)?[\])>]*[ :,\-]+",
    )
    .expect("a sound expression")
});

impl Sentences {
    fn of(lines: &[&str], is_ended: bool) -> Option<Sentences> {
        let end = lines.len() - usize::from(!is_ended && lines.len() > 1);
        let whole: Vec<&str> = lines.get(1..end)?.iter().copied().filter(|line| !line.trim().is_empty()).collect();
        let bare: Vec<&str> =
            whole.iter().map(|line| CLOCK_PREFIX.find(line).map_or(*line, |found| &line[found.end()..])).collect();
        let stripped = whole.iter().zip(&bare).filter(|(whole, bare)| whole != bare).count();
        let body = if stripped as f64 > 0.8 * whole.len() as f64 { bare } else { whole };
        let mut kinds = distinct(body.iter().map(|line| line.trim()));
        kinds.sort_by_key(|(_, count)| std::cmp::Reverse(*count));
        let least = 2.0f64.max(0.03 * body.len() as f64);
        let often: Vec<(&str, usize)> = kinds.into_iter().take(4).filter(|(_, count)| *count as f64 >= least).collect();
        let told: usize = often.iter().map(|(_, count)| count).sum();
        // Names with values of their own are no sentence.
        let pairs = |text: &str| text.matches([':', '=']).count();
        let sound = |(text, _): &(&str, usize)| {
            pairs(text) < 2 && text.contains(char::is_alphabetic) && !text.contains(|c: char| c.is_ascii_digit())
        };
        if often.len() < 2 || (told as f64) < 0.8 * body.len() as f64 || !often.iter().all(sound) {
            return None;
        }
        let words = |text: &str| -> Vec<String> {
            let words = text.split(|c: char| !c.is_alphabetic()).filter(|word| word.chars().count() > 1);
            words.map(str::to_lowercase).collect()
        };
        let mut shared = words(often[0].0);
        shared.retain(|word| often.iter().all(|(text, _)| words(text).contains(word)));
        shared.dedup();
        let codes = often
            .iter()
            .enumerate()
            .map(|(place, (text, _))| (format!("Qstate{}", char::from(b'a' + place as u8)), (*text).to_owned()));
        (!shared.is_empty()).then(|| Sentences { codes: codes.collect(), shared })
    }

    /// A line with the word for its sentence.
    fn coded(&self, line: &str) -> String {
        let bare = line.trim();
        let fits = |(_, text): &&(String, String)| bare.ends_with(text.as_str());
        match self.codes.iter().filter(fits).max_by_key(|(_, text)| text.len()) {
            Some((code, text)) => format!("{}{code}", &bare[..bare.len() - text.len()]),
            None => line.to_owned(),
        }
    }

    /// The sentences instead of the words that stand for them.
    fn put_back(&self, found: &mut Finding) {
        let name = self.shared.join(" ");
        if let Some(spec) = &mut found.spec {
            for column in &mut spec.columns {
                if let SpecKind::Words(words) = &mut column.kind
                    && words.iter().all(|word| self.codes.iter().any(|(code, _)| code == word))
                {
                    name.clone_into(&mut column.name);
                    for word in words {
                        if let Some((_, text)) = self.codes.iter().find(|(code, _)| code == word) {
                            text.clone_into(word);
                        }
                    }
                }
            }
        }
        for channel in &mut found.channels {
            let mut is_own = false;
            for word in &mut channel.words {
                if let Some((_, text)) = self.codes.iter().find(|(code, _)| code == word) {
                    text.clone_into(word);
                    is_own = true;
                }
            }
            if is_own {
                name.clone_into(&mut channel.name);
                found.doubts.retain(|doubt| *doubt != Doubt::WordsOnly);
            }
        }
    }
}
