//! A setting is one value: its name, its help, its range, and how it is read, typed, chosen from a list and nudged. The
//! panel, the finder and the help are made from it. Changes go through the session, so that they can be undone.

use super::super::help::Page;
use super::super::list::{Item, List};
use super::super::prompt::Prompt;
use super::Effect;
use crate::session::Session;
use std::rc::Rc;

/// A setting, alone or one of a part.
pub(crate) trait Setting {
    /// What it is title: a noun.
    fn name(&self, session: &Session) -> String;

    /// What it means.
    fn help(&self, session: &Session) -> &'static str;

    /// Its value as it is shown; nothing where it does not apply.
    fn shown(&self, session: &Session) -> Option<String>;

    /// What it can be, in words with the unit; empty for a text.
    fn range(&self, _session: &Session) -> String {
        String::new()
    }

    /// The page of the help that tells what can be typed.
    fn page(&self) -> Option<Page> {
        None
    }

    /// How it is changed.
    fn input(&self, session: &Session) -> Input;

    /// Takes what was typed, or the name of the choice.
    ///
    /// # Errors
    /// What is wrong with it, in a sentence; nothing is changed then.
    fn set(&self, session: &mut Session, text: &str) -> Result<Vec<Effect>, String>;

    /// Moves it a little up (1) or down (-1), or to its next choice.
    fn nudge(&self, session: &mut Session, by: i32) -> Vec<Effect>;
}

/// How a setting is changed.
pub(crate) enum Input {
    /// It is typed; this is offered.
    Text(String),
    /// One of these is chosen; the place of the one that is set.
    Choice(Vec<Choice>, usize),
    /// It is done at once.
    Press,
}

/// One of the things that a setting can be.
pub(crate) struct Choice {
    pub(crate) name: String,
    /// What it means; empty where the name says all.
    pub(crate) about: String,
}

impl Choice {
    pub(crate) fn new(name: impl Into<String>, about: impl Into<String>) -> Choice {
        Choice { name: name.into(), about: about.into() }
    }
}

/// Edits a setting that stands alone.
pub(crate) fn ask_for(setting: &'static SingleSetting, session: &mut Session) -> Vec<Effect> {
    let setting: Rc<dyn Setting> = Rc::new(setting);
    edit(&setting, session)
}

/// Edits a setting: asks for it, lets it be chosen, or does it.
pub(super) fn edit(setting: &Rc<dyn Setting>, session: &mut Session) -> Vec<Effect> {
    let name = setting.name(session).trim().to_owned();
    let own = setting.clone();
    match setting.input(session) {
        Input::Press => setting.nudge(session, 1),
        Input::Text(offered) => {
            let range = setting.range(session);
            let range = if range.is_empty() { String::new() } else { format!("; {range}") };
            let hint = format!("{}{range}", setting.help(session));
            let page = setting.page();
            let prompt = Prompt::new(name, hint, offered, move |app, text| own.set(&mut app.session, text.trim()));
            vec![Effect::Ask(Prompt { page, ..prompt })]
        }
        // Two of a kind need no list.
        Input::Choice(choices, now) if choices.len() == 2 => {
            let other = choices.into_iter().nth(1 - now.min(1)).map(|other| other.name);
            other.map_or_else(Vec::new, |other| told(setting.set(session, &other), session))
        }
        Input::Choice(choices, now) => {
            let item = |choice: Choice| {
                let (own, name) = (own.clone(), choice.name.clone());
                Item::new(choice.name, choice.about, move |app| {
                    let set = own.set(&mut app.session, &name);
                    told(set, &mut app.session)
                })
            };
            vec![Effect::Choose(List::new(name, choices.into_iter().map(item).collect(), now))]
        }
    }
}

fn told(set: Result<Vec<Effect>, String>, session: &mut Session) -> Vec<Effect> {
    set.unwrap_or_else(|wrong| {
        session.say(wrong, true);
        Vec::new()
    })
}

/// A setting that stands alone, rather than one of a part.
pub(crate) struct SingleSetting {
    pub(crate) name: &'static str,
    pub(crate) help: &'static str,
    /// What it can be, in words with the unit; empty for a text or a choice.
    pub(crate) range: &'static str,
    /// Its key in a bench file, with the tables that it stands in; empty where it is not kept there.
    pub(crate) key: &'static str,
    /// Its value as it is shown; nothing where it does not apply.
    pub(crate) shown: fn(&Session) -> Option<String>,
    pub(crate) way: Way,
}

/// How a setting that stands alone is read and changed.
pub(crate) enum Way {
    /// It is typed.
    Typed {
        /// As it would be typed.
        text: fn(&Session) -> String,
        /// Takes what was typed.
        set: fn(&mut Session, &str) -> Result<Vec<Effect>, String>,
        /// Moves it.
        nudge: fn(&mut Session, i32) -> Vec<Effect>,
    },
    /// It is one of a few.
    Chosen {
        choices: fn(&Session) -> Vec<Choice>,
        /// The place of the one that is set.
        now: fn(&Session) -> usize,
        /// Chooses one by its place.
        choose: fn(&mut Session, usize) -> Vec<Effect>,
    },
    /// It is done at once.
    Pressed(fn(&mut Session) -> Vec<Effect>),
}

impl Setting for &'static SingleSetting {
    fn name(&self, _: &Session) -> String {
        self.name.into()
    }

    fn help(&self, _: &Session) -> &'static str {
        self.help
    }

    fn shown(&self, session: &Session) -> Option<String> {
        (self.shown)(session)
    }

    fn range(&self, _: &Session) -> String {
        self.range.into()
    }

    fn input(&self, session: &Session) -> Input {
        match &self.way {
            Way::Typed { text, .. } => Input::Text(text(session)),
            Way::Chosen { choices, now, .. } => Input::Choice(choices(session), now(session)),
            Way::Pressed(_) => Input::Press,
        }
    }

    fn set(&self, session: &mut Session, text: &str) -> Result<Vec<Effect>, String> {
        match &self.way {
            Way::Typed { set, .. } => set(session, text),
            Way::Chosen { choices, choose, .. } => {
                let names: Vec<String> = choices(session).into_iter().map(|choice| choice.name).collect();
                let place = names.iter().position(|name| name == text);
                let place = place.ok_or_else(|| format!("{} is one of: {}", self.name, names.join(", ")))?;
                Ok(choose(session, place))
            }
            Way::Pressed(press) => Ok(press(session)),
        }
    }

    fn nudge(&self, session: &mut Session, by: i32) -> Vec<Effect> {
        match &self.way {
            Way::Typed { nudge, .. } => nudge(session, by),
            Way::Chosen { choices, now, choose } => {
                let count = choices(session).len().max(1) as i32;
                let next = (now(session) as i32 + by).rem_euclid(count) as usize;
                choose(session, next)
            }
            Way::Pressed(press) => press(session),
        }
    }
}

/// The same as [`amber_core::part::along`], with nothing before the first entry.
pub(crate) fn number_along<T: Copy + PartialOrd>(list: &[T], now: Option<T>, step: i32) -> Option<T> {
    match now {
        None if step > 0 => list.first().copied(),
        None => None,
        Some(now) if step < 0 && list.iter().all(|v| *v >= now) => None,
        Some(now) => Some(amber_core::part::along(list, now, step)),
    }
}
