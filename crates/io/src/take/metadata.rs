//! `readings.csv-metadata.json`: what the columns are, in the W3C's vocabulary of CSV on the Web ("Metadata Vocabulary
//! for Tabular Data", 2015). Units are given as `schema:unitText`, since that vocabulary has none of its own.

use super::columns::{Column, Style};
use super::{EVENTS, events};
use amber_core::clock::Across;
use amber_core::keep::{Pace, Statistic};
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

/// A column of a channel, as it is described.
pub(super) struct Described<'a> {
    pub(super) name: String,
    pub(super) unit: &'a str,
    pub(super) datatype: &'static str,
    /// What of the rows of a stretch, where a row stands for several.
    pub(super) statistic: Option<Statistic>,
}

/// The document of the table in the file `url`; `read` says how lines were read; `text_times`: rows have no time on the wall's clock.
pub(super) fn document(
    url: &str,
    read: &str,
    columns: &[Described<'_>],
    pace: &Pace,
    across: Across,
    text_times: bool,
    style: Style,
) -> String {
    let wall = if text_times {
        "empty: the rows come from a text, and when it was written is not known"
    } else {
        "time_s on the host's clock, UTC"
    };
    let time = match (across, pace) {
        (Across::Rows(_), Pace::Each { .. }) => "the row, from 0, where the stretch begins that a row stands for",
        (Across::Rows(_), Pace::Every(_)) => "the number of the row, from 0: the text has no clock",
        (_, Pace::Each { .. }) => {
            "beginning of the stretch that a row stands for, in seconds since the start of the take"
        }
        (_, Pace::Every(_)) => "seconds since the start of the take, by the rule for time in bench.toml",
    };
    let mut fixed = vec![(across.column(), "decimal", across.unit(), time)];
    if style.wall {
        fixed.push(("wall_clock", "dateTime", "", wall));
    }
    if let Pace::Each { .. } = pace {
        fixed.push(("rows", "integer", "", "rows that this one stands for"));
    }
    table(url, read, &fixed, columns, style)
}

/// The document of `events.csv`.
pub(super) fn of_events(columns: &[Column], across: Across, style: Style) -> String {
    let own = events::own_columns(across);
    let names = events::names(columns, across).into_iter().skip(own.len());
    let columns: Vec<Described<'_>> =
        columns.iter().zip(names).map(|(column, name)| column.described(name, None)).collect();
    table(EVENTS, "", &own, &columns, style)
}

/// The document of a table with these columns in front of those of the channels: name, datatype, unit, meaning.
fn table(url: &str, read: &str, fixed: &[(&str, &str, &str, &str)], columns: &[Described<'_>], style: Style) -> String {
    // Numbers whose point is a comma say so with their datatype.
    let datatype = |own: &str| match own {
        "number" | "decimal" if style.decimal_comma => json!({ "base": own, "format": { "decimalChar": "," } }),
        _ => Value::from(own),
    };
    let fixed = fixed.iter().map(|(name, own, unit, meaning)| {
        let mut entry = json!({ "name": name, "titles": name, "datatype": datatype(own), "dc:description": meaning });
        if !unit.is_empty() {
            entry["schema:unitText"] = Value::from(*unit);
        }
        if !matches!(*name, "time_s" | "row" | "number" | "condition" | "began_s" | "began_row" | "rows") {
            entry["required"] = Value::from(false);
        }
        entry
    });
    let channels = columns.iter().map(|column| {
        let mut entry = json!({ "name": legal_name(&column.name), "titles": column.name,
            "datatype": datatype(column.datatype), "required": false });
        if !column.unit.is_empty() {
            entry["schema:unitText"] = Value::from(column.unit);
        }
        if let Some(statistic) = column.statistic {
            entry["dc:description"] = Value::from(format!("{} of the rows of the stretch", statistic.name()));
        }
        entry
    });
    let mut dialect = json!({ "lineTerminators": ["\r\n"], "header": true });
    if style.decimal_comma {
        dialect["delimiter"] = Value::from(";");
    }
    let mut document = json!({
        "@context": "http://www.w3.org/ns/csvw",
        "url": url,
        "dialect": dialect,
        "tableSchema": { "columns": fixed.chain(channels).collect::<Vec<_>>() },
    });
    if !read.is_empty() {
        document["dc:description"] = Value::from(read);
    }
    format!("{document:#}\n")
}
