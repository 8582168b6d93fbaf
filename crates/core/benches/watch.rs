//! 64 conditions over a second of rows at 10,000 a second, against the same comparisons in a bare loop.
//!
//! `cargo bench -p amber-core --bench watch`

#![allow(missing_docs)]

use amber_core::Stamp;
use amber_core::bench::ChannelSettings;
use amber_core::derive::Values;
use amber_core::watch::condition::{Above, Changing, Condition, Conditions, Inside, Settled, Silent, Test};
use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use std::hint::black_box;

const ROWS: usize = 10_000;

fn conditions() -> Vec<Condition> {
    let of = |place: usize| ["a", "b", "c", "d"][place % 4].to_owned();
    let test = |place: usize| match place % 8 {
        0..4 => Test::Above(Above { of: of(place), value: 1000.0 + place as f64 * 30.0, hysteresis: 20.0 }),
        4 => Test::Inside(Inside { of: of(place), low: 900.0, high: 1500.0, hysteresis: 10.0 }),
        5 => Test::Above(Above { of: "sqrt(a^2 + b^2)".into(), value: 2500.0, hysteresis: 30.0 }),
        6 => {
            Test::Changing(Changing { of: of(place), rate: 500.0, hysteresis: 50.0, over: 0.1, ..Changing::default() })
        }
        _ if place.is_multiple_of(16) => Test::Silent(Silent::default()),
        _ => Test::Settled(Settled { of: of(place), band: 300.0, seconds: 0.2 }),
    };
    (0..64).map(|place| Condition { test: vec![test(place)], ..Condition::named(&format!("c{place}")) }).collect()
}

fn watch(c: &mut Criterion) {
    let mut values = vec![Values::default(); 4];
    for (channel, values) in values.iter_mut().enumerate() {
        let wave =
            |row: usize| 1500.0 + 900.0 * (row as f64 * 0.002 * (channel + 1) as f64).sin() + (row * 7 % 13) as f64;
        values.raw = (0..ROWS).map(wave).collect();
    }
    let channels = ["a", "b", "c", "d"].map(ChannelSettings::named);
    let times: Vec<Stamp> = (0..ROWS as i64).map(|row| Stamp(row * 100_000)).collect();
    let settings = conditions();
    let mut group = c.benchmark_group("conditions");
    group.throughput(Throughput::Elements(ROWS as u64));
    group.bench_function("64 conditions", |bencher| {
        bencher.iter(|| {
            let mut conditions = Conditions::new(&settings, &channels);
            let mut changes = Vec::new();
            conditions.rows(0, &times, &values, &mut changes);
            black_box(changes.len())
        });
    });
    group.bench_function("64 comparisons a row, in a bare loop", |bencher| {
        bencher.iter(|| {
            let mut changes = 0usize;
            let mut was = [false; 64];
            for row in 0..ROWS {
                for (place, was) in was.iter_mut().enumerate() {
                    let is = black_box(values[place % 4].raw[row]) > 1000.0 + place as f64 * 30.0;
                    changes += usize::from(std::mem::replace(was, is) != is);
                }
            }
            black_box(changes)
        });
    });
    group.finish();
}

criterion_group!(benches, watch);
criterion_main!(benches);
