//! Measures the running program: latency from wire to screen, load, and floods. Run on demand, never by tests:
//!
//! `cargo build --release && cargo run --release --example measure -- latency load frame flood pace vanish edit open answers day`
//!
//! The program runs on a terminal of 160x47 that this one reads, with a board that this one plays. Rows are numbered,
//! so that what is in the take and on the screen can be checked.

#![allow(missing_docs)]

mod answers;
mod day;
mod takes;

use amber_boards::Pty;
use amber_core::Stamp;
use amber_core::bench::Bench;
use amber_io::take::{Event, TakePlace, Writer};
use portable_pty::{Child, CommandBuilder, MasterPty, PtySize, native_pty_system};
use std::error::Error;
use std::io::{Read, Write};
use std::num::NonZeroU16;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

type Outcome<T = ()> = Result<T, Box<dyn Error>>;

const SIZE: PtySize = PtySize { rows: 47, cols: 160, pixel_width: 0, pixel_height: 0 };

/// What the program's terminal has shown so far.
struct Seen {
    parser: vt100::Parser,
    frames: u64,
    bytes: u64,
    /// Row numbers in the order in which they came to the screen, with the time.
    rows: Vec<(u64, Instant)>,
}

/// The program on a terminal of its own.
struct Program {
    child: Box<dyn Child + Send + Sync>,
    keys: Box<dyn Write + Send>,
    seen: Arc<Mutex<Seen>>,
    _terminal: Box<dyn MasterPty + Send>,
}

/// Marks the end of a frame.
const FRAME: &[u8] = b"\x1b[?2026l";

impl Program {
    fn watch(port: &Path, folder: &Path, span: f64, pace: f64, follow_rows: bool) -> Outcome<Program> {
        let bench = folder.join("measure.bench.toml");
        std::fs::write(&bench, format!("[source]\nbaud = 115200\n[screen]\nspan = {span:.1}\npace = {pace:.1}\n"))?;
        let [port, bench, folder] = [port, &bench, folder].map(|path| path.to_string_lossy().into_owned());
        Program::start(&["watch", &port, "--bench", &bench, "--into", &folder], follow_rows)
    }

    fn start(arguments: &[&str], follow_rows: bool) -> Outcome<Program> {
        let program = std::env::current_exe()?.with_file_name("").join("../amber-tap");
        let mut command = CommandBuilder::new(program.canonicalize()?);
        command.args(arguments);
        command.env("TERM", "xterm-256color");
        command.env("COLORTERM", "truecolor");
        // Benches used here are not for the list of whoever measures.
        command.env("XDG_STATE_HOME", std::env::temp_dir().join("amber-tap-measure-state"));
        let pair = native_pty_system().openpty(SIZE)?;
        let child = pair.slave.spawn_command(command)?;
        let mut output = pair.master.try_clone_reader()?;
        let keys = pair.master.take_writer()?;
        let (rows, columns) = (NonZeroU16::try_from(SIZE.rows)?, NonZeroU16::try_from(SIZE.cols)?);
        let parser = vt100::Parser::new(rows, columns, 0);
        let seen = Arc::new(Mutex::new(Seen { parser, frames: 0, bytes: 0, rows: Vec::new() }));
        let shared = Arc::clone(&seen);
        std::thread::spawn(move || {
            let mut buffer = [0; 65536];
            while let Ok(length @ 1..) = output.read(&mut buffer) {
                let now = Instant::now();
                let Ok(mut seen) = shared.lock() else { return };
                seen.parser.process(&buffer[..length]);
                seen.bytes += length as u64;
                seen.frames += buffer[..length].windows(FRAME.len()).filter(|w| *w == FRAME).count() as u64;
                if follow_rows && let Some(row) = newest_row(&seen.parser.screen().contents()) {
                    seen.rows.push((row, now));
                }
            }
        });
        Ok(Program { child, keys, seen, _terminal: pair.master })
    }

    fn press(&mut self, keys: &str) -> Outcome {
        self.keys.write_all(keys.as_bytes())?;
        Ok(self.keys.flush()?)
    }

    fn text(&self) -> String {
        self.seen.lock().map(|seen| seen.parser.screen().contents()).unwrap_or_default()
    }

    fn frames(&self) -> (u64, u64) {
        self.seen.lock().map(|seen| (seen.frames, seen.bytes)).unwrap_or_default()
    }

    fn wait_for(&self, text: &str) -> Outcome {
        self.wait_until(text, |screen| screen.contains(text)).map(drop)
    }

    /// Waits until the screen is as `test` says; gives how long that took.
    fn wait_until(&self, what: &str, test: impl Fn(&str) -> bool) -> Outcome<Duration> {
        let begun = Instant::now();
        while !test(&self.text()) {
            if begun.elapsed() > Duration::from_secs(60) {
                return Err(format!("'{what}' did not come; the screen is\n{}", self.text()).into());
            }
            std::thread::sleep(Duration::from_millis(1));
        }
        Ok(begun.elapsed())
    }

    /// Processor time used so far, in seconds, all threads.
    fn used(&self) -> Outcome<f64> {
        let pid = self.child.process_id().ok_or("no process")?;
        let stat = std::fs::read_to_string(format!("/proc/{pid}/stat"))?;
        let fields: Vec<&str> = stat.rsplit(')').next().unwrap_or_default().split_whitespace().collect();
        let ticks = fields[11].parse::<f64>()? + fields[12].parse::<f64>()?;
        Ok(ticks / 100.0)
    }

    /// A number from what the system says of the process.
    fn status(&self, name: &str) -> Outcome<f64> {
        let pid = self.child.process_id().ok_or("no process")?;
        let status = std::fs::read_to_string(format!("/proc/{pid}/status"))?;
        let line = status.lines().find_map(|line| line.strip_prefix(name)).ok_or("no such line")?;
        Ok(line.trim().trim_end_matches("kB").trim().parse::<f64>()?)
    }

    /// Resident memory in megabytes.
    fn memory(&self) -> Outcome<f64> {
        Ok(self.status("VmRSS:")? / 1024.0)
    }

    fn quit(mut self) -> Outcome {
        self.press("q")?;
        std::thread::sleep(Duration::from_millis(300));
        // A running take, or settings that were not saved, make it ask.
        let _ = self.press("q");
        self.child.wait()?;
        Ok(())
    }
}

/// The number in the newest wire line on the screen: `n=123 `.
fn newest_row(screen: &str) -> Option<u64> {
    let number = |text: &str| text.split(' ').next()?.parse::<u64>().ok();
    screen.lines().rev().filter_map(|line| line.split(" n=").nth(1)).find_map(number)
}

fn line(n: u64) -> String {
    // Waves that swell and ebb, so that a flood of them keeps changing the chart.
    let swell = 0.2 + 0.8 * (n as f64 * 3e-4).sin().abs();
    let wave = |k: u64| 2000 + (((n * (k + 3)) as f64 * 0.03).sin() * 800.0 * swell) as i64;
    format!("n={n:09} a={} b={} c={} d={} e={} f={}\r\n", wave(0), wave(1), wave(2), wave(3), n / 50 % 2, wave(5))
}

/// Sends rows at an even pace for a time; gives when each was written.
fn send(board: &mut impl Write, first: u64, rate: f64, length: Duration) -> Outcome<Vec<(u64, Instant)>> {
    let begun = Instant::now();
    let mut sent = Vec::new();
    while begun.elapsed() < length {
        let n = first + sent.len() as u64;
        let due = begun + Duration::from_secs_f64(sent.len() as f64 / rate);
        std::thread::sleep(due.saturating_duration_since(Instant::now()));
        let text = line(n);
        let now = Instant::now();
        board.write_all(text.as_bytes())?;
        sent.push((n, now));
    }
    Ok(sent)
}

fn latency(folder: &Path) -> Outcome {
    let mut pty = Pty::open(115_200)?;
    // Numbers and lines change with every frame here, so that each row can be seen to come.
    let program = Program::watch(pty.path(), folder, 20.0, 60.0, true)?;
    program.wait_for("open, silent")?;
    let warm = send(&mut pty.board, 1, 100.0, Duration::from_secs(4))?;
    let sent = send(&mut pty.board, warm.len() as u64 + 1, 100.0, Duration::from_secs(20))?;
    std::thread::sleep(Duration::from_millis(200));
    let rows = program.seen.lock().map_err(|_| "poisoned")?.rows.clone();
    let mut late: Vec<f64> = sent
        .iter()
        .filter_map(|(n, at)| {
            let shown = rows.iter().find(|(row, when)| row >= n && when >= at)?;
            Some(shown.1.duration_since(*at).as_secs_f64() * 1e3)
        })
        .collect();
    late.sort_by(f64::total_cmp);
    let at = |share: f64| late[((late.len() - 1) as f64 * share) as usize];
    println!(
        "latency   from a row written by the board to its number on the screen, {} rows at 100 a second:",
        late.len()
    );
    println!(
        "          median {:.2} ms, 90 % {:.2} ms, 99 % {:.2} ms, most {:.2} ms",
        at(0.5),
        at(0.9),
        at(0.99),
        at(1.0)
    );
    program.quit()
}

fn load(folder: &Path) -> Outcome {
    let mut pty = Pty::open(115_200)?;
    let program = Program::watch(pty.path(), folder, 20.0, 4.0, false)?;
    program.wait_for("open, silent")?;
    let warm = send(&mut pty.board, 1, 100.0, Duration::from_secs(22))?;
    let (used, frames) = (program.used()?, program.frames());
    let length = Duration::from_secs(20);
    send(&mut pty.board, warm.len() as u64 + 1, 100.0, length)?;
    let (used, after) = (program.used()? - used, program.frames());
    let per = |count: u64| count as f64 / length.as_secs_f64();
    println!(
        "load      100 rows a second of six channels at 160x47: {:.2} % of one core,",
        used / length.as_secs_f64() * 100.0
    );
    println!("          {:.0} frames and {:.1} kB a second", per(after.0 - frames.0), per(after.1 - frames.1) / 1e3);
    program.quit()
}

/// Pans through a take of a million rows that are all in view, and divides the processor time by the frames.
fn frame(folder: &Path) -> Outcome {
    let take = folder.join("million");
    let start = Stamp(1_780_000_000_000_000_000);
    let mut writer = Writer::create(&TakePlace::Exactly(take.clone()), &Bench::default(), start, Event::BEGIN)?;
    for n in 0..1_000_000u64 {
        writer.chunk(start.plus(n as f64 * 0.001), line(n + 1).as_bytes())?;
    }
    writer.finish(start.plus(1000.0))?;
    let mut program = Program::start(&["open", &take.to_string_lossy()], false)?;
    program.wait_for("1 000 000 rows over")?;
    let (used, frames) = (program.used()?, program.frames());
    for step in 0..300 {
        program.press(if step % 20 < 10 { "\x1b[D" } else { "\x1b[C" })?;
        std::thread::sleep(Duration::from_millis(25));
    }
    let (used, after) = (program.used()? - used, program.frames());
    let frames = after.0 - frames.0;
    println!(
        "frame     a window of a million rows of seven channels at 160x47, panned: {:.2} ms of processor time a frame, {frames} frames",
        used / frames as f64 * 1e3
    );
    program.quit()
}

/// Floods for `length`, at `rate` bytes a second or as fast as the pty takes it, with a take running, and checks it.
fn flood(folder: &Path, name: &str, rate: Option<f64>, length: Duration) -> Outcome {
    let mut pty = Pty::open(115_200)?;
    // Two seconds across the chart, so that it moves on with every frame.
    let mut program = Program::watch(pty.path(), folder, 2.0, 4.0, false)?;
    program.wait_for("open, silent")?;
    let mut n = 1 + send(&mut pty.board, 1, 100.0, Duration::from_secs(1))?.len() as u64;
    program.press("t")?;
    program.wait_for("runs: every byte")?;
    let first = n;
    let begun = Instant::now();
    let (used, frames) = (program.used()?, program.frames());
    let mut sent = 0u64;
    let mut memory = Vec::new();
    while begun.elapsed() < length {
        let text: String = (n..n + 64).map(line).collect();
        n += 64;
        pty.board.write_all(text.as_bytes())?;
        sent += text.len() as u64;
        if let Some(rate) = rate {
            let due = begun + Duration::from_secs_f64(sent as f64 / rate);
            std::thread::sleep(due.saturating_duration_since(Instant::now()));
        }
        if begun.elapsed().as_secs_f64() > memory.len() as f64 * length.as_secs_f64() / 6.0 {
            memory.push(program.memory()?);
        }
    }
    let seconds = begun.elapsed().as_secs_f64();
    let (used, after) = (program.used()? - used, program.frames());
    std::thread::sleep(Duration::from_millis(1500));
    let screen = program.text();
    let skipped = screen.lines().next().and_then(|title| title.split("skipped ").nth(1).map(|t| t.trim().to_owned()));
    program.press("t")?;
    program.wait_for("ended:")?;
    program.quit()?;
    let take = newest_take(folder)?;
    let table = std::fs::read_to_string(take.join("readings.csv"))?;
    let numbers: Vec<u64> = table.lines().skip(1).filter_map(|row| row.split(',').nth(2)?.parse().ok()).collect();
    let whole = numbers.windows(2).all(|pair| pair[1] == pair[0] + 1);
    let kept = whole && numbers.first().is_some_and(|number| *number <= first) && numbers.last() == Some(&(n - 1));
    println!(
        "{name:9} {:.1} MB/s for {seconds:.0} s, take running: {:.0} % of one core, {:.0} frames a second,",
        sent as f64 / seconds / 1e6,
        used / seconds * 100.0,
        (after.0 - frames.0) as f64 / seconds
    );
    println!(
        "          memory at sixths: {} MB,",
        memory.iter().map(|m| format!("{m:.0}")).collect::<Vec<_>>().join(" ")
    );
    println!(
        "          take: {} rows, {} sent since it was started, {}; the screen says: {}",
        numbers.len(),
        n - first,
        if kept { "every one, in order" } else { "NOT ALL" },
        skipped.map_or("nothing skipped".into(), |s| format!("skipped {s}"))
    );
    Ok(())
}

/// Lets a board vanish and come back again and again while a take runs.
fn vanish(folder: &Path, times: usize) -> Outcome {
    let board = amber_boards::serve(amber_boards::hasty_gremlin(1, 0.05))?;
    // A short history, so that memory is not still being filled at the end.
    let bench = folder.join("vanish.bench.toml");
    std::fs::write(&bench, "[source]\nbaud = 115200\n[history]\nrows = 20000\n")?;
    let [port, bench, into] = [board.path(), &bench, folder].map(|path| path.to_string_lossy().into_owned());
    let mut program = Program::start(&["watch", &port, "--bench", &bench, "--into", &into], false)?;
    program.wait_for("rows/s")?;
    program.press("t")?;
    program.wait_for("runs: every byte")?;
    let take = newest_take(folder)?;
    let returns = || std::fs::read_to_string(take.join("wire.csv")).map_or(0, |t| t.matches(",join").count());
    let begun = Instant::now();
    let mut samples = Vec::new();
    while returns() < times {
        if returns() * 5 >= times * samples.len() {
            samples.push((program.memory()?, program.status("Threads:")?));
        }
        if begun.elapsed() > Duration::from_secs(900) {
            return Err(format!("only {} returns; the screen is\n{}", returns(), program.text()).into());
        }
        std::thread::sleep(Duration::from_millis(200));
    }
    samples.push((program.memory()?, program.status("Threads:")?));
    program.press("t")?;
    program.wait_for("ended:")?;
    program.quit()?;
    let opened = amber_io::take::open(&take)?;
    let same = opened.decode().unwrap() == std::fs::read(take.join("readings.csv"))?;
    println!(
        "vanish    {times} times away and back in {:.0} s, a take running: {:.1} MB and {} stretches in wire.bin,",
        begun.elapsed().as_secs_f64(),
        opened.wire.len() as f64 / 1e6,
        opened.pieces.iter().filter(|piece| piece.event == Some(Event::JOIN)).count()
    );
    println!(
        "          decoded again {}; memory at fifths: {} MB; threads: {}",
        if same { "to the same table" } else { "to ANOTHER table" },
        samples.iter().map(|(m, _)| format!("{m:.0}")).collect::<Vec<_>>().join(" "),
        samples.iter().map(|(_, t)| format!("{t:.0}")).collect::<Vec<_>>().join(" ")
    );
    Ok(())
}

fn newest_take(folder: &Path) -> Outcome<PathBuf> {
    let entries = std::fs::read_dir(folder)?.flatten().map(|entry| entry.path());
    entries.filter(|path| path.join("wire.bin").exists()).max().ok_or_else(|| "no take".into())
}

fn main() -> Outcome {
    let folder = std::env::temp_dir().join(format!("amber-tap-measure-{}", std::process::id()));
    std::fs::create_dir_all(&folder)?;
    let asked: Vec<String> = std::env::args().skip(1).collect();
    for what in if asked.is_empty() {
        ["latency", "load", "frame", "flood", "pace", "vanish", "edit", "open"].map(String::from).to_vec()
    } else {
        asked
    } {
        match what.as_str() {
            "latency" => latency(&folder)?,
            "load" => load(&folder)?,
            "frame" => frame(&folder)?,
            "flood" => flood(&folder, "flood", Some(1e6), Duration::from_secs(60))?,
            "pace" => flood(&folder, "pace", None, Duration::from_secs(10))?,
            "vanish" => vanish(&folder, 200)?,
            "edit" => takes::edit(&folder)?,
            "open" => takes::open(&folder)?,
            "answers" => answers::answers(&folder)?,
            "day" => day::day(&folder)?,
            _ => return Err("measure latency, load, frame, flood, pace, vanish, edit, open, answers or day".into()),
        }
    }
    Ok(std::fs::remove_dir_all(&folder)?)
}
