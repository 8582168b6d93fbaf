//! Stamps as text.

use super::columns::Style;
use amber_core::Stamp;
use amber_core::clock::Across;
use amber_core::digits::write_shortest;
use jiff::Timestamp;

/// A stamp in ISO 8601, UTC, to the microsecond: `2026-03-01T12:00:00.250000Z`.
pub fn iso8601(at: Stamp) -> String {
    let mut out = Vec::new();
    WallClock::default().write(at, &mut out);
    String::from_utf8_lossy(&out).into_owned()
}

/// Reads a stamp as [`iso8601`] writes it.
pub(super) fn parse(text: &str) -> Option<Stamp> {
    let nanoseconds = text.parse::<Timestamp>().ok()?.as_nanosecond();
    i64::try_from(nanoseconds).ok().map(Stamp)
}

/// Writes stamps in ISO 8601; remembers the second, which is the same for many rows.
#[derive(Debug, Default)]
pub(super) struct WallClock {
    second: Option<i64>,
    text: String,
}

impl WallClock {
    pub(super) fn write(&mut self, at: Stamp, out: &mut Vec<u8>) {
        let second = at.0.div_euclid(1_000_000_000);
        if self.second != Some(second) {
            self.second = Some(second);
            let moment = Timestamp::from_second(second).unwrap_or(Timestamp::UNIX_EPOCH);
            self.text = moment.strftime("%Y-%m-%dT%H:%M:%S").to_string();
        }
        out.extend_from_slice(self.text.as_bytes());
        out.push(b'.');
        padded(at.0.rem_euclid(1_000_000_000) / 1000, 6, out);
        out.push(b'Z');
    }
}

/// Nanoseconds as seconds with six decimals, cut, not rounded: `12.250000`.
pub fn seconds_text(nanoseconds: i64) -> String {
    let mut out = Vec::new();
    seconds(nanoseconds, &mut out);
    String::from_utf8_lossy(&out).into_owned()
}

/// `nanoseconds` as seconds with six decimals, cut, not rounded, so that they agree with the wall clock.
pub(super) fn seconds(nanoseconds: i64, out: &mut Vec<u8>) {
    let micros = nanoseconds.div_euclid(1000);
    if micros < 0 {
        out.push(b'-');
    }
    let micros = micros.unsigned_abs();
    out.extend_from_slice(itoa::Buffer::new().format(micros / 1_000_000).as_bytes());
    out.push(b'.');
    padded((micros % 1_000_000) as i64, 6, out);
}

/// `nanoseconds` in the unit of what rows are counted by, as a cell of a table.
pub(super) fn along(across: Across, nanoseconds: i64, style: Style, out: &mut Vec<u8>) {
    let begin = out.len();
    match across {
        Across::Seconds => seconds(nanoseconds, out),
        Across::Rows(_) => {
            // Where a text with a clock came behind one without, its rows lie between whole numbers.
            let rows = across.of(Stamp(nanoseconds).seconds_since(Stamp(0)));
            write_shortest((rows * 1e4).round() / 1e4, out);
        }
    }
    style.point(&mut out[begin..]);
}

/// A whole number from 0 with zeros in front.
pub(super) fn padded(number: i64, width: usize, out: &mut Vec<u8>) {
    let mut buffer = itoa::Buffer::new();
    let digits = buffer.format(number);
    out.extend(std::iter::repeat_n(b'0', width.saturating_sub(digits.len())));
    out.extend_from_slice(digits.as_bytes());
}
