//! `table`: rows of a take or a file in a form that other programs read.

use super::output::{Form, Output, replace};
use super::stretch::{Found, Part, Stretch, channel, channels, no_clock};
use crate::print::{aside, printed};
use amber_core::Stamp;
use amber_core::bench::Kind;
use amber_core::clock::Across;
use amber_core::digits::{counted, fixed};
use amber_core::spectrum::even::{Even, on_grid};
use amber_io::export::{CsvTable, ExportColumn, ExportHead, ExportKind, Exporter, JsonLines, Vcd, wav};
use anyhow::bail;
use clap::Args;
use std::io::{self, BufWriter, Write};
use std::ops::Range;

#[derive(Debug, Args)]
pub(crate) struct TableArgs {
    #[command(flatten)]
    stretch: Stretch,
    /// The channel, by its name; may be given several times [default: all, of VCD the digital ones, of WAV the analog ones].
    #[arg(long, value_name = "NAME")]
    channel: Vec<String>,
    /// The raw values, rather than quantities.
    #[arg(long, conflicts_with = "smoothed")]
    raw: bool,
    /// The smoothed quantities, where a channel has filters.
    #[arg(long)]
    smoothed: bool,
    #[command(flatten)]
    output: Output,
}

/// Rows that are worked on at once.
const BATCH: u64 = 4096;

/// Writes the rows of a stretch.
pub(super) fn run(args: &TableArgs) -> anyhow::Result<u8> {
    let form = args.output.form(&[Form::Csv, Form::JsonLines, Form::Vcd, Form::Wav, Form::Parquet])?;
    if form == Form::Parquet && !cfg!(feature = "parquet") {
        bail!("this build writes no Parquet: build it with --features parquet, or write .csv");
    }
    let parts = args.stretch.open()?;
    let wanted = wanted(args, &parts, form)?;
    if parts.iter().all(|part| args.stretch.rows(part).is_empty()) {
        bail!("there are no rows in this stretch");
    }
    if form == Form::Wav {
        return sound(args, &parts, &wanted);
    }
    let all = channels(&parts);
    let is_text = parts.iter().all(|(_, (chain, _))| chain.timer().is_text_time());
    let columns = wanted.iter().map(|(place, index)| {
        let found = all.iter().find(|found| (found.place, found.index) == (*place, *index));
        column(found, args.raw)
    });
    let start = parts.iter().map(|(_, (_, start))| *start).min().unwrap_or_default();
    // Rows of several sources are counted together only where all are.
    let across = parts
        .iter()
        .map(|(_, (chain, _))| chain.timer().across())
        .reduce(|a, b| if a == b { a } else { Across::Seconds });
    let across = across.unwrap_or_default();
    if across != Across::Seconds && form == Form::Vcd {
        return Err(no_clock("VCD"));
    }
    let head = ExportHead { columns: columns.collect(), start, has_wall: !is_text, across };
    match &args.output.out {
        #[cfg(feature = "parquet")]
        _ if form == Form::Parquet => {
            let mut bytes = Vec::new();
            fill(&mut amber_io::export::Parquet::new(head, &mut bytes)?, args, &parts, &wanted)?;
            args.output.put(&bytes, "the table")?;
        }
        Some(path) => {
            // Whole or not at all, as all files that are written.
            let mut bytes = Vec::new();
            write(form, head, &mut bytes, args, &parts, &wanted)?;
            replace(path, &bytes)?;
        }
        None => {
            let out = BufWriter::with_capacity(1 << 16, io::stdout().lock());
            printed(write(form, head, out, args, &parts, &wanted), "the table")?;
        }
    }
    Ok(0)
}

/// The channels that are asked for; of a form that holds some kinds only, all of those.
fn wanted(args: &TableArgs, parts: &[Part], form: Form) -> anyhow::Result<Vec<(usize, usize)>> {
    if !args.channel.is_empty() {
        return args.channel.iter().map(|name| channel(parts, &args.stretch.source, name)).collect();
    }
    let fits = |found: &&Found<'_>| match form {
        Form::Vcd => matches!(found.channel.kind(), Kind::Digital | Kind::Code),
        Form::Wav => found.channel.kind() == Kind::Analog,
        _ => true,
    };
    let all: Vec<(usize, usize)> =
        channels(parts).iter().filter(fits).map(|found| (found.place, found.index)).collect();
    match (form, all.is_empty()) {
        (Form::Vcd, true) => bail!("no channel is digital: name others with --channel, which become reals"),
        (_, true) => bail!("there is no such channel: name one with --channel"),
        _ => Ok(all),
    }
}

fn column(found: Option<&Found<'_>>, raw: bool) -> ExportColumn {
    let kind = match found.map(|found| found.channel.kind()) {
        Some(Kind::Digital) => ExportKind::Digital,
        Some(Kind::Code) => ExportKind::Code,
        _ => ExportKind::Number,
    };
    let settings = found.map(|found| found.channel.settings());
    let unit = settings.map(|own| if raw { own.scale.unit.as_str() } else { own.scale.unit() });
    ExportColumn {
        name: found.map_or(String::new(), |found| found.title.clone()),
        unit: unit.unwrap_or_default().to_owned(),
        kind,
        words: settings.filter(|_| !raw).map(|own| own.words.clone()).unwrap_or_default(),
    }
}

/// A column's values in rows that follow one another.
fn values(args: &TableArgs, part: &Part, index: usize, rows: Range<u64>) -> Vec<f64> {
    let chain = &part.1.0;
    let own = &chain.channels()[index];
    if args.smoothed && own.smoothed().is_some() {
        // Held in single precision: rounded to two digits more than the converter resolves, as in a take's table.
        let factor = 10f64.powi(own.decimals() as i32 + 2);
        let rounded = |value: f64| (value * factor).round() / factor;
        return rows.map(|row| own.output().get(row).map_or(f64::NAN, rounded)).collect();
    }
    // Worked out from the raw value, to the last digit.
    let of = |row| chain.reading(index, row).map_or(f64::NAN, |now| if args.raw { now.raw } else { now.quantity });
    rows.map(of).collect()
}

/// Writes all rows in their order; rows of several sources stand apart, each with gaps for the others.
fn write(
    form: Form,
    head: ExportHead,
    mut out: impl Write,
    args: &TableArgs,
    parts: &[Part],
    wanted: &[(usize, usize)],
) -> io::Result<()> {
    let mut exporter: Box<dyn Exporter + '_> = match form {
        Form::JsonLines => Box::new(JsonLines::new(head, &mut out)),
        Form::Vcd => Box::new(Vcd::new(head, concat!("Amber Tap ", env!("CARGO_PKG_VERSION")), &mut out)?),
        _ => Box::new(CsvTable::new(head, &mut out)?),
    };
    fill(&mut *exporter, args, parts, wanted)
}

/// Gives all rows to an exporter.
fn fill(exporter: &mut dyn Exporter, args: &TableArgs, parts: &[Part], wanted: &[(usize, usize)]) -> io::Result<()> {
    let mut left: Vec<Range<u64>> = parts.iter().map(|part| args.stretch.rows(part)).collect();
    let next = |place: usize, left: &[Range<u64>]| -> Option<Stamp> {
        let rows = &left[place];
        if rows.is_empty() { None } else { parts[place].1.0.store().time(rows.start) }
    };
    while let Some((place, _)) =
        (0..parts.len()).filter_map(|place| Some((place, next(place, &left)?))).min_by_key(|(_, at)| *at)
    {
        // Up to the next row of another source.
        let others = (0..parts.len()).filter(|other| *other != place).filter_map(|other| next(other, &left)).min();
        let store = parts[place].1.0.store();
        let until = others.map_or(left[place].end, |at| store.first_at(at).max(left[place].start + 1));
        let rows = left[place].start..until.min(left[place].end).min(left[place].start + BATCH);
        left[place].start = rows.end;
        let mut times = Vec::new();
        store.read_times(rows.clone(), &mut times);
        let of = |(own, index): &(usize, usize)| {
            if *own == place { values(args, &parts[place], *index, rows.clone()) } else { vec![f64::NAN; times.len()] }
        };
        let columns: Vec<Vec<f64>> = wanted.iter().map(of).collect();
        let columns: Vec<&[f64]> = columns.iter().map(Vec::as_slice).collect();
        exporter.rows(&times, &columns)?;
    }
    exporter.finish()
}

/// Writes evenly spaced channels of one source as sound.
fn sound(args: &TableArgs, parts: &[Part], wanted: &[(usize, usize)]) -> anyhow::Result<u8> {
    let place = wanted[0].0;
    if wanted.iter().any(|(own, _)| *own != place) {
        bail!("WAV holds channels of one source: name them with --channel");
    }
    let part = &parts[place];
    let chain = &part.1.0;
    if chain.timer().is_assumed() {
        return Err(no_clock("sound"));
    }
    let rows = args.stretch.rows(part);
    let mut times = Vec::new();
    chain.store().read_times(rows.clone(), &mut times);
    let (mut found, mut told) = (Vec::new(), Vec::new());
    let (Some(begin), Some(end)) = (times.first(), times.last()) else { bail!("there is no row in this stretch") };
    let series = |index: usize| {
        let own = &chain.channels()[index];
        if args.smoothed { own.output() } else { own.scaled() }
    };
    // How far values are apart is told by those of the first channel that are sent without a pause.
    let rate = Even::of_rows(chain.store(), series(wanted[0].1), rows.clone())
        .map_err(|why| anyhow::anyhow!("{} is not evenly spaced: {why}", chain.channels()[wanted[0].1].title()))?
        .rate;
    let count = (end.seconds_since(*begin) * rate).round() as usize + 1;
    for (_, index) in wanted {
        let values: Vec<f64> = rows.clone().map(|row| series(*index).get(row).unwrap_or(f64::NAN)).collect();
        let (values, filled, silent) = on_grid(&times, &values, *begin, 1.0 / rate, count);
        let title = chain.channels()[*index].title();
        if filled > 0 {
            told.push(format!("{title}: {} filled in by lines between rows", counted(filled as u64, "missing value")));
        }
        if silent > 0 {
            told.push(format!("{title}: {} in gaps and pauses are silence (0)", counted(silent as u64, "value")));
        }
        found.push(values);
    }
    let bytes = wav(&found, rate).map_err(|error| anyhow::anyhow!("no sound: {error}"))?;
    args.output.put(&bytes, "the sound")?;
    told.iter().for_each(aside);
    if (rate - rate.round()).abs() > 1e-9 * rate {
        aside(format_args!("{} rows a second are written as {}", fixed(rate, 4), fixed(rate.round(), 0)));
    }
    Ok(0)
}
