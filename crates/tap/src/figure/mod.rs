//! From the screen to a figure on paper: the lanes in view, drawn by `amber-plot`.

pub(crate) mod analysis;

use crate::screen::text::set_in;
use crate::session::{AnalogLane, ChannelId, Session, Source};
use amber_core::Stamp;
use amber_core::tail::visible;
use amber_core::window::{Columns, Grid, Logic, LogicSpan, Motion, Span};
use amber_plot::{Figure, FigureMark, Lane, LogicLane, Threshold, Trace};
use anyhow::bail;
use std::fs::OpenOptions;
use std::io::Write;
use std::path::{Path, PathBuf};

/// Columns of a figure: finer than a printer's eye needs.
const COLUMNS: usize = 1800;

/// What is in view, as a figure.
pub(crate) fn of(session: &Session) -> Figure {
    let columns = Columns::new(session.viewport.end, session.viewport.span, COLUMNS, Motion::Scroll);
    let grid = |id: ChannelId| {
        let chain = session.chain_at(id.source);
        Grid::new(chain.store(), &columns, session.viewport.end, chain.interval())
    };
    let wall = |at: Stamp| session.wall(at, "%Y-%m-%d %H:%M:%S");
    let end = session.viewport.end;
    let (zero, time_label, source) = match session.source() {
        Source::Take(take) => {
            let label = format!("seconds since the start of the take, {}", wall(take.start));
            (take.start, label, take.folder.display().to_string())
        }
        Source::Live { .. } => (end, format!("seconds before {}", wall(end)), session.source_text()),
    };
    let right = end.seconds_since(zero);
    let width = columns.width as f64 * 1e-9;
    let seconds = |place: usize| columns.begin(place).unwrap_or(end).seconds_since(zero) + width / 2.0;
    let lanes = session.lanes();
    let lane = |lane: &AnalogLane| Lane {
        label: visible(lane.unit.as_bytes()),
        unit: visible(lane.unit.as_bytes()),
        shades: Vec::new(),
        limits: lane.limits,
        traces: lane
            .channels
            .iter()
            .map(|index| {
                let (channel, grid) = (session.channel_at(*index), grid(*index));
                let pale = channel.smoothed().map(|_| runs(&grid.trace(channel.scaled()), seconds));
                Trace {
                    letter: session.letter(*index),
                    name: visible(session.title(*index).as_bytes()),
                    ink: session.ink(*index),
                    runs: runs(&grid.trace(channel.output()), seconds),
                    pale: pale.unwrap_or_default(),
                }
            })
            .collect(),
        thresholds: lane
            .channels
            .iter()
            .flat_map(|index| session.lines_of(*index).into_iter().map(move |line| (*index, line)))
            .map(|(index, line)| {
                let name = line.name.map(|name| format!("{name} ")).unwrap_or_default();
                let value = set_in(session.channel_at(index), line.value);
                let label = visible(format!("{} {name}{value}", session.letter(index)).as_bytes());
                Threshold { value: line.value, hysteresis: line.hysteresis, ink: session.ink(index), label }
            })
            .collect(),
    };
    let logic = |index: &ChannelId| LogicLane {
        letter: session.letter(*index),
        name: visible(session.title(*index).as_bytes()),
        ink: session.ink(*index),
        levels: levels(
            &grid(*index).logic(session.channel_at(*index).output(), session.channel_at(*index).watcher()),
            |place| seconds(place) - width / 2.0,
        ),
    };
    let marks = session.marks.iter().map(|mark| FigureMark {
        number: mark.number,
        at: mark.at.seconds_since(zero),
        note: visible(mark.note.as_bytes()),
    });
    let time = (right - session.viewport.span, right);
    let name = &session.shared().name;
    Figure {
        title: visible(if name.is_empty() { "readings" } else { name }.as_bytes()),
        subtitle: visible(format!("{source}, up to {}", wall(end)).as_bytes()),
        x: time,
        x_label: time_label,
        lanes: lanes.analog.iter().map(lane).collect(),
        logic: lanes.digital.iter().map(logic).collect(),
        marks: marks.filter(|mark| (time.0..=time.1).contains(&mark.at)).collect(),
    }
}

/// Spans as lines: through both ends of each, the nearer one first.
fn runs(spans: &[Span], seconds: impl Fn(usize) -> f64) -> Vec<Vec<(f64, f64)>> {
    let mut out: Vec<Vec<(f64, f64)>> = Vec::new();
    let mut open = false;
    for (place, span) in spans.iter().enumerate() {
        let Some((low, high)) = *span else {
            open = false;
            continue;
        };
        if !open {
            out.push(Vec::new());
            open = true;
        }
        if let Some(run) = out.last_mut() {
            let t = seconds(place);
            let from_high = run.last().is_some_and(|(_, v)| (v - high).abs() < (v - low).abs());
            let (first, second) = if from_high { (high, low) } else { (low, high) };
            run.push((t, first));
            if second != first {
                run.push((t, second));
            }
        }
    }
    // A lone reading is a line too short to see: give it a length.
    for run in &mut out {
        if let [(t, v)] = run[..] {
            run.push((t + seconds(1) - seconds(0), v));
        }
    }
    out
}

fn levels(logic: &[LogicSpan], begin: impl Fn(usize) -> f64) -> Vec<(f64, f64, bool)> {
    let mut out: Vec<(f64, f64, bool)> = Vec::new();
    for (place, level) in logic.iter().enumerate() {
        let (from, to) = (begin(place), begin(place) + (begin(1) - begin(0)));
        let before = out.last().is_some_and(|(_, _, high)| *high);
        let parts: &[bool] = match level.logic {
            Logic::None => continue,
            Logic::Low => &[false],
            Logic::High => &[true],
            // An odd number of edges ends on the other side.
            Logic::Both if level.edges % 2 == 1 => &[before, !before],
            Logic::Both => &[before, !before, before],
        };
        let share = (to - from) / parts.len() as f64;
        for (high, part) in parts.iter().zip(0..) {
            let (from, to) = (from + share * f64::from(part), from + share * f64::from(part + 1));
            match out.last_mut() {
                Some(last) if last.2 == *high && (last.1 - from).abs() < share * 0.01 => last.1 = to,
                _ => out.push((from, to, *high)),
            }
        }
    }
    out
}

/// Writes the figure as SVG and PDF, under the next free number in `folder`.
///
/// # Errors
/// When it cannot be drawn or written.
pub(crate) fn write_all(figures: &[Figure], folder: &Path) -> anyhow::Result<Vec<PathBuf>> {
    let mut written = Vec::new();
    for figure in figures {
        written.extend(write_both(figure, folder)?);
    }
    Ok(written)
}

/// The same of one figure.
fn write_both(figure: &Figure, folder: &Path) -> anyhow::Result<Vec<PathBuf>> {
    std::fs::create_dir_all(folder).map_err(|error| refused("create", folder, &error))?;
    let svg = amber_plot::svg(figure)?;
    let pdf = amber_plot::pdf(&svg)?;
    for number in 1..10_000 {
        let [svg_path, pdf_path] = ["svg", "pdf"].map(|kind| folder.join(format!("figure-{number:04}.{kind}")));
        if svg_path.exists() || pdf_path.exists() {
            continue;
        }
        write_new(&svg_path, svg.as_bytes())?;
        write_new(&pdf_path, &pdf)?;
        return Ok(vec![svg_path, pdf_path]);
    }
    bail!("{} is full of figures: choose another folder (6)", folder.display())
}

/// Writes a text as a new file, under the next free number in `folder`.
///
/// # Errors
/// When it cannot be written.
pub(crate) fn write_text(folder: &Path, stem: &str, ending: &str, text: &str) -> Result<PathBuf, String> {
    let written = || {
        std::fs::create_dir_all(folder).map_err(|error| refused("create", folder, &error))?;
        let mut paths = (1..10_000).map(|number| folder.join(format!("{stem}-{number:04}.{ending}")));
        let Some(path) = paths.find(|path| !path.exists()) else {
            bail!("{} is full of such files: choose another folder (6)", folder.display())
        };
        write_new(&path, text.as_bytes())?;
        Ok(path)
    };
    written().map_err(|error| format!("{error:#}"))
}

/// Writes the figure to `path`, in the format that its ending names; what is there is replaced.
///
/// # Errors
/// When the ending is neither, or it cannot be drawn or written.
pub(crate) fn write_as(figure: &Figure, path: &Path) -> anyhow::Result<()> {
    let svg = amber_plot::svg(figure)?;
    let bytes = match path.extension().and_then(|ending| ending.to_str()).map(str::to_lowercase).as_deref() {
        Some("svg") => svg.into_bytes(),
        Some("pdf") => amber_plot::pdf(&svg)?,
        _ => bail!("{}: give a name that ends in .svg or .pdf", path.display()),
    };
    amber_io::disk::replace(path, &bytes).map_err(|error| refused("write", path, &error))
}

fn refused(doing: &str, path: &Path, error: &std::io::Error) -> anyhow::Error {
    anyhow::anyhow!("cannot {doing} {}: {}", path.display(), amber_io::disk::remedy(error))
}

fn write_new(path: &Path, bytes: &[u8]) -> anyhow::Result<()> {
    let file = OpenOptions::new().write(true).create_new(true).open(path);
    file.and_then(|mut file| file.write_all(bytes)).map_err(|error| refused("write", path, &error))
}

#[cfg(test)]
mod tests;
