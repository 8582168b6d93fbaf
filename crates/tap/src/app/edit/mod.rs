//! Changing a setting in a panel: by steps, or by typing.

mod parts;
mod scale;
mod split;
mod wire;

use super::{App, Effect, FieldId, Overlay, Prompt, Purpose};
use amber_core::axis::{Rule, round_step};
use amber_core::bench::{ChannelSettings, Kind, Source, Split};
use amber_core::digits::typed;
use amber_core::levels::LevelRule;
use amber_core::part::along;
use amber_core::watch::Watch;
use std::path::PathBuf;

const BAUDS: [u32; 12] = [300, 1200, 2400, 4800, 9600, 19_200, 38_400, 57_600, 115_200, 230_400, 460_800, 921_600];
const LEVEL_SECONDS: [f64; 8] = [0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 30.0];
const LEVEL_SPREADS: [f64; 7] = [0.5, 1.0, 2.0, 3.0, 5.0, 10.0, 20.0];
const PACES: [f64; 7] = [0.5, 1.0, 2.0, 4.0, 8.0, 15.0, 30.0];
const HISTORIES: [f64; 7] = [60.0, 300.0, 600.0, 1800.0, 3600.0, 14_400.0, 86_400.0];
const HISTORY_ROWS: [u64; 5] = [100_000, 300_000, 1_000_000, 3_000_000, 10_000_000];

/// The same as [`along`], with "off" before the first entry.
fn along_or_off<T: Copy + PartialOrd>(list: &[T], now: Option<T>, step: i32) -> Option<T> {
    match now {
        None if step > 0 => list.first().copied(),
        None => None,
        Some(now) if step < 0 && list.iter().all(|v| *v >= now) => None,
        Some(now) => Some(along(list, now, step)),
    }
}

/// A round step for a value of this size.
fn nudge(value: f64) -> f64 {
    round_step((value.abs() / 100.0).max(1e-6))
}

/// The entry `step` places on in a list that closes in a ring.
fn around<T: Copy + PartialEq>(list: &[T], now: T, step: i32) -> T {
    let here = list.iter().position(|v| *v == now).unwrap_or(0) as i32;
    list[(here + step).rem_euclid(list.len() as i32) as usize]
}

impl App {
    /// Asks for a setting's new value.
    pub(super) fn ask_field(&mut self, id: FieldId) -> Vec<Effect> {
        if id.is_chosen() || self.is_choice(id) {
            return self.step_field(id, 1);
        }
        match id {
            FieldId::AddPart(_) | FieldId::Part(..) => {
                self.ask_part();
                return Vec::new();
            }
            FieldId::Words => return self.ask_words(),
            _ => {}
        }
        if let FieldId::Column(index) = id {
            return self.ask_name(usize::from(index));
        }
        let Some((stage, _)) = self.panel else { return Vec::new() };
        let Some(field) = self.fields(stage).into_iter().find(|field| field.id == Some(id)) else { return Vec::new() };
        let range = match id {
            FieldId::PartSetting(list, part, setting) => self.part_setting(list, part, setting).map(|view| view.range),
            _ => None,
        };
        let range = range.filter(|range| !range.is_empty()).map(|range| format!("; {range}")).unwrap_or_default();
        self.overlays.push(Overlay::Prompt(Prompt::new(
            field.name.trim().to_owned(),
            format!("{}{range}", field.hint),
            self.field_text(id),
            Purpose::Field(id),
        )));
        Vec::new()
    }

    /// A setting's value as it would be typed.
    fn field_text(&self, id: FieldId) -> String {
        let (wire, shared) = (&self.chain().settings().wire, &self.shared);
        let channel = self.channel().map(|channel| channel.wished().clone()).unwrap_or_default();
        let number = |value: Option<f64>| value.map(|v| v.to_string()).unwrap_or_default();
        match id {
            FieldId::Port => wire.port.clone(),
            FieldId::Baud => number(wire.baud.map(f64::from)),
            FieldId::DataBits => wire.data_bits.to_string(),
            FieldId::StopBits => wire.stop_bits.to_string(),
            FieldId::TimeRate | FieldId::TimeBits => self.time_text(id),
            FieldId::Shape => self.chain().shape().map(ToString::to_string).unwrap_or_default(),
            FieldId::LinesARow => self.lines_a_row().map(|lines| lines.to_string()).unwrap_or_default(),
            FieldId::Pace => shared.screen.pace.to_string(),
            FieldId::Unit => channel.scale.unit,
            FieldId::Formula => channel.formula.map(String::from).unwrap_or_default(),
            FieldId::PartSetting(list, part, setting) => {
                self.part_setting(list, part, setting).map(|setting| setting.typed).unwrap_or_default()
            }
            FieldId::LevelSeconds => shared.levels.seconds.to_string(),
            FieldId::LevelSpread => shared.levels.spread.to_string(),
            FieldId::Threshold => number(channel.watch.map(|w| w.threshold)),
            FieldId::Hysteresis => number(channel.watch.map(|w| w.hysteresis)),
            FieldId::Folder => self.folder.display().to_string(),
            FieldId::BenchName => shared.name.clone(),
            FieldId::HistorySeconds => shared.history.seconds.to_string(),
            FieldId::HistoryRows => shared.history.rows.to_string(),
            _ => String::new(),
        }
    }

    /// Takes what was typed for a setting.
    ///
    /// # Errors
    /// What is wrong with it, in a sentence; nothing is changed then.
    pub(super) fn type_field(&mut self, id: FieldId, text: &str) -> Result<Vec<Effect>, String> {
        let text = text.trim();
        match id {
            FieldId::Port if text.is_empty() => return Err("type the path of a port, such as /dev/ttyACM0".into()),
            FieldId::Port => return Ok(self.set_source(|source| source.port = text.to_owned())),
            FieldId::Baud if text.is_empty() || text == "find" => {
                return Ok(self.set_source(|source| source.baud = None));
            }
            FieldId::TimeBits if text.is_empty() => return self.type_wire(id, None),
            FieldId::Shape => return self.pin_shape(text),
            FieldId::Unit => self.edit_channel(|channel| channel.scale.unit = text.to_owned()),
            FieldId::Folder if text.is_empty() => {
                return Err("type a folder; . is where the program was started".into());
            }
            FieldId::Folder => self.folder = PathBuf::from(text),
            FieldId::BenchName => self.shared.name = text.to_owned(),
            FieldId::Formula => self.type_formula(text)?,
            FieldId::PartSetting(list, part, setting) => self.type_part(list, part, setting, text)?,
            _ => return self.type_number(id, typed(text)?),
        }
        Ok(Vec::new())
    }

    fn type_number(&mut self, id: FieldId, value: f64) -> Result<Vec<Effect>, String> {
        let whole = || (value.fract() == 0.0 && value >= 0.0).then_some(value as u64).ok_or("type a whole number");
        let channel = self.channel().map(|channel| channel.wished().clone()).unwrap_or_default();
        match id {
            FieldId::DataBits | FieldId::StopBits | FieldId::TimeRate | FieldId::TimeBits | FieldId::LinesARow => {
                return self.type_wire(id, Some(value));
            }
            FieldId::Baud => {
                let baud = u32::try_from(whole()?).ok().filter(|baud| (50..=20_000_000).contains(baud));
                let baud = baud.ok_or("baud is 50 to 20000000 bits a second")?;
                return Ok(self.set_source(|source| source.baud = Some(baud)));
            }
            FieldId::Pace if !(0.2..=60.0).contains(&value) => return Err("0.2 to 60 times a second".into()),
            FieldId::Pace => self.shared.screen.pace = value,
            FieldId::LevelSeconds | FieldId::LevelSpread => {
                let mut rule = self.shared.levels;
                *(if id == FieldId::LevelSeconds { &mut rule.seconds } else { &mut rule.spread }) = value;
                rule.fault().map_or(Ok(()), Err)?;
                self.set_levels(rule);
            }
            FieldId::Threshold | FieldId::Hysteresis => {
                let Some(watch) = channel.watch else { return Ok(Vec::new()) };
                let watch = match id {
                    FieldId::Threshold => Watch { threshold: value, ..watch },
                    _ => Watch { hysteresis: value, ..watch },
                };
                watch.fault().map_or(Ok(()), Err)?;
                self.edit_channel(|channel| channel.watch = Some(watch));
            }
            FieldId::HistorySeconds if value < 1.0 => return Err("keep at least 1 second".into()),
            FieldId::HistorySeconds => {
                self.shared.history.seconds = value;
                self.apply_limits();
            }
            FieldId::HistoryRows if value < 1.0 => return Err("keep at least 1 row".into()),
            FieldId::HistoryRows => {
                let rows = whole()?;
                self.shared.history.rows = rows;
                self.apply_limits();
            }
            _ => {}
        }
        Ok(Vec::new())
    }

    /// Moves a setting one step up (1) or down (-1), or to its next choice.
    pub(super) fn step_field(&mut self, id: FieldId, step: i32) -> Vec<Effect> {
        let wire = self.chain().settings().wire.clone();
        match id {
            FieldId::Baud => {
                let baud = along_or_off(&BAUDS, wire.baud, step);
                return self.set_source(|source| source.baud = baud);
            }
            FieldId::DataBits | FieldId::Parity | FieldId::StopBits | FieldId::ResetOnOpen => {
                return self.set_source(|source| self::wire::step_source(source, id, step));
            }
            FieldId::TimeFrom | FieldId::TimeTick | FieldId::TimeRate | FieldId::TimeBits => self.step_time(id, step),
            FieldId::TakesBack => self.takes_back = !self.takes_back,
            FieldId::LinesARow => self.step_lines(step),
            FieldId::TakeOffer => self.take_offer(),
            FieldId::Column(index) => self.step_kind(usize::from(index), step),
            FieldId::Pace => {
                let pace = along(&PACES, self.shared.screen.pace, step);
                self.shared.screen.pace = pace;
            }
            FieldId::FindShape => {
                self.set_split(Split::Auto);
                self.say("the shape is found anew", false);
            }
            FieldId::HistorySeconds => {
                let seconds = along(&HISTORIES, self.shared.history.seconds, step);
                self.shared.history.seconds = seconds;
                self.apply_limits();
            }
            FieldId::HistoryRows => {
                let rows = along(&HISTORY_ROWS, self.shared.history.rows, step);
                self.shared.history.rows = rows;
                self.apply_limits();
            }
            FieldId::LevelSeconds | FieldId::LevelSpread | FieldId::LevelBell => {
                let rule = self.shared.levels;
                self.set_levels(match id {
                    FieldId::LevelSeconds => LevelRule { seconds: along(&LEVEL_SECONDS, rule.seconds, step), ..rule },
                    FieldId::LevelSpread => LevelRule { spread: along(&LEVEL_SPREADS, rule.spread, step), ..rule },
                    _ => LevelRule { bell: !rule.bell, ..rule },
                });
            }
            FieldId::KeepRaw => self.shared.keep.raw = !self.shared.keep.raw,
            FieldId::PartSetting(list, part, setting) => self.nudge_part(list, part, setting, step),
            FieldId::Part(..) => self.bypass_part(),
            FieldId::WatchOn => self.toggle_watch(),
            FieldId::Port
            | FieldId::Shape
            | FieldId::Unit
            | FieldId::Formula
            | FieldId::AddPart(_)
            | FieldId::Words
            | FieldId::Folder
            | FieldId::BenchName => {
                return self.ask_field(id);
            }
            _ => {
                let resolution = self.channel().map_or(0.0, amber_core::chain::Channel::resolution);
                self.edit_channel(|channel| step_channel(channel, id, step, resolution));
            }
        }
        Vec::new()
    }

    /// Sets what counts as a level, for all sources.
    fn set_levels(&mut self, rule: LevelRule) {
        self.shared.levels = rule;
        self.apply_levels();
    }

    /// Whether a setting of a part is changed by stepping.
    fn is_choice(&self, id: FieldId) -> bool {
        let FieldId::PartSetting(list, part, setting) = id else { return false };
        self.part_setting(list, part, setting).is_some_and(|setting| setting.is_choice)
    }

    /// Starts to watch at the present value with a dead band of six times the noise, or stops watching.
    fn toggle_watch(&mut self) {
        let Some(channel) = self.channel() else { return };
        let places = channel.decimals();
        let round = |value: f64| amber_core::digits::fixed(value, places).parse().unwrap_or(0.0);
        let present = self.reading(self.selected).map_or(0.0, |r| r.smoothed);
        let noise = channel.noise().unwrap_or(0.0);
        let fresh = Watch { threshold: round(present), hysteresis: round(noise * 6.0) };
        self.edit_channel(|channel| channel.watch = if channel.watch.is_some() { None } else { Some(fresh) });
    }

    /// Changes the selected channel's settings; its history is made anew.
    pub(super) fn edit_channel(&mut self, edit: impl FnOnce(&mut ChannelSettings)) {
        self.with_channel(self.selected, edit);
    }

    /// Changes how the wire is set; the source is opened anew when that is a change.
    fn set_source(&mut self, edit: impl FnOnce(&mut Source)) -> Vec<Effect> {
        let mut source = self.chain().settings().wire.clone();
        edit(&mut source);
        if source == self.chain().settings().wire {
            return Vec::new();
        }
        self.chain_mut().edit_wire(|wire| *wire = source.clone());
        vec![Effect::Open(self.place(), source)]
    }

    /// Steps the y axis of the selected channel's lane to its next rule.
    pub(super) fn next_axis_rule(&mut self) {
        let Some(channel) = self.channel().filter(|channel| channel.kind() == Kind::Analog) else {
            return self.say("y is for analog channels: choose one with Tab", true);
        };
        let unit = channel.settings().scale.unit().to_owned();
        let next = match self.shared.axis(&unit) {
            Rule::Fit if self.full_scale(&[self.selected]).is_none() => {
                return self.say("full scale is not known: set the converter's bits (3), or type limits (Y)", true);
            }
            Rule::Fit => Rule::Full,
            Rule::Full | Rule::Typed(..) => Rule::Fit,
        };
        self.shared.set_axis(&unit, next);
    }

    /// Asks for the limits of the y axis of the selected channel's lane.
    pub(super) fn ask_limits(&mut self) {
        let lanes = self.lanes();
        let Some(lane) = lanes.analog.iter().find(|lane| lane.channels.contains(&self.selected)) else {
            return self.say("Y is for analog channels in sight: choose one with Tab", true);
        };
        self.overlays.push(Overlay::Prompt(Prompt::new(
            format!("limits of the {} axis", if lane.unit.is_empty() { "count" } else { &lane.unit }),
            "two numbers, low and high",
            format!("{} {}", lane.limits.0, lane.limits.1),
            Purpose::Limits(lane.unit.clone()),
        )));
    }

    /// Takes typed limits.
    ///
    /// # Errors
    /// What is wrong with them.
    pub(super) fn type_limits(&mut self, unit: &str, text: &str) -> Result<(), String> {
        let numbers: Vec<f64> = text.split_whitespace().map(typed).collect::<Result<_, _>>()?;
        match numbers[..] {
            [low, high] if low < high => {
                self.shared.set_axis(unit, Rule::Typed(low, high));
                Ok(())
            }
            [_, _] => Err("the first must be the lower one".into()),
            _ => Err("type two numbers, low and high".into()),
        }
    }
}

fn step_channel(channel: &mut ChannelSettings, id: FieldId, step: i32, resolution: f64) {
    let by = f64::from(step);
    // Adding round steps leaves rounding behind: cut it off where nobody will miss it.
    let tidy = |value: f64| (value * 1e9).round() / 1e9;
    match id {
        FieldId::Threshold | FieldId::Hysteresis => {
            if let Some(watch) = &mut channel.watch {
                let step = by * nudge(watch.threshold).max(round_step(resolution.max(1e-9)));
                match id {
                    FieldId::Threshold => watch.threshold = tidy(watch.threshold + step),
                    _ => watch.hysteresis = tidy(watch.hysteresis + step).max(0.0),
                }
            }
        }
        _ => {}
    }
}
