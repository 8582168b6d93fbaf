//! The files of a take that is being written.

use super::TakeError;
use std::fs::{self, File, OpenOptions};
use std::io::Write;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};

/// A file that only grows, with the length up to which it is known to agree with the others.
#[derive(Debug)]
pub(super) struct Growing {
    pub(super) path: PathBuf,
    file: File,
    waiting: Vec<u8>,
    length: u64,
    whole: u64,
    /// Bytes in the files of the parts before.
    before: u64,
}

impl Growing {
    pub(super) fn create(folder: &Path, name: &str) -> Result<Growing, TakeError> {
        let path = folder.join(name);
        let file = OpenOptions::new().write(true).create_new(true).open(&path);
        let file = file.map_err(TakeError::io("cannot create", &path))?;
        Ok(Growing { path, file, waiting: Vec::new(), length: 0, whole: 0, before: 0 })
    }

    /// The file of the next part, called `name`.
    pub(super) fn next(&self, folder: &Path, name: &str) -> Result<Growing, TakeError> {
        Ok(Growing { before: self.all(), ..Growing::create(folder, name)? })
    }

    /// Bytes that are not yet handed to the system.
    pub(super) fn waiting(&self) -> usize {
        self.waiting.len()
    }

    /// All files agree up to here.
    pub(super) fn is_whole(&mut self) {
        self.whole = self.length;
    }

    /// Holds the lock by which a reader can tell that the file is still growing, as long as what is given lives.
    pub(super) fn lock(&self) -> Option<File> {
        // Where locks are not to be had, a reader cannot tell.
        let _ = rustix::fs::flock(&self.file, rustix::fs::FlockOperation::NonBlockingLockExclusive);
        self.file.try_clone().ok()
    }

    /// Bytes in this part and those before.
    pub(super) fn all(&self) -> u64 {
        self.before + self.length
    }

    pub(super) fn add(&mut self, bytes: &[u8]) {
        self.length += bytes.len() as u64;
        self.waiting.extend_from_slice(bytes);
    }

    pub(super) fn write_through(&mut self) -> Result<(), TakeError> {
        self.file.write_all(&self.waiting).map_err(TakeError::io("cannot write to", &self.path))?;
        self.waiting.clear();
        Ok(())
    }

    pub(super) fn sync(&self) -> Result<(), TakeError> {
        crate::disk::sync(&self.file).map_err(TakeError::io("cannot write to", &self.path))
    }

    /// Whether the file is still the one in its folder.
    pub(super) fn in_place(&self) -> bool {
        let same = |a: fs::Metadata, b: fs::Metadata| a.ino() == b.ino() && a.dev() == b.dev();
        fs::metadata(&self.path).is_ok_and(|found| self.file.metadata().is_ok_and(|own| same(found, own)))
    }

    /// What another program did to the file since something was written to it last, if it did something.
    pub(super) fn damage(&self) -> Option<&'static str> {
        let written = self.length - self.waiting.len() as u64;
        if !self.in_place() {
            return Some(if self.path.exists() { "was replaced" } else { "was deleted or renamed" });
        }
        match self.file.metadata().map_or(written, |own| own.len()) {
            found if found < written => Some("was cut"),
            found if found > written => Some("was written to"),
            _ => None,
        }
    }

    /// The folder is another one now.
    pub(super) fn move_to(&mut self, folder: &Path) {
        if let Some(name) = self.path.file_name() {
            self.path = folder.join(name);
        }
    }

    /// Gives up what was not checkpointed, so that the file ends where all files are known to agree. What another program did
    /// to it stays.
    pub(super) fn give_up(self) {
        if self.in_place() && self.file.metadata().is_ok_and(|own| own.len() > self.whole) {
            // On a disk that just failed this may fail too; a reader cuts a torn tail as well.
            let _ = self.file.set_len(self.whole);
        }
    }
}

/// Adds a row to a table that is made, with its header, when it has one.
pub(super) fn add_to(
    file: &mut Option<Growing>,
    folder: &Path,
    name: &str,
    header: &[u8],
    row: &[u8],
) -> Result<(), TakeError> {
    if file.is_none() {
        file.insert(Growing::create(folder, name)?).add(header);
    }
    file.iter_mut().for_each(|file| file.add(row));
    Ok(())
}
