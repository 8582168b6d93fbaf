//! The time axis: how long a stretch is shown, live or held, and how it moves.

use super::Session;
use amber_core::Stamp;
use amber_core::window::{Motion, zoomed};

/// The stretch of time that is shown.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct TimeAxis {
    /// Seconds across the chart.
    pub(crate) span: f64,
    /// The instant at the right edge while held; `None` follows the present.
    pub(crate) held: Option<Stamp>,
    /// How the chart follows the present.
    pub(crate) motion: Motion,
    /// The moment that was gone to, and where the right edge has been since.
    gone_to: Option<(Stamp, Stamp)>,
}

impl TimeAxis {
    pub(crate) fn live(span: f64) -> TimeAxis {
        TimeAxis { span, held: None, motion: Motion::Scroll, gone_to: None }
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

impl Session {
    /// The oldest instant of all histories; now, where there is none.
    pub(crate) fn oldest(&self) -> Stamp {
        let oldest = |chain: &amber_core::chain::Chain| chain.store().time(chain.store().rows().start);
        self.chains().filter_map(oldest).min().unwrap_or(self.now)
    }

    /// Moves by `shares` of the span (negative: earlier), which holds the picture.
    pub(crate) fn pan(&mut self, shares: f64) {
        let (first, last) = (self.oldest(), self.present());
        self.axis.pan(shares, last, first, last);
        self.refresh_soon();
    }

    /// Shows the oldest stretch that is kept.
    pub(crate) fn show_oldest(&mut self) {
        let (first, last) = (self.oldest(), self.present());
        self.axis.held = Some(first.plus(self.axis.span).min(last));
        self.refresh_soon();
    }

    /// Shows the newest; live again.
    pub(crate) fn show_newest(&mut self) {
        self.axis.held = self.is_take().then_some(self.present());
        self.refresh_soon();
    }

    /// Shows the stretch around an instant.
    pub(crate) fn show_moment(&mut self, at: Stamp) {
        let (first, last) = (self.oldest(), self.present());
        let end = at.plus(self.axis.span / 2.0).clamp(first, last.max(first));
        self.axis.held = Some(end);
        self.axis.gone_to = Some((at, end));
        self.refresh_soon();
    }

    /// The moment that was gone to, as long as the picture has not been moved since.
    pub(crate) fn gone_to(&self) -> Option<Stamp> {
        self.axis.gone_to.filter(|(_, end)| self.axis.held == Some(*end)).map(|(at, _)| at)
    }

    /// Goes to the next event, or to the one before (`by` below 0): from the one that was gone to, else from the middle of a
    /// held picture, else from the present.
    pub(crate) fn show_event(&mut self, by: i32) {
        let middle = |end: Stamp| end.plus(-self.axis.span / 2.0);
        let from = self.gone_to().or(self.axis.held.map(middle)).unwrap_or_else(|| self.present());
        let events = self.chain().events();
        let end = self.present();
        let found = if by < 0 {
            events.iter().rev().find(|event| event.at < from)
        } else {
            events.iter().find(|event| event.at > from).filter(|event| event.at <= end)
        };
        let Some(event) = found.copied() else {
            let what = match (events.is_empty(), by < 0) {
                (true, _) => "no event yet: 5 c sets a condition",
                (false, true) => "no event before this one is known",
                (false, false) => "no later event yet",
            };
            return self.say(what, true);
        };
        let name = self.chain().conditions().settings().get(event.condition).map_or("", |own| own.name.as_str());
        let lasted =
            event.seconds().map_or("true now".into(), |seconds| format!("lasted {}", self.across().length(seconds)));
        let told = format!("event {}: {name}, {}, {lasted}", event.number, self.when(event.at, "%H:%M:%S%.3f"));
        self.say(told, false);
        self.show_moment(event.at);
    }

    /// Holds the picture, or lets it go on.
    pub(crate) fn hold(&mut self) {
        if self.is_take() {
            return self.say("a take is recorded data: pan with ←→, zoom with + and -", true);
        }
        self.axis.held = if self.is_held() { None } else { Some(self.present()) };
        self.refresh_soon();
    }

    /// Zooms by `steps` (negative: closer) about `place` of the width, 0 left to 1 right.
    pub(crate) fn zoom(&mut self, steps: i32, place: f64) {
        self.axis.zoom(steps, place);
        if self.is_held() {
            // Another stretch was asked for: its axes need no patience.
            self.lane_axes.clear();
        }
        if !self.is_take() {
            let span = self.axis.span;
            self.edit_shared(|shared| shared.screen.span = span);
        }
        self.refresh_soon();
    }

    /// Lets the chart scroll, or sweep and start over.
    pub(crate) fn set_motion(&mut self, motion: Motion) {
        if self.is_held() {
            return self.say("the picture is held: Space releases it", true);
        }
        self.axis.motion = motion;
    }

    /// Shows a stretch, held.
    pub(crate) fn show_stretch(&mut self, begin: Stamp, end: Stamp) {
        self.axis.span = end.seconds_since(begin).max(1e-3);
        self.show_until(end);
        self.viewport = self.look();
    }

    /// Shows the stretch that ends at an instant.
    pub(crate) fn show_until(&mut self, end: Stamp) {
        let (first, last) = (self.oldest(), self.present());
        self.axis.held = Some(end.clamp(first, last.max(first)));
        self.refresh_soon();
    }
}
