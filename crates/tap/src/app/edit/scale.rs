//! Settings of stage 3 beside the steps of the scale: formulas, zero, the fixed resistor of a divider.

use super::super::{App, ChannelId, Effect, Overlay, PartList, Pick, Picked, Prompt, Purpose};
use amber_core::bench::ChannelSettings;
use amber_core::digits::measured;
use amber_core::formula::{Formula, Program};
use amber_core::levels::Level;
use amber_core::scale::{ResistorSeries, Scale, Step, advise};

impl App {
    /// The selected channel's scale.
    fn scale(&self) -> Scale {
        self.channel().map(|channel| channel.wished().scale.clone()).unwrap_or_default()
    }

    /// Takes settings for the selected channel.
    ///
    /// # Errors
    /// What is wrong with them; nothing is changed then.
    pub(super) fn take_settings(&mut self, settings: ChannelSettings) -> Result<(), String> {
        if let Some(fault) = settings.scale.fault() {
            return Err(fault);
        }
        if let Some(name) = settings.scale.scaler().reference() {
            self.known_channel(name)?;
        }
        if let Some(circle) = self.chain().circle_with(self.selected.channel, &settings) {
            return Err(format!("{circle}: nothing can be computed in a circle"));
        }
        self.edit_channel(|channel| *channel = settings);
        Ok(())
    }

    fn known_channel(&self, name: &str) -> Result<(), String> {
        let channels = self.chain().channels();
        if channels.iter().any(|channel| channel.name() == name || channel.title() == name) {
            return Ok(());
        }
        let names: Vec<&str> = channels.iter().map(|channel| channel.title()).take(8).collect();
        Err(format!("there is no channel '{name}'; there are {}", names.join(", ")))
    }

    /// Advises which fixed resistor suits the chosen divider, by the range that its sensor showed.
    pub(crate) fn advise_resistor(&mut self) {
        let scale = self.scale();
        let is_divider = |step: &Step| matches!(step, Step::Divider(divider) if !divider.back);
        let chosen = self.chosen_part().filter(|(list, at)| *list == PartList::Steps && *at < scale.steps.len());
        let Some(at) = chosen.map(|(_, at)| at).filter(|at| is_divider(&scale.steps[*at])) else {
            return self.say("A is for a divider that turns volts into ohms: choose that step first", true);
        };
        let Step::Divider(divider) = &scale.steps[at] else { return };
        let Some((low, high)) = self.channel().and_then(amber_core::chain::Channel::ends) else {
            return self.say("move the sensor through its range first: nothing was seen of it yet", true);
        };
        let reference = self.reference(self.selected);
        let ohms = [low, high].map(|raw| scale.walk(raw, reference)[at + 1]);
        let (least, most) = (ohms[0].min(ohms[1]), ohms[0].max(ohms[1]));
        let step = scale.upto(at).resolution(self.channel().map_or(1.0, amber_core::chain::Channel::raw_step));
        let mut items = Vec::new();
        for (series, name) in [(ResistorSeries::E12, "E12"), (ResistorSeries::E24, "E24")] {
            for candidate in advise(divider, least, most, step, series, 5) {
                let swing = measured(candidate.swing, 0.001, "V");
                let share = candidate.swing / divider.supply * 100.0;
                items.push((
                    format!("{} {name}", amber_core::digits::si(candidate.fixed, "Ω")),
                    format!(
                        "swings {swing}, {share:.0} % of the supply; a step is {} at the coarsest",
                        amber_core::digits::si(candidate.resolution, "Ω")
                    ),
                ));
            }
        }
        if items.is_empty() {
            return self.say("the sensor has not moved yet: take it through its range, then ask again", true);
        }
        let [least, most] = [least, most].map(|ohms| amber_core::digits::si(ohms, "Ω"));
        let title = format!("fixed resistor for {least} to {most}, as seen so far");
        self.overlays.push(Overlay::Pick(Pick { title, items, chosen: 0, what: Picked::Resistor(at) }));
    }

    /// Takes the resistor that stands at the beginning of `text` into the divider.
    pub(crate) fn take_resistor(&mut self, step: usize, text: &str) {
        let ohms = text.rsplit_once(' ').map_or(text, |(ohms, _)| ohms);
        if let Err(wrong) = self.type_part(PartList::Steps, step as u8, 0, ohms) {
            self.say(wrong, true);
        }
    }

    /// The level that the channel stands in at the right edge of the chart.
    pub(crate) fn settled(&self, id: ChannelId) -> Option<&Level> {
        let end = self.end();
        let levels = self.channel_at(id).levels().found();
        let live = !self.is_held();
        levels.iter().rev().find(|level| level.from <= end && (level.to >= end || (live && level.open)))
    }

    /// Takes what a channel says while it is settled as zero.
    pub(crate) fn zero(&mut self, all: bool) {
        let ids: Vec<ChannelId> = if all { self.channel_ids().collect() } else { vec![self.selected] };
        let taken = self.wall(self.end(), "%Y-%m-%d %H:%M:%S");
        let (mut done, mut moving) = (Vec::new(), Vec::new());
        for id in ids {
            let channel = self.channel_at(id);
            if channel.kind() != amber_core::bench::Kind::Analog || (all && channel.settings().hidden) {
                continue;
            }
            let title = self.title(id);
            let Some(level) = self.settled(id).cloned() else {
                moving.push(title);
                continue;
            };
            let reference = self.reference(id);
            let by = measured(channel.quantity_of(level.mean), channel.resolution(), channel.settings().scale.unit());
            let taken = taken.clone();
            self.with_channel(id, |channel| channel.scale.take_zero(level.mean, reference, taken));
            done.push(format!("{title} ({by}, mean of {})", amber_core::digits::counted(level.count, "row")));
        }
        let shortest = self.shared.levels.seconds;
        match (done.is_empty(), moving.is_empty()) {
            (true, true) => self.say("zero is for analog channels: choose one with Tab", true),
            (true, false) => {
                let what = moving.join(", ");
                self.say(
                    format!("{what}: not settled; zero is the mean of a level, so hold it still for {shortest} s"),
                    true,
                );
            }
            (false, true) => self.say(format!("zero taken: {}; u undoes it", done.join(", ")), false),
            (false, false) => {
                self.say(format!("zero taken: {}; not settled: {}", done.join(", "), moving.join(", ")), true);
            }
        }
    }

    /// Asks for a new channel's name and formula.
    pub(crate) fn ask_new_formula(&mut self) {
        self.overlays.push(Overlay::Prompt(Prompt::new(
            "a channel computed from others",
            "NAME = FORMULA, as in: slope = (gauge_a - gauge_b) / 2",
            "",
            Purpose::NewFormula,
        )));
    }

    /// Adds a computed channel as typed, and selects it.
    ///
    /// # Errors
    /// What is wrong with it, with its column.
    pub(crate) fn type_new_formula(&mut self, text: &str) -> Result<Vec<Effect>, String> {
        let Some((name, formula)) = text.split_once('=') else {
            return Err("type NAME = FORMULA, as in: slope = (gauge_a - gauge_b) / 2".into());
        };
        let name = name.trim();
        if name.is_empty() || ChannelSettings::name_fault(name).is_some() {
            return Err("type a name before the =, without commas and quotes".into());
        }
        let before = text.chars().count() - formula.chars().count();
        let formula = self.sound_formula(formula, before)?;
        let settings = ChannelSettings { formula: Some(formula), ..ChannelSettings::named(name) };
        let index = self.chain_mut().add_computed(settings).map_err(in_a_circle)?;
        self.selected.channel = index;
        Ok(Vec::new())
    }

    /// Takes another formula for the selected channel.
    ///
    /// # Errors
    /// What is wrong with it, with its column.
    pub(super) fn type_formula(&mut self, text: &str) -> Result<(), String> {
        let formula = self.sound_formula(text, 0)?;
        let Some(channel) = self.channel() else { return Ok(()) };
        let settings = ChannelSettings { formula: Some(formula), ..channel.wished().clone() };
        if let Some(circle) = self.chain().circle_with(self.selected.channel, &settings) {
            return Err(in_a_circle(circle));
        }
        self.edit_channel(|channel| *channel = settings);
        Ok(())
    }

    /// A formula whose names all mean channels; columns count from `before` on.
    fn sound_formula(&self, text: &str, before: usize) -> Result<Formula, String> {
        let told = |column: usize, message: &str| format!("column {}: {message}", column + before);
        let lead = text.chars().take_while(|c| c.is_whitespace()).count();
        let program = Program::parse(text).map_err(|error| told(error.column, &error.message))?;
        for input in program.inputs() {
            self.known_channel(&input.name).map_err(|wrong| told(input.column, &wrong))?;
        }
        Formula::new(text).map_err(|error| told(error.column + lead, &error.message))
    }

    /// Lets go of the selected channel, if it is a computed one.
    pub(crate) fn remove_computed(&mut self) {
        let Some(channel) = self.channel() else { return };
        if channel.settings().formula.is_none() {
            return self.say("the board sends this channel: v hides it; X is for computed ones", true);
        }
        let title = channel.title().to_owned();
        let own = self.selected.channel;
        self.chain_mut().remove_computed(own);
        self.selected.channel = self.selected.channel.saturating_sub(1);
        self.say(format!("{title} is gone; u brings it back"), false);
    }
}

fn in_a_circle(circle: String) -> String {
    if circle.contains("needs") { format!("{circle}: nothing can be computed in a circle") } else { circle }
}
