//! How well a channel keeps to its target: overshoot, ripple, cycle, settling.

use super::{Side, Watch, Watcher};
use crate::Stamp;
use serde::{Deserialize, Serialize};

/// What a channel is steered to.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Target {
    /// A number, or the name of the channel that says it, in the unit of the channel.
    pub to: String,
    /// The width of the band around it in which the channel is where it should be; above 0.
    pub band: f64,
    /// The channel that steers, such as a heater; empty where none is known.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub steered_by: String,
}

impl Target {
    /// What is wrong with it, if anything.
    pub fn fault(&self) -> Option<&'static str> {
        if self.to.trim().is_empty() {
            return Some("a target is a number, or the name of a channel");
        }
        (!(self.band > 0.0 && self.band.is_finite())).then_some("the band of a target must be above 0")
    }
}

/// Rows of a channel with its target.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Row {
    /// When.
    pub at: Stamp,
    /// What the channel said less its target; NaN where either has a gap.
    pub deviation: f64,
    /// Whether the channel that steers was on, as far as that is known.
    pub is_steered: Option<bool>,
    /// It does not follow from the row before.
    pub is_broken: bool,
}

/// How a stretch of rows keeps to its target.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Kept {
    /// Seconds that the rows tell of, gaps and breaks left out.
    pub seconds: f64,
    /// Until the target was reached first, in seconds from the first row.
    pub reached: Option<f64>,
    /// How far above the target it went after that, at most; 0 or more.
    pub overshoot: f64,
    /// How far below it.
    pub undershoot: f64,
    /// The mean deviation after that.
    pub offset: f64,
    /// From the first row until it stayed within the band for good; none where it has not, or for less than one of its cycles.
    pub settling: Option<f64>,
    /// The share of the time within the band, 0 to 1.
    pub in_band: f64,
    /// From one rising crossing of the target to the next: shortest, mean, longest, and how many.
    pub cycle: Option<(f64, f64, f64, u64)>,
    /// The share of the time in which the channel that steers was on, 0 to 1.
    pub duty: Option<f64>,
}

impl Kept {
    /// From the lowest to the highest after the target was reached.
    pub fn ripple(&self) -> Option<f64> {
        self.reached.map(|_| self.overshoot + self.undershoot)
    }
}

/// Looks at rows in their order. `band`: the whole width of the band around the target. `None` without a value.
pub fn kept(rows: &[Row], band: f64) -> Option<Kept> {
    let known: Vec<&Row> = rows.iter().filter(|row| !row.deviation.is_nan()).collect();
    let (first, last) = (known.first()?, known.last()?);
    let mut kept = Kept::default();
    let half = band / 2.0;
    // It is reached when it comes to the other side, or nearer than a tenth of the band.
    let begin = first.deviation.signum();
    let is_there = |row: &&&Row| row.deviation.signum() != begin || row.deviation.abs() <= band / 10.0;
    let reached = known.iter().find(is_there).map(|row| row.at);
    kept.reached = reached.map(|at| at.seconds_since(first.at));
    let after: Vec<f64> =
        known.iter().filter(|row| reached.is_some_and(|at| row.at >= at)).map(|row| row.deviation).collect();
    kept.overshoot = after.iter().copied().fold(0.0, f64::max);
    kept.undershoot = -after.iter().copied().fold(0.0, f64::min);
    kept.offset = if after.is_empty() { 0.0 } else { after.iter().sum::<f64>() / after.len() as f64 };
    let left = known.iter().rposition(|row| row.deviation.abs() > half);
    let settled = known.get(left.map_or(0, |left| left + 1));
    kept.settling = settled.map(|row| row.at.seconds_since(first.at));
    let (mut within, mut steered, mut told) = (0.0, 0.0, 0.0);
    for pair in rows.windows(2) {
        let seconds = pair[1].at.seconds_since(pair[0].at);
        if pair[1].is_broken || pair[0].deviation.is_nan() {
            continue;
        }
        kept.seconds += seconds;
        within += if pair[0].deviation.abs() <= half { seconds } else { 0.0 };
        if let Some(is_on) = pair[0].is_steered {
            told += seconds;
            steered += if is_on { seconds } else { 0.0 };
        }
    }
    kept.in_band =
        if kept.seconds > 0.0 { within / kept.seconds } else { f64::from(u8::from(last.deviation.abs() <= half)) };
    kept.duty = (told > 0.0).then(|| steered / told);
    // Noise about the target is no cycle.
    let mut watcher = Watcher::new(Watch { threshold: 0.0, hysteresis: band / 4.0, ..Watch::default() }, 0);
    let mut rises: Option<Stamp> = None;
    let mut cycles: Vec<f64> = Vec::new();
    for row in rows {
        if row.is_broken {
            rises = None;
        }
        let before = watcher.now();
        watcher.extend(&[row.at], &[row.deviation]);
        if watcher.now().rises > before.rises && before.side == Side::Below {
            cycles.extend(rises.map(|from| row.at.seconds_since(from)));
            rises = Some(row.at);
        }
    }
    if !cycles.is_empty() {
        let ends = cycles.iter().fold((f64::INFINITY, 0.0), |(a, b): (f64, f64), s| (a.min(*s), b.max(*s)));
        // What has always left the band again within a cycle has not settled.
        let stays = settled.map_or(0.0, |row| last.at.seconds_since(row.at));
        kept.settling = kept.settling.filter(|_| stays >= ends.1);
        kept.cycle = Some((ends.0, cycles.iter().sum::<f64>() / cycles.len() as f64, ends.1, cycles.len() as u64));
    }
    Some(kept)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn rows(deviation: impl Fn(f64) -> f64, seconds: usize) -> Vec<Row> {
        let row = |i: usize| {
            let t = i as f64 * 0.1;
            let deviation = deviation(t);
            Row { at: Stamp::default().plus(t), deviation, is_steered: Some(deviation < 0.0), is_broken: false }
        };
        (0..seconds * 10).map(row).collect()
    }

    #[test]
    fn a_step_that_swings_out_has_the_figures_of_its_formula() {
        // A swing of 10 that decays with 4 s, of period 8 s: it begins 10 below the target.
        let swing = |t: f64| -10.0 * (-t / 4.0).exp() * (std::f64::consts::TAU * t / 8.0).cos();
        let found = kept(&rows(swing, 60), 2.0).unwrap();
        assert!((found.reached.unwrap() - 2.0).abs() < 0.15, "{found:?}");
        // The largest is a little before half a period.
        let most = (0..600).map(|i| swing(i as f64 * 0.1)).fold(0.0, f64::max);
        assert!((found.overshoot - most).abs() < 1e-9 && found.undershoot > 0.5 && found.undershoot < most);
        let last = (0..600).rev().find(|i| swing(f64::from(*i) * 0.1).abs() > 1.0).unwrap();
        assert!((found.settling.unwrap() - f64::from(last + 1) * 0.1).abs() < 1e-6, "{found:?}");
        assert!(found.in_band > 0.8 && found.offset.abs() < 0.2);
    }

    #[test]
    fn a_cycle_between_two_levels_has_its_time_its_ripple_and_its_duty() {
        let saw = |t: f64| {
            let phase = t % 10.0;
            if phase < 2.5 { -2.0 + phase / 2.5 * 5.0 } else { 3.0 - (phase - 2.5) / 7.5 * 5.0 }
        };
        let mut all = rows(saw, 100);
        all.iter_mut().for_each(|row| row.is_steered = Some(row.at.seconds_since(Stamp::default()) % 10.0 < 2.45));
        let found = kept(&all, 1.0).unwrap();
        let (shortest, mean, longest, count) = found.cycle.unwrap();
        assert!((mean - 10.0).abs() < 0.02 && longest - shortest < 0.21 && count == 9, "{found:?}");
        assert!((found.ripple().unwrap() - 5.0).abs() < 0.1 && (found.duty.unwrap() - 0.25).abs() < 0.01, "{found:?}");
        assert_eq!(found.settling, None);
        // Where it happens to be within the band at the end, it has not settled either.
        assert!(all[810].deviation.abs() <= 0.5 && all[805].deviation.abs() > 0.5);
        assert_eq!(kept(&all[..811], 1.0).unwrap().settling, None);
        assert!((found.in_band - 0.2).abs() < 0.02, "{found:?}");
        // A gap and a break tell nothing, and are no part of a cycle.
        all[500].deviation = f64::NAN;
        all[505].is_broken = true;
        let torn = kept(&all, 1.0).unwrap();
        assert!(torn.cycle.unwrap().3 == 8 && torn.seconds < found.seconds, "{torn:?}");
        assert_eq!(kept(&[], 1.0), None);
    }
}
