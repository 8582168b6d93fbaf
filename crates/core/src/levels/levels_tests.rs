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
