//! One setting of a part: how it is named, shown, typed, nudged and checked.

use crate::axis::round_step;
use crate::digits::{set_value, typed};

/// A setting of parts of type `P`.
#[derive(Debug)]
pub struct Setting<P> {
    pub(super) name: &'static str,
    pub(super) help: &'static str,
    pub(super) unit: Unit,
    pub(super) value: Value<P>,
    pub(super) shown: fn(&P) -> bool,
}

/// The unit in which a number is typed and shown.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Unit {
    /// A pure number.
    None,
    /// That of the value in front of the part.
    Input,
    /// This one.
    Is(&'static str),
}

/// The numbers that a setting can have; all are finite.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Range {
    /// Every number.
    Any,
    /// Every number but 0.
    NotZero,
    /// Every number above this.
    Above(f64),
    /// 0 and every number above it.
    FromZero,
    /// Whole numbers between these two, which count too.
    Whole(u32, u32),
}

/// How far a nudge moves a number.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Nudge {
    /// By a hundredth of its size, rounded to 1, 2 or 5.
    Relative,
    /// The same, and at least by the resolution of the value in front of the part.
    Input,
    /// By one.
    One,
    /// To the next of these, in rising order.
    Along(&'static [f64]),
}

/// What kind of value a setting has.
#[derive(Debug)]
pub enum Value<P> {
    /// A number.
    Number {
        /// Reads it.
        get: fn(&P) -> f64,
        /// Writes it, within its range.
        set: fn(&mut P, f64),
        /// What it can be.
        range: Range,
        /// How far a nudge moves it.
        nudge: Nudge,
    },
    /// One of a few things.
    Choice {
        /// What they are called.
        names: &'static [&'static str],
        /// The place of the chosen one.
        get: fn(&P) -> usize,
        /// Chooses one by its place.
        set: fn(&mut P, usize),
    },
    /// A text of a person's own.
    Text {
        /// Reads it.
        get: fn(&P) -> &str,
        /// Writes it.
        set: fn(&mut P, String),
    },
    /// Something with a spelling of its own.
    Spelled {
        /// As it is shown.
        shown: fn(&P) -> String,
        /// As it would be typed.
        typed: fn(&P) -> String,
        /// Takes what was typed, or says what is wrong with it.
        set: fn(&mut P, &str) -> Result<(), String>,
        /// Moves it to its next value up (1) or down (-1), where there is one.
        nudge: fn(&mut P, i32),
        /// What is wrong with the value, if anything.
        fault: fn(&P) -> Option<&'static str>,
        /// A few that can be typed.
        examples: &'static [&'static str],
    },
    /// Something that is told and cannot be changed here.
    Fact {
        /// As it is shown.
        get: fn(&P) -> String,
    },
}

/// A setting as a person sees it.
#[derive(Clone, Debug, PartialEq)]
pub struct SettingView {
    /// What it is called.
    pub name: &'static str,
    /// Its value as it is shown.
    pub shown: String,
    /// Its value as it would be typed; empty where it is not typed.
    pub typed: String,
    /// What it means.
    pub help: &'static str,
    /// What it can be, in words; empty for a text.
    pub range: String,
    /// A few things that can be typed, for a setting with a spelling of its own.
    pub examples: &'static [&'static str],
    /// Changed by stepping through its choices rather than by typing.
    pub is_choice: bool,
}

impl<P> Setting<P> {
    /// A number without a unit that can be anything.
    pub const fn number(name: &'static str, help: &'static str, get: fn(&P) -> f64, set: fn(&mut P, f64)) -> Self {
        Setting::own(name, help, Value::Number { get, set, range: Range::Any, nudge: Nudge::Relative })
    }

    /// One of the things that `names` says.
    pub const fn choice(
        name: &'static str,
        help: &'static str,
        names: &'static [&'static str],
        get: fn(&P) -> usize,
        set: fn(&mut P, usize),
    ) -> Self {
        Setting::own(name, help, Value::Choice { names, get, set })
    }

    /// A text.
    pub const fn text(name: &'static str, help: &'static str, get: fn(&P) -> &str, set: fn(&mut P, String)) -> Self {
        Setting::own(name, help, Value::Text { get, set })
    }

    /// The unit behind a part that can set one.
    pub const fn output_unit(get: fn(&P) -> &str, set: fn(&mut P, String)) -> Self {
        Setting::text("output unit", "the unit from here on; channels of one unit share a lane", get, set)
    }

    /// A value of any kind.
    pub const fn own(name: &'static str, help: &'static str, value: Value<P>) -> Self {
        Setting { name, help, unit: Unit::None, value, shown: |_| true }
    }

    /// The same number, in this unit.
    pub const fn unit(mut self, unit: Unit) -> Self {
        self.unit = unit;
        self
    }

    /// The same number, with this range.
    pub const fn range(mut self, to: Range) -> Self {
        if let Value::Number { range, .. } = &mut self.value {
            *range = to;
        }
        self
    }

    /// The same number, nudged like this.
    pub const fn nudged(mut self, to: Nudge) -> Self {
        if let Value::Number { nudge, .. } = &mut self.value {
            *nudge = to;
        }
        self
    }

    /// The same, which counts only while `shown` says so.
    pub const fn when(mut self, shown: fn(&P) -> bool) -> Self {
        self.shown = shown;
        self
    }

    pub(super) fn fault(&self, part: &P) -> Option<String> {
        match &self.value {
            Value::Number { get, range, .. } => range.fault(self.name, get(part)),
            Value::Spelled { fault, .. } => fault(part).map(str::to_owned),
            Value::Choice { .. } | Value::Text { .. } | Value::Fact { .. } => None,
        }
    }

    pub(super) fn view(&self, part: &P, unit: &str) -> SettingView {
        let unit = match self.unit {
            Unit::None => "",
            Unit::Input => unit,
            Unit::Is(unit) => unit,
        };
        let (shown, typed, range) = match &self.value {
            Value::Number { get, range, .. } => {
                let value = get(part);
                let shown = set_value(value, unit);
                let range = range.in_words();
                (shown, value.to_string(), if unit.is_empty() { range } else { format!("{range} ({unit})") })
            }
            Value::Choice { names, get, .. } => (names[get(part)].to_owned(), String::new(), names.join(" or ")),
            Value::Text { get, .. } => (get(part).to_owned(), get(part).to_owned(), String::new()),
            Value::Spelled { shown, typed, examples, .. } => {
                (shown(part), typed(part), format!("such as {}", examples.join(" or ")))
            }
            Value::Fact { get } => (get(part), String::new(), String::new()),
        };
        let examples: &[&str] = if let Value::Spelled { examples, .. } = &self.value { examples } else { &[] };
        let is_choice = matches!(self.value, Value::Choice { .. });
        SettingView { name: self.name, shown, typed, help: self.help, range, examples, is_choice }
    }

    pub(super) fn type_into(&self, part: &mut P, text: &str) -> Result<(), String> {
        match &self.value {
            Value::Number { set, range, .. } => {
                let value = typed(text)?;
                if let Some(fault) = range.fault(self.name, value) {
                    return Err(fault);
                }
                set(part, value);
            }
            Value::Choice { names, set, .. } => match names.iter().position(|name| *name == text) {
                Some(place) => set(part, place),
                None => return Err(format!("{} is one of: {}", self.name, names.join(", "))),
            },
            Value::Text { set, .. } => set(part, text.to_owned()),
            Value::Spelled { set, .. } => set(part, text)?,
            Value::Fact { .. } => return Err(format!("{} cannot be typed: {}", self.name, self.help)),
        }
        Ok(())
    }

    pub(super) fn nudge(&self, part: &mut P, by: i32, finest: f64) {
        match &self.value {
            Value::Number { get, set, nudge, .. } => set(part, nudge.moved(get(part), by, finest)),
            Value::Choice { names, get, set } => {
                set(part, (get(part) as i32 + by).rem_euclid(names.len() as i32) as usize);
            }
            Value::Spelled { nudge, .. } => nudge(part, by),
            Value::Text { .. } | Value::Fact { .. } => {}
        }
    }
}

impl Range {
    /// What is wrong with `value`, if anything.
    fn fault(self, name: &str, value: f64) -> Option<String> {
        let sound = value.is_finite()
            && match self {
                Range::Any => true,
                Range::NotZero => value != 0.0,
                Range::Above(low) => value > low,
                Range::FromZero => value >= 0.0,
                Range::Whole(low, high) => value.fract() == 0.0 && (f64::from(low)..=f64::from(high)).contains(&value),
            };
        (!sound).then(|| format!("{name} must be {}", self.in_words()))
    }

    fn in_words(self) -> String {
        match self {
            Range::Any => "a number".into(),
            Range::NotZero => "a number other than 0".into(),
            Range::Above(low) => format!("a number above {low}"),
            Range::FromZero => "0 or more".into(),
            Range::Whole(low, high) => format!("a whole number from {low} to {high}"),
        }
    }
}

impl Nudge {
    fn moved(self, value: f64, by: i32, finest: f64) -> f64 {
        let least = match self {
            Nudge::One => return value + f64::from(by),
            Nudge::Along(list) => return along(list, value, by),
            Nudge::Relative => 0.0,
            Nudge::Input => round_step(finest.max(1e-12)),
        };
        let step = round_step((value.abs() / 100.0).max(1e-12)).max(least);
        // Adding round steps leaves rounding behind: it is cut off where nobody will miss it.
        let moved = ((value + f64::from(by) * step) / step * 1e6).round() / 1e6 * step;
        format!("{moved:.12e}").parse().unwrap_or(moved)
    }
}

/// The entry of `list`, which rises, that lies next to `value` in the direction of `by` (1 or -1); `value` where there
/// is none.
pub fn along<T: Copy + PartialOrd>(list: &[T], value: T, by: i32) -> T {
    let found = if by > 0 { list.iter().find(|v| **v > value) } else { list.iter().rev().find(|v| **v < value) };
    found.copied().unwrap_or(value)
}
