//! Writing a take: the four growing files, their checkpoints, and what happens when the disk says no.

use super::about::About;
use super::decode::{Decoder, Tally};
use super::gaps::{self, Gap};
use super::marks::{self, Mark};
use super::wire::{self, Event};
use super::{ABOUT, BENCH, EVENTS, GAPS, MARKS, METADATA, READINGS, SENT, STAMPS, TakeError, WIRE, sent};
use amber_core::Stamp;
use amber_core::bench::Bench;
use std::fs::{self, File, OpenOptions};
use std::io::{self, Write};
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};

/// Where a take goes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum TakePlace {
    /// Into a new folder below this one: `take-0001`, `take-0002` …, whichever is next.
    Next(PathBuf),
    /// Into this folder, which must be new or empty.
    Exactly(PathBuf),
}

/// What a take holds when it ends, or so far.
#[derive(Clone, Debug, PartialEq)]
pub struct Summary {
    /// Its folder.
    pub folder: PathBuf,
    /// Bytes in `wire.bin`.
    pub bytes: u64,
    /// What became of them.
    pub tally: Tally,
    /// Marks.
    pub marks: u64,
    /// Seconds from the start to the last checkpoint.
    pub seconds: f64,
    /// What had to be done otherwise than the settings say, in sentences.
    pub troubles: Vec<String>,
}

/// Bytes that wait in memory before all files are written through out of turn, so that a flood takes no more.
const WAITING: usize = 256 * 1024;

/// A file that only grows, with the length up to which it is known to agree with the others.
#[derive(Debug)]
struct Growing {
    path: PathBuf,
    file: File,
    waiting: Vec<u8>,
    length: u64,
    whole: u64,
}

impl Growing {
    fn create(folder: &Path, name: &str) -> Result<Growing, TakeError> {
        let path = folder.join(name);
        let file = OpenOptions::new().write(true).create_new(true).open(&path);
        let file = file.map_err(TakeError::io("cannot create", &path))?;
        Ok(Growing { path, file, waiting: Vec::new(), length: 0, whole: 0 })
    }

    fn add(&mut self, bytes: &[u8]) {
        self.length += bytes.len() as u64;
        self.waiting.extend_from_slice(bytes);
    }

    fn write_through(&mut self) -> Result<(), TakeError> {
        self.file.write_all(&self.waiting).map_err(TakeError::io("cannot write to", &self.path))?;
        self.waiting.clear();
        Ok(())
    }

    fn sync(&self) -> Result<(), TakeError> {
        crate::disk::sync(&self.file).map_err(TakeError::io("cannot write to", &self.path))
    }

    /// Whether the file is still the one in its folder.
    fn in_place(&self) -> bool {
        let same = |a: fs::Metadata, b: fs::Metadata| a.ino() == b.ino() && a.dev() == b.dev();
        fs::metadata(&self.path).is_ok_and(|found| self.file.metadata().is_ok_and(|own| same(found, own)))
    }

    /// Gives up what was not checkpointed, so that the file ends where all files are known to agree.
    fn give_up(self) {
        // On a disk that just failed this may fail too; a reader cuts a torn tail as well.
        let _ = self.file.set_len(self.whole);
    }
}

/// A take being written. Drop it only through [`Writer::finish`] or [`Writer::give_up`].
#[derive(Debug)]
pub struct Writer {
    folder: PathBuf,
    start: Stamp,
    /// The latest stamp that was written.
    last: Stamp,
    decoder: Decoder,
    described: bool,
    /// The rows after which nothing more is taken in.
    rows: Option<u64>,
    wire: Growing,
    stamps: Growing,
    readings: Growing,
    /// Made where something is watched for.
    events_file: Option<Growing>,
    marks_file: Growing,
    /// Made when something is sent, and when there is the first gap.
    sent_file: Option<Growing>,
    gaps_file: Option<Growing>,
    marks: u64,
    saved: Summary,
}

impl Writer {
    /// Makes the take's folder and files. `event` is how its first byte is to be taken; after `rows` rows nothing more is
    /// taken in.
    ///
    /// # Errors
    /// When the place is taken or cannot be written; nothing that was there is touched.
    pub fn create(
        place: &TakePlace,
        bench: &Bench,
        start: Stamp,
        event: Event,
        rows: Option<u64>,
    ) -> Result<Writer, TakeError> {
        let folder = make_folder(place)?;
        let begun = Writer::begin(&folder, bench, start, event, rows);
        if begun.is_err() {
            // A take that could not begin leaves nothing that it made.
            for name in [ABOUT, BENCH, WIRE, STAMPS, READINGS, EVENTS, MARKS, METADATA] {
                let _ = fs::remove_file(folder.join(name));
            }
            let _ = fs::remove_dir(&folder);
        }
        begun
    }

    fn begin(folder: &Path, bench: &Bench, start: Stamp, event: Event, rows: Option<u64>) -> Result<Writer, TakeError> {
        let bench_text = bench.new_file("The settings in force when this take began");
        for (name, text) in [(ABOUT, About::now().text()), (BENCH, bench_text)] {
            let path = folder.join(name);
            write_new(&path, text.as_bytes()).map_err(TakeError::io("cannot write to", &path))?;
        }
        let decoder = Decoder::new(bench, start);
        let watches = decoder.has_conditions();
        let mut writer = Writer {
            wire: Growing::create(folder, WIRE)?,
            stamps: Growing::create(folder, STAMPS)?,
            readings: Growing::create(folder, READINGS)?,
            events_file: if watches { Some(Growing::create(folder, EVENTS)?) } else { None },
            marks_file: Growing::create(folder, MARKS)?,
            sent_file: None,
            gaps_file: None,
            saved: Summary {
                folder: folder.to_path_buf(),
                bytes: 0,
                tally: Tally::default(),
                marks: 0,
                seconds: 0.0,
                troubles: Vec::new(),
            },
            decoder,
            described: false,
            rows,
            marks: 0,
            folder: folder.to_path_buf(),
            start,
            last: start,
        };
        // A reader can tell by this lock that the take is still growing. Where locks are not to be had, it cannot.
        let _ = rustix::fs::flock(&writer.wire.file, rustix::fs::FlockOperation::NonBlockingLockExclusive);
        writer.stamps.add(wire::HEADER);
        writer.marks_file.add(marks::HEADER);
        writer.event(start, event);
        writer.checkpoint(start)?;
        Ok(writer)
    }

    /// The take's folder.
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    /// What became of the bytes so far.
    pub fn tally(&self) -> Tally {
        self.decoder.tally()
    }

    /// Bytes arrived.
    ///
    /// # Errors
    /// When they cannot be written; give the take up then.
    pub fn chunk(&mut self, at: Stamp, bytes: &[u8]) -> Result<(), TakeError> {
        if self.rows.is_none() {
            return self.piece(at, bytes);
        }
        for line in bytes.split_inclusive(|b| matches!(b, b'\n' | b'\r')) {
            if self.is_full() {
                break;
            }
            self.piece(at, line)?;
        }
        Ok(())
    }

    /// Whether as many rows are there as were asked for.
    pub fn is_full(&self) -> bool {
        self.rows.is_some_and(|rows| self.decoder.tally().rows >= rows)
    }

    fn piece(&mut self, at: Stamp, bytes: &[u8]) -> Result<(), TakeError> {
        self.stamp(at, None);
        self.wire.add(bytes);
        self.decoder.feed(at, bytes);
        self.take_decoded();
        if self.wire.waiting.len() + self.stamps.waiting.len() > WAITING { self.write_through() } else { Ok(()) }
    }

    /// What the decoder has made goes into its files.
    fn take_decoded(&mut self) {
        self.readings.add(&self.decoder.take_output());
        if let Some(events) = &mut self.events_file {
            events.add(&self.decoder.take_events());
        }
    }

    /// Something happened to the source, at `at`.
    pub fn event(&mut self, at: Stamp, event: Event) {
        self.stamp(at, Some(event));
        self.decoder.apply(at, event);
    }

    /// Adds a mark, and gives it with its number.
    pub fn mark(&mut self, mark: Mark) -> Mark {
        self.marks += 1;
        let mark = Mark { number: self.marks, ..mark };
        self.marks_file.add(&mark.row(self.decoder.origin()));
        mark
    }

    /// Bytes were sent to the board.
    ///
    /// # Errors
    /// As [`Writer::chunk`].
    pub fn sent(&mut self, at: Stamp, bytes: &[u8]) -> Result<(), TakeError> {
        let row = sent::row(self.decoder.origin(), at, self.wire.length, bytes);
        add_to(&mut self.sent_file, &self.folder, SENT, sent::HEADER, &row)
    }

    /// There is a gap, from `at` on.
    ///
    /// # Errors
    /// As [`Writer::chunk`].
    pub(super) fn gap(&mut self, at: Stamp, gap: &Gap) -> Result<(), TakeError> {
        let row = gap.row(self.decoder.origin(), at, self.wire.length);
        add_to(&mut self.gaps_file, &self.folder, GAPS, gaps::HEADER, &row)
    }

    /// All files that grow, in the order in which they are written through: the stamps go first and the readings late,
    /// since a reader that finds stamps beyond the end of `wire.bin` drops them, and makes readings that are not there
    /// yet from `wire.bin`.
    fn files(&mut self) -> impl Iterator<Item = &mut Growing> {
        let files = [&mut self.stamps, &mut self.wire, &mut self.readings, &mut self.marks_file];
        files.into_iter().chain(&mut self.events_file).chain(&mut self.sent_file).chain(&mut self.gaps_file)
    }

    fn stamp(&mut self, at: Stamp, event: Option<Event>) {
        self.last = self.last.max(at);
        self.stamps.add(wire::row(self.wire.length, at, event).as_bytes());
    }

    fn write_through(&mut self) -> Result<(), TakeError> {
        self.files().try_for_each(Growing::write_through)?;
        self.files().for_each(|file| file.whole = file.length);
        Ok(())
    }

    /// Writes everything through.
    ///
    /// # Errors
    /// As [`Writer::chunk`]; [`TakeError::Gone`] when the folder was moved or deleted.
    pub fn checkpoint(&mut self, now: Stamp) -> Result<Summary, TakeError> {
        if !self.wire.in_place() {
            return Err(TakeError::Gone(self.wire.path.clone()));
        }
        self.take_decoded();
        if !self.described && !self.decoder.columns().is_empty() {
            for (name, text) in self.decoder.documents() {
                let path = self.folder.join(name);
                write_new(&path, text.as_bytes()).map_err(TakeError::io("cannot write to", &path))?;
            }
            self.described = true;
        }
        self.write_through()?;
        self.saved = Summary {
            folder: self.folder.clone(),
            bytes: self.wire.length,
            tally: self.decoder.tally(),
            marks: self.marks,
            seconds: now.seconds_since(self.start).max(0.0),
            troubles: self.decoder.troubles().collect(),
        };
        Ok(self.saved.clone())
    }

    /// Asks the system to put what is written onto the disk itself, against a power cut.
    ///
    /// # Errors
    /// As [`Writer::chunk`].
    pub fn sync(&mut self) -> Result<(), TakeError> {
        self.files().try_for_each(|file| file.sync())
    }

    /// Ends the take properly.
    ///
    /// # Errors
    /// As [`Writer::chunk`]; the take is then whole up to its last checkpoint.
    pub fn finish(mut self, now: Stamp) -> Result<Summary, TakeError> {
        self.event(now.max(self.last), Event::Stopped);
        self.decoder.finish();
        match self.checkpoint(now).and_then(|summary| self.sync().map(|()| summary)) {
            Ok(summary) => Ok(summary),
            Err(error) => {
                self.give_up();
                Err(error)
            }
        }
    }

    /// Ends the take after a fault of the program's own: what had come by then is written, the row at which it happened
    /// left out.
    pub(super) fn rescue(mut self) -> Summary {
        let _ = self.write_through().and_then(|()| self.sync());
        self.give_up()
    }

    /// Ends the take after an error: all files are cut back to the last checkpoint, where they agree.
    pub fn give_up(self) -> Summary {
        let Writer { wire, stamps, readings, events_file, marks_file, sent_file, gaps_file, saved, .. } = self;
        let files = [stamps, wire, readings, marks_file].into_iter();
        files.chain(events_file).chain(sent_file).chain(gaps_file).for_each(Growing::give_up);
        saved
    }
}

/// Adds a row to a table that is made, with its header, when it has one.
fn add_to(file: &mut Option<Growing>, folder: &Path, name: &str, header: &[u8], row: &[u8]) -> Result<(), TakeError> {
    if file.is_none() {
        file.insert(Growing::create(folder, name)?).add(header);
    }
    file.iter_mut().for_each(|file| file.add(row));
    Ok(())
}

fn write_new(path: &Path, bytes: &[u8]) -> io::Result<()> {
    OpenOptions::new().write(true).create_new(true).open(path)?.write_all(bytes)
}

fn make_folder(place: &TakePlace) -> Result<PathBuf, TakeError> {
    let create = "cannot create";
    match place {
        TakePlace::Exactly(folder) => {
            let parent = folder.parent().filter(|parent| !parent.as_os_str().is_empty());
            if let Some(parent) = parent {
                fs::create_dir_all(parent).map_err(TakeError::io(create, parent))?;
            }
            match fs::create_dir(folder) {
                Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
                    let empty = fs::read_dir(folder).is_ok_and(|mut entries| entries.next().is_none());
                    if empty { Ok(folder.clone()) } else { Err(TakeError::Exists(folder.clone())) }
                }
                made => made.map(|()| folder.clone()).map_err(TakeError::io(create, folder)),
            }
        }
        TakePlace::Next(parent) => next_folder(parent),
    }
}

/// Makes a new folder below `parent`: `take-0001`, `take-0002` …, whichever is next.
///
/// # Errors
/// When the system says no.
pub fn next_folder(parent: &Path) -> Result<PathBuf, TakeError> {
    let create = "cannot create";
    fs::create_dir_all(parent).map_err(TakeError::io(create, parent))?;
    let numbers = fs::read_dir(parent).map_err(TakeError::io("cannot read", parent))?;
    let number = |name: &str| name.strip_prefix("take-")?.parse::<u32>().ok();
    let last = numbers.flatten().filter_map(|entry| number(&entry.file_name().to_string_lossy())).max();
    for next in last.unwrap_or(0) + 1.. {
        let folder = parent.join(format!("take-{next:04}"));
        match fs::create_dir(&folder) {
            Ok(()) => return Ok(folder),
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {}
            Err(error) => return Err(TakeError::io(create, &folder)(error)),
        }
    }
    Err(TakeError::Exists(parent.into()))
}
