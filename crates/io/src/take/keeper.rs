//! The keeper: a thread that sees every chunk and, while a take runs, writes it.
//!
//! Between takes it remembers what came of late, so that a take begins at the start of a line, or before it was asked for.

use super::gaps::{Gap, Gaps};
use super::marks::Mark;
use super::recent::{Came, Recent};
use super::writer::{Summary, TakePlace, Writer};
use super::{CHECKPOINT, TakeError};
use crate::clock::{ClockReading, ClockWatch, HostClock};
use crate::link::Feed;
use crate::publish::{PublishOutlet, RowPublisher};
use amber_core::Stamp;
use amber_core::bench::Bench;
use amber_core::clock::Opening;
use amber_core::keep::Station;
use crossbeam_channel::{Receiver, Sender, bounded};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::{Path, PathBuf};
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
        place: TakePlace,
        /// The settings, which hold for the whole take.
        bench: Box<Bench>,
        /// From when on.
        from: From,
    },
    /// Set a mark.
    Mark(Mark),
    /// Add a station, or take the place of the one with its number.
    Station(Box<Station>),
    /// Publish the rows from now on, by these settings; one that runs goes on by them.
    Publish(Box<PublishOrder>),
    /// Publish no more.
    StopPublishing,
    /// End the take.
    Stop,
}

/// What is published.
#[derive(Clone, Debug)]
pub struct PublishOrder {
    /// The settings of the source.
    pub bench: Bench,
    /// Where its rows go.
    pub outlet: PublishOutlet,
}

/// From when on a take keeps what comes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum From {
    /// At once; the source may be open for long.
    Now,
    /// From the very first byte after the source is opened next.
    Opening,
}

/// What the keeper says.
#[derive(Debug)]
pub enum Report {
    /// A take began.
    Started {
        /// Its folder.
        folder: PathBuf,
        /// When it begins: before now, where what was in memory is part of it.
        since: Stamp,
    },
    /// The folder of the running take was renamed; it goes on there.
    Moved(PathBuf),
    /// Another program was at the files of the running take. What is in memory of it goes on as another one.
    Renewed {
        /// What happened.
        error: TakeError,
        /// The folder of the other take.
        folder: PathBuf,
        /// When that begins.
        since: Stamp,
        /// Seconds of the first one that were not in memory any more.
        missing: f64,
    },
    /// The running take was written through.
    Saved(Summary),
    /// A mark was set.
    Marked(Mark),
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
    thread: Option<JoinHandle<()>>,
}

impl Drop for Keeper {
    /// Waits for it, so that a running take is finished also when the program ends by an error.
    fn drop(&mut self) {
        self.orders = bounded(0).0;
        self.reports = crossbeam_channel::never();
        if let Some(thread) = self.thread.take() {
            // Its fault has been told.
            let _ = thread.join();
        }
    }
}

impl Keeper {
    /// Starts a keeper for what a link gives it.
    ///
    /// # Errors
    /// When the system gives no thread.
    pub fn start(feed: Receiver<Feed>, clock: HostClock) -> std::io::Result<Keeper> {
        Keeper::start_with(feed, clock, None)
    }

    /// The same with orders that are carried out before anything is taken from the link.
    ///
    /// # Errors
    /// When the system gives no thread.
    pub fn start_with(
        feed: Receiver<Feed>,
        clock: HostClock,
        first: impl IntoIterator<Item = Order> + Send + 'static,
    ) -> std::io::Result<Keeper> {
        let (orders, to_do) = bounded(64);
        let (say, reports) = bounded(1024);
        let mut thread = KeeperThread {
            clock,
            say,
            take: None,
            wanted: None,
            publishing: None,
            recent: Recent::default(),
            gaps: Gaps::default(),
            clocks: ClockWatch::default(),
            listening: None,
        };
        let thread = std::thread::Builder::new().name("keeper".into()).spawn(move || {
            let work = || {
                first.into_iter().for_each(|order| thread.obey(order));
                thread.run(&feed, &to_do);
            };
            // What a fault leaves of the thread is only used to write what had come before it.
            if catch_unwind(AssertUnwindSafe(work)).is_err() {
                let kept = thread.take.take().map(|take| take.writer.rescue());
                thread.tell(Report::Failed { error: TakeError::Fault, kept });
            }
        })?;
        Ok(Keeper { orders, reports, thread: Some(thread) })
    }

    /// Waits until the keeper has ended; end the link first. Gives the reports that were still waiting.
    pub fn join(mut self) -> Vec<Report> {
        // The keeper waits for orders until there can be none.
        self.orders = bounded(0).0;
        self.reports.iter().collect()
    }
}

struct KeeperThread {
    clock: HostClock,
    say: Sender<Report>,
    take: Option<Running>,
    /// A take that begins when the source is opened.
    wanted: Option<(TakePlace, Bench)>,
    publishing: Option<RowPublisher>,
    recent: Recent,
    gaps: Gaps,
    clocks: ClockWatch,
    /// The baud rate at which bytes are heard while it is being detected.
    listening: Option<u32>,
}

struct Running {
    writer: Writer,
    bench: Bench,
    /// The place of the first that it holds among all that came.
    place: u64,
    saved: Instant,
    synced: Instant,
}

impl Running {
    fn new(writer: Writer, bench: Bench, place: u64) -> Running {
        Running { writer, bench, place, saved: Instant::now(), synced: Instant::now() }
    }
}

impl KeeperThread {
    fn run(&mut self, feed: &Receiver<Feed>, orders: &Receiver<Order>) {
        loop {
            crossbeam_channel::select! {
                recv(orders) -> order => {
                    // What arrived before the order belongs before it.
                    feed.try_iter().take(feed.len()).for_each(|piece| self.receive(piece));
                    match order {
                        Ok(order) => self.obey(order),
                        // Whoever gives orders is gone: there is nobody left to take for.
                        Err(_) => {
                            self.publishing = None;
                            return self.stop();
                        }
                    }
                }
                recv(feed) -> piece => match piece {
                    Ok(piece) => self.receive(piece),
                    Err(_) => break,
                },
                default(CHECKPOINT / 4) => {}
            }
            self.save_when_due();
            self.stop_when_full(self.clock.now());
        }
        // The link ended; orders may still come from a screen that shows what was received.
        self.publishing = None;
        self.stop();
        orders.iter().for_each(drop);
    }

    fn obey(&mut self, order: Order) {
        match order {
            Order::Start { place, bench, from: From::Now } => self.start(&place, &bench),
            Order::Start { place, bench, from: From::Opening } => self.wanted = Some((place, *bench)),
            Order::Stop => self.stop(),
            Order::Publish(order) => self.publish(*order),
            Order::StopPublishing => self.publishing = None,
            Order::Station(station) => {
                let written = self.take.as_mut().map_or(Ok(()), |take| take.writer.station(&station));
                if let Err(error) = written {
                    self.fail(error);
                }
            }
            Order::Mark(mark) => {
                if let Some(take) = &mut self.take {
                    let mark = take.writer.mark(mark);
                    self.tell(Report::Marked(mark));
                }
            }
        }
    }

    fn start(&mut self, place: &TakePlace, bench: &Bench) {
        if self.take.is_some() {
            return;
        }
        // What became of the clocks up to here is not news to the take.
        self.watch_clocks();
        let now = self.clock.now();
        let before = bench.shared.keep.before;
        let (first, begun) = if before > 0.0 {
            let from = now.plus(-before);
            let first = self.recent.place(from);
            let came = self.recent.since(first).2.next();
            // What was asked for may not be there any more.
            let since = if first > self.recent.oldest() { from } else { came.map_or(now, |came| came.at().max(from)) };
            (first, self.begin_before(place, bench, first, since))
        } else {
            let line = self.recent.now().read_by(bench);
            let (at, event) = line.begin(now);
            let begun = Writer::create(place, bench, at, event).and_then(|mut writer| {
                if !line.bytes.is_empty() {
                    writer.chunk(line.at, &line.bytes)?;
                }
                if let Some((since, gap)) = self.gaps.down() {
                    writer.gap(at.max(*since), gap)?;
                }
                Ok(writer)
            });
            (self.recent.end(), begun)
        };
        match begun {
            Ok(writer) => {
                self.tell(Report::Started { folder: writer.folder().to_path_buf(), since: writer.start() });
                self.take = Some(Running::new(writer, bench.clone(), first));
                // What was in memory may be all that was asked for.
                self.stop_when_full(now);
            }
            Err(error) => self.tell(Report::Failed { error, kept: None }),
        }
    }

    /// Begins a take at `begin` with all that came from `first` on, as far as it is in memory.
    fn begin_before(&self, place: &TakePlace, bench: &Bench, first: u64, begin: Stamp) -> Result<Writer, TakeError> {
        let (state, _, since) = self.recent.since(first);
        let state = state.read_by(bench);
        let (at, event) = state.begin(begin);
        let mut writer = Writer::create(place, bench, at, event)?;
        if !state.bytes.is_empty() {
            // Its beginning lies before the take, which it belongs to as a whole.
            writer.chunk(at, &state.bytes)?;
        }
        for came in since {
            came.write(&mut writer)?;
        }
        Ok(writer)
    }

    /// Publishes from here on, beginning with the line that is under way.
    fn publish(&mut self, order: PublishOrder) {
        let PublishOrder { bench, outlet } = order;
        let line = self.recent.now().read_by(&bench);
        let (at, event) = line.begin(self.clock.now());
        let publisher = match &mut self.publishing {
            Some(publisher) => {
                publisher.change(outlet, &bench, at);
                publisher
            }
            none => none.insert(RowPublisher::new(outlet, &bench, at)),
        };
        publisher.apply(at, event);
        if !line.bytes.is_empty() {
            publisher.feed(line.at, &line.bytes);
        }
    }

    fn receive(&mut self, piece: Feed) {
        #[cfg(test)]
        assert!(!matches!(&piece, Feed::Chunk(chunk) if *chunk.bytes == *tests::FAULT), "a fault on purpose");
        let now = self.clock.now();
        let is_opened = matches!(piece, Feed::Opened { .. });
        match piece {
            Feed::Chunk(chunk) => {
                // A take that waits for the source begins with the first byte that is heard.
                if let (Some(baud), Some((place, bench))) =
                    (self.listening, self.wanted.take_if(|_| self.listening.is_some()))
                {
                    self.note(Came::Listening(chunk.at, baud));
                    self.start(&place, &bench);
                }
                self.note(Came::Chunk(chunk.at, chunk.bytes));
            }
            Feed::Opened { at, opening, within } => {
                self.listening = None;
                let gap = self.gaps.opened(opening);
                self.note(Came::Opened { at, opening, within });
                gap.into_iter().for_each(|gap| self.note(Came::Gap(at, gap)));
            }
            Feed::Listening { at, baud } => {
                let gap = if self.listening.is_some() { None } else { self.gaps.opened(Opening::Link) };
                self.listening = Some(baud);
                self.note(Came::Listening(at, baud));
                gap.into_iter().for_each(|gap| self.note(Came::Gap(at, gap)));
            }
            Feed::Speed { at, baud } => {
                self.listening = None;
                self.note(Came::Speed(at, baud));
            }
            Feed::State(state) => {
                let gap = self.gaps.state(now, &state);
                gap.into_iter().for_each(|gap| self.note(Came::Gap(now, gap)));
            }
            Feed::Unkept(0) => {}
            Feed::Unkept(bytes) => self.note(Came::Gap(now, Gap::Unkept(bytes))),
            Feed::Ended(at) => self.note(Came::Ended(at)),
            Feed::Sent { at, bytes } => self.note(Came::Sent(at, bytes)),
            Feed::NotDone(_) | Feed::Merged(_) => {}
        }
        if let Some((place, bench)) = is_opened.then(|| self.wanted.take()).flatten() {
            self.start(&place, &bench);
        }
        self.stop_when_full(now);
    }

    /// This came: it goes into the running take, and is remembered for one that may begin later.
    fn note(&mut self, came: Came) {
        let written = self.take.as_mut().map_or(Ok(()), |take| came.write(&mut take.writer));
        if let Some(publisher) = &mut self.publishing {
            came.publish(publisher);
        }
        self.recent.push(came);
        if let Err(error) = written {
            self.fail(error);
        }
    }

    /// Ends a take that has reached a limit.
    fn stop_when_full(&mut self, now: Stamp) {
        if self.take.as_ref().is_some_and(|take| take.writer.is_full(now)) {
            self.stop();
        }
    }

    /// Notes what became of the host's clocks.
    fn watch_clocks(&mut self) {
        let now = self.clock.now();
        for note in self.clocks.look(ClockReading::now()) {
            self.note(Came::Gap(now, Gap::Clock(note)));
        }
    }

    fn save_when_due(&mut self) {
        let Some(take) = self.take.as_mut().filter(|take| take.saved.elapsed() >= CHECKPOINT) else {
            return;
        };
        take.saved = Instant::now();
        self.watch_clocks();
        let Some(take) = self.take.as_mut() else { return };
        let mut done = take.writer.checkpoint(self.clock.now());
        if done.is_ok() && take.synced.elapsed() >= SYNC {
            take.synced = Instant::now();
            done = take.writer.sync().and(done);
        }
        let moved = take.writer.take_move();
        moved.into_iter().for_each(|folder| self.tell(Report::Moved(folder)));
        match done {
            Ok(summary) => self.tell(Report::Saved(summary)),
            Err(error) => self.fail(error),
        }
    }

    fn stop(&mut self) {
        self.wanted = None;
        let Some(Running { writer, bench, place, .. }) = self.take.take() else { return };
        let (folder, start) = (writer.folder().to_path_buf(), writer.start());
        let end = match writer.finish(self.clock.now()) {
            Ok(summary) => Report::Stopped(summary),
            Err(error) => match self.renew(error, &folder, (start, place), &bench) {
                Ok(writer) => match writer.finish(self.clock.now()) {
                    Ok(summary) => Report::Stopped(summary),
                    Err(error) => Report::Failed { error, kept: None },
                },
                Err(error) => Report::Failed { error, kept: None },
            },
        };
        self.tell(end);
    }

    fn fail(&mut self, error: TakeError) {
        let Some(Running { writer, bench, place, .. }) = self.take.take() else { return };
        let (folder, start) = (writer.folder().to_path_buf(), writer.start());
        let kept = writer.give_up();
        match self.renew(error, &folder, (start, place), &bench) {
            Ok(writer) => self.take = Some(Running::new(writer, bench, place)),
            Err(error) => self.tell(Report::Failed { error, kept: Some(kept) }),
        }
    }

    /// Begins another take beside one whose files were damaged, with all that is still in memory of it, and says so.
    ///
    /// # Errors
    /// What ended the first one, where that was something else, or where there can be no other.
    fn renew(
        &mut self,
        error: TakeError,
        folder: &Path,
        (start, first): (Stamp, u64),
        bench: &Bench,
    ) -> Result<Writer, TakeError> {
        if !matches!(error, TakeError::Gone(_) | TakeError::Damaged { .. }) {
            return Err(error);
        }
        let name = folder.file_name().unwrap_or_default().to_string_lossy();
        let names = (1..100).map(|n| if n == 1 { format!("{name}-rescued") } else { format!("{name}-rescued-{n}") });
        let place = names.map(|name| folder.with_file_name(name)).find(|place| !place.exists());
        let (_, is_whole, mut since) = self.recent.since(first);
        let begin = since.next().filter(|_| !is_whole).map_or(start, Came::at);
        drop(since);
        let begun = place.and_then(|place| self.begin_before(&TakePlace::Exactly(place), bench, first, begin).ok());
        let Some(writer) = begun else { return Err(error) };
        self.tell(Report::Renewed {
            error,
            folder: writer.folder().to_path_buf(),
            since: writer.start(),
            missing: writer.start().seconds_since(start).max(0.0),
        });
        Ok(writer)
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::link::{Chunk, LinkState};
    use crate::serial::Problem;
    use amber_core::clock::Opening;

    /// What makes the keeper fail in these tests.
    pub(super) const FAULT: &[u8] = b"a fault on purpose";

    #[test]
    fn a_fault_of_its_own_leaves_a_take_with_all_that_had_come() {
        let dir = tempfile::tempdir().unwrap();
        let (give, feed) = bounded(64);
        let clock = HostClock::start();
        let start = Order::Start { place: TakePlace::Next(dir.path().into()), bench: Box::default(), from: From::Now };
        let keeper = Keeper::start_with(feed, clock, Some(start)).unwrap();
        let chunk = |bytes: &[u8]| Feed::Chunk(Chunk { at: clock.now(), bytes: bytes.into(), skipped: 0 });
        for i in 0..20 {
            give.send(chunk(format!("a={i} b=2\n").as_bytes())).unwrap();
        }
        give.send(chunk(FAULT)).unwrap();
        let said = keeper.join();
        let failed = said.iter().find_map(|report| match report {
            Report::Failed { error: TakeError::Fault, kept } => kept.clone(),
            _ => None,
        });
        let take = super::super::open(&failed.expect("it was said, with what is kept").folder).unwrap();
        assert_eq!(take.wire.to_vec().unwrap().iter().filter(|b| **b == b'\n').count(), 20);
        assert!(give.send(chunk(b"x")).is_err(), "whoever gives more hears that nobody takes it");
    }

    #[test]
    fn a_take_of_messages_begins_with_none_that_came_before_it() {
        let dir = tempfile::tempdir().unwrap();
        let (give, feed) = bounded(256);
        let clock = HostClock::start();
        let keeper = Keeper::start(feed, clock).unwrap();
        let message = |value: u8| {
            let bytes = vec![0xe0, value, 2].into();
            give.send(Feed::Chunk(Chunk { at: clock.now(), bytes, skipped: 0 })).unwrap();
        };
        let text = "[[source]]\nsplit = { shape = \"pins\", pins = \"every 50 knob:a0\" }\n";
        let (bench, folder) = (Box::new(Bench::parse(text).unwrap()), dir.path().join("run"));
        (0..60).for_each(message);
        let start = Order::Start { place: TakePlace::Exactly(folder.clone()), bench, from: From::Now };
        // What came before the order belongs before it.
        keeper.orders.send(start).unwrap();
        assert!(matches!(keeper.reports.recv(), Ok(Report::Started { .. })));
        (60..70).for_each(message);
        drop(give);
        keeper.join();
        let take = super::super::open(&folder).unwrap();
        let own: Vec<u8> = (60..70).flat_map(|value| [0xe0, value, 2]).collect();
        assert_eq!(take.wire.to_vec().unwrap(), own);
        assert_eq!(take.decode().unwrap().split(|byte| *byte == b'\n').count(), 12, "a header, ten rows, and the end");
    }

    #[test]
    fn what_other_programs_do_to_a_running_take_is_noticed_and_costs_nothing_that_is_in_memory() {
        type Damage = (&'static str, fn(&Path));
        let damages: [Damage; 6] = [
            ("was deleted or renamed", |take| std::fs::remove_file(take.join("readings.csv")).unwrap()),
            ("was cut", |take| {
                std::fs::File::options().write(true).open(take.join("wire.bin")).unwrap().set_len(90).unwrap()
            }),
            ("was written to", |take| {
                let wire = std::fs::OpenOptions::new().append(true).open(take.join("wire.csv"));
                std::io::Write::write_all(&mut wire.unwrap(), b"x\n").unwrap();
            }),
            ("was replaced", |take| {
                std::fs::remove_file(take.join("marks.csv")).unwrap();
                std::fs::write(take.join("marks.csv"), "x").unwrap();
            }),
            ("is gone", |take| std::fs::remove_dir_all(take).unwrap()),
            ("", |take| std::fs::rename(take, take.with_file_name("other")).unwrap()),
        ];
        for (expected, damage) in damages {
            let dir = tempfile::tempdir().unwrap();
            let (give, feed) = bounded(64);
            let clock = HostClock::start();
            let place = TakePlace::Exactly(dir.path().join("run"));
            let start = Order::Start { place, bench: Box::default(), from: From::Now };
            let keeper = Keeper::start_with(feed, clock, Some(start)).unwrap();
            let rows = |rows: std::ops::Range<u32>| {
                for i in rows {
                    let bytes = format!("a={i} b=2\n").into_bytes();
                    give.send(Feed::Chunk(Chunk { at: clock.now(), bytes: bytes.into(), skipped: 0 })).unwrap();
                }
            };
            let wait = |is: fn(&Report) -> bool| {
                std::iter::from_fn(|| keeper.reports.recv_timeout(Duration::from_secs(20)).ok()).find(is).unwrap()
            };
            rows(0..50);
            wait(|report| matches!(report, Report::Saved(summary) if summary.tally.rows > 0));
            damage(&dir.path().join("run"));
            rows(50..100);
            match wait(|report| matches!(report, Report::Renewed { .. } | Report::Moved(_))) {
                Report::Renewed { error, folder, missing, .. } => {
                    assert!(error.to_string().contains(expected) && !expected.is_empty(), "{error}, not {expected}");
                    assert_eq!((folder, missing), (dir.path().join("run-rescued"), 0.0));
                }
                report => assert!(matches!(&report, Report::Moved(to) if expected.is_empty() && to.ends_with("other"))),
            }
            rows(100..150);
            drop(give);
            let summary = keeper.join().into_iter().find_map(|report| match report {
                Report::Stopped(summary) => Some(summary),
                _ => None,
            });
            let take = super::super::open(&summary.unwrap().folder).unwrap();
            assert_eq!(take.wire.to_vec().unwrap().iter().filter(|b| **b == b'\n').count(), 150, "{expected}");
            assert_eq!(take.told, Vec::<String>::new(), "{expected}");
        }
    }

    #[test]
    fn what_nothing_arrived_for_stands_in_a_table_of_its_own() {
        let dir = tempfile::tempdir().unwrap();
        let (give, feed) = bounded(64);
        let clock = HostClock::start();
        let folder = |name: &str| TakePlace::Exactly(dir.path().join(name));
        let start = |name: &str| Order::Start { place: folder(name), bench: Box::default(), from: From::Now };
        let keeper = Keeper::start_with(feed, clock, Some(start("a"))).unwrap();
        let opened = || Feed::Opened { at: clock.now(), opening: Opening::Link, within: true };
        let rows = || Feed::Chunk(Chunk { at: clock.now(), bytes: (*b"a=1\na=2\n").into(), skipped: 0 });
        let lost = |why: &str| {
            let problem = Problem::NotATty(why.into());
            Feed::State(LinkState::Waiting { problem, pause: Duration::from_secs(1) })
        };
        let lent = |in_use| Feed::State(LinkState::Lent { back: true, in_use });
        let all = [rows(), lost("one\u{1b}[2J"), lost("two"), opened(), rows(), lent(false), lent(true), opened()];
        let all = all.into_iter().chain([Feed::Unkept(0), Feed::Unkept(40), opened(), rows(), lost("three")]);
        all.for_each(|piece| give.send(piece).unwrap());
        while !give.is_empty() {
            std::thread::sleep(Duration::from_millis(5));
        }
        // Another take begins while the link is down, and one has nothing to say.
        for order in [Order::Stop, start("b"), Order::Stop] {
            keeper.orders.send(order).unwrap();
        }
        while !keeper.orders.is_empty() {
            std::thread::sleep(Duration::from_millis(5));
        }
        give.send(opened()).unwrap();
        while !give.is_empty() {
            std::thread::sleep(Duration::from_millis(5));
        }
        keeper.orders.send(start("c")).unwrap();
        drop(give);
        keeper.join();
        let table = |name: &str| std::fs::read_to_string(dir.path().join(name).join("gaps.csv"));
        let events = |text: String| -> Vec<String> {
            let row = |row: &str| row.splitn(4, ',').nth(3).unwrap().to_owned();
            text.lines().map(row).collect()
        };
        let expected = ["event,note", "lost,", "resumed,", "lent,", "resumed,", "not kept,40 bytes", "break,", "lost,"];
        let a = events(table("a").unwrap());
        assert_eq!(a.len(), expected.len(), "{a:?}");
        assert!(a.iter().zip(expected).all(|(row, expected)| row.starts_with(expected)), "{a:?}");
        assert!(a[1].contains("one␛[2J"), "{a:?}");
        assert!(table("a").unwrap().lines().nth(3).unwrap().contains(",16,lent,"), "the bytes that had arrived");
        assert_eq!(events(table("b").unwrap()).len(), 2);
        assert!(table("c").is_err(), "no gap, no table");
        assert_eq!(super::super::open(&dir.path().join("a")).unwrap().told, Vec::<String>::new());
    }
}
