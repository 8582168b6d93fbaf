//! Every filter over a hundred thousand rows against a bare copy loop; another filter over a million rows of history; spectra.
//!
//! `cargo bench -p amber-core --bench smooth`

#![allow(missing_docs)]

use amber_core::Stamp;
use amber_core::bench::{Bench, ChannelSettings};
use amber_core::chain::Chain;
use amber_core::part::Listed;
use amber_core::smooth::{Butterworth, Filter, Mean, Median, SavitzkyGolay, Smoother, Spikes, Strength};
use amber_core::spectrum::{Maker, Recipe, peaks};
use amber_core::store::Limits;
use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use std::fmt::Write;
use std::hint::black_box;

const ROWS: usize = 100_000;
const MANY: u32 = 1_000_000;

/// Rows of a piece, as they come.
const PIECE: usize = 4096;

fn value(row: usize) -> f64 {
    let mut mixed = (row as u64).wrapping_mul(0x9E37_79B9_7F4A_7C15);
    mixed ^= mixed >> 29;
    2048.0 + 300.0 * (row as f64 * 0.01).sin() + (mixed % 17) as f64
}

fn filters(criterion: &mut Criterion) {
    let times: Vec<Stamp> = (0..ROWS).map(|row| Stamp(row as i64 * 250_000)).collect();
    let values: Vec<f64> = (0..ROWS).map(value).collect();
    let mut out = values.clone();
    let mut group = criterion.benchmark_group("smoothing 100,000 rows");
    group.sample_size(20).throughput(Throughput::Elements(ROWS as u64));
    group.bench_function("copy loop", |b| {
        b.iter(|| {
            for (out, value) in out.iter_mut().zip(&values) {
                *out = black_box(*value);
            }
        });
    });
    let rows = Strength::Rows;
    let mut all: Vec<(String, Filter)> =
        Filter::KINDS.iter().map(|kind| (kind.name.to_owned(), Filter::of_kind(kind.name).unwrap())).collect();
    for n in [101, 10_001] {
        all.push((format!("mean of {n}"), Mean { window: rows(n) }.into()));
        all.push((format!("median of {n}"), Median { window: rows(n) }.into()));
        all.push((format!("spikes of {n}"), Spikes { window: rows(n), deviations: 5.0 }.into()));
        all.push((
            format!("savitzky-golay of {n}"),
            SavitzkyGolay { window: rows(n), degree: 2, at_newest: false }.into(),
        ));
    }
    all.push(("butterworth of order 8".into(), Butterworth { order: 8, ..Butterworth::default() }.into()));
    for (name, filter) in all {
        group.bench_function(name, |b| {
            b.iter(|| {
                let mut smoother = Smoother::new(std::slice::from_ref(&filter));
                out.copy_from_slice(&values);
                for (times, out) in times.chunks(PIECE).zip(out.chunks_mut(PIECE)) {
                    smoother.push_all(times, out);
                }
            });
        });
    }
    group.finish();
}

fn history(criterion: &mut Criterion) {
    let mut chain = Chain::new(&Bench::default(), 0, Limits::NONE);
    for from in (0..MANY).step_by(100) {
        let text = (from..from + 100).fold(String::new(), |mut text, i| {
            let _ = writeln!(text, "x={:.0} y=1", value(i as usize));
            text
        });
        chain.feed(Stamp(i64::from(from) * 1_000_000), text.as_bytes());
    }
    let mut group = criterion.benchmark_group("another filter over a million rows");
    group.sample_size(10);
    let mut strength = 5;
    for (name, of) in [
        ("mean", (|n| Mean { window: Strength::Rows(n) }.into()) as fn(u32) -> Filter),
        ("median", |n| Median { window: Strength::Rows(n) }.into()),
        ("low-pass", |n| Butterworth { cutoff: f64::from(n), ..Butterworth::default() }.into()),
        ("savitzky-golay", |n| SavitzkyGolay { window: Strength::Rows(n), degree: 2, at_newest: false }.into()),
    ] {
        group.bench_function(name, |b| {
            b.iter(|| {
                strength = 5 + (strength + 1) % 40;
                chain.set_channel(0, ChannelSettings { smooth: vec![of(strength)], ..ChannelSettings::named("x") });
            });
        });
    }
    group.finish();
}

fn spectra(criterion: &mut Criterion) {
    let values: Vec<f64> = (0..16_384).map(value).collect();
    let mut maker = Maker::default();
    let mut group = criterion.benchmark_group("a spectrum of 16,384 rows");
    for length in [1024, 4096, 16_384] {
        let recipe = Recipe { length, ..Recipe::default() };
        group.bench_function(format!("parts of {length}"), |b| {
            b.iter(|| maker.spectrum(black_box(&values), 100.0, recipe))
        });
    }
    let spectrum = maker.spectrum(&values, 100.0, Recipe::default()).unwrap();
    group.bench_function("its peaks", |b| b.iter(|| peaks::find(black_box(&spectrum))));
    group.finish();
}

criterion_group!(benches, filters, history, spectra);
criterion_main!(benches);
