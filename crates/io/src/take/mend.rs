//! Mending a take on purpose: what is torn is cut or made whole, what its table lacks is added. Never part of opening.

use super::decode::{DECODER, Decoder};
use super::marks::Mark;
use super::reader::{OpenedTake, being_written, open, part_names, parts, read, whole_lines};
use super::wire::{self, Event};
use super::{
    EVENTS, GAPS, LATE, MARKS, METADATA, READINGS, SENT, STAMPS, STATIONS, TakeError, WIRE, gaps, sent, stations,
};
use crate::disk::{self, LONGEST};
use amber_core::digits::{bytes, counted};
use rustix::fs::{FlockOperation, flock};
use std::fs::{self, File};
use std::io;
use std::path::{Path, PathBuf};

/// One file that is to be changed.
#[derive(Debug)]
pub struct Repair {
    /// Its name.
    pub file: String,
    /// What is wrong and what will be done, in a sentence.
    pub what: String,
    /// What the file is to hold.
    content: Vec<u8>,
}

/// What mending a take comes to. The take is held for this program while this lives.
#[derive(Debug)]
pub struct Mending {
    /// The take.
    pub folder: PathBuf,
    /// What will be changed.
    pub repairs: Vec<Repair>,
    /// What is wrong and stays so.
    pub told: Vec<String>,
    _lock: File,
}

/// Looks at the takes in `folder` and says what mending each of them comes to; nothing is changed yet.
///
/// # Errors
/// As opening; [`TakeError::Busy`] when one is being written or mended elsewhere.
pub fn mend_all(folder: &Path) -> Result<Vec<Mending>, TakeError> {
    parts(folder).into_iter().map(|(_, part)| look(&part)).collect()
}

fn look(folder: &Path) -> Result<Mending, TakeError> {
    let lock = File::open(folder).map_err(TakeError::io("cannot open", folder))?;
    // Where locks are not to be had, nobody else has one either.
    let held = flock(&lock, FlockOperation::NonBlockingLockExclusive) == Err(rustix::io::Errno::WOULDBLOCK);
    if held || being_written(&folder.join(WIRE)) {
        return Err(TakeError::Busy(folder.into()));
    }
    let take = open(folder)?;
    let mut repairs = Vec::new();
    let marks = |text: &[u8]| Mark::parse(text, take.start).0.len();
    let sent = |text: &[u8]| sent::parse(text, take.start).0.len();
    repairs.extend(stamps(folder, &take));
    repairs.extend(tail(folder, MARKS, marks));
    repairs.extend(tail(folder, SENT, sent));
    repairs.extend(tail(folder, STATIONS, |text| stations::parse(text, take.start).0.len()));
    repairs.extend(tail(folder, GAPS, |text| gaps::rows(text).0));
    table(folder, &take, &mut repairs)?;
    Ok(Mending { folder: folder.into(), repairs, told: take.told, _lock: lock })
}

/// The table of arrivals, ended where the bytes end.
fn stamps(folder: &Path, take: &OpenedTake) -> Option<Repair> {
    // Only the last part can be torn.
    let file = part_names(folder, STAMPS).pop()?;
    let text = read(folder, &file, LONGEST).ok().filter(|_| !take.from_table)?;
    let found = wire::parse(&text, take.wire.len(), take.about.format > 0);
    let last = found.last.or_else(|| take.pieces.last().map(|piece| piece.at))?;
    let mut content = text[..whole_lines(&text)].to_vec();
    if content.is_empty() {
        content.extend_from_slice(wire::HEADER);
    }
    if found.missing > 0 {
        content.truncate(wire::within(&content, take.wire.len()));
    }
    if take.about.format >= 2 && !found.stopped {
        content.extend_from_slice(wire::row(take.wire.len() as u64, last, Some(Event::Stopped)).as_bytes());
    }
    let what = "incomplete rows at its end are removed, and its end is marked".to_owned();
    (content != text).then_some(Repair { file, what, content })
}

/// A last line without its end: ended where it says something, as `rows` counts, else cut off.
fn tail(folder: &Path, file: &str, rows: impl Fn(&[u8]) -> usize) -> Option<Repair> {
    let mut content = read(folder, file, LONGEST).ok()?;
    let whole = whole_lines(&content);
    let torn = content.len() - whole;
    if torn == 0 {
        return None;
    }
    let what = if rows(&content) > rows(&content[..whole]) {
        content.extend_from_slice(b"\r\n");
        "its last line has no line ending, which is added".into()
    } else {
        content.truncate(whole);
        format!("its last {} are an incomplete line, which is removed", bytes(torn as u64))
    };
    Some(Repair { file: file.into(), what, content })
}

/// The tables that are made from the bytes, and their descriptions.
fn table(folder: &Path, take: &OpenedTake, repairs: &mut Vec<Repair>) -> Result<(), TakeError> {
    let names = part_names(folder, READINGS);
    let found: Result<Vec<Vec<u8>>, String> = names.iter().map(|name| read(folder, name, LONGEST)).collect();
    let is_same_decoder = take.about.decoder == DECODER || found.as_ref().is_ok_and(|parts| parts.concat().is_empty());
    // A table that cannot be read, such as a link to another file, is not ours to replace.
    let is_there = folder.join(READINGS).symlink_metadata().is_ok();
    if take.from_table || (!is_same_decoder && is_there) || (is_there && found.is_err()) {
        repairs.extend(names.iter().filter_map(|name| tail(folder, name, |_| 0)));
        return Ok(());
    }
    let mut decoder = Decoder::new(&take.bench, take.start);
    take.decode_by(&mut decoder).map_err(TakeError::io("cannot read", &take.folder.join(WIRE)))?;
    let found = found.unwrap_or_else(|_| vec![Vec::new()]);
    let parts = in_parts(&decoder.take_output(), &found);
    repairs.extend(names.iter().zip(&found).zip(parts).filter_map(|((name, found), part)| again(name, found, part)));
    let found = read(folder, EVENTS, LONGEST);
    let is_there = folder.join(EVENTS).symlink_metadata().is_ok();
    if decoder.has_conditions() && (found.is_ok() || !is_there) {
        repairs.extend(again(EVENTS, &found.unwrap_or_default(), decoder.take_events()));
    }
    let late = decoder.take_late();
    let found = read(folder, LATE, LONGEST);
    let is_there = folder.join(LATE).symlink_metadata().is_ok();
    if !late.is_empty() && (found.is_ok() || !is_there) {
        repairs.extend(again(LATE, &found.unwrap_or_default(), [decoder.late_header(), late].concat()));
    }
    // A first part that ended before the columns were known has nothing to be described.
    let is_bare = names.len() > 1 && fs::metadata(folder.join(READINGS)).is_ok_and(|meta| meta.len() == 0);
    let is_missing = |file: &str| !(folder.join(file).exists() || (is_bare && file == METADATA));
    for (file, document) in decoder.documents().into_iter().filter(|(file, _)| is_missing(file)) {
        let what = "it is missing, and will be made again".to_owned();
        repairs.push(Repair { file: file.into(), what, content: document.into_bytes() });
    }
    Ok(())
}

/// A whole table in parts, each with as many rows as was found of it; the last has all others.
fn in_parts(whole: &[u8], found: &[Vec<u8>]) -> Vec<Vec<u8>> {
    let lines = |text: &[u8]| text.iter().filter(|byte| **byte == b'\n').count();
    let mut rest: Vec<&[u8]> = whole.split_inclusive(|byte| *byte == b'\n').collect();
    let header = rest.first().copied().unwrap_or_default();
    let mut parts = Vec::new();
    // A part may have ended before the columns were known.
    let mut has_header = false;
    for (place, own) in found.iter().enumerate() {
        let is_last = place + 1 == found.len();
        let count = if is_last { rest.len() } else { lines(own) - usize::from(has_header && lines(own) > 0) };
        let rows = rest.drain(..count.min(rest.len())).collect::<Vec<_>>().concat();
        let own_header = if has_header { header } else { &[] };
        has_header |= !rows.is_empty();
        parts.push([own_header, &rows].concat());
    }
    parts
}

/// A table that was made again from the bytes, where it is not what was found.
fn again(file: &str, found: &[u8], content: Vec<u8>) -> Option<Repair> {
    let whole = whole_lines(found);
    let what = if found == content {
        return None;
    } else if content.starts_with(&found[..whole]) {
        let lines = content[whole..].iter().filter(|b| **b == b'\n').count() as u64;
        format!("{} found only in {WIRE} will be added", counted(lines, "line"))
    } else {
        format!("it differs from {WIRE}, since it was changed or damaged: it will be made again")
    };
    Some(Repair { file: file.into(), what, content })
}

impl Mending {
    /// Does it. Of each file that was there a copy is kept beside it, whose name is given.
    ///
    /// # Errors
    /// When a file cannot be written; it is then as it was.
    pub fn carry_out(self) -> Result<Vec<PathBuf>, TakeError> {
        let mut kept = Vec::new();
        for Repair { file, content, .. } in &self.repairs {
            let path = self.folder.join(file);
            if path.symlink_metadata().is_ok() {
                kept.push(keep(&path).map_err(TakeError::io("cannot keep a copy of", &path))?);
            }
            disk::replace_here(&path, content).map_err(TakeError::io("cannot write to", &path))?;
        }
        Ok(kept)
    }
}

/// Keeps what is in `path` under another name beside it.
fn keep(path: &Path) -> io::Result<PathBuf> {
    let mut number = 1;
    loop {
        let mut name = path.as_os_str().to_owned();
        name.push(format!(".before-mending-{number}"));
        let name = PathBuf::from(name);
        match fs::hard_link(path, &name) {
            Ok(()) => return Ok(name),
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => number += 1,
            // Some file systems have no second names.
            Err(_) => {
                let mut copy = File::options().write(true).create_new(true).open(&name)?;
                io::copy(&mut disk::open(path, rustix::fs::OFlags::NOFOLLOW)?, &mut copy)?;
                return disk::sync(&copy).map(|()| name);
            }
        }
    }
}
