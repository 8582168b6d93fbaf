//! The wire tail: the last lines as they came, accepted fields in their channels' inks, refused lines with the reason.

use super::strip::cut;
use super::{put, put_right};
use crate::app::{App, ChannelId, Stage};
use crate::theme::{Ink, Theme};
use amber_core::bench::Kind;
use amber_core::split::Fate;
use amber_core::tail::{TailLine, visible};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// What is wrong with the source, behind the heading of its lines, which ends before column `x`.
pub(super) fn draw_trouble(trouble: &str, theme: Theme, x: u16, area: Rect, buffer: &mut Buffer) {
    let text = cut(format!(" ▲ {trouble} "), area.width.saturating_sub(x));
    put(buffer, area, x, 0, &text, theme.style(Ink::Alert));
}

pub(super) fn draw(app: &App, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let rule = "─".repeat(usize::from(area.width));
    put(buffer, area, 0, 0, &rule, theme.style(Ink::Faint));
    let x =
        put(buffer, area, 1, 0, if app.is_take() { " as it came " } else { " as it comes " }, theme.style(Ink::Dim));
    let up_to = if app.is_take() { " up to the right edge of the chart" } else { "" };
    let of = match app.sources() {
        1 => String::new(),
        _ => format!(" of {} (\\ the next)", app.source_names().swap_remove(app.place())),
    };
    if !(of.is_empty() && up_to.is_empty()) {
        put_right(buffer, area, 0, &format!("{of}{up_to} "), theme.style(Ink::Dim));
    }
    if let Some(trouble) = app.trouble() {
        draw_trouble(&trouble, theme, x + 1, area, buffer);
    } else if app.is_held() && !app.is_take() && app.sources() == 1 {
        put_right(buffer, area, 0, " held ", theme.style(Ink::Dim));
    }
    let names = app.panel.is_some_and(|(stage, _)| stage == Stage::Split) && area.height > 3;
    let rows = usize::from(area.height.saturating_sub(1 + u16::from(names)));
    let skip = app.shown.tail.len().saturating_sub(rows);
    let shown = &app.shown.tail[skip..];
    let named = shown.iter().rposition(|line| names && matches!(line.fate, Fate::Row(_)));
    let mut y = 1;
    for (i, line) in shown.iter().enumerate() {
        let row = Rect { y: area.y + y, height: 1, ..area };
        let time = app.wall(line.at, "%H:%M:%S%.3f");
        let x = put(buffer, row, 1, 0, &time, theme.style(Ink::Dim)) + 1;
        let x = sign(theme, line.fate, row, x, buffer);
        draw_text(app, theme, line.borrowed(), row, x, buffer);
        y += 1;
        if named == Some(i) {
            field_names(app, theme, line.borrowed(), Rect { y: row.y + 1, ..row }, x, buffer);
            y += 1;
        }
    }
}

/// Each field's name where the field stands in the line above, cut where the next one begins.
fn field_names(app: &App, theme: Theme, line: TailLine<'_>, row: Rect, x: u16, buffer: &mut Buffer) {
    let (Fate::Row(first), Some(shape)) = (line.fate, app.chain().shape()) else { return };
    put(buffer, row, 1, 0, "its fields", theme.style(Ink::Dim));
    let place = |at: usize| x + visible(&line.bytes[..at.min(line.bytes.len())]).chars().count() as u16;
    let spans = shape.spans(line.bytes, usize::from(first));
    for (i, (range, column)) in spans.iter().enumerate() {
        let Some(index) = id_of_column(app, *column) else { continue };
        let (from, to) = (place(range.start), spans.get(i + 1).map_or(row.width, |(next, _)| place(next.start)));
        let name = format!("└{} {}", app.letter_or_blank(index), app.channel_at(index).title());
        let name: String = name.chars().take(usize::from(to.saturating_sub(from))).collect();
        let drawn = app.channel_at(index).kind() != Kind::Clock;
        let ink = if drawn { Ink::Trace(app.ink(index)) } else { Ink::Dim };
        put(buffer, row, from, 0, &name, theme.style(ink));
    }
}

/// The number among all channels of the one that column `column` of the source at hand feeds.
fn id_of_column(app: &App, column: usize) -> Option<ChannelId> {
    Some(app.own(app.chain().channel_of_column(column)?))
}

/// What became of a line: a sign, and the reason where it was not used. Gives the column behind it.
pub(super) fn sign(theme: Theme, fate: Fate, row: Rect, x: u16, buffer: &mut Buffer) -> u16 {
    let (sign, note) = match fate {
        Fate::Row(_) => (" ", String::new()),
        Fate::Message => ("»", String::new()),
        Fate::Sent => ("←", "sent".into()),
        Fate::Half => ("…", "half a line, not used".into()),
        Fate::Refused(why) => ("▲", format!("refused: {}", why.text())),
    };
    let strong = matches!(fate, Fate::Refused(_));
    let x = put(buffer, row, x, 0, sign, theme.style(if strong { Ink::Bright } else { Ink::Dim })) + 1;
    if note.is_empty() {
        return x;
    }
    let ink = match fate {
        Fate::Refused(_) => Ink::Alert,
        Fate::Sent => Ink::Chosen,
        _ => Ink::Dim,
    };
    put(buffer, row, x, 0, &format!(" {note} "), theme.style(ink)) + 1
}

/// A line's text, with the fields of a row in their channels' inks.
pub(super) fn draw_text(app: &App, theme: Theme, line: TailLine<'_>, row: Rect, mut x: u16, buffer: &mut Buffer) {
    let cut = if line.cut > 0 { format!(" … {} more bytes", line.cut) } else { String::new() };
    let spans = match (line.fate, app.chain().shape()) {
        (Fate::Row(first), Some(shape)) => shape.spans(line.bytes, usize::from(first)),
        _ => Vec::new(),
    };
    let plain = theme.style(if matches!(line.fate, Fate::Message | Fate::Sent) { Ink::Text } else { Ink::Dim });
    let mut at = 0;
    for (range, column) in spans {
        // A line that was read by another shape may have its fields in any order.
        let start = range.start.clamp(at, line.bytes.len());
        x = put(buffer, row, x, 0, &visible(&line.bytes[at..start]), plain);
        let drawn = id_of_column(app, column).filter(|index| app.channel_at(*index).kind() != Kind::Clock);
        let style = drawn.map_or(plain, |index| theme.style(Ink::Trace(app.ink(index))));
        at = range.end.clamp(start, line.bytes.len());
        x = put(buffer, row, x, 0, &visible(&line.bytes[start..at]), style);
    }
    x = put(buffer, row, x, 0, &visible(&line.bytes[at..]), plain);
    put(buffer, row, x, 0, &cut, theme.style(Ink::Dim));
}
