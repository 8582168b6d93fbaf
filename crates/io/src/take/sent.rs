//! The codec of `sent.csv`: what was sent to the board, told apart from what came.

use super::when::{self, iso8601};
use super::{csv_row, read_rows, seconds_after};
use amber_core::Stamp;
use amber_core::tail::visible;

/// The header row.
pub(super) const HEADER: &[u8] = b"time_s,wall_clock,offset,bytes,text\r\n";

/// Bytes that were sent to the board.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Sent {
    /// When.
    pub at: Stamp,
    /// What.
    pub bytes: Vec<u8>,
}

/// Bytes sent at `at`, as a row, when `offset` bytes had arrived in a take that started at `start`. The bytes stand in
/// hexadecimal, and once more as text that is safe to look at.
pub(super) fn row(start: Stamp, at: Stamp, offset: u64, bytes: &[u8]) -> Vec<u8> {
    let mut seconds = Vec::new();
    when::seconds(at.0 - start.0, &mut seconds);
    let hexadecimal: String = bytes.iter().map(|byte| format!("{byte:02X}")).collect();
    let fields = [
        seconds,
        iso8601(at).into_bytes(),
        offset.to_string().into_bytes(),
        hexadecimal.into_bytes(),
        visible(bytes).into_bytes(),
    ];
    csv_row(&fields)
}

/// Reads what was sent in a take that started at `start`; how many rows make no sense is the second.
pub(super) fn parse(text: &[u8], start: Stamp) -> (Vec<Sent>, u64) {
    read_rows(text, |row| {
        // A row that was torn in its bytes has no text behind them.
        let (digits, _) = (row.get(3)?, row.get(4)?);
        let byte = |at: usize| u8::from_str_radix(digits.get(at..at + 2)?, 16).ok();
        let bytes = (0..digits.len()).step_by(2).map(byte).collect::<Option<Vec<u8>>>()?;
        let at = when::parse(row.get(1)?).or_else(|| seconds_after(start, row.get(0)?))?;
        Some(Sent { at, bytes })
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn any_bytes_come_back() {
        let start = Stamp(1_700_000_000_000_000_000);
        let sent: Vec<Sent> = [&b"stroke 40\r\n"[..], b"\x1b[2J\0\xff", b"a,\"b\""]
            .into_iter()
            .map(|bytes| Sent { at: start.plus(0.25), bytes: bytes.to_vec() })
            .collect();
        let file = sent.iter().fold(HEADER.to_vec(), |file, s| [file, row(start, s.at, 7, &s.bytes)].concat());
        assert_eq!(parse(&file, start), (sent, 0));
        assert!(!file.contains(&0x1b));
        assert!(parse(b"time_s,wall_clock,offset,bytes,text\r\n1,x,0,4,\r\n1,x,0,zz,\r\n", start).0.is_empty());
    }
}
