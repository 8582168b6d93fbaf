//! What stands beside the chart to work with a channel: calibration, survey of its travel, the doctor's look.

mod calibrate;
mod doctor;
mod survey;

pub(crate) use calibrate::{Calibrating, Known, Row as CalibrationRow};
pub(crate) use doctor::Doctor;
pub(crate) use survey::Surveying;

use super::{App, View};

/// A tool.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Tool {
    Calibrate,
    Survey,
    Doctor,
}

impl App {
    /// Opens a tool in the place of a panel, or closes it.
    pub(super) fn open_tool(&mut self, tool: Tool) {
        let open = self.tool == Some(tool);
        (self.panel, self.lines.open, self.view) = (None, false, View::Chart);
        self.tool = (!open).then_some(tool);
        match self.tool {
            Some(Tool::Survey) => self.begin_survey(),
            Some(Tool::Doctor) => self.look_at_all(),
            _ => {}
        }
    }
}
