//! The stages joined: bytes in, and everything that a screen shows of them out.

mod again;
mod anew;
mod apart;
mod channel;
mod counts;
mod intake;
mod look;
mod noise;
mod states;
mod watching;

pub use anew::Work;
pub use apart::{Finder, Found};
pub use channel::{Channel, ChannelValues, LOGIC};
pub use counts::Counts;
pub use watching::MOST_EVENTS;

use crate::Stamp;
use crate::bench::{Bench, ChannelSettings, SourceSettings, Split, WireSettings};
use crate::clock::{Opening, Time};
use crate::derive::circle;
use crate::interpret::{Interpreter, Layout};
use crate::levels::LevelRule;
use crate::store::{Limits, Spill};
use crate::watch::condition::{Condition, Event};
use anew::{Anew, Came, Deferred};
use intake::Intake;

/// One source's chain of stages, with its buffer.
#[derive(Clone, Debug)]
pub struct Chain {
    settings: SourceSettings,
    interpreter: Interpreter,
    intake: Intake,
    /// How lines were split and timed whose rows are kept, as it was set.
    made_with: (Split, Time),
    /// So many columns that were taken for the clock and are none are known to the times of rows.
    refused: usize,
    /// Where long work is left to somebody else.
    deferred: Option<Deferred>,
}

/// No silence begins at this moment.
const NEVER: Stamp = Stamp(i64::MAX);

impl Chain {
    /// A chain for source `place` of `bench`, that keeps as much history as `limits` allow. A source that the bench does
    /// not have has nothing set.
    pub fn new(bench: &Bench, place: usize, limits: Limits) -> Self {
        Chain::with(bench.sources.get(place).cloned().unwrap_or_default(), bench.shared.levels, limits)
    }

    fn with(settings: SourceSettings, levels: LevelRule, limits: Limits) -> Self {
        let mut interpreter = Interpreter::new(settings.split.shape(), settings.time.clone(), &settings.channel);
        let mut intake = Intake::new(limits, levels, &settings.condition);
        interpreter.begin(&mut intake);
        let made_with = (settings.split.clone(), settings.time.clone());
        let mut chain = Chain { settings, interpreter, intake, made_with, refused: 0, deferred: None };
        chain.put_in_order();
        chain
    }

    /// The same, but levels, and the noise of channels, are not found before [`Chain::find_levels`] is called.
    #[must_use]
    pub fn without_levels(mut self) -> Chain {
        self.intake.finds_levels = false;
        self
    }

    /// Finds the levels of all rows, and those of rows that come from now on.
    pub fn find_levels(&mut self) {
        if !std::mem::replace(&mut self.intake.finds_levels, true) {
            self.wish(Anew { levels: true, ..Anew::default() });
        }
    }

    /// No more rows will come: filters that are to go both ways can do so. Rows that come all the same end that.
    pub fn is_whole(&mut self) {
        self.set_recorded(true);
    }

    fn set_recorded(&mut self, is_recorded: bool) {
        if std::mem::replace(&mut self.intake.is_recorded, is_recorded) != is_recorded {
            let both_ways = self.channels().iter().filter(|channel| channel.settings().zero_phase);
            let channels: Vec<String> = both_ways.map(|channel| channel.name().to_owned()).collect();
            if !channels.is_empty() {
                self.wish(Anew { channels, ..Anew::default() });
            }
        }
    }

    /// Whether no more rows will come.
    pub fn is_recorded(&self) -> bool {
        self.intake.is_recorded
    }

    /// Takes bytes that arrived at `at`. Stamps must not run backwards; one that does counts as the newest so far.
    pub fn feed(&mut self, at: Stamp, bytes: &[u8]) {
        self.note(|| Came::Bytes(at, bytes.to_vec()));
        let at = self.intake.arrive(at, bytes);
        self.interpreter.feed(at, bytes, &mut self.intake);
        self.follow();
    }

    /// The link was opened, or opened again: what comes next does not follow from what came before, and may begin within
    /// a line.
    pub fn break_off(&mut self) {
        self.open(Opening::Link, Some(NEVER));
    }

    /// The same, where what comes next begins a line.
    pub fn begin(&mut self) {
        self.open(Opening::Link, None);
    }

    /// The source was opened: what comes next does not follow from what came before. `within`: it may begin within a
    /// line, unless nothing comes for a while from this moment on.
    pub fn open(&mut self, opening: Opening, within: Option<Stamp>) {
        self.note(|| Came::Opened(opening, within));
        self.opened(opening, within);
    }

    fn opened(&mut self, opening: Opening, within: Option<Stamp>) {
        self.set_recorded(false);
        self.intake.opened(opening);
        let cut_off = self.interpreter.open(opening, within, &mut self.intake);
        self.intake.counts.cut_off += cut_off as u64;
        self.intake.counts.judge_afresh();
    }

    /// The text has come to its end: its last line counts although it may have no ending.
    pub fn end(&mut self) {
        self.note(|| Came::Ended);
        let newest = self.intake.newest.unwrap_or_default();
        self.interpreter.finish(Some(newest), &mut self.intake);
        self.follow();
        self.set_recorded(true);
    }

    /// No more will come: what is not certain yet is settled by what is known.
    pub fn finish(&mut self) {
        self.interpreter.finish(None, &mut self.intake);
        self.follow();
    }

    /// Brings what was taken in within the limits, and new channels into the order of the settings.
    fn follow(&mut self) {
        if self.intake.has_new_channels() {
            self.put_in_order();
        }
        self.intake.adopt_columns(self.interpreter.splitter().columns(), self.interpreter.joint().layout().columns());
        if self.intake.is_stale() {
            self.wish(Anew { levels: true, channels: self.all_names(), ..Anew::default() });
        }
        self.time_again();
    }

    /// Times all rows again where their clock turned out to be none.
    fn time_again(&mut self) {
        let refused = self.timer().refused().len();
        if refused > self.refused {
            self.refused = refused;
            self.wish(Anew { times: true, ..Anew::default() });
        }
    }

    fn all_names(&self) -> Vec<String> {
        self.channels().iter().map(|channel| channel.name().to_owned()).collect()
    }

    fn put_in_order(&mut self) {
        for (a, b) in self.interpreter.joint().layout().swaps() {
            self.swap_channels(a, b);
        }
    }

    /// So many bytes were heard while the speed was being found, and are kept nowhere.
    pub fn unkept(&mut self, bytes: u64) {
        self.note(|| Came::Unkept(bytes));
        self.intake.counts.unkept += bytes;
    }

    /// So many news of the link were not told one by one.
    pub fn merged(&mut self, news: u64) {
        self.note(|| Came::Merged(news));
        self.intake.counts.merged += news;
    }

    /// Bytes were sent to the board.
    pub fn sent(&mut self, at: Stamp, bytes: &[u8]) {
        self.note(|| Came::Sent(at, bytes.to_vec()));
        let at = self.intake.newest.map_or(at, |newest| newest.max(at));
        self.interpreter.sent(at, bytes, &mut self.intake);
        self.intake.sent(at, bytes);
    }

    /// `bytes` bytes arrived that this chain will never see. They are counted, and the stream goes on as after a break.
    pub fn skip(&mut self, bytes: u64) {
        self.note(|| Came::Skipped(bytes));
        self.intake.counts.skipped += bytes;
        self.opened(Opening::Link, Some(NEVER));
    }

    /// Sets how lines are laid out; [`Split::Auto`] finds the shape afresh. All lines that are still kept are split
    /// again, so that the history follows; rows whose lines are not kept any more are let go.
    pub fn set_split(&mut self, split: Split) {
        self.settings.split = split;
        self.wish(Anew { split: true, ..Anew::default() });
    }

    /// Replaces a channel's settings and makes all its history anew with them.
    pub fn set_channel(&mut self, index: usize, settings: ChannelSettings) {
        let Some(channel) = self.intake.channels.get_mut(index) else { return };
        let is_renamed = channel.wished().title() != settings.title();
        let is_changed = channel.wish(settings.clone());
        self.edit_layout(|layout| layout.set(index, settings));
        // A formula may have meant it by its old name, or mean it by the new one.
        let deriver = self.intake.derived.deriver();
        let computed = (0..self.channels().len()).filter(|at| is_renamed && deriver.is_computed(*at));
        let which = computed.chain(is_changed.then_some(index));
        let channels: Vec<String> = which.map(|index| self.channels()[index].name().to_owned()).collect();
        if !channels.is_empty() {
            self.wish(Anew { channels, ..Anew::default() });
        }
    }

    /// Changes the channels' settings; what formulas and smoothing remember of those stays that keep their place.
    fn edit_layout(&mut self, edit: impl FnOnce(&mut Layout)) {
        let joint = self.interpreter.joint_mut();
        joint.edit_layout(edit);
        self.intake.follow(joint.layout().channels());
    }

    /// Adds a channel that is computed from others. Gives its index; `None` when there is a channel of that name already.
    ///
    /// # Errors
    /// Which channels would need one another in a circle.
    pub fn add_computed(&mut self, settings: ChannelSettings) -> Result<usize, String> {
        let mut all: Vec<&ChannelSettings> = self.channels().iter().map(Channel::wished).collect();
        if all.iter().any(|other| other.name == settings.name || other.title() == settings.name) {
            return Err(format!("there is a channel {} already", settings.name));
        }
        all.push(&settings);
        if let Some(circle) = circle(&all) {
            return Err(circle);
        }
        let channels = vec![settings.name.clone()];
        self.intake.add(settings.clone());
        self.edit_layout(|layout| layout.add(settings));
        self.wish(Anew { channels, ..Anew::default() });
        Ok(self.channels().len() - 1)
    }

    /// Deletes a channel that is computed from others; one that the board sends stays.
    pub fn remove_computed(&mut self, index: usize) {
        if self.channels().get(index).is_some_and(|channel| channel.settings().formula.is_some()) {
            let name = self.channels()[index].name().to_owned();
            self.interpreter.joint_mut().remove(index);
            self.intake.remove(index);
            self.edit_layout(|_| {});
            self.settings.channel.retain(|channel| channel.name != name);
            // Those that needed it have gaps from now on.
            self.wish(Anew { channels: self.all_names(), ..Anew::default() });
        }
    }

    /// Why a channel cannot have these settings, if it cannot: others would need one another in a circle.
    pub fn circle_with(&self, index: usize, settings: &ChannelSettings) -> Option<String> {
        let own = |(i, channel)| if i == index { settings } else { Channel::wished(channel) };
        circle(&self.channels().iter().enumerate().map(own).collect::<Vec<_>>())
    }

    /// Sets what counts as a level; those of the history are found anew.
    pub fn set_levels(&mut self, rule: LevelRule) {
        self.intake.rule = rule;
        self.wish(Anew { levels: true, ..Anew::default() });
    }

    /// Lets two channels change places.
    pub fn swap_channels(&mut self, a: usize, b: usize) {
        let count = self.intake.channels.len();
        if a < count && b < count {
            self.interpreter.joint_mut().swap(a, b);
            self.intake.swap(a, b);
            self.intake.watching.conditions.follow(self.interpreter.joint().layout().channels());
            self.begin_again();
        }
    }

    /// Sets where rows get their time from; the history is timed anew.
    pub fn set_time(&mut self, time: Time) {
        self.settings.time = time;
        self.wish(Anew { times: true, ..Anew::default() });
    }

    /// Sets what is watched for; the events of the history are found anew.
    pub fn set_conditions(&mut self, conditions: Vec<Condition>) {
        self.settings.condition = conditions;
        self.wish(Anew { conditions: true, ..Anew::default() });
    }

    /// Time has passed until `now`, by the clock that stamps bytes: silence may have come about.
    pub fn tick(&mut self, now: Stamp) {
        self.intake.watching.tick(now);
    }

    /// The events of rows that came since the last call, those of the history left out; and how many more there were than
    /// anybody could answer.
    pub fn take_fired(&mut self) -> (Vec<Event>, u64) {
        self.intake.watching.take_fired()
    }

    /// Lets these be the channels for which settings are known, besides those that are there.
    pub fn set_known(&mut self, channels: Vec<ChannelSettings>) {
        self.settings.channel = channels;
    }

    /// Changes how the wire is set, which changes nothing of what came.
    pub fn edit_wire(&mut self, edit: impl FnOnce(&mut WireSettings)) {
        edit(&mut self.settings.wire);
    }

    /// Changes how much history is kept; less is let go of with the next bytes.
    pub fn set_limits(&mut self, limits: Limits) {
        self.intake.store.set_limits(limits);
    }

    /// Moves what of the history never changes away, as far as there is room, when it takes more than `most` bytes in
    /// memory.
    pub fn move_away(&mut self, most: usize, to: &mut dyn Spill) {
        if self.size() <= most {
            return;
        }
        let intake = &mut self.intake;
        intake.store.move_away(to);
        for (column, channel) in intake.channels.iter_mut().enumerate() {
            channel.move_away(&intake.store, column, to);
        }
    }
}

/// All that a screen shows of a chain.
#[cfg(test)]
fn told(chain: &Chain) -> String {
    let store = chain.store();
    let counts = chain.counts();
    let counts = [counts.bytes, counts.skipped, counts.cut_off, counts.rows, counts.lines, counts.rejected()];
    let mut text = format!("{:?} {counts:?} {:?}\n", store.rows(), chain.live_settings());
    text += &format!("{:?}\n", chain.events());
    for channel in 0..chain.channels().len() {
        let known = &chain.channels()[channel];
        text += &format!("{} {:?} {:?}\n", known.name(), known.levels().found(), known.watcher().now().side);
        for row in store.rows().step_by(13).chain(store.rows().rev().take(3)) {
            let drawn = (known.scaled().get(row), known.smoothed().and_then(|series| series.get(row)));
            let broken = store.breaks_before(row);
            text += &format!("{:?} {broken} {:?} {drawn:?}\n", store.time(row), chain.reading(channel, row));
        }
    }
    text
}

#[cfg(test)]
#[path = "chain_tests.rs"]
mod tests;

#[cfg(test)]
#[path = "model_tests.rs"]
mod model_tests;
