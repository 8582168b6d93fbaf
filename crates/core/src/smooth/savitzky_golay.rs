//! Savitzky-Golay: a polynomial through the rows of a window, which keeps the height and width of peaks.

use super::strength::{self, Strong, Window};
use super::{Memory, Smooths, Strength};
use crate::Stamp;
use crate::part::{Nudge, Part, Range, Setting};
use serde::{Deserialize, Serialize};

/// The highest degree.
const MOST: usize = 4;

/// Savitzky-Golay filter (A. Savitzky and M. J. E. Golay, "Smoothing and differentiation of data by simplified least squares
/// procedures", 1964).
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "Written", into = "Written")]
pub struct SavitzkyGolay {
    /// The rows that the polynomial goes through.
    pub window: Strength,
    /// Its degree, 1 to 4.
    pub degree: u32,
    /// Taken at the newest row instead of the middle of the window.
    pub at_newest: bool,
}

/// [`SavitzkyGolay`] as it stands in a bench file.
#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Written {
    #[serde(skip_serializing_if = "Option::is_none")]
    rows: Option<u32>,
    #[serde(skip_serializing_if = "Option::is_none")]
    seconds: Option<f64>,
    degree: u32,
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    at_newest: bool,
}

impl TryFrom<Written> for SavitzkyGolay {
    type Error = &'static str;

    fn try_from(written: Written) -> Result<Self, Self::Error> {
        let window = Strength::written(written.rows, written.seconds)?;
        Ok(SavitzkyGolay { window, degree: written.degree, at_newest: written.at_newest })
    }
}

impl From<SavitzkyGolay> for Written {
    fn from(filter: SavitzkyGolay) -> Self {
        let (rows, seconds) = filter.window.as_written();
        Written { rows, seconds, degree: filter.degree, at_newest: filter.at_newest }
    }
}

impl Default for SavitzkyGolay {
    fn default() -> Self {
        SavitzkyGolay { window: Strength::Rows(21), degree: 2, at_newest: false }
    }
}

impl Part for SavitzkyGolay {
    const KIND: &'static str = "savitzky-golay";
    const HELP: &'static str = "a polynomial through the window: against noise, keeps the height of peaks";
    const SETTINGS: &'static [Setting<Self>] = &{
        let [counted, rows, seconds] = strength::settings("window");
        let degree = Setting::number(
            "degree",
            "of the polynomial; higher: sharper peaks, more noise",
            |filter: &SavitzkyGolay| f64::from(filter.degree),
            // Checked against the range before.
            |filter, degree| filter.degree = degree as u32,
        )
        .range(Range::Whole(1, MOST as u32))
        .nudged(Nudge::One);
        let at = Setting::choice(
            "taken at",
            "the middle is half a window late; the newest row is not, but keeps more noise",
            &["the middle", "the newest row"],
            |filter: &SavitzkyGolay| usize::from(filter.at_newest),
            |filter, choice| filter.at_newest = choice == 1,
        );
        [counted, rows, seconds, degree, at]
    };

    fn short(&self) -> String {
        format!("polynomial {}", self.window.spelled())
    }
}

impl Strong for SavitzkyGolay {
    fn strength(&self) -> Strength {
        self.window
    }

    fn strength_mut(&mut self) -> &mut Strength {
        &mut self.window
    }
}

impl Smooths for SavitzkyGolay {
    /// Half the window, or nothing at the newest row.
    fn delay(&self, interval: f64) -> f64 {
        if self.at_newest { 0.0 } else { (self.window.rows(interval) - 1.0) / 2.0 * interval }
    }

    fn is_linear(&self) -> bool {
        true
    }

    fn reach(&self, interval: f64) -> f64 {
        self.window.rows(interval)
    }

    fn start(&self) -> Box<dyn Memory> {
        match self.degree {
            ..=1 => Box::new(State::<1>::new(*self)),
            2 => Box::new(State::<2>::new(*self)),
            3 => Box::new(State::<3>::new(*self)),
            _ => Box::new(State::<MOST>::new(*self)),
        }
    }

    fn in_other_terms(&self, interval: f64) -> Option<String> {
        Some(self.window.in_other_terms(interval))
    }
}

/// A fit whose noise is more than that of so many rows is none; with some room for rounding.
const CALM: f64 = 1.0 + 1e-6;

/// Sums over rows: of the powers of their times, and of these times their values.
#[derive(Clone, Copy, Debug, Default)]
struct Moments {
    times: [f64; 2 * MOST + 1],
    values: [f64; MOST + 1],
}

/// `D` is the degree of the polynomial: sums are made as far as it needs them.
impl Moments {
    #[inline]
    fn add<const D: usize>(&mut self, time: f64, value: f64) {
        let mut power = 1.0;
        for i in 0..=2 * D {
            self.times[i] += power;
            if i <= D {
                self.values[i] += power * value;
            }
            power *= time;
        }
    }

    #[inline]
    fn with<const D: usize>(&self, other: &Moments) -> Moments {
        let mut out = Moments::default();
        (0..=2 * D).for_each(|i| out.times[i] = self.times[i] + other.times[i]);
        (0..=D).for_each(|i| out.values[i] = self.values[i] + other.values[i]);
        out
    }

    /// The same for times from `middle`, `half` long.
    #[inline]
    fn around<const D: usize>(mut self, middle: f64, half: f64) -> Moments {
        shift(&mut self.times[..=2 * D], middle);
        shift(&mut self.values[..=D], middle);
        let (mut power, by) = (1.0, half.recip());
        for i in 0..=2 * D {
            self.times[i] *= power;
            if i <= D {
                self.values[i] *= power;
            }
            power *= by;
        }
        self
    }

    /// The polynomial of this degree at `time`, or of the highest one that these rows tell there: where rows lie far from the
    /// middle of an uneven window, it may swing through it however calm they are.
    #[inline]
    fn fitted<const D: usize>(&self, time: f64) -> f64 {
        let found = if D == 2 { self.parabola(time) } else { None };
        found.or_else(|| (0..=D).rev().find_map(|degree| self.solved(degree, time))).unwrap_or(f64::NAN)
    }

    /// The normal equations of the second degree by cofactors, which is what most filters need.
    #[inline]
    fn parabola(&self, time: f64) -> Option<f64> {
        let ([s0, s1, s2, s3, s4, ..], [t0, t1, t2, ..]) = (self.times, self.values);
        let (a, b, c) = (s2 * s4 - s3 * s3, s1 * s4 - s2 * s3, s1 * s3 - s2 * s2);
        let (d, e, f) = (s0 * s4 - s2 * s2, s0 * s3 - s1 * s2, s0 * s2 - s1 * s1);
        let whole = s0 * a - s1 * b + s2 * c;
        let sum = t0 * a - t1 * b + t2 * c + time * (t1 * d - t0 * b - t2 * e + time * (t0 * c - t1 * e + t2 * f));
        let is_told = time != 0.0 || a <= CALM * whole;
        (is_told && whole > 1e-9 * s0 * s2 * s4).then(|| sum / whole)
    }

    /// The normal equations by Cholesky's way; `None` where the rows do not tell this degree.
    fn solved(&self, degree: usize, time: f64) -> Option<f64> {
        let n = degree + 1;
        let mut rows = [[0.0; MOST + 1]; MOST + 1];
        let mut found = [0.0; MOST + 1];
        // What the rows' noise amounts to at 0, over that of a single row: at a row itself it is never more.
        let (mut ones, mut gain) = ([0.0; MOST + 1], 0.0);
        for i in 0..n {
            for j in 0..=i {
                let known: f64 = (0..j).map(|k| rows[i][k] * rows[j][k]).sum();
                let left = self.times[i + j] - known;
                if i == j {
                    if left <= 1e-10 * self.times[2 * i].max(1e-300) {
                        return None;
                    }
                    // The reciprocal, by which all is multiplied.
                    rows[i][i] = left.sqrt().recip();
                } else {
                    rows[i][j] = left * rows[j][j];
                }
            }
            let known: f64 = (0..i).map(|k| rows[i][k] * found[k]).sum();
            found[i] = (self.values[i] - known) * rows[i][i];
            let known: f64 = (0..i).map(|k| rows[i][k] * ones[k]).sum();
            ones[i] = (if i == 0 { 1.0 } else { 0.0 } - known) * rows[i][i];
            gain += ones[i] * ones[i];
        }
        if time == 0.0 && gain > CALM {
            return None;
        }
        for i in (0..n).rev() {
            let known: f64 = (i + 1..n).map(|k| rows[k][i] * found[k]).sum();
            found[i] = (found[i] - known) * rows[i][i];
        }
        Some(found[..n].iter().rev().fold(0.0, |sum, factor| sum * time + factor))
    }
}

/// Sums of powers become those of the powers of times from `middle`.
#[inline]
fn shift(sums: &mut [f64], middle: f64) {
    // A time at a time, as a polynomial is divided: (t - m)^k = (t - m)^(k-1) t - m (t - m)^(k-1).
    for from in 1..sums.len() {
        for i in (from..sums.len()).rev() {
            sums[i] -= middle * sums[i - 1];
        }
    }
}

/// The window is a queue of two parts, as that of a moving average, so that nothing is ever taken away from a sum.
#[derive(Clone, Debug)]
struct State<const D: usize> {
    settings: SavitzkyGolay,
    window: Window,
    /// For the older part, the sums from each row to the part's end, the oldest row last.
    older: Vec<Moments>,
    younger: Moments,
    /// What times and values are told from.
    origin: Option<(Stamp, f64)>,
    /// Seconds that are one in the sums.
    scale: f64,
}

impl<const D: usize> State<D> {
    fn new(settings: SavitzkyGolay) -> Self {
        State {
            settings,
            window: Window::new(settings.window),
            older: Vec::new(),
            younger: Moments::default(),
            origin: None,
            scale: f64::NAN,
        }
    }
}

impl<const D: usize> Memory for State<D> {
    fn push(&mut self, at: Stamp, value: f64) -> f64 {
        let (begin, base) = *self.origin.get_or_insert((at, value));
        if self.scale.is_nan() && at > begin {
            let dt = at.seconds_since(begin);
            self.scale = match self.settings.window {
                Strength::Rows(rows) => f64::from(rows.max(1)) * dt,
                Strength::Seconds(seconds) => seconds,
            };
        }
        let of = |at: Stamp, begin: Stamp, scale: f64| if at == begin { 0.0 } else { at.seconds_since(begin) / scale };
        self.younger.add::<D>(of(at, begin, self.scale), value - base);
        let (older, younger, origin, scale) = (&mut self.older, &mut self.younger, &mut self.origin, self.scale);
        self.window.slide(at, value, |left| {
            if older.pop().is_none() {
                // The oldest row was the first of the younger part: what stays is the older part from now on.
                *origin = Some((at, value));
                let mut sums = Moments::default();
                older.extend(left.rows().rev().map(|(time, other)| {
                    sums.add::<D>(of(time, at, scale), other - value);
                    sums
                }));
                *younger = Moments::default();
            }
        });
        let (begin, base) = self.origin.unwrap_or((at, value));
        let first = self.window.rows().next().map_or(at, |(first, _)| first);
        let [first, last] = [first, at].map(|time| of(time, begin, self.scale));
        let (middle, half) = ((first + last) / 2.0, (last - first) / 2.0);
        if half <= 0.0 {
            // Rows of one moment: their mean.
            let sums = self.older.last().copied().unwrap_or_default().with::<D>(&self.younger);
            return base + sums.values[0] / sums.times[0];
        }
        let sums = self.older.last().copied().unwrap_or_default().with::<D>(&self.younger).around::<D>(middle, half);
        let time = if self.settings.at_newest { 1.0 } else { 0.0 };
        base + sums.fitted::<D>(time)
    }

    fn copy(&self) -> Box<dyn Memory> {
        Box::new(self.clone())
    }
}
