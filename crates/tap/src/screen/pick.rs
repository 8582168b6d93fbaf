//! A list over the screen.

use super::{centred, frame, put};
use crate::app::Pick;
use crate::theme::{Ink, Theme};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

pub(super) fn draw(pick: &Pick, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let names = pick.items.iter().map(|(name, _)| name.chars().count()).max().unwrap_or(0);
    let texts = pick.items.iter().map(|(_, what)| what.chars().count()).max().unwrap_or(0);
    let width = (names + texts + 8).max(pick.title.chars().count() + 8) as u16;
    let height = (pick.items.len() as u16 + 3).min(area.height);
    let inner = frame(buffer, centred(area, width, height), &pick.title, theme);
    let rows = usize::from(inner.height.saturating_sub(1));
    let skip = (pick.chosen + 1).saturating_sub(rows);
    for ((i, (name, what)), y) in pick.items.iter().enumerate().skip(skip).take(rows).zip(0..) {
        let row = Rect { y: inner.y + y, height: 1, ..inner };
        let chosen = i == pick.chosen;
        if chosen {
            buffer.set_style(row, theme.style(Ink::Chosen));
        }
        put(buffer, row, 1, 0, name, theme.style(if chosen { Ink::Chosen } else { Ink::Bright }));
        put(buffer, row, names as u16 + 3, 0, what, theme.style(if chosen { Ink::Chosen } else { Ink::Text }));
    }
    let foot = Rect { y: inner.bottom() - 1, height: 1, ..inner };
    put(buffer, foot, 1, 0, "↑↓ choose   Enter take it   Esc leave it", theme.style(Ink::Dim));
}
