//! Every key in every room, with nothing there yet, with everything hidden and with all there is.

use super::tests::{START, feed, picture, press, typed, watched};
use super::*;
use crate::session::*;
use amber_core::chain::Chain;
use amber_io::LinkState;
use amber_io::take::TakePlace;
use crossterm::event::{KeyCode, KeyModifiers};
use jiff::tz::TimeZone;

/// An app with one source that sent `text`.
fn with(text: &str, bench: &str) -> App {
    let bench = Bench::parse(bench).unwrap();
    let chain = Chain::new(&bench, 0, amber_core::store::Limits::default());
    let mut app = App::live(chain, bench.shared.clone(), PathBuf::from("out"), None, START);
    app.session.zone = TimeZone::UTC;
    app.update(START, Message::Feed(0, Feed::State(LinkState::open_at(9600))));
    if !text.is_empty() {
        feed(&mut app, START.plus(1.0), text.as_bytes());
    }
    app
}

fn take_of(text: &str) -> App {
    let dir = tempfile::tempdir().unwrap();
    let place = TakePlace::Exactly(dir.path().join("x"));
    let bench = Bench::default();
    let mut writer = amber_io::take::Writer::create(&place, &bench, START, amber_io::take::Event::BEGIN).unwrap();
    writer.chunk(START.plus(1.0), text.as_bytes()).unwrap();
    writer.finish(START.plus(2.0)).unwrap();
    let take = amber_io::take::open(&dir.path().join("x")).unwrap();
    let chain = chain_of(&take, &bench, 0).unwrap();
    App::take(chain, bench.shared.clone(), take, None)
}

type State = (&'static str, fn() -> App);

const STATES: [State; 10] = [
    ("nothing came", || with("", "")),
    ("not plugged in", || {
        let mut app = with("", "");
        let problem = amber_io::Problem::Missing("/dev/ttyACM0".into());
        let waiting = LinkState::Waiting { problem, pause: std::time::Duration::from_secs(1) };
        app.update(START, Message::Feed(0, Feed::State(waiting)));
        app
    }),
    ("only text", || with(&"the board is starting, please wait\n".repeat(20), "")),
    ("channels without a row", || with("", "[split]\nshape = \"labelled\"\nlabels = [\"a\", \"b\"]\n")),
    ("one row", || with("a=1 b=0\n", "[split]\nshape = \"labelled\"\nlabels = [\"a\", \"b\"]\n")),
    ("everything hidden", || {
        let mut app = watched(3);
        for place in 0..app.session.chain().channels().len() {
            app.session.selected.channel = place;
            typed(&mut app, "2h");
            press(&mut app, KeyCode::Esc);
        }
        app
    }),
    ("all there is", || watched(3)),
    ("two sources, a computed and a hidden channel", many),
    ("a take without a row", || take_of("hello\n")),
    ("a take", || take_of(&"a=1 b=2\n".repeat(50))),
];

/// A computed channel that others need, two sources, channels that are hidden.
fn many() -> App {
    let bench = "[[source]]\n[[source.channel]]\nname = \"sum\"\nformula = \"a + b\"\n[[source.channel]]\nname = \"b\"\nhidden = true\n";
    let app = with("a=1 b=2\na=2 b=2\na=3 b=0\na=4 b=0\n", bench);
    let other = Chain::new(&Bench::default(), 0, amber_core::store::Limits::default());
    let mut app = app.beside([(other, Source::Live { link: LinkState::Opening })]);
    let chunk = amber_io::Chunk { at: START.plus(1.5), bytes: (*b"1,2\n2,3\n3,4\n4,5\n").into(), skipped: 0 };
    app.update(START.plus(1.5), Message::Feed(1, Feed::Chunk(chunk)));
    app.before_frame(START.plus(1.5));
    app
}

/// What is pressed to be in a room.
const ROOMS: [&[KeyCode]; 27] = [
    &[],
    &[KeyCode::Char('1')],
    &[KeyCode::Char('2')],
    &[KeyCode::Char('3')],
    &[KeyCode::Char('4')],
    &[KeyCode::Char('5')],
    &[KeyCode::Char('6')],
    &[KeyCode::Char('3'), KeyCode::Char('c')],
    &[KeyCode::Char('3'), KeyCode::Char('r')],
    &[KeyCode::Char('3'), KeyCode::Char('d')],
    &[KeyCode::Char('v'), KeyCode::Char('l')],
    &[KeyCode::Char('v'), KeyCode::Char('l'), KeyCode::Char('2')],
    &[KeyCode::Char('n')],
    &[KeyCode::Char('v'), KeyCode::Char('t')],
    &[KeyCode::Char('v'), KeyCode::Char('s')],
    &[KeyCode::Char('v'), KeyCode::Char('b')],
    &[KeyCode::Char('v'), KeyCode::Char('w')],
    &[KeyCode::Char('5'), KeyCode::Char('c')],
    &[KeyCode::Char('5'), KeyCode::Char('E')],
    &[KeyCode::Char('v'), KeyCode::Char('a')],
    &[KeyCode::Char('v'), KeyCode::Char('i')],
    &[KeyCode::Char('c')],
    &[KeyCode::Char('4'), KeyCode::Char('T')],
    &[KeyCode::Char('4'), KeyCode::Char('B')],
    &[KeyCode::Char('/')],
    &[KeyCode::Char(':')],
    &[KeyCode::Char('?')],
];

/// Every row of every panel is edited, nudged, added to, moved and deleted, with whatever is asked then answered.
#[test]
fn no_row_of_any_panel_ends_the_program_whatever_there_is() {
    let none = KeyModifiers::NONE;
    let mut tried = 0;
    for (name, state) in STATES {
        for panel in ["1", "2", "3", "4", "5", "6", "5c"] {
            let mut app = state();
            let mut row = 0;
            loop {
                let mut is_there = false;
                for code in [KeyCode::Enter, KeyCode::Left, KeyCode::Right, KeyCode::Char('a'), KeyCode::Char('x')]
                    .into_iter()
                    .chain(['b', 'J', 'K', 'A', 'o', 'p'].map(KeyCode::Char))
                {
                    (0..4).for_each(|_| drop(press(&mut app, KeyCode::Esc)));
                    app.overlays.clear();
                    app.view = RoomId::Chart;
                    typed(&mut app, panel);
                    let Some(id) = app.side() else { continue };
                    let rows = app.rooms.get(id).rows(&app.session);
                    let selectable = rows.iter().filter(|row| row.can_be_selected()).count();
                    // One row more than there are: what was there may be gone by then.
                    is_there |= row <= selectable;
                    app.rooms.get_mut(id).select(row, &mut app.session);
                    app.update(app.session.now, Message::Key(KeyEvent::new(code, none)));
                    if matches!(app.overlays.last(), Some(Overlay::Prompt(_) | Overlay::List(_))) {
                        press(&mut app, KeyCode::Char('7'));
                        press(&mut app, KeyCode::Enter);
                    }
                    if tried % 5 == 0 {
                        assert_eq!(
                            picture(&mut app, 80, 24).lines().count(),
                            24,
                            "{name}, {panel}, row {row}, {code:?}"
                        );
                    }
                    tried += 1;
                }
                row += 1;
                if !is_there {
                    break;
                }
            }
        }
    }
    assert!(tried > 5000, "{tried}");
}

#[test]
fn no_key_in_any_room_ends_the_program_whatever_there_is() {
    let sizes = [(60, 18), (80, 24), (1, 1), (100, 30), (5, 3), (30, 8)];
    let none = KeyModifiers::NONE;
    let mut keys: Vec<(KeyCode, KeyModifiers)> =
        RoomId::ALL.iter().flat_map(|id| id.keys()).flat_map(|key| key.presses.iter().copied()).collect();
    keys.extend([(KeyCode::Char('1'), none), (KeyCode::Char('x'), none), (KeyCode::Enter, none)]);
    keys.sort_by_key(|key| format!("{key:?}"));
    keys.dedup();
    let mut pressed = 0;
    for (name, state) in STATES {
        for room in ROOMS {
            let mut app = state();
            for (number, (code, modifiers)) in keys.iter().enumerate() {
                // Out of wherever the last key led, and into the room again.
                for _ in 0..4 {
                    press(&mut app, KeyCode::Esc);
                }
                app.overlays.clear();
                app.view = RoomId::Chart;
                room.iter().for_each(|key| drop(press(&mut app, *key)));
                app.update(app.session.now, Message::Key(KeyEvent::new(*code, *modifiers)));
                // What was asked is answered, wrongly at first.
                if matches!(app.overlays.last(), Some(Overlay::Prompt(_) | Overlay::List(_))) {
                    press(&mut app, KeyCode::Char('7'));
                    press(&mut app, KeyCode::Enter);
                }
                let (width, height) = sizes[number % sizes.len()];
                let text = picture(&mut app, width, height);
                assert_eq!(text.lines().count(), usize::from(height), "{name}, {room:?}, {code:?}");
                // What is drawn alone is a part of the screen.
                let edge = crate::screen::draw_chart(&app, true, crate::theme::Theme::new(crate::theme::Depth::None));
                assert!(
                    edge.is_none_or(|edge| edge.area.right() <= width && edge.area.bottom() <= height),
                    "{name}, {room:?}"
                );
                pressed += 1;
            }
        }
    }
    assert!(pressed > 12_000, "{pressed}");
}
