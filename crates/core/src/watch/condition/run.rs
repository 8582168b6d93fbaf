//! Conditions at work: rows in, events out.

use super::tests::Memory;
use super::{Condition, Join};
use crate::Stamp;
use crate::bench::ChannelSettings;
use crate::derive::{Names, Values, meant, names};
use crate::formula::{Program, Stage};
use crate::split::STATE_WORDS;
use crate::tail::visible;
use std::cell::RefCell;

/// A condition came true, and had held.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Event {
    /// From 1, in the order in which events came.
    pub number: u64,
    /// The place of the condition in the list.
    pub condition: usize,
    /// Since when its tests have said so.
    pub began: Stamp,
    /// When it had held.
    pub at: Stamp,
    /// The row then; none where it came between rows, as silence does.
    pub row: Option<u64>,
    /// When it was true no longer; none while it is.
    pub ended: Option<Stamp>,
}

impl Event {
    /// For how long its tests said so, in seconds; none while they do.
    pub fn seconds(&self) -> Option<f64> {
        Some(self.ended?.seconds_since(self.began))
    }
}

/// What became of a condition.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Change {
    /// There is an event.
    Fired(Event),
    /// The event of this number has ended.
    Ended {
        /// Its number.
        number: u64,
        /// When.
        at: Stamp,
    },
}

/// How a condition stands.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct State {
    /// It is true and has held; none while that is not decided.
    pub is_on: Option<bool>,
    /// Its events.
    pub events: u64,
}

/// What a test looks at.
#[derive(Clone, Debug)]
enum Source {
    /// Nothing: every row counts.
    Rows,
    /// What leaves the chain of a channel.
    Channel(usize),
    /// A formula, each of its inputs a channel at a stage.
    Formula { program: Program, inputs: Vec<Option<(usize, Stage)>> },
    /// There is no such thing.
    Missing,
}

#[derive(Clone, Debug)]
struct Running {
    /// The place of the test in its condition.
    place: usize,
    source: Source,
    memory: Box<dyn Memory>,
    verdict: Option<bool>,
    /// So many seconds without a value, and when the last one came.
    silence: Option<(f64, Option<Stamp>)>,
    /// The condition that it asks.
    other: Option<usize>,
    /// The word that it looks for and that the channel does not have.
    unknown: Option<String>,
}

#[derive(Clone, Debug)]
struct Rule {
    join: Join,
    hold: f64,
    pause: f64,
    tests: Vec<Running>,
    /// Time alone can change it.
    is_timed: bool,
    truth: Option<bool>,
    since: Option<Stamp>,
    is_on: bool,
    /// The event that goes on.
    open: Option<u64>,
    last: Option<Stamp>,
    events: u64,
}

/// The conditions of a source at work. The same rows and breaks give the same events however they are cut.
#[derive(Clone, Debug, Default)]
pub struct Conditions {
    settings: Vec<Condition>,
    rules: Vec<Rule>,
    fired: u64,
    /// The last moment that was looked at.
    now: Option<Stamp>,
    inputs: Vec<f64>,
}

/// More moments between two rows than this have no meaning.
const MOMENTS: usize = 4 * super::MOST * super::MOST;

impl Conditions {
    /// Those of `settings`, which have seen nothing, over these channels.
    pub fn new(settings: &[Condition], channels: &[ChannelSettings]) -> Conditions {
        let mut conditions = Conditions { settings: settings.to_vec(), ..Conditions::default() };
        conditions.rules = settings.iter().map(Rule::new).collect();
        conditions.follow(channels);
        conditions
    }

    /// Whether there is nothing to watch for.
    pub fn is_empty(&self) -> bool {
        self.rules.is_empty()
    }

    /// Their settings.
    pub fn settings(&self) -> &[Condition] {
        &self.settings
    }

    /// These are the channels from now on; what is remembered stays.
    pub fn follow(&mut self, channels: &[ChannelSettings]) {
        let names = names(&channels.iter().collect::<Vec<_>>());
        let order: Vec<String> = self.settings.iter().map(|condition| condition.name.clone()).collect();
        let mut timed: Vec<bool> = Vec::new();
        for (condition, rule) in self.settings.iter().zip(&mut self.rules) {
            for running in &mut rule.tests {
                let Some(test) = condition.test.get(running.place) else { continue };
                running.follow(test, channels, &names);
                running.other =
                    test.other().and_then(|other| order[..timed.len()].iter().position(|name| name == other));
            }
            let is_timed =
                |running: &Running| running.silence.is_some() || running.other.is_some_and(|other| timed[other]);
            rule.is_timed = rule.tests.iter().any(is_timed);
            timed.push(rule.is_timed);
        }
    }

    /// The channels whose values they need, each once.
    pub fn needs(&self) -> Vec<usize> {
        let mut needed = Vec::new();
        for running in self.rules.iter().flat_map(|rule| &rule.tests) {
            match &running.source {
                Source::Channel(channel) => needed.push(*channel),
                Source::Formula { inputs, .. } => needed.extend(inputs.iter().flatten().map(|(channel, _)| *channel)),
                Source::Rows | Source::Missing => {}
            }
        }
        needed.sort_unstable();
        needed.dedup();
        needed
    }

    /// What cannot be tested, in sentences.
    pub fn troubles(&self) -> Vec<String> {
        let mut troubles = Vec::new();
        for (condition, rule) in self.settings.iter().zip(&self.rules).filter(|(own, _)| !own.bypassed) {
            let noun = if condition.name.starts_with("condition") { "" } else { "condition " };
            let mut tell = |what: String| troubles.push(format!("{noun}{}: {what}", condition.name));
            if rule.tests.is_empty() {
                tell("it has no test, so that it never comes true".into());
            }
            for running in &rule.tests {
                let of = condition.test.get(running.place).map_or("", |test| test.of()).trim();
                let cut: String = of.chars().take(40).collect();
                let said = format!("'{}{}'", visible(cut.as_bytes()), if cut.len() < of.len() { "…" } else { "" });
                match (&running.source, &running.unknown, Program::parse(of)) {
                    (Source::Missing, ..) if of.is_empty() => tell("a test names no channel".into()),
                    (Source::Missing, _, Err(wrong)) => {
                        tell(format!("{said} is neither a channel nor a formula: {wrong}"))
                    }
                    (Source::Missing, ..) => tell(format!("there is no channel {said}")),
                    (_, Some(word), _) => tell(format!("{said} has no word '{}' for a code", visible(word.as_bytes()))),
                    _ => {}
                }
            }
        }
        troubles
    }

    /// The next row does not follow from the one before: what must hold must do so anew, and nothing is compared across.
    pub fn break_off(&mut self) {
        for rule in &mut self.rules {
            // Silence goes on across it.
            rule.since = rule.since.filter(|_| rule.is_on || rule.is_timed);
            for running in &mut rule.tests {
                running.memory.break_off();
                if let Source::Formula { program, .. } = &mut running.source {
                    program.break_off();
                }
            }
        }
    }

    /// Takes rows that follow one another: their times, the number of the first one, and what the channels say in them. What
    /// becomes of conditions is added to `out`.
    pub fn rows(&mut self, first: u64, times: &[Stamp], values: &[Values], out: &mut Vec<Change>) {
        if self.rules.is_empty() {
            return;
        }
        let is_timed = self.rules.iter().any(|rule| rule.is_timed);
        for (row, at) in times.iter().enumerate() {
            if is_timed {
                self.run_until(*at, false, out);
            }
            self.row(first + row as u64, row, *at, values, out);
        }
    }

    /// Time has passed without a row until `now`: silence may have come about.
    pub fn tick(&mut self, now: Stamp, out: &mut Vec<Change>) {
        if self.rules.iter().any(|rule| rule.is_timed) {
            self.run_until(now, true, out);
        }
    }

    /// How each condition stands.
    pub fn states(&self) -> impl Iterator<Item = State> + '_ {
        self.rules.iter().map(|rule| State { is_on: rule.truth.map(|_| rule.is_on), events: rule.events })
    }

    fn row(&mut self, number: u64, row: usize, at: Stamp, values: &[Values], out: &mut Vec<Change>) {
        // Time does not run back, also where it was ahead of the rows.
        let now = self.now.map_or(at, |now| now.max(at));
        for place in 0..self.rules.len() {
            let (before, rest) = self.rules.split_at_mut(place);
            let rule = &mut rest[0];
            for running in &mut rule.tests {
                if let Some(other) = running.other {
                    running.ask(&before[other]);
                    continue;
                }
                let value = running.source.value(row, at, values, &mut self.inputs);
                if !value.is_nan() {
                    running.verdict = running.memory.push(at, value);
                    if let Some((_, last)) = &mut running.silence {
                        *last = Some(at);
                    }
                } else if running.silent_from().is_some_and(|from| from <= now) {
                    running.verdict = Some(true);
                }
            }
            rule.judge(place, now, Some(number), &mut self.fired, out);
        }
        self.now = Some(now);
    }

    /// Goes through the moments before `end`, or at it where it counts too, at which time alone changes something.
    fn run_until(&mut self, end: Stamp, counts_end: bool, out: &mut Vec<Change>) {
        for _ in 0..MOMENTS {
            let is_before = |at: &Stamp| *at < end || (counts_end && *at == end);
            let next = self.rules.iter().filter(|rule| rule.is_timed).filter_map(|rule| rule.deadline(self.now)).min();
            let Some(at) = next.filter(is_before) else { return };
            for place in 0..self.rules.len() {
                let (before, rest) = self.rules.split_at_mut(place);
                let rule = &mut rest[0];
                if !rule.is_timed {
                    continue;
                }
                for running in &mut rule.tests {
                    match (running.other, running.silent_from()) {
                        (Some(other), _) => running.ask(&before[other]),
                        (None, Some(from)) if from <= at => running.verdict = Some(true),
                        _ => {}
                    }
                }
                rule.judge(place, at, None, &mut self.fired, out);
            }
            self.now = Some(at);
        }
    }
}

impl Source {
    /// The value in a row of a batch; NaN for a gap.
    #[inline]
    fn value(&mut self, row: usize, at: Stamp, values: &[Values], inputs: &mut Vec<f64>) -> f64 {
        match self {
            Source::Rows => 0.0,
            Source::Channel(channel) => {
                values.get(*channel).and_then(|values| values.smoothed().get(row)).copied().unwrap_or(f64::NAN)
            }
            Source::Formula { program, inputs: sources } => {
                inputs.clear();
                let of = |(channel, stage): (usize, Stage)| values.get(channel)?.stage(stage).get(row).copied();
                inputs.extend(sources.iter().map(|source| source.and_then(of).unwrap_or(f64::NAN)));
                program.run(at, inputs)
            }
            Source::Missing => f64::NAN,
        }
    }
}

impl Running {
    fn ask(&mut self, other: &Rule) {
        self.verdict = other.truth.map(|_| other.is_on);
    }

    /// When there has been silence for long enough.
    fn silent_from(&self) -> Option<Stamp> {
        let (seconds, last) = self.silence?;
        Some(last?.plus(seconds))
    }

    /// Looks for what the test looks at among the channels.
    fn follow(&mut self, test: &super::Test, channels: &[ChannelSettings], names: &[Names]) {
        let of = test.of().trim();
        if self.verdict.is_none() {
            let unknown = RefCell::new(None);
            let code = |word: &str| {
                let words = meant(names, of).map(|channel| &channels[channel].words);
                let code = words.and_then(|words| words.code(word)).or_else(|| state_code(word));
                *unknown.borrow_mut() = code.is_none().then(|| word.to_owned());
                code
            };
            if let Some(memory) = test.start(&code) {
                self.memory = memory;
            }
            self.unknown = unknown.into_inner();
        }
        let fresh = match meant(names, of) {
            Some(channel) => Source::Channel(channel),
            None if of.is_empty() && test.other().is_none() && test.silence().is_none() => Source::Missing,
            None if of.is_empty() => Source::Rows,
            None => match Program::parse(of) {
                Ok(program) if program.inputs().iter().all(|input| meant(names, &input.name).is_some()) => {
                    let input = |input: &crate::formula::Input| Some((meant(names, &input.name)?, input.stage));
                    let inputs = program.inputs().iter().map(input).collect();
                    Source::Formula { program, inputs }
                }
                _ => Source::Missing,
            },
        };
        match (&mut self.source, fresh) {
            // A formula remembers rows.
            (Source::Formula { program, inputs }, Source::Formula { program: same, inputs: now })
                if program.inputs() == same.inputs() =>
            {
                *inputs = now;
            }
            (source, fresh) => *source = fresh,
        }
    }
}

impl Rule {
    fn new(condition: &Condition) -> Rule {
        let tests = condition.test.iter().enumerate().filter(|_| !condition.bypassed);
        let tests = tests.filter_map(|(place, test)| {
            let memory = test.start(&|_| None)?;
            let silence = test.silence().map(|seconds| (seconds, None));
            Some(Running { place, source: Source::Missing, memory, verdict: None, silence, other: None, unknown: None })
        });
        Rule {
            join: condition.join,
            hold: condition.hold,
            pause: condition.pause,
            tests: tests.collect(),
            is_timed: false,
            truth: None,
            since: None,
            is_on: false,
            open: None,
            last: None,
            events: 0,
        }
    }

    /// When time alone changes something next, not before `now`.
    fn deadline(&self, now: Option<Stamp>) -> Option<Stamp> {
        let silent =
            self.tests.iter().filter(|test| test.verdict == Some(false)).filter_map(Running::silent_from).min();
        let held = self.since.filter(|_| !self.is_on).map(|since| since.plus(self.hold));
        let pauses = self.last.filter(|_| self.is_on && self.open.is_none()).map(|last| last.plus(self.pause));
        let moments = [silent, held, pauses].into_iter().flatten();
        moments.min().map(|at| now.map_or(at, |now| now.max(at)))
    }

    /// Joins what the tests say at `at`.
    fn judge(&mut self, place: usize, at: Stamp, row: Option<u64>, fired: &mut u64, out: &mut Vec<Change>) {
        self.truth = self.join.of(self.tests.iter().map(|test| test.verdict));
        if self.truth != Some(true) {
            (self.since, self.is_on) = (None, false);
            if let Some(number) = self.open.take() {
                out.push(Change::Ended { number, at });
            }
            return;
        }
        let began = *self.since.get_or_insert(at);
        self.is_on |= at >= began.plus(self.hold);
        let may_fire = self.last.is_none_or(|last| at >= last.plus(self.pause));
        if self.is_on && self.open.is_none() && may_fire {
            *fired += 1;
            self.events += 1;
            (self.open, self.last) = (Some(*fired), Some(at));
            out.push(Change::Fired(Event { number: *fired, condition: place, began, at, row, ended: None }));
        }
    }
}

/// The number that a word for a state stands for, as boards write them.
fn state_code(word: &str) -> Option<f64> {
    STATE_WORDS.iter().find_map(|(low, high)| match () {
        () if word.eq_ignore_ascii_case(low) => Some(0.0),
        () if word.eq_ignore_ascii_case(high) => Some(1.0),
        () => None,
    })
}
