//! Whether the whole numbers that a channel says seem to stand for states.

/// The most states that are told from a count.
const MOST: u32 = 16;

/// Rows before anything is said.
const ROWS: u64 = 32;

/// Of so many rows one changes at most: what is measured in small whole numbers is seldom still for long.
const HELD: u64 = 4;

/// What a channel has said so far.
#[derive(Clone, Copy, Debug)]
pub(super) struct States {
    /// The numbers 0 to 15 that came, a bit each.
    seen: u32,
    /// Another number came.
    other: bool,
    rows: u64,
    changes: u64,
    last: f64,
}

impl Default for States {
    fn default() -> Self {
        States { seen: 0, other: false, rows: 0, changes: 0, last: f64::NAN }
    }
}

impl States {
    /// Takes raw values that follow one another; NaN stands for a gap.
    pub(super) fn take(&mut self, raw: &[f64]) {
        if self.other {
            return;
        }
        for value in raw.iter().copied().filter(|value| !value.is_nan()) {
            if value.fract() != 0.0 || !(0.0..f64::from(MOST)).contains(&value) {
                self.other = true;
                return;
            }
            self.seen |= 1 << value as u32;
            self.rows += 1;
            self.changes += u64::from(value != self.last && !self.last.is_nan());
            self.last = value;
        }
    }

    /// How many states there seem to be: at least three, 0, 1, 2 and so on, each of which lasts some rows; `None` otherwise.
    pub(super) fn count(&self) -> Option<u32> {
        let count = self.seen.trailing_ones();
        let are_all = self.seen.count_ones() == count;
        let last = self.changes >= u64::from(count) && self.changes * HELD <= self.rows;
        (!self.other && are_all && count >= 3 && last && self.rows >= ROWS).then_some(count)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_that_last_are_states_and_what_is_measured_is_not() {
        let count = |value: &dyn Fn(usize) -> f64| {
            let mut states = States::default();
            (0..120).for_each(|i| states.take(&[value(i), f64::NAN]));
            states.count()
        };
        assert_eq!(count(&|i| (i / 9 % 3) as f64), Some(3));
        assert_eq!(count(&|i| [0.0, 1.0, 2.0, 3.0, 1.0][i / 7 % 5]), Some(4));
        assert_eq!(count(&|i| (i / 9 % 2) as f64), None, "that is on and off");
        assert_eq!(count(&|i| (i * 7 % 3) as f64), None, "noise");
        assert_eq!(count(&|i| [0.0, 2.0, 5.0][i / 9 % 3]), None);
        assert_eq!(count(&|i| (i / 40) as f64), None, "a counter");
        assert_eq!(count(&|i| (i / 9 % 3) as f64 + 0.5), None);
    }
}
