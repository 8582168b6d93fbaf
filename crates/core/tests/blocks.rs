//! Blocks, their statistics, and rows made even, against plain definitions over rows of every kind.

use amber_core::Stamp;
use amber_core::bench::Bench;
use amber_core::block::{Block, Column, Histogram, Length, Statistics, laid_over};
use amber_core::chain::Chain;
use amber_core::spectrum::even::Even;
use amber_core::store::Limits;
use proptest::prelude::*;

/// Values as boards send them: codes, decimals, some large, gaps among them.
fn values() -> impl Strategy<Value = Vec<f64>> {
    let value = prop_oneof![
        6 => (0..4096u32).prop_map(f64::from),
        3 => (-2000..2000i32).prop_map(|n| f64::from(n) / 100.0),
        1 => -1e9..1e9f64,
        1 => Just(f64::NAN),
    ];
    proptest::collection::vec(value, 1..200)
}

fn stamps(count: usize, interval: f64) -> Vec<Stamp> {
    (0..count).map(|row| Stamp(1_000_000_000).plus(row as f64 * interval)).collect()
}

fn block(times: Vec<Stamp>, moment: Stamp, values: Vec<f64>) -> Block {
    let column = Column {
        name: "a".into(),
        unit: String::new(),
        decimals: 2,
        resolution: 0.01,
        full_scale: None,
        raw: values.clone(),
        quantity: values,
        smoothed: None,
    };
    Block { name: "b".into(), first_row: 0, moment, times, columns: vec![column], across: Default::default() }
}

fn near(a: f64, b: f64, size: f64) -> bool {
    (a - b).abs() <= 1e-9 * size || (a.is_nan() && b.is_nan())
}

proptest! {
    #[test]
    fn statistics_are_what_their_definitions_say(values in values(), interval in 0.001..2.0f64) {
        let times = stamps(values.len(), interval);
        let sound: Vec<(f64, f64)> = values.iter().enumerate().filter(|(_, value)| value.is_finite())
            .map(|(row, value)| (times[row].seconds_since(times[0]), *value)).collect();
        let Some(found) = Statistics::of(&times, &values) else { return prop_assert_ok(sound.is_empty()) };
        let n = sound.len() as f64;
        let size = sound.iter().fold(0.0, |size: f64, (_, value)| size.max(value.abs()));
        let mean = sound.iter().map(|row| row.1).sum::<f64>() / n;
        let mut sorted: Vec<f64> = sound.iter().map(|row| row.1).collect();
        sorted.sort_by(f64::total_cmp);
        prop_assert_eq!((found.count, found.gaps), (sound.len(), values.len() - sound.len()));
        prop_assert_eq!((found.min, found.max), (sorted[0], sorted[sorted.len() - 1]));
        prop_assert!(near(found.mean, mean, size));
        prop_assert_eq!(found.median, (sorted[(sorted.len() - 1) / 2] + sorted[sorted.len() / 2]) / 2.0);
        let squares = sound.iter().map(|row| (row.1 - mean).powi(2)).sum::<f64>();
        prop_assert!(near(found.deviation, (squares / (n - 1.0)).sqrt(), size), "{found:?}");
        prop_assert!(near(found.rms, (sound.iter().map(|row| row.1 * row.1).sum::<f64>() / n).sqrt(), size));
        sorted.dedup();
        prop_assert_eq!(found.distinct, sorted.len());
        // The slope is that of the line from which the squares of the distances are least.
        let off = |slope: f64| {
            let middle = sound.iter().map(|row| row.0).sum::<f64>() / n;
            sound.iter().map(|(t, value)| (value - mean - slope * (t - middle)).powi(2)).sum::<f64>()
        };
        if found.slope.is_finite() {
            let step = (found.slope.abs() * 1e-3).max(size * 1e-5 / interval);
            prop_assert!(off(found.slope) <= off(found.slope + step) && off(found.slope) <= off(found.slope - step), "{found:?}");
        }
    }

    #[test]
    fn a_histogram_has_every_value_in_the_class_where_it_belongs(values in values(), step in prop_oneof![Just(f64::NAN), Just(1.0), Just(0.01)], most in 1..60usize) {
        let Some(found) = Histogram::of(&values, step, most) else { return prop_assert_ok(values.iter().all(|v| v.is_nan())) };
        prop_assert!(found.counts.len() <= most && !found.counts.is_empty());
        let sound = values.iter().filter(|value| value.is_finite());
        prop_assert_eq!(found.counts.iter().sum::<u64>(), sound.clone().count() as u64);
        let edge = |class: usize| found.begin + class as f64 * found.width;
        for (class, count) in found.counts.iter().enumerate() {
            // Where a value lies on an edge but for rounding, either side is right.
            let slack = 1e-9 * found.width + 1e-15 * edge(class).abs();
            let within = |by: f64| sound.clone().filter(|value| **value >= edge(class) - by && **value < edge(class + 1) + by).count() as u64;
            prop_assert!((within(-slack)..=within(slack)).contains(count), "{class} {found:?}");
        }
        if step.is_finite() && found.width > step && found.width * (most as f64) < 1e9 * step {
            prop_assert!((found.width / step - (found.width / step).round()).abs() < 1e-6, "whole steps: {found:?}");
        }
    }

    #[test]
    fn a_block_of_seconds_holds_the_rows_of_these_seconds(
        gaps in proptest::collection::vec(1..400u64, 3..120), seconds in 0.005..8.0f64, back in 0..40u64, kept in 5..200usize,
    ) {
        let mut chain = Chain::new(&Bench::default(), 0, Limits { rows: kept as u64, ..Limits::NONE });
        let mut at = Stamp(0);
        for (row, gap) in gaps.iter().enumerate() {
            at = at.plus(*gap as f64 * 0.001);
            chain.feed(at, format!("t={row} x={}\n", row % 7).as_bytes());
        }
        let store = chain.store();
        let rows = store.rows();
        prop_assume!(!rows.is_empty());
        let end = rows.end.saturating_sub(back).max(rows.start + 1);
        let block = Length::Seconds(seconds).before(&chain, end);
        let last = store.time(end - 1).unwrap();
        let plain: Vec<u64> = (rows.start..end).filter(|row| last.seconds_since(store.time(*row).unwrap()) < seconds - 1e-8).collect();
        prop_assert_eq!(block.end, end);
        prop_assert!(plain.iter().all(|row| block.contains(row)), "{block:?} {plain:?}");
        let more = block.clone().filter(|row| last.seconds_since(store.time(*row).unwrap()) >= seconds).count();
        prop_assert_eq!(more, 0);
        let count = Length::Rows(kept).before(&chain, end);
        prop_assert_eq!(count.end - count.start, (end - rows.start).min(kept as u64));
    }

    #[test]
    fn rows_made_even_lie_on_the_lines_between_them(
        missing in proptest::collection::vec(any::<prop::sample::Index>(), 0..6), pause in proptest::option::of(30..170usize),
        jitter in prop_oneof![Just(0.0), 0.0..0.2f64], seed in any::<u32>(), slope in -50.0..50.0f64, hz in 1.0..500.0f64,
    ) {
        let mut random = seed | 1;
        let mut off = || {
            random = random.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            f64::from(random >> 8) / f64::from(1 << 24) - 0.5
        };
        let out: Vec<usize> = missing.iter().map(|at| 1 + at.index(196)).filter(|row| pause.is_none_or(|pause| row.abs_diff(pause) > 8)).collect();
        // Three in a row are a pause.
        prop_assume!(!out.iter().any(|row| out.contains(&(row + 1)) && out.contains(&(row + 2))));
        let rows: Vec<(Stamp, f64)> = (0..200usize).filter(|row| !out.contains(row)).map(|row| {
            let late = if pause.is_some_and(|pause| row >= pause) { 50.0 } else { 0.0 };
            let seconds = (row as f64 + late + jitter * off()) / hz;
            (Stamp(5_000_000_000).plus(seconds), 7.0 + slope * seconds)
        }).collect();
        let (times, values): (Vec<Stamp>, Vec<f64>) = rows.iter().copied().unzip();
        let even = Even::of(&times, &values).map_err(TestCaseError::fail)?;
        // A straight line stays one, whatever is missing in it; all in front of a pause is left out and counted.
        let kept = times.len() - even.left_out;
        prop_assert_eq!(even.left_out, pause.map_or(0, |pause| times.iter().filter(|at| at.seconds_since(Stamp(5_000_000_000)) * hz < pause as f64 + 25.0).count()));
        prop_assert_eq!(even.values.len(), kept + even.filled, "{}", even.told());
        prop_assert!((even.rate / hz - 1.0).abs() < 0.02, "{} instead of {hz}", even.rate);
        let line = |row: usize| 7.0 + slope * (even.begin.plus(row as f64 / even.rate).seconds_since(Stamp(5_000_000_000)));
        let size = 7.0 + slope.abs() * 250.0 / hz;
        for (row, value) in even.values.iter().enumerate() {
            let loose = if even.is_resampled { 1e-6 } else { 1e-3 };
            prop_assert!((value - line(row)).abs() <= loose * size, "row {row}: {value} {} {}", line(row), even.told());
        }
        prop_assert!(even.jitter <= 0.6 * jitter + 1e-3, "{}", even.jitter);
    }

    #[test]
    fn blocks_laid_over_each_other_agree_where_they_have_the_same_rows(values in values(), shift in 0..50usize, moment in 0..100u32) {
        let times = stamps(values.len(), 0.01);
        let from = shift.min(values.len() - 1);
        let at = Stamp(1_000_000_000).plus(f64::from(moment) * 0.01);
        let (a, b) = (block(times.clone(), at, values.clone()), block(times[from..].to_vec(), at, values[from..].to_vec()));
        let over = laid_over(&a, &b, b.columns[0].output());
        prop_assert_eq!(over.len(), values.len());
        for (row, value) in over.iter().enumerate() {
            let meant = if row < from { f64::NAN } else { values[row] };
            prop_assert!(value.to_bits() == meant.to_bits() || (value.is_nan() && meant.is_nan()), "{row}: {value} {meant}");
        }
        let table = a.csv();
        let lines: Vec<&str> = table.split("\r\n").collect();
        prop_assert_eq!((lines.len(), lines[0]), (values.len() + 2, "index,time_s,interval_s,a"));
        for (row, line) in lines[1..=values.len()].iter().enumerate() {
            let field = line.rsplit(',').next().unwrap();
            let value = if field.is_empty() { f64::NAN } else { field.parse().unwrap() };
            prop_assert!(near(value, values[row], values[row].abs().max(1e-3)), "{line}");
        }
    }
}

fn prop_assert_ok(holds: bool) -> Result<(), TestCaseError> {
    if holds { Ok(()) } else { Err(TestCaseError::fail("nothing was found where something is")) }
}
