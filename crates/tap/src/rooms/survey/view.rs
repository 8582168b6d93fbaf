//! The survey of a channel's travel.

use super::{Found, Survey};
use crate::screen::text::{frame, put, put_right, wrapped};
use crate::session::Session;
use crate::theme::{Ink, Theme};
use amber_core::digits::{counted, fixed};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

pub(super) fn draw(room: &Survey, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let title = format!("survey of {} {}", session.letter(session.selected), session.title(session.selected));
    let inner = frame(buffer, area, &title, theme);
    let width = usize::from(inner.width);
    let Some(found) = &room.found else {
        let text = "turn the knob or lever slowly through its whole travel, from one end to the other and back; what it \
            reaches, leaves out and jumps over is told here";
        for (line, y) in wrapped(text, width).iter().zip(0..) {
            put(buffer, inner, 0, y, line, theme.style(Ink::Bright));
        }
        return;
    };
    track(found, theme, Rect { height: 3, ..inner }, buffer);
    let mut y = 4;
    for (name, raw, scaled) in ends(session, found) {
        put(buffer, inner, 0, y, name, theme.style(Ink::Dim));
        put_right(buffer, Rect { width: 24.min(inner.width), ..inner }, y, &raw, theme.style(Ink::Text));
        put_right(buffer, Rect { width: 42.min(inner.width), ..inner }, y, &scaled, theme.style(Ink::Bright));
        y += 1;
    }
    y += 1;
    for told in told(session, found) {
        for (i, line) in wrapped(&told, width.saturating_sub(2)).into_iter().enumerate() {
            put(buffer, inner, 0, y, if i == 0 { "·" } else { " " }, theme.style(Ink::Bright));
            put(buffer, inner, 2, y, &line, theme.style(Ink::Text));
            y += 1;
        }
    }
    for (hint, below) in ["Enter lets this travel become 0 to 100 %, or angles", "x begins again"].iter().zip(y + 1..) {
        put(buffer, inner, 0, below, hint, theme.style(Ink::Bright));
    }
}

/// The travel as a line, with its gaps and the place now.
fn track(found: &Found, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let width = area.width.saturating_sub(2);
    let column = |share: f64| (share.clamp(0.0, 1.0) * f64::from(width.saturating_sub(1))).round() as u16 + 1;
    put(buffer, area, 1, 1, &"━".repeat(usize::from(width)), theme.style(Ink::Text));
    for gap in &found.jumps {
        let (from, to) = (column(gap.from), column(gap.to));
        put(buffer, area, from, 1, &"╳".repeat(usize::from(to - from).max(1)), theme.style(Ink::Alert));
    }
    for place in &found.dropouts {
        put(buffer, area, column(*place), 1, "▼", theme.style(Ink::Alert));
    }
    put(buffer, area, column(0.5), 2, "┴", theme.style(Ink::Dim));
    put(buffer, area, column(found.share(found.now)), 0, "▼", theme.style(Ink::Bright));
    put(buffer, area, 1, 2, "min", theme.style(Ink::Dim));
    put_right(buffer, area, 2, "max ", theme.style(Ink::Dim));
}

/// Minimum, middle, maximum and now, raw and scaled.
fn ends(session: &Session, found: &Found) -> [(&'static str, String, String); 4] {
    let channel = session.channel();
    let line = |name, raw: f64| {
        let (places, raw_places) = channel.map_or((0, 0), |channel| (channel.decimals(), channel.raw_decimals()));
        let quantity = channel.map_or(raw, |channel| channel.quantity_of(raw));
        let unit = channel.map_or("", |channel| channel.settings().scale.unit());
        (name, fixed(raw, raw_places), amber_core::digits::with_unit(fixed(quantity, places), unit))
    };
    [line("min", found.least), line("middle", found.middle()), line("max", found.most), line("now", found.now)]
}

/// Sentences.
fn told(session: &Session, found: &Found) -> Vec<String> {
    let percent = |share: f64| format!("{:.0} %", share * 100.0);
    let mut lines = Vec::new();
    let here = found.share(found.now);
    let side = if here < 0.5 { "below" } else { "above" };
    lines.push(format!(
        "now at {} of the travel: {} {side} the middle, {} from the low end, {} from the high end",
        percent(here),
        percent((here - 0.5).abs()),
        percent(here.max(0.0)),
        percent((1.0 - here).max(0.0))
    ));
    let converter = session.channel().and_then(|channel| channel.settings().scale.converter().map(|(_, c)| c.clone()));
    if let Some(converter) = converter.filter(|converter| converter.bits.is_some()) {
        let top = converter.top_code();
        lines.push(format!(
            "it uses {} of the converter's {} codes",
            percent((found.most - found.least) / top),
            top + 1.0
        ));
        if found.least <= 0.0 {
            lines.push("it reaches the converter's low end: what lies below is lost".into());
        }
        if found.most >= top {
            lines.push("it reaches the converter's high end: what lies above is lost".into());
        }
    }
    for (dead, stood, end) in [(found.dead.0, found.stood.0, "low"), (found.dead.1, found.stood.1, "high")] {
        let seconds = session.chain().interval().map(|interval| session.across().length(stood as f64 * interval));
        if dead {
            lines.push(format!(
                "a dead end: at the {end} end the reading stands still, {} in all, while it moves at the other end",
                seconds.unwrap_or_default()
            ));
        }
    }
    for gap in found.jumps.iter().take(4) {
        let why = if gap.times > 1 { "a dead spot, or a worn track" } else { "a dead spot, or turned too fast" };
        lines.push(format!(
            "jumps from {} to {}, {}: {why}",
            percent(gap.from),
            percent(gap.to),
            counted(gap.times as u64, "time")
        ));
    }
    if !found.dropouts.is_empty() {
        let places: Vec<String> = found.dropouts.iter().take(5).map(|place| percent(*place)).collect();
        lines.push(format!("drops out at {}: the contact lifts there for a moment", places.join(", ")));
    }
    if found.jumps.is_empty() && found.dropouts.is_empty() {
        lines.push(format!("no jumps and no dead spots between, over {}", counted(found.rows as u64, "row")));
    }
    lines
}
