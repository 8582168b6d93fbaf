//! The check-up: findings of all channels, told once, listed as long as they hold.

mod view;

use super::{About, Effect, Follow, Place, Room, listed};
use crate::keys::{Binding, Key, NONE, keys};
use crate::screen::text::more;
use crate::session::{ChannelId, Checked, Session};
use crate::theme::Theme;
use amber_core::Stamp;
use amber_core::checkup::{FaultKind, Finding};
use crossterm::event::KeyCode::{Down, Esc, Up};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use std::collections::{HashMap, HashSet};

/// Seconds between two looks.
const PAUSE: f64 = 4.0;

/// Seconds for which a finding stays listed that was not confirmed by the last look.
const STAYS: f64 = 20.0;

/// What was found.
#[derive(Debug, Default)]
pub(crate) struct Checkup {
    /// The channel, and what was found.
    pub(crate) findings: Vec<(ChannelId, Finding)>,
    /// When each of them was last confirmed.
    seen: HashMap<(ChannelId, FaultKind), Stamp>,
    /// What was told already.
    told: HashSet<(String, FaultKind)>,
    looked: Option<Stamp>,
    /// Lines by which the list is moved up.
    scroll: u16,
    /// Every channel that was looked at.
    looked_at: usize,
    /// Those of them of which power, clipping and open pins cannot be judged.
    unjudged: Vec<ChannelId>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Up,
    Down,
    Close,
}

const KEYS: &[Binding<Action>] = keys! {
    [(Up, NONE)], Action::Up, "↑", "scroll up", None;
    [(Down, NONE)], Action::Down, "↓", "scroll down", Some("↑↓ scroll");
    [(Esc, NONE)], Action::Close, "Esc", "close", Some("Esc close");
};

impl Room for Checkup {
    type Action = Action;
    const ABOUT: About =
        About { name: "check-up", help: "what looks like a fault, in all channels", place: Place::Side(62) };

    fn bindings() -> Vec<(&'static Key, Action)> {
        listed(KEYS)
    }

    fn open(&mut self, session: &mut Session) -> Result<(), String> {
        session.check();
        self.take(session);
        Ok(())
    }

    fn act(&mut self, action: Action, session: &mut Session) -> Vec<Effect> {
        match action {
            Action::Up => drop(self.scroll(-3, session)),
            Action::Down => drop(self.scroll(3, session)),
            Action::Close => return vec![Effect::Close],
        }
        Vec::new()
    }

    fn follow(&mut self, session: &mut Session, time: Follow) -> bool {
        let due = self.looked.is_none_or(|at| time.now.seconds_since(at) >= PAUSE);
        if due && time.refreshed {
            self.looked = Some(time.now);
            session.check();
        }
        let is_new = self.take(session);
        if is_new {
            self.tell_news(session, time.is_open);
        }
        is_new && time.is_open
    }

    fn scroll(&mut self, by: i32, _: &mut Session) -> bool {
        self.scroll = (i32::from(self.scroll) + by).clamp(0, 200) as u16;
        true
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        view::draw(self, session, theme, area, buffer);
    }
}

impl Checkup {
    /// Takes what was found since; whether that is something.
    fn take(&mut self, session: &mut Session) -> bool {
        let Some(checked) = session.take_checked() else { return false };
        self.adopt(session, checked);
        true
    }

    /// Takes what a look at all channels has found.
    fn adopt(&mut self, session: &Session, checked: Checked) {
        let Checked { mut findings, looked_at, unjudged } = checked;
        (self.looked_at, self.unjudged) = (looked_at, unjudged);
        // What comes and goes at the edge of being worth a word stays for a while.
        let now = session.now;
        for (id, finding) in &findings {
            self.seen.insert((*id, finding.kind_of_fault), now);
        }
        self.seen.retain(|_, at| now.seconds_since(*at) < STAYS);
        for (id, old) in std::mem::take(&mut self.findings) {
            let known =
                |(other, finding): &(ChannelId, Finding)| (*other, finding.kind_of_fault) == (id, old.kind_of_fault);
            if self.seen.contains_key(&(id, old.kind_of_fault)) && !findings.iter().any(known) {
                findings.push((id, old));
            }
        }
        findings.sort_by_key(|(id, finding)| (*id, finding.kind_of_fault));
        // What is grave explains the rest, whichever look found it.
        let grave: Vec<ChannelId> =
            findings.iter().filter(|(_, f)| f.kind_of_fault.is_grave()).map(|(id, _)| *id).collect();
        let own = |kind_of_fault: FaultKind| kind_of_fault.is_grave() || kind_of_fault == FaultKind::Converter;
        findings.retain(|(id, finding)| own(finding.kind_of_fault) || !grave.contains(id));
        self.findings = findings;
    }

    /// Tells what was never told before: once, in the footer.
    fn tell_news(&mut self, session: &mut Session, is_open: bool) {
        let mut news = Vec::new();
        for (id, finding) in &self.findings {
            let key = (session.title(*id), finding.kind_of_fault);
            if !self.told.contains(&key) {
                news.push((key, format!("{}: {}", session.title(*id), finding.evidence)));
            }
        }
        // A message that stands is not covered.
        let Some((_, first)) = news.first().filter(|_| session.notice.is_none() || is_open) else { return };
        let (first, more) = (first.clone(), more(news.len()));
        self.told.extend(news.into_iter().map(|(key, _)| key));
        if !is_open {
            session.say(format!("{first}{more}; 3 d says what to check"), false);
        }
    }
}
