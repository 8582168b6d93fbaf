//! A raster of braille dots, two by four to a cell, where each cell belongs to one trace.

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;

/// The bit of each dot in the braille block of Unicode, by column and row.
const BITS: [[u8; 4]; 2] = [[0x01, 0x02, 0x04, 0x40], [0x08, 0x10, 0x20, 0x80]];

/// One trace's dots over an area.
pub(crate) struct Dots {
    width: usize,
    cells: Vec<u8>,
}

impl Dots {
    pub(crate) fn new(area: Rect) -> Dots {
        Dots { width: usize::from(area.width), cells: vec![0; usize::from(area.width) * usize::from(area.height)] }
    }

    /// Sets the dots of column `x` from row `top` to row `bottom`, both included and within the area.
    pub(crate) fn stroke(&mut self, x: usize, top: usize, bottom: usize) {
        let (cell, [left, right]) = (x / 2, &BITS);
        let bits = if x.is_multiple_of(2) { left } else { right };
        let mut y = top;
        while y <= bottom {
            let Some(dots) = self.cells.get_mut(y / 4 * self.width + cell) else { return };
            let last = bottom.min(y / 4 * 4 + 3);
            for row in y..=last {
                *dots |= bits.get(row % 4).copied().unwrap_or_default();
            }
            y = last + 1;
        }
    }

    /// Puts the dots over what is in `area`; cells without dots stay.
    pub(crate) fn draw(&self, area: Rect, style: Style, buffer: &mut Buffer) {
        for (row, cells) in (area.y..area.bottom()).zip(self.cells.chunks(self.width.max(1))) {
            for (column, dots) in (area.x..area.right()).zip(cells) {
                if *dots != 0
                    && let Some(cell) = buffer.cell_mut((column, row))
                    && let Some(symbol) = char::from_u32(0x2800 + u32::from(*dots))
                {
                    cell.set_char(symbol).set_style(style);
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn dots_land_where_they_should() {
        let area = Rect::new(0, 0, 2, 2);
        let mut buffer = Buffer::empty(area);
        let mut dots = Dots::new(area);
        dots.stroke(0, 0, 0);
        dots.stroke(3, 2, 7);
        dots.stroke(3, 7, 90);
        dots.draw(area, Style::new(), &mut buffer);
        let text: Vec<&str> = buffer.content.iter().map(|cell| cell.symbol()).collect();
        assert_eq!(text, ["⠁", "⢠", " ", "⢸"]);
    }
}
