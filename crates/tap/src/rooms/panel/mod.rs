//! The panel of a stage: a list of rows, each a setting, a tool of the stage, or a fact; one of them is selected. What a
//! panel shows is its stage's affair ([`StagePanel`]); how its rows are moved over, changed and drawn is the same for
//! all six.

mod parts;
mod setting;
mod view;

pub(crate) use parts::{PartList, add_row, head_row, part_rows, setting_rows};
pub(crate) use setting::{Choice, Input, Setting, SingleSetting, Way, ask_for, number_along};

use super::{About, Effect, Follow, Place, Room, listed};
use crate::keys::{Binding, Key, NONE, keys};
use crate::screen::text::wrapped;
use crate::session::{Session, Stage};
use crate::theme::Theme;
use crossterm::event::KeyCode::{Char, Delete, Down, Enter, Esc, Left, PageDown, PageUp, Right, Up};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use std::fmt::Debug;
use std::rc::Rc;

/// Columns of a panel's text, in which longer texts are broken.
const TEXT: usize = 34;

/// What a stage shows in its panel.
pub(crate) trait StagePanel: Default {
    /// What its own keys do.
    type Action: Copy + PartialEq + Debug + 'static;
    const STAGE: Stage;
    const HELP: &'static str;
    /// Its own keys; each of them is a row of the panel too.
    const KEYS: &'static [Binding<Self::Action>];
    /// What it is called, and its title.
    const NAME: &'static str = Self::STAGE.name();
    /// The list of parts that it shows, if it shows one; the first one where it shows several.
    const PARTS: Option<PartList> = None;

    /// The settings that it shows which stand alone.
    fn settings() -> Vec<&'static SingleSetting>;

    /// Its rows, without its tools.
    fn rows(&self, session: &Session) -> Vec<Row>;

    /// Time passed; see [`Room::follow`].
    fn follow(&mut self, _session: &mut Session, _time: Follow) -> bool {
        false
    }

    /// Does what one of its own keys says, while this row is selected.
    fn act(&mut self, action: Self::Action, row: Option<&Row>, session: &mut Session) -> Vec<Effect>;
}

/// A row of a panel.
#[derive(Clone)]
pub(crate) struct Row {
    /// Its name; empty for a line that goes on.
    pub(crate) name: String,
    pub(crate) value: String,
    /// What it means, shown while it is selected.
    pub(crate) help: String,
    pub(crate) kind: RowKind,
    /// The channel that it stands for, by its place.
    pub(crate) channel: Option<usize>,
    /// The part that it belongs to: its list, and its place there.
    pub(crate) part: Option<(PartList, usize)>,
}

/// What a row is.
#[derive(Clone)]
pub(crate) enum RowKind {
    Fact,
    Setting(Rc<dyn Setting>),
    /// Row so-and-so of the panel's own keys.
    Tool(usize),
}

impl Row {
    /// A setting as it is now; nothing where it does not apply.
    pub(crate) fn setting(setting: impl Setting + 'static, session: &Session) -> Option<Row> {
        let value = setting.shown(session)?;
        let (name, help) = (setting.name(session), setting.help(session).to_owned());
        Some(Row { name, value, help, kind: RowKind::Setting(Rc::new(setting)), channel: None, part: None })
    }

    pub(crate) fn fact(name: impl Into<String>, value: impl Into<String>) -> Row {
        let (name, value) = (name.into(), value.into());
        Row { name, value, help: String::new(), kind: RowKind::Fact, channel: None, part: None }
    }

    /// A blank row.
    pub(crate) fn blank() -> Row {
        Row::fact("", "")
    }

    /// A longer text, in rows of a panel's width.
    pub(crate) fn text(name: &str, words: &str) -> Vec<Row> {
        let lines = wrapped(words, TEXT).into_iter().map(|line| Row::fact("", line));
        let heading = (!name.is_empty()).then(|| Row::fact(name, ""));
        heading.into_iter().chain(lines).collect()
    }

    /// The settings among these, as they are now.
    pub(crate) fn settings(all: &'static [SingleSetting], session: &Session) -> impl Iterator<Item = Row> {
        all.iter().filter_map(|setting| Row::setting(setting, session))
    }

    pub(crate) fn can_be_selected(&self) -> bool {
        !matches!(self.kind, RowKind::Fact)
    }
}

/// A stage's panel: what it shows, and which row is selected.
#[derive(Debug, Default)]
pub(crate) struct Panel<S> {
    stage: S,
    /// The selected row, by its place among those that can be.
    selected: usize,
    /// Rows by which it is scrolled down, beyond what the selected one needs.
    scroll: u16,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action<A> {
    Own(A),
    Panel(Move),
    Part(parts::Action),
}

/// What the keys of every panel do.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Move {
    Close,
    Up,
    Down,
    Less,
    More,
    ScrollUp,
    ScrollDown,
    Edit,
}

const KEYS: &[Binding<Move>] = keys! {
    [(Up, NONE)], Move::Up, "↑", "the row above", None;
    [(Down, NONE)], Move::Down, "↓", "the row below", Some("↑↓ row");
    [(Left, NONE)], Move::Less, "←", "the choice before, or a little less", None;
    [(Right, NONE)], Move::More, "→", "the next choice, or a little more", Some("←→ change");
    [(Enter, NONE)], Move::Edit, "Enter", "type the setting, choose it from a list, or open the tool", Some("Enter edit");
    [(PageUp, NONE)], Move::ScrollUp, "PgUp", "scroll up, where the panel is too small", None;
    [(PageDown, NONE)], Move::ScrollDown, "PgDn", "scroll down", None;
    [(Esc, NONE)], Move::Close, "Esc", "close the panel (so does its number)", Some("Esc close");
};

const PART_KEYS: &[Binding<parts::Action>] = keys! {
    [(Char('a'), NONE)], parts::Action::Add, "a", "add one after the selected one", Some("a add"), channel;
    [(Char('x'), NONE), (Delete, NONE)], parts::Action::Delete, "x", "delete the selected one", Some("x delete"), channel;
    [(Char('<'), NONE)], parts::Action::Up, "<", "move it up", Some("<> move"), channel;
    [(Char('>'), NONE)], parts::Action::Down, ">", "move it down", None, channel;
    [(Char('p'), NONE)], parts::Action::Bypass, "p", "bypass it to compare, or use it again", Some("p bypass"), channel;
};

/// The keys of every panel, and of its list of parts, for the page of keys.
pub(crate) fn common_keys() -> [Vec<&'static Key>; 2] {
    [KEYS.iter().map(|binding| &binding.key).collect(), PART_KEYS.iter().map(|binding| &binding.key).collect()]
}

impl<S: StagePanel> Panel<S> {
    /// What the stage keeps of its own.
    pub(crate) fn stage_mut(&mut self) -> &mut S {
        &mut self.stage
    }

    /// All rows: what the stage shows, then its tools.
    fn all_rows(&self, session: &Session) -> Vec<Row> {
        let mut rows = self.stage.rows(session);
        if !S::KEYS.is_empty() {
            rows.push(Row::blank());
        }
        rows.extend(S::KEYS.iter().enumerate().map(|(index, binding)| Row {
            name: format!("{}  {}", binding.key.label, binding.key.help),
            help: binding.key.help.to_owned(),
            kind: RowKind::Tool(index),
            ..Row::fact("", "")
        }));
        rows
    }

    /// The selected row.
    fn row(&self, session: &Session) -> Option<Row> {
        self.all_rows(session).into_iter().filter(Row::can_be_selected).nth(self.selected)
    }

    fn count(&self, session: &Session) -> usize {
        self.all_rows(session).iter().filter(|row| row.can_be_selected()).count()
    }

    fn select_at(&mut self, at: usize, session: &mut Session) {
        self.selected = at.min(self.count(session).saturating_sub(1));
        self.scroll = 0;
        let Some(row) = self.row(session) else { return };
        if let Some(channel) = row.channel {
            session.selected.channel = channel;
        }
        if let Some((PartList::Conditions, at)) = row.part {
            session.selected_condition = at;
        }
    }

    fn step(&mut self, action: Move, session: &mut Session) -> Vec<Effect> {
        match action {
            Move::Close => {
                session.notice = None;
                return vec![Effect::Close];
            }
            Move::Up => self.select_at(self.selected.saturating_sub(1), session),
            Move::Down => self.select_at(self.selected + 1, session),
            Move::ScrollUp => self.scroll = self.scroll.saturating_sub(5),
            Move::ScrollDown => {
                let rows = self.all_rows(session).len();
                self.scroll = (self.scroll + 5).min(rows.saturating_sub(3) as u16);
            }
            Move::Less => return self.change(session, -1),
            Move::More => return self.change(session, 1),
            Move::Edit => {
                let Some(row) = self.row(session) else { return Vec::new() };
                return match &row.kind {
                    RowKind::Setting(setting) => setting::edit(setting, session),
                    RowKind::Tool(index) => match S::KEYS.get(*index) {
                        Some(tool) if tool.key.needs_channel && session.channel().is_none() => {
                            session.say("no channel yet: rows must arrive first", true);
                            Vec::new()
                        }
                        Some(tool) => self.stage.act(tool.action, Some(&row), session),
                        None => Vec::new(),
                    },
                    RowKind::Fact => Vec::new(),
                };
            }
        }
        Vec::new()
    }

    /// Moves the selected setting a little up (1) or down (-1), or to its next choice.
    fn change(&mut self, session: &mut Session, by: i32) -> Vec<Effect> {
        let Some(RowKind::Setting(setting)) = self.row(session).map(|row| row.kind) else { return Vec::new() };
        session.is_nudge((S::STAGE.number(), self.selected));
        setting.nudge(session, by)
    }

    fn change_parts(&mut self, action: parts::Action, session: &mut Session) -> Vec<Effect> {
        let Some(first) = S::PARTS else { return Vec::new() };
        let row = self.row(session);
        let part = row.as_ref().and_then(|row| row.part);
        if action == parts::Action::Add {
            return parts::ask(part.map_or(first, |(list, _)| list), part.map(|(_, at)| at), session);
        }
        let Some((list, at)) = part else {
            session.say("select one with ↑ and ↓ first", true);
            return Vec::new();
        };
        let to = parts::change(list, action, at, session);
        self.select_part(list, to, session);
        Vec::new()
    }

    /// Selects a part of a list.
    pub(crate) fn select_part(&mut self, list: PartList, part: usize, session: &mut Session) {
        if list == PartList::Conditions {
            session.selected_condition = part;
        }
        let rows = self.all_rows(session);
        let at = rows.iter().filter(|row| row.can_be_selected()).position(|row| row.part == Some((list, part)));
        self.select_at(at.unwrap_or(self.selected), session);
    }
}

impl<S: StagePanel> Room for Panel<S> {
    type Action = Action<S::Action>;
    const ABOUT: About = About { name: S::NAME, help: S::HELP, place: Place::Side(46) };

    fn bindings() -> Vec<(&'static Key, Self::Action)> {
        let own = listed(S::KEYS).into_iter().map(|(key, action)| (key, Action::Own(action)));
        let parts = if S::PARTS.is_some() { PART_KEYS } else { &[] };
        let parts = listed(parts).into_iter().map(|(key, action)| (key, Action::Part(action)));
        own.chain(parts).chain(listed(KEYS).into_iter().map(|(key, action)| (key, Action::Panel(action)))).collect()
    }

    fn open(&mut self, _: &mut Session) -> Result<(), String> {
        (self.selected, self.scroll) = (0, 0);
        Ok(())
    }

    fn act(&mut self, action: Self::Action, session: &mut Session) -> Vec<Effect> {
        match action {
            Action::Own(action) => {
                let row = self.row(session);
                self.stage.act(action, row.as_ref(), session)
            }
            Action::Panel(action) => self.step(action, session),
            Action::Part(action) => self.change_parts(action, session),
        }
    }

    fn settings() -> Vec<&'static SingleSetting> {
        S::settings()
    }

    fn follow(&mut self, session: &mut Session, time: Follow) -> bool {
        self.stage.follow(session, time)
    }

    fn rows(&self, session: &Session) -> Vec<Row> {
        self.all_rows(session)
    }

    fn select(&mut self, at: usize, session: &mut Session) {
        self.select_at(at, session);
    }

    fn scroll(&mut self, by: i32, session: &mut Session) -> bool {
        let rows = self.all_rows(session).len().saturating_sub(3) as i32;
        self.scroll = (i32::from(self.scroll) + by).clamp(0, rows) as u16;
        true
    }

    fn click(&mut self, at: (u16, u16), area: Rect, session: &mut Session) -> Vec<Effect> {
        let rows = self.all_rows(session);
        let Some(index) = view::row_at(&rows, self.selected, self.scroll, area, at) else { return Vec::new() };
        let Some(row) = rows.get(index).filter(|row| row.can_be_selected()) else { return Vec::new() };
        let place = rows.iter().take(index).filter(|row| row.can_be_selected()).count();
        let again = place == self.selected;
        self.select_at(place, session);
        // A click on what is selected already edits it.
        if again || matches!(row.kind, RowKind::Tool(_)) {
            return self.step(Move::Edit, session);
        }
        Vec::new()
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        let title = format!("{} {}", S::STAGE.number(), S::NAME);
        view::draw(&title, &self.all_rows(session), self.selected, self.scroll, theme, area, buffer);
    }
}
