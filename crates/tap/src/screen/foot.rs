//! The last row: a message while there is one, else what the keys do here.

use super::put;
use crate::app::App;
use crate::keys::{Action, KEYS, resolve};

use crate::theme::{Ink, Theme};
use crossterm::event::KeyEvent;
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
    let places = app.places();
    let mut texts = Vec::new();
    for place in places {
        for binding in KEYS.iter().filter(|binding| binding.place == *place) {
            // A key that a nearer place takes does something else here.
            let works = |key: &(_, _)| resolve(places, KeyEvent::new(key.0, key.1)) == Some(binding.action);
            if let Some(text) = binding.footer.filter(|_| binding.keys.iter().any(works)) {
                texts.push((matches!(binding.action, Action::Help | Action::Quit), text));
            }
        }
    }
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
