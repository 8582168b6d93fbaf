//! A chart's worth of spans out of a million rows, against a scan of the same rows; and taking rows in.
//!
//! `cargo bench -p amber-core --bench store`

#![allow(missing_docs)]

use amber_core::Stamp;
use amber_core::bench::{Bench, ChannelSettings, SourceSettings, Split};
use amber_core::chain::Chain;
use amber_core::clock::Time;
use amber_core::smooth::{Filter, Mean, Median, Strength};
use amber_core::store::Limits;
use amber_core::window::{Columns, Grid, Motion};
use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use std::fmt::Write;

const CHANNELS: usize = 6;

fn lines(from: u32, rows: u32) -> String {
    (from..from + rows).fold(String::new(), |mut text, i| {
        for channel in 0..CHANNELS as u32 {
            let _ = write!(text, "c{channel}={} ", 2000 + i * (7 + channel) % 900);
        }
        text + "\r\n"
    })
}

fn filled(rows: u32) -> Chain {
    let smooth = vec![Filter::from(Mean { window: Strength::Rows(9) })];
    let channel = |i| ChannelSettings { smooth: smooth.clone(), ..ChannelSettings::named(&format!("c{i}")) };
    let bench =
        Bench::of(SourceSettings { channel: (0..CHANNELS).map(channel).collect(), ..SourceSettings::default() });
    let mut chain = Chain::new(&bench, 0, Limits::NONE);
    for from in (0..rows).step_by(10) {
        chain.feed(Stamp(i64::from(from) * 1_000_000), lines(from, 10).as_bytes());
    }
    chain
}

fn store(criterion: &mut Criterion) {
    let chain = filled(1_000_000);
    let columns = Columns::new(Stamp(1_000_000_000_000), 1000.0, 240, Motion::Scroll);
    let mut group = criterion.benchmark_group("a window of a million rows, 6 channels, 240 columns");
    group.sample_size(20);
    group.bench_function("pyramid", |b| {
        b.iter(|| {
            let grid = Grid::new(chain.store(), &columns, Stamp(i64::MAX), Some(0.001));
            chain.channels().iter().map(|channel| grid.trace(channel.output()).len()).sum::<usize>()
        })
    });
    group.bench_function("scan", |b| {
        b.iter(|| {
            let span = |channel: usize, rows: std::ops::Range<u64>| {
                rows.filter_map(|row| chain.channels()[channel].output().get(row))
                    .fold((f64::INFINITY, f64::NEG_INFINITY), |s, v| (s.0.min(v), s.1.max(v)))
            };
            (0..CHANNELS)
                .flat_map(|c| (0..240).map(move |i| (c, i)))
                .map(|(c, i)| span(c, i * 4166..(i + 1) * 4166).0)
                .sum::<f64>()
        })
    });
    group.finish();

    let text = lines(0, 10_000);
    let mut group = criterion.benchmark_group("taking in rows of 6 channels, smoothed");
    group.throughput(Throughput::Elements(10_000)).sample_size(20);
    let mut chain = filled(10);
    chain.set_limits(Limits::default());
    group.bench_function("chain", |b| b.iter(|| chain.feed(Stamp(0), text.as_bytes())));
    group.finish();

    let mut chain = filled(1_000_000);
    let mut group = criterion.benchmark_group("an edit over a million rows of history");
    group.sample_size(10);
    // A scale alone is measured in the bench of that name.
    let mean = ("moving average of 9".to_owned(), Filter::from(Mean { window: Strength::Rows(9) }));
    let median = |rows| (format!("median of {rows}"), Filter::from(Median { window: Strength::Rows(rows) }));
    for (name, filter) in [mean].into_iter().chain([5, 31, 501, 5000, 60_000].map(median)) {
        let smooth = vec![filter];
        let mut settings = ChannelSettings { smooth, ..ChannelSettings::named("c0") };
        group.bench_function(name, |b| {
            b.iter(|| {
                // Settings that are the same cost nothing.
                settings.scale.unit.push('x');
                chain.set_channel(0, settings.clone());
            });
        });
    }
    group.finish();

    // As many lines as are kept: another shape splits them again.
    let mut chain = filled(400_000);
    let mut group = criterion.benchmark_group("24 MB of lines, which 400 000 rows more than fill");
    group.sample_size(10);
    let shape = chain.shape().cloned();
    group.bench_function("another shape", |b| {
        b.iter(|| chain.set_split(shape.clone().map_or(Split::Auto, Split::Pinned)));
    });
    group.bench_function("another time", |b| b.iter(|| chain.set_time(Time::Even)));
    group.finish();
}

criterion_group!(benches, store);
criterion_main!(benches);
