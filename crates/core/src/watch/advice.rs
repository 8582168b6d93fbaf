//! Advice on a threshold: from stretches in which a channel was in one state and in another, a threshold, a hysteresis and a
//! hold time, and how often that will switch falsely.
//!
//! The noise is that of the stretches themselves: their deviation, and how closely a row follows the one before. How often
//! Gaussian noise of that kind crosses a level follows from these; how many of the crossings the dead band leaves is counted
//! at levels that the rows do cross. A number is promised where the noise is like that and known well enough, else a bound;
//! and nothing for noise that drifts or has spikes.

use super::{Watch, Watcher};
use crate::Stamp;

/// Rows of a state that are too few to judge it by.
pub const LEAST_ROWS: usize = 20;

/// Means that are nearer than so many times the noise are one state.
const APART: f64 = 1.8;

/// Times the noise that the dead band should be wide.
const WIDTH: f64 = 6.0;

/// Crossings that are enough to count them.
const ENOUGH: u64 = 8;

/// A stretch of rows in which a channel was in one state.
#[derive(Clone, Debug, PartialEq)]
pub struct Stretch {
    /// What a person calls the state.
    pub word: String,
    /// The values of its rows, gaps left out.
    pub values: Vec<f64>,
}

/// A state, by all of its stretches.
#[derive(Clone, Debug, PartialEq)]
pub struct State {
    /// What a person calls it.
    pub word: String,
    /// The mean of its rows.
    pub mean: f64,
    /// Their deviation.
    pub noise: f64,
    /// How many rows they are.
    pub rows: usize,
    /// Each less the mean of its stretch.
    residuals: Vec<f64>,
    /// What its noise is like.
    kind: Noise,
}

/// What the noise of a state is like.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Noise {
    Steady,
    /// It moves by more than its noise within a stretch.
    Drifts,
    /// Single rows, or so many together, lie far out.
    Spikes(usize),
}

/// How often a threshold will be crossed although nothing happened.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum FalseRate {
    /// So often, in times a row.
    About(f64),
    /// Less often than that.
    Below(f64),
    /// That cannot be told.
    Unknown,
}

/// A threshold between two states.
#[derive(Clone, Debug, PartialEq)]
pub struct Advice {
    /// What to watch with.
    pub watch: Watch,
    /// The lower state and the upper one.
    pub states: [State; 2],
    /// How often it will switch falsely, in times a row, both states together.
    pub rate: FalseRate,
    /// The same without the hold time.
    pub unheld: FalseRate,
    /// How many times its noise the nearer of the states keeps from switching.
    pub margin: f64,
    /// What must be known of it, in sentences.
    pub doubts: Vec<String>,
}

/// What the stretches come to.
#[derive(Clone, Debug, PartialEq)]
pub enum Verdict {
    /// Two states, and a threshold between them.
    Threshold(Box<Advice>),
    /// More states: the limits between them, from low to high, one fewer than states.
    Bands(Vec<State>, Vec<f64>),
    /// Nothing; why, and what to do.
    None(String),
}

/// Joins stretches of one word, lowest mean first.
fn states(stretches: &[Stretch]) -> Vec<State> {
    let mut states: Vec<State> = Vec::new();
    let mut words: Vec<&str> = Vec::new();
    for stretch in stretches {
        if !words.contains(&stretch.word.as_str()) {
            words.push(&stretch.word);
        }
    }
    for word in words {
        let own: Vec<&[f64]> =
            stretches.iter().filter(|s| s.word == *word && !s.values.is_empty()).map(|s| &s.values[..]).collect();
        let rows: usize = own.iter().map(|values| values.len()).sum();
        if rows == 0 {
            continue;
        }
        let mean = own.iter().flat_map(|values| *values).sum::<f64>() / rows as f64;
        let residuals: Vec<f64> = own
            .iter()
            .flat_map(|values| {
                let own = values.iter().sum::<f64>() / values.len() as f64;
                values.iter().map(move |value| value - own)
            })
            .collect();
        let noise = (residuals.iter().map(|r| r * r).sum::<f64>() / rows as f64).sqrt();
        let kind = kind(&own, &residuals, noise);
        states.push(State { word: word.to_owned(), mean, noise, rows, residuals, kind });
    }
    states.sort_by(|a, b| a.mean.total_cmp(&b.mean));
    states
}

/// The deviation that most rows have, spikes left out: by the quartiles, as if it were Gaussian.
fn usual(residuals: &[f64]) -> f64 {
    let mut sorted: Vec<f64> = residuals.iter().map(|r| r.abs()).collect();
    sorted.sort_by(f64::total_cmp);
    sorted.get(sorted.len() / 2).copied().unwrap_or(0.0) / 0.6745
}

fn kind(stretches: &[&[f64]], residuals: &[f64], noise: f64) -> Noise {
    let is_adrift = |values: &[f64]| {
        // The means of the quarters of a stretch, against what is left within them.
        let quarter = values.len() / 4;
        if quarter < 5 {
            return false;
        }
        let means: Vec<f64> =
            values.chunks(quarter).take(4).map(|part| part.iter().sum::<f64>() / part.len() as f64).collect();
        let within: f64 = values
            .chunks(quarter)
            .take(4)
            .zip(&means)
            .flat_map(|(part, mean)| part.iter().map(move |v| (v - mean).powi(2)))
            .sum();
        let within = (within / (4 * quarter) as f64).sqrt();
        (means[3] - means[0]).abs() > 1.5 * within && (means[1] - means[0]) * (means[3] - means[2]) >= 0.0
    };
    if stretches.iter().any(|values| is_adrift(values)) {
        return Noise::Drifts;
    }
    // Beyond six times the usual noise lies nothing of noise that is like Gaussian noise.
    let far = 6.0 * usual(residuals).max(noise * 0.05);
    let is_far: Vec<bool> = residuals.iter().map(|r| r.abs() > far).collect();
    if far > 0.0 && is_far.contains(&true) {
        let longest = is_far.split(|far| !far).map(<[bool]>::len).max().unwrap_or(0);
        return Noise::Spikes(longest);
    }
    Noise::Steady
}

/// How often residuals cross `reach` away from their mean (upward, or with a sign turned) and come back, in times a row.
fn crossings(residuals: &[f64], reach: f64, width: f64, rows_held: usize) -> u64 {
    let width = width.min(reach);
    let watch = Watch { threshold: reach - width / 2.0, hysteresis: width, hold: rows_held as f64, lane: false };
    let mut watcher = Watcher::new(watch, 0);
    let times: Vec<Stamp> = (0..residuals.len() as i64).map(|row| Stamp(row * 1_000_000_000)).collect();
    // It begins in its own state.
    watcher.extend(&[Stamp(-1_000_000_000)], &[f64::MIN]);
    watcher.extend(&times, residuals);
    watcher.now().rises
}

/// How often the noise alone crosses `reach` and comes back `width`, where that must be held for so many rows.
fn rate(state: &State, is_upward: bool, reach: f64, width: f64, rows_held: usize) -> FalseRate {
    if state.kind != Noise::Steady {
        return FalseRate::Unknown;
    }
    let rows = state.residuals.len() as f64;
    let turned: Vec<f64> = state.residuals.iter().map(|r| if is_upward { *r } else { -r }).collect();
    let seen = crossings(&turned, reach, width, rows_held);
    if seen >= 3 * ENOUGH {
        return FalseRate::About(seen as f64 / rows);
    }
    let without = gaussian(state, &turned, reach, width);
    if rows_held == 0 {
        return without;
    }
    // Three times what may have been missed by chance.
    FalseRate::Below((3.0 + 2.0 * seen as f64) / rows).least(without)
}

/// The same of noise that is carried on as Gaussian noise, where it is like that.
fn gaussian(state: &State, residuals: &[f64], reach: f64, width: f64) -> FalseRate {
    let (rows, noise) = (residuals.len() as f64, state.noise);
    if noise == 0.0 {
        return FalseRate::Below(1.0 / rows);
    }
    let moment = |power: i32| residuals.iter().map(|r| (r / noise).powi(power)).sum::<f64>() / rows;
    let follows = residuals.windows(2).map(|pair| pair[0] * pair[1]).sum::<f64>() / (rows - 1.0) / (noise * noise);
    let follows = follows.clamp(-0.9, 0.995);
    // Rows that follow one another closely tell less.
    let told = rows * (1.0 - follows) / (1.0 + follows);
    let excess = (moment(4) - 3.0, 5.0 * (24.0 / told).sqrt());
    let (skew, least) = (moment(3), 5.0 * (6.0 / told).sqrt());
    let model = |level: f64, noise: f64| upward(level / noise, follows);
    // How many of the crossings the dead band leaves, by those that were seen.
    let levels = (0..24).map(|step| noise * (1.0 + f64::from(step) / 12.0));
    let counted = levels.map(|level| (level, crossings(residuals, level, width, 0))).take_while(|(_, n)| *n >= ENOUGH);
    let (mut all, mut expected, mut last) = (0.0, 0.0, noise);
    for (level, count) in counted {
        (all, expected, last) = (all + count as f64, expected + model(level, noise) * rows, level);
    }
    let share = if expected > 0.0 { all / expected } else { 1.0 };
    if excess.0 > excess.1.max(0.5) || skew.abs() > least.max(0.4) {
        // Its tails are not those of Gaussian noise: no further than they are seen.
        return FalseRate::Below(share.max(1.0) * model(last.min(reach), noise));
    }
    // The noise itself is known to so much, and with it the rate.
    let known_to = (1.0 / (2.0 * told).sqrt()).min(0.5);
    let z = reach / noise;
    let most = share.max(0.3) * model(reach, noise * (1.0 + 2.0 * known_to));
    let is_known = 2.0 * known_to * z * z < 1.0 && all >= 3.0 * ENOUGH as f64;
    if is_known && excess.0 > -excess.1.min(0.4) && model(reach, noise) > SELDOM * SELDOM {
        FalseRate::About(share * model(reach, noise))
    } else {
        FalseRate::Below(most.max(SELDOM * SELDOM))
    }
}

/// How often Gaussian rows of deviation 1, each of which follows the one before with this correlation, cross `level` upward, in
/// times a row: the probability that one is below it and the next one above, by Simpson's rule.
fn upward(level: f64, follows: f64) -> f64 {
    let wide = (1.0 - follows * follows).sqrt();
    let density = |x: f64| (-x * x / 2.0).exp() / std::f64::consts::TAU.sqrt();
    let at = |x: f64| density(x) * beyond((level - follows * x) / wide);
    const PARTS: usize = 400;
    let begin = (level - 12.0).min(-9.0);
    let step = (level - begin) / PARTS as f64;
    let weight = |part: usize| {
        if part == 0 || part == PARTS {
            1.0
        } else if part % 2 == 1 {
            4.0
        } else {
            2.0
        }
    };
    (0..=PARTS).map(|part| weight(part) * at(begin + part as f64 * step)).sum::<f64>() * step / 3.0
}

/// The share of a Gaussian of deviation 1 beyond `x` (Abramowitz and Stegun, "Handbook of Mathematical Functions": 26.2.10, and
/// the continued fraction 26.2.14).
fn beyond(x: f64) -> f64 {
    if x < 0.0 {
        return 1.0 - beyond(-x);
    }
    let density = (-x * x / 2.0).exp() / std::f64::consts::TAU.sqrt();
    if x < 2.5 {
        let (mut term, mut sum) = (x, x);
        for n in 1..60 {
            term *= -x * x / (2.0 * f64::from(n));
            sum += term / (2.0 * f64::from(n) + 1.0);
        }
        return 0.5 - sum / std::f64::consts::TAU.sqrt();
    }
    let tail = (1..60).rev().fold(x, |tail, n| x + f64::from(n) / tail);
    density / tail
}

impl FalseRate {
    /// Both of two that come about apart from one another.
    fn and(self, other: FalseRate) -> FalseRate {
        use FalseRate::{About, Below, Unknown};
        match (self, other) {
            (Unknown, _) | (_, Unknown) => Unknown,
            (About(a), About(b)) => About(a + b),
            // What is far less adds nothing.
            (About(a), Below(b)) | (Below(b), About(a)) if b < a / 2.0 => About(a + b / 2.0),
            (About(a) | Below(a), About(b) | Below(b)) => Below(a + b),
        }
    }

    /// The smaller of two that both hold.
    fn least(self, other: FalseRate) -> FalseRate {
        if other.most() < self.most() { FalseRate::Below(other.most()) } else { self }
    }

    /// At most so often, as far as that is told.
    fn most(self) -> f64 {
        match self {
            FalseRate::About(rate) | FalseRate::Below(rate) => rate,
            FalseRate::Unknown => f64::INFINITY,
        }
    }
}

/// Rows that a side is held, as they are tried.
const HELD: [usize; 8] = [0, 1, 2, 5, 10, 20, 50, 100];

/// So seldom, in times a row, that nothing better need be tried.
const SELDOM: f64 = 1e-6;

/// Advice for these stretches of a channel whose rows lie `interval` seconds apart; its values are as fine as `step`.
pub fn advise(stretches: &[Stretch], interval: f64, step: f64) -> Verdict {
    let states = states(stretches);
    if states.len() < 2 {
        return Verdict::None("there is one state only: two are needed, such as covered and open".into());
    }
    if let Some(short) = states.iter().find(|state| state.rows < LEAST_ROWS) {
        return Verdict::None(format!(
            "{} has {} rows: {LEAST_ROWS} are needed to know its noise",
            short.word, short.rows
        ));
    }
    for pair in states.windows(2) {
        let noise = pair[0].noise.max(pair[1].noise);
        let gap = pair[1].mean - pair[0].mean;
        if gap <= APART * noise || gap <= step {
            let times = if noise > 0.0 { format!("{:.1} times the noise", gap / noise) } else { "nothing".into() };
            return Verdict::None(format!(
                "{} and {} cannot be told apart: their means differ by {times}; smooth the channel (4), or bring them further apart",
                pair[0].word, pair[1].word
            ));
        }
    }
    let limit = |low: &State, high: &State| {
        // As many times its noise from either.
        let floor = step / 4.0;
        let (a, b) = (low.noise.max(floor), high.noise.max(floor));
        low.mean + (high.mean - low.mean) * a / (a + b)
    };
    if states.len() > 2 {
        let limits = states.windows(2).map(|pair| limit(&pair[0], &pair[1])).collect();
        return Verdict::Bands(states, limits);
    }
    let [low, high] = [states[0].clone(), states[1].clone()];
    let gap = high.mean - low.mean;
    let threshold = limit(&low, &high);
    // Either edge of the dead band keeps away from the means, or nothing would ever switch.
    let room = 2.0 * (threshold - low.mean).min(high.mean - threshold) * 0.7;
    let hysteresis = (WIDTH * low.noise.max(high.noise)).max(2.0 * step).min(room).min(gap / 2.0);
    let rate_at = |held: usize| {
        let up = rate(&low, true, threshold + hysteresis / 2.0 - low.mean, hysteresis, held);
        up.and(rate(&high, false, high.mean - (threshold - hysteresis / 2.0), hysteresis, held))
    };
    let mut doubts = Vec::new();
    let spikes = |state: &State| if let Noise::Spikes(rows) = state.kind { rows } else { 0 };
    let longest = spikes(&low).max(spikes(&high));
    let held = if longest > 0 {
        doubts.push(format!("there are spikes of up to {longest} rows: the hold time passes over them"));
        longest + 1
    } else {
        // Seldom enough, or nothing of it was seen any more, which is all that so many rows tell.
        let told = 8.0 / low.rows.min(high.rows) as f64;
        let is_enough = |held: &usize| match rate_at(*held) {
            FalseRate::Below(rate) => rate <= if *held == 0 { SELDOM } else { told },
            rate => rate.most() <= SELDOM,
        };
        let is_unknown = matches!(rate_at(0), FalseRate::Unknown);
        let is_still = low.noise == 0.0 && high.noise == 0.0;
        if is_unknown || is_still { 0 } else { HELD.iter().copied().find(is_enough).unwrap_or(HELD[HELD.len() - 1]) }
    };
    let rate = if longest > 0 { FalseRate::Unknown } else { rate_at(held) };
    let unheld = rate_at(0);
    for state in [&low, &high].into_iter().filter(|state| state.kind == Noise::Drifts) {
        doubts.push(format!("{} drifts: how often it will switch falsely cannot be told", state.word));
    }
    let reach = |state: &State, distance: f64| distance / state.noise.max(step / 4.0).max(f64::MIN_POSITIVE);
    let margin = reach(&low, threshold + hysteresis / 2.0 - low.mean)
        .min(reach(&high, high.mean - threshold + hysteresis / 2.0));
    let watch = Watch { threshold, hysteresis, hold: held as f64 * interval, lane: false };
    Verdict::Threshold(Box::new(Advice { watch, states: [low, high], rate, unheld, margin, doubts }))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn gaussian_tails_are_those_of_the_tables() {
        // Abramowitz and Stegun, table 26.1 and 26.2.
        let known =
            [(0.0, 0.5), (1.0, 0.158_655_253_9), (2.5, 0.006_209_665_3), (4.0, 3.167_124e-5), (6.0, 9.865_876e-10)];
        for (x, share) in known {
            assert!((beyond(x) / share - 1.0).abs() < 1e-6, "{x}: {}", beyond(x));
        }
        assert!((beyond(-1.0) - 0.841_344_746_1).abs() < 1e-9);
        // Rows that do not follow one another: one below, the next above.
        for level in [0.0, 1.0, 3.0] {
            let apart = beyond(level) * (1.0 - beyond(level));
            assert!((upward(level, 0.0) / apart - 1.0).abs() < 1e-4, "{level}");
        }
        // At zero it is the share of the angle that the correlation leaves: arccos(r) / 2 pi.
        assert!((upward(0.0, 0.8) - 0.8f64.acos() / std::f64::consts::TAU).abs() < 1e-4);
    }

    #[test]
    fn states_are_told_apart_or_it_is_said_that_they_are_not() {
        let stretch = |word: &str, mean: f64| Stretch {
            word: word.into(),
            values: (0..200).map(|row| mean + [0.0, 1.0, -1.0, 0.5, -0.5][row * 7 % 5]).collect(),
        };
        let none = |stretches: &[Stretch]| match advise(stretches, 0.01, 0.1) {
            Verdict::None(why) => why,
            other => panic!("{other:?}"),
        };
        assert!(none(&[stretch("open", 3.0)]).contains("one state"));
        assert!(none(&[stretch("open", 3.0), stretch("covered", 3.5)]).contains("cannot be told apart"));
        assert!(
            none(&[stretch("open", 3.0), Stretch { word: "covered".into(), values: vec![9.0; 5] }])
                .contains("has 5 rows")
        );
        let Verdict::Bands(states, limits) =
            advise(&[stretch("c", 60.0), stretch("a", 0.0), stretch("b", 20.0)], 0.01, 0.1)
        else {
            panic!("no bands")
        };
        assert_eq!(states.iter().map(|state| state.word.as_str()).collect::<Vec<_>>(), ["a", "b", "c"]);
        assert!((limits[0] - 10.0).abs() < 0.1 && (limits[1] - 40.0).abs() < 0.1, "{limits:?}");
        // Without any noise, the resolution is what keeps a threshold from flickering.
        let still = |word: &str, value: f64| Stretch { word: word.into(), values: vec![value; 50] };
        let Verdict::Threshold(advice) = advise(&[still("dry", 10.0), still("wet", 30.0)], 0.1, 1.0) else { panic!() };
        assert_eq!((advice.watch.threshold, advice.watch.hysteresis, advice.watch.hold), (20.0, 2.0, 0.0));
    }
}
