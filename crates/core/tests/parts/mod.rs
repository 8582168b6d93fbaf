//! Parts of every kind, as a person might leave them, made from what the kinds say of themselves.

#![allow(dead_code, reason = "each test file takes what it needs")]

use amber_core::part::{Kind, Listed};
use amber_core::scale::{Calibration, Curve, Step};
use amber_core::smooth::Filter;
use proptest::prelude::*;

pub(crate) fn unit() -> impl Strategy<Value = String> {
    "[a-z°/µ\"\\\\]{0,4}"
}

/// Something that a person might type for a setting, with a nudge to make it a choice.
fn typed() -> impl Strategy<Value = (String, i32)> {
    let number = prop_oneof![
        (-200.0..200.0f64).prop_map(|x| x.to_string()),
        (0..30u32).prop_map(|x| x.to_string()),
        (1e2..1e6f64).prop_map(|x| x.to_string()),
        (1e-8..1e-2f64).prop_map(|x| x.to_string()),
        unit(),
    ];
    (number, -1..=1)
}

/// A part that is in force, of a kind that a person can add: each setting as it was, as an example of its own, as typed
/// or as nudged.
pub(crate) fn part<P: Listed + std::fmt::Debug>() -> impl Strategy<Value = P> {
    let kinds: Vec<&'static Kind> = P::KINDS.iter().filter(|kind| kind.is_added).collect();
    let touched = proptest::collection::vec((0..4u8, any::<prop::sample::Index>(), typed()), 8);
    (proptest::sample::select(kinds), touched).prop_map(|(kind, touched)| {
        let mut part = P::of_kind(kind.name).unwrap();
        for (index, (how, example, (text, by))) in touched.iter().enumerate() {
            let Some(view) = part.settings("V").into_iter().nth(index) else { break };
            match how {
                0 if !view.examples.is_empty() => {
                    part.set(index, view.examples[example.index(view.examples.len())]).unwrap()
                }
                // What does not fit is rejected, and the part stays as it was.
                1 => drop(part.set(index, text)),
                2 => part.nudge(index, *by, 0.001),
                _ => {}
            }
        }
        part
    })
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

fn calibration() -> impl Strategy<Value = Calibration> {
    let curve = proptest::sample::select(&Curve::ALL[..]);
    let factor = prop_oneof![-200.0..-0.01f64, 0.01..200.0f64];
    (curve, points(), proptest::collection::vec(factor, 4), unit()).prop_map(|(curve, points, mut terms, unit)| {
        terms.truncate(curve.terms());
        let residuals = points.iter().map(|point| point.1 / 100.0).collect();
        Calibration { date: "2026-03-04 10:00".into(), curve, terms, points, residuals, unit }
    })
}

/// A step that is in force.
pub(crate) fn step() -> impl Strategy<Value = Step> {
    prop_oneof![15 => part::<Step>(), 1 => calibration().prop_map(Step::from)]
}

/// A step, in force or bypassed.
pub(crate) fn any_step() -> impl Strategy<Value = Step> {
    (step(), any::<bool>()).prop_map(|(step, bypassed)| if bypassed { step.toggled() } else { step })
}

/// Filters, in force or bypassed.
pub(crate) fn filters() -> impl Strategy<Value = Vec<Filter>> {
    let filter = (part::<Filter>(), any::<bool>());
    let filter = filter.prop_map(|(filter, bypassed)| if bypassed { filter.toggled() } else { filter });
    proptest::collection::vec(filter, 0..3)
}
