//! Codes of a converter become volts.

use super::{Role, Transform, code_number};
use crate::digits::{set_value, short, typed};
use crate::part::{Part, Setting, Value, along};
use serde::{Deserialize, Serialize};

/// Codes that become volts.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Converter {
    /// Bits of the converter, 1 to 32; without them the board sends shares of full scale, 0 to 1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bits: Option<u8>,
    /// What full scale stands for.
    pub reference: Reference,
    /// The top code stands for the whole reference; else for one code less, as most converters do.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub top_is_reference: bool,
}

/// What full scale stands for.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum Reference {
    /// So many volts, as measured.
    Volts(f64),
    /// As many volts as this channel says in the same row.
    Channel(String),
}

impl Default for Converter {
    fn default() -> Self {
        Converter { bits: Some(12), reference: Reference::Volts(3.3), top_is_reference: false }
    }
}

const BITS: [u8; 7] = [8, 10, 12, 14, 16, 18, 24];
const REFERENCES: [f64; 7] = [1.1, 1.8, 2.048, 2.5, 3.3, 4.096, 5.0];

impl Part for Converter {
    const KIND: &'static str = "converter";
    const HELP: &'static str = "counts, or shares of full scale, become volts";
    const SETTINGS: &'static [Setting<Self>] = &[
        Setting::own(
            "bits",
            "resolution of the converter; 0 to 1 where the board sends shares of full scale",
            Value::Spelled {
                shown: Converter::spelled_bits,
                typed: Converter::spelled_bits,
                set: |converter, text| {
                    let shares = matches!(text.replace(' ', "").as_str(), "0to1" | "0-1" | "0..1" | "off");
                    let bits = || text.parse().map_err(|_| "type the bits as a whole number, or 0 to 1".to_owned());
                    converter.bits = if shares { None } else { Some(bits()?) };
                    Ok(())
                },
                nudge: |converter, by| {
                    let here = converter.bits.map_or(0, |bits| BITS.partition_point(|b| *b < bits) + 1);
                    let to = (here as i32 + by).clamp(0, BITS.len() as i32) as usize;
                    converter.bits = to.checked_sub(1).map(|i| BITS[i]);
                },
                fault: |converter| {
                    let sound = converter.bits.is_none_or(|bits| (1..=32).contains(&bits));
                    (!sound).then_some("bits must be 1 to 32")
                },
                examples: &["12", "10", "0 to 1"],
            },
        ),
        Setting::own(
            "reference",
            "full scale in volts, as measured; or the channel that measures it",
            Value::Spelled {
                shown: |converter| match &converter.reference {
                    Reference::Volts(volts) => set_value(*volts, "V"),
                    Reference::Channel(name) => format!("channel {name}"),
                },
                typed: |converter| match &converter.reference {
                    Reference::Volts(volts) => volts.to_string(),
                    Reference::Channel(name) => name.clone(),
                },
                set: |converter, text| {
                    let is_name = text.chars().next().is_some_and(|c| c.is_alphabetic() || c == '_');
                    converter.reference =
                        if is_name { Reference::Channel(text.into()) } else { Reference::Volts(typed(text)?) };
                    Ok(())
                },
                nudge: |converter, by| {
                    if let Reference::Volts(volts) = &mut converter.reference {
                        *volts = along(&REFERENCES, *volts, by);
                    }
                },
                fault: |converter| {
                    let sound = match &converter.reference {
                        Reference::Volts(volts) => volts.is_finite() && *volts > 0.0,
                        Reference::Channel(name) => !name.is_empty(),
                    };
                    (!sound).then_some("reference must be volts above 0, or the name of a channel")
                },
                examples: &["3.3", "4.71", "supply"],
            },
        ),
        Setting::choice(
            "top code",
            "what the highest code means; most converters: reference − 1 LSB",
            &["= reference − 1 LSB", "= reference"],
            |converter| usize::from(converter.top_is_reference),
            |converter, choice| converter.top_is_reference = choice == 1,
        ),
    ];

    fn short(&self) -> String {
        let codes = self.bits.map_or("0-1".into(), |bits| format!("{bits} bit"));
        match &self.reference {
            Reference::Volts(volts) => format!("{codes} {} V", short(*volts, 6)),
            Reference::Channel(name) => format!("{codes} {name}"),
        }
    }
}

impl Converter {
    fn spelled_bits(&self) -> String {
        self.bits.map_or("0 to 1".into(), |bits| bits.to_string())
    }

    /// The share of the reference that one code stands for.
    pub fn share(&self) -> f64 {
        match self.bits {
            None => 1.0,
            Some(bits) => (2f64.powi(i32::from(bits)) - f64::from(u8::from(self.top_is_reference))).recip(),
        }
    }

    /// The highest code.
    pub fn top_code(&self) -> f64 {
        self.bits.map_or(1.0, |bits| 2f64.powi(i32::from(bits)) - 1.0)
    }
}

impl Transform for Converter {
    fn in_code(&self, x: &str) -> String {
        match self.reference {
            Reference::Volts(volts) => format!("{x} * {}", code_number(volts * self.share())),
            Reference::Channel(_) => format!("{x} * reference * {}", code_number(self.share())),
        }
    }

    fn apply(&self, x: f64, reference: f64) -> f64 {
        let volts = match self.reference {
            Reference::Volts(volts) => volts,
            Reference::Channel(_) => reference,
        };
        x * (volts * self.share())
    }

    fn line(&self, reference: f64) -> Option<(f64, f64)> {
        Some((self.apply(1.0, reference), 0.0))
    }

    fn unit(&self) -> &str {
        "V"
    }

    fn reference(&self) -> Option<&str> {
        match &self.reference {
            Reference::Volts(_) => None,
            Reference::Channel(name) => Some(name),
        }
    }

    fn role(&self) -> Role {
        Role::Sensor
    }
}
