//! What stands between the bytes of a board on a connection that controls its serial port: Telnet (RFC 854), its options
//! (RFC 855), and control of a port (RFC 2217). No input or output: bytes in, bytes out.

const SE: u8 = 240;
const SB: u8 = 250;
const WILL: u8 = 251;
const WONT: u8 = 252;
const DO: u8 = 253;
const DONT: u8 = 254;
const IAC: u8 = 255;

const BINARY: u8 = 0;
const NO_GO_AHEAD: u8 = 3;
const PORT: u8 = 44;

/// The longest answer that is kept; what is longer is none of those that are understood.
const MOST: usize = 16;

/// A setting of the port at the other end, by its number in RFC 2217.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Setting {
    Baud = 1,
    DataBits = 2,
    Parity = 3,
    StopBits = 4,
    Control = 5,
    Purge = 12,
}

/// Values of [`Setting::Control`] and [`Setting::Purge`].
pub(super) const NO_FLOW_CONTROL: u8 = 1;
pub(super) const DTR_ON: u8 = 8;
pub(super) const DTR_OFF: u8 = 9;
pub(super) const RTS_ON: u8 = 11;
pub(super) const RTS_OFF: u8 = 12;
pub(super) const RECEIVED: u8 = 1;

#[derive(Clone, Debug, Default, PartialEq)]
enum State {
    #[default]
    Data,
    /// Behind an `IAC`.
    Command,
    /// Behind a `WILL`, `WONT`, `DO` or `DONT`.
    Option(u8),
    /// Within an answer.
    Answer,
    /// Behind an `IAC` within an answer.
    AnswerCommand,
}

/// The client's side of a connection.
#[derive(Clone, Debug, Default)]
pub(super) struct Telnet {
    state: State,
    answer: Vec<u8>,
    /// Whether the other end controls a port; `None` before it said so.
    pub(super) controls: Option<bool>,
    /// The speed that the other end says it runs at.
    pub(super) baud: Option<u32>,
    /// Options that were refused already, so that nobody is answered forever.
    refused: Vec<(u8, u8)>,
}

impl Telnet {
    /// What is said first: bytes as they are, both ways, and control of the port.
    pub(super) fn greeting() -> Vec<u8> {
        let offers = [(WILL, BINARY), (DO, BINARY), (WILL, NO_GO_AHEAD), (DO, NO_GO_AHEAD), (WILL, PORT), (DO, PORT)];
        offers.into_iter().flat_map(|(verb, option)| [IAC, verb, option]).collect()
    }

    /// Takes what came: what the board sent goes to `data`, what is to be answered to `replies`.
    pub(super) fn take(&mut self, bytes: &[u8], data: &mut Vec<u8>, replies: &mut Vec<u8>) {
        for byte in bytes.iter().copied() {
            self.state = match std::mem::take(&mut self.state) {
                State::Data if byte == IAC => State::Command,
                State::Data => {
                    data.push(byte);
                    State::Data
                }
                State::Command => match byte {
                    IAC => {
                        data.push(IAC);
                        State::Data
                    }
                    WILL | WONT | DO | DONT => State::Option(byte),
                    SB => {
                        self.answer.clear();
                        State::Answer
                    }
                    _ => State::Data,
                },
                State::Option(verb) => {
                    self.option(verb, byte, replies);
                    State::Data
                }
                State::Answer if byte == IAC => State::AnswerCommand,
                State::Answer => {
                    self.keep(byte);
                    State::Answer
                }
                State::AnswerCommand => match byte {
                    IAC => {
                        self.keep(IAC);
                        State::Answer
                    }
                    SE => {
                        self.hear();
                        State::Data
                    }
                    // An answer that was cut off; what follows is no part of it.
                    _ => State::Data,
                },
            };
        }
    }

    fn keep(&mut self, byte: u8) {
        if self.answer.len() < MOST {
            self.answer.push(byte);
        }
    }

    /// The other end says what it will or wants.
    fn option(&mut self, verb: u8, option: u8, replies: &mut Vec<u8>) {
        match (verb, option) {
            (WILL | DO, PORT) => self.controls = Some(true),
            // One of the two is enough, and either may come first.
            (WONT | DONT, PORT) => self.controls = self.controls.or(Some(false)),
            // They were offered, and this is the answer.
            (WILL | DO, BINARY | NO_GO_AHEAD) | (WONT | DONT, _) => {}
            (WILL | DO, _) => {
                let no = if verb == WILL { DONT } else { WONT };
                if !self.refused.contains(&(no, option)) {
                    self.refused.push((no, option));
                    replies.extend([IAC, no, option]);
                }
            }
            _ => {}
        }
    }

    /// An answer is whole.
    fn hear(&mut self) {
        // The numbers of answers are those of the settings and a hundred.
        if let [PORT, 101, a, b, c, d] = self.answer[..] {
            self.controls = Some(true);
            self.baud = Some(u32::from_be_bytes([a, b, c, d]));
        }
    }

    /// What asks for a setting of the port.
    pub(super) fn set(setting: Setting, value: &[u8]) -> Vec<u8> {
        let mut out = vec![IAC, SB, PORT, setting as u8];
        out.extend(Telnet::escaped(value));
        out.extend([IAC, SE]);
        out
    }

    /// Bytes for the board.
    pub(super) fn escaped(bytes: &[u8]) -> Vec<u8> {
        bytes.iter().flat_map(|byte| std::iter::repeat_n(*byte, if *byte == IAC { 2 } else { 1 })).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn taken(stream: &[u8], cuts: &[usize]) -> (Telnet, Vec<u8>, Vec<u8>) {
        let (mut telnet, mut data, mut replies) = (Telnet::default(), Vec::new(), Vec::new());
        let mut rest = stream;
        let mut cuts = cuts.iter().cycle();
        while !rest.is_empty() {
            let (piece, behind) = rest.split_at((*cuts.next().unwrap()).clamp(1, rest.len()));
            telnet.take(piece, &mut data, &mut replies);
            rest = behind;
        }
        (telnet, data, replies)
    }

    #[test]
    fn data_is_told_from_options_and_answers_and_nobody_is_answered_forever() {
        let mut stream = b"a=1\r\n".to_vec();
        stream.extend([IAC, IAC, IAC, WILL, PORT, IAC, DO, 1, IAC, DO, 1, IAC, WILL, 31, IAC, WILL, BINARY]);
        stream.extend([IAC, SB, PORT, 101, 0, 1, 194, 0, IAC, SE]);
        stream.extend(b"b=2\r\n");
        stream.extend([IAC, SB, PORT, 107, IAC, IAC, 3, IAC, SE, IAC, 241]);
        for cuts in [&[1][..], &[3, 1, 7], &[1000]] {
            let (telnet, data, replies) = taken(&stream, cuts);
            assert_eq!((telnet.controls, telnet.baud), (Some(true), Some(115_200)));
            assert_eq!(data, b"a=1\r\n\xffb=2\r\n");
            assert_eq!(replies, [IAC, WONT, 1, IAC, DONT, 31]);
        }
        assert_eq!(taken(&[IAC, DONT, PORT], &[1]).0.controls, Some(false));
        assert_eq!(Telnet::set(Setting::Baud, &65_280u32.to_be_bytes()), [IAC, SB, 44, 1, 0, 0, IAC, IAC, 0, IAC, SE]);
    }

    proptest! {
        #[test]
        fn anything_may_come_and_what_was_escaped_comes_back(
            bytes in proptest::collection::vec(prop_oneof![Just(IAC), Just(SB), Just(SE), any::<u8>()], 0..300),
            cuts in proptest::collection::vec(1..40usize, 1..9),
        ) {
            let (telnet, data, replies) = taken(&bytes, &cuts);
            prop_assert!(data.len() <= bytes.len() && replies.len() <= 3 * 512 && telnet.answer.len() <= MOST);
            prop_assert_eq!(taken(&Telnet::escaped(&bytes), &cuts).1, bytes);
        }
    }
}
