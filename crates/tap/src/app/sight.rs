//! Which stretch of time is in sight: live or held, how long, and how it moves.

use amber_core::Stamp;
use amber_core::window::{Motion, zoomed};

/// The stretch of time in the chart.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Sight {
    /// Seconds across the chart.
    pub(crate) span: f64,
    /// The instant at the right edge while held; `None` follows the present.
    pub(crate) held: Option<Stamp>,
    /// How the chart follows the present.
    pub(crate) motion: Motion,
}

impl Sight {
    pub(crate) fn live(span: f64) -> Sight {
        Sight { span, held: None, motion: Motion::Scroll }
    }

    /// Shows everything from `start` to `end`, and a little room.
    pub(crate) fn show_all(&mut self, start: Stamp, end: Stamp) {
        let length = end.seconds_since(start).max(0.01);
        self.span = length * 1.02;
        self.held = Some(end.plus(length * 0.01));
    }

    /// Moves by `shares` of the span (negative: earlier), within `first..=last`; holds.
    pub(crate) fn pan(&mut self, shares: f64, now: Stamp, first: Stamp, last: Stamp) {
        let end = self.held.unwrap_or(now).plus(self.span * shares);
        let least = first.plus(self.span * 0.1).min(last);
        self.held = Some(end.clamp(least, last.max(least)));
    }

    /// Zooms by `steps` (negative: closer). While held, the instant at `place` of the width (0 left, 1 right) stays
    /// where it is; live, the present does.
    pub(crate) fn zoom(&mut self, steps: i32, place: f64) {
        let span = zoomed(self.span, steps);
        if let Some(end) = self.held {
            let fixed = end.plus(-self.span * (1.0 - place));
            self.held = Some(fixed.plus(span * (1.0 - place)));
        }
        self.span = span;
    }

    /// How the chart moves: a held one stands.
    pub(crate) fn motion(&self) -> Motion {
        if self.held.is_some() { Motion::Scroll } else { self.motion }
    }
}
