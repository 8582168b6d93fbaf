//! What each command does.

mod log;
mod split;

use crate::app::{App, chain_of};
use crate::cli::{Command, Files};
use crate::{figure, shell};
use amber_core::bench::Bench;
use amber_core::chain::Chain;
use amber_io::take::{Keeper, Report};
use amber_io::{HostClock, Link, Wanted};
use anyhow::{Context, bail};
use std::io::Write;
use std::path::{Path, PathBuf};
use std::sync::atomic::Ordering;
use std::time::Duration;

/// The bench of the demo.
const FLUME: &str = include_str!("../../assets/flume.bench.toml");

/// The seed of simulated boards that are watched or logged by name.
const SEED: u64 = 1;

/// Runs a command and gives the exit code.
pub(crate) fn run(command: Command) -> anyhow::Result<u8> {
    match command {
        Command::Demo { files } => demo(files),
        Command::Watch { port, baud, files } => watch(port, baud, files, Bench::default()),
        Command::Open { take, bench } => open(&take, bench),
        Command::Log { source, length, rows, baud, bench, out } => {
            let bench = with_source(read_bench(bench.as_deref())?.unwrap_or_default(), Some(source), baud)?;
            log::run(bench, length, rows, out)
        }
        Command::Plot { take, out, bench } => plot(&take, &out, bench.as_deref()),
        Command::Split { file, json, shape } => split::run(&file, shape, json),
        Command::Board { name, seed } => board(&name, seed),
    }
}

/// Reads a bench file; `None` when it does not exist.
fn read_bench(path: Option<&Path>) -> anyhow::Result<Option<Bench>> {
    let Some(path) = path else { return Ok(None) };
    match std::fs::read_to_string(path) {
        Ok(text) => match Bench::parse(&text) {
            Ok(bench) => Ok(Some(bench)),
            Err(error) => bail!("{}: {error}", path.display()),
        },
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => Ok(None),
        Err(error) => Err(error).with_context(|| format!("cannot read {}", path.display())),
    }
}

/// The same, where there must be one.
fn read_given_bench(path: Option<&Path>) -> anyhow::Result<Option<Bench>> {
    let bench = read_bench(path)?;
    match (path, &bench) {
        (Some(path), None) => bail!("{} is not there", path.display()),
        _ => Ok(bench),
    }
}

fn with_source(mut bench: Bench, port: Option<String>, baud: Option<u32>) -> anyhow::Result<Bench> {
    if let Some(port) = port {
        bench.source.port = port;
    }
    if baud.is_some() {
        bench.source.baud = baud;
    }
    if bench.source.port.is_empty() {
        bail!("no port: give one, such as /dev/ttyACM0, or a bench that names one");
    }
    Ok(bench)
}

/// The device of a port by path, or of a simulated board by name; the board runs as long as it is held.
pub(crate) fn resolve(port: &str) -> anyhow::Result<(PathBuf, Option<amber_boards::ServedBoard>)> {
    match amber_boards::by_name(port, SEED) {
        None => Ok((PathBuf::from(port), None)),
        Some(board) => {
            let served = amber_boards::serve(board)?;
            Ok((served.path().to_path_buf(), Some(served)))
        }
    }
}

fn demo(files: Files) -> anyhow::Result<u8> {
    let bench = Bench::parse(FLUME).context("the demo's own bench")?;
    watch(None, None, files, bench)
}

fn watch(port: Option<String>, baud: Option<u32>, files: Files, fallback: Bench) -> anyhow::Result<u8> {
    shell::need_terminal()?;
    let found = read_bench(files.bench.as_deref())?;
    let bench = with_source(found.unwrap_or(fallback), port, baud)?;
    let limits = bench.history;
    let clock = HostClock::start();
    let (path, board) = resolve(&bench.source.port)?;
    let link = Link::start(Wanted::of(&bench.source, path), clock).context("no thread for the port")?;
    let keeper = Keeper::start(link.keeper.clone(), clock).context("no thread for takes")?;
    let app = App::live(Chain::new(bench, limits), files.into, files.bench, clock.now());
    let ended = shell::interrupted()?;
    let reports = shell::run(app, Some(shell::Live { link, keeper, board }), clock, &ended)?;
    for report in reports {
        match report {
            Report::Stopped(summary) => println!("{}: {}", summary.folder.display(), crate::app::in_words(&summary)),
            Report::Failed { error, .. } => bail!("{error}"),
            _ => {}
        }
    }
    Ok(0)
}

fn open(folder: &Path, bench_file: Option<PathBuf>) -> anyhow::Result<u8> {
    shell::need_terminal()?;
    let bench = read_given_bench(bench_file.as_deref())?;
    let take = amber_io::take::open(folder)?;
    let app = App::take(chain_of(&take, bench), take, bench_file);
    let clock = HostClock::start();
    shell::run(app, None, clock, &*shell::interrupted()?)?;
    Ok(0)
}

fn plot(folder: &Path, out: &Path, bench: Option<&Path>) -> anyhow::Result<u8> {
    let bench = read_given_bench(bench)?;
    let take = amber_io::take::open(folder)?;
    for sentence in &take.mended {
        eprintln!("{}: {sentence}", folder.display());
    }
    let mut app = App::take(chain_of(&take, bench), take, None);
    if app.chain.store().rows().is_empty() {
        bail!("{} holds no rows to draw", folder.display());
    }
    app.before_frame(app.now);
    figure::write_as(&figure::of(&app), out)?;
    println!("{}", out.display());
    Ok(0)
}

fn board(name: &str, seed: u64) -> anyhow::Result<u8> {
    let Some(board) = amber_boards::by_name(name, seed) else {
        let names: Vec<String> = amber_boards::BOARDS.iter().map(|(name, what)| format!("  {name}: {what}")).collect();
        bail!("there is no board '{name}'. These are there:\n{}", names.join("\n"));
    };
    let baud = board.baud();
    let served = amber_boards::serve(board)?;
    println!("{}", served.path().display());
    std::io::stdout().flush().context("cannot print the device's path")?;
    eprintln!("{name} at {baud} baud; Ctrl-C ends it");
    let ended = shell::interrupted()?;
    while !ended.load(Ordering::Relaxed) {
        std::thread::sleep(Duration::from_millis(50));
    }
    Ok(0)
}
