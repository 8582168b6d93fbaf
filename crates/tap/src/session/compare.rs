//! The takes that are compared with what is watched.

use super::loading::chain_of;
use super::tasks::Task;
use super::{Session, Source, name_of};
use crate::comparison::{Compared, Found, OneRun, Wish, Work};
use amber_core::digits::counted;
use amber_core::watch::condition::Condition;
use std::path::{Path, PathBuf};

/// The takes that were read for a comparison.
#[derive(Debug, Default)]
pub(crate) struct Comparing {
    pub(crate) runs: Vec<Compared>,
    /// The conditions that were set when they were read.
    conditions: Vec<Condition>,
    /// They are being read.
    pub(crate) is_reading: bool,
    /// Raised with each change of them.
    pub(crate) revision: u64,
    /// What was worked out last, and whether more is under way.
    pub(crate) found: Option<Found>,
    works: bool,
}

/// The takes that were read, or why one was not.
#[derive(Debug)]
pub(crate) struct ComparedRead(Vec<Result<Compared, String>>);

/// Reads takes, each through the settings that it was made with, and with these conditions besides its own.
pub(super) fn read_compared(folders: &[PathBuf], conditions: &[Condition]) -> ComparedRead {
    ComparedRead(folders.iter().map(|folder| one_compared(folder, conditions)).collect())
}

/// The first take in a folder.
fn one_compared(folder: &Path, conditions: &[Condition]) -> Result<Compared, String> {
    let takes = amber_io::take::open_all(folder).map_err(|error| error.to_string())?;
    let (_, mut take) = takes.into_iter().next().ok_or("there is no take in it")?;
    if let Some(source) = take.bench.sources.first_mut() {
        // A condition that is set now means the same in all takes.
        source.condition.retain(|own| conditions.iter().all(|other| other.name != own.name));
        source.condition.extend_from_slice(conditions);
    }
    let chain = chain_of(&take, &take.bench, 0).map_err(|error| error.to_string())?;
    Ok(Compared { name: name_of(folder), chain, marks: take.marks })
}

impl Session {
    /// Reads the takes that were chosen.
    ///
    /// # Errors
    /// Why there is nothing to compare.
    pub(crate) fn read_compared(&mut self) -> Result<(), String> {
        if self.takes.chosen.is_empty() {
            return Err("no take is added yet: v, takes, then a adds one to the comparison".into());
        }
        self.comparing.is_reading = true;
        self.comparing.conditions = self.chain().conditions().settings().to_vec();
        self.do_task(Task::Compare(self.takes.chosen.clone(), self.comparing.conditions.clone()));
        Ok(())
    }

    /// Reads them again where other conditions are set by now.
    pub(crate) fn follow_conditions_compared(&mut self) {
        let is_other = self.comparing.conditions != self.chain().conditions().settings();
        if is_other && !self.comparing.is_reading && !self.takes.chosen.is_empty() {
            // There is something to read.
            let _ = self.read_compared();
        }
    }

    pub(super) fn compared_read(&mut self, read: ComparedRead) {
        let mut wrong = Vec::new();
        let mut runs = Vec::new();
        for own in read.0 {
            match own {
                Ok(run) => runs.push(run),
                Err(why) => wrong.push(why),
            }
        }
        self.comparing.runs = runs;
        self.comparing.is_reading = false;
        self.comparing.revision += 1;
        match wrong.first() {
            Some(why) => self.say(format!("{} not read: {why}", counted(wrong.len() as u64, "take")), true),
            None => self.refresh_soon(),
        }
    }

    /// What is watched and the takes that were read, as runs of the selected channel.
    pub(crate) fn runs(&self) -> Vec<OneRun<'_>> {
        let Some(title) = self.channel().map(|channel| channel.title()) else { return Vec::new() };
        let own = OneRun {
            name: self.own_name(),
            chain: self.chain(),
            marks: &self.marks,
            channel: Some(self.selected.channel),
        };
        let others = self.comparing.runs.iter().map(|run| OneRun::of(&run.name, &run.chain, &run.marks, title));
        [own].into_iter().chain(others).collect()
    }

    /// Has a comparison worked out, unless it has been, or another one is under way; its turn comes then.
    pub(crate) fn work_out(&mut self, wish: Wish) {
        let is_done = self.comparing.found.as_ref().is_some_and(|found| found.wish == wish);
        if is_done || self.comparing.works {
            return;
        }
        let work = Work::new(wish, &self.runs(), self.comparing.found.as_ref());
        self.comparing.works = true;
        self.do_task(Task::Outcomes(Box::new(work)));
    }

    /// A comparison was worked out; nothing comes of runs without rows.
    pub(super) fn worked_out(&mut self, found: Option<Found>) {
        self.comparing.works = false;
        if found.is_some() {
            self.comparing.found = found;
        }
    }

    /// What is watched, in a word.
    fn own_name(&self) -> &str {
        match self.source() {
            Source::Take(take) => take.folder.file_name().and_then(|name| name.to_str()).unwrap_or("take"),
            Source::Live { .. } => "live",
        }
    }
}
