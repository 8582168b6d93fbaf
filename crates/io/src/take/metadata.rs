//! `readings.csv-metadata.json`: what the columns are, in the W3C's vocabulary of CSV on the Web ("Metadata Vocabulary
//! for Tabular Data", 2015). Units are given as `schema:unitText`, since that vocabulary has none of its own.

use super::decode::Column;
use super::{EVENTS, READINGS, events};
use serde_json::{Value, json};

/// `title` as a name that the vocabulary allows: letters and digits of ASCII, `_` and `.`, all else as the `%` and two
/// hexadecimal digits of each of its bytes (RFC 6570, "varname"); a name must not begin with `_` or with a point.
pub(super) fn legal_name(title: &str) -> String {
    let mut name = String::new();
    for (at, byte) in title.bytes().enumerate() {
        let plain = byte.is_ascii_alphanumeric() || (at > 0 && byte == b'_');
        // A point stands between other characters.
        let point = byte == b'.' && at > 0 && at + 1 < title.len() && !name.ends_with('.');
        if plain || point { name.push(byte.into()) } else { name += &format!("%{byte:02X}") }
    }
    name
}

/// The document of `readings.csv`; `text_times`: rows have no time on the wall's clock.
pub(super) fn document(columns: &[Column], text_times: bool) -> String {
    let wall = if text_times {
        "empty: the rows come from a text, and when it was written is not known"
    } else {
        "time_s on the host's clock, UTC"
    };
    let fixed = [
        ("time_s", "decimal", "s", "seconds since the start of the take, by the rule for time in bench.toml"),
        ("wall_clock", "dateTime", "", wall),
    ];
    table(READINGS, &fixed, columns)
}

/// The document of `events.csv`.
pub(super) fn of_events(columns: &[Column]) -> String {
    table(EVENTS, &events::COLUMNS, columns)
}

/// The document of a table with these columns in front of those of the channels: name, datatype, unit, meaning.
fn table(url: &str, fixed: &[(&str, &str, &str, &str)], columns: &[Column]) -> String {
    let fixed = fixed.iter().map(|(name, datatype, unit, meaning)| {
        let mut entry = json!({ "name": name, "titles": name, "datatype": datatype, "dc:description": meaning });
        if !unit.is_empty() {
            entry["schema:unitText"] = Value::from(*unit);
        }
        if !matches!(*name, "time_s" | "number" | "condition" | "began_s") {
            entry["required"] = Value::from(false);
        }
        entry
    });
    let channels = columns.iter().map(|column| {
        let mut entry = json!({ "name": legal_name(&column.name), "titles": column.name,
            "datatype": column.datatype(), "required": false });
        if !column.unit.is_empty() {
            entry["schema:unitText"] = Value::from(column.unit.as_str());
        }
        entry
    });
    let document = json!({
        "@context": "http://www.w3.org/ns/csvw",
        "url": url,
        "dialect": { "lineTerminators": ["\r\n"], "header": true },
        "tableSchema": { "columns": fixed.chain(channels).collect::<Vec<_>>() },
    });
    format!("{document:#}\n")
}
