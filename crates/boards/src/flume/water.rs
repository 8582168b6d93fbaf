//! The water in the flume and in its sump. Lengths in millimetres (the sump in centimetres), pressure in kilopascals,
//! times in seconds since reset.

use super::Programme;
use std::f64::consts::TAU;

/// Still water before the paddle starts.
const STILL: f64 = 6.0;

/// Time constant with which waves build up.
const BUILD_UP: f64 = 7.0;

/// Paddle strokes a second.
const FREQUENCY: f64 = 0.8;

/// Time that a wave takes from the first gauge to the second, 2 m on: shallow water runs at sqrt(g h), here 1 m/s.
const TRAVEL: f64 = 2.0;

/// How long each step of the depth programme lasts.
const STEP: f64 = 12.0;

/// Time constant with which the depth follows its setting.
const SETTLING: f64 = 0.8;

/// Sump levels between which the pump is switched, and the speeds of filling and emptying, in cm and cm/s.
const SUMP: (f64, f64) = (6.0, 18.0);
const FILLING: f64 = 0.75;
const PUMPING: f64 = 2.1;

#[derive(Debug)]
pub(super) struct Water {
    programme: Programme,
    /// The paddle's stroke.
    pub(super) stroke: f64,
    /// The still water depth that was asked for; without one the programme decides.
    pub(super) asked_depth: Option<f64>,
    /// `pump on` and `pump off`; without either the board decides.
    pub(super) asked_pump: Option<bool>,
    depth: f64,
    sump: f64,
    pumping: bool,
    last: f64,
}

impl Water {
    pub(super) fn new(programme: Programme) -> Self {
        let depth = if programme == Programme::Depth { 0.0 } else { 100.0 };
        Water {
            programme,
            stroke: 40.0,
            asked_depth: None,
            asked_pump: (programme == Programme::Pump).then_some(false),
            depth,
            sump: 11.0,
            pumping: false,
            last: 0.0,
        }
    }

    /// Moves what has inertia on to `now`.
    pub(super) fn flow(&mut self, now: f64) {
        let passed = now - self.last;
        self.last = now;
        let aim = self.asked_depth.unwrap_or(match self.programme {
            Programme::Waves | Programme::Pump => 100.0,
            Programme::Depth => (now / STEP).floor() % 5.0 * 50.0,
        });
        self.depth += (aim - self.depth) * (1.0 - (-passed / SETTLING).exp());
        if self.sump > SUMP.1 {
            self.pumping = true;
        } else if self.sump < SUMP.0 {
            self.pumping = false;
        }
        self.sump = (self.sump + passed * (FILLING - if self.pumping() { PUMPING } else { 0.0 })).clamp(0.0, 24.0);
    }

    pub(super) fn pumping(&self) -> bool {
        self.asked_pump.unwrap_or(self.pumping)
    }

    pub(super) fn sump(&self) -> f64 {
        self.sump
    }

    /// The paddle's place from -1 to 1; 0 while it rests.
    pub(super) fn paddle(&self, now: f64) -> f64 {
        let runs = self.programme != Programme::Depth && now > STILL && self.stroke > 0.0;
        if runs { (TAU * FREQUENCY * (now - STILL)).sin() } else { 0.0 }
    }

    /// The surface above still water at `now`; a little steeper at the crest, as shallow waves are.
    fn wave(&self, now: f64) -> f64 {
        if self.programme == Programme::Depth || now < STILL {
            return 0.0;
        }
        let height = self.stroke * 0.55 * (1.0 - (-(now - STILL) / BUILD_UP).exp());
        let slow = 1.0 + 0.15 * (TAU * 0.045 * now).sin();
        let phase = TAU * FREQUENCY * (now - STILL);
        height * slow * (phase.sin() + 0.18 * (2.0 * phase).cos())
    }

    pub(super) fn gauge_a(&self, now: f64) -> f64 {
        (self.depth + self.wave(now)).max(0.0)
    }

    pub(super) fn gauge_b(&self, now: f64) -> f64 {
        (self.depth + 0.86 * self.wave(now - TRAVEL)).max(0.0)
    }

    /// Pressure at the bed under the first gauge: water weighs 9.81 Pa a millimetre, waves reach down damped.
    pub(super) fn bed(&self, now: f64) -> f64 {
        (self.depth + 0.7 * self.wave(now)).max(0.0) * 9.81e-3
    }
}
