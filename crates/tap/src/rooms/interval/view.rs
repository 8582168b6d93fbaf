//! The view of times between edges, drawn.

use super::{Interval, has_edges, told};
use crate::screen::plot::bars;
use crate::screen::text::{cut, fitting, put, put_right, wrapped};
use crate::session::Session;
use crate::theme::{Ink, Theme};
use amber_core::digits::{fixed, grouped, with_unit};
use amber_core::watch::interval::Edge;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// Columns of the list.
const LIST: u16 = 38;

/// A time in a unit, `by` times its seconds.
pub(super) fn time(seconds: f64, by: f64, unit: &str) -> String {
    with_unit(fixed(seconds * by, 3), unit)
}

pub(super) fn draw(room: &Interval, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
    put(buffer, area, 0, 0, &"─".repeat(usize::from(area.width)), theme.style(Ink::Faint));
    let say = |buffer: &mut Buffer, text: &str| {
        put(buffer, area, 2, 2, &cut(text.to_owned(), area.width.saturating_sub(3)), theme.style(Ink::Text));
    };
    let Some(channel) = session.channel() else {
        return say(buffer, "no channel yet: rows must arrive first");
    };
    let Some(own) = channel.settings().interval.clone() else {
        let title = format!(" intervals from {} ", session.title(session.selected));
        put(buffer, area, 1, 0, &title, theme.style(Ink::Bright));
        return say(buffer, "no interval yet: w chooses the channel that it ends with");
    };
    let end = if room.in_view { " in view " } else { " all that are kept " };
    let free = area.width.saturating_sub(end.chars().count() as u16 + 3);
    let arrow = |edge: Edge| match edge {
        Edge::Rising => "↑",
        Edge::Falling => "↓",
        Edge::Either => "↕",
    };
    let other = session.channel_of(own.to.trim());
    let to = other.map_or_else(|| own.to.clone(), |id| session.title(id));
    let short = format!("{} {} to {to} {}", session.title(session.selected), arrow(own.from), arrow(own.edge));
    let heading = fitting(free.saturating_sub(2), [told(session, &own), short]);
    put(buffer, area, 1, 0, &format!(" {heading} "), theme.style(Ink::Bright));
    put_right(buffer, area, 0, end, theme.style(Ink::Dim));
    let Some(other) = other.map(|id| session.channel_at(id)) else {
        return say(buffer, &format!("there is no channel {} now: w chooses another one", own.to));
    };
    for channel in [channel, other] {
        if !has_edges(channel) {
            return say(buffer, &format!("{} has no edges: give it a threshold first (5)", channel.title()));
        }
    }
    let Some(all) = room.all() else { return };
    let mut notes = Vec::new();
    if all.unanswered > 0 {
        notes.push(format!("{} without an answer before the next", grouped(all.unanswered)));
    }
    if all.broken > 0 {
        notes.push(format!("{} cut by a break of the stream", grouped(all.broken)));
    }
    if all.is_open {
        notes.push("the last one is still open".into());
    }
    if all.is_cut {
        notes.push(format!("the last {} alone", grouped(all.found.len() as u64)));
    }
    let left = Rect { width: LIST.min(area.width), ..area };
    let right = Rect { x: left.right(), width: area.width - left.width, ..area };
    let Some((found, by, unit)) = room.statistics else {
        let why = if notes.is_empty() { "no such edge has been seen".to_owned() } else { notes.join(", ") };
        put(buffer, area, 2, 2, &cut(why, area.width.saturating_sub(3)), theme.style(Ink::Text));
        return;
    };
    list(room, (by, unit), session, theme, left, buffer);
    let mut facts = vec![
        ("intervals", grouped(found.count as u64)),
        ("min", time(found.min, by, unit)),
        ("mean", time(found.mean, by, unit)),
        ("median", time(found.median, by, unit)),
        ("max", time(found.max, by, unit)),
        ("deviation", if found.deviation.is_nan() { "–".into() } else { time(found.deviation, by, unit) }),
    ];
    facts
        .extend(session.chain().interval().map(|row| ("known to", format!("{}, 1 row", session.across().length(row)))));
    let mut y = 1;
    for (name, value) in &facts {
        put(buffer, right, 1, y, name, theme.style(Ink::Dim));
        put(buffer, right, 13, y, &cut(value.clone(), right.width.saturating_sub(13)), theme.style(Ink::Bright));
        y += 1;
    }
    for line in notes.iter().flat_map(|note| wrapped(note, usize::from(right.width.saturating_sub(2)).max(8))) {
        put(buffer, right, 1, y, &line, theme.style(Ink::Text));
        y += 1;
    }
    let below = Rect {
        x: right.x + 1,
        y: right.y + y + 1,
        width: right.width.saturating_sub(2),
        height: right.height.saturating_sub(y + 1),
    };
    if let Some((found, unit)) = room.histogram(usize::from(below.height.saturating_sub(1)).max(1), session) {
        let ink = theme.style(Ink::Trace(session.ink(session.selected)));
        bars(&found, unit, ink, theme, below, buffer);
    }
}

fn list(room: &Interval, (by, unit): (f64, &str), session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let Some((found, chosen)) = room.all().map(|all| &all.found).zip(room.chosen()) else { return };
    let cell = |at: usize, y: u16| {
        let (width, x) = [(7, 1), (13, 9), (12, 23)].get(at).copied().unwrap_or_default();
        Rect { x: area.x + x, y: area.y + y, width, height: 1 }
    };
    put_right(buffer, cell(0, 1), 0, "number", theme.style(Ink::Dim));
    put(buffer, cell(1, 1), 0, 0, "began", theme.style(Ink::Dim));
    put_right(buffer, cell(2, 1), 0, "interval", theme.style(Ink::Dim));
    let rows = usize::from(area.height.saturating_sub(2));
    let first = (chosen + rows / 2 + 1).clamp(rows.min(found.len()), found.len()).saturating_sub(rows);
    for ((place, one), y) in found.iter().enumerate().skip(first).zip(2..area.height) {
        let is_chosen = place == chosen;
        let ink = theme.style(if is_chosen { Ink::Chosen } else { Ink::Text });
        put(buffer, area, 0, y, if is_chosen { "▸" } else { " " }, theme.style(Ink::Bright));
        put_right(buffer, cell(0, y), 0, &(place + 1).to_string(), ink);
        put(buffer, cell(1, y), 0, 0, &session.when(one.at, "%H:%M:%S%.3f"), ink);
        put_right(buffer, cell(2, y), 0, &time(one.seconds, by, unit), ink);
    }
}
