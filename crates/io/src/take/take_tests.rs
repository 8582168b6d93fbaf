//! Takes written, broken in every way that a kill can break them, and opened again.

use super::*;
use crate::take::{Event, Place, Writer};
use amber_boards::{Board, Flume, Programme};
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
    let mut writer = Writer::create(&Place::Exactly(folder.into()), &bench, start, Event::JOIN, None).unwrap();
    for (i, piece) in bytes.chunks(97).enumerate() {
        let at = start.plus(i as f64 * 0.0123);
        if i == 40 {
            writer.event(at, Event::JOIN);
        }
        if i % 50 == 10 {
            writer.mark(at, format!("mark, \"{i}\""));
        }
        writer.chunk(at, piece).unwrap();
    }
    writer.checkpoint(start.plus(seconds as f64)).unwrap();
    writer
}

#[test]
fn decoding_again_gives_the_same_readings_byte_for_byte() {
    let dir = tempfile::tempdir().unwrap();
    let folder = dir.path().join("deep/take");
    let summary = written(&folder, 12).finish(Stamp(1_750_000_012_000_000_000)).unwrap();
    assert!(summary.tally.rows > 1100 && summary.tally.messages == 3 && summary.tally.refused <= 1, "{summary:?}");
    let take = open(&folder).unwrap();
    assert_eq!(take.mended, Vec::<String>::new());
    assert_eq!(take.decode(), fs::read(folder.join(READINGS)).unwrap());
    assert_eq!(take.wire.len() as u64, summary.bytes);
    assert_eq!(take.marks.len() as u64, summary.marks);
    let json: serde_json::Value =
        serde_json::from_slice(&fs::read(folder.join(super::super::METADATA)).unwrap()).unwrap();
    assert_eq!(json["tableSchema"]["columns"][3]["schema:unitText"], "V");
    let mut table = csv::Reader::from_path(folder.join(READINGS)).unwrap();
    assert_eq!(table.headers().unwrap().len(), 9);
    assert_eq!(table.records().filter(Result::is_ok).count() as u64, summary.tally.rows);
    // The same place is never written again.
    let again = Writer::create(&Place::Exactly(folder.clone()), &Bench::default(), Stamp(0), Event::BEGIN, None);
    assert!(matches!(again, Err(TakeError::Exists(_))));
}

#[test]
fn a_tail_torn_anywhere_is_cut_and_said_and_the_rest_opens() {
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
        let take = open(&torn).unwrap();
        let readings = fs::read(torn.join(READINGS)).unwrap();
        if wire == 0 {
            assert!(!take.mended.is_empty(), "case {case} was not said");
        }
        if wire + stamps == 0 {
            assert!(readings == take.decode(), "case {case}");
            assert_eq!(open(&torn).unwrap().mended, Vec::<String>::new(), "what was mended stays mended");
        }
        assert!(full.starts_with(&take.decode()) || stamps > 0, "case {case}");
    }
}

#[test]
fn a_take_that_still_grows_is_opened_but_not_touched() {
    let dir = tempfile::tempdir().unwrap();
    let folder = dir.path().join("take");
    let writer = written(&folder, 2);
    let take = open(&folder).unwrap();
    assert!(take.mended[0].contains("still being written"));
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
    assert!(open(&folder).unwrap().mended.is_empty());

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
    assert!(said(dir.path()).contains("is not a take: it has no wire.csv"));
    assert!(said(&dir.path().join("none")).contains("cannot open"));
    for (name, text) in [(STAMPS, "offset,arrival_ns,event\r\nx,1,\r\n"), (WIRE, ""), (BENCH, "")] {
        fs::write(dir.path().join(name), text).unwrap();
    }
    assert!(said(dir.path()).contains("line 2: expected a rising offset, a time and an event, found 'x,1,'"));
}
