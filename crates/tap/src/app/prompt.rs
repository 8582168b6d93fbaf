//! A line being typed: the text that is offered, which the first key replaces, and what is wrong with what was typed.

use super::{Purpose, insert};
use crossterm::event::{Event, KeyCode, KeyEvent, KeyModifiers};
use tui_input::Input;
use tui_input::backend::crossterm::EventHandler;

/// A line being typed.
#[derive(Debug)]
pub(crate) struct Prompt {
    pub(crate) title: String,
    pub(crate) hint: String,
    pub(crate) input: Input,
    /// The text is the one that was offered, as a whole: the first key that types replaces it.
    pub(crate) is_offered: bool,
    /// What is wrong with what was typed.
    pub(crate) wrong: Option<String>,
    pub(crate) purpose: Purpose,
}

impl Prompt {
    /// A prompt that offers `text`.
    pub(crate) fn new(
        title: impl Into<String>,
        hint: impl Into<String>,
        text: impl Into<String>,
        purpose: Purpose,
    ) -> Prompt {
        let input = Input::new(text.into());
        let is_offered = !input.value().is_empty();
        Prompt { title: title.into(), hint: hint.into(), input, is_offered, wrong: None, purpose }
    }

    /// Takes a key.
    pub(super) fn press(&mut self, key: KeyEvent) {
        let is_plain = !key.modifiers.intersects(KeyModifiers::CONTROL | KeyModifiers::ALT);
        let types = is_plain && matches!(key.code, KeyCode::Char(_) | KeyCode::Backspace | KeyCode::Delete);
        if types {
            self.replace_offered();
        }
        // Whatever else is pressed keeps it, to be changed.
        self.is_offered = false;
        self.wrong = None;
        self.input.handle_event(&Event::Key(key));
    }

    /// Takes text that was pasted.
    pub(super) fn paste(&mut self, text: &str) {
        self.replace_offered();
        self.wrong = None;
        insert(&mut self.input, text);
    }

    fn replace_offered(&mut self) {
        if std::mem::take(&mut self.is_offered) {
            self.input.reset();
        }
    }

    /// The same, still open, since this is wrong with what was typed.
    pub(super) fn refused(mut self, wrong: String) -> Prompt {
        self.is_offered = false;
        self.wrong = Some(wrong);
        self
    }
}
