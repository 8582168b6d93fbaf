//! The best reading as a table: its channels with names, units and kinds, and how sure it is.

use crate::channel::{Channel, ChannelKind};
use crate::column::{Base, Role};
use crate::header;
use crate::lex::Options;
use crate::names::{self, Label};
use crate::reader::{Assembler, Reader, RowLines};
use crate::rows::{Doubt, Reading};
use crate::search::Text;
use crate::sentences::Sentences;
use crate::spec::Spec;
use crate::structure::structure;
use crate::text::Lines;
use crate::told;
use std::collections::{BTreeSet, HashMap};

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
            sentences.put_back(&mut found.spec, &mut found.channels, &mut found.doubts);
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
    told::drop_numbers_of_names(&mut best);
    told::drop_keyed_constants(&mut best);
    told::drop_indexes(&mut best);
    told::take_keys_across(&mut best);
    best.add_waiting();
    let mut labels = labelled(&best);
    let scales = told::scale_prefixes(&mut best, &mut labels);
    told::join_same(&mut best, &mut labels);
    told::take_units(&mut best, &mut labels);
    header::name_columns(&text, &best, &mut labels);
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

/// A label for each column.
fn labelled(reading: &Reading<'_>) -> Vec<Label> {
    let mut of: HashMap<(usize, usize), Label> = HashMap::new();
    for t in reading.columns.iter().map(|(t, _)| *t).collect::<BTreeSet<usize>>() {
        of.extend(names::labels(&reading.templates[t]).into_iter().map(|(atom, label)| ((t, atom), label)));
    }
    reading.columns.iter().map(|column| of.remove(column).unwrap_or_default()).collect()
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
