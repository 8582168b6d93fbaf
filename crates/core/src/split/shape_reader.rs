//! Lines while a shape is in force: rows out of them, and doubts about the shape.

use super::clean::clean;
use super::doubts::Doubts;
use super::effort::Effort;
use super::learn::{Learning, MOST_HELD};
use super::line_shape::carries_numbers;
use super::outcome::{LineOutcome, Rejection, Sink};
use super::pattern::StepRow;
use super::pins::PinRow;
use super::polled::PolledRow;
use super::read::{Other, Reader};
use super::shape::{MAX_FIELDS, Plain, Shape};
use super::turns::{Families, Turn, TurnStep, Turns};
use super::value::is_near;
use super::words;
use crate::Stamp;
use std::collections::VecDeque;

/// How often a new label must be seen on sound lines before it becomes a column.
const SIGHTINGS: u32 = 3;

/// The same for a word among codes.
const WORD_SIGHTINGS: u32 = 2;

/// How many new labels are watched at once.
const MOST_SUSPECTS: usize = MAX_FIELDS;

/// Lines in a row that fit another shape before that shape is offered.
pub(super) const RIVALS: u32 = 8;

/// Lines that fit before a shape can stay: start-up text seldom has as many of one form.
const SETTLED: u32 = 16;

/// Lines that fit before a shape stays that is doubted.
pub(super) const DOUBTFUL: u32 = 64;

/// Another shape that may be the right one.
#[derive(Clone, Debug, PartialEq)]
pub struct Proposal {
    /// The shape.
    pub shape: Shape,
    /// Why, in a sentence.
    pub why: String,
}

/// A shape that should be in force instead, while the one in force is on trial.
#[derive(Debug)]
pub(super) enum Better {
    /// The same with another field.
    Grown(Shape),
    /// Another one, which the last lines fit.
    Other(Shape),
}

/// What is known while a shape is in force.
#[derive(Clone, Debug)]
pub(super) struct ShapeReader {
    pub(super) reader: Reader,
    pub(super) pinned: bool,
    /// The shape stays, although few lines fit it.
    pub(super) settled: bool,
    values: Vec<f64>,
    /// For rows of several lines.
    pub(super) turns: Option<Turns>,
    families: Families,
    suspects: Vec<(String, u32)>,
    /// Lines that fit the shape, and lines with numbers that do not.
    pub(super) fits: u64,
    pub(super) misfits: u64,
    /// The last lines with numbers, a bit each, set where one did not fit.
    pub(super) lately: u32,
    /// Lines with numbers that were taken for messages since the first that fitted.
    pub(super) lost: u64,
    /// Lines that fit since the last one that did not.
    fits_since: u32,
    /// The lines that did not fit, and what they could be.
    pub(super) rival: Learning,
    pub(super) rivals: u32,
    /// Lines that fit stood among them.
    rivals_are_mixed: bool,
    pub(super) proposal: Option<Proposal>,
    /// What else the lines may mean by which the pattern in force was found.
    pub(super) other: Option<Proposal>,
    /// The first lines that fitted, and the last ones, fitting or not, since some are not fully read.
    pub(super) samples: Vec<Vec<u8>>,
    pub(super) recent: VecDeque<Vec<u8>>,
    /// Lines that were not, or not fully, read.
    pub(super) unexplained: u32,
    /// About commas and signs.
    pub(super) doubts: Doubts,
    /// What is not sure of frames, or of the names in a line of words, in a few words.
    pub(super) guess: Option<String>,
    missing: Missing,
    pins: PinRow,
    polled: PolledRow,
    /// For rows of several lines of a pattern.
    pub(super) steps: Option<StepRow>,
    /// It was found by all lines together: few lines do not make another one.
    pub(super) is_ranked: bool,
    /// What all lines together may mean instead, and the shape of that, where shapes can say it.
    pub(super) second: Option<(String, Option<Proposal>)>,
    /// A line that reads as the one before has nothing more to say of the shape.
    is_calm: bool,
    /// For looking at lines together; `None` while lines are read again, which is no time to look for another shape.
    pub(super) effort: Option<Effort>,
}

/// Frames that did not come, by what counts them.
#[derive(Clone, Debug, Default)]
struct Missing {
    frames: u64,
    last: Option<u64>,
    counted: bool,
}

impl Missing {
    /// A frame says that it is number `count`, of so many bits.
    fn note(&mut self, count: u64, bits: u8) {
        let mask = u64::MAX >> (64 - bits);
        self.counted = true;
        let Some(last) = self.last.replace(count) else { return };
        let between = count.wrapping_sub(last).wrapping_sub(1) & mask;
        // A count that goes back was begun anew.
        if between < mask / 2 {
            self.frames += between;
        }
    }
}

impl ShapeReader {
    pub(super) fn new(shape: Shape, pinned: bool) -> ShapeReader {
        let steps = match &shape {
            Shape::Pattern(pattern) if pattern.has_steps() => Some(StepRow::new(pattern)),
            _ => None,
        };
        let several = match &shape {
            Shape::PerLine(_) => true,
            Shape::Plain(plain) => plain.lines > 1,
            _ => false,
        };
        ShapeReader {
            values: Vec::new(),
            turns: several.then(|| Turns::new(&shape)),
            reader: Reader::new(shape),
            pinned,
            settled: false,
            families: Families::default(),
            suspects: Vec::new(),
            fits: 0,
            misfits: 0,
            lost: 0,
            lately: 0,
            fits_since: 0,
            rival: Learning::default(),
            rivals: 0,
            rivals_are_mixed: false,
            proposal: None,
            other: None,
            samples: Vec::new(),
            recent: VecDeque::new(),
            unexplained: 0,
            doubts: Doubts::new(pinned),
            guess: None,
            missing: Missing::default(),
            pins: PinRow::default(),
            polled: PolledRow::default(),
            steps,
            is_ranked: false,
            second: None,
            is_calm: false,
            effort: Some(Effort::default()),
        }
    }

    /// Whether so many lines may be looked at together.
    pub(super) fn may_look_at(&mut self, lines: usize) -> bool {
        self.effort.as_mut().is_some_and(|effort| effort.spend(lines))
    }

    /// Frames that are missing, where a field counts them.
    pub(super) fn missing(&self) -> Option<u64> {
        self.missing.counted.then_some(self.missing.frames)
    }

    /// Nothing more comes: the row that is under way is over.
    pub(super) fn finish(&mut self, sink: &mut impl Sink) {
        self.steps.iter_mut().for_each(|steps| steps.finish(sink));
    }

    /// These bytes were sent to the board at `at`.
    pub(super) fn sent(&mut self, at: Stamp, bytes: &[u8], sink: &mut impl Sink) {
        if let Shape::Polled(polled) = self.reader.shape() {
            self.polled.sent(polled, at, bytes, sink);
        }
    }

    #[cold]
    fn take_answer(&mut self, at: Stamp, half: bool, line: &[u8], sink: &mut impl Sink) {
        let Shape::Polled(polled) = self.reader.shape() else { return };
        if half {
            return sink.line(at, LineOutcome::Half, line);
        }
        if let Some(fits) = self.polled.take(polled, at, line, sink) {
            self.fits += u64::from(fits);
            self.misfits += u64::from(!fits);
            self.lately = self.lately << 1 | u32::from(!fits);
            self.reader.know_decimals(&self.polled.decimals);
        }
    }

    /// What comes next does not follow from what came before.
    pub(super) fn break_off(&mut self) {
        self.missing.last = None;
        self.pins.break_off();
        self.polled.break_off();
        self.turns.iter_mut().for_each(Turns::break_off);
        self.steps.iter_mut().for_each(StepRow::break_off);
    }

    /// Takes bytes that are no whole frame.
    pub(super) fn take_bad(&mut self, at: Stamp, half: bool, why: Rejection, head: &[u8], sink: &mut impl Sink) {
        if self.reader.shape().is_binary() {
            // What was cut in another way says so, by which it is known again.
            let half = half && !matches!(why, Rejection::CutAsLine | Rejection::CutAsFrame);
            self.misfits += u64::from(!half);
            self.lately = self.lately << 1 | u32::from(!half);
            return reject(at, half, why, head, sink);
        }
        sink.line(at, LineOutcome::Rejected(why), head);
    }
}

impl ShapeReader {
    /// Reads a line; gives another shape when the one in force turns out to have been found too early.
    #[inline]
    pub(super) fn take(&mut self, at: Stamp, half: bool, line: &[u8], sink: &mut impl Sink) -> Option<Better> {
        let shape = self.reader.shape();
        let is_frame = matches!(shape, Shape::Frames(_));
        let (width, first) = match shape {
            Shape::Pins(pins) => {
                self.fits += u64::from(self.pins.take(pins, at, line, sink));
                self.lately <<= 1;
                return None;
            }
            Shape::Polled(_) => {
                self.take_answer(at, half, line, sink);
                return None;
            }
            Shape::Plain(plain) => (plain.fields, self.turns.as_ref().map_or(0, |turns| turns.turn * plain.fields)),
            other => (other.columns(), 0),
        };
        self.values.resize(width, f64::NAN);
        let mut outcome = self.reader.read(line, first, &mut self.values);
        if is_frame && outcome.is_ok() {
            // There is nothing else that a frame could mean.
            self.take_frame(at, line, sink);
            return None;
        }
        if !self.reader.signs.is_empty() && self.is_new_sign() {
            outcome = Err(Other::Damage(Rejection::OtherText));
        }
        if outcome.is_ok() && is_rule(line) {
            outcome = Err(Other::Text);
        }
        match outcome {
            Ok(filled) if self.is_calm && !half && self.reader.is_as_before() => {
                self.take_row(at, filled, line, sink);
                self.look_for_families(at);
                self.is_calm = self.proposal.is_none();
                return None;
            }
            Ok(filled) if half && !(self.reader.knows_its_start() && self.reader.is_whole(filled)) => {
                sink.line(at, LineOutcome::Half, line)
            }
            Ok(filled) => {
                if let Some((column, word)) = self.reader.word.take()
                    && let Some(better) = self.suspect_word(column, &word, sink)
                {
                    return Some(better);
                }
                if self.reader.misread_states() && !self.is_decided() {
                    return Some(Better::Grown(self.reader.shape().clone()));
                }
                self.take_row(at, filled, line, sink);
                if let Some((label, words)) = self.reader.new_codes() {
                    self.reader.grow_codes(label, words);
                    if !self.is_decided() {
                        return Some(Better::Grown(self.reader.shape().clone()));
                    }
                    sink.shape(self.reader.shape());
                }
                if self.other.is_some() {
                    self.weigh(line);
                }
                if self.samples.len() < RIVALS as usize {
                    self.note_sample(line);
                }
                if self.reader.leaves_changing_words() && !self.pinned {
                    self.remember(line);
                    self.refine(sink);
                }
                if !self.doubts.settled {
                    self.look_for_doubts(line);
                }
                if self.rivals > 0 || self.proposal.is_some() {
                    self.outlive_rivals(line);
                }
                self.look_for_families(at);
                self.is_calm = self.is_calm_now();
            }
            Err(Other::Text) => {
                sink.line(at, LineOutcome::Message, line);
                return self.doubt(at, line, false, sink);
            }
            Err(Other::Damage(why)) => {
                reject(at, half, why, line, sink);
                if !half {
                    self.steps.iter_mut().for_each(StepRow::miss);
                    self.miss_a_turn(at);
                    return self.doubt(at, line, true, sink);
                }
            }
            Err(Other::NewLabel { .. }) if half => sink.line(at, LineOutcome::Half, line),
            Err(Other::NewLabel { labels, beside_all }) => {
                let needed = if beside_all { 1 } else { SIGHTINGS };
                return self.suspect(at, labels, needed, line, sink);
            }
        }
        None
    }

    /// A row, or a part of one, that was read into the values.
    #[inline]
    fn take_row(&mut self, at: Stamp, filled: u64, line: &[u8], sink: &mut impl Sink) {
        if self.turns.is_some() {
            self.take_turn(at, filled, line, sink);
        } else if let Some(steps) = &mut self.steps {
            sink.line(at, LineOutcome::Row(filled.trailing_zeros() as u8), line);
            steps.take(at, filled, &self.values, sink);
        } else {
            sink.line(at, LineOutcome::Row(0), line);
            sink.row(at, &self.values);
        }
        self.fits += 1;
        self.lately <<= 1;
    }

    /// Whether nothing is open about the shape that lines like those before could tell.
    fn is_calm_now(&self) -> bool {
        // What signs mean is asked where a line has some, and such a line is not read as the one before.
        let of_signs = matches!(self.reader.shape(), Shape::Worded(_) | Shape::PerLine(_));
        (self.doubts.settled || of_signs)
            && self.is_decided()
            && self.other.is_none()
            && self.proposal.is_none()
            && self.rivals == 0
            && self.samples.len() >= RIVALS as usize
            && !self.reader.leaves_changing_words()
    }

    /// Keeps one of the first lines that fit.
    #[cold]
    fn note_sample(&mut self, line: &[u8]) {
        self.samples.push(line.to_vec());
        if let Shape::Worded(labels) = self.reader.shape()
            && let Some(word) = words::scan(line, labels.style()).unclear
            && !self.pinned
        {
            let word = String::from_utf8_lossy(&line[word]);
            self.guess = Some(format!("'{word}' may be a unit, or the name of the next value"));
        }
    }

    /// A frame that was read into the values.
    #[inline]
    fn take_frame(&mut self, at: Stamp, frame: &[u8], sink: &mut impl Sink) {
        sink.line(at, LineOutcome::Row(0), frame);
        sink.row(at, &self.values);
        self.fits += 1;
        self.lately <<= 1;
        if let Shape::Frames(frames) = self.reader.shape()
            && let Some((count, bits)) = frames.count(frame)
        {
            self.missing.note(count, bits);
        }
    }

    fn take_turn(&mut self, at: Stamp, filled: u64, line: &[u8], sink: &mut impl Sink) {
        let Some(turns) = &mut self.turns else { return };
        let mut first = filled.trailing_zeros() as u8;
        let step = match self.reader.shape() {
            Shape::Plain(plain) => {
                let before = turns.turn;
                let step = turns.plain(at, plain, &self.values);
                // The line may have told where in the row it stands.
                let here = if turns.turn == 0 { plain.lines - 1 } else { turns.turn - 1 };
                first = (if matches!(step, TurnStep::Taken { .. }) { here } else { before } * plain.fields) as u8;
                step
            }
            _ => turns.labelled(at, &self.values, filled, |at, row| sink.row(at, row)),
        };
        match step {
            TurnStep::Taken { complete } => {
                sink.line(at, LineOutcome::Row(first), line);
                if complete {
                    sink.row(at, &turns.values);
                }
            }
            TurnStep::Half => sink.line(at, LineOutcome::Half, line),
            TurnStep::Rejected(why) => sink.line(at, LineOutcome::Rejected(why), line),
        }
        if let Some(first @ 1..) = turns.pauses_before()
            && !self.pinned
            && self.proposal.is_none()
        {
            self.begin_rows_with(first);
        }
    }

    /// The board pauses before another line than that with which rows begin: they may begin there.
    #[cold]
    fn begin_rows_with(&mut self, first: usize) {
        if let Shape::PerLine(labels) = self.reader.shape() {
            let labels = labels.turned(first);
            let why = format!("the board pauses before '{}'", labels.labels[0]);
            self.proposal = Some(Proposal { shape: Shape::PerLine(labels), why });
        }
    }

    /// A damaged line had its place among lines told apart by order.
    fn miss_a_turn(&mut self, at: Stamp) {
        if let (Shape::Plain(plain), Some(turns)) = (self.reader.shape(), &mut self.turns) {
            self.values.fill(f64::NAN);
            let _ = turns.plain(at, plain, &self.values);
        }
    }

    /// Commas and signs may mean something else.
    #[inline]
    fn look_for_doubts(&mut self, line: &[u8]) {
        match self.reader.shape() {
            Shape::Plain(plain) if Doubts::looks_at_pairs(plain) => self.doubts.pair(line),
            Shape::Worded(labels) | Shape::PerLine(labels) if !self.reader.signs.is_empty() => {
                let style = labels.style();
                let signs = std::mem::take(&mut self.reader.signs);
                self.doubts.words(signs, style, line);
            }
            Shape::Worded(_) | Shape::PerLine(_) => {}
            _ => self.doubts.settled = true,
        }
    }

    /// Plain numbers may come in turn, which only their values can tell.
    #[inline]
    fn look_for_families(&mut self, at: Stamp) {
        if self.pinned || self.turns.is_some() || self.values.len() != 1 {
            return;
        }
        let Shape::Plain(plain) = self.reader.shape() else { return };
        if let Some(Turn { lines, typical, pause }) = self.families.push(at, self.values[0]) {
            let by = if pause.is_some() { "the pauses between lines say that" } else { "the values alternate between" };
            let shape = Plain { lines, typical, pause, ..plain.clone() };
            let what = if pause.is_some() { "lines belong together" } else { "signals" };
            let why = format!("{by} {} {what}", shape.lines);
            self.proposal = Some(Proposal { shape: Shape::Plain(shape), why });
        }
    }

    /// A line with numbers did not fit: perhaps the stream has changed its shape.
    #[cold]
    fn doubt(&mut self, at: Stamp, line: &[u8], damage: bool, sink: &mut impl Sink) -> Option<Better> {
        self.is_calm = false;
        self.fits_since = 0;
        if matches!(self.reader.shape(), Shape::Frames(_)) {
            self.misfits += u64::from(damage);
            self.lately = self.lately << 1 | u32::from(damage);
            return None;
        }
        if !carries_numbers(line) {
            // A row with a word where a number should be speaks against the shape too.
            self.misfits += u64::from(damage);
            self.lately = self.lately << u32::from(damage) | u32::from(damage && self.fits > 0);
            self.rival.hear(line);
            return None;
        }
        // Garbage speaks for no other shape.
        let Some(text) = clean(line) else {
            self.misfits += 1;
            return None;
        };
        self.lately = self.lately << 1 | u32::from(self.fits > 0);
        self.misfits += u64::from(damage);
        self.lost += u64::from(!damage && self.fits > 0);
        self.rivals += 1;
        self.effort.iter_mut().for_each(Effort::earn);
        let mut found = self.rival.hold(at, false, &text);
        if found.is_none() && self.rival.is_survey_due() && self.may_look_at(self.rival.held.len()) {
            found = self.rival.survey();
        }
        if self.rival.held.len() > MOST_HELD {
            self.rival.held.remove(0);
        }
        self.remember(&text);
        if self.refine(sink) {
            return None;
        }
        // What fitted and what does not may be of one pattern.
        let is_due = self.rivals >= RIVALS && self.rivals.is_multiple_of(RIVALS) && self.turns.is_none();
        let joint = if is_due && self.may_look_at(self.jointly()) { self.joint_pattern() } else { None };
        let joint = joint.map(|found| Shape::Pattern(found.pattern));
        let shape =
            joint.or(found).filter(|shape| shape != self.reader.shape() && self.rivals >= self.rivals_needed())?;
        if !self.is_decided() {
            return Some(Better::Other(shape));
        }
        let why = format!("the last {} lines do not fit the shape in force", self.rivals);
        self.proposal = Some(Proposal { shape, why });
        None
    }

    /// A comma among digits, where there was none before the shape was settled: what it means is not known.
    #[cold]
    fn is_new_sign(&self) -> bool {
        self.is_decided() && !self.pinned && !self.doubts.has_signs()
    }

    /// Lines of another shape after which that is offered or, while the one in force is on trial, taken: a block that was asked
    /// for among the first rows is shorter than what follows start-up text.
    fn rivals_needed(&self) -> u32 {
        let fits = u32::try_from(self.fits).unwrap_or(u32::MAX);
        if self.is_decided() || self.rivals_are_mixed || fits < RIVALS { RIVALS } else { fits.saturating_mul(2) }
    }

    /// Lines fit again.
    #[cold]
    fn outlive_rivals(&mut self, line: &[u8]) {
        self.remember(line);
        self.fits_since += 1;
        self.rivals_are_mixed |= self.rivals > 0;
        if self.rivals > 0 && self.fits_since >= RIVALS {
            self.rivals = 0;
            self.rivals_are_mixed = false;
            self.rival = Learning::default();
            self.recent.clear();
            self.proposal = None;
        }
    }

    /// Damage rarely makes the same wrong label twice; a label that was seen on `needed` sound lines is a new field. While
    /// the shape is on trial, gives the shape with that field.
    #[cold]
    fn suspect(
        &mut self,
        at: Stamp,
        labels: Vec<String>,
        needed: u32,
        line: &[u8],
        sink: &mut impl Sink,
    ) -> Option<Better> {
        self.is_calm = false;
        let seen: Vec<String> = labels.into_iter().filter(|label| self.sighted(label) >= needed).collect();
        let why = if self.reader.is_full() { Rejection::TooManyLabels } else { Rejection::NewLabel };
        if seen.is_empty() || self.reader.is_full() {
            reject(at, false, why, line, sink);
            return self.doubt(at, line, true, sink);
        }
        self.suspects.retain(|(known, _)| !seen.contains(known));
        seen.into_iter().for_each(|label| self.reader.grow(label));
        if !self.is_decided() {
            reject(at, false, why, line, sink);
            return Some(Better::Grown(self.reader.shape().clone()));
        }
        sink.shape(self.reader.shape());
        if let Some(turns) = &mut self.turns {
            *turns = Turns::new(self.reader.shape());
        }
        self.take(at, false, line, sink)
    }

    /// A word that comes again where codes stand is one more of them.
    #[cold]
    fn suspect_word(&mut self, column: usize, word: &[u8], sink: &mut impl Sink) -> Option<Better> {
        let word = String::from_utf8_lossy(word).into_owned();
        let known = self.reader.shape().codes(column);
        let place = known.len();
        // Another state is nothing like those that are known; a damaged word is.
        let is_other = word.starts_with(char::is_alphabetic)
            && word.chars().all(char::is_alphanumeric)
            && !known.iter().any(|code| is_near(code.as_bytes(), word.as_bytes()) && code.len().max(word.len()) > 1);
        if !is_other && self.sighted(&format!("{column}={word}")) < WORD_SIGHTINGS {
            return None;
        }
        self.reader.add_code(column, &word);
        // There may be as many as there can be.
        if self.reader.shape().codes(column).len() == place {
            return None;
        }
        if !self.is_decided() {
            return Some(Better::Grown(self.reader.shape().clone()));
        }
        self.values[column] = place as f64;
        sink.shape(self.reader.shape());
        None
    }

    /// How often this was seen that is not known, this time included.
    fn sighted(&mut self, what: &str) -> u32 {
        let index = match self.suspects.iter().position(|(known, _)| known == what) {
            Some(index) => index,
            None => {
                if self.suspects.len() == MOST_SUSPECTS {
                    self.suspects.remove(0);
                }
                self.suspects.push((what.to_owned(), 0));
                self.suspects.len() - 1
            }
        };
        self.suspects[index].1 += 1;
        self.suspects[index].1
    }

    /// Whether the shape is no longer on trial: from here on another one is offered and never taken.
    pub(super) fn is_decided(&self) -> bool {
        self.pinned || self.settled
    }

    /// Whether enough lines speak for the shape.
    pub(super) fn is_borne_out(&self) -> bool {
        let fits = if self.is_doubtful() { DOUBTFUL } else { SETTLED };
        self.is_decided() || self.fits >= u64::from(fits)
    }

    /// Whether it is worth looking at the lines together. Of names and values among words each line alone says little.
    pub(super) fn may_be_a_pattern(&self) -> bool {
        match self.reader.shape() {
            Shape::Worded(_) => true,
            Shape::Plain(plain) if plain.comma => true,
            Shape::PerLine(_) | Shape::Json(_) => false,
            _ if self.turns.is_some() => false,
            _ => self.is_doubtful(),
        }
    }

    /// Whether the lines so far may be of another shape.
    pub(super) fn is_doubtful(&self) -> bool {
        let fit = self.fits * 10 >= (self.misfits + self.lost) * 90;
        self.proposal.is_some()
            || self.other.is_some()
            || self.second.is_some()
            || self.doubts.proposal.is_some()
            || self.reader.may_leave_fields()
            || !fit
    }
}

/// Whether a line is a rule of a table, which is no row of gaps: `+-----+----+`.
#[inline]
fn is_rule(line: &[u8]) -> bool {
    let line = line.trim_ascii();
    matches!(line.first(), Some(b'+' | b'|' | b'-'))
        && line.iter().all(|b| matches!(b, b'-' | b'+' | b'|' | b'='))
        && line.windows(3).any(|three| three == b"---")
        && line.iter().any(|b| matches!(b, b'+' | b'|'))
}

pub(super) fn reject(at: Stamp, half: bool, why: Rejection, line: &[u8], sink: &mut impl Sink) {
    sink.line(at, if half { LineOutcome::Half } else { LineOutcome::Rejected(why) }, line);
}
