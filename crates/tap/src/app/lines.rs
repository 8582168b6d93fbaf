//! Reading the wire: every line that is still kept, as text or bytes, at a pace that can be read, filtered, searched.

use super::tasks::Search;
use super::{App, Effect, Overlay, Prompt, Purpose};
use amber_core::Stamp;
use amber_core::tail::{Filter, Matches, Tail, TailLine, visible};
use std::collections::VecDeque;

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
    pub(crate) fn name(self) -> &'static str {
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
    pub(crate) open: bool,
    pub(crate) form: LineForm,
    pub(crate) filter: Filter,
    /// What was last looked for.
    pub(crate) search: Filter,
    /// Lines a second; `None` shows all.
    pub(crate) pace: Option<f64>,
    /// The chosen line; the view stands still while there is one.
    pub(crate) cursor: Option<u64>,
    /// Lines that were picked at the pace, by number.
    picked: VecDeque<u64>,
    picked_at: Option<Stamp>,
    /// The lines that the filter lets through, while there is one.
    matches: Matches,
}

impl Lines {
    /// Forgets which lines were shown: another source is at hand.
    pub(super) fn forget(&mut self) {
        self.cursor = None;
        self.picked.clear();
    }

    /// Looks through new lines, and picks the newest when its time has come; gives whether something else is to be seen.
    pub(super) fn follow(&mut self, tail: &Tail, now: Stamp) -> bool {
        let filtered = self.open && !self.filter.is_open();
        let place = self.cursor.unwrap_or(tail.numbers().end);
        let found = filtered && self.matches.follow(tail, &self.filter, place);
        self.pick(tail, now) || (found && self.pace.is_none())
    }

    fn pick(&mut self, tail: &Tail, now: Stamp) -> bool {
        let Some(pace) = self.pace.filter(|_| self.open && self.cursor.is_none()) else { return false };
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
    pub(crate) fn visible<'a>(&self, tail: &'a Tail, rows: usize) -> Vec<TailLine<'a>> {
        let mut lines = Vec::new();
        match (self.cursor, self.pace) {
            (None, Some(_)) => {
                lines.extend(self.picked.iter().rev().filter_map(|number| tail.line(*number)).take(rows));
            }
            (cursor, _) if !self.filter.is_open() => {
                let numbers = self.matches.numbers();
                let end = cursor.map_or(numbers.len(), |cursor| numbers.partition_point(|n| *n <= cursor) + rows / 3);
                let newest_first = numbers.iter().take(end).rev();
                lines.extend(newest_first.filter_map(|number| tail.line(*number)).take(rows));
            }
            (cursor, _) => {
                // The chosen line stands above the middle, with what came after it below.
                let mut next = cursor.map_or(tail.numbers().end, |cursor| {
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

impl App {
    /// Moves the chosen line by so many that the filter lets through (negative: earlier).
    pub(super) fn move_line(&mut self, by: i32) {
        let tail = self.chain().tail();
        let mut at = self.lines.cursor.unwrap_or(tail.numbers().end);
        for _ in 0..by.unsigned_abs() {
            let next = if by < 0 { tail.before(at, &self.lines.filter) } else { tail.after(at, &self.lines.filter) };
            match next {
                Some(line) => at = line.number,
                None => break,
            }
        }
        self.lines.cursor = tail.line(at).map(|line| line.number).or(self.lines.cursor);
    }

    /// Chooses the oldest line that is kept, or follows the newest again.
    pub(super) fn end_of_lines(&mut self, oldest: bool) {
        let tail = self.chain().tail();
        let first = tail.numbers().start;
        let passes = |number: u64| tail.line(number).is_some_and(|line| self.lines.filter.passes(line.bytes));
        let oldest_line =
            if passes(first) { Some(first) } else { tail.after(first, &self.lines.filter).map(|l| l.number) };
        self.lines.cursor = oldest_line.filter(|_| oldest);
    }

    /// Lets the lines stand, or go on.
    pub(super) fn hold_lines(&mut self) {
        match self.lines.cursor.take() {
            Some(_) => {}
            None => self.move_line(-1),
        }
    }

    pub(super) fn next_line_form(&mut self) {
        self.lines.form = self.lines.form.next();
    }

    /// Shows more (1) or fewer (-1) lines a second.
    pub(super) fn pace_lines(&mut self, step: i32) {
        let here = PACES.iter().position(|pace| *pace == self.lines.pace).unwrap_or(PACES.len() - 1) as i32;
        self.lines.pace = PACES[(here + step).clamp(0, PACES.len() as i32 - 1) as usize];
    }

    pub(super) fn ask_filter(&mut self) {
        self.overlays.push(Overlay::Prompt(Prompt::new(
            "show only lines with",
            "a text, or a pattern between slashes, as in /gauge=2\\d\\d\\d/; empty: all",
            self.lines.filter.text().to_owned(),
            Purpose::LineFilter,
        )));
    }

    pub(super) fn ask_search(&mut self) {
        self.overlays.push(Overlay::Prompt(Prompt::new(
            "look back for",
            "a text, or a pattern between slashes; then n older, N newer",
            self.lines.search.text().to_owned(),
            Purpose::LineSearch,
        )));
    }

    /// Takes a filter or a search that was typed.
    ///
    /// # Errors
    /// What is wrong with it.
    pub(super) fn type_filter(&mut self, text: &str, search: bool) -> Result<Vec<Effect>, String> {
        let filter = Filter::parse(text)?;
        if search {
            self.lines.search = filter;
            self.search_lines(-1);
        } else {
            self.lines.filter = filter;
            self.lines.picked.clear();
            self.lines.cursor = None;
        }
        Ok(Vec::new())
    }

    /// Chooses the next line back (-1) or on (1) that was looked for.
    pub(super) fn search_lines(&mut self, by: i32) {
        if self.lines.search.is_open() {
            return self.ask_search();
        }
        self.search(by < 0);
    }

    /// Goes to the line that was looked for, or says that there is none.
    pub(super) fn go_to_line(&mut self, search: &Search, number: Option<u64>) {
        if search.place != self.place() {
            return;
        }
        let tail = self.watched[search.place].chain.tail();
        match number {
            Some(number) => {
                self.lines.cursor = Some(number);
                // A line that was looked for is to be seen.
                let hidden = tail.line(number).is_some_and(|line| !self.lines.filter.passes(line.bytes));
                if hidden {
                    self.lines.filter = Filter::default();
                }
            }
            None => {
                let text = self.lines.search.text().to_owned();
                let numbers = tail.numbers();
                let kept = amber_core::digits::grouped(numbers.end - numbers.start);
                let where_to = if search.older { "older" } else { "newer" };
                self.say(format!("no {where_to} line with '{text}' among the {kept} that are kept"), true);
            }
        }
    }

    /// Copies the chosen line, or the newest.
    pub(super) fn copy_line(&mut self) -> Vec<Effect> {
        let tail = self.chain().tail();
        let line = match self.lines.cursor {
            Some(number) => tail.line(number),
            None => tail.before(tail.numbers().end, &self.lines.filter),
        };
        let Some(text) = line.map(|line| visible(line.bytes)) else {
            self.say("no line to copy", true);
            return Vec::new();
        };
        self.say("line copied", false);
        vec![Effect::Copy(text)]
    }
}

#[cfg(test)]
#[path = "lines_tests.rs"]
mod tests;
