//! How the selected channel keeps to its target: the stretch in view with the target and its band, and what it comes to.

use super::prompt::Prompt;
use super::{About, Effect, Follow, Place, Room, listed};
use crate::keys::{Binding, Key, NONE, keys};
use crate::screen::plot::{GUTTER, limits, spans, trace, x_axis, y_axis};
use crate::screen::text::{cut, put, put_right};
use crate::session::{ChannelId, Session};
use crate::theme::{Ink, Theme};
use amber_core::chain::Channel;
use amber_core::clock::Across;
use amber_core::digits::{fixed, set_value, typed, with_unit};
use amber_core::watch::Side;
use amber_core::watch::target::{Kept, Row, Target as Settings, kept};
use crossterm::event::KeyCode::{Char, Esc};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The view of a target.
#[derive(Debug, Default)]
pub(crate) struct Target {
    /// What was found, and what it is of: the channel, the rows and the settings.
    found: Option<(Of, Option<Kept>)>,
}

type Of = (ChannelId, std::ops::Range<u64>, u64);

/// The most rows that are looked at.
const MOST: u64 = 200_000;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    To,
    Band,
    Steered,
    Close,
}

const KEYS: &[Binding<Action>] = keys! {
    [(Char('e'), NONE)], Action::To, "e", "the target: a number, or a channel that says it", Some("e target"), channel;
    [(Char('b'), NONE)], Action::Band, "b", "the width of the band around the target", Some("b band"), channel;
    [(Char('w'), NONE)], Action::Steered, "w", "the channel that steers, such as a heater", Some("w steered by"), channel;
    [(Esc, NONE)], Action::Close, "Esc", "back to the chart", Some("Esc close");
};

impl Room for Target {
    type Action = Action;
    const ABOUT: About = About {
        name: "target",
        help: "how a channel keeps to what something steers it to: overshoot, ripple, cycle, settling",
        place: Place::Middle,
    };

    fn bindings() -> Vec<(&'static Key, Action)> {
        listed(KEYS)
    }

    fn act(&mut self, action: Action, session: &mut Session) -> Vec<Effect> {
        let Some(channel) = session.channel() else { return Vec::new() };
        let (own, unit) = (channel.wished().target.clone(), channel.settings().scale.unit().to_owned());
        let prompt = match action {
            Action::Close => return vec![Effect::Close],
            Action::To => {
                let offered = own.as_ref().map_or(String::new(), |target| target.to.clone());
                let hint = format!("a number ({unit}), or the name of a channel; nothing deletes the target");
                Prompt::new("target", hint, offered, |app, text| {
                    let text = text.trim();
                    if !text.is_empty() && typed(text).is_err() {
                        app.session.known_channel(text)?;
                    }
                    let session = &mut app.session;
                    // A band to begin with: ten times the noise.
                    let noise = session.snapshot.of(session.selected).noise.map_or(0.0, |noise| noise.deviation);
                    let step = session.channel().map_or(1.0, Channel::resolution);
                    let band: f64 = fixed((10.0 * noise).max(step.max(1e-9) * 10.0), 6).parse().unwrap_or(1.0);
                    set(session, |target| match (target, text.is_empty()) {
                        (_, true) => None,
                        (Some(target), false) => Some(Settings { to: text.to_owned(), ..target }),
                        (None, false) => Some(Settings { to: text.to_owned(), band, steered_by: String::new() }),
                    })
                })
            }
            Action::Band | Action::Steered => {
                let Some(target) = own else {
                    session.say("no target yet: e sets one", true);
                    return Vec::new();
                };
                if action == Action::Band {
                    let hint = format!(
                        "a number above 0 ({unit}): within half of it above and below the target it is in band"
                    );
                    Prompt::new("band", hint, target.band.to_string(), |app, text| {
                        let band = typed(text.trim())?;
                        set(&mut app.session, |target| target.map(|target| Settings { band, ..target }))
                    })
                } else {
                    let hint = "the name of a digital channel, or of one with a threshold; nothing where none is known";
                    Prompt::new("steered by", hint, target.steered_by, |app, text| {
                        let text = text.trim().to_owned();
                        if !text.is_empty() {
                            app.session.known_channel(&text)?;
                        }
                        set(&mut app.session, |target| target.map(|target| Settings { steered_by: text, ..target }))
                    })
                }
            }
        };
        vec![Effect::Ask(prompt)]
    }

    fn follow(&mut self, session: &mut Session, time: Follow) -> bool {
        if !time.is_open || session.channel().is_none() {
            return false;
        }
        let rows = session.viewport.rows_of(session.place());
        let rows = rows.start.max(rows.end.saturating_sub(MOST))..rows.end;
        let of = (session.selected, rows.clone(), session.revision());
        let is_due = self.found.as_ref().is_none_or(|(known, _)| (known.0, known.2) != (of.0, of.2))
            || (time.refreshed && self.found.as_ref().is_some_and(|(known, _)| *known != of));
        if is_due {
            let target = session.channel().and_then(|channel| channel.settings().target.clone());
            let found = target.and_then(|target| kept(&rows_of(session, &target, rows), target.band));
            self.found = Some((of, found));
        }
        is_due
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        draw(self, session, theme, area, buffer);
    }
}

impl Target {
    /// The stretch in view with what it comes to, as a figure; none without a target.
    pub(crate) fn figure(&self, session: &Session) -> Option<amber_plot::Figure> {
        let channel = session.channel()?;
        let target = channel.settings().target.as_ref()?;
        let found = self.found.as_ref().and_then(|(_, found)| found.as_ref())?;
        let facts: Vec<String> = facts(found, target, channel, session.across())
            .into_iter()
            .map(|(name, value)| format!("{name}: {value}"))
            .collect();
        let notes = facts.chunks(4).map(|line| line.join("; ")).collect();
        crate::figure::target(session, target, notes)
    }
}

/// Changes the target of the selected channel.
fn set(
    session: &mut Session,
    change: impl FnOnce(Option<Settings>) -> Option<Settings>,
) -> Result<Vec<Effect>, String> {
    let Some(channel) = session.channel() else { return Ok(Vec::new()) };
    let target = change(channel.wished().target.clone());
    if let Some(fault) = target.as_ref().and_then(Settings::fault) {
        return Err(fault.into());
    }
    session.edit_channel(|channel| channel.target = target);
    Ok(Vec::new())
}

/// The target in a row; NaN where the channel that says it has a gap.
fn target_at(session: &Session, target: &Settings, row: u64) -> f64 {
    match typed(target.to.trim()) {
        Ok(value) => value,
        Err(_) => {
            let id = session.channel_of(target.to.trim());
            id.and_then(|id| session.channel_at(id).output().get(row)).unwrap_or(f64::NAN)
        }
    }
}

fn rows_of(session: &Session, target: &Settings, rows: std::ops::Range<u64>) -> Vec<Row> {
    let (store, Some(channel)) = (session.chain().store(), session.channel()) else { return Vec::new() };
    let steered = session.channel_of(&target.steered_by).map(|id| session.channel_at(id));
    let row = |row: u64| {
        let is_steered = steered.and_then(|own| match own.watcher().side_at(row) {
            Side::Unknown => None,
            side => Some(side == Side::Above),
        });
        let deviation = channel.output().get(row)? - target_at(session, target, row);
        Some(Row { at: store.time(row)?, deviation, is_steered, is_broken: store.breaks_before(row) })
    };
    rows.filter_map(row).collect()
}

fn draw(room: &Target, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
    put(buffer, area, 0, 0, &"─".repeat(usize::from(area.width)), theme.style(Ink::Faint));
    let Some(channel) = session.channel() else {
        put(buffer, area, 2, 2, "no channel yet: rows must arrive first", theme.style(Ink::Dim));
        return;
    };
    let unit = channel.settings().scale.unit();
    let title = session.title(session.selected);
    let Some(target) = channel.settings().target.clone() else {
        put(buffer, area, 1, 0, &format!(" target of {title} "), theme.style(Ink::Bright));
        put(
            buffer,
            area,
            2,
            2,
            "no target yet: e sets one, for a channel that something steers",
            theme.style(Ink::Text),
        );
        return;
    };
    let to = typed(target.to.trim()).map_or_else(|_| target.to.clone(), |value| set_value(value, unit));
    let head = format!(" target of {title}: {to}, band {} ", set_value(target.band, unit));
    put(buffer, area, 1, 0, &cut(head, area.width.saturating_sub(26)), theme.style(Ink::Bright));
    put_right(
        buffer,
        area,
        0,
        &format!(" {} in view ", session.across().length(session.viewport.span)),
        theme.style(Ink::Dim),
    );
    let facts = room
        .found
        .as_ref()
        .and_then(|(_, found)| *found)
        .map(|found| facts(&found, &target, channel, session.across()));
    let facts = facts.unwrap_or_else(|| vec![("no rows in view".into(), String::new())]);
    // The figures stand in columns below the plot.
    let across = (area.width / 38).max(1) as usize;
    let high = (facts.len().div_ceil(across) as u16).min(area.height / 2);
    for (at, (name, value)) in facts.iter().enumerate() {
        let (x, y) = ((at / usize::from(high.max(1))) as u16 * 38, (at % usize::from(high.max(1))) as u16);
        let cell = Rect { x: area.x + 1 + x, y: area.bottom().saturating_sub(high) + y, width: 36, height: 1 };
        if cell.right() > area.right() {
            break;
        }
        put(buffer, cell, 0, 0, name, theme.style(Ink::Dim));
        put_right(buffer, cell, 0, value, theme.style(Ink::Bright));
    }
    let plot = Rect {
        x: area.x + GUTTER,
        y: area.y + 1,
        width: area.width.saturating_sub(GUTTER + 2),
        height: area.height.saturating_sub(high + 3),
    };
    if plot.height < 3 || plot.width < 12 {
        return;
    }
    let view = &session.viewport;
    let store = session.chain().store();
    let rows = view.rows_of(session.place());
    let share = |row: u64| store.time(row).map(|at| at.seconds_since(view.begin) / view.span);
    let columns = usize::from(plot.width) * 2;
    let line = |value: &dyn Fn(u64) -> Option<f64>| {
        spans(rows.clone().filter_map(|row| Some((share(row)?, value(row)?))), columns)
    };
    let own = line(&|row| channel.output().get(row));
    let aim = line(&|row| Some(target_at(session, &target, row)));
    let half = target.band / 2.0;
    let edges = [-half, half].map(|by| aim.iter().map(|span| span.map(|(low, high)| (low + by, high + by))).collect());
    let [low, high_edge]: [crate::screen::plot::Spans; 2] = edges;
    let Some(ends) = limits([&own, &low, &high_edge].into_iter()) else { return };
    y_axis(ends, plot, theme, buffer);
    let across = session.across();
    x_axis((-across.of(view.span), 0.0), across.unit(), plot, theme, buffer);
    for edge in [&low, &high_edge] {
        trace(edge, ends, plot, theme.style(Ink::Faint), buffer);
    }
    trace(&aim, ends, plot, theme.style(Ink::Dim), buffer);
    trace(&own, ends, plot, theme.style(Ink::Trace(session.ink(session.selected))), buffer);
}

/// What a stretch comes to, each with its name.
fn facts(found: &Kept, target: &Settings, channel: &Channel, across: Across) -> Vec<(String, String)> {
    let unit = channel.settings().scale.unit();
    let places = channel.decimals() + 1;
    let value = |value: f64| with_unit(fixed(value, places), unit);
    let share = |share: f64| format!("{} %", fixed(100.0 * share, 1));
    let none = || "–".to_owned();
    let after = |of: f64| found.reached.map_or_else(none, |_| value(of));
    let mut facts = vec![
        ("reached after".to_owned(), found.reached.map_or("not in view".into(), |seconds| across.length(seconds))),
        ("overshoot".into(), after(found.overshoot)),
        ("undershoot".into(), after(found.undershoot)),
        ("ripple, peak to peak".into(), found.ripple().map_or_else(none, value)),
        ("mean deviation".into(), after(found.offset)),
        ("settling time".into(), found.settling.map_or("not settled in view".into(), |seconds| across.length(seconds))),
        ("time in band".into(), share(found.in_band)),
    ];
    match found.cycle {
        Some((shortest, mean, longest, count)) => {
            facts.push(("cycle, mean".into(), format!("{}, of {count}", across.length(mean))));
            facts.push((
                "cycle, min to max".into(),
                format!("{} to {}", across.length(shortest), across.length(longest)),
            ));
        }
        None => facts.push(("cycle".into(), "none complete in view".into())),
    }
    let steered = if target.steered_by.is_empty() { "w says what steers it" } else { "not known yet" };
    let of = if target.steered_by.is_empty() { String::new() } else { format!(" of {}", target.steered_by) };
    facts.push((format!("duty{of}"), found.duty.map_or(steered.into(), share)));
    facts
}
