//! The formula engine against the same formula in Rust; a scale and a formula over a million rows of history against a
//! bare loop; finding levels.
//!
//! `cargo bench -p amber-core --bench scale`

#![allow(missing_docs)]

use amber_core::Stamp;
use amber_core::bench::{Bench, ChannelSettings};
use amber_core::chain::Chain;
use amber_core::formula::{Formula, Program};
use amber_core::levels::{LevelRule, Levels};
use amber_core::part::Listed;
use amber_core::scale::{Gain, Offset, Scale, Step};
use amber_core::store::Limits;
use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use std::fmt::Write;
use std::hint::black_box;

const ROWS: u32 = 1_000_000;

const LENGTH: &str = "sqrt(x^2+y^2+z^2)";

fn filled() -> Chain {
    let mut chain = Chain::new(&Bench::default(), 0, Limits::NONE);
    for from in (0..ROWS).step_by(100) {
        let text = (from..from + 100).fold(String::new(), |mut text, i| {
            let _ = writeln!(text, "x={} y={} z={}", 2000 + i * 7 % 900, 1500 + i * 11 % 700, 1000 + i * 13 % 500);
            text
        });
        chain.feed(Stamp(i64::from(from) * 1_000_000), text.as_bytes());
    }
    chain
}

fn formulas(criterion: &mut Criterion) {
    let mut group = criterion.benchmark_group("one row of sqrt(x^2+y^2+z^2)");
    let rows: Vec<[f64; 3]> = (0..1000).map(|i| [f64::from(i), f64::from(i * 7 % 90), f64::from(i % 13)]).collect();
    group.throughput(Throughput::Elements(rows.len() as u64));
    let mut program = Program::parse(LENGTH).unwrap();
    group.bench_function("engine", |b| {
        b.iter(|| rows.iter().map(|row| program.run(Stamp(0), black_box(row))).sum::<f64>());
    });
    group.bench_function("in Rust", |b| {
        let length = |row: &[f64; 3]| (row[0].powi(2) + row[1].powi(2) + row[2].powi(2)).sqrt();
        b.iter(|| rows.iter().map(|row| length(black_box(row))).sum::<f64>());
    });
    group.finish();
}

fn history(criterion: &mut Criterion) {
    let mut chain = filled();
    let formula = Some(Formula::new(LENGTH).unwrap());
    let length = chain.add_computed(ChannelSettings { formula, ..ChannelSettings::named("length") }).unwrap();
    let mut group = criterion.benchmark_group("an edit over a million rows");
    group.sample_size(20);
    let own = |name: &str, scale: Scale| ChannelSettings { scale, ..ChannelSettings::named(name) };
    // A channel that nothing is computed from, so that the line alone is measured.
    let mut alone = filled();
    let mut gain = 1.0;
    group.bench_function("a line", |b| {
        b.iter(|| {
            gain += 1.0;
            alone.set_channel(0, own("x", Scale::linear(12, 3.3, 0.5, gain, "mm")));
        });
    });
    let mut thermistor = Scale::linear(12, 3.3, 0.0, 1.0, "");
    thermistor.steps.extend(["divider", "thermistor"].map(|kind| Step::of_kind(kind).unwrap()));
    group.bench_function("a thermistor behind a divider", |b| {
        b.iter(|| {
            gain += 1.0;
            let mut scale = thermistor.clone();
            scale.steps.push(Gain { factor: gain, unit: String::new() }.into());
            alone.set_channel(1, own("y", scale));
        });
    });
    let mut scale = Scale::default();
    group.bench_function("a formula over three channels", |b| {
        b.iter(|| {
            scale.steps = vec![Offset { subtract: gain }.into()];
            gain += 1.0;
            let settings = ChannelSettings { scale: scale.clone(), ..chain.channels()[length].settings().clone() };
            chain.set_channel(length, settings);
        });
    });
    let mut raw: Vec<f64> = Vec::new();
    alone.store().read_raw(0, alone.store().rows(), &mut raw);
    group.bench_function("a bare loop that multiplies and finds least and most", |b| {
        b.iter(|| {
            let mut out = Vec::with_capacity(raw.len());
            let mut ends = (f64::INFINITY, f64::NEG_INFINITY);
            for value in &raw {
                let value = value * black_box(0.08) - 50.0;
                ends = (ends.0.min(value), ends.1.max(value));
                out.push(value as f32);
            }
            (out.len(), ends)
        });
    });
    group.finish();
}

fn levels(criterion: &mut Criterion) {
    let mut group = criterion.benchmark_group("finding levels");
    let rows: Vec<f64> = (0..100_000u64).map(|i| (2000 + i / 900 * 37 % 300 + i * 7919 % 5) as f64).collect();
    group.throughput(Throughput::Elements(rows.len() as u64));
    group.bench_function("rows", |b| {
        b.iter(|| {
            let mut levels = Levels::new(LevelRule::default());
            for (row, value) in (0..).zip(&rows) {
                levels.extend(row, &[Stamp(row as i64 * 10_000_000)], &[*value]);
            }
            levels.count()
        });
    });
    group.finish();
}

criterion_group!(benches, formulas, history, levels);
criterion_main!(benches);
