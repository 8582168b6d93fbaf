//! Levels against a made-up corpus: steps of 1 to 20 times the noise, drift, slow settling, spikes, waves; with the
//! figures printed (`cargo test -p amber-core --test settling -- --nocapture`).

#[path = "../src/chance.rs"]
mod chance;

use amber_core::Stamp;
use amber_core::levels::{Level, LevelRule, Levels};
use chance::Chance;
use proptest::prelude::*;

/// Rows a second.
const RATE: f64 = 100.0;

/// What a channel really does, without noise, at second `t`.
type Truth = Box<dyn Fn(f64) -> f64>;

struct Case {
    name: &'static str,
    truth: Truth,
    seconds: f64,
    /// Shares of rows that are spikes of a hundred times the noise.
    spikes: f64,
    /// The noise in counts; readings are rounded to whole ones.
    noise: f64,
}

fn cases() -> Vec<Case> {
    let mut cases = Vec::new();
    let mut add = |name, noise: f64, seconds, spikes, truth: Truth| {
        cases.push(Case { name, truth, seconds, spikes, noise });
    };
    for noise in [0.2, 1.0, 3.0] {
        for (name, size) in [("steps of 1", 1.0), ("steps of 2", 2.0), ("steps of 5", 5.0), ("steps of 20", 20.0)] {
            let height = size * f64::max(noise, 0.3);
            add(
                name,
                noise,
                60.0,
                0.0,
                Box::new(move |t| 2000.0 + height * [0.0, 1.0, 2.0, 3.0, 2.0, 1.0][(t / 6.0) as usize % 6]),
            );
        }
        let size = 200.0 * noise;
        add(
            "slow settling",
            noise,
            60.0,
            0.0,
            Box::new(move |t| {
                let (step, within) = ((t / 12.0).floor(), t % 12.0);
                500.0 + size * (step - (-within / 0.8).exp())
            }),
        );
        add("spikes", noise, 60.0, 0.01, Box::new(move |t| 1000.0 + 30.0 * noise * (t / 6.0).floor()));
        add("waves", noise, 60.0, 0.0, Box::new(move |t| 2000.0 + 20.0 * noise * (t * 5.0).sin()));
        add("small waves", noise, 60.0, 0.0, Box::new(move |t| 2000.0 + 4.0 * noise * (t * 5.0).sin()));
        add("steep drift", noise, 60.0, 0.0, Box::new(move |t| 1000.0 + 5.0 * noise * t));
        add("slow drift", noise, 60.0, 0.0, Box::new(move |t| 1000.0 + 0.1 * noise * t));
        add(
            "waves between rests",
            noise,
            60.0,
            0.0,
            Box::new(move |t| if t % 20.0 < 10.0 { 1500.0 } else { 1500.0 + 40.0 * noise * (t * 5.0).sin() }),
        );
    }
    cases
}

/// Stretches in which the truth moves by less than a quarter of the noise, of two seconds or more.
fn rests(truth: &Truth, seconds: f64, noise: f64) -> Vec<(f64, f64)> {
    let mut found = Vec::new();
    let (mut begin, mut least, mut most) = (0.0, f64::INFINITY, f64::NEG_INFINITY);
    let rows = (seconds * RATE) as usize;
    for row in 0..=rows {
        let t = row as f64 / RATE;
        let value = if row == rows { f64::INFINITY } else { truth(t) };
        let (low, high) = (f64::min(least, value), f64::max(most, value));
        if high - low > noise / 4.0 {
            if t - begin >= 2.0 {
                found.push((begin, t));
            }
            (begin, least, most) = (t, value, value);
        } else {
            (least, most) = (low, high);
        }
    }
    found
}

struct Figures {
    rests: usize,
    found: usize,
    told: usize,
    wrong: usize,
    squares: f64,
}

fn figures(case: &Case, seed: u64) -> Figures {
    let mut chance = Chance(seed);
    let mut levels = Levels::new(LevelRule::default());
    for row in 0..(case.seconds * RATE) as u64 {
        let t = row as f64 / RATE;
        let spike = if chance.share() < case.spikes { 100.0 * case.noise } else { 0.0 };
        let value = (case.truth)(t) + case.noise * chance.gauss() + spike;
        levels.extend(row, &[Stamp::default().plus(t)], &[value.round()]);
    }
    // Rounding to whole counts is noise as well.
    let noise = case.noise.max(0.3);
    let span = |level: &Level| (level.from.seconds_since(Stamp(0)), level.to.seconds_since(Stamp(0)));
    // More than a tenth of it lies half the noise or more off its middle.
    let moved = |level: &Level| {
        let (from, to) = span(level);
        let mut values: Vec<f64> = (0..=100).map(|i| (case.truth)(from + (to - from) * f64::from(i) / 100.0)).collect();
        values.sort_by(f64::total_cmp);
        values.iter().filter(|value| (*value - values[50]).abs() >= 0.5 * noise).count() > 10
    };
    let true_rests = rests(&case.truth, case.seconds, noise);
    let mut found = 0;
    let mut squares = 0.0;
    for (from, to) in &true_rests {
        let overlap = |level: &Level| span(level).1.min(*to) - span(level).0.max(*from);
        let best = levels.found().iter().max_by(|a, b| overlap(a).total_cmp(&overlap(b)));
        let middle = (case.truth)((from + to) / 2.0);
        if let Some(level) = best.filter(|level| overlap(level) > 0.4 * (to - from))
            && (level.mean - middle).abs() < 0.5 * noise
        {
            found += 1;
            squares += ((level.mean - middle) / noise).powi(2);
        }
    }
    let wrong = levels.found().iter().filter(|level| moved(level)).count();
    Figures { rests: true_rests.len(), found, told: levels.found().len(), wrong, squares }
}

#[test]
fn levels_are_found_where_channels_rest_and_nowhere_else() {
    println!("{:<22}{:>6}{:>7}{:>7}{:>7}  error of the mean, in noise", "", "rests", "found", "told", "wrong");
    let mut all = Figures { rests: 0, found: 0, told: 0, wrong: 0, squares: 0.0 };
    let mut names: Vec<&str> = Vec::new();
    let cases = cases();
    cases.iter().for_each(|case| {
        if !names.contains(&case.name) {
            names.push(case.name)
        }
    });
    for name in names {
        let mut sum = Figures { rests: 0, found: 0, told: 0, wrong: 0, squares: 0.0 };
        for (case, seed) in
            cases.iter().filter(|case| case.name == name).flat_map(|case| (1..=5).map(move |s| (case, s)))
        {
            let one = figures(case, seed);
            for total in [&mut sum, &mut all] {
                total.rests += one.rests;
                total.found += one.found;
                total.told += one.told;
                total.wrong += one.wrong;
                total.squares += one.squares;
            }
        }
        let error = (sum.squares / sum.found.max(1) as f64).sqrt();
        println!("{name:<22}{:>6}{:>7}{:>7}{:>7}  {error:.3}", sum.rests, sum.found, sum.told, sum.wrong);
    }
    let (found, wrong) = (all.found as f64 / all.rests as f64, all.wrong as f64 / all.told as f64);
    let error = (all.squares / all.found as f64).sqrt();
    println!(
        "all: {:.1} % of {} rests found, {:.1} % of {} levels wrong, error {error:.3} of the noise",
        found * 100.0,
        all.rests,
        wrong * 100.0,
        all.told
    );
    assert!(found > 0.88 && wrong < 0.03 && error < 0.2);
}

proptest! {
    /// Whatever comes: levels follow one another, lie within the rows and their values, and say the same in other units.
    #[test]
    fn levels_follow_one_another_and_mean_what_their_rows_say(
        parts in proptest::collection::vec((-500.0..500.0f64, 0.0..8.0f64, 1..150usize, 0..40u32), 1..8), seed in 1..1000u64,
    ) {
        let mut chance = Chance(seed);
        let mut rows = Vec::new();
        for (height, noise, length, damage) in parts {
            for i in 0..length {
                let value = height + noise * chance.gauss();
                rows.push(match i as u32 {
                    i if i == damage => f64::NAN,
                    i if i == damage + 7 => 1e6,
                    _ => value.round(),
                });
            }
        }
        let run = |factor: f64, shift: f64| {
            let mut levels = Levels::new(LevelRule { seconds: 0.3, ..LevelRule::default() });
            levels.set_step(factor.abs());
            for (row, value) in (0..).zip(&rows) {
                levels.extend(row, &[Stamp(0).plus(row as f64 / RATE)], &[value * factor + shift]);
            }
            levels
        };
        let levels = run(1.0, 0.0);
        prop_assert_eq!(levels.count(), levels.found().len() as u64);
        let mut before = 0;
        for (i, level) in levels.found().iter().enumerate() {
            prop_assert_eq!(level.number, i as u64 + 1);
            prop_assert!(level.rows.start >= before && level.rows.end <= rows.len() as u64, "{level:?}");
            before = level.rows.end;
            let own: Vec<f64> = rows[level.rows.start as usize..level.rows.end as usize].to_vec();
            let (low, high) = own.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(*v), b.max(*v)));
            prop_assert!((low..=high).contains(&level.mean) && level.count <= own.len() as u64 && level.spread >= 0.0, "{level:?}");
            prop_assert!(level.seconds() >= 0.2, "{level:?}");
            prop_assert!(!level.open || i + 1 == levels.found().len());
        }
        // A power of two changes no digit, so nothing may turn out otherwise.
        let other = run(-4.0, 0.0);
        prop_assert_eq!(other.found().len(), levels.found().len());
        for (a, b) in levels.found().iter().zip(other.found()) {
            prop_assert_eq!(&a.rows, &b.rows);
            prop_assert!((b.mean + 4.0 * a.mean).abs() < 1e-6 && (b.spread - 4.0 * a.spread).abs() < 1e-6);
        }
    }
}
