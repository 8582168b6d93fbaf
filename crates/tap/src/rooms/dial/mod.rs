//! The selected channel as a dial, readable from two metres: an arc or a numbered bar over the lane's full scale, with
//! the needle, minimum and maximum in view, and the threshold.

mod arc;
mod bar;

use super::{About, Effect, Place, Room, listed};
use crate::keys::{Binding, Key, NONE, keys};
use crate::screen::big::{big, dots_wide};
use crate::screen::text::{cut, fitting, put, put_right, state};
use crate::session::Session;
use crate::theme::{Ink, Theme};
use amber_core::axis::{Rule, ticks};
use amber_core::bench::Kind;
use amber_core::digits::{NumberFormat, counted, fixed};
use crossterm::event::KeyCode::Char;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The dial.
#[derive(Debug, Default)]
pub(crate) struct Dial {
    /// A numbered bar, rather than an arc.
    is_bar: bool,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Bar,
}

const KEYS: &[Binding<Action>] = keys! {
    [(Char('b'), NONE)], Action::Bar, "b", "the dial as a numbered bar, or as an arc", Some("b bar or arc");
};

/// What is shown on the dial, all as shares of its scale from 0 to 1 but for the numbers.
struct Face {
    value: Option<f64>,
    min_max: Option<(f64, f64)>,
    /// The threshold, and half the dead band around it.
    threshold: Option<(f64, f64)>,
    /// Round numbers along the scale, with where they stand.
    ticks: Vec<(f64, String)>,
}

impl Room for Dial {
    type Action = Action;
    const ABOUT: About = About {
        name: "dial",
        help: "the selected channel as an arc or a numbered bar, with needle",
        place: Place::Middle,
    };

    fn bindings() -> Vec<(&'static Key, Action)> {
        listed(KEYS)
    }

    fn act(&mut self, action: Action, _: &mut Session) -> Vec<Effect> {
        match action {
            Action::Bar => self.is_bar = !self.is_bar,
        }
        Vec::new()
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        let Some(channel) = session.channel() else {
            put(buffer, area, 2, 1, "no channel yet: rows must arrive first", theme.style(Ink::Dim));
            return;
        };
        let id = session.selected;
        let lanes = session.lanes();
        let lane = lanes.analog.iter().find(|lane| lane.channels.contains(&id));
        let (Some(lane), true) = (lane, channel.kind() == Kind::Analog) else {
            let text =
                "a dial is for analog channels that are shown: select one with Tab, or v n shows any as a number";
            put(buffer, area, 2, 1, &cut(text.into(), area.width.saturating_sub(3)), theme.style(Ink::Text));
            return;
        };
        let shown = session.snapshot.of(id);
        let form = session.form(id, &lanes);
        let value = shown.reading.map(|reading| reading.smoothed).filter(|value| !value.is_nan());
        let face = face(lane.limits, value, shown.min_max, channel.settings().watch, &form, area.width);
        let age = session.snapshot.age(id);
        let ink = theme.style(if age.is_some() { Ink::Faint } else { Ink::Trace(session.ink(id)) });
        let age = age.map(|age| format!("   {age}")).unwrap_or_default();
        let title = format!("{} {}{age}", session.letter(id), session.title(id));
        let title_width = title.chars().count() as u16;
        put(buffer, area, 2, 0, &cut(title, area.width / 2), theme.style(Ink::Bright));
        let scale = match lane.rule {
            Rule::Full => "range: full scale",
            Rule::Typed(..) => "range: typed limits",
            Rule::Fit => "range: fits the data (y changes it)",
        };
        let room = area.width.saturating_sub(title_width + 4);
        put_right(buffer, area, 0, &fitting(room, [format!("{scale} "), String::new()]), theme.style(Ink::Dim));

        // The number stands below, as large as there is room.
        let text = value.map_or("–".into(), |value| form.number(value, 0));
        let size: u16 = if area.height >= 26 && dots_wide(&text) * 3 < usize::from(area.width) { 3 } else { 2 };
        let size = if area.height < 16 { 1 } else { size };
        // Where there is little room the bar says more than large digits.
        let is_low = area.height < 12;
        let digits = if is_low { 1 } else { (5 * size).div_ceil(2) };
        let foot = Rect { y: area.bottom().saturating_sub(digits + 2), height: digits + 2, ..area }.intersection(area);
        let above = Rect { y: area.y + 2, height: foot.y.saturating_sub(area.y + 2), ..area };
        if self.is_bar || above.height < 8 {
            bar::draw(&face, ink, theme, above, buffer);
        } else {
            arc::draw(&face, ink, theme, above, buffer);
        }
        let width = if is_low { text.chars().count() as u16 } else { dots_wide(&text) as u16 * size };
        let x = foot.x + foot.width.saturating_sub(width + form.unit.chars().count() as u16 + 2) / 2;
        let place = Rect { x, y: foot.y, width, height: digits }.intersection(area);
        if is_low {
            put(buffer, place, 0, 0, &text, ink);
        } else {
            big(buffer, place, &text, size, ink);
        }
        put(buffer, foot, x + width + 2 - foot.x, digits.saturating_sub(1), &form.unit, theme.style(Ink::Bright));
        let range = shown
            .min_max
            .map(|(min, max)| format!("min {}   max {}   in view", form.number(min, 0), form.number(max, 0)));
        let last = foot.height.saturating_sub(1);
        put(buffer, foot, 2, last, range.as_deref().unwrap_or_default(), theme.style(Ink::Text));
        if channel.settings().watch.is_some() {
            let state = state(channel, shown.watch.side);
            let edges = counted(shown.watch.rises, "rising edge");
            let taken = range.as_ref().map_or(0, |range| range.chars().count() as u16 + 4);
            let room = area.width.saturating_sub(taken);
            put_right(
                buffer,
                foot,
                last,
                &fitting(room, [format!("{state}, {edges}  "), format!("{state}  "), String::new()]),
                theme.style(Ink::Bright),
            );
        }
    }
}

/// What is shown of a value between these limits.
fn face(
    (low, high): (f64, f64),
    value: Option<f64>,
    min_max: Option<(f64, f64)>,
    watch: Option<amber_core::watch::Watch>,
    form: &NumberFormat,
    width: u16,
) -> Face {
    let share = |value: f64| ((value - low) / (high - low)).clamp(0.0, 1.0);
    let (from, to) = (form.scaled(low), form.scaled(high));
    let (values, places) = ticks(from, to, usize::from(width / 18).clamp(4, 10));
    let ticks = values.into_iter().map(|tick| ((tick - from) / (to - from), fixed(tick, places))).collect();
    let inside = |watch: &amber_core::watch::Watch| (low..=high).contains(&watch.threshold);
    Face {
        value: value.map(share),
        min_max: min_max.map(|(min, max)| (share(min), share(max))),
        threshold: watch.filter(inside).map(|watch| (share(watch.threshold), watch.hysteresis / (high - low) / 2.0)),
        ticks,
    }
}
