//! Messages in, changed state and requests out.

use super::{App, Message, Overlay};
use crate::rooms::list::Picked;
use crate::rooms::prompt::Typed;
use crate::rooms::{Effect, Follow, RoomId, finder};
use crate::session::{Done, Request};
use amber_core::Stamp;
use amber_core::digits::counted;
use amber_core::tail::visible_char;
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use tui_input::{Input, InputRequest};
use unicode_width::UnicodeWidthChar;

impl App {
    /// Takes one message at `now`.
    pub(crate) fn update(&mut self, now: Stamp, message: Message) -> Vec<Request> {
        let session = &mut self.session;
        session.now = session.now.max(now);
        match message {
            Message::Key(key) => {
                let is_esc = key.code == KeyCode::Esc && self.side().is_none() && self.overlays.is_empty();
                let dismissed = if is_esc && self.view == RoomId::Chart { self.dismiss_hints() } else { None };
                let effects = self.key(key);
                let mut requests = self.dispatch(effects);
                requests.extend(dismissed.or_else(|| self.follow_hints()));
                return requests;
            }
            Message::Burst(keys) => return self.burst(&keys),
            Message::Mouse(mouse) => {
                let effects = self.mouse(mouse);
                return self.dispatch(effects);
            }
            Message::Feed(place, feed) => {
                session.feed(place, feed);
                let mut requests = session.answer(place);
                requests.extend(self.ring());
                return requests;
            }
            Message::Report(place, report) => return session.hear_keeper(place, report),
            Message::PublishingEnded(end) => session.publishing_ended(end),
            Message::Figure(Ok(paths)) => {
                let names: Vec<String> = paths.iter().map(|path| path.display().to_string()).collect();
                session.say(format!("figure written: {}", names.join(" and ")), false);
            }
            Message::Figure(Err(error)) => session.say(format!("no figure: {error}"), true),
            Message::ReportWritten(Ok(paths)) => {
                let names: Vec<String> = paths.iter().map(|path| path.display().to_string()).collect();
                session.say(format!("report written: {}", names.join(" and ")), false);
            }
            Message::ReportWritten(Err(error)) => session.say(format!("no report: {error}"), true),
            Message::Written(what, Ok(path)) => session.say(format!("{what} written: {}", path.display()), false),
            Message::Written(what, Err(error)) => session.say(format!("{what} not written: {error}"), true),
            Message::BenchSaved(Ok((path, bench))) => {
                session.bench_saved(path, *bench);
                return session.after_saving.take().into_iter().collect();
            }
            Message::BenchSaved(Err(error)) => {
                session.after_saving = None;
                session.say(format!("bench not saved: {error}"), true);
            }
            Message::BenchThere(path) => {
                let prompt = crate::rooms::keep::ask_over(path);
                self.overlays.push(Overlay::Prompt(prompt));
            }
            Message::Done(Done::Found(search, number)) => self.rooms.lines.go_to(session, &search, number),
            Message::Done(done) => session.take_done(done),
            Message::Paste(text) => self.paste(&text),
        }
        Vec::new()
    }

    /// Text that was pasted goes where text is typed, as one line.
    fn paste(&mut self, text: &str) {
        if !self.insert(text) {
            self.session.say("pasted text is ignored here: open an input line first", true);
        }
    }

    /// Puts text where text is typed now; whether there is such a place.
    fn insert(&mut self, text: &str) -> bool {
        match self.overlays.last_mut() {
            Some(Overlay::Prompt(prompt)) => prompt.paste(text),
            Some(Overlay::List(list)) => list.paste(text),
            Some(Overlay::Room(id)) => self.rooms.get_mut(*id).paste(text),
            None => false,
        }
    }

    /// Keys that nobody typed go where text is typed, with blanks for the line ends in it; only an Enter behind all of it is
    /// one. Elsewhere they are ignored, and so is whatever follows such a line.
    fn burst(&mut self, keys: &[KeyEvent]) -> Vec<Request> {
        let (text, is_line) = match keys {
            [text @ .., last] if last.code == KeyCode::Enter && !text.is_empty() => (text, true),
            all => (all, false),
        };
        let letter = |key: &KeyEvent| match key.code {
            KeyCode::Char(letter) if !key.modifiers.contains(KeyModifiers::CONTROL) => Some(letter),
            KeyCode::Enter | KeyCode::Tab => Some(' '),
            _ => None,
        };
        let text: String = text.iter().filter_map(letter).collect();
        if !self.insert(&text) {
            let count = counted(keys.len() as u64, "key");
            let why = "as pasted text does, and nothing was done: open an input line first";
            self.session.say(format!("{count} came at once, {why}"), true);
            return Vec::new();
        }
        if text.len() > PASTED {
            self.session.say(format!("only the first {PASTED} characters were taken"), true);
        } else if is_line {
            return self.update(self.session.now, Message::Key(KeyCode::Enter.into()));
        }
        Vec::new()
    }

    /// Time passed: messages go, axes and numbers follow. Gives whether something else is to be seen than rows.
    pub(crate) fn before_frame(&mut self, now: Stamp) -> bool {
        let refreshed = self.session.before_frame(now);
        let mut changed = refreshed;
        for id in RoomId::ALL {
            let is_open = self.side() == Some(*id) || self.view == *id;
            let time = Follow { now, refreshed, is_open };
            changed |= self.rooms.get_mut(*id).follow(&mut self.session, time);
        }
        changed
    }

    /// Rings when the selected channel has settled, where that is wanted.
    fn ring(&mut self) -> Vec<Request> {
        let session = &self.session;
        let now = (session.selected, session.channel().map_or(0, |channel| channel.levels().count()));
        let before = std::mem::replace(&mut self.rung, now);
        let settled = now.0 == before.0 && now.1 > before.1;
        let wanted = settled && session.shared().levels.bell && !session.is_held();
        if wanted { vec![Request::Bell] } else { Vec::new() }
    }

    fn key(&mut self, key: KeyEvent) -> Vec<Effect> {
        self.begin_hints();
        self.session.refresh_soon();
        match self.overlays.last_mut() {
            Some(Overlay::Prompt(prompt)) => match prompt.press(key) {
                Typed::Open => Vec::new(),
                Typed::Cancelled => {
                    self.overlays.pop();
                    self.session.after_saving = None;
                    Vec::new()
                }
                Typed::Help(page) => {
                    self.rooms.help.turn_to(page, Vec::new());
                    self.overlays.push(Overlay::Room(RoomId::Help));
                    Vec::new()
                }
                Typed::Line => self.accept(),
            },
            Some(Overlay::List(list)) => match list.press(key) {
                Picked::Open => Vec::new(),
                Picked::Cancelled => {
                    self.overlays.pop();
                    Vec::new()
                }
                Picked::Item(act) => {
                    self.overlays.pop();
                    act(self)
                }
            },
            _ => self.key_of_rooms(key),
        }
    }

    fn key_of_rooms(&mut self, key: KeyEvent) -> Vec<Effect> {
        if let Some(Overlay::Room(id)) = self.overlays.last()
            && self.rooms.get(*id).is_typing()
        {
            self.rooms.get_mut(*id).type_key(key);
            return Vec::new();
        }
        let found = self.places().into_iter().find_map(|id| {
            let index = id.keys().iter().position(|own| own.is(key))?;
            Some((id, index))
        });
        if let Some((id, index)) = found {
            return self.act(id, index);
        }
        if let Some(Overlay::Room(id)) = self.overlays.last() {
            self.rooms.get_mut(*id).type_key(key);
        } else if matches!(key.code, KeyCode::Char(_)) {
            self.session.say("that key does nothing here; ? is the help, / finds an action", true);
        }
        Vec::new()
    }

    /// Does what row `index` of a room's table says.
    pub(crate) fn act(&mut self, id: RoomId, index: usize) -> Vec<Effect> {
        if id.keys().get(index).is_some_and(|key| key.needs_channel) && self.session.channel().is_none() {
            self.session.say("no channel yet: rows must arrive first", true);
            return Vec::new();
        }
        self.session.refresh_soon();
        let effects = self.rooms.get_mut(id).act_at(index, &mut self.session);
        if effects.iter().any(|effect| matches!(effect, Effect::Close)) {
            self.close(id);
        }
        effects
    }

    /// Does what was asked for within the program, and gives the rest.
    fn dispatch(&mut self, effects: Vec<Effect>) -> Vec<Request> {
        let mut requests = Vec::new();
        for effect in effects {
            match effect {
                Effect::Ask(prompt) => self.overlays.push(Overlay::Prompt(prompt)),
                Effect::Choose(list) => self.overlays.push(Overlay::List(list)),
                Effect::Find => self.overlays.push(Overlay::List(finder::finder(self))),
                Effect::Show(id) => self.show(id),
                // It is closed already, by whoever knew which room it was.
                Effect::Close => {}
                Effect::Outside(request) => requests.push(request),
            }
        }
        self.session.remember_change();
        requests
    }

    /// Takes what was typed; a line that is wrong stays open and says why.
    fn accept(&mut self) -> Vec<Effect> {
        let Some(Overlay::Prompt(prompt)) = self.overlays.pop() else { return Vec::new() };
        let text = prompt.text().to_owned();
        match (prompt.answer)(self, &text) {
            Ok(effects) => effects,
            Err(wrong) => {
                self.overlays.push(Overlay::Prompt(prompt.rejected(wrong)));
                Vec::new()
            }
        }
    }
}

/// The longest line that text is pasted into, in characters.
const PASTED: usize = 4096;

/// Puts pasted text into what is being typed, as one line without control characters.
pub(crate) fn insert(input: &mut Input, text: &str) {
    let line = text.trim_end_matches(['\r', '\n']);
    let room = PASTED.saturating_sub(input.value().chars().count());
    for c in line.chars().take(room) {
        let c = if matches!(c, '\n' | '\r' | '\t') { ' ' } else { c };
        // What may be seen is text, wide characters too.
        if visible_char(c) == c || c.width() == Some(2) {
            input.handle(InputRequest::InsertChar(c));
        }
    }
}
