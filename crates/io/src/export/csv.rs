//! A table as CSV (RFC 4180), with the times of `readings.csv` in front.

use super::{ExportHead, Exporter};
use crate::take::iso8601;
use amber_core::Stamp;
use amber_core::digits::{cleaned, write_shortest};
use std::io::{self, Write};

/// CSV on its way into `out`.
pub struct CsvTable<W: Write> {
    head: ExportHead,
    out: csv::Writer<W>,
    record: csv::ByteRecord,
    cell: Vec<u8>,
}

impl<W: Write> CsvTable<W> {
    /// Writes the header.
    ///
    /// # Errors
    /// What the output says.
    pub fn new(head: ExportHead, out: W) -> io::Result<CsvTable<W>> {
        let mut out = csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_writer(out);
        let wall = head.has_wall.then_some("wall_clock");
        let names = head.names();
        let names = names.iter().map(String::as_str);
        out.write_record([head.across.column()].into_iter().chain(wall).chain(names)).map_err(own_error)?;
        Ok(CsvTable { head, out, record: csv::ByteRecord::new(), cell: Vec::new() })
    }
}

/// The output's own error, whose kind tells a pipe that nobody reads any more.
fn own_error(error: csv::Error) -> io::Error {
    match error.into_kind() {
        csv::ErrorKind::Io(error) => error,
        other => io::Error::other(format!("{other:?}")),
    }
}

impl<W: Write> Exporter for CsvTable<W> {
    fn rows(&mut self, times: &[Stamp], columns: &[&[f64]]) -> io::Result<()> {
        for (row, at) in times.iter().enumerate() {
            self.record.clear();
            self.record.push_field(self.head.first_cell(*at).as_bytes());
            if self.head.has_wall {
                self.record.push_field(iso8601(*at).as_bytes());
            }
            for (column, values) in self.head.columns.iter().zip(columns) {
                let value = values[row];
                self.cell.clear();
                match column.words.word(value) {
                    Some(word) => self.cell.extend_from_slice(word.as_bytes()),
                    None => write_shortest(cleaned(value) + 0.0, &mut self.cell),
                }
                self.record.push_field(&self.cell);
            }
            self.out.write_byte_record(&self.record).map_err(own_error)?;
        }
        Ok(())
    }

    fn finish(&mut self) -> io::Result<()> {
        self.out.flush()
    }
}
