//! Where the splitter's findings go: into the buffer, the channels, the counts and the tail.

mod rebuild;

use super::channel::Channel;
use super::counts::Counts;
use super::watching::Watching;
use crate::Stamp;
use crate::bench::ChannelSettings;
use crate::clock::{Intervals, Opening, RateMeter, Time};
use crate::derive::{Derived, Deriver};
use crate::formula::Stage;
use crate::interpret::{Layout, RowSink, Rows};
use crate::levels::LevelRule;
use crate::split::{Column, LineOutcome};
use crate::store::{Limits, Store};
use crate::tail::Tail;
use crate::watch::condition::Condition;
use crate::work::Ticket;
use std::collections::VecDeque;

/// Rows after which it is learnt again how fine the values of formulas are; of the first ones, after each piece.
const LEARN: u64 = 64;

/// A line that is split again by a shape yet to be found takes as long as so many rows.
const A_LINE: u64 = 30;

#[derive(Clone, Debug)]
pub(in crate::chain) struct Intake {
    pub(in crate::chain) store: Store,
    pub(in crate::chain) channels: Vec<Channel>,
    pub(in crate::chain) counts: Counts,
    pub(in crate::chain) rate: RateMeter,
    pub(in crate::chain) intervals: Intervals,
    pub(in crate::chain) tail: Tail,
    /// What is watched for, and its events.
    pub(in crate::chain) watching: Watching,
    pub(in crate::chain) newest: Option<Stamp>,
    /// What counts as a level.
    pub(in crate::chain) rule: LevelRule,
    /// Which openings lie before which rows, where texts are among them; the last one is in force.
    openings: VecDeque<(u64, Opening)>,
    /// How things stood before the first layout.
    before: Option<(Counts, u64)>,
    /// What was sent among lines that come again.
    sent_again: VecDeque<(Stamp, Vec<u8>)>,
    new_channels: bool,
    /// Works out what is behind the raw values.
    pub(in crate::chain) derived: Derived,
    /// The channel that counts the rows of a block; empty when there is none.
    index: String,
    /// Levels are found as rows come; else when they are asked for.
    pub(in crate::chain) finds_levels: bool,
    /// No more rows will come, so that filters can go backward.
    pub(in crate::chain) is_recorded: bool,
    /// How much is made anew at once: channels times rows.
    pub(in crate::chain) at_once: u64,
    /// Rows have other times, and what depends on them must be made anew.
    stale: bool,
}

impl Intake {
    pub(in crate::chain) fn new(limits: Limits, rule: LevelRule, conditions: &[Condition]) -> Self {
        Intake {
            store: Store::new(limits),
            channels: Vec::new(),
            counts: Counts::default(),
            rate: RateMeter::default(),
            intervals: Intervals::default(),
            tail: Tail::default(),
            watching: Watching::new(conditions),
            newest: None,
            rule,
            openings: VecDeque::new(),
            before: None,
            sent_again: VecDeque::new(),
            new_channels: false,
            derived: Derived::new(true),
            index: String::new(),
            finds_levels: true,
            is_recorded: false,
            at_once: u64::MAX,
            stale: false,
        }
    }

    /// These are the channels now; what is remembered of those that keep their place stays.
    pub(in crate::chain) fn follow(&mut self, channels: &[ChannelSettings]) {
        self.derived.follow(channels);
        self.watching.conditions.follow(channels);
    }

    /// The source was opened.
    pub(in crate::chain) fn opened(&mut self, opening: Opening) {
        if self.opening() != opening {
            self.openings.push_back((self.store.rows().end, opening));
        }
    }

    /// How the source was opened last.
    pub(in crate::chain) fn opening(&self) -> Opening {
        self.openings.back().map_or(Opening::Link, |(_, opening)| *opening)
    }

    /// Whether channels came since the last call.
    pub(in crate::chain) fn has_new_channels(&mut self) -> bool {
        std::mem::take(&mut self.new_channels)
    }

    /// Whether rows got other times, and what depends on them has not been made anew, since the last call.
    pub(in crate::chain) fn is_stale(&mut self) -> bool {
        std::mem::take(&mut self.stale)
    }

    /// Whether there is more than is made anew at once. Lines for which a shape is to be found take far longer than rows.
    pub(in crate::chain) fn is_long(&self, splits: bool) -> bool {
        let (rows, lines) = (self.store.rows(), self.tail.numbers());
        let values = (rows.end - rows.start) * self.channels.len() as u64;
        let each = if splits { A_LINE } else { 1 };
        values.max((lines.end - lines.start) * each) > self.at_once
    }

    pub(in crate::chain) fn arrive(&mut self, at: Stamp, bytes: &[u8]) -> Stamp {
        let at = self.newest.map_or(at, |newest| newest.max(at));
        self.newest = Some(at);
        self.counts.receive(bytes);
        at
    }

    /// Counts lines that are not kept.
    pub(in crate::chain) fn pass(&mut self, outcome: LineOutcome, count: u64) {
        self.counts.lines(outcome, count);
        self.tail.pass(count);
    }

    pub(in crate::chain) fn sent(&mut self, at: Stamp, bytes: &[u8]) {
        self.counts.sent += bytes.len() as u64;
        self.tail.push(at, LineOutcome::Sent, bytes.trim_ascii_end());
    }

    /// Adds a channel, whose history is gaps.
    pub(in crate::chain) fn add(&mut self, settings: ChannelSettings) {
        self.channels.push(Channel::new(settings, self.rule, self.store.rows()));
        self.store.widen(self.channels.len());
    }

    /// Deletes a channel that no column feeds.
    pub(in crate::chain) fn remove(&mut self, index: usize) {
        self.channels.remove(index);
        self.store.remove_column(index);
        self.derived.deriver_mut().remove(index);
    }

    /// Lets two channels change places.
    pub(in crate::chain) fn swap(&mut self, a: usize, b: usize) {
        self.channels.swap(a, b);
        self.store.swap_columns(a, b);
        self.derived.deriver_mut().swap(a, b);
    }

    /// Lets the channels know which of them is the clock in force or counts rows.
    fn note_timer(&mut self, in_force: &Time) {
        let clock = if let Time::Board { channel, .. } = in_force { channel.as_str() } else { "" };
        let index = &self.index;
        let is_timer = |name: &str| !name.is_empty() && (name == clock || name == index);
        self.channels.iter_mut().for_each(|channel| channel.is_timer = is_timer(channel.name()));
    }

    /// After a piece was taken in: learns what its columns state of themselves, lets go of what is beyond the limits.
    pub(in crate::chain) fn adopt_columns(&mut self, stated: impl Iterator<Item = Column>, columns: &[usize]) {
        let mut learnt = false;
        for (channel, column) in columns.iter().zip(stated) {
            if let Some(channel) = self.channels.get_mut(*channel).filter(|channel| channel.column() != column) {
                channel.learn(column);
                learnt = true;
            }
        }
        if learnt {
            let deriver = self.derived.deriver();
            learn_steps(&mut self.channels, deriver, deriver.order());
        }
        if let Some(first) = self.store.trim() {
            self.channels.iter_mut().for_each(|channel| channel.forget_before(first));
            while self.openings.get(1).is_some_and(|(row, _)| *row <= first) {
                self.openings.pop_front();
            }
        }
    }
}

/// Lets the computed ones of the channels `which`, in order, learn how fine their values are.
fn learn_steps(channels: &mut [Channel], deriver: &Deriver, which: &[usize]) {
    for at in which {
        let of = |source: usize, stage| match stage {
            Stage::Raw => channels[source].raw_step(),
            Stage::Quantity | Stage::Smoothed => channels[source].resolution(),
        };
        let step = deriver.formula_step(*at, of);
        let first_of = |source: usize, stage| channels[source].first_step(stage);
        let first = if channels[*at].wants_first_step() { deriver.first_formula_step(*at, first_of) } else { None };
        if let Some(step) = step {
            channels[*at].learn_step(step, first);
        }
    }
}

impl RowSink for Intake {
    fn layout(&mut self, layout: &Layout) {
        self.before.get_or_insert_with(|| (self.counts.clone(), self.tail.numbers().end));
        for (channel, settings) in self.channels.iter_mut().zip(layout.channels()) {
            if channel.wished() != settings {
                channel.wish(settings.clone());
            }
        }
        for settings in &layout.channels()[self.channels.len().min(layout.channels().len())..] {
            self.add(settings.clone());
            self.new_channels = true;
        }
        self.index = layout.index().to_owned();
        let index = &self.index;
        self.channels.iter_mut().for_each(|c| c.is_timer = c.is_timer || (!index.is_empty() && c.name() == index));
        self.follow(layout.channels());
    }

    #[inline]
    fn line(&mut self, at: Stamp, outcome: LineOutcome, line: &[u8]) {
        while self.sent_again.front().is_some_and(|(sent_at, _)| *sent_at <= at) {
            if let Some((sent_at, sent)) = self.sent_again.pop_front() {
                self.tail.push(sent_at, LineOutcome::Sent, &sent);
            }
        }
        self.counts.lines(outcome, 1);
        self.tail.push(at, outcome, line);
    }

    fn missed(&mut self) {
        self.store.mark_missed();
    }

    fn gap(&mut self) {
        self.derived.deriver_mut().break_off();
        self.watching.conditions.break_off();
        self.tail.mark_break();
        self.store.mark_break();
        self.intervals.break_off();
        self.channels.iter_mut().for_each(Channel::break_off);
    }

    fn rows(&mut self, rows: &Rows<'_>) {
        let first = self.store.rows().end;
        self.derived.take(rows.times, rows.raw);
        let (deriver, all) = (self.derived.deriver(), self.derived.values());
        // That takes far more than working the rows out.
        if first < LEARN || first / LEARN != (first + rows.count() as u64) / LEARN {
            learn_steps(&mut self.channels, deriver, deriver.order());
        }
        self.store.extend(rows.times, rows.arrivals, all.iter().map(|values| &values.raw[..]));
        for (index, (channel, values)) in self.channels.iter_mut().zip(all).enumerate() {
            let source = deriver.reference(index);
            channel.look(&values.raw);
            if self.finds_levels {
                channel.find_levels(first, rows.times, &values.raw);
            }
            channel.take(rows.times, values, |row| source.map_or(f64::NAN, |at| all[at].quantity()[row]));
            if deriver.is_as_it_came(index) {
                channel.share(&self.store, index);
            }
        }
        self.watching.rows(first, rows.times, rows.arrivals, all);
        for (time, arrival) in rows.times.iter().zip(rows.arrivals) {
            self.intervals.row(*time, *arrival);
            self.rate.row(*arrival);
        }
        self.counts.rows += rows.count() as u64;
    }

    fn restart(&mut self) {
        let Some((counts, line)) = self.before.take() else { return };
        self.counts = self.counts.with_lines_of(&counts);
        let lines = (line..self.tail.numbers().end).filter_map(|number| self.tail.line(number));
        let sent = lines.filter(|line| line.outcome == LineOutcome::Sent).map(|line| (line.at, line.bytes.to_vec()));
        self.sent_again = sent.collect();
        self.tail.truncate(line);
        self.store = Store::new(self.store.limits());
        self.channels.clear();
        self.derived = Derived::new(true);
        self.watching.restart();
        (self.rate, self.intervals) = (RateMeter::default(), Intervals::default());
        let opening = self.opening();
        self.openings = VecDeque::from([(0, opening)]);
    }

    fn retimed(&mut self, times: &[(Stamp, bool)], in_force: &Time) {
        self.set_times(times);
        self.note_timer(in_force);
        if self.is_long(false) {
            self.stale = true;
        } else {
            // Nobody can cancel this.
            self.follow_times(in_force, &Ticket::default()).unwrap_or(());
        }
    }
}
