//! Blocks: a stretch of rows that is kept by itself, with its statistics, to be compared and written.

mod statistics;

pub use statistics::{Histogram, Statistics, effective_bits};

use crate::Stamp;
use crate::chain::Chain;
use crate::clock::Across;
use crate::digits::write_shortest;
use std::ops::Range;

/// The most rows of a block.
pub const MOST_ROWS: usize = 1 << 20;

/// Numbers of rows that are offered.
pub const SIZES: [usize; 12] = [16, 32, 64, 128, 256, 512, 1024, 2048, 4096, 8192, 16384, 65536];

/// How long a block is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Length {
    /// So many rows, 1 to [`MOST_ROWS`].
    Rows(usize),
    /// So many seconds, above 0.
    Seconds(f64),
}

impl Length {
    /// The rows of a block that ends in front of row `end`; fewer where there are no more, or more than [`MOST_ROWS`].
    pub fn before(self, chain: &Chain, end: u64) -> Range<u64> {
        let store = chain.store();
        let end = end.min(store.rows().end).max(store.rows().start);
        let begin = match self {
            Length::Rows(rows) => end.saturating_sub(rows as u64),
            Length::Seconds(seconds) => match end.checked_sub(1).and_then(|last| store.time(last)) {
                // Of a stretch that is open at its begin, the rows fit the seconds: 100 rows of 10 ms are one second.
                Some(last) => store.between(last.plus(-seconds + 1e-9), last).start,
                None => end,
            },
        };
        begin.max(store.rows().start).max(end.saturating_sub(MOST_ROWS as u64))..end
    }
}

/// One channel of a block.
#[derive(Clone, Debug, PartialEq)]
pub struct Column {
    /// What it is called.
    pub name: String,
    /// The unit of its quantity.
    pub unit: String,
    /// The decimals of its quantity.
    pub decimals: usize,
    /// The quantity of one step of the raw value; NaN where that is not known.
    pub resolution: f64,
    /// The steps of its converter, where one is described.
    pub full_scale: Option<f64>,
    /// The values as they came; NaN stands for a gap.
    pub raw: Vec<f64>,
    /// Scaled.
    pub quantity: Vec<f64>,
    /// Smoothed, where that is done.
    pub smoothed: Option<Vec<f64>>,
}

impl Column {
    /// Whether the quantity is something else than the raw value.
    pub fn is_scaled(&self) -> bool {
        self.raw
            .iter()
            .zip(&self.quantity)
            .any(|(raw, quantity)| raw != quantity && !(raw.is_nan() && quantity.is_nan()))
    }

    /// What leaves the chain's fourth stage: smoothed where that is done, else the quantity.
    pub fn output(&self) -> &[f64] {
        self.smoothed.as_deref().unwrap_or(&self.quantity)
    }

    /// How often each output value comes, in at most so many classes: of whole steps of the converter where they are not
    /// smoothed. `None` where all are gaps.
    pub fn histogram(&self, most: usize) -> Option<Histogram> {
        let step = if self.smoothed.is_some() { f64::NAN } else { self.resolution };
        Histogram::of(self.output(), step, most)
    }

    /// The effective bits of the raw values, where a converter is described, by their noise (see [`effective_bits`]), and whether
    /// that was told from movement as if it were white, since the channel moves.
    pub fn effective_bits(&self) -> Option<(f64, bool)> {
        let steps = self.full_scale?;
        let mut noise = crate::stats::Noise::default();
        self.raw.iter().for_each(|value| noise.push(*value));
        let white = noise.deviation()?;
        let whole = crate::stats::deviation(|| self.raw.iter().copied().filter(|value| value.is_finite()))?;
        let moves = whole > 1.5 * white.max(0.3);
        Some((effective_bits(steps, if moves { white } else { whole }), moves))
    }
}

/// A stretch of rows of one source.
#[derive(Clone, Debug, PartialEq)]
pub struct Block {
    /// What a person calls it.
    pub name: String,
    /// The number of its first row in the stream.
    pub first_row: u64,
    /// The moment it is told from: that of the key or event that took it.
    pub moment: Stamp,
    /// The times of its rows.
    pub times: Vec<Stamp>,
    /// Its channels.
    pub columns: Vec<Column>,
    /// What its rows are counted by.
    pub across: Across,
}

impl Block {
    /// The rows `rows` of `chain`, as far as they are kept, told from `moment`.
    pub fn of(chain: &Chain, name: &str, rows: Range<u64>, moment: Stamp) -> Block {
        Block::of_channels(chain, name, rows, moment, 0..chain.channels().len())
    }

    /// The same with these channels alone, by their places.
    pub fn of_channels(
        chain: &Chain,
        name: &str,
        rows: Range<u64>,
        moment: Stamp,
        channels: impl IntoIterator<Item = usize>,
    ) -> Block {
        let store = chain.store();
        let rows = store.kept(rows);
        let mut times = Vec::new();
        store.read_times(rows.clone(), &mut times);
        let channels = channels.into_iter().filter_map(|index| Some((index, chain.channels().get(index)?)));
        let columns = channels.map(|(index, channel)| {
            let mut raw = Vec::new();
            store.read_raw(index, rows.clone(), &mut raw);
            // A series holds what a chart needs; here all digits count.
            let quantity = |row| chain.reading(index, row).map_or(f64::NAN, |reading| reading.quantity);
            let smoothed = |series: &crate::store::Series| {
                rows.clone().map(|row| series.get(row).unwrap_or(f64::NAN)).collect::<Vec<f64>>()
            };
            Column {
                name: channel.title().to_owned(),
                unit: channel.settings().scale.unit().to_owned(),
                decimals: channel.decimals(),
                resolution: channel.resolution(),
                full_scale: channel
                    .settings()
                    .scale
                    .converter()
                    .and_then(|(_, converter)| converter.bits)
                    .map(|bits| 2f64.powi(bits.into())),
                raw,
                quantity: rows.clone().map(quantity).collect(),
                smoothed: channel.smoothed().map(smoothed),
            }
        });
        let across = chain.timer().across();
        Block { name: name.to_owned(), first_row: rows.start, moment, times, columns: columns.collect(), across }
    }

    /// The seconds of a row from the block's moment, negative before it.
    pub fn seconds(&self, row: usize) -> f64 {
        self.times[row].seconds_since(self.moment)
    }

    /// The seconds from the row before; NaN for the first one.
    pub fn interval(&self, row: usize) -> f64 {
        row.checked_sub(1).map_or(f64::NAN, |before| self.times[row].seconds_since(self.times[before]))
    }

    /// The block as CSV (RFC 4180): index from 0, seconds from its moment, interval (rows where these are counted), then of each channel the raw
    /// value, where it is something else, the quantity and, where it is smoothed, that too. Gaps are empty.
    pub fn csv(&self) -> String {
        let mut out = Vec::new();
        let quoted = |text: &str| {
            if text.contains(['"', ',', '\n', '\r']) {
                format!("\"{}\"", text.replace('"', "\"\""))
            } else {
                text.to_owned()
            }
        };
        let own = match self.across {
            Across::Seconds => ["index", "time_s", "interval_s"],
            Across::Rows(_) => ["index", "row", "interval_rows"],
        };
        out.extend_from_slice(own.join(",").as_bytes());
        let mut all: Vec<(&[f64], i32)> = Vec::new();
        for column in &self.columns {
            let unit = if column.unit.is_empty() { String::new() } else { format!(" ({})", column.unit) };
            let raw = column.is_scaled().then_some((" raw", "", &column.raw));
            let smoothed = column.smoothed.iter().map(|smoothed| (" smoothed", &unit[..], smoothed));
            for (what, unit, values) in raw.into_iter().chain([("", &unit[..], &column.quantity)]).chain(smoothed) {
                // No two columns are called alike.
                let name = format!("{}{what}{unit}", column.name);
                let name = if own.contains(&&name[..]) { format!("{name} raw") } else { name };
                out.extend_from_slice(format!(",{}", quoted(&name)).as_bytes());
                // Smoothed values have no more digits than the noise that is left needs.
                all.push((values, if what == " smoothed" { column.decimals as i32 + 3 } else { i32::MAX }));
            }
        }
        out.extend_from_slice(b"\r\n");
        let number = |value: f64, out: &mut Vec<u8>| {
            out.push(b',');
            if value.is_finite() {
                write_shortest(crate::digits::cleaned(value), out);
            }
        };
        for row in 0..self.times.len() {
            out.extend_from_slice(row.to_string().as_bytes());
            // Nanoseconds are whole.
            number(self.across.of((self.seconds(row) * 1e9).round() / 1e9), &mut out);
            number(self.across.of((self.interval(row) * 1e9).round() / 1e9), &mut out);
            for (values, places) in &all {
                let ten = 10f64.powi(*places.min(&15));
                let value = if *places < 15 { (values[row] * ten).round() / ten } else { values[row] };
                number(value, &mut out);
            }
            out.extend_from_slice(b"\r\n");
        }
        String::from_utf8(out).unwrap_or_default()
    }
}

/// Two blocks on one time axis: rows of the second read off the line between its rows at the times of the first, both told from
/// their moments.
///
/// Gives, for each row of `a`, what `of_b` is there; NaN beyond the ends of `b` and beside a gap.
pub fn laid_over(a: &Block, b: &Block, of_b: &[f64]) -> Vec<f64> {
    let at_b: Vec<f64> = (0..b.times.len()).map(|row| b.seconds(row)).collect();
    let value = |row: usize| {
        let at = a.seconds(row);
        let after = at_b.partition_point(|time| *time < at - 1e-9);
        let (Some(time), Some(value)) = (at_b.get(after), of_b.get(after)) else { return f64::NAN };
        if (time - at).abs() <= 1e-9 {
            return *value;
        }
        let Some(before) = after.checked_sub(1) else { return f64::NAN };
        let share = (at - at_b[before]) / (time - at_b[before]);
        of_b[before] + share * (value - of_b[before])
    };
    (0..a.times.len()).map(value).collect()
}

#[cfg(test)]
#[path = "block_tests.rs"]
mod tests;
