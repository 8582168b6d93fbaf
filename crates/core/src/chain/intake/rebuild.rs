//! Making anew what depends on settings or on the times of rows: levels, and what is behind the raw values.

use super::{Intake, learn_steps};
use crate::Stamp;
use crate::bench::ChannelSettings;
use crate::clock::{Intervals, Opening, Time, Timed, Timing};
use crate::derive::{Deriver, Values};
use crate::smooth::go_back;
use crate::watch::condition::Condition;
use crate::work::{Cancelled, Ticket};
use std::ops::Range;

/// Rows that are made anew before it is told how far the work is.
const PART: u64 = 4096;

impl Intake {
    /// Makes the history of the channels `which`, and of all that need them, anew from what came.
    pub(in crate::chain) fn rebuild(&mut self, which: &[usize], ticket: &Ticket) -> Result<(), Cancelled> {
        let rows = self.store.rows();
        let settings: Vec<ChannelSettings> = self.channels.iter().map(|channel| channel.wished().clone()).collect();
        let mut fresh = self.derived.fresh(&settings);
        let wanted = fresh.dependents(which);
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
        if wanted.is_empty() { Ok(()) } else { self.watch_again(ticket) }
    }

    /// Watches for these from now on, and finds their events in all rows that are kept.
    pub(in crate::chain) fn watch_anew(&mut self, conditions: &[Condition], ticket: &Ticket) -> Result<(), Cancelled> {
        self.watching.begin_anew(conditions, &[]);
        self.watch_again(ticket)
    }

    /// Finds the events of all rows that are kept anew.
    fn watch_again(&mut self, ticket: &Ticket) -> Result<(), Cancelled> {
        let channels: Vec<ChannelSettings> = self.channels.iter().map(|channel| channel.settings().clone()).collect();
        let conditions = self.watching.conditions.settings().to_vec();
        self.watching.begin_anew(&conditions, &channels);
        if conditions.is_empty() {
            return Ok(());
        }
        let needed = self.watching.conditions.needs();
        let (mut times, mut values) = (Vec::new(), vec![Values::default(); self.channels.len()]);
        self.each_stretch(ticket, |intake, part, is_broken| {
            if is_broken {
                intake.watching.conditions.break_off();
            }
            times.clear();
            intake.store.read_times(part.clone(), &mut times);
            for at in &needed {
                let channel = &intake.channels[*at];
                values[*at].clear();
                intake.store.read_raw(*at, part.clone(), &mut values[*at].raw);
                values[*at].set_quantity(part.clone().map(|row| channel.scaled().get(row).unwrap_or(f64::NAN)));
                values[*at].set_smoothed(part.clone().map(|row| channel.output().get(row).unwrap_or(f64::NAN)));
            }
            intake.watching.rows_again(part.start, &times, &values);
        })?;
        self.watching.tick_again();
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
                channel.take(&times, &values[*at], reference);
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
            self.channels[last].smooth_anew(self.store.rows().start, &all_times, &forward);
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

    /// Gives every row its time by `timing`, which goes on from there, and makes anew what depends on it.
    pub(in crate::chain) fn retime_all(
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
    pub(super) fn set_times(&mut self, times: &[(Stamp, bool)]) {
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
    pub(super) fn follow_times(&mut self, in_force: &Time, ticket: &Ticket) -> Result<(), Cancelled> {
        self.look_anew(ticket)?;
        let all: Vec<usize> = (0..self.channels.len()).collect();
        self.rebuild(&all, ticket)?;
        self.note_timer(in_force);
        Ok(())
    }

    /// Finds the levels of all rows that are kept anew.
    pub(in crate::chain) fn look_anew(&mut self, ticket: &Ticket) -> Result<(), Cancelled> {
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
}
