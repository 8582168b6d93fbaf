//! Lists of parts in the panels of scale and smooth: the steps of a scale, the filters.

use super::super::list::{Item, List};
use super::setting::{Choice, Input, Setting};
use super::{Effect, Row};
use crate::rooms::RoomId;
use crate::session::Session;
use amber_core::bench::ChannelSettings;
use amber_core::chain::Channel;
use amber_core::part::{Parts, SettingView};
use amber_core::scale::Scale;

/// A list of parts in a channel's settings.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum PartList {
    /// The steps of its scale.
    Steps,
    /// Its filters.
    Filters,
}

/// What is done to a list of parts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Add,
    Delete,
    Up,
    Down,
    Bypass,
}

impl PartList {
    /// The list in a channel's settings.
    pub(crate) fn of(self, settings: &ChannelSettings) -> &dyn Parts {
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
    fn unit_before(self, scale: &Scale, at: usize) -> &str {
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

/// The rows of part `at`, which gives `value`: itself, and its settings.
pub(crate) fn part_rows(list: PartList, at: usize, value: String, session: &Session) -> Vec<Row> {
    let Some(settings) = session.channel().map(|channel| channel.wished()) else { return Vec::new() };
    let parts = list.of(settings);
    let head = Part { list, at };
    let mut rows: Vec<Row> = Row::setting(head, session).into_iter().collect();
    if let Some(head) = rows.first_mut()
        && !parts.is_bypassed(at)
    {
        head.value = value;
    }
    let unit = list.unit_before(&settings.scale, at);
    for setting in 0..parts.settings(at, unit).len() {
        rows.extend(Row::setting(PartSetting { list, at, setting }, session));
    }
    rows.into_iter().map(|row| Row { part: Some(at), ..row }).collect()
}

/// The row that adds a part to a list.
pub(crate) fn add_row(list: PartList, session: &Session) -> Option<Row> {
    Row::setting(Add(list), session)
}

/// The selected channel's settings with a list changed; what is wrong with it then is told, and nothing is changed.
fn edit(list: PartList, session: &mut Session, change: impl FnOnce(&mut dyn Parts)) {
    let Some(channel) = session.channel() else { return };
    let mut settings = channel.wished().clone();
    change(list.of_mut(&mut settings));
    if let Err(wrong) = session.take_settings(settings) {
        session.say(wrong, true);
    }
}

/// Does something to the part at `at`; gives the place of the part that is to be selected then.
pub(super) fn change(list: PartList, action: Action, at: usize, session: &mut Session) -> usize {
    let mut to = at;
    edit(list, session, |parts| match action {
        Action::Add => {}
        Action::Delete => {
            parts.delete(at);
            to = at.min(parts.count().saturating_sub(1));
        }
        Action::Up | Action::Down => {
            let by = if action == Action::Up { -1 } else { 1 };
            to = (at as i32 + by).clamp(0, parts.count() as i32 - 1) as usize;
            parts.exchange(at, to);
        }
        Action::Bypass => parts.toggle(at),
    });
    to
}

/// Lets a new part's kind be chosen, to stand after part `after`, or at the end.
pub(super) fn ask(list: PartList, after: Option<usize>, session: &mut Session) -> Vec<Effect> {
    let Some(channel) = session.channel() else { return Vec::new() };
    let parts = list.of(channel.wished());
    if parts.count() >= parts.most() {
        let told = format!("there are at most {} {}s", parts.most(), parts.noun());
        session.say(told, true);
        return Vec::new();
    }
    let place = after.map_or(parts.count(), |at| at + 1);
    let item = |kind: &amber_core::part::Kind| {
        let name = kind.name;
        Item::new(name, kind.help, move |app| {
            edit(list, &mut app.session, |parts| parts.add(place, name));
            match list {
                PartList::Steps => app.rooms.scale.select_part(place, &mut app.session),
                PartList::Filters => app.rooms.smooth.select_part(place, &mut app.session),
            }
            app.bring(if list == PartList::Steps { RoomId::Scale } else { RoomId::Smooth });
            Vec::new()
        })
    };
    let items = parts.kinds().iter().map(item).collect();
    vec![Effect::Choose(List::new(format!("add {} {}", parts.noun(), place + 1), items, 0))]
}

/// A part itself: whether it is bypassed.
struct Part {
    list: PartList,
    at: usize,
}

impl Setting for Part {
    fn name(&self, session: &Session) -> String {
        let kind = session.channel().map_or("", |channel| self.list.of(channel.wished()).kind(self.at));
        format!("{} {kind}", self.at + 1)
    }

    fn help(&self, _: &Session) -> &'static str {
        "←→ bypass it, or use it; a adds one after it, x deletes it, < > move it"
    }

    fn shown(&self, session: &Session) -> Option<String> {
        let parts = self.list.of(session.channel()?.wished());
        (self.at < parts.count()).then(|| if parts.is_bypassed(self.at) { "bypassed" } else { "in use" }.into())
    }

    fn input(&self, session: &Session) -> Input {
        let bypassed = session.channel().is_some_and(|channel| self.list.of(channel.wished()).is_bypassed(self.at));
        Input::Choice(vec![Choice::new("in use", ""), Choice::new("bypassed", "")], usize::from(bypassed))
    }

    fn set(&self, session: &mut Session, _: &str) -> Result<Vec<Effect>, String> {
        Ok(self.nudge(session, 1))
    }

    fn nudge(&self, session: &mut Session, _: i32) -> Vec<Effect> {
        change(self.list, Action::Bypass, self.at, session);
        Vec::new()
    }
}

/// A setting of a part.
struct PartSetting {
    list: PartList,
    at: usize,
    setting: usize,
}

impl PartSetting {
    fn view(&self, session: &Session) -> Option<SettingView> {
        let settings = session.channel()?.wished();
        let parts = self.list.of(settings);
        let unit = self.list.unit_before(&settings.scale, self.at);
        (self.at < parts.count()).then(|| parts.settings(self.at, unit).into_iter().nth(self.setting))?
    }
}

impl Setting for PartSetting {
    fn name(&self, session: &Session) -> String {
        format!("    {}", self.view(session).map_or("", |view| view.name))
    }

    fn help(&self, session: &Session) -> &'static str {
        self.view(session).map_or("", |view| view.help)
    }

    fn shown(&self, session: &Session) -> Option<String> {
        Some(self.view(session)?.shown)
    }

    fn range(&self, session: &Session) -> String {
        self.view(session).map_or(String::new(), |view| view.range)
    }

    fn input(&self, session: &Session) -> Input {
        match self.view(session) {
            Some(view) if view.is_choice => Input::Press,
            Some(view) => Input::Text(view.typed),
            None => Input::Press,
        }
    }

    fn set(&self, session: &mut Session, text: &str) -> Result<Vec<Effect>, String> {
        let Some(channel) = session.channel() else { return Ok(Vec::new()) };
        let mut settings = channel.wished().clone();
        if self.at < self.list.of(&settings).count() {
            self.list.of_mut(&mut settings).set(self.at, self.setting, text)?;
        }
        session.take_settings(settings)?;
        Ok(Vec::new())
    }

    fn nudge(&self, session: &mut Session, by: i32) -> Vec<Effect> {
        let finest = session.channel().map_or(1.0, |channel| self.list.resolution_before(channel, self.at));
        edit(self.list, session, |parts| {
            if self.at < parts.count() {
                parts.nudge(self.at, self.setting, by, finest);
            }
        });
        Vec::new()
    }
}

/// Adding a part.
struct Add(PartList);

impl Setting for Add {
    fn name(&self, session: &Session) -> String {
        let noun = session.channel().map_or("part", |channel| self.0.of(channel.wished()).noun());
        format!("+ add a {noun}")
    }

    fn help(&self, _: &Session) -> &'static str {
        "a adds one after the selected one; x deletes, < > move, p bypasses to compare"
    }

    fn shown(&self, session: &Session) -> Option<String> {
        session.channel().map(|_| String::new())
    }

    fn input(&self, _: &Session) -> Input {
        Input::Press
    }

    fn set(&self, session: &mut Session, _: &str) -> Result<Vec<Effect>, String> {
        Ok(self.nudge(session, 1))
    }

    fn nudge(&self, session: &mut Session, _: i32) -> Vec<Effect> {
        ask(self.0, None, session)
    }
}
