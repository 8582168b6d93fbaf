//! Takes written, broken in every way that a kill can break them, and opened again.

use super::*;
use crate::take::gaps::Gap;
use crate::take::{Event, TakePlace, Writer, mend_all, save_reading};
use amber_boards::{Board, Flume, Programme};
use std::fs::{File, OpenOptions};
use std::io::Write;
use std::time::Duration;

/// A take of the flume in pieces of odd sizes, with a reopened port and marks, in `folder`.
fn written(folder: &Path, seconds: u64) -> Writer {
    let start = Stamp(1_750_000_000_000_000_000);
    let mut flume = Flume::new(Programme::Waves, 3);
    let mut bytes = Vec::new();
    flume.run(Duration::from_secs(seconds), &mut bytes);
    let bench = Bench::parse(
        "[[channel]]\nname = \"gauge_a\"\nscale = { steps = [{ is = \"converter\", bits = 12, reference = 3.3 }] }",
    )
    .unwrap();
    let mut writer = Writer::create(&TakePlace::Exactly(folder.into()), &bench, start, Event::JOIN).unwrap();
    for (i, piece) in bytes.chunks(97).enumerate() {
        let at = start.plus(i as f64 * 0.0123);
        if i == 40 {
            writer.gap(at, &Gap::Lost("the cable, \"loose\"".into())).unwrap();
            writer.event(at, Event::JOIN).unwrap();
            writer.gap(at.plus(1.0), &Gap::Resumed).unwrap();
        }
        if i % 50 == 10 {
            writer.mark(Mark { number: 0, at, note: format!("mark, \"{i}\""), values: String::new() });
        }
        writer.chunk(at, piece).unwrap();
    }
    writer.checkpoint(start.plus(seconds as f64)).unwrap();
    writer
}

/// The contents of all files in a folder, by name.
fn files(folder: &Path) -> std::collections::BTreeMap<String, Vec<u8>> {
    let entries = fs::read_dir(folder).unwrap().flatten().filter(|entry| entry.path().is_file());
    entries.map(|e| (e.file_name().to_string_lossy().into_owned(), fs::read(e.path()).unwrap())).collect()
}

#[test]
fn another_reading_stands_beside_the_first_and_opens_by_itself() {
    let dir = tempfile::tempdir().unwrap();
    let folder = dir.path().join("take");
    written(&folder, 5).finish(Stamp(1_750_000_005_000_000_000)).unwrap();
    let before = files(&folder);
    let mut bench = open(&folder).unwrap().bench;
    bench.sources[0].channel[0].title = "wall".into();
    bench.shared.keep.pace = "1 s mean".parse().unwrap();
    let ticket = amber_core::work::Ticket::default();
    let second = save_reading(&open(&folder).unwrap(), &bench, &ticket).unwrap();
    assert_eq!(second, folder.join("reading-02"));
    let take = open(&second).unwrap();
    assert_eq!(
        (take.told.len(), take.bench.first().channel[0].title.as_str(), take.marks.len() > 1),
        (0, "wall", true)
    );
    assert!(take.decode().unwrap() == fs::read(second.join(READINGS)).unwrap());
    assert!(fs::read_to_string(second.join(READINGS)).unwrap().contains("wall_mean"));
    // A reading of a reading stands beside it, and one that is cancelled leaves nothing.
    assert_eq!(save_reading(&take, &bench, &ticket).unwrap(), folder.join("reading-03"));
    let now: Vec<(String, Vec<u8>)> =
        files(&folder).into_iter().filter(|(name, _)| before.contains_key(name)).collect();
    assert!(now == before.into_iter().collect::<Vec<_>>(), "the first one is as it was");
    assert_eq!(open_all(&folder).unwrap().len(), 1);
    crate::take::delete(&folder).unwrap();
    assert!(!folder.exists());
}

#[test]
fn decoding_again_gives_the_same_readings_byte_for_byte() {
    let dir = tempfile::tempdir().unwrap();
    let folder = dir.path().join("deep/take");
    let summary = written(&folder, 12).finish(Stamp(1_750_000_012_000_000_000)).unwrap();
    assert!(summary.tally.rows > 1100 && summary.tally.messages == 3 && summary.tally.rejected <= 1, "{summary:?}");
    let take = open(&folder).unwrap();
    assert_eq!(take.told, Vec::<String>::new());
    assert_eq!(take.decode().unwrap(), fs::read(folder.join(READINGS)).unwrap());
    assert_eq!(take.wire.len() as u64, summary.bytes);
    assert_eq!(take.marks.len() as u64, summary.marks);
    let json: serde_json::Value =
        serde_json::from_slice(&fs::read(folder.join(super::super::METADATA)).unwrap()).unwrap();
    assert_eq!(json["tableSchema"]["columns"][3]["schema:unitText"], "V");
    let mut table = csv::Reader::from_path(folder.join(READINGS)).unwrap();
    assert_eq!(table.headers().unwrap().len(), 9);
    assert_eq!(table.records().filter(Result::is_ok).count() as u64, summary.tally.rows);
    // The same place is never written again.
    let again = Writer::create(&TakePlace::Exactly(folder.clone()), &Bench::default(), Stamp(0), Event::BEGIN);
    assert!(matches!(again, Err(TakeError::Exists(_))));
}

#[test]
fn a_tail_torn_anywhere_is_said_and_mended_only_on_purpose() {
    let dir = tempfile::tempdir().unwrap();
    let folder = dir.path().join("whole");
    written(&folder, 4).finish(Stamp(1_750_000_004_000_000_000)).unwrap();
    let full = fs::read(folder.join(READINGS)).unwrap();
    for (case, (wire, stamps, readings)) in
        [(900, 0, 0), (1, 0, 0), (0, 11, 0), (0, 0, 33), (5000, 0, 100), (0, 0, full.len() - 10), (0, 0, full.len())]
            .into_iter()
            .enumerate()
    {
        // (Stamps are written before bytes, so only a failing disk can lose stamps alone.)
        let torn = dir.path().join(format!("torn{case}"));
        fs::create_dir(&torn).unwrap();
        for entry in fs::read_dir(&folder).unwrap().flatten() {
            fs::copy(entry.path(), torn.join(entry.file_name())).unwrap();
        }
        for (name, bytes) in [(WIRE, wire), (STAMPS, stamps), (READINGS, readings)] {
            let file = OpenOptions::new().write(true).open(torn.join(name)).unwrap();
            file.set_len(file.metadata().unwrap().len() - bytes as u64).unwrap();
        }
        let before = files(&torn);
        let take = open(&torn).unwrap();
        assert!(!take.told.is_empty() || readings > 0, "case {case} was not said");
        let mending = mend_all(&torn).unwrap().pop().unwrap();
        assert!(matches!(mend_all(&torn), Err(TakeError::Busy(_))), "one at a time");
        assert!(!mending.repairs.is_empty(), "case {case}");
        assert_eq!(files(&torn), before, "nothing is written by looking");
        let kept = mending.carry_out().unwrap();
        for (old, new) in kept.iter().map(|path| (path, path.with_extension(""))) {
            let name = new.file_name().unwrap().to_string_lossy().into_owned();
            assert_eq!(&fs::read(old).unwrap(), before.get(&name).unwrap(), "case {case}: {name}");
        }
        let mended = open(&torn).unwrap();
        assert_eq!(mended.told, Vec::<String>::new(), "case {case}");
        assert_eq!(fs::read(torn.join(READINGS)).unwrap(), mended.decode().unwrap(), "case {case}");
        assert!(mend_all(&torn).unwrap()[0].repairs.is_empty(), "what was mended stays mended");
        assert!(full.starts_with(&take.decode().unwrap()) || stamps > 0, "case {case}");
    }
}

#[test]
fn gaps_are_told_in_their_table_and_a_torn_row_of_it_is_mended() {
    let dir = tempfile::tempdir().unwrap();
    let folder = dir.path().join("take");
    written(&folder, 4).finish(Stamp(1_750_000_004_000_000_000)).unwrap();
    let path = folder.join(GAPS);
    let whole = fs::read_to_string(&path).unwrap();
    let mut table = csv::Reader::from_reader(whole.as_bytes());
    let rows: Vec<csv::StringRecord> = table.records().map(Result::unwrap).collect();
    assert_eq!(rows.iter().map(|row| &row[3]).collect::<Vec<_>>(), ["lost", "resumed"]);
    assert_eq!((&rows[0][4], &rows[1][4]), ("the cable, \"loose\"", ""));
    // The bytes that had arrived by then, so that the place in `wire.bin` is found.
    assert_eq!(rows[0][2].parse::<usize>().unwrap(), 40 * 97);
    let told = |text: &str| {
        fs::write(&path, text).unwrap();
        open(&folder).unwrap().told.join("; ")
    };
    assert_eq!(told(&whole), "");
    assert!(told(&whole[..whole.len() - 4]).contains("gaps.csv: its last line is incomplete"));
    let mending = mend_all(&folder).unwrap().pop().unwrap();
    assert!(mending.repairs.iter().any(|repair| repair.file == GAPS), "{:?}", mending.repairs);
    mending.carry_out().unwrap();
    assert_eq!(open(&folder).unwrap().told, Vec::<String>::new());
    assert!(told(&whole.replace("lost", "lost\r\nrubbish")).contains("gaps.csv: "));
    // A take without gaps has no such file, and one from which it was taken away opens as well.
    fs::remove_file(&path).unwrap();
    assert_eq!(open(&folder).unwrap().told, Vec::<String>::new());
}

#[test]
fn a_take_that_still_grows_is_opened_but_not_touched() {
    let dir = tempfile::tempdir().unwrap();
    let folder = dir.path().join("take");
    let writer = written(&folder, 2);
    let take = open(&folder).unwrap();
    assert!(take.told[0].contains("still being written"));
    drop(writer);
}

#[test]
fn giving_up_leaves_whole_files_and_a_folder_that_went_away_is_noticed() {
    let dir = tempfile::tempdir().unwrap();
    let folder = dir.path().join("take");
    let mut writer = written(&folder, 2);
    let length = |name: &str| fs::metadata(folder.join(name)).unwrap().len();
    let before = [WIRE, STAMPS, READINGS].map(length);
    writer.chunk(Stamp(1_750_000_003_000_000_000), b"waits in memory").unwrap();
    // A write that fails has often written a part.
    fs::File::options().append(true).open(folder.join(WIRE)).unwrap().write_all(b"a part").unwrap();
    let kept = writer.give_up();
    assert_eq!([WIRE, STAMPS, READINGS].map(length), before);
    assert_eq!(kept.bytes, before[0]);
    assert_eq!(
        open(&folder).unwrap().told,
        ["it was not ended properly; `amber-tap mend` adds rows that readings.csv may lack"]
    );

    let gone = dir.path().join("gone");
    let mut writer = written(&gone, 1);
    fs::remove_dir_all(&gone).unwrap();
    let said = writer.checkpoint(Stamp(0)).unwrap_err().to_string();
    assert!(said.contains("moved or deleted"), "{said}");
}

#[test]
fn what_is_no_take_is_told_so() {
    let dir = tempfile::tempdir().unwrap();
    let said = |path: &Path| open(path).unwrap_err().to_string();
    assert!(said(dir.path()).contains("is not a take: wire.bin is not there, and readings.csv is not there"));
    assert!(said(&dir.path().join("none")).contains("cannot open"));
    fs::write(dir.path().join(READINGS), "a,b\r\n1,2\r\n").unwrap();
    assert!(said(dir.path()).contains("holds no rows with a time_s"));
}

/// Something else in the place of a file: a link out of the folder, a pipe that would be waited for, a file without end.
#[test]
fn a_file_that_is_not_what_it_says_is_never_followed_waited_for_or_written() {
    let dir = tempfile::tempdir().unwrap();
    let whole = dir.path().join("whole");
    written(&whole, 4).finish(Stamp(1_750_000_004_000_000_000)).unwrap();
    let other = dir.path().join("other.txt");
    fs::write(&other, "number,time_s,wall_clock,note\r\nprecious, without an end").unwrap();
    for name in [WIRE, STAMPS, MARKS, BENCH, SENT, ABOUT, READINGS] {
        for kind in 0..4 {
            let folder = dir.path().join(format!("{name}{kind}"));
            fs::create_dir(&folder).unwrap();
            for (file, content) in files(&whole) {
                fs::write(folder.join(file), content).unwrap();
            }
            let path = folder.join(name);
            let _ = fs::remove_file(&path);
            match kind {
                0 => std::os::unix::fs::symlink(&other, &path).unwrap(),
                1 => std::os::unix::fs::symlink("/dev/zero", &path).unwrap(),
                2 => rustix::fs::mknodat(rustix::fs::CWD, &path, rustix::fs::FileType::Fifo, 0o644.into(), 0).unwrap(),
                _ => File::create(&path).and_then(|file| file.set_len(1 << 42)).unwrap(),
            }
            let take = open(&folder).unwrap();
            let said = take.told.iter().any(|told| told.contains(name));
            assert!(said || name == READINGS, "{name} {kind}: {:?}", take.told);
            // Zeros are no rows.
            assert!(chain_rows(&take) > 300 || (name == WIRE && kind == 3), "{name} {kind}");
            if kind < 3 {
                for mending in mend_all(&folder).unwrap() {
                    mending.carry_out().unwrap();
                }
            }
            assert!(fs::read_to_string(&other).unwrap().ends_with("without an end"));
        }
    }
}

/// The rows of a take's table, made again.
fn chain_rows(take: &OpenedTake) -> usize {
    take.decode().unwrap().iter().filter(|b| **b == b'\n').count().saturating_sub(1)
}

#[test]
fn what_came_late_has_a_table_of_its_own() {
    let dir = tempfile::tempdir().unwrap();
    let folder = dir.path().join("take");
    let start = Stamp(1_750_000_000_000_000_000);
    let bench = Bench::default();
    let mut writer = Writer::create(&TakePlace::Exactly(folder.clone()), &bench, start, Event::JOIN).unwrap();
    for i in 0..400 {
        let wind = if i < 340 || i % 10 > 0 { String::new() } else { format!(",\"wind\":{i}.5") };
        let line = format!("{{\"bed\":{},\"gauge\":{}{wind}}}\r\n", i * 7 % 50, i * 13 % 41);
        writer.chunk(start.plus(f64::from(i) * 0.1), line.as_bytes()).unwrap();
    }
    let summary = writer.finish(start.plus(40.0)).unwrap();
    assert_eq!((summary.tally.rows, summary.tally.rejected, summary.tally.late_values), (400, 0, 6));
    let late = fs::read_to_string(folder.join("late.csv")).unwrap();
    let lines: Vec<&str> = late.lines().collect();
    assert_eq!(lines[0], "time_s,wall_clock,channel,unit,value");
    assert_eq!((lines.len(), lines[1]), (7, "34.000000,2025-06-15T15:07:14.000000Z,wind,,340.5"));
    // It is made of the bytes like the readings, in another reading too, and goes and moves with the take.
    let other = save_reading(&open(&folder).unwrap(), &bench, &amber_core::work::Ticket::default()).unwrap();
    assert_eq!(fs::read_to_string(other.join("late.csv")).unwrap(), late);
    fs::write(folder.join("late.csv"), &late[..60]).unwrap();
    let mending = mend_all(&folder).unwrap().pop().unwrap();
    assert_eq!(mending.repairs.iter().map(|repair| repair.file.as_str()).collect::<Vec<_>>(), ["late.csv"]);
    mending.carry_out().unwrap();
    assert_eq!(fs::read_to_string(folder.join("late.csv")).unwrap(), late);
    crate::take::delete(&folder).unwrap();
    assert!(!folder.exists());
}

#[test]
fn a_plan_counts_rows_of_the_table_whatever_these_stand_for() {
    let dir = tempfile::tempdir().unwrap();
    let start = Stamp(1_750_000_000_000_000_000);
    for (pace, rows, last) in
        [("1 s mean", 30, "29.000000"), ("every 10", 30, "29.000000"), ("every row", 30, "2.900000")]
    {
        let folder = dir.path().join(pace.replace(' ', "-"));
        let mut bench = Bench::default();
        bench.shared.keep.pace = pace.parse().unwrap();
        bench.shared.keep.stop = format!("{rows} rows").parse().unwrap();
        let mut writer = Writer::create(&TakePlace::Exactly(folder.clone()), &bench, start, Event::BEGIN).unwrap();
        let mut i = 0;
        while !writer.is_full(start.plus(f64::from(i) * 0.1)) {
            writer.chunk(start.plus(f64::from(i) * 0.1), format!("level={}\n", i % 50).as_bytes()).unwrap();
            i += 1;
            assert!(i < 1000, "{pace}: it never ends");
        }
        let summary = writer.finish(start.plus(f64::from(i) * 0.1)).unwrap();
        let table = fs::read_to_string(folder.join("readings.csv")).unwrap();
        assert_eq!((summary.tally.table_rows, table.lines().count() as u64), (rows, rows + 1), "{pace}");
        assert!(table.lines().last().unwrap().starts_with(last), "{pace}: {table}");
        assert_eq!(open(&folder).unwrap().decode().unwrap(), table.as_bytes(), "{pace}");
    }
    // Nothing comes behind the last row of a second: the clock ends the take.
    let mut bench = Bench::parse("[[source]]\ntime = { from = \"arrival\" }\n").unwrap();
    bench.shared.keep.pace = "1 s mean".parse().unwrap();
    bench.shared.keep.stop = "2 rows".parse().unwrap();
    let mut writer =
        Writer::create(&TakePlace::Exactly(dir.path().join("still")), &bench, start, Event::BEGIN).unwrap();
    for i in 0..150 {
        writer.chunk(start.plus(f64::from(i) * 0.01), format!("level={i}\n").as_bytes()).unwrap();
    }
    assert_eq!([2.1, 3.1].map(|at| writer.is_full(start.plus(at))), [false, true]);
}

#[test]
fn a_take_that_is_open_is_found_again_where_its_folder_was_renamed() {
    let dir = tempfile::tempdir().unwrap();
    let folder = dir.path().join("take");
    written(&folder, 2).finish(Stamp(1_750_000_000_000_000_000).plus(60.0)).unwrap();
    let mut take = open(&folder).unwrap();
    assert!(!take.follow());
    fs::rename(&folder, dir.path().join("calm water")).unwrap();
    assert!(take.follow() && take.folder.ends_with("calm water"), "{}", take.folder.display());
    let bench = take.bench.clone();
    let kept = save_reading(&take, &bench, &amber_core::work::Ticket::default()).unwrap();
    assert!(kept.starts_with(dir.path().join("calm water")));
    fs::remove_dir_all(dir.path().join("calm water")).unwrap();
    assert!(!take.follow(), "what is gone is nowhere");
}

#[test]
fn a_field_called_as_the_first_column_has_another_name_in_a_table_that_counts_rows() {
    let mut decoder = Decoder::new(&Bench::default(), Stamp(0));
    let opening = Opening::Text { at: Stamp(0), arrives: false };
    decoder.apply(Stamp(0), Event::Opened { opening, within: false });
    let text: String = (0..40).map(|i| format!("row={} level={i}\n", i % 3)).collect();
    decoder.feed(Stamp(0), text.as_bytes());
    decoder.apply(Stamp(0), Event::Ended);
    decoder.finish();
    let table = String::from_utf8(decoder.take_output()).unwrap();
    assert!(table.starts_with("row,wall_clock,row_2,level\r\n"), "{table}");
}
