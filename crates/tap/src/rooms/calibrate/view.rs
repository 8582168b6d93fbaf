//! Calibration: the levels, their true values, the curve, its residuals.

use super::{Calibrate, Row};
use crate::screen::text::{frame, put, put_right, wrapped};
use crate::session::Session;
use crate::theme::{Ink, Theme};
use amber_core::calibrate::Fit;
use amber_core::digits::{counted, fixed, measured, short, with_unit};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// Columns of the table, by their right ends.
const ENDS: [u16; 6] = [5, 15, 23, 35, 46, 58];

pub(super) fn draw(room: &Calibrate, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let Some(channel) = session.channel() else { return };
    let title = format!("calibrate {} {}", session.letter(session.selected), session.title(session.selected));
    let inner = frame(buffer, area, &title, theme);
    let rows = room.rows(session);
    let scale = &channel.settings().scale;
    let sensor = scale.sensor_steps();
    let before = scale.unit_behind(sensor).to_owned();
    let unit = room.unit(session);
    let fit = room.fit(session);
    let below = below(room, session, &fit, inner.width);
    let plot_rows = if fit.is_ok() && inner.height > 18 { 7 } else { 0 };
    let fixed_rows = below.len() as u16 + plot_rows + 3;
    let list = usize::from(inner.height.saturating_sub(fixed_rows).max(2));

    let named = |name: &str, unit: &str| if unit.is_empty() { name.to_owned() } else { format!("{name} {unit}") };
    let heads = [
        "level".into(),
        "from".into(),
        "lasts s".into(),
        named("measured", &before),
        named("reads", scale.unit()),
        named("true", &unit),
    ];
    put_cells(buffer, inner, 0, &heads, theme.style(Ink::Dim));
    let chosen = room.selected_level(&rows);
    let skip = (chosen + 1).saturating_sub(list).max(rows.len().saturating_sub(list).min(chosen));
    let part = scale.upto(sensor);
    let came_places = amber_core::digits::decimals(part.resolution(channel.raw_step())) + 1;
    for ((i, row), y) in rows.iter().enumerate().skip(skip).take(list).zip(1..) {
        let line = Rect { y: inner.y + y, height: 1, ..inner };
        let ink = if i == chosen {
            Ink::Chosen
        } else if row.truth.is_some() {
            Ink::Bright
        } else {
            Ink::Text
        };
        if i == chosen {
            buffer.set_style(line, theme.style(Ink::Chosen));
        }
        put_cells(buffer, line, 0, &cells(session, row, came_places, channel.decimals() + 1), theme.style(ink));
    }
    if rows.is_empty() {
        let shortest = session.shared().levels.seconds;
        let text = format!("no level yet: apply a known value and hold it still for {shortest} s or more");
        put(buffer, inner, 0, 1, &text, theme.style(Ink::Text));
    }
    let mut y = (rows.len().min(list).max(1) as u16) + 2;
    for (ink, text) in below {
        put(buffer, inner, 0, y, &text, theme.style(ink));
        y += 1;
    }
    if let (Ok(fit), true) = (&fit, plot_rows > 0) {
        let plot = Rect { y: inner.y + y + 1, height: plot_rows - 1, ..inner };
        if plot.bottom() <= inner.bottom() {
            residuals(fit, &unit, theme, plot, buffer);
        }
    }
}

fn put_cells(buffer: &mut Buffer, area: Rect, y: u16, cells: &[String], style: ratatui::style::Style) {
    let mut from = 0;
    for (cell, end) in cells.iter().zip(ENDS) {
        let end = end.min(area.width);
        let column = Rect { x: area.x + from.min(area.width), width: end.saturating_sub(from), ..area };
        put_right(buffer, column, y, cell, style);
        from = end + 1;
    }
}

fn cells(session: &Session, row: &Row, came_places: usize, places: usize) -> [String; 6] {
    let goes_on = if row.open { "…" } else { "" };
    [
        row.number.to_string(),
        session.when(row.from, "%H:%M:%S"),
        format!("{:.1}{goes_on}", row.seconds),
        fixed(row.came, came_places),
        fixed(row.reads, places),
        row.truth.map_or("Enter".to_owned(), |truth| truth.to_string()),
    ]
}

/// What is said below the table.
fn below(room: &Calibrate, session: &Session, fit: &Result<Fit, String>, width: u16) -> Vec<(Ink, String)> {
    let mut lines = vec![(Ink::Bright, format!("◂ {} ▸", room.curve.name()))];
    let unit = room.unit(session);
    match fit {
        Err(missing) => lines.push((Ink::Text, missing.clone())),
        Ok(fit) => {
            let terms = &fit.calibration.terms;
            if let Some(line) = room.line(terms, session) {
                lines.push((Ink::Text, line));
            } else if !terms.is_empty() {
                let terms: Vec<String> = terms.iter().map(|term| short(*term, 6)).collect();
                lines.push((Ink::Text, format!("terms {}", terms.join("  "))));
            }
            let largest = measured(fit.largest, fit.largest / 50.0, &unit);
            lines.push((Ink::Text, format!("largest error {largest}, {} % of full scale", short(fit.percent, 2))));
            for warning in &fit.warnings {
                for (i, text) in wrapped(warning, usize::from(width).saturating_sub(2)).into_iter().enumerate() {
                    lines.push((Ink::Bright, format!("{} {text}", if i == 0 { "▲" } else { " " })));
                }
            }
        }
    }
    if let Some(verdict) = room.verdict(session) {
        let told = format!("as set now it {verdict}");
        lines.extend(wrapped(&told, usize::from(width)).into_iter().map(|line| (Ink::Text, line)));
    }
    let kept = session.channel().and_then(|channel| channel.settings().scale.calibration());
    if let Some(kept) = kept {
        let worst = kept.residuals.iter().fold(0.0, |worst: f64, residual| worst.max(residual.abs()));
        let worst = measured(worst, worst / 50.0, &kept.unit);
        let text = format!(
            "in the scale: {} of {}, {}, error {worst}",
            kept.curve.name(),
            kept.date,
            counted(kept.points.len() as u64, "point")
        );
        lines.push((Ink::Dim, text));
    }
    lines
}

/// The residuals over the true values.
fn residuals(fit: &Fit, unit: &str, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let points: Vec<(f64, f64)> =
        fit.calibration.points.iter().zip(&fit.calibration.residuals).map(|(point, off)| (point.1, *off)).collect();
    let ends = points.iter().map(|(x, _)| (*x, *x)).reduce(|a, b| (a.0.min(b.0), a.1.max(b.1)));
    let Some((low, high)) = ends else { return };
    // A round scale that holds the largest one.
    let most = amber_core::axis::round_step(fit.largest.max(1e-9));
    let left = 11;
    let plot = Rect {
        x: area.x + left,
        width: area.width.saturating_sub(left + 2),
        height: area.height.saturating_sub(1),
        ..area
    };
    let middle = plot.height / 2;
    let label = |value: f64| measured(value, most / 10.0, "");
    for (y, value) in [(0, most), (middle, 0.0), (plot.height.saturating_sub(1), -most)] {
        put_right(buffer, Rect { width: left - 1, ..area }, y, &label(value), theme.style(Ink::Dim));
        let line = "┈".repeat(usize::from(plot.width));
        put(buffer, plot, 0, y, &line, theme.style(Ink::Faint));
    }
    for (x, off) in points {
        let column = ((x - low) / (high - low).max(1e-12) * f64::from(plot.width.saturating_sub(1))).round() as u16;
        let row =
            (f64::from(middle) - off / most * f64::from(middle)).round().min(f64::from(plot.height) - 1.0).max(0.0)
                as u16;
        put(buffer, plot, column, row, "●", theme.style(Ink::Bright));
    }
    let foot = Rect { y: area.bottom() - 1, height: 1, x: plot.x, width: plot.width };
    put(buffer, foot, 0, 0, &low.to_string(), theme.style(Ink::Dim));
    put_right(buffer, foot, 0, &with_unit(high, unit), theme.style(Ink::Dim));
    let name = "fit − true (residual)";
    put(buffer, foot, (plot.width.saturating_sub(name.len() as u16)) / 2, 0, name, theme.style(Ink::Dim));
}
