//! Times and sizes as a person types them.

use crate::digits::typed;

/// Splits a text into its number and its unit.
fn parted(text: &str) -> (&str, &str) {
    let text = text.trim();
    let split = text.find(|c: char| c.is_alphabetic()).unwrap_or(text.len());
    let (number, unit) = text.split_at(split);
    (number.trim(), unit.trim())
}

/// A time with its unit, in seconds: `500 ms`, `10 s`, `1.5 min`, `2 h`, `1 d`; a number alone is seconds.
///
/// # Errors
/// What is wrong with it, in a sentence.
pub fn seconds(text: &str) -> Result<f64, String> {
    let (number, unit) = parted(text);
    let factor = match unit {
        "ms" => 1e-3,
        "s" | "" => 1.0,
        "m" | "min" => 60.0,
        "h" => 3600.0,
        "d" => 86_400.0,
        _ => return Err(format!("'{unit}' is not a unit of time: use ms, s, min, h or d")),
    };
    let value = typed(number).ok().map(|value| value * factor).filter(|value| *value > 0.0 && *value < 1e9);
    value.ok_or_else(|| format!("'{}' is not a time: write 10s, 500ms, 5min or 2h", text.trim()))
}

/// A size with its unit, in bytes: `500 kB`, `10 MB`, `2 GB` (a kilobyte is 1000 bytes).
///
/// # Errors
/// What is wrong with it, in a sentence.
pub fn size(text: &str) -> Result<u64, String> {
    let (number, unit) = parted(text);
    let factor = match unit.to_ascii_lowercase().as_str() {
        "b" | "byte" | "bytes" => 1.0,
        "kb" => 1e3,
        "mb" => 1e6,
        "gb" => 1e9,
        "tb" => 1e12,
        _ => return Err(format!("'{unit}' is not a unit of size: use kB, MB or GB")),
    };
    let value = typed(number).ok().map(|value| value * factor).filter(|value| (1.0..1e15).contains(value));
    value.map(|value| value.round() as u64).ok_or_else(|| format!("'{}' is not a size: write 10 MB", text.trim()))
}
