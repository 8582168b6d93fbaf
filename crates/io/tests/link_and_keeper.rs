//! The link and the keeper on a real pseudo-terminal: what arrives, what is kept, and what happens when things go away.

use amber_boards::Pty;
use amber_core::bench::{Bench, WireSettings};
use amber_core::keep::{Limit, Limits};
use amber_io::take::{From, Keeper, Mark, Order, Report, Summary, TakePlace, open};
use amber_io::{Command, Endpoint, Feed, HostClock, Link, LinkState, Problem};
use std::fs;
use std::io::Write;
use std::path::Path;
use std::time::{Duration, Instant};

/// Generous, for slow machines; nothing is timed by it.
const PATIENCE: Duration = Duration::from_secs(20);

fn wanted(path: &Path, baud: u32) -> Endpoint {
    Endpoint::Serial { path: path.into(), source: WireSettings { baud: Some(baud), ..WireSettings::default() } }
}

fn start(place: TakePlace, bench: Box<Bench>) -> Order {
    Order::Start { place, bench, from: From::Now }
}

struct Rig {
    pty: Pty,
    link: Link,
    keeper: Keeper,
}

impl Rig {
    fn new() -> Rig {
        let pty = Pty::open(115_200).unwrap();
        let clock = HostClock::start();
        let link = Link::start(wanted(pty.path(), 115_200), clock).unwrap();
        let keeper = Keeper::start(link.keeper.clone(), clock).unwrap();
        let mut rig = Rig { pty, link, keeper };
        rig.feed_until("the port to open", |feed| matches!(feed, Feed::Opened { .. }));
        rig
    }

    fn feed_until(&mut self, what: &str, test: impl Fn(&Feed) -> bool) -> Feed {
        let begun = Instant::now();
        while begun.elapsed() < PATIENCE {
            if let Ok(feed) = self.link.engine.recv_timeout(Duration::from_millis(100))
                && test(&feed)
            {
                return feed;
            }
        }
        panic!("waited for {what}");
    }

    fn send(&mut self, bytes: &[u8]) {
        self.pty.board.write_all(bytes).unwrap();
    }

    /// Waits until the engine has seen bytes that end like this, which the keeper was given first.
    fn seen(&mut self, end: &[u8]) {
        let begun = Instant::now();
        let mut bytes = Vec::new();
        while !bytes.ends_with(end) {
            assert!(begun.elapsed() < PATIENCE, "{:?} did not come", String::from_utf8_lossy(end));
            if let Ok(Feed::Chunk(chunk)) = self.link.engine.recv_timeout(Duration::from_millis(100)) {
                bytes.extend_from_slice(&chunk.bytes);
            }
        }
    }

    fn report(&self, what: &str, test: impl Fn(&Report) -> bool) -> Report {
        let begun = Instant::now();
        while begun.elapsed() < PATIENCE {
            match self.keeper.reports.recv_timeout(Duration::from_millis(100)) {
                Ok(report) if test(&report) => return report,
                _ => {}
            }
        }
        panic!("waited for {what}");
    }

    fn start(&self, place: TakePlace) {
        self.keeper.orders.send(start(place, Box::default())).unwrap();
    }

    fn stop(&self) -> Summary {
        self.keeper.orders.send(Order::Stop).unwrap();
        match self.report("the end of the take", |report| matches!(report, Report::Stopped(_))) {
            Report::Stopped(summary) => summary,
            _ => unreachable!(),
        }
    }
}

fn started(report: &Report) -> bool {
    matches!(report, Report::Started { .. })
}

fn rows(take: &Path) -> Vec<String> {
    let table = fs::read_to_string(take.join("readings.csv")).unwrap();
    table.lines().skip(1).map(|row| row.splitn(3, ',').nth(2).unwrap().to_owned()).collect()
}

#[test]
fn a_take_begins_with_the_line_that_is_under_way_and_ends_with_its_last_byte() {
    let dir = tempfile::tempdir().unwrap();
    let mut rig = Rig::new();
    rig.send(b"a=1 b=1\r\na=2 b=2\r\na=3 b");
    rig.seen(b"a=3 b");
    rig.start(TakePlace::Next(dir.path().into()));
    rig.report("the take", started);
    rig.send(b"=3\r\na=4 b=4\r\na=5 b=5\r\na=6");
    rig.seen(b"a=6");
    let summary = rig.stop();
    assert_eq!(summary.folder, dir.path().join("take-0001"));
    assert_eq!(fs::read(summary.folder.join("wire.bin")).unwrap(), b"a=3 b=3\r\na=4 b=4\r\na=5 b=5\r\na=6");
    assert_eq!(rows(&summary.folder), ["3,3", "4,4", "5,5"]);
    // The next one takes up the line that the first one did not see the end of, under the next number.
    rig.start(TakePlace::Next(dir.path().into()));
    rig.report("the second take", started);
    rig.send(b" b=6\r\na=7 b=7\r\na=8 b=8\r\n");
    rig.seen(b"b=8\r\n");
    let second = rig.stop();
    assert_eq!(second.folder, dir.path().join("take-0002"));
    assert_eq!(rows(&second.folder), ["6,6", "7,7", "8,8"]);
    assert_eq!(second.tally.rejected, 0);
}

#[test]
fn what_is_in_memory_can_be_part_of_a_take_that_begins_later() {
    let dir = tempfile::tempdir().unwrap();
    let mut rig = Rig::new();
    rig.send(b"a=1 b=1\r\na=2 b");
    rig.seen(b"a=2 b");
    rig.send(b"=2\r\na=3 b=3\r\na=4 b=4\r\na=");
    rig.seen(b"\na=");
    let mut bench = Box::<Bench>::default();
    bench.shared.keep.before = 3600.0;
    bench.shared.keep.stop = "6 rows".parse().unwrap();
    rig.keeper.orders.send(start(TakePlace::Next(dir.path().into()), bench.clone())).unwrap();
    let Report::Started { since, .. } = rig.report("the take", started) else { unreachable!() };
    rig.send(b"5 b=5\r\na=6 b=6\r\na=7 b=7\r\n");
    let Report::Stopped(summary) = rig.report("its end", |report| matches!(report, Report::Stopped(_))) else {
        unreachable!()
    };
    let take = open(&summary.folder).unwrap();
    assert_eq!((take.told.clone(), take.start), (Vec::new(), since));
    assert!(take.wire.to_vec().unwrap().starts_with(b"a=1 b=1\r\na=2 b=2\r\n"));
    assert_eq!(rows(&summary.folder), ["1,1", "2,2", "3,3", "4,4", "5,5", "6,6"]);
    // All that was asked for was in memory, from a moment within it on.
    bench.shared.keep.stop = "4 rows".parse().unwrap();
    rig.keeper.orders.send(start(TakePlace::Next(dir.path().into()), bench)).unwrap();
    rig.report("the end of another", |report| matches!(report, Report::Stopped(_)));
    assert_eq!(rows(&dir.path().join("take-0002")), ["1,1", "2,2", "3,3", "4,4"]);
}

#[test]
fn marks_stand_in_the_take_and_a_second_start_changes_nothing() {
    let dir = tempfile::tempdir().unwrap();
    let mut rig = Rig::new();
    let clock = HostClock::start();
    rig.start(TakePlace::Exactly(dir.path().join("x")));
    rig.report("the take", started);
    rig.start(TakePlace::Exactly(dir.path().join("y")));
    for note in ["first", "with, comma"] {
        rig.keeper
            .orders
            .send(Order::Mark(Mark { number: 0, at: clock.now(), note: note.into(), values: String::new() }))
            .unwrap();
    }
    rig.report("the second mark", |report| matches!(report, Report::Marked(Mark { number: 2, .. })));
    rig.send(b"1\n2\n3\n4\n5\n");
    rig.seen(b"5\n");
    let summary = rig.stop();
    assert_eq!(summary.marks, 2);
    assert!(!dir.path().join("y").exists());
    let take = open(&summary.folder).unwrap();
    assert_eq!(take.marks.iter().map(|mark| mark.note.as_str()).collect::<Vec<_>>(), ["first", "with, comma"]);
    // The port was opened before: the first line may be half a line, and a plain number cannot tell.
    assert_eq!(rows(&summary.folder), ["2", "3", "4", "5"]);
}

#[test]
fn a_take_that_cannot_be_made_is_said_and_the_next_one_works() {
    let dir = tempfile::tempdir().unwrap();
    fs::write(dir.path().join("file"), "").unwrap();
    fs::create_dir(dir.path().join("full")).unwrap();
    fs::write(dir.path().join("full/thesis.txt"), "years of work").unwrap();
    let mut rig = Rig::new();
    for (place, text) in [
        (TakePlace::Next(dir.path().join("file/deeper")), "cannot create"),
        (TakePlace::Exactly(dir.path().join("full")), "never overwrites"),
    ] {
        rig.start(place);
        let report = rig.report("the rejection", |report| matches!(report, Report::Failed { .. }));
        let Report::Failed { error, kept } = report else { unreachable!() };
        assert!(error.to_string().contains(text) && kept.is_none(), "{error}");
    }
    assert_eq!(fs::read_to_string(dir.path().join("full/thesis.txt")).unwrap(), "years of work");
    rig.start(TakePlace::Next(dir.path().join("new/folder")));
    rig.report("the take", started);
    rig.send(b"a=1\na=2\na=3\n");
    rig.seen(b"a=3\n");
    assert_eq!(rig.stop().tally.rows, 3);
}

#[test]
fn a_folder_that_vanishes_is_told_and_the_take_goes_on_beside_it() {
    let dir = tempfile::tempdir().unwrap();
    let mut rig = Rig::new();
    rig.start(TakePlace::Next(dir.path().into()));
    rig.report("the take", started);
    rig.send(b"a=1\na=2\na=3\na=4\n");
    rig.seen(b"a=4\n");
    fs::remove_dir_all(dir.path().join("take-0001")).unwrap();
    let report = rig.report("the failure", |report| matches!(report, Report::Renewed { .. }));
    let Report::Renewed { error, folder, .. } = report else { unreachable!() };
    assert!(error.to_string().contains("its folder was moved or deleted"), "{error}");
    assert_eq!(folder, dir.path().join("take-0001-rescued"));
    assert_eq!(rig.stop().tally.rows, 4);
}

#[test]
fn a_take_goes_on_when_the_port_is_opened_again_at_another_speed() {
    let dir = tempfile::tempdir().unwrap();
    let mut rig = Rig::new();
    rig.send(b"a=1 b=1\na=2 b=2\na=3 b=3\n");
    rig.seen(b"b=3\n");
    rig.start(TakePlace::Next(dir.path().into()));
    rig.report("the take", started);
    rig.send(b"a=4 b=4\na=5 b=5\na=6 b=6\na=7");
    rig.seen(b"a=7");
    rig.link.tell(Command::Open(Box::new(wanted(rig.pty.path(), 9600)))).unwrap();
    rig.feed_until("the port to open again", |feed| matches!(feed, Feed::Opened { .. }));
    rig.send(b"7 b=7\na=8 b=8\n");
    rig.seen(b"b=8\n");
    let summary = rig.stop();
    let take = open(&summary.folder).unwrap();
    assert!(take.pieces.iter().any(|piece| piece.event.is_some() && piece.bytes.start > 0), "the break is in wire.csv");
    assert_eq!(rows(&summary.folder), ["4,4", "5,5", "6,6", "8,8"]);
    assert_eq!(
        (summary.tally.rejected, take.decode().unwrap()),
        (0, fs::read(summary.folder.join("readings.csv")).unwrap())
    );
}

#[test]
fn ending_the_link_ends_a_running_take_properly() {
    let dir = tempfile::tempdir().unwrap();
    let mut rig = Rig::new();
    rig.start(TakePlace::Next(dir.path().into()));
    rig.report("the take", started);
    rig.send(b"a=1\na=2\na=3\n");
    rig.seen(b"a=3\n");
    let Rig { link, keeper, pty: _pty } = rig;
    drop(link);
    let stopped = keeper.join().into_iter().find_map(|report| match report {
        Report::Stopped(summary) => Some(summary),
        _ => None,
    });
    assert_eq!(stopped.unwrap().tally.rows, 3);
    assert!(open(&dir.path().join("take-0001")).unwrap().told.is_empty());
}

#[test]
fn a_board_that_goes_away_is_noticed_and_tried_again_with_growing_pauses() {
    let dir = tempfile::tempdir().unwrap();
    let pty = Pty::open(115_200).unwrap();
    // A name of our own: the device's number may soon be another's.
    let path = dir.path().join("port");
    std::os::unix::fs::symlink(pty.path(), &path).unwrap();
    let link = Link::start(wanted(&path, 115_200), HostClock::start()).unwrap();
    while !matches!(link.engine.recv_timeout(PATIENCE).unwrap(), Feed::Opened { .. }) {}
    fs::remove_file(&path).unwrap();
    drop(pty);
    let mut pauses = Vec::new();
    let begun = Instant::now();
    while pauses.len() < 3 && begun.elapsed() < PATIENCE {
        match link.engine.recv_timeout(Duration::from_millis(100)) {
            Ok(Feed::State(LinkState::Waiting { problem, pause })) => {
                let gone = [Problem::Vanished(path.clone()), Problem::Missing(path.clone())];
                assert!(gone.contains(&problem), "{problem}");
                pauses.push(pause);
            }
            Ok(Feed::State(LinkState::Open { .. })) => panic!("there is nothing to open"),
            _ => {}
        }
    }
    assert!(pauses.len() == 3 && pauses[0] < pauses[1] && pauses[1] < pauses[2], "{pauses:?}");
}

/// An engine that does not keep up loses nothing silently: what it was not given is counted, and the keeper has it all.
#[test]
fn what_the_engine_has_no_time_for_is_counted_and_kept() {
    let dir = tempfile::tempdir().unwrap();
    let mut rig = Rig::new();
    rig.start(TakePlace::Next(dir.path().into()));
    rig.report("the take", started);
    let mut sent = 0u64;
    let mut last = 0;
    // Each line is a chunk of its own or more; far more of them than the engine's channel holds.
    while sent < 60_000 {
        last += 1;
        let line = format!("n={last}\n");
        rig.send(line.as_bytes());
        sent += line.len() as u64;
        if last % 8 == 0 {
            std::thread::sleep(Duration::from_micros(200));
        }
    }
    rig.report("all bytes on disk", |report| matches!(report, Report::Saved(summary) if summary.bytes == sent));
    let (mut given, mut skipped) = (0, 0);
    rig.send(b"n=0\n");
    std::thread::sleep(Duration::from_millis(300));
    while let Ok(feed) = rig.link.engine.try_recv() {
        if let Feed::Chunk(chunk) = feed {
            given += chunk.bytes.len() as u64;
            skipped += chunk.skipped;
        }
    }
    // Room was made only now, so the count of what is still to be told travels with the next chunk.
    rig.send(b"n=0\n");
    let feed = rig.feed_until("one more chunk", |feed| matches!(feed, Feed::Chunk(_)));
    let Feed::Chunk(chunk) = feed else { unreachable!() };
    (given, skipped) = (given + chunk.bytes.len() as u64, skipped + chunk.skipped);
    assert_eq!(given + skipped, sent + 8, "{given} given, {skipped} skipped");
    let summary = rig.stop();
    let numbers: Vec<u64> = rows(&summary.folder).iter().map(|row| row.parse().unwrap()).collect();
    assert_eq!(numbers[..last as usize], (1..=last).collect::<Vec<u64>>());
}

#[test]
fn the_settings_of_the_start_hold_for_the_whole_take() {
    let dir = tempfile::tempdir().unwrap();
    let mut rig = Rig::new();
    let text = "name = \"scaled\"\n[[channel]]\nname = \"a\"\nscale = { steps = [{ is = \"offset\", by = 1.0 }, { is = \"gain\", by = 0.5, unit = \"cm\" }] }\n";
    let bench = Box::new(Bench::parse(text).unwrap());
    rig.keeper.orders.send(start(TakePlace::Next(dir.path().into()), bench)).unwrap();
    rig.report("the take", started);
    rig.send(b"a=1\na=2\na=4.5\n");
    rig.seen(b"a=4.5\n");
    let summary = rig.stop();
    assert_eq!(rows(&summary.folder), ["0", "0.5", "1.75"]);
    let take = open(&summary.folder).unwrap();
    assert_eq!(take.bench.shared.name, "scaled");
    let text = fs::read_to_string(summary.folder.join("bench.toml")).unwrap();
    assert!(text.starts_with("# The settings in force when this take began\n"), "{text}");
}

/// A take of a text file, asked for before the file is opened.
fn of_text(dir: &Path, text: &str, rows: Option<u64>) -> (Summary, String) {
    let path = dir.join("old.txt");
    fs::write(&path, text).unwrap();
    let clock = HostClock::start();
    let wanted = Endpoint::of(&WireSettings::at(&path.to_string_lossy()), None).to_its_end();
    let link = Link::start(wanted, clock).unwrap();
    let place = TakePlace::Next(dir.into());
    let mut bench = Box::<Bench>::default();
    bench.shared.keep.stop = Limits(rows.map(Limit::Rows).into_iter().collect());
    let order = Order::Start { place, bench, from: From::Opening };
    let keeper = Keeper::start_with(link.keeper.clone(), clock, Some(order)).unwrap();
    let begun = Instant::now();
    while !matches!(link.engine.recv_timeout(PATIENCE).unwrap(), Feed::Ended(_)) {
        assert!(begun.elapsed() < PATIENCE);
    }
    keeper.orders.send(Order::Stop).unwrap();
    drop(link);
    let stopped = |report| if let Report::Stopped(summary) = report { Some(summary) } else { None };
    let summary = keeper.join().into_iter().find_map(stopped).expect("the take ended properly");
    let table = fs::read_to_string(summary.folder.join("readings.csv")).unwrap();
    let take = open(&summary.folder).unwrap();
    assert_eq!(take.decode().unwrap(), table.as_bytes(), "made again from the bytes, byte for byte");
    assert!(take.told.is_empty(), "{:?}", take.told);
    (summary, table)
}

#[test]
fn a_take_of_a_text_has_every_row_from_the_first_byte_to_a_last_line_without_an_ending() {
    let dir = tempfile::tempdir().unwrap();
    let text: String = (0..300).map(|i| format!("t_ms={} gauge={}\n", i * 50, i % 11)).collect();
    let (summary, table) = of_text(dir.path(), text.trim_end(), None);
    assert_eq!((summary.tally.rows, summary.bytes), (300, text.len() as u64 - 1));
    let times: Vec<&str> = table.lines().skip(1).map(|row| row.split(',').next().unwrap()).collect();
    assert_eq!((times[0], times[1], times[299]), ("0.000000", "0.050000", "14.950000"));
    assert!(summary.tally.text_times && (summary.tally.rate().unwrap() - 20.0).abs() < 1e-9);
    assert!(table.lines().skip(1).all(|row| row.split(',').nth(1) == Some("")), "no wall clock is invented");
    // As many rows as were asked for, no more.
    let (summary, table) = of_text(dir.path(), &text, Some(120));
    assert_eq!((summary.tally.rows, table.lines().count()), (120, 121));
    let (summary, table) = of_text(dir.path(), "hello there\n", None);
    assert_eq!((summary.tally.rows, summary.tally.messages, table.as_str()), (0, 1, ""));
}
