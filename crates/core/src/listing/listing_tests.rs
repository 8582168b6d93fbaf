use super::*;
use crate::chance::Chance;
use crate::scale::Scale;
use crate::smooth::{Butterworth, Exponential, Filter, Mean, Pass, SavitzkyGolay, Settled, Strength};
use crate::watch::Watch;

fn raw(rows: usize) -> Vec<f64> {
    let mut chance = Chance(8);
    let value = |row: usize| {
        let spike = if row % 97 == 50 { 900.0 } else { 0.0 };
        let step = if row > rows / 2 { 300.0 } else { 0.0 };
        (1500.0 + 400.0 * (row as f64 * 0.03).sin() + step + spike + 6.0 * chance.gauss()).round()
    };
    (0..rows).map(value).collect()
}

fn settings(smooth: Vec<Filter>) -> ChannelSettings {
    let mut scale = Scale::linear(12, 3.3, 0.4, 62.5, "mm");
    scale.steps.push(Step::of_kind("decimals").unwrap());
    let watch = Some(Watch { threshold: 60.0, hysteresis: 4.0, ..Watch::default() });
    ChannelSettings { scale, smooth, watch, ..ChannelSettings::named("gauge") }
}

fn smooth_of(settings: &ChannelSettings) -> Vec<String> {
    settings.smooth.iter().map(Filter::short).collect()
}

#[test]
fn the_listing_of_every_filter_gives_what_the_chain_gives() {
    let raw = raw(3000);
    let mut lists: Vec<Vec<Filter>> =
        Filter::KINDS.iter().map(|kind| vec![Filter::of_kind(kind.name).unwrap()]).collect();
    lists.push(vec![Mean { window: Strength::Seconds(0.055) }.into(), Filter::of_kind("median").unwrap()]);
    lists.push(vec![SavitzkyGolay { at_newest: true, degree: 4, ..SavitzkyGolay::default() }.into()]);
    lists.push(vec![Exponential { time_constant: Strength::Seconds(0.3) }.into()]);
    lists.push(vec![Settled { band: 60.0, seconds: 0.1 }.into()]);
    for pass in [Pass::Low, Pass::High, Pass::Band] {
        lists.push(vec![Butterworth { pass, order: 5, cutoff: 1.0, upper: 9.0 }.into()]);
    }
    lists.push(Vec::new());
    for smooth in lists {
        let settings = settings(smooth);
        let text = floating_point(&settings, 0.01).unwrap();
        let checked = Checked::of(&text, &settings, 0.01, &raw, 1.0).unwrap_or_else(|wrong| panic!("{wrong}\n{text}"));
        // Numbers are written with twelve digits. A channel that never settles gives nothing.
        let never = smooth_of(&settings) == ["settled 1 s"];
        assert!(checked.largest <= 1e-8 * checked.span.max(1.0), "{checked:?}\n{text}");
        assert!((never || checked.rows > 1000) && checked.states == 0, "{checked:?}\n{text}");
    }
}

#[test]
fn the_listing_of_every_step_gives_what_the_scale_gives() {
    for kind in Step::KINDS.iter().filter(|kind| kind.is_added) {
        let mut scale = Scale::linear(12, 3.3, 0.0, 1.0, "");
        scale.steps.push(Step::of_kind(kind.name).unwrap());
        let settings = ChannelSettings { scale, ..ChannelSettings::named("x") };
        let text = floating_point(&settings, 0.01).unwrap();
        let checked =
            Checked::of(&text, &settings, 0.01, &raw(500), 1.0).unwrap_or_else(|wrong| panic!("{wrong}\n{text}"));
        assert!(checked.largest <= 1e-6 * checked.span.max(1.0), "{}: {checked:?}\n{text}", kind.name);
    }
    let points = vec![(0.0, 5.0), (0.7, 9.0), (1.4, -3.0), (2.0, 40.0)];
    let scale = Scale {
        unit: String::new(),
        steps: vec![
            Step::of_kind("converter").unwrap(),
            crate::scale::Table { points, unit: "l".into() }.into(),
            crate::scale::Polynomial { terms: vec![1.0, -2.0, 0.5], unit: String::new() }.into(),
        ],
    };
    let settings = ChannelSettings { scale, ..ChannelSettings::named("x") };
    let text = floating_point(&settings, 0.01).unwrap();
    let checked = Checked::of(&text, &settings, 0.01, &raw(500), 1.0).unwrap();
    assert!(checked.largest < 1e-5, "{checked:?}\n{text}");
}

#[test]
fn whole_numbers_are_right_to_their_last_digit() {
    let raw = raw(3000);
    for smooth in [
        Vec::new(),
        vec![Mean { window: Strength::Rows(16) }.into()],
        vec![Exponential { time_constant: Strength::Rows(8) }.into()],
    ] {
        let mut settings = settings(smooth);
        settings.scale.steps.pop();
        let (text, units) = fixed_point(&settings, 0.01).unwrap();
        let checked =
            Checked::of(&text, &settings, 0.01, &raw, units).unwrap_or_else(|wrong| panic!("{wrong}\n{text}"));
        let lsb = settings.scale.resolution(1.0);
        assert!(checked.largest < 1.5 * lsb && checked.rows > 2000, "{checked:?} {lsb}\n{text}");
    }
    let wrong = fixed_point(&settings(vec![Filter::of_kind("median").unwrap()]), 0.01).unwrap_err();
    assert!(wrong.contains("straight line"), "{wrong}");
}

#[test]
fn a_wrong_line_is_told_by_its_number() {
    assert!(Listing::read("x = 1\ny = 2 +\n").unwrap_err().starts_with("line 2: "));
    assert!(Listing::read("window w = last 0 of x").unwrap_err().contains("1 to"));
    assert!(Listing::read("nonsense").is_err());
}

#[test]
fn a_resistor_and_a_capacitor_make_the_cut_off() {
    for cutoff in [0.5, 5.0, 33.0, 1200.0] {
        for source in [0.0, 4700.0] {
            match low_pass(cutoff, source) {
                Some(found) => {
                    assert!((found.cutoff / cutoff).ln().abs() < 0.35, "{found:?}");
                    assert!(found.seen <= MOST_OHMS && (found.seen - source - found.ohms).abs() < 1e-9);
                }
                None => assert!(cutoff < 1.0, "{cutoff} Hz needs no more than 10 uF"),
            }
        }
    }
}
