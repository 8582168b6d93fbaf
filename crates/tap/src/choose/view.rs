//! The list of what can be watched, drawn.

use super::Chooser;
use super::KEYS;
use crate::rooms::prompt::draw_input;
use crate::screen::draw_key;
use crate::screen::text::{put, put_right};
use crate::theme::{Ink, Theme};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// Columns of the names.
const NAMES: u16 = 22;

/// Draws the whole screen.
pub(crate) fn draw(chooser: &Chooser, theme: Theme, buffer: &mut Buffer) {
    let area = buffer.area;
    buffer.set_style(area, theme.ground());
    let x = put(buffer, area, 0, 0, " AMBER TAP ", theme.style(Ink::Alert)) + 1;
    put(buffer, area, x, 0, "what do you want to watch?", theme.style(Ink::Bright));
    if area.width >= 100 {
        put_right(buffer, area, 0, "boards that you plug in appear here ", theme.style(Ink::Dim));
    }
    let width = area.width.saturating_sub(8).min(120);
    let body =
        Rect { x: area.x + (area.width - width) / 2, y: area.y + 2, width, height: area.height.saturating_sub(5) };
    let lines = lines(chooser);
    let chosen = lines.iter().position(|line| matches!(line, Line::Item(index, _) if *index == chooser.selected));
    let rows = usize::from(body.height);
    // A list longer than the screen is moved so that the choice is in its middle.
    let most = lines.len().saturating_sub(rows);
    let skip = chosen.unwrap_or(0).saturating_sub(rows / 2).min(most);
    for (line, y) in lines.iter().skip(skip).zip(0..body.height) {
        let row = Rect { y: body.y + y, height: 1, ..body };
        match line {
            Line::Heading(text) => {
                let rule = "─".repeat(usize::from(row.width));
                put(buffer, row, 0, 0, &rule, theme.style(Ink::Faint));
                put(buffer, row, 0, 0, &format!("{text} "), theme.style(Ink::Bright));
            }
            Line::Empty(text) => {
                put(buffer, row, 2, 0, text, theme.style(Ink::Dim));
            }
            Line::Item(index, item) => {
                let is_chosen = *index == chooser.selected;
                if is_chosen {
                    buffer.set_style(row, theme.style(Ink::Chosen));
                }
                let (name, about) = if is_chosen { (Ink::Chosen, Ink::Chosen) } else { (Ink::Text, Ink::Dim) };
                put(buffer, row, 0, 0, if is_chosen { "▸" } else { " " }, theme.style(name));
                let end = put(buffer, row, 2, 0, &item.name, theme.style(name)) + 2;
                let x = put(buffer, row, end.max(NAMES), 0, &item.about, theme.style(about)) + 1;
                if item.is_new {
                    put(buffer, row, x, 0, " new ", theme.style(Ink::Alert));
                }
            }
            Line::Blank => {}
        }
    }
    let low = Rect { y: area.bottom().saturating_sub(3), height: 1, ..body };
    if let Some(input) = &chooser.typing {
        put(buffer, low, 0, 0, "a port, an address, a text file, a take's folder or a bench:", theme.style(Ink::Dim));
        draw_input(input, theme, Rect { y: low.y + 1, ..low }, 0, buffer);
    } else if let Some(trouble) = &chooser.trouble {
        put(buffer, low, 0, 0, &format!(" ▲ {trouble} "), theme.style(Ink::Alert));
    }
    let foot = Rect { y: area.bottom() - 1, height: 1, ..area };
    let mut x = 1;
    let keys: Vec<&str> = match chooser.typing {
        Some(_) => vec!["Enter accept", "Esc cancel"],
        None => KEYS.iter().filter_map(|binding| binding.key.footer).collect(),
    };
    for text in keys {
        x = draw_key(buffer, foot, x, text, theme);
    }
}

enum Line {
    Heading(&'static str),
    Empty(&'static str),
    Item(usize, super::Item),
    Blank,
}

fn lines(chooser: &Chooser) -> Vec<Line> {
    let mut lines = Vec::new();
    let mut index = 0;
    for section in chooser.sections() {
        lines.push(Line::Heading(section.heading));
        if section.items.is_empty() {
            lines.push(Line::Empty(section.empty));
        }
        for item in section.items {
            lines.push(Line::Item(index, item));
            index += 1;
        }
        lines.push(Line::Blank);
    }
    lines
}
