//! Text to numbers. A hand path for digits and a point, which is nearly everything a board sends; the rest goes to a
//! general parser.

/// A number as it was written.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Number {
    /// The value; NaN for `nan`, `inf`, `-inf` and `ovf`, which all mean that there is no reading: a gap.
    pub value: f64,
    /// The digits written after the point, which tell how fine the board reports.
    pub decimals: u8,
}

/// Powers of ten that a double holds exactly; with a mantissa below 2^53 one division is then correctly rounded
/// (Clinger, "How to read floating point numbers accurately", 1990).
const TENS: [f64; 23] = [
    1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18, 1e19, 1e20,
    1e21, 1e22,
];

/// Reads the number at the start of `text`; gives it and how many bytes it took, or `None` when there is none.
#[inline(always)]
pub fn scan_number(text: &[u8]) -> Option<(Number, usize)> {
    scan::<b'.'>(text)
}

/// The same for numbers with a decimal comma.
///
/// Points may part its thousands then: `1.234,56`.
#[inline(always)]
pub(super) fn scan_with_comma(text: &[u8]) -> Option<(Number, usize)> {
    let found = scan::<b','>(text)?;
    if text.get(found.1) != Some(&b'.') {
        return Some(found);
    }
    Some(with_points(text).unwrap_or(found))
}

#[cold]
fn with_points(text: &[u8]) -> Option<(Number, usize)> {
    let length = pointed_length(text)?;
    let plain: Vec<u8> = text[..length].iter().copied().filter(|b| *b != b'.').collect();
    Some((scan::<b','>(&plain)?.0, length))
}

/// The length of the number at the start of `text` whose thousands are parted by points and which has a decimal comma;
/// `None` where it is none.
pub(super) fn pointed_length(text: &[u8]) -> Option<usize> {
    let digits = |at: usize| text[at..].iter().take_while(|b| b.is_ascii_digit()).count();
    let begin = usize::from(matches!(text.first(), Some(b'-' | b'+')));
    let front = digits(begin);
    let mut end = begin + front;
    while text.get(end) == Some(&b'.') && digits(end + 1) == 3 {
        end += 4;
    }
    let sound = (1..=3).contains(&front) && text[begin] != b'0' && end > begin + front;
    let behind = if text.get(end) == Some(&b',') { digits(end + 1) } else { 0 };
    (sound && behind > 0).then_some(end + 1 + behind)
}

/// The digits at the start of eight bytes: how many, and the number that they make; 0 where there is none.
///
/// What is left of the bytes when the bits of `'0'` are taken away is a digit where it is below ten, and pairs of digits,
/// then pairs of those, are joined by multiplication.
#[inline(always)]
fn digits_of(eight: [u8; 8]) -> (usize, u64) {
    let values = u64::from_le_bytes(eight) ^ 0x3030_3030_3030_3030;
    // A carry only reaches bytes behind the first one that is no digit.
    let others = (values | values.wrapping_add(0x7676_7676_7676_7676)) & 0x8080_8080_8080_8080;
    let count = others.trailing_zeros() as usize / 8;
    if count == 0 {
        return (0, 0);
    }
    let values = values << (64 - 8 * count);
    let pairs = (values.wrapping_mul(10).wrapping_add(values >> 8)) & 0x00ff_00ff_00ff_00ff;
    let fours = (pairs.wrapping_mul(100).wrapping_add(pairs >> 16)) & 0x0000_ffff_0000_ffff;
    (count, (fours.wrapping_mul(10_000).wrapping_add(fours >> 32)) & 0xffff_ffff)
}

/// The whole number of one to seven digits at place `at` of `text` that stands before `end`, and the place behind that; `None`
/// where there is something else, or the text ends within eight bytes.
#[inline(always)]
pub(super) fn scan_count(text: &[u8], at: usize, end: u8) -> Option<(f64, usize)> {
    let eight: &[u8; 8] = text.get(at..)?.first_chunk()?;
    let (count, number) = digits_of(*eight);
    (eight.get(count) == Some(&end) && count > 0).then_some((number as i64 as f64, at + count + 1))
}

/// The digits at the start of `text`, which are put behind those of `mantissa`, and how many they are. Eight bytes are
/// looked at together, as long as there are so many.
#[inline(always)]
fn digits(text: &[u8], mantissa: &mut u64) -> usize {
    let mut at = 0;
    while let Some(eight) = text.get(at..at + 8).and_then(|eight| eight.try_into().ok()) {
        let (count, number) = digits_of(eight);
        if count == 0 {
            return at;
        }
        *mantissa = mantissa.wrapping_mul(POWERS[count]).wrapping_add(number);
        at += count;
        if count < 8 {
            return at;
        }
    }
    while let Some(digit) = text.get(at).map(|b| b.wrapping_sub(b'0')).filter(|d| *d < 10) {
        *mantissa = mantissa.wrapping_mul(10).wrapping_add(u64::from(digit));
        at += 1;
    }
    at
}

const POWERS: [u64; 9] = [1, 10, 100, 1000, 10_000, 100_000, 1_000_000, 10_000_000, 100_000_000];

#[inline(always)]
fn scan<const POINT: u8>(text: &[u8]) -> Option<(Number, usize)> {
    let negative = text.first() == Some(&b'-');
    let start = usize::from(negative || text.first() == Some(&b'+'));
    let mut mantissa: u64 = 0;
    let mut count = digits(&text[start..], &mut mantissa);
    let mut at = start + count;
    let mut decimals = 0;
    if text.get(at) == Some(&POINT) {
        decimals = digits(&text[at + 1..], &mut mantissa);
        // `12.` is a number; the comma of `12, 5` stands behind one.
        at += if POINT == b'.' || decimals > 0 { 1 + decimals } else { 0 };
        count += decimals;
    }
    let plain = count > 0 && count <= 15 && !matches!(text.get(at), Some(b'e' | b'E' | b'x' | b'X' | b'b' | b'B'));
    if !plain {
        return if POINT == b'.' { scan_general(text) } else { scan_general_comma(text) };
    }
    // Fifteen digits fit the signed kind, which the processor converts at once.
    let whole = mantissa as i64 as f64;
    let size = if decimals == 0 { whole } else { whole / TENS[decimals] };
    let value = if negative { -size } else { size };
    Some((Number { value, decimals: decimals as u8 }, at))
}

/// The general parser knows the point alone: it gets a copy of the number's text.
#[cold]
fn scan_general_comma(text: &[u8]) -> Option<(Number, usize)> {
    if let Some(hexadecimal) = scan_hexadecimal(text) {
        return Some(hexadecimal);
    }
    let end = text.iter().position(|b| matches!(b, b' ' | b'\t' | b';')).unwrap_or(text.len());
    let with_point: Vec<u8> = text[..end].iter().map(|b| if *b == b',' { b'.' } else { *b }).collect();
    scan_general(&with_point)
}

/// The digits after `0x`, at most sixteen of them that are no leading zeros.
fn scan_hexadecimal(text: &[u8]) -> Option<(Number, usize)> {
    let digits = text.strip_prefix(b"0x").or(text.strip_prefix(b"0X"))?;
    let (mut value, mut length) = (0u64, 0);
    while let Some(digit) = digits.get(length).and_then(|b| char::from(*b).to_digit(16)) {
        if value >> 60 != 0 {
            return None;
        }
        value = value << 4 | u64::from(digit);
        length += 1;
    }
    (length > 0).then_some((Number { value: value as f64, decimals: 0 }, length + 2))
}

/// The digits after `0b`, two to fifty-three of them.
fn scan_binary(text: &[u8]) -> Option<(Number, usize)> {
    let digits = text.strip_prefix(b"0b").or(text.strip_prefix(b"0B"))?;
    let length = digits.iter().take_while(|b| matches!(b, b'0' | b'1')).count();
    let whole = (2..=53).contains(&length) && !digits.get(length).is_some_and(u8::is_ascii_alphanumeric);
    let value = digits[..length].iter().fold(0u64, |value, digit| value * 2 + u64::from(digit - b'0'));
    whole.then_some((Number { value: value as f64, decimals: 0 }, length + 2))
}

/// Exponents, hexadecimal, binary, very long numbers and the words for "no reading".
#[cold]
fn scan_general(text: &[u8]) -> Option<(Number, usize)> {
    if let Some(other) = scan_hexadecimal(text).or_else(|| scan_binary(text)) {
        return Some(other);
    }
    let end = text
        .iter()
        .position(|b| !matches!(b, b'0'..=b'9' | b'+' | b'-' | b'.' | b'e' | b'E' | b'a'..=b'z' | b'A'..=b'Z'));
    let word = &text[..end.unwrap_or(text.len())];
    let plain = word.strip_prefix(b"-").or(word.strip_prefix(b"+")).unwrap_or(word);
    if ["nan", "inf", "ovf"].iter().any(|gap| plain.eq_ignore_ascii_case(gap.as_bytes())) {
        return Some((Number { value: f64::NAN, decimals: 0 }, word.len()));
    }
    if !plain.first().is_some_and(|b| b.is_ascii_digit() || *b == b'.') {
        return None;
    }
    let (value, used): (f64, usize) = fast_float2::parse_partial(text).ok()?;
    let written = &text[..used];
    let mantissa = written.split(|b| matches!(b, b'e' | b'E')).next().unwrap_or(written);
    let after_point = mantissa.iter().position(|b| *b == b'.').map_or(0, |point| mantissa.len() - point - 1);
    let exponent = match written.get(mantissa.len() + 1..) {
        Some(text) => std::str::from_utf8(text).ok().and_then(|t| t.parse::<i64>().ok()).unwrap_or(0),
        None => 0,
    };
    let decimals = (after_point as i64).saturating_sub(exponent).clamp(0, 15) as u8;
    // An overflowing exponent is no reading either.
    let value = if value.is_finite() { value } else { f64::NAN };
    Some((Number { value, decimals }, used))
}

/// Reads `text` as one number, all of it, after spaces and tabs around it are taken off.
pub fn number(text: &[u8]) -> Option<Number> {
    let text = text.trim_ascii();
    let (number, used) = scan_number(text)?;
    (used == text.len()).then_some(number)
}

/// The same for a number with a decimal comma.
pub(super) fn number_with_comma(text: &[u8]) -> Option<Number> {
    let text = text.trim_ascii();
    let (number, used) = scan_with_comma(text)?;
    (used == text.len()).then_some(number)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn what_boards_write() {
        let read = |text: &str| number(text.as_bytes()).map(|n| (n.value, n.decimals));
        assert_eq!(read("2210"), Some((2210.0, 0)));
        assert_eq!(read(" -1.781 "), Some((-1.781, 3)));
        assert_eq!(read("+.5"), Some((0.5, 1)));
        assert_eq!(read("7."), Some((7.0, 0)));
        assert_eq!(read("1.25e-3"), Some((0.00125, 5)));
        assert_eq!(read("0x8A2"), Some((2210.0, 0)));
        assert_eq!(read("0b00111101"), Some((61.0, 0)));
        assert_eq!(read("0b2"), None);
        assert_eq!(number_with_comma(b"-1,78").map(|n| (n.value, n.decimals)), Some((-1.78, 2)));
        assert_eq!(number_with_comma(b"1,5e3").map(|n| n.value), Some(1500.0));
        assert_eq!(read("12345678901234567890"), Some((12345678901234567890.0, 0)));
        for none in ["", "-", ".", "abc", "12x", "1 2", "e5", "0x", "0xg", "--3", "infinity", "1.2.3"] {
            assert_eq!(read(none), None, "{none:?}");
        }
        for gap in ["nan", "NaN", "-inf", "OVF", "1e999"] {
            assert!(read(gap).expect(gap).0.is_nan(), "{gap:?}");
        }
    }

    proptest! {
        #[test]
        fn digits_end_where_they_end(text in "[0-9]{0,20}[ -~]{0,3}[0-9]{0,9}|[\\x00-\\x7f\u{80}-\u{ff}]{0,12}") {
            let (bytes, mut mantissa) = (text.as_bytes(), 7);
            let count = digits(bytes, &mut mantissa);
            let plain = bytes.iter().take_while(|b| b.is_ascii_digit()).count();
            let value = bytes[..plain].iter().fold(7u64, |n, b| n.wrapping_mul(10).wrapping_add(u64::from(b - b'0')));
            prop_assert_eq!((count, mantissa), (plain, value));
        }

        #[test]
        fn every_written_double_is_read_as_the_standard_library_reads_it(value in proptest::num::f64::NORMAL, digits in 0usize..12) {
            for text in [format!("{value:e}"), format!("{:.digits$}", value % 1e9)] {
                prop_assert_eq!(number(text.as_bytes()).map(|n| n.value), text.parse::<f64>().ok(), "{}", text);
            }
        }
    }
}
