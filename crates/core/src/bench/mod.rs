//! The settings model: a **bench**, everything needed to sit down again.
//!
//! A bench file is TOML that a person may edit; [`Bench::parse`] reads it, [`Bench::write_into`] puts changed settings
//! into the text of an existing file and leaves its comments alone.

mod beside;
mod merge;
mod source;
mod split;
mod words;

pub use beside::{Beside, source_names};
pub use source::{Parity, Source};
pub use words::Words;

use crate::axis::Rule;
use crate::clock::Time;
use crate::derive::circle;
use crate::formula::Formula;
use crate::levels::LevelRule;
use crate::scale::Scale;
use crate::smooth::Smooth;
use crate::split::{MAX_FIELDS, Shape};
use crate::store::Limits;
use crate::talk::Saying;
use crate::watch::Watch;
use serde::{Deserialize, Deserializer, Serialize};

/// Everything that is set.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Bench {
    /// What a person calls it.
    pub name: String,
    /// Where the bytes come from.
    pub source: Source,
    /// How lines are laid out; found by itself when not pinned.
    pub split: Split,
    /// Where rows get their time from.
    pub time: Time,
    /// Other sources that are watched beside this one.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub beside: Vec<Beside>,
    /// How much is kept in memory.
    pub history: Limits,
    /// What counts as a level.
    #[serde(skip_serializing_if = "is_default")]
    pub levels: LevelRule,
    /// What is kept.
    #[serde(skip_serializing_if = "is_default")]
    pub keep: Keep,
    /// How it is shown.
    pub screen: Screen,
    /// Chart lanes whose y axis does not simply fit the data.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub lane: Vec<Lane>,
    /// Lines to send to the board, with names.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub say: Vec<Saying>,
    /// The channels, in the order in which they are shown.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub channel: Vec<ChannelSettings>,
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

fn is_default<T: Default + PartialEq>(value: &T) -> bool {
    *value == T::default()
}

/// What a take keeps beside the quantities.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Keep {
    /// Each channel's value as it came, in a column of its own behind the quantity.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub raw: bool,
}

/// How it is shown.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct Screen {
    /// Seconds across the chart.
    pub span: f64,
    /// How often the numbers and the wire tail change, in times a second.
    pub pace: f64,
    /// Whether each channel's value as it came stands beside its quantity.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub raw: bool,
}

impl Default for Screen {
    fn default() -> Self {
        Screen { span: 20.0, pace: 4.0, raw: false }
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
    /// The board's label, or `field1`, `field2` … for bare numbers.
    pub name: String,
    /// What a person calls it; its label when empty.
    #[serde(default, skip_serializing_if = "String::is_empty", deserialize_with = "sound")]
    pub called: String,
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
    /// Stage 4, when on.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub smooth: Option<Smooth>,
    /// Stage 5, when on.
    #[serde(default, skip_serializing_if = "Option::is_none", deserialize_with = "sound")]
    pub watch: Option<Watch>,
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

    /// What it is called: as a person says, else the board's label.
    pub fn title(&self) -> &str {
        if self.called.is_empty() { &self.name } else { &self.called }
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

/// Settings that can be wrong although each value has the right type.
trait Check {
    fn check(&self) -> Option<String>;
}

impl Check for String {
    fn check(&self) -> Option<String> {
        ChannelSettings::name_fault(self).map(str::to_owned)
    }
}

impl Check for Scale {
    fn check(&self) -> Option<String> {
        self.fault()
    }
}

impl Check for Option<Watch> {
    fn check(&self) -> Option<String> {
        self.as_ref().and_then(Watch::fault).map(str::to_owned)
    }
}

fn sound<'de, D: Deserializer<'de>, T: Deserialize<'de> + Check>(from: D) -> Result<T, D::Error> {
    let value = T::deserialize(from)?;
    value.check().map_or(Ok(value), |fault| Err(serde::de::Error::custom(fault)))
}

/// A mistake in a bench file.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("line {line}, column {column}: {message}")]
pub struct BenchError {
    /// From 1.
    pub line: usize,
    /// From 1, in characters.
    pub column: usize,
    /// What was found and what was expected.
    pub message: String,
}

impl BenchError {
    fn at(text: &str, offset: usize, message: String) -> Self {
        let before = text.get(..offset).unwrap_or(text);
        let line_start = before.rfind('\n').map_or(0, |newline| newline + 1);
        BenchError {
            line: before.matches('\n').count() + 1,
            column: before[line_start..].chars().count() + 1,
            message: message.trim().replace('\n', ", "),
        }
    }
}

/// Where the line that begins with `key` stands in `text`; its beginning when there is none.
fn place_of(text: &str, key: &str) -> usize {
    let mut at = 0;
    for line in text.split_inclusive('\n') {
        let lead = line.len() - line.trim_start().len();
        if line.trim_start().starts_with(key) {
            return at + lead;
        }
        at += line.len();
    }
    // A setting within a table that is written on one line.
    text.find(key).unwrap_or(0)
}

impl Bench {
    /// Reads a bench file's text.
    ///
    /// # Errors
    /// The first mistake, with its place: bad TOML, an unknown setting, a value of the wrong type or out of range.
    pub fn parse(text: &str) -> Result<Bench, BenchError> {
        let bench: Bench = toml_edit::de::from_str(text).map_err(|error| {
            BenchError::at(text, error.span().map_or(0, |span| span.start), error.message().to_owned())
        })?;
        match bench.fault() {
            None => Ok(bench),
            Some((key, message)) => Err(BenchError::at(text, place_of(text, key), message)),
        }
    }

    /// Reads what holds of a bench file's text: a line with a mistake is left out and told, the rest counts. Nothing at
    /// all holds of a text in which every line is wrong.
    pub fn parse_what_holds(text: &str) -> (Bench, Vec<BenchError>) {
        let mut lines: Vec<&str> = text.lines().collect();
        let mut mistakes: Vec<BenchError> = Vec::new();
        let mut left = text.to_owned();
        loop {
            match Bench::parse(&left) {
                Ok(bench) => return (bench, mistakes),
                Err(mistake) => {
                    let line = mistake.line.saturating_sub(1);
                    // Where the place is not told, the whole text is given up rather than looked at for ever.
                    let told = lines.get(line).is_some_and(|line| !line.trim().is_empty());
                    mistakes.push(mistake);
                    if !told {
                        return (Bench::default(), mistakes);
                    }
                    lines[line] = "";
                    left = lines.join("\n");
                }
            }
        }
    }

    /// A word near the mistake, and the mistake, where settings contradict one another.
    fn fault(&self) -> Option<(&'static str, String)> {
        let columns = self.split.shape().map_or(1, |shape| shape.columns());
        if !(1..=MAX_FIELDS).contains(&columns) {
            return Some(("[split]", format!("expected 1 to {MAX_FIELDS} fields, found {columns}")));
        }
        if let Some(fault) = self.time.fault() {
            return Some(("[time]", fault.into()));
        }
        if let Some(fault) = self.levels.fault() {
            return Some(("[levels]", fault.into()));
        }
        if !(self.history.seconds >= 1.0 && self.history.rows >= 1) {
            return Some(("[history]", "expected at least 1 second and 1 row".into()));
        }
        if !(0.2..=60.0).contains(&self.screen.pace) {
            return Some(("pace", "pace must be 0.2 to 60 times a second".into()));
        }
        if !(self.screen.span > 0.0 && self.screen.span <= 86_400.0) {
            return Some(("span", "span must be above 0 and at most 86400 seconds".into()));
        }
        for source in self.beside.iter().map(|beside| &beside.source).chain([&self.source]) {
            if let Some((key, fault)) = source.fault() {
                return Some((key, fault.into()));
            }
        }
        let twice = self.channel.iter().enumerate().find(|(i, c)| self.channel[..*i].iter().any(|o| o.name == c.name));
        if let Some((_, channel)) = twice {
            return Some(("[[channel]]", format!("channel '{}' stands twice", channel.name)));
        }
        let circle = circle(&self.channel.iter().collect::<Vec<_>>())?;
        Some(("formula", format!("{circle}: nothing can be computed in a circle")))
    }

    /// The settings as TOML, put into `text`: what is the same stays as it was written, comments stay.
    ///
    /// # Errors
    /// When `text` is not TOML, so that nothing that a person wrote is thrown away.
    pub fn write_into(&self, text: &str) -> Result<String, BenchError> {
        let mut document: toml_edit::DocumentMut = text.parse().map_err(|error: toml_edit::TomlError| {
            BenchError::at(text, error.span().map_or(0, |span| span.start), error.message().to_owned())
        })?;
        let fresh: toml_edit::DocumentMut =
            toml_edit::ser::to_string_pretty(self).unwrap_or_default().parse().unwrap_or_default();
        merge::tables(document.as_table_mut(), fresh.as_table());
        Ok(document.to_string())
    }

    /// The settings as the text of a new file, with `heading` as a comment at its top.
    pub fn new_file(&self, heading: &str) -> String {
        // Every setting is a TOML value, so that writing cannot fail.
        format!("# {heading}\n{}", self.write_into("").unwrap_or_default())
    }

    /// The settings of channel `name`, if there are any.
    pub fn channel(&self, name: &str) -> Option<&ChannelSettings> {
        self.channel.iter().find(|channel| channel.name == name)
    }

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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::smooth::{Filter, Strength};

    const FLUME: &str = r#"# my flume
name = "flume"   # the big one

[source]
port = "/dev/ttyACM0"
baud = 9600 # as the sketch says

[split]
shape = "labelled"
labels = ["a", "b"]
complete = true

# upstream gauge
[[channel]]
name = "a"
scale = { steps = [{ is = "converter", bits = 12, reference = 3.3 }, { is = "gain", by = 58.5, unit = "mm" }] }
smooth = { filter = "median", rows = 5 } # against spikes

[[channel]]
name = "b"
kind = "digital"
[channel.watch]
threshold = 0.5
"#;

    #[test]
    fn comments_stay_where_a_person_wrote_them() {
        let mut bench = Bench::parse(FLUME).unwrap();
        let same = bench.write_into(FLUME).unwrap();
        assert_eq!(Bench::parse(&same).unwrap(), bench);
        bench.source.baud = Some(115_200);
        bench.channel[0].smooth = Some(Smooth { filter: Filter::Mean, strength: Strength::Seconds(0.2) });
        bench.channel[1].watch = None;
        bench.channel.push(ChannelSettings::named("c"));
        bench.set_axis("mm", Rule::Typed(0.0, 200.0));
        let text = bench.write_into(FLUME).unwrap();
        for comment in ["# my flume", "# the big one", "# as the sketch says", "# upstream gauge"] {
            assert!(text.contains(comment), "{comment} is gone from\n{text}");
        }
        assert_eq!(Bench::parse(&text).unwrap(), bench);
        assert!(bench.write_into("not = [toml").is_err());
    }

    const STEPS: &str = r#"
[[channel]]
name = "water"
formula = "raw(probe) * 2"

[[channel]]
name = "probe"
# what the sheet says
[[channel.scale.steps]]
is = "converter"   # on the board
bits = 12
reference = 3.3
[[channel.scale.steps]]
is = "table"
points = [[0, 0], [1.2, 50], [2.9, 100]] # from the sheet
unit = "%"
[[channel.scale.steps]]
is = "gain"
by = 2
"#;

    #[test]
    fn steps_keep_their_comments_as_long_as_they_stay_what_they_are() {
        let mut bench = Bench::parse(STEPS).unwrap();
        let from = STEPS.find("# what the sheet says").unwrap();
        let same = bench.write_into(STEPS).unwrap();
        assert!(same.contains(STEPS[from..].trim_end()), "what is the same stays as it was written: {same}");
        let steps = &mut bench.channel[1].scale.steps;
        steps[0].set_part(1, "3.31").unwrap();
        steps[2] = crate::scale::Step::Offset { by: 0.5 };
        let text = bench.write_into(STEPS).unwrap();
        for kept in
            ["# what the sheet says", "# on the board", "# from the sheet", "points = [[0, 0], [1.2, 50], [2.9, 100]]"]
        {
            assert!(text.contains(kept), "{kept} is gone from\n{text}");
        }
        assert!(!text.contains("gain") && text.contains("reference = 3.31"), "{text}");
        assert_eq!(Bench::parse(&text).unwrap(), bench);
        let fresh = bench.new_file("fresh");
        assert!(fresh.contains("points = [[0.0, 0.0], [1.2, 50.0], [2.9, 100.0]]"), "{fresh}");
    }

    #[test]
    fn mistakes_in_steps_and_formulas_say_what_was_expected() {
        let wrong = |from: &str, to: &str| Bench::parse(&STEPS.replacen(from, to, 1)).unwrap_err().to_string();
        assert!(wrong("bits = 12", "bits = 40").contains("step 1: bits must be 1 to 32"));
        assert!(wrong("is = \"table\"", "is = \"tabel\"").contains("unknown variant `tabel`"));
        assert!(wrong("by = 2", "by = 0").contains("step 3: gain must be a finite number, not 0"));
        assert!(wrong("by = 2", "bye = 2").contains("unknown field `bye`"));
        assert!(wrong("[1.2, 50]", "[2.9, 50]").contains("further on than the one before"));
        assert!(wrong("raw(probe) * 2", "raw(probe) * ").contains("column 14: the formula ends"));
        let circle = wrong("raw(probe) * 2", "water + probe");
        assert!(circle.contains("line 4") && circle.contains("water needs itself"), "{circle}");
        // The rest holds: without its converter, and said so.
        let (bench, mistakes) = Bench::parse_what_holds(&STEPS.replacen("bits = 12", "bits = 40", 1));
        assert!(!mistakes.is_empty() && bench.channel.len() == 2, "{mistakes:?}");
    }

    #[test]
    fn the_rest_of_a_bench_with_mistakes_holds() {
        let text = FLUME
            .replacen("baud = 9600", "baud = \"fast\"", 1)
            .replacen("kind = \"digital\"", "kind = \"binary\"\nwhat is this", 1)
            .replacen("complete = true", "", 1);
        let (bench, mistakes) = Bench::parse_what_holds(&text);
        let lines: Vec<usize> = mistakes.iter().map(|mistake| mistake.line).collect();
        assert_eq!(lines, [22, 6, 21], "{mistakes:?}");
        assert_eq!(
            (bench.name.as_str(), bench.source.port.as_str(), bench.source.baud),
            ("flume", "/dev/ttyACM0", None)
        );
        assert_eq!((bench.channel.len(), bench.channel[1].watch.map(|w| w.threshold)), (2, Some(0.5)));
        assert_eq!(Bench::parse_what_holds("[[[\n= 7\n").1.len(), 2);
        let far = format!("{FLUME}\n[screen]\npace = 900\n");
        assert_eq!(Bench::parse_what_holds(&far).1.len(), 1);
    }

    #[test]
    fn a_mistake_is_named_with_its_line() {
        let wrong = |from: &str, to: &str| Bench::parse(&FLUME.replacen(from, to, 1)).unwrap_err().to_string();
        assert!(wrong("baud = 9600", "baud = \"fast\"").starts_with("line 6, column 8: invalid type"));
        assert!(wrong("kind = \"digital\"", "kind = \"binary\"").contains("expected one of `auto`, `analog`"));
        assert!(wrong("by = 58.5", "by = 0").contains("gain must be a finite number, not 0"));
        assert!(wrong("rows = 5", "rows = 5, seconds = 1").contains("either `rows = N` or `seconds = S`"));
        assert!(wrong("port", "prot").contains("unknown field `prot`"));
        assert!(wrong("name = \"b\"", "name = \"a\"").contains("channel 'a' stands twice"));
        assert!(wrong("labels = [\"a\", \"b\"]", "labels = []").starts_with("line 8, column 1: expected 1 to 64"));
    }
}
