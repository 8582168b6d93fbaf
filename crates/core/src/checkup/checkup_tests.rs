use super::*;
use crate::chance::Chance;

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
