//! Stage 3 as a whole: every step against its own way back, whole scales against a walk through them.

#[path = "steps/mod.rs"]
mod steps;

use amber_core::scale::{Divider, ResistorSeries, Scale, Step, advise};
use proptest::prelude::*;

/// Values that make sense in front of a step.
fn before(step: &Step, share: f64) -> f64 {
    match step {
        Step::Converter(converter) => (share * converter.top_code()).round(),
        Step::Divider(divider) if !divider.back => divider.supply * (0.02 + 0.96 * share),
        Step::Divider(divider) => divider.fixed * 10f64.powf(share * 4.0 - 2.0),
        Step::Thermistor { ohms, .. } => ohms * 10f64.powf(share * 2.0 - 1.0),
        Step::Steinhart { .. } => 10f64.powf(2.0 + share * 4.0),
        _ => share * 12.0 - 6.0,
    }
}

fn close(a: f64, b: f64, size: f64) -> bool {
    (a.is_nan() && b.is_nan()) || (a - b).abs() <= 1e-8 * (1.0 + a.abs() + b.abs() + size)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 2000, ..ProptestConfig::default() })]

    #[test]
    fn every_step_finds_its_way_back(step in steps::step(), share in 0.0..1.0f64, reference in 0.5..12.0f64) {
        prop_assert_eq!(step.fault(), None);
        let x = before(&step, share);
        let y = step.apply(x, reference);
        prop_assert!(step.apply(f64::NAN, reference).is_nan(), "a gap stays a gap");
        match step.inverse(y, reference) {
            // Not every sheet's numbers give a temperature everywhere.
            Some(back) if y.is_finite() => prop_assert!(close(back, x, 0.0), "{step:?}: {x} -> {y} -> {back}"),
            Some(_) => prop_assert!(matches!(step, Step::Thermistor { .. } | Step::Steinhart { .. }), "{step:?} at {x}"),
            None => {
                let single = !matches!(
                    step, Step::Absolute | Step::Clamp { .. } | Step::Decimals { .. } | Step::Polynomial { .. } | Step::Calibration(_)
                );
                prop_assert!(!single, "{step:?} has a way back");
            }
        }
    }

    #[test]
    fn a_scale_that_is_ready_to_run_says_what_a_walk_through_its_steps_says(
        steps in proptest::collection::vec(steps::any_step(), 0..6), raw in proptest::collection::vec(-20.0..4096.0f64, 1..20),
        reference in 0.5..12.0f64,
    ) {
        let scale = Scale { unit: String::new(), steps };
        let scaler = scale.scaler();
        for raw in &raw {
            let walked = scale.walk(*raw, reference);
            let (walked, largest) = (*walked.last().unwrap(), walked.iter().fold(0.0, |a: f64, b| a.max(b.abs())));
            let ran = scaler.quantity(*raw, reference);
            // Rounding and steep curves turn the last digit of one way of reckoning into a whole step of the other.
            let bends = scale.steps.iter().any(|step| !matches!(step, Step::Passed { .. }) && !matches!(
                step, Step::Offset { .. } | Step::Zero { .. } | Step::Gain { .. } | Step::Sensitivity { .. } | Step::Sign
                    | Step::Converter(_) | Step::Range { .. } | Step::Absolute | Step::Clamp { .. }
            ));
            prop_assert!(bends || close(ran, walked, largest), "{ran} {walked}");
        }
        // One at a time and many at once are the same to the last bit.
        if scaler.reference().is_none() {
            let mut many = raw.clone();
            scaler.quantities(&mut many);
            for (raw, many) in raw.iter().zip(many) {
                prop_assert_eq!(scaler.quantity(*raw, f64::NAN).to_bits(), many.to_bits());
            }
        }
    }

    #[test]
    fn full_scale_is_what_the_codes_at_the_ends_give(
        bits in 1..=24u8, reference in 0.5..12.0f64, offset in -5.0..5.0f64, gain in 0.01..200.0f64, share in 0.0..1.0f64, falls: bool,
    ) {
        let scale = Scale::linear(bits, reference, offset, if falls { -gain } else { gain }, "x");
        let scaler = scale.scaler();
        let (low, high) = scale.full_scale().unwrap();
        let raw = (share * (2f64.powi(i32::from(bits)) - 1.0)).round();
        let quantity = scaler.quantity(raw, f64::NAN);
        prop_assert!(quantity >= low - 1e-9 && quantity <= high + 1e-9);
        let step = (scaler.quantity(raw + 1.0, f64::NAN) - quantity).abs();
        prop_assert!((step - scale.resolution(1.0)).abs() <= step * 1e-6 + 1e-9);
    }

    #[test]
    fn a_part_that_is_typed_as_it_stands_changes_nothing(step in steps::step(), by in prop_oneof![Just(1), Just(-1)]) {
        for (i, part) in step.parts("V").iter().enumerate() {
            let mut typed = step.clone();
            if !step.is_choice(i) && !part.typed.is_empty() && typed.set_part(i, &part.typed).is_ok() {
                prop_assert_eq!(&typed, &step, "{}", part.name);
            }
            let mut nudged = step.clone();
            nudged.nudge_part(i, by, 0.001);
            prop_assert_eq!(nudged.fault(), None);
            let is_text = matches!(part.name, "unit behind" | "reference" | "made" | "taken");
            prop_assert_eq!(typed.set_part(i, "rubbish 1 2 3").is_ok(), is_text, "{}", part.name);
        }
    }

    #[test]
    fn no_resistor_of_the_series_swings_more_than_the_advised_one(
        least in 10.0..1e5f64, times in 1.05..100.0f64, supply in 1.0..12.0f64, high: bool,
    ) {
        let divider = Divider { fixed: 1.0, supply, high, back: false };
        let found = advise(&divider, least, least * times, supply / 4096.0, ResistorSeries::E24, 5);
        let swing = |fixed: f64| {
            let divider = Divider { fixed, ..divider.clone() };
            (divider.volts(least * times) - divider.volts(least)).abs()
        };
        prop_assert_eq!(found.len(), 5);
        prop_assert!((found[0].swing - swing(found[0].fixed)).abs() < 1e-12);
        let best = swing(least * times.sqrt());
        prop_assert!(found[0].swing <= best + 1e-12 && found[0].swing > 0.99 * best, "{:?} against {best}", found[0]);
        prop_assert!(found.windows(2).all(|pair| pair[0].swing >= pair[1].swing));
        // The resolution is that of the coarser end: one code further, and the ohms have moved by as much.
        let fixed = Divider { fixed: found[0].fixed, ..divider.clone() };
        let ends = [least, least * times].map(|ohms| {
            let volts = fixed.volts(ohms);
            (fixed.ohms(volts + supply / 8192.0 * 0.01) - fixed.ohms(volts - supply / 8192.0 * 0.01)).abs() * 100.0
        });
        let coarsest = ends[0].max(ends[1]);
        prop_assert!((found[0].resolution - coarsest).abs() < coarsest * 1e-3, "{} {coarsest}", found[0].resolution);
    }
}
