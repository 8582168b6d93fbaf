//! Tables out, in forms that other programs read: CSV, JSON Lines, VCD, WAV, and Parquet in builds with that feature.
//!
//! Each form is a codec that is given rows in batches ([`Exporter::rows`]) and writes them to any output.

mod csv;
mod json_lines;
#[cfg(feature = "parquet")]
mod parquet;
mod vcd;
mod wav;

pub use self::csv::CsvTable;
#[cfg(feature = "parquet")]
pub use self::parquet::Parquet;
pub use json_lines::JsonLines;
pub use vcd::Vcd;
pub use wav::wav;

use crate::take::{free_name, seconds_text};
use amber_core::Stamp;
use amber_core::bench::Words;
use amber_core::clock::Across;
use std::io;

/// A column of a table that is written.
#[derive(Clone, Debug)]
pub struct ExportColumn {
    /// Its name.
    pub name: String,
    /// Its unit; may be empty.
    pub unit: String,
    /// What it carries.
    pub kind: ExportKind,
    /// Words for its codes, which stand in their place where the form has words.
    pub words: Words,
}

/// What a column carries.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ExportKind {
    /// Numbers.
    Number,
    /// Off and on, which are 0 and 1.
    Digital,
    /// Whole numbers that stand for states.
    Code,
}

/// What a table is of.
#[derive(Clone, Debug)]
pub struct ExportHead {
    /// Its columns.
    pub columns: Vec<ExportColumn>,
    /// The instant that is 0 in it.
    pub start: Stamp,
    /// Whether its rows have a time on the wall's clock.
    pub has_wall: bool,
    /// What its first column counts.
    pub across: Across,
}

impl ExportHead {
    /// The names of its columns, behind those of the clocks: each another one.
    fn names(&self) -> Vec<String> {
        let mut names = vec![self.across.column().to_owned(), "wall_clock".to_owned()];
        for column in &self.columns {
            names.push(free_name(column.name.clone(), |name| names.iter().any(|own| own == name)));
        }
        names.split_off(2)
    }

    /// The first cell of a row.
    fn first_cell(&self, at: Stamp) -> String {
        match self.across {
            Across::Seconds => seconds_text(at.0 - self.start.0),
            Across::Rows(_) => format!("{:.0}", self.across.of(at.seconds_since(self.start))),
        }
    }
}

/// Writes rows in some form.
pub trait Exporter {
    /// Takes rows that follow the ones before, a column each in `columns`; NaN is a gap.
    ///
    /// # Errors
    /// What the output says.
    fn rows(&mut self, times: &[Stamp], columns: &[&[f64]]) -> io::Result<()>;

    /// No more will come.
    ///
    /// # Errors
    /// What the output says.
    fn finish(&mut self) -> io::Result<()>;
}

#[cfg(test)]
mod tests;
