//! Work that may be long, as data: the shell has it done by threads of their own, and what comes of it is a message.

use super::App;
use amber_core::Stamp;
use amber_core::chain::Work;
use amber_core::tail::{Filter, Tail};
use amber_core::work::Ticket;

/// Lines that are searched within a few milliseconds.
const FEW_LINES: u64 = 20_000;

/// How long work goes on before the screen says so, in seconds.
const UNNOTICED: f64 = 0.2;

/// Something to do.
#[derive(Debug)]
pub(crate) enum Task {
    /// The history of the source at `place` is made anew.
    Anew { place: usize, work: Box<Work>, ticket: Ticket },
    /// Lines are searched.
    Search(Search),
}

/// Tasks of one kind are done one after the other.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) enum TaskKind {
    Anew(usize),
    Search,
}

/// What came of a task.
#[derive(Debug)]
pub(crate) enum Done {
    Anew(usize, Box<Work>),
    /// The line that was looked for, if there is one.
    Found(Search, Option<u64>),
    /// It failed by a fault of its own.
    Faulted(TaskKind, String),
}

/// A line that is looked for.
#[derive(Debug)]
pub(crate) struct Search {
    pub(super) place: usize,
    tail: Box<Tail>,
    filter: Filter,
    /// From which line on.
    from: u64,
    /// Older lines are looked at, rather than newer ones.
    pub(super) older: bool,
}

/// Work on a source's history.
#[derive(Debug)]
pub(crate) struct Underway {
    since: Stamp,
    ticket: Ticket,
}

impl Task {
    /// What it is of, and its thread's name.
    pub(crate) fn kind(&self) -> (TaskKind, &'static str) {
        match self {
            Task::Anew { place, .. } => (TaskKind::Anew(*place), "history"),
            Task::Search(_) => (TaskKind::Search, "search"),
        }
    }

    /// Does it; nothing comes of what is not wanted any more.
    pub(crate) fn run(self) -> Option<Done> {
        match self {
            Task::Anew { place, mut work, ticket } => {
                work.run(&ticket).ok()?;
                Some(Done::Anew(place, work))
            }
            Task::Search(search) => {
                let Search { tail, filter, from, older, .. } = &search;
                let line = if *older { tail.before(*from, filter) } else { tail.after(*from, filter) };
                let number = line.map(|line| line.number);
                Some(Done::Found(search, number))
            }
        }
    }
}

impl App {
    /// From now on, long work is not done at once but as tasks.
    pub(crate) fn defer(&mut self) {
        self.defers = true;
        self.watched.iter_mut().for_each(|watched| watched.chain.defer());
    }

    /// What is to be done.
    pub(crate) fn take_tasks(&mut self) -> Vec<Task> {
        let mut tasks = std::mem::take(&mut self.tasks);
        for (place, watched) in self.watched.iter_mut().enumerate() {
            if let Some(work) = watched.chain.take_work() {
                let ticket = Ticket::default();
                // Only the newest wish counts.
                let before = watched.underway.replace(Underway { since: self.now, ticket: ticket.clone() });
                before.iter().for_each(|before| before.ticket.cancel());
                tasks.push(Task::Anew { place, work: Box::new(work), ticket });
            }
        }
        tasks
    }

    /// Nothing of what is under way is wanted any more.
    pub(crate) fn cancel_tasks(&self) {
        self.watched.iter().filter_map(|watched| watched.underway.as_ref()).for_each(|work| work.ticket.cancel());
    }

    /// The share of the work on histories that is done, 0 to 1, while it takes long.
    pub(crate) fn underway(&self) -> Option<f64> {
        let long = |work: &&Underway| self.now.seconds_since(work.since) > UNNOTICED;
        let all = self.watched.iter().filter_map(|watched| watched.underway.as_ref());
        all.filter(long).map(|work| work.ticket.share()).reduce(f64::min)
    }

    pub(super) fn take_done(&mut self, done: Done) {
        match done {
            Done::Anew(place, work) => self.put_back(place, *work),
            Done::Found(search, number) => self.go_to_line(&search, number),
            Done::Faulted(TaskKind::Anew(place), fault) => {
                self.watched[place].underway = None;
                self.watched[place].chain.give_up();
                self.say(format!("the history stays as it was: {fault}"), true);
            }
            Done::Faulted(TaskKind::Search, fault) => self.say(format!("nothing was found: {fault}"), true),
        }
    }

    fn put_back(&mut self, place: usize, work: Work) {
        let watched = &mut self.watched[place];
        let rows = |watched: &super::Watched| (watched.chain.store().rows(), watched.chain.shape().cloned());
        let before = rows(watched);
        if let Some(work) = watched.chain.put_back(work) {
            // Much came meanwhile.
            let ticket = watched.underway.as_ref().map(|work| work.ticket.clone()).unwrap_or_default();
            self.tasks.push(Task::Anew { place, work: Box::new(work), ticket });
            return;
        }
        if watched.chain.is_behind() {
            return;
        }
        watched.underway = None;
        if rows(watched) != before {
            // Rows have other numbers now.
            self.calibrating.known.clear();
        }
        self.axes.clear();
        self.refresh_soon();
    }

    /// Looks for a line; at once where that takes no time.
    pub(super) fn search(&mut self, older: bool) {
        let place = self.place();
        let tail = self.watched[place].chain.tail();
        let numbers = tail.numbers();
        let from = self.lines.cursor.unwrap_or(numbers.end);
        let filter = self.lines.search.clone();
        let search = Task::Search(Search { place, tail: Box::new(tail.clone()), filter, from, older });
        if self.defers && numbers.end - numbers.start > FEW_LINES {
            self.tasks.push(search);
        } else if let Some(done) = search.run() {
            self.take_done(done);
        }
    }
}
