//! Writing a take: the four growing files, their checkpoints, and what happens when the disk says no.

use super::about::About;
use super::decode::{Decoder, Tally};
use super::gaps::{self, Gap};
use super::growing::{Growing, add_to};
use super::marks::{self, Mark};
use super::wire::{self, Event};
use super::{
    ABOUT, BENCH, EVENTS, GAPS, LATE, MARKS, METADATA, READINGS, SENT, STAMPS, STATIONS, TakeError, WIRE, sent,
    stations,
};
use amber_core::Stamp;
use amber_core::bench::Bench;
use amber_core::keep::Station;
use amber_core::keep::{Limits, Part, Parts};
use std::fs::{self, File, OpenOptions};
use std::io::{self, Write};
use std::os::fd::AsRawFd;
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
    /// Bytes of all files that grow with the rows.
    pub size: u64,
    /// Its parts so far; 1 for a take in one part.
    pub parts: u32,
    /// Seconds from the start to the last checkpoint.
    pub seconds: f64,
    /// What had to be done otherwise than the settings say, in sentences.
    pub troubles: Vec<String>,
}

/// Bytes that wait in memory before all files are written through out of turn, so that a flood takes no more.
const WAITING: usize = 256 * 1024;

/// Bytes after which a part is ended although no row has come.
const WITHOUT_ROWS: u64 = 16 << 20;

/// A take being written. Drop it only through [`Writer::finish`] or [`Writer::give_up`].
#[derive(Debug)]
pub struct Writer {
    folder: PathBuf,
    /// By which the folder is found when it was renamed.
    handle: Option<File>,
    /// It was, and nobody has been told.
    moved: bool,
    start: Stamp,
    /// The latest stamp that was written.
    last: Stamp,
    decoder: Decoder,
    described: bool,
    /// What ends it.
    stop: Limits,
    parts: Parts,
    /// The part that is written, from 1, since when, and the bytes of all files when it began.
    part: u32,
    part_began: (Stamp, u64),
    /// Holds the lock by which a reader can tell that the take is still growing.
    _lock: Option<File>,
    wire: Growing,
    stamps: Growing,
    readings: Growing,
    /// Made where something is watched for.
    events_file: Option<Growing>,
    marks_file: Growing,
    /// Made when something is sent, when the first station is taken, and when there is the first gap.
    sent_file: Option<Growing>,
    stations_file: Option<Growing>,
    gaps_file: Option<Growing>,
    /// Made when a channel comes that the table has no column for.
    late_file: Option<Growing>,
    marks: u64,
    saved: Summary,
}

impl Writer {
    /// Makes the take's folder and files. `event` is how its first byte is to be taken; once the limits of the bench are
    /// reached, nothing more is taken in.
    ///
    /// # Errors
    /// When the place is taken or cannot be written; nothing that was there is touched.
    pub fn create(place: &TakePlace, bench: &Bench, start: Stamp, event: Event) -> Result<Writer, TakeError> {
        let folder = make_folder(place)?;
        let begun = Writer::begin(&folder, bench, start, event);
        if begun.is_err() {
            // A take that could not begin leaves nothing that it made.
            for name in [ABOUT, BENCH, WIRE, STAMPS, READINGS, EVENTS, MARKS, METADATA] {
                let _ = fs::remove_file(folder.join(name));
            }
            let _ = fs::remove_dir(&folder);
        }
        begun
    }

    fn begin(folder: &Path, bench: &Bench, start: Stamp, event: Event) -> Result<Writer, TakeError> {
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
            stations_file: None,
            gaps_file: None,
            late_file: None,
            saved: Summary {
                folder: folder.to_path_buf(),
                bytes: 0,
                size: 0,
                parts: 1,
                tally: Tally::default(),
                marks: 0,
                seconds: 0.0,
                troubles: Vec::new(),
            },
            decoder,
            described: false,
            stop: bench.shared.keep.stop.clone(),
            parts: bench.shared.keep.parts,
            part: 1,
            part_began: (start, 0),
            _lock: None,
            marks: 0,
            folder: folder.to_path_buf(),
            // Without it a folder that is renamed is gone.
            handle: File::open(folder).ok(),
            moved: false,
            start,
            last: start,
        };
        writer._lock = writer.wire.lock();
        writer.stamps.add(wire::HEADER);
        writer.marks_file.add(marks::HEADER);
        writer.event(start, event)?;
        writer.checkpoint(start)?;
        Ok(writer)
    }

    /// The take's folder.
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    /// When it begins.
    pub fn start(&self) -> Stamp {
        self.start
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
        if self.is_full(at) {
            return Ok(());
        }
        if self.stop.rows().is_none() {
            return self.piece(at, bytes);
        }
        for line in bytes.split_inclusive(|b| matches!(b, b'\n' | b'\r')) {
            if self.is_full(at) {
                break;
            }
            self.piece(at, line)?;
        }
        Ok(())
    }

    /// Whether a limit that was set is reached at `now`: rows, time or size.
    pub fn is_full(&self, now: Stamp) -> bool {
        self.stop.rows().is_some_and(|rows| self.decoder.is_full(rows, now))
            || self.stop.seconds().is_some_and(|seconds| now.seconds_since(self.start) >= seconds)
            || self.stop.bytes().is_some_and(|size| self.size() >= size)
    }

    /// Bytes of the files that grow with the rows.
    fn size(&self) -> u64 {
        let late = self.late_file.as_ref().map_or(0, Growing::all);
        self.wire.all() + self.stamps.all() + self.readings.all() + late
    }

    /// Ends the files of the part that is written, and begins the next ones, where it is time for that.
    fn next_part(&mut self, now: Stamp) -> Result<(), TakeError> {
        let (since, size) = self.part_began;
        let is_over = match self.parts.0 {
            None => false,
            Some(Part::Seconds(seconds)) => now.seconds_since(since) >= seconds,
            Some(Part::Bytes(most)) => self.size() - size >= most,
        };
        // No part without a table of its own, as long as rows may still come soon.
        let is_over = is_over && (self.decoder.has_columns() || self.size() - size >= WITHOUT_ROWS);
        if !is_over {
            return Ok(());
        }
        self.take_decoded()?;
        self.describe()?;
        self.write_through()?;
        self.sync()?;
        self.part += 1;
        self.part_began = match self.parts.0 {
            // Parts are as long as was asked for, however late the first byte of one comes.
            Some(Part::Seconds(seconds)) => {
                (since.plus((now.seconds_since(since) / seconds).floor() * seconds), self.size())
            }
            _ => (now, self.size()),
        };
        let name = |file: &str| part_name(file, self.part);
        self.stamps = self.stamps.next(&self.folder, &name(STAMPS))?;
        self.wire = self.wire.next(&self.folder, &name(WIRE))?;
        self.readings = self.readings.next(&self.folder, &name(READINGS))?;
        self.stamps.add(wire::HEADER);
        self.described = false;
        if self.decoder.has_columns() {
            self.readings.add(&self.decoder.header());
        }
        Ok(())
    }

    /// Writes what describes the tables of this part, once their columns are known.
    fn describe(&mut self) -> Result<(), TakeError> {
        if self.described || !self.decoder.has_columns() {
            return Ok(());
        }
        let table = part_name(READINGS, self.part);
        let own = [(format!("{table}-metadata.json"), self.decoder.document(&table))];
        // Events are in one file, which is described once.
        let others = self.decoder.documents().into_iter().filter(|(name, _)| *name != METADATA);
        let others =
            others.map(|(name, text)| (name.to_owned(), text)).filter(|(name, _)| !self.folder.join(name).exists());
        for (name, text) in own.into_iter().chain(others) {
            let path = self.folder.join(name);
            write_new(&path, text.as_bytes()).map_err(TakeError::io("cannot write to", &path))?;
        }
        self.described = true;
        Ok(())
    }

    fn piece(&mut self, at: Stamp, bytes: &[u8]) -> Result<(), TakeError> {
        self.next_part(at)?;
        self.stamp(at, None);
        self.wire.add(bytes);
        self.decoder.feed(at, bytes);
        self.take_decoded()?;
        if self.wire.waiting() + self.stamps.waiting() > WAITING { self.write_through() } else { Ok(()) }
    }

    /// What the decoder has made goes into its files.
    fn take_decoded(&mut self) -> Result<(), TakeError> {
        self.readings.add(&self.decoder.take_output());
        let late = self.decoder.take_late();
        if !late.is_empty() {
            add_to(&mut self.late_file, &self.folder, LATE, &self.decoder.late_header(), &late)?;
        }
        if let Some(events) = &mut self.events_file {
            events.add(&self.decoder.take_events());
        }
        Ok(())
    }

    /// Something happened to the source, at `at`.
    ///
    /// # Errors
    /// As [`Writer::chunk`].
    pub fn event(&mut self, at: Stamp, event: Event) -> Result<(), TakeError> {
        self.stamp(at, Some(event));
        self.decoder.apply(at, event);
        self.note_unread(at)
    }

    /// Notes what was heard at a wrong baud rate, and is not read.
    fn note_unread(&mut self, at: Stamp) -> Result<(), TakeError> {
        match self.decoder.take_unread() {
            0 => Ok(()),
            unread => self.gap(at, &Gap::Unread(unread)),
        }
    }

    /// Adds a mark, and gives it with its number.
    pub fn mark(&mut self, mark: Mark) -> Mark {
        self.marks += 1;
        let mark = Mark { number: self.marks, ..mark };
        self.marks_file.add(&mark.row(self.decoder.origin()));
        mark
    }

    /// Adds a station, or takes the place of the one with its number.
    ///
    /// # Errors
    /// As [`Writer::chunk`].
    pub fn station(&mut self, station: &Station) -> Result<(), TakeError> {
        let rows = stations::rows(station, self.decoder.origin());
        add_to(&mut self.stations_file, &self.folder, STATIONS, stations::HEADER, &rows)
    }

    /// Bytes were sent to the board.
    ///
    /// # Errors
    /// As [`Writer::chunk`].
    pub fn sent(&mut self, at: Stamp, bytes: &[u8]) -> Result<(), TakeError> {
        let row = sent::row(self.decoder.origin(), at, self.wire.all(), bytes);
        self.decoder.sent(at, bytes);
        add_to(&mut self.sent_file, &self.folder, SENT, sent::HEADER, &row)
    }

    /// There is a gap, from `at` on.
    ///
    /// # Errors
    /// As [`Writer::chunk`].
    pub(super) fn gap(&mut self, at: Stamp, gap: &Gap) -> Result<(), TakeError> {
        let row = gap.row(self.decoder.origin(), at, self.wire.all());
        add_to(&mut self.gaps_file, &self.folder, GAPS, gaps::HEADER, &row)
    }

    /// All files that grow, in the order in which they are written through: the stamps go first and the readings late,
    /// since a reader that finds stamps beyond the end of `wire.bin` drops them, and makes readings that are not there
    /// yet from `wire.bin`.
    fn files(&mut self) -> impl Iterator<Item = &mut Growing> {
        let files = [&mut self.stamps, &mut self.wire, &mut self.readings, &mut self.marks_file];
        let own = files.into_iter().chain(&mut self.events_file).chain(&mut self.sent_file);
        own.chain(&mut self.stations_file).chain(&mut self.gaps_file).chain(&mut self.late_file)
    }

    fn stamp(&mut self, at: Stamp, event: Option<Event>) {
        self.last = self.last.max(at);
        self.stamps.add(wire::row(self.wire.all(), at, event).as_bytes());
    }

    fn write_through(&mut self) -> Result<(), TakeError> {
        self.look_after()?;
        self.files().try_for_each(Growing::write_through)?;
        self.files().for_each(Growing::is_whole);
        Ok(())
    }

    /// Looks whether other programs left the files alone. A folder that was renamed is followed.
    fn look_after(&mut self) -> Result<(), TakeError> {
        if !self.wire.in_place()
            && let Some(folder) = self.handle.as_ref().and_then(place_of).filter(|folder| *folder != self.folder)
        {
            self.files().for_each(|file| file.move_to(&folder));
            (self.folder, self.moved) = (folder, true);
        }
        let damaged = self.files().find_map(|file| Some((file.path.clone(), file.damage()?)));
        let Some((path, what)) = damaged else { return Ok(()) };
        if self.folder.exists() { Err(TakeError::Damaged { path, what }) } else { Err(TakeError::Gone(path)) }
    }

    /// Where the take's folder is now, when it was renamed since this was last asked.
    pub(super) fn take_move(&mut self) -> Option<PathBuf> {
        std::mem::take(&mut self.moved).then(|| self.folder.clone())
    }

    /// Writes everything through.
    ///
    /// # Errors
    /// As [`Writer::chunk`]; [`TakeError::Gone`] and [`TakeError::Damaged`] when another program was at the files.
    pub fn checkpoint(&mut self, now: Stamp) -> Result<Summary, TakeError> {
        self.look_after()?;
        self.take_decoded()?;
        self.describe()?;
        self.write_through()?;
        self.saved = Summary {
            folder: self.folder.clone(),
            bytes: self.wire.all(),
            size: self.size(),
            parts: self.part,
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
        let end = now.max(self.last);
        self.event(end, Event::Stopped)?;
        self.decoder.finish();
        self.note_unread(end)?;
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
        let Writer {
            wire,
            stamps,
            readings,
            events_file,
            marks_file,
            sent_file,
            stations_file,
            gaps_file,
            late_file,
            saved,
            ..
        } = self;
        let files = [stamps, wire, readings, marks_file].into_iter();
        let files = files.chain(events_file).chain(sent_file).chain(stations_file);
        files.chain(gaps_file).chain(late_file).for_each(Growing::give_up);
        saved
    }
}

/// The name of `file` in a part of a take, from 1: `readings.csv`, `readings-0002.csv` …
pub(super) fn part_name(file: &str, part: u32) -> String {
    match (part, file.split_once('.')) {
        (1, _) | (_, None) => file.to_owned(),
        (_, Some((stem, ending))) => format!("{stem}-{part:04}.{ending}"),
    }
}

/// Where a folder is that is open; `None` when it was deleted, and where the system does not tell.
pub(super) fn place_of(folder: &File) -> Option<PathBuf> {
    let place = fs::read_link(format!("/proc/self/fd/{}", folder.as_raw_fd())).ok()?;
    let (found, own) = (fs::metadata(&place).ok()?, folder.metadata().ok()?);
    (found.ino() == own.ino() && found.dev() == own.dev()).then_some(place)
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
