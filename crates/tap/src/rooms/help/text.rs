//! What the help says, as entries that can be searched.

use super::super::{RoomId, panel};
use super::tasks::TASKS;
use crate::keys::Key;
use crate::screen::text::wrapped;

/// A page of the help.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Page {
    /// Keys and tasks.
    #[default]
    Main,
    /// The functions of formulas.
    Formulas,
}

/// An entry: a key or a question, and what it does or how it is answered.
struct Entry {
    name: String,
    text: String,
    /// The columns that the name takes at least.
    indent: usize,
}

/// Entries under a heading.
struct Section {
    heading: String,
    entries: Vec<Entry>,
}

/// A line on the screen.
pub(super) enum Line {
    Heading(String),
    /// A name and the text beside it, which begins at this column; the name is empty where the text goes on.
    Pair(String, String, usize),
    Blank,
}

const NOTES: [(&str, &str); 8] = [
    (
        "the strip at the top",
        "the chain of the selected channel: each cell shows its setting and the value that leaves it, so you see at \
         which step a number goes wrong; an edit redraws all history in memory",
    ),
    ("signs of lines", "» a message of the board   ← sent   ▲ rejected   … half a line"),
    ("signs of the chart", "dashed: a threshold   dotted upright: a mark   a bar over a trace: a level and its mean"),
    ("= behind a name", "the channel is settled; such levels serve zero (z) and calibration (3 c)"),
    (
        "noise ±1.2?",
        "the standard deviation over the last level, measured; with ? it is told from movement as if it were white, since \
         the channel was never settled",
    ),
    ("12 s old", "a dim value: the port is away or lent, or the board is silent; the age is that of the last row"),
    ("while held", "all that is shown stands; rows, rejected lines, takes and edges are counted all the same"),
    (
        "mouse",
        "click a cell of the strip, a readout, a trace, a row of a panel; drag pans the chart; the wheel zooms the chart \
         and scrolls what is under it",
    ),
];

/// The page as it is opened in these rooms, the nearest first; with a search, only entries in which all its words are.
pub(super) fn lines(page: Page, rooms: &[RoomId], search: &str, width: usize) -> Vec<Line> {
    let words: Vec<String> = search.split_whitespace().map(str::to_lowercase).collect();
    let matches = |entry: &Entry| {
        let text = format!("{} {}", entry.name, entry.text).to_lowercase();
        words.iter().all(|word| text.contains(word))
    };
    let mut lines = Vec::new();
    for section in sections(page, rooms) {
        let entries: Vec<&Entry> = section.entries.iter().filter(|entry| matches(entry)).collect();
        if entries.is_empty() {
            continue;
        }
        lines.push(Line::Heading(section.heading));
        for entry in entries {
            // On a narrow screen a long name has a line of its own.
            let is_above = width < 90 && entry.indent > 20;
            let at = if is_above { 4 } else { entry.indent.max(entry.name.chars().count() + 2) };
            let text = wrapped(&entry.text, width.saturating_sub(at).max(16));
            if is_above {
                lines.push(Line::Pair(entry.name.clone(), String::new(), 0));
            }
            for (i, text) in text.into_iter().enumerate() {
                let name = if i == 0 && !is_above { entry.name.clone() } else { String::new() };
                lines.push(Line::Pair(name, text, at));
            }
        }
        lines.push(Line::Blank);
    }
    if lines.is_empty() {
        lines.push(Line::Heading(format!("nothing about '{search}': try another word, or / in the main screen")));
    }
    lines
}

fn sections(page: Page, rooms: &[RoomId]) -> Vec<Section> {
    if page == Page::Formulas {
        let entry =
            |help: &amber_core::formula::Help| Entry { name: help.usage.into(), text: help.gives.into(), indent: 26 };
        let entries = amber_core::formula::FUNCTIONS.iter().map(entry).collect();
        let heading = "x is a channel's name or any part of a formula; names with spaces go in quotes".into();
        return vec![Section { heading, entries }];
    }
    let here = rooms.iter().filter(|id| **id != RoomId::Home && !id.keys().is_empty());
    let mut sections: Vec<Section> =
        here.map(|id| of_keys(format!("here, in {}", id.about().name), &id.keys())).collect();
    let task = |task: &super::tasks::Task| Entry { name: task.want.into(), text: task.press.into(), indent: 40 };
    sections.push(Section { heading: "how do I …".into(), entries: TASKS.iter().map(task).collect() });
    sections.push(of_keys("keys of the main screen".into(), &RoomId::Home.keys()));
    let [panel, parts] = panel::common_keys();
    sections.push(of_keys("in every panel".into(), &panel));
    sections.push(of_keys("in the lists of steps (3) and filters (4)".into(), &parts));
    let others = RoomId::ALL.iter().filter(|id| !matches!(id, RoomId::Home));
    for id in others {
        let own: Vec<&Key> =
            id.keys().into_iter().filter(|key| !panel.iter().chain(&parts).any(|c| std::ptr::eq(*c, *key))).collect();
        if !own.is_empty() {
            sections.push(of_keys(format!("{}: {}", id.about().name, id.about().help), &own));
        }
    }
    let settings = RoomId::ALL.iter().flat_map(|id| id.settings()).filter(|setting| !setting.key.is_empty());
    let setting = |setting: &super::super::panel::SingleSetting| {
        let range = if setting.range.is_empty() { String::new() } else { format!("; {}", setting.range) };
        let text = format!("{}: {}{range}", setting.name, setting.help);
        Entry { name: setting.key.into(), text, indent: 40 }
    };
    let heading = "settings in a bench file, with the tables that they stand in".into();
    sections.push(Section { heading, entries: settings.map(setting).collect() });
    let note = |(name, text): &(&str, &str)| Entry { name: (*name).into(), text: (*text).into(), indent: 24 };
    sections.push(Section { heading: "what is on the screen".into(), entries: NOTES.iter().map(note).collect() });
    sections
}

fn of_keys(heading: String, keys: &[&Key]) -> Section {
    let entry = |key: &&Key| Entry { name: key.label.into(), text: key.help.into(), indent: 12 };
    Section { heading, entries: keys.iter().map(entry).collect() }
}
