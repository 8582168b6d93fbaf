//! Boards that are asked: the dialogue with those whose pins are set up from here, with outputs that are set by name, and questions
//! that are sent every so often.

use super::sources::Watched;
use super::{LinkOrder, Request, Session, Source};
use amber_core::Stamp;
use amber_core::ask::{Asker, Dialogue, Poller};
use amber_core::bench::Split;
use amber_core::talk::{Ending, encode};
use amber_io::LinkState;

impl Watched {
    fn is_open(&self) -> bool {
        matches!(self.source, Source::Live { link: LinkState::Open { .. } })
    }

    /// What is said follows the settings.
    fn follow_settings(&mut self, now: Stamp) {
        let is_open = self.is_open();
        let shape = match &self.chain.settings().split {
            Split::Pinned(shape) => Some(shape),
            Split::Auto => None,
        };
        Asker::follow(&mut self.asker, shape, is_open, now);
    }
}

impl Session {
    /// The dialogue with the board of the selected source.
    pub(crate) fn pins(&self) -> Option<&Dialogue> {
        self.watched.at(self.place()).asker.as_ref()?.dialogue()
    }

    /// The questions that are sent to the board of the selected source.
    pub(crate) fn poller(&self) -> Option<&Poller> {
        self.watched.at(self.place()).asker.as_ref()?.poller()
    }

    /// The seconds until a board is to be asked something.
    pub(crate) fn next_ask(&self, now: Stamp) -> Option<f64> {
        let due = |watched: &Watched| {
            let due = watched.asker.as_ref().and_then(Asker::due);
            due.map(|due| due.seconds_since(now).max(0.001))
        };
        self.watched.iter().filter(|watched| watched.is_open()).filter_map(due).reduce(f64::min)
    }

    /// What is asked of boards by `now`, the present.
    pub(crate) fn ask(&mut self, now: Stamp) -> Vec<Request> {
        let mut requests = Vec::new();
        for (place, watched) in self.watched.iter_mut().enumerate() {
            watched.follow_settings(now);
            let is_open = watched.is_open();
            let said = watched.asker.as_mut().filter(|_| is_open).and_then(|asker| asker.poll(now));
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
        match self.watched.at(place).asker.as_ref().and_then(Asker::dialogue) {
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
