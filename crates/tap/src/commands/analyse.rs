//! `stats`, `spectrum` and `block`: what rows amount to, without a screen.

use super::stretch::{Stretch, channel, channels, even, only_analog};
use crate::figure::{self, analysis};
use crate::print::{aside, printed};
use amber_core::Stamp;
use amber_core::bench::Kind;
use amber_core::block::{Block, Column, Histogram, Length, MOST_ROWS, Statistics};
use amber_core::digits::{cleaned, counted, duration, fixed, hertz, short, with_unit};
use amber_core::spectrum::peaks::{self, Peaks};
use amber_core::spectrum::period::Period;
use amber_core::spectrum::waterfall::{Line, Waterfall};
use amber_core::spectrum::{LONGEST, Maker, Recipe, SHORTEST, Spectrum, Window, names};
use amber_core::stats::Noise;
use anyhow::bail;
use clap::{Args, ValueEnum};
use serde_json::{Value, json};
use std::io::{self, Write};
use std::path::PathBuf;

/// Classes of a histogram in a figure.
const CLASSES: usize = 120;

/// Lines of a waterfall in a figure.
const LINES: usize = 120;

#[derive(Debug, Args)]
pub(crate) struct StatsArgs {
    #[command(flatten)]
    pub(crate) stretch: Stretch,
    /// The channel, by its name; may be given several times [default: all].
    #[arg(long, value_name = "NAME")]
    pub(crate) channel: Vec<String>,
    /// One JSON document instead of CSV.
    #[arg(long)]
    pub(crate) json: bool,
    /// Also draw the histogram of the (first) channel: a name that ends in .svg or .pdf.
    #[arg(long, value_name = "FILE")]
    pub(crate) out: Option<PathBuf>,
}

#[derive(Debug, Args)]
pub(crate) struct SpectrumArgs {
    #[command(flatten)]
    pub(crate) stretch: Stretch,
    /// The channel, by its name [default: the only analog one].
    #[arg(long, value_name = "NAME")]
    pub(crate) channel: Option<String>,
    /// The window.
    #[arg(long, value_enum, default_value_t = WindowArg::Hann)]
    pub(crate) window: WindowArg,
    /// Rows of each part that is averaged, 16 to 262144.
    #[arg(long, value_name = "ROWS", default_value_t = 1024, value_parser = clap::value_parser!(u32).range(SHORTEST as i64..=LONGEST as i64))]
    pub(crate) length: u32,
    /// Of what leaves the channel's filters, rather than of what goes into them.
    #[arg(long)]
    pub(crate) smoothed: bool,
    /// Only the peaks.
    #[arg(long)]
    pub(crate) peaks: bool,
    /// Say by how much this channel follows.
    #[arg(long, value_name = "NAME")]
    pub(crate) follows: Option<String>,
    /// One JSON document instead of CSV.
    #[arg(long)]
    pub(crate) json: bool,
    /// Also draw it, with a waterfall: a name that ends in .svg or .pdf.
    #[arg(long, value_name = "FILE")]
    pub(crate) out: Option<PathBuf>,
}

#[derive(Debug, Args)]
pub(crate) struct BlockArgs {
    #[command(flatten)]
    pub(crate) stretch: Stretch,
    /// So many rows [default: all of the stretch].
    #[arg(long, value_name = "N", conflicts_with = "seconds")]
    pub(crate) rows: Option<usize>,
    /// So many seconds.
    #[arg(long, value_name = "S")]
    pub(crate) seconds: Option<f64>,
    /// The moment that it ends with, in seconds behind the start [default: the end].
    #[arg(long, value_name = "SECONDS", allow_negative_numbers = true)]
    pub(crate) at: Option<f64>,
    /// A named block of the take, instead of a stretch; without a name they are listed.
    #[arg(long, value_name = "NAME", num_args = 0..=1, default_missing_value = "")]
    pub(crate) named: Option<String>,
    /// One JSON document instead of CSV: statistics of each channel, and the rows.
    #[arg(long)]
    pub(crate) json: bool,
    /// Also draw it, raw pale behind smoothed: a name that ends in .svg or .pdf.
    #[arg(long, value_name = "FILE")]
    pub(crate) out: Option<PathBuf>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum WindowArg {
    Hann,
    FlatTop,
    Rectangular,
    BlackmanHarris,
}

impl WindowArg {
    fn window(self) -> Window {
        match self {
            WindowArg::Hann => Window::Hann,
            WindowArg::FlatTop => Window::FlatTop,
            WindowArg::Rectangular => Window::Rectangular,
            WindowArg::BlackmanHarris => Window::BlackmanHarris,
        }
    }
}

/// A number of a table or a document: without the noise of its rounding.
fn plain(value: f64) -> String {
    if value.is_finite() { short(cleaned(value), 12) } else { String::new() }
}

fn number(value: f64) -> Value {
    if value.is_finite() { json!(cleaned(value)) } else { Value::Null }
}

fn whole(document: &Value, what: &str) -> anyhow::Result<()> {
    let mut out = io::stdout().lock();
    printed(
        serde_json::to_writer_pretty(&mut out, document).map_err(io::Error::from).and_then(|()| writeln!(out)),
        what,
    )
}

const STATISTICS: [&str; 13] = [
    "channel",
    "unit",
    "count",
    "gaps",
    "mean",
    "median",
    "deviation",
    "rms",
    "min",
    "max",
    "peak_to_peak",
    "slope_per_s",
    "distinct_codes",
];

/// The statistics of a column in the order of [`STATISTICS`], the name apart.
fn told(block: &Block, column: &Column) -> Option<(Statistics, u64, Option<f64>)> {
    let found = Statistics::of(&block.times, column.output())?;
    let codes = Statistics::of(&block.times, &column.raw).map_or(0, |raw| raw.distinct as u64);
    Some((found, codes, column.effective_bits().map(|bits| bits.0)))
}

fn statistics_json(block: &Block, column: &Column) -> Value {
    let Some((found, codes, bits)) = told(block, column) else { return json!({ "channel": column.name, "count": 0 }) };
    json!({
        "channel": column.name,
        "unit": column.unit,
        "count": found.count,
        "gaps": found.gaps,
        "mean": number(found.mean),
        "median": number(found.median),
        "deviation": number(found.deviation),
        "rms": number(found.rms),
        "min": number(found.min),
        "max": number(found.max),
        "peak_to_peak": number(found.peak_to_peak()),
        "slope_per_s": number(found.slope),
        "distinct_codes": codes,
        "effective_bits": bits.map(number),
    })
}

/// Says so where the rows have no time.
fn untimed(parts: &[super::stretch::Part]) {
    if parts.iter().any(|(_, (chain, _))| chain.timer().is_assumed()) {
        aside(format_args!(
            "the text has no time of its own: slopes and times are not known; --rate gives its rows a second"
        ));
    }
}

/// Prints what the channels of a stretch amount to.
pub(super) fn stats(args: &StatsArgs) -> anyhow::Result<u8> {
    let parts = args.stretch.open()?;
    let wanted: Vec<(usize, usize)> = if args.channel.is_empty() {
        channels(&parts)
            .iter()
            .filter(|found| found.channel.kind() != Kind::Clock)
            .map(|f| (f.place, f.index))
            .collect()
    } else {
        args.channel.iter().map(|name| channel(&parts, &args.stretch.source, name)).collect::<Result<_, _>>()?
    };
    let titles = channels(&parts);
    let title = |place: usize, index: usize| {
        titles.iter().find(|f| (f.place, f.index) == (place, index)).map_or(String::new(), |f| f.title.clone())
    };
    let mut all = Vec::new();
    for (place, index) in wanted {
        let part = &parts[place];
        let rows = args.stretch.rows(part);
        let mut block = Block::of(&part.1.0, "stretch", rows.clone(), part.1.1);
        let mut column = block.columns.swap_remove(index);
        column.name = title(place, index);
        block.columns = vec![column];
        all.push((place, index, block));
    }
    if all.iter().all(|(_, _, block)| block.times.is_empty()) {
        bail!("there are no rows in this stretch");
    }
    untimed(&parts);
    for (place, _, block) in &mut all {
        // Without a time there is no slope.
        if parts[*place].1.0.timer().is_assumed() {
            block.times.fill(Stamp(0));
        }
    }
    if args.json {
        let channels: Vec<Value> = all.iter().map(|(_, _, block)| statistics_json(block, &block.columns[0])).collect();
        whole(&json!({ "format": 1, "channels": channels }), "the statistics")?;
    } else {
        let mut out = csv::Writer::from_writer(io::stdout().lock());
        let mut print = || -> io::Result<()> {
            out.write_record(STATISTICS.iter().chain(&["effective_bits"]))?;
            for (_, _, block) in &all {
                let column = &block.columns[0];
                let Some((found, codes, bits)) = told(block, column) else { continue };
                let numbers = [found.mean, found.median, found.deviation, found.rms, found.min, found.max];
                let mut record =
                    vec![column.name.clone(), column.unit.clone(), found.count.to_string(), found.gaps.to_string()];
                record.extend(numbers.map(plain));
                record.extend([plain(found.peak_to_peak()), plain(found.slope), codes.to_string()]);
                record.push(bits.map_or(String::new(), |bits| fixed(bits, 2)));
                out.write_record(record)?;
            }
            out.flush()
        };
        printed(print(), "the statistics")?;
    }
    if let Some(out) = &args.out {
        let (place, index, block) = &all[0];
        let own = &parts[*place].1.0.channels()[*index];
        let column = &block.columns[0];
        let step = if column.smoothed.is_some() { f64::NAN } else { column.resolution };
        let Some(found) = Histogram::of(column.output(), step, CLASSES) else { bail!("there is nothing to draw") };
        figure::write_as(&analysis::histogram(&args.stretch.of(own, *index), &found), out)?;
    }
    Ok(0)
}

/// Prints the spectrum of a channel.
pub(super) fn spectrum(args: &SpectrumArgs) -> anyhow::Result<u8> {
    let parts = args.stretch.open()?;
    let (place, index) = match &args.channel {
        Some(name) => channel(&parts, &args.stretch.source, name)?,
        None => only_analog(&parts)?,
    };
    let part = &parts[place];
    let chain = &part.1.0;
    let own = &chain.channels()[index];
    let rows = args.stretch.rows(part);
    let even = even(chain, own, rows.clone(), args.smoothed)?;
    let mut maker = Maker::default();
    let recipe = Recipe { window: args.window.window(), length: args.length as usize };
    let Some(found) = maker.spectrum(&even.values, even.rate, recipe) else {
        bail!("there is no spectrum of these rows")
    };
    let peaks = peaks::find(&found);
    let mut noise = Noise::default();
    even.values.iter().for_each(|value| noise.push(*value));
    let times: Vec<Stamp> = (0..even.values.len()).map(|row| even.begin.plus(row as f64 / even.rate)).collect();
    let period = Period::of(&times, &even.values, noise.deviation().unwrap_or(0.0));
    let follows = match &args.follows {
        None => None,
        Some(name) => {
            let (other, index) = channel(&parts, &args.stretch.source, name)?;
            if other != place {
                bail!("both channels must be of one source");
            }
            let theirs = super::stretch::even(chain, &chain.channels()[index], rows.clone(), args.smoothed)?;
            if theirs.begin != even.begin || theirs.values.len() != even.values.len() {
                bail!("{name} has gaps elsewhere than {}: choose a stretch without them", own.title());
            }
            let follows = maker.follows(&even.values, &theirs.values, even.rate);
            let Some(follows) = follows else { bail!("one of the channels does not move") };
            Some((name, follows))
        }
    };
    let unit = own.settings().scale.unit();
    if args.json {
        let peak = |peak: &peaks::Peak| {
            json!({
                "hertz": number(peak.hertz),
                "amplitude": number(peak.amplitude),
                "harmonic": peak.harmonic,
                "name": names::mains(peak.hertz, found.rate, found.resolution()),
            })
        };
        let document = json!({
            "format": 1,
            "channel": own.title(),
            "unit": unit,
            "rows_per_s": number(found.rate),
            "rows_made_even": even.told(),
            "jitter": number(even.jitter),
            "window": found.window.name(),
            "length": found.length,
            "averaged": found.parts,
            "resolution_hz": number(found.resolution()),
            "peaks": peaks.found.iter().map(peak).collect::<Vec<_>>(),
            "harmonic_distortion": peaks.distortion.map(number),
            "noise_floor_per_root_hz": number(peaks.floor),
            "noise_deviation": number(peaks.noise),
            "period_s": period.map(|period| number(period.seconds)),
            "follows": follows.as_ref().map(|(name, follows)| json!({
                "channel": name,
                "seconds": number(follows.seconds),
                "correlation": number(follows.correlation),
                "also_fits_s": follows.rivals.iter().map(|seconds| number(*seconds)).collect::<Vec<_>>(),
            })),
            "amplitudes": if args.peaks {
                Value::Null
            } else {
                found.amplitudes.iter().map(|amplitude| number(*amplitude)).collect()
            },
        });
        whole(&document, "the spectrum")?;
    } else {
        printed(print_spectrum(&found, &peaks, args.peaks), "the spectrum")?;
        tell(&found, &peaks, period.as_ref(), own.title(), unit, &even.told());
        if let Some((name, follows)) = follows {
            let (first, second) =
                if follows.seconds >= 0.0 { (own.title(), &name[..]) } else { (&name[..], own.title()) };
            let rivals: Vec<String> =
                follows.rivals.iter().take(2).map(|seconds| duration(*seconds * follows.seconds.signum())).collect();
            let also = if rivals.is_empty() {
                String::new()
            } else {
                format!("; a wave repeats, so it may also be {}", rivals.join(" or "))
            };
            aside(format_args!(
                "{second} follows {first} by {} (correlation {}){also}",
                duration(follows.seconds.abs()),
                fixed(follows.correlation, 2)
            ));
        }
    }
    if let Some(out) = &args.out {
        let (waterfall, hop) = waterfall(args, part, index, rows, &mut maker, recipe, even.rate);
        let lines: Vec<&Line> = waterfall.lines().collect();
        figure::write_as(&analysis::spectrum(&args.stretch.of(own, index), &found, &peaks, &lines, hop), out)?;
    }
    Ok(0)
}

fn print_spectrum(found: &Spectrum, peaks: &Peaks, only_peaks: bool) -> io::Result<()> {
    let mut out = csv::Writer::from_writer(io::stdout().lock());
    if only_peaks {
        out.write_record(["hertz", "amplitude", "harmonic", "name"])?;
        for peak in &peaks.found {
            let name = names::mains(peak.hertz, found.rate, found.resolution()).unwrap_or_default();
            let harmonic = peak.harmonic.map_or(String::new(), |n| n.to_string());
            out.write_record([plain(peak.hertz), plain(peak.amplitude), harmonic, name])?;
        }
    } else {
        out.write_record(["hertz", "amplitude", "density"])?;
        let density = found.to_density();
        for (bin, amplitude) in found.amplitudes.iter().enumerate() {
            out.write_record([plain(found.hertz(bin)), plain(*amplitude), plain(amplitude * density)])?;
        }
    }
    out.flush()
}

/// What there is to say of a spectrum, on standard error.
fn tell(found: &Spectrum, peaks: &Peaks, period: Option<&Period>, title: &str, unit: &str, even: &str) {
    aside(format_args!(
        "{title}: {} rows/s, {} of {} rows, {} apart; {even}",
        short(found.rate, 5),
        counted(found.parts as u64, "part"),
        found.length,
        hertz(found.resolution())
    ));
    match peaks.found.first() {
        None => aside(format_args!("nothing stands out of the noise")),
        Some(peak) => {
            let [one, two] = names::others(peak.hertz, found.rate).map(hertz);
            let name = names::mains(peak.hertz, found.rate, found.resolution())
                .map_or(String::new(), |name| format!(" ({name})"));
            aside(format_args!(
                "largest at {}{name}: {}, harmonic distortion {} %; at {} rows/s {one} and {two} would also appear there",
                hertz(peak.hertz),
                with_unit(short(peak.amplitude, 4), unit),
                short(100.0 * peaks.distortion.unwrap_or(0.0), 2),
                short(found.rate, 4)
            ));
        }
    }
    if let Some(period) = period {
        aside(format_args!("by crossings: {}, every {}", hertz(period.hertz()), duration(period.seconds)));
    }
}

/// The waterfall of a stretch, and the seconds between its lines.
fn waterfall(
    args: &SpectrumArgs,
    part: &super::stretch::Part,
    index: usize,
    rows: std::ops::Range<u64>,
    maker: &mut Maker,
    recipe: Recipe,
    rate: f64,
) -> (Waterfall, f64) {
    let chain = &part.1.0;
    let own = &chain.channels()[index];
    let series = if args.smoothed { own.output() } else { own.scaled() };
    let recipe = Recipe { length: (recipe.length / 4).max(64), ..recipe };
    let seconds = (rows.end - rows.start) as f64 / rate;
    let hop = (seconds / LINES as f64).max(recipe.length as f64 / 4.0 / rate).max(0.001);
    let end = rows.end.checked_sub(1).and_then(|last| chain.store().time(last)).unwrap_or_default();
    let mut falls = Waterfall::default();
    let lines = ((seconds / hop) as usize).clamp(1, LINES);
    falls.follow(maker, recipe, hop, (end, lines), usize::MAX, |until, count| {
        let end = chain.store().first_at(until).clamp(rows.start, rows.end);
        let stretch = end.saturating_sub(count as u64).max(rows.start)..end;
        let mut times = Vec::new();
        chain.store().read_times(stretch.clone(), &mut times);
        (times, stretch.map(|row| series.get(row).unwrap_or(f64::NAN)).collect())
    });
    (falls, hop)
}

/// Prints a block of rows.
pub(super) fn block(args: &BlockArgs) -> anyhow::Result<u8> {
    let block = match &args.named {
        Some(name) => match named(args, name)? {
            Some(block) => block,
            None => return Ok(0),
        },
        None => {
            let parts = args.stretch.open()?;
            if parts.len() > 1 {
                let names: Vec<&str> = parts.iter().map(|(name, _)| name.as_str()).collect();
                bail!(
                    "{} holds several sources: give the folder of one of them ({})",
                    args.stretch.source.display(),
                    names.join(", ")
                );
            }
            untimed(&parts);
            let part = &parts[0];
            let (chain, start) = (&part.1.0, part.1.1);
            let within = args.stretch.rows(part);
            let end = match args.at {
                Some(at) => chain.store().first_at(start.plus(at + 1e-9)).clamp(within.start, within.end),
                None => within.end,
            };
            let length = match (args.rows, args.seconds) {
                (Some(rows), _) if (1..=MOST_ROWS).contains(&rows) => Some(Length::Rows(rows)),
                (Some(_), _) => bail!("--rows must be 1 to {MOST_ROWS}"),
                (_, Some(seconds)) if seconds > 0.0 && seconds < 1e9 => Some(Length::Seconds(seconds)),
                (_, Some(_)) => bail!("--seconds must be above 0"),
                _ => None,
            };
            let rows = length.map_or(within.start..end, |length| length.before(chain, end));
            let rows = rows.start.max(within.start)..rows.end;
            if rows.end - rows.start > MOST_ROWS as u64 {
                aside(format_args!("only the last {MOST_ROWS} rows: choose a stretch with --from and --to"));
            }
            let rows = rows.start.max(rows.end.saturating_sub(MOST_ROWS as u64))..rows.end;
            if rows.is_empty() {
                bail!("there are no rows in this stretch");
            }
            let moment = chain.store().time(rows.end - 1).unwrap_or_default();
            Block::of(chain, "block", rows, moment)
        }
    };
    if args.json {
        let columns: Vec<Value> = block
            .columns
            .iter()
            .map(|column| {
                let mut told = statistics_json(&block, column);
                told["values"] = column.output().iter().map(|value| number(*value)).collect();
                told
            })
            .collect();
        let times: Vec<Value> = (0..block.times.len()).map(|row| number(block.seconds(row))).collect();
        whole(&json!({ "format": 1, "name": block.name, "time_s": times, "channels": columns }), "the block")?;
    } else {
        let mut out = io::stdout().lock();
        printed(out.write_all(block.csv().as_bytes()).and_then(|()| out.flush()), "the block")?;
    }
    if let Some(out) = &args.out {
        let columns: Vec<(usize, &Column)> = block.columns.iter().enumerate().collect();
        figure::write_as(&analysis::block(&args.stretch.source.display().to_string(), &block, &columns), out)?;
    }
    Ok(0)
}

/// The block of that name in the take; without a name they are listed.
fn named(args: &BlockArgs, name: &str) -> anyhow::Result<Option<Block>> {
    let source = &args.stretch.source;
    let (blocks, told) = amber_io::take::read_blocks(source);
    told.iter().for_each(|told| aside(format_args!("{}: {told}", source.display())));
    if name.is_empty() {
        let mut out = csv::Writer::from_writer(io::stdout().lock());
        let mut print = || -> io::Result<()> {
            out.write_record(["name", "rows", "seconds", "first_row", "moment"])?;
            for block in &blocks {
                let ends = block.times.first().zip(block.times.last());
                let seconds = ends.map_or(0.0, |(first, last)| last.seconds_since(*first));
                let moment = amber_io::take::iso8601(block.moment);
                let numbers = [block.times.len().to_string(), fixed(seconds, 6), block.first_row.to_string()];
                let [rows, seconds, first] = numbers;
                out.write_record([amber_core::tail::visible(block.name.as_bytes()), rows, seconds, first, moment])?;
            }
            out.flush()
        };
        printed(print(), "the blocks")?;
        return Ok(None);
    }
    match blocks.into_iter().find(|block| block.name == name) {
        Some(block) => Ok(Some(block)),
        None => bail!("there is no block '{name}' in {}; --named alone lists them", source.display()),
    }
}
