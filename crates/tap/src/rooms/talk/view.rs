//! The line for talking to the board, with what can be sent again.

use super::Talk;
use crate::rooms::prompt::draw_input;
use crate::screen::text::{frame, put, put_right, wrapped};
use crate::session::Session;
use crate::theme::{Ink, Theme};
use amber_core::digits::duration;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// Lines of the list.
const LIST: u16 = 7;

pub(super) fn draw(talk: &Talk, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let width = area.width.min(100);
    let height = (LIST + 4).min(area.height);
    // Low on the screen, over the wire lines' beginning no more than needed: answers are to be seen.
    let y = area.y + area.height.saturating_sub(height + 10).min(area.height - height);
    let place = Rect { x: area.x + (area.width - width) / 2, y, width, height };
    let inner = frame(buffer, place, "talk to the board", theme);
    draw_input(&talk.input, theme, inner, 0, buffer);
    put_right(buffer, inner, 0, talk.ending.name(), theme.style(Ink::Bright));
    let commands = talk.commands(session);
    if commands.is_empty() {
        let text = "lines that you send are listed here, to send again; \\n \\r \\t \\xHH are bytes";
        for (line, y) in wrapped(text, usize::from(inner.width).saturating_sub(4)).iter().zip(2..) {
            put(buffer, inner, 2, y, line, theme.style(Ink::Dim));
        }
    }
    let chosen = talk.selected.unwrap_or(0);
    let rows = inner.height.saturating_sub(2);
    let skip = (chosen + 1).saturating_sub(usize::from(rows));
    for (i, command) in commands.iter().enumerate().skip(skip).take(usize::from(rows)) {
        let row = Rect { y: inner.y + 1 + (i - skip) as u16, height: 1, ..inner };
        let is_chosen = talk.selected == Some(i);
        if is_chosen {
            buffer.set_style(row, theme.style(Ink::Chosen));
        }
        let ink = theme.style(if is_chosen { Ink::Chosen } else { Ink::Text });
        let x = put(buffer, row, 2, 0, &format!("{:<14}", command.name), theme.style(Ink::Bright));
        put(buffer, row, x + 1, 0, &command.text, ink);
        let repeat = talk.repeats.iter().find(|repeat| repeat.command.text == command.text);
        let every = repeat.map(|repeat| format!("every {}, ", duration(repeat.every))).unwrap_or_default();
        put_right(buffer, row, 0, &format!("{every}{} ", command.ending.name()), theme.style(Ink::Dim));
    }
}
