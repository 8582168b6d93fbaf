use super::*;
use crate::chance::Chance;
use crate::part::Listed;

fn raw(seed: u64, value: impl Fn(f64, f64) -> f64) -> Vec<f64> {
    let mut chance = Chance(seed);
    (0..2048).map(|i| value(f64::from(i) * 0.01, chance.gauss()).round().clamp(0.0, 4095.0)).collect()
}

fn patient<'a>(name: &'a str, scale: &'a Scale, raw: Vec<f64>) -> CheckedChannel<'a> {
    let ends = raw.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(*v), b.max(*v)));
    CheckedChannel { name, scale, raw, ever: ends, fall: None, step: 1.0, interval: 0.01 }
}

fn complaints(scale: &Scale, raw: Vec<f64>) -> Vec<FaultKind> {
    check_up(&[patient("x", scale, raw)]).into_iter().map(|finding| finding.kind_of_fault).collect()
}

fn wave(t: f64, hertz: f64) -> f64 {
    (std::f64::consts::TAU * hertz * t).sin()
}

#[test]
fn each_complaint_is_found_and_a_sound_channel_has_none() {
    let scale = Scale::linear(12, 3.3, 0.0, 1.0, "V");
    let look = |seed: u64, value: &dyn Fn(f64, f64) -> f64| complaints(&scale, raw(seed, value));
    for seed in 1..20 {
        assert_eq!(look(seed, &|t, n| 2000.0 + 900.0 * wave(t, 0.8) + 2.0 * n), [], "waves");
        assert_eq!(look(seed, &|t, n| 1000.0 + 120.0 * t + 2.0 * n), [], "a sump that fills");
        assert_eq!(look(seed, &|t, n| if t < 9.0 { 900.0 + n } else { 2500.0 + n }), [], "a step");
        assert_eq!(look(seed, &|_, n| 2000.0 + 1.5 * n), [], "rest");
        assert_eq!(look(seed, &|t, n| 2000.0 + 4.0 * wave(t, 50.03) + 2.0 * n), [FaultKind::Hum]);
        assert_eq!(
            look(seed, &|t, n| 2000.0 + 600.0 * wave(t, 60.0) + 90.0 * wave(t, 0.1) + 20.0 * n),
            [FaultKind::Floating]
        );
        assert_eq!(look(seed, &|_, n| 2000.0 + 40.0 * n), [FaultKind::Noisy]);
        assert_eq!(look(seed, &|t, n| 2000.0 + 2.0 * t + 1.5 * n), [FaultKind::Drifting, FaultKind::SmallRange]);
        assert_eq!(look(seed, &|t, n| 3600.0 + 700.0 * wave(t, 0.5) + n), [FaultKind::Clipped]);
        assert_eq!(look(seed, &|_, n| 12.0 + 2.0 * n), [FaultKind::Unpowered]);
    }
    assert_eq!(look(1, &|_, _| 2210.0), [FaultKind::Stuck]);
    assert_eq!(
        look(1, &|t, n| ((2000.0 + 900.0 * wave(t, 0.8) + 30.0 * n) / 16.0).round() * 16.0),
        [FaultKind::Converter, FaultKind::Noisy]
    );
    let ten = Scale::linear(10, 3.3, 0.0, 1.0, "V");
    assert_eq!(complaints(&ten, raw(1, |t, n| 2000.0 + 900.0 * wave(t, 0.8) + n)), [FaultKind::Converter]);
    assert_eq!(complaints(&scale, vec![2210.0; 20]), [], "too little was seen");
}

#[test]
fn an_open_pin_that_follows_its_neighbour_is_told_and_real_relations_are_not() {
    let scale = Scale::linear(12, 3.3, 0.0, 1.0, "V");
    let gate = raw(1, |t, n| 2000.0 + 300.0 * wave(t, 0.3) + 3.0 * n);
    let open: Vec<f64> = gate.iter().map(|value| (value * 0.92 + 40.0).round()).collect();
    // Two real sensors of the same water, each with noise of its own.
    let other = raw(2, |t, n| 1500.0 + 280.0 * wave(t, 0.3) + 3.0 * n);
    let findings =
        check_up(&[patient("gate", &scale, gate), patient("other", &scale, other), patient("spare", &scale, open)]);
    assert_eq!(findings.len(), 1, "{findings:?}");
    assert_eq!((findings[0].channel, findings[0].kind_of_fault), (2, FaultKind::Together));
    assert!(findings[0].evidence.contains("gate"), "{findings:?}");
}

#[test]
fn shares_of_full_scale_are_judged_as_codes_are_and_without_a_converter_little_is() {
    let mut shares = Scale::linear(12, 3.3, 0.0, 1.0, "V");
    shares.steps[0].set(0, "0 to 1").unwrap();
    let look = |value: &dyn Fn(f64, f64) -> f64| {
        let raw: Vec<f64> = raw(4, |t, n| 4095.0 * value(t, n)).iter().map(|code| code / 4095.0).collect();
        let patient = CheckedChannel { step: 1e-4, ..patient("x", &shares, raw) };
        check_up(&[patient]).into_iter().map(|finding| (finding.kind_of_fault, finding.evidence)).collect::<Vec<_>>()
    };
    assert_eq!(look(&|t, n| 0.5 + 0.2 * wave(t, 0.8) + 0.0004 * n), [], "waves");
    for (value, fault, evidence) in [
        (
            &(|_, n| 0.003 + 0.0005 * n) as &dyn Fn(f64, f64) -> f64,
            FaultKind::Unpowered,
            "% of full scale: as from a sensor",
        ),
        (
            &|t, n| 0.9 + 0.2 * wave(t, 0.5) + 0.0005 * n,
            FaultKind::Clipped,
            "at the converter's end, 100.0 % of full scale",
        ),
        (
            &|t, n| 0.5 + 0.15 * wave(t, 60.0) + 0.02 * wave(t, 0.1) + 0.004 * n,
            FaultKind::Floating,
            "% of full scale with the 60 Hz",
        ),
        (&|_, _| 0.5, FaultKind::Stuck, "without any change"),
    ] {
        let found = look(value);
        assert!(found.len() == 1 && found[0].0 == fault && found[0].1.contains(evidence), "{found:?}");
    }
    let bare = Scale::default();
    assert!(lacks_converter(&bare) && !lacks_converter(&shares));
    for value in [&(|t, n| 3600.0 + 700.0 * wave(t, 0.5) + n) as &dyn Fn(f64, f64) -> f64, &|_, n| 2000.0 + 40.0 * n] {
        assert_eq!(complaints(&bare, raw(3, value)), [], "clipped and noisy need the converter's range");
    }
}
