//! The running take, as far as the screen knows of it.

use super::{App, Effect, Overlay, Prompt, Purpose, Source};
use amber_core::Stamp;
use amber_core::bench::{Bench, Split};
use amber_core::chain::Chain;
use amber_core::digits;
use amber_core::store::Limits;
use amber_io::take::{Mark, OpenedTake, Place, Report, Summary, TakeError};
use std::path::{Path, PathBuf};
use tui_input::Input;

/// Whether a take runs.
#[derive(Debug, Default)]
pub(crate) enum Taking {
    /// None.
    #[default]
    No,
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

/// A take with all its rows, seen through its own settings or through `bench`.
pub(crate) fn chain_of(take: &OpenedTake, bench: Option<Bench>) -> Chain {
    let mut chain = Chain::new(bench.unwrap_or_else(|| take.bench.clone()), Limits::NONE);
    let mut sent = take.sent.iter().peekable();
    for piece in &take.pieces {
        while let Some(sent) = sent.next_if(|sent| sent.at <= piece.at) {
            chain.sent(sent.at, &sent.bytes);
        }
        if piece.joined {
            chain.join();
        }
        chain.feed(piece.at, &take.wire[piece.bytes.clone()]);
    }
    chain
}

impl App {
    /// Sets how lines are laid out, for the history too.
    pub(super) fn set_split(&mut self, split: Split) {
        match &self.source {
            Source::Take(take) => {
                let bench = Bench { split, ..self.chain.bench() };
                self.chain = chain_of(take, Some(bench));
            }
            Source::Live { .. } => self.chain.set_split(split),
        }
        self.selected = 0;
        self.axes.clear();
    }

    /// Starts a take, or ends the one that runs.
    pub(super) fn toggle_take(&mut self) -> Vec<Effect> {
        if self.is_take() {
            self.say("this is a take already: watch a port to make another", true);
            return Vec::new();
        }
        if self.taking.runs() {
            return vec![Effect::StopTake];
        }
        self.taking = Taking::Starting;
        let place = Place::Next(self.folder.clone());
        vec![Effect::StartTake { place, bench: Box::new(self.chain.pinned_bench()) }]
    }

    /// Asks for a mark's note; the mark stands at the moment the key was pressed.
    pub(super) fn ask_mark(&mut self) -> Vec<Effect> {
        if !matches!(self.taking, Taking::Yes { .. }) {
            self.say("marks are kept in a take: start one with t", true);
            return Vec::new();
        }
        self.overlays.push(Overlay::Prompt(Prompt {
            title: "mark".into(),
            hint: "a note for this moment; may be empty".into(),
            input: Input::default(),
            purpose: Purpose::Mark(self.now),
        }));
        Vec::new()
    }

    pub(super) fn hear_keeper(&mut self, report: Report) {
        match report {
            Report::Started(folder) => {
                self.say(
                    format!("{} runs: every byte and row is kept in {}", name_of(&folder), folder.display()),
                    false,
                );
                self.taking = Taking::Yes { folder, since: self.now, saved: None };
                self.marks.clear();
            }
            Report::Saved(summary) => {
                if let Taking::Yes { saved, .. } = &mut self.taking {
                    *saved = Some(summary);
                }
            }
            Report::Marked { number, at, note } => {
                self.say(format!("mark {number} set"), false);
                self.marks.push(Mark { number, at, note });
            }
            Report::Stopped(summary) => {
                self.taking = Taking::No;
                self.say(format!("{} ended: {}", name_of(&summary.folder), in_words(&summary)), false);
            }
            Report::Failed { error, kept } => self.take_failed(&error, kept.as_ref()),
        }
    }

    fn take_failed(&mut self, error: &TakeError, kept: Option<&Summary>) {
        self.taking = Taking::No;
        let kept = kept.map(|summary| format!("; {} keeps {}", name_of(&summary.folder), in_words(summary)));
        self.say(format!("no take runs: {error}{}", kept.unwrap_or_default()), true);
    }
}

/// A take's content in a few words.
pub(crate) fn in_words(summary: &Summary) -> String {
    let tally = summary.tally;
    let mut text = format!("{} rows, {}", digits::grouped(tally.rows), digits::bytes(summary.bytes));
    text += &format!(", {}", digits::duration(summary.seconds.round()));
    if tally.refused > 0 {
        text += &format!(", {} lines refused", digits::grouped(tally.refused));
    }
    if tally.late_fields > 0 {
        text += &format!(", {} fields of late channels only in wire.bin", digits::grouped(tally.late_fields));
    }
    text
}
