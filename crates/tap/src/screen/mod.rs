//! Drawing: the state in, cells out. Nothing here changes the state.

pub(crate) mod big;
mod foot;
mod layout;
pub(crate) mod plot;
mod readout_places;
mod readouts;
mod strip;
pub(crate) mod tail;
pub(crate) mod text;
mod title;

pub(crate) use foot::draw_key;
pub(crate) use layout::{Hit, hit};

use crate::app::{App, Overlay};
use crate::rooms::{RoomId, chart, list, prompt};
use crate::session::Stage;
use crate::theme::{Ink, Theme};
use amber_core::Stamp;
use amber_core::window::Motion;
use layout::Layout;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use text::put;

/// The least size at which everything fits.
pub(crate) const LEAST: (u16, u16) = (60, 16);

/// What of the screen no longer holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Change {
    /// All of it holds.
    None,
    /// The newest end of the chart.
    Edge,
    /// The chart.
    Chart,
    /// Anything.
    All,
}

/// Remembers what the chart looked like when it was last drawn.
#[derive(Debug, Default)]
pub(crate) struct Drawn {
    shown: chart::Look,
    /// The instant at its right edge then.
    end: Stamp,
    /// What it looked like when it was last compared.
    latest: Option<chart::Look>,
}

impl Drawn {
    /// What rows have changed since.
    pub(crate) fn change(&mut self, app: &App) -> Change {
        let now = look(app);
        self.latest = Some(now);
        match (now.frame == self.shown.frame, now.edge == self.shown.edge) {
            // What is held stands still, unless it is being played.
            _ if app.session.is_held() && self.end == app.session.viewport.end => Change::None,
            _ if app.session.is_held() && app.shows_chart() => Change::Chart,
            (true, true) => Change::None,
            // Where something lies over the chart, all of it is drawn.
            _ if !app.shows_chart() => Change::All,
            // In a sweep the newest end is not at the right.
            (true, false) if app.session.axis.motion == Motion::Scroll => Change::Edge,
            _ => Change::Chart,
        }
    }

    /// The screen has just been drawn, as it was when it was compared last.
    pub(crate) fn remember(&mut self, app: &App) {
        self.shown = self.latest.take().unwrap_or_else(|| look(app));
        self.end = app.session.viewport.end;
    }
}

fn look(app: &App) -> chart::Look {
    let area = Rect::new(0, 0, app.session.size.0, app.session.size.1);
    if fits(area) { chart::look(&app.session, Layout::new(app, area).chart) } else { chart::Look::default() }
}

/// The chart, or its newest end, drawn alone; `None` where there is no chart, or no room for one.
pub(crate) fn draw_chart(app: &App, edge_alone: bool, theme: Theme) -> Option<Buffer> {
    let area = Rect::new(0, 0, app.session.size.0, app.session.size.1);
    if !fits(area) || !app.shows_chart() {
        return None;
    }
    // On a narrow screen a panel takes the chart's place.
    let chart = Some(Layout::new(app, area).chart).filter(|chart| chart.width >= chart::EDGE)?;
    let part = if edge_alone { Rect { x: chart.right() - chart::EDGE, width: chart::EDGE, ..chart } } else { chart };
    let mut buffer = Buffer::empty(part);
    buffer.set_style(buffer.area, theme.ground());
    chart::draw(&app.session, theme, chart, edge_alone, &mut buffer);
    Some(buffer)
}

/// The place of the chart, where it is all that stands there.
pub(crate) fn chart_area(app: &App) -> Option<Rect> {
    let area = Rect::new(0, 0, app.session.size.0, app.session.size.1);
    (fits(area) && app.shows_chart()).then(|| Layout::new(app, area).chart)
}

fn fits(area: Rect) -> bool {
    area.width >= LEAST.0 && area.height >= LEAST.1
}

/// Draws the whole screen; without the chart, where that stands in `buffer` already.
pub(crate) fn draw(app: &App, has_chart: bool, theme: Theme, buffer: &mut Buffer) {
    let area = buffer.area;
    let kept = if has_chart { chart_area(app) } else { None };
    for position in area.positions().filter(|position| !kept.is_some_and(|kept| kept.contains(*position))) {
        if let Some(cell) = buffer.cell_mut(position) {
            cell.set_style(theme.ground());
        }
    }
    if !fits(area) {
        let text = format!("too small: {} x {} or more", LEAST.0, LEAST.1);
        put(buffer, area, 0, 0, &text, theme.style(Ink::Text));
        return;
    }
    let layout = Layout::new(app, area);
    title::draw(app, theme, layout.title, buffer);
    strip::draw(app, theme, layout.strip, buffer);
    let session = &app.session;
    // The last lines are among those of the wire, so that they need no place of their own.
    let is_lines = app.view == RoomId::Lines;
    let middle = if is_lines { layout.chart.height + layout.tail.height } else { layout.chart.height };
    // On a narrow screen a panel takes all of its place.
    if !has_chart && layout.chart.width > 0 {
        app.rooms.get(app.view).draw(session, theme, Rect { height: middle, ..layout.chart }, buffer);
    }
    if let (Some(area), Some(id)) = (layout.side, app.side()) {
        app.rooms.get(id).draw(session, theme, area, buffer);
    }
    if let Some(area) = layout.readouts {
        readouts::draw(session, theme, area, buffer);
    }
    if !is_lines {
        tail::draw(session, app.is_open(Stage::Split), theme, layout.tail, buffer);
        if let Some(hint) = app.hint().filter(|_| session.trouble().is_none()) {
            let room = layout.tail.width.saturating_sub(16);
            let short = hint.split(';').next().unwrap_or(hint);
            let ends = [(hint, "   Esc: no more hints "), (hint, " "), (short, " ")];
            let texts = ends.map(|(hint, end)| format!(" ▸ {hint}{end}"));
            let text = text::cut(text::fitting(room, texts), room);
            text::put_right(buffer, layout.tail, 0, &text, theme.style(Ink::Chosen));
        }
    }
    foot::draw(app, theme, layout.foot, buffer);
    for overlay in &app.overlays {
        match overlay {
            Overlay::Prompt(prompt) => prompt::draw(prompt, theme, area, buffer),
            Overlay::List(list) => list::draw(list, &app.session, theme, area, buffer),
            Overlay::Room(id) => app.rooms.get(*id).draw(session, theme, area, buffer),
        }
    }
}

/// The columns of the chart's plots.
pub(crate) fn plot_width(app: &App) -> u16 {
    let area = Rect::new(0, 0, app.session.size.0, app.session.size.1);
    if fits(area) { chart::plot_width(Layout::new(app, area).chart) } else { 0 }
}

#[cfg(test)]
#[path = "screen_tests.rs"]
mod tests;
