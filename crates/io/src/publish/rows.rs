//! From what a keeper sees to messages: by the decoder of takes, so that what is published is what a take's table holds.

use super::PublishOutlet;
use super::messages::Messages;
use crate::take::{Decoder, Event};
use amber_core::Stamp;
use amber_core::bench::Bench;
use amber_core::clock::Time;
use amber_core::keep::Clocks;

/// Publishes what one source sends.
#[derive(Debug)]
pub(crate) struct RowPublisher {
    outlet: PublishOutlet,
    decoder: Decoder,
    messages: Messages,
    has_columns: bool,
}

impl RowPublisher {
    /// Publishes to `outlet` from `at` on, by the settings of `bench`: channels, decimals, raw and smoothed values as in a take.
    pub(crate) fn new(outlet: PublishOutlet, bench: &Bench, at: Stamp) -> RowPublisher {
        let messages = Messages::new(outlet.plan.topics, &outlet.base);
        let decoder = decoder(&outlet, bench, at);
        RowPublisher { outlet, decoder, messages, has_columns: false }
    }

    /// The settings are those of `bench`, and of `outlet`, from `at` on; rows go on being numbered.
    pub(crate) fn change(&mut self, outlet: PublishOutlet, bench: &Bench, at: Stamp) {
        self.decoder.finish();
        self.give();
        self.outlet = outlet;
        self.decoder = decoder(&self.outlet, bench, at);
        self.messages.begin(self.outlet.plan.topics);
        self.has_columns = false;
    }

    /// Something happened to the source.
    pub(crate) fn apply(&mut self, at: Stamp, event: Event) {
        self.decoder.apply(at, event);
        self.give();
    }

    /// Bytes were sent to the board.
    pub(crate) fn sent(&mut self, at: Stamp, bytes: &[u8]) {
        self.decoder.sent(at, bytes);
    }

    /// Bytes arrived.
    pub(crate) fn feed(&mut self, at: Stamp, bytes: &[u8]) {
        self.decoder.feed(at, bytes);
        self.give();
    }

    fn give(&mut self) {
        let mut out = Vec::new();
        self.messages.table(&self.decoder.take_output(), &mut out);
        let late = self.decoder.take_late();
        if !late.is_empty() {
            self.messages.late(&late, &mut out);
        }
        if !self.has_columns && self.decoder.has_columns() {
            self.has_columns = true;
            self.outlet.describe(self.decoder.columns());
        }
        self.outlet.give(out);
    }
}

impl Drop for RowPublisher {
    /// The rows that wait for their times go out.
    fn drop(&mut self) {
        self.decoder.finish();
        self.give();
    }
}

fn decoder(outlet: &PublishOutlet, bench: &Bench, at: Stamp) -> Decoder {
    let mut bench = bench.clone();
    let keep = &mut bench.shared.keep;
    keep.pace = outlet.plan.rows.clone();
    keep.clocks = Clocks::Both;
    keep.decimal_comma = false;
    for source in &mut bench.sources {
        source.condition.clear();
        // Finding a rule takes many rows, and whoever gets them wants them now.
        if source.time == Time::Auto {
            source.time = Time::Arrival;
        }
    }
    Decoder::new(&bench, at)
}
