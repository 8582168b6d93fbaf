//! The codec of `marks.csv`: a note at a moment.

use super::when::{self, iso8601};
use super::{csv_row, read_rows, seconds_after};
use amber_core::Stamp;

/// The header row.
pub(super) const HEADER: &[u8] = b"number,time_s,wall_clock,note,values\r\n";

/// A note at a moment.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mark {
    /// From 1, within a take; 0 before the take has given one.
    pub number: u64,
    /// When.
    pub at: Stamp,
    /// What a person typed; may be empty.
    pub note: String,
    /// What the channels said then, in words: `gauge_a 101.2 mm; bed 1.05 kPa`; empty in takes of older versions.
    pub values: String,
}

impl Mark {
    /// The mark as a row, for a take that started at `start`.
    pub(super) fn row(&self, start: Stamp) -> Vec<u8> {
        let mut seconds = Vec::new();
        when::seconds(self.at.0 - start.0, &mut seconds);
        csv_row(&[
            self.number.to_string().into_bytes(),
            seconds,
            iso8601(self.at).into_bytes(),
            self.note.clone().into(),
            self.values.clone().into(),
        ])
    }

    /// Reads the marks of a take that started at `start`; how many rows are no marks is the second.
    pub(super) fn parse(text: &[u8], start: Stamp) -> (Vec<Mark>, u64) {
        read_rows(text, |row| {
            // The start of the table may have moved since; the clock on the wall has not.
            let at = when::parse(row.get(2)?).or_else(|| seconds_after(start, row.get(1)?))?;
            let values = row.get(4).unwrap_or_default().to_owned();
            Some(Mark { number: row.get(0)?.parse().ok()?, at, note: row.get(3)?.to_owned(), values })
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn any_note_comes_back_as_it_was_typed() {
        let start = Stamp(1_700_000_000_000_000_000);
        let notes = ["", "50 mm, still", "she said \"now\"", "two\nlines", "é µ"];
        let marks: Vec<Mark> = (1..)
            .zip(notes)
            .map(|(number, note)| Mark {
                number,
                at: start.plus(number as f64 / 4.0),
                note: note.into(),
                values: format!("a {number} mm; {note}"),
            })
            .collect();
        let file = marks.iter().fold(HEADER.to_vec(), |file, mark| [file, mark.row(start)].concat());
        assert_eq!(Mark::parse(&file, start), (marks.clone(), 0));
        // An older take has no values.
        let older = Mark::parse(b"number,time_s,wall_clock,note\r\n1,0.5,,still\r\n", start).0;
        assert_eq!((older[0].note.as_str(), older[0].values.as_str()), ("still", ""));
        // A note that somebody added by hand, without the end of its line.
        let by_hand = [&file[..], b"6,9.5,,later"].concat();
        assert_eq!(Mark::parse(&by_hand, start).0.last().unwrap().note, "later");
        assert_eq!(Mark::parse(b"number,time_s\r\n1,x\r\n\xff,1,,\r\n", start), (Vec::new(), 2));
    }
}
