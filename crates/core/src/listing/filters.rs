//! Filters as lines of a listing, for even rows.

use crate::digits::counted;
use crate::part::Listed;
use crate::scale::code_number;
use crate::smooth::{Filter, MAX_WINDOW, Strength, weights};

/// Longer lists of weights than this are no listing.
const MOST_WEIGHTS: usize = 1024;

/// The rows of a window.
pub(super) fn rows(strength: Strength, interval: f64) -> u64 {
    match strength {
        Strength::Rows(rows) => rows.max(1).into(),
        // The rows that are younger than so many seconds.
        Strength::Seconds(seconds) => ((seconds / interval - 1e-9).ceil() as u64).max(1),
    }
}

/// The lines that make `y` of `x`, for rows `interval` seconds apart.
///
/// # Errors
/// Why there are none.
pub(super) fn in_code(filter: &Filter, x: &str, y: &str, interval: f64) -> Result<Vec<String>, String> {
    let w = format!("{y}_window");
    let long = |rows: u64| format!("{} needs a window of {}: that is no listing", filter.short(), counted(rows, "row"));
    let last = |rows: u64| {
        if rows > MAX_WINDOW as u64 { Err(long(rows)) } else { Ok(format!("window {w} = last {rows} of {x}")) }
    };
    Ok(match filter {
        Filter::Mean(mean) => vec![last(rows(mean.window, interval))?, format!("{y} = mean of {w}")],
        Filter::Median(median) => vec![last(rows(median.window, interval))?, format!("{y} = median of {w}")],
        Filter::Exponential(exponential) => {
            let steps = match exponential.time_constant {
                Strength::Rows(rows) => 1.0 / f64::from(rows.max(1)),
                Strength::Seconds(seconds) => interval / seconds,
            };
            vec![format!("{y} = row == 0 ? {x} : {y} + ({x} - {y}) * {}", code_number(1.0 - (-steps).exp()))]
        }
        Filter::Spikes(spikes) => {
            let rows = rows(spikes.window, interval);
            let [middle, off, offs, step, finest] =
                ["middle", "off", "offs", "step", "finest"].map(|part| format!("{y}_{part}"));
            vec![
                format!("{step} = row == 0 ? 0 : abs({x} - {y}_last)"),
                format!("{y}_last = {x}"),
                format!(
                    "{finest} = row == 0 ? 0 : ({step} > 0 and ({finest} == 0 or {step} < {finest}) ? {step} : {finest})"
                ),
                last(rows)?,
                format!("{middle} = median of {w}"),
                format!("{off} = abs({x} - {middle})"),
                format!("window {offs} = last {rows} of {off}"),
                format!("{y}_usual = median of {offs}"),
                format!("{y}_rows = count of {w}"),
                format!(
                    "{y} = {y}_rows >= 5 and {off} > {} * max(1.48260222 * {y}_usual, {finest}) ? {middle} : {x}",
                    code_number(spikes.deviations)
                ),
            ]
        }
        Filter::Butterworth(_) | Filter::Notch(_) => {
            let mut lines = Vec::new();
            let mut from = x.to_owned();
            let sections = filter.sections(interval);
            let count = sections.len();
            for (at, section) in sections.into_iter().enumerate() {
                let to = if at + 1 == count { y.to_owned() } else { format!("{y}_{}", at + 1) };
                lines.extend(section_in_code(&section, &from, &to));
                from = to;
            }
            lines
        }
        Filter::SavitzkyGolay(_) => {
            let weights = weights(filter, interval);
            if weights.len() > MOST_WEIGHTS {
                return Err(long(weights.len() as u64));
            }
            let list: Vec<String> = weights.iter().map(|weight| code_number(*weight)).collect();
            vec![
                last(weights.len() as u64)?,
                format!("{y}_rows = count of {w}"),
                format!("{y}_sum = sum of {w} * [{}]", list.join(", ")),
                format!("{y} = {y}_rows < {} ? {x} : {y}_sum", weights.len()),
            ]
        }
        Filter::RateLimit(limit) => {
            let most = code_number(limit.per_second * interval);
            vec![format!("{y} = row == 0 ? {x} : max(min({x}, {y} + {most}), {y} - {most})")]
        }
        Filter::DeadBand(dead) => {
            vec![format!("{y} = row == 0 ? {x} : (abs({x} - {y}) > {} ? {x} : {y})", code_number(dead.band))]
        }
        Filter::Settled(settled) => {
            let rows = rows(Strength::Seconds(settled.seconds), interval);
            let enough = (settled.seconds / interval - 1e-9).ceil();
            let [low, high, mean, known, take] =
                ["low", "high", "mean", "known", "take"].map(|part| format!("{y}_{part}"));
            let [band, half] = [settled.band, settled.band / 2.0].map(code_number);
            vec![
                last(rows)?,
                format!("{low} = min of {w}"),
                format!("{high} = max of {w}"),
                format!("{mean} = mean of {w}"),
                format!("{known} = row == 0 ? 0 : {known}"),
                format!("{y} = row == 0 ? 0 : {y}"),
                format!(
                    "{take} = row >= {enough} and {high} - {low} <= {band} and ({known} == 0 or abs({mean} - {y}) > {half})"
                ),
                format!("{y} = {take} ? {mean} : {y}"),
                format!("{known} = {take} ? 1 : {known}"),
                format!("wait until {known}  # then row counts from 0 below"),
            ]
        }
        Filter::Bypassed { .. } => vec![format!("{y} = {x}")],
    })
}

/// A section as it is worked out here: a filter of second order by its band-pass and low-pass.
fn section_in_code(section: &crate::smooth::Section, x: &str, y: &str) -> Vec<String> {
    let [g, k] = [section.g, section.k].map(code_number);
    let [band, low, high] = ["band", "low", "high"].map(|part| format!("{y}_{part}"));
    let mixed = |parts: [(f64, &str); 3]| {
        let parts = parts.into_iter().filter(|(share, _)| *share != 0.0);
        let terms: Vec<String> = parts
            .map(
                |(share, name)| if share == 1.0 { name.to_owned() } else { format!("{} * {name}", code_number(share)) },
            )
            .collect();
        // A band of no width, beyond half the row rate, lets nothing through.
        if terms.is_empty() { "0".to_owned() } else { terms.join(" + ") }
    };
    let out = format!("{y} = {}", mixed([(section.mix[0], x), (section.mix[1], &band), (section.mix[2], &low)]));
    if section.is_first_order {
        return vec![
            format!("{low} = row == 0 ? {x} : ({low} + {g} * ({high} + {x})) / (1 + {g})"),
            format!("{high} = {x} - {low}"),
            out,
        ];
    }
    vec![
        format!("{y}_b = row == 0 ? 0 : {band} + {g} * {high}"),
        format!("{y}_l = row == 0 ? {x} : {low} + {g} * {band}"),
        format!("{band} = ({y}_b + {g} * ({x} - {y}_l)) / (1 + {g} * ({g} + {k}))"),
        format!("{low} = {y}_l + {g} * {band}"),
        format!("{high} = {x} - {k} * {band} - {low}"),
        out,
    ]
}
