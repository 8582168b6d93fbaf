//! Lines that are the same text around changing fields, as in `Pot: {pot}/1023 = {percent} %`.
//!
//! A [`Pattern`] can say all that other shapes cannot: what stands in front of and behind a list, a wall clock, words that
//! are states, numbers with thousands set apart, checksums, several kinds of lines in one stream. `spelled` is its text,
//! `read` reads a line by it, `find` finds it: `tokens` cuts lines, `columns` weighs what each place of many lines can be,
//! `numbers` what numbers there are and the signs around them, `names` says what the fields are called.

mod columns;
mod find;
mod names;
mod numbers;
mod read;
mod spelled;
mod steps;
mod tokens;
mod told;

use super::header::Header;
use super::shape::Delimiter;
use super::wall::Written;

pub(super) use find::{Found, find};
pub(super) use read::Unread;
pub(super) use steps::StepRow;
pub(super) use told::shapes_of;

/// The form of one or more kinds of lines. Its text is what [`std::fmt::Display`] writes and a person types.
#[derive(Clone, Debug, PartialEq)]
pub struct Pattern {
    forms: Vec<Form>,
    columns: Vec<PatternColumn>,
}

/// One kind of line.
#[derive(Clone, Debug, Default, PartialEq)]
struct Form {
    parts: Vec<Part>,
    /// Its place in a row of several lines.
    step: usize,
    /// What stands between `$` and `*` is checked by the two hexadecimal digits behind: all its bytes, joined by XOR.
    checked: bool,
}

#[derive(Clone, Debug, PartialEq)]
enum Part {
    /// This text; blanks in it and in the line do not count.
    Text(String),
    /// The value of a column.
    Field(usize),
    /// Words that change and are not read.
    Word,
    /// What follows, whatever it is, is not read. The last part.
    Rest,
}

/// A column of a pattern.
#[derive(Clone, Debug, PartialEq)]
struct PatternColumn {
    name: String,
    /// The unit that the text around says; empty for none.
    unit: String,
    kind: FieldKind,
}

/// How a field is written.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum FieldKind {
    /// A number with a decimal point, or `0x` in front.
    Number,
    /// A number with a decimal comma.
    Comma,
    /// A number whose groups of three digits are set apart.
    Thousands,
    /// A number whose minus may stand apart from it.
    Minus,
    /// Hexadecimal digits with nothing in front.
    Hex,
    /// Binary digits with nothing in front.
    Binary,
    /// A word for one of two states.
    State,
    /// Words that are codes: the first is 0.
    Codes(Vec<String>),
    /// What a logger counts its time by: a number that only rises.
    Ticks,
    /// A date and time of day, or one of both, so written.
    Clock(Written),
}

/// The most words of a column.
const MOST_CODES: usize = 32;

impl Form {
    /// For each field of a form of `count` cells with `delimiter` between, the cell that is the field and nothing else,
    /// `usize::MAX` where it is not; `None` where there are not as many cells. A column of `wide` takes two cells.
    fn cells(&self, delimiter: Delimiter, count: usize, wide: &[usize]) -> Option<Vec<usize>> {
        // A field is written as a sign that no text has, in order.
        const FIELD: char = '\u{1}';
        let write = |part: &Part| match part {
            Part::Text(text) => text.clone(),
            Part::Field(column) if wide.contains(column) => format!("{FIELD}{}?", char::from(delimiter.byte())),
            Part::Field(_) => FIELD.into(),
            Part::Word | Part::Rest => "?".into(),
        };
        let line: String = self.parts.iter().map(write).collect();
        let cells: Vec<&str> =
            delimiter.cells(line.as_bytes()).map(|cell| line.get(cell).unwrap_or_default()).collect();
        let place = |(place, cell): (usize, &&str)| {
            let fields = cell.matches(FIELD).count();
            let own = if cell.trim() == FIELD.to_string() { place } else { usize::MAX };
            std::iter::repeat_n(own, fields)
        };
        (cells.len() == count).then(|| cells.iter().enumerate().flat_map(place).collect())
    }
}

impl Pattern {
    /// The number of columns.
    pub fn columns(&self) -> usize {
        self.columns.len()
    }

    /// The name of column `index`; empty where there is none.
    pub fn name(&self, index: usize) -> &str {
        self.columns.get(index).map_or("", |column| &column.name)
    }

    /// The unit of column `index` as the lines say it; empty for none.
    pub fn unit(&self, index: usize) -> &str {
        self.columns.get(index).map_or("", |column| &column.unit)
    }

    /// The words of column `index` in the order of their codes; none where it has none.
    pub fn codes(&self, index: usize) -> &[String] {
        match self.columns.get(index).map(|column| &column.kind) {
            Some(FieldKind::Codes(codes)) => codes,
            _ => &[],
        }
    }

    /// The column that carries a time of day or a date, with its name.
    pub fn clock(&self) -> Option<&str> {
        let clock = self.columns.iter().find(|column| matches!(column.kind, FieldKind::Clock(_)));
        clock.map(|column| column.name.as_str())
    }

    /// Whether a column carries dates or times.
    pub(super) fn has_moment(&self) -> bool {
        (0..self.columns.len()).any(|column| self.is_moment(column))
    }

    /// Whether column `index` carries dates or times.
    pub(super) fn is_moment(&self, index: usize) -> bool {
        self.columns.get(index).is_some_and(|column| matches!(column.kind, FieldKind::Clock(_) | FieldKind::Ticks))
    }

    /// Names its columns as a header line does: where that has as many and no words stand on the lines themselves, or where it
    /// has a name for each cell of the lines, for those that are a field and nothing else. A clock keeps its name.
    fn name_by(&mut self, header: &Header) {
        let worded = |part: &Part| matches!(part, Part::Text(text) if text.contains(char::is_alphabetic));
        let is_bare = !self.forms.iter().any(|form| form.parts.iter().any(worded));
        let places: Vec<usize> = match self.forms.as_slice() {
            _ if is_bare && header.names.len() == self.columns.len() => (0..self.columns.len()).collect(),
            [form] => {
                // The date and the time of a clock may have a cell each.
                let clock = |column: &usize| matches!(self.columns[*column].kind, FieldKind::Clock(_));
                let clocks: Vec<usize> = (0..self.columns.len()).filter(clock).take(1).collect();
                let cells = |wide: &[usize]| form.cells(header.delimiter, header.names.len(), wide);
                let Some(places) = cells(&[]).or_else(|| cells(&clocks)) else { return };
                places
            }
            _ => return,
        };
        for (column, place) in self.columns.iter_mut().zip(places).filter(|(_, place)| *place < header.names.len()) {
            if !matches!(column.kind, FieldKind::Clock(_)) {
                column.name.clone_from(&header.names[place]);
                column.unit.clone_from(&header.units[place]);
            }
        }
    }

    /// Whether its fields are plain numbers and states, with `commas` also such with a decimal comma, on lines of one kind.
    pub(super) fn is_simple(&self, commas: bool) -> bool {
        let plain = |column: &PatternColumn| match column.kind {
            FieldKind::Number | FieldKind::State => true,
            FieldKind::Comma => commas,
            _ => false,
        };
        let [form] = self.forms.as_slice() else { return false };
        // Where a sign alone parts two numbers, a list or words would lose it.
        let joined = form.parts.windows(2).any(|pair| matches!(pair, [Part::Field(_), Part::Field(_)]));
        !form.checked && !joined && self.columns.iter().all(plain)
    }

    /// Whether its lines end in a checksum.
    pub(super) fn is_checked(&self) -> bool {
        self.forms.iter().any(|form| form.checked)
    }

    /// Whether some text on its lines is not read.
    pub fn has_unread(&self) -> bool {
        self.forms.iter().flat_map(|form| &form.parts).any(|part| matches!(part, Part::Word | Part::Rest))
    }

    /// Whether a line that lost its beginning is known as such: text stands in front of the first field.
    pub(super) fn knows_its_start(&self) -> bool {
        let begins = |form: &Form| matches!(form.parts.first(), Some(Part::Text(text)) if !text.trim().is_empty());
        self.forms.iter().all(begins)
    }

    /// The same with its columns in another order: those of `order` first, under these names.
    pub(super) fn ordered(mut self, order: &[usize], names: &[String]) -> Pattern {
        let rest = (0..self.columns.len()).filter(|column| !order.contains(column));
        let all: Vec<usize> = order.iter().copied().chain(rest).collect();
        for part in self.forms.iter_mut().flat_map(|form| &mut form.parts) {
            if let Part::Field(column) = part {
                *column = all.iter().position(|own| own == column).unwrap_or(*column);
            }
        }
        self.columns = all.iter().map(|column| self.columns[*column].clone()).collect();
        for (column, name) in self.columns.iter_mut().zip(names) {
            column.name.clone_from(name);
        }
        for at in names.len()..self.columns.len() {
            let taken = |name: &str| self.columns[..at].iter().any(|column| column.name == name);
            if taken(&self.columns[at].name) {
                let base = self.columns[at].name.clone();
                let free = (2..).map(|n| format!("{base}_{n}")).find(|name| !taken(name));
                self.columns[at].name = free.unwrap_or(base);
            }
        }
        self
    }

    /// A column of words has these first, as long as there may be so many: their codes stay.
    pub(super) fn keep_codes(&mut self, column: usize, known: &[String]) {
        if let Some(PatternColumn { kind: FieldKind::Codes(codes), .. }) = self.columns.get_mut(column) {
            let new = std::mem::replace(codes, known.to_vec());
            codes.extend(new.into_iter().filter(|word| !known.contains(word)));
            codes.truncate(MOST_CODES);
        }
    }

    /// Adds a word to those of a column, where it may have more.
    pub(super) fn add_code(&mut self, column: usize, word: &str) {
        if let Some(PatternColumn { kind: FieldKind::Codes(codes), .. }) = self.columns.get_mut(column)
            && codes.len() < MOST_CODES
            && !codes.iter().any(|code| code == word)
        {
            codes.push(word.to_owned());
        }
    }

    /// What it is, in a sentence.
    pub(super) fn sentence(&self) -> String {
        let count = self.columns.len();
        let mut text = format!("text with {count} {} on each line", if count == 1 { "field" } else { "fields" });
        if self.has_steps() {
            let steps = self.forms.iter().map(|form| form.step).max().unwrap_or(0) + 1;
            text = format!("{steps} lines a row with {count} fields");
        } else if self.forms.len() > 1 {
            text = format!("{} kinds of lines with {count} fields", self.forms.len());
        }
        let has = |test: fn(&FieldKind) -> bool| self.columns.iter().any(|column| test(&column.kind));
        for (holds, words) in [
            (self.clock().is_some(), ", a clock"),
            (has(|kind| matches!(kind, FieldKind::Codes(_))), ", words as codes"),
            (has(|kind| *kind == FieldKind::Comma), ", decimal comma"),
            (has(|kind| *kind == FieldKind::Thousands), ", thousands set apart"),
            (has(|kind| *kind == FieldKind::Hex), ", hexadecimal"),
            (has(|kind| *kind == FieldKind::Binary), ", binary digits"),
            (self.forms.iter().any(|form| form.checked), ", checked by a checksum"),
            (self.has_unread(), ", other words not read"),
        ] {
            text.push_str(if holds { words } else { "" });
        }
        text
    }
}
