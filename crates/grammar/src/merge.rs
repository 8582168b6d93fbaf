//! Forms that differ by a run of fields become one, with fields that need not be there.

use crate::bits::{self, prior};
use crate::column::{Judge, Role};
use crate::lex::{Kind, Options, Token};
use crate::template::{Item, Template, Variant};
use crate::units;
use std::collections::HashSet;

/// The most pairs that are tried.
const TRIES: usize = 48;

/// Joins forms as long as that is cheaper.
pub(crate) fn optional_fields<'a>(
    mut all: Vec<Template<'a>>,
    judge: &Judge<'a>,
    options: &Options,
) -> Vec<Template<'a>> {
    let mut failed: HashSet<(usize, usize, usize, usize)> = HashSet::new();
    let mut tries = 0;
    'again: loop {
        all.sort_by_key(|template| std::cmp::Reverse(template.lines.len()));
        for long in 0..all.len() {
            for short in 0..all.len() {
                let (a, b) = (&all[long], &all[short]);
                let key = (a.lines[0], a.lines.len(), b.lines[0], b.lines.len());
                if long == short || tries >= TRIES || !failed.insert(key) {
                    continue;
                }
                let (items, fewer) = (a.items(), b.items());
                if items.len() < fewer.len() || (items.len() == fewer.len() && long > short) {
                    continue;
                }
                let Some(joined) = joined(a, b, &items, &fewer, judge, options) else { continue };
                tries += 1;
                if joined.bits <= a.bits + b.bits + 40.0 {
                    let (first, second) = (long.max(short), long.min(short));
                    all.remove(first);
                    all.remove(second);
                    all.push(joined);
                    continue 'again;
                }
            }
        }
        return all;
    }
}

/// Whether a part of one form may be a part of another.
fn alike(a: &Item<'_>, b: &Item<'_>) -> bool {
    match (a, b) {
        (Item::Text(a), Item::Text(b)) => a == b,
        (Item::Slot(a), Item::Slot(b)) => !matches!((a, b), (Role::Moment, Role::Words) | (Role::Words, Role::Moment)),
        (Item::Slot(role), Item::Text(text)) | (Item::Text(text), Item::Slot(role)) => {
            matches!(role, Role::Words | Role::Empty) && text.starts_with(char::is_alphabetic)
        }
    }
}

/// The cheapest way to lay `short` beside `long`.
fn joined<'a>(
    long: &Template<'a>,
    short: &Template<'a>,
    items: &[Item<'a>],
    fewer: &[Item<'a>],
    judge: &Judge<'a>,
    options: &Options,
) -> Option<Template<'a>> {
    let count = fewer.len();
    let front = items.iter().zip(fewer).take_while(|(a, b)| alike(a, b)).count();
    let back = items.iter().rev().zip(fewer.iter().rev()).take_while(|(a, b)| alike(a, b)).count();
    if count == 0 || front + back < count {
        return None;
    }
    let least = count - back.min(count);
    let is_place =
        |place: &usize| *place == front || *place == least || matches!(items.get(*place), Some(Item::Slot(_)));
    let places = (least..=front).rev().filter(is_place).take(5);
    let all = places
        .filter_map(|front| laid(long, short, items, fewer, front..items.len() - (count - front), judge, options));
    all.min_by(|a, b| a.bits.total_cmp(&b.bits))
}

/// Whether the value behind what is cut out, or that in front of it, keeps its name.
fn keeps_labels(items: &[Item<'_>], fewer: &[Item<'_>], cut: &std::ops::Range<usize>) -> bool {
    let is_slot = |item: &&Item<'_>| matches!(item, Item::Slot(_));
    let name = |own: &[&Item<'_>]| -> Option<String> {
        own.iter().find_map(|item| match item {
            Item::Text(text) if text.contains(char::is_alphabetic) => Some((*text).to_owned()),
            _ => None,
        })
    };
    let is_named = |pair: &[Item<'_>]| matches!(pair, [Item::Text(":" | "="), Item::Slot(_)]);
    let is_word = |item: &Item<'_>| matches!(item, Item::Text(text) if text.contains(char::is_alphabetic));
    let in_front = items.windows(2).filter(|pair| is_word(&pair[0]) && is_slot(&&pair[1])).count();
    let behind = items.windows(2).filter(|pair| is_slot(&&pair[0]) && is_word(&pair[1])).count();
    let marked = items.windows(2).filter(|pair| is_named(pair)).count();
    let names_first = marked * 2 > items.iter().filter(is_slot).count()
        || in_front > behind
        || (in_front == behind && name(&items.iter().take_while(|item| !is_slot(item)).collect::<Vec<_>>()).is_some());
    // From the nearest value to the name between it and the next one.
    let before = |own: &[Item<'_>], from: usize| -> Option<String> {
        let slot = from + own[from..].iter().position(|item| is_slot(&item))?;
        name(&own[..slot].iter().rev().take_while(|item| !is_slot(item)).collect::<Vec<_>>())
    };
    let behind = |own: &[Item<'_>], to: usize| -> Option<String> {
        let slot = own[..to].iter().rposition(|item| is_slot(&item))?;
        name(&own[slot + 1..].iter().take_while(|item| !is_slot(item)).collect::<Vec<_>>())
    };
    match names_first {
        true => before(items, cut.end) == before(fewer, cut.start),
        false => behind(items, cut.start) == behind(fewer, cut.start),
    }
}

/// Both as one form, of which `short` lacks the tokens `cut`.
fn laid<'a>(
    long: &Template<'a>,
    short: &Template<'a>,
    items: &[Item<'a>],
    fewer: &[Item<'a>],
    cut: std::ops::Range<usize>,
    judge: &Judge<'a>,
    options: &Options,
) -> Option<Template<'a>> {
    let is_slot = |item: &Item<'_>| matches!(item, Item::Slot(_));
    if long.turn.is_some() || short.turn.is_some() {
        return None;
    }
    let is_word = |item: &Item<'_>| matches!(item, Item::Text(text) if text.contains(|c: char| c.is_alphanumeric()));
    // Of texts alone, only what stands behind all the rest need not be there, unless it is the unit of a value.
    let is_unit = |item: &Item<'_>| matches!(item, Item::Text(text) if units::is_unit(text));
    let is_behind = cut.end == items.len()
        && cut.start > 0
        && !(is_slot(&items[cut.start - 1]) && items.get(cut.start).is_some_and(is_unit));
    if !fewer.iter().any(is_slot) || !(cut.is_empty() || is_behind || items[cut.clone()].iter().any(is_slot)) {
        return None;
    }
    // A list without names lacks a field only where it is damaged.
    if !cut.is_empty() && !items.iter().any(is_word) {
        return None;
    }
    let is_short = !cut.is_empty()
        && ((!fewer.iter().any(is_word) && fewer.len() + 4 < items.len())
            || long.lines.len() < 2
            || (cut.len() == 1 && fewer.len() < 3));
    if is_short {
        return None;
    }
    if !cut.is_empty() && !keeps_labels(items, fewer, &cut) {
        return None;
    }
    let blank = |token: &Token<'a>| if token.is_atom() { Token::EMPTY } else { *token };
    let lacking: Vec<Token<'a>> = long.rows[0][cut.clone()].iter().map(blank).collect();
    let filled = |row: &Vec<Token<'a>>| {
        let mut row = row.clone();
        row.splice(cut.start..cut.start, lacking.iter().copied());
        row
    };
    let mut lines: Vec<(usize, Vec<Token<'a>>, usize)> = long
        .lines
        .iter()
        .zip(&long.rows)
        .map(|(line, row)| (*line, row.clone(), 1))
        .chain(short.lines.iter().zip(&short.rows).map(|(line, row)| (*line, filled(row), 0)))
        .collect();
    lines.sort_by_key(|(line, ..)| *line);
    let is_there: Vec<usize> = lines.iter().map(|(.., whole)| *whole).collect();
    let numbers = lines.iter().map(|(line, ..)| *line).collect();
    let mut rows: Vec<Vec<Token<'a>>> = lines.into_iter().map(|(_, row, _)| row).collect();
    let mut columns = Vec::with_capacity(long.atoms.len());
    let mut optional = long.optional.clone();
    for (place, at) in long.atoms.iter().enumerate() {
        let own = &long.columns[place];
        let may_lack = cut.contains(at);
        if may_lack && !optional.contains(&place) {
            optional.push(place);
        }
        if matches!(own.role, Role::Text | Role::Single) && may_lack {
            let mut column = own.clone();
            column.values = vec![None; rows.len()];
            columns.push(column);
            // The text itself stands in the first row, from which it is told.
            rows[0][*at] = long.rows[0][*at];
            continue;
        }
        let mut column = judge.column(rows.iter().map(|row| row[*at]).collect(), options);
        if may_lack {
            // Whether it is there is told once for all fields.
            let empty: Vec<usize> = rows.iter().map(|row| usize::from(row[*at].kind == Kind::Empty)).collect();
            if empty.contains(&1) {
                column.bits -= bits::symbols(&empty, 1);
            }
        }
        columns.push(column);
    }
    let mut presence = long.presence + short.presence + prior::OPTIONAL;
    if !cut.is_empty() {
        presence += bits::symbols(&is_there, 1);
    }
    let lacks = |variant: &Variant| {
        let mut variant = variant.clone();
        variant.there.splice(cut.start..cut.start, cut.clone().map(|_| false));
        variant.joined.splice(cut.start..cut.start, cut.clone().map(|_| false));
        variant
    };
    let mut variants = long.variants.clone();
    for variant in short.variants.iter().map(lacks) {
        if !variants.contains(&variant) {
            variants.push(variant);
        }
    }
    let mut template = Template {
        turn: None,
        joined: long.joined.clone(),
        variants,
        lines: numbers,
        rows,
        atoms: long.atoms.clone(),
        columns,
        keys: long.keys.clone(),
        optional,
        presence,
        bits: 0.0,
    };
    template.weigh();
    Some(template)
}
