//! How late one channel follows another, by cross-correlation.

use super::Maker;
use crate::digits::{duration, fixed, hertz};

/// Peaks of the correlation that are at least this share of the largest one may be the right one as well.
const RIVAL: f64 = 0.9;

/// Between two peaks of a wave that repeats the correlation falls below this share of the largest one.
const VALLEY: f64 = 0.5;

/// A wave that repeats fits upside down as well, half a period away; that is meant where it is by this much nearer.
const NEARER: f64 = 8.0;

/// How one channel follows another.
#[derive(Clone, Debug, PartialEq)]
pub struct Follows {
    /// Seconds by which the second follows the first; negative where it leads.
    pub seconds: f64,
    /// The correlation there, from -1 to 1: negative where the one falls when the other rises.
    pub correlation: f64,
    /// Other delays, in seconds, that fit nearly as well, since a wave repeats.
    pub rivals: Vec<f64>,
}

impl Follows {
    /// It in a sentence, for the names of the first and the second channel; with the phase of a wave of so many hertz.
    pub fn told(&self, own: &str, theirs: &str, wave: Option<f64>) -> String {
        let (first, second) = if self.seconds >= 0.0 { (own, theirs) } else { (theirs, own) };
        let turned = if self.correlation < 0.0 { ", upside down" } else { "" };
        let late = duration(self.seconds.abs());
        let mut text =
            format!("{second} follows {first} by {late}{turned} (correlation {})", fixed(self.correlation, 2));
        if let Some(wave) = wave {
            let degrees = (self.seconds.abs() * wave * 360.0).rem_euclid(360.0);
            text += &format!(", {} degrees of {}", fixed(degrees, 0), hertz(wave));
        }
        let rivals: Vec<String> =
            self.rivals.iter().take(2).map(|seconds| duration(*seconds * self.seconds.signum())).collect();
        if !rivals.is_empty() {
            text += &format!("; a wave repeats, so it may also be {}", rivals.join(" or "));
        }
        text
    }
}

impl Maker {
    /// The sums of `a[i] * b[i + lag]` over all rows that both have, for lags from `1 - rows` to `rows - 1`; both have as many
    /// rows, at least one.
    pub(crate) fn correlated(&mut self, a: &[f64], b: &[f64]) -> Option<Vec<f64>> {
        let rows = a.len();
        // Zeros behind them, so that the ends do not meet.
        let length = (2 * rows).next_power_of_two();
        let (forward, inverse) = (self.planner.plan_fft_forward(length), self.planner.plan_fft_inverse(length));
        let of = |values: &[f64]| {
            let mut input = forward.make_input_vec();
            input[..rows].copy_from_slice(values);
            let mut output = forward.make_output_vec();
            forward.process(&mut input, &mut output).ok()?;
            Some(output)
        };
        let (left, right) = (of(a)?, of(b)?);
        let mut product: Vec<_> = left.iter().zip(&right).map(|(left, right)| left.conj() * right).collect();
        // The ends of a real spectrum are real; rounding must not say otherwise.
        let last = product.len() - 1;
        (product[0].im, product[last].im) = (0.0, 0.0);
        let mut sums = inverse.make_output_vec();
        inverse.process(&mut product, &mut sums).ok()?;
        let lags = 1 - rows as isize..rows as isize;
        Some(lags.map(|lag| sums[lag.rem_euclid(length as isize) as usize] / length as f64).collect())
    }

    /// By how much `b` follows `a`; both are even rows, `rate` a second, of the same moments. Delays of up to half the stretch
    /// are looked at. `None` where one of them does not move, or there are too few rows.
    pub fn follows(&mut self, a: &[f64], b: &[f64], rate: f64) -> Option<Follows> {
        let rows = a.len().min(b.len());
        if rows < super::SHORTEST {
            return None;
        }
        let (a, b) = (centred(&a[..rows])?, centred(&b[..rows])?);
        let sums = self.correlated(&a, &b)?;
        // Sums of squares up to each row: what of either overlaps the other at a delay.
        let squares = |values: &[f64]| {
            let mut all = vec![0.0];
            all.extend(values.iter().scan(0.0, |sum, value| {
                *sum += value * value;
                Some(*sum)
            }));
            all
        };
        let (a2, b2) = (squares(&a), squares(&b));
        let most = rows / 2;
        let at = |lag: isize| {
            let sum = sums[(lag + rows as isize - 1) as usize];
            let n = rows - lag.unsigned_abs();
            let (a_from, b_from) = if lag >= 0 { (0, lag as usize) } else { (lag.unsigned_abs(), 0) };
            let own = (a2[a_from + n] - a2[a_from]) * (b2[b_from + n] - b2[b_from]);
            if own > 0.0 { sum / own.sqrt() } else { 0.0 }
        };
        let lags: Vec<isize> = (-(most as isize)..=most as isize).collect();
        let all: Vec<f64> = lags.iter().map(|lag| at(*lag)).collect();
        let tops: Vec<usize> = (1..all.len() - 1)
            .filter(|i| {
                let size = |i: usize| all[i].abs();
                size(*i) >= size(i - 1) && size(*i) > size(i + 1)
            })
            .collect();
        let best = *tops.iter().max_by(|x, y| all[**x].abs().total_cmp(&all[**y].abs()))?;
        let seconds = |top: usize| {
            // The vertex of the parabola through three values.
            let [before, here, after] = [all[top - 1], all[top], all[top + 1]];
            let bend = before - 2.0 * here + after;
            let shift = if bend == 0.0 { 0.0 } else { 0.5 * (before - after) / bend };
            (lags[top] as f64 + shift.clamp(-0.5, 0.5)) / rate
        };
        // The highest of each peak that a valley parts from those that are known, the nearest to no delay first.
        let largest = all[best].abs();
        let apart = |sign: f64| {
            let height = |at: usize| all[at] * sign;
            let mut high: Vec<usize> = tops.iter().copied().filter(|top| height(*top) >= RIVAL * largest).collect();
            high.sort_by(|x, y| height(*y).total_cmp(&height(*x)));
            let mut known: Vec<usize> = Vec::new();
            for top in high {
                let is_apart = |other: &usize| {
                    let mut between = top.min(*other)..=top.max(*other);
                    between.any(|at| height(at) < VALLEY * largest)
                };
                if known.iter().all(is_apart) {
                    known.push(top);
                }
            }
            known.sort_by_key(|top| lags[*top].unsigned_abs());
            known
        };
        let (upright, turned) = (apart(1.0), apart(-1.0));
        let far = |tops: &[usize]| tops.first().map_or(f64::INFINITY, |top| lags[*top].unsigned_abs() as f64);
        let known = if NEARER * far(&turned) < far(&upright) { turned } else { upright };
        let nearest = *known.first()?;
        let rivals = known[1..].iter().map(|top| seconds(*top)).collect();
        Some(Follows { seconds: seconds(nearest), correlation: all[nearest], rivals })
    }
}

/// The values less their mean; `None` where they do not move.
fn centred(values: &[f64]) -> Option<Vec<f64>> {
    let mean = values.iter().map(|value| value / values.len() as f64).sum::<f64>();
    let out: Vec<f64> = values.iter().map(|value| value - mean).collect();
    let largest = out.iter().copied().map(f64::abs).fold(0.0, f64::max);
    (largest > 1e-12 * mean.abs() && largest.is_finite()).then_some(out)
}
