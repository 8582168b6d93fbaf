//! Boards on a real pseudo-terminal, read as any program reads a device.

use amber_boards::{BOARDS, ServedBoard, by_name, serve};
use rustix::termios::{OptionalActions, tcgetattr, tcsetattr};
use std::fs::{File, OpenOptions};
use std::io::{Read, Write};
use std::time::{Duration, Instant};

const PATIENCE: Duration = Duration::from_secs(20);

fn flume() -> ServedBoard {
    serve(by_name("flume", 5).unwrap()).unwrap()
}

fn opened(board: &ServedBoard) -> File {
    OpenOptions::new().read(true).write(true).open(board.path()).unwrap()
}

/// Reads until `test` holds of what came.
fn read_until(device: &mut File, what: &str, test: impl Fn(&[u8]) -> bool) -> Vec<u8> {
    let begun = Instant::now();
    let mut seen = Vec::new();
    while !test(&seen) {
        assert!(begun.elapsed() < PATIENCE, "{what} did not come: {}", String::from_utf8_lossy(&seen));
        let mut buffer = [0; 4096];
        let length = device.read(&mut buffer).unwrap();
        seen.extend_from_slice(&buffer[..length]);
    }
    seen
}

fn has(text: &'static str) -> impl Fn(&[u8]) -> bool {
    move |seen| seen.windows(text.len()).any(|window| window == text.as_bytes())
}

#[test]
fn every_board_in_the_list_is_there_and_no_other() {
    for (name, what) in BOARDS {
        assert!(by_name(name, 1).is_some() && !what.is_empty());
    }
    assert!(by_name("yacht", 1).is_none());
}

#[test]
fn opening_the_device_starts_the_board_and_closing_it_stops_it() {
    let board = flume();
    let first_clock = |device: &mut File| {
        let seen = read_until(device, "rows", |seen| seen.iter().filter(|b| **b == b'\n').count() > 20);
        let text = String::from_utf8(seen).unwrap();
        assert!(text.starts_with("wave flume board"), "{text}");
        let row = text.lines().find(|line| line.starts_with("t_us=")).unwrap();
        row[5..].split(' ').next().unwrap().parse::<u64>().unwrap()
    };
    let mut device = opened(&board);
    assert_eq!(first_clock(&mut device), 10_000);
    drop(device);
    // It takes a moment until the board sees that nobody listens any more.
    std::thread::sleep(Duration::from_millis(150));
    assert_eq!(first_clock(&mut opened(&board)), 10_000, "its clock began anew");
}

#[test]
fn a_host_at_another_speed_gets_garbage_until_it_sets_the_right_one() {
    let board = flume();
    let mut device = opened(&board);
    let set = |device: &File, baud: u32| {
        let mut settings = tcgetattr(device).unwrap();
        settings.set_speed(baud).unwrap();
        tcsetattr(device, OptionalActions::Now, &settings).unwrap();
    };
    set(&device, 9600);
    let seen = read_until(&mut device, "garbage", |seen| seen.len() > 400);
    let text = seen.iter().filter(|b| b.is_ascii_graphic() || matches!(b, b' ' | b'\r' | b'\n')).count();
    assert!(text * 2 < seen.len(), "{text} of {} bytes are text", seen.len());
    assert!(!has("gauge_a")(&seen));
    set(&device, 115_200);
    read_until(&mut device, "rows", has("gauge_a="));
}

#[test]
fn the_board_answers_and_obeys() {
    let board = flume();
    let mut device = opened(&board);
    read_until(&mut device, "rows", has("t_us="));
    device.write_all(b"pump on\nrate 500\nsing\n").unwrap();
    let seen = read_until(&mut device, "answers", has("not understood: sing"));
    assert!(has("ok pump on")(&seen) && has("ok rate 500")(&seen));
    let seen = read_until(&mut device, "faster rows", |seen| seen.iter().filter(|b| **b == b'\n').count() > 60);
    let text = String::from_utf8_lossy(&seen);
    let clock = |line: &str| line.strip_prefix("t_us=")?.split(' ').next()?.parse::<u64>().ok();
    let clocks: Vec<u64> = text.lines().filter_map(clock).collect();
    let steps = clocks.windows(2).map(|pair| pair[1] - pair[0]);
    assert_eq!(steps.max(), Some(2_000), "500 rows a second are 2 ms apart");
    assert!(text.lines().filter(|line| line.starts_with("t_us=")).skip(1).all(|line| line.contains("pump=1")));
}

#[test]
fn a_host_that_does_not_read_makes_the_board_neither_wait_nor_grow() {
    let board = flume();
    let mut device = opened(&board);
    device.write_all(b"rate 1000\n").unwrap();
    // Nothing is read for a while; then the board still sends whole, current rows.
    std::thread::sleep(Duration::from_millis(2500));
    let seen = read_until(&mut device, "current rows", |seen| {
        let text = String::from_utf8_lossy(seen);
        let clock = |line: &str| line.strip_prefix("t_us=")?.split(' ').next()?.parse::<u64>().ok();
        text.lines().filter_map(clock).max().is_some_and(|clock| clock > 2_600_000)
    });
    assert!(seen.len() < 400_000);
    drop(board);
    assert!(device.read(&mut [0; 16]).map_or(true, |length| length <= 16), "the board is gone and nothing hangs");
}

#[test]
fn a_board_that_vanishes_comes_back_under_the_same_name() {
    let board = serve(amber_boards::hasty_gremlin(3, 0.03)).unwrap();
    let begun = Instant::now();
    let mut devices = Vec::new();
    while devices.len() < 3 {
        assert!(begun.elapsed() < PATIENCE, "it came back {} times", devices.len());
        let Ok(mut device) = OpenOptions::new().read(true).write(true).open(board.path()) else {
            std::thread::sleep(Duration::from_millis(2));
            continue;
        };
        let mut seen = Vec::new();
        let mut buffer = [0; 65536];
        // Until the device is gone, whatever comes.
        while let Ok(length @ 1..) = device.read(&mut buffer) {
            seen.extend_from_slice(&buffer[..length]);
        }
        if seen.windows(8).any(|window| window == b"gauge_a=") {
            devices.push(seen.len());
        }
    }
    let path = board.path().to_path_buf();
    drop(board);
    assert!(!path.exists() && !path.parent().unwrap().exists(), "nothing is left behind");
}
