//! The keeper: a thread that sees every chunk and, while a take runs, writes it.
//!
//! Between takes it remembers the unfinished line, so that a take begins at the start of one.

use super::writer::{Place, Summary, Writer};
use super::{CHECKPOINT, TakeError};
use crate::clock::HostClock;
use crate::link::Feed;
use amber_core::Stamp;
use amber_core::bench::Bench;
use amber_core::split::MAX_LINE;
use crossbeam_channel::{Receiver, Sender, bounded};
use std::path::PathBuf;
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

/// How often the system is asked to put it onto the disk itself.
const SYNC: Duration = Duration::from_secs(2);

/// What the keeper is told to do.
#[derive(Clone, Debug)]
pub enum Order {
    /// Begin a take with these settings.
    Start {
        /// Where.
        place: Place,
        /// The settings, which hold for the whole take.
        bench: Box<Bench>,
    },
    /// Set a mark.
    Mark {
        /// When.
        at: Stamp,
        /// What a person typed.
        note: String,
    },
    /// End the take.
    Stop,
}

/// What the keeper says.
#[derive(Debug)]
pub enum Report {
    /// A take began in this folder.
    Started(PathBuf),
    /// The running take was written through.
    Saved(Summary),
    /// A mark was set.
    Marked {
        /// Its number.
        number: u64,
        /// When.
        at: Stamp,
        /// Its note.
        note: String,
    },
    /// The take ended properly.
    Stopped(Summary),
    /// A take could not begin, or ended by an error; what was written before is whole.
    Failed {
        /// Why.
        error: TakeError,
        /// What the take holds, when it had begun.
        kept: Option<Summary>,
    },
}

/// A running keeper. It ends, after a running take has been finished, when the link ends.
#[derive(Debug)]
pub struct Keeper {
    /// Orders go here.
    pub orders: Sender<Order>,
    /// Reports come from here; they wait, so they must be taken.
    pub reports: Receiver<Report>,
    thread: JoinHandle<()>,
}

impl Keeper {
    /// Starts a keeper for what a link gives it.
    ///
    /// # Errors
    /// When the system gives no thread.
    pub fn start(feed: Receiver<Feed>, clock: HostClock) -> std::io::Result<Keeper> {
        let (orders, to_do) = bounded(64);
        let (say, reports) = bounded(1024);
        let mut desk = Desk { clock, say, take: None, tail: Tail { joined: true, ..Tail::default() } };
        let thread = std::thread::Builder::new().name("keeper".into()).spawn(move || desk.run(&feed, &to_do))?;
        Ok(Keeper { orders, reports, thread })
    }

    /// Waits until the keeper has ended; end the link first. Gives the reports that were still waiting.
    pub fn join(self) -> Vec<Report> {
        let Keeper { orders, reports, thread } = self;
        // The keeper waits for orders until there can be none.
        drop(orders);
        let last = reports.iter().collect();
        // A panic has been printed by its own thread already.
        let _ = thread.join();
        last
    }
}

/// The unfinished line.
#[derive(Debug, Default)]
struct Tail {
    bytes: Vec<u8>,
    at: Stamp,
    /// Its beginning is not there.
    joined: bool,
}

impl Tail {
    fn join(&mut self) {
        *self = Tail { joined: true, ..Tail::default() };
    }

    fn chunk(&mut self, at: Stamp, bytes: &[u8]) {
        let rest = match bytes.iter().rposition(|b| matches!(b, b'\n' | b'\r')) {
            None => bytes,
            Some(end) => {
                self.bytes.clear();
                self.joined = false;
                &bytes[end + 1..]
            }
        };
        if self.bytes.len() + rest.len() > MAX_LINE {
            self.join();
        } else if !rest.is_empty() {
            self.bytes.extend_from_slice(rest);
            self.at = at;
        }
    }
}

struct Desk {
    clock: HostClock,
    say: Sender<Report>,
    take: Option<Running>,
    tail: Tail,
}

struct Running {
    writer: Writer,
    saved: Instant,
    synced: Instant,
}

impl Desk {
    fn run(&mut self, feed: &Receiver<Feed>, orders: &Receiver<Order>) {
        loop {
            crossbeam_channel::select! {
                recv(orders) -> order => match order {
                    Ok(order) => {
                        // What arrived before the order belongs before it.
                        feed.try_iter().take(feed.len()).for_each(|piece| self.receive(piece));
                        self.obey(order);
                    }
                    // Whoever gives orders is gone: there is nobody left to take for.
                    Err(_) => return self.stop(),
                },
                recv(feed) -> piece => match piece {
                    Ok(piece) => self.receive(piece),
                    Err(_) => break,
                },
                default(CHECKPOINT / 4) => {}
            }
            self.save_when_due();
        }
        // The link ended; orders may still come from a screen that shows what was received.
        self.stop();
        orders.iter().for_each(drop);
    }

    fn obey(&mut self, order: Order) {
        match order {
            Order::Start { place, bench } => self.start(&place, *bench),
            Order::Stop => self.stop(),
            Order::Mark { at, note } => {
                if let Some(take) = &mut self.take {
                    let number = take.writer.mark(at, note.clone());
                    self.tell(Report::Marked { number, at, note });
                }
            }
        }
    }

    fn start(&mut self, place: &Place, bench: Bench) {
        if self.take.is_some() {
            return;
        }
        let begun =
            Writer::create(place, bench, self.clock.now(), self.tail.joined).and_then(|mut writer| {
                match self.tail.bytes.is_empty() {
                    true => Ok(writer),
                    false => writer.chunk(self.tail.at, &self.tail.bytes).map(|()| writer),
                }
            });
        match begun {
            Ok(writer) => {
                self.tell(Report::Started(writer.folder().to_path_buf()));
                self.take = Some(Running { writer, saved: Instant::now(), synced: Instant::now() });
            }
            Err(error) => self.tell(Report::Failed { error, kept: None }),
        }
    }

    fn receive(&mut self, piece: Feed) {
        let written = match (&piece, &mut self.take) {
            (Feed::Chunk(chunk), Some(take)) => take.writer.chunk(chunk.at, &chunk.bytes),
            (Feed::Joined(at) | Feed::Begun(at), Some(take)) => {
                take.writer.join(*at);
                Ok(())
            }
            (Feed::Sent { at, bytes }, Some(take)) => take.writer.sent(*at, bytes),
            _ => Ok(()),
        };
        match piece {
            Feed::Chunk(chunk) => self.tail.chunk(chunk.at, &chunk.bytes),
            Feed::Joined(_) => self.tail.join(),
            Feed::Begun(_) => self.tail = Tail::default(),
            Feed::State(_) | Feed::Unkept(_) | Feed::Sent { .. } | Feed::NotSent(_) => {}
        }
        if let Err(error) = written {
            self.fail(error);
        }
    }

    fn save_when_due(&mut self) {
        let Some(take) = self.take.as_mut().filter(|take| take.saved.elapsed() >= CHECKPOINT) else {
            return;
        };
        take.saved = Instant::now();
        let mut done = take.writer.checkpoint(self.clock.now());
        if done.is_ok() && take.synced.elapsed() >= SYNC {
            take.synced = Instant::now();
            done = take.writer.sync().and(done);
        }
        match done {
            Ok(summary) => self.tell(Report::Saved(summary)),
            Err(error) => self.fail(error),
        }
    }

    fn stop(&mut self) {
        if let Some(take) = self.take.take() {
            let end = match take.writer.finish(self.clock.now()) {
                Ok(summary) => Report::Stopped(summary),
                Err(error) => Report::Failed { error, kept: None },
            };
            self.tell(end);
        }
    }

    fn fail(&mut self, error: TakeError) {
        let kept = self.take.take().map(|take| take.writer.give_up());
        self.tell(Report::Failed { error, kept });
    }

    fn tell(&self, report: Report) {
        match report {
            // A missed one is made good by the next.
            Report::Saved(_) => drop(self.say.try_send(report)),
            // Nobody listening means nobody to tell.
            _ => drop(self.say.send(report)),
        }
    }
}
