//! The link's side of its channels: chunks and states out, commands in.

use super::wake::Wake;
use super::{Chunk, Command, Endpoint, Feed, LinkState};
use crate::clock::HostClock;
use amber_core::Stamp;
use amber_core::clock::Opening;
use crossbeam_channel::{Receiver, SendTimeoutError, Sender, TrySendError};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// How long a pause lasts before commands are looked at again.
const NAP: Duration = Duration::from_millis(20);

/// Why a source is not watched any further.
pub(super) enum Halt {
    /// Nobody listens any more, or the end was asked for.
    Over,
    /// Something else is wanted.
    Open(Box<Endpoint>),
}

pub(super) struct Outlet {
    clock: HostClock,
    to_engine: Sender<Feed>,
    to_keeper: Sender<Feed>,
    commands: Receiver<Command>,
    wake: Arc<Wake>,
    stop: Arc<AtomicBool>,
    skipped: u64,
    late: Late,
    said: Option<LinkState>,
}

/// News that the engine had no room for, in order and merged, so that they take no more room however long it lasts.
#[derive(Default)]
struct Late {
    news: Vec<Feed>,
    /// Those that were merged into later ones, or given up.
    merged: u64,
}

/// The longest that what was sent, and what could not be done, is remembered one by one for an engine that is late.
const LATE: usize = 32;

impl Late {
    fn add(&mut self, feed: Feed) {
        let is_alike = |other: &Feed| std::mem::discriminant(other) == std::mem::discriminant(&feed);
        match feed {
            Feed::Unkept(more) => {
                for other in &mut self.news {
                    if let Feed::Unkept(bytes) = other {
                        *bytes += more;
                        return;
                    }
                }
            }
            Feed::Sent { .. } | Feed::NotDone(_) => {
                if self.news.iter().filter(|other| is_alike(other)).count() >= LATE {
                    self.merged += 1;
                    return;
                }
            }
            // How it stands now is what counts.
            _ => {
                let before = self.news.len();
                self.news.retain(|other| !is_alike(other));
                self.merged += (before - self.news.len()) as u64;
            }
        }
        self.news.push(feed);
    }
}

impl Outlet {
    pub(super) fn new(
        clock: HostClock,
        to_engine: Sender<Feed>,
        to_keeper: Sender<Feed>,
        commands: Receiver<Command>,
        wake: Arc<Wake>,
        stop: Arc<AtomicBool>,
    ) -> Outlet {
        Outlet { clock, to_engine, to_keeper, commands, wake, stop, skipped: 0, late: Late::default(), said: None }
    }

    /// What is rung when there is a command.
    pub(super) fn wake(&self) -> &Wake {
        &self.wake
    }

    pub(super) fn now(&self) -> Stamp {
        self.clock.now()
    }

    /// Hands on bytes that have just arrived.
    pub(super) fn pass(&mut self, bytes: &[u8]) -> Result<(), Halt> {
        self.pass_at(self.clock.now(), bytes)
    }

    /// Hands on bytes that arrived at `at`.
    pub(super) fn pass_at(&mut self, at: Stamp, bytes: &[u8]) -> Result<(), Halt> {
        self.hand_on(at, bytes, Some(Duration::ZERO))
    }

    /// The same, but waits for the engine too, at most `patience`: a text is not lost by reading it slower.
    pub(super) fn pass_patiently(&mut self, bytes: &[u8], patience: Option<Duration>) -> Result<(), Halt> {
        self.hand_on(self.now(), bytes, patience)
    }

    fn hand_on(&mut self, at: Stamp, bytes: &[u8], patience: Option<Duration>) -> Result<(), Halt> {
        let chunk = Chunk { at, bytes: bytes.into(), skipped: 0 };
        // The keeper comes first: what is on the screen is kept by a take that runs.
        self.to_keeper.send(Feed::Chunk(chunk.clone())).map_err(|_| Halt::Over)?;
        self.show(chunk, patience)
    }

    /// Hands bytes to the engine alone, as [`Outlet::hand_on`] says.
    fn show(&mut self, chunk: Chunk, patience: Option<Duration>) -> Result<(), Halt> {
        let length = chunk.bytes.len() as u64;
        let until = patience.map(|patience| Instant::now() + patience);
        let left = || until.map(|until| until.saturating_duration_since(Instant::now()));
        // The news that wait come first.
        while !self.catch_up()? {
            if left().is_some_and(|left| left.is_zero()) {
                self.skipped += length;
                return Ok(());
            }
            std::thread::sleep(left().map_or(NAP, |left| left.min(NAP)));
        }
        let feed = Feed::Chunk(Chunk { skipped: self.skipped, ..chunk });
        let given = match left() {
            None => self.to_engine.send(feed).map_err(|_| Halt::Over).map(|()| true)?,
            Some(left) => match self.to_engine.send_timeout(feed, left) {
                Ok(()) => true,
                Err(SendTimeoutError::Timeout(_)) => false,
                Err(SendTimeoutError::Disconnected(_)) => return Err(Halt::Over),
            },
        };
        self.skipped = if given { 0 } else { self.skipped + length };
        Ok(())
    }

    /// Tells the engine what it had no room for. False when it still has none.
    fn catch_up(&mut self) -> Result<bool, Halt> {
        if self.stop.load(Ordering::Relaxed) {
            return Err(Halt::Over);
        }
        let mut told = 0;
        for feed in &self.late.news {
            match self.to_engine.try_send(feed.clone()) {
                Ok(()) => told += 1,
                Err(TrySendError::Full(_)) => break,
                Err(TrySendError::Disconnected(_)) => return Err(Halt::Over),
            }
        }
        self.late.news.drain(..told);
        if !self.late.news.is_empty() {
            return Ok(false);
        }
        if self.late.merged > 0 && self.to_engine.try_send(Feed::Merged(self.late.merged)).is_ok() {
            self.late.merged = 0;
        }
        Ok(true)
    }

    /// A port was opened at `at`: what comes next may begin within a line.
    pub(super) fn opened(&mut self, at: Stamp) -> Result<(), Halt> {
        self.tell(Feed::Opened { at, opening: Opening::Link, within: true })
    }

    /// Tells both sides. Waits for the keeper alone.
    pub(super) fn tell(&mut self, feed: Feed) -> Result<(), Halt> {
        self.tell_keeper(feed.clone())?;
        self.tell_engine(feed)
    }

    fn tell_keeper(&mut self, feed: Feed) -> Result<(), Halt> {
        if self.stop.load(Ordering::Relaxed) {
            return Err(Halt::Over);
        }
        self.to_keeper.send(feed).map_err(|_| Halt::Over)
    }

    /// Tells the engine alone.
    pub(super) fn tell_engine(&mut self, feed: Feed) -> Result<(), Halt> {
        self.late.add(feed);
        self.catch_up().map(drop)
    }

    /// Bytes are heard at `baud` from now on, which may be wrong.
    pub(super) fn listen(&mut self, baud: u32) -> Result<(), Halt> {
        self.tell_keeper(Feed::Listening { at: self.now(), baud })
    }

    /// These were heard. The keeper has them at once, the engine when the baud rate is known.
    pub(super) fn hear(&mut self, at: Stamp, bytes: &[u8]) -> Result<(), Halt> {
        self.tell_keeper(Feed::Chunk(Chunk { at, bytes: bytes.into(), skipped: 0 }))
    }

    /// The baud rate is known, and so is what was heard at it, from `at` on.
    pub(super) fn found(&mut self, baud: u32, at: Stamp, heard: Vec<(Stamp, Vec<u8>)>) -> Result<(), Halt> {
        self.tell_keeper(Feed::Speed { at: self.now(), baud })?;
        self.tell_engine(Feed::Opened { at, opening: Opening::Link, within: true })?;
        for (at, bytes) in heard {
            self.show(Chunk { at, bytes: bytes.into(), skipped: 0 }, Some(Duration::ZERO))?;
        }
        Ok(())
    }

    /// Says that a command is not carried out, and why.
    pub(super) fn reject(&mut self, command: &Command, why: &str) -> Result<(), Halt> {
        let what = match command {
            Command::Send(_) => "not sent",
            Command::Reset => "not reset",
            Command::FindBaud => "the baud rate is not detected",
            Command::Lend { .. } => "not lent",
            Command::TakeBack => "not taken back",
            // The one is carried out always, as a halt; the other says nothing new of what is not read.
            Command::Open(_) | Command::Missed => return Ok(()),
        };
        self.tell(Feed::NotDone(format!("{what}: {why}")))
    }

    /// Tells how the link stands, when it stands otherwise than was last told.
    pub(super) fn state(&mut self, state: LinkState) -> Result<(), Halt> {
        if self.said.as_ref() == Some(&state) {
            return Ok(());
        }
        self.said = Some(state.clone());
        self.tell(Feed::State(state))
    }

    /// The next command, if there is one; opening something else, and the end, are told as a halt.
    pub(super) fn command(&mut self) -> Result<Option<Command>, Halt> {
        self.catch_up()?;
        match self.commands.try_recv() {
            Ok(Command::Open(endpoint)) => Err(Halt::Open(endpoint)),
            Ok(command) => Ok(Some(command)),
            // Nobody gives orders any more: the stop will come.
            Err(_) => Ok(None),
        }
    }

    /// Waits, at most `pause`, for a command.
    pub(super) fn sleep(&mut self, pause: Duration) -> Result<Option<Command>, Halt> {
        let until = Instant::now() + pause;
        loop {
            if let Some(command) = self.command()? {
                return Ok(Some(command));
            }
            let left = until.saturating_duration_since(Instant::now());
            if left.is_zero() {
                return Ok(None);
            }
            std::thread::sleep(left.min(NAP));
        }
    }
}
