//! Choosing what to watch, when nothing was named: ports, benches used lately, takes, simulated boards, or a path.

mod view;

pub(crate) use view::draw;

use crate::keys::{Binding, CTRL, NONE, keys};
use crate::recent::{Recent, stem};
use amber_io::FoundPort;
use crossterm::event::KeyCode::{Char, Down, End, Enter, Esc, Home, Tab, Up};
use crossterm::event::{Event, KeyCode, KeyEvent, KeyModifiers};
use std::path::{Path, PathBuf};
use tui_input::Input;
use tui_input::backend::crossterm::EventHandler;

/// Takes that are offered, the newest ones.
const TAKES: usize = 6;

/// Benches that are offered.
const BENCHES: usize = 6;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Up,
    Down,
    First,
    Last,
    Watch,
    TypePath,
    Leave,
}

/// The keys of the list.
pub(crate) const KEYS: &[Binding<Action>] = keys! {
    [(Up, NONE)], Action::Up, "↑", "the entry above", None;
    [(Down, NONE), (Tab, NONE)], Action::Down, "↓", "the entry below", Some("↑↓ choose");
    [(Home, NONE)], Action::First, "Home", "the first entry", None;
    [(End, NONE)], Action::Last, "End", "the last entry", None;
    [(Enter, NONE)], Action::Watch, "Enter", "watch it", Some("Enter watch");
    [(Char('p'), NONE)], Action::TypePath, "p", "type a port, an address, a text file, a take's folder or a bench", Some("p type a path");
    [(Char('q'), NONE), (Esc, NONE), (Char('c'), CTRL)], Action::Leave, "q", "leave", Some("q quit");
};

/// What was chosen.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Choice {
    /// A port, a text file or a simulated board, by what stands for it on the command line.
    Source(String),
    /// A bench file.
    Bench(PathBuf),
    /// A take's folder.
    Take(PathBuf),
    /// Nothing.
    Quit,
}

/// One thing that can be chosen.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Item {
    pub(crate) choice: Choice,
    pub(crate) name: String,
    pub(crate) about: String,
    /// Was plugged in since the list was opened.
    pub(crate) is_new: bool,
}

/// A heading with what stands under it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Section {
    pub(crate) heading: &'static str,
    pub(crate) items: Vec<Item>,
    /// What to say when there is nothing.
    pub(crate) empty: &'static str,
}

/// The list and what is chosen in it.
#[derive(Debug)]
pub(crate) struct Chooser {
    folder: PathBuf,
    recent: Recent,
    ports: Vec<FoundPort>,
    /// The ports that were there at the start.
    first: Option<Vec<PathBuf>>,
    takes: Vec<PathBuf>,
    pub(crate) selected: usize,
    /// A path that is being typed.
    pub(crate) typing: Option<Input>,
    /// What went wrong with the last choice.
    pub(crate) trouble: Option<String>,
}

impl Chooser {
    /// A list for what is in `folder`.
    pub(crate) fn new(folder: PathBuf, recent: Recent) -> Chooser {
        let mut chooser = Chooser {
            takes: takes_in(&folder, TAKES),
            folder,
            recent,
            ports: Vec::new(),
            first: None,
            selected: 0,
            typing: None,
            trouble: None,
        };
        chooser.selected = chooser.first_choice();
        chooser
    }

    /// These ports are there now; gives whether that is a change. The choice stays on what it was.
    pub(crate) fn set_ports(&mut self, ports: Vec<FoundPort>) -> bool {
        if self.first.is_some() && ports == self.ports {
            return false;
        }
        let chosen = self.item().map(|item| item.choice);
        let first = self.first.is_none();
        let paths = || ports.iter().map(|port| port.path.clone()).collect();
        self.first.get_or_insert_with(paths);
        self.ports = ports;
        let items = self.items();
        let again = chosen.and_then(|choice| items.iter().position(|item| item.choice == choice));
        let fresh = items.iter().position(|item| item.is_new);
        self.selected = match (first, fresh, again) {
            (true, ..) => self.first_choice(),
            // A board that was just plugged in is most likely what is wanted.
            (false, Some(fresh), _) => fresh,
            (false, None, again) => again.unwrap_or(0),
        };
        true
    }

    /// The first port, where there is one, else the flume.
    fn first_choice(&self) -> usize {
        let items = self.items();
        // Ports without a name are mostly built in, with nothing at them.
        let port = self.ports.first().filter(|port| !port.product.is_empty()).map(|_| 0);
        port.or_else(|| items.iter().position(|item| matches!(item.choice, Choice::Bench(_))))
            .or_else(|| items.iter().position(|item| item.name == "flume"))
            .unwrap_or(0)
    }

    /// Everything that can be chosen, under its headings.
    pub(crate) fn sections(&self) -> Vec<Section> {
        let item = |choice: Choice, name: String, about: String| Item { choice, name, about, is_new: false };
        let mut ports = Vec::new();
        for port in &self.ports {
            let path = port.path.display().to_string();
            let is_new = self.first.as_ref().is_some_and(|first| !first.contains(&port.path));
            let serial = if port.usb.is_empty() { String::new() } else { format!(", serial number {}", port.usb) };
            // The same board seen again: the bench used last with it comes first.
            if let Some(used) = self.recent.of_board(&port.usb) {
                let about = format!("{}{serial}, with the bench used last: {}", port.product, stem(&used.path));
                ports.push(Item { is_new, ..item(Choice::Bench(used.path.clone()), path.clone(), about) });
            }
            let product = if port.product.is_empty() { "built in" } else { &port.product };
            let about = format!("{product}{serial}");
            ports.push(Item { is_new, ..item(Choice::Source(path.clone()), path, about) });
        }
        let bench = |used: &crate::recent::Used| {
            let about = format!("{}, {}", used.port, used.path.display());
            item(Choice::Bench(used.path.clone()), stem(&used.path), about)
        };
        let take = |path: &PathBuf| {
            let name = path.file_name().map_or_else(String::new, |name| name.to_string_lossy().into_owned());
            let size = std::fs::metadata(path.join("wire.bin")).map(|meta| amber_core::digits::bytes(meta.len()));
            item(Choice::Take(path.clone()), name, size.unwrap_or_else(|_| "several sources".into()))
        };
        let board =
            |(name, about): &(&str, &str)| item(Choice::Source((*name).into()), (*name).into(), (*about).into());
        vec![
            Section { heading: "serial ports", items: ports, empty: "none: plug in a board, it appears here" },
            Section {
                heading: "benches used lately",
                items: self.recent.bench.iter().take(BENCHES).map(bench).collect(),
                empty: "none yet: s saves one while watching",
            },
            Section {
                heading: "takes in this folder",
                items: self.takes.iter().map(take).collect(),
                empty: "none yet: t makes one while watching",
            },
            Section { heading: "simulated boards", items: amber_boards::BOARDS.iter().map(board).collect(), empty: "" },
        ]
    }

    fn items(&self) -> Vec<Item> {
        self.sections().into_iter().flat_map(|section| section.items).collect()
    }

    fn item(&self) -> Option<Item> {
        self.items().into_iter().nth(self.selected)
    }

    /// Takes a key; gives the choice when one was made.
    pub(crate) fn key(&mut self, key: KeyEvent) -> Option<Choice> {
        if let Some(input) = &mut self.typing {
            let is_cancel = key.code == Esc || (key.code == Char('c') && key.modifiers == KeyModifiers::CONTROL);
            if is_cancel {
                self.typing = None;
            } else if key.code == Enter {
                let text = input.value().trim().to_owned();
                if !text.is_empty() {
                    self.typing = None;
                    return Some(self.typed(&text));
                }
            } else {
                input.handle_event(&Event::Key(key));
            }
            return None;
        }
        self.trouble = None;
        let last = self.items().len().saturating_sub(1);
        let action = KEYS.iter().find(|binding| binding.key.is(key)).map(|binding| binding.action);
        match (action, key.code) {
            (Some(Action::Up), _) => self.selected = self.selected.saturating_sub(1),
            (Some(Action::Down), _) => self.selected = (self.selected + 1).min(last),
            (Some(Action::First), _) => self.selected = 0,
            (Some(Action::Last), _) => self.selected = last,
            (Some(Action::Watch), _) => return self.item().map(|item| item.choice),
            (Some(Action::TypePath), _) => self.typing = Some(Input::default()),
            (Some(Action::Leave), _) => return Some(Choice::Quit),
            // A path may simply be begun.
            (_, KeyCode::Char(first @ ('/' | '.' | '~'))) => self.typing = Some(Input::new(first.to_string())),
            _ => self.trouble = Some("arrows choose, Enter watches, p types a path, q quits".into()),
        }
        None
    }

    /// Pasted text is a path, or a part of one. Gives whether it was taken in.
    pub(crate) fn paste(&mut self, text: &str) -> bool {
        crate::app::insert(self.typing.get_or_insert_with(Input::default), text);
        true
    }

    /// What a typed path stands for: a take's folder, a bench file, else a source.
    fn typed(&self, text: &str) -> Choice {
        let home = text.strip_prefix("~/").and_then(|rest| Some(Path::new(&std::env::var_os("HOME")?).join(rest)));
        let path = home.unwrap_or_else(|| self.folder.join(text));
        if path.is_dir() {
            Choice::Take(path)
        } else if path.extension().is_some_and(|end| end == "toml") {
            Choice::Bench(path)
        } else if path.exists() {
            Choice::Source(path.display().to_string())
        } else {
            Choice::Source(text.into())
        }
    }
}

/// The `most` newest takes in `folder`, newest first.
pub(crate) fn takes_in(folder: &Path, most: usize) -> Vec<PathBuf> {
    let here = folder.as_os_str().is_empty();
    let folder = if here { Path::new(".") } else { folder };
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.path());
    let is_one = |path: &Path| path.join("wire.bin").is_file();
    // Several sources have a folder each within one.
    let is_several = |path: &Path| {
        let name = path.file_name().map_or_else(String::new, |name| name.to_string_lossy().into_owned());
        let within = || std::fs::read_dir(path).into_iter().flatten().flatten();
        name.starts_with("take-") && within().any(|entry| is_one(&entry.path()))
    };
    let mut takes: Vec<PathBuf> = entries.filter(|path| is_one(path) || is_several(path)).collect();
    takes.sort();
    takes.reverse();
    takes.truncate(most);
    takes
}

#[cfg(test)]
#[path = "choose_tests.rs"]
mod tests;
