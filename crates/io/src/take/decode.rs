//! The codec of `readings.csv`: bytes of the wire in, bytes of the table out.

use super::events::{Context, Events};
use super::hearing::{Hearing, Settled, unread_said};
use super::sheet::Sheet;
use super::wire::Event;
use super::{EVENTS_METADATA, METADATA, metadata};
use amber_core::Stamp;
use amber_core::bench::Bench;
use amber_core::clock::{Across, Time};
use amber_core::derive::Derived;
use amber_core::interpret::{Interpreter, Layout, RowSink, Rows};
use amber_core::split::{LineOutcome, Rejection};

/// The number of the way in which bytes become a table; another one may make another table of the same bytes.
pub const DECODER: u32 = 7;

/// Seconds by which a row may come late that still belongs to what a row of the table stands for.
const LATE: f64 = 1.0;

/// What the decoder has seen.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Tally {
    /// Rows, those included that wait for their times.
    pub rows: u64,
    /// Rows of the table, which may stand for several.
    pub table_rows: u64,
    /// Lines rejected.
    pub rejected: u64,
    /// Those of them that are no readable text.
    pub unreadable: u64,
    /// The board's own words, in lines.
    pub messages: u64,
    /// Values in `late.csv`: those of channels that came when the header of the table was written.
    pub late_values: u64,
    /// The times of the first and the last row that are written.
    pub times: Option<(Stamp, Stamp)>,
    /// Events of the conditions.
    pub events: u64,
    /// Rows whose times come from a text and not from the clock on the wall.
    pub text_times: bool,
    /// Bytes that were heard at a wrong baud rate while it was being detected, and are not read.
    pub unread: u64,
}

impl Tally {
    /// Rows a second, over the rows that are written; `None` while there are fewer than two.
    pub fn rate(&self) -> Option<f64> {
        let (first, last) = self.times?;
        let seconds = last.seconds_since(first);
        (self.rows > 1 && seconds > 0.0).then(|| (self.rows - 1) as f64 / seconds)
    }
}

/// Turns the bytes of a take into its table. The same bytes, stamps and settings give the same table, however the
/// bytes are cut, as long as each line is completed by a piece with the same stamp.
#[derive(Debug)]
pub struct Decoder {
    interpreter: Interpreter,
    table: Table,
    /// The newest stamp that it was given.
    newest: Option<Stamp>,
    /// What was heard while the baud rate is being detected.
    hearing: Hearing,
}

#[derive(Debug)]
struct Table {
    start: Stamp,
    /// The time that is 0 in the table, once a row is written: the start, or that of a row that was measured before it.
    origin: Option<Stamp>,
    layout: Layout,
    /// Nobody asks for smoothed values unless a formula or the settings do.
    derived: Derived,
    sheet: Sheet,
    events: Events,
    tally: Tally,
}

impl Decoder {
    /// A decoder for a take that started at `start` with the settings of `bench`.
    pub fn new(bench: &Bench, start: Stamp) -> Self {
        let keep = bench.shared.keep.clone();
        let clock = match &bench.first().time {
            Time::Board { channel, .. } => Some(channel.clone()),
            _ => None,
        };
        let mut table = Table {
            start,
            origin: None,
            layout: Layout::default(),
            derived: Derived::new(keep.smoothed),
            sheet: Sheet::new(keep, clock),
            events: Events::new(&bench.first().condition),
            tally: Tally::default(),
        };
        let settings = bench.first();
        let shape = settings.split.shape();
        let mut interpreter = Interpreter::new(shape, settings.time.clone(), &settings.channel).patient();
        interpreter.begin(&mut table);
        Decoder { interpreter, table, newest: None, hearing: Hearing::default() }
    }

    /// Something happened to the source, at `at`. The last line of a text that has come to its end counts although it may
    /// have no ending.
    pub fn apply(&mut self, at: Stamp, event: Event) {
        self.newest = self.newest.max(Some(at));
        match event {
            Event::Opened { opening, within } => {
                self.interpreter.open(opening, within.then_some(at), &mut self.table);
            }
            Event::Listening(baud) => self.hearing.listen(at, baud),
            Event::Speed(baud) => {
                let settled = self.hearing.settle(Some(baud));
                self.read(settled);
            }
            Event::Ended => self.interpreter.end(at, &mut self.table),
            Event::Stopped => {}
        }
    }

    /// Reads what waited for the baud rate.
    fn read(&mut self, settled: Settled) {
        for (at, event, bytes) in settled {
            match event {
                Some(Event::Opened { within, opening }) => {
                    self.interpreter.open(opening, within.then_some(at), &mut self.table);
                }
                _ => self.interpreter.feed(at, &bytes, &mut self.table),
            }
        }
    }

    /// Bytes that were heard at a wrong baud rate and are not read, since the last call.
    pub(super) fn take_unread(&mut self) -> u64 {
        let unread = self.hearing.take_unread();
        self.table.tally.unread += unread;
        unread
    }

    /// These bytes were sent to the board at `at`: what comes may answer them.
    pub fn sent(&mut self, at: Stamp, bytes: &[u8]) {
        self.newest = self.newest.max(Some(at));
        self.interpreter.sent(at, bytes, &mut self.table);
    }

    /// Takes bytes that arrived at `at`.
    pub fn feed(&mut self, at: Stamp, bytes: &[u8]) {
        self.newest = self.newest.max(Some(at));
        match self.hearing.is_listening() {
            true => self.hearing.hear(at, bytes),
            false => self.interpreter.feed(at, bytes, &mut self.table),
        }
    }

    /// No more will come: writes the rows that wait.
    pub fn finish(&mut self) {
        if self.hearing.is_listening() {
            let settled = self.hearing.settle(None);
            self.read(settled);
        }
        self.interpreter.finish(None, &mut self.table);
        if !self.table.layout.channels().is_empty() {
            self.table.begin(self.interpreter.joint().timing().timer().across());
        }
        self.table.sheet.end_stretch(self.table.origin);
        let is_text_time = self.table.tally.text_times;
        let sheet = &self.table.sheet;
        let (across, style) = (sheet.across(), sheet.style());
        let context = Context { columns: sheet.columns(), origin: self.origin(), is_text_time, across, style };
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
        self.table.sheet.take_output()
    }

    /// The rows of `late.csv` that were made since the last call: what channels say that came when the header of the table
    /// was written. Nothing where there are none.
    pub fn take_late(&mut self) -> Vec<u8> {
        self.table.sheet.take_late()
    }

    /// The header row of `late.csv`.
    pub(super) fn late_header(&self) -> Vec<u8> {
        self.table.sheet.late_header()
    }

    /// What was seen so far.
    pub fn tally(&self) -> Tally {
        let rows = self.table.tally.rows + self.interpreter.waiting();
        Tally { rows, table_rows: self.table.sheet.table_rows(rows), ..self.table.tally }
    }

    /// Whether its table has all rows that it is to have at `now`, as a plan limits them.
    pub(super) fn is_full(&self, most: u64, now: Stamp) -> bool {
        // A row that stands for several may be over though none came behind it.
        let is_over = |end: Stamp| now.seconds_since(end) >= LATE;
        self.tally().table_rows >= most || self.table.sheet.ends_at(self.origin()).is_some_and(is_over)
    }

    /// The instant that is 0 in the table.
    pub fn origin(&self) -> Stamp {
        self.table.origin.unwrap_or(self.table.start)
    }

    /// What had to be done otherwise than the settings say, in sentences.
    pub fn troubles(&self) -> impl Iterator<Item = String> {
        let known = self.table.layout.troubles().iter().chain(self.table.sheet.troubles()).cloned();
        let known = known.chain(self.interpreter.splitter().doubt()).chain(unread_said(self.table.tally.unread));
        // Before the columns are known, none is missing.
        let events = if !self.has_columns() { Vec::new() } else { self.table.events.troubles() };
        known.chain(events)
    }

    /// The documents that describe its tables, with the names of their files; none before the columns are known.
    pub(super) fn documents(&self) -> Vec<(&'static str, String)> {
        if !self.has_columns() {
            return Vec::new();
        }
        let mut documents = vec![(METADATA, self.document(super::READINGS))];
        if self.has_conditions() {
            let sheet = &self.table.sheet;
            documents.push((EVENTS_METADATA, metadata::of_events(sheet.columns(), sheet.across(), sheet.style())));
        }
        documents
    }

    /// The document of the table, or of a part of it, in the file called `url`.
    pub(super) fn document(&self, url: &str) -> String {
        let splitter = self.interpreter.splitter();
        let read =
            splitter.doubt().or_else(|| Some(format!("lines are read as {}, sure", splitter.shape()?.sentence())));
        self.table.sheet.document(url, &read.unwrap_or_default(), self.table.tally.text_times)
    }

    /// Whether the header is written.
    pub(crate) fn has_columns(&self) -> bool {
        self.table.sheet.has_header()
    }

    /// The names of the columns behind the clocks, each with its unit, once there are any.
    pub(crate) fn columns(&self) -> Vec<(String, String)> {
        self.table.sheet.named_columns()
    }

    /// The header row, once it is written.
    pub(super) fn header(&self) -> Vec<u8> {
        self.table.sheet.header()
    }
}

impl Table {
    /// Writes the headers, with columns for the channels that are known by now.
    fn begin(&mut self, across: Across) {
        if !self.sheet.has_header() {
            self.sheet.begin(&self.layout, across);
            self.events.begin(self.sheet.columns(), across, self.sheet.style());
        }
    }
}

impl RowSink for Table {
    fn layout(&mut self, layout: &Layout) {
        self.layout = layout.clone();
        self.sheet.follow(layout);
        self.derived.follow(layout.channels());
        self.events.follow(layout.channels());
    }

    fn rows(&mut self, rows: &Rows<'_>) {
        self.begin(rows.across);
        self.derived.take(rows.times, rows.raw);
        let origin = *self.origin.get_or_insert(self.start.min(rows.times[0]));
        let (first, values) = (self.tally.rows, self.derived.values());
        self.sheet.rows(first, rows, values, origin);
        let (columns, style) = (self.sheet.columns(), self.sheet.style());
        let across = self.sheet.across();
        let context = Context { columns, origin, is_text_time: rows.is_text_time, across, style };
        self.events.rows(first, rows.times, values, &context);
        self.tally.events = self.events.count();
        self.tally.text_times |= rows.is_text_time;
        self.tally.rows += rows.count() as u64;
        let first = self.tally.times.map_or(rows.times[0], |(first, _)| first);
        self.tally.times = rows.times.last().map(|last| (first, *last));
        self.tally.late_values = self.sheet.late_values();
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

#[cfg(test)]
mod tests {
    use super::*;
    use amber_core::bench::{ChannelSettings, SourceSettings};
    use amber_core::formula::Formula;
    use amber_core::keep::Keep;
    use amber_core::scale::{Scale, Step};
    use amber_core::smooth::{Mean, Strength};

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
                "time_s,wall_clock,a,a_raw,a_smoothed,b,c,sum",
                "0.000000,2023-11-14T22:13:20.000000Z,0.0049,1,0.004883,2,,",
                "0.500000,2023-11-14T22:13:20.500000Z,0.0098,2,0.007324,,,",
                "1.500000,2023-11-14T22:13:21.500000Z,0.0146,3,0.019531,4,1,4.33333333333",
                "1.500000,2023-11-14T22:13:21.500000Z,0.0146,3,0.014648,4,1,4.33333333333",
                "1.500000,2023-11-14T22:13:21.500000Z,0.0146,3,0.014648,4,1,4.33333333333",
                ""
            ]
        );
        let tally = decoder.tally();
        assert_eq!((tally.rows, tally.rejected, tally.messages, tally.late_values), (19, 1, 1, 0));
        // Once the header is written there is no more room.
        decoder.feed(start.plus(2.0), b"a=1 b=2 c=0 d=9\na=1 b=2\na=1 d=8\n");
        assert_eq!((decoder.tally().rows, decoder.tally().late_values), (22, 2));
        let late = "2.000000,2023-11-14T22:13:22.000000Z,d,,";
        assert_eq!(String::from_utf8(decoder.take_late()).unwrap(), format!("{late}9\r\n{late}8\r\n"));
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
