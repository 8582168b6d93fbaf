//! The wire tail: the last lines as they came, accepted fields in their channels' inks, refused lines with the reason.

use super::{put, put_right};
use crate::app::App;
use crate::theme::{Ink, Theme};
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
        draw_line(app, theme, line, Rect { y: area.y + y, height: 1, ..area }, buffer);
    }
}

fn draw_line(app: &App, theme: Theme, line: &TailLine, area: Rect, buffer: &mut Buffer) {
    let time = app.wall(line.at, "%H:%M:%S%.3f");
    let x = put(buffer, area, 1, 0, &time, theme.style(Ink::Dim)) + 1;
    let (sign, note) = match line.fate {
        Fate::Row(_) => (" ", String::new()),
        Fate::Message => ("»", String::new()),
        Fate::Half => ("…", "half a line, not used".into()),
        Fate::Refused(why) => ("▲", format!("refused: {}", why.text())),
    };
    let strong = matches!(line.fate, Fate::Refused(_));
    let mut x = put(buffer, area, x, 0, sign, theme.style(if strong { Ink::Bright } else { Ink::Dim })) + 1;
    if !note.is_empty() {
        let ink = if strong { Ink::Alert } else { Ink::Dim };
        x = put(buffer, area, x, 0, &format!(" {note} "), theme.style(ink)) + 1;
    }
    let cut = if line.cut > 0 { format!(" … {} more bytes", line.cut) } else { String::new() };
    let spans = match (line.fate, app.chain.shape()) {
        (Fate::Row(first), Some(shape)) => shape.spans(&line.bytes, usize::from(first)),
        _ => Vec::new(),
    };
    let plain = theme.style(if line.fate == Fate::Message { Ink::Text } else { Ink::Dim });
    let mut at = 0;
    for (range, column) in spans {
        x = put(buffer, area, x, 0, &visible(&line.bytes[at..range.start]), plain);
        let channel = app.chain.channel_of_column(column);
        let style = match channel.filter(|index| app.chain.channels()[*index].kind() != amber_core::bench::Kind::Clock)
        {
            Some(index) => theme.style(Ink::Trace(app.ink(index))),
            None => plain,
        };
        at = range.end.min(line.bytes.len());
        x = put(buffer, area, x, 0, &visible(&line.bytes[range.start.min(at)..at]), style);
    }
    x = put(buffer, area, x, 0, &visible(&line.bytes[at..]), plain);
    put(buffer, area, x, 0, &cut, theme.style(Ink::Dim));
}
