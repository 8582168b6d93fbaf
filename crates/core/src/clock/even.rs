//! Rows spread evenly: each one interval after the one before, held to the arrivals.

use crate::Stamp;

/// The most by which a row's interval is stretched to follow the arrivals, as a share of the interval.
const SLEW: f64 = 2e-3;

/// Rows from which an interval is measured before it is used.
const ENOUGH: u64 = 16;

/// Seconds over which the interval is measured; then it is begun anew from the middle.
const WINDOW: f64 = 60.0;

/// Rows in a row that were earlier than expected before the interval is measured anew: the board sends faster.
const EARLY: u32 = 8;

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
    early: u32,
    /// Rows of the burst that is arriving, and of the largest lately.
    burst: u32,
    largest: f64,
}

impl Even {
    pub(super) fn new(declared: Option<f64>) -> Even {
        Even { declared, ..Even::default() }
    }

    /// The same with the interval that is known so far, for rows from the beginning.
    pub(super) fn anew(&self) -> Even {
        Even { interval: self.interval, largest: self.largest, ..Even::new(self.declared) }
    }

    /// The interval in seconds, once known.
    fn interval(&self) -> Option<f64> {
        self.declared.or(self.interval)
    }

    /// A row came that was not taken in.
    pub(super) fn missed(&mut self) {
        for (_, rows) in [&mut self.begun, &mut self.younger].into_iter().flatten() {
            *rows += 1;
        }
        if let (Some(last), Some(interval)) = (self.last, self.interval()) {
            self.last = Some(last.plus(interval).min(self.arrival));
        }
    }

    /// The time of a row that arrived at `arrival`: never later than that, never earlier than the row before.
    pub(super) fn row(&mut self, arrival: Stamp) -> Stamp {
        self.measure(arrival);
        let time = match self.last.zip(self.interval()) {
            None => arrival,
            Some((last, interval)) => {
                let expected = last.plus(interval);
                let late = arrival.seconds_since(expected);
                // Rows of a burst wait for its last one, so the first of them are late by the burst's length.
                let patience = (self.largest + 4.0) * interval * 1.5;
                if late < 0.0 {
                    self.early += 1;
                    arrival
                } else if late > patience.max(0.02) {
                    self.begin(arrival);
                    arrival
                } else {
                    self.early = 0;
                    expected.plus(late.min(interval * SLEW))
                }
            }
        };
        if self.early >= EARLY && self.declared.is_none() {
            self.begin(arrival);
        }
        let time = self.last.map_or(time, |last| time.max(last));
        self.last = Some(time);
        time
    }

    fn begin(&mut self, arrival: Stamp) {
        self.early = 0;
        self.begun = Some((arrival, 0));
        self.younger = None;
        self.interval = None;
    }

    fn measure(&mut self, arrival: Stamp) {
        let together = self.last.is_some() && arrival.seconds_since(self.arrival) < 1e-4;
        self.burst = if together { self.burst + 1 } else { 1 };
        self.largest = (self.largest * 0.999).max(f64::from(self.burst));
        self.arrival = arrival;
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
            self.interval = Some(passed / rows as f64);
        }
        if passed > WINDOW / 2.0 && self.younger.is_none() {
            self.younger = Some((arrival, 0));
        }
        if passed > WINDOW {
            self.begun = self.younger.take();
        }
    }
}
