//! A line being typed, and the question before quitting.

use super::{centred, frame, put, wrapped};
use crate::app::{App, Prompt};
use crate::keys::{Action, KEYS, Place};
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

pub(super) fn draw(prompt: &Prompt, theme: Theme, area: Rect, buffer: &mut Buffer) {
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
    put(buffer, inner, 0, height + 1, keys, theme.style(Ink::Dim));
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

pub(super) fn draw_question(app: &App, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let runs = app.taking.runs();
    let reasons = [(runs, "a take is running"), (app.unsaved(), "settings are not saved to a bench file")];
    let reasons: Vec<_> = reasons.into_iter().filter(|(holds, _)| *holds).map(|(_, text)| text).collect();
    let choices: Vec<_> = KEYS
        .iter()
        .filter(|b| b.place == Place::Question)
        .filter(|b| match b.action {
            Action::StopAndQuit => runs,
            Action::SaveAndQuit => app.unsaved(),
            _ => true,
        })
        .collect();
    let height = (reasons.len() + choices.len() + 3) as u16;
    let inner = frame(buffer, centred(area, 84, height), "quit?", theme);
    let mut y = 0;
    for reason in reasons {
        put(buffer, inner, 0, y, reason, theme.style(Ink::Bright));
        y += 1;
    }
    for choice in choices {
        put(buffer, inner, 0, y + 1, choice.label, theme.style(Ink::Bright));
        put(buffer, inner, 6, y + 1, choice.help, theme.style(Ink::Text));
        y += 1;
    }
}
