//! The last row: a message while there is one, else what the keys do here.

use super::put;
use crate::app::App;
use crate::keys::KEYS;
use crate::theme::{Ink, Theme};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use unicode_width::UnicodeWidthStr;

pub(super) fn draw(app: &App, theme: Theme, area: Rect, buffer: &mut Buffer) {
    if let Some(notice) = &app.notice {
        let (sign, ink) = if notice.bad { (" ▲ ", Ink::Alert) } else { (" ✓ ", Ink::Chosen) };
        let x = put(buffer, area, 0, 0, sign, theme.style(ink));
        put(buffer, area, x + 1, 0, &notice.text, theme.style(Ink::Bright));
        return;
    }
    let mut x = 1;
    for place in app.places() {
        for binding in KEYS.iter().filter(|binding| binding.place == *place) {
            let Some(text) = binding.footer else { continue };
            if x + text.width() as u16 > area.width {
                return;
            }
            let (key, word) = text.split_once(' ').unwrap_or((text, ""));
            x = put(buffer, area, x, 0, key, theme.style(Ink::Bright)) + 1;
            x = put(buffer, area, x, 0, word, theme.style(Ink::Dim)) + 3;
        }
    }
}
