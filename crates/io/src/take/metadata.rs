//! `readings.csv-metadata.json`: what the columns are, in the W3C's vocabulary of CSV on the Web ("Metadata Vocabulary
//! for Tabular Data", 2015). Units are given as `schema:unitText`, since that vocabulary has none of its own.

use super::READINGS;
use super::decode::Column;
use serde_json::{Value, json};

pub(super) fn document(columns: &[Column]) -> String {
    let fixed = [
        json!({ "name": "time_s", "titles": "time_s", "datatype": "decimal", "schema:unitText": "s",
            "dc:description": "seconds since the start of the take, by the rule for time in bench.toml" }),
        json!({ "name": "wall_clock", "titles": "wall_clock", "datatype": "dateTime" }),
    ];
    let channels = columns.iter().map(|column| {
        let mut entry =
            json!({ "name": column.name, "titles": column.name, "datatype": column.datatype(), "required": false });
        if !column.unit.is_empty() {
            entry["schema:unitText"] = Value::from(column.unit.as_str());
        }
        entry
    });
    let document = json!({
        "@context": "http://www.w3.org/ns/csvw",
        "url": READINGS,
        "dialect": { "lineTerminators": ["\r\n"], "header": true },
        "tableSchema": { "columns": fixed.into_iter().chain(channels).collect::<Vec<_>>() },
    });
    format!("{document:#}\n")
}
