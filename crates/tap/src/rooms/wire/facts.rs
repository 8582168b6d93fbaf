//! Facts of stage 1: how the link stands, how evenly rows are spaced, what became of every byte.

use super::super::panel::Row;
use crate::session::Session;
use amber_core::clock::Across;
use amber_core::digits::{bytes, counted, fixed, grouped};
use amber_io::LinkState;

/// How the link stands.
pub(super) fn link(session: &Session, link: &LinkState) -> Vec<Row> {
    let tried = match link {
        LinkState::Open { tried, .. } | LinkState::Finding { tried, .. } => tried.as_slice(),
        _ => &[],
    };
    let mut rows = Vec::new();
    let is_text = matches!(link, LinkState::Ended | LinkState::Open { baud: None, .. });
    let wire = &session.chain().settings().wire;
    if is_text && !wire.is_input() && !wire.is_network() {
        rows.extend(Row::text(
            "",
            "rows have the times of the clock in the text or of a set rate; without either, rows are counted",
        ));
    }
    let state = match link {
        LinkState::Opening => "opening".to_owned(),
        LinkState::Finding { baud, .. } => format!("listening at {baud}"),
        LinkState::Open { .. } => "open".into(),
        LinkState::Waiting { .. } => "not open, retrying".into(),
        LinkState::Lent { in_use: true, .. } => "lent, in use".into(),
        LinkState::Lent { back: true, .. } => "lent, taken back automatically".into(),
        LinkState::Lent { .. } => "lent".into(),
        LinkState::Ended => "end of the text".into(),
    };
    rows.push(Row::fact("link", state));
    for tried in tried {
        let heard = tried.heard;
        let numbers = format!("{} of {} lines", heard.numbers, heard.lines);
        rows.push(Row::fact(format!("  {}", tried.baud), format!("{:.0} % text, {numbers}", heard.text * 100.0)));
    }
    rows
}

/// How evenly rows are spaced.
pub(super) fn spacing(session: &Session) -> Vec<Row> {
    let timer = session.chain().timer();
    let rate = session.snapshot.rate;
    let rate = if rate > 0.0 { fixed(rate, 1) } else { "none at present".into() };
    let across = session.across();
    let is_timed = across == Across::Seconds;
    let mut rows = if is_timed { vec![Row::fact("rate (rows/s)", rate)] } else { Vec::new() };
    if let Some(spacing) = session.chain().intervals().spacing().filter(|_| is_timed) {
        let (low, high) = spacing.spread;
        rows.push(Row::fact("interval, median", session.across().length(spacing.middle)));
        rows.push(Row::fact(
            "90 % within",
            format!("{} to {}", session.across().length(low), session.across().length(high)),
        ));
        rows.push(Row::fact("0 to 2 × median", bars(&spacing.histogram)));
        rows.push(Row::fact("longest", session.across().length(spacing.longest)));
        // A text does not arrive row by row.
        if !timer.is_text_time() {
            rows.push(Row::fact("burst size (rows)", fixed(spacing.burst, 1)));
        }
    }
    if let Some(drift) = timer.drift() {
        let which = match drift.ppm.round() {
            0.0 => "",
            ppm if ppm > 0.0 => " slow",
            _ => " fast",
        };
        rows.push(Row::fact("board's clock", format!("{:.0} ± {:.0} ppm{which}", drift.ppm.abs(), drift.error)));
    }
    if timer.resets() > 0 {
        rows.push(Row::fact("board restarted", counted(timer.resets(), "time")));
    }
    let verdict = session.chain().verdict();
    rows.extend(Row::text("even enough for a spectrum?", &verdict.reason));
    rows
}

/// What became of every byte.
pub(super) fn bytes_received(session: &Session) -> Vec<Row> {
    let counts = session.chain().counts();
    let mut rows = vec![Row::fact("received", bytes(counts.bytes + counts.skipped + counts.unkept))];
    for (name, count) in [
        ("skipped by the screen", counts.skipped),
        ("read while detecting the baud rate", counts.unkept),
        ("cut off at breaks", counts.cut_off),
        ("sent", counts.sent),
    ] {
        if count > 0 {
            rows.push(Row::fact(name, bytes(count)));
        }
    }
    if counts.merged > 0 {
        rows.push(Row::fact("link changes not shown", grouped(counts.merged)));
    }
    if let Some(share) = session.chain().unreadable() {
        rows.push(Row::fact("not text", format!("{:.0} %", share * 100.0)));
    }
    rows
}

/// Counts as a row of bars, a character each.
fn bars(counts: &[u32]) -> String {
    const BARS: [char; 9] = [' ', '▁', '▂', '▃', '▄', '▅', '▆', '▇', '█'];
    let most = f64::from(counts.iter().copied().max().unwrap_or(0).max(1));
    // A single interval among a thousand is still seen.
    let bar = |count: &u32| (f64::from(*count) / most * 8.0).ceil() as usize;
    counts.iter().map(|count| BARS.get(bar(count)).unwrap_or(&'█')).collect()
}
