//! Faults by the hundred, with counts. `examples/faults.rs` runs them at length, a test in a shortened form.

#[path = "keys.rs"]
mod keys;

pub(crate) use keys::{clocks, keys, soak};

use amber_boards::Pty;
use amber_core::Stamp;
use amber_core::bench::Bench;
use amber_io::take::{Event, Mark, OpenedTake, TakePlace, Writer, open};
use rand::rngs::StdRng;
use rand::{RngExt, SeedableRng};
use rustix::process::{Pid, Signal, kill_process};
use std::collections::BTreeMap;
use std::error::Error;
use std::fs::{self, File};
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Output, Stdio};
use std::time::{Duration, Instant};

pub(crate) type Outcome<T = ()> = Result<T, Box<dyn Error>>;

const PATIENCE: Duration = Duration::from_secs(30);

/// What came of a trial.
#[derive(Debug, Default)]
pub(crate) struct Count {
    pub(crate) tried: usize,
    /// What was wrong, one sentence each.
    pub(crate) wrong: Vec<String>,
    /// Other figures, by name.
    pub(crate) figures: BTreeMap<&'static str, u64>,
}

impl Count {
    fn check(&mut self, right: bool, what: impl FnOnce() -> String) {
        if !right {
            self.wrong.push(what());
        }
    }

    fn add(&mut self, name: &'static str, count: u64) {
        *self.figures.entry(name).or_default() += count;
    }
}

/// Where the trials run, with which program.
pub(crate) struct Rig {
    pub(crate) program: PathBuf,
    pub(crate) folder: PathBuf,
    pub(crate) random: StdRng,
}

impl Rig {
    pub(crate) fn new(program: &Path, folder: &Path) -> Rig {
        Rig { program: program.into(), folder: folder.into(), random: StdRng::seed_from_u64(10) }
    }

    fn command(&self, arguments: &[&str]) -> Command {
        let mut command = Command::new(&self.program);
        command.args(arguments).current_dir(&self.folder).env("XDG_STATE_HOME", &self.folder);
        command.stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::piped());
        command
    }

    /// Runs to the end; an error when that does not come.
    fn run(&self, mut command: Command) -> Outcome<Output> {
        let printed = ["printed.out", "printed.err"].map(|name| self.folder.join(name));
        command.stdout(File::create(&printed[0])?).stderr(File::create(&printed[1])?);
        let mut child = command.spawn()?;
        let begun = Instant::now();
        loop {
            if let Some(status) = child.try_wait()? {
                return Ok(Output { status, stdout: fs::read(&printed[0])?, stderr: fs::read(&printed[1])? });
            }
            if begun.elapsed() > PATIENCE {
                child.kill()?;
                return Err(format!("{command:?} hung").into());
            }
            std::thread::sleep(Duration::from_millis(2));
        }
    }

    fn new_folder(&self, name: &str) -> PathBuf {
        let folder = self.folder.join(name);
        let _ = fs::remove_dir_all(&folder);
        folder
    }
}

fn wait(what: &str, mut test: impl FnMut() -> bool) -> Outcome {
    let begun = Instant::now();
    while !test() {
        if begun.elapsed() > PATIENCE {
            return Err(format!("waited in vain for {what}").into());
        }
        std::thread::sleep(Duration::from_millis(2));
    }
    Ok(())
}

/// A running program, which a trial that ends by an error does not leave behind.
struct Running(Child);

impl Drop for Running {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

impl Running {
    /// Waits until its take is there; an error with its words when it ends before that.
    fn wait_for_take(&mut self, take: &Path) -> Outcome {
        let mut ended = None;
        wait("the take", || {
            ended = self.0.try_wait().ok().flatten();
            ended.is_some() || take.join("marks.csv").exists()
        })?;
        let Some(status) = ended else { return Ok(()) };
        let mut said = String::new();
        if let Some(stderr) = &mut self.0.stderr {
            stderr.read_to_string(&mut said)?;
        }
        Err(format!("ended with {status}: {said}").into())
    }
}

fn wait_for(child: &mut Child) -> Outcome<Option<i32>> {
    let mut ended = None;
    wait("the end of the program", || {
        ended = child.try_wait().ok().flatten();
        ended.is_some()
    })?;
    Ok(ended.and_then(|status| status.code()))
}

fn length(path: &Path) -> u64 {
    fs::metadata(path).map_or(0, |meta| meta.len())
}

/// A board under a name that stays while the device behind it goes and comes; it numbers its lines.
struct Board {
    name: PathBuf,
    pty: Pty,
    next: u64,
    /// What it sent, each time that it was plugged in.
    sent: Vec<Vec<u8>>,
}

impl Board {
    fn plug(name: PathBuf) -> Outcome<Board> {
        let pty = Pty::open(115_200)?;
        let _ = fs::remove_file(&name);
        std::os::unix::fs::symlink(pty.path(), &name)?;
        Ok(Board { name, pty, next: 0, sent: vec![Vec::new()] })
    }

    fn send(&mut self, lines: u64) -> Outcome {
        for _ in 0..lines {
            let line = format!("n={} a=7\n", self.next);
            (&self.pty.board).write_all(line.as_bytes())?;
            self.next += 1;
            self.sent.last_mut().ok_or("it is plugged in")?.extend_from_slice(line.as_bytes());
        }
        Ok(())
    }

    /// Waits until the last line that was sent is the last one of `wire`.
    fn wait_for_last(&self, wire: &Path) -> Outcome {
        let last = format!("n={} a=7\n", self.next - 1);
        let mut end = vec![0; last.len()];
        wait(&format!("the line {last}"), || {
            let mut read = || -> std::io::Result<()> {
                let file = File::open(wire)?;
                let from = file.metadata()?.len().saturating_sub(last.len() as u64);
                std::os::unix::fs::FileExt::read_exact_at(&file, &mut end, from)
            };
            read().is_ok() && end == last.as_bytes()
        })
    }

    /// Takes the cable out and puts it in again.
    fn replug(&mut self) -> Outcome {
        let mut sent = std::mem::take(&mut self.sent);
        sent.push(Vec::new());
        *self = Board { next: self.next, sent, ..Board::plug(self.name.clone())? };
        Ok(())
    }

    /// How many bytes of each plugging-in are in `wire`, which must be the first ones of each: what the system still held
    /// when the cable went out is never delivered to anybody. Also what is in `wire` beside that, which must be nothing.
    fn prefixes(&self, wire: &[u8]) -> (Vec<usize>, usize) {
        let mut at = 0;
        let mut prefixes = Vec::new();
        for sent in &self.sent {
            // All lines begin alike, so a first line that is not there whole is the beginning of a later one.
            let first = sent.split_inclusive(|b| *b == b'\n').next().unwrap_or_default();
            let is_there = wire[at..].starts_with(first);
            let length = sent.iter().zip(&wire[at..]).take_while(|(a, b)| is_there && a == b).count();
            at += length;
            prefixes.push(length);
        }
        (prefixes, wire.len() - at)
    }
}

/// The numbers in a take's rows, in order.
fn numbers(take: &OpenedTake) -> Vec<u64> {
    let table = String::from_utf8_lossy(&take.decode().unwrap()).into_owned();
    table.lines().skip(1).filter_map(|row| row.split(',').nth(2)?.parse().ok()).collect()
}

/// The table of a take, its parts joined, with one header.
fn table(take: &Path) -> Vec<u8> {
    let mut all = fs::read(take.join("readings.csv")).unwrap_or_default();
    for part in 2.. {
        let Ok(text) = fs::read(take.join(format!("readings-{part:04}.csv"))) else { break };
        let header = text.iter().position(|byte| *byte == b'\n').map_or(0, |end| end + 1);
        all.extend_from_slice(&text[if all.is_empty() { 0 } else { header }..]);
    }
    all
}

/// The program is killed at random moments while it logs, every other time in parts.
pub(crate) fn kills(rig: &mut Rig, times: usize) -> Outcome<Count> {
    let mut count = Count::default();
    for time in 0..times {
        count.tried += 1;
        let take = rig.new_folder("killed");
        let mut board = Board::plug(rig.folder.join("port"))?;
        let name = board.name.display().to_string();
        let parts: &[&str] = if time % 2 == 0 { &["--parts", "10 kB"] } else { &[] };
        let log = [&["log", &name, "--baud", "115200", "--out", "killed"][..], parts].concat();
        let mut child = Running(rig.command(&log).spawn()?);
        child.wait_for_take(&take)?;
        let length = Duration::from_millis(rig.random.random_range(10..900));
        let (begun, mut second_ago) = (Instant::now(), 0);
        while begun.elapsed() < length {
            board.send(20)?;
            if begun.elapsed() + Duration::from_secs(1) < length {
                second_ago = board.next;
            }
            std::thread::sleep(Duration::from_millis(10));
        }
        drop(child);
        let opened = open(&take)?;
        let rows = numbers(&opened);
        count.check(rows.iter().copied().eq(0..rows.len() as u64), || format!("rows are missing inside: {rows:?}"));
        count.check(rows.len() as u64 >= second_ago, || format!("{} of {second_ago} rows", rows.len()));
        count.add("rows kept", rows.len() as u64);
        count.add("rows sent in the last moment and lost", board.next - rows.len() as u64);
        let mended = rig.run(rig.command(&["mend", "killed", "--yes"]))?;
        count.check(mended.status.success(), || format!("mend: {mended:?}"));
        let (again, table) = (open(&take)?, table(&take));
        count.check(table == opened.decode().unwrap(), || "the mended table differs".into());
        count.check(again.told.is_empty() || rows.is_empty(), || format!("mended, and yet: {:?}", again.told));
    }
    Ok(count)
}

/// Files may not grow beyond a random size; or the folder goes away.
pub(crate) fn disks(rig: &mut Rig, times: usize) -> Outcome<Count> {
    let mut count = Count::default();
    for i in 0..times {
        count.tried += 1;
        let take = rig.new_folder("full");
        let mut board = Board::plug(rig.folder.join("port"))?;
        let blocks = rig.random.random_range(8..200);
        let program = rig.program.display();
        let name = board.name.display();
        let is_folder = i % 4 == 3;
        let limit = if is_folder { String::new() } else { format!("ulimit -f {blocks}; ") };
        let script = format!("{limit}exec '{program}' log '{name}' --baud 115200 --out full");
        let mut command = Command::new("sh");
        command.args(["-c", &script]).current_dir(&rig.folder).stdout(Stdio::null()).stderr(Stdio::piped());
        let mut child = command.spawn()?;
        let mut code = None;
        let begun = Instant::now();
        while code.is_none() && begun.elapsed() < PATIENCE {
            board.send(100)?;
            std::thread::sleep(Duration::from_millis(5));
            let rescued = rig.folder.join("full-rescued");
            if is_folder && length(&take.join("readings.csv")) > 4000 {
                fs::remove_dir_all(&take)?;
            } else if is_folder && length(&rescued.join("readings.csv")) > 4000 {
                board.wait_for_last(&rescued.join("wire.bin"))?;
                kill_process(Pid::from_child(&child), Signal::TERM)?;
                wait_for(&mut child)?;
            }
            code = child.try_wait()?;
        }
        if code.is_none() {
            child.kill()?;
        }
        let output = child.wait_with_output()?;
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        let expected = if is_folder { 0 } else { 1 };
        count.check(output.status.code() == Some(expected), || format!("ended with {:?}: {said}", output.status));
        let wanted = if is_folder { "moved or deleted" } else { "the file may not grow further" };
        count.check(said.contains(wanted), || format!("not said: {said}"));
        if is_folder {
            // What was in the folder that went is in the one beside it.
            let opened = open(&rig.folder.join("full-rescued"))?;
            count.check(opened.wire.to_vec()? == board.sent.concat(), || "not all bytes are kept".into());
            fs::remove_dir_all(rig.folder.join("full-rescued"))?;
            continue;
        }
        // The smallest of limits let no take begin, and nothing may be left of it then.
        if take.exists() {
            let opened = open(&take)?;
            let rows = numbers(&opened);
            count.check(rows.iter().copied().eq(0..rows.len() as u64), || "rows are missing inside".into());
            let table = fs::read(take.join("readings.csv"))?;
            // The last rows may have waited for their times; they are in the bytes.
            count
                .check(opened.decode().unwrap().starts_with(&table), || "the table holds what the bytes do not".into());
            let mended = rig.run(rig.command(&["mend", "full", "--yes"]))?;
            let table = fs::read(take.join("readings.csv"))?;
            count.check(mended.status.success() && opened.decode().unwrap() == table, || {
                format!("not mended: {mended:?}")
            });
            count.add("rows kept", rows.len() as u64);
        }
    }
    Ok(count)
}

/// The cable is taken out and put in again while the program logs.
pub(crate) fn replugs(rig: &mut Rig, times: usize) -> Outcome<Count> {
    let mut count = Count { tried: times, ..Count::default() };
    let take = rig.new_folder("replugged");
    let mut board = Board::plug(rig.folder.join("port"))?;
    let name = board.name.display().to_string();
    let mut child = Running(rig.command(&["log", &name, "--baud", "115200", "--out", "replugged"]).spawn()?);
    child.wait_for_take(&take)?;
    let wire = take.join("wire.bin");
    // The times that the cable was out only after all had been read.
    let mut waited = Vec::new();
    for i in 0..times {
        // Something arrives each time, so that the port is tried again soon.
        let lines = rig.random.random_range(1..200);
        board.send(lines)?;
        if rig.random.random_bool(0.7) {
            board.wait_for_last(&wire)?;
            waited.push(i);
        }
        board.replug()?;
    }
    board.send(10)?;
    board.wait_for_last(&wire)?;
    waited.push(times);
    kill_process(Pid::from_child(&child.0), Signal::INT)?;
    wait_for(&mut child.0)?;
    let opened = open(&take)?;
    let (prefixes, beside) = board.prefixes(&opened.wire.to_vec().unwrap());
    count.check(beside == 0, || format!("{beside} bytes that were not sent, or not in this order"));
    for i in waited {
        let (kept, sent) = (prefixes[i], board.sent[i].len());
        count.check(kept == sent, || format!("{kept} of {sent} bytes that were delivered"));
    }
    count.check(opened.told.is_empty(), || format!("{:?}", opened.told));
    // Where rows are missing the port was opened anew; a cable that is out again at once is not always noticed.
    let gaps = opened.pieces.iter().filter(|piece| piece.event == Some(Event::JOIN)).count();
    let jumps = numbers(&opened).windows(2).filter(|pair| pair[1] != pair[0] + 1).count();
    count.check(jumps < gaps && gaps <= times + 1, || format!("{jumps} jumps of the numbers, {gaps} openings"));
    count.check(opened.decode().unwrap() == fs::read(take.join("readings.csv"))?, || "the table differs".into());
    let (sent, kept) = (board.sent.concat().len() as u64, opened.wire.len() as u64);
    count.figures.extend([
        ("bytes sent", sent),
        ("bytes kept", kept),
        ("bytes the system never delivered", sent - kept),
    ]);
    Ok(count)
}

/// The terminal reads nothing while the cable is taken out and put in again, during a take; then the end is asked for.
pub(crate) fn blocked(rig: &mut Rig, times: usize) -> Outcome<Count> {
    let mut count = Count { tried: times, ..Count::default() };
    let take = rig.new_folder("take-0001");
    let terminal = Pty::open(38_400)?;
    let device = File::options().read(true).write(true).open(terminal.path())?;
    let size = rustix::termios::Winsize { ws_row: 40, ws_col: 120, ws_xpixel: 0, ws_ypixel: 0 };
    rustix::termios::tcsetwinsize(&device, size)?;
    let mut board = Board::plug(rig.folder.join("port"))?;
    let name = board.name.display().to_string();
    let mut command = rig.command(&["watch", &name, "--baud", "115200"]);
    command.stdin(device.try_clone()?).stdout(device.try_clone()?).stderr(device);
    let mut child = Running(command.spawn()?);
    // Keys wait in the terminal until the program reads them.
    (&terminal.board).write_all(b"t")?;
    child.wait_for_take(&take)?;
    for _ in 0..times {
        board.send(2500)?;
        board.wait_for_last(&take.join("wire.bin"))?;
        board.replug()?;
    }
    board.send(10)?;
    board.wait_for_last(&take.join("wire.bin"))?;
    let asked = Instant::now();
    kill_process(Pid::from_child(&child.0), if times.is_multiple_of(2) { Signal::TERM } else { Signal::HUP })?;
    wait_for(&mut child.0)?;
    count.add("milliseconds to the end", asked.elapsed().as_millis() as u64);
    let opened = open(&take)?;
    count.check(opened.wire.to_vec().unwrap() == board.sent.concat(), || format!("{} bytes kept", opened.wire.len()));
    count.check(opened.told.is_empty(), || format!("{:?}", opened.told));
    count.add("bytes kept", opened.wire.len() as u64);
    Ok(count)
}

/// Streams with control sequences, endless lines, broken numbers and all bytes there are, split and shown.
pub(crate) fn hostile(rig: &mut Rig, times: usize) -> Outcome<Count> {
    const PARTS: [&[u8]; 16] = [
        b"\x1b[2J",
        b"\x1b]0;x\x07",
        b"\x9b31m",
        b"\0\0\0",
        b"\xff\xfe",
        b"a=1 b=2\n",
        b"1,2,3\n",
        b"{\"a\":",
        b"}}}}\n",
        b"1e999,-0,nan\n",
        b"\r\r\n\n",
        b"=====",
        b"\xe2\x80\xa8",
        b"0x7fffffffffffffff ",
        b"18446744073709551615\n",
        b"\t;;,,",
    ];
    let mut count = Count::default();
    let file = rig.folder.join("hostile.txt");
    for i in 0..times {
        count.tried += 1;
        let mut bytes = Vec::new();
        for _ in 0..rig.random.random_range(1..400) {
            let part = PARTS[rig.random.random_range(0..PARTS.len())];
            let again = if rig.random.random_bool(0.02) { 3000 } else { 1 };
            (0..again).for_each(|_| bytes.extend_from_slice(part));
            if rig.random.random_bool(0.2) {
                bytes.push(rig.random.random());
            }
        }
        fs::write(&file, &bytes)?;
        let json = i % 2 == 0;
        let output =
            rig.run(rig.command(if json { &["split", "hostile.txt", "--json"] } else { &["split", "hostile.txt"] }))?;
        count.check(matches!(output.status.code(), Some(0 | 3)), || format!("ended with {:?}", output.status));
        let is_safe = |text: &[u8]| text.iter().all(|b| !matches!(b, 0..=8 | 11 | 12 | 14..=31 | 127));
        count.check(is_safe(&output.stdout) && is_safe(&output.stderr), || "control bytes were printed".into());
        count.add("bytes", bytes.len() as u64);
    }
    Ok(count)
}

/// One file of a take, sometimes two, are damaged, torn, emptied, taken away or exchanged.
pub(crate) fn damaged(rig: &mut Rig, times: usize) -> Outcome<Count> {
    const FILES: [&str; 7] =
        ["wire.bin", "wire.csv", "readings.csv", "bench.toml", "marks.csv", "take.toml", "readings.csv-metadata.json"];
    let mut count = Count::default();
    let whole = rig.new_folder("whole");
    let start = Stamp(1_780_000_000_000_000_000);
    let bench =
        Bench::parse("[[channel]]\nname = \"a\"\nscale = { steps = [{ is = \"gain\", by = 2.0, unit = \"m\" }] }")?;
    let mut writer = Writer::create(&TakePlace::Exactly(whole.clone()), &bench, start, Event::BEGIN)?;
    for i in 0..400 {
        let at = start.plus(f64::from(i) * 0.01);
        writer.chunk(at, format!("t_ms={} a={} b={}\n", i * 10, i % 37, i % 5).as_bytes())?;
        if i % 100 == 50 {
            writer.mark(Mark { number: 0, at, note: format!("mark {i}"), values: format!("x {i}") });
        }
    }
    writer.finish(start.plus(4.0))?;
    for i in 0..times {
        count.tried += 1;
        let folder = rig.new_folder("damaged");
        fs::create_dir(&folder)?;
        for name in FILES {
            fs::copy(whole.join(name), folder.join(name))?;
        }
        let mut hurt = vec![FILES[rig.random.random_range(0..FILES.len())]];
        if rig.random.random_bool(0.3) {
            hurt.push(FILES[rig.random.random_range(0..FILES.len())]);
        }
        for name in &hurt {
            let path = folder.join(name);
            let mut content = fs::read(&path).unwrap_or_default();
            let at = rig.random.random_range(0..=content.len());
            match rig.random.random_range(0..7) {
                0 if at < content.len() => content[at] ^= 1 << rig.random.random_range(0..8),
                1 => content.truncate(at),
                2 => drop(content.splice(at..at, (0..40).map(|_| rig.random.random()).collect::<Vec<u8>>())),
                3 => drop(content.drain(at..(at + 50).min(content.len()))),
                4 => content = fs::read(whole.join(FILES[rig.random.random_range(0..FILES.len())]))?,
                5 => content.clear(),
                _ => {
                    fs::remove_file(&path).ok();
                    continue;
                }
            }
            fs::write(&path, content)?;
        }
        let files = || FILES.map(|name| fs::read(folder.join(name)).ok());
        let before = files();
        let begun = Instant::now();
        match open(&folder) {
            Ok(take) => {
                let rows = take.decode().unwrap().iter().filter(|b| **b == b'\n').count();
                count.add("opened", 1);
                count.add("rows", rows.saturating_sub(1) as u64);
                let bytes_whole = !hurt.contains(&"wire.bin");
                count.check(!bytes_whole || hurt.contains(&"bench.toml") || rows == 401, || {
                    format!("{hurt:?}: {rows} lines")
                });
            }
            Err(error) => count.check(hurt.contains(&"wire.bin") && hurt.contains(&"readings.csv"), || {
                format!("{hurt:?}: not opened: {error}")
            }),
        }
        if i % 20 == 0 {
            let plotted = rig.run(rig.command(&["plot", "damaged", "--out", "damaged.svg"]))?;
            count.check(matches!(plotted.status.code(), Some(0 | 1)), || format!("{hurt:?}: plot: {plotted:?}"));
        }
        count.check(begun.elapsed() < Duration::from_secs(10), || format!("{hurt:?}: took {:?}", begun.elapsed()));
        count.check(files() == before, || format!("{hurt:?}: opening changed a file"));
    }
    Ok(count)
}
