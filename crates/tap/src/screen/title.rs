//! The first row: what is watched, how the wire stands, what runs.

use super::text::{fitting, put};
use crate::app::App;
use crate::session::{Source, Taking, name_of};
use crate::theme::{Ink, Theme};
use amber_core::clock::Across;
use amber_core::digits::{clock, counted, duration, fixed, grouped};
use amber_io::LinkState;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use unicode_width::UnicodeWidthStr;

pub(super) fn draw(app: &App, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let mut right = right_parts(app);
    // The least important stand first and go first.
    let width = |parts: &[(Ink, String)]| parts.iter().map(|(_, text)| text.width() + 2).sum::<usize>();
    let left_least = 34;
    while right.len() > 1 && width(&right) + left_least > usize::from(area.width) {
        right.remove(0);
    }
    let right_width = width(&right) as u16;
    let left = Rect { width: area.width.saturating_sub(right_width), ..area };

    let mut x = put(buffer, left, 0, 0, " AMBER TAP ", theme.style(Ink::Alert)) + 1;
    let lamp = match app.session.source() {
        Source::Take(_) => (Ink::Bright, "▤ take"),
        Source::Live { link } => match link {
            LinkState::Open { baud: None, .. } if app.session.chain().unreadable().is_some() => {
                (Ink::Alert, "▲ not text")
            }
            LinkState::Open { .. } if app.session.chain().unreadable().is_some() => (Ink::Alert, "▲ wrong baud?"),
            LinkState::Open { .. } if app.session.chain().damaged_frames().is_some() => (Ink::Alert, "▲ damaged"),
            LinkState::Open { .. } if app.session.snapshot.rate > 0.0 => (Ink::Bright, "● live"),
            LinkState::Open { .. } if heard(app) => (Ink::Text, "◌ open, no rows yet"),
            LinkState::Open { .. } => (Ink::Text, "◌ open, silent"),
            LinkState::Opening => (Ink::Text, "◌ opening"),
            LinkState::Finding { .. } => (Ink::Bright, "◌ detecting baud"),
            LinkState::Lent { in_use: true, .. } => (Ink::Alert, "↗ lent, in use"),
            LinkState::Lent { .. } => (Ink::Alert, "↗ lent"),
            LinkState::Ended => (Ink::Bright, "■ at its end"),
            LinkState::Waiting { .. } => (Ink::Alert, "▲ not open"),
        },
    };
    x = put(buffer, left, x, 0, lamp.1, theme.style(lamp.0)) + 2;
    if !app.session.shared().name.is_empty() {
        let mark = if app.session.unsaved() { "*" } else { "" };
        x = put(buffer, left, x, 0, &format!("{}{mark}", app.session.shared().name), theme.style(Ink::Bright)) + 2;
    }
    let source = match app.session.source() {
        Source::Take(take) => take.folder.display().to_string(),
        Source::Live { .. } => app.session.source_text(),
    };
    let room = left.width.saturating_sub(x + 1);
    put(buffer, left, x, 0, &fitting(room, [source, String::new()]), theme.style(Ink::Dim));

    let mut x = area.width.saturating_sub(right_width);
    for (ink, text) in &right {
        x = put(buffer, area, x, 0, text, theme.style(*ink)) + 2;
    }
}

/// Whether bytes came in the last seconds.
fn heard(app: &App) -> bool {
    app.session.chain().newest().is_some_and(|newest| app.session.now.seconds_since(newest) < 3.0)
}

fn right_parts(app: &App) -> Vec<(Ink, String)> {
    let mut parts = Vec::new();
    if !app.session.is_take() {
        parts.push((Ink::Dim, app.session.wall(app.session.now, "%H:%M:%S")));
        let rate = app.session.snapshot.all_rates;
        let text = if rate > 0.0 { format!("{} rows/s", fixed(rate, 1)) } else { "no rows".into() };
        parts.push((Ink::Text, text));
    }
    if app.session.is_take() {
        let store = app.session.chain().store();
        let rows = store.rows();
        let ends = store.time(rows.start).zip(rows.end.checked_sub(1).and_then(|last| store.time(last)));
        let length = ends.map_or(0.0, |(first, last)| last.seconds_since(first));
        parts.push((
            Ink::Text,
            match app.session.across() {
                Across::Seconds => format!("{} over {}", counted(rows.end - rows.start, "row"), clock(length)),
                Across::Rows(_) => format!("{}, no clock", counted(rows.end - rows.start, "row")),
            },
        ));
    }
    if !app.rooms.checkup.findings.is_empty() {
        let count = app.rooms.checkup.findings.len();
        let word = if count == 1 { "finding" } else { "findings" };
        parts.push((Ink::Text, format!("{count} {word} (3 d)")));
    }
    let rejected: u64 = app.session.chains().map(|chain| chain.counts().rejected()).sum();
    let ink = if rejected > 0 { Ink::Bright } else { Ink::Dim };
    parts.push((ink, format!("rejected {}", grouped(rejected))));
    let skipped: u64 = app.session.chains().map(|chain| chain.counts().skipped).sum();
    if skipped > 0 {
        parts.push((Ink::Alert, format!(" skipped {} ", amber_core::digits::bytes(skipped))));
    }
    if let Some((what, share)) = app.session.underway() {
        parts.push((Ink::Bright, format!("{what} {:.0} %", (share * 100.0).floor())));
    }
    match (&app.session.taking, app.session.is_take()) {
        (Taking::Waiting { until }, _) => {
            let when = match until {
                Some(until) => {
                    format!("starts in {}", clock(until.seconds_since(app.session.now).max(0.0).ceil()))
                }
                None => format!("starts {}", app.session.shared().keep.start),
            };
            parts.push((Ink::Alert, format!(" ○ take {when} ")));
        }
        (Taking::Starting, _) => parts.push((Ink::Alert, " take starts ".into())),
        (Taking::Yes { folder, since, saved }, _) => {
            let name = name_of(folder);
            let rows = saved.as_ref().map_or(0, |saved| saved.tally.rows);
            let time = clock(app.session.now.seconds_since(*since));
            let left = app.session.seconds_left();
            let left = left.map_or(String::new(), |left| format!(", {} left", clock(left.ceil())));
            parts.push((Ink::Alert, format!(" ● {name} {time}{left} {} ", counted(rows, "row"))));
        }
        (Taking::No, _) => {}
    }
    if let Some((text, is_bad)) = crate::rooms::keep::in_title(&app.session) {
        parts.push((if is_bad { Ink::Alert } else { Ink::Text }, text));
    }
    if app.session.is_armed() {
        parts.push((Ink::Alert, " ⚠ ARMED ".into()));
    }
    if let Some(name) = app.session.flash() {
        parts.push((Ink::Alert, format!(" ◆ {name} ◆ ")));
    }
    if let Some(speed) = app.session.playing() {
        parts.push((Ink::Alert, format!(" ▶ plays at {speed} ")));
    }
    if let (Some(end), false) = (app.session.axis.held, app.session.is_take()) {
        let behind = duration(app.session.present().seconds_since(end).max(0.0).round());
        parts.push((Ink::Alert, format!(" ‖ HELD {behind} ago ")));
    }
    parts
}
