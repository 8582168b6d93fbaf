//! Takes on disk against the live chain, against hostile files and against every place at which a write can stop.

use amber_core::Stamp;
use amber_core::bench::Bench;
use amber_core::chain::Chain;
use amber_core::store::Limits;
use amber_io::take::{Decoder, Event, Mark, TakePlace, Writer, iso8601, mend_all, open};
use proptest::prelude::*;
use std::fs;
use std::path::Path;

const START: Stamp = Stamp(1_767_225_599_900_000_000);

const BENCH: &str = r#"
[time]
from = "even"
[[channel]]
name = "level"
scale = { steps = [
  { is = "converter", bits = 12, reference = 3.3 }, { is = "offset", by = 0.5 }, { is = "gain", by = 100.0, unit = "mm" },
] }
[[channel]]
name = "flow"
scale = { steps = [{ is = "gain", by = 0.1, unit = "l/s" }] }
"#;

/// Rows with a banner, some damage, a gap and unfinished ends, in uneven pieces.
fn pieces(rows: usize) -> Vec<(Stamp, Vec<u8>)> {
    let mut stream = b"pump station, ready\r\n".to_vec();
    for i in 0..rows {
        let line = match i % 23 {
            7 => format!("level={} fl\x07w={}\r\n", i, i * 3),
            11 => format!("level={} flow=nan\r\n", 1000 + i),
            _ => format!("level={} flow={}.{}\r\n", 1000 + i * 7 % 3000, i % 90, i % 10),
        };
        stream.extend_from_slice(line.as_bytes());
    }
    stream.extend_from_slice(b"level=1 flo");
    let sizes = [3, 40, 17, 120, 1, 64];
    let mut rest = &stream[..];
    let mut out = Vec::new();
    for (i, size) in sizes.iter().cycle().enumerate() {
        if rest.is_empty() {
            break;
        }
        let (head, tail) = rest.split_at((*size).min(rest.len()));
        out.push((START.plus(i as f64 * 0.007), head.to_vec()));
        rest = tail;
    }
    out
}

fn written(folder: &Path, rows: usize) {
    let bench = Bench::parse(BENCH).unwrap();
    let mut writer = Writer::create(&TakePlace::Exactly(folder.into()), &bench, START, Event::BEGIN).unwrap();
    for (at, bytes) in pieces(rows) {
        writer.chunk(at, &bytes).unwrap();
    }
    let note = "half a second".to_owned();
    writer.mark(Mark { number: 0, at: START.plus(0.5), note, values: "a 1 mm".into() });
    writer.finish(START.plus(9.0)).unwrap();
}

/// Files of a take that its parts have each for themselves.
const IN_PARTS: [(&str, &str); 3] = [("readings", "csv"), ("wire", "bin"), ("wire", "csv")];

/// All parts of a file joined, with one header, and how many there are.
fn joined(folder: &Path, (stem, ending): (&str, &str)) -> (Vec<u8>, usize) {
    let mut all = fs::read(folder.join(format!("{stem}.{ending}"))).unwrap();
    for part in 2.. {
        let Ok(text) = fs::read(folder.join(format!("{stem}-{part:04}.{ending}"))) else { return (all, part - 1) };
        let header = if ending == "csv" && !all.is_empty() {
            text.iter().position(|byte| *byte == b'\n').map_or(0, |at| at + 1)
        } else {
            0
        };
        all.extend_from_slice(&text[header..]);
    }
    unreachable!()
}

#[test]
fn parts_joined_are_the_take_that_has_none_whole_torn_and_mended() {
    let dir = tempfile::tempdir().unwrap();
    let whole = dir.path().join("whole");
    written(&whole, 1500);
    for (parts, pace) in [("10 kB", "every row"), ("1 s", "every row"), ("1 s", "0.3 s mean")] {
        let folder = dir.path().join(format!("{parts}, {pace}"));
        let mut bench = Bench::parse(BENCH).unwrap();
        bench.shared.keep.pace = pace.parse().unwrap();
        let plain = dir.path().join(format!("unparted {parts}, {pace}"));
        for (place, parted) in [(&plain, false), (&folder, true)] {
            if parted {
                bench.shared.keep.parts = parts.parse().unwrap();
            }
            let mut writer = Writer::create(&TakePlace::Exactly(place.clone()), &bench, START, Event::BEGIN).unwrap();
            pieces(1500).iter().for_each(|(at, bytes)| writer.chunk(*at, bytes).unwrap());
            writer.finish(START.plus(9.0)).unwrap();
        }
        for file in IN_PARTS {
            let (all, count) = joined(&folder, file);
            assert!(count > 3, "{parts} {file:?} {count}");
            let one = fs::read(plain.join(format!("{}.{}", file.0, file.1))).unwrap();
            assert!(all == one, "{parts} {pace} {file:?}");
        }
        let take = open(&folder).unwrap();
        assert_eq!(take.told, Vec::<String>::new());
        assert!(take.decode().unwrap() == joined(&folder, IN_PARTS[0]).0);
        let repairs: Vec<String> =
            mend_all(&folder).unwrap()[0].repairs.iter().map(|own| format!("{}: {}", own.file, own.what)).collect();
        assert_eq!(repairs, Vec::<String>::new(), "{parts} {pace}");
        let described = fs::read_to_string(folder.join("readings-0002.csv-metadata.json")).unwrap();
        assert!(described.contains("\"url\": \"readings-0002.csv\""));
        // A kill in the midst of the last part, and one in that of the third.
        for last in [joined(&folder, IN_PARTS[1]).1, 3] {
            let torn = dir.path().join(format!("torn {parts} {pace} {last}"));
            copied(&folder, &torn);
            for (stem, ending) in IN_PARTS {
                (last + 1..99).for_each(|part| drop(fs::remove_file(torn.join(format!("{stem}-{part:04}.{ending}")))));
                let path = torn.join(format!("{stem}-{last:04}.{ending}"));
                let text = fs::read(&path).unwrap();
                let left = if ending == "bin" { text.len() } else { text.len() / 2 };
                fs::write(&path, &text[..left]).unwrap();
            }
            let before = open(&torn).unwrap().decode().unwrap();
            mend_all(&torn).unwrap().into_iter().for_each(|mending| drop(mending.carry_out().unwrap()));
            let after = open(&torn).unwrap();
            assert!(after.decode().unwrap() == joined(&torn, IN_PARTS[0]).0, "{last}");
            assert!(after.decode().unwrap() == before && after.told.is_empty(), "{:?}", after.told);
        }
    }
}

fn copied(from: &Path, to: &Path) {
    fs::create_dir_all(to).unwrap();
    for entry in fs::read_dir(from).unwrap().flatten() {
        fs::copy(entry.path(), to.join(entry.file_name())).unwrap();
    }
}

#[test]
fn what_is_kept_is_what_was_on_the_screen() {
    let mut chain = Chain::new(&Bench::parse(BENCH).unwrap(), 0, Limits::default());
    let mut decoder = Decoder::new(&Bench::parse(BENCH).unwrap(), START);
    for (at, bytes) in pieces(400) {
        chain.feed(at, &bytes);
        decoder.feed(at, &bytes);
    }
    chain.finish();
    decoder.finish();
    let counts = chain.counts();
    let tally = decoder.tally();
    assert_eq!((tally.rows, tally.rejected, tally.messages), (counts.rows, counts.rejected(), counts.messages));
    let text = String::from_utf8(decoder.take_output()).unwrap();
    let mut table = csv::Reader::from_reader(text.as_bytes());
    assert_eq!(table.headers().unwrap(), vec!["time_s", "wall_clock", "level", "flow"]);
    for (row, record) in table.records().map(Result::unwrap).enumerate() {
        let time: f64 = record[0].parse().unwrap();
        let at = chain.store().time(row as u64).unwrap();
        assert!((time - at.seconds_since(decoder.origin())).abs() < 1e-6 + f64::EPSILON);
        for channel in 0..2 {
            let quantity = chain.reading(channel, row as u64).unwrap().quantity;
            match &record[channel + 2] {
                "" => assert!(quantity.is_nan()),
                // Two digits finer than a step of the converter: 0.08 mm is written to 0.001 mm.
                text => assert!((text.parse::<f64>().unwrap() - quantity).abs() <= 0.000_51, "{text} {quantity}"),
            }
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, ..ProptestConfig::default() })]

    /// Computed channels, references, smoothing and raw columns: the table says what the screen showed, across breaks.
    #[test]
    fn computed_channels_are_kept_as_they_were_on_the_screen(
        formula in proptest::sample::select(&[
            "level + flow", "rate(level)", "integral(smoothed(level)) / 1000", "ifgap(flow, prev(flow))", "if(flow > 3, running_max(level), raw(flow))",
        ][..]),
        smoothed: bool, raw: bool, by_channel: bool, joins in proptest::collection::vec(0..60usize, 0..4), rows in 20..200usize,
    ) {
        let smooth = if smoothed { "smooth = { filter = \"mean\", rows = 4 }" } else { "" };
        let reference = if by_channel { "\"flow\"" } else { "3.3" };
        let text = format!(
            "[keep]\nraw = {raw}\n[time]\nfrom = \"even\"\n[[channel]]\nname = \"twice\"\nformula = \"made * 2\"\n\
             [[channel]]\nname = \"level\"\n{smooth}\nscale = {{ steps = [{{ is = \"converter\", bits = 12, reference = {reference} }}] }}\n\
             [[channel]]\nname = \"made\"\nformula = \"{formula}\"\nscale = {{ steps = [{{ is = \"offset\", by = 0.25 }}] }}\n"
        );
        let bench = Bench::parse(&text).unwrap();
        let mut chain = Chain::new(&bench.clone(), 0, Limits::default());
        let mut decoder = Decoder::new(&bench, START);
        for (i, (at, bytes)) in pieces(rows).into_iter().enumerate() {
            if joins.contains(&i) {
                chain.break_off();
                decoder.apply(at, Event::JOIN);
            }
            chain.feed(at, &bytes);
            decoder.feed(at, &bytes);
        }
        chain.finish();
        decoder.finish();
        let text = String::from_utf8(decoder.take_output()).unwrap();
        let mut table = csv::Reader::from_reader(text.as_bytes());
        let names: Vec<String> = table.headers().unwrap().iter().map(str::to_owned).collect();
        let expected = if raw { vec!["level", "level_raw", "flow", "twice", "made"] } else { vec!["level", "flow", "twice", "made"] };
        prop_assert_eq!(&names[2..], &expected[..]);
        for (row, record) in table.records().map(Result::unwrap).enumerate() {
            for (name, cell) in names.iter().zip(record.iter()).skip(2) {
                let channel = name.strip_suffix("_raw").unwrap_or(name);
                let index = chain.channels().iter().position(|known| known.name() == channel).unwrap();
                let reading = chain.reading(index, row as u64).unwrap();
                let value = if name.ends_with("_raw") { reading.raw } else { reading.quantity };
                let kept = cell.parse().unwrap_or(f64::NAN);
                let close = (kept.is_nan() && value.is_nan()) || (kept - value).abs() <= 1e-5 + value.abs() * 1e-8;
                prop_assert!(close, "{name} in row {row}: {cell}, shown {value}");
            }
        }
    }
}

#[test]
fn wall_clocks_pass_the_end_of_a_second_a_minute_and_a_year() {
    assert_eq!(iso8601(START), "2025-12-31T23:59:59.900000Z");
    assert_eq!(iso8601(START.plus(0.1)), "2026-01-01T00:00:00.000000Z");
    assert_eq!(iso8601(Stamp(START.0 + 999)), "2025-12-31T23:59:59.900000Z", "cut, not rounded");
    assert_eq!(iso8601(Stamp(-1)), "1969-12-31T23:59:59.999999Z");
}

/// A kill stops the writes somewhere: first stamps, then bytes, then readings are there in full or in part.
#[test]
fn wherever_the_writes_stop_the_take_opens_and_its_table_is_made_whole() {
    let dir = tempfile::tempdir().unwrap();
    let whole = dir.path().join("whole");
    written(&whole, 60);
    let wire = fs::metadata(whole.join("wire.bin")).unwrap().len();
    let readings = fs::metadata(whole.join("readings.csv")).unwrap().len();
    let cut = |folder: &Path, name: &str, length: u64| {
        fs::OpenOptions::new().write(true).open(folder.join(name)).unwrap().set_len(length).unwrap();
    };
    for (case, share) in (0..40u64).enumerate() {
        let torn = dir.path().join(format!("torn-{case}"));
        copied(&whole, &torn);
        // The readings never reach further than the bytes.
        cut(&torn, "wire.bin", wire * share / 40);
        cut(&torn, "readings.csv", (readings * share / 45).min(readings));
        let kept = amber_io::take::open(&torn).unwrap();
        assert_eq!(kept.wire.len() as u64, wire * share / 40);
        let last = kept.pieces.last().map_or(0, |piece| piece.bytes.end);
        assert_eq!(last, kept.wire.len(), "case {case}: every byte has a stamp");
        for mending in mend_all(&torn).unwrap() {
            mending.carry_out().unwrap();
        }
        let mended = open(&torn).unwrap();
        assert_eq!(fs::read(torn.join("readings.csv")).unwrap(), kept.decode().unwrap(), "case {case}");
        assert_eq!(
            (mended.decode().unwrap(), mended.told.len()),
            (kept.decode().unwrap(), 0),
            "case {case}: {:?}",
            mended.told
        );
    }
}

#[test]
fn a_take_on_a_disk_that_cannot_be_written_is_opened_all_the_same() {
    use std::os::unix::fs::PermissionsExt;
    let dir = tempfile::tempdir().unwrap();
    let folder = dir.path().join("take");
    written(&folder, 30);
    let readings = folder.join("readings.csv");
    let text = fs::read(&readings).unwrap();
    fs::write(&readings, &text[..text.len() - 20]).unwrap();
    for name in ["readings.csv", "wire.bin", "wire.csv", "marks.csv"] {
        fs::set_permissions(folder.join(name), fs::Permissions::from_mode(0o444)).unwrap();
    }
    let take = open(&folder).unwrap();
    assert_eq!((take.decode().unwrap(), take.marks[0].values.as_str()), (text, "a 1 mm"));
}

#[test]
fn a_table_that_somebody_edited_is_made_again_only_on_purpose_and_kept() {
    let dir = tempfile::tempdir().unwrap();
    let folder = dir.path().join("take");
    written(&folder, 30);
    let readings = folder.join("readings.csv");
    let edited = fs::read_to_string(&readings).unwrap().replace("level", "Pegel");
    fs::write(&readings, &edited).unwrap();
    let take = open(&folder).unwrap();
    assert_eq!(fs::read_to_string(&readings).unwrap(), edited);
    let mending = mend_all(&folder).unwrap().pop().unwrap();
    assert!(mending.repairs.iter().any(|repair| repair.what.contains("changed or damaged")), "{:?}", mending.repairs);
    mending.carry_out().unwrap();
    assert_eq!(fs::read(&readings).unwrap(), take.decode().unwrap());
    assert_eq!(fs::read_to_string(folder.join("readings.csv.before-mending-1")).unwrap(), edited);
}

/// What is left of a take by this damage is opened, and every loss is told.
fn still_opens(folder: &Path) -> Result<(), TestCaseError> {
    let take = open(folder).map_err(|error| TestCaseError::fail(error.to_string()))?;
    prop_assert!(take.pieces.iter().all(|piece| piece.bytes.end <= take.wire.len()));
    take.decode().unwrap();
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    /// Whatever becomes of one file of a take, the take opens.
    #[test]
    fn a_take_with_one_damaged_file_opens(
        file in 0..8usize, at in 0.0..1.0f64, bytes in proptest::collection::vec(any::<u8>(), 0..30), how in 0..4usize,
    ) {
        let dir = tempfile::tempdir().unwrap();
        let folder = dir.path().join("take");
        written(&folder, 20);
        let name = ["wire.csv", "bench.toml", "marks.csv", "wire.bin", "readings.csv", "take.toml", "sent.csv", "gaps.csv"][file];
        let path = folder.join(name);
        let mut content = fs::read(&path).unwrap_or_default();
        let index = (at * content.len() as f64) as usize;
        let end = (index + bytes.len()).min(content.len());
        match how {
            0 => drop(content.splice(index..index, bytes)),
            1 => drop(content.splice(index..end, bytes)),
            2 => content.truncate(index),
            _ => content.clear(),
        }
        fs::write(&path, &content).unwrap();
        still_opens(&folder)?;
        if how == 3 {
            fs::remove_file(&path).unwrap();
            still_opens(&folder)?;
        }
    }
}
