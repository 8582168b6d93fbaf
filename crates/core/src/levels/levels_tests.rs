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
