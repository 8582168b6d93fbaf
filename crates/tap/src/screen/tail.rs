//! The wire tail: the last lines as they came, accepted fields in their channels' inks, rejected lines with the reason.

use super::text::{cut, put, put_right};
use crate::session::{ChannelId, Session};
use crate::theme::{Ink, Theme};
use amber_core::bench::Kind;
use amber_core::split::{LineOutcome, Rejection, Shape};
use amber_core::tail::{TailLine, hexadecimal, visible};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// What is wrong with the source, behind the heading of its lines, which ends before column `x`.
pub(crate) fn draw_trouble(trouble: &str, theme: Theme, x: u16, area: Rect, buffer: &mut Buffer) {
    let text = cut(format!(" ▲ {trouble} "), area.width.saturating_sub(x));
    put(buffer, area, x, 0, &text, theme.style(Ink::Alert));
}

pub(super) fn draw(session: &Session, has_names: bool, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let rule = "─".repeat(usize::from(area.width));
    put(buffer, area, 0, 0, &rule, theme.style(Ink::Faint));
    let x = put(buffer, area, 1, 0, " wire lines ", theme.style(Ink::Dim));
    let is_at_cursor = session.snapshot.view.is_at_cursor();
    let up_to = match () {
        () if is_at_cursor && session.snapshot.ends_at_cursor => " up to the line of the cursor",
        () if is_at_cursor => " that had arrived with the cursor's row",
        () if session.is_take() => " up to the right edge of the chart",
        () => "",
    };
    let of = match session.sources() {
        1 => String::new(),
        _ => format!(" of {} (1 \\ the next)", session.source_names().swap_remove(session.place())),
    };
    if !(of.is_empty() && up_to.is_empty()) {
        put_right(buffer, area, 0, &format!("{of}{up_to} "), theme.style(Ink::Dim));
    }
    if let Some(trouble) = session.trouble() {
        draw_trouble(&trouble, theme, x + 1, area, buffer);
    } else if session.is_held() && !session.is_take() && session.sources() == 1 && !is_at_cursor {
        put_right(buffer, area, 0, " held ", theme.style(Ink::Dim));
    }
    let names = has_names && area.height > 3;
    let rows = usize::from(area.height.saturating_sub(1 + u16::from(names)));
    let skip = session.snapshot.lines.len().saturating_sub(rows);
    let shown = &session.snapshot.lines[skip..];
    let named = shown.iter().rposition(|line| names && matches!(line.outcome, LineOutcome::Row(_)));
    let mut y = 1;
    for (i, line) in shown.iter().enumerate() {
        let row = Rect { y: area.y + y, height: 1, ..area };
        let time = session.wall(line.at, "%H:%M:%S%.3f");
        let x = put(buffer, row, 1, 0, &time, theme.style(Ink::Dim)) + 1;
        let x = sign(session, theme, line.outcome, row, x, buffer);
        draw_text(session, theme, line.borrowed(), row, x, buffer);
        y += 1;
        if named == Some(i) {
            field_names(session, theme, line.borrowed(), Rect { y: row.y + 1, ..row }, x, buffer);
            y += 1;
        }
    }
}

/// Each field's name where the field stands in the line above, cut where the next one begins.
fn field_names(session: &Session, theme: Theme, line: TailLine<'_>, row: Rect, x: u16, buffer: &mut Buffer) {
    put(buffer, row, 1, 0, "its fields", theme.style(Ink::Dim));
    let mut at = x;
    let mut places = Vec::new();
    for (text, column) in pieces(session, line) {
        places.extend(column.map(|column| (at, column)));
        at += text.chars().count() as u16;
    }
    for (i, (from, column)) in places.iter().enumerate() {
        let Some(index) = id_of_column(session, *column) else { continue };
        let to = places.get(i + 1).map_or(row.width, |(next, _)| *next);
        let name = format!("└{} {}", session.letter_or_blank(index), session.channel_at(index).title());
        let name: String = name.chars().take(usize::from(to.saturating_sub(*from))).collect();
        let drawn = session.channel_at(index).kind() != Kind::Clock;
        let ink = if drawn { Ink::Trace(session.ink(index)) } else { Ink::Dim };
        put(buffer, row, *from, 0, &name, theme.style(ink));
    }
}

/// A line's text in pieces, those that are a field with its column. Frames are written in hexadecimal, the bytes of a field
/// together.
fn pieces(session: &Session, line: TailLine<'_>) -> Vec<(String, Option<usize>)> {
    let shape = session.chain().shape();
    let is_text = match line.outcome {
        LineOutcome::Sent => line.bytes.iter().all(|byte| matches!(byte, b' '..=b'~' | b'\t' | b'\r' | b'\n')),
        outcome => outcome == LineOutcome::Rejected(Rejection::CutAsLine),
    };
    let in_hexadecimal = !is_text && shape.is_some_and(Shape::is_binary);
    let spaced = |text: String| if text.is_empty() { text } else { text + " " };
    let around = |bytes: &[u8]| if in_hexadecimal { spaced(hexadecimal(bytes, " ")) } else { visible(bytes) };
    let field = |bytes: &[u8]| if in_hexadecimal { spaced(hexadecimal(bytes, "")) } else { visible(bytes) };
    let spans = match (line.outcome, shape) {
        (LineOutcome::Row(first), Some(shape)) => shape.spans(line.bytes, usize::from(first)),
        _ => Vec::new(),
    };
    let mut all = Vec::new();
    let mut at = 0;
    for (range, column) in spans {
        // A line that was read by another shape may have its fields in any order.
        let start = range.start.clamp(at, line.bytes.len());
        all.push((around(&line.bytes[at..start]), None));
        at = range.end.clamp(start, line.bytes.len());
        all.push((field(&line.bytes[start..at]), Some(column)));
    }
    all.push((around(&line.bytes[at..]), None));
    all
}

/// The number among all channels of the one that column `column` of the source selected feeds.
fn id_of_column(session: &Session, column: usize) -> Option<ChannelId> {
    Some(session.own(session.chain().channel_of_column(column)?))
}

/// What became of a line: a sign, and the reason where it was not used. Gives the column behind it.
pub(crate) fn sign(
    session: &Session,
    theme: Theme,
    outcome: LineOutcome,
    row: Rect,
    x: u16,
    buffer: &mut Buffer,
) -> u16 {
    let (sign, note) = match outcome {
        LineOutcome::Row(_) => (" ", String::new()),
        LineOutcome::Message => ("»", String::new()),
        // Whether a server passes it on to a board, nobody says here.
        LineOutcome::Sent if session.chain().settings().wire.is_network() => ("←", "handed to the server".into()),
        LineOutcome::Sent => ("←", "sent".into()),
        LineOutcome::Half => ("…", "half a line, not used".into()),
        LineOutcome::Rejected(why) => ("▲", format!("rejected: {}", why.text())),
    };
    let strong = matches!(outcome, LineOutcome::Rejected(_));
    let x = put(buffer, row, x, 0, sign, theme.style(if strong { Ink::Bright } else { Ink::Dim })) + 1;
    if note.is_empty() {
        return x;
    }
    let ink = match outcome {
        LineOutcome::Rejected(_) => Ink::Alert,
        LineOutcome::Sent => Ink::Chosen,
        _ => Ink::Dim,
    };
    put(buffer, row, x, 0, &format!(" {note} "), theme.style(ink)) + 1
}

/// A line's text, with the fields of a row in their channels' inks.
pub(crate) fn draw_text(
    session: &Session,
    theme: Theme,
    line: TailLine<'_>,
    row: Rect,
    mut x: u16,
    buffer: &mut Buffer,
) {
    let cut = if line.cut > 0 { format!(" … {} more bytes", line.cut) } else { String::new() };
    let start = x;
    let plain = theme.style(if matches!(line.outcome, LineOutcome::Message | LineOutcome::Sent) {
        Ink::Text
    } else {
        Ink::Dim
    });
    let mut length = cut.chars().count();
    for (text, column) in pieces(session, line) {
        let drawn = column
            .and_then(|column| id_of_column(session, column))
            .filter(|index| session.channel_at(*index).kind() != Kind::Clock);
        let style = drawn.map_or(plain, |index| theme.style(Ink::Trace(session.ink(index))));
        x = put(buffer, row, x, 0, &text, style);
        length += text.chars().count();
    }
    let end = put(buffer, row, x, 0, &cut, theme.style(Ink::Dim));
    if usize::from(start) + length > usize::from(row.width) && end >= row.width && row.width > 0 {
        put(buffer, row, row.width.saturating_sub(1), 0, "…", theme.style(Ink::Bright));
    }
}
