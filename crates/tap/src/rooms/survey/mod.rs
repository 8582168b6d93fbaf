//! Surveying the selected channel's travel.

mod view;

use super::prompt::Prompt;
use super::{About, Effect, Follow, Place, Room, listed};
use crate::keys::{Binding, Key, NONE, keys};
use crate::session::{ChannelId, Session};
use crate::theme::Theme;
use amber_core::digits::typed;
use amber_core::part::Listed;
use amber_core::scale::{Range, Step};
use amber_core::survey::{Survey as Found, survey};
use crossterm::event::KeyCode::{Char, Enter, Esc};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The travel so far.
#[derive(Debug, Default)]
pub(crate) struct Survey {
    /// The row at which it began.
    from: u64,
    /// The channel that it is of.
    channel: ChannelId,
    found: Option<Found>,
}

/// The most rows that are looked at.
const MOST: u64 = 100_000;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Type,
    Again,
    Close,
}

const KEYS: &[Binding<Action>] = keys! {
    [(Enter, NONE)], Action::Type, "Enter", "map the travel to 0 to 100 %, or to typed ends", Some("Enter map the travel"), channel;
    [(Char('x'), NONE)], Action::Again, "x", "begin again", Some("x again"), channel;
    [(Esc, NONE)], Action::Close, "Esc", "close", Some("Esc close");
};

impl Room for Survey {
    type Action = Action;
    const ABOUT: About = About {
        name: "survey",
        help: "what a knob or lever reaches, leaves out and jumps over",
        place: Place::Side(62),
    };

    fn bindings() -> Vec<(&'static Key, Action)> {
        listed(KEYS)
    }

    fn open(&mut self, session: &mut Session) -> Result<(), String> {
        self.begin(session);
        Ok(())
    }

    fn act(&mut self, action: Action, session: &mut Session) -> Vec<Effect> {
        match action {
            Action::Type => return self.ask_ends(session),
            Action::Again => self.begin(session),
            Action::Close => return vec![Effect::Close],
        }
        Vec::new()
    }

    fn follow(&mut self, session: &mut Session, time: Follow) -> bool {
        if time.is_open && time.refreshed {
            self.look(session);
        }
        false
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        view::draw(self, session, theme, area, buffer);
    }
}

impl Survey {
    /// Begins with the next row; in a take, with the first.
    fn begin(&mut self, session: &Session) {
        let rows = session.chain().store().rows();
        let from = if session.is_take() { rows.start } else { rows.end };
        *self = Survey { from, channel: session.selected, found: None };
        self.look(session);
    }

    /// Looks at what came since.
    fn look(&mut self, session: &Session) {
        if self.channel != session.selected {
            return self.begin(session);
        }
        let Some(channel) = session.channel() else { return };
        let rows = session.chain().store().rows();
        let end = rows.end;
        let from = self.from.max(rows.start).max(end.saturating_sub(MOST));
        let values = (from..end).filter_map(|row| session.chain().store().raw(session.selected.channel, row));
        let noise = channel.levels().white_noise().map_or(0.0, |noise| noise.deviation);
        self.found = survey(values, noise, channel.raw_step());
    }

    /// Asks what the travelled range is to become.
    fn ask_ends(&self, session: &mut Session) -> Vec<Effect> {
        if self.found.is_none() {
            session.say("turn it through its whole travel first", true);
            return Vec::new();
        }
        vec![Effect::Ask(Prompt::new(
            "map the travel to",
            "two numbers and a unit: 0 100 %, or angles such as -135 135 °",
            "0 100 %",
            |app, text| {
                app.rooms.survey.take_ends(text, &mut app.session)?;
                Ok(Vec::new())
            },
        ))]
    }

    /// Adds the travelled range to the scale.
    ///
    /// # Errors
    /// What is wrong with what was typed.
    fn take_ends(&mut self, text: &str, session: &mut Session) -> Result<(), String> {
        let parts: Vec<&str> = text.split_whitespace().collect();
        let [low, high, unit @ ..] = &parts[..] else {
            return Err("type two numbers and a unit, as in: 0 100 %".into());
        };
        let to = (typed(low)?, typed(high)?);
        let (Some(found), Some(channel)) = (&self.found, session.channel()) else { return Ok(()) };
        let mut scale = channel.wished().scale.clone();
        if matches!(scale.steps.last(), Some(Step::Range(_))) {
            scale.steps.pop();
        }
        let reference = session.reference(session.selected);
        let [a, b] = [found.least, found.most].map(|raw| scale.walk(raw, reference).last().copied().unwrap_or(raw));
        let step: Step = Range { from: (a, b), to, unit: unit.join(" ") }.into();
        if let Some(fault) = step.fault() {
            return Err(fault);
        }
        scale.steps.push(step);
        let threshold = session.edit_channel(|channel| channel.scale = scale);
        let threshold = threshold.map_or(String::new(), |told| format!("; {told}"));
        session.lane_axes.clear();
        let (title, unit) = (session.title(session.selected), unit.join(" "));
        session.say(format!("{title} now goes from {low} to {high} {unit}{threshold}; u undoes it, s saves it"), false);
        Ok(())
    }
}
