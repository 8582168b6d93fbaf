use super::*;

fn named(kind: &str) -> Step {
    Step::of_kind(kind).unwrap()
}

#[test]
fn a_count_becomes_volts_becomes_millimetres() {
    let scale = Scale::linear(12, 3.3, 0.5, 81.3, "mm");
    assert!((scale.volts(2210.0, f64::NAN).unwrap() - 1.78051758).abs() < 1e-8);
    let walk = scale.walk(2210.0, f64::NAN);
    assert_eq!(walk.len(), 4);
    assert!((walk[3] - (2210.0 * 3.3 / 4096.0 - 0.5) * 81.3).abs() < 1e-9);
    assert_eq!((0..4).map(|i| scale.unit_behind(i)).collect::<Vec<_>>(), ["", "V", "V", "mm"]);
    assert!((scale.resolution(1.0) - 0.0655).abs() < 1e-4);
    assert_eq!(scale.file_decimals(), Some(3));
    assert!(Scale::default().is_plain() && Scale::default().full_scale().is_none());
}

#[test]
fn both_meanings_of_the_top_code_and_shares_of_full_scale() {
    let volts = |converter: Converter, raw: f64| Step::from(converter).apply(raw, 4.71);
    let typed = Reference::Volts(5.0);
    let twelve = Converter { bits: Some(10), reference: typed.clone(), top_is_reference: false };
    assert_eq!(volts(twelve.clone(), 1023.0), 5.0 * 1023.0 / 1024.0);
    assert!((volts(Converter { top_is_reference: true, ..twelve.clone() }, 1023.0) - 5.0).abs() < 1e-12);
    assert_eq!(volts(Converter { bits: None, ..twelve.clone() }, 0.5), 2.5);
    let by_channel = Converter { reference: Reference::Channel("vref".into()), ..twelve };
    assert!((volts(by_channel, 512.0) - 4.71 / 2.0).abs() < 1e-12);
}

/// A thermistor of 10 k at 25 degrees and a beta of 3950, over 10 k at 3.3 V: ohms worked out by hand.
#[test]
fn a_thermistor_by_divider_and_beta() {
    let mut scale = Scale::linear(12, 3.3, 0.0, 1.0, "");
    scale.steps.push(named("divider"));
    scale.steps.push(named("thermistor"));
    let read = |count: f64| *scale.walk(count, f64::NAN).last().unwrap();
    assert!((read(2048.0) - 25.0).abs() < 1e-9);
    // 0 degrees: 10 k exp(3950 (1/273.15 - 1/298.15)) = 33 620.6 ohms, 3.3 V x 33 620.6/43 620.6 = 2.54348 V.
    assert!((read(2.54348 / 3.3 * 4096.0) - 0.0).abs() < 0.001);
    assert_eq!((scale.unit_behind(2), scale.unit()), ("Ω", "°C"));
    assert!(read(0.0).is_nan(), "no ohms at all are no temperature");
    assert!(scale.resolution(1.0) > 0.02 && scale.resolution(1.0) < 0.1, "{}", scale.resolution(1.0));
    assert_eq!(decimals(scale.resolution(1.0)), 1);
}

#[test]
fn zero_moves_and_stands_before_what_only_trims() {
    let mut scale = Scale::linear(12, 3.3, 0.5, 100.0, "mm");
    scale.steps.extend([named("clamp"), named("decimals")]);
    scale.take_zero(2210.0, f64::NAN, "10:00".into());
    assert_eq!(scale.steps.iter().map(Step::kind).collect::<Vec<_>>()[2..], ["gain", "zero", "clamp", "decimals"]);
    assert_eq!(*scale.walk(2210.0, f64::NAN).last().unwrap(), 0.0);
    scale.take_zero(2300.0, f64::NAN, "10:01".into());
    assert_eq!(scale.steps.len(), 6);
    assert_eq!(*scale.walk(2300.0, f64::NAN).last().unwrap(), 0.0);
    assert_eq!(scale.decimals(), Some(1));
}

#[test]
fn a_calibration_replaces_what_stands_behind_the_sensor() {
    let mut scale = Scale::linear(12, 3.3, 0.5, 100.0, "mm");
    let calibration = Calibration {
        date: "today".into(),
        curve: Curve::Line,
        terms: vec![-50.0, 100.0],
        points: vec![(0.5, 0.0), (2.5, 200.0)],
        residuals: vec![0.0, 0.0],
        unit: "mm".into(),
    };
    scale.calibrate(calibration.clone());
    assert_eq!(scale.steps.iter().map(Step::kind).collect::<Vec<_>>(), ["converter", "calibration"]);
    assert!((scale.walk(2.0 / 3.3 * 4096.0, f64::NAN)[2] - 150.0).abs() < 1e-9);
    assert_eq!(calibration.span(), 200.0);
    let broken = Calibration { terms: vec![1.0], ..calibration };
    assert!(Step::Calibration(broken).fault().is_some());
}

#[test]
fn steps_are_typed_nudged_and_refused_with_a_reason() {
    let mut step = named("converter");
    step.set(1, "4.71").unwrap();
    step.set(0, "0 to 1").unwrap();
    assert_eq!(step.short(), "0-1 4.71 V");
    step.set(1, "supply").unwrap();
    assert_eq!(step.short(), "0-1 supply");
    assert!(step.set(0, "99").unwrap_err().contains("1 to 32"));
    let mut gain = named("gain");
    gain.set(0, "1/0.04").unwrap();
    gain.nudge(0, 1, 1.0);
    assert_eq!(gain, Step::from(Gain { factor: 25.5, unit: String::new() }));
    assert!(gain.set(0, "0").unwrap_err().contains("other than 0"));
    let mut table = named("table");
    table.set(0, "2 100, 0 0, 1.2 50").unwrap();
    assert_eq!(table.settings("V")[0].typed, "0 0, 1.2 50, 2 100");
    assert!(table.set(0, "1 2, 1 3").is_err());
    let mut offset = named("offset");
    (0..3).for_each(|_| offset.nudge(0, 1, 0.0008));
    assert_eq!(offset, Step::from(Offset { subtract: 0.003 }));
}
