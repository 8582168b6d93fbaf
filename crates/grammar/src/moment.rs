//! Dates and times of day as they are written.

/// Digits (`d`) and marks as they must stand.
fn fits(text: &[u8], form: &str) -> bool {
    text.len() >= form.len()
        && form.bytes().zip(text).all(|(form, byte)| if form == b'd' { byte.is_ascii_digit() } else { form == *byte })
}

fn digits(text: &[u8]) -> usize {
    text.iter().take_while(|byte| byte.is_ascii_digit()).count()
}

fn value(text: &[u8]) -> i64 {
    text.iter().fold(0, |value, byte| value.saturating_mul(10).saturating_add(i64::from(byte.saturating_sub(b'0'))))
}

const DATES: [&str; 5] = ["dddd-dd-dd", "dddd/dd/dd", "dd.dd.dddd", "dd/dd/dddd", "dd-dd-dddd"];

/// Year, month and day; of two numbers that could both be the month, the second is, unless slashes part them.
fn date(text: &[u8]) -> Option<(i64, i64, i64)> {
    let form = DATES.iter().find(|form| fits(text, form))?;
    let (year, month, day) = match *form {
        "dddd-dd-dd" | "dddd/dd/dd" => (value(&text[..4]), value(&text[5..7]), value(&text[8..10])),
        _ => {
            let (first, second) = (value(&text[..2]), value(&text[3..5]));
            let is_month_first = second > 12 || (form.contains('/') && first <= 12);
            let (month, day) = if is_month_first { (first, second) } else { (second, first) };
            (value(&text[6..10]), month, day)
        }
    };
    ((1..=12).contains(&month) && (1..=31).contains(&day)).then_some((year, month, day))
}

/// Whether the first of two numbers of a date may be the day as well as the month.
pub(crate) fn is_open(text: &str) -> bool {
    let text = text.as_bytes();
    let is_either = || {
        let (first, second) = (value(&text[..2]), value(&text[3..5]));
        first != second && first.max(second) <= 12
    };
    DATES.iter().find(|form| fits(text, form)).is_some_and(|form| !form.starts_with("dddd")) && is_either()
}

/// The length of a time of day, or of minutes and seconds with a fraction; with what is behind it, a zone included, where a date
/// stands in front.
fn time(text: &[u8], is_dated: bool, comma: bool) -> Option<usize> {
    let hours = digits(text);
    let rest = text.get(hours..)?;
    let tens = |at: usize| rest.get(at).is_some_and(|byte| (b'0'..=b'5').contains(byte));
    if (1..=2).contains(&hours) && fits(rest, ":dd:dd") && tens(1) && tens(4) {
        let mut length = hours + 6;
        let fraction = digits(text.get(length + 1..).unwrap_or_default());
        match text.get(length) {
            Some(b'.') if (1..=9).contains(&fraction) => length += 1 + fraction,
            Some(b',') if comma && is_dated && fraction == 3 && text.get(length + 4) != Some(&b'.') => length += 4,
            _ => {}
        }
        if is_dated {
            let zone = &text[length..];
            length += match zone.first() {
                Some(b'Z') => 1,
                Some(b'+' | b'-') if fits(&zone[1..], "dd:dd") => 6,
                Some(b'+' | b'-') if fits(&zone[1..], "dddd") => 5,
                _ => 0,
            };
        }
        return Some(length);
    }
    ((2..=3).contains(&hours) && fits(rest, ":dd.d") && tens(1)).then(|| hours + 4 + digits(&rest[4..]))
}

/// The length of the moment with which `text` begins, if it begins with one. Without `times`, only what has a date or counts
/// days is one; `comma` says whether a comma may stand in front of thousandths.
pub(crate) fn length(text: &[u8], times: bool, comma: bool) -> Option<usize> {
    let is_over = |length: &usize| match text.get(*length) {
        Some(byte) if byte.is_ascii_digit() => false,
        Some(b':') => !text.get(*length + 1).is_some_and(u8::is_ascii_digit),
        _ => true,
    };
    let found = if date(text).is_some() {
        let behind = text.get(11..).unwrap_or_default();
        let gap = text.get(10).is_some_and(|byte| matches!(byte, b' ' | b'T'));
        match time(behind, true, comma).filter(|_| gap) {
            Some(length) => Some(11 + length),
            None => Some(10),
        }
    } else {
        let days = digits(text);
        match (1..=5).contains(&days) && text[days..].starts_with(b"d ") {
            true => time(&text[days + 2..], false, false).map(|length| days + 2 + length),
            false => time(text, false, false).filter(|_| times),
        }
    };
    found.filter(is_over)
}

/// Its seconds, since 1970 where it has a date, and how many decimals it tells.
pub(crate) fn seconds(text: &str) -> Option<(f64, usize)> {
    let mut rest = text.as_bytes();
    let mut seconds = 0.0;
    if let Some((year, month, day)) = date(rest) {
        seconds = days(year, month, day) as f64 * 86_400.0;
        rest = rest.get(11..).unwrap_or_default();
    } else if let Some(at) = text.find("d ") {
        seconds = text[..at].parse::<f64>().ok()? * 86_400.0;
        rest = &rest[at + 2..];
    }
    let end = rest.iter().position(|byte| matches!(byte, b'Z' | b'+' | b'-')).unwrap_or(rest.len());
    let (mut time, mut decimals) = (0.0, 0);
    for part in rest[..end].split(|byte| *byte == b':').filter(|part| !part.is_empty()) {
        let part: String = part.iter().map(|byte| if *byte == b',' { '.' } else { char::from(*byte) }).collect();
        decimals = part.split_once('.').map_or(0, |(_, fraction)| fraction.len());
        time = time * 60.0 + part.parse::<f64>().ok()?;
    }
    Some((seconds + time, decimals))
}

/// Days since 1970 of a date of the Gregorian calendar (Hinnant's `days_from_civil`).
fn days(year: i64, month: i64, day: i64) -> i64 {
    let year = if month <= 2 { year - 1 } else { year };
    let era = year.div_euclid(400);
    let of_era = year.rem_euclid(400);
    let of_year = (153 * ((month + 9) % 12) + 2) / 5 + day - 1;
    era * 146_097 + of_era * 365 + of_era / 4 - of_era / 100 + of_year - 719_468
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn moments_are_told_from_numbers() {
        for (text, length_of, seconds_of) in [
            ("2025-04-06 21:41:19 'P", Some(19), 1_743_975_679.0),
            ("2025-03-15T14:22:00+02:00]", Some(25), 1_742_048_520.0),
            ("2025-03-15 14:22:00,250 x", Some(23), 1_742_048_520.25),
            ("2024/02/20 | 4", Some(10), 1_708_387_200.0),
            ("20.02.2024 00:00:01,5", Some(19), 1_708_387_201.0),
            ("3d 01:00:00", Some(11), 262_800.0),
            ("0:00:12.5;", Some(9), 12.5),
            ("12:34.5", Some(7), 754.5),
            ("12:34", None, 0.0),
            ("1:20:30:4", None, 0.0),
            ("4024-13-01", None, 0.0),
            ("354:492:221", None, 0.0),
        ] {
            let length = length(text.as_bytes(), true, true);
            assert_eq!(length, length_of, "{text}");
            if let Some(length) = length {
                assert_eq!(seconds(&text[..length]).unwrap().0, seconds_of, "{text}");
            }
        }
    }
}
