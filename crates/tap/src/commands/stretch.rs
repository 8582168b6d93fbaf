//! What the commands on recorded rows share: opening a take or a text, finding a channel, a stretch of its rows.

use crate::figure::analysis::Of;
use crate::print::aside;
use crate::session::{Session, Source, chain_of, name_of};
use amber_core::Stamp;
use amber_core::bench::{Bench, Kind, Split};
use amber_core::chain::{Chain, Channel};
use amber_core::clock::Across;
use amber_core::clock::Time;
use amber_core::spectrum::even::Even;
use amber_io::take::{OpenedTake, open_all, open_file};
use anyhow::bail;
use clap::Args;
use std::ops::Range;
use std::path::{Path, PathBuf};

/// The name of a source, its chain, and its start.
pub(super) type Part = (String, (Chain, Stamp));

/// Opened takes, each with the name of its source; a file is one without a name.
pub(super) type Takes = Vec<(String, OpenedTake)>;

/// Where the rows are, and which of them.
#[derive(Debug, Args)]
pub(crate) struct Stretch {
    /// A take's folder, or a file: text, delimited or not, or WAV.
    #[arg(value_name = "TAKE|FILE")]
    pub(crate) source: PathBuf,
    /// From so many seconds behind the start; rows, where a text has no clock.
    #[arg(long, value_name = "SECONDS", allow_negative_numbers = true)]
    pub(crate) from: Option<f64>,
    /// Up to so many seconds behind the start, or rows.
    #[arg(long, value_name = "SECONDS", allow_negative_numbers = true)]
    pub(crate) to: Option<f64>,
    /// Rows a second, for a text without a time of its own.
    #[arg(long, value_name = "HZ")]
    pub(crate) rate: Option<f64>,
    /// Settings to see it with: shape, scales, formulas, filters.
    #[arg(long, value_name = "FILE")]
    pub(crate) bench: Option<PathBuf>,
}

/// A channel of an opened source.
pub(super) struct Found<'a> {
    pub(super) title: String,
    pub(super) place: usize,
    pub(super) index: usize,
    pub(super) channel: &'a Channel,
}

/// Opens a take or a file.
pub(super) fn opened(source: &Path, bench: Option<Bench>) -> anyhow::Result<Vec<Part>> {
    if source.is_dir() { takes(source, bench) } else { Ok(vec![(String::new(), file(source, bench)?)]) }
}

fn takes(folder: &Path, bench: Option<Bench>) -> anyhow::Result<Vec<Part>> {
    let takes = amber_io::take::open_all(folder)?;
    let chain = |(i, (name, take)): (usize, (String, amber_io::take::OpenedTake))| {
        take.told.iter().for_each(|told| aside(format_args!("{}: {told}", take.folder.display())));
        let (bench, place) = match &bench {
            Some(bench) if i < bench.sources.len() && !take.from_table => (bench, i),
            _ => (&take.bench, 0),
        };
        let chain = chain_of(&take, bench, place)?;
        // The table of a take begins with a row that was measured before it was started, if there is one.
        let first = chain.store().time(chain.store().rows().start).unwrap_or(take.start);
        Ok((name, (chain, first.min(take.start))))
    };
    takes.into_iter().enumerate().map(chain).collect()
}

/// A file that another program wrote: its rows have the times that the clock in it tells.
fn file(path: &Path, bench: Option<Bench>) -> anyhow::Result<(Chain, Stamp)> {
    let take = open_file(path)?;
    take.told.iter().for_each(|told| aside(format_args!("{}: {told}", path.display())));
    let chain = chain_of(&take, &bench_for(bench, &take), 0)?;
    Ok((chain, take.start))
}

/// The settings for a file: those that are given, with what the file itself says of its lines and their times.
pub(super) fn bench_for(given: Option<Bench>, file: &OpenedTake) -> Bench {
    let Some(mut bench) = given else { return file.bench.clone() };
    let (own, source) = (file.bench.first(), &mut bench.sources[0]);
    if source.split == Split::Auto {
        source.split = own.split.clone();
    }
    if source.time == Time::Auto {
        source.time = own.time.clone();
    }
    bench
}

/// What a command opens: takes, or a file, with the settings that are given.
pub(super) fn takes_of(stretch: &Stretch) -> anyhow::Result<(Takes, Option<Bench>)> {
    let bench = stretch.settings()?;
    let takes = takes_at(&stretch.source)?;
    let bench = bench.map(|bench| if stretch.source.is_dir() { bench } else { bench_for(Some(bench), &takes[0].1) });
    Ok((takes, bench))
}

/// The takes in a folder, or a file.
pub(super) fn takes_at(path: &Path) -> anyhow::Result<Takes> {
    Ok(if path.is_file() { vec![(String::new(), open_file(path)?)] } else { open_all(path)? })
}

/// The instant from which `--from` and `--to` count, of what is shown.
pub(super) fn zero_of(session: &Session) -> Stamp {
    let start = |watched: &crate::session::Watched| match &watched.source {
        Source::Take(take) => {
            let store = watched.chain.store();
            store.time(store.rows().start).map_or(take.start, |first| first.min(take.start))
        }
        Source::Live { .. } => session.oldest(),
    };
    session.watched.iter().map(start).min().unwrap_or_default()
}

/// All channels, by the names by which a person asks for them: `SOURCE.NAME` where there are several sources.
pub(super) fn channels(parts: &[Part]) -> Vec<Found<'_>> {
    let several = parts.len() > 1;
    let mut found = Vec::new();
    for (place, (name, (chain, _))) in parts.iter().enumerate() {
        for (index, channel) in chain.channels().iter().enumerate() {
            let title = channel.title();
            let title = if several { format!("{name}.{title}") } else { title.to_owned() };
            found.push(Found { title, place, index, channel });
        }
    }
    found
}

/// The place and the index of the channel that is asked for.
pub(super) fn channel(parts: &[Part], source: &Path, wanted: &str) -> anyhow::Result<(usize, usize)> {
    let known = channels(parts);
    let is_it = |found: &&Found<'_>| {
        found.title == wanted || (found.channel.name() == wanted && parts.len() == 1) || {
            let full = format!("{}.{}", parts[found.place].0, found.channel.name());
            parts.len() > 1 && full == wanted
        }
    };
    match known.iter().find(is_it) {
        Some(found) => Ok((found.place, found.index)),
        None if known.is_empty() => bail!("{} holds no rows that could be read", source.display()),
        None => {
            let names: Vec<&str> = known.iter().map(|found| found.title.as_str()).collect();
            bail!("there is no channel '{wanted}' in {}; there are {}", source.display(), names.join(", "))
        }
    }
}

impl Stretch {
    /// The settings that are given, with the rate.
    fn settings(&self) -> anyhow::Result<Option<Bench>> {
        for seconds in [self.from, self.to].into_iter().flatten() {
            if !(seconds.is_finite() && seconds.abs() < 1e9) {
                bail!("--from and --to are seconds behind the start, or rows of a text without a clock");
            }
        }
        let (mut bench, mistakes) = super::read_given_bench(self.bench.as_deref())?;
        super::tell_mistakes(&mistakes);
        if let Some(hz) = self.rate {
            let time = Time::Rate { hz };
            if let Some(fault) = time.fault() {
                bail!("--rate: {fault}");
            }
            if self.source.is_dir() {
                bail!("--rate is for a text: a take has the times of its rows");
            }
            bench.get_or_insert_default().sources[0].time = time;
        }
        Ok(bench)
    }

    /// Opens it, with the rate that was given.
    pub(super) fn open(&self) -> anyhow::Result<Vec<Part>> {
        let bench = self.settings()?;
        let parts = opened(&self.source, bench)?;
        if parts.iter().all(|(_, (chain, _))| chain.store().rows().is_empty()) {
            bail!("{} holds no rows that could be read", self.source.display());
        }
        Ok(parts)
    }

    /// The rows of a part that are asked for.
    pub(super) fn rows(&self, (_, (chain, start)): &Part) -> Range<u64> {
        let rows = chain.store().rows();
        let across = chain.timer().across();
        let at = |of: f64| chain.store().first_at(start.plus(across.seconds(of))).clamp(rows.start, rows.end);
        let from = self.from.map_or(rows.start, at);
        from..self.to.map_or(rows.end, |seconds| at(seconds + 1e-9)).max(from)
    }

    /// What a figure of a channel is of.
    pub(super) fn of(&self, channel: &Channel, index: usize) -> Of {
        Of {
            source: name_of(&self.source),
            channel: channel.title().to_owned(),
            unit: channel.settings().scale.unit().to_owned(),
            decimals: channel.decimals(),
            letter: char::from(b'A' + (index % 26) as u8),
            ink: index,
            // Neither a histogram nor a spectrum has an axis of time.
            across: Across::Seconds,
        }
    }
}

/// The channel that is meant where none is named: the only analog one.
pub(super) fn only_analog(parts: &[Part]) -> anyhow::Result<(usize, usize)> {
    let all = channels(parts);
    let analog: Vec<&Found<'_>> = all.iter().filter(|found| found.channel.kind() == Kind::Analog).collect();
    match analog[..] {
        [one] => Ok((one.place, one.index)),
        [] => bail!("there is no analog channel: name one with --channel"),
        _ => {
            let names: Vec<&str> = analog.iter().map(|found| found.title.as_str()).collect();
            bail!("name a channel with --channel; there are {}", names.join(", "))
        }
    }
}

/// What is said where `what` counts time, of which a text tells nothing.
pub(super) fn no_clock(what: &str) -> anyhow::Error {
    anyhow::anyhow!(
        "{what} counts time, and the text has no clock: give its rows a second with --rate, or a bench that says its clock"
    )
}

/// The rows of a channel made even, of its quantity or of what leaves its filters.
pub(super) fn even(chain: &Chain, channel: &Channel, rows: Range<u64>, smoothed: bool) -> anyhow::Result<Even> {
    if chain.timer().is_assumed() {
        return Err(no_clock("a spectrum"));
    }
    let series = if smoothed { channel.output() } else { channel.scaled() };
    Even::of_rows(chain.store(), series, rows).map_err(|why| anyhow::anyhow!("no spectrum: {why}"))
}
