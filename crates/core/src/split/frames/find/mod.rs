//! Finding frames from bytes alone: what marks them, what checks them, and what their bytes may mean.
//!
//! That frames begin and end where they were found is as sure as their check; what a field is, is always a guess, by how its bytes
//! change from frame to frame (`fields`).

mod fields;
mod marked;

use super::cutter::{unescape, unstuff};
use super::{Check, CheckKind, Content, Envelope, Frames, Order, cbor};
use std::collections::HashMap;

/// Frames that are needed at least; where they have no check, and where their sync word is a single byte.
const FEWEST: usize = 8;
const UNCHECKED: usize = 12;
const SINGLE: usize = 24;

/// The share of frames that a check must be right for, and of bytes that frames must explain where no check does.
const SHARE: f64 = 0.9;

/// What was found.
#[derive(Clone, Debug)]
pub(in super::super) struct Found {
    /// The frames.
    pub(in super::super) frames: Frames,
    /// How sure that is, in a sentence.
    pub(in super::super) doubt: String,
    /// So many of them were seen.
    pub(in super::super) seen: usize,
}

/// Looks for frames among `bytes`, which may begin and end within one.
pub(in super::super) fn find(bytes: &[u8]) -> Option<Found> {
    ended(bytes, 0, Envelope::Cobs, unstuff)
        .or_else(|| ended(bytes, super::cutter::END, Envelope::Slip, unescape))
        .or_else(|| items(bytes))
        .or_else(|| marked::find(bytes).filter(|found| found.frames.check.is_some() || !is_text(bytes)))
}

/// Whether most of it is text, though it is no clean one.
fn is_text(bytes: &[u8]) -> bool {
    let printed = bytes.iter().filter(|b| matches!(b, b' '..=b'~' | b'\t' | b'\r' | b'\n')).count();
    printed * 5 >= bytes.len() * 4
}

/// The number of values that are not alike.
fn distinct<T: std::hash::Hash + Eq>(values: impl Iterator<Item = T>) -> usize {
    values.collect::<std::collections::HashSet<_>>().len()
}

/// The value that comes most often, and how often.
fn mode<T: std::hash::Hash + Eq + Copy + Ord>(values: impl Iterator<Item = T>) -> Option<(T, usize)> {
    let mut counts = HashMap::new();
    for value in values {
        *counts.entry(value).or_insert(0usize) += 1;
    }
    counts.into_iter().max_by_key(|(value, count)| (*count, std::cmp::Reverse(*value)))
}

/// A check that the frames have, with others that they have as well.
struct FoundCheck {
    check: Check,
    others: Vec<CheckKind>,
}

/// The check that nearly all `frames` end with, the sync word of which has `sync` bytes.
fn check_of(frames: &[&[u8]], sync: usize) -> Option<FoundCheck> {
    let mut found: Option<FoundCheck> = None;
    for kind in CheckKind::all() {
        let width = kind.width();
        let orders: &[Order] = if width == 1 { &[Order::Little] } else { &[Order::Little, Order::Big] };
        for (order, from_sync) in orders.iter().flat_map(|order| [(*order, false), (*order, true)]) {
            if from_sync && sync == 0 {
                continue;
            }
            let from = if from_sync { 0 } else { sync };
            let is_right = |frame: &&&[u8]| {
                frame.len() > from + width && {
                    let end = frame.len() - width;
                    kind.of(&frame[from..end]) == order.number(&frame[end..])
                }
            };
            // Most checks are refuted by the first frames.
            if frames.iter().take(FEWEST).filter(is_right).count() * 4 < FEWEST * 3 {
                continue;
            }
            let right: Vec<&[u8]> = frames.iter().filter(is_right).copied().collect();
            let says = distinct(right.iter().map(|frame| &frame[frame.len() - width..])) >= 4;
            if !says || right.len() < FEWEST || (right.len() as f64) < SHARE * frames.len() as f64 {
                continue;
            }
            match &mut found {
                None => found = Some(FoundCheck { check: Check { kind, order, from_sync }, others: Vec::new() }),
                Some(found) if found.check.kind != kind && found.check.kind.width() == width => found.others.push(kind),
                Some(_) => {}
            }
        }
    }
    found
}

/// Frames that end with a byte that is nowhere else.
fn ended(bytes: &[u8], end: u8, envelope: Envelope, undo: fn(&[u8], &mut Vec<u8>) -> bool) -> Option<Found> {
    let first = bytes.iter().position(|b| *b == end)? + 1;
    let last = bytes.iter().rposition(|b| *b == end)?;
    let parts: Vec<&[u8]> = bytes.get(first..last)?.split(|b| *b == end).filter(|part| !part.is_empty()).collect();
    let whole: Vec<Vec<u8>> = parts
        .iter()
        .filter_map(|part| {
            let mut plain = Vec::new();
            (undo(part, &mut plain) && !plain.is_empty()).then_some(plain)
        })
        .collect();
    let (_, most) = mode(whole.iter().map(Vec::len))?;
    // Stuffing that is there for nothing shows nothing: there must be some to undo, or many frames of one length.
    if whole.len() < FEWEST || (whole.len() as f64) < SHARE * parts.len() as f64 {
        return None;
    }
    let frames: Vec<&[u8]> = whole.iter().map(Vec::as_slice).collect();
    let check = check_of(&frames, 0);
    let is_regular = whole.len() >= UNCHECKED && most as f64 >= SHARE * whole.len() as f64 && frames[0].len() >= 3;
    let tail = check.as_ref().map_or(0, |found| found.check.kind.width());
    let contents: Vec<&[u8]> = frames.iter().map(|frame| &frame[..frame.len().saturating_sub(tail)]).collect();
    let content = of_cbor(&contents);
    if check.is_none() && content.is_none() && !is_regular {
        return None;
    }
    Some(put_together(envelope, check, &contents, content, None))
}

/// The names of the values, when nearly all of these are items of CBOR that name them.
fn of_cbor(contents: &[&[u8]]) -> Option<Content> {
    let mut names: Vec<String> = Vec::new();
    let mut sound = 0;
    for content in contents {
        let mut own = Vec::new();
        let length = cbor::scan(content, |path, _, _| own.push(path.to_owned()));
        if length == Ok(content.len()) && !own.is_empty() {
            sound += 1;
            own.retain(|name| !names.contains(name) && !name.is_empty());
            names.extend(own);
        }
    }
    names.truncate(super::MAX_FIELDS);
    (sound >= FEWEST && sound as f64 >= SHARE * contents.len() as f64 && !names.is_empty())
        .then_some(Content::Cbor(names))
}

/// Items of CBOR without anything between.
fn items(bytes: &[u8]) -> Option<Found> {
    let begin = (0..bytes.len().min(MOST_SKIPPED)).find(|begin| {
        let mut at = *begin;
        (0..FEWEST).all(|_| {
            let mut named = false;
            let length = cbor::scan(&bytes[at..], |path, _, _| named |= path.starts_with(|c: char| c.is_alphabetic()));
            at += length.unwrap_or(0);
            length.is_ok() && named
        })
    })?;
    let mut rest = &bytes[begin..];
    let mut contents = Vec::new();
    while let Ok(length) = cbor::length(rest) {
        contents.push(&rest[..length]);
        rest = &rest[length..];
    }
    let content = of_cbor(&contents)?;
    Some(put_together(Envelope::Items, None, &contents, Some(content), None))
}

/// Bytes before the first whole item.
const MOST_SKIPPED: usize = 256;

/// Frames of what was found out, with their fields and a sentence how sure that is.
fn put_together(
    envelope: Envelope,
    check: Option<FoundCheck>,
    contents: &[&[u8]],
    content: Option<Content>,
    order: Option<Order>,
) -> Found {
    let mut others = String::new();
    let check = check.map(|found| {
        if !found.others.is_empty() {
            let names: Vec<&str> = found.others.iter().map(|kind| kind.name()).collect();
            others = format!(", {} would fit as well", names.join(" and "));
        }
        found.check
    });
    let marked = match check {
        Some(check) => format!("{} frames with a right {}{others}", contents.len(), check.kind.name()),
        None if envelope == Envelope::Items => format!("{} items in a row", contents.len()),
        None => format!("{} frames without a check that is known", contents.len()),
    };
    let (content, guessed) = match content {
        Some(content) => (content, "their values name themselves".to_owned()),
        None => {
            let (record, guessed) = fields::guess(contents, order);
            (Content::Record(record), guessed)
        }
    };
    Found { seen: contents.len(), frames: Frames { envelope, check, content }, doubt: format!("{marked}; {guessed}") }
}
