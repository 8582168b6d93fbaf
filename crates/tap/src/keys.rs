//! Keys as data: each room has a table of its own, from which the program's behaviour, the footer, the help, the finder
//! and the page of keys (docs/keys.md) come.

use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

/// A key as it is pressed.
pub(crate) type Press = (KeyCode, KeyModifiers);

/// A row of a room's table, without what it does.
#[derive(Debug)]
pub(crate) struct Key {
    /// The keys that do it; the first one is shown.
    pub(crate) presses: &'static [Press],
    /// How it is written.
    pub(crate) label: &'static str,
    /// What it does.
    pub(crate) help: &'static str,
    /// The same in a word or two, behind the key, for the footer.
    pub(crate) footer: Option<&'static str>,
    /// It is about the selected channel, so that there must be one.
    pub(crate) needs_channel: bool,
}

/// A key with what it does in its room.
#[derive(Debug)]
pub(crate) struct Binding<A: 'static> {
    pub(crate) key: Key,
    pub(crate) action: A,
}

pub(crate) const NONE: KeyModifiers = KeyModifiers::NONE;
pub(crate) const CTRL: KeyModifiers = KeyModifiers::CONTROL;

impl Key {
    /// Whether this press is it.
    pub(crate) fn is(&self, press: KeyEvent) -> bool {
        // Terminals report Shift for capitals and Back-Tab in different ways.
        let mods = press.modifiers.difference(KeyModifiers::SHIFT);
        self.presses.contains(&(press.code, mods))
    }

    /// Whether it is a letter or a sign, rather than a key that moves about.
    pub(crate) fn is_letter(&self) -> bool {
        matches!(self.presses[0].0, KeyCode::Char(_))
    }
}

/// A room's table: `[presses], action, label, help, footer;` a row, with `channel` at the end of rows that need one.
macro_rules! keys {
    ($([$(($code:expr, $mods:expr)),+], $action:expr, $label:literal, $help:literal, $footer:expr $(, $needs:ident)?;)*) => {
        &[$($crate::keys::Binding {
            key: $crate::keys::Key {
                presses: &[$(($code, $mods)),+],
                label: $label,
                help: $help,
                footer: $footer,
                needs_channel: $crate::keys::keys!(@needs $($needs)?),
            },
            action: $action,
        }),*]
    };
    (@needs channel) => { true };
    (@needs) => { false };
}
pub(crate) use keys;
