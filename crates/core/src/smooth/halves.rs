//! The median of a sliding window, at a cost that grows with the logarithm of the window.

use std::collections::VecDeque;

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
