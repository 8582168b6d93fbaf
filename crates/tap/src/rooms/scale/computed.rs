//! Channels that are computed from others by a formula.

use super::super::Effect;
use super::super::help::Page;
use super::super::panel::{Input, Setting};
use super::super::prompt::Prompt;
use crate::session::{Session, in_a_circle};
use amber_core::bench::ChannelSettings;
use amber_core::formula::{Formula, Program};

/// Asks for a new channel's name and formula.
pub(super) fn prompt() -> Prompt {
    let hint = "NAME = FORMULA, as in: slope = (gauge_a - gauge_b) / 2";
    Prompt::new("a channel computed from others", hint, "", |app, text| {
        add(&mut app.session, text)?;
        Ok(Vec::new())
    })
    .with_page(Page::Formulas)
}

/// Adds a computed channel as typed, and selects it.
///
/// # Errors
/// What is wrong with it, with its column.
fn add(session: &mut Session, text: &str) -> Result<(), String> {
    let Some((name, formula)) = text.split_once('=') else {
        return Err("type NAME = FORMULA, as in: slope = (gauge_a - gauge_b) / 2".into());
    };
    let name = name.trim();
    if name.is_empty() || ChannelSettings::name_fault(name).is_some() {
        return Err("type a name before the =, without commas and quotes".into());
    }
    let before = text.chars().count() - formula.chars().count();
    let formula = sound(session, formula, before)?;
    let settings = ChannelSettings { formula: Some(formula), ..ChannelSettings::named(name) };
    let index = session.change_chain(|chain| chain.add_computed(settings)).map_err(in_a_circle)?;
    session.selected.channel = index;
    Ok(())
}

/// A formula whose names all mean channels; columns count from `before` on.
///
/// # Errors
/// What is wrong with it, with its column.
pub(super) fn sound(session: &Session, text: &str, before: usize) -> Result<Formula, String> {
    let told = |column: usize, message: &str| format!("column {}: {message}", column + before);
    let lead = text.chars().take_while(|c| c.is_whitespace()).count();
    let program = Program::parse(text).map_err(|error| told(error.column, &error.message))?;
    for input in program.inputs() {
        session.known_channel(&input.name).map_err(|wrong| told(input.column, &wrong))?;
    }
    Formula::new(text).map_err(|error| told(error.column + lead, &error.message))
}

/// The formula of the selected channel, where it is a computed one.
pub(super) struct FormulaSetting;

impl Setting for FormulaSetting {
    fn name(&self, _: &Session) -> String {
        "formula".into()
    }

    fn help(&self, _: &Session) -> &'static str {
        "computed from other channels; X deletes this channel"
    }

    fn page(&self) -> Option<Page> {
        Some(Page::Formulas)
    }

    fn shown(&self, session: &Session) -> Option<String> {
        Some(session.channel()?.wished().formula.as_ref()?.text().to_owned())
    }

    fn input(&self, session: &Session) -> Input {
        Input::Text(self.shown(session).unwrap_or_default())
    }

    fn set(&self, session: &mut Session, text: &str) -> Result<Vec<Effect>, String> {
        let formula = sound(session, text, 0)?;
        let Some(channel) = session.channel() else { return Ok(Vec::new()) };
        let settings = ChannelSettings { formula: Some(formula), ..channel.wished().clone() };
        session.take_settings(settings)?;
        Ok(Vec::new())
    }

    fn nudge(&self, _: &mut Session, _: i32) -> Vec<Effect> {
        Vec::new()
    }
}

/// Deletes the selected channel, if it is a computed one.
pub(super) fn delete(session: &mut Session) {
    let Some(channel) = session.channel() else { return };
    if channel.settings().formula.is_none() {
        return session.say("the board sends this channel: it can be hidden (2 h); X deletes computed ones", true);
    }
    let title = channel.title().to_owned();
    let own = session.selected.channel;
    session.change_chain(|chain| chain.remove_computed(own));
    session.selected.channel = own.saturating_sub(1);
    session.say(format!("{title} is deleted; u undoes it"), false);
}
