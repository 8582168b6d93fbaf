//! Changing the lists of parts of the selected channel: the steps of its scale, its filters.

use super::super::{App, FieldId, Overlay, PartList, Pick, Picked};
use amber_core::bench::ChannelSettings;
use amber_core::chain::Channel;
use amber_core::part::{Parts, SettingView};
use amber_core::scale::Scale;

impl PartList {
    /// The list in a channel's settings.
    pub(in crate::app) fn of(self, settings: &ChannelSettings) -> &dyn Parts {
        match self {
            PartList::Steps => &settings.scale.steps,
            PartList::Filters => &settings.smooth,
        }
    }

    fn of_mut(self, settings: &mut ChannelSettings) -> &mut dyn Parts {
        match self {
            PartList::Steps => &mut settings.scale.steps,
            PartList::Filters => &mut settings.smooth,
        }
    }

    /// The unit of the value in front of part `at`.
    pub(in crate::app) fn unit_before(self, scale: &Scale, at: usize) -> &str {
        match self {
            PartList::Steps => scale.unit_behind(at.min(scale.steps.len())),
            PartList::Filters => scale.unit(),
        }
    }

    /// The resolution of the value in front of part `at`.
    fn resolution_before(self, channel: &Channel, at: usize) -> f64 {
        let scale = &channel.wished().scale;
        let count = if self == PartList::Steps { at.min(scale.steps.len()) } else { scale.steps.len() };
        scale.upto(count).resolution(channel.raw_step())
    }
}

impl App {
    /// The list of the panel that is open, if it has one.
    fn part_list(&self) -> Option<PartList> {
        PartList::ALL.into_iter().find(|list| self.panel.is_some_and(|(stage, _)| stage == list.stage()))
    }

    /// The part that is selected in the panel.
    pub(super) fn chosen_part(&self) -> Option<(PartList, usize)> {
        let (stage, at) = self.panel?;
        match self.settings(stage).get(at)? {
            FieldId::Part(list, part) | FieldId::PartSetting(list, part, _) => Some((*list, usize::from(*part))),
            _ => None,
        }
    }

    /// A setting of a part of the selected channel, as it is shown.
    pub(super) fn part_setting(&self, list: PartList, part: u8, setting: u8) -> Option<SettingView> {
        let (settings, at) = (self.channel()?.wished(), usize::from(part));
        let parts = list.of(settings);
        let unit = list.unit_before(&settings.scale, at);
        (at < parts.count()).then(|| parts.settings(at, unit).into_iter().nth(usize::from(setting)))?
    }

    /// Takes what was typed for a setting of a part.
    ///
    /// # Errors
    /// What is wrong with it.
    pub(super) fn type_part(&mut self, list: PartList, part: u8, setting: u8, text: &str) -> Result<(), String> {
        let (Some(channel), at) = (self.channel(), usize::from(part)) else { return Ok(()) };
        let mut settings = channel.wished().clone();
        if at < list.of(&settings).count() {
            list.of_mut(&mut settings).set(at, usize::from(setting), text)?;
        }
        self.take_settings(settings)
    }

    /// Moves a setting of a part a little, or to its next choice.
    pub(super) fn nudge_part(&mut self, list: PartList, part: u8, setting: u8, by: i32) {
        let finest = self.channel().map_or(1.0, |channel| list.resolution_before(channel, usize::from(part)));
        self.change_parts(list, |parts| {
            if usize::from(part) < parts.count() {
                parts.nudge(usize::from(part), usize::from(setting), by, finest);
            }
        });
    }

    /// Changes a list of the selected channel; what is wrong with it then is told in the footer, and nothing is changed.
    fn change_parts(&mut self, list: PartList, change: impl FnOnce(&mut dyn Parts)) {
        let Some(channel) = self.channel() else { return };
        let mut settings = channel.wished().clone();
        change(list.of_mut(&mut settings));
        if let Err(wrong) = self.take_settings(settings) {
            self.say(wrong, true);
        }
    }

    /// Lets a new part's kind be chosen.
    pub(crate) fn ask_part(&mut self) {
        let (Some(list), Some(channel)) = (self.part_list(), self.channel()) else { return };
        let parts = list.of(channel.wished());
        if parts.count() >= parts.most() {
            return self.say(format!("there are at most {} {}s", parts.most(), parts.noun()), true);
        }
        let behind = self.chosen_part().map_or(parts.count(), |(_, part)| part + 1);
        let items = parts.kinds().iter().map(|kind| (kind.name.to_owned(), kind.help.to_owned())).collect();
        let title = format!("add {} {}", parts.noun(), behind + 1);
        self.overlays.push(Overlay::Pick(Pick { title, items, chosen: 0, what: Picked::Part(list, behind) }));
    }

    /// Adds a part of this kind at `place`, and selects it.
    pub(crate) fn add_part(&mut self, list: PartList, place: usize, kind: &str) {
        self.change_parts(list, |parts| parts.add(place, kind));
        self.choose_part(list, place);
    }

    /// Selects a part in the panel.
    fn choose_part(&mut self, list: PartList, part: usize) {
        let stage = list.stage();
        let at = self.settings(stage).iter().position(|id| *id == FieldId::Part(list, part as u8));
        if let Some(at) = at {
            self.panel = Some((stage, at));
        }
    }

    /// Does something to the selected part; what is done says where it stands afterwards.
    fn with_part(&mut self, change: impl FnOnce(&mut dyn Parts, usize) -> usize) {
        let Some((list, part)) = self.chosen_part() else {
            return self.say("select one with ↑ and ↓ first", true);
        };
        let mut to = part;
        self.change_parts(list, |parts| to = change(parts, part));
        self.choose_part(list, to);
    }

    pub(crate) fn delete_part(&mut self) {
        self.with_part(|parts, at| {
            parts.delete(at);
            at.min(parts.count().saturating_sub(1))
        });
    }

    pub(crate) fn move_part(&mut self, by: i32) {
        self.with_part(|parts, at| {
            let to = (at as i32 + by).clamp(0, parts.count() as i32 - 1) as usize;
            parts.exchange(at, to);
            to
        });
    }

    /// Bypasses the selected part, to compare, or uses it again.
    pub(crate) fn bypass_part(&mut self) {
        self.with_part(|parts, at| {
            parts.toggle(at);
            at
        });
    }
}
