//! The time axis, and marks.

use crate::screen::text::put;
use crate::session::{Session, Source};
use crate::theme::{Ink, Theme};
use amber_core::Stamp;
use amber_core::axis::ticks;
use amber_core::digits::fixed;
use amber_core::window::{Columns, Motion};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The row below the plots. A take counts from its start, a live chart backwards from its right edge, a sweep from
/// its left edge.
pub(super) fn axis(session: &Session, theme: Theme, columns: &Columns, area: Rect, plot: Rect, buffer: &mut Buffer) {
    put(buffer, area, 0, 0, &"─".repeat(usize::from(area.width)), theme.style(Ink::Faint));
    let view = &session.viewport;
    let across = session.across();
    // What the axis counts, in its own unit.
    let span = across.of(view.span);
    let (from, sign) = match (session.source(), session.axis.motion()) {
        (Source::Take(take), _) => (across.of(view.end.seconds_since(take.start)) - span, ""),
        (_, Motion::Scroll) => (-span, ""),
        (_, Motion::Sweep) => (0.0, "+"),
    };
    let text = format!(
        " {} across ",
        across.length(if view.span > 5.0 { (view.span * 10.0).round() / 10.0 } else { view.span })
    );
    let first = put(buffer, area, 0, 0, &text, theme.style(Ink::Text));
    let (values, places) = ticks(from, from + span, usize::from(plot.width / 14).max(2));
    for value in values {
        let x = ((value - from) / span * f64::from(plot.width)).round() as u16;
        let label = if value == 0.0 && !session.is_take() && sign.is_empty() {
            if session.is_held() { "held".to_owned() } else { "now".to_owned() }
        } else {
            format!("{sign}{} {}", fixed(value, places), across.unit())
        };
        let width = label.chars().count() as u16;
        let left = (plot.x - area.x + x).saturating_sub(width / 2).min(area.width.saturating_sub(width));
        if left >= first {
            put(buffer, area, left, 0, &label, theme.style(Ink::Dim));
        }
    }
    if session.axis.motion() == Motion::Sweep
        && let Some(x) = columns.places.iter().position(Option::is_none)
    {
        put(buffer, area, plot.x - area.x + (x / 2) as u16, 0, "▲", theme.style(Ink::Bright));
    }
}

/// Events as signs at the top of a plot, with the name of their condition where there is room.
pub(super) fn events(session: &Session, theme: Theme, columns: &Columns, plot: Rect, buffer: &mut Buffer) {
    let chain = session.chain();
    let begin = session.viewport.begin;
    let first = chain.events().partition_point(|event| event.at < begin);
    let (mut free, mut drawn) = (0, None);
    // Below the numbers of marks.
    let y = u16::from(!session.marks.is_empty() && plot.height > 3);
    for event in chain.events().range(first..).take_while(|event| event.at <= session.viewport.end) {
        let Some(x) = columns.place_of(event.at).map(|place| (place / 2) as u16) else { continue };
        // Of many in one place, one sign is seen.
        if drawn.replace(x) == Some(x) {
            continue;
        }
        let is_own = event.condition == session.selected_condition;
        let ink = theme.style(match session.gone_to() {
            Some(at) if at == event.at => Ink::Chosen,
            _ if is_own => Ink::Bright,
            _ => Ink::Dim,
        });
        put(buffer, plot, x, y, "◆", ink);
        let name = chain.conditions().settings().get(event.condition).map_or("", |own| own.name.as_str());
        let end = x + 2 + name.chars().count() as u16;
        let next = chain.events().get(chain.events().partition_point(|other| other.number <= event.number));
        let next = next.and_then(|next| columns.place_of(next.at)).map_or(plot.width, |place| (place / 2) as u16);
        if x >= free && end < next.min(plot.width) {
            put(buffer, plot, x + 1, y, &format!(" {name}"), ink);
            free = end + 1;
        }
    }
}

/// Marks as dotted upright lines with their numbers.
pub(super) fn marks(session: &Session, theme: Theme, columns: &Columns, plot: Rect, buffer: &mut Buffer) {
    let in_view = |at: Stamp| columns.place_of(at).map(|place| (place / 2) as u16);
    for mark in &session.marks {
        let Some(x) = in_view(mark.at) else { continue };
        for y in 0..plot.height {
            put(buffer, plot, x, y, "┊", theme.style(Ink::Text));
        }
        put(buffer, plot, x, 0, &format!("{}", mark.number), theme.style(Ink::Chosen));
    }
}

/// Cursors as upright lines through all plots, with their numbers below; the active one stands out.
pub(super) fn cursors(
    session: &Session,
    theme: Theme,
    columns: &Columns,
    plots: impl Iterator<Item = Rect> + Clone,
    axis: Rect,
    buffer: &mut Buffer,
) {
    let Some(cursors) = session.cursors else { return };
    for (number, at) in cursors.at.iter().enumerate() {
        let Some(x) = columns.place_of(*at).map(|place| (place / 2) as u16) else { continue };
        let is_active = number == cursors.active;
        let style = theme.style(if is_active { Ink::Bright } else { Ink::Text });
        for plot in plots.clone() {
            for y in 0..plot.height {
                put(buffer, plot, x, y, if is_active { "┃" } else { "│" }, style);
            }
        }
        if let Some(plot) = plots.clone().next() {
            let ink = theme.style(if is_active { Ink::Chosen } else { Ink::Text });
            put(buffer, axis, plot.x - axis.x + x, 0, &(number + 1).to_string(), ink);
        }
    }
}
