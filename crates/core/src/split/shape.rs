//! What a line of numbers looks like: labelled fields, or bare numbers with a delimiter.

use serde::{Deserialize, Serialize};
use std::ops::Range;

/// The most fields a row may have; a line with more is refused.
pub const MAX_FIELDS: usize = 64;

/// What stands between bare numbers.
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
            let length = line[at..].iter().position(|b| *b == byte);
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

/// How the rows of a stream are laid out on their lines.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Shape {
    /// `name=value` fields, separated by spaces, tabs, commas or semicolons.
    Labelled {
        /// The labels, in the order of the columns.
        labels: Vec<String>,
        /// Whether each line must carry every label; a line that lacks one is then damage, else a gap.
        complete: bool,
    },
    /// Numbers with a delimiter, told apart by their order.
    Bare {
        /// What stands between them.
        delimiter: Delimiter,
        /// How many there are on a line.
        fields: usize,
    },
}

impl Shape {
    /// The number of columns.
    pub fn columns(&self) -> usize {
        match self {
            Shape::Labelled { labels, .. } => labels.len(),
            Shape::Bare { fields, .. } => *fields,
        }
    }

    /// The label of column `index`: the board's own, or `field1`, `field2` … where the board gives none.
    pub fn label(&self, index: usize) -> String {
        match self {
            Shape::Labelled { labels, .. } => labels[index].clone(),
            Shape::Bare { .. } => format!("field{}", index + 1),
        }
    }

    /// One sentence for a person.
    pub fn sentence(&self) -> String {
        match self {
            Shape::Labelled { labels, complete: true } => format!("name=value, {} fields on each line", labels.len()),
            Shape::Labelled { labels, .. } => {
                format!("name=value, {} fields, not all on each line", labels.len())
            }
            Shape::Bare { fields: 1, .. } => "one bare number a line".into(),
            Shape::Bare { delimiter, fields } => {
                format!("{fields} bare numbers, {} between", delimiter.name())
            }
        }
    }

    /// Where each column's field stands on `line`, label included, for a line that was accepted as a row.
    pub fn spans(&self, line: &[u8]) -> Vec<(Range<usize>, usize)> {
        match self {
            Shape::Labelled { labels, .. } => tokens(line)
                .filter_map(|token| {
                    let (label, _) = pair(&line[token.clone()])?;
                    let column = labels.iter().position(|known| known.as_bytes() == label)?;
                    Some((token, column))
                })
                .collect(),
            Shape::Bare { delimiter, .. } => delimiter.cells(line).enumerate().map(|(i, cell)| (cell, i)).collect(),
        }
    }
}

/// Whether `byte` stands between labelled fields.
pub(super) fn separates(byte: u8) -> bool {
    matches!(byte, b' ' | b'\t' | b',' | b';')
}

/// The runs of a line between separators.
pub(super) fn tokens(line: &[u8]) -> impl Iterator<Item = Range<usize>> + '_ {
    let mut at = 0;
    std::iter::from_fn(move || {
        at += line[at..].iter().take_while(|b| separates(**b)).count();
        let length = line[at..].iter().take_while(|b| !separates(**b)).count();
        let token = at..at + length;
        at += length;
        (length > 0).then_some(token)
    })
}

/// A token's label and the text of its value, when it has the form `label=text` with a plain label: a letter or `_`,
/// then up to 31 letters, digits, `_`, `.` or `-`. So a label can hold nothing that a terminal would act on.
pub(super) fn pair(token: &[u8]) -> Option<(&[u8], &[u8])> {
    let equals = memchr::memchr(b'=', token)?;
    let (label, value) = (&token[..equals], &token[equals + 1..]);
    let (first, rest) = label.split_first()?;
    let plain = (first.is_ascii_alphabetic() || *first == b'_')
        && rest.len() < 32
        && rest.iter().all(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'.' | b'-'));
    plain.then_some((label, value))
}
