//! The rows of the source selected as a table over the chart: the newest at the bottom, at a pace that can be read.

use super::block::copied;
use super::{About, Effect, Place, Room, listed};
use crate::keys::{Binding, Key, NONE, keys};
use crate::screen::text::{cut, put, put_right};
use crate::session::Session;
use crate::theme::{Ink, Theme};
use amber_core::bench::Kind;
use amber_core::block::Block;
use amber_core::chain::Channel;
use amber_core::digits::{counted, fixed};
use crossterm::event::KeyCode::Char;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// Columns for the time.
const TIME: u16 = 14;

/// The table.
#[derive(Debug, Default)]
pub(crate) struct Table;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Write,
    Copy,
}

const KEYS: &[Binding<Action>] = keys! {
    [(Char('w'), NONE)], Action::Write, "w", "write the rows in view as CSV", Some("w write"), channel;
    [(Char('C'), NONE)], Action::Copy, "C", "copy the rows in view to the clipboard", Some("C copy"), channel;
};

/// The rows of the selected source that are in view, as CSV.
fn in_view(session: &Session) -> String {
    let rows = session.viewport.rows_of(session.place());
    let first = session.chain().store().time(rows.start).unwrap_or_default();
    Block::of(session.chain(), "rows in view", rows, first).csv()
}

impl Room for Table {
    type Action = Action;
    const ABOUT: About = About { name: "table", help: "every row of the selected source", place: Place::Middle };

    fn bindings() -> Vec<(&'static Key, Action)> {
        listed(KEYS)
    }

    fn act(&mut self, action: Action, session: &mut Session) -> Vec<Effect> {
        let csv = in_view(session);
        match action {
            Action::Write => vec![session.write_csv("rows", csv).into()],
            Action::Copy => copied(csv, session),
        }
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        draw(session, theme, area, buffer);
    }
}

/// A channel's columns: where they begin, how wide raw value, quantity and smoothed quantity are.
struct Column {
    channel: usize,
    x: u16,
    raw: u16,
    width: u16,
    smoothed: u16,
}

impl Column {
    fn whole(&self) -> u16 {
        self.raw + self.width + self.smoothed
    }
}

fn draw(session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let (columns, left_out) = columns(session, area.width);
    let store = session.chain().store();
    put(buffer, area, 0, 0, &"─".repeat(usize::from(area.width)), theme.style(Ink::Faint));
    put(buffer, area, 1, 0, " rows ", theme.style(Ink::Bright));
    if left_out > 0 {
        let text = format!(" {} not shown: Tab selects it ", counted(left_out as u64, "channel"));
        put_right(buffer, area, 0, &text, theme.style(Ink::Dim));
    }
    for column in &columns {
        let id = session.own(column.channel);
        let channel = session.channel_at(id);
        let chosen = column.channel == session.selected.channel;
        let ink = theme.style(if chosen { Ink::Chosen } else { Ink::Bright });
        let whole = Rect { x: area.x + column.x, width: column.whole(), height: 1, y: area.y + 1 };
        let name = channel.title().chars().take(usize::from(whole.width).saturating_sub(3)).collect::<String>();
        put_right(buffer, whole, 0, &format!("{} {name}", session.letter_or_blank(id)), ink);
        let unit = Rect { y: area.y + 2, ..whole };
        let unit_text = channel.settings().scale.unit();
        let unit_text = if column.smoothed > 0 { format!("smoothed {unit_text}") } else { unit_text.to_owned() };
        put_right(buffer, unit, 0, unit_text.trim_end(), theme.style(Ink::Dim));
        if column.raw > 0 {
            put_right(buffer, Rect { width: column.raw, ..unit }, 0, "raw", theme.style(Ink::Faint));
        }
    }
    let rows = u64::from(area.height.saturating_sub(3));
    let last = session.snapshot.view.row(session.place()).map_or(store.rows().start, |row| row + 1);
    let first = last.saturating_sub(rows).max(store.rows().start);
    for (row, y) in (first..last).zip(area.y + 3..) {
        let line = Rect { y, height: 1, ..area };
        let time = store.time(row).map_or_else(String::new, |at| session.when(at, "%H:%M:%S%.3f"));
        let broken = row > first && store.broken_between(row - 1, row);
        if broken {
            put(buffer, line, 0, 0, "╌", theme.style(Ink::Alert));
        }
        put(buffer, line, 1, 0, &time, theme.style(Ink::Dim));
        for column in &columns {
            cell(session, theme, column, row, Rect { x: area.x + column.x, ..line }, buffer);
        }
    }
}

fn cell(session: &Session, theme: Theme, column: &Column, row: u64, line: Rect, buffer: &mut Buffer) {
    let Some(reading) = session.chain().reading(column.channel, row) else { return };
    let id = session.own(column.channel);
    let channel = session.channel_at(id);
    let text = match channel.word(reading.quantity) {
        Some(word) => word.to_owned(),
        None => fixed(reading.quantity, channel.decimals()),
    };
    if column.raw > 0 {
        let raw = fixed(reading.raw, channel.raw_decimals());
        put_right(buffer, Rect { width: column.raw, ..line }, 0, &raw, theme.style(Ink::Dim));
    }
    let trace = if channel.kind() == Kind::Clock { Ink::Dim } else { Ink::Trace(session.ink(id)) };
    // Where there are both, the smoothed one counts.
    let ink = if column.smoothed > 0 { Ink::Dim } else { trace };
    let place = Rect { width: column.raw + column.width, ..line };
    put_right(buffer, place, 0, &cut(text, column.width.saturating_sub(1)), theme.style(ink));
    if column.smoothed > 0 {
        let place = Rect { width: column.whole(), ..line };
        let text = cut(fixed(reading.smoothed, channel.decimals()), column.smoothed.saturating_sub(1));
        put_right(buffer, place, 0, &text, theme.style(trace));
    }
}

/// The channels that there is room for, the selected one among them, and how many there is none for.
fn columns(session: &Session, room: u16) -> (Vec<Column>, usize) {
    let channels = session.chain().channels();
    let both = session.shared().screen.raw;
    let wide = |index: usize, channel: &Channel| {
        let shown = session.snapshot.of(session.own(index));
        let ends = shown.min_max.into_iter().flat_map(|(least, most)| [least, most]);
        let numbers = ends.chain(shown.reading.map(|reading| reading.quantity));
        let widest = numbers.map(|value| fixed(value, channel.decimals()).chars().count() as u16).max();
        let number = widest.unwrap_or(0).max(if channel.kind() == Kind::Clock { 12 } else { 9 });
        let raw = if both && !channel.settings().scale.is_plain() { 8 } else { 0 };
        let name = (channel.title().chars().count() as u16 + 3).min(16);
        let smoothed = if channel.smoothed().is_some() { number + 1 } else { 0 };
        (raw, number.max(name.saturating_sub(raw + smoothed)) + 1, smoothed)
    };
    let shown = channels.iter().enumerate().filter(|(_, channel)| !channel.settings().hidden);
    let all: Vec<(usize, &Channel)> = shown.collect();
    let fit = |from: usize| {
        let mut x = TIME;
        let mut columns = Vec::new();
        for (channel, settings) in all.iter().skip(from) {
            let (raw, width, smoothed) = wide(*channel, settings);
            let column = Column { channel: *channel, x, raw, width, smoothed };
            x += column.whole();
            if x > room {
                break;
            }
            columns.push(column);
        }
        columns
    };
    let holds = |columns: &[Column]| columns.iter().any(|column| column.channel == session.selected.channel);
    let begin = (0..all.len()).find(|from| holds(&fit(*from))).unwrap_or(0);
    let columns = fit(begin);
    let left_out = all.len() - columns.len();
    (columns, left_out)
}
