//! Conditions: what is watched for, on channels and formulas, and what is answered when it comes true.
//!
//! A [`Condition`] joins [`Test`]s, each of which is true or false of a row, or not decided yet. It comes true when its tests
//! say so and have done so for as long as it must hold; that is an event, and its [`Answer`]s are given. [`Conditions`] are
//! those of one source at work: rows in, events out, the same however the rows are cut.

mod answer;
mod run;
mod tests;

pub use answer::{Answer, Bell, Flash, Hold, Mark, Send, Snap, StartTake, StopTake, fill};
pub use run::{Change, Conditions, Event, State};
pub use tests::{Above, Below, Changing, Equal, Inside, Line, Outside, Settled, Silent, Test, When};

use crate::bench::is_plain;
use crate::part::{Kind, Listed, Nudge, Part, Range, Setting, SettingView, Unit};
use serde::{Deserialize, Serialize};

/// The most conditions of a source.
pub const MOST: usize = 64;

/// The longest that a condition must hold, or pauses, in seconds.
pub const LONGEST: f64 = 86_400.0;

/// How the tests of a condition are joined.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Join {
    /// Each of them is true: and.
    #[default]
    All,
    /// At least one of them is true: or.
    Any,
    /// None of them is true: not.
    None,
}

impl Join {
    /// All of them, in the order in which a person steps through them.
    pub const ALL: [Join; 3] = [Join::All, Join::Any, Join::None];

    /// In words.
    pub const fn name(self) -> &'static str {
        match self {
            Join::All => "all tests are true",
            Join::Any => "any test is true",
            Join::None => "no test is true",
        }
    }

    /// What the tests come to, where each is true, false or not decided; not decided where that depends on one that is not.
    /// Without tests nothing is ever true.
    pub fn of(self, tests: impl Iterator<Item = Option<bool>>) -> Option<bool> {
        let (mut is_any, mut are_all, mut is_open, mut is_empty) = (false, true, false, true);
        for test in tests {
            is_empty = false;
            match test {
                Some(is_true) => (is_any, are_all) = (is_any | is_true, are_all & is_true),
                None => is_open = true,
            }
        }
        match self {
            _ if is_empty => None,
            Join::All if !are_all => Some(false),
            Join::Any if is_any => Some(true),
            Join::None if is_any => Some(false),
            _ if is_open => None,
            Join::All => Some(true),
            Join::Any => Some(false),
            Join::None => Some(true),
        }
    }
}

/// Something that is watched for.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Condition {
    /// What a person calls it; no other condition of the source has this name.
    pub name: String,
    /// It is not watched for, and nothing is answered.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub bypassed: bool,
    /// How its tests are joined.
    pub join: Join,
    /// So long the tests must say so before it counts, in seconds; 0 or more.
    #[serde(skip_serializing_if = "is_zero")]
    pub hold: f64,
    /// So long after an event there is no other one, in seconds; 0 or more. What is true when it is over is an event then.
    #[serde(skip_serializing_if = "is_zero")]
    pub pause: f64,
    /// What is tested.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub test: Vec<Test>,
    /// What is done at each event.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub answer: Vec<Answer>,
}

fn is_zero(value: &f64) -> bool {
    *value == 0.0
}

impl Condition {
    /// One with nothing set.
    pub fn named(name: &str) -> Condition {
        Condition { name: name.into(), ..Condition::default() }
    }

    /// What is wrong with it among those `before` it, if anything: the key, and a sentence.
    pub fn fault_among(&self, before: &[Condition]) -> Option<(&'static str, String)> {
        let name = &self.name;
        if !is_plain(name) {
            return Some(("name", "a condition has a name of 1 to 32 characters without commas and quotes".into()));
        }
        if before.iter().any(|other| other.name == *name) {
            return Some(("name", format!("there is a condition {name} already: choose another name")));
        }
        for (key, seconds) in [("hold", self.hold), ("pause", self.pause)] {
            if !(0.0..=LONGEST).contains(&seconds) {
                return Some((key, format!("{key} must be 0 to {LONGEST} s")));
            }
        }
        if let Some(fault) = Test::fault_of(&self.test) {
            return Some(("test", fault));
        }
        let unknown = self.test.iter().filter_map(Test::other).find(|other| before.iter().all(|c| c.name != **other));
        if let Some(other) = unknown {
            let fault = format!("there is no condition {other} before {name}: a test asks one above it in the list");
            return Some(("condition", fault));
        }
        Answer::fault_of(&self.answer).map(|fault| ("answer", fault))
    }

    /// What is wrong with a list of them, if anything: the key, and a sentence.
    pub fn fault_in(list: &[Condition]) -> Option<(&'static str, String)> {
        if list.len() > MOST {
            return Some(("condition", format!("there are at most {MOST} conditions")));
        }
        list.iter().enumerate().find_map(|(at, condition)| condition.fault_among(&list[..at]))
    }

    /// Gives names to those that have none.
    pub fn name_all(list: &mut [Condition]) {
        for at in 0..list.len() {
            if list[at].name.is_empty() {
                let free = (1..).map(|n| format!("condition {n}")).find(|name| list.iter().all(|c| c.name != *name));
                list[at].name = free.unwrap_or_default();
            }
        }
    }

    /// In words, with the unit that `unit` gives for a channel: `sump above 3000 counts and not … for 2 s`.
    pub fn in_words(&self, unit: impl Fn(&str) -> String) -> String {
        let tests: Vec<String> =
            self.test.iter().filter(|test| !test.is_bypassed()).map(|test| test.in_words(&unit)).collect();
        let joined = match (self.join, tests.len()) {
            (_, 0) => return "no tests yet".into(),
            (Join::All, _) => tests.join(" and "),
            (Join::Any, _) => tests.join(" or "),
            (Join::None, 1) => format!("not {}", tests[0]),
            (Join::None, _) => format!("neither {}", tests.join(" nor ")),
        };
        let hold =
            if self.hold > 0.0 { format!(", for {}", crate::digits::duration(self.hold)) } else { String::new() };
        format!("{joined}{hold}")
    }

    /// Whether one of its answers, in force, sends something to the board.
    pub fn sends(&self) -> bool {
        !self.bypassed && self.answer.iter().any(|answer| matches!(answer, Answer::Send(_)))
    }
}

const PAUSES: [f64; 12] = [0.0, 0.01, 0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 60.0, 600.0];

impl Part for Condition {
    const KIND: &'static str = "condition";
    const HELP: &'static str = "something that is watched for, and what is done when it comes true";
    const SETTINGS: &'static [Setting<Self>] = &[
        Setting::text(
            "name",
            "what it is called, in events and answers",
            |condition: &Condition| &condition.name,
            |condition, name| condition.name = name,
        ),
        Setting::choice(
            "true when",
            "how its tests are joined",
            &[Join::All.name(), Join::Any.name(), Join::None.name()],
            |condition: &Condition| Join::ALL.iter().position(|join| *join == condition.join).unwrap_or(0),
            |condition, at| condition.join = Join::ALL[at],
        ),
        Setting::number(
            "hold",
            "so long the tests must say so before it counts",
            |condition: &Condition| condition.hold,
            |condition, seconds| condition.hold = seconds,
        )
        .unit(Unit::Is("s"))
        .range(Range::FromZero)
        .nudged(Nudge::Along(&PAUSES)),
        Setting::number(
            "pause",
            "so long after an event there is no other one",
            |condition: &Condition| condition.pause,
            |condition, seconds| condition.pause = seconds,
        )
        .unit(Unit::Is("s"))
        .range(Range::FromZero)
        .nudged(Nudge::Along(&PAUSES)),
    ];
}

impl Listed for Condition {
    const KINDS: &'static [Kind] = &[Kind { name: Self::KIND, help: Self::HELP, is_added: true }];
    const NOUN: &'static str = "condition";
    const MAX: usize = MOST;

    /// One that has no name yet.
    fn of_kind(name: &str) -> Option<Self> {
        (name == Self::KIND).then(Condition::default)
    }

    fn kind(&self) -> &str {
        &self.name
    }

    fn short(&self) -> String {
        if self.bypassed { String::new() } else { self.name.clone() }
    }

    fn fault(&self) -> Option<String> {
        Part::fault(self)
    }

    fn settings(&self, unit: &str) -> Vec<SettingView> {
        self.views(unit)
    }

    fn set(&mut self, index: usize, text: &str) -> Result<(), String> {
        Part::set(self, index, text)
    }

    fn nudge(&mut self, index: usize, by: i32, finest: f64) {
        Part::nudge(self, index, by, finest);
    }

    fn is_bypassed(&self) -> bool {
        self.bypassed
    }

    fn toggled(self) -> Self {
        Condition { bypassed: !self.bypassed, ..self }
    }

    fn fault_of(list: &[Self]) -> Option<String> {
        Condition::fault_in(list).map(|(_, fault)| fault)
    }
}
