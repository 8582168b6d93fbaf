//! The advice on filters, on made-up signals whose truth is known: beside the best filter of the same family that a search
//! finds.

#[path = "../src/chance.rs"]
mod chance;

use amber_core::Stamp;
use amber_core::smooth::advice::{Advice, Family, advise};
use amber_core::smooth::{Filter, Smoother};
use amber_core::spectrum::Maker;
use chance::Chance;
use std::f64::consts::TAU;

const ROWS: usize = 1024;

/// What is measured, and what is added to it.
fn signals() -> Vec<(String, Vec<f64>, Vec<f64>, f64)> {
    let mut all = Vec::new();
    for (seed, rate) in [(1u64, 100.0), (3, 400.0)] {
        for noise in [0.5, 2.0, 6.0] {
            for kind in ["waves", "steps", "settling", "ramp", "wander"] {
                for extra in ["", "spikes", "hum"] {
                    let mut chance = Chance(seed * 1000 + all.len() as u64);
                    let (mut level, mut to, mut slow) = (0.0f64, 20.0, 0.0f64);
                    let truth: Vec<f64> = (0..ROWS)
                        .map(|row| {
                            let t = row as f64 / rate;
                            if row % 400 == 399 {
                                to = 40.0 * chance.share();
                            }
                            level = if kind == "steps" { to } else { level + (to - level) * 0.6 / (0.15 * rate) };
                            slow += 0.3 * (chance.share() - 0.5);
                            match kind {
                                "waves" => 20.0 * (TAU * rate / 125.0 * t).sin() + 4.0 * (TAU * rate / 70.0 * t).sin(),
                                "ramp" => 100.0 * row as f64 / ROWS as f64,
                                "wander" => 10.0 * slow,
                                _ => level,
                            }
                        })
                        .collect();
                    let rows = truth
                        .iter()
                        .enumerate()
                        .map(|(row, value)| {
                            let spike = extra == "spikes" && chance.share() < 0.01;
                            let hum = if extra == "hum" { (TAU * 60.0 * row as f64 / rate).sin() * 3.0 } else { 0.0 };
                            value + noise * chance.gauss() + hum + if spike { 80.0 } else { 0.0 }
                        })
                        .collect();
                    all.push((format!("{kind} {extra} {noise} at {rate}"), truth, rows, rate));
                }
            }
        }
    }
    all
}

fn error(filters: &[Filter], rows: &[f64], truth: &[f64], rate: f64) -> f64 {
    let mut smoother = Smoother::new(filters);
    let out = rows.iter().enumerate().map(|(row, value)| smoother.push(Stamp(0).plus(row as f64 / rate), *value));
    let skipped = ROWS / 8;
    let squares = out.zip(truth).skip(skipped).map(|(out, truth)| (out - truth).powi(2));
    (squares.sum::<f64>() / (ROWS - skipped) as f64).sqrt()
}

#[test]
fn what_is_proposed_is_close_to_the_best_of_its_family() {
    let (mut within, mut count, mut worse, mut told) = (0, 0, 0, String::new());
    for (name, truth, rows, rate) in signals() {
        let Advice { best, .. } = advise(&rows, rate, &mut Maker::default()).unwrap();
        let proposed = error(&best.filters, &rows, &truth, rate);
        let none = error(&[], &rows, &truth, rate);
        // The family of the last filter, behind the same ones.
        let of = |family: &Family| {
            let strengths = family.strengths(1.0 / rate);
            strengths.iter().any(|filter| Some(filter) == best.filters.last()).then_some(strengths)
        };
        let searched = match Family::ALL.iter().find_map(of) {
            Some(strengths) => strengths
                .into_iter()
                .map(|filter| {
                    let front = &best.filters[..best.filters.len() - 1];
                    error(&[front, &[filter]].concat(), &rows, &truth, rate)
                })
                .fold(f64::INFINITY, f64::min),
            // Without one of them: beside every family.
            None => {
                let all = Family::ALL.iter().flat_map(|family| family.strengths(1.0 / rate));
                all.map(|filter| error(&[&best.filters[..], &[filter]].concat(), &rows, &truth, rate))
                    .fold(f64::INFINITY, f64::min)
            }
        };
        count += 1;
        within += usize::from(proposed <= 1.25 * searched);
        worse += usize::from(proposed > 1.15 * none);
        told += &format!(
            "{name:<28}{none:>8.3}{proposed:>8.3}{searched:>8.3} {:?}\n",
            best.filters.iter().map(amber_core::part::Listed::short).collect::<Vec<_>>()
        );
    }
    println!(
        "{told}{within} of {count} within 25 % of the best of the family, {worse} more than 15 % worse than no filter"
    );
    assert!(within * 10 >= count * 9 && worse == 0);
}

#[test]
fn where_there_is_no_noise_there_is_no_advice() {
    let mut maker = Maker::default();
    let step: Vec<f64> = (0..600).map(|row| if row < 300 { 100.0 } else { 900.0 }).collect();
    let codes: Vec<f64> = (0..1000).map(|row| f64::from(row / 100)).collect();
    for values in [step, codes, vec![5.0; 300]] {
        let advice = advise(&values, 100.0, &mut maker);
        assert!(advice.is_none(), "{advice:?}");
    }
    // A step in noise has the noise, not what the step has in all frequencies.
    let mut chance = Chance(4);
    let values: Vec<f64> = (0..600).map(|row| if row < 300 { 100.0 } else { 900.0 } + 3.0 * chance.gauss()).collect();
    let advice = advise(&values, 100.0, &mut maker).unwrap();
    assert!((2.0..5.0).contains(&advice.noise), "{advice:?}");
}
