//! Where everything stands, from the screen's size and what is open. When room is short, in this order: the wire tail
//! shrinks, the readouts grow narrow, then an open panel takes their place.

use super::{chart, readouts, strip};
use crate::app::{App, ChannelId, Stage, View};
use ratatui::layout::Rect;

/// The parts of the screen.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Layout {
    pub(super) title: Rect,
    pub(super) strip: Rect,
    pub(super) chart: Rect,
    pub(super) panel: Option<Rect>,
    pub(super) readouts: Option<Rect>,
    pub(super) tail: Rect,
    pub(super) foot: Rect,
}

impl Layout {
    pub(super) fn new(app: &App, area: Rect) -> Layout {
        let Rect { width, height, .. } = area;
        let row = |y: u16, rows: u16| Rect { y: area.y + y, height: rows, ..area };
        let tail_rows = match height {
            44.. => 9,
            36.. => 7,
            30.. => 5,
            20.. => 4,
            _ => 2,
        };
        let body = height - 5;
        let side = match width {
            140.. => 31,
            110.. => 27,
            _ => 22,
        };
        let beside = app.panel.is_some() || app.tool.is_some();
        let panel_width = match (app.tool.is_some(), width) {
            (true, 110..) => 62,
            (true, _) => width,
            (false, 110..) => 42,
            (false, _) => 38,
        };
        let readouts_give_way = beside && width < side + panel_width + 44;
        let side = if readouts_give_way { 0 } else { side };
        let most = if app.tool.is_some() && width < 110 { width } else { (width - side) * 3 / 5 };
        let panel_width = if beside { panel_width.min(most) } else { 0 };
        let chart_rows = body - tail_rows;
        let middle = row(4, chart_rows);
        let left = width - side;
        let panel = Rect { x: area.x + left - panel_width, width: panel_width, ..middle };
        Layout {
            title: row(0, 1),
            strip: row(1, 3),
            chart: Rect { width: left - panel_width, ..middle },
            panel: beside.then_some(panel),
            readouts: (side > 0).then(|| Rect { x: area.x + left, width: side, ..row(4, body) }),
            tail: Rect { width: left, ..row(4 + chart_rows, tail_rows) },
            foot: row(height - 1, 1),
        }
    }
}

/// What the mouse points at.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Hit {
    /// The chart, at this share of its width, on the lane or near the trace of a channel.
    Chart(f64, Option<ChannelId>),
    /// A channel's readout.
    Channel(ChannelId),
    /// A cell of the chain.
    Stage(Stage),
}

/// What stands at a place of the screen.
pub(crate) fn hit(app: &App, column: u16, row: u16) -> Option<Hit> {
    let (width, height) = app.size;
    if width < super::LEAST.0 || height < super::LEAST.1 {
        return None;
    }
    let layout = Layout::new(app, Rect::new(0, 0, width, height));
    let at = ratatui::layout::Position { x: column, y: row };
    if layout.strip.contains(at) {
        return strip::stage_at(layout.strip, column).map(Hit::Stage);
    }
    if let Some(area) = layout.readouts.filter(|area| area.contains(at)) {
        return readouts::channel_at(app, area, row).map(Hit::Channel);
    }
    if layout.chart.contains(at) && app.view == View::Chart && !app.lines.open {
        let channel = chart::channel_at(app, layout.chart, column, row);
        return Some(Hit::Chart(chart::share_at(layout.chart, column), channel));
    }
    None
}
