//! Times for rows, final ones: what is learnt from the first rows of a link holds for these rows too.

use super::timer::{Start, Timer};
use super::{Opening, Time};
use crate::Stamp;
use crate::split::Shape;

/// Rows, and other things, that wait at most; then what is known must do.
const MOST: usize = 16_384;

/// Seconds that rows wait at most, once some have come.
const LONGEST: f64 = 20.0;
const SOME: u64 = 4;

/// What came while times were not final.
#[derive(Clone, Copy, Debug)]
enum WaitingItem {
    Row { arrival: Stamp, width: u8 },
    Missed(u64),
    Opened(Opening),
}

/// A row, or what stands between rows, with its final time.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Item<'a> {
    /// A row.
    Row {
        /// When it arrived.
        arrival: Stamp,
        /// When it was measured.
        at: Stamp,
        /// The board's clock started over with it: it does not follow from the row before.
        reset: bool,
        /// Its raw values, one a column.
        values: &'a [f64],
    },
    /// The next row does not follow from the one before.
    Break,
}

/// Rows that waited, with the times that they have now.
#[derive(Clone, Debug, Default)]
pub struct FinalTimes {
    held: Vec<WaitingItem>,
    values: Vec<f64>,
    /// One for each row.
    times: Vec<(Stamp, bool)>,
}

impl FinalTimes {
    /// All that waited, in order.
    pub fn items(&self) -> impl Iterator<Item = Item<'_>> {
        let (mut value, mut times) = (0, self.times.iter());
        self.held.iter().filter_map(move |held| match held {
            WaitingItem::Row { arrival, width } => {
                let values = &self.values[value..value + usize::from(*width)];
                value += usize::from(*width);
                let (at, reset) = *times.next()?;
                Some(Item::Row { arrival: *arrival, at, reset, values })
            }
            WaitingItem::Opened(Opening::Link | Opening::Text { .. }) => Some(Item::Break),
            WaitingItem::Opened(Opening::Grows(_)) | WaitingItem::Missed(_) => None,
        })
    }

    /// The time of each row that waited, and whether the board's clock started over with it.
    pub fn times(&self) -> &[(Stamp, bool)] {
        &self.times
    }
}

/// What became of a row.
#[derive(Debug)]
pub enum Timed {
    /// It has its time; the second is whether the board's clock started over with it.
    At(Stamp, bool),
    /// Its time is not final yet; this is the best that is known now.
    Waits(Stamp, bool),
    /// It and all rows that waited have their times.
    FinalTimes(FinalTimes),
}

/// Gives rows their times. While a rule is being found, or how late the arrivals are behind it, rows wait: their times
/// become final with a later row, all at once. How rows were cut into chunks changes nothing, and neither does when
/// somebody looks: the same rows with the same arrivals always get the same times.
#[derive(Clone, Debug)]
pub struct Timing {
    timer: Timer,
    /// As the timer was before the first row that waits, while any may wait.
    before: Option<Box<Timer>>,
    waiting: FinalTimes,
    rows: u64,
    first: Stamp,
}

impl Timing {
    /// By this rule.
    pub fn new(set: Time) -> Timing {
        let timer = Timer::new(set);
        let before = (!timer.is_final()).then(|| Box::new(timer.clone()));
        Timing { timer, before, waiting: FinalTimes::default(), rows: 0, first: Stamp(0) }
    }

    /// The same, where these columns are no clocks.
    #[must_use]
    pub fn refusing(mut self, columns: &[String]) -> Timing {
        self.timer = self.timer.refusing(columns);
        self.before = self.before.map(|before| Box::new(before.refusing(columns)));
        self
    }

    /// The rule, and what is known of the clocks.
    pub fn timer(&self) -> &Timer {
        &self.timer
    }

    /// The columns have the labels of `shape` from now on.
    pub fn shape(&mut self, shape: &Shape) {
        self.timer.shape(shape);
        if let Some(before) = &mut self.before {
            before.shape(shape);
        } else {
            self.wait_if_not_final();
        }
    }

    /// Rows that wait.
    pub fn waiting(&self) -> u64 {
        self.rows
    }

    /// The source was opened. Gives whether rows wait, so that this has its place behind them.
    pub fn open(&mut self, opening: Opening) -> bool {
        self.timer.open(opening);
        match &mut self.before {
            Some(_) if self.rows > 0 => {
                if !matches!(self.waiting.held.last(), Some(WaitingItem::Opened(last)) if *last == opening) {
                    self.waiting.held.push(WaitingItem::Opened(opening));
                }
                true
            }
            Some(before) => {
                before.open(opening);
                self.waiting = FinalTimes::default();
                false
            }
            None => {
                self.wait_if_not_final();
                false
            }
        }
    }

    fn wait_if_not_final(&mut self) {
        if !self.timer.is_final() {
            self.before = Some(Box::new(self.timer.clone()));
        }
    }

    /// A row came that was not taken in.
    pub fn missed(&mut self) {
        self.timer.missed();
        if self.before.is_some() {
            match self.waiting.held.last_mut() {
                Some(WaitingItem::Missed(count)) => *count += 1,
                _ => self.waiting.held.push(WaitingItem::Missed(1)),
            }
        }
    }

    /// A row with these values (raw, one a column, NaN for a gap) arrived at `arrival`.
    #[inline]
    pub fn row(&mut self, arrival: Stamp, values: &[f64]) -> Timed {
        let last = self.timer.last();
        let (at, reset) = self.timer.row(arrival, values);
        if self.before.is_none() {
            if self.timer.is_final() {
                return Timed::At(at, reset);
            }
            self.before = Some(Box::new(self.timer.before_row(last)));
            self.hold(arrival, values);
            self.waiting.times.push((at, reset));
            return Timed::Waits(at, reset);
        }
        self.hold(arrival, values);
        let too_long = self.rows >= SOME && arrival.seconds_since(self.first) >= LONGEST;
        if self.timer.is_final() || too_long || self.waiting.held.len() >= MOST {
            return Timed::FinalTimes(self.finalize());
        }
        Timed::Waits(at, reset)
    }

    fn hold(&mut self, arrival: Stamp, values: &[f64]) {
        if self.rows == 0 {
            self.first = arrival;
        }
        self.rows += 1;
        // A row has at most 64 columns.
        self.waiting.held.push(WaitingItem::Row { arrival, width: values.len() as u8 });
        self.waiting.values.extend_from_slice(values);
    }

    /// No more will come, or can be waited for: gives the rows that wait.
    pub fn finish(&mut self) -> FinalTimes {
        if self.before.is_some() { self.finalize() } else { FinalTimes::default() }
    }

    /// Times all rows that wait by what is known now: once to learn, once with what was learnt.
    #[cold]
    fn finalize(&mut self) -> FinalTimes {
        let Some(before) = self.before.take() else { return FinalTimes::default() };
        let mut waiting = std::mem::take(&mut self.waiting);
        self.rows = 0;
        // The first of them may have been seen to begin a stretch, which the timer before it does not know.
        let begins_with_reset = waiting.times.first().is_some_and(|(_, reset)| *reset);
        self.timer.finalize();
        let rule = self.timer.in_force().clone();
        let mut learning = (*before).clone();
        learning.columns_of(&self.timer);
        let mut timer = learning.clone();
        let (starts, _) = replay(&mut learning, &rule, &waiting);
        timer.start_with(&rule, starts);
        waiting.times = replay(&mut timer, &rule, &waiting).1;
        if let (true, Some(first)) = (begins_with_reset, waiting.times.first_mut()) {
            first.1 = true;
        }
        timer.finalize();
        self.timer = timer;
        waiting
    }
}

/// Lets `timer` time all that waited by `rule`: gives what the stretches between breaks told of their beginnings, and
/// the time of each row.
fn replay(timer: &mut Timer, rule: &Time, waiting: &FinalTimes) -> (Vec<Option<Start>>, Vec<(Stamp, bool)>) {
    let (mut starts, mut times, mut value) = (Vec::new(), Vec::new(), 0);
    timer.take_rule(rule.clone());
    for held in &waiting.held {
        match *held {
            WaitingItem::Row { arrival, width } => {
                let values = &waiting.values[value..value + usize::from(width)];
                value += usize::from(width);
                let before = timer.board_start();
                let (at, reset) = timer.row(arrival, values);
                if reset {
                    starts.push(before);
                }
                times.push((at, reset));
            }
            WaitingItem::Missed(count) => (0..count).for_each(|_| timer.missed()),
            WaitingItem::Opened(opening) => {
                if !matches!(opening, Opening::Grows(_)) {
                    starts.push(timer.start());
                }
                timer.open(opening);
                timer.take_rule(rule.clone());
            }
        }
    }
    starts.push(timer.start());
    (starts, times)
}
