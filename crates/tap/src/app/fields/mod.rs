//! What stands in the stages' panels: settings that can be changed, and facts.

mod split;
mod wire;

use super::{App, Stage, Taking};
use amber_core::bench::Kind;
use amber_core::chain::{Channel, Reading};
use amber_core::digits::{bytes, decimals, duration, fixed, grouped, with_unit};
use amber_core::smooth::{Filter, Strength};
use amber_core::store::Store;

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
    Bits,
    Reference,
    Offset,
    Gain,
    Unit,
    Filter,
    StrengthIn,
    Strength,
    WatchOn,
    Threshold,
    Hysteresis,
    Folder,
    BenchName,
    HistorySeconds,
    HistoryRows,
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

    fn scale_fields(&self, channel: &Channel) -> Vec<Field> {
        let scale = &channel.settings().scale;
        let off = || "off".to_owned();
        let mut fields = vec![
            fact("channel", format!("{} {}", self.letter(self.selected_id()), channel.title())),
            setting(
                FieldId::Bits,
                "converter bits",
                scale.bits.map_or_else(off, |b| b.to_string()),
                "8, 10, 12 … of the board's converter; off: numbers are no counts",
            ),
            setting(
                FieldId::Reference,
                "reference",
                scale.reference.map_or_else(off, |v| format!("{v} V")),
                "the converter's reference or supply, as measured, in volts",
            ),
            setting(
                FieldId::Offset,
                "offset",
                format!("{}{}", scale.offset, if scale.volts_per_count().is_some() { " V" } else { "" }),
                "taken away first",
            ),
            setting(
                FieldId::Gain,
                "gain",
                scale.gain.to_string(),
                "then multiplied: units for each volt; type 1/0.04 to divide",
            ),
            setting(
                FieldId::Unit,
                "unit",
                scale.unit.clone(),
                "the quantity's unit; channels of one unit share a lane",
            ),
            fact("", ""),
        ];
        let places = channel.decimals();
        if let Some(Reading { raw, volts, quantity, .. }) =
            self.shown.channels.get(self.selected_id()).and_then(|s| s.reading)
        {
            let volt_places = scale.volts_per_count().map_or(3, decimals);
            let unit = scale.unit();
            fields.push(fact("raw", fixed(raw, channel.raw_decimals())));
            if let Some(volts) = volts {
                fields.push(fact("in volts", format!("{} V", fixed(volts, volt_places))));
            }
            let less = volts.unwrap_or(raw) - scale.offset;
            fields.push(fact("less offset", fixed(less, volt_places)));
            fields.push(fact("times gain", with_unit(fixed(quantity, places), unit)));
        }
        fields.push(fact("one step is", with_unit(fixed(channel.resolution(), places + 2), scale.unit())));
        if let Some((low, high)) = scale.full_scale() {
            fields.push(fact(
                "full scale",
                with_unit(format!("{} to {}", fixed(low, places), fixed(high, places)), scale.unit()),
            ));
        }
        fields
    }

    fn smooth_fields(&self, channel: &Channel) -> Vec<Field> {
        let smooth = channel.settings().smooth;
        let filter = match smooth.map(|s| s.filter) {
            None => "off",
            Some(Filter::Mean) => "moving average",
            Some(Filter::Exponential) => "exponential",
            Some(Filter::Median) => "median",
        };
        let mut fields = vec![
            fact("channel", format!("{} {}", self.letter(self.selected_id()), channel.title())),
            setting(
                FieldId::Filter,
                "filter",
                filter,
                "moving average and exponential: against noise; median: against spikes",
            ),
        ];
        if let Some(smooth) = smooth {
            let (unit, value) = match smooth.strength {
                Strength::Rows(rows) => ("rows", rows.to_string()),
                Strength::Seconds(seconds) => ("seconds", seconds.to_string()),
            };
            let name = if smooth.filter == Filter::Exponential { "time constant" } else { "window" };
            fields.push(setting(FieldId::StrengthIn, "strength in", unit, "rows, or seconds whatever the rate"));
            fields.push(setting(FieldId::Strength, name, format!("{value} {unit}"), "more: calmer and later"));
        }
        fields.push(fact("", ""));
        let unit = channel.settings().scale.unit();
        let places = channel.decimals() + 1;
        if let Some(noise) = channel.noise() {
            fields.push(fact("noise before", with_unit(fixed(noise, places), unit)));
            if let Some((smooth, interval)) = smooth.zip(self.chain.rate().interval()) {
                let after = noise * smooth.noise_gain(interval);
                fields.push(fact("noise after", with_unit(fixed(after, places), unit)));
            }
        }
        if let Some((smooth, interval)) = smooth.zip(self.chain.rate().interval()) {
            fields.push(fact("comes late by", duration(smooth.delay(interval))));
        }
        fields
    }

    fn watch_fields(&self, channel: &Channel) -> Vec<Field> {
        let unit = channel.settings().scale.unit();
        let watch = channel.settings().watch;
        let mut fields = vec![
            fact("channel", format!("{} {}", self.letter(self.selected_id()), channel.title())),
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
        }
        fields
    }

    fn keep_fields(&self) -> Vec<Field> {
        let history = self.chain.settings().history;
        let channels = self.chain.channels();
        let smoothed = channels.iter().filter(|c| c.smoothed().is_some()).count();
        let per_row = Store::bytes_per_row(channels.len(), smoothed);
        let kept = self.chain.store().rows();
        let bench = self.bench_file.as_ref().map_or("not saved yet (s)".into(), |path| path.display().to_string());
        let mut fields = vec![
            setting(FieldId::Folder, "folder", self.folder.display().to_string(), "where takes and figures go"),
            setting(FieldId::BenchName, "bench", self.chain.settings().name.clone(), "a name for all these settings"),
            fact("bench file", bench),
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
                format!("{} rows", grouped(history.rows)),
                "rows that stay in memory; whichever is less",
            ));
        }
        fields.push(fact("in memory", format!("{} rows", grouped(kept.end - kept.start))));
        fields.push(fact(
            "",
            format!("{per_row:.0} bytes a row, {}", bytes((per_row * (kept.end - kept.start) as f64) as u64)),
        ));
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
