//! Surveying the selected channel's travel.

use super::super::{App, ChannelId, Effect, Overlay, Prompt, Purpose};
use amber_core::digits::typed;
use amber_core::part::Listed;
use amber_core::scale::{Range, Step};
use amber_core::survey::{Survey, survey};

/// The travel so far.
#[derive(Debug, Default)]
pub(crate) struct Surveying {
    /// The row at which it began.
    from: u64,
    /// The channel that it is of.
    channel: ChannelId,
    pub(crate) found: Option<Survey>,
}

/// The most rows that are looked at.
const MOST: u64 = 100_000;

impl App {
    /// Begins with the next row; in a take, with the first.
    pub(crate) fn begin_survey(&mut self) {
        let rows = self.chain().store().rows();
        let from = if self.is_take() { rows.start } else { rows.end };
        self.surveying = Surveying { from, channel: self.selected, found: None };
        self.follow_survey();
    }

    /// Looks at what came since.
    pub(crate) fn follow_survey(&mut self) {
        if self.surveying.channel != self.selected {
            return self.begin_survey();
        }
        let Some(channel) = self.channel() else { return };
        let rows = self.chain().store().rows();
        let end = rows.end;
        let from = self.surveying.from.max(rows.start).max(end.saturating_sub(MOST));
        let values = (from..end).filter_map(|row| self.chain().store().raw(self.selected.channel, row));
        let noise = channel.levels().noise().deviation().unwrap_or(0.0);
        let found = survey(values, noise, channel.raw_step());
        self.surveying.found = found;
    }

    /// Asks what the travelled range is to become.
    pub(crate) fn ask_range(&mut self) {
        if self.surveying.found.is_none() {
            return self.say("turn it through its whole travel first", true);
        }
        self.overlays.push(Overlay::Prompt(Prompt::new(
            "the travel becomes",
            "two numbers and a unit: 0 100 %, or angles such as -135 135 °",
            "0 100 %",
            Purpose::Travel,
        )));
    }

    /// Takes the travelled range into the scale.
    ///
    /// # Errors
    /// What is wrong with what was typed.
    pub(crate) fn type_range(&mut self, text: &str) -> Result<Vec<Effect>, String> {
        let parts: Vec<&str> = text.split_whitespace().collect();
        let [low, high, unit @ ..] = &parts[..] else {
            return Err("type two numbers and a unit, as in: 0 100 %".into());
        };
        let to = (typed(low)?, typed(high)?);
        let (Some(found), Some(channel)) = (&self.surveying.found, self.channel()) else { return Ok(Vec::new()) };
        let mut scale = channel.wished().scale.clone();
        if matches!(scale.steps.last(), Some(Step::Range(_))) {
            scale.steps.pop();
        }
        let reference = self.reference(self.selected);
        let [a, b] = [found.least, found.most].map(|raw| scale.walk(raw, reference).last().copied().unwrap_or(raw));
        let step: Step = Range { from: (a, b), to, unit: unit.join(" ") }.into();
        if let Some(fault) = step.fault() {
            return Err(fault);
        }
        scale.steps.push(step);
        self.edit_channel(|channel| channel.scale = scale);
        self.axes.clear();
        let title = self.title(self.selected);
        self.say(format!("{title} now goes from {low} to {high} {}; u undoes it, s saves it", unit.join(" ")), false);
        Ok(Vec::new())
    }
}
