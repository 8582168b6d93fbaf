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

use amber_core::Stamp;
use amber_core::bench::Words;
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
