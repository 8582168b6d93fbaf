//! Numbers as a person reads them: as many decimals as the converter resolves and no more, always the same width.

/// The decimals that a step of `resolution` supports: a step of 0.0008 gives 3, of 0.5 gives 0, of 20 gives 0.
/// 3 when the resolution is not known (0, infinite or NaN).
pub fn decimals(resolution: f64) -> usize {
    if !(resolution.is_finite() && resolution > 0.0) {
        return 3;
    }
    // A step of 0.001 that was computed as 0.0010000000000000002 must not lose its digit.
    (-resolution.log10() + 1e-9).floor().clamp(0.0, 9.0) as usize
}

/// `value` with `decimals` decimals; `–` for a gap, an exponent above a thousand millions, never `-0`.
pub fn fixed(value: f64, decimals: usize) -> String {
    if value.is_nan() {
        return "–".into();
    }
    if value.abs() >= 1e9 {
        return format!("{value:.3e}");
    }
    let text = format!("{value:.decimals$}");
    let zero = text.starts_with('-') && text.bytes().all(|b| matches!(b, b'-' | b'0' | b'.'));
    if zero { text[1..].to_owned() } else { text }
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

#[cfg(test)]
mod tests {
    use super::*;

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
        assert_eq!(fixed(4.2e12, 0), "4.200e12");
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
}
