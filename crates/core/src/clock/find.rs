//! Finding the rule that gives rows their time, from the first of them: a board's clock, bursts that want to be evened
//! out, or the arrivals as they are. A column is a clock where its name, its unit or its form says so, or where it has no name
//! and agrees with the arrivals; what is named after another quantity is none, however it rises.

use super::says::Says;
use super::{Tick, Time};
use crate::Stamp;

/// A column as far as time goes.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Candidate {
    pub(super) label: String,
    pub(super) says: Says,
}

/// Rows and seconds after which a column is believed that says its tick, that says that it is a clock, or nothing.
const TOLD: [(u64, f64); 2] = [(12, 0.25), (4, 2.0)];
const NAMED: (u64, f64) = (12, 0.25);
const UNNAMED: (u64, f64) = (100, 2.0);

/// How far a clock that says its tick may run apart from the host's over that time, as a share of it, beyond the bursts of
/// arrivals.
const NEAR: f64 = 0.02;

/// The same for one whose tick is told by the arrivals alone; and seconds by which single arrivals may be late.
const AGREES: f64 = 0.01;
const LATE: f64 = 5e-3;

/// The longest burst that is allowed for, in seconds, where few rows came.
const BURST: f64 = 1.0;

/// Rows after which bursts are told from chance.
const BURSTS: u64 = 64;

/// Rows of a text in which a clock must rise to be believed, and those that must do where the text ends.
const RISING: u64 = 8;
const FEWEST: u64 = 2;

/// Unix time: counts of seconds that lie between 2001 and 2100.
const UNIX: std::ops::Range<f64> = 1e9..4.1e9;

/// The unit of Unix time in which `count` lies in this century.
fn unix_tick(count: f64) -> Option<Tick> {
    Tick::ALL.into_iter().find(|tick| UNIX.contains(&(count * tick.seconds())))
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
    /// All its values are whole.
    is_whole: bool,
    /// The least and the most by which arrivals are behind it, in seconds, for each tick.
    apart: [(f64, f64); Tick::ALL.len()],
}

impl Rising {
    fn new(value: f64) -> Rising {
        let apart = [(0.0, 0.0); Tick::ALL.len()];
        Rising { first: value, in_time: value, last: value, rises: 0, is_whole: value.fract() == 0.0, apart }
    }

    /// Goes on with `value`, which arrived `passed` seconds behind the first, still together with it where it `waited`.
    fn go_on(mut self, value: f64, passed: f64, waited: bool) -> Rising {
        self.rises += u64::from(value > self.last);
        self.is_whole &= value.fract() == 0.0;
        self.last = value;
        if waited {
            self.in_time = value;
        } else {
            for ((least, most), tick) in self.apart.iter_mut().zip(Tick::ALL) {
                let behind = passed - (value - self.in_time) * tick.seconds();
                (*least, *most) = (least.min(behind), most.max(behind));
            }
        }
        self
    }

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
            self.columns = values.iter().map(|value| (!value.is_nan()).then(|| Rising::new(*value))).collect();
        }
        let since = arrival.seconds_since(self.last);
        self.together += u64::from(self.rows > 0 && since < 1e-4);
        self.longest = self.longest.max(since);
        self.last = arrival;
        self.rows += 1;
        self.columns.resize(values.len(), None);
        let passed = arrival.seconds_since(self.begun);
        for (column, value) in self.columns.iter_mut().zip(values) {
            // A counter that wraps or starts over meanwhile is found with the next rows.
            *column =
                column.filter(|rising| *value >= rising.last).map(|rising| rising.go_on(*value, passed, passed < 1e-4));
        }
    }

    /// What the rows so far tell, by their arrivals.
    pub(super) fn by_arrivals(&self, candidates: &[Candidate]) -> Found {
        if let Some(clock) = self.clock(candidates) {
            return Found::Surely(clock);
        }
        match (self.enough((BURSTS, 0.5)), self.enough((UNNAMED.0 * 2, UNNAMED.1 * 2.0))) {
            (false, _) => Found::Nothing,
            (true, false) => Found::Perhaps(self.burst_rule()),
            (true, true) => Found::Surely(self.burst_rule()),
        }
    }

    /// What a text tells: the clock that a name, a unit, or Unix time says, when that rises. At the end of the text, few rows
    /// must do.
    pub(super) fn by_text(&self, candidates: &[Candidate], is_end: bool) -> Found {
        if self.rows < if is_end { FEWEST } else { RISING } {
            return Found::Nothing;
        }
        let columns = || self.columns.iter().zip(candidates);
        let clock = |of: &dyn Fn(&Rising, Says) -> Option<Tick>| {
            columns().find_map(|(column, candidate)| {
                let rising = (*column).filter(|rising| rising.tells_apart(self.rows) && rising.last > rising.first)?;
                Some((candidate.label.clone(), of(&rising, candidate.says)?))
            })
        };
        // What is named is sure before what merely looks like it.
        let told = clock(&|_, says| if let Says::Clock(tick) = says { Some(tick) } else { None });
        let named = || {
            clock(&|rising, says| match says {
                // Whole numbers are milliseconds, unless they are Unix time; a fraction is one of a second.
                Says::Time => Some(unix_tick(rising.first).unwrap_or(match rising.is_whole {
                    true => Tick::Ms,
                    false => Tick::S,
                })),
                _ => None,
            })
        };
        let unix = || clock(&|rising, says| unix_tick(rising.first).filter(|_| says == Says::Nothing));
        let found = told.or_else(named).or_else(unix);
        Found::Surely(found.map_or_else(super::text::assumed, |(channel, tick)| Time::Board {
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

    fn clock(&self, candidates: &[Candidate]) -> Option<Time> {
        let found = self.columns.iter().zip(candidates).find_map(|(column, candidate)| {
            let rising = (*column).filter(|rising| rising.last > rising.first)?;
            let tick = match candidate.says {
                Says::Clock(tick) => self.keeps_up(&rising, tick).then_some(tick),
                Says::Time => Tick::ALL.into_iter().find(|tick| self.agrees(&rising, *tick, NAMED)),
                Says::Nothing => Tick::ALL.into_iter().find(|tick| self.agrees(&rising, *tick, UNNAMED)),
                Says::Quantity => None,
            };
            Some((candidate.label.clone(), tick?))
        });
        found.map(|(channel, tick)| Time::Board { channel, tick, bits: None })
    }

    /// Whether a clock that says its tick keeps up with the arrivals.
    fn keeps_up(&self, rising: &Rising, tick: Tick) -> bool {
        let passed = self.last.seconds_since(self.begun);
        let slack = if self.rows < NAMED.0 { self.longest.min(BURST) } else { self.longest };
        let counted = (rising.last - rising.in_time) * tick.seconds();
        // A clock of whole seconds would heap up the rows of each.
        (tick != Tick::S || rising.tells_apart(self.rows))
            && TOLD.into_iter().any(|least| self.enough(least))
            && (counted - passed).abs() <= passed * NEAR + slack
    }

    /// Whether a column agrees with the arrivals to their own accuracy, from the first row to the last, where it counts in
    /// this tick.
    fn agrees(&self, rising: &Rising, tick: Tick, enough: (u64, f64)) -> bool {
        let passed = self.last.seconds_since(self.begun);
        let (least, most) =
            Tick::ALL.iter().zip(rising.apart).find(|(own, _)| **own == tick).map_or((0.0, 0.0), |a| a.1);
        // Numbers as small as seconds are may be anything: that they agree is told by many.
        let enough = if tick == Tick::S { UNNAMED } else { enough };
        // Few steps over the time are no clock but a slow reading.
        let is_fine = rising.last - rising.in_time > 50.0 || tick != Tick::Us;
        is_fine
            && self.enough(enough)
            && rising.tells_apart(self.rows)
            && most - least <= self.longest.min(BURST) + LATE + passed * AGREES
    }
}
