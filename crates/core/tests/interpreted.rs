//! From bytes to rows: shapes on trial, names of channels, times of first rows, as the buffer behind the screen has them.

use amber_core::Stamp;
use amber_core::bench::Bench;
use amber_core::chain::Chain;
use amber_core::clock::{Opening, Time};
use amber_core::interpret::{Interpreter, Layout, RowSink, Rows};
use amber_core::split::LineOutcome;
use amber_core::store::Limits;

fn chain(bench: &str) -> Chain {
    let mut chain = Chain::new(&Bench::parse(bench).unwrap(), 0, Limits::default());
    chain.begin();
    chain
}

fn names(chain: &Chain) -> Vec<&str> {
    chain.channels().iter().map(|channel| channel.name()).collect()
}

fn at(row: u32) -> Stamp {
    Stamp(0).plus(f64::from(row) * 0.01)
}

#[test]
fn start_up_messages_that_look_like_rows_leave_no_channel_and_no_line_twice() {
    let mut chain = chain("");
    let boot = "rst:0x1\nload:0x3fff0030,len:1344\nload:0x40078000,len:13964\nload:0x40080400,len:3600\n";
    chain.feed(at(0), boot.as_bytes());
    assert!(names(&chain).contains(&"len"), "found too early: {:?}", names(&chain));
    chain.sent(at(1), b"hello");
    for i in 0..40 {
        chain.feed(at(2 + i), format!("gauge={} bed={}\n", 900 + i, i % 7).as_bytes());
    }
    assert_eq!(names(&chain), ["gauge", "bed"]);
    assert_eq!((chain.counts().rows, chain.store().rows()), (40, 0..40));
    assert_eq!(chain.store().raw(0, 0), Some(900.0));
    let lines: Vec<LineOutcome> = chain.tail().lines().map(|line| line.outcome).collect();
    assert_eq!(lines.len(), 4 + 1 + 40, "each line once, what was sent too");
    assert_eq!(lines.iter().filter(|outcome| **outcome == LineOutcome::Sent).count(), 1);
    assert_eq!(lines[4], LineOutcome::Sent, "in its place");
    assert_eq!(chain.counts().sent, 5);
}

#[test]
fn settings_that_were_made_while_the_shape_was_on_trial_are_kept() {
    let mut chain = chain("");
    chain.feed(at(0), b"gauge=1\ngauge=2\ngauge=3\n");
    let mut settings = chain.channels()[0].settings().clone();
    settings.title = "level".into();
    chain.set_channel(0, settings);
    // Another field comes before the shape is settled: all is read again.
    chain.feed(at(1), b"gauge=4 bed=1\ngauge=5 bed=2\ngauge=6 bed=3\n");
    assert_eq!(names(&chain), ["gauge", "bed"]);
    assert_eq!(chain.channels()[0].title(), "level");
    assert_eq!((chain.counts().rows, chain.store().raw(1, 3)), (6, Some(1.0)));
}

#[test]
fn a_field_of_the_board_has_its_name_before_a_formula_that_was_called_the_same() {
    let mut chain = chain("[[channel]]\nname = \"bed\"\nformula = \"gauge * 2\"\n");
    (0..20).for_each(|i| chain.feed(at(i), format!("gauge={i} bed=7\n").as_bytes()));
    assert_eq!(names(&chain).len(), 3);
    let value = |name: &str| {
        let index = chain.channels().iter().position(|channel| channel.name() == name).unwrap();
        chain.reading(index, 10).unwrap().quantity
    };
    assert_eq!((value("bed"), value("bed_2")), (7.0, 20.0));
    assert!(chain.troubles()[0].contains("the formula of that name is called bed_2"), "{:?}", chain.troubles());
}

#[test]
fn a_label_that_comes_late_has_gaps_before_and_shifts_nothing() {
    let mut chain = chain("[[channel]]\nname = \"sum\"\nformula = \"gauge + ifgap(late, 100)\"\n");
    (0..140).for_each(|i| chain.feed(at(i), format!("gauge={i}\n").as_bytes()));
    (140..170).for_each(|i| chain.feed(at(i), format!("gauge={i} late=1\n").as_bytes()));
    assert_eq!(names(&chain), ["gauge", "sum", "late"]);
    let rows = chain.store().rows();
    assert_eq!(rows.end, 168, "two lines were rejected before the label was no accident");
    assert!(chain.reading(2, 139).unwrap().raw.is_nan());
    assert_eq!((chain.reading(2, 150).unwrap().raw, chain.reading(1, 150).unwrap().quantity), (1.0, 153.0));
    assert_eq!(chain.reading(1, 5).unwrap().quantity, 105.0);
    assert_eq!(chain.channels()[2].scaled().get(150), Some(1.0));
}

#[test]
fn the_live_picture_evens_bursts_out_from_the_first_row_and_again_behind_a_break() {
    let mut chain = chain("");
    let fed = |chain: &mut Chain, first: u32, rows: u32| {
        for burst in 0..rows / 64 {
            let text: String = (0..64).map(|i| format!("gauge={}\n", (burst * 64 + i) % 50)).collect();
            chain.feed(at(first + burst * 64 + 63), text.as_bytes());
        }
    };
    fed(&mut chain, 0, 1280);
    chain.break_off();
    fed(&mut chain, 3000, 640);
    assert_eq!(chain.timer().in_force(), &Time::Even);
    for (row, true_at) in (0..1280).map(|row| (row, row)).chain((0..640).map(|row| (1280 + row, 3000 + row))) {
        let off = chain.store().time(row.into()).unwrap().seconds_since(at(true_at)).abs();
        assert!(off < 0.002, "row {row} is off by {off}");
    }
    assert!(chain.store().breaks_before(1280) && chain.verdict().even, "{:?}", chain.verdict());
}

#[test]
fn a_text_that_grows_goes_on_where_it_ended() {
    let mut chain = Chain::new(&Bench::default(), 0, Limits::default());
    chain.open(Opening::Text { at: at(500), arrives: false }, None);
    chain.feed(at(500), (0..100).map(|i| format!("gauge={i}\n")).collect::<String>().as_bytes());
    assert!(chain.timer().is_assumed() && chain.verdict().reason.contains("no clock of its own"));
    // Ten seconds later a line is added every second.
    chain.open(Opening::Grows(at(1500)), None);
    (0..5).for_each(|i| chain.feed(at(1500 + i * 100), b"gauge=7\n"));
    let time = |row: u64| chain.store().time(row).unwrap().seconds_since(at(500));
    assert!((time(99) - 0.99).abs() < 1e-9 && (time(100) - 0.99).abs() < 1e-9 && (time(104) - 4.99).abs() < 1e-9);
    assert!(!chain.store().breaks_before(100));
}

/// Counts what a patient interpreter gives.
#[derive(Default)]
struct Given {
    rows: u64,
    last: Stamp,
}

impl RowSink for Given {
    fn layout(&mut self, _: &Layout) {}
    fn rows(&mut self, rows: &Rows<'_>) {
        assert!(rows.times[0] >= self.last && rows.times.is_sorted());
        (self.rows, self.last) = (self.rows + rows.count() as u64, rows.times[rows.count() - 1]);
    }
    fn gap(&mut self) {}
    fn line(&mut self, _: Stamp, _: LineOutcome, _: &[u8]) {}
}

#[test]
fn rows_that_wait_are_bounded_however_fast_or_slow_they_come() {
    for (rows, seconds) in [(40_000u32, 1e-6), (40, 1.0), (8, 60.0)] {
        let mut interpreter = Interpreter::new("labelled gauge".parse().ok(), Time::Auto, &[]).patient();
        let mut given = Given::default();
        interpreter.begin(&mut given);
        let mut most = 0;
        for i in 0..rows {
            interpreter.feed(
                Stamp(0).plus(f64::from(i) * seconds),
                format!("gauge={}\n", i % 9).as_bytes(),
                &mut given,
            );
            assert_eq!(given.rows + interpreter.waiting(), u64::from(i) + 1, "every row is given or waits");
            most = most.max(interpreter.waiting());
        }
        assert!(given.rows > 0 && most <= 16_384, "{rows} rows: {} given, {most} waited", given.rows);
        interpreter.finish(None, &mut given);
        assert_eq!((given.rows, interpreter.waiting()), (u64::from(rows), 0));
    }
}
