//! Split and parse, each shape of text, against a bare loop over the same bytes in the same run.
//!
//! `cargo bench -p amber-core --bench split`; the ratio is `bare loop` time over ours.

#![allow(missing_docs)]

use amber_core::Stamp;
use amber_core::split::{CheckKind, LineOutcome, Shape, Sink, Splitter};
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

/// Records of a count and four codes in each framing, with the shape that says it.
fn frames() -> Vec<(&'static str, &'static str, Vec<u8>)> {
    let check = CheckKind::named("crc-16/ibm-3740").expect("it is known");
    let record = |i: u32| -> Vec<u8> {
        [i, 1800 + i * 7 % 900, 2000 + i * 13 % 700, 400 + i % 90, i % 2]
            .iter()
            .flat_map(|v| (*v as u16).to_le_bytes())
            .collect()
    };
    let checked = |i: u32| {
        let mut record = record(i);
        record.extend((check.of(&record) as u16).to_le_bytes());
        record
    };
    let all = |frame: &dyn Fn(u32) -> Vec<u8>| (0..ROWS).flat_map(frame).collect::<Vec<u8>>();
    let stuffed = |i: u32| {
        let plain = checked(i);
        let mut stuffed = vec![0; cobs::max_encoding_length(plain.len()) + 1];
        let length = cobs::encode(&plain, &mut stuffed);
        stuffed.truncate(length + 1);
        stuffed
    };
    let escaped = |i: u32| {
        let escape = |byte: u8| match byte {
            0xc0 => vec![0xdb, 0xdc],
            0xdb => vec![0xdb, 0xdd],
            other => vec![other],
        };
        checked(i).into_iter().flat_map(escape).chain([0xc0]).collect()
    };
    let item = |i: u32| {
        let mut item = b"\xa2\x61a\x19".to_vec();
        item.extend((1800 + (i * 7 % 900) as u16).to_be_bytes());
        item.extend(b"\x61b\x19");
        item.extend((2000 + (i * 13 % 700) as u16).to_be_bytes());
        item
    };
    let sync = |record: Vec<u8>| [vec![0xa5, 0x5a], record].concat();
    let counted = |i: u32| {
        [vec![0xa5, 0x5a, 10], {
            let mut rest = record(i);
            let word = check.of(&[vec![10], rest.clone()].concat()) as u16;
            rest.extend(word.to_le_bytes());
            rest
        }]
        .concat()
    };
    vec![
        ("frames, fixed", "frames sync A55A little n:count16 a:u16x4", all(&|i| sync(record(i)))),
        ("frames, fixed, CRC", "frames sync A55A crc-16/ibm-3740 little n:count16 a:u16x4", all(&|i| sync(checked(i)))),
        ("frames, length, CRC", "frames sync A55A length8 crc-16/ibm-3740 little n:count16 a:u16x4", all(&counted)),
        ("frames, COBS, CRC", "frames cobs crc-16/ibm-3740 little n:count16 a:u16x4", all(&stuffed)),
        ("frames, SLIP, CRC", "frames slip crc-16/ibm-3740 little n:count16 a:u16x4", all(&escaped)),
        ("frames, CBOR", "frames items cbor a b", all(&item)),
    ]
}

/// The least that any reader of records must do: take the numbers at their places.
fn bare_records(bytes: &[u8]) -> f64 {
    let number = |pair: &[u8]| f64::from(u16::from_le_bytes([pair[0], pair[1]]));
    bytes.chunks_exact(14).map(|frame| frame[4..12].chunks_exact(2).map(number).sum::<f64>()).sum()
}

fn cut_frames(criterion: &mut Criterion) {
    for (name, shape, bytes) in frames() {
        let shape: Shape = shape.parse().expect("it is one");
        let mut group = criterion.benchmark_group(name);
        group.throughput(Throughput::Bytes(bytes.len() as u64)).sample_size(20);
        group.bench_function("bare loop", |b| b.iter(|| bare_records(black_box(&bytes))));
        group.bench_function("splitter", |b| {
            b.iter(|| {
                let (mut splitter, mut sum) = (Splitter::new(Some(shape.clone())), Sum::default());
                black_box(&bytes).chunks(4096).for_each(|piece| splitter.feed(Stamp(0), piece, &mut sum));
                sum.0
            })
        });
        group.finish();
    }
}

/// Lines of so many kinds, in no order.
fn mixed(kinds: usize, lines: u32) -> String {
    let mut chance = 7u32;
    let mut any = |end: u32| {
        chance = chance.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (chance >> 8) % end
    };
    let mut text = String::new();
    for i in 0..lines {
        let [a, b] = [any(4096), any(100)];
        text += &match any(kinds as u32) {
            0 => format!("n={i} a={a}\n"),
            1 => format!("{i},{b},{a}\n"),
            2 => format!("{{\"t\":{i},\"v\":{a}}}\n"),
            3 => format!("temp {b}.5 hum {b}\n"),
            4 => format!("$GPX,{i},{a}*{b:02X}\n"),
            5 => format!("[{i}] level: {b}\n"),
            6 => format!("{i}\t{a}\t{b}\n"),
            7 => format!("A{a}B{b}\n"),
            8 => format!("12:00:{:02} p {a} kPa\n", i % 60),
            9 => format!("{a:04x} {b:04x}\n"),
            kind => format!("kind {kind} {}{a} ({b})\n", "x".repeat(kind as usize)),
        };
    }
    text
}

/// What takes longest to find a shape for: a few thousand lines that have none in common.
fn without_one_shape(criterion: &mut Criterion) {
    let mut group = criterion.benchmark_group("5000 lines of mixed kinds");
    for kinds in [1, 2, 3, 5, 8, 12, 20] {
        let text = mixed(kinds, 5000);
        group.sample_size(10).bench_function(format!("{kinds} kinds"), |b| {
            b.iter(|| {
                let (mut splitter, mut sum) = (Splitter::new(None), Sum::default());
                black_box(text.as_bytes()).chunks(64).for_each(|piece| splitter.feed(Stamp(0), piece, &mut sum));
                sum.0
            })
        });
    }
    group.finish();
}

criterion_group!(benches, split, cut_frames, without_one_shape);
criterion_main!(benches);
