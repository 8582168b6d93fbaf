//! Stage 3 as a whole: every step against its own way back, whole scales against a walk through them.

#[path = "parts/mod.rs"]
mod parts;

use amber_core::Stamp;
use amber_core::part::{Kind, Listed};
use amber_core::scale::{Divider, ResistorSeries, Scale, Step, Thermistor, advise};
use amber_core::smooth::Filter;
use amber_core::watch::condition::{Answer, Test};
use amber_core::watch::{Carried, Watch, Watcher};
use proptest::prelude::*;

/// Values that make sense in front of a step.
fn before(step: &Step, share: f64) -> f64 {
    match step {
        Step::Converter(converter) => (share * converter.top_code()).round(),
        Step::Divider(divider) if !divider.ohms_to_volts => divider.supply(3.3) * (0.02 + 0.96 * share),
        Step::Divider(divider) => divider.fixed * 10f64.powf(share * 4.0 - 2.0),
        Step::Thermistor(Thermistor { ohms, .. }) => ohms * 10f64.powf(share * 2.0 - 1.0),
        Step::Steinhart(_) => 10f64.powf(2.0 + share * 4.0),
        _ => share * 12.0 - 6.0,
    }
}

fn close(a: f64, b: f64, size: f64) -> bool {
    (a.is_nan() && b.is_nan()) || (a - b).abs() <= 1e-8 * (1.0 + a.abs() + b.abs() + size)
}

fn typed_as_it_stands<P: Listed + std::fmt::Debug>(part: &P, by: i32) -> Result<(), TestCaseError> {
    prop_assert_eq!(part.fault(), None);
    for (i, view) in part.settings("V").iter().enumerate() {
        let mut typed = part.clone();
        if !view.typed.is_empty() {
            prop_assert_eq!(typed.set(i, &view.typed), Ok(()), "{}", view.name);
            prop_assert_eq!(&typed, part, "{}", view.name);
        }
        let mut nudged = part.clone();
        nudged.nudge(i, by, 0.001);
        prop_assert_eq!(nudged.fault(), None);
        let is_refused = typed.set(i, "rubbish 1 2 3").is_err();
        let is_text = view.typed == view.shown && view.range.is_empty() || view.name == "reference";
        prop_assert_eq!(is_refused, !is_text, "{}", view.name);
    }
    Ok(())
}

/// Every kind is called as the files call it, is sound when it is fresh, and says what it does.
#[test]
fn every_kind_describes_itself() {
    fn all<P: Listed + serde::Serialize>() {
        for kind in P::KINDS {
            let fresh = P::of_kind(kind.name).unwrap();
            let written = toml_edit::ser::to_document(&fresh).unwrap();
            assert_eq!((written["kind"].as_str(), fresh.kind()), (Some(kind.name), kind.name));
            assert!(!kind.help.is_empty() && (!kind.is_added || fresh.fault().is_none()), "{}", kind.name);
            let views = fresh.settings("V");
            assert!(views.iter().all(|view| !view.name.is_empty() && !view.help.is_empty()), "{}", kind.name);
            for (i, text) in
                views.iter().enumerate().flat_map(|(i, view)| view.examples.iter().map(move |text| (i, text)))
            {
                assert_eq!(fresh.clone().set(i, text), Ok(()), "{}: {text}", kind.name);
            }
        }
    }
    all::<Step>();
    all::<Filter>();
    all::<Test>();
    all::<Answer>();
}

/// The tables of the guide are these descriptions.
#[test]
fn the_guide_lists_every_kind_with_its_settings() {
    fn rows<P: Listed>() -> String {
        let row = |kind: &Kind| {
            let settings = P::of_kind(kind.name).unwrap().settings("").into_iter().map(|view| match &view.range[..] {
                "" => view.name.to_owned(),
                range => format!("{}: {range}", view.name),
            });
            format!("| {} | {} | {} |\n", kind.name, kind.help, settings.collect::<Vec<_>>().join("; "))
        };
        P::KINDS.iter().map(row).collect()
    }
    let guide = include_str!("../../../docs/guide.md");
    for rows in [rows::<Step>(), rows::<Filter>(), rows::<Test>(), rows::<Answer>()] {
        assert!(guide.contains(&rows), "docs/guide.md lacks:\n{rows}");
    }
}

#[test]
fn a_threshold_goes_through_bent_scales_and_says_where_it_cannot() {
    let thermistor: Vec<Step> =
        ["converter", "divider", "thermistor"].map(|kind| Step::of_kind(kind).unwrap()).to_vec();
    let scale = Scale { unit: String::new(), steps: thermistor };
    let counts = Watch { threshold: 2048.0, hysteresis: 20.0, ..Watch::default() };
    let Carried::Moved(celsius) = counts.carried(&Scale::default(), &scale, f64::NAN, None) else { panic!("lost") };
    assert!((celsius.threshold - 25.0).abs() < 1e-6 && (celsius.hysteresis - 0.44).abs() < 0.02, "{celsius:?}");
    // Where a step has no way back the way is looked for between the least and the most that was seen.
    let absolute = Scale { steps: vec![Step::of_kind("absolute").unwrap()], ..Scale::default() };
    let found = |ends| celsius.carried(&scale, &absolute, f64::NAN, ends);
    assert!(matches!(found(None), Carried::Moved(Watch { threshold, .. }) if (threshold - 2048.0).abs() < 1e-3));
    let there = |ends| counts.carried(&absolute, &scale, f64::NAN, ends);
    assert_eq!((there(None), there(Some((0.0, 100.0)))), (Carried::Lost, Carried::Lost));
    assert!(
        matches!(there(Some((0.0, 4095.0))), Carried::Moved(Watch { threshold, .. }) if (threshold - 25.0).abs() < 1e-3)
    );
}

#[test]
fn a_divider_takes_its_supply_from_the_converter_unless_it_is_typed() {
    let mut scale = Scale::linear(12, 5.0, 0.0, 1.0, "");
    scale.steps.push(Step::of_kind("divider").unwrap());
    let ohms = |scale: &Scale, reference: f64| {
        let (walked, ran) =
            (scale.walk(1024.0, reference)[scale.steps.len()], scale.scaler().quantity(1024.0, reference));
        assert!(walked == ran || (walked.is_nan() && ran.is_nan()));
        ran
    };
    assert!((ohms(&scale, f64::NAN) - 10_000.0 / 3.0).abs() < 1e-6, "a quarter of the converter's 5 V");
    scale.steps[1].set(1, "2.5").unwrap();
    assert!((ohms(&scale, f64::NAN) - 10_000.0).abs() < 1e-6, "half of the 2.5 V that were typed");
    scale.steps[1].set(1, "reference").unwrap();
    scale.steps[0].set(1, "rail").unwrap();
    assert!((ohms(&scale, 4.71) - 10_000.0 / 3.0).abs() < 1e-6, "of what the channel says");
    scale.steps.remove(0);
    assert!(ohms(&scale, 3.3).is_nan(), "no converter, no supply");
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 2000, ..ProptestConfig::default() })]

    #[test]
    fn every_step_finds_its_way_back(step in parts::step(), share in 0.0..1.0f64, reference in 0.5..12.0f64) {
        prop_assert_eq!(step.fault(), None);
        let x = before(&step, share);
        let y = step.apply(x, reference);
        prop_assert!(step.apply(f64::NAN, reference).is_nan(), "a gap stays a gap");
        if let Some(back) = step.inverse(y, reference).filter(|back| y.is_finite() && back.is_finite()) {
            let again = step.apply(back, reference);
            prop_assert!((again - y).abs() <= 1e-6 * (1.0 + y.abs()), "{step:?}: {x} -> {y} -> {back} -> {again}");
        }
    }

    #[test]
    fn a_scale_that_is_ready_to_run_says_what_a_walk_through_its_steps_says(
        steps in proptest::collection::vec(parts::any_step(), 0..6), raw in proptest::collection::vec(-20.0..4096.0f64, 1..20),
        reference in 0.5..12.0f64,
    ) {
        let scale = Scale { unit: String::new(), steps };
        prop_assume!(scale.fault().is_none());
        let scaler = scale.scaler();
        for raw in &raw {
            let walked = scale.walk(*raw, reference);
            let (walked, largest) = (*walked.last().unwrap(), walked.iter().fold(0.0, |a: f64, b| a.max(b.abs())));
            let ran = scaler.quantity(*raw, reference);
            // Rounding and steep curves turn the last digit of one way of reckoning into a whole step of the other.
            let bends = scale.steps.iter().any(|step| {
                let straight = step.inverse(1.0, 1.0).is_some() && (1..9).all(|i| {
                    let [a, b, c] = [-1.0, 0.0, 1.0].map(|d| step.apply(f64::from(i) * 500.0 + d, 1.0));
                    close(b, (a + c) / 2.0, 0.0)
                });
                !straight && !matches!(step.kind(), "absolute" | "clamp")
            });
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
    fn what_is_shown_of_a_part_can_be_typed_and_changes_nothing(
        step in parts::any_step(), filter in parts::part::<Filter>(), by in prop_oneof![Just(1), Just(-1)],
    ) {
        typed_as_it_stands(&step, by)?;
        typed_as_it_stands(&filter, by)?;
    }

    /// A threshold stays at the same place of the signal, whatever is put into the scale or taken out of it.
    #[test]
    fn a_threshold_keeps_its_meaning_over_edits_of_the_scale(
        steps in proptest::collection::vec(parts::step(), 1..5), inserted: prop::sample::Index, threshold in 500.0..3500.0f64,
        hysteresis in 0.0..300.0f64, raw in proptest::collection::vec(0.0..4096.0f64, 2..60),
    ) {
        let lines = ["converter", "offset", "gain", "sensitivity", "sign"];
        let steps: Vec<Step> = steps.into_iter().filter(|step| lines.contains(&step.kind())).collect();
        let mut scale = Scale { unit: String::new(), steps };
        // Beyond twelve digits of what is added nothing is left of the signal.
        let size = scale.walk(4096.0, 3.3).iter().chain(&scale.walk(0.0, 3.3)).fold(0.0, |most: f64, x| most.max(x.abs()));
        let (factor, _) = scale.scaler().line().unwrap_or((1.0, 0.0));
        prop_assume!(scale.fault().is_none() && scale.scaler().reference().is_none() && factor.abs() * 100.0 > size * 1e-6);
        let sides = |scale: &Scale, watch: Watch| {
            let (mut watcher, scaler) = (Watcher::new(watch, 0), scale.scaler());
            let values: Vec<f64> = raw.iter().map(|raw| scaler.quantity(*raw, f64::NAN)).collect();
            watcher.extend(&vec![Stamp(0); values.len()], &values);
            let now = watcher.now();
            (now.rises, now.falls)
        };
        let watch = Watch { threshold, hysteresis, ..Watch::default() };
        let before = sides(&Scale::default(), watch);
        let falls = factor < 0.0;
        let mut told = watch;
        if let Carried::Moved(moved) = watch.carried(&Scale::default(), &scale, f64::NAN, None) {
            told = moved;
        }
        let after = sides(&scale, told);
        prop_assert_eq!(before, if falls { (after.1, after.0) } else { after }, "{:?} {:?}", watch, told);
        // A zero that is taken leaves its number; the way back gives the old threshold.
        let carried = told.carried(&scale, &Scale::default(), f64::NAN, None);
        let back = if let Carried::Moved(back) = carried { back } else { told };
        prop_assert!((back.threshold - threshold).abs() < 1e-2, "{:?} {:?}", back, watch);
        let before = scale.clone();
        scale.steps.insert(inserted.index(scale.steps.len() + 1), Step::of_kind("zero").unwrap());
        prop_assert_eq!(told.carried(&before, &scale, f64::NAN, None), Carried::Same);
    }

    #[test]
    fn no_resistor_of_the_series_swings_more_than_the_advised_one(
        least in 10.0..1e5f64, times in 1.05..100.0f64, supply in 1.0..12.0f64, high: bool,
    ) {
        let divider = Divider { fixed: 1.0, supply: None, sensor_at_supply: high, ohms_to_volts: false };
        let found = advise(&divider, supply, least, least * times, supply / 4096.0, ResistorSeries::E24, 5);
        let swing = |fixed: f64| {
            let divider = Divider { fixed, ..divider.clone() };
            (divider.volts(least * times, supply) - divider.volts(least, supply)).abs()
        };
        prop_assert_eq!(found.len(), 5);
        prop_assert!((found[0].swing - swing(found[0].fixed)).abs() < 1e-12);
        let best = swing(least * times.sqrt());
        prop_assert!(found[0].swing <= best + 1e-12 && found[0].swing > 0.99 * best, "{:?} against {best}", found[0]);
        prop_assert!(found.windows(2).all(|pair| pair[0].swing >= pair[1].swing));
        // The resolution is that of the coarser end: one code further, and the ohms have moved by as much.
        let fixed = Divider { fixed: found[0].fixed, ..divider.clone() };
        let ends = [least, least * times].map(|ohms| {
            let volts = fixed.volts(ohms, supply);
            let at = |volts: f64| fixed.ohms(volts, supply);
            (at(volts + supply / 8192.0 * 0.01) - at(volts - supply / 8192.0 * 0.01)).abs() * 100.0
        });
        let coarsest = ends[0].max(ends[1]);
        prop_assert!((found[0].resolution - coarsest).abs() < coarsest * 1e-3, "{} {coarsest}", found[0].resolution);
    }
}
