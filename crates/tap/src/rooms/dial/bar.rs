//! The dial as a numbered bar: for levels such as how flat something lies, and where there is no room for an arc.

use super::Face;
use crate::screen::text::put;
use crate::theme::{Ink, Theme};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;

pub(super) fn draw(face: &Face, ink: Style, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let bar = Rect { x: area.x + 4, width: area.width.saturating_sub(8), ..area };
    if bar.width < 10 || area.height < 3 {
        return;
    }
    let column = |share: f64| (share * f64::from(bar.width.saturating_sub(1))).round() as u16;
    // The pointer, the bar, its numbers; in the middle of what there is.
    let thick = (area.height.saturating_sub(4) / 2).clamp(1, 9);
    let top = (area.height - (thick + 2)) / 2;
    let beyond = face.threshold.map(|(at, _)| column(at));
    for y in 0..thick {
        for x in 0..bar.width {
            let within = face.min_max.is_some_and(|(min, max)| (column(min)..=column(max)).contains(&x));
            let over = beyond.is_some_and(|at| x >= at);
            let (symbol, style) = match (within, over) {
                (true, _) => ("▓", Ink::Text),
                (false, true) => ("▒", Ink::Dim),
                (false, false) => ("░", Ink::Faint),
            };
            put(buffer, bar, x, top + 1 + y, symbol, theme.style(style));
        }
        if let Some(at) = beyond {
            put(buffer, bar, at, top + 1 + y, "┃", theme.style(Ink::Bright));
        }
        if let Some(value) = face.value {
            let at = column(value);
            put(buffer, bar, at.saturating_sub(1), top + 1 + y, "██", ink);
        }
    }
    if let Some(value) = face.value {
        put(buffer, bar, column(value).saturating_sub(1), top, "▼▼", ink);
    }
    for (share, label) in &face.ticks {
        let at = column(*share);
        let half = label.chars().count() as u16 / 2;
        put(buffer, bar, at, top + 1 + thick, "┴", theme.style(Ink::Dim));
        let left = (bar.x - area.x + at).saturating_sub(half);
        put(buffer, area, left, top + 2 + thick, label, theme.style(Ink::Text));
    }
}
