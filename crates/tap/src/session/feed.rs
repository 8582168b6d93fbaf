//! What comes from the sources, and what follows as time passes.

use super::{Session, Source, Watched};
use amber_core::Stamp;
use amber_core::bench::Kind;
use amber_io::{Feed, LinkState};

/// Seconds after which it is looked again where a take that is open lies.
const LOOK: f64 = 1.0;

impl Session {
    /// Takes what came from the source at `place`.
    pub(crate) fn feed(&mut self, place: usize, feed: Feed) {
        let Some(Watched { chain, source, asker, .. }) = self.watched.get_mut(place) else { return };
        match feed {
            Feed::State(state) => {
                if let LinkState::Open { usb: Some(usb), .. } = &state {
                    let usb = usb.clone();
                    chain.edit_wire(|wire| wire.usb = usb);
                }
                if let Source::Live { link } = source {
                    *link = state;
                }
            }
            Feed::Opened { at, opening, within } => {
                chain.open(opening, within.then_some(at));
                if let Some(asker) = asker {
                    asker.opened(at);
                }
            }
            Feed::Ended(_) => chain.end(),
            Feed::Unkept(bytes) => chain.unkept(bytes),
            Feed::Listening { .. } | Feed::Speed { .. } => {}
            Feed::Sent { at, bytes } => {
                chain.sent(at, &bytes);
                if let Some(asker) = asker {
                    asker.sent(&bytes);
                }
            }
            Feed::NotDone(what) => self.say(what, true),
            Feed::Merged(news) => chain.merged(news),
            Feed::Chunk(chunk) => {
                if chunk.skipped > 0 {
                    chain.skip(chunk.skipped);
                }
                chain.feed(chunk.at, &chunk.bytes);
                if let Some(asker) = asker {
                    asker.hear(chunk.at, &chunk.bytes);
                }
                self.now = self.now.max(chunk.at);
            }
        }
    }

    /// Time passed: messages go, axes and numbers follow. Gives whether the numbers were refreshed.
    pub(crate) fn before_frame(&mut self, now: Stamp) -> bool {
        if !self.is_take() {
            self.now = self.now.max(now);
        }
        if self.notice.as_ref().is_some_and(|notice| now > notice.until) {
            self.notice = None;
        }
        self.selected.channel = self.selected.channel.min(self.chain().channels().len().saturating_sub(1));
        if self.channel().is_some_and(|channel| channel.kind() == Kind::Clock) {
            self.select_next(1);
        }
        self.follow_play(now);
        if self.is_take() && self.looked.is_none_or(|looked| now.seconds_since(looked).abs() >= LOOK) {
            self.looked = Some(now);
            self.follow_folders();
        }
        self.viewport = self.look();
        self.follow_blocks();
        self.follow_axes(now);
        self.refresh_numbers(now)
    }
}
