//! Blocks: the last rows of the selected source as a table with statistics and a histogram; named ones that were snapped, and
//! two of them over each other.

mod view;

use super::{About, Effect, Follow, Place, Room, listed};
use crate::figure::analysis::{self, Of};
use crate::keys::{Binding, Key, NONE, keys};
use crate::rooms::list::{Item, List};
use crate::rooms::prompt::Prompt;
use crate::session::{Request, SHARES, Session};
use crate::theme::Theme;
use amber_core::bench::Kind;
use amber_core::block::{Block as Rows, Length, MOST_ROWS, SIZES};
use amber_core::digits::{counted, typed};
use crossterm::event::KeyCode::{Char, Enter, Esc, Home, PageDown, PageUp};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use std::sync::Arc;

/// Rows by which the table is paged.
const PAGE: usize = 20;

/// The blocks.
#[derive(Debug, Default)]
pub(crate) struct Block {
    /// The last rows, as they were when the numbers were refreshed last.
    present: Option<Arc<Rows>>,
    /// The named block that is shown, by its place; else the last rows.
    shown: Option<usize>,
    /// The named block that it is compared with.
    compared: Option<usize>,
    /// Rows by which the table is scrolled down.
    scroll: usize,
    /// A block is being snapped, and is shown as soon as it is there; so many there were before.
    awaits: Option<usize>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Snap,
    Arm,
    Length,
    Share,
    Choose,
    Live,
    Compare,
    Name,
    Delete,
    Write,
    Copy,
    Up,
    Down,
    Close,
}

const KEYS: &[Binding<Action>] = keys! {
    [(Char('k'), NONE)], Action::Snap, "k", "snap: keep the block as it is now, by a name, and show it", Some("k snap"), channel;
    [(Char('e'), NONE)], Action::Arm, "e", "snap at the next rising edge of the channel, or no longer", Some("e at an edge"), channel;
    [(Char('l'), NONE)], Action::Length, "l", "length: rows or seconds", Some("l length");
    [(Char('g'), NONE)], Action::Share, "g", "the share of the block in front of the moment", Some("g share before");
    [(Enter, NONE)], Action::Choose, "Enter", "choose the block that is shown: the last rows, or a named one", Some("Enter choose");
    [(Home, NONE)], Action::Live, "Home", "the last rows again, as they come", Some("Home last rows");
    [(Char('c'), NONE)], Action::Compare, "c", "compare with another block, over each other", Some("c compare");
    [(Char('r'), NONE)], Action::Name, "r", "rename the block that is shown", None;
    [(Char('x'), NONE)], Action::Delete, "x", "delete the named block that is shown from memory", None;
    [(Char('w'), NONE)], Action::Write, "w", "write the block as CSV", Some("w write"), channel;
    [(Char('C'), NONE)], Action::Copy, "C", "copy the block to the clipboard", Some("C copy"), channel;
    [(PageUp, NONE)], Action::Up, "PgUp", "scroll up", None;
    [(PageDown, NONE)], Action::Down, "PgDn", "scroll down", Some("PgDn scroll");
    [(Esc, NONE)], Action::Close, "Esc", "back to the chart", Some("Esc chart");
};

/// The most bytes that are put on the clipboard.
const MOST_COPIED: usize = 1024 * 1024;

/// A request that copies a table, or why it is too much.
pub(crate) fn copied(csv: String, session: &mut Session) -> Vec<Effect> {
    if csv.len() > MOST_COPIED {
        session.say("too much for the clipboard (over 1 MB): w writes it to a file", true);
        return Vec::new();
    }
    session.say("copied, where the terminal allows it", false);
    vec![Request::Copy(csv).into()]
}

impl Room for Block {
    type Action = Action;
    const ABOUT: About = About {
        name: "block",
        help: "the last rows as a table with statistics and histogram; snap, compare, write",
        place: Place::Middle,
    };

    fn bindings() -> Vec<(&'static Key, Action)> {
        listed(KEYS)
    }

    fn open(&mut self, _: &mut Session) -> Result<(), String> {
        self.scroll = 0;
        Ok(())
    }

    fn act(&mut self, action: Action, session: &mut Session) -> Vec<Effect> {
        match action {
            Action::Snap => {
                let before = session.blocks.named.len();
                session.snap();
                self.awaits = Some(before);
            }
            Action::Arm => {
                session.arm_block();
                self.awaits = session.blocks.waits().map(|_| session.blocks.named.len());
            }
            Action::Live => (self.shown, self.awaits, self.scroll) = (None, None, 0),
            Action::Length => return vec![Effect::Choose(lengths(session.blocks.length))],
            Action::Share => {
                session.blocks.share = super::turned(&SHARES, session.blocks.share, 1);
                let percent = (session.blocks.share * 100.0).round();
                session.say(format!("{percent} % of the next block lie in front of the moment"), false);
            }
            Action::Choose => return vec![Effect::Choose(self.choice(session, false))],
            Action::Compare if session.blocks.named.is_empty() => {
                session.say("no named block yet: k snaps one", true);
            }
            Action::Compare => return vec![Effect::Choose(self.choice(session, true))],
            Action::Name => return self.rename(session),
            Action::Delete => self.delete(session),
            Action::Write => {
                let csv = self.block(session).map(|block| block.csv());
                return csv.map(|csv| session.write_csv("block", csv).into()).into_iter().collect();
            }
            Action::Copy => {
                let csv = self.block(session).map(|block| block.csv());
                return csv.map_or_else(Vec::new, |csv| copied(csv, session));
            }
            Action::Up => self.scroll = self.scroll.saturating_sub(PAGE),
            Action::Down => self.scroll += PAGE,
            Action::Close => return vec![Effect::Close],
        }
        Vec::new()
    }

    fn follow(&mut self, session: &mut Session, time: Follow) -> bool {
        let count = session.blocks.named.len();
        if let Some(before) = self.awaits
            && count != before
        {
            // What was snapped is what is shown and acted on, until the last rows are wanted again.
            (self.shown, self.awaits, self.scroll) = (count.checked_sub(1), None, 0);
        } else if session.blocks.waits().is_none() {
            self.awaits = None;
        }
        self.shown = self.shown.filter(|at| *at < count);
        self.compared = self.compared.filter(|at| *at < count);
        if !time.is_open {
            self.present = None;
            return false;
        }
        if !(time.refreshed || self.present.is_none() || session.is_held()) {
            return false;
        }
        let rows = session.present_block();
        let same = self.present.as_ref().is_some_and(|block| {
            block.first_row == rows.start && block.times.len() as u64 == rows.end - rows.start && session.is_held()
        });
        if !same {
            let moment = session.viewport.row(session.place()).and_then(|row| session.chain().store().time(row));
            let block = Rows::of(session.chain(), "the last rows", rows, moment.unwrap_or_default());
            self.present = Some(Arc::new(block));
        }
        let rows = self.block(session).map_or(0, |block| block.times.len());
        self.scroll = self.scroll.min(rows.saturating_sub(1));
        true
    }

    fn scroll(&mut self, by: i32, _: &mut Session) -> bool {
        self.scroll = (self.scroll as i64 + i64::from(by)).max(0) as usize;
        true
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        view::draw(self, session, theme, area, buffer);
    }
}

impl Block {
    /// The block that is shown.
    fn block(&self, session: &Session) -> Option<Arc<Rows>> {
        match self.shown.and_then(|at| session.blocks.named.get(at)) {
            Some(block) => Some(Arc::clone(block)),
            None => self.present.clone(),
        }
    }

    /// The analog channels of the block that is shown, and the histogram of the selected one, as figures; none without rows.
    pub(crate) fn figures(&self, session: &Session) -> Vec<amber_plot::Figure> {
        let Some(block) = self.block(session).filter(|block| !block.times.is_empty()) else { return Vec::new() };
        let is_drawn = |place: &usize| {
            let id = session.own(*place);
            let known = session.channel_ids().any(|known| known == id);
            !known || matches!(session.channel_at(id).kind(), Kind::Analog)
        };
        let columns: Vec<_> = block.columns.iter().enumerate().filter(|(place, _)| is_drawn(place)).collect();
        let rows = analysis::block(&session.source_on_paper(), &block, &columns);
        let chosen = view::chosen_column(&block, session);
        let Some(column) = block.columns.get(chosen) else { return Vec::new() };
        let of = Of {
            source: session.source_on_paper(),
            channel: format!("{}, {}", column.name, block.name),
            unit: column.unit.clone(),
            decimals: column.decimals,
            letter: char::from(b'A' + (chosen % 26) as u8),
            ink: chosen,
            across: block.across,
        };
        let counted = column.histogram(analysis::CLASSES).map(|found| analysis::histogram(&of, &found, "rows"));
        [Some(rows), counted].into_iter().flatten().collect()
    }

    /// Lets the block be chosen that is shown, or with which it is compared.
    fn choice(&self, session: &Session, compares: bool) -> List {
        let (name, about) = if compares { ("none", "no comparison") } else { ("the last rows", "live") };
        let set = move |at: Option<usize>| {
            move |app: &mut crate::app::App| {
                let room = &mut app.rooms.block;
                *(if compares { &mut room.compared } else { &mut room.shown }) = at;
                room.scroll = 0;
                Vec::new()
            }
        };
        let item = |(at, block): (usize, &Arc<Rows>)| {
            let seconds = block.times.first().zip(block.times.last()).map_or(0.0, |(a, b)| b.seconds_since(*a));
            let about = format!(
                "{}, {}, at {}",
                counted(block.times.len() as u64, "row"),
                session.across().length(seconds),
                session.when(block.moment, "%H:%M:%S")
            );
            Item::new(amber_core::tail::visible(block.name.as_bytes()), about, set(Some(at)))
        };
        let items = [Item::new(name, about, set(None))].into_iter();
        let items = items.chain(session.blocks.named.iter().enumerate().map(item)).collect();
        let selected = if compares { self.compared } else { self.shown };
        List::new(if compares { "compare with" } else { "block" }, items, selected.map_or(0, |at| at + 1))
    }

    fn rename(&self, session: &mut Session) -> Vec<Effect> {
        let Some((at, block)) = self.shown.and_then(|at| Some((at, session.blocks.named.get(at)?))) else {
            session.say("choose a named block first (Enter)", true);
            return Vec::new();
        };
        let answer = move |app: &mut crate::app::App, text: &str| {
            let text = text.trim();
            if text.is_empty() {
                return Err("a block needs a name".into());
            }
            if let Some(block) = app.session.blocks.named.get_mut(at) {
                Arc::make_mut(block).name = text.chars().take(60).collect();
            }
            Ok(Vec::new())
        };
        vec![Effect::Ask(Prompt::new("name of the block", "up to 60 characters", &block.name, answer))]
    }

    fn delete(&mut self, session: &mut Session) {
        match self.shown.take() {
            Some(at) if at < session.blocks.named.len() => {
                let block = session.blocks.named.remove(at);
                self.compared = None;
                session.say(format!("{} deleted from memory; in a take it stays", block.name), false);
            }
            _ => session.say("choose a named block first (Enter)", true),
        }
    }
}

fn lengths(now: Length) -> List {
    let set = |length: Length| {
        move |app: &mut crate::app::App| {
            app.session.blocks.length = length;
            (app.rooms.block.present, app.rooms.block.scroll) = (None, 0);
            app.session.refresh_soon();
            Vec::new()
        }
    };
    let mut items: Vec<Item> = SIZES
        .iter()
        .map(|rows| Item::new(format!("{rows} rows"), "a power of two", set(Length::Rows(*rows))))
        .collect();
    items.push(Item::new("another length …", "any number of rows, or seconds", |_: &mut crate::app::App| {
        let answer = |app: &mut crate::app::App, text: &str| {
            app.session.blocks.length = typed_length(text)?;
            (app.rooms.block.present, app.rooms.block.scroll) = (None, 0);
            Ok(Vec::new())
        };
        vec![Effect::Ask(Prompt::new("length of a block", "rows such as 500, or seconds such as 2.5 s", "", answer))]
    }));
    let selected = SIZES.iter().position(|rows| now == Length::Rows(*rows)).unwrap_or(SIZES.len());
    List::new("length of a block", items, selected)
}

/// A length as typed: `500`, `2.5 s`.
fn typed_length(text: &str) -> Result<Length, String> {
    let text = text.trim();
    if let Some(seconds) = text.strip_suffix('s') {
        let seconds = typed(seconds.trim())?;
        return if seconds > 0.0 && seconds < 1e6 {
            Ok(Length::Seconds(seconds))
        } else {
            Err("seconds must be above 0".into())
        };
    }
    let rows = text.strip_suffix("rows").unwrap_or(text).trim().parse::<usize>().ok();
    rows.filter(|rows| (2..=MOST_ROWS).contains(rows))
        .map(Length::Rows)
        .ok_or_else(|| format!("'{text}' is no length: type 2 to {MOST_ROWS} rows, or seconds such as 2.5 s"))
}
