//! What a person reads: axes, digits, scales and filters over any values, against what they promise.

#[path = "parts/mod.rs"]
mod parts;

use amber_core::Stamp;
use amber_core::axis::{FitAxis, round_step, ticks};
use amber_core::clock::RateMeter;
use amber_core::digits::{cleaned, decimals, fixed, grouped, set_value, short, typed};
use amber_core::part::Listed;
use amber_core::smooth::{Filter, Smoother};
use amber_core::stats::Noise;
use amber_core::store::{Limits, Store};
use amber_core::watch::{Side, Watch, Watcher};
use proptest::prelude::*;

fn at(seconds: f64) -> Stamp {
    Stamp::default().plus(seconds)
}

proptest! {
    #[test]
    fn an_axis_always_holds_its_data_between_round_limits(
        data in proptest::collection::vec((-1e6..1e6f64, 0.0..1e5f64, 0.0..2.0f64), 1..60), step in 0.0..10.0f64,
    ) {
        let mut axis = FitAxis::default();
        let mut now = 0.0;
        for (low, size, wait) in data {
            now += wait;
            axis.update(at(now), Some((low, low + size)), step);
            let (bottom, top) = axis.limits().unwrap();
            prop_assert!(bottom <= low && low + size <= top, "{low}..{} outside {bottom}..{top}", low + size);
            prop_assert!(top > bottom && (top - bottom).is_finite());
            let (values, places) = ticks(bottom, top, 5);
            prop_assert!((2..=6).contains(&values.len()), "{values:?}");
            for value in values {
                prop_assert!((bottom - 1e-6..=top + 1e-6).contains(&value));
                let read: f64 = fixed(value, places).parse().unwrap();
                prop_assert!((read - value).abs() <= (top - bottom) * 1e-6 + 1e-9, "a label says what its tick is");
            }
        }
    }

    #[test]
    fn round_steps_are_one_two_or_five(size in 1e-9..1e9f64) {
        let step = round_step(size);
        let lead = step / 10f64.powf((step * (1.0 + 1e-9)).log10().floor());
        prop_assert!([1.0, 2.0, 5.0].iter().any(|round| (lead - round).abs() < 1e-6), "{step}");
        prop_assert!(step >= size * (1.0 - 1e-6) && step <= size * 2.5 * (1.0 + 1e-6));
    }

    /// What was set is told in few digits, is the same to these digits when it is typed again, and has no exponent within reason.
    #[test]
    fn a_value_that_was_set_is_told_in_few_digits_and_read_again(digits in -99_999_999..99_999_999i64, power in -9..9i32, unit in proptest::sample::select(&["", "V", "Ω", "mm"][..])) {
        let value = digits as f64 * 10f64.powi(power);
        let text = short(value, 6);
        let read: f64 = text.parse().unwrap();
        prop_assert!((read - value).abs() <= value.abs() * 5.1e-6, "{} {}", value, text);
        prop_assert!(!text.starts_with("-0") || text.starts_with("-0."), "{}", text);
        prop_assert!(!text.contains('e') || !(1e-9..1e15).contains(&value.abs()), "{}", text);
        prop_assert!(!text.contains('.') || !text.ends_with('0') || text.contains('e'), "no digit that says nothing: {}", text);
        let told = set_value(value, unit);
        if let Ok(again) = typed(&told) {
            prop_assert!((again - value).abs() <= value.abs() * 5.1e-6, "{} {}", value, told);
        }
    }

    /// What is written to files loses nothing that a person could have meant: twelve digits, six decimals, whole numbers.
    #[test]
    fn cleaning_a_value_takes_its_rounding_away_and_nothing_else(value in -1e12..1e12f64, places in 0..9i32) {
        let clean = cleaned(value);
        prop_assert!((clean - value).abs() <= (value.abs() * 1e-11).min(1e-6 + value.abs() * 1e-14), "{} {}", value, clean);
        prop_assert_eq!(cleaned(clean), clean, "once is enough");
        // A sum that should have few decimals has them again.
        let tidy = (value * 10f64.powi(places)).round() / 10f64.powi(places);
        let digits = tidy.abs().max(1.0).log10() as i32 + 1 + places;
        if digits <= 12 {
            prop_assert_eq!(cleaned((tidy + 0.1) - 0.1), tidy);
        }
    }

    #[test]
    fn a_number_on_the_screen_is_right_to_half_its_last_digit(value in -1e8..1e8f64, resolution in 1e-6..1e3f64) {
        let places = decimals(resolution);
        let text = fixed(value, places);
        let read: f64 = text.parse().unwrap();
        prop_assert!((read - value).abs() <= 0.5 * 10f64.powi(-(places as i32)) * (1.0 + 1e-6));
        prop_assert!(10f64.powi(-(places as i32)) >= resolution * 0.999 || places == 0, "no digit finer than a step");
        prop_assert!(!text.starts_with("-0.") || read != 0.0);
    }

    #[test]
    fn grouping_only_adds_gaps(number: u64) {
        let text = grouped(number);
        prop_assert_eq!(text.replace(' ', ""), number.to_string());
        prop_assert!(text.split(' ').skip(1).all(|group| group.len() == 3));
    }

    #[test]
    fn filters_keep_to_what_they_saw_and_forget_at_a_break(
        values in proptest::collection::vec(-1e3..1e3f64, 1..80),
        filters in parts::filters(),
    ) {
        let mut smoother = Smoother::new(&filters);
        let (mut least, mut most) = (f64::MAX, f64::MIN);
        // These weigh some rows negatively, or give what is left when something was taken out.
        let may_leave = |filter: &Filter| ["butterworth", "notch", "savitzky-golay"].contains(&filter.kind());
        let may_leave = filters.iter().any(|filter| !filter.is_bypassed() && may_leave(filter));
        for (i, value) in values.iter().enumerate() {
            (least, most) = (least.min(*value), most.max(*value));
            let smoothed = smoother.push(at(i as f64), *value);
            prop_assert!(smoothed.is_nan() || may_leave || (least - 1e-9..=most + 1e-9).contains(&smoothed));
            prop_assert!(smoothed.is_nan() || smoothed.abs() < 1e6, "{}", smoothed);
            prop_assert!(smoother.push(at(i as f64), f64::NAN).is_nan());
        }
        smoother.reset();
        let fresh = Smoother::new(&filters).push(at(1e3), 7.5);
        let after = smoother.push(at(1e3), 7.5);
        prop_assert!(after == fresh || (after.is_nan() && fresh.is_nan()), "nothing from before the break is left");
    }

    #[test]
    fn crossings_alternate_and_a_wide_band_counts_no_noise(values in proptest::collection::vec(-10.0..10.0f64, 1..200), threshold in -8.0..8.0f64, band in 0.0..30.0f64) {
        let mut watcher = Watcher::new(Watch { threshold, hysteresis: band, ..Watch::default() }, 0);
        watcher.extend(&vec![Stamp(0); values.len()], &values);
        prop_assert!(watcher.now().rises.abs_diff(watcher.now().falls) <= 1);
        if band > 2.0 * (10.0 + threshold.abs()) {
            prop_assert_eq!((watcher.now().side, watcher.now().rises), (Side::Unknown, 0));
        }
    }

    #[test]
    fn the_rate_is_right_for_any_even_pace(interval in 0.0005..5.0f64) {
        let mut meter = RateMeter::default();
        let rows = (4.0 / interval).max(8.0) as u32;
        (0..rows).for_each(|i| meter.row(at(f64::from(i) * interval)));
        let rate = meter.rate(at(f64::from(rows - 1) * interval));
        prop_assert!((rate * interval - 1.0).abs() < 0.05, "{rate} for {}", 1.0 / interval);
    }

    #[test]
    fn the_store_finds_rows_by_time_as_a_scan_does(steps in proptest::collection::vec(0..5i64, 1..300), probe in 0..1500i64) {
        let mut store = Store::new(Limits::default());
        store.widen(1);
        let mut time = 0;
        let mut times = Vec::new();
        for step in steps {
            time += step;
            times.push(time);
            store.extend(&[Stamp(time)], &[Stamp(time)], [&[time as f64][..]]);
        }
        let first = times.iter().position(|t| *t >= probe).unwrap_or(times.len()) as u64;
        prop_assert_eq!(store.first_at(Stamp(probe)), first);
        let between = store.between(Stamp(probe), Stamp(probe + 20));
        let expected = times.iter().filter(|t| (probe..=probe + 20).contains(*t)).count() as u64;
        prop_assert_eq!(between.end - between.start, expected);
    }
}

#[test]
fn noise_of_one_count_is_not_hidden_and_a_ramp_is_no_noise() {
    let (mut ramp, mut flicker) = (Noise::default(), Noise::default());
    for i in 0..500 {
        ramp.push(f64::from(i) * 3.0);
        flicker.push(f64::from(i % 2));
    }
    assert!(ramp.deviation().unwrap() < 1e-9);
    assert!(flicker.deviation().unwrap() > 0.3);
    assert_eq!(Noise::default().deviation(), None);
}
