//! No text makes the ranking of readings stop the program.

use amber_grammar::{Lines, find};
use proptest::prelude::*;

/// Pieces of lines that mean much, and some that mean nothing.
const PIECES: [&str; 44] = [
    "a",
    "temp",
    "Analog 1",
    "=",
    ":",
    ": ",
    ",",
    ";",
    "|",
    "\t",
    " ",
    "  ",
    "12",
    "3.5",
    "-7",
    "1,234",
    "12 345",
    "0x1F",
    "B0101",
    "06F3",
    "#70",
    "nan",
    "--",
    "ERR",
    "ON",
    "OFF",
    "12:00:01",
    "2025-04-06 21:41:19",
    "3d 01:00:00",
    "{\"s\":\"x\",\"v\":",
    "}",
    "[",
    "]",
    "(",
    ")",
    "kOhm",
    "mV",
    "°",
    "\u{3a9}",
    "é",
    "_",
    "'",
    "1e5",
    "",
];

proptest! {
    #[test]
    fn every_text_is_read_or_not(
        kinds in proptest::collection::vec(proptest::collection::vec(0..PIECES.len(), 0..9), 1..6),
        order in proptest::collection::vec((any::<prop::sample::Index>(), 0..30u32), 1..70),
        joined in any::<bool>(),
        cut in any::<prop::sample::Index>(),
    ) {
        let line = |(kind, seed): &(prop::sample::Index, u32)| {
            let piece = |(place, piece): (usize, &usize)| match *piece {
                12 => (u32::try_from(place).unwrap_or(0) * 7 + seed).to_string(),
                piece => PIECES[piece].to_owned(),
            };
            kind.get(&kinds).iter().enumerate().map(piece).collect::<String>() + "\n"
        };
        let text: String = order.iter().map(line).collect();
        let begin = cut.index(text.len().max(1)).min(text.len()) / 4;
        let text = Lines::of(&text.as_bytes()[begin..]);
        if let Some(found) = find(&text) {
            let table = found.table(&text, joined);
            prop_assert!(table.rows.iter().all(|row| row.len() == table.channels.len()));
        }
    }
}
