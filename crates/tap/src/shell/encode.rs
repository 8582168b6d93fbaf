//! Cells as what a terminal is sent: only what differs from the cell before is said of each, which is a third of what
//! saying all of it takes.

use super::symbols::Font;
use ratatui::buffer::Cell;
use ratatui::style::{Color, Modifier};
use std::io::Write;

/// What the terminal writes with now, and where.
struct Pen {
    /// Where the next character would stand.
    at: Option<(u16, u16)>,
    ink: Color,
    ground: Color,
    modifier: Modifier,
}

/// The modifiers that are used, with their codes (ECMA-48, "select graphic rendition").
const MODIFIERS: [(Modifier, u8); 5] = [
    (Modifier::BOLD, 1),
    (Modifier::DIM, 2),
    (Modifier::ITALIC, 3),
    (Modifier::UNDERLINED, 4),
    (Modifier::REVERSED, 7),
];

/// Writes cells at their columns and rows for a terminal with this font, and leaves it with its own inks.
pub(super) fn cells<'a>(out: &mut Vec<u8>, cells: impl Iterator<Item = (u16, u16, &'a Cell)>, font: Font) {
    let mut pen = Pen { at: None, ink: Color::Reset, ground: Color::Reset, modifier: Modifier::empty() };
    for (x, y, cell) in cells {
        pen.go_to(out, x, y);
        pen.take(out, cell);
        out.extend_from_slice(font.of(cell.symbol()).as_bytes());
        // A wide character goes over two columns.
        let width = unicode_width::UnicodeWidthStr::width(cell.symbol()).max(1) as u16;
        pen.at = Some((x + width, y));
    }
    if pen.at.is_some() {
        out.extend_from_slice(b"\x1b[0m");
    }
}

impl Pen {
    fn go_to(&mut self, out: &mut Vec<u8>, x: u16, y: u16) {
        match self.at {
            Some(at) if at == (x, y) => {}
            Some((column, row)) if row == y && column < x => put(out, format_args!("\x1b[{}C", x - column)),
            _ => put(out, format_args!("\x1b[{};{}H", y + 1, x + 1)),
        }
    }

    fn take(&mut self, out: &mut Vec<u8>, cell: &Cell) {
        if cell.modifier != self.modifier {
            out.extend_from_slice(b"\x1b[0m");
            (self.ink, self.ground, self.modifier) = (Color::Reset, Color::Reset, cell.modifier);
            for (_, code) in MODIFIERS.iter().filter(|(modifier, _)| cell.modifier.contains(*modifier)) {
                put(out, format_args!("\x1b[{code}m"));
            }
        }
        // The ink of a blank is not seen.
        let is_blank = cell.symbol() == " " && cell.modifier.is_empty();
        if cell.fg != self.ink && !is_blank {
            self.ink = cell.fg;
            colour(out, cell.fg, 30);
        }
        if cell.bg != self.ground {
            self.ground = cell.bg;
            colour(out, cell.bg, 40);
        }
    }
}

/// Writing to a vector cannot fail.
fn put(out: &mut Vec<u8>, text: std::fmt::Arguments<'_>) {
    let _ = out.write_fmt(text);
}

/// Sets an ink (`base` 30) or a ground (40).
fn colour(out: &mut Vec<u8>, colour: Color, base: u8) {
    let named = |number: u8| if number < 8 { base + number } else { base + 60 + number - 8 };
    let number = match colour {
        Color::Reset => return put(out, format_args!("\x1b[{}m", base + 9)),
        Color::Rgb(r, g, b) => return put(out, format_args!("\x1b[{};2;{r};{g};{b}m", base + 8)),
        Color::Indexed(number) => return put(out, format_args!("\x1b[{};5;{number}m", base + 8)),
        Color::Black => 0,
        Color::Red => 1,
        Color::Green => 2,
        Color::Yellow => 3,
        Color::Blue => 4,
        Color::Magenta => 5,
        Color::Cyan => 6,
        Color::Gray => 7,
        Color::DarkGray => 8,
        Color::LightRed => 9,
        Color::LightGreen => 10,
        Color::LightYellow => 11,
        Color::LightBlue => 12,
        Color::LightMagenta => 13,
        Color::LightCyan => 14,
        Color::White => 15,
    };
    put(out, format_args!("\x1b[{}m", named(number)));
}

#[cfg(test)]
mod tests {
    use super::*;
    use ratatui::buffer::Buffer;
    use ratatui::layout::Rect;
    use ratatui::style::Style;
    use std::num::NonZeroU16;

    /// A terminal that is sent the differences shows what was drawn, whatever stood there before.
    #[test]
    fn what_a_terminal_makes_of_it_is_what_was_drawn() {
        let area = Rect::new(0, 0, 30, 6);
        let inks = [Color::Reset, Color::Rgb(1, 2, 3), Color::Indexed(179), Color::LightRed, Color::Blue];
        let mut terminal = vt100::Parser::new(NonZeroU16::new(6).unwrap(), NonZeroU16::new(30).unwrap(), 0);
        let mut front = Buffer::empty(area);
        let mut state = 7u64;
        let mut next = |most: u64| {
            state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
            (state >> 33) % most
        };
        for _ in 0..200 {
            let mut back = front.clone();
            for _ in 0..next(60) {
                let symbol = [" ", "a", "⣿", "█", "é"][next(5) as usize];
                let mut style = Style::new().fg(inks[next(5) as usize]).bg(inks[next(5) as usize]);
                style = if next(4) == 0 { style.add_modifier(Modifier::REVERSED | Modifier::BOLD) } else { style };
                let cell = back.cell_mut((next(30) as u16, next(6) as u16)).unwrap();
                cell.reset();
                cell.set_symbol(symbol).set_style(style);
            }
            let mut bytes = Vec::new();
            cells(&mut bytes, front.diff(&back).into_iter(), Font::Full);
            terminal.process(&bytes);
            front = back;
        }
        for (position, cell) in area.positions().map(|position| (position, &front[position])) {
            let shown = terminal.screen().cell(position.y, position.x).unwrap();
            let symbol = if shown.contents().is_empty() { " " } else { shown.contents() };
            assert_eq!(symbol, cell.symbol(), "{position:?}");
            assert_eq!(shown.inverse(), cell.modifier.contains(Modifier::REVERSED));
            let ground = match cell.bg {
                Color::Reset => vt100::Color::Default,
                Color::Rgb(r, g, b) => vt100::Color::Rgb(r, g, b),
                Color::Indexed(number) => vt100::Color::Idx(number),
                Color::LightRed => vt100::Color::Idx(9),
                _ => vt100::Color::Idx(4),
            };
            assert_eq!(shown.bgcolor(), ground, "{position:?}");
        }
    }
}
