use super::*;
use crate::chance::Chance;

fn run(rule: LevelRule, rows: impl IntoIterator<Item = f64>) -> Levels {
    let mut levels = Levels::new(rule);
    for (row, value) in (0..).zip(rows) {
        levels.extend(row, &[Stamp::default().plus(row as f64 * 0.01)], &[value]);
    }
    levels
}

#[test]
fn a_step_ends_a_level_and_spikes_and_gaps_do_not() {
    let mut chance = Chance(1);
    let rows: Vec<f64> = (0..1200)
        .map(|row| match row {
            100 | 300 | 301 | 900 => 9000.0,
            200..205 => f64::NAN,
            0..600 => 2000.0 + 2.0 * chance.gauss(),
            _ => 2500.0 + 2.0 * chance.gauss(),
        })
        .collect();
    let levels = run(LevelRule::default(), rows);
    let found: Vec<_> = levels.found().iter().collect();
    assert_eq!(found.len(), 2, "{found:#?}");
    assert!((found[0].mean - 2000.0).abs() < 0.4 && (found[1].mean - 2500.0).abs() < 0.4, "{found:#?}");
    assert!((1.7..2.3).contains(&found[0].spread) && !found[0].open && found[1].open);
    assert!(found[0].rows.start < 30 && (570..=600).contains(&found[0].rows.end), "{found:#?}");
    assert!((600..640).contains(&found[1].rows.start), "{found:#?}");
}

#[test]
fn what_never_moves_by_a_step_is_a_level_and_a_break_ends_it() {
    let mut levels = run(LevelRule::default(), [7.0; 300]);
    assert_eq!((levels.count(), levels.present().map(|level| (level.mean, level.spread))), (1, Some((7.0, 0.0))));
    levels.break_off();
    assert!(levels.present().is_none());
    for row in 300..600 {
        levels.extend(row, &[Stamp::default().plus(row as f64 * 0.01)], &[7.0]);
    }
    assert_eq!(levels.count(), 2);
}

#[test]
fn a_slow_board_has_levels_too_and_the_shortest_one_is_a_setting() {
    let mut chance = Chance(3);
    let mut levels = Levels::new(LevelRule { seconds: 5.0, ..LevelRule::default() });
    for row in 0..60u64 {
        levels.extend(
            row,
            &[Stamp::default().plus(row as f64)],
            &[(if row < 30 { 50.0 } else { 90.0 }) + chance.gauss()],
        );
    }
    assert_eq!(levels.found().len(), 2, "{:#?}", levels.found());
    let quick = LevelRule { seconds: 0.2, ..LevelRule::default() };
    let steps = (0..400).map(|row| f64::from(row / 50 * 100) + chance.gauss());
    assert_eq!(run(quick, steps).count(), 8);
    assert!(LevelRule { seconds: 0.0, ..quick }.fault().is_some());
}

#[test]
fn no_wave_and_no_ramp_is_a_level_however_its_blocks_fall() {
    for seed in 1..4 {
        let mut chance = Chance(seed);
        let mut told = |value: &dyn Fn(f64) -> f64| {
            let rows: Vec<f64> = (0..4000).map(|row| value(f64::from(row) * 0.01) + 3.0 * chance.gauss()).collect();
            let levels = run(LevelRule::default(), rows);
            levels.found().iter().map(Level::seconds).sum::<f64>()
        };
        for period in [0.5, 0.6, 0.7, 0.8, 1.0, 1.3, 1.7, 2.5, 4.0, 7.0] {
            for size in [60.0, 400.0] {
                let seconds = told(&|t| 2000.0 + size * (std::f64::consts::TAU * t / period).sin());
                assert!(seconds < 3.0, "{seconds} of 40 s are told as levels at {period} s, ±{size}");
            }
        }
        for slope in [5.0, 10.0, 50.0] {
            let seconds = told(&|t| 1000.0 + slope * t);
            assert!(seconds < 3.0, "{seconds} of 40 s are told as levels at {slope} a second");
        }
    }
}

#[test]
fn a_jolt_and_a_spike_that_the_board_averages_end_no_level() {
    let mut chance = Chance(8);
    let noise: Vec<f64> = (0..2000).map(|_| 3.0 * chance.gauss()).collect();
    let rows = (0..2000usize).map(|row| match row {
        500..530 => 1500.0 + noise[row],
        1000..1008 => 2110.0 + noise[row],
        _ => 2000.0 + noise[row],
    });
    let levels = run(LevelRule::default(), rows);
    assert_eq!(levels.count(), 1, "{:#?}", levels.found());
    let level = &levels.found()[0];
    assert!((level.mean - 2000.0).abs() < 0.5 && (level.spread - 3.0).abs() < 0.4, "{level:?}");
    assert!(level.rows.start < 50 && level.rows.end > 1950 && level.count > 1800, "{level:?}");
}

/// At one or two rows a second a level of a step that is large against the noise takes as few rows as are said, and the first
/// and the last one of a recording count.
#[test]
fn few_rows_are_enough_where_rows_are_rare_and_how_many_is_said() {
    let rule = LevelRule::default();
    assert_eq!([0.01, 0.2, 0.5, 1.0].map(|interval| rule.needs(interval).0), [100, 8, 4, 4]);
    assert!((rule.needs(0.5).1 - 2.0).abs() < 1e-9 && (rule.needs(0.01).1 - 1.0).abs() < 1e-9);
    for (interval, rest) in [(1.0, 6), (1.0, 9), (0.5, 6), (0.5, 12), (0.2, 20)] {
        let (mut all, mut found, mut off) = (0, 0, 0);
        for seed in 1..9 {
            let (mut chance, mut levels) = (Chance(seed), Levels::new(rule));
            let mean = |row: u64| 1000.0 + 150.0 * (row / rest % 2) as f64;
            let rows = 10 * rest;
            for row in 0..rows {
                let value = (mean(row) + 2.0 * chance.gauss()).round();
                levels.extend(row, &[Stamp::default().plus(row as f64 * interval)], &[value]);
            }
            all += 10;
            found += levels.found().len();
            let right = |level: &&Level| (level.mean - mean(level.rows.start)).abs() > 6.0;
            off += levels.found().iter().filter(right).count();
            let (first, last) = (levels.found().front().unwrap(), levels.found().back().unwrap());
            assert!(first.rows.start < rest && last.rows.end + rest > rows, "{interval} {rest}: {first:?} {last:?}");
        }
        assert!(found * 10 >= all * 9 && found <= all && off == 0, "{interval} {rest}: {found} of {all}, {off} off");
    }
}

#[test]
fn why_no_level_was_found_is_said() {
    let mut chance = Chance(4);
    let mut why = |count: u32, interval: f64, value: &dyn Fn(f64) -> f64| {
        let mut levels = Levels::new(LevelRule::default());
        for row in 0..count {
            let at = f64::from(row) * interval;
            levels.extend(row.into(), &[Stamp::default().plus(at)], &[value(at) + 2.0 * chance.gauss()]);
        }
        levels.why_none(Some(interval)).unwrap_or_default()
    };
    assert_eq!(
        why(40, 0.01, &|_| 7.0),
        "40 rows with a value are too few: at 10 ms between rows it takes about 100 rows, 1 s"
    );
    assert!(
        why(3, 1.0, &|_| 7.0).starts_with("3 rows with a value are too few: at 1 s between rows it takes about 8 rows")
    );
    let slope = why(3000, 0.01, &|t| 20.0 * t);
    assert!(
        slope.contains("never stood for 1 s: it moved by more than its noise explains, ") && slope.contains(" times"),
        "{slope}"
    );
    let leaps = why(3000, 0.01, &|t| if ((t * 2.5) as u32).is_multiple_of(2) { 0.0 } else { 900.0 });
    assert!(leaps.contains("it moved quickly, "), "{leaps}");
    assert_eq!(why(3000, 0.01, &|_| 7.0), "", "there is one");
    assert_eq!(Levels::new(LevelRule::default()).why_none(None).unwrap(), "0 rows with a value are too few");
}
