//! A board on a pseudo-terminal, run by a thread of its own.

use crate::board::Board;
use crate::garble::Garbler;
use rustix::event::{PollFd, PollFlags, Timespec, poll};
use rustix::fs::{Mode, OFlags, fcntl_getfl, fcntl_setfl, open};
use rustix::io::Errno;
use rustix::pty::{OpenptFlags, grantpt, openpt, ptsname, unlockpt};
use rustix::termios::{OptionalActions, Termios, tcgetattr, tcsetattr};
use std::fs::File;
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU32, Ordering};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

/// The time that a board takes from its reset to its first byte.
const BOOT: Duration = Duration::from_millis(60);

/// How long the board's thread sleeps at most, so that it soon sees a host come or the end.
const NAP: Duration = Duration::from_millis(20);

/// Bytes that wait for a host that does not read; what the board sends beyond that is lost, as on a real one.
const WAITING: usize = 64 * 1024;

/// The board could not be served.
#[derive(Debug, thiserror::Error)]
#[error("no pseudo-terminal could be made for the simulated board: {0}")]
pub struct ServeError(#[from] std::io::Error);

impl From<Errno> for ServeError {
    fn from(error: Errno) -> Self {
        ServeError(error.into())
    }
}

/// A board that runs until this is dropped.
#[derive(Debug)]
pub struct ServedBoard {
    path: PathBuf,
    stop: Arc<AtomicBool>,
    thread: Option<JoinHandle<()>>,
}

impl ServedBoard {
    /// The device that a program opens to talk to the board.
    pub fn path(&self) -> &Path {
        &self.path
    }
}

impl Drop for ServedBoard {
    fn drop(&mut self) {
        self.stop.store(true, Ordering::Relaxed);
        if let Some(thread) = self.thread.take() {
            // The thread only ends early by a panic, which has been printed already.
            let _ = thread.join();
        }
    }
}

/// A pseudo-terminal seen from the board's side.
#[derive(Debug)]
pub struct Pty {
    /// What the board writes here, a host that has the device open reads, and the other way round. Writing waits
    /// while the host does not read.
    pub board: File,
    path: PathBuf,
}

impl Pty {
    /// Makes one at the speed `baud` and without line discipline, so that a program that sets nothing reads it right.
    ///
    /// # Errors
    /// When the system gives none.
    pub fn open(baud: u32) -> Result<Pty, ServeError> {
        let board = openpt(OpenptFlags::RDWR | OpenptFlags::NOCTTY | OpenptFlags::CLOEXEC)?;
        grantpt(&board)?;
        unlockpt(&board)?;
        let name = ptsname(&board, Vec::new())?;
        let path = PathBuf::from(name.to_string_lossy().into_owned());
        let device = open(&path, OFlags::RDWR | OFlags::NOCTTY | OFlags::CLOEXEC, Mode::empty())?;
        let mut settings: Termios = tcgetattr(&device)?;
        settings.make_raw();
        settings.set_speed(baud)?;
        tcsetattr(&device, OptionalActions::Now, &settings)?;
        Ok(Pty { board: File::from(board), path })
    }

    /// The device that a host opens.
    pub fn path(&self) -> &Path {
        &self.path
    }
}

/// Serves `board` on a new pseudo-terminal. The board starts when a host opens the device, and again each time that
/// the device was closed and is opened again. A host that sets another speed than the board's gets garbage.
///
/// # Errors
/// When the system gives no pseudo-terminal.
pub fn serve(board: Box<dyn Board>) -> Result<ServedBoard, ServeError> {
    let (master, device) = plugged_in(board.baud())?;
    let name = if board.may_vanish() { Some(Name::new(&device)?) } else { None };
    let path = name.as_ref().map_or(device, |name| name.path.clone());
    let stop = Arc::new(AtomicBool::new(false));
    let seen = Arc::clone(&stop);
    let server = Server::new(board, master, name);
    let thread = std::thread::Builder::new().name("board".into()).spawn(move || server.run(&seen))?;
    Ok(ServedBoard { path, stop, thread: Some(thread) })
}

/// The board's side of a new pseudo-terminal, and the host's.
fn plugged_in(baud: u32) -> Result<(File, PathBuf), ServeError> {
    let Pty { board: master, path } = Pty::open(baud)?;
    let flags = fcntl_getfl(&master)?;
    fcntl_setfl(&master, flags | OFlags::NONBLOCK)?;
    Ok((master, path))
}

/// A name that stays the same while the device behind it goes and comes, as the system's links by serial number do.
#[derive(Debug)]
struct Name {
    folder: PathBuf,
    path: PathBuf,
}

impl Name {
    fn new(device: &Path) -> Result<Name, ServeError> {
        static COUNT: AtomicU32 = AtomicU32::new(0);
        let number = COUNT.fetch_add(1, Ordering::Relaxed);
        let folder = std::env::temp_dir().join(format!("amber-tap-board-{}-{number}", std::process::id()));
        std::fs::create_dir(&folder)?;
        let name = Name { path: folder.join("port"), folder };
        name.point_to(device)?;
        Ok(name)
    }

    fn point_to(&self, device: &Path) -> std::io::Result<()> {
        std::os::unix::fs::symlink(device, &self.path)
    }
}

impl Drop for Name {
    fn drop(&mut self) {
        // What cannot be removed is an empty folder among temporary files.
        let _ = std::fs::remove_file(&self.path);
        let _ = std::fs::remove_dir(&self.folder);
    }
}

struct Server {
    board: Box<dyn Board>,
    master: File,
    garbler: Garbler,
    name: Option<Name>,
    started: Option<Instant>,
    waiting: Vec<u8>,
}

impl Server {
    fn new(board: Box<dyn Board>, master: File, name: Option<Name>) -> Self {
        Server { board, master, garbler: Garbler::new(), name, started: None, waiting: Vec::new() }
    }

    /// The cable is pulled, and put in again after `away`; false when there is no device any more.
    fn vanish(&mut self, away: Duration, stop: &AtomicBool) -> bool {
        let Some(name) = &self.name else { return true };
        let _ = std::fs::remove_file(&name.path);
        // What the host has not read yet is lost with the device, so it is given the time to.
        std::thread::sleep(NAP);
        let Ok(nothing) = File::open("/dev/null") else { return false };
        self.master = nothing;
        let back = Instant::now() + away;
        while Instant::now() < back && !stop.load(Ordering::Relaxed) {
            std::thread::sleep(NAP);
        }
        let Ok((master, device)) = plugged_in(self.board.baud()) else { return false };
        (self.master, self.started) = (master, None);
        self.waiting.clear();
        self.name.as_ref().is_some_and(|name| name.point_to(&device).is_ok())
    }

    fn run(mut self, stop: &AtomicBool) {
        while !stop.load(Ordering::Relaxed) {
            let nap = Timespec { tv_sec: 0, tv_nsec: self.nap().as_nanos() as i64 };
            let mut fds = [PollFd::new(&self.master, PollFlags::IN)];
            let ready = poll(&mut fds, Some(&nap));
            let events = fds[0].revents();
            if ready.is_err() {
                continue;
            }
            if events.contains(PollFlags::HUP) {
                // Nobody has the device open. A hang-up is reported at once, so the nap must be taken here.
                self.started = None;
                self.waiting.clear();
                std::thread::sleep(NAP / 4);
                continue;
            }
            let started = *self.started.get_or_insert_with(|| {
                self.board.reset();
                Instant::now() + BOOT
            });
            let mut fresh = Vec::new();
            if events.contains(PollFlags::IN) {
                let mut heard = [0; 1024];
                if let Ok(length) = self.master.read(&mut heard) {
                    self.board.hear(&heard[..length], &mut fresh);
                }
            }
            if let Some(now) = Instant::now().checked_duration_since(started) {
                self.board.run(now, &mut fresh);
            }
            self.send(fresh);
            if let Some(away) = self.board.vanishes()
                && !self.vanish(away, stop)
            {
                return;
            }
        }
    }

    /// Until the board has something to send, so that rows leave on time without a busy loop.
    fn nap(&self) -> Duration {
        let due = self.started.map(|started| (started + self.board.due()).saturating_duration_since(Instant::now()));
        due.map_or(NAP, |due| due.min(NAP))
    }

    fn send(&mut self, mut fresh: Vec<u8>) {
        if !fresh.is_empty() && self.waiting.len() < WAITING {
            let heard_at = tcgetattr(&self.master).map_or(self.board.baud(), |settings| settings.output_speed());
            if heard_at != self.board.baud() {
                self.garbler.garble(&mut fresh, self.board.baud(), heard_at);
            }
            self.waiting.append(&mut fresh);
        }
        if !self.waiting.is_empty()
            && let Ok(sent) = self.master.write(&self.waiting)
        {
            self.waiting.drain(..sent);
        }
    }
}
