//! Several runs of one channel laid over one another: where they match, how they differ, what each amounts to.

use crate::Stamp;
use crate::block::Statistics;
use crate::spectrum::Maker;
use crate::stats::Noise;
use crate::store::{Series, Store};
use std::ops::Range;

/// One run of a channel, with the instant that is laid over those of the others.
#[derive(Clone, Copy, Debug)]
pub struct Run<'a> {
    /// Its rows.
    pub store: &'a Store,
    /// The channel.
    pub series: &'a Series,
    /// The instant that is 0 on the common axis.
    pub zero: Stamp,
    /// The usual time between rows in seconds, where it is known.
    pub interval: Option<f64>,
}

/// Where one run matches another best.
#[derive(Clone, Debug, PartialEq)]
pub struct Match {
    /// Seconds by which the zero of the other is to be moved on, so that it lies over the first.
    pub shift: f64,
    /// The correlation there, from -1 to 1; negative where it only matches upside down.
    pub correlation: f64,
    /// To so many seconds the shift is known.
    pub known_to: f64,
    /// Other shifts that fit nearly as well.
    pub rivals: Vec<f64>,
}

/// Points of an even grid over which runs are matched.
const POINTS: usize = 8192;

/// A line is drawn between two rows that are at most so many intervals apart.
const BRIDGE: f64 = 8.0;

impl Run<'_> {
    /// Seconds from its zero at which its first and last rows are; `None` without rows.
    pub fn ends(&self) -> Option<(f64, f64)> {
        let rows = self.store.rows();
        let first = self.store.time(rows.start)?;
        let last = self.store.time(rows.end.checked_sub(1)?)?;
        Some((first.seconds_since(self.zero), last.seconds_since(self.zero)))
    }

    /// The rows from `from` to `to` seconds of the common axis, both included.
    pub fn rows(&self, from: f64, to: f64) -> Range<u64> {
        self.store.between(self.zero.plus(from), self.zero.plus(to))
    }

    /// Values at `count` even places of a stretch: the middle of what lies at each, or of the row before; gaps where nothing is
    /// for long.
    fn even(&self, from: f64, to: f64, count: usize) -> Vec<f64> {
        let step = (to - from) / count as f64;
        let edge = |at: usize| self.store.first_at(self.zero.plus(from + step * at as f64));
        let bridge = (self.interval.unwrap_or(0.0) * BRIDGE).max(0.25).max(step);
        let mut before = edge(0);
        let mut last: Option<(f64, f64)> = None;
        (0..count)
            .map(|place| {
                let next = edge(place + 1);
                let at = from + step * (place as f64 + 1.0);
                let found = self.series.min_max(before..next).map(|(low, high)| (low + high) / 2.0);
                before = next;
                match found {
                    Some(value) => {
                        last = Some((at, value));
                        value
                    }
                    None => last.filter(|(then, _)| at - then <= bridge).map_or(f64::NAN, |(_, value)| value),
                }
            })
            .collect()
    }
}

/// Where `other` matches `own` best, by cross-correlation: first over all that both have, then over ever shorter stretches
/// about the place where `own` moves most. Runs are matched within half the longer one. `None` where one of them does not
/// move, or there are too few rows.
pub fn best_match(own: Run<'_>, other: Run<'_>, maker: &mut Maker) -> Option<Match> {
    let (a, b) = (own.ends()?, other.ends()?);
    let (mut from, mut to) = (a.0.min(b.0), a.1.max(b.1));
    let finest = own.interval.unwrap_or(0.0).max(other.interval.unwrap_or(0.0)).max(1e-6);
    let mut found: Option<Match> = None;
    loop {
        let step = (to - from) / POINTS as f64;
        let shift = found.as_ref().map_or(0.0, |found| found.shift);
        let left = filled(own.even(from, to, POINTS))?;
        let moved = Run { zero: other.zero.plus(shift), ..other };
        let right = filled(moved.even(from, to, POINTS))?;
        let Some(follows) = maker.follows(&left, &right, 1.0 / step) else { return found };
        // What repeats within a shorter stretch must not undo what the longer one said.
        let is_first = found.is_none();
        let before = found.as_ref().map_or(f64::INFINITY, |found| found.known_to);
        if !is_first && (follows.seconds.abs() > 4.0 * before || follows.correlation.abs() < 0.5) {
            return found;
        }
        let rivals = found.take().map_or(follows.rivals, |found| found.rivals);
        found = Some(Match {
            shift: shift + follows.seconds,
            correlation: follows.correlation,
            known_to: step.max(finest),
            rivals,
        });
        if step <= finest {
            return found;
        }
        let length = ((to - from) / 16.0).max(finest * POINTS as f64);
        let middle = liveliest(&left, from, step, length);
        (from, to) = (middle - length / 2.0, middle + length / 2.0);
    }
}

/// Gaps as the mean of the rest, which counts for nothing; `None` where there is nothing else.
fn filled(values: Vec<f64>) -> Option<Vec<f64>> {
    let sound = values.iter().filter(|value| !value.is_nan());
    let (count, sum) = sound.fold((0.0, 0.0), |(count, sum), value| (count + 1.0, sum + value));
    (count > 1.0).then(|| values.iter().map(|value| if value.is_nan() { sum / count } else { *value }).collect())
}

/// The middle of the stretch of `length` seconds in which the values move most.
fn liveliest(values: &[f64], from: f64, step: f64, length: f64) -> f64 {
    let wide = ((length / step) as usize).clamp(1, values.len());
    let moves: Vec<f64> = values.windows(2).map(|pair| (pair[1] - pair[0]).abs()).collect();
    let mut sum: f64 = moves.iter().take(wide).sum();
    let mut best = (sum, 0);
    for begin in 1..=moves.len().saturating_sub(wide) {
        sum += moves[begin + wide - 1] - moves[begin - 1];
        if sum > best.0 {
            best = (sum, begin);
        }
    }
    from + (best.1 as f64 + wide as f64 / 2.0) * step
}

/// By how much `other` lies above `own`, at each of its rows from `from` to `to` seconds: seconds on the common axis and the
/// difference. Between the rows of `own` lies a line; NaN where there is none, since one of them has a gap there. At most
/// `most` rows are looked at, evenly picked; the second says whether some were left out.
pub fn difference(own: Run<'_>, other: Run<'_>, from: f64, to: f64, most: usize) -> (Vec<(f64, f64)>, bool) {
    let rows = other.rows(from, to);
    let count = (rows.end - rows.start) as usize;
    let stride = count.div_ceil(most.max(1)).max(1);
    let bridge = (own.interval.unwrap_or(0.0) * BRIDGE).max(0.25);
    let at_own = |seconds: f64| -> f64 {
        let at = own.zero.plus(seconds);
        let after = own.store.first_at(at);
        let row = |row: u64| Some((own.store.time(row)?, own.series.get(row)?));
        let Some((next, value)) = row(after) else { return f64::NAN };
        if next == at {
            return value;
        }
        let Some((last, before)) = after.checked_sub(1).and_then(row) else { return f64::NAN };
        let apart = next.seconds_since(last);
        if apart > bridge || own.store.broken_between(after - 1, after) {
            return f64::NAN;
        }
        before + (value - before) * (at.seconds_since(last) / apart)
    };
    let points = rows.step_by(stride).filter_map(|row| {
        let seconds = other.store.time(row)?.seconds_since(other.zero);
        Some((seconds, other.series.get(row)? - at_own(seconds)))
    });
    (points.collect(), stride > 1)
}

/// What a stretch of a run amounts to.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Amount {
    /// Its statistics.
    pub statistics: Statistics,
    /// The white noise, told from movement; `None` for a few rows.
    pub noise: Option<f64>,
}

/// What a run amounts to from `from` to `to` seconds; `None` where there is nothing but gaps, or more than `most` rows.
pub fn amount(run: Run<'_>, from: f64, to: f64, most: u64) -> Option<Amount> {
    let rows = run.rows(from, to);
    if rows.end - rows.start > most {
        return None;
    }
    let mut times = Vec::new();
    run.store.read_times(rows.clone(), &mut times);
    let values: Vec<f64> = rows.map(|row| run.series.get(row).unwrap_or(f64::NAN)).collect();
    let mut noise = Noise::default();
    values.iter().for_each(|value| noise.push(*value));
    Some(Amount { statistics: Statistics::of(&times, &values)?, noise: noise.deviation() })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chance::Chance;
    use crate::store::Limits;

    /// A run that begins at `start` seconds: a burst of waves after `quiet` seconds, with noise, rows every 10 ms but for a gap.
    fn run(start: f64, quiet: f64, length: f64, noise: f64, seed: u64) -> (Store, Series) {
        let mut store = Store::new(Limits::NONE);
        store.widen(1);
        let mut chance = Chance(seed);
        let (mut times, mut values) = (Vec::new(), Vec::new());
        for i in 0..(length / 0.01) as usize {
            let t = i as f64 * 0.01;
            if (1.0..1.5).contains(&t) {
                continue;
            }
            let wave = (-((t - quiet - 3.0) / 2.0).powi(2)).exp() * (6.0 * (t - quiet)).sin();
            times.push(Stamp(0).plus(start + t));
            values.push(wave + noise * (chance.share() - 0.5));
        }
        store.extend(&times, &times, [&values[..]]);
        let mut series = Series::starting_at(0);
        series.extend(&values);
        (store, series)
    }

    fn of<'a>((store, series): &'a (Store, Series), zero: f64) -> Run<'a> {
        Run { store, series, zero: Stamp(0).plus(zero), interval: Some(0.01) }
    }

    #[test]
    fn runs_are_laid_where_they_match_however_long_they_are() {
        let mut maker = Maker::default();
        for (quiet, length) in [(4.0, 20.0), (9.5, 30.0), (700.0, 4000.0)] {
            let (a, b) = (run(100.0, 4.0, 20.0, 0.1, 1), run(5000.0, quiet, length, 0.1, 2));
            let found = best_match(of(&a, 100.0), of(&b, 5000.0), &mut maker).unwrap();
            assert!((found.shift - (quiet - 4.0)).abs() < 0.02, "{quiet}: {found:?}");
            assert!(found.correlation > 0.6 && found.known_to <= 0.011, "{found:?}");
        }
        let still = run(0.0, 1e6, 20.0, 0.0, 1);
        assert_eq!(best_match(of(&still, 0.0), of(&still, 0.0), &mut maker), None);
    }

    #[test]
    fn the_difference_is_taken_row_by_row_and_a_gap_stays_one() {
        let (a, b) = (run(100.0, 4.0, 10.0, 0.0, 1), run(300.0, 4.0, 10.0, 0.2, 2));
        // Its rows lie between those of the first.
        let (points, is_cut) = difference(of(&a, 100.0), of(&b, 300.004), 0.0, 9.0, 10_000);
        assert!(!is_cut && points.len() > 800);
        let sound = points.iter().filter(|point| !point.1.is_nan());
        assert!(sound.clone().all(|point| point.1.abs() < 0.1 + 0.03), "{points:?}");
        assert!(sound.count() + 2 >= points.len());
        let (points, is_cut) = difference(of(&a, 100.0), of(&b, 300.0), 0.0, 9.0, 100);
        assert!(is_cut && (50..=100).contains(&points.len()));
        // Over the gap of the first there is nothing to compare with.
        let (points, _) = difference(of(&a, 100.0), of(&b, 299.5), 1.05, 1.4, 1000);
        assert!(!points.is_empty() && points.iter().all(|point| point.1.is_nan()), "{points:?}");
        let quiet = amount(of(&a, 100.0), 0.0, 9.0, 10_000).unwrap();
        let noisy = amount(of(&b, 300.0), 0.0, 9.0, 10_000).unwrap();
        assert!(quiet.noise.unwrap() < 0.01 && (noisy.noise.unwrap() - 0.0577).abs() < 0.01, "{noisy:?}");
        assert_eq!(amount(of(&a, 100.0), 0.0, 9.0, 10), None);
    }
}
