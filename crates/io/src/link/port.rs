//! Watching a serial port, or what stands for one: opening it, reading it, opening it again when it went away, lending it.

use super::device::{Device, Ports};
use super::outlet::{Halt, Outlet};
use super::{Command, Feed, LinkState, Tried, find};
use crate::serial::Problem;
use amber_core::bench::WireSettings;
use std::io::ErrorKind;
use std::path::PathBuf;
use std::sync::Arc;
use std::time::{Duration, Instant};

/// Bytes that are read at once, four times what Linux keeps for a reader of a terminal device; with the channels'
/// lengths this bounds the memory.
const AT_ONCE: usize = 16 * 1024;

/// Pauses between tries, in milliseconds; the last one repeats.
const PAUSES: [u64; 5] = [300, 600, 1200, 2500, 5000];

/// How often a lent port is looked at, and for how long nobody must have it before it is taken back: programmers open
/// it several times.
const LOOK: Duration = Duration::from_millis(250);
const DONE: Duration = Duration::from_millis(1500);

/// How long a board is held in reset, and how long a port that cannot do that is left closed instead.
const RESET: Duration = Duration::from_millis(120);

/// The longest that sending waits for a port that takes nothing.
const SENDING: Duration = Duration::from_secs(1);

/// One serial port.
pub(super) struct Port<'a> {
    ports: &'a dyn Ports,
    path: PathBuf,
    source: WireSettings,
    /// The speed that was found, and how.
    found: Vec<Tried>,
    /// Bytes came since the port was opened.
    heard: bool,
}

/// What comes after a port was closed.
enum Next {
    /// It went away, or could not be opened.
    Failed(Problem),
    /// Open it again at once.
    Again,
    /// Open it again after a pause.
    Pause(Duration),
    /// It was lent.
    Lend(bool),
}

impl<'a> Port<'a> {
    pub(super) fn new(ports: &'a dyn Ports, path: PathBuf, source: WireSettings) -> Port<'a> {
        Port { ports, path, source, found: Vec::new(), heard: false }
    }

    /// Watches until something else is wanted.
    pub(super) fn watch(mut self, outlet: &mut Outlet) -> Halt {
        let mut tries = 0;
        loop {
            match self.once(&mut tries, outlet) {
                Ok(()) => {}
                Err(halt) => return halt,
            }
        }
    }

    /// Opens the port, reads it until it is closed, and waits before the next try.
    fn once(&mut self, tries: &mut usize, outlet: &mut Outlet) -> Result<(), Halt> {
        if *tries == 0 {
            outlet.state(LinkState::Opening)?;
        }
        self.heard = false;
        let next = match self.open() {
            Err(problem) => Next::Failed(problem),
            Ok(port) => self.read(port, outlet)?,
        };
        // A port that brought something is worth trying soon.
        if self.heard {
            *tries = 0;
        }
        match next {
            Next::Failed(problem) => {
                let pause = Duration::from_millis(PAUSES[(*tries).min(PAUSES.len() - 1)]);
                *tries += 1;
                outlet.state(LinkState::Waiting { problem, pause })?;
                self.pause(pause, "the port is not open", outlet)?;
            }
            Next::Again => *tries = 0,
            Next::Pause(pause) => {
                *tries = 0;
                self.pause(pause, "the board is being reset", outlet)?;
            }
            Next::Lend(back) => {
                *tries = 0;
                self.lend(back, outlet)?;
            }
        }
        Ok(())
    }

    /// Waits while the port is closed; a command that needs it is rejected for this reason.
    fn pause(&mut self, pause: Duration, why: &str, outlet: &mut Outlet) -> Result<(), Halt> {
        let until = Instant::now() + pause;
        while let Some(command) = outlet.sleep(until.saturating_duration_since(Instant::now()))? {
            match command {
                Command::Lend { back } => return self.lend(back, outlet),
                // The next try comes at once.
                Command::TakeBack => return Ok(()),
                Command::FindBaud => self.forget_speed(),
                command => outlet.reject(&command, why)?,
            }
        }
        Ok(())
    }

    /// The speed is to be found when the port is opened next.
    fn forget_speed(&mut self) {
        self.found.clear();
        self.source.baud = None;
    }

    fn open(&mut self) -> Result<Box<dyn Device>, Problem> {
        // The same board may have come back under another name.
        if !self.ports.is_there(&self.path)
            && let Some(path) = self.ports.path_of(&self.source.usb)
        {
            self.path = path;
        }
        let port = self.ports.open(&self.path, &self.source, self.speed())?;
        if let Some(identity) = port.identity() {
            self.source.usb = identity;
        }
        Ok(port)
    }

    /// The speed that was given, else the one that was found, else the likeliest.
    fn speed(&self) -> u32 {
        self.source.baud.or(self.found.last().map(|tried| tried.baud)).unwrap_or(find::COMMON[0])
    }

    /// Reads until the port is closed.
    fn read(&mut self, mut port: Box<dyn Device>, outlet: &mut Outlet) -> Result<Next, Halt> {
        if self.source.reset_on_open {
            // Opening starts most boards anew, but not those that were left running by another program.
            let _ = port.reset(RESET);
        }
        if self.source.baud.is_none() && self.found.is_empty() && self.ports.has_speed(&self.path) {
            match find::find(&mut *port, outlet)? {
                find::Outcome::Found { tried, heard } => {
                    self.found = tried;
                    self.say_open(outlet)?;
                    let at = heard.first().map_or(outlet.now(), |(at, _)| *at);
                    let heard: Vec<_> = heard.into_iter().filter(|(_, bytes)| !bytes.is_empty()).collect();
                    self.heard |= !heard.is_empty();
                    outlet.found(self.speed(), at, heard)?;
                }
                find::Outcome::Vanished => return Ok(Next::Failed(self.ports.gone(&self.path))),
                find::Outcome::Told(command) => {
                    if let Some(next) = self.obey(command, &mut *port, outlet)? {
                        return Ok(next);
                    }
                    return Ok(Next::Again);
                }
            }
        } else {
            self.say_open(outlet)?;
            outlet.opened(outlet.now())?;
        }
        let mut buffer = vec![0; AT_ONCE];
        let mut pace = Pace::new();
        loop {
            // A command does not wait for the next bytes.
            let has_bytes = port.wait(outlet.wake());
            match if has_bytes { port.read(&mut buffer) } else { Err(ErrorKind::TimedOut.into()) } {
                Ok(0) => return Ok(Next::Failed(self.ports.gone(&self.path))),
                Ok(length) => {
                    self.heard = true;
                    outlet.pass(&buffer[..length])?;
                    pace.keep(length);
                }
                Err(error) if matches!(error.kind(), ErrorKind::TimedOut | ErrorKind::Interrupted) => {}
                Err(_) => return Ok(Next::Failed(self.ports.gone(&self.path))),
            }
            while let Some(command) = outlet.command()? {
                if let Some(next) = self.obey(command, &mut *port, outlet)? {
                    return Ok(next);
                }
            }
        }
    }

    fn say_open(&self, outlet: &mut Outlet) -> Result<(), Halt> {
        let usb = Some(self.source.usb.clone()).filter(|usb| !usb.is_empty());
        let baud = self.ports.has_speed(&self.path).then(|| self.speed());
        outlet.state(LinkState::Open { baud, tried: self.found.clone(), usb })
    }

    /// Does what was told; gives what comes next when the port is to be closed for it.
    fn obey(&mut self, command: Command, port: &mut dyn Device, outlet: &mut Outlet) -> Result<Option<Next>, Halt> {
        match command {
            Command::FindBaud if !self.ports.has_speed(&self.path) => {
                outlet.reject(&command, "this source has no baud rate")?;
            }
            Command::Reset if !self.ports.has_speed(&self.path) => {
                outlet.reject(&command, "this source has no reset line")?;
            }
            Command::Send(bytes) => self.send(port, &bytes, outlet)?,
            Command::Lend { back } => return Ok(Some(Next::Lend(back))),
            Command::Missed => outlet.opened(outlet.now())?,
            Command::FindBaud => {
                self.forget_speed();
                return Ok(Some(Next::Again));
            }
            // A port without those lines is closed for a moment, which starts the boards that have none anew.
            Command::Reset => {
                return Ok(match port.reset(RESET) {
                    Ok(()) => None,
                    Err(_) => Some(Next::Pause(RESET)),
                });
            }
            Command::TakeBack => outlet.reject(&command, "the port is not lent")?,
            // Told as a halt.
            Command::Open(_) => {}
        }
        Ok(None)
    }

    fn send(&mut self, port: &mut dyn Device, bytes: &[u8], outlet: &mut Outlet) -> Result<(), Halt> {
        let begun = Instant::now();
        let mut sent = 0;
        let mut reason = None;
        while sent < bytes.len() && reason.is_none() {
            match port.write(&bytes[sent..]) {
                Ok(length) => sent += length,
                Err(error) if matches!(error.kind(), ErrorKind::TimedOut | ErrorKind::Interrupted) => {
                    reason = (begun.elapsed() > SENDING).then(|| "the board does not take it".to_owned());
                }
                Err(error) => reason = Some(error.to_string()),
            }
        }
        if sent > 0 {
            outlet.tell(Feed::Sent { at: outlet.now(), bytes: Arc::from(&bytes[..sent]) })?;
        }
        match reason {
            Some(reason) => outlet.tell(Feed::NotDone(format!("{sent} of {} bytes were sent: {reason}", bytes.len()))),
            None => Ok(()),
        }
    }

    /// Leaves the port to another program until told, or until that one is done.
    fn lend(&mut self, back: bool, outlet: &mut Outlet) -> Result<(), Halt> {
        let (mut seen, mut free_since) = (false, Instant::now());
        loop {
            let in_use = self.ports.is_in_use(&self.path);
            outlet.state(LinkState::Lent { back, in_use })?;
            if in_use {
                (seen, free_since) = (true, Instant::now());
            }
            if back && seen && free_since.elapsed() >= DONE {
                return Ok(());
            }
            match outlet.sleep(LOOK)? {
                Some(Command::TakeBack) => return Ok(()),
                Some(Command::Lend { back }) => return self.lend(back, outlet),
                Some(command) => outlet.reject(&command, "the port is lent")?,
                None => {}
            }
        }
    }
}

/// Crumbs that come more often than this, a second, are let gather.
const OFTEN: u32 = 800;

/// Reads up to this are crumbs.
const CRUMB: usize = 512;

/// How long they gather: a hundredth of what a person sees.
const GATHER: Duration = Duration::from_millis(2);

/// Thousands of crumbs a second wake four threads each: they are let gather for a moment, so that fewer reads bring the same.
struct Pace {
    since: Instant,
    crumbs: u32,
    gathers: bool,
}

impl Pace {
    const LOOKED_AT: Duration = Duration::from_millis(100);

    fn new() -> Pace {
        Pace { since: Instant::now(), crumbs: 0, gathers: false }
    }

    /// A read brought so many bytes; waits where more are to gather.
    fn keep(&mut self, length: usize) {
        self.crumbs += u32::from(self.gathers || length <= CRUMB);
        let elapsed = self.since.elapsed();
        if elapsed >= Pace::LOOKED_AT {
            let rate = f64::from(self.crumbs) / elapsed.as_secs_f64();
            // While they gather they come a pause apart.
            let least = if self.gathers { 0.4 / GATHER.as_secs_f64() } else { f64::from(OFTEN) };
            self.gathers = rate > least;
            (self.since, self.crumbs) = (Instant::now(), 0);
        }
        if self.gathers {
            std::thread::sleep(GATHER);
        }
    }
}

#[cfg(test)]
#[path = "port_tests.rs"]
mod tests;
