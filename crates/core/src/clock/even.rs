//! Rows spread evenly: each one interval after the one before, held to the arrivals.

use crate::Stamp;

/// The most by which a row's interval is stretched to follow the arrivals, as a share of the interval.
const SLEW: f64 = 2e-3;

/// Seconds by which so many bursts in a row must arrive later than the times of a declared rate before these follow them: times lie
/// evenly as long as the arrivals do not say that they are wrong.
const APART: f64 = 1.5e-3;
const BURSTS: u32 = 3;

/// Rows from which an interval is measured before it is used.
const ENOUGH: u64 = 16;

/// Seconds over which the interval is measured; then it is begun anew from the middle.
const WINDOW: f64 = 60.0;

/// Rows in a row that were earlier than expected before the interval is measured anew: the board sends faster.
const EARLY: u32 = 8;

/// Rows that arrive within so many seconds arrive together.
const TOGETHER: f64 = 1e-4;

/// Seconds after which the interval and the delay of the first rows are known well enough.
const LEARNT: f64 = 2.0;

/// A new measurement that differs by this share from the interval in use means another pace.
const OTHER: f64 = 0.02;

/// What the first rows of a link told: by it they can be timed from the very first one.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Start {
    interval: f64,
    largest: f64,
    /// The time of the first row.
    first: Stamp,
}

/// Spreads rows by their measured interval, or by a declared one.
#[derive(Clone, Debug, Default)]
pub(super) struct Even {
    declared: Option<f64>,
    last: Option<Stamp>,
    arrival: Stamp,
    /// Where the measurement began, and where its younger half did, with the rows since each.
    begun: Option<(Stamp, u64)>,
    younger: Option<(Stamp, u64)>,
    /// As measured up to the first row of the burst that is arriving.
    interval: Option<f64>,
    /// The interval is from before the pause or break, and is measured anew.
    is_old: bool,
    early: u32,
    /// Seconds by which times lie further behind the arrivals than they must, and for how many bursts by more than they may.
    behind: f64,
    apart: u32,
    /// Rows of the burst that is arriving, and of the largest lately.
    burst: u32,
    largest: f64,
    /// Rows since the link was opened, those that were not taken in included, and when the first of them arrived.
    rows: u64,
    first: Stamp,
    /// For each burst since then the number of its last row and its arrival, until the start is known.
    bursts: Vec<(u64, Stamp)>,
    start: Option<Start>,
    learnt: bool,
}

impl Even {
    pub(super) fn new(declared: Option<f64>) -> Even {
        Even { declared, ..Even::default() }
    }

    /// What comes next does not follow from what came before; the pace is expected to be the same.
    pub(super) fn break_off(&mut self) {
        let interval = self.interval();
        *self = Even {
            interval: interval.filter(|_| self.declared.is_none()),
            is_old: true,
            largest: self.largest,
            ..Even::new(self.declared)
        };
    }

    /// Times the rows that come next by what is known of them already.
    pub(super) fn start_with(&mut self, start: Option<Start>) {
        let Some(known) = start else { return };
        (self.start, self.learnt, self.largest) = (start, true, known.largest);
        self.interval = if self.declared.is_none() { Some(known.interval) } else { None };
        self.is_old = false;
    }

    /// What the rows since the link was opened tell of its first one. No row is measured after it arrives, so the first
    /// one was measured as late as all arrivals allow.
    pub(super) fn start(&self) -> Option<Start> {
        let interval = self.interval()?;
        let latest = |(row, arrival): &(u64, Stamp)| arrival.plus(-(*row as f64) * interval);
        let first = self.bursts.iter().map(latest).min()?;
        Some(Start { interval, largest: self.largest, first })
    }

    /// Whether the times that it gives are final.
    pub(super) fn is_final(&self) -> bool {
        self.learnt
    }

    /// No more can be waited for.
    pub(super) fn finalize(&mut self) {
        self.learnt = true;
    }

    /// The interval in seconds, once known.
    fn interval(&self) -> Option<f64> {
        self.declared.or(self.interval)
    }

    /// A row came that was not taken in.
    pub(super) fn missed(&mut self) {
        self.rows += u64::from(self.rows > 0);
        for (_, rows) in [&mut self.begun, &mut self.younger].into_iter().flatten() {
            *rows += 1;
        }
        if let (Some(last), Some(interval)) = (self.last, self.interval()) {
            self.last = Some(last.plus(interval).min(self.arrival));
        }
    }

    /// The time of a row that arrived at `arrival`: never later than that, never earlier than the row before.
    pub(super) fn row(&mut self, arrival: Stamp) -> Stamp {
        let first_burst = self.bursts.len() < 2 && !self.learnt;
        if arrival.seconds_since(self.arrival) >= TOGETHER {
            // The last row of a burst is the one that should arrive in time.
            self.behind = self.last.map_or(0.0, |last| self.arrival.seconds_since(last));
            self.apart = if self.behind > APART { self.apart + 1 } else { 0 };
        }
        self.measure(arrival);
        let time = match self.last.zip(self.interval()) {
            None => self.start.take().map_or(arrival, |start| start.first.min(arrival)),
            Some((last, interval)) => {
                let expected = last.plus(interval);
                let late = arrival.seconds_since(expected);
                // Rows of a burst wait for its last one, so the first of them are late by the burst's length.
                let patience = (self.largest + 4.0) * interval * 1.5;
                if late < 0.0 {
                    self.early += u32::from(!first_burst);
                    arrival
                } else if late > patience.max(0.02) {
                    self.measure_anew(arrival);
                    // The first row of a burst that is as long as those before.
                    arrival.plus(-(self.largest - 1.0) * interval).max(expected)
                } else {
                    self.early = 0;
                    let follows = self.declared.is_none() || self.apart >= BURSTS;
                    let most = if follows { interval * SLEW } else { 0.0 };
                    let slew = self.behind.clamp(0.0, most);
                    self.behind -= slew;
                    expected.plus(slew.min(late))
                }
            }
        };
        if self.early >= EARLY && self.declared.is_none() {
            self.measure_anew(arrival);
            self.interval = None;
        }
        let time = self.last.map_or(time, |last| time.max(last));
        self.last = Some(time);
        time
    }

    fn measure_anew(&mut self, arrival: Stamp) {
        self.early = 0;
        self.begun = Some((arrival, 0));
        self.younger = None;
        self.is_old = true;
    }

    fn measure(&mut self, arrival: Stamp) {
        let together = self.last.is_some() && arrival.seconds_since(self.arrival) < TOGETHER;
        self.burst = if together { self.burst + 1 } else { 1 };
        self.largest = (self.largest * 0.999).max(f64::from(self.burst));
        self.arrival = arrival;
        self.note_burst(arrival, together);
        for (_, rows) in [&mut self.begun, &mut self.younger].into_iter().flatten() {
            *rows += 1;
        }
        let Some((begun, rows)) = self.begun else {
            self.begun = Some((arrival, 0));
            return;
        };
        // Both ends of a measurement are beginnings of bursts.
        if together {
            return;
        }
        let passed = arrival.seconds_since(begun);
        if rows >= ENOUGH && passed > 0.0 {
            let interval = passed / rows as f64;
            if self.is_old && self.interval.is_some_and(|old| (interval / old - 1.0).abs() > OTHER) {
                // Another pace: rows are held to the arrivals from here.
                self.last = self.last.filter(|_| self.declared.is_some());
            }
            (self.interval, self.is_old) = (Some(interval), false);
        }
        if passed > WINDOW / 2.0 && self.younger.is_none() {
            self.younger = Some((arrival, 0));
        }
        if passed > WINDOW {
            self.begun = self.younger.take();
        }
        let since = arrival.seconds_since(self.first);
        if !self.learnt && since >= LEARNT && self.interval().is_some() && (!self.is_old || self.declared.is_some()) {
            self.learnt = true;
        }
    }

    /// Takes note of the arrivals until the start is known.
    fn note_burst(&mut self, arrival: Stamp, together: bool) {
        if self.rows == 0 {
            self.first = arrival;
        }
        if !self.learnt {
            match self.bursts.last_mut().filter(|_| together) {
                Some(last) => last.0 = self.rows,
                None => self.bursts.push((self.rows, arrival)),
            }
        }
        self.rows += 1;
    }
}
