//! The settings model: a **bench**, everything needed to sit down again.
//!
//! A bench file is TOML that a person may edit; [`Bench::parse`] reads it, [`Bench::write_into`] puts changed settings
//! into the text of an existing file and leaves its comments alone. Files of older formats are brought to this one
//! first.

mod check;
mod file;
mod merge;
mod migrate;
mod names;
mod plain_words;
mod source;
mod split;
mod words;

pub use file::BenchError;
pub use names::source_names;
pub use source::{Parity, WireSettings};
pub use words::Words;
pub(crate) use words::is_plain;

use crate::axis::Rule;
use crate::clock::Time;
use crate::derive::circle;
use crate::formula::Formula;
use crate::keep::{FigureSettings, Keep, Publish};
use crate::levels::LevelRule;
use crate::scale::Scale;
use crate::smooth::Filter;
use crate::split::{MAX_FIELDS, Shape};
use crate::store::Limits;
use crate::talk::BoardCommand;
use crate::watch::Watch;
use crate::watch::condition::Condition;
use crate::watch::interval::EdgeInterval;
use crate::watch::target::Target;
use check::sound;
use serde::{Deserialize, Serialize};

/// Everything that is set: once for all sources, and for each source its own.
#[derive(Clone, Debug, PartialEq)]
pub struct Bench {
    /// What is set for all sources together.
    pub shared: Shared,
    /// What is set for each source, in their order; never empty.
    pub sources: Vec<SourceSettings>,
}

impl Default for Bench {
    fn default() -> Bench {
        Bench::of(SourceSettings::default())
    }
}

/// What is set once, for all sources together.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Shared {
    /// What a person calls the bench.
    pub name: String,
    /// What whoever opens it should know, in a few sentences.
    pub about: String,
    /// How much is kept in memory.
    pub history: Limits,
    /// What counts as a level.
    pub levels: LevelRule,
    /// What is kept.
    pub keep: Keep,
    /// What is published.
    pub publish: Publish,
    /// How figures are drawn.
    pub figure: FigureSettings,
    /// How it is shown.
    pub screen: Screen,
    /// Chart lanes whose y axis does not simply fit the data.
    pub lane: Vec<Lane>,
    /// Lines to send to the board, with names.
    pub command: Vec<BoardCommand>,
}

/// What is set for one source: a table `[[source]]` of a bench file.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct SourceSettings {
    /// Where the bytes come from.
    pub wire: WireSettings,
    /// How lines are laid out; detected when not pinned.
    pub split: Split,
    /// Where rows get their time from.
    pub time: Time,
    /// The channels, in the order in which they are shown.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub channel: Vec<ChannelSettings>,
    /// What is watched for, in the order in which it is tested.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub condition: Vec<Condition>,
}

impl SourceSettings {
    /// The settings of channel `name`, if there are any.
    pub fn channel(&self, name: &str) -> Option<&ChannelSettings> {
        self.channel.iter().find(|channel| channel.name == name)
    }
}

impl Shared {
    /// The rule for the y axis of the lane of `unit`.
    pub fn axis(&self, unit: &str) -> Rule {
        self.lane.iter().find(|lane| lane.unit == unit).map_or(Rule::Fit, |lane| lane.axis)
    }

    /// Sets the rule for the y axis of the lane of `unit`.
    pub fn set_axis(&mut self, unit: &str, axis: Rule) {
        self.lane.retain(|lane| lane.unit != unit);
        if axis != Rule::Fit {
            self.lane.push(Lane { unit: unit.into(), axis });
        }
    }
}

/// How lines are laid out.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(from = "split::Written", into = "split::Written")]
pub enum Split {
    /// Found from the first lines.
    #[default]
    Auto,
    /// Pinned.
    Pinned(Shape),
}

impl Split {
    /// The pinned shape; `None` when it is to be found.
    pub fn shape(&self) -> Option<Shape> {
        match self.clone() {
            Split::Auto => None,
            Split::Pinned(shape) => Some(shape),
        }
    }
}

pub(crate) fn is_default<T: Default + PartialEq>(value: &T) -> bool {
    *value == T::default()
}

/// How it is shown.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Screen {
    /// Seconds across the chart.
    pub span: f64,
    /// How often the numbers and the wire tail change, in times a second.
    pub refresh_rate: f64,
    /// Whether each channel's value as it came stands beside its quantity.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub raw: bool,
}

impl Default for Screen {
    fn default() -> Self {
        Screen { span: 20.0, refresh_rate: 4.0, raw: false }
    }
}

/// A lane's y axis.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Lane {
    /// The unit that names the lane; empty for raw counts.
    pub unit: String,
    /// What decides its limits.
    pub axis: Rule,
}

/// What a channel carries.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Kind {
    /// Decided by what comes: only 0 and 1 is digital, a rising `t_us` and the like is the board's clock.
    #[default]
    Auto,
    /// A quantity.
    Analog,
    /// On or off.
    Digital,
    /// A number that stands for a state, with words for its values.
    Code,
    /// The board's own time, or the count of a row: kept and logged but not drawn.
    Clock,
}

impl Kind {
    /// All kinds, in the order in which a person steps through them.
    pub const ALL: [Kind; 5] = [Kind::Auto, Kind::Analog, Kind::Digital, Kind::Code, Kind::Clock];

    /// A word for the screen.
    pub fn name(self) -> &'static str {
        match self {
            Kind::Auto => "auto",
            Kind::Analog => "analog",
            Kind::Digital => "digital",
            Kind::Code => "code",
            Kind::Clock => "clock",
        }
    }
}

/// One channel's settings.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ChannelSettings {
    /// The board's label, or `field1`, `field2` … for plain numbers.
    pub name: String,
    /// What a person calls it; its label when empty.
    #[serde(default, skip_serializing_if = "String::is_empty", deserialize_with = "sound")]
    pub title: String,
    /// What it carries.
    #[serde(default)]
    pub kind: Kind,
    /// How it is computed from other channels; the board sends it where there is none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub formula: Option<Formula>,
    /// Words for its codes, shown and logged in their place.
    #[serde(default, skip_serializing_if = "Words::is_empty")]
    pub words: Words,
    /// Not drawn, but kept and logged all the same.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub hidden: bool,
    /// Stage 3.
    #[serde(default, skip_serializing_if = "Scale::is_default", deserialize_with = "sound")]
    pub scale: Scale,
    /// Stage 4: filters in their order.
    #[serde(default, skip_serializing_if = "Vec::is_empty", deserialize_with = "sound")]
    pub smooth: Vec<Filter>,
    /// The filters go forward and then backward over recorded rows, so that nothing comes out late; live rows are smoothed
    /// forward.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub zero_phase: bool,
    /// Stage 5, when on.
    #[serde(default, skip_serializing_if = "Option::is_none", deserialize_with = "sound")]
    pub watch: Option<Watch>,
    /// Words for what it is on either side of its threshold: `sides = { below = "dry", above = "wet" }`.
    #[serde(default, skip_serializing_if = "is_default", deserialize_with = "sound")]
    pub sides: Sides,
    /// What something steers it to.
    #[serde(default, skip_serializing_if = "Option::is_none", deserialize_with = "sound")]
    pub target: Option<Target>,
    /// The times from its edges to those of another channel.
    #[serde(default, skip_serializing_if = "Option::is_none", deserialize_with = "sound")]
    pub interval: Option<EdgeInterval>,
}

/// Words for the two sides of a threshold; one that is empty has no word of a person's own.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Sides {
    /// Below it, or low.
    pub below: String,
    /// Above it, or high.
    pub above: String,
}

impl Sides {
    /// As a person types them: `dry, wet`.
    pub fn spelled(&self) -> String {
        if *self == Sides::default() { String::new() } else { format!("{}, {}", self.below, self.above) }
    }

    /// Reads what a person typed; nothing takes the words away.
    ///
    /// # Errors
    /// What is wrong with it, in a sentence.
    pub fn parse(text: &str) -> Result<Sides, String> {
        let words: Vec<&str> = text.split(',').map(str::trim).collect();
        match words[..] {
            [""] => Ok(Sides::default()),
            [below, above] if words::is_plain(below) && words::is_plain(above) => {
                Ok(Sides { below: below.into(), above: above.into() })
            }
            _ => Err("type two words, for below and above, as in dry, wet".into()),
        }
    }
}

impl ChannelSettings {
    /// A channel with nothing set.
    pub fn named(name: &str) -> Self {
        ChannelSettings { name: name.into(), ..ChannelSettings::default() }
    }

    /// What is wrong with a name that a person gives to a channel, if anything.
    pub fn name_fault(name: &str) -> Option<&'static str> {
        let sound = name.is_empty() || words::is_plain(name);
        (!sound).then_some("a name is at most 32 characters without commas and quotes")
    }

    /// What it is title: as a person says, else the board's label.
    pub fn title(&self) -> &str {
        if self.title.is_empty() { &self.name } else { &self.title }
    }

    /// What is wrong with what it is called, beside channels `others`: every channel has a name of its own, and none that
    /// of another column of a take's table.
    pub fn title_fault(&self, others: &[ChannelSettings]) -> Option<String> {
        let title = self.title();
        if ["time_s", "wall_clock"].contains(&title) {
            return Some(format!("{title} is a column of every take: choose another name"));
        }
        let taken = |other: &ChannelSettings| {
            let columns = ["_raw", "_smoothed"].map(|suffix| title.strip_suffix(suffix));
            other.name != self.name
                && (other.title() == title || other.name == title || columns.contains(&Some(other.title())))
        };
        others
            .iter()
            .any(taken)
            .then(|| format!("there is a channel {title} already, or its raw or smoothed column: choose another name"))
    }

    /// Whether nothing is set of it beyond what a channel has that was merely found.
    pub fn is_as_found(&self) -> bool {
        *self == ChannelSettings::found(&self.name, &self.scale.unit)
    }

    /// A channel as it was found: with nothing set but the unit that the board gives.
    pub fn found(name: &str, unit: &str) -> Self {
        let mut settings = ChannelSettings::named(name);
        settings.scale.unit = unit.into();
        settings
    }
}

impl Bench {
    /// A bench with one source, and nothing set for all.
    pub fn of(source: SourceSettings) -> Bench {
        Bench { shared: Shared::default(), sources: vec![source] }
    }

    /// The settings of the first source.
    pub fn first(&self) -> &SourceSettings {
        &self.sources[0]
    }

    /// A word near the mistake, and the mistake, where settings contradict one another.
    fn fault(&self) -> Option<(&'static str, String)> {
        let Shared { history, screen, levels, .. } = &self.shared;
        if let Some(fault) = levels.fault() {
            return Some(("levels]", fault.into()));
        }
        if !(history.seconds >= 1.0 && history.rows >= 1) {
            return Some(("history]", "expected at least 1 second and 1 row".into()));
        }
        if !(0.2..=60.0).contains(&screen.refresh_rate) {
            return Some(("refresh_rate", "refresh_rate must be 0.2 to 60 times a second".into()));
        }
        if !(screen.span > 0.0 && screen.span <= 86_400.0) {
            return Some(("span", "span must be above 0 and at most 86400 seconds".into()));
        }
        if let Some(fault) = self.shared.keep.fault() {
            return Some(fault);
        }
        if let Some(fault) = self.shared.publish.fault() {
            return Some(("publish]", fault.into()));
        }
        self.sources.iter().find_map(SourceSettings::fault)
    }
}

impl SourceSettings {
    /// A word near the mistake, and the mistake, where settings contradict one another.
    fn fault(&self) -> Option<(&'static str, String)> {
        let columns = self.split.shape().map_or(1, |shape| shape.columns());
        // Pins are set up one after another from here, or only set: none may be read.
        let least = usize::from(!matches!(self.split.shape(), Some(Shape::Pins(_))));
        if !(least..=MAX_FIELDS).contains(&columns) {
            return Some(("split]", format!("expected 1 to {MAX_FIELDS} fields, found {columns}")));
        }
        if let Some(fault) = self.time.fault() {
            return Some(("time]", fault.into()));
        }
        if let Some((key, fault)) = self.wire.fault() {
            return Some((key, fault.into()));
        }
        for (i, channel) in self.channel.iter().enumerate() {
            let before = &self.channel[..i];
            if before.iter().any(|other| other.name == channel.name) {
                return Some(("channel]]", format!("channel '{}' appears twice", channel.name)));
            }
            if let Some(fault) = (!channel.title.is_empty()).then(|| channel.title_fault(before)).flatten() {
                return Some(("title", fault));
            }
        }
        if let Some(fault) = Condition::fault_in(&self.condition) {
            return Some(fault);
        }
        let circle = circle(&self.channel.iter().collect::<Vec<_>>())?;
        Some(("formula", format!("{circle}: nothing can be computed in a circle")))
    }
}

#[cfg(test)]
#[path = "bench_tests.rs"]
mod tests;
