//! The decimals of channels, against those that a careful person would write.

use amber_core::Stamp;
use amber_core::bench::{Bench, ChannelSettings, SourceSettings};
use amber_core::chain::Chain;
use amber_core::clock::Time;
use amber_core::digits::fixed;
use amber_core::formula::{Formula, Program};
use amber_core::levels::Level;
use amber_core::scale::Scale;
use amber_core::store::Limits;
use proptest::prelude::*;

/// What the board sends in row `i`: counts, shares of full scale, degrees and minutes, milliseconds, volts.
fn line(i: u32) -> String {
    let share = f64::from(i % 400) / 400.0;
    format!(
        "x={} y={} share={share:.4} degrees=52 minutes={:.4} ms={} volts={:.3} lat={:.7}\n",
        340 + i % 7,
        200 + i % 11,
        31.0 + f64::from(i) * 0.0003,
        1_732_012_345_678u64 + u64::from(i) * 10,
        1.2 + f64::from(i % 13) * 0.011,
        52.123_456_7 + f64::from(i) * 1e-7,
    )
}

fn decimals(chain: &Chain, name: &str) -> usize {
    let channel = chain.channels().iter().find(|channel| channel.name() == name).unwrap();
    assert!(channel.decimals() == channel.raw_decimals() || !channel.settings().scale.is_plain());
    channel.decimals()
}

/// A chain to which so many rows came, in pieces of so many, with these channels set up.
fn chain(channel: &[ChannelSettings], pieces: u32, rows: u32) -> Chain {
    let source = SourceSettings { channel: channel.to_vec(), ..SourceSettings::default() };
    let mut chain = Chain::new(&Bench::of(source), 0, Limits::default());
    chain.begin();
    for first in (0..rows).step_by(pieces as usize) {
        let text: String = (first..(first + pieces).min(rows)).map(line).collect();
        chain.feed(Stamp::default().plus(f64::from(first) * 0.01), text.as_bytes());
    }
    chain
}

fn computed(text: &str) -> ChannelSettings {
    ChannelSettings { formula: Formula::new(text).ok(), ..ChannelSettings::named("computed") }
}

#[test]
fn a_computed_channel_has_the_decimals_of_what_it_is_computed_of() {
    for (formula, places) in [
        ("x / 1000", 3),
        ("x * 2", 0),
        ("x", 0),
        ("(x + y) / 2", 0),
        ("x / 10 + y", 1),
        ("volts", 3),
        ("volts * 2", 2),
        ("volts * 1000", 0),
        ("volts / 3", 3),
        ("volts^2", 2),
        ("sqrt(volts)", 3),
        ("lat", 7),
        ("lat - 52", 7),
        ("degrees + minutes / 60", 5),
        ("ms", 0),
        ("ms / 1000", 3),
        ("length(x, y)", 0),
        ("x > y", 0),
        // The other branch is never taken.
        ("x > y ? 10 : 20.5", 0),
        ("x > y ? 10.5 : 20", 1),
        ("round(x / 7)", 0),
        ("round(x / 7 * 10) / 10", 1),
        ("ifgap(1 / (x - x), volts)", 3),
        ("prev(volts)", 3),
        ("hold(volts)", 3),
        ("diff(volts)", 3),
        ("rate(x)", 0),
        ("rate(volts)", 1),
        ("running_max(volts)", 3),
        ("running_min(x) / 100", 2),
        ("integral(volts)", 4),
        ("angle(x, y)", 1),
        ("3.5", 1),
        ("pi", 3),
        ("1 / 0", 3),
        ("'not there' + 1", 3),
    ] {
        // Rows of one piece have one time, so that no rate is known in the last eight of a large one.
        let most = if formula.starts_with("rate") || formula.starts_with("integral") { 7 } else { 500 };
        for pieces in [1, 7, most] {
            let found = decimals(&chain(&[computed(formula)], pieces, 500), "computed");
            assert_eq!(found, places, "{formula}, in pieces of {pieces} rows");
        }
    }
}

#[test]
fn a_scale_gives_decimals_to_its_channel_and_to_what_is_computed_of_it() {
    let shares = ChannelSettings { scale: Scale::linear(12, 3.3, 0.0, 1.0, "V"), ..ChannelSettings::named("x") };
    let gain = ChannelSettings { scale: Scale::linear(12, 3.3, 0.1, 50.0, "mm"), ..ChannelSettings::named("x") };
    for (x, own, formula, places) in [
        (&shares, 3, "x * 2", 2),
        (&shares, 3, "raw(x) / 10", 1),
        (&gain, 1, "x / 1000", 4),
        (&gain, 1, "smoothed(x) - x", 1),
    ] {
        let chain = chain(&[x.clone(), computed(formula)], 25, 500);
        assert_eq!(["x", "computed"].map(|name| decimals(&chain, name)), [own, places], "{formula}");
    }
    // A channel that is computed of a computed one.
    let second = ChannelSettings { formula: Formula::new("computed / 10").ok(), ..ChannelSettings::named("second") };
    let chain = chain(&[second, computed("x / 1000")], 25, 500);
    assert_eq!(decimals(&chain, "second"), 4);
    let row = chain.store().rows().end - 1;
    let shown = |name: &str| {
        let at = chain.channels().iter().position(|channel| channel.name() == name).unwrap();
        fixed(chain.reading(at, row).unwrap().quantity, decimals(&chain, name))
    };
    assert_eq!(["second", "ms", "lat"].map(shown), ["0.0342", "1732012350668", "52.1235066"]);
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, ..ProptestConfig::default() })]

    /// Of a straight line the step is that of its input times the slope, whatever the values are and however many rows there
    /// were; of a sum it is the finest; a difference to the row before and what it held last have it, too.
    #[test]
    fn the_step_of_a_straight_line_is_its_slope_times_the_step_of_its_input(
        slope in 1e-6..1e6f64, shift in -1e3..1e3f64, values in proptest::collection::vec(-1000..1000i32, 1..9), places in 0..5i32,
    ) {
        let step = 10f64.powi(-places);
        let row = |(i, x): (usize, &i32)| (Stamp(i as i64 * 10_000_000), vec![f64::from(*x) * step, f64::from(*x % 7)]);
        let rows: Vec<(Stamp, Vec<f64>)> = values.iter().enumerate().map(row).collect();
        let of = |text: String, steps: &[f64]| Program::parse(&text).unwrap().step(&rows, steps);
        let own = of(format!("a * {slope} + {shift}"), &[step]);
        prop_assert!(own.is_from_inputs && (own.size / (slope * step) - 1.0).abs() < 1e-4, "{:?} {}", own, slope * step);
        let sum = of(format!("a * {slope} + b * {slope} * 1000"), &[step, 1.0]);
        prop_assert!((sum.size / (slope * step) - 1.0).abs() < 1e-3, "the finest counts: {:?}", sum);
        let unknown = of(format!("a * {slope} + b"), &[step, f64::NAN]);
        prop_assert!((unknown.size / (slope * step) - 1.0).abs() < 1e-3, "an unknown step says nothing: {:?}", unknown);
        if values.len() >= 5 {
            let diff = of("diff(a)".into(), &[step]);
            prop_assert!((diff.size / step - 1.0).abs() < 1e-3, "{:?}", diff);
        }
        let held = of("prev(hold(a)) + 0 * a".into(), &[step]);
        prop_assert!(held.size.is_nan() || (held.size / step - 1.0).abs() < 1e-3, "{:?}", held);
    }

    /// However the rows came, the levels of a computed channel are the same.
    #[test]
    fn levels_of_a_computed_channel_do_not_depend_on_how_its_rows_came(pieces in 1..400u32, slope in 1..2000u32) {
        let levels = |pieces: u32| {
            let source = SourceSettings { channel: vec![computed(&format!("x / {slope} + y"))], ..SourceSettings::default() };
            let time = Time::Rate { hz: 100.0 };
            let mut chain = Chain::new(&Bench::of(SourceSettings { time, ..source }), 0, Limits::default());
            chain.begin();
            let row = |i: u32| format!("x={} y={}\n", i * 7919 % 13, i / 400 * 50);
            for first in (0..1600).step_by(pieces as usize) {
                let text: String = (first..(first + pieces).min(1600)).map(row).collect();
                chain.feed(Stamp::default().plus(f64::from(first) * 0.01), text.as_bytes());
            }
            let channel = chain.channels().iter().find(|channel| channel.name() == "computed").unwrap();
            let found = |level: &Level| (level.rows.clone(), level.mean.to_bits());
            channel.levels().found().iter().map(found).collect::<Vec<_>>()
        };
        let one = levels(1);
        prop_assert!(one.len() >= 3, "{:?}", one);
        prop_assert_eq!(levels(pieces), one);
    }
}
