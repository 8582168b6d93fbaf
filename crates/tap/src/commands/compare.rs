//! `compare`: takes or files laid over one another.

use super::output::{Form, Output, markdown_text};
use super::stretch::opened;
use crate::comparison::{Align, OneRun, Outcome, lay, outcomes, place_of, whole};
use crate::figure::{self, comparison};
use crate::print::aside;
use crate::session::name_of;
use amber_core::bench::Kind;
use amber_core::chain::Chain;
use amber_io::take::Mark;
use anyhow::bail;
use clap::Args;
use serde_json::{Value, json};
use std::path::PathBuf;

#[derive(Debug, Args)]
pub(crate) struct CompareArgs {
    /// Two takes or more, or files; the others are compared with the first.
    #[arg(value_name = "TAKE|FILE", required = true, num_args = 2..)]
    sources: Vec<PathBuf>,
    /// The channel, by its name; it must have that name in each [default: the only analog one].
    #[arg(long, value_name = "NAME")]
    channel: Option<String>,
    /// What is laid over one another: start, 'mark 2', 'event NAME', or match.
    #[arg(long, default_value = "start")]
    align: Align,
    /// From so many seconds of the common time.
    #[arg(long, value_name = "SECONDS", allow_negative_numbers = true)]
    from: Option<f64>,
    /// Up to so many seconds of the common time.
    #[arg(long, value_name = "SECONDS", allow_negative_numbers = true)]
    to: Option<f64>,
    /// Settings to see all of them with: shape, scales, formulas, filters.
    #[arg(long, value_name = "FILE")]
    bench: Option<PathBuf>,
    #[command(flatten)]
    output: Output,
}

/// Compares takes.
pub(super) fn run(args: &CompareArgs) -> anyhow::Result<u8> {
    let form = args.output.form(&[Form::Csv, Form::Json, Form::Markdown, Form::Svg, Form::Pdf])?;
    let (bench, mistakes) = super::read_given_bench(args.bench.as_deref())?;
    super::tell_mistakes(&mistakes);
    let mut runs: Vec<(String, Chain, Vec<Mark>)> = Vec::new();
    for source in &args.sources {
        let mut parts = opened(source, bench.clone())?;
        if parts.len() > 1 {
            aside(format_args!("{}: its first source is compared", source.display()));
        }
        let (_, (chain, _)) = parts.swap_remove(0);
        let marks = if source.is_dir() { amber_io::take::open_all(source)?.swap_remove(0).1.marks } else { Vec::new() };
        runs.push((name_of(source), chain, marks));
    }
    let title = match &args.channel {
        Some(name) => name.clone(),
        None => {
            let chain = &runs[0].1;
            let analog: Vec<&str> =
                chain.channels().iter().filter(|own| own.kind() == Kind::Analog).map(|own| own.title()).collect();
            match analog[..] {
                [one] => one.to_owned(),
                [] => bail!("there is no analog channel: name one with --channel"),
                _ => bail!("name a channel with --channel; there are {}", analog.join(", ")),
            }
        }
    };
    for (name, chain, _) in &runs {
        if place_of(chain, &title).is_none() {
            let names: Vec<&str> = chain.channels().iter().map(|own| own.title()).collect();
            bail!("there is no channel '{title}' in {name}; there are {}", names.join(", "));
        }
    }
    let ones: Vec<OneRun<'_>> =
        runs.iter().map(|(name, chain, marks)| OneRun::of(name, chain, marks, &title)).collect();
    let laid = lay(&ones, &args.align, &[]);
    let Some(all) = whole(&ones, &laid) else { bail!("there are no rows to compare") };
    let window = (args.from.unwrap_or(all.0), args.to.unwrap_or(all.1));
    if !(window.0 < window.1 && window.0.is_finite() && window.1.is_finite()) {
        bail!("--from must lie before --to");
    }
    let found = outcomes(&ones, &laid, window);
    for own in &found {
        own.said.iter().for_each(|said| aside(format_args!("{}: {said}", own.name)));
        if own.is_cut {
            aside(format_args!("{}: not all rows are looked at: choose a stretch with --from and --to", own.name));
        }
    }
    let unit = ones[0].channel().map_or("", |own| own.settings().scale.unit());
    let text = match form {
        Form::Svg | Form::Pdf => {
            let Some(figure) = comparison::figure(&ones, &laid, window, &found, true, &args.align) else {
                bail!("there is nothing to draw");
            };
            figure::bytes_as(&figure, form == Form::Pdf)?
        }
        Form::Json => {
            let document = json!({
                "format": 1, "channel": title, "unit": unit, "align": args.align.to_string(),
                "from": window.0, "to": window.1, "runs": found.iter().map(document).collect::<Vec<_>>(),
            });
            format!("{document:#}\n").into_bytes()
        }
        Form::Markdown => {
            let text = crate::rooms::compare::csv(&title, unit, &found);
            let mut rows: Vec<Vec<String>> = csv::ReaderBuilder::new()
                .has_headers(false)
                .from_reader(text.as_bytes())
                .records()
                .flatten()
                .map(|record| record.iter().map(str::to_owned).collect())
                .collect();
            let header = rows.remove(0);
            let header: Vec<&str> = header.iter().map(String::as_str).collect();
            markdown_text(&header, &rows, 3)
        }
        _ => crate::rooms::compare::csv(&title, unit, &found).into_bytes(),
    };
    args.output.put(&text, "the comparison")?;
    Ok(0)
}

fn document(own: &Outcome) -> Value {
    let number = |value: f64| if value.is_finite() { json!(value) } else { Value::Null };
    let amount = own.amount.map(|amount| {
        let found = amount.statistics;
        json!({
            "count": found.count, "gaps": found.gaps, "mean": number(found.mean), "deviation": number(found.deviation),
            "noise": amount.noise.map(number), "min": number(found.min), "max": number(found.max),
        })
    });
    let differs = own.differs.map(|(mean, deviation, largest)| {
        json!({ "mean": number(mean), "deviation": number(deviation), "largest": number(largest) })
    });
    json!({ "name": own.name, "note": own.said, "statistics": amount, "difference": differs, "is_cut": own.is_cut })
}
