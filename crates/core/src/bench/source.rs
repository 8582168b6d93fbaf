//! Where the bytes come from, and how the wire is set.

use crate::keep::BrokerAddress;
use serde::{Deserialize, Serialize};

/// Parity of a serial line.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Parity {
    /// No parity bit.
    #[default]
    None,
    /// An even number of ones.
    Even,
    /// An odd number of ones.
    Odd,
}

impl Parity {
    /// All of them, in the order in which a person steps through them.
    pub const ALL: [Parity; 3] = [Parity::None, Parity::Even, Parity::Odd];

    /// A word for it.
    pub fn name(self) -> &'static str {
        match self {
            Parity::None => "none",
            Parity::Even => "even",
            Parity::Odd => "odd",
        }
    }
}

/// Where the bytes come from.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct WireSettings {
    /// What it is called where several are watched; found from the port when empty.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub name: String,
    /// The path of a serial port or of a text file, `-` for standard input, an address such as `tcp://host:port`, or the name
    /// of a simulated board; empty while none is chosen.
    pub port: String,
    /// Bits a second on the wire; found by listening when not given.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub baud: Option<u32>,
    /// Data bits of a character: 5 to 8.
    #[serde(skip_serializing_if = "is_eight")]
    pub data_bits: u8,
    /// Parity bit.
    #[serde(skip_serializing_if = "is_none")]
    pub parity: Parity,
    /// Stop bits: 1 or 2.
    #[serde(skip_serializing_if = "is_one")]
    pub stop_bits: u8,
    /// Whether opening the port is to start the board's program anew.
    #[serde(skip_serializing_if = "Clone::clone")]
    pub reset_on_open: bool,
    /// The serial number that the board gives on USB, by which it is found under another name.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub usb: String,
}

fn is_eight(bits: &u8) -> bool {
    *bits == 8
}

fn is_one(bits: &u8) -> bool {
    *bits == 1
}

fn is_none(parity: &Parity) -> bool {
    *parity == Parity::None
}

impl Default for WireSettings {
    fn default() -> Self {
        WireSettings {
            name: String::new(),
            port: String::new(),
            baud: None,
            data_bits: 8,
            parity: Parity::None,
            stop_bits: 1,
            reset_on_open: true,
            usb: String::new(),
        }
    }
}

impl WireSettings {
    /// What stands for standard input in place of a port.
    pub const INPUT: &str = "-";

    /// Whether it is standard input.
    pub fn is_input(&self) -> bool {
        self.port == WireSettings::INPUT
    }

    /// What the port of a source on the network begins with: bytes of a TCP connection, the same with control of a serial port
    /// at its other end (RFC 2217), datagrams, messages of a broker.
    pub const NETWORK: [&str; 5] =
        ["tcp://", "rfc2217://", "udp://", BrokerAddress::SCHEMES[0], BrokerAddress::SCHEMES[1]];

    /// Whether it is on the network.
    pub fn is_network(&self) -> bool {
        WireSettings::NETWORK.iter().any(|scheme| self.port.starts_with(scheme))
    }

    /// Whether it is on the network and has no serial port at its other end that could be set.
    pub fn is_bare_network(&self) -> bool {
        self.is_network() && !self.port.starts_with("rfc2217://")
    }

    /// The source at `port`, with nothing else set.
    pub fn at(port: &str) -> WireSettings {
        WireSettings { port: port.into(), ..WireSettings::default() }
    }

    /// What is wrong with it, if anything: the key, and what was expected.
    pub fn fault(&self) -> Option<(&'static str, &'static str)> {
        if self.baud.is_some_and(|baud| !(50..=20_000_000).contains(&baud)) {
            return Some(("baud", "baud must be 50 to 20000000"));
        }
        if !(5..=8).contains(&self.data_bits) {
            return Some(("data_bits", "data_bits must be 5 to 8"));
        }
        if !(1..=2).contains(&self.stop_bits) {
            return Some(("stop_bits", "stop_bits must be 1 or 2"));
        }
        None
    }

    /// The line's settings as they are usually written: `8N1`.
    pub fn framing(&self) -> String {
        let parity = match self.parity {
            Parity::None => 'N',
            Parity::Even => 'E',
            Parity::Odd => 'O',
        };
        format!("{}{parity}{}", self.data_bits, self.stop_bits)
    }
}
