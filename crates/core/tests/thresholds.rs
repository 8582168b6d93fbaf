//! Advice on thresholds for made-up pairs of states: the rate of false switches that it promises, against the rate seen.

use amber_core::Stamp;
use amber_core::watch::advice::{FalseRate, Stretch, Verdict, advise};
use amber_core::watch::{Watch, Watcher};

/// Noise of deviation 1 with a character of its own.
struct Noise {
    seed: u64,
    kind: usize,
    row: u64,
    slow: f64,
}

const KINDS: [&str; 7] = ["white", "coloured 0.5", "coloured 0.9", "hum", "uniform", "drift", "spikes"];

impl Noise {
    fn new(kind: usize, seed: u64) -> Noise {
        Noise { seed: seed * 2 + 1, kind, row: 0, slow: 0.0 }
    }

    fn share(&mut self) -> f64 {
        // xorshift64*
        self.seed ^= self.seed >> 12;
        self.seed ^= self.seed << 25;
        self.seed ^= self.seed >> 27;
        (self.seed.wrapping_mul(0x2545_F491_4F6C_DD1D) >> 11) as f64 / (1u64 << 53) as f64
    }

    fn gauss(&mut self) -> f64 {
        let (a, b) = (self.share().max(1e-300), self.share());
        (-2.0 * a.ln()).sqrt() * (std::f64::consts::TAU * b).cos()
    }

    fn next(&mut self) -> f64 {
        self.row += 1;
        let white = self.gauss();
        match self.kind {
            0 => white,
            1 | 2 => {
                let keep: f64 = if self.kind == 1 { 0.5 } else { 0.9 };
                self.slow = keep * self.slow + (1.0 - keep * keep).sqrt() * white;
                self.slow
            }
            3 => 0.6 * white + 0.8 * 2f64.sqrt() * (0.7 * self.row as f64).sin(),
            4 => (self.share() - 0.5) * 12f64.sqrt(),
            5 => white + 4.0 * (self.row as f64 / 2500.0).min(1.0),
            _ => white + if self.share() < 0.002 { 25.0 } else { 0.0 },
        }
    }
}

fn advised(kind: usize, apart: f64, rows: usize, seed: u64) -> Verdict {
    let stretch = |word: &str, mean: f64, seed: u64| {
        let mut noise = Noise::new(kind, seed);
        Stretch { word: word.into(), values: (0..rows).map(|_| mean + noise.next()).collect() }
    };
    advise(&[stretch("open", apart, seed), stretch("covered", 0.0, seed + 77)], 0.01, 1e-6)
}

/// How often a threshold switches falsely, in times a row, in `rows` rows of either state.
fn seen(watch: Watch, kind: usize, apart: f64, rows: usize) -> f64 {
    let count = |mean: f64, seed: u64| {
        let mut noise = Noise::new(kind, seed);
        let mut watcher = Watcher::new(watch, 0);
        watcher.extend(&[Stamp(-10_000_000)], &[if mean == 0.0 { f64::MIN } else { f64::MAX }]);
        for part in 0..rows / 1000 {
            let values: Vec<f64> = (0..1000).map(|_| mean + noise.next()).collect();
            let times: Vec<Stamp> = (0..1000).map(|row| Stamp((part * 1000 + row) as i64 * 10_000_000)).collect();
            watcher.extend(&times, &values);
        }
        if mean == 0.0 { watcher.now().rises } else { watcher.now().falls }
    };
    (count(0.0, 9_001) + count(apart, 9_002)) as f64 / rows as f64
}

/// `rows`: how long is looked for false switches.
fn promises_are_kept(rows: usize, seeds: u64) -> (usize, usize) {
    let (mut numbers, mut bounds) = (0, 0);
    for (kind, name) in KINDS.iter().enumerate() {
        for apart in [2.0, 2.5, 3.0, 4.0, 5.0, 6.5, 8.0, 12.0, 20.0, 50.0] {
            for seed in 1..=seeds {
                let what = format!("{name}, {apart} apart, seed {seed}");
                let advice = match advised(kind, apart, 2000, seed) {
                    Verdict::Threshold(advice) => advice,
                    Verdict::None(why) => {
                        assert!(apart < 5.0 || kind > 4, "{what}: {why}");
                        continue;
                    }
                    other => panic!("{what}: {other:?}"),
                };
                if advice.rate == FalseRate::Unknown {
                    assert!(!advice.doubts.is_empty(), "{what}: why it cannot be told is said");
                    continue;
                }
                // Chance alone makes a few more or fewer.
                let slack = 4.0 / rows as f64;
                for (promised, hold) in [(advice.rate, advice.watch.hold), (advice.unheld, 0.0)] {
                    let found = seen(Watch { hold, ..advice.watch }, kind, apart, rows);
                    match promised {
                        FalseRate::About(rate) => {
                            numbers += 1;
                            let is_kept = found <= 3.0 * rate + slack && found >= rate / 3.0 - slack;
                            assert!(is_kept, "{what}: {rate:e} promised, {found:e} seen, hold {hold}");
                        }
                        FalseRate::Below(rate) => {
                            bounds += 1;
                            assert!(found <= 3.0 * rate + slack, "{what}: below {rate:e} promised, {found:e} seen");
                        }
                        FalseRate::Unknown => {}
                    }
                }
                let watch = advice.watch;
                assert!(
                    watch.threshold - watch.hysteresis / 2.0 > 0.0
                        && watch.threshold + watch.hysteresis / 2.0 < apart + 4.0,
                    "{what}"
                );
            }
        }
    }
    (numbers, bounds)
}

#[test]
fn a_promise_of_how_often_it_switches_falsely_is_kept() {
    let (numbers, bounds) = promises_are_kept(100_000, 2);
    assert!(numbers >= 30 && bounds >= 100, "{numbers} numbers, {bounds} bounds");
}

/// `cargo test --release -p amber-core --test thresholds -- --ignored --nocapture`
#[test]
#[ignore = "a million rows of each"]
fn a_promise_is_kept_over_a_million_rows() {
    let (numbers, bounds) = promises_are_kept(1_000_000, 10);
    println!("{numbers} numbers and {bounds} bounds were promised and kept");
}
