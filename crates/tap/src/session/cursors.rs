//! Two cursors in time and two in value, to measure with. The numbers, the chain strip and the wire lines belong to the
//! moment of the active one.

use super::{ChannelId, Session};
use amber_core::Stamp;
use amber_core::bench::Kind;
use amber_core::block::Statistics;
use amber_core::clock::Across;
use amber_core::digits::{counted, fixed, grouped, short, with_unit};
use amber_core::seek::next_peak;
use std::ops::Range;

/// Where the cursors are.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Cursors {
    /// In time.
    pub(crate) at: [Stamp; 2],
    /// The one that is moved.
    pub(crate) active: usize,
    /// In value, of a channel; the one with the number of the active one is moved.
    pub(crate) levels: Option<(ChannelId, [f64; 2])>,
}

/// Rows that are searched for a peak or a change.
const MOST: u64 = 500_000;

/// The most rows between the cursors that statistics are made of: more would hold up the keys.
const MOST_MEASURED: u64 = 200_000;

/// Shares of the picture that a step in time and one in value are.
const STEP: f64 = 1.0 / 160.0;
const RISE: f64 = 1.0 / 100.0;

/// What a cursor can be moved to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Snap {
    /// A peak: where the signal turns.
    Peak,
    /// An edge, a crossing of the threshold, or a change of the code.
    Edge,
}

impl Cursors {
    /// Where the active one is.
    pub(crate) fn moment(&self) -> Stamp {
        let [first, second] = self.at;
        if self.active == 0 { first } else { second }
    }
}

impl Session {
    /// Shows the cursors at a third and two thirds of the picture, which is held.
    pub(crate) fn show_cursors(&mut self) {
        if !self.is_held() && !self.is_take() {
            self.axis.held = Some(self.present());
        }
        let (end, span) = (self.end(), self.axis.span);
        let at = [end.plus(-span * 2.0 / 3.0), end.plus(-span / 3.0)];
        self.cursors = Some(Cursors { at, active: 1, levels: None });
        self.refresh_soon();
    }

    /// The moment that numbers and lines belong to: that of the active cursor in a held picture, else the right edge.
    pub(crate) fn shown_moment(&self) -> Stamp {
        let is_still = self.is_held() || self.is_take();
        self.cursors.filter(|_| is_still).map_or_else(|| self.end(), |cursors| cursors.moment())
    }

    /// The row of the selected source that a cursor is on: the newest one that had come.
    pub(crate) fn cursor_row(&self, at: Stamp) -> Option<u64> {
        let store = self.chain().store();
        store.between(at, at).end.checked_sub(1).filter(|row| store.rows().contains(row))
    }

    /// The rows between the cursors, both ends included.
    pub(crate) fn rows_between_cursors(&self) -> Range<u64> {
        let Some(Cursors { at: [a, b], .. }) = self.cursors else { return 0..0 };
        self.chain().store().between(a.min(b), a.max(b))
    }

    /// Moves the active cursor to an instant; the picture follows it.
    pub(crate) fn move_cursor_to(&mut self, to: Stamp) {
        let (first, last) = (self.oldest(), self.present());
        let to = to.clamp(first, last.max(first));
        let (end, span) = (self.end(), self.axis.span);
        let Some(cursors) = &mut self.cursors else { return };
        let [first, second] = &mut cursors.at;
        *(if cursors.active == 0 { first } else { second }) = to;
        if to > end || to < end.plus(-span) {
            self.show_moment(to);
        }
        self.refresh_soon();
    }

    /// Moves it by so many small steps.
    pub(crate) fn move_cursor(&mut self, steps: f64) {
        let Some(cursors) = self.cursors else { return };
        self.move_cursor_to(cursors.moment().plus(self.axis.span * STEP * steps));
    }

    /// Moves it by so many rows.
    pub(crate) fn move_cursor_by_rows(&mut self, by: i64) {
        let Some(cursors) = self.cursors else { return };
        let (rows, row) = (self.chain().store().rows(), self.cursor_row(cursors.moment()));
        let to =
            row.map_or(rows.start, |row| row.saturating_add_signed(by)).min(rows.end.saturating_sub(1)).max(rows.start);
        if let Some(at) = self.chain().store().time(to) {
            self.move_cursor_to(at);
        }
    }

    /// Moves it to the next peak or edge of the selected channel, or to the one before (`forward` false). Gives whether there
    /// is one.
    pub(crate) fn snap_cursor(&mut self, to: Snap, forward: bool) -> bool {
        let Some((cursors, channel)) = self.cursors.zip(self.channel()) else { return false };
        let store = self.chain().store();
        let rows = store.rows();
        let at = cursors.moment();
        // A cursor before the first row begins there.
        let from = self.cursor_row(at).unwrap_or(rows.start);
        let end = self.cursor_row(self.present()).map_or(rows.end, |row| row + 1);
        let series = channel.output();
        let later = (from..end.min(from + MOST)).filter_map(|row| Some((row, series.get(row)?)));
        let earlier = (rows.start.max(from.saturating_sub(MOST))..=from).rev();
        let earlier = earlier.filter_map(|row| Some((row, series.get(row)?)));
        let found = match to {
            Snap::Peak => {
                let now = self.snapshot.of(self.selected);
                let size = now.min_max.map_or(0.0, |(low, high)| high - low);
                let noise = now.noise_after.or(now.noise).map_or(0.0, |noise| noise.deviation);
                let swing = (6.0 * noise).max(0.05 * size).max(f64::MIN_POSITIVE);
                if forward { next_peak(later, swing) } else { next_peak(earlier, swing) }
            }
            Snap::Edge if channel.kind() == Kind::Code => {
                // A change is at the first row with the other code.
                if forward {
                    let now = series.get(from);
                    later.skip(1).find(|(_, value)| !value.is_nan() && Some(*value) != now).map(|(row, _)| row)
                } else {
                    let before = earlier.map(|(row, _)| row).skip(1);
                    let differs = |row: &u64| series.get(*row).zip(series.get(row - 1)).is_some_and(|(a, b)| a != b);
                    before.filter(|row| *row > rows.start).find(differs)
                }
            }
            Snap::Edge if forward => {
                channel.watcher().edges().map(|(row, _)| row).find(|row| *row > from && *row < end)
            }
            Snap::Edge => channel.watcher().edges().rev().map(|(row, _)| row).find(|row| *row < from),
        };
        let Some(at) = found.and_then(|row| store.time(row)) else { return false };
        self.move_cursor_to(at);
        true
    }

    /// Moves the cursor in value that belongs to the active one by so many small steps; both appear at the values that the
    /// selected channel has at the cursors in time.
    pub(crate) fn move_level(&mut self, steps: f64) {
        let (Some(mut cursors), id) = (self.cursors, self.selected) else { return };
        let lanes = self.lanes();
        let Some(lane) = lanes.analog.iter().find(|lane| lane.channels.contains(&id)) else {
            return self.say("only an analog channel has values to measure", true);
        };
        let size = lane.limits.1 - lane.limits.0;
        let value = |at: Stamp| {
            let value = self.cursor_row(at).and_then(|row| self.channel_at(id).output().get(row));
            value.filter(|value| value.is_finite()).unwrap_or((lane.limits.0 + lane.limits.1) / 2.0)
        };
        match &mut cursors.levels {
            Some((of, [first, second])) if *of == id => {
                *(if cursors.active == 0 { first } else { second }) += steps * size * RISE;
            }
            other => *other = Some((id, cursors.at.map(value))),
        }
        self.cursors = Some(cursors);
    }

    /// What is measured, as a table: instants, their difference, then each channel at both and its difference, and what the
    /// selected one amounts to between them.
    pub(crate) fn measured(&self) -> Vec<[String; 4]> {
        let Some(cursors) = self.cursors else { return Vec::new() };
        let none = || "–".to_owned();
        let [from, to] = cursors.at;
        let seconds = to.seconds_since(from);
        let wall = |at| self.when(at, "%H:%M:%S%.3f");
        let mut rows = vec![
            [String::new(), "cursor 1".into(), "cursor 2".into(), "difference".into()],
            [
                if self.across() == Across::Seconds { "time".into() } else { "row".into() },
                wall(from),
                wall(to),
                self.across().length(seconds),
            ],
        ];
        if seconds != 0.0 {
            rows.push([
                if self.across() == Across::Seconds { "1 / time".into() } else { "1 / rows".into() },
                String::new(),
                String::new(),
                self.across().frequency(1.0 / seconds.abs()),
            ]);
        }
        let at = cursors.at.map(|at| self.cursor_row(at));
        for id in self.channel_ids().filter(|id| id.source == self.place()) {
            let channel = self.channel_at(id);
            if channel.kind() == Kind::Clock || channel.settings().hidden {
                continue;
            }
            let values = at.map(|row| value_at(self, id, row));
            let unit = channel.settings().scale.unit();
            let shown = |value: Option<f64>| {
                value.map_or_else(none, |value| {
                    channel.word(value).map_or_else(|| fixed(value, channel.decimals()), str::to_owned)
                })
            };
            let difference = match values {
                [Some(a), Some(b)] if channel.kind() == Kind::Analog => {
                    with_unit(fixed(b - a, channel.decimals()), unit)
                }
                _ => none(),
            };
            rows.push([self.title(id), shown(values[0]), shown(values[1]), difference]);
        }
        let id = self.selected;
        let Some(channel) = self.channel() else { return rows };
        let unit = channel.settings().scale.unit();
        let value = |value: f64, more: usize| with_unit(fixed(value, channel.decimals() + more), unit);
        let pair = |name: &str, text: String| [name.to_owned(), text, String::new(), String::new()];
        if let Some((_, levels)) = cursors.levels.filter(|(of, _)| *of == id) {
            let [a, b] = levels.map(|level| value(level, 0));
            rows.push(["values".into(), a, b, value(levels[1] - levels[0], 0)]);
        }
        let between = self.rows_between_cursors();
        let count = between.end - between.start;
        rows.push(pair(&format!("{} between", self.title(id)), counted(count, "row")));
        if count > MOST_MEASURED {
            rows.push(pair("statistics", format!("not of more than {} rows", grouped(MOST_MEASURED))));
            return rows;
        }
        let store = self.chain().store();
        let mut times = Vec::new();
        store.read_times(between.clone(), &mut times);
        let values: Vec<f64> = between.map(|row| channel.output().get(row).unwrap_or(f64::NAN)).collect();
        if let Some(found) = Statistics::of(&times, &values).filter(|_| channel.kind() == Kind::Analog) {
            rows.push(pair("mean", value(found.mean, 1)));
            rows.push(pair("deviation", if found.deviation.is_nan() { none() } else { value(found.deviation, 1) }));
            rows.push(pair("min", value(found.min, 0)));
            rows.push(pair("max", value(found.max, 0)));
            rows.push(pair("peak to peak", value(found.peak_to_peak(), 0)));
            let slope = found.slope;
            rows.push(pair(
                "slope",
                if slope.is_finite() {
                    with_unit(short(self.across().slope(slope), 3), &self.across().slope_unit(unit))
                } else {
                    none()
                },
            ));
            if found.gaps > 0 {
                rows.push(pair("gaps", counted(found.gaps as u64, "row")));
            }
        }
        rows
    }
}

/// The value of a channel at a row; none in a gap.
fn value_at(session: &Session, id: ChannelId, row: Option<u64>) -> Option<f64> {
    let value = session.channel_at(id).output().get(row?)?;
    Some(value).filter(|value| value.is_finite())
}
