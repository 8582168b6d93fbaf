//! What every spectrum keeps to, whatever its length, rate and window.

#[path = "../src/chance.rs"]
mod chance;

use amber_core::Stamp;
use amber_core::spectrum::period::Period;
use amber_core::spectrum::{Maker, Recipe, Window, names, peaks};
use chance::Chance;
use proptest::prelude::*;
use std::f64::consts::TAU;

fn windows() -> impl Strategy<Value = Window> {
    proptest::sample::select(&Window::ALL[..])
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 150, ..ProptestConfig::default() })]

    #[test]
    fn a_wave_in_noise_is_found_where_it_is_and_as_large_as_it_is(
        window in windows(), length in 64..700usize, more in 0..3000usize, rate in 0.5..5000.0f64, place in 0.0..1.0f64,
        size in 0.01..1e4f64, level in -1e4..1e4f64, seed in any::<u64>(),
    ) {
        // Far enough from both ends that its mirror image does not reach it.
        let bins = 6.0 + place * (length as f64 / 2.0 - 12.0);
        let hertz = bins * rate / length as f64;
        let mut chance = Chance(seed);
        let value = |row: usize| level + size * (TAU * hertz * row as f64 / rate + place).sin() + 0.003 * size * chance.gauss();
        let values: Vec<f64> = (0..length + more).map(value).collect();
        let spectrum = Maker::default().spectrum(&values, rate, Recipe { window, length }).unwrap();
        prop_assert_eq!(spectrum.amplitudes.len(), length / 2 + 1);
        let found = peaks::find(&spectrum);
        let peak = found.found.first().ok_or_else(|| TestCaseError::fail("no peak"))?;
        let loose = if window == Window::Rectangular { 0.1 } else { 0.01 };
        prop_assert!((peak.hertz - hertz).abs() <= loose * spectrum.resolution(), "{peak:?} instead of {hertz}, bins {}", spectrum.resolution());
        prop_assert!((peak.amplitude / size - 1.0).abs() < 5.0 * loose.max(0.004), "{peak:?} instead of {size}");
        if window != Window::Rectangular {
            prop_assert!(found.found[1..].iter().all(|other| other.amplitude < 0.05 * size), "{found:?}");
        }
    }

    #[test]
    fn noise_has_its_density_in_every_window_and_length(window in windows(), length in 128..1024usize, rate in 1.0..4000.0f64, size in 0.01..100.0f64, seed in any::<u64>()) {
        let mut chance = Chance(seed);
        let values: Vec<f64> = (0..16_384).map(|_| 3.0 + size * chance.gauss()).collect();
        let spectrum = Maker::default().spectrum(&values, rate, Recipe { window, length }).unwrap();
        let found = peaks::find(&spectrum);
        prop_assert!((found.noise / size - 1.0).abs() < 0.1, "{} instead of {size}", found.noise);
        prop_assert!((found.floor * (rate / 2.0).sqrt() / found.noise - 1.0).abs() < 1e-9);
        // The power of all densities is that of the rows (Parseval's theorem, with the window's bandwidth).
        let density = spectrum.to_density();
        let power: f64 = spectrum.amplitudes.iter().map(|amplitude| (amplitude * density).powi(2) * spectrum.resolution()).sum();
        prop_assert!((power.sqrt() / size - 1.0).abs() < 0.1, "{} instead of {size}", power.sqrt());
    }

    #[test]
    fn a_spectrum_grows_with_its_rows_and_does_not_mind_where_they_lie(
        window in windows(), values in proptest::collection::vec(-100.0..100.0f64, 16..300), length in 16..300usize, power in -3..6i32, level in -1e3..1e3f64,
    ) {
        let recipe = Recipe { window, length };
        let mut maker = Maker::default();
        let mut of = |values: &[f64]| maker.spectrum(values, 10.0, recipe).unwrap().amplitudes;
        let plain = of(&values);
        let factor = 2f64.powi(power);
        let larger = of(&values.iter().map(|value| factor * value).collect::<Vec<f64>>());
        let moved = of(&values.iter().map(|value| value + level).collect::<Vec<f64>>());
        for (bin, amplitude) in plain.iter().enumerate() {
            prop_assert!((larger[bin] - factor * amplitude).abs() <= 1e-10 * factor, "bin {bin}");
            prop_assert!((moved[bin] - amplitude).abs() <= 1e-8, "bin {bin}: {} {amplitude}", moved[bin]);
        }
    }

    #[test]
    fn what_is_folded_is_found_again(rate in 5.0..2000.0f64, hertz in 0.1..5000.0f64) {
        let at = names::shown_at(hertz, rate);
        prop_assert!((0.0..=rate / 2.0 + 1e-9).contains(&at));
        // Sampled, both are the same rows.
        for row in 0..20 {
            let turns = f64::from(row) / rate;
            prop_assert!(((TAU * hertz * turns).cos() - (TAU * at * turns).cos()).abs() < 1e-6);
        }
        for other in names::others(at, rate) {
            prop_assert!((names::shown_at(other, rate) - at).abs() < 1e-6 && other >= rate / 2.0 - 1e-9, "{other}");
        }
        for mains in [50.0, 60.0] {
            let at = names::shown_at(mains, rate);
            if at > 0.05 * rate {
                let name = names::mains(at, rate, 0.01).unwrap_or_default();
                prop_assert!(name.contains("50 Hz") || name.contains("60 Hz"), "{mains} Hz at {at}: {name}");
                prop_assert!(2.0 * mains > rate || !name.contains("folded"), "{}", name);
            }
        }
    }

    #[test]
    fn one_channel_follows_the_other_as_that_leads_it(seed in any::<u64>(), late in -60..60i32, is_turned in any::<bool>(), rate in 1.0..1000.0f64) {
        let mut chance = Chance(seed);
        let mut slow = 0.0;
        let walk: Vec<f64> = (0..1200).map(|_| { slow += 0.2 * (chance.gauss() - slow); slow }).collect();
        let sign = if is_turned { -1.0 } else { 1.0 };
        let a: Vec<f64> = walk[100..1100].to_vec();
        let b: Vec<f64> = (100..1100i32).map(|row| sign * 7.0 * walk[(row - late) as usize] + 50.0 + 0.1 * chance.gauss()).collect();
        let mut maker = Maker::default();
        let there = maker.follows(&a, &b, rate).unwrap();
        let back = maker.follows(&b, &a, rate).unwrap();
        prop_assert!((there.seconds * rate - f64::from(late)).abs() < 0.2, "{there:?} instead of {late} rows at {rate}");
        prop_assert!((there.seconds + back.seconds).abs() * rate < 1e-6 && there.correlation * sign > 0.9);
        prop_assert!(there.rivals.is_empty(), "{there:?}");
    }

    #[test]
    fn a_period_is_right_or_is_not_said(
        form in 0..4u8, period in 0.05..3.0f64, size in 0.1..100.0f64, level in -50.0..50.0f64, noise in 0.0..0.12f64, seed in any::<u64>(),
    ) {
        let mut chance = Chance(seed);
        let times: Vec<Stamp> = (0..3000).map(|row| Stamp(0).plus(f64::from(row) * 0.005)).collect();
        let values: Vec<f64> = times.iter().map(|at| {
            let turn = (at.seconds_since(Stamp(0)) / period).fract();
            let wave = match form {
                0 => (TAU * turn).sin(),
                1 => 1.0 - 4.0 * (turn - 0.5).abs(),
                2 => if turn < 0.5 { 1.0 } else { -1.0 },
                _ => 2.0 * turn - 1.0,
            };
            level + size * (wave + noise * chance.gauss())
        }).collect();
        if let Some(found) = Period::of(&times, &values, noise * size) {
            prop_assert!((found.seconds / period - 1.0).abs() < 0.02, "{found:?} instead of {period}");
            prop_assert!(found.count as f64 <= 15.0 / period + 1.0);
        } else {
            prop_assert!(noise > 0.05, "nothing was found with a period of {period}");
        }
    }
}
