//! The panel of stage 1: how the source is opened, what arrives from it, and when.

mod facts;
mod settings;

use super::panel::{Row, SingleSetting, StagePanel};
use super::{Effect, RoomId};
use crate::keys::{Binding, NONE, keys};
use crate::session::{LinkOrder, Request, Session, Source, Stage, name_of};
use amber_io::LinkState;
use crossterm::event::KeyCode::Char;

/// Stage 1.
#[derive(Debug, Default)]
pub(crate) struct Wire;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Lines,
    NextSource,
    FindBaud,
    Reset,
    Lend,
}

impl StagePanel for Wire {
    type Action = Action;
    const STAGE: Stage = Stage::Wire;
    const HELP: &'static str = "port, baud rate, what arrives and when";
    const KEYS: &'static [Binding<Action>] = keys! {
        [(Char('l'), NONE)], Action::Lines, "l", "read the wire's lines", Some("l lines");
        [(Char('L'), NONE)], Action::Lend, "L", "lend the port to another program, or take it back", Some("L lend");
        [(Char('R'), NONE)], Action::Reset, "R", "reset the board", None;
        [(Char('B'), NONE)], Action::FindBaud, "B", "detect the baud rate by listening", None;
        [(Char('\\'), NONE)], Action::NextSource, "\\", "select the next source, where several are watched", None;
    };

    fn settings() -> Vec<&'static SingleSetting> {
        settings::LINE.iter().chain(&settings::PACE).chain(&settings::TIME).collect()
    }

    fn rows(&self, session: &Session) -> Vec<Row> {
        let mut rows = Vec::new();
        if let Source::Take(take) = session.source() {
            rows.push(Row::fact("take", name_of(&take.folder)));
        }
        rows.extend(Row::settings(&settings::LINE, session));
        if let Source::Live { link } = session.source() {
            rows.extend(facts::link(session, link));
        }
        rows.extend(Row::settings(&settings::PACE, session));
        rows.push(Row::blank());
        rows.extend(Row::settings(&settings::TIME, session));
        rows.extend(facts::spacing(session));
        rows.push(Row::blank());
        rows.extend(facts::bytes_received(session));
        rows
    }

    fn act(&mut self, action: Action, _: Option<&Row>, session: &mut Session) -> Vec<Effect> {
        match action {
            Action::Lines => return vec![Effect::Show(RoomId::Lines)],
            Action::NextSource => session.select_next_source(),
            Action::FindBaud | Action::Reset | Action::Lend if session.is_take() => {
                session.say("this is a take: there is no port", true);
            }
            Action::FindBaud => {
                if session.chain().settings().wire.baud.is_some() {
                    session.change_chain(|chain| chain.edit_wire(|wire| wire.baud = None));
                }
                return vec![Request::Tell(session.place(), LinkOrder::FindBaud).into()];
            }
            Action::Reset => return vec![Request::Tell(session.place(), LinkOrder::Reset).into()],
            Action::Lend => return vec![lend_or_take_back(session).into()],
        }
        Vec::new()
    }
}

/// Lends the port to another program, or takes it back.
fn lend_or_take_back(session: &mut Session) -> Request {
    if matches!(session.source(), Source::Live { link: LinkState::Lent { .. } }) {
        return Request::Tell(session.place(), LinkOrder::TakeBack);
    }
    let back = session.takes_back();
    let how = if back { "it is taken back when another program has used it, or with 1 L" } else { "1 L takes it back" };
    session.say(format!("the port is free for another program: {how}"), false);
    Request::Tell(session.place(), LinkOrder::Lend { back })
}
