//! ChannelValues the wire: every line that is still kept, as text or bytes, at a pace that can be read, filtered, searched.

mod view;

use super::prompt::Prompt;
use super::{About, Effect, Follow, Place, Room, listed};
use crate::keys::{Binding, Key, NONE, keys};
use crate::session::{Request, Search, Session, Task};
use crate::theme::Theme;
use amber_core::Stamp;
use amber_core::tail::{Filter, Matches, Tail, TailLine, visible};
use crossterm::event::KeyCode::{Char, Down, End, Esc, Home, PageDown, PageUp, Up};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use std::collections::VecDeque;

/// Lines that are searched within a few milliseconds.
const FEW_LINES: u64 = 20_000;

/// Lines that are remembered as shown while lines are left out.
const PICKED: usize = 400;

/// Lines a second to choose from; the last one is all of them.
const PACES: [Option<f64>; 7] = [Some(0.5), Some(1.0), Some(2.0), Some(5.0), Some(10.0), Some(30.0), None];

/// How lines are shown.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum LineForm {
    #[default]
    Text,
    Hexadecimal,
    Both,
}

impl LineForm {
    fn name(self) -> &'static str {
        match self {
            LineForm::Text => "text",
            LineForm::Hexadecimal => "bytes",
            LineForm::Both => "text and bytes",
        }
    }

    fn next(self) -> LineForm {
        match self {
            LineForm::Text => LineForm::Hexadecimal,
            LineForm::Hexadecimal => LineForm::Both,
            LineForm::Both => LineForm::Text,
        }
    }
}

/// The view of the wire's lines.
#[derive(Debug, Default)]
pub(crate) struct Lines {
    /// It is shown.
    open: bool,
    /// The number behind the last line that had come at the moment that is shown, while the picture is held.
    until: Option<u64>,
    /// The source whose lines were shown last.
    place: usize,
    form: LineForm,
    filter: Filter,
    /// What was last looked for.
    search: Filter,
    /// Lines a second; `None` shows all.
    pace: Option<f64>,
    /// The selected line; the view stands still while there is one.
    cursor: Option<u64>,
    /// Lines that were picked at the pace, by number.
    picked: VecDeque<u64>,
    picked_at: Option<Stamp>,
    /// The lines that the filter lets through, while there is one.
    matches: Matches,
}

impl Lines {
    /// Forgets which lines were shown: another source is selected.
    fn forget(&mut self) {
        self.cursor = None;
        self.picked.clear();
    }

    /// The number behind the newest line that is shown.
    fn end(&self, tail: &Tail) -> u64 {
        let end = tail.numbers().end;
        self.until.map_or(end, |until| until.min(end))
    }

    /// Looks through new lines, and picks the newest when its time has come; gives whether something else is to be seen.
    fn follow_tail(&mut self, tail: &Tail, now: Stamp) -> bool {
        let filtered = self.open && !self.filter.is_open();
        let place = self.cursor.unwrap_or(self.end(tail));
        let found = filtered && self.matches.follow(tail, &self.filter, place);
        self.pick(tail, now) || (found && self.pace.is_none())
    }

    fn pick(&mut self, tail: &Tail, now: Stamp) -> bool {
        let flows = self.open && self.cursor.is_none() && self.until.is_none();
        let Some(pace) = self.pace.filter(|_| flows) else { return false };
        if self.picked_at.is_some_and(|at| now >= at && now.seconds_since(at) < 1.0 / pace) {
            return false;
        }
        self.picked_at = Some(now);
        let newest = match self.filter.is_open() {
            true => tail.numbers().last(),
            false => self.matches.numbers().back().copied(),
        };
        if newest.is_none() || self.picked.back() == newest.as_ref() {
            return false;
        }
        if self.picked.len() == PICKED {
            self.picked.pop_front();
        }
        self.picked.extend(newest);
        true
    }

    /// The lines to show in so many rows, oldest first.
    fn visible<'a>(&self, tail: &'a Tail, rows: usize) -> Vec<TailLine<'a>> {
        let mut lines = Vec::new();
        match (self.cursor, self.pace) {
            (None, Some(_)) if self.until.is_none() => {
                lines.extend(self.picked.iter().rev().filter_map(|number| tail.line(*number)).take(rows));
            }
            (cursor, _) if !self.filter.is_open() => {
                let numbers = self.matches.numbers();
                let last = numbers.partition_point(|n| *n < self.end(tail));
                let end = cursor.map_or(last, |cursor| numbers.partition_point(|n| *n <= cursor) + rows / 3);
                let newest_first = numbers.iter().take(end).rev();
                lines.extend(newest_first.filter_map(|number| tail.line(*number)).take(rows));
            }
            (cursor, _) => {
                // The selected line stands above the middle, with what came after it below.
                let mut next = cursor.map_or(self.end(tail), |cursor| {
                    let mut last = cursor;
                    for _ in 0..rows / 3 {
                        last = tail.after(last, &self.filter).map_or(last, |line| line.number);
                    }
                    last + 1
                });
                while lines.len() < rows
                    && let Some(line) = tail.before(next, &self.filter)
                {
                    next = line.number;
                    lines.push(line);
                }
            }
        }
        lines.reverse();
        lines
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Close,
    Up,
    Down,
    PageUp,
    PageDown,
    Oldest,
    Newest,
    Hold,
    NumberFormat,
    Search,
    Older,
    Newer,
    Filter,
    Fewer,
    More,
    Copy,
}

use Action as A;

const KEYS: &[Binding<Action>] = keys! {
    [(Esc, NONE)], A::Close, "Esc", "the chart again", Some("Esc chart");
    [(Up, NONE)], A::Up, "↑", "the line before, which holds the lines", Some("↑↓ line");
    [(Down, NONE)], A::Down, "↓", "the line after", None;
    [(PageUp, NONE)], A::PageUp, "PgUp", "twenty lines before", None;
    [(PageDown, NONE)], A::PageDown, "PgDn", "twenty lines after", None;
    [(Home, NONE)], A::Oldest, "Home", "the oldest line that is kept", None;
    [(End, NONE)], A::Newest, "End", "the newest; live again", None;
    [(Char(' '), NONE)], A::Hold, "Space", "hold the lines, or release them; the chart has its own hold", Some("Space hold");
    [(Char('x'), NONE)], A::NumberFormat, "x", "as text, as bytes in hexadecimal, or both", Some("x bytes");
    [(Char('f'), NONE)], A::Search, "f", "find a text or pattern in all kept lines, from here back", Some("f find");
    [(Char('n'), NONE)], A::Older, "n", "the next older one", Some("n older");
    [(Char('N'), NONE)], A::Newer, "N", "the next newer one", None;
    [(Char('o'), NONE)], A::Filter, "o", "show only lines with a text or a pattern", Some("o only");
    [(Char(','), NONE)], A::Fewer, ",", "fewer lines a second, to be read; every line is kept", Some(",. pace");
    [(Char('.'), NONE)], A::More, ".", "more lines a second", None;
    [(Char('c'), NONE)], A::Copy, "c", "copy the line, for other programs to paste", Some("c copy");
};

impl Room for Lines {
    type Action = Action;
    const ABOUT: About = About {
        name: "lines",
        help: "the lines of the wire, as text or bytes; find, filter, copy",
        place: Place::Middle,
    };

    fn bindings() -> Vec<(&'static Key, Action)> {
        listed(KEYS)
    }

    fn act(&mut self, action: Action, session: &mut Session) -> Vec<Effect> {
        match action {
            A::Close => return vec![Effect::Close],
            A::Up => self.move_line(-1, session),
            A::Down => self.move_line(1, session),
            A::PageUp => self.move_line(-20, session),
            A::PageDown => self.move_line(20, session),
            A::Oldest => self.select_end(true, session),
            A::Newest => self.select_end(false, session),
            A::Hold => {
                if self.cursor.take().is_none() {
                    self.move_line(-1, session);
                }
            }
            A::NumberFormat => self.form = self.form.next(),
            A::Search => return vec![Effect::Ask(self.search_prompt())],
            A::Older | A::Newer if self.search.is_open() => return vec![Effect::Ask(self.search_prompt())],
            A::Older => self.find(true, session),
            A::Newer => self.find(false, session),
            A::Filter => return vec![Effect::Ask(self.filter_prompt())],
            A::Fewer => self.change_pace(-1),
            A::More => self.change_pace(1),
            A::Copy => return self.copy(session),
        }
        Vec::new()
    }

    fn follow(&mut self, session: &mut Session, time: Follow) -> bool {
        self.open = time.is_open;
        if std::mem::replace(&mut self.place, session.place()) != session.place() {
            self.forget();
        }
        let until = session.is_held().then(|| session.lines_until(&session.viewport));
        let moved = std::mem::replace(&mut self.until, until) != until;
        self.follow_tail(session.chain().tail(), time.now) || (moved && time.is_open)
    }

    fn scroll(&mut self, by: i32, session: &mut Session) -> bool {
        self.move_line(by, session);
        true
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        view::draw(self, session, theme, area, buffer);
    }
}

impl Lines {
    /// The selected line; the view stands still while there is one.
    #[cfg(test)]
    pub(crate) fn cursor(&self) -> Option<u64> {
        self.cursor
    }

    /// Moves the selected line by so many that the filter lets through (negative: earlier).
    fn move_line(&mut self, by: i32, session: &Session) {
        let tail = session.chain().tail();
        let mut at = self.cursor.unwrap_or(self.end(tail));
        for _ in 0..by.unsigned_abs() {
            let next = if by < 0 { tail.before(at, &self.filter) } else { tail.after(at, &self.filter) };
            match next {
                Some(line) => at = line.number,
                None => break,
            }
        }
        self.cursor = tail.line(at).map(|line| line.number).or(self.cursor);
    }

    /// Selects the oldest line that is kept, or follows the newest again.
    fn select_end(&mut self, oldest: bool, session: &Session) {
        let tail = session.chain().tail();
        let first = tail.numbers().start;
        let passes = |number: u64| tail.line(number).is_some_and(|line| self.filter.passes(line.bytes));
        let oldest_line = if passes(first) { Some(first) } else { tail.after(first, &self.filter).map(|l| l.number) };
        self.cursor = oldest_line.filter(|_| oldest);
    }

    /// Shows more (1) or fewer (-1) lines a second.
    fn change_pace(&mut self, step: i32) {
        let here = PACES.iter().position(|pace| *pace == self.pace).unwrap_or(PACES.len() - 1) as i32;
        let to = (here + step).clamp(0, PACES.len() as i32 - 1);
        self.pace = PACES.get(to as usize).copied().unwrap_or(self.pace);
    }

    fn filter_prompt(&self) -> Prompt {
        let hint = "a text, or a pattern between slashes, as in /gauge=2\\d\\d\\d/; empty: all";
        Prompt::new("show only lines with", hint, self.filter.text(), |app, text| {
            let lines = &mut app.rooms.lines;
            lines.filter = Filter::parse(text)?;
            lines.forget();
            Ok(Vec::new())
        })
    }

    fn search_prompt(&self) -> Prompt {
        let hint = "a text, or a pattern between slashes; then n older, N newer";
        Prompt::new("find in the lines", hint, self.search.text(), |app, text| {
            let lines = &mut app.rooms.lines;
            lines.search = Filter::parse(text)?;
            if !lines.search.is_open() {
                lines.find(true, &mut app.session);
            }
            Ok(Vec::new())
        })
    }

    /// Looks for a line; at once where that takes no time.
    fn find(&mut self, older: bool, session: &mut Session) {
        let tail = session.chain().tail();
        let numbers = tail.numbers();
        let from = self.cursor.unwrap_or(self.end(tail));
        let (place, tail, filter) = (session.place(), Box::new(tail.clone()), self.search.clone());
        let search = Search { place, tail, filter, from, older };
        if numbers.end - numbers.start > FEW_LINES && session.defers() {
            session.do_task(Task::Search(search));
        } else {
            let number = search.run();
            self.go_to(session, &search, number);
        }
    }

    /// Goes to the line that was looked for, or says that there is none.
    pub(crate) fn go_to(&mut self, session: &mut Session, search: &Search, number: Option<u64>) {
        if search.place != session.place() {
            return;
        }
        let tail = session.chain().tail();
        match number {
            Some(number) => {
                self.cursor = Some(number);
                // A line that was looked for is to be seen.
                let hidden = tail.line(number).is_some_and(|line| !self.filter.passes(line.bytes));
                if hidden {
                    self.filter = Filter::default();
                }
            }
            None => {
                let numbers = tail.numbers();
                let kept = amber_core::digits::grouped(numbers.end - numbers.start);
                let which = if search.older { "older" } else { "newer" };
                let text = self.search.text();
                session.say(format!("no {which} line with '{text}' among the {kept} that are kept"), true);
            }
        }
    }

    /// Copies the selected line, or the newest.
    fn copy(&self, session: &mut Session) -> Vec<Effect> {
        let tail = session.chain().tail();
        let line = match self.cursor {
            Some(number) => tail.line(number),
            None => tail.before(self.end(tail), &self.filter),
        };
        let Some(text) = line.map(|line| visible(line.bytes)) else {
            session.say("no line to copy", true);
            return Vec::new();
        };
        session.say("line copied", false);
        vec![Request::Copy(text).into()]
    }
}

#[cfg(test)]
mod tests;
