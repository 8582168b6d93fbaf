//! The columns of a table, and how their numbers are written.

use super::metadata;
use amber_core::bench::{ChannelSettings, Words};
use amber_core::derive::{LastValues, Values};
use amber_core::digits::{cleaned, write_decimal, write_shortest};
use amber_core::keep::{Keep, Statistic};

/// A column of what the channels say at a moment.
#[derive(Clone, Debug)]
pub(super) struct Column {
    pub(super) name: String,
    pub(super) unit: String,
    /// The channel that it shows.
    pub(super) channel: usize,
    /// What of it.
    what: What,
    pub(super) words: Words,
    form: ColumnFormat,
}

/// What a column shows of its channel.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum What {
    /// As it came.
    Raw,
    /// Scaled.
    Quantity,
    /// Scaled and smoothed.
    Smoothed,
}

/// How the numbers of a column are written.
#[derive(Clone, Copy, Debug)]
enum ColumnFormat {
    /// With so many decimals.
    Decimals(usize),
    /// The shortest text that reads back as the same number.
    Shortest,
    /// The same without the noise of rounding.
    Computed,
}

impl Column {
    pub(super) fn new(settings: &ChannelSettings, channel: usize, what: What, decimals: Option<u8>) -> Column {
        let form = match (what, settings.scale.file_decimals()) {
            _ if decimals.is_some() => ColumnFormat::Decimals(usize::from(decimals.unwrap_or_default())),
            (What::Raw, _) if settings.formula.is_none() => ColumnFormat::Shortest,
            (What::Quantity, Some(places)) => ColumnFormat::Decimals(places),
            // What is left of the noise has more digits than the converter.
            (What::Smoothed, Some(places)) => ColumnFormat::Decimals(places + 2),
            (What::Quantity, None) if settings.formula.is_none() && settings.scale.is_plain() => ColumnFormat::Shortest,
            _ => ColumnFormat::Computed,
        };
        let title = settings.title();
        let unit = if what == What::Raw { settings.scale.unit.clone() } else { settings.scale.unit().to_owned() };
        let words = if what == What::Quantity { settings.words.clone() } else { Words::default() };
        let name = match what {
            What::Raw => format!("{title}_raw"),
            What::Quantity => title.to_owned(),
            What::Smoothed => format!("{title}_smoothed"),
        };
        Column { name, unit, channel, what, words, form }
    }

    /// How its description names it.
    pub(super) fn described(&self, name: String, statistic: Option<Statistic>) -> metadata::Described<'_> {
        metadata::Described { name, unit: &self.unit, datatype: self.datatype(), statistic }
    }

    /// Its datatype in the vocabulary of CSV on the Web; words may stand among numbers.
    pub(super) fn datatype(&self) -> &'static str {
        if self.words.is_empty() { "number" } else { "string" }
    }

    /// The cell of the row at this place among rows that follow one another.
    pub(super) fn write_row(&self, values: &[Values], row: usize, style: Style, out: &mut Vec<u8>) {
        self.write_as(self.value(values[self.channel].now(row)), self.form, style, out);
    }

    pub(super) fn value(&self, now: LastValues) -> f64 {
        match self.what {
            What::Raw => now.raw,
            What::Quantity => now.quantity,
            What::Smoothed => now.smoothed,
        }
    }

    fn write_as(&self, value: f64, form: ColumnFormat, style: Style, out: &mut Vec<u8>) {
        let begin = out.len();
        match (self.words.word(value), form) {
            (Some(word), _) => return out.extend_from_slice(word.as_bytes()),
            (None, ColumnFormat::Decimals(places)) => write_number(value, Some(places), out),
            (None, ColumnFormat::Shortest) => write_number(value, None, out),
            (None, ColumnFormat::Computed) => write_number(cleaned(value), None, out),
        }
        style.point(&mut out[begin..]);
    }
}

/// How a table is written.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Style {
    /// Semicolons part its columns, and its numbers have a decimal comma.
    pub(super) decimal_comma: bool,
    /// There is a column of the host's clock.
    pub(super) wall: bool,
}

impl Style {
    pub(super) fn of(keep: &Keep) -> Style {
        Style { decimal_comma: keep.decimal_comma, wall: keep.clocks.wall() }
    }

    /// What parts columns.
    pub(super) fn delimiter(self) -> u8 {
        if self.decimal_comma { b';' } else { b',' }
    }

    /// Puts the decimal comma into a number, where it has one.
    pub(super) fn point(self, number: &mut [u8]) {
        if self.decimal_comma {
            number.iter_mut().filter(|byte| **byte == b'.').for_each(|byte| *byte = b',');
        }
    }
}

/// A column of the table where a row stands for several: what of those of `column`, by its place, and as what.
#[derive(Clone, Debug)]
pub(super) struct Summed {
    pub(super) name: String,
    pub(super) column: usize,
    pub(super) statistic: Statistic,
    form: ColumnFormat,
}

impl Summed {
    /// The columns for what a column comes to. Of words there is the last one alone.
    pub(super) fn of(place: usize, column: &Column, wanted: &[Statistic], decimals: Option<u8>) -> Vec<Summed> {
        let only_last = [Statistic::Last];
        let wanted = if column.words.is_empty() { wanted } else { &only_last };
        let summed = |statistic: &Statistic| Summed {
            name: format!("{}_{}", column.name, statistic.name()),
            column: place,
            statistic: *statistic,
            form: match (statistic, column.form) {
                (Statistic::Mean, ColumnFormat::Shortest) => ColumnFormat::Computed,
                // A mean has more digits than the converter.
                (Statistic::Mean, ColumnFormat::Decimals(places)) if decimals.is_none() => {
                    ColumnFormat::Decimals(places + 2)
                }
                (_, form) => form,
            },
        };
        wanted.iter().map(summed).collect()
    }

    /// Writes its cell: `value` is what the rows of `column`, which it sums up, come to.
    pub(super) fn write(&self, value: f64, column: &Column, style: Style, out: &mut Vec<u8>) {
        column.write_as(value, self.form, style, out);
    }
}

/// `value` with so many decimals, or the shortest text that reads back as the same number; nothing for a gap.
fn write_number(value: f64, decimals: Option<usize>, out: &mut Vec<u8>) {
    use std::io::Write;
    // There is no minus before zero in a table.
    let Some(places) = decimals else { return write_shortest(value + 0.0, out) };
    if value.is_nan() {
        return;
    }
    let whole = (value * 10f64.powi(places as i32)).round();
    if whole.abs() >= 9e15 {
        // Writing to a vector cannot fail.
        let _ = write!(out, "{value:.places$}");
    } else {
        write_decimal(whole as i64, places, out);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_written_as_fine_as_they_are_and_no_finer() {
        let text = |value: f64, decimals| {
            let mut out = Vec::new();
            write_number(value, decimals, &mut out);
            String::from_utf8(out).unwrap()
        };
        assert_eq!([text(2210.0, None), text(-1.78, None), text(f64::NAN, Some(2))], ["2210", "-1.78", ""]);
        assert_eq!([text(104.196, Some(2)), text(-0.004, Some(2)), text(-0.5, Some(1))], ["104.20", "0.00", "-0.5"]);
        assert_eq!([text(1e18, None), text(7.05, Some(3))], ["1000000000000000000", "7.050"]);
    }
}
