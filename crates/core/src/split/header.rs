//! Lines that name the columns of those behind them, and lines with their units.

use super::shape::{Delimiter, MAX_FIELDS};
use super::units::{UNIT, is_unit};

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

/// Words that stand two blanks or more apart, each perhaps with a unit in brackets: the columns of a table.
fn apart(text: &str) -> Option<Vec<String>> {
    let cells: Vec<String> =
        text.split("  ").map(str::trim).filter(|cell| !cell.is_empty()).map(str::to_owned).collect();
    let is_name = |cell: &String| !cell.split(['(', '[']).next().unwrap_or_default().trim_end().contains(' ');
    (cells.len() >= 2 && cells.iter().all(is_name)).then_some(cells)
}

/// The name and the unit in a cell of a header: `Level (mm)`, `Level [mm]`, `Level, mm`, `Level / mm`.
fn name_and_unit(cell: &str) -> Option<(&str, &str)> {
    if let Some(at) = cell.find(['(', '[']) {
        return Some((cell[..at].trim_end(), cell[at + 1..].strip_suffix([')', ']'])?.trim()));
    }
    if let Some((name, unit)) = cell.split_once(" / ").filter(|(_, unit)| is_unit(unit.trim().as_bytes())) {
        return Some((name.trim_end(), unit.trim()));
    }
    Some(cell.split_once(", ").map_or((cell, ""), |(name, unit)| (name.trim_end(), unit.trim())))
}

/// Reads a line as a header: names with a delimiter, each perhaps with its unit, perhaps behind a `#`.
pub(super) fn header_of(line: &[u8]) -> Option<Header> {
    let text = std::str::from_utf8(line).ok()?.trim();
    let text = text.trim_start_matches(['#', '/', '>']).trim();
    let found = Delimiter::ALL.into_iter().find(|d| text.as_bytes().contains(&d.byte()));
    let delimiter = found.unwrap_or(Delimiter::Spaces);
    let is_spaced = delimiter == Delimiter::Spaces;
    let columns = if is_spaced { apart(text) } else { None };
    let is_table = columns.is_some() || (is_spaced && text.contains('|'));
    let cells = match columns {
        _ if is_spaced && text.contains('|') => {
            text.trim_matches(['|', ' ']).split('|').map(|cell| cell.trim().to_owned()).collect()
        }
        Some(columns) => columns,
        None => unquoted(text, delimiter),
    };
    let mut header = Header { delimiter, names: Vec::new(), units: Vec::new() };
    let mut longest = 0;
    for (i, cell) in cells.iter().enumerate() {
        // `Columns: time,level`
        let cell = if i == 0 && !is_spaced { cell.rsplit(": ").next().unwrap_or_default() } else { cell };
        let (name, unit) = name_and_unit(cell)?;
        if let (true, "", Some(last)) = (is_spaced, name, header.units.last_mut()) {
            // `t [s] U [V]`
            *last = unit.to_owned();
            continue;
        }
        let plain = |c: char| c.is_alphanumeric() || matches!(c, '_' | '.' | '-' | ' ');
        let words = name.split(' ').count();
        longest = longest.max(words);
        let sound = name.starts_with(|c: char| c.is_alphabetic() || c == '_')
            && name.chars().count() <= 32
            && name.chars().all(plain)
            && words <= 4
            && unit.chars().count() <= UNIT;
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
        (_, 0) => false,
        (_, 1) => header.names[0].contains('_') || !header.units[0].is_empty(),
        (Delimiter::Spaces, count) => is_table || telling * 2 >= count,
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
            ("  Time    Temp     Hum", Some("Time Temp Hum")),
            ("Time  | Temp", Some("Time Temp")),
            ("| t | v |", Some("t v")),
            ("t / s\tU / V", Some("t U")),
            ("# t [s]  U [V]", Some("t U")),
            ("t [s] U [V]", Some("t U")),
            ("Columns: time,level", Some("time level")),
            ("----  ----", None),
            ("[ok]", None),
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
        assert_eq!(header_of(b"t [s] U [V]").unwrap().units, ["s", "V"]);
        assert_eq!(header_of(b"t / s\tU / V").unwrap().units, ["s", "V"]);
        let header = header_of(b"Time,Light,Temp").unwrap();
        let units = |line: &str| units_of(&header, line.as_bytes()).map(|units| units.join(" "));
        assert_eq!(units("s,lux,degC").as_deref(), Some("s lux degC"));
        assert_eq!(units("[s], [], (V)").as_deref(), Some("s  V"));
        for none in ["a,b,c", "s,lux", ",,", "s,lux,degC,V", "Time,Light,Temp"] {
            assert_eq!(units(none), None, "{none}");
        }
        assert_eq!(header_of(b"Temp (C), pump").map(|header| header.units), Some(vec!["C".into(), String::new()]));
    }
}
