//! The way from bytes to rows, for everybody who wants rows: split, time and derivation joined once.
//!
//! An [`Interpreter`] pushes what it finds into a [`RowSink`]: the buffer behind the screen, the table of a take, a
//! command. It works in one of two ways. *At once*, a row is given as soon as it is complete; when the shape or the times
//! of the first rows turn out otherwise, this is told ([`RowSink::restart`], [`RowSink::retimed`]). *Patiently*, a row is
//! given when nothing of it can change any more. Both give the same rows with the same times and values in the end.

mod layout;

pub use layout::Layout;

use crate::Stamp;
use crate::bench::ChannelSettings;
use crate::clock::{Across, FinalTimes, Item, Opening, Time, Timed, Timing};
use crate::split::{Frame, LineOutcome, OpeningState, Shape, Sink, Splitter};

/// Rows that follow one another, at least one.
#[derive(Debug)]
pub struct Rows<'a> {
    /// When the last byte of each arrived.
    pub arrivals: &'a [Stamp],
    /// When each was measured, as far as is known. Never earlier than the row before.
    pub times: &'a [Stamp],
    /// The raw values of each channel of the layout, one a row; NaN for a gap, and where a formula says them.
    pub raw: &'a [Vec<f64>],
    /// `times` are those of a text, counted from when it was opened, and not those of the clock on the wall.
    pub is_text_time: bool,
    /// What rows are counted by.
    pub across: Across,
}

impl Rows<'_> {
    /// How many they are.
    pub fn count(&self) -> usize {
        self.times.len()
    }
}

/// Where rows go.
pub trait RowSink {
    /// The channels are known, or there are new ones at the end of them. Comes before the first row.
    fn layout(&mut self, layout: &Layout);
    /// Rows, which come no later than the call that brought their bytes ends.
    fn rows(&mut self, rows: &Rows<'_>);
    /// The next row does not follow from the one before.
    fn gap(&mut self);
    /// A line was missed between the row before and the next one: it carried numbers and was rejected.
    fn missed(&mut self) {}
    /// What became of a line. Lines that became rows are given ahead of them.
    fn line(&mut self, at: Stamp, outcome: LineOutcome, line: &[u8]);
    /// The shape was found too early: all rows, and all lines since the first layout, are void. They come again behind
    /// another layout. Never said by a patient interpreter.
    fn restart(&mut self) {}
    /// The last rows have other times than were given, by the rule `in_force`, each with whether the board's clock started
    /// over with it; what is computed of them must be made anew. Never said by a patient interpreter.
    fn retimed(&mut self, _times: &[(Stamp, bool)], _in_force: &Time) {}
}

/// Bytes to rows of one source.
#[derive(Clone, Debug)]
pub struct Interpreter {
    splitter: Splitter,
    joint: Joint,
}

/// The stages behind the splitter.
#[derive(Clone, Debug)]
pub struct Joint {
    layout: Layout,
    timing: Timing,
    /// Rows that were not given yet.
    batch: Batch,
    openings: Openings,
    patient: bool,
}

/// Rows that are given together: as many as the nearest memory holds.
#[derive(Clone, Debug, Default)]
struct Batch {
    arrivals: Vec<Stamp>,
    times: Vec<Stamp>,
    /// Row by row, as many of each as there are columns.
    values: Vec<f64>,
    columns: usize,
    /// Channel by channel, while they are given.
    raw: Vec<Vec<f64>>,
    is_text_time: bool,
}

/// Rows in a batch at most.
const BATCH: usize = 256;

/// How the source was opened, before the lines that may be read again and among them.
#[derive(Clone, Debug)]
struct Openings {
    before: Opening,
    among: Vec<Opening>,
    /// Those of them that were passed on.
    passed: usize,
}

impl Interpreter {
    /// Gives rows at once. `shape` is pinned, or found when there is none; `known` are the settings of channels,
    /// formulas included. Takes the first byte for the start of a line.
    pub fn new(shape: Option<Shape>, time: Time, known: &[ChannelSettings]) -> Interpreter {
        let joint = Joint {
            layout: Layout::new(known),
            timing: Timing::new(time),
            batch: Batch::default(),
            openings: Openings { before: Opening::Link, among: Vec::new(), passed: 0 },
            patient: false,
        };
        Interpreter { splitter: Splitter::new(shape), joint }
    }

    /// Gives rows when nothing of them can change any more.
    pub fn patient(mut self) -> Interpreter {
        self.splitter = self.splitter.patient();
        self.joint.patient = true;
        self
    }

    /// Tells `sink` the layout where the shape is pinned; to be called once, before anything else.
    pub fn begin(&mut self, sink: &mut impl RowSink) {
        if let Some(shape) = self.splitter.shape() {
            self.joint.adopt(shape, sink);
        }
    }

    /// The splitter, for what is known of the shape.
    pub fn splitter(&self) -> &Splitter {
        &self.splitter
    }

    /// The same, for a splitter that goes on from another.
    pub fn splitter_mut(&mut self) -> &mut Splitter {
        &mut self.splitter
    }

    /// The splitter alone.
    pub fn into_splitter(self) -> Splitter {
        self.splitter
    }

    /// What is behind the splitter.
    pub fn joint(&self) -> &Joint {
        &self.joint
    }

    /// The same, for changing settings.
    pub fn joint_mut(&mut self) -> &mut Joint {
        &mut self.joint
    }

    /// Rows that are complete but not given yet.
    pub fn waiting(&self) -> u64 {
        let timing = if self.joint.patient { self.joint.timing.waiting() } else { 0 };
        self.splitter.rows_waiting() + timing
    }

    /// The source was opened: what comes next does not follow from what came before. `within`: as in [`Splitter::open`]. Gives
    /// the bytes of an unfinished line that are given up.
    pub fn open(&mut self, opening: Opening, within: Option<Stamp>, sink: &mut impl RowSink) -> usize {
        // What is added to a text goes on from what was there.
        self.settle(sink);
        let opened = (!matches!(opening, Opening::Grows(_))).then(|| self.splitter.open(within));
        self.joint.open(opening, opened.map(|(_, standing)| standing), sink);
        opened.map_or(0, |(given_up, _)| given_up)
    }

    /// Takes bytes that arrived at `at`; stamps must not run backwards.
    pub fn feed(&mut self, at: Stamp, bytes: &[u8], sink: &mut impl RowSink) {
        self.splitter.feed(at, bytes, &mut self.joint.findings(sink));
        self.joint.give_batch(sink);
    }

    /// What the first bytes are is decided by those that came, before another interpreter goes on.
    pub fn settle(&mut self, sink: &mut impl RowSink) {
        self.splitter.settle(&mut self.joint.findings(sink));
        self.joint.give_batch(sink);
    }

    /// These bytes were sent to the board at `at`.
    pub fn sent(&mut self, at: Stamp, bytes: &[u8], sink: &mut impl RowSink) {
        self.splitter.sent(at, bytes, &mut self.joint.findings(sink));
        self.joint.give_batch(sink);
    }

    /// Takes a frame that was cut before, and is read again.
    pub fn take_frame(&mut self, at: Stamp, frame: Frame<'_>, sink: &mut impl RowSink) {
        self.splitter.take_frame(at, frame, &mut self.joint.findings(sink));
        self.joint.give_batch(sink);
    }

    /// The text has come to its end at `at`: its last line counts although it may have no ending.
    pub fn end(&mut self, at: Stamp, sink: &mut impl RowSink) {
        self.splitter.end(at, &mut self.joint.findings(sink));
        self.joint.give_batch(sink);
    }

    /// No more will come: what waits is given by what is known now. A text's last line counts although it has no
    /// ending, when `at` says when it came.
    pub fn finish(&mut self, end_of_text: Option<Stamp>, sink: &mut impl RowSink) {
        if let Some(at) = end_of_text {
            self.end(at, sink);
        }
        self.splitter.finish(&mut self.joint.findings(sink));
        self.joint.finish(sink);
    }
}

impl Joint {
    /// The channels.
    pub fn layout(&self) -> &Layout {
        &self.layout
    }

    /// Gives rows their times.
    pub fn timing(&self) -> &Timing {
        &self.timing
    }

    /// Changes the channels. As with all edits, no row waits to be given.
    pub fn edit_layout(&mut self, edit: impl FnOnce(&mut Layout)) {
        edit(&mut self.layout);
    }

    /// Deletes a channel that no column feeds.
    pub fn remove(&mut self, channel: usize) {
        self.layout.remove(channel);
    }

    /// Lets two channels change places.
    pub fn swap(&mut self, a: usize, b: usize) {
        self.layout.swap(a, b);
    }

    /// Times rows by `time` from now on, `timing` having timed those that came.
    pub fn set_timing(&mut self, timing: Timing) {
        self.timing = timing;
    }

    /// Takes what the splitter finds, on its way to the sink.
    pub(crate) fn findings<'a, S: RowSink>(&'a mut self, sink: &'a mut S) -> Findings<'a, S> {
        Findings { joint: self, sink }
    }

    /// The source was opened, when the splitter stood so; `None` where it goes on from what was there.
    pub(crate) fn open(&mut self, opening: Opening, standing: Option<OpeningState>, sink: &mut impl RowSink) {
        self.give_batch(sink);
        let Some(standing) = standing else {
            self.timing.open(opening);
            return;
        };
        let openings = &mut self.openings;
        match (standing.is_on_trial, standing.is_broken_behind) {
            (false, _) => *openings = Openings { before: opening, among: Vec::new(), passed: 0 },
            (true, false) => openings.among.push(opening),
            // Nothing came since the last one.
            (true, true) => {
                openings.among.pop();
                openings.among.push(opening);
            }
        }
        // Lines that wait for their shape came before the break, which is told when its place has come.
        if !standing.waits {
            openings.passed = openings.among.len();
            self.break_off(opening, sink);
        }
    }

    /// A line came that is no row.
    pub(crate) fn pass_line(&mut self, outcome: LineOutcome, sink: &mut impl RowSink) {
        self.give_batch(sink);
        if matches!(outcome, LineOutcome::Rejected(_)) {
            self.timing.missed();
            sink.missed();
        }
    }

    /// No more rows will come: those that wait have the times that are known now.
    pub(crate) fn finish(&mut self, sink: &mut impl RowSink) {
        let settled = self.timing.finish();
        self.give_final(&settled, sink);
        self.give_batch(sink);
    }

    fn adopt(&mut self, shape: &Shape, sink: &mut impl RowSink) {
        self.give_batch(sink);
        self.layout.adopt(shape);
        self.timing.shape(shape);
        sink.layout(&self.layout);
    }

    fn break_off(&mut self, opening: Opening, sink: &mut impl RowSink) {
        self.give_batch(sink);
        let waits = self.timing.open(opening);
        // Behind rows that wait, the break waits too.
        if !(waits && self.patient) {
            sink.gap();
        }
    }

    /// Takes a row with these raw values, one a column.
    #[inline]
    fn give(&mut self, arrival: Stamp, (at, reset): (Stamp, bool), values: &[f64], sink: &mut impl RowSink) {
        let is_text_time = self.timing.timer().is_text_time();
        let is_like_others = is_text_time == self.batch.is_text_time && values.len() == self.batch.columns;
        if reset || self.batch.times.len() == BATCH || !is_like_others {
            self.give_batch(sink);
            (self.batch.is_text_time, self.batch.columns) = (is_text_time, values.len());
        }
        if reset {
            sink.gap();
        }
        self.batch.arrivals.push(arrival);
        self.batch.times.push(at);
        self.batch.values.extend_from_slice(values);
    }

    /// Gives the rows that were taken.
    pub(crate) fn give_batch(&mut self, sink: &mut impl RowSink) {
        let Batch { arrivals, times, values, columns, raw, is_text_time } = &mut self.batch;
        if times.is_empty() {
            return;
        }
        raw.resize_with(self.layout.channels().len(), Vec::new);
        raw.iter_mut().for_each(Vec::clear);
        for (column, channel) in self.layout.columns().iter().enumerate().take(*columns) {
            raw[*channel].clear();
            raw[*channel].extend(values[column..].iter().step_by(*columns));
        }
        // What no column feeds has nothing of its own.
        raw.iter_mut().for_each(|raw| raw.resize(times.len(), f64::NAN));
        let across = self.timing.timer().across();
        sink.rows(&Rows { arrivals, times, raw, is_text_time: *is_text_time, across });
        arrivals.clear();
        times.clear();
        values.clear();
    }

    #[cold]
    fn give_final(&mut self, settled: &FinalTimes, sink: &mut impl RowSink) {
        if !self.patient {
            if !settled.times().is_empty() {
                self.give_batch(sink);
                sink.retimed(settled.times(), self.timing.timer().in_force());
            }
            return;
        }
        for item in settled.items() {
            match item {
                Item::Row { arrival, at, reset, values } => self.give(arrival, (at, reset), values, sink),
                Item::Break => {
                    self.give_batch(sink);
                    sink.gap();
                }
            }
        }
    }
}

/// What the splitter finds, on its way to the sink.
pub(crate) struct Findings<'a, S> {
    joint: &'a mut Joint,
    sink: &'a mut S,
}

impl<S: RowSink> Sink for Findings<'_, S> {
    fn shape(&mut self, shape: &Shape) {
        self.joint.adopt(shape, self.sink);
    }

    #[inline]
    fn line(&mut self, at: Stamp, outcome: LineOutcome, line: &[u8]) {
        if !matches!(outcome, LineOutcome::Row(_)) {
            self.joint.pass_line(outcome, self.sink);
        }
        self.sink.line(at, outcome, line);
    }

    #[inline]
    fn row(&mut self, arrival: Stamp, values: &[f64]) {
        let joint = &mut *self.joint;
        match joint.timing.row(arrival, values) {
            Timed::At(at, reset) => joint.give(arrival, (at, reset), values, self.sink),
            Timed::Waits(..) if joint.patient => {}
            Timed::Waits(at, reset) => joint.give(arrival, (at, reset), values, self.sink),
            Timed::FinalTimes(settled) => {
                if !joint.patient {
                    let last = settled.times().last().copied().unwrap_or((arrival, false));
                    joint.give(arrival, last, values, self.sink);
                }
                joint.give_final(&settled, self.sink);
            }
        }
    }

    fn gap(&mut self) {
        let openings = &mut self.joint.openings;
        let opening = openings.among.get(openings.passed).copied().unwrap_or(openings.before);
        if self.joint.layout.columns().is_empty() {
            // The line before it was given up, and is not read again.
            openings.before = opening;
            openings.among.drain(..1.min(openings.among.len()));
        } else {
            openings.passed += 1;
        }
        self.joint.break_off(opening, self.sink);
    }

    fn restart(&mut self) {
        self.joint.batch = Batch::default();
        self.joint.timing = Timing::new(self.joint.timing.timer().rule().clone());
        self.joint.openings.passed = 0;
        self.joint.timing.open(self.joint.openings.before);
        self.joint.layout.forget();
        self.sink.restart();
    }
}
