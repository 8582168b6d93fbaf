//! The link supervisor: a thread that opens the port, reads it, stamps every chunk on arrival, hands it to the keeper
//! and to the engine, and opens the port again when it went away.
//!
//! The keeper's channel may never lose a chunk, so the thread waits for it. The engine's may: what does not fit is
//! counted, and the count travels with the next chunk that does.

use crate::clock::HostClock;
use crate::serial::{self, Problem};
use amber_core::Stamp;
use crossbeam_channel::{Receiver, Sender, TrySendError, bounded};
use std::io::{ErrorKind, Read};
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

/// Chunks that wait for the engine before others are skipped.
const FOR_ENGINE: usize = 2048;

/// Chunks that wait for the keeper before the reader waits.
const FOR_KEEPER: usize = 2048;

/// Bytes that are read at once, four times what Linux keeps for a reader of a terminal device; with the two above this
/// bounds the memory.
const AT_ONCE: usize = 16 * 1024;

/// Pauses between tries, in milliseconds; the last one repeats.
const PAUSES: [u64; 5] = [300, 600, 1200, 2500, 5000];

/// A link that stayed open this long starts with the first pause again.
const STEADY: Duration = Duration::from_secs(3);

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

/// How the link stands.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum LinkState {
    /// Being opened for the first time.
    Opening,
    /// Open.
    Open,
    /// Not open; will be tried again after the pause.
    Waiting {
        /// Why.
        problem: Problem,
        /// Until the next try.
        pause: Duration,
    },
}

/// What goes to the keeper and to the engine.
#[derive(Clone, Debug)]
pub enum Feed {
    /// The link stands otherwise than before.
    State(LinkState),
    /// The port was opened: what follows may begin within a line.
    Joined(Stamp),
    /// Bytes arrived.
    Chunk(Chunk),
}

/// A running link. It ends, and closes the port, when this is dropped.
#[derive(Debug)]
pub struct Link {
    /// For the engine.
    pub engine: Receiver<Feed>,
    /// For the keeper.
    pub keeper: Receiver<Feed>,
    wanted: Sender<(PathBuf, u32)>,
    stop: Arc<AtomicBool>,
    thread: Option<JoinHandle<()>>,
}

impl Link {
    /// Starts to watch the port at `path`. Nothing fails here: what goes wrong is told as [`LinkState::Waiting`].
    ///
    /// # Errors
    /// When the system gives no thread.
    pub fn start(path: PathBuf, baud: u32, clock: HostClock) -> std::io::Result<Link> {
        let (to_engine, engine) = bounded(FOR_ENGINE);
        let (to_keeper, keeper) = bounded(FOR_KEEPER);
        let (wanted, orders) = bounded(8);
        let stop = Arc::new(AtomicBool::new(false));
        let seen = Arc::clone(&stop);
        let mut reader = Reader { path, baud, clock, to_engine, to_keeper, orders, stop: seen, skipped: 0 };
        let thread = std::thread::Builder::new().name("link".into()).spawn(move || reader.run())?;
        Ok(Link { engine, keeper, wanted, stop, thread: Some(thread) })
    }

    /// Lets go of the port and opens this one. A running take goes on.
    pub fn reopen(&self, path: PathBuf, baud: u32) {
        // The thread takes orders ten times a second; it is only gone when the link ends.
        let _ = self.wanted.send((path, baud));
    }
}

impl Drop for Link {
    fn drop(&mut self) {
        self.stop.store(true, Ordering::Relaxed);
        // The thread may be waiting for room in a channel that nobody empties any more.
        self.engine = crossbeam_channel::never();
        self.keeper = crossbeam_channel::never();
        if let Some(thread) = self.thread.take() {
            // A panic has been printed by its own thread already.
            let _ = thread.join();
        }
    }
}

struct Reader {
    path: PathBuf,
    baud: u32,
    clock: HostClock,
    to_engine: Sender<Feed>,
    to_keeper: Sender<Feed>,
    orders: Receiver<(PathBuf, u32)>,
    stop: Arc<AtomicBool>,
    skipped: u64,
}

/// Why the thread does not go on with what it does.
enum Halt {
    /// Nobody listens any more, or the end was asked for.
    Over,
    /// Another port is wanted.
    Reopen,
}

impl Reader {
    fn run(&mut self) {
        let mut tries = 0;
        loop {
            match self.once(&mut tries) {
                Ok(()) => {}
                Err(Halt::Over) => return,
                Err(Halt::Reopen) => tries = 0,
            }
        }
    }

    /// Opens the port, reads it until it goes away, and waits before the next try.
    fn once(&mut self, tries: &mut usize) -> Result<(), Halt> {
        if *tries == 0 {
            self.tell(Feed::State(LinkState::Opening))?;
        }
        let opened = Instant::now();
        let problem = match serial::open(&self.path, self.baud) {
            Err(problem) => problem,
            Ok(port) => self.read(port)?,
        };
        if opened.elapsed() > STEADY {
            *tries = 0;
        }
        let pause = Duration::from_millis(PAUSES[(*tries).min(PAUSES.len() - 1)]);
        *tries += 1;
        self.tell(Feed::State(LinkState::Waiting { problem, pause }))?;
        self.sleep(pause)
    }

    /// Reads until the port goes away.
    fn read(&mut self, mut port: serialport::TTYPort) -> Result<Problem, Halt> {
        self.tell(Feed::State(LinkState::Open))?;
        self.tell(Feed::Joined(self.clock.now()))?;
        let mut buffer = vec![0; AT_ONCE];
        loop {
            match port.read(&mut buffer) {
                Ok(0) => return Ok(Problem::Vanished(self.path.clone())),
                Ok(length) => self.pass(&buffer[..length])?,
                Err(error) if matches!(error.kind(), ErrorKind::TimedOut | ErrorKind::Interrupted) => {}
                Err(_) => return Ok(Problem::Vanished(self.path.clone())),
            }
            self.go_on()?;
        }
    }

    fn pass(&mut self, bytes: &[u8]) -> Result<(), Halt> {
        let chunk = Chunk { at: self.clock.now(), bytes: bytes.into(), skipped: self.skipped };
        let for_keeper = Chunk { skipped: 0, ..chunk.clone() };
        // The keeper comes first: what is on the screen is kept by a take that runs.
        self.to_keeper.send(Feed::Chunk(for_keeper)).map_err(|_| Halt::Over)?;
        match self.to_engine.try_send(Feed::Chunk(chunk)) {
            Ok(()) => self.skipped = 0,
            Err(TrySendError::Full(_)) => self.skipped += bytes.len() as u64,
            Err(TrySendError::Disconnected(_)) => return Err(Halt::Over),
        }
        Ok(())
    }

    fn tell(&mut self, feed: Feed) -> Result<(), Halt> {
        self.go_on()?;
        self.to_keeper.send(feed.clone()).map_err(|_| Halt::Over)?;
        self.to_engine.send(feed).map_err(|_| Halt::Over)
    }

    fn sleep(&mut self, pause: Duration) -> Result<(), Halt> {
        let until = Instant::now() + pause;
        while Instant::now() < until {
            self.go_on()?;
            std::thread::sleep(Duration::from_millis(20));
        }
        Ok(())
    }

    fn go_on(&mut self) -> Result<(), Halt> {
        if self.stop.load(Ordering::Relaxed) {
            return Err(Halt::Over);
        }
        match self.orders.try_iter().last() {
            None => Ok(()),
            Some(wanted) => {
                (self.path, self.baud) = wanted;
                Err(Halt::Reopen)
            }
        }
    }
}
