//! What stands in the stages' panels: settings that can be changed, and facts.

mod scale;
mod smooth;
mod split;
mod wire;

use super::{App, Stage, Taking};
use amber_core::bench::Kind;
use amber_core::chain::Channel;
use amber_core::digits::{bytes, counted, duration, fixed, grouped, with_unit};
use amber_core::part::Parts;

/// A setting.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum FieldId {
    Port,
    Baud,
    DataBits,
    Parity,
    StopBits,
    ResetOnOpen,
    TakesBack,
    Pace,
    TimeFrom,
    TimeRate,
    TimeTick,
    TimeBits,
    Shape,
    TakeOffer,
    LinesARow,
    FindShape,
    /// A channel, by its place.
    Column(u8),
    /// The unit in front of the first step.
    Unit,
    Formula,
    /// A part of a list, by its place from 0.
    Part(PartList, u8),
    /// A setting of a part.
    PartSetting(PartList, u8, u8),
    AddPart(PartList),
    Words,
    LevelSeconds,
    LevelSpread,
    LevelBell,
    WatchOn,
    Threshold,
    Hysteresis,
    Folder,
    KeepRaw,
    BenchName,
    HistorySeconds,
    HistoryRows,
}

/// A list of parts in a channel's settings.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum PartList {
    /// The steps of its scale.
    Steps,
    /// Its filters.
    Filters,
}

impl PartList {
    pub(crate) const ALL: [PartList; 2] = [PartList::Steps, PartList::Filters];

    /// The stage whose panel shows it.
    pub(crate) fn stage(self) -> Stage {
        match self {
            PartList::Steps => Stage::Scale,
            PartList::Filters => Stage::Smooth,
        }
    }
}

/// A line of a panel.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Field {
    /// Its name; empty for a line that goes on.
    pub(crate) name: String,
    pub(crate) value: String,
    /// The setting that it is, if it is one.
    pub(crate) id: Option<FieldId>,
    /// What the setting means, shown while it is chosen.
    pub(crate) hint: &'static str,
}

fn setting(id: FieldId, name: &str, value: impl Into<String>, hint: &'static str) -> Field {
    Field { name: name.into(), value: value.into(), id: Some(id), hint }
}

fn fact(name: &str, value: impl Into<String>) -> Field {
    Field { name: name.into(), value: value.into(), id: None, hint: "" }
}

/// A part of a list, with what comes out of it, and its settings below. `unit` is the unit of the value in front of it.
fn part_fields(list: PartList, parts: &dyn Parts, at: usize, unit: &str, value: String) -> Vec<Field> {
    let value = if parts.is_bypassed(at) { "bypassed".into() } else { value };
    let hint = "←→ bypass it, or use it; a adds one behind it, x deletes it, < > move it";
    let head = setting(FieldId::Part(list, at as u8), &format!("{} {}", at + 1, parts.kind(at)), value, hint);
    let settings = parts.settings(at, unit).into_iter().enumerate().map(|(index, view)| {
        let id = FieldId::PartSetting(list, at as u8, index as u8);
        setting(id, &format!("    {}", view.name), view.shown, view.help)
    });
    [head].into_iter().chain(settings).collect()
}

/// The line that adds a part to a list.
fn add_field(list: PartList, parts: &dyn Parts) -> Field {
    let hint = "a adds one behind the selected one; x deletes, < > move, p bypasses to compare";
    setting(FieldId::AddPart(list), &format!("+ add a {}", parts.noun()), "", hint)
}

/// A longer text, in lines of a panel's width.
fn text(name: &str, words: &str) -> Vec<Field> {
    let lines = crate::screen::wrapped(words, 34).into_iter().map(|line| fact("", line));
    let heading = (!name.is_empty()).then(|| fact(name, ""));
    heading.into_iter().chain(lines).collect()
}

impl App {
    /// The lines of a stage's panel.
    pub(crate) fn fields(&self, stage: Stage) -> Vec<Field> {
        match stage {
            Stage::Wire => self.wire_fields(),
            Stage::Split => self.split_fields(),
            Stage::Keep => self.keep_fields(),
            _ => match self.channel() {
                None => vec![fact("no channel yet", "rows must arrive first")],
                Some(channel) => match stage {
                    Stage::Scale => self.scale_fields(channel),
                    Stage::Smooth => self.smooth_fields(channel),
                    _ => self.watch_fields(channel),
                },
            },
        }
    }

    /// The settings among them.
    pub(crate) fn settings(&self, stage: Stage) -> Vec<FieldId> {
        self.fields(stage).into_iter().filter_map(|field| field.id).collect()
    }

    fn watch_fields(&self, channel: &Channel) -> Vec<Field> {
        let unit = channel.settings().scale.unit();
        let watch = channel.wished().watch;
        let mut fields = vec![
            fact("channel", format!("{} {}", self.letter(self.selected), channel.title())),
            setting(
                FieldId::WatchOn,
                "threshold is",
                if watch.is_some() { "watched" } else { "off" },
                "a line on the chart, and a count of its crossings",
            ),
        ];
        if let Some(watch) = watch {
            fields.push(setting(
                FieldId::Threshold,
                "threshold",
                with_unit(watch.threshold, unit),
                "the level that is watched",
            ));
            fields.push(setting(
                FieldId::Hysteresis,
                "hysteresis",
                with_unit(watch.hysteresis, unit),
                "width of the dead band around it; wider than the noise stops flicker",
            ));
        }
        fields.push(fact("", ""));
        let watcher = channel.watcher();
        if watch.is_some() || channel.kind() == Kind::Digital {
            fields.push(fact("now", super::super::screen::side(watcher.side, channel.kind())));
            fields.push(fact("rises", grouped(watcher.rises)));
            fields.push(fact("falls", grouped(watcher.falls)));
            fields.push(fact("", ""));
        }
        if channel.kind() == Kind::Analog {
            fields.extend(self.level_fields(channel));
        }
        fields
    }

    /// What counts as a level, and the last ones.
    fn level_fields(&self, channel: &Channel) -> Vec<Field> {
        let rule = self.shared.levels;
        let levels = channel.levels();
        let mut fields = vec![
            setting(
                FieldId::LevelSeconds,
                "shortest level",
                duration(rule.seconds),
                "so long a channel must be settled, for all channels; c calibrates by levels",
            ),
            setting(
                FieldId::LevelSpread,
                "its spread",
                format!("{} × the noise", rule.spread),
                "1; more for a board that smooths what it sends, so that it never seems settled",
            ),
            setting(
                FieldId::LevelBell,
                "bell",
                if rule.bell { "at each level" } else { "off" },
                "ring when the chosen channel settles",
            ),
            fact("levels so far", grouped(levels.count())),
        ];
        let unit = channel.settings().scale.unit();
        for level in levels.found().iter().rev().take(8) {
            let mean = fixed(channel.quantity_of(level.mean), channel.decimals() + 1);
            let goes_on = if level.open { " …" } else { "" };
            let value = format!("{}  {:.1} s{goes_on}", with_unit(mean, unit), level.seconds());
            fields.push(fact(&format!("  {}", self.wall(level.from, "%H:%M:%S")), value));
        }
        fields
    }

    fn keep_fields(&self) -> Vec<Field> {
        let history = self.shared.history;
        let kept = self.chain().store().rows();
        let rows = kept.end - kept.start;
        let size = self.chain().size() as u64;
        let bench = self.bench_file.as_ref().map_or("not saved yet (s)".into(), |path| path.display().to_string());
        let mut fields = vec![
            setting(FieldId::Folder, "folder", self.folder.display().to_string(), "where takes and figures go"),
            setting(FieldId::BenchName, "bench", self.shared.name.clone(), "a name for all these settings"),
            fact("bench file", bench),
            setting(
                FieldId::KeepRaw,
                "in takes",
                if self.shared.keep.raw { "scaled and as it came" } else { "scaled" },
                "the columns of readings.csv; wire.bin has every byte in any case",
            ),
        ];
        if !self.is_take() {
            fields.push(setting(
                FieldId::HistorySeconds,
                "history",
                duration(history.seconds),
                "seconds that stay in memory, to look back at",
            ));
            fields.push(setting(
                FieldId::HistoryRows,
                "or at most",
                counted(history.rows, "row"),
                "rows that stay in memory; whichever is less",
            ));
        }
        fields.push(fact("rows kept", grouped(rows)));
        if let Some(per_row) = size.checked_div(rows) {
            fields.push(fact("in memory", format!("{per_row} bytes a row, {}", bytes(size))));
        }
        fields.push(fact("", ""));
        match &self.taking {
            Taking::No => fields
                .push(fact("take", if self.is_take() { "opened, not running" } else { "none runs (t starts one)" })),
            Taking::Starting => fields.push(fact("take", "starting")),
            Taking::Yes { folder, saved, .. } => {
                fields.push(fact("take", super::taking::name_of(folder)));
                if let Some(saved) = saved {
                    fields.push(fact("  rows", grouped(saved.tally.rows)));
                    fields.push(fact("  bytes", bytes(saved.bytes)));
                    fields.push(fact("  refused", grouped(saved.tally.refused)));
                }
            }
        }
        let start = self.marks.len().saturating_sub(6);
        for mark in &self.marks[start..] {
            fields.push(fact(&format!("  mark {}", mark.number), amber_core::tail::visible(mark.note.as_bytes())));
        }
        fields
    }
}
