//! The settled stretches of a channel, without a screen.

use super::stretch::opened;
use crate::print::{aside, printed};
use amber_core::Stamp;
use amber_core::bench::Bench;
use amber_core::chain::Channel;
use amber_core::digits::{counted, fixed, with_unit};
use amber_core::stats::Basis;
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
    let mut parts = opened(source, bench)?;
    let (place, index) = super::stretch::channel(&parts, source, channel)?;
    let (_, (chain, start)) = &mut parts[place];
    if wishes.seconds.is_some() || wishes.spread.is_some() {
        let mut rule = chain.level_rule();
        rule.seconds = wishes.seconds.unwrap_or(rule.seconds);
        rule.spread = wishes.spread.unwrap_or(rule.spread);
        if let Some(fault) = rule.fault() {
            bail!("{fault}");
        }
        chain.set_levels(rule);
    }
    let own = &chain.channels()[index];
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
