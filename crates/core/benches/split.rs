//! Split and parse, both text shapes, against a bare loop over the same bytes in the same run.
//!
//! `cargo bench -p amber-core --bench split`; the ratio is `bare loop` time over ours.

#![allow(missing_docs)]

use amber_core::Stamp;
use amber_core::split::{Refusal, Shape, Sink, Splitter};
use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use std::fmt::Write;
use std::hint::black_box;

/// Adds up, so that nothing can be left out.
#[derive(Default)]
struct Sum(f64);

impl Sink for Sum {
    fn shape(&mut self, _: &Shape) {}
    fn row(&mut self, _: Stamp, values: &[f64], _: &[u8]) {
        self.0 += values.iter().sum::<f64>();
    }
    fn message(&mut self, _: Stamp, _: &[u8]) {}
    fn half(&mut self, _: Stamp, _: &[u8]) {}
    fn refused(&mut self, _: Stamp, _: Refusal, _: &[u8]) {
        self.0 += 1.0;
    }
}

fn labelled() -> String {
    (0..60_000u32).fold(String::new(), |mut text, i| {
        let (a, b, c) = (1800 + i * 7 % 900, 2000 + i * 13 % 700, 400 + i % 90);
        let _ =
            write!(text, "t_us={} gauge_a={a} gauge_b={b} bed={c} paddle={} pump=0 sump=1830\r\n", i * 10_000, i % 2);
        text
    })
}

fn bare() -> String {
    (0..60_000u32).fold(String::new(), |mut text, i| {
        let _ = write!(text, "{},{}.{:03},{},{}\r\n", i * 10_000, i % 4096, i % 1000, 2000 + i * 13 % 700, i % 2);
        text
    })
}

/// The least that any reader must do: find lines, find fields, parse them with a fast library.
fn bare_loop(bytes: &[u8], field_ends: &[u8], value_begins: Option<u8>) -> f64 {
    let mut sum = 0.0;
    for line in bytes.split(|b| *b == b'\n') {
        for field in line.split(|b| field_ends.contains(b)) {
            let text = match value_begins {
                Some(sign) => field.iter().position(|b| *b == sign).map_or(&[][..], |at| &field[at + 1..]),
                None => field,
            };
            if let Ok(value) = fast_float2::parse::<f64, _>(text) {
                sum += value;
            }
        }
    }
    sum
}

fn split(criterion: &mut Criterion) {
    for (name, text, ends, sign) in
        [("labelled", labelled(), &b" \r"[..], Some(b'=')), ("bare", bare(), &b",\r"[..], None)]
    {
        let bytes = text.as_bytes();
        let mut group = criterion.benchmark_group(name);
        group.throughput(Throughput::Bytes(bytes.len() as u64)).sample_size(20);
        group.bench_function("bare loop", |b| b.iter(|| bare_loop(black_box(bytes), ends, sign)));
        group.bench_function("splitter", |b| {
            b.iter(|| {
                let (mut splitter, mut sum) = (Splitter::new(None), Sum::default());
                // As a serial port delivers: 4 KB at a time.
                black_box(bytes).chunks(4096).for_each(|piece| splitter.feed(Stamp(0), piece, &mut sum));
                sum.0
            })
        });
        group.finish();
    }
}

criterion_group!(benches, split);
criterion_main!(benches);
