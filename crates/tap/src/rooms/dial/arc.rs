//! The dial as an arc: half a circle of dots, with the scale outside, what lies beyond the threshold thicker, and a
//! needle.

use super::Face;
use crate::rooms::chart::Dots;
use crate::screen::text::put;
use crate::theme::{Ink, Theme};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;

/// The place of a share of the scale at this distance from the centre: dots to the right and up.
fn polar(share: f64, radius: f64) -> (f64, f64) {
    let angle = std::f64::consts::PI * (1.0 - share);
    (radius * angle.cos(), radius * angle.sin())
}

/// A canvas around the centre of the arc.
struct Canvas {
    dots: Dots,
    centre: (f64, f64),
    size: (usize, usize),
}

impl Canvas {
    fn new(area: Rect, centre: (f64, f64)) -> Canvas {
        Canvas { dots: Dots::new(area), centre, size: (usize::from(area.width) * 2, usize::from(area.height) * 4) }
    }

    fn dot(&mut self, (x, y): (f64, f64)) {
        let (x, y) = (self.centre.0 + x, self.centre.1 - y);
        if x >= 0.0 && y >= 0.0 && (x as usize) < self.size.0 && (y as usize) < self.size.1 {
            self.dots.stroke(x as usize, y as usize, y as usize);
        }
    }

    /// Dots along the scale from one share to another, between two distances from the centre.
    fn band(&mut self, (from, to): (f64, f64), (inner, outer): (f64, f64)) {
        let steps = (outer * std::f64::consts::PI * (to - from) * 1.6).ceil().max(1.0) as usize;
        for step in 0..=steps {
            let share = from + (to - from) * step as f64 / steps as f64;
            let mut radius = inner;
            while radius <= outer {
                self.dot(polar(share, radius));
                radius += 0.7;
            }
        }
    }
}

pub(super) fn draw(face: &Face, ink: Style, theme: Theme, area: Rect, buffer: &mut Buffer) {
    // Room for the numbers of the scale, at the sides and above.
    let (wide, high) = (f64::from(area.width) * 2.0, f64::from(area.height) * 4.0);
    let radius = (wide / 2.0 - 18.0).min(high - 8.0).max(8.0);
    let centre = (wide / 2.0, high - 2.0);
    let canvas = || Canvas::new(area, centre);

    let mut scale = canvas();
    scale.band((0.0, 1.0), (radius - 1.0, radius));
    for (share, _) in &face.ticks {
        scale.band((*share, *share), (radius - 6.0, radius));
    }
    scale.dots.draw(area, theme.style(Ink::Dim), buffer);
    if let Some((at, _)) = face.threshold {
        let mut zone = canvas();
        // Beyond the threshold the scale is thick: told without colour too.
        zone.band((at, 1.0), (radius - 4.0, radius));
        zone.band((at, at), (radius - 12.0, radius));
        zone.dots.draw(area, theme.style(Ink::Bright), buffer);
    }
    if let Some((min, max)) = face.min_max {
        let mut seen = canvas();
        seen.band((min, max), (radius - 10.0, radius - 8.5));
        for end in [min, max] {
            seen.band((end, end), (radius - 14.0, radius - 7.0));
        }
        seen.dots.draw(area, theme.style(Ink::Text), buffer);
    }
    if let Some(value) = face.value {
        let mut needle = canvas();
        let steps = (radius * 1.6) as usize;
        for step in 0..=steps {
            let share = step as f64 / steps as f64;
            let (x, y) = polar(value, (radius - 7.0) * share);
            // Broad at the centre, pointed at its end.
            let half = (1.0 - share) * 3.0 + 0.6;
            let (across_x, across_y) = polar(value + 0.5, half);
            for side in -3..=3 {
                let part = f64::from(side) / 3.0;
                needle.dot((x + across_x * part, y + across_y * part));
            }
        }
        needle.dots.draw(area, ink, buffer);
    }
    for (share, label) in &face.ticks {
        let (x, y) = polar(*share, radius + 4.0);
        let length = label.chars().count() as f64;
        // Left of the arc a number ends at it, right of it it begins there.
        let column = (centre.0 + x) / 2.0 - length * (1.0 - share);
        let row = ((centre.1 - y) / 4.0).floor().max(0.0);
        let column = column.round().min(f64::from(area.width) - length).max(0.0) as u16;
        put(buffer, area, column, (row as u16).min(area.height.saturating_sub(1)), label, theme.style(Ink::Text));
    }
}
