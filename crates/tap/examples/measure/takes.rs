//! Takes of many rows: how long they take to open, and how long a key waits while their history is made anew.

use super::{Outcome, Program};
use std::fmt::Write as _;
use std::fs::{self, File};
use std::io::{BufWriter, Write as _};
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

/// Writes a take of a board that sends a clock and six numbers of 12 bits a thousand times a second.
fn write_take(folder: &Path, rows: u64) -> Outcome<(PathBuf, u64)> {
    let take = folder.join(format!("take-of-{rows}"));
    fs::create_dir_all(&take)?;
    let mut wire = BufWriter::new(File::create(take.join("wire.bin"))?);
    let mut stamps = BufWriter::new(File::create(take.join("wire.csv"))?);
    stamps.write_all(b"offset,arrival_ns,event\r\n")?;
    let (mut offset, mut text, mut state) = (0, String::new(), 1u32);
    let arrival = |row: u64| 1_790_000_000_000_000_000 + row * 1_000_000;
    for row in 0..rows {
        if row % 32 == 0 {
            let event = if row == 0 { "begin" } else { "" };
            write!(stamps, "{offset},{},{event}\r\n", arrival(row + 32))?;
        }
        text.clear();
        write!(text, "{}", 10_000_000 + row)?;
        for channel in 0..6u32 {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            let wave = (row as f64 / 500.0 + f64::from(channel)).sin() * 1500.0;
            write!(text, ",{}", 2048 + wave as i32 + (state >> 28) as i32)?;
        }
        text.push_str("\r\n");
        wire.write_all(text.as_bytes())?;
        offset += text.len() as u64;
    }
    write!(stamps, "{offset},{},stop\r\n", arrival(rows + 32))?;
    fs::write(take.join("take.toml"), "format = 2\nprogram = \"0.1.0\"\ndecoder = 1\n")?;
    fs::write(take.join("readings.csv"), "")?;
    Ok((take, offset))
}

fn is_whole(screen: &str) -> bool {
    screen.contains("rows over") && !screen.contains("reading ")
}

/// Opening a take of a gigabyte, and moving about in it.
pub(super) fn open(folder: &Path) -> Outcome {
    let (take, bytes) = write_take(folder, 26_000_000)?;
    let begun = Instant::now();
    let mut program = Program::start(&["open", &take.to_string_lossy()], false)?;
    program.wait_until("the first rows", |screen| screen.contains("rows over") && !screen.contains(" 0 rows over"))?;
    let first = begun.elapsed();
    program.wait_until("the whole", is_whole)?;
    let whole = begun.elapsed();
    let most = program.status("VmHWM:")? / 1024.0;
    println!(
        "open      {:.2} GB, 26 million rows: first picture {:.2} s, whole {:.1} s, at most {most:.0} MB",
        bytes as f64 / 1e9,
        first.as_secs_f64(),
        whole.as_secs_f64()
    );
    // As fast as a key repeats, and faster.
    repeat(&mut program, "zoomed", ["+", "-"])?;
    repeat(&mut program, "panned", ["\x1b[D", "\x1b[C"])?;
    program.press("++++++++++")?;
    program.press("c")?;
    program.wait_for("cursors")?;
    repeat(&mut program, "cursor moved", ["\x1b[D", "\x1b[C"])?;
    program.press("\x1b")?;
    std::thread::sleep(Duration::from_millis(300));
    write_take(folder, 1_000_000)?;
    program.press("vk")?;
    program.wait_for("2 takes in")?;
    program.press("\x1b[B")?;
    std::thread::sleep(Duration::from_millis(200));
    let begun = Instant::now();
    program.press("ac")?;
    program.wait_for("difference from run 1")?;
    println!(
        "          compared with a take of a million rows: after {:.1} s, at most {:.0} MB",
        begun.elapsed().as_secs_f64(),
        program.status("VmHWM:")? / 1024.0
    );
    repeat(&mut program, "comparison zoomed", ["+", "-"])?;
    program.quit()
}

/// Presses two keys in turn for three seconds, and says how many frames came of it.
fn repeat(program: &mut Program, what: &str, keys: [&str; 2]) -> Outcome {
    let ((frames, _), used, begun) = (program.frames(), program.used()?, Instant::now());
    for at in 0..300 {
        program.press(keys[at / 15 % 2])?;
        std::thread::sleep(Duration::from_millis(10));
    }
    std::thread::sleep(Duration::from_millis(100));
    let seconds = begun.elapsed().as_secs_f64();
    let drawn = program.frames().0 - frames;
    let time = (program.used()? - used) / drawn.max(1) as f64 * 1e3;
    println!("          {what}: {:.0} frames a second, {time:.1} ms of processor time each", drawn as f64 / seconds);
    Ok(())
}

/// Medians over a million rows, while keys are pressed.
pub(super) fn edit(folder: &Path) -> Outcome {
    let (take, _) = write_take(folder, 1_000_000)?;
    let mut program = Program::start(&["open", &take.to_string_lossy()], false)?;
    program.wait_until("the whole", is_whole)?;
    // The third line says how a channel is smoothed that is drawn.
    let smoothing = |screen: &str| screen.lines().nth(2).unwrap_or_default().to_owned();
    program.press("4")?;
    program.wait_for("add a filter")?;
    program.press("a")?;
    program.wait_for("add filter 1")?;
    program.press("\x1b[B\x1b[B\r")?;
    program.wait_until("a median", |screen| smoothing(screen).contains("median"))?;
    program.press("\x1b[B\x1b[B")?;
    for rows in [501, 5000, 60_000] {
        program.press("\r")?;
        std::thread::sleep(Duration::from_millis(300));
        let begun = Instant::now();
        program.press(&format!("\x15{rows}\r"))?;
        let wanted = format!("median {}", amber_core::digits::grouped(rows));
        let (mut longest, mut keys) = (Duration::ZERO, 0);
        while !smoothing(&program.text()).contains(&wanted) {
            for (key, help) in [("?", true), ("\x1b", false)] {
                program.press(key)?;
                let waited = program.wait_until("the help", |screen| screen.contains("how do I …") == help)?;
                longest = longest.max(waited);
                keys += 1;
            }
            std::thread::sleep(Duration::from_millis(5));
            if begun.elapsed() > Duration::from_secs(60) {
                return Err(format!("no {wanted}; the screen is\n{}", program.text()).into());
            }
        }
        println!(
            "edit      a million rows, {wanted}: new picture after {:.2} s; of {keys} keys meanwhile none waited longer than {:.0} ms",
            begun.elapsed().as_secs_f64(),
            longest.as_secs_f64() * 1e3
        );
    }
    program.quit()
}
