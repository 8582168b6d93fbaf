//! Where the splitter's findings go: into the buffer, the channels, the counts and the tail.

use super::channel::Channel;
use super::counts::Counts;
use crate::Stamp;
use crate::bench::{Bench, ChannelSettings};
use crate::clock::{Intervals, RateMeter, Time, Timer};
use crate::derive::{Deriver, GAP, Now};
use crate::levels::LevelRule;
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
    row: Vec<Now>,
    pub(super) deriver: Deriver,
    /// What counts as a level.
    pub(super) rule: LevelRule,
}

impl Intake {
    pub(super) fn new(limits: Limits, time: Time, rule: LevelRule) -> Self {
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
            deriver: Deriver::default(),
            rule,
        }
    }

    pub(super) fn arrive(&mut self, at: Stamp, bytes: &[u8]) -> Stamp {
        let at = self.newest.map_or(at, |newest| newest.max(at));
        self.newest = Some(at);
        self.counts.receive(bytes);
        at
    }

    /// Gives every column of `shape` a channel: the one of the same name, or a new one; and one to each formula of the
    /// bench, behind them.
    pub(super) fn adopt(&mut self, shape: &Shape, bench: &Bench) {
        let known = |intake: &Intake, label: &str| intake.channels.iter().position(|channel| channel.name() == label);
        let first_new = self.channels.len();
        self.columns.clear();
        for column in 0..shape.columns() {
            let label = shape.label(column);
            let known = known(self, &label);
            self.columns.push(known.unwrap_or(self.channels.len()));
            if known.is_none() {
                let found = || ChannelSettings::found(&label, shape.unit(column));
                self.add(bench.channel(&label).cloned().unwrap_or_else(found));
            }
        }
        self.timer.shape(shape);
        let indexed = matches!(shape, Shape::Bare(bare) if bare.indexed);
        self.index = if indexed { shape.label(0) } else { String::new() };
        for settings in bench.channel.iter().filter(|channel| channel.formula.is_some()) {
            if known(self, &settings.name).is_none() {
                self.add(settings.clone());
            }
        }
        self.prepare();
        let new: Vec<usize> = (first_new..self.channels.len()).collect();
        self.rebuild(&new);
        self.note_timer();
        self.put_in_order(bench);
    }

    /// Adds a channel, whose history is gaps until it is worked out.
    pub(super) fn add(&mut self, settings: ChannelSettings) {
        self.channels.push(Channel::new(settings, self.rule, self.store.rows().start));
        self.store.widen(self.channels.len());
    }

    /// Lets go of a channel that no column feeds.
    pub(super) fn remove(&mut self, index: usize) {
        self.channels.remove(index);
        self.store.remove_column(index);
        self.columns.iter_mut().filter(|channel| **channel > index).for_each(|channel| *channel -= 1);
        self.prepare();
    }

    /// Makes formulas, scales and smoothing ready to run as they are set now.
    pub(super) fn prepare(&mut self) {
        let before = std::mem::take(&mut self.deriver);
        self.row.resize(self.channels.len(), GAP);
        self.deriver = self.fresh_deriver();
        // What those remember stays that were there before.
        let known: Vec<usize> = (0..before.order().len()).collect();
        self.deriver.adopt(before, &known);
    }

    fn fresh_deriver(&self) -> Deriver {
        let settings: Vec<&ChannelSettings> = self.channels.iter().map(Channel::settings).collect();
        Deriver::new(&settings, true)
    }

    /// Makes the history of the channels `which`, and of all that need them, anew from what came.
    pub(super) fn rebuild(&mut self, which: &[usize]) {
        let rows = self.store.rows();
        let mut fresh = self.fresh_deriver();
        let mut wanted: Vec<usize> = which.iter().flat_map(|channel| fresh.dependents(*channel)).collect();
        wanted = fresh.order().iter().copied().filter(|channel| wanted.contains(channel)).collect();
        for channel in &wanted {
            let settings = self.channels[*channel].settings().clone();
            self.channels[*channel].begin_anew(settings, rows.start);
            if fresh.is_computed(*channel) {
                self.channels[*channel].look_anew(self.rule);
            }
        }
        let (plain, walked): (Vec<usize>, Vec<usize>) = wanted.iter().partition(|channel| fresh.is_plain(**channel));
        for channel in plain {
            let mut values = Vec::new();
            for block in self.store.raw_blocks(channel) {
                values.clear();
                values.extend_from_slice(block);
                fresh.scaler(channel).quantities(&mut values);
                self.channels[channel].take_block(&values);
            }
            self.remember_last(&fresh, channel);
        }
        if !walked.is_empty() {
            self.walk(&mut fresh, &walked);
        }
        self.deriver.reorder(fresh.order().to_vec());
        self.deriver.adopt(fresh, &wanted);
    }

    /// What a channel that was made anew block by block says now.
    fn remember_last(&mut self, fresh: &Deriver, channel: usize) {
        let rows = self.store.rows();
        let newest = rows.rev().filter_map(|row| self.store.raw(channel, row)).find(|raw| !raw.is_nan());
        if let Some(raw) = newest {
            let quantity = fresh.scaler(channel).quantity(raw, f64::NAN);
            self.channels[channel].remember(Now { raw, quantity, smoothed: quantity });
        }
    }

    /// Works out all rows that are kept, one after the other, for `wanted`.
    fn walk(&mut self, fresh: &mut Deriver, wanted: &[usize]) {
        let rows = self.store.rows();
        let needed = fresh.needed(wanted);
        let mut now = vec![GAP; self.channels.len()];
        let mut computed: Vec<(usize, Vec<f64>)> = wanted
            .iter()
            .filter(|channel| fresh.is_computed(**channel))
            .map(|channel| (*channel, Vec::new()))
            .collect();
        // The row that comes next may have a break before it, too.
        for row in rows.start..=rows.end {
            if self.store.breaks_before(row) {
                fresh.break_off();
                computed.iter().for_each(|(channel, _)| self.channels[*channel].break_off());
            }
            if row == rows.end {
                break;
            }
            let at = self.store.time(row).unwrap_or_default();
            for channel in &needed {
                now[*channel].raw = self.store.raw(*channel, row).unwrap_or(f64::NAN);
            }
            fresh.row(&needed, at, &mut now);
            for (channel, raw) in &mut computed {
                raw.push(now[*channel].raw);
                self.channels[*channel].look(row, at, now[*channel].raw);
            }
            for channel in wanted {
                let reference = fresh.reference(*channel).map_or(f64::NAN, |channel| now[channel].quantity);
                self.channels[*channel].take(now[*channel], reference);
            }
        }
        for (channel, raw) in computed {
            self.store.set_column(channel, raw);
        }
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
        self.deriver.swap(a, b);
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
            if self.store.breaks_before(row) {
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
        if self.store.breaks_before(rows.end) {
            self.timer.join();
            self.intervals.join();
        }
        self.store.retime(times);
        self.look_anew();
        let all: Vec<usize> = (0..self.channels.len()).collect();
        self.rebuild(&all);
        self.note_timer();
    }

    /// Finds the levels of all rows that are kept anew.
    pub(super) fn look_anew(&mut self) {
        let rows = self.store.rows();
        self.channels.iter_mut().for_each(|channel| channel.look_anew(self.rule));
        for row in rows.start..=rows.end {
            if self.store.breaks_before(row) {
                self.channels.iter_mut().for_each(Channel::break_off);
            }
            if row == rows.end {
                break;
            }
            let at = self.store.time(row).unwrap_or_default();
            for (index, channel) in self.channels.iter_mut().enumerate() {
                let raw = self.store.raw(index, row).unwrap_or(f64::NAN);
                channel.look(row, at, raw);
                channel.remember_raw(raw);
            }
        }
    }

    pub(super) fn set_channel(&mut self, index: usize, settings: ChannelSettings) {
        let Some(channel) = self.channels.get_mut(index) else { return };
        let before = channel.settings();
        let looks_same = before.formula == settings.formula
            && before.scale == settings.scale
            && before.smooth == settings.smooth
            && before.watch == settings.watch
            && before.title() == settings.title();
        if looks_same {
            channel.rename(settings);
            return;
        }
        let renamed = before.title() != settings.title();
        channel.begin_anew(settings, self.store.rows().start);
        // A formula may have meant it by its old name, or mean it by the new one.
        let computed = (0..self.channels.len()).filter(|at| renamed && self.deriver.is_computed(*at));
        self.rebuild(&computed.chain([index]).collect::<Vec<_>>());
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
        self.deriver.break_off();
        self.channels.iter_mut().for_each(Channel::break_off);
    }

    /// After a piece was taken in: lets go of what is beyond the limits, learns how fine the numbers are.
    pub(super) fn settle(&mut self, seen: impl Iterator<Item = Seen>) {
        for (column, seen) in self.columns.iter().zip(seen) {
            let channel = &mut self.channels[*column];
            if channel.seen() != seen {
                channel.learn(seen);
            }
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
        intake.row.fill(GAP);
        for (column, value) in intake.columns.iter().zip(values) {
            intake.row[*column].raw = *value;
        }
        let before = intake.timer.found();
        let (at, reset) = intake.timer.row(arrival, values);
        if reset {
            intake.mark_break();
        }
        intake.intervals.row(at, arrival);
        let row = intake.store.rows().end;
        intake.deriver.whole_row(at, &mut intake.row);
        intake.store.push(at, arrival, intake.row.iter().map(|now| now.raw));
        for (index, (channel, now)) in intake.channels.iter_mut().zip(&intake.row).enumerate() {
            let reference = intake.deriver.reference(index).map_or(f64::NAN, |channel| intake.row[channel].quantity);
            channel.push(row, at, *now, reference);
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
