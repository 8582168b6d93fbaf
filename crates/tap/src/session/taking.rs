//! The running take, as far as the screen knows of it.

use super::{Request, Session, Source};
use amber_core::Stamp;
use amber_core::ask::Asker;
use amber_core::bench::{Kind, Split};
use amber_core::digits::{self, duration, fixed, with_unit};
use amber_core::keep::Pace;
use amber_io::take::{Mark, Report, Summary, TakeError, TakePlace};
use std::path::{Path, PathBuf};

/// Whether a take runs.
#[derive(Debug, Default)]
pub(crate) enum Taking {
    /// None.
    #[default]
    No,
    /// It waits: until this moment, or for an event.
    Waiting { until: Option<Stamp> },
    /// Asked for, not yet there.
    Starting,
    /// Running.
    Yes {
        folder: PathBuf,
        since: Stamp,
        /// As last written through.
        saved: Option<Summary>,
    },
}

impl Taking {
    pub(crate) fn runs(&self) -> bool {
        !matches!(self, Taking::No)
    }
}

/// The last part of a take's path, which people know it by.
pub(crate) fn name_of(folder: &Path) -> String {
    folder.file_name().map_or_else(|| folder.display().to_string(), |name| name.to_string_lossy().into_owned())
}

/// A row that is older than this, or than some rows, says nothing of a moment any more, in seconds.
const FRESH: f64 = 1.0;

impl Session {
    /// A mark at a moment, with what every channel said then; one whose last row is long past is left out.
    pub(crate) fn mark_at(&self, at: Stamp, note: String) -> Mark {
        let mut values = Vec::new();
        for id in self.channel_ids().filter(|id| self.channel_at(*id).kind() != Kind::Clock) {
            let (chain, channel) = (self.chain_at(id.source), self.channel_at(id));
            let store = chain.store();
            let row = store.between(at, at).end.checked_sub(1);
            let Some((row, then)) = row.and_then(|row| Some((row, store.time(row)?))) else { continue };
            let fresh = FRESH.max(10.0 * chain.interval().unwrap_or(0.0));
            let value = channel.output().get(row).filter(|value| value.is_finite() && at.seconds_since(then) <= fresh);
            let Some(value) = value else { continue };
            let unit = channel.settings().scale.unit();
            let said =
                channel.word(value).map_or_else(|| with_unit(fixed(value, channel.decimals()), unit), str::to_owned);
            values.push(format!("{} {said}", self.title(id)));
        }
        Mark { number: 0, at, note, values: values.join("; ") }
    }

    /// Sets how the selected source's lines are laid out, for the history too.
    pub(crate) fn set_split(&mut self, split: Split) {
        self.touch();
        self.set_split_of(self.place(), split);
    }

    /// The same for the source at `place`.
    pub(crate) fn set_split_of(&mut self, place: usize, split: Split) {
        match &self.watched.at(place).source {
            Source::Take(_) => self.split_take(place, split),
            Source::Live { .. } => self.watched.at_mut(place).chain.set_split(split),
        }
        self.show_afresh(place);
    }

    /// The rows of the source at `place` have other numbers and channels now.
    pub(crate) fn show_afresh(&mut self, place: usize) {
        if place == self.place() {
            self.selected.channel = 0;
        }
        self.lane_axes.clear();
        self.known.clear();
    }

    /// Starts a take, or ends the one that runs.
    pub(crate) fn toggle_take(&mut self) -> Vec<Request> {
        if self.is_take() {
            self.say("this is a take already: watch a port to make another", true);
            return Vec::new();
        }
        if let Taking::Waiting { .. } = self.taking {
            self.taking = Taking::No;
            self.say("the take that waited is cancelled", false);
            return Vec::new();
        }
        if self.taking.runs() {
            return vec![Request::StopTake];
        }
        let (expected, fits) = self.expected();
        let requests = self.begin_take();
        if !fits {
            self.say(format!("the take becomes {expected}"), true);
        }
        requests
    }

    /// Starts a take now.
    pub(super) fn start_take(&mut self) -> Vec<Request> {
        self.taking = Taking::Starting;
        self.stopped = 0;
        // What a board only says when it changes is to be in the take from its beginning on.
        self.watched.iter_mut().filter_map(|watched| watched.asker.as_mut()).for_each(Asker::ask_states);
        let place = TakePlace::Next(self.folder.clone());
        vec![Request::StartTake { place, benches: self.pinned_benches() }]
    }

    /// The keeper of the source at `place` reports. A take of several sources is a folder of takes, one for each.
    pub(crate) fn hear_keeper(&mut self, place: usize, report: Report) -> Vec<Request> {
        let several = self.sources() > 1;
        match report {
            Report::Started { folder, since } => {
                let whole = if several { folder.parent().map(PathBuf::from) } else { None }.unwrap_or(folder);
                if !matches!(self.taking, Taking::Yes { .. }) {
                    let name = name_of(&whole);
                    let what = match self.shared().keep.pace {
                        Pace::Every(1) => "every byte and row is kept",
                        _ => "every byte is kept, and rows as planned,",
                    };
                    let back = self.now.seconds_since(since);
                    let asked = self.shared().keep.before;
                    let before = match () {
                        () if asked <= 0.0 => String::new(),
                        () if back + 1.0 < asked => {
                            format!("; only {} before it were in memory", duration(back.round()))
                        }
                        () => format!("; with {} from before", duration(asked)),
                    };
                    self.say(format!("{name} runs: {what} in {}{before}", whole.display()), false);
                    self.takes.folders.insert(0, whole.clone());
                    self.taking = Taking::Yes { folder: whole, since, saved: None };
                    self.marks.clear();
                    self.stations.list.clear();
                    self.summaries = vec![None; self.sources()];
                }
            }
            Report::Moved(folder) => {
                let name = self.follow_take(folder);
                self.say(format!("the folder of the take was renamed: it goes on as {name}"), false);
            }
            Report::Renewed { error, folder, since: begins, missing } => {
                let name = self.follow_take(folder);
                if let Taking::Yes { since, .. } = &mut self.taking {
                    *since = begins;
                }
                let lost = if missing > 0.0 {
                    format!("without its first {}", duration(missing.round()))
                } else {
                    "with all its rows".to_owned()
                };
                let what = match &error {
                    TakeError::Damaged { path, what } => format!("{} {what} by another program", name_of(path)),
                    _ => "the folder of the take was moved or deleted".to_owned(),
                };
                self.say(format!("{what}: the take goes on in {name}, {lost}"), true);
            }
            Report::Saved(summary) => self.note_summary(place, summary),
            // Each keeper sets the same mark.
            Report::Marked(mark) if place == 0 => {
                self.say(format!("mark {} set", mark.number), false);
                self.marks.push(mark);
            }
            Report::Marked(_) => {}
            Report::Stopped(summary) => {
                self.note_summary(place, summary);
                self.stopped += 1;
                if self.stopped >= self.sources()
                    && let Taking::Yes { saved: Some(summary), .. } = std::mem::take(&mut self.taking)
                {
                    self.stopped = 0;
                    self.say(format!("{} ended: {}", name_of(&summary.folder), in_words(&summary)), false);
                }
            }
            Report::Failed { error, kept } => {
                self.take_failed(&error, kept.as_ref());
                // Half of a take is of no use: the others end too.
                return if several { vec![Request::StopTake] } else { Vec::new() };
            }
        }
        Vec::new()
    }

    /// Takes note of what the take of one source holds, and adds up.
    fn note_summary(&mut self, place: usize, summary: Summary) {
        let Taking::Yes { folder, saved, .. } = &mut self.taking else { return };
        self.summaries.resize(self.watched.count(), None);
        self.summaries.iter_mut().skip(place).take(1).for_each(|own| *own = Some(summary.clone()));
        let sum = self.summaries.iter().flatten().cloned().reduce(|mut all, one| {
            all.bytes += one.bytes;
            all.size += one.size;
            all.tally.rows += one.tally.rows;
            all.tally.rejected += one.tally.rejected;
            all.tally.messages += one.tally.messages;
            all.tally.events += one.tally.events;
            all.tally.late_values += one.tally.late_values;
            all.seconds = all.seconds.max(one.seconds);
            all
        });
        *saved = sum.map(|sum| Summary { folder: folder.clone(), ..sum });
    }

    /// The running take is in another folder now, or that of one of its sources is; gives its name.
    fn follow_take(&mut self, own: PathBuf) -> String {
        let whole = if self.sources() > 1 { own.parent().map(PathBuf::from) } else { None };
        let whole = whole.unwrap_or_else(|| own.clone());
        if let Taking::Yes { folder, .. } = &mut self.taking {
            let before = std::mem::replace(folder, whole.clone());
            self.takes.folders.retain(|known| *known != before);
            self.takes.folders.insert(0, whole);
        }
        name_of(&own)
    }

    fn take_failed(&mut self, error: &TakeError, kept: Option<&Summary>) {
        self.taking = Taking::No;
        self.stopped = 0;
        let kept = kept.map(|summary| format!("; {} keeps {}", name_of(&summary.folder), in_words(summary)));
        self.say(format!("no take runs: {error}{}", kept.unwrap_or_default()), true);
    }
}

/// A take's content in a few words.
pub(crate) fn in_words(summary: &Summary) -> String {
    let tally = summary.tally;
    let mut text = format!("{}, {}", digits::counted(tally.rows, "row"), digits::bytes(summary.bytes));
    text += &format!(", {}", digits::duration(summary.seconds.round()));
    if tally.events > 0 {
        text += &format!(", {}", digits::counted(tally.events, "event"));
    }
    if tally.rejected > 0 {
        text += &format!(", {} rejected", digits::counted(tally.rejected, "line"));
    }
    if tally.late_values > 0 {
        text += &format!(", {} of late channels in late.csv", digits::counted(tally.late_values, "value"));
    }
    text
}
