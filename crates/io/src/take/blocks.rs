//! Blocks of a take: `blocks/NUMBER.csv`, one row a line, and `blocks/NUMBER.json`, which says what they are. A block is written
//! once and never changed.

use crate::disk;
use amber_core::Stamp;
use amber_core::block::{Block, Column};
use amber_core::clock::{ASSUMED_HZ, Across};
use serde::{Deserialize, Serialize};
use std::fs::OpenOptions;
use std::io::{self, Write};
use std::path::{Path, PathBuf};

/// The version of what is written here.
const FORMAT: u32 = 1;

/// The folder, within a take.
const FOLDER: &str = "blocks";

/// Blocks that are read of a take, the first ones.
const MOST: usize = 100;

/// The most bytes of a block's table and of what is said of it.
const TABLE: u64 = 512 * 1024 * 1024;
const ABOUT: u64 = 1024 * 1024;

/// What is said of a block.
#[derive(Debug, Serialize, Deserialize)]
struct About {
    format: u32,
    name: String,
    first_row: u64,
    /// Nanoseconds since 1970.
    moment_ns: i64,
    columns: Vec<AboutColumn>,
}

#[derive(Debug, Serialize, Deserialize)]
struct AboutColumn {
    name: String,
    unit: String,
    decimals: usize,
    resolution: Option<f64>,
    full_scale: Option<f64>,
    has_raw: bool,
    has_smoothed: bool,
}

/// Writes a block into a take, under the next free number.
///
/// # Errors
/// What the disk says; nothing that was there is touched.
pub fn save_block(take: &Path, block: &Block) -> io::Result<PathBuf> {
    let folder = take.join(FOLDER);
    std::fs::create_dir_all(&folder)?;
    let column = |column: &Column| AboutColumn {
        name: column.name.clone(),
        unit: column.unit.clone(),
        decimals: column.decimals,
        resolution: Some(column.resolution).filter(|size| size.is_finite()),
        full_scale: column.full_scale,
        has_raw: column.is_scaled(),
        has_smoothed: column.smoothed.is_some(),
    };
    let about = About {
        format: FORMAT,
        name: block.name.clone(),
        first_row: block.first_row,
        moment_ns: block.moment.0,
        columns: block.columns.iter().map(column).collect(),
    };
    let about = serde_json::to_vec_pretty(&about).map_err(io::Error::other)?;
    for number in 1..10_000 {
        let table = folder.join(format!("{number:04}.csv"));
        let mut file = match OpenOptions::new().write(true).create_new(true).open(&table) {
            Ok(file) => file,
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => continue,
            Err(error) => return Err(error),
        };
        let written = file.write_all(block.csv().as_bytes()).and_then(|()| file.sync_data()).and_then(|()| {
            let mut file =
                OpenOptions::new().write(true).create_new(true).open(folder.join(format!("{number:04}.json")))?;
            file.write_all(&about)?;
            file.sync_data()
        });
        if let Err(error) = written {
            // Half a block says less than none.
            let _ = std::fs::remove_file(&table);
            return Err(error);
        }
        return Ok(table);
    }
    Err(io::Error::other("the take is full of blocks"))
}

/// The blocks of a take, with what could not be read, in sentences.
pub fn read_blocks(take: &Path) -> (Vec<Block>, Vec<String>) {
    let (mut blocks, mut told) = (Vec::new(), Vec::new());
    let Ok(entries) = std::fs::read_dir(take.join(FOLDER)) else { return (blocks, told) };
    let mut tables: Vec<PathBuf> = entries
        .filter_map(|entry| Some(entry.ok()?.path()))
        .filter(|path| path.extension().is_some_and(|ending| ending == "csv"))
        .collect();
    tables.sort();
    if tables.len() > MOST {
        told.push(format!("{FOLDER}: only the first {MOST} of {} blocks are read", tables.len()));
    }
    for table in tables.iter().take(MOST) {
        match read_block(table) {
            Ok(block) => blocks.push(block),
            Err(why) => {
                let name = table.file_name().unwrap_or_default().to_string_lossy();
                told.push(format!("{FOLDER}/{}: no block: {why}", amber_core::tail::visible(name.as_bytes())));
            }
        }
    }
    (blocks, told)
}

fn read_block(table: &Path) -> Result<Block, String> {
    let about = disk::read(&table.with_extension("json"), ABOUT).map_err(|error| disk::unread(&error))?;
    let about: About =
        serde_json::from_slice(&about).map_err(|error| format!("what is said of it is wrong: {error}"))?;
    if about.format > FORMAT {
        return Err(format!("it has format {}, this program reads {FORMAT}", about.format));
    }
    let bytes = disk::read(table, TABLE).map_err(|error| disk::unread(&error))?;
    let mut reader = csv::ReaderBuilder::new().has_headers(true).flexible(false).from_reader(&bytes[..]);
    let width: usize =
        3 + about.columns.iter().map(|c| 1 + usize::from(c.has_raw) + usize::from(c.has_smoothed)).sum::<usize>();
    let header = reader.byte_headers().map_err(|error| format!("its header: {error}"))?;
    let across = match header.get(1) {
        Some(b"row") => Across::Rows(ASSUMED_HZ),
        _ => Across::Seconds,
    };
    let (mut times, mut values) = (Vec::new(), vec![Vec::new(); width - 3]);
    for (row, record) in reader.byte_records().enumerate() {
        let record = record.map_err(|error| format!("row {}: {error}", row + 1))?;
        if record.len() != width {
            return Err(format!("row {} has {} fields instead of {width}", row + 1, record.len()));
        }
        let number = |field: &[u8]| -> Result<f64, String> {
            match std::str::from_utf8(field).ok().map(str::trim) {
                Some("") => Ok(f64::NAN),
                text => text
                    .and_then(|text| text.parse().ok())
                    .filter(|value: &f64| value.is_finite())
                    .ok_or_else(|| format!("row {} has a field that is no number", row + 1)),
            }
        };
        let seconds = across.seconds(number(&record[1])?);
        if seconds.is_nan() || seconds.abs() >= 1e9 {
            return Err(format!("row {} has no time", row + 1));
        }
        let at = about.moment_ns.checked_add((seconds * 1e9).round() as i64);
        times.push(Stamp(at.ok_or_else(|| format!("row {} has no time", row + 1))?));
        for (column, field) in values.iter_mut().zip(record.iter().skip(3)) {
            column.push(number(field)?);
        }
    }
    let mut values = values.into_iter();
    let mut next = || values.next().unwrap_or_default();
    let columns = about.columns.into_iter().map(|column| {
        let raw = column.has_raw.then(&mut next);
        let quantity = next();
        let smoothed = column.has_smoothed.then(&mut next);
        Column {
            name: column.name,
            unit: column.unit,
            decimals: column.decimals.min(15),
            resolution: column.resolution.unwrap_or(f64::NAN),
            full_scale: column.full_scale,
            raw: raw.unwrap_or_else(|| quantity.clone()),
            quantity,
            smoothed,
        }
    });
    let columns = columns.collect();
    Ok(Block { name: about.name, first_row: about.first_row, moment: Stamp(about.moment_ns), times, columns, across })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn block() -> Block {
        let column = |name: &str, smoothed| Column {
            name: name.into(),
            unit: "mm".into(),
            decimals: 2,
            resolution: 0.01,
            full_scale: Some(4096.0),
            raw: vec![100.0, f64::NAN, 102.0],
            quantity: vec![1.0, f64::NAN, 1.02],
            smoothed,
        };
        Block {
            name: "calm, \"still\"".into(),
            first_row: 77,
            moment: Stamp(1_700_000_000_000_000_123),
            times: [0, 10_000_000, 20_000_001].map(|t| Stamp(1_700_000_000_000_000_123 - 5_000_000 + t)).to_vec(),
            columns: vec![column("a,b", None), column("c", Some(vec![1.0, f64::NAN, 1.01]))],
            across: Across::Seconds,
        }
    }

    #[test]
    fn a_block_comes_back_as_it_was_and_none_is_written_over() {
        let take = tempfile::tempdir().unwrap();
        let block = block();
        save_block(take.path(), &block).unwrap();
        save_block(take.path(), &Block { name: "second".into(), ..block.clone() }).unwrap();
        let (blocks, told) = read_blocks(take.path());
        assert_eq!((blocks.len(), told.len()), (2, 0), "{told:?}");
        // A gap is not equal to itself.
        assert_eq!(format!("{:?}", blocks[0]), format!("{block:?}"));
        assert_eq!(blocks[1].name, "second");
    }

    #[test]
    fn what_is_no_block_is_told_and_the_others_are_read() {
        let take = tempfile::tempdir().unwrap();
        assert_eq!(read_blocks(take.path()).0.len(), 0);
        (0..5).for_each(|_| drop(save_block(take.path(), &block()).unwrap()));
        let file = |name: &str| take.path().join("blocks").join(name);
        std::fs::write(file("0001.csv"), "index,time_s\r\n0,1\r\n").unwrap();
        std::fs::write(file("0002.json"), "{}").unwrap();
        let newer = std::fs::read_to_string(file("0003.json")).unwrap().replace("\"format\": 1", "\"format\": 9");
        std::fs::write(file("0003.json"), newer).unwrap();
        let torn = std::fs::read_to_string(file("0004.csv")).unwrap().replace("1.02", "\x1b[2Jx");
        std::fs::write(file("0004.csv"), torn).unwrap();
        let (blocks, told) = read_blocks(take.path());
        assert_eq!((blocks.len(), told.len()), (1, 4), "{told:?}");
        assert!(told.iter().any(|told| told.contains("format 9")) && !told.concat().contains('\x1b'), "{told:?}");
    }

    fn hostile() -> impl Strategy<Value = String> {
        prop_oneof![
            "[ -~]{0,12}",
            "\\PC{0,6}",
            "[\\x00-\\x1f\",;\\n\\r]{0,6}",
            Just("time_s".into()),
            Just("../../x".into())
        ]
    }

    fn any_block() -> impl Strategy<Value = Block> {
        let value = || prop_oneof![6 => -1e6..1e6f64, 2 => (0..4096u32).prop_map(f64::from), 1 => Just(f64::NAN)];
        let columns = proptest::collection::vec((hostile(), hostile(), any::<(bool, bool)>()), 1..4);
        (hostile(), 0..40usize, columns, any::<u32>(), proptest::collection::vec(value(), 40)).prop_map(
            move |(name, rows, columns, seed, values)| {
                let moment = Stamp(1_790_000_000_000_000_000 + i64::from(seed));
                let of = |by: f64| {
                    values[..rows].iter().map(|value| amber_core::digits::cleaned(by * value)).collect::<Vec<f64>>()
                };
                let column = |(name, unit, (has_raw, has_smoothed)): (String, String, (bool, bool))| Column {
                    name,
                    unit,
                    decimals: 12,
                    resolution: f64::NAN,
                    full_scale: None,
                    raw: of(1.0),
                    quantity: of(if has_raw { 0.25 } else { 1.0 }),
                    smoothed: has_smoothed.then(|| of(0.5)),
                };
                let times = (0..rows as i64).map(|row| Stamp(moment.0 - 1_000_000_007 + row * 10_000_003)).collect();
                Block {
                    name,
                    first_row: seed.into(),
                    moment,
                    times,
                    columns: columns.into_iter().map(column).collect(),
                    across: if seed % 2 == 0 { Across::Seconds } else { Across::Rows(ASSUMED_HZ) },
                }
            },
        )
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 60, ..ProptestConfig::default() })]

        #[test]
        fn any_block_comes_back_and_a_damaged_one_is_told_or_read(block in any_block(), at in 0.0..1.0f64, byte in any::<u8>(), is_table in any::<bool>(), cut in any::<bool>()) {
            let take = tempfile::tempdir().unwrap();
            let table = save_block(take.path(), &block).unwrap();
            let (blocks, told) = read_blocks(take.path());
            prop_assert_eq!(told.len(), 0, "{:?}", told);
            let [back] = &blocks[..] else { return Err(TestCaseError::fail("not one block")) };
            prop_assert_eq!((&back.name, back.first_row, back.moment, &back.times), (&block.name, block.first_row, block.moment, &block.times));
            for (back, column) in back.columns.iter().zip(&block.columns) {
                prop_assert_eq!((&back.name, &back.unit), (&column.name, &column.unit));
                let near = |a: &[f64], b: &[f64]| a.len() == b.len() && a.iter().zip(b).all(|(a, b)| (a - b).abs() <= 1e-9 * b.abs() || (a.is_nan() && b.is_nan()));
                prop_assert!(near(&back.raw, &column.raw) && near(&back.quantity, &column.quantity), "{back:?} {column:?}");
                prop_assert!(back.smoothed.is_some() == column.smoothed.is_some());
            }
            // Whatever a byte becomes, or wherever the file ends, nothing panics and nothing unprintable is said.
            let file = if is_table { table } else { table.with_extension("json") };
            let mut bytes = std::fs::read(&file).unwrap();
            let place = (at * (bytes.len() - 1) as f64) as usize;
            if cut { bytes.truncate(place) } else { bytes[place] = byte }
            std::fs::write(&file, bytes).unwrap();
            let (blocks, told) = read_blocks(take.path());
            prop_assert_eq!(blocks.len() + told.len(), 1);
            prop_assert!(!told.concat().contains(|c: char| c.is_control()), "{:?}", told);
            for block in &blocks {
                prop_assert!(block.columns.iter().all(|column| column.quantity.len() == block.times.len() && column.raw.len() == block.times.len()));
            }
        }
    }
}
