//! What waits to be delivered, on the disk: messages go in at one end and are read from the other, however often the program
//! ends between.
//!
//! A folder of its own, below the folder for program state:
//!
//! | file | what |
//! |---|---|
//! | `00000001.spool`, … | a first line with the format, then a line for each message: checksum (CRC-32C of the rest, in hexadecimal), number, topic, tab, text; only ever added to |
//! | `delivered` | checksum, the number of a file, an offset and the number of a message: all that stands before it was delivered; and the number of the message that is added next |
//! | `lock` | held while somebody publishes from here |
//!
//! Messages are numbered one after the other. What does not agree with its checksum is never sent, and numbers that do not come
//! are counted as damaged: what a kill cut off, what was changed, what was cut off or taken away. Files of format 1, which have
//! neither checksums nor numbers, are read too.

use super::Message;
use bytes::Bytes;
use crc::{CRC_32_ISCSI, Crc, Table};
use rustix::fs::{FlockOperation, flock};
use std::collections::VecDeque;
use std::fs::{self, DirBuilder, File, OpenOptions};
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::os::unix::fs::{DirBuilderExt, FileExt, OpenOptionsExt};
use std::path::{Path, PathBuf};

/// The first line of each file, and that of files without checksums.
const HEADER: &[u8] = b"amber-tap spool 2\n";
const OLD_HEADER: &[u8] = b"amber-tap spool 1\n";

static CHECKSUM: Crc<u32, Table<16>> = Crc::<u32, Table<16>>::new(&CRC_32_ISCSI);

/// The digits of a checksum, and the blank behind it.
const CHECK: usize = 9;

/// The end of a file that is searched for the last message at once, in bytes.
const END: u64 = 1 << 20;

/// Files that the spool is parted into at least: the oldest goes when there is no more room.
const PARTS: u64 = 8;

/// What is read at once.
const BLOCK: usize = 256 << 10;

/// A place between two messages.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Place {
    file: u64,
    offset: u64,
    /// The number of the message behind it.
    next: u64,
}

/// One of the files.
#[derive(Clone, Copy, Debug)]
struct Part {
    number: u64,
    size: u64,
    /// Messages behind the place from which is read next, as far as they stand in this file.
    unread: u64,
    /// The number of its first message; `None` for a file whose messages have none.
    first: Option<u64>,
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
    /// The number of the message that is added next.
    next: u64,
    /// What `delivered` says on the disk.
    saved: Option<(Place, u64)>,
    /// Messages that there was no room for, and those that were damaged, since the spool was opened.
    lost: u64,
    damaged: u64,
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
        let saved = read_delivered(folder);
        let (delivered, mut next) = saved.unwrap_or((Place { file: 0, offset: 0, next: 0 }, 0));
        let mut parts = VecDeque::new();
        for number in numbers.iter().copied() {
            let path = path_of(folder, number);
            if number < delivered.file {
                fs::remove_file(path)?;
                continue;
            }
            let from = if number == delivered.file { delivered.offset } else { 0 };
            // A file of another format is not ours to touch.
            let Some(found) = Found::in_file(&path, from)? else { continue };
            next = next.max(found.next);
            if found.unread > 0 {
                parts.push_back(Part { number, size: found.size, unread: found.unread, first: found.first });
            } else {
                fs::remove_file(path)?;
            }
        }
        // What is added goes into a file of its own: nothing is written behind what a kill may have cut off.
        let number = numbers.last().copied().unwrap_or(0).max(delivered.file) + 1;
        let newest = begin(folder, number)?;
        parts.push_back(Part { number, size: HEADER.len() as u64, unread: 0, first: Some(next) });
        let first = parts[0];
        let (offset, number) = match saved {
            Some((delivered, _)) if first.number == delivered.file => (delivered.offset, delivered.next),
            Some((delivered, _)) => (0, delivered.next),
            // What was delivered is not known: it is delivered again.
            None => (0, first.first.unwrap_or(next)),
        };
        let read = Place { file: first.number, offset: offset.max(HEADER.len() as u64), next: number };
        let mut spool = Spool {
            folder: folder.into(),
            limit,
            parts,
            newest,
            read,
            delivered: read,
            next,
            saved: None,
            lost: 0,
            damaged: 0,
            _lock: lock,
        };
        spool.count_missing();
        Ok(spool)
    }

    /// Where nothing is left to be read, all messages have come by that will.
    fn count_missing(&mut self) {
        if self.unread() == 0 {
            self.damaged += self.next.saturating_sub(self.read.next);
            self.read.next = self.next;
        }
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

    /// Messages that there was no room for, since the last call.
    pub(super) fn take_lost(&mut self) -> u64 {
        std::mem::take(&mut self.lost)
    }

    /// Messages that are not on the disk any more as they were put there, since the last call.
    pub(super) fn take_damaged(&mut self) -> u64 {
        std::mem::take(&mut self.damaged)
    }

    /// Adds messages; each gets the place behind it. Where there is no more room, the oldest file goes, and what was unread of
    /// it is lost.
    ///
    /// # Errors
    /// What the system says; none of them is then on the disk.
    pub(super) fn add(&mut self, messages: &mut [Message]) -> io::Result<()> {
        // Nothing is written behind what another program did to the file.
        let is_ours = self.newest.metadata()?.len() == self.newest().size;
        if self.newest().size >= self.limit / PARTS || !is_ours {
            let number = self.newest().number + 1;
            self.newest = begin(&self.folder, number)?;
            self.parts.push_back(Part { number, size: HEADER.len() as u64, unread: 0, first: Some(self.next) });
        }
        let part = *self.newest();
        let mut text = Vec::new();
        for (number, message) in (self.next..).zip(messages.iter_mut()) {
            let begin = text.len();
            write!(text, "{:08x} {number} ", 0)?;
            text.extend_from_slice(message.topic.as_bytes());
            text.push(b'\t');
            text.extend_from_slice(&message.text);
            let check = format!("{:08x}", CHECKSUM.checksum(&text[begin + CHECK..]));
            text[begin..begin + check.len()].copy_from_slice(check.as_bytes());
            text.push(b'\n');
            let offset = part.size + text.len() as u64;
            message.place = Some(Place { file: part.number, offset, next: number + 1 });
        }
        if let Err(error) = self.newest.write_all_at(&text, part.size) {
            // What was written of it is cut off; should that fail too, it is written over.
            let _ = self.newest.set_len(part.size);
            messages.iter_mut().for_each(|message| message.place = None);
            return Err(error);
        }
        self.next += messages.len() as u64;
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
        let first = self.parts[0];
        let next = first.first.unwrap_or(self.read.next);
        let next = Place { file: first.number, offset: HEADER.len() as u64, next };
        self.read = self.read.max(next);
        self.delivered = self.delivered.max(next);
        fs::remove_file(path_of(&self.folder, part.number))
    }

    /// What was added last need not be read: whoever added it has it.
    pub(super) fn skip(&mut self) {
        self.parts.iter_mut().for_each(|part| part.unread = 0);
        let newest = *self.newest();
        self.read = Place { file: newest.number, offset: newest.size, next: self.next };
    }

    /// The next messages; none where there are none, or none of the next ones is sound.
    ///
    /// # Errors
    /// What the system says; it may be tried again.
    pub(super) fn read(&mut self) -> io::Result<Vec<Message>> {
        let Some(at) = self.parts.iter().position(|part| part.unread > 0) else { return Ok(Vec::new()) };
        let part = self.parts[at];
        if self.read.file != part.number {
            self.read = Place { file: part.number, offset: HEADER.len() as u64, ..self.read };
        }
        let text = match self.text_from(part) {
            Ok(text) => text,
            // It was taken away.
            Err(error) if error.kind() == io::ErrorKind::NotFound => Bytes::new(),
            Err(error) => return Err(error),
        };
        let begun = self.read;
        let (mut messages, mut from, mut lines) = (Vec::<Message>::new(), 0, 0);
        for end in memchr::memchr_iter(b'\n', &text) {
            let line = text.slice(from..end);
            from = end + 1;
            lines += 1;
            self.read.offset = begun.offset + from as u64;
            match parsed(&line, part.first.is_some()) {
                Some((number, topic, body)) => {
                    if let Some(number) = number {
                        self.damaged += number.saturating_sub(self.read.next);
                        self.read.next = number + 1;
                    }
                    messages.push(Message { topic, text: line.slice(body..), place: Some(self.read) });
                }
                // It is done with together with the one before.
                None => {
                    self.damaged += u64::from(part.first.is_none());
                    if let Some(last) = messages.last_mut() {
                        last.place = Some(self.read);
                    }
                }
            }
        }
        if messages.is_empty() && self.delivered == begun {
            self.delivered = self.read;
        }
        let part = &mut self.parts[at];
        part.unread = part.unread.saturating_sub(lines);
        if lines == 0 {
            // The file is shorter than it was, or what is left of it is no message.
            let left = std::mem::take(&mut part.unread);
            self.damaged += if part.first.is_none() { left } else { 0 };
        }
        self.count_missing();
        Ok(messages)
    }

    /// Whole lines behind the place from which is read next; none where there are none.
    fn text_from(&self, part: Part) -> io::Result<Bytes> {
        let file = File::open(path_of(&self.folder, part.number))?;
        let left = part.size.min(file.metadata()?.len()).saturating_sub(self.read.offset);
        let mut length = BLOCK as u64;
        loop {
            let mut text = vec![0; length.min(left) as usize];
            file.read_exact_at(&mut text, self.read.offset)?;
            match memchr::memrchr(b'\n', &text) {
                Some(end) => return Ok(Bytes::from(text).slice(..=end)),
                None if length >= left => return Ok(Bytes::new()),
                None => length *= 2,
            }
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
        if self.saved == Some((self.delivered, self.next)) {
            return Ok(());
        }
        let Place { file, offset, next } = self.delivered;
        // Of one length, and checked, so that a kill leaves one or the other.
        let text = format!("{file:020} {offset:020} {next:020} {:020}", self.next);
        let text = format!("{:08x} {text}\n", CHECKSUM.checksum(text.as_bytes()));
        options().create(true).truncate(false).open(self.folder.join("delivered"))?.write_all_at(text.as_bytes(), 0)?;
        self.saved = Some((self.delivered, self.next));
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
        if (self.delivered.file, self.delivered.offset) >= (newest.number, newest.size) {
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

/// What was delivered, and the number of the message that is added next; `None` where that is not known.
fn read_delivered(folder: &Path) -> Option<(Place, u64)> {
    let text = crate::disk::read(&folder.join("delivered"), 200).ok()?;
    let text = std::str::from_utf8(&text).ok()?.trim_end();
    let numbers = |text: &str| text.split(' ').map(|number| number.parse().ok()).collect::<Option<Vec<u64>>>();
    // Without a checksum: that of format 1.
    if let [file, offset] = numbers(text).unwrap_or_default()[..] {
        return Some((Place { file, offset, next: 0 }, 0));
    }
    let (check, rest) = text.split_at_checked(CHECK)?;
    let is_sound = u32::from_str_radix(check.trim_end(), 16).ok()? == CHECKSUM.checksum(rest.as_bytes());
    match numbers(rest)?[..] {
        [file, offset, next, added] if is_sound => Some((Place { file, offset, next }, added)),
        _ => None,
    }
}

/// What a line says: its number where it has one, its topic, and where its text begins; `None` where it is not as it was
/// written.
fn parsed(line: &Bytes, is_numbered: bool) -> Option<(Option<u64>, std::sync::Arc<str>, usize)> {
    let mut begin = 0;
    let mut number = None;
    if is_numbered {
        let (check, rest) = line.split_at_checked(CHECK)?;
        let check = u32::from_str_radix(std::str::from_utf8(check.strip_suffix(b" ")?).ok()?, 16).ok()?;
        if check != CHECKSUM.checksum(rest) {
            return None;
        }
        let end = memchr::memchr(b' ', rest)?;
        number = Some(std::str::from_utf8(&rest[..end]).ok()?.parse().ok()?);
        begin = CHECK + end + 1;
    }
    let tab = begin + memchr::memchr(b'\t', &line[begin..])?;
    Some((number, String::from_utf8_lossy(&line[begin..tab]).as_ref().into(), tab + 1))
}

/// What there is in a file that another run has left.
struct Found {
    /// Up to its last whole message.
    size: u64,
    /// Messages behind what was delivered.
    unread: u64,
    /// The number of its first message, where they have some.
    first: Option<u64>,
    /// The number behind that of its last message, also where a kill cut that off.
    next: u64,
}

impl Found {
    /// Looks at a file, behind `from`; `None` for one of another format.
    fn in_file(path: &Path, from: u64) -> io::Result<Option<Found>> {
        let mut file = File::open(path)?;
        let mut header = Vec::new();
        (&mut file).take(HEADER.len() as u64).read_to_end(&mut header)?;
        if header != HEADER && header != OLD_HEADER {
            // One that a kill cut off within its first line holds nothing.
            let is_ours = HEADER.starts_with(&header) || OLD_HEADER.starts_with(&header);
            return Ok(is_ours.then_some(Found { size: 0, unread: 0, first: None, next: 0 }));
        }
        let begin = from.max(HEADER.len() as u64);
        file.seek(SeekFrom::Start(begin))?;
        let (mut buffer, mut at, mut size, mut unread) = (vec![0; BLOCK], begin, begin, 0);
        loop {
            let length = file.read(&mut buffer)?;
            if length == 0 {
                break;
            }
            for end in memchr::memchr_iter(b'\n', &buffer[..length]) {
                unread += 1;
                size = at + end as u64 + 1;
            }
            at += length as u64;
        }
        let (mut first, mut next) = (None, 0);
        if header == HEADER {
            let number = |line: &[u8]| parsed(&Bytes::copy_from_slice(line), true).and_then(|(number, ..)| number);
            let part = |from: u64, to: u64| {
                let mut text = vec![0; (to - from) as usize];
                file.read_exact_at(&mut text, from).map(|()| text)
            };
            let head = part(HEADER.len() as u64, size.min(HEADER.len() as u64 + END).max(HEADER.len() as u64))?;
            first = head.split(|b| *b == b'\n').find_map(number).or(Some(0));
            let end = part(begin.max(size.saturating_sub(END)), size)?;
            next = end.rsplit(|b| *b == b'\n').find_map(number).map_or(0, |last| last + 1 + u64::from(at > size));
        }
        Ok(Some(Found { size, unread, first, next }))
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
        assert_eq!((spool.unread(), spool.take_lost()), (4, 0));
        spool.add(&mut [message(9)]).unwrap();
        let mut all = spool.read().unwrap();
        all.extend(spool.read().unwrap());
        assert_eq!(all.iter().map(number).collect::<Vec<_>>(), [0, 1, 2, 3, 9]);
        assert_eq!(spool.take_damaged(), 1);
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
        assert!(spool.read().unwrap().is_empty());
        assert_eq!((spool.unread(), spool.take_lost(), spool.take_damaged()), (0, 0, 5));
    }

    #[test]
    fn what_a_version_without_checksums_left_is_delivered() {
        let dir = tempfile::tempdir().unwrap();
        let text = |n: std::ops::Range<u32>| n.map(|n| format!("a/rows\t{{\"row\":{n}}}\n")).collect::<String>();
        fs::write(path_of(dir.path(), 3), format!("amber-tap spool 1\n{}", text(0..9))).unwrap();
        fs::write(path_of(dir.path(), 4), format!("amber-tap spool 1\n{}", text(9..12))).unwrap();
        let offset = 18 + text(0..2).len();
        fs::write(dir.path().join("delivered"), format!("{:020} {offset:020}\n", 3)).unwrap();
        let mut spool = Spool::open(dir.path(), 1_000_000).unwrap();
        spool.add(&mut [message(12)]).unwrap();
        let mut all = Vec::new();
        while spool.unread() > 0 {
            all.extend(spool.read().unwrap());
        }
        assert_eq!(all.iter().map(number).collect::<Vec<_>>(), (2..13).collect::<Vec<_>>());
        assert_eq!((spool.take_lost(), spool.take_damaged()), (0, 0));
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(200))]

        /// Bits that flip and files that are cut, while the spool is open or between two runs: what is read is what was added, in
        /// its order, and all else is counted to the message.
        #[test]
        fn damage_is_never_sent_and_always_counted(
            batches in prop::collection::vec(1u64..300, 1..8),
            flips in prop::collection::vec((any::<prop::sample::Index>(), 0u8..8), 0..20),
            cut in prop::option::of(any::<prop::sample::Index>()), is_open: bool,
        ) {
            let dir = tempfile::tempdir().unwrap();
            let mut spool = Spool::open(dir.path(), 40_000).unwrap();
            let mut added = 0;
            for count in batches {
                spool.add(&mut (added..added + count).map(message).collect::<Vec<_>>()).unwrap();
                added += count;
            }
            spool.save().unwrap();
            let mut lost = spool.take_lost();
            let mut kept = Some(spool).filter(|_| is_open);
            let files: Vec<PathBuf> = fs::read_dir(dir.path()).unwrap().flatten().map(|entry| entry.path())
                .filter(|path| path.extension().is_some_and(|ending| ending == "spool")).collect();
            for (at, bit) in flips {
                let path = &files[at.index(files.len())];
                let mut bytes = fs::read(path).unwrap();
                let own = HEADER.len()..bytes.len();
                if own.is_empty() { continue }
                bytes[own.start + at.index(own.len())] ^= 1 << bit;
                fs::write(path, bytes).unwrap();
            }
            if let Some(cut) = cut {
                let path = &files[cut.index(files.len())];
                let bytes = fs::read(path).unwrap();
                fs::write(path, &bytes[..HEADER.len() + cut.index(bytes.len() - HEADER.len() + 1)]).unwrap();
            }
            let mut spool = kept.take().unwrap_or_else(|| Spool::open(dir.path(), 40_000).unwrap());
            spool.add(&mut [message(added)]).unwrap();
            added += 1;
            let mut all: Vec<u64> = Vec::new();
            while spool.unread() > 0 {
                all.extend(spool.read().unwrap().iter().map(number));
            }
            lost += spool.take_lost();
            prop_assert!(all.is_sorted_by(|a, b| a < b) && all.last() == Some(&(added - 1)), "{all:?}");
            prop_assert_eq!(all.len() as u64 + lost + spool.take_damaged(), added);
        }
    }
}
