//! The lines of the wire over the whole chart: as text, as bytes, or both.

use super::{LineForm, Lines};
use crate::screen::tail::{draw_text, draw_trouble, sign};
use crate::screen::text::{fitting, put};
use crate::session::Session;
use crate::theme::{Ink, Theme};
use amber_core::digits::counted;
use amber_core::tail::TailLine;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

pub(super) fn draw(lines: &Lines, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let tail = session.chain().tail();
    let numbers = tail.numbers();
    put(buffer, area, 0, 0, &"─".repeat(usize::from(area.width)), theme.style(Ink::Faint));
    let pace = lines.pace.map_or("every line".to_owned(), |pace| format!("{pace} lines a second"));
    let kept = format!("{} kept", counted(numbers.end - numbers.start, "line"));
    let state = match (lines.cursor, lines.until) {
        (Some(_), _) => "held",
        (None, Some(_)) => "up to the right edge of the chart",
        _ => pace.as_str(),
    };
    let filter = if lines.filter.is_open() { String::new() } else { format!(", only '{}'", lines.filter.text()) };
    let form = lines.form.name();
    let heading = fitting(
        area.width.saturating_sub(2),
        [
            format!(" wire: {form}, {state}{filter}; {kept} "),
            format!(" {form}, {state}{filter} "),
            format!(" {state} "),
        ],
    );
    let x = put(buffer, area, 1, 0, &heading, theme.style(Ink::Bright));
    if let Some(trouble) = session.trouble() {
        draw_trouble(&trouble, theme, x + 1, area, buffer);
    }
    let rows = usize::from(area.height.saturating_sub(1));
    let each = if lines.form == LineForm::Both { 2 } else { 1 };
    let shown = lines.visible(tail, rows / each);
    if shown.is_empty() && lines.until.is_some_and(|until| until <= numbers.start) && numbers.end > 0 {
        let text = "the lines of this moment are not kept in memory any more: End shows the newest";
        put(
            buffer,
            area,
            1,
            1,
            &fitting(area.width.saturating_sub(2), [text.to_owned(), "not kept any more".into()]),
            theme.style(Ink::Text),
        );
    }
    let mut before: Option<u64> = None;
    for (line, y) in shown.into_iter().zip((1..area.height).step_by(each)) {
        let row = Rect { y: area.y + y, height: 1, ..area };
        let chosen = lines.cursor == Some(line.number);
        if chosen {
            buffer.set_style(row, theme.style(Ink::Chosen));
        }
        let left_out = before.map_or(0, |before| line.number - before - 1);
        before = Some(line.number);
        let x = lead(session, theme, &line, left_out, row, buffer);
        match lines.form {
            LineForm::Text => draw_text(session, theme, line, row, x, buffer),
            LineForm::Hexadecimal => hexadecimal(theme, line, row, x, buffer),
            LineForm::Both => {
                draw_text(session, theme, line, row, x, buffer);
                hexadecimal(theme, line, Rect { y: row.y + 1, ..row }, x, buffer);
            }
        }
    }
}

/// When the line came, how many were left out before it, and what became of it.
fn lead(session: &Session, theme: Theme, line: &TailLine<'_>, left_out: u64, row: Rect, buffer: &mut Buffer) -> u16 {
    let time = session.wall(line.at, "%H:%M:%S%.3f");
    let x = put(buffer, row, 1, 0, &time, theme.style(Ink::Dim));
    let left_out = if left_out > 0 { format!("+{left_out}") } else { String::new() };
    let x = put(buffer, row, x, 0, &format!("{left_out:>5} "), theme.style(Ink::Faint));
    sign(session, theme, line.outcome, row, x, buffer)
}

/// The bytes in pairs of digits, eight to a group, as many as there is room for.
fn hexadecimal(theme: Theme, line: TailLine<'_>, row: Rect, x: u16, buffer: &mut Buffer) {
    let room = usize::from(row.width.saturating_sub(x + 8));
    let fit = (room / 25 * 8).max(8);
    let mut text = String::new();
    for (i, byte) in line.bytes.iter().take(fit).enumerate() {
        text += if i > 0 && i % 8 == 0 {
            "  "
        } else if i > 0 {
            " "
        } else {
            ""
        };
        text += &format!("{byte:02X}");
    }
    let more = line.bytes.len().saturating_sub(fit) + line.cut;
    let x = put(buffer, row, x, 0, &text, theme.style(Ink::Text));
    if more > 0 {
        put(buffer, row, x, 0, &format!(" +{more}"), theme.style(Ink::Dim));
    }
}
