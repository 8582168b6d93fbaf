//! The readouts: every channel's number, large where there is room, with its place in the lane's range, least, most,
//! noise and state.

use super::big::{big, columns as digits_wide};
use super::readout_places::{Detail, Entry, places};
use super::text::{cut, doubt, fitting, put, put_right, state};
use crate::rooms::chart::Pattern;
use crate::session::{ChannelId, ChannelSnapshot, Lanes, Session};
use crate::theme::{Ink, Theme};
use amber_core::bench::Kind;
use amber_core::chain::Channel;
use amber_core::digits::{self, counted, fixed, grouped, with_unit};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// Stands behind a channel's name while it is settled.
const SETTLED: &str = "=";

/// The channel whose readout is in `row` of the screen.
pub(super) fn channel_at(session: &Session, area: Rect, row: u16) -> Option<ChannelId> {
    let y = row.checked_sub(area.y)?;
    let found = places(session, area.width, area.height).into_iter().take_while(|(_, top)| *top <= y).last();
    match found {
        Some((Entry::Channel(id, _), _)) => Some(id),
        _ => None,
    }
}

/// Stands beside an old value where there is no room for its age.
const OLD: &str = "old";

pub(super) fn draw(session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
    for y in 0..area.height {
        put(buffer, area, 0, y, "│", theme.style(Ink::Faint));
    }
    let lanes = session.lanes();
    let inside = Rect { x: area.x + 1, width: area.width.saturating_sub(2), ..area };
    for (entry, top) in places(session, area.width, area.height) {
        let row = Rect { y: inside.y + top, height: 1, ..inside };
        let (index, form) = match entry {
            Entry::Channel(id, detail) => (id, detail),
            Entry::Source(place) => {
                let name = session.source_names().swap_remove(place);
                put(buffer, row, 0, 0, &"─".repeat(usize::from(row.width)), theme.style(Ink::Faint));
                put(
                    buffer,
                    row,
                    1,
                    0,
                    &cut(format!(" {name} "), row.width.saturating_sub(2)),
                    theme.style(Ink::Bright),
                );
                continue;
            }
            Entry::More(count) => {
                put(
                    buffer,
                    row,
                    1,
                    0,
                    &cut(format!("… {count} more (Tab)"), row.width.saturating_sub(1)),
                    theme.style(Ink::Dim),
                );
                continue;
            }
        };
        let channel = session.channel_at(index);
        let shown = session.snapshot.of(index);
        let block = Rect { y: inside.y + top, height: area.height - top, ..inside };
        let form_of = session.form(index, &lanes);
        let number = number(&form_of, shown);
        let name_row = Rect { height: 1, ..block };
        let chosen = index == session.selected;
        if chosen {
            buffer.set_style(name_row, theme.style(Ink::Chosen));
        }
        let quiet = if chosen { Ink::Chosen } else { Ink::Text };
        let x = put(buffer, name_row, 0, 0, if chosen { "▸" } else { " " }, theme.style(quiet));
        let letter = format!("{}{}", session.letter(index), Pattern::of(session.ink(index)).sample());
        let age = session.snapshot.age(index);
        let ink = theme.style(Ink::Trace(session.ink(index)));
        let x = put(buffer, name_row, x, 0, &letter, ink) + 1;
        // What the board does not say any more is dim, with its age.
        let ink = if age.is_some() { theme.style(Ink::Faint) } else { ink };
        // The number is never cut; the name has what is left.
        let unit = form_of.unit.as_str();
        let beside = match channel.kind() {
            _ if channel.settings().hidden => 7,
            Kind::Digital | Kind::Code => 8,
            _ if matches!(form, Detail::Huge | Detail::Large) => unit.chars().count() + 3,
            _ => with_unit(&number, unit).chars().count() + 3,
        };
        let beside = beside + if age.is_some() { OLD.len() + 1 } else { 0 };
        let room = usize::from(name_row.width.saturating_sub(x)).saturating_sub(beside).max(3);
        let x = put(buffer, name_row, x, 0, &session.short_title(index, room), theme.style(quiet)) + 1;
        let settled = channel.kind() == Kind::Analog && session.settled(index).is_some();
        let x = if settled { put(buffer, name_row, x, 0, SETTLED, theme.style(quiet)) + 1 } else { x };
        if channel.settings().hidden {
            put_right(buffer, name_row, 0, "hidden ", theme.style(quiet));
            continue;
        }
        if matches!(channel.kind(), Kind::Digital | Kind::Code) {
            draw_digital(
                channel,
                shown,
                age.as_deref(),
                theme,
                Rect { x: block.x + x, width: block.width.saturating_sub(x), ..name_row },
                chosen,
                buffer,
            );
            continue;
        }
        let is_tall = matches!(form, Detail::Huge | Detail::Large);
        let large = is_tall && digits_wide(&number) <= block.width.saturating_sub(2);
        let fits_twice = digits_wide(&number) * 2 <= block.width.saturating_sub(2);
        let size = if form == Detail::Huge && fits_twice { 2 } else { 1 };
        let strong = match (chosen, &age) {
            (true, _) => Ink::Chosen,
            (false, Some(_)) => Ink::Dim,
            (false, None) => Ink::Bright,
        };
        let (age, old) = age.map_or_else(Default::default, |age| (format!("{age}  "), format!("{OLD} ")));
        let raw = raw_beside(session, channel, &form_of, shown);
        if large {
            let room = block.width.saturating_sub(x);
            let text = fitting(room, [format!("{age}{raw}{unit} "), format!("{age}{unit} "), format!("{old}{unit} ")]);
            put_right(buffer, name_row, 0, &text, theme.style(quiet));
            let left = block.width.saturating_sub(digits_wide(&number) * size + 1);
            let place = Rect {
                x: block.x + left,
                y: block.y + 1,
                width: block.width - left,
                height: (5 * size).div_ceil(2).min(block.height.saturating_sub(1)),
            };
            big(buffer, place, &number, size, ink);
        } else {
            let room = block.width.saturating_sub(x);
            let number = with_unit(&number, unit);
            let text =
                fitting(room, [format!("{age}{raw}{number} "), format!("{age}{number} "), format!("{old}{number} ")]);
            put_right(buffer, name_row, 0, &text, theme.style(strong));
        }
        if form == Detail::Line {
            continue;
        }
        let below = match form {
            Detail::Huge => 6,
            Detail::Large => 4,
            _ => 1,
        };
        let rest = Rect { y: block.y + below, height: block.height.saturating_sub(below), ..block };
        draw_bar(session, index, shown, theme, &lanes, rest, buffer);
        if form != Detail::Small {
            draw_facts(channel, &form_of, shown, theme, rest, buffer);
        }
    }
}

fn number(form: &digits::NumberFormat, shown: ChannelSnapshot) -> String {
    shown.reading.map_or("–".into(), |reading| form.number(reading.smoothed, 0))
}

/// The value in front of the one that is shown large, with arrows, where it is to stand beside it: raw, and the quantity
/// before its filters.
fn raw_beside(session: &Session, channel: &Channel, form: &digits::NumberFormat, shown: ChannelSnapshot) -> String {
    let Some(reading) = shown.reading.filter(|_| session.shared().screen.raw) else { return String::new() };
    let raw = (!channel.settings().scale.is_plain()).then(|| fixed(reading.raw, channel.raw_decimals()));
    let before = channel.smoothed().map(|_| form.number(reading.quantity, 0));
    raw.into_iter().chain(before).map(|value| format!("{value} → ")).collect()
}

fn draw_digital(
    channel: &Channel,
    shown: ChannelSnapshot,
    age: Option<&str>,
    theme: Theme,
    area: Rect,
    chosen: bool,
    buffer: &mut Buffer,
) {
    let value = shown.reading.map(|reading| reading.smoothed);
    let word = value.and_then(|value| channel.word(value)).map(|word| format!("{word:<4}"));
    let ink = theme.style(match (chosen, age) {
        (true, _) => Ink::Chosen,
        (false, Some(_)) => Ink::Dim,
        (false, None) => Ink::Bright,
    });
    if channel.kind() == Kind::Code {
        let text = word.or_else(|| value.map(|value| fixed(value, channel.decimals()))).unwrap_or_default();
        let texts = match age {
            Some(age) => [format!("{age}  {text} "), format!("{OLD} {text} ")],
            None => [format!("{text} "), format!("{text} ")],
        };
        return put_right(buffer, area, 0, &fitting(area.width, texts), ink);
    }
    let state = match value {
        _ if word.is_some() => word.as_deref().unwrap_or_default(),
        Some(value) if value >= 0.5 => "HIGH",
        Some(value) if !value.is_nan() => "low ",
        _ => "–   ",
    };
    let rises = shown.watch.rises;
    let beside = [counted(rises, "rising edge"), format!("{} ↑", grouped(rises))];
    let beside = if let Some(age) = age { [age.to_owned(), OLD.to_owned()] } else { beside };
    let texts = beside.into_iter().map(|beside| format!("{state} {beside} ")).chain([format!("{state} ")]);
    put_right(buffer, area, 0, &fitting(area.width, texts), ink);
}

/// A bar with the value's place between the lane's limits, and the stretch between least and most in view.
fn draw_bar(
    session: &Session,
    index: ChannelId,
    shown: ChannelSnapshot,
    theme: Theme,
    lanes: &Lanes,
    area: Rect,
    buffer: &mut Buffer,
) {
    let Some(lane) = lanes.analog.iter().find(|lane| lane.channels.contains(&index)) else { return };
    let width = area.width.saturating_sub(3);
    let (low, high) = lane.limits;
    let place = |value: f64| ((value - low) / (high - low) * f64::from(width)).clamp(0.0, f64::from(width)) as u16;
    let value = shown.reading.map(|reading| reading.smoothed).filter(|value| !value.is_nan());
    for x in 0..width {
        let within = shown.min_max.is_some_and(|(least, most)| (place(least)..=place(most)).contains(&x));
        put(
            buffer,
            area,
            x + 1,
            0,
            if within { "━" } else { "─" },
            theme.style(if within { Ink::Dim } else { Ink::Faint }),
        );
    }
    if let Some(value) = value {
        let ink = theme.style(Ink::Trace(session.ink(index)));
        put(buffer, area, 1 + place(value).min(width.saturating_sub(1)), 0, "█", ink);
    }
}

fn draw_facts(
    channel: &Channel,
    form: &digits::NumberFormat,
    shown: ChannelSnapshot,
    theme: Theme,
    area: Rect,
    buffer: &mut Buffer,
) {
    if let Some((least, most)) = shown.min_max {
        let range = format!("{} … {}", form.number(least, 0), form.number(most, 0));
        let noise = shown.noise.map(|noise| format!("±{}{}", form.number(noise.deviation, 1), doubt(noise.basis)));
        let noise = noise.unwrap_or_default();
        let room = area.width.saturating_sub(1);
        let text = fitting(room, [format!("{range}   noise {noise}"), format!("{range}  {noise}"), range]);
        put(buffer, area, 1, 1, &cut(text, room), theme.style(Ink::Dim));
    }
    if channel.settings().watch.is_some() {
        let watcher = shown.watch;
        let state = state(channel, watcher.side);
        let [rises, falls] = [counted(watcher.rises, "rising edge"), counted(watcher.falls, "falling edge")];
        let text = fitting(
            area.width.saturating_sub(1),
            [
                format!("{state}   {rises}, {falls}"),
                format!("{state}  {rises}"),
                format!("{state}  {} ↑ {} ↓", grouped(watcher.rises), grouped(watcher.falls)),
                state,
            ],
        );
        put(buffer, area, 1, 2, &text, theme.style(Ink::Text));
    }
}
