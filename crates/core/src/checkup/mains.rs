//! The mains in a channel's readings.

use super::CheckedChannel;

/// Rows over which the mains are looked for.
const TONE: usize = 2048;

/// The mains as the rows show them.
#[derive(Clone, Copy, Debug)]
pub(super) struct Tone {
    /// 50 or 60 Hz.
    pub(super) mains: f64,
    /// The amplitude.
    pub(super) size: f64,
    /// The median amplitude of the frequencies beside it.
    pub(super) beside: f64,
    /// The largest of them, some of them being looked at.
    pub(super) tallest: f64,
    /// The largest of all of them: a line that a slow square wave has there is narrow.
    pub(super) line: f64,
}

/// Looks for the mains at `mains` Hz, folded down where rows come more seldom. `None` where they fall on what does not
/// move.
///
/// Each amplitude is that of one frequency under Hann's window, by Goertzel's recursion.
pub(super) fn tone(patient: &CheckedChannel<'_>, mains: f64) -> Option<Tone> {
    let rate = 1.0 / patient.interval;
    let folded = (mains - (mains / rate).round() * rate).abs();
    if !rate.is_finite() || folded < 1.5 {
        return None;
    }
    let raw = &patient.raw[patient.raw.len().saturating_sub(TONE)..];
    let mean = raw.iter().sum::<f64>() / raw.len() as f64;
    let width = rate / raw.len() as f64;
    let window = |i: usize| 0.5 - 0.5 * (std::f64::consts::TAU * i as f64 / raw.len() as f64).cos();
    let weighted: Vec<f64> = raw.iter().enumerate().map(|(i, value)| (value - mean) * window(i)).collect();
    let amplitude = |hertz: f64| {
        let factor = 2.0 * (std::f64::consts::TAU * hertz / rate).cos();
        let (mut a, mut b) = (0.0, 0.0);
        for value in &weighted {
            (a, b) = (value + factor * a - b, a);
        }
        // At half the rate both halves of the spectrum fall together.
        let double = if (hertz - rate / 2.0).abs() < width { 2.0 } else { 4.0 };
        (a * a + b * b - factor * a * b).max(0.0).sqrt() * double / raw.len() as f64
    };
    let near = |from: f64, to: f64| {
        let count = ((to - from) / width).ceil() as usize;
        (0..=count).map(move |i| from + (to - from) * i as f64 / count.max(1) as f64)
    };
    let top = rate / 2.0;
    let at = near((folded - 0.3).max(0.1), (folded + 0.3).min(top)).map(amplitude).fold(0.0, f64::max);
    let sides = near((folded - 6.0).max(0.5), (folded - 2.0).max(1.0))
        .chain(near(folded + 2.0, (folded + 6.0).min(top)).filter(|hertz| folded + 2.0 < top && *hertz <= top));
    let all: Vec<f64> = sides.map(amplitude).collect();
    let mut beside: Vec<f64> = all.iter().copied().step_by(3).collect();
    beside.sort_by(f64::total_cmp);
    let middle = beside.get(beside.len() / 2).copied().unwrap_or(0.0);
    Some(Tone {
        mains,
        size: at,
        beside: middle,
        tallest: beside.last().copied().unwrap_or(0.0),
        line: all.into_iter().fold(0.0, f64::max),
    })
}
