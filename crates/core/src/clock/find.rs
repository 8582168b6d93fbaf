//! Finding the rule that gives rows their time, from the first of them: a board's clock, bursts that want to be evened
//! out, or the arrivals as they are.

use super::{Tick, Time};
use crate::Stamp;

/// Labels that boards give to their own clock, with the tick that they mean where they say one.
const LABELS: [(&str, Option<Tick>); 17] = [
    ("clock_s", Some(Tick::S)),
    ("t", None),
    ("time", None),
    ("clock", None),
    ("t_us", Some(Tick::Us)),
    ("us", Some(Tick::Us)),
    ("micros", Some(Tick::Us)),
    ("time_us", Some(Tick::Us)),
    ("t_ms", Some(Tick::Ms)),
    ("ms", Some(Tick::Ms)),
    ("millis", Some(Tick::Ms)),
    ("time_ms", Some(Tick::Ms)),
    ("t_s", Some(Tick::S)),
    ("time_s", Some(Tick::S)),
    ("wall_clock", Some(Tick::S)),
    ("sec", Some(Tick::S)),
    ("seconds", Some(Tick::S)),
];

/// Rows and seconds after which a column is believed whose label names a clock and its tick, names a clock, or does not.
const TOLD: [(u64, f64); 2] = [(12, 0.25), (4, 2.0)];
const LABELLED: (u64, f64) = (12, 0.25);
const UNLABELLED: (u64, f64) = (100, 2.0);

/// How far a clock may run apart from the host's over that time, as a share of it, beyond the bursts of arrivals.
const NEAR: f64 = 0.02;

/// The longest burst that is allowed for, in seconds, where few rows came.
const BURST: f64 = 1.0;

/// Rows after which bursts are told from chance.
const BURSTS: u64 = 64;

/// Rows of a text in which a clock must rise to be believed.
const RISING: u64 = 8;

/// The tick of a clock that is told by its label alone.
pub(super) fn told_tick(label: &str) -> Option<Tick> {
    LABELS.iter().find(|(known, _)| known.eq_ignore_ascii_case(label)).and_then(|(_, tick)| *tick)
}

/// Whether `label` is one that boards give to their own clock and to nothing else.
pub(crate) fn names_a_clock(label: &str) -> bool {
    told_tick(label).is_some()
}

/// Whether `label` is one that rows are numbered under, as those that are published.
pub(crate) fn numbers_rows(label: &str) -> bool {
    label.eq_ignore_ascii_case("row")
}

/// What is looked at while the rule is being found.
#[derive(Clone, Debug, Default)]
pub(super) struct Finding {
    rows: u64,
    begun: Stamp,
    last: Stamp,
    /// Rows that arrived together with the one before.
    together: u64,
    /// The longest time between two arrivals.
    longest: f64,
    /// For each column what it said, while it only rises.
    columns: Vec<Option<Rising>>,
}

/// The values of a column that only rises.
#[derive(Clone, Copy, Debug)]
struct Rising {
    first: f64,
    /// The last of those that arrived together with the first: what had waited for the link to be opened arrives at
    /// once, and only the last of it in time.
    in_time: f64,
    last: f64,
    /// Rows with which it rose.
    rises: u64,
}

impl Rising {
    /// Whether it is fine enough to tell most of so many rows apart.
    fn tells_apart(&self, rows: u64) -> bool {
        self.rises * 2 + 2 >= rows
    }
}

/// What was found so far.
#[derive(Debug, PartialEq)]
pub(super) enum Found {
    /// Too little came.
    Nothing,
    /// This, for the time being.
    Perhaps(Time),
    /// This.
    Surely(Time),
}

impl Finding {
    /// Takes in a row.
    pub(super) fn row(&mut self, arrival: Stamp, values: &[f64]) {
        if self.rows == 0 {
            *self = Finding { begun: arrival, last: arrival, ..Finding::default() };
            let begin = |value: &f64| Rising { first: *value, in_time: *value, last: *value, rises: 0 };
            self.columns = values.iter().map(|value| (!value.is_nan()).then(|| begin(value))).collect();
        }
        let since = arrival.seconds_since(self.last);
        self.together += u64::from(self.rows > 0 && since < 1e-4);
        self.longest = self.longest.max(since);
        self.last = arrival;
        self.rows += 1;
        self.columns.resize(values.len(), None);
        let waited = arrival.seconds_since(self.begun) < 1e-4;
        for (column, value) in self.columns.iter_mut().zip(values) {
            // A counter that wraps or starts over meanwhile is found with the next rows.
            *column = column.filter(|rising| *value >= rising.last).map(|rising| Rising {
                in_time: if waited { *value } else { rising.in_time },
                last: *value,
                rises: rising.rises + u64::from(*value > rising.last),
                ..rising
            });
        }
    }

    /// What the rows so far tell, by their arrivals.
    pub(super) fn by_arrivals(&self, labels: &[String]) -> Found {
        if let Some(clock) = self.clock(labels) {
            return Found::Surely(clock);
        }
        match (self.enough((BURSTS, 0.5)), self.enough((UNLABELLED.0 * 2, UNLABELLED.1 * 2.0))) {
            (false, _) => Found::Nothing,
            (true, false) => Found::Perhaps(self.burst_rule()),
            (true, true) => Found::Surely(self.burst_rule()),
        }
    }

    /// What a text tells: the clock that its label names, when that rises.
    pub(super) fn by_text(&self, labels: &[String]) -> Found {
        if self.rows < RISING {
            return Found::Nothing;
        }
        let named = self.columns.iter().zip(labels).find_map(|(column, label)| {
            let Rising { first, last, .. } = (*column).filter(|rising| rising.tells_apart(self.rows))?;
            told_tick(label).filter(|_| last > first).map(|tick| (label.clone(), tick))
        });
        Found::Surely(named.map_or_else(super::text::assumed, |(channel, tick)| Time::Board {
            channel,
            tick,
            bits: None,
        }))
    }

    /// The rule where no more can be waited for.
    pub(super) fn burst_rule(&self) -> Time {
        if self.together * 5 > self.rows { Time::Even } else { Time::Arrival }
    }

    fn enough(&self, (rows, seconds): (u64, f64)) -> bool {
        self.rows >= rows && self.last.seconds_since(self.begun) >= seconds
    }

    fn clock(&self, labels: &[String]) -> Option<Time> {
        let passed = self.last.seconds_since(self.begun);
        self.columns.iter().zip(labels).find_map(|(column, label)| {
            let rising = (*column)?;
            let Rising { in_time: first, last, .. } = rising;
            let known = LABELS.iter().find(|(known, _)| known.eq_ignore_ascii_case(label));
            let told = known.and_then(|(_, tick)| *tick);
            let slack = if self.rows < LABELLED.0 { self.longest.min(BURST) } else { self.longest };
            let fits = |tick: &Tick| {
                let counted = (last - first) * tick.seconds();
                (counted - passed).abs() <= passed * NEAR + slack
            };
            // A clock of whole seconds would heap up the rows of each.
            if told == Some(Tick::S) && !rising.tells_apart(self.rows) {
                return None;
            }
            let enough = match (known, told) {
                (_, Some(_)) => TOLD.into_iter().any(|least| self.enough(least)),
                (Some(_), None) => self.enough(LABELLED),
                (None, None) => self.enough(UNLABELLED),
            };
            let ticks = Tick::ALL.into_iter().filter(|tick| told.is_none_or(|told| told == *tick));
            // Few steps over the time are no clock but a slow reading.
            let fine = |tick: &Tick| (last - first) > 50.0 || *tick != Tick::Us;
            let tick = ticks.filter(fine).find(fits).filter(|_| enough && (last - first) > 0.0)?;
            Some(Time::Board { channel: label.clone(), tick, bits: None })
        })
    }
}
