//! The first minute: a few quiet hints, one at a time. Each goes when the thing is done, all of them with Esc, and none
//! comes back.

use super::{App, Overlay};
use crate::rooms::RoomId;
use crate::rooms::list::{Item, List};
use crate::session::{ChannelId, Request, Stage};
use amber_core::tail::visible;

/// A hint.
struct Hint {
    text: &'static str,
    /// Whether the thing was done; the channel is the one that was selected when the hints began.
    is_done: fn(&App, ChannelId) -> bool,
}

const HINTS: [Hint; 4] = [
    Hint {
        text: "Tab selects the next channel; the strip at the top follows it",
        is_done: |app, first| app.session.selected != first,
    },
    Hint {
        text: "3 shows how counts become volts and a quantity; Esc closes the panel",
        is_done: |app, _| app.is_open(Stage::Scale),
    },
    Hint {
        text: "Space holds the picture, ← and → look back; nothing is lost meanwhile",
        is_done: |app, _| app.session.is_held(),
    },
    Hint {
        text: "/ finds any action or setting by typing; ? answers how do I …?",
        is_done: |app, _| {
            app.overlays.iter().any(|overlay| matches!(overlay, Overlay::List(_) | Overlay::Room(RoomId::Help)))
        },
    },
];

/// How far a person has come with them.
#[derive(Debug)]
pub(crate) struct Hints {
    seen: usize,
    first: Option<ChannelId>,
}

impl App {
    /// Shows the hints that were not seen yet.
    pub(crate) fn with_hints(self, seen: usize) -> App {
        App { hints: (seen < HINTS.len()).then_some(Hints { seen, first: None }), ..self }
    }

    /// Lists what is wrong in a bench file, where that is more than one thing.
    pub(crate) fn with_mistakes(mut self, mistakes: &[String]) -> App {
        if mistakes.len() > 1 {
            let item = |mistake: &String| {
                let told = mistake.find("line ").map_or(&mistake[..], |at| &mistake[at..]);
                let (place, what) = told.split_once(": ").unwrap_or(("", told));
                Item::new(visible(place.as_bytes()), visible(what.as_bytes()), |_| Vec::new())
            };
            let title = format!("{} mistakes in the bench file; the rest is loaded", mistakes.len());
            self.overlays.push(Overlay::List(List::new(title, mistakes.iter().map(item).collect(), 0)));
        }
        self
    }

    /// The hint that stands on the screen, once there is something to try it on.
    pub(crate) fn hint(&self) -> Option<&'static str> {
        let hints = self.hints.as_ref().filter(|_| self.session.channel().is_some())?;
        HINTS.get(hints.seen).map(|hint| hint.text)
    }

    /// The first key is about to be pressed: from this channel another one is selected.
    pub(super) fn begin_hints(&mut self) {
        let selected = self.session.selected;
        if let Some(hints) = self.hints.as_mut() {
            hints.first.get_or_insert(selected);
        }
    }

    /// Takes note of what was done; gives what is to be remembered of it.
    pub(super) fn follow_hints(&mut self) -> Option<Request> {
        self.hint()?;
        let Hints { seen, first } = self.hints.as_ref()?;
        let (seen, first) = (*seen, first.unwrap_or(self.session.selected));
        if !(HINTS[seen].is_done)(self, first) {
            return None;
        }
        self.see_hints(seen + 1)
    }

    /// No more hints are wanted.
    pub(super) fn dismiss_hints(&mut self) -> Option<Request> {
        self.hint()?;
        self.see_hints(HINTS.len())
    }

    fn see_hints(&mut self, seen: usize) -> Option<Request> {
        if seen >= HINTS.len() {
            self.hints = None;
        } else if let Some(hints) = &mut self.hints {
            hints.seen = seen;
        }
        Some(Request::HintsSeen(seen))
    }
}
