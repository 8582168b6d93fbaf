//! The program at the hands of somebody who presses everything: random and meaningful keys, pastes, texts that come as keys, the
//! mouse, windows that change their size, stops and continuations. What is looked for: an end by a fault, a keyboard that is
//! deaf, pictures that come late, memory without bound, takes that do not open.

use super::{Count, Outcome, Rig};
use amber_boards::Pty;
use amber_io::take::open;
use portable_pty::{Child, CommandBuilder, MasterPty, PtySize, native_pty_system};
use rand::rngs::StdRng;
use rand::{RngExt, SeedableRng};
use rustix::process::{Pid, Signal, kill_process};
use std::fs;
use std::io::{Read, Write};
use std::num::NonZeroU16;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

/// A key that is answered by nothing for so long is lost.
const DEAF: Duration = Duration::from_secs(10);

/// A picture that takes longer is late.
const LATE: Duration = Duration::from_secs(1);

/// How long one program is used.
const RUN: Duration = Duration::from_secs(60);

/// What the help shows that nothing else does.
const HELP: &str = "PgUp PgDn scroll";

/// The program in a terminal.
pub(super) struct Terminal {
    child: Box<dyn Child + Send + Sync>,
    keys: Arc<Mutex<Box<dyn Write + Send>>>,
    master: Box<dyn MasterPty + Send>,
    seen: Arc<Mutex<vt100::Parser>>,
    /// The last bytes that it wrote, for what it says when it ends.
    last: Arc<Mutex<Vec<u8>>>,
}

fn size_of(rows: u16, cols: u16) -> PtySize {
    PtySize { rows, cols, pixel_width: 0, pixel_height: 0 }
}

fn whole(length: u16) -> NonZeroU16 {
    NonZeroU16::new(length).unwrap_or(NonZeroU16::MIN)
}

impl Terminal {
    pub(super) fn start(rig: &Rig, arguments: &[String], (rows, cols): (u16, u16)) -> Outcome<Terminal> {
        let mut command = CommandBuilder::new(&rig.program);
        command.args(arguments);
        command.cwd(&rig.folder);
        command.env("TERM", "xterm-256color");
        command.env("XDG_STATE_HOME", &rig.folder);
        let pair = native_pty_system().openpty(size_of(rows, cols))?;
        let child = pair.slave.spawn_command(command)?;
        let mut output = pair.master.try_clone_reader()?;
        let keys = Arc::new(Mutex::new(pair.master.take_writer()?));
        let seen = Arc::new(Mutex::new(vt100::Parser::new(whole(rows), whole(cols), 0)));
        let last = Arc::new(Mutex::new(Vec::new()));
        let (shared, tail) = (Arc::clone(&seen), Arc::clone(&last));
        std::thread::spawn(move || {
            let mut buffer = [0; 65536];
            while let Ok(length @ 1..) = output.read(&mut buffer) {
                let mut last = tail.lock().unwrap_or_else(PoisonError::into_inner);
                last.extend_from_slice(&buffer[..length]);
                let old = last.len().saturating_sub(20_000);
                last.drain(..old);
                drop(last);
                shared.lock().unwrap_or_else(PoisonError::into_inner).process(&buffer[..length]);
            }
        });
        Ok(Terminal { child, keys, master: pair.master, seen, last })
    }

    fn last_words(&self) -> String {
        String::from_utf8_lossy(&self.last.lock().unwrap_or_else(PoisonError::into_inner)).escape_debug().to_string()
    }

    fn text(&self) -> String {
        self.seen.lock().unwrap_or_else(PoisonError::into_inner).screen().contents()
    }

    /// Types; what the program does not read holds up nobody but the thread that types it.
    pub(super) fn type_bytes(&self, bytes: &[u8]) {
        let (keys, bytes) = (Arc::clone(&self.keys), bytes.to_vec());
        let is_done = Arc::new(AtomicBool::new(false));
        let done = Arc::clone(&is_done);
        std::thread::spawn(move || {
            // A program that has ended takes no keys.
            let _ = keys.lock().unwrap_or_else(PoisonError::into_inner).write_all(&bytes);
            done.store(true, Ordering::Relaxed);
        });
        let begun = Instant::now();
        while !is_done.load(Ordering::Relaxed) && begun.elapsed() < DEAF {
            std::thread::sleep(Duration::from_micros(100));
        }
    }

    /// Waits for a picture; gives how long that took.
    pub(super) fn wait(&self, patience: Duration, is: impl Fn(&str) -> bool) -> Option<Duration> {
        let begun = Instant::now();
        while begun.elapsed() < patience {
            if is(&self.text()) {
                return Some(begun.elapsed());
            }
            std::thread::sleep(Duration::from_millis(1));
        }
        None
    }

    fn resize(&self, rows: u16, cols: u16) -> Outcome {
        self.seen.lock().unwrap_or_else(PoisonError::into_inner).screen_mut().set_size(whole(rows), whole(cols));
        self.master.resize(size_of(rows, cols))?;
        Ok(())
    }

    fn signal(&self, signal: Signal) -> Outcome {
        let pid = self.child.process_id().and_then(|pid| Pid::from_raw(pid as i32)).ok_or("it has ended")?;
        Ok(kill_process(pid, signal)?)
    }

    fn ended(&mut self) -> Option<u32> {
        self.child.try_wait().ok().flatten().map(|status| status.exit_code())
    }

    /// Bytes of memory that are its own.
    pub(super) fn memory(&self) -> u64 {
        let status = self.child.process_id().and_then(|pid| fs::read_to_string(format!("/proc/{pid}/status")).ok());
        let line = status.as_deref().and_then(|text| text.lines().find(|line| line.starts_with("RssAnon")));
        line.and_then(|line| line.split_whitespace().nth(1)?.parse::<u64>().ok()).unwrap_or(0) * 1024
    }

    /// Out of wherever the keys have led, then `keys` and the help: how long that takes to be seen. `None` where it does not
    /// come.
    fn answers(&self, keys: &str) -> Option<Duration> {
        for _ in 0..6 {
            self.type_bytes(b"\x1b");
            // Esc and a key behind it at once would be another key.
            std::thread::sleep(Duration::from_millis(60));
        }
        let begun = Instant::now();
        self.type_bytes(format!("{keys}?").as_bytes());
        let taken = self.wait(DEAF, |text| text.contains(HELP)).map(|_| begun.elapsed());
        self.type_bytes(b"\x1b");
        self.wait(DEAF, |text| !text.contains(HELP))?;
        taken
    }
}

impl Drop for Terminal {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// A board of this process, which sends until it is dropped.
struct Sender {
    name: PathBuf,
    stop: Arc<AtomicBool>,
}

impl Sender {
    /// A board that sends what `line` gives, so many times a second.
    fn start(name: PathBuf, rate: f64, line: impl Fn(u64) -> String + Send + 'static) -> Outcome<Sender> {
        let pty = Pty::open(115_200)?;
        let _ = fs::remove_file(&name);
        std::os::unix::fs::symlink(pty.path(), &name)?;
        let stop = Arc::new(AtomicBool::new(false));
        let stops = Arc::clone(&stop);
        std::thread::spawn(move || {
            let begun = Instant::now();
            let mut sent = 0;
            while !stops.load(Ordering::Relaxed) {
                let due = (begun.elapsed().as_secs_f64() * rate) as u64;
                let lines: String = (sent..due).map(&line).collect();
                sent = due;
                // Where nobody reads, nothing is sent: that is a port that is full.
                let _ = (&pty.board).write_all(lines.as_bytes());
                std::thread::sleep(Duration::from_millis(5));
            }
        });
        Ok(Sender { name, stop })
    }
}

impl Drop for Sender {
    fn drop(&mut self) {
        self.stop.store(true, Ordering::Relaxed);
    }
}

/// What is watched: the arguments, and the boards behind them.
fn scene(rig: &Rig, random: &mut StdRng) -> Outcome<(Vec<String>, Vec<Sender>)> {
    let words = |text: &str| text.split_whitespace().map(str::to_owned).collect::<Vec<String>>();
    let port = |name: &str| rig.folder.join(name);
    let one = Sender::start(port("one"), 100.0, |i| format!("a={} b={} c={i}\n", i * 7 % 100, i / 40 % 2))?;
    let two = Sender::start(port("two"), 500.0, |i| format!("{},{},{}\n", i % 1000, i * 3 % 77, i / 9 % 3))?;
    let mixed = Sender::start(port("mixed"), 200.0, |i| match i % 7 {
        0 | 3 => format!("n={i} a={}\n", i % 10),
        1 | 5 => format!("{i},2,3\n"),
        _ => format!("{{\"v\":{i}}}\n"),
    })?;
    let silent = Sender::start(port("silent"), 0.0, |_| String::new())?;
    let text = rig.folder.join("text.txt");
    fs::write(&text, (0..2000).map(|i| format!("x {} y {}\n", i % 50, i * 11 % 300)).collect::<String>())?;
    let name = |sender: &Sender| sender.name.display().to_string();
    let take = (1..10).map(|n| format!("take-{n:04}")).find(|take| rig.folder.join(take).join("wire.bin").exists());
    let arguments = match random.random_range(0..10) {
        0 => words("demo flume"),
        1 => words("demo flume-pump"),
        2 => words("watch gremlin"),
        3 => words(&format!("watch {} --baud 115200", name(&silent))),
        4 => words("watch /dev/no-such-port"),
        5 => words(&format!("watch left={} right={} --baud 115200", name(&one), name(&two))),
        6 => words(&format!("watch {} --baud 115200", name(&mixed))),
        7 => words(&format!("watch {}", text.display())),
        8 => take.map_or_else(|| words("demo raft"), |take| vec!["open".into(), take]),
        _ => words(&format!("watch {} {} --baud 115200", name(&one), name(&mixed))),
    };
    Ok((arguments, vec![one, two, mixed, silent]))
}

/// One thing that somebody does.
fn act(terminal: &Terminal, random: &mut StdRng) -> Outcome<&'static str> {
    const MEANT: [&str; 64] = [
        "1",
        "2",
        "3",
        "4",
        "5",
        "6",
        "5c",
        "3c",
        "3r",
        "3d",
        "4T",
        "4A",
        "4B",
        "5A",
        "5E",
        "6f",
        "vt",
        "vs",
        "vb",
        "vw",
        "va",
        "vi",
        "vk",
        "vl",
        "vc",
        "vn",
        "vd",
        "ve",
        "n",
        " ",
        "+",
        "-",
        "\t",
        "\x1b[Z",
        "\x1b[A",
        "\x1b[B",
        "\x1b[C",
        "\x1b[D",
        "\r",
        "\r",
        "\r7\r",
        "a",
        "x",
        "u",
        "U",
        "t",
        "m\r",
        "z",
        "k",
        "c",
        "h",
        "f",
        "R",
        "A",
        "o",
        "b",
        "J",
        "K",
        "y",
        "P",
        "/gain\r",
        ":stroke 40\r",
        "N\r",
        "g",
    ];
    Ok(match random.random_range(0..100) {
        0..70 => {
            terminal.type_bytes(MEANT[random.random_range(0..MEANT.len())].as_bytes());
            "keys"
        }
        70..80 => {
            let keys: Vec<u8> = (0..random.random_range(1..12)).map(|_| random.random_range(1..127)).collect();
            // The keys that stop and end the program are pressed elsewhere.
            let keys: Vec<u8> = keys.into_iter().filter(|key| !matches!(key, 3 | 17 | 26 | b'q')).collect();
            terminal.type_bytes(&keys);
            "random keys"
        }
        80..84 => {
            let length = [60, 900, 5000, 40_000][random.random_range(0..4)];
            let text: Vec<u8> = (0..length).map(|i| b"take 5cA, 3; wave\r"[i % 18]).collect();
            if random.random_bool(0.5) {
                terminal.type_bytes(b":");
            }
            terminal.type_bytes(&text);
            "text as keys"
        }
        84..87 => {
            let text = "set 1, 2\n".repeat(random.random_range(1..800));
            terminal.type_bytes(format!("\x1b[200~{text}\x1b[201~").as_bytes());
            "paste"
        }
        87..92 => {
            let count = [1, 30, 5000][random.random_range(0..3)];
            let button = [35, 32, 0, 64, 65][random.random_range(0..5)];
            let mouse = |i: usize| format!("\x1b[<{button};{};{}M", i * 3 % 150 + 1, i % 40 + 1);
            terminal.type_bytes((0..count).map(mouse).collect::<String>().as_bytes());
            "mouse"
        }
        92..97 => {
            let sizes = [(47, 160), (24, 80), (8, 30), (3, 5), (60, 250), (1, 1)];
            let (rows, columns) = sizes[random.random_range(0..sizes.len())];
            terminal.resize(rows, columns)?;
            "resize"
        }
        97..99 => {
            terminal.signal(Signal::STOP)?;
            std::thread::sleep(Duration::from_millis(random.random_range(1..3000)));
            terminal.signal(Signal::CONT)?;
            "stop and continue"
        }
        _ => {
            std::thread::sleep(Duration::from_secs(2));
            "waiting"
        }
    })
}

/// Uses the program for `seconds`, one after the other from the same place.
pub(crate) fn keys(rig: &mut Rig, seconds: usize) -> Outcome<Count> {
    let mut count = Count::default();
    let begun = Instant::now();
    let end = Duration::from_secs(seconds as u64);
    let (mut worst, mut memory) = (Duration::ZERO, 0);
    // `AMBER_SEED` begins with another run than the first.
    let mut run = std::env::var("AMBER_SEED").ok().and_then(|seed| seed.parse::<u64>().ok()).unwrap_or(1) - 1;
    let first = run;
    while begun.elapsed() < end {
        run += 1;
        let mut random = StdRng::seed_from_u64(run);
        let (arguments, _boards) = scene(rig, &mut random)?;
        let mut terminal = Terminal::start(rig, &arguments, (47, 160))?;
        // Before that, keys are still those of a shell.
        terminal.wait(DEAF, |text| text.lines().count() > 10).ok_or("no first picture")?;
        let mut done: Vec<&'static str> = Vec::new();
        let began = Instant::now();
        let told = |what: &str, done: &[&str]| {
            format!("run {run} ({}): {what} behind {:?}", arguments.join(" "), &done[done.len().saturating_sub(8)..])
        };
        let mut is_over = false;
        while began.elapsed() < RUN && begun.elapsed() < end && !is_over {
            for _ in 0..random.random_range(5..40) {
                // A program that ended takes no signals.
                let Ok(what) = act(&terminal, &mut random) else { break };
                done.push(what);
                count.add(what, 1);
                std::thread::sleep(Duration::from_millis(random.random_range(0..60)));
            }
            if let Some(code) = terminal.ended() {
                // Keys may have led to the end; a fault says so.
                count.check(code == 0, || told(&format!("ended with {code}: {}", terminal.last_words()), &done));
                is_over = true;
                continue;
            }
            terminal.resize(47, 160)?;
            count.tried += 1;
            memory = memory.max(terminal.memory());
            match terminal.answers("") {
                None if terminal.ended() == Some(0) => is_over = true,
                None => {
                    count.check(false, || told(&format!("deaf: {}", terminal.text()), &done));
                    is_over = true;
                }
                Some(taken) => {
                    worst = worst.max(taken);
                    count.check(taken < LATE, || told(&format!("a picture after {taken:?}"), &done));
                }
            }
        }
        if terminal.ended().is_none() {
            let asked = Instant::now();
            let signal = [Signal::TERM, Signal::HUP, Signal::QUIT][random.random_range(0..3)];
            terminal.signal(signal)?;
            while terminal.ended().is_none() && asked.elapsed() < DEAF {
                std::thread::sleep(Duration::from_millis(2));
            }
            count.check(asked.elapsed() < Duration::from_secs(3), || told("did not end when told", &done));
        }
        drop(terminal);
        for entry in fs::read_dir(&rig.folder)?.flatten().filter(|entry| entry.path().join("wire.bin").exists()) {
            let opened = open(&entry.path());
            count.check(opened.as_ref().is_ok_and(|take| take.told.is_empty()), || {
                told(&format!("{}: {:?}", entry.path().display(), opened.map(|take| take.told)), &done)
            });
            if !run.is_multiple_of(5) {
                fs::remove_dir_all(entry.path())?;
            }
        }
    }
    count.add("programs", run - first);
    count.add("worst picture, ms", worst.as_millis() as u64);
    count.add("most memory, MB", memory >> 20);
    count.check(memory < 1 << 30, || format!("{memory} bytes of memory"));
    Ok(count)
}

/// What is pressed before the help while 64 channels come.
const SOAKED: [&str; 16] = ["", "+", "-", "---", "\t", " ", "3", "4", "5", "6", "vt", "vs", "vb", "vn", "R", "3d"];

/// 64 channels at 1,000 rows a second, in a take, for `seconds`: how long keys take, memory, and whether every row is kept.
pub(crate) fn soak(rig: &mut Rig, seconds: usize) -> Outcome<Count> {
    let mut count = Count::default();
    let take = rig.new_folder("take-0001");
    let line = |i: u64| {
        let values: Vec<String> = (0..63).map(|at| (i * (at + 3) % 1000).to_string()).collect();
        format!("{i},{}\n", values.join(","))
    };
    let board = Sender::start(rig.folder.join("wide"), 1000.0, line)?;
    let arguments = ["watch", &board.name.display().to_string(), "--baud", "3000000"].map(str::to_owned);
    let terminal = Terminal::start(rig, &arguments, (47, 160))?;
    terminal.wait(DEAF, |text| text.contains("rows/s")).ok_or("no picture")?;
    std::thread::sleep(Duration::from_secs(3));
    terminal.type_bytes(b"t");
    super::wait("the take", || take.join("marks.csv").exists())?;
    let begun = Instant::now();
    let (mut slowest, mut first_memory, mut memory) = (Vec::new(), 0, 0);
    let mut keys = SOAKED.iter().cycle();
    while begun.elapsed() < Duration::from_secs(seconds as u64) {
        count.tried += 1;
        let key = keys.next().copied().unwrap_or_default();
        let Some(taken) = terminal.answers(key) else {
            count.check(false, || format!("deaf after {:?} and {key}: {}", begun.elapsed(), terminal.text()));
            break;
        };
        slowest.push(taken);
        let worst = count.figures.entry(key).or_default();
        *worst = (*worst).max(taken.as_millis() as u64);
        memory = terminal.memory();
        if first_memory == 0 && begun.elapsed() > Duration::from_secs(60) {
            first_memory = memory;
        }
        std::thread::sleep(Duration::from_secs(1));
    }
    terminal.type_bytes(b"t");
    terminal.wait(DEAF, |text| text.contains("ended:")).ok_or("the take did not end")?;
    drop(board);
    slowest.sort();
    let at =
        |share: f64| slowest.get((slowest.len() as f64 * share) as usize).map_or(0, |taken| taken.as_millis() as u64);
    count.add("keys, median ms", at(0.5));
    count.add("keys, 99 % ms", at(0.99));
    count.add("keys, worst ms", slowest.last().map_or(0, |taken| taken.as_millis() as u64));
    count.add("memory after a minute, MB", first_memory >> 20);
    count.add("memory at the end, MB", memory >> 20);
    let opened = open(&take)?;
    let table = String::from_utf8_lossy(&opened.decode()?).into_owned();
    let rows: Vec<u64> = table.lines().skip(1).filter_map(|row| row.split(',').nth(2)?.parse().ok()).collect();
    count.add("rows", rows.len() as u64);
    count.check(rows.windows(2).all(|pair| pair[1] == pair[0] + 1), || "rows are missing".into());
    Ok(count)
}

/// Takes on machines that run for minutes or for years, and whose clocks say so: time namespaces. Where there are none, nothing
/// is tried.
pub(crate) fn clocks(rig: &mut Rig, times: usize) -> Outcome<Count> {
    let mut count = Count::default();
    let offsets = ["0", "1000", "4000000", "90000000"];
    let take = rig.folder.join("clocks");
    for offset in offsets.iter().cycle().take(times) {
        let _ = fs::remove_dir_all(&take);
        let board = Sender::start(rig.folder.join("clock"), 100.0, |i| format!("n={i} a=7\n"))?;
        let mut command = std::process::Command::new("unshare");
        command.args(["--time", "--boottime", offset, "--monotonic", offset]).arg(&rig.program);
        let port = board.name.display().to_string();
        command.args(["log", &port, "--baud", "115200", "--rows", "100", "--out", "clocks"]).current_dir(&rig.folder);
        command.env("XDG_STATE_HOME", &rig.folder);
        let before = std::time::SystemTime::now();
        let output = rig.run(command)?;
        if !Path::new(&take).exists() {
            count.add("without time namespaces", 1);
            continue;
        }
        count.tried += 1;
        count.check(output.status.success(), || format!("{offset}: {output:?}"));
        let opened = open(&take)?;
        let since = before.duration_since(std::time::UNIX_EPOCH)?.as_nanos() as i64;
        let off = (opened.start.0 - since) as f64 * 1e-9;
        count.check((0.0..5.0).contains(&off), || format!("{offset}: the take begins {off} s off the wall clock"));
        count.check((opened.end().seconds_since(opened.start) - 1.0).abs() < 0.5, || format!("{offset}: its length"));
    }
    Ok(count)
}
