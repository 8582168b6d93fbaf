//! Plans of takes, stations, the list of takes, the comparison and playing, driven by keys.

use super::tests::{START, app_of, picture, press, typed, watched};
use super::*;
use crate::session::*;
use amber_core::bench::Bench;
use amber_io::take::{Event, TakePlace, Writer};
use amber_io::{BrokerState, PublishState};
use crossterm::event::KeyCode;
use std::time::Duration;

const FLUME: &str = include_str!("../../assets/flume.bench.toml");

/// The flume watched from one twentieth of a second to another, as the program's loop does it.
fn watch(app: &mut App, board: &mut dyn amber_boards::Board, steps: std::ops::Range<u64>) -> Vec<Request> {
    let mut all = Vec::new();
    for step in steps.start + 1..=steps.end {
        let mut bytes = Vec::new();
        board.run(Duration::from_millis(step * 50), &mut bytes);
        let at = START.plus(step as f64 * 0.05);
        let chunk = amber_io::Chunk { at, bytes: bytes.into(), skipped: 0 };
        all.extend(app.update(at, Message::Feed(0, Feed::Chunk(chunk))));
        all.extend(app.session.follow_plan(at));
        app.before_frame(at);
    }
    all
}

fn starts(requests: &[Request]) -> usize {
    requests.iter().filter(|request| matches!(request, Request::StartTake { .. })).count()
}

fn set(app: &mut App, name: &str, text: &str) {
    app.go_to_row(Stage::Keep, name);
    press(app, KeyCode::Enter);
    typed(app, text);
    press(app, KeyCode::Enter);
    assert!(app.overlays.is_empty(), "{name} {text}: {}", picture(app, 160, 47));
    press(app, KeyCode::Esc);
}

#[test]
fn a_take_waits_for_its_time_or_its_event_and_can_be_called_off() {
    let mut app = app_of(FLUME);
    let mut board = amber_boards::by_name("flume", 5).unwrap();
    watch(&mut app, &mut *board, 0..40);
    set(&mut app, "take starts", "in 2 s");
    assert_eq!(starts(&press(&mut app, KeyCode::Char('t'))), 0);
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("○ take starts in 0:02"), "{text}");
    press(&mut app, KeyCode::Char('t'));
    assert!(matches!(app.session.taking, Taking::No), "the key calls it off");
    press(&mut app, KeyCode::Char('t'));
    assert_eq!(starts(&watch(&mut app, &mut *board, 40..79)), 0);
    assert_eq!(starts(&watch(&mut app, &mut *board, 79..82)), 1);
    app.session.taking = Taking::No;
    // A time of the day is the next one, here 90 s on, past midnight as well.
    for (text, seconds) in [("at 20:28:14", 90.0), ("at 20:26:43", 86_399.0)] {
        app.session.now = START.plus(4.0);
        app.session.zone = jiff::tz::TimeZone::UTC;
        assert_eq!(app.session.wall(app.session.now, "%H:%M:%S"), "20:26:44", "when the tests begin");
        set(&mut app, "take starts", text);
        press(&mut app, KeyCode::Char('t'));
        let Taking::Waiting { until: Some(until) } = app.session.taking else { panic!("{:?}", app.session.taking) };
        assert!((until.seconds_since(app.session.now) - seconds).abs() < 0.1, "{text}");
        press(&mut app, KeyCode::Char('t'));
    }
    // A condition that is not there is told, and no take waits for it for ever.
    set(&mut app, "take starts", "on flood");
    press(&mut app, KeyCode::Char('t'));
    assert!(matches!(app.session.taking, Taking::No));
    assert!(app.session.notice.as_ref().unwrap().text.contains("no condition flood"));
}

#[test]
fn what_is_published_follows_the_settings_that_it_is_made_of() {
    let mut app = app_of(FLUME);
    let mut board = amber_boards::by_name("flume", 5).unwrap();
    watch(&mut app, &mut *board, 0..40);
    let orders = |requests: &[Request]| {
        let plan = |request: &Request| match request {
            Request::Publish { plan, benches } => Some((plan.rows.to_string(), benches[0].sources[0].channel.len())),
            _ => None,
        };
        requests.iter().filter_map(plan).collect::<Vec<_>>()
    };
    app.bring(RoomId::of_stage(Stage::Keep));
    assert_eq!(orders(&press(&mut app, KeyCode::Char('p'))), [], "nowhere");
    press(&mut app, KeyCode::Esc);
    set(&mut app, "publish to", "mqtt://lab.local/flume");
    app.bring(RoomId::of_stage(Stage::Keep));
    let begun = orders(&press(&mut app, KeyCode::Char('p')));
    assert_eq!((begun.len(), begun[0].0.as_str()), (1, "every row"));
    assert_eq!(orders(&watch(&mut app, &mut *board, 40..80)), [], "nothing changed");
    // What is shown is not what is published; a pace, and a scale, are.
    app.session.edit_shared(|shared| shared.screen.span = 7.0);
    assert_eq!(orders(&watch(&mut app, &mut *board, 80..120)), []);
    set(&mut app, "rows published", "1 s mean");
    assert_eq!(orders(&watch(&mut app, &mut *board, 120..135)), [], "it may be edited further");
    assert_eq!(orders(&watch(&mut app, &mut *board, 135..160)), [("1 s mean".to_owned(), begun[0].1)]);
    // How it stands is told once, and stands in the title and the panel.
    let state = |broker, lost| PublishState { broker, delivered: 1204, waiting: 7, lost, ..PublishState::default() };
    assert!(app.session.hear_publisher(state(BrokerState::Connected, 0)));
    assert!(!app.session.hear_publisher(state(BrokerState::Connected, 0)));
    assert!(picture(&mut app, 160, 47).contains("published 1 204"));
    assert!(app.session.hear_publisher(state(BrokerState::Waiting("gone\u{9}".into()), 3)));
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("broker away: 7 wait, 3 lost") && text.contains("3 messages lost"), "{text}");
    // Another address, as by undoing, ends it.
    app.session.edit_shared(|shared| shared.publish.to = None);
    let requests = watch(&mut app, &mut *board, 160..200);
    assert!(requests.contains(&Request::StopPublishing) && orders(&requests).is_empty());
    app.session.publishing_ended(Ok(state(BrokerState::Connected, 3)));
    let told = &app.session.notice.as_ref().unwrap().text;
    assert_eq!(told, "publishing ended: 1 204 messages delivered, 7 on the disk for the next time, 3 lost");
}

#[test]
fn events_begin_and_end_a_take_and_the_plan_is_told_with_its_size() {
    let bench = include_str!("../../assets/pump.bench.toml");
    let mut app = app_of(bench);
    let mut board = amber_boards::by_name("flume-pump", 5).unwrap();
    let name = app.session.chain().conditions().settings()[0].name.clone();
    watch(&mut app, &mut *board, 0..20);
    set(&mut app, "take starts", &format!("on {name}"));
    set(&mut app, "take ends", "10 min, 1 GB");
    press(&mut app, KeyCode::Char('t'));
    assert_eq!(starts(&watch(&mut app, &mut *board, 20..140)), 1, "{name}");
    let since = app.session.now;
    let started = amber_io::take::Report::Started { folder: "out/take-0001".into(), since };
    app.update(since, Message::Report(0, started));
    typed(&mut app, "6");
    let text = picture(&mut app, 160, 60);
    assert!(text.contains("or up to 1.00 GB") && text.contains("time left"), "{text}");
    let (told, fits) = app.session.expected();
    assert!(told.starts_with("about ") && told.contains("MB") && fits, "{told}");
    set(&mut app, "take ends", &format!("on {name}"));
    let requests = {
        board.hear(b"pump on\n", &mut Vec::new());
        let dry = watch(&mut app, &mut *board, 140..500);
        board.hear(b"pump off\n", &mut Vec::new());
        [dry, watch(&mut app, &mut *board, 500..1500)].concat()
    };
    assert!(requests.contains(&Request::StopTake), "{requests:?}");
}

#[test]
fn a_station_is_one_key_and_can_be_named_taken_again_and_told_from_what_is_held() {
    let mut app = app_of(FLUME);
    let mut board = amber_boards::by_name("flume", 5).unwrap();
    watch(&mut app, &mut *board, 0..40);
    typed(&mut app, "N");
    assert!(app.session.station_progress().unwrap().contains("station 1: 0 of 100 rows"));
    watch(&mut app, &mut *board, 40..70);
    let station = app.session.stations.list[0].clone();
    let own = station.readings.iter().find(|reading| reading.channel == "gauge_a").unwrap();
    assert_eq!((station.number, own.rows, own.unit.as_str()), (1, 100, "mm"));
    assert!((own.mean - 100.0).abs() < 0.5 && own.deviation < 1.0, "{own:?}");
    assert!(station.readings.iter().all(|reading| reading.channel != "t_us"), "clocks say nothing here");
    // Of a held picture, what is there counts at once.
    press(&mut app, KeyCode::Char(' '));
    typed(&mut app, "vo");
    typed(&mut app, "N");
    assert_eq!(app.session.stations.list.len(), 2);
    press(&mut app, KeyCode::Enter);
    typed(&mut app, "left wall");
    press(&mut app, KeyCode::Enter);
    assert_eq!(app.session.stations.list[1].name, "left wall");
    typed(&mut app, "r");
    assert_eq!((app.session.stations.list.len(), app.session.stations.list[1].name.as_str()), (2, "left wall"));
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("left wall") && text.contains("each: 100 rows"), "{text}");
    typed(&mut app, "e");
    typed(&mut app, "next level");
    press(&mut app, KeyCode::Enter);
    typed(&mut app, "N");
    let text = app.session.notice.as_ref().unwrap().text.clone();
    assert!(app.session.stations.list.len() == 3 || text.contains("not settled"), "{text}");
    let wanted = press(&mut app, KeyCode::Char('w'));
    assert!(matches!(&wanted[..], [Request::WriteText { text, .. }] if text.contains(",left wall,")), "{wanted:?}");
}

/// Takes of a wave in a folder: the second begins two seconds later and has less noise.
fn takes(folder: &std::path::Path) {
    for (number, late) in [(1, 0.0), (2, 2.0)] {
        let place = TakePlace::Exactly(folder.join(format!("take-{number:04}")));
        let bench = Bench::parse("[[channel]]\nname = \"level\"\nscale = { unit = \"mm\" }\n").unwrap();
        let start = START.plus(1000.0 * f64::from(number));
        let mut writer = Writer::create(&place, &bench, start, Event::BEGIN).unwrap();
        for row in 0..1500 {
            let t = f64::from(row) * 0.01 - late;
            let noise = f64::from(row * 7919 % 101) / 101.0 * 20.0 / f64::from(number);
            let value = 500.0 + 300.0 * (-((t - 6.0) / 2.0).powi(2)).exp() * (4.0 * t).sin() + noise;
            writer.chunk(start.plus(f64::from(row) * 0.01), format!("level={value:.1} k={row}\n").as_bytes()).unwrap();
        }
        writer.finish(start.plus(15.0)).unwrap();
    }
}

fn opened(folder: &std::path::Path) -> App {
    let take = amber_io::take::open(folder).unwrap();
    let bench = take.bench.clone();
    let chain = chain_of(&take, &bench, 0).unwrap();
    let mut app = App::take(chain, bench.shared.clone(), take, None);
    app.session.zone = jiff::tz::TimeZone::UTC;
    app.session.size = (160, 47);
    app.before_frame(app.session.now);
    app
}

#[test]
fn takes_are_listed_found_noted_renamed_deleted_after_asking_and_compared() {
    let dir = tempfile::tempdir().unwrap();
    takes(dir.path());
    let mut app = opened(&dir.path().join("take-0001"));
    typed(&mut app, "vk");
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("2 takes in") && text.contains("take-0002") && text.contains("15 s"), "{text}");
    // The newest stands first; it is noted and renamed, and found by its note.
    typed(&mut app, "e");
    typed(&mut app, "with the capacitor \u{1b}");
    press(&mut app, KeyCode::Enter);
    typed(&mut app, "r");
    (0..20).for_each(|_| drop(press(&mut app, KeyCode::Backspace)));
    typed(&mut app, "quiet");
    press(&mut app, KeyCode::Enter);
    assert!(dir.path().join("quiet").is_dir(), "{}", picture(&mut app, 160, 47));
    typed(&mut app, "f");
    typed(&mut app, "CAPACITOR");
    press(&mut app, KeyCode::Enter);
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("1 of 2 takes") && text.contains("with the capacitor"), "{text}");
    // The one that is watched is left alone.
    typed(&mut app, "f");
    (0..20).for_each(|_| drop(press(&mut app, KeyCode::Backspace)));
    press(&mut app, KeyCode::Enter);
    press(&mut app, KeyCode::Home);
    typed(&mut app, "x");
    assert!(app.session.notice.as_ref().unwrap().text.contains("in use") && app.overlays.is_empty());
    press(&mut app, KeyCode::Down);
    typed(&mut app, "a");
    typed(&mut app, "c");
    assert_eq!(app.view, RoomId::Compare);
    app.before_frame(app.session.now);
    app.session.select(app.session.own(0));
    typed(&mut app, "e");
    typed(&mut app, "match");
    press(&mut app, KeyCode::Enter);
    app.before_frame(app.session.now);
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("comparison of level") && text.contains("matches at 2 s from its start"), "{text}");
    assert!(text.contains("difference from run 1") && text.contains("quiet"), "{text}");
    let figures = app.figures();
    assert!(figures[0].title.contains("comparison") && figures[0].lanes.len() == 2, "{figures:?}");
    let table = press(&mut app, KeyCode::Char('w'));
    let [Request::WriteText { text, .. }] = &table[..] else { panic!("{table:?}") };
    let noise = |row: usize| text.lines().nth(row).unwrap().split(',').nth(6).unwrap().parse::<f64>().unwrap();
    assert!(noise(1) > 1.6 * noise(2), "{text}");
    // Deleted after asking, and never by the first key.
    typed(&mut app, "k");
    typed(&mut app, "x");
    press(&mut app, KeyCode::Enter);
    assert!(dir.path().join("quiet").is_dir());
    typed(&mut app, "x");
    typed(&mut app, "d");
    assert!(!dir.path().join("quiet").exists() && dir.path().join("take-0001").is_dir());
}

#[test]
fn a_take_plays_to_its_end_and_is_kept_as_another_reading() {
    let dir = tempfile::tempdir().unwrap();
    takes(dir.path());
    let mut app = opened(&dir.path().join("take-0001"));
    let begin = app.session.now;
    press(&mut app, KeyCode::Home);
    typed(&mut app, "+++");
    typed(&mut app, ">>");
    press(&mut app, KeyCode::Char('P'));
    assert!(app.session.plays());
    let edge = |app: &App| app.session.viewport.end;
    app.before_frame(begin.plus(0.5));
    let first = edge(&app);
    app.before_frame(begin.plus(1.0));
    assert!(
        (edge(&app).seconds_since(first) - 0.5 * app.session.play.speed).abs() < 0.01,
        "{}",
        app.session.play.speed
    );
    // Chart and axis move with it, and its speed is in the title.
    let mut drawn = crate::screen::Drawn::default();
    drawn.change(&app);
    drawn.remember(&app);
    assert_eq!(drawn.change(&app), crate::screen::Change::None);
    app.before_frame(begin.plus(1.1));
    assert_eq!(drawn.change(&app), crate::screen::Change::Chart);
    assert!(picture(&mut app, 160, 47).contains("▶ plays at 5 × the recorded pace"));
    for i in 0..60 {
        app.before_frame(begin.plus(1.0 + f64::from(i) * 0.5));
    }
    assert!(!app.session.plays(), "it pauses at the end");
    let last = app.session.present();
    assert!(edge(&app) <= last && last.seconds_since(edge(&app)) < 0.1);
    // End is the take's end, not that of today.
    app.session.now = begin.plus(1e6);
    press(&mut app, KeyCode::End);
    app.before_frame(app.session.now);
    assert!(edge(&app).seconds_since(last) < 1.0);
    set(&mut app, "rows in takes", "1 s max");
    typed(&mut app, "6r");
    let kept = dir.path().join("take-0001/reading-02/readings.csv");
    assert!(std::fs::read_to_string(kept).unwrap().contains("level_max"), "{}", picture(&mut app, 160, 47));
    // At its end it begins anew, however the end was reached.
    let mut app = opened(&dir.path().join("take-0002"));
    press(&mut app, KeyCode::Char('P'));
    app.before_frame(app.session.now);
    let left = app.session.present().seconds_since(edge(&app));
    assert!(app.session.plays() && left > 10.0, "{left} s are left to play");
    // What is live is not played.
    let mut app = watched(2);
    press(&mut app, KeyCode::Char('P'));
    assert!(!app.session.plays());
}

#[test]
fn a_report_holds_what_a_student_hands_in() {
    let mut app = app_of(FLUME);
    let mut board = amber_boards::by_name("flume", 5).unwrap();
    watch(&mut app, &mut *board, 0..120);
    typed(&mut app, "N");
    watch(&mut app, &mut *board, 120..150);
    assert_eq!(press(&mut app, KeyCode::Char('R')), [Request::Report], "one key on the chart");
    assert_eq!(press(&mut app, KeyCode::Char('6')), []);
    assert_eq!(press(&mut app, KeyCode::Char('R')), [Request::Report]);
    let document = crate::report::draft(&app.session, app.report_figures()).finish();
    let (text, figures) = crate::report::markdown::markdown(&document, "r");
    for part in [
        "# wave flume",
        "## Statistics",
        "(raw / 4096 × 3.3 V − 0.5) × 100 mm; smoothed by median 5 rows",
        "threshold 115 mm, hysteresis 4 mm",
        "| 1 |  | gauge\\_a | mm | 100 | ",
        "median interval 10 ms",
        "Amber Tap",
    ] {
        assert!(text.contains(part), "no {part} in {text}");
    }
    assert_eq!(figures.len(), 1);
    // While a take runs, a person says of what the report is to be.
    let since = START.plus(4.0);
    app.update(
        app.session.now,
        Message::Report(0, amber_io::take::Report::Started { folder: "out/take-0007".into(), since }),
    );
    assert_eq!(press(&mut app, KeyCode::Char('R')), []);
    assert!(picture(&mut app, 160, 47).contains("of take-0007, which is running"));
    assert_eq!(press(&mut app, KeyCode::Enter), [Request::Report]);
    let document = crate::report::draft(&app.session, app.report_figures()).finish();
    let (text, _) = crate::report::markdown::markdown(&document, "r");
    assert!(app.session.viewport.begin == since && text.contains("these rows are in take-0007"), "{text}");
    let drawing = amber_plot::svg(&figures[0].1).unwrap();
    assert!(!drawing.contains("<image") && drawing.contains("gauge_a in mm"));
}

#[test]
fn a_disk_that_will_not_suffice_is_told_before_and_during_a_take() {
    let mut app = app_of(FLUME);
    let mut board = amber_boards::by_name("flume", 5).unwrap();
    watch(&mut app, &mut *board, 0..60);
    let free = |app: &mut App, bytes: u64| {
        let folder = app.session.folder().clone();
        app.session.take_done(Done::Space(folder, Some(bytes)));
    };
    set(&mut app, "take ends", "2 h");
    free(&mut app, 40_000_000_000);
    let (told, fits) = app.session.expected();
    assert!(fits && told.contains("40.00 GB free"), "{told}");
    free(&mut app, 50_000_000);
    let (told, fits) = app.session.expected();
    assert!(!fits && told.contains("the disk will not suffice"), "{told}");
    press(&mut app, KeyCode::Char('t'));
    assert!(app.session.notice.as_ref().is_some_and(|notice| notice.bad && notice.text.contains("will not suffice")));
    let since = app.session.now;
    app.update(since, Message::Report(0, amber_io::take::Report::Started { folder: "out/take-0001".into(), since }));
    app.session.notice = None;
    // Half an hour before it is full it is said, once.
    free(&mut app, 500_000_000);
    assert!(app.session.notice.is_none(), "that is for hours yet");
    free(&mut app, 10_000_000);
    assert!(app.session.notice.take().unwrap().text.contains("the disk is full in about"));
    free(&mut app, 9_000_000);
    assert!(app.session.notice.is_none());
    // What another folder has is no matter of this take.
    app.session.take_done(Done::Space("elsewhere".into(), Some(1)));
    assert!(app.session.expected().0.contains("9.0 MB free"), "{}", app.session.expected().0);
    // Time goes on, and what is left is told in the title.
    app.session.now = since.plus(3600.0);
    assert!(picture(&mut app, 160, 47).contains("1:00:00, 1:00:00 left"), "{}", picture(&mut app, 160, 47));
}

#[test]
fn every_setting_of_a_take_is_typed_stepped_undone_and_kept_in_the_bench() {
    let mut app = app_of(FLUME);
    let mut board = amber_boards::by_name("flume", 5).unwrap();
    watch(&mut app, &mut *board, 0..20);
    let before = app.session.bench();
    for (name, text) in [
        ("rows in takes", "10 s last"),
        ("channels in takes", "gauge_a, bed"),
        ("decimals in takes", "3"),
        ("take ends", "5 min, 1000 rows"),
        ("from before", "5 min"),
        ("parts of a take", "8 h"),
        ("figure size", "160x100 mm"),
        ("figure title", "Waves <1>"),
    ] {
        set(&mut app, name, text);
    }
    for (name, text) in [
        ("rows in takes", "often"),
        ("channels in takes", "nothing-like-it"),
        ("decimals in takes", "13"),
        ("take starts", "at noon"),
        ("from before", "2 d"),
        ("figure size", "1x1 mm"),
    ] {
        app.go_to_row(Stage::Keep, name);
        press(&mut app, KeyCode::Enter);
        typed(&mut app, text);
        press(&mut app, KeyCode::Enter);
        assert_eq!(app.overlays.len(), 1, "{name}: a wrong entry stays open and says why");
        press(&mut app, KeyCode::Esc);
        press(&mut app, KeyCode::Esc);
    }
    let bench = app.session.bench();
    let text = bench.new_file("x");
    for part in
        ["pace = \"10 s last\"", "parts = \"28800 s\"", "before = 300.0", "size = \"160x100 mm\"", "decimals = 3"]
    {
        assert!(text.contains(part), "no {part} in {text}");
    }
    assert_eq!(Bench::parse(&text).unwrap(), bench);
    assert!(app.session.shared().keep.sentence(Some(100.0)).contains("last of 1 000 rows; of gauge_a, bed"));
    (0..8).for_each(|_| typed(&mut app, "u"));
    assert_eq!(app.session.bench(), before, "all of it is undone");
}
