//! Readings of pins to rows.

use super::message::Message;
use super::{Pins, Use};
use crate::Stamp;
use crate::split::outcome::{LineOutcome, Sink};

/// A row that is being put together. Analog channels are reported in turn, digital pins when they change: these hold meanwhile.
#[derive(Clone, Debug, Default)]
pub(in crate::split) struct PinRow {
    values: Vec<f64>,
    /// The analog columns that came since the last row, a bit each.
    filled: u64,
    at: Stamp,
}

impl PinRow {
    /// What comes next does not follow from what came before.
    pub(in crate::split) fn break_off(&mut self) {
        *self = PinRow::default();
    }

    /// Takes a whole message; whether it was a reading.
    pub(in crate::split) fn take(&mut self, pins: &Pins, at: Stamp, frame: &[u8], sink: &mut impl Sink) -> bool {
        self.values.resize(pins.names().len(), f64::NAN);
        let (analog, first) = match Message::of(frame) {
            Message::Analog { channel, value } => {
                let Some(column) = pins.read().position(|used| used == Use::Analog(channel)) else {
                    sink.line(at, LineOutcome::Message, frame);
                    return false;
                };
                // The row before lacks the channels that did not come.
                if self.filled & 1 << column != 0 {
                    self.give(pins, self.at, sink);
                }
                self.values[column] = f64::from(value);
                self.filled |= 1 << column;
                (true, column)
            }
            Message::Digital { port, bits } => {
                let mut first = None;
                for (column, used) in pins.read().enumerate() {
                    let (Use::Input(pin) | Use::PullUp(pin)) = used else { continue };
                    if pin / 8 == port {
                        self.values[column] = f64::from(bits >> (pin % 8) & 1);
                        first = first.or(Some(column));
                    }
                }
                let Some(first) = first else {
                    sink.line(at, LineOutcome::Message, frame);
                    return false;
                };
                (false, first)
            }
            _ => {
                sink.line(at, LineOutcome::Message, frame);
                return false;
            }
        };
        self.at = at;
        sink.line(at, LineOutcome::Row(first as u8), frame);
        let all = pins.read().enumerate().filter(|(_, used)| matches!(used, Use::Analog(_)));
        let all = all.fold(0u64, |bits, (column, _)| bits | 1 << column);
        if all == 0 || (analog && self.filled == all) {
            self.give(pins, at, sink);
        }
        true
    }

    fn give(&mut self, pins: &Pins, at: Stamp, sink: &mut impl Sink) {
        sink.row(at, &self.values);
        self.filled = 0;
        for (column, used) in pins.read().enumerate() {
            if matches!(used, Use::Analog(_)) {
                self.values[column] = f64::NAN;
            }
        }
    }
}
