//! Gives each row its time, by the rule that is set or found, with what is known by then.

use super::board::{BoardClock, Drift, Line};
use super::even::{self, Even};
use super::find::{Candidate, Finding, Found};
use super::says::{Says, says};
use super::text::{TextTime, assumed};
use super::{Across, Opening, Time};
use crate::Stamp;
use crate::split::Shape;
use std::collections::VecDeque;

/// How often a column may not agree with the arrivals before it is no clock.
const REFUTED: u32 = 2;

/// What the first rows behind a break told of it.
#[derive(Clone, Copy, Debug)]
pub(super) enum Start {
    Even(even::Start),
    Board(Line),
}

/// Gives rows their times. The first rows of a link get times that later ones correct; [`super::Timing`] sees to that.
#[derive(Clone, Debug)]
pub struct Timer {
    set: Time,
    /// What is in force; the setting itself unless that is [`Time::Auto`].
    in_force: Time,
    clock: Option<(usize, BoardClock)>,
    even: Even,
    /// While rows come from a text.
    text: Option<TextTime>,
    /// They arrive as they are made, all the same: a pipe.
    arrives: bool,
    finding: Option<Finding>,
    candidates: Vec<Candidate>,
    /// Columns that were taken for the clock and did not agree with the arrivals.
    refused: Vec<String>,
    last: Option<Stamp>,
    /// For the stretches between breaks that come next, what is known of them.
    starts: VecDeque<Option<Start>>,
}

impl Timer {
    /// A timer by this rule.
    pub(super) fn new(set: Time) -> Timer {
        let in_force = if set == Time::Auto { Time::Arrival } else { set.clone() };
        let declared = if let Time::Rate { hz } = set { Some(1.0 / hz) } else { None };
        let finding = (set == Time::Auto).then(Finding::default);
        Timer {
            set,
            in_force,
            clock: None,
            even: Even::new(declared),
            text: None,
            arrives: true,
            finding,
            candidates: Vec::new(),
            refused: Vec::new(),
            last: None,
            starts: VecDeque::new(),
        }
    }

    /// The columns have these labels from now on.
    pub(super) fn shape(&mut self, shape: &Shape) {
        let candidate = |column| Candidate { label: shape.label(column), says: says(shape, column) };
        self.candidates = (0..shape.columns()).map(candidate).collect();
        self.refuse();
        self.find_clock();
    }

    /// Columns that were taken for the clock and are none are quantities as others are.
    fn refuse(&mut self) {
        for candidate in self.candidates.iter_mut().filter(|own| self.refused.contains(&own.label)) {
            candidate.says = Says::Quantity;
        }
    }

    /// The same timer, to which these columns are no clocks.
    #[must_use]
    pub(super) fn refusing(mut self, columns: &[String]) -> Timer {
        self.refused = columns.to_vec();
        self
    }

    /// Columns that were taken for the clock, by nothing but the arrivals, until they did not agree with them any more.
    pub fn refused(&self) -> &[String] {
        &self.refused
    }

    /// Whether the column in force is to be refused: nothing but the arrivals told that it is a clock, and it does not agree
    /// with them.
    fn is_refuted(&self) -> bool {
        let Some((column, clock)) = &self.clock else { return false };
        let says = self.candidates.get(*column).map(|own| own.says);
        self.set == Time::Auto && clock.disagreements >= REFUTED && !matches!(says, None | Some(Says::Clock(_)))
    }

    /// Takes the column in force for the clock no more, and finds another rule.
    #[cold]
    fn withdraw(&mut self) {
        let label = self.clock.take().and_then(|(column, _)| Some(self.candidates.get(column)?.label.clone()));
        self.refused.extend(label);
        self.refuse();
        (self.in_force, self.finding) = (Time::Arrival, Some(Finding::default()));
    }

    fn find_clock(&mut self) {
        let Time::Board { channel, tick, bits } = &self.in_force else { return };
        let column = self.candidates.iter().position(|own| own.label == *channel);
        match (&mut self.clock, column) {
            (Some((at, _)), Some(column)) => *at = column,
            (clock, column) => *clock = column.map(|column| (column, BoardClock::new(*tick, *bits))),
        }
    }

    /// The rule that is set.
    pub fn rule(&self) -> &Time {
        &self.set
    }

    /// The rule in force, never [`Time::Auto`].
    pub fn in_force(&self) -> &Time {
        &self.in_force
    }

    /// Whether the rule in force stays.
    pub fn is_found(&self) -> bool {
        self.finding.is_none()
    }

    /// Whether rows come from a text that tells nothing of its time, so that a rate is merely assumed.
    pub fn is_assumed(&self) -> bool {
        // What is added to a text arrives.
        let stands = self.text.as_ref().is_some_and(|text| text.grows.is_none());
        stands && self.set == Time::Auto && self.in_force == assumed() && !self.arrives
    }

    /// What rows are counted by: their own number where nothing tells their time.
    pub fn across(&self) -> Across {
        if self.is_assumed() { Across::Rows(super::text::ASSUMED_HZ) } else { Across::Seconds }
    }

    /// Whether the times of rows are those of a text and not those of the clock on the wall.
    pub fn is_text_time(&self) -> bool {
        self.text.is_some() && (!self.arrives || self.is_exact())
    }

    /// What gives rows their time, in a few words.
    pub fn sentence(&self) -> String {
        match (&self.in_force, &self.text) {
            (_, Some(text)) if text.grows.is_some() => {
                format!("arrival, as the text grows; what was there before counts {} rows/s", super::text::ASSUMED_HZ)
            }
            (Time::Rate { .. }, Some(_)) if self.is_assumed() => {
                "none: rows are counted, since the text has no clock".into()
            }
            (Time::Board { channel, tick, .. }, Some(_)) => format!("clock in the text {channel}, {}", tick.name()),
            (rule, _) => rule.sentence(),
        }
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
    pub(super) fn open(&mut self, opening: Opening) {
        match opening {
            Opening::Grows(at) => {
                if let (Some(text), true) = (&mut self.text, self.set == Time::Auto && self.in_force == assumed()) {
                    text.grows = Some(self.last.map_or(0.0, |last| last.seconds_since(at)));
                }
                return;
            }
            Opening::Text { at, arrives } => {
                // The text begins where the one before ended.
                let at = self.last.map_or(at, |last| last.max(at));
                (self.text, self.arrives) = (Some(TextTime::new(at)), arrives);
                if self.set == Time::Auto {
                    self.in_force = if arrives { Time::Arrival } else { assumed() };
                    self.finding = Some(Finding::default());
                }
            }
            Opening::Link => {
                if self.text.take().is_some() && self.set == Time::Auto {
                    (self.in_force, self.finding) = (Time::Arrival, Some(Finding::default()));
                }
                self.arrives = true;
            }
        }
        if let Some((_, clock)) = &mut self.clock {
            clock.break_off();
        }
        self.even.break_off();
        if let Some(finding) = &mut self.finding {
            *finding = Finding::default();
        }
        self.next_start();
    }

    /// A row came that was not taken in.
    pub(super) fn missed(&mut self) {
        self.even.missed();
        if let Some(text) = &mut self.text {
            text.missed();
        }
    }

    /// Whether the text itself times the rows.
    fn is_exact(&self) -> bool {
        matches!(self.in_force, Time::Board { .. } | Time::Rate { .. }) || !self.arrives
    }

    /// The time of a row with these values (raw, one a column, NaN for a gap) that arrived at `arrival`; never earlier
    /// than that of the row before. The second is whether the board started over.
    #[inline]
    pub(super) fn row(&mut self, arrival: Stamp, values: &[f64]) -> (Stamp, bool) {
        if self.finding.is_some() {
            self.find(arrival, values);
        }
        let (time, reset) = if self.text.is_some() && self.is_exact() {
            self.text_row(arrival, values)
        } else {
            match (&self.in_force, &mut self.clock) {
                (Time::Board { .. }, Some((column, clock))) => {
                    let (time, reset) = clock.row(arrival, values.get(*column).copied().unwrap_or(f64::NAN));
                    if reset {
                        self.next_start();
                    }
                    (time, reset)
                }
                (Time::Even | Time::Rate { .. }, _) => (self.even.row(arrival), false),
                _ => {
                    // Evened times may be wanted later.
                    if self.finding.is_some() {
                        self.even.row(arrival);
                    }
                    (arrival, false)
                }
            }
        };
        let (time, reset) = if self.is_refuted() {
            self.withdraw();
            (arrival, false)
        } else {
            (time, reset)
        };
        let time = self.last.map_or(time, |last| time.max(last));
        self.last = Some(time);
        (time, reset)
    }

    fn text_row(&mut self, arrival: Stamp, values: &[f64]) -> (Stamp, bool) {
        let column = self.clock.as_ref().map(|(column, _)| *column);
        let Some(text) = &mut self.text else { return (arrival, false) };
        match (&self.in_force, column) {
            (Time::Board { tick, bits, .. }, Some(column)) => {
                let (time, reset) = text.by_clock(values.get(column).copied().unwrap_or(f64::NAN), *tick, *bits);
                if let (true, Some((_, clock))) = (reset, &mut self.clock) {
                    clock.resets += 1;
                }
                (time, reset)
            }
            (Time::Rate { hz }, _) if text.grows.is_none() => (text.by_rate(*hz), false),
            _ => match text.grows {
                Some(later) => (arrival.plus(later), false),
                None => (text.by_rate(super::text::ASSUMED_HZ), false),
            },
        }
    }

    #[cold]
    fn find(&mut self, arrival: Stamp, values: &[f64]) {
        let Some(finding) = &mut self.finding else { return };
        finding.row(arrival, values);
        let found = match (&self.text, self.arrives) {
            (Some(_), false) => finding.by_text(&self.candidates, false),
            // What a pipe brings may be a text that is long finished: its clock is believed as it is.
            (Some(_), true) => match finding.by_text(&self.candidates, false) {
                Found::Surely(clock @ Time::Board { .. }) => Found::Surely(clock),
                _ => finding.by_arrivals(&self.candidates),
            },
            (None, _) => finding.by_arrivals(&self.candidates),
        };
        match found {
            Found::Nothing => {}
            Found::Perhaps(rule) => self.in_force = rule,
            Found::Surely(rule) => self.take_rule(rule),
        }
    }

    /// Goes by `rule` from now on, which was found.
    pub(super) fn take_rule(&mut self, rule: Time) {
        self.finding = None;
        self.in_force = rule;
        self.find_clock();
    }

    /// Whether the times that it gives are final: later rows change nothing of them.
    pub(super) fn is_final(&self) -> bool {
        if self.finding.is_some() {
            return false;
        }
        if self.text.is_some() && self.is_exact() {
            return true;
        }
        match (&self.in_force, &self.clock) {
            (Time::Board { .. }, Some((_, clock))) => clock.is_final(),
            (Time::Even | Time::Rate { .. }, _) => self.even.is_final(),
            _ => true,
        }
    }

    /// Decides by what is known, where no more can be waited for.
    pub(super) fn finalize(&mut self) {
        self.even.finalize();
        if let Some((_, clock)) = &mut self.clock {
            clock.finalize();
        }
        if let Some(finding) = self.finding.take() {
            let arrivals = self.text.is_none() || self.arrives;
            self.in_force = match finding.by_text(&self.candidates, true) {
                _ if arrivals => finding.burst_rule(),
                Found::Surely(rule) => rule,
                _ => assumed(),
            };
            self.find_clock();
        }
    }

    /// What the rows behind the last break tell of its beginning.
    pub(super) fn start(&self) -> Option<Start> {
        match (&self.in_force, &self.clock) {
            (Time::Board { .. }, Some((_, clock))) => clock.start().map(Start::Board),
            (Time::Even | Time::Rate { .. }, _) => self.even.start().map(Start::Even),
            _ => None,
        }
    }

    /// The same, where it is had without effort.
    pub(super) fn board_start(&self) -> Option<Start> {
        self.clock.as_ref()?.1.start().map(Start::Board)
    }

    /// Goes by `rule`, and takes for known what was learnt of the stretches that come next, the first of which begins
    /// now.
    pub(super) fn start_with(&mut self, rule: &Time, starts: impl IntoIterator<Item = Option<Start>>) {
        self.take_rule(rule.clone());
        self.starts = starts.into_iter().collect();
        self.next_start();
    }

    fn next_start(&mut self) {
        match self.starts.pop_front().flatten() {
            Some(Start::Even(start)) => self.even.start_with(Some(start)),
            Some(Start::Board(offset)) => {
                if let Some((_, clock)) = &mut self.clock {
                    clock.start_with(Some(offset));
                }
            }
            None => {}
        }
    }

    /// As it was before a row that showed the clock to begin anew; `last` is the time of the row before.
    pub(super) fn before_row(&self, last: Option<Stamp>) -> Timer {
        let mut before = self.clone();
        before.last = last;
        if let Some((_, clock)) = &mut before.clock {
            clock.break_off();
        }
        before
    }

    pub(super) fn last(&self) -> Option<Stamp> {
        self.last
    }

    /// Goes by the columns that `other` knows.
    pub(super) fn columns_of(&mut self, other: &Timer) {
        self.candidates = other.candidates.clone();
    }
}
