//! What the cursors measure, as a table.

use crate::screen::text::{cut, fitting, frame, put, put_right};
use crate::session::Session;
use crate::theme::{Ink, Theme};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// Draws the tool.
pub(super) fn draw(rows: &[[String; 4]], session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let inner = frame(buffer, area, "cursors", theme);
    let Some(cursors) = session.cursors else { return };
    // A name, and three columns that share the rest.
    let name = (inner.width / 4).min(14);
    let each = (inner.width - name) / 3;
    let column = |at: u16| Rect { x: inner.x + name + at * each, width: each, ..inner };
    for (row, y) in rows.iter().zip(0..inner.height) {
        let is_head = y == 0;
        let is_pair = !is_head && row[2].is_empty() && row[3].is_empty();
        let ink = if is_head { Ink::Dim } else { Ink::Text };
        let room = if is_pair { inner.width - each } else { name.saturating_sub(1) };
        put(buffer, inner, 0, y, &cut(row[0].clone(), room), theme.style(Ink::Dim));
        if is_pair {
            put_right(buffer, inner, y, &row[1], theme.style(Ink::Text));
            continue;
        }
        for (at, text) in (0..).zip(&row[1..]) {
            let is_active = usize::from(at) == cursors.active;
            let style = match () {
                () if is_head && is_active => theme.style(Ink::Chosen),
                () if is_active || at == 2 => theme.style(if is_head { ink } else { Ink::Bright }),
                () => theme.style(ink),
            };
            let wide = if at == 2 { Rect { width: inner.right() - column(2).x, ..column(2) } } else { column(at) };
            let room = wide.width.saturating_sub(1);
            let text = match row[0].as_str() {
                // The hour, and then the minute, are in the wire lines.
                "time" if at < 2 => fitting(room, [0, 3, 6].map(|skipped| text.chars().skip(skipped).collect())),
                "" => fitting(
                    room,
                    [text.as_str(), ["1", "2", "2 − 1"].get(at as usize).copied().unwrap_or_default()]
                        .map(str::to_owned),
                ),
                _ => text.clone(),
            };
            put_right(buffer, wide, y, &cut(text, room), style);
        }
    }
}
