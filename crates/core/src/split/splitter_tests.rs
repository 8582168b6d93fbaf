//! The stage fed whole, a byte at a time and cut at random, over clean and damaged streams.

use super::*;
use crate::split::{Delimiter, MAX_LINE, Plain};
use proptest::prelude::*;

#[derive(Debug, Default, PartialEq)]
struct Log(Vec<String>);

impl Sink for Log {
    fn shape(&mut self, shape: &Shape) {
        self.0.push(format!("shape {}", shape.sentence()));
    }

    fn line(&mut self, _: Stamp, outcome: LineOutcome, line: &[u8]) {
        let kind = match outcome {
            LineOutcome::Row(_) | LineOutcome::Sent => return,
            LineOutcome::Message => "message",
            LineOutcome::Half => "half",
            LineOutcome::Rejected(why) => why.text(),
        };
        self.0.push(format!("{kind} {}", String::from_utf8_lossy(&line[..line.len().min(60)])));
    }

    fn row(&mut self, _: Stamp, values: &[f64]) {
        self.0.push(format!("row {values:?}"));
    }

    fn restart(&mut self) {
        let first = self.0.iter().position(|entry| entry.starts_with("shape ")).unwrap();
        self.0.truncate(first);
    }
}

fn split(shape: Option<Shape>, join: bool, pieces: &[&[u8]]) -> Vec<String> {
    let mut splitter = Splitter::new(shape);
    if join {
        splitter.break_off();
    }
    let mut log = Log::default();
    for piece in pieces {
        splitter.feed(Stamp(0), piece, &mut log);
    }
    log.0
}

#[test]
fn labelled_lines_with_a_banner_and_every_kind_of_damage() {
    let stream = b"flume board 3, ready\r\na=1 b=2.5\r\na=2 b=2\r\nb=4, a=3\r\n\
        a=4 b=x\r\na=5\r\na=6 b=7 a=8\r\nok stroke 40\r\na=9 b=1\xff\r\na=nan b=1\r\n";
    assert_eq!(
        split(None, false, &[stream]),
        [
            "shape name=value, 2 fields on each line",
            "message flume board 3, ready",
            "row [1.0, 2.5]",
            "row [2.0, 2.0]",
            "row [3.0, 4.0]",
            "a field is not a number a=4 b=x",
            "row [5.0, NaN]",
            "a label appears twice a=6 b=7 a=8",
            "message ok stroke 40",
            "a field is not a number a=9 b=1\u{fffd}",
            "row [NaN, 1.0]",
        ]
    );
}

#[test]
fn bare_numbers_with_each_delimiter() {
    for (text, delimiter) in
        [(",", Delimiter::Comma), (" ; ", Delimiter::Semicolon), ("\t", Delimiter::Tab), ("  ", Delimiter::Spaces)]
    {
        let stream: String = (0..4).map(|i| format!("{i}{text}{}\n", i * 10)).collect();
        let log = split(None, false, &[stream.as_bytes()]);
        let shape = Shape::Plain(Plain::new(delimiter, 2)).sentence();
        assert_eq!(log[0], format!("shape {shape}"));
        assert_eq!(log[4], "row [3.0, 30.0]");
    }
    let damaged = split(None, false, &[b"1,2\n3,4\n5,6\n7\n8,9,10\n1x,2\n,5\nboard restarts\n"]);
    assert_eq!(
        damaged[4..],
        [
            "wrong number of fields 7",
            "wrong number of fields 8,9,10",
            "a field is not a number 1x,2",
            "row [NaN, 5.0]",
            "message board restarts"
        ]
    );
}

#[test]
fn the_first_half_line_is_no_damage_and_no_row() {
    let labelled = split(None, true, &[b"e_a=10 b=2\na=1 b=2\na=3 b=4\n"]);
    assert_eq!(labelled[1], "half e_a=10 b=2");
    // "10" may have been "210": a plain number cannot tell, so it is not used.
    let plain = split(None, true, &[b"10\n211\n212\n213\n"]);
    assert_eq!(plain[1..], ["half 10", "row [211.0]", "row [212.0]", "row [213.0]"]);
    // A labelled line that is complete is surely whole.
    let whole = split(None, true, &[b"a=1 b=2\na=3 b=4\na=5 b=6\n"]);
    assert_eq!(whole[1], "row [1.0, 2.0]");
}

#[test]
fn a_new_label_becomes_a_column_once_it_is_no_accident() {
    // Once the shape is settled, lines that were rejected stay rejected.
    let settled: String = (0..opinion::MOST).map(|i| format!("a={i}\n")).collect();
    let log = split(None, false, &[settled.as_bytes(), b"a=3 c=1\na=4 c=2\na=5 c=3\na=6\n"]);
    assert_eq!(
        log[opinion::MOST + 1..],
        [
            "a label not seen before a=3 c=1",
            "a label not seen before a=4 c=2",
            "shape name=value, 2 fields, not all on each line",
            "row [5.0, 3.0]",
            "row [6.0, NaN]"
        ]
    );
    // Before, the lines so far are read again.
    let log = split(None, false, &[b"a=1\na=2\na=3 c=1\na=4 c=2\na=5 c=3\na=6\n"]);
    assert_eq!(log[..2], ["shape name=value, 2 fields, not all on each line", "row [1.0, NaN]"]);
    assert_eq!(log[3..], ["row [3.0, 1.0]", "row [4.0, 2.0]", "row [5.0, 3.0]", "row [6.0, NaN]"]);
    // A label beside all the others is no damaged one of them.
    for (known, new) in [("a=1 b=2\n", "a=1 b=2 c=3\n"), ("{\"a\":1,\"b\":2}\n", "{\"a\":1,\"b\":2,\"c\":3}\n")] {
        let log = split(None, false, &[known.repeat(20).as_bytes(), new.as_bytes()]);
        assert_eq!(log.last().map(String::as_str), Some("row [1.0, 2.0, 3.0]"), "{known}");
        let log = split(None, false, &[known.repeat(20).as_bytes(), new.replace('b', "q").as_bytes()]);
        assert!(log.last().is_some_and(|last| last.starts_with("a label not seen before")), "{known}");
    }
}

/// What is left in the end, lines aside: a patient splitter gives them at another place among the rows.
fn rows_of(log: Vec<String>) -> Vec<String> {
    log.into_iter().filter(|entry| entry.starts_with("row") || entry.starts_with("shape")).collect()
}

#[test]
fn lines_that_never_agree_are_given_up_and_counted() {
    let stream: String = (1..200).map(|i| "1 ".repeat(1 + i % 2) + "\n").collect();
    let log = split(None, false, &[stream.as_bytes()]);
    assert_eq!(log.iter().filter(|l| l.starts_with("no shape found yet")).count(), 199 - opinion::MOST);
}

/// Rows, banners, damage, binary and endless lines in any order.
fn streams() -> impl Strategy<Value = Vec<u8>> {
    let line = prop_oneof![
        8 => (0..4096i32, -900..900i32).prop_map(|(a, b)| format!("a={a} b={}\r\n", f64::from(b) / 10.0).into_bytes()),
        4 => (0..4096i32, 0..2i32).prop_map(|(a, b)| format!("{a}, {b}\n").into_bytes()),
        1 => Just(b"flume board ready\r".to_vec()),
        1 => proptest::collection::vec(any::<u8>(), 0..40),
        1 => Just(vec![b'9'; MAX_LINE + 10]),
    ];
    proptest::collection::vec(line, 0..40).prop_map(|lines| lines.concat())
}

#[test]
fn a_line_that_is_no_text_is_looked_at_with_what_follows_wherever_that_is_cut_and_however_long_it_is() {
    let stream = b"a=0 b=0\r\n\x7f   a=1000 b=-10.1\r\na=10 b=10.1\r\n";
    assert_eq!(split(None, true, &[stream]), split(None, true, &stream.chunks(1).collect::<Vec<_>>()));
    for length in [MAX_LINE - 1, MAX_LINE] {
        let mut splitter = Splitter::new(None);
        let stream = [&b"ready to go\n"[..], &vec![1; length], b"\n", &[0xff; 200]].concat();
        splitter.feed(Stamp(0), &stream, &mut Log::default());
        assert!(splitter.probe.is_none(), "{length}");
    }
}

proptest! {
    #[test]
    fn the_cut_makes_no_difference(stream in streams(), cuts in proptest::collection::vec(1..60usize, 1..20)) {
        let whole = split(None, true, &[&stream]);
        let bytes: Vec<&[u8]> = stream.chunks(1).collect();
        prop_assert_eq!(&whole, &split(None, true, &bytes));
        let mut pieces = Vec::new();
        let mut rest = &stream[..];
        for cut in cuts.iter().cycle() {
            if rest.is_empty() { break }
            let (head, tail) = rest.split_at((*cut).min(rest.len()));
            pieces.push(head);
            rest = tail;
        }
        prop_assert_eq!(&whole, &split(None, true, &pieces));
    }

    /// Start-up lines that look like rows, several shapes, labels that come late: whoever waits gets the same rows.
    #[test]
    fn patience_changes_no_row(parts in proptest::collection::vec((0..6usize, 1..14usize), 1..6), seed in 0..1000usize) {
        let line = |kind: usize, i: usize| match kind {
            0 => format!("a={i} b={}\n", i * 3 % 7),
            1 => format!("{i},{},{}\n", i % 5, i % 3),
            2 => format!("load:0x3fff{:04x},len:{}\n", i, 1344 + i),
            3 => format!("a={i} b=2 c{}=1\n", i % 3),
            4 => format!("{{\"fw\":{i}}}\n"),
            _ => "board restarts\n".into(),
        };
        let stream: String =
            parts.iter().flat_map(|(kind, count)| (0..*count).map(|i| line(*kind, i + seed))).collect();
        let mut splitter = Splitter::new(None).patient();
        let mut log = Log::default();
        splitter.feed(Stamp(0), stream.as_bytes(), &mut log);
        splitter.finish(&mut log);
        let mut at_once = Splitter::new(None);
        let mut eager = Log::default();
        at_once.feed(Stamp(0), stream.as_bytes(), &mut eager);
        at_once.finish(&mut eager);
        prop_assert_eq!(log.0.len(), eager.0.len(), "every line is told by both");
        prop_assert_eq!(rows_of(log.0), rows_of(eager.0));
    }
}

#[test]
fn another_shape_is_offered_and_never_mixed_in() {
    let before: String = (0..140).map(|i| format!("{i},{}\n", i * 2)).collect();
    let after: String = (0..30).map(|i| format!("gauge={i} bed={}\n", i * 2)).collect();
    let mut splitter = Splitter::new(None);
    let mut log = Log::default();
    splitter.feed(Stamp(0), before.as_bytes(), &mut log);
    assert_eq!((splitter.sure(), splitter.proposal()), (Some(Confidence::Sure), None));
    splitter.feed(Stamp(0), after.as_bytes(), &mut log);
    assert_eq!(log.0.iter().filter(|l| l.starts_with("row")).count(), 140);
    assert_eq!(splitter.sure(), Some(Confidence::Unsure));
    assert_eq!(splitter.proposal().map(|offer| &offer.shape), Some(&Shape::labelled(["gauge", "bed"], true)));
    // The old program is back: the offer goes.
    splitter.feed(Stamp(0), before.as_bytes(), &mut log);
    assert_eq!(splitter.proposal(), None);
    // A shape that was found in the first lines by accident gives way by itself.
    let log = split(None, false, &[b"1 2\n3 4\n5 6\n", after.as_bytes()]);
    assert!(log.iter().filter(|l| l.starts_with("row")).count() > 15, "{log:?}");
}

#[test]
fn numbers_in_turn_find_their_place_again_after_a_lost_line() {
    let pinned = |typical| Shape::Plain(Plain { lines: 2, typical, ..Plain::new(Delimiter::Spaces, 1) });
    let line = |i: usize| format!("{}\n", if i.is_multiple_of(2) { i / 2 % 2 } else { 640 + i % 5 });
    let stream: String = (0..80).filter(|i| ![31, 50].contains(i)).map(line).collect();
    for (typical, join) in [(vec![], false), (vec![0.5, 642.0], true), (vec![0.5, 642.0], false)] {
        let log = split(Some(pinned(typical)), join, &[stream.as_bytes()]);
        let rows: Vec<&String> = log.iter().filter(|l| l.starts_with("row")).collect();
        assert!(rows.iter().all(|row| row.contains(", 64")), "a row mixes the columns: {rows:?}");
        assert!(rows.len() >= 34, "{}: {log:?}", rows.len());
        assert!(log.iter().any(|l| l.starts_with("out of turn")));
    }
}

#[test]
fn a_stacked_row_begins_behind_the_pause() {
    let mut splitter = Splitter::new(None);
    splitter.break_off();
    for (i, line) in (1..).zip(["=3", "b=1", "a=2", "y=3", "b=4", "a=5", "y=6", "b=7", "a=8", "y=9"]) {
        splitter.feed(Stamp(i / 3 * 1_000_000 + i), format!("{line}\n").as_bytes(), &mut Log::default());
    }
    assert_eq!(splitter.shape().map(ToString::to_string).as_deref(), Some("per-line a y b"));
}

#[test]
fn lines_that_come_evenly_begin_a_row_with_the_first_that_was_seen() {
    for labels in [&["p", "alt"][..], &["c", "b", "a"]] {
        let mut splitter = Splitter::new(None);
        splitter.open(Some(Stamp(0)));
        // A little late each time, as a system that has other things to do.
        for i in 0..12 {
            let line = format!("{}={i}\n", labels[i % labels.len()]);
            splitter.feed(Stamp(1_500_000_000 + i as i64 * 31_400_000), line.as_bytes(), &mut Log::default());
        }
        let shape = splitter.shape().map(ToString::to_string);
        assert_eq!(shape, Some(format!("per-line {}", labels.join(" "))));
    }
}

#[test]
fn what_brackets_and_words_may_say_leaves_nothing_sure() {
    let stream = |line: &dyn Fn(usize) -> String| (0..60).map(|i| line(i) + "\n").collect::<String>();
    for text in [
        // Brackets may stand for a minus.
        stream(&|i| if i % 3 == 0 { format!("({}.5)", i % 7) } else { format!("{}.5", i % 7) }),
        // Half of the rows have a word where a number should be.
        stream(&|i| if i % 7 < 4 { format!("Key: {}", ["A", "B", "C", "D"][i % 7]) } else { format!("Key: {i}") }),
    ] {
        let mut splitter = Splitter::new(None);
        splitter.feed(Stamp(0), text.as_bytes(), &mut Log::default());
        assert!(splitter.sure() < Some(Confidence::Sure), "{:?}: {text}", splitter.shape());
    }
}

#[test]
fn a_stacked_row_ends_when_its_labels_came_or_come_again() {
    let log = split(None, false, &[b"x=1\ny=2\nz=3\nx=4\ny=5\nz=6\nx=7\nz=9\nx=10\ny=\ny=11\nz=12\nboard hot\nx=13\n"]);
    assert_eq!(
        log,
        [
            "shape one labelled field a line, 3 a row",
            "row [1.0, 2.0, 3.0]",
            "row [4.0, 5.0, 6.0]",
            "row [7.0, NaN, 9.0]",
            "a field is not a number y=",
            "row [10.0, 11.0, 12.0]",
            "message board hot"
        ]
    );
}

#[test]
fn units_must_be_as_they_were_found_and_may_be_any_for_a_typed_shape() {
    let lines = b"bed: 7 mV\nbed: 8 mV\nbed: 9 V\nbed: 1\nbed: 2 mV\n";
    let found = split(None, false, &[lines]);
    assert_eq!(
        found[1..],
        ["row [7.0]", "row [8.0]", "another unit than before bed: 9 V", "another unit than before bed: 1", "row [2.0]"]
    );
    let typed = split(Some("worded bed".parse().unwrap()), false, &[lines]);
    assert_eq!(typed.len(), 5, "{typed:?}");
    assert!(typed.iter().all(|line| line.starts_with("row")), "{typed:?}");
    // A letter that slipped into a number is no unit.
    let slipped = split(None, false, &[b"bed: 71\nbed: 72\nbed: 7q.5\nbed: 73\n"]);
    assert_eq!(slipped[3..], ["another unit than before bed: 7q.5", "row [73.0]"]);
}

/// A splitter after 60 lines, and the rows that it gave.
fn after(line: &dyn Fn(u32) -> String, shape: Option<Shape>) -> (Splitter, Vec<String>) {
    let mut splitter = Splitter::new(shape);
    let mut log = Log::default();
    (0..60).for_each(|i| splitter.feed(Stamp(0), (line(i) + "\n").as_bytes(), &mut log));
    (splitter, rows_of(log.0))
}

#[test]
fn commas_and_signs_that_may_mean_something_else_are_never_sure_and_the_rival_is_offered() {
    for (line, offer, row) in [
        (&(|i: u32| format!("ADC: {},{}", 443 + i, 606 - i * 7)) as &dyn Fn(u32) -> String, "thousands", "[444599.0]"),
        (&|i| format!("{},{:03} mm", 2 + i, (311 + i * 37) % 1000), "thousands", "[3348.0]"),
        (&|i| format!("x: - {}", 837 + i), "minus", "[-838.0]"),
        (&|i| format!("tank=- {} y=3", 837 + i), "minus", "[-838.0, 3.0]"),
        (&|i| format!("{},{}", 837 + i, 200 + i), "decimal-comma", "[838.201]"),
        (&|i| format!("{},{:02}", 1 + i / 50, 70 + i % 9), "decimal-comma", "[1.71]"),
    ] {
        let (splitter, _) = after(line, None);
        assert_eq!(splitter.sure(), Some(Confidence::Unsure), "{}", line(1));
        let rival = splitter.proposal().unwrap();
        let typed = rival.shape.to_string();
        assert!(typed.contains(offer), "{}: {typed}", line(1));
        let (pinned, rows) = after(line, Some(typed.parse().unwrap()));
        assert_eq!((pinned.sure(), pinned.proposal()), (Some(Confidence::Sure), None));
        assert_eq!(rows[1], format!("row {row}"), "{}", line(1));
    }
    // Where other lines tell, nothing is doubted.
    for (line, row) in [
        (&(|i: u32| format!("S,{},{}", 837 + i, 287 - i)) as &dyn Fn(u32) -> String, "[838.0, 286.0]"),
        (&|i| format!("DATA,{},287,{}", 837 + i, 149 + i), "[838.0, 287.0, 150.0]"),
        (&|i| format!("level: {},{:02} m", 1 + i % 3, i), "[2.01]"),
        (&|i| format!("{},{}", i, i * 30), "[1.0, 30.0]"),
        (&|i| format!("{}, {}", 100 + i, 200 + i), "[101.0, 201.0]"),
        (&|i| format!("{},{}", 900 + i, i % 2), "[901.0, 1.0]"),
    ] {
        let (splitter, rows) = after(line, None);
        assert_eq!((splitter.sure(), splitter.proposal()), (Some(Confidence::Sure), None), "{}", line(1));
        assert_eq!(rows[2], format!("row {row}"), "{}", line(1));
    }
}

#[test]
fn json_lines_of_different_keys_wait_for_all_of_them_and_new_keys_come_together() {
    let names = ["flume", "bath", "hall", "sump", "tank", "pond", "lake"];
    let line = |n: usize, name: &str| format!("{{\"{name}\":{{\"row\":{n},\"level\":{}}}}}\n", 400 + n % 9);
    let turns: String = (0..20).flat_map(|n| names.map(|name| line(n, name))).collect();
    let log = split(None, false, &[turns.as_bytes()]);
    assert_eq!(log[0], "shape JSON a line, 14 values");
    assert_eq!(log.iter().filter(|entry| entry.starts_with("row ")).count(), 140, "{:?}", &log[..9]);
    // A topic that comes late costs two lines, however many keys it has.
    let late: String = (0..20).map(|n| line(n, "well")).collect();
    let log = split(None, false, &[turns.as_bytes(), late.as_bytes()]);
    assert_eq!(log.iter().filter(|entry| entry.starts_with("a label not seen before")).count(), 2);
    assert_eq!(log.iter().filter(|entry| entry.starts_with("row ")).count(), 158);
}

#[test]
fn labels_without_end_are_bounded_and_told() {
    let (splitter, rows) = after(&|i| (0..8).map(|k| format!("k{}={k} ", i * 8 + k)).collect(), None);
    assert!(splitter.shape().is_none_or(|shape| shape.columns() <= crate::split::MAX_FIELDS) && rows.len() < 60);
    let mut log = Log::default();
    let mut splitter = Splitter::new(None);
    for i in 0..3000 {
        splitter.feed(Stamp(0), format!("{{\"a\":{i},\"k{}\":1}}\n", i / 4).as_bytes(), &mut log);
    }
    splitter.finish(&mut log);
    assert_eq!(splitter.shape().map(Shape::columns), Some(crate::split::MAX_FIELDS));
    assert!(log.0.iter().any(|entry| entry.starts_with(Rejection::TooManyLabels.text())), "{:?}", log.0.last());
}

#[test]
fn a_word_that_turns_out_to_be_a_state_is_a_column_behind_the_others() {
    let line =
        |i: usize| format!("$F,{},{}\r\n", 500 + i % 7, if i < 40 { "still" } else { ["waves", "drain"][i / 9 % 2] });
    let mut splitter = Splitter::new(None);
    let mut log = Log::default();
    (0..120).for_each(|i| splitter.feed(Stamp(0), line(i).as_bytes(), &mut log));
    let shape = splitter.shape().unwrap();
    assert_eq!(
        (shape.label(0), shape.columns(), shape.codes(1)),
        ("F".into(), 2, &["still", "waves", "drain"].map(String::from)[..])
    );
    let rows: Vec<String> = rows_of(log.0).into_iter().filter(|entry| entry.starts_with("row")).collect();
    assert_eq!((rows[0].as_str(), rows[rows.len() - 1].as_str()), ("row [500.0, 0.0]", "row [500.0, 2.0]"));
    assert!(rows.len() >= 110, "{}", rows.len());
}

#[test]
fn what_comes_after_a_silence_begins_a_line() {
    let stream = "temp,hum\n".to_owned() + &"21.5,40\n".repeat(30);
    for (at, names) in [(0.1, ["field1", "field2"]), (0.5, ["temp", "hum"])] {
        let mut splitter = Splitter::new(None);
        splitter.open(Some(Stamp(0)));
        splitter.feed(Stamp(0).plus(at), stream.as_bytes(), &mut Log::default());
        let shape = splitter.shape().unwrap();
        assert_eq!([shape.label(0), shape.label(1)], names, "{at}");
    }
}

#[test]
fn a_block_that_was_asked_for_among_the_first_rows_takes_nothing_over() {
    let live = |i: usize| format!("x={i}.5 mm\r\ny=25.0 mm\r\nspeed=119 mm/s\r\n");
    // With two rows before it, what comes to the end behind it decides.
    for (before, after) in [(2, 5), (3, 2), (3, 40), (5, 2), (5, 40)] {
        let block: String = (0..10).map(|i| format!("{i} 0.{i}00 {}.0\r\n", i * 12)).collect();
        let rows = |count: usize| (0..count).map(live).collect::<String>();
        let stream = [rows(before), "history at 3.0 s\r\ni t_s x_mm\r\n".into(), block, rows(after)].concat();
        let (mut splitter, mut log) = (Splitter::new(None), Log::default());
        splitter.feed(Stamp(0), stream.as_bytes(), &mut log);
        splitter.finish(&mut log);
        let label = |shape: &Shape| (0..shape.columns()).map(|i| shape.label(i)).collect::<Vec<_>>();
        assert_eq!(
            splitter.shape().map(label),
            Some(["x", "y", "speed"].map(String::from).to_vec()),
            "{before} {after}"
        );
    }
}

#[test]
fn where_a_row_of_several_lines_begins_is_doubted_unless_a_pause_tells_it() {
    // `wait`: milliseconds before each line of a row. The first line heard is the end of the second of three.
    let run = |joined: bool, wait: [i64; 3]| {
        let (mut splitter, mut at) = (Splitter::new(None), 0);
        if joined {
            splitter.break_off();
        }
        for i in 1..200 {
            at += wait[i % 3] * 1_000_000;
            let line = format!("{}={}\n", ["zero", "mid", "last"][i % 3], 300 + i * 7 % 50);
            splitter.feed(Stamp(at), line.as_bytes(), &mut Log::default());
        }
        let first = splitter.shape().map(|shape| shape.label(0).to_owned()).unwrap();
        (first, splitter.sure().unwrap(), splitter.uncertain().is_some())
    };
    assert_eq!(run(true, [10, 10, 10]), ("last".into(), Confidence::Likely, true));
    assert_eq!(run(true, [90, 2, 2]), ("zero".into(), Confidence::Sure, false));
    assert_eq!(run(false, [10, 10, 10]), ("mid".into(), Confidence::Sure, false), "the first line that was sent");

    // The first pauses hide it: later ones say that rows begin elsewhere, which is offered.
    let mut splitter = Splitter::new(None);
    for i in 0..200 {
        let at = if i < 9 { i * 50 } else { 450 + (i + 1) / 3 * 100 } * 1_000_000;
        let line = format!("{}={}\n", ["a", "b", "c"][i as usize % 3], 300 + i * 7 % 50);
        splitter.feed(Stamp(at), line.as_bytes(), &mut Log::default());
    }
    let offer = splitter.proposal().map(|offer| (offer.shape.label(0), offer.why.as_str()));
    assert_eq!(offer, Some(("c".to_owned(), "the board pauses before 'c'")));
    assert_eq!((splitter.shape().unwrap().label(0), splitter.sure()), ("a".to_owned(), Some(Confidence::Unsure)));
}
