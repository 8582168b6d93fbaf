//! What is said to boards that are asked, and when: bytes in, bytes out, with the time passed in. What they answer is read by the
//! splitter, as anything else that comes.

mod answers;
mod dialogue;
mod poller;

pub use dialogue::{Dialogue, PinBoard, Stage};
pub use poller::Poller;

use crate::Stamp;
use crate::split::Shape;

/// Asks a board, by what its shape says.
#[derive(Clone, Debug)]
pub enum Asker {
    /// One whose pins are set up from here.
    Pins(Box<Dialogue>),
    /// One that only answers.
    Questions(Box<Poller>),
}

impl Asker {
    /// Who asks for this shape, from the opening of the link on; nobody where nothing is asked.
    pub fn of(shape: &Shape, now: Stamp) -> Option<Asker> {
        match shape {
            Shape::Pins(pins) => Some(Asker::Pins(Box::new(Dialogue::new(pins.clone())))),
            Shape::Polled(polled) => Some(Asker::Questions(Box::new(Poller::new(polled.clone(), now)))),
            _ => None,
        }
    }

    /// Follows the shape that is wanted now, of a link that is open or not.
    pub fn follow(own: &mut Option<Asker>, shape: Option<&Shape>, is_open: bool, now: Stamp) {
        match (own.as_mut(), shape) {
            (Some(Asker::Pins(dialogue)), Some(Shape::Pins(pins))) => {
                if dialogue.pins() != pins {
                    dialogue.set_pins(pins.clone(), now);
                }
            }
            (Some(Asker::Questions(poller)), Some(Shape::Polled(polled))) if poller.polled() == polled => {}
            _ => {
                *own = shape.and_then(|shape| Asker::of(shape, now));
                if let Some(asker) = own.as_mut().filter(|_| is_open) {
                    asker.opened(now);
                }
            }
        }
    }

    /// The link was opened at `now`.
    pub fn opened(&mut self, now: Stamp) {
        match self {
            Asker::Pins(dialogue) => dialogue.opened(now),
            Asker::Questions(poller) => poller.opened(now),
        }
    }

    /// The board is to say what it only says when it changes, as far as it has such.
    pub fn ask_states(&mut self) {
        if let Asker::Pins(dialogue) = self {
            dialogue.ask_inputs();
        }
    }

    /// These bytes were sent to the board.
    pub fn sent(&mut self, bytes: &[u8]) {
        if let Asker::Pins(dialogue) = self {
            dialogue.sent(bytes);
        }
    }

    /// These bytes came at `at`.
    pub fn hear(&mut self, at: Stamp, bytes: &[u8]) {
        match self {
            Asker::Pins(dialogue) => dialogue.hear(at, bytes),
            Asker::Questions(poller) => poller.hear(at, bytes),
        }
    }

    /// When something is to be done next, if anything is.
    pub fn due(&self) -> Option<Stamp> {
        match self {
            Asker::Pins(dialogue) => dialogue.due(),
            Asker::Questions(poller) => Some(poller.due()),
        }
    }

    /// What is to be sent by `now`.
    pub fn poll(&mut self, now: Stamp) -> Option<Vec<u8>> {
        match self {
            Asker::Pins(dialogue) => dialogue.poll(now),
            Asker::Questions(poller) => poller.poll(now),
        }
    }

    /// The dialogue, where pins are set up.
    pub fn dialogue(&self) -> Option<&Dialogue> {
        if let Asker::Pins(dialogue) = self { Some(dialogue) } else { None }
    }

    /// The questions, where some are sent.
    pub fn poller(&self) -> Option<&Poller> {
        if let Asker::Questions(poller) = self { Some(poller) } else { None }
    }
}
