//! How lines make rows: each line, or several in turn, with rarer kinds beside.

use crate::column::Role;
use crate::lex::{Options, Token};
use crate::names;
use crate::reader::{Assembler, RowLines};
use crate::template::Template;
use std::collections::{BTreeSet, HashMap};

/// What speaks against a reading, whatever it costs.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Doubt {
    /// Another reading that tells something else costs hardly more: so many bits.
    Rival(f64),
    /// There are few whole lines.
    FewLines,
    /// Lines of a kind come at no fixed place.
    Irregular,
    /// Lines that make a row come in no fixed order.
    NoOrder,
    /// Many rows lack lines.
    Partial,
    /// A large share of the lines is not explained.
    Unexplained,
    /// Words alone change, and nothing says that they are states.
    WordsOnly,
    /// A line in front names more columns.
    Header,
    /// Lines of several kinds make a row, and nothing on them tells what they are.
    Nameless,
    /// Nothing changes.
    Constant,
    /// Words without end stand between the values.
    FreeWords,
    /// Names in front of values change from line to line.
    Names,
    /// Commas may be decimal ones or part groups of thousands.
    Comma,
    /// Numbers of the digits 0 and 1 alone may be binary ones, or states.
    Bits,
    /// Of all dates, the first number may be the day or the month.
    Date,
    /// A sign that never changes stands between numbers, and may belong to the next.
    Signs,
}

impl Doubt {
    /// What is doubted, in a few words.
    pub fn said(&self) -> &'static str {
        match self {
            Doubt::Rival(_) => "all lines together may be read in two ways",
            Doubt::FewLines => "there are few whole lines",
            Doubt::Irregular => "some lines come now and then, at no fixed place",
            Doubt::NoOrder => "the lines that make a row come in no fixed order",
            Doubt::Partial => "many rows lack lines",
            Doubt::Unexplained => "many lines are not read",
            Doubt::WordsOnly => "words alone change, which may be states or messages",
            Doubt::Header => "a line in front names more columns than there are",
            Doubt::Nameless => "nothing on the lines of a row says what they are",
            Doubt::Constant => "nothing changes",
            Doubt::FreeWords => "words that change stand between the values",
            Doubt::Names => "names in front of values change",
            Doubt::Comma => "commas may be decimal ones or part groups of thousands",
            Doubt::Bits => "numbers of 0 and 1 may be binary ones, or states",
            Doubt::Date => "dates may have the day in front or the month",
            Doubt::Signs => "a sign between numbers may belong to the next one",
        }
    }
}

/// A reading of a whole text.
#[derive(Clone, Debug)]
pub(crate) struct Reading<'a> {
    pub(crate) bits: f64,
    pub(crate) options: Options,
    pub(crate) templates: Vec<Template<'a>>,
    /// The templates of which lines make rows, in the order in which they stand in one.
    pub(crate) turn: Vec<usize>,
    /// Those of them that each row has.
    pub(crate) main: BTreeSet<usize>,
    /// Rows begin behind a blank line or a heading.
    pub(crate) is_bound: bool,
    /// Template and atom of each column.
    pub(crate) columns: Vec<(usize, usize)>,
    /// The rows of the lines that were looked at.
    pub(crate) rows: Vec<Vec<Option<f64>>>,
    /// Lines that are explained by nothing.
    pub(crate) noise: BTreeSet<usize>,
    /// Lines that carry no value: blank ones, headings, rules.
    pub(crate) marks: BTreeSet<usize>,
    pub(crate) doubts: Vec<Doubt>,
}

/// What comes most often, and its share.
fn usual<T: PartialEq + Copy>(values: &[T]) -> Option<(T, f64)> {
    let count = |value: &T| values.iter().filter(|other| *other == value).count();
    let best = values.iter().rev().max_by_key(|value| count(value))?;
    Some((*best, count(best) as f64 / values.len() as f64))
}

impl<'a> Reading<'a> {
    /// Puts rows together of the lines of `templates`; `blank` lines part blocks, `first` is the template of the very first line.
    pub(crate) fn new(
        lines: &[&str],
        blank: &BTreeSet<usize>,
        templates: Vec<Template<'a>>,
        noise: BTreeSet<usize>,
        options: Options,
        bits: f64,
        first: Option<usize>,
    ) -> Reading<'a> {
        let mut reading = Reading {
            bits,
            options,
            templates,
            turn: Vec::new(),
            main: BTreeSet::new(),
            is_bound: false,
            columns: Vec::new(),
            rows: Vec::new(),
            noise,
            marks: blank.clone(),
            doubts: Vec::new(),
        };
        reading.assemble(lines, blank, first);
        reading
    }

    fn assemble(&mut self, lines: &[&str], blank: &BTreeSet<usize>, first: Option<usize>) {
        let templates = &self.templates;
        let mut data: Vec<usize> = (0..templates.len())
            .filter(|t| templates[*t].columns.iter().any(|column| column.is_slot() && column.role != Role::Free))
            .collect();
        if !data.iter().any(|t| templates[*t].varying() > 0) {
            let is_most = |t: &usize| templates[*t].lines.len() * 2 > lines.len() - blank.len();
            let is_number = |t: &usize| templates[*t].columns.iter().any(|column| column.role == Role::Constant);
            data.retain(|t| is_number(t) && is_most(t));
        }
        // Lines that never change are headings among those that do, and phrases without a name are messages among numbers.
        let has_number = |t: &usize| {
            templates[*t]
                .columns
                .iter()
                .any(|column| matches!(column.role, Role::Number | Role::Constant | Role::Moment))
        };
        let has_name = |t: &usize| {
            let is_mark = |token: &Token<'_>| matches!(token.text, ":" | "=" | "\t");
            !templates[*t].keys.is_empty() || templates[*t].rows[0].iter().any(is_mark)
        };
        let top = data.iter().map(|t| templates[*t].lines.len()).max().unwrap_or(0);
        let is_rare = |t: &usize| (templates[*t].lines.len() as f64) < 0.8 * top as f64;
        if data.iter().any(has_number) {
            data.retain(|t| has_number(t) || has_name(t) || !is_rare(t));
        }
        if data.iter().any(|t| templates[*t].varying() > 0) {
            // A name and a number that never changes is a reading all the same.
            data.retain(|t| templates[*t].varying() > 0 || !is_rare(t) || templates[*t].is_reading());
        }
        for (t, template) in templates.iter().enumerate() {
            if !data.contains(&t) {
                self.marks.extend(&template.lines);
            }
        }
        data.sort_by_key(|t| std::cmp::Reverse(templates[*t].lines.len()));
        let Some(base) = data.first().copied() else { return };
        let (main, side) = self.parts(&data, base);
        let kept: Vec<usize> = main.iter().chain(&side).copied().collect();
        let is_nameless = |t: &&usize| {
            let template = &self.templates[**t];
            let is_word = |token: &Token<'_>| token.kind == crate::lex::Kind::Word;
            let has_clock = template.columns.iter().any(|column| column.role == Role::Moment);
            template.turn.is_none() && !has_clock && template.keys.is_empty() && !template.rows[0].iter().any(is_word)
        };
        if kept.len() > 1 && kept.iter().filter(is_nameless).count() > 1 {
            self.doubts.push(Doubt::Nameless);
        }
        // What comes in turn is told apart by order alone, which lines of other kinds between leave open.
        let in_turn = kept.iter().filter(|t| self.templates[**t].turn.is_some()).count();
        let begins = kept.iter().filter(|t| self.templates[**t].turn == Some(0)).count();
        if in_turn > 0 && (in_turn < kept.len() || begins > 1) {
            self.doubts.push(Doubt::NoOrder);
        }
        let templates = &self.templates;
        let mut at: Vec<(usize, usize)> =
            kept.iter().flat_map(|t| templates[*t].lines.iter().map(|line| (*line, *t))).collect();
        at.sort_unstable();
        let bounds = if kept.len() > 1 { self.bounds(&at, templates[base].lines.len()) } else { None };
        let start = match bounds {
            Some(start) => start,
            None => self.start(&main, first, &at),
        };
        let turn = self.turn(start, &main, &side, &at);
        self.fill(turn, &main, &at, bounds.is_some());
    }

    /// The templates that each row has, and those that come now and then, as regularly.
    fn parts(&mut self, data: &[usize], base: usize) -> (Vec<usize>, Vec<usize>) {
        let of_base = &self.templates[base].lines;
        let top = of_base.len();
        let (mut main, mut side, mut dropped, mut is_irregular) = (vec![base], Vec::new(), Vec::new(), false);
        for t in &data[1..] {
            let own = &self.templates[*t].lines;
            let n = own.len();
            // One of its lines may be the very first, which is no evidence.
            if (n + 1) as f64 >= 0.8 * top as f64 {
                main.push(*t);
                continue;
            }
            let passed: Vec<usize> = own.iter().map(|line| of_base.partition_point(|other| other < line)).collect();
            let gaps: Vec<usize> = passed.windows(2).map(|pair| pair[1] - pair[0]).collect();
            let (mut gap, mut share) = usual(&gaps).unwrap_or((0, 0.0));
            if !gaps.is_empty() {
                let mut sorted = gaps.clone();
                sorted.sort_unstable();
                let middle = sorted[gaps.len() / 2];
                let slack = (if middle > 2 { 1.0f64 } else { 0.0 }).max(0.12 * middle as f64);
                let near = gaps.iter().filter(|gap| gap.abs_diff(middle) as f64 <= slack).count();
                let near = near as f64 / gaps.len() as f64;
                if near > share && middle > 0 {
                    (gap, share) = (middle, near);
                }
            }
            if n >= (if top < 25 { 3 } else { 4 }) && share >= 0.6 && gap > 0 && n * gap * 2 >= top {
                side.push(*t);
                continue;
            }
            if n >= 4 && main.len() > 1 && self.has_a_place(*t, data) {
                side.push(*t);
                continue;
            }
            // What came before all rows is start-up text.
            let among = own.iter().filter(|line| Some(*line) > of_base.first()).count();
            is_irregular |= among > 4 && among * 25 >= top;
            dropped.push(*t);
        }
        if is_irregular {
            self.doubts.push(Doubt::Irregular);
        }
        for t in dropped {
            self.noise.extend(self.templates[t].lines.iter().copied());
        }
        (main, side)
    }

    /// Whether lines of `t` follow those of one other template, as a line that comes now and then at its place in a row does.
    fn has_a_place(&self, t: usize, data: &[usize]) -> bool {
        let line_before = |line: &usize| {
            let last = |other: &usize| {
                let own = &self.templates[*other].lines;
                own.partition_point(|own| own < line).checked_sub(1).map(|index| (own[index], *other))
            };
            data.iter().filter(|other| **other != t).filter_map(last).max().map(|(_, other)| other)
        };
        let before: Vec<usize> = self.templates[t].lines.iter().filter_map(line_before).collect();
        usual(&before).is_some_and(|(_, share)| share >= 0.8)
    }

    /// The template with which rows begin, where blank lines or headings stand in front of most.
    fn bounds(&self, at: &[(usize, usize)], top: usize) -> Option<usize> {
        let mut firsts: Vec<(usize, usize)> = Vec::new();
        for mark in &self.marks {
            let next = at.partition_point(|(line, _)| line < mark);
            if let Some(next) = at.get(next).filter(|next| firsts.last() != Some(next)) {
                firsts.push(*next);
            }
        }
        let templates: Vec<usize> = firsts.iter().map(|(_, t)| *t).collect();
        let (start, share) = usual(&templates)?;
        (firsts.len() * 2 >= top && share > 0.6).then_some(start)
    }

    /// The template with which rows begin where nothing parts them.
    fn start(&self, main: &[usize], first: Option<usize>, at: &[(usize, usize)]) -> usize {
        let templates = &self.templates;
        if main.len() == 1 {
            return main[0];
        }
        let single = |t: &&usize| templates[**t].slots() == 1;
        if let Some(t) = main.iter().find(|t| templates[**t].turn == Some(0)) {
            return *t;
        }
        let label =
            |t: &usize| names::labels(&templates[*t]).into_iter().next().map_or(String::new(), |(_, label)| label.name);
        let is_clock =
            |t: &&usize| single(t) && templates[**t].columns.iter().any(|column| column.role == Role::Moment);
        let text = |t: usize| templates[t].rows[0].iter().map(|token| token.text).collect::<String>().to_lowercase();
        // What all lines begin with heads none.
        let shared = main.iter().filter(|t| text(**t).starts_with('#')).count() > 1;
        let is_heading = |t: &&usize| {
            let text = text(**t);
            let begins = ["reading", "sample", "block", "frame", "record"].iter().any(|word| text.starts_with(word))
                || (text.starts_with('#') && !shared);
            let is_plain =
                !templates[**t].columns.iter().any(|c| matches!(c.role, Role::Words | Role::Free | Role::Moment));
            templates[**t].keys.is_empty()
                && single(t)
                && is_plain
                && (begins || text.starts_with("==") || text.starts_with("--"))
        };
        if let Some(t) = main.iter().find(is_heading).or_else(|| main.iter().find(is_clock)) {
            return *t;
        }
        // The number by which a kind is told, or with which it begins.
        let number = |t: &usize| {
            let template = &templates[*t];
            let first = || {
                let token = template.rows[0][*template.atoms.first()?];
                (template.columns[0].role == Role::Constant).then_some(token.text)
            };
            template.keys.last().map(String::as_str).or_else(first)?.parse::<i64>().ok()
        };
        if main.iter().all(|t| number(t).is_some()) {
            return main.iter().copied().min_by_key(number).unwrap_or(main[0]);
        }
        let is_time = |t: &&usize| {
            let name = label(t).to_lowercase();
            single(t)
                && (name == "t"
                    || ["time", "millis", "micros", "uptime", "sample"].iter().any(|word| name.contains(word)))
        };
        if let Some(t) = main.iter().find(is_time) {
            return *t;
        }
        // `S1`, `S2`, … in the order of their numbers.
        let parted = |t: &usize| {
            let name = label(t);
            let stem = name.trim_end_matches(|c: char| c.is_ascii_digit()).len();
            (name[..stem].to_owned(), name[stem..].parse::<i64>().ok())
        };
        let stems: BTreeSet<String> = main.iter().map(|t| parted(t).0).collect();
        let numbers: BTreeSet<i64> = main.iter().filter_map(|t| parted(t).1).collect();
        if stems.len() == 1 && numbers.len() == main.len() {
            return main.iter().copied().min_by_key(|t| parted(t).1).unwrap_or(main[0]);
        }
        first
            .filter(|t| main.contains(t))
            .or_else(|| at.first().map(|(_, t)| *t).filter(|t| main.contains(t)))
            .unwrap_or(main[0])
    }

    /// The order of the templates in a row.
    fn turn(&mut self, start: usize, main: &[usize], side: &[usize], at: &[(usize, usize)]) -> Vec<usize> {
        let mut turn = Vec::new();
        let mut now = Some(start);
        while let Some(t) = now {
            turn.push(t);
            let next: Vec<usize> = at
                .windows(2)
                .filter(|pair| pair[0].1 == t && main.contains(&pair[1].1))
                .map(|pair| pair[1].1)
                .collect();
            let (next, share) = usual(&next).map_or((None, 0.0), |(next, share)| (Some(next), share));
            if main.len() > 1 && share < 0.6 && !self.doubts.contains(&Doubt::NoOrder) {
                self.doubts.push(Doubt::NoOrder);
            }
            let unseen = |t: &usize| !turn.contains(t);
            now = next.filter(unseen).or_else(|| main.iter().copied().find(unseen));
        }
        for t in side {
            let before: Vec<usize> = at.windows(2).filter(|pair| pair[1].1 == *t).map(|pair| pair[0].1).collect();
            let place = usual(&before).and_then(|(before, _)| turn.iter().position(|t| *t == before));
            turn.insert(place.map_or(turn.len(), |place| place + 1), *t);
        }
        turn
    }

    /// The atom that is a number in all of `main`, rises from line to line across them, and is a slot in front of all others: a
    /// clock that each line has.
    fn rising(&self, main: &[usize]) -> Option<usize> {
        let first = |t: &usize| self.templates[*t].columns.iter().position(crate::column::Column::is_told);
        let atom = main.first().and_then(first)?;
        let mut values: Vec<(usize, f64)> = Vec::new();
        for t in main {
            let template = &self.templates[*t];
            if first(t) != Some(atom) || template.columns[atom].role != Role::Number || template.slots() < 2 {
                return None;
            }
            values.extend(
                template
                    .lines
                    .iter()
                    .copied()
                    .zip(&template.columns[atom].values)
                    .filter_map(|(line, value)| Some((line, (*value)?))),
            );
        }
        values.sort_by_key(|(line, _)| *line);
        let falls = values.windows(2).filter(|pair| pair[1].1 < pair[0].1).count();
        (falls * 50 <= values.len()).then_some(atom)
    }

    /// Fills rows from the lines, each with its template.
    fn fill(&mut self, turn: Vec<usize>, main: &[usize], at: &[(usize, usize)], is_bound: bool) {
        let templates = &self.templates;
        let told = |t: &usize| {
            (0..templates[*t].columns.len())
                .filter(|atom| templates[*t].columns[*atom].is_told())
                .map(|atom| (*t, atom))
                .collect::<Vec<_>>()
        };
        let mut columns: Vec<(usize, usize)> = turn.iter().flat_map(told).collect();
        if main.len() > 1 {
            // A clock that each line has is one column.
            let rising = self.rising(main);
            let is_clock = |(t, atom): &(usize, usize)| {
                let role = templates[*t].columns[*atom].role;
                role == Role::Moment || (rising == Some(*atom) && main.contains(t))
            };
            let of: BTreeSet<usize> = columns.iter().filter(|column| is_clock(column)).map(|(t, _)| *t).collect();
            if of.len() > 1 && of.len() * 2 >= main.len() {
                let mut seen: BTreeSet<usize> = BTreeSet::new();
                let keeper = turn.iter().copied().find(|t| of.contains(t));
                columns.retain(|column| !is_clock(column) || Some(column.0) == keeper || !seen.insert(column.0));
            }
        }
        let main: BTreeSet<usize> = main.iter().copied().collect();
        let mut assembler = Assembler::new(&turn, &main, is_bound && turn.len() > 1, templates);
        let mut taken: HashMap<usize, usize> = HashMap::new();
        let mut marks = self.marks.iter().peekable();
        let mut rows: Vec<RowLines> = Vec::new();
        for (line, t) in at {
            while marks.next_if(|mark| **mark < *line).is_some() {
                assembler.mark();
            }
            let index = taken.entry(*t).or_insert(0);
            let values = templates[*t].columns.iter().map(|column| column.values[*index]).collect();
            *index += 1;
            rows.extend(assembler.line(*t, values));
        }
        rows.extend(assembler.finish());
        if main.len() > 1 {
            if rows.first().is_some_and(|row| !assembler.is_whole(row)) {
                rows.remove(0);
            }
            if rows.last().is_some_and(|row| !assembler.is_whole(row)) {
                rows.pop();
            }
            let whole = rows.iter().filter(|row| assembler.is_whole(row)).count();
            if (rows.len() - whole) as f64 > 0.15 * rows.len() as f64 {
                self.doubts.push(Doubt::Partial);
            } else {
                rows.retain(|row| assembler.is_whole(row));
            }
        }
        let value = |row: &RowLines, (t, atom): (usize, usize)| {
            row.get(&t).and_then(|values| values.get(atom).copied().flatten())
        };
        self.rows = rows.iter().map(|row| columns.iter().map(|column| value(row, *column)).collect()).collect();
        (self.columns, self.turn, self.main, self.is_bound) = (columns, turn, main, is_bound);
    }

    /// Adds columns for words that never changed, each at its place.
    pub(crate) fn add_waiting(&mut self) {
        let mut columns = Vec::new();
        let mut from: Vec<Option<usize>> = Vec::new();
        let mut known = self.columns.iter().enumerate().peekable();
        for t in &self.turn {
            for atom in 0..self.templates[*t].columns.len() {
                if let Some((place, column)) = known.next_if(|(_, column)| **column == (*t, atom)) {
                    columns.push(*column);
                    from.push(Some(place));
                } else if self.templates[*t].columns[atom].role == Role::Single {
                    columns.push((*t, atom));
                    from.push(None);
                }
            }
        }
        for row in &mut self.rows {
            *row = from.iter().map(|place| place.map_or(Some(0.0), |place| row[place])).collect();
        }
        self.columns = columns;
    }

    /// The lines that it explains as parts of rows.
    pub(crate) fn explained(&self) -> usize {
        self.turn.iter().map(|t| self.templates[*t].lines.len()).sum()
    }
}
