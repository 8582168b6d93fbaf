//! The codec of `readings.csv`: bytes of the wire in, bytes of the table out.

use super::when::{self, WallClock};
use amber_core::Stamp;
use amber_core::bench::{Bench, ChannelSettings, Words};
use amber_core::clock::Timer;
use amber_core::derive::{Deriver, GAP, Now};
use amber_core::split::{Fate, Shape, Sink, Splitter};

/// What the decoder has seen.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Tally {
    /// Rows written.
    pub rows: u64,
    /// Lines refused.
    pub refused: u64,
    /// The board's own words, in lines.
    pub messages: u64,
    /// Fields that are in `wire.bin` alone, because their label came after the header was written.
    pub late_fields: u64,
}

/// A column of the table.
#[derive(Clone, Debug)]
pub(super) struct Column {
    pub(super) name: String,
    pub(super) unit: String,
    /// The channel that it shows.
    channel: usize,
    /// As it came, rather than scaled.
    raw: bool,
    words: Words,
    form: Form,
}

/// How the numbers of a column are written.
#[derive(Clone, Copy, Debug)]
enum Form {
    /// With so many decimals.
    Decimals(usize),
    /// The shortest text that reads back as the same number.
    Shortest,
    /// The same in nine digits: more than a computed value is worth.
    Computed,
}

impl Column {
    fn new(settings: &ChannelSettings, channel: usize, raw: bool) -> Column {
        let form = match settings.scale.file_decimals() {
            _ if raw && settings.formula.is_none() => Form::Shortest,
            Some(places) if !raw => Form::Decimals(places),
            None if settings.formula.is_none() && settings.scale.is_plain() => Form::Shortest,
            _ => Form::Computed,
        };
        let title = settings.title();
        Column {
            name: if raw { format!("{title}_raw") } else { title.to_owned() },
            unit: if raw { settings.scale.unit.clone() } else { settings.scale.unit().to_owned() },
            channel,
            raw,
            words: if raw { Words::default() } else { settings.words.clone() },
            form,
        }
    }

    /// Its datatype in the vocabulary of CSV on the Web; words may stand among numbers.
    pub(super) fn datatype(&self) -> &'static str {
        if self.words.is_empty() { "number" } else { "string" }
    }

    fn write(&self, now: Now, out: &mut Vec<u8>) {
        let value = if self.raw { now.raw } else { now.quantity };
        match (self.words.word(value), self.form) {
            (Some(word), _) => out.extend_from_slice(word.as_bytes()),
            (None, Form::Decimals(places)) => write_number(value, Some(places), out),
            (None, Form::Shortest) => write_number(value, None, out),
            (None, Form::Computed) => write_number(format!("{value:.8e}").parse().unwrap_or(value), None, out),
        }
    }
}

/// Turns the bytes of a take into its table. The same bytes, stamps and settings give the same table, however the
/// bytes are cut, as long as each line is completed by a piece with the same stamp.
#[derive(Debug)]
pub struct Decoder {
    splitter: Splitter,
    table: Table,
}

#[derive(Debug)]
struct Table {
    bench: Bench,
    start: Stamp,
    columns: Vec<Column>,
    /// The fields of the shape that have a column.
    fields: usize,
    deriver: Deriver,
    row: Vec<Now>,
    out: Vec<u8>,
    wall: WallClock,
    timer: Timer,
    tally: Tally,
}

impl Decoder {
    /// A decoder for a take that started at `start` with the settings of `bench`.
    pub fn new(bench: Bench, start: Stamp) -> Self {
        let splitter = Splitter::new(bench.split.shape());
        let mut table = Table {
            timer: Timer::new(bench.time.clone()),
            bench,
            start,
            columns: Vec::new(),
            fields: 0,
            deriver: Deriver::default(),
            row: Vec::new(),
            out: Vec::new(),
            wall: WallClock::default(),
            tally: Tally::default(),
        };
        if let Some(shape) = splitter.shape() {
            table.shape(shape);
        }
        Decoder { splitter, table }
    }

    /// What follows may begin within a line.
    pub fn join(&mut self) {
        // Lines that wait for their shape came before the break.
        if !self.splitter.waits() {
            self.table.gap();
        }
        self.splitter.join();
    }

    /// Takes bytes that arrived at `at`.
    pub fn feed(&mut self, at: Stamp, bytes: &[u8]) {
        self.splitter.feed(at, bytes, &mut self.table);
    }

    /// The part of the table that was made since the last call.
    pub fn take_output(&mut self) -> Vec<u8> {
        std::mem::take(&mut self.table.out)
    }

    /// What was seen so far.
    pub fn tally(&self) -> Tally {
        self.table.tally
    }

    /// The columns, once the header is written.
    pub(super) fn columns(&self) -> &[Column] {
        &self.table.columns
    }
}

impl Sink for Table {
    fn shape(&mut self, shape: &Shape) {
        self.timer.shape(shape);
        if !self.columns.is_empty() {
            return; // A table cannot grow columns: what comes in them stays in `wire.bin` and is counted.
        }
        self.fields = shape.columns();
        let field = |index: usize| {
            let label = shape.label(index);
            let settings = self.bench.channel(&label).cloned();
            settings.unwrap_or_else(|| ChannelSettings::found(&label, shape.unit(index)))
        };
        let mut channels: Vec<ChannelSettings> = (0..self.fields).map(field).collect();
        channels.extend(self.bench.channel.iter().filter(|channel| channel.formula.is_some()).cloned());
        self.deriver = Deriver::new(&channels.iter().collect::<Vec<_>>(), false);
        self.row = vec![GAP; channels.len()];
        for (index, channel) in channels.iter().enumerate() {
            self.columns.push(Column::new(channel, index, false));
            if self.bench.keep.raw && channel.formula.is_none() {
                self.columns.push(Column::new(channel, index, true));
            }
        }
        // Labels, names and words are plain, so no cell needs quotes.
        self.out.extend_from_slice(b"time_s,wall_clock");
        for column in &self.columns {
            self.out.push(b',');
            self.out.extend_from_slice(column.name.as_bytes());
        }
        self.out.extend_from_slice(b"\r\n");
    }

    fn row(&mut self, arrival: Stamp, values: &[f64]) {
        let (at, reset) = self.timer.row(arrival, values);
        if reset {
            self.deriver.break_off();
        }
        when::seconds(at.0 - self.start.0, &mut self.out);
        self.out.push(b',');
        self.wall.write(at, &mut self.out);
        self.row.fill(GAP);
        self.row.iter_mut().zip(values.iter().take(self.fields)).for_each(|(now, raw)| now.raw = *raw);
        self.deriver.whole_row(at, &mut self.row);
        for column in &self.columns {
            self.out.push(b',');
            column.write(self.row[column.channel], &mut self.out);
        }
        self.out.extend_from_slice(b"\r\n");
        self.tally.rows += 1;
        let late = values.iter().skip(self.fields).filter(|value| !value.is_nan()).count();
        self.tally.late_fields += late as u64;
    }

    fn gap(&mut self) {
        self.timer.join();
        self.deriver.break_off();
    }

    fn line(&mut self, _: Stamp, fate: Fate, _: &[u8]) {
        match fate {
            Fate::Message => self.tally.messages += 1,
            Fate::Refused(_) => {
                self.tally.refused += 1;
                self.timer.missed();
            }
            Fate::Row(_) | Fate::Half | Fate::Sent => {}
        }
    }
}

/// `value` with so many decimals, or the shortest text that reads back as the same number; nothing for a gap.
fn write_number(value: f64, decimals: Option<usize>, out: &mut Vec<u8>) {
    use std::io::Write;
    if value.is_nan() {
        return;
    }
    let places = decimals.unwrap_or(0);
    let power = 10f64.powi(places as i32);
    let whole = (value * power).round();
    // Writing to a vector cannot fail, here and below.
    if whole.abs() >= 9e15 {
        let _ = match decimals {
            Some(places) => write!(out, "{value:.places$}"),
            None => write!(out, "{value}"),
        };
    } else if decimals.is_none() && whole != value {
        let _ = write!(out, "{value}");
    } else {
        let digits = whole.abs() as i64;
        if whole < 0.0 {
            out.push(b'-');
        }
        let power = power as i64;
        out.extend_from_slice(itoa::Buffer::new().format(digits / power).as_bytes());
        if places > 0 {
            out.push(b'.');
            when::padded(digits % power, places, out);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use amber_core::bench::Keep;
    use amber_core::formula::Formula;
    use amber_core::scale::Scale;

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

    #[test]
    fn a_table_with_banner_damage_gap_and_a_label_that_came_late() {
        let mut channel = ChannelSettings::named("a");
        channel.scale = Scale::linear(10, 5.0, 0.0, 1.0, "");
        let mut sum = ChannelSettings::named("sum");
        sum.formula = Some(Formula::new("raw(a) + b / 3 + 0 * prev(b)").unwrap());
        let keep = Keep { raw: true };
        let bench = Bench { channel: vec![channel, sum], keep, ..Bench::default() };
        let start = Stamp(1_700_000_000_000_000_000);
        let mut decoder = Decoder::new(bench, start);
        decoder.feed(start, b"hello\na=1 b=2\na=2 b=");
        decoder.feed(start.plus(0.5), b"nan\na=3 b=4 c=1\na=3 b=4 c=1\na=3 b=4 c=1\na=x b=4\n");
        let table = String::from_utf8(decoder.take_output()).unwrap();
        assert_eq!(
            table.split("\r\n").collect::<Vec<_>>(),
            [
                "time_s,wall_clock,a,a_raw,b,b_raw,sum",
                "0.000000,2023-11-14T22:13:20.000000Z,0.0049,1,2,2,",
                "0.500000,2023-11-14T22:13:20.500000Z,0.0098,2,,,",
                "0.500000,2023-11-14T22:13:20.500000Z,0.0146,3,4,4,4.33333333",
                ""
            ]
        );
        let tally = Tally { rows: 3, refused: 3, messages: 1, late_fields: 1 };
        assert_eq!(decoder.tally(), tally);
    }
}
