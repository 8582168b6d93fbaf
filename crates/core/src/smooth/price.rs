//! What filters cost and what they give: delay, rise time, what is left of noise and of a wave.

use super::{Filter, Smoother, Smooths, delay};
use crate::Stamp;
use std::f64::consts::TAU;

/// The most rows that a response is followed for.
const MOST_ROWS: usize = 400_000;

/// Rows of made-up noise that filters are tried on which treat large and small changes differently.
const NOISE_ROWS: usize = 8192;

/// Rows of a response that is worked out both ways.
const MOST_SQUARED: usize = 4096;

/// A response has ended where what is left of it, a row, is less than this share of its peak.
const ENDED: f64 = 1e-11;

/// What filters are to be priced for.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Signal {
    /// Seconds between rows; above 0.
    pub interval: f64,
    /// The standard deviation of its noise.
    pub noise: f64,
    /// How far its steps go.
    pub step: f64,
}

/// What filters cost and what they give, over even rows.
#[derive(Clone, Debug, PartialEq)]
pub struct Price {
    /// How late a slow change comes out, in seconds; `None` where slow changes do not come out.
    pub delay: Option<f64>,
    /// From 10 to 90 % of a step, in seconds; `None` where a step does not come out.
    pub rise: Option<f64>,
    /// Until a step stays within 1 % of where it ends, in seconds.
    pub settles: f64,
    /// By how much a step is overshot, as a share of it.
    pub overshoot: f64,
    /// The standard deviation of white noise behind the filters over that in front of them.
    pub noise_gain: f64,
    /// Where 1/sqrt(2) of a wave is left of what is left of a slow one, in hertz; `None` where slow changes do not come out,
    /// up to half the row rate, or where small waves fare otherwise than large ones.
    pub cutoff: Option<f64>,
    /// The filters go over the rows backward as well.
    pub is_both_ways: bool,
    signal: Signal,
    filters: Vec<Filter>,
    /// The answer to a single row of 1, where that says all.
    impulse: Option<Vec<f64>>,
}

/// Filters at work on even rows, which have seen enough of 0 to have forgotten that they began.
struct Bench {
    smoother: Smoother,
    interval: f64,
    row: u64,
}

impl Bench {
    fn new(filters: &[Filter], interval: f64) -> (Bench, usize) {
        let mut bench = Bench { smoother: Smoother::new(filters), interval, row: 0 };
        let reach = filters.iter().filter_map(Filter::in_force).map(|filter| filter.reach(interval) + 2.0).sum::<f64>();
        let reach = (reach.min(MOST_ROWS as f64 / 4.0) as usize).max(16);
        for _ in 0..reach {
            bench.push(0.0);
        }
        (bench, reach)
    }

    fn push(&mut self, value: f64) -> f64 {
        self.row += 1;
        self.smoother.push(Stamp::default().plus(self.row as f64 * self.interval), value)
    }
}

impl Price {
    /// Seconds between the rows that it is for.
    pub fn interval(&self) -> f64 {
        self.signal.interval
    }

    /// Whether it is the price of these filters, forward alone or both ways, for such a signal, or nearly such a one.
    pub fn is_of(&self, filters: &[Filter], signal: Signal, both_ways: bool) -> bool {
        let near = |a: f64, b: f64, share: f64| (a - b).abs() <= share * b.abs();
        let own = self.signal;
        self.filters == filters
            && self.is_both_ways == both_ways
            && near(signal.interval, own.interval, 0.01)
            && (self.impulse.is_some() || (near(signal.noise, own.noise, 0.2) && near(signal.step, own.step, 0.2)))
    }

    /// What `filters` cost and give for such a signal.
    pub fn of(filters: &[Filter], signal: Signal) -> Price {
        let in_force: Vec<&dyn Smooths> = filters.iter().filter_map(Filter::in_force).collect();
        let interval = signal.interval;
        let impulse = in_force.iter().all(|filter| filter.is_linear()).then(|| impulse(filters, interval));
        let step = match &impulse {
            Some(impulse) => impulse
                .iter()
                .scan(0.0, |sum, value| {
                    *sum += value;
                    Some(*sum)
                })
                .collect(),
            None => step(filters, interval, signal.step),
        };
        let noise_gain = match &impulse {
            Some(impulse) => impulse.iter().map(|value| value * value).sum::<f64>().sqrt(),
            None => simulated_gain(filters, interval, signal.noise),
        };
        let passes_slow = in_force.iter().all(|filter| filter.passes_slow());
        let end = step.last().copied().unwrap_or(1.0);
        let reached = |share: f64| crossing(&step, share * end).map(|rows| rows * interval);
        let peak = step.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        let mut price = Price {
            delay: passes_slow.then(|| delay(filters, interval)),
            rise: (passes_slow && end > 0.5).then(|| Some(reached(0.9)? - reached(0.1)?)).flatten(),
            settles: step
                .iter()
                .rposition(|value| (value - end).abs() > 0.01)
                .map_or(0.0, |at| (at + 1) as f64 * interval),
            overshoot: if passes_slow { (peak / end - 1.0).max(0.0) } else { 0.0 },
            noise_gain,
            cutoff: None,
            is_both_ways: false,
            signal,
            filters: filters.to_vec(),
            impulse,
        };
        price.cutoff = price.found_cutoff().filter(|_| passes_slow);
        price
    }

    /// The price where the filters go over the rows backward as well: nothing is late, and what is left of a wave is left twice.
    #[must_use]
    pub fn both_ways(mut self) -> Price {
        self.is_both_ways = true;
        (self.delay, self.rise, self.overshoot) = (Some(0.0), None, 0.0);
        if let Some(impulse) = &self.impulse {
            let once = &impulse[..impulse.len().min(MOST_SQUARED)];
            let shifted = |by: usize| once.iter().zip(&once[by..]).map(|(a, b)| a * b).sum::<f64>();
            let half: Vec<f64> = (0..once.len()).map(shifted).collect();
            let twice: Vec<f64> = half.iter().rev().chain(&half[1..]).copied().collect();
            self.noise_gain = twice.iter().map(|value| value * value).sum::<f64>().sqrt();
            self.impulse = Some(twice);
            self.cutoff = self.cutoff.and_then(|_| self.found_cutoff());
        }
        self
    }

    /// The share of a wave of this frequency, in hertz, and amplitude that is left, 0 to about 1; NaN above half the row rate.
    pub fn left_of_wave(&self, hertz: f64, amplitude: f64) -> f64 {
        let turns = hertz * self.signal.interval;
        if !(0.0..=0.5).contains(&turns) {
            return f64::NAN;
        }
        match &self.impulse {
            Some(impulse) => gain(impulse, turns),
            None => {
                let (mut bench, reach) = Bench::new(&self.filters, self.signal.interval);
                let rows = ((8.0 / turns) as usize).clamp(256, MOST_ROWS / 4);
                let wave = |row: usize| (TAU * turns * row as f64).sin();
                for row in 0..reach {
                    bench.push(amplitude * wave(row));
                }
                // How much of the wave there is in what goes in, and in what comes out.
                let (mut into, mut out) = ((0.0, 0.0), (0.0, 0.0));
                for row in reach..reach + rows {
                    let (sin, cos) = (TAU * turns * row as f64).sin_cos();
                    // A gap gives nothing of the wave.
                    let value = crate::gap_as(bench.push(amplitude * sin), 0.0);
                    into = (into.0 + amplitude * sin * sin, into.1 + amplitude * sin * cos);
                    out = (out.0 + value * sin, out.1 + value * cos);
                }
                let once = out.0.hypot(out.1) / into.0.hypot(into.1);
                if self.is_both_ways { once * once } else { once }
            }
        }
    }

    fn found_cutoff(&self) -> Option<f64> {
        let impulse = self.impulse.as_ref()?;
        let slow = gain(impulse, 0.0);
        let is_below = |turns: f64| gain(impulse, turns) < slow * std::f64::consts::FRAC_1_SQRT_2;
        // The first crossing, found in steps that are fine against the length of the answer.
        let step = (0.25 / impulse.len() as f64).max(1.0 / 8192.0);
        let mut high = step;
        while !is_below(high) {
            high *= 1.05;
            if high > 0.5 {
                return None;
            }
        }
        let mut low = high / 1.05;
        for _ in 0..40 {
            let middle = (low + high) / 2.0;
            if is_below(middle) { high = middle } else { low = middle }
        }
        Some(high / self.signal.interval)
    }
}

/// The answer of filters that are linear to a single row of 1 among rows of 0.
pub(super) fn impulse(filters: &[Filter], interval: f64) -> Vec<f64> {
    let (mut bench, reach) = Bench::new(filters, interval);
    let mut out = vec![bench.push(1.0)];
    let (mut peak, mut quiet) = (out[0].abs(), 0);
    while out.len() < MOST_ROWS && (out.len() <= reach || quiet < reach.max(64)) {
        let value = bench.push(0.0);
        peak = peak.max(value.abs());
        quiet = if value.abs() <= ENDED * peak { quiet + 1 } else { 0 };
        out.push(value);
    }
    out
}

/// The answer to a step, as shares of it.
fn step(filters: &[Filter], interval: f64, size: f64) -> Vec<f64> {
    let size = if size > 0.0 && size.is_finite() { size } else { 1.0 };
    let (mut bench, reach) = Bench::new(filters, interval);
    let rows = (4 * reach + 64).min(MOST_ROWS);
    (0..rows).map(|_| crate::gap_as(bench.push(size), 0.0) / size).collect()
}

/// What is left of made-up white noise.
fn simulated_gain(filters: &[Filter], interval: f64, deviation: f64) -> f64 {
    let deviation = if deviation > 0.0 && deviation.is_finite() { deviation } else { 1.0 };
    let mut chance = crate::chance::Chance(14);
    let (mut bench, reach) = Bench::new(filters, interval);
    let mut out = Vec::with_capacity(NOISE_ROWS);
    for row in 0..reach + NOISE_ROWS {
        let value = bench.push(deviation * chance.gauss());
        if row >= reach && !value.is_nan() {
            out.push(value);
        }
    }
    crate::stats::deviation(|| out.iter().copied()).map_or(0.0, |left| left / deviation)
}

/// The gain at a frequency, in turns a row.
fn gain(impulse: &[f64], turns: f64) -> f64 {
    // The angle is turned on row by row; what that loses over 400,000 rows is 1e-11.
    let (sin, cos) = (TAU * turns).sin_cos();
    let (mut re, mut im, mut x, mut y) = (0.0, 0.0, 1.0, 0.0);
    for value in impulse {
        re += value * x;
        im += value * y;
        (x, y) = (x * cos - y * sin, x * sin + y * cos);
    }
    re.hypot(im)
}

/// Where a step first reaches `level`, in rows behind the row before it.
fn crossing(step: &[f64], level: f64) -> Option<f64> {
    let at = step.iter().position(|value| *value >= level)?;
    let before = at.checked_sub(1).map_or(0.0, |before| step[before]);
    let share = (level - before) / (step[at] - before);
    Some(at as f64 + if share.is_finite() { share } else { 0.0 })
}
