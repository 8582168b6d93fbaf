//! The wire tail: the last lines as they came, accepted fields in their channels' inks, refused lines with the reason.

use super::{put, put_right};
use crate::app::App;
use crate::theme::{Ink, Theme};
use amber_core::bench::Kind;
use amber_core::split::Fate;
use amber_core::tail::{TailLine, visible};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

pub(super) fn draw(app: &App, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let rule = "─".repeat(usize::from(area.width));
    put(buffer, area, 0, 0, &rule, theme.style(Ink::Faint));
    let x =
        put(buffer, area, 1, 0, if app.is_take() { " as it came " } else { " as it comes " }, theme.style(Ink::Dim));
    if app.is_take() {
        put_right(buffer, area, 0, " up to the right edge of the chart ", theme.style(Ink::Dim));
    }
    if let Some(trouble) = app.trouble() {
        put(buffer, area, x + 1, 0, &format!(" ▲ {trouble} "), theme.style(Ink::Alert));
    } else if app.is_held() && !app.is_take() {
        put_right(buffer, area, 0, " held ", theme.style(Ink::Dim));
    }
    let rows = usize::from(area.height.saturating_sub(1));
    let skip = app.shown.tail.len().saturating_sub(rows);
    for (line, y) in app.shown.tail.iter().skip(skip).zip(1..) {
        let row = Rect { y: area.y + y, height: 1, ..area };
        let time = app.wall(line.at, "%H:%M:%S%.3f");
        let x = put(buffer, row, 1, 0, &time, theme.style(Ink::Dim)) + 1;
        let x = sign(theme, line.fate, row, x, buffer);
        draw_text(app, theme, line.borrowed(), row, x, buffer);
    }
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
    let spans = match (line.fate, app.chain.shape()) {
        (Fate::Row(first), Some(shape)) => shape.spans(line.bytes, usize::from(first)),
        _ => Vec::new(),
    };
    let plain = theme.style(if matches!(line.fate, Fate::Message | Fate::Sent) { Ink::Text } else { Ink::Dim });
    let mut at = 0;
    for (range, column) in spans {
        // A line that was read by another shape may have its fields in any order.
        let start = range.start.clamp(at, line.bytes.len());
        x = put(buffer, row, x, 0, &visible(&line.bytes[at..start]), plain);
        let channel = app.chain.channel_of_column(column);
        let drawn = channel.filter(|index| app.chain.channels()[*index].kind() != Kind::Clock);
        let style = drawn.map_or(plain, |index| theme.style(Ink::Trace(app.ink(index))));
        at = range.end.clamp(start, line.bytes.len());
        x = put(buffer, row, x, 0, &visible(&line.bytes[start..at]), style);
    }
    x = put(buffer, row, x, 0, &visible(&line.bytes[at..]), plain);
    put(buffer, row, x, 0, &cut, theme.style(Ink::Dim));
}
