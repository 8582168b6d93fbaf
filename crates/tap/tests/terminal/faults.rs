//! What every day brings: a terminal that does not read, faults of the program's own, a window that closes.

use crate::support::{PROGRAM, Terminal};
use amber_boards::Pty;
use rustix::process::{Pid, Signal, kill_process};
use std::fs::{self, File};
use std::io::{Read, Write};
use std::path::Path;
use std::process::{Child, Command};
use std::time::{Duration, Instant};

const PATIENCE: Duration = Duration::from_secs(60);

fn wait(what: &str, mut test: impl FnMut() -> bool) {
    let begun = Instant::now();
    while !test() {
        assert!(begun.elapsed() < PATIENCE, "waited for {what}");
        std::thread::sleep(Duration::from_millis(20));
    }
}

/// The program on a bare pseudo-terminal, which reads only when it is told to.
fn on_bare_terminal(arguments: &[&str], folder: &Path) -> (Pty, Child) {
    let terminal = Pty::open(38_400).unwrap();
    let size = rustix::termios::Winsize { ws_row: 40, ws_col: 120, ws_xpixel: 0, ws_ypixel: 0 };
    let device = File::options().read(true).write(true).open(terminal.path()).unwrap();
    rustix::termios::tcsetwinsize(&device, size).unwrap();
    let child = Command::new(PROGRAM)
        .args(arguments)
        .current_dir(folder)
        .env("XDG_STATE_HOME", folder)
        .stdin(device.try_clone().unwrap())
        .stdout(device.try_clone().unwrap())
        .stderr(device)
        .spawn()
        .unwrap();
    (terminal, child)
}

/// Reads what is on the terminal until `text` has come.
fn read_until(terminal: &Pty, text: &str) {
    let (mut seen, mut buffer) = (Vec::new(), [0; 4096]);
    wait(text, || {
        let length = (&terminal.board).read(&mut buffer).unwrap_or(0);
        seen.extend_from_slice(&buffer[..length]);
        seen.windows(text.len()).any(|window| window == text.as_bytes())
    });
}

/// A board under a name that stays while the device behind it goes and comes.
fn plug(name: &Path) -> Pty {
    let board = Pty::open(115_200).unwrap();
    let _ = fs::remove_file(name);
    std::os::unix::fs::symlink(board.path(), name).unwrap();
    board
}

#[test]
fn a_terminal_that_does_not_read_stops_neither_the_take_nor_the_end() {
    let dir = tempfile::tempdir().unwrap();
    let port = dir.path().join("port");
    let mut board = plug(&port);
    let (terminal, mut child) =
        on_bare_terminal(&["watch", &port.display().to_string(), "--baud", "115200"], dir.path());
    let mut sent = 0;
    let mut send = |board: &Pty, lines: u32| {
        for _ in 0..lines {
            (&board.board).write_all(format!("n={sent} a=7\n").as_bytes()).unwrap();
            sent += 1;
        }
    };
    read_until(&terminal, "silent");
    send(&board, 20);
    read_until(&terminal, "n=19");
    (&terminal.board).write_all(b"t").unwrap();
    let table = dir.path().join("take-0001/readings.csv");
    let rows = || fs::read_to_string(&table).map_or(0, |text| text.lines().count());
    wait("the take", || table.exists());
    // From here on nobody reads the terminal: what it holds fills up, and more comes than waits for the screen.
    for plugged in 0..4 {
        let before = rows();
        wait("rows while nobody reads", || {
            send(&board, 1500);
            rows() >= before + 3000
        });
        drop(std::mem::replace(&mut board, plug(&port)));
        wait(&format!("the port again, {plugged}"), || {
            send(&board, 1);
            rows() > before + 3001
        });
    }
    let pid = Pid::from_child(&child);
    kill_process(pid, Signal::TERM).unwrap();
    wait("the end", || child.try_wait().unwrap().is_some());
    let take = amber_io::take::open(&dir.path().join("take-0001")).unwrap();
    assert_eq!(take.told, Vec::<String>::new());
    assert_eq!(take.decode().unwrap(), fs::read(&table).unwrap());
}

#[test]
fn a_window_that_closes_ends_the_take_properly_without_a_panic() {
    let dir = tempfile::tempdir().unwrap();
    let (terminal, mut child) = on_bare_terminal(&["demo"], dir.path());
    read_until(&terminal, "rows/s");
    (&terminal.board).write_all(b"t").unwrap();
    let table = dir.path().join("take-0001/readings.csv");
    read_until(&terminal, "take-0001");
    wait("rows", || {
        let mut buffer = [0; 4096];
        let _ = (&terminal.board).read(&mut buffer);
        fs::metadata(&table).is_ok_and(|meta| meta.len() > 4000)
    });
    drop(terminal);
    wait("the end", || child.try_wait().unwrap().is_some());
    assert_ne!(child.wait().unwrap().code(), Some(101), "no panic");
    let take = amber_io::take::open(&dir.path().join("take-0001")).unwrap();
    assert_eq!(take.told, Vec::<String>::new());
}

#[test]
fn a_fault_in_a_job_is_said_and_the_program_goes_on() {
    let dir = tempfile::tempdir().unwrap();
    let terminal = Terminal::start("AMBER_TAP_FAULT=figure", &["demo"], dir.path(), (120, 40));
    terminal.wait("● live");
    terminal.keys(&["6", "f"]);
    terminal.wait("no figure: a fault of the program: asked for");
    terminal.keys(&["t"]);
    terminal.wait("take-0001 runs");
}

#[test]
fn a_fault_in_a_thread_of_its_own_ends_the_take_and_is_said() {
    let dir = tempfile::tempdir().unwrap();
    let terminal = Terminal::start("RUST_BACKTRACE=0 AMBER_TAP_FAULT=input", &["demo"], dir.path(), (120, 40));
    terminal.wait("● live");
    terminal.keys(&["t"]);
    let table = dir.path().join("take-0001/readings.csv");
    wait("rows", || fs::metadata(&table).is_ok_and(|meta| meta.len() > 4000));
    terminal.paste("anything");
    let screen = terminal.wait("[ended with 101]");
    assert!(screen.contains("stopped by an internal fault in the thread 'input'"), "{screen}");
    assert!(screen.contains("take-0001: ") && !screen.contains("AMBER TAP"), "{screen}");
    let take = amber_io::take::open(&dir.path().join("take-0001")).unwrap();
    assert_eq!(take.told, Vec::<String>::new());
}

#[test]
fn it_is_suspended_and_goes_on_like_any_program_of_a_shell() {
    let dir = tempfile::tempdir().unwrap();
    let terminal = Terminal::start("exec bash --norc -i; ", &[], dir.path(), (120, 40));
    terminal.keys(&["PS1='prompt> '", "Enter"]);
    terminal.wait("prompt> ");
    terminal.keys(&[&format!("'{PROGRAM}' demo"), "Enter"]);
    terminal.wait("● live");
    terminal.keys(&["C-z"]);
    let screen = terminal.wait("prompt> ");
    assert!(!screen.contains("● live"), "{screen}");
    terminal.keys(&["fg", "Enter"]);
    terminal.wait("● live");
    // A take that runs would miss what comes meanwhile.
    terminal.keys(&["t"]);
    terminal.wait("take-0001");
    terminal.keys(&["C-z"]);
    terminal.wait("a take is running");
    terminal.keys(&["t"]);
    terminal.wait("take-0001 ended");
    terminal.keys(&["q"]);
    terminal.wait("prompt> ");
}
