//! What each command does.

pub(crate) mod analyse;
mod board;
mod calc;
pub(crate) mod compare;
mod events;
mod levels;
mod log;
mod man;
mod mend;
pub(crate) mod output;
pub(crate) mod plot;
mod share;
mod split;
pub(crate) mod stretch;
pub(crate) mod table;
pub(crate) mod takes;

use crate::app::App;
use crate::choose::{Choice, Chooser, takes_in};
use crate::cli::{Cli, Command, Files};
use crate::print::{aside, line, printed};
use crate::recent::Recent;
use crate::session::{LISTED, Session};
use crate::shell;
use crate::shell::{Ended, Front, Signals};
use amber_core::bench::{Bench, SourceSettings, WireSettings};
use amber_core::chain::Chain;
use amber_core::keep::Publish;
use amber_core::store::Limits;
use amber_io::disk;
use amber_io::take::{Keeper, OpenedTake, Report, Summary};
use amber_io::{Endpoint, HostClock, Link, Publisher, Simulated};
use anyhow::{Context, bail};
use clap::CommandFactory;
use std::io::Write;
use std::path::{Path, PathBuf};

/// The simulated boards that come with a bench.
const READY: [(&str, &str); 12] = [
    ("flume", include_str!("../../assets/flume.bench.toml")),
    ("raft", include_str!("../../assets/raft.bench.toml")),
    ("bath", include_str!("../../assets/bath.bench.toml")),
    ("flume-pump", include_str!("../../assets/pump.bench.toml")),
    ("lamp", include_str!("../../assets/lamp.bench.toml")),
    ("motor", include_str!("../../assets/motor.bench.toml")),
    ("pad", include_str!("../../assets/pad.bench.toml")),
    ("lift", include_str!("../../assets/lift.bench.toml")),
    ("valve", include_str!("../../assets/valve.bench.toml")),
    ("meter", include_str!("../../assets/meter.bench.toml")),
    ("pinbox", include_str!("../../assets/pinbox.bench.toml")),
    ("chime-binary", include_str!("../../assets/chime.bench.toml")),
];

/// The bench that a simulated board comes with; one that merely names it where it comes with none, and `None` where there is
/// no such board. A board with another nature of its own has the bench of the sound one.
fn ready(board: &str) -> Option<Bench> {
    amber_boards::BOARDS.iter().find(|(name, _)| *name == board)?;
    let sound = board.trim_end_matches("-old").trim_end_matches("-lossy");
    let text = READY.iter().find(|(name, _)| *name == sound).map(|(_, text)| *text);
    // A test reads them all.
    let mut bench = text.and_then(|text| Bench::parse(text).ok()).unwrap_or_default();
    if text.is_none() || board != sound {
        bench.sources.resize(1, SourceSettings::default());
        bench.sources.iter_mut().for_each(|source| board.clone_into(&mut source.wire.port));
    }
    Some(bench)
}

/// The seed of simulated boards that are watched or logged by name.
const SEED: u64 = 1;

/// Runs a command and gives the exit code; without one, lets the person choose.
pub(crate) fn run(command: Option<Command>) -> anyhow::Result<u8> {
    let Some(command) = command else { return choose() };
    match command {
        Command::Demo { which, files } => demo(&which, files),
        Command::Watch { ports, baud, files } => {
            shell::need_terminal()?;
            watch(prepared(&ports, baud, files, Bench::default())?, Front::take_over)
        }
        Command::Bench { name, into, publish } => {
            shell::need_terminal()?;
            let bench = Some(bench_called(&name)?);
            watch(prepared(&[], None, Files { bench, into, publish }, Bench::default())?, Front::take_over)
        }
        Command::Open { take, bench } => {
            shell::need_terminal()?;
            open(&take, bench, Front::take_over)
        }
        Command::Log { source, length, rows, baud, bench, out, arm, plan, publish } => {
            let (bench, mistakes) = read_given_bench(bench.as_deref())?;
            tell_mistakes(&mistakes);
            let mut bench = with_sources(bench.unwrap_or_default(), &[source], baud)?;
            plan.apply(&mut bench.shared.keep, rows, length.is_some());
            let publishes = publish.apply(&mut bench.shared.publish);
            log::run(bench, log::Wishes { length, out, arm, publishes })
        }
        Command::Takes(args) => takes::run(&args),
        Command::Table(args) => table::run(&args),
        Command::Plot(args) => plot::plot(&args),
        Command::Report(args) => plot::report(&args),
        Command::Compare(args) => compare::run(&args),
        Command::Levels { source, channel, shortest, allowed_spread, bench } => {
            let (bench, mistakes) = read_given_bench(bench.as_deref())?;
            tell_mistakes(&mistakes);
            let rule = levels::Wishes { seconds: shortest.map(|time| time.as_secs_f64()), spread: allowed_spread };
            levels::run(&source, &channel, rule, bench)
        }
        Command::Events { source, bench } => {
            let (bench, mistakes) = read_given_bench(bench.as_deref())?;
            tell_mistakes(&mistakes);
            events::run(&source, bench)
        }
        Command::Stats(args) => analyse::stats::stats(&args),
        Command::Spectrum(args) => analyse::spectrum::spectrum(&args),
        Command::Block(args) => analyse::block::block(&args),
        Command::Calc { formula, values } => calc::run(&formula, &values),
        Command::Split { file, json, shape } => split::run(&file, shape, json),
        Command::Board { name, binary, seed, speed, repeat } => {
            let name = if binary { name + "-binary" } else { name };
            board::run(&name, seed, speed, repeat)
        }
        Command::Share { source, listen, may_send, baud } => share::run(source, listen, may_send, baud),
        Command::Mend { take, yes } => mend::run(&take, yes),
        Command::Completions { shell } => {
            let mut text = Vec::new();
            clap_complete::generate(shell, &mut Cli::command(), "amber-tap", &mut text);
            whole(&text, "the completions")
        }
        Command::Man => whole(&man::page().context("the manual page")?, "the manual page"),
    }
}

/// Prints a whole text.
fn whole(text: &[u8], what: &str) -> anyhow::Result<u8> {
    let mut out = std::io::stdout().lock();
    printed(out.write_all(text).and_then(|()| out.flush()), what).map(|()| 0)
}

/// Lists what can be watched, and watches what is chosen.
fn choose() -> anyhow::Result<u8> {
    shell::need_terminal()?;
    let signals = Signals::watch()?;
    let mut front = Front::take_over()?;
    let mut chooser = Chooser::new(".".into(), Recent::load());
    loop {
        let files = |bench: Option<PathBuf>| Files { bench, into: ".".into(), ..Files::default() };
        let choice = shell::choose(&mut front, &mut chooser, &signals)?;
        // What cannot be watched is said in the list, where another choice can be made.
        let tried = match choice {
            Choice::Quit => return Ok(0),
            Choice::Take(folder) => match amber_io::take::open_all(&folder) {
                Ok(takes) => return show_takes(takes, None, None, front),
                Err(error) => Err(error.into()),
            },
            Choice::Bench(path) if !path.is_file() => Err(anyhow::anyhow!("{} is not there", path.display())),
            Choice::Bench(path) => prepared(&[], None, files(Some(path)), Bench::default()),
            // A board that comes with a bench is shown set up, as in the demo.
            Choice::Source(name) => match ready(&name) {
                Some(bench) => prepared(&[], None, files(None), bench),
                None => prepared(&[name], None, files(None), Bench::default()),
            },
        };
        match tried {
            Ok(watching) => return watch(watching, move || Ok(front)),
            Err(error) => chooser.trouble = Some(format!("{error:#}")),
        }
    }
}

/// Somebody who publishes by `plan`, for the bench called `name`.
///
/// # Errors
/// Why not, and what to do about it.
pub(crate) fn publisher(plan: &Publish, name: &str) -> Result<Publisher, String> {
    let spools = crate::recent::state_folder().map(|folder| folder.join("spool"));
    Publisher::start(plan, name, spools.as_deref())
}

/// Reads the bench file that was asked for, if one was, with its mistakes.
fn read_given_bench(path: Option<&Path>) -> anyhow::Result<(Option<Bench>, Vec<String>)> {
    let Some(path) = path else { return Ok((None, Vec::new())) };
    match disk::read(path, disk::BENCH) {
        Ok(text) => {
            let (bench, mistakes) = Bench::parse_what_holds(&String::from_utf8_lossy(&text));
            Ok((Some(bench), mistakes.iter().map(|mistake| format!("{}: {mistake}", path.display())).collect()))
        }
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => bail!("{} is not there", path.display()),
        Err(error) => Err(unreadable(path, &error)),
    }
}

/// The same for a bench that `s` may make.
fn read_or_new_bench(path: Option<&Path>) -> anyhow::Result<(Option<Bench>, Vec<String>)> {
    match path {
        Some(path) if !path.exists() => {
            Ok((None, vec![format!("{} is not there yet: s saves all settings into it", path.display())]))
        }
        path => read_given_bench(path),
    }
}

fn unreadable(path: &Path, error: &std::io::Error) -> anyhow::Error {
    anyhow::anyhow!("cannot read {}: {}", path.display(), disk::unread(error))
}

fn tell_mistakes(mistakes: &[String]) {
    mistakes.iter().for_each(|mistake| aside(format_args!("amber-tap: {mistake}")));
}

/// The file of the bench that a person calls `name`.
fn bench_called(name: &str) -> anyhow::Result<PathBuf> {
    let here =
        [PathBuf::from(name), PathBuf::from(format!("{name}.bench.toml")), PathBuf::from(format!("{name}.toml"))];
    if let Some(path) = here.iter().find(|path| path.is_file()) {
        return Ok(path.clone());
    }
    let recent = Recent::load();
    if let Some(used) = recent.named(name) {
        return Ok(used.path.clone());
    }
    let known: Vec<String> = recent.bench.iter().map(|used| crate::recent::stem(&used.path)).collect();
    let known = if known.is_empty() { String::new() } else { format!("; used lately: {}", known.join(", ")) };
    bail!("no bench '{name}': neither {name}.bench.toml here nor one used lately{known}")
}

/// The bench with the sources that were named, where any were.
fn with_sources(mut bench: Bench, ports: &[String], baud: Option<u32>) -> anyhow::Result<Bench> {
    if !ports.is_empty() {
        bench.sources.resize(ports.len(), SourceSettings::default());
    }
    for (i, source) in bench.sources.iter_mut().map(|source| &mut source.wire).enumerate() {
        if let Some(port) = ports.get(i) {
            let named = port.split_once('=').filter(|(name, _)| !name.contains('/') && !Path::new(port).exists());
            // A name that the bench has stays, unless another one is given.
            if let Some((name, _)) = named {
                name.clone_into(&mut source.name);
            }
            source.port = named.map_or(port.as_str(), |(_, port)| port).to_owned();
        }
        if baud.is_some() {
            source.baud = baud;
        }
        if source.port.is_empty() {
            bail!("no port: give one, such as /dev/ttyACM0, or a bench that names one");
        }
    }
    Ok(bench)
}

/// What a source names: a port, a text, standard input, or a simulated board by its name, which begins to run.
pub(crate) fn endpoint(source: &WireSettings) -> anyhow::Result<Endpoint> {
    let board = match amber_boards::by_name(&source.port, SEED) {
        None => None,
        Some(board) => {
            let served = amber_boards::serve(board)?;
            Some(Simulated::new(served.path().to_path_buf(), served))
        }
    };
    Ok(Endpoint::of(source, board))
}

fn demo(which: &str, files: Files) -> anyhow::Result<u8> {
    let bench =
        ready(which).with_context(|| format!("there is no demo '{which}'; there are {}", crate::cli::board_names()))?;
    shell::need_terminal()?;
    let watching = Watching { is_demo: true, ..prepared(&[], None, files, bench)? };
    watch(watching, Front::take_over)
}

/// What is to be watched, all that can fail before the screen is taken over being done.
struct Watching {
    bench: Bench,
    mistakes: Vec<String>,
    files: Files,
    is_demo: bool,
    /// Rows are published from the start.
    publishes: bool,
    /// What each source names.
    endpoints: Vec<Endpoint>,
}

fn prepared(ports: &[String], baud: Option<u32>, mut files: Files, fallback: Bench) -> anyhow::Result<Watching> {
    let (found, mistakes) = read_or_new_bench(files.bench.as_deref())?;
    // What is missing may be what was wrong.
    let mut bench = with_sources(found.unwrap_or(fallback), ports, baud).inspect_err(|_| tell_mistakes(&mistakes))?;
    let publishes = std::mem::take(&mut files.publish).apply(&mut bench.shared.publish);
    let endpoints = bench.sources.iter().map(|source| endpoint(&source.wire)).collect::<Result<_, _>>()?;
    Ok(Watching { bench, mistakes, files, is_demo: false, publishes, endpoints })
}

fn watch(watching: Watching, front: impl FnOnce() -> anyhow::Result<Front>) -> anyhow::Result<u8> {
    let Watching { bench, mistakes, files, is_demo, publishes, endpoints } = watching;
    if let Some(file) = &files.bench {
        crate::recent::remember(file, &bench.first().wire);
    }
    let clock = HostClock::start();
    let mut live = Vec::new();
    let mut chains = Vec::new();
    for (place, endpoint) in endpoints.into_iter().enumerate() {
        let link = Link::start(endpoint, clock).context("no thread for the port")?;
        let keeper = Keeper::start(link.keeper.clone(), clock).context("no thread for takes")?;
        live.push(shell::Live { link, keeper });
        chains.push(Chain::new(&bench, place, bench.shared.history));
    }
    let others = chains.split_off(1);
    let first = chains.pop().context("there is a first source")?;
    let opening = |chain| (chain, crate::session::Source::Live { link: amber_io::LinkState::Opening });
    let session = Session::live(first, bench.shared, files.into, files.bench, clock.now());
    let mut session = session.beside(others.into_iter().map(opening));
    if !session.shared().about.is_empty() {
        session.say(session.shared().about.clone(), false);
    }
    session.say_mistakes(&mistakes);
    session.takes.folders = takes_in(session.shelf(), LISTED);
    let first = if publishes { session.toggle_publishing() } else { Vec::new() };
    let recent = Recent::load();
    let is_first = is_demo || recent.bench.is_empty();
    let app = App::new(session).with_mistakes(&mistakes);
    let app = if is_first { app.with_hints(recent.hints) } else { app };
    let signals = Signals::watch()?;
    let Ended { reports, published, shown, next } = shell::run(app, live, clock, &signals, front()?, first);
    if let Some((takes, front)) = next {
        return show_takes(takes, None, None, front);
    }
    signals.end_at_last();
    if let Some(state) = published {
        // Of a terminal that is gone, the end is told by its own error.
        drop(line(format_args!("published: {}", crate::session::published(&state)), "what was published"));
    }
    let kept = |summary: &Summary| {
        line(format_args!("{}: {}", summary.folder.display(), crate::session::in_words(summary)), "what was kept")
    };
    let mut failed = Ok(());
    for report in reports {
        // Of a terminal that is gone, the end is told by its own error.
        match report {
            Report::Stopped(summary) => drop(kept(&summary)),
            Report::Failed { error, kept: so_far } => {
                so_far.iter().for_each(|summary| drop(kept(summary)));
                failed = Err(error.into());
            }
            _ => {}
        }
    }
    shown.and(failed).map(|()| 0)
}

fn open(
    folder: &Path,
    bench_file: Option<PathBuf>,
    front: impl FnOnce() -> anyhow::Result<Front>,
) -> anyhow::Result<u8> {
    let (bench, mistakes) = read_given_bench(bench_file.as_deref())?;
    tell_mistakes(&mistakes);
    let takes = stretch::takes_at(folder)?;
    let bench = bench.map(|bench| if folder.is_dir() { bench } else { stretch::bench_for(Some(bench), &takes[0].1) });
    show_takes(takes, bench, bench_file, front()?)
}

/// The takes of one or several sources, as the screen shows them before they are read.
fn session_of(
    takes: Vec<(String, OpenedTake)>,
    bench: Option<Bench>,
    bench_file: Option<PathBuf>,
) -> anyhow::Result<Session> {
    let several = takes.len() > 1;
    let shared = bench.as_ref().map_or_else(|| takes[0].1.bench.shared.clone(), |bench| bench.shared.clone());
    let mut chains = Vec::new();
    for (place, (name, take)) in takes.into_iter().enumerate() {
        // What no settings are given for is seen through its own.
        // Rows of a table are not to be scaled again.
        let given = bench.as_ref().and_then(|bench| bench.sources.get(place)).filter(|_| !take.from_table);
        let settings = given.unwrap_or_else(|| take.bench.first()).clone();
        let mut own = Bench { shared: shared.clone(), sources: vec![settings] };
        if several {
            own.sources[0].wire.name = name;
        }
        chains.push((Chain::new(&own, 0, Limits::NONE), take));
    }
    let blocks: Vec<_> = chains.iter().map(|(_, take)| amber_io::take::read_blocks(&take.folder)).collect();
    let others = chains.split_off(1);
    let (chain, take) = chains.pop().context("there is a first take")?;
    let session = Session::take(chain, shared, take, bench_file);
    let others = others.into_iter().map(|(chain, take)| (chain, crate::session::Source::Take(Box::new(take))));
    let mut session = session.beside(others);
    if several {
        // A take of several sources is one folder among the takes.
        let shelf = session.shelf().parent().map(PathBuf::from);
        session.takes.shelf = shelf.or(session.takes.shelf.take());
    }
    for (blocks, told) in blocks {
        session.add_blocks(blocks);
        if let Some(first) = told.first() {
            session.say(first.clone(), true);
        }
    }
    Ok(session)
}

fn show_takes(
    takes: Vec<(String, OpenedTake)>,
    bench: Option<Bench>,
    bench_file: Option<PathBuf>,
    front: Front,
) -> anyhow::Result<u8> {
    let (mut takes, mut bench, mut bench_file, mut front) = (takes, bench, bench_file, front);
    loop {
        let mut session = session_of(takes, bench.take(), bench_file.take())?;
        session.takes.folders = takes_in(session.shelf(), LISTED);
        session.defer();
        session.read_takes();
        let app = App::new(session);
        let Ended { shown, next, .. } =
            shell::run(app, Vec::new(), HostClock::start(), &Signals::watch()?, front, Vec::new());
        shown?;
        let Some((others, again)) = next else { return Ok(0) };
        (takes, front) = (others, again);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use amber_core::Stamp;
    use amber_core::ask::Asker;

    #[test]
    fn a_port_keeps_the_name_that_it_is_given_and_else_that_of_the_bench() {
        let bench =
            || Bench::parse("format = 2\n[[source]]\n[source.wire]\nname = \"tank\"\nport = \"/dev/a\"\n").unwrap();
        let named = |ports: &[&str]| {
            let ports: Vec<String> = ports.iter().map(|port| (*port).to_owned()).collect();
            let bench = with_sources(bench(), &ports, Some(9600)).unwrap();
            bench.sources.into_iter().map(|source| (source.wire.name, source.wire.port)).collect::<Vec<_>>()
        };
        let pair = |name: &str, port: &str| (name.to_owned(), port.to_owned());
        assert_eq!(named(&[]), [pair("tank", "/dev/a")]);
        assert_eq!(named(&["/dev/b"]), [pair("tank", "/dev/b")]);
        assert_eq!(named(&["pond=/dev/b"]), [pair("pond", "/dev/b")]);
        assert_eq!(named(&["pond=/dev/b", "flume"]), [pair("pond", "/dev/b"), pair("", "flume")]);
        // A path may have such a sign in it.
        assert_eq!(named(&["/dev/by-id/a=b"]), [pair("tank", "/dev/by-id/a=b")]);
        assert!(with_sources(Bench::of(SourceSettings::default()), &[], None).is_err());
    }

    #[test]
    fn every_ready_bench_says_what_it_means_and_tests_channels_that_its_board_sends() {
        for (name, text) in READY {
            let bench = Bench::parse(text).unwrap_or_else(|mistake| panic!("{name}: {mistake}"));
            let mut board = amber_boards::by_name(name, 1).expect("a board of that name");
            let mut chain = Chain::new(&bench, 0, Limits::NONE);
            let shape = bench.first().split.shape();
            let mut asker = shape.and_then(|shape| Asker::of(&shape, Stamp(0)));
            asker.iter_mut().for_each(|asker| asker.opened(Stamp(0)));
            for tenth in 1..=200u64 {
                let (at, mut bytes) = (Stamp(tenth as i64 * 100_000_000), Vec::new());
                board.run(std::time::Duration::from_millis(tenth * 100), &mut bytes);
                chain.feed(at, &bytes);
                asker.iter_mut().for_each(|asker| asker.hear(at, &bytes));
                if let Some(said) = asker.as_mut().and_then(|asker| asker.poll(at)) {
                    chain.sent(at, &said);
                    let mut answers = Vec::new();
                    board.hear(&said, &mut answers);
                    chain.feed(at, &answers);
                    asker.iter_mut().for_each(|asker| asker.hear(at, &answers));
                }
                if tenth >= 30 && chain.counts().rows > 20 {
                    break;
                }
            }
            assert!(chain.counts().rows > 20, "{name}");
            assert_eq!((chain.troubles(), chain.conditions().troubles()), (&[][..], Vec::new()), "{name}");
            let known = &bench.first().channel;
            assert!(known.iter().all(|own| chain.channels().iter().any(|c| c.name() == own.name)), "{name}");
        }
    }
}
