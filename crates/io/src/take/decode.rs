//! The codec of `readings.csv`: bytes of the wire in, bytes of the table out.

use super::events::{Context, Events};
use super::when::{self, WallClock};
use super::wire::Event;
use super::{EVENTS_METADATA, METADATA, metadata};
use amber_core::Stamp;
use amber_core::bench::{Bench, ChannelSettings, Kind, Words};
use amber_core::clock::Time;
use amber_core::derive::{Derived, LastValues, Values};
use amber_core::digits::{cleaned, write_decimal, write_shortest};
use amber_core::interpret::{Interpreter, Layout, RowSink, Rows};
use amber_core::keep::{Gatherer, Keep, Pace, Statistic};
use amber_core::smooth::smooths;
use amber_core::split::{LineOutcome, Rejection};

/// The number of the way in which bytes become a table; another one may make another table of the same bytes.
pub const DECODER: u32 = 3;

/// What the decoder has seen.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Tally {
    /// Rows, those included that wait for their times.
    pub rows: u64,
    /// Lines rejected.
    pub rejected: u64,
    /// Those of them that are no readable text.
    pub unreadable: u64,
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

/// A column of what the channels say at a moment.
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
    fn new(settings: &ChannelSettings, channel: usize, what: What, decimals: Option<u8>) -> Column {
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

    /// Its datatype in the vocabulary of CSV on the Web; words may stand among numbers.
    pub(super) fn datatype(&self) -> &'static str {
        if self.words.is_empty() { "number" } else { "string" }
    }

    /// The cell of the row at this place among rows that follow one another.
    pub(super) fn write_row(&self, values: &[Values], row: usize, style: Style, out: &mut Vec<u8>) {
        self.write(self.value(values[self.channel].now(row)), self.form, style, out);
    }

    fn value(&self, now: LastValues) -> f64 {
        match self.what {
            What::Raw => now.raw,
            What::Quantity => now.quantity,
            What::Smoothed => now.smoothed,
        }
    }

    fn write(&self, value: f64, form: ColumnFormat, style: Style, out: &mut Vec<u8>) {
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
    fn of(keep: &Keep) -> Style {
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
struct Summed {
    name: String,
    column: usize,
    statistic: Statistic,
    form: ColumnFormat,
}

impl Summed {
    /// The columns for what a column comes to. Of words there is the last one alone.
    fn of(place: usize, column: &Column, wanted: &[Statistic], decimals: Option<u8>) -> Vec<Summed> {
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
}

/// The stretch whose rows are gathered into one.
#[derive(Debug, Default)]
struct Stretch {
    /// Its number, while there is one.
    number: Option<i64>,
    rows: u64,
    text_time: bool,
    /// What the columns come to.
    gathered: Vec<Gatherer>,
}

/// Names that the table needs for itself.
const TAKEN: [&str; 3] = ["time_s", "wall_clock", "rows"];

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
    /// The columns of the table, where its rows stand for several.
    summed: Vec<Summed>,
    stretch: Stretch,
    events: Events,
    /// The channels that were known when the header was written.
    channels: usize,
    has_header: bool,
    /// The channel that the times of the rows come from, if one does.
    clock: Option<String>,
    out: Vec<u8>,
    wall: WallClock,
    tally: Tally,
    troubles: Vec<String>,
}

impl Decoder {
    /// A decoder for a take that started at `start` with the settings of `bench`.
    pub fn new(bench: &Bench, start: Stamp) -> Self {
        let mut table = Table {
            keep: bench.shared.keep.clone(),
            start,
            origin: None,
            layout: Layout::default(),
            derived: Derived::new(bench.shared.keep.smoothed),
            columns: Vec::new(),
            summed: Vec::new(),
            stretch: Stretch::default(),
            events: Events::new(&bench.first().condition),
            channels: 0,
            has_header: false,
            clock: match &bench.first().time {
                Time::Board { channel, .. } => Some(channel.clone()),
                _ => None,
            },
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
        self.table.end_stretch();
        let is_text_time = self.table.tally.text_times;
        let style = Style::of(&self.table.keep);
        let context = Context { columns: &self.table.columns, origin: self.origin(), is_text_time, style };
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
        let known = known.chain(self.interpreter.splitter().doubt());
        // Before the columns are known, none is missing.
        let events = if !self.table.has_header { Vec::new() } else { self.table.events.troubles() };
        known.chain(events)
    }

    /// The documents that describe its tables, with the names of their files; none before the columns are known.
    pub(super) fn documents(&self) -> Vec<(&'static str, String)> {
        if !self.has_columns() {
            return Vec::new();
        }
        let mut documents = vec![(METADATA, self.document(super::READINGS))];
        if self.has_conditions() {
            documents.push((EVENTS_METADATA, metadata::of_events(&self.table.columns, Style::of(&self.table.keep))));
        }
        documents
    }

    /// The document of the table, or of a part of it, in the file called `url`.
    pub(super) fn document(&self, url: &str) -> String {
        let table = &self.table;
        let columns: Vec<metadata::Described<'_>> = if let Pace::Each { .. } = table.keep.pace {
            let described = |own: &Summed| table.columns[own.column].described(own.name.clone(), Some(own.statistic));
            table.summed.iter().map(described).collect()
        } else {
            table.columns.iter().map(|column| column.described(column.name.clone(), None)).collect()
        };
        let style = Style::of(&table.keep);
        let splitter = self.interpreter.splitter();
        let read =
            splitter.doubt().or_else(|| Some(format!("lines are read as {}, sure", splitter.shape()?.sentence())));
        metadata::document(url, &read.unwrap_or_default(), &columns, &table.keep.pace, table.tally.text_times, style)
    }

    /// Whether the header is written.
    pub(super) fn has_columns(&self) -> bool {
        self.table.has_header
    }

    /// The header row, once it is written.
    pub(super) fn header(&self) -> Vec<u8> {
        self.table.header()
    }
}

impl Column {
    pub(super) fn described(&self, name: String, statistic: Option<Statistic>) -> metadata::Described<'_> {
        metadata::Described { name, unit: &self.unit, datatype: self.datatype(), statistic }
    }
}

impl Table {
    /// Writes the header, with columns for each channel that is known by now and is to be kept.
    #[cold]
    fn begin(&mut self) {
        if std::mem::replace(&mut self.has_header, true) {
            return;
        }
        let layout = std::mem::take(&mut self.layout);
        let decimals = self.keep.decimals;
        self.channels = layout.channels().len();
        for name in &self.keep.channels {
            if !layout.channels().iter().any(|channel| channel.name == *name || channel.title() == name) {
                self.troubles.push(format!("there is no channel {name}, so that none of it is in the table"));
            }
        }
        for (index, channel) in layout.channels().iter().enumerate() {
            let is_clock = channel.kind == Kind::Clock || self.clock.as_ref() == Some(&channel.name);
            let is_left_out = is_clock && !self.keep.clocks.board();
            if is_left_out || !self.keep.has(&channel.name, channel.title()) {
                continue;
            }
            let column = Column::new(channel, index, What::Quantity, decimals);
            self.add(column);
            let same = channel.formula.is_some() || (channel.scale.is_plain() && channel.words.is_empty());
            if self.keep.raw && !same {
                self.add(Column::new(channel, index, What::Raw, None));
            }
            if self.keep.smoothed && smooths(&channel.smooth) {
                self.add(Column::new(channel, index, What::Smoothed, decimals));
            }
        }
        self.layout = layout;
        if let Pace::Each { values, .. } = &self.keep.pace {
            let summed = |(i, own)| Summed::of(i, own, values, decimals);
            self.summed = self.columns.iter().enumerate().flat_map(summed).collect();
            self.stretch.gathered = vec![Gatherer::default(); self.columns.len()];
        }
        self.out.extend(self.header());
        self.events.begin(&self.columns, Style::of(&self.keep));
    }

    /// The header row. Labels, names and words are plain, so no cell needs quotes.
    fn header(&self) -> Vec<u8> {
        let is_each = matches!(self.keep.pace, Pace::Each { .. });
        let mut names = vec!["time_s"];
        names.extend(self.keep.clocks.wall().then_some("wall_clock"));
        names.extend(is_each.then_some("rows"));
        names.extend(self.summed.iter().map(|own| own.name.as_str()));
        names.extend(self.columns.iter().filter(|_| !is_each).map(|own| own.name.as_str()));
        let delimiter = char::from(Style::of(&self.keep).delimiter());
        format!("{}\r\n", names.join(&delimiter.to_string())).into_bytes()
    }

    /// Writes the clocks in front of a row's other cells.
    fn write_clocks(&mut self, at: Stamp, origin: Stamp, is_text_time: bool) {
        let style = Style::of(&self.keep);
        let begin = self.out.len();
        when::seconds(at.0 - origin.0, &mut self.out);
        style.point(&mut self.out[begin..]);
        if style.wall {
            self.out.push(style.delimiter());
            if !is_text_time {
                self.wall.write(at, &mut self.out);
            }
        }
    }

    /// Writes the rows that are kept of these.
    fn write_rows(&mut self, rows: &Rows<'_>, values: &[Values], origin: Stamp) {
        let style = Style::of(&self.keep);
        match self.keep.pace {
            Pace::Every(n) => {
                for (row, at) in rows.times.iter().enumerate() {
                    if n > 1 && !(self.tally.rows + row as u64).is_multiple_of(n) {
                        continue;
                    }
                    self.write_clocks(*at, origin, rows.is_text_time);
                    for column in &self.columns {
                        self.out.push(style.delimiter());
                        column.write_row(values, row, style, &mut self.out);
                    }
                    self.out.extend_from_slice(b"\r\n");
                }
            }
            Pace::Each { seconds, .. } => {
                let length = (seconds * 1e9).max(1.0) as i64;
                for (row, at) in rows.times.iter().enumerate() {
                    let number = (at.0 - origin.0).div_euclid(length);
                    if self.stretch.number != Some(number) {
                        self.end_stretch();
                        self.stretch.number = Some(number);
                        self.stretch.text_time = rows.is_text_time;
                    }
                    self.stretch.rows += 1;
                    for (column, gathered) in self.columns.iter().zip(&mut self.stretch.gathered) {
                        gathered.take(column.value(values[column.channel].now(row)));
                    }
                }
            }
        }
    }

    /// Writes the row of the stretch that is under way, if there is one; its time is that of the stretch's beginning.
    fn end_stretch(&mut self) {
        let Pace::Each { seconds, .. } = self.keep.pace else { return };
        let (Some(number), Some(origin)) = (self.stretch.number.take(), self.origin) else { return };
        let style = Style::of(&self.keep);
        let begins = origin.0.saturating_add(number.saturating_mul((seconds * 1e9).max(1.0) as i64));
        self.write_clocks(Stamp(begins), origin, self.stretch.text_time);
        self.out.push(style.delimiter());
        self.out.extend_from_slice(itoa::Buffer::new().format(self.stretch.rows).as_bytes());
        for own in &self.summed {
            self.out.push(style.delimiter());
            let value = self.stretch.gathered[own.column].gives(own.statistic);
            self.columns[own.column].write(value, own.form, style, &mut self.out);
        }
        self.out.extend_from_slice(b"\r\n");
        self.stretch.rows = 0;
        self.stretch.gathered.fill(Gatherer::default());
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
        // A board may have more words for its codes by now.
        for column in self.columns.iter_mut().filter(|column| !column.words.is_empty()) {
            if let Some(channel) = layout.channels().get(column.channel) {
                column.words.clone_from(&channel.words);
            }
        }
        self.derived.follow(layout.channels());
        self.events.follow(layout.channels());
    }

    fn rows(&mut self, rows: &Rows<'_>) {
        self.begin();
        self.derived.take(rows.times, rows.raw);
        let origin = *self.origin.get_or_insert(self.start.min(rows.times[0]));
        let derived = std::mem::replace(&mut self.derived, Derived::new(false));
        let values = derived.values();
        self.write_rows(rows, values, origin);
        let style = Style::of(&self.keep);
        let context = Context { columns: &self.columns, origin, is_text_time: rows.is_text_time, style };
        self.events.rows(self.tally.rows, rows.times, values, &context);
        self.tally.events = self.events.count();
        self.tally.text_times |= rows.is_text_time;
        self.tally.rows += rows.count() as u64;
        let first = self.tally.times.map_or(rows.times[0], |(first, _)| first);
        self.tally.times = rows.times.last().map(|last| (first, *last));
        // A table cannot grow columns: what comes for others stays in `wire.bin` and is counted.
        let late = values.iter().skip(self.channels).flat_map(|values| &values.raw);
        self.tally.late_fields += late.filter(|raw| !raw.is_nan()).count() as u64;
        self.derived = derived;
    }

    fn gap(&mut self) {
        self.derived.deriver_mut().break_off();
        self.events.break_off();
    }

    fn line(&mut self, _: Stamp, outcome: LineOutcome, _: &[u8]) {
        match outcome {
            LineOutcome::Message => self.tally.messages += 1,
            LineOutcome::Rejected(why) => {
                self.tally.rejected += 1;
                self.tally.unreadable += u64::from(matches!(why, Rejection::Unreadable | Rejection::TooLong));
            }
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
        let keep = Keep { raw: true, smoothed: true, ..Keep::default() };
        let mut bench = Bench::of(SourceSettings { channel: vec![channel, sum], ..SourceSettings::default() });
        bench.shared.keep = keep;
        let start = Stamp(1_700_000_000_000_000_000);
        let mut decoder = Decoder::new(&bench, start);
        decoder.feed(start, b"hello\na=1 b=2\na=2 b=");
        decoder.feed(start.plus(0.5), b"nan\n");
        for i in 0..14 {
            decoder.feed(start.plus(0.55 + f64::from(i) * 0.05), format!("a={} b=9\n", i.min(5)).as_bytes());
        }
        assert_eq!(decoder.take_output(), b"", "the rule of time is not known yet");
        assert_eq!(decoder.tally().rows, 16);
        decoder.feed(start.plus(1.5), b"a=3 b=4 c=1\na=3 b=4 c=1\na=3 b=4 c=1\na=x b=4\n");
        decoder.finish();
        let table = String::from_utf8(decoder.take_output()).unwrap();
        assert_eq!(
            table
                .split("\r\n")
                .enumerate()
                .filter(|(i, _)| *i < 3 || *i > 16)
                .map(|(_, line)| line)
                .collect::<Vec<_>>(),
            [
                "time_s,wall_clock,a,a_raw,a_smoothed,b,sum,c",
                "0.000000,2023-11-14T22:13:20.000000Z,0.0049,1,0.004883,2,,",
                "0.500000,2023-11-14T22:13:20.500000Z,0.0098,2,0.007324,,,",
                "1.500000,2023-11-14T22:13:21.500000Z,0.0146,3,0.019531,4,4.33333333333,1",
                ""
            ]
        );
        let tally = decoder.tally();
        assert_eq!((tally.rows, tally.rejected, tally.messages, tally.late_fields), (17, 3, 1, 0));
        // Once the header is written there is no more room.
        decoder.feed(start.plus(2.0), "a=1 b=2 d=9\n".repeat(5).as_bytes());
        assert_eq!((decoder.tally().rows, decoder.tally().late_fields), (20, 3));
    }

    #[test]
    fn start_up_text_is_no_table_words_stand_for_codes_and_a_doubt_is_told() {
        let start = Stamp(1_700_000_000_000_000_000);
        let mut decoder = Decoder::new(&Bench::default(), start);
        decoder.feed(start, "load:0x3fff0030,len:1344\r\n".repeat(6).as_bytes());
        for i in 0..40 {
            let at = start.plus(1.0 + f64::from(i));
            let mode = ["still", "waves"][i as usize / 5 % 2];
            decoder.feed(at, format!("12:59:{:02} -> {} {mode}\r\n", 10 + i, 500 + i % 7).as_bytes());
        }
        decoder.finish();
        let table = String::from_utf8(decoder.take_output()).unwrap();
        assert!(table.starts_with("time_s,wall_clock,clock_s,field1,field2\r\n"), "{}", &table[..60]);
        assert!(
            table.lines().nth(6).is_some_and(|row| row.starts_with("6.") && row.ends_with(",46755,505,waves")),
            "{table}"
        );
        assert_eq!((decoder.tally().rows, decoder.troubles().next()), (40, None));
        // Two readings are left.
        let mut decoder = Decoder::new(&Bench::default(), start);
        for i in 0..40 {
            decoder.feed(start.plus(f64::from(i)), format!("ADC: {},{}\r\n", 443 + i, 606 - i).as_bytes());
        }
        decoder.finish();
        let told: Vec<String> = decoder.troubles().collect();
        assert!(told[0].contains("unsure") && told[0].contains("pattern ADC: {ADC:thousands}"), "{told:?}");
        assert!(decoder.document("readings.csv").contains("dc:description\": \"lines are read as"));
    }

    #[test]
    fn a_table_of_some_channels_at_another_pace_in_another_style() {
        let table = |keep: &str| {
            let text = format!("format = 3\n[keep]\n{keep}\n");
            let mut bench = Bench::default();
            bench.shared.keep = Bench::parse(&text).map(|bench| bench.shared.keep).expect(keep);
            bench.sources[0].time = Time::Arrival;
            let mut decoder = Decoder::new(&bench, Stamp(1_700_000_000_000_000_000));
            for i in 0..20 {
                let at = Stamp(1_700_000_000_000_000_000).plus(f64::from(i) * 0.25 + if i < 10 { 0.0 } else { 5.0 });
                decoder.feed(at, format!("a={} b={}.5\n", i, i * i).as_bytes());
            }
            decoder.finish();
            String::from_utf8(decoder.take_output()).unwrap()
        };
        let rows = |keep: &str| -> Vec<String> { table(keep).lines().map(str::to_owned).collect() };
        let some = rows("channels = [\"b\", \"gone\"]\npace = \"every 8\"\nclocks = \"none\"\ndecimal_comma = true");
        assert_eq!(some, ["time_s;b", "0,000000;0,5", "2,000000;64,5", "9,000000;256,5"]);
        let each = rows("pace = \"1 s mean last\"\nclocks = \"none\"\ndecimals = 2\nchannels = [\"a\"]");
        assert_eq!(each[..3], ["time_s,rows,a_mean,a_last", "0.000000,4,1.50,3.00", "1.000000,4,5.50,7.00"]);
        assert_eq!(
            each[3..],
            ["2.000000,2,8.50,9.00", "7.000000,2,10.50,11.00", "8.000000,4,13.50,15.00", "9.000000,4,17.50,19.00"],
            "nothing stands for a stretch without rows"
        );
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
