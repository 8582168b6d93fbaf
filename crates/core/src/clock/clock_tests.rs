//! Boards whose true times are known, seen through bursts, jitter, wraps and resets.

use super::*;
use crate::Stamp;
use crate::split::Shape;

/// Made-up jitter in 0 to 1, the same at each run.
fn jitter(i: u32) -> f64 {
    f64::from((i.wrapping_mul(2_654_435_761) >> 8) & 0xffff) / 65536.0
}

struct Run {
    timing: Timing,
    intervals: Intervals,
    /// Time given, true time and arrival of each row, in seconds.
    rows: Vec<(f64, f64, f64)>,
    resets: u32,
}

/// Rows at the true times `true_at`, arriving at `arrive`, with a board clock that counts `count`.
fn run(
    time: Time,
    rows: u32,
    true_at: impl Fn(u32) -> f64,
    arrive: impl Fn(u32) -> f64,
    count: impl Fn(u32) -> f64,
) -> Run {
    let mut run = Run { timing: Timing::new(time), intervals: Intervals::default(), rows: Vec::new(), resets: 0 };
    run.timing.shape(&Shape::labelled(["t_us", "gauge"], true));
    let begun = Stamp(1_000_000_000);
    let (mut times, mut arrivals) = (Vec::new(), Vec::new());
    for i in 0..rows {
        let arrival = begun.plus(arrive(i));
        arrivals.push(arrival);
        match run.timing.row(arrival, &[count(i), f64::from(i % 7)]) {
            Timed::At(at, reset) => times.push((at, reset)),
            Timed::Waits(..) => {}
            Timed::FinalTimes(settled) => times.extend_from_slice(settled.times()),
        }
    }
    times.extend_from_slice(run.timing.finish().times());
    assert_eq!(times.len(), rows as usize, "each row gets one time");
    for (i, ((at, reset), arrival)) in (0..).zip(times.into_iter().zip(arrivals)) {
        run.intervals.row(at, arrival);
        run.resets += u32::from(reset);
        run.rows.push((at.seconds_since(begun), true_at(i), arrive(i)));
    }
    assert!(run.rows.windows(2).all(|pair| pair[1].0 >= pair[0].0), "times never run backwards");
    run
}

/// The largest difference of an interval from the true one, from row `from` on.
fn worst(run: &Run, from: usize) -> f64 {
    let differences = run.rows[from..].windows(2).map(|w| ((w[1].0 - w[0].0) - (w[1].1 - w[0].1)).abs());
    differences.fold(0.0, f64::max)
}

/// Rows at 1 kHz that come 16 at a time.
fn burst(i: u32) -> f64 {
    f64::from(i / 16 * 16 + 15) * 0.001 + 0.0005
}

#[test]
fn bursts_are_evened_out_and_a_gap_stays_one() {
    let true_at = |i| f64::from(i) * 0.001;
    let even = run(Time::Even, 20_000, true_at, burst, |_| f64::NAN);
    assert!(worst(&even, 4000) < 0.00005, "{}", worst(&even, 4000));
    assert!(even.rows.iter().all(|(at, _, arrival)| *at <= arrival + 1e-6), "no row before it was measured");
    assert!(even.rows[4000..].iter().all(|(at, _, arrival)| arrival - at < 0.02));
    assert!(even.intervals.verdict(&Time::Even).even);
    let arrival = run(Time::Arrival, 2000, true_at, burst, |_| f64::NAN);
    let verdict = arrival.intervals.verdict(&Time::Arrival);
    assert!(!verdict.even && verdict.reason.contains("bursts of 16"), "{verdict:?}");
    // A declared rate is what rows are apart, as long as the arrivals do not say otherwise.
    let declared = run(Time::Rate { hz: 1000.0 }, 20_000, true_at, burst, |_| f64::NAN);
    let steps = declared.rows.windows(2).map(|pair| ((pair[1].0 - pair[0].0) * 1e9).round());
    assert!(steps.skip(100).all(|step| step == 1e6), "{}", worst(&declared, 100));
    // Half a second of silence, and then half the rate.
    let slower = |i: u32| if i < 3000 { burst(i) } else { 3.5 + f64::from(i - 3000) * 0.002 };
    let run = run(Time::Even, 6000, slower, slower, |_| f64::NAN);
    assert!(run.rows[3000].0 - run.rows[2999].0 > 0.45);
    assert!(worst(&run, 3100) < 0.0001, "{}", worst(&run, 3100));
}

#[test]
fn a_board_clock_gives_true_intervals_through_jitter_and_wraps() {
    for (bits, tick) in [(32, Tick::Us), (16, Tick::Ms), (16, Tick::Us)] {
        let span = 2f64.powi(bits);
        let step = if (bits, tick) == (16, Tick::Us) { 0.01 } else { 0.013 };
        let true_at = |i: u32| f64::from(i) * step;
        let begun = span - 3000.0;
        let count = |i: u32| ((true_at(i) / tick.seconds()).round() + begun).rem_euclid(span);
        let time = Time::Board { channel: "t_us".into(), tick, bits: None };
        let run = run(time, 9000, true_at, |i| true_at(i) + 0.004 * jitter(i), count);
        assert_eq!(run.resets, 0, "{bits} bits of {tick:?} wrap and do not start over");
        assert!(worst(&run, 300) < 0.0011, "{bits} bits of {tick:?}: {}", worst(&run, 300));
    }
}

#[test]
fn a_board_that_starts_over_and_one_whose_clock_drifts_are_told() {
    let time = Time::Board { channel: "t_us".into(), tick: Tick::Us, bits: None };
    let true_at = |i: u32| f64::from(i) * 0.01 + if i < 500 { 0.0 } else { 2.0 };
    let count = |i: u32| f64::from(if i < 500 { i + 70_000 } else { i - 500 }) * 10_000.0;
    let reset = run(time.clone(), 1000, true_at, |i| true_at(i) + 0.001, count);
    assert_eq!((reset.resets, reset.timing.timer().resets()), (1, 1));
    assert!(worst(&reset, 0) < 0.002);
    // 80 parts in a million slow, seen through 3 ms of jitter for five minutes.
    let true_at = |i: u32| f64::from(i) * 0.01;
    let slow = run(time, 30_000, true_at, |i| true_at(i) + 0.003 * jitter(i), |i| true_at(i) * (1.0 - 80e-6) * 1e6);
    let drift = slow.timing.timer().drift().unwrap();
    assert!((drift.ppm - 80.0).abs() < 5.0 && drift.error < 3.0, "{drift:?}");
    let lag = slow.rows.iter().skip(500).map(|(at, true_at, _)| (at - true_at).abs()).fold(0.0, f64::max);
    assert!(lag < 0.004, "the times follow the host's: {lag}");
    assert!(slow.intervals.verdict(slow.timing.timer().in_force()).even);
    // A count that lost a digit is no reset of the clock and moves nothing after it.
    let time = Time::Board { channel: "t_us".into(), tick: Tick::Us, bits: None };
    let odd = run(time, 400, true_at, true_at, |i| if i == 200 { 9e12 } else { true_at(i) * 1e6 });
    assert!(odd.resets == 0 && worst(&odd, 0) < 0.001, "{}", worst(&odd, 0));
}

#[test]
fn the_first_rows_of_a_link_have_their_right_times_too() {
    let time_of = |run: &Run, row: usize| run.rows[row].0;
    // Rows that had waited for the port to be opened: they arrive together with the fifth.
    let true_at = |i: u32| f64::from(i) * 0.01;
    let waited = |i: u32| true_at(i.max(4)) + 0.0003 * jitter(i);
    let board = run(Time::Auto, 150, true_at, waited, |i| f64::from(i) * 10_000.0 + 77.0);
    assert!(matches!(board.timing.timer().in_force(), Time::Board { .. }));
    assert!(worst(&board, 0) < 0.0005, "{}", worst(&board, 0));
    // Bursts of 32 and 64 rows, with and without a clock, labelled or not.
    for size in [8u32, 32, 64] {
        let burst = |i: u32| f64::from(i / size * size + size - 1) * 0.01 + 0.0002 * jitter(i / size);
        for count in [&(|i: u32| f64::from(i) * 10_000.0) as &dyn Fn(u32) -> f64, &|_| f64::NAN] {
            let bursts = run(Time::Auto, 2000, true_at, burst, count);
            assert!(worst(&bursts, 0) < 0.0005, "{size}: {}", worst(&bursts, 0));
            let off = (0..2000).map(|row| (time_of(&bursts, row) - true_at(row as u32)).abs()).fold(0.0, f64::max);
            assert!(off < 0.004, "{size}: off by {off}");
        }
    }
}

#[test]
fn a_text_is_timed_by_its_own_clock_or_a_rate_and_never_by_when_it_was_read() {
    let times = |time: Time, rows: u32, opening: Opening, count: &dyn Fn(u32) -> f64| -> Vec<f64> {
        let mut timing = Timing::new(time);
        timing.shape(&Shape::labelled(["t_ms", "gauge"], true));
        timing.open(opening);
        let mut times = Vec::new();
        for i in 0..rows {
            match timing.row(Stamp(1000 + i64::from(i / 7)), &[count(i), 5.0]) {
                Timed::At(at, _) => times.push(at),
                Timed::Waits(..) => {}
                Timed::FinalTimes(settled) => times.extend(settled.times().iter().map(|(at, _)| *at)),
            }
        }
        times.extend(timing.finish().times().iter().map(|(at, _)| *at));
        let milliseconds = |at: &Stamp| (at.seconds_since(Stamp(1000)) * 1e3).round() / 1e3;
        times.iter().map(milliseconds).collect()
    };
    for arrives in [false, true] {
        let text = Opening::Text { at: Stamp(1000), arrives };
        // A pause of half a minute, and another pace behind it.
        let count = |i: u32| f64::from(if i < 100 { i * 100 } else { 39_900 + (i - 100) * 1000 });
        let clock = times(Time::Auto, 120, text, &count);
        assert_eq!((clock[0], clock[99], clock[100], clock[119]), (0.0, 9.9, 39.9, 58.9));
        let rate = times(Time::Rate { hz: 10.0 }, 500, text, &|_| f64::NAN);
        assert_eq!((rate[0], rate[499]), (0.0, 49.9));
        // A counter that wraps goes on, one that starts over goes on after one step, a damaged one moves nothing.
        let wraps = times(Time::Auto, 20, text, &|i| f64::from((65_400 + i * 10) % 65_536));
        assert_eq!(wraps[19], 0.19);
        let over = times(Time::Auto, 20, text, &|i| f64::from(if i < 10 { 500_000 + i * 10 } else { (i - 10) * 10 }));
        assert_eq!(over[19], 0.19);
        let damaged = times(Time::Auto, 20, text, &|i| if i == 12 { 9e15 } else { f64::from(i * 10) });
        assert_eq!(damaged[19], 0.19);
    }
    let untold = times(Time::Auto, 20, Opening::Text { at: Stamp(1000), arrives: false }, &|_| f64::NAN);
    assert_eq!(untold[19], 0.19);
    assert!(times(Time::Auto, 0, Opening::Link, &|_| 0.0).is_empty());
}

#[test]
fn the_rule_is_found_by_itself() {
    let found = |arrive: &dyn Fn(u32) -> f64, count: &dyn Fn(u32) -> f64| {
        run(Time::Auto, 1200, f64::from, arrive, count).timing.timer().in_force().clone()
    };
    let alone = |i: u32| f64::from(i) * 0.01 + 0.0005 * jitter(i);
    let none = |i: u32| 500.0 + 100.0 * jitter(i);
    assert_eq!(found(&alone, &none), Time::Arrival);
    assert_eq!(found(&burst, &none), Time::Even);
    let clock = Time::Board { channel: "t_us".into(), tick: Tick::Us, bits: None };
    assert_eq!(found(&alone, &|i| f64::from(i) * 10_000.0 + 77.0), clock);
    assert_eq!(found(&burst, &|i| f64::from(i) * 1000.0), clock);
    // A label that promises microseconds and counts something else is not believed.
    assert_eq!(found(&alone, &|i| f64::from(i)), Time::Arrival);
    let declared = run(Time::Rate { hz: 100.0 }, 1000, |i| f64::from(i) * 0.01, alone, none);
    assert!(worst(&declared, 0) < 0.0006);
}
