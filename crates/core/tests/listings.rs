//! Listings for a board against the chain, for scales, filters and thresholds as a person might leave them.

mod parts;

use amber_core::bench::ChannelSettings;
use amber_core::listing::{Checked, fixed_point, floating_point, unlike_at_first};
use amber_core::scale::Scale;
use amber_core::smooth::{Exponential, Filter, Mean, Strength};
use amber_core::watch::Watch;
use proptest::prelude::*;

/// Codes of a converter: a slow walk with noise, spikes and rests.
fn codes() -> impl Strategy<Value = Vec<f64>> {
    let stretch = (10..120usize, 100..4000i32, 0..40i32, any::<u32>());
    proptest::collection::vec(stretch, 4..9).prop_map(|stretches| {
        let mut out = Vec::new();
        for (rows, level, noise, seed) in stretches {
            let mut random = seed | 1;
            for row in 0..rows {
                random ^= random << 13;
                random ^= random >> 17;
                random ^= random << 5;
                let off = (random % (2 * noise as u32 + 1)) as i32 - noise;
                let spike = if row % 37 == 20 { 3000 } else { 0 };
                out.push(f64::from((level + off + spike).clamp(0, 4095)));
            }
        }
        out
    })
}

fn settings() -> impl Strategy<Value = ChannelSettings> {
    let scale =
        proptest::collection::vec(parts::any_step(), 0..4).prop_map(|steps| Scale { steps, ..Scale::default() });
    (scale, parts::filters(), proptest::option::of((-100.0..4000.0f64, 0.0..50.0f64))).prop_map(
        |(scale, smooth, watch)| {
            // Where a value is compared with a limit, the last digit of what a scale gives may decide.
            let decides =
                |filter: &Filter| matches!(filter, Filter::Spikes(_) | Filter::DeadBand(_) | Filter::Settled(_));
            let scale = if smooth.iter().any(decides) { Scale::default() } else { scale };
            let watch = watch.map(|(threshold, hysteresis)| Watch { threshold, hysteresis, ..Watch::default() });
            ChannelSettings { scale, smooth, watch, ..ChannelSettings::named("a") }
        },
    )
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 1000, max_global_rejects: 100_000, ..ProptestConfig::default() })]

    #[test]
    fn a_listing_does_what_the_chain_does_or_is_refused_with_a_reason(
        settings in settings(), codes in codes(), micros in prop_oneof![Just(10_000), Just(1_000_000), 1_000..200_000u32],
    ) {
        let interval = f64::from(micros) * 1e-6;
        prop_assume!(settings.scale.fault().is_none());
        // What a step says of a reading that cannot be, such as a resistance below 0, is a gap in the chain alone.
        let scaler = settings.scale.scaler();
        prop_assume!(codes.iter().all(|code| scaler.quantity(*code, f64::NAN).abs() < 1e12));
        // What holds a value may hold one from a start that differs for as long as it likes.
        let holds = |filter: &Filter| {
            matches!(filter, Filter::RateLimit(_) | Filter::DeadBand(_) | Filter::Settled(_) | Filter::Spikes(_))
        };
        prop_assume!(unlike_at_first(&settings, interval) == 0 || !settings.smooth.iter().any(holds));
        match floating_point(&settings, interval) {
            Err(why) => prop_assert!(!why.is_empty()),
            Ok(text) => {
                let checked = Checked::of(&text, &settings, interval, &codes, 1.0);
                let checked = checked.map_err(|wrong| TestCaseError::fail(format!("{wrong}\n{text}")))?;
                prop_assert!(checked.largest <= checked.allowed(), "{:?}\n{}", checked, text);
            }
        }
    }

    #[test]
    fn whole_numbers_are_right_to_a_few_steps_of_the_converter_or_refused(
        codes in codes(), bits in 8..14u8, offset in -5.0..5.0f64, gain in prop_oneof![0.01..300.0f64, -300.0..-0.01f64],
        filter in proptest::option::of((any::<bool>(), 1..80u32)),
    ) {
        let smooth = filter.map(|(is_mean, rows)| {
            let strength = Strength::Rows(rows);
            if is_mean { Mean { window: strength }.into() } else { Exponential { time_constant: strength }.into() }
        });
        let scale = Scale::linear(bits, 3.3, offset, gain, "mm");
        let lsb = scale.resolution(1.0).abs();
        let settings = ChannelSettings { scale, smooth: smooth.into_iter().collect(), ..ChannelSettings::named("a") };
        let top = f64::from((1u32 << bits) - 1);
        let codes: Vec<f64> = codes.iter().map(|code| code.min(top)).collect();
        let Ok((text, units)) = fixed_point(&settings, 0.01) else { return Ok(()) };
        let checked = Checked::of(&text, &settings, 0.01, &codes, units);
        let checked = checked.map_err(|wrong| TestCaseError::fail(format!("{wrong}\n{text}")))?;
        prop_assert!(checked.largest <= 2.0 * lsb + 2e-3 * checked.span && checked.rows == codes.len(), "{:?} {}\n{}", checked, lsb, text);
    }
}
