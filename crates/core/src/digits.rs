//! Numbers as a person reads them: as many decimals as the converter resolves and no more, always the same width.

use std::io::Write;

/// The decimals that a step of `resolution` supports: a step of 0.0008 gives 3, of 0.5 gives 0, of 20 gives 0.
/// 3 when the resolution is not known (0, infinite or NaN).
pub fn decimals(resolution: f64) -> usize {
    if !(resolution.is_finite() && resolution > 0.0) {
        return 3;
    }
    // A step of 0.001 that was computed as 0.0010000000000000002 must not lose its digit.
    (-resolution.log10() + 1e-9).floor().clamp(0.0, 9.0) as usize
}

/// `value` with `decimals` decimals, fewer where a double does not hold them; `–` for a gap, an exponent from 1e15 on, never
/// `-0`.
pub fn fixed(value: f64, decimals: usize) -> String {
    if value.is_nan() {
        return "–".into();
    }
    if value.abs() >= 1e15 {
        return format!("{value:.3e}");
    }
    let digits = value.abs().max(1.0).log10() as usize + 1;
    let decimals = decimals.min(15 - digits.min(15));
    let text = format!("{value:.decimals$}");
    let zero = text.starts_with('-') && text.bytes().all(|b| matches!(b, b'-' | b'0' | b'.'));
    if zero { text[1..].to_owned() } else { text }
}

/// `value` without the noise of its rounding in double precision, for a file or a text: rounded to twelve digits, to six
/// decimals where that is more, at most to the fifteen that a double holds. A whole number stays as it is.
pub fn cleaned(value: f64) -> f64 {
    if value == 0.0 || !value.is_finite() || value.fract() == 0.0 {
        return value;
    }
    let magnitude = value.abs().log10().floor() as i32;
    let digits = (12).max(magnitude + 7).min(15) as usize;
    format!("{value:.*e}", digits - 1).parse().unwrap_or(value)
}

/// `value` as a person would write it, with at most `digits` digits and none that say nothing: `2.4967`, `0.000806`,
/// `1732012345678`. Digits before the point are all written; an exponent only from 1e15 on and below 1e-9. `–` for a gap.
pub fn short(value: f64, digits: usize) -> String {
    if value.is_nan() {
        return "–".into();
    }
    if value != 0.0 && !(1e-9..1e15).contains(&value.abs()) {
        let text = format!("{value:.*e}", digits.saturating_sub(1));
        return match text.split_once('e') {
            Some((mantissa, exponent)) if mantissa.contains('.') => {
                format!("{}e{exponent}", mantissa.trim_end_matches('0').trim_end_matches('.'))
            }
            _ => text,
        };
    }
    let rounded = if value.fract() == 0.0 {
        value
    } else {
        let magnitude = value.abs().log10().floor().max(-300.0) as i32;
        let places = (digits as i32 - 1 - magnitude).max(0) as usize;
        format!("{value:.places$}").parse().unwrap_or(value)
    };
    let mut out = Vec::new();
    write_shortest(rounded + 0.0, &mut out);
    String::from_utf8(out).unwrap_or_default()
}

/// Adds the shortest plain text that reads back as the same number to `out`, never with an exponent: `2210`, `-1.78`.
/// Nothing for NaN.
pub fn write_shortest(value: f64, out: &mut Vec<u8>) {
    // Most readings are counts. Minus zero is not one.
    let count = value as u32;
    if f64::from(count).to_bits() == value.to_bits() {
        return out.extend_from_slice(itoa::Buffer::new().format(count).as_bytes());
    }
    // Most others have few decimals. Of a number that is a whole one divided by the least power of ten that gives it
    // back exactly, that whole one has the shortest digits, as long as there are no more of them than a double holds.
    for (places, power) in [1.0, 10.0, 100.0, 1e3, 1e4].into_iter().enumerate() {
        let scaled = value * power;
        let whole = (scaled + 0.5f64.copysign(scaled)) as i64;
        if whole.unsigned_abs() < 1_000_000_000_000_000
            && whole as f64 / power == value
            && (whole != 0 || value.is_sign_positive())
        {
            return write_decimal(whole, places, out);
        }
    }
    if value.is_nan() {
        return;
    }
    let mut buffer = zmij::Buffer::new();
    let text = buffer.format(value).as_bytes();
    if text.iter().all(|byte| matches!(byte, b'0'..=b'9' | b'.' | b'-')) {
        out.extend_from_slice(text.strip_suffix(b".0").unwrap_or(text));
    } else {
        // Writing to a vector cannot fail.
        let _ = write!(out, "{value}");
    }
}

/// Whether `text` is what [`write_shortest`] writes of the number that it says: a plain number of at most fifteen digits,
/// with none that says nothing.
fn is_shortest(text: &[u8]) -> bool {
    let size = text.strip_prefix(b"-").unwrap_or(text);
    let (mut point, mut digits) = (None, 0);
    for (at, byte) in size.iter().enumerate() {
        match byte {
            b'0'..=b'9' => digits += 1,
            b'.' if point.is_none() => point = Some(at),
            _ => return false,
        }
    }
    let whole = point.unwrap_or(size.len());
    let begins = whole == 1 || (whole > 1 && size[0] != b'0');
    let ends = point.is_none() || matches!(size.last(), Some(b'1'..=b'9'));
    (1..=15).contains(&digits) && begins && ends
}

/// Whether each text between the commas of `line` is the shortest, as [`write_shortest`] writes it.
pub fn are_shortest(line: &[u8]) -> bool {
    // Most lines are digits and commas alone: then it is enough that none follows a comma that may not, and that they are
    // not many. The processor looks at several bytes at a time.
    let plain = line.iter().fold(true, |plain, byte| plain & ((byte.wrapping_sub(b'0') < 10) | (*byte == b',')));
    if plain && line.len() >= 3 {
        let odd = |a: u8, b: u8, c: u8| (a == b',') & ((b == b',') | ((b == b'0') & (c != b',')));
        let triples = line.iter().zip(&line[1..]).zip(&line[2..]);
        let odd = triples.fold(false, |any, ((a, b), c)| any | odd(*a, *b, *c));
        let ends = [line[0], line[line.len() - 1]].contains(&b',') || (line[0] == b'0' && line[1] != b',');
        let mut begin = 0;
        let is_long = memchr::memchr_iter(b',', line).chain([line.len()]).any(|comma| {
            let length = comma - std::mem::replace(&mut begin, comma + 1);
            length > 15
        });
        return !(odd || ends || is_long);
    }
    line.split(|byte| *byte == b',').all(is_shortest)
}

/// Adds `digits` with the point before the last `places` of them, which are at most 15.
pub fn write_decimal(digits: i64, places: usize, out: &mut Vec<u8>) {
    if digits < 0 {
        out.push(b'-');
    }
    let mut buffer = itoa::Buffer::new();
    let text = buffer.format(digits.unsigned_abs()).as_bytes();
    if places == 0 {
        return out.extend_from_slice(text);
    }
    let before = text.len().saturating_sub(places);
    out.extend_from_slice(if before == 0 { b"0" } else { &text[..before] });
    out.push(b'.');
    out.extend_from_slice(&b"000000000000000"[..places.saturating_sub(text.len()).min(15)]);
    out.extend_from_slice(&text[before..]);
}

/// A whole number with a thin gap between thousands: `75 122`.
pub fn grouped(number: u64) -> String {
    let digits = number.to_string();
    let mut out = String::with_capacity(digits.len() * 4 / 3);
    for (i, digit) in digits.chars().enumerate() {
        if i > 0 && (digits.len() - i).is_multiple_of(3) {
            out.push(' ');
        }
        out.push(digit);
    }
    out
}

/// A count with its noun, which agrees with it: `1 row`, `2 rows`.
pub fn counted(count: u64, noun: &str) -> String {
    format!("{} {noun}{}", grouped(count), if count == 1 { "" } else { "s" })
}

/// A number as text with its unit behind it, if it has one.
pub fn with_unit(number: impl std::fmt::Display, unit: &str) -> String {
    if unit.is_empty() { number.to_string() } else { format!("{number} {unit}") }
}

/// A span of time: `0:07`, `12:30`, `1:02:03`.
pub fn clock(seconds: f64) -> String {
    let whole = seconds.max(0.0) as u64;
    match (whole / 3600, whole / 60 % 60, whole % 60) {
        (0, minutes, seconds) => format!("{minutes}:{seconds:02}"),
        (hours, minutes, seconds) => format!("{hours}:{minutes:02}:{seconds:02}"),
    }
}

/// A length of time with its unit: `50 ms`, `2.5 s`, `10 min`.
pub fn duration(seconds: f64) -> String {
    let trim =
        |value: f64| fixed((value * 100.0).round() / 100.0, 2).trim_end_matches('0').trim_end_matches('.').to_owned();
    match seconds.abs() {
        0.0 => "0 s".to_owned(),
        s if s < 0.01 => format!("{} ms", trim(seconds * 1e3)),
        s if s < 1.0 => format!("{} ms", fixed(seconds * 1e3, 0)),
        s if s < 120.0 => format!("{} s", trim(seconds)),
        s if s < 7200.0 => format!("{} min", trim(seconds / 60.0)),
        _ => format!("{} h", trim(seconds / 3600.0)),
    }
}

/// A number of bytes: `640 B`, `12.4 kB`, `3.1 MB`.
pub fn bytes(count: u64) -> String {
    match count {
        0..1000 => format!("{count} B"),
        1000..1_000_000 => format!("{:.1} kB", count as f64 / 1e3),
        1_000_000..1_000_000_000 => format!("{:.1} MB", count as f64 / 1e6),
        _ => format!("{:.2} GB", count as f64 / 1e9),
    }
}

/// Units that take SI prefixes; others, such as mm, have theirs already.
const PREFIXED: [&str; 18] =
    ["V", "A", "Ω", "Hz", "Pa", "W", "m", "s", "g", "N", "J", "F", "H", "T", "bar", "V/s", "VA", "Wh"];

/// The power of ten of the SI prefix that suits numbers as large as `size`, a multiple of three, and the prefix. 0 for
/// units that take none.
pub fn prefix(size: f64, unit: &str) -> (i32, &'static str) {
    const NAMES: [(i32, &str); 8] =
        [(-12, "p"), (-9, "n"), (-6, "µ"), (-3, "m"), (0, ""), (3, "k"), (6, "M"), (9, "G")];
    let takes = PREFIXED.contains(&unit) && size.is_finite() && size != 0.0;
    if !takes {
        return (0, "");
    }
    let fits = |(power, _): &&(i32, &str)| size.abs() >= 0.9995 * 10f64.powi(*power);
    NAMES.iter().rev().find(fits).copied().unwrap_or(NAMES[0])
}

/// A number in about four digits with an SI prefix before its unit: `0.806 mV` as `806 µV`, `4700 Ω` as `4.7 kΩ`.
pub fn si(value: f64, unit: &str) -> String {
    let (power, name) = prefix(value, unit);
    let scaled = value / 10f64.powi(power);
    let text = if scaled != 0.0 && (scaled.abs() < 1e-4 || scaled.abs() >= 1e7) {
        format!("{scaled:.3e}")
    } else {
        let places = (3 - scaled.abs().max(1e-4).log10().floor() as i32).clamp(0, 8) as usize;
        let text = fixed(scaled, places);
        if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.').to_owned() } else { text }
    };
    with_unit(text, &format!("{name}{unit}"))
}

/// A frequency in four digits: `0.811 Hz`, `50 Hz`, `1.204 kHz`.
pub fn hertz(value: f64) -> String {
    if value.abs() >= 999.95 { si(value, "Hz") } else { with_unit(short(value, 4), "Hz") }
}

/// A value with as many digits as its resolution supports, and with an SI prefix where [`NumberFormat`] uses one: `1.781 V`,
/// `33.6 kΩ`.
pub fn measured(value: f64, resolution: f64, unit: &str) -> String {
    let (power, name) = form_prefix(value, unit);
    let size = 10f64.powi(power);
    let places = if resolution.is_finite() && resolution > 0.0 { decimals(resolution / size) } else { 3 };
    with_unit(fixed(value / size, places), &format!("{name}{unit}"))
}

/// A number that was set, in at most six digits, with its unit and the SI prefix that live values of that size have: `1.25 V`,
/// `20 mV`, `4.7 kΩ`.
pub fn set_value(value: f64, unit: &str) -> String {
    // Ohms run from fractions to millions, and resistors are named with their prefix.
    let (power, name) = if unit == "Ω" { prefix(value, unit) } else { form_prefix(value, unit) };
    with_unit(short(value / 10f64.powi(power), 6), &format!("{name}{unit}"))
}

/// No prefix where the numbers are easily read without: one that came and went would unsettle a live value.
fn form_prefix(size: f64, unit: &str) -> (i32, &'static str) {
    if (0.1..1e4).contains(&size.abs()) { (0, "") } else { prefix(size, unit) }
}

/// How numbers that belong together are written: with one SI prefix and the same decimals.
#[derive(Clone, Debug, PartialEq)]
pub struct NumberFormat {
    power: i32,
    places: usize,
    /// The unit with its prefix.
    pub unit: String,
}

impl NumberFormat {
    /// For numbers up to `size`, of which `places` decimals are worth showing without a prefix. A prefix is used where
    /// there would be nothing but zeros behind the point, or more than four digits before it.
    pub fn new(size: f64, places: usize, unit: &str) -> NumberFormat {
        let (power, name) = form_prefix(size, unit);
        let places = (places as i32 + power).max(0) as usize;
        NumberFormat { power, places, unit: format!("{name}{unit}") }
    }

    /// A number, without the unit; `more` decimals than usual.
    pub fn number(&self, value: f64, more: usize) -> String {
        fixed(self.scaled(value), self.places + more)
    }

    /// A number in the prefixed unit.
    pub fn scaled(&self, value: f64) -> f64 {
        if self.power == 0 { value } else { value / 10f64.powi(self.power) }
    }
}

/// A number as a person types it: with a point or a comma, as a quotient of two, or with an SI prefix: `4.7k`, `40 mV`, `5 ms`.
///
/// # Errors
/// What is wrong with it, in a sentence.
pub fn typed(text: &str) -> Result<f64, String> {
    let value = match text.split_once('/') {
        Some((over, under)) => prefixed(over).zip(prefixed(under)).map(|(a, b)| a / b),
        None => prefixed(text),
    };
    let wrong = || format!("'{}' is not a number: type one like 3.3, 4.7k or 1/0.04", text.trim());
    value.filter(|value| value.is_finite()).ok_or_else(wrong)
}

fn prefixed(text: &str) -> Option<f64> {
    let text = text.trim().replace(',', ".");
    if let Ok(value) = text.parse() {
        return Some(value);
    }
    let end = text.rfind(|c: char| c.is_ascii_digit() || c == '.')? + 1;
    let letters = text[end..].trim_start();
    let rest = ["V", "A", "Ω", "ohm", "s", "Hz"].iter().find_map(|unit| letters.strip_suffix(unit)).unwrap_or(letters);
    let factor = match rest {
        "" => 1.0,
        "p" => 1e-12,
        "n" => 1e-9,
        "u" | "µ" | "μ" => 1e-6,
        "m" => 1e-3,
        "k" => 1e3,
        "M" => 1e6,
        "G" => 1e9,
        _ => return None,
    };
    Some(text[..end].parse::<f64>().ok()? * factor)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::Strategy;

    #[test]
    fn no_digit_that_the_converter_cannot_resolve() {
        for (resolution, expected) in
            [(3.3 / 4096.0, 3), (0.0472, 1), (1.0, 0), (0.001, 3), (0.1 * 0.01, 3), (20.0, 0), (0.0, 3)]
        {
            assert_eq!(decimals(resolution), expected, "{resolution}");
        }
        assert_eq!(fixed(1.78051, 3), "1.781");
        assert_eq!(fixed(-0.0004, 3), "0.000");
        assert_eq!(fixed(f64::NAN, 1), "–");
        assert_eq!([fixed(4.2e16, 0), fixed(1_732_012_345_678.0, 0)], ["4.200e16", "1732012345678"]);
        assert_eq!([fixed(1_732_012_345.678, 3), fixed(52.123_456_7, 7)], ["1732012345.678", "52.1234567"]);
    }

    #[test]
    fn texts_have_no_digit_that_says_nothing() {
        let cases = [2.496695470328283, 0.1 + 0.2, 1732012345678.0, 0.000806, -0.0, 104857.333, 4.0 / 3e6, f64::NAN];
        let six = ["2.4967", "0.3", "1732012345678", "0.000806", "0", "104857", "0.00000133333", "–"];
        assert_eq!(cases.map(|value| short(value, 6)), six);
        assert_eq!(
            [set_value(4700.0, "Ω"), set_value(1.2345, "V"), set_value(0.02, "V")],
            ["4.7 kΩ", "1.2345 V", "20 mV"]
        );
        assert_eq!(
            [set_value(0.0, "V"), set_value(104.1965, "mm"), set_value(33620.6, "Ω")],
            ["0 V", "104.197 mm", "33.6206 kΩ"]
        );
        let clean = [4.0 / 3.0, 1732012345.678, 52.12345678, 0.1 + 0.2, 9007199254740991.0, 3.0e-9 / 7.0];
        let expected = [1.33333333333, 1732012345.678, 52.12345678, 0.3, 9007199254740991.0, 4.28571428571e-10];
        assert_eq!(clean.map(cleaned), expected);
    }

    #[test]
    fn prefixes_are_read_and_written() {
        let read = |text: &str| typed(text).ok();
        assert_eq!(
            [read("4.7k"), read("40 mV"), read("1/0,04"), read("10 kΩ"), read("2.2M")].map(Option::unwrap),
            [4700.0, 0.04, 25.0, 1e4, 2.2e6]
        );
        assert_eq!([read("60 ms"), read("2 s"), read("5 kHz"), read("2 x")], [Some(0.06), Some(2.0), Some(5e3), None]);
        let small = NumberFormat::new(0.02, 5, "V");
        assert_eq!([small.number(0.01234, 0), small.number(0.01234, 1), small.unit], ["12.34", "12.340", "mV"]);
        assert_eq!([measured(0.829, 0.0008, "V"), measured(33620.6, 12.0, "Ω")], ["0.829 V", "33.6 kΩ"]);
        let plain = [NumberFormat::new(0.02, 3, "mm"), NumberFormat::new(3.0, 3, "V")]
            .map(|form| form.number(0.01, 0) + &form.unit);
        assert_eq!(plain, ["0.010mm", "0.010V"]);
        assert_eq!(
            [read("1e-3"), read("-5 V"), read("3 mm"), read(""), read("1/0"), read("inf")],
            [Some(1e-3), Some(-5.0), None, None, None, None]
        );
        assert_eq!(
            [si(0.000806, "V"), si(4700.0, "Ω"), si(99.99, "mm"), si(0.0, "V"), si(-0.0012345, "A"), si(1e6, "Ω")],
            ["806 µV", "4.7 kΩ", "99.99 mm", "0 V", "-1.234 mA", "1 MΩ"]
        );
    }

    #[test]
    fn spans_and_counts_in_words() {
        assert_eq!([with_unit(1913, ""), with_unit("1.5", "mm")], ["1913", "1.5 mm"]);
        assert_eq!([grouped(7), grouped(75122), grouped(1204000)], ["7", "75 122", "1 204 000"]);
        assert_eq!([clock(7.9), clock(750.0), clock(3723.0)], ["0:07", "12:30", "1:02:03"]);
        assert_eq!(
            [duration(0.04999), duration(2.5), duration(600.0), duration(0.0025)],
            ["50 ms", "2.5 s", "10 min", "2.5 ms"]
        );
        assert_eq!([bytes(640), bytes(12_400), bytes(3_100_000)], ["640 B", "12.4 kB", "3.1 MB"]);
    }

    proptest::proptest! {
        #[test]
        fn a_text_is_the_shortest_where_writing_its_number_gives_it_back(text in "-?0{0,2}[0-9]{0,9}(\\.[0-9]{0,7}0{0,2})?") {
            let mut out = Vec::new();
            let number = text.parse::<f64>();
            number.iter().for_each(|number| write_shortest(*number, &mut out));
            let digits = text.bytes().filter(u8::is_ascii_digit).count();
            let same = number.is_ok() && out == text.as_bytes() && digits <= 15;
            proptest::prop_assert_eq!(is_shortest(text.as_bytes()), same, "{}", text);
        }

        #[test]
        fn a_line_is_the_shortest_where_each_of_its_texts_is(line in "[0-9]{0,17}|((0{0,2}[0-9]{0,4}|-?[0-9]\\.[0-9]{0,2}),?){0,6}") {
            let each = line.split(',').all(|text| is_shortest(text.as_bytes()));
            proptest::prop_assert_eq!(are_shortest(line.as_bytes()), each, "{}", line);
        }

        #[test]
        fn the_shortest_text_is_as_short_as_that_of_the_standard_library_and_reads_back(
            value in proptest::prop_oneof![
                proptest::num::f64::ANY,
                -1e6f64..1e6,
                (-9_999_999i64..9_999_999, 0i32..8).prop_map(|(digits, places)| digits as f64 / 10f64.powi(places)),
            ]
        ) {
            let mut out = Vec::new();
            write_shortest(value, &mut out);
            let plain = if value.is_nan() { String::new() } else { value.to_string() };
            let text = String::from_utf8(out).unwrap();
            // Of two texts that are equally near, either will do.
            proptest::prop_assert_eq!(text.len(), plain.len());
            proptest::prop_assert_eq!(text.parse::<f64>().ok(), plain.parse::<f64>().ok(), "{}", text);
        }
    }
}
