//! What each place of many lines of one form holds: the same text on all, a number, words that are codes; and what a sign
//! among digits means, judged over the whole column.

use super::super::units::{is_counted, is_unit};
use super::super::value::{STATE_WORDS, is_gap, is_near, state};
use super::tokens::{Kind, Mode};
use super::{FieldKind, MOST_CODES, Part};

/// Words that a column of codes may have while it is being found, for so many lines.
const CODES: usize = 12;
const LINES_A_CODE: usize = 2;

/// Changes by one in front of a sign after which it is known whether what stands behind carries over.
const CARRIES: usize = 4;

/// Lines on which no number behind a comma begins with a zero, from which on they are no decimals of one that moves.
const UNZEROED: usize = 56;

/// One place of lines of one form.
pub(super) struct Place<'a> {
    pub(super) kind: Kind,
    /// What stands there, line by line.
    pub(super) texts: Vec<&'a [u8]>,
    /// The fewest blanks in front, 2 for more and for a tab.
    pub(super) gap: usize,
}

impl Place<'_> {
    fn is_constant(&self) -> bool {
        self.texts.windows(2).all(|pair| pair[0] == pair[1])
    }

    fn is(&self, marks: &[u8]) -> bool {
        matches!(self.kind, Kind::Mark(byte) if marks.contains(&byte))
    }
}

/// What a sign between digits is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Meaning {
    Between,
    Decimal,
    Thousands,
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
                // A minus in front of a number on every line may be a sign or a dash.
                let apart =
                    byte == b'-' && places.get(i + 1).is_some_and(|next| next.kind == Kind::Number && next.gap > 0);
                let begins = i == 0 || places[i - 1].is(b":=,;");
                if apart && begins {
                    doubt = doubt.or(Some("a separate minus may be a sign"));
                    if second {
                        form.field(FieldKind::Minus);
                        i += 2;
                        continue;
                    }
                }
                form.push(&[byte]);
            }
            Kind::Moment => form.field(FieldKind::Clock { comma: mode.comma_moments }),
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

/// Whether a number in brackets at place `i`, behind one word at most, only rises.
fn is_ticks(places: &[Place<'_>], i: usize) -> bool {
    let opens = i > 0 && places[i - 1].is(b"[(") && places.get(i + 1).is_some_and(|next| next.is(b"])"));
    let behind_word = i == 1 || (i == 2 && places[0].kind == Kind::Phrase && places[0].texts[0].len() <= 5);
    let value = |text: &&[u8]| std::str::from_utf8(text).ok()?.parse::<f64>().ok();
    let values: Vec<f64> = places[i].texts.iter().filter_map(value).collect();
    let rises = values.windows(2).all(|pair| pair[1] >= pair[0]) && values.last() > values.first();
    opens && behind_word && rises && values.len() == places[i].texts.len() && places.len() > i + 2
}

/// The field that begins at place `i`, `None` where the number is part of the text; how many places it takes, and what is
/// doubted.
fn number(
    places: &[Place<'_>],
    i: usize,
    mode: Mode,
    second: bool,
) -> (Option<FieldKind>, usize, Option<&'static str>) {
    let place = &places[i];
    let arrow = places.get(i + 1).is_some_and(|next| next.is(b"-=")) && places.get(i + 2).is_some_and(|p| p.is(b">"));
    // `Sensor 1 (V): 22`
    let is = |at: usize, marks: &[u8]| places.get(at).is_some_and(|place| place.is(marks));
    let unit = is(i + 1, b"([") && is(i + 3, b")]") && (is(i + 4, b":=") || (is(i + 4, b"-=") && is(i + 5, b">")));
    let next_names = arrow || unit || is(i + 1, b":=");
    let worded = i > 0 && places[i - 1].kind == Kind::Phrase;
    // Where the first name is nothing but a number, so are the others: `0: 22  1: 23`.
    let counts =
        places[0].kind == Kind::Number && places[0].is_constant() && places.get(1).is_some_and(|p| p.is(b":="));
    if place.is_constant() && place.texts.len() > 2 && next_names && (worded || counts || i == 0) {
        return (None, 1, None);
    }
    // `1 min: 22`, `1) 22`: so is a number that counts names.
    let behind_word =
        places.get(i + 1).is_some_and(|p| p.kind == Kind::Phrase) && places.get(i + 2).is_some_and(|p| p.is(b":="));
    let bracket = |mark: &[u8]| places[..i].iter().filter(|place| place.is(mark)).count();
    let behind_bracket = places.get(i + 1).is_some_and(|next| next.is(b")")) && bracket(b"(") <= bracket(b")");
    // What stands behind a name is its value.
    let begins = i == 0 || places[i - 1].kind == Kind::Number || places[i - 1].is(b",;|(");
    if place.is_constant()
        && begins
        && place.texts.len() > 2
        && (behind_word || behind_bracket)
        && place.texts[0].len() <= 2
    {
        return (None, 1, None);
    }
    // `LDR[0]=22`: the number in the brackets is part of the name.
    let is_index = i >= 2 && places[i - 1].is(b"[") && places[i - 1].gap == 0 && places[i - 2].kind == Kind::Phrase;
    let names =
        places.get(i + 1).is_some_and(|next| next.is(b"]")) && places.get(i + 2).is_some_and(|next| next.is(b":="));
    if place.is_constant() && place.texts.len() > 2 && is_index && names {
        return (None, 1, None);
    }
    if i >= 2 && place.is_constant() && places[i - 1].is(b"/") && places[i - 2].kind == Kind::Number {
        let value = |text: &[u8]| std::str::from_utf8(text).ok()?.parse::<f64>().ok();
        let full = value(place.texts[0]).unwrap_or(f64::NAN);
        let below = places[i - 2].texts.iter().all(|text| value(text).is_some_and(|value| value <= full));
        if below && full > 1.0 {
            return (None, 1, None);
        }
    }
    if mode.hex {
        return (Some(FieldKind::Hex), 1, None);
    }
    if let Some((used, meaning, rival)) = run(places, i) {
        // One number with a decimal comma on the line tells what commas are there.
        let told = |at: usize| at != i && matches!(run(places, at), Some((_, Meaning::Decimal, None)));
        // Where semicolons part numbers, they do so because commas are decimal ones.
        let told = places.iter().any(|place| place.is(b";")) || (0..places.len()).any(told);
        let is_decimal = meaning == Meaning::Decimal && rival == Some(Meaning::Between);
        let rival = if is_decimal && told { None } else { rival };
        let meaning = if second { rival.unwrap_or(meaning) } else { meaning };
        let why = rival.map(|rival| match (meaning, rival) {
            (Meaning::Thousands, _) | (_, Meaning::Thousands) => "the groups of digits may be thousands",
            _ => "a comma may be a decimal one, or separate two numbers",
        });
        return match meaning {
            Meaning::Between => (Some(FieldKind::Number), 1, why),
            Meaning::Decimal => (Some(FieldKind::Comma), used, why),
            Meaning::Thousands => (Some(FieldKind::Thousands), used, why),
        };
    }
    if mode.letters && place.is_constant() && place.gap == 0 && i > 0 && places[i - 1].kind == Kind::Phrase {
        return (None, 1, None);
    }
    let kind = match mode {
        Mode { apart: true, .. } if place.texts.iter().any(|text| text.contains(&b' ')) => FieldKind::Minus,
        Mode { thousands: Some(sign), .. } if place.texts.iter().any(|text| text.contains(&sign)) => {
            FieldKind::Thousands
        }
        _ => FieldKind::Number,
    };
    (Some(kind), 1, None)
}

/// Numbers from place `i` on with nothing but a comma, an apostrophe or one blank between: how many places they take, what
/// that sign means, and what else it may mean. `None` where they are told apart without doubt.
fn run(places: &[Place<'_>], i: usize) -> Option<(usize, Meaning, Option<Meaning>)> {
    // Only the last group may have decimals.
    let ends = |at: usize| !places.get(at + 1).is_some_and(|next| next.is(b",'") && next.gap == 0);
    let whole = |text: &[u8]| text.iter().position(|b| *b == b'.').unwrap_or(text.len());
    let plain = |at: usize, text: &[u8]| {
        text.iter().all(|b| b.is_ascii_digit() || *b == b'.') && (whole(text) == text.len() || ends(at))
    };
    let close = |at: usize| {
        places.get(at).is_some_and(|place| {
            place.kind == Kind::Number && place.texts.iter().all(|text| whole(text) > 0 && plain(at, text))
        })
    };
    // It must not itself stand in a list that goes on from before.
    let listed = |at: usize| places.get(at).is_some_and(|place| place.is(b","));
    let sign = match places.get(i + 1)? {
        next if next.is(b",") && next.gap == 0 => b',',
        next if next.is(b"'") && next.gap == 0 => b'\'',
        next if next.kind == Kind::Number && next.gap == 1 => b' ',
        _ => return None,
    };
    if i > 0 && (listed(i - 1) || (sign == b' ' && places[i - 1].kind == Kind::Number)) {
        return None;
    }
    let step = if sign == b' ' { 1 } else { 2 };
    let follows = |at: usize| {
        let signed = match sign {
            b' ' => places.get(at).is_some_and(|place| place.gap == 1),
            _ => {
                places.get(at - 1).is_some_and(|place| place.is(&[sign]) && place.gap == 0)
                    && places.get(at).is_some_and(|place| place.gap == 0)
            }
        };
        signed && close(at)
    };
    let mut backs = Vec::new();
    let mut at = i + step;
    while follows(at) {
        backs.push(at);
        at += step;
    }
    // A list that goes on with other numbers is a list.
    let last = *backs.last()?;
    if listed(last + 1) {
        return None;
    }
    let used = last + 1 - i;
    let fronts: Vec<&[u8]> = places[i]
        .texts
        .iter()
        .map(|text| text.strip_prefix(b"-").or(text.strip_prefix(b"+")).unwrap_or(text))
        .collect();
    if !fronts.iter().all(|text| text.iter().all(u8::is_ascii_digit)) {
        return None;
    }
    let width = |at: usize| {
        let first = whole(places[at].texts[0]);
        places[at].texts.iter().all(|text| whole(text) == first).then_some(first)
    };
    let zero_led = |texts: &[&[u8]]| texts.iter().any(|text| text.len() > 1 && text[0] == b'0');
    let padded = zero_led(&fronts);
    let groups =
        backs.iter().all(|at| width(*at) == Some(3)) && fronts.iter().all(|text| text.len() <= 3 && text[0] != b'0');
    let zeros = backs.iter().any(|at| zero_led(&places[*at].texts));
    if padded && zeros {
        return None;
    }
    let firsts: Vec<&[u8]> = places[backs[0]].texts.iter().map(|text| &text[..whole(text)]).collect();
    let carries = carries(&fronts, &firsts);
    if sign != b',' || backs.len() > 1 {
        return match (groups, zeros, sign) {
            (false, ..) => None,
            (true, true, _) | (true, _, b'\'') => Some((used, Meaning::Thousands, None)),
            (true, false, _) => match carries {
                Some(true) => Some((used, Meaning::Thousands, None)),
                Some(false) => None,
                None => Some((used, Meaning::Between, Some(Meaning::Thousands))),
            },
        };
    }
    let behind = &places[backs[0]].texts;
    // Decimals of a number that moves begin with a zero on one line of ten.
    let moves = !zeros && distinct(&fronts) >= 5 && distinct(behind) >= 20;
    let no_zeros = moves && behind.len() >= UNZEROED;
    let rather_two = !zeros && behind.len() >= 16 && distinct(behind) >= 8;
    let fraction = behind.iter().any(|text| whole(text) < text.len());
    let has_points =
        places.iter().any(|place| place.kind == Kind::Number && place.texts.iter().any(|text| text.contains(&b'.')));
    let phrase = |place: Option<&Place<'_>>| {
        place.filter(|place| place.kind == Kind::Phrase && place.is_constant()).map(|place| place.texts[0].to_vec())
    };
    let behind_it = phrase(places.get(last + 1)).unwrap_or_default();
    let unit = is_unit(behind_it.split(|b| *b == b' ').next().unwrap_or_default());
    let before_it = (0..i).rev().take(2).find_map(|at| phrase(places.get(at))).unwrap_or_default();
    let counted = is_counted(&behind_it) || is_counted(&before_it);
    match width(backs[0]) {
        // Decimals without their last zeros, or numbers.
        None if fraction => None,
        None if zeros => Some((used, Meaning::Decimal, None)),
        None if behind.iter().any(|text| text.last() == Some(&b'0')) => None,
        None => Some((used, Meaning::Between, Some(Meaning::Decimal))),
        Some(3) if groups => match (zeros, carries) {
            (_, Some(false)) if !zeros => None,
            (false, None) if no_zeros => None,
            (false, None) => Some((used, Meaning::Between, Some(Meaning::Thousands))),
            _ if has_points || counted => Some((used, Meaning::Thousands, None)),
            _ if unit => Some((used, Meaning::Decimal, Some(Meaning::Thousands))),
            _ => Some((used, Meaning::Thousands, Some(Meaning::Decimal))),
        },
        Some(_) if has_points => None,
        Some(_) if zeros => Some((used, Meaning::Decimal, None)),
        Some(_) => match carries {
            Some(true) => Some((used, Meaning::Decimal, None)),
            Some(false) => None,
            None => {
                if (distinct(behind) <= 2 && behind.len() >= 32) || (no_zeros && firsts[0].len() > 1) {
                    return None;
                }
                if rather_two && firsts[0].len() > 1 && !unit {
                    return Some((used, Meaning::Between, Some(Meaning::Decimal)));
                }
                Some((used, Meaning::Decimal, Some(Meaning::Between)))
            }
        },
    }
}

/// How many texts differ.
fn distinct(texts: &[&[u8]]) -> usize {
    texts.iter().collect::<std::collections::BTreeSet<_>>().len()
}

/// Whether what stands behind a sign goes over into what stands in front of it, as the digits of one number do that
/// changes slowly; `None` where that cannot be told.
fn carries(fronts: &[&[u8]], behind: &[&[u8]]) -> Option<bool> {
    let value = |text: &[u8]| std::str::from_utf8(text).ok()?.parse::<f64>().ok();
    let base = 10f64.powi(behind.first()?.len() as i32);
    let values: Vec<(f64, f64)> = fronts.iter().zip(behind).filter_map(|(a, b)| Some((value(a)?, value(b)?))).collect();
    let (mut near, mut up, mut down, mut jumps) = (0, 0, 0, 0);
    for pair in values.windows(2) {
        let (front, back) = (pair[1].0 - pair[0].0, pair[1].1 - pair[0].1);
        jumps += usize::from(back.abs() > base / 10.0);
        if front.abs() == 1.0 {
            let whole = front * base + back;
            match whole.abs() < base / 2.0 {
                true => near += 1,
                false if front > 0.0 => up += 1,
                false => down += 1,
            }
        }
    }
    // The last digits of one number that goes up and down by more than they hold are not smooth; those of a counter may be.
    let far = up + down;
    match far {
        _ if near >= CARRIES && near >= far * 4 => Some(true),
        CARRIES.. if up.min(down) >= 2 && near * 4 <= far && jumps * 10 <= values.len() => Some(false),
        _ => None,
    }
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

/// `texts` without those that came once and are another one with a letter more, less or changed.
fn without_damage<'a>(texts: &[&'a [u8]]) -> Vec<&'a [u8]> {
    let count = |text: &[u8]| texts.iter().filter(|other| **other == text).count();
    let damaged = |text: &&[u8]| count(text) == 1 && texts.iter().any(|other| is_near(other, text) && count(other) > 2);
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
