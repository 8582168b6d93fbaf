//! Undoing and redoing: every change of settings from the keyboard is remembered as the settings before it.

use super::{ChannelId, Request, Session};
use amber_core::Stamp;
use amber_core::bench::{Bench, ChannelSettings, SourceSettings};
use std::collections::HashMap;
use std::path::PathBuf;

/// Changes that are remembered.
const DEPTH: usize = 200;

/// Nudges of one setting that follow one another within so many seconds are one change.
const TOGETHER: f64 = 1.5;

/// For each channel, by its title: a row in the middle of a level, and the true value of that level. Rows keep their
/// numbers when levels are found anew by another rule.
pub(crate) type Known = HashMap<String, Vec<(u64, f64)>>;

/// What was changed.
#[derive(Debug, Default)]
pub(crate) struct Undo {
    /// Goes up with each change of settings.
    revision: u64,
    /// The settings before the change that is being made.
    before: Option<Moment>,
    done: Vec<Moment>,
    undone: Vec<Moment>,
    /// What is being nudged.
    nudging: Option<Nudged>,
    /// When the last change was a nudge, and of what.
    nudged: Option<(Stamp, Nudged)>,
}

/// What is nudged: the number of a room, and of the setting there.
pub(crate) type Nudged = (usize, usize);

/// All that can be undone: the settings without the zoom, what was typed for a calibration, where files go.
#[derive(Debug)]
struct Moment {
    bench: Bench,
    known: Known,
    folder: PathBuf,
    takes_back: bool,
}

impl Session {
    fn moment(&self) -> Moment {
        let mut bench = self.bench();
        bench.shared.screen.span = 0.0;
        let (known, folder) = (self.known.clone(), self.folder.clone());
        Moment { bench, known, folder, takes_back: self.takes_back }
    }

    /// Goes up with each change of settings.
    pub(crate) fn revision(&self) -> u64 {
        self.undo.revision
    }

    /// Something that can be undone is about to be changed.
    pub(super) fn touch(&mut self) {
        self.undo.revision += 1;
        if self.undo.before.is_none() {
            self.undo.before = Some(self.moment());
        }
    }

    /// What is being changed is this setting, moved a little: such changes that follow one another are undone as one.
    pub(crate) fn is_nudge(&mut self, of: Nudged) {
        self.undo.nudging = Some(of);
    }

    /// What was changed since the last call can be undone as one change.
    pub(crate) fn remember_change(&mut self) {
        let nudged = self.undo.nudging.take();
        let Some(before) = self.undo.before.take() else { return };
        let goes_on = self.undo.nudged.is_some_and(|(at, what)| {
            Some(what) == nudged && self.now.seconds_since(at) < TOGETHER && self.undo.undone.is_empty()
        });
        self.undo.nudged = nudged.map(|what| (self.now, what));
        self.undo.undone.clear();
        if !goes_on {
            self.undo.done.push(before);
            if self.undo.done.len() > DEPTH {
                self.undo.done.remove(0);
            }
        }
    }

    /// Undoes the last change, or redoes what was undone last.
    pub(crate) fn undo(&mut self, redo: bool) -> Vec<Request> {
        let found = if redo { self.undo.undone.pop() } else { self.undo.done.pop() };
        let Some(moment) = found else {
            self.say(if redo { "nothing to redo" } else { "nothing to undo" }, true);
            return Vec::new();
        };
        let now = self.moment();
        let what = match (now.bench != moment.bench, now.known != moment.known) {
            (true, _) => difference(&now.bench, &moment.bench),
            (false, true) => "true value of a level".into(),
            (false, false) => "folder, or lending".into(),
        };
        (self.known, self.folder, self.takes_back) = (moment.known, moment.folder, moment.takes_back);
        let requests = self.apply(moment.bench);
        self.undo.nudged = None;
        self.undo.before = None;
        self.undo.revision += 1;
        let word = if redo { "redone" } else { "undone" };
        let left = if redo { self.undo.undone.len() } else { self.undo.done.len() };
        if redo {
            self.undo.done.push(now)
        } else {
            self.undo.undone.push(now)
        }
        self.say(format!("{word}: {what} ({left} more)"), false);
        requests
    }

    /// Takes settings over from a bench.
    fn apply(&mut self, bench: Bench) -> Vec<Request> {
        let span = self.shared.screen.span;
        self.shared = bench.shared;
        self.shared.screen.span = span;
        self.apply_limits();
        self.apply_levels();
        let mut requests = Vec::new();
        for (place, settings) in bench.sources.into_iter().enumerate().take(self.sources()) {
            if settings.wire != self.chain_at(place).settings().wire {
                requests.push(Request::Open(place, settings.wire.clone()));
            }
            self.apply_source(place, settings);
        }
        self.selected.channel = self.selected.channel.min(self.chain().channels().len().saturating_sub(1));
        requests
    }

    /// The same for the source at `place`.
    fn apply_source(&mut self, place: usize, settings: SourceSettings) {
        let SourceSettings { wire, split, time, channel, condition } = settings;
        let now = self.chain_at(place).settings().clone();
        self.watched.at_mut(place).chain.edit_wire(|own| *own = wire);
        if split != now.split {
            self.set_split_of(place, split);
        }
        if time != now.time {
            self.watched.at_mut(place).chain.set_time(time);
        }
        self.apply_channels(place, &channel);
        if condition != now.condition {
            self.watched.at_mut(place).chain.set_conditions(condition);
        }
        self.watched.at_mut(place).chain.set_known(channel);
    }

    pub(super) fn apply_channels(&mut self, place: usize, channels: &[ChannelSettings]) {
        let wanted = |name: &str| channels.iter().any(|channel| channel.name == name);
        let at = |session: &Session, name: &str| {
            session.chain_at(place).channels().iter().position(|own| own.name() == name)
        };
        for index in (0..self.chain_at(place).channels().len()).rev() {
            if !wanted(self.channel_at(ChannelId { source: place, channel: index }).name()) {
                self.watched.at_mut(place).chain.remove_computed(index);
            }
        }
        for settings in channels {
            match at(self, &settings.name) {
                Some(channel) => {
                    self.with_channel(ChannelId { source: place, channel }, |own| *own = settings.clone());
                }
                None if settings.formula.is_some() => {
                    // It was there before, so it makes no circle.
                    let _ = self.watched.at_mut(place).chain.add_computed(settings.clone());
                }
                None => {}
            }
        }
        let mut to = 0;
        for settings in channels {
            if let Some(from) = at(self, &settings.name) {
                if to != from {
                    self.watched.at_mut(place).chain.swap_channels(to, from);
                }
                to += 1;
            }
        }
    }
}

/// In a few words, what differs between two benches.
fn difference(a: &Bench, b: &Bench) -> String {
    for (a, b) in a.sources.iter().zip(&b.sources) {
        if let Some(what) = difference_of_source(a, b) {
            return what;
        }
    }
    let (a, b) = (&a.shared, &b.shared);
    let parts = [
        (a.lane != b.lane, "y axis"),
        (a.command != b.command, "lines to send"),
        (a.name != b.name, "name of the bench"),
        (a.history != b.history, "history"),
        (a.levels != b.levels, "levels"),
        (a.keep != b.keep, "what is kept"),
        (a.figure != b.figure, "figures"),
        (a.screen != b.screen, "what is shown"),
    ];
    parts.into_iter().find(|(differs, _)| *differs).map_or("settings", |(_, what)| what).into()
}

fn difference_of_source(a: &SourceSettings, b: &SourceSettings) -> Option<String> {
    for channel in &a.channel {
        let title = channel.title();
        match b.channel(&channel.name) {
            None => return Some(format!("channel {title}")),
            Some(theirs) if theirs == channel => {}
            Some(theirs) if theirs.scale != channel.scale => return Some(format!("scale of {title}")),
            Some(theirs) if theirs.formula != channel.formula => return Some(format!("formula of {title}")),
            Some(theirs) if theirs.smooth != channel.smooth => return Some(format!("smoothing of {title}")),
            Some(theirs) if theirs.watch != channel.watch => return Some(format!("watch of {title}")),
            Some(_) => return Some(format!("settings of {title}")),
        }
    }
    if let Some(gone) = b.channel.iter().find(|channel| a.channel(&channel.name).is_none()) {
        return Some(format!("channel {}", gone.title()));
    }
    let parts = [
        (a.channel != b.channel, "order of channels"),
        (a.condition != b.condition, "conditions"),
        (a.split != b.split, "shape"),
        (a.time != b.time, "time of rows"),
        (a.wire != b.wire, "source"),
    ];
    parts.into_iter().find(|(differs, _)| *differs).map(|(_, what)| what.into())
}
