//! Saving the settings to a bench file, and what of them is not saved.

use super::{Request, Session, Source, name_of};
use amber_core::bench::Bench;
use std::cell::Cell;
use std::path::{Path, PathBuf};

/// Whether settings were unsaved when that was last looked at: at this revision, with so many channels.
pub(super) type IsUnsaved = Cell<Option<((u64, usize), bool)>>;

impl Session {
    /// Whether settings differ from what is saved. Channels that were merely found do not count, nor does the zoom.
    pub(crate) fn unsaved(&self) -> bool {
        let key = (self.revision(), self.channel_ids().count());
        if let Some((_, is_unsaved)) = self.is_unsaved.get().filter(|(seen, _)| *seen == key) {
            return is_unsaved;
        }
        let plain = |bench: &Bench| {
            let mut bench = bench.clone();
            for (source, chain) in bench.sources.iter_mut().zip(self.chains()) {
                source.channel.retain(|channel| !chain.is_as_found(channel));
                source.channel.sort_by(|a, b| a.name.cmp(&b.name));
                source.wire.usb.clear();
            }
            bench.shared.screen.span = 0.0;
            bench
        };
        let is_unsaved = plain(&self.bench()) != plain(&self.saved_bench);
        self.is_unsaved.set(Some((key, is_unsaved)));
        is_unsaved
    }

    /// These settings are in the file now.
    pub(crate) fn bench_saved(&mut self, path: PathBuf, bench: Bench) {
        self.say(format!("bench saved to {}", path.display()), false);
        (self.bench_file, self.saved_bench) = (Some(path), bench);
        self.is_unsaved.set(None);
    }

    /// The settings that the bench file has, or that were there at the start.
    pub(super) fn forget_changes(&mut self) {
        self.saved_bench = self.bench();
        self.is_unsaved.set(None);
    }

    /// Saves all settings to this file.
    pub(crate) fn write_bench(&self, path: PathBuf, may_replace: bool) -> Request {
        Request::SaveBench { path, bench: Box::new(self.bench()), may_replace }
    }

    /// A file name to offer for the bench.
    pub(crate) fn offered_bench(&self) -> String {
        let named = if self.shared.name.is_empty() { self.watched_name() } else { self.shared.name.clone() };
        let name: String = named.chars().map(|c| if c.is_alphanumeric() { c } else { '-' }).collect();
        let name = name.trim_matches('-');
        format!("{}.bench.toml", if name.is_empty() { "my" } else { name })
    }

    /// What the first source is called by what it is: a board's name, a device, a text, a take.
    fn watched_name(&self) -> String {
        let wire = &self.watched.at(0).chain.settings().wire;
        if let Source::Take(take) = &self.watched.at(0).source {
            return name_of(&take.folder);
        }
        let port = if wire.is_input() { "input" } else { &wire.port };
        let stem = Path::new(port).file_stem().map_or_else(String::new, |stem| stem.to_string_lossy().into_owned());
        if wire.name.is_empty() { stem } else { wire.name.clone() }
    }
}
