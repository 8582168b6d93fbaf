//! Gives each row its time, by the rule that is set or found.

use super::board::{BoardClock, Drift};
use super::even::Even;
use super::{Tick, Time};
use crate::Stamp;
use crate::split::Shape;

/// Labels that boards give to their own clock, with the tick that they mean where they say one.
const LABELS: [(&str, Option<Tick>); 15] = [
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
    ("sec", Some(Tick::S)),
    ("seconds", Some(Tick::S)),
];

/// Rows and seconds after which a column whose label says clock is believed, and one whose label does not.
const LABELLED: (u64, f64) = (12, 0.25);
const UNLABELLED: (u64, f64) = (100, 2.0);

/// How far a clock may run apart from the host's over that time, as a share of it, beyond the bursts of arrivals.
const NEAR: f64 = 0.02;

/// Rows after which bursts are told from chance.
const BURSTS: u64 = 64;

/// The tick of a clock that is told by its label alone.
pub(super) fn told_tick(label: &str) -> Option<Tick> {
    LABELS.iter().find(|(known, _)| known.eq_ignore_ascii_case(label)).and_then(|(_, tick)| *tick)
}

/// Whether `label` is one that boards give to their own clock and to nothing else.
pub(crate) fn names_a_clock(label: &str) -> bool {
    told_tick(label).is_some()
}

/// Gives rows their times.
#[derive(Clone, Debug)]
pub struct Timer {
    set: Time,
    /// What is in force; the setting itself unless that is [`Time::Auto`].
    in_force: Time,
    clock: Option<(usize, BoardClock)>,
    even: Even,
    found: Option<Finding>,
    /// How often another rule was found.
    changes: u32,
    labels: Vec<String>,
    last: Option<Stamp>,
}

/// What is looked at while the rule is being found.
#[derive(Clone, Debug, Default)]
struct Finding {
    rows: u64,
    begun: Stamp,
    last: Stamp,
    /// Rows that arrived together with the one before.
    together: u64,
    /// The longest time between two arrivals.
    longest: f64,
    /// For each column its first value, and its last, while it only rises.
    columns: Vec<Option<(f64, f64)>>,
}

impl Timer {
    /// A timer by this rule.
    pub fn new(set: Time) -> Timer {
        let in_force = if set == Time::Auto { Time::Arrival } else { set.clone() };
        let declared = if let Time::Rate { hz } = set { Some(1.0 / hz) } else { None };
        let found = (set == Time::Auto).then(Finding::default);
        Timer {
            set,
            in_force,
            clock: None,
            even: Even::new(declared),
            found,
            changes: 0,
            labels: Vec::new(),
            last: None,
        }
    }

    /// The same with `in_force` found, so that rows from the beginning can be timed by it. What is still being looked
    /// at goes on.
    pub fn settled(&self, in_force: Time) -> Timer {
        let mut timer = Timer::new(in_force);
        (timer.set, timer.found, timer.changes) = (self.set.clone(), self.found.clone(), self.changes);
        timer.labels.clone_from(&self.labels);
        timer.even = self.even.anew();
        timer.find_clock();
        timer
    }

    /// The columns have these labels from now on.
    pub fn shape(&mut self, shape: &Shape) {
        self.labels = (0..shape.columns()).map(|column| shape.label(column)).collect();
        self.find_clock();
    }

    fn find_clock(&mut self) {
        let Time::Board { channel, tick, bits } = &self.in_force else { return };
        let column = self.labels.iter().position(|label| label == channel);
        match (&mut self.clock, column) {
            (Some((at, _)), Some(column)) => *at = column,
            (clock, column) => *clock = column.map(|column| (column, BoardClock::new(*tick, *bits))),
        }
    }

    /// The rule that is set.
    pub fn set(&self) -> &Time {
        &self.set
    }

    /// The rule in force, never [`Time::Auto`].
    pub fn in_force(&self) -> &Time {
        &self.in_force
    }

    /// A number that changes whenever another rule is found.
    pub fn found(&self) -> u32 {
        self.changes
    }

    /// How far the board's clock runs apart from the host's, once known.
    pub fn drift(&self) -> Option<Drift> {
        self.clock.as_ref()?.1.drift()
    }

    /// How often the board's clock was seen to start over.
    pub fn resets(&self) -> u64 {
        self.clock.as_ref().map_or(0, |(_, clock)| clock.resets)
    }

    /// What comes next does not follow from what came before.
    pub fn join(&mut self) {
        if let Some((_, clock)) = &mut self.clock {
            clock.join();
        }
        let declared = if let Time::Rate { hz } = self.set { Some(1.0 / hz) } else { None };
        self.even = Even::new(declared);
        if let Some(finding) = &mut self.found {
            *finding = Finding::default();
        }
    }

    /// A row came that was not taken in.
    pub fn missed(&mut self) {
        self.even.missed();
    }

    /// The time of a row with these values (raw, one a column, NaN for a gap) that arrived at `arrival`; never earlier
    /// than that of the row before. The second is whether the board started over.
    #[inline]
    pub fn row(&mut self, arrival: Stamp, values: &[f64]) -> (Stamp, bool) {
        if self.found.is_some() {
            self.find(arrival, values);
        }
        let (time, reset) = match (&self.in_force, &mut self.clock) {
            (Time::Board { .. }, Some((column, clock))) => {
                clock.row(arrival, values.get(*column).copied().unwrap_or(f64::NAN))
            }
            (Time::Even | Time::Rate { .. }, _) => (self.even.row(arrival), false),
            _ => {
                // Evened times may be wanted later.
                if self.found.is_some() {
                    self.even.row(arrival);
                }
                (arrival, false)
            }
        };
        let time = self.last.map_or(time, |last| time.max(last));
        self.last = Some(time);
        (time, reset)
    }

    /// Looks for a board clock, then for bursts.
    fn find(&mut self, arrival: Stamp, values: &[f64]) {
        let Some(finding) = &mut self.found else { return };
        if finding.rows == 0 {
            *finding = Finding { begun: arrival, last: arrival, ..Finding::default() };
            finding.columns = values.iter().map(|value| (!value.is_nan()).then_some((*value, *value))).collect();
        }
        let since = arrival.seconds_since(finding.last);
        finding.together += u64::from(finding.rows > 0 && since < 1e-4);
        finding.longest = finding.longest.max(since);
        finding.last = arrival;
        finding.rows += 1;
        finding.columns.resize(values.len(), None);
        for (column, value) in finding.columns.iter_mut().zip(values) {
            // A counter that wraps or starts over meanwhile is found with the next rows.
            *column = column.filter(|(_, last)| value >= last).map(|(first, _)| (first, *value));
        }
        let passed = arrival.seconds_since(finding.begun);
        let (rows, longest) = (finding.rows, finding.longest);
        let enough = |(least_rows, least): (u64, f64)| rows >= least_rows && passed >= least;
        let best = (finding.columns.iter().zip(&self.labels)).find_map(|(column, label)| {
            let (first, last) = (*column)?;
            let known = LABELS.iter().find(|(known, _)| known.eq_ignore_ascii_case(label));
            let told = known.and_then(|(_, tick)| *tick);
            let fits = |tick: &Tick| {
                let counted = (last - first) * tick.seconds();
                (counted - passed).abs() <= passed * NEAR + longest
            };
            let enough = if known.is_some() { enough(LABELLED) } else { enough(UNLABELLED) };
            let ticks = Tick::ALL.into_iter().filter(|tick| told.is_none_or(|told| told == *tick));
            // Few steps over the time are no clock but a slow reading.
            let fine = |tick: &Tick| (last - first) > 50.0 || *tick != Tick::Us;
            let tick = ticks.filter(fine).find(fits).filter(|_| enough && (last - first) > 0.0)?;
            Some((label.clone(), tick))
        });
        if let Some((channel, tick)) = best {
            self.found = None;
            self.changes += 1;
            self.in_force = Time::Board { channel, tick, bits: None };
            return self.find_clock();
        }
        if enough((BURSTS, 0.5)) {
            let rule = if finding.together * 5 > rows { Time::Even } else { Time::Arrival };
            self.changes += u32::from(rule != self.in_force);
            self.in_force = rule;
            if enough((UNLABELLED.0 * 2, UNLABELLED.1 * 2.0)) {
                self.found = None;
            }
        }
    }
}
