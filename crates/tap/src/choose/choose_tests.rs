//! The list of what can be watched: what stands in it, what keys do, how it is drawn.

use super::*;
use crate::recent::Used;
use crate::theme::{Depth, Theme};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

fn port(path: &str, usb: &str) -> FoundPort {
    FoundPort { path: path.into(), product: "maker board".into(), usb: usb.into() }
}

fn press(chooser: &mut Chooser, codes: &[KeyCode]) -> Option<Choice> {
    codes.iter().filter_map(|code| chooser.key((*code).into())).last()
}

fn picture(chooser: &Chooser, width: u16, height: u16) -> String {
    let mut buffer = Buffer::empty(Rect::new(0, 0, width, height));
    draw(chooser, Theme::new(Depth::None), &mut buffer);
    let cells: Vec<&str> = buffer.content.iter().map(|cell| cell.symbol()).collect();
    cells.chunks(usize::from(width)).map(|row| row.concat().trim_end().to_owned() + "\n").collect()
}

fn known_board() -> Recent {
    let used = Used { path: "/b/tank.bench.toml".into(), port: "/dev/ttyACM7".into(), usb: "77".into() };
    Recent { bench: vec![used], ..Recent::default() }
}

#[test]
fn ports_come_first_a_new_one_is_chosen_and_a_known_board_brings_its_bench() {
    let mut chooser = Chooser::new("/nowhere".into(), known_board());
    assert!(chooser.set_ports(vec![port("/dev/ttyACM0", "11")]));
    assert_eq!(press(&mut chooser, &[KeyCode::Enter]), Some(Choice::Source("/dev/ttyACM0".into())));
    press(&mut chooser, &[KeyCode::Down]);
    assert!(!chooser.set_ports(vec![port("/dev/ttyACM0", "11")]));
    assert!(chooser.set_ports(vec![port("/dev/ttyACM0", "11"), port("/dev/ttyACM1", "77")]));
    assert_eq!(press(&mut chooser, &[KeyCode::Enter]), Some(Choice::Bench("/b/tank.bench.toml".into())));
    assert_eq!(press(&mut chooser, &[KeyCode::Down, KeyCode::Enter]), Some(Choice::Source("/dev/ttyACM1".into())));
    // It is pulled out again, while it was chosen.
    assert!(chooser.set_ports(Vec::new()));
    assert!(chooser.item().is_some());
}

#[test]
fn a_built_in_port_is_not_what_is_wanted_first() {
    let built_in = FoundPort { path: "/dev/ttyS0".into(), product: String::new(), usb: String::new() };
    let mut with_bench = Chooser::new("/nowhere".into(), known_board());
    with_bench.set_ports(vec![built_in.clone()]);
    assert_eq!(press(&mut with_bench, &[KeyCode::Enter]), Some(Choice::Bench("/b/tank.bench.toml".into())));
    let mut fresh = Chooser::new("/nowhere".into(), Recent::default());
    fresh.set_ports(vec![built_in]);
    assert_eq!(press(&mut fresh, &[KeyCode::Enter]), Some(Choice::Source("flume".into())));
    assert_eq!(press(&mut fresh, &[KeyCode::Home, KeyCode::Enter]), Some(Choice::Source("/dev/ttyS0".into())));
    assert_eq!(press(&mut fresh, &[KeyCode::End, KeyCode::Enter]), Some(Choice::Source("gremlin".into())));
}

#[test]
fn a_path_can_be_typed_and_the_way_out_is_there() {
    let dir = tempfile::tempdir().unwrap();
    for part in ["take-0001", "take-0002/left", "take-0003"] {
        std::fs::create_dir_all(dir.path().join(part)).unwrap();
    }
    for part in ["take-0001", "take-0002/left"] {
        std::fs::write(dir.path().join(part).join("wire.bin"), "12345").unwrap();
    }
    std::fs::write(dir.path().join("notes.txt"), "1\n2\n").unwrap();
    let mut chooser = Chooser::new(dir.path().into(), Recent::default());
    chooser.set_ports(Vec::new());
    let mut typed = |text: &str| {
        press(&mut chooser, &[KeyCode::Char('p')]);
        let codes: Vec<KeyCode> = text.chars().map(KeyCode::Char).chain([KeyCode::Enter]).collect();
        press(&mut chooser, &codes)
    };
    assert_eq!(typed("take-0001"), Some(Choice::Take(dir.path().join("take-0001"))));
    assert_eq!(typed("notes.txt"), Some(Choice::Source(dir.path().join("notes.txt").display().to_string())));
    assert_eq!(typed("x.bench.toml"), Some(Choice::Bench(dir.path().join("x.bench.toml"))));
    assert_eq!(typed("/dev/ttyUSB9"), Some(Choice::Source("/dev/ttyUSB9".into())));
    assert_eq!(typed(""), None, "nothing typed is no choice");
    assert_eq!(press(&mut chooser, &[KeyCode::Esc, KeyCode::Char('x')]), None);
    assert!(picture(&chooser, 100, 40).contains("arrows choose, Enter watches"));
    assert_eq!(press(&mut chooser, &[KeyCode::Char('q')]), Some(Choice::Quit));
    // An empty folder is no take; one with several sources is.
    let takes: Vec<String> =
        chooser.sections()[2].items.iter().map(|item| format!("{}, {}", item.name, item.about)).collect();
    assert_eq!(takes, ["take-0002, several sources", "take-0001, 5 B"]);
}

#[test]
fn the_list_at_a_common_size() {
    let mut chooser = Chooser::new("/nowhere".into(), known_board());
    chooser.set_ports(vec![port("/dev/ttyACM0", "11")]);
    chooser.set_ports(vec![port("/dev/ttyACM0", "11"), port("/dev/ttyACM1", "77")]);
    insta::assert_snapshot!(picture(&chooser, 110, 32));
}

#[test]
fn whatever_the_size_the_choice_is_in_sight() {
    let mut chooser = Chooser::new("/nowhere".into(), known_board());
    chooser.set_ports((0..12).map(|i| port(&format!("/dev/ttyUSB{i}"), "")).collect());
    let last = chooser.items().len() - 1;
    for (width, height) in [(1, 1), (20, 4), (40, 10), (80, 24), (200, 60)] {
        for selected in [0, last / 2, last] {
            chooser.selected = selected;
            let text = picture(&chooser, width, height);
            if height >= 10 {
                assert!(text.contains('▸'), "{width} x {height}, {selected}:\n{text}");
            }
        }
        press(&mut chooser, &[KeyCode::Char('/'), KeyCode::Char('d')]);
        let text = picture(&chooser, width, height);
        assert!(height < 10 || text.contains("▸ /d"), "{text}");
        press(&mut chooser, &[KeyCode::Esc]);
    }
}

#[test]
fn names_from_boards_are_made_safe() {
    let mut chooser = Chooser::new("/nowhere".into(), Recent::default());
    let evil = FoundPort { path: "/dev/ttyACM0".into(), product: "\x1b[2Jevil\u{9b}31m".into(), usb: "\x07".into() };
    chooser.set_ports(vec![evil]);
    let text = picture(&chooser, 120, 30);
    assert!(text.contains("␛[2Jevil") && !text.contains('\x1b') && !text.contains('\u{9b}'), "{text}");
}
