//! One line to the values of one row, or of a part of one, once the shape is known.

use super::beside::{LONGEST_CODE, MOST_CODES, Outside, Texts};
use super::clean::clean;
use super::labelled::{pair, separates, tokens};
use super::number::{Number, scan_number};
use super::outcome::Rejection;
use super::pattern::Unread;
use super::shape::{Labels, MAX_FIELDS, Shape};
use super::value::{Value, is_gap, is_word, value};
use super::words::Sign;
use super::{json, plain, words};
use crate::digits::decimals;

/// What a line was that is not a row.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum Other {
    /// Words of the board's own.
    Text,
    /// A row that cannot be trusted.
    Damage(Rejection),
    /// A sound line with labels that were not there before.
    NewLabel {
        /// These labels; at least one.
        labels: Vec<String>,
        /// The line has all those that were there before as well, so that damage did not make it of one of them.
        beside_all: bool,
    },
}

/// What a column states of itself.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Column {
    /// The smallest step between two of its values.
    pub resolution: Resolution,
    /// The pair of [`super::STATE_WORDS`] that the board writes instead of 0 and 1.
    pub words: Option<u8>,
    /// It carries dates or times, in seconds.
    pub is_moment: bool,
}

/// The smallest step between two raw values of a column.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Resolution {
    /// A number of so many decimals was the finest in a text so far.
    Decimals(u8),
    /// This step, as a layout says; finite and above 0.
    Step(f64),
}

impl Default for Resolution {
    fn default() -> Self {
        Resolution::Decimals(0)
    }
}

impl Resolution {
    /// The step: 1 for whole numbers, 0.01 for two decimals.
    pub fn step(self) -> f64 {
        match self {
            Resolution::Decimals(places) => 10f64.powi(-i32::from(places)),
            Resolution::Step(step) => step,
        }
    }

    /// The decimals with which a raw value is shown.
    pub fn decimals(self) -> usize {
        match self {
            Resolution::Decimals(places) => usize::from(places),
            Resolution::Step(step) => decimals(step),
        }
    }
}

/// Where the values of a line go.
pub(super) struct Cells<'a> {
    values: &'a mut [f64],
    decimals: [u8; MAX_FIELDS],
    /// The columns that were written as words, with the pair of words; few lines have any.
    words: Vec<(usize, u8)>,
    /// The columns that the line had, a bit each.
    filled: u64,
    /// There are digits after a point.
    is_fine: bool,
}

impl<'a> Cells<'a> {
    pub(super) fn new(values: &'a mut [f64]) -> Cells<'a> {
        Cells { values, decimals: [0; MAX_FIELDS], words: Vec::new(), filled: 0, is_fine: false }
    }

    pub(super) fn set(&mut self, column: usize, value: Value) {
        self.set_number(column, value.number);
        self.words.extend(value.words.map(|pair| (column, pair)));
    }

    /// What a line is that has these cells and some for `new`, which are not among `labels`.
    fn new_labels(&self, new: Vec<String>, labels: &Labels) -> Other {
        // Of one label alone there is little to tell it by.
        let beside_all = labels.labels.len() > 1 && self.filled.count_ones() as usize == labels.labels.len();
        Other::NewLabel { labels: new, beside_all }
    }

    /// How many columns the line had.
    pub(super) fn count(&self) -> usize {
        self.filled.count_ones() as usize
    }

    /// Where whole numbers of all the first `columns` go; each of them is to be set.
    #[inline(always)]
    pub(super) fn wholes(&mut self, columns: usize) -> &mut [f64] {
        self.filled |= u64::MAX >> (MAX_FIELDS - columns.clamp(1, MAX_FIELDS));
        &mut self.values[..columns]
    }

    #[inline]
    pub(super) fn set_number(&mut self, column: usize, number: Number) {
        self.values[column] = number.value;
        if number.decimals > 0 {
            self.decimals[column] = number.decimals;
            self.is_fine = true;
        }
        self.filled |= 1 << column;
    }

    pub(super) fn clear(&mut self) {
        self.values.fill(f64::NAN);
        self.decimals = [0; MAX_FIELDS];
        self.words.clear();
        (self.filled, self.is_fine) = (0, false);
    }
}

/// Which of so many columns carry numbers other than 0 and 1, a bit each.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Numbers {
    columns: usize,
    bits: u64,
}

/// Reads lines of one shape.
#[derive(Clone, Debug)]
pub(super) struct Reader {
    shape: Shape,
    /// `label=` of each column, for labelled lines in the usual order.
    keys: Vec<Vec<u8>>,
    /// The texts around the values of the last worded line, trimmed, with the column behind each: most lines differ
    /// from the one before in their numbers alone.
    skeleton: Vec<(Vec<u8>, usize)>,
    /// The text behind the last value.
    ending: Vec<u8>,
    /// The same for the line of each column, where a row has several lines.
    lines: Vec<Option<(Vec<u8>, Vec<u8>)>>,
    /// The column that is expected next, where a row has several lines.
    next: usize,
    decimals: Vec<u8>,
    /// The columns in which numbers other than 0 and 1 came, a bit each.
    numbers: u64,
    has_misread: bool,
    /// The last line was read in the usual way of its shape: nothing but its numbers differed from what is known.
    as_before: bool,
    words: Vec<Option<u8>>,
    /// Signs on the lines of words that were read since they were last looked at, and can be read in another way.
    pub(super) signs: Vec<Sign>,
    /// The word of the last line that stood where codes do and is none of them.
    pub(super) word: Unread,
    /// Words on accepted lines that belong to no field, for finding out whether they change.
    outside: Outside,
    /// Texts in JSON that are no columns.
    texts: Texts,
}

impl Reader {
    pub(super) fn new(shape: Shape) -> Self {
        let mut reader = Reader {
            decimals: Vec::new(),
            numbers: 0,
            has_misread: false,
            as_before: false,
            words: Vec::new(),
            signs: Vec::new(),
            word: None,
            outside: Outside::default(),
            texts: Texts::default(),
            keys: Vec::new(),
            skeleton: Vec::new(),
            ending: Vec::new(),
            lines: Vec::new(),
            next: 0,
            shape,
        };
        reader.fit();
        reader
    }

    fn fit(&mut self) {
        let columns = self.shape.columns();
        self.decimals.resize(columns, 0);
        self.words.resize(columns, None);
        self.lines.resize(columns, None);
        self.skeleton.clear();
        if let Shape::Labelled(labels) = &self.shape {
            self.keys = labels.labels.iter().map(|label| format!("{label}=").into_bytes()).collect();
        }
    }

    pub(super) fn shape(&self) -> &Shape {
        &self.shape
    }

    /// What is known of each column.
    pub(super) fn columns(&self) -> impl Iterator<Item = Column> {
        let column = |(place, (places, words)): (usize, (&u8, &Option<u8>))| Column {
            resolution: Resolution::Decimals(*places),
            words: *words,
            is_moment: self.shape.is_moment(place),
        };
        self.decimals.iter().zip(&self.words).enumerate().map(column)
    }

    /// Whether something on the accepted lines that belongs to no field may be one: words that change, or a word behind a
    /// name.
    pub(super) fn may_leave_fields(&self) -> bool {
        self.outside.named || self.leaves_changing_words()
    }

    /// Whether words that belong to no field change from line to line.
    pub(super) fn leaves_changing_words(&self) -> bool {
        self.outside.change() || self.texts.change()
    }

    /// Adds a word to the codes of a column.
    pub(super) fn add_code(&mut self, column: usize, word: &str) {
        match &mut self.shape {
            Shape::Pattern(pattern) => pattern.add_code(column, word),
            other => {
                let codes = other.labels_mut().and_then(|labels| labels.codes.get_mut(column));
                if let Some(codes) = codes.filter(|codes| codes.len() < MOST_CODES) {
                    codes.push(word.to_owned());
                }
            }
        }
    }

    /// Whether there can be no more columns.
    pub(super) fn is_full(&self) -> bool {
        match &self.shape {
            Shape::Frames(frames) => frames.is_full(),
            other => other.labels().is_none_or(|labels| labels.labels.len() >= MAX_FIELDS),
        }
    }

    /// Reads by another shape with the same columns from here on.
    pub(super) fn refine(&mut self, shape: Shape) {
        self.shape = shape;
        self.signs.clear();
        self.outside = Outside::default();
        self.fit();
    }

    /// A text in JSON that was found to change between few words: a column of codes.
    pub(super) fn new_codes(&mut self) -> Option<(String, Vec<String>)> {
        self.texts.found.take()
    }

    /// Adds a column of codes, where there can be another one.
    pub(super) fn grow_codes(&mut self, label: String, words: Vec<String>) {
        if let Some(labels) = self.shape.labels_mut().filter(|labels| labels.labels.len() < MAX_FIELDS) {
            labels.codes.resize(labels.labels.len(), Vec::new());
            labels.codes.push(words);
            labels.labels.push(label);
            labels.complete = false;
            self.fit();
        }
    }

    /// Adds a column for `label`, where there can be another one.
    pub(super) fn grow(&mut self, label: String) {
        if let Shape::Frames(frames) = &mut self.shape {
            frames.grow(label);
            self.fit();
        } else if let Some(labels) = self.shape.labels_mut().filter(|labels| labels.labels.len() < MAX_FIELDS) {
            labels.labels.push(label);
            labels.complete = false;
            self.fit();
        }
    }

    /// Whether a line that reads as a row is surely whole at its beginning: a plain number that lost its first digits
    /// is still a number; a label that lost its first letters is no known label.
    pub(super) fn knows_its_start(&self) -> bool {
        match &self.shape {
            Shape::Json(_) | Shape::Frames(_) | Shape::Pins(_) | Shape::Polled(_) => true,
            Shape::Pattern(pattern) => pattern.knows_its_start(),
            // A number without a name is still one without its first digits.
            Shape::Worded(labels) => {
                labels.complete && !labels.labels.first().is_none_or(|label| label.starts_with("field"))
            }
            Shape::Labelled(labels) => labels.complete,
            Shape::PerLine(_) | Shape::Plain(_) => false,
        }
    }

    /// Whether a line with these columns has all that a whole one has.
    pub(super) fn is_whole(&self, filled: u64) -> bool {
        self.shape.labels().is_none_or(|labels| filled.count_ones() as usize == labels.labels.len())
    }

    /// Reads `line` into `values`, one a column of the line, NaN where it has a gap; gives the columns that it had,
    /// a bit each. `first` is the column of its first value, where a row has several lines told apart by order.
    #[inline]
    pub(super) fn read(&mut self, line: &[u8], first: usize, values: &mut [f64]) -> Result<u64, Other> {
        let mut cells = Cells::new(values);
        let fast = match &self.shape {
            Shape::Labelled(_) => self.labelled_in_order(line, &mut cells),
            Shape::Worded(_) => self.worded_as_before(line, &mut cells),
            Shape::PerLine(_) => self.stacked_as_before(line, &mut cells),
            Shape::Plain(plain) => plain::plain(plain, line, &mut cells),
            Shape::Pattern(pattern) => pattern.read(line, &mut cells, &mut self.word).is_ok(),
            Shape::Frames(frames) => {
                frames.read(line, &mut cells)?;
                true
            }
            Shape::Json(_) | Shape::Pins(_) | Shape::Polled(_) => false,
        };
        self.as_before = fast && self.word.is_none();
        if !fast {
            cells.clear();
            let Some(text) = clean(line) else { return Err(Other::Damage(Rejection::Unreadable)) };
            let line = text.as_ref();
            match &self.shape {
                Shape::Pattern(pattern) => pattern.read(line, &mut cells, &mut self.word)?,
                // None is read here: pins and answers make rows by themselves.
                Shape::Frames(_) | Shape::Pins(_) | Shape::Polled(_) => {}
                Shape::Labelled(labels) => labelled_any(labels, line, &mut cells)?,
                Shape::Worded(_) | Shape::PerLine(_) => self.worded_any(line, &mut cells)?,
                Shape::Plain(plain) => plain::any(plain, line, &mut cells)?,
                Shape::Json(labels) => json_any(labels, line, &mut cells, &mut self.word, &mut self.texts)?,
            }
        }
        let filled = cells.filled;
        if cells.is_fine {
            for (kept, new) in self.decimals[first..].iter_mut().zip(&cells.decimals) {
                *kept = (*kept).max(*new);
            }
        }
        let untold = filled & !(self.numbers >> first);
        if untold != 0 {
            self.tell_numbers(first, untold, cells.values);
        }
        if !cells.words.is_empty() {
            self.tell_words(first, &mut cells);
        }
        if matches!(self.shape, Shape::PerLine(_)) {
            self.next = (63 - filled.max(1).leading_zeros() as usize + 1) % self.lines.len().max(1);
        }
        Ok(filled)
    }

    /// Knows the finest step of each column from elsewhere.
    pub(super) fn know_decimals(&mut self, decimals: &[u8]) {
        self.decimals.copy_from_slice(decimals);
    }

    /// Which columns carry numbers other than 0 and 1.
    pub(super) fn numbers(&self) -> Numbers {
        Numbers { columns: self.shape.columns(), bits: self.numbers }
    }

    /// Knows beforehand which columns carry such numbers, where there are as many.
    pub(super) fn know_numbers(&mut self, numbers: Numbers) {
        if numbers.columns == self.shape.columns() {
            self.numbers = numbers.bits;
        }
    }

    /// Whether the last line was read in the usual way of its shape, and told nothing new of the columns.
    pub(super) fn is_as_before(&self) -> bool {
        self.as_before && !self.has_misread
    }

    /// Whether words that were read as states stood among numbers, as it turned out. Says so once.
    pub(super) fn misread_states(&mut self) -> bool {
        std::mem::take(&mut self.has_misread)
    }

    /// Learns which of the `untold` columns of a line carry numbers.
    #[inline]
    fn tell_numbers(&mut self, first: usize, untold: u64, values: &[f64]) {
        let mut left = untold;
        while left != 0 {
            let column = left.trailing_zeros() as usize;
            left &= left - 1;
            let value = values[column];
            // Most columns of which it is not told yet are 0 or 1.
            let is_bit = matches!(value.to_bits(), 0 | 0x3ff0_0000_0000_0000);
            if !is_bit && value != 0.0 && !value.is_nan() {
                self.has_misread |= self.words[first + column].take().is_some();
                self.numbers |= 1 << (first + column);
            }
        }
    }

    /// A word for a state in a column of numbers says that there is no reading: `OPEN` where a probe is broken.
    #[cold]
    fn tell_words(&mut self, first: usize, cells: &mut Cells<'_>) {
        for (column, pair) in std::mem::take(&mut cells.words) {
            if self.numbers & (1 << (first + column)) != 0 {
                cells.values[column] = f64::NAN;
            } else {
                self.words[first + column] = Some(pair);
            }
        }
    }

    /// The usual case: every label, in the usual order, plain numbers.
    #[inline]
    fn labelled_in_order(&self, line: &[u8], cells: &mut Cells<'_>) -> bool {
        let mut rest = line;
        for (column, key) in self.keys.iter().enumerate() {
            let Some(text) = rest.strip_prefix(key.as_slice()) else { return false };
            let Some((number, used)) = scan_number(text) else { return false };
            let gap = text[used..].iter().take_while(|b| separates(**b)).count();
            if gap == 0 && used < text.len() {
                return false;
            }
            cells.set_number(column, number);
            rest = &text[used + gap..];
        }
        rest.is_empty()
    }

    /// The usual case of worded lines: the same text as before around other numbers.
    #[inline]
    fn worded_as_before(&self, line: &[u8], cells: &mut Cells<'_>) -> bool {
        if self.skeleton.is_empty() {
            return false;
        }
        let mut rest = line;
        for (text, column) in &self.skeleton {
            match after(rest, text, cells.filled != 0) {
                Some((number, behind)) => {
                    cells.set_number(*column, number);
                    rest = behind;
                }
                None => return false,
            }
        }
        rest.trim_ascii() == self.ending.as_slice()
    }

    /// The usual case of rows on several lines: the next column's line, with the same text as before.
    #[inline]
    fn stacked_as_before(&self, line: &[u8], cells: &mut Cells<'_>) -> bool {
        let Some(Some((text, ending))) = self.lines.get(self.next) else { return false };
        let Some((number, behind)) = after(line, text, false) else { return false };
        if behind.trim_ascii() != ending.as_slice() {
            return false;
        }
        cells.values.fill(f64::NAN);
        cells.set_number(self.next, number);
        true
    }

    /// Names and values with words around; remembers the words for the next line.
    fn worded_any(&mut self, line: &[u8], cells: &mut Cells<'_>) -> Result<(), Other> {
        let Some(labels) = self.shape.labels() else { return Err(Other::Text) };
        let scan = words::scan(line, labels.style());
        let known = |label: &str| labels.labels.iter().position(|known| known == label);
        let mut skeleton = Vec::new();
        let mut unknown = None;
        let mut fault = None;
        let mut end = 0;
        for slot in &scan.slots {
            let Some(column) = known(&slot.label) else {
                unknown = unknown.or(Some(slot.label.clone()));
                continue;
            };
            let unit = String::from_utf8_lossy(&line[slot.unit.clone()]);
            // `950 mV` among `1.1 V` must not be taken for 950 V, nor a value that lost its end with its unit.
            if labels.units.get(column).is_some_and(|expected| unit != *expected) {
                fault = Some(Rejection::OtherUnit);
            }
            cells.set(column, slot.value);
            skeleton.push((line[end..slot.at.start].trim_ascii().to_vec(), column));
            end = slot.at.end;
        }
        if cells.filled == 0 {
            // A name that lost its value.
            let named = |label: &String| {
                let rest = line.trim_ascii_start().strip_prefix(label.as_bytes());
                rest.is_some_and(|rest| matches!(rest.trim_ascii_start().first(), Some(b'=' | b':')))
            };
            let damaged = labels.labels.iter().any(named);
            return Err(if damaged { Other::Damage(Rejection::NotANumber) } else { Other::Text });
        }
        // Nobody looks at them where nothing is doubted.
        if self.signs.is_empty() {
            self.signs.clone_from(&scan.signs);
        }
        let all = cells.filled.count_ones() as usize == labels.labels.len();
        match (fault, unknown) {
            (Some(fault), _) => return Err(Other::Damage(fault)),
            // As when two lines ran together.
            (None, Some(label)) if is_again(&label, labels) => return Err(Other::Damage(Rejection::LabelTwice)),
            (None, Some(label)) if scan.strong => return Err(cells.new_labels(vec![label], labels)),
            // A sentence that happens to name a channel.
            (None, Some(_)) if !all => return Err(Other::Text),
            (None, Some(_)) => return Err(Other::Damage(Rejection::FieldCount)),
            // What a sentence says of a channel is no row.
            (None, None) if labels.complete && !all && !scan.strong => {
                return Err(Other::Damage(Rejection::MissingLabel));
            }
            (None, None) => {}
        }
        self.outside.note(line, &scan, cells.filled);
        let ending = line[end..].trim_ascii().to_vec();
        if let (Shape::PerLine(_), [(text, column)]) = (&self.shape, skeleton.as_slice()) {
            self.lines[*column] = Some((text.clone(), ending));
        } else {
            (self.skeleton, self.ending) = (skeleton, ending);
        }
        Ok(())
    }
}

/// Whether `label` is one of `labels` with a number behind it, by which it is told from the first of its name.
fn is_again(label: &str, labels: &Labels) -> bool {
    let base = label.rsplit_once('_').filter(|(_, number)| number.bytes().all(|b| b.is_ascii_digit()));
    base.is_some_and(|(base, _)| labels.labels.iter().any(|known| known == base))
}

/// The number behind `text` at the start of `line`, blanks around the text left out of account, and what follows it.
#[inline]
fn after<'a>(line: &'a [u8], text: &[u8], after_number: bool) -> Option<(Number, &'a [u8])> {
    let blanks = |line: &[u8]| line.iter().take_while(|b| matches!(b, b' ' | b'\t')).count();
    let lead = blanks(line);
    let rest = &line[lead..];
    // These texts are short: comparing them here is faster than a call.
    if rest.len() < text.len() || rest.iter().zip(text).any(|(a, b)| a != b) {
        return None;
    }
    let rest = &rest[text.len()..];
    let gap = blanks(rest);
    // Nothing but blanks between two numbers: there must be one, or they are one number.
    if text.is_empty() && after_number && lead + gap == 0 {
        return None;
    }
    let rest = &rest[gap..];
    let (number, used) = scan_number(rest)?;
    Some((number, &rest[used..]))
}

/// Labelled fields in any order; says what is wrong where something is.
fn labelled_any(labels: &Labels, line: &[u8], cells: &mut Cells<'_>) -> Result<(), Other> {
    let mut fault = None;
    let mut unknown = None;
    let mut known_labels = 0;
    for token in tokens(line) {
        let Some((label, text)) = pair(&line[token]) else {
            fault.get_or_insert(Rejection::NotANumber);
            continue;
        };
        let parsed = value(text, false);
        if parsed.is_none() && !is_gap(text) && !is_word(text) {
            fault.get_or_insert(Rejection::NotANumber);
        }
        match labels.labels.iter().position(|known| known.as_bytes() == label) {
            None => unknown = unknown.or(Some(label)),
            Some(column) => {
                known_labels += 1;
                if cells.filled & (1 << column) != 0 {
                    fault.get_or_insert(Rejection::LabelTwice);
                }
                let gap = Number { value: f64::NAN, decimals: 0 };
                cells.set(column, parsed.unwrap_or(gap.into()));
            }
        }
    }
    if let Some(fault) = fault {
        return Err(if known_labels == 0 { Other::Text } else { Other::Damage(fault) });
    }
    match unknown {
        Some(label) => Err(cells.new_labels(vec![String::from_utf8_lossy(label).into_owned()], labels)),
        None if cells.filled == 0 => Err(Other::Text),
        None => Ok(()),
    }
}

/// A line of JSON, its values in any order.
fn json_any(
    labels: &Labels,
    line: &[u8],
    cells: &mut Cells<'_>,
    word: &mut Unread,
    texts: &mut Texts,
) -> Result<(), Other> {
    let mut next = 0;
    let (mut unknown, mut twice) = (Vec::new(), false);
    let read = json::scan(line, |path, at, value| {
        let is = |column: usize| labels.labels.get(column).is_some_and(|label| label.as_bytes() == path);
        let column = if is(next) { Some(next) } else { (0..labels.labels.len()).find(|column| is(*column)) };
        match column {
            None if value.is_none() => texts.note(path, &line[at]),
            None if path.is_empty() => {}
            None if unknown.len() == MAX_FIELDS => {}
            None => unknown.push(String::from_utf8_lossy(path).into_owned()),
            Some(column) => {
                twice |= cells.filled & (1 << column) != 0;
                let text = &line[at];
                let codes = labels.codes.get(column).map_or(&[][..], Vec::as_slice);
                let code = codes.iter().position(|code| code.as_bytes() == text).map(|code| code as f64);
                if value.is_none() && code.is_none() && !codes.is_empty() && text.len() <= LONGEST_CODE {
                    *word = Some((column, text.to_vec()));
                }
                let value =
                    if codes.is_empty() { value } else { code.map(|value| Number { value, decimals: 0 }.into()) };
                cells.set(column, value.unwrap_or(Number { value: f64::NAN, decimals: 0 }.into()));
                next = column + 1;
            }
        }
    });
    if read.is_err() {
        // Half of a line still has the signs of one.
        let signs = json::begins(line) || line.windows(2).any(|pair| pair == b"\":");
        return Err(if signs { Other::Damage(Rejection::NotJson) } else { Other::Text });
    }
    match () {
        () if twice => Err(Other::Damage(Rejection::LabelTwice)),
        () if !unknown.is_empty() => Err(cells.new_labels(unknown, labels)),
        () if cells.filled == 0 => Err(Other::Text),
        () => Ok(()),
    }
}
