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

/// Frequencies that are looked at together: each step of one waits for the step before, and others fill that time.
const TOGETHER: usize = 4;

/// The sizes of some frequencies in `values` that come at `rate` a second, at most [`TOGETHER`] of them.
fn sizes(values: &[f64], hertz: &[f64], rate: f64) -> impl Iterator<Item = f64> {
    let mut factors = [0.0; TOGETHER];
    for (factor, hertz) in factors.iter_mut().zip(hertz) {
        *factor = 2.0 * (std::f64::consts::TAU * hertz / rate).cos();
    }
    let (mut a, mut b) = ([0.0; TOGETHER], [0.0; TOGETHER]);
    for value in values {
        for i in 0..TOGETHER {
            (a[i], b[i]) = (value + factors[i] * a[i] - b[i], a[i]);
        }
    }
    (0..hertz.len()).map(move |i| (a[i] * a[i] + b[i] * b[i] - factors[i] * a[i] * b[i]).max(0.0).sqrt())
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
    // At half the rate both halves of the spectrum fall together.
    let double = |hertz: f64| if (hertz - rate / 2.0).abs() < width { 2.0 } else { 4.0 };
    let amplitudes = |hertz: Vec<f64>| -> Vec<f64> {
        let sizes = hertz.chunks(TOGETHER).flat_map(|some| sizes(&weighted, some, rate));
        hertz.iter().zip(sizes).map(|(hertz, size)| size * double(*hertz) / raw.len() as f64).collect()
    };
    let near = |from: f64, to: f64| {
        let count = ((to - from) / width).ceil() as usize;
        (0..=count).map(move |i| from + (to - from) * i as f64 / count.max(1) as f64)
    };
    let top = rate / 2.0;
    let at: Vec<f64> = near((folded - 0.3).max(0.1), (folded + 0.3).min(top)).collect();
    let at = amplitudes(at).into_iter().fold(0.0, f64::max);
    let sides = near((folded - 6.0).max(0.5), (folded - 2.0).max(1.0))
        .chain(near(folded + 2.0, (folded + 6.0).min(top)).filter(|hertz| folded + 2.0 < top && *hertz <= top));
    let all = amplitudes(sides.collect());
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
