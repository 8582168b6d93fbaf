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
    /// The correlation there, above 0 and at most 1.
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

    /// Values at `count` even places of a stretch: the middle of what lies at each, or of the row before; gaps where nothing
    /// is.
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

/// The share of the shorter run that must lie over the other one.
const OVERLAP: f64 = 0.3;

/// Other shifts are told where they fit at least so much as well as the best one.
const RIVAL: f64 = 0.9;

/// Where `other` matches `own` best, by the correlation of what lies over one another: first over all that both have, then over
/// ever shorter stretches about the place where `own` moves most. At each shift counts only where both have values (Padfield,
/// "Masked object registration in the Fourier domain", 2012, for one dimension), and these are to be at least 30 % of the
/// shorter run. `None` where one of them does not move.
pub fn best_match(own: Run<'_>, other: Run<'_>, maker: &mut Maker) -> Option<Match> {
    let (a, b) = (own.ends()?, other.ends()?);
    let (mut from, mut to) = (a.0.min(b.0), a.1.max(b.1));
    let finest = own.interval.unwrap_or(0.0).max(other.interval.unwrap_or(0.0)).max(1e-6);
    let mut found: Option<Match> = None;
    loop {
        let step = ((to - from) / POINTS as f64).max(1e-9);
        let shift = found.as_ref().map_or(0.0, |found| found.shift);
        let left = own.even(from, to, POINTS);
        let moved = Run { zero: other.zero.plus(shift), ..other };
        let Some(lags) = correlations(&left, &moved.even(from, to, POINTS), maker) else { return found };
        // What repeats within a shorter stretch must not undo what the longer one said.
        let reach = found.as_ref().map_or(usize::MAX, |found| (4.0 * found.known_to / step).ceil() as usize);
        let middle = lags.len() / 2;
        let near = middle.saturating_sub(reach)..(middle.saturating_add(reach).saturating_add(1)).min(lags.len());
        let best = near.clone().max_by(|x, y| lags[*x].total_cmp(&lags[*y]))?;
        if lags[best] <= 0.0 || (found.is_some() && lags[best] < 0.5) {
            return found;
        }
        let seconds = |lag: usize| {
            // The vertex of the parabola through three values.
            let at = |lag: usize| lags.get(lag).copied().unwrap_or(f64::NEG_INFINITY).max(-1.0);
            let [before, here, after] = [at(lag.wrapping_sub(1)), at(lag), at(lag + 1)];
            let bend = before - 2.0 * here + after;
            let vertex = if bend == 0.0 { 0.0 } else { 0.5 * (before - after) / bend };
            (lag as f64 - middle as f64 + vertex.clamp(-0.5, 0.5)) * step
        };
        let rivals = match found.take() {
            Some(found) => found.rivals,
            None => {
                let is_top = |lag: &usize| lags[*lag] > lags[lag - 1] && lags[*lag] >= lags[lag + 1];
                let tops = (1..lags.len() - 1).filter(is_top).filter(|lag| lags[*lag] >= RIVAL * lags[best]);
                let mut tops: Vec<usize> = tops.filter(|lag| is_apart(&lags, *lag, best)).collect();
                tops.sort_by(|x, y| lags[*y].total_cmp(&lags[*x]));
                tops.into_iter().take(3).map(seconds).collect()
            }
        };
        let known_to = step.max(finest);
        found = Some(Match { shift: shift + seconds(best), correlation: lags[best], known_to, rivals });
        if step <= finest {
            return found;
        }
        let length = ((to - from) / 16.0).max(finest * POINTS as f64);
        let middle = liveliest(&left, from, step, length);
        (from, to) = (middle - length / 2.0, middle + length / 2.0);
    }
}

/// Whether a valley lies between two shifts, so that they are two matches and not one.
fn is_apart(lags: &[f64], one: usize, other: usize) -> bool {
    (one.min(other)..=one.max(other)).any(|lag| lags[lag] < 0.5 * lags[other])
}

/// The correlation at each shift by so many places, from the furthest to the left to the furthest to the right; gaps count
/// for nothing, and what overlaps too little has no correlation. `None` where one of them does not move.
fn correlations(a: &[f64], b: &[f64], maker: &mut Maker) -> Option<Vec<f64>> {
    let parts = |values: &[f64]| -> Option<[Vec<f64>; 3]> {
        let sound = values.iter().filter(|value| !value.is_nan());
        let (count, sum) = sound.fold((0.0, 0.0), |(count, sum), value| (count + 1.0, sum + value));
        let mean: f64 = sum / count;
        let centred: Vec<f64> = values.iter().map(|value| if value.is_nan() { 0.0 } else { value - mean }).collect();
        let largest = centred.iter().copied().map(f64::abs).fold(0.0, f64::max);
        let squares = centred.iter().map(|value| value * value).collect();
        let mask = values.iter().map(|value| f64::from(u8::from(!value.is_nan()))).collect();
        (count > 8.0 && largest > 1e-12 * mean.abs()).then_some([centred, squares, mask])
    };
    let ([a, a2, a_mask], [b, b2, b_mask]) = (parts(a)?, parts(b)?);
    let sums = maker.correlated(&a, &b)?;
    let own = maker.correlated(&a2, &b_mask)?;
    let theirs = maker.correlated(&a_mask, &b2)?;
    let both = maker.correlated(&a_mask, &b_mask)?;
    let count = |mask: &[f64]| mask.iter().sum::<f64>();
    let least = OVERLAP * count(&a_mask).min(count(&b_mask));
    // Of what hardly moves where they overlap, a correlation says nothing.
    let floors = (1e-3 * a2.iter().sum::<f64>(), 1e-3 * b2.iter().sum::<f64>());
    let at = |lag: usize| {
        let is_sound = both[lag] >= least && own[lag] > floors.0 && theirs[lag] > floors.1;
        if is_sound { sums[lag] / (own[lag] * theirs[lag]).sqrt() } else { f64::NEG_INFINITY }
    };
    Some((0..sums.len()).map(at).collect())
}

/// The middle of the stretch of `length` seconds in which the values move most.
fn liveliest(values: &[f64], from: f64, step: f64, length: f64) -> f64 {
    let wide = ((length / step) as usize).clamp(1, values.len());
    let moved = |pair: &[f64]| (pair[1] - pair[0]).abs();
    let moves: Vec<f64> = values.windows(2).map(|pair| if moved(pair).is_nan() { 0.0 } else { moved(pair) }).collect();
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
        // The same waves, of which one run has much more: what only one has counts for nothing.
        let mut long = run(0.0, 4.0, 60.0, 0.05, 1);
        let short = run(0.0, 4.0, 12.0, 0.05, 1);
        let again: Vec<f64> = (0..long.0.rows().end)
            .map(|row| long.1.get(row).unwrap() + 3.0 * long.1.get(row.saturating_sub(2500)).unwrap())
            .collect();
        long.1 = Series::starting_at(0);
        long.1.extend(&again);
        let found = best_match(of(&short, 0.0), of(&long, 0.0), &mut maker).unwrap();
        assert!(found.shift.abs() < 0.02 && found.correlation > 0.9, "{found:?}");
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

    /// A made-up walk, sampled at another pace and moment: found again wherever it lies.
    #[test]
    fn a_walk_is_found_again_at_another_pace_and_moment() {
        let mut maker = Maker::default();
        for seed in 1..40u64 {
            let mut chance = Chance(seed * 977);
            let mut walk = vec![0.0];
            (0..4000).for_each(|i| walk.push(walk[i] * 0.995 + chance.gauss()));
            let at = |t: f64| {
                let place = (t / 0.01).clamp(0.0, 3999.0);
                let (low, share) = (place.floor() as usize, place.fract());
                walk[low] + (walk[low + 1] - walk[low]) * share
            };
            let shift = chance.share() * 12.0;
            let pace = 0.005 + chance.share() * 0.02;
            let made = |begin: f64, length: f64, step: f64, noise: f64, chance: &mut Chance| {
                let mut store = Store::new(Limits::NONE);
                store.widen(1);
                let count = (length / step) as usize;
                let times: Vec<Stamp> = (0..count).map(|i| Stamp(0).plus(1000.0 + i as f64 * step)).collect();
                let values: Vec<f64> =
                    (0..count).map(|i| at(begin + i as f64 * step) + noise * chance.gauss()).collect();
                store.extend(&times, &times, [&values[..]]);
                let mut series = Series::starting_at(0);
                series.extend(&values);
                (store, series)
            };
            let (whole, part) = (made(0.0, 38.0, 0.01, 0.3, &mut chance), made(shift, 20.0, pace, 0.3, &mut chance));
            let own = Run { store: &whole.0, series: &whole.1, zero: Stamp(0).plus(1000.0), interval: Some(0.01) };
            let other = Run { store: &part.0, series: &part.1, zero: Stamp(0).plus(1000.0), interval: Some(pace) };
            let found = best_match(own, other, &mut maker).unwrap();
            assert!((found.shift + shift).abs() < 0.03, "{seed}: {found:?} for {shift}");
            assert!(found.correlation > 0.5, "{found:?}");
            // Laid so, the two differ by their noise.
            let moved = Run { zero: other.zero.plus(found.shift), ..other };
            let (points, _) = difference(own, moved, -1e3, 1e3, 100_000);
            let sound: Vec<f64> = points.iter().map(|point| point.1).filter(|value| !value.is_nan()).collect();
            let spread = crate::stats::deviation(|| sound.iter().copied()).unwrap();
            assert!(sound.len() > 400 && spread < 1.2, "{seed}: {spread} of {}", sound.len());
        }
    }
}
