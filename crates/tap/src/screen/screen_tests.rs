//! Parts of the screen on their own: where they stand, what gives way, that nothing spills over.

use super::text::{fitting, put_right};
use super::*;
use crate::app::Message;
use crate::rooms::panel::RowKind;
use crate::theme::Depth;
use amber_core::Stamp;
use amber_core::bench::{Bench, ChannelSettings};
use amber_core::chain::Chain;
use amber_core::scale::Scale;
use amber_core::store::Limits;
use amber_io::{Chunk, Feed, LinkState};
use crossterm::event::KeyCode;
use ratatui::style::Style;
use std::path::PathBuf;

const START: Stamp = Stamp(1_780_000_000_000_000_000);

/// A live program that has seen `seconds` of made-up rows with these channels; the last one is a bit.
fn app(channels: usize, seconds: u32, size: (u16, u16)) -> App {
    let scale = |i: usize| Scale::linear(12, 3.3, 0.0, 1.0, ["mm", "kPa", "cm"][i % 3]);
    let settings = |i| ChannelSettings { scale: scale(i), ..ChannelSettings::named(&format!("c{i}")) };
    let channel = (0..channels - 1).map(settings).collect();
    let mut bench = Bench::of(amber_core::bench::SourceSettings { channel, ..Default::default() });
    bench.shared.name = "test".into();
    let mut app = App::live(Chain::new(&bench, 0, Limits::default()), bench.shared, PathBuf::from("."), None, START);
    app.session.zone = jiff::tz::TimeZone::UTC;
    app.session.size = size;
    app.update(START, Message::Feed(0, Feed::State(LinkState::open_at(115_200))));
    for i in 0..seconds * 50 {
        let at = START.plus(f64::from(i) * 0.02);
        let fields = (0..channels - 1).map(|c| format!("c{c}={} ", 2000 + (i * (c as u32 + 3)) % 500));
        let line = format!("{}c{}={}\n", fields.collect::<String>(), channels - 1, i / 40 % 2);
        app.update(at, Message::Feed(0, Feed::Chunk(Chunk { at, bytes: line.as_bytes().into(), skipped: 0 })));
    }
    app.before_frame(app.session.now);
    app
}

fn rows(app: &App) -> Vec<String> {
    let (width, height) = app.session.size;
    let mut buffer = Buffer::empty(Rect::new(0, 0, width, height));
    draw(app, false, Theme::new(Depth::Full), &mut buffer);
    let symbols: Vec<&str> = buffer.content.iter().map(|cell| cell.symbol()).collect();
    symbols.chunks(usize::from(width)).map(|row| row.concat()).collect()
}

fn press(app: &mut App, code: KeyCode) {
    app.update(app.session.now, Message::Key(code.into()));
    app.before_frame(app.session.now);
}

#[test]
fn the_parts_cover_the_screen_and_never_one_another() {
    let mut app = app(4, 1, (160, 47));
    for open in [false, true] {
        if open {
            app.show(RoomId::Scale);
        }
        for width in (LEAST.0..220).step_by(7) {
            for height in LEAST.1..70 {
                let area = Rect::new(0, 0, width, height);
                let Layout { title, strip, chart, side, readouts, tail, foot } = Layout::new(&app, area);
                let parts: Vec<Rect> =
                    [title, strip, chart, tail, foot].into_iter().chain(side).chain(readouts).collect();
                for (i, part) in parts.iter().enumerate() {
                    assert_eq!(part.intersection(area), *part, "{width}x{height}: part {i} leaves the screen");
                    assert!(
                        parts[..i].iter().all(|other| !other.intersects(*part)),
                        "{width}x{height}: part {i} overlaps"
                    );
                }
                assert!(chart.width >= 22 && chart.height >= 4, "{width}x{height}: {chart}");
                assert!(side.is_some() == open && side.is_none_or(|side| side.width >= 30), "{width}x{height}");
            }
        }
    }
}

#[test]
fn panels_take_the_place_of_readouts_only_where_there_is_no_room_for_both() {
    let mut app = app(3, 1, (160, 47));
    app.show(RoomId::Watch);
    let layout = |app: &App, width| Layout::new(app, Rect::new(0, 0, width, 30));
    assert!(layout(&app, 160).readouts.is_some() && layout(&app, 160).side.is_some());
    assert!(layout(&app, 80).readouts.is_none() && layout(&app, 80).side.is_some());
    app.show(RoomId::Watch);
    assert!(layout(&app, 80).readouts.is_some());
}

#[test]
fn every_panel_shows_its_settings_and_a_hint_at_every_size() {
    for size in [(80, 24), (160, 47)] {
        let mut app = app(4, 3, size);
        for stage in Stage::ALL {
            let key = KeyCode::Char(char::from_digit(stage.number() as u32, 10).unwrap());
            press(&mut app, key);
            let rows_of = app.rooms.get(RoomId::of_stage(stage)).rows(&app.session);
            let settings: Vec<_> = rows_of.into_iter().filter(|row| !matches!(row.kind, RowKind::Fact)).collect();
            assert!(!settings.is_empty(), "{}", stage.name());
            for field in settings {
                let screen = rows(&app).join("\n");
                assert!(screen.contains(&format!("{} {}", stage.number(), stage.name())));
                // A tool's words may be cut; they stand below then.
                let name: String = field.name.chars().take(24).collect();
                assert!(screen.contains(&name), "{size:?}: '{}' is not on the screen\n{screen}", field.name);
                let mut first = field.help.split(' ').take(3);
                assert!(first.all(|word| screen.contains(word)), "{size:?}: no hint for '{}'\n{screen}", field.name);
                press(&mut app, KeyCode::Down);
            }
            press(&mut app, key);
            assert!(app.side().is_none());
        }
    }
}

#[test]
fn every_setting_can_be_stepped_both_ways_and_typed_empty_without_harm() {
    let mut app = app(4, 2, (120, 40));
    press(&mut app, KeyCode::Char('4'));
    press(&mut app, KeyCode::Right);
    press(&mut app, KeyCode::Char('5'));
    press(&mut app, KeyCode::Right);
    for stage in Stage::ALL {
        if !app.is_open(stage) {
            press(&mut app, KeyCode::Char(char::from_digit(stage.number() as u32, 10).unwrap()));
        }
        for _ in 0..app.row_names(stage).len() {
            for key in [KeyCode::Left, KeyCode::Right, KeyCode::Right, KeyCode::Left, KeyCode::Enter] {
                press(&mut app, key);
                if !app.overlays.is_empty() {
                    (0..40).for_each(|_| press(&mut app, KeyCode::Backspace));
                    press(&mut app, KeyCode::Enter);
                    // Wrong or not, Esc leaves it.
                    press(&mut app, KeyCode::Esc);
                    if !app.is_open(stage) {
                        press(&mut app, KeyCode::Char(char::from_digit(stage.number() as u32, 10).unwrap()));
                    }
                }
                assert!(app.overlays.is_empty());
                rows(&app);
            }
            press(&mut app, KeyCode::Down);
        }
        for channel in app.session.chain().channels() {
            let settings = channel.settings();
            assert!(settings.scale.fault().is_none() && settings.watch.is_none_or(|watch| watch.fault().is_none()));
        }
    }
}

#[test]
fn the_way_to_the_help_and_the_way_out_are_always_in_the_footer() {
    let mut app = app(3, 1, (160, 47));
    for width in [60, 80, 100, 160] {
        app.session.size = (width, 24);
        for keys in [None, Some(KeyCode::Char('2'))] {
            keys.into_iter().for_each(|key| press(&mut app, key));
            let foot = rows(&app).pop().unwrap();
            assert!(foot.contains("? help") && foot.contains("q quit"), "{foot}");
            press(&mut app, KeyCode::Esc);
        }
    }
    // In a panel the arrows change settings; the footer does not promise panning.
    app.session.size = (160, 47);
    press(&mut app, KeyCode::Char('3'));
    let foot = rows(&app).pop().unwrap();
    assert!(foot.contains("←→ change") && !foot.contains("←→ pan"), "{foot}");
}

#[test]
fn the_help_holds_every_key_at_every_size() {
    for size in [(80, 24), (160, 47), (100, 30)] {
        let mut app = app(3, 1, size);
        press(&mut app, KeyCode::Char('?'));
        let mut seen = String::new();
        for _ in 0..60 {
            seen += &rows(&app).join("\n");
            (0..10).for_each(|_| press(&mut app, KeyCode::Down));
        }
        for key in RoomId::ALL.iter().flat_map(|id| id.keys()) {
            assert!(seen.contains(key.help), "{size:?}: the help lacks '{}'", key.help);
        }
        press(&mut app, KeyCode::Char('/'));
        "record ten".chars().for_each(|c| press(&mut app, KeyCode::Char(c)));
        let found = rows(&app).join("\n");
        assert!(found.contains("t starts a take") && !found.contains("zoom in"), "{found}");
        press(&mut app, KeyCode::Enter);
        press(&mut app, KeyCode::Esc);
        assert!(app.overlays.is_empty());
    }
}

#[test]
fn many_channels_all_stay_readable_and_can_be_clicked() {
    let app = app(20, 2, (160, 47));
    let screen = rows(&app);
    let readouts = Layout::new(&app, Rect::new(0, 0, 160, 47)).readouts.unwrap();
    for index in 0..20 {
        let name = format!("c{index}");
        let row = screen.iter().position(|row| {
            let side: String = row.chars().skip(usize::from(readouts.x)).collect();
            side.split([' ', '▸']).any(|word| word == name)
        });
        let row = row.unwrap_or_else(|| panic!("{name} has no readout")) as u16;
        assert_eq!(hit(&app, readouts.x + 3, row), Some(Hit::Channel(app.session.own(index))));
    }
}

#[test]
fn a_hidden_channel_leaves_the_chart_but_not_the_readouts() {
    let mut app = app(3, 2, (160, 47));
    let heading = |app: &App| rows(app)[4].chars().take(100).collect::<String>();
    assert!(heading(&app).contains("A c0"));
    press(&mut app, KeyCode::Char('2'));
    press(&mut app, KeyCode::Char('h'));
    let screen = rows(&app);
    assert!(
        !heading(&app).contains("A c0") && screen.iter().any(|row| row.contains("hidden")),
        "{}",
        screen.join("\n")
    );
    press(&mut app, KeyCode::Tab);
    press(&mut app, KeyCode::Char('h'));
    press(&mut app, KeyCode::Tab);
    press(&mut app, KeyCode::Char('h'));
    press(&mut app, KeyCode::Esc);
    assert!(rows(&app).join("\n").contains("all channels are hidden: select one with Tab and show it with 2 h"));
    press(&mut app, KeyCode::Char('2'));
    press(&mut app, KeyCode::Char('h'));
    assert!(!app.session.channel().unwrap().settings().hidden);
}

#[test]
fn text_is_cut_at_the_edges_of_its_area_and_of_what_is_drawn() {
    let area = Rect::new(0, 0, 10, 2);
    let mut part = Buffer::empty(Rect::new(4, 1, 3, 1));
    let style = Style::new();
    assert_eq!(put(&mut part, area, 2, 1, "abcdefghijkl", style), 10);
    assert_eq!(part.content.iter().map(|cell| cell.symbol()).collect::<String>(), "cde");
    assert_eq!(put(&mut part, area, 2, 0, "xxx", style), 5, "another row: counted, not drawn");
    assert_eq!(put(&mut part, area, 12, 1, "xxx", style), 12);
    put_right(&mut part, area, 1, "123456", style);
    assert_eq!(part.content.iter().map(|cell| cell.symbol()).collect::<String>(), "123");
    put(&mut part, area, 4, 1, "\u{1b}\u{9b}漢", style);
    assert_eq!(part.content.iter().map(|cell| cell.symbol()).collect::<String>(), "␛▯▯", "a unit may say anything");
    assert_eq!(fitting(4, ["too long".to_owned(), "fits".to_owned(), "x".to_owned()]), "fits");
    assert_eq!(fitting(1, ["too long".to_owned(), "still".to_owned()]), "still");
}

#[test]
fn large_numbers_keep_their_size_while_the_value_wanders() {
    let mut app = app(3, 4, (120, 30));
    press(&mut app, KeyCode::Char('n'));
    let height = |app: &App| {
        let screen = rows(app);
        let lit = |row: &&String| row.chars().take(80).any(|c| matches!(c, '▀' | '▄'));
        screen.iter().filter(lit).count()
    };
    assert!(rows(&app).join("\n").contains("A c0") && height(&app) >= 1);
    press(&mut app, KeyCode::Tab);
    press(&mut app, KeyCode::Tab);
    let screen = rows(&app).join("\n");
    assert!(screen.contains("C c2") && (screen.contains("high") || screen.contains("low")), "{screen}");
    press(&mut app, KeyCode::Char('n'));
    assert!(rows(&app).join("\n").contains(" across "));
}

#[test]
fn the_wire_lines_show_fields_in_their_inks_and_why_a_line_was_refused() {
    let mut app = app(3, 1, (160, 47));
    let at = app.session.now.plus(0.02);
    let bytes: &[u8] = b"c0=1 c1=x c2=0\npump primed\n";
    app.update(at, Message::Feed(0, Feed::Chunk(Chunk { at, bytes: bytes.into(), skipped: 0 })));
    app.session.refresh_soon();
    app.before_frame(at);
    let mut buffer = Buffer::empty(Rect::new(0, 0, 160, 47));
    let theme = Theme::new(Depth::Full);
    draw(&app, false, theme, &mut buffer);
    let row = |text: &str| {
        let found = rows(&app).iter().rposition(|row| row.contains(text)).unwrap_or_else(|| panic!("no '{text}'"));
        (found as u16, rows(&app)[found].find(text).unwrap())
    };
    let (good, _) = row("c0=2");
    let line: String = rows(&app)[usize::from(good)].clone();
    let column = line.chars().take(line.find("c1=").unwrap()).count() as u16;
    assert_eq!(Some(buffer[(column, good)].fg), theme.style(Ink::Trace(1)).fg);
    row("rejected: a field is not a number");
    let (message, _) = row("pump primed");
    assert!(rows(&app)[usize::from(message)].contains('»'));
}
