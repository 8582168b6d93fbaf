//! The program without a terminal: keys and bytes in, effects and cells out.

use super::*;
use crate::screen;
use crate::session::*;
use crate::theme::{Depth, Theme};
use amber_boards::Board;
use amber_core::chain::Chain;
use amber_core::store::Limits;
use amber_io::LinkState;
use amber_io::take::{Mark, TakePlace};
use amber_io::take::{Summary, TakeError, Tally};
use amber_io::{Chunk, Problem};
use crossterm::event::{KeyCode, KeyModifiers, MouseButton, MouseEventKind};
use jiff::tz::TimeZone;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use std::time::Duration;

pub(crate) const START: Stamp = Stamp(1_780_000_000_000_000_000);

const FLUME: &str = include_str!("../../assets/flume.bench.toml");

pub(crate) fn app() -> App {
    let bench = Bench::parse(FLUME).unwrap();
    let chain = Chain::new(&bench, 0, Limits::default());
    let mut app = App::live(chain, bench.shared.clone(), PathBuf::from("out"), None, START);
    app.session.zone = TimeZone::UTC;
    app.session.size = (160, 47);
    app.update(START, Message::Feed(0, Feed::State(LinkState::open_at(115_200))));
    app.update(
        START,
        Message::Feed(0, Feed::Opened { at: START, opening: amber_core::clock::Opening::Link, within: true }),
    );
    app
}

pub(crate) fn feed(app: &mut App, at: Stamp, bytes: &[u8]) {
    let chunk = Chunk { at, bytes: bytes.into(), skipped: 0 };
    assert!(app.update(at, Message::Feed(0, Feed::Chunk(chunk))).is_empty());
}

/// A live app with this bench, in UTC.
pub(crate) fn app_of(bench: &str) -> App {
    let bench = Bench::parse(bench).unwrap();
    let chain = Chain::new(&bench, 0, Limits::default());
    let mut app = App::live(chain, bench.shared, "out".into(), None, START);
    app.session.zone = TimeZone::UTC;
    app.session.size = (160, 47);
    app
}

/// The flume, watched for so many seconds in chunks of 10 ms.
pub(crate) fn watched(seconds: u64) -> App {
    let mut app = app();
    feed_more(&mut app, 0, seconds);
    app
}

/// The flume for `seconds` more, after it was watched for `before` seconds.
pub(crate) fn feed_more(app: &mut App, before: u64, seconds: u64) {
    let mut board = amber_boards::Flume::new(amber_boards::Programme::Waves, 1);
    if before > 0 {
        board.run(Duration::from_secs(before), &mut Vec::new());
    }
    for step in before * 100 + 1..=(before + seconds) * 100 {
        let mut bytes = Vec::new();
        board.run(Duration::from_millis(step * 10), &mut bytes);
        let at = START.plus(step as f64 * 0.01);
        feed(app, at, &bytes);
        app.before_frame(at);
    }
}

pub(crate) fn picture(app: &mut App, width: u16, height: u16) -> String {
    app.session.size = (width, height);
    app.session.refresh_soon();
    app.before_frame(app.session.now);
    let mut buffer = Buffer::empty(Rect::new(0, 0, width, height));
    screen::draw(app, false, Theme::new(Depth::None), &mut buffer);
    let cells: Vec<&str> = buffer.content.iter().map(|cell| cell.symbol()).collect();
    cells.chunks(usize::from(width)).map(|row| row.concat().trim_end().to_owned() + "\n").collect()
}

pub(crate) fn press(app: &mut App, code: KeyCode) -> Vec<Request> {
    app.update(app.session.now, Message::Key(code.into()))
}

pub(crate) fn typed(app: &mut App, text: &str) {
    for c in text.chars() {
        assert!(press(app, KeyCode::Char(c)).is_empty());
    }
}

pub(crate) fn replace(app: &mut App, text: &str) -> Vec<Request> {
    app.update(app.session.now, Message::Key(KeyEvent::new(KeyCode::Char('u'), KeyModifiers::CONTROL)));
    typed(app, text);
    press(app, KeyCode::Enter)
}

#[test]
fn the_screen_at_160_by_47() {
    insta::assert_snapshot!(picture(&mut watched(24), 160, 47));
}

#[test]
fn the_screen_at_80_by_24_with_and_without_a_panel() {
    let mut app = watched(24);
    let plain = picture(&mut app, 80, 24);
    press(&mut app, KeyCode::Char('5'));
    insta::assert_snapshot!(plain + &picture(&mut app, 80, 24));
}

#[test]
fn every_size_can_be_drawn() {
    let mut app = watched(3);
    for (width, height) in [(1, 1), (59, 16), (60, 16), (61, 17), (80, 24), (100, 20), (110, 60), (300, 90)] {
        for keys in ["1", "3", "6", "n", "?"] {
            press(&mut app, KeyCode::Char(keys.chars().next().unwrap()));
            picture(&mut app, width, height);
            screen::draw_chart(&app, true, Theme::new(Depth::Full));
        }
        press(&mut app, KeyCode::Esc);
    }
}

/// A row that only changes the newest end is drawn there alone: the result must be the same as drawing everything.
#[test]
fn drawing_the_newest_end_alone_gives_the_same_picture() {
    let mut app = watched(10);
    let theme = Theme::new(Depth::Full);
    let whole = |app: &App| {
        let mut buffer = Buffer::empty(Rect::new(0, 0, 160, 47));
        screen::draw(app, false, theme, &mut buffer);
        buffer
    };
    let (mut drawn, mut shown) = (screen::Drawn::default(), whole(&app));
    drawn.remember(&app);
    let mut edges = 0;
    for step in 1..400 {
        let value = 1800 + step * 37 % 500;
        let line = format!(
            "t_us={} gauge_a={value} gauge_b=2000 bed={} paddle={} pump=0 sump=1200\n",
            10_000_000 + step * 10_000,
            400 + step % 9,
            step / 9 % 2
        );
        let at = app.session.now.plus(0.01);
        feed(&mut app, at, line.as_bytes());
        app.session.viewport = app.session.look();
        app.session.follow_axes(at);
        match drawn.change(&app) {
            screen::Change::None => {}
            screen::Change::Edge => {
                let part = screen::draw_chart(&app, true, theme).unwrap();
                part.area.positions().for_each(|p| shown[p] = part[p].clone());
                edges += 1;
            }
            screen::Change::Chart | screen::Change::All => shown = whole(&app),
        }
        drawn.remember(&app);
        // Numbers are refreshed at their own pace, so only the chart can differ.
        let (rows, columns) = (4..37, 0..128);
        let now = whole(&app);
        for (x, y) in rows.flat_map(|y| columns.clone().map(move |x| (x, y))) {
            assert_eq!(shown[(x, y)], now[(x, y)], "step {step}, column {x}, row {y}");
        }
    }
    assert!(edges > 200, "only {edges} rows were drawn at the edge alone");
}

#[test]
fn holding_freezes_the_picture_while_counting_goes_on() {
    let mut app = watched(5);
    press(&mut app, KeyCode::Char(' '));
    let chart =
        |text: &str| text.lines().skip(4).take(33).map(|l| l.chars().take(128).collect::<String>()).collect::<Vec<_>>();
    let before = picture(&mut app, 160, 47);
    let rows = app.session.chain().counts().rows;
    for i in 0..200 {
        let at = app.session.now.plus(0.01);
        feed(&mut app, at, b"t_us=1 gauge_a=4000 gauge_b=2000 bed=400 paddle=1 pump=0 sump=1200\n");
        app.before_frame(START.plus(5.0 + f64::from(i) * 0.01));
    }
    let after = picture(&mut app, 160, 47);
    assert_eq!(chart(&before), chart(&after));
    assert_eq!(app.session.chain().counts().rows, rows + 200);
    assert!(after.contains("HELD 2 s ago") && app.session.chain().channels()[1].watcher().now().rises == 1);
    // Pan, zoom, and back to the present.
    press(&mut app, KeyCode::Char('+'));
    press(&mut app, KeyCode::Char('+'));
    press(&mut app, KeyCode::Home);
    assert_eq!((app.session.axis.span, app.session.end().seconds_since(START).round()), (5.0, 5.0));
    assert!(app.session.end() < app.session.now);
    press(&mut app, KeyCode::End);
    assert!(!app.session.is_held());
    assert!(picture(&mut app, 160, 47).contains("272.3 mm"), "the new level is in the readout");
}

#[test]
fn a_setting_is_stepped_typed_refused_and_redraws_the_history() {
    let mut app = watched(8);
    for key in [KeyCode::Char('3'), KeyCode::Down, KeyCode::Down, KeyCode::Down, KeyCode::Right] {
        press(&mut app, key);
    }
    let short = |app: &App| {
        let steps = &app.session.channel().unwrap().settings().scale.steps;
        steps.iter().map(amber_core::part::Listed::short).collect::<Vec<_>>().join(" ")
    };
    assert_eq!(short(&app), "12 bit 4.096 V -0.5 ×100");
    press(&mut app, KeyCode::Enter);
    replace(&mut app, "zero");
    assert!(picture(&mut app, 160, 47).contains("there is no channel 'zero'"), "a wrong line stays open");
    replace(&mut app, "-1");
    assert!(picture(&mut app, 160, 47).contains("reference must be volts above 0"));
    replace(&mut app, "3,3");
    assert!(app.overlays.is_empty());
    for _ in 0..5 {
        press(&mut app, KeyCode::Down);
    }
    press(&mut app, KeyCode::Enter);
    replace(&mut app, "1/0.005");
    assert_eq!(short(&app), "12 bit 3.3 V -0.5 ×200");
    let (raw, old) = (
        app.session.chain().store().raw(1, 100).unwrap(),
        app.session.chain().channels()[1].scaled().get(100).unwrap(),
    );
    assert!((old - (raw * 3.3 / 4096.0 - 0.5) * 200.0).abs() < 1e-3);
    assert!(app.session.unsaved());
}

#[test]
fn watching_starts_at_the_present_value_and_filters_stand_one_behind_another() {
    let mut app = watched(3);
    press(&mut app, KeyCode::Tab);
    assert_eq!(app.session.channel().unwrap().name(), "gauge_b");
    app.session.refresh_soon();
    app.before_frame(app.session.now);
    press(&mut app, KeyCode::Char('5'));
    press(&mut app, KeyCode::Right);
    let watch = app.session.channel().unwrap().settings().watch.unwrap();
    assert!((watch.threshold - 100.0).abs() < 3.0 && watch.hysteresis > 0.0, "{watch:?}");
    // Filters one behind another: added, set, bypassed, moved.
    press(&mut app, KeyCode::Char('4'));
    for downs in [2, 1] {
        press(&mut app, KeyCode::Char('a'));
        (0..downs).for_each(|_| drop(press(&mut app, KeyCode::Down)));
        press(&mut app, KeyCode::Enter);
    }
    let names = |app: &App| -> Vec<String> {
        app.session.channel().unwrap().wished().smooth.iter().map(amber_core::part::Listed::short).collect()
    };
    assert_eq!(names(&app), ["median 5 rows", "exponential 5 rows"]);
    press(&mut app, KeyCode::Down);
    press(&mut app, KeyCode::Right);
    press(&mut app, KeyCode::Down);
    press(&mut app, KeyCode::Right);
    assert_eq!(names(&app), ["median 5 rows", "exponential 200 ms"]);
    let text = picture(&mut app, 160, 47);
    let seen = ["1 median", "2 exponential", "counted in", "time constant", "noise after", "gain", "delay"];
    assert!(seen.iter().all(|seen| text.contains(seen)), "{text}");
    press(&mut app, KeyCode::Char('<'));
    press(&mut app, KeyCode::Char('p'));
    assert_eq!(names(&app), ["", "median 5 rows"]);
    assert!(picture(&mut app, 160, 47).contains("bypassed"));
    press(&mut app, KeyCode::Char('x'));
    press(&mut app, KeyCode::Char('x'));
    assert_eq!(names(&app), [""; 0]);
}

#[test]
fn a_list_of_parts_says_what_does_not_go() {
    let mut app = watched(3);
    press(&mut app, KeyCode::Char('4'));
    // Nothing is selected but the line that adds.
    app.session.edit_channel(|channel| channel.smooth.clear());
    for key in ['x', 'p', '<'] {
        press(&mut app, KeyCode::Char(key));
        assert_eq!(app.session.notice.as_ref().unwrap().text, "select one with ↑ and ↓ first", "{key}");
    }
    for count in 1..=8 {
        press(&mut app, KeyCode::Char('a'));
        press(&mut app, KeyCode::Enter);
        assert_eq!(app.session.channel().unwrap().wished().smooth.len(), count);
    }
    press(&mut app, KeyCode::Char('a'));
    assert!(app.overlays.is_empty());
    assert_eq!(app.session.notice.as_ref().unwrap().text, "there are at most 8 filters");
    // A wrong entry is rejected with what it can be, which the prompt has said before.
    press(&mut app, KeyCode::Down);
    press(&mut app, KeyCode::Down);
    press(&mut app, KeyCode::Enter);
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("a whole number from 1 to 65536") && text.contains("(rows)"), "{text}");
    replace(&mut app, "2.5");
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("window must be a whole number from 1 to 65536"), "{text}");
    assert!(
        app.session
            .channel()
            .unwrap()
            .wished()
            .smooth
            .iter()
            .all(|filter| *filter == amber_core::smooth::Mean::default().into())
    );
}

#[test]
fn hints_come_one_at_a_time_go_when_the_thing_is_done_and_never_come_back() {
    let mut app = watched(2).with_hints(0);
    let seen = |requests: &[Request]| match requests {
        [Request::HintsSeen(seen)] => Some(*seen),
        _ => None,
    };
    assert!(picture(&mut app, 160, 47).contains("Tab selects the next channel"));
    assert_eq!(seen(&press(&mut app, KeyCode::Char('5'))), None);
    press(&mut app, KeyCode::Esc);
    assert!(app.hint().is_some(), "Esc closed the panel, not the hints");
    assert_eq!(seen(&press(&mut app, KeyCode::Tab)), Some(1));
    assert!(picture(&mut app, 80, 24).contains("3 shows how counts become"));
    assert_eq!(seen(&press(&mut app, KeyCode::Char('3'))), Some(2));
    press(&mut app, KeyCode::Esc);
    assert_eq!(seen(&press(&mut app, KeyCode::Esc)), Some(4));
    assert!(app.hint().is_none() && app.with_hints(4).hint().is_none());
}

#[test]
fn all_that_is_shown_belongs_to_the_moment_at_the_right_edge() {
    let mut app = watched(24);
    let rises = |app: &App, name: &str| {
        let channels = app.session.chain().channels();
        let index = channels.iter().position(|channel| channel.name() == name).unwrap();
        (app.session.snapshot.of(app.session.own(index)).watch.rises, channels[index].watcher().now().rises)
    };
    press(&mut app, KeyCode::Char(' '));
    press(&mut app, KeyCode::PageUp);
    // Rows go on coming, and nothing that is shown moves.
    for step in 0..300 {
        let at = app.session.now.plus(0.01);
        feed(
            &mut app,
            at,
            format!(
                "t_us={} gauge_a=9 gauge_b=9 bed=9 paddle={} pump=0 sump=9\n",
                24_000_000 + step * 10_000,
                step % 2
            )
            .as_bytes(),
        );
        app.before_frame(at);
    }
    let text = picture(&mut app, 160, 47);
    // 18 s before the end: the board's clock, the last line and the time of the last row agree.
    assert!(text.contains("t_us=6000000") && !text.contains("t_us=6010000") && !text.contains("gauge_a=9 "), "{text}");
    let (then, now) = rises(&app, "paddle");
    assert!(then < 10 && now > 100, "{then} {now}");
    assert!(text.contains("HELD 21 s ago"), "{text}");
    typed(&mut app, "vt");
    let table = picture(&mut app, 160, 47);
    let rows: Vec<&str> = table.lines().filter(|line| line.contains("20:26:4")).collect();
    assert!(rows.iter().any(|row| row.contains("20:26:46.000")) && !table.contains("20:26:46.010"), "{table}");
    typed(&mut app, "vl");
    let lines = picture(&mut app, 160, 47);
    assert!(lines.contains("t_us=6000000") && !lines.contains("t_us=6010000"), "{lines}");
    // Live again, all of it is that of now.
    press(&mut app, KeyCode::Esc);
    press(&mut app, KeyCode::Char(' '));
    assert!(picture(&mut app, 160, 47).contains("gauge_a=9 "));
}

#[test]
fn a_take_is_ordered_marked_and_ended() {
    let mut app = watched(2);
    press(&mut app, KeyCode::Char('m'));
    assert!(app.session.notice.as_ref().unwrap().text.contains("start one with t"));
    let effects = press(&mut app, KeyCode::Char('t'));
    let [Request::StartTake { place, benches }] = &effects[..] else { panic!("{effects:?}") };
    assert_eq!(*place, TakePlace::Next("out".into()));
    assert!(benches[0].first().split.shape().is_some(), "the shape that was found is pinned");
    app.update(
        app.session.now,
        Message::Report(0, Report::Started { folder: "out/take-0007".into(), since: app.session.now }),
    );
    press(&mut app, KeyCode::Char('m'));
    let moment = app.session.now;
    typed(&mut app, "q, t and ? are just text");
    let effects = press(&mut app, KeyCode::Enter);
    let [Request::Mark(mark)] = &effects[..] else { panic!("{effects:?}") };
    assert_eq!((mark.at, mark.note.as_str()), (moment, "q, t and ? are just text"));
    // With what the channels said when the key was pressed.
    assert!(mark.values.contains("gauge_a ") && mark.values.contains(" mm; gauge_b "), "{mark:?}");
    let mark = Mark { number: 1, note: "weight\u{1b}[2J".into(), ..mark.clone() };
    app.update(moment, Message::Report(0, Report::Marked(mark)));
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("● take-0007"), "{text}");
    press(&mut app, KeyCode::Char('6'));
    assert!(picture(&mut app, 160, 47).contains("weight␛[2J"));
    // Quitting asks, and says what would happen.
    assert!(press(&mut app, KeyCode::Char('q')).is_empty());
    assert!(picture(&mut app, 160, 47).contains("a take is running"));
    press(&mut app, KeyCode::Esc);
    press(&mut app, KeyCode::Char('q'));
    assert_eq!(press(&mut app, KeyCode::Char('q')), [Request::Quit]);
    press(&mut app, KeyCode::Esc);
    assert_eq!(press(&mut app, KeyCode::Char('t')), [Request::StopTake]);
    let tally = Tally { rows: 75_122, rejected: 2, ..Tally::default() };
    let summary = Summary {
        folder: "out/take-0007".into(),
        size: 0,
        parts: 1,
        bytes: 5_600_000,
        tally,
        marks: 1,
        seconds: 751.2,
        troubles: Vec::new(),
    };
    app.update(app.session.now, Message::Report(0, Report::Stopped(summary)));
    assert!(picture(&mut app, 160, 47).contains("take-0007 ended: 75 122 rows, 5.6 MB, 12.52 min, 2 lines rejected"));
}

#[test]
fn what_goes_wrong_is_said_and_watching_goes_on() {
    let mut app = watched(2);
    let reason = std::io::Error::from(std::io::ErrorKind::StorageFull);
    let error = TakeError::Io { doing: "cannot write to", path: "out/take-0001/wire.bin".into(), reason };
    app.update(app.session.now, Message::Report(0, Report::Failed { error, kept: None }));
    assert!(
        picture(&mut app, 160, 47).contains("no take runs: cannot write to out/take-0001/wire.bin: the disk is full")
    );
    let problem = Problem::Vanished("/dev/ttyACM0".into());
    let state = LinkState::Waiting { problem, pause: Duration::from_millis(600) };
    app.update(app.session.now, Message::Feed(0, Feed::State(state)));
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("▲ not open") && text.contains("/dev/ttyACM0 went away: check the cable"), "{text}");
    app.update(app.session.now, Message::Feed(0, Feed::State(LinkState::open_at(115_200))));
    feed(&mut app, START.plus(2.5), &[0xE3; 4000]);
    assert!(picture(&mut app, 160, 47).contains("115200 baud is probably wrong"));
}

#[test]
fn hostile_bytes_come_to_the_screen_as_symbols() {
    let mut app = watched(2);
    let hostile = b"\x1b]0;owned\x07\x1b[2J\x1b[31mred\0\xff\xfe\xe2\x80\xae\n\xc2\x9b31m gauge_a=1\x1b[H\n";
    feed(&mut app, START.plus(2.1), hostile);
    feed(&mut app, START.plus(2.2), &vec![b'A'; 300_000]);
    feed(&mut app, START.plus(2.3), b"\nt_us=1 gauge_a=1 gauge_b=2 bed=3 paddle=0 pump=1 sump=2\n");
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("␛]0;owned␇␛[2J␛[31mred␀▯▯▯") && text.contains("line too long"), "{text}");
    assert!(!text.chars().any(|c| c.is_control() && c != '\n'));
    assert_eq!(app.session.chain().counts().rejected(), 3);
    assert_eq!(app.session.chain().counts().rows, 201);
}

#[test]
fn the_mouse_chooses_channels_opens_stages_and_zooms() {
    let mut app = watched(5);
    let mouse = |app: &mut App, kind, column, row| {
        let event = MouseEvent { kind, column, row, modifiers: KeyModifiers::NONE };
        app.update(app.session.now, Message::Mouse(event))
    };
    let down = MouseEventKind::Down(MouseButton::Left);
    mouse(&mut app, down, 140, 13);
    assert_eq!(app.session.channel().unwrap().name(), "gauge_b");
    mouse(&mut app, down, 50, 28);
    assert_eq!(app.session.channel().unwrap().name(), "sump");
    mouse(&mut app, down, 60, 35);
    assert_eq!(app.session.channel().unwrap().name(), "pump");
    mouse(&mut app, down, 100, 1);
    assert!(app.is_open(Stage::Smooth));
    // A row of a panel is selected by a click and edited by another one; the wheel scrolls what is under it.
    let text = picture(&mut app, 160, 47);
    let (row, column) = text.lines().zip(0..).find_map(|(line, y)| Some((y, line.find("+ add a filter")?))).unwrap();
    let column = text.lines().nth(row as usize).unwrap()[..column].chars().count() as u16;
    mouse(&mut app, down, column, row);
    mouse(&mut app, down, column, row);
    let Some(Overlay::List(list)) = app.overlays.last() else { panic!("no list") };
    assert_eq!((list.selected, list.items[0].name.as_str()), (0, "mean"));
    mouse(&mut app, MouseEventKind::ScrollDown, 80, 20);
    let text = picture(&mut app, 160, 47);
    let row = text.lines().position(|line| line.contains("moving median")).unwrap() as u16;
    mouse(&mut app, down, 80, row);
    assert!(app.overlays.is_empty() && app.session.channel().unwrap().wished().smooth.len() == 1);
    mouse(&mut app, MouseEventKind::ScrollUp, 40, 10);
    assert_eq!(app.session.axis.span, 10.0);
    // A drag to the right looks back, by as much as it is long.
    let before = app.session.end();
    mouse(&mut app, down, 40, 14);
    mouse(&mut app, MouseEventKind::Drag(MouseButton::Left), 50, 14);
    mouse(&mut app, MouseEventKind::Up(MouseButton::Left), 50, 14);
    let back = before.seconds_since(app.session.end());
    assert!(app.session.is_held() && (0.5..3.0).contains(&back), "{back}");
    mouse(&mut app, MouseEventKind::Drag(MouseButton::Left), 20, 10);
    assert_eq!(before.seconds_since(app.session.end()), back, "the button is up");
    // The line of a threshold is dragged to another value, which is undone as one change.
    let threshold =
        |app: &App| app.session.channel_at(ChannelId { source: 0, channel: 1 }).wished().watch.unwrap().threshold;
    assert_eq!(threshold(&app), 115.0);
    mouse(&mut app, down, 40, 10);
    for row in [11, 12, 8] {
        mouse(&mut app, MouseEventKind::Drag(MouseButton::Left), 40, row);
    }
    mouse(&mut app, MouseEventKind::Up(MouseButton::Left), 40, 8);
    assert!((118.0..=140.0).contains(&threshold(&app)), "{}", threshold(&app));
    press(&mut app, KeyCode::Char('u'));
    assert_eq!(threshold(&app), 115.0);
}

#[test]
fn the_finder_goes_to_settings_channels_views_and_does_actions() {
    let mut app = watched(3);
    let find = |app: &mut App, text: &str| {
        press(app, KeyCode::Char('/'));
        typed(app, text);
        press(app, KeyCode::Enter)
    };
    find(&mut app, "hysteresis");
    assert!(app.is_open(Stage::Watch) && picture(&mut app, 160, 47).contains("width of the dead band"));
    find(&mut app, "baud rate");
    assert!(app.is_open(Stage::Wire));
    find(&mut app, "channel F");
    assert_eq!(app.session.channel().unwrap().name(), "sump");
    find(&mut app, "view: dial");
    assert_eq!(app.view, RoomId::Dial);
    find(&mut app, "qqqq zzzz");
    assert!(app.overlays.pop().is_some(), "nothing is called so: the list stays open");
    find(&mut app, "tool: check-up");
    assert_eq!(app.side(), Some(RoomId::Checkup));
    let lent = find(&mut app, "lend the port");
    assert!(matches!(&lent[..], [Request::Tell(0, LinkOrder::Lend { .. })]), "{lent:?}");
    // What has no word in common is found by its letters, and what is not there is said.
    press(&mut app, KeyCode::Char('/'));
    typed(&mut app, "clbrt");
    assert!(picture(&mut app, 160, 47).contains("calibrate"));
    typed(&mut app, "zzz");
    assert!(picture(&mut app, 160, 47).contains("nothing matches"));
}

#[test]
fn axes_are_pinned_typed_and_freed_again() {
    let mut app = watched(3);
    press(&mut app, KeyCode::Char('y'));
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("y axis: mm") && text.contains("fit the data"), "{text}");
    press(&mut app, KeyCode::Char('s'));
    assert!(picture(&mut app, 160, 47).contains("y: full scale"));
    assert_eq!(
        app.session.lanes().analog[0].limits,
        (-50.0, app.session.channel().unwrap().settings().scale.full_scale().unwrap().1)
    );
    typed(&mut app, "yt");
    replace(&mut app, "200 0");
    assert!(picture(&mut app, 160, 47).contains("the first must be the lower one"));
    replace(&mut app, "0 200");
    assert!(picture(&mut app, 160, 47).contains("y: typed, 0 to 200"));
    typed(&mut app, "yf");
    assert!(app.session.lanes().analog[0].rule == amber_core::axis::Rule::Fit);
}

#[test]
fn quitting_with_unsaved_settings_saves_first_and_stays_when_that_fails() {
    let mut app = watched(2);
    typed(&mut app, "2h");
    press(&mut app, KeyCode::Char('q'));
    press(&mut app, KeyCode::Char('s'));
    let effects = press(&mut app, KeyCode::Enter);
    let [Request::SaveBench { path, bench, may_replace: false }] = &effects[..] else { panic!("{effects:?}") };
    assert_eq!(path, &PathBuf::from("wave-flume.bench.toml"));
    assert!(app.update(app.session.now, Message::BenchSaved(Err("no room".into()))).is_empty());
    assert!(app.session.unsaved());
    press(&mut app, KeyCode::Char('q'));
    press(&mut app, KeyCode::Char('s'));
    press(&mut app, KeyCode::Enter);
    // Another bench is there: only the same name once more saves into it.
    for (name, replaces) in [("other.session.bench.toml", false), ("wave-flume.bench.toml", true)] {
        app.update(app.session.now, Message::BenchThere(PathBuf::from("wave-flume.bench.toml")));
        assert!(picture(&mut app, 160, 47).contains("already exists: press Enter again"));
        let effects = replace(&mut app, name);
        let [Request::SaveBench { path, may_replace, .. }] = &effects[..] else { panic!("{effects:?}") };
        assert_eq!((path, *may_replace), (&PathBuf::from(name), replaces));
    }
    assert_eq!(app.update(app.session.now, Message::BenchSaved(Ok((path.clone(), bench.clone())))), [Request::Quit]);
    assert!(!app.session.unsaved());
}

#[test]
fn what_is_pasted_is_text_and_never_keys() {
    let mut app = watched(2);
    let paste = |app: &mut App, text: &str| app.update(app.session.now, Message::Paste(text.into()));
    assert!(paste(&mut app, "qqqst\n").is_empty());
    assert!(picture(&mut app, 160, 47).contains("pasted text is ignored here"));
    press(&mut app, KeyCode::Char(':'));
    assert!(paste(&mut app, "stroke\x1b[31m 40\n水 at last\u{2028}\n").is_empty());
    assert_eq!(app.rooms.talk.text(), "stroke[31m 40 水 at last");
}

/// A text from another program, in a terminal that does not say so.
#[test]
fn keys_that_nobody_typed_are_text_or_nothing() {
    let mut app = watched(2);
    let burst = |app: &mut App, text: &str| {
        let key = |c| KeyEvent::from(if c == '\n' { KeyCode::Enter } else { KeyCode::Char(c) });
        app.update(app.session.now, Message::Burst(text.chars().map(key).collect()))
    };
    // Among these letters are those that quit, start a take and arm.
    let requests = burst(&mut app, &"take quit 5cA\n".repeat(400));
    assert_eq!(requests, []);
    assert!(app.overlays.is_empty() && app.side().is_none());
    assert!(picture(&mut app, 120, 30).contains("600 keys came at once, as pasted text does, and nothing was done"));
    // Where text is typed it is text, and its end the end of the line.
    typed(&mut app, ":");
    let line = format!("stroke {}", "4".repeat(60));
    let sent = burst(&mut app, &format!("{line}\n"));
    assert_eq!(sent, [Request::Tell(0, LinkOrder::Send(format!("{line}\n").into_bytes()))]);
    assert_eq!(burst(&mut app, &"x y\n".repeat(10_000)), [], "what is too long is not sent");
    assert!(picture(&mut app, 120, 30).contains("only the first 4096 characters were taken"));
}

#[test]
fn all_mistakes_of_a_bench_are_listed_with_their_lines_and_what_to_write() {
    let text = "[history]\nseconds = \"long\"\n\n[[source]]\nwire = { baud = 2.5 }\nspeed = 3\n\n[[source.channel]]\nname = \"gauge_a\"\nkind = \"lamp\"\n";
    let (bench, mistakes) = Bench::parse_what_holds(text);
    let told: Vec<String> = mistakes.iter().map(|mistake| format!("flume.bench.toml: {mistake}")).collect();
    let chain = Chain::new(&bench, 0, Limits::default());
    let mut app = App::live(chain, bench.shared, "out".into(), None, START).with_mistakes(&told);
    let seen = picture(&mut app, 160, 47);
    for part in [
        "4 mistakes in the bench file; the rest is loaded",
        "line 2",
        "a number is expected here, not the text",
        "line 5",
        "a whole number, 0 or above is expected here, not the number 2.5",
        "'speed' is not a setting here",
        "'lamp' is not one of its values: auto, analog",
    ] {
        assert!(seen.contains(part), "no {part} in {seen}");
    }
    press(&mut app, KeyCode::Esc);
    assert!(app.overlays.is_empty());
}
