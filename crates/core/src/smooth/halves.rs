//! The median of a sliding window: of a short one in order, of a long one at a cost that grows with its logarithm.

use std::collections::VecDeque;

/// Up to so many values are kept in order: counting those that are smaller, and moving the others up, takes less time than a
/// walk through heaps.
const SHORT: usize = 160;

/// The values of a sliding window, for their median.
#[derive(Clone, Debug)]
pub(super) enum Middle {
    /// A short window.
    Short(Sorted),
    /// A long one.
    Long(Halves),
}

impl Default for Middle {
    fn default() -> Self {
        Middle::Short(Sorted::default())
    }
}

impl Middle {
    /// Takes a value, which must not be NaN.
    #[inline]
    pub(super) fn push(&mut self, value: f64) {
        if let Middle::Short(short) = self {
            if short.sorted.len() <= SHORT {
                return short.push(value);
            }
            let mut long = Halves::default();
            short.queue.iter().for_each(|value| long.push(*value));
            *self = Middle::Long(long);
        }
        if let Middle::Long(long) = self {
            long.push(value);
        }
    }

    /// Lets the value go that came first.
    #[inline]
    pub(super) fn pop(&mut self) {
        match self {
            Middle::Short(short) => short.pop(),
            Middle::Long(long) => long.pop(),
        }
    }

    /// The median: the value in the middle, or the mean of the two there; NaN of nothing.
    #[inline]
    pub(super) fn median(&self) -> f64 {
        match self {
            Middle::Short(short) => short.median(),
            Middle::Long(long) => long.median(),
        }
    }
}

/// The values of a short window in order.
#[derive(Clone, Debug, Default)]
pub(super) struct Sorted {
    sorted: Vec<f64>,
    /// The same as they came.
    queue: VecDeque<f64>,
}

impl Sorted {
    /// Where `value` stands, or would: how many are smaller. All are looked at, which the processor does several at once.
    #[inline]
    fn place(&self, value: f64) -> usize {
        self.sorted.iter().map(|other| usize::from(*other < value)).sum()
    }

    #[inline]
    fn push(&mut self, value: f64) {
        let place = self.place(value);
        self.sorted.insert(place, value);
        self.queue.push_back(value);
    }

    #[inline]
    fn pop(&mut self) {
        if let Some(value) = self.queue.pop_front() {
            let place = self.place(value);
            self.sorted.remove(place);
        }
    }

    #[inline]
    fn median(&self) -> f64 {
        let n = self.sorted.len();
        match n {
            0 => f64::NAN,
            _ if n % 2 == 1 => self.sorted[n / 2],
            _ => (self.sorted[n / 2 - 1] + self.sorted[n / 2]) / 2.0,
        }
    }
}

/// The values of a window in two halves: a heap with the greatest of the lower half on top, and one with the smallest
/// of the upper half. Each value knows its place in its heap, so that the oldest is taken out of the median of one.
///
/// The lower half has as many values as the upper one, or one more.
#[derive(Clone, Debug, Default)]
pub(super) struct Halves {
    /// Values by slot; slots of values that left are used again.
    values: Vec<f64>,
    /// Where each slot stands.
    places: Vec<(Half, u32)>,
    heaps: [Vec<u32>; 2],
    free: Vec<u32>,
    /// Slots in the order in which their values came.
    queue: VecDeque<u32>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Half {
    Lower,
    Upper,
}

use Half::{Lower, Upper};

impl Halves {
    /// Takes a value, which must not be NaN.
    pub(super) fn push(&mut self, value: f64) {
        let slot = self.free.pop().unwrap_or_else(|| {
            self.values.push(0.0);
            self.places.push((Lower, 0));
            self.values.len() as u32 - 1
        });
        self.values[slot as usize] = value;
        self.queue.push_back(slot);
        let is_upper = self.heaps[Lower as usize].first().is_some_and(|top| value > self.values[*top as usize]);
        self.insert(if is_upper { Upper } else { Lower }, slot);
        self.level();
    }

    /// Lets the value go that came first.
    pub(super) fn pop(&mut self) {
        if let Some(slot) = self.queue.pop_front() {
            let (half, place) = self.places[slot as usize];
            self.remove(half, place as usize);
            self.free.push(slot);
            self.level();
        }
    }

    /// The median: the value in the middle, or the mean of the two there; NaN of nothing.
    pub(super) fn median(&self) -> f64 {
        let top = |half: Half| self.heaps[half as usize].first().map_or(f64::NAN, |slot| self.values[*slot as usize]);
        if self.queue.len() % 2 == 1 { top(Lower) } else { (top(Lower) + top(Upper)) / 2.0 }
    }

    /// Moves tops until the halves are as large as they should be.
    fn level(&mut self) {
        loop {
            let [lower, upper] = [Lower, Upper].map(|half| self.heaps[half as usize].len());
            let (from, to) = match () {
                () if lower > upper + 1 => (Lower, Upper),
                () if upper > lower => (Upper, Lower),
                () => return,
            };
            let slot = self.remove(from, 0);
            self.insert(to, slot);
        }
    }

    fn insert(&mut self, half: Half, slot: u32) {
        let heap = &mut self.heaps[half as usize];
        heap.push(slot);
        let place = heap.len() - 1;
        self.places[slot as usize] = (half, place as u32);
        self.rise(half, place);
    }

    fn remove(&mut self, half: Half, place: usize) -> u32 {
        let heap = &mut self.heaps[half as usize];
        let slot = heap.swap_remove(place);
        if let Some(moved) = heap.get(place).copied() {
            self.places[moved as usize] = (half, place as u32);
            let place = self.rise(half, place);
            self.sink(half, place);
        }
        slot
    }

    /// Whether the value at `a` belongs above that at `b`.
    fn is_above(&self, half: Half, a: usize, b: usize) -> bool {
        let [a, b] = [a, b].map(|place| self.values[self.heaps[half as usize][place] as usize]);
        if half == Lower { a > b } else { a < b }
    }

    fn swap(&mut self, half: Half, a: usize, b: usize) {
        let heap = &mut self.heaps[half as usize];
        heap.swap(a, b);
        for place in [a, b] {
            self.places[heap[place] as usize] = (half, place as u32);
        }
    }

    fn rise(&mut self, half: Half, mut place: usize) -> usize {
        while place > 0 && self.is_above(half, place, (place - 1) / 2) {
            self.swap(half, place, (place - 1) / 2);
            place = (place - 1) / 2;
        }
        place
    }

    fn sink(&mut self, half: Half, mut place: usize) {
        loop {
            let mut top = place;
            for child in [2 * place + 1, 2 * place + 2] {
                if child < self.heaps[half as usize].len() && self.is_above(half, child, top) {
                    top = child;
                }
            }
            if top == place {
                return;
            }
            self.swap(half, place, top);
            place = top;
        }
    }
}
