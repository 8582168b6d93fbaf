//! One lane: heading, y axis, threshold, traces, letters.

use super::{Dots, GUTTER, Pattern, TAGS};
use crate::screen::text::{fitting, put, put_right, set_in};
use crate::session::{AnalogLane, ChannelId, Session, WatchedLine};
use crate::theme::{Ink, Theme};
use amber_core::Stamp;
use amber_core::axis::{Rule, round_step, ticks};
use amber_core::digits::{NumberFormat, fixed};
use amber_core::levels::Level;
use amber_core::window::{Columns, Grid, Span};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The row of dots, counted from the top, on which `value` falls in a plot of `height` cells; held to the plot.
pub(super) fn dot_row(value: f64, limits: (f64, f64), height: u16) -> usize {
    let rows = f64::from(height) * 4.0 - 1.0;
    let share = (limits.1 - value) / (limits.1 - limits.0);
    (share * rows).round().max(0.0).min(rows) as usize
}

/// How the numbers beside a lane are written.
fn lane_form(lane: &AnalogLane) -> NumberFormat {
    NumberFormat::new(lane.limits.0.abs().max(lane.limits.1.abs()), 0, &lane.unit)
}

/// The row above a plot: the unit, the channels, and what decides the axis.
pub(super) fn heading(session: &Session, theme: Theme, lane: &AnalogLane, area: Rect, buffer: &mut Buffer) {
    put(buffer, area, 0, 0, &"─".repeat(usize::from(area.width)), theme.style(Ink::Faint));
    let form = lane_form(lane);
    let unit = match (lane.unit.as_str(), lane.is_bare) {
        ("", true) => "no unit",
        ("", false) => "raw",
        _ => &form.unit,
    };
    let mut x = put(buffer, area, 1, 0, &format!(" {unit} "), theme.style(Ink::Bright)) + 1;
    // As many names as there is room for beside the rule of the axis; the others are counted.
    let end = area.width.saturating_sub(TAGS + 12);
    for (at, index) in lane.channels.iter().enumerate() {
        let left = lane.channels.len() - at;
        let room = usize::from(end.saturating_sub(x + 6));
        let wide = session.title(*index).chars().count();
        if at > 0 && wide + usize::from(left > 1) * 8 > room {
            x = put(buffer, area, x, 0, &format!(" … {left} more "), theme.style(Ink::Dim));
            break;
        }
        let ink = theme.style(Ink::Trace(session.ink(*index)));
        let sample = Pattern::of(session.ink(*index)).sample();
        x = put(buffer, area, x, 0, &format!(" {}{sample} ", session.letter(*index)), ink);
        let chosen = *index == session.selected;
        let whole = session.title(*index);
        let name = if wide <= room { whole } else { session.short_title(*index, room.max(3)) };
        let name = format!("{name} ");
        x = put(buffer, area, x, 0, &name, theme.style(if chosen { Ink::Bright } else { Ink::Dim }));
    }
    let rule = match lane.rule {
        Rule::Typed(low, high) => format!(" y: typed, {low} to {high} "),
        rule => format!(" y: {} ", rule.name()),
    };
    let right = Rect { width: area.width.saturating_sub(TAGS), ..area };
    let room = right.width.saturating_sub(x);
    let short = if lane.rule == Rule::Fit { String::new() } else { " pinned ".into() };
    put_right(buffer, right, 0, &fitting(room, [rule, short, String::new()]), theme.style(Ink::Dim));
}

/// The traces of a lane, and their letters.
pub(super) fn traces<'a>(
    session: &Session,
    theme: Theme,
    lane: &AnalogLane,
    grid: &impl Fn(ChannelId) -> &'a Grid<'a>,
    columns: &Columns,
    plot: Rect,
    buffer: &mut Buffer,
) {
    let stroke = |spans: &[Span], pattern: Pattern| {
        let mut dots = Dots::new(plot);
        for (x, span) in spans.iter().enumerate() {
            if let Some((low, high)) = span {
                let row = |value: f64| dot_row(value, lane.limits, plot.height);
                let (top, bottom) = (row(*high), row(*low));
                let column = columns.places.get(x).copied().flatten().unwrap_or_default();
                // No pattern hides a jump or a spike.
                if pattern.shows(column) || bottom - top > 2 {
                    dots.stroke(x, top, bottom);
                }
            }
        }
        dots
    };
    for index in &lane.channels {
        let channel = session.channel_at(*index);
        if channel.smoothed().is_some() {
            stroke(&grid(*index).trace(channel.scaled()), Pattern::Solid).draw(
                plot,
                theme.style(Ink::Pale(session.ink(*index))),
                buffer,
            );
        }
    }
    // The chosen channel lies on top.
    let chosen_last = lane
        .channels
        .iter()
        .filter(|i| **i != session.selected)
        .chain(lane.channels.iter().filter(|i| **i == session.selected));
    let mut letters: Vec<(u16, ChannelId)> = Vec::new();
    for index in chosen_last {
        let spans = grid(*index).trace(session.channel_at(*index).output());
        stroke(&spans, Pattern::of(session.ink(*index))).draw(
            plot,
            theme.style(Ink::Trace(session.ink(*index))),
            buffer,
        );
        if let Some((low, high)) = spans.iter().rev().find_map(|span| *span) {
            let middle = (low + high) / 2.0;
            letters.push(((dot_row(middle, lane.limits, plot.height) / 4) as u16, *index));
        }
    }
    tags(session, theme, letters, plot, buffer);
}

/// A level of the selected channel: its first and last character, its row, its mean.
pub(super) type LevelBar = (u16, u16, u16, String);

/// The bars of the selected channel's levels that are in view.
pub(super) fn level_bars(session: &Session, lane: &AnalogLane, columns: &Columns, height: u16) -> Vec<LevelBar> {
    let id = session.selected;
    let channel = session.channel_at(id);
    let width = columns.places.len();
    let size = lane.limits.0.abs().max(lane.limits.1.abs());
    let ends = columns.places.iter().flatten().min().zip(columns.places.iter().flatten().max());
    let Some((first, last)) = ends.map(|(first, last)| (first * columns.width, (last + 1) * columns.width)) else {
        return Vec::new();
    };
    let place = |at: Stamp, otherwise: usize| (columns.place_of(at).unwrap_or(otherwise) / 2) as u16;
    let bar = |level: &Level| {
        let mean = channel.quantity_of(level.mean);
        let inside = (lane.limits.0..=lane.limits.1).contains(&mean);
        let row = (dot_row(mean, lane.limits, height) / 4) as u16;
        // Above the trace, so that both are seen.
        let row = if row > 0 { row - 1 } else { row + 1 };
        let text = NumberFormat::new(size, channel.decimals(), &lane.unit).number(mean, 0);
        let (from, to) = (place(level.from.max(Stamp(first)), 0), place(level.to, width.saturating_sub(1)));
        (inside && from <= to).then_some((from, to, row, text))
    };
    let newest_first = channel.levels().found().iter().rev();
    let in_view = newest_first.skip_while(|level| level.from.0 >= last).take_while(|level| level.to.0 >= first);
    in_view.filter_map(bar).collect()
}

/// The levels of the selected channel as quiet bars, with their means where there is room.
pub(super) fn levels(
    session: &Session,
    theme: Theme,
    lane: &AnalogLane,
    columns: &Columns,
    plot: Rect,
    buffer: &mut Buffer,
) {
    if !lane.channels.contains(&session.selected) || plot.height < 3 {
        return;
    }
    let labels = threshold_labels(session, lane, plot);
    for (from, to, row, mean) in level_bars(session, lane, columns, plot.height) {
        let ink = theme.style(Ink::Dim);
        for x in from..=to {
            let sign = if x == from {
                '╾'
            } else if x == to {
                '╼'
            } else {
                '─'
            };
            put(buffer, plot, x, row, &sign.to_string(), ink);
        }
        let length = mean.chars().count() as u16 + 2;
        let free = labels.iter().filter(|label| label.row == row).map(ThresholdLabel::end).fold(from, u16::max);
        if free < to && to - free > length {
            let x = free + (to - free + 1 - length) / 2;
            put(buffer, plot, x, row, &format!(" {mean} "), ink);
        }
    }
}

/// The numbers left of a plot, and a grid of points.
pub(super) fn axis(theme: Theme, lane: &AnalogLane, plot: Rect, buffer: &mut Buffer) {
    let form = lane_form(lane);
    let (low, high) = (form.scaled(lane.limits.0), form.scaled(lane.limits.1));
    for y in 0..plot.height {
        put(buffer, Rect { x: plot.x - 1, width: 1, ..plot }, 0, y, "│", theme.style(Ink::Faint));
    }
    let (values, places) = ticks(low, high, usize::from(plot.height / 2).clamp(2, 8));
    let left = Rect { x: plot.x - GUTTER, width: GUTTER - 1, ..plot };
    for value in values {
        let y = (dot_row(value, (low, high), plot.height) / 4) as u16;
        put_right(buffer, left, y, &fixed(value, places), theme.style(Ink::Dim));
        put(buffer, Rect { x: plot.x - 1, width: 1, ..plot }, 0, y, "┤", theme.style(Ink::Dim));
        for x in (0..plot.width).step_by(4) {
            put(buffer, plot, x, y, "·", theme.style(Ink::Faint));
        }
    }
}

/// The row of a value, where it is in the plot.
fn row_of(value: f64, lane: &AnalogLane, plot: Rect) -> Option<u16> {
    let inside = (lane.limits.0..=lane.limits.1).contains(&value);
    inside.then(|| (dot_row(value, lane.limits, plot.height) / 4) as u16)
}

/// The line at a row of the plot of a lane, the selected channel's first.
pub(super) fn line_at(session: &Session, lane: &AnalogLane, plot: Rect, row: u16) -> Option<(ChannelId, WatchedLine)> {
    let own = lane.channels.iter().filter(|id| **id == session.selected);
    let all = own.chain(&lane.channels).flat_map(|id| session.lines_of(*id).into_iter().map(|line| (*id, line)));
    all.into_iter().find(|(_, line)| row_of(line.value, lane, plot) == Some(row.saturating_sub(plot.y)))
}

/// The value at a row of a plot, as round as the row is high.
pub(super) fn value_at(lane: &AnalogLane, plot: Rect, row: u16) -> f64 {
    let share = (f64::from(row.saturating_sub(plot.y)) + 0.5) / f64::from(plot.height.max(1));
    let value = lane.limits.1 - share.clamp(0.0, 1.0) * (lane.limits.1 - lane.limits.0);
    let step = round_step((lane.limits.1 - lane.limits.0) / f64::from(plot.height.max(1)) / 2.0);
    let round = (value / step).round() * step;
    format!("{round:.12e}").parse().unwrap_or(round)
}

/// Where a threshold's letter and value stand.
struct ThresholdLabel {
    channel: ChannelId,
    x: u16,
    row: u16,
    text: String,
}

impl ThresholdLabel {
    /// The column behind it.
    fn end(&self) -> u16 {
        self.x + self.text.chars().count() as u16
    }
}

/// The labels of the lane's thresholds, side by side where they share a row.
fn threshold_labels(session: &Session, lane: &AnalogLane, plot: Rect) -> Vec<ThresholdLabel> {
    let mut labels: Vec<ThresholdLabel> = Vec::new();
    for channel in &lane.channels {
        for line in session.lines_of(*channel) {
            let Some(row) = row_of(line.value, lane, plot) else { continue };
            let x = labels.iter().filter(|label| label.row == row).map(ThresholdLabel::end).fold(1, u16::max);
            let name = line.name.map(|name| format!("{name} ")).unwrap_or_default();
            let value = set_in(session.channel_at(*channel), line.value);
            let text = format!(" {} {name}{value} ", session.letter(*channel));
            labels.push(ThresholdLabel { channel: *channel, x, row, text });
        }
    }
    labels
}

/// The thresholds' letters and values, which stand over the traces.
pub(super) fn threshold_values(session: &Session, theme: Theme, lane: &AnalogLane, plot: Rect, buffer: &mut Buffer) {
    for label in threshold_labels(session, lane, plot) {
        let ink = theme.style(Ink::Trace(session.ink(label.channel)));
        put(buffer, plot, label.x, label.row, &label.text, ink);
    }
}

/// Dashed lines at the channels' thresholds and at those of conditions, with the edges of their dead bands.
pub(super) fn thresholds(session: &Session, theme: Theme, lane: &AnalogLane, plot: Rect, buffer: &mut Buffer) {
    for index in &lane.channels {
        let lines = session.lines_of(*index);
        let half = |line: &WatchedLine| line.hysteresis / 2.0;
        let edges = lines.iter().flat_map(|line| [line.value - half(line), line.value + half(line)]);
        let rows: Vec<u16> = lines.iter().filter_map(|line| row_of(line.value, lane, plot)).collect();
        for y in edges.filter_map(|value| row_of(value, lane, plot)).filter(|y| !rows.contains(y)) {
            put(buffer, plot, 0, y, &"┈".repeat(usize::from(plot.width)), theme.style(Ink::Faint));
        }
        for y in rows {
            put(buffer, plot, 0, y, &"╌".repeat(usize::from(plot.width)), theme.style(Ink::Dim));
        }
    }
}

/// The traces' letters beside their ends; those that would fall on one another move apart.
fn tags(session: &Session, theme: Theme, mut letters: Vec<(u16, ChannelId)>, plot: Rect, buffer: &mut Buffer) {
    letters.sort_unstable();
    let mut next = 0;
    let count = letters.len() as u16;
    for (i, (row, index)) in (0..).zip(letters) {
        let most = plot.height.saturating_sub(count - i);
        let y = row.max(next).min(most);
        next = y + 1;
        let area = Rect { x: plot.right(), width: TAGS, ..plot };
        let ink = theme.style(Ink::Trace(session.ink(index)));
        put(buffer, area, 0, y, if index == session.selected { "◂" } else { " " }, theme.style(Ink::Bright));
        put(buffer, area, 1, y, &session.letter(index).to_string(), ink);
    }
}

/// Cursors in value, in the lane of their channel, with their numbers.
pub(super) fn levels_measured(session: &Session, theme: Theme, lane: &AnalogLane, plot: Rect, buffer: &mut Buffer) {
    let Some((cursors, (id, levels))) = session.cursors.and_then(|own| Some((own, own.levels?))) else { return };
    if !lane.channels.contains(&id) || plot.height == 0 {
        return;
    }
    let (low, high) = lane.limits;
    for (number, level) in levels.iter().enumerate().filter(|(_, level)| (low..=high).contains(*level)) {
        let y = (dot_row(*level, lane.limits, plot.height) / 4) as u16;
        let ink = theme.style(if number == cursors.active { Ink::Bright } else { Ink::Text });
        for x in (0..plot.width).step_by(2) {
            put(buffer, plot, x, y, "─", ink);
        }
        put_right(buffer, plot, y, &format!(" {} ", number + 1), ink);
    }
}
