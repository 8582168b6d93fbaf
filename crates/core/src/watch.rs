//! Stage 5, **watch**: one threshold with hysteresis, its state and how often it was crossed.

use serde::{Deserialize, Serialize};

/// A channel's threshold, in the quantity's unit.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Watch {
    /// The level that is watched.
    pub threshold: f64,
    /// The width of the dead band around it: the value must rise above `threshold + hysteresis / 2` to be above, and
    /// fall below `threshold - hysteresis / 2` to be below. At least 0.
    #[serde(default)]
    pub hysteresis: f64,
}

impl Watch {
    /// What is wrong with the settings, if something is.
    pub fn fault(&self) -> Option<&'static str> {
        if !self.threshold.is_finite() {
            return Some("threshold must be a finite number");
        }
        (!(self.hysteresis.is_finite() && self.hysteresis >= 0.0)).then_some("hysteresis must be 0 or more")
    }
}

/// On which side of the threshold the channel is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Side {
    /// No reading has left the dead band yet.
    #[default]
    Unknown,
    /// Below.
    Below,
    /// Above.
    Above,
}

/// A threshold with its memory.
#[derive(Clone, Debug)]
pub struct Watcher {
    settings: Watch,
    /// The side that the last decided reading was on.
    pub side: Side,
    /// Crossings from below to above.
    pub rises: u64,
    /// Crossings from above to below.
    pub falls: u64,
}

impl Watcher {
    /// A watcher that has seen nothing.
    pub fn new(settings: Watch) -> Self {
        Watcher { settings, side: Side::Unknown, rises: 0, falls: 0 }
    }

    /// Takes readings. A gap (NaN) changes nothing.
    pub fn extend(&mut self, values: &[f64]) {
        let half = self.settings.hysteresis / 2.0;
        let (above, below) = (self.settings.threshold + half, self.settings.threshold - half);
        // Mostly nothing happens, which is soon seen.
        let stays = match self.side {
            Side::Above => values.iter().fold(true, |stays, value| stays & (*value >= below)),
            Side::Below => values.iter().fold(true, |stays, value| stays & (*value <= above)),
            Side::Unknown => false,
        };
        if stays {
            return;
        }
        for value in values {
            if *value > above {
                self.rises += u64::from(self.side == Side::Below);
                self.side = Side::Above;
            } else if *value < below {
                self.falls += u64::from(self.side == Side::Above);
                self.side = Side::Below;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn hysteresis_keeps_noise_from_counting() {
        let mut watcher = Watcher::new(Watch { threshold: 100.0, hysteresis: 4.0 });
        let mut seen = Vec::new();
        for value in [101.0, 99.0, 97.9, 101.9, 102.1, 99.0, f64::NAN, 98.1, 97.9, 102.0, 103.0] {
            watcher.extend(&[value]);
            seen.push(watcher.side);
        }
        use Side::*;
        assert_eq!(seen, [Unknown, Unknown, Below, Below, Above, Above, Above, Above, Below, Below, Above]);
        assert_eq!((watcher.rises, watcher.falls), (2, 1));
    }
}
