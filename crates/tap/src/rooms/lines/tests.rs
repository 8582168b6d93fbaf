//! Which lines are shown: always in order, always with the chosen one among them.

use super::*;
use amber_core::split::LineOutcome;

fn tail(count: u64) -> Tail {
    let mut tail = Tail::default();
    for i in 0..count {
        let text = if i % 10 == 3 { format!("board says {i}") } else { format!("gauge={i}") };
        tail.push(
            Stamp(i as i64 * 1_000_000),
            if i % 10 == 3 { LineOutcome::Message } else { LineOutcome::Row(0) },
            text.as_bytes(),
        );
    }
    tail
}

fn numbers(lines: &mut Lines, tail: &Tail, rows: usize) -> Vec<u64> {
    if !lines.filter.is_open() {
        lines.follow_tail(tail, Stamp(0));
    }
    lines.visible(tail, rows).iter().map(|line| line.number).collect()
}

#[test]
fn the_newest_lines_are_shown_and_the_chosen_one_always_is() {
    let tail = tail(200);
    let mut lines = Lines { open: true, ..Lines::default() };
    assert_eq!(numbers(&mut lines, &tail, 4), [196, 197, 198, 199]);
    for rows in [1, 2, 5, 30, 500] {
        for cursor in [0, 1, 37, 198, 199] {
            lines.cursor = Some(cursor);
            let shown = numbers(&mut lines, &tail, rows);
            assert!(shown.contains(&cursor), "{cursor} is not among {shown:?}");
            assert!(shown.len() <= rows && shown.windows(2).all(|pair| pair[0] + 1 == pair[1]), "{shown:?}");
        }
    }
    // What comes after the chosen line stands below it, as far as there is room.
    lines.cursor = Some(100);
    assert_eq!(numbers(&mut lines, &tail, 9), [95, 96, 97, 98, 99, 100, 101, 102, 103]);
}

#[test]
fn a_filter_leaves_out_the_others_wherever_one_looks() {
    let tail = tail(200);
    let mut lines = Lines { open: true, filter: Filter::parse("says").unwrap(), ..Lines::default() };
    assert_eq!(numbers(&mut lines, &tail, 3), [173, 183, 193]);
    lines.cursor = Some(53);
    assert_eq!(numbers(&mut lines, &tail, 6), [23, 33, 43, 53, 63, 73]);
    lines.filter = Filter::parse("nothing like it").unwrap();
    lines.cursor = None;
    assert!(numbers(&mut lines, &tail, 6).is_empty());
    assert!(numbers(&mut Lines::default(), &Tail::default(), 6).is_empty());
}

#[test]
fn at_a_pace_the_newest_line_is_picked_and_no_line_twice() {
    let mut grown = Tail::default();
    let mut lines = Lines { open: true, pace: Some(5.0), ..Lines::default() };
    let mut picks = 0;
    for i in 0..300u64 {
        let at = Stamp(i as i64 * 10_000_000);
        grown.push(at, LineOutcome::Row(0), format!("gauge={i}").as_bytes());
        picks += usize::from(lines.follow_tail(&grown, at));
    }
    assert_eq!(picks, 15, "five a second for three seconds");
    let shown = numbers(&mut lines, &grown, 100);
    assert_eq!((shown[0], shown[1], shown.len()), (0, 20, 15));
    // Nothing new, nothing picked; and while a line is chosen the view stands.
    let later = Stamp(9_000_000_000);
    assert!(lines.follow_tail(&grown, later));
    assert!(!lines.follow_tail(&grown, later.plus(5.0)));
    grown.push(later, LineOutcome::Row(0), b"gauge=1");
    lines.cursor = Some(7);
    assert!(!lines.follow_tail(&grown, later.plus(9.0)));
    lines.forget();
    assert!(numbers(&mut lines, &grown, 100).is_empty());
}
