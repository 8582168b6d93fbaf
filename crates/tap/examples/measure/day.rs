//! A day of a take in simulated time.

use crate::Outcome;
use amber_core::Stamp;
use amber_core::bench::Bench;
use amber_io::take::{Event, TakePlace, Writer};
use std::path::Path;
use std::time::Instant;

/// Resident memory of this program, in megabytes.
fn memory() -> Outcome<f64> {
    let status = std::fs::read_to_string("/proc/self/status")?;
    let line = status.lines().find_map(|line| line.strip_prefix("VmRSS:")).ok_or("no memory told")?;
    Ok(line.trim().trim_end_matches("kB").trim().parse::<f64>()? / 1024.0)
}

/// 24 hours of 100 rows a second, written as a take of three parts, with a row of the table for each second.
pub(super) fn day(folder: &Path) -> Outcome {
    let mut bench = Bench::default();
    bench.shared.keep.pace = "1 s".parse()?;
    bench.shared.keep.parts = "8 h".parse()?;
    let start = Stamp(1_780_000_000_000_000_000);
    let take = folder.join("day");
    let mut writer = Writer::create(&TakePlace::Exactly(take.clone()), &bench, start, Event::BEGIN)?;
    let begun = Instant::now();
    let mut told = Vec::new();
    for n in 0..8_640_000u64 {
        let at = start.plus(n as f64 * 0.01);
        writer.chunk(at, format!("t_us={} level={} flow={}\n", n * 10_000, n % 4096, n * 7 % 1024).as_bytes())?;
        if n % 40 == 39 {
            writer.checkpoint(at)?;
        }
        if n % 1_440_000 == 1_439_999 {
            told.push(format!("{:.1}", memory()?));
        }
    }
    let summary = writer.finish(start.plus(86_400.0))?;
    let seconds = begun.elapsed().as_secs_f64();
    let table = std::fs::read_to_string(take.join("readings-0003.csv"))?;
    let last = table.lines().last().unwrap_or_default().to_owned();
    let opened = amber_io::take::open(&take)?;
    println!(
        "day       24 h of 100 rows/s in {seconds:.0} s: {} rows, {:.0} MB of wire in {} parts; memory every 4 h: {} MB",
        summary.tally.rows,
        summary.bytes as f64 / 1e6,
        summary.parts,
        told.join(" ")
    );
    println!(
        "          the last second begins at {}; told when opened: {:?}",
        &last[..last.len().min(40)],
        opened.told
    );
    Ok(())
}
