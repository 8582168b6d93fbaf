//! Publishing rows at a broker (MQTT 5): one connection for all sources of a bench.
//!
//! Under the topic of the address stand, for each source (with its name as a level where there are several):
//!
//! | topic | what |
//! |---|---|
//! | `rows`, or `values` and each channel's name | a JSON object a row, or a value: [`messages`] |
//! | `about` | retained: the format, whether somebody publishes here, the columns with their units, and what was lost |
//!
//! A keeper gives its rows to a [`PublishOutlet`] and waits for nobody. A thread puts them into the [`spool`] and from there into
//! the client, a few at a time; what the broker has acknowledged (QoS 1) is done with. A message is published again after a
//! connection broke, so that it may come twice, with the same number of its row, and never not at all without being counted.

mod messages;
mod rows;
mod spool;
mod thread;

pub(crate) use rows::RowPublisher;

use crate::broker::{Wish, client_id, short_name};
use amber_core::keep::{BrokerAddress, Publish};
use bytes::Bytes;
use crossbeam_channel::{Sender, TrySendError, bounded};
use messages::level;
use spool::{Place, Spool};
use std::io::ErrorKind;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread::JoinHandle;
use thread::{PublishThread, Start};

/// For how long the broker keeps the session of a publisher that is away, in seconds.
const SESSION: u32 = 86_400;

/// Pieces of rows that may wait for the thread.
const PIECES: usize = 512;

/// Said where a password is sent as it is.
const OPEN_PASSWORD: &str = "the password goes over the network unencrypted: use mqtts:// where the broker can";

/// A message that is to be delivered.
#[derive(Clone, Debug)]
struct Message {
    topic: Arc<str>,
    text: Bytes,
    /// Where it ends on the disk, if it is there.
    place: Option<Place>,
}

impl Message {
    fn new(topic: Arc<str>, text: impl Into<Bytes>) -> Message {
        Message { topic, text: text.into(), place: None }
    }

    /// The memory that it takes, about.
    fn size(&self) -> usize {
        self.text.len() + self.topic.len() + size_of::<Message>()
    }
}

/// How it stands with the broker.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum BrokerState {
    /// A connection is being made.
    #[default]
    Connecting,
    /// Messages are delivered.
    Connected,
    /// It is not reached, or does not let this program in; it is tried again.
    Waiting(String),
}

/// How publishing stands.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct PublishState {
    /// The broker.
    pub broker: BrokerState,
    /// Messages that the broker has acknowledged.
    pub delivered: u64,
    /// Messages that wait.
    pub waiting: u64,
    /// Messages that nobody will get: there was no room for them, or no disk.
    pub lost: u64,
    /// Messages that were not on the disk any more as they were put there.
    pub damaged: u64,
    /// Messages that the broker rejected.
    pub rejected: u64,
    /// What was wrong last, and what to do about it.
    pub trouble: Option<String>,
}

/// What a source's columns are, for `about`, and by which plan they are published.
#[derive(Clone, Debug, PartialEq)]
struct Described {
    base: String,
    columns: Vec<(String, String)>,
    plan: Publish,
}

/// What goes to the thread.
#[derive(Debug)]
enum Piece {
    Rows(Vec<Message>),
    Columns(Described),
}

/// Where a keeper gives its rows.
#[derive(Clone, Debug)]
pub struct PublishOutlet {
    /// What the topics of this source begin with.
    base: String,
    plan: Publish,
    pieces: Sender<Piece>,
    /// Messages that the thread had no room for.
    overflow: Arc<AtomicU64>,
}

impl PublishOutlet {
    /// The same, for the source `name` of several.
    #[must_use]
    pub fn of_source(&self, name: &str) -> PublishOutlet {
        PublishOutlet { base: format!("{}/{}", self.base, level(name)), ..self.clone() }
    }

    /// The same by another plan, whose address stays the one before.
    #[must_use]
    pub fn by(&self, plan: &Publish) -> PublishOutlet {
        PublishOutlet { plan: plan.clone(), ..self.clone() }
    }

    /// Gives messages to be delivered; never waits.
    fn give(&self, messages: Vec<Message>) {
        if messages.is_empty() {
            return;
        }
        if let Err(TrySendError::Full(piece) | TrySendError::Disconnected(piece)) =
            self.pieces.try_send(Piece::Rows(messages))
            && let Piece::Rows(messages) = piece
        {
            self.overflow.fetch_add(messages.len() as u64, Ordering::Relaxed);
        }
    }

    fn describe(&self, columns: Vec<(String, String)>) {
        // One that has no room is told with the next table.
        let described = Described { base: self.base.clone(), columns, plan: self.plan.clone() };
        let _ = self.pieces.try_send(Piece::Columns(described));
    }
}

/// Somebody who publishes, until this is finished.
#[derive(Debug)]
pub struct Publisher {
    outlet: Option<PublishOutlet>,
    state: Arc<Mutex<PublishState>>,
    thread: Option<JoinHandle<()>>,
}

impl Publisher {
    /// Starts to publish by `plan`, for the bench called `bench`. What waits is kept below the folder `spools`.
    ///
    /// # Errors
    /// Where there is no address, no credentials can be read, somebody else publishes there already, or the system gives no
    /// thread.
    pub fn start(plan: &Publish, bench: &str, spools: Option<&Path>) -> Result<Publisher, String> {
        let address = plan.to.clone().ok_or("no address: type one such as mqtt://lab.local/flume")?;
        plan.fault().map_or(Ok(()), |fault| Err(fault.to_owned()))?;
        let wish = Wish::new(&address, client_id(&address.to_string()), SESSION)?;
        let folder = spools.map(|spools| spool_folder(spools, &address)).unwrap_or_default();
        let opened = match spools {
            Some(_) => Spool::open(&folder, plan.spool.0),
            None => Err(std::io::Error::other("there is no folder for program state")),
        };
        let (spool, trouble) = match opened {
            Ok(spool) => (Some(spool), wish.is_readable().then(|| OPEN_PASSWORD.to_owned())),
            Err(error) if error.kind() == ErrorKind::WouldBlock => {
                return Err(format!("another Amber Tap publishes to {address}: end it, or choose another topic"));
            }
            // It goes on without: what does not fit into memory is lost, and counted.
            Err(error) => (None, Some(no_spool(&folder, &error))),
        };
        let (pieces, came) = bounded(PIECES);
        let overflow = Arc::new(AtomicU64::new(0));
        let state = Arc::new(Mutex::new(PublishState::default()));
        let outlet =
            PublishOutlet { base: address.topic.clone(), plan: plan.clone(), pieces, overflow: Arc::clone(&overflow) };
        let thread = PublishThread::new(Start {
            topic: address.topic,
            bench: bench.to_owned(),
            plan: plan.clone(),
            folder,
            wish,
            came,
            overflow,
            shared: Arc::clone(&state),
            spool,
            trouble,
        });
        let thread = std::thread::Builder::new().name("publish".into()).spawn(move || thread.run());
        let thread = thread.map_err(|error| error.to_string())?;
        Ok(Publisher { outlet: Some(outlet), state, thread: Some(thread) })
    }

    /// Where keepers give their rows.
    pub fn outlet(&self) -> Option<PublishOutlet> {
        self.outlet.clone()
    }

    /// How it stands.
    pub fn state(&self) -> PublishState {
        self.state.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// Waits until all is delivered that the broker takes within a few seconds; what is left stays on the disk for the next time.
    /// Keepers must have given their outlets back.
    pub fn finish(mut self) -> PublishState {
        self.end();
        self.state()
    }

    fn end(&mut self) {
        self.outlet = None;
        if let Some(thread) = self.thread.take() {
            // Its fault has been remembered.
            let _ = thread.join();
        }
    }
}

impl Drop for Publisher {
    fn drop(&mut self) {
        self.end();
    }
}

fn no_spool(folder: &Path, error: &std::io::Error) -> String {
    format!("what waits is not kept on the disk ({}: {})", folder.display(), crate::disk::remedy(error))
}

/// The folder in which what waits for an address is kept: readable, and another one for each.
fn spool_folder(spools: &Path, address: &BrokerAddress) -> PathBuf {
    let text = address.to_string();
    let plain = |c: char| if c.is_ascii_alphanumeric() || matches!(c, '.' | '-') { c } else { '_' };
    let name: String = format!("{}_{}", address.broker(), address.topic).chars().map(plain).take(60).collect();
    spools.join(format!("{name}-{}", short_name(&text)))
}
