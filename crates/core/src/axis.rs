//! A lane's y axis: grows at once when data leaves it, shrinks slowly and in round steps, never moves on noise alone.

use crate::Stamp;
use serde::{Deserialize, Serialize};

/// Seconds for which data must have filled less than half the axis before it shrinks one step.
const PATIENCE: f64 = 4.0;

/// Room left above and below the data when the axis moves, as a share of the data's span.
const MARGIN: f64 = 0.06;

/// The least span, in steps of the converter: noise of a few counts stays a thin line.
const LEAST_STEPS: f64 = 24.0;

/// What decides the limits of a lane's y axis.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Rule {
    /// The data, with patience.
    #[default]
    Fit,
    /// The converter's full scale.
    Full,
    /// Limits that were typed, low then high.
    Typed(f64, f64),
}

impl Rule {
    /// A word for the screen.
    pub fn name(self) -> &'static str {
        match self {
            Rule::Fit => "fits data",
            Rule::Full => "full scale",
            Rule::Typed(..) => "typed",
        }
    }
}

/// Limits that follow the data.
#[derive(Clone, Debug, Default)]
pub struct FitAxis {
    limits: Option<(f64, f64)>,
    small_since: Option<Stamp>,
}

impl FitAxis {
    /// The limits, once there were data.
    pub fn limits(&self) -> Option<(f64, f64)> {
        self.limits
    }

    /// Takes the least and most of what is in view at `now`; `step` is the converter's resolution in the axis' unit
    /// (0 when not known). Without data the limits stay.
    pub fn update(&mut self, now: Stamp, data: Option<(f64, f64)>, step: f64) {
        let Some((low, high)) = data.filter(|(a, b)| a.is_finite() && b.is_finite()) else {
            return;
        };
        let fit = roomy(low, high, step);
        let Some((bottom, top)) = self.limits else {
            self.limits = Some(fit);
            return;
        };
        if low < bottom || high > top {
            let grown = (if low < bottom { fit.0 } else { bottom }, if high > top { fit.1 } else { top });
            self.limits = Some(round_out(grown.0, grown.1));
            self.small_since = None;
        } else if fit.1 - fit.0 > (top - bottom) / 2.0 {
            self.small_since = None;
        } else if now.seconds_since(*self.small_since.get_or_insert(now)) >= PATIENCE {
            let half = round_out((bottom + fit.0) / 2.0, (top + fit.1) / 2.0);
            let smaller = half.1 - half.0 < top - bottom;
            self.limits = Some(if smaller { half } else { fit });
            self.small_since = Some(now);
        }
    }
}

fn roomy(low: f64, high: f64, step: f64) -> (f64, f64) {
    let least = (step * LEAST_STEPS).max((low.abs().max(high.abs())) * 1e-6).max(1e-12);
    let margin = ((high - low) * MARGIN).max((least - (high - low)) / 2.0);
    // Room below zero says nothing where nothing is ever below zero.
    let bottom = if low >= 0.0 { (low - margin).max(0.0) } else { low - margin };
    let top = if high <= 0.0 { (high + margin).min(0.0) } else { high + margin };
    round_out(bottom, top.max(bottom + least))
}

/// The smallest round step (1, 2 or 5 times a power of ten) that is at least `size`, which must be above 0.
pub fn round_step(size: f64) -> f64 {
    let power = 10f64.powf(size.log10().floor());
    let lead = size / power;
    let round = [1.0, 2.0, 5.0].into_iter().find(|step| lead <= step * (1.0 + 1e-9)).unwrap_or(10.0);
    round * power
}

fn round_out(low: f64, high: f64) -> (f64, f64) {
    let step = round_step((high - low) / 8.0);
    ((low / step + 1e-9).floor() * step, (high / step - 1e-9).ceil() * step)
}

/// Round values within `low..=high`, at most one more than `most` of them, and the decimals that they need.
pub fn ticks(low: f64, high: f64, most: usize) -> (Vec<f64>, usize) {
    if !(low.is_finite() && high.is_finite() && high > low) || most == 0 {
        return (Vec::new(), 0);
    }
    let step = round_step((high - low) / most as f64);
    let first = (low / step - 1e-9).ceil();
    let count = ((high / step + 1e-9).floor() - first) as usize;
    let decimals = (-(step.log10() + 1e-9).floor()).clamp(0.0, 9.0) as usize;
    ((0..=count).map(|i| (first + i as f64) * step).collect(), decimals)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(seconds: f64) -> Stamp {
        Stamp::default().plus(seconds)
    }

    #[test]
    fn noise_alone_never_moves_it() {
        let mut axis = FitAxis::default();
        axis.update(at(0.0), Some((99.9, 100.1)), 0.05);
        let first = axis.limits().unwrap();
        assert!(first.1 - first.0 >= 24.0 * 0.05);
        for i in 0..2000 {
            let wobble = f64::from(i % 7) * 0.05;
            axis.update(at(f64::from(i) * 0.05), Some((99.9 - wobble, 100.1 + wobble)), 0.05);
        }
        assert_eq!(axis.limits(), Some(first));
    }

    #[test]
    fn grows_at_once_and_shrinks_slowly_in_round_steps() {
        let mut axis = FitAxis::default();
        axis.update(at(0.0), Some((0.0, 10.0)), 0.01);
        axis.update(at(1.0), Some((-3.0, 480.0)), 0.01);
        let (low, high) = axis.limits().unwrap();
        assert!(low <= -3.0 && high >= 480.0);
        let mut spans = vec![high - low];
        for i in 0..600 {
            axis.update(at(1.0 + f64::from(i) * 0.1), Some((0.0, 10.0)), 0.01);
            let (low, high) = axis.limits().unwrap();
            assert!(low <= 0.0 && high >= 10.0);
            if spans.last() != Some(&(high - low)) {
                spans.push(high - low);
            }
            if f64::from(i) * 0.1 < PATIENCE - 0.2 {
                assert_eq!(spans.len(), 1, "shrank too soon");
            }
        }
        assert!(spans.windows(2).all(|pair| pair[1] < pair[0]) && spans.len() >= 4, "{spans:?}");
        assert!(*spans.last().unwrap() <= 24.0, "{spans:?}");
    }

    #[test]
    fn ticks_are_round_and_inside() {
        assert_eq!(ticks(-3.0, 9.0, 6), (vec![-2.0, 0.0, 2.0, 4.0, 6.0, 8.0], 0));
        assert_eq!([ticks(0.7, 1.3, 4).1, ticks(0.0, 0.03, 3).1, ticks(0.0, 9e4, 4).1], [1, 2, 0]);
        assert_eq!(ticks(0.0, 1.0, 5).0.len(), 6);
        assert!(ticks(1.0, 1.0, 5).0.is_empty() && ticks(f64::NAN, 1.0, 5).0.is_empty());
        assert_eq!(
            [round_step(0.03), round_step(5.0), round_step(7.0)].map(|s| format!("{s:.2}")),
            ["0.05", "5.00", "10.00"]
        );
    }
}
