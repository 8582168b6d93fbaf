//! The codec of `marks.csv`: a note at a moment.

use super::csv_row;
use super::when::{self, iso8601};
use amber_core::Stamp;

/// The header row.
pub(super) const HEADER: &[u8] = b"number,time_s,wall_clock,note\r\n";

/// A note at a moment.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mark {
    /// From 1, within a take.
    pub number: u64,
    /// When.
    pub at: Stamp,
    /// What a person typed; may be empty.
    pub note: String,
}

impl Mark {
    /// The mark as a row, for a take that started at `start`.
    pub(super) fn row(&self, start: Stamp) -> Vec<u8> {
        let mut seconds = Vec::new();
        when::seconds(self.at.0 - start.0, &mut seconds);
        let fields =
            [self.number.to_string().into_bytes(), seconds, iso8601(self.at).into_bytes(), self.note.clone().into()];
        csv_row(&fields)
    }

    /// Reads the marks of a take that started at `start`; a row that is no mark is left out.
    pub(super) fn parse(text: &[u8], start: Stamp) -> Vec<Mark> {
        let mut reader = csv::ReaderBuilder::new().flexible(true).from_reader(text);
        let rows = reader.records().filter_map(Result::ok);
        let mark = |row: csv::StringRecord| {
            // The start of the table may have moved since; the clock on the wall has not.
            let at = when::parse(row.get(2)?).or_else(|| Some(start.plus(row.get(1)?.parse().ok()?)))?;
            Some(Mark { number: row.get(0)?.parse().ok()?, at, note: row.get(3)?.to_owned() })
        };
        rows.filter_map(mark).collect()
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
            .map(|(number, note)| Mark { number, at: start.plus(number as f64 / 4.0), note: note.into() })
            .collect();
        let file = marks.iter().fold(HEADER.to_vec(), |file, mark| [file, mark.row(start)].concat());
        assert_eq!(Mark::parse(&file, start), marks);
        assert!(Mark::parse(b"number,time_s\r\n1,x\r\n", start).is_empty());
    }
}
