//! Where everything stands, from the screen's size and what is open. When room is short, in this order: the wire tail
//! shrinks, the readouts grow narrow, then an open panel takes their place.

use super::{chart, readouts, strip};
use crate::app::App;
use crate::rooms::{Place, RoomId};
use crate::session::{ChannelId, Stage};
use amber_core::bench::Kind;
use ratatui::layout::Rect;

/// The parts of the screen.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Layout {
    pub(super) title: Rect,
    pub(super) strip: Rect,
    pub(super) chart: Rect,
    /// The room beside the view.
    pub(super) side: Option<Rect>,
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
        let few =
            app.session.channel_ids().filter(|id| app.session.channel_at(*id).kind() != Kind::Clock).take(3).count()
                < 3;
        let side = match width {
            140.. if few => 48,
            140.. => 31,
            110.. => 27,
            _ => 22,
        };
        let wanted = app.side().map(|id| match id.about().place {
            Place::Side(columns) => columns,
            _ => 0,
        });
        let beside = wanted.is_some();
        let is_wide = wanted.is_some_and(|wanted| wanted > 50);
        let side_width = match (is_wide, width) {
            (_, 110..) => wanted.unwrap_or(0),
            (true, _) => width,
            (false, _) => 38,
        };
        let readouts_give_way = beside && width < side + side_width + 44;
        let side = if readouts_give_way { 0 } else { side };
        let most = if is_wide && width < 110 { width } else { (width - side) * 3 / 5 };
        let side_width = if beside { side_width.min(most) } else { 0 };
        let chart_rows = body - tail_rows;
        let middle = row(4, chart_rows);
        let left = width - side;
        let side_room = Rect { x: area.x + left - side_width, width: side_width, ..middle };
        Layout {
            title: row(0, 1),
            strip: row(1, 3),
            chart: Rect { width: left - side_width, ..middle },
            side: beside.then_some(side_room),
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
    /// The room beside the view, with its area.
    Room(RoomId, Rect),
    /// A view other than the chart, with its area.
    View(RoomId, Rect),
}

/// What stands at a place of the screen.
pub(crate) fn hit(app: &App, column: u16, row: u16) -> Option<Hit> {
    let session = &app.session;
    let (width, height) = session.size;
    if width < super::LEAST.0 || height < super::LEAST.1 {
        return None;
    }
    let layout = Layout::new(app, Rect::new(0, 0, width, height));
    let at = ratatui::layout::Position { x: column, y: row };
    if layout.strip.contains(at) {
        return strip::stage_at(layout.strip, column).map(Hit::Stage);
    }
    if let Some(area) = layout.readouts.filter(|area| area.contains(at)) {
        return readouts::channel_at(session, area, row).map(Hit::Channel);
    }
    if let Some((id, area)) = app.side().zip(layout.side).filter(|(_, area)| area.contains(at)) {
        return Some(Hit::Room(id, area));
    }
    let view = if app.view == RoomId::Lines {
        Rect { height: layout.chart.height + layout.tail.height, ..layout.chart }
    } else {
        layout.chart
    };
    if !view.contains(at) {
        return None;
    }
    if app.view != RoomId::Chart {
        return Some(Hit::View(app.view, view));
    }
    let channel = chart::channel_at(session, layout.chart, column, row);
    Some(Hit::Chart(chart::share_at(layout.chart, column), channel))
}
