use super::*;
use crate::part::Part;
use proptest::prelude::*;

/// A filter of each kind with this strength.
fn each(strength: Strength) -> [Filter; 3] {
    [
        Mean { window: strength }.into(),
        Median { window: strength }.into(),
        Exponential { time_constant: strength }.into(),
    ]
}

/// The definition, over all rows so far, for checking.
fn plain(filter: &Filter, rows: &[(f64, f64)]) -> f64 {
    let (now, value) = *rows.last().unwrap();
    if value.is_nan() {
        return f64::NAN;
    }
    let sound: Vec<_> = rows.iter().filter(|(_, v)| !v.is_nan()).collect();
    let (Filter::Mean(Mean { window: strength })
    | Filter::Median(Median { window: strength })
    | Filter::Exponential(Exponential { time_constant: strength })) = *filter
    else {
        return value;
    };
    let mut window: Vec<f64> = match strength {
        Strength::Rows(n) => sound.iter().rev().take(n as usize).map(|(_, v)| *v).collect(),
        Strength::Seconds(s) => {
            sound.iter().filter(|(t, _)| *t == now || now - t < s - 1e-12).map(|(_, v)| *v).collect()
        }
    };
    match filter {
        Filter::Mean(_) => window.iter().sum::<f64>() / window.len() as f64,
        Filter::Median(_) => {
            window.sort_by(f64::total_cmp);
            let n = window.len();
            (window[(n - 1) / 2] + window[n / 2]) / 2.0
        }
        _ => {
            let mut level = sound[0].1;
            for pair in sound.windows(2) {
                let k = match strength {
                    Strength::Rows(n) => 1.0 / f64::from(n),
                    Strength::Seconds(tau) => (pair[1].0 - pair[0].0) / tau,
                };
                level += (1.0 - (-k).exp()) * (pair[1].1 - level);
            }
            level
        }
    }
}

proptest! {
    #[test]
    fn filters_one_behind_another_keep_to_their_definition(
        values in proptest::collection::vec(prop_oneof![9 => -1e4..1e4f64, 1 => Just(f64::NAN)], 1..120),
        kinds in proptest::collection::vec((0..3usize, any::<bool>()), 1..4),
        strength in prop_oneof![(1..30u32).prop_map(Strength::Rows), (1..40u32).prop_map(|n| Strength::Seconds(f64::from(n) * 0.0099))],
    ) {
        let bypassed = |(kind, is_bypassed): &(usize, bool)| {
            let filter = each(strength)[*kind].clone();
            if *is_bypassed { filter.toggled() } else { filter }
        };
        let filters: Vec<Filter> = kinds.iter().map(bypassed).collect();
        let mut smoother = Smoother::new(&filters);
        let rows: Vec<(f64, f64)> = values.iter().enumerate().map(|(i, v)| (i as f64 * 0.01, *v)).collect();
        // What each filter gives, of what the one before gives.
        let wanted = filters.iter().fold(rows.clone(), |rows, filter| {
            (1..=rows.len()).map(|n| (rows[n - 1].0, plain(filter, &rows[..n]))).collect()
        });
        for ((t, v), (_, want)) in rows.into_iter().zip(wanted) {
            let got = smoother.push(Stamp::default().plus(t), v);
            // Sums of at most 120 values of 1e4 in doubles are exact to about 1e-9.
            prop_assert!((got.is_nan() && want.is_nan()) || (got - want).abs() < 1e-7, "{got} {want}");
        }
    }
}

#[test]
fn a_median_of_a_long_window_is_that_of_its_sorted_values() {
    let median = Filter::from(Median { window: Strength::Rows(3000) });
    let (mut smoother, mut state) = (Smoother::new(std::slice::from_ref(&median)), 1u32);
    let mut rows = Vec::new();
    for i in 0..9000 {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        // Many values are equal, as those of a converter are.
        rows.push((f64::from(i), f64::from(state >> 24) + f64::from(i / 2000) * 100.0));
        let got = smoother.push(Stamp::default().plus(f64::from(i)), rows[rows.len() - 1].1);
        if i % 97 == 0 {
            assert_eq!(got, plain(&median, &rows), "row {i}");
        }
    }
}

#[test]
fn a_huge_value_leaves_nothing_behind_once_it_has_left_the_window() {
    for huge in [3.4e38, 18_446_744_073_709_551_615.0, -1e300] {
        let mut smoother = Smoother::new(&[Mean { window: Strength::Rows(4) }.into()]);
        let mut push = |i: u32, value| smoother.push(Stamp::default().plus(f64::from(i)), value);
        (0..9).for_each(|i| assert_eq!(push(i, 2.0), 2.0));
        push(9, huge);
        (10..13).for_each(|i| assert!(push(i, 2.0).abs() > 1e18));
        (13..1100).for_each(|i| assert_eq!(push(i, 2.0), 2.0, "{huge} at row {i}"));
    }
    for filter in each(Strength::Rows(4)) {
        let mut smoother = Smoother::new(std::slice::from_ref(&filter));
        let mut push = |i: u32, value| smoother.push(Stamp::default().plus(f64::from(i)), value);
        let huge = [1.7e308, 1.7e308, -1.7e308, 1.7e308, -1.7e308];
        (0..5).zip(huge).for_each(|(i, value)| assert!(!push(i, value).is_infinite(), "{filter:?}"));
        let last = (5..5000).map(|i| push(i, 2.0)).last().unwrap();
        assert!((last - 2.0).abs() < 1e-12, "{filter:?} is poisoned: {last}");
    }
}

/// Lists whose answers are known: every linear kind that lets slow changes through, and several in a row.
fn linear() -> Vec<Vec<Filter>> {
    let mut all: Vec<Filter> = Vec::new();
    for strength in [Strength::Rows(21), Strength::Seconds(0.21)] {
        all.extend([Mean { window: strength }.into(), Exponential { time_constant: strength }.into()]);
        all.push(SavitzkyGolay { window: strength, degree: 4, at_newest: false }.into());
    }
    all.push(SavitzkyGolay { at_newest: true, ..SavitzkyGolay::default() }.into());
    all.extend((1..=8).map(|order| Butterworth { order, ..Butterworth::default() }.into()));
    all.push(Notch { hertz: 11.0, harmonics: 3, width: 1.0 }.into());
    let several = vec![all[0].clone(), all[1].clone(), all[9].clone()];
    all.into_iter().map(|filter| vec![filter]).chain([several]).collect()
}

#[test]
fn the_delay_that_is_said_is_the_delay_of_a_ramp() {
    let median = vec![Median { window: Strength::Rows(21) }.into()];
    for filters in linear().into_iter().chain([median]) {
        let mut smoother = Smoother::new(&filters);
        let mut late = 0.0;
        for i in 0..4000 {
            let t = f64::from(i) * 0.01;
            late = t - smoother.push(Stamp::default().plus(t), t);
        }
        assert!((late - delay(&filters, 0.01)).abs() < 1e-8, "{filters:?}: {late}");
    }
    let short: Filter = Exponential { time_constant: Strength::Seconds(0.005) }.into();
    assert!((short.delay(0.01) - 0.01 / (2f64.exp() - 1.0)).abs() < 1e-15, "also where it is shorter than a row");
}

/// What a price says is what made-up signals lose.
#[test]
fn a_price_holds_on_noise_waves_and_steps() {
    let other: Vec<Filter> = vec![
        Median { window: Strength::Rows(9) }.into(),
        Spikes::default().into(),
        Butterworth { pass: Pass::Band, cutoff: 4.0, upper: 9.0, ..Butterworth::default() }.into(),
        Butterworth { pass: Pass::High, order: 3, ..Butterworth::default() }.into(),
    ];
    for filters in linear().into_iter().chain(other.into_iter().map(|filter| vec![filter])) {
        let price = Price::of(&filters, Signal { interval: 0.01, noise: 1.0, step: 100.0 });
        let over = |value: &dyn Fn(f64) -> f64| -> Vec<f64> {
            let mut smoother = Smoother::new(&filters);
            (0..20_000).map(f64::from).map(|i| smoother.push(Stamp::default().plus(i * 0.01), value(i))).collect()
        };
        let chance = std::cell::RefCell::new(crate::chance::Chance(7));
        let noise = over(&|_| chance.borrow_mut().gauss());
        let left = crate::stats::deviation(|| noise[2000..].iter().copied()).unwrap();
        // Of 18,000 rows that hang together over up to 40.
        assert!((left / price.noise_gain - 1.0).abs() < 0.12, "{filters:?}: {left} {}", price.noise_gain);
        for hertz in [0.8, 5.0, 7.0, 23.0] {
            let wave = over(&|i| 10.0 * (std::f64::consts::TAU * hertz * i * 0.01).sin());
            let power = wave[2000..].iter().map(|v| v * v).sum::<f64>() / 18_000.0;
            let (left, said) = ((2.0 * power).sqrt() / 10.0, price.left_of_wave(hertz, 10.0));
            // A median bends fast waves: there is more left than their fundamental.
            let near = (left - said).abs() < 0.002
                || (filters[0].kind() == "median" && (hertz > 8.0 || (left - said).abs() < 0.1));
            assert!(near, "{filters:?}: {left} of {hertz} Hz, {said} said");
        }
        if let Some(hertz) = price.cutoff {
            let (left, slow) = (price.left_of_wave(hertz, 1.0), price.left_of_wave(0.0, 1.0));
            assert!((left / slow - 0.5f64.sqrt()).abs() < 1e-6, "{filters:?}: {hertz} Hz");
        }
        if let Some(rise) = price.rise {
            let step = over(&|i| if i < 1000.0 { 0.0 } else { 100.0 });
            let at = |level: f64| step.iter().position(|value| *value >= level).unwrap() as f64 * 0.01;
            assert!((at(90.0) - at(10.0) - rise).abs() < 0.0101, "{filters:?}: {rise}");
        }
    }
    let cutoff = |order| {
        let low = Butterworth { order, cutoff: 5.0, ..Butterworth::default() };
        Price::of(&[low.into()], Signal { interval: 0.01, noise: 1.0, step: 1.0 }).cutoff.unwrap()
    };
    (1..=8).for_each(|order| assert!((cutoff(order) - 5.0).abs() < 1e-6, "order {order}"));
}

/// Forward and backward nothing is late, and what is left of a wave is left twice.
#[test]
fn a_price_both_ways_is_that_of_going_both_ways() {
    let times: Vec<Stamp> = (0..6000).map(|row| Stamp::default().plus(f64::from(row) * 0.01)).collect();
    for filters in linear() {
        let price = Price::of(&filters, Signal { interval: 0.01, noise: 1.0, step: 1.0 });
        let once = price.left_of_wave(4.0, 1.0);
        let both = price.both_ways();
        assert!((both.left_of_wave(4.0, 1.0) - once * once).abs() < 1e-6, "{filters:?}");
        assert_eq!((both.delay, both.rise), (Some(0.0), None));
        let mut chance = crate::chance::Chance(11);
        let mut noise: Vec<f64> = times.iter().map(|_| chance.gauss()).collect();
        Smoother::new(&filters).push_all(&times, &mut noise);
        go_back(&filters, &times, &mut noise);
        let left = crate::stats::deviation(|| noise[1000..5000].iter().copied()).unwrap();
        assert!((left / both.noise_gain - 1.0).abs() < 0.2, "{filters:?}: {left} {}", both.noise_gain);
        let mut ramp: Vec<f64> = (0..6000).map(f64::from).collect();
        Smoother::new(&filters).push_all(&times, &mut ramp);
        go_back(&filters, &times, &mut ramp);
        assert!((ramp[3000] - 3000.0).abs() < 1e-5, "{filters:?}: {}", ramp[3000]);
    }
}

#[test]
fn filters_say_their_strength_in_other_terms_and_what_is_doubtful() {
    let terms = |filter: Filter, interval: f64| filter.in_other_terms(interval).unwrap_or_default();
    assert_eq!(terms(Mean { window: Strength::Rows(9) }.into(), 0.01), "90 ms");
    assert_eq!(terms(Median { window: Strength::Seconds(0.2) }.into(), 0.01), "20 rows");
    let low = Butterworth { cutoff: 10.0, ..Butterworth::default() };
    assert_eq!(terms(low.into(), 0.01), "time constant 16 ms, 1.6 rows");
    let doubt = |filter: Filter, interval: f64| filter.doubt(interval);
    assert_eq!(doubt(low.into(), 0.01), None);
    assert!(doubt(low.into(), 0.1).unwrap().contains("half the row rate, 5 Hz: everything passes"));
    assert_eq!(doubt(Notch::default().into(), 0.001), None);
    let folded = doubt(Notch::default().into(), 1.0 / 60.0).unwrap();
    assert!(folded.contains("at 60 rows/s 50 Hz shows at 10 Hz and is taken out there"), "{folded}");
    let lost = doubt(Notch::default().into(), 1.0 / 50.0).unwrap();
    assert!(lost.contains("cannot be told from 0 Hz"), "{lost}");
}

/// A pause is no reason to swing over, and a long one is a new beginning.
#[test]
fn a_filter_goes_through_a_pause_as_if_rows_lay_on_a_line() {
    for pass in [Pass::Low, Pass::High] {
        let filter: Filter = Butterworth { pass, order: 4, ..Butterworth::default() }.into();
        let (mut with, mut without) = (Smoother::new(std::slice::from_ref(&filter)), Smoother::new(&[filter]));
        let value = |row: i32| if row < 100 { 0.0 } else { f64::from(row - 100).min(40.0) };
        for row in 0..600 {
            let at = Stamp::default().plus(f64::from(row) * 0.01);
            let all = without.push(at, value(row));
            if !(101..140).contains(&row) {
                let few = with.push(at, value(row));
                assert!((all - few).abs() < 1e-9, "{pass:?} at {row}: {few}, not {all}");
            }
        }
        let later = with.push(Stamp::default().plus(3600.0), 500.0);
        assert_eq!(later, if pass == Pass::Low { 500.0 } else { 0.0 });
    }
}

#[test]
fn a_filter_is_set_by_its_description() {
    let mut mean = Mean::default();
    mean.set(1, "7").unwrap();
    assert_eq!(Listed::short(&Filter::from(mean)), "mean 7 rows");
    mean.nudge(1, 1, 1.0);
    assert_eq!(mean.window, Strength::Rows(9));
    assert_eq!(mean.set(1, "0").unwrap_err(), "window must be a whole number from 1 to 65536");
    mean.nudge(0, 1, 1.0);
    mean.set(1, "0.25").unwrap();
    assert_eq!(mean.window, Strength::Seconds(0.25));
    assert!(mean.set(1, "-1").is_err());
}
