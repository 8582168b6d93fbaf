//! Choosing what to watch, and everything about the wire, in the real program on a real terminal.

use crate::support::Terminal;
use std::fs;

#[test]
fn started_alone_it_lists_what_there_is_and_watches_what_is_chosen() {
    let dir = tempfile::tempdir().unwrap();
    fs::write(dir.path().join("old.txt"), "gauge=1\ngauge=2\ngauge=3\n").unwrap();
    let terminal = Terminal::start("XDG_STATE_HOME=$PWD/state", &[], dir.path(), (120, 40));
    terminal.wait("what do you want to watch?");
    let screen = terminal.wait("simulated boards");
    assert!(screen.contains("none yet: s saves one while watching"), "{screen}");
    // What cannot be watched is said, and the list stays.
    terminal.keys(&["p", "nothing.bench.toml", "Enter"]);
    terminal.wait("nothing.bench.toml is not there");
    terminal.keys(&["p", "chatter", "Enter"]);
    terminal.wait("chatter at 57600 baud");
    terminal.wait("per-line 3");
    terminal.keys(&["s", "C-u", "rail.bench.toml", "Enter"]);
    terminal.wait("bench saved");
    terminal.keys(&["q"]);
    terminal.wait("[ended with 0]");
    // The bench is offered from now on, and found by its name from anywhere.
    let again = Terminal::start("XDG_STATE_HOME=$PWD/state", &[], dir.path(), (120, 40));
    let screen = again.wait("rail");
    assert!(screen.contains("benches used lately") && screen.contains("chatter, "), "{screen}");
    again.keys(&["q"]);
    again.wait("[ended with 0]");
    let spill = tempfile::tempdir().unwrap();
    let state = format!("XDG_STATE_HOME={}/state", dir.path().display());
    let named = Terminal::start(&state, &["bench", "rail"], spill.path(), (120, 40));
    named.wait("chatter at 57600 baud");
}

#[test]
fn two_boards_are_watched_side_by_side_and_kept_in_one_take() {
    let dir = tempfile::tempdir().unwrap();
    let terminal = Terminal::start("", &["watch", "valve=twin", "rail=chatter"], dir.path(), (160, 47));
    terminal.wait("rail.speed");
    terminal.wait("valve.field1");
    // All lines together tell that two are a row; nothing tells with which one it begins, so that it is pinned.
    terminal.wait("B field2");
    terminal.keys(&["2", "Enter", "Enter"]);
    terminal.wait("pinned, 100.0 % fit");
    terminal.keys(&["Escape"]);
    terminal.keys(&["1", "\\"]);
    terminal.wait("rail is selected");
    // A take that begins before the shape is settled finds it by its own lines.
    terminal.keys(&["2"]);
    terminal.wait("found, sure");
    terminal.keys(&["Escape", "Escape"]);
    // The selected board is talked to, and its answer stands among the lines.
    terminal.keys(&["t"]);
    terminal.wait("● take-0001");
    terminal.keys(&[":", "history", "Enter", "Escape"]);
    terminal.keys(&["v", "l", "o", "/history|^31 /", "Enter"]);
    let screen = terminal.wait("history at");
    assert!(screen.contains("← sent  history") || screen.contains("sent"), "{screen}");
    terminal.keys(&["Escape", "t"]);
    terminal.wait("take-0001 ended");
    terminal.keys(&["q", "q"]);
    terminal.wait("[ended with 0]");
    let takes = amber_io::take::open_all(&dir.path().join("take-0001")).unwrap();
    let names: Vec<&str> = takes.iter().map(|(name, _)| name.as_str()).collect();
    assert_eq!(names, ["rail", "valve"]);
    assert_eq!(takes[0].1.sent.len(), 1, "what was sent went to one board alone");
    for (name, take) in &takes {
        assert!(take.told.is_empty(), "{:?}", take.told);
        let table = fs::read(take.folder.join("readings.csv")).unwrap();
        assert_eq!(take.decode().unwrap(), table, "{name}");
    }
    let terminal = Terminal::start("", &["open", "take-0001"], dir.path(), (160, 47));
    terminal.wait("rail.speed");
    terminal.wait("E field2");
}

#[test]
fn standard_input_is_watched_while_the_keyboard_works() {
    let dir = tempfile::tempdir().unwrap();
    let feeder = "(for i in 1 2 3 4 5 6 7 8 9; do echo gauge=$i bed=2; done; sleep 30; echo gauge=77 bed=2) |";
    let terminal = Terminal::start(feeder, &["watch", "-"], dir.path(), (120, 40));
    terminal.wait("standard input");
    terminal.wait("gauge=9 bed=2");
    terminal.keys(&["1"]);
    terminal.wait("refresh rate");
    terminal.keys(&["Escape", ":", "hello", "Enter"]);
    terminal.wait("this source is a text: there is no board to send to");
    terminal.keys(&["Escape", "q"]);
    terminal.wait("[ended with 0]");
}

#[test]
fn a_port_is_lent_to_another_program_and_comes_back_while_a_take_goes_on() {
    let dir = tempfile::tempdir().unwrap();
    let board = amber_boards::serve(amber_boards::by_name("flume", 1).unwrap()).unwrap();
    std::os::unix::fs::symlink(board.path(), dir.path().join("port")).unwrap();
    let terminal = Terminal::start("", &["watch", "tank=./port"], dir.path(), (160, 47));
    terminal.wait("● live");
    terminal.wait("tank: ./port");
    terminal.keys(&["t"]);
    terminal.wait("● take-0001");
    terminal.keys(&["1", "L"]);
    terminal.wait("↗ lent");
    // What came before is old now, and there is no rate.
    terminal.wait_until("old values", |screen| screen.contains(" s old") && screen.contains("no rows"));
    // The take marks each opening of the port. (The board's greeting on the screen could be the one of either.)
    let stamps = dir.path().join("take-0001/wire.csv");
    let openings = || fs::read_to_string(&stamps).unwrap().matches(",join").count();
    let before = openings();
    let other = fs::File::open(board.path()).unwrap();
    terminal.wait("lent, in use");
    drop(other);
    terminal.wait("● live");
    terminal.wait_until("the gap of lending", |_| openings() == before + 1);
    terminal.keys(&["R"]);
    terminal.wait_until("the gap of the reset", |_| openings() == before + 2);
    terminal.keys(&["t"]);
    terminal.wait("take-0001 ended");
    let take = amber_io::take::open(&dir.path().join("take-0001")).unwrap();
    assert!(
        take.pieces.iter().filter(|piece| piece.event == Some(amber_io::take::Event::JOIN)).count() >= 2,
        "the gaps are marked"
    );
    assert_eq!(take.told, Vec::<String>::new());
    let gaps = fs::read_to_string(dir.path().join("take-0001/gaps.csv")).unwrap();
    let events: Vec<&str> = gaps.lines().skip(1).map(|row| row.split(',').nth(3).unwrap()).collect();
    assert_eq!(events, ["lent", "resumed", "break"], "{gaps}");
}

#[test]
fn the_pins_of_a_board_are_listed_read_and_set() {
    let dir = tempfile::tempdir().unwrap();
    let terminal = Terminal::start("", &["watch", "pinbox"], dir.path(), (140, 44));
    terminal.wait("detecting baud");
    terminal.keys(&["2", "i"]);
    terminal.wait("asked what its pins can do at 57600 baud");
    terminal.wait("Pinbox 2.5");
    terminal.keys(&["i"]);
    let screen = terminal.wait("pin 19, A5");
    assert!(screen.contains("input, output, pull-up, PWM 8 bit"), "{screen}");
    terminal.keys(&["pin 15", "Enter"]);
    terminal.wait("use as analog");
    terminal.keys(&["Enter"]);
    terminal.wait("A a1");
    terminal.keys(&["i", "pin 9", "Enter", "PWM", "Enter"]);
    terminal.wait("set, every 20 ms");
    terminal.keys(&["Escape", "Escape", ":", "pwm9 250", "Enter"]);
    // The lamp shines on the light sensor.
    terminal.wait_until("a1 85", |screen| (83..88).any(|code| screen.contains(&format!("a1 {code}"))));
    terminal.keys(&["C-u", "pwm9 400", "Enter"]);
    terminal.wait("takes 0 to 255");
    terminal.keys(&["Escape", "q", "q"]);
    terminal.wait("[ended with 0]");
}

#[test]
fn binary_frames_are_found_shown_in_hexadecimal_and_kept() {
    let dir = tempfile::tempdir().unwrap();
    let terminal = Terminal::start("", &["watch", "chime-binary", "--baud", "3000000"], dir.path(), (160, 47));
    let screen = terminal.wait("frames 4");
    assert!(!screen.contains("wrong baud"), "{screen}");
    terminal.wait("  A5 5A ");
    terminal.keys(&["2"]);
    terminal.wait("found, likely");
    terminal.keys(&["Escape", "t"]);
    terminal.wait("● take-0001");
    terminal.wait("take-0001 0:02");
    terminal.keys(&["t"]);
    terminal.wait("take-0001 ended");
    terminal.keys(&["q", "q"]);
    terminal.wait("[ended with 0]");
    let table = fs::read_to_string(dir.path().join("take-0001/readings.csv")).unwrap();
    assert!(table.starts_with("time_s,wall_clock,field1,field2,field3,field4") && table.lines().count() > 5000);
}

#[test]
fn a_meter_is_asked_and_what_times_out_is_counted() {
    let dir = tempfile::tempdir().unwrap();
    let terminal = Terminal::start("", &["watch", "meter", "--baud", "9600"], dir.path(), (140, 44));
    terminal.wait("open, silent");
    terminal.keys(&["2"]);
    terminal.wait("pinned shape");
    terminal.keys(&["Enter"]);
    terminal.wait("Enter accept");
    terminal.keys(&["polled every 0.1 timeout 0.1 | volts: MEAS:VOLT?", "Enter"]);
    terminal.wait("MEAS:VOLT?");
    terminal.wait("A volts");
    let timed_out = |screen: &str| screen.lines().any(|line| line.contains("timed out") && !line.contains(" 0 "));
    terminal.wait_until("a question that timed out", timed_out);
    terminal.keys(&["Escape", "q", "q"]);
    terminal.wait("[ended with 0]");
}
