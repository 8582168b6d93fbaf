//! Watching a text: standard input, or a file that may still grow.

use super::outlet::{Halt, Outlet};
use super::{Command, Feed, LinkState};
use crate::serial::Problem;
use amber_core::clock::Opening;
use crossbeam_channel::bounded;
use std::fs::File;
use std::io::{self, Read};
use std::path::Path;
use std::time::Duration;

/// Bytes that are read at once.
const AT_ONCE: usize = 64 * 1024;

/// How often a file is looked at for more.
const LOOK: Duration = Duration::from_millis(50);

/// The longest that a pipe, which may have a board at its other end, waits for a screen that shows nothing.
const PATIENCE: Duration = Duration::from_secs(1);

/// The pause before a file that cannot be read is tried again.
const PAUSE: Duration = Duration::from_secs(1);

fn open() -> LinkState {
    LinkState::Open { baud: None, tried: Vec::new(), usb: None }
}

/// A text hears nothing.
fn reject(command: Option<Command>, outlet: &mut Outlet) -> Result<(), Halt> {
    command.map_or(Ok(()), |command| outlet.reject(&command, "this source is a text: there is no board to send to"))
}

/// Watches a file: first what is in it, then, where it may grow, what is added. A file that was cut or replaced is begun
/// again.
pub(super) fn watch_file(path: &Path, grows: bool, outlet: &mut Outlet) -> Halt {
    loop {
        let halt = match File::open(path) {
            Ok(file) => follow(path, file, grows, outlet),
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
    reject(command, outlet)
}

fn begin(arrives: bool, outlet: &mut Outlet) -> Result<(), Halt> {
    let at = outlet.now();
    outlet.state(open())?;
    outlet.tell(Feed::Opened { at, opening: Opening::Text { at, arrives }, within: false })
}

/// Says that the text is over, and hears nothing any more until something else is wanted.
fn end(outlet: &mut Outlet) -> Result<(), Halt> {
    outlet.tell(Feed::Ended(outlet.now()))?;
    outlet.state(LinkState::Ended)?;
    loop {
        let command = outlet.sleep(LOOK)?;
        reject(command, outlet)?;
    }
}

fn follow(path: &Path, mut file: File, grows: bool, outlet: &mut Outlet) -> Result<(), Halt> {
    begin(false, outlet)?;
    let mut read = 0u64;
    // What is there by now came before anybody watched; what is added later arrives.
    let (mut all_read, mut is_growing) = (false, false);
    let mut buffer = vec![0; AT_ONCE];
    loop {
        let size = match file.read(&mut buffer) {
            Ok(0) if !grows => return end(outlet),
            Ok(0) => {
                let meta = std::fs::metadata(path);
                if meta.map_or(true, |meta| meta.len() < read) {
                    return Ok(());
                }
                all_read = true;
                let command = outlet.sleep(LOOK)?;
                reject(command, outlet)?;
                continue;
            }
            Ok(size) => size,
            Err(error) if error.kind() == io::ErrorKind::Interrupted => continue,
            Err(error) => return fail(path, &error, outlet),
        };
        if all_read && !is_growing {
            is_growing = true;
            let at = outlet.now();
            outlet.tell(Feed::Opened { at, opening: Opening::Grows(at), within: false })?;
        }
        read += size as u64;
        outlet.pass_patiently(&buffer[..size], None)?;
        let command = outlet.command()?;
        reject(command, outlet)?;
    }
}

/// Whether standard input is a file, which is all there from the beginning.
fn input_is_file() -> bool {
    let stat = rustix::fs::fstat(io::stdin());
    stat.is_ok_and(|stat| rustix::fs::FileType::from_raw_mode(stat.st_mode).is_file())
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
        begin(!input_is_file(), outlet)?;
        if thread.is_err() {
            return end(outlet);
        }
        loop {
            match pieces.recv_timeout(LOOK) {
                Ok(piece) => outlet.pass_patiently(&piece, Some(PATIENCE))?,
                Err(crossbeam_channel::RecvTimeoutError::Timeout) => {}
                Err(crossbeam_channel::RecvTimeoutError::Disconnected) => return end(outlet),
            }
            let command = outlet.command()?;
            reject(command, outlet)?;
        }
    };
    match watched(outlet) {
        Ok(()) => Halt::Over,
        Err(halt) => halt,
    }
}
