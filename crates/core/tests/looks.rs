//! Survey and doctor on made-up travels and channels of many kinds: what is there is found, what is not there is not told.

#[path = "../src/chance.rs"]
mod chance;

use amber_core::Stamp;
use amber_core::bench::{Bench, ChannelSettings, SourceSettings};
use amber_core::chain::Chain;
use amber_core::checkup::{CheckedChannel, FaultKind, check_up, fall};
use amber_core::part::Listed;
use amber_core::scale::{Scale, Step};
use amber_core::store::Limits;
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
        let found = check_up(&[CheckedChannel { name: "x", scale: &scale, raw: raw.clone(), ever, fall: None, step: 1.0, interval: 1.0 / rate }]);
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
        let found = check_up(&[CheckedChannel { name: "x", scale: &scale, raw, ever, fall: None, step: 1.0, interval: 1.0 / rate }]);
        let told: Vec<FaultKind> = found.iter().map(|finding| finding.kind_of_fault).collect();
        prop_assert!(told.contains(&FaultKind::Hum), "{found:?} at {rate}");
        let hum = found.iter().find(|finding| finding.kind_of_fault == FaultKind::Hum).unwrap();
        prop_assert!(hum.evidence.starts_with(&format!("{mains} Hz")), "{}", hum.evidence);
    }
}

#[test]
fn a_divider_that_sees_more_than_its_supply_is_told() {
    let mut scale = Scale::linear(12, 5.0, 0.0, 1.0, "");
    let mut divider = Step::of_kind("divider").unwrap();
    divider.set(1, "3.3").unwrap();
    scale.steps.push(divider);
    let mut chance = Chance(5);
    let raw: Vec<f64> = (0..1000).map(|_| (3000.0 + 2.0 * chance.gauss()).round()).collect();
    let found = check_up(&[CheckedChannel {
        name: "x",
        scale: &scale,
        raw,
        ever: (900.0, 3010.0),
        fall: None,
        step: 1.0,
        interval: 0.01,
    }]);
    assert_eq!(found.len(), 1, "{found:?}");
    assert_eq!(found[0].kind_of_fault, FaultKind::Converter);
    assert!(found[0].evidence.contains("at a divider whose supply is 3.3 V"), "{}", found[0].evidence);
}

/// What is said of a channel that gave these raw values at 100 rows a second, with or without its converter set.
fn said(raw: impl Iterator<Item = f64>, converter: bool) -> Vec<(FaultKind, String)> {
    let scale = if converter { Scale::linear(12, 3.3, 0.5, 100.0, "mm") } else { Scale::default() };
    let settings = ChannelSettings { scale: scale.clone(), ..ChannelSettings::named("x") };
    let source = SourceSettings { channel: vec![settings], ..SourceSettings::default() };
    let mut chain = Chain::new(&Bench::of(source), 0, Limits::default());
    chain.begin();
    for (i, x) in raw.enumerate() {
        chain.feed(Stamp::default().plus(i as f64 * 0.01), format!("x={}\n", x.round().clamp(0.0, 4095.0)).as_bytes());
    }
    let (channel, store) = (&chain.channels()[0], chain.store());
    let rows = store.rows();
    let newest = rows.end.saturating_sub(2048)..rows.end;
    let found = check_up(&[CheckedChannel {
        name: "x",
        scale: &scale,
        raw: newest.filter_map(|row| store.raw(0, row)).collect(),
        ever: channel.ends().unwrap(),
        fall: fall(channel, 0, store, rows),
        step: channel.raw_step(),
        interval: 0.01,
    }]);
    found.into_iter().map(|finding| (finding.kind_of_fault, finding.evidence)).collect()
}

#[test]
fn power_that_is_lost_in_the_middle_of_a_run_is_told_however_long_ago_and_nothing_like_it() {
    for seed in 1..6 {
        let mut chance = Chance(seed);
        let mut flicker = move || 8.0 + 4.0 * chance.gauss();
        let wave = |t: f64| 1800.0 + 900.0 * (t * 3.0).sin();
        let time = |seconds: u32| (0..seconds * 100).map(|i| f64::from(i) * 0.01);
        for gone in [5.0, 40.0, 65.0] {
            for converter in [true, false] {
                let found = said(time(70).map(|t| if t < gone { wave(t) } else { flicker() }), converter);
                assert_eq!(found.len(), 1, "{found:?}");
                assert_eq!(found[0].0, FaultKind::Unpowered);
                assert!(found[0].1.contains(" ago, where it never was before: as when power is lost"), "{found:?}");
            }
        }
        for converter in [true, false] {
            // Turned down within a second; at zero before; back again; only just fallen.
            let down = said(
                time(70).map(|t| if t < 40.0 { wave(t) } else { (wave(40.0) * (41.0 - t)).max(0.0) + flicker() }),
                converter,
            );
            let before = said(time(70).map(|t| if (10.0..40.0).contains(&t) { wave(t) } else { flicker() }), converter);
            let again = said(time(70).map(|t| if (40.0..50.0).contains(&t) { flicker() } else { wave(t) }), converter);
            let just = said(time(70).map(|t| if t < 69.0 { wave(t) } else { flicker() }), converter);
            for (what, found) in [("down", down), ("before", before), ("again", again), ("just", just)] {
                assert!(found.iter().all(|(kind, _)| *kind != FaultKind::Unpowered), "{what}: {found:?}");
            }
        }
        // From the start: with the converter at once, without it where the flicker of a pin is plain.
        for converter in [true, false] {
            let found = said(time(30).map(|_| flicker().max(0.0)), converter);
            assert!(found[..].iter().any(|(kind, _)| *kind == FaultKind::Unpowered), "{found:?}");
        }
        for sound in [said(time(30).map(|t| 18.0 + t / 10.0), false), said(time(30).map(|t| (t / 3.0).floor()), false)]
        {
            assert_eq!(sound, [], "degrees and counts are small, too");
        }
    }
}
