//! Large numbers, drawn from half blocks: in the readouts, and as large as the screen for reading across the bench.

use super::{put, put_right, side};
use crate::app::App;
use crate::theme::{Ink, Theme};
use amber_core::bench::Kind;
use amber_core::digits::counted;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};

/// Dots of a character: five rows of up to three dots, and its width.
fn glyph(c: char) -> ([u8; 5], usize) {
    match c {
        '0' => ([0b111, 0b101, 0b101, 0b101, 0b111], 3),
        '1' => ([0b010, 0b110, 0b010, 0b010, 0b111], 3),
        '2' => ([0b111, 0b001, 0b111, 0b100, 0b111], 3),
        '3' => ([0b111, 0b001, 0b111, 0b001, 0b111], 3),
        '4' => ([0b101, 0b101, 0b111, 0b001, 0b001], 3),
        '5' => ([0b111, 0b100, 0b111, 0b001, 0b111], 3),
        '6' => ([0b111, 0b100, 0b111, 0b101, 0b111], 3),
        '7' => ([0b111, 0b001, 0b010, 0b010, 0b010], 3),
        '8' => ([0b111, 0b101, 0b111, 0b101, 0b111], 3),
        '9' => ([0b111, 0b101, 0b111, 0b001, 0b111], 3),
        '.' => ([0, 0, 0, 0, 0b1], 1),
        '-' | '–' => ([0, 0, 0b111, 0, 0], 3),
        'e' => ([0, 0b111, 0b110, 0b100, 0b111], 3),
        'H' => ([0b101, 0b101, 0b111, 0b101, 0b101], 3),
        'I' => ([0b111, 0b010, 0b010, 0b010, 0b111], 3),
        'G' => ([0b111, 0b100, 0b101, 0b101, 0b111], 3),
        'L' => ([0b100, 0b100, 0b100, 0b100, 0b111], 3),
        'O' => ([0b111, 0b101, 0b101, 0b101, 0b111], 3),
        'W' => ([0b101, 0b101, 0b101, 0b111, 0b101], 3),
        _ => ([0; 5], 2),
    }
}

/// The width of `text` in dots, one dot between characters.
fn dots_wide(text: &str) -> usize {
    text.chars().map(|c| glyph(c).1 + 1).sum::<usize>().saturating_sub(1)
}

/// Columns that `text` takes with dots of one column by half a row.
pub(super) fn columns(text: &str) -> u16 {
    dots_wide(text) as u16
}

/// Draws `text` from the top left of `area` with dots of `size` columns by `size` half rows.
pub(super) fn big(buffer: &mut Buffer, area: Rect, text: &str, size: u16, style: Style) {
    let mut left = 0;
    for c in text.chars() {
        let (rows, width) = glyph(c);
        for half_row in 0..5 * size {
            let bits = rows[usize::from(half_row / size)];
            for column in 0..width as u16 * size {
                let lit = bits >> (width as u16 - 1 - column / size) & 1 == 1;
                let (x, y) = (left + column, half_row / 2);
                if !lit || x >= area.width || y >= area.height {
                    continue;
                }
                if let Some(cell) = buffer.cell_mut((area.x + x, area.y + y)) {
                    // A full cell is a reversed blank: a block of the font's own may leave gaps between rows.
                    match (half_row % 2, cell.symbol()) {
                        (0, _) => cell.set_symbol("▀").set_style(style),
                        (_, "▀") => cell.set_symbol(" ").set_style(style.add_modifier(Modifier::REVERSED)),
                        _ => cell.set_symbol("▄").set_style(style),
                    };
                }
            }
        }
        left += (width as u16 + 1) * size;
    }
}

/// The selected channel's number as large as `area`.
pub(super) fn draw(app: &App, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let Some(channel) = app.channel() else {
        put(buffer, area, 2, 1, "no channel yet: rows must arrive first", theme.style(Ink::Dim));
        return;
    };
    let shown = app.shown.of(app.selected);
    let ink = theme.style(Ink::Trace(app.ink(app.selected)));
    let title = format!("{} {}", app.letter(app.selected), app.title(app.selected));
    put(buffer, area, 2, 1, &title, theme.style(Ink::Bright));
    let digital = channel.kind() == Kind::Digital;
    let form = app.form(app.selected, &app.lanes());
    let number = |value: f64| match (digital, value >= 0.5) {
        (true, true) => "HIGH".to_owned(),
        (true, false) => "LOW".to_owned(),
        (false, _) => form.number(value, 0),
    };
    let text = shown.reading.map_or("–".into(), |reading| number(reading.smoothed));
    // Room for the widest that was in view, so that the digits do not change size from one moment to the next.
    let widths = shown.least_most.into_iter().flat_map(|(a, b)| [number(a), number(b)]);
    let widest = widths.chain([text.clone()]).map(|text| dots_wide(&text)).max().unwrap_or(1);
    let size =
        (usize::from(area.width.saturating_sub(6)) / widest).min(usize::from(area.height.saturating_sub(6)) * 2 / 5);
    let size = size.max(1) as u16;
    let height = (5 * size).div_ceil(2);
    let width = dots_wide(&text) as u16 * size;
    let place = Rect {
        x: area.x + area.width.saturating_sub(width) / 2,
        y: area.y + area.height.saturating_sub(height) / 2,
        width,
        height,
    }
    .intersection(area);
    big(buffer, place, &text, size, ink);
    put_right(buffer, Rect { width: area.width.saturating_sub(2), ..area }, 1, &form.unit, theme.style(Ink::Bright));
    let bottom = area.height.saturating_sub(2);
    if let (Some((least, most)), false) = (shown.least_most, digital) {
        let text = format!("least {}   most {}   in view", form.number(least, 0), form.number(most, 0));
        put(buffer, area, 2, bottom, &text, theme.style(Ink::Text));
    }
    if digital || channel.settings().watch.is_some() {
        let watcher = channel.watcher();
        let threshold = channel.settings().watch.map_or(String::new(), |watch| format!(" {}", watch.threshold));
        let text = format!("{}{threshold}, {}  ", side(watcher.side, channel.kind()), counted(watcher.rises, "rise"));
        put_right(buffer, area, bottom, &text, theme.style(Ink::Bright));
    }
}
