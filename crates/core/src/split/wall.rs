//! Dates, times of day and durations as boards and loggers write them: ISO 8601 and its relatives, names of months, `3h12m05s`.

/// Seconds in a day.
const DAY: f64 = 86_400.0;

/// How dates and times are written that can be read in more than one way.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Written {
    /// A comma stands before the fraction of a second.
    pub(super) comma: bool,
    /// In `03/05/2026` the month comes first.
    pub(super) month_first: bool,
    /// What `09:41` alone is; nothing where it is no time.
    pub(super) short: Option<Short>,
}

/// What two numbers of two digits with a colon between are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Short {
    /// Minutes and seconds.
    Minutes,
    /// Hours and minutes.
    Hours,
}

/// A moment that was written.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Moment {
    /// With a date, the seconds since 1970-01-01T00:00 on the same clock; without, those since midnight.
    pub(super) seconds: f64,
    /// The digits after the point of the second.
    pub(super) decimals: u8,
}

/// Exactly so many digits, 18 at most, at the start of `text`.
fn number(text: &[u8], digits: usize) -> Option<i64> {
    let own = text.get(..digits)?;
    let whole = digits <= 18 && own.iter().all(u8::is_ascii_digit) && !text.get(digits).is_some_and(u8::is_ascii_digit);
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

/// The date at the start of `text` and its length: `2024-03-05`, `2024/03/05`, `05.03.2024`, `05.03.24`, `5/3/2024`.
fn date(text: &[u8], month_first: bool) -> Option<(i64, usize)> {
    let (year, month, day) = match number(text, 4) {
        Some(year) => {
            let sign = *text.get(4).filter(|b| matches!(b, b'-' | b'/'))?;
            (text.get(7) == Some(&sign)).then(|| Some((year, number(&text[5..], 2)?, number(&text[8..], 2)?)))??
        }
        None if text.get(1) == Some(&b'/') || text.get(2) == Some(&b'/') => return with_slashes(text, month_first),
        None => {
            // Day and month can only be told apart where the sign is a point.
            let points = text.get(2) == Some(&b'.') && text.get(5) == Some(&b'.');
            let (year, used) = match points.then(|| number(&text[6..], 4))? {
                Some(year) => (year, 10),
                None => (2000 + number(&text[6..], 2)?, 8),
            };
            return in_calendar(year, number(&text[3..], 2)?, number(text, 2)?).map(|days| (days, used));
        }
    };
    in_calendar(year, month, day).map(|days| (days, 10))
}

/// A date with slashes and the year at its end, and its length.
fn with_slashes(text: &[u8], month_first: bool) -> Option<(i64, usize)> {
    let digits = |at: usize| text.get(at..).unwrap_or_default().iter().take_while(|b| b.is_ascii_digit()).count();
    let first = digits(0);
    let second = digits(first + 1);
    let end = first + second + 6;
    if text.get(first + second + 1) != Some(&b'/') || !(1..=2).contains(&second) || digits(end - 4) != 4 {
        return None;
    }
    let (a, b) = (number(text, first)?, number(&text[first + 1..], second)?);
    let (day, month) = if month_first { (b, a) } else { (a, b) };
    in_calendar(number(&text[end - 4..], 4)?, month, day).map(|days| (days, end))
}

/// The days from 1970-01-01 to a date, where there is such a month and day.
fn in_calendar(year: i64, month: i64, day: i64) -> Option<i64> {
    ((1..=12).contains(&month) && (1..=31).contains(&day)).then(|| days(year, month, day))
}

/// The time of day at the start of `text`: `12:59:00`, `7:59:00`, `12:59:00.100`, `12:59:00:100`; with `comma`, a comma may
/// stand before the fraction. Gives seconds, digits of the fraction and length.
fn time(text: &[u8], comma: bool) -> Option<(f64, u8, usize)> {
    let hours = if text.get(1) == Some(&b':') { 1 } else { 2 };
    // What stands behind the hour: `:59:00.100`.
    let rest = text.get(hours..)?;
    let (hour, minute) = (number(text, hours)?, number(rest.get(1..)?, 2)?);
    let second = number(rest.get(4..)?, 2)?;
    let sound = rest[0] == b':' && rest[3] == b':' && hour < 24 && minute < 60 && second <= 60;
    let sign = rest.get(6).copied().unwrap_or(b' ');
    let digits = rest.get(7..).unwrap_or_default().iter().take_while(|b| b.is_ascii_digit()).count();
    // Behind a colon there are milliseconds, and no more.
    let thousandths = sign == b':' && digits == 3 && rest.get(10) != Some(&b':');
    if !sound || (sign == b':' && !thousandths) {
        return None;
    }
    let whole = (hour * 3600 + minute * 60 + second) as f64;
    // `50,500.0` are two numbers.
    let has_comma = comma && sign == b',' && rest.get(7 + digits) != Some(&b'.');
    let has_fraction = thousandths || sign == b'.' || has_comma;
    if !has_fraction || !(1..=9).contains(&digits) {
        return Some((whole, 0, hours + 6));
    }
    let fraction = number(&rest[7..], digits)? as f64 / 10f64.powi(digits as i32);
    Some((whole + fraction, digits as u8, hours + 7 + digits))
}

/// A time of day without seconds, as it stands behind a date: `23:59`.
fn to_the_minute(text: &[u8]) -> Option<(f64, u8, usize)> {
    let hours = if text.get(1) == Some(&b':') { 1 } else { 2 };
    let (hour, minute) = (number(text, hours)?, number(text.get(hours + 1..)?, 2)?);
    let end = hours + 3;
    let sound = text[hours] == b':' && hour < 24 && minute < 60 && !matches!(text.get(end), Some(b':' | b'.'));
    sound.then_some(((hour * 3600 + minute * 60) as f64, 0, end))
}

/// The same with the half of the day behind it, where that is written: `10:15:30 PM`.
fn time_of_day(text: &[u8], comma: bool) -> Option<(f64, u8, usize)> {
    let (seconds, decimals, used) = time(text, comma)?;
    let blank = usize::from(text.get(used) == Some(&b' '));
    let half = text.get(used + blank..used + blank + 2).unwrap_or_default();
    let ends = !text.get(used + blank + 2).is_some_and(u8::is_ascii_alphanumeric);
    let is_pm = half.eq_ignore_ascii_case(b"PM");
    if !(1.0..13.0).contains(&(seconds / 3600.0).floor()) || !ends || !(is_pm || half.eq_ignore_ascii_case(b"AM")) {
        return Some((seconds, decimals, used));
    }
    Some((seconds % (DAY / 2.0) + if is_pm { DAY / 2.0 } else { 0.0 }, decimals, used + blank + 2))
}

const WEEKDAYS: [&str; 7] = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];
const MONTHS: [&str; 12] = [
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
];

/// The place in `names` of the word at the start of `text`, in full or its first three letters, and what follows it, signs
/// and blanks left out.
fn named<'a>(names: &[&str], text: &'a [u8]) -> Option<(i64, &'a [u8])> {
    let length = text.iter().take_while(|b| b.is_ascii_alphabetic()).count();
    let word = &text[..length];
    let is = |name: &&str| word == name.as_bytes() || (length == 3 && word == &name.as_bytes()[..3]);
    let place = names.iter().position(is)?;
    Some((place as i64, behind_signs(&text[length..])))
}

fn behind_signs(text: &[u8]) -> &[u8] {
    &text[text.iter().take_while(|b| matches!(b, b' ' | b',' | b'.')).count()..]
}

/// One or two digits, or four of a year, and what follows.
fn of_date(text: &[u8], year: bool) -> Option<(i64, &[u8])> {
    let digits = text.iter().take_while(|b| b.is_ascii_digit()).count();
    let fits = if year { digits == 4 } else { (1..=2).contains(&digits) && text.get(digits) != Some(&b':') };
    let value = number(text, digits).filter(|_| fits)?;
    Some((value, behind_signs(&text[digits..])))
}

/// A time of day behind a date with the name of its month, and its length: `Mon 5 Mar 23:59:59`, `Mar  5 2024 23:59:59`,
/// `Mon Mar  5 23:59:59 2024`. Without a year the day is not known.
fn with_month(text: &[u8], comma: bool) -> Option<(Moment, usize)> {
    let rest = named(&WEEKDAYS, text).map_or(text, |(_, rest)| rest);
    let (month, day, rest) = match named(&MONTHS, rest) {
        Some((month, rest)) => {
            let (day, rest) = of_date(rest, false)?;
            (month, day, rest)
        }
        None => {
            let (day, rest) = of_date(rest, false)?;
            let (month, rest) = named(&MONTHS, rest)?;
            (month, day, rest)
        }
    };
    let (mut year, rest) = of_date(rest, true).map_or((None, rest), |(year, rest)| (Some(year), rest));
    let (seconds, decimals, used) = time_of_day(rest, comma)?;
    let mut end = text.len() - rest.len() + used;
    if let Some((own, _)) = of_date(text[end..].strip_prefix(b" ").unwrap_or_default(), true).filter(|_| year.is_none())
    {
        // A number that belongs to something else is seldom a year of this time.
        if (2000..2100).contains(&own) {
            year = Some(own);
            end += 5;
        }
    }
    let days = year.map_or(0, |year| days(year, month + 1, day));
    Some((Moment { seconds: days as f64 * DAY + seconds, decimals }, end))
}

/// Minutes and seconds with a fraction, and their length: `09:41.5`.
fn minutes(text: &[u8]) -> Option<(Moment, usize)> {
    let (minute, second) = (number(text, 2)?, number(text.get(3..)?, 2)?);
    let digits = text.get(6..)?.iter().take_while(|b| b.is_ascii_digit()).count();
    let sound = text[2] == b':' && text[5] == b'.' && minute < 60 && second < 60 && (1..=6).contains(&digits);
    let ends = !text.get(6 + digits).is_some_and(|b| b.is_ascii_alphanumeric() || matches!(b, b':' | b'.'));
    let fraction = number(&text[6..], digits)? as f64 / 10f64.powi(digits as i32);
    let seconds = (minute * 60 + second) as f64 + fraction;
    (sound && ends).then_some((Moment { seconds, decimals: digits as u8 }, 6 + digits))
}

/// A duration in units that are written out, at least two of them and the last of them seconds, and its length:
/// `3h12m05s`, `1d 02h 03m 04s`, `1d 02:03:04`.
fn duration(text: &[u8]) -> Option<(Moment, usize)> {
    let (mut seconds, mut at, mut parts) = (0.0, 0, 0);
    // `1d 02:03:04`
    let digits = text.iter().take_while(|b| b.is_ascii_digit()).count();
    let behind = text.get(digits..).and_then(|rest| rest.strip_prefix(b"d ")).and_then(|rest| time(rest, false));
    if let (Some((of_day, decimals, used)), Some(days)) = (behind, number(text, digits).filter(|_| digits <= 5)) {
        return Some((Moment { seconds: days as f64 * DAY + of_day, decimals }, digits + 2 + used));
    }
    for (unit, length) in [(b'd', DAY), (b'h', 3600.0), (b'm', 60.0), (b's', 1.0)] {
        let begin = at + usize::from(parts > 0 && text.get(at) == Some(&b' '));
        let digits = text[begin..].iter().take_while(|b| b.is_ascii_digit()).count();
        if !(1..=5).contains(&digits) || text.get(begin + digits) != Some(&unit) {
            continue;
        }
        seconds += number(&text[begin..], digits)? as f64 * length;
        (at, parts) = (begin + digits + 1, parts + 1);
    }
    let whole = parts >= 2 && text[at - 1] == b's' && !text.get(at).is_some_and(u8::is_ascii_alphanumeric);
    whole.then_some((Moment { seconds, decimals: 0 }, at))
}

/// A date and time in the basic form of ISO 8601, `20240305T235959Z`, and its length.
fn basic(text: &[u8]) -> Option<(Moment, usize)> {
    let (date, of_day) = (number(text, 8)?, text.get(8..)?.strip_prefix(b"T").and_then(|time| number(time, 6))?);
    let days = in_calendar(date / 10_000, date / 100 % 100, date % 100)?;
    let (hour, minute, second) = (of_day / 10_000, of_day / 100 % 100, of_day % 100);
    let end = 15 + usize::from(text.get(15) == Some(&b'Z'));
    let sound = hour < 24 && minute < 60 && second <= 60 && !text.get(end).is_some_and(u8::is_ascii_alphanumeric);
    let seconds = days as f64 * DAY + (hour * 3600 + minute * 60 + second) as f64;
    sound.then_some((Moment { seconds, decimals: 0 }, end))
}

/// Minutes and seconds, or hours and minutes, of two digits each, and their length: `09:41`.
fn short(text: &[u8], short: Short) -> Option<(Moment, usize)> {
    let (front, back) = (number(text, 2)?, number(text.get(3..)?, 2)?);
    let ends = !text.get(5).is_some_and(|b| b.is_ascii_alphanumeric() || matches!(b, b':' | b'.'));
    let (most, unit) = if short == Short::Minutes { (60, 1) } else { (24, 60) };
    let sound = text[2] == b':' && front < most && back < 60 && ends;
    sound.then_some((Moment { seconds: ((front * 60 + back) * unit) as f64, decimals: 0 }, 5))
}

/// The moment, date or duration at the start of `text` and its length, the zone included where one is written.
pub(super) fn moment(text: &[u8], written: Written) -> Option<(Moment, usize)> {
    let comma = written.comma;
    match text.first()? {
        b'0'..=b'9' => {}
        b'A'..=b'Z' => {
            // `Thu 2026/03/05 23:59:50`
            let numbers =
                named(&WEEKDAYS, text).map(|(_, rest)| rest).filter(|rest| date(rest, written.month_first).is_some());
            return match numbers {
                Some(rest) => moment(rest, written).map(|(found, used)| (found, text.len() - rest.len() + used)),
                None => with_month(text, comma),
            };
        }
        _ => return None,
    }
    if let Some(found) = basic(text) {
        return Some(found);
    }
    let Some((days, used)) = date(text, written.month_first) else {
        let time = time_of_day(text, comma).map(|(seconds, decimals, used)| (Moment { seconds, decimals }, used));
        let found = time.or_else(|| minutes(text)).or_else(|| duration(text)).or_else(|| with_month(text, comma));
        return found.or_else(|| short(text, written.short?));
    };
    // The time may stand in a cell of its own.
    let gap = text.get(used).filter(|b| matches!(b, b'T' | b' ' | b'_' | b't' | b',' | b';' | b'\t'));
    let blank = |b: &&u8| matches!(b, b' ' | b'\t');
    let behind = used + usize::from(gap.is_some());
    let behind = behind + text.get(behind..).unwrap_or_default().iter().take_while(blank).count();
    let time =
        gap.and_then(|_| text.get(behind..)).and_then(|text| time_of_day(text, comma).or_else(|| to_the_minute(text)));
    let Some((of_day, decimals, length)) = time else {
        let ends = !text.get(used).is_some_and(|b| b.is_ascii_alphanumeric() || matches!(b, b'-' | b'/' | b'.' | b':'));
        // Without a time, a year of two digits may be anything.
        return (ends && used >= 9).then_some((Moment { seconds: days as f64 * DAY, decimals: 0 }, used));
    };
    let mut seconds = days as f64 * DAY + of_day;
    let mut end = behind + length;
    match text.get(end) {
        Some(b'Z') => end += 1,
        Some(sign @ (b'+' | b'-')) if matches!(gap, Some(b'T' | b't' | b'_')) => {
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
        let read =
            |text: &str| moment(text.as_bytes(), Written::default()).map(|(moment, used)| (moment.seconds, used));
        assert_eq!(read("12:59:00.100 -> 432"), Some((46_740.1, 12)));
        assert_eq!(read("12:58:00,837"), Some((46_680.0, 8)));
        assert_eq!(
            moment(b"12:58:00,837,2", Written { comma: true, ..Written::default() })
                .map(|m| (m.0.seconds, m.0.decimals)),
            Some((46_680.837, 3))
        );
        // `date -u -d @1709683199`
        assert_eq!(read("2024/03/05 23:59:59 temp"), Some((1_709_683_199.0, 19)));
        assert_eq!(read("05.03.2024 23:59:59"), Some((1_709_683_199.0, 19)));
        assert_eq!(read("2024-03-05T23:59:59Z,1"), Some((1_709_683_199.0, 20)));
        assert_eq!(read("2024-03-06T01:29:59.5+01:30 x"), Some((1_709_683_199.5, 27)));
        assert_eq!(read("2024-03-05T15:59:59-0800"), Some((1_709_683_199.0, 24)));
        for apart in ["2024-03-05,23:59:59", "05.03.2024;23:59:59", "2024/03/05\t 23:59:59", "2024-03-05; 23:59:59"] {
            assert_eq!(read(apart), Some((1_709_683_199.0, apart.len())), "{apart}");
        }
        // `date -u -d @1709596800`
        assert_eq!(read("2024-03-05,837"), Some((1_709_596_800.0, 10)));
        assert_eq!(read("05.03.2024"), Some((1_709_596_800.0, 10)));
        assert_eq!(read("2024-03-05 23:59,7"), Some((1_709_683_140.0, 16)));
        assert_eq!(read("05.03.2024 7:05 x"), Some((1_709_622_300.0, 15)));
        assert_eq!(read("2024-03-05 23:61"), Some((1_709_596_800.0, 10)));
        assert_eq!(read("12:59:00:100 432"), Some((46_740.1, 12)));
        assert_eq!(read("20240305T235959Z,4"), Some((1_709_683_199.0, 16)));
        assert_eq!(read("09:41.5 837"), Some((581.5, 7)));
        assert_eq!(read("1:02:03.5,7"), Some((3723.5, 9)));
        assert_eq!(read("05.03.24 23:59:59"), Some((1_709_683_199.0, 17)));
        assert_eq!(read("12:05:00 AM, 1"), Some((300.0, 11)));
        assert_eq!(read("11:59:59pm"), Some((86_399.0, 10)));
        assert_eq!(read("13:00:00 AM"), Some((46_800.0, 8)));
        assert_eq!(read("12:00:00 AMPS"), Some((43_200.0, 8)));
        for date in ["Tue Mar  5 23:59:59 2024", "Tuesday, 5 March 2024 23:59:59", "Mar 5 2024, 11:59:59 PM"] {
            assert_eq!(read(date), Some((1_709_683_199.0, date.len())), "{date}");
        }
        assert_eq!(read("Mar  5 23:59:59 flume: 4"), Some((86_399.0, 15)));
        assert_eq!(read("5 Mar 23:59:59 1023"), Some((86_399.0, 14)));
        assert_eq!(read("3h12m05s 23.4"), Some((11_525.0, 8)));
        assert_eq!(read("1d 00:00:04, 7"), Some((86_404.0, 11)));
        assert_eq!(read("1d 02h 03m 04s"), Some((93_784.0, 14)));
        let month_first = |text: &str| {
            let written = Written { month_first: true, ..Written::default() };
            moment(text.as_bytes(), written).map(|(moment, used)| (moment.seconds, used))
        };
        assert_eq!(read("05/03/2024 23:59:59,1"), Some((1_709_683_199.0, 19)));
        assert_eq!(read("Tue 5/3/2024 11:59:59 PM"), Some((1_709_683_199.0, 24)));
        assert_eq!(month_first("3/5/2024 23:59:59"), Some((1_709_683_199.0, 17)));
        assert_eq!((read("12/31/2024"), month_first("12/31/2024")), (None, Some((1_735_603_200.0, 10))));
        let of = |short: Short, text: &str| {
            moment(text.as_bytes(), Written { short: Some(short), ..Written::default() }).map(|found| found.0.seconds)
        };
        assert_eq!((of(Short::Minutes, "09:41 8"), of(Short::Hours, "09:41 8")), (Some(581.0), Some(34_860.0)));
        assert_eq!((of(Short::Hours, "24:01"), of(Short::Minutes, "09:415")), (None, None));
        for none in ["3m", "5s", "3h12m", "3h12m05sx", "Marble 5", "May 5", "Mon 5 volts"] {
            assert_eq!(read(none), None, "{none}");
        }
        for none in [
            "754:236:148",
            "24:00:00",
            "12:61:00",
            "12:59",
            "1:2:3",
            "09:41",
            "09:61.5",
            "20241305T235959",
            "20240305T2359",
            "01.03.24",
            "2024-13-05 00:00:00",
            "x",
            "",
            "12:34:56:78",
            "12:34:56:789:1",
            "2024-03-05-1",
            "05.03.2024.7",
            "99999999999999999999999d 00:00:04",
            "9999999999999999999999h1m1s",
        ] {
            assert_eq!(read(none), None, "{none}");
        }
    }
}
