//! What a link does beside reading: finding the speed, sending, resetting, lending, and watching texts.

use amber_boards::{Board, Pty, ServedBoard, by_name, serve};
use amber_core::bench::{Bench, WireSettings};
use amber_core::clock::Opening;
use amber_io::take::{Event, From, Keeper, Order, Report, TakePlace, open};
use amber_io::{Command, Endpoint, Feed, HostClock, Link, LinkState};
use std::fs;
use std::io::Write;
use std::path::Path;
use std::time::{Duration, Instant};

/// Generous, for slow machines; nothing is timed by it.
const PATIENCE: Duration = Duration::from_secs(30);

fn start(place: TakePlace) -> Order {
    Order::Start { place, bench: Box::default(), from: From::Now }
}

fn port(path: &Path, baud: Option<u32>) -> Endpoint {
    Endpoint::Serial { path: path.into(), source: WireSettings { baud, ..WireSettings::default() } }
}

/// A board by name, and a link to it.
fn board(name: &str, baud: Option<u32>) -> (ServedBoard, Link) {
    let board = serve(by_name(name, 1).unwrap()).unwrap();
    let link = Link::start(port(board.path(), baud), HostClock::start()).unwrap();
    (board, link)
}

/// Waits until `test` has found what it waits for in what comes.
fn until<T>(link: &Link, what: &str, mut test: impl FnMut(&Feed) -> Option<T>) -> T {
    let begun = Instant::now();
    while begun.elapsed() < PATIENCE {
        // Nobody keeps anything here.
        while link.keeper.try_recv().is_ok() {}
        if let Ok(feed) = link.engine.recv_timeout(Duration::from_millis(50))
            && let Some(found) = test(&feed)
        {
            return found;
        }
    }
    panic!("waited for {what}");
}

/// Waits for bytes with `text` in them.
fn text(link: &Link, text: &str) {
    texts(link, &[text]);
}

/// Waits for bytes with each of `texts` in them, one behind the other: they may come in one piece.
fn texts(link: &Link, texts: &[&str]) {
    let (mut seen, mut left) = (Vec::new(), texts);
    until(link, &texts.join(", then "), |feed| {
        if let Feed::Chunk(chunk) = feed {
            seen.extend_from_slice(&chunk.bytes);
        }
        while let [text, later @ ..] = left
            && let Some(at) = seen.windows(text.len()).position(|window| window == text.as_bytes())
        {
            seen.drain(..at + text.len());
            left = later;
        }
        left.is_empty().then_some(())
    });
}

#[test]
fn the_speed_of_each_board_is_found_by_listening() {
    for (name, baud) in [("twin", 9600), ("chatter", 57_600), ("notes", 115_200)] {
        let (_board, link) = board(name, None);
        let mut unkept = 0;
        let tried = until(&link, "a speed", |feed| match feed {
            Feed::Unkept(bytes) => {
                unkept += bytes;
                None
            }
            Feed::State(LinkState::Open { baud: Some(_), tried, .. }) => Some(tried.clone()),
            _ => None,
        });
        let last = tried.last().unwrap();
        assert_eq!(last.baud, baud, "{name}: {tried:?}");
        assert!(last.heard.score() > 0.85 && tried[..tried.len() - 1].iter().all(|t| t.heard.score() < 0.35));
        assert_eq!(unkept > 0, tried.len() > 1, "what was heard at other speeds is counted");
        // It can be overruled, and found again.
        link.tell(Command::Open(Box::new(port(Path::new("/dev/null"), Some(300))))).unwrap();
        until(&link, "the other port", |feed| matches!(feed, Feed::State(LinkState::Waiting { .. })).then_some(()));
    }
}

/// A thermometer that says one short line every two seconds.
struct Rare {
    said: u64,
}

impl Board for Rare {
    fn baud(&self) -> u32 {
        9600
    }

    fn reset(&mut self) {
        self.said = 0;
    }

    fn run(&mut self, now: Duration, out: &mut Vec<u8>) {
        while self.due() <= now {
            out.extend_from_slice(format!("{}.{}\r\n", 20 + self.said % 3, self.said % 10).as_bytes());
            self.said += 1;
        }
    }

    fn due(&self) -> Duration {
        Duration::from_secs(2 * (self.said + 1))
    }

    fn hear(&mut self, _: &[u8], _: &mut Vec<u8>) {}
}

#[test]
fn a_board_that_sends_rarely_is_found_by_its_first_two_lines_at_its_speed_and_they_are_kept() {
    let board = serve(Box::new(Rare { said: 0 })).unwrap();
    let link = Link::start(port(board.path(), None), HostClock::start()).unwrap();
    let (mut tried, mut lines) = (Vec::new(), Vec::new());
    until(&link, "two lines", |feed| {
        match feed {
            Feed::State(LinkState::Open { tried: found, .. }) => tried = found.clone(),
            Feed::Chunk(chunk) => lines.extend_from_slice(&chunk.bytes),
            _ => {}
        }
        (lines.iter().filter(|b| **b == b'\n').count() >= 2).then_some(())
    });
    let speeds: Vec<u32> = tried.iter().map(|tried| tried.baud).collect();
    // Its first line was heard at another speed, the next two tell, and both are there.
    assert_eq!((speeds, lines.as_slice()), (vec![115_200, 9600], &b"21.1\r\n22.2\r\n"[..]));
}

#[test]
fn the_board_hears_what_is_sent_and_a_take_tells_it_apart() {
    let dir = tempfile::tempdir().unwrap();
    let clock = HostClock::start();
    let board = serve(by_name("flume", 1).unwrap()).unwrap();
    let link = Link::start(port(board.path(), Some(115_200)), clock).unwrap();
    let keeper = Keeper::start(link.keeper.clone(), clock).unwrap();
    keeper.orders.send(start(TakePlace::Exactly(dir.path().join("x")))).unwrap();
    let wait = |what: &str, test: &dyn Fn(&Feed) -> bool| {
        let begun = Instant::now();
        while !link.engine.recv_timeout(Duration::from_millis(100)).is_ok_and(|feed| test(&feed)) {
            assert!(begun.elapsed() < PATIENCE, "waited for {what}");
        }
    };
    wait("rows", &|feed| matches!(feed, Feed::Chunk(_)));
    link.tell(Command::Send(b"stroke 7\r\n\x1b[2J".to_vec())).unwrap();
    wait("the sending", &|feed| matches!(feed, Feed::Sent { bytes, .. } if bytes.starts_with(b"stroke")));
    let heard =
        |feed: &Feed| matches!(feed, Feed::Chunk(chunk) if chunk.bytes.windows(11).any(|w| w == b"ok stroke 7"));
    wait("the answer", &heard);
    keeper.orders.send(Order::Stop).unwrap();
    while !matches!(keeper.reports.recv_timeout(PATIENCE).unwrap(), Report::Stopped(_)) {}
    let take = open(&dir.path().join("x")).unwrap();
    assert_eq!(take.sent.len(), 1);
    assert_eq!(take.sent[0].bytes, b"stroke 7\r\n\x1b[2J");
    let table = fs::read(dir.path().join("x/sent.csv")).unwrap();
    assert!(!table.contains(&0x1b), "what was sent is safe to look at");
    assert!(
        take.wire.to_vec().unwrap().windows(11).any(|w| w == b"ok stroke 7")
            && !take.wire.to_vec().unwrap().windows(4).any(|w| w == b"\x1b[2J")
    );
}

#[test]
fn what_cannot_be_done_now_is_refused_with_a_reason() {
    let gone = Link::start(port(Path::new("/dev/no-such-port"), Some(9600)), HostClock::start()).unwrap();
    until(&gone, "the port's absence", |feed| matches!(feed, Feed::State(LinkState::Waiting { .. })).then_some(()));
    for (command, said) in [(Command::Reset, "not reset"), (Command::Send(b"x".to_vec()), "not sent")] {
        gone.tell(command).unwrap();
        until(&gone, said, |feed| matches!(feed, Feed::NotDone(why) if why.starts_with(said)).then_some(()));
    }
    let dir = tempfile::tempdir().unwrap();
    fs::write(dir.path().join("text"), "a=1\n").unwrap();
    let file = Endpoint::Text { path: dir.path().join("text"), grows: false };
    let text = Link::start(file, HostClock::start()).unwrap();
    for (command, said) in
        [(Command::FindBaud, "the baud rate is not detected"), (Command::Lend { back: true }, "not lent")]
    {
        text.tell(command).unwrap();
        until(&text, said, |feed| matches!(feed, Feed::NotDone(why) if why.starts_with(said)).then_some(()));
    }
}

#[test]
fn a_board_is_reset_on_purpose() {
    let (_board, link) = board("flume", Some(115_200));
    text(&link, "t_us=500000 ");
    link.tell(Command::Reset).unwrap();
    texts(&link, &["ready: send ? for help", "t_us=10000 "]);
}

#[test]
fn a_lent_port_comes_back_by_itself_when_the_other_program_is_done() {
    let (board, link) = board("flume", Some(115_200));
    text(&link, "gauge_a=");
    link.tell(Command::Lend { back: true }).unwrap();
    let lent = |in_use: bool| {
        move |feed: &Feed| {
            let found = matches!(feed, Feed::State(LinkState::Lent { in_use: now, .. }) if *now == in_use);
            found.then_some(())
        }
    };
    until(&link, "the port to be free", lent(false));
    // Sending meanwhile is rejected and said.
    link.tell(Command::Send(b"x".to_vec())).unwrap();
    until(&link, "the rejection", |feed| matches!(feed, Feed::NotDone(_)).then_some(()));
    let mut other =
        std::process::Command::new("sleep").arg("60").stdin(fs::File::open(board.path()).unwrap()).spawn().unwrap();
    until(&link, "the other program to be seen", lent(true));
    other.kill().unwrap();
    other.wait().unwrap();
    until(&link, "the port again", |feed| matches!(feed, Feed::State(LinkState::Open { .. })).then_some(()));
    text(&link, "gauge_a=");
    // And it is taken back when told to.
    link.tell(Command::Lend { back: false }).unwrap();
    until(&link, "the port to be free", lent(false));
    link.tell(Command::TakeBack).unwrap();
    until(&link, "the port again", |feed| matches!(feed, Feed::Opened { .. }).then_some(()));
}

#[test]
fn a_text_file_is_read_and_followed_as_it_grows_and_when_it_is_begun_anew() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("readings.txt");
    fs::write(&path, "a=1\na=2\na=3\n").unwrap();
    let link = Link::start(Endpoint::of(&WireSettings::at(&path.to_string_lossy()), None), HostClock::start()).unwrap();
    let begun = until(&link, "its beginning", |feed| match feed {
        Feed::Opened { opening: Opening::Text { at, arrives: false }, .. } => Some(*at),
        _ => None,
    });
    let first = until(&link, "its first line", |feed| match feed {
        Feed::Chunk(chunk) => Some(chunk.clone()),
        _ => None,
    });
    assert_eq!((&first.bytes[..], first.at >= begun), (&b"a=1\na=2\na=3\n"[..], true));
    // Let it be seen that there is no more for now.
    std::thread::sleep(Duration::from_millis(200));
    fs::OpenOptions::new().append(true).open(&path).unwrap().write_all(b"a=4\n").unwrap();
    until(&link, "its growth", |feed| matches!(feed, Feed::Opened { opening: Opening::Grows(_), .. }).then_some(()));
    text(&link, "a=4");
    fs::write(&path, "b=1\n").unwrap();
    until(&link, "its new beginning", |feed| {
        matches!(feed, Feed::Opened { opening: Opening::Text { .. }, .. }).then_some(())
    });
    text(&link, "b=1");
    link.tell(Command::Send(b"x".to_vec())).unwrap();
    until(&link, "the rejection", |feed| matches!(feed, Feed::NotDone(_)).then_some(()));
}

#[test]
fn a_board_that_vanishes_again_and_again_costs_no_byte_that_arrived() {
    let dir = tempfile::tempdir().unwrap();
    let clock = HostClock::start();
    let board = serve(amber_boards::hasty_gremlin(1, 0.05)).unwrap();
    let link = Link::start(port(board.path(), Some(115_200)), clock).unwrap();
    let keeper = Keeper::start(link.keeper.clone(), clock).unwrap();
    let place = TakePlace::Exactly(dir.path().join("x"));
    keeper.orders.send(start(place)).unwrap();
    while !matches!(keeper.reports.recv_timeout(PATIENCE).unwrap(), Report::Started { .. }) {}
    let (mut joins, mut arrived) = (0, Vec::new());
    let begun = Instant::now();
    let threads = || fs::read_dir("/proc/self/task").unwrap().count();
    while joins < 8 {
        assert!(begun.elapsed() < PATIENCE, "{joins} returns");
        match link.engine.recv_timeout(Duration::from_millis(100)) {
            Ok(Feed::Opened { .. }) => joins += 1,
            Ok(Feed::Chunk(chunk)) => {
                assert_eq!(chunk.skipped, 0, "this engine keeps up");
                arrived.extend_from_slice(&chunk.bytes);
            }
            _ => {}
        }
    }
    assert!(threads() < 60, "threads do not pile up");
    drop(link);
    keeper.join();
    let wire = fs::read(dir.path().join("x/wire.bin")).unwrap();
    // The take may have begun after the first bytes, and went on after this test stopped listening.
    let start = arrived.windows(64).position(|window| wire.starts_with(window)).unwrap();
    let common = (arrived.len() - start).min(wire.len());
    assert!(common > 300_000, "{common} bytes");
    assert!(arrived[start..start + common] == wire[..common], "what arrived is what was kept");
    let take = open(&dir.path().join("x")).unwrap();
    assert!(
        take.pieces.iter().filter(|piece| piece.event == Some(Event::JOIN)).count() >= 7,
        "each return is a break in the take"
    );
}

#[test]
fn a_silent_port_is_waited_for_and_can_be_left() {
    let pty = Pty::open(115_200).unwrap();
    let link = Link::start(port(pty.path(), None), HostClock::start()).unwrap();
    until(&link, "listening", |feed| matches!(feed, Feed::State(LinkState::Finding { .. })).then_some(()));
    link.tell(Command::Open(Box::new(port(Path::new("/dev/no-such-port"), None)))).unwrap();
    until(&link, "the other port", |feed| matches!(feed, Feed::State(LinkState::Waiting { .. })).then_some(()));
}

#[test]
fn a_long_text_is_not_lost_by_an_engine_that_is_slow() {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("long.txt");
    let text: String = (0..30_000).map(|i| format!("gauge={i}\n")).collect();
    fs::write(&path, &text).unwrap();
    let link = Link::start(Endpoint::of(&WireSettings::at(&path.to_string_lossy()), None), HostClock::start()).unwrap();
    let mut arrived = Vec::new();
    let begun = Instant::now();
    let mut last = None;
    while arrived.len() < text.len() {
        assert!(begun.elapsed() < PATIENCE, "{} of {} bytes", arrived.len(), text.len());
        if arrived.len() < 50_000 {
            std::thread::sleep(Duration::from_micros(200));
        }
        while link.keeper.try_recv().is_ok() {}
        if let Ok(Feed::Chunk(chunk)) = link.engine.recv_timeout(Duration::from_millis(50)) {
            assert_eq!(chunk.skipped, 0);
            assert!(last.is_none_or(|last| chunk.at >= last), "stamps never run backwards");
            last = Some(chunk.at);
            arrived.extend_from_slice(&chunk.bytes);
        }
    }
    assert!(arrived == text.as_bytes());
}

#[test]
fn a_take_of_several_sources_opens_as_one_and_a_torn_sent_file_is_told() {
    let dir = tempfile::tempdir().unwrap();
    let start = amber_core::Stamp(1_780_000_000_000_000_000);
    for name in ["right", "left"] {
        let place = TakePlace::Exactly(dir.path().join("take-0001").join(name));
        let mut writer = amber_io::take::Writer::create(&place, &Bench::default(), start, Event::BEGIN).unwrap();
        for i in 0..10 {
            writer.chunk(start.plus(f64::from(i)), format!("{name}={i}\n").as_bytes()).unwrap();
        }
        writer.sent(start.plus(3.0), b"go\n").unwrap();
        writer.sent(start.plus(4.0), b"stop\n").unwrap();
        writer.finish(start.plus(10.0)).unwrap();
    }
    let folder = dir.path().join("take-0001");
    let sent = folder.join("left/sent.csv");
    let whole = fs::read(&sent).unwrap();
    fs::write(&sent, &whole[..whole.len() - 12]).unwrap();
    let takes = amber_io::take::open_all(&folder).unwrap();
    let names: Vec<&str> = takes.iter().map(|(name, _)| name.as_str()).collect();
    assert_eq!(names, ["left", "right"]);
    assert_eq!((takes[0].1.sent.len(), takes[1].1.sent.len()), (1, 2));
    assert!(takes[0].1.told[0].starts_with("sent.csv: its last line is incomplete"), "{:?}", takes[0].1.told);
    drop(takes);
    for mending in amber_io::take::mend_all(&folder).unwrap() {
        mending.carry_out().unwrap();
    }
    assert!(amber_io::take::open_all(&folder).unwrap()[0].1.told.is_empty(), "it is mended for good");
    assert_eq!(amber_io::take::open_all(&folder.join("right")).unwrap()[0].0, "", "one alone has no name");
    assert!(amber_io::take::open_all(dir.path()).is_err(), "a folder of folders of takes is none");
    let next = amber_io::take::next_folder(dir.path()).unwrap();
    assert_eq!(next, dir.path().join("take-0002"));
}

/// A board that says something once, and then no more.
struct Once {
    text: String,
    is_said: bool,
}

impl Board for Once {
    fn baud(&self) -> u32 {
        115_200
    }

    fn reset(&mut self) {}

    fn run(&mut self, now: Duration, out: &mut Vec<u8>) {
        if now >= self.due() && !std::mem::replace(&mut self.is_said, true) {
            out.extend_from_slice(self.text.as_bytes());
        }
    }

    fn due(&self) -> Duration {
        Duration::from_millis(if self.is_said { 1_000_000 } else { 400 })
    }

    fn hear(&mut self, _: &[u8], _: &mut Vec<u8>) {}
}

/// A take of a board whose speed nobody knows, from its first byte on, until `is_enough` of what is saved.
fn heard(board: Box<dyn Board>, folder: &Path, is_enough: impl Fn(&amber_io::take::Summary) -> bool) {
    let board = serve(board).unwrap();
    let clock = HostClock::start();
    let link = Link::start(port(board.path(), None), clock).unwrap();
    let order = Order::Start { place: TakePlace::Exactly(folder.into()), bench: Box::default(), from: From::Opening };
    let keeper = Keeper::start_with(link.keeper.clone(), clock, [order]).unwrap();
    let begun = Instant::now();
    loop {
        assert!(begun.elapsed() < PATIENCE, "nothing was saved");
        // The engine's channel is not looked at.
        link.engine.try_iter().for_each(drop);
        match keeper.reports.recv_timeout(Duration::from_millis(50)) {
            Ok(Report::Saved(summary)) if is_enough(&summary) => break,
            _ => {}
        }
    }
    keeper.orders.send(Order::Stop).unwrap();
    drop(link);
    keeper.join();
}

#[test]
fn what_is_heard_while_the_speed_is_being_found_is_in_the_take_and_read_where_it_can_be() {
    let dir = tempfile::tempdir().unwrap();
    let folder = dir.path().join("slow");
    heard(by_name("twin", 1).unwrap(), &folder, |summary| summary.tally.rows > 5);
    let file = |name: &str| String::from_utf8_lossy(&fs::read(folder.join(name)).unwrap()).into_owned();
    let stamps = file("wire.csv");
    for word in ["listen 115200", "listen 9600", "speed 9600"] {
        assert!(stamps.contains(word), "{word}: {stamps}");
    }
    assert!(file("gaps.csv").contains("not read"), "{}", file("gaps.csv"));
    let take = open(&folder).unwrap();
    assert!(
        take.told.iter().any(|told| told.contains("came at wrong baud rates while it was detected")),
        "{:?}",
        take.told
    );
    assert_eq!(take.decode().unwrap(), fs::read(folder.join("readings.csv")).unwrap());
    // One that ends before anything was sure is read as what looks most like what boards send.
    for (text, rows) in
        [("a=1 b=2\na=3 b=4\n".repeat(3), 6), ("hello from the flume\n".repeat(6) + &"a=1\n".repeat(4), 4)]
    {
        let folder = dir.path().join(format!("once-{rows}"));
        let length = text.len() as u64;
        heard(Box::new(Once { text, is_said: false }), &folder, |summary| summary.bytes >= length);
        let take = open(&folder).unwrap();
        let table = String::from_utf8(take.decode().unwrap()).unwrap();
        assert_eq!(table, fs::read_to_string(folder.join("readings.csv")).unwrap());
        assert_eq!(table.lines().count(), rows + 1, "{table}");
    }
}
