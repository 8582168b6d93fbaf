//! Talking to the board: a typed line, those sent before, the commands kept with a name, and some sent repeatedly.

mod view;

use super::prompt::Prompt;
use super::{About, Effect, Place, Room, listed, outside};
use crate::app::{App, insert};
use crate::keys::{Binding, CTRL, Key, NONE, keys};
use crate::session::{LinkOrder, Request, Session};
use crate::theme::Theme;
use amber_core::Stamp;
use amber_core::talk::{BoardCommand, Ending};
use crossterm::event::KeyCode::{Char, Down, Enter, Esc, Tab, Up};
use crossterm::event::{Event, KeyEvent};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use tui_input::Input;
use tui_input::backend::crossterm::EventHandler;

/// Lines that are remembered.
const HISTORY: usize = 100;

/// The shortest pause between two sendings of the same, in seconds.
const SHORTEST: f64 = 0.02;

/// What is being sent.
#[derive(Debug, Default)]
pub(crate) struct Talk {
    input: Input,
    ending: Ending,
    /// The place of the selected line in the list; what is typed otherwise.
    selected: Option<usize>,
    /// What was sent, newest first.
    history: Vec<BoardCommand>,
    repeats: Vec<Repeat>,
}

/// Something that is sent repeatedly.
#[derive(Clone, Debug, PartialEq)]
struct Repeat {
    command: BoardCommand,
    bytes: Vec<u8>,
    /// Seconds between.
    every: f64,
    next: Stamp,
    /// The place of the source that it is sent to.
    place: usize,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Send,
    Up,
    Down,
    Ending,
    Name,
    Repeat,
    Close,
}

const KEYS: &[Binding<Action>] = keys! {
    [(Enter, NONE)], Action::Send, "Enter", "send the selected line, or what is typed", Some("Enter send");
    [(Up, NONE)], Action::Up, "↑", "the line above in the list, or what is typed", None;
    [(Down, NONE)], Action::Down, "↓", "a line of the list: commands, then those sent before", Some("↑↓ select");
    [(Tab, NONE)], Action::Ending, "Tab", "its line ending, or that it is bytes in hexadecimal", Some("Tab ending");
    [(Char('n'), CTRL)], Action::Name, "Ctrl-N", "keep the line in the bench as a command with a name", Some("Ctrl-N name");
    [(Char('e'), CTRL)], Action::Repeat, "Ctrl-E", "send the line repeatedly", Some("Ctrl-E repeat");
    [(Esc, NONE), (Char('c'), CTRL)], Action::Close, "Esc", "close", Some("Esc close");
};

impl Room for Talk {
    type Action = Action;
    const ABOUT: About = About { name: "talk", help: "send lines and commands to the board", place: Place::Over };

    fn bindings() -> Vec<(&'static Key, Action)> {
        listed(KEYS)
    }

    fn open(&mut self, session: &mut Session) -> Result<(), String> {
        if session.is_take() {
            return Err("a take has no board to talk to: watch a port".into());
        }
        self.selected = None;
        Ok(())
    }

    fn act(&mut self, action: Action, session: &mut Session) -> Vec<Effect> {
        match action {
            Action::Send => return self.send(session),
            Action::Up => self.select_by(-1, session),
            Action::Down => self.select_by(1, session),
            Action::Ending => self.ending = super::turned(&Ending::ALL, self.ending, 1),
            Action::Name => {
                let hint = "a name, under which the bench keeps it as a command; empty: delete it";
                return self.ask_about_line(session, hint, |command| {
                    Box::new(move |app, text| {
                        keep(&mut app.session, &command, text.trim());
                        Ok(Vec::new())
                    })
                });
            }
            Action::Repeat => {
                let hint = "send it repeatedly, every so many seconds: 0.02 to 86400 s; empty: no longer";
                return self.ask_about_line(session, hint, |command| {
                    Box::new(move |app, text| {
                        let App { rooms, session, .. } = app;
                        rooms.talk.repeat(&command, text, session)
                    })
                });
            }
            Action::Close => return vec![Effect::Close],
        }
        Vec::new()
    }

    fn type_key(&mut self, key: KeyEvent) -> bool {
        self.input.handle_event(&Event::Key(key));
        self.selected = None;
        true
    }

    fn paste(&mut self, text: &str) -> bool {
        insert(&mut self.input, text);
        true
    }

    fn scroll(&mut self, by: i32, session: &mut Session) -> bool {
        self.select_by(by.signum(), session);
        true
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        view::draw(self, session, theme, area, buffer);
    }
}

/// Keeps a line in the bench as a command, or deletes it where the name is empty.
fn keep(session: &mut Session, command: &BoardCommand, name: &str) {
    session.edit_shared(|shared| {
        shared.command.retain(|kept| kept.text != command.text && (name.is_empty() || kept.name != name));
        if !name.is_empty() {
            shared.command.push(BoardCommand { name: name.to_owned(), ..command.clone() });
        }
    });
}

impl Talk {
    /// What is typed.
    #[cfg(test)]
    pub(crate) fn text(&self) -> &str {
        self.input.value()
    }

    /// What can be sent again: the bench's commands, then what was sent, as far as the typed text is in it.
    fn commands(&self, session: &Session) -> Vec<BoardCommand> {
        let text = self.input.value().to_lowercase();
        let fits = |saying: &&BoardCommand| {
            saying.text.to_lowercase().contains(&text) || saying.name.to_lowercase().contains(&text)
        };
        let kept = &session.shared().command;
        let same = |a: &BoardCommand, b: &BoardCommand| a.text == b.text && a.ending == b.ending;
        let own = |saying: &&BoardCommand| !kept.iter().any(|kept| same(kept, saying));
        kept.iter().filter(fits).chain(self.history.iter().filter(own).filter(fits)).cloned().collect()
    }

    fn select_by(&mut self, by: i32, session: &Session) {
        let count = self.commands(session).len() as i32;
        let at = self.selected.map_or(-1, |at| at as i32) + by;
        self.selected = (at >= 0 && count > 0).then(|| at.min(count - 1) as usize);
    }

    /// What Enter would send.
    fn line(&self, session: &Session) -> BoardCommand {
        let typed = || BoardCommand { name: String::new(), text: self.input.value().into(), ending: self.ending };
        self.selected.and_then(|at| self.commands(session).into_iter().nth(at)).unwrap_or_else(typed)
    }

    /// Sends the selected line, or what was typed.
    fn send(&mut self, session: &mut Session) -> Vec<Effect> {
        let line = self.line(session);
        match session.encode(session.place(), &line.text, line.ending) {
            Ok(bytes) if bytes.is_empty() => {
                session.say("nothing to send: type a line, or select one with the arrows", true);
                Vec::new()
            }
            Ok(bytes) => {
                self.history.retain(|old| old.text != line.text || old.ending != line.ending);
                self.history.insert(0, BoardCommand { name: String::new(), ..line });
                self.history.truncate(HISTORY);
                self.input.reset();
                self.selected = None;
                session.notice = None;
                outside(vec![Request::Tell(session.place(), LinkOrder::Send(bytes))])
            }
            Err(wrong) => {
                session.say(wrong, true);
                Vec::new()
            }
        }
    }

    /// Asks something about the line that Enter would send.
    fn ask_about_line(
        &self,
        session: &mut Session,
        hint: &str,
        answer: impl FnOnce(BoardCommand) -> super::prompt::Answer,
    ) -> Vec<Effect> {
        let line = self.line(session);
        if line.text.is_empty() {
            session.say("type a line first, or select one with the arrows", true);
            return Vec::new();
        }
        let (title, name) = (line.text.clone(), line.name.clone());
        let answer = answer(line);
        vec![Effect::Ask(Prompt::new(title, hint, name, move |app, text| answer(app, text)))]
    }

    /// Sends a line repeatedly, or no longer.
    ///
    /// # Errors
    /// What is wrong with the time that was typed.
    fn repeat(&mut self, command: &BoardCommand, text: &str, session: &Session) -> Result<Vec<Effect>, String> {
        let bytes = session.encode(session.place(), &command.text, command.ending)?;
        let every = match text.trim() {
            "" => None,
            text => Some(amber_core::digits::typed(text)?),
        };
        if every.is_some_and(|every| !(SHORTEST..=86_400.0).contains(&every)) {
            return Err(format!("{SHORTEST} to 86400 seconds"));
        }
        self.repeats.retain(|repeat| repeat.command.text != command.text);
        let (next, place) = (session.now, session.place());
        self.repeats.extend(every.map(|every| Repeat { command: command.clone(), bytes, every, next, place }));
        Ok(Vec::new())
    }

    /// What is due to be sent again.
    pub(crate) fn due(&mut self, now: Stamp) -> Vec<Request> {
        let mut requests = Vec::new();
        for repeat in self.repeats.iter_mut().filter(|repeat| repeat.next <= now) {
            // After a long pause it is sent once, not for each time that was missed.
            let next = repeat.next.plus(repeat.every);
            repeat.next = if next <= now { now.plus(repeat.every) } else { next };
            requests.push(Request::Tell(repeat.place, LinkOrder::Send(repeat.bytes.clone())));
        }
        requests
    }

    /// The seconds until something is to be sent again.
    pub(crate) fn next_due(&self, now: Stamp) -> Option<f64> {
        let seconds = self.repeats.iter().map(|repeat| repeat.next.seconds_since(now).max(0.0));
        seconds.reduce(f64::min)
    }
}
