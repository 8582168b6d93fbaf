//! The benches used lately and the hints that were seen, remembered beside the person's other program state.

use amber_core::bench::WireSettings;
use amber_io::disk;
use serde::{Deserialize, Serialize};
use std::path::{Path, PathBuf};

/// Benches that are remembered.
const MOST: usize = 20;

/// A bench that was used.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Used {
    /// Its file.
    pub(crate) path: PathBuf,
    /// The source it was used with.
    #[serde(default)]
    pub(crate) port: String,
    /// The board's serial number on USB, where it has one.
    #[serde(default)]
    pub(crate) usb: String,
}

/// What is remembered, newest first.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Recent {
    /// Hints of the first minute that were seen.
    #[serde(default)]
    pub(crate) hints: usize,
    #[serde(default)]
    pub(crate) bench: Vec<Used>,
}

impl Recent {
    /// What is remembered; nothing when there is no such file, or one that makes no sense.
    pub(crate) fn load() -> Recent {
        let text = file().and_then(|path| disk::read(&path, disk::BENCH).ok()).unwrap_or_default();
        let text = String::from_utf8_lossy(&text);
        let mut recent: Recent = toml_edit::de::from_str(&text).unwrap_or_default();
        recent.bench.retain(|used| used.path.is_file());
        recent
    }

    /// The bench used last with the board that has this serial number.
    pub(crate) fn of_board(&self, usb: &str) -> Option<&Used> {
        self.bench.iter().find(|used| !usb.is_empty() && used.usb == usb)
    }

    /// The bench file called `name`: by its name or the beginning of its file's name.
    pub(crate) fn named(&self, name: &str) -> Option<&Used> {
        self.bench.iter().find(|used| stem(&used.path) == name)
    }

    fn note(&mut self, used: Used) {
        self.bench.retain(|old| old.path != used.path);
        self.bench.insert(0, used);
        self.bench.truncate(MOST);
    }
}

/// A bench file's name without its endings.
pub(crate) fn stem(path: &Path) -> String {
    let name = path.file_name().map_or_else(String::new, |name| name.to_string_lossy().into_owned());
    name.strip_suffix(".toml").unwrap_or(&name).trim_end_matches(".bench").to_owned()
}

/// Remembers that the bench in `path` was used with `source`. Where there is nowhere to remember it, it is forgotten.
pub(crate) fn remember(path: &Path, source: &WireSettings) {
    let Ok(path) = std::fs::canonicalize(path) else { return };
    change(|recent| recent.note(Used { path, port: source.port.clone(), usb: source.usb.clone() }));
}

/// Remembers how many hints were seen.
pub(crate) fn remember_hints(seen: usize) {
    change(|recent| recent.hints = recent.hints.max(seen));
}

fn change(change: impl FnOnce(&mut Recent)) {
    let Some(file) = file() else { return };
    let mut recent = Recent::load();
    change(&mut recent);
    if let (Some(folder), Ok(text)) = (file.parent(), toml_edit::ser::to_string_pretty(&recent)) {
        let _ = std::fs::create_dir_all(folder).and_then(|()| disk::replace(&file, text.as_bytes()));
    }
}

fn file() -> Option<PathBuf> {
    Some(state_folder()?.join("recent.toml"))
}

/// `amber-tap` in the folder for program state (the XDG Base Directory Specification).
pub(crate) fn state_folder() -> Option<PathBuf> {
    let set = |name: &str| std::env::var_os(name).filter(|value| !value.is_empty()).map(PathBuf::from);
    let folder = set("XDG_STATE_HOME").or_else(|| set("HOME").map(|home| home.join(".local/state")))?;
    Some(folder.join("amber-tap"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_newest_comes_first_and_a_board_is_known_again() {
        let used = |path: &str, usb: &str| Used { path: path.into(), port: String::new(), usb: usb.into() };
        let mut recent = Recent::default();
        for (path, usb) in [("a.bench.toml", "1"), ("b.toml", "2"), ("a.bench.toml", "2")] {
            recent.note(used(path, usb));
        }
        assert_eq!(recent.bench, [used("a.bench.toml", "2"), used("b.toml", "2")]);
        assert_eq!(recent.of_board("2"), Some(&used("a.bench.toml", "2")));
        assert_eq!((recent.of_board(""), recent.of_board("1")), (None, None));
        assert_eq!(recent.named("b"), Some(&used("b.toml", "2")));
    }
}
