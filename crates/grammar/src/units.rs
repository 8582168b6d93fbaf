//! Units as they stand on lines.

/// Those that are known, longer ones in front of those they begin with.
const UNITS: [&str; 86] = [
    "degrees C",
    "degrees F",
    "centimeters",
    "percent",
    "Celsius",
    "degC",
    "degF",
    "°C",
    "°F",
    "%RH",
    "%rh",
    "%",
    "°",
    "deg",
    "mV",
    "kV",
    "uV",
    "µV",
    "volts",
    "Volt",
    "Volts",
    "V",
    "hPa",
    "kPa",
    "Pa",
    "mbar",
    "bar",
    "m/s2",
    "m/s^2",
    "m/s",
    "mm",
    "cm",
    "km",
    "in",
    "lx",
    "lux",
    "dBm",
    "dB",
    "ppm",
    "ppb",
    "mAh",
    "mA",
    "uA",
    "µA",
    "nA",
    "A",
    "rpm",
    "RPM",
    "kg",
    "mg",
    "ug/m3",
    "µg/m3",
    "g",
    "L/min",
    "l/min",
    "ml",
    "mL",
    "dps",
    "uT",
    "µT",
    "kOhm",
    "MOhm",
    "mOhm",
    "Ohm",
    "ohm",
    "kΩ",
    "MΩ",
    "Ω",
    "kHz",
    "MHz",
    "GHz",
    "Hz",
    "uF",
    "µF",
    "nF",
    "pF",
    "mF",
    "kW",
    "mW",
    "kWh",
    "Wh",
    "W",
    "ms",
    "us",
    "µs",
    "psi",
];
/// Those of one letter that are words as well, or names: only right behind a number.
const SHORT: [&str; 4] = ["C", "F", "s", "m"];

/// The unit with which `text` begins, and the rest: the name of no unit goes on with letters, digits or a slash.
pub(crate) fn begins(text: &str) -> Option<(&'static str, &str)> {
    let whole = |unit: &&&'static str| {
        text.strip_prefix(**unit)
            .is_some_and(|rest| !rest.starts_with(|c: char| c.is_alphanumeric() || c == '_' || c == '/'))
    };
    let unit = UNITS.iter().chain(&SHORT).filter(whole).max_by_key(|unit| unit.len())?;
    Some((unit, &text[unit.len()..]))
}

/// Whether all of `text` is a unit.
pub(crate) fn is_unit(text: &str) -> bool {
    begins(text).is_some_and(|(_, rest)| rest.is_empty())
}

/// How a unit is written in a table.
pub(crate) fn written(unit: &str) -> &str {
    match unit {
        "degrees C" => "C",
        "degrees F" => "F",
        "Celsius" => "°C",
        "percent" => "%",
        "volts" | "Volt" | "Volts" => "V",
        "centimeters" => "cm",
        _ => unit,
    }
}

/// Words that are one unit with prefixes, in so many lines each: what each multiplies by, if it is one, and the unit. Words that are
/// damaged are none.
pub(crate) fn prefixed(words: &[String], counts: &[usize]) -> Option<(Vec<Option<f64>>, &'static str)> {
    const BASES: [&str; 12] = ["Ohm", "ohm", "Hz", "Pa", "Ω", "V", "A", "F", "W", "g", "m", "s"];
    let factor = |prefix: &str| {
        Some(match prefix {
            "G" => 1e9,
            "M" => 1e6,
            "k" | "K" => 1e3,
            "" => 1.0,
            "c" => 1e-2,
            "m" => 1e-3,
            "u" | "µ" => 1e-6,
            "n" => 1e-9,
            "p" => 1e-12,
            _ => return None,
        })
    };
    let all: usize = counts.iter().sum();
    BASES.iter().find_map(|base| {
        let factors: Vec<Option<f64>> = words.iter().map(|word| factor(word.strip_suffix(base)?)).collect();
        let fit: usize =
            factors.iter().zip(counts).filter(|(factor, _)| factor.is_some()).map(|(_, count)| count).sum();
        (fit * 10 > all * 9).then_some((factors, *base))
    })
}
