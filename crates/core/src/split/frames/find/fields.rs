//! What the bytes of a record may mean: of all ways to cut it into fields the one by which they change least.
//!
//! A field costs the bits that its change from one record to the next takes, and one for being a field; the cheapest cut is found
//! from its end to its beginning. A number cut in the middle, or in the wrong order, jumps.

use super::super::record::{Field, FieldKind, Order, Record};

/// What a field is worth being one.
const FIELD: f64 = 1.0;

/// For a place where the compilers of boards seldom put such a field.
const ODD_PLACE: f64 = 0.3;

/// The bytes that never change cost next to nothing.
const STILL: f64 = 0.2;

/// The last 32 bits of a floating-point number of 64 change by so many bits, as they mean next to nothing.
const RANDOM: f64 = 24.0;

/// Sizes of floating-point numbers that are readings.
const SIZES: std::ops::Range<f64> = 1e-6..1e9;

/// Fields at some place, and what they cost.
#[derive(Clone)]
struct Choice {
    cost: f64,
    kinds: Vec<(FieldKind, u8)>,
    /// They hold still, and are not read.
    is_still: bool,
}

/// The record that `contents`, all of one length, are most likely made of, and a sentence about it. `order`: that of its bytes,
/// where it is known.
pub(super) fn guess(contents: &[&[u8]], order: Option<Order>) -> (Record, String) {
    let length = contents[0].len();
    let rows: Vec<&[u8]> = contents.iter().filter(|row| row.len() == length).copied().collect();
    let (little, big) = (cut(&rows, Order::Little), cut(&rows, Order::Big));
    let chosen = order.unwrap_or(if big.0 < little.0 { Order::Big } else { Order::Little });
    let (cost, choices) = if chosen == Order::Big { &big } else { &little };
    let other = if chosen == Order::Big { little.0 } else { big.0 };
    let (mut fields, mut read, mut counts) = (Vec::new(), 0, false);
    for choice in choices {
        for (kind, bits) in &choice.kinds {
            let is_count = *kind == FieldKind::Count;
            let name = match () {
                () if choice.is_still => String::new(),
                () if is_count => "count".to_owned(),
                () => {
                    read += 1;
                    format!("field{read}")
                }
            };
            counts |= is_count;
            fields.push(Field { name, kind: *kind, bits: *bits, times: 1 });
        }
    }
    // Where nothing changes all of it may be of interest.
    if read == 0 || read > super::super::MAX_FIELDS {
        let whole = length.clamp(1, super::super::MAX_FIELDS);
        fields = (0..whole)
            .map(|i| Field { name: format!("field{}", i + 1), kind: FieldKind::Unsigned, bits: 8, times: 1 })
            .collect();
        let rest = length - whole;
        fields.extend((0..rest).map(|_| Field { name: String::new(), kind: FieldKind::Unsigned, bits: 8, times: 1 }));
        (read, counts) = (whole, false);
    }
    let record = Record::new(chosen, fields).unwrap_or_else(|_| unreachable!("whole bytes with names of their own"));
    let mut sentence = format!("by how their bytes change from frame to frame {read} fields are guessed");
    if counts {
        sentence += ", and one that counts the frames";
    }
    if order.is_none() && (other - cost).abs() < 0.5 {
        sentence += "; their byte order is not told by it";
    }
    (record, sentence)
}

/// The cheapest cut of `rows`, and what it costs.
fn cut(rows: &[&[u8]], order: Order) -> (f64, Vec<Choice>) {
    let length = rows[0].len();
    // From each place on to the end.
    let mut best: Vec<(f64, Option<(usize, Choice)>)> = vec![(f64::INFINITY, None); length + 1];
    best[length].0 = 0.0;
    let mut counted = false;
    for from in (0..length).rev() {
        for width in [1, 2, 3, 4, 8] {
            if from + width > length {
                continue;
            }
            for choice in choices(rows, from, width, order) {
                // One field counts at most: the first that does, seen from the end, is a check on none.
                let is_count = choice.kinds[0].0 == FieldKind::Count;
                let cost = choice.cost + best[from + width].0;
                if cost < best[from].0 && !(is_count && counted) {
                    best[from] = (cost, Some((width, choice)));
                }
            }
        }
        counted |= best[from].1.as_ref().is_some_and(|(_, choice)| choice.kinds[0].0 == FieldKind::Count);
    }
    let (mut at, mut all) = (0, Vec::new());
    while let Some((width, choice)) = &best[at].1 {
        all.push(choice.clone());
        at += width;
    }
    (best[0].0, all)
}

/// Whether a reading may be of this size.
fn is_size(value: &f64) -> bool {
    *value == 0.0 || SIZES.contains(&value.abs())
}

/// What `width` bytes from `from` on may be.
fn choices(rows: &[&[u8]], from: usize, width: usize, order: Order) -> Vec<Choice> {
    let numbers: Vec<u64> = rows.iter().map(|row| order.number(&row[from..from + width])).collect();
    let bits = 8 * width as u8;
    let of = |kind, bits, cost| Choice { cost, kinds: vec![(kind, bits)], is_still: false };
    let mut all = Vec::new();
    if width == 1 && numbers.iter().all(|number| *number == numbers[0]) {
        return vec![Choice { is_still: true, ..of(FieldKind::Unsigned, bits, STILL) }];
    }
    let odd = if from.is_multiple_of(width.min(4)) { 0.0 } else { ODD_PLACE };
    let steps = |number: &[f64]| -> f64 {
        let change = |pair: &[f64]| (1.0 + (pair[1] - pair[0]).abs()).log2();
        number.windows(2).map(change).sum::<f64>() / (number.len() - 1).max(1) as f64
    };
    if width == 3 {
        // Two numbers of twelve bits.
        let halves = |high: bool| -> Vec<f64> {
            numbers.iter().map(|number| ((number >> if high { 12 } else { 0 }) & 0xfff) as f64).collect()
        };
        let cost = steps(&halves(false)) + steps(&halves(true)) + 2.0 * FIELD;
        return vec![Choice { cost, kinds: vec![(FieldKind::Unsigned, 12); 2], is_still: false }];
    }
    let plain: Vec<f64> = numbers.iter().map(|number| *number as f64).collect();
    let spare = 64 - u32::from(bits);
    let signed: Vec<f64> = numbers.iter().map(|number| ((number << spare) as i64 >> spare) as f64).collect();
    if width <= 4 {
        let by_one = |bits: u8| {
            let mask = u64::MAX >> (64 - u32::from(bits));
            numbers.windows(2).filter(|pair| pair[1].wrapping_sub(pair[0]) & mask == 1).count()
        };
        let counted = by_one(bits);
        // What a wider one counts beyond a narrower one must have been seen, and is right where that begins anew.
        let half = bits / 2;
        let carries = |pair: &[u64]| pair[1] >> half != pair[0] >> half;
        let is_wide = width == 1 || (numbers.windows(2).any(carries) && counted >= by_one(half));
        if is_wide && counted * 10 >= (numbers.len() - 1) * 9 {
            all.push(of(FieldKind::Count, bits, STILL + odd));
        }
        let (cost, negative) = (steps(&plain), steps(&signed));
        // What grows evenly is a clock.
        let rises: Vec<f64> = plain.windows(2).map(|pair| pair[1] - pair[0]).collect();
        let even = if rises.iter().all(|rise| *rise > 0.0) { steps(&rises) + FIELD } else { f64::INFINITY };
        // What stays little below zero is no huge number.
        let is_low =
            width > 1 && signed.iter().all(|value| *value < 0.0 && *value >= -0.5 * 2f64.powi(i32::from(bits) - 1));
        let kind = if is_low || negative < cost { FieldKind::Signed } else { FieldKind::Unsigned };
        all.push(of(kind, bits, cost.min(negative).min(even) + FIELD + odd));
    }
    let real: Option<Vec<f64>> = match width {
        4 => Some(numbers.iter().map(|number| f64::from(f32::from_bits(*number as u32))).collect()),
        8 => Some(numbers.iter().map(|number| f64::from_bits(*number)).collect()),
        _ => None,
    };
    // Two numbers of 32 bits are no one of 64.
    let low: Vec<f64> = numbers.iter().map(|number| f64::from(f32::from_bits(*number as u32))).collect();
    let halves: Vec<f64> = numbers.iter().map(|number| f64::from(*number as u32)).collect();
    let has_low = low.iter().any(|value| *value != 0.0);
    let is_pair = width == 8 && has_low && (low.iter().all(is_size) || steps(&halves) < RANDOM);
    if let Some(real) = real.filter(|real| !is_pair && real.iter().all(is_size)) {
        let largest = real.iter().fold(0.0f64, |most, value| most.max(value.abs()));
        // Counted in steps of a thousandth of the largest, as good a resolution as most readings have.
        let scaled: Vec<f64> = real.iter().map(|value| value / largest * 1000.0).collect();
        if largest > 0.0 {
            all.push(of(FieldKind::Float, bits, steps(&scaled) + FIELD + odd));
        }
    }
    all
}
