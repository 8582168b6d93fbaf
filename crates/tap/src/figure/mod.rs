//! From the screen to a figure on paper: the lanes in view, drawn by `amber-plot`.

pub(crate) mod analysis;
pub(crate) mod comparison;

use crate::screen::text::set_in;
use crate::session::{AnalogLane, ChannelId, Session, Source, name_of};
use amber_core::Stamp;
use amber_core::bench::Kind;
use amber_core::digits::{fixed, typed, with_unit};
use amber_core::levels::Level;
use amber_core::tail::visible;
use amber_core::watch::condition::Event;
use amber_core::watch::target::Target;
use amber_core::window::{Columns, Grid, Logic, LogicSpan, Motion, Span};
use amber_plot::{EventLane, Figure, FigureMark, Lane, LevelLine, LogicLane, Paper, Threshold, Trace};
use anyhow::bail;
use std::fs::OpenOptions;
use std::io::Write;
use std::path::{Path, PathBuf};

/// Columns of a figure: finer than a printer's eye needs.
const COLUMNS: usize = 1800;

/// Conditions with a lane of their own in a figure.
const MOST_EVENT_LANES: usize = 8;

/// The stretch in view, from which the parts of a figure are made.
pub(crate) struct View<'a> {
    session: &'a Session,
    columns: Columns,
    /// The instant that is 0 on the axis.
    zero: Stamp,
    /// What is said of the axis, and where it was measured.
    time_label: String,
    source: String,
}

impl<'a> View<'a> {
    pub(crate) fn of(session: &'a Session) -> View<'a> {
        let wall = |at: Stamp| session.wall(at, "%Y-%m-%d %H:%M:%S");
        let end = session.viewport.end;
        let (zero, time_label) = match session.source() {
            Source::Take(_) if !has_wall(session) => {
                (session.oldest(), format!("{} since the start", session.across().word()))
            }
            Source::Take(take) => (take.start, format!("seconds since the start of the take, {}", wall(take.start))),
            Source::Live { .. } => (end, format!("seconds before {}", wall(end))),
        };
        let source = source_of(session);
        let columns = Columns::new(end, session.viewport.span, COLUMNS, Motion::Scroll);
        View { session, columns, zero, time_label, source }
    }

    fn grid(&self, id: ChannelId) -> Grid<'_> {
        let chain = self.session.chain_at(id.source);
        Grid::new(chain.store(), &self.columns, self.session.viewport.end, chain.interval())
    }

    /// The width of a column, in what the axis counts.
    fn width(&self) -> f64 {
        self.session.across().of(self.columns.width as f64 * 1e-9)
    }

    fn begin(&self, place: usize) -> f64 {
        self.since_zero(self.columns.begin(place).unwrap_or(self.session.viewport.end))
    }

    /// Where an instant is on the axis.
    fn since_zero(&self, at: Stamp) -> f64 {
        self.session.across().of(at.seconds_since(self.zero))
    }

    /// A channel as lines.
    fn trace(&self, id: ChannelId) -> Trace {
        let (channel, grid) = (self.session.channel_at(id), self.grid(id));
        let seconds = |place: usize| self.begin(place) + self.width() / 2.0;
        let pale = channel.smoothed().map(|_| runs(&grid.trace(channel.scaled()), seconds));
        Trace {
            letter: self.session.letter(id),
            name: visible(self.session.title(id).as_bytes()),
            note: if pale.is_some() { "smoothed" } else { "" },
            ink: self.session.ink(id),
            runs: runs(&grid.trace(channel.output()), seconds),
            pale: pale.unwrap_or_default(),
        }
    }

    fn thresholds(&self, id: ChannelId) -> impl Iterator<Item = Threshold> + use<'a> {
        let session = self.session;
        session.lines_of(id).into_iter().map(move |line| {
            let name = line.name.map(|name| format!("{name} ")).unwrap_or_default();
            let value = set_in(session.channel_at(id), line.value);
            let label = visible(format!("{} {name}{value}", session.letter(id)).as_bytes());
            Threshold { value: line.value, hysteresis: line.hysteresis, ink: session.ink(id), label }
        })
    }

    fn lane(&self, lane: &AnalogLane) -> Lane {
        Lane {
            label: if lane.is_bare { "no unit".into() } else { visible(lane.unit.as_bytes()) },
            unit: visible(lane.unit.as_bytes()),
            shades: Vec::new(),
            limits: lane.limits,
            traces: lane.channels.iter().map(|id| self.trace(*id)).collect(),
            levels: lane.channels.iter().flat_map(|id| self.levels(*id)).collect(),
            thresholds: lane.channels.iter().flat_map(|id| self.thresholds(*id)).collect(),
        }
    }

    fn logic(&self, id: ChannelId) -> LogicLane {
        let (session, channel) = (self.session, self.session.channel_at(id));
        LogicLane {
            letter: session.letter(id),
            name: visible(session.title(id).as_bytes()),
            ink: session.ink(id),
            levels: if channel.kind() == Kind::Code {
                Vec::new()
            } else {
                levels(&self.grid(id).logic(channel.output(), channel.watcher()), |place| self.begin(place))
            },
            words: if channel.kind() == Kind::Code { self.words(id) } else { Vec::new() },
        }
    }

    /// Stretches of a channel that carries codes, with their words.
    fn words(&self, id: ChannelId) -> Vec<(f64, f64, String)> {
        let channel = self.session.channel_at(id);
        let mut out: Vec<(f64, f64, String)> = Vec::new();
        for (place, span) in self.grid(id).trace(channel.output()).iter().enumerate() {
            let Some((low, high)) = *span else { continue };
            let word = match channel.word(low) {
                _ if low != high => "…".to_owned(),
                Some(word) => visible(word.as_bytes()),
                None => fixed(low, channel.decimals()),
            };
            let (from, to) = (self.begin(place), self.begin(place) + self.width());
            match out.last_mut() {
                Some(last) if last.2 == word && from - last.1 < self.width() * 0.5 => last.1 = to,
                _ => out.push((from, to, word)),
            }
        }
        // A change from one row to the next is no state of its own.
        let row = self.session.chain_at(id.source).interval().unwrap_or(0.0);
        let longest = 2.5 * row.max(self.width());
        let is_change = |part: &(f64, f64, String)| part.2 == "…" && part.1 - part.0 < longest;
        let mut told: Vec<(f64, f64, String)> = Vec::new();
        for part in out {
            match told.last_mut() {
                Some(last) if is_change(&part) => last.1 = part.1,
                _ => told.push(part),
            }
        }
        told
    }

    /// Levels of a channel in view; of short ones there would be more than can be read.
    fn levels(&self, id: ChannelId) -> Vec<LevelLine> {
        let (session, channel) = (self.session, self.session.channel_at(id));
        let (begin, end) = (session.viewport.begin, session.viewport.end);
        let shortest = session.viewport.span / 60.0;
        let is_seen = |level: &&Level| level.to >= begin && level.from <= end && level.seconds() >= shortest;
        let line = |level: &Level| {
            let value = channel.quantity_of(level.mean);
            let text = with_unit(fixed(value, channel.decimals()), channel.settings().scale.unit());
            let (from, to) = (self.since_zero(level.from), self.since_zero(level.to));
            LevelLine { from, to, value, ink: session.ink(id), label: visible(text.as_bytes()) }
        };
        channel.levels().found().iter().filter(is_seen).map(line).collect()
    }

    /// A figure over the stretch.
    fn figure(&self, title: &str, lanes: Vec<Lane>, logic: Vec<LogicLane>) -> Figure {
        let session = self.session;
        let right = self.since_zero(session.viewport.end);
        let x = (right - session.across().of(session.viewport.span), right);
        let marks = session.marks.iter().map(|mark| FigureMark {
            number: mark.number,
            at: self.since_zero(mark.at),
            note: visible(mark.note.as_bytes()),
        });
        let up_to = session.wall(session.viewport.end, "%Y-%m-%d %H:%M:%S");
        let up_to = if has_wall(session) { format!(", up to {up_to}") } else { String::new() };
        Figure {
            title: visible(title.as_bytes()),
            subtitle: visible(format!("{}{up_to}", self.source).as_bytes()),
            x,
            x_label: self.time_label.clone(),
            lanes,
            logic,
            marks: marks.filter(|mark| (x.0..=x.1).contains(&mark.at)).collect(),
            events: events(session, self.zero),
            cursors: session.cursors.iter().flat_map(|own| own.at).map(|at| self.since_zero(at)).collect(),
            notes: Vec::new(),
            paper: Paper::default(),
        }
    }
}

/// What a figure is of: the names of takes, never their paths; or the source that is watched.
pub(crate) fn source_of(session: &Session) -> String {
    let take = |watched: &crate::session::Watched| match &watched.source {
        Source::Take(take) => Some(name_of_take(&take.folder)),
        Source::Live { .. } => None,
    };
    match session.watched.iter().map(take).collect::<Option<Vec<String>>>() {
        Some(takes) => visible(takes.join(", ").as_bytes()),
        None => visible(session.source_on_paper().as_bytes()),
    }
}

/// Whether it is known when the rows were made, rather than only how long after one another.
pub(crate) fn has_wall(session: &Session) -> bool {
    !session.chain().timer().is_text_time()
}

/// The name of a take; of a source of several, and of another reading, with that of the take that it is a part of.
fn name_of_take(folder: &Path) -> String {
    let name = name_of(folder);
    let is_part = folder.parent().is_some_and(|parent| parent.join("wire.bin").is_file()) || !name.starts_with("take-");
    let parent = folder.parent().map(name_of).filter(|parent| is_part && parent.starts_with("take-"));
    parent.map_or(name.clone(), |parent| format!("{parent}, {name}"))
}

/// What is in view, as a figure.
pub(crate) fn of(session: &Session) -> Figure {
    let (view, lanes) = (View::of(session), session.lanes());
    let name = &session.shared().name;
    let analog = lanes.analog.iter().map(|lane| view.lane(lane)).collect();
    let logic = lanes.digital.iter().map(|id| view.logic(*id)).collect();
    let figure = view.figure(if name.is_empty() { "readings" } else { name }, analog, logic);
    Figure { notes: measured(session), ..figure }
}

/// What the cursors measure, in lines: the time between them, then each channel at both, and its difference.
fn measured(session: &Session) -> Vec<String> {
    let told: Vec<String> = session
        .measured()
        .into_iter()
        .filter(|[name, .., difference]| !name.is_empty() && !["", "–"].contains(&difference.as_str()))
        .map(|[name, first, second, difference]| match first.as_str() {
            "" => format!("{name} {difference}"),
            _ => format!("{name} {first} to {second}: {difference}"),
        })
        .collect();
    told.chunks(4).map(|line| visible(line.join("; ").as_bytes())).collect()
}

/// How a channel keeps to its target, in view: with the target's own channel where one says it, with what steers it, and
/// with what it comes to.
pub(crate) fn target(session: &Session, target: &Target, notes: Vec<String>) -> Option<Figure> {
    let (view, id) = (View::of(session), session.selected);
    let said_by = typed(target.to.trim()).is_err().then(|| session.channel_of(target.to.trim())).flatten();
    let unit = session.channel_at(id).settings().scale.unit().to_owned();
    let mut lane = view.lane(&AnalogLane {
        unit,
        is_bare: false,
        channels: [id].into_iter().chain(said_by).collect(),
        limits: (0.0, 1.0),
        rule: amber_core::axis::Rule::Fit,
    });
    lane.thresholds.clear();
    if let Ok(value) = typed(target.to.trim()) {
        let label = format!("target {}", set_in(session.channel_at(id), value));
        lane.thresholds.push(Threshold { value, hysteresis: target.band, ink: session.ink(id), label });
    }
    let around = lane.thresholds.iter().flat_map(|line| [line.value - target.band, line.value + target.band]);
    let ends = Vec::from_iter(around.map(|value| (0.0, value)));
    let drawn = lane.traces.iter().flat_map(|trace| trace.runs.iter().chain(&trace.pale)).chain([&ends]);
    lane.limits = analysis::ends(drawn)?;
    let steered = session.channel_of(&target.steered_by).map(|id| view.logic(id));
    let title = format!("{} and its target", session.title(id));
    let figure = view.figure(&title, vec![lane], steered.into_iter().collect());
    Some(Figure { notes, ..figure })
}

/// Conditions with events in view; those for which there is no lane share one.
fn events(session: &Session, zero: Stamp) -> Vec<EventLane> {
    let (chain, view) = (session.chain(), &session.viewport);
    let conditions = chain.conditions().settings();
    let is_seen = |event: &&Event| {
        event.at <= view.end
            && event.ended.is_none_or(|ended| ended >= view.begin)
            && event.condition < conditions.len()
    };
    let mut lanes: Vec<(usize, EventLane)> = Vec::new();
    for event in chain.events().iter().filter(is_seen) {
        let ended = event.ended.filter(|ended| *ended <= view.end);
        let since = |at: Stamp| session.across().of(at.seconds_since(zero));
        let span = (since(event.began), ended.map(since));
        match lanes.iter_mut().find(|(condition, _)| *condition == event.condition) {
            Some((_, lane)) => lane.spans.push(span),
            None => {
                let name = visible(conditions[event.condition].name.as_bytes());
                lanes.push((event.condition, EventLane { name, spans: vec![span] }));
            }
        }
    }
    lanes.sort_by_key(|(condition, _)| *condition);
    let rest = lanes.split_off(lanes.len().min(MOST_EVENT_LANES));
    let mut lanes: Vec<EventLane> = lanes.into_iter().map(|(_, lane)| lane).collect();
    if !rest.is_empty() {
        let name = amber_core::digits::counted(rest.len() as u64, "other");
        lanes.push(EventLane { name, spans: rest.into_iter().flat_map(|(_, lane)| lane.spans).collect() });
    }
    lanes
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

/// Writes a report as PDF, and as Markdown with its figures, under the next free number in `folder`.
///
/// # Errors
/// When it cannot be drawn or written.
pub(crate) fn write_report(document: &amber_plot::Document, folder: &Path) -> anyhow::Result<Vec<PathBuf>> {
    std::fs::create_dir_all(folder).map_err(|error| refused("create", folder, &error))?;
    let page = amber_plot::document_pdf(document)?;
    for number in 1..10_000 {
        let stem = format!("report-{number:04}");
        let [pdf, text] = ["pdf", "md"].map(|kind| folder.join(format!("{stem}.{kind}")));
        if pdf.exists() || text.exists() {
            continue;
        }
        write_new(&pdf, &page)?;
        write_markdown(document, &text, &stem)?;
        return Ok(vec![pdf, text]);
    }
    bail!("{} is full of reports: choose another folder (6)", folder.display())
}

/// Writes a report as Markdown to `path`, with its figures beside it; what is there is replaced.
///
/// # Errors
/// When it cannot be drawn or written.
pub(crate) fn write_markdown(document: &amber_plot::Document, path: &Path, stem: &str) -> anyhow::Result<()> {
    let (text, figures) = crate::report::markdown::markdown(document, stem);
    for (name, figure) in figures {
        let beside = path.with_file_name(name);
        let drawing = amber_plot::svg(&figure)?;
        amber_io::disk::replace(&beside, drawing.as_bytes()).map_err(|error| refused("write", &beside, &error))?;
    }
    amber_io::disk::replace(path, text.as_bytes()).map_err(|error| refused("write", path, &error))
}

/// A figure as SVG, or as PDF.
///
/// # Errors
/// When it cannot be drawn.
pub(crate) fn bytes_as(figure: &Figure, is_pdf: bool) -> anyhow::Result<Vec<u8>> {
    let svg = amber_plot::svg(figure)?;
    Ok(if is_pdf { amber_plot::pdf(&svg)? } else { svg.into_bytes() })
}

/// Writes the figure to `path`, in the format that its ending names; what is there is replaced.
///
/// # Errors
/// When the ending is neither, or it cannot be drawn or written.
pub(crate) fn write_as(figure: &Figure, path: &Path) -> anyhow::Result<()> {
    let ending = path.extension().and_then(|ending| ending.to_str()).map(str::to_lowercase);
    let is_pdf = match ending.as_deref() {
        Some("svg") => false,
        Some("pdf") => true,
        _ => bail!("{}: give a name that ends in .svg or .pdf", path.display()),
    };
    let bytes = bytes_as(figure, is_pdf)?;
    amber_io::disk::replace(path, &bytes).map_err(|error| refused("write", path, &error))
}

/// A figure with the paper and the texts that are set for figures.
pub(crate) fn styled(figure: Figure, session: &Session) -> Figure {
    let own = &session.shared().figure;
    let set = |text: &str, before: String| if text.is_empty() { before } else { visible(text.as_bytes()) };
    Figure {
        title: set(&own.title, figure.title),
        x_label: set(&own.x_label, figure.x_label),
        paper: Paper { width: own.size.width, height: own.size.height, is_dark: own.dark },
        ..figure
    }
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
