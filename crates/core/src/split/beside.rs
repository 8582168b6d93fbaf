//! What accepted lines hold beside their fields: words that may be a field that nobody reads. Texts in JSON that change between
//! few words become columns of codes.

use super::words;

/// Lines with other words outside of their fields after which these are taken to change.
const CHANGES: u32 = 2;

/// Sets of columns that are told apart by it.
const MOST_SETS: usize = 8;

/// What stands on accepted lines outside of their fields.
#[derive(Clone, Debug, Default)]
pub(super) struct Outside {
    /// For a set of columns, a bit each, the words on the first line that had these.
    words: Vec<(u64, Vec<u8>)>,
    /// Lines on which they were others.
    changes: u32,
    /// A word stood behind a name, as a value does.
    pub(super) named: bool,
}

impl Outside {
    /// Whether the words change from line to line.
    pub(super) fn change(&self) -> bool {
        self.changes >= CHANGES
    }

    pub(super) fn note(&mut self, line: &[u8], scan: &words::Scan, filled: u64) {
        self.named |= scan.has_text;
        let mut words = Vec::new();
        let mut end = 0;
        for slot in &scan.slots {
            words.extend(line[end..slot.whole.start.max(end)].iter().filter(|b| b.is_ascii_alphanumeric()));
            words.push(b' ');
            end = slot.unit.end.max(slot.whole.end);
        }
        words.extend(line[end..].iter().filter(|b| b.is_ascii_alphanumeric()));
        match self.words.iter().find(|(columns, _)| *columns == filled) {
            Some((_, first)) => self.changes += u32::from(*first != words),
            None if self.words.len() < MOST_SETS => self.words.push((filled, words)),
            None => {}
        }
    }
}

/// Texts in JSON that are looked at for codes, the words of one, and its longest word.
const MOST_TEXTS: usize = 16;
pub(super) const MOST_CODES: usize = 12;
pub(super) const LONGEST_CODE: usize = 32;

/// Texts in JSON that are no columns, by their path.
#[derive(Clone, Debug, Default)]
pub(super) struct Texts {
    paths: Vec<SeenText>,
    /// A path whose text turned out to be codes.
    pub(super) found: Option<(String, Vec<String>)>,
}

#[derive(Clone, Debug)]
struct SeenText {
    path: Vec<u8>,
    /// The words so far, and how often each came.
    words: Vec<(Vec<u8>, usize)>,
    lines: usize,
}

impl Texts {
    /// Takes in a text. One that changes between few plain words is a column of codes; many are no readings.
    pub(super) fn note(&mut self, path: &[u8], text: &[u8]) {
        let Some(at) = self.paths.iter().position(|seen| seen.path == path) else {
            if self.paths.len() < MOST_TEXTS {
                self.paths.push(SeenText { path: path.to_vec(), words: vec![(text.to_vec(), 1)], lines: 1 });
            }
            return;
        };
        let seen = &mut self.paths[at];
        seen.lines += 1;
        match seen.words.iter().position(|(word, _)| word == text) {
            Some(known) => seen.words[known].1 += 1,
            None if seen.words.len() <= MOST_CODES => seen.words.push((text.to_vec(), 1)),
            None => {}
        }
        // What came once may be damage.
        let again = seen.words.iter().filter(|(_, count)| *count > 1).count();
        let plain = |word: &[u8]| {
            !word.is_empty()
                && word.len() <= LONGEST_CODE
                && !word.iter().any(|b| matches!(b, b',' | b'"' | b'|' | b'\\'))
        };
        let codes = again >= 2 && seen.words.len() <= MOST_CODES && seen.words.len() * 2 <= seen.lines;
        if codes && seen.words.iter().all(|(word, _)| plain(word)) {
            let seen = self.paths.remove(at);
            let words = seen.words.iter().filter(|(_, count)| *count > 1);
            let words = words.map(|(word, _)| String::from_utf8_lossy(word).into_owned()).collect();
            self.found = Some((String::from_utf8_lossy(&seen.path).into_owned(), words));
        }
    }

    /// Whether a text changes that is not read.
    pub(super) fn change(&self) -> bool {
        self.paths
            .iter()
            .any(|seen| seen.words.len() > 2 || seen.words.iter().filter(|(_, count)| *count > 1).count() > 1)
    }
}
