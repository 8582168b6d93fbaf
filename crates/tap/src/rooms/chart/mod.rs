//! The chart: lanes of analog channels by unit, thin digital lanes below, one time axis.

mod digital;
mod dots;
pub(crate) mod go_to;
mod lane;
mod pattern;
mod time;

use super::{About, Effect, Place, Room, RoomId, listed, outside};
use crate::keys::{Binding, Key, NONE, keys};
use crate::screen::text::{put, wrapped};
use crate::session::{AnalogLane, ChannelId, Session, Source, WatchedLine};
use crate::theme::{Ink, Theme};
use amber_core::Stamp;
use amber_core::bench::Kind;
use amber_core::chain::Chain;
use amber_core::window::{Columns, Grid};
use amber_io::LinkState;
use crossterm::event::KeyCode::Char;
pub(crate) use dots::Dots;
pub(crate) use pattern::Pattern;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use std::hash::{Hash, Hasher};

/// The chart.
#[derive(Debug, Default)]
pub(crate) struct Chart;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Cursors,
    GoTo,
    EventBefore,
    NextEvent,
    Station,
    Report,
    Play,
    Slower,
    Faster,
}

const KEYS: &[Binding<Action>] = keys! {
    [(Char('c'), NONE)], Action::Cursors, "c", "cursors: measure between two instants of a held picture", None;
    [(Char('g'), NONE)], Action::GoTo, "g", "go to a time, a mark, an event or a gap", None;
    [(Char('['), NONE)], Action::EventBefore, "[", "the event before, on the chart, which holds the picture", None;
    [(Char(']'), NONE)], Action::NextEvent, "]", "the next event, on the chart", None;
    [(Char('N'), NONE)], Action::Station, "N", "take the next station: means and spreads", None, channel;
    [(Char('R'), NONE)], Action::Report, "R", "write a report: figures, statistics, settings, events", None, channel;
    [(Char('P'), NONE)], Action::Play, "P", "play what is recorded from the right edge on, or pause", None;
    [(Char('<'), NONE)], Action::Slower, "<", "play slower", None;
    [(Char('>'), NONE)], Action::Faster, ">", "play faster", None;
};

impl Room for Chart {
    type Action = Action;
    const ABOUT: About = About { name: "chart", help: "traces over time, a lane for each unit", place: Place::Middle };

    fn bindings() -> Vec<(&'static Key, Action)> {
        listed(KEYS)
    }

    fn act(&mut self, action: Action, session: &mut Session) -> Vec<Effect> {
        match action {
            Action::Cursors => return vec![Effect::Show(RoomId::Cursors)],
            Action::GoTo => return vec![Effect::Choose(go_to::list(session))],
            Action::EventBefore => session.show_event(-1),
            Action::NextEvent => session.show_event(1),
            Action::Report => return super::keep::report(session),
            Action::Play => session.toggle_play(session.now),
            Action::Slower => session.set_speed(-1),
            Action::Faster => session.set_speed(1),
            Action::Station => return outside(session.take_station(None)),
        }
        Vec::new()
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        draw(session, theme, area, false, buffer);
    }
}

/// Columns left of the plots, for numbers.
const GUTTER: u16 = 10;

/// Columns right of the plots, for the traces' letters.
const TAGS: u16 = 3;

/// The most rows that a digital channel or a code has, with a blank one.
const RIBBON: u16 = 8;

/// Where the chart's parts stand.
struct Parts {
    /// Heading and plot of each analog lane.
    analog: Vec<(Rect, Rect)>,
    digital: Vec<Rect>,
    time: Rect,
    /// The columns that all plots share.
    plot: Rect,
}

impl Parts {
    /// Digital channels and codes have all the room where there is nothing else.
    fn of_digital(area: Rect, plot: Rect, count: u16) -> Parts {
        let room = area.height.saturating_sub(1);
        let each = (room / count.min(room)).clamp(1, RIBBON);
        let gap = u16::from(each > 2);
        let lane = |i: u16| Rect { y: area.y + i * each + gap, height: each - gap, ..plot };
        let digital = (0..count.min(room / each)).map(lane).collect();
        let time = Rect { y: area.bottom() - 1, height: 1, ..area };
        Parts { analog: Vec::new(), digital, time, plot }
    }

    fn new(area: Rect, analog: usize, digital: usize) -> Parts {
        let plot = Rect { x: area.x + GUTTER, width: area.width.saturating_sub(GUTTER + TAGS), ..area };
        if analog == 0 && digital > 0 {
            return Parts::of_digital(area, plot, digital as u16);
        }
        let digital_rows = if digital == 0 { 0 } else { (digital as u16 + 1).min(area.height / 3) };
        let time = Rect { y: area.bottom() - 1, height: 1, ..area };
        let room = area.height - 1 - digital_rows;
        let count = analog.max(1) as u16;
        let mut lanes = Vec::new();
        let mut y = area.y;
        for index in 0..analog as u16 {
            let rows = room / count + u16::from(index < room % count);
            if rows < 2 {
                break;
            }
            lanes.push((Rect { y, height: 1, ..area }, Rect { y: y + 1, height: rows - 1, ..plot }));
            y += rows;
        }
        let first = area.bottom() - digital_rows;
        let digital = (0..digital_rows.saturating_sub(1)).map(|i| Rect { y: first + i, height: 1, ..plot }).collect();
        Parts { analog: lanes, digital, time, plot }
    }
}

/// Characters at the newest end of the chart that a new row can change: its own, the one before, which a line may
/// come from, and the letters.
pub(crate) const EDGE: u16 = 2 + TAGS;

/// Draws the chart, or only what falls into `buffer` of its newest end.
pub(crate) fn draw(session: &Session, theme: Theme, area: Rect, edge_alone: bool, buffer: &mut Buffer) {
    let lanes = session.lanes();
    let parts = Parts::new(area, lanes.analog.len(), lanes.digital.len());
    let columns = columns(session, &parts);
    // Traces need only be made for what is drawn of them.
    let skip = if edge_alone { parts.plot.width.saturating_sub(EDGE - TAGS) } else { 0 };
    let seen = columns.from_place(usize::from(skip) * 2);
    let right = |plot: Rect| Rect { x: plot.x + skip, width: plot.width - skip, ..plot };
    let coded = lanes.digital.iter().any(|id| session.channel_at(*id).kind() == Kind::Code);
    let (grids, whole) = (grids(session, &seen), if coded { grids(session, &columns) } else { Vec::new() });
    let Some(first) = grids.first() else { return };
    let grid = |id: ChannelId| grids.get(id.source).unwrap_or(first);
    if lanes.analog.is_empty() && lanes.digital.is_empty() {
        guide(session, theme, area, buffer);
    }
    let first_plot = parts.analog.first().map(|(_, plot)| *plot);
    for (lane, (heading, plot)) in lanes.analog.iter().zip(&parts.analog) {
        lane::heading(session, theme, lane, *heading, buffer);
        lane::axis(theme, lane, *plot, buffer);
        time::marks(session, theme, &columns, *plot, buffer);
        lane::thresholds(session, theme, lane, *plot, buffer);
        lane::levels_measured(session, theme, lane, *plot, buffer);
        lane::traces(session, theme, lane, &grid, &seen, right(*plot), buffer);
        lane::levels(session, theme, lane, &columns, *plot, buffer);
        lane::threshold_values(session, theme, lane, *plot, buffer);
        if first_plot == Some(*plot) {
            time::events(session, theme, &columns, *plot, buffer);
        }
    }
    for (index, plot) in lanes.digital.iter().zip(&parts.digital) {
        digital::digital_name(session, theme, *index, *plot, buffer);
        if session.channel_at(*index).kind() == Kind::Code {
            // A word may begin long before the newest end: it is drawn from where it begins.
            if let Some(grid) = whole.get(index.source) {
                digital::coded(session, theme, *index, grid, *plot, buffer);
            }
        } else {
            digital::digital(session, theme, *index, grid(*index), right(*plot), buffer);
        }
    }
    time::axis(session, theme, &columns, parts.time, parts.plot, buffer);
    let plots = parts.analog.iter().map(|(_, plot)| *plot).chain(parts.digital.iter().copied());
    time::cursors(session, theme, &columns, plots, parts.time, buffer);
}

/// A grid over the rows of each source.
fn grids<'a>(session: &'a Session, columns: &Columns) -> Vec<Grid<'a>> {
    let grid = |chain: &'a Chain| Grid::new(chain.store(), columns, session.viewport.end, chain.interval());
    session.chains().map(grid).collect()
}

fn columns(session: &Session, parts: &Parts) -> Columns {
    let view = &session.viewport;
    Columns::new(view.end, view.span, usize::from(parts.plot.width) * 2, session.axis.motion())
}

/// What the chart looks like, in two numbers: one for its frame and all columns but the newest, one for its newest
/// end. Most rows of a fast board change neither, and nearly all others only the second.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Look {
    pub(crate) frame: u64,
    pub(crate) edge: u64,
}

pub(crate) fn look(session: &Session, area: Rect) -> Look {
    let lanes = session.lanes();
    let parts = Parts::new(area, lanes.analog.len(), lanes.digital.len());
    let columns = columns(session, &parts);
    let newest = columns.newest();
    // The rows of the newest two columns, of each source.
    let newest_rows = |chain: &Chain| {
        let store = chain.store();
        let [first, second] = [newest - 1, newest].map(|column| store.first_at(Stamp(column * columns.width)));
        [first..second, second..store.rows().end]
    };
    let rows: Vec<_> = session.chains().map(newest_rows).collect();
    let rows_of = |id: ChannelId| rows.get(id.source).cloned().unwrap_or_default();
    let mut frame = std::hash::DefaultHasher::new();
    let mut edge = std::hash::DefaultHasher::new();
    // A row's own time may lie before the newest end.
    let firsts: Vec<u64> = rows.iter().map(|[first, _]| first.start).collect();
    let empty = session.chains().all(|chain| chain.store().rows().is_empty());
    (columns.width, newest, firsts, empty, &lanes.digital, session.marks.len()).hash(&mut frame);
    session.chain().events().back().map(|event| (event.number, event.at.0)).hash(&mut frame);
    session.cursors.map(|cursors| (cursors.at.map(|at| at.0), cursors.active)).hash(&mut frame);
    for (lane, (_, plot)) in lanes.analog.iter().zip(&parts.analog) {
        (lane.limits.0.to_bits(), lane.limits.1.to_bits(), &lane.channels).hash(&mut frame);
        if lane.channels.contains(&session.selected) {
            lane::level_bars(session, lane, &columns, plot.height).hash(&mut frame);
        }
        let dots =
            |value: f64| (lane::dot_row(value, lane.limits, plot.height), value < lane.limits.0, value > lane.limits.1);
        for (index, channel) in lane.channels.iter().map(|index| (*index, session.channel_at(*index))) {
            for series in channel.smoothed().into_iter().chain([channel.scaled()]) {
                let spans = rows_of(index).map(|rows| series.min_max(rows).map(|(a, b)| (dots(a), dots(b))));
                spans.hash(&mut edge);
            }
        }
    }
    for index in &lanes.digital {
        let channel = session.channel_at(*index);
        if channel.kind() == Kind::Code {
            let [first, second] = rows_of(*index);
            let span = channel.scaled().min_max(first.start..second.end);
            span.map(|(a, b)| (a.to_bits(), b.to_bits())).hash(&mut edge);
        } else {
            let [first, second] = rows_of(*index);
            let behind = |row: u64| channel.watcher().edges_before(row);
            (behind(first.start), behind(second.start)).hash(&mut frame);
            // An edge that had to be held is older than the newest end when it counts.
            (channel.watcher().edges().len(), first.is_empty(), second.is_empty()).hash(&mut edge);
        }
    }
    Look { frame: frame.finish(), edge: edge.finish() }
}

/// What to do while there is nothing to draw.
fn guide(session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let counts = session.chain().counts();
    let text = if let Some(trouble) = session.trouble() {
        trouble
    } else if session.chain().channels().iter().any(|channel| channel.settings().hidden) {
        "all channels are hidden: select one with Tab and show it with 2 h".into()
    } else if session.is_take() {
        "this take holds no rows that could be read; its bytes are in wire.bin".into()
    } else if counts.bytes == 0 {
        match session.source() {
            Source::Live { link: LinkState::Open { baud: Some(_), .. } } => {
                "the port is open and silent: is the board powered, is its program sending? A board that waits to be asked answers what is sent with : or is set up with 2 i"
            }
            Source::Live { link: LinkState::Open { .. } } => "waiting for text",
            Source::Live { link: LinkState::Ended } => "the text ended without a line",
            Source::Live { link: LinkState::Lent { .. } } => "the port is lent to another program: 1 L takes it back",
            Source::Live { link: LinkState::Finding { .. } } => {
                "the port is open and silent, so its baud rate is not yet detected: is the board powered, is its program sending? For a board that waits to be asked, set its baud rate (1), then : sends and 2 i sets up pins"
            },
            _ => "opening the port",
        }
        .into()
    } else if counts.rejected() > 0 {
        "bytes arrive, but no line reads as numbers: see below what comes, and why it is rejected (2)".into()
    } else {
        "bytes arrive: looking for the shape of the lines".into()
    };
    let lines = wrapped(&text, usize::from(area.width.saturating_sub(8)).max(20));
    for (line, y) in lines.iter().zip(area.height / 3..) {
        let x = area.width.saturating_sub(line.chars().count() as u16) / 2;
        put(buffer, area, x, y, line, theme.style(Ink::Bright));
    }
}

/// The channel of the lane at a place of the screen: the only one there, or the one whose letter or trace is nearest.
pub(crate) fn channel_at(session: &Session, area: Rect, column: u16, row: u16) -> Option<ChannelId> {
    let lanes = session.lanes();
    let parts = Parts::new(area, lanes.analog.len(), lanes.digital.len());
    let within = |rect: &Rect| (rect.y..rect.bottom()).contains(&row);
    if let Some(at) = parts.digital.iter().position(within) {
        return lanes.digital.get(at).copied();
    }
    let at = parts.analog.iter().position(|(heading, plot)| within(heading) || within(plot))?;
    let (lane, (_, plot)) = (lanes.analog.get(at)?, *parts.analog.get(at)?);
    let grids = grids(session, &columns(session, &parts));
    let place = usize::from(column.saturating_sub(plot.x).min(plot.width.saturating_sub(1))) * 2;
    let distance = |index: &ChannelId| {
        let spans = grids.get(index.source).map(|grid| grid.trace(session.channel_at(*index).output()));
        let spans = spans.iter().flatten().enumerate();
        let near = spans.filter_map(|(i, span)| span.map(|span| (i.abs_diff(place), span))).min_by_key(|(d, _)| *d);
        near.map_or(f64::INFINITY, |(_, (low, high))| {
            let y = |value: f64| lane::dot_row(value, lane.limits, plot.height) as f64 / 4.0;
            let here = f64::from(row.saturating_sub(plot.y));
            (here - y(high)).abs().min((here - y(low)).abs())
        })
    };
    lane.channels.iter().copied().min_by(|a, b| distance(a).total_cmp(&distance(b)))
}

/// A line of a lane at a place of the screen, with its channel.
pub(crate) fn line_at(session: &Session, area: Rect, row: u16) -> Option<(ChannelId, WatchedLine)> {
    let (lane, plot) = lane_at(session, area, row)?;
    lane::line_at(session, &lane, plot, row)
}

/// The value at a row of the lane of channel `id`, also above and below it.
pub(crate) fn value_at(session: &Session, area: Rect, id: ChannelId, row: u16) -> Option<f64> {
    let lanes = session.lanes();
    let parts = Parts::new(area, lanes.analog.len(), lanes.digital.len());
    let mut all = lanes.analog.iter().zip(&parts.analog);
    let (lane, (_, plot)) = all.find(|(lane, _)| lane.channels.contains(&id))?;
    Some(lane::value_at(lane, *plot, row.min(plot.bottom().saturating_sub(1)).max(plot.y)))
}

fn lane_at(session: &Session, area: Rect, row: u16) -> Option<(AnalogLane, Rect)> {
    let lanes = session.lanes();
    let parts = Parts::new(area, lanes.analog.len(), lanes.digital.len());
    let at = parts.analog.iter().position(|(_, plot)| (plot.y..plot.bottom()).contains(&row))?;
    Some((lanes.analog.get(at)?.clone(), parts.analog.get(at)?.1))
}

/// The share of the plots' width at which `column` stands; 0 and 1 left and right of them.
pub(crate) fn share_at(area: Rect, column: u16) -> f64 {
    let plot = Parts::new(area, 0, 0).plot;
    (f64::from(column.saturating_sub(plot.x)) / f64::from(plot.width.max(1))).min(1.0)
}

/// The columns of the plots.
pub(crate) fn plot_width(area: Rect) -> u16 {
    Parts::new(area, 0, 0).plot.width
}
