//! Where the splitter's findings go: into the buffer, the channels, the counts and the tail.

use super::channel::Channel;
use super::counts::Counts;
use crate::Stamp;
use crate::bench::{Bench, ChannelSettings};
use crate::clock::{Intervals, RateMeter, Time, Timer};
use crate::split::{Fate, Seen, Shape, Sink};
use crate::store::{Limits, Store};
use crate::tail::Tail;

#[derive(Debug)]
pub(super) struct Intake {
    pub(super) store: Store,
    pub(super) channels: Vec<Channel>,
    /// For each column of the shape, its channel.
    pub(super) columns: Vec<usize>,
    pub(super) counts: Counts,
    pub(super) rate: RateMeter,
    pub(super) timer: Timer,
    pub(super) intervals: Intervals,
    pub(super) tail: Tail,
    pub(super) newest: Option<Stamp>,
    /// The label of the column that counts the rows of a block; empty when there is none.
    index: String,
    row: Vec<f64>,
}

impl Intake {
    pub(super) fn new(limits: Limits, time: Time) -> Self {
        Intake {
            store: Store::new(limits),
            channels: Vec::new(),
            columns: Vec::new(),
            counts: Counts::default(),
            rate: RateMeter::default(),
            timer: Timer::new(time),
            intervals: Intervals::default(),
            tail: Tail::default(),
            newest: None,
            index: String::new(),
            row: Vec::new(),
        }
    }

    pub(super) fn arrive(&mut self, at: Stamp, bytes: &[u8]) -> Stamp {
        let at = self.newest.map_or(at, |newest| newest.max(at));
        self.newest = Some(at);
        self.counts.receive(bytes);
        at
    }

    /// Gives every column of `shape` a channel: the one of the same name, or a new one.
    pub(super) fn adopt(&mut self, shape: &Shape, bench: &Bench) {
        self.columns.clear();
        for column in 0..shape.columns() {
            let label = shape.label(column);
            let known = self.channels.iter().position(|channel| channel.name() == label);
            self.columns.push(known.unwrap_or(self.channels.len()));
            if known.is_none() {
                let found = || ChannelSettings::found(&label, shape.unit(column));
                let settings = bench.channel(&label).cloned().unwrap_or_else(found);
                let mut channel = Channel::new(settings.clone(), self.store.rows().start);
                self.store.widen(self.channels.len() + 1);
                channel.set(settings, &self.store, self.channels.len());
                self.channels.push(channel);
            }
        }
        self.row.resize(self.channels.len(), f64::NAN);
        self.timer.shape(shape);
        let indexed = matches!(shape, Shape::Bare(bare) if bare.indexed);
        self.index = if indexed { shape.label(0) } else { String::new() };
        self.note_timer();
        self.put_in_order(bench);
    }

    /// Gives the channels that the bench knows its order, among the places that they have.
    fn put_in_order(&mut self, bench: &Bench) {
        let place = |channel: &Channel| bench.channel.iter().position(|known| known.name == channel.name());
        for at in 0..self.channels.len() {
            let Some(own) = place(&self.channels[at]) else { continue };
            let later = (at + 1..self.channels.len()).filter_map(|i| Some((place(&self.channels[i])?, i)));
            if let Some((_, first)) = later.min().filter(|(theirs, _)| *theirs < own) {
                self.swap(at, first);
            }
        }
    }

    /// Lets two channels change places.
    pub(super) fn swap(&mut self, a: usize, b: usize) {
        self.channels.swap(a, b);
        self.store.swap_columns(a, b);
        for channel in &mut self.columns {
            *channel = if *channel == a {
                b
            } else if *channel == b {
                a
            } else {
                *channel
            };
        }
    }

    fn note_timer(&mut self) {
        let clock = if let Time::Board { channel, .. } = self.timer.in_force() { channel.as_str() } else { "" };
        let index = self.index.as_str();
        let is_timer = |name: &str| !name.is_empty() && (name == clock || name == index);
        self.channels.iter_mut().for_each(|channel| channel.is_timer = is_timer(channel.name()));
    }

    /// Gives every row its time by `timer`, and makes anew what depends on it.
    pub(super) fn retime(&mut self, timer: Timer) {
        self.timer = timer;
        self.intervals = Intervals::default();
        let rows = self.store.rows();
        let mut times = Vec::with_capacity((rows.end - rows.start) as usize);
        let mut values = vec![f64::NAN; self.columns.len()];
        for row in rows.clone() {
            if row > rows.start && self.store.broken_between(row - 1, row) {
                self.timer.join();
                self.intervals.join();
            }
            for (value, channel) in values.iter_mut().zip(&self.columns) {
                *value = self.store.raw(*channel, row).unwrap_or(f64::NAN);
            }
            let arrival = self.store.arrival(row).unwrap_or_default();
            let (time, _) = self.timer.row(arrival, &values);
            self.intervals.row(time, arrival);
            times.push(time);
        }
        self.store.retime(times);
        for (index, channel) in self.channels.iter_mut().enumerate() {
            channel.set(channel.settings().clone(), &self.store, index);
        }
        self.note_timer();
    }

    pub(super) fn set_channel(&mut self, index: usize, settings: ChannelSettings) {
        if let Some(channel) = self.channels.get_mut(index) {
            channel.set(settings, &self.store, index);
        }
    }

    /// The link was broken; `later` when lines still wait that came before, so that the break has its place behind them.
    pub(super) fn break_off(&mut self, cut_off: usize, later: bool) {
        self.counts.cut_off += cut_off as u64;
        self.counts.judge_afresh();
        if !later {
            self.break_here();
        }
    }

    fn break_here(&mut self) {
        self.timer.join();
        self.tail.mark_break();
        self.mark_break();
    }

    fn mark_break(&mut self) {
        self.store.mark_break();
        self.intervals.join();
        self.channels.iter_mut().for_each(Channel::break_off);
    }

    /// After a piece was taken in: lets go of what is beyond the limits, learns how fine the numbers are.
    pub(super) fn settle(&mut self, seen: impl Iterator<Item = Seen>) {
        for (column, seen) in self.columns.iter().zip(seen) {
            self.channels[*column].seen = seen;
        }
        if let Some(first) = self.store.trim() {
            self.channels.iter_mut().for_each(|channel| channel.forget_before(first));
        }
    }

    pub(super) fn with<'a>(&'a mut self, bench: &'a Bench) -> Findings<'a> {
        Findings { intake: self, bench }
    }
}

/// The intake while a piece is fed, with the settings that new channels need.
pub(super) struct Findings<'a> {
    intake: &'a mut Intake,
    bench: &'a Bench,
}

impl Sink for Findings<'_> {
    fn shape(&mut self, shape: &Shape) {
        self.intake.adopt(shape, self.bench);
    }

    fn line(&mut self, at: Stamp, fate: Fate, line: &[u8]) {
        if matches!(fate, Fate::Refused(_)) {
            self.intake.timer.missed();
        }
        self.intake.counts.line(fate);
        self.intake.tail.push(at, fate, line);
    }

    fn gap(&mut self) {
        self.intake.break_here();
    }

    fn row(&mut self, arrival: Stamp, values: &[f64]) {
        let intake = &mut *self.intake;
        if intake.columns.len() != intake.row.len() {
            intake.row.fill(f64::NAN);
        }
        for (column, value) in intake.columns.iter().zip(values) {
            intake.row[*column] = *value;
        }
        let before = intake.timer.found();
        let (at, reset) = intake.timer.row(arrival, values);
        if reset {
            intake.mark_break();
        }
        intake.intervals.row(at, arrival);
        intake.store.push(at, arrival, &intake.row);
        for (channel, raw) in intake.channels.iter_mut().zip(&intake.row) {
            channel.push(at, *raw);
        }
        intake.counts.rows += 1;
        intake.rate.row(arrival);
        if intake.timer.found() != before {
            // The rows before were timed by another rule.
            let timer = intake.timer.settled(intake.timer.in_force().clone());
            intake.retime(timer);
        }
    }
}
