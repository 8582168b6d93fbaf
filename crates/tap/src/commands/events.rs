//! The events of conditions in what was recorded, without a screen.

use super::{unreadable, whole};
use crate::print::aside;
use amber_core::Stamp;
use amber_core::bench::{Bench, SourceSettings};
use amber_core::clock::Opening;
use amber_core::digits::counted;
use amber_io::disk;
use amber_io::take::{Decoder, Event, open_all};
use anyhow::{Context, bail};
use std::path::Path;

/// Prints the events in a take or a text as CSV, as they stand in a take's `events.csv`.
pub(super) fn run(source: &Path, bench: Option<Bench>) -> anyhow::Result<u8> {
    let mut parts: Vec<(String, Decoder)> = Vec::new();
    if source.is_dir() {
        for (place, (name, take)) in open_all(source)?.into_iter().enumerate() {
            take.told.iter().for_each(|told| aside(format_args!("{}: {told}", take.folder.display())));
            let given = bench.as_ref().and_then(|bench| bench.sources.get(place)).filter(|_| !take.from_table);
            let settings = given.unwrap_or_else(|| take.bench.first());
            let mut decoder = decoder(settings, &name, take.start)?;
            take.decode_by(&mut decoder).with_context(|| format!("cannot read {}", take.folder.display()))?;
            parts.push((name, decoder));
        }
    } else {
        let text = disk::read(source, disk::LONGEST).map_err(|error| unreadable(source, &error))?;
        let mut decoder = decoder(bench.unwrap_or_default().first(), "", Stamp(0))?;
        let opening = Opening::Text { at: Stamp(0), arrives: false };
        decoder.apply(Stamp(0), Event::Opened { opening, within: false });
        text.chunks(1 << 16).for_each(|piece| decoder.feed(Stamp(0), piece));
        decoder.apply(Stamp(0), Event::Ended);
        decoder.finish();
        parts.push((String::new(), decoder));
    }
    let several = parts.len() > 1;
    let (mut is_any, mut is_first) = (false, true);
    for (name, mut decoder) in parts {
        // The rows of the readings are not asked for.
        drop(decoder.take_output());
        let own = if several { format!("{name}: ") } else { String::new() };
        decoder.troubles().for_each(|trouble| aside(format_args!("{own}{trouble}")));
        let tally = decoder.tally();
        whole(&named(&decoder.take_events(), several.then_some(&name), is_first), "the events")?;
        is_first = false;
        aside(format_args!("{own}{} in {}", counted(tally.events, "event"), counted(tally.rows, "row")));
        is_any |= tally.rows > 0;
    }
    if !is_any {
        bail!("no row was found, so nothing can be watched for: `amber-tap split` says how its lines are read");
    }
    Ok(0)
}

/// A table with the name of its source in front of each row, where there are several; the header stands once.
fn named(table: &[u8], name: Option<&String>, is_first: bool) -> Vec<u8> {
    let Some(name) = name else { return table.to_vec() };
    let rows = table.split_inclusive(|byte| *byte == b'\n').enumerate().filter(|(row, _)| *row > 0 || is_first);
    rows.flat_map(|(row, cells)| [if row == 0 { "source" } else { name }.as_bytes(), b",", cells].concat()).collect()
}

/// A decoder that watches for what is set.
fn decoder(settings: &SourceSettings, name: &str, start: Stamp) -> anyhow::Result<Decoder> {
    if settings.condition.is_empty() {
        let of = if name.is_empty() { String::new() } else { format!(" for {name}") };
        bail!(
            "no condition is set{of}: add [[source.condition]] to a bench (panel 5, c) and give it with --bench FILE"
        );
    }
    Ok(Decoder::new(&Bench::of(settings.clone()), start))
}
