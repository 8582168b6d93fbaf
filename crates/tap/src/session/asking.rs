//! Boards that are asked: the dialogue with those whose pins are set up from here, with outputs that are set by name, and questions
//! that are sent every so often.

use super::sources::Watched;
use super::{LinkOrder, Request, Session, Source};
use amber_core::Stamp;
use amber_core::bench::Split;
use amber_core::pins::{Dialogue, Pins};
use amber_core::polled::{Polled, Poller};
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

    fn is_open(&self) -> bool {
        matches!(self.source, Source::Live { link: LinkState::Open { .. } })
    }

    /// What is asked, where the shape says so.
    fn wanted_questions(&self) -> Option<&Polled> {
        match self.chain.settings().split {
            Split::Pinned(Shape::Polled(ref polled)) => Some(polled),
            _ => None,
        }
    }

    /// The questions follow the settings.
    fn follow_questions(&mut self, now: Stamp) {
        match (self.wanted_questions(), &self.poller) {
            (Some(polled), Some(poller)) if poller.polled() == polled => {}
            (Some(polled), _) => self.poller = Some(Poller::new(polled.clone(), now)),
            (None, _) => self.poller = None,
        }
    }

    /// The dialogue follows the settings.
    pub(super) fn follow_pins(&mut self, now: Stamp) {
        let is_open = self.is_open();
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

    /// The questions that are sent to the board of the selected source.
    pub(crate) fn poller(&self) -> Option<&Poller> {
        self.watched[self.place()].poller.as_ref()
    }

    /// The seconds until a board is to be asked something.
    pub(crate) fn next_ask(&self, now: Stamp) -> Option<f64> {
        let due = |watched: &Watched| {
            let due = [watched.pins.as_ref().and_then(Dialogue::due), watched.poller.as_ref().map(Poller::due)];
            due.into_iter().flatten().map(|due| due.seconds_since(now).max(0.001)).reduce(f64::min)
        };
        self.watched.iter().filter(|watched| watched.is_open()).filter_map(due).reduce(f64::min)
    }

    /// What is asked of boards by `now`, the present.
    pub(crate) fn ask(&mut self, now: Stamp) -> Vec<Request> {
        let mut requests = Vec::new();
        for (place, watched) in self.watched.iter_mut().enumerate() {
            watched.follow_pins(now);
            watched.follow_questions(now);
            let is_open = watched.is_open();
            let said = watched.pins.as_mut().filter(|_| is_open).and_then(|dialogue| dialogue.poll(now));
            let question = watched.poller.as_mut().filter(|_| is_open).and_then(|poller| poller.poll(now));
            requests.extend(said.into_iter().chain(question).map(|bytes| Request::Tell(place, LinkOrder::Send(bytes))));
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
