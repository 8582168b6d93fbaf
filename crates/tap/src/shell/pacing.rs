//! When a frame may be drawn: sixty a second on average, at once where frames were saved up.
//!
//! A fixed grid of frames would make each row wait for the next one. Allowance is saved up instead, so that most rows
//! of a board at 100 rows a second are on the screen as soon as they come.

use std::time::{Duration, Instant};

/// Frames a second.
const RATE: f64 = 60.0;

/// Frames that can be saved up.
const SAVED: f64 = 2.0;

#[derive(Debug)]
pub(super) struct Pacer {
    allowance: f64,
    counted: Instant,
}

impl Pacer {
    pub(super) fn new(now: Instant) -> Self {
        Pacer { allowance: SAVED, counted: now }
    }

    fn count(&mut self, now: Instant) {
        self.allowance = (self.allowance + now.duration_since(self.counted).as_secs_f64() * RATE).min(SAVED);
        self.counted = now;
    }

    /// Uses up a frame if one may be drawn at `now`.
    pub(super) fn draw(&mut self, now: Instant) -> bool {
        self.count(now);
        let may = self.allowance >= 1.0;
        self.allowance -= f64::from(may);
        may
    }

    /// How long until a frame may be drawn.
    pub(super) fn wait(&mut self, now: Instant) -> Duration {
        self.count(now);
        Duration::from_secs_f64(((1.0 - self.allowance) / RATE).max(0.0))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn never_more_than_sixty_a_second_and_most_rows_at_once() {
        let start = Instant::now();
        let mut pacer = Pacer::new(start);
        let drawn = (0..1000).filter(|i| pacer.draw(start + Duration::from_millis(i * 10))).count();
        assert!((590..=603).contains(&drawn), "{drawn} frames for 1000 rows in ten seconds");
        let now = start + Duration::from_millis(9991);
        assert!(pacer.wait(now) <= Duration::from_secs_f64(1.0 / RATE));
        assert!(pacer.draw(now + Duration::from_secs(1)));
    }
}
