//! The help: the keys of the room where it was opened, then how do I …?, then all keys; the functions of formulas are a
//! page of their own. Made from the same tables that the program works by.

mod tasks;
mod text;

pub(crate) use text::Page;

use super::prompt::draw_input;
use super::{About, Effect, Place, Room, RoomId, listed};
use crate::keys::{Binding, CTRL, Key, NONE, keys};
use crate::screen::text::{cut, frame, put};
use crate::session::Session;
use crate::theme::{Ink, Theme};
use crossterm::event::KeyCode::{Char, Down, End, Enter, Esc, F, Home, PageDown, PageUp, Up};
use crossterm::event::{Event, KeyCode, KeyEvent};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use text::Line;
use tui_input::Input;
use tui_input::backend::crossterm::EventHandler;

/// The help as it is read.
#[derive(Debug, Default)]
pub(crate) struct Help {
    page: Page,
    /// The rooms in which it was opened, the nearest first.
    rooms: Vec<RoomId>,
    /// Lines by which it is scrolled down.
    scroll: u16,
    search: Input,
    /// The search is being typed.
    types: bool,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Up,
    Down,
    PageUp,
    PageDown,
    First,
    Last,
    Search,
    Close,
}

const KEYS: &[Binding<Action>] = keys! {
    [(Char('/'), NONE)], Action::Search, "/", "search the help", Some("/ search");
    [(Up, NONE)], Action::Up, "↑", "scroll up", None;
    [(Down, NONE)], Action::Down, "↓", "scroll down", Some("↑↓ scroll");
    [(PageUp, NONE)], Action::PageUp, "PgUp", "a page up", None;
    [(PageDown, NONE)], Action::PageDown, "PgDn", "a page down", None;
    [(Home, NONE)], Action::First, "Home", "the beginning", None;
    [(End, NONE)], Action::Last, "End", "the end", None;
    [(Esc, NONE), (Char('?'), NONE), (F(1), NONE), (Char('q'), NONE), (Enter, NONE), (Char('c'), CTRL)], Action::Close, "Esc", "close the help", Some("Esc close");
};

impl Room for Help {
    type Action = Action;
    const ABOUT: About = About { name: "help", help: "how do I …?, and all keys", place: Place::Over };

    fn bindings() -> Vec<(&'static Key, Action)> {
        listed(KEYS)
    }

    fn act(&mut self, action: Action, session: &mut Session) -> Vec<Effect> {
        match action {
            Action::Up => drop(self.scroll(-1, session)),
            Action::Down => drop(self.scroll(1, session)),
            Action::PageUp => drop(self.scroll(-15, session)),
            Action::PageDown => drop(self.scroll(15, session)),
            Action::First => self.scroll = 0,
            Action::Last => drop(self.scroll(10_000, session)),
            Action::Search => self.types = true,
            Action::Close => return vec![Effect::Close],
        }
        Vec::new()
    }

    fn is_typing(&self) -> bool {
        self.types
    }

    fn type_key(&mut self, key: KeyEvent) -> bool {
        match key.code {
            KeyCode::Enter | KeyCode::Down => self.types = false,
            KeyCode::Esc => (self.types, self.search) = (false, Input::default()),
            _ => drop(self.search.handle_event(&Event::Key(key))),
        }
        self.scroll = 0;
        true
    }

    fn paste(&mut self, text: &str) -> bool {
        self.types = true;
        crate::app::insert(&mut self.search, text);
        true
    }

    fn scroll(&mut self, by: i32, session: &mut Session) -> bool {
        let area = place(Rect::new(0, 0, session.size.0, session.size.1));
        let lines = self.lines(area).len() as i32;
        let most = (lines - i32::from(area.height.saturating_sub(3))).max(0);
        self.scroll = (i32::from(self.scroll) + by).clamp(0, most) as u16;
        true
    }

    fn draw(&self, _: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        let area = place(area);
        let title = if self.page == Page::Formulas { "functions of formulas" } else { "help" };
        let inner = frame(buffer, area, title, theme);
        if self.types || !self.search.value().is_empty() {
            draw_input(&self.search, theme, inner, 0, buffer);
        } else {
            put(buffer, inner, 0, 0, "/ search   ↑↓ PgUp PgDn scroll   Esc close", theme.style(Ink::Dim));
        }
        let body = Rect { y: inner.y + 1, height: inner.height.saturating_sub(1), ..inner };
        let lines = self.lines(area);
        let scroll = self.scroll.min((lines.len() as u16).saturating_sub(body.height));
        for (line, y) in lines.iter().skip(usize::from(scroll)).zip(0..body.height) {
            match line {
                Line::Heading(text) => {
                    put(buffer, body, 0, y, &cut(text.clone(), body.width), theme.style(Ink::Chosen));
                }
                Line::Pair(name, text, at) => {
                    put(buffer, body, 0, y, name, theme.style(Ink::Bright));
                    if !text.is_empty() {
                        put(buffer, body, *at as u16, y, text, theme.style(Ink::Text));
                    }
                }
                Line::Blank => {}
            }
        }
        let left = (lines.len() as u16).saturating_sub(scroll + body.height);
        if left > 0 {
            let row = Rect { y: area.bottom() - 1, height: 1, ..area };
            put(buffer, row, 3, 0, &format!(" ↓ {left} more lines "), theme.style(Ink::Bright));
        }
    }
}

/// The place of the help on a screen: all between its first and its last line.
fn place(area: Rect) -> Rect {
    Rect { y: area.y + 1.min(area.height), height: area.height.saturating_sub(2), ..area }
}

impl Help {
    /// What it is to show when it is opened next, and where.
    pub(crate) fn turn_to(&mut self, page: Page, rooms: Vec<RoomId>) {
        *self = Help { page, rooms, ..Help::default() };
    }

    fn lines(&self, area: Rect) -> Vec<Line> {
        text::lines(self.page, &self.rooms, self.search.value(), usize::from(area.width.saturating_sub(4)))
    }
}
