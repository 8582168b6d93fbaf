//! A line being typed: the text that is offered, which the first key replaces, what is wrong with what was typed, and
//! what is done with it.

mod view;

pub(crate) use view::{draw, draw_input};

use super::Effect;
use super::help::Page;
use crate::app::{App, insert};
use crossterm::event::{Event, KeyCode, KeyEvent, KeyModifiers};
use tui_input::Input;
use tui_input::backend::crossterm::EventHandler;

/// What is done with a line: the effects, or what is wrong with it.
pub(crate) type Answer = Box<dyn Fn(&mut App, &str) -> Result<Vec<Effect>, String>>;

/// What a key did.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Typed {
    /// The line is still being typed.
    Open,
    /// The line is done.
    Line,
    /// A page of the help is asked for.
    Help(Page),
    Cancelled,
}

/// A line being typed.
pub(crate) struct Prompt {
    pub(crate) title: String,
    pub(crate) hint: String,
    pub(crate) input: Input,
    /// The text is the one that was offered, as a whole: the first key that types replaces it.
    pub(crate) is_offered: bool,
    /// What is wrong with what was typed.
    pub(crate) wrong: Option<String>,
    /// The page of the help that tells what can be typed.
    pub(crate) page: Option<Page>,
    pub(crate) answer: Answer,
}

impl std::fmt::Debug for Prompt {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Prompt").field("title", &self.title).field("input", &self.input.value()).finish_non_exhaustive()
    }
}

impl Prompt {
    /// A prompt that offers `text`.
    pub(crate) fn new(
        title: impl Into<String>,
        hint: impl Into<String>,
        text: impl Into<String>,
        answer: impl Fn(&mut App, &str) -> Result<Vec<Effect>, String> + 'static,
    ) -> Prompt {
        let input = Input::new(text.into());
        let is_offered = !input.value().is_empty();
        let (title, hint) = (title.into(), hint.into());
        Prompt { title, hint, input, is_offered, wrong: None, page: None, answer: Box::new(answer) }
    }

    /// The same, with a page of the help that tells what can be typed.
    pub(crate) fn with_page(self, page: Page) -> Prompt {
        Prompt { page: Some(page), ..self }
    }

    pub(crate) fn text(&self) -> &str {
        self.input.value()
    }

    /// Takes a key.
    pub(crate) fn press(&mut self, key: KeyEvent) -> Typed {
        let control = key.modifiers.contains(KeyModifiers::CONTROL);
        match key.code {
            KeyCode::Enter => return Typed::Line,
            KeyCode::Esc => return Typed::Cancelled,
            KeyCode::F(1) => return self.page.map_or(Typed::Open, Typed::Help),
            KeyCode::Char('c') if control => return Typed::Cancelled,
            _ => {}
        }
        let is_plain = !key.modifiers.intersects(KeyModifiers::CONTROL | KeyModifiers::ALT);
        let types = is_plain && matches!(key.code, KeyCode::Char(_) | KeyCode::Backspace | KeyCode::Delete);
        if types {
            self.replace_offered();
        }
        // Whatever else is pressed keeps it, to be changed.
        self.is_offered = false;
        self.wrong = None;
        self.input.handle_event(&Event::Key(key));
        Typed::Open
    }

    /// Takes text that was pasted.
    pub(crate) fn paste(&mut self, text: &str) -> bool {
        self.replace_offered();
        self.wrong = None;
        insert(&mut self.input, text);
        true
    }

    fn replace_offered(&mut self) {
        if std::mem::take(&mut self.is_offered) {
            self.input.reset();
        }
    }

    /// The same, still open, since this is wrong with what was typed.
    pub(crate) fn rejected(mut self, wrong: String) -> Prompt {
        self.is_offered = false;
        self.wrong = Some(wrong);
        self
    }
}
