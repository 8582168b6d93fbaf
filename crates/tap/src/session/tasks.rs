//! Work that may be long, as data: the shell has it done by threads of their own, and what comes of it is a message.

use super::checks::{AdviceWork, Advised, CheckWork, Checked};
use super::compare::{ComparedRead, read_compared};
use super::loading::{IN_MEMORY, ReadPart, TakeLoader, read_part};
use super::takes::{TakeChange, TakesSeen, change_and_list};
use super::{Session, Watched};
use amber_core::Stamp;
use amber_core::chain::Work;
use amber_core::tail::{Filter, Tail};
use amber_core::watch::condition::Condition;
use amber_core::work::Ticket;
use amber_io::SpillFile;
use std::path::PathBuf;

/// How long work goes on before the screen says so, in seconds.
const UNNOTICED: f64 = 0.2;

/// Something to do.
#[derive(Debug)]
pub(crate) enum Task {
    /// The history of the source at `place` is made anew.
    Anew { place: usize, work: Box<Work>, ticket: Ticket },
    /// The take at `place` is read on.
    Read { place: usize, reading: Box<TakeLoader>, ticket: Ticket },
    /// Lines are searched.
    Search(Search),
    /// The disk of this folder is asked for its free space.
    Space(PathBuf),
    /// These takes are read, to be compared.
    Compare(Vec<PathBuf>, Vec<Condition>),
    /// A comparison is worked out.
    Outcomes(Box<crate::comparison::Work>),
    /// Something is done with a take in this folder, and all are looked at.
    Takes(PathBuf, Option<TakeChange>),
    /// All channels are looked at.
    Check(Box<CheckWork>),
    /// Filters are looked for.
    Advise(Box<AdviceWork>),
}

/// Tasks of one kind are done one after the other.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) enum TaskKind {
    Anew(usize),
    Read(usize),
    Search,
    Space,
    Takes,
    Compare,
    Outcomes,
    Check,
    Advise,
}

/// What came of a task.
#[derive(Debug)]
pub(crate) enum Done {
    Anew {
        place: usize,
        work: Box<Work>,
        ticket: Ticket,
    },
    Read(ReadPart),
    /// The line that was looked for, if there is one.
    Found(Search, Option<u64>),
    /// So many bytes are free there.
    Space(PathBuf, Option<u64>),
    /// The takes in the folder.
    Takes(TakesSeen),
    /// Takes that are compared.
    Compared(ComparedRead),
    /// What a comparison comes to.
    Outcomes(Option<Box<crate::comparison::Found>>),
    /// What was found in the channels.
    Checked(Checked),
    /// Which filters are advised.
    Advised(Box<Advised>),
    /// It failed by an internal fault.
    Faulted(TaskKind, String),
}

/// A line that is looked for.
#[derive(Debug)]
pub(crate) struct Search {
    pub(crate) place: usize,
    pub(crate) tail: Box<Tail>,
    pub(crate) filter: Filter,
    /// From which line on.
    pub(crate) from: u64,
    /// Older lines are looked at, rather than newer ones.
    pub(crate) older: bool,
}

impl Search {
    /// The line that is looked for.
    pub(crate) fn run(&self) -> Option<u64> {
        let Search { tail, filter, from, older, .. } = self;
        let line = if *older { tail.before(*from, filter) } else { tail.after(*from, filter) };
        line.map(|line| line.number)
    }
}

/// Work on a source's history.
#[derive(Debug)]
pub(crate) struct Underway {
    since: Stamp,
    ticket: Ticket,
    /// It is a take that is read, rather than a history that is made anew.
    pub(super) reads: bool,
    /// Its parts are shown as they come, rather than the whole at the end.
    pub(super) shows: bool,
}

impl Underway {
    pub(super) fn new(since: Stamp, reads: bool, shows: bool) -> Underway {
        Underway { since, ticket: Ticket::default(), reads, shows }
    }
}

impl Watched {
    /// This is under way from now on: only the newest wish counts, and what was under way before is cancelled.
    pub(super) fn begin(&mut self, underway: Underway) -> Ticket {
        let ticket = underway.ticket.clone();
        self.underway.replace(underway).iter().for_each(|before| before.ticket.cancel());
        ticket
    }
}

impl Task {
    /// What it is of, and its thread's name.
    pub(crate) fn kind(&self) -> (TaskKind, &'static str) {
        match self {
            Task::Anew { place, .. } => (TaskKind::Anew(*place), "history"),
            Task::Read { place, .. } => (TaskKind::Read(*place), "take"),
            Task::Search(_) => (TaskKind::Search, "search"),
            Task::Space(_) => (TaskKind::Space, "space"),
            Task::Takes(..) => (TaskKind::Takes, "takes"),
            Task::Compare(..) => (TaskKind::Compare, "compare"),
            Task::Outcomes(_) => (TaskKind::Outcomes, "outcomes"),
            Task::Check(_) => (TaskKind::Check, "check"),
            Task::Advise(_) => (TaskKind::Advise, "advice"),
        }
    }

    /// Does it; nothing comes of what is not wanted any more.
    pub(crate) fn run(self) -> Option<Done> {
        match self {
            Task::Anew { place, mut work, ticket } => {
                work.run(&ticket).ok()?;
                work.move_away(IN_MEMORY, &mut SpillFile::default());
                Some(Done::Anew { place, work, ticket })
            }
            Task::Read { place, reading, ticket } => read_part(place, reading, ticket).map(Done::Read),
            Task::Search(search) => {
                let number = search.run();
                Some(Done::Found(search, number))
            }
            Task::Space(folder) => {
                let free = amber_io::disk::free(&folder);
                Some(Done::Space(folder, free))
            }
            Task::Compare(folders, conditions) => Some(Done::Compared(read_compared(&folders, &conditions))),
            Task::Outcomes(work) => Some(Done::Outcomes(work.run().map(Box::new))),
            Task::Check(work) => Some(Done::Checked(work.run())),
            Task::Advise(work) => Some(Done::Advised(Box::new(work.run()))),
            Task::Takes(folder, change) => Some(Done::Takes(change_and_list(folder, change))),
        }
    }
}

impl Session {
    /// From now on, long work is not done at once but as tasks.
    pub(crate) fn defer(&mut self) {
        self.defers = true;
        self.watched.iter_mut().for_each(|watched| watched.chain.defer());
    }

    /// What is to be done.
    pub(crate) fn take_tasks(&mut self) -> Vec<Task> {
        let mut tasks = std::mem::take(&mut self.tasks);
        let is_reading = |watched: &Watched| watched.underway.as_ref().is_some_and(|underway| underway.reads);
        // What was set while a take is read is made anew when it is whole.
        for (place, watched) in self.watched.iter_mut().enumerate().filter(|(_, watched)| !is_reading(watched)) {
            if let Some(work) = watched.chain.take_work() {
                let ticket = watched.begin(Underway::new(self.now, false, false));
                tasks.push(Task::Anew { place, work: Box::new(work), ticket });
            }
        }
        tasks
    }

    /// Has a task done: by the shell, or at once.
    pub(crate) fn do_task(&mut self, task: Task) {
        if self.defers {
            self.tasks.push(task);
        } else if let Some(done) = task.run() {
            self.take_done(done);
        }
    }

    /// Nothing of what is under way is wanted any more.
    pub(crate) fn cancel_tasks(&self) {
        self.watched.iter().filter_map(|watched| watched.underway.as_ref()).for_each(|work| work.ticket.cancel());
    }

    /// What is under way for longer than a moment, and the share of it that is done, 0 to 1.
    pub(crate) fn underway(&self) -> Option<(&'static str, f64)> {
        let long = |work: &&Underway| self.now.seconds_since(work.since) > UNNOTICED;
        let all = self.watched.iter().filter_map(|watched| watched.underway.as_ref()).filter(long);
        let work = all.min_by(|a, b| a.ticket.share().total_cmp(&b.ticket.share()))?;
        Some((if work.reads { "reading" } else { "recalculating" }, work.ticket.share()))
    }

    pub(crate) fn take_done(&mut self, done: Done) {
        match done {
            // It was done before it could be cancelled, for a wish that something else carries out by now.
            Done::Anew { ticket, .. } if ticket.is_cancelled() => {}
            Done::Anew { place, work, ticket } => self.put_back(place, *work, ticket),
            Done::Read(part) => self.take_read(part),
            // The room that looked for it goes there.
            Done::Found(..) => {}
            Done::Space(folder, free) => self.note_space(&folder, free),
            Done::Takes(seen) => self.takes_seen(seen),
            Done::Compared(read) => self.compared_read(read),
            Done::Outcomes(found) => self.worked_out(found.map(|found| *found)),
            Done::Checked(checked) => self.note_checked(Some(checked)),
            Done::Advised(advised) => self.note_advised(Some(*advised)),
            Done::Faulted(TaskKind::Check, fault) => {
                self.note_checked(None);
                self.say(format!("the check-up failed: {fault}"), true);
            }
            Done::Faulted(TaskKind::Advise, fault) => {
                self.note_advised(None);
                self.say(format!("there is no advice: {fault}"), true);
            }
            Done::Faulted(TaskKind::Outcomes, fault) => {
                self.worked_out(None);
                self.say(format!("the comparison failed: {fault}"), true);
            }
            Done::Faulted(TaskKind::Compare, fault) => {
                self.comparing.is_reading = false;
                self.say(format!("the takes were not read: {fault}"), true);
            }
            Done::Faulted(TaskKind::Takes, fault) => self.say(format!("the takes cannot be listed: {fault}"), true),
            // It is asked again soon.
            Done::Faulted(TaskKind::Space, _) => {}
            Done::Faulted(TaskKind::Anew(place), fault) => {
                self.watched.at_mut(place).underway = None;
                self.watched.at_mut(place).chain.give_up();
                self.say(format!("the history is unchanged: {fault}"), true);
            }
            Done::Faulted(TaskKind::Read(place), fault) => {
                self.watched.at_mut(place).underway = None;
                self.say(format!("the take was not read completely: {fault}"), true);
            }
            Done::Faulted(TaskKind::Search, fault) => self.say(format!("the search failed: {fault}"), true),
        }
    }

    fn put_back(&mut self, place: usize, work: Work, ticket: Ticket) {
        let watched = self.watched.at_mut(place);
        let shape = watched.chain.shape().cloned();
        if let Some(work) = watched.chain.put_back(work) {
            // Much came meanwhile.
            self.tasks.push(Task::Anew { place, work: Box::new(work), ticket });
            return;
        }
        if watched.chain.is_behind() {
            return;
        }
        watched.underway = None;
        if watched.chain.shape() != shape.as_ref() {
            self.show_afresh(place);
        }
        self.lane_axes.clear();
        self.refresh_soon();
    }

    /// Whether long work is left to somebody else.
    pub(crate) fn defers(&self) -> bool {
        self.defers
    }
}
