//! Names, notes and the end of takes that are there. A take that is being written is left alone.

use super::glance::LONGEST_NOTE;
use super::reader::{being_written, parts};
use super::{
    ABOUT, BENCH, EVENTS, EVENTS_METADATA, GAPS, LATE, MARKS, METADATA, NOTE, READINGS, SENT, STAMPS, STATIONS,
    TakeError, WIRE,
};
use crate::disk;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

/// The longest name of a folder.
const LONGEST_NAME: usize = 80;

/// What is wrong with a name for a take, if anything.
pub fn name_fault(name: &str) -> Option<&'static str> {
    let is_plain = !name.is_empty()
        && name.len() <= LONGEST_NAME
        && !name.starts_with(['.', '-'])
        && name.chars().all(|c| c.is_alphanumeric() || " ._+-()".contains(c))
        && name.trim() == name;
    (!is_plain)
        .then_some("a name is letters, digits, spaces and . _ + - ( ), at most 80 of them, and begins with no point")
}

fn free(folder: &Path) -> Result<(), TakeError> {
    let is_busy = parts(folder).iter().any(|(_, part)| being_written(&part.join(WIRE)));
    if is_busy { Err(TakeError::Busy(folder.into())) } else { Ok(()) }
}

/// What a link leads to is not ours to change.
fn no_link(doing: &'static str, folder: &Path) -> Result<(), TakeError> {
    if fs::symlink_metadata(folder).is_ok_and(|meta| meta.is_symlink()) {
        let why = io::Error::other("it is a link; what it leads to is left alone");
        return Err(TakeError::io(doing, folder)(why));
    }
    Ok(())
}

/// Gives a take's folder another name, which must be free; gives where it is then.
///
/// # Errors
/// When the name is taken or is none, the take is being written, or the system says no.
pub fn rename(folder: &Path, name: &str) -> Result<PathBuf, TakeError> {
    free(folder)?;
    let to = folder.with_file_name(name);
    if let Some(fault) = name_fault(name) {
        return Err(TakeError::io("cannot rename", folder)(io::Error::other(fault)));
    }
    if to == folder {
        return Ok(to);
    }
    let flags = rustix::fs::RenameFlags::NOREPLACE;
    match rustix::fs::renameat_with(rustix::fs::CWD, folder, rustix::fs::CWD, &to, flags) {
        Ok(()) => Ok(to),
        Err(rustix::io::Errno::EXIST) => Err(TakeError::Exists(to)),
        // Some file systems cannot promise that nothing is replaced.
        Err(rustix::io::Errno::INVAL | rustix::io::Errno::NOSYS) if !to.exists() => {
            fs::rename(folder, &to).map(|()| to).map_err(TakeError::io("cannot rename", folder))
        }
        Err(error) => Err(TakeError::io("cannot rename", folder)(error.into())),
    }
}

/// Writes what a person says about a take into its `note.txt`; nothing takes the note away.
///
/// # Errors
/// When the system says no, or the note is longer than 64 kB.
pub fn set_note(folder: &Path, text: &str) -> Result<(), TakeError> {
    no_link("cannot write into", folder)?;
    let path = folder.join(NOTE);
    let failed = TakeError::io("cannot write to", &path);
    if text.len() as u64 > LONGEST_NOTE {
        return Err(failed(io::Error::other("the note is too long")));
    }
    let written = if text.is_empty() {
        match fs::remove_file(&path) {
            Err(error) if error.kind() != io::ErrorKind::NotFound => Err(error),
            _ => Ok(()),
        }
    } else {
        disk::replace_here(&path, format!("{text}\n").as_bytes())
    };
    written.map_err(failed)
}

/// Deletes a take: the files that takes consist of, and its folder when nothing else is in it. Gives the names of what is
/// not a take's and is left there.
///
/// # Errors
/// When the take is being written, or the system says no.
pub fn delete(folder: &Path) -> Result<Vec<String>, TakeError> {
    free(folder)?;
    no_link("cannot delete", folder)?;
    let mut left = Vec::new();
    let parts = parts(folder);
    for (_, part) in parts.iter().filter(|(_, part)| part != folder && no_link("", part).is_ok()) {
        left.extend(delete_one(part)?);
    }
    left.extend(delete_one(folder)?);
    Ok(left)
}

fn delete_one(folder: &Path) -> Result<Vec<String>, TakeError> {
    let mut left = Vec::new();
    for entry in fs::read_dir(folder).map_err(TakeError::io("cannot read", folder))?.flatten() {
        let (path, name) = (entry.path(), entry.file_name().to_string_lossy().into_owned());
        // A link is removed itself; what it leads to stays.
        let is_folder = fs::symlink_metadata(&path).is_ok_and(|meta| meta.is_dir());
        match is_folder {
            true if is_readings(&name) => {
                left.extend(delete_one(&path)?.into_iter().map(|own| format!("{name}/{own}")))
            }
            true if name == "blocks" => {
                left.extend(delete_blocks(&path)?.into_iter().map(|own| format!("{name}/{own}")))
            }
            false if is_of_a_take(&name) => fs::remove_file(&path).map_err(TakeError::io("cannot delete", &path))?,
            _ => left.push(name),
        }
    }
    if left.is_empty() {
        fs::remove_dir(folder).map_err(TakeError::io("cannot delete", folder))?;
    }
    Ok(left)
}

fn delete_blocks(folder: &Path) -> Result<Vec<String>, TakeError> {
    let mut left = Vec::new();
    for entry in fs::read_dir(folder).map_err(TakeError::io("cannot read", folder))?.flatten() {
        let name = entry.file_name().to_string_lossy().into_owned();
        let stem = name.strip_suffix(".csv").or_else(|| name.strip_suffix(".json"));
        if stem.is_some_and(is_number) {
            fs::remove_file(entry.path()).map_err(TakeError::io("cannot delete", &entry.path()))?;
        } else {
            left.push(name);
        }
    }
    if left.is_empty() {
        fs::remove_dir(folder).map_err(TakeError::io("cannot delete", folder))?;
    }
    Ok(left)
}

fn is_number(text: &str) -> bool {
    !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit())
}

/// Whether a folder within a take has this name because it holds another reading of it.
pub(super) fn is_readings(name: &str) -> bool {
    name.strip_prefix("reading-").is_some_and(is_number)
}

/// Whether a take has a file of this name: one of its own, one of a part, or one that mending has kept.
fn is_of_a_take(name: &str) -> bool {
    let name = name.split_once(".before-mending-").filter(|(_, number)| is_number(number)).map_or(name, |(own, _)| own);
    let names = [
        ABOUT,
        BENCH,
        EVENTS,
        EVENTS_METADATA,
        GAPS,
        LATE,
        MARKS,
        METADATA,
        NOTE,
        READINGS,
        SENT,
        STAMPS,
        STATIONS,
        WIRE,
    ];
    // The number of a part stands before the ending.
    let unnumbered = name.split_once('.').and_then(|(stem, ending)| {
        let (own, number) = stem.rsplit_once('-')?;
        is_number(number).then(|| format!("{own}.{ending}"))
    });
    names.contains(&name) || unnumbered.is_some_and(|own| names.contains(&own.as_str()))
}

#[cfg(test)]
mod tests {
    use super::super::glance::glance;
    use super::*;
    use crate::take::{Event, TakePlace, Writer};
    use amber_core::Stamp;
    use amber_core::bench::Bench;

    #[test]
    fn takes_are_seen_at_a_glance_renamed_noted_and_deleted_and_nothing_else_is() {
        let dir = tempfile::tempdir().unwrap();
        let start = Stamp(1_700_000_000_000_000_000);
        let mut bench = Bench::default();
        bench.shared.name = "tank \"A\"".into();
        bench.shared.keep.parts = "20 kB".parse().unwrap();
        let place = TakePlace::Next(dir.path().into());
        let mut writer = Writer::create(&place, &bench, start, Event::BEGIN).unwrap();
        for i in 0..3000 {
            let at = start.plus(f64::from(i) * 0.01);
            writer.chunk(at, format!("t_us={} idle=7 level={}\n", i * 10_000, 500 + i % 700).as_bytes()).unwrap();
        }
        writer.checkpoint(start.plus(30.0)).unwrap();
        let folder = dir.path().join("take-0001");
        let seen = glance(&folder);
        assert!(seen.grows && matches!(delete(&folder), Err(TakeError::Busy(_))));
        assert!(matches!(rename(&folder, "x"), Err(TakeError::Busy(_))));
        writer.finish(start.plus(30.0)).unwrap();
        let seen = glance(&folder);
        assert_eq!((seen.name.as_str(), seen.start, seen.bench.as_str()), ("take-0001", Some(start), "tank \"A\""));
        assert!((seen.seconds.unwrap() - 29.99).abs() < 0.02, "{seen:?}");
        assert_eq!(seen.channels, ["t_us", "idle", "level"]);
        assert_eq!((seen.preview.0.as_str(), seen.preview.1.len() > 60), ("level", true), "{seen:?}");
        set_note(&folder, "left wall, second try").unwrap();
        fs::create_dir(dir.path().join("other")).unwrap();
        for name in ["", ".x", "a/b", "..", "other", "a\u{1b}[2J", " a"] {
            assert!(rename(&folder, name).is_err(), "{name:?}");
        }
        let folder = rename(&folder, "wall 2 (left)").unwrap();
        assert_eq!(glance(&folder).note, "left wall, second try");
        // What is not a take's stays, and what a link leads to.
        fs::write(dir.path().join("other/precious"), "x").unwrap();
        std::os::unix::fs::symlink(dir.path().join("other"), folder.join("reading-02")).unwrap();
        fs::write(folder.join("thesis.tex"), "x").unwrap();
        assert_eq!(delete(&folder).unwrap().len(), 2);
        assert_eq!(fs::read_dir(&folder).unwrap().count(), 2);
        let link = dir.path().join("take-link");
        std::os::unix::fs::symlink(dir.path().join("other"), &link).unwrap();
        fs::write(dir.path().join("other/wire.bin"), "x").unwrap();
        assert!(delete(&link).is_err() && set_note(&link, "x").is_err());
        assert!(dir.path().join("other/wire.bin").exists());
        assert!(dir.path().join("other/precious").exists());
        assert_eq!(
            glance(&dir.path().join("gone")),
            Glance { folder: dir.path().join("gone"), name: "gone".into(), ..Glance::default() }
        );
    }

    use super::super::glance::Glance;
}
