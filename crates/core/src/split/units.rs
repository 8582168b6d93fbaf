//! Units, as far as their spelling tells them.

use std::ops::Range;

/// The longest unit, in characters.
pub(super) const UNIT: usize = 8;

/// Units that are known by their spelling where their place does not tell.
const UNITS: [&str; 110] = [
    "V",
    "mV",
    "uV",
    "Vpp",
    "Vrms",
    "A",
    "mA",
    "uA",
    "W",
    "mW",
    "kW",
    "Wh",
    "kWh",
    "mWh",
    "Ah",
    "mAh",
    "VA",
    "C",
    "F",
    "K",
    "°C",
    "°F",
    "%",
    "%RH",
    "Pa",
    "hPa",
    "kPa",
    "MPa",
    "bar",
    "mbar",
    "psi",
    "inHg",
    "mmHg",
    "mm",
    "cm",
    "m",
    "km",
    "um",
    "s",
    "ms",
    "us",
    "ns",
    "min",
    "h",
    "Hz",
    "kHz",
    "MHz",
    "GHz",
    "cnt",
    "counts",
    "lux",
    "lx",
    "lm",
    "deg",
    "dps",
    "rad",
    "g",
    "kg",
    "mg",
    "lbs",
    "N",
    "mN",
    "kN",
    "Nm",
    "dB",
    "dBm",
    "dBA",
    "dBFS",
    "ppm",
    "ppb",
    "rpm",
    "RPM",
    "bpm",
    "mph",
    "ohm",
    "Ohm",
    "kOhm",
    "kohm",
    "l",
    "ml",
    "J",
    "kJ",
    "m/s",
    "uS",
    "mS",
    "uT",
    "mT",
    "nT",
    "degrees",
    "degree",
    "percent",
    "volts",
    "amps",
    "watts",
    "meters",
    "metres",
    "seconds",
    "bytes",
    "ticks",
    "degC",
    "degF",
    "Celsius",
    "celsius",
    "Fahrenheit",
    "fahrenheit",
    "Kelvin",
    "kelvin",
    "inch",
    "inches",
    "kph",
];

/// Whether `word` is a unit by its spelling: a known one, with a micro or degree sign or what stands for that or an ohm, or one for each other.
pub(super) fn is_unit(word: &[u8]) -> bool {
    let Ok(text) = std::str::from_utf8(word) else { return false };
    let ratio = text.split_once('/').is_some_and(|(over, under)| {
        let letters = |text: &str| text.starts_with(|c: char| c.is_alphabetic());
        letters(over) && letters(under) && text.chars().count() <= UNIT
    });
    UNITS.contains(&text)
        || ratio
        || text.starts_with(['µ', '°', 'Ω', '*', '\'', '^', '~'])
        || text.ends_with(['Ω', '²', '³'])
}

/// Whether the first two of `words` are a unit of temperature that is written out: `degrees C`.
pub(super) fn is_degrees(line: &[u8], words: &[Range<usize>]) -> bool {
    if words.len() < 2 {
        return false;
    }
    let is = |at: usize, known: &[&str]| {
        known.iter().any(|known| line[words[at].clone()].eq_ignore_ascii_case(known.as_bytes()))
    };
    is(0, &["degrees", "degree", "deg"]) && is(1, &["C", "F", "K", "Celsius", "Fahrenheit"])
}

/// Whether `word` is a unit of time in which boards count.
pub(super) fn is_time_unit(word: &[u8]) -> bool {
    matches!(word, b"ms" | b"us" | b"s" | b"sec")
}

/// Words for things that are counted, of which there are no fractions.
const COUNTED: [&str; 14] = [
    "byte", "bytes", "step", "steps", "count", "counts", "cnt", "pulse", "pulses", "sample", "samples", "ticks",
    "lines", "rows",
];

/// Whether one of these words says that whole things are counted.
pub(super) fn is_counted(words: &[u8]) -> bool {
    let each = words.split(|b| !b.is_ascii_alphabetic());
    each.into_iter().any(|word| COUNTED.iter().any(|known| word.eq_ignore_ascii_case(known.as_bytes())))
}

/// Whether a unit is a usual name as well: `min`, `A`.
pub(super) fn may_be_name(word: &[u8]) -> bool {
    word.len() == 1 || matches!(word, b"min" | b"lux" | b"rpm" | b"RPM" | b"bpm" | b"cnt" | b"counts")
}
