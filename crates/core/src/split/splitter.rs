//! The stage as a whole: bytes in; rows, messages and rejections out.

use super::clean::clean;
use super::cutter::Cutter;
use super::effort::Effort;
use super::frame::Frame;
use super::frames::Found;
use super::later::Later;
use super::learn::{Learning, MOST_HELD};
use super::line_shape::carries_numbers;
use super::opinion;
use super::outcome::{LineOutcome, Rejection, Sink};
use super::probe::{Probe, Verdict};
use super::read::Column;
use super::shape::Shape;
use super::shape_reader::{Better, Proposal, ShapeReader, reject};
use super::trial::{RowCount, Second, Trial, read};
use super::turns::Turns;
use crate::Stamp;

/// How sure it is that the shape in force is the stream's.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Confidence {
    /// There is another reading, or much does not fit.
    Unsure,
    /// Few lines so far, all or nearly all of which fit.
    Likely,
    /// Many lines, nearly all of which fit; or it was pinned.
    Sure,
}

impl Confidence {
    /// A word for it.
    pub fn name(self) -> &'static str {
        match self {
            Confidence::Unsure => "unsure",
            Confidence::Likely => "likely",
            Confidence::Sure => "sure",
        }
    }
}

/// A silence behind the opening of a source, in seconds, after which what comes begins a line.
const SILENCE: f64 = 0.3;

/// The longest spelling of an offered shape that is told in a sentence, in characters.
const LONGEST_OFFER: usize = 80;

/// How often lines that are no text, while no shape is known, are looked at for frames.
const PROBES: u32 = 4;

/// Of the last 32 lines with numbers so many that do not fit leave nothing sure.
const LATELY: u32 = 4;

/// A line that waits for the shape to be found.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Waiting<'a> {
    /// When its last byte arrived.
    pub at: Stamp,
    /// Its beginning may be missing.
    pub half: bool,
    /// The link was broken before it.
    pub broken: bool,
    /// The line.
    pub bytes: &'a [u8],
}

/// How a splitter stood when the source was opened.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct OpeningState {
    /// Lines wait for the shape to be found.
    pub waits: bool,
    /// Lines are kept that may be read again, as rows of another shape.
    pub is_on_trial: bool,
    /// The link was broken behind these lines.
    pub is_broken_behind: bool,
}

#[derive(Clone, Debug)]
enum State {
    /// No shape is known.
    Learning(Learning),
    /// One is, but few lines speak for it yet: the lines so far are read again when another one does better.
    Trial(Box<ShapeReader>),
    /// It stays.
    Settled(Box<ShapeReader>),
}

/// Bytes to rows. Deterministic: the same bytes give the same rows however they are cut into pieces.
///
/// A shape is on trial for 128 lines, or more where it is doubted. What is given meanwhile may be void ([`Sink::restart`]); a patient
/// splitter gives nothing before the shape is settled. Both give the same rows in the end.
#[derive(Clone, Debug)]
pub struct Splitter {
    framing: Cutter,
    /// The first bytes, until it is told whether they are text.
    probe: Option<Probe>,
    /// How often frames are still looked for among bytes that are no text.
    probes: u32,
    lines: SplitState,
}

#[derive(Clone, Debug)]
struct SplitState {
    state: State,
    half: bool,
    /// When the source was opened, until something comes.
    opened: Option<Stamp>,
    trial: Trial,
    /// What speaks against a shape that was found and stays.
    later: Option<Later>,
    patient: bool,
}

impl Splitter {
    /// A splitter that reads `shape`, or finds one when there is none. It takes the first byte for the start of a
    /// line; call [`Splitter::break_off`] where that is not sure.
    pub fn new(shape: Option<Shape>) -> Self {
        let (framing, probe) = (Cutter::of(shape.as_ref()), shape.is_none().then(Probe::default));
        let state = match shape {
            Some(shape) => State::Settled(Box::new(ShapeReader::new(shape, true))),
            None => State::Learning(Learning::default()),
        };
        let lines =
            SplitState { state, half: false, opened: None, trial: Trial::default(), later: None, patient: false };
        Splitter { framing, probe, probes: PROBES, lines }
    }

    /// The same, but it gives no shape and no row before it is settled which shape that is.
    pub fn patient(mut self) -> Self {
        self.lines.patient = true;
        self
    }

    /// The next byte may lie within a line, because bytes before it were never seen. Forgets an unfinished line and
    /// gives the number of its bytes.
    pub fn break_off(&mut self) -> usize {
        self.lines.half = true;
        self.lines.trial.break_off();
        if let State::Trial(reading) | State::Settled(reading) = &mut self.lines.state {
            reading.break_off();
        }
        let waiting = self.probe.take().map_or(0, |probe| probe.bytes.len());
        self.probe = matches!(self.lines.state, State::Learning(_)).then(Probe::default);
        self.framing.reset() + waiting
    }

    /// Whether lines wait for the shape to be found. A break of the link then lies behind them, and is given to the sink
    /// when its place has come.
    pub fn waits(&self) -> bool {
        let told = matches!(self.lines.state, State::Trial(_)) && !self.lines.patient;
        !told && !self.lines.trial.is_empty()
    }

    /// The next byte begins a line, and does not follow from the bytes before. Gives the number of bytes of an
    /// unfinished line that is forgotten.
    pub fn begin(&mut self) -> usize {
        let lost = self.break_off();
        // Where a frame begins is told by frames alone.
        self.lines.half = !matches!(self.framing, Cutter::Lines(_));
        lost
    }

    /// The source was opened: what comes next does not follow from what came before. `within`: it may begin within a
    /// line, unless nothing comes for a while from this moment on. Gives the number of bytes of an unfinished line that is
    /// forgotten, and how things stood before.
    pub fn open(&mut self, within: Option<Stamp>) -> (usize, OpeningState) {
        let standing = OpeningState {
            waits: self.waits(),
            is_on_trial: !self.lines.trial.is_empty(),
            is_broken_behind: self.lines.trial.is_broken_behind(),
        };
        let lost = if within.is_some() { self.break_off() } else { self.begin() };
        self.lines.opened = within;
        (lost, standing)
    }

    /// The lines that wait for the shape to be found.
    pub fn waiting(&self) -> impl Iterator<Item = Waiting<'_>> {
        self.lines.trial.untold().filter(|_| self.waits())
    }

    /// Whether the link was broken behind these lines.
    pub fn is_broken_behind(&self) -> bool {
        self.lines.trial.is_broken_behind()
    }

    /// Rows that were read but not given, because the shape is still on trial.
    pub fn rows_waiting(&self) -> u64 {
        self.lines.trial.rows
    }

    /// Goes on with what is under way in another splitter of the same bytes. Gives the number of bytes of an unfinished frame
    /// that is forgotten, because this one cuts the stream in another way.
    pub fn go_on_from(&mut self, mut other: Splitter) -> usize {
        if !self.framing.is_alike(&other.framing) {
            self.lines.half = true;
            self.probe = None;
            return other.framing.reset();
        }
        let shape = self.shape();
        if !shape.is_some_and(Shape::is_binary) || shape == other.shape() || matches!(shape, Some(Shape::Pins(_))) {
            self.framing = other.framing;
            self.probe = other.probe.filter(|_| self.shape().is_none());
            self.lines.half = other.lines.half;
            return 0;
        }
        self.lines.half = true;
        other.framing.reset()
    }

    /// What bytes are that were cut before, by another splitter, which said `outcome` of them.
    pub fn again<'a>(&self, before: &Splitter, outcome: LineOutcome, bytes: &'a [u8]) -> Frame<'a> {
        self.framing.again(self.framing.is_alike(&before.framing), outcome, bytes)
    }

    /// Frames that are missing, by the field that counts them; `None` where none does.
    pub fn missing(&self) -> Option<u64> {
        self.reading()?.missing()
    }

    fn reading(&self) -> Option<&ShapeReader> {
        match &self.lines.state {
            State::Learning(_) => None,
            State::Trial(reading) | State::Settled(reading) => Some(reading),
        }
    }

    /// Whether the shape in force stays, whatever comes: another one is offered and never taken.
    pub fn is_decided(&self) -> bool {
        matches!(self.lines.state, State::Settled(_))
    }

    /// The shape in force, once it is known.
    pub fn shape(&self) -> Option<&Shape> {
        self.reading().map(|reading| reading.reader.shape())
    }

    /// The shape, once it is settled or sure, with all that is needed to find the place in a stream again, as a take needs it.
    pub fn decided_shape(&self) -> Option<Shape> {
        let is_sure = || self.sure() == Some(Confidence::Sure);
        let reading = self.reading().filter(|_| self.is_decided() || is_sure())?;
        let mut shape = reading.reader.shape().clone();
        if let (Shape::Plain(plain), Some(turns)) = (&mut shape, &reading.turns) {
            plain.typical = turns.typical();
        }
        Some(shape)
    }

    /// How sure the shape is; `None` while there is none.
    pub fn sure(&self) -> Option<Confidence> {
        let reading = self.reading()?;
        let fit = self.fit().unwrap_or(1.0);
        Some(match (reading.fits, fit) {
            _ if self.proposal().is_some() => Confidence::Unsure,
            _ if reading.pinned => Confidence::Sure,
            // Much that is no such thing comes again at even distances.
            _ if matches!(reading.reader.shape(), Shape::Frames(frames) if !frames.shows_itself()) => {
                Confidence::Unsure
            }
            _ if matches!(reading.reader.shape(), Shape::Worded(_)) && self.uncertain().is_some() => Confidence::Unsure,
            (4.., 0.7..) if self.uncertain().is_some() => Confidence::Likely,
            (20.., 0.9..) if reading.lately.count_ones() < LATELY => Confidence::Sure,
            (4.., 0.7..) => Confidence::Likely,
            _ => Confidence::Unsure,
        })
    }

    /// What is open about the shape although lines fit it, in a few words: what on them changes and is not read, or where a
    /// row of several lines begins.
    pub fn uncertain(&self) -> Option<&str> {
        let reading = self.reading().filter(|reading| !reading.pinned)?;
        if let Some(guess) = reading.guess.as_ref().or(reading.second.as_ref().map(|(said, _)| said)) {
            return Some(guess);
        }
        if reading.turns.as_ref().is_some_and(Turns::begins_anywhere) {
            return Some("nothing tells with which line a row begins");
        }
        match reading.reader.shape() {
            Shape::Pattern(pattern) => pattern.has_unread().then_some("other words on the lines are not read"),
            Shape::Json(_) => reading.reader.leaves_changing_words().then_some("texts that change are not read"),
            _ => reading.reader.leaves_changing_words().then_some("words that change are not read"),
        }
    }

    /// What is doubted of the shape, in a sentence; `None` where it is sure, and while there is none.
    pub fn doubt(&self) -> Option<String> {
        let sure = self.sure().filter(|sure| *sure < Confidence::Sure)?;
        let what = if self.shape()?.is_binary() { "the bytes" } else { "lines" };
        let mut text = format!("{what} are read as {}, {}", self.shape()?.sentence(), sure.name());
        if let Some(uncertain) = self.uncertain() {
            text += &format!("; {uncertain}");
        }
        if let Some(offer) = self.proposal() {
            // Dozens of names are for the panel, not for a sentence.
            let spelled = offer.shape.to_string();
            let is_short = spelled.chars().count() <= LONGEST_OFFER;
            let shape = if is_short { format!("'{spelled}'") } else { offer.shape.sentence() };
            text += &format!("; {}: perhaps {shape}", offer.why);
        }
        Some(text)
    }

    /// The share of lines with numbers that fit the shape, 0 to 1.
    pub fn fit(&self) -> Option<f64> {
        let reading = self.reading()?;
        let all = reading.fits + reading.misfits + reading.lost;
        (all > 0).then(|| reading.fits as f64 / all as f64)
    }

    /// The share of the last 32 frames that are damaged or none, 0 to 1; `None` where lines come, and before there were as many.
    pub fn damaged(&self) -> Option<f64> {
        let reading = self.reading().filter(|reading| reading.reader.shape().is_binary())?;
        (reading.fits + reading.misfits >= 32).then(|| f64::from(reading.lately.count_ones()) / 32.0)
    }

    /// Another shape that may be the right one.
    pub fn proposal(&self) -> Option<&Proposal> {
        let reading = self.reading()?;
        let second = reading.second.as_ref().and_then(|(_, proposal)| proposal.as_ref());
        reading.proposal.as_ref().or(reading.other.as_ref()).or(reading.doubts.proposal.as_ref()).or(second)
    }

    /// What each column states of itself; empty while no shape is known.
    pub fn columns(&self) -> impl Iterator<Item = Column> {
        self.reading().into_iter().flat_map(|reading| reading.reader.columns())
    }

    /// Takes all of `bytes`, which arrived at `at`.
    pub fn feed(&mut self, at: Stamp, bytes: &[u8], sink: &mut impl Sink) {
        if let Some(opened) = self.lines.opened.take() {
            self.lines.half &= at.seconds_since(opened) < SILENCE || !matches!(self.framing, Cutter::Lines(_));
        }
        let mut rest = bytes;
        let mut is_told = false;
        loop {
            while let Some(probe) = &mut self.probe {
                if rest.is_empty() {
                    return;
                }
                let (used, verdict) = probe.take(at, rest);
                rest = &rest[used..];
                if let Some(verdict) = verdict {
                    self.judge(verdict, sink);
                    is_told = false;
                }
            }
            if !std::mem::replace(&mut is_told, true) {
                self.framing.come(at, rest.len());
            }
            let (used, cut) = self.framing.step(rest);
            let Some((frame, came_at)) = cut else { return };
            if let (Frame::Whole(line), true) = (frame, self.probes > 0)
                && matches!(self.lines.state, State::Learning(_))
                && clean(line).is_none()
            {
                // What comes is no text: it may be frames behind a message, this line among them. The LF behind a CR, which was
                // skipped, is a byte of theirs.
                let used = used - usize::from(rest[..used].ends_with(b"\r\n"));
                self.probes -= 1;
                self.probe = Some(Probe::of(at, line.iter().chain(rest[..used].last()).copied().collect()));
                rest = &rest[used..];
                continue;
            }
            rest = &rest[used..];
            self.lines.take(came_at.unwrap_or(at), frame, sink);
        }
    }

    /// It is told what the first bytes are: they are cut.
    #[cold]
    fn judge(&mut self, verdict: Verdict, sink: &mut impl Sink) {
        let Some(probe) = self.probe.take() else { return };
        if let Verdict::Frames(Found { frames, doubt, .. }) = verdict {
            let shape = Shape::Frames(frames);
            self.framing = Cutter::of(Some(&shape));
            sink.shape(&shape);
            let mut reading = ShapeReader::new(shape, false);
            (reading.settled, reading.guess) = (true, Some(doubt));
            self.lines.give_up(sink);
            self.lines.state = State::Settled(Box::new(reading));
            self.lines.half = true;
        }
        for (i, (from, at)) in probe.pieces.iter().enumerate() {
            let to = probe.pieces.get(i + 1).map_or(probe.bytes.len(), |(next, _)| *next);
            let mut rest = &probe.bytes[*from..to];
            self.framing.come(*at, rest.len());
            while let (used, Some((frame, came_at))) = self.framing.step(rest) {
                self.lines.take(came_at.unwrap_or(*at), frame, sink);
                rest = &rest[used..];
            }
        }
    }

    /// These bytes were sent to the board at `at`: what comes may answer them.
    pub fn sent(&mut self, at: Stamp, bytes: &[u8], sink: &mut impl Sink) {
        if let State::Trial(reading) | State::Settled(reading) = &mut self.lines.state {
            reading.sent(at, bytes, sink);
        }
    }

    /// Takes a frame that was cut before, and is read again.
    pub fn take_frame(&mut self, at: Stamp, frame: Frame<'_>, sink: &mut impl Sink) {
        self.lines.take(at, frame, sink);
    }

    /// The source has come to its end: its last frame counts although it may have no end.
    pub fn end(&mut self, at: Stamp, sink: &mut impl Sink) {
        self.settle(sink);
        while let Some(frame) = self.framing.finish() {
            self.lines.take(at, frame, sink);
        }
    }

    /// No more will come: what waits is given by what is known now.
    pub fn finish(&mut self, sink: &mut impl Sink) {
        self.settle(sink);
        self.lines.finish(sink);
    }
}

impl Splitter {
    /// What the first bytes are is decided by those that came: before a break, or before another splitter goes on.
    pub fn settle(&mut self, sink: &mut impl Sink) {
        if let Some(verdict) = self.probe.as_ref().map(Probe::end) {
            self.judge(verdict, sink);
        }
    }
}

impl SplitState {
    #[inline]
    fn take(&mut self, at: Stamp, frame: Frame<'_>, sink: &mut impl Sink) {
        let half = std::mem::take(&mut self.half);
        match &mut self.state {
            State::Settled(reading) => {
                let rows = reading.fits;
                // Another shape is offered by now, and not given.
                let _ = read(reading, at, half, frame, sink);
                if let Some(later) = &mut self.later
                    && (reading.fits == rows || later.is_open())
                    && let Some(against) = later.note(at, half, frame, reading.fits > rows, reading)
                {
                    reading.second = Some(against);
                }
            }
            State::Trial(_) => self.try_on(at, half, frame, sink),
            State::Learning(_) => self.learn(at, half, frame, sink),
        }
    }

    #[cold]
    fn learn(&mut self, at: Stamp, half: bool, frame: Frame<'_>, sink: &mut impl Sink) {
        let State::Learning(learning) = &mut self.state else { return };
        let text = match frame {
            Frame::Whole(line) => clean(line),
            Frame::Bad(..) => None,
        };
        let text = match (frame, text) {
            (Frame::Whole(_), Some(text)) if carries_numbers(&text) => text,
            (told, text) => {
                match (told, text) {
                    (Frame::Whole(line), Some(text)) => {
                        // The end of a line names nothing.
                        if !half {
                            learning.hear(&text);
                        }
                        sink.line(at, LineOutcome::Message, line);
                    }
                    (Frame::Whole(line), None) => {
                        reject(at, half, Rejection::Unreadable, line, sink);
                    }
                    (Frame::Bad(why, head), _) => {
                        sink.line(at, LineOutcome::Rejected(why), head);
                    }
                }
                match told {
                    _ if !self.trial.is_empty() => self.trial.push(at, half, told, true),
                    Frame::Whole(line) if !half => self.trial.hear(line),
                    _ => {}
                }
                return;
            }
        };
        self.trial.push(at, half, frame, false);
        self.trial.header.clone_from(&learning.header);
        if let Some(shape) = learning.hold(at, half, &text) {
            let reading = self.trial.read_as(shape);
            self.begin(reading, Effort::default(), sink);
            self.ask_if_due(sink);
            self.decide_if_told(sink);
        } else if let Some(reading) = self.trial.survey(None) {
            self.begin(reading, Effort::default(), sink);
            self.ask_if_due(sink);
            self.decide_if_told(sink);
        } else {
            if learning.held.len() > MOST_HELD {
                learning.held.remove(0);
            }
            if self.trial.is_second_due() && self.ask_first(sink) {
                self.decide_if_told(sink);
            } else if self.trial.len() > opinion::MOST {
                self.trial.give_up_oldest(sink);
            }
        }
    }

    /// Reads a line while the shape is on trial.
    #[cold]
    fn try_on(&mut self, at: Stamp, half: bool, frame: Frame<'_>, sink: &mut impl Sink) {
        let State::Trial(reading) = &mut self.state else { return };
        self.trial.push(at, half, frame, false);
        let better = match self.patient {
            true => read(reading, at, half, frame, &mut RowCount(&mut self.trial.rows)),
            false => read(reading, at, half, frame, sink),
        };
        let effort = reading.effort.unwrap_or_default();
        let better = match better {
            Some(Better::Other(_)) if reading.is_ranked => None,
            Some(Better::Grown(shape) | Better::Other(shape)) => {
                let is_ranked = reading.is_ranked;
                self.trial.numbers = reading.reader.numbers();
                let mut reading = self.trial.read_as(shape);
                reading.is_ranked = is_ranked;
                Some(reading)
            }
            None if reading.is_ranked => None,
            None => self.trial.survey(Some(reading)),
        };
        if let Some(reading) = better {
            if !self.patient {
                sink.restart();
            }
            self.begin(reading, effort, sink);
        }
        self.ask_if_due(sink);
        self.decide_if_told(sink);
    }

    /// The shape on trial stays, if enough lines speak for it.
    fn decide_if_told(&mut self, sink: &mut impl Sink) {
        let State::Trial(reading) = &self.state else { return };
        let is_asked = self.trial.is_long() || reading.settled;
        if (reading.is_borne_out() && is_asked) || self.trial.is_full() {
            self.decide(sink);
        }
    }

    /// Asks what all lines that wait for a shape mean together; gives whether that is sure.
    fn ask_first(&mut self, sink: &mut impl Sink) -> bool {
        let Some(Second::Better(reading)) = self.trial.second(None) else { return false };
        self.begin(*reading, Effort::default(), sink);
        true
    }

    fn ask_if_due(&mut self, sink: &mut impl Sink) {
        if self.trial.is_second_due() {
            self.ask_again(sink);
        }
    }

    /// Asks what all lines on trial mean together, and goes by that where it is sure.
    fn ask_again(&mut self, sink: &mut impl Sink) {
        let State::Trial(reading) = &mut self.state else { return };
        match self.trial.second(Some(reading)) {
            Some(Second::Better(better)) => {
                let effort = reading.effort.unwrap_or_default();
                if !self.patient {
                    sink.restart();
                }
                self.begin(*better, effort, sink);
            }
            Some(Second::Differs(said, shape)) => {
                let why = "all lines together may be read so".to_owned();
                reading.second = Some((said, shape.map(|shape| Proposal { shape, why })));
            }
            Some(Second::Doubted(said)) => reading.second = Some((said, None)),
            Some(Second::Agrees) => reading.second = None,
            None => {}
        }
    }

    /// Goes by the shape of `reading`, which has read the lines so far, with what is left of the `effort`.
    fn begin(&mut self, mut reading: ShapeReader, effort: Effort, sink: &mut impl Sink) {
        if !self.patient {
            let is_ranked = reading.is_ranked;
            reading = self.trial.give(reading.reader.shape().clone(), sink);
            reading.is_ranked = is_ranked;
        }
        reading.effort = Some(effort);
        self.state = State::Trial(Box::new(reading));
    }

    /// The shape on trial stays.
    fn decide(&mut self, sink: &mut impl Sink) {
        let state = std::mem::replace(&mut self.state, State::Learning(Learning::default()));
        let State::Trial(mut reading) = state else { return };
        if self.patient {
            // It has read the lines itself, as they came.
            self.trial.give(reading.reader.shape().clone(), sink);
        }
        reading.settled = true;
        self.later = (!reading.reader.shape().is_binary()).then(|| Later::new(self.trial.header.take()));
        self.trial = self.trial.after();
        self.state = State::Settled(reading);
    }

    /// The lines that wait for a shape get none.
    fn give_up(&mut self, sink: &mut impl Sink) {
        if let State::Learning(learning) = &mut self.state {
            learning.held.clear();
        }
        while !self.trial.is_empty() {
            self.trial.give_up_oldest(sink);
        }
    }

    fn finish(&mut self, sink: &mut impl Sink) {
        let is_asked = self.trial.was_asked();
        if matches!(self.state, State::Learning(_)) && (is_asked || !self.ask_first(sink)) {
            self.give_up(sink);
        }
        if let State::Trial(reading) = &mut self.state {
            // The text may end before another shape had the lines that are needed to take over.
            let effort = reading.effort.unwrap_or_default();
            let other = reading.rival.decide().filter(|_| !reading.is_ranked).map(|shape| self.trial.read_as(shape));
            if let Some(other) = other.filter(|other| other.fits > reading.fits) {
                if !self.patient {
                    sink.restart();
                }
                self.begin(other, effort, sink);
            }
            if !is_asked {
                self.ask_again(sink);
            }
            self.decide(sink);
        }
        if let State::Settled(reading) = &mut self.state {
            if let Some(against) = self.later.as_mut().and_then(|later| later.end(reading)) {
                reading.second = Some(against);
            }
            reading.finish(sink);
        }
    }
}

#[cfg(test)]
#[path = "splitter_tests.rs"]
mod tests;
