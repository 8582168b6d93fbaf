//! The figure of a comparison: runs over one another, differences below, what they amount to as notes.

use super::analysis::ends;
use super::runs as lines_of;
use crate::comparison::{Align, Laid, OneRun, Outcome};
use amber_core::digits::{cleaned, fixed, short, with_unit};
use amber_core::tail::visible;
use amber_core::window::{Columns, Grid, Motion};
use amber_plot::{Figure, Lane, Trace};

/// A comparison from `window.0` to `window.1` seconds; `None` where nothing is to be drawn.
pub(crate) fn figure(
    runs: &[OneRun<'_>],
    laid: &[Laid],
    window: (f64, f64),
    outcomes: &[Outcome],
    has_difference: bool,
    align: &Align,
) -> Option<Figure> {
    let channel = runs.iter().find_map(OneRun::channel)?;
    let unit = visible(channel.settings().scale.unit().as_bytes());
    let decimals = channel.decimals() + 1;
    let (from, to) = window;
    let named = |place: usize, name: &str, runs: Vec<Vec<(f64, f64)>>| Trace {
        letter: char::from(b'1' + (place as u8).min(8)),
        name: visible(name.as_bytes()),
        note: "",
        ink: place,
        runs,
        pale: Vec::new(),
    };
    let mut over = Vec::new();
    for (place, (one, laid)) in runs.iter().zip(laid).enumerate() {
        let Some(run) = one.run(laid.zero) else { continue };
        let end = laid.zero.plus(to);
        let columns = Columns::new(end, to - from, super::COLUMNS, Motion::Scroll);
        let width = columns.width as f64 * 1e-9;
        let seconds = |place: usize| columns.begin(place).unwrap_or(end).seconds_since(laid.zero) + width / 2.0;
        let grid = Grid::new(run.store, &columns, end, run.interval);
        over.push(named(place, one.name, lines_of(&grid.trace(run.series), seconds)));
    }
    let label = |what: &str| with_unit(what, &if unit.is_empty() { String::new() } else { format!("in {unit}") });
    let mut lanes = vec![Lane {
        label: if unit.is_empty() { "counts".into() } else { unit.clone() },
        unit: unit.clone(),
        limits: ends(over.iter().flat_map(|trace| &trace.runs))?,
        traces: over,
        ..Lane::default()
    }];
    let broken = |points: &[(f64, f64)]| -> Vec<Vec<(f64, f64)>> {
        points.split(|point| point.1.is_nan()).filter(|run| !run.is_empty()).map(<[_]>::to_vec).collect()
    };
    let differences: Vec<Trace> = outcomes
        .iter()
        .enumerate()
        .skip(1)
        .filter(|(_, own)| !own.difference.is_empty())
        // The runs have been named above.
        .map(|(place, own)| named(place, "", broken(&own.difference)))
        .collect();
    if let Some(limits) = ends(differences.iter().flat_map(|trace| &trace.runs)).filter(|_| has_difference) {
        lanes.push(Lane {
            label: label("difference from 1"),
            unit: unit.clone(),
            limits,
            traces: differences,
            ..Lane::default()
        });
    }
    let note = |(place, own): (usize, &Outcome)| {
        let amount = own.amount.map(|amount| {
            let found = amount.statistics;
            let noise = amount.noise.map_or(String::new(), |noise| format!(", noise {}", fixed(noise, decimals)));
            format!(" mean {}, deviation {}{noise}", fixed(found.mean, decimals), fixed(found.deviation, decimals))
        });
        let differs = own.differs.map(|(mean, deviation, _)| {
            format!("; difference {} ± {}", short(cleaned(mean), 3), short(cleaned(deviation), 3))
        });
        let said = own.said.as_ref().map(|said| format!("; {said}"));
        let text = format!(
            "{} {}:{}{}{}",
            place + 1,
            own.name,
            amount.unwrap_or_default(),
            differs.unwrap_or_default(),
            said.unwrap_or_default()
        );
        visible(text.as_bytes())
    };
    let names: Vec<&str> = runs.iter().map(|run| run.name).collect();
    Some(Figure {
        title: format!("comparison of {}", visible(channel.title().as_bytes())),
        subtitle: visible(format!("{}, aligned by {align}", names.join(", ")).as_bytes()),
        x: window,
        x_label: format!(
            "seconds from the {}",
            if *align == Align::Match { "start of the first".into() } else { align.to_string() }
        ),
        lanes,
        notes: outcomes.iter().enumerate().map(note).collect(),
        ..Figure::default()
    })
}
