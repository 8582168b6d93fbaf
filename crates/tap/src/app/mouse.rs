//! The mouse: a click selects, a drag pans, the wheel zooms or scrolls what is under it. Everything has a key too.

use super::{App, Overlay};
use crate::rooms::list::Picked;
use crate::rooms::{Effect, RoomId, chart};
use crate::screen::{Hit, hit};
use crossterm::event::{MouseButton, MouseEvent, MouseEventKind};

/// What the mouse moves, among what is nudged.
const MOUSE: usize = 99;

/// Lines that a turn of the wheel moves.
const LINES: i32 = 3;

impl App {
    pub(super) fn mouse(&mut self, mouse: MouseEvent) -> Vec<Effect> {
        let (column, row) = (mouse.column, mouse.row);
        let wheel = match mouse.kind {
            MouseEventKind::ScrollUp => -1,
            MouseEventKind::ScrollDown => 1,
            _ => 0,
        };
        match self.overlays.last_mut() {
            Some(Overlay::List(list)) if wheel != 0 => {
                list.move_by(wheel);
                return Vec::new();
            }
            Some(Overlay::List(list)) if mouse.kind == MouseEventKind::Down(MouseButton::Left) => {
                let Picked::Item(act) = list.click(self.session.size, (column, row)) else { return Vec::new() };
                self.overlays.pop();
                return act(self);
            }
            Some(Overlay::Room(id)) if wheel != 0 => {
                self.rooms.get_mut(*id).scroll(wheel * LINES, &mut self.session);
                return Vec::new();
            }
            Some(_) => return Vec::new(),
            None => {}
        }
        let found = hit(self, column, row);
        self.session.refresh_soon();
        match (mouse.kind, found) {
            (MouseEventKind::ScrollUp | MouseEventKind::ScrollDown, Some(Hit::Chart(place, _))) => {
                self.session.zoom(wheel, place);
            }
            (MouseEventKind::ScrollUp | MouseEventKind::ScrollDown, Some(Hit::Room(id, _) | Hit::View(id, _))) => {
                self.rooms.get_mut(id).scroll(wheel * LINES, &mut self.session);
            }
            (MouseEventKind::Down(MouseButton::Left), Some(Hit::Channel(id))) => self.session.select(id),
            (MouseEventKind::Down(MouseButton::Left), Some(Hit::Chart(_, channel))) => {
                let area = crate::screen::chart_area(self);
                self.moved_line = area.and_then(|area| chart::line_at(&self.session, area, row));
                if let Some((id, _)) = self.moved_line {
                    self.session.select(id);
                    return Vec::new();
                }
                self.drag = Some((column, self.session.end()));
                if let Some(id) = channel {
                    self.session.select(id);
                }
            }
            (MouseEventKind::Down(MouseButton::Left), Some(Hit::Stage(stage))) => {
                self.show(RoomId::of_stage(stage));
            }
            (MouseEventKind::Down(MouseButton::Left), Some(Hit::Room(id, area) | Hit::View(id, area))) => {
                return self.rooms.get_mut(id).click((column, row), area, &mut self.session);
            }
            (MouseEventKind::Drag(MouseButton::Left), _) if self.moved_line.is_some() => self.move_line(row),
            (MouseEventKind::Drag(MouseButton::Left), _) => self.drag_to(column),
            (MouseEventKind::Up(_), _) => (self.drag, self.moved_line) = (None, None),
            _ => {}
        }
        Vec::new()
    }

    /// The line of a threshold follows the mouse.
    fn move_line(&mut self, row: u16) {
        let area = crate::screen::chart_area(self);
        let Some(((id, line), area)) = self.moved_line.clone().zip(area) else { return };
        let Some(to) = chart::value_at(&self.session, area, id, row).filter(|to| *to != line.value) else { return };
        self.session.is_nudge((MOUSE, 0));
        self.session.move_line(id, &line, to);
        self.moved_line = self
            .session
            .lines_of(id)
            .into_iter()
            .find(|moved| moved.of == line.of && moved.value == to)
            .map(|line| (id, line));
    }

    /// The chart follows the mouse.
    fn drag_to(&mut self, column: u16) {
        let Some((from, end)) = self.drag.filter(|(from, _)| *from != column) else { return };
        let width = f64::from(crate::screen::plot_width(self).max(1));
        let by = (f64::from(from) - f64::from(column)) / width * self.session.axis.span;
        self.session.show_until(end.plus(by));
    }
}
