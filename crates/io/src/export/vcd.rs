//! A table as a value change dump (IEEE 1364): digital channels as wires, codes as integers, numbers as reals.

use super::{ExportHead, ExportKind, Exporter};
use amber_core::Stamp;
use std::io::{self, Write};
use vcd::{IdCode, SimulationCommand, TimescaleUnit, Value, VarType, Writer};

/// A dump on its way into `out`.
pub struct Vcd<W: Write> {
    head: ExportHead,
    out: Writer<W>,
    ids: Vec<IdCode>,
    /// What each has said last; none before its first value.
    last: Vec<Option<f64>>,
    /// The moment that was written last, in microseconds.
    at: Option<u64>,
}

/// Bits of an integer.
const BITS: u32 = 32;

impl<W: Write> Vcd<W> {
    /// Writes the header: the unit of time is a microsecond since the start.
    ///
    /// # Errors
    /// What the output says.
    pub fn new(head: ExportHead, version: &str, out: W) -> io::Result<Vcd<W>> {
        let mut out = Writer::new(out);
        out.version(version)?;
        out.timescale(1, TimescaleUnit::US)?;
        out.add_module("take")?;
        let mut ids = Vec::new();
        for column in &head.columns {
            let (kind, bits) = match column.kind {
                ExportKind::Digital => (VarType::Wire, 1),
                ExportKind::Code => (VarType::Integer, BITS),
                ExportKind::Number => (VarType::Real, 64),
            };
            ids.push(out.add_var(kind, bits, &identifier(&column.name), None)?);
        }
        out.upscope()?;
        out.enddefinitions()?;
        out.timestamp(0)?;
        out.begin(SimulationCommand::Dumpvars)?;
        let last = vec![None; ids.len()];
        let mut own = Vcd { head, out, ids, last, at: Some(0) };
        for column in 0..own.ids.len() {
            // Nothing is known before the first row; a real has no sign for that.
            if own.head.columns[column].kind != ExportKind::Number {
                own.change(column, f64::NAN)?;
            }
        }
        own.out.end()?;
        Ok(own)
    }

    fn change(&mut self, column: usize, value: f64) -> io::Result<()> {
        let id = self.ids[column];
        match self.head.columns[column].kind {
            ExportKind::Digital if value.is_nan() => self.out.change_scalar(id, Value::X),
            ExportKind::Digital => self.out.change_scalar(id, if value >= 0.5 { Value::V1 } else { Value::V0 }),
            ExportKind::Code if value.is_nan() => self.out.change_vector(id, vec![Value::X; BITS as usize]),
            ExportKind::Code => {
                let code = value.round().clamp(f64::from(i32::MIN), f64::from(i32::MAX)) as i32;
                let bit = |at: u32| if code >> at & 1 == 1 { Value::V1 } else { Value::V0 };
                self.out.change_vector(id, (0..BITS).rev().map(bit))
            }
            // A real stays as it was over a gap.
            ExportKind::Number if value.is_nan() => Ok(()),
            ExportKind::Number => self.out.change_real(id, value),
        }
    }
}

/// A name without spaces, which end names here; others stay as they are.
fn identifier(name: &str) -> String {
    let plain = |c: char| if c.is_ascii_graphic() && c != '$' { c } else { '_' };
    let name: String = name.chars().map(plain).collect();
    if name.is_empty() { "_".into() } else { name }
}

impl<W: Write> Exporter for Vcd<W> {
    fn rows(&mut self, times: &[Stamp], columns: &[&[f64]]) -> io::Result<()> {
        for (row, at) in times.iter().enumerate() {
            let micros = u64::try_from((at.0 - self.head.start.0).div_euclid(1000)).unwrap_or(0);
            for (column, values) in columns.iter().enumerate().take(self.ids.len()) {
                let value = values[row];
                let same = self.last[column].is_some_and(|last| last == value || (last.is_nan() && value.is_nan()));
                if same {
                    continue;
                }
                self.last[column] = Some(value);
                if self.at.is_none_or(|last| micros > last) {
                    self.out.timestamp(micros)?;
                    self.at = Some(micros);
                }
                self.change(column, value)?;
            }
        }
        // The end is a moment too, however long nothing changes before it.
        if let Some(last) = times.last() {
            let micros = u64::try_from((last.0 - self.head.start.0).div_euclid(1000)).unwrap_or(0);
            if self.at.is_none_or(|at| micros > at) {
                self.out.timestamp(micros)?;
                self.at = Some(micros);
            }
        }
        Ok(())
    }

    fn finish(&mut self) -> io::Result<()> {
        self.out.flush()
    }
}
