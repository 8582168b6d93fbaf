//! The selected channel around the last events, aligned on them.

use super::{Capture, Events};
use crate::figure::analysis::{self, Of};
use crate::screen::plot::{GUTTER, Spans, limits, spans, trace, x_axis, y_axis};
use crate::screen::text::{cut, put, put_right};
use crate::session::Session;
use crate::theme::{Ink, Theme};
use amber_core::chain::Channel;
use amber_core::digits::counted;
use amber_core::watch::condition::Event;
use amber_plot::Figure;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// Events that are laid over one another.
const MOST: usize = 12;

/// The events that are laid over one another, the one that stands out last; and what is to be said of them.
fn chosen(events: &Events, session: &Session) -> (Vec<Event>, String) {
    let listed = events.listed(session);
    match events.capture {
        Capture::Once { after, captured: None } => {
            let has_begun = listed.iter().any(|event| event.number > after);
            let waits = if has_begun { "capturing …" } else { "waiting for the next event …" };
            (Vec::new(), format!("once: {waits} (c: repeatedly)"))
        }
        Capture::Once { captured: Some(number), .. } => {
            let found = listed.into_iter().find(|event| event.number == number);
            (found.into_iter().collect(), format!("once: event {number} captured (c: again)"))
        }
        Capture::Repeated => {
            let own = events.event(session);
            let same =
                |event: &&Event| own.is_some_and(|own| event.condition == own.condition && event.number <= own.number);
            let mut found: Vec<Event> = listed.iter().rev().filter(same).take(MOST).copied().collect();
            found.reverse();
            let told = format!("the last {}, the selected one bright (c: once)", counted(found.len() as u64, "event"));
            (found, told)
        }
    }
}

/// The seconds before and after an event that are shown.
fn stretch(events: &Events) -> (f64, f64) {
    (events.span * events.share, events.span * (1.0 - events.share))
}

/// A channel around an event: seconds from it, and values; NaN where rows do not follow from one another.
fn points<'a>(
    session: &'a Session,
    channel: &'a Channel,
    event: &Event,
    (before, behind): (f64, f64),
) -> impl Iterator<Item = (f64, f64)> + 'a {
    let (store, at) = (session.chain().store(), event.at);
    let rows = store.between(at.plus(-before), at.plus(behind));
    rows.filter_map(move |row| Some((row, store.time(row)?.seconds_since(at), channel.output().get(row)?))).flat_map(
        move |(row, seconds, value)| {
            let gap = store.breaks_before(row).then_some((seconds, f64::NAN));
            gap.into_iter().chain([(seconds, value)])
        },
    )
}

/// What is laid over one another, as a figure; none where nothing is.
pub(super) fn figure(events: &Events, session: &Session) -> Option<Figure> {
    let channel = session.channel()?;
    let (found, _) = chosen(events, session);
    let last = found.last()?;
    let condition = session.chain().conditions().settings().get(last.condition)?;
    let (before, behind) = stretch(events);
    let all: Vec<Vec<(f64, f64)>> =
        found.iter().map(|event| points(session, channel, event, (before, behind)).collect()).collect();
    let seconds = |at: amber_core::Stamp| at.seconds_since(last.at);
    let lasted = (seconds(last.began), last.ended.map(seconds));
    analysis::overlay(&Of::channel(session, session.selected), &condition.name, (-before, behind), &all, lasted)
}

pub(super) fn draw(events: &Events, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
    put(buffer, area, 0, 0, &"─".repeat(usize::from(area.width)), theme.style(Ink::Faint));
    let Some(channel) = session.channel() else { return };
    let (found, told) = chosen(events, session);
    let title = format!(" {} around events: {told} ", session.title(session.selected));
    put(buffer, area, 1, 0, &cut(title, area.width.saturating_sub(24)), theme.style(Ink::Bright));
    let told = format!(" {}, {:.0} % before ", session.across().length(events.span), events.share * 100.0);
    put_right(buffer, area, 0, &told, theme.style(Ink::Dim));
    let plot = Rect {
        x: area.x + GUTTER,
        y: area.y + 1,
        width: area.width.saturating_sub(GUTTER + 2),
        height: area.height.saturating_sub(2),
    };
    let (before, behind) = stretch(events);
    let of_event = |event: &Event| -> Spans {
        let points = points(session, channel, event, (before, behind));
        spans(points.map(|(at, value)| ((at + before) / events.span, value)), usize::from(plot.width) * 2)
    };
    let all: Vec<Spans> = found.iter().map(of_event).collect();
    let Some(ends) = limits(all.iter()) else { return };
    y_axis(ends, plot, theme, buffer);
    let across = session.across();
    x_axis((-across.of(before), across.of(behind)), across.unit(), plot, theme, buffer);
    let middle = (events.share * f64::from(plot.width)) as u16;
    for y in 0..plot.height {
        put(buffer, plot, middle.min(plot.width.saturating_sub(1)), y, "┊", theme.style(Ink::Text));
    }
    let ink = session.ink(session.selected);
    for (at, spans) in all.iter().enumerate() {
        let is_last = at + 1 == all.len();
        trace(spans, ends, plot, theme.style(if is_last { Ink::Trace(ink) } else { Ink::Pale(ink) }), buffer);
    }
}
