//! A **take**: one recording, a folder of plain files that other programs open.
//!
//! | file | what |
//! |---|---|
//! | `readings.csv` | RFC 4180, a header row; `time_s` since the start, `wall_clock` in ISO 8601, then the channels |
//! | `readings.csv-metadata.json` | the columns' titles, units and datatypes, in the vocabulary of CSV on the Web |
//! | `wire.bin` | the exact bytes that arrived |
//! | `wire.csv` | for each chunk: offset in `wire.bin`, arrival in nanoseconds since the Unix epoch, and what happened before it: `begin` and `join` (a link was opened, at the start of a line or within one), `text` and `pipe` (a text begins, without arrival times or with them), `grows` (the text goes on, with arrival times), `end` (it has ended) |
//! | `marks.csv` | number, time, wall clock, note |
//! | `sent.csv` | what was sent to the board, if anything: time, wall clock, offset in `wire.bin`, bytes, text |
//! | `bench.toml` | the settings in force at the start |
//! | `take.toml` | the number of the format, the program's version, the number of the decoder |
//!
//! A take of several sources is a folder of takes, one for each source.
//!
//! `readings.csv` is made by [`Decoder`] from the bytes of `wire.bin` and nothing else, both when it is written and
//! when it is checked, so decoding again gives the same file byte for byte. Files are only ever added to; a checkpoint
//! writes all of them through in an order ([`Writer::checkpoint`]) that lets a reader tell what is whole.

mod about;
mod decode;
mod keeper;
mod marks;
mod metadata;
mod reader;
mod sent;
mod when;
mod wire;
mod writer;

pub use about::About;
pub use decode::{DECODER, Decoder, Tally};
pub use keeper::{From, Keeper, Order, Report};
pub use marks::Mark;
pub use reader::{OpenedTake, open, open_all};
pub use sent::Sent;
pub use when::iso8601;
pub use wire::{Event, Piece};
pub use writer::{Place, Summary, Writer, next_folder};

use std::io;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// How often a take is to be written through, so that a kill costs less than a second.
pub const CHECKPOINT: Duration = Duration::from_millis(400);

pub(crate) const READINGS: &str = "readings.csv";
pub(crate) const METADATA: &str = "readings.csv-metadata.json";
pub(crate) const WIRE: &str = "wire.bin";
pub(crate) const STAMPS: &str = "wire.csv";
pub(crate) const MARKS: &str = "marks.csv";
pub(crate) const SENT: &str = "sent.csv";
pub(crate) const BENCH: &str = "bench.toml";
pub(crate) const ABOUT: &str = "take.toml";

/// A take could not be made, gone on with or opened.
#[derive(Debug, thiserror::Error)]
pub enum TakeError {
    /// There is something in that place already.
    #[error("{} is there already: a take never overwrites, choose another folder", .0.display())]
    Exists(PathBuf),
    /// The system said no.
    #[error("{doing} {}: {}", .path.display(), remedy(.reason))]
    Io {
        /// What was tried, as in "cannot write to".
        doing: &'static str,
        /// On what.
        path: PathBuf,
        /// The system's reason.
        reason: io::Error,
    },
    /// The folder was moved or deleted while the take was running.
    #[error("{} is gone: its folder was moved or deleted while the take was running", .0.display())]
    Gone(PathBuf),
    /// That folder is no take.
    #[error("{} is not a take: it has no {missing}", .folder.display())]
    NotATake {
        /// The folder.
        folder: PathBuf,
        /// The file that every take has.
        missing: &'static str,
    },
    /// A file of the take does not say what it should.
    #[error("{}: {message}", .path.display())]
    Malformed {
        /// The file.
        path: PathBuf,
        /// What was found and what was expected.
        message: String,
    },
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

fn remedy(error: &io::Error) -> String {
    match error.kind() {
        io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded => "the disk is full, make room".into(),
        io::ErrorKind::FileTooLarge => "the file may not grow further here, choose another disk".into(),
        io::ErrorKind::PermissionDenied => "you may not write there, choose another folder".into(),
        io::ErrorKind::ReadOnlyFilesystem => "that disk is read-only, choose another folder".into(),
        _ => error.to_string(),
    }
}
