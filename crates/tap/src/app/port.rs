//! Finding the speed, lending the port.

use super::{App, Effect, LinkOrder, Source};
use amber_io::LinkState;

impl App {
    /// Lets the speed be found by listening.
    pub(super) fn find_baud(&mut self) -> Vec<Effect> {
        self.chain_mut().edit_wire(|wire| wire.baud = None);
        vec![Effect::Tell(self.place(), LinkOrder::FindBaud)]
    }

    /// Lets go of the port for another program, or takes it back.
    pub(super) fn lend_or_take_back(&mut self) -> Vec<Effect> {
        let lent = matches!(self.source(), Source::Live { link: LinkState::Lent { .. } });
        if lent {
            return vec![Effect::Tell(self.place(), LinkOrder::TakeBack)];
        }
        let how = if self.takes_back {
            "it comes back when another program has used it, or with L"
        } else {
            "L takes it back"
        };
        self.say(format!("the port is free for another program: {how}"), false);
        vec![Effect::Tell(self.place(), LinkOrder::Lend { back: self.takes_back })]
    }
}
