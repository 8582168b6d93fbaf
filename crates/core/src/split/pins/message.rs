//! The messages, in the form of MIDI (MIDI 1.0 detailed specification): a status byte from 0x80 on, then data bytes below it.

use crate::split::{Frame, MAX_LINE, Rejection};

/// Status bytes; the low four bits of the first four are a channel, a port or, to the board, a pin.
pub const DIGITAL: u8 = 0x90;
/// Reports an analog channel, or no longer.
pub const REPORT_ANALOG: u8 = 0xc0;
/// Reports a port of eight pins, or no longer.
pub const REPORT_PORT: u8 = 0xd0;
/// An analog value; to the board the duty cycle of a pin.
pub const ANALOG: u8 = 0xe0;
/// A system message up to [`END`].
pub const SYSTEM: u8 = 0xf0;
/// Sets the mode of a pin.
pub const PIN_MODE: u8 = 0xf4;
/// Sets one output pin.
pub const SET_PIN: u8 = 0xf5;
/// Ends a system message.
pub const END: u8 = 0xf7;
/// The version of the protocol; asks for it when it comes alone.
pub const VERSION: u8 = 0xf9;

/// System messages: the board's program, what its pins can do, which analog channel each is, the time between readings.
pub const FIRMWARE: u8 = 0x79;
/// Asks what each pin can do.
pub const ASK_CAPABILITIES: u8 = 0x6b;
/// What each pin can do.
pub const CAPABILITIES: u8 = 0x6c;
/// Asks which analog channel each pin is.
pub const ASK_CHANNELS: u8 = 0x69;
/// Which analog channel each pin is.
pub const CHANNELS: u8 = 0x6a;
/// Sets the time between readings.
pub const INTERVAL: u8 = 0x7a;
/// Sets the duty cycle of a pin above the fifteenth.
pub const EXTENDED_ANALOG: u8 = 0x6f;

/// A message.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Message<'a> {
    /// A reading of an analog channel, 0 to 16383.
    Analog {
        /// The channel.
        channel: u8,
        /// Its value.
        value: u16,
    },
    /// The eight pins of a port, the first in the lowest bit.
    Digital {
        /// The port.
        port: u8,
        /// Its pins.
        bits: u8,
    },
    /// The version of the protocol.
    Version(u8, u8),
    /// A system message: what stands between its first byte and its end.
    System(&'a [u8]),
    /// Another one.
    Other,
}

/// The number that two bytes of seven bits make.
fn pair(low: u8, high: u8) -> u16 {
    u16::from(low) | u16::from(high) << 7
}

impl Message<'_> {
    /// What a whole message says.
    pub fn of(frame: &[u8]) -> Message<'_> {
        match *frame {
            [status @ 0xe0..=0xef, low, high] => Message::Analog { channel: status & 15, value: pair(low, high) },
            [status @ 0x90..=0x9f, low, high] => Message::Digital { port: status & 15, bits: pair(low, high) as u8 },
            [VERSION, major, minor] => Message::Version(major, minor),
            [SYSTEM, .., END] => Message::System(&frame[1..frame.len() - 1]),
            _ => Message::Other,
        }
    }
}

/// The length of a message with this status, where it has one.
fn length(status: u8) -> Option<usize> {
    match status {
        0xc0..=0xdf => Some(2),
        0x80..=0xbf | 0xe0..=0xef | PIN_MODE | SET_PIN | VERSION => Some(3),
        SYSTEM => None,
        _ => Some(1),
    }
}

/// Bytes to messages. A status byte within a message ends it, as a bad one.
#[derive(Clone, Debug, Default)]
pub struct MessageCutter {
    partial: Vec<u8>,
    is_given: bool,
}

impl MessageCutter {
    /// Takes bytes up to the end of the next message; gives how many it used, and the message.
    pub fn step(&mut self, bytes: &[u8]) -> (usize, Option<Frame<'_>>) {
        if std::mem::take(&mut self.is_given) {
            self.partial.clear();
        }
        for (at, byte) in bytes.iter().enumerate() {
            let status = self.partial.first().copied();
            let is_end = status == Some(SYSTEM) && *byte == END;
            let is_cut = *byte >= 0x80 && !is_end && status.is_some();
            if is_cut || self.partial.len() == MAX_LINE {
                // The byte begins what follows.
                self.is_given = true;
                let why = if is_cut { Rejection::NoFrame } else { Rejection::TooLong };
                return (at, Some(Frame::Bad(why, &self.partial)));
            }
            self.partial.push(*byte);
            let status = self.partial[0];
            if is_end || (status >= 0x80 && length(status) == Some(self.partial.len())) {
                self.is_given = true;
                return (at + 1, Some(Frame::Whole(&self.partial)));
            }
        }
        (bytes.len(), None)
    }

    /// No more comes: what is unfinished is no message.
    pub fn finish(&mut self) -> Option<Frame<'_>> {
        if std::mem::replace(&mut self.is_given, true) {
            self.partial.clear();
        }
        (!self.partial.is_empty()).then_some(Frame::Bad(Rejection::NoFrame, &self.partial))
    }

    /// Forgets what is unfinished; gives the number of its bytes.
    pub fn reset(&mut self) -> usize {
        let lost = if std::mem::take(&mut self.is_given) { 0 } else { self.partial.len() };
        self.partial.clear();
        lost
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn cut(pieces: &[&[u8]]) -> Vec<(bool, Vec<u8>)> {
        let (mut cutter, mut all) = (MessageCutter::default(), Vec::new());
        for piece in pieces {
            let mut rest = *piece;
            while let (used, Some(frame)) = cutter.step(rest) {
                all.push(match frame {
                    Frame::Whole(bytes) => (true, bytes.to_vec()),
                    Frame::Bad(_, bytes) => (false, bytes.to_vec()),
                });
                rest = &rest[used..];
            }
        }
        all
    }

    #[test]
    fn messages_and_what_is_none() {
        let whole = |bytes: &[u8]| (true, bytes.to_vec());
        let bad = |bytes: &[u8]| (false, bytes.to_vec());
        let bytes = b"\x05\xe1\x7f\x07\xf9\x02\x05\xf0\x79\x02\xf7\xe0\x01\x91\x03\x01\xff";
        let all = [
            bad(b"\x05"),
            whole(b"\xe1\x7f\x07"),
            whole(b"\xf9\x02\x05"),
            whole(b"\xf0\x79\x02\xf7"),
            bad(b"\xe0\x01"),
            whole(b"\x91\x03\x01"),
            whole(b"\xff"),
        ];
        assert_eq!(cut(&[bytes]), all);
        assert_eq!(Message::of(&all[1].1), Message::Analog { channel: 1, value: 1023 });
        assert_eq!(Message::of(&all[5].1), Message::Digital { port: 1, bits: 0x83 });
    }

    proptest! {
        #[test]
        fn cuts_make_no_difference_and_no_byte_is_lost(bytes in proptest::collection::vec(any::<u8>(), 0..200)) {
            let whole = cut(&[&bytes]);
            prop_assert_eq!(&whole, &cut(&bytes.chunks(1).collect::<Vec<_>>()));
            let given: usize = whole.iter().map(|(_, bytes)| bytes.len()).sum();
            prop_assert!(given <= bytes.len());
            prop_assert_eq!(whole.iter().flat_map(|(_, bytes)| bytes).collect::<Vec<_>>(), bytes[..given].iter().collect::<Vec<_>>());
        }
    }
}
