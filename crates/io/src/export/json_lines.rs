//! A table as JSON Lines: an object a row, a gap as null.

use super::{ExportHead, Exporter};
use crate::take::iso8601;
use amber_core::Stamp;
use amber_core::digits::{cleaned, write_shortest};
use std::io::{self, Write};

/// JSON Lines on their way into `out`.
pub struct JsonLines<W: Write> {
    head: ExportHead,
    /// The names as JSON texts.
    names: Vec<String>,
    out: W,
    line: Vec<u8>,
}

impl<W: Write> JsonLines<W> {
    /// Nothing is written before the first row.
    pub fn new(head: ExportHead, out: W) -> JsonLines<W> {
        let names = head.names().into_iter().map(|name| serde_json::Value::from(name).to_string()).collect();
        JsonLines { head, names, out, line: Vec::new() }
    }
}

impl<W: Write> Exporter for JsonLines<W> {
    fn rows(&mut self, times: &[Stamp], columns: &[&[f64]]) -> io::Result<()> {
        for (row, at) in times.iter().enumerate() {
            self.line.clear();
            write!(self.line, "{{\"{}\":{}", self.head.across.column(), self.head.first_cell(*at))?;
            if self.head.has_wall {
                write!(self.line, ",\"wall_clock\":\"{}\"", iso8601(*at))?;
            }
            for ((column, name), values) in self.head.columns.iter().zip(&self.names).zip(columns) {
                write!(self.line, ",{name}:")?;
                let value = values[row];
                match column.words.word(value) {
                    Some(word) => write!(self.line, "{}", serde_json::Value::from(word))?,
                    None if value.is_finite() => write_shortest(cleaned(value) + 0.0, &mut self.line),
                    None => self.line.extend_from_slice(b"null"),
                }
            }
            self.line.extend_from_slice(b"}\n");
            self.out.write_all(&self.line)?;
        }
        Ok(())
    }

    fn finish(&mut self) -> io::Result<()> {
        self.out.flush()
    }
}
