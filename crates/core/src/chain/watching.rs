//! The conditions of a source, their events in the rows that are kept, and those that wait for an answer.

use crate::Stamp;
use crate::bench::ChannelSettings;
use crate::derive::Values;
use crate::watch::condition::{Change, Condition, Conditions, Event};
use std::collections::VecDeque;

/// Events that are kept, the newest.
pub const MOST_EVENTS: usize = 10_000;

/// Events that wait for an answer at most; of more, the number is told.
const WAITING: usize = 1000;

/// Conditions at work, with their events.
#[derive(Clone, Debug, Default)]
pub(super) struct Watching {
    pub(super) conditions: Conditions,
    pub(super) events: VecDeque<Event>,
    /// Events of rows as they came that nobody has taken, and how many more there were.
    fired: Vec<Event>,
    missed: u64,
    /// The arrival up to which events were taken: rows that are read again are none that come.
    taken: Option<Stamp>,
    newest: Option<Stamp>,
    /// Up to when time has passed.
    ticked: Option<Stamp>,
    changes: Vec<Change>,
}

impl Watching {
    pub(super) fn new(settings: &[Condition]) -> Watching {
        Watching { conditions: Conditions::new(settings, &[]), ..Watching::default() }
    }

    /// Begins anew with these, as before the first row.
    pub(super) fn begin_anew(&mut self, settings: &[Condition], channels: &[ChannelSettings]) {
        self.conditions = Conditions::new(settings, channels);
        self.events.clear();
    }

    /// The rows come again.
    pub(super) fn restart(&mut self) {
        let settings = self.conditions.settings().to_vec();
        self.begin_anew(&settings, &[]);
        (self.fired, self.missed) = (Vec::new(), 0);
    }

    /// Takes rows that follow one another, the first of which has the number `first`, as they came.
    pub(super) fn rows(&mut self, first: u64, times: &[Stamp], arrivals: &[Stamp], values: &[Values]) {
        if self.conditions.is_empty() {
            return;
        }
        self.conditions.rows(first, times, values, &mut self.changes);
        for change in &self.changes {
            let Change::Fired(event) = change else { continue };
            // What came about between rows was found with the row behind.
            let place = event.row.map_or(0, |row| (row - first) as usize);
            if self.taken.is_none_or(|taken| arrivals[place] > taken) {
                let has_room = self.fired.len() < WAITING;
                if has_room { self.fired.push(*event) } else { self.missed += 1 }
            }
        }
        self.newest = self.newest.max(arrivals.last().copied());
        self.note();
    }

    /// The same for rows of the history: nothing is answered.
    pub(super) fn rows_again(&mut self, first: u64, times: &[Stamp], values: &[Values]) {
        self.conditions.rows(first, times, values, &mut self.changes);
        self.note();
    }

    /// Time has passed until `now` without a row.
    pub(super) fn tick(&mut self, now: Stamp) {
        self.ticked = self.ticked.max(Some(now));
        self.conditions.tick(now, &mut self.changes);
        for change in &self.changes {
            if let Change::Fired(event) = change {
                self.fired.push(*event);
            }
        }
        self.note();
    }

    /// The history was made anew: what was answered before is not answered again.
    pub(super) fn catch_up(&mut self, before: &mut Watching) {
        self.fired = std::mem::take(&mut before.fired);
        (self.missed, self.taken, self.newest) = (before.missed, before.taken, before.newest);
        self.ticked = before.ticked;
        self.tick_again();
    }

    /// Comes to where time had passed to.
    pub(super) fn tick_again(&mut self) {
        if let Some(ticked) = self.ticked {
            self.conditions.tick(ticked, &mut self.changes);
            self.note();
        }
    }

    /// The events of rows that came since the last call, and how many more there were.
    pub(super) fn take_fired(&mut self) -> (Vec<Event>, u64) {
        self.taken = self.taken.max(self.newest);
        (std::mem::take(&mut self.fired), std::mem::take(&mut self.missed))
    }

    fn note(&mut self) {
        for change in self.changes.drain(..) {
            match change {
                Change::Fired(event) => {
                    self.events.push_back(event);
                    if self.events.len() > MOST_EVENTS {
                        self.events.pop_front();
                    }
                }
                Change::Ended { number, at } => {
                    let place = self.events.binary_search_by_key(&number, |event| event.number);
                    if let Some(event) = place.ok().and_then(|place| self.events.get_mut(place)) {
                        event.ended = Some(at);
                    }
                }
            }
        }
    }
}
