//! One line to one row, once the shape is known.

use super::number::{number, scan_number};
use super::shape::{Delimiter, MAX_FIELDS, Shape, pair, separates, tokens};
use super::splitter::Refusal;

/// What a line was that is not a row.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum Other {
    /// Words of the board's own.
    Text,
    /// A row that cannot be trusted.
    Damage(Refusal),
    /// A sound line with a label that was not there before.
    NewLabel(String),
}

/// Reads lines of one shape.
#[derive(Debug)]
pub(super) struct Reader {
    shape: Shape,
    /// `label=` of each column, for the fast path.
    keys: Vec<Vec<u8>>,
    decimals: Vec<u8>,
}

impl Reader {
    pub(super) fn new(shape: Shape) -> Self {
        let mut reader = Reader { decimals: Vec::new(), keys: Vec::new(), shape };
        reader.fit();
        reader
    }

    fn fit(&mut self) {
        self.decimals.resize(self.shape.columns(), 0);
        if let Shape::Labelled { labels, .. } = &self.shape {
            self.keys = labels.iter().map(|label| format!("{label}=").into_bytes()).collect();
        }
    }

    pub(super) fn shape(&self) -> &Shape {
        &self.shape
    }

    /// The most digits after the point seen so far in each column.
    pub(super) fn decimals(&self) -> &[u8] {
        &self.decimals
    }

    /// Adds a column for `label`; false when there is no room or the shape has no labels.
    pub(super) fn grow(&mut self, label: String) -> bool {
        let Shape::Labelled { labels, complete } = &mut self.shape else {
            return false;
        };
        if labels.len() == MAX_FIELDS {
            return false;
        }
        labels.push(label);
        *complete = false;
        self.fit();
        true
    }

    /// Whether an accepted line must have begun at its first byte. A bare number that lost its first digits is still
    /// a number; a label that lost its first letters is no known label.
    pub(super) fn knows_its_start(&self) -> bool {
        matches!(self.shape, Shape::Labelled { complete: true, .. })
    }

    /// Reads `line` into `values`, one a column; NaN where the line has a gap.
    #[inline]
    pub(super) fn read(&mut self, line: &[u8], values: &mut [f64]) -> Result<(), Other> {
        let mut decimals = [0u8; MAX_FIELDS];
        let fast = match &self.shape {
            Shape::Labelled { .. } => self.labelled_in_order(line, values, &mut decimals),
            Shape::Bare { delimiter, fields } => bare_plain(*delimiter, *fields, line, values, &mut decimals),
        };
        if !fast {
            decimals = [0; MAX_FIELDS];
            match &self.shape {
                Shape::Labelled { labels, complete } => any_order(labels, *complete, line, values, &mut decimals)?,
                Shape::Bare { delimiter, fields } => bare_any(*delimiter, *fields, line, values, &mut decimals)?,
            }
        }
        for (kept, new) in self.decimals.iter_mut().zip(decimals) {
            *kept = (*kept).max(new);
        }
        Ok(())
    }

    /// The usual case: every label, in the usual order, plain numbers.
    #[inline]
    fn labelled_in_order(&self, line: &[u8], values: &mut [f64], decimals: &mut [u8]) -> bool {
        let mut rest = line;
        for ((key, value), places) in self.keys.iter().zip(values.iter_mut()).zip(decimals.iter_mut()) {
            let Some(text) = rest.strip_prefix(key.as_slice()) else {
                return false;
            };
            let Some((number, used)) = scan_number(text) else {
                return false;
            };
            let gap = text[used..].iter().take_while(|b| separates(**b)).count();
            if gap == 0 && used < text.len() {
                return false;
            }
            (*value, *places) = (number.value, number.decimals);
            rest = &text[used + gap..];
        }
        rest.is_empty()
    }
}

/// Labelled fields in any order; says what is wrong where something is.
fn any_order(
    labels: &[String],
    complete: bool,
    line: &[u8],
    values: &mut [f64],
    decimals: &mut [u8],
) -> Result<(), Other> {
    values.fill(f64::NAN);
    let mut seen = 0u64;
    let mut fault = None;
    let mut unknown = None;
    for token in tokens(line) {
        let Some((label, text)) = pair(&line[token]) else {
            fault.get_or_insert(Refusal::NotANumber);
            continue;
        };
        let parsed = number(text);
        if parsed.is_none() {
            fault.get_or_insert(Refusal::NotANumber);
        }
        match labels.iter().position(|known| known.as_bytes() == label) {
            None => unknown = unknown.or(Some(label)),
            Some(column) => {
                if seen & (1 << column) != 0 {
                    fault.get_or_insert(Refusal::LabelTwice);
                }
                seen |= 1 << column;
                if let Some(parsed) = parsed {
                    (values[column], decimals[column]) = (parsed.value, parsed.decimals);
                }
            }
        }
    }
    if let Some(fault) = fault {
        return Err(match (legible(line), seen) {
            (false, _) => Other::Damage(Refusal::Unreadable),
            (true, 0) => Other::Text,
            (true, _) => Other::Damage(fault),
        });
    }
    match unknown {
        Some(label) => Err(Other::NewLabel(String::from_utf8_lossy(label).into_owned())),
        None if complete && seen.count_ones() as usize != labels.len() => Err(Other::Damage(Refusal::MissingLabel)),
        None if seen == 0 => Err(Other::Text),
        None => Ok(()),
    }
}

/// Bare numbers with nothing missing.
#[inline]
fn bare_plain(delimiter: Delimiter, fields: usize, line: &[u8], values: &mut [f64], decimals: &mut [u8]) -> bool {
    let byte = delimiter.byte();
    let blanks = |at: usize| line[at..].iter().take_while(|b| matches!(b, b' ' | b'\t') && **b != byte).count();
    let mut at = blanks(0);
    for field in 0..fields {
        let Some((number, used)) = scan_number(&line[at..]) else {
            return false;
        };
        (values[field], decimals[field]) = (number.value, number.decimals);
        at += used;
        at += blanks(at);
        if field + 1 < fields {
            if line.get(at) != Some(&byte) {
                return false;
            }
            at += 1;
            at += match delimiter {
                Delimiter::Spaces => line[at..].iter().take_while(|b| matches!(b, b' ' | b'\t')).count(),
                _ => blanks(at),
            };
        }
    }
    at == line.len()
}

/// Bare numbers with gaps; says what is wrong where something is.
fn bare_any(
    delimiter: Delimiter,
    fields: usize,
    line: &[u8],
    values: &mut [f64],
    decimals: &mut [u8],
) -> Result<(), Other> {
    let (mut cells, mut numbers, mut faults) = (0, 0, 0);
    for cell in delimiter.cells(line) {
        let text = &line[cell];
        let parsed = number(text);
        if cells < fields {
            (values[cells], decimals[cells]) = parsed.map_or((f64::NAN, 0), |n| (n.value, n.decimals));
        }
        cells += 1;
        numbers += usize::from(parsed.is_some());
        faults += usize::from(parsed.is_none() && !text.is_empty());
    }
    if !legible(line) {
        return Err(Other::Damage(Refusal::Unreadable));
    }
    let words = line.trim_ascii().iter().take_while(|b| b.is_ascii_alphabetic()).count() >= 2;
    if numbers == 0 || (words && numbers * 2 < fields.max(2)) {
        return Err(Other::Text);
    }
    match (faults, cells == fields) {
        (0, true) => Ok(()),
        (0, false) => Err(Other::Damage(Refusal::FieldCount)),
        _ => Err(Other::Damage(Refusal::NotANumber)),
    }
}

/// Whether `line` is text that a person can read: UTF-8 without control characters other than tabs.
pub(super) fn legible(line: &[u8]) -> bool {
    std::str::from_utf8(line).is_ok_and(|text| !text.chars().any(|c| c.is_control() && c != '\t'))
}
