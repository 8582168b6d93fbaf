//! The findings of the check-up.

use super::Checkup;
use crate::screen::text::{frame, put, wrapped};
use crate::session::{ChannelId, Session};
use crate::theme::{Ink, Theme};
use amber_core::digits::counted;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

pub(super) fn draw(room: &Checkup, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let inner = frame(buffer, area, "check-up of the channels", theme);
    let width = usize::from(inner.width).saturating_sub(4);
    let mut lines: Vec<(Ink, u16, String)> = Vec::new();
    let mut last = None;
    for (id, finding) in &room.findings {
        if last != Some(*id) {
            if last.is_some() {
                lines.push((Ink::Text, 0, String::new()));
            }
            lines.push((Ink::Trace(session.ink(*id)), 0, format!("{} {}", session.letter(*id), session.title(*id))));
            last = Some(*id);
        }
        lines.push((Ink::Bright, 2, format!("▲ {}", finding.kind_of_fault.name())));
        lines.extend(wrapped(&finding.evidence, width).into_iter().map(|line| (Ink::Text, 4, line)));
        let check = format!("→ {}", finding.check);
        lines.extend(wrapped(&check, width).into_iter().map(|line| (Ink::Dim, 4, line)));
    }
    if lines.is_empty() {
        let text = match room.looked_at {
            0 => "no analog channel was seen for long enough yet",
            all if all == room.unjudged.len() => {
                "no faults found: no channel hums with the mains, none moves with another"
            }
            _ => "no faults found: no channel is stuck, clipped, open, noisy, drifting or humming",
        };
        lines.extend(wrapped(text, width).into_iter().map(|line| (Ink::Bright, 0, line)));
    } else {
        let quiet = room
            .looked_at
            .saturating_sub(room.findings.iter().map(|(id, _)| *id).collect::<std::collections::BTreeSet<_>>().len());
        lines.push((Ink::Text, 0, String::new()));
        let limits = if room.unjudged.is_empty() { "" } else { ", as far as they can be judged" };
        let text = format!("no faults found in {quiet} of {} analog channels{limits}", room.looked_at);
        lines.extend(wrapped(&text, width + 4).into_iter().map(|line| (Ink::Dim, 0, line)));
    }
    // A sensor without power may be plain all the same.
    let has_fault = |id: &ChannelId| room.findings.iter().any(|(of, found)| of == id && found.kind_of_fault.is_grave());
    let unjudged: Vec<ChannelId> = room.unjudged.iter().copied().filter(|id| !has_fault(id)).collect();
    if !unjudged.is_empty() {
        let names: Vec<String> =
            unjudged.iter().map(|id| format!("{} {}", session.letter(*id), session.title(*id))).collect();
        let what = "power, clipping, open pins, noise and drift: add a converter with its bits (3)";
        lines.push((Ink::Text, 0, String::new()));
        lines.push((Ink::Bright, 0, format!("not judged in {}", counted(names.len() as u64, "channel"))));
        lines.extend(wrapped(what, width).into_iter().map(|line| (Ink::Text, 2, line)));
        lines.extend(wrapped(&names.join(", "), width).into_iter().map(|line| (Ink::Dim, 2, line)));
    }
    let rows = inner.height;
    let skip = room.scroll.min((lines.len() as u16).saturating_sub(rows));
    for ((ink, x, line), y) in lines.iter().skip(usize::from(skip)).zip(0..rows) {
        put(buffer, inner, *x, y, line, theme.style(*ink));
    }
    let left = (lines.len() as u16).saturating_sub(skip + rows);
    if left > 0 || skip > 0 {
        let text = if left > 0 { format!(" ↓ {left} more ") } else { " ↑ back ".into() };
        put(buffer, Rect { y: area.bottom() - 1, height: 1, ..area }, 2, 0, &text, theme.style(Ink::Bright));
    }
}
