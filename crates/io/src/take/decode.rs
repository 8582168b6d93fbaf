//! The codec of `readings.csv`: bytes of the wire in, bytes of the table out.

use super::events::{Context, Events};
use super::when::{self, WallClock};
use super::wire::Event;
use super::{EVENTS_METADATA, METADATA, metadata};
use amber_core::Stamp;
use amber_core::bench::{Bench, ChannelSettings, Keep, Words};
use amber_core::derive::{Derived, LastValues, Values};
use amber_core::digits::{cleaned, write_decimal, write_shortest};
use amber_core::interpret::{Interpreter, Layout, RowSink, Rows};
use amber_core::smooth::smooths;
use amber_core::split::LineOutcome;

/// The number of the way in which bytes become a table; another one may make another table of the same bytes.
pub const DECODER: u32 = 2;

/// What the decoder has seen.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Tally {
    /// Rows, those included that wait for their times.
    pub rows: u64,
    /// Lines rejected.
    pub rejected: u64,
    /// The board's own words, in lines.
    pub messages: u64,
    /// Fields that are in `wire.bin` alone, because their label came after the header was written.
    pub late_fields: u64,
    /// The times of the first and the last row that are written.
    pub times: Option<(Stamp, Stamp)>,
    /// Events of the conditions.
    pub events: u64,
    /// Rows whose times come from a text and not from the clock on the wall.
    pub text_times: bool,
}

impl Tally {
    /// Rows a second, over the rows that are written; `None` while there are fewer than two.
    pub fn rate(&self) -> Option<f64> {
        let (first, last) = self.times?;
        let seconds = last.seconds_since(first);
        (self.rows > 1 && seconds > 0.0).then(|| (self.rows - 1) as f64 / seconds)
    }
}

/// A column of the table.
#[derive(Clone, Debug)]
pub(super) struct Column {
    pub(super) name: String,
    pub(super) unit: String,
    /// The channel that it shows.
    channel: usize,
    /// What of it.
    what: What,
    words: Words,
    form: ColumnFormat,
}

/// What a column shows of its channel.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum What {
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
    fn new(settings: &ChannelSettings, channel: usize, what: What) -> Column {
        let form = match (what, settings.scale.file_decimals()) {
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

    /// Its datatype in the vocabulary of CSV on the Web; words may stand among numbers.
    pub(super) fn datatype(&self) -> &'static str {
        if self.words.is_empty() { "number" } else { "string" }
    }

    /// The cell of the row at this place among rows that follow one another.
    pub(super) fn write_row(&self, values: &[Values], row: usize, out: &mut Vec<u8>) {
        self.write(values[self.channel].now(row), out);
    }

    fn write(&self, now: LastValues, out: &mut Vec<u8>) {
        let value = match self.what {
            What::Raw => now.raw,
            What::Quantity => now.quantity,
            What::Smoothed => now.smoothed,
        };
        match (self.words.word(value), self.form) {
            (Some(word), _) => out.extend_from_slice(word.as_bytes()),
            (None, ColumnFormat::Decimals(places)) => write_number(value, Some(places), out),
            (None, ColumnFormat::Shortest) => write_number(value, None, out),
            (None, ColumnFormat::Computed) => write_number(cleaned(value), None, out),
        }
    }
}

/// Names that the table needs for itself.
const TAKEN: [&str; 2] = ["time_s", "wall_clock"];

/// A name for a column that no other one has.
fn free_name(name: String, columns: &[Column]) -> String {
    let taken = |name: &str| TAKEN.contains(&name) || columns.iter().any(|column| column.name == name);
    if !taken(&name) {
        return name;
    }
    (2..).map(|n| format!("{name}_{n}")).find(|name| !taken(name)).unwrap_or(name)
}

/// Turns the bytes of a take into its table. The same bytes, stamps and settings give the same table, however the
/// bytes are cut, as long as each line is completed by a piece with the same stamp.
#[derive(Debug)]
pub struct Decoder {
    interpreter: Interpreter,
    table: Table,
    /// The newest stamp that it was given.
    newest: Option<Stamp>,
}

#[derive(Debug)]
struct Table {
    keep: Keep,
    start: Stamp,
    /// The time that is 0 in the table, once a row is written: the start, or that of a row that was measured before it.
    origin: Option<Stamp>,
    layout: Layout,
    /// Nobody asks for smoothed values unless a formula or the settings do.
    derived: Derived,
    columns: Vec<Column>,
    events: Events,
    /// The channels that have a column.
    channels: usize,
    out: Vec<u8>,
    wall: WallClock,
    tally: Tally,
    troubles: Vec<String>,
}

impl Decoder {
    /// A decoder for a take that started at `start` with the settings of `bench`.
    pub fn new(bench: &Bench, start: Stamp) -> Self {
        let mut table = Table {
            keep: bench.shared.keep,
            start,
            origin: None,
            layout: Layout::default(),
            derived: Derived::new(bench.shared.keep.smoothed),
            columns: Vec::new(),
            events: Events::new(&bench.first().condition),
            channels: 0,
            out: Vec::new(),
            wall: WallClock::default(),
            tally: Tally::default(),
            troubles: Vec::new(),
        };
        let settings = bench.first();
        let shape = settings.split.shape();
        let mut interpreter = Interpreter::new(shape, settings.time.clone(), &settings.channel).patient();
        interpreter.begin(&mut table);
        Decoder { interpreter, table, newest: None }
    }

    /// Something happened to the source, at `at`. The last line of a text that has come to its end counts although it may
    /// have no ending.
    pub fn apply(&mut self, at: Stamp, event: Event) {
        self.newest = self.newest.max(Some(at));
        match event {
            Event::Opened { opening, within } => {
                self.interpreter.open(opening, within, &mut self.table);
            }
            Event::Ended => self.interpreter.end(at, &mut self.table),
            Event::Stopped => {}
        }
    }

    /// Takes bytes that arrived at `at`.
    pub fn feed(&mut self, at: Stamp, bytes: &[u8]) {
        self.newest = self.newest.max(Some(at));
        self.interpreter.feed(at, bytes, &mut self.table);
    }

    /// No more will come: writes the rows that wait.
    pub fn finish(&mut self) {
        self.interpreter.finish(None, &mut self.table);
        if !self.table.layout.channels().is_empty() {
            self.table.begin();
        }
        let is_text_time = self.table.tally.text_times;
        let context = Context { columns: &self.table.columns, origin: self.origin(), is_text_time };
        // The times of a text are not those of its arrival.
        self.table.events.finish(self.newest.filter(|_| !is_text_time), &context);
        self.table.tally.events = self.table.events.count();
    }

    /// The part of `events.csv` that was made since the last call; nothing where nothing is watched for.
    pub fn take_events(&mut self) -> Vec<u8> {
        self.table.events.take_output()
    }

    /// Whether there is anything to watch for, so that there is an `events.csv`.
    pub fn has_conditions(&self) -> bool {
        self.table.events.are_watched_for()
    }

    /// The part of the table that was made since the last call.
    pub fn take_output(&mut self) -> Vec<u8> {
        std::mem::take(&mut self.table.out)
    }

    /// What was seen so far.
    pub fn tally(&self) -> Tally {
        Tally { rows: self.table.tally.rows + self.interpreter.waiting(), ..self.table.tally }
    }

    /// The instant that is 0 in the table.
    pub fn origin(&self) -> Stamp {
        self.table.origin.unwrap_or(self.table.start)
    }

    /// What had to be done otherwise than the settings say, in sentences.
    pub fn troubles(&self) -> impl Iterator<Item = String> {
        let known = self.table.layout.troubles().iter().chain(&self.table.troubles).cloned();
        // Before the columns are known, none is missing.
        let events = if self.table.columns.is_empty() { Vec::new() } else { self.table.events.troubles() };
        known.chain(events)
    }

    /// The documents that describe its tables, with the names of their files; none before the columns are known.
    pub(super) fn documents(&self) -> Vec<(&'static str, String)> {
        let columns = self.columns();
        if columns.is_empty() {
            return Vec::new();
        }
        let mut documents = vec![(METADATA, metadata::document(columns, self.tally().text_times))];
        if self.has_conditions() {
            documents.push((EVENTS_METADATA, metadata::of_events(columns)));
        }
        documents
    }

    /// The columns, once the header is written.
    pub(super) fn columns(&self) -> &[Column] {
        &self.table.columns
    }
}

impl Table {
    /// Writes the header, with a column for each channel that is known by now.
    #[cold]
    fn begin(&mut self) {
        if !self.columns.is_empty() {
            return;
        }
        let layout = std::mem::take(&mut self.layout);
        self.channels = layout.channels().len();
        for (index, channel) in layout.channels().iter().enumerate() {
            let column = Column::new(channel, index, What::Quantity);
            self.add(column);
            let same = channel.formula.is_some() || (channel.scale.is_plain() && channel.words.is_empty());
            if self.keep.raw && !same {
                self.add(Column::new(channel, index, What::Raw));
            }
            if self.keep.smoothed && smooths(&channel.smooth) {
                self.add(Column::new(channel, index, What::Smoothed));
            }
        }
        self.layout = layout;
        // Labels, names and words are plain, so no cell needs quotes.
        self.out.extend_from_slice(b"time_s,wall_clock");
        for column in &self.columns {
            self.out.push(b',');
            self.out.extend_from_slice(column.name.as_bytes());
        }
        self.out.extend_from_slice(b"\r\n");
        self.events.begin(&self.columns);
    }

    fn add(&mut self, mut column: Column) {
        let name = free_name(column.name.clone(), &self.columns);
        if name != column.name {
            self.troubles
                .push(format!("there is a column {} already, so a channel is named {name} there", column.name));
            column.name = name;
        }
        self.columns.push(column);
    }
}

impl RowSink for Table {
    fn layout(&mut self, layout: &Layout) {
        self.layout = layout.clone();
        self.derived.follow(layout.channels());
        self.events.follow(layout.channels());
    }

    fn rows(&mut self, rows: &Rows<'_>) {
        self.begin();
        self.derived.take(rows.times, rows.raw);
        let values = self.derived.values();
        let origin = *self.origin.get_or_insert(self.start.min(rows.times[0]));
        for (row, at) in rows.times.iter().enumerate() {
            when::seconds(at.0 - origin.0, &mut self.out);
            self.out.push(b',');
            if !rows.is_text_time {
                self.wall.write(*at, &mut self.out);
            }
            for column in &self.columns {
                self.out.push(b',');
                column.write_row(values, row, &mut self.out);
            }
            self.out.extend_from_slice(b"\r\n");
        }
        let context = Context { columns: &self.columns, origin, is_text_time: rows.is_text_time };
        self.events.rows(self.tally.rows, rows.times, values, &context);
        self.tally.events = self.events.count();
        self.tally.text_times |= rows.is_text_time;
        self.tally.rows += rows.count() as u64;
        let first = self.tally.times.map_or(rows.times[0], |(first, _)| first);
        self.tally.times = rows.times.last().map(|last| (first, *last));
        // A table cannot grow columns: what comes for others stays in `wire.bin` and is counted.
        let late = values.iter().skip(self.channels).flat_map(|values| &values.raw);
        self.tally.late_fields += late.filter(|raw| !raw.is_nan()).count() as u64;
    }

    fn gap(&mut self) {
        self.derived.deriver_mut().break_off();
        self.events.break_off();
    }

    fn line(&mut self, _: Stamp, outcome: LineOutcome, _: &[u8]) {
        match outcome {
            LineOutcome::Message => self.tally.messages += 1,
            LineOutcome::Rejected(_) => self.tally.rejected += 1,
            LineOutcome::Row(_) | LineOutcome::Half | LineOutcome::Sent => {}
        }
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
    use amber_core::bench::SourceSettings;
    use amber_core::formula::Formula;
    use amber_core::scale::{Scale, Step};
    use amber_core::smooth::{Mean, Strength};

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
        channel.smooth = vec![Mean { window: Strength::Rows(2) }.into()];
        let mut sum = ChannelSettings::named("sum");
        sum.formula = Some(Formula::new("raw(a) + b / 3 + 0 * prev(b)").unwrap());
        let keep = Keep { raw: true, smoothed: true };
        let mut bench = Bench::of(SourceSettings { channel: vec![channel, sum], ..SourceSettings::default() });
        bench.shared.keep = keep;
        let start = Stamp(1_700_000_000_000_000_000);
        let mut decoder = Decoder::new(&bench, start);
        decoder.feed(start, b"hello\na=1 b=2\na=2 b=");
        let rows: String = (0..6).map(|i| format!("a={i} b=9\n")).collect();
        decoder.feed(start.plus(0.5), b"nan\n");
        decoder.feed(start.plus(1.0), rows.as_bytes());
        assert_eq!(decoder.take_output(), b"", "the rule of time is not known yet");
        assert_eq!(decoder.tally().rows, 8);
        decoder.feed(start.plus(1.5), b"a=3 b=4 c=1\na=3 b=4 c=1\na=3 b=4 c=1\na=x b=4\n");
        decoder.finish();
        let table = String::from_utf8(decoder.take_output()).unwrap();
        assert_eq!(
            table.split("\r\n").enumerate().filter(|(i, _)| *i < 3 || *i > 8).map(|(_, line)| line).collect::<Vec<_>>(),
            [
                "time_s,wall_clock,a,a_raw,a_smoothed,b,sum,c",
                "0.000000,2023-11-14T22:13:20.000000Z,0.0049,1,0.004883,2,,",
                "0.500000,2023-11-14T22:13:20.500000Z,0.0098,2,0.007324,,,",
                "1.500000,2023-11-14T22:13:21.500000Z,0.0146,3,0.019531,4,4.33333333333,1",
                ""
            ]
        );
        let tally = decoder.tally();
        assert_eq!((tally.rows, tally.rejected, tally.messages, tally.late_fields), (9, 3, 1, 0));
        // Once the header is written there is no more room.
        decoder.feed(start.plus(2.0), "a=1 b=2 d=9\n".repeat(5).as_bytes());
        assert_eq!((decoder.tally().rows, decoder.tally().late_fields), (12, 3));
    }

    #[test]
    fn a_table_keeps_every_digit_that_came() {
        let share = Scale::linear(12, 3.3, 0.0, 1.0, "");
        let mut share = ChannelSettings { scale: share, ..ChannelSettings::named("share") };
        if let Some(Step::Converter(converter)) = share.scale.steps.first_mut() {
            converter.bits = None;
        }
        let formula = |name: &str, text: &str| ChannelSettings {
            formula: Some(Formula::new(text).unwrap()),
            ..ChannelSettings::named(name)
        };
        let channel = vec![share, formula("s", "ms / 1000"), formula("count", "ms * 1"), formula("east", "lon + 100")];
        let start = Stamp(1_700_000_000_000_000_000);
        let mut decoder = Decoder::new(&Bench::of(SourceSettings { channel, ..SourceSettings::default() }), start);
        for i in 0..=400 {
            let (share, lon) = (f64::from(i) / 400.0, 13.404_954_1 + f64::from(i) * 1e-7);
            let ms = 1_732_012_345_678u64 + i as u64;
            decoder.feed(start.plus(f64::from(i) * 0.01), format!("share={share} lon={lon:.7} ms={ms}\n").as_bytes());
        }
        decoder.finish();
        let table = String::from_utf8(decoder.take_output()).unwrap();
        let mut lines = table.lines();
        assert_eq!(lines.next(), Some("time_s,wall_clock,share,lon,ms,s,count,east"));
        let rows: Vec<Vec<&str>> = lines.map(|line| line.split(',').collect()).collect();
        for column in 2..8 {
            let mut texts: Vec<&str> = rows.iter().map(|row| row[column]).collect();
            texts.sort_unstable();
            texts.dedup();
            assert_eq!(texts.len(), 401, "column {column}");
        }
        assert_eq!(
            rows[1][2..],
            ["0.00825", "13.4049542", "1732012345679", "1732012345.679", "1732012345679", "113.4049542"]
        );
    }
}
