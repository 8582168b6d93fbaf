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

#[test]
fn the_delay_that_is_said_is_the_delay_of_a_ramp() {
    for strength in [Strength::Rows(21), Strength::Seconds(0.21)] {
        let all = each(strength).to_vec();
        for filters in all.iter().map(|filter| vec![filter.clone()]).chain([all.clone()]) {
            let mut smoother = Smoother::new(&filters);
            let mut late = 0.0;
            for i in 0..2000 {
                let t = f64::from(i) * 0.01;
                late = t - smoother.push(Stamp::default().plus(t), t);
            }
            assert!((late - delay(&filters, 0.01)).abs() < 1e-9, "{filters:?}: {late}");
        }
    }
    let short: Filter = Exponential { time_constant: Strength::Seconds(0.005) }.into();
    assert!((short.delay(0.01) - 0.01 / (2f64.exp() - 1.0)).abs() < 1e-15, "also where it is shorter than a row");
}

/// Ten thousand rows of made-up noise with a standard deviation of 1, of twelve uniform numbers each.
#[test]
fn the_noise_that_is_said_to_be_left_is_left_or_less() {
    let mut state = 7u64;
    let mut uniform = || {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (state >> 11) as f64 / (1u64 << 53) as f64
    };
    let noise: Vec<f64> = (0..10_000).map(|_| (0..12).map(|_| uniform()).sum::<f64>() - 6.0).collect();
    let all = each(Strength::Rows(9)).to_vec();
    for filters in all.iter().map(|filter| vec![filter.clone()]).chain([all.clone(), Vec::new()]) {
        let mut smoother = Smoother::new(&filters);
        let out: Vec<f64> =
            noise.iter().zip(0..).map(|(v, i)| smoother.push(Stamp::default().plus(f64::from(i)), *v)).collect();
        let measured = (out[100..].iter().map(|v| v * v).sum::<f64>() / 9900.0).sqrt();
        let (said, is_bound) = noise_gain(&filters, 1.0);
        // A standard deviation of 9900 values that hang together over 9 to 18 rows is known to about 5 %; the formula of
        // the median, which is for long windows, is 4 % above it.
        assert!(measured < said * 1.08 && (is_bound || measured > said * 0.88), "{filters:?}: {measured} {said}");
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
