//! Survey and doctor on made-up travels and channels of many kinds: what is there is found, what is not there is not told.

#[path = "chance/mod.rs"]
mod chance;

use amber_core::checkup::{CheckedChannel, FaultKind, check_up};
use amber_core::part::Listed;
use amber_core::scale::{Scale, Step};
use amber_core::survey::survey;
use chance::Chance;
use proptest::prelude::*;

/// A lever on its way up and down, `rows` each way, with a rest at each end.
fn way(i: usize, rows: usize) -> f64 {
    let rest = rows / 8;
    let at = i % (2 * (rows + rest));
    if at < rows {
        at as f64 / rows as f64
    } else if at < rows + rest {
        1.0
    } else if at < 2 * rows + rest {
        1.0 - (at - rows - rest) as f64 / rows as f64
    } else {
        0.0
    }
}

proptest! {
    #[test]
    fn a_survey_finds_the_ends_and_the_dead_spot_and_no_other(
        low in 50.0..900.0f64, range in 800.0..3000.0f64, noise in 0.5..3.0f64, rows in 200..900usize,
        spot in proptest::option::of((0.15..0.8f64, 0.06..0.2f64)), seed in 1..10_000u64,
    ) {
        let mut chance = Chance(seed);
        let place = |share: f64| match spot {
            Some((at, size)) if share > at => at + size + (share - at) * (1.0 - at - size) / (1.0 - at),
            Some((at, _)) if share == at => at,
            _ => share,
        };
        let values: Vec<f64> =
            (0..rows * 5).map(|i| (low + range * place(way(i, rows)) + noise * chance.gauss()).round()).collect();
        let found = survey(values.into_iter(), noise, 1.0).unwrap();
        let slack = 6.0 * noise + 0.01 * range;
        prop_assert!((found.least - low).abs() < slack && (found.most - low - range).abs() < slack, "{found:?}");
        prop_assert!((found.middle() - low - range / 2.0).abs() < slack);
        prop_assert_eq!(found.dead, (false, false));
        prop_assert!(found.dropouts.is_empty(), "{found:?}");
        match spot {
            None => prop_assert!(found.jumps.is_empty(), "{found:?}"),
            Some((at, size)) => {
                prop_assert_eq!(found.jumps.len(), 1, "{:?}", &found);
                let gap = found.jumps[0];
                prop_assert!(gap.times >= 3, "{gap:?}");
                prop_assert!((gap.from - at).abs() < 0.03 && (gap.to - at - size).abs() < 0.03, "{gap:?} for {at} and {size}");
            }
        }
    }

    /// A channel that moves, rests or steps as a sound one does, at any rate and in any part of the range.
    #[test]
    fn the_doctor_leaves_sound_channels_alone(
        rate in prop_oneof![Just(20.0), Just(50.0), Just(100.0), Just(250.0), Just(1000.0)], hertz in 0.05..2.0f64,
        size in 200.0..900.0f64, noise in 0.4..4.0f64, form in 0..3usize, seed in 1..10_000u64,
    ) {
        let scale = Scale::linear(12, 3.3, 0.5, 100.0, "mm");
        let mut chance = Chance(seed);
        let raw: Vec<f64> = (0..4000)
            .map(|i| {
                let t = f64::from(i) / rate;
                let value = match form {
                    0 => size * (std::f64::consts::TAU * hertz * t).sin(),
                    1 => size * ((t * hertz).floor() % 3.0 - 1.0),
                    _ => 0.0,
                };
                (2000.0 + value + noise * chance.gauss()).round()
            })
            .collect();
        let fold = |pick: fn(f64, f64) -> f64| raw.iter().copied().fold(raw[0], pick);
        let ever = (fold(f64::min), fold(f64::max));
        let found = check_up(&[CheckedChannel { name: "x", scale: &scale, raw: raw.clone(), ever, step: 1.0, interval: 1.0 / rate }]);
        prop_assert!(found.is_empty(), "{found:?}");
    }

    /// The mains are found folded down, too: at any rate at which they do not fall on what stands still.
    #[test]
    fn the_mains_are_found_at_any_rate(
        rate in prop_oneof![Just(35.0), Just(80.0), Just(100.0), Just(200.0), Just(500.0), Just(1000.0)], sixty: bool,
        size in 6.0..60.0f64, seed in 1..10_000u64,
    ) {
        let mains: f64 = if sixty { 60.0 } else { 50.0 };
        let folded = (mains - (mains / rate).round() * rate).abs();
        prop_assume!(folded > 3.0);
        let scale = Scale::linear(12, 3.3, 0.0, 1.0, "V");
        let mut chance = Chance(seed);
        let hertz = mains * 1.0004;
        let raw: Vec<f64> = (0..3000)
            .map(|i| (1800.0 + size * (std::f64::consts::TAU * hertz * f64::from(i) / rate).sin() + 2.0 * chance.gauss()).round())
            .collect();
        let ever = (1800.0 - 2.0 * size, 2200.0 + 2.0 * size);
        let found = check_up(&[CheckedChannel { name: "x", scale: &scale, raw, ever, step: 1.0, interval: 1.0 / rate }]);
        let told: Vec<FaultKind> = found.iter().map(|finding| finding.kind_of_fault).collect();
        prop_assert!(told.contains(&FaultKind::Hum), "{found:?} at {rate}");
        let hum = found.iter().find(|finding| finding.kind_of_fault == FaultKind::Hum).unwrap();
        prop_assert!(hum.evidence.starts_with(&format!("{mains} Hz")), "{}", hum.evidence);
    }
}

#[test]
fn a_divider_that_sees_more_than_its_supply_is_told() {
    let mut scale = Scale::linear(12, 5.0, 0.0, 1.0, "");
    scale.steps.push(Step::of_kind("divider").unwrap());
    let mut chance = Chance(5);
    let raw: Vec<f64> = (0..1000).map(|_| (3000.0 + 2.0 * chance.gauss()).round()).collect();
    let found =
        check_up(&[CheckedChannel { name: "x", scale: &scale, raw, ever: (900.0, 3010.0), step: 1.0, interval: 0.01 }]);
    assert_eq!(found.len(), 1, "{found:?}");
    assert_eq!(found[0].kind_of_fault, FaultKind::Converter);
    assert!(found[0].evidence.contains("at a divider whose supply is 3.3 V"), "{}", found[0].evidence);
}
