//! A list over the screen.

use super::List;
use crate::rooms::prompt::draw_input;
use crate::screen::text::{centred, cut, frame, put, put_right};
use crate::session::Session;
use crate::theme::{Ink, Theme};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use unicode_width::UnicodeWidthStr;

/// Rows of the frame, and within it: the line that filters, a blank row, the keys.
const AROUND: u16 = 5;

/// The widest that a list becomes.
const WIDEST: u16 = 110;

fn names(list: &List) -> usize {
    list.items.iter().map(|item| item.name.width()).max().unwrap_or(0).min(44)
}

/// The place of the list on a screen.
fn place(list: &List, area: Rect) -> Rect {
    let texts = list.items.iter().map(|item| item.about.width() + item.key.width()).max().unwrap_or(0);
    let width = (names(list) + texts + 10).max(list.title.width() + 8).max(52).min(usize::from(WIDEST)) as u16;
    let rows = (list.items.len() as u16).min(24);
    centred(area, width.min(area.width.saturating_sub(2)), (rows + AROUND).min(area.height))
}

/// Where its entries stand.
pub(super) fn rows(list: &List, area: Rect) -> Rect {
    let place = place(list, area);
    let head = if list.by_letter { 1 } else { 2 };
    let foot = 2;
    Rect {
        x: place.x + 2,
        y: place.y + 1 + head,
        width: place.width.saturating_sub(4),
        height: place.height.saturating_sub(2 + head + foot - 1),
    }
}

/// Entries that stand above the first one shown.
pub(super) fn skipped(list: &List, height: u16) -> usize {
    (list.selected + 1).saturating_sub(usize::from(height))
}

pub(crate) fn draw(list: &List, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let inner = frame(buffer, place(list, area), &list.title, theme);
    if !list.by_letter {
        draw_input(&list.input, theme, inner, 0, buffer);
        let count = format!("{} of {}", list.matches.len(), list.items.len());
        put_right(buffer, inner, 0, &count, theme.style(Ink::Dim));
    }
    let rows = rows(list, area);
    let names = names(list) as u16;
    let skip = skipped(list, rows.height);
    for ((at, place), y) in list.matches.iter().enumerate().skip(skip).zip(0..rows.height) {
        let Some(item) = list.items.get(*place) else { continue };
        let row = Rect { y: rows.y + y, height: 1, ..rows };
        let chosen = at == list.selected;
        if chosen {
            buffer.set_style(row, theme.style(Ink::Chosen));
        }
        let ink = |ink| theme.style(if chosen { Ink::Chosen } else { ink });
        let lead = if list.by_letter { put(buffer, row, 1, 0, &item.key, ink(Ink::Bright)) + 2 } else { 1 };
        let key = if list.by_letter { "" } else { &item.key };
        let whole = row.width.saturating_sub(lead + key.width() as u16 + 2);
        let name = if item.about.is_empty() { whole } else { names };
        put(buffer, row, lead, 0, &cut(item.name.clone(), name), ink(Ink::Bright));
        let x = lead + names + 2;
        let room = row.width.saturating_sub(x + key.width() as u16 + 2);
        put(buffer, row, x, 0, &cut(item.meaning(session), room), ink(Ink::Text));
        put_right(buffer, row, 0, &format!("{key} "), ink(Ink::Dim));
    }
    if list.matches.is_empty() {
        put(buffer, rows, 1, 0, list.empty, theme.style(Ink::Text));
    }
    let foot = Rect { y: inner.bottom().saturating_sub(1), height: 1, ..inner };
    let keys = if list.by_letter {
        "a letter or Enter choose   ↑↓ move   Esc cancel"
    } else {
        "type to filter   ↑↓ move   Enter choose   Esc cancel"
    };
    put(buffer, foot, 1, 0, keys, theme.style(Ink::Dim));
}
