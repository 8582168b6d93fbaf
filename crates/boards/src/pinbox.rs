//! A box with twenty pins that the host sets up, by messages in the form of MIDI: pins 14 to 19 are the analog channels 0 to 5. A
//! knob is on channel 0, a light on channel 1 that the output of pin 9 makes brighter, a button on pin 2; the rest is noise.

use crate::board::Board;
use crate::noise::Noise;
use std::f64::consts::TAU;
use std::time::Duration;

/// Pins, and the first of the analog ones.
const PINS: usize = 20;
const FIRST_ANALOG: usize = 14;

/// Pins with a duty cycle.
const PWM: [usize; 6] = [3, 5, 6, 9, 10, 11];

/// What its program is called, and the version of its messages.
const NAME: &str = "Pinbox";
const VERSION: [u8; 2] = [2, 5];

/// Seconds until its program begins after a reset.
const START: f64 = 1.2;

/// How it behaves.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum Nature {
    /// As it should.
    Sound,
    /// An older program: it answers no question about its pins.
    Old,
    /// Now and then a byte is lost, in both directions.
    Lossy,
}

/// The box.
pub(crate) struct Pinbox {
    nature: Nature,
    seed: u64,
    noise: Noise,
    now: f64,
    greeted: bool,
    modes: [u8; PINS],
    outputs: [u16; PINS],
    analog: [bool; 16],
    ports: [bool; 3],
    last_ports: [Option<u8>; 3],
    /// Seconds between readings, and when the next come.
    every: f64,
    next: f64,
    /// The message that is under way.
    heard: Vec<u8>,
    /// Bytes since the last that was lost.
    since_loss: u32,
}

impl Pinbox {
    pub(crate) fn new(nature: Nature, seed: u64) -> Pinbox {
        Pinbox {
            nature,
            seed,
            noise: Noise::new(seed),
            now: 0.0,
            greeted: false,
            modes: [1; PINS],
            outputs: [0; PINS],
            analog: [false; 16],
            ports: [false; 3],
            last_ports: [None; 3],
            every: 0.019,
            next: START,
            heard: Vec::new(),
            since_loss: 0,
        }
    }

    fn reading(&mut self, channel: usize) -> u16 {
        let wave = |period: f64| 0.5 + 0.5 * (TAU * self.now / period).sin();
        let volts = match channel {
            0 => 0.1 + 0.8 * wave(9.0),
            1 => 0.15 + 0.7 * f64::from(self.outputs[9]) / 255.0,
            _ => 0.5 + 0.02 * self.noise.gauss(),
        };
        (1023.0 * volts + 0.8 * self.noise.gauss()).round().clamp(0.0, 1023.0) as u16
    }

    fn port(&self, port: usize) -> u8 {
        let bit = |pin: usize| match pin {
            // Pressed for half a second every three; it pulls down.
            2 => self.modes[2] == 0x0b && self.now % 3.0 > 0.5,
            pin if pin < PINS && self.modes[pin] == 1 => self.outputs[pin] > 0,
            pin => pin < PINS && self.modes[pin] == 0x0b,
        };
        (0..8).fold(0, |bits, i| bits | u8::from(bit(port * 8 + i)) << i)
    }

    fn send(&mut self, bytes: &[u8], out: &mut Vec<u8>) {
        for byte in bytes {
            if !self.loses() {
                out.push(*byte);
            }
        }
    }

    /// Whether the next byte is lost.
    fn loses(&mut self) -> bool {
        self.since_loss += 1;
        let lost = self.nature == Nature::Lossy && self.since_loss.is_multiple_of(97);
        if lost {
            self.since_loss = (self.noise.gauss().abs() * 9.0) as u32;
        }
        lost
    }

    /// Two bytes of seven bits.
    fn pair(value: u16) -> [u8; 2] {
        [value as u8 & 0x7f, (value >> 7) as u8 & 0x7f]
    }

    fn greet(&mut self, out: &mut Vec<u8>) {
        let [major, minor] = if self.nature == Nature::Old { [2, 0] } else { VERSION };
        self.send(&[0xf9, major, minor], out);
        self.firmware(out);
    }

    fn firmware(&mut self, out: &mut Vec<u8>) {
        let [major, minor] = VERSION;
        let mut message = vec![0xf0, 0x79, major, minor];
        message.extend(NAME.bytes().flat_map(|letter| Pinbox::pair(u16::from(letter))));
        message.push(0xf7);
        self.send(&message, out);
    }

    fn obey(&mut self, message: &[u8], out: &mut Vec<u8>) {
        let knows = self.nature != Nature::Old;
        match *message {
            [0xf9] => {
                let [major, minor] = if knows { VERSION } else { [2, 0] };
                self.send(&[0xf9, major, minor], out);
            }
            [0xf0, 0x79, 0xf7] => self.firmware(out),
            [0xf0, 0x6b, 0xf7] if knows => {
                let mut answer = vec![0xf0, 0x6c];
                for pin in 0..PINS {
                    if pin >= 2 {
                        answer.extend([0, 1, 1, 1, 0x0b, 1]);
                        if PWM.contains(&pin) {
                            answer.extend([3, 8]);
                        }
                        if pin >= FIRST_ANALOG {
                            answer.extend([2, 10]);
                        }
                    }
                    answer.push(0x7f);
                }
                answer.push(0xf7);
                self.send(&answer, out);
            }
            [0xf0, 0x69, 0xf7] if knows => {
                let channel = |pin: usize| if pin >= FIRST_ANALOG { (pin - FIRST_ANALOG) as u8 } else { 0x7f };
                let mut answer = vec![0xf0, 0x6a];
                answer.extend((0..PINS).map(channel));
                answer.push(0xf7);
                self.send(&answer, out);
            }
            [0xf0, 0x7a, low, high, 0xf7] => {
                self.every = f64::from(u16::from(low) | u16::from(high) << 7).max(1.0) / 1000.0;
            }
            [0xf0, 0x6f, pin, low, high, 0xf7] if usize::from(pin) < PINS => {
                self.outputs[usize::from(pin)] = u16::from(low) | u16::from(high) << 7;
            }
            [0xf4, pin, mode] if usize::from(pin) < PINS => self.modes[usize::from(pin)] = mode,
            [0xf5, pin, value] if usize::from(pin) < PINS => self.outputs[usize::from(pin)] = u16::from(value) * 255,
            [status @ 0xc0..=0xcf, on] => self.analog[usize::from(status & 15)] = on > 0,
            [status @ 0xd0..=0xd2, on] => {
                self.ports[usize::from(status & 15)] = on > 0;
                self.last_ports[usize::from(status & 15)] = None;
            }
            [status @ 0xe0..=0xef, low, high] => {
                self.outputs[usize::from(status & 15)] = u16::from(low) | u16::from(high) << 7;
            }
            _ => {}
        }
    }
}

impl Board for Pinbox {
    fn baud(&self) -> u32 {
        57_600
    }

    fn reset(&mut self) {
        *self = Pinbox::new(self.nature, self.seed);
    }

    fn run(&mut self, now: Duration, out: &mut Vec<u8>) {
        let now = now.as_secs_f64();
        if now < START {
            return;
        }
        if !self.greeted {
            self.greeted = true;
            self.greet(out);
        }
        while self.next <= now {
            self.now = self.next;
            self.next += self.every;
            for channel in 0..PINS - FIRST_ANALOG {
                if self.analog[channel] {
                    let [low, high] = Pinbox::pair(self.reading(channel));
                    self.send(&[0xe0 | channel as u8, low, high], out);
                }
            }
            for port in 0..self.ports.len() {
                let bits = self.port(port);
                if self.ports[port] && self.last_ports[port] != Some(bits) {
                    self.last_ports[port] = Some(bits);
                    let [low, high] = Pinbox::pair(u16::from(bits));
                    self.send(&[0x90 | port as u8, low, high], out);
                }
            }
        }
    }

    fn due(&self) -> Duration {
        Duration::from_secs_f64(self.next)
    }

    fn hear(&mut self, bytes: &[u8], out: &mut Vec<u8>) {
        // Its program has not begun.
        if !self.greeted {
            return;
        }
        for byte in bytes {
            if self.loses() {
                continue;
            }
            let is_system = self.heard.first() == Some(&0xf0);
            if *byte >= 0x80 && !(is_system && *byte == 0xf7) {
                self.heard.clear();
            }
            if self.heard.len() < 64 {
                self.heard.push(*byte);
            }
            let whole = match self.heard[0] {
                0xf0 => *byte == 0xf7,
                0xf9 => true,
                0xc0..=0xdf => self.heard.len() == 2,
                _ => self.heard.len() == 3,
            };
            if whole {
                let message = std::mem::take(&mut self.heard);
                self.obey(&message, out);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_is_silent_until_it_is_asked_and_reports_what_it_is_told_to() {
        let mut board = Pinbox::new(Nature::Sound, 1);
        let mut out = Vec::new();
        board.run(Duration::from_secs(1), &mut out);
        assert!(out.is_empty(), "it starts slowly");
        board.run(Duration::from_secs(2), &mut out);
        assert_eq!(out[..7], [0xf9, 2, 5, 0xf0, 0x79, 2, 5]);
        out.clear();
        board.hear(&[0xf4, 14, 2, 0xc0, 1, 0xd0, 1, 0xf0, 0x7a, 100, 0, 0xf7], &mut out);
        board.run(Duration::from_secs(3), &mut out);
        let readings = out.chunks(3).filter(|message| message[0] == 0xe0).count();
        assert!((9..=12).contains(&readings), "{readings}");
        out.clear();
        board.hear(&[0xf0, 0x69, 0xf7], &mut out);
        assert_eq!(out[2 + FIRST_ANALOG..2 + PINS], [0, 1, 2, 3, 4, 5]);
    }
}
