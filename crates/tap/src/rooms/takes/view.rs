//! How the list of takes is drawn.

use crate::screen::plot::{limits, spans, trace};
use crate::screen::text::{cut, put, put_right, wrapped};
use crate::session::Session;
use crate::theme::{Ink, Theme};
use amber_core::digits::{bytes, counted, duration};
use amber_core::tail::visible;
use amber_io::take::Glance;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// Rows of a take, and columns of its preview.
const ROWS: u16 = 3;
const PREVIEW: u16 = 36;

/// Draws the takes that were found, the selected one in view.
pub(super) fn draw(
    session: &Session,
    found: &[&Glance],
    selected: usize,
    search: &str,
    (theme, area): (Theme, Rect),
    buffer: &mut Buffer,
) {
    put(buffer, area, 0, 0, &"─".repeat(usize::from(area.width)), theme.style(Ink::Faint));
    let all = session.takes.glances.len();
    let of = if search.is_empty() { counted(all as u64, "take") } else { format!("{} of {all} takes", found.len()) };
    let folder = match session.shelf().display().to_string() {
        folder if matches!(folder.as_str(), "" | ".") => "this folder".to_owned(),
        folder => visible(folder.as_bytes()),
    };
    let title = format!(" {of} in {folder} ");
    put(buffer, area, 1, 0, &cut(title, area.width.saturating_sub(2)), theme.style(Ink::Bright));
    if !search.is_empty() {
        put_right(buffer, area, 0, &format!(" search: {} ", visible(search.as_bytes())), theme.style(Ink::Bright));
    }
    if found.is_empty() {
        let words = match (session.takes.is_listing, search) {
            (true, _) => "Looking at the takes …",
            (false, "") => "No take in this folder yet. t makes one while a board is watched; 6 sets another folder.",
            (false, _) => "No take holds these words: f searches for others, and nothing lists all.",
        };
        for (line, y) in wrapped(words, area.width.saturating_sub(4).into()).into_iter().zip(2..) {
            put(buffer, area, 2, y, &line, theme.style(Ink::Text));
        }
        return;
    }
    let room = usize::from(area.height.saturating_sub(2) / ROWS).max(1);
    let first = (selected + 1).saturating_sub(room);
    for (row, (place, glance)) in found.iter().enumerate().skip(first).take(room).enumerate() {
        let y = area.y + 2 + row as u16 * ROWS;
        let own = Rect { y, height: ROWS.min(area.bottom().saturating_sub(y)), ..area };
        take(session, glance, place == selected, (theme, own), buffer);
    }
    let below = found.len().saturating_sub(first + room);
    if below > 0 {
        let text = format!(" {below} more below ");
        put_right(buffer, area, area.height.saturating_sub(1), &text, theme.style(Ink::Bright));
    }
}

fn take(session: &Session, glance: &Glance, is_selected: bool, (theme, area): (Theme, Rect), buffer: &mut Buffer) {
    let has_preview = area.width >= 3 * PREVIEW / 2 + 20;
    let wide = area.width.saturating_sub(if has_preview { PREVIEW + 3 } else { 0 });
    let left = Rect { width: wide, ..area };
    let chosen = session.takes.chosen.iter().position(|folder| *folder == glance.folder);
    let ink = theme.style(if is_selected { Ink::Chosen } else { Ink::Bright });
    put(buffer, left, 0, 0, if is_selected { "▸" } else { " " }, ink);
    if let Some(place) = chosen {
        put(buffer, left, 1, 0, &(place + 1).to_string(), theme.style(Ink::Alert));
    }
    put(buffer, left, 3, 0, &cut(visible(glance.name.as_bytes()), 26), ink);
    let date = glance.start.map_or("date not known".into(), |at| session.wall(at, "%Y-%m-%d %H:%M"));
    let length = glance.seconds.map_or("no rows".into(), |seconds| duration(seconds.round()));
    let facts = format!("{date:<17} {length:<9} {}", bytes(glance.bytes));
    put(buffer, left, 30, 0, &cut(facts, wide.saturating_sub(30)), theme.style(Ink::Text));
    let mut said = Vec::new();
    if glance.grows {
        said.push("being written".to_owned());
    }
    if glance.marks > 0 {
        said.push(counted(glance.marks as u64, "mark"));
    }
    if !glance.bench.is_empty() {
        said.push(glance.bench.clone());
    }
    let bench = if said.is_empty() { String::new() } else { format!("{}: ", said.join(", ")) };
    let channels = visible(format!("{bench}{}", glance.channels.join(", ")).as_bytes());
    put(buffer, left, 3, 1, &cut(channels, wide.saturating_sub(4)), theme.style(Ink::Dim));
    put(buffer, left, 3, 2, &cut(visible(glance.note.as_bytes()), wide.saturating_sub(4)), theme.style(Ink::Text));
    let (name, values) = &glance.preview;
    if !has_preview || values.is_empty() {
        return;
    }
    let plot = Rect { x: area.x + wide + 1, y: area.y, width: PREVIEW, height: (ROWS - 1).min(area.height) };
    let last = values.len().saturating_sub(1).max(1) as f64;
    let points = values.iter().enumerate().map(|(i, value)| (i as f64 / last, *value));
    let spans = spans(points, usize::from(PREVIEW) * 2);
    if let Some(limits) = limits([&spans].into_iter()) {
        trace(&spans, limits, plot, theme.style(Ink::Trace(0)), buffer);
    }
    if area.height >= ROWS {
        let under = Rect { x: plot.x, y: area.y + ROWS - 1, width: PREVIEW, height: 1 };
        put_right(buffer, under, 0, &cut(visible(name.as_bytes()), PREVIEW - 1), theme.style(Ink::Faint));
    }
}
