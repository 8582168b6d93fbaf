//! What waits to be delivered, on the disk: messages go in at one end and are read from the other, however often the program
//! ends between.
//!
//! A folder of its own, below the folder for program state:
//!
//! | file | what |
//! |---|---|
//! | `00000001.spool`, … | a first line with the format, then a line for each message: topic, tab, text; only ever added to |
//! | `delivered` | the number of a file and an offset: all that stands before it was delivered |
//! | `lock` | held while somebody publishes from here |
//!
//! A line that a kill cut off is left out, and counted.

use super::Message;
use bytes::Bytes;
use rustix::fs::{FlockOperation, flock};
use std::collections::VecDeque;
use std::fs::{self, DirBuilder, File, OpenOptions};
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::os::unix::fs::{DirBuilderExt, FileExt, OpenOptionsExt};
use std::path::{Path, PathBuf};

/// The first line of each file.
const HEADER: &[u8] = b"amber-tap spool 1\n";

/// Files that the spool is parted into at least: the oldest goes when there is no more room.
const PARTS: u64 = 8;

/// What is read at once.
const BLOCK: usize = 256 << 10;

/// A place between two messages.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Place {
    file: u64,
    offset: u64,
}

/// One of the files.
#[derive(Clone, Copy, Debug)]
struct Part {
    number: u64,
    size: u64,
    /// Messages behind the place from which is read next, as far as they stand in this file.
    unread: u64,
}

/// The messages on the disk.
#[derive(Debug)]
pub(super) struct Spool {
    folder: PathBuf,
    limit: u64,
    /// Oldest first; never empty.
    parts: VecDeque<Part>,
    /// The newest of them, for adding.
    newest: File,
    read: Place,
    delivered: Place,
    /// What `delivered` says on the disk.
    saved: Option<Place>,
    /// Messages that nobody will deliver any more, since the spool was opened.
    lost: u64,
    _lock: File,
}

impl Spool {
    /// Opens the spool in `folder`, which is made where there is none, with what was not delivered.
    ///
    /// # Errors
    /// When somebody else publishes from there, as an error of the kind `WouldBlock`; else what the system says.
    pub(super) fn open(folder: &Path, limit: u64) -> io::Result<Spool> {
        DirBuilder::new().recursive(true).mode(0o700).create(folder)?;
        let lock = options().create(true).truncate(false).open(folder.join("lock"))?;
        flock(&lock, FlockOperation::NonBlockingLockExclusive)?;
        let mut numbers: Vec<u64> = fs::read_dir(folder)?
            .flatten()
            .filter_map(|entry| entry.file_name().to_str()?.strip_suffix(".spool")?.parse().ok())
            .collect();
        numbers.sort_unstable();
        let delivered = read_delivered(folder).unwrap_or(Place { file: 0, offset: 0 });
        let (mut parts, mut lost) = (VecDeque::new(), 0);
        for number in numbers.iter().copied() {
            let path = path_of(folder, number);
            if number < delivered.file {
                fs::remove_file(path)?;
                continue;
            }
            let from = if number == delivered.file { delivered.offset } else { 0 };
            // A file of another format is not ours to touch.
            let Some((size, unread, torn)) = count(&path, from)? else { continue };
            lost += u64::from(torn);
            if unread > 0 {
                parts.push_back(Part { number, size, unread });
            } else {
                fs::remove_file(path)?;
            }
        }
        // What is added goes into a file of its own: nothing is written behind what a kill may have cut off.
        let number = numbers.last().copied().unwrap_or(0).max(delivered.file) + 1;
        let newest = begin(folder, number)?;
        parts.push_back(Part { number, size: HEADER.len() as u64, unread: 0 });
        let first = parts[0].number;
        let offset = if first == delivered.file { delivered.offset } else { 0 }.max(HEADER.len() as u64);
        let read = Place { file: first, offset };
        Ok(Spool { folder: folder.into(), limit, parts, newest, read, delivered: read, saved: None, lost, _lock: lock })
    }

    /// Messages that were not read yet.
    pub(super) fn unread(&self) -> u64 {
        self.parts.iter().map(|part| part.unread).sum()
    }

    /// Whether what ends at `place` is on the disk still, as far as it was not delivered.
    pub(super) fn holds(&self, place: Place) -> bool {
        place.file >= self.parts[0].number
    }

    /// Bytes on the disk.
    pub(super) fn size(&self) -> u64 {
        self.parts.iter().map(|part| part.size).sum()
    }

    /// Messages that nobody will deliver any more, since the last call.
    pub(super) fn take_lost(&mut self) -> u64 {
        std::mem::take(&mut self.lost)
    }

    /// Adds messages; each gets the place behind it. Where there is no more room, the oldest file goes, and what was unread of
    /// it is lost.
    ///
    /// # Errors
    /// What the system says; none of them is then on the disk.
    pub(super) fn add(&mut self, messages: &mut [Message]) -> io::Result<()> {
        if self.newest().size >= self.limit / PARTS {
            let number = self.newest().number + 1;
            self.newest = begin(&self.folder, number)?;
            self.parts.push_back(Part { number, size: HEADER.len() as u64, unread: 0 });
        }
        let part = *self.newest();
        let mut text = Vec::new();
        for message in messages.iter_mut() {
            text.extend_from_slice(message.topic.as_bytes());
            text.push(b'\t');
            text.extend_from_slice(&message.text);
            text.push(b'\n');
            message.place = Some(Place { file: part.number, offset: part.size + text.len() as u64 });
        }
        if let Err(error) = self.newest.write_all_at(&text, part.size) {
            // What was written of it is cut off; should that fail too, it is written over.
            let _ = self.newest.set_len(part.size);
            messages.iter_mut().for_each(|message| message.place = None);
            return Err(error);
        }
        let newest = self.newest();
        newest.size += text.len() as u64;
        newest.unread += messages.len() as u64;
        while self.size() > self.limit && self.parts.len() > 1 {
            self.drop_oldest()?;
        }
        Ok(())
    }

    fn newest(&mut self) -> &mut Part {
        let last = self.parts.len() - 1;
        &mut self.parts[last]
    }

    fn drop_oldest(&mut self) -> io::Result<()> {
        let Some(part) = self.parts.pop_front() else { return Ok(()) };
        self.lost += part.unread;
        let next = Place { file: self.parts[0].number, offset: HEADER.len() as u64 };
        self.read = self.read.max(next);
        self.delivered = self.delivered.max(next);
        fs::remove_file(path_of(&self.folder, part.number))
    }

    /// What was added last need not be read: whoever added it has it.
    pub(super) fn skip(&mut self) {
        self.parts.iter_mut().for_each(|part| part.unread = 0);
        let newest = *self.newest();
        self.read = Place { file: newest.number, offset: newest.size };
    }

    /// The next messages; none where there are none.
    ///
    /// # Errors
    /// What the system says; what could not be read is then lost.
    pub(super) fn read(&mut self) -> io::Result<Vec<Message>> {
        let Some(at) = self.parts.iter().position(|part| part.unread > 0) else { return Ok(Vec::new()) };
        let part = self.parts[at];
        if self.read.file != part.number {
            self.read = Place { file: part.number, offset: HEADER.len() as u64 };
        }
        let found = self.read_from(part);
        let part = &mut self.parts[at];
        match &found {
            Ok(messages) if !messages.is_empty() => {
                part.unread = part.unread.saturating_sub(messages.len() as u64);
                self.read = messages.last().and_then(|last| last.place).unwrap_or(self.read);
            }
            // The file is not what it was.
            _ => self.lost += std::mem::take(&mut part.unread),
        }
        found
    }

    fn read_from(&self, part: Part) -> io::Result<Vec<Message>> {
        let file = File::open(path_of(&self.folder, part.number))?;
        let mut length = BLOCK;
        loop {
            let left = part.size.saturating_sub(self.read.offset);
            let mut text = vec![0; length.min(left as usize)];
            file.read_exact_at(&mut text, self.read.offset)?;
            let Some(end) = memchr::memrchr(b'\n', &text) else {
                if length as u64 >= left {
                    return Ok(Vec::new());
                }
                length *= 2;
                continue;
            };
            let text = Bytes::from(text).slice(..=end);
            let mut messages = Vec::new();
            let mut from = 0;
            for end in memchr::memchr_iter(b'\n', &text) {
                let line = text.slice(from..end);
                from = end + 1;
                let place = Some(Place { file: part.number, offset: self.read.offset + from as u64 });
                // A line without a tab is none of ours; it is passed over as an empty message, which is never sent.
                let tab = memchr::memchr(b'\t', &line).unwrap_or(0);
                let topic = String::from_utf8_lossy(&line[..tab]).as_ref().into();
                messages.push(Message { topic, text: line.slice((tab + 1).min(line.len())..), place });
            }
            return Ok(messages);
        }
    }

    /// All up to here was delivered.
    pub(super) fn deliver(&mut self, place: Place) {
        self.delivered = self.delivered.max(place);
    }

    /// Writes down what was delivered, and removes what is of no use any more.
    ///
    /// # Errors
    /// What the system says.
    pub(super) fn save(&mut self) -> io::Result<()> {
        if self.saved == Some(self.delivered) {
            return Ok(());
        }
        let Place { file, offset } = self.delivered;
        // Of one length, so that a kill leaves one or the other.
        let text = format!("{file:020} {offset:020}\n");
        options().create(true).truncate(false).open(self.folder.join("delivered"))?.write_all_at(text.as_bytes(), 0)?;
        self.saved = Some(self.delivered);
        while self.parts.len() > 1 && self.parts[0].number < file {
            self.drop_oldest()?;
        }
        Ok(())
    }
}

impl Drop for Spool {
    fn drop(&mut self) {
        // What cannot be written down is delivered twice.
        let _ = self.save();
        let newest = *self.newest();
        if self.delivered >= (Place { file: newest.number, offset: newest.size }) {
            let _ = fs::remove_file(path_of(&self.folder, newest.number));
        }
    }
}

fn options() -> OpenOptions {
    let mut options = OpenOptions::new();
    options.write(true).mode(0o600);
    options
}

fn path_of(folder: &Path, number: u64) -> PathBuf {
    folder.join(format!("{number:08}.spool"))
}

fn begin(folder: &Path, number: u64) -> io::Result<File> {
    let mut file = options().create_new(true).open(path_of(folder, number))?;
    file.write_all(HEADER)?;
    Ok(file)
}

fn read_delivered(folder: &Path) -> Option<Place> {
    let text = crate::disk::read(&folder.join("delivered"), 100).ok()?;
    let text = std::str::from_utf8(&text).ok()?;
    let (file, offset) = text.trim_end().split_once(' ')?;
    Some(Place { file: file.parse().ok()?, offset: offset.parse().ok()? })
}

/// The size of a file up to its last whole message, how many stand behind `from`, and whether something was cut off; `None` for
/// a file of another format.
fn count(path: &Path, from: u64) -> io::Result<Option<(u64, u64, bool)>> {
    let mut file = File::open(path)?;
    let mut header = Vec::new();
    (&mut file).take(HEADER.len() as u64).read_to_end(&mut header)?;
    if header != HEADER {
        // One that a kill cut off within its first line holds nothing.
        return Ok(HEADER.starts_with(&header).then_some((0, 0, false)));
    }
    let from = from.max(HEADER.len() as u64);
    file.seek(SeekFrom::Start(from))?;
    let (mut buffer, mut at, mut whole, mut messages) = (vec![0; BLOCK], from, from, 0);
    loop {
        let length = file.read(&mut buffer)?;
        if length == 0 {
            return Ok(Some((whole, messages, at > whole)));
        }
        for end in memchr::memchr_iter(b'\n', &buffer[..length]) {
            messages += 1;
            whole = at + end as u64 + 1;
        }
        at += length as u64;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn message(n: u64) -> Message {
        Message::new("a/rows".into(), format!("{{\"row\":{n}}}"))
    }

    fn number(message: &Message) -> u64 {
        let text = std::str::from_utf8(&message.text).unwrap();
        text.strip_prefix("{\"row\":").and_then(|rest| rest.strip_suffix('}')).and_then(|n| n.parse().ok()).unwrap()
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(64))]

        /// Whatever is added, read, delivered and opened again in any order: what is delivered is in order, and what was
        /// neither read nor is there still is counted as lost, to the message.
        #[test]
        fn every_message_is_read_in_order_or_counted(steps in prop::collection::vec((0u8..6, 1u64..400), 1..60)) {
            let dir = tempfile::tempdir().unwrap();
            let mut spool = Spool::open(dir.path(), 40_000).unwrap();
            let (mut added, mut lost, mut read) = (0u64, 0u64, 0u64);
            // The newest that was read, and that was delivered; what was read and not delivered is read again after opening.
            let (mut newest, mut delivered) = (None::<u64>, None::<u64>);
            for (what, count) in steps {
                match what {
                    0..=2 => {
                        let mut messages: Vec<Message> = (added..added + count).map(message).collect();
                        spool.add(&mut messages).unwrap();
                        added += count;
                    }
                    3 | 4 => {
                        let messages = spool.read().unwrap();
                        for message in &messages {
                            prop_assert!(newest.is_none_or(|newest| number(message) > newest));
                            newest = Some(number(message));
                        }
                        read += messages.len() as u64;
                        if let Some(last) = messages.last().filter(|_| what == 4) {
                            spool.deliver(last.place.unwrap());
                            spool.save().unwrap();
                            delivered = Some(number(last));
                        }
                    }
                    _ => {
                        lost += spool.take_lost();
                        drop(spool);
                        spool = Spool::open(dir.path(), 40_000).unwrap();
                        // What was read and is not delivered may be there again, or gone with its file.
                        let first = added - spool.unread();
                        prop_assert!(delivered.is_none_or(|delivered| first > delivered));
                        newest = first.checked_sub(1);
                        read = first - lost;
                    }
                }
                lost += spool.take_lost();
                prop_assert_eq!(read + lost + spool.unread(), added);
                prop_assert!(spool.size() <= 40_000 + 400 * 30);
            }
        }
    }

    #[test]
    fn a_torn_line_is_counted_two_may_not_publish_and_nothing_is_left_in_the_end() {
        let dir = tempfile::tempdir().unwrap();
        let mut spool = Spool::open(dir.path(), 1_000_000).unwrap();
        spool.add(&mut (0..5).map(message).collect::<Vec<_>>()).unwrap();
        assert_eq!(Spool::open(dir.path(), 1_000_000).unwrap_err().kind(), io::ErrorKind::WouldBlock);
        drop(spool);
        let file = path_of(dir.path(), 1);
        let text = fs::read(&file).unwrap();
        fs::write(&file, &text[..text.len() - 3]).unwrap();
        let mut spool = Spool::open(dir.path(), 1_000_000).unwrap();
        assert_eq!((spool.unread(), spool.take_lost()), (4, 1));
        spool.add(&mut [message(9)]).unwrap();
        let mut all = spool.read().unwrap();
        all.extend(spool.read().unwrap());
        assert_eq!(all.iter().map(number).collect::<Vec<_>>(), [0, 1, 2, 3, 9]);
        spool.deliver(all.last().unwrap().place.unwrap());
        drop(spool);
        let left = fs::read_dir(dir.path()).unwrap().flatten().filter(|entry| entry.path().extension().is_some());
        assert_eq!(left.count(), 0);
        // A file of another format is left alone, and one that vanished is counted.
        fs::write(path_of(dir.path(), 70), "amber-tap spool 9\nx\ty\n").unwrap();
        let mut spool = Spool::open(dir.path(), 1_000_000).unwrap();
        spool.add(&mut (0..5).map(message).collect::<Vec<_>>()).unwrap();
        assert!(path_of(dir.path(), 70).exists());
        fs::read_dir(dir.path()).unwrap().flatten().for_each(|entry| fs::remove_file(entry.path()).unwrap());
        assert!(spool.read().is_err());
        assert_eq!((spool.unread(), spool.take_lost()), (0, 5));
    }
}
