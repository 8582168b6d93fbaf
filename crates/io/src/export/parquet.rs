//! A table as Parquet: columns of doubles, times in seconds and as microseconds since 1970 in UTC; a gap is a null.

use super::{ExportHead, Exporter};
use amber_core::Stamp;
use parquet::basic::{LogicalType, Repetition, TimeUnit, Type as PhysicalType};
use parquet::data_type::{DoubleType, Int64Type};
use parquet::errors::ParquetError;
use parquet::file::properties::WriterProperties;
use parquet::file::writer::{SerializedFileWriter, SerializedRowGroupWriter};
use parquet::schema::types::Type;
use std::io::{self, Write};
use std::sync::Arc;

/// Rows that are written at once.
const GROUP: usize = 1 << 16;

/// Parquet on its way into `out`. Words for codes are not in it: codes are numbers.
pub struct Parquet<W: Write + Send> {
    head: ExportHead,
    writer: Option<SerializedFileWriter<W>>,
    times: Vec<Stamp>,
    columns: Vec<Vec<f64>>,
}

fn own_error(error: ParquetError) -> io::Error {
    io::Error::other(error.to_string())
}

impl<W: Write + Send> Parquet<W> {
    /// Writes what the file begins with.
    ///
    /// # Errors
    /// What the output says, or two columns of one name.
    pub fn new(head: ExportHead, out: W) -> io::Result<Parquet<W>> {
        let double = |name: &str, repetition| {
            Type::primitive_type_builder(name, PhysicalType::DOUBLE).with_repetition(repetition).build().map(Arc::new)
        };
        let mut fields = vec![double(head.across.column(), Repetition::REQUIRED).map_err(own_error)?];
        if head.has_wall {
            let unit = TimeUnit::MICROS;
            let time = LogicalType::timestamp(true, unit);
            let wall = Type::primitive_type_builder("wall_clock", PhysicalType::INT64)
                .with_repetition(Repetition::REQUIRED)
                .with_logical_type(Some(time));
            fields.push(Arc::new(wall.build().map_err(own_error)?));
        }
        for name in head.names() {
            fields.push(double(&name, Repetition::OPTIONAL).map_err(own_error)?);
        }
        let schema = Type::group_type_builder("take").with_fields(fields).build().map_err(own_error)?;
        let properties = Arc::new(WriterProperties::builder().build());
        let writer = SerializedFileWriter::new(out, Arc::new(schema), properties).map_err(own_error)?;
        let columns = vec![Vec::new(); head.columns.len()];
        Ok(Parquet { head, writer: Some(writer), times: Vec::new(), columns })
    }

    fn write_group(&mut self) -> Result<(), ParquetError> {
        let Some(writer) = self.writer.as_mut().filter(|_| !self.times.is_empty()) else { return Ok(()) };
        let mut group = writer.next_row_group()?;
        let start = self.head.start;
        let seconds: Vec<f64> = self.times.iter().map(|at| at.seconds_since(start)).collect();
        doubles(&mut group, &seconds, false)?;
        if self.head.has_wall
            && let Some(mut column) = group.next_column()?
        {
            let micros: Vec<i64> = self.times.iter().map(|at| at.0.div_euclid(1000)).collect();
            column.typed::<Int64Type>().write_batch(&micros, None, None)?;
            column.close()?;
        }
        for values in &self.columns {
            doubles(&mut group, values, true)?;
        }
        group.close()?;
        self.times.clear();
        self.columns.iter_mut().for_each(Vec::clear);
        Ok(())
    }
}

/// Writes the next column of a group; with gaps as nulls, where it may have some.
fn doubles<W: Write + Send>(
    group: &mut SerializedRowGroupWriter<'_, W>,
    values: &[f64],
    has_gaps: bool,
) -> Result<(), ParquetError> {
    let Some(mut column) = group.next_column()? else { return Ok(()) };
    let levels: Vec<i16> = values.iter().map(|value| i16::from(!value.is_nan())).collect();
    let sound: Vec<f64> = values.iter().copied().filter(|value| !has_gaps || !value.is_nan()).collect();
    column.typed::<DoubleType>().write_batch(&sound, has_gaps.then_some(&levels[..]), None)?;
    column.close()
}

impl<W: Write + Send> Exporter for Parquet<W> {
    fn rows(&mut self, times: &[Stamp], columns: &[&[f64]]) -> io::Result<()> {
        self.times.extend_from_slice(times);
        self.columns.iter_mut().zip(columns).for_each(|(own, values)| own.extend_from_slice(values));
        if self.times.len() >= GROUP { self.write_group().map_err(own_error) } else { Ok(()) }
    }

    fn finish(&mut self) -> io::Result<()> {
        self.write_group().map_err(own_error)?;
        self.writer.take().map_or(Ok(()), |writer| writer.close().map(drop).map_err(own_error))
    }
}

#[cfg(test)]
mod tests {
    use super::super::{ExportColumn, ExportKind};
    use super::*;
    use parquet::file::reader::{FileReader, SerializedFileReader};
    use parquet::record::RowAccessor;

    #[test]
    fn rows_read_back_with_their_gaps() {
        let start = Stamp(1_700_000_000_000_000_000);
        let column = |name: &str| ExportColumn {
            name: name.into(),
            unit: "mm".into(),
            kind: ExportKind::Number,
            words: amber_core::bench::Words::default(),
        };
        let head = ExportHead { columns: vec![column("level"), column("flow")], start, has_wall: true };
        let mut out = Vec::new();
        let mut table = Parquet::new(head, &mut out).unwrap();
        let times: Vec<Stamp> = (0..100_000).map(|i| start.plus(f64::from(i) * 0.01)).collect();
        let level: Vec<f64> = (0..100_000).map(|i| if i % 7 == 0 { f64::NAN } else { f64::from(i) / 3.0 }).collect();
        for from in (0..100_000).step_by(4096) {
            let to = (from + 4096).min(100_000);
            table.rows(&times[from..to], &[&level[from..to], &level[from..to]]).unwrap();
        }
        table.finish().unwrap();
        drop(table);
        let reader = SerializedFileReader::new(bytes::Bytes::from(out)).unwrap();
        assert_eq!(reader.metadata().file_metadata().num_rows(), 100_000);
        for (i, row) in reader.get_row_iter(None).unwrap().map(Result::unwrap).enumerate() {
            assert_eq!(row.get_double(2).ok(), Some(level[i]).filter(|value| !value.is_nan()), "row {i}");
            assert!((row.get_double(0).unwrap() - i as f64 * 0.01).abs() < 1e-6);
        }
    }
}
