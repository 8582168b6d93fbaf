//! Digital lanes: high and low with their bursts, and codes as ribbons.

use super::{GUTTER, TAGS};
use crate::screen::text::put;
use crate::session::{ChannelId, Session};
use crate::theme::{Ink, Theme};
use amber_core::digits::fixed;
use amber_core::window::{Grid, Logic, LogicSpan};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Modifier;

/// A digital channel's letter and name, left of its row.
pub(super) fn digital_name(session: &Session, theme: Theme, index: ChannelId, plot: Rect, buffer: &mut Buffer) {
    let left = Rect { x: plot.x - GUTTER, width: GUTTER, ..plot };
    let ink = theme.style(Ink::Trace(session.ink(index)));
    let left = Rect { y: left.y + plot.height / 2, height: 1, ..left };
    let x = put(buffer, left, 1, 0, &session.letter(index).to_string(), ink) + 1;
    let name = Rect { width: GUTTER - 1, ..left };
    let strength = if index == session.selected { Ink::Bright } else { Ink::Dim };
    let room = name.width.saturating_sub(x);
    let whole = session.title(index);
    let fits = whole.chars().count() <= usize::from(room);
    let text = if fits { whole } else { session.short_title(index, usize::from(room)) };
    put(buffer, name, x, 0, &text, theme.style(strength));
    put(buffer, left, GUTTER - 1, 0, "┤", theme.style(Ink::Faint));
}

/// A digital channel: high is a block, low a line, both half a block.
pub(super) fn digital(
    session: &Session,
    theme: Theme,
    index: ChannelId,
    grid: &Grid<'_>,
    plot: Rect,
    buffer: &mut Buffer,
) {
    let ink = theme.style(Ink::Trace(session.ink(index)));
    let channel = session.channel_at(index);
    let spans = grid.logic(channel.output(), channel.watcher());
    for (x, pair) in (0..).zip(spans.chunks(2)) {
        // A full cell is a reversed blank, and there is no shade: those of many fonts reach over the edges and leave traces.
        let full = ink.add_modifier(Modifier::REVERSED);
        let holds = |logic: Logic| pair.iter().any(|span| span.logic == logic);
        let (symbol, ink) = match (holds(Logic::High), holds(Logic::Low), holds(Logic::Both)) {
            (_, _, true) | (true, true, _) => ("▄", ink),
            (true, false, _) => (" ", full),
            (false, true, _) => ("▁", ink),
            _ => continue,
        };
        let top = if symbol == "▁" { plot.height.saturating_sub(1) } else { 0 };
        for y in top..plot.height {
            put(buffer, plot, x, y, symbol, ink);
        }
    }
    for (x, text) in bursts(&spans) {
        put(buffer, plot, x, plot.height / 2, &text, theme.style(Ink::Chosen));
    }
    tag(session, theme, index, plot, buffer);
}

/// The edges of a cell that are not told apart any more.
const BURST: usize = 3;

/// How many edges lie in each burst that has room for its number: within itself, or in the quiet cells behind it.
fn bursts(spans: &[LogicSpan]) -> Vec<(u16, String)> {
    let cells: Vec<usize> = spans.chunks(2).map(|pair| pair.iter().map(|span| span.edges).sum()).collect();
    let (mut out, mut x) = (Vec::new(), 0);
    while x < cells.len() {
        let length = cells.iter().skip(x).take_while(|edges| **edges >= BURST).count();
        if length > 0 {
            let text = format!("×{}", cells.iter().skip(x).take(length).sum::<usize>());
            let wide = text.chars().count();
            let quiet = cells.iter().skip(x + length).take_while(|edges| **edges == 0).count();
            let from = if wide + 2 <= length { x + (length - wide) / 2 } else { x + length };
            if wide + 2 <= length || wide < quiet {
                out.push((from as u16, text));
            }
        }
        x += length.max(1);
    }
    out
}

/// A code as a ribbon: the word for it, or the number, where it begins, and a line for as long as it lasts.
pub(super) fn coded(
    session: &Session,
    theme: Theme,
    index: ChannelId,
    grid: &Grid<'_>,
    plot: Rect,
    buffer: &mut Buffer,
) {
    let channel = session.channel_at(index);
    let ink = theme.style(Ink::Trace(session.ink(index)));
    let spans = grid.trace(channel.scaled());
    let code = |pair: &[Option<(f64, f64)>]| pair.iter().rev().find_map(|span| span.map(|(_, code)| code));
    let codes: Vec<Option<f64>> = spans.chunks(2).map(code).collect();
    let is_tall = plot.height > 2;
    let middle = plot.height / 2;
    let mut x = 0;
    while let Some(own) = codes.get(x) {
        let length = codes.iter().skip(x).take_while(|code| *code == own).count();
        if let Some(value) = *own {
            let word = channel.word(value).map_or_else(|| fixed(value, channel.decimals()), str::to_owned);
            let rest = if is_tall { ' ' } else { '─' };
            let run: String =
                ['│'].into_iter().chain(word.chars()).chain(std::iter::repeat(rest)).take(length).collect();
            for y in (0..plot.height).filter(|y| is_tall && *y != middle) {
                let side = if y == 0 {
                    "▔".repeat(length)
                } else if y == plot.height.saturating_sub(1) {
                    "▁".repeat(length)
                } else {
                    "│".to_owned()
                };
                put(buffer, plot, x as u16, y, &side, ink);
            }
            put(buffer, plot, x as u16, middle, &run, ink);
        }
        x += length;
    }
    tag(session, theme, index, plot, buffer);
}

/// The letter beside a lane of one channel.
fn tag(session: &Session, theme: Theme, index: ChannelId, plot: Rect, buffer: &mut Buffer) {
    let ink = theme.style(Ink::Trace(session.ink(index)));
    let area = Rect { x: plot.right(), width: TAGS, ..plot };
    let y = plot.height / 2;
    put(buffer, area, 0, y, if index == session.selected { "◂" } else { " " }, theme.style(Ink::Bright));
    put(buffer, area, 1, y, &session.letter(index).to_string(), ink);
}
