//! Boards whose pins the host sets up: a stock program on the board speaks an open protocol in the form of MIDI messages, in which
//! the host asks what each pin can do, chooses, and gets readings.
//!
//! [`Pins`] is what a person chose, [`message`] the messages. [`crate::ask`] has the dialogue with the board.

pub mod message;
mod row;

pub(super) use row::PinRow;

use super::{MAX_FIELDS, NotAShape};
use std::fmt;
use std::str::FromStr;

/// What a pin is used for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Use {
    /// The analog channel of this number is reported.
    Analog(u8),
    /// The pin of this number is an input.
    Input(u8),
    /// The same with the board's pull-up resistor.
    PullUp(u8),
    /// The pin of this number is an output, 0 or 1.
    Output(u8),
    /// The same with a duty cycle.
    Pwm(u8),
}

/// How many pins and analog channels there can be.
pub(crate) const MOST_PINS: u8 = 128;
const MOST_CHANNELS: u8 = 16;

impl Use {
    /// The number of its pin; `None` for an analog channel, whose pin the board knows.
    pub fn pin(self) -> Option<u8> {
        match self {
            Use::Analog(_) => None,
            Use::Input(pin) | Use::PullUp(pin) | Use::Output(pin) | Use::Pwm(pin) => Some(pin),
        }
    }

    /// The number of its analog channel; `None` for a digital pin.
    pub fn channel(self) -> Option<u8> {
        if let Use::Analog(channel) = self { Some(channel) } else { None }
    }

    /// Whether it is read, and so is a channel.
    pub fn is_read(self) -> bool {
        matches!(self, Use::Analog(_) | Use::Input(_) | Use::PullUp(_))
    }

    /// The mode of the protocol that it takes.
    pub fn mode(self) -> u8 {
        match self {
            Use::Input(_) => 0,
            Use::Output(_) => 1,
            Use::Analog(_) => 2,
            Use::Pwm(_) => 3,
            Use::PullUp(_) => 0x0b,
        }
    }
}

impl fmt::Display for Use {
    fn fmt(&self, to: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Use::Analog(channel) => write!(to, "a{channel}"),
            Use::Input(pin) => write!(to, "d{pin}"),
            Use::PullUp(pin) => write!(to, "d{pin}-up"),
            Use::Output(pin) => write!(to, "d{pin}-out"),
            Use::Pwm(pin) => write!(to, "d{pin}-pwm"),
        }
    }
}

/// A pin with a name.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Pin {
    /// Its name, and that of its channel where it is read.
    pub name: String,
    /// What it is used for.
    pub used: Use,
}

/// The pins of a board that are used, as typed: `every 20 light:a0 door:d2-up led:d13-out`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Pins {
    /// Milliseconds between two readings of the analog channels, 1 to 16383.
    pub every: u16,
    /// The pins.
    pub pins: Vec<Pin>,
    names: Vec<String>,
}

/// Milliseconds between readings that nobody chose.
const EVERY: u16 = 20;

impl Default for Pins {
    fn default() -> Self {
        Pins { every: EVERY, pins: Vec::new(), names: Vec::new() }
    }
}

impl Pins {
    /// These pins.
    ///
    /// # Errors
    /// What is wrong with them, in a sentence.
    pub fn new(every: u16, pins: Vec<Pin>) -> Result<Pins, NotAShape> {
        let wrong = |text: String| Err(NotAShape::new(text));
        if !(1..=16_383).contains(&every) {
            return wrong("the time between readings is 1 to 16383 ms".into());
        }
        for (i, pin) in pins.iter().enumerate() {
            let before = &pins[..i];
            if before.iter().any(|other| other.name == pin.name) {
                return wrong(format!("'{}' appears twice", pin.name));
            }
            let place = |used: Use| (used.pin(), used.channel());
            if before.iter().any(|other| place(other.used) == place(pin.used)) {
                return wrong(format!("the pin of '{}' is used twice", pin.name));
            }
        }
        let read = pins.iter().filter(|pin| pin.used.is_read());
        let names: Vec<String> = read.map(|pin| pin.name.clone()).collect();
        if names.len() > MAX_FIELDS {
            return wrong(format!("at most {MAX_FIELDS} pins are read"));
        }
        Ok(Pins { every, pins, names })
    }

    /// The names of the columns: of the pins that are read.
    pub fn names(&self) -> &[String] {
        &self.names
    }

    /// The pins that are read, in the order of the columns.
    pub fn read(&self) -> impl Iterator<Item = Use> + '_ {
        self.pins.iter().map(|pin| pin.used).filter(|used| used.is_read())
    }

    /// One sentence for a person.
    pub fn sentence(&self) -> String {
        let (read, set) = (self.names.len(), self.pins.len() - self.names.len());
        let outputs = if set > 0 { format!(", {set} set") } else { String::new() };
        format!("pins set up by the host: {read} read{outputs}, every {} ms", self.every)
    }
}

impl fmt::Display for Pins {
    fn fmt(&self, to: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(to, "every {}", self.every)?;
        self.pins.iter().try_for_each(|pin| write!(to, " {}:{}", pin.name, pin.used))
    }
}

impl FromStr for Pins {
    type Err = NotAShape;

    fn from_str(text: &str) -> Result<Pins, NotAShape> {
        let mut words = text.split_whitespace().peekable();
        let mut every = EVERY;
        if words.next_if_eq(&"every").is_some() {
            let Some(said) = words.next().and_then(|word| word.parse().ok()) else {
                return Err(NotAShape::new("type the milliseconds between readings behind 'every'".into()));
            };
            every = said;
        }
        Pins::new(every, words.map(pin).collect::<Result<_, _>>()?)
    }
}

fn pin(word: &str) -> Result<Pin, NotAShape> {
    let wrong = || {
        Err(NotAShape::new(format!(
            "'{word}' is no pin: type its name and what it is, as in light:a0 door:d2 gate:d3-up led:d13-out fan:d9-pwm"
        )))
    };
    let Some((name, what)) = word.rsplit_once(':') else { return wrong() };
    if name.is_empty() || name.chars().any(char::is_control) {
        return wrong();
    }
    let number = |digits: &str, most: u8| digits.parse::<u8>().ok().filter(|number| *number < most);
    let used = match (what.strip_prefix('a'), what.strip_prefix('d')) {
        (Some(channel), _) => number(channel, MOST_CHANNELS).map(Use::Analog),
        (_, Some(rest)) => {
            let (digits, kind) = rest.split_once('-').unwrap_or((rest, ""));
            number(digits, MOST_PINS).and_then(|pin| match kind {
                "" => Some(Use::Input(pin)),
                "up" => Some(Use::PullUp(pin)),
                "out" => Some(Use::Output(pin)),
                "pwm" => Some(Use::Pwm(pin)),
                _ => None,
            })
        }
        _ => None,
    };
    match used {
        Some(used) => Ok(Pin { name: name.to_owned(), used }),
        None => wrong(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pins_are_typed_as_they_are_shown_and_mistakes_are_explained() {
        let text = "every 50 light:a0 door:d2 gate:d3-up led:d13-out fan:d9-pwm";
        let pins: Pins = text.parse().unwrap();
        assert_eq!(pins.to_string(), text);
        assert_eq!(pins.names(), ["light", "door", "gate"]);
        assert_eq!("".parse(), Ok(Pins::default()));
        for (text, part) in [
            ("every x", "milliseconds"),
            ("every 0", "1 to 16383"),
            ("light", "no pin"),
            ("light:a16", "no pin"),
            ("led:d128-out", "no pin"),
            ("led:d1-servo", "no pin"),
            ("a:a0 a:a1", "twice"),
            ("a:d2 b:d2-out", "used twice"),
        ] {
            let said = text.parse::<Pins>().unwrap_err().to_string();
            assert!(said.contains(part), "{text}: {said}");
        }
    }
}
