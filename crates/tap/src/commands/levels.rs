//! The settled stretches of a channel, without a screen.

use super::unreadable;
use crate::print::{aside, printed};
use crate::session::chain_of;
use amber_core::Stamp;
use amber_core::bench::Bench;
use amber_core::chain::{Chain, Channel};
use amber_core::clock::Opening;
use amber_core::digits::{counted, fixed, with_unit};
use amber_core::stats::Basis;
use amber_core::store::Limits;
use amber_io::disk;
use anyhow::bail;
use std::io;
use std::path::Path;

/// What of the bench's rule is to be otherwise.
pub(super) struct Wishes {
    pub(super) seconds: Option<f64>,
    pub(super) spread: Option<f64>,
}

/// Prints the levels of `channel` in a take or a text as CSV.
pub(super) fn run(source: &Path, channel: &str, wishes: Wishes, bench: Option<Bench>) -> anyhow::Result<u8> {
    let mut parts = if source.is_dir() { takes(source, bench)? } else { vec![(String::new(), text(source, bench)?)] };
    let several = parts.len() > 1;
    let mut known = Vec::new();
    for (place, (name, (chain, _))) in parts.iter().enumerate() {
        for index in 0..chain.channels().len() {
            let own = &chain.channels()[index];
            let full = |label: &str| if several { format!("{name}.{label}") } else { label.to_owned() };
            known.push((full(own.title()), full(own.name()), place, index));
        }
    }
    let Some((_, _, place, index)) = known.iter().find(|(title, name, ..)| title == channel || name == channel) else {
        let names: Vec<&str> = known.iter().map(|(title, ..)| title.as_str()).collect();
        if names.is_empty() {
            bail!("{} holds no rows that could be read", source.display());
        }
        bail!("there is no channel '{channel}' in {}; there are {}", source.display(), names.join(", "));
    };
    let (_, (chain, start)) = &mut parts[*place];
    if wishes.seconds.is_some() || wishes.spread.is_some() {
        let mut rule = chain.level_rule();
        rule.seconds = wishes.seconds.unwrap_or(rule.seconds);
        rule.spread = wishes.spread.unwrap_or(rule.spread);
        if let Some(fault) = rule.fault() {
            bail!("{fault}");
        }
        chain.set_levels(rule);
    }
    let own = &chain.channels()[*index];
    printed(print(own, *start), "the levels")?;
    let unit = own.settings().scale.unit();
    let noise = own.noise(chain.store().rows().end).map(|noise| {
        let white = if noise.basis == Basis::White { " if it is white" } else { "" };
        format!(", noise {}{white}", with_unit(fixed(noise.deviation, own.decimals() + 2), unit))
    });
    aside(format_args!("{}: {}{}", own.title(), counted(own.levels().count(), "level"), noise.unwrap_or_default()));
    if let Some(why) = own.levels().why_none(chain.interval()) {
        aside(format_args!("none because {why}"));
    }
    Ok(0)
}

type Part = (String, (Chain, Stamp));

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

/// A text has no arrival times: its rows have those that the clock in it tells.
fn text(path: &Path, bench: Option<Bench>) -> anyhow::Result<(Chain, Stamp)> {
    let text = disk::read(path, disk::LONGEST).map_err(|error| unreadable(path, &error))?;
    let mut chain = Chain::new(&bench.unwrap_or_default(), 0, Limits::NONE);
    chain.open(Opening::Text { at: Stamp(0), arrives: false }, false);
    text.chunks(1 << 16).for_each(|piece| chain.feed(Stamp(0), piece));
    chain.end();
    Ok((chain, Stamp(0)))
}

fn print(channel: &Channel, start: Stamp) -> io::Result<()> {
    let mut out = csv::Writer::from_writer(io::stdout().lock());
    out.write_record(["number", "from_s", "to_s", "rows", "mean", "spread", "unit", "raw_mean"])?;
    let places = channel.decimals() + 2;
    for level in channel.levels().found() {
        let (from, to) = (level.from.seconds_since(start), level.to.seconds_since(start));
        let spread = channel.difference_of(level.spread, level.mean);
        out.write_record([
            level.number.to_string(),
            fixed(from, 3),
            fixed(to, 3),
            level.count.to_string(),
            fixed(channel.quantity_of(level.mean), places),
            fixed(spread, places),
            channel.settings().scale.unit().to_owned(),
            fixed(level.mean, channel.raw_decimals() + 2),
        ])?;
    }
    out.flush()
}
