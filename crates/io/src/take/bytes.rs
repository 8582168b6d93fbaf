//! The bytes of a take: left on the disk and read as they are needed, however many they are.

use crate::disk;
use rustix::fs::OFlags;
use std::fs::File;
use std::io;
use std::ops::Range;
use std::os::unix::fs::FileExt;
use std::path::{Path, PathBuf};
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
    /// Files that follow one another, each with the place of its first byte.
    Disk(Arc<[(usize, File)]>),
    Memory(Arc<[u8]>),
}

impl Bytes {
    /// Those of files in a folder that is not trusted, one after the other, as many as they have now.
    pub(super) fn of_files(paths: &[PathBuf]) -> io::Result<Bytes> {
        let (mut files, mut length) = (Vec::new(), 0);
        for path in paths {
            let file = disk::open(path, OFlags::NOFOLLOW)?;
            let own = usize::try_from(file.metadata()?.len()).map_err(io::Error::other)?;
            files.push((length, file));
            length += own;
        }
        Ok(Bytes { place: Location::Disk(files.into()), length })
    }

    /// Those of one file, as many as it has now; `path` may be a link.
    pub(super) fn of_file(path: &Path) -> io::Result<Bytes> {
        let file = disk::open(path, OFlags::empty())?;
        let length = usize::try_from(file.metadata()?.len()).map_err(io::Error::other)?;
        Ok(Bytes { place: Location::Disk([(0, file)].into()), length })
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
            Location::Disk(files) => {
                let begin = out.len();
                out.resize(begin + range.len(), 0);
                let read = read_at(files, range.start, &mut out[begin..]);
                read.inspect_err(|_| out.truncate(begin))
            }
        }
    }
}

/// Reads from byte `at` on of files that follow one another.
fn read_at(files: &[(usize, File)], mut at: usize, mut out: &mut [u8]) -> io::Result<()> {
    let mut place = files.partition_point(|(begin, _)| *begin <= at).saturating_sub(1);
    while !out.is_empty() {
        let (begin, file) = files.get(place).ok_or(io::ErrorKind::UnexpectedEof)?;
        let end = files.get(place + 1).map_or(usize::MAX, |(next, _)| *next);
        let (now, rest) = out.split_at_mut(out.len().min(end.saturating_sub(at)));
        file.read_exact_at(now, (at - begin) as u64)?;
        (at, out, place) = (at + now.len(), rest, place + 1);
    }
    Ok(())
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
        let paths = [dir.path().join("wire.bin"), dir.path().join("wire-0002.bin"), dir.path().join("wire-0003.bin")];
        let all: Vec<u8> = (0..3_500_000u32).map(|i| (i.wrapping_mul(2_654_435_761) >> 24) as u8).collect();
        for (path, part) in paths.iter().zip([0..1_500_000, 1_500_000..1_500_001, 1_500_001..all.len()]) {
            std::fs::write(path, &all[part]).unwrap();
        }
        let bytes = Bytes::of_files(&paths).unwrap();
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
        File::options().write(true).open(&paths[0]).unwrap().set_len(1000).unwrap();
        let mut out = vec![7];
        assert!(bytes.read(500..1500, &mut out).is_err());
        assert_eq!(out, [7]);
        assert!(bytes.read(0..1000, &mut out).is_ok());
    }
}
