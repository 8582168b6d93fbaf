//! Frames behind a sync word, all of one length or with one that they say.

use super::super::{Check, Count, Counted, Envelope, Order};
use super::{FEWEST, Found, FoundCheck, SHARE, SINGLE, UNCHECKED, check_of, distinct, mode, put_together};
use std::collections::HashMap;

/// The longest frame that is looked for.
const LONGEST: usize = 256;

/// The longest sync word that is found.
const LONGEST_SYNC: usize = 4;

/// Words that are tried, the most frequent first.
const WORDS: usize = 48;

/// Looks for frames of one length, then for such that say it.
pub(super) fn find(bytes: &[u8]) -> Option<Found> {
    let words = words(bytes);
    let counted: Vec<Found> = words.iter().filter_map(|(word, places)| counted(word, places, bytes)).collect();
    if let Some(found) = counted.iter().find(|found| found.frames.check.is_some()) {
        return Some(found.clone());
    }
    let mut unchecked = None;
    for length in lengths(bytes, &words) {
        match fixed(bytes, length) {
            Some((found, true)) => return Some(found),
            Some((found, false)) => unchecked = unchecked.or(Some(found)),
            None => {}
        }
    }
    // What says its own length is no accident either.
    counted.into_iter().next().or(unchecked)
}

/// Words of two bytes and of one that come often, with their places.
fn words(bytes: &[u8]) -> Vec<(Vec<u8>, Vec<usize>)> {
    let mut all = Vec::new();
    for width in [2, 1] {
        let mut places: HashMap<&[u8], Vec<usize>> = HashMap::new();
        for (at, word) in bytes.windows(width).enumerate() {
            places.entry(word).or_default().push(at);
        }
        let mut often: Vec<_> = places.into_iter().filter(|(_, places)| places.len() >= FEWEST).collect();
        often.sort_by(|a, b| b.1.len().cmp(&a.1.len()).then(a.0.cmp(b.0)));
        all.extend(often.into_iter().take(WORDS).map(|(word, places)| (word.to_vec(), places)));
    }
    all
}

/// Distances at which words come again, the most frequent first.
fn lengths(bytes: &[u8], words: &[(Vec<u8>, Vec<usize>)]) -> Vec<usize> {
    let mut votes: HashMap<usize, usize> = HashMap::new();
    for (word, places) in words {
        let gaps = places.windows(2).map(|pair| pair[1] - pair[0]).filter(|gap| (3..=LONGEST).contains(gap));
        if let Some((gap, count)) = mode(gaps)
            && count >= FEWEST - 1
        {
            *votes.entry(gap).or_default() += count * word.len();
        }
    }
    let mut lengths: Vec<_> = votes.into_iter().filter(|(length, _)| bytes.len() >= length * FEWEST).collect();
    lengths.sort_by(|a, b| b.1.cmp(&a.1).then(a.0.cmp(&b.0)));
    lengths.into_iter().take(6).map(|(length, _)| length).collect()
}

/// Frames of `length` bytes, and whether they have a check.
fn fixed(bytes: &[u8], length: usize) -> Option<(Found, bool)> {
    // A byte that has the same place in nearly all frames: the places are followed over lost and added bytes.
    let anchor = anchor(bytes, length)?;
    let rows = |shift: usize| -> Vec<&[u8]> {
        anchor.iter().filter_map(|at| bytes.get(at + shift..at + shift + length)).collect()
    };
    let all = rows(0);
    let constant: Vec<bool> = (0..length)
        .map(|column| {
            let most = mode(all.iter().map(|row| row[column])).map_or(0, |(_, count)| count);
            most as f64 >= SHARE * all.len() as f64
        })
        .collect();
    let run = |from: usize| (0..length - 1).take_while(|i| constant[(from + i) % length]).count();
    let mut unchecked: Option<(usize, usize, usize)> = None;
    for shift in (0..length).filter(|shift| constant[*shift]) {
        let frames = rows(shift);
        let longest = run(shift).min(LONGEST_SYNC);
        // Two bytes are usual.
        let mut widths: Vec<usize> = (1..=longest).collect();
        widths.sort_by_key(|width| width.abs_diff(2));
        for width in widths {
            if let Some(check) = check_of(&frames, width) {
                let sync = frames.get(1)?[..width].to_vec();
                let tail = check.check.kind.width();
                let says = constant[(shift + width) % length].then(|| frames[1].get(width).copied()).flatten();
                let of = says.and_then(|says| match usize::from(says) {
                    said if said + width + 1 + tail == length => Some(Counted::Record),
                    said if said + width + 1 == length => Some(Counted::Rest),
                    said if said == length => Some(Counted::Frame),
                    _ => None,
                });
                let (envelope, head) = match of {
                    Some(of) => (Envelope::Counted { sync, count: Count { width: 1, of } }, width + 1),
                    None => (Envelope::Fixed { sync }, width),
                };
                let contents: Vec<&[u8]> = frames.iter().map(|frame| &frame[head..length - tail]).collect();
                if contents[0].is_empty() {
                    continue;
                }
                let cbor = if of.is_some() { super::of_cbor(&contents) } else { None };
                return Some((put_together(envelope, Some(check), &contents, cbor, None), true));
            }
        }
        let before = constant[(shift + length - 1) % length];
        let begin = frames.get(1).map_or(&[][..], |frame| &frame[..longest]);
        // A word and its complement are made to be one.
        let is_made = begin.len() >= 2 && begin[0] ^ begin[1] == 0xff && begin[0] != 0xff;
        let telling = begin.first().is_some_and(|byte| !matches!(byte, 0 | 0xff));
        let worth = longest + if is_made { LONGEST_SYNC } else { 0 };
        if (is_made || !before) && telling && unchecked.is_none_or(|(.., known)| worth > known) {
            unchecked = Some((shift, longest, worth));
        }
    }
    let (shift, width, _) = unchecked?;
    let frames = rows(shift);
    let enough = if width == 1 { SINGLE } else { UNCHECKED };
    let explained = (anchor.len() * length) as f64 >= SHARE * bytes.len() as f64;
    if frames.len() < enough || !explained || width + 1 >= length {
        return None;
    }
    let sync = frames[1][..width].to_vec();
    let contents: Vec<&[u8]> = frames.iter().map(|frame| &frame[width..]).collect();
    Some((put_together(Envelope::Fixed { sync }, None, &contents, None, None), false))
}

/// The places of the pair of bytes that comes most often at distances of `length`.
fn anchor(bytes: &[u8], length: usize) -> Option<Vec<usize>> {
    let mut places: HashMap<[u8; 2], Vec<usize>> = HashMap::new();
    for at in 0..bytes.len().saturating_sub(length + 1) {
        let word = [bytes[at], bytes[at + 1]];
        if bytes[at + length..].starts_with(&word) {
            places.entry(word).or_default().push(at);
        }
    }
    // A single byte may be all that comes again.
    let mut single: HashMap<[u8; 2], Vec<usize>> = HashMap::new();
    for at in 0..bytes.len().saturating_sub(length) {
        if bytes[at] == bytes[at + length] && bytes[at] != 0 {
            single.entry([bytes[at], 0]).or_default().push(at);
        }
    }
    let regular = |places: &Vec<usize>| places.windows(2).filter(|pair| pair[1] - pair[0] == length).count();
    let best = |places: HashMap<[u8; 2], Vec<usize>>| {
        places
            .into_iter()
            .map(|(word, places)| (regular(&places), word, places))
            .max_by(|a, b| a.0.cmp(&b.0).then(b.1.cmp(&a.1)))
    };
    let (pairs, singles) = (best(places), best(single));
    let chosen = match (pairs, singles) {
        (Some(pairs), Some(singles)) => Some(if singles.0 > pairs.0 * 5 / 4 { singles } else { pairs }),
        (pairs, singles) => pairs.or(singles),
    };
    chosen.filter(|(regular, ..)| *regular + 1 >= FEWEST).map(|(.., places)| places)
}

/// Frames that say how long they are, behind `word`.
fn counted(word: &[u8], places: &[usize], bytes: &[u8]) -> Option<Found> {
    for (width, order) in [(1, Order::Little), (2, Order::Little), (2, Order::Big)] {
        let head = word.len() + width;
        let said = |at: usize| bytes.get(at + word.len()..at + head).map(|count| order.number(count) as usize);
        let over: Vec<(usize, i64)> = places
            .windows(2)
            .filter_map(|pair| Some((pair[0], (pair[1] - pair[0]) as i64 - said(pair[0])? as i64)))
            .collect();
        let Some((rest, count)) = mode(over.iter().map(|(_, rest)| *rest)) else { continue };
        let is_regular = count >= FEWEST && count as f64 >= 0.75 * over.len() as f64;
        if !is_regular || !(0..=(head + 4) as i64).contains(&rest) {
            continue;
        }
        let rest = rest as usize;
        let frames: Vec<&[u8]> = over
            .iter()
            .filter(|(_, own)| *own == rest as i64)
            .filter_map(|(at, _)| bytes.get(*at..at + said(*at)? + rest))
            .filter(|frame| frame.len() > head)
            .collect();
        if frames.len() < FEWEST || distinct(frames.iter().map(|frame| frame.len())) < 2 {
            continue;
        }
        let (usual, _) = mode(frames.iter().map(|frame| frame.len()))?;
        let check = check_of(&frames, word.len());
        let tail = check.as_ref().map_or(0, |found| found.check.kind.width());
        let of = match rest {
            0 => Counted::Frame,
            rest if rest == head + tail => Counted::Record,
            rest if rest == head => Counted::Rest,
            _ => continue,
        };
        if check.is_none() && frames.len() < UNCHECKED {
            continue;
        }
        let contents: Vec<&[u8]> = frames
            .iter()
            .filter(|frame| frame.len() == usual && frame.len() > head + tail)
            .map(|frame| &frame[head..frame.len() - tail])
            .collect();
        if contents.is_empty() {
            continue;
        }
        let envelope = Envelope::Counted { sync: word.to_vec(), count: Count { width, of } };
        let order = (width == 2).then_some(order);
        let check = check.map(|FoundCheck { check, others }| FoundCheck { check: Check { ..check }, others });
        return Some(put_together(envelope, check, &contents, super::of_cbor(&contents), order));
    }
    None
}
