//! A queue of values in blocks, full ones kept in the narrowest form that gives them back to the bit: counts of a converter
//! take two bytes each, times four and a half. Full blocks never change and are shared by copies of the queue, so that a
//! copy costs little.

use super::BLOCK;
use super::spill::{Held, Spill};
use crate::Stamp;
use std::collections::VecDeque;
use std::ops::Range;
use std::sync::Arc;

/// Times that share a base.
const GROUP: usize = 16;

/// What can be kept in a narrower form, a block at a time.
pub(super) trait Narrow: Copy {
    /// A block in that form.
    type Packed: Clone + std::fmt::Debug;

    /// The narrowest form of the values.
    fn pack(values: &[Self]) -> Self::Packed;

    /// The value at this place of the block.
    fn get(packed: &Self::Packed, index: usize) -> Self;

    /// Adds the values at these places of the block to `out`.
    fn unpack(packed: &Self::Packed, places: Range<usize>, out: &mut Vec<Self>);

    /// The same block elsewhere; `None` where it is there already or there is no room.
    fn moved(packed: &Self::Packed, to: &mut dyn Spill) -> Option<Self::Packed>;

    /// The bytes that it takes in memory.
    fn size(packed: &Self::Packed) -> usize;
}

/// Values numbered by row. The oldest kept row is always the first of a block.
#[derive(Clone, Debug)]
pub(super) struct Queue<T: Narrow> {
    full: VecDeque<Arc<T::Packed>>,
    tail: Vec<T>,
    first: u64,
}

impl<T: Narrow> Default for Queue<T> {
    fn default() -> Self {
        Queue::starting_at(0)
    }
}

impl<T: Narrow> Queue<T> {
    pub(super) fn starting_at(first: u64) -> Self {
        Queue { full: VecDeque::new(), tail: Vec::new(), first }
    }

    /// Nothing but `value`, for all of `rows`.
    pub(super) fn filled(rows: Range<u64>, value: T) -> Self {
        let count = (rows.end - rows.start) as usize;
        let full = Arc::new(T::pack(&[value; BLOCK]));
        let full = std::iter::repeat_n(full, count / BLOCK).collect();
        Queue { full, tail: vec![value; count % BLOCK], first: rows.start }
    }

    /// Lets go of all rows from `end` on, which must not lie before the first.
    pub(super) fn truncate(&mut self, end: u64) {
        let keep = end.saturating_sub(self.first) as usize;
        if keep / BLOCK < self.full.len() {
            self.tail.clear();
            let cut = self.full.drain(keep / BLOCK..).next();
            cut.iter().for_each(|packed| T::unpack(packed, 0..keep % BLOCK, &mut self.tail));
        } else {
            self.tail.truncate(keep - self.full.len() * BLOCK);
        }
    }

    pub(super) fn range(&self) -> Range<u64> {
        self.first..self.first + (self.full.len() * BLOCK + self.tail.len()) as u64
    }

    #[inline]
    pub(super) fn push(&mut self, value: T) {
        self.extend(&[value]);
    }

    /// Adds values; quicker than one by one.
    pub(super) fn extend(&mut self, mut values: &[T]) {
        while !values.is_empty() {
            let (now, later) = values.split_at(values.len().min(BLOCK - self.tail.len()));
            self.tail.extend_from_slice(now);
            if self.tail.len() == BLOCK {
                self.full.push_back(Arc::new(T::pack(&self.tail)));
                self.tail.clear();
            }
            values = later;
        }
    }

    /// The full blocks.
    pub(super) fn full(&self) -> &VecDeque<Arc<T::Packed>> {
        &self.full
    }

    /// The first row of the second block, which becomes the first kept row when a block is let go.
    pub(super) fn second_block(&self) -> Option<u64> {
        let blocks = self.full.len() + usize::from(!self.tail.is_empty());
        (blocks > 1).then_some(self.first + BLOCK as u64)
    }

    pub(super) fn drop_block(&mut self) {
        if self.full.pop_front().is_some() {
            self.first += BLOCK as u64;
        }
    }

    #[inline]
    pub(super) fn get(&self, row: u64) -> Option<T> {
        let index = row.checked_sub(self.first)? as usize;
        match self.full.get(index / BLOCK) {
            Some(packed) => Some(T::get(packed, index % BLOCK)),
            None => self.tail.get(index.checked_sub(self.full.len() * BLOCK)?).copied(),
        }
    }

    /// Adds the values in `rows`, as far as they are kept, to `out`; quicker than one by one.
    pub(super) fn read(&self, rows: Range<u64>, out: &mut Vec<T>) {
        let kept = self.range();
        let place = |row: u64| (row.clamp(kept.start, kept.end) - kept.start) as usize;
        let (mut at, end) = (place(rows.start), place(rows.end));
        while at < end {
            let (block, from) = (at / BLOCK, at % BLOCK);
            let to = BLOCK.min(from + end - at);
            match self.full.get(block) {
                Some(packed) => T::unpack(packed, from..to, out),
                None => out.extend_from_slice(&self.tail[from..to]),
            }
            at += to - from;
        }
    }

    /// Moves the full blocks away, as far as there is room.
    pub(super) fn move_away(&mut self, to: &mut dyn Spill) {
        for block in &mut self.full {
            if let Some(moved) = T::moved(block, to) {
                *block = Arc::new(moved);
            }
        }
    }

    /// The bytes that it takes in memory.
    pub(super) fn size(&self) -> usize {
        self.full.iter().map(|packed| T::size(packed)).sum::<usize>() + self.tail.capacity() * size_of::<T>()
    }
}

impl Queue<f64> {
    /// Gaps up to row `end`, where values are missing.
    #[inline]
    pub(super) fn fill_up(&mut self, end: u64) {
        let missing = end.saturating_sub(self.range().end);
        debug_assert_eq!(missing, 0, "whoever gives rows gives all their values");
        if missing > 0 {
            self.extend(&vec![f64::NAN; missing as usize]);
        }
    }
}

/// Numbers of a column.
#[derive(Clone, Debug)]
pub(super) enum Numbers {
    /// Whole numbers, to be divided by this power of ten; the least one is a gap.
    Two(Held<i16>, f64),
    /// The same, of four bytes.
    Four(Held<i32>, f64),
    Single(Held<f32>),
    Double(Held<f64>),
}

/// Whether `a` is what went in as `b`: all gaps are one.
fn is_same(a: f64, b: f64) -> bool {
    a.to_bits() == b.to_bits() || (a.is_nan() && b.is_nan())
}

/// 1.5 times 2^52: a number below 2^31 that is added to it leaves its nearest whole number in the lowest bits, several of
/// them at a time, which a conversion does not.
const TO_WHOLE: f64 = 6_755_399_441_055_744.0;

/// `value` times `power` as a whole number, which is the right one if it is small and has no more decimals; 0 for a gap.
#[inline(always)]
fn scaled(value: f64, power: f64) -> i32 {
    let number = (value * power + TO_WHOLE).to_bits() as u32 as i32;
    if value.is_nan() { 0 } else { number }
}

/// The least and the most of the values times `power`, if all are whole numbers that come back to the bit.
fn whole(values: &[f64], power: f64) -> Option<(i32, i32)> {
    let (mut least, mut most) = (i32::MAX, i32::MIN);
    for some in values.chunks(64) {
        let mut fits = true;
        for value in some {
            // Whatever does not fit, or has more decimals, does not come back; nor has a whole number a minus before zero.
            let number = scaled(*value, power);
            let back = if power == 1.0 { f64::from(number) } else { f64::from(number) / power };
            fits &= value.is_nan() | (back.to_bits() == value.to_bits());
            (least, most) = (least.min(number), most.max(number));
        }
        if !fits {
            return None;
        }
    }
    (least != i32::MIN).then_some((least, most))
}

impl Narrow for f64 {
    type Packed = Numbers;

    fn pack(values: &[f64]) -> Numbers {
        for power in [1.0, 10.0, 100.0, 1e3, 1e4, 1e5, 1e6] {
            let Some((least, most)) = whole(values, power) else { continue };
            return if least > i32::from(i16::MIN) && most <= i32::from(i16::MAX) {
                let two = |value: &f64| if value.is_nan() { i16::MIN } else { scaled(*value, power) as i16 };
                Numbers::Two(values.iter().map(two).collect(), power)
            } else {
                let four = |value: &f64| if value.is_nan() { i32::MIN } else { scaled(*value, power) };
                Numbers::Four(values.iter().map(four).collect(), power)
            };
        }
        if values.iter().all(|value| is_same(f64::from(*value as f32), *value)) {
            return Numbers::Single(values.iter().map(|value| *value as f32).collect());
        }
        Numbers::Double(values.iter().copied().collect())
    }

    #[inline]
    fn get(packed: &Numbers, index: usize) -> f64 {
        match packed {
            Numbers::Two(numbers, power) => match numbers[index] {
                i16::MIN => f64::NAN,
                number => f64::from(number) / power,
            },
            Numbers::Four(numbers, power) => match numbers[index] {
                i32::MIN => f64::NAN,
                number => f64::from(number) / power,
            },
            Numbers::Single(numbers) => f64::from(numbers[index]),
            Numbers::Double(numbers) => numbers[index],
        }
    }

    fn unpack(packed: &Numbers, places: Range<usize>, out: &mut Vec<f64>) {
        match packed {
            Numbers::Single(numbers) => out.extend(numbers[places].iter().map(|number| f64::from(*number))),
            Numbers::Double(numbers) => out.extend_from_slice(&numbers[places]),
            whole => out.extend(places.map(|index| f64::get(whole, index))),
        }
    }

    fn size(packed: &Numbers) -> usize {
        match packed {
            Numbers::Two(numbers, _) => numbers.size(),
            Numbers::Four(numbers, _) => numbers.size(),
            Numbers::Single(numbers) => numbers.size(),
            Numbers::Double(numbers) => numbers.size(),
        }
    }

    fn moved(packed: &Numbers, to: &mut dyn Spill) -> Option<Numbers> {
        Some(match packed {
            Numbers::Two(numbers, power) => Numbers::Two(numbers.moved(to)?, *power),
            Numbers::Four(numbers, power) => Numbers::Four(numbers.moved(to)?, *power),
            Numbers::Single(numbers) => Numbers::Single(numbers.moved(to)?),
            Numbers::Double(numbers) => Numbers::Double(numbers.moved(to)?),
        })
    }
}

/// Times, which never run back.
#[derive(Clone, Debug)]
pub(super) enum Times {
    /// The first time of each group, and how much later the others are, in nanoseconds.
    Later(Held<i64>, Held<u32>),
    /// In nanoseconds.
    Full(Held<i64>),
}

impl Narrow for Stamp {
    type Packed = Times;

    fn pack(values: &[Stamp]) -> Times {
        let mut bases = [0; BLOCK / GROUP];
        for (base, group) in bases.iter_mut().zip(values.chunks(GROUP)) {
            *base = group[0].0;
        }
        let later = |(index, at): (usize, &Stamp)| u32::try_from(at.0.checked_sub(bases[index / GROUP])?).ok();
        match values.iter().enumerate().map(later).collect::<Option<Vec<u32>>>() {
            Some(later) => Times::Later(bases.into_iter().collect(), Held::Here(later.into())),
            // More than four seconds between two rows of a group, or a time that ran back.
            None => Times::Full(values.iter().map(|at| at.0).collect()),
        }
    }

    #[inline]
    fn get(packed: &Times, index: usize) -> Stamp {
        match packed {
            Times::Later(bases, later) => Stamp(bases[index / GROUP] + i64::from(later[index])),
            Times::Full(times) => Stamp(times[index]),
        }
    }

    fn unpack(packed: &Times, places: Range<usize>, out: &mut Vec<Stamp>) {
        out.extend(places.map(|index| Stamp::get(packed, index)));
    }

    fn size(packed: &Times) -> usize {
        match packed {
            Times::Later(bases, later) => bases.size() + later.size(),
            Times::Full(times) => times.size(),
        }
    }

    fn moved(packed: &Times, to: &mut dyn Spill) -> Option<Times> {
        Some(match packed {
            Times::Later(bases, later) => Times::Later(bases.moved(to)?, later.moved(to)?),
            Times::Full(times) => Times::Full(times.moved(to)?),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn column() -> impl Strategy<Value = Vec<f64>> {
        let places = (0i32..8).prop_map(|places| 10f64.powi(places));
        let number = prop_oneof![
            8 => (-5000i64..5000).prop_map(|n| n as f64),
            2 => Just(f64::NAN),
            1 => prop_oneof![Just(-32_768.0), Just(-2_147_483_648.0), Just(-0.0), Just(f64::INFINITY), Just(3.4e38)],
            1 => proptest::num::f64::ANY,
        ];
        // Most blocks are of one kind.
        (proptest::collection::vec(number, 40), places, 0usize..40, any::<bool>()).prop_map(
            |(numbers, places, odd, plain)| {
                let kept = numbers.iter().enumerate().filter(|(i, n)| !plain || n.abs() < 5001.0 || *i == odd);
                let mut column: Vec<f64> = kept.map(|(_, number)| number / places).collect();
                column.push(1.5);
                column.iter().copied().cycle().take(BLOCK).collect()
            },
        )
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(200))]

        #[test]
        fn every_form_gives_back_what_went_in(values in column(), step in prop_oneof![Just(10_000_000i64), Just(400_000_000)]) {
            let (mut queue, mut times) = (Queue::starting_at(4096), Queue::default());
            for (i, value) in values.iter().enumerate() {
                queue.push(*value);
                times.push(Stamp(i as i64 * step));
            }
            queue.push(7.25);
            for (i, value) in values.iter().chain([&7.25]).enumerate() {
                let got = queue.get(4096 + i as u64).unwrap();
                prop_assert!(is_same(got, *value), "{value} came back as {got}");
            }
            let mut all = Vec::new();
            queue.read(4096..8193, &mut all);
            prop_assert!(all.iter().zip(&values).all(|(a, b)| is_same(*a, *b)) && all.len() == BLOCK + 1);
            prop_assert_eq!(queue.range(), 4096..8193);
            prop_assert!((0..BLOCK as u64).all(|i| times.get(i) == Some(Stamp(i as i64 * step))));
        }
    }

    #[test]
    fn the_narrowest_form_is_taken() {
        let size = |values: &dyn Fn(usize) -> f64| {
            f64::size(&f64::pack(&(0..BLOCK).map(values).collect::<Vec<f64>>())) / BLOCK
        };
        assert_eq!(size(&|i| (i % 4096) as f64), 2, "counts of 12 bits");
        assert_eq!(size(&|i| (i % 300) as f64 / 100.0), 2, "two decimals");
        assert_eq!(size(&|i| if i == 7 { f64::NAN } else { i as f64 * 100.0 }), 4);
        assert_eq!(size(&|i| f64::from(i as f32 * 1e20)), 4, "singles");
        assert_eq!(size(&|i| (i as f64).sqrt()), 8);
        let times: Vec<Stamp> = (0..BLOCK as i64).map(|i| Stamp(i * 10_000_000)).collect();
        assert!(Stamp::size(&Stamp::pack(&times)) < 5 * BLOCK);
    }
}
