//! Playing what is recorded: the right edge moves on as time does, so many times as fast.

use super::Session;
use amber_core::Stamp;

/// Speeds that can be chosen, in times the recorded pace.
pub(crate) const SPEEDS: [f64; 11] = [0.01, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 60.0, 600.0, 3600.0];

/// How recorded rows are played.
#[derive(Debug)]
pub(crate) struct Play {
    /// Times the recorded pace.
    pub(crate) speed: f64,
    /// When it was moved on last, while it plays.
    last: Option<Stamp>,
}

impl Default for Play {
    fn default() -> Play {
        Play { speed: 1.0, last: None }
    }
}

/// The longest time by which one frame moves on, in seconds: after a pause of the program, it does not jump.
const LONGEST: f64 = 1.0;

impl Session {
    /// Whether recorded rows are being played.
    pub(crate) fn plays(&self) -> bool {
        self.play.last.is_some()
    }

    /// The speed at which recorded rows are being played, in words.
    pub(crate) fn playing(&self) -> Option<String> {
        self.plays().then(|| format!("{} × the recorded pace", self.play.speed))
    }

    /// Plays from the right edge on, or pauses; from the beginning where nothing is left to play.
    pub(crate) fn toggle_play(&mut self, now: Stamp) {
        if self.play.last.take().is_some() {
            return;
        }
        if !self.is_held() {
            return self.say("live data is not played: hold the picture (Space), and P plays from there", true);
        }
        let (end, held) = (self.last_row(), self.end());
        // Where less is left than is to be seen, there is nothing to play.
        let is_at_end = end.seconds_since(held) < self.axis.span / 500.0;
        self.axis.held = Some(if is_at_end { self.oldest().plus(self.axis.span.min(1.0)).min(end) } else { held });
        self.play.last = Some(now);
        self.say(format!("playing at {} × its pace: < and > change the speed, P pauses", self.play.speed), false);
    }

    /// Plays faster (`by` above 0) or slower.
    pub(crate) fn set_speed(&mut self, by: i32) {
        self.play.speed = amber_core::part::along(&SPEEDS, self.play.speed, by);
        self.say(format!("{} × the recorded pace", self.play.speed), false);
    }

    /// The time of the newest row of all sources.
    fn last_row(&self) -> Stamp {
        let newest = |chain: &amber_core::chain::Chain| chain.store().time(chain.store().rows().end.checked_sub(1)?);
        self.chains().filter_map(newest).max().unwrap_or(self.now)
    }

    /// Moves on what is played; at its end it pauses.
    pub(super) fn follow_play(&mut self, now: Stamp) {
        let Some(last) = self.play.last else { return };
        let Some(held) = self.axis.held else {
            self.play.last = None;
            return;
        };
        let passed = now.seconds_since(last).clamp(0.0, LONGEST);
        let end = self.last_row();
        let next = held.plus(passed * self.play.speed);
        self.axis.held = Some(next.min(end));
        self.play.last = (next < end).then_some(now);
        if next >= end {
            self.say("played to the end: P plays it again", false);
        }
        self.refresh_soon();
    }
}
