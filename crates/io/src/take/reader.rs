//! Opening a take. Nothing of it is written to; what is not whole is told, and the rest opens.

use super::about::{About, FORMAT};
use super::bytes::{Ahead, Bytes};
use super::decode::Decoder;
use super::gaps;
use super::hearing::unread_said;
use super::marks::Mark;
use super::sent::{self, Sent};
use super::wire::{self, Event, Piece};
use super::writer::{part_name, place_of};
use super::{ABOUT, BENCH, GAPS, MARKS, READINGS, SENT, STAMPS, STATIONS, TakeError, WIRE, reading, stations, table};
use crate::disk::{self, LONGEST};
use amber_core::Stamp;
use amber_core::bench::Bench;
use amber_core::clock::Opening;
use amber_core::digits::{bytes, counted};
use amber_core::keep::Station;
use amber_core::tail::visible;
use std::fs::{self, File};
use std::io;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// The longest of the smaller files that are plausible, and are read.
const LONGEST_NOTES: u64 = 64_000_000;
const LONGEST_ABOUT: u64 = 64_000;
/// The longest header row.
const HEADER_MOST: usize = 1 << 20;

/// A take. Its bytes stay on the disk.
#[derive(Clone, Debug)]
pub struct OpenedTake {
    /// Its folder.
    pub folder: PathBuf,
    /// The same as the system knows it, whatever it is called.
    pub(super) handle: Option<Arc<File>>,
    /// How it was written.
    pub about: About,
    /// The settings in force when it was made.
    pub bench: Bench,
    /// When it began.
    pub start: Stamp,
    /// The bytes that arrived.
    pub wire: Bytes,
    /// When each part of `wire` arrived.
    pub pieces: Arc<[Piece]>,
    /// Its marks.
    pub marks: Vec<Mark>,
    /// Its stations, by their numbers.
    pub stations: Vec<Station>,
    /// What was sent to the board.
    pub sent: Arc<[Sent]>,
    /// The bytes are gone: `wire` holds the rows of `readings.csv` as they stand, and `bench` says how to read them, so
    /// other settings do not fit.
    pub from_table: bool,
    /// It is still being written.
    pub grows: bool,
    /// What is missing, damaged or not understood, in sentences for a person.
    pub told: Vec<String>,
}

impl OpenedTake {
    /// Follows the take where its folder was renamed meanwhile; gives whether it was.
    pub fn follow(&mut self) -> bool {
        let Some(own) = self.handle.as_ref().and_then(|handle| Some((handle, handle.metadata().ok()?))) else {
            return false;
        };
        let is_own = |meta: fs::Metadata| (meta.dev(), meta.ino()) == (own.1.dev(), own.1.ino());
        if fs::metadata(&self.folder).is_ok_and(is_own) {
            return false;
        }
        let found = place_of(own.0).filter(|place| fs::metadata(place).is_ok_and(is_own));
        let is_found = found.is_some();
        self.folder = found.unwrap_or_else(|| self.folder.clone());
        is_found
    }

    /// When its last bytes arrived.
    pub fn end(&self) -> Stamp {
        self.pieces.last().map_or(self.start, |piece| piece.at)
    }

    /// All that came, in its order.
    pub fn replay(&self) -> Replay {
        let (pieces, sent) = (Arc::clone(&self.pieces), Arc::clone(&self.sent));
        Replay { pieces, sent, bytes: Ahead::new(self.wire.clone()), next: 0, told: false, offset: 0, sent_next: 0 }
    }

    /// Makes `readings.csv` again.
    ///
    /// # Errors
    /// When the bytes cannot be read.
    pub fn decode(&self) -> io::Result<Vec<u8>> {
        let mut decoder = Decoder::new(&self.bench, self.start);
        self.decode_by(&mut decoder)?;
        Ok(decoder.take_output())
    }

    /// Gives all bytes to a decoder, and ends it.
    ///
    /// # Errors
    /// As [`OpenedTake::decode`].
    pub fn decode_by(&self, decoder: &mut Decoder) -> io::Result<()> {
        let mut replay = self.replay();
        while let Some(step) = replay.next_step()? {
            match step {
                ReplayItem::Event(at, event) => decoder.apply(at, event),
                ReplayItem::Bytes(at, bytes) => decoder.feed(at, bytes),
                ReplayItem::Sent(sent) => decoder.sent(sent.at, &sent.bytes),
                ReplayItem::Unread(_) => {}
            }
        }
        decoder.finish();
        Ok(())
    }
}

/// Gives what came in a take, one after the other.
#[derive(Debug)]
pub struct Replay {
    pieces: Arc<[Piece]>,
    sent: Arc<[Sent]>,
    bytes: Ahead,
    /// The piece that comes next.
    next: usize,
    /// Its event has been given.
    told: bool,
    /// So many of its bytes have been given.
    offset: usize,
    sent_next: usize,
}

/// Something that came.
#[derive(Debug)]
pub enum ReplayItem<'a> {
    /// Something was sent to the board.
    Sent(&'a Sent),
    /// Something happened to the source.
    Event(Stamp, Event),
    /// Bytes arrived; what arrived at once may come in parts.
    Bytes(Stamp, &'a [u8]),
    /// So many bytes were heard at a baud rate that was wrong.
    Unread(u64),
}

impl Replay {
    /// The next of all that came; `None` at the end.
    ///
    /// # Errors
    /// When bytes cannot be read: nothing of them is given.
    pub fn next_step(&mut self) -> io::Result<Option<ReplayItem<'_>>> {
        while let Some(piece) = self.pieces.get(self.next) {
            if let Some(sent) = self.sent.get(self.sent_next).filter(|sent| sent.at <= piece.at) {
                self.sent_next += 1;
                return Ok(Some(ReplayItem::Sent(sent)));
            }
            if let Some(event) = piece.event.filter(|_| !self.told) {
                self.told = true;
                return Ok(Some(ReplayItem::Event(piece.at, event)));
            }
            let rest = piece.bytes.start + self.offset..piece.bytes.end;
            if rest.is_empty() {
                (self.next, self.told, self.offset) = (self.next + 1, false, 0);
                continue;
            }
            if piece.is_unread {
                self.offset += rest.len();
                return Ok(Some(ReplayItem::Unread(rest.len() as u64)));
            }
            let at = piece.at;
            let part = self.bytes.first_of(rest)?;
            self.offset += part.len();
            return Ok(Some(ReplayItem::Bytes(at, part)));
        }
        Ok(None)
    }

    /// The bytes that were given, and all.
    pub fn given(&self) -> (u64, u64) {
        let end = self.pieces.last().map_or(0, |piece| piece.bytes.end);
        let given = self.pieces.get(self.next).map_or(end, |piece| piece.bytes.start + self.offset);
        (given as u64, end as u64)
    }
}

/// Opens what is in `folder`: one take, or the takes of several sources, each with the name of its source; the name is
/// empty for one alone.
///
/// # Errors
/// As [`open`].
pub fn open_all(folder: &Path) -> Result<Vec<(String, OpenedTake)>, TakeError> {
    parts(folder).into_iter().map(|(name, part)| Ok((name, open(&part)?))).collect()
}

/// The folders of the takes in `folder`, with the names of their sources.
pub(super) fn parts(folder: &Path) -> Vec<(String, PathBuf)> {
    let is_file = |path: &Path| fs::symlink_metadata(path).is_ok_and(|meta| meta.is_file());
    let is_take = |folder: &Path| [WIRE, READINGS].iter().any(|name| is_file(&folder.join(name)));
    let entries = fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.path());
    let mut parts: Vec<PathBuf> = entries.filter(|path| is_take(path)).collect();
    if is_take(folder) || parts.is_empty() {
        return vec![(String::new(), folder.into())];
    }
    parts.sort();
    let name = |path: &Path| path.file_name().map_or_else(String::new, |name| name.to_string_lossy().into_owned());
    parts.into_iter().map(|part| (name(&part), part)).collect()
}

/// Opens the take in `folder`. It is only read; half lines at the ends of its files are left out, what makes no sense is
/// passed over, and both are said in [`OpenedTake::told`]. Without its bytes, its table is shown as it stands.
///
/// # Errors
/// When there is no such folder, or neither bytes nor a table in it that can be read.
pub fn open(folder: &Path) -> Result<OpenedTake, TakeError> {
    let Some(whole) = reading::whole_of(folder) else { return open_one(folder) };
    let mut take = open_one(&whole)?;
    take.bench = bench_in(folder, &mut take.told);
    (take.folder, take.handle) = (folder.into(), handle_of(folder));
    Ok(take)
}

fn open_one(folder: &Path) -> Result<OpenedTake, TakeError> {
    let meta = fs::metadata(folder).map_err(TakeError::io("cannot open", folder))?;
    if !meta.is_dir() {
        return Err(TakeError::NotATake { folder: folder.into(), why: "it is not a folder".into() });
    }
    let mut told = Vec::new();
    let wires: Vec<PathBuf> = part_names(folder, WIRE).iter().map(|name| folder.join(name)).collect();
    let wire = Bytes::of_files(&wires).map_err(|error| in_words(&error));
    let about = about(read(folder, ABOUT, LONGEST_ABOUT), &mut told);
    let grows = being_written(&folder.join(WIRE));
    let mut take = match wire {
        Ok(wire) => of_bytes(folder, wire, about, grows, told),
        Err(missing) => of_table(folder, about, told, &missing)?,
    };
    let (marks, lost) = Mark::parse(&take.side(MARKS), take.start);
    take.tell_lost(MARKS, lost, "mark");
    let (sent, lost) = sent::parse(&take.side(SENT), take.start);
    take.tell_lost(SENT, lost, "row");
    let (stations, lost) = stations::parse(&take.side(STATIONS), take.start);
    take.tell_lost(STATIONS, lost, "row");
    (take.marks, take.sent, take.stations) = (marks, sent.into(), stations);
    let (_, lost) = gaps::rows(&take.side(GAPS));
    take.tell_lost(GAPS, lost, "row");
    Ok(take)
}

fn of_bytes(folder: &Path, wire: Bytes, about: About, grows: bool, mut told: Vec<String>) -> OpenedTake {
    let bench = bench_in(folder, &mut told);
    let stamps = read_parts(folder, STAMPS);
    let found = stamps.as_ref().map(|text| wire::parse(text, wire.len(), about.format > 0)).unwrap_or_default();
    for word in &found.unknown {
        told.push(visible(format!("{STAMPS}: '{word}' is not known here and is ignored").as_bytes()));
    }
    if found.damaged > 0 {
        let (rows, first) = (counted(found.damaged as u64, "damaged row"), found.first_damaged);
        told.push(format!(
            "{STAMPS}: {rows}, the first in line {first}: their bytes have the times of the rows before"
        ));
    }
    if found.beyond > 0 {
        told.push(format!("{WIRE} has {} more than {STAMPS} says: they are ignored", bytes(found.beyond)));
    }
    if grows {
        told.push("it is still being written: this is what it holds so far".into());
    } else if found.missing > 0 {
        told.push(format!("{WIRE} lacks its last {}, which {STAMPS} lists", bytes(found.missing)));
    } else if about.format >= 2 && !found.stopped && !found.pieces.is_empty() {
        told.push(format!("it was not ended properly; `amber-tap mend` adds rows that {READINGS} may lack"));
    }
    let mut pieces = found.pieces;
    if pieces.is_empty() && !wire.is_empty() {
        let why = stamps.err().unwrap_or_else(|| "makes no sense".into());
        told.push(format!("{STAMPS} {why}: row times come from the clock in the rows, else from an assumed rate"));
        pieces.push(whole(Stamp(0), wire.len()));
    }
    // Bytes that cannot be read are told of when they are wanted.
    let heard = |range| {
        let mut heard = Vec::new();
        let _ = wire.read(range, &mut heard);
        heard
    };
    wire::settle(&mut pieces, heard);
    let unread: usize = pieces.iter().filter(|piece| piece.is_unread).map(|piece| piece.bytes.len()).sum();
    told.extend(unread_said(unread as u64));
    let start = pieces.first().map_or(Stamp(0), |piece| piece.at);
    let folder = folder.to_path_buf();
    let (pieces, marks, sent, stations) = (pieces.into(), Vec::new(), [].into(), Vec::new());
    let handle = handle_of(&folder);
    OpenedTake {
        folder,
        handle,
        about,
        bench,
        start,
        wire,
        pieces,
        marks,
        stations,
        sent,
        from_table: false,
        grows,
        told,
    }
}

/// The settings in a take's folder; what is wrong with them is told.
fn bench_in(folder: &Path, told: &mut Vec<String>) -> Bench {
    match read(folder, BENCH, disk::BENCH) {
        Ok(text) => {
            let (bench, mistakes) = Bench::parse_what_holds(&String::from_utf8_lossy(&text));
            told.extend(
                mistakes.iter().map(|mistake| visible(format!("{BENCH}: {mistake}; the rest holds").as_bytes())),
            );
            bench
        }
        Err(why) => {
            told.push(format!(
                "{BENCH} {why}: the shape is detected again and nothing is scaled; use --bench FILE for settings"
            ));
            Bench::default()
        }
    }
}

/// A folder as the system knows it; without it, one that is renamed is not found again.
fn handle_of(folder: &Path) -> Option<Arc<File>> {
    File::open(folder).ok().map(Arc::new)
}

/// All bytes as one text.
pub(super) fn whole(at: Stamp, length: usize) -> Piece {
    let opening = Opening::Text { at, arrives: false };
    Piece { at, bytes: 0..length, event: Some(Event::Opened { opening, within: false }), is_unread: false }
}

fn of_table(folder: &Path, about: About, mut told: Vec<String>, missing: &str) -> Result<OpenedTake, TakeError> {
    let none = |why: String| TakeError::NotATake { folder: folder.into(), why };
    let text = read_parts(folder, READINGS).map_err(|why| none(format!("{WIRE} {missing}, and {READINGS} {why}")))?;
    let lines = table::read(&text)
        .ok_or_else(|| none(format!("{WIRE} {missing}, and {READINGS} holds no rows with a time_s")))?;
    told.push(format!("{WIRE} {missing}: the rows of {READINGS} are shown unchanged"));
    if lines.damaged > 0 {
        told.push(format!("{READINGS}: {} ignored", counted(lines.damaged, "invalid field")));
    }
    let (wire, start) = (lines.bytes, lines.start);
    Ok(OpenedTake {
        folder: folder.to_path_buf(),
        handle: handle_of(folder),
        about,
        bench: lines.bench,
        start,
        pieces: [whole(start, wire.len())].into(),
        wire: Bytes::in_memory(wire),
        marks: Vec::new(),
        stations: Vec::new(),
        sent: [].into(),
        from_table: true,
        grows: false,
        told,
    })
}

impl OpenedTake {
    /// A smaller table of the take; one that cannot be read is told.
    fn side(&mut self, name: &'static str) -> Vec<u8> {
        match disk::read_own(&self.folder.join(name), LONGEST_NOTES) {
            Ok(text) => {
                if whole_lines(&text) < text.len() && !self.grows {
                    self.told.push(format!("{name}: its last line is incomplete"));
                }
                text
            }
            Err(error) => {
                // What was never sent or marked has no file in takes of some formats.
                if error.kind() != io::ErrorKind::NotFound {
                    self.told.push(format!("{name} is left out: {}", disk::unread(&error)));
                }
                Vec::new()
            }
        }
    }

    fn tell_lost(&mut self, name: &str, lost: u64, noun: &str) {
        if lost > 0 {
            self.told.push(format!("{name}: {} ignored", counted(lost, &format!("invalid {noun}"))));
        }
    }
}

/// Reads a file of the take, or says in half a sentence why not.
pub(super) fn read(folder: &Path, name: &str, limit: u64) -> Result<Vec<u8>, String> {
    disk::read_own(&folder.join(name), limit).map_err(|error| in_words(&error))
}

/// The names of `file` in the parts of the take, as many as follow one another.
pub(super) fn part_names(folder: &Path, file: &str) -> Vec<String> {
    let is_there = |name: &String| fs::symlink_metadata(folder.join(name)).is_ok();
    let others = (2..).map(|part| part_name(file, part)).take_while(is_there);
    [file.to_owned()].into_iter().chain(others).collect()
}

/// Reads a table of the take in all its parts, with one header.
pub(super) fn read_parts(folder: &Path, file: &str) -> Result<Vec<u8>, String> {
    let mut all: Vec<u8> = Vec::new();
    for (part, name) in part_names(folder, file).iter().enumerate() {
        let text = read(folder, name, LONGEST.saturating_sub(all.len() as u64))
            .map_err(|why| if part == 0 { why } else { format!("{why} ({name})") })?;
        let header = if part == 0 || all.is_empty() { 0 } else { whole_lines(&text[..text.len().min(HEADER_MOST)]) };
        let header = text[..header].iter().position(|byte| *byte == b'\n').map_or(0, |end| end + 1);
        all.extend_from_slice(&text[header..]);
    }
    Ok(all)
}

fn in_words(error: &io::Error) -> String {
    match error.kind() {
        io::ErrorKind::NotFound => "is not there".into(),
        _ => format!("cannot be read ({})", disk::unread(error)),
    }
}

/// What the take says of itself; tells what is not understood.
fn about(text: Result<Vec<u8>, String>, told: &mut Vec<String>) -> About {
    let told_nothing = About { format: FORMAT, ..About::default() };
    let text = match text {
        Ok(text) => text,
        // The first format had no such file.
        Err(why) if why == "is not there" => return About::default(),
        Err(why) => {
            told.push(format!("{ABOUT} {why}"));
            return told_nothing;
        }
    };
    let about: Result<About, _> = toml_edit::de::from_str(&String::from_utf8_lossy(&text));
    match about {
        Ok(about) => {
            if about.format > FORMAT {
                told.push(format!(
                    "it was written in format {}, this version reads up to {FORMAT}: what it does not know is left out",
                    about.format
                ));
            }
            about
        }
        Err(_) => {
            told.push(format!("{ABOUT} cannot be read and is ignored"));
            told_nothing
        }
    }
}

/// Whether a keeper holds the take.
pub(super) fn being_written(wire: &Path) -> bool {
    use rustix::fs::{FlockOperation, OFlags, flock};
    let held =
        |file: fs::File| flock(&file, FlockOperation::NonBlockingLockShared) == Err(rustix::io::Errno::WOULDBLOCK);
    disk::open(wire, OFlags::NOFOLLOW).is_ok_and(held)
}

/// The length up to the last line ending.
pub(super) fn whole_lines(text: &[u8]) -> usize {
    text.iter().rposition(|b| *b == b'\n').map_or(0, |end| end + 1)
}

#[cfg(test)]
#[path = "take_tests.rs"]
mod tests;
