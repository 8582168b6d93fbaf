//! The question before quitting, when something would be lost.

use super::{About, Effect, Place, Room, keep, listed, outside};
use crate::keys::{Binding, CTRL, Key, NONE, keys};
use crate::screen::text::{centred, frame, put};
use crate::session::{Request, Session, Taking};
use crate::theme::{Ink, Theme};
use crossterm::event::KeyCode::{Char, Esc};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The question before quitting.
#[derive(Debug, Default)]
pub(crate) struct Quit;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Anyway,
    Save,
    Stop,
    Stay,
}

const KEYS: &[Binding<Action>] = keys! {
    [(Char('q'), NONE), (Char('c'), CTRL)], Action::Anyway, "q", "quit; a take is ended properly, unsaved settings are dropped", None;
    [(Char('s'), NONE)], Action::Save, "s", "save the bench, then quit", None;
    [(Char('t'), NONE)], Action::Stop, "t", "end the take, then ask for the rest", None;
    [(Esc, NONE)], Action::Stay, "Esc", "stay", Some("Esc stay");
};

/// Quits, or asks first when something would be lost.
pub(crate) fn quit(session: &Session) -> Vec<Effect> {
    let asks = session.taking.runs() || session.unsaved();
    vec![if asks { Effect::Show(super::RoomId::Quit) } else { Request::Quit.into() }]
}

impl Room for Quit {
    type Action = Action;
    const ABOUT: About = About { name: "quit?", help: "asks before something is lost", place: Place::Over };

    fn bindings() -> Vec<(&'static Key, Action)> {
        listed(KEYS)
    }

    fn act(&mut self, action: Action, session: &mut Session) -> Vec<Effect> {
        let mut effects = vec![Effect::Close];
        match action {
            Action::Anyway => effects.push(Request::Quit.into()),
            Action::Save => {
                session.after_saving = Some(Request::Quit);
                effects.extend(keep::save(session));
            }
            Action::Stop => {
                let runs = session.taking.runs().then_some(Request::StopTake);
                effects.extend(outside(runs.into_iter().collect()));
                session.taking = Taking::No;
                effects.extend(quit(session));
            }
            Action::Stay => {}
        }
        effects
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        let runs = session.taking.runs();
        let reasons = [(runs, "a take is running"), (session.unsaved(), "settings are not saved to a bench file")];
        let reasons: Vec<_> = reasons.into_iter().filter(|(holds, _)| *holds).map(|(_, text)| text).collect();
        let applies = |binding: &&Binding<Action>| match binding.action {
            Action::Stop => runs,
            Action::Save => session.unsaved(),
            _ => true,
        };
        let choices: Vec<_> = KEYS.iter().filter(applies).collect();
        let height = (reasons.len() + choices.len() + 3) as u16;
        let inner = frame(buffer, centred(area, 84, height), Self::ABOUT.name, theme);
        for (reason, y) in reasons.iter().zip(0..) {
            put(buffer, inner, 0, y, reason, theme.style(Ink::Bright));
        }
        for (choice, y) in choices.iter().zip(reasons.len() as u16 + 1..) {
            put(buffer, inner, 0, y, choice.key.label, theme.style(Ink::Bright));
            put(buffer, inner, 6, y, choice.key.help, theme.style(Ink::Text));
        }
    }
}
