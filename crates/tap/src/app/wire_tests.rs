//! The wire and split stages from the keyboard: several sources, lines, talk, shapes, names, times.

use super::tests::{START, app, feed, picture, press, replace, typed, watched};
use super::*;
use crate::session::*;
use amber_core::bench::Words;
use amber_core::chain::Chain;
use amber_core::clock::Time;
use amber_core::split::Shape;
use amber_core::store::Limits;
use amber_io::LinkState;
use amber_io::{Chunk, Problem, Tried};
use crossterm::event::{KeyCode, KeyModifiers};
use jiff::tz::TimeZone;
use std::time::Duration;

fn bare() -> App {
    let mut app =
        App::live(Chain::new(&Bench::default(), 0, Limits::default()), Default::default(), "out".into(), None, START);
    app.session.zone = TimeZone::UTC;
    app.session.size = (160, 47);
    app.update(START, Message::Feed(0, Feed::State(LinkState::open_at(9600))));
    app
}

fn keys(app: &mut App, keys: &str) {
    keys.chars().for_each(|key| drop(press(app, KeyCode::Char(key))));
}

#[test]
fn two_sources_share_the_chart_and_each_keeps_its_own_wire() {
    let source = |name: &str| {
        let source =
            amber_core::bench::WireSettings { name: name.into(), ..amber_core::bench::WireSettings::at("/dev/x") };
        Chain::new(
            &Bench::of(amber_core::bench::SourceSettings { wire: source, ..Default::default() }),
            0,
            Limits::default(),
        )
    };
    let mut app = App::live(source("near"), Default::default(), "out".into(), None, START);
    app = app.beside([(source("far"), Source::Live { link: LinkState::Opening })]);
    (app.session.zone, app.session.size) = (TimeZone::UTC, (160, 47));
    for place in 0..2 {
        app.update(START, Message::Feed(place, Feed::State(LinkState::open_at(9600))));
        app.update(
            START,
            Message::Feed(place, Feed::Opened { at: START, opening: amber_core::clock::Opening::Link, within: false }),
        );
    }
    for i in 0..300 {
        let at = START.plus(f64::from(i) * 0.01);
        for (place, line) in
            [format!("gauge={}\n", 100 + i % 7), format!("{},{}\n", 900 - i % 5, i % 2)].iter().enumerate()
        {
            let chunk = Chunk { at, bytes: line.as_bytes().into(), skipped: 0 };
            app.update(at, Message::Feed(place, Feed::Chunk(chunk)));
        }
    }
    let titles: Vec<String> = app.session.channel_ids().map(|id| app.session.title(id)).collect();
    assert_eq!(titles, ["near.gauge", "far.field1", "far.field2"]);
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("near.gauge") && text.contains("far.field1") && text.contains("gauge=105"), "{text}");
    assert!(!app.session.unsaved(), "what was merely found is nothing to save");
    // Choosing a channel of the other source takes that source to hand.
    press(&mut app, KeyCode::Tab);
    assert_eq!((app.session.selected, app.session.own(0)), (ChannelId { source: 1, channel: 0 }, app.session.selected));
    keys(&mut app, "2");
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("2 plain numbers, comma between") && text.contains("of far"), "{text}");
    keys(&mut app, "3a");
    press(&mut app, KeyCode::Enter);
    let bench = app.session.bench();
    assert_eq!(bench.sources[1].channel("field1").and_then(|c| c.scale.volts_per_count()), Some(3.3 / 4096.0));
    assert_eq!((bench.first().wire.name.as_str(), bench.sources[1].wire.name.as_str()), ("near", "far"));
    keys(&mut app, "1\\");
    assert_eq!(app.session.place(), 0);
    // What is kept is set once for both, is saved, and is undone.
    app.go_to_row(Stage::Keep, "values in takes");
    press(&mut app, KeyCode::Right);
    assert!(app.session.pinned_benches().iter().all(|bench| bench.shared.keep.raw));
    assert!(app.session.bench().new_file("x").contains("[keep]\nraw = true"));
    keys(&mut app, "u");
    assert!(app.session.pinned_benches().iter().all(|bench| !bench.shared.keep.raw));
    // One take of both, in one folder; it has ended when both have.
    let effects = press(&mut app, KeyCode::Char('t'));
    let [Request::StartTake { benches, .. }] = &effects[..] else { panic!("{effects:?}") };
    assert_eq!(benches.len(), 2);
    assert_eq!(benches[1].first().channel("field1").and_then(|c| c.scale.volts_per_count()), Some(3.3 / 4096.0));
    for (place, name) in ["near", "far"].iter().enumerate() {
        app.update(
            app.session.now,
            Message::Report(
                place,
                Report::Started { folder: format!("out/take-0001/{name}").into(), since: app.session.now },
            ),
        );
    }
    let Taking::Yes { folder, .. } = &app.session.taking else { panic!("{:?}", app.session.taking) };
    assert_eq!(folder, &PathBuf::from("out/take-0001"));
    let summary = |rows| amber_io::take::Summary {
        folder: "out/take-0001/x".into(),
        size: 0,
        parts: 1,
        bytes: 10,
        tally: amber_io::take::Tally { rows, ..Default::default() },
        marks: 0,
        seconds: 3.0,
        troubles: Vec::new(),
    };
    app.update(app.session.now, Message::Report(1, Report::Stopped(summary(3))));
    assert!(app.session.taking.runs());
    app.update(app.session.now, Message::Report(0, Report::Stopped(summary(4))));
    assert!(!app.session.taking.runs());
    assert!(app.session.notice.as_ref().is_some_and(|notice| notice.text.contains("take-0001 ended: 7 rows, 20 B")));
}

#[test]
fn lines_are_read_as_text_or_bytes_filtered_searched_and_copied() {
    let mut app = watched(3);
    keys(&mut app, "vlxx");
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("wire: text and bytes, every line") && text.contains("74 5F 75 73 3D"), "{text}");
    keys(&mut app, "xf");
    assert!(replace(&mut app, "/t_us=1\\d{6} /").is_empty());
    let found = app.rooms.lines.cursor().and_then(|number| app.session.chain().tail().line(number)).unwrap();
    assert!(found.bytes.starts_with(b"t_us=1990000 "), "{:?}", String::from_utf8_lossy(found.bytes));
    keys(&mut app, "nn");
    let copied = press(&mut app, KeyCode::Char('c'));
    assert!(matches!(&copied[..], [Request::Copy(text)] if text.starts_with("t_us=1970000 ")), "{copied:?}");
    // The lines stand although rows go on, and the chart is not held by it.
    assert!(picture(&mut app, 160, 47).contains(", held;") || picture(&mut app, 160, 47).contains(" held"));
    assert!(!app.session.is_held());
    press(&mut app, KeyCode::Home);
    let first = picture(&mut app, 160, 47);
    assert!(first.contains("» wave flume board"), "{first}");
    press(&mut app, KeyCode::End);
    keys(&mut app, "o");
    replace(&mut app, "READY");
    let only = picture(&mut app, 160, 47);
    assert!(only.contains("ready: send ? for help") && !only.contains("t_us=2"), "{only}");
    keys(&mut app, "o");
    assert!(replace(&mut app, "/(/").is_empty());
    assert!(picture(&mut app, 160, 47).contains("unclosed group"));
    press(&mut app, KeyCode::Esc);
    keys(&mut app, "o");
    replace(&mut app, "");
    // At a pace of two lines a second most lines are left out, and counted.
    (0..4).for_each(|_| keys(&mut app, ","));
    for step in 0..200 {
        let at = app.session.now.plus(0.01);
        feed(&mut app, at, format!("t_us={step} gauge_a=1 gauge_b=1 bed=1 paddle=0 pump=0 sump=1\r\n").as_bytes());
        app.before_frame(at);
    }
    let slow = picture(&mut app, 160, 47);
    assert!(slow.contains("2 lines a second") && slow.matches("+49").count() >= 2, "{slow}");
    press(&mut app, KeyCode::Esc);
    assert_eq!(app.view, RoomId::Chart);
}

#[test]
fn what_is_said_to_the_board_is_sent_kept_with_a_name_and_repeated() {
    let mut app = watched(1);
    keys(&mut app, ":");
    typed(&mut app, "stroke 40");
    press(&mut app, KeyCode::Tab);
    let sent = press(&mut app, KeyCode::Enter);
    assert_eq!(sent, [Request::Tell(0, LinkOrder::Send(b"stroke 40\r\n".to_vec()))]);
    app.update(
        app.session.now,
        Message::Feed(0, Feed::Sent { at: app.session.now, bytes: b"stroke 40\r\n"[..].into() }),
    );
    // It stands in the list, from where it is named and repeated.
    press(&mut app, KeyCode::Down);
    let control = |app: &mut App, key| {
        app.update(app.session.now, Message::Key(KeyEvent::new(KeyCode::Char(key), KeyModifiers::CONTROL)))
    };
    control(&mut app, 'n');
    replace(&mut app, "long waves");
    assert_eq!(app.session.bench().shared.command[0].name, "long waves");
    press(&mut app, KeyCode::Down);
    control(&mut app, 'e');
    replace(&mut app, "0.5");
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("long waves") && text.contains("every 500 ms") && text.contains("← "), "{text}");
    let due = |app: &mut App, seconds: f64| app.rooms.talk.due(app.session.now.plus(seconds)).len();
    assert_eq!(
        [due(&mut app, 0.0), due(&mut app, 0.1), due(&mut app, 0.5), due(&mut app, 9.0), due(&mut app, 9.1)],
        [1, 0, 1, 1, 0]
    );
    assert!(app.rooms.talk.next_due(app.session.now).is_some_and(|seconds| seconds > 9.0));
    typed(&mut app, "zz");
    assert!(!picture(&mut app, 160, 47).contains("long waves"), "the list has only what the typed text is in");
    (0..2).for_each(|_| drop(press(&mut app, KeyCode::Tab)));
    assert!(control(&mut app, 'u').is_empty());
    (0..1).for_each(|_| drop(press(&mut app, KeyCode::Tab)));
    typed(&mut app, "02 zz");
    assert!(press(&mut app, KeyCode::Enter).is_empty());
    assert!(
        app.session.notice.as_ref().is_some_and(|notice| notice.text.contains("bytes in hexadecimal")),
        "{:?}",
        app.session.notice
    );
    press(&mut app, KeyCode::Esc);
    assert!(app.overlays.is_empty());
}

#[test]
fn a_shape_of_all_lines_is_taken_channels_are_named_moved_and_given_words() {
    let mut app = bare();
    for i in 0..40 {
        feed(&mut app, START.plus(f64::from(i) * 0.05), format!("{}\n{}\n", i / 4 % 3, 640 + i % 9).as_bytes());
    }
    keys(&mut app, "2");
    assert!(matches!(app.session.chain().shape(), Some(Shape::Plain(bare)) if bare.lines == 2));
    assert_eq!(app.session.chain().store().rows().end, 40, "the first lines were split again");
    // The panel's first settings are those of the shape; then each channel.
    app.go_to_row(Stage::Split, "A field1");
    press(&mut app, KeyCode::Enter);
    replace(&mut app, "valve, old");
    assert!(picture(&mut app, 160, 47).contains("without commas"));
    replace(&mut app, "valve");
    keys(&mut app, "#");
    replace(&mut app, "0 shut, 1 half, 2 open wide");
    let text = picture(&mut app, 160, 47);
    assert!(
        text.contains("A valve") && text.contains("code") && text.contains("shut") && text.contains("└B field2"),
        "{text}"
    );
    keys(&mut app, ">");
    assert_eq!(
        (
            app.session.selected.channel,
            app.session.title(app.session.own(0)).as_str(),
            app.session.title(app.session.own(1)).as_str()
        ),
        (1, "field2", "valve")
    );
    let bench = app.session.bench();
    assert_eq!(
        (bench.first().channel[1].title.as_str(), bench.first().channel[1].words.word(2.0)),
        ("valve", Some("open wide"))
    );
    assert!(app.session.unsaved());
    // A shape can be typed, and what is no shape says why.
    app.go_to_row(Stage::Split, "pinned shape");
    press(&mut app, KeyCode::Enter);
    replace(&mut app, "plain comma");
    assert!(picture(&mut app, 160, 47).contains("how many numbers are on a line"));
    replace(&mut app, "plain spaces 1");
    assert_eq!(app.session.chain().store().rows().end, 80);
}

#[test]
fn the_wire_panel_sets_the_line_tells_the_time_and_lends_the_port() {
    let mut app = app();
    let mut board = amber_boards::Flume::new(amber_boards::Programme::Waves, 1);
    for step in 1..=1200u64 {
        let mut bytes = Vec::new();
        amber_boards::Board::run(&mut board, std::time::Duration::from_millis(step * 10), &mut bytes);
        feed(&mut app, START.plus(step as f64 * 0.01), &bytes);
    }
    keys(&mut app, "1");
    let text = picture(&mut app, 160, 60);
    for part in ["row time", "board's clock t_us, µs, detected", "yes, to 50 Hz", "interval, median", "ppm"] {
        assert!(text.contains(part), "{part} is not in\n{text}");
    }
    app.go_to_row(Stage::Wire, "baud rate");
    let effects = press(&mut app, KeyCode::Left);
    assert!(matches!(&effects[..], [Request::Open(0, source)] if source.baud == Some(57_600)), "{effects:?}");
    press(&mut app, KeyCode::Enter);
    let effects = replace(&mut app, "");
    assert!(matches!(&effects[..], [Request::Open(0, source)] if source.baud.is_none()), "{effects:?}");
    app.go_to_row(Stage::Wire, "parity");
    let effects = press(&mut app, KeyCode::Right);
    assert!(matches!(&effects[..], [Request::Open(0, source)] if source.framing() == "8E1"), "{effects:?}");
    app.go_to_row(Stage::Wire, "row time");
    (0..2).for_each(|_| drop(press(&mut app, KeyCode::Right)));
    assert_eq!(app.session.chain().timer().rule(), &Time::Even);
    (0..2).for_each(|_| drop(press(&mut app, KeyCode::Right)));
    assert_eq!(app.session.chain().timer().rule(), &Time::Rate { hz: 100.0 });
    let heard = amber_core::split::judge(b"\na=1\na=2\n");
    let tried = vec![Tried { baud: 9600, heard }];
    app.update(
        app.session.now,
        Message::Feed(0, Feed::State(LinkState::Open { baud: Some(9600), tried, usb: Some("77".into()) })),
    );
    app.update(app.session.now, Message::Feed(0, Feed::Unkept(120)));
    let text = picture(&mut app, 160, 60);
    assert!(
        text.contains("9600, detected") && text.contains("100 % text, 2 of 2 lines") && text.contains("120 B"),
        "{text}"
    );
    assert_eq!(app.session.bench().first().wire.usb, "77");
    let lend = press(&mut app, KeyCode::Char('L'));
    assert_eq!(lend, [Request::Tell(0, LinkOrder::Lend { back: true })]);
    app.update(app.session.now, Message::Feed(0, Feed::State(LinkState::Lent { back: true, in_use: true })));
    assert!(picture(&mut app, 160, 47).contains("↗ lent, in use"));
    assert_eq!(press(&mut app, KeyCode::Char('L')), [Request::Tell(0, LinkOrder::TakeBack)]);
    assert_eq!(press(&mut app, KeyCode::Char('R')), [Request::Tell(0, LinkOrder::Reset)]);
    assert_eq!(press(&mut app, KeyCode::Char('B')), [Request::Tell(0, LinkOrder::FindBaud)]);
}

#[test]
fn the_panels_of_wire_and_split_and_the_lines_at_a_common_size() {
    let mut app = watched(12);
    let mut shots = String::new();
    for key in ["1", "2"] {
        keys(&mut app, key);
        shots += &picture(&mut app, 130, 45);
    }
    press(&mut app, KeyCode::Esc);
    keys(&mut app, "vlx");
    shots += &picture(&mut app, 100, 24);
    insta::assert_snapshot!(shots);
}

#[test]
fn lines_talk_and_panels_can_be_drawn_at_every_size() {
    let mut app = watched(2);
    for (width, height) in [(1, 1), (60, 16), (61, 17), (80, 24), (110, 30), (300, 90)] {
        for open in ["1", "2", "vl", "x", "x", "f", "/", ":"] {
            keys(&mut app, open);
            picture(&mut app, width, height);
            if matches!(open, "f" | "/" | ":") {
                press(&mut app, KeyCode::Esc);
            }
        }
        press(&mut app, KeyCode::Esc);
        press(&mut app, KeyCode::Esc);
    }
    assert!(app.overlays.is_empty());
}

#[test]
fn hostile_lines_are_safe_in_every_view() {
    let mut app = bare();
    let lines =
        [&b"a=1\na=2\na=3\n"[..], b"\x1b]0;owned\x07 a=\x9b31m\n", b"\xe2\x80\xae\xff\xfe\n", b"{\"\x1b\":1}\n"];
    for (i, line) in lines.iter().cycle().take(40).enumerate() {
        feed(&mut app, START.plus(i as f64 * 0.01), line);
    }
    for open in ["2", "vl", "x", "x"] {
        keys(&mut app, open);
        let text = picture(&mut app, 140, 45);
        assert!(!text.chars().any(|c| c.is_control() && c != '\n'), "{text}");
        assert!(text.contains("AMBER TAP"));
    }
    // Neither is what is copied or sent shown as it is.
    keys(&mut app, "f");
    replace(&mut app, "owned");
    let copied = press(&mut app, KeyCode::Char('c'));
    let [Request::Copy(text)] = &copied[..] else { panic!("{copied:?}") };
    assert!(text.contains("␛]0;owned␇") && !text.contains('\x1b'));
}

#[test]
fn a_take_of_a_stream_with_sendings_and_another_shape_opens_the_same() {
    let dir = tempfile::tempdir().unwrap();
    let place = amber_io::take::TakePlace::Exactly(dir.path().join("x"));
    let mut writer =
        amber_io::take::Writer::create(&place, &Bench::default(), START, amber_io::take::Event::BEGIN).unwrap();
    for i in 0..30 {
        let at = START.plus(f64::from(i) * 0.05);
        writer.chunk(at, format!("{}\n{}\n", i / 4 % 2, 640 + i % 9).as_bytes()).unwrap();
        if i == 12 {
            writer.sent(at, b"valve open\r\n").unwrap();
        }
    }
    writer.finish(START.plus(2.0)).unwrap();
    let take = amber_io::take::open(&dir.path().join("x")).unwrap();
    let mut app = App::take(chain_of(&take, &take.bench, 0).unwrap(), take.bench.shared.clone(), take, None);
    (app.session.zone, app.session.size) = (TimeZone::UTC, (160, 47));
    assert_eq!(app.session.chain().store().rows().end, 30);
    keys(&mut app, "vlo");
    replace(&mut app, "valve");
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("←  sent  valve open"), "{text}");
    press(&mut app, KeyCode::Esc);
    keys(&mut app, "2");
    app.go_to_row(Stage::Split, "pinned shape");
    press(&mut app, KeyCode::Enter);
    replace(&mut app, "plain spaces 1");
    assert_eq!(app.session.chain().store().rows().end, 60, "the whole take was split again");
    assert_eq!(app.session.chain().store().raw(0, 59), Some(642.0));
    press(&mut app, KeyCode::Esc);
    keys(&mut app, "1");
    for key in ["B", "R", "L", ":"] {
        keys(&mut app, key);
        assert!(app.overlays.is_empty() && app.session.notice.as_ref().is_some_and(|notice| notice.bad), "{key}");
    }
}

#[test]
fn a_figure_of_two_sources_has_the_traces_of_both() {
    let source = |name: &str| {
        let source =
            amber_core::bench::WireSettings { name: name.into(), ..amber_core::bench::WireSettings::at("/dev/x") };
        Chain::new(
            &Bench::of(amber_core::bench::SourceSettings { wire: source, ..Default::default() }),
            0,
            Limits::default(),
        )
    };
    let app = App::live(source("near"), Default::default(), "out".into(), None, START);
    let mut app = app.beside([(source("far"), Source::Live { link: LinkState::Opening })]);
    app.session.zone = TimeZone::UTC;
    for i in 0..200u32 {
        let at = START.plus(f64::from(i) * 0.05);
        for place in 0..2 {
            let line = format!("level={} gate={}\n", 100 * (place + 1) + i as usize % 9, i / 20 % 2);
            app.update(at, Message::Feed(place, Feed::Chunk(Chunk { at, bytes: line.as_bytes().into(), skipped: 0 })));
        }
        app.before_frame(at);
    }
    let figure = crate::figure::of(&app.session);
    let names: Vec<&str> = figure.lanes[0].traces.iter().map(|trace| trace.name.as_str()).collect();
    assert_eq!(names, ["near.level", "far.level"]);
    assert_eq!(figure.logic.iter().map(|lane| lane.name.as_str()).collect::<Vec<_>>(), ["near.gate", "far.gate"]);
    let most = |trace: usize| figure.lanes[0].traces[trace].runs.iter().flatten().map(|(_, v)| *v).fold(0.0, f64::max);
    assert_eq!((most(0), most(1)), (108.0, 208.0));
    // The limits hold both.
    let (low, high) = figure.lanes[0].limits;
    assert!(low <= 100.0 && high >= 208.0, "{low} to {high}");
}

#[test]
fn what_came_before_the_port_went_away_is_old() {
    let mut app = bare();
    // A gauge at rest, a pump that is on, a code with words.
    for i in 0..800 {
        let line = format!("gauge={} pump=1 state=2\n", 1200 + i % 2);
        feed(&mut app, START.plus(f64::from(i) * 0.01), line.as_bytes());
    }
    let at = START.plus(8.0);
    app.before_frame(at);
    app.session.select(app.session.own(2));
    let _ = app.session.edit_channel(|channel| channel.words = Words::parse("2 running").unwrap());
    app.session.select(app.session.own(0));
    app.session.refresh_soon();
    app.before_frame(at);
    let live = picture(&mut app, 160, 47);
    assert!(live.contains("rows/s") && live.contains("A gauge =") && !live.contains(" old"), "{live}");
    assert!(app.session.settled(app.session.selected).is_some());
    // In `n` and in the chain a code has its word.
    app.session.select(app.session.own(2));
    keys(&mut app, "vn");
    let number = picture(&mut app, 100, 30);
    assert!(number.contains("code 2 = running") && number.contains("2 = running"), "{number}");
    keys(&mut app, "vc");
    app.session.select(app.session.own(0));
    for state in [
        LinkState::Lent { back: true, in_use: true },
        LinkState::Waiting { problem: Problem::NotATty("/dev/x".into()), pause: Duration::from_secs(1) },
        // Open again, and silent: still what came before.
        LinkState::open_at(115_200),
    ] {
        app.update(at, Message::Feed(0, Feed::State(state.clone())));
        app.before_frame(START.plus(20.0));
        let old = picture(&mut app, 160, 47);
        assert_eq!(old.matches("12 s old").count(), 3, "{state:?}: each channel\n{old}");
        assert!(old.contains("no rows ") && !old.contains("rows/s"), "{old}");
        assert!(app.session.settled(app.session.selected).is_none());
        keys(&mut app, "z");
        let notice = app.session.notice.take().map(|notice| notice.text).unwrap_or_default();
        assert!(notice.contains("not settled"), "{notice}");
        for (view, width, height) in [("vn", 100, 30), ("vd", 100, 30), ("vc", 60, 16)] {
            keys(&mut app, view);
            assert!(picture(&mut app, width, height).contains("12 s old"), "{view}");
        }
        app.session.notice = None;
    }
    // What is held is looked at on purpose, and the next row ends it.
    keys(&mut app, " ");
    app.before_frame(START.plus(20.0));
    assert!(!picture(&mut app, 160, 47).contains(" old"));
    keys(&mut app, " ");
    feed(&mut app, START.plus(20.0), b"gauge=1200 pump=1 state=2\n");
    app.session.refresh_soon();
    app.before_frame(START.plus(20.1));
    assert!(!picture(&mut app, 160, 47).contains("12 s old"));
}
