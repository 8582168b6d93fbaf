//! The takes in the folder: when, how long, what is in them, a glance at a trace, what was written about them.

mod view;

use super::finder::open_take;
use super::list::{Item, List};
use super::{About, Effect, Place, Room, RoomId, listed};
use crate::keys::{Binding, Key, NONE, keys};
use crate::rooms::prompt::Prompt;
use crate::session::{Session, TakeChange};
use crate::theme::Theme;
use amber_io::take::{Glance, name_fault};
use crossterm::event::KeyCode::{Char, Down, End, Enter, Esc, Home, PageDown, PageUp, Up};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use std::path::PathBuf;

/// The list of takes.
#[derive(Debug, Default)]
pub(crate) struct Takes {
    /// The selected one, by its folder; the first where there is none.
    selected: Option<PathBuf>,
    /// Words that those which are listed hold.
    search: String,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Up,
    Down,
    PageUp,
    PageDown,
    First,
    Last,
    Open,
    Search,
    Rename,
    Note,
    Delete,
    Choose,
    Compare,
    Close,
}

const KEYS: &[Binding<Action>] = keys! {
    [(Up, NONE)], Action::Up, "↑", "the take above", None;
    [(Down, NONE)], Action::Down, "↓", "the take below", Some("↑↓ take");
    [(PageUp, NONE)], Action::PageUp, "PgUp", "some takes up", None;
    [(PageDown, NONE)], Action::PageDown, "PgDn", "some takes down", None;
    [(Home, NONE)], Action::First, "Home", "the newest take", None;
    [(End, NONE)], Action::Last, "End", "the oldest take", None;
    [(Enter, NONE)], Action::Open, "Enter", "open the take in place of what is watched", Some("Enter open");
    [(Char('f'), NONE)], Action::Search, "f", "search: only takes that hold these words", Some("f search");
    [(Char('e'), NONE)], Action::Note, "e", "write a note about the take", Some("e note");
    [(Char('r'), NONE)], Action::Rename, "r", "rename the take", Some("r rename");
    [(Char('x'), NONE)], Action::Delete, "x", "delete the take; asks first", Some("x delete");
    [(Char('a'), NONE)], Action::Choose, "a", "add the take to the comparison, or take it out", Some("a add");
    [(Char('c'), NONE)], Action::Compare, "c", "compare the takes that were added, and what is watched", Some("c compare");
    [(Esc, NONE)], Action::Close, "Esc", "back to the chart", Some("Esc chart");
};

impl Takes {
    /// The takes that hold the words that are searched for.
    fn found<'a>(&self, session: &'a Session) -> Vec<&'a Glance> {
        let words: Vec<String> = self.search.to_lowercase().split_whitespace().map(str::to_owned).collect();
        let holds = |glance: &&Glance| {
            let date = glance.start.map_or(String::new(), |at| session.wall(at, "%Y-%m-%d %H:%M"));
            let all = [&glance.name, &glance.note, &glance.bench, &glance.channels.join(" "), &date];
            let all = all.map(|text| text.to_lowercase()).join("\n");
            words.iter().all(|word| all.contains(word))
        };
        session.takes.glances.iter().filter(holds).collect()
    }

    fn place(&self, found: &[&Glance]) -> usize {
        found.iter().position(|glance| Some(&glance.folder) == self.selected.as_ref()).unwrap_or(0)
    }
}

impl Room for Takes {
    type Action = Action;
    const ABOUT: About =
        About { name: "takes", help: "takes in the folder: date, length, channels, notes", place: Place::Middle };

    fn bindings() -> Vec<(&'static Key, Action)> {
        listed(KEYS)
    }

    fn open(&mut self, session: &mut Session) -> Result<(), String> {
        session.list_takes(None);
        Ok(())
    }

    fn act(&mut self, action: Action, session: &mut Session) -> Vec<Effect> {
        match action {
            Action::Close => return vec![Effect::Show(RoomId::Chart)],
            Action::Search => {
                let hint = "words of a name, a note, a channel or a date; nothing lists all takes";
                let search = |app: &mut crate::app::App, text: &str| {
                    app.rooms.takes.search = text.trim().to_owned();
                    Ok(Vec::new())
                };
                return vec![Effect::Ask(Prompt::new("search takes", hint, self.search.clone(), search))];
            }
            Action::Compare => return super::compare::begin(session),
            _ => {}
        }
        let found = self.found(session);
        let place = self.place(&found);
        let Some(own) = found.get(place).map(|glance| (*glance).clone()) else {
            session.say("no take is listed: t makes one while watching, f searches others", true);
            return Vec::new();
        };
        let last = found.len() - 1;
        let to = match action {
            Action::Up => place.saturating_sub(1),
            Action::Down => (place + 1).min(last),
            Action::PageUp => place.saturating_sub(5),
            Action::PageDown => (place + 5).min(last),
            Action::First => 0,
            Action::Last => last,
            _ => place,
        };
        self.selected = found.get(to).map(|glance| glance.folder.clone());
        match action {
            Action::Open => return open_take(session, own.folder),
            Action::Choose => session.choose_take(own.folder),
            Action::Delete if session.is_in_use(&own.folder) => {
                session.say(format!("{} is in use here: open another one, or end it, first", own.name), true);
            }
            Action::Rename if session.is_written(&own.folder) => {
                session.say(format!("{} is being recorded: end it first (t)", own.name), true);
            }
            Action::Rename => {
                let name = own.name.clone();
                let rename = move |app: &mut crate::app::App, text: &str| {
                    let text = text.trim();
                    if let Some(fault) = name_fault(text) {
                        return Err(fault.into());
                    }
                    app.rooms.takes.selected = Some(own.folder.with_file_name(text));
                    app.session.list_takes(Some(TakeChange::Rename(own.folder.clone(), text.into())));
                    Ok(Vec::new())
                };
                return vec![Effect::Ask(Prompt::new("name of the take", "the name of its folder", name, rename))];
            }
            Action::Note => {
                let note = own.note.clone();
                let change = move |app: &mut crate::app::App, text: &str| {
                    app.session.list_takes(Some(TakeChange::Note(own.folder.clone(), text.trim().into())));
                    Ok(Vec::new())
                };
                let title = format!("note of {}", own.name);
                return vec![Effect::Ask(Prompt::new(
                    title,
                    "kept as note.txt in the take; nothing removes it",
                    note,
                    change,
                ))];
            }
            Action::Delete => return vec![Effect::Choose(ask_delete(&own))],
            _ => {}
        }
        Vec::new()
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        let found = self.found(session);
        view::draw(session, &found, self.place(&found), &self.search, (theme, area), buffer);
    }
}

fn ask_delete(own: &Glance) -> List {
    let folder = own.folder.clone();
    let delete = move |app: &mut crate::app::App| {
        app.session.list_takes(Some(TakeChange::Delete(folder.clone())));
        Vec::new()
    };
    let about = format!("its files are removed from the disk: {}", amber_core::digits::bytes(own.bytes));
    let items = vec![
        Item::new("keep it", "", |_| Vec::new()).with_key("k"),
        Item::new(format!("delete {}", own.name), about, delete).with_key("d"),
    ];
    List::new(format!("delete {} for good?", own.name), items, 0).by_letter()
}
