//! Small plots of values that stand for themselves, apart from the chart of the buffer: traces of dots, an axis of numbers.

use crate::rooms::chart::Dots;
use crate::screen::text::{put, put_right};
use crate::theme::{Ink, Theme};
use amber_core::axis::ticks;
use amber_core::block::Histogram;
use amber_core::digits::{fixed, grouped, measured, short, with_unit};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;

/// Columns for the numbers of an axis, its line included.
pub(crate) const GUTTER: u16 = 9;

/// Least and most in each column of dots; nothing where there is no value.
pub(crate) type Spans = Vec<Option<(f64, f64)>>;

/// The span of points (share of the width from 0 to 1, value) in each of `columns`, lines between neighbours included. A gap
/// (NaN) breaks the line.
pub(crate) fn spans(points: impl Iterator<Item = (f64, f64)>, columns: usize) -> Spans {
    let mut out: Spans = vec![None; columns];
    let mut before: Option<(usize, f64)> = None;
    let mut widen = |column: usize, value: f64| {
        let span = out[column].get_or_insert((value, value));
        *span = (span.0.min(value), span.1.max(value));
    };
    for (share, value) in points {
        if value.is_nan() || !(0.0..=1.0).contains(&share) || columns == 0 {
            before = None;
            continue;
        }
        let column = ((share * columns as f64) as usize).min(columns - 1);
        widen(column, value);
        if let Some((from, last)) = before {
            for between in from + 1..column {
                let share = (between - from) as f64 / (column - from) as f64;
                widen(between, last + share * (value - last));
            }
            if column > from {
                // The line reaches halfway to the next column.
                let middle = (last + value) / 2.0;
                widen(if column == from + 1 { column } else { column - 1 }, middle);
            }
        }
        before = Some((column, value));
    }
    out
}

/// The least and the most of several spans, with some room; `None` of nothing.
pub(crate) fn limits<'a>(all: impl Iterator<Item = &'a Spans>) -> Option<(f64, f64)> {
    let ends = all
        .flatten()
        .flatten()
        .fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), span| (low.min(span.0), high.max(span.1)));
    if ends.0 > ends.1 {
        return None;
    }
    let room = ((ends.1 - ends.0) * 0.06).max(ends.0.abs().max(ends.1.abs()) * 1e-9).max(1e-9);
    Some((ends.0 - room, ends.1 + room))
}

/// Draws spans as a trace; two columns of dots make a cell.
pub(crate) fn trace(spans: &Spans, limits: (f64, f64), area: Rect, style: Style, buffer: &mut Buffer) {
    let mut dots = Dots::new(area);
    let rows = f64::from(area.height) * 4.0 - 1.0;
    let row = |value: f64| ((limits.1 - value) / (limits.1 - limits.0) * rows).round().max(0.0).min(rows) as usize;
    for (x, span) in spans.iter().enumerate() {
        if let Some((low, high)) = span {
            dots.stroke(x, row(*high), row(*low));
        }
    }
    dots.draw(area, style, buffer);
}

/// The numbers left of `plot`, which begins [`GUTTER`] columns from the left, with a grid of points.
pub(crate) fn y_axis(limits: (f64, f64), plot: Rect, theme: Theme, buffer: &mut Buffer) {
    let (values, places) = ticks(limits.0, limits.1, usize::from(plot.height / 3).clamp(2, 6));
    let left = Rect { x: plot.x.saturating_sub(GUTTER), width: GUTTER - 1, ..plot };
    for y in 0..plot.height {
        put(buffer, Rect { x: plot.x - 1, width: 1, ..plot }, 0, y, "│", theme.style(Ink::Faint));
    }
    let rows = f64::from(plot.height) * 4.0 - 1.0;
    for value in values {
        let y = ((limits.1 - value) / (limits.1 - limits.0) * rows / 4.0) as u16;
        put_right(buffer, left, y, &fixed(value, places), theme.style(Ink::Dim));
        put(buffer, Rect { x: plot.x - 1, width: 1, ..plot }, 0, y, "┤", theme.style(Ink::Dim));
        for x in (0..plot.width).step_by(4) {
            put(buffer, plot, x, y, "·", theme.style(Ink::Faint));
        }
    }
}

/// The numbers below `plot`, in its last row's next one.
pub(crate) fn x_axis(limits: (f64, f64), unit: &str, plot: Rect, theme: Theme, buffer: &mut Buffer) {
    let below = Rect { y: plot.bottom(), height: 1, ..plot };
    let (values, places) = ticks(limits.0, limits.1, usize::from(plot.width / 12).clamp(2, 12));
    let mut free = 0;
    let end = plot.width.saturating_sub(unit.chars().count() as u16 + 1);
    for value in values {
        let share = (value - limits.0) / (limits.1 - limits.0);
        let text = fixed(value, places);
        let width = text.chars().count() as u16;
        let x = ((share * f64::from(plot.width)) as u16).saturating_sub(width / 2);
        if x >= free && x + width < end {
            free = put(buffer, below, x, 0, &text, theme.style(Ink::Dim)) + 1;
        }
    }
    put_right(buffer, below, 0, unit, theme.style(Ink::Dim));
}

/// A histogram of values in `unit`, a bar for each class, the largest values on top as on a chart; it has at most a class
/// less than `area` has rows.
pub(crate) fn bars(found: &Histogram, unit: &str, style: Style, theme: Theme, area: Rect, buffer: &mut Buffer) {
    if area.height < 4 {
        return;
    }
    let wide = with_unit(short(found.width, 3), unit);
    put(buffer, area, 0, 0, &format!("histogram, {wide} a class"), theme.style(Ink::Bright));
    let most = found.counts.iter().copied().max().unwrap_or(1).max(1);
    let room = usize::from(area.width.saturating_sub(21));
    for ((class, count), y) in found.counts.iter().enumerate().rev().zip(1u16..) {
        let middle = found.begin + (class as f64 + 0.5) * found.width;
        let eighths = (*count as f64 / most as f64 * (room * 8) as f64).round() as usize;
        let eighths = if *count > 0 { eighths.max(1) } else { 0 };
        let mut bar = "█".repeat(eighths / 8);
        if eighths % 8 > 0 {
            bar.push(['▏', '▎', '▍', '▌', '▋', '▊', '▉'][eighths % 8 - 1]);
        }
        let left = Rect { width: 11, ..area };
        put_right(buffer, left, y, &measured(middle, found.width / 10.0, ""), theme.style(Ink::Dim));
        put(buffer, area, 12, y, &bar, style);
        put_right(buffer, area, y, &grouped(*count), theme.style(Ink::Dim));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn spans_join_neighbours_and_break_at_gaps() {
        let points = [(0.0, 1.0), (0.45, 5.0), (0.5, f64::NAN), (0.99, 2.0)];
        let found = spans(points.into_iter(), 10);
        assert!(found[2].is_some_and(|span| span.0 > 1.0 && span.1 < 5.0), "{found:?}");
        assert!(found[5..9].iter().all(Option::is_none) && found[9] == Some((2.0, 2.0)), "{found:?}");
        assert_eq!(limits([&vec![None]].into_iter()), None);
    }
}
