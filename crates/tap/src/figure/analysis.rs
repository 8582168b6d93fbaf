//! Figures of what was worked out of rows: spectra, histograms, blocks, trials.

use crate::session::{ChannelId, Session};
use amber_core::block::{Block, Column, Histogram};
use amber_core::clock::Across;
use amber_core::digits::{counted, fixed, hertz, with_unit};
use amber_core::scale::Calibration;
use amber_core::spectrum::Spectrum;
use amber_core::spectrum::peaks::Peaks;
use amber_core::spectrum::waterfall::Line;
use amber_core::tail::visible;
use amber_plot::{EventLane, Figure, FigureMark, Lane, Shades, Trace};

/// Points of a trace: finer than a printer's eye needs.
const POINTS: usize = 3600;

/// Shares of the width of a waterfall.
const SHARES: usize = 300;

/// Decibels below the largest amplitude at which a waterfall is blank.
const DEPTH: f64 = 60.0;

/// Classes of a histogram in a figure.
pub(crate) const CLASSES: usize = 120;

/// What a figure is of.
#[derive(Clone, Debug)]
pub(crate) struct Of {
    /// Where and when it was measured.
    pub(crate) source: String,
    pub(crate) channel: String,
    pub(crate) unit: String,
    pub(crate) decimals: usize,
    pub(crate) letter: char,
    pub(crate) ink: usize,
    /// What its rows are counted by.
    pub(crate) across: Across,
}

impl Of {
    /// A channel of the session, as it is called on the screen.
    pub(crate) fn channel(session: &Session, id: ChannelId) -> Of {
        let channel = session.channel_at(id);
        Of {
            source: format!(
                "{}, up to {}",
                super::source_of(session),
                session.when(session.viewport.end, "%Y-%m-%d %H:%M:%S")
            ),
            channel: session.title(id).to_owned(),
            unit: channel.settings().scale.unit().to_owned(),
            decimals: channel.decimals(),
            letter: session.letter(id),
            ink: session.ink(id),
            across: session.chain_at(id.source).timer().across(),
        }
    }

    fn trace(&self, runs: Vec<Vec<(f64, f64)>>, pale: Vec<Vec<(f64, f64)>>) -> Trace {
        let note = if pale.is_empty() { "" } else { "smoothed" };
        Trace { letter: self.letter, name: visible(self.channel.as_bytes()), note, ink: self.ink, runs, pale }
    }

    fn figure(&self, what: &str, x: (f64, f64), x_label: String, lanes: Vec<Lane>) -> Figure {
        let title = format!("{what} of {}", visible(self.channel.as_bytes()));
        let subtitle = visible(self.source.as_bytes());
        Figure { title, subtitle, x, x_label, lanes, ..Figure::default() }
    }

    fn unit(&self) -> String {
        if self.unit.is_empty() { "counts".into() } else { visible(self.unit.as_bytes()) }
    }
}

/// Room above and below what is drawn.
fn with_room(low: f64, high: f64) -> (f64, f64) {
    let room = ((high - low) * 0.05).max(high.abs().max(low.abs()) * 1e-6).max(1e-9);
    (low - room, high + room)
}

/// The least and the most of points.
pub(crate) fn ends<'a>(runs: impl Iterator<Item = &'a Vec<(f64, f64)>>) -> Option<(f64, f64)> {
    let (low, high) = runs
        .flatten()
        .fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), point| (low.min(point.1), high.max(point.1)));
    (low <= high).then(|| with_room(low, high))
}

/// Points as lines broken at gaps; of many, the least and the most of each of [`POINTS`] stretches.
fn runs(x: impl Fn(usize) -> f64, values: &[f64]) -> Vec<Vec<(f64, f64)>> {
    let size = values.len().div_ceil(POINTS).max(1);
    let mut out: Vec<Vec<(f64, f64)>> = Vec::new();
    let mut is_open = false;
    for (stretch, part) in values.chunks(size).enumerate() {
        let sound = part.iter().copied().filter(|value| value.is_finite());
        let (low, high) = sound.fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(v), b.max(v)));
        if low > high {
            is_open = false;
            continue;
        }
        if !is_open {
            out.push(Vec::new());
            is_open = true;
        }
        let at = x(stretch * size);
        if let Some(run) = out.last_mut() {
            run.push((at, if size == 1 { part[0] } else { low }));
            if size > 1 && high > low {
                run.push((at, high));
            }
        }
    }
    out
}

/// A spectrum with its peaks, and below it a waterfall where there are lines of one, `hop` seconds apart.
pub(crate) fn spectrum(of: &Of, spectrum: &Spectrum, peaks: &Peaks, waterfall: &[&Line], hop: f64) -> Figure {
    let across = (0.0, spectrum.rate / 2.0);
    // The mean is no wave.
    let lines = runs(|bin| spectrum.hertz(bin + 1), &spectrum.amplitudes[1..]);
    let high = ends(lines.iter()).map_or(1.0, |ends| ends.1);
    let mut lanes = vec![Lane {
        label: format!("amplitude in {}", of.unit()),
        unit: of.unit(),
        limits: (0.0, high),
        traces: vec![of.trace(lines, Vec::new())],
        ..Lane::default()
    }];
    let largest = waterfall.iter().flat_map(|line| line.amplitudes.iter().skip(2)).copied().fold(0f32, f32::max);
    if largest > 0.0 {
        let count = waterfall.len() as f64;
        let row = |(at, line): (usize, &&Line)| {
            let share = |part: usize| {
                let bins = line.amplitudes.len();
                let place = |part: usize| part * bins / SHARES;
                let (from, to) = (place(part).max(1), place(part + 1).max(place(part) + 1).min(bins));
                let loudest = line.amplitudes.get(from..to).unwrap_or_default().iter().copied().fold(0f32, f32::max);
                (1.0 + 20.0 * f64::from(loudest / largest).log10() / DEPTH).max(0.0) as f32
            };
            let ago = (count - at as f64) * hop;
            let shares = (0..SHARES).map(share).collect();
            Shades { from: -ago, to: hop - ago, x: (0.0, line.rate / 2.0), ink: of.ink, shares }
        };
        lanes.push(Lane {
            label: "seconds before the end".into(),
            limits: (-count * hop, 0.0),
            shades: waterfall.iter().enumerate().filter(|(_, line)| line.rate > 0.0).map(row).collect(),
            ..Lane::default()
        });
    }
    let mut figure = of.figure("spectrum", across, "frequency in Hz".into(), lanes);
    figure.subtitle += &format!(
        ", {} rows/s, {} window of {} rows, {} averaged",
        fixed(spectrum.rate, 2),
        spectrum.window.name(),
        spectrum.length,
        spectrum.parts
    );
    let note = |(number, peak): (usize, &amber_core::spectrum::peaks::Peak)| FigureMark {
        number: number as u64 + 1,
        at: peak.hertz,
        note: format!("{}: {}", hertz(peak.hertz), with_unit(fixed(peak.amplitude, of.decimals + 1), &of.unit)),
    };
    figure.marks = peaks.found.iter().enumerate().map(note).collect();
    figure
}

/// A histogram as a line around its classes; `counted`: what is counted, such as rows.
pub(crate) fn histogram(of: &Of, found: &Histogram, counted: &str) -> Figure {
    let end = found.begin + found.counts.len() as f64 * found.width;
    let mut line = vec![(found.begin, 0.0)];
    for (class, count) in found.counts.iter().enumerate() {
        let from = found.begin + class as f64 * found.width;
        line.extend([(from, *count as f64), (from + found.width, *count as f64)]);
    }
    line.push((end, 0.0));
    let most = found.counts.iter().copied().max().unwrap_or(1) as f64;
    let lane = Lane {
        label: counted.into(),
        limits: (0.0, most * 1.05),
        traces: vec![of.trace(vec![line], Vec::new())],
        ..Lane::default()
    };
    of.figure("histogram", with_room(found.begin, end), of.unit(), vec![lane])
}

/// Points through which a curve is drawn.
const CURVE: usize = 200;

/// A calibration: the true values over what was measured, with the curve, and below how far the curve lies above each point.
/// `None` without two points apart.
pub(crate) fn calibration(of: &Of, own: &Calibration) -> Option<Figure> {
    let across = own.points.iter().map(|point| point.0);
    let (first, last) = across.fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), x| (a.min(x), b.max(x)));
    if !(first < last && first.is_finite() && last.is_finite()) {
        return None;
    }
    let x = with_room(first, last);
    let curve: Vec<(f64, f64)> = (0..=CURVE)
        .map(|i| x.0 + (x.1 - x.0) * i as f64 / CURVE as f64)
        .map(|x| (x, own.true_value(x)))
        .filter(|point| point.1.is_finite())
        .collect();
    let limits = ends([&curve, &own.points].into_iter())?;
    let cross = |(at, value): (f64, f64), limits: (f64, f64)| {
        let (wide, high) = ((x.1 - x.0) * 0.006, (limits.1 - limits.0) * 0.02);
        [vec![(at - wide, value), (at + wide, value)], vec![(at, value - high), (at, value + high)]]
    };
    let unit = if own.unit.is_empty() { of.unit() } else { visible(own.unit.as_bytes()) };
    let points = own.points.iter().flat_map(|point| cross(*point, limits)).collect();
    let fit = Trace { name: "fit".into(), letter: ' ', ..of.trace(vec![curve], Vec::new()) };
    let seen = Trace { name: "true values".into(), letter: ' ', ink: of.ink + 1, ..of.trace(points, Vec::new()) };
    let label = format!("true value in {unit}");
    let mut lanes = vec![Lane { label, unit: unit.clone(), limits, traces: vec![fit, seen], ..Lane::default() }];
    let residuals: Vec<(f64, f64)> =
        own.points.iter().zip(&own.residuals).map(|(point, residual)| (point.0, *residual)).collect();
    let ground = vec![(x.0, 0.0), (x.1, 0.0)];
    if let Some(limits) = ends([&residuals, &ground].into_iter()).filter(|_| !residuals.is_empty()) {
        let crosses = residuals.iter().flat_map(|point| cross(*point, limits)).collect();
        // Told apart above.
        let named = |ink: usize, runs: Vec<Vec<(f64, f64)>>| Trace {
            name: String::new(),
            letter: ' ',
            ink,
            ..of.trace(runs, Vec::new())
        };
        let traces = vec![named(of.ink, vec![ground]), named(of.ink + 1, crosses)];
        lanes.push(Lane { label: "fit − true".into(), unit, limits, traces, ..Lane::default() });
    }
    Some(of.figure("calibration", x, "measured".into(), lanes))
}

/// The channels of a block, smoothed before raw; those of one unit share a lane.
pub(crate) fn block(source: &str, block: &Block, columns: &[(usize, &Column)]) -> Figure {
    let x = |row: usize| block.across.of(block.seconds(row.min(block.times.len().saturating_sub(1))));
    let mut lanes: Vec<Lane> = Vec::new();
    for (place, column) in columns {
        let pale = column.smoothed.as_ref().map(|_| runs(x, &column.quantity)).unwrap_or_default();
        let trace = Trace {
            letter: char::from(b'A' + (place % 26) as u8),
            name: visible(column.name.as_bytes()),
            note: if column.smoothed.is_some() { "smoothed" } else { "" },
            ink: *place,
            runs: runs(x, column.output()),
            pale,
        };
        let unit = visible(column.unit.as_bytes());
        match lanes.iter_mut().find(|lane| lane.unit == unit) {
            Some(lane) => lane.traces.push(trace),
            None => lanes.push(Lane { label: unit.clone(), unit, traces: vec![trace], ..Lane::default() }),
        }
    }
    for lane in &mut lanes {
        lane.limits =
            ends(lane.traces.iter().flat_map(|trace| trace.runs.iter().chain(&trace.pale))).unwrap_or((0.0, 1.0));
    }
    let last = block.times.len().saturating_sub(1);
    let across = if block.times.is_empty() { (0.0, 1.0) } else { (x(0), x(last).max(x(0) + 1e-9)) };
    let subtitle = visible(source.as_bytes());
    let title = visible(block.name.as_bytes());
    let x_label = format!("{} from the block's moment", block.across.word());
    Figure { title, subtitle, x: across, x_label, lanes, ..Figure::default() }
}

/// What several filters do to a stretch, each in a lane: raw pale behind.
pub(crate) fn trial(of: &Of, rate: f64, raw: &[f64], candidates: &[(String, &[f64])], limits: (f64, f64)) -> Figure {
    let x = |row: usize| of.across.of((row as f64 - raw.len() as f64) / rate);
    let lane = |(number, (name, out)): (usize, &(String, &[f64]))| Lane {
        label: of.unit(),
        limits,
        traces: vec![Trace {
            letter: char::from(b'1' + (number % 9) as u8),
            name: name.clone(),
            note: "smoothed",
            ink: of.ink,
            runs: runs(x, out),
            pale: runs(x, raw),
        }],
        ..Lane::default()
    };
    let lanes = candidates.iter().enumerate().map(lane).collect();
    of.figure("trial of filters", (x(0), 0.0), format!("{} before the end", of.across.word()), lanes)
}

/// A channel around events of `condition`, each as points (seconds from the event, value): the last one over the others.
/// `lasted`: since when and until when the last one was true.
pub(crate) fn overlay(
    of: &Of,
    condition: &str,
    stretch: (f64, f64),
    events: &[Vec<(f64, f64)>],
    lasted: (f64, Option<f64>),
) -> Option<Figure> {
    let across = of.across;
    let broken = |points: &Vec<(f64, f64)>| {
        let runs = points.split(|point| point.1.is_nan()).filter(|run| !run.is_empty());
        runs.map(|run| run.iter().map(|(x, y)| (across.of(*x), *y)).collect()).collect::<Vec<Vec<_>>>()
    };
    let stretch = (across.of(stretch.0), across.of(stretch.1));
    let lasted = (across.of(lasted.0), lasted.1.map(|end| across.of(end)));
    let (last, others) = events.split_last()?;
    let trace = of.trace(broken(last), others.iter().flat_map(broken).collect());
    let lane = Lane {
        label: of.unit(),
        unit: visible(of.unit.as_bytes()),
        limits: ends(trace.runs.iter().chain(&trace.pale))?,
        traces: vec![Trace { note: if others.is_empty() { "" } else { "the events before it pale" }, ..trace }],
        ..Lane::default()
    };
    let name = visible(condition.as_bytes());
    let title = format!("{} at {} of {name}", visible(of.channel.as_bytes()), counted(events.len() as u64, "event"));
    let figure = of.figure("events", stretch, format!("{} from the event", across.word()), vec![lane]);
    Some(Figure { title, events: vec![EventLane { name, spans: vec![lasted] }], ..figure })
}
