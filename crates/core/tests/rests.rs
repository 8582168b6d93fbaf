//! Levels in every kind of noise, beside a plain segmentation: rests of ten deviations and six seconds at 100 rows a
//! second, and slow channels; with the figures printed (`cargo test -p amber-core --test rests -- --nocapture`).

#[path = "../src/chance.rs"]
mod chance;

use amber_core::Stamp;
use amber_core::levels::{LevelRule, Levels};
use chance::Chance;
use std::collections::VecDeque;
use std::f64::consts::TAU;

/// Deviations between two rests.
const STEP: f64 = 10.0;

/// The deviation of the noise, in counts.
const NOISE: f64 = 8.0;

/// Noise of deviation 1, row by row.
type Source = Box<dyn FnMut(&mut Chance) -> f64>;

fn white() -> Source {
    Box::new(|chance| chance.gauss())
}

/// Of a board that sends the mean of the last `rows` readings.
fn averaged(rows: usize) -> Source {
    let mut last = VecDeque::from(vec![0.0; rows]);
    Box::new(move |chance| {
        last.pop_front();
        last.push_back(chance.gauss());
        last.iter().sum::<f64>() / (rows as f64).sqrt()
    })
}

/// 50 Hz from the mains, and a tenth of it white.
fn hum(rate: f64) -> Source {
    let mut row = 0.0;
    Box::new(move |chance| {
        row += 1.0;
        ((TAU * 50.0 * row / rate).sin() * 2f64.sqrt() + 0.1 * chance.gauss()) / 1.01f64.sqrt()
    })
}

/// 1/f: octaves of the same strength, each held for twice as long as the one before (Voss and McCartney).
fn pink() -> Source {
    let (mut row, mut held) = (0u32, [0.0; 12]);
    Box::new(move |chance| {
        row += 1;
        held[row.trailing_zeros().min(11) as usize] = chance.gauss();
        held.iter().sum::<f64>() / 12f64.sqrt()
    })
}

struct Kind {
    name: String,
    rate: f64,
    source: Box<dyn Fn() -> Source>,
    /// Rows that are spikes.
    spikes: f64,
    /// Seconds in which a step is approached.
    settling: f64,
    /// In counts.
    noise: f64,
    /// The shortest and longest rest in seconds.
    rests: (f64, f64),
}

fn kinds() -> Vec<Kind> {
    let kind = |name: &str, rate: f64, source: fn() -> Source| Kind {
        name: name.into(),
        rate,
        source: Box::new(source),
        spikes: 0.0,
        settling: 0.0,
        noise: NOISE,
        rests: (6.0, 6.0),
    };
    let mut kinds = vec![kind("white", 100.0, white)];
    for rows in [2, 4, 8, 16] {
        kinds.push(Kind { source: Box::new(move || averaged(rows)), ..kind(&format!("mean of {rows}"), 100.0, white) });
    }
    for rate in [97.0, 110.0, 333.0, 1000.0] {
        kinds.push(Kind { source: Box::new(move || hum(rate)), ..kind(&format!("hum at {rate}"), rate, white) });
    }
    kinds.push(kind("1/f", 100.0, pink));
    kinds.push(Kind { settling: 0.5, ..kind("settling", 100.0, white) });
    for share in [0.01, 0.05, 0.1] {
        kinds.push(Kind { spikes: share, ..kind(&format!("{} % spikes", share * 100.0), 100.0, white) });
    }
    kinds.push(Kind { noise: 0.25, ..kind("flicker", 100.0, white) });
    for rate in [1.0, 2.0, 5.0, 10.0] {
        kinds.push(Kind { rests: (7.0, 15.0), ..kind(&format!("white at {rate}"), rate, white) });
    }
    kinds
}

/// Where the truth rests, in seconds, and the rows.
fn recording(kind: &Kind, seed: u64) -> (Vec<(f64, f64)>, Vec<f64>) {
    let mut chance = Chance(seed);
    let mut source = (kind.source)();
    let height = STEP * kind.noise.max(0.3);
    let (mut rests, mut rows, mut at, mut before) = (Vec::new(), Vec::new(), 0.0, 2000.0);
    for step in [0.0, 1.0, 2.0, 3.0, 4.0, 3.0, 2.0, 1.0, 2.0, 3.0] {
        let length = kind.rests.0 + (kind.rests.1 - kind.rests.0) * chance.share();
        let level = 2000.0 + height * step;
        let count = (length * kind.rate).round();
        for row in 0..count as usize {
            let within = row as f64 / kind.rate;
            let way = if kind.settling > 0.0 { (-within / kind.settling).exp() } else { 0.0 };
            let spike = if chance.share() < kind.spikes { 100.0 * kind.noise } else { 0.0 };
            rows.push((level + (before - level) * way + kind.noise * source(&mut chance) + spike).round());
        }
        let begin = if before == level { 0.0 } else { kind.settling * (STEP * 4.0).ln() };
        rests.push((at + begin, at + count / kind.rate));
        (at, before) = (at + count / kind.rate, level);
    }
    (rests, rows)
}

/// A plain segmentation: the medians of quarter seconds, or of single rows, stand together as long as each lies within
/// three of the usual spread of such a piece from the first; pieces of a second or more are levels.
fn plain(rows: &[f64], rate: f64) -> Vec<(f64, f64)> {
    let size = ((rate / 4.0) as usize).max(1);
    let median = |values: &[f64]| {
        let mut sorted = values.to_vec();
        sorted.sort_by(f64::total_cmp);
        sorted[sorted.len() / 2]
    };
    let pieces: Vec<(f64, f64)> = rows
        .chunks(size)
        .map(|piece| {
            let middle = median(piece);
            (middle, median(&piece.iter().map(|value| (value - middle).abs()).collect::<Vec<f64>>()))
        })
        .collect();
    let spreads: Vec<f64> = if size > 1 {
        pieces.iter().map(|piece| piece.1).collect()
    } else {
        rows.windows(2).map(|pair| (pair[1] - pair[0]).abs() / 2f64.sqrt()).collect()
    };
    let most = 3.0 * f64::max(1.48 * median(&spreads), 0.3);
    let (mut found, mut begin) = (Vec::new(), 0);
    for end in 1..=pieces.len() {
        if end < pieces.len() && (pieces[end].0 - pieces[begin].0).abs() <= most {
            continue;
        }
        if (end - begin) as f64 * size as f64 / rate >= 1.0 && end - begin >= 3 {
            found.push((begin as f64 * size as f64 / rate, end as f64 * size as f64 / rate));
        }
        begin = end;
    }
    found
}

fn levels(rows: &[f64], rate: f64) -> Vec<(f64, f64)> {
    let mut levels = Levels::new(LevelRule::default());
    for (row, value) in (0..).zip(rows) {
        levels.extend(row, &[Stamp::default().plus(row as f64 / rate)], &[*value]);
    }
    let seconds = |at: Stamp| at.seconds_since(Stamp(0));
    levels.found().iter().map(|level| (seconds(level.from), seconds(level.to))).collect()
}

/// How many rests have a level that covers half of them, and how many levels lie with a fifth or more outside of one.
fn figures(rests: &[(f64, f64)], found: &[(f64, f64)]) -> (usize, usize) {
    let overlap = |a: &(f64, f64), b: &(f64, f64)| (a.1.min(b.1) - a.0.max(b.0)).max(0.0);
    let inside = |level: &(f64, f64)| {
        let best = rests.iter().map(|rest| overlap(rest, level)).fold(0.0, f64::max);
        best >= 0.8 * (level.1 - level.0)
    };
    let is_found =
        |rest: &&(f64, f64)| found.iter().any(|level| inside(level) && overlap(rest, level) >= 0.5 * (rest.1 - rest.0));
    (rests.iter().filter(is_found).count(), found.iter().filter(|level| !inside(level)).count())
}

#[test]
fn rests_are_found_in_every_kind_of_noise() {
    println!("{:<14}{:>6}{:>7}{:>7}{:>7}   plain: {:>5}{:>7}", "", "rests", "found", "told", "false", "found", "false");
    let mut poor = Vec::new();
    for kind in kinds() {
        let (mut rests, mut found, mut told, mut wrong, mut plainly) = (0, 0, 0, 0, (0, 0));
        for seed in 1..=3 {
            let (truth, rows) = recording(&kind, seed);
            let own = levels(&rows, kind.rate);
            let (good, bad) = figures(&truth, &own);
            let (simple, off) = figures(&truth, &plain(&rows, kind.rate));
            (rests, found, told, wrong) = (rests + truth.len(), found + good, told + own.len(), wrong + bad);
            plainly = (plainly.0 + simple, plainly.1 + off);
        }
        println!("{:<14}{rests:>6}{found:>7}{told:>7}{wrong:>7}          {:>5}{:>7}", kind.name, plainly.0, plainly.1);
        if found * 10 < rests * 9 || wrong * 50 > told {
            poor.push(kind.name);
        }
    }
    assert!(poor.is_empty(), "{poor:?}");
}

/// The noise that a chain tells before and after a filter, beside that of the same rows with the level known.
#[test]
fn noise_is_measured_over_a_rest_whatever_it_is_like() {
    use amber_core::bench::{Bench, ChannelSettings};
    use amber_core::chain::Chain;
    use amber_core::smooth::{Filter, Mean, Price, Signal, Strength};
    use amber_core::stats::Basis;
    use amber_core::store::Limits;

    let deviation = |values: &[f64]| {
        let mean = values.iter().sum::<f64>() / values.len() as f64;
        (values.iter().map(|value| (value - mean).powi(2)).sum::<f64>() / values.len() as f64).sqrt()
    };
    println!("{:<14}{:>8}{:>8}{:>8}{:>8}", "", "before", "true", "after", "true");
    for kind in kinds().into_iter().filter(|kind| kind.rate >= 10.0) {
        let (mut chance, mut source) = (Chance(5), (kind.source)());
        let mut chain = Chain::new(&Bench::default(), 0, Limits::NONE);
        let mean = Filter::from(Mean { window: Strength::Rows(10) });
        let (mut noise, mut came, mut rows) = (Vec::new(), Vec::new(), 0u64);
        for row in 0..(20.0 * kind.rate) as u64 {
            let own = kind.noise * source(&mut chance);
            let spike = if chance.share() < kind.spikes { 100.0 * kind.noise } else { 0.0 };
            noise.push((own + 2000.0).round());
            came.push((own + spike + 2000.0).round());
            let at = Stamp::default().plus(row as f64 / kind.rate);
            chain.feed(at, format!("x={}\n", came[came.len() - 1]).as_bytes());
            rows = row + 1;
            if row == 10 {
                chain.set_channel(0, ChannelSettings { smooth: vec![mean.clone()], ..ChannelSettings::named("x") });
            }
        }
        let channel = &chain.channels()[0];
        let before = channel.noise(rows).unwrap();
        let signal = Signal { interval: 1.0 / kind.rate, noise: before.deviation, step: 0.0 };
        let price = Price::of(&channel.settings().smooth, signal);
        let after = channel.noise_after(rows, &price).unwrap();
        // Before, spikes are left out; a mean carries them on: there they are part of what is left.
        let smoothed: Vec<f64> = came.windows(10).map(|rows| rows.iter().sum::<f64>() / 10.0).collect();
        let (own, own_after) = (deviation(&noise), deviation(&smoothed));
        let told = (before.deviation, after.deviation);
        println!("{:<14}{:>8.3}{own:>8.3}{:>8.3}{own_after:>8.3}", kind.name, told.0, told.1);
        assert_eq!((before.basis, after.basis), (Basis::Settled, Basis::Settled), "{}", kind.name);
        assert!((told.0 / own - 1.0).abs() < 0.2, "{}", kind.name);
        assert!((told.1 / own_after - 1.0).abs() < 0.2, "{}", kind.name);
    }
}

/// Where a converter ends it gives one code: the noise there is none, and says nothing of the noise elsewhere.
#[test]
fn a_level_of_one_code_does_not_hide_the_noise() {
    use amber_core::bench::Bench;
    use amber_core::chain::Chain;
    use amber_core::stats::Basis;
    use amber_core::store::Limits;

    let mut chance = Chance(2);
    let mut chain = Chain::new(&Bench::default(), 0, Limits::NONE);
    for row in 0..2000u64 {
        let turned = if row < 800 { 4300.0 } else { 4300.0 - (row - 800) as f64 * 2.0 };
        let x = (turned + 1.5 * chance.gauss()).round().min(4095.0);
        chain.feed(Stamp::default().plus(row as f64 * 0.01), format!("x={x}\n").as_bytes());
    }
    let channel = &chain.channels()[0];
    assert!(channel.levels().found().iter().any(|level| level.mean == 4095.0), "{:?}", channel.levels().found());
    let noise = channel.noise(2000).unwrap();
    assert!(noise.basis == Basis::White && (noise.deviation - 1.5).abs() < 0.5, "{noise:?}");
}
