use super::*;
use crate::bench::{Bench, ChannelSettings, SourceSettings};
use crate::scale::Scale;
use crate::smooth::{Mean, Strength};
use crate::store::Limits;

fn at(seconds: f64) -> Stamp {
    Stamp::default().plus(seconds)
}

fn chain(rows: u32) -> Chain {
    let scale = Scale::linear(12, 4.096, 0.0, 10.0, "mm");
    let smooth = vec![Mean { window: Strength::Rows(3) }.into()];
    let channel = vec![ChannelSettings { scale, smooth, ..ChannelSettings::named("a") }];
    let mut chain = Chain::new(&Bench::of(SourceSettings { channel, ..SourceSettings::default() }), 0, Limits::NONE);
    for row in 0..rows {
        let value = if row % 10 == 7 { "nan".into() } else { (100 + row % 5).to_string() };
        chain.feed(at(f64::from(row) * 0.01), format!("a={value} b={row}\n").as_bytes());
    }
    chain
}

#[test]
fn a_block_is_the_last_rows_at_any_length() {
    let chain = chain(300);
    assert_eq!(Length::Rows(128).before(&chain, 300), 172..300);
    assert_eq!(Length::Rows(1000).before(&chain, 200), 0..200);
    assert_eq!(Length::Seconds(0.5).before(&chain, 300), 250..300);
    assert_eq!(Length::Rows(7).before(&chain, 0), 0..0);
    let block = Block::of(&chain, "x", 290..300, at(2.95));
    assert_eq!((block.times.len(), block.first_row), (10, 290));
    assert!((block.seconds(0) + 0.05).abs() < 1e-9 && (block.interval(1) - 0.01).abs() < 1e-9);
    let a = &block.columns[0];
    assert_eq!((a.unit.as_str(), a.full_scale), ("mm", Some(4096.0)));
    assert!(a.quantity[7].is_nan(), "{block:?}");
    assert!((a.quantity[1] - 1.01).abs() < 1e-12, "{a:?}");
    let csv = block.csv();
    let lines: Vec<&str> = csv.lines().collect();
    assert_eq!(lines[0], "index,time_s,interval_s,a raw,a (mm),a smoothed (mm),b");
    assert_eq!((lines[1], lines.len()), ("0,-0.05,,100,1,1.02333,290", 11));
    assert_eq!(lines[8], "7,0.02,0.01,,,,297");
}

#[test]
fn blocks_laid_over_each_other_are_read_off_lines() {
    let chain = chain(300);
    let (a, b) = (Block::of(&chain, "a", 100..110, at(1.0)), Block::of(&chain, "b", 200..210, at(1.995)));
    let over = laid_over(&a, &b, &b.columns[1].quantity);
    // Half a row apart: between 199.5 and 208.5, and nothing beyond.
    assert!((over[1] - 200.5).abs() < 1e-6 && (over[0] - 199.5).abs() > 0.4 || over[0].is_nan(), "{over:?}");
    assert!((over[5] - 204.5).abs() < 1e-6, "{over:?}");
    assert_eq!(laid_over(&a, &a, &a.columns[1].quantity), a.columns[1].quantity);
}

#[test]
fn a_histogram_counts_codes_alike_and_leaves_nothing_out() {
    let values = [3.0, 4.0, 4.0, 5.0, f64::NAN, 9.0];
    let of_codes = Histogram::of(&values, 1.0, 100).unwrap();
    assert_eq!((of_codes.begin, of_codes.width, of_codes.counts.clone()), (2.5, 1.0, vec![1, 2, 1, 0, 0, 0, 1]));
    let few = Histogram::of(&values, 1.0, 4).unwrap();
    assert_eq!((few.width, few.counts), (2.0, vec![3, 1, 0, 1]));
    let unknown = Histogram::of(&values, f64::NAN, 3).unwrap();
    assert_eq!(unknown.counts.iter().sum::<u64>(), 5);
    assert_eq!(Histogram::of(&[2.0, 2.0], 0.0, 8).unwrap().counts, [2]);
    assert_eq!(Histogram::of(&[f64::NAN], 1.0, 8), None);
}

#[test]
fn effective_bits_are_those_of_the_converter_until_noise_takes_some() {
    assert_eq!(effective_bits(4096.0, 0.0), 12.0);
    assert!((effective_bits(4096.0, 4.0 / 12f64.sqrt()) - 10.0).abs() < 1e-12);
}

#[test]
fn what_does_not_move_has_no_slope_and_gaps_are_counted() {
    let times: Vec<Stamp> = (0..500).map(|row| at(f64::from(row) * 0.01)).collect();
    let flat = Statistics::of(&times, &[5.1; 500]).unwrap();
    assert_eq!((flat.slope, flat.deviation < 1e-12, flat.distinct, flat.gaps), (0.0, true, 1, 0));
    let ramp: Vec<f64> =
        (0..500).map(|row| if row % 7 == 3 { f64::NAN } else { 1e6 + f64::from(row) * 0.02 }).collect();
    let ramp = Statistics::of(&times, &ramp).unwrap();
    assert!((ramp.slope - 2.0).abs() < 1e-6 && ramp.gaps == 71, "{ramp:?}");
    assert_eq!(Statistics::of(&times[..2], &[f64::NAN, f64::INFINITY]), None);
    let alone = Statistics::of(&times[..1], &[3.0]).unwrap();
    assert!(alone.slope.is_nan() && alone.deviation.is_nan() && alone.rms == 3.0);
}
