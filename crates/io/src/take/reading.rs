//! Another reading of a take: its bytes decoded with other settings, kept in a folder within it, `reading-02`, `reading-03` …
//! The first one and the bytes stay as they are.

use super::decode::Decoder;
use super::manage::is_readings;
use super::reader::{OpenedTake, ReplayItem};
use super::{ABOUT, BENCH, EVENTS, LATE, READINGS, TakeError, WIRE};
use crate::disk;
use crate::take::About;
use amber_core::bench::Bench;
use amber_core::keep::Parts;
use amber_core::work::Ticket;
use std::fs::{self, File, OpenOptions};
use std::io::{self, Write};
use std::path::{Path, PathBuf};

/// The take that the reading in this folder is of, if it is one.
pub(super) fn whole_of(folder: &Path) -> Option<PathBuf> {
    let name = folder.file_name()?.to_str()?;
    let parent = folder.parent()?;
    let is_file = |path: PathBuf| fs::symlink_metadata(path).is_ok_and(|meta| meta.is_file());
    (is_readings(name) && is_file(folder.join(ABOUT)) && is_file(parent.join(WIRE))).then(|| parent.to_path_buf())
}

/// Bytes that are decoded before they are written.
const WAITING: usize = 1 << 20;

/// Decodes a take with the settings of `bench` into a new folder within it, and gives that.
///
/// # Errors
/// When the take holds no bytes, or cannot be read or written, or the work is cancelled; nothing is left of it then.
pub fn save_reading(take: &OpenedTake, bench: &Bench, ticket: &Ticket) -> Result<PathBuf, TakeError> {
    let of = whole_of(&take.folder).unwrap_or_else(|| take.folder.clone());
    if take.from_table {
        let why = "its bytes are gone, so that nothing can be read of it in another way".into();
        return Err(TakeError::NotATake { folder: of, why });
    }
    let mut bench = bench.clone();
    bench.shared.keep.parts = Parts::default();
    let folder = free_folder(&of)?;
    let written = write(&folder, take, &bench, ticket);
    if let Err(error) = written {
        // Half a reading says less than none.
        let _ = fs::remove_dir_all(&folder);
        return Err(TakeError::io("cannot write to", &folder)(error));
    }
    Ok(folder)
}

fn free_folder(take: &Path) -> Result<PathBuf, TakeError> {
    for number in 2..1000 {
        let folder = take.join(format!("reading-{number:02}"));
        match fs::create_dir(&folder) {
            Ok(()) => return Ok(folder),
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {}
            Err(error) => return Err(TakeError::io("cannot create", &folder)(error)),
        }
    }
    Err(TakeError::Exists(take.into()))
}

fn write(folder: &Path, take: &OpenedTake, bench: &Bench, ticket: &Ticket) -> io::Result<()> {
    let new = |name: &str| OpenOptions::new().write(true).create_new(true).open(folder.join(name));
    new(ABOUT)?.write_all(About::now().text().as_bytes())?;
    new(BENCH)?.write_all(bench.new_file("The settings of this reading").as_bytes())?;
    let mut decoder = Decoder::new(bench, take.start);
    let mut readings = new(READINGS)?;
    let mut events: Option<File> = if decoder.has_conditions() { Some(new(EVENTS)?) } else { None };
    let mut late: Option<File> = None;
    let mut put = |decoder: &mut Decoder| -> io::Result<()> {
        readings.write_all(&decoder.take_output())?;
        let rows = decoder.take_late();
        if late.is_none() && !rows.is_empty() {
            late.insert(new(LATE)?).write_all(&decoder.late_header())?;
        }
        late.as_mut().map_or(Ok(()), |late| late.write_all(&rows))?;
        events.as_mut().map_or(Ok(()), |events| events.write_all(&decoder.take_events()))
    };
    let mut replay = take.replay();
    let mut since = 0;
    while let Some(step) = replay.next_step()? {
        match step {
            ReplayItem::Event(at, event) => decoder.apply(at, event),
            ReplayItem::Bytes(at, bytes) => {
                since += bytes.len();
                decoder.feed(at, bytes);
            }
            ReplayItem::Sent(sent) => decoder.sent(sent.at, &sent.bytes),
            ReplayItem::Unread(_) => {}
        }
        if since >= WAITING {
            since = 0;
            put(&mut decoder)?;
            let (given, all) = replay.given();
            ticket.done(given, all).map_err(|_| io::Error::other("it was cancelled"))?;
        }
    }
    decoder.finish();
    put(&mut decoder)?;
    disk::sync(&readings)?;
    for (name, document) in decoder.documents() {
        new(name)?.write_all(document.as_bytes())?;
    }
    disk::sync_folder(folder);
    Ok(())
}
