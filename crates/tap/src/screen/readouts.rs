//! The readouts: every channel's number, large where there is room, with its place in the lane's range, least, most,
//! noise and state.

use super::big::{big, columns as digits_wide};
use super::text::{fitting, put, put_right, side};
use crate::session::{ChannelId, ChannelSnapshot, Lanes, Session};
use crate::theme::{Ink, Theme};
use amber_core::bench::Kind;
use amber_core::chain::Channel;
use amber_core::digits::{self, counted, fixed, grouped, with_unit};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// Stands behind a channel's name while it is settled.
const SETTLED: &str = "=";

/// How much of a channel is shown.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Detail {
    /// Name, large digits, bar, least and most, state, a blank row.
    Large,
    /// Name and number, bar, least and most, state.
    Middle,
    /// Name and number, bar.
    Small,
    /// Name and number.
    Line,
}

fn height(form: Detail, kind: Kind) -> u16 {
    match (form, kind) {
        (Detail::Large, Kind::Digital) => 2,
        (_, Kind::Digital) => 1,
        (Detail::Large, _) => 8,
        (Detail::Middle, _) => 4,
        (Detail::Small, _) => 2,
        (Detail::Line, _) => 1,
    }
}

/// The channels with their rows: the richest form for all that fits, the selected one a step richer where it does not.
fn places(session: &Session, rows: u16) -> Vec<(ChannelId, Detail, u16)> {
    let channels: Vec<(ChannelId, Kind)> = session
        .channel_ids()
        .map(|index| (index, session.channel_at(index)))
        .filter(|(_, channel)| channel.kind() != Kind::Clock)
        .map(|(index, channel)| {
            (
                index,
                if channel.settings().hidden || channel.kind() == Kind::Code { Kind::Digital } else { channel.kind() },
            )
        })
        .collect();
    let plans = [
        (Detail::Large, Detail::Large),
        (Detail::Large, Detail::Middle),
        (Detail::Middle, Detail::Middle),
        (Detail::Large, Detail::Small),
        (Detail::Middle, Detail::Small),
        (Detail::Small, Detail::Small),
        (Detail::Middle, Detail::Line),
        (Detail::Line, Detail::Line),
    ];
    let form = |plan: (Detail, Detail), index: ChannelId| if index == session.selected { plan.0 } else { plan.1 };
    let needs = |plan| channels.iter().map(|(index, kind)| height(form(plan, *index), *kind)).sum::<u16>();
    let plan = plans.into_iter().find(|plan| needs(*plan) <= rows).unwrap_or((Detail::Line, Detail::Line));
    let mut y = 0;
    let mut out = Vec::new();
    for (index, kind) in channels {
        let form = form(plan, index);
        out.push((index, form, y));
        y += height(form, kind);
    }
    out
}

/// The channel whose readout is in `row` of the screen.
pub(super) fn channel_at(session: &Session, area: Rect, row: u16) -> Option<ChannelId> {
    let y = row.checked_sub(area.y)?;
    places(session, area.height).into_iter().take_while(|(_, _, top)| *top <= y).last().map(|(index, _, _)| index)
}

pub(super) fn draw(session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
    for y in 0..area.height {
        put(buffer, area, 0, y, "│", theme.style(Ink::Faint));
    }
    let lanes = session.lanes();
    let inside = Rect { x: area.x + 1, width: area.width.saturating_sub(2), ..area };
    for (index, form, top) in places(session, area.height) {
        if top >= area.height {
            break;
        }
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
        let letter = session.letter(index).to_string();
        let ink = theme.style(Ink::Trace(session.ink(index)));
        let x = put(buffer, name_row, x, 0, &letter, ink) + 1;
        let x = put(buffer, name_row, x, 0, &session.title(index), theme.style(quiet)) + 1;
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
                theme,
                Rect { x: block.x + x, width: block.width.saturating_sub(x), ..name_row },
                chosen,
                buffer,
            );
            continue;
        }
        let unit = form_of.unit.as_str();
        let large = form == Detail::Large && digits_wide(&number) <= block.width.saturating_sub(2);
        let strong = if chosen { Ink::Chosen } else { Ink::Bright };
        let raw = raw_beside(session, channel, shown);
        if large {
            put_right(buffer, name_row, 0, &format!("{raw}{unit} "), theme.style(quiet));
            let left = block.width.saturating_sub(digits_wide(&number) + 1);
            let place = Rect {
                x: block.x + left,
                y: block.y + 1,
                width: block.width - left,
                height: 3.min(block.height.saturating_sub(1)),
            };
            big(buffer, place, &number, 1, ink);
        } else {
            let room = block.width.saturating_sub(x);
            let number = with_unit(&number, unit);
            let text = fitting(room, [format!("{raw}{number} "), format!("{number} ")]);
            put_right(buffer, name_row, 0, &text, theme.style(strong));
        }
        if form == Detail::Line {
            continue;
        }
        let below = if form == Detail::Large { 4 } else { 1 };
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

/// The value as it came, with an arrow, where it is to stand beside the scaled one.
fn raw_beside(session: &Session, channel: &Channel, shown: ChannelSnapshot) -> String {
    let wanted = session.shared().screen.raw && !channel.settings().scale.is_plain();
    let raw = shown.reading.filter(|_| wanted).map(|reading| fixed(reading.raw, channel.raw_decimals()));
    raw.map(|raw| format!("{raw} → ")).unwrap_or_default()
}

fn draw_digital(
    channel: &Channel,
    shown: ChannelSnapshot,
    theme: Theme,
    area: Rect,
    chosen: bool,
    buffer: &mut Buffer,
) {
    let value = shown.reading.map(|reading| reading.smoothed);
    let word = value.and_then(|value| channel.word(value)).map(|word| format!("{word:<4}"));
    if channel.kind() == Kind::Code {
        let text = word.or_else(|| value.map(|value| fixed(value, channel.decimals())));
        return put_right(
            buffer,
            area,
            0,
            &format!("{} ", text.unwrap_or_default()),
            theme.style(if chosen { Ink::Chosen } else { Ink::Bright }),
        );
    }
    let state = match value {
        _ if word.is_some() => word.as_deref().unwrap_or_default(),
        Some(value) if value >= 0.5 => "HIGH",
        Some(value) if !value.is_nan() => "low ",
        _ => "–   ",
    };
    let rises = shown.watch.rises;
    let ink = theme.style(if chosen { Ink::Chosen } else { Ink::Bright });
    let room = area.width;
    let text = fitting(
        room,
        [
            format!("{state} {} ", counted(rises, "rising edge")),
            format!("{state} {} ↑ ", grouped(rises)),
            format!("{state} "),
        ],
    );
    put_right(buffer, area, 0, &text, ink);
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
        let noise = channel.noise().map(|noise| format!("±{}", form.number(noise, 1)));
        let noise = noise.unwrap_or_default();
        let room = area.width.saturating_sub(1);
        let text = fitting(room, [format!("{range}   noise {noise}"), format!("{range}  {noise}"), range]);
        put(buffer, area, 1, 1, &text, theme.style(Ink::Dim));
    }
    if let Some(watch) = channel.settings().watch {
        let watcher = shown.watch;
        let state = format!("{} {}", side(watcher.side, channel.kind()), watch.threshold);
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
