//! Rows taken from `readings.csv` where the bytes that they were made of are gone.

use super::when;
use amber_core::Stamp;
use amber_core::bench::{Bench, SourceSettings, Split};
use amber_core::clock::{ASSUMED_HZ, Across, Tick, Time};
use amber_core::split::{Labels, Shape};
use serde_json::{Map, Number, Value};
use std::borrow::Cow;

/// A table as a text of lines that split into its rows.
pub(super) struct TableLines {
    pub(super) bytes: Vec<u8>,
    /// When its time counts from.
    pub(super) start: Stamp,
    /// The settings under which the lines give the table's columns as they stand.
    pub(super) bench: Bench,
    /// Rows of the table that make no sense.
    pub(super) damaged: u64,
}

/// The column of times.
const TIME: &str = "time_s";

/// Reads a table; nothing when it has no column of times, or no other.
pub(super) fn read(text: &[u8]) -> Option<TableLines> {
    // A table with decimal commas has semicolons between its columns.
    let header = text.split(|byte| *byte == b'\n').next().unwrap_or_default();
    let decimal_comma = header.contains(&b';') && !header.contains(&b',');
    let delimiter = if decimal_comma { b';' } else { b',' };
    let mut reader = csv::ReaderBuilder::new().flexible(true).delimiter(delimiter).from_reader(text);
    let names: Vec<String> =
        reader.byte_headers().ok()?.iter().map(|n| String::from_utf8_lossy(n).into_owned()).collect();
    // Rows are counted where nothing tells their time.
    let is_counted = names.first().is_some_and(|name| name == Across::Rows(ASSUMED_HZ).column());
    let time = names.iter().position(|name| name == TIME).or_else(|| is_counted.then_some(0))?;
    let clock = names.iter().position(|name| name == "wall_clock");
    let columns: Vec<usize> = (0..names.len()).filter(|column| Some(*column) != clock).collect();
    let labels: Vec<String> = columns.iter().map(|column| names[*column].clone()).collect();
    if labels.len() < 2 {
        return None;
    }
    let (mut bytes, mut start, mut damaged) = (Vec::with_capacity(text.len()), None, 0);
    let mut record = csv::ByteRecord::new();
    loop {
        match reader.read_byte_record(&mut record) {
            Ok(true) => {}
            Ok(false) => break,
            Err(_) => {
                damaged += 1;
                break;
            }
        }
        let field = |column: usize| {
            let text = std::str::from_utf8(record.get(column)?).ok()?;
            Some(if decimal_comma { Cow::Owned(text.replacen(',', ".", 1)) } else { Cow::Borrowed(text) })
        };
        let Some(seconds) = field(time).and_then(|text| text.parse::<f64>().ok()).filter(|s| s.is_finite()) else {
            damaged += 1;
            continue;
        };
        if start.is_none() {
            start = clock.and_then(field).and_then(|text| when::parse(&text)).map(|at| at.plus(-seconds));
        }
        let mut row = Map::new();
        for column in &columns {
            match field(*column).filter(|text| !text.is_empty()).map(|text| text.parse::<Number>()) {
                Some(Ok(number)) => drop(row.insert(names[*column].clone(), Value::Number(number))),
                Some(Err(_)) => damaged += 1,
                None => {}
            }
        }
        // Writing to a vector cannot fail.
        let _ = serde_json::to_writer(&mut bytes, &Value::Object(row));
        bytes.push(b'\n');
    }
    let shape = Shape::Json(Labels { labels, complete: false, ..Labels::default() });
    let bench = Bench::of(SourceSettings {
        split: Split::Pinned(shape),
        time: if is_counted { Time::Auto } else { Time::Board { channel: TIME.into(), tick: Tick::S, bits: None } },
        ..SourceSettings::default()
    });
    (!bytes.is_empty()).then_some(TableLines { bytes, start: start.unwrap_or(Stamp(0)), bench, damaged })
}
