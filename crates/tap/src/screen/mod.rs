//! Drawing: the state in, cells out. Nothing here changes the state.

mod bignum;
mod chart;
mod foot;
mod help;
mod layout;
mod lines;
mod panel;
mod pick;
mod prompt;
mod readouts;
mod strip;
mod table;
mod tail;
mod talk;
mod title;
mod tools;

pub(crate) use foot::draw_key;
pub(crate) use layout::{Hit, hit};
pub(crate) use panel::wrapped;
pub(crate) use prompt::draw_input;

use crate::app::{App, Overlay, View};
use crate::theme::{Ink, Theme};
use amber_core::bench::Kind;
use amber_core::tail::visible_char;
use amber_core::watch::Side;
use amber_core::window::Motion;
use layout::Layout;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;
use unicode_width::UnicodeWidthStr;

/// The least size at which everything fits.
pub(crate) const LEAST: (u16, u16) = (60, 16);

/// What of the screen no longer holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Change {
    /// All of it holds.
    None,
    /// The newest end of the chart.
    Edge,
    /// Anything.
    All,
}

/// Remembers what the chart looked like when it was last drawn.
#[derive(Debug, Default)]
pub(crate) struct Drawn(chart::Look);

impl Drawn {
    /// What rows have changed since.
    pub(crate) fn change(&self, app: &App) -> Change {
        let now = look(app);
        match (now.frame == self.0.frame, now.edge == self.0.edge) {
            _ if app.is_held() => Change::None,
            (true, true) => Change::None,
            // Where something lies over the chart, or the newest end is not at its right, all of it is drawn.
            (true, false)
                if app.overlays.is_empty()
                    && app.view == View::Chart
                    && !app.lines.open
                    && app.sight.motion == Motion::Scroll =>
            {
                Change::Edge
            }
            _ => Change::All,
        }
    }

    /// The screen has just been drawn.
    pub(crate) fn remember(&mut self, app: &App) {
        self.0 = look(app);
    }
}

fn look(app: &App) -> chart::Look {
    let area = Rect::new(0, 0, app.size.0, app.size.1);
    if fits(area) { chart::look(app, Layout::new(app, area).chart) } else { chart::Look::default() }
}

/// The newest end of the chart, drawn alone; `None` where the screen is too small for a chart.
pub(crate) fn draw_edge(app: &App, theme: Theme) -> Option<Buffer> {
    let area = Rect::new(0, 0, app.size.0, app.size.1);
    if !fits(area) {
        return None;
    }
    // On a narrow screen a panel takes the chart's place.
    let chart = Some(Layout::new(app, area).chart).filter(|chart| chart.width >= chart::EDGE)?;
    let mut buffer = Buffer::empty(Rect { x: chart.right() - chart::EDGE, width: chart::EDGE, ..chart });
    buffer.set_style(buffer.area, theme.ground());
    chart::draw(app, theme, chart, true, &mut buffer);
    Some(buffer)
}

fn fits(area: Rect) -> bool {
    area.width >= LEAST.0 && area.height >= LEAST.1
}

/// Draws the whole screen.
pub(crate) fn draw(app: &App, theme: Theme, buffer: &mut Buffer) {
    let area = buffer.area;
    buffer.set_style(area, theme.ground());
    if !fits(area) {
        let text = format!("too small: {} x {} or more", LEAST.0, LEAST.1);
        put(buffer, area, 0, 0, &text, theme.style(Ink::Text));
        return;
    }
    let layout = Layout::new(app, area);
    title::draw(app, theme, layout.title, buffer);
    strip::draw(app, theme, layout.strip, buffer);
    if app.lines.open {
        // The last lines are among them, so that they need no place of their own.
        lines::draw(app, theme, Rect { height: layout.chart.height + layout.tail.height, ..layout.chart }, buffer);
    } else {
        match app.view {
            View::Chart => chart::draw(app, theme, layout.chart, false, buffer),
            View::Number => bignum::draw(app, theme, layout.chart, buffer),
            View::Table => table::draw(app, theme, layout.chart, buffer),
        }
    }
    if let Some(area) = layout.panel {
        panel::draw(app, theme, area, buffer);
        tools::draw(app, theme, area, buffer);
    }
    if let Some(area) = layout.readouts {
        readouts::draw(app, theme, area, buffer);
    }
    if !app.lines.open {
        tail::draw(app, theme, layout.tail, buffer);
    }
    foot::draw(app, theme, layout.foot, buffer);
    for overlay in &app.overlays {
        match overlay {
            Overlay::Help(scroll) => help::draw(*scroll, theme, area, buffer),
            Overlay::Prompt(prompt) => prompt::draw(prompt, theme, area, buffer),
            Overlay::Pick(pick) => pick::draw(pick, theme, area, buffer),
            Overlay::Talk => talk::draw(app, theme, area, buffer),
            Overlay::QuitQuestion => prompt::draw_question(app, theme, area, buffer),
        }
    }
}

/// Writes `text` at column `x` and row `y` of `area`, cut at the edges of both `area` and `buffer`; gives the column
/// behind it. Names, units and paths come from files and people, so what a terminal would act on becomes a symbol here.
pub(crate) fn put(buffer: &mut Buffer, area: Rect, x: u16, y: u16, text: &str, style: Style) -> u16 {
    if y >= area.height || x >= area.width {
        return x;
    }
    let room = usize::from(area.width - x);
    let (left, row) = (area.x + x, area.y + y);
    let end = x + text.chars().count().min(room) as u16;
    if (buffer.area.y..buffer.area.bottom()).contains(&row) {
        let skip = usize::from(buffer.area.x.saturating_sub(left));
        let room = room.min(usize::from(buffer.area.right().saturating_sub(left)));
        for (c, column) in text.chars().take(room).zip(left..).skip(skip) {
            if let Some(cell) = buffer.cell_mut((column, row)) {
                cell.set_char(visible_char(c)).set_style(style);
            }
        }
    }
    end
}

/// Writes `text` so that it ends at the right edge of `area`.
pub(crate) fn put_right(buffer: &mut Buffer, area: Rect, y: u16, text: &str, style: Style) {
    let width = (text.width() as u16).min(area.width);
    put(buffer, area, area.width - width, y, text, style);
}

/// The first of `texts` that is no wider than `room`; the last one when none is.
fn fitting(room: u16, texts: impl IntoIterator<Item = String>) -> String {
    let mut last = String::new();
    for text in texts {
        if text.width() <= usize::from(room) {
            return text;
        }
        last = text;
    }
    last
}

/// A frame with a title over `area`; gives the room inside.
fn frame(buffer: &mut Buffer, area: Rect, title: &str, theme: Theme) -> Rect {
    use ratatui::widgets::{Block, BorderType, Clear, Widget};
    Clear.render(area, buffer);
    let block = Block::bordered()
        .border_type(BorderType::Thick)
        .border_style(theme.style(Ink::Faint))
        .style(theme.panel())
        .title(format!(" {} ", amber_core::tail::visible(title.as_bytes())))
        .title_style(theme.style(Ink::Bright));
    let inner = block.inner(area);
    block.render(area, buffer);
    Rect { x: inner.x + 1, width: inner.width.saturating_sub(2), ..inner }
}

/// A rectangle of this size in the middle of `area`.
fn centred(area: Rect, width: u16, height: u16) -> Rect {
    let (width, height) = (width.min(area.width), height.min(area.height));
    Rect { x: area.x + (area.width - width) / 2, y: area.y + (area.height - height) / 2, width, height }
}

/// On which side of its threshold a channel is, in a word.
pub(crate) fn side(side: Side, kind: Kind) -> &'static str {
    match (side, kind) {
        (Side::Unknown, _) => "not yet known",
        (Side::Above, Kind::Digital) => "high",
        (Side::Below, Kind::Digital) => "low",
        (Side::Above, _) => "above",
        (Side::Below, _) => "below",
    }
}

#[cfg(test)]
#[path = "screen_tests.rs"]
mod tests;
