//! A list to choose one entry from: type to filter, arrows to move, Enter to choose. Every choice is made with it.

mod view;

pub(crate) use view::draw;

use super::Effect;
use crate::app::{App, insert};
use crate::session::Session;
use crossterm::event::{Event, KeyCode, KeyEvent, KeyModifiers};
use nucleo_matcher::pattern::{AtomKind, CaseMatching, Normalization, Pattern};
use nucleo_matcher::{Config, Matcher, Utf32Str};
use ratatui::layout::Rect;
use std::rc::Rc;
use tui_input::Input;
use tui_input::backend::crossterm::EventHandler;

/// What choosing an entry does.
pub(crate) type Act = Rc<dyn Fn(&mut App) -> Vec<Effect>>;

/// What an entry means now; `None` where nothing can be said.
type Live = Rc<dyn Fn(&Session) -> Option<String>>;

/// An entry.
#[derive(Clone)]
pub(crate) struct Item {
    /// What it is called.
    pub(crate) name: String,
    /// What it means; empty where the name says all.
    pub(crate) about: String,
    /// What stands there in its place, where it changes while the list is open.
    live: Option<Live>,
    /// The key that does the same, or a letter that chooses it here.
    pub(crate) key: String,
    act: Act,
}

impl Item {
    pub(crate) fn new(
        name: impl Into<String>,
        about: impl Into<String>,
        act: impl Fn(&mut App) -> Vec<Effect> + 'static,
    ) -> Item {
        Item { name: name.into(), about: about.into(), live: None, key: String::new(), act: Rc::new(act) }
    }

    /// The same, whose meaning changes while the list is open.
    pub(crate) fn live(self, about: impl Fn(&Session) -> Option<String> + 'static) -> Item {
        Item { live: Some(Rc::new(about)), ..self }
    }

    /// What it means now.
    pub(crate) fn meaning(&self, session: &Session) -> String {
        self.live.as_ref().and_then(|live| live(session)).unwrap_or_else(|| self.about.clone())
    }

    /// The same, with the key that does the same.
    pub(crate) fn with_key(self, key: impl Into<String>) -> Item {
        Item { key: key.into(), ..self }
    }
}

/// What a key did.
pub(crate) enum Picked {
    /// The list is still open.
    Open,
    Cancelled,
    /// This is to be done.
    Item(Act),
}

/// A list.
pub(crate) struct List {
    pub(crate) title: String,
    /// Said while nothing matches.
    pub(crate) empty: &'static str,
    pub(crate) items: Vec<Item>,
    /// What is typed to filter it.
    pub(crate) input: Input,
    /// The places of the entries that match, the best first.
    pub(crate) matches: Vec<usize>,
    /// The selected one among the matches.
    pub(crate) selected: usize,
    /// A letter chooses the entry that it stands before, rather than filters.
    pub(crate) by_letter: bool,
    matcher: Matcher,
}

impl std::fmt::Debug for List {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let names: Vec<&str> = self.items.iter().map(|item| item.name.as_str()).collect();
        f.debug_struct("List").field("title", &self.title).field("items", &names).finish_non_exhaustive()
    }
}

impl List {
    /// A list with the entry at `selected` chosen.
    pub(crate) fn new(title: impl Into<String>, items: Vec<Item>, selected: usize) -> List {
        let matches = (0..items.len()).collect();
        List {
            title: title.into(),
            empty: "nothing matches: Backspace takes a letter back, Ctrl-U all",
            items,
            input: Input::default(),
            matches,
            selected,
            by_letter: false,
            matcher: Matcher::new(Config::DEFAULT),
        }
    }

    /// The same, whose entries are chosen by their letters.
    pub(crate) fn by_letter(self) -> List {
        List { by_letter: true, ..self }
    }

    /// The selected entry.
    pub(crate) fn item(&self) -> Option<&Item> {
        self.matches.get(self.selected).and_then(|place| self.items.get(*place))
    }

    /// Takes a key.
    pub(crate) fn press(&mut self, key: KeyEvent) -> Picked {
        let control = key.modifiers.contains(KeyModifiers::CONTROL);
        match key.code {
            KeyCode::Esc => return Picked::Cancelled,
            KeyCode::Char('c') if control => return Picked::Cancelled,
            KeyCode::Enter => return self.item().map_or(Picked::Open, |item| Picked::Item(item.act.clone())),
            KeyCode::Up => self.move_by(-1),
            KeyCode::Down | KeyCode::Tab => self.move_by(1),
            KeyCode::BackTab => self.move_by(-1),
            KeyCode::PageUp => self.move_by(-10),
            KeyCode::PageDown => self.move_by(10),
            KeyCode::Home => self.selected = 0,
            KeyCode::End => self.move_by(i32::MAX),
            KeyCode::Char(letter) if self.by_letter => {
                let found = self.items.iter().find(|item| item.key.chars().eq([letter]));
                return found.map_or(Picked::Open, |item| Picked::Item(item.act.clone()));
            }
            _ if self.by_letter => {}
            _ => {
                self.input.handle_event(&Event::Key(key));
                self.filter();
            }
        }
        Picked::Open
    }

    /// Takes text that was pasted.
    pub(crate) fn paste(&mut self, text: &str) -> bool {
        if !self.by_letter {
            insert(&mut self.input, text);
            self.filter();
        }
        !self.by_letter
    }

    /// Selects an entry so many places on.
    pub(crate) fn move_by(&mut self, by: i32) {
        let last = self.matches.len().saturating_sub(1);
        self.selected = (self.selected as i64 + i64::from(by)).clamp(0, last as i64) as usize;
    }

    /// What is chosen by a click at a place of a screen of this size.
    pub(crate) fn click(&mut self, size: (u16, u16), (column, row): (u16, u16)) -> Picked {
        let rows = view::rows(self, Rect::new(0, 0, size.0, size.1));
        if !rows.contains(ratatui::layout::Position { x: column, y: row }) {
            return Picked::Open;
        }
        let at = usize::from(row - rows.y) + view::skipped(self, rows.height);
        let item = self.matches.get(at).and_then(|place| self.items.get(*place));
        item.map_or(Picked::Open, |item| Picked::Item(item.act.clone()))
    }

    /// Finds what holds every word that was typed; where nothing does, what holds their letters in that order.
    fn filter(&mut self) {
        self.matches = self.found(AtomKind::Substring);
        if self.matches.is_empty() {
            self.matches = self.found(AtomKind::Fuzzy);
        }
        self.selected = 0;
    }

    /// The places of what matches, the best first: names before what they mean.
    fn found(&mut self, kind: AtomKind) -> Vec<usize> {
        let pattern = Pattern::new(self.input.value(), CaseMatching::Ignore, Normalization::Smart, kind);
        let typed = self.input.value().trim().to_lowercase();
        let mut buffer = Vec::new();
        let mut score = |text: &str| pattern.score(Utf32Str::new(text, &mut buffer), &mut self.matcher);
        let mut found: Vec<(u32, usize)> = Vec::new();
        for (place, item) in self.items.iter().enumerate() {
            let name = score(&item.name).map(|score| score * 2);
            let all = score(&format!("{} {}", item.name, item.about));
            // What begins with the very words comes first.
            let begins = u32::from(item.name.to_lowercase().starts_with(&typed)) * 10_000;
            found.extend(name.max(all).map(|score| (score + begins, place)));
        }
        found.sort_by_key(|(score, place)| (std::cmp::Reverse(*score), *place));
        found.into_iter().map(|(_, place)| place).collect()
    }
}
