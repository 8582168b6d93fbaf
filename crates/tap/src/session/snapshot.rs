//! The numbers and lines as they stand on the screen: refreshed at a pace that a person can read, while every row is
//! kept.

use super::{ChannelId, Session, Source, Viewport};
use amber_core::Stamp;
use amber_core::chain::ChannelValues;
use amber_core::digits::duration;
use amber_core::smooth::{Price, Signal, smooths};
use amber_core::split::{LineOutcome, Shape};
use amber_core::stats::Measured;
use amber_core::tail::{KeptLine, Tail};
use amber_core::watch::WatchState;
use amber_io::LinkState;
use amber_io::take::OpenedTake;

/// Lines of the wire that are ever shown.
const LINES: usize = 60;

/// Rows that arrived with another one and are told apart.
const MOST_WITH_IT: usize = 20_000;

/// One channel's numbers.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct ChannelSnapshot {
    /// The values at each stage; `None` before the first row.
    pub(crate) reading: Option<ChannelValues>,
    /// Minimum and maximum of the smoothed value in view.
    pub(crate) min_max: Option<(f64, f64)>,
    /// The noise of the quantity, and behind the filters.
    pub(crate) noise: Option<Measured>,
    pub(crate) noise_after: Option<Measured>,
    /// The side of its threshold, and the crossings up to then.
    pub(crate) watch: WatchState,
}

/// What was on the screen when it was last refreshed.
#[derive(Debug, Default)]
pub(crate) struct Snapshot {
    pub(crate) at: Option<Stamp>,
    /// For each source its channels.
    channels: Vec<Vec<ChannelSnapshot>>,
    /// What the filters of each cost and give; `None` without filters.
    prices: Vec<Vec<Option<Price>>>,
    /// For each source how old its last row is, where that is no longer what the board says now.
    ages: Vec<Option<f64>>,
    /// The last lines of the wire.
    pub(crate) lines: Vec<KeptLine>,
    /// They end with that of the row that the active cursor is on.
    pub(crate) ends_at_cursor: bool,
    /// The viewport that they are those of.
    pub(crate) view: Viewport,
    /// Rows a second of the selected source, and of all.
    pub(crate) rate: f64,
    pub(crate) all_rates: f64,
    pub(crate) rows: u64,
}

impl Snapshot {
    /// What is shown of a channel; nothing before its first row.
    pub(crate) fn of(&self, id: ChannelId) -> ChannelSnapshot {
        self.channels.get(id.source).and_then(|channels| channels.get(id.channel)).copied().unwrap_or_default()
    }

    /// What the filters of a channel cost and give; `None` without filters, or while the pace of its rows is not known.
    pub(crate) fn price(&self, id: ChannelId) -> Option<&Price> {
        self.prices.get(id.source)?.get(id.channel)?.as_ref()
    }

    /// How old the last value of a channel is, in words, where it is no longer what the board says now.
    pub(crate) fn age(&self, id: ChannelId) -> Option<String> {
        let age = self.ages.get(id.source).copied().flatten()?;
        Some(format!("{} old", duration(age.floor())))
    }
}

impl Session {
    /// Takes over the newest numbers when their time has come; a held picture is refreshed from the buffer at once,
    /// since it only changes when a person moves it. Gives whether anything was refreshed.
    pub(super) fn refresh_numbers(&mut self, now: Stamp) -> bool {
        let due = self.numbers_due(now);
        if due {
            self.snapshot.at = Some(now);
            self.snapshot.view = self.viewport.clone();
            self.snapshot.ages = (0..self.sources()).map(|place| self.age(place)).collect();
            let rate = |place: usize| match self.snapshot.ages.get(place) {
                Some(Some(_)) => 0.0,
                _ => self.chain_at(place).rate().rate(self.now),
            };
            (self.snapshot.rate, self.snapshot.all_rates) = (rate(self.place()), (0..self.sources()).map(rate).sum());
            self.snapshot.rows = self.chain().counts().rows;
            if !self.is_take() {
                let until = self.lines_until(&self.viewport);
                let own = self.line_of_cursor(self.chain().tail(), until);
                self.snapshot.ends_at_cursor = own.is_some();
                self.snapshot.lines = last_lines(self.chain().tail(), own.unwrap_or(until));
            }
        }
        if let (Source::Take(take), true) = (self.source(), due) {
            let row = self.viewport.row(self.place()).filter(|_| self.viewport.is_at_cursor());
            let until = row.and_then(|row| self.chain().store().arrival(row)).unwrap_or(self.viewport.end);
            let tail = lines_up_to(take, until, self.chain().shape());
            let own = self.line_of_cursor(&tail, tail.numbers().end);
            let lines = last_lines(&tail, own.unwrap_or(u64::MAX));
            (self.snapshot.lines, self.snapshot.ends_at_cursor) = (lines, own.is_some());
        }
        if due || self.is_held() {
            self.refresh_channels();
        }
        due
    }

    /// The number behind the line of the row that the active cursor is on, among those of `tail` in front of `until`; `None`
    /// where it cannot be told: no cursor is shown, the line is not at hand, or a row is made of several lines.
    fn line_of_cursor(&self, tail: &Tail, until: u64) -> Option<u64> {
        let row = self.viewport.row(self.place()).filter(|_| self.viewport.is_at_cursor())?;
        let store = self.chain().store();
        let arrival = store.arrival(row)?;
        let with_it = (row + 1..store.rows().end).take_while(|row| store.arrival(*row) == Some(arrival));
        let mut after = with_it.take(MOST_WITH_IT).count();
        for number in (tail.numbers().start..until).rev() {
            let line = tail.line(number).filter(|line| line.at == arrival)?;
            match line.outcome {
                LineOutcome::Row(0) if after == 0 => return Some(number + 1),
                LineOutcome::Row(0) => after -= 1,
                LineOutcome::Row(_) => return None,
                _ => {}
            }
        }
        None
    }

    /// How many seconds ago the last row of the source at `place` came, where that is no longer what its board says now: its
    /// port is away or lent, or it fell silent. `None` for what was recorded or is held.
    pub(super) fn age(&self, place: usize) -> Option<f64> {
        let Source::Live { link } = &self.watched.at(place).source else { return None };
        let chain = self.chain_at(place);
        let last = chain.store().rows().end.checked_sub(1).and_then(|row| chain.store().arrival(row))?;
        let is_away = match link {
            LinkState::Open { .. } | LinkState::Opening => {
                chain.rate().interval().is_some() && chain.rate().rate(self.now) == 0.0
            }
            LinkState::Ended => false,
            _ => true,
        };
        (is_away && !self.is_held()).then(|| self.now.seconds_since(last).max(0.0))
    }

    fn refresh_channels(&mut self) {
        let mut prices = std::mem::take(&mut self.snapshot.prices);
        prices.resize_with(self.sources(), Vec::new);
        let mut sources = Vec::with_capacity(self.sources());
        for ((place, chain), prices) in self.chains().enumerate().zip(&mut prices) {
            let (rows, row) = (self.viewport.rows_of(place), self.viewport.row(place));
            prices.resize_with(chain.channels().len(), || None);
            let shown = chain.channels().iter().zip(prices).enumerate().map(|(index, (channel, price))| {
                let noise = row.and_then(|row| channel.noise(row + 1));
                let min_max = channel.output().min_max(rows.clone());
                let signal = chain.interval().map(|interval| Signal {
                    interval,
                    noise: noise.map_or(0.0, |noise| noise.deviation),
                    step: min_max.map_or(0.0, |(least, most)| most - least),
                });
                let filters = &channel.settings().smooth;
                let both_ways = channel.settings().zero_phase && chain.is_recorded();
                match signal.filter(|_| smooths(filters)) {
                    Some(signal) if price.as_ref().is_some_and(|price| price.is_of(filters, signal, both_ways)) => {}
                    signal => {
                        let made = signal.map(|signal| Price::of(filters, signal));
                        *price = if both_ways { made.map(Price::both_ways) } else { made };
                    }
                }
                ChannelSnapshot {
                    reading: row.and_then(|row| chain.reading(index, row)),
                    noise,
                    noise_after: row.zip(price.as_ref()).and_then(|(row, price)| channel.noise_after(row + 1, price)),
                    min_max,
                    watch: row.map_or_else(WatchState::default, |row| channel.watcher().at(row)),
                }
            });
            sources.push(shown.collect());
        }
        self.snapshot.channels = sources;
        self.snapshot.prices = prices;
    }

    /// Whether the numbers' time has come.
    pub(crate) fn numbers_due(&self, now: Stamp) -> bool {
        // Frames come a sixtieth of a second apart: a refresh that is nearly due is due.
        let pace = 1.0 / self.shared.screen.refresh_rate - 0.5 / 60.0;
        self.snapshot.at.is_none_or(|at| now.seconds_since(at) >= pace || now < at)
    }

    /// Makes the numbers fresh at the next frame, whatever the pace: something was set, or moved.
    pub(crate) fn refresh_soon(&mut self) {
        self.snapshot.at = None;
    }
}

/// The last lines in front of line `until`.
fn last_lines(tail: &Tail, until: u64) -> Vec<KeptLine> {
    let numbers = tail.numbers();
    let end = until.min(numbers.end);
    let first = end.saturating_sub(LINES as u64).max(numbers.start);
    (first..end).filter_map(|number| tail.line(number)).map(|line| line.kept()).collect()
}

/// The lines of a take that had come when `end` was now.
fn lines_up_to(take: &OpenedTake, end: Stamp, shape: Option<&Shape>) -> Tail {
    let after = take.pieces.partition_point(|piece| piece.at <= end);
    let last = after.checked_sub(1).and_then(|index| take.pieces.get(index)).map_or(0, |piece| piece.bytes.end);
    let from = last.saturating_sub(LINES * 200);
    let begin = take.pieces.partition_point(|piece| piece.bytes.end <= from);
    let mut bytes = Vec::new();
    // What cannot be read is not shown; that it cannot be is said where the rows are read.
    let from = take.wire.read(from..last, &mut bytes).map_or(last, |()| from);
    let pieces = take.pieces.iter().take(after).skip(begin).map(|piece| {
        let part = piece.bytes.start.max(from) - from..piece.bytes.end.max(from) - from;
        (piece.at, bytes.get(part).unwrap_or_default())
    });
    amber_core::tail::replay(shape.cloned(), from == 0, pieces)
}
