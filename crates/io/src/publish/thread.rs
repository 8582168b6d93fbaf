//! The thread that delivers: from those who give rows into the spool, and from there to the broker.

use super::spool::{Place, Spool};
use super::{BrokerState, Described, Message, Piece, PublishState, no_spool};
use crate::broker::{Said, WINDOW, Wish};
use amber_core::keep::Publish;
use crossbeam_channel::{Receiver, bounded, never, select};
use rumqttc::v5::Client;
use rumqttc::v5::mqttbytes::QoS;
use serde_json::json;
use std::collections::VecDeque;
use std::path::PathBuf;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

/// The format of what is published, said under `about`.
const FORMAT: u32 = 1;

/// The most that is held in memory beside the disk, in bytes.
const MEMORY: usize = 4 << 20;

/// How often what was delivered is written down, and `about` is published again when it changed.
const SAVING: Duration = Duration::from_millis(500);
const TELLING: Duration = Duration::from_secs(5);

/// How often the thread looks around when nothing happens.
const TICK: Duration = Duration::from_millis(100);

/// Pauses between tries, in milliseconds; the last one repeats.
const PAUSES: [u64; 6] = [300, 600, 1200, 2500, 5000, 10_000];

/// The longest that the last messages are waited for at the end, while the broker takes them.
const LEAVING: Duration = Duration::from_secs(3);

/// Whether a message that is in memory is on the disk too.
fn is_on_disk(spool: Option<&Spool>, message: &Message) -> bool {
    message.place.zip(spool).is_some_and(|(place, spool)| spool.holds(place))
}

/// A message that was given to the client.
struct UnderWay {
    /// Its number on the wire, once it was sent.
    id: Option<u16>,
    /// Nothing for what is said under `about`.
    message: Option<Message>,
}

/// A connection.
struct Broker {
    client: Client,
    said: Receiver<Said>,
    is_open: bool,
}

struct About {
    wanted: bool,
    told: Option<Instant>,
}

pub(super) struct PublishThread {
    about_topic: String,
    bench: String,
    plan: Publish,
    folder: PathBuf,
    wish: Wish,
    came: Receiver<Piece>,
    overflow: Arc<AtomicU64>,
    shared: Arc<Mutex<PublishState>>,
    state: PublishState,
    sources: Vec<Described>,
    spool: Option<Spool>,
    /// The next messages, which come before those that wait on the disk alone.
    ready: VecDeque<Message>,
    ready_size: usize,
    /// In the order in which they were given to the client.
    under_way: VecDeque<UnderWay>,
    /// The newest place on the disk whose message was acknowledged.
    acknowledged: Option<Place>,
    broker: Option<Broker>,
    tries: usize,
    next_try: Instant,
    saved: Instant,
    about: About,
    /// The largest packet that the broker takes.
    longest: Option<u32>,
}

/// What the thread is started with.
pub(super) struct Start {
    /// What all topics begin with.
    pub(super) topic: String,
    /// What the bench is called.
    pub(super) bench: String,
    pub(super) plan: Publish,
    /// Where the spool is.
    pub(super) folder: PathBuf,
    pub(super) wish: Wish,
    pub(super) came: Receiver<Piece>,
    pub(super) overflow: Arc<AtomicU64>,
    pub(super) shared: Arc<Mutex<PublishState>>,
    pub(super) spool: Option<Spool>,
    /// What was wrong already.
    pub(super) trouble: Option<String>,
}

impl PublishThread {
    pub(super) fn new(start: Start) -> PublishThread {
        let Start { topic, bench, plan, folder, wish, came, overflow, shared, spool, trouble } = start;
        PublishThread {
            about_topic: format!("{topic}/about"),
            bench,
            plan,
            folder,
            wish,
            came,
            overflow,
            shared,
            state: PublishState { trouble, ..PublishState::default() },
            sources: Vec::new(),
            spool,
            ready: VecDeque::new(),
            ready_size: 0,
            under_way: VecDeque::new(),
            acknowledged: None,
            broker: None,
            tries: 0,
            next_try: Instant::now(),
            saved: Instant::now(),
            about: About { wanted: true, told: None },
            longest: None,
        }
    }

    pub(super) fn run(mut self) {
        while self.step(TICK) {}
        // Nobody gives rows any more.
        let deadline = Instant::now() + LEAVING;
        self.came = never();
        while self.waiting() > 0 && self.is_open() && Instant::now() < deadline {
            self.step(TICK / 10);
        }
        self.leave(deadline);
        self.forget_memory();
        if let Some(spool) = &mut self.spool {
            // What cannot be written down is delivered twice.
            let _ = spool.save();
        }
        self.tell();
    }

    /// Does what there is to do, or waits for something. False when nobody gives rows any more.
    fn step(&mut self, tick: Duration) -> bool {
        let said = self.broker.as_ref().map_or_else(never, |broker| broker.said.clone());
        select! {
            recv(self.came) -> piece => match piece {
                Ok(piece) => self.take(piece),
                Err(_) => return false,
            },
            recv(said) -> said => match said {
                Ok(said) => self.hear(said),
                Err(_) => self.broken("its thread ended"),
            },
            default(tick) => {}
        }
        // What came together is looked at together.
        for _ in 0..said.len() {
            if let Ok(said) = said.try_recv() {
                self.hear(said);
            }
        }
        self.connect();
        self.give();
        if self.saved.elapsed() >= SAVING {
            self.saved = Instant::now();
            let saved = self.spool.as_mut().map_or(Ok(()), Spool::save);
            saved.unwrap_or_else(|error| self.state.trouble = Some(no_spool(&self.folder, &error)));
        }
        self.tell();
        true
    }

    fn take(&mut self, piece: Piece) {
        match piece {
            Piece::Columns(described) => {
                self.plan.clone_from(&described.plan);
                self.sources.retain(|own| own.base != described.base);
                self.sources.push(described);
                self.sources.sort_by(|a, b| a.base.cmp(&b.base));
                self.about.wanted = true;
            }
            Piece::Rows(mut messages) => {
                // As long as all that waits is in memory, what comes is there too.
                let mut has_room = self.unread() == 0;
                let is_kept = match self.spool.as_mut().map(|spool| spool.add(&mut messages)) {
                    None => false,
                    Some(Ok(())) => true,
                    Some(Err(error)) => {
                        self.state.trouble = Some(no_spool(&self.folder, &error));
                        false
                    }
                };
                let size: usize = messages.iter().map(Message::size).sum();
                has_room &= self.ready_size + size <= MEMORY;
                match (has_room, is_kept) {
                    (true, _) => {
                        self.ready_size += size;
                        self.ready.extend(messages);
                        if let Some(spool) = self.spool.as_mut().filter(|_| is_kept) {
                            spool.skip();
                        }
                    }
                    (false, true) => {}
                    (false, false) => self.lose(messages.len() as u64),
                }
                self.forget_oldest();
                self.count_lost();
            }
        }
    }

    /// Messages that wait on the disk alone.
    fn unread(&self) -> u64 {
        self.spool.as_ref().map_or(0, Spool::unread)
    }

    /// All that wait.
    fn waiting(&self) -> u64 {
        let under_way = self.under_way.iter().filter(|own| own.message.is_some()).count();
        self.unread() + (self.ready.len() + under_way) as u64
    }

    fn count_lost(&mut self) {
        let (lost, damaged) = self.spool.as_mut().map_or((0, 0), |spool| (spool.take_lost(), spool.take_damaged()));
        self.lose(lost + self.overflow.swap(0, Ordering::Relaxed));
        self.state.damaged += damaged;
        self.about.wanted |= damaged > 0;
    }

    fn lose(&mut self, count: u64) {
        self.state.lost += count;
        self.about.wanted |= count > 0;
    }

    /// What the disk had no more room for goes from memory too: it is oldest, and would be gone with the program.
    fn forget_oldest(&mut self) {
        let is_gone = |first: &&Message| first.place.is_some() && !is_on_disk(self.spool.as_ref(), first);
        let gone = self.ready.iter().take_while(is_gone).count();
        self.ready_size -= self.ready.drain(..gone).map(|message| message.size()).sum::<usize>();
        self.lose(gone as u64);
    }

    /// What is in memory alone is lost with it.
    fn forget_memory(&mut self) {
        let before = self.waiting();
        self.ready.retain(|message| is_on_disk(self.spool.as_ref(), message));
        let is_on_disk = |message: &Message| is_on_disk(self.spool.as_ref(), message);
        self.under_way.retain(|own| own.message.as_ref().is_some_and(is_on_disk));
        self.lose(before - self.waiting());
    }

    fn is_open(&self) -> bool {
        self.broker.as_ref().is_some_and(|broker| broker.is_open)
    }

    fn hear(&mut self, said: Said) {
        match said {
            Said::Open { longest } => {
                self.tries = 0;
                self.longest = longest;
                self.about.wanted = true;
                self.about.told = None;
                self.state.broker = BrokerState::Connected;
                if let Some(broker) = &mut self.broker {
                    broker.is_open = true;
                }
            }
            Said::Sent(id) => {
                if let Some(own) = self.under_way.iter_mut().find(|own| own.id.is_none()) {
                    own.id = Some(id);
                }
            }
            Said::Acknowledged { id, rejected } => {
                let Some(at) = self.under_way.iter().position(|own| own.id == Some(id)) else { return };
                let message = self.under_way.remove(at).and_then(|own| own.message);
                match rejected {
                    Some(why) => {
                        self.state.rejected += u64::from(message.is_some());
                        self.state.trouble = Some(format!("the broker rejects messages: {why}"));
                    }
                    None => self.state.delivered += u64::from(message.is_some()),
                }
                // All before the oldest that is under way, or waits to be given again, is done with.
                self.acknowledged = self.acknowledged.max(message.and_then(|message| message.place));
                let under_way = self.under_way.iter().filter_map(|own| own.message.as_ref());
                let oldest = under_way.chain(self.ready.front()).find_map(|message| message.place);
                let is_next = oldest.is_none_or(|oldest| self.acknowledged.is_some_and(|own| own < oldest));
                if let Some((place, spool)) = self.acknowledged.filter(|_| is_next).zip(self.spool.as_mut()) {
                    spool.deliver(place);
                }
            }
            Said::Broken(why) => self.broken(&why),
            Said::Subscribed(_) | Said::Message { .. } => {}
        }
    }

    /// What is under way goes back to where it came from, in its order.
    fn broken(&mut self, why: &str) {
        self.broker = None;
        self.state.broker = BrokerState::Waiting(why.to_owned());
        self.next_try = Instant::now() + Duration::from_millis(PAUSES[self.tries.min(PAUSES.len() - 1)]);
        self.tries += 1;
        for message in std::mem::take(&mut self.under_way).into_iter().rev().filter_map(|own| own.message) {
            self.ready_size += message.size();
            self.ready.push_front(message);
        }
    }

    fn connect(&mut self) {
        if self.broker.is_some() || Instant::now() < self.next_try {
            return;
        }
        if self.tries == 0 {
            self.state.broker = BrokerState::Connecting;
        }
        self.wish.will(&self.about_topic, self.about_text(false));
        let (tell, said) = bounded(4 * usize::from(WINDOW));
        match self.wish.begin(move |said| tell.send(said).is_ok()) {
            Ok(client) => self.broker = Some(Broker { client, said, is_open: false }),
            Err(error) => self.broken(&error.to_string()),
        }
    }

    /// Gives the client as many messages as may be under way.
    fn give(&mut self) {
        if !self.is_open() {
            return;
        }
        if self.about.wanted && self.about.told.is_none_or(|told| told.elapsed() >= TELLING) {
            self.about.wanted = !self.publish_about(true);
            self.about.told = Some(Instant::now());
        }
        while self.under_way.len() < usize::from(WINDOW) {
            let Some(message) = self.next() else { break };
            let longest = self.longest.unwrap_or(u32::MAX) as usize;
            // The header of a packet is far shorter than this.
            if message.text.len() + message.topic.len() + 32 > longest {
                self.state.rejected += 1;
                self.state.trouble = Some(format!("the broker takes no message longer than {longest} bytes"));
                continue;
            }
            let Some(broker) = &self.broker else { break };
            match broker.client.try_publish(&*message.topic, QoS::AtLeastOnce, false, message.text.clone()) {
                Ok(()) => self.under_way.push_back(UnderWay { id: None, message: Some(message) }),
                Err(_) => {
                    self.ready_size += message.size();
                    self.ready.push_front(message);
                    break;
                }
            }
        }
    }

    /// The next message, from memory or from the disk.
    fn next(&mut self) -> Option<Message> {
        if self.ready.is_empty()
            && self.unread() > 0
            && let Some(spool) = &mut self.spool
        {
            match spool.read() {
                Ok(messages) => {
                    self.ready_size += messages.iter().map(Message::size).sum::<usize>();
                    self.ready.extend(messages);
                }
                Err(error) => self.state.trouble = Some(no_spool(&self.folder, &error)),
            }
            self.count_lost();
        }
        let message = self.ready.pop_front()?;
        self.ready_size -= message.size();
        Some(message)
    }

    /// What is said of all this. `online`: somebody publishes here.
    fn about_text(&self, online: bool) -> String {
        let sources: Vec<_> = self
            .sources
            .iter()
            .map(|own| {
                let columns: Vec<_> =
                    own.columns.iter().map(|(name, unit)| json!({ "name": name, "unit": unit })).collect();
                json!({ "topic": own.base, "columns": columns })
            })
            .collect();
        let topics = self.plan.topics.name();
        let rows = self.plan.rows.to_string();
        let lost = self.state.lost + self.state.damaged;
        json!({ "format": FORMAT, "program": "amber-tap", "online": online, "bench": self.bench, "rows": rows,
            "topics": topics, "sources": sources, "lost_messages": lost })
        .to_string()
    }

    fn publish_about(&mut self, online: bool) -> bool {
        let text = self.about_text(online);
        let Some(broker) = &self.broker else { return false };
        let given = broker.client.try_publish(self.about_topic.as_str(), QoS::AtLeastOnce, true, text).is_ok();
        if given {
            self.under_way.push_back(UnderWay { id: None, message: None });
        }
        given
    }

    /// Says that nobody publishes here any more, and ends the connection.
    fn leave(&mut self, deadline: Instant) {
        self.count_lost();
        if self.is_open() && self.publish_about(false) {
            let is_under_way = |thread: &PublishThread| thread.under_way.iter().any(|own| own.message.is_none());
            while is_under_way(self) && self.is_open() && Instant::now() < deadline {
                let Some(said) = self.broker.as_ref().map(|broker| broker.said.clone()) else { break };
                if let Ok(said) = said.recv_timeout(TICK) {
                    self.hear(said);
                }
            }
        }
        if let Some(broker) = self.broker.take() {
            // Where it is broken already, there is nothing to end.
            let _ = broker.client.try_disconnect();
        }
    }

    /// Shows how it stands.
    fn tell(&mut self) {
        self.count_lost();
        self.state.waiting = self.waiting();
        let mut shared = self.shared.lock().unwrap_or_else(PoisonError::into_inner);
        if *shared != self.state {
            shared.clone_from(&self.state);
        }
    }
}
