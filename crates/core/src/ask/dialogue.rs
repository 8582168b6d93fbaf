//! What is said to a board, and what it answered: bytes in, bytes out, with the time passed in.

use super::answers::Answers;
use crate::Stamp;
use crate::split::Frame;
use crate::split::pins::message::{
    ANALOG, ASK_CAPABILITIES, ASK_CHANNELS, CAPABILITIES, CHANNELS, END, EXTENDED_ANALOG, FIRMWARE, INTERVAL, Message,
    MessageCutter, PIN_MODE, REPORT_ANALOG, REPORT_PORT, SET_PIN, SYSTEM, VERSION,
};
use crate::split::pins::{MOST_PINS, Pins, Use};

/// Seconds that an answer is waited for, and how often it is asked for before the board is taken for one that does not know.
const ANSWER: f64 = 1.0;
const TRIES: u32 = 3;

/// The longest pause between two questions to a board that is silent, in seconds.
const LONGEST: f64 = 8.0;

/// Seconds without a reading of an analog channel after which the pins are set up again.
const SILENT: f64 = 2.0;

/// Readings that may be missing before that, where they are slow.
const MISSING: f64 = 10.0;

/// Answers to one question that may be damaged before it is given up.
const MOST_ANSWERS: usize = 100;

/// How far the dialogue has come.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Stage {
    /// Nothing was opened yet.
    Closed,
    /// The board was asked who it is.
    Greeting,
    /// It was asked what its pins can do.
    Capabilities,
    /// It was asked which analog channel each pin is.
    Channels,
    /// Its pins are set up.
    Running,
}

/// What a board said of itself.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct PinBoard {
    /// The version of its protocol.
    pub version: Option<(u8, u8)>,
    /// The name of its program, with its version.
    pub firmware: Option<String>,
    /// For each pin its modes, each with its bits; empty where the board does not say it.
    pub modes: Vec<Vec<(u8, u8)>>,
    /// For each pin the analog channel that it is.
    pub channels: Vec<Option<u8>>,
}

/// The most that is read of a name.
const LONGEST_NAME: usize = 64;

impl PinBoard {
    fn hear(&mut self, system: &[u8]) -> bool {
        match system {
            [CAPABILITIES, rest @ ..] => {
                let pins = rest.split_inclusive(|byte| *byte == 0x7f).filter(|pin| pin.ends_with(&[0x7f]));
                let modes = |pin: &[u8]| pin[..pin.len() - 1].chunks_exact(2).map(|mode| (mode[0], mode[1])).collect();
                self.modes = pins.take(usize::from(MOST_PINS)).map(modes).collect();
            }
            [CHANNELS, rest @ ..] => {
                let channel = |byte: &u8| (*byte != 0x7f).then_some(*byte);
                self.channels = rest.iter().take(usize::from(MOST_PINS)).map(channel).collect();
            }
            [FIRMWARE, major, minor, name @ ..] => {
                let letters = name.chunks_exact(2).map(|pair| char::from(pair[0] | pair[1] << 7));
                let name: String = letters.filter(|c| !c.is_control()).take(LONGEST_NAME).collect();
                self.firmware = Some(format!("{name} {major}.{minor}").trim_start().to_owned());
            }
            _ => return false,
        }
        true
    }

    /// The pin that is this analog channel, where the board says it.
    pub fn pin_of(&self, channel: u8) -> Option<u8> {
        self.channels.iter().position(|own| *own == Some(channel)).map(|pin| pin as u8)
    }

    /// The bits of a mode of a pin; `None` where it has no such mode, or nothing is known of it.
    pub fn bits(&self, pin: u8, mode: u8) -> Option<u8> {
        let modes = self.modes.get(usize::from(pin))?;
        modes.iter().find(|(own, _)| *own == mode).map(|(_, bits)| *bits)
    }
}

/// The dialogue with a board.
#[derive(Clone, Debug)]
pub struct Dialogue {
    pins: Pins,
    cutter: MessageCutter,
    board: PinBoard,
    stage: Stage,
    /// When the question that is open is asked again, or readings are missed.
    due: Stamp,
    asked: u32,
    /// The answers to the open question: bytes of them may be lost.
    answers: Answers,
    /// What was believed of both maps, which one answer confirms after the board began anew.
    maps: [Vec<u8>; 2],
    /// Answers were damaged, or no two of them alike.
    is_lossy: bool,
    /// Bytes to be sent.
    out: Vec<u8>,
    /// When each analog channel was heard last, since the pins were set up.
    heard: [Option<Stamp>; 16],
    /// When they were, and how often since the opening.
    set_up: Stamp,
    repeats: u64,
    /// What each output was set to last, by its pin, for a list of pins.
    outputs: Vec<(u8, u16)>,
    /// The last value of each analog channel and each port, for a list of pins.
    analog: [Option<u16>; 16],
    ports: [Option<u8>; 16],
}

impl Dialogue {
    /// A dialogue that sets up these pins once a board is opened.
    pub fn new(pins: Pins) -> Dialogue {
        Dialogue {
            pins,
            cutter: MessageCutter::default(),
            board: PinBoard::default(),
            stage: Stage::Closed,
            due: Stamp(0),
            asked: 0,
            answers: Answers::default(),
            maps: [Vec::new(), Vec::new()],
            is_lossy: false,
            out: Vec::new(),
            heard: [None; 16],
            set_up: Stamp(0),
            repeats: 0,
            outputs: Vec::new(),
            analog: [None; 16],
            ports: [None; 16],
        }
    }

    /// The pins that are set up.
    pub fn pins(&self) -> &Pins {
        &self.pins
    }

    /// What the board said.
    pub fn board(&self) -> &PinBoard {
        &self.board
    }

    /// How far it has come.
    pub fn stage(&self) -> Stage {
        self.stage
    }

    /// How often the pins were set up again, because readings did not come.
    pub fn repeats(&self) -> u64 {
        self.repeats
    }

    /// The last value of an analog channel, 0 to 16383.
    pub fn analog(&self, channel: u8) -> Option<u16> {
        self.analog.get(usize::from(channel)).copied().flatten()
    }

    /// The last state of a pin.
    pub fn digital(&self, pin: u8) -> Option<bool> {
        self.ports.get(usize::from(pin / 8)).copied().flatten().map(|bits| bits >> (pin % 8) & 1 == 1)
    }

    /// What an output was set to last; `None` where it was not, since the pins were set up.
    pub fn output_of(&self, pin: u8) -> Option<u16> {
        self.outputs.iter().find(|(own, _)| *own == pin).map(|(_, value)| *value)
    }

    /// These bytes were sent to the board.
    pub fn sent(&mut self, bytes: &[u8]) {
        let (pin, value) = match *bytes {
            [SET_PIN, pin, value] => (pin, u16::from(value)),
            [first, low, high] if first & 0xf0 == ANALOG => (first & 0x0f, u16::from(low) | u16::from(high) << 7),
            [SYSTEM, EXTENDED_ANALOG, pin, low, high, END] => (pin, u16::from(low) | u16::from(high) << 7),
            _ => return,
        };
        self.outputs.retain(|(own, _)| *own != pin);
        self.outputs.push((pin, value));
    }

    /// The link was opened at `now`: the board is asked who it is.
    pub fn opened(&mut self, now: Stamp) {
        let pins = std::mem::take(&mut self.pins);
        *self = Dialogue { stage: Stage::Greeting, ..Dialogue::new(pins) };
        self.ask(now);
    }

    /// Other pins are wanted. They are set up at once where the board is known.
    pub fn set_pins(&mut self, pins: Pins, now: Stamp) {
        if self.stage == Stage::Running {
            let stays = |used: Use| pins.read().any(|other| report(other, 1) == report(used, 1));
            let goes = self.pins.read().filter(|used| !stays(*used));
            self.out.extend(goes.filter_map(|used| report(used, 0)).flatten());
        }
        self.pins = pins;
        if self.stage == Stage::Running {
            self.set_up(now);
        }
    }

    /// The bytes that set the output pin called `name`: 0 or another value; with a duty cycle 0 to the most that its bits hold.
    ///
    /// # Errors
    /// Why it cannot be set, in a sentence.
    pub fn output(&self, name: &str, value: u16) -> Result<Vec<u8>, String> {
        let Some(pin) = self.pins.pins.iter().find(|pin| pin.name == name) else {
            let outputs: Vec<&str> =
                self.pins.pins.iter().filter(|pin| !pin.used.is_read()).map(|pin| pin.name.as_str()).collect();
            return Err(match outputs[..] {
                [] => "no pin is an output: choose one in the list of pins".into(),
                _ => format!("no pin is called '{name}': the outputs are {}", outputs.join(", ")),
            });
        };
        if self.stage != Stage::Running {
            return Err("the board has not answered yet".into());
        }
        Ok(match pin.used {
            Use::Output(pin) => vec![SET_PIN, pin, u8::from(value > 0)],
            Use::Pwm(pin) => {
                let most = (1u32 << self.board.bits(pin, 3).unwrap_or(8).min(14)) - 1;
                if u32::from(value) > most {
                    return Err(format!("{name} takes 0 to {most}"));
                }
                let (low, high) = (value as u8 & 0x7f, (value >> 7) as u8 & 0x7f);
                match pin {
                    0..=15 => vec![ANALOG | pin, low, high],
                    _ => vec![SYSTEM, EXTENDED_ANALOG, pin, low, high, END],
                }
            }
            _ => return Err(format!("{name} is an input")),
        })
    }

    /// Takes what the board sent at `at`.
    pub fn hear(&mut self, at: Stamp, bytes: &[u8]) {
        let mut cutter = std::mem::take(&mut self.cutter);
        let mut rest = bytes;
        while let (used, Some(frame)) = cutter.step(rest) {
            if let Frame::Whole(frame) = frame {
                self.take(at, Message::of(frame));
            }
            rest = &rest[used..];
        }
        self.cutter = cutter;
    }

    fn take(&mut self, at: Stamp, message: Message<'_>) {
        match message {
            Message::Analog { channel, value } => {
                self.heard[usize::from(channel)] = Some(at);
                self.analog[usize::from(channel)] = Some(value);
            }
            Message::Digital { port, bits } => self.ports[usize::from(port)] = Some(bits),
            Message::Version(major, minor) => {
                self.board.version = Some((major, minor));
                match self.stage {
                    Stage::Greeting => self.go_on(Stage::Capabilities, at),
                    // It was not asked: the board began anew, and forgot its pins.
                    Stage::Running if at.seconds_since(self.set_up) > ANSWER => self.go_on(Stage::Capabilities, at),
                    _ => {}
                }
            }
            Message::System(system) => {
                let is_map = matches!(
                    (self.stage, system.first()),
                    (Stage::Capabilities, Some(&CAPABILITIES)) | (Stage::Channels, Some(&CHANNELS))
                );
                let whole = if is_map { self.believed(system, at) } else { Some(system.to_vec()) };
                let Some(whole) = whole.filter(|whole| self.board.hear(whole)) else { return };
                let system = &whole[..];
                match (self.stage, system[0]) {
                    (Stage::Greeting, FIRMWARE) => self.go_on(Stage::Capabilities, at),
                    (Stage::Capabilities, CAPABILITIES) => self.go_on(Stage::Channels, at),
                    (Stage::Channels, CHANNELS) => self.set_up(at),
                    _ => {}
                }
            }
            Message::Other => {}
        }
    }

    /// The answer to the open question, once it is to be believed; else it is asked again.
    fn believed(&mut self, system: &[u8], now: Stamp) -> Option<Vec<u8>> {
        let place = usize::from(system[0] == CHANNELS);
        let whole = self.answers.take(system, &self.maps[place]);
        let whole = whole.filter(|whole| whole[0] != CHANNELS || self.fits(whole.len() - 1));
        self.is_lossy |= self.answers.count > 2;
        match &whole {
            Some(whole) => self.maps[place].clone_from(whole),
            // A board of which nothing whole ever comes is one that does not say it.
            None if self.answers.count >= MOST_ANSWERS => match self.stage {
                Stage::Capabilities => self.go_on(Stage::Channels, now),
                _ => self.set_up(now),
            },
            None => {
                // It knows the question.
                self.asked = 0;
                self.ask(now);
            }
        }
        whole
    }

    /// Whether so many pins are as many as the board said before.
    fn fits(&self, pins: usize) -> bool {
        self.board.modes.is_empty() || self.board.modes.len() == pins
    }

    /// The bytes that have the board say how its digital inputs are now, which it else says when they change.
    pub fn ask_inputs(&mut self) {
        if self.stage == Stage::Running {
            let is_digital = |used: &Use| matches!(used, Use::Input(_) | Use::PullUp(_));
            let asked: Vec<[u8; 2]> = self.pins.read().filter(is_digital).filter_map(|used| report(used, 1)).collect();
            self.out.extend(asked.into_iter().flatten());
        }
    }

    fn go_on(&mut self, stage: Stage, now: Stamp) {
        (self.stage, self.asked) = (stage, 0);
        self.answers = Answers::default();
        self.ask(now);
    }

    /// Asks what is to be known next.
    fn ask(&mut self, now: Stamp) {
        match self.stage {
            Stage::Greeting => self.out.extend([VERSION, SYSTEM, FIRMWARE, END]),
            Stage::Capabilities => self.out.extend([SYSTEM, ASK_CAPABILITIES, END]),
            Stage::Channels => self.out.extend([SYSTEM, ASK_CHANNELS, END]),
            Stage::Closed | Stage::Running => {}
        }
        let pause = if self.stage == Stage::Greeting { ANSWER * f64::from(1 << self.asked.min(3)) } else { ANSWER };
        self.asked += 1;
        self.due = now.plus(pause.min(LONGEST));
    }

    /// Sets up the pins.
    fn set_up(&mut self, now: Stamp) {
        self.stage = Stage::Running;
        self.outputs.clear();
        self.heard = [None; 16];
        let mut pins = self.pins.pins.clone();
        // What an output is set to must not lie between two modes.
        pins.sort_by_key(|pin| pin.used.is_read());
        for pin in pins {
            let number = pin.used.pin().or_else(|| self.board.pin_of(pin.used.channel()?));
            self.out.extend(number.into_iter().flat_map(|number| [PIN_MODE, number, pin.used.mode()]));
            self.out.extend(report(pin.used, 1).into_iter().flatten());
        }
        let every = self.pins.every;
        self.out.extend([SYSTEM, INTERVAL, every as u8 & 0x7f, (every >> 7) as u8 & 0x7f, END]);
        self.set_up = now;
        self.due = now.plus(self.patience());
    }

    /// Seconds that a reading may be late.
    fn patience(&self) -> f64 {
        SILENT.max(MISSING * f64::from(self.pins.every) / 1000.0)
    }

    /// When something is to be done next; `None` while nothing is open.
    pub fn due(&self) -> Option<Stamp> {
        (self.stage != Stage::Closed).then_some(self.due)
    }

    /// What is to be sent by `now`; call it after [`Dialogue::hear`] and whenever some time has passed.
    pub fn poll(&mut self, now: Stamp) -> Option<Vec<u8>> {
        if self.stage != Stage::Closed && now >= self.due {
            match self.stage {
                // An older program does not know the question.
                Stage::Capabilities if self.asked >= TRIES => self.go_on(Stage::Channels, now),
                Stage::Channels if self.asked >= TRIES => self.set_up(now),
                Stage::Running => {
                    let late = now.plus(-self.patience());
                    let is_missing = |used: Use| match used {
                        Use::Analog(channel) => self.heard[usize::from(channel)].is_none_or(|heard| heard < late),
                        _ => false,
                    };
                    if self.pins.read().any(is_missing) {
                        self.repeats += 1;
                        self.set_up(now);
                    }
                    self.due = now.plus(self.patience());
                }
                _ => self.ask(now),
            }
        }
        (!self.out.is_empty()).then(|| std::mem::take(&mut self.out))
    }

    /// What is wrong with the pins, as far as the board said it, a sentence each.
    pub fn faults(&self) -> Vec<String> {
        let board = &self.board;
        let can = |used: Use| match (used.pin(), used.channel()) {
            (Some(pin), _) => board.modes.is_empty() || board.bits(pin, used.mode()).is_some(),
            (None, channel) => board.channels.is_empty() || channel.and_then(|own| board.pin_of(own)).is_some(),
        };
        let cannot = self.pins.pins.iter().filter(|pin| !can(pin.used));
        cannot.map(|pin| format!("the board has no pin for {} ({})", pin.name, pin.used)).collect()
    }

    /// Where the dialogue stands, in a sentence.
    pub fn state(&self) -> String {
        let firmware = self.board.firmware.as_deref().unwrap_or("a board that does not say its name");
        match self.stage {
            Stage::Closed => "not open".into(),
            Stage::Greeting if self.asked > TRIES => {
                "the board does not answer: is it the right port, and does it run a program that lets the host set up its pins?".into()
            }
            Stage::Greeting => "asking the board who it is".into(),
            Stage::Capabilities | Stage::Channels => format!("asking {firmware} what its pins can do"),
            Stage::Running if self.board.modes.is_empty() => {
                format!("{firmware}, which does not say what its pins can do: its sheet tells it")
            }
            Stage::Running if self.is_lossy => format!("{firmware}; bytes of its answers were lost, so they were asked for again"),
            Stage::Running => firmware.to_owned(),
        }
    }
}

/// The message that has the board report what is read, `on`: 1, or no longer: 0. Outputs are not reported; pins are by eights.
fn report(used: Use, on: u8) -> Option<[u8; 2]> {
    match used {
        Use::Analog(channel) => Some([REPORT_ANALOG | channel, on]),
        Use::Input(pin) | Use::PullUp(pin) => Some([REPORT_PORT | (pin / 8), on]),
        Use::Output(_) | Use::Pwm(_) => None,
    }
}
