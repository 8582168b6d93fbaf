//! Watching a text: standard input, or a file that may still grow.

use super::outlet::{Halt, Outlet};
use super::{Command, Feed, LinkState};
use crate::serial::Problem;
use amber_core::Stamp;
use amber_core::clock::{UNTIMED_LINE, seconds_a_line};
use crossbeam_channel::bounded;
use std::fs::File;
use std::io::{self, Read};
use std::path::Path;
use std::time::Duration;

/// Bytes that are read at once.
const AT_ONCE: usize = 64 * 1024;

/// How often a file is looked at for more.
const LOOK: Duration = Duration::from_millis(50);

/// The pause before a file that cannot be read is tried again.
const PAUSE: Duration = Duration::from_secs(1);

/// Bytes in which a clock is looked for.
const HEAD: u64 = 64 * 1024;

fn open() -> LinkState {
    LinkState::Open { baud: None, tried: Vec::new(), usb: None }
}

/// A text hears nothing.
fn refuse(command: Option<Command>, outlet: &mut Outlet) -> Result<(), Halt> {
    match command {
        Some(Command::Send(_)) => outlet.tell(Feed::NotSent("this source is a text and hears nothing".into())),
        _ => Ok(()),
    }
}

/// Watches a file: first what is in it, then what is added. A file that was cut or replaced is begun again.
pub(super) fn watch_file(path: &Path, outlet: &mut Outlet) -> Halt {
    loop {
        let halt = match File::open(path) {
            Ok(file) => follow(path, file, outlet),
            Err(error) => fail(path, &error, outlet),
        };
        if let Err(halt) = halt {
            return halt;
        }
    }
}

fn fail(path: &Path, error: &io::Error, outlet: &mut Outlet) -> Result<(), Halt> {
    let problem = match error.kind() {
        io::ErrorKind::NotFound => Problem::Vanished(path.into()),
        _ => Problem::Other { path: path.into(), reason: error.to_string() },
    };
    outlet.state(LinkState::Waiting { problem, pause: PAUSE })?;
    let command = outlet.sleep(PAUSE)?;
    refuse(command, outlet)
}

fn follow(path: &Path, mut file: File, outlet: &mut Outlet) -> Result<(), Halt> {
    let length = file.metadata().map_or(0, |meta| meta.len());
    let lines = File::open(path).map_or(0, |file| count_lines(file.take(length)));
    let mut head = Vec::new();
    // A file that cannot be read is told when it is read in earnest.
    let _ = File::open(path).and_then(|file| file.take(HEAD.min(length)).read_to_end(&mut head));
    // What was there before has no arrival times: its lines get the pace of the board's clock in it.
    let seconds = seconds_a_line(&head).unwrap_or(UNTIMED_LINE);
    let end = outlet.now();
    let start = end.plus(-(lines as f64) * seconds);
    outlet.state(open())?;
    outlet.tell(Feed::Begun(start))?;
    let (mut read, mut line) = (0u64, 0u64);
    let mut buffer = vec![0; AT_ONCE];
    loop {
        let size = match file.read(&mut buffer) {
            Ok(0) => {
                let meta = std::fs::metadata(path);
                if meta.map_or(true, |meta| meta.len() < read) {
                    return Ok(());
                }
                let command = outlet.sleep(LOOK)?;
                refuse(command, outlet)?;
                continue;
            }
            Ok(size) => size,
            Err(error) if error.kind() == io::ErrorKind::Interrupted => continue,
            Err(error) => return fail(path, &error, outlet),
        };
        let was_there = read < length;
        read += size as u64;
        if was_there {
            // A line a time, so that each has a time of its own.
            for piece in buffer[..size].split_inclusive(|b| *b == b'\n') {
                line += u64::from(piece.ends_with(b"\n"));
                let at: Stamp = start.plus(line as f64 * seconds).min(end);
                outlet.pass_patiently(at, piece)?;
            }
        } else {
            outlet.pass_patiently(outlet.now(), &buffer[..size])?;
        }
        let command = outlet.command()?;
        refuse(command, outlet)?;
    }
}

fn count_lines(mut file: impl Read) -> u64 {
    let mut buffer = vec![0; AT_ONCE];
    let mut lines = 0;
    while let Ok(size @ 1..) = file.read(&mut buffer) {
        lines += buffer[..size].iter().filter(|b| **b == b'\n').count() as u64;
    }
    lines
}

/// Watches standard input. A thread of its own reads it, since nothing else can be done while it waits.
pub(super) fn watch_input(outlet: &mut Outlet) -> Halt {
    let (give, pieces) = bounded::<Vec<u8>>(16);
    let read = move || {
        let mut input = io::stdin().lock();
        let mut buffer = vec![0; AT_ONCE];
        loop {
            match input.read(&mut buffer) {
                Ok(0) => return,
                Ok(size) => {
                    if give.send(buffer[..size].to_vec()).is_err() {
                        return;
                    }
                }
                Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                Err(_) => return,
            }
        }
    };
    // It ends with the input, or with the program.
    let thread = std::thread::Builder::new().name("input".into()).spawn(read);
    let watched = move |outlet: &mut Outlet| -> Result<(), Halt> {
        outlet.state(open())?;
        outlet.tell(Feed::Begun(outlet.now()))?;
        let mut over = thread.is_err();
        loop {
            match pieces.recv_timeout(LOOK) {
                Ok(piece) => outlet.pass_patiently(outlet.now(), &piece)?,
                Err(crossbeam_channel::RecvTimeoutError::Timeout) => {}
                Err(crossbeam_channel::RecvTimeoutError::Disconnected) => over = true,
            }
            if over {
                outlet.state(LinkState::Ended)?;
                let command = outlet.sleep(LOOK)?;
                refuse(command, outlet)?;
            } else {
                let command = outlet.command()?;
                refuse(command, outlet)?;
            }
        }
    };
    match watched(outlet) {
        Ok(()) => Halt::Over,
        Err(halt) => halt,
    }
}
