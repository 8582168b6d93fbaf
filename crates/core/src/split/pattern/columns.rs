//! What each place of many lines of one form holds: the same text on all, a number, words that are codes; and what a sign
//! among digits means, judged over the whole column.

use super::super::value::{STATE_WORDS, is_gap, is_near, state};
use super::numbers::{is_ticks, may_be_sign, number};
use super::tokens::{Kind, Mode};
use super::{FieldKind, MOST_CODES, Part};

/// Words that a column of codes may have while it is being found, for so many lines.
const CODES: usize = 12;
const LINES_A_CODE: usize = 2;

/// One place of lines of one form.
pub(super) struct Place<'a> {
    pub(super) kind: Kind,
    /// What stands there, line by line.
    pub(super) texts: Vec<&'a [u8]>,
    /// The fewest blanks in front, 2 for more and for a tab.
    pub(super) gap: usize,
}

impl Place<'_> {
    pub(super) fn is_constant(&self) -> bool {
        self.texts.windows(2).all(|pair| pair[0] == pair[1])
    }

    /// A sign that is one of `marks`.
    pub(super) fn is(&self, marks: &[u8]) -> bool {
        matches!(self.kind, Kind::Mark(byte) if marks.contains(&byte))
    }
}

/// The parts of the form, fields by their kind; and what is doubted of it. `second` takes the other reading where two are
/// left.
pub(super) type Pieces = (Vec<Piece>, Option<&'static str>);

/// A part of a form that is being found.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum Piece {
    /// Text, or words that are not read.
    Part(Part),
    /// A field, which gets its column when the others are known.
    Field(FieldKind),
}

/// A form under construction.
struct Builder {
    parts: Vec<Piece>,
    text: String,
}

impl Builder {
    fn push(&mut self, text: &[u8]) {
        self.text.push_str(&String::from_utf8_lossy(text));
    }

    fn flush(&mut self) {
        if !self.text.is_empty() {
            self.parts.push(Piece::Part(Part::Text(std::mem::take(&mut self.text))));
        }
    }

    fn field(&mut self, kind: FieldKind) {
        self.flush();
        self.parts.push(Piece::Field(kind));
    }

    fn unread(&mut self) {
        self.flush();
        self.parts.push(Piece::Part(Part::Word));
    }
}

/// What stands at `places`; `None` where that is no form.
pub(super) fn parts(places: &[Place<'_>], mode: Mode, second: bool) -> Option<Pieces> {
    let mut form = Builder { parts: Vec::new(), text: String::new() };
    let mut doubt = None;
    let mut i = 0;
    while let Some(place) = places.get(i) {
        form.push(&b"  "[..if i == 0 { 0 } else { place.gap }]);
        match place.kind {
            Kind::Mark(byte) => {
                if byte == b'-'
                    && let Some(apart) = may_be_sign(places, i)
                {
                    doubt = doubt.or(Some("a minus may be the sign of the next number"));
                    if second && apart {
                        form.field(FieldKind::Minus);
                        i += 2;
                        continue;
                    }
                    if second {
                        i += 1;
                        continue;
                    }
                }
                form.push(place.texts[0]);
            }
            Kind::Moment => form.field(FieldKind::Clock(mode.written)),
            Kind::Number => {
                let (kind, used, why) = number(places, i, mode, second);
                doubt = doubt.or(why);
                match kind {
                    Some(FieldKind::Number) if is_ticks(places, i) => form.field(FieldKind::Ticks),
                    Some(kind) => form.field(kind),
                    None => form.push(place.texts[0]),
                }
                i += used;
                continue;
            }
            Kind::Phrase => phrase(places, i, &mut form)?,
        }
        i += 1;
    }
    form.flush();
    Some((form.parts, doubt))
}

/// Words at place `i`: text, codes, or not read; `None` where they are names that change.
fn phrase(places: &[Place<'_>], i: usize, form: &mut Builder) -> Option<()> {
    let place = &places[i];
    let is = |at: Option<usize>, marks: &[u8]| at.and_then(|at| places.get(at)).is_some_and(|place| place.is(marks));
    let (after_name, before_name) = (is(i.checked_sub(1), b":="), is(Some(i + 1), b":="));
    let before_number = places.get(i + 1).is_some_and(|next| next.kind == Kind::Number);
    let own = Place { kind: place.kind, texts: without_damage(&place.texts), gap: place.gap };
    let place = &own;
    let words: Vec<Vec<&[u8]>> =
        place.texts.iter().map(|text| text.split(|b| *b == b' ').filter(|word| !word.is_empty()).collect()).collect();
    let shortest = words.iter().map(Vec::len).min().unwrap_or(0);
    let same = |get: &dyn Fn(&Vec<&[u8]>) -> Vec<u8>| words.windows(2).all(|pair| get(&pair[0]) == get(&pair[1]));
    let (mut front, mut back) = (0, 0);
    while front < shortest && same(&|words| words[front].to_vec()) {
        front += 1;
    }
    while back < shortest - front && same(&|words| words[words.len() - 1 - back].to_vec()) {
        back += 1;
    }
    // A word of its own behind a name is a state, even while it does not change; so is one that says a known state.
    let is_state = |word: &[u8]| state(word).is_some();
    let alone = |at: usize| {
        let begins = at == 0 || places[at - 1].is(b",;|\t");
        let ends = places.get(at + 1).is_none_or(|next| next.is(b",;|\t"));
        begins && ends && places.len() > 1
    };
    if place.is_constant() {
        if let [before @ .., b"is", last] = words[0].as_slice()
            && is_state(last)
            && !before.is_empty()
            && !before_name
            && !before_number
        {
            form.push(&before.join(&b' '));
            form.push(b" is ");
            form.field(FieldKind::State);
            return Some(());
        }
        let first = words[0][0];
        // `data: bed -> 22`, `data: bed (mm): 22` and `data: bed level: 22` have two names in front of a value.
        let arrow = is(Some(i + 1), b"-=") && is(Some(i + 2), b">");
        // The unit may be several signs, as in `(*C)` and `(m/s)`.
        let close = (i + 3..=i + 5).find(|at| is(Some(*at), b")]"));
        let behind = close.and_then(|close| places.get(close + 1));
        let behind = behind.is_some_and(|place| place.kind == Kind::Number || place.is(b":=-"));
        let unit = is(Some(i + 1), b"([") && behind;
        let is_word = !first.iter().all(u8::is_ascii_uppercase) && !is_state(first);
        if after_name && (arrow || unit || (before_name && is_word)) {
            form.push(place.texts[0]);
            return Some(());
        }
        let own = (after_name && !before_number && !is_gap(place.texts[0]) && (!before_name || words[0].len() > 1))
            || (alone(i) && is_state(place.texts[0]));
        // A unit or a remark behind a number is text.
        let valued = own && (before_name || words[0].len() == 1 || places.get(i + 1).is_none());
        if !valued {
            form.push(place.texts[0]);
            return Some(());
        }
        if !before_name {
            form.field(codes(&[place.texts[0]]));
            return Some(());
        }
        form.field(codes(&[first]));
        form.push(b" ");
        form.push(&words[0][1..].join(&b' '));
        return Some(());
    }
    if before_name && back == 0 {
        return None;
    }
    form.push(&words[0][..front].join(&b' '));
    form.push(if front > 0 { b" " } else { b"" });
    let middles: Vec<Vec<u8>> = words.iter().map(|words| words[front..words.len() - back].join(&b' ')).collect();
    let mut distinct: Vec<&[u8]> = Vec::new();
    for middle in &middles {
        if !distinct.contains(&middle.as_slice()) {
            distinct.push(middle);
        }
    }
    let numbered = distinct.iter().any(|word| word.first().is_some_and(u8::is_ascii_digit));
    let few = distinct.len() <= CODES.min(MOST_CODES) && distinct.len() * LINES_A_CODE <= middles.len();
    let readings: Vec<&[u8]> = distinct.iter().copied().filter(|word| !is_gap(word)).collect();
    if few && !numbered && !readings.is_empty() && readings.iter().all(|word| !word.is_empty()) {
        form.field(codes(&readings));
    } else {
        form.unread();
    }
    if back > 0 {
        form.push(b" ");
        form.push(&words[0][words[0].len() - back..].join(&b' '));
    }
    Some(())
}

/// `texts` without those that came once and are another one with a letter more, less or changed, or something in front.
fn without_damage<'a>(texts: &[&'a [u8]]) -> Vec<&'a [u8]> {
    let count = |text: &[u8]| texts.iter().filter(|other| **other == text).count();
    let alike = |other: &[u8], text: &[u8]| is_near(other, text) || (text.len() > other.len() && text.ends_with(other));
    let damaged = |text: &&[u8]| count(text) == 1 && texts.iter().any(|other| alike(other, text) && count(other) > 2);
    texts.iter().copied().filter(|text| !damaged(text)).collect()
}

/// The field of these words: a state where all are words of one pair of [`STATE_WORDS`].
fn codes(words: &[&[u8]]) -> FieldKind {
    let pair =
        |word: &[u8]| state(word).and_then(|value| value.words).filter(|pair| usize::from(*pair) < STATE_WORDS.len());
    let first = pair(words[0]);
    if first.is_some() && words.iter().all(|word| pair(word) == first) {
        return FieldKind::State;
    }
    FieldKind::Codes(words.iter().map(|word| String::from_utf8_lossy(word).into_owned()).collect())
}
