//! A **take**: one recording, a folder of plain files that other programs open.
//!
//! | file | what |
//! |---|---|
//! | `readings.csv` | RFC 4180, a header row; `time_s` since the start, `wall_clock` in ISO 8601, then the channels |
//! | `readings.csv-metadata.json` | the columns' titles, units and datatypes, in the vocabulary of CSV on the Web |
//! | `late.csv` | what channels say that came when the header of `readings.csv` was written, if any did: time, wall clock, channel, unit, value; a row a value |
//! | `wire.bin` | the exact bytes that arrived |
//! | `wire.csv` | for each chunk: offset in `wire.bin`, arrival in nanoseconds since the Unix epoch, and what happened before it: `begin` and `join` (a link was opened, at the start of a line or within one), `text` and `pipe` (a text begins, without arrival times or with them), `grows` (the text goes on, with arrival times), `end` (it has ended), `stop` (the take was ended properly) |
//! | `marks.csv` | number, time, wall clock, note |
//! | `gaps.csv` | when and why nothing arrived, or not all was kept, if that happened: time, wall clock, offset in `wire.bin`, event (`lost`, `lent`, `resumed`, `break`, `not kept`, `suspended`, `clock`), note |
//! | `sent.csv` | what was sent to the board, if anything: time, wall clock, offset in `wire.bin`, bytes, text |
//! | `events.csv` | the events of the conditions, if any are watched for: number, condition, time, wall clock, begin, duration, and what the channels said then; `events.csv-metadata.json` describes it |
//! | `stations.csv` | what the channels amounted to at numbered places, if any were taken: number, name, time, wall clock, duration, channel, unit, rows, mean, deviation, min, max; a row a channel; of one number the last counts |
//! | `note.txt` | what a person wrote about the take, if anything |
//! | `bench.toml` | the settings in force at the start |
//! | `take.toml` | the number of the format, the program's version, the number of the decoder |
//!
//! A take in parts has `readings-0002.csv`, `wire-0002.bin`, `wire-0002.csv` and so on beside the first ones: joined, with the
//! headers of the later ones left out, they are the files of a take in one part.
//!
//! `reading-02`, `reading-03` … within a take are other readings of it ([`save_reading`]), with a table, events and a bench of
//! their own.
//!
//! A take of several sources is a folder of takes, one for each source.
//!
//! `readings.csv`, `late.csv` and `events.csv` are made by [`Decoder`] from the bytes of `wire.bin` and their stamps and nothing else, both
//! when they are written and when they are checked, so decoding again gives the same files byte for byte. Files are only ever added to; a checkpoint
//! writes all of them through in an order ([`Writer::checkpoint`]) that lets a reader tell what is whole.

mod about;
mod blocks;
mod bytes;
mod columns;
mod decode;
mod events;
mod file;
mod gaps;
mod glance;
mod growing;
mod hearing;
mod keeper;
mod manage;
mod marks;
mod mend;
mod metadata;
mod reader;
mod reading;
mod recent;
mod sent;
mod sheet;
mod stations;
mod table;
mod when;
mod wire;
mod writer;

pub use about::About;
pub use blocks::{read_blocks, save_block};
pub use bytes::Bytes;
pub use decode::{DECODER, Decoder, Tally};
pub use file::open_file;
pub use glance::{Glance, glance};
pub use keeper::{From, Keeper, Order, PublishOrder, Report};
pub use manage::{delete, name_fault, rename, set_note};
pub use marks::Mark;
pub use mend::{Mending, Repair, mend_all};
pub use reader::{OpenedTake, Replay, ReplayItem, open, open_all};
pub use reading::save_reading;
pub use sent::Sent;
pub(crate) use sheet::free_name;
pub use stations::stations_csv;
pub use when::{iso8601, seconds_text};
pub use wire::{Event, Piece};
pub use writer::{Summary, TakePlace, Writer, next_folder};

use amber_core::Stamp;
use std::io;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// How often a take is to be written through, so that a kill costs less than a second.
pub const CHECKPOINT: Duration = Duration::from_millis(400);

pub(crate) const READINGS: &str = "readings.csv";
pub(crate) const METADATA: &str = "readings.csv-metadata.json";
pub(crate) const EVENTS: &str = "events.csv";
pub(crate) const EVENTS_METADATA: &str = "events.csv-metadata.json";
pub(crate) const LATE: &str = "late.csv";
pub(crate) const WIRE: &str = "wire.bin";
pub(crate) const STAMPS: &str = "wire.csv";
pub(crate) const MARKS: &str = "marks.csv";
pub(crate) const SENT: &str = "sent.csv";
pub(crate) const NOTE: &str = "note.txt";
pub(crate) const STATIONS: &str = "stations.csv";
pub(crate) const GAPS: &str = "gaps.csv";
pub(crate) const BENCH: &str = "bench.toml";
pub(crate) const ABOUT: &str = "take.toml";

/// A take could not be made, gone on with or opened.
#[derive(Debug, thiserror::Error)]
pub enum TakeError {
    /// There is something in that place already.
    #[error("{} is there already: a take never overwrites: choose another folder", .0.display())]
    Exists(PathBuf),
    /// The system said no.
    #[error("{doing} {}: {}", .path.display(), crate::disk::remedy(.reason))]
    Io {
        /// What was tried, as in "cannot write to".
        doing: &'static str,
        /// On what.
        path: PathBuf,
        /// The system's reason.
        reason: io::Error,
    },
    /// A file cannot be read.
    #[error("cannot read {}: {}", .0.display(), crate::disk::unread(.1))]
    Unreadable(PathBuf, io::Error),
    /// A fault of the program's own; what was received before it is kept.
    #[error("the thread that writes the take failed by an internal fault")]
    Fault,
    /// The folder was moved or deleted while the take was running.
    #[error("{} is gone: its folder was moved or deleted while the take was running", .0.display())]
    Gone(PathBuf),
    /// Another program was at a file of the running take.
    #[error("{} {what} by another program while the take was running", .path.display())]
    Damaged {
        /// The file.
        path: PathBuf,
        /// What was done to it, as in "was cut".
        what: &'static str,
    },
    /// That folder is no take.
    #[error("{} is not a take: {why}", .folder.display())]
    NotATake {
        /// The folder.
        folder: PathBuf,
        /// What is wrong with it.
        why: String,
    },
    /// Another program is at the take.
    #[error("{} is in the hands of another program: wait until it is done", .0.display())]
    Busy(PathBuf),
}

impl TakeError {
    pub(crate) fn io(doing: &'static str, path: &Path) -> impl FnOnce(io::Error) -> TakeError {
        let path = path.to_path_buf();
        move |reason| TakeError::Io { doing, path, reason }
    }
}

/// One row of a take's smaller tables, quoted where it must be.
fn csv_row(fields: &[Vec<u8>]) -> Vec<u8> {
    let mut writer = csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_writer(Vec::new());
    // Writing to a vector cannot fail.
    let _ = writer.write_record(fields);
    writer.into_inner().unwrap_or_default()
}

/// Reads a smaller table: what `read` makes of its rows, and of how many it makes nothing. A last row without the end of
/// its line counts.
fn read_rows<T>(text: &[u8], read: impl Fn(&csv::StringRecord) -> Option<T>) -> (Vec<T>, u64) {
    let mut reader = csv::ReaderBuilder::new().flexible(true).from_reader(text);
    let (mut found, mut lost) = (Vec::new(), 0);
    for row in reader.records() {
        match row.ok().as_ref().and_then(&read) {
            Some(row) => found.push(row),
            None => lost += 1,
        }
    }
    (found, lost)
}

/// The moment that lies so many seconds, given as text, after `start`.
fn seconds_after(start: Stamp, seconds: &str) -> Option<Stamp> {
    seconds.parse::<f64>().ok().filter(|seconds| seconds.abs() < 1e9).map(|seconds| start.plus(seconds))
}
