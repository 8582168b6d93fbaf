//! Takes by a plan, whatever the plan, the pieces and the moment: against tables worked out row by row.

#![allow(missing_docs)]

use amber_core::Stamp;
use amber_core::bench::Bench;
use amber_core::clock::Time;
use amber_core::keep::{Pace, Statistic};
use amber_io::take::{Decoder, Event, From, Keeper, Order, Report, TakePlace, Writer, mend_all, open};
use amber_io::{Chunk, Feed, HostClock};
use proptest::prelude::*;
use std::fs;
use std::path::Path;

const START: Stamp = Stamp(1_790_000_000_000_000_000);

/// Rows of two channels and a word, with gaps, at uneven times.
fn rows() -> impl Strategy<Value = Vec<(u32, i32, Option<i32>)>> {
    let row = (1..400u32, -2000..4096i32, proptest::option::weighted(0.9, 0..50i32));
    proptest::collection::vec(row, 8..120)
}

/// The rows as lines with the times at which they arrive, in seconds.
fn lines(rows: &[(u32, i32, Option<i32>)]) -> Vec<(f64, String)> {
    let mut at = 0.0;
    let line = |(later, a, b): &(u32, i32, Option<i32>)| {
        at += f64::from(*later) * 0.001;
        let b = b.map_or("nan".to_owned(), |b| format!("{}.5", b));
        (at, format!("a={a} b={b}\n"))
    };
    rows.iter().map(line).collect()
}

fn bench(pace: &Pace, decimal_comma: bool) -> Bench {
    let mut bench = Bench::default();
    bench.shared.keep.pace = pace.clone();
    bench.shared.keep.decimal_comma = decimal_comma;
    bench.sources[0].time = Time::Arrival;
    bench
}

fn table(bench: &Bench, lines: &[(f64, String)]) -> Vec<Vec<String>> {
    let mut decoder = Decoder::new(bench, START);
    lines.iter().for_each(|(at, line)| decoder.feed(START.plus(*at), line.as_bytes()));
    decoder.finish();
    let text = String::from_utf8(decoder.take_output()).unwrap();
    let delimiter = if bench.shared.keep.decimal_comma { ';' } else { ',' };
    let cell = |cell: &str| if delimiter == ';' { cell.replace(',', ".") } else { cell.to_owned() };
    text.lines().map(|line| line.split(delimiter).map(cell).collect()).collect()
}

fn number(cell: &str) -> f64 {
    if cell.is_empty() { f64::NAN } else { cell.parse().unwrap() }
}

/// What values come to, worked out plainly; NaN without any.
fn plainly(values: &[f64], statistic: Statistic) -> f64 {
    let sound: Vec<f64> = values.iter().copied().filter(|value| !value.is_nan()).collect();
    match statistic {
        _ if sound.is_empty() => f64::NAN,
        Statistic::Last => sound[sound.len() - 1],
        Statistic::Mean => sound.iter().sum::<f64>() / sound.len() as f64,
        Statistic::Min => sound.iter().copied().fold(f64::INFINITY, f64::min),
        Statistic::Max => sound.iter().copied().fold(f64::NEG_INFINITY, f64::max),
    }
}

fn statistics() -> impl Strategy<Value = Vec<Statistic>> {
    proptest::sample::subsequence(Statistic::ALL.to_vec(), 1..=4).prop_shuffle()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, ..ProptestConfig::default() })]

    #[test]
    fn a_row_for_a_stretch_is_what_its_rows_come_to(
        rows in rows(), millis in 2..3000u32, values in statistics(), decimal_comma: bool,
    ) {
        let lines = lines(&rows);
        let all = table(&bench(&Pace::default(), false), &lines);
        let seconds = f64::from(millis) * 0.001;
        let found = table(&bench(&Pace::Each { seconds, values: values.clone() }, decimal_comma), &lines);
        let names: Vec<String> = ["a", "b"]
            .iter()
            .flat_map(|name| values.iter().map(move |value| format!("{name}_{}", value.name())))
            .collect();
        prop_assert_eq!(&found[0][..3], ["time_s", "wall_clock", "rows"]);
        prop_assert_eq!(&found[0][3..], &names[..]);
        let mut stretches: Vec<(i64, Vec<&Vec<String>>)> = Vec::new();
        for row in &all[1..] {
            // Times are written to the microsecond, and so are the ends of stretches here.
            let micros = (number(&row[0]) * 1e6).round() as i64;
            let stretch = micros.div_euclid(i64::from(millis) * 1000);
            match stretches.last_mut() {
                Some((last, rows)) if *last == stretch => rows.push(row),
                _ => stretches.push((stretch, vec![row])),
            }
        }
        prop_assert_eq!(found.len(), stretches.len() + 1, "{:?}", found);
        for (row, (stretch, own)) in found[1..].iter().zip(&stretches) {
            prop_assert!((number(&row[0]) - *stretch as f64 * seconds).abs() < 2e-6, "{row:?}");
            prop_assert_eq!(row[2].parse::<usize>().unwrap(), own.len());
            let mut cells = row[3..].iter();
            for column in [2, 3] {
                let of: Vec<f64> = own.iter().map(|row| number(&row[column])).collect();
                for value in &values {
                    let (cell, plain) = (number(cells.next().unwrap()), plainly(&of, *value));
                    let is_same = (cell.is_nan() && plain.is_nan()) || (cell - plain).abs() <= 1e-9 * plain.abs().max(1.0);
                    prop_assert!(is_same, "{:?}: {cell} for {plain}", value);
                }
            }
        }
    }

    #[test]
    fn every_so_many_rows_are_those_rows(rows in rows(), every in 1..50u64) {
        let lines = lines(&rows);
        let all = table(&bench(&Pace::default(), false), &lines);
        let found = table(&bench(&Pace::Every(every), false), &lines);
        let wanted: Vec<&Vec<String>> = all[1..].iter().step_by(every as usize).collect();
        prop_assert_eq!(&found[0], &all[0]);
        prop_assert_eq!(found[1..].iter().collect::<Vec<_>>(), wanted);
    }

    /// However long the parts, however the bytes are cut, wherever the end is torn off.
    #[test]
    fn parts_are_joined_torn_and_mended(
        rows in rows(), size in 10_000..14_000u64, cut in 1..90usize, torn in 0.0..1.0f64, repeat in 8..20usize,
    ) {
        let dir = tempfile::tempdir().unwrap();
        let text: String = lines(&rows).into_iter().map(|(_, line)| line).collect::<String>().repeat(repeat);
        let write = |name: &str, parts: &str| {
            let folder = dir.path().join(name);
            let mut bench = bench(&Pace::default(), false);
            bench.shared.keep.parts = parts.parse().unwrap();
            let mut writer = Writer::create(&TakePlace::Exactly(folder.clone()), &bench, START, Event::BEGIN).unwrap();
            for (i, piece) in text.as_bytes().chunks(cut).enumerate() {
                writer.chunk(START.plus(i as f64 * 0.003), piece).unwrap();
            }
            writer.finish(START.plus(1000.0)).unwrap();
            folder
        };
        let (whole, parted) = (write("whole", "one"), write("parted", &format!("{size} B")));
        for (stem, ending) in [("readings", "csv"), ("wire", "bin"), ("wire", "csv")] {
            let one = fs::read(whole.join(format!("{stem}.{ending}"))).unwrap();
            prop_assert!(joined(&parted, stem, ending) == one, "{stem}.{ending}");
        }
        // The last table is torn; the bytes make it whole again.
        let last = (1..).take_while(|part| parted.join(name("readings", "csv", *part)).is_file()).last().unwrap();
        let path = parted.join(name("readings", "csv", last));
        let own = fs::read(&path).unwrap();
        fs::write(&path, &own[..(own.len() as f64 * torn) as usize]).unwrap();
        let before = open(&parted).unwrap().decode().unwrap();
        for mending in mend_all(&parted).unwrap() {
            mending.carry_out().unwrap();
        }
        prop_assert!(joined(&parted, "readings", "csv") == before);
        prop_assert!(before == fs::read(whole.join("readings.csv")).unwrap());
    }
}

fn name(stem: &str, ending: &str, part: u32) -> String {
    if part == 1 { format!("{stem}.{ending}") } else { format!("{stem}-{part:04}.{ending}") }
}

fn joined(folder: &Path, stem: &str, ending: &str) -> Vec<u8> {
    let mut all = Vec::new();
    for part in 1.. {
        let Ok(text) = fs::read(folder.join(name(stem, ending, part))) else { return all };
        let has_header = ending == "csv" && !all.is_empty();
        let header = text.iter().position(|byte| *byte == b'\n').filter(|_| has_header).map_or(0, |end| end + 1);
        all.extend_from_slice(&text[header..]);
    }
    all
}

#[test]
fn a_take_ends_by_itself_at_the_first_of_its_limits() {
    let dir = tempfile::tempdir().unwrap();
    for (limits, rows) in [("1 s", 100), ("30 rows", 30), ("30 kB", 0), ("1 s, 30 rows", 30), ("50 rows, 0.2 s", 20)] {
        let mut bench = bench(&Pace::default(), false);
        bench.shared.keep.stop = limits.parse().unwrap();
        let place = TakePlace::Exactly(dir.path().join(limits));
        let mut writer = Writer::create(&place, &bench, START, Event::BEGIN).unwrap();
        for i in 0..2000 {
            let at = START.plus(f64::from(i) * 0.01);
            if writer.is_full(at) {
                break;
            }
            writer.chunk(at, format!("a={i} b=2\n").as_bytes()).unwrap();
        }
        let summary = writer.finish(START.plus(5.0)).unwrap();
        match rows {
            0 => assert!((30_000..33_000).contains(&summary.size) && summary.tally.rows > 200, "{summary:?}"),
            rows => assert_eq!(summary.tally.rows, rows, "{limits}"),
        }
    }
}

/// Takes that begin before they were asked for hold exactly what came since then, whole lines, with openings, sendings and
/// gaps between.
#[test]
fn what_came_before_the_start_is_in_the_take_from_the_moment_that_was_asked_for() {
    let dir = tempfile::tempdir().unwrap();
    let clock = HostClock::start();
    let (give, feed) = crossbeam_channel::bounded(10_000);
    let keeper = Keeper::start(feed, clock).unwrap();
    let now = clock.now();
    // A row each 100 ms of the last minute; a line is cut at each second; the port is opened again half a minute ago.
    for i in 0..600u32 {
        let at = now.plus(-60.0 + f64::from(i) * 0.1);
        let text = format!("n={i} m={}\n", i * 2);
        if i == 300 {
            give.send(Feed::Opened { at, opening: amber_core::clock::Opening::Link, within: false }).unwrap();
            give.send(Feed::Sent { at, bytes: (*b"go\n").into() }).unwrap();
        }
        let cut = if i % 10 == 9 { text.len() / 2 } else { text.len() };
        for part in [&text[..cut], &text[cut..]].into_iter().filter(|part| !part.is_empty()) {
            give.send(Feed::Chunk(Chunk { at, bytes: part.as_bytes().into(), skipped: 0 })).unwrap();
        }
    }
    while !give.is_empty() {
        std::thread::sleep(std::time::Duration::from_millis(5));
    }
    for (number, before, first) in [(1, 10.0, 500), (2, 45.05, 150), (3, 3600.0, 0)] {
        let mut bench = bench(&Pace::default(), false);
        bench.shared.keep.before = before;
        let place = TakePlace::Next(dir.path().into());
        keeper.orders.send(Order::Start { place, bench: Box::new(bench), from: From::Now }).unwrap();
        keeper.orders.send(Order::Stop).unwrap();
        let since = loop {
            if let Report::Started { since, .. } = keeper.reports.recv().unwrap() {
                break since;
            }
        };
        while !matches!(keeper.reports.recv().unwrap(), Report::Stopped(_)) {}
        let folder = dir.path().join(format!("take-{number:04}"));
        let take = open(&folder).unwrap();
        assert_eq!((take.told.clone(), take.start), (Vec::<String>::new(), since), "{before}");
        let table = fs::read_to_string(folder.join("readings.csv")).unwrap();
        let numbers: Vec<u32> =
            table.lines().skip(1).map(|row| row.split(',').nth(2).unwrap().parse().unwrap()).collect();
        // The clock went on while the rows were given: at most a few of them are older by now.
        let begin = numbers[0];
        assert!((first..first + 30).contains(&begin), "{before}: from {begin}");
        assert!(numbers.iter().copied().eq(begin..600), "{numbers:?}");
        assert_eq!(take.decode().unwrap(), table.as_bytes());
        assert_eq!(take.sent.len(), usize::from(begin <= 300), "what was sent meanwhile is in it");
        assert_eq!(folder.join("gaps.csv").is_file(), begin <= 300, "and the break");
    }
    drop(give);
    keeper.join();
}
