//! Conditions, their events and answers, and advice on thresholds, driven by keys.

use super::tests::{START, app_of, feed, picture, press, replace, typed};
use super::*;
use crate::session::*;
use amber_core::watch::condition::{Answer, Test};
use crossterm::event::KeyCode;
use std::time::Duration;

const PUMP: &str = include_str!("../../assets/pump.bench.toml");
const RAFT: &str = include_str!("../../assets/raft.bench.toml");

/// A board watched from one second to another; what it is told it hears. Gives what was asked for outside.
fn watch(app: &mut App, board: &mut dyn amber_boards::Board, seconds: std::ops::Range<u64>) -> Vec<Request> {
    let mut all = Vec::new();
    for step in seconds.start * 20 + 1..=seconds.end * 20 {
        let mut bytes = Vec::new();
        board.run(Duration::from_millis(step * 50), &mut bytes);
        let at = START.plus(step as f64 * 0.05);
        let chunk = amber_io::Chunk { at, bytes: bytes.into(), skipped: 0 };
        let mut requests = app.update(at, Message::Feed(0, Feed::Chunk(chunk)));
        app.before_frame(at);
        requests.extend(app.session.pass_time(at));
        for request in &requests {
            if let Request::Tell(0, LinkOrder::Send(line)) = request {
                board.hear(line, &mut Vec::new());
            }
        }
        all.extend(requests);
    }
    all
}

fn sent(requests: &[Request]) -> Vec<String> {
    let line = |request: &Request| match request {
        Request::Tell(_, LinkOrder::Send(line)) => Some(String::from_utf8(line.clone()).unwrap()),
        _ => None,
    };
    requests.iter().filter_map(line).collect()
}

#[test]
fn a_pump_is_switched_between_two_levels_once_sending_is_armed_and_never_before() {
    let mut app = app_of(PUMP);
    let mut board = amber_boards::by_name("flume-pump", 5).unwrap();
    let quiet = watch(&mut app, &mut *board, 0..6);
    assert!(sent(&quiet).is_empty(), "{quiet:?}");
    assert!(app.session.chain().events().iter().any(|event| event.condition == 0), "the sump is full");
    assert_eq!(app.session.sendings().as_deref(), Some("0 lines sent; 1 not sent: not armed"));
    typed(&mut app, "5c");
    // It is full already: that is sent for at once, and once.
    let now = press(&mut app, KeyCode::Char('A'));
    assert_eq!(sent(&now), ["pump on\n"]);
    board.hear(b"pump on\n", &mut Vec::new());
    assert!(picture(&mut app, 160, 47).contains("ARMED"));
    let lines = sent(&watch(&mut app, &mut *board, 6..60));
    assert!(lines.len() >= 6 && lines[0] == "pump off\n", "{lines:?}");
    assert!(lines.windows(2).all(|pair| pair[0] != pair[1]), "{lines:?}");
    // The history is made anew by another threshold: nothing is sent for it.
    let before = app.session.chain().events().len();
    let mut conditions = app.session.conditions().clone();
    if let Test::Above(test) = &mut conditions[0].test[0] {
        test.value = 13.5;
    }
    app.session.take_conditions(conditions).unwrap();
    assert!(app.session.answer(0).is_empty() && app.session.chain().events().len() >= before);
    typed(&mut app, "A");
    assert!(!app.session.is_armed() && sent(&watch(&mut app, &mut *board, 60..75)).is_empty());
}

#[test]
fn a_condition_is_made_by_keys_and_each_of_its_answers_is_given() {
    let mut app = app_of("[[source]]\n[source.wire]\nport = \"raft\"\n");
    let mut board = amber_boards::by_name("raft", 3).unwrap();
    watch(&mut app, &mut *board, 0..2);
    // A test on z, which says about 1000 now; then answers of every kind.
    app.session.selected.channel = 2;
    typed(&mut app, "5ca");
    typed(&mut app, "below");
    press(&mut app, KeyCode::Enter);
    assert_eq!(app.session.conditions().len(), 1);
    let choose = |app: &mut App, row: &str, kind: &str| {
        let names: Vec<String> = {
            let rows = crate::rooms::AnyRoom::rows(&app.rooms.conditions, &app.session);
            let can = |row: &crate::rooms::panel::Row| !matches!(row.kind, crate::rooms::panel::RowKind::Fact);
            rows.into_iter().filter(can).map(|row| row.name).collect()
        };
        let at = names.iter().position(|name| name.contains(row)).unwrap_or_else(|| panic!("{row} in {names:?}"));
        app.rooms.get_mut(RoomId::Conditions).select(at, &mut app.session);
        press(app, KeyCode::Enter);
        typed(app, kind);
        press(app, KeyCode::Enter);
    };
    let Test::Below(test) = &app.session.conditions()[0].test[0] else { panic!("{:?}", app.session.conditions()) };
    assert!(test.of == "z" && (800.0..1200.0).contains(&test.value) && test.hysteresis > 0.0, "{test:?}");
    let mut conditions = app.session.conditions().clone();
    if let Test::Below(test) = &mut conditions[0].test[0] {
        (test.value, test.hysteresis) = (300.0, 50.0);
    }
    conditions[0].name = "falls".into();
    app.session.take_conditions(conditions).unwrap();
    for kind in ["mark", "bell", "flash", "snap", "start-take", "hold"] {
        choose(&mut app, "+ add an answer", kind);
    }
    assert_eq!(app.session.conditions()[0].answer.len(), 6);
    // What is wrong is said and changes nothing.
    let wrong = app.session.conditions().iter().cloned().chain(app.session.conditions().iter().cloned()).collect();
    assert!(app.session.take_conditions(wrong).unwrap_err().contains("already"));
    app.session
        .hear_keeper(0, amber_io::take::Report::Started { folder: "out/take-0001".into(), since: app.session.now });
    let requests = watch(&mut app, &mut *board, 2..30);
    let marks: Vec<&Request> = requests.iter().filter(|request| matches!(request, Request::Mark(_))).collect();
    assert_eq!(marks.len(), 1, "{requests:?}");
    assert!(matches!(marks[0], Request::Mark(mark) if mark.note == "falls" && mark.values.contains("z ")));
    assert!(requests.contains(&Request::Bell) && app.session.is_held());
    assert!(!requests.iter().any(|request| matches!(request, Request::StartTake { .. })), "one runs already");
    assert_eq!(app.session.chain().events().len(), 1);
    assert_eq!(app.session.blocks.named.len(), 1, "the block is complete once what follows has come");
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("z below 300, ") || text.contains("z below 300"), "{text}");
    // Undone as any change.
    typed(&mut app, "x");
    let count = app.session.conditions()[0].answer.len() + app.session.conditions()[0].test.len();
    press(&mut app, KeyCode::Esc);
    typed(&mut app, "u");
    assert!(app.session.conditions()[0].answer.len() + app.session.conditions()[0].test.len() >= count);
    assert!(app.session.conditions()[0].answer.iter().any(|answer| matches!(answer, Answer::Snap(_))));
}

#[test]
fn events_are_listed_gone_to_captured_and_laid_over_one_another() {
    let mut app = app_of(RAFT);
    let mut board = amber_boards::by_name("raft", 5).unwrap();
    watch(&mut app, &mut *board, 0..30);
    typed(&mut app, "5E");
    let text = picture(&mut app, 160, 47);
    for part in ["free fall", "knock", "tilted", "since the last", "around events: the last"] {
        assert!(text.contains(part), "{part}: {text}");
    }
    press(&mut app, KeyCode::Esc);
    assert_eq!(app.view, RoomId::Events, "Esc closed the panel");
    let events: Vec<_> = app.session.chain().events().iter().copied().collect();
    let falls: Vec<_> = events.iter().filter(|event| event.condition == 0).collect();
    assert_eq!(falls.len(), 1, "{falls:?}");
    assert!(falls[0].seconds().is_some_and(|s| (0.25..0.35).contains(&s)), "{falls:?}");
    // Of one condition alone, and on the chart.
    typed(&mut app, "o");
    assert!(picture(&mut app, 160, 47).contains("1 event "));
    press(&mut app, KeyCode::Enter);
    assert_eq!(app.view, RoomId::Chart);
    assert!(
        app.session.is_held() && app.session.end().seconds_since(falls[0].at) <= app.session.axis.span / 2.0 + 0.01
    );
    // From one to the next on the chart itself, also where the picture cannot be centred on them.
    let knocks: Vec<_> = events.iter().filter(|event| event.condition == 1).map(|event| event.at).collect();
    assert!(knocks.len() >= 2, "{events:?}");
    press(&mut app, KeyCode::End);
    for event in events.iter().rev().take(4) {
        typed(&mut app, "[");
        let said = app.session.notice.as_ref().map(|notice| notice.text.clone()).unwrap_or_default();
        assert!(said.starts_with(&format!("event {}: ", event.number)), "{said}: {event:?}");
    }
    for _ in 0..events.len() {
        typed(&mut app, "]");
    }
    let said = app.session.notice.as_ref().map(|notice| notice.text.clone()).unwrap_or_default();
    assert_eq!(said, "no later event yet");
    let figure = app.figures().remove(0);
    assert_eq!(figure.events.iter().map(|lane| lane.spans.len()).sum::<usize>(), in_view(&app), "{:?}", figure.events);
    press(&mut app, KeyCode::End);
    // Once: the next knock is waited for, and captured when all of it is there.
    typed(&mut app, "veo");
    if app.view != RoomId::Events {
        press(&mut app, KeyCode::Enter);
    }
    typed(&mut app, "c");
    assert!(picture(&mut app, 160, 47).contains("waiting for the next event"));
    watch(&mut app, &mut *board, 30..47);
    assert!(picture(&mut app, 160, 47).contains("captured (c: again)"), "{}", picture(&mut app, 160, 47));
    let figure = app.figures().remove(0);
    assert!(figure.title.contains("at 1 event of knock") && figure.x == (-0.5, 1.5), "{} {:?}", figure.title, figure.x);
    for size in [(60, 18), (80, 24)] {
        picture(&mut app, size.0, size.1);
    }
}

/// Events that are seen in part at least.
fn in_view(app: &App) -> usize {
    let view = &app.session.viewport;
    let is_seen = |event: &&amber_core::watch::condition::Event| {
        event.at <= view.end && event.ended.is_none_or(|ended| ended >= view.begin)
    };
    app.session.chain().events().iter().filter(is_seen).count()
}

#[test]
fn the_times_from_an_edge_to_the_answer_of_another_channel() {
    let mut app = app_of("");
    // A lamp goes on every second; the answer comes 100 to 145 ms later, and not at all to the fourth one.
    for row in 0..2000u32 {
        let (lamp, after) = (row / 100 % 2 == 0, row % 200);
        let key = (10 + row / 200 % 10 / 2..60).contains(&after) && row / 200 != 3;
        let line = format!("lamp={} key={} level={}\n", u8::from(lamp), u8::from(key), row % 7);
        feed(&mut app, START.plus(1.0 + f64::from(row) * 0.01), line.as_bytes());
    }
    app.session.selected.channel = 0;
    typed(&mut app, "vi");
    app.before_frame(app.session.now);
    assert!(picture(&mut app, 160, 47).contains("no interval yet: w chooses the channel"));
    typed(&mut app, "ww");
    assert_eq!(app.view, RoomId::Interval);
    press(&mut app, KeyCode::Esc);
    typed(&mut app, "w");
    replace(&mut app, "key");
    let told = |app: &mut App| {
        app.session.refresh_soon();
        app.before_frame(app.session.now.plus(1.0));
        picture(app, 160, 47)
    };
    let text = told(&mut app);
    for part in [
        "time from rising edge of lamp to rising edge of key",
        "intervals   8",
        "min         100.000 ms",
        "max         140.000 ms",
        "1 without an answer before the next",
        "known to    10 ms, 1 row",
        "histogram",
    ] {
        assert!(text.contains(part), "{part}: {text}");
    }
    let figure = app.figures().remove(0);
    assert!(figure.title.contains("time from rising edge of lamp") && figure.lanes[0].label == "intervals");
    // The first is gone to on the chart.
    (0..20).for_each(|_| drop(press(&mut app, KeyCode::Up)));
    press(&mut app, KeyCode::Enter);
    assert!(app.view == RoomId::Chart && app.session.is_held());
    // A digital channel is high or low without a setting: a hold time, typed with its unit, gives it none.
    typed(&mut app, "5");
    let panel = told(&mut app);
    assert!(!panel.contains("watching") && panel.contains("hold"), "{panel}");
    press(&mut app, KeyCode::Enter);
    replace(&mut app, "60 ms");
    let panel = told(&mut app);
    assert_eq!(app.session.channel().unwrap().wished().watch.map(|watch| watch.hold), Some(0.06));
    assert!(!panel.contains("watching") && panel.contains("high or low, hold 60 ms"), "{panel}");
    typed(&mut app, "u5");
    // Widths of the lamp itself; a channel without edges; nothing.
    typed(&mut app, "vi");
    app.session.edit_channel(|channel| channel.interval.as_mut().unwrap().to = "lamp".into());
    typed(&mut app, "b");
    let text = told(&mut app);
    assert!(text.contains("to falling edge of lamp") && text.contains("median      1.000 s"), "{text}");
    app.session.edit_channel(|channel| channel.interval.as_mut().unwrap().to = "level".into());
    assert!(told(&mut app).contains("level has no edges: give it a threshold first (5)"));
    app.session.edit_channel(|channel| channel.interval.as_mut().unwrap().to = "gone".into());
    assert!(told(&mut app).contains("there is no channel gone now"));
    typed(&mut app, "x");
    assert!(app.session.channel().unwrap().wished().interval.is_none());
}

#[test]
fn a_bath_that_is_steered_shows_how_it_keeps_to_its_target() {
    let mut app = app_of(include_str!("../../assets/bath.bench.toml"));
    let mut board = amber_boards::by_name("bath", 5).unwrap();
    watch(&mut app, &mut *board, 0..2);
    for request in app.session.toggle_armed() {
        if let Request::Tell(_, LinkOrder::Send(line)) = request {
            board.hear(&line, &mut Vec::new());
        }
    }
    watch(&mut app, &mut *board, 2..140);
    app.show(RoomId::Target);
    app.before_frame(app.session.now);
    let text = picture(&mut app, 160, 47);
    for part in ["target of bath: 38 °C, band 2 °C", "overshoot", "cycle, mean", "duty of heater", "time in band"] {
        assert!(text.contains(part), "{part}: {text}");
    }
    let duty = text.split("duty of heater").nth(1).unwrap().split('%').next().unwrap().trim().parse::<f64>().unwrap();
    assert!((20.0..60.0).contains(&duty), "{duty}");
    let figure = app.figures().remove(0);
    assert_eq!((figure.title.as_str(), figure.logic[0].name.as_str()), ("bath and its target", "heater"));
    assert!(figure.lanes[0].thresholds[0].label == "target 38 °C" && figure.lanes[0].thresholds[0].hysteresis == 2.0);
    assert!(figure.notes.iter().any(|note| note.contains("overshoot: ")), "{:?}", figure.notes);
    // Another target, said by nobody; and one that is deleted.
    assert!(press(&mut app, KeyCode::Char('e')).is_empty());
    replace(&mut app, "no such channel");
    assert!(!app.overlays.is_empty(), "a wrong entry stays open");
    press(&mut app, KeyCode::Esc);
    typed(&mut app, "b");
    replace(&mut app, "0.5");
    assert_eq!(app.session.channel().unwrap().wished().target.as_ref().unwrap().band, 0.5);
    typed(&mut app, "u");
    assert_eq!(app.session.channel().unwrap().wished().target.as_ref().unwrap().band, 2.0);
    app.session.edit_channel(|channel| channel.target = None);
    assert!(picture(&mut app, 80, 24).contains("no target yet: e sets one"));
}

#[test]
fn what_is_over_is_not_answered() {
    let mut app = app_of(PUMP);
    let mut board = amber_boards::by_name("flume-pump", 5).unwrap();
    watch(&mut app, &mut *board, 0..6);
    typed(&mut app, "5c");
    press(&mut app, KeyCode::Char('A'));
    assert!(app.session.is_armed());
    board.hear(b"pump on\n", &mut Vec::new());
    // The rows of a minute wait, and are taken in together: they say nothing of the board as it is now.
    let mut bytes = Vec::new();
    board.run(Duration::from_secs(36), &mut bytes);
    let events = app.session.chain().events().len();
    app.update(START.plus(36.0), Message::Key(KeyCode::Down.into()));
    let chunk = amber_io::Chunk { at: START.plus(6.1), bytes: bytes.into(), skipped: 0 };
    let requests = app.update(START.plus(36.0), Message::Feed(0, Feed::Chunk(chunk)));
    assert!(app.session.chain().events().len() > events && sent(&requests).is_empty(), "{requests:?}");
    assert!(app.session.sendings().unwrap().contains("not sent: the row had waited too long"));
    // A short pause of the program is none; what stood still is not armed any more.
    for (at, is_armed) in [(36.0, true), (36.9, true), (42.0, false), (42.1, false)] {
        app.session.note_running(START.plus(at));
        assert_eq!(app.session.is_armed(), is_armed, "{at}");
    }
    assert!(picture(&mut app, 160, 47).contains("sending is off: the program stood still for 5.1 s"));
    // However short a stop was.
    press(&mut app, KeyCode::Char('A'));
    assert!(app.session.is_armed());
    app.session.goes_on();
    assert!(!app.session.is_armed());
}

#[test]
fn silence_is_answered_without_a_row() {
    let bench = "[[source]]\n[source.wire]\nport = \"raft\"\n[[source.condition]]\nname = \"quiet\"\ntest = [{ kind = \"silent\", seconds = 1.0 }]\nanswer = [{ kind = \"bell\" }, { kind = \"send\", line = \"are you there, {x}?\" }]\n";
    let mut app = app_of(bench);
    let mut board = amber_boards::by_name("raft", 5).unwrap();
    watch(&mut app, &mut *board, 0..2);
    assert_eq!(app.session.toggle_armed(), [], "nothing is true yet");
    assert_eq!(app.session.pass_time(START.plus(2.9)), []);
    let requests = app.session.pass_time(START.plus(3.2));
    assert_eq!(requests[0], Request::Bell);
    let lines = sent(&requests);
    assert!(lines[0].starts_with("are you there, ") && lines[0].ends_with("?\n") && lines[0].len() < 24, "{lines:?}");
    assert_eq!(app.session.pass_time(START.plus(9.0)), [], "once");
    let event = app.session.chain().events()[0];
    assert!((event.at.seconds_since(START) - 3.0).abs() < 0.06 && event.row.is_none(), "{event:?}");
}

#[test]
fn marked_states_give_a_threshold_with_its_words() {
    let mut app = app_of("[[source]]\n[source.wire]\nport = \"desk\"\n");
    let mut board = amber_boards::by_name("desk", 5).unwrap();
    watch(&mut app, &mut *board, 0..5);
    app.session.selected.channel = 1;
    typed(&mut app, "5A");
    assert!(app.session.channel().unwrap().wished().watch.is_none(), "one level is not enough");
    typed(&mut app, "M");
    replace(&mut app, "covered");
    watch(&mut app, &mut *board, 5..14);
    typed(&mut app, "M");
    replace(&mut app, "open");
    let settings = app.session.channel().unwrap().wished().clone();
    let watch_of = settings.watch.unwrap();
    assert!(
        (1200.0..1400.0).contains(&watch_of.threshold) && (10.0..40.0).contains(&watch_of.hysteresis),
        "{watch_of:?}"
    );
    assert_eq!((settings.sides.below.as_str(), settings.sides.above.as_str()), ("covered", "open"));
    let text = picture(&mut app, 160, 47);
    assert!(text.contains("it will switch falsely less than") && text.contains("open  1 rising edge"), "{text}");
    // Four levels are four states, each with a condition.
    watch(&mut app, &mut *board, 14..40);
    typed(&mut app, "M");
    press(&mut app, KeyCode::Enter);
    typed(&mut app, "A");
    assert_eq!(app.session.conditions().len(), 4, "{:?}", app.session.conditions());
    let open: Vec<_> = app.session.chain().events().iter().filter(|event| event.ended.is_none()).collect();
    assert!(open.len() <= 1, "the bands do not lie over one another: {open:?}");
}
