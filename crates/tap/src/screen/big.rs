//! Large digits and capitals, drawn from half blocks.

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};

/// Dots of a character: five rows of up to five dots, and its width.
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
        'A' => ([0b010, 0b101, 0b111, 0b101, 0b101], 3),
        'B' => ([0b110, 0b101, 0b110, 0b101, 0b110], 3),
        'C' => ([0b011, 0b100, 0b100, 0b100, 0b011], 3),
        'D' => ([0b110, 0b101, 0b101, 0b101, 0b110], 3),
        'E' => ([0b111, 0b100, 0b110, 0b100, 0b111], 3),
        'F' => ([0b111, 0b100, 0b110, 0b100, 0b100], 3),
        'J' => ([0b001, 0b001, 0b001, 0b101, 0b010], 3),
        'K' => ([0b101, 0b101, 0b110, 0b101, 0b101], 3),
        'M' => ([0b10001, 0b11011, 0b10101, 0b10001, 0b10001], 5),
        'N' => ([0b1001, 0b1101, 0b1011, 0b1001, 0b1001], 4),
        'P' => ([0b110, 0b101, 0b110, 0b100, 0b100], 3),
        'Q' => ([0b010, 0b101, 0b101, 0b111, 0b011], 3),
        'R' => ([0b110, 0b101, 0b110, 0b101, 0b101], 3),
        'S' => ([0b011, 0b100, 0b010, 0b001, 0b110], 3),
        'T' => ([0b111, 0b010, 0b010, 0b010, 0b010], 3),
        'U' => ([0b101, 0b101, 0b101, 0b101, 0b111], 3),
        'V' => ([0b101, 0b101, 0b101, 0b101, 0b010], 3),
        'W' => ([0b10001, 0b10001, 0b10101, 0b11011, 0b10001], 5),
        'X' => ([0b101, 0b101, 0b010, 0b101, 0b101], 3),
        'Y' => ([0b101, 0b101, 0b010, 0b010, 0b010], 3),
        'Z' => ([0b111, 0b001, 0b010, 0b100, 0b111], 3),
        '_' => ([0, 0, 0, 0, 0b111], 3),
        _ => ([0; 5], 2),
    }
}

/// A word in signs that can be drawn large, where it has such.
pub(crate) fn large_word(word: &str) -> Option<String> {
    let upper = word.trim().to_uppercase();
    let is_drawn = |c: char| c == ' ' || glyph(c).0 != [0; 5];
    (!upper.is_empty() && upper.chars().all(is_drawn)).then_some(upper)
}

/// The width of `text` in dots, one dot between characters.
pub(crate) fn dots_wide(text: &str) -> usize {
    text.chars().map(|c| glyph(c).1 + 1).sum::<usize>().saturating_sub(1)
}

/// Columns that `text` takes with dots of one column by half a row.
pub(crate) fn columns(text: &str) -> u16 {
    dots_wide(text) as u16
}

/// Draws `text` from the top left of `area` with dots of `size` columns by `size` half rows.
pub(crate) fn big(buffer: &mut Buffer, area: Rect, text: &str, size: u16, style: Style) {
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn letters_and_digits_can_be_told_apart_and_words_are_large_where_all_of_theirs_are_drawn() {
        let signs: Vec<char> = "0123456789ABCDEFGHIJKLMNPQRSTUVWXYZ-._e".chars().collect();
        for (i, a) in signs.iter().enumerate() {
            let (rows, width) = glyph(*a);
            assert!(rows.iter().any(|row| *row != 0) && rows.iter().all(|row| row >> width == 0), "{a}");
            assert!(signs[..i].iter().all(|b| glyph(*a) != glyph(*b)), "{a} looks like another one");
        }
        // The letter that looks like a nought is told by the word that it stands in.
        assert_eq!(glyph('O'), glyph('0'));
        for (word, large) in
            [("running", Some("RUNNING")), ("open wide", Some("OPEN WIDE")), ("", None), ("über", None)]
        {
            assert_eq!(large_word(word).as_deref(), large);
        }
        let area = Rect::new(0, 0, dots_wide("RUNNING") as u16, 3);
        let mut buffer = Buffer::empty(area);
        big(&mut buffer, area, "RUNNING", 1, Style::new());
        assert!(buffer.content.iter().filter(|cell| cell.symbol() != " ").count() > 20);
    }
}
