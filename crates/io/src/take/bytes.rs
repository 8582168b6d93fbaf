//! The bytes of a take: left on the disk and read as they are needed, however many they are.

use crate::disk;
use rustix::fs::OFlags;
use std::fs::File;
use std::io;
use std::ops::Range;
use std::os::unix::fs::FileExt;
use std::path::Path;
use std::sync::Arc;

/// How much is read ahead.
const AHEAD: usize = 1 << 20;

/// Bytes, on the disk or in memory; copies share them.
#[derive(Clone, Debug)]
pub struct Bytes {
    place: Location,
    length: usize,
}

#[derive(Clone, Debug)]
enum Location {
    Disk(Arc<File>),
    Memory(Arc<[u8]>),
}

impl Bytes {
    /// Those of a file in a folder that is not trusted, as many as it has now.
    pub(super) fn of_file(path: &Path) -> io::Result<Bytes> {
        let file = disk::open(path, OFlags::NOFOLLOW)?;
        let length = usize::try_from(file.metadata()?.len()).map_err(io::Error::other)?;
        Ok(Bytes { place: Location::Disk(Arc::new(file)), length })
    }

    pub(super) fn in_memory(bytes: Vec<u8>) -> Bytes {
        Bytes { length: bytes.len(), place: Location::Memory(bytes.into()) }
    }

    /// How many they are.
    pub fn len(&self) -> usize {
        self.length
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.length == 0
    }

    /// All of them, in memory.
    ///
    /// # Errors
    /// As [`Bytes::read`].
    pub fn to_vec(&self) -> io::Result<Vec<u8>> {
        let mut all = Vec::new();
        self.read(0..self.length, &mut all)?;
        Ok(all)
    }

    /// Reads those in `range`, which must lie within them, to the end of `out`.
    ///
    /// # Errors
    /// What the system says: the file may have become shorter, or its disk be gone. `out` is as it was then.
    pub fn read(&self, range: Range<usize>, out: &mut Vec<u8>) -> io::Result<()> {
        match &self.place {
            Location::Memory(bytes) => {
                let part = bytes.get(range).ok_or(io::ErrorKind::UnexpectedEof)?;
                out.extend_from_slice(part);
                Ok(())
            }
            Location::Disk(file) => {
                let (begin, from) = (out.len(), range.start as u64);
                out.resize(begin + range.len(), 0);
                file.read_exact_at(&mut out[begin..], from).inspect_err(|_| out.truncate(begin))
            }
        }
    }
}

/// Reads bytes in their order, ahead of what is asked for.
#[derive(Debug)]
pub(super) struct Ahead {
    bytes: Bytes,
    begin: usize,
    read: Vec<u8>,
}

impl Ahead {
    pub(super) fn new(bytes: Bytes) -> Ahead {
        Ahead { bytes, begin: 0, read: Vec::new() }
    }

    /// The bytes in `range`, or as many of its first ones as are read at once; at least one where it is not empty.
    pub(super) fn first_of(&mut self, range: Range<usize>) -> io::Result<&[u8]> {
        let end = self.begin + self.read.len();
        if range.start < self.begin || range.start >= end || (range.end > end && range.len() <= AHEAD) {
            self.read.clear();
            self.begin = range.start;
            self.bytes.read(range.start..self.bytes.len().min(range.start + AHEAD), &mut self.read)?;
        }
        let from = (range.start - self.begin).min(self.read.len());
        Ok(&self.read[from..self.read.len().min(from + range.len())])
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bytes_on_the_disk_are_those_in_memory_in_any_pieces() {
        let dir = tempfile::tempdir().unwrap();
        let path = dir.path().join("wire.bin");
        let all: Vec<u8> = (0..3_500_000u32).map(|i| (i.wrapping_mul(2_654_435_761) >> 24) as u8).collect();
        std::fs::write(&path, &all).unwrap();
        let bytes = Bytes::of_file(&path).unwrap();
        for step in [1, 700, AHEAD - 1, AHEAD, 3_000_000] {
            let mut ahead = Ahead::new(bytes.clone());
            let begin = if step == 1 { all.len() - 3000 } else { 0 };
            let mut at = begin;
            while at < all.len() {
                let end = all.len().min(at + step);
                let part = ahead.first_of(at..end).unwrap();
                assert!(!part.is_empty() && part == &all[at..at + part.len()], "{step} at {at}");
                assert!(part.len() == end - at || step > AHEAD);
                at += part.len();
            }
            assert_eq!(ahead.first_of(at..at).unwrap(), b"");
        }
        // Somebody cuts it off meanwhile.
        File::options().write(true).open(&path).unwrap().set_len(1000).unwrap();
        let mut out = vec![7];
        assert!(bytes.read(500..1500, &mut out).is_err());
        assert_eq!(out, [7]);
        assert!(bytes.read(0..1000, &mut out).is_ok());
    }
}
