//! Room on the disk for blocks of long histories: a file without a name, which is gone when the program is.

use amber_core::store::{Put, Spill};
use memmap2::{MmapOptions, MmapRaw};
use std::fs::File;
use std::io;
use std::os::unix::fs::FileExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// The file grows by so many bytes at a time.
const PART: usize = 64 << 20;

/// Where bytes begin.
const ALIGNED: usize = 8;

/// Room on the disk. What was put there is read as memory is, and the system keeps as much of it at hand as it has room
/// for.
#[derive(Debug, Default)]
pub struct SpillFile {
    file: Option<File>,
    part: Option<Part>,
    /// Bytes that were put there.
    used: u64,
    /// Why nothing more can be put there.
    failed: Option<String>,
}

/// The folder for large files that no program is to find again: as the person says, else as the system does.
fn folder() -> PathBuf {
    let large = Path::new("/var/tmp");
    match std::env::var_os("TMPDIR") {
        Some(folder) if !folder.is_empty() => folder.into(),
        _ if large.is_dir() => large.into(),
        _ => std::env::temp_dir(),
    }
}

impl SpillFile {
    /// Bytes that were put there.
    pub fn used(&self) -> u64 {
        self.used
    }

    /// Why nothing more can be put there, if so.
    pub fn failed(&self) -> Option<&str> {
        self.failed.as_deref()
    }

    /// The last part, with room for `length` more bytes.
    fn part(&mut self, length: usize) -> io::Result<&mut Part> {
        let begin = match &self.part {
            Some(part) if part.used + length <= PART => return self.part.as_mut().ok_or_else(no_room),
            Some(part) => part.begin + PART as u64,
            None => 0,
        };
        if length > PART {
            return Err(no_room());
        }
        let file = match self.file.take() {
            Some(file) => file,
            None => tempfile::tempfile_in(folder())?,
        };
        let file = self.file.insert(file);
        // Room is taken for good here: a disk that is full says so now, and not when the part is read.
        rustix::fs::fallocate(&*file, rustix::fs::FallocateFlags::empty(), begin, PART as u64)?;
        let map = MmapOptions::new().offset(begin).len(PART).map_raw_read_only(&*file)?;
        Ok(self.part.insert(Part { map: Arc::new(map), begin, used: 0 }))
    }

    fn try_put(&mut self, bytes: &[u8]) -> io::Result<Put> {
        let part = self.part(bytes.len())?;
        let (at, place) = (part.used, part.begin + part.used as u64);
        let read = Read { map: Arc::clone(&part.map), at, length: bytes.len() };
        part.used = (at + bytes.len()).next_multiple_of(ALIGNED).min(PART);
        self.file.as_ref().ok_or_else(no_room)?.write_all_at(bytes, place)?;
        self.used += bytes.len() as u64;
        Ok(Arc::new(read))
    }
}

fn no_room() -> io::Error {
    io::ErrorKind::StorageFull.into()
}

/// A part of the file, as it is read.
#[derive(Debug)]
struct Part {
    map: Arc<MmapRaw>,
    /// Where it begins in the file.
    begin: u64,
    used: usize,
}

/// Bytes within a part.
struct Read {
    map: Arc<MmapRaw>,
    at: usize,
    length: usize,
}

impl AsRef<[u8]> for Read {
    fn as_ref(&self) -> &[u8] {
        // SAFETY: the range lies within the map, which is `PART` bytes long and lives as long as `self` does. The bytes do
        // not change: they were written before `self` was made, and `SpillFile::put` writes no byte twice; the file has no
        // name and is given to nobody, so that no other program writes to it. It is never made shorter, and its room was
        // allocated, so that reading does not fail for want of a disk's block.
        #[allow(unsafe_code, reason = "see above")]
        unsafe {
            std::slice::from_raw_parts(self.map.as_ptr().add(self.at), self.length)
        }
    }
}

impl Spill for SpillFile {
    fn put(&mut self, bytes: &[u8]) -> Option<Put> {
        if self.failed.is_some() {
            return None;
        }
        match self.try_put(bytes) {
            Ok(put) => Some(put),
            Err(error) => {
                self.failed = Some(format!("{}: {}", folder().display(), crate::disk::unread(&error)));
                None
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_put_away_is_read_again() {
        let mut spill_file = SpillFile::default();
        let pieces: Vec<Vec<u8>> = (0..9usize).map(|i| vec![i as u8 + 1; i * 7_000_001]).collect();
        let put: Vec<Put> = pieces.iter().map(|piece| spill_file.put(piece).unwrap()).collect();
        assert_eq!(spill_file.used(), pieces.iter().map(|piece| piece.len() as u64).sum::<u64>());
        // It is there as long as anybody has it.
        drop(spill_file);
        for (piece, put) in pieces.iter().zip(&put) {
            let bytes = (**put).as_ref();
            assert!(bytes == piece && bytes.as_ptr().addr().is_multiple_of(ALIGNED));
        }
        let mut full = SpillFile::default();
        assert!(full.put(&vec![0; PART + 1]).is_none() && full.put(b"x").is_none(), "what failed once fails");
        assert!(full.failed().is_some());
    }
}
