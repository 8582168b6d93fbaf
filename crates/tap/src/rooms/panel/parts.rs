//! Lists of parts in panels: the steps of a scale, the filters, the conditions with their tests and answers.

use super::super::list::{Item, List};
use super::setting::{Choice, Input, Setting};
use super::{Effect, Row};
use crate::rooms::RoomId;
use crate::session::Session;
use amber_core::chain::Channel;
use amber_core::part::{Listed, Parts, SettingView};
use amber_core::watch::condition::Test;

/// A list of parts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum PartList {
    /// The steps of the selected channel's scale.
    Steps,
    /// Its filters.
    Filters,
    /// The conditions of the selected source.
    Conditions,
    /// The tests of the selected condition.
    Tests,
    /// Its answers.
    Answers,
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
    /// The list as it is set, where there is one.
    pub(crate) fn of(self, session: &Session) -> Option<&dyn Parts> {
        Some(match self {
            PartList::Steps => &session.channel()?.wished().scale.steps,
            PartList::Filters => &session.channel()?.wished().smooth,
            PartList::Conditions => session.conditions(),
            PartList::Tests => &session.condition()?.test,
            PartList::Answers => &session.condition()?.answer,
        })
    }

    /// Changes the list.
    ///
    /// # Errors
    /// What is wrong with it then; nothing is changed.
    fn change<T>(
        self,
        session: &mut Session,
        change: impl FnOnce(&mut dyn Parts) -> Result<T, String>,
    ) -> Result<Option<T>, String> {
        match self {
            PartList::Steps | PartList::Filters => {
                let Some(channel) = session.channel() else { return Ok(None) };
                let mut settings = channel.wished().clone();
                let done =
                    change(if self == PartList::Steps { &mut settings.scale.steps } else { &mut settings.smooth })?;
                session.take_settings(settings).map(|()| Some(done))
            }
            PartList::Conditions => {
                let mut conditions = session.conditions().clone();
                let done = change(&mut conditions)?;
                session.take_conditions(conditions).map(|()| Some(done))
            }
            PartList::Tests | PartList::Answers => {
                let mut conditions = session.conditions().clone();
                let Some(own) = conditions.get_mut(session.selected_condition) else { return Ok(None) };
                let done = change(if self == PartList::Tests { &mut own.test } else { &mut own.answer })?;
                session.take_conditions(conditions).map(|()| Some(done))
            }
        }
    }

    /// The room in which it stands.
    fn room(self) -> RoomId {
        match self {
            PartList::Steps => RoomId::Scale,
            PartList::Filters => RoomId::Smooth,
            PartList::Conditions | PartList::Tests | PartList::Answers => RoomId::Conditions,
        }
    }

    /// The channel that a test looks at, where it looks at one.
    fn tested(session: &Session, at: usize) -> Option<&Channel> {
        let of = session.condition()?.test.get(at)?.of();
        session.chain().channels().iter().find(|channel| channel.name() == of || channel.title() == of)
    }

    /// The unit of the value in front of part `at`.
    fn unit_before(self, session: &Session, at: usize) -> &str {
        let scale = session.channel().map(|channel| &channel.wished().scale);
        match self {
            PartList::Steps => scale.map_or("", |scale| scale.unit_behind(at.min(scale.steps.len()))),
            PartList::Filters => scale.map_or("", |scale| scale.unit()),
            PartList::Tests => PartList::tested(session, at).map_or("", |channel| channel.settings().scale.unit()),
            PartList::Conditions | PartList::Answers => "",
        }
    }

    /// The resolution of the value in front of part `at`.
    fn resolution_before(self, session: &Session, at: usize) -> f64 {
        let of_channel = |channel: &Channel| {
            let scale = &channel.wished().scale;
            let count = if self == PartList::Steps { at.min(scale.steps.len()) } else { scale.steps.len() };
            scale.upto(count).resolution(channel.raw_step())
        };
        match self {
            PartList::Tests => PartList::tested(session, at).map_or(1e-3, Channel::resolution),
            _ => session.channel().map_or(1.0, of_channel),
        }
    }
}

/// The row of part `at` itself, with `value` unless it is bypassed.
pub(crate) fn head_row(list: PartList, at: usize, value: String, session: &Session) -> Option<Row> {
    let parts = list.of(session)?;
    let head = Row::setting(Part { list, at }, session)?;
    let value = if parts.is_bypassed(at) { head.value.clone() } else { value };
    Some(Row { value, part: Some((list, at)), ..head })
}

/// The rows of the settings of part `at`.
pub(crate) fn setting_rows(list: PartList, at: usize, session: &Session) -> Vec<Row> {
    let Some(parts) = list.of(session).filter(|parts| at < parts.count()) else { return Vec::new() };
    let count = parts.settings(at, list.unit_before(session, at)).len();
    let row = |setting| Row::setting(PartSetting { list, at, setting }, session);
    (0..count).filter_map(row).map(|row| Row { part: Some((list, at)), ..row }).collect()
}

/// The rows of part `at`, which gives `value`: itself, and its settings.
pub(crate) fn part_rows(list: PartList, at: usize, value: String, session: &Session) -> Vec<Row> {
    head_row(list, at, value, session).into_iter().chain(setting_rows(list, at, session)).collect()
}

/// The row that adds a part to a list.
pub(crate) fn add_row(list: PartList, session: &Session) -> Option<Row> {
    Row::setting(Add(list), session)
}

/// Changes a list; what is wrong with it then is told, and nothing is changed.
fn edit(list: PartList, session: &mut Session, change: impl FnOnce(&mut dyn Parts)) {
    let changed = list.change(session, |parts| {
        change(parts);
        Ok(())
    });
    if let Err(wrong) = changed {
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
            to = (at as i32 + by).min(parts.count() as i32 - 1).max(0) as usize;
            parts.exchange(at, to);
        }
        Action::Bypass => parts.toggle(at),
    });
    to.min(list.of(session).map_or(0, |parts| parts.count().saturating_sub(1)))
}

/// Lets a new part's kind be chosen, to stand after part `after`, or at the end.
pub(super) fn ask(list: PartList, after: Option<usize>, session: &mut Session) -> Vec<Effect> {
    let Some(parts) = list.of(session) else {
        session.say("select a condition first: a adds one", true);
        return Vec::new();
    };
    if parts.count() >= parts.most() {
        let told = format!("there are at most {} {}s", parts.most(), parts.noun());
        session.say(told, true);
        return Vec::new();
    }
    let place = after.map_or(parts.count(), |at| at + 1);
    if list == PartList::Conditions {
        // There is one kind of it, and nothing comes true without a test.
        let Some(kind) = parts.kinds().first().map(|kind| kind.name) else { return Vec::new() };
        let count = parts.count();
        add(list, place, kind, session);
        if session.conditions().len() == count {
            return Vec::new();
        }
        session.selected_condition = place;
        return ask(PartList::Tests, None, session);
    }
    let title = format!("add {} {}", parts.noun(), place + 1);
    let item = |kind: &amber_core::part::Kind| {
        let name = kind.name;
        Item::new(name, kind.help, move |app| {
            add(list, place, name, &mut app.session);
            app.bring(list.room());
            app.rooms.select_part(list, place, &mut app.session);
            Vec::new()
        })
    };
    vec![Effect::Choose(List::new(title, parts.kinds().iter().map(item).collect(), 0))]
}

fn add(list: PartList, place: usize, kind: &str, session: &mut Session) {
    // A test begins with what the selected channel says now.
    let beginning = session.channel().map(|channel| {
        let now = session.snapshot.of(session.selected);
        let value = now.reading.map_or(f64::NAN, |reading| reading.smoothed);
        let noise = now.noise.map_or(0.0, |noise| noise.deviation);
        (channel.title().to_owned(), value, noise, channel.decimals())
    });
    match (list, beginning) {
        (PartList::Tests, Some((title, value, noise, decimals))) => {
            let mut conditions = session.conditions().clone();
            let fresh = Test::of_kind(kind).map(|test| test.begun(&title, value, noise, decimals));
            if let (Some(own), Some(test)) = (conditions.get_mut(session.selected_condition), fresh) {
                own.test.insert(place.min(own.test.len()), test);
            }
            if let Err(wrong) = session.take_conditions(conditions) {
                session.say(wrong, true);
            }
        }
        _ => edit(list, session, |parts| parts.add(place, kind)),
    }
}

/// A part itself: whether it is bypassed.
struct Part {
    list: PartList,
    at: usize,
}

impl Setting for Part {
    fn name(&self, session: &Session) -> String {
        let parts = self.list.of(session).filter(|parts| self.at < parts.count());
        format!("{} {}", self.at + 1, parts.map_or("", |parts| parts.kind(self.at)))
    }

    fn help(&self, _: &Session) -> &'static str {
        "←→ bypass it, or use it; a adds one after it, x deletes it, < > move it"
    }

    fn shown(&self, session: &Session) -> Option<String> {
        let parts = self.list.of(session)?;
        (self.at < parts.count()).then(|| if parts.is_bypassed(self.at) { "bypassed" } else { "in use" }.into())
    }

    fn input(&self, session: &Session) -> Input {
        let parts = self.list.of(session).filter(|parts| self.at < parts.count());
        let bypassed = parts.is_some_and(|parts| parts.is_bypassed(self.at));
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
        let parts = self.list.of(session)?;
        let unit = self.list.unit_before(session, self.at);
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
        self.list.change(session, |parts| match parts.count() {
            count if self.at < count => parts.set(self.at, self.setting, text),
            _ => Ok(()),
        })?;
        Ok(Vec::new())
    }

    fn nudge(&self, session: &mut Session, by: i32) -> Vec<Effect> {
        let finest = self.list.resolution_before(session, self.at);
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
        let noun = self.0.of(session).map_or("part", |parts| parts.noun());
        let article = if noun.starts_with('a') { "an" } else { "a" };
        format!("+ add {article} {noun}")
    }

    fn help(&self, _: &Session) -> &'static str {
        "a adds one after the selected one; x deletes, < > move, p bypasses to compare"
    }

    fn shown(&self, session: &Session) -> Option<String> {
        self.0.of(session).map(|_| String::new())
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
