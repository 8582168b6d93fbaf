//! Runs the fault trials at length and prints their counts. Run on demand:
//!
//! `cargo build --release && cargo run --release --example faults -- kills disks replugs blocked hostile damaged clocks`
//! `cargo run --release --example faults -- keys --minutes 60`, `… -- soak --minutes 60`
//!
//! `--times N` sets how often each is tried, `--minutes N` for how long.

#![allow(missing_docs)]

#[path = "../tests/faults/trials.rs"]
mod trials;

use trials::{Count, Outcome, Rig};

type Trial = (&'static str, usize, fn(&mut Rig, usize) -> Outcome<Count>);

const TRIALS: [Trial; 9] = [
    ("kills", 200, trials::kills),
    ("disks", 100, trials::disks),
    ("replugs", 200, trials::replugs),
    ("blocked", 20, trials::blocked),
    ("hostile", 1000, trials::hostile),
    ("damaged", 1000, trials::damaged),
    ("clocks", 8, trials::clocks),
    ("keys", 300, trials::keys),
    ("soak", 300, trials::soak),
];

fn main() -> Outcome {
    let mut wanted: Vec<String> = std::env::args().skip(1).collect();
    let mut times = None;
    for (option, factor) in [("--times", 1), ("--minutes", 60)] {
        if let Some(at) = wanted.iter().position(|word| word == option) {
            times = Some(wanted.get(at + 1).ok_or("how many?")?.parse::<usize>()? * factor);
            wanted.drain(at..at + 2);
        }
    }
    let program = std::env::current_exe()?.with_file_name("").join("../amber-tap").canonicalize()?;
    let folder = std::env::temp_dir().join(format!("amber-tap-faults-{}", std::process::id()));
    std::fs::create_dir_all(&folder)?;
    let mut rig = Rig::new(&program, &folder);
    let mut is_wrong = false;
    for (name, usual, trial) in TRIALS {
        if !wanted.is_empty() && !wanted.iter().any(|word| word == name) {
            continue;
        }
        let count = trial(&mut rig, times.unwrap_or(usual))?;
        println!("{name}: {} tried, {} wrong {:?}", count.tried, count.wrong.len(), count.figures);
        count.wrong.iter().take(10).for_each(|wrong| println!("  {wrong}"));
        is_wrong |= !count.wrong.is_empty();
    }
    std::fs::remove_dir_all(&folder)?;
    if is_wrong { Err("something was wrong".into()) } else { Ok(()) }
}
