//! Steps of every kind, as a person might leave them.

use amber_core::scale::{Calibration, Converter, Curve, Divider, Reference, Step};
use proptest::prelude::*;

pub(crate) fn unit() -> impl Strategy<Value = String> {
    "[a-z°/µ\"\\\\]{0,4}"
}

fn points() -> impl Strategy<Value = Vec<(f64, f64)>> {
    proptest::collection::vec((0.01..3.0f64, 0.01..50.0f64), 2..6).prop_map(|steps| {
        let (mut x, mut y) = (-2.0, -20.0);
        let next = |(dx, dy): (f64, f64)| {
            (x, y) = (x + dx, y + dy);
            (x, y)
        };
        steps.into_iter().map(next).collect()
    })
}

fn factor() -> impl Strategy<Value = f64> {
    prop_oneof![-200.0..-0.01f64, 0.01..200.0f64]
}

fn calibration() -> impl Strategy<Value = Calibration> {
    let curve = proptest::sample::select(&Curve::ALL[..]);
    (curve, points(), proptest::collection::vec(factor(), 4), unit()).prop_map(|(curve, points, mut terms, unit)| {
        terms.truncate(curve.terms());
        let residuals = points.iter().map(|point| point.1 / 100.0).collect();
        Calibration { date: "2026-03-04 10:00".into(), curve, terms, points, residuals, unit }
    })
}

/// A step that is in force.
pub(crate) fn step() -> impl Strategy<Value = Step> {
    let reference = prop_oneof![
        3 => (0.5..12.0f64).prop_map(Reference::Volts),
        1 => "[a-z]{1,5}".prop_map(Reference::Channel)
    ];
    let converter = (proptest::option::of(1..=24u8), reference, any::<bool>())
        .prop_map(|(bits, reference, top)| Step::Converter(Converter { bits, reference, top }));
    let divider = (10.0..1e6f64, 0.5..24.0f64, any::<bool>(), any::<bool>())
        .prop_map(|(fixed, supply, high, back)| Step::Divider(Divider { fixed, supply, high, back }));
    let thermistor = (100.0..1e6f64, -20.0..60.0f64, 1000.0..6000.0f64)
        .prop_map(|(ohms, celsius, beta)| Step::Thermistor { ohms, celsius, beta });
    let steinhart = (0.5e-3..2e-3f64, 1e-4..4e-4f64, prop_oneof![Just(0.0), 1e-8..3e-7f64])
        .prop_map(|(a, b, c)| Step::Steinhart { a, b, c });
    let range = (-5.0..5.0f64, factor(), -5.0..5.0f64, factor(), unit()).prop_map(|(a, da, b, db, unit)| Step::Range {
        from: (a, a + da),
        to: (b, b + db),
        unit,
    });
    prop_oneof![
        converter,
        (-5.0..5.0f64).prop_map(|by| Step::Offset { by }),
        (factor(), unit()).prop_map(|(by, unit)| Step::Gain { by, unit }),
        (factor(), unit()).prop_map(|(by, unit)| Step::Sensitivity { by, unit }),
        Just(Step::Sign),
        Just(Step::Absolute),
        (-9.0..0.0f64, 0.1..9.0f64).prop_map(|(low, high)| Step::Clamp { low, high }),
        (0..=9u8).prop_map(|places| Step::Decimals { places }),
        (-5.0..5.0f64, "[0-9:]{0,8}").prop_map(|(by, taken)| Step::Zero { by, taken }),
        divider,
        (points(), unit()).prop_map(|(points, unit)| Step::Table { points, unit }),
        (proptest::collection::vec(factor(), 1..5), unit()).prop_map(|(terms, unit)| Step::Polynomial { terms, unit }),
        thermistor,
        steinhart,
        range,
        calibration().prop_map(Step::Calibration),
    ]
}

/// A step, in force or passed by.
#[allow(dead_code, reason = "each test file takes what it needs")]
pub(crate) fn any_step() -> impl Strategy<Value = Step> {
    (step(), any::<bool>()).prop_map(|(step, passed)| if passed { Step::Passed { step: Box::new(step) } } else { step })
}
