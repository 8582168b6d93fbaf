//! `block`: the rows of a stretch or of a named block.

use super::stats::statistics_json;
use super::{number, untimed, whole};
use crate::commands::stretch::Stretch;
use crate::figure::{self, analysis};
use crate::print::{aside, printed};
use amber_core::block::{Block, Column, Length, MOST_ROWS};
use amber_core::digits::{counted, duration, fixed};
use anyhow::bail;
use clap::Args;
use serde_json::{Value, json};
use std::io::{self, Write};
use std::path::PathBuf;

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

/// Prints a block of rows.
pub(in crate::commands) fn block(args: &BlockArgs) -> anyhow::Result<u8> {
    let block = match &args.named {
        Some(name) => match named(args, name)? {
            Some(block) => block,
            None => return Ok(0),
        },
        None => stretch(args)?,
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

/// The last rows of the stretch, or up to the moment that is asked for.
fn stretch(args: &BlockArgs) -> anyhow::Result<Block> {
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
    let count = rows.end - rows.start;
    let begins = rows.start == within.start;
    match length {
        Some(Length::Rows(wanted)) if (count as usize) < wanted => {
            aside(format_args!(
                "only {} there",
                if count == 1 { "1 row is".into() } else { format!("{} are", counted(count, "row")) }
            ));
        }
        Some(Length::Seconds(wanted))
            if begins && chain.interval().is_some_and(|dt| (count as f64 + 1.0) * dt < wanted) =>
        {
            aside(format_args!("the stretch is shorter than {}: all of its rows are told", duration(wanted)));
        }
        _ => {}
    }
    let moment = chain.store().time(rows.end - 1).unwrap_or_default();
    Ok(Block::of(chain, "block", rows, moment))
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
