//! The program without terminal, files or clock: messages come in with the time, requests go out as data for the shell.

mod hints;
mod mouse;
mod update;

pub(crate) use update::insert;

use crate::keys::Key;
use crate::rooms::help::Page;
use crate::rooms::list::List;
use crate::rooms::prompt::Prompt;
use crate::rooms::{AnyRoom, Place, RoomId, Rooms};
use crate::session::{Done, Session, Stage};
use amber_core::Stamp;
use amber_core::bench::Bench;
use amber_io::take::Report;
use amber_io::{Feed, PublishState};
use crossterm::event::{KeyEvent, MouseEvent};
use std::path::PathBuf;

/// What comes in.
#[derive(Debug)]
pub(crate) enum Message {
    Key(KeyEvent),
    /// Keys that came faster than anybody types: a text from another program.
    Burst(Vec<KeyEvent>),
    Mouse(MouseEvent),
    /// Text came from another program at once; never keys.
    Paste(String),
    /// From the source at this place.
    Feed(usize, Feed),
    /// From the keeper of the source at this place.
    Report(usize, Report),
    /// Publishing has ended, or could not begin.
    PublishingEnded(Result<PublishState, String>),
    /// A figure was written, or could not be.
    Figure(Result<Vec<PathBuf>, String>),
    /// A report was written, or why not.
    ReportWritten(Result<Vec<PathBuf>, String>),
    /// A file was written, or could not be: what it is, and where.
    Written(&'static str, Result<PathBuf, String>),
    /// The bench was written, or could not be.
    BenchSaved(Result<(PathBuf, Box<Bench>), String>),
    /// Another bench is in that file, so nothing was saved.
    BenchThere(PathBuf),
    /// What came of a task.
    Done(Done),
}

/// What stands over the screen.
#[derive(Debug)]
pub(crate) enum Overlay {
    /// A line is being typed.
    Prompt(Prompt),
    /// One of a list is being chosen.
    List(List),
    Room(RoomId),
}

/// The session, and the rooms that show it.
pub(crate) struct App {
    pub(crate) session: Session,
    pub(crate) rooms: Rooms,
    /// The rooms beside the view, the one that is shown last: a tool stands before the panel that it was opened from.
    side: Vec<RoomId>,
    /// The room in the middle.
    pub(crate) view: RoomId,
    /// Topmost last.
    pub(crate) overlays: Vec<Overlay>,
    /// The hints of the first minute, while there are any.
    hints: Option<hints::Hints>,
    /// Where the mouse was pressed on the chart, and the right edge then.
    drag: Option<(u16, Stamp)>,
    /// The line on the chart that the mouse moves, with its channel.
    moved_line: Option<(crate::session::ChannelId, crate::session::WatchedLine)>,
    /// The levels of the selected channel that were told with a bell: its number, and theirs.
    rung: (crate::session::ChannelId, u64),
}

impl App {
    /// Shows a session.
    pub(crate) fn new(session: Session) -> App {
        App {
            session,
            rooms: Rooms::default(),
            side: Vec::new(),
            view: RoomId::Chart,
            overlays: Vec::new(),
            hints: None,
            drag: None,
            moved_line: None,
            rung: Default::default(),
        }
    }

    /// What the view shows, as figures; what has none shows that of the chart.
    pub(crate) fn figures(&self) -> Vec<amber_plot::Figure> {
        let calibration = || {
            let own = self.session.channel()?.settings().scale.calibration()?;
            let of = crate::figure::analysis::Of::channel(&self.session, self.session.selected);
            crate::figure::analysis::calibration(&of, own)
        };
        let of_view: Vec<amber_plot::Figure> = match self.view {
            _ if self.side() == Some(RoomId::Calibrate) => calibration().into_iter().collect(),
            RoomId::Spectrum => self.rooms.spectrum.figure(&self.session).into_iter().collect(),
            RoomId::Block => self.rooms.block.figures(&self.session),
            RoomId::Events => self.rooms.events.figure(&self.session).into_iter().collect(),
            RoomId::Target => self.rooms.target.figure(&self.session).into_iter().collect(),
            RoomId::Interval => self.rooms.interval.figure(&self.session).into_iter().collect(),
            RoomId::Trial => self.rooms.trial.figure(&self.session).into_iter().collect(),
            RoomId::Compare => self.rooms.compare.figure(&self.session).into_iter().collect(),
            _ => Vec::new(),
        };
        let figures = if of_view.is_empty() { vec![crate::figure::of(&self.session)] } else { of_view };
        figures.into_iter().map(|figure| crate::figure::styled(figure, &self.session)).collect()
    }

    /// The figures of a report: the chart, and that of the view, where it has one of its own.
    pub(crate) fn report_figures(&self) -> Vec<amber_plot::Figure> {
        let chart = crate::figure::styled(crate::figure::of(&self.session), &self.session);
        let own = self.figures().into_iter().filter(|figure| *figure != chart);
        [chart.clone()].into_iter().chain(own).collect()
    }

    /// The room beside the view, if there is one.
    pub(crate) fn side(&self) -> Option<RoomId> {
        self.side.last().copied()
    }

    /// Whether the chart is shown, with nothing over it.
    pub(crate) fn shows_chart(&self) -> bool {
        self.view == RoomId::Chart && self.overlays.is_empty()
    }

    /// Whether the panel of this stage is open.
    pub(crate) fn is_open(&self, stage: Stage) -> bool {
        self.side() == Some(RoomId::of_stage(stage))
    }

    /// The rooms whose keys work now, the nearest first; none while a line is typed or a list is open.
    pub(crate) fn places(&self) -> Vec<RoomId> {
        match self.overlays.last() {
            Some(Overlay::Room(id)) => vec![*id],
            Some(_) => Vec::new(),
            None => self.side().into_iter().chain([self.view, RoomId::Home]).collect(),
        }
    }

    /// The rows of tables that work now, the nearest first, each with its room and its place in the room's table. What a
    /// nearer room takes is left out.
    pub(crate) fn keys(&self) -> Vec<(RoomId, usize, &'static Key)> {
        let mut keys: Vec<(RoomId, usize, &'static Key)> = Vec::new();
        for id in self.places() {
            for (index, key) in id.keys().into_iter().enumerate() {
                let is_taken = |press| keys.iter().any(|(room, _, other)| *room != id && other.presses.contains(press));
                if !key.presses.iter().all(is_taken) {
                    keys.push((id, index, key));
                }
            }
        }
        keys
    }

    /// Shows a room; closes it if it is open already.
    pub(crate) fn show(&mut self, id: RoomId) {
        let is_shown = self.side() == Some(id) || self.view == id;
        if is_shown && id != RoomId::Chart {
            return self.close(id);
        }
        if id == RoomId::Help {
            self.rooms.help.turn_to(Page::Main, self.places());
        }
        let room: &mut dyn AnyRoom = self.rooms.get_mut(id);
        if let Err(why) = room.open(&mut self.session) {
            return self.session.say(why, true);
        }
        match id.about().place {
            Place::Everywhere => {}
            Place::Middle => self.view = id,
            Place::Over => self.overlays.push(Overlay::Room(id)),
            Place::Side(_) => {
                // A tool goes back to the panel from which it was opened, and nothing else does.
                let is_panel = |id: &RoomId| Stage::ALL.iter().any(|stage| RoomId::of_stage(*stage) == *id);
                self.side.retain(|below| is_panel(below) && !is_panel(&id));
                self.side.push(id);
            }
        }
    }

    /// Shows a room if it is not shown yet.
    pub(crate) fn bring(&mut self, id: RoomId) {
        if self.side() != Some(id) && self.view != id {
            self.show(id);
        }
    }

    /// Closes a room.
    pub(crate) fn close(&mut self, id: RoomId) {
        match id.about().place {
            Place::Everywhere => {}
            Place::Middle => self.view = RoomId::Chart,
            Place::Over => self.overlays.retain(|overlay| !matches!(overlay, Overlay::Room(shown) if *shown == id)),
            Place::Side(_) => self.side.retain(|shown| *shown != id),
        }
    }
}

#[cfg(test)]
#[path = "made_up.rs"]
mod made_up;

#[cfg(test)]
#[path = "app_tests.rs"]
pub(crate) mod tests;

#[cfg(test)]
#[path = "wire_tests.rs"]
mod wire_tests;

#[cfg(test)]
#[path = "state_tests.rs"]
mod state_tests;

#[cfg(test)]
#[path = "keys_tests.rs"]
mod keys_tests;

#[cfg(test)]
#[path = "../rooms/tools_tests.rs"]
mod tools_tests;

#[cfg(test)]
#[path = "../rooms/watching_tests.rs"]
mod watching_tests;

#[cfg(test)]
#[path = "../rooms/keeping_tests.rs"]
mod keeping_tests;

#[cfg(test)]
#[path = "../rooms/analysis_tests.rs"]
mod analysis_tests;
