//! How the rows of a stream are laid out on its lines.

use super::frames::Frames;
use super::pattern::Pattern;
use super::pins::Pins;
use super::polled::Polled;
use super::words;
use super::{json, labelled};
use serde::{Deserialize, Serialize};
use std::ops::Range;

/// The most columns a row may have; a line with more is rejected.
pub const MAX_FIELDS: usize = 64;

/// What stands between plain numbers.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Delimiter {
    /// `1, 2, 3`
    Comma,
    /// `1; 2; 3`
    Semicolon,
    /// `1<TAB>2<TAB>3`
    Tab,
    /// `1 2  3`: any run of spaces
    Spaces,
}

impl Delimiter {
    /// All of them, in the order in which they are tried on a line.
    pub const ALL: [Delimiter; 4] = [Delimiter::Semicolon, Delimiter::Comma, Delimiter::Tab, Delimiter::Spaces];

    /// Its name in a sentence.
    pub fn name(self) -> &'static str {
        match self {
            Delimiter::Comma => "comma",
            Delimiter::Semicolon => "semicolon",
            Delimiter::Tab => "tab",
            Delimiter::Spaces => "spaces",
        }
    }

    /// The byte that it is made of.
    pub fn byte(self) -> u8 {
        match self {
            Delimiter::Comma => b',',
            Delimiter::Semicolon => b';',
            Delimiter::Tab => b'\t',
            Delimiter::Spaces => b' ',
        }
    }

    /// The cells of a line, as ranges, spaces around them taken off.
    pub fn cells(self, line: &[u8]) -> impl Iterator<Item = Range<usize>> + '_ {
        let byte = self.byte();
        let mut at = 0;
        let mut done = false;
        std::iter::from_fn(move || {
            if self == Delimiter::Spaces {
                at += line[at..].iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
                done |= at == line.len();
            }
            if done {
                return None;
            }
            let ends = |b: &u8| *b == byte || (self == Delimiter::Spaces && *b == b'\t');
            let length = line[at..].iter().position(ends);
            let cell = &line[at..at + length.unwrap_or(line.len() - at)];
            let lead = cell.len() - cell.trim_ascii_start().len();
            let range = at + lead..at + lead + cell.trim_ascii().len();
            match length {
                Some(length) => at += length + 1,
                None => done = true,
            }
            Some(range)
        })
    }
}

/// What a comma between digits is, in a line of words.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Comma {
    /// The decimal point: `1,78` is 1.78. In a list of numbers it stands between them all the same.
    #[default]
    Decimal,
    /// What stands between two numbers: `1,78` is 1 and 78.
    Between,
    /// What parts groups of three digits: `2,311` is 2311.
    Thousands,
}

/// How signs among digits are read, in a line of words.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Style {
    pub(super) comma: Comma,
    /// A minus that stands apart from its number, as in `x: - 837`, or right behind another, as in `12-837`, belongs to it.
    pub(super) minus: bool,
}

/// Fields with a name of the board's own.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Labels {
    /// The labels, in the order of the columns; for JSON the path of each value, as in `bed.p`.
    pub labels: Vec<String>,
    /// Whether each row must have every label; a row that lacks one is then damage, else it has a gap.
    #[serde(default)]
    pub complete: bool,
    /// The unit that stands behind each value, an empty text where there is none, as it must be on every line; none at
    /// all where that is not known.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub units: Vec<String>,
    /// What a comma between digits is, among words.
    #[serde(default, skip_serializing_if = "is_decimal")]
    pub comma: Comma,
    /// The words that stand for the codes 0, 1, 2 … of each column, in JSON; none for a column of numbers.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub codes: Vec<Vec<String>>,
    /// Whether a minus that stands apart from its number, or right behind another, belongs to it, among words.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub minus: bool,
}

fn is_decimal(comma: &Comma) -> bool {
    *comma == Comma::Decimal
}

impl Labels {
    pub(super) fn style(&self) -> Style {
        Style { comma: self.comma, minus: self.minus }
    }

    /// The same, beginning with the column `first`.
    pub(super) fn turned(&self, first: usize) -> Labels {
        let mut turned = self.clone();
        turned.labels.rotate_left(first);
        if turned.units.len() == turned.labels.len() {
            turned.units.rotate_left(first);
        }
        turned
    }
}

/// Numbers told apart by their order.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Plain {
    /// What stands between them.
    pub delimiter: Delimiter,
    /// How many there are on a line.
    pub fields: usize,
    /// How many lines make a row.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    pub lines: usize,
    /// Whether they have a decimal comma.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub comma: bool,
    /// Whether each line stands in brackets.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub brackets: bool,
    /// The names that a header line gave; empty when there was none.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub names: Vec<String>,
    /// The units that the header line gave; empty when there was none.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub units: Vec<String>,
    /// Whether the first column counts the rows of a block that comes on request.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub indexed: bool,
    /// For rows of several lines, the pause in seconds behind which a row begins; none where the order alone tells.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub pause: Option<f64>,
    /// For rows of several lines, a typical value of each column, by which the place in the turn is found again.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub typical: Vec<f64>,
}

fn one() -> usize {
    1
}

fn is_one(lines: &usize) -> bool {
    *lines == 1
}

impl Plain {
    /// Whether each line is a row as a table of comma-separated values has it.
    pub fn is_csv(&self) -> bool {
        self.delimiter == Delimiter::Comma && self.lines == 1 && !self.comma && !self.brackets
    }

    /// So many numbers on a line, and nothing else of note.
    pub fn new(delimiter: Delimiter, fields: usize) -> Plain {
        Plain {
            delimiter,
            fields,
            lines: 1,
            comma: false,
            brackets: false,
            names: Vec::new(),
            units: Vec::new(),
            indexed: false,
            pause: None,
            typical: Vec::new(),
        }
    }
}

/// How the rows of a stream are laid out on its lines.
#[derive(Clone, Debug, PartialEq)]
pub enum Shape {
    /// `name=value` fields on one line, separated by spaces, tabs, commas or semicolons.
    Labelled(Labels),
    /// Names and values on one line with words, units and padding around: `gauge 2210 cnt  (1.781 V)`.
    Worded(Labels),
    /// A labelled field a line; a row is complete when all labels came, or when one comes again.
    PerLine(Labels),
    /// Numbers with a delimiter, told apart by their order.
    Plain(Plain),
    /// A JSON object or array a line, nested ones flattened.
    Json(Labels),
    /// The same text around changing fields: `S,{a},{b}`.
    Pattern(Pattern),
    /// Binary frames instead of lines.
    Frames(Frames),
    /// Messages of a board whose pins the host sets up.
    Pins(Pins),
    /// Answers of a board that is asked.
    Polled(Polled),
}

impl Shape {
    /// `name=value` fields.
    pub fn labelled<L: Into<String>>(labels: impl IntoIterator<Item = L>, complete: bool) -> Shape {
        let labels = labels.into_iter().map(Into::into).collect();
        Shape::Labelled(Labels { labels, complete, ..Labels::default() })
    }

    /// Its labels, unless its columns are told apart by order.
    pub fn labels(&self) -> Option<&Labels> {
        match self {
            Shape::Labelled(labels) | Shape::Worded(labels) | Shape::PerLine(labels) | Shape::Json(labels) => {
                Some(labels)
            }
            Shape::Plain(_) | Shape::Pattern(_) | Shape::Frames(_) | Shape::Pins(_) | Shape::Polled(_) => None,
        }
    }

    pub(super) fn labels_mut(&mut self) -> Option<&mut Labels> {
        match self {
            Shape::Labelled(labels) | Shape::Worded(labels) | Shape::PerLine(labels) | Shape::Json(labels) => {
                Some(labels)
            }
            Shape::Plain(_) | Shape::Pattern(_) | Shape::Frames(_) | Shape::Pins(_) | Shape::Polled(_) => None,
        }
    }

    /// Whether column `index` is known to carry dates or times.
    pub(super) fn is_moment(&self, index: usize) -> bool {
        match self {
            Shape::Pattern(pattern) => pattern.is_moment(index),
            // Of JSON, texts alone say a unit, and that is of a date or a time.
            Shape::Json(labels) => labels.units.get(index).is_some_and(|unit| unit == "s"),
            _ => false,
        }
    }

    /// The number of columns.
    pub fn columns(&self) -> usize {
        match self {
            Shape::Plain(plain) => plain.fields.saturating_mul(plain.lines),
            Shape::Pattern(pattern) => pattern.columns(),
            Shape::Frames(frames) => frames.names().len(),
            Shape::Pins(pins) => pins.names().len(),
            Shape::Polled(polled) => polled.names().len(),
            other => other.labels().map_or(0, |labels| labels.labels.len()),
        }
    }

    /// The label of column `index`: the board's own, or `field1`, `field2` … where the board gives none.
    pub fn label(&self, index: usize) -> String {
        match self {
            Shape::Plain(plain) => plain.names.get(index).cloned().unwrap_or_else(|| format!("field{}", index + 1)),
            Shape::Pattern(pattern) => pattern.name(index).to_owned(),
            Shape::Frames(frames) => frames.names().get(index).cloned().unwrap_or_default(),
            Shape::Pins(pins) => pins.names().get(index).cloned().unwrap_or_default(),
            Shape::Polled(polled) => polled.names().get(index).cloned().unwrap_or_default(),
            other => other.labels().and_then(|labels| labels.labels.get(index)).cloned().unwrap_or_default(),
        }
    }

    /// Whether the board gives column `index` a name of its own: none of those that are made up by [`Shape::label`], and no mere
    /// place in a list.
    pub fn is_named(&self, index: usize) -> bool {
        let label = self.label(index);
        let digits = label.strip_prefix("field").unwrap_or(&label);
        digits.is_empty() || !digits.bytes().all(|byte| byte.is_ascii_digit())
    }

    /// The unit that the board gives to column `index`; empty when it gives none.
    pub fn unit(&self, index: usize) -> &str {
        let units = match self {
            Shape::Plain(plain) => &plain.units,
            Shape::Pattern(pattern) => return pattern.unit(index),
            other => match other.labels() {
                Some(labels) => &labels.units,
                None => return "",
            },
        };
        units.get(index).map_or("", String::as_str)
    }

    /// The words that the board writes for the codes 0, 1, 2 … of column `index`; none where it writes numbers.
    pub fn codes(&self, index: usize) -> &[String] {
        match self {
            Shape::Pattern(pattern) => pattern.codes(index),
            other => other.labels().and_then(|labels| labels.codes.get(index)).map_or(&[], Vec::as_slice),
        }
    }

    /// Whether it is of binary frames or messages instead of lines.
    pub fn is_binary(&self) -> bool {
        matches!(self, Shape::Frames(_) | Shape::Pins(_))
    }

    /// A word for its kind.
    pub fn kind(&self) -> &'static str {
        match self {
            Shape::Labelled(_) => "labelled",
            Shape::Worded(_) => "worded",
            Shape::PerLine(_) => "per-line",
            Shape::Plain(_) => "plain",
            Shape::Json(_) => "json",
            Shape::Pattern(_) => "pattern",
            Shape::Frames(_) => "frames",
            Shape::Pins(_) => "pins",
            Shape::Polled(_) => "polled",
        }
    }

    /// One sentence for a person.
    pub fn sentence(&self) -> String {
        let count = |n: usize, thing: &str| format!("{n} {thing}{}", if n == 1 { "" } else { "s" });
        let fields = |labels: &Labels| {
            let all = if labels.complete { " on each line" } else { ", not all on each line" };
            format!("{}{all}", count(labels.labels.len(), "field"))
        };
        let signs = |labels: &Labels| {
            let comma = match labels.comma {
                Comma::Decimal => "",
                Comma::Between => ", a comma between numbers",
                Comma::Thousands => ", a comma between thousands",
            };
            format!("{comma}{}", if labels.minus { ", a minus may be separate" } else { "" })
        };
        match self {
            Shape::Labelled(labels) => format!("name=value, {}", fields(labels)),
            Shape::Worded(labels) => {
                format!("names and values with words around, {}{}", fields(labels), signs(labels))
            }
            Shape::PerLine(labels) => {
                format!("one labelled field a line, {} a row{}", labels.labels.len(), signs(labels))
            }
            Shape::Pattern(pattern) => pattern.sentence(),
            Shape::Frames(frames) => frames.sentence(),
            Shape::Pins(pins) => pins.sentence(),
            Shape::Polled(polled) => polled.sentence(),
            Shape::Json(labels) => format!("JSON a line, {}", count(labels.labels.len(), "value")),
            Shape::Plain(plain) => {
                let mut text = match (plain.fields, plain.lines) {
                    (1, 1) => "one plain number a line".to_owned(),
                    (1, lines) => format!("plain numbers that alternate, {lines} lines a row"),
                    (fields, 1) => format!("{fields} plain numbers, {} between", plain.delimiter.name()),
                    (fields, lines) => {
                        format!("{fields} plain numbers, {} between, {lines} lines a row", plain.delimiter.name())
                    }
                };
                for (holds, words) in [
                    (plain.brackets, ", in brackets"),
                    (plain.comma, ", decimal comma"),
                    (!plain.names.is_empty(), ", named by a header line"),
                    (plain.indexed, ", a block counted by its first column"),
                    (plain.pause.is_some(), ", a row begins behind a pause"),
                ] {
                    text.push_str(if holds { words } else { "" });
                }
                text
            }
        }
    }

    /// Where each column's field stands on `line`, label included, for a line that was accepted; `first` is the column
    /// with which a line of a row of several lines begins.
    pub fn spans(&self, line: &[u8], first: usize) -> Vec<(Range<usize>, usize)> {
        let column = |labels: &Labels, label: &[u8]| labels.labels.iter().position(|known| known.as_bytes() == label);
        match self {
            Shape::Labelled(labels) => labelled::tokens(line)
                .filter_map(|token| {
                    let (label, _) = labelled::pair(&line[token.clone()])?;
                    Some((token, column(labels, label)?))
                })
                .collect(),
            Shape::Worded(labels) | Shape::PerLine(labels) => words::scan(line, labels.style())
                .slots
                .into_iter()
                .filter_map(|slot| Some((slot.whole, column(labels, slot.label.as_bytes())?)))
                .collect(),
            Shape::Json(labels) => {
                let mut spans = Vec::new();
                // What was read before a mistake is shown; an accepted line has none.
                let _ = json::scan(line, |path, at, _| spans.extend(column(labels, path).map(|column| (at, column))));
                spans
            }
            Shape::Pattern(pattern) => pattern.spans(line),
            Shape::Frames(frames) => frames.spans(line),
            // The value, or the eight pins of a port, stand behind the first byte.
            Shape::Polled(_) => vec![(0..line.len(), first)],
            Shape::Pins(_) => vec![(1.min(line.len())..line.len(), first)],
            Shape::Plain(plain) => {
                let inner = bare_text(line);
                let cells = plain.delimiter.cells(&line[inner.clone()]);
                let cells = cells.map(|cell| cell.start + inner.start..cell.end + inner.start);
                cells.take(plain.fields).zip(first..).collect()
            }
        }
    }
}

/// The part of a line of plain numbers that holds them: without a prompt in front, brackets around, or a delimiter
/// behind the last that only ends the line.
pub(super) fn bare_text(line: &[u8]) -> Range<usize> {
    let (mut start, mut end) = (prompt(line), line.len());
    let trim = |start: &mut usize, end: &mut usize| {
        *start += line[*start..*end].iter().take_while(|b| **b == b' ').count();
        *end -= line[*start..*end].iter().rev().take_while(|b| **b == b' ').count();
    };
    trim(&mut start, &mut end);
    if end - start >= 2
        && matches!((line[start], line[end - 1]), (b'(', b')') | (b'[', b']') | (b'{', b'}') | (b'<', b'>'))
    {
        (start, end) = (start + 1, end - 1);
        trim(&mut start, &mut end);
    }
    start..end
}

/// Whether brackets stand around all numbers of a line.
pub(super) fn has_brackets(line: &[u8]) -> bool {
    bare_text(line).end < line.trim_ascii_end().len()
}

/// The length of a prompt in front of a line: `>`, `>>>` or `$`, with a space behind.
pub(super) fn prompt(line: &[u8]) -> usize {
    let signs = line.iter().take_while(|b| **b == b'>').count();
    let signs = if signs == 0 { usize::from(line.first() == Some(&b'$')) } else { signs };
    let spaces = line[signs..].iter().take_while(|b| **b == b' ').count();
    if signs > 0 && spaces > 0 { signs + spaces } else { 0 }
}
