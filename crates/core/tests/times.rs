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
