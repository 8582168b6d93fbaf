//! Undoing and redoing: every change of settings from the keyboard is remembered as the settings before it.

use super::tools::Known;
use super::{App, Effect};
use amber_core::Stamp;
use amber_core::bench::{Bench, ChannelSettings};
use std::path::PathBuf;

/// Changes that are remembered.
const DEPTH: usize = 200;

/// Nudges of one setting that follow one another within so many seconds are one change.
const TOGETHER: f64 = 1.5;

/// What was changed.
#[derive(Debug, Default)]
pub(crate) struct Undo {
    done: Vec<Moment>,
    undone: Vec<Moment>,
    /// When the last change was a nudge, and of what.
    nudged: Option<(Stamp, (super::Stage, usize))>,
}

/// All that can be undone: the settings without the zoom, what was typed for a calibration, where files go.
#[derive(Debug, PartialEq)]
struct Moment {
    bench: Bench,
    known: Known,
    folder: PathBuf,
    takes_back: bool,
}

impl App {
    fn moment(&self) -> Moment {
        let mut bench = self.bench();
        bench.screen.span = 0.0;
        let (known, folder) = (self.calibrating.known.clone(), self.folder.clone());
        Moment { bench, known, folder, takes_back: self.takes_back }
    }

    /// Does something and remembers what it changed.
    pub(super) fn remembering(&mut self, nudges: bool, run: impl FnOnce(&mut App) -> Vec<Effect>) -> Vec<Effect> {
        let before = self.moment();
        let effects = run(self);
        if self.moment() == before {
            return effects;
        }
        let place = self.panel.filter(|_| nudges);
        let goes_on = self.undo.nudged.is_some_and(|(at, what)| {
            Some(what) == place && self.now.seconds_since(at) < TOGETHER && self.undo.undone.is_empty()
        });
        self.undo.nudged = place.map(|what| (self.now, what));
        self.undo.undone.clear();
        if !goes_on {
            self.undo.done.push(before);
            if self.undo.done.len() > DEPTH {
                self.undo.done.remove(0);
            }
        }
        effects
    }

    /// Takes back the last change, or does again what was taken back last.
    pub(super) fn undo(&mut self, again: bool) -> Vec<Effect> {
        let found = if again { self.undo.undone.pop() } else { self.undo.done.pop() };
        let Some(moment) = found else {
            self.say(if again { "nothing to do again" } else { "nothing to undo" }, true);
            return Vec::new();
        };
        let now = self.moment();
        let what = match (now.bench != moment.bench, now.known != moment.known) {
            (true, _) => difference(&now.bench, &moment.bench),
            (false, true) => "what was typed for a level".into(),
            (false, false) => "folder, or lending".into(),
        };
        (self.calibrating.known, self.folder, self.takes_back) = (moment.known, moment.folder, moment.takes_back);
        let effects = self.apply(moment.bench);
        self.undo.nudged = None;
        let word = if again { "done again" } else { "undone" };
        let left = if again { self.undo.undone.len() } else { self.undo.done.len() };
        if again {
            self.undo.done.push(now)
        } else {
            self.undo.undone.push(now)
        }
        self.say(format!("{word}: {what} ({left} more)"), false);
        effects
    }

    /// Takes settings over from a bench.
    fn apply(&mut self, bench: Bench) -> Vec<Effect> {
        let mut effects = Vec::new();
        let span = self.chain.settings().screen.span;
        for (place, mut part) in bench.parts().into_iter().enumerate().take(self.sources()) {
            part.screen.span = span;
            self.at_place(place, |app| {
                if part.source != app.chain.settings().source {
                    effects.push(Effect::Open(place, part.source.clone()));
                }
                app.apply_part(part);
            });
        }
        self.selected = self.selected.min(self.chain.channels().len().saturating_sub(1));
        effects
    }

    /// The same for the source at hand.
    fn apply_part(&mut self, part: Bench) {
        let now = self.chain.bench();
        if part.history != now.history {
            self.chain.set_limits(|limits| *limits = part.history);
        }
        let (split, time, channels) = (part.split.clone(), part.time.clone(), part.channel.clone());
        let levels = part.levels;
        let (own_split, own_time, own_levels) = (now.split.clone(), now.time.clone(), now.levels);
        self.chain.edit_bench(|bench| *bench = Bench { split: own_split.clone(), time: own_time.clone(), ..part });
        if split != own_split {
            self.set_split(split);
        }
        if time != own_time {
            self.chain.set_time(time);
        }
        if levels != own_levels {
            self.chain.set_levels(levels);
        }
        self.apply_channels(&channels);
    }

    fn apply_channels(&mut self, channels: &[ChannelSettings]) {
        let wanted = |name: &str| channels.iter().find(|channel| channel.name == name);
        for index in (0..self.chain.channels().len()).rev() {
            if wanted(self.chain.channels()[index].name()).is_none() {
                self.chain.remove_computed(index);
            }
        }
        for settings in channels {
            let at = self.chain.channels().iter().position(|channel| channel.name() == settings.name);
            match at {
                Some(at) => self.with_channel(at, |own| *own = settings.clone()),
                None if settings.formula.is_some() => {
                    // It was there before, so it makes no circle.
                    let _ = self.chain.add_computed(settings.clone());
                }
                None => {}
            }
        }
        let known = |app: &App, name: &str| app.chain.channels().iter().position(|channel| channel.name() == name);
        let mut place = 0;
        for settings in channels {
            if let Some(at) = known(self, &settings.name) {
                self.chain.swap_channels(place, at);
                place += 1;
            }
        }
    }
}

/// In a few words, what differs between two benches.
fn difference(a: &Bench, b: &Bench) -> String {
    let other = |channel: &ChannelSettings, bench: &Bench| bench.channel(&channel.name).cloned();
    for channel in &a.channel {
        let title = channel.title();
        match other(channel, b) {
            None => return format!("channel {title}"),
            Some(theirs) if theirs == *channel => {}
            Some(theirs) if theirs.scale != channel.scale => return format!("scale of {title}"),
            Some(theirs) if theirs.formula != channel.formula => return format!("formula of {title}"),
            Some(theirs) if theirs.smooth != channel.smooth => return format!("smoothing of {title}"),
            Some(theirs) if theirs.watch != channel.watch => return format!("watch of {title}"),
            Some(_) => return format!("settings of {title}"),
        }
    }
    if let Some(gone) = b.channel.iter().find(|channel| other(channel, a).is_none()) {
        return format!("channel {}", gone.title());
    }
    let parts = [
        (a.channel != b.channel, "order of channels"),
        (a.lane != b.lane, "y axis"),
        (a.split != b.split, "shape"),
        (a.time != b.time, "time of rows"),
        (a.source != b.source, "source"),
        (a.say != b.say, "lines to send"),
        (a.name != b.name, "name of the bench"),
        (a.history != b.history, "history"),
        (a.levels != b.levels, "levels"),
        (a.keep != b.keep, "what is kept"),
        (a.screen != b.screen, "what is shown"),
    ];
    parts.into_iter().find(|(differs, _)| *differs).map_or("settings", |(_, what)| what).into()
}
