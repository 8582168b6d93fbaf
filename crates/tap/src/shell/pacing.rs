//! When a frame may be drawn: at once where there is allowance, which grows faster while a person acts.
//!
//! A fixed grid of frames would make each row wait for the next one. Instead a frame is drawn with the row that comes
//! when there is allowance, and what came without is drawn with the next row, or soon if none comes. While keys are
//! pressed there are sixty frames a second; rows alone get thirty, which look the same and cost half as much.

use std::time::{Duration, Instant};

/// Frames a second while a person acts, and while only rows come.
const RATES: (f64, f64) = (60.0, 30.0);

/// How long a person is taken to act after a key.
const ACTING: Duration = Duration::from_millis(500);

/// Frames that can be saved up.
const SAVED: f64 = 2.0;

/// How long a change waits for the next one to be drawn with, when there is no allowance for it.
const PATIENCE: Duration = Duration::from_millis(14);

#[derive(Debug)]
pub(super) struct Pacer {
    allowance: f64,
    counted: Instant,
    /// When a person acted last.
    acted: Option<Instant>,
    /// When the oldest change that is not drawn yet had to wait.
    delayed: Option<Instant>,
}

impl Pacer {
    pub(super) fn new(now: Instant) -> Self {
        Pacer { allowance: SAVED, counted: now, acted: None, delayed: None }
    }

    /// A person acted: what comes of it is shown soon.
    pub(super) fn act(&mut self, now: Instant) {
        self.count(now);
        self.acted = Some(now);
    }

    fn rate(&self, now: Instant) -> f64 {
        let acts = self.acted.is_some_and(|at| now.saturating_duration_since(at) < ACTING);
        if acts { RATES.0 } else { RATES.1 }
    }

    fn count(&mut self, now: Instant) {
        let rate = self.rate(now);
        let passed = now.saturating_duration_since(self.counted).as_secs_f64();
        self.allowance = (self.allowance + passed * rate).min(SAVED);
        self.counted = now;
    }

    /// Whether a frame may be drawn at `now`.
    pub(super) fn may_draw(&mut self, now: Instant) -> bool {
        self.count(now);
        let may = self.allowance >= 1.0;
        self.delayed = if may { None } else { self.delayed.or(Some(now)) };
        may
    }

    /// A frame was drawn.
    pub(super) fn drawn(&mut self) {
        self.allowance -= 1.0;
    }

    /// How long to wait for the next change before what had to wait is drawn.
    pub(super) fn wait(&mut self, now: Instant) -> Duration {
        self.count(now);
        // A little longer, so that it is surely enough then.
        let allowed = Duration::from_secs_f64(((1.0 - self.allowance) / self.rate(now)).max(0.0) + 1e-6);
        let patience = self.delayed.map_or(Duration::ZERO, |since| (since + PATIENCE).saturating_duration_since(now));
        allowed.max(patience)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn thirty_a_second_for_rows_sixty_while_a_person_acts_and_the_first_at_once() {
        let start = Instant::now();
        for (acts, frames) in [(false, 295..=303), (true, 590..=603)] {
            let mut pacer = Pacer::new(start);
            let mut drawn = 0;
            for i in 0..1000 {
                let now = start + Duration::from_millis(i * 10);
                if acts {
                    pacer.act(now);
                }
                if pacer.may_draw(now) {
                    pacer.drawn();
                    drawn += 1;
                }
            }
            assert!(frames.contains(&drawn), "{drawn} frames for 1000 rows in ten seconds");
            let now = start + Duration::from_secs(11);
            for _ in 0..2 {
                assert!(pacer.may_draw(now));
                pacer.drawn();
            }
            assert!(!pacer.may_draw(now));
            let wait = pacer.wait(now);
            assert!(wait >= PATIENCE && wait <= Duration::from_secs_f64(1.01 / RATES.1), "{wait:?}");
            assert!(pacer.may_draw(now + wait));
        }
    }
}
