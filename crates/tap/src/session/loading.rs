//! TakeLoader takes into chains, part by part, so that the first picture is there at once.

use super::tasks::{Task, Underway};
use super::{Session, Source, Watched};
use amber_core::bench::{Bench, SourceSettings, Split};
use amber_core::chain::{Chain, Finder, Found};
use amber_core::store::Limits;
use amber_core::tail::MEMORY;
use amber_core::work::{Cancelled, Ticket};
use amber_io::SpillFile;
use amber_io::take::{Event, OpenedTake, Replay, ReplayItem};
use crossbeam_channel::{Sender, bounded};
use std::io;

/// Bytes that are read before the first picture, and between two pictures at most.
const PARTS: (u64, u64) = (1 << 20, 32 << 20);

/// Bytes in which rows are found before they are handed over.
const HANDED: u64 = 256 << 10;

/// Bytes of a history that are held in memory; what is more goes to the disk.
pub(super) const IN_MEMORY: usize = 256 << 20;

/// A take on its way into a chain.
#[derive(Debug)]
pub(crate) struct TakeLoader {
    chain: Chain,
    finder: Finder,
    replay: Replay,
    spill_file: SpillFile,
    in_memory: usize,
}

/// How far a take was read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Read {
    Part,
    Whole,
    /// Its bytes cannot be read further.
    Failed(String),
}

impl TakeLoader {
    /// A take that is seen through the settings of source `place` of `bench`.
    pub(crate) fn new(take: &OpenedTake, bench: &Bench, place: usize) -> TakeLoader {
        let chain = Chain::new(bench, place, Limits::NONE);
        TakeLoader {
            finder: chain.finder(),
            chain,
            replay: take.replay(),
            spill_file: SpillFile::default(),
            in_memory: IN_MEMORY,
        }
    }

    /// The same, but levels are left to be found at the end: they take a third of the time, and the picture needs none.
    fn without_levels(mut self) -> TakeLoader {
        self.chain = self.chain.without_levels();
        self
    }

    /// Reads on, `most` bytes or a little more: one thread finds rows, another one takes them in.
    pub(super) fn read(&mut self, most: u64, ticket: &Ticket) -> Result<Read, Cancelled> {
        let TakeLoader { chain, finder, replay, spill_file, in_memory } = self;
        let stop = replay.given().0.saturating_add(most);
        let (hand_over, found) = bounded::<Found>(8);
        let read = std::thread::scope(|scope| {
            let gathered = scope.spawn(|| {
                for found in found {
                    chain.gather(found);
                }
                chain.move_away(*in_memory, spill_file);
            });
            let read = find(finder, replay, stop, ticket, &hand_over);
            // It ends when nothing can be handed over any more.
            drop(hand_over);
            gathered.join().map(|()| read).unwrap_or_else(|fault| std::panic::resume_unwind(fault))
        })?;
        self.chain.know(&self.finder);
        Ok(read)
    }
}

/// Finds rows up to byte `stop` or the end.
fn find(
    finder: &mut Finder,
    replay: &mut Replay,
    stop: u64,
    ticket: &Ticket,
    hand_over: &Sender<Found>,
) -> Result<Read, Cancelled> {
    // Whoever takes them in only ends before by a fault, which is told.
    let hand = |finder: &mut Finder| drop(hand_over.send(finder.take_found()));
    let read = loop {
        let (given, all) = replay.given();
        if finder.waiting() >= HANDED {
            ticket.done(given, all)?;
            hand(finder);
            // Of a long take only the last lines are kept.
            finder.pass_lines(all - given > MEMORY as u64);
        }
        if given >= stop {
            break Read::Part;
        }
        match replay.next_step() {
            Ok(Some(ReplayItem::Sent(sent))) => finder.sent(sent.at, &sent.bytes),
            Ok(Some(ReplayItem::Event(at, Event::Opened { opening, within }))) => {
                finder.open(opening, within.then_some(at));
            }
            Ok(Some(ReplayItem::Event(_, Event::Ended))) => finder.end(),
            // What was heard while the baud rate was detected is settled when a take is opened.
            Ok(Some(ReplayItem::Event(_, Event::Stopped | Event::Listening(_) | Event::Speed(_)))) => {}
            Ok(Some(ReplayItem::Unread(bytes))) => finder.unread(bytes),
            Ok(Some(ReplayItem::Bytes(at, bytes))) => finder.feed(at, bytes),
            Ok(None) => {
                finder.finish();
                break Read::Whole;
            }
            Err(error) => {
                finder.finish();
                break Read::Failed(amber_io::disk::unread(&error));
            }
        }
    };
    hand(finder);
    Ok(read)
}

#[cfg(test)]
impl TakeLoader {
    /// The same, but only so much is held in memory.
    pub(crate) fn holding(mut self, in_memory: usize) -> TakeLoader {
        self.in_memory = in_memory;
        self
    }

    /// The whole, and the bytes of it that went to the disk.
    pub(crate) fn whole(mut self) -> (Chain, u64) {
        self.read(u64::MAX, &Ticket::default()).unwrap();
        (self.chain, self.spill_file.used())
    }
}

/// A take with all its rows, seen through the settings of source `place` of `bench`.
///
/// # Errors
/// When its bytes cannot be read.
pub(crate) fn chain_of(take: &OpenedTake, bench: &Bench, place: usize) -> io::Result<Chain> {
    let mut reading = TakeLoader::new(take, bench, place);
    match reading.read(u64::MAX, &Ticket::default()) {
        Ok(Read::Failed(why)) => Err(io::Error::other(format!("{}: {why}", take.folder.display()))),
        _ => {
            reading.chain.is_whole();
            Ok(reading.chain)
        }
    }
}

impl Session {
    /// Reads all takes that are watched; what is there of them is shown at once.
    pub(crate) fn read_takes(&mut self) {
        for place in 0..self.sources() {
            self.read_take(place, self.chain_at(place).live_settings());
        }
    }

    fn read_take(&mut self, place: usize, settings: SourceSettings) {
        let watched = self.watched.at_mut(place);
        let Watched { chain, source: Source::Take(take), underway, .. } = &*watched else { return };
        let mut bench = Bench::of(settings);
        bench.shared.levels = chain.level_rule();
        let reading = Box::new(TakeLoader::new(take, &bench, 0).without_levels());
        let shows = chain.counts().bytes == 0 || underway.as_ref().is_some_and(|before| before.reads && before.shows);
        let ticket = watched.begin(Underway::new(self.now, true, shows));
        self.do_task(Task::Read { place, reading, ticket });
    }

    /// Reads the take at `place` anew, its lines being laid out so.
    pub(super) fn split_take(&mut self, place: usize, split: Split) {
        let settings = SourceSettings { split, ..self.chain_at(place).live_settings() };
        self.read_take(place, settings);
    }

    /// More of a take was read.
    pub(super) fn take_read(&mut self, part: ReadPart) {
        let ReadPart { place, reading, chain, read, ticket } = part;
        let underway = &mut self.watched.at_mut(place).underway;
        let Some(shows) = underway.as_ref().filter(|_| !ticket.is_cancelled()).map(|underway| underway.shows) else {
            return;
        };
        if read != Read::Part {
            *underway = None;
        }
        if shows || read != Read::Part {
            self.show_read(place, *chain);
        }
        if read != Read::Part {
            self.watched.at_mut(place).chain.find_levels();
            self.watched.at_mut(place).chain.is_whole();
        }
        match read {
            Read::Part => self.do_task(Task::Read { place, reading, ticket }),
            Read::Whole => {
                if let Some(why) = reading.spill_file.failed() {
                    self.say(format!("the history stays in memory: no space on disk at {why}"), true);
                }
            }
            Read::Failed(why) => {
                let held = amber_core::digits::bytes(reading.replay.given().0);
                self.say(format!("only the first {held} of the take could be read: {why}"), true);
            }
        }
    }

    /// Shows what was read, with what was set meanwhile.
    fn show_read(&mut self, place: usize, read: Chain) {
        let shows_all = self.axis == self.whole_axis;
        let before = std::mem::replace(&mut self.watched.at_mut(place).chain, read);
        let chain = &mut self.watched.at_mut(place).chain;
        if self.defers {
            chain.defer();
        }
        if before.settings().time != chain.settings().time {
            chain.set_time(before.settings().time.clone());
        }
        let is_other = before.shape().is_some() && before.shape() != chain.shape();
        if !before.channels().is_empty() {
            self.apply_channels(place, &before.live_settings().channel);
        }
        if is_other {
            self.show_afresh(place);
        }
        if shows_all {
            self.show_all_takes();
        }
        self.refresh_soon();
    }
}

/// What a task that reads says.
#[derive(Debug)]
pub(crate) struct ReadPart {
    place: usize,
    reading: Box<TakeLoader>,
    /// What was read so far.
    chain: Box<Chain>,
    read: Read,
    ticket: Ticket,
}

/// Reads one part of the take at `place`.
pub(super) fn read_part(place: usize, mut reading: Box<TakeLoader>, ticket: Ticket) -> Option<ReadPart> {
    let part = (reading.replay.given().0 / 4).clamp(PARTS.0, PARTS.1);
    let read = reading.read(part, &ticket).ok()?;
    let chain = Box::new(reading.chain.clone());
    Some(ReadPart { place, reading, chain, read, ticket })
}
