//! The takes in the folder, and what is done with them.

use super::tasks::Task;
use super::{Session, Source, Taking, name_of};
use crate::choose::takes_in;
use amber_core::bench::Bench;
use amber_core::work::Ticket;
use amber_io::take::{Glance, OpenedTake, delete, glance, rename, save_reading, set_note};
use std::path::{Path, PathBuf};

/// Takes that are listed.
pub(crate) const LISTED: usize = 200;

/// What is known of the takes in the folder.
#[derive(Debug, Default)]
pub(crate) struct Takes {
    /// Where they are, unless that is where takes go.
    pub(crate) shelf: Option<PathBuf>,
    /// Their folders, the newest first.
    pub(crate) folders: Vec<PathBuf>,
    /// What they show at a glance, where they were looked at.
    pub(crate) glances: Vec<Glance>,
    /// They are being looked at.
    pub(crate) is_listing: bool,
    /// Those that are to be compared.
    pub(crate) chosen: Vec<PathBuf>,
}

/// Takes that can be compared at once.
const COMPARED: usize = 5;

/// What is done with a take on the disk.
#[derive(Debug)]
pub(crate) enum TakeChange {
    Rename(PathBuf, String),
    Note(PathBuf, String),
    Delete(PathBuf),
    /// Its bytes are read with these settings, and that is kept within it.
    Reading(Box<OpenedTake>, Box<Bench>),
}

/// The takes in a folder, after what was to be done with one of them.
#[derive(Debug)]
pub(crate) struct TakesSeen {
    folder: PathBuf,
    glances: Vec<Glance>,
    said: Option<Result<String, String>>,
}

/// Does what is to be done with a take, and looks at all in the folder.
pub(super) fn change_and_list(folder: PathBuf, change: Option<TakeChange>) -> TakesSeen {
    let said = change.map(|change| {
        match change {
            TakeChange::Rename(take, name) => {
                rename(&take, &name).map(|_| format!("{} is named {name} now", name_of(&take)))
            }
            TakeChange::Note(take, text) => {
                set_note(&take, &text).map(|()| format!("the note of {} is kept", name_of(&take)))
            }
            TakeChange::Delete(take) => delete(&take).map(|left| match left.len() {
                0 => format!("{} is deleted", name_of(&take)),
                _ => format!("{} is deleted, but for what is not of a take: {}", name_of(&take), left.join(", ")),
            }),
            TakeChange::Reading(take, bench) => save_reading(&take, &bench, &Ticket::default())
                .map(|folder| format!("another reading is kept in {}", folder.display())),
        }
        .map_err(|error| error.to_string())
    });
    let glances = takes_in(&folder, LISTED).iter().map(|take| glance(take)).collect();
    TakesSeen { folder, glances, said }
}

impl Session {
    /// Looks at the takes in the folder again, after `change` was made.
    pub(crate) fn list_takes(&mut self, change: Option<TakeChange>) {
        self.takes.is_listing = true;
        self.do_task(Task::Takes(self.shelf().clone(), change));
    }

    /// The takes were looked at.
    pub(super) fn takes_seen(&mut self, seen: TakesSeen) {
        self.follow_folders();
        match seen.said {
            Some(Ok(text)) => self.say(text, false),
            Some(Err(text)) => self.say(text, true),
            None => {}
        }
        if seen.folder == *self.shelf() {
            self.takes.is_listing = false;
            self.takes.folders = seen.glances.iter().map(|glance| glance.folder.clone()).collect();
            let there = &self.takes.folders;
            self.takes.chosen.retain(|folder| there.contains(folder));
            self.takes.glances = seen.glances;
        }
    }

    /// Whether the take in this folder is being written.
    pub(crate) fn is_written(&self, folder: &Path) -> bool {
        matches!(&self.taking, Taking::Yes { folder: own, .. } if own == folder)
    }

    /// Takes that are watched are found again where their folders were renamed, here or by another program.
    pub(crate) fn follow_folders(&mut self) {
        let mut moved = Vec::new();
        for watched in self.watched.iter_mut() {
            if let Source::Take(take) = &mut watched.source
                && take.follow()
            {
                moved.push(name_of(&take.folder));
            }
        }
        if let Some(name) = moved.first() {
            self.say(format!("the take that is open is called {name} now"), false);
        }
    }

    /// Whether the take in this folder is what is watched or written now.
    pub(crate) fn is_in_use(&self, folder: &Path) -> bool {
        let is_written = self.is_written(folder);
        let is_watched = |source: &Source| matches!(source, Source::Take(take) if take.folder.starts_with(folder));
        is_written || self.watched.iter().any(|watched| is_watched(&watched.source))
    }

    /// Adds a take to those that are compared, or takes it out.
    pub(crate) fn choose_take(&mut self, folder: PathBuf) {
        if self.is_in_use(&folder) {
            return self.say("that is what is watched: it is run 1 of every comparison", true);
        }
        let chosen = &mut self.takes.chosen;
        match chosen.iter().position(|own| *own == folder) {
            Some(place) => drop(chosen.remove(place)),
            None if chosen.len() >= COMPARED => {
                self.say(format!("at most {COMPARED} takes are compared at once: a takes one out"), true);
            }
            None => chosen.push(folder),
        }
    }

    /// Keeps what the settings make of the take that is watched as another reading of it.
    pub(crate) fn keep_reading(&mut self) {
        self.follow_folders();
        let place = self.place();
        let bench = self.pinned_benches().into_iter().nth(place);
        let Some((Source::Take(take), bench)) = self.watched.get(place).map(|own| &own.source).zip(bench) else {
            self.say("only a take has other readings: open one", true);
            return;
        };
        if take.from_table {
            self.say("the bytes of this take are gone, so that it cannot be read in another way", true);
            return;
        }
        let change = TakeChange::Reading(take.clone(), Box::new(bench));
        self.list_takes(Some(change));
    }
}
