//! How a comparison is drawn.

use super::{Compare, at};
use crate::comparison::{Found, OneRun, Outcome};
use crate::screen::plot::{GUTTER, Spans, limits, spans, trace, x_axis, y_axis};
use crate::screen::text::{cut, fitting, put, put_right, wrapped};
use crate::session::Session;
use crate::theme::{Ink, Theme};
use amber_core::digits::{cleaned, fixed, grouped, short};
use amber_core::tail::visible;
use amber_core::window::{Columns, Grid, Motion};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

pub(super) fn draw(room: &Compare, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
    put(buffer, area, 0, 0, &"─".repeat(usize::from(area.width)), theme.style(Ink::Faint));
    let channel = session.channel().map_or(String::new(), |_| format!(" of {}", session.title(session.selected)));
    put(buffer, area, 1, 0, &format!(" comparison{channel} "), theme.style(Ink::Bright));
    let runs = session.runs();
    let found = session.comparing.found.as_ref().filter(|found| found.outcomes.len() == runs.len() && runs.len() > 1);
    let Some(found) = found else {
        let words = match session.comparing.is_reading {
            true => "Reading the takes …",
            false => {
                "Takes are laid over one another here. k lists the takes in the folder; a adds one or more of them, and c \
                 compares them with what is watched now."
            }
        };
        for (line, y) in wrapped(words, area.width.saturating_sub(4).into()).into_iter().zip(2..) {
            put(buffer, area, 2, y, &line, theme.style(Ink::Text));
        }
        return;
    };
    // Traces follow at once; what takes longer follows when it is there.
    let window = room.window.unwrap_or(found.window);
    let stretch = format!(" by {}, {} to {} ", room.align, at(window.0), at(window.1));
    let free = area.width.saturating_sub(16 + channel.chars().count() as u16);
    put_right(buffer, area, 0, &fitting(free, [stretch, String::new()]), theme.style(Ink::Dim));
    // A line for each run, with another one for what is to be said of some.
    let told: usize = found.outcomes.iter().map(|own| 1 + usize::from(own.said.is_some())).sum();
    let table = (told as u16 + 1).min(area.height / 2);
    let plots = Rect { y: area.y + 1, height: area.height.saturating_sub(table + 1), ..area };
    // Where there is little room, the runs themselves have it.
    let low = if room.shows_difference && plots.height >= 15 { plots.height / 3 } else { 0 };
    let over = Rect { height: plots.height.saturating_sub(low), ..plots };
    overlay(&runs, found, window, (theme, over), low == 0, buffer);
    if low > 0 {
        differences(found, window, theme, Rect { y: over.bottom(), height: low, ..plots }, buffer);
    }
    let below = Rect { y: plots.bottom(), height: table, ..area };
    numbers(room, session, found, theme, below, buffer);
}

/// The plot within `area`: right of the axis, above the numbers of the time where they stand there.
fn plot_in(area: Rect, has_times: bool) -> Rect {
    let height = area.height.saturating_sub(u16::from(has_times));
    Rect { x: area.x + GUTTER, width: area.width.saturating_sub(GUTTER + 3), height, ..area }
}

fn overlay(
    runs: &[OneRun<'_>],
    found: &Found,
    window: (f64, f64),
    (theme, area): (Theme, Rect),
    has_times: bool,
    buffer: &mut Buffer,
) {
    let plot = plot_in(area, has_times);
    if plot.height < 2 || plot.width < 8 {
        return;
    }
    let (from, to) = window;
    let traces: Vec<Option<Spans>> = runs
        .iter()
        .zip(&found.laid)
        .map(|(one, laid)| {
            let run = one.run(laid.zero)?;
            let end = laid.zero.plus(to);
            let columns = Columns::new(end, to - from, usize::from(plot.width) * 2, Motion::Scroll);
            Some(Grid::new(run.store, &columns, end, run.interval).trace(run.series))
        })
        .collect();
    let Some(limits) = limits(traces.iter().flatten()) else { return };
    y_axis(limits, plot, theme, buffer);
    // The first lies on top.
    for (place, spans) in traces.iter().enumerate().rev() {
        let Some(spans) = spans else { continue };
        let ink = theme.style(Ink::Trace(place));
        trace(spans, limits, plot, ink, buffer);
        let end = spans.iter().rev().flatten().next();
        if let Some((low, high)) = end {
            let share = (limits.1 - (low + high) / 2.0) / (limits.1 - limits.0);
            let y = (share * f64::from(plot.height)).min(f64::from(plot.height) - 1.0).max(0.0) as u16;
            put(buffer, area, plot.right() - area.x + 1, y, &(place + 1).to_string(), ink);
        }
    }
    if has_times {
        x_axis(window, "s", plot, theme, buffer);
    }
}

fn differences(found: &Found, window: (f64, f64), theme: Theme, area: Rect, buffer: &mut Buffer) {
    put(buffer, area, 0, 0, &"─".repeat(usize::from(area.width)), theme.style(Ink::Faint));
    put(buffer, area, 1, 0, " difference from run 1 ", theme.style(Ink::Dim));
    let plot = plot_in(Rect { y: area.y + 1, height: area.height.saturating_sub(1), ..area }, true);
    if plot.height < 2 || plot.width < 8 {
        return;
    }
    let (from, to) = window;
    let lines: Vec<Spans> = found
        .outcomes
        .iter()
        .map(|own| {
            let points = own.difference.iter().map(|(at, value)| ((at - from) / (to - from), *value));
            spans(points, usize::from(plot.width) * 2)
        })
        .collect();
    let Some(limits) = limits(lines.iter()) else {
        put(buffer, plot, 1, 0, "the runs have no time in common here", theme.style(Ink::Text));
        return;
    };
    // Of runs that are the same there is no scale.
    let limits = if limits.1 - limits.0 < 1e-8 { (-1.0, 1.0) } else { limits };
    y_axis(limits, plot, theme, buffer);
    for (place, spans) in lines.iter().enumerate().skip(1) {
        trace(spans, limits, plot, theme.style(Ink::Trace(place)), buffer);
    }
    x_axis(window, "s", plot, theme, buffer);
}

/// The columns of the table: heading, width.
const CELLS: [(&str, u16); 7] =
    [("rows", 11), ("mean", 12), ("deviation", 11), ("noise", 11), ("min", 11), ("max", 11), ("difference", 22)];

fn numbers(room: &Compare, session: &Session, found: &Found, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let decimals = session.channel().map_or(3, |channel| channel.decimals() + 1);
    let unit = session.channel().map_or("", |channel| channel.settings().scale.unit());
    let room_left = area.width.saturating_sub(22);
    let shown = CELLS.iter().scan(0, |sum, (name, width)| {
        *sum += width;
        Some((*name, *width, *sum))
    });
    let cells: Vec<(&str, u16, u16)> = shown.take_while(|(_, _, end)| *end <= room_left).collect();
    put(
        buffer,
        area,
        1,
        0,
        &format!("run{}", if unit.is_empty() { String::new() } else { format!(", {unit}") }),
        theme.style(Ink::Dim),
    );
    for (name, width, end) in &cells {
        let place = Rect { x: area.x + 22 + end - width, width: *width, height: 1, y: area.y };
        put_right(buffer, place, 0, name, theme.style(Ink::Dim));
    }
    let mut y = 1;
    for (place, own) in found.outcomes.iter().enumerate() {
        let is_selected = place == room.selected;
        let ink = theme.style(if is_selected { Ink::Chosen } else { Ink::Text });
        put(buffer, area, 0, y, if is_selected { "▸" } else { " " }, ink);
        put(buffer, area, 1, y, &(place + 1).to_string(), theme.style(Ink::Trace(place)));
        put(buffer, area, 3, y, &cut(visible(own.name.as_bytes()), 18), ink);
        let texts = texts(own, decimals);
        for ((_, width, end), text) in cells.iter().zip(texts) {
            let cell = Rect { x: area.x + 22 + end - width, width: *width, height: 1, y: area.y + y };
            put_right(buffer, cell, 0, &text, ink);
        }
        y += 1;
        let cut_text = own.is_cut.then(|| "more rows than are looked at: zoom in for all of them".to_owned());
        if let Some(said) = own.said.clone().or(cut_text) {
            put(buffer, area, 3, y, &cut(said, area.width.saturating_sub(4)), theme.style(Ink::Dim));
            y += 1;
        }
        if y >= area.height {
            return;
        }
    }
}

fn texts(own: &Outcome, decimals: usize) -> Vec<String> {
    let mut out = match &own.amount {
        Some(amount) => {
            let found = amount.statistics;
            let noise = amount.noise.map_or("–".into(), |noise| fixed(noise, decimals));
            vec![
                grouped(found.count as u64),
                fixed(found.mean, decimals),
                fixed(found.deviation, decimals),
                noise,
                fixed(found.min, decimals),
                fixed(found.max, decimals),
            ]
        }
        None => vec!["–".to_owned(); 6],
    };
    out.push(match own.differs {
        Some((mean, deviation, _)) => format!("{} ± {}", short(cleaned(mean), 3), short(cleaned(deviation), 3)),
        None => String::new(),
    });
    out
}
