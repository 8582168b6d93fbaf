//! The events of the selected source: a list, and the selected channel around the last of them, laid over one another.

mod overlay;

use super::{About, Effect, Follow, Place, Room, listed};
use crate::keys::{Binding, Key, NONE, keys};
use crate::screen::text::{cut, put, put_right};
use crate::session::Session;
use crate::theme::{Ink, Theme};
use amber_core::bench::Kind;
use amber_core::digits::{counted, duration, fixed};
use amber_core::part::along;
use amber_core::watch::condition::Event;
use crossterm::event::KeyCode::{Char, Down, Enter, Esc, Up};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The view of events.
#[derive(Debug)]
pub(crate) struct Events {
    /// The selected event, by its number; the newest where there is none.
    selected: Option<u64>,
    /// Events of the selected condition alone.
    own_alone: bool,
    capture: Capture,
    /// Seconds that an overlay shows, and the share of them in front of the event.
    span: f64,
    share: f64,
}

/// What is laid over one another.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Capture {
    /// The last events, as they come.
    Repeated,
    /// The one that comes after this number of events; and its number once it is complete.
    Once { after: u64, captured: Option<u64> },
}

impl Default for Events {
    fn default() -> Self {
        Events { selected: None, own_alone: false, capture: Capture::Repeated, span: 2.0, share: 0.25 }
    }
}

/// Lengths of an overlay, in seconds.
const SPANS: [f64; 13] = [0.02, 0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 30.0, 60.0, 300.0, 1800.0];

/// Shares in front of the event that are offered.
const SHARES: [f64; 5] = [0.0, 0.1, 0.25, 0.5, 0.9];

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Up,
    Down,
    Show,
    Own,
    Once,
    Longer,
    Shorter,
    Share,
    Close,
}

const KEYS: &[Binding<Action>] = keys! {
    [(Up, NONE)], Action::Up, "↑", "the event before", None;
    [(Down, NONE)], Action::Down, "↓", "the next event", Some("↑↓ event");
    [(Enter, NONE)], Action::Show, "Enter", "show the event on the chart, which holds the picture", Some("Enter chart");
    [(Char('o'), NONE)], Action::Own, "o", "only the events of the selected condition, or all", Some("o one condition");
    [(Char('c'), NONE)], Action::Once, "c", "capture the next event alone, again; or the last ones", Some("c capture");
    [(Char('>'), NONE)], Action::Longer, ">", "a longer stretch around the events", Some("<> stretch");
    [(Char('<'), NONE)], Action::Shorter, "<", "a shorter stretch around the events", None;
    [(Char('b'), NONE)], Action::Share, "b", "the share of the stretch in front of the event", Some("b before");
    [(Esc, NONE)], Action::Close, "Esc", "back to the chart", None;
};

impl Room for Events {
    type Action = Action;
    const ABOUT: About = About {
        name: "events",
        help: "each time a condition came true, and the channel around it, laid over one another",
        place: Place::Middle,
    };

    fn bindings() -> Vec<(&'static Key, Action)> {
        listed(KEYS)
    }

    fn act(&mut self, action: Action, session: &mut Session) -> Vec<Effect> {
        match action {
            Action::Up => self.step(-1, session),
            Action::Down => self.step(1, session),
            Action::Show => {
                let Some(event) = self.event(session) else {
                    session.say("no event yet: 5 c sets a condition", true);
                    return Vec::new();
                };
                session.show_moment(event.at);
                return vec![Effect::Close];
            }
            Action::Own => {
                self.own_alone = !self.own_alone;
                self.selected = None;
            }
            Action::Once => {
                let after = session.chain().events().back().map_or(0, |event| event.number);
                self.capture = match self.capture {
                    Capture::Repeated | Capture::Once { captured: Some(_), .. } => {
                        Capture::Once { after, captured: None }
                    }
                    Capture::Once { captured: None, .. } => Capture::Repeated,
                };
            }
            Action::Longer => self.span = along(&SPANS, self.span, 1),
            Action::Shorter => self.span = along(&SPANS, self.span, -1),
            Action::Share => self.share = super::turned(&SHARES, self.share, 1),
            Action::Close => return vec![Effect::Close],
        }
        Vec::new()
    }

    fn follow(&mut self, session: &mut Session, _: Follow) -> bool {
        let Capture::Once { after, captured: None } = self.capture else { return false };
        let newest = session.chain().events().back().map_or(0, |event| event.number);
        if newest < after {
            // The history was made anew, and events are counted anew.
            self.capture = Capture::Once { after: newest, captured: None };
            return true;
        }
        let found = self.listed(session).into_iter().find(|event| event.number > after);
        let end = found.map(|event| event.at.plus(self.span * (1.0 - self.share)));
        let rows = session.chain().store().rows();
        let last = rows.end.checked_sub(1).and_then(|row| session.chain().store().time(row));
        if let (Some(event), Some(end), Some(last)) = (found, end, last)
            && last >= end
        {
            self.capture = Capture::Once { after, captured: Some(event.number) };
            return true;
        }
        false
    }

    fn scroll(&mut self, by: i32, session: &mut Session) -> bool {
        self.step(by.signum(), session);
        true
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        let list = Rect { height: (area.height / 2).max(4).min(area.height), ..area };
        self.draw_list(session, theme, list, buffer);
        let rest = Rect { y: list.bottom(), height: area.height - list.height, ..area };
        if rest.height >= 5 {
            overlay::draw(self, session, theme, rest, buffer);
        }
    }
}

impl Events {
    /// The selected channel around the events that are laid over one another, as a figure.
    pub(crate) fn figure(&self, session: &Session) -> Option<amber_plot::Figure> {
        overlay::figure(self, session)
    }

    /// The events that are listed, as far as they had come at the moment.
    fn listed(&self, session: &Session) -> Vec<Event> {
        let end = session.end();
        let is_shown =
            |event: &&Event| event.at <= end && (!self.own_alone || event.condition == session.selected_condition);
        session.chain().events().iter().filter(is_shown).copied().collect()
    }

    /// The selected event.
    fn event(&self, session: &Session) -> Option<Event> {
        let listed = self.listed(session);
        let known = self.selected.and_then(|number| listed.iter().find(|event| event.number == number).copied());
        known.or_else(|| listed.last().copied())
    }

    fn step(&mut self, by: i32, session: &Session) {
        let listed = self.listed(session);
        let now = self.event(session).and_then(|own| listed.iter().position(|event| event.number == own.number));
        let Some(now) = now else { return };
        let to = (now as i32 + by).min(listed.len() as i32 - 1).max(0) as usize;
        // The newest is followed.
        self.selected = listed.get(to).filter(|_| to + 1 < listed.len()).map(|event| event.number);
    }

    fn draw_list(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        put(buffer, area, 0, 0, &"─".repeat(usize::from(area.width)), theme.style(Ink::Faint));
        let (chain, listed) = (session.chain(), self.listed(session));
        let names = chain.conditions().settings();
        let which = match session.condition().filter(|_| self.own_alone) {
            Some(condition) => format!(" events of {} ", condition.name),
            None => " events ".into(),
        };
        put(buffer, area, 1, 0, &which, theme.style(Ink::Bright));
        put_right(buffer, area, 0, &format!(" {} ", counted(listed.len() as u64, "event")), theme.style(Ink::Dim));
        if listed.is_empty() {
            let why = if names.is_empty() {
                "no condition is set: 5 c adds one, and each time it comes true is listed here"
            } else {
                "no event yet"
            };
            put(buffer, area, 2, 2, why, theme.style(Ink::Text));
            return;
        }
        let chosen = self.event(session).map(|event| event.number);
        let wide = names.iter().map(|own| own.name.chars().count()).max().unwrap_or(0).clamp(9, 24) as u16;
        let heads =
            [("number", 1), ("time", 9), ("condition", 23), ("lasted", 25 + wide), ("since the last", 36 + wide)];
        for (head, x) in heads {
            put(buffer, area, x, 1, head, theme.style(Ink::Dim));
        }
        let edges = 52 + wide;
        let digital =
            session.channel().is_some_and(|own| own.kind() == Kind::Digital || own.settings().watch.is_some());
        let values_at = if digital {
            let title = format!("edges of {}, within and since", session.title(session.selected));
            put(buffer, area, edges, 1, &cut(title, area.width.saturating_sub(edges)), theme.style(Ink::Dim));
            edges + 34
        } else {
            edges
        };
        // As many channels as there is room for.
        let mut x = values_at;
        let mut columns = Vec::new();
        for (index, channel) in chain.channels().iter().enumerate().filter(|(_, own)| own.kind() != Kind::Clock) {
            let width = channel.title().chars().count().clamp(8, 12) as u16;
            if x + width + 2 > area.width {
                break;
            }
            columns.push((index, x, width));
            let name: String = channel.title().chars().take(usize::from(width)).collect();
            put_right(buffer, Rect { x: area.x + x, y: area.y + 1, width, height: 1 }, 0, &name, theme.style(Ink::Dim));
            x += width + 2;
        }
        let rows = usize::from(area.height.saturating_sub(2));
        let at = listed.iter().position(|event| Some(event.number) == chosen).unwrap_or(0);
        let first = (at + rows / 2 + 1).clamp(rows.min(listed.len()), listed.len()).saturating_sub(rows);
        for ((place, event), y) in listed.iter().enumerate().skip(first).zip(2..area.height) {
            let is_chosen = Some(event.number) == chosen;
            let ink = theme.style(if is_chosen { Ink::Chosen } else { Ink::Text });
            let name = names.get(event.condition).map_or("", |own| own.name.as_str());
            put(buffer, area, 0, y, if is_chosen { "▸" } else { " " }, theme.style(Ink::Bright));
            put_right(buffer, Rect { width: 7, ..area }, y, &event.number.to_string(), ink);
            put(buffer, area, 9, y, &session.when(event.at, "%H:%M:%S%.3f"), ink);
            put(buffer, area, 23, y, &cut(name.to_owned(), wide), ink);
            let lasted = event.seconds().map_or("true now".into(), duration);
            put(buffer, area, 25 + wide, y, &lasted, ink);
            // From one event of the same condition to the next.
            let before = listed.iter().take(place).rev().find(|other| other.condition == event.condition);
            let since =
                before.map_or("–".into(), |before| session.across().length(event.at.seconds_since(before.at)));
            put(buffer, area, 36 + wide, y, &since, ink);
            if digital {
                put(buffer, area, edges, y, &edges_of(session, event, before), ink);
            }
            for (index, x, width) in &columns {
                let Some(channel) = chain.channels().get(*index) else { continue };
                let value = event.row.and_then(|row| channel.output().get(row)).filter(|value| !value.is_nan());
                let text = value.map_or("–".to_owned(), |value| {
                    channel.word(value).map_or_else(|| fixed(value, channel.decimals()), str::to_owned)
                });
                let text: String = text.chars().take(usize::from(*width)).collect();
                put_right(buffer, Rect { x: area.x + x, y: area.y + y, width: *width, height: 1 }, 0, &text, ink);
            }
        }
    }
}

/// How many rising edges the selected channel had while the event lasted, and since the event before.
fn edges_of(session: &Session, event: &Event, before: Option<&Event>) -> String {
    let Some(channel) = session.channel() else { return String::new() };
    let store = session.chain().store();
    let rises = |at: amber_core::Stamp| {
        let row = store.between(store.time(store.rows().start).unwrap_or_default(), at).end;
        row.checked_sub(1).filter(|row| store.rows().contains(row)).map(|row| channel.watcher().at(row).rises)
    };
    let told = |from: Option<u64>, to: Option<u64>| match (from, to) {
        (Some(from), Some(to)) => to.saturating_sub(from).to_string(),
        _ => "–".into(),
    };
    let within = told(rises(event.began), rises(event.ended.unwrap_or(session.viewport.end)));
    let since = told(before.and_then(|before| rises(before.at)), rises(event.at));
    format!("{within} within, {since} since")
}
