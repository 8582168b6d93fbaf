//! A line being typed, over the screen.

use super::Prompt;
use crate::screen::text::{centred, cut, frame, put, wrapped};
use crate::theme::{Ink, Theme};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Modifier;
use tui_input::Input;

/// The columns of a prompt, where there are so many.
const WIDTH: u16 = 72;

/// What the keys do, while the text is the one that was offered, and when it has been touched.
const OFFERED: &str = "Enter accept   Esc cancel   type to replace it, ← or End to edit it";
const TYPED: &str = "Enter accept   Esc cancel   Ctrl-U clear   Ctrl-W delete a word";

pub(crate) fn draw(prompt: &Prompt, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let width = usize::from(area.width.min(WIDTH).saturating_sub(4));
    let hint = wrapped(&prompt.hint, width);
    let wrong = prompt.wrong.iter().flat_map(|wrong| wrapped(&format!("▲ {wrong}"), width));
    let wrong: Vec<String> = wrong.collect();
    let (y, height) = (hint.len() as u16, (hint.len() + wrong.len()) as u16);
    let inner = frame(buffer, centred(area, WIDTH, 4 + height), &prompt.title, theme);
    for (y, line) in (0..).zip(&hint) {
        put(buffer, inner, 0, y, line, theme.style(Ink::Dim));
    }
    draw_input(&prompt.input, theme, inner, y, buffer);
    if prompt.is_offered {
        // All of it is selected: the next key replaces it.
        let length = prompt.input.value().chars().count().min(usize::from(inner.width.saturating_sub(3))) as u16;
        let text = Rect { x: inner.x + 2, y: inner.y + y, width: length, height: 1 }.intersection(buffer.area);
        buffer.set_style(text, theme.style(Ink::Chosen));
    }
    for (line, y) in wrong.iter().zip(y + 1..) {
        put(buffer, inner, 0, y, line, theme.style(Ink::Alert));
    }
    let keys = if prompt.is_offered { OFFERED } else { TYPED };
    let keys = if prompt.page.is_some() { format!("F1 functions   {keys}") } else { keys.into() };
    put(buffer, inner, 0, height + 1, &cut(keys, inner.width), theme.style(Ink::Dim));
}

/// The line that is typed, with its cursor, in row `y` of `area`.
pub(crate) fn draw_input(input: &Input, theme: Theme, area: Rect, y: u16, buffer: &mut Buffer) {
    let room = area.width.saturating_sub(3);
    let scroll = input.visual_scroll(usize::from(room));
    let line = Rect { x: area.x + 2, y: area.y + y, width: area.width.saturating_sub(2), height: 1 };
    put(buffer, area, 0, y, "▸", theme.style(Ink::Bright));
    let text: String = input.value().chars().skip(scroll).collect();
    put(buffer, line, 0, 0, &text, theme.style(Ink::Bright));
    let cursor = (input.visual_cursor().max(scroll) - scroll) as u16;
    if let Some(cell) = buffer.cell_mut((line.x + cursor.min(room), line.y)) {
        cell.modifier.insert(Modifier::REVERSED);
    }
}
