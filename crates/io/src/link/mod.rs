//! The link: one source, watched by a thread of its own that stamps every chunk on arrival and hands it to the keeper
//! and to the engine.
//!
//! The keeper's channel may never lose a chunk, so the thread waits for it, and for nothing else. The engine's may:
//! bytes that do not fit are counted, and the count travels with the next chunk that does; news of the link that do not
//! fit are merged until there is room.

pub(crate) mod device;
mod endpoint;
mod find;
mod outlet;
mod port;
mod text;
pub(crate) mod wake;

pub use endpoint::{Endpoint, Simulated};

use crate::clock::HostClock;
use crate::network::Network;
use crate::serial::{Problem, System};
use amber_core::Stamp;
use amber_core::clock::Opening;
use amber_core::split::Judged;
use crossbeam_channel::{Receiver, RecvTimeoutError, Sender, bounded};
use outlet::{Halt, Outlet};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::thread::JoinHandle;
use std::time::Duration;
use wake::Wake;

/// Chunks that wait for the engine before others are skipped.
const FOR_ENGINE: usize = 2048;

/// Chunks that wait for the keeper before the reader waits.
const FOR_KEEPER: usize = 2048;

/// Orders that wait for the link.
const FOR_LINK: usize = 64;

/// Bytes as they arrived.
#[derive(Clone, Debug)]
pub struct Chunk {
    /// When.
    pub at: Stamp,
    /// What.
    pub bytes: Arc<[u8]>,
    /// Bytes that arrived before these and were not handed on here.
    pub skipped: u64,
}

/// A speed that was listened to.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Tried {
    /// Bits a second.
    pub baud: u32,
    /// What was heard.
    pub heard: Judged,
}

/// How the link stands.
#[derive(Clone, Debug, PartialEq)]
pub enum LinkState {
    /// Being opened for the first time.
    Opening,
    /// Open, and listening for the board's speed.
    Finding {
        /// The speed that is listened to.
        baud: u32,
        /// Those that were, worst first.
        tried: Vec<Tried>,
    },
    /// Open.
    Open {
        /// The speed, where the source has one.
        baud: Option<u32>,
        /// What was listened to before, the one in use last; empty when the speed was given.
        tried: Vec<Tried>,
        /// The serial number that the board gives on USB.
        usb: Option<String>,
    },
    /// Not open; will be tried again after the pause.
    Waiting {
        /// Why.
        problem: Problem,
        /// Until the next try.
        pause: Duration,
    },
    /// Let go of, so that another program can have the port.
    Lent {
        /// It will be taken back when the other program is done.
        back: bool,
        /// Another program has it now.
        in_use: bool,
    },
    /// A text that has come to its end.
    Ended,
}

impl LinkState {
    /// Open at this speed, which was given.
    pub fn open_at(baud: u32) -> LinkState {
        LinkState::Open { baud: Some(baud), tried: Vec::new(), usb: None }
    }
}

/// What goes to the keeper and to the engine.
#[derive(Clone, Debug)]
pub enum Feed {
    /// The link stands otherwise than before.
    State(LinkState),
    /// The source was opened: what comes next does not follow from what came before.
    Opened {
        /// When.
        at: Stamp,
        /// As what.
        opening: Opening,
        /// What comes next may begin within a line.
        within: bool,
    },
    /// The text has come to its end.
    Ended(Stamp),
    /// Bytes arrived.
    Chunk(Chunk),
    /// For the keeper alone: the baud rate is being detected, and bytes are heard at this one from here on.
    Listening {
        /// When.
        at: Stamp,
        /// Bits a second.
        baud: u32,
    },
    /// For the keeper alone: the baud rate is this one. What was heard at it can be read, and so can what comes.
    Speed {
        /// When that was found.
        at: Stamp,
        /// Bits a second.
        baud: u32,
    },
    /// So many bytes were heard and are not read, while the baud rate was detected.
    Unkept(u64),
    /// Bytes were sent to the board.
    Sent {
        /// When they had been handed to the system.
        at: Stamp,
        /// What.
        bytes: Arc<[u8]>,
    },
    /// A command was not carried out; what, and why: `not sent: the port is lent`.
    NotDone(String),
    /// So many of these, chunks apart, were not told to the engine one by one, since it had no room for them.
    Merged(u64),
}

/// What a link is told to do.
#[derive(Clone, Debug)]
pub enum Command {
    /// Let go of what it watches and watch this.
    Open(Box<Endpoint>),
    /// Let go of the port for another program; `back`: take it again when that one is done.
    Lend {
        /// Take it back by itself.
        back: bool,
    },
    /// Take the port again.
    TakeBack,
    /// Start the board's program anew.
    Reset,
    /// Listen for the speed again.
    FindBaud,
    /// Nobody read the port for a while: what comes next does not follow from what came before.
    Missed,
    /// Send these bytes.
    Send(Vec<u8>),
}

/// A running link. It ends, and closes the port, when this is dropped.
#[derive(Debug)]
pub struct Link {
    /// For the engine.
    pub engine: Receiver<Feed>,
    /// For the keeper.
    pub keeper: Receiver<Feed>,
    commands: Sender<Command>,
    /// Rung with each command.
    wake: Arc<Wake>,
    stop: Arc<AtomicBool>,
    thread: Option<JoinHandle<()>>,
    /// Says that the thread has ended, by being gone.
    ended: Receiver<()>,
}

/// So long a thread that is asked to end is waited for. One that waits for an answer from afar ends by itself, later.
const ENDING: Duration = Duration::from_millis(300);

impl Link {
    /// Starts to watch. Nothing fails here: what goes wrong is told as [`LinkState::Waiting`].
    ///
    /// # Errors
    /// When the system gives no thread.
    pub fn start(endpoint: Endpoint, clock: HostClock) -> std::io::Result<Link> {
        let (to_engine, engine) = bounded(FOR_ENGINE);
        let (to_keeper, keeper) = bounded(FOR_KEEPER);
        let (commands, orders) = bounded(FOR_LINK);
        let stop = Arc::new(AtomicBool::new(false));
        let wake = Arc::new(Wake::new()?);
        let mut outlet = Outlet::new(clock, to_engine, to_keeper, orders, Arc::clone(&wake), Arc::clone(&stop));
        let (ends, ended) = bounded(0);
        let watch = move || {
            run(endpoint, &mut outlet);
            drop(ends);
        };
        let thread = std::thread::Builder::new().name("link".into()).spawn(watch)?;
        Ok(Link { engine, keeper, commands, wake, stop, thread: Some(thread), ended })
    }

    /// Tells the link to do something; where a port is open it does so at once, else within a tenth of a second.
    ///
    /// # Errors
    /// When many commands wait, or the link has ended: gives the command back.
    pub fn tell(&self, command: Command) -> Result<(), Command> {
        self.commands.try_send(command).map_err(crossbeam_channel::TrySendError::into_inner)?;
        self.wake.ring();
        Ok(())
    }
}

impl Drop for Link {
    fn drop(&mut self) {
        self.stop.store(true, Ordering::Relaxed);
        // The thread may be waiting for room in a channel that nobody empties any more.
        self.engine = crossbeam_channel::never();
        self.keeper = crossbeam_channel::never();
        self.wake.ring();
        let has_ended = self.ended.recv_timeout(ENDING) != Err(RecvTimeoutError::Timeout);
        if let Some(thread) = self.thread.take().filter(|_| has_ended) {
            // A panic has been printed by its own thread already.
            let _ = thread.join();
        }
    }
}

/// Watches one thing after the other until the end.
fn run(mut endpoint: Endpoint, outlet: &mut Outlet) {
    loop {
        let halt = match endpoint {
            Endpoint::Serial { path, source } => port::Port::new(&System, path, source).watch(outlet),
            Endpoint::Network { source } => {
                let address = std::path::PathBuf::from(&source.port);
                port::Port::new(&Network, address, source).watch(outlet)
            }
            // The board runs until something else is watched.
            Endpoint::Simulated { board, source } => {
                port::Port::new(&System, board.path().to_path_buf(), source).watch(outlet)
            }
            Endpoint::Text { path, grows } => text::watch_file(&path, grows, outlet),
            Endpoint::Input => text::watch_input(outlet),
        };
        match halt {
            Halt::Over => return,
            Halt::Open(next) => endpoint = *next,
        }
    }
}
