//! The link's side of its channels: chunks and states out, commands in.

use super::{Chunk, Command, Feed, LinkState, Wanted};
use crate::clock::HostClock;
use amber_core::Stamp;
use amber_core::clock::Opening;
use crossbeam_channel::{Receiver, Sender, TrySendError};
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
    Open(Wanted),
}

pub(super) struct Outlet {
    clock: HostClock,
    to_engine: Sender<Feed>,
    to_keeper: Sender<Feed>,
    commands: Receiver<Command>,
    stop: Arc<AtomicBool>,
    skipped: u64,
    said: Option<LinkState>,
}

impl Outlet {
    pub(super) fn new(
        clock: HostClock,
        to_engine: Sender<Feed>,
        to_keeper: Sender<Feed>,
        commands: Receiver<Command>,
        stop: Arc<AtomicBool>,
    ) -> Outlet {
        Outlet { clock, to_engine, to_keeper, commands, stop, skipped: 0, said: None }
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
        let chunk = Chunk { at, bytes: bytes.into(), skipped: self.skipped };
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

    /// The same, but waits for the engine too: a text is not lost by reading it slower.
    pub(super) fn pass_patiently(&mut self, bytes: &[u8]) -> Result<(), Halt> {
        self.tell(Feed::Chunk(Chunk { at: self.now(), bytes: bytes.into(), skipped: 0 }))
    }

    /// A port was opened: what comes next may begin within a line.
    pub(super) fn opened(&mut self) -> Result<(), Halt> {
        self.tell(Feed::Opened { at: self.now(), opening: Opening::Link, within: true })
    }

    /// Tells both sides.
    pub(super) fn tell(&mut self, feed: Feed) -> Result<(), Halt> {
        if self.stop.load(Ordering::Relaxed) {
            return Err(Halt::Over);
        }
        self.to_keeper.send(feed.clone()).map_err(|_| Halt::Over)?;
        self.to_engine.send(feed).map_err(|_| Halt::Over)
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
        if self.stop.load(Ordering::Relaxed) {
            return Err(Halt::Over);
        }
        match self.commands.try_recv() {
            Ok(Command::Open(wanted)) => Err(Halt::Open(wanted)),
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
