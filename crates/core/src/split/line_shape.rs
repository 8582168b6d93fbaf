//! What one line could be, taken alone.

use super::clean::clean;
use super::labelled::{pair, tokens};
use super::shape::{Delimiter, Labels, MAX_FIELDS, Plain, Shape, Style, bare_text, has_brackets};
use super::units::{UNIT, is_unit};
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
    let mut paths: Vec<String> = Vec::new();
    json::scan(line, |path, _, value| {
        if value.is_some() {
            paths.push(String::from_utf8_lossy(path).into_owned());
        }
    })
    .ok()?;
    let unique = (1..paths.len()).all(|i| !paths[..i].contains(&paths[i]));
    let sound = unique && (1..=MAX_FIELDS).contains(&paths.len()) && paths.iter().all(|path| !path.is_empty());
    sound.then(|| LineShape { shape: Shape::Json(labels(paths, Vec::new())), needed: STRONG })
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

/// The cells of a line of names, without their quotes; a delimiter within quotes is part of its cell (RFC 4180).
fn unquoted(text: &str, delimiter: Delimiter) -> Vec<String> {
    let Some(sign) =
        Some(char::from(delimiter.byte())).filter(|_| text.contains('"') && delimiter != Delimiter::Spaces)
    else {
        return delimiter.cells(text.as_bytes()).filter_map(|cell| text.get(cell).map(str::to_owned)).collect();
    };
    let mut cells = vec![String::new()];
    let mut quoted = false;
    for c in text.chars() {
        match (c, cells.last_mut()) {
            ('"', _) => quoted = !quoted,
            (c, _) if c == sign && !quoted => cells.push(String::new()),
            (c, Some(cell)) => cell.push(c),
            (_, None) => {}
        }
    }
    cells.iter().map(|cell| cell.trim().to_owned()).collect()
}

/// A line that names columns.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Header {
    pub(super) delimiter: Delimiter,
    pub(super) names: Vec<String>,
    pub(super) units: Vec<String>,
}

/// Reads a line as a header: names with a delimiter, each perhaps with a unit in brackets, perhaps behind a `#`.
pub(super) fn header_of(line: &[u8]) -> Option<Header> {
    let text = std::str::from_utf8(line).ok()?.trim();
    let text = text.trim_start_matches(['#', '/', '>']).trim();
    let delimiter =
        Delimiter::ALL.into_iter().find(|d| text.as_bytes().contains(&d.byte())).unwrap_or(Delimiter::Spaces);
    let mut header = Header { delimiter, names: Vec::new(), units: Vec::new() };
    let mut longest = 0;
    for cell in unquoted(text, delimiter) {
        let (name, unit) = match cell.find(['(', '[']) {
            Some(at) => (cell[..at].trim_end(), cell[at + 1..].strip_suffix([')', ']'])?.trim()),
            None => match cell.split_once(", ") {
                Some((name, unit)) => (name.trim_end(), unit.trim()),
                None => (cell.as_str(), ""),
            },
        };
        let plain = |c: char| c.is_alphanumeric() || matches!(c, '_' | '.' | '-' | ' ');
        let words = name.split(' ').count();
        longest = longest.max(words);
        let sound = name.starts_with(|c: char| c.is_alphabetic() || c == '_')
            && name.chars().count() <= 32
            && name.chars().all(plain)
            && words <= 4
            && unit.chars().count() <= 8;
        if !sound {
            return None;
        }
        header.names.push(name.replace(' ', "_"));
        header.units.push(unit.to_owned());
    }
    let unique = (1..header.names.len()).all(|i| !header.names[..i].contains(&header.names[i]));
    // A banner of some words looks the same: names of columns are short, joined by `_`, or have units.
    let telling = |(name, unit): (&String, &String)| name.len() <= 3 || name.contains('_') || !unit.is_empty();
    let telling = header.names.iter().zip(&header.units).filter(|pair| telling(*pair)).count();
    let trusted = match (delimiter, header.names.len()) {
        (_, 1) => header.names[0].contains('_') || !header.units[0].is_empty(),
        (Delimiter::Spaces, count) => telling * 2 >= count,
        // Sentences have many words, and a blank behind their commas.
        _ => longest <= 2 || !text.contains(", ") || header.units.iter().any(|unit| !unit.is_empty()),
    };
    (unique && trusted && header.names.len() <= MAX_FIELDS).then_some(header)
}

/// The units of the columns of `header` where `line`, which stands behind it, has nothing else in its cells: `s,lux,degC`,
/// `[s];[];[V]`.
pub(super) fn units_of(header: &Header, line: &[u8]) -> Option<Vec<String>> {
    let text = std::str::from_utf8(line).ok()?.trim_matches([' ', '\r']);
    let text = text.trim_start_matches(['#', '/', '>']);
    let unit = |cell: String| {
        let inner = |open, close| cell.strip_prefix(open).and_then(|cell: &str| cell.strip_suffix(close));
        let inner = inner('[', ']').or_else(|| inner('(', ')'));
        match inner.unwrap_or(&cell).trim() {
            "" | "-" | "1" => Some(String::new()),
            own if own.chars().count() <= UNIT && (inner.is_some() || is_unit(own.as_bytes())) => Some(own.to_owned()),
            _ => None,
        }
    };
    let units: Vec<String> = unquoted(text, header.delimiter).into_iter().map(unit).collect::<Option<_>>()?;
    (units.len() == header.names.len() && units.iter().any(|unit| !unit.is_empty())).then_some(units)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn headers_are_told_from_banners() {
        let names = |line: &str| header_of(line.as_bytes()).map(|header| header.names.join(" "));
        for (line, expected) in [
            ("t_ms,depth_mm", Some("t_ms depth_mm")),
            ("# t_s gauge_a gauge_b", Some("t_s gauge_a gauge_b")),
            ("\"time\";\"level\"", Some("time level")),
            ("Temp (C), Humidity (%)", Some("Temp Humidity")),
            ("water level [mm]\tpump", Some("water_level pump")),
            ("i t x", Some("i t x")),
            ("depth_mm", Some("depth_mm")),
            ("Länge,Breite,Höhe über Grund", Some("Länge Breite Höhe_über_Grund")),
            ("Time [s];Level (mm);\"Flow, l/min\"", Some("Time Level Flow")),
            ("ready", None),
            ("wave flume board", None),
            ("still water first, then waves come up", None),
            ("a,a", None),
            ("1,2", None),
            ("x, ,y", None),
            ("temp: ok, pump: on", None),
        ] {
            assert_eq!(names(line).as_deref(), expected, "{line}");
        }
        let header = header_of(b"Time,Light,Temp").unwrap();
        let units = |line: &str| units_of(&header, line.as_bytes()).map(|units| units.join(" "));
        assert_eq!(units("s,lux,degC").as_deref(), Some("s lux degC"));
        assert_eq!(units("[s], [], (V)").as_deref(), Some("s  V"));
        for none in ["a,b,c", "s,lux", ",,", "s,lux,degC,V", "Time,Light,Temp"] {
            assert_eq!(units(none), None, "{none}");
        }
        assert_eq!(header_of(b"Temp (C), pump").map(|header| header.units), Some(vec!["C".into(), String::new()]));
    }

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
            ("a=1\u{7}", None),
            ("", None),
        ] {
            assert_eq!(form_of(line.as_bytes()).map(|form| form.shape.to_string()).as_deref(), kind, "{line}");
        }
    }
}
