//! A look at a take that costs little, however long it is: for a list of many.

use super::reader::{being_written, part_names, parts, whole_lines};
use super::{BENCH, MARKS, NOTE, READINGS, WIRE, when};
use crate::disk;
use amber_core::Stamp;
use rustix::fs::OFlags;
use std::fs::File;
use std::os::unix::fs::FileExt;
use std::path::{Path, PathBuf};

/// Places of a table that are looked at for the preview.
const PLACES: usize = 120;

/// Bytes that are read at each place, and of the ends of the table.
const NEAR: usize = 8 << 10;
const ENDS: usize = 64 << 10;

/// The longest note.
pub(super) const LONGEST_NOTE: u64 = 64 << 10;

/// What can be told of a take at a glance. Nothing of it is checked: opening it says what is whole.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Glance {
    /// Its folder.
    pub folder: PathBuf,
    /// The last part of its path.
    pub name: String,
    /// When its first row was, where its table has a wall clock.
    pub start: Option<Stamp>,
    /// Seconds from its first row to its last, where its table has rows.
    pub seconds: Option<f64>,
    /// The columns of its table, clocks left out.
    pub channels: Vec<String>,
    /// Bytes of its tables and of what arrived.
    pub bytes: u64,
    /// Its sources, where there are several.
    pub sources: Vec<String>,
    /// Marks.
    pub marks: usize,
    /// What a person wrote about it; empty where nothing is.
    pub note: String,
    /// The name of the bench that it was made with.
    pub bench: String,
    /// The channel of the preview, and values of it along the take; NaN where there is none.
    pub preview: (String, Vec<f64>),
    /// It is still being written.
    pub grows: bool,
}

/// Looks at a take, or at the takes of several sources.
pub fn glance(folder: &Path) -> Glance {
    let parts = parts(folder);
    let name = folder.file_name().map_or_else(String::new, |name| name.to_string_lossy().into_owned());
    let mut all = Glance { folder: folder.into(), name, note: note(folder), ..Glance::default() };
    for (source, part) in &parts {
        let own = of_one(part);
        let several = parts.len() > 1;
        all.bytes += own.bytes;
        all.grows |= own.grows;
        all.seconds = all.seconds.into_iter().chain(own.seconds).reduce(f64::max);
        all.start = all.start.into_iter().chain(own.start).min();
        let title = |channel: String| if several { format!("{source}.{channel}") } else { channel };
        all.channels.extend(own.channels.into_iter().map(title));
        if several {
            all.sources.push(source.clone());
        }
        if all.preview.1.is_empty() {
            (all.preview, all.marks, all.bench) = (own.preview, own.marks, own.bench);
        }
    }
    all
}

/// The note of a take; empty where there is none.
fn note(folder: &Path) -> String {
    let text = disk::read_own(&folder.join(NOTE), LONGEST_NOTE).unwrap_or_default();
    String::from_utf8_lossy(&text).trim().to_owned()
}

/// Columns of a table's clocks and counts.
const OWN: [&str; 4] = ["time_s", "row", "wall_clock", "rows"];

fn of_one(folder: &Path) -> Glance {
    let size = |name: &String| std::fs::symlink_metadata(folder.join(name)).map_or(0, |meta| meta.len());
    let tables = part_names(folder, READINGS);
    let wires = part_names(folder, WIRE);
    let marks = disk::read_own(&folder.join(MARKS), LONGEST_NOTE).unwrap_or_default();
    let bench = disk::read_own(&folder.join(BENCH), disk::BENCH).unwrap_or_default();
    let mut found = Glance {
        bytes: tables.iter().chain(&wires).map(size).sum(),
        grows: being_written(&folder.join(WIRE)),
        marks: csv::Reader::from_reader(&marks[..]).records().filter(Result::is_ok).count(),
        bench: name_of_bench(&bench),
        ..Glance::default()
    };
    let files: Vec<(File, u64)> = tables
        .iter()
        .filter_map(|name| {
            let file = disk::open(&folder.join(name), OFlags::NOFOLLOW).ok()?;
            let length = file.metadata().ok()?.len();
            Some((file, length))
        })
        .collect();
    let Some(first) = files.first() else { return found };
    let head = read_at(&first.0, 0, ENDS);
    let Some(header) = head.split(|byte| *byte == b'\n').next() else { return found };
    let header = String::from_utf8_lossy(header).trim_end().to_owned();
    let decimal_comma = header.contains(';') && !header.contains(',');
    let names: Vec<String> = header.split(if decimal_comma { ';' } else { ',' }).map(str::to_owned).collect();
    let first_name = names.first().map(String::as_str);
    let is_timed = first_name == Some("time_s");
    if is_timed || first_name == Some("row") {
        found.channels = names.iter().filter(|name| !OWN.contains(&name.as_str())).cloned().collect();
    }
    // Rows that are merely counted tell no time.
    if !is_timed {
        return found;
    }
    let row = |line: &[u8]| -> Option<Vec<String>> {
        let line = String::from_utf8_lossy(line);
        let cells: Vec<String> =
            line.trim_end().split(if decimal_comma { ';' } else { ',' }).map(str::to_owned).collect();
        (cells.len() == names.len()).then_some(cells)
    };
    let number = |cell: &str| {
        let cell = if decimal_comma { cell.replacen(',', ".", 1) } else { cell.to_owned() };
        cell.parse::<f64>().ok().filter(|value| value.is_finite())
    };
    let first_row = head.split(|byte| *byte == b'\n').nth(1).and_then(row);
    let (last_file, last_length) = files.last().unwrap_or(first);
    let tail = read_at(last_file, last_length.saturating_sub(ENDS as u64), ENDS);
    let last_row = tail[..whole_lines(&tail)].trim_ascii_end().rsplit(|byte| *byte == b'\n').next().and_then(row);
    let Some(first_row) = first_row else { return found };
    let wall = names.iter().position(|name| name == "wall_clock");
    found.start = wall.and_then(|column| when::parse(&first_row[column]));
    let begin = number(&first_row[0]);
    let end = last_row.and_then(|cells| number(&cells[0])).or(begin);
    found.seconds = begin.zip(end).map(|(begin, end)| (end - begin).max(0.0));
    // Rows at even places, each with the line that begins next.
    let total: u64 = files.iter().map(|(_, length)| length).sum();
    let mut rows = Vec::new();
    for place in 0..PLACES as u64 {
        let mut at = total / PLACES as u64 * place;
        let file = files.iter().find(|(_, length)| {
            let is_here = at < *length;
            at -= if is_here { 0 } else { *length };
            is_here
        });
        let Some((file, _)) = file else { continue };
        let near = read_at(file, at, NEAR);
        rows.extend(near.split(|byte| *byte == b'\n').nth(1).and_then(row));
    }
    found.preview = preview(&names, &rows, number);
    found
}

/// The first column that moves and is no clock, which would only rise; else the first one.
fn preview(names: &[String], rows: &[Vec<String>], number: impl Fn(&str) -> Option<f64>) -> (String, Vec<f64>) {
    let values =
        |column: usize| -> Vec<f64> { rows.iter().map(|cells| number(&cells[column]).unwrap_or(f64::NAN)).collect() };
    let own: Vec<usize> = (0..names.len()).filter(|column| !OWN.contains(&names[*column].as_str())).collect();
    let moves = |column: &&usize| {
        let values: Vec<f64> = values(**column).into_iter().filter(|value| !value.is_nan()).collect();
        let is_clock = values.windows(2).all(|pair| pair[0] < pair[1]);
        let mut distinct = values.clone();
        distinct.sort_by(f64::total_cmp);
        distinct.dedup();
        distinct.len() > 2 && !is_clock
    };
    let column = own.iter().find(moves).or(own.first());
    column.map_or((String::new(), Vec::new()), |column| (names[*column].clone(), values(*column)))
}

fn name_of_bench(text: &[u8]) -> String {
    #[derive(serde::Deserialize, Default)]
    struct Named {
        #[serde(default)]
        name: String,
    }
    toml_edit::de::from_str::<Named>(&String::from_utf8_lossy(text)).unwrap_or_default().name
}

/// At most `most` bytes from `at` on; none where they cannot be read.
fn read_at(file: &File, at: u64, most: usize) -> Vec<u8> {
    let mut bytes = vec![0; most];
    let mut length = 0;
    while let Ok(read @ 1..) = file.read_at(&mut bytes[length..], at + length as u64) {
        length += read;
    }
    bytes.truncate(length);
    bytes
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::fs;

    fn bytes() -> impl Strategy<Value = Vec<u8>> {
        let table = "time_s,wall_clock,a\r\n(-?[0-9]{0,4}\\.?[0-9]{0,3},[0-9TZ:-]{0,20},[0-9a-z.-]{0,9}\r\n){0,40}";
        prop_oneof![
            2 => table.prop_map(String::into_bytes),
            1 => proptest::collection::vec(any::<u8>(), 0..3000),
            1 => "[ -~\r\n;,]{0,400}".prop_map(String::into_bytes),
            1 => Just(vec![b'9'; 200_000]),
        ]
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 150, ..ProptestConfig::default() })]

        /// Whatever is in its files, a glance costs little, holds together and touches nothing.
        #[test]
        fn any_files_can_be_looked_at(table in bytes(), second in bytes(), marks in bytes(), bench in bytes(), note in bytes()) {
            let dir = tempfile::tempdir().unwrap();
            let folder = dir.path().join("take-0001");
            fs::create_dir(&folder).unwrap();
            let files = [
                (READINGS, &table), ("readings-0002.csv", &second), (MARKS, &marks), (BENCH, &bench), (NOTE, &note), (WIRE, &note),
            ];
            for (name, text) in files {
                fs::write(folder.join(name), text).unwrap();
            }
            let seen = glance(&folder);
            prop_assert!(seen.seconds.is_none_or(|seconds| seconds.is_finite() && seconds >= 0.0));
            prop_assert!(seen.preview.1.len() <= PLACES && seen.preview.1.iter().all(|value| !value.is_infinite()));
            prop_assert_eq!(seen.bytes, (table.len() + second.len() + note.len()) as u64);
            for (name, text) in files {
                prop_assert!(fs::read(folder.join(name)).unwrap() == *text);
            }
        }
    }

    #[test]
    fn a_table_with_decimal_commas_and_one_of_stretches_show_their_numbers() {
        let dir = tempfile::tempdir().unwrap();
        let row = |i: u32| format!("{i},000000;2026-01-01T00:00:{:02}.000000Z;100;{},5\r\n", i % 60, i % 7);
        let table = format!("time_s;wall_clock;rows;level_mean\r\n{}", (0..50).map(row).collect::<String>());
        fs::write(dir.path().join(READINGS), table).unwrap();
        let seen = glance(dir.path());
        assert_eq!((seen.channels, seen.seconds), (vec!["level_mean".to_owned()], Some(49.0)));
        assert!(seen.preview.1.iter().all(|value| (value - 0.5).fract() == 0.0), "{:?}", seen.preview);
        assert!(!seen.grows && seen.start.is_some());
    }
}
