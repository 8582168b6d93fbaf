//! Stations: what the channels came to at numbered places, in a table. One key takes the next one.

use super::block::copied;
use super::{About, Effect, Place, Room, RoomId, listed, outside};
use crate::keys::{Binding, Key, NONE, keys};
use crate::rooms::prompt::Prompt;
use crate::screen::text::{cut, put, put_right, wrapped};
use crate::session::Session;
use crate::theme::{Ink, Theme};
use amber_core::Stamp;
use amber_core::bench::Kind;
use amber_core::digits::{duration, fixed, short};
use amber_core::keep::Station;
use amber_core::tail::visible;
use amber_io::take::stations_csv;
use crossterm::event::KeyCode::{BackTab, Char, Enter, Esc, Tab};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The stations.
#[derive(Debug, Default)]
pub(crate) struct Stations;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Next,
    Again,
    Rule,
    Name,
    Down,
    Up,
    Write,
    Copy,
    Close,
}

const KEYS: &[Binding<Action>] = keys! {
    [(Char('N'), NONE)], Action::Next, "N", "take the next station, or cancel it", Some("N next station"), channel;
    [(Char('r'), NONE)], Action::Again, "r", "take the selected station again", Some("r repeat"), channel;
    [(Char('e'), NONE)], Action::Rule, "e", "what is taken: a number of rows, or the next level", Some("e rows");
    [(Enter, NONE)], Action::Name, "Enter", "name the selected station", Some("Enter name");
    [(Tab, NONE)], Action::Down, "Tab", "the next station in the list", Some("Tab select");
    [(BackTab, NONE)], Action::Up, "Shift-Tab", "the station before", None;
    [(Char('w'), NONE)], Action::Write, "w", "write the stations as CSV", Some("w write");
    [(Char('C'), NONE)], Action::Copy, "C", "copy the stations to the clipboard", Some("C copy");
    [(Esc, NONE)], Action::Close, "Esc", "back to the chart", Some("Esc chart");
};

/// Asks what is taken at a station.
pub(crate) fn ask_rule(session: &Session) -> Effect {
    let hint = "a number of rows, as in 100 rows; or next level: the next settled stretch of the selected channel";
    let now = session.shared().keep.station.to_string();
    Effect::Ask(Prompt::new("taken at a station", hint, now, |app, text| {
        let rule = text.parse()?;
        app.session.edit_shared(|shared| shared.keep.station = rule);
        Ok(Vec::new())
    }))
}

fn csv(session: &Session) -> String {
    let first = session.stations.list.iter().map(|station| station.times.0).min();
    stations_csv(&session.stations.list, first.unwrap_or(Stamp(0)))
}

impl Room for Stations {
    type Action = Action;
    const ABOUT: About =
        About { name: "stations", help: "means and spreads at numbered places, one key each", place: Place::Middle };

    fn bindings() -> Vec<(&'static Key, Action)> {
        listed(KEYS)
    }

    fn act(&mut self, action: Action, session: &mut Session) -> Vec<Effect> {
        let count = session.stations.list.len();
        let selected = session.stations.selected;
        if count == 0 && matches!(action, Action::Again | Action::Name | Action::Write | Action::Copy) {
            session.say("no station yet: N takes the first", true);
            return Vec::new();
        }
        match action {
            Action::Next => return outside(session.take_station(None)),
            Action::Again => {
                let number = session.stations.list.get(selected).map(|station| station.number);
                return outside(session.take_station(number));
            }
            Action::Rule => return vec![ask_rule(session)],
            Action::Name => {
                let Some(station) = session.stations.list.get(selected) else { return Vec::new() };
                let title = format!("station {}", station.number);
                let name = move |app: &mut crate::app::App, text: &str| {
                    Ok(outside(app.session.name_station(selected, text.trim())))
                };
                return vec![Effect::Ask(Prompt::new(
                    title,
                    "what it is called; may be empty",
                    station.name.clone(),
                    name,
                ))];
            }
            Action::Down => session.stations.selected = (selected + 1).min(count.saturating_sub(1)),
            Action::Up => session.stations.selected = selected.saturating_sub(1),
            Action::Write => {
                let text = csv(session);
                return vec![session.write_csv("stations", text).into()];
            }
            Action::Copy => return copied(csv(session), session),
            Action::Close => return vec![Effect::Show(RoomId::Chart)],
        }
        Vec::new()
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        draw(session, theme, area, buffer);
    }
}

/// Columns of the number and the name, and of one channel.
const NUMBER: u16 = 6;
const NAME: u16 = 16;
const CHANNEL: u16 = 14;

fn draw(session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
    put(buffer, area, 0, 0, &"─".repeat(usize::from(area.width)), theme.style(Ink::Faint));
    put(buffer, area, 1, 0, " stations: mean, ± standard deviation ", theme.style(Ink::Bright));
    let rule = format!(" each: {} ", session.shared().keep.station);
    put_right(buffer, area, 0, &rule, theme.style(Ink::Dim));
    let list = &session.stations.list;
    let progress = session.station_progress();
    if let Some(progress) = &progress {
        put(buffer, area, 2, area.height.saturating_sub(1), progress, theme.style(Ink::Alert));
    }
    if list.is_empty() {
        let words = "No station yet. Go to the first place, wait until the readings are steady, and press N: the mean and the \
                     spread of each channel become a row of this table. Then go to the next place and press N again.";
        for (line, y) in wrapped(words, area.width.saturating_sub(4).into()).into_iter().zip(2..) {
            put(buffer, area, 2, y, &line, theme.style(Ink::Text));
        }
        return;
    }
    let columns = columns(session, list, area.width);
    for (column, (channel, unit)) in columns.iter().enumerate() {
        let place = cell(area, column, 1);
        put_right(buffer, place, 0, &cut(visible(channel.as_bytes()), CHANNEL - 1), theme.style(Ink::Bright));
        put_right(buffer, Rect { y: place.y + 1, ..place }, 0, unit, theme.style(Ink::Dim));
    }
    put(buffer, area, 1, 1, "no.", theme.style(Ink::Bright));
    put(buffer, area, NUMBER, 1, "name", theme.style(Ink::Bright));
    put(buffer, area, NUMBER, 2, "time, length", theme.style(Ink::Dim));
    // Two lines each, the selected one in view.
    let room = usize::from(area.height.saturating_sub(4)) / 2;
    let selected = session.stations.selected.min(list.len() - 1);
    let first = (selected + 1).saturating_sub(room.max(1));
    for (row, (place, station)) in list.iter().enumerate().skip(first).take(room).enumerate() {
        let y = 3 + 2 * row as u16;
        let ink = theme.style(if place == selected { Ink::Chosen } else { Ink::Text });
        put(buffer, area, 0, y, if place == selected { "▸" } else { " " }, ink);
        put(buffer, area, 1, y, &format!("{:>3}", station.number), ink);
        put(buffer, area, NUMBER, y, &cut(visible(station.name.as_bytes()), NAME - 1), ink);
        let (begin, end) = station.times;
        let when = format!("{}, {}", session.when(begin, "%H:%M:%S"), duration(end.seconds_since(begin)));
        put(buffer, area, NUMBER, y + 1, &cut(when, NAME + 4), theme.style(Ink::Faint));
        for (column, (channel, _)) in columns.iter().enumerate() {
            let Some(reading) = station.readings.iter().find(|reading| reading.channel == *channel) else { continue };
            let decimals = decimals_of(session, channel);
            let line = cell(area, column, y);
            put_right(buffer, line, 0, &fixed(reading.mean, decimals), ink);
            // One that would read as nothing has digits of its own.
            let is_small = reading.deviation > 0.0 && reading.deviation < 0.5 * 10f64.powi(-(decimals as i32));
            let spread = if is_small { short(reading.deviation, 2) } else { fixed(reading.deviation, decimals) };
            let spread = format!("± {spread}");
            put_right(buffer, Rect { y: line.y + 1, ..line }, 0, &spread, theme.style(Ink::Dim));
        }
    }
}

fn cell(area: Rect, column: usize, y: u16) -> Rect {
    let x = NUMBER + NAME + CHANNEL * column as u16;
    Rect { x: area.x + x, y: area.y + y, width: CHANNEL.min(area.width.saturating_sub(x)), height: 1 }
}

/// A mean has a digit more than a single value.
fn decimals_of(session: &Session, title: &str) -> usize {
    let own = session.chain().channels().iter().find(|channel| channel.title() == title);
    own.map_or(3, |channel| if channel.kind() == Kind::Digital { 2 } else { channel.decimals() + 1 })
}

/// The channels of all stations with their units, as many as there is room for; the selected channel is among them.
fn columns(session: &Session, list: &[Station], width: u16) -> Vec<(String, String)> {
    let mut all: Vec<(String, String)> = Vec::new();
    for reading in list.iter().flat_map(|station| &station.readings) {
        if !all.iter().any(|(channel, _)| *channel == reading.channel) {
            all.push((reading.channel.clone(), reading.unit.clone()));
        }
    }
    let room = usize::from(width.saturating_sub(NUMBER + NAME) / CHANNEL).max(1);
    let selected = session.channel().map_or("", |channel| channel.title());
    let at = all.iter().position(|(channel, _)| channel == selected).unwrap_or(0);
    let first = (at + 1).saturating_sub(room).min(all.len().saturating_sub(room));
    all.into_iter().skip(first).take(room).collect()
}
