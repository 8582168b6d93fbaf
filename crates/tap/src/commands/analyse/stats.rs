//! `stats`: mean, spread and codes of channels.

use super::{number, plain, untimed};
use crate::commands::output::{Form, Output, csv_text, markdown_text};
use crate::commands::stretch::{Stretch, channel, channels};
use crate::figure::{self, analysis};
use amber_core::bench::Kind;
use amber_core::block::{Block, Column, Statistics};
use amber_core::clock::Across;
use amber_core::digits::fixed;
use anyhow::bail;
use clap::Args;
use serde_json::{Value, json};

#[derive(Debug, Args)]
pub(crate) struct StatsArgs {
    #[command(flatten)]
    pub(crate) stretch: Stretch,
    /// The channel, by its name; may be given several times [default: all].
    #[arg(long, value_name = "NAME")]
    pub(crate) channel: Vec<String>,
    /// A name that ends in .svg or .pdf draws the histogram of the (first) channel beside what is printed.
    #[command(flatten)]
    pub(crate) output: Output,
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

/// The statistics of a column as part of a document.
pub(super) fn statistics_json(block: &Block, column: &Column) -> Value {
    let Some((found, codes, bits)) = told(block, column) else {
        return json!({ "channel": column.name, "unit": column.unit, "count": 0, "gaps": column.raw.len() });
    };
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
        slope_name(block.across): number(block.across.slope(found.slope)),
        "distinct_codes": codes,
        "effective_bits": bits.map(number),
    })
}

/// What a slope is called.
fn slope_name(across: Across) -> &'static str {
    if across == Across::Seconds { "slope_per_s" } else { "slope_per_row" }
}

/// The statistics of a block's only column as a row.
fn record(block: &Block) -> Vec<String> {
    let column = &block.columns[0];
    let Some((found, codes, bits)) = told(block, column) else {
        let gaps = column.raw.len().to_string();
        let mut record = vec![column.name.clone(), column.unit.clone(), "0".into(), gaps];
        record.resize(STATISTICS.len() + 1, String::new());
        return record;
    };
    let numbers = [found.mean, found.median, found.deviation, found.rms, found.min, found.max];
    let mut record = vec![column.name.clone(), column.unit.clone(), found.count.to_string(), found.gaps.to_string()];
    record.extend(numbers.map(plain));
    record.extend([plain(found.peak_to_peak()), plain(block.across.slope(found.slope)), codes.to_string()]);
    record.push(bits.map_or(String::new(), |bits| fixed(bits, 2)));
    record
}

/// Prints what the channels of a stretch amount to.
pub(in crate::commands) fn stats(args: &StatsArgs) -> anyhow::Result<u8> {
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
    let block_of = |place: usize, index: usize| {
        let part = &parts[place];
        let rows = args.stretch.rows(part);
        let mut block = Block::of_channels(&part.1.0, "stretch", rows, part.1.1, [index]);
        block.columns.iter_mut().for_each(|column| column.name = title(place, index));
        block
    };
    if wanted.iter().all(|(place, _)| args.stretch.rows(&parts[*place]).is_empty()) {
        bail!("there are no rows in this stretch");
    }
    untimed(&parts);
    // A figure stands beside what is printed, which may be JSON.
    let named = Output { json: false, out: args.output.out.clone() };
    let drawn = named.form(&[Form::Csv, Form::Json, Form::Markdown, Form::Svg, Form::Pdf])?;
    let is_drawn = matches!(drawn, Form::Svg | Form::Pdf);
    let form = match (is_drawn, args.output.json) {
        (true, true) => Form::Json,
        (true, false) => Form::Csv,
        (false, _) => args.output.form(&[Form::Csv, Form::Json, Form::Markdown])?,
    };
    // Of several sources, slopes are per row only where all are.
    let is_timed = parts.iter().any(|(_, (chain, _))| chain.timer().across() == Across::Seconds);
    let slope = slope_name(if is_timed { Across::Seconds } else { Across::Rows(1.0) });
    let own = STATISTICS.iter().map(|name| if *name == "slope_per_s" { slope } else { name });
    let header: Vec<&str> = own.chain(["effective_bits"]).collect();
    // One after the other: the rows of all channels may be more than there is memory.
    let blocks = || wanted.iter().map(|(place, index)| block_of(*place, *index));
    let rows = || blocks().map(|block| record(&block)).collect::<Vec<_>>();
    let text = match form {
        Form::Json => {
            let channels: Vec<Value> = blocks().map(|block| statistics_json(&block, &block.columns[0])).collect();
            format!("{:#}\n", json!({ "format": 1, "channels": channels })).into_bytes()
        }
        Form::Markdown => markdown_text(&header, &rows(), 2),
        _ => csv_text(&header, &rows()),
    };
    let printed = Output::default();
    if is_drawn { &printed } else { &args.output }.put(&text, "the statistics")?;
    if let Some(out) = args.output.out.as_ref().filter(|_| is_drawn) {
        let Some((place, index)) = wanted.first() else { bail!("there is nothing to draw") };
        let block = block_of(*place, *index);
        let own = &parts[*place].1.0.channels()[*index];
        let column = &block.columns[0];
        let Some(found) = column.histogram(analysis::CLASSES) else { bail!("there is nothing to draw") };
        figure::write_as(&analysis::histogram(&args.stretch.of(own, *index), &found, "rows"), out)?;
    }
    Ok(0)
}
