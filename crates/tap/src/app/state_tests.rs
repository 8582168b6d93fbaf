//! How the link stands, and what is typed for the wire: said on the screen, with what to do.

use super::tests::{START, app, picture, press, replace, typed, watched};
use super::*;
use crate::session::*;
use amber_core::chain::Chain;
use amber_io::LinkState;
use amber_io::Problem;
use crossterm::event::{KeyCode, KeyModifiers, MouseButton, MouseEvent, MouseEventKind};
use jiff::tz::TimeZone;
use std::time::Duration;

fn state(app: &mut App, state: LinkState) -> String {
    app.update(app.session.now, Message::Feed(0, Feed::State(state)));
    picture(app, 160, 30)
}

#[test]
fn every_state_of_the_link_is_said_on_the_screen() {
    let mut app = app();
    let lent = |back, in_use| LinkState::Lent { back, in_use };
    let gone = Problem::Vanished("/dev/ttyACM0".into());
    for (link, lamp, words) in [
        (LinkState::Opening, "◌ opening", "opening the port"),
        (LinkState::Finding { baud: 9600, tried: Vec::new() }, "◌ detecting baud", "baud rate is not yet detected"),
        (LinkState::open_at(9600), "◌ open, silent", "is the board powered"),
        (lent(true, false), "↗ lent", "L takes it back"),
        (lent(false, true), "↗ lent, in use", "L takes it back"),
        (LinkState::Ended, "■ at its end", "the text ended without a line"),
        (
            LinkState::Waiting { problem: gone, pause: Duration::from_millis(300) },
            "▲ not open",
            "went away: check the cable",
        ),
    ] {
        let text = state(&mut app, link.clone());
        assert!(text.contains(lamp) && text.contains(words), "{link:?}:\n{text}");
    }
    // Its panel says the same, and a text has no speed to set.
    press(&mut app, KeyCode::Char('1'));
    for (link, words) in [
        (lent(true, false), "lent, taken back automatically"),
        (lent(true, true), "lent, in use"),
        (LinkState::Finding { baud: 57_600, tried: Vec::new() }, "listening at 57600"),
        (LinkState::Ended, "end of the text"),
    ] {
        let text = state(&mut app, link.clone());
        assert!(text.contains(words), "{link:?}:\n{text}");
    }
    assert!(!app.row_names(Stage::Wire).iter().any(|name| name == "baud rate"));
}

#[test]
fn what_is_typed_wrong_for_the_wire_says_why_and_changes_nothing() {
    let mut app = watched(2);
    press(&mut app, KeyCode::Char('1'));
    let before = app.session.bench();
    let typed = |app: &mut App, id: &str, text: &str| {
        app.go_to_row(Stage::Wire, id);
        press(app, KeyCode::Enter);
        let effects = replace(app, text);
        assert!(effects.is_empty(), "{id:?} {text:?}: {effects:?}");
        let hint = match app.overlays.last() {
            Some(Overlay::Prompt(prompt)) => prompt.wrong.clone().unwrap_or_else(|| prompt.hint.clone()),
            _ => String::new(),
        };
        press(app, KeyCode::Esc);
        hint
    };
    for (id, text, hint) in [
        ("port", "", "type the path of a port"),
        ("baud rate", "fast", "'fast' is not a number"),
        ("baud rate", "7", "a baud rate is 50 to 20000000"),
        ("data bits", "9", "data_bits must be 5 to 8"),
        ("data bits", "7.5", "type a whole number"),
        ("stop bits", "3", "stop_bits must be 1 or 2"),
        ("refresh rate", "1000", "0.2 to 60 times a second"),
    ] {
        let found = typed(&mut app, id, text);
        assert!(found.contains(hint), "{id:?} {text:?}: {found}");
    }
    app.session.chain_mut().set_time(amber_core::clock::Time::Rate { hz: 100.0 });
    assert!(typed(&mut app, "rows a second", "0").contains("hz must be"));
    app.session.chain_mut().set_time(before.first().time.clone());
    assert_eq!(app.session.bench(), before);
}

#[test]
fn the_mouse_takes_another_source_to_hand() {
    let source = |name: &str| {
        let source =
            amber_core::bench::WireSettings { name: name.into(), ..amber_core::bench::WireSettings::at("/dev/x") };
        Chain::new(
            &Bench::of(amber_core::bench::SourceSettings { wire: source, ..Default::default() }),
            0,
            amber_core::store::Limits::default(),
        )
    };
    let app = App::live(source("near"), Default::default(), "out".into(), None, START);
    let mut app = app.beside([(source("far"), Source::Live { link: LinkState::Opening })]);
    app.session.zone = TimeZone::UTC;
    for i in 0..100u32 {
        let at = START.plus(f64::from(i) * 0.05);
        for (place, text) in [(0, format!("a={i}\n")), (1, format!("b={i}\n"))] {
            let chunk = amber_io::Chunk { at, bytes: text.as_bytes().into(), skipped: 0 };
            app.update(at, Message::Feed(place, Feed::Chunk(chunk)));
        }
    }
    let text = picture(&mut app, 160, 47);
    let readouts = |line: &str| line.chars().skip(113).collect::<String>();
    let row = text.lines().position(|line| readouts(line).contains("B b")).unwrap();
    let down = MouseEventKind::Down(MouseButton::Left);
    let click = MouseEvent { kind: down, column: 140, row: row as u16, modifiers: KeyModifiers::NONE };
    app.update(app.session.now, Message::Mouse(click));
    let far = ChannelId { source: 1, channel: 0 };
    assert_eq!((app.session.selected, app.session.title(app.session.selected).as_str()), (far, "far.b"));
    // What goes wrong with a source that is not at hand is said with its name.
    let problem = Problem::Missing("/dev/y".into());
    let waiting = LinkState::Waiting { problem, pause: Duration::from_secs(1) };
    app.update(app.session.now, Message::Feed(0, Feed::State(waiting)));
    assert!(app.session.trouble().is_some_and(|trouble| trouble.starts_with("near: /dev/y is not there")));
    typed(&mut app, "1\\");
    assert!(app.session.trouble().is_some_and(|trouble| trouble.starts_with("/dev/y is not there")));
}

#[test]
fn the_first_key_replaces_what_a_prompt_offers_and_what_is_wrong_is_said_beside_what_was_typed() {
    let mut app = watched(3);
    let value = |app: &App| match app.overlays.last() {
        Some(Overlay::Prompt(prompt)) => (prompt.input.value().to_owned(), prompt.wrong.clone()),
        _ => panic!("no prompt"),
    };
    let ask = |app: &mut App| {
        press(app, KeyCode::Esc);
        for key in [KeyCode::Char('3'), KeyCode::Down, KeyCode::Down, KeyCode::Enter] {
            press(app, key);
        }
    };
    // The bits of the converter are offered.
    ask(&mut app);
    assert_eq!(value(&app).0, "12");
    assert!(picture(&mut app, 80, 24).contains("type to replace it"));
    press(&mut app, KeyCode::Char('9'));
    assert_eq!(value(&app).0, "9");
    press(&mut app, KeyCode::Char('9'));
    press(&mut app, KeyCode::Enter);
    let (text, wrong) = value(&app);
    assert_eq!((text.as_str(), wrong.as_deref()), ("99", Some("bits must be 1 to 32")));
    let text = picture(&mut app, 80, 24);
    assert!(text.contains("bits must be 1 to 32") && text.contains("resolution of the converter"), "{text}");
    // What was typed is kept to be mended, and what was wrong goes with the first key.
    press(&mut app, KeyCode::Backspace);
    assert_eq!(value(&app), ("9".into(), None));
    press(&mut app, KeyCode::Esc);
    for (keys, left) in [
        (vec![KeyCode::End, KeyCode::Char('4')], "124"),
        (vec![KeyCode::Home, KeyCode::Delete], "2"),
        (vec![KeyCode::Left, KeyCode::Char('0')], "102"),
        (vec![KeyCode::Backspace], ""),
    ] {
        ask(&mut app);
        keys.iter().for_each(|key| drop(press(&mut app, *key)));
        assert_eq!(value(&app).0, left, "{keys:?}");
        press(&mut app, KeyCode::Esc);
    }
    ask(&mut app);
    app.update(app.session.now, Message::Paste("10\n".into()));
    assert_eq!(value(&app).0, "10");
    press(&mut app, KeyCode::Enter);
    assert!(app.overlays.is_empty());
}
