//! A survey of a channel's travel: a knob or lever is turned through all of it, and what it reached, left out and jumped
//! over is told.

/// Rows after which a value that leapt away counts as having moved, not as having dropped out.
const DROPOUT: usize = 5;

/// A place on the way, as shares of the travel from 0 to 1.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Gap {
    /// The lower end.
    pub from: f64,
    /// The upper end.
    pub to: f64,
    /// How often it was leapt over.
    pub times: usize,
}

/// What the travel showed, in raw values.
#[derive(Clone, Debug, PartialEq)]
pub struct Survey {
    /// The rows that were seen, gaps left out.
    pub rows: usize,
    /// The least value, single odd rows left out.
    pub least: f64,
    /// The most.
    pub most: f64,
    /// The value now.
    pub now: f64,
    /// Stretches that were leapt over within a row, the most leapt first: dead spots, or turned too fast.
    pub jumps: Vec<Gap>,
    /// Places (shares of the travel) from which it fell away for a few rows and came back: the contact lifts.
    pub dropouts: Vec<f64>,
    /// Rows that stood at the least and at the most, to within the noise.
    pub stood: (usize, usize),
    /// Whether the value does not move at all at that end while it does elsewhere: the converter or the track is at its
    /// end before the lever is.
    pub dead: (bool, bool),
}

impl Survey {
    /// Half way between least and most.
    pub fn middle(&self) -> f64 {
        (self.least + self.most) / 2.0
    }

    /// Where a raw value stands in the travel, 0 to 1.
    pub fn share(&self, raw: f64) -> f64 {
        (raw - self.least) / (self.most - self.least)
    }
}

/// Looks at the raw `values` (NaN for gaps) of a channel whose noise has the deviation `noise` and whose steps have the
/// size `step`. `None` until it has travelled twenty times its noise.
pub fn survey(values: impl Iterator<Item = f64>, noise: f64, step: f64) -> Option<Survey> {
    let values: Vec<f64> = values.filter(|value| !value.is_nan()).collect();
    let quiet = noise.max(step);
    let middle = |three: &[f64]| three[0].min(three[1]).max(three[0].max(three[1]).min(three[2]));
    let ends = values.windows(3).map(middle).map(|value| (value, value));
    let (least, most) = ends.reduce(|a, b| (a.0.min(b.0), a.1.max(b.1)))?;
    let range = most - least;
    if range < 20.0 * quiet {
        return None;
    }
    let mut found = Survey {
        rows: values.len(),
        least,
        most,
        now: *values.last()?,
        jumps: Vec::new(),
        dropouts: Vec::new(),
        stood: (0, 0),
        dead: (false, false),
    };
    leaps(&values, quiet, &mut found);
    found.jumps.sort_by_key(|gap| std::cmp::Reverse(gap.times));
    let band = 3.0 * noise.max(step);
    let low: Vec<f64> = values.iter().copied().filter(|value| *value <= least + band).collect();
    let high: Vec<f64> = values.iter().copied().filter(|value| *value >= most - band).collect();
    found.stood = (low.len(), high.len());
    // A track that ends reads the same code again and again, where the rest is noisy.
    let still = |end: &[f64], value: f64| {
        end.len() >= 25 && noise > 0.5 * step && end.iter().filter(|v| **v == value).count() * 10 > end.len() * 9
    };
    found.dead = (still(&low, least), still(&high, most));
    Some(found)
}

/// Finds the rows at which the value leapt much further than before and after.
fn leaps(values: &[f64], quiet: f64, found: &mut Survey) {
    let range = found.most - found.least;
    let least_leap = (12.0 * quiet).max(0.03 * range);
    let mut at = 1;
    while at + 1 < values.len() {
        let leap = values[at] - values[at - 1];
        let around = |from: usize, to: usize| {
            let steps = (from.max(1)..to.min(values.len())).map(|i| (values[i] - values[i - 1]).abs());
            steps.fold(0.0, f64::max)
        };
        let before = around(at.saturating_sub(3), at);
        let lonely = leap.abs() > least_leap && leap.abs() > 4.0 * before;
        if !lonely {
            at += 1;
            continue;
        }
        let back = (at + 1..(at + 1 + DROPOUT).min(values.len()))
            .find(|i| (values[*i] - values[at - 1]).abs() < leap.abs() / 4.0 + 2.0 * before);
        if let Some(back) = back {
            let place = found.share(values[at - 1]);
            if (0.0..=1.0).contains(&place) {
                found.dropouts.push(place);
            }
            at = back + 1;
            continue;
        }
        if leap.abs() > 4.0 * around(at + 1, at + 4) {
            let (a, b) = (found.share(values[at - 1]), found.share(values[at]));
            note(&mut found.jumps, a.min(b).clamp(0.0, 1.0), a.max(b).clamp(0.0, 1.0));
        }
        at += 1;
    }
}

/// Adds a leap to the gaps: leaps over the same stretch are one gap, as far as they have in common.
fn note(gaps: &mut Vec<Gap>, from: f64, to: f64) {
    for gap in gaps.iter_mut() {
        let common = (gap.from.max(from), gap.to.min(to));
        if common.1 - common.0 > 0.5 * (gap.to - gap.from).min(to - from) {
            *gap = Gap { from: common.0, to: common.1, times: gap.times + 1 };
            return;
        }
    }
    gaps.push(Gap { from, to, times: 1 });
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A lever turned up and down, 400 rows each way, over 100 to 3900 of a 12-bit converter.
    fn turned(rows: usize, shape: impl Fn(f64) -> f64) -> Vec<f64> {
        let noise = |i: usize| ((i * 7919) % 5) as f64 - 2.0;
        let way = |i: usize| {
            let phase = i % 800;
            (if phase < 400 { phase as f64 } else { 800.0 - phase as f64 }) / 400.0
        };
        (0..rows).map(|i| (shape(way(i)) + noise(i)).clamp(0.0, 4095.0).round()).collect()
    }

    #[test]
    fn a_sound_track_has_ends_and_a_middle_and_nothing_else() {
        let found = survey(turned(2000, |x| 100.0 + 3800.0 * x).into_iter(), 1.5, 1.0).unwrap();
        assert!((found.least - 100.0).abs() < 12.0 && (found.most - 3900.0).abs() < 12.0, "{found:?}");
        assert!((found.middle() - 2000.0).abs() < 12.0 && (0.49..0.51).contains(&found.share(2000.0)));
        assert!(found.jumps.is_empty() && found.dropouts.is_empty() && found.dead == (false, false), "{found:?}");
        assert_eq!(survey([5.0; 100].into_iter(), 1.5, 1.0), None, "nothing was turned");
    }

    #[test]
    fn a_dead_spot_a_lifting_contact_and_a_dead_end_are_told() {
        let jump = |x: f64| if x < 0.42 { x } else { (x + 0.05).min(1.05) };
        let mut values = turned(1700, |x| 200.0 + 4000.0 * jump(x));
        (600..603).for_each(|i| values[i] = 3.0);
        let found = survey(values.into_iter(), 1.5, 1.0).unwrap();
        assert_eq!(found.jumps.len(), 1, "{found:?}");
        let gap = found.jumps[0];
        assert!(gap.times >= 3 && (gap.from - 0.43).abs() < 0.03 && (gap.to - gap.from - 0.05).abs() < 0.02, "{gap:?}");
        assert_eq!(found.dropouts.len(), 1, "{found:?}");
        assert_eq!(found.dead, (false, true), "it runs into the top code: {found:?}");
    }
}
