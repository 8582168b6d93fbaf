//! Boards whose pins are set up from here: the dialogue of each source, and outputs that are set by name.

use super::sources::Watched;
use super::{LinkOrder, Request, Session, Source};
use amber_core::Stamp;
use amber_core::bench::Split;
use amber_core::pins::{Dialogue, Pins};
use amber_core::split::Shape;
use amber_core::talk::{Ending, encode};
use amber_io::LinkState;

impl Watched {
    /// The pins that are set up, where the shape says so.
    pub(crate) fn wanted_pins(&self) -> Option<&Pins> {
        match self.chain.settings().split {
            Split::Pinned(Shape::Pins(ref pins)) => Some(pins),
            _ => None,
        }
    }

    /// The dialogue follows the settings.
    pub(super) fn follow_pins(&mut self, now: Stamp) {
        let is_open = matches!(self.source, Source::Live { link: LinkState::Open { .. } });
        match (self.wanted_pins().cloned(), &mut self.pins) {
            (Some(pins), Some(dialogue)) if *dialogue.pins() != pins => dialogue.set_pins(pins, now),
            (Some(pins), None) => {
                let mut dialogue = Dialogue::new(pins);
                if is_open {
                    dialogue.opened(now);
                }
                self.pins = Some(dialogue);
            }
            (None, Some(_)) => self.pins = None,
            _ => {}
        }
    }
}

impl Session {
    /// The dialogue with the board of the selected source.
    pub(crate) fn pins(&self) -> Option<&Dialogue> {
        self.watched[self.place()].pins.as_ref()
    }

    /// What is said to boards whose pins are set up from here, as time passes.
    pub(super) fn talk_to_pins(&mut self, now: Stamp) -> Vec<Request> {
        let mut requests = Vec::new();
        for (place, watched) in self.watched.iter_mut().enumerate() {
            watched.follow_pins(now);
            let is_open = matches!(watched.source, Source::Live { link: LinkState::Open { .. } });
            let said = watched.pins.as_mut().filter(|_| is_open).and_then(|dialogue| dialogue.poll(now));
            requests.extend(said.map(|bytes| Request::Tell(place, LinkOrder::Send(bytes))));
        }
        requests
    }

    /// The bytes that are sent for `text` to the board at `place`. Where its pins are set up from here, `led 1` and `fan = 128`
    /// set the output of that name.
    ///
    /// # Errors
    /// What is wrong with it, in a sentence.
    pub(crate) fn encode(&self, place: usize, text: &str, ending: Ending) -> Result<Vec<u8>, String> {
        match &self.watched[place].pins {
            Some(dialogue) if ending != Ending::Bytes => {
                let example = || "type the name of an output and its value, as in led 1".to_owned();
                let (name, value) = text.trim().rsplit_once([' ', '=']).ok_or_else(example)?;
                let value = value.trim().parse().map_err(|_| example())?;
                dialogue.output(name.trim_end_matches([' ', '=']), value)
            }
            _ => encode(text, ending),
        }
    }
}
