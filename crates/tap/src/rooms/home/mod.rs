//! The keys that work on the main screen, in every view and beside every panel: what people do with one hand at the
//! bench, and the ways to all the rest.

mod axis;

use super::{About, Effect, Place, Room, RoomId, finder, keep, listed, outside, quit};
use crate::keys::{Binding, CTRL, Key, NONE, keys};
use crate::rooms::prompt::Prompt;
use crate::session::{Request, Session, Stage, Taking};
use crate::theme::Theme;
use amber_io::take::Mark;
use crossterm::event::KeyCode::{BackTab, Char, Down, End, F, Home as HomeKey, Left, PageDown, PageUp, Right, Tab, Up};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The main screen's keys.
#[derive(Debug, Default)]
pub(crate) struct Home;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Panel(Stage),
    Hold,
    Take,
    Mark,
    Zero,
    NextChannel,
    PreviousChannel,
    ZoomIn,
    ZoomOut,
    Earlier,
    Later,
    PageEarlier,
    PageLater,
    Oldest,
    Newest,
    Large,
    Views,
    Finder,
    Talk,
    Axis,
    Undo,
    Redo,
    Save,
    Help,
    Quit,
}

use Action as A;

const KEYS: &[Binding<Action>] = keys! {
    [(Char('1'), NONE)], A::Panel(Stage::Wire), "1", "wire: port, baud rate, what arrives", None;
    [(Char('2'), NONE)], A::Panel(Stage::Split), "2", "split: how lines become fields, what was rejected", None;
    [(Char('3'), NONE)], A::Panel(Stage::Scale), "3", "scale: count to volts to quantity; calibrate, survey, check-up", None;
    [(Char('4'), NONE)], A::Panel(Stage::Smooth), "4", "smooth: less noise, and the delay it costs", None;
    [(Char('5'), NONE)], A::Panel(Stage::Watch), "5", "watch: a threshold and its crossings, levels", None;
    [(Char('6'), NONE)], A::Panel(Stage::Keep), "6", "keep: takes, marks, figures, bench, folders", Some("1-6 stages");
    [(Char('/'), NONE)], A::Finder, "/", "find by typing: any action, setting, channel, view, mark", Some("/ find");
    [(Char('v'), NONE)], A::Views, "v", "the views: chart, table, lines, number, dial", Some("v views");
    [(Char(' '), NONE)], A::Hold, "Space", "hold the picture, or release it; counting goes on", Some("Space hold");
    [(Char('t'), NONE)], A::Take, "t", "start a take, or end it", Some("t take");
    [(Char('m'), NONE)], A::Mark, "m", "set a mark with a note", Some("m mark");
    [(Char('z'), NONE)], A::Zero, "z", "zero: the settled value of the channel counts as 0", Some("z zero"), channel;
    [(Tab, NONE), (Down, NONE)], A::NextChannel, "Tab", "next channel (also ↓)", Some("Tab channel"), channel;
    [(BackTab, NONE), (Up, NONE)], A::PreviousChannel, "Shift-Tab", "previous channel (also ↑)", None, channel;
    [(Char('n'), NONE)], A::Large, "n", "the channel's number as large as the screen", Some("n large");
    [(Char('+'), NONE), (Char('='), NONE)], A::ZoomIn, "+", "zoom in: less time across the chart", Some("+- zoom");
    [(Char('-'), NONE), (Char('_'), NONE)], A::ZoomOut, "-", "zoom out: more time across the chart", None;
    [(Left, NONE)], A::Earlier, "←", "pan to earlier, which holds the picture", Some("←→ pan");
    [(Right, NONE)], A::Later, "→", "pan to later", None;
    [(PageUp, NONE)], A::PageEarlier, "PgUp", "a screen earlier", None;
    [(PageDown, NONE)], A::PageLater, "PgDn", "a screen later", None;
    [(HomeKey, NONE)], A::Oldest, "Home", "the oldest that is kept", None;
    [(End, NONE)], A::Newest, "End", "the newest; live again", None;
    [(Char('y'), NONE)], A::Axis, "y", "y axis of the lane: fit the data, full scale, typed limits", Some("y axis"), channel;
    [(Char(':'), NONE)], A::Talk, ":", "send a line to the board", Some(": talk");
    [(Char('u'), NONE)], A::Undo, "u", "undo the last change of settings", Some("u undo");
    [(Char('U'), NONE)], A::Redo, "U", "redo", None;
    [(Char('s'), NONE), (Char('s'), CTRL)], A::Save, "s", "save all settings to the bench file", Some("s save");
    [(Char('?'), NONE), (F(1), NONE)], A::Help, "?", "help: how do I …?, and all keys", Some("? help");
    [(Char('q'), NONE), (Char('c'), CTRL)], A::Quit, "q", "quit; asks first when something would be lost", Some("q quit");
};

impl Room for Home {
    type Action = Action;
    const ABOUT: About = About { name: "main screen", help: "what works everywhere", place: Place::Everywhere };

    fn bindings() -> Vec<(&'static Key, Action)> {
        listed(KEYS)
    }

    fn act(&mut self, action: Action, session: &mut Session) -> Vec<Effect> {
        match action {
            A::Panel(stage) => return vec![Effect::Show(RoomId::of_stage(stage))],
            A::Hold => {
                session.notice = None;
                session.hold();
            }
            A::Take => return outside(session.toggle_take()),
            A::Mark => return ask_mark(session),
            A::Zero => session.zero(false),
            A::NextChannel => session.select_next(1),
            A::PreviousChannel => session.select_next(-1),
            A::ZoomIn => session.zoom(-1, 0.5),
            A::ZoomOut => session.zoom(1, 0.5),
            A::Earlier => session.pan(-0.1),
            A::Later => session.pan(0.1),
            A::PageEarlier => session.pan(-0.9),
            A::PageLater => session.pan(0.9),
            A::Oldest => session.show_oldest(),
            A::Newest => session.show_newest(),
            A::Large => return vec![Effect::Show(RoomId::Number)],
            A::Views => return vec![Effect::Choose(finder::views(session))],
            A::Finder => return vec![Effect::Find],
            A::Axis => return axis::choose(session),
            A::Talk => return vec![Effect::Show(RoomId::Talk)],
            A::Undo => return outside(session.undo(false)),
            A::Redo => return outside(session.undo(true)),
            A::Save => return keep::save(session),
            A::Help => {
                session.notice = None;
                return vec![Effect::Show(RoomId::Help)];
            }
            A::Quit => return quit::quit(session),
        }
        Vec::new()
    }

    fn draw(&self, _: &Session, _: Theme, _: Rect, _: &mut Buffer) {}
}

/// Asks for a mark's note; the mark stands at the moment the key was pressed.
fn ask_mark(session: &mut Session) -> Vec<Effect> {
    if !matches!(session.taking, Taking::Yes { .. }) {
        session.say("marks are kept in a take: start one with t", true);
        return Vec::new();
    }
    // The values are those of the moment at which the key was pressed.
    let begun = session.mark_at(session.present(), String::new());
    let mark = move |_: &mut crate::app::App, note: &str| {
        Ok(vec![Request::Mark(Mark { note: note.into(), ..begun.clone() }).into()])
    };
    vec![Effect::Ask(Prompt::new("mark", "a note for this moment; may be empty", "", mark))]
}
