//! A stage's panel: its settings and facts, a line each.

use super::{frame, put, put_right};
use crate::app::App;
use crate::theme::{Ink, Theme};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

pub(super) fn draw(app: &App, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let Some((stage, chosen)) = app.panel else { return };
    let inner = frame(buffer, area, &format!("{} {}", stage.number(), stage.name()), theme);
    let fields = app.fields(stage);
    let chosen_id = app.settings(stage).get(chosen).copied();
    let chosen_line = fields.iter().position(|field| field.id.is_some() && field.id == chosen_id).unwrap_or(0);
    let hint_rows = 4;
    let rows = inner.height.saturating_sub(hint_rows);
    let needed = (chosen_line as u16 + 2).saturating_sub(rows);
    let most = (fields.len() as u16).saturating_sub(rows).max(needed);
    let skip = (needed + app.panel_scroll).min(most);
    for (field, y) in fields.iter().skip(usize::from(skip)).zip(0..rows) {
        let row = Rect { y: inner.y + y, height: 1, ..inner };
        let is_chosen = field.id.is_some() && field.id == chosen_id;
        let (name, value) = match (is_chosen, field.id.is_some()) {
            (true, _) => (Ink::Chosen, Ink::Chosen),
            (false, true) => (Ink::Text, Ink::Bright),
            (false, false) => (Ink::Dim, Ink::Text),
        };
        if is_chosen {
            buffer.set_style(row, theme.style(Ink::Chosen));
        }
        let end = put(buffer, row, 0, 0, &field.name, theme.style(name)) + 1;
        let shown = if is_chosen { format!("◂ {} ▸", field.value) } else { field.value.clone() };
        let rest = Rect { x: row.x + end.min(row.width), width: row.width.saturating_sub(end), ..row };
        if field.name.is_empty() {
            put(buffer, row, 0, 0, &shown, theme.style(value));
        } else {
            put_right(buffer, rest, 0, &shown, theme.style(value));
        }
    }
    let left = (fields.len() as u16).saturating_sub(skip + rows);
    if left > 0 || skip > 0 {
        let text = if left > 0 { format!(" PgDn {left} more ") } else { " PgUp back ".into() };
        put(buffer, Rect { y: area.bottom() - 1, height: 1, ..area }, 2, 0, &text, theme.style(Ink::Bright));
    }
    let hint = fields.get(chosen_line).map_or("", |field| field.hint);
    let below = (fields.len() as u16).saturating_sub(skip) + 1;
    let last = inner.height.saturating_sub(hint_rows - 1);
    let foot = Rect { y: inner.y + below.min(last), height: hint_rows - 1, ..inner };
    for (line, y) in wrapped(hint, usize::from(inner.width)).iter().zip(0..) {
        put(buffer, foot, 0, y, line, theme.style(Ink::Bright));
    }
}

/// `text` in lines no wider than `width`, broken between words.
pub(crate) fn wrapped(text: &str, width: usize) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    for word in text.split_whitespace() {
        match lines.last_mut() {
            Some(line) if line.chars().count() + 1 + word.chars().count() <= width => {
                line.push(' ');
                line.push_str(word);
            }
            _ => lines.push(word.to_owned()),
        }
    }
    lines
}
