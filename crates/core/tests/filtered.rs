//! What every filter keeps to, whatever its settings, over rows of every kind.

mod parts;

use amber_core::Stamp;
use amber_core::part::Listed;
use amber_core::smooth::{Filter, Pass, Smoother};
use proptest::prelude::*;

/// Rows as they come: mostly even, some late, at one time or behind a pause; now and then a gap.
fn rows() -> impl Strategy<Value = Vec<(Stamp, f64)>> {
    let interval = prop_oneof![8 => Just(0.01), 2 => 0.001..0.05f64, 1 => Just(0.0), 1 => 0.5..20.0f64];
    let value = prop_oneof![8 => (0..4096u32).prop_map(f64::from), 2 => -1e3..1e3f64, 1 => Just(f64::NAN)];
    proptest::collection::vec((interval, value), 1..150).prop_map(|rows| {
        let mut at = Stamp(0);
        let next = |(interval, value): (f64, f64)| {
            at = at.plus(interval);
            (at, value)
        };
        rows.into_iter().map(next).collect()
    })
}

fn out_of(filters: &[Filter], rows: &[(Stamp, f64)]) -> Vec<f64> {
    let mut smoother = Smoother::new(filters);
    rows.iter().map(|(at, value)| smoother.push(*at, *value)).collect()
}

fn is_same(a: &[f64], b: &[f64]) -> bool {
    a.len() == b.len() && a.iter().zip(b).all(|(a, b)| a.to_bits() == b.to_bits() || (a.is_nan() && b.is_nan()))
}

/// Whether what comes out is always between the least and the greatest of what went in.
fn stays_within(filter: &Filter) -> bool {
    matches!(
        filter,
        Filter::Mean(_)
            | Filter::Median(_)
            | Filter::Exponential(_)
            | Filter::Spikes(_)
            | Filter::RateLimit(_)
            | Filter::DeadBand(_)
            | Filter::Settled(_)
    )
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 500, ..ProptestConfig::default() })]

    #[test]
    fn a_filter_gives_a_gap_for_a_gap_and_else_what_the_rows_allow(filter in parts::part::<Filter>(), rows in rows()) {
        let out = out_of(std::slice::from_ref(&filter), &rows);
        let sound = || rows.iter().map(|row| row.1).filter(|value| value.is_finite());
        let (least, most) = (sound().fold(f64::INFINITY, f64::min), sound().fold(f64::NEG_INFINITY, f64::max));
        let slack = 1e-9 * least.abs().max(most.abs());
        for ((_, value), out) in rows.iter().zip(&out) {
            prop_assert!(!value.is_nan() || out.is_nan(), "a gap gives a gap: {filter:?}");
            prop_assert!(!out.is_infinite(), "{filter:?}");
            // Only what has not settled yet says nothing of a value.
            prop_assert!(value.is_nan() || !out.is_nan() || matches!(filter, Filter::Settled(_)), "{filter:?}");
            if stays_within(&filter) && !out.is_nan() {
                prop_assert!((least - slack..=most + slack).contains(out), "{filter:?}: {out}");
            }
        }
    }

    #[test]
    fn rows_may_come_in_any_pieces_and_begin_anew(filters in parts::filters(), rows in rows(), cuts in proptest::collection::vec(1..40usize, 1..20)) {
        let one_by_one = out_of(&filters, &rows);
        let mut smoother = Smoother::new(&filters);
        for _ in 0..2 {
            let (mut in_pieces, mut from, mut cuts) = (Vec::new(), 0, cuts.iter().cycle());
            while from < rows.len() {
                let to = (from + cuts.next().unwrap()).min(rows.len());
                let (times, mut values): (Vec<Stamp>, Vec<f64>) = rows[from..to].iter().copied().unzip();
                smoother.push_all(&times, &mut values);
                in_pieces.extend(values);
                from = to;
            }
            prop_assert!(is_same(&in_pieces, &one_by_one), "{filters:?}");
            smoother.reset();
        }
    }

    #[test]
    fn a_still_signal_comes_out_as_it_is_and_a_bypassed_filter_does_nothing(filter in parts::part::<Filter>(), level in -1e4..1e4f64, rows in rows()) {
        let still: Vec<(Stamp, f64)> = rows.iter().map(|row| (row.0, level)).collect();
        let out = out_of(std::slice::from_ref(&filter), &still);
        let lets_slow_through = !matches!(&filter, Filter::Butterworth(filter) if filter.pass != Pass::Low);
        for out in out.iter().filter(|out| !out.is_nan()) {
            let meant = if lets_slow_through { level } else { 0.0 };
            prop_assert!((out - meant).abs() <= 1e-9 * level.abs().max(1e-3), "{filter:?}: {out} of {level}");
        }
        let values: Vec<f64> = rows.iter().map(|row| row.1).collect();
        prop_assert!(is_same(&out_of(&[filter.toggled()], &rows), &values));
    }

    #[test]
    fn larger_or_moved_rows_come_out_larger_or_moved(filter in parts::part::<Filter>(), rows in rows(), power in -3..4i32, moved in -500..500i32) {
        let factor = 2f64.powi(power);
        let out = out_of(std::slice::from_ref(&filter), &rows);
        let times = |by: f64, plus: f64| -> Vec<(Stamp, f64)> { rows.iter().map(|(at, value)| (*at, value * by + plus)).collect() };
        let is_set_in_the_unit = matches!(filter, Filter::RateLimit(_) | Filter::DeadBand(_) | Filter::Settled(_));
        if !is_set_in_the_unit {
            let larger = out_of(std::slice::from_ref(&filter), &times(factor, 0.0));
            for (larger, out) in larger.iter().zip(&out).filter(|(_, out)| !out.is_nan()) {
                prop_assert!((larger - factor * out).abs() <= 1e-4 * factor, "{filter:?}: {larger} of {out} × {factor}");
            }
        }
        let is_high = matches!(&filter, Filter::Butterworth(filter) if filter.pass != Pass::Low);
        // What is compared with a limit hangs on the last digit, unless all are whole numbers.
        let is_whole = rows.iter().all(|row| row.1.is_nan() || row.1.fract() == 0.0);
        if is_whole || !stays_within(&filter) {
            let shifted = out_of(std::slice::from_ref(&filter), &times(1.0, f64::from(moved)));
            let meant = if is_high { 0.0 } else { f64::from(moved) };
            for (shifted, out) in shifted.iter().zip(&out).filter(|(_, out)| !out.is_nan()) {
                prop_assert!((shifted - out - meant).abs() <= 1e-4, "{filter:?}: {shifted} of {out} + {meant}");
            }
        }
    }
}
