//! Opening a take: what is whole is used, a torn tail is cut off and said.

use super::about::{About, FORMAT};
use super::decode::{DECODER, Decoder};
use super::marks::Mark;
use super::sent::{self, Sent};
use super::wire::{self, Piece};
use super::{ABOUT, BENCH, MARKS, READINGS, SENT, STAMPS, TakeError, WIRE};
use amber_core::Stamp;
use amber_core::bench::Bench;
use amber_core::tail::visible;
use std::fs::{self, OpenOptions};
use std::io::{self, Write};
use std::path::{Path, PathBuf};

/// A take in memory.
#[derive(Clone, Debug)]
pub struct OpenedTake {
    /// Its folder.
    pub folder: PathBuf,
    /// How it was written.
    pub about: About,
    /// The settings in force when it was made.
    pub bench: Bench,
    /// When it began.
    pub start: Stamp,
    /// The bytes that arrived.
    pub wire: Vec<u8>,
    /// When each part of `wire` arrived.
    pub pieces: Vec<Piece>,
    /// Its marks.
    pub marks: Vec<Mark>,
    /// What was sent to the board.
    pub sent: Vec<Sent>,
    /// What had to be mended, and what is not understood, in sentences for a person.
    pub mended: Vec<String>,
}

impl OpenedTake {
    /// Makes `readings.csv` again.
    pub fn decode(&self) -> Vec<u8> {
        let mut decoder = Decoder::new(&self.bench, self.start);
        for piece in &self.pieces {
            if let Some(event) = piece.event {
                decoder.apply(piece.at, event);
            }
            decoder.feed(piece.at, &self.wire[piece.bytes.clone()]);
        }
        decoder.finish();
        decoder.take_output()
    }
}

/// Opens what is in `folder`: one take, or the takes of several sources, each with the name of its source; the name is
/// empty for one alone.
///
/// # Errors
/// As [`open`].
pub fn open_all(folder: &Path) -> Result<Vec<(String, OpenedTake)>, TakeError> {
    let is_take = |folder: &Path| folder.join(WIRE).is_file();
    let entries = fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.path());
    let mut parts: Vec<PathBuf> = entries.filter(|path| is_take(path)).collect();
    if is_take(folder) || parts.is_empty() {
        return Ok(vec![(String::new(), open(folder)?)]);
    }
    parts.sort();
    let name = |path: &Path| path.file_name().map_or_else(String::new, |name| name.to_string_lossy().into_owned());
    parts.iter().map(|part| Ok((name(part), open(part)?))).collect()
}

/// Opens the take in `folder`.
///
/// Half lines at the ends of its tables are cut off, and rows that are in `wire.bin` but not yet in `readings.csv` are
/// added; both are said in [`OpenedTake::mended`]. A take that is still being written is left as it is.
///
/// # Errors
/// When the folder is no take, or a file cannot be read or does not say what it should.
pub fn open(folder: &Path) -> Result<OpenedTake, TakeError> {
    let meta = fs::metadata(folder).map_err(TakeError::io("cannot open", folder))?;
    if !meta.is_dir() {
        return Err(TakeError::NotATake { folder: folder.into(), missing: WIRE });
    }
    let read = |name: &'static str| {
        let path = folder.join(name);
        fs::read(&path).map_err(|error| match error.kind() {
            io::ErrorKind::NotFound => TakeError::NotATake { folder: folder.into(), missing: name },
            _ => TakeError::io("cannot read", &path)(error),
        })
    };
    let growing = being_written(&folder.join(WIRE));
    let stamps = read(STAMPS)?;
    let wire = read(WIRE)?;
    let mut told = Vec::new();
    let about = about(&read(ABOUT).unwrap_or_default(), &mut told);
    let bench_text = String::from_utf8_lossy(&read(BENCH)?).into_owned();
    let (bench, mistakes) = Bench::parse_what_holds(&bench_text);
    told.extend(mistakes.iter().map(|mistake| visible(format!("{BENCH}: {mistake}; the rest holds").as_bytes())));
    let found = wire::parse(&stamps, wire.len())
        .map_err(|message| TakeError::Malformed { path: folder.join(STAMPS), message })?;
    let (start, pieces, stamps_whole) = (found.start, found.pieces, found.whole);
    for word in &found.unknown {
        told.push(visible(format!("{STAMPS}: '{word}' is not known here, and is passed over").as_bytes()));
    }
    let marks_text = read(MARKS).unwrap_or_default();
    let marks_whole = whole_lines(&marks_text);
    let marks = Mark::parse(&marks_text[..marks_whole], start);
    let sent_text = read(SENT).unwrap_or_default();
    let sent_whole = whole_lines(&sent_text);
    let sent = sent::parse(&sent_text[..sent_whole], start);
    let folder = folder.to_path_buf();
    let mut take = OpenedTake { folder, about, bench, start, wire, pieces, marks, sent, mended: told };
    if growing {
        take.mended.push("it is still being written: this is what it holds so far".into());
        return Ok(take);
    }
    for (name, length, whole) in [
        (STAMPS, stamps.len(), stamps_whole),
        (MARKS, marks_text.len(), marks_whole),
        (SENT, sent_text.len(), sent_whole),
    ] {
        if whole < length {
            take.cut(name, length, whole);
        }
    }
    take.mend_readings();
    Ok(take)
}

impl OpenedTake {
    fn cut(&mut self, name: &str, length: usize, whole: usize) {
        let done = OpenOptions::new().write(true).open(self.folder.join(name)).and_then(|f| f.set_len(whole as u64));
        let torn = length - whole;
        self.mended.push(match done {
            Ok(()) => format!("{name} had a torn tail: {torn} bytes cut off"),
            Err(error) => {
                format!("{name} has a torn tail of {torn} bytes that could not be cut off: {error}")
            }
        });
    }

    /// Cuts a half line off `readings.csv` and adds the rows that were on the wire but not yet in it.
    fn mend_readings(&mut self) {
        let path = self.folder.join(READINGS);
        let found = fs::read(&path).unwrap_or_default();
        if self.about.decoder != DECODER && !found.is_empty() {
            // Another decoder may have made another table of the same bytes.
            let whole = whole_lines(&found);
            if whole < found.len() {
                self.cut(READINGS, found.len(), whole);
            }
            return;
        }
        let again = self.decode();
        if found == again {
            return;
        }
        let whole = whole_lines(&found);
        if whole < found.len() {
            self.cut(READINGS, found.len(), whole);
        }
        if !again.starts_with(&found[..whole]) {
            self.mended.push(format!("{READINGS} differs from what {WIRE} says: it was changed, and is left as it is"));
        } else if again.len() > whole {
            let rows = again[whole..].iter().filter(|b| **b == b'\n').count();
            let done = OpenOptions::new().append(true).create(true).open(&path);
            self.mended.push(match done.and_then(|mut file| file.write_all(&again[whole..])) {
                Ok(()) => format!("{rows} lines that were only in {WIRE} were added to {READINGS}"),
                Err(error) => format!("{rows} lines are only in {WIRE} and could not be added to {READINGS}: {error}"),
            });
        }
    }
}

/// What the take says of itself; tells what is not understood.
fn about(text: &[u8], told: &mut Vec<String>) -> About {
    let about: Result<About, _> = toml_edit::de::from_str(&String::from_utf8_lossy(text));
    match about {
        Ok(about) => {
            if about.format > FORMAT {
                told.push(format!(
                    "it was written in format {}, this version knows up to {FORMAT}: what is not understood is left out",
                    about.format
                ));
            }
            about
        }
        Err(_) => {
            told.push(format!("{ABOUT} does not say what it should, and is left out of account"));
            About { format: FORMAT, ..About::default() }
        }
    }
}

/// Whether a keeper holds the take.
fn being_written(wire: &Path) -> bool {
    let held = |file: fs::File| {
        use rustix::fs::{FlockOperation, flock};
        flock(&file, FlockOperation::NonBlockingLockShared) == Err(rustix::io::Errno::WOULDBLOCK)
    };
    fs::File::open(wire).is_ok_and(held)
}

/// The length up to the last line ending.
pub(super) fn whole_lines(text: &[u8]) -> usize {
    text.iter().rposition(|b| *b == b'\n').map_or(0, |end| end + 1)
}

#[cfg(test)]
#[path = "take_tests.rs"]
mod tests;
