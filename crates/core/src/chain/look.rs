//! What a chain says of itself.

use super::{Chain, Channel, ChannelValues, Counts};
use crate::Stamp;
use crate::bench::{ChannelSettings, SourceSettings, Split, Words};
use crate::clock::{Intervals, RateMeter, Timer, Verdict};
use crate::levels::LevelRule;
use crate::split::{Confidence, Proposal, Shape};
use crate::store::{Series, Store};
use crate::tail::Tail;
use crate::watch::condition::{Conditions, Event};
use std::collections::VecDeque;

/// Rows by whose times it is told how far rows lie apart, where their arrival does not say it.
const RECENT: u64 = 256;

impl Chain {
    /// Where rows get their time from.
    pub fn timer(&self) -> &Timer {
        self.interpreter.joint().timing().timer()
    }

    /// Whether a spectrum can be taken of the rows.
    pub fn verdict(&self) -> Verdict {
        if self.timer().is_assumed() {
            let reason = "unknown: the text has no clock of its own, so that rows are counted".into();
            return Verdict { even: false, reason };
        }
        self.intake.intervals.verdict(self.timer().in_force())
    }

    /// What had to be done otherwise than the settings say, in sentences.
    pub fn troubles(&self) -> &[String] {
        self.interpreter.joint().layout().troubles()
    }

    /// How rows are spaced.
    pub fn intervals(&self) -> &Intervals {
        &self.intake.intervals
    }

    /// The settings in force. Channels come first that are there, then those for which settings are merely known.
    pub fn live_settings(&self) -> SourceSettings {
        let mut settings = self.settings.clone();
        let live = self.intake.channels.iter().map(|channel| channel.wished().clone());
        let missing = settings.channel.iter().filter(|c| self.intake.channels.iter().all(|l| l.name() != c.name));
        settings.channel = live.chain(missing.cloned()).collect();
        settings
    }

    /// The same with the shape and the rule of time pinned that were found, as a take needs them.
    pub fn pinned_settings(&self) -> SourceSettings {
        let mut settings = self.live_settings();
        if let Some(shape) = self.interpreter.splitter().decided_shape() {
            settings.split = Split::Pinned(shape);
        }
        let timer = self.timer();
        if timer.is_found() && !timer.is_text_time() {
            settings.time = timer.in_force().clone();
        }
        settings
    }

    /// The settings, those of channels as they were known at first.
    pub fn settings(&self) -> &SourceSettings {
        &self.settings
    }

    /// What counts as a level.
    pub fn level_rule(&self) -> LevelRule {
        self.intake.rule
    }

    /// The channels, in the order in which they first came.
    pub fn channels(&self) -> &[Channel] {
        &self.intake.channels
    }

    /// The shape of the rows, once known.
    pub fn shape(&self) -> Option<&Shape> {
        self.interpreter.splitter().shape()
    }

    /// Whether `settings` are those of a channel that was merely found.
    pub fn is_as_found(&self, settings: &ChannelSettings) -> bool {
        let column = self.shape().and_then(|shape| (0..shape.columns()).find(|i| shape.label(*i) == settings.name));
        let unit = self.shape().zip(column).map_or("", |(shape, column)| shape.unit(column));
        let words = self.shape().zip(column).map_or(Words::default(), |(shape, column)| Words::of(shape.codes(column)));
        *settings == ChannelSettings { words, ..ChannelSettings::found(&settings.name, unit) }
    }

    /// How sure the shape is, and another one that may be the right one.
    pub fn doubts(&self) -> (Option<Confidence>, Option<&Proposal>) {
        (self.interpreter.splitter().sure(), self.interpreter.splitter().proposal())
    }

    /// What is open about the shape, in a few words: see [`crate::split::Splitter::uncertain`].
    pub fn uncertain(&self) -> Option<&str> {
        self.interpreter.splitter().uncertain()
    }

    /// The share of recent frames that are damaged or none, when it is above a quarter.
    pub fn damaged_frames(&self) -> Option<f64> {
        self.interpreter.splitter().damaged().filter(|share| *share > 0.25)
    }

    /// Frames that are missing, by the field that counts them; `None` where none does.
    pub fn missing_frames(&self) -> Option<u64> {
        self.interpreter.splitter().missing()
    }

    /// The share of lines with numbers that fit the shape, 0 to 1.
    pub fn fit(&self) -> Option<f64> {
        self.interpreter.splitter().fit()
    }

    /// The channel that column `column` of the shape feeds.
    pub fn channel_of_column(&self, column: usize) -> Option<usize> {
        self.interpreter.joint().layout().columns().get(column).copied()
    }

    /// What is watched for, at work: how each of them stands.
    pub fn conditions(&self) -> &Conditions {
        &self.intake.watching.conditions
    }

    /// The events in the rows that are kept, at most the newest [`super::MOST_EVENTS`] of them, in their order.
    pub fn events(&self) -> &VecDeque<Event> {
        &self.intake.watching.events
    }

    /// The buffer.
    pub fn store(&self) -> &Store {
        &self.intake.store
    }

    /// The bytes that the history takes in memory, lines apart.
    pub fn size(&self) -> usize {
        let series = |channel: &Channel| channel.scaled().size() + channel.smoothed().map_or(0, Series::size);
        self.store().size() + self.channels().iter().map(series).sum::<usize>()
    }

    /// What was received, kept and rejected.
    pub fn counts(&self) -> &Counts {
        &self.intake.counts
    }

    /// How often rows come.
    pub fn rate(&self) -> &RateMeter {
        &self.intake.rate
    }

    /// The seconds between two rows, the newest ones: by their arrival, else, as for a text that was there at once, by the
    /// times that they have. `None` until there are enough.
    pub fn interval(&self) -> Option<f64> {
        let by_times = || {
            let rows = self.store().rows();
            let first = rows.end.saturating_sub(RECENT).max(rows.start);
            let last = rows.end.checked_sub(1).filter(|last| *last > first)?;
            let span = self.store().time(last)?.seconds_since(self.store().time(first)?);
            Some(span / (last - first) as f64)
        };
        self.rate().interval().filter(|interval| *interval > 0.0).or_else(by_times).filter(|interval| *interval > 0.0)
    }

    /// The last lines as they came.
    pub fn tail(&self) -> &Tail {
        &self.intake.tail
    }

    /// The stamp of the newest bytes, if any came.
    pub fn newest(&self) -> Option<Stamp> {
        self.intake.newest
    }

    /// A channel's value at each stage in row `row`; `None` when the row is not kept.
    pub fn reading(&self, channel: usize, row: u64) -> Option<ChannelValues> {
        let known = self.intake.channels.get(channel)?;
        let raw = self.store().raw(channel, row)?;
        let reference = self.reference(channel, row, self.channels().len());
        let quantity = self.intake.derived.deriver().scaler(channel).quantity(raw, reference);
        let smoothed = known.smoothed_at(row).unwrap_or(quantity);
        let volts = known.settings().scale.volts(raw, reference);
        Some(ChannelValues {
            raw,
            volts,
            quantity,
            smoothed,
            reference: Some(reference).filter(|volts| !volts.is_nan()),
        })
    }

    /// What the channel says that is the reference of `channel`'s converter; NaN without one. `depth`: the longest way,
    /// since channels may need one another in a circle while an edit has not taken effect.
    fn reference(&self, channel: usize, row: u64, depth: usize) -> f64 {
        let deriver = self.intake.derived.deriver();
        let Some(source) = deriver.reference(channel).filter(|_| depth > 0) else { return f64::NAN };
        let raw = self.store().raw(source, row).unwrap_or(f64::NAN);
        deriver.scaler(source).quantity(raw, self.reference(source, row, depth - 1))
    }

    /// The share of bytes that are not text, once that is so large that the baud is probably wrong.
    pub fn unreadable(&self) -> Option<f64> {
        // Frames are no text.
        let is_text = !self.shape().is_some_and(Shape::is_binary);
        is_text.then(|| self.intake.counts.unreadable()).flatten()
    }
}
