//! When a frame may be drawn: sixty a second on average, at once where there is allowance.
//!
//! A fixed grid of frames would make each row wait for the next one. Instead a frame is drawn with the row that comes
//! when there is allowance, and what came without is drawn with the next row, or soon if none comes: of a board at 100
//! rows a second 60 are on the screen as soon as they come, and the others 10 ms later.

use std::time::{Duration, Instant};

/// Frames a second.
const RATE: f64 = 60.0;

/// Frames that can be saved up.
const SAVED: f64 = 2.0;

/// How long a change waits for the next one to be drawn with, when there is no allowance for it.
const PATIENCE: Duration = Duration::from_millis(14);

#[derive(Debug)]
pub(super) struct Pacer {
    allowance: f64,
    counted: Instant,
    /// When the oldest change that is not drawn yet was rejected.
    rejected: Option<Instant>,
}

impl Pacer {
    pub(super) fn new(now: Instant) -> Self {
        Pacer { allowance: SAVED, counted: now, rejected: None }
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
        self.rejected = if may { None } else { self.rejected.or(Some(now)) };
        may
    }

    /// How long to wait for the next change before what was rejected is drawn.
    pub(super) fn wait(&mut self, now: Instant) -> Duration {
        self.count(now);
        let allowed = Duration::from_secs_f64(((1.0 - self.allowance) / RATE).max(0.0));
        let patience = self.rejected.map_or(Duration::ZERO, |since| (since + PATIENCE).saturating_duration_since(now));
        allowed.max(patience)
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
        let now = start + Duration::from_secs(11);
        assert!(pacer.draw(now) && pacer.draw(now) && !pacer.draw(now));
        let wait = pacer.wait(now);
        assert!(wait >= PATIENCE && wait <= Duration::from_secs_f64(1.0 / RATE), "{wait:?}");
        assert!(pacer.draw(now + wait));
    }
}
