//! Rows in time: whatever arrives, times never run backwards, and another rule gives the history the times that it would
//! have had from the beginning.

use amber_core::Stamp;
use amber_core::bench::{Bench, ChannelSettings, Kind, SourceSettings};
use amber_core::chain::Chain;
use amber_core::clock::{Intervals, Opening, Tick, Time, Timed, Timing};
use amber_core::split::Shape;
use amber_core::store::Limits;
use proptest::prelude::*;

fn rules() -> impl Strategy<Value = Time> {
    prop_oneof![
        Just(Time::Auto),
        Just(Time::Arrival),
        Just(Time::Even),
        (0..3usize, prop_oneof![Just(None), (8..40u8).prop_map(Some)]).prop_map(|(tick, bits)| Time::Board {
            channel: "t_us".into(),
            tick: Tick::ALL[tick],
            bits
        }),
        (0.01..5000.0f64).prop_map(|hz| Time::Rate { hz }),
    ]
}

/// A stream of a board with a clock, in chunks of some rows.
fn fed(time: Time, rows: u32, chunk: u32) -> Chain {
    let mut chain = Chain::new(&Bench::of(SourceSettings { time, ..SourceSettings::default() }), 0, Limits::default());
    chain.begin();
    let mut bytes = Vec::new();
    for i in 0..rows {
        bytes.extend_from_slice(format!("t_us={} gauge={}\n", i * 2000, 500 + i % 40).as_bytes());
        if i % chunk == chunk - 1 {
            chain.feed(Stamp(0).plus(f64::from(i) * 0.002 + 0.0003), &bytes);
            bytes.clear();
        }
    }
    chain
}

proptest! {
    #[test]
    fn times_never_run_backwards_whatever_arrives(
        rule in rules(),
        rows in proptest::collection::vec((0..2_000_000_000i64, prop_oneof![any::<f64>(), (0..1_000_000u32).prop_map(f64::from)]), 1..300),
        joins in proptest::collection::vec(any::<prop::sample::Index>(), 0..4),
    ) {
        let mut timing = Timing::new(rule);
        timing.shape(&Shape::labelled(["t_us", "gauge"], true));
        let joins: Vec<usize> = joins.iter().map(|join| join.index(rows.len())).collect();
        let (mut arrival, mut last) = (Stamp(0), Stamp(i64::MIN));
        let mut intervals = Intervals::default();
        for (i, (gap, count)) in rows.iter().enumerate() {
            if joins.contains(&i) {
                timing.open(Opening::Link);
                intervals.break_off();
            }
            arrival = Stamp(arrival.0 + gap);
            let times = match timing.row(arrival, &[*count, 1.0]) {
                Timed::At(at, _) => vec![at],
                Timed::Waits(..) => vec![],
                Timed::FinalTimes(settled) => settled.times().iter().map(|(at, _)| *at).collect(),
            };
            for time in times {
                prop_assert!(time >= last, "{time:?} after {last:?} with row {i}");
                intervals.row(time, arrival);
                last = time;
            }
        }
        if let Some(spacing) = intervals.spacing() {
            prop_assert!(spacing.spread.0 <= spacing.middle && spacing.middle <= spacing.spread.1);
            prop_assert!(spacing.longest >= spacing.spread.1 * (1.0 - 1e-6) && spacing.burst >= 1.0);
        }
        prop_assert!(!intervals.verdict(timing.timer().in_force()).reason.is_empty());
    }

    #[test]
    fn another_rule_times_the_history_as_if_it_had_been_set_before(before in rules(), after in rules(), chunk in 1..20u32) {
        let mut changed = fed(before, 500, chunk);
        changed.set_time(after.clone());
        let fresh = fed(after, 500, chunk);
        // What is detected was found with the first rows already, so only set rules can be compared.
        prop_assume!(fresh.timer().rule() != &Time::Auto);
        prop_assert_eq!(changed.store().rows(), fresh.store().rows());
        for row in fresh.store().rows() {
            prop_assert_eq!(changed.store().time(row), fresh.store().time(row));
            prop_assert_eq!(changed.store().arrival(row), fresh.store().arrival(row));
        }
    }
}

#[test]
fn bursts_with_a_board_clock_give_even_rows_and_the_history_before_it_was_found_too() {
    let chain = fed(Time::Auto, 1000, 10);
    let clock = Time::Board { channel: "t_us".into(), tick: Tick::Us, bits: None };
    assert_eq!(chain.timer().in_force(), &clock);
    let times: Vec<f64> =
        chain.store().rows().filter_map(|row| chain.store().time(row)).map(|t| t.seconds_since(Stamp(0))).collect();
    let worst = times.windows(2).map(|pair| (pair[1] - pair[0] - 0.002).abs()).skip(20).fold(0.0, f64::max);
    assert!(worst < 2e-4, "{worst}");
    assert_eq!(chain.channels()[0].kind(), Kind::Clock);
    let verdict = chain.intervals().verdict(&clock);
    assert!(verdict.even, "{verdict:?}");
    // By their arrival the same rows are of no use for a spectrum.
    let mut chain = chain;
    chain.set_time(Time::Arrival);
    assert!(chain.intervals().verdict(&Time::Arrival).reason.contains("bursts of 10"));
    assert_eq!(chain.live_settings().time, Time::Arrival);
}

#[test]
fn a_gap_and_uneven_rows_are_no_ground_for_a_spectrum() {
    let told = |at: &dyn Fn(u32) -> f64| {
        let mut intervals = Intervals::default();
        for i in 0..400 {
            let at = Stamp(0).plus(at(i));
            intervals.row(at, at);
        }
        intervals.verdict(&Time::Arrival)
    };
    assert!(told(&|i| f64::from(i) * 0.01).even);
    let gap = told(&|i| f64::from(i) * 0.01 + if i > 200 { 0.5 } else { 0.0 });
    assert!(!gap.even && gap.reason.contains("1 gap in the last"), "{gap:?}");
    let uneven = told(&|i| f64::from(i) * 0.01 + f64::from(i % 3) * 0.002);
    assert!(!uneven.even && uneven.reason.contains("as they arrive are 6 ms to 12 ms"), "{uneven:?}");
    let few = Intervals::default().verdict(&Time::Arrival);
    assert!(!few.even && few.reason.contains("0 of 64 rows"));
}

#[test]
fn channels_change_places_with_all_that_is_theirs() {
    let mut chain = fed(Time::Arrival, 300, 1);
    let settings = ChannelSettings { title: "level".into(), ..ChannelSettings::named("gauge") };
    chain.set_channel(1, settings);
    let before: Vec<_> = (0..300).map(|row| (chain.reading(0, row), chain.reading(1, row))).collect();
    chain.swap_channels(0, 1);
    assert_eq!(chain.channels().iter().map(|c| c.title()).collect::<Vec<_>>(), ["level", "t_us"]);
    for (row, (first, second)) in (0..300).zip(before) {
        assert_eq!((chain.reading(1, row), chain.reading(0, row)), (first, second));
    }
    // Rows that come then go to the right ones, and a bench remembers the order.
    chain.feed(Stamp(0).plus(9.0), b"t_us=7 gauge=8\n");
    assert_eq!((chain.store().raw(0, 300), chain.store().raw(1, 300)), (Some(8.0), Some(7.0)));
    let bench = Bench::of(chain.live_settings());
    let mut again = Chain::new(&bench, 0, Limits::default());
    again.begin();
    (0..4).for_each(|i| again.feed(Stamp(i), b"t_us=1 gauge=2\n"));
    assert_eq!(again.channels().iter().map(|c| c.title()).collect::<Vec<_>>(), ["level", "t_us"]);
    assert_eq!(again.store().raw(0, 3), Some(2.0));
    assert_eq!(again.channel_of_column(0), Some(1));
}

/// What a chain makes of a text: the label of its clock, and the seconds from each row to the next.
fn timed(lines: &[String]) -> (String, Vec<f64>) {
    let mut chain = Chain::new(&Bench::default(), 0, Limits::default());
    chain.open(Opening::Text { at: Stamp(0), arrives: false }, None);
    chain.feed(Stamp(0), lines.iter().map(|line| format!("{line}\n")).collect::<String>().as_bytes());
    chain.end();
    let times: Vec<Stamp> = chain.store().rows().filter_map(|row| chain.store().time(row)).collect();
    let clock = match chain.timer().in_force() {
        Time::Board { channel, .. } => channel.clone(),
        _ => String::new(),
    };
    (clock, times.windows(2).map(|pair| (pair[1].seconds_since(pair[0]) * 1e6).round() / 1e6).collect())
}

#[test]
fn clocks_are_read_as_people_write_them() {
    type Form = fn(f64, f64) -> String;
    const EPOCH: f64 = 1_772_755_190.0;
    let forms: [(&str, f64, Form); 20] = [
        ("Time (s),level", 0.25, |t, v| format!("{t:.3},{v}")),
        ("Timestamp [ms],level", 0.25, |t, v| format!("{:.0},{v}", 2311.0 + t * 1e3)),
        ("timestamp;level", 0.25, |t, v| format!("{:.0};{v}", 2311.0 + t * 1e3)),
        ("ts,level", 0.25, |t, v| format!("{:.2},{v}", 3.0 + t)),
        ("unix_time,level", 0.25, |t, v| format!("{:.2},{v}", EPOCH + t)),
        ("", 0.25, |t, v| format!("t={t:.2}s level={v}")),
        ("", 0.25, |t, v| format!("T+{t:.3}s level {v}")),
        ("", 0.25, |t, v| format!("{:.0}us level {v}", 105e3 + t * 1e6)),
        ("", 0.25, |t, v| format!("{:.0} ms: {v}", 2311.0 + t * 1e3)),
        ("", 0.25, |t, v| format!("[ {:.0} ms ] level {v}", 2311.0 + t * 1e3)),
        ("", 0.25, |t, v| format!("@{:.0} {v}", 2311.0 + t * 1e3)),
        ("", 0.25, |t, v| format!("I ({:.0}) flume: level {v}", 2311.0 + t * 1e3)),
        ("", 0.25, |t, v| format!("[{:12.6}] level {v}", 3.2 + t)),
        ("", 0.25, |t, v| format!("{:08.0}|{v}", 2311.0 + t * 1e3)),
        ("", 1.0, |t, v| format!("{:02.0}:{:02.0} {v}", ((t + 580.0) / 60.0).floor(), (t + 580.0) % 60.0)),
        ("", 0.25, |t, v| format!("{:.0},{v}", (EPOCH + t) * 1e3)),
        ("", 0.25, |t, v| format!("{:.0},{v}", (EPOCH + t) * 1e6)),
        ("", 1.0, |t, v| format!("{{\"ts\":{:.0},\"level\":{v}}}", EPOCH + t)),
        ("", 1.0, |t, v| format!("{{\"time\":\"2026-03-05T23:59:{:02.0}\",\"level\":{v}}}", t + 10.0)),
        ("", 1.0, |t, v| format!("Thu 05/03/2026 23:59:{:02.0},{v}", t + 10.0)),
    ];
    for (header, step, form) in forms {
        let rows = (0..40).map(|i| form(f64::from(i) * step, 500.0 + f64::from(i * 7 % 13)));
        let lines: Vec<String> =
            Some(header.to_owned()).filter(|line| !line.is_empty()).into_iter().chain(rows).collect();
        let (clock, steps) = timed(&lines);
        assert!(!clock.is_empty() && steps.len() == 39, "{} {clock} {steps:?}", lines[1]);
        assert!(steps.iter().all(|own| (own - step).abs() < 1e-4), "{}: {clock} {steps:?}", lines[1]);
    }
}

#[test]
fn what_merely_rises_is_no_clock() {
    let none = |line: fn(i32) -> String| timed(&(0..60).map(line).collect::<Vec<_>>()).0;
    assert_eq!(none(|i| format!("temp={:.4}", 21.5 + 0.06 * f64::from(i))), "");
    assert_eq!(none(|i| format!("{i},{}", 500 + i * 7 % 13)), "", "rows that are counted");
    assert_eq!(none(|i| format!("pulse_ms={} level={}", i * 40, i % 7)), "");
    // Live, at 25 rows a second: a quantity that rises by one and a half a second, or by just one, named or not.
    for (line, slope) in [("temp={}", 1.5), ("temp={}", 1.0), ("level={} gate=1", 1000.0), ("{}", 1.5)] {
        let mut chain = Chain::new(&Bench::default(), 0, Limits::default());
        for i in 0..600 {
            let value = format!("{:.4}", 21.5 + slope * f64::from(i) * 0.04);
            chain.feed(Stamp(i64::from(i) * 40_000_000), format!("{}\n", line.replace("{}", &value)).as_bytes());
        }
        assert_eq!(*chain.timer().in_force(), Time::Arrival, "{line} {slope}");
    }
}

#[test]
fn a_column_that_agreed_with_the_arrivals_by_chance_is_withdrawn_and_all_is_timed_again() {
    let mut chain = Chain::new(&Bench::default(), 0, Limits::default());
    // Numbers without a name rise by one a second for a while, and then wander.
    let value = |i: i64| if i < 300 { i as f64 * 0.04 } else { 12.0 + 40.0 * ((i - 300) as f64 * 0.05).sin().abs() };
    let mut was_clock = false;
    for i in 0..2000 {
        chain.feed(Stamp(i * 40_000_000), format!("{:.3},{}\n", value(i), i % 7).as_bytes());
        was_clock |= matches!(chain.timer().in_force(), Time::Board { .. });
    }
    assert!(was_clock && *chain.timer().in_force() == Time::Arrival, "{:?}", chain.timer().in_force());
    let at = |row: u64| chain.store().time(row).unwrap().0;
    assert!((0..2000).all(|row| at(row) == row as i64 * 40_000_000), "from the first row on");
    assert_eq!(chain.timer().resets(), 0);
}

#[test]
fn a_clock_that_is_off_is_made_true_and_one_that_is_right_stays_as_it_is() {
    for (off, least) in [(0.003, 2900.0), (-0.003, -3100.0), (0.0, -1.0)] {
        let mut chain = Chain::new(&Bench::default(), 0, Limits::default());
        // 100 rows a second for 75 s; arrivals are up to a millisecond late.
        let late = |i: i64| (i.wrapping_mul(2_654_435_761) >> 8 & 0xffff) * 15;
        for i in 0..7500i64 {
            let count = 70_000 + (i as f64 * 10.0 * (1.0 - off)).round() as i64;
            chain.feed(Stamp(i * 10_000_000 + late(i)), format!("t_ms={count} level={}\n", i % 9).as_bytes());
        }
        let times: Vec<i64> = chain.store().rows().filter_map(|row| chain.store().time(row)).map(|at| at.0).collect();
        let worst = times.iter().zip(0i64..).map(|(at, i)| (at - i * 10_000_000).abs()).max().unwrap();
        assert!(worst < 5_000_000, "{off}: {worst} ns from the host");
        let drift = chain.timer().drift().unwrap();
        assert!((drift.ppm - off * 1e6).abs() < 60.0 && drift.ppm >= least && drift.error < 50.0, "{off}: {drift:?}");
        if off == 0.0 {
            // Nothing is done to a clock that agrees with the arrivals: times lie apart as it says.
            assert!(times.windows(2).all(|pair| pair[1] - pair[0] == 10_000_000));
        }
    }
}
