//! The tools beside the chart.

mod calibrate;
mod doctor;
mod survey;

use crate::app::{App, Tool};
use crate::theme::Theme;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

pub(super) fn draw(app: &App, theme: Theme, area: Rect, buffer: &mut Buffer) {
    match app.tool {
        Some(Tool::Calibrate) => calibrate::draw(app, theme, area, buffer),
        Some(Tool::Survey) => survey::draw(app, theme, area, buffer),
        Some(Tool::Doctor) => doctor::draw(app, theme, area, buffer),
        None => {}
    }
}
