//! Split and parse, each shape of text, against a bare loop over the same bytes in the same run.
//!
//! `cargo bench -p amber-core --bench split`; the ratio is `bare loop` time over ours.

#![allow(missing_docs)]

use amber_core::Stamp;
use amber_core::split::{LineOutcome, Shape, Sink, Splitter};
use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use std::fmt::Write;
use std::hint::black_box;

/// Adds up, so that nothing can be left out.
#[derive(Default)]
struct Sum(f64);

impl Sink for Sum {
    fn shape(&mut self, _: &Shape) {}

    fn line(&mut self, _: Stamp, outcome: LineOutcome, _: &[u8]) {
        self.0 += f64::from(u8::from(matches!(outcome, LineOutcome::Rejected(_))));
    }

    fn row(&mut self, _: Stamp, values: &[f64]) {
        self.0 += values.iter().sum::<f64>();
    }
}

/// So many bytes of each stream, about.
const ROWS: u32 = 60_000;

fn stream(mut line: impl FnMut(u32, &mut String)) -> String {
    let mut text = String::new();
    for i in 0..ROWS {
        line(i, &mut text);
        text.push_str("\r\n");
    }
    text
}

/// A stream of each shape, with what its fields and values begin and end with, for the bare loop.
fn streams() -> [(&'static str, String, &'static [u8]); 8] {
    let (a, b, c) = (|i: u32| 1800 + i * 7 % 900, |i: u32| 2000 + i * 13 % 700, |i: u32| 400 + i % 90);
    let put = |text: &mut String, line: std::fmt::Arguments<'_>| {
        let _ = text.write_fmt(line);
    };
    [
        (
            "labelled",
            stream(|i, t| {
                let clock = i * 10_000;
                put(
                    t,
                    format_args!("t_us={clock} gauge_a={} gauge_b={} bed={} paddle={} pump=0", a(i), b(i), c(i), i % 2),
                );
            }),
            b" =",
        ),
        (
            "plain",
            stream(|i, t| put(t, format_args!("{},{}.{:03},{},{}", i * 10_000, i % 4096, i % 1000, b(i), i % 2))),
            b",",
        ),
        ("one bare", stream(|i, t| put(t, format_args!("{}", b(i)))), b","),
        (
            "worded",
            stream(|i, t| put(t, format_args!("gauge {} cnt  ({}.{:03} V)  bed: {}", a(i), i % 4, i % 1000, c(i)))),
            b" ()",
        ),
        ("per-line", stream(|i, t| put(t, format_args!("gauge={}\r\nbed={}\r\npump={}", a(i), c(i), i % 2))), b"="),
        ("brackets", stream(|i, t| put(t, format_args!("({}, {}, {})", a(i), b(i), c(i)))), b"(, )"),
        (
            "json",
            stream(|i, t| {
                let on = i % 2 == 0;
                put(t, format_args!("{{\"bed\":{{\"p\":{}}},\"gauge\":[{},{}],\"on\":{on}}}", c(i), a(i), b(i)));
            }),
            b"{}[]:,",
        ),
        (
            "hexadecimal, decimal comma",
            stream(|i, t| put(t, format_args!("0x{:X}; {},{:03}; {}", a(i), i % 4, i % 1000, c(i)))),
            b"; ",
        ),
    ]
}

/// The least that any reader must do: find lines, find fields, parse them with a fast library.
fn bare_loop(bytes: &[u8], ends: &[u8]) -> f64 {
    let mut sum = 0.0;
    for line in bytes.split(|b| *b == b'\n') {
        for field in line.split(|b| ends.contains(b) || *b == b'\r') {
            if let Ok(value) = fast_float2::parse::<f64, _>(field) {
                sum += value;
            }
        }
    }
    sum
}

fn split(criterion: &mut Criterion) {
    for (name, text, ends) in streams() {
        let bytes = text.as_bytes();
        let mut group = criterion.benchmark_group(name);
        group.throughput(Throughput::Bytes(bytes.len() as u64)).sample_size(20);
        group.bench_function("bare loop", |b| b.iter(|| bare_loop(black_box(bytes), ends)));
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
