//! What one line could be, taken alone.

use super::clean::clean;
use super::labelled::{pair, tokens};
use super::shape::{Delimiter, Labels, MAX_FIELDS, Plain, Shape, Style, bare_text, has_brackets};
use super::value::value;
use super::{json, words};

/// How many lines of one form it takes to be taken as the stream's shape.
const STRONG: usize = 2;
const BARE: usize = 3;
const WEAK: usize = 4;

/// The shape of which a line is a perfect example.
#[derive(Clone, Debug)]
pub(super) struct LineShape {
    pub(super) shape: Shape,
    /// How many lines of this form are convincing.
    pub(super) needed: usize,
}

impl LineShape {
    /// Whether both are of one shape; what only tells how numbers are written does not count.
    pub(super) fn like(&self, other: &LineShape) -> bool {
        match (&self.shape, &other.shape) {
            (Shape::Plain(a), Shape::Plain(b)) => {
                (a.delimiter, a.fields, a.brackets) == (b.delimiter, b.fields, b.brackets)
            }
            (a, b) => self.kind_like(other) && a.labels().map(|l| &l.labels) == b.labels().map(|l| &l.labels),
        }
    }

    /// Whether both are of the same kind.
    pub(super) fn kind_like(&self, other: &LineShape) -> bool {
        self.shape.kind() == other.shape.kind()
    }

    /// The label, where there is just one.
    pub(super) fn single(&self) -> Option<&str> {
        match &self.shape {
            Shape::Labelled(labels) | Shape::Worded(labels) if labels.labels.len() == 1 => Some(&labels.labels[0]),
            _ => None,
        }
    }
}

/// Whether any part of the line may be a value, so that it can be a row or a damaged row and not just words.
pub(super) fn carries_numbers(line: &[u8]) -> bool {
    line.iter().any(u8::is_ascii_digit)
        || tokens(line).any(|token| {
            let token = &line[token];
            let text = pair(token).map_or(token, |(_, text)| text);
            value(text.trim_ascii_end(), false).is_some()
        })
        || words::scan(line, Style::default()).slots.iter().any(|slot| slot.value.words.is_some())
}

/// The shape of which this one line is a perfect example, if any.
pub(super) fn form_of(line: &[u8]) -> Option<LineShape> {
    let text = clean(line)?;
    let line = text.as_ref();
    if json::begins(line) {
        return json_form(line);
    }
    labelled_form(line).or_else(|| bare_form(line)).or_else(|| worded_form(line, Style::default()))
}

fn labels(labels: Vec<String>, units: Vec<String>) -> Labels {
    Labels { labels, complete: true, units, ..Labels::default() }
}

fn json_form(line: &[u8]) -> Option<LineShape> {
    let (mut paths, mut units): (Vec<String>, Vec<String>) = (Vec::new(), Vec::new());
    json::scan(line, |path, at, value| {
        if value.is_some() {
            paths.push(String::from_utf8_lossy(path).into_owned());
            units.push(if json::is_moment(&line[at]) { "s".into() } else { String::new() });
        }
    })
    .ok()?;
    if units.iter().all(String::is_empty) {
        units.clear();
    }
    let unique = (1..paths.len()).all(|i| !paths[..i].contains(&paths[i]));
    let sound = unique && (1..=MAX_FIELDS).contains(&paths.len()) && paths.iter().all(|path| !path.is_empty());
    sound.then(|| LineShape { shape: Shape::Json(labels(paths, units)), needed: STRONG })
}

fn labelled_form(line: &[u8]) -> Option<LineShape> {
    let mut names: Vec<String> = Vec::new();
    let sound = tokens(line).all(|token| {
        let Some((label, text)) = pair(&line[token]) else { return false };
        let label = String::from_utf8_lossy(label).into_owned();
        let sound = value(text, false).is_some() && !names.contains(&label) && names.len() < MAX_FIELDS;
        names.push(label);
        sound
    });
    let sound = sound && !names.is_empty();
    sound.then(|| LineShape { shape: Shape::Labelled(labels(names, Vec::new())), needed: STRONG })
}

fn bare_form(line: &[u8]) -> Option<LineShape> {
    let inner = bare_text(line);
    let text = &line[inner.clone()];
    let brackets = has_brackets(line);
    let ways = Delimiter::ALL.map(|d| (d, false)).into_iter();
    let with_comma = Delimiter::ALL.map(|d| (d, true)).into_iter().filter(|(d, _)| *d != Delimiter::Comma);
    ways.chain(with_comma).find_map(|(delimiter, comma)| {
        let (mut fields, mut values, mut empty_at_end) = (0, 0, false);
        let sound = delimiter.cells(text).all(|cell| {
            fields += 1;
            empty_at_end = cell.is_empty();
            let is_value = value(&text[cell.clone()], comma).is_some();
            values += usize::from(is_value);
            is_value || cell.is_empty()
        });
        // A delimiter behind the last number just ends the line.
        fields -= usize::from(empty_at_end);
        let enough = if delimiter == Delimiter::Spaces || empty_at_end { 1 } else { 2 };
        let sound = sound && values > 0 && (enough..=MAX_FIELDS).contains(&fields);
        let plain = Plain { comma, brackets, ..Plain::new(delimiter, fields) };
        sound.then_some(LineShape { shape: Shape::Plain(plain), needed: BARE })
    })
}

/// The same for a line of words, with signs read in another way.
pub(super) fn worded_form(line: &[u8], style: Style) -> Option<LineShape> {
    let scan = words::scan(line, style);
    if scan.slots.is_empty() || scan.too_many {
        return None;
    }
    let unit = |slot: &words::Slot| String::from_utf8_lossy(&line[slot.unit.clone()]).into_owned();
    let units = scan.slots.iter().map(unit).collect();
    let names = scan.slots.into_iter().map(|slot| slot.label).collect();
    let needed = if scan.strong { STRONG } else { WEAK };
    let labels = Labels { comma: style.comma, minus: style.minus, ..labels(names, units) };
    Some(LineShape { shape: Shape::Worded(labels), needed })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_line_is_taken_for_what_it_is_alone() {
        for (line, kind) in [
            ("2210", Some("plain spaces 1")),
            ("2210, 1.78 ,0", Some("plain comma 3")),
            ("(2210,)", Some("plain comma 1 brackets")),
            ("0x8A2; 1,78; nan", Some("plain semicolon 3 decimal-comma")),
            ("1,,3", Some("plain comma 3")),
            ("1,2,", Some("plain comma 2")),
            ("> 12 13", Some("plain spaces 2")),
            ("HIGH", Some("plain spaces 1")),
            ("a=1, b=off", Some("labelled a b")),
            ("a=1 b=2 a=3", Some("worded a b a_2")),
            ("gauge 2210 cnt  (1.781 V)", Some("worded gauge gauge_V")),
            ("{\"bed\":{\"p\":498}}", Some("json bed.p")),
            ("[{\"a\":1}]", Some("json 0.a")),
            ("{\"bed\":", None),
            ("{}", None),
            ("hello there", None),
            ("a=1\u{2}", None),
            ("", None),
        ] {
            assert_eq!(form_of(line.as_bytes()).map(|form| form.shape.to_string()).as_deref(), kind, "{line}");
        }
    }
}
