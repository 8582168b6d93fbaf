//! The period of a slow wave by its crossings with hysteresis.

use crate::Stamp;

/// Periods that vary by more than this share are none.
const VARIES: f64 = 0.2;

/// Hystereses that are tried, as shares of the distance between the ends.
const HYSTERESES: [f64; 3] = [0.2, 0.4, 0.6];

/// What crossings say of a wave.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Period {
    /// Seconds from one rising crossing to the next, the mean.
    pub seconds: f64,
    /// The standard deviation of these; NaN for a single period.
    pub spread: f64,
    /// How many periods there are.
    pub count: usize,
    /// The value that is crossed, halfway between the ends.
    pub level: f64,
    /// How far a value must get beyond it on the other side before the next crossing counts.
    pub hysteresis: f64,
}

impl Period {
    /// Periods a second.
    pub fn hertz(&self) -> f64 {
        1.0 / self.seconds
    }

    /// Finds the period in these rows, whose noise is known, by the rising crossings of the middle between their ends, spikes
    /// apart; times are read off the line between rows. A smaller wave on top, such as hum, may cross it more than once: of
    /// the hystereses tried it is the one by which the periods vary least. `None` for less than one period, a wave that is no
    /// larger than the noise, or periods that vary by more than a fifth.
    pub fn of(times: &[Stamp], values: &[f64], noise: f64) -> Option<Period> {
        let mut sorted: Vec<f64> = values.iter().copied().filter(|value| value.is_finite()).collect();
        if sorted.len() < 4 {
            return None;
        }
        sorted.sort_by(f64::total_cmp);
        let at = |share: f64| sorted[((sorted.len() - 1) as f64 * share) as usize];
        let (low, high) = (at(0.02), at(0.98));
        let least = (0.2 * (high - low)).max(4.0 * noise);
        if least >= 0.8 * (high - low) {
            return None;
        }
        let level = (low + high) / 2.0;
        let tried = HYSTERESES.map(|share| least.max(share * (high - low)));
        let all = tried.into_iter().filter_map(|hysteresis| Period::by(times, values, level, hysteresis));
        all.reduce(|best, other| if other.varies() + 0.01 < best.varies() { other } else { best })
    }

    /// By how much the periods vary, as a share; 0 for a single one.
    pub fn varies(&self) -> f64 {
        if self.spread.is_nan() { 0.0 } else { self.spread / self.seconds }
    }

    fn by(times: &[Stamp], values: &[f64], level: f64, hysteresis: f64) -> Option<Period> {
        let begin = times.first().copied().unwrap_or_default();
        let (mut armed, mut before, mut up, mut crossings) = (false, None, None, Vec::new());
        for (time, value) in times.iter().zip(values).filter(|(_, value)| value.is_finite()) {
            if *value < level - hysteresis / 2.0 {
                (armed, up) = (true, None);
            }
            if let Some((from, last)) = before
                && last < level
                && *value >= level
                && up.is_none()
            {
                let share = (level - last) / (value - last);
                up = Some(time.seconds_since(begin) - (1.0 - share) * time.seconds_since(from));
            }
            if armed && *value > level + hysteresis / 2.0 {
                armed = false;
                crossings.extend(up);
            }
            before = Some((*time, *value));
        }
        let count = crossings.len().checked_sub(1).filter(|count| *count > 0)?;
        let periods = || crossings.windows(2).map(|pair| pair[1] - pair[0]);
        let seconds = periods().sum::<f64>() / count as f64;
        let spread = crate::stats::deviation(periods).unwrap_or(f64::NAN);
        let found = Period { seconds, spread, count, level, hysteresis };
        (found.varies() <= VARIES).then_some(found)
    }
}
