//! The last row: a message while there is one, else what the keys do here.

use super::text::{cut, put};
use crate::app::App;
use crate::rooms::RoomId;
use crate::theme::{Ink, Theme};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use unicode_width::UnicodeWidthStr;

pub(super) fn draw(app: &App, theme: Theme, area: Rect, buffer: &mut Buffer) {
    if let Some(notice) = &app.session.notice {
        let (sign, ink) = if notice.bad { (" ▲ ", Ink::Alert) } else { (" ✓ ", Ink::Chosen) };
        let x = put(buffer, area, 0, 0, sign, theme.style(ink));
        let text = cut(amber_core::tail::visible(notice.text.as_bytes()), area.width.saturating_sub(x + 1));
        put(buffer, area, x + 1, 0, &text, theme.style(Ink::Bright));
        return;
    }
    let keys = app.keys();
    let is_way_out = |id: RoomId, label: &str| id == RoomId::Home && matches!(label, "?" | "q" | "/");
    let texts: Vec<(bool, &str)> =
        keys.iter().filter_map(|(id, _, key)| Some((is_way_out(*id, key.label), key.footer?))).collect();
    // What does not fit is left out, but never the way to the help and the way out.
    let width = |text: &str| text.width() as u16 + 3;
    let mut room = area.width.saturating_sub(texts.iter().filter(|(always, _)| *always).map(|(_, t)| width(t)).sum());
    let mut x = 1;
    for (always, text) in texts {
        if !always {
            if width(text) > room {
                room = 0;
                continue;
            }
            room -= width(text);
        }
        x = draw_key(buffer, area, x, text, theme);
    }
}

/// Draws a key and its word, with a blank between them, at column `x`; gives the column for the next one.
pub(crate) fn draw_key(buffer: &mut Buffer, area: Rect, x: u16, text: &str, theme: Theme) -> u16 {
    let (key, word) = text.split_once(' ').unwrap_or((text, ""));
    let x = put(buffer, area, x, 0, key, theme.style(Ink::Bright)) + 1;
    put(buffer, area, x, 0, word, theme.style(Ink::Dim)) + 3
}
