//! Finding the pattern of many lines: the way of reading signs by which most of them are of one form, then what each
//! place of that form holds.

use super::columns::{Piece, Place, parts};
use super::names::name;
use super::read::checked;
use super::tokens::{Kind, Mode, Token, tokens};
use super::{FieldKind, Form, Part, Pattern, PatternColumn};
use crate::split::header::Header;
use crate::split::shape::Delimiter;
use crate::split::wall::{Moment, Short, Written, moment};
use std::collections::HashMap;

/// Lines that it takes.
const FEWEST: usize = 4;

/// The share of lines that are of the form or of one of its kinds, at least.
const SHARE: f64 = 0.6;

/// Lines with three digits behind the comma of a time, none with a zero in front, from which on a number of its own is
/// likelier than a fraction.
const UNZEROED: usize = 24;

/// The most kinds of lines in a stream.
const MOST_KINDS: usize = 8;

/// Lines of a kind, at least.
const OF_A_KIND: usize = 3;

/// One line of so many at most may be damaged.
const DAMAGED: usize = 5;

/// One line of so many at least belongs to a list among other kinds.
const LISTS: usize = 4;

/// A pattern, and what else the lines may mean.
#[derive(Clone, Debug, PartialEq)]
pub(in super::super) struct Found {
    pub(in super::super) pattern: Pattern,
    /// Another reading that the lines do not rule out, and why.
    pub(in super::super) rival: Option<(Pattern, &'static str)>,
}

/// What a token is by its kind, and by its text where that is a name.
type Sign<'a> = (Kind, &'a [u8]);

struct Cut<'a> {
    line: &'a [u8],
    tokens: Vec<Token>,
    /// Its place among the lines.
    index: usize,
    /// A line of one form has one signature.
    signature: Vec<Sign<'a>>,
}

/// Cuts a line; the names in front of `=` and `:` are part of its signature.
fn cut(index: usize, line: &[u8], mode: Mode) -> Option<Cut<'_>> {
    let tokens = tokens(line, mode)?;
    let names = |i: usize| matches!(tokens.get(i + 1).map(|next| next.kind), Some(Kind::Mark(b':' | b'=')));
    // Of `IDLE speed: 5` only the last word is the name.
    let last_word = |at: &Token| line[at.at.clone()].rsplit(|b| *b == b' ').next().unwrap_or_default();
    let sign = |(i, token): (usize, &Token)| {
        (token.kind, if token.kind == Kind::Phrase && names(i) { last_word(token) } else { &b""[..] })
    };
    let signature = tokens.iter().enumerate().map(sign).collect();
    Some(Cut { line, tokens, index, signature })
}

/// The lines of the form that most of them have.
fn largest(cuts: Vec<Cut<'_>>) -> (Vec<Cut<'_>>, Vec<Cut<'_>>) {
    let mut counts: HashMap<&[Sign<'_>], usize> = HashMap::new();
    for cut in &cuts {
        let numbers = cut.tokens.iter().any(|token| token.kind == Kind::Number);
        *counts.entry(&cut.signature).or_default() += usize::from(numbers);
    }
    // Of equals the newest, so that the outcome does not hang on the map's order.
    let most = counts.values().copied().max().unwrap_or(0);
    if most == 0 {
        return (Vec::new(), cuts);
    }
    let Some(own) = cuts.iter().rev().find(|cut| counts[cut.signature.as_slice()] == most) else {
        return (Vec::new(), cuts);
    };
    let own = own.signature.clone();
    cuts.into_iter().partition(|cut| cut.signature == own)
}

/// The way of reading signs by which most lines are of one form, and the lines of that form.
/// The last says what may be read otherwise of dates and times; `second` reads it so.
fn by_mode<'a>(lines: &[&'a [u8]], second: bool) -> (Mode, Vec<Cut<'a>>, Vec<Cut<'a>>, Option<&'static str>) {
    let with = |mode: Mode| {
        let (own, others) = largest(lines.iter().enumerate().filter_map(|(i, line)| cut(i, line, mode)).collect());
        (mode, own, others)
    };
    let mut why = None;
    let written = |written: Written| Mode { written, ..Mode::default() };
    let mut best = with(Mode::default());
    let (dates, is_order_sure) = order_of_dates(lines, second);
    if dates.month_first {
        best = with(written(dates));
    }
    if best.1.iter().any(|cut| cut.tokens.iter().any(|token| token.kind == Kind::Moment)) {
        if !runs_on(&best.1, dates) {
            best = with(Mode { no_moments: true, ..Mode::default() });
        } else if !is_order_sure {
            why = Some("the month may come before the day");
        } else {
            let belongs = comma_belongs(&best.1);
            // A fraction has a zero in front on one line of ten.
            let likely = belongs == Some(true) || (belongs.is_none() && best.1.len() < UNZEROED);
            if belongs != Some(false) && likely != second {
                best = with(written(Written { comma: true, ..dates }));
            }
            if belongs.is_none() {
                why = Some("the digits behind the time may be its fraction");
            }
        }
    } else if let Some((short, is_sure)) = short_times(lines) {
        let other = if short == Short::Minutes { Short::Hours } else { Short::Minutes };
        let own = if second && !is_sure { other } else { short };
        best = with(written(Written { short: Some(own), ..Written::default() }));
        if !is_sure {
            why = Some("the numbers with a colon may be hours and minutes, or minutes and seconds");
        }
    }
    let base = best.0;
    let groups = super::super::words::GROUPS.map(|sign| Mode { thousands: Some(sign), ..base });
    let others = [Mode { apart: true, ..base }, Mode { glued: true, ..base }, Mode { letters: true, ..base }];
    for mode in others.into_iter().chain(groups) {
        let other = with(mode);
        // Where names have a sign behind them, letters before digits are part of the names.
        let named = |cut: &Cut<'_>| cut.tokens.iter().any(|token| matches!(token.kind, Kind::Mark(b'=' | b':')));
        if with_one_tag(&other.1) > with_one_tag(&best.1) && !(mode.letters && other.1.iter().any(named)) {
            best = other;
        }
    }
    let other = with(Mode { hex: true, ..base });
    if with_one_tag(&other.1) > with_one_tag(&best.1) && is_hexadecimal(&other.1) {
        best = other;
    }
    (best.0, best.1, best.2, why)
}

/// Whether the month comes first in dates with slashes, and whether that is sure: a day above 12 tells, and so does a date that
/// would be months later on the next line. `second` is the other way where it is not sure.
fn order_of_dates(lines: &[&[u8]], second: bool) -> (Written, bool) {
    let has_slashes =
        |line: &&&[u8]| line.windows(6).any(|six| six[0] == b'/' && six[1..5].iter().all(u8::is_ascii_digit));
    if lines.iter().filter(has_slashes).count() * 2 < lines.len() {
        return (Written::default(), true);
    }
    let month_first = Written { month_first: true, ..Written::default() };
    let of = |written: Written| {
        let moments: Vec<f64> = lines.iter().filter_map(|line| Some(first_moment(line, written)?.seconds)).collect();
        let span = moments.iter().copied().fold(f64::NEG_INFINITY, f64::max)
            - moments.iter().copied().fold(f64::INFINITY, f64::min);
        (moments.len(), span)
    };
    let (own, other) = (of(Written::default()), of(month_first));
    match () {
        () if own.0 + own.0.max(other.0) / 20 < other.0 => (month_first, true),
        () if other.0 + own.0.max(other.0) / 20 < own.0 || own.0 == 0 => (Written::default(), true),
        () if own.1 != other.1 => (if other.1 < own.1 { month_first } else { Written::default() }, true),
        () if second => (month_first, false),
        () => (Written::default(), false),
    }
}

/// The date or time that stands first on a line.
fn first_moment(line: &[u8], written: Written) -> Option<Moment> {
    let begins = |at: &usize| *at == 0 || !line[at - 1].is_ascii_alphanumeric();
    (0..line.len()).filter(begins).find_map(|at| moment(&line[at..], written)).map(|(moment, _)| moment)
}

/// What two numbers with a colon between are in front of lines where they run on as a clock does, and whether that is sure.
fn short_times(lines: &[&[u8]]) -> Option<(Short, bool)> {
    let of = |short: Short| -> Vec<f64> {
        let written = Written { short: Some(short), ..Written::default() };
        let is_short = |line: &&&[u8]| moment(line, Written::default()).is_none();
        let told = |line: &&[u8]| Some(moment(line, written)?.0.seconds);
        lines.iter().filter(is_short).filter_map(told).collect()
    };
    let (minutes, hours) = (of(Short::Minutes), of(Short::Hours));
    let runs = |all: &[f64]| {
        let steps: Vec<f64> = all.windows(2).map(|pair| (pair[1] - pair[0]).rem_euclid(3600.0 * 24.0)).collect();
        let ahead = steps.iter().filter(|step| (1.0..=3600.0).contains(*step)).count();
        // All steps are the same, or the second number carried over into the first.
        let is_even = steps.windows(2).all(|pair| pair[0] == pair[1]);
        let carried = all.windows(2).any(|pair| (pair[0] / 60.0).floor() != (pair[1] / 60.0).floor());
        all.len() * 10 >= lines.len() * 9 && ahead * 10 >= steps.len() * 9 && !steps.is_empty() && (is_even || carried)
    };
    match (runs(&minutes), hours.len() < minutes.len()) {
        (false, _) => None,
        // No day has so many hours.
        (true, true) => Some((Short::Minutes, true)),
        (true, false) => Some((Short::Minutes, false)),
    }
}

/// The word in front of a line, where there is one.
fn tag<'a>(cut: &Cut<'a>) -> Option<&'a [u8]> {
    // An address or a version in front is no kind of line.
    let is_word = |token: &&Token| token.kind == Kind::Phrase && !cut.line[token.at.start].is_ascii_digit();
    let first = cut.tokens.iter().take(2).find(is_word)?;
    let marked = cut.tokens[0].kind == Kind::Phrase || matches!(cut.tokens[0].kind, Kind::Mark(b'$' | b'!' | b'#'));
    marked.then(|| &cut.line[first.at.clone()])
}

/// The most lines with the same word in front: those of other kinds are alike by chance.
fn with_one_tag(cuts: &[Cut<'_>]) -> usize {
    let mut counts: HashMap<Option<&[u8]>, usize> = HashMap::new();
    for cut in cuts {
        *counts.entry(tag(cut)).or_default() += 1;
    }
    counts.values().copied().max().unwrap_or(0)
}

/// Seconds by which a clock runs back where a day turns, at least.
const DAY_TURN: f64 = 80_000.0;

/// The moments of lines never run back, but where a day turns.
fn runs_on(cuts: &[Cut<'_>], written: Written) -> bool {
    let told = |cut: &Cut<'_>| {
        let token = cut.tokens.iter().find(|token| token.kind == Kind::Moment)?;
        Some(moment(&cut.line[token.at.clone()], written)?.0.seconds)
    };
    let moments: Vec<f64> = cuts.iter().filter_map(told).collect();
    let back = |pair: &&[f64]| pair[1] < pair[0] && pair[0] - pair[1] <= DAY_TURN;
    // A time of day that stands still is none; a date may.
    let stands = moments.first() == moments.last() && moments.first().is_some_and(|first| *first <= DAY_TURN);
    moments.windows(2).filter(back).count() * 20 <= moments.len() && (!stands || moments.len() < 16)
}

/// Whether what stands behind the comma of `12:59:00,837` is the fraction of a second: always three or six digits, which
/// rise within each second, or have zeros in front; `None` where that is not sure.
fn comma_belongs(cuts: &[Cut<'_>]) -> Option<bool> {
    let mut before: Option<(f64, f64)> = None;
    let (mut within, mut zeros) = (0, 0);
    for cut in cuts {
        let Some(i) = cut.tokens.iter().position(|token| token.kind == Kind::Moment) else { return Some(false) };
        let written = Written { comma: true, ..Written::default() };
        let Some((told, used)) = moment(&cut.line[cut.tokens[i].at.start..], written) else { return Some(false) };
        let fraction = used - cut.tokens[i].at.len();
        if told.decimals % 3 != 0 || fraction == 0 {
            return Some(false);
        }
        zeros += u32::from(cut.line.get(cut.tokens[i].at.end + 1) == Some(&b'0'));
        let now = (told.seconds.floor(), told.seconds);
        if let Some(before) = before.filter(|before| before.0 == now.0) {
            if now.1 <= before.1 {
                return Some(false);
            }
            within += 1;
        }
        before = Some(now);
    }
    (within >= 3 || zeros > 0).then_some(true)
}

/// Every number has as many digits on every line, but for a few that are damaged, and some have letters.
fn is_hexadecimal(cuts: &[Cut<'_>]) -> bool {
    let numbers = |cut: &Cut<'_>| -> Vec<Vec<u8>> {
        let numbers = cut.tokens.iter().filter(|token| token.kind == Kind::Number);
        numbers.map(|token| cut.line[token.at.clone()].to_vec()).collect()
    };
    let rows: Vec<Vec<Vec<u8>>> = cuts.iter().map(numbers).collect();
    // Of equals the newest.
    let lengths = |row: &Vec<Vec<u8>>| row.iter().map(Vec::len).collect::<Vec<_>>();
    let usual = rows.iter().max_by_key(|row| rows.iter().filter(|other| lengths(other) == lengths(row)).count());
    let Some(usual) = usual.map(lengths) else { return false };
    let lettered = |texts: &Vec<Vec<u8>>| texts.iter().any(|text| text.iter().any(u8::is_ascii_alphabetic));
    let small = |text: &Vec<u8>| text.iter().any(|b| b.is_ascii_lowercase());
    let large = |text: &Vec<u8>| text.iter().any(|b| b.is_ascii_uppercase());
    let sound = rows.iter().filter(|row| lengths(row) == usual).count();
    sound * DAMAGED >= rows.len() * (DAMAGED - 1)
        && rows.iter().filter(|row| lettered(row)).count() >= 2
        && !(rows.iter().flatten().any(small) && rows.iter().flatten().any(large))
}

/// The pattern of most of `lines`, which are text; `None` where there is none that says more than a plain list.
/// `header` has the names of columns, where a line said them.
pub(in super::super) fn find(lines: &[&[u8]], header: Option<&Header>) -> Option<Found> {
    let may = |line: &&[u8]| line.iter().any(u8::is_ascii_digit) && !super::super::json::begins(line);
    let lines: Vec<&[u8]> = lines.iter().copied().filter(may).collect();
    let sound: Vec<&[u8]> = lines
        .iter()
        .filter_map(|line| match checked(line)? {
            (star, true) => Some(&line[..star]),
            _ => None,
        })
        .collect();
    let has_check = sound.len() >= FEWEST && sound.len() * 2 > lines.len();
    let lines = if has_check { sound } else { lines };
    if lines.len() < FEWEST {
        return None;
    }
    let found = find_in(&lines, header, has_check, false)?;
    match (found.rival.is_some(), by_mode(&lines, false).3) {
        (false, Some(why)) => {
            let other = find_in(&lines, header, has_check, true)?;
            Some(Found { rival: Some((other.pattern, why)), ..found })
        }
        _ => Some(found),
    }
}

/// The pattern of `lines`, which are checked already where `has_check` says so; with `second`, a comma behind a time is
/// read the other way.
fn find_in(lines: &[&[u8]], header: Option<&Header>, has_check: bool, second: bool) -> Option<Found> {
    let (mode, own, others, _) = by_mode(lines, second);
    let (mut kinds, is_kinds) = kinds(own, others);
    let count: usize = kinds.iter().map(|(cuts, _)| cuts.len()).sum();
    if count < FEWEST || (count as f64) < SHARE * lines.len() as f64 {
        return None;
    }
    let mut build = |second: bool| {
        let mut pattern = Pattern { forms: Vec::new(), columns: Vec::new() };
        let mut doubt = None;
        for (cuts, rest) in &mut kinds {
            let places = places(cuts);
            let (parts, own) = parts(&places, mode, second)?;
            doubt = doubt.or(own);
            let mut form = Form { checked: has_check, ..Form::default() };
            for part in parts {
                form.parts.push(match part {
                    Piece::Part(part) => part,
                    Piece::Field(kind) => {
                        pattern.columns.push(PatternColumn { name: String::new(), unit: String::new(), kind });
                        Part::Field(pattern.columns.len() - 1)
                    }
                });
            }
            if *rest {
                form.parts.push(Part::Rest);
            }
            pattern.forms.push(form);
        }
        let fields = 1..=super::super::shape::MAX_FIELDS;
        // One labelled field a line is a row of several lines.
        let stacked = pattern.forms.len() > 1 && pattern.columns.len() == pattern.forms.len() && !has_check;
        if !fields.contains(&pattern.columns.len()) || pattern.is_list() || stacked {
            return None;
        }
        name(&mut pattern);
        if let Some(header) = header {
            pattern.name_by(header);
        }
        Some((pattern, doubt))
    };
    let (pattern, doubt) = build(false)?;
    // Where the other reading is a plain list, that is looked into elsewhere.
    let mut rival = match doubt {
        Some(why) => Some((build(true)?.0, why)),
        None => None,
    };
    if rival.is_none() && is_kinds == Some(false) {
        rival = Some((pattern.clone(), "the word in front may tell kinds of lines apart"));
    }
    Some(Found { pattern, rival })
}

/// Lines of one form, and whether something stands behind it that is not read.
type OfAKind<'a> = (Vec<Cut<'a>>, bool);

/// The kinds of lines that there are: `own` has one form, and so may `others`. The second says whether a word in front
/// tells kinds apart, `None` where none changes, `Some(false)` where that is not sure.
fn kinds<'a>(own: Vec<Cut<'a>>, others: Vec<Cut<'a>>) -> (Vec<OfAKind<'a>>, Option<bool>) {
    let tags: Vec<Option<&[u8]>> = own.iter().map(|cut| tag(cut)).collect();
    let changes = tags.windows(2).filter(|pair| pair[0] != pair[1]).count();
    let mut is_kinds = None;
    let mut found: Vec<OfAKind<'a>> = Vec::new();
    if changes > 0 && tags.iter().all(Option::is_some) {
        // States last; kinds of lines take turns.
        let takes_turns = changes * 10 >= (tags.len() - 1) * 6;
        is_kinds = Some(takes_turns && changes * 10 >= (tags.len() - 1) * 8);
        if takes_turns {
            for cut in own {
                let text = tag(&cut);
                match found.iter_mut().find(|(cuts, _)| tag(&cuts[0]) == text) {
                    Some((cuts, _)) => cuts.push(cut),
                    None => found.push((vec![cut], false)),
                }
            }
        } else {
            found.push((own, false));
        }
    } else {
        found.push((own, false));
    }
    // What the others are beside it.
    let first_line = found[0].0.iter().map(|cut| cut.index).min().unwrap_or(0);
    let last_line = found[0].0.iter().map(|cut| cut.index).max().unwrap_or(0);
    let count = found.iter().map(|(cuts, _)| cuts.len()).sum::<usize>() + others.len();
    let mut rest = others;
    let single = found.len() == 1;
    loop {
        let (next, left) = largest(rest);
        rest = left;
        let Some(first) = next.first() else { break };
        let (known, own) = (tag(first), tag(&found[0].0[0]));
        // One kind at most has no word in front: a list, of which there are many lines, and at most two in a row.
        let runs = |cuts: &[Cut<'_>]| 1 + cuts.windows(2).filter(|pair| pair[1].index != pair[0].index + 1).count();
        let is_list =
            |cuts: &[Cut<'_>]| begins_with_number(cuts) && cuts.len() * LISTS >= count && runs(cuts) * 2 >= cuts.len();
        let may = |cuts: &[Cut<'_>]| tag(&cuts[0]).is_some() || is_list(cuts);
        let is_kind = next.len() >= OF_A_KIND
            && next.iter().all(|cut| tag(cut) == known)
            // What came before the rows began, or when they had ended, is no kind of them.
            && next.iter().any(|cut| cut.index > first_line)
            && next.iter().any(|cut| cut.index < last_line)
            && found.iter().all(|(cuts, _)| tag(&cuts[0]) != known && may(cuts))
            && may(&next);
        if is_kind && found.len() < MOST_KINDS {
            found.push((next, false));
            continue;
        }
        // The same with a remark behind, or the form with a remark among more without one.
        if single && found.len() == 1 && (own == known || own.is_none()) {
            let (cuts, has_rest) = &mut found[0];
            let (short, long) = (&cuts[0].signature, &first.signature);
            let numbers = |signs: &[Sign<'_>]| signs.iter().any(|sign| sign.0 == Kind::Number);
            // What touches the number before is no remark but damage, or a unit.
            let apart = |cut: &Cut<'_>, at: usize| match cut.tokens.get(at) {
                Some(token) => token.kind != Kind::Phrase || token.at.start > cut.tokens[at - 1].at.end,
                None => true,
            };
            if long.starts_with(short) && !numbers(&long[short.len()..]) && apart(first, short.len()) {
                *has_rest = true;
                let length = short.len();
                cuts.extend(next.into_iter().map(|cut| shortened(cut, length)));
            } else if short.starts_with(long) && !numbers(&short[long.len()..]) && next.len() >= OF_A_KIND {
                *has_rest = true;
                let length = long.len();
                let all = std::mem::take(cuts);
                cuts.extend(all.into_iter().map(|cut| shortened(cut, length)).chain(next));
            }
        }
    }
    // In the order in which they came first.
    found.sort_by_key(|(cuts, _)| cuts.iter().map(|cut| cut.index).min());
    (found, is_kinds)
}

/// Whether lines of one form are a list: a number stands in front.
fn begins_with_number(cuts: &[Cut<'_>]) -> bool {
    cuts.first().is_some_and(|cut| cut.tokens.first().is_some_and(|token| token.kind == Kind::Number))
}

fn shortened(mut cut: Cut<'_>, length: usize) -> Cut<'_> {
    cut.tokens.truncate(length);
    cut.signature.truncate(length);
    cut
}

/// What stands at each place of lines of one form.
fn places<'a>(cuts: &[Cut<'a>]) -> Vec<Place<'a>> {
    let count = cuts.first().map_or(0, |cut| cut.tokens.len());
    let place = |i: usize| {
        let end = |cut: &Cut<'a>| if i == 0 { 0 } else { cut.tokens[i - 1].at.end };
        let texts: Vec<&'a [u8]> = cuts.iter().map(|cut| &cut.line[cut.tokens[i].at.clone()]).collect();
        let gap = cuts.iter().map(|cut| cut.tokens[i].at.start - end(cut)).min().unwrap_or(0);
        let tab = cuts.iter().any(|cut| cut.line[end(cut)..cut.tokens[i].at.start].contains(&b'\t'));
        Place { kind: cuts[0].tokens[i].kind, texts, gap: if tab { 2 } else { gap.min(2) } }
    };
    (0..count).map(place).collect()
}

impl Pattern {
    /// Whether it is nothing but numbers with one delimiter between, which a plain list says better.
    fn is_list(&self) -> bool {
        let [form] = self.forms.as_slice() else { return false };
        // Only a sign parts the second number from the first.
        if form.parts.windows(2).any(|pair| matches!(pair, [Part::Field(_), Part::Field(_)])) {
            return false;
        }
        let mut delimiters = Vec::new();
        for part in &form.parts {
            match part {
                Part::Text(text) => delimiters.push(text.trim()),
                Part::Field(column) if self.columns[*column].kind == FieldKind::Number => {}
                _ => return false,
            }
        }
        let known = |text: &str| text.is_empty() || Delimiter::ALL.iter().any(|own| text.as_bytes() == [own.byte()]);
        !form.checked
            && delimiters.iter().all(|text| known(text))
            && delimiters.windows(2).all(|pair| pair[0] == pair[1])
    }
}
