//! The text of a take's table as it grows, and of what has no place in it.

use super::columns::{Column, Style, Summed, What};
use super::when::{self, WallClock};
use super::{csv_row, metadata};
use amber_core::Stamp;
use amber_core::bench::Kind;
use amber_core::clock::Across;
use amber_core::derive::Values;
use amber_core::interpret::{Layout, Rows};
use amber_core::keep::{Gatherer, Keep, Pace};
use amber_core::smooth::smooths;

/// Names that the table needs for itself.
const TAKEN: [&str; 3] = ["time_s", "wall_clock", "rows"];

/// A name for a column that no other one has.
pub(crate) fn free_name(name: String, is_taken: impl Fn(&str) -> bool) -> String {
    if !is_taken(&name) {
        return name;
    }
    (2..).map(|n| format!("{name}_{n}")).find(|name| !is_taken(name)).unwrap_or(name)
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

/// The table: it has columns for the channels that were known when its first row was written.
#[derive(Debug)]
pub(super) struct Sheet {
    keep: Keep,
    /// The channel that the times of the rows come from, if one does.
    clock: Option<String>,
    columns: Vec<Column>,
    /// The columns of the table, where its rows stand for several.
    summed: Vec<Summed>,
    stretch: Stretch,
    /// The channels that were known when the header was written.
    channels: usize,
    has_header: bool,
    wall: WallClock,
    /// What its first column counts.
    across: Across,
    /// Rows that are written, and the most that are to be.
    written: u64,
    most: Option<u64>,
    out: Vec<u8>,
    late: Late,
    troubles: Vec<String>,
}

/// What channels say that came when the header was written: a row for each value, in a table of its own.
#[derive(Debug, Default)]
struct Late {
    columns: Vec<Column>,
    values: u64,
    out: Vec<u8>,
}

impl Sheet {
    /// A table of what `keep` says; the times of its rows come from the channel `clock`, if that is one.
    pub(super) fn new(keep: Keep, clock: Option<String>) -> Sheet {
        Sheet {
            most: keep.stop.rows(),
            written: 0,
            across: Across::Seconds,
            keep,
            clock,
            columns: Vec::new(),
            summed: Vec::new(),
            stretch: Stretch::default(),
            channels: 0,
            has_header: false,
            wall: WallClock::default(),
            out: Vec::new(),
            late: Late::default(),
            troubles: Vec::new(),
        }
    }

    /// How it is written.
    pub(super) fn style(&self) -> Style {
        Style::of(&self.keep)
    }

    /// Its columns, before those of a row that stands for several are made of them.
    pub(super) fn columns(&self) -> &[Column] {
        &self.columns
    }

    /// The names of its columns behind the clocks, each with its unit.
    pub(super) fn named_columns(&self) -> Vec<(String, String)> {
        if let Pace::Each { .. } = self.keep.pace {
            self.summed.iter().map(|own| (own.name.clone(), self.columns[own.column].unit.clone())).collect()
        } else {
            self.columns.iter().map(|own| (own.name.clone(), own.unit.clone())).collect()
        }
    }

    /// Whether the header is written.
    pub(super) fn has_header(&self) -> bool {
        self.has_header
    }

    /// What had to be done otherwise than the settings say, in sentences.
    pub(super) fn troubles(&self) -> &[String] {
        &self.troubles
    }

    /// Values of channels that came when the header was written.
    pub(super) fn late_values(&self) -> u64 {
        self.late.values
    }

    /// Rows of the table, where `rows` rows of the board came, those included whose times are not known yet. One that stands for
    /// several is there when they are all.
    pub(super) fn table_rows(&self, rows: u64) -> u64 {
        match self.keep.pace {
            Pace::Every(n) => rows.div_ceil(n.max(1)),
            Pace::Each { .. } => self.written,
        }
    }

    /// When the last row that is to be in the table is over, where it stands for several and is being gathered.
    pub(super) fn ends_at(&self, origin: Stamp) -> Option<Stamp> {
        let (Pace::Each { seconds, .. }, Some(number)) = (&self.keep.pace, self.stretch.number) else { return None };
        (self.written + 1 >= self.most?).then(|| origin.plus((number + 1) as f64 * seconds))
    }

    /// The part of the table that was made since the last call.
    pub(super) fn take_output(&mut self) -> Vec<u8> {
        std::mem::take(&mut self.out)
    }

    /// The part of `late.csv`, without its header, that was made since the last call.
    pub(super) fn take_late(&mut self) -> Vec<u8> {
        std::mem::take(&mut self.late.out)
    }

    /// The document that describes it, in the file called `url`; `read` says how lines were read.
    pub(super) fn document(&self, url: &str, read: &str, text_times: bool) -> String {
        let columns: Vec<metadata::Described<'_>> = if let Pace::Each { .. } = self.keep.pace {
            let described = |own: &Summed| self.columns[own.column].described(own.name.clone(), Some(own.statistic));
            self.summed.iter().map(described).collect()
        } else {
            self.columns.iter().map(|column| column.described(column.name.clone(), None)).collect()
        };
        metadata::document(url, read, &columns, &self.keep.pace, self.across, text_times, self.style())
    }

    /// The channels are these from here on: a board may have more words for its codes, and more channels, which the table
    /// has no columns for once it has begun.
    pub(super) fn follow(&mut self, layout: &Layout) {
        let channels = layout.channels();
        for column in self.columns.iter_mut().chain(&mut self.late.columns).filter(|column| !column.words.is_empty()) {
            if let Some(channel) = channels.get(column.channel) {
                column.words.clone_from(&channel.words);
            }
        }
        let known = self.late.columns.last().map_or(self.channels, |column| column.channel + 1);
        for (index, channel) in channels.iter().enumerate().skip(known).filter(|_| self.has_header) {
            if self.keep.has(&channel.name, channel.title()) {
                self.late.columns.push(Column::new(channel, index, What::Quantity, self.keep.decimals));
            }
        }
    }

    /// Writes the header, with columns for each channel that is known by now and is to be kept.
    #[cold]
    pub(super) fn begin(&mut self, layout: &Layout, across: Across) {
        if std::mem::replace(&mut self.has_header, true) {
            return;
        }
        self.across = across;
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
        if let Pace::Each { values, .. } = &self.keep.pace {
            let summed = |(i, own)| Summed::of(i, own, values, decimals);
            self.summed = self.columns.iter().enumerate().flat_map(summed).collect();
            self.stretch.gathered = vec![Gatherer::default(); self.columns.len()];
        }
        self.out.extend(self.header());
    }

    /// The header row of `late.csv`.
    pub(super) fn late_header(&self) -> Vec<u8> {
        format!("{},wall_clock,channel,unit,value\r\n", self.across.column()).into_bytes()
    }

    /// What its rows are counted by.
    pub(super) fn across(&self) -> Across {
        self.across
    }

    /// The header row. Labels, names and words are plain, so no cell needs quotes.
    pub(super) fn header(&self) -> Vec<u8> {
        let is_each = matches!(self.keep.pace, Pace::Each { .. });
        let mut names = vec![self.across.column()];
        names.extend(self.keep.clocks.wall().then_some("wall_clock"));
        names.extend(is_each.then_some("rows"));
        names.extend(self.summed.iter().map(|own| own.name.as_str()));
        names.extend(self.columns.iter().filter(|_| !is_each).map(|own| own.name.as_str()));
        let delimiter = char::from(self.style().delimiter());
        format!("{}\r\n", names.join(&delimiter.to_string())).into_bytes()
    }

    /// Writes the clocks in front of a row's other cells.
    fn write_clocks(&mut self, at: Stamp, origin: Stamp, is_text_time: bool) {
        let style = self.style();
        when::along(self.across, at.0 - origin.0, style, &mut self.out);
        if style.wall {
            self.out.push(style.delimiter());
            if !is_text_time {
                self.wall.write(at, &mut self.out);
            }
        }
    }

    /// Writes the rows that are kept of these, the first of which has the number `first`.
    pub(super) fn rows(&mut self, first: u64, rows: &Rows<'_>, values: &[Values], origin: Stamp) {
        if !self.late.columns.is_empty() {
            self.late_rows(rows, values, origin);
        }
        let style = self.style();
        match self.keep.pace {
            Pace::Every(n) => {
                for (row, at) in rows.times.iter().enumerate() {
                    if n > 1 && !(first + row as u64).is_multiple_of(n) {
                        continue;
                    }
                    if self.most.is_some_and(|most| self.written >= most) {
                        return;
                    }
                    self.written += 1;
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
                        self.end_stretch(Some(origin));
                        if self.most.is_some_and(|most| self.written >= most) {
                            return;
                        }
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
    pub(super) fn end_stretch(&mut self, origin: Option<Stamp>) {
        let Pace::Each { seconds, .. } = self.keep.pace else { return };
        let (Some(number), Some(origin)) = (self.stretch.number.take(), origin) else { return };
        self.written += 1;
        let style = self.style();
        let begins = origin.0.saturating_add(number.saturating_mul((seconds * 1e9).max(1.0) as i64));
        self.write_clocks(Stamp(begins), origin, self.stretch.text_time);
        self.out.push(style.delimiter());
        self.out.extend_from_slice(itoa::Buffer::new().format(self.stretch.rows).as_bytes());
        for own in &self.summed {
            self.out.push(style.delimiter());
            let value = self.stretch.gathered[own.column].gives(own.statistic);
            own.write(value, &self.columns[own.column], style, &mut self.out);
        }
        self.out.extend_from_slice(b"\r\n");
        self.stretch.rows = 0;
        self.stretch.gathered.fill(Gatherer::default());
    }

    fn add(&mut self, mut column: Column) {
        let own = |name: &str| TAKEN.contains(&name) || name == self.across.column();
        let is_taken = |name: &str| own(name) || self.columns.iter().any(|column| column.name == name);
        let name = free_name(column.name.clone(), is_taken);
        if name != column.name {
            self.troubles
                .push(format!("there is a column {} already, so a channel is named {name} there", column.name));
            column.name = name;
        }
        self.columns.push(column);
    }

    /// Writes what late channels say in these rows.
    #[cold]
    fn late_rows(&mut self, rows: &Rows<'_>, values: &[Values], origin: Stamp) {
        let style = self.style();
        for (row, at) in rows.times.iter().enumerate() {
            for column in &self.late.columns {
                let mut cell = Vec::new();
                column.write_row(values, row, style, &mut cell);
                if cell.is_empty() {
                    continue;
                }
                self.late.values += 1;
                let wall = if rows.is_text_time { String::new() } else { when::iso8601(*at) };
                let mut place = Vec::new();
                when::along(self.across, at.0 - origin.0, Style { decimal_comma: false, ..style }, &mut place);
                let fields = [place, wall.into(), column.name.clone().into(), column.unit.clone().into(), cell];
                self.late.out.extend(csv_row(&fields));
            }
        }
    }
}
