//! What a number at a place of many lines is: a field, a part of a name or of the text; and what the signs around it mean.

use super::super::number::pointed_length;
use super::super::units::{is_counted, is_unit};
use super::FieldKind;
use super::columns::Place;
use super::tokens::{Kind, Mode};

/// Changes by one in front of a sign after which it is known whether what stands behind carries over.
const CARRIES: usize = 4;

/// Lines on which no number behind a comma begins with a zero, from which on they are no decimals of one that moves.
const UNZEROED: usize = 56;

/// What a sign between digits is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Meaning {
    Between,
    Decimal,
    Thousands,
}

/// Whether the minus at place `i`, which is there on every line, may be the sign of the number behind it or a dash; and
/// whether it stands apart from that.
pub(super) fn may_be_sign(places: &[Place<'_>], i: usize) -> Option<bool> {
    let next = places.get(i + 1).filter(|next| next.kind == Kind::Number)?;
    let Some(before) = i.checked_sub(1).map(|before| &places[before]) else { return (next.gap > 0).then_some(true) };
    if next.gap > 0 {
        return before.is(b":=,;").then_some(true);
    }
    // `21.5-87`, unless the number begins with a zero, or nothing changes.
    let zero = |text: &&[u8]| text.len() > 1 && text[0] == b'0' && text[1] != b'.';
    let joined = before.kind == Kind::Number && places[i].gap == 0 && !next.texts.iter().any(zero);
    (joined && !(before.is_constant() && next.is_constant())).then_some(false)
}

/// Whether a number at place `i` only rises, and is written as loggers write their clock: in brackets behind one word at most,
/// in front of a line behind an `@`, or there with leading zeros before a bar.
pub(super) fn is_ticks(places: &[Place<'_>], i: usize) -> bool {
    let opens = i > 0 && places[i - 1].is(b"[(") && places.get(i + 1).is_some_and(|next| next.is(b"])"));
    let behind_word = i == 1 || (i == 2 && places[0].kind == Kind::Phrase && places[0].texts[0].len() <= 5);
    let value = |text: &&[u8]| std::str::from_utf8(text).ok()?.parse::<f64>().ok();
    let values: Vec<f64> = places[i].texts.iter().filter_map(value).collect();
    let rises = values.windows(2).all(|pair| pair[1] >= pair[0]) && values.last() > values.first();
    let is = |at: usize, marks: &[u8]| places.get(at).is_some_and(|place| place.is(marks));
    let padded = places[i].texts[0].len() >= 6 && places[i].texts[0][0] == b'0' && !places[i].texts[0].contains(&b'.');
    let marked = (i == 1 && is(0, b"@")) || (i == 0 && padded && is(1, b"|"));
    ((opens && behind_word) || marked) && rises && values.len() == places[i].texts.len() && places.len() > i + 1
}

/// The field that begins at place `i`, `None` where the number is part of the text; how many places it takes, and what is
/// doubted.
pub(super) fn number(
    places: &[Place<'_>],
    i: usize,
    mode: Mode,
    second: bool,
) -> (Option<FieldKind>, usize, Option<&'static str>) {
    let place = &places[i];
    if place.is_constant() && is_text(places, i) {
        return (None, 1, None);
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

/// Whether the number at place `i`, which is the same on all lines, is no value but a part of a name, or the full scale of the
/// value before.
fn is_text(places: &[Place<'_>], i: usize) -> bool {
    let place = &places[i];
    let is = |at: usize, marks: &[u8]| places.get(at).is_some_and(|place| place.is(marks));
    let kind = |at: usize| places.get(at).map(|place| place.kind);
    // Of three numbers, as in a date, none is the full scale.
    let is_third = is(i + 1, b"/") || (i >= 3 && is(i - 3, b"/"));
    if i >= 2 && is(i - 1, b"/") && kind(i - 2) == Some(Kind::Number) && !is_third {
        let value = |text: &[u8]| std::str::from_utf8(text).ok()?.parse::<f64>().ok();
        let full = value(place.texts[0]).unwrap_or(f64::NAN);
        if full > 1.0 && places[i - 2].texts.iter().all(|text| value(text).is_some_and(|value| value <= full)) {
            return true;
        }
    }
    if place.texts.len() <= 2 {
        return false;
    }
    let arrow = is(i + 1, b"-=") && is(i + 2, b">");
    // `Sensor 1 (V): 22`
    let unit = is(i + 1, b"([") && is(i + 3, b")]") && (is(i + 4, b":=") || (is(i + 4, b"-=") && is(i + 5, b">")));
    let next_names = arrow || unit || is(i + 1, b":=");
    // `Probe #1 = 22`
    let marked = i > 1 && is(i - 1, b"#") && kind(i - 2) == Some(Kind::Phrase);
    let worded = marked || (i > 0 && kind(i - 1) == Some(Kind::Phrase));
    // Where the first name is nothing but a number, so are the others: `0: 22  1: 23`.
    let counts = kind(0) == Some(Kind::Number)
        && places[0].is_constant()
        && (i == 0 || is(1, b":="))
        && !begins_with_colons(places);
    if next_names && (worded || counts) {
        return true;
    }
    // `1 min: 22`, `1) 22`: so is a number that counts names. What stands behind a name is its value.
    let behind_word = kind(i + 1) == Some(Kind::Phrase) && is(i + 2, b":=");
    let bracket = |mark: &[u8]| places[..i].iter().filter(|place| place.is(mark)).count();
    let behind_bracket = is(i + 1, b")") && bracket(b"(") <= bracket(b")");
    let begins = i == 0 || kind(i - 1) == Some(Kind::Number) || is(i - 1, b",;|(");
    if begins && (behind_word || behind_bracket) && place.texts[0].len() <= 2 {
        return true;
    }
    // `LDR[0]=22`: the number in the brackets is part of the name.
    let is_index = i >= 2 && is(i - 1, b"[") && places[i - 1].gap == 0 && kind(i - 2) == Some(Kind::Phrase);
    (is_index && is(i + 1, b"]") && is(i + 2, b":=")) || counts_names(places, i)
}

/// Whether lines begin with numbers and colons with nothing between: minutes and seconds as in `09:41 837`, or a list.
fn begins_with_colons(places: &[Place<'_>]) -> bool {
    let number = |at: usize| places.get(at).is_some_and(|place| place.kind == Kind::Number && place.gap == 0);
    let colon = |at: usize| places.get(at).is_some_and(|place| place.is(b":") && place.gap == 0);
    let two = |at: usize| {
        let is = |text: &&[u8]| text.len() == 2 && (b'0'..b'6').contains(&text[0]) && text[1].is_ascii_digit();
        number(at) && places[at].texts.iter().all(is)
    };
    let minutes = two(0) && colon(1) && two(2);
    minutes || (number(0) && colon(1) && number(2) && colon(3) && number(4))
}

/// Whether the number at place `i`, which is the same on all lines, counts names: the same word stands in front of another
/// one, and a value right behind both, as in `Sensor 1 804 Sensor 2 79`.
fn counts_names(places: &[Place<'_>], i: usize) -> bool {
    let word = |at: usize| {
        let before = places.get(at.checked_sub(1)?)?;
        let followed = places.get(at + 1).is_some_and(|next| next.kind == Kind::Number);
        let is_name = before.kind == Kind::Phrase && before.is_constant() && followed;
        is_name.then(|| before.texts[0].rsplit(|b| *b == b' ').next().unwrap_or_default())
    };
    let count = |at: usize| places[at].texts[0];
    let Some(own) = word(i) else { return false };
    (1..places.len()).any(|other| {
        let place = &places[other];
        other != i
            && place.kind == Kind::Number
            && place.is_constant()
            && word(other) == Some(own)
            && count(other) != count(i)
    })
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
    if listed(last + 1) && places.get(last + 2).is_none_or(|next| next.kind != Kind::Phrase) {
        return None;
    }
    let used = last + 1 - i;
    let fronts: Vec<&[u8]> = places[i]
        .texts
        .iter()
        .map(|text| text.strip_prefix(b"-").or(text.strip_prefix(b"+")).unwrap_or(text))
        .collect();
    // `1.234,5`: what has points between its thousands has a decimal comma.
    let is_pointed = |text: &&[u8]| pointed_length(&[text, &b",0"[..]].concat()) == Some(text.len() + 2);
    let small = |text: &&[u8]| text.len() <= 3 && text.iter().all(u8::is_ascii_digit);
    if sign == b','
        && backs.len() == 1
        && fronts.iter().any(is_pointed)
        && fronts.iter().all(|text| is_pointed(text) || small(text))
    {
        return Some((used, Meaning::Decimal, Some(Meaning::Between)));
    }
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
