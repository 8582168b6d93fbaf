//! How much looking at many lines together a stream is worth: a bounded share of reading it, whatever comes. Counted in lines and
//! not in time, so that the same bytes always give the same rows.

/// Lines that may be looked at in the beginning, when all is to be found.
const FIRST: u32 = 2048;

/// Lines that come for each that may be looked at beyond these.
const PER_LOOK: u32 = 2;

/// Lines that may be looked at still.
#[derive(Clone, Copy, Debug)]
pub(super) struct Effort {
    /// In parts of a line.
    left: u32,
}

impl Default for Effort {
    fn default() -> Effort {
        Effort { left: FIRST * PER_LOOK }
    }
}

impl Effort {
    /// A line came that was not simply read.
    #[inline]
    pub(super) fn earn(&mut self) {
        self.left = (self.left + 1).min(FIRST * PER_LOOK);
    }

    /// Whether so many lines may be looked at together now; they count as looked at then.
    pub(super) fn spend(&mut self, lines: usize) -> bool {
        let cost = u32::try_from(lines).unwrap_or(u32::MAX).saturating_mul(PER_LOOK);
        let may = cost <= self.left;
        if may {
            self.left -= cost;
        }
        may
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn of_a_long_stream_only_a_share_is_looked_at_together() {
        let (mut effort, mut looked_at) = (Effort::default(), 0);
        for _ in 0..100_000 {
            effort.earn();
            looked_at += if effort.spend(72) { 72 } else { 0 };
        }
        assert!((40_000..52_200).contains(&looked_at), "{looked_at}");
    }
}
