//! A panel's rows, drawn.

use super::{Row, RowKind};
use crate::screen::text::{cut, frame, put, put_right, wrapped};
use crate::theme::{Ink, Theme};
use ratatui::buffer::Buffer;
use ratatui::layout::{Position, Rect};
use unicode_width::UnicodeWidthStr;

/// Rows below the others in a panel of this height: a blank one, and what the selected one means.
fn help_rows(height: u16) -> u16 {
    if height < 12 { 3 } else { 4 }
}

/// The row at a place of the screen, by its index among all.
pub(super) fn row_at(rows: &[Row], selected: usize, scroll: u16, area: Rect, (x, y): (u16, u16)) -> Option<usize> {
    let inner = Rect {
        x: area.x + 1,
        y: area.y + 1,
        width: area.width.saturating_sub(2),
        height: area.height.saturating_sub(2),
    };
    let shown = inner.height.saturating_sub(help_rows(inner.height));
    let (_, skip) = first(rows, selected, scroll, shown);
    let within = Rect { height: shown, ..inner }.contains(Position { x, y });
    let index = usize::from(y.saturating_sub(inner.y)) + usize::from(skip);
    (within && index < rows.len()).then_some(index)
}

/// The index of the selected row, and how many rows are scrolled away above.
fn first(rows: &[Row], selected: usize, scroll: u16, shown: u16) -> (usize, u16) {
    let line = rows.iter().enumerate().filter(|(_, row)| row.can_be_selected()).nth(selected);
    let line = line.map_or(0, |(index, _)| index);
    let needed = (line as u16 + 2).saturating_sub(shown);
    let most = (rows.len() as u16).saturating_sub(shown).max(needed);
    (line, (needed + scroll).min(most))
}

pub(super) fn draw(
    title: &str,
    rows: &[Row],
    selected: usize,
    scroll: u16,
    theme: Theme,
    area: Rect,
    buffer: &mut Buffer,
) {
    let inner = frame(buffer, area, title, theme);
    let shown = inner.height.saturating_sub(help_rows(inner.height));
    let (line, skip) = first(rows, selected, scroll, shown);
    for ((index, row), y) in rows.iter().enumerate().skip(usize::from(skip)).zip(0..shown) {
        let place = Rect { y: inner.y + y, height: 1, ..inner };
        let is_selected = index == line && row.can_be_selected();
        let (name, value) = match (is_selected, row.can_be_selected()) {
            (true, _) => (Ink::Chosen, Ink::Chosen),
            (false, true) => (Ink::Text, Ink::Bright),
            (false, false) => (Ink::Dim, Ink::Text),
        };
        if is_selected {
            buffer.set_style(place, theme.style(Ink::Chosen));
        }
        let value_text = match (is_selected, row.value.is_empty()) {
            (true, false) => format!("◂ {} ▸", row.value),
            _ => row.value.clone(),
        };
        if row.name.is_empty() {
            put(buffer, place, 0, 0, &value_text, theme.style(value));
            continue;
        }
        let end = put(buffer, place, 0, 0, &cut(row.name.clone(), place.width), theme.style(name)) + 1;
        let rest = Rect { x: place.x + end.min(place.width), width: place.width.saturating_sub(end), ..place };
        put_right(buffer, rest, 0, &cut(value_text, rest.width), theme.style(value));
    }
    let left = (rows.len() as u16).saturating_sub(skip + shown);
    if left > 0 || skip > 0 {
        let text = if left > 0 { format!(" PgDn {left} more ") } else { " PgUp back ".into() };
        put(buffer, Rect { y: area.bottom() - 1, height: 1, ..area }, 2, 0, &text, theme.style(Ink::Bright));
    }
    // What is too long for its row is told whole.
    let is_cut = |row: &Row| row.name.width() + row.value.width() + 5 > usize::from(inner.width);
    let help = rows.get(line).map_or(String::new(), |row| match &row.kind {
        RowKind::Setting(_) if is_cut(row) && !row.value.is_empty() => format!("{}: {}", row.value, row.help),
        _ => row.help.clone(),
    });
    let below = (rows.len() as u16).saturating_sub(skip) + 1;
    let last = inner.height.saturating_sub(help_rows(inner.height) - 1);
    let foot = Rect { y: inner.y + below.min(last), height: help_rows(inner.height) - 1, ..inner };
    let lines = wrapped(&help, usize::from(inner.width));
    for (text, y) in lines.iter().zip(0..foot.height) {
        let goes_on = y + 1 == foot.height && lines.len() > usize::from(foot.height);
        let text = if goes_on { cut(format!("{text} …"), inner.width) } else { text.clone() };
        put(buffer, foot, 0, y, &text, theme.style(Ink::Bright));
    }
}
