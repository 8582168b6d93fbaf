//! The program's main job, from the demo to a killed take.

use crate::support::{PROGRAM, Terminal};
use amber_boards::Pty;
use std::fs;
use std::io::Write;
use std::time::Duration;

/// The board's clock in the newest wire line on the screen, in microseconds.
fn board_clock(screen: &str) -> Option<u64> {
    screen.lines().rev().find_map(|line| line.split("t_us=").nth(1)?.split(' ').next()?.parse().ok())
}

fn rows_in(take: &std::path::Path) -> usize {
    fs::read_to_string(take.join("readings.csv")).map_or(0, |text| text.lines().count().saturating_sub(1))
}

#[test]
fn the_demo_is_watched_held_taken_marked_drawn_and_quit_and_the_take_opens_again() {
    let dir = tempfile::tempdir().unwrap();
    let terminal = Terminal::start("", &["demo"], dir.path(), (160, 47));
    terminal.wait("● live");
    let rate = |screen: &str| screen.split(" rows/s").next()?.rsplit(' ').next()?.parse::<f64>().ok();
    terminal.wait_until("rows at their rate", |s| rate(s).is_some_and(|rate| (95.0..105.0).contains(&rate)));
    terminal.wait("gauge_a=");
    terminal.keys(&["t"]);
    terminal.wait("● take-0001");
    terminal.keys(&["Space"]);
    terminal.wait("HELD");
    terminal.keys(&["m"]);
    terminal.wait("a note for this moment");
    terminal.keys(&["paddle at 40 mm", "Enter"]);
    terminal.wait("mark 1 set");
    // Rows go on to be kept while the picture stands.
    let take = dir.path().join("take-0001");
    let before = rows_in(&take);
    terminal.wait_until("growing take", |_| rows_in(&take) > before + 150);
    terminal.keys(&["Space", "6", "f", "Escape"]);
    terminal.wait("figure written: ./figure-0001.svg and ./figure-0001.pdf");
    assert!(fs::read(dir.path().join("figure-0001.pdf")).unwrap().starts_with(b"%PDF"));
    assert!(fs::read_to_string(dir.path().join("figure-0001.svg")).unwrap().contains("gauge_b in mm"));
    terminal.resize(80, 24);
    terminal.wait_until("narrow screen", |s| s.lines().all(|l| l.chars().count() <= 80) && s.contains("6 keep"));
    // Everything is found by typing.
    terminal.keys(&["/", "hysteresis", "Enter"]);
    terminal.wait("width of the dead band");
    terminal.keys(&["Escape", "?"]);
    terminal.wait("how do I …");
    terminal.keys(&["Escape", "q"]);
    terminal.wait("a take is running");
    terminal.keys(&["q"]);
    let last = terminal.wait("[ended with 0]");
    assert!(last.contains("take-0001: "), "{last}");
    let marks = fs::read_to_string(take.join("marks.csv")).unwrap();
    assert!(marks.contains("paddle at 40 mm"), "{marks}");
    let opened = amber_io::take::open(&take).unwrap();
    assert!(opened.told.is_empty(), "{:?}", opened.told);
    assert_eq!(opened.decode().unwrap(), fs::read(take.join("readings.csv")).unwrap());

    let terminal = Terminal::start("", &["open", "take-0001"], dir.path(), (160, 47));
    terminal.wait("▤ take");
    let screen = terminal.wait(" across");
    assert!(screen.contains("gauge_a") && screen.contains(" rows over "), "{screen}");
    terminal.keys(&["+", "+", "Left"]);
    terminal.wait_until("a closer look", |s| {
        [" 500 ms across", " 1 s across", " 2 s across"].iter().any(|span| s.contains(span))
    });
    terminal.keys(&["4", "a", "Down", "Enter"]);
    terminal.wait("2 exponential");
    terminal.keys(&["Escape", "q"]);
    terminal.wait("settings are not saved");
    terminal.keys(&["Escape", "/", "take take-0001", "Enter"]);
    terminal.wait("open it without saving");
    terminal.keys(&["o"]);
    terminal.wait_until("the take as it was", |s| s.contains(" rows over ") && !s.contains("exponential"));
    terminal.keys(&["q"]);
    terminal.wait("[ended with 0]");
}

#[test]
fn a_killed_program_leaves_a_take_that_lacks_at_most_a_second() {
    let dir = tempfile::tempdir().unwrap();
    let terminal = Terminal::start("", &["demo"], dir.path(), (100, 30));
    terminal.wait("● live");
    terminal.keys(&["t"]);
    let take = dir.path().join("take-0001");
    terminal.wait_until("two seconds of rows", |_| rows_in(&take) > 200);
    let number = terminal.pid();
    let pid = rustix::process::Pid::from_raw(number).unwrap();
    let shown = board_clock(&terminal.text()).unwrap();
    rustix::process::kill_process(pid, rustix::process::Signal::KILL).unwrap();
    let process = std::path::PathBuf::from(format!("/proc/{number}"));
    terminal.wait_until("the end of the process", |_| !process.exists());
    let opened = amber_io::take::open(&take).unwrap();
    let table = String::from_utf8(opened.decode().unwrap()).unwrap();
    let last: u64 = table.lines().last().unwrap().split(',').nth(2).unwrap().parse().unwrap();
    assert!(last + 1_000_000 >= shown, "kept up to {last} µs, {shown} µs was on the screen");
    // Opening changed nothing; mending makes the table whole.
    assert!(opened.told[0].contains("not ended properly"), "{:?}", opened.told);
    let mend = std::process::Command::new(PROGRAM).arg("mend").arg(&take).arg("--yes").output().unwrap();
    assert!(mend.status.success(), "{mend:?}");
    assert_eq!(fs::read_to_string(take.join("readings.csv")).unwrap(), table);
}

#[test]
fn a_disk_that_says_no_ends_the_take_whole_and_watching_goes_on() {
    let dir = tempfile::tempdir().unwrap();
    // No file may grow beyond 64 KB, which is what a full disk looks like to a program; 512-byte blocks.
    let terminal = Terminal::start("ulimit -f 128;", &["demo"], dir.path(), (160, 47));
    terminal.wait("● live");
    terminal.keys(&["t"]);
    let screen = terminal.wait("no take runs: cannot write to");
    assert!(screen.contains("the file may not grow further here") && screen.contains("take-0001 keeps"), "{screen}");
    let before = board_clock(&terminal.text()).unwrap();
    terminal.wait_until("rows that go on", |s| board_clock(s).is_some_and(|now| now > before + 1_000_000));
    let opened = amber_io::take::open(&dir.path().join("take-0001")).unwrap();
    assert!(opened.told[0].contains("not ended properly") && opened.wire.len() > 10_000, "{:?}", opened.told);
    assert_eq!(opened.decode().unwrap(), fs::read(dir.path().join("take-0001/readings.csv")).unwrap());
    // A folder that cannot be made is said as well, and a folder that vanishes.
    fs::write(dir.path().join("file"), "").unwrap();
    terminal.keys(&["/", "keep: folder", "Enter", "Enter", "C-u", "file/deeper", "Enter", "t"]);
    terminal.wait("no take runs: cannot create");
}

#[test]
fn hostile_bytes_never_reach_the_terminal_and_never_stop_the_program() {
    let dir = tempfile::tempdir().unwrap();
    let mut pty = Pty::open(115_200).unwrap();
    // A name of our own: the device's number may soon be another's.
    std::os::unix::fs::symlink(pty.path(), dir.path().join("port")).unwrap();
    let terminal = Terminal::start("", &["watch", "./port"], dir.path(), (160, 47));
    terminal.wait("the port is open and silent");
    pty.board.write_all(b"a=1 b=2\na=2 b=2\na=3 b=2\n").unwrap();
    terminal.wait("a=3 b=2");
    let hostile: [&[u8]; 5] = [
        b"\x1b]0;owned\x07\x1b[2J\x1b[?1049l\x1b[31mred\n",
        b"\0\0\xff\xfe\xc3(\xe2\x80\xae a=1\n",
        b"\x1bc\x1b[6n\x9b5n\n",
        &[b'x'; 20_000],
        b"\na=\x1b[H3 b=4\n",
    ];
    for bytes in hostile {
        pty.board.write_all(bytes).unwrap();
    }
    pty.board.write_all(b"a=77 b=2\n").unwrap();
    let screen = terminal.wait("a=77 b=2");
    assert!(screen.contains("␛]0;owned␇␛[2J␛[?1049l␛[31mred"), "{screen}");
    assert!(screen.contains("rejected: line too long") && screen.contains("AMBER TAP"), "{screen}");
    assert!(!screen.contains('\x1b'));
    // Nothing was typed back into the program as an answer to a question from the board.
    pty.board.write_all(b"a=78 b=2\n").unwrap();
    terminal.wait("a=78 b=2");
    fs::remove_file(dir.path().join("port")).unwrap();
    drop(pty);
    terminal.wait("went away: check the cable");
    terminal.keys(&["q"]);
    terminal.wait("[ended with 0]");
}

#[test]
fn ports_that_cannot_be_opened_say_why_and_the_right_baud_mends_a_wrong_one() {
    let dir = tempfile::tempdir().unwrap();
    let said = |port: &str, text: &str| {
        let terminal = Terminal::start("", &["watch", port], dir.path(), (160, 30));
        terminal.wait(text);
        terminal.keys(&["q"]);
        terminal.wait("[ended with 0]");
    };
    said("/dev/no-such-port", "is not there: plug the board in, or check the name; next try every");
    said("/dev/null", "is not a serial port");
    let pty = Pty::open(115_200).unwrap();
    let path = pty.path().to_string_lossy().into_owned();
    let first = Terminal::start("", &["watch", &path], dir.path(), (160, 30));
    first.wait("open and silent");
    said(&path, "is held by another program: close it there");
    let terminal = Terminal::start("", &["watch", "flume", "--baud", "9600"], dir.path(), (160, 30));
    terminal.wait("9600 baud is probably wrong");
    terminal.keys(&["1", "Down", "Enter", "C-u", "115200", "Enter"]);
    terminal.wait("● live");
    terminal.wait("gauge_a=");
    std::thread::sleep(Duration::from_millis(100));
    assert!(!terminal.text().contains("probably wrong"));
}

#[test]
fn settings_are_saved_to_the_bench_with_its_comments_and_loaded_again() {
    let dir = tempfile::tempdir().unwrap();
    let bench = dir.path().join("my.bench.toml");
    fs::write(&bench, "# borrowed from the lab\n[source]\nport = \"flume\" # no board today\n").unwrap();
    let terminal = Terminal::start("", &["watch", "--bench", "my.bench.toml"], dir.path(), (120, 40));
    terminal.wait("● live");
    terminal.keys(&["3", "a", "Enter"]);
    terminal.wait("12 bit 3.3 V");
    terminal.keys(&["q"]);
    terminal.wait("settings are not saved");
    terminal.keys(&["s"]);
    terminal.wait("[ended with 0]");
    let text = fs::read_to_string(&bench).unwrap();
    assert!(text.contains("# borrowed from the lab") && text.contains("# no board today"), "{text}");
    let saved = amber_core::bench::Bench::parse(&text).unwrap();
    assert_eq!(saved.first().channel("gauge_a").unwrap().scale.unit(), "V");
    let terminal = Terminal::start("", &["watch", "--bench", "my.bench.toml"], dir.path(), (120, 40));
    terminal.wait("12 bit 3.3 V");
    // A file that is no bench is not written over.
    fs::write(dir.path().join("notes.txt"), "dear diary\n").unwrap();
    let other = Terminal::start("", &["demo"], dir.path(), (120, 40));
    other.wait("● live");
    other.keys(&["s"]);
    other.wait("where to save all settings");
    other.keys(&["C-u", "notes.txt", "Enter"]);
    other.wait("notes.txt exists and is not a bench");
    assert_eq!(fs::read_to_string(dir.path().join("notes.txt")).unwrap(), "dear diary\n");
}

#[test]
fn a_request_to_end_ends_a_running_take_properly_and_gives_the_terminal_back() {
    let dir = tempfile::tempdir().unwrap();
    let terminal = Terminal::start("", &["demo"], dir.path(), (100, 30));
    terminal.wait("● live");
    terminal.keys(&["t"]);
    let take = dir.path().join("take-0001");
    terminal.wait_until("a second of rows", |_| rows_in(&take) > 100);
    let pid = rustix::process::Pid::from_raw(terminal.pid()).unwrap();
    rustix::process::kill_process(pid, rustix::process::Signal::TERM).unwrap();
    let screen = terminal.wait("[ended with 0]");
    assert!(screen.contains("take-0001: ") && !screen.contains("AMBER TAP"), "{screen}");
    let opened = amber_io::take::open(&take).unwrap();
    assert!(opened.told.is_empty(), "{:?}", opened.told);
    assert_eq!(opened.decode().unwrap(), fs::read(take.join("readings.csv")).unwrap());
}

#[test]
fn without_colours_and_on_a_tiny_screen_it_still_works() {
    let dir = tempfile::tempdir().unwrap();
    let terminal = Terminal::start("NO_COLOR=1", &["demo"], dir.path(), (80, 24));
    terminal.wait("● live");
    let coloured = terminal.styled();
    let numbers = coloured
        .split("\x1b[")
        .skip(1)
        .filter_map(|rest| rest.split_once('m'))
        .flat_map(|(codes, _)| codes.split([';', ':']));
    let colour = |code: &str| {
        code.parse::<u32>().is_ok_and(|code| (30..=38).contains(&code) || (40..=48).contains(&code) || code >= 90)
    };
    assert!(!numbers.into_iter().any(colour), "{coloured:?}");
    terminal.resize(40, 10);
    terminal.wait("too small");
    terminal.keys(&["t"]);
    terminal.resize(100, 30);
    // Keys worked all the while, and a key that means nothing is said.
    terminal.wait("● take-0001");
    terminal.keys(&["j"]);
    terminal.wait("that key does nothing here");
    terminal.keys(&["v", "w"]);
    terminal.wait("+10 s");
    terminal.keys(&["n"]);
    terminal.wait("in view");
}

#[test]
fn the_console_of_the_kernel_gets_no_sign_that_its_font_lacks() {
    let dir = tempfile::tempdir().unwrap();
    let terminal = Terminal::start("TERM=linux COLORTERM=", &["demo"], dir.path(), (110, 40));
    terminal.wait("• live");
    // The font of code page 437, as the kernel maps it, and what every console has.
    const FONT: &str = "─│┌┐└┘├┤┬┴┼═║░▒▓█▄▀▌▐■•◄►▲▼↑↓→←√≡±≤≥÷°·²µΩ«»éäöü";
    let is_there = |c: char| c.is_ascii() || FONT.contains(c);
    for keys in
        [&["4"][..], &["5"], &["Escape", "v", "d"], &["v", "t"], &["v", "l", "x"], &["v", "c", "?"], &["Escape", "/"]]
    {
        terminal.keys(keys);
        std::thread::sleep(std::time::Duration::from_millis(300));
        let screen = terminal.text();
        let lacking: String = screen.chars().filter(|c| !is_there(*c)).collect();
        assert!(lacking.is_empty(), "after {keys:?}: {lacking}\n{screen}");
    }
    terminal.keys(&["Escape", "v", "c"]);
    terminal.wait_until("a trace of blocks", |screen| screen.matches(['▀', '▄', '█']).count() > 40);
}
