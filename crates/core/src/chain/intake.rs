//! Where the splitter's findings go: into the buffer, the channels, the counts and the tail.

use super::channel::Channel;
use super::counts::Counts;
use crate::Stamp;
use crate::bench::ChannelSettings;
use crate::clock::{Intervals, Opening, RateMeter, Time, Timed, Timing};
use crate::derive::{Derived, Deriver, Values};
use crate::formula::Stage;
use crate::interpret::{Layout, RowSink, Rows};
use crate::levels::LevelRule;
use crate::smooth::go_back;
use crate::split::{Column, LineOutcome};
use crate::store::{Limits, Store};
use crate::tail::Tail;
use crate::work::{Cancelled, Ticket};
use std::collections::VecDeque;
use std::ops::Range;

/// Rows that are made anew before it is told how far the work is.
const PART: u64 = 4096;

#[derive(Clone, Debug)]
pub(super) struct Intake {
    pub(super) store: Store,
    pub(super) channels: Vec<Channel>,
    pub(super) counts: Counts,
    pub(super) rate: RateMeter,
    pub(super) intervals: Intervals,
    pub(super) tail: Tail,
    pub(super) newest: Option<Stamp>,
    /// What counts as a level.
    pub(super) rule: LevelRule,
    /// Which openings lie before which rows, where texts are among them; the last one is in force.
    openings: VecDeque<(u64, Opening)>,
    /// How things stood before the first layout.
    before: Option<(Counts, u64)>,
    /// What was sent among lines that come again.
    sent_again: VecDeque<(Stamp, Vec<u8>)>,
    new_channels: bool,
    /// Works out what is behind the raw values.
    pub(super) derived: Derived,
    /// The channel that counts the rows of a block; empty when there is none.
    index: String,
    /// Levels are found as rows come; else when they are asked for.
    pub(super) finds_levels: bool,
    /// No more rows will come, so that filters can go backward.
    pub(super) is_recorded: bool,
    /// How much is made anew at once: channels times rows.
    pub(super) at_once: u64,
    /// Rows have other times, and what depends on them must be made anew.
    stale: bool,
}

impl Intake {
    pub(super) fn new(limits: Limits, rule: LevelRule) -> Self {
        Intake {
            store: Store::new(limits),
            channels: Vec::new(),
            counts: Counts::default(),
            rate: RateMeter::default(),
            intervals: Intervals::default(),
            tail: Tail::default(),
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

    /// The source was opened.
    pub(super) fn opened(&mut self, opening: Opening) {
        if self.opening() != opening {
            self.openings.push_back((self.store.rows().end, opening));
        }
    }

    /// How the source was opened last.
    pub(super) fn opening(&self) -> Opening {
        self.openings.back().map_or(Opening::Link, |(_, opening)| *opening)
    }

    /// Whether channels came since the last call.
    pub(super) fn has_new_channels(&mut self) -> bool {
        std::mem::take(&mut self.new_channels)
    }

    /// Whether rows got other times, and what depends on them has not been made anew, since the last call.
    pub(super) fn is_stale(&mut self) -> bool {
        std::mem::take(&mut self.stale)
    }

    /// Whether there is more than is made anew at once.
    pub(super) fn is_long(&self) -> bool {
        let (rows, lines) = (self.store.rows(), self.tail.numbers());
        let values = (rows.end - rows.start) * self.channels.len() as u64;
        values.max(lines.end - lines.start) > self.at_once
    }

    pub(super) fn arrive(&mut self, at: Stamp, bytes: &[u8]) -> Stamp {
        let at = self.newest.map_or(at, |newest| newest.max(at));
        self.newest = Some(at);
        self.counts.receive(bytes);
        at
    }

    /// Counts lines that are not kept.
    pub(super) fn pass(&mut self, outcome: LineOutcome, count: u64) {
        self.counts.lines(outcome, count);
        self.tail.pass(count);
    }

    pub(super) fn sent(&mut self, at: Stamp, bytes: &[u8]) {
        self.counts.sent += bytes.len() as u64;
        self.tail.push(at, LineOutcome::Sent, bytes.trim_ascii_end());
    }

    /// Adds a channel, whose history is gaps.
    pub(super) fn add(&mut self, settings: ChannelSettings) {
        self.channels.push(Channel::new(settings, self.rule, self.store.rows()));
        self.store.widen(self.channels.len());
    }

    /// Deletes a channel that no column feeds.
    pub(super) fn remove(&mut self, index: usize) {
        self.channels.remove(index);
        self.store.remove_column(index);
        self.derived.deriver_mut().remove(index);
    }

    /// Makes the history of the channels `which`, and of all that need them, anew from what came.
    pub(super) fn rebuild(&mut self, which: &[usize], ticket: &Ticket) -> Result<(), Cancelled> {
        let rows = self.store.rows();
        let settings: Vec<ChannelSettings> = self.channels.iter().map(|channel| channel.wished().clone()).collect();
        let mut fresh = self.derived.fresh(&settings);
        let mut wanted: Vec<usize> = which.iter().flat_map(|channel| fresh.dependents(*channel)).collect();
        wanted = fresh.order().iter().copied().filter(|channel| wanted.contains(channel)).collect();
        for channel in &wanted {
            self.channels[*channel].begin_anew(rows.start);
            if fresh.is_computed(*channel) {
                self.channels[*channel].look_anew(self.rule);
            }
        }
        let turned: Vec<bool> =
            self.channels.iter().map(|channel| self.is_recorded && channel.is_zero_phase()).collect();
        let mut computed: Vec<Vec<f64>> = vec![Vec::new(); self.channels.len()];
        // A channel that is smoothed both ways is known when all of it is; those that need it come then.
        let mut groups: Vec<Vec<usize>> = vec![Vec::new()];
        for channel in &wanted {
            if let Some(group) = groups.last_mut() {
                group.push(*channel);
            }
            if turned[*channel] {
                groups.push(Vec::new());
            }
        }
        for group in groups.iter().filter(|group| !group.is_empty()) {
            self.rebuild_group(group, &turned, &mut fresh, &mut computed, ticket)?;
        }
        for channel in wanted.iter().filter(|channel| fresh.is_computed(**channel)) {
            self.store.set_column(*channel, &computed[*channel]);
        }
        for channel in wanted.iter().filter(|channel| fresh.is_as_it_came(**channel)) {
            self.channels[*channel].share(&self.store, *channel);
        }
        let deriver = self.derived.deriver_mut();
        deriver.reorder(fresh.order().to_vec());
        deriver.adopt(fresh, &wanted);
        Ok(())
    }

    /// Makes the history of `group` anew, which is in order and of which at most the last one is smoothed both ways; those
    /// before them are made.
    fn rebuild_group(
        &mut self,
        group: &[usize],
        turned: &[bool],
        fresh: &mut Deriver,
        computed: &mut [Vec<f64>],
        ticket: &Ticket,
    ) -> Result<(), Cancelled> {
        let needed = fresh.needed(group);
        let last = group.last().copied().filter(|last| turned[*last]);
        let (mut times, mut values) = (Vec::new(), vec![Values::default(); self.channels.len()]);
        // Of the one that is smoothed both ways: what its filters gave forward, and where they began anew.
        let (mut forward, mut all_times, mut begins) = (Vec::new(), Vec::new(), Vec::new());
        self.each_stretch(ticket, |intake, part, is_broken| {
            if is_broken {
                fresh.break_off();
                group.iter().filter(|at| fresh.is_computed(**at)).for_each(|at| intake.channels[*at].break_off());
                begins.push(forward.len());
            }
            times.clear();
            intake.store.read_times(part.clone(), &mut times);
            for channel in &needed {
                values[*channel].clear();
                intake.store.read_raw(*channel, part.clone(), &mut values[*channel].raw);
                fresh.rows(&[*channel], &times, &mut values);
                // What is known is known both ways.
                if turned[*channel] && !group.contains(channel) {
                    let known = &intake.channels[*channel];
                    values[*channel].set_smoothed(part.clone().map(|row| known.smoothed_at(row).unwrap_or(f64::NAN)));
                }
            }
            learn_steps(&mut intake.channels, fresh, group);
            for at in group {
                let reference = fresh.reference(*at);
                let reference = |row: usize| reference.map_or(f64::NAN, |source| values[source].quantity()[row]);
                let channel = &mut intake.channels[*at];
                if fresh.is_computed(*at) {
                    computed[*at].extend_from_slice(&values[*at].raw);
                    channel.look(&values[*at].raw);
                    if intake.finds_levels {
                        channel.find_levels(part.start, &times, &values[*at].raw);
                    }
                }
                channel.take(&values[*at], reference);
                if !fresh.is_computed(*at) && fresh.is_as_it_came(*at) {
                    channel.share(&intake.store, *at);
                }
            }
            if let Some(last) = last {
                forward.extend_from_slice(values[last].smoothed());
                all_times.extend_from_slice(&times);
            }
        })?;
        if let Some(last) = last {
            let begins: Vec<usize> = [0].into_iter().chain(begins.iter().copied().filter(|at| *at > 0)).collect();
            for (at, begin) in begins.iter().enumerate() {
                let end = begins.get(at + 1).copied().unwrap_or(forward.len());
                ticket.done(*begin as u64, forward.len() as u64)?;
                go_back(&self.channels[last].settings().smooth, &all_times[*begin..end], &mut forward[*begin..end]);
            }
            self.channels[last].smooth_anew(self.store.rows().start, &forward);
        }
        Ok(())
    }

    /// Calls `take` with all rows that are kept, in parts whose rows follow one another, each with whether it does not
    /// follow from the one before; in the end with no rows at all.
    fn each_stretch(
        &mut self,
        ticket: &Ticket,
        mut take: impl FnMut(&mut Intake, Range<u64>, bool),
    ) -> Result<(), Cancelled> {
        let rows = self.store.rows();
        let mut at = rows.start;
        loop {
            ticket.done(at - rows.start, rows.end - rows.start)?;
            let next = self.store.break_after(at).unwrap_or(u64::MAX).min((at / PART + 1) * PART).min(rows.end);
            let is_broken = self.store.breaks_before(at);
            take(self, at..next, is_broken);
            if at == rows.end {
                return Ok(());
            }
            at = next;
        }
    }

    /// Lets two channels change places.
    pub(super) fn swap(&mut self, a: usize, b: usize) {
        self.channels.swap(a, b);
        self.store.swap_columns(a, b);
        self.derived.deriver_mut().swap(a, b);
    }

    fn note_timer(&mut self, in_force: &Time) {
        let clock = if let Time::Board { channel, .. } = in_force { channel.as_str() } else { "" };
        let index = &self.index;
        let is_timer = |name: &str| !name.is_empty() && (name == clock || name == index);
        self.channels.iter_mut().for_each(|channel| channel.is_timer = is_timer(channel.name()));
    }

    /// Gives every row its time by `timing`, which goes on from there, and makes anew what depends on it.
    pub(super) fn retime_all(
        &mut self,
        columns: &[usize],
        mut timing: Timing,
        ticket: &Ticket,
    ) -> Result<Timing, Cancelled> {
        let rows = self.store.rows();
        let mut times: Vec<(Stamp, bool)> = Vec::with_capacity((rows.end - rows.start) as usize);
        let mut values = vec![f64::NAN; columns.len()];
        let openings = std::mem::take(&mut self.openings);
        let mut next = openings.partition_point(|(row, _)| *row <= rows.start);
        // What was opened last before the first row that is kept.
        let mut opening = next.checked_sub(1).map_or(Opening::Link, |last| openings[last].1);
        timing.open(opening);
        for row in rows.clone() {
            if row.is_multiple_of(PART) {
                ticket.done(row - rows.start, rows.end - rows.start)?;
            }
            let broken = self.store.breaks_before(row);
            if broken && opening == Opening::Link {
                timing.open(opening);
            }
            while let Some((_, other)) = openings.get(next).filter(|(at, _)| *at <= row) {
                opening = *other;
                timing.open(opening);
                next += 1;
            }
            (0..self.store.missed_before(row)).for_each(|_| timing.missed());
            for (value, channel) in values.iter_mut().zip(columns) {
                *value = self.store.raw(*channel, row).unwrap_or(f64::NAN);
            }
            match timing.row(self.store.arrival(row).unwrap_or_default(), &values) {
                Timed::At(at, reset) | Timed::Waits(at, reset) => times.push((at, reset)),
                Timed::FinalTimes(settled) => {
                    times.truncate(times.len() + 1 - settled.times().len());
                    times.extend_from_slice(settled.times());
                }
            }
        }
        if self.store.breaks_before(rows.end) && opening == Opening::Link {
            timing.open(opening);
        }
        for (_, opening) in openings.iter().skip(next) {
            timing.open(*opening);
        }
        self.openings = openings;
        self.set_times(&times);
        self.follow_times(timing.timer().in_force(), ticket)?;
        Ok(timing)
    }

    /// The last rows have these times, and begin a new stretch where the board's clock started over.
    fn set_times(&mut self, times: &[(Stamp, bool)]) {
        let rows = self.store.rows();
        let first = rows.end.saturating_sub(times.len() as u64).max(rows.start);
        let times = &times[times.len() - (rows.end - first) as usize..];
        for (row, _) in (first..).zip(times).filter(|(_, (_, reset))| *reset) {
            self.store.mark_break_before(row);
        }
        self.store.retime(first, times.iter().map(|(at, _)| *at));
        self.intervals = Intervals::default();
        // What is said of intervals is said of the newest.
        let seen = rows.end.saturating_sub(2 * Intervals::KEPT as u64).max(rows.start);
        for row in seen..=rows.end {
            if self.store.breaks_before(row) {
                self.intervals.break_off();
            }
            if let (Some(at), Some(arrival)) = (self.store.time(row), self.store.arrival(row)) {
                self.intervals.row(at, arrival);
            }
        }
    }

    /// Makes anew what depends on the times of rows.
    fn follow_times(&mut self, in_force: &Time, ticket: &Ticket) -> Result<(), Cancelled> {
        self.look_anew(ticket)?;
        let all: Vec<usize> = (0..self.channels.len()).collect();
        self.rebuild(&all, ticket)?;
        self.note_timer(in_force);
        Ok(())
    }

    /// Finds the levels of all rows that are kept anew.
    pub(super) fn look_anew(&mut self, ticket: &Ticket) -> Result<(), Cancelled> {
        self.channels.iter_mut().for_each(|channel| channel.look_anew(self.rule));
        let (mut times, mut raw) = (Vec::new(), Vec::new());
        self.each_stretch(ticket, |intake, part, is_broken| {
            times.clear();
            intake.store.read_times(part.clone(), &mut times);
            for (index, channel) in intake.channels.iter_mut().enumerate() {
                if is_broken {
                    channel.break_off();
                }
                raw.clear();
                intake.store.read_raw(index, part.clone(), &mut raw);
                channel.look(&raw);
                if intake.finds_levels {
                    channel.find_levels(part.start, &times, &raw);
                }
            }
        })
    }

    /// After a piece was taken in: learns what its columns state of themselves, lets go of what is beyond the limits.
    pub(super) fn adopt_columns(&mut self, stated: impl Iterator<Item = Column>, columns: &[usize]) {
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
        let first = if channels[*at].wants_first_step() { deriver.first_formula_step(*at, of) } else { None };
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
        self.derived.follow(layout.channels());
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
        self.tail.mark_break();
        self.store.mark_break();
        self.intervals.break_off();
        self.channels.iter_mut().for_each(Channel::break_off);
    }

    fn rows(&mut self, rows: &Rows<'_>) {
        let first = self.store.rows().end;
        self.derived.take(rows.times, rows.raw);
        let (deriver, all) = (self.derived.deriver(), self.derived.values());
        learn_steps(&mut self.channels, deriver, deriver.order());
        self.store.extend(rows.times, rows.arrivals, all.iter().map(|values| &values.raw[..]));
        for (index, (channel, values)) in self.channels.iter_mut().zip(all).enumerate() {
            let source = deriver.reference(index);
            channel.look(&values.raw);
            if self.finds_levels {
                channel.find_levels(first, rows.times, &values.raw);
            }
            channel.take(values, |row| source.map_or(f64::NAN, |at| all[at].quantity()[row]));
            if deriver.is_as_it_came(index) {
                channel.share(&self.store, index);
            }
        }
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
        (self.rate, self.intervals) = (RateMeter::default(), Intervals::default());
        let opening = self.opening();
        self.openings = VecDeque::from([(0, opening)]);
    }

    fn retimed(&mut self, times: &[(Stamp, bool)], in_force: &Time) {
        self.set_times(times);
        self.note_timer(in_force);
        if self.is_long() {
            self.stale = true;
        } else {
            // Nobody can cancel this.
            self.follow_times(in_force, &Ticket::default()).unwrap_or(());
        }
    }
}
