//! Rows made even: what a spectrum needs, and what that costs.

use super::period::Period;
use crate::Stamp;
use crate::digits::{counted, short};
use crate::store::{Series, Store};
use std::f64::consts::PI;
use std::ops::Range;

/// Rows whose intervals vary by less than this share are taken as they are.
const EVEN: f64 = 1e-3;

/// An interval of this many usual ones is a pause: what lies in it is not known. Where rows are regular, some of them may be
/// missing.
const PAUSE: f64 = 3.5;
const REGULAR_PAUSE: f64 = 32.5;

/// An interval is a multiple of the usual one when it is this close to it, in usual ones; rows are regular when so large a share
/// of the intervals are.
const NEAR: f64 = 0.3;
const REGULAR: f64 = 0.9;

/// More gaps than this share: there is nothing to take a spectrum of.
const MOST_GAPS: f64 = 0.25;

/// Rows at even distances.
#[derive(Clone, Debug, PartialEq)]
pub struct Even {
    /// The values, the oldest first; none is NaN.
    pub values: Vec<f64>,
    /// Rows a second.
    pub rate: f64,
    /// The time of the first one.
    pub begin: Stamp,
    /// The standard deviation of the intervals as a share of the mean one.
    pub jitter: f64,
    /// Values were interpolated onto an even grid.
    pub is_resampled: bool,
    /// Rows that were missing or gaps, and were interpolated.
    pub filled: usize,
    /// Rows in front of the last pause, which were left out.
    pub left_out: usize,
    /// The farthest that a point of the grid lies from the next row, as a share of the interval.
    off: f64,
}

impl Even {
    /// The rows `rows` of a series made even: those behind the last break among them, as where a board was reset.
    ///
    /// # Errors
    /// Why there is no spectrum of them, and what would help.
    pub fn of_rows(store: &Store, series: &Series, rows: Range<u64>) -> Result<Even, String> {
        let rows = store.kept(rows);
        let mut first = rows.start;
        while let Some(row) = store.break_after(first).filter(|row| *row < rows.end) {
            first = row;
        }
        let mut times = Vec::new();
        store.read_times(first..rows.end, &mut times);
        let values: Vec<f64> = (first..rows.end).map(|row| series.get(row).unwrap_or(f64::NAN)).collect();
        let mut even = Even::of(&times, &values)?;
        even.left_out += (first - rows.start) as usize;
        Ok(even)
    }

    /// Makes rows even: those behind the last pause, by lines between them where their intervals vary.
    ///
    /// # Errors
    /// Why there is no spectrum of them, and what would help.
    pub fn of(times: &[Stamp], values: &[f64]) -> Result<Even, String> {
        let rows: Vec<(Stamp, f64)> =
            times.iter().copied().zip(values.iter().copied()).filter(|(_, value)| value.is_finite()).collect();
        if rows.is_empty() {
            return Err("there is no value in this stretch".into());
        }
        if rows.len() < super::SHORTEST {
            return Err(format!("only {}: {} are needed", counted(rows.len() as u64, "row"), super::SHORTEST));
        }
        let usual = usual_interval(&rows).ok_or("all rows have the same time: a time base must be set")?;
        let pause = if is_regular(&rows, usual) { REGULAR_PAUSE } else { PAUSE };
        let pause = rows.windows(2).rposition(|pair| pair[1].0.seconds_since(pair[0].0) > pause * usual);
        let kept = &rows[pause.map_or(0, |pause| pause + 1)..];
        let left_out = rows.len() - kept.len();
        if kept.len() < super::SHORTEST {
            return Err(format!(
                "only {} since the last pause: {} are needed without one",
                counted(kept.len() as u64, "row"),
                super::SHORTEST
            ));
        }
        let (begin, end) = (kept[0].0, kept[kept.len() - 1].0);
        let span = end.seconds_since(begin);
        if span <= 0.0 {
            return Err("all rows have the same time: a time base must be set".into());
        }
        // Where nearly all intervals are whole multiples of the usual one, rows are missing, which count as rows, so that the rate
        // is that of the board; else rows come as they like, and the mean rate is theirs.
        let is_regular = is_regular(kept, usual);
        let step = |pair: &[(Stamp, f64)]| if is_regular { whole(pair, usual) } else { 1.0 };
        let count = kept.windows(2).map(step).sum::<f64>();
        let filled = count as usize + 1 - kept.len().min(count as usize + 1);
        if filled as f64 > MOST_GAPS * count {
            return Err(format!("{} of {} rows are missing or gaps: too many to fill in", filled, count as usize + 1));
        }
        let interval = span / count;
        let deviations =
            kept.windows(2).map(|pair| (pair[1].0.seconds_since(pair[0].0) / step(pair) / interval - 1.0).powi(2));
        let jitter = (deviations.sum::<f64>() / (kept.len() - 1) as f64).sqrt();
        if jitter < EVEN && filled == 0 {
            let values = kept.iter().map(|(_, value)| *value).collect();
            return Ok(Even {
                values,
                rate: 1.0 / interval,
                begin,
                jitter,
                is_resampled: false,
                filled,
                left_out,
                off: 0.0,
            });
        }
        let (mut values, mut at, mut off) = (Vec::with_capacity(count as usize + 1), 0, 0f64);
        for step in 0..=count as usize {
            let time = begin.plus(step as f64 * interval);
            while at + 2 < kept.len() && kept[at + 1].0 < time {
                at += 1;
            }
            let ((from, low), (to, high)) = (kept[at], kept[at + 1]);
            let length = to.seconds_since(from);
            let share = if length > 0.0 { (time.seconds_since(from) / length).clamp(0.0, 1.0) } else { 0.5 };
            off = off.max((share.min(1.0 - share) * length / interval).min(0.5));
            values.push(low + share * (high - low));
        }
        Ok(Even { values, rate: 1.0 / interval, begin, jitter, is_resampled: true, filled, left_out, off })
    }

    /// The period by crossings, where the noise is known.
    pub fn period(&self, noise: f64) -> Option<Period> {
        let times: Vec<Stamp> = (0..self.values.len()).map(|row| self.begin.plus(row as f64 / self.rate)).collect();
        Period::of(&times, &self.values, noise)
    }

    /// The share of a wave of this frequency, in hertz, that a line between rows leaves where it is worst; 1 where rows are
    /// taken as they are.
    pub fn left_of_wave(&self, hertz: f64) -> f64 {
        // |1 - d + d exp(-i w dt)| at the distance d from the next row.
        let (d, w) = (self.off, 2.0 * PI * (hertz / self.rate).min(0.5));
        (1.0 - 2.0 * d * (1.0 - d) * (1.0 - w.cos())).max(0.0).sqrt()
    }

    /// How the rows were made even and what that does, in a sentence.
    pub fn told(&self) -> String {
        // Where rows are merely missing, those that are there stand on the grid.
        let mut told = if self.is_resampled && self.jitter >= EVEN {
            let left = |share: f64| short(100.0 * self.left_of_wave(share * self.rate), 2);
            let (half, most) = (self.rate / 4.0, self.rate / 2.0);
            format!(
                "intervals vary by {} %: read off lines between rows, which leaves {} % of a wave at {} Hz, {} % at {} Hz",
                short(100.0 * self.jitter, 2),
                left(0.25),
                short(half, 3),
                left(0.5),
                short(most, 3)
            )
        } else {
            format!("rows are even to {} %: taken as they are", short(100.0 * self.jitter, 1))
        };
        if self.filled > 0 {
            let share = 100.0 * self.filled as f64 / self.values.len() as f64;
            told += &format!("; {} filled in ({} %)", counted(self.filled as u64, "missing row"), short(share, 2));
        }
        if self.left_out > 0 {
            told += &format!("; {} in front of a pause left out", counted(self.left_out as u64, "row"));
        }
        told
    }
}

/// The intervals that lie between two rows: at least one.
fn whole(pair: &[(Stamp, f64)], usual: f64) -> f64 {
    (pair[1].0.seconds_since(pair[0].0) / usual).round().max(1.0)
}

/// Whether nearly all intervals are whole multiples of the usual one.
fn is_regular(rows: &[(Stamp, f64)], usual: f64) -> bool {
    let is_near =
        |pair: &&[(Stamp, f64)]| (pair[1].0.seconds_since(pair[0].0) / usual - whole(pair, usual)).abs() < NEAR;
    rows.windows(2).filter(is_near).count() as f64 >= REGULAR * (rows.len() - 1) as f64
}

/// Values on an even grid from `begin` on, `count` of them `interval` seconds apart, and how many of them lie between rows that
/// were missing, and how many are NaN: before the first value, behind the last, and in gaps longer than those a spectrum fills in.
pub fn on_grid(times: &[Stamp], values: &[f64], begin: Stamp, interval: f64, count: usize) -> (Vec<f64>, usize, usize) {
    let rows: Vec<(Stamp, f64)> =
        times.iter().copied().zip(values.iter().copied()).filter(|(_, value)| value.is_finite()).collect();
    let (mut grid, mut at, mut filled, mut silent) = (Vec::with_capacity(count), 0, 0, 0);
    for step in 0..count {
        let time = begin.plus(step as f64 * interval);
        while at + 2 < rows.len() && rows[at + 1].0 <= time {
            at += 1;
        }
        let value = match rows.get(at..at + 2) {
            Some(&[(from, low), (to, high)]) => {
                let (length, since) = (to.seconds_since(from), time.seconds_since(from));
                let is_within = (-0.5 * interval..=length + 0.5 * interval).contains(&since);
                if !is_within || length > REGULAR_PAUSE * interval {
                    let near = since.abs() < 0.5 * interval || (since - length).abs() < 0.5 * interval;
                    if near { if since.abs() < (since - length).abs() { low } else { high } } else { f64::NAN }
                } else {
                    filled += usize::from(length > 1.5 * interval && since.min(length - since) > 0.5 * interval);
                    if length > 0.0 { low + (since / length).clamp(0.0, 1.0) * (high - low) } else { high }
                }
            }
            _ => f64::NAN,
        };
        silent += usize::from(value.is_nan());
        grid.push(value);
    }
    (grid, filled, silent)
}

/// The median interval between rows that are not of one moment.
fn usual_interval(rows: &[(Stamp, f64)]) -> Option<f64> {
    let mut intervals: Vec<f64> = rows.windows(2).map(|pair| pair[1].0.seconds_since(pair[0].0)).collect();
    intervals.retain(|interval| *interval > 0.0);
    let middle = intervals.len() / 2;
    (!intervals.is_empty()).then(|| *intervals.select_nth_unstable_by(middle, f64::total_cmp).1)
}
