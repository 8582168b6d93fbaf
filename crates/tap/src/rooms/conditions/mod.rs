//! The conditions of the selected source: their list, the tests and answers of the selected one, and how it stands.

use super::panel::{PartList, Row, SingleSetting, StagePanel, add_row, head_row, setting_rows};
use super::{Effect, RoomId, outside};
use crate::keys::{Binding, NONE, keys};
use crate::session::{Session, Stage};
use amber_core::digits::counted;
use amber_core::part::Listed;
use amber_core::watch::condition::Event;
use crossterm::event::KeyCode::Char;

/// The conditions.
#[derive(Debug, Default)]
pub(crate) struct Conditions;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Arm,
    Events,
}

impl StagePanel for Conditions {
    type Action = Action;
    const STAGE: Stage = Stage::Watch;
    const NAME: &'static str = "conditions";
    const HELP: &'static str = "what is watched for, and what is done when it comes true";
    const KEYS: &'static [Binding<Action>] = keys! {
        [(Char('A'), NONE)], Action::Arm, "A", "allow sending at events, or forbid it", Some("A arm");
        [(Char('E'), NONE)], Action::Events, "E", "the list of events", Some("E events");
    };
    const PARTS: Option<PartList> = Some(PartList::Conditions);

    fn settings() -> Vec<&'static SingleSetting> {
        Vec::new()
    }

    fn rows(&self, session: &Session) -> Vec<Row> {
        let conditions = session.conditions();
        let mut rows = Vec::new();
        if session.sources() > 1 {
            rows.push(Row::fact("source", session.source_names().swap_remove(session.place())));
        }
        let states: Vec<_> = session.chain().conditions().states().collect();
        for at in 0..conditions.len() {
            let state = states.get(at).map_or_else(String::new, |state| {
                let is_on = match state.is_on {
                    Some(true) => "true",
                    Some(false) => "false",
                    None => "not decided",
                };
                format!("{is_on}, {}", counted(state.events, "event"))
            });
            let head = head_row(PartList::Conditions, at, state, session);
            let mark = if at == session.selected_condition { "▸ " } else { "  " };
            rows.extend(head.map(|row| Row { name: format!("{mark}{}", row.name), ..row }));
        }
        rows.extend(add_row(PartList::Conditions, session));
        for trouble in session.chain().conditions().troubles() {
            rows.extend(Row::text("", &trouble));
        }
        let Some(condition) = session.condition() else {
            let text = "a condition is watched for in every row: above a threshold, changing fast, silent and more; each \
                        time that it comes true is an event";
            rows.extend(Row::text("", text));
            return rows;
        };
        rows.push(Row::blank());
        rows.extend(setting_rows(PartList::Conditions, session.selected_condition, session));
        let unit = |of: &str| {
            let channel = session.channel_of(of).map(|id| session.channel_at(id).settings().scale.unit());
            channel.unwrap_or("").to_owned()
        };
        rows.extend(Row::text("", &condition.in_words(unit)));
        rows.push(Row::fact("tests", ""));
        for at in 0..condition.test.len() {
            rows.extend(head_row(PartList::Tests, at, String::new(), session));
            rows.extend(setting_rows(PartList::Tests, at, session));
        }
        rows.extend(add_row(PartList::Tests, session));
        rows.push(Row::fact("answers", ""));
        for (at, answer) in condition.answer.iter().enumerate() {
            let value = if answer.is_bypassed() { String::new() } else { answer.in_words() };
            rows.extend(head_row(PartList::Answers, at, value, session));
            rows.extend(setting_rows(PartList::Answers, at, session));
        }
        rows.extend(add_row(PartList::Answers, session));
        rows.push(Row::blank());
        rows.extend(stands(session));
        rows
    }

    fn act(&mut self, action: Action, _: Option<&Row>, session: &mut Session) -> Vec<Effect> {
        match action {
            Action::Arm => outside(session.toggle_armed()),
            Action::Events => vec![Effect::Show(RoomId::Events)],
        }
    }
}

/// How the selected condition stands at the moment, and what was sent.
fn stands(session: &Session) -> Vec<Row> {
    let (moment, place) = (session.viewport.end, session.selected_condition);
    let own = |event: &&Event| event.condition == place && event.at <= moment;
    let mut rows = Vec::new();
    if let Some(last) = session.chain().events().iter().rev().find(own) {
        rows.push(Row::fact("last event", session.when(last.at, "%H:%M:%S%.3f")));
        let goes_on = last.ended.is_none_or(|ended| ended > moment);
        let seconds = last.ended.filter(|_| !goes_on).unwrap_or(moment).seconds_since(last.began);
        rows.push(Row::fact(if goes_on { "true for" } else { "it lasted" }, session.across().length(seconds)));
        let lengths = session.chain().events().iter().filter(own).filter_map(Event::seconds);
        let ends = lengths.fold(None, |ends: Option<(f64, f64)>, s| {
            Some(ends.map_or((s, s), |(shortest, longest)| (shortest.min(s), longest.max(s))))
        });
        if let Some((shortest, longest)) = ends {
            rows.push(Row::fact(
                "shortest, longest",
                format!("{}, {}", session.across().length(shortest), session.across().length(longest)),
            ));
        }
    }
    rows.push(Row::fact("sending", if session.is_armed() { "ARMED" } else { "off (A arms it)" }));
    rows.extend(session.sendings().map(|text| Row::text("", &text)).unwrap_or_default());
    if session.answers.missed > 0 {
        rows.extend(Row::text(
            "",
            &format!("{} came too fast to be answered", counted(session.answers.missed, "event")),
        ));
    }
    rows
}
