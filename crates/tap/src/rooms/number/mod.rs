//! The selected channel's number as large as the screen, to be read from across the room.

use super::{About, Effect, Place, Room};
use crate::keys::Key;
use crate::screen::big::{big, dots_wide, large_word};
use crate::screen::text::{cut, fitting, put, put_right, state};
use crate::session::Session;
use crate::theme::{Ink, Theme};
use amber_core::bench::Kind;
use amber_core::digits::counted;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The large number.
#[derive(Debug, Default)]
pub(crate) struct Number;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {}

impl Room for Number {
    type Action = Action;
    const ABOUT: About = About {
        name: "number",
        help: "the selected channel's number, as large as there is room",
        place: Place::Middle,
    };

    fn bindings() -> Vec<(&'static Key, Action)> {
        Vec::new()
    }

    fn act(&mut self, action: Action, _: &mut Session) -> Vec<Effect> {
        match action {}
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        draw(session, theme, area, buffer);
    }
}

/// The selected channel's number as large as `area`.
fn draw(session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let Some(channel) = session.channel() else {
        put(buffer, area, 2, 1, "no channel yet: rows must arrive first", theme.style(Ink::Dim));
        return;
    };
    let shown = session.snapshot.of(session.selected);
    let age = session.snapshot.age(session.selected);
    let ink = theme.style(if age.is_some() { Ink::Faint } else { Ink::Trace(session.ink(session.selected)) });
    let age = age.map(|age| format!("   {age}")).unwrap_or_default();
    let title = format!("{} {}{age}", session.letter(session.selected), session.title(session.selected));
    put(buffer, area, 2, 1, &title, theme.style(Ink::Bright));
    let digital = channel.kind() == Kind::Digital;
    let form = session.form(session.selected, &session.lanes());
    let word = shown.reading.and_then(|reading| channel.word(reading.smoothed)).map(str::to_owned);
    let number = |value: f64| match (channel.word(value).and_then(large_word), digital, value >= 0.5) {
        (Some(word), ..) => word,
        (None, true, true) => "HIGH".to_owned(),
        (None, true, false) => "LOW".to_owned(),
        (None, false, _) => form.number(value, 0),
    };
    let text = shown.reading.map_or("–".into(), |reading| number(reading.smoothed));
    // Room for the widest that was in view, so that the digits do not change size from one moment to the next.
    let widths = shown.min_max.into_iter().flat_map(|(a, b)| [number(a), number(b)]);
    let widest = widths.chain([text.clone()]).map(|text| dots_wide(&text)).max().unwrap_or(1);
    let size =
        (usize::from(area.width.saturating_sub(6)) / widest).min(usize::from(area.height.saturating_sub(6)) * 2 / 5);
    let size = size.max(1) as u16;
    let height = (5 * size).div_ceil(2);
    let width = dots_wide(&text) as u16 * size;
    let place = Rect {
        x: area.x + area.width.saturating_sub(width) / 2,
        y: area.y + area.height.saturating_sub(height) / 2,
        width,
        height,
    }
    .intersection(area);
    big(buffer, place, &text, size, ink);
    put_right(buffer, Rect { width: area.width.saturating_sub(2), ..area }, 1, &form.unit, theme.style(Ink::Bright));
    let bottom = area.height.saturating_sub(2);
    let range = match shown.min_max {
        // A code's word as it is written: in capitals it may be another, and not every word can be drawn large.
        _ if word.is_some() && !digital => {
            let code = shown.reading.map_or(String::new(), |reading| form.number(reading.smoothed, 0));
            format!("code {code} = {}", word.unwrap_or_default())
        }
        Some((min, max)) if !digital => format!("min {}   max {}   in view", form.number(min, 0), form.number(max, 0)),
        _ => String::new(),
    };
    put(buffer, area, 2, bottom, &cut(range.clone(), area.width.saturating_sub(2)), theme.style(Ink::Text));
    if digital || channel.settings().watch.is_some() {
        let watcher = shown.watch;
        let state = state(channel, watcher.side);
        let edges = counted(watcher.rises, "rising edge");
        let room = area.width.saturating_sub(range.chars().count() as u16 + 4);
        let text = fitting(room, [format!("{state}, {edges}  "), format!("{state}  "), String::new()]);
        put_right(buffer, area, bottom, &text, theme.style(Ink::Bright));
    }
}
