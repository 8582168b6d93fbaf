//! Dates and times of day as boards and loggers write them: ISO 8601 and its relatives.

/// Seconds in a day.
const DAY: f64 = 86_400.0;

/// A moment that was written.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Moment {
    /// With a date, the seconds since 1970-01-01T00:00 on the same clock; without, those since midnight.
    pub(super) seconds: f64,
    /// The digits after the point of the second.
    pub(super) decimals: u8,
}

/// Exactly so many digits at the start of `text`.
fn number(text: &[u8], digits: usize) -> Option<i64> {
    let own = text.get(..digits)?;
    let whole = own.iter().all(u8::is_ascii_digit) && !text.get(digits).is_some_and(u8::is_ascii_digit);
    whole.then(|| own.iter().fold(0, |value, digit| value * 10 + i64::from(digit - b'0')))
}

/// The days from 1970-01-01 to a date of the Gregorian calendar (H. Hinnant, "chrono-compatible low-level date
/// algorithms", 2013).
fn days(year: i64, month: i64, day: i64) -> i64 {
    let year = if month <= 2 { year - 1 } else { year };
    let era = year.div_euclid(400);
    let of_era = year - era * 400;
    let of_year = (153 * ((month + 9) % 12) + 2) / 5 + day - 1;
    era * 146_097 + of_era * 365 + of_era / 4 - of_era / 100 + of_year - 719_468
}

/// The date at the start of `text` and its length: `2024-03-05`, `2024/03/05`, `05.03.2024`.
fn date(text: &[u8]) -> Option<(i64, usize)> {
    let (year, month, day) = match number(text, 4) {
        Some(year) => {
            let sign = *text.get(4).filter(|b| matches!(b, b'-' | b'/'))?;
            (text.get(7) == Some(&sign)).then(|| Some((year, number(&text[5..], 2)?, number(&text[8..], 2)?)))??
        }
        None => {
            // Day and month can only be told apart where the sign is a point.
            let points = text.get(2) == Some(&b'.') && text.get(5) == Some(&b'.');
            points.then(|| Some((number(&text[6..], 4)?, number(&text[3..], 2)?, number(text, 2)?)))??
        }
    };
    let sound = (1..=12).contains(&month) && (1..=31).contains(&day);
    sound.then(|| (days(year, month, day), 10))
}

/// The time of day at the start of `text`: `12:59:00`, `12:59:00.100`; with `comma`, a comma may stand before the
/// fraction. Gives seconds, digits of the fraction and length.
fn time(text: &[u8], comma: bool) -> Option<(f64, u8, usize)> {
    let (hour, minute, second) = (number(text, 2)?, number(text.get(3..)?, 2)?, number(text.get(6..)?, 2)?);
    let sound = text[2] == b':' && text[5] == b':' && hour < 24 && minute < 60 && second <= 60;
    if !sound || text.get(8) == Some(&b':') {
        return None;
    }
    let whole = (hour * 3600 + minute * 60 + second) as f64;
    let point = text.get(8).is_some_and(|b| *b == b'.' || (comma && *b == b','));
    let digits = text.get(9..).unwrap_or_default().iter().take_while(|b| b.is_ascii_digit()).count();
    if !point || !(1..=9).contains(&digits) {
        return Some((whole, 0, 8));
    }
    let fraction = number(&text[9..], digits)? as f64 / 10f64.powi(digits as i32);
    Some((whole + fraction, digits as u8, 9 + digits))
}

/// The moment at the start of `text` and its length, the zone included where one is written.
pub(super) fn moment(text: &[u8], comma: bool) -> Option<(Moment, usize)> {
    if !text.first()?.is_ascii_digit() {
        return None;
    }
    let Some((days, used)) = date(text) else {
        let (seconds, decimals, used) = time(text, comma)?;
        return Some((Moment { seconds, decimals }, used));
    };
    let gap = text.get(used).filter(|b| matches!(b, b'T' | b' ' | b'_' | b't'))?;
    let blanks = if *gap == b' ' { text[used..].iter().take_while(|b| **b == b' ').count() } else { 1 };
    let (of_day, decimals, length) = time(&text[used + blanks..], comma)?;
    let mut seconds = days as f64 * DAY + of_day;
    let mut end = used + blanks + length;
    match text.get(end) {
        Some(b'Z') => end += 1,
        Some(sign @ (b'+' | b'-')) if *gap != b' ' => {
            let zone = &text[end + 1..];
            let hours = number(zone, 2).map(|hours| (hours, 2)).or_else(|| number(zone, 4).map(|all| (all / 100, 4)));
            if let Some((hours, digits)) = hours {
                let minutes = match (digits, zone.get(2)) {
                    (4, _) => (number(zone, 4).unwrap_or(0) % 100, 4),
                    (_, Some(b':')) => number(&zone[3..], 2).map_or((0, 2), |minutes| (minutes, 5)),
                    _ => (0, 2),
                };
                let away = (hours * 3600 + minutes.0 * 60) as f64;
                seconds += if *sign == b'+' { -away } else { away };
                end += 1 + minutes.1;
            }
        }
        _ => {}
    }
    Some((Moment { seconds, decimals }, end))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn moments_as_they_are_written() {
        let read = |text: &str| moment(text.as_bytes(), false).map(|(moment, used)| (moment.seconds, used));
        assert_eq!(read("12:59:00.100 -> 432"), Some((46_740.1, 12)));
        assert_eq!(read("12:58:00,837"), Some((46_680.0, 8)));
        assert_eq!(moment(b"12:58:00,837,2", true).map(|m| (m.0.seconds, m.0.decimals)), Some((46_680.837, 3)));
        // `date -u -d @1709683199`
        assert_eq!(read("2024/03/05 23:59:59 temp"), Some((1_709_683_199.0, 19)));
        assert_eq!(read("05.03.2024 23:59:59"), Some((1_709_683_199.0, 19)));
        assert_eq!(read("2024-03-05T23:59:59Z,1"), Some((1_709_683_199.0, 20)));
        assert_eq!(read("2024-03-06T01:29:59.5+01:30 x"), Some((1_709_683_199.5, 27)));
        assert_eq!(read("2024-03-05T15:59:59-0800"), Some((1_709_683_199.0, 24)));
        for none in
            ["754:236:148", "24:00:00", "12:61:00", "12:59", "1:02:03", "2024-13-05 00:00:00", "x", "", "12:34:56:78"]
        {
            assert_eq!(read(none), None, "{none}");
        }
    }
}
