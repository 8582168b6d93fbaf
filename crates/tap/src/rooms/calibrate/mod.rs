//! Calibrating: levels of the selected channel against their true values.

mod view;

use super::prompt::Prompt;
use super::{About, Effect, Place, Room, listed};
use crate::keys::{Binding, Key, NONE, keys};
use crate::session::Session;
use crate::theme::Theme;
use amber_core::Stamp;
use amber_core::calibrate::{Compared, Fit, fit, verdict};
use amber_core::digits::{decimals, fixed, measured, typed, with_unit};
use amber_core::scale::Curve;
use crossterm::event::KeyCode::{Char, Delete, Down, Enter, Esc, Left, Right, Up};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use std::collections::HashMap;

/// What is selected, and the units that were typed.
#[derive(Debug, Default)]
pub(crate) struct Calibrate {
    /// The unit of the true values, where one was typed, by the channel's title.
    units: HashMap<String, String>,
    /// The number of the selected level; the newest otherwise.
    selected: Option<u64>,
    curve: Curve,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    LevelUp,
    LevelDown,
    Type,
    Forget,
    ForgetAll,
    PreviousCurve,
    NextCurve,
    Accept,
    Figure,
    Close,
}

const KEYS: &[Binding<Action>] = keys! {
    [(Up, NONE)], Action::LevelUp, "↑", "the level before", None, channel;
    [(Down, NONE)], Action::LevelDown, "↓", "the level after; at the end, the newest is followed", Some("↑↓ level"), channel;
    [(Enter, NONE)], Action::Type, "Enter", "type the true value of the level", Some("Enter true value"), channel;
    [(Char('x'), NONE), (Delete, NONE)], Action::Forget, "x", "delete the true value of the level", Some("x delete"), channel;
    [(Char('C'), NONE)], Action::ForgetAll, "C", "delete all true values, to compare afresh", None, channel;
    [(Left, NONE)], Action::PreviousCurve, "←", "the curve before: line, degree 2 and 3, table", None, channel;
    [(Right, NONE)], Action::NextCurve, "→", "the next curve", Some("←→ curve"), channel;
    [(Char('a'), NONE)], Action::Accept, "a", "add the curve to the scale", Some("a add to the scale"), channel;
    [(Char('f'), NONE)], Action::Figure, "f", "write the calibration of the scale as a figure", None, channel;
    [(Esc, NONE)], Action::Close, "Esc", "close", Some("Esc close");
};

impl Room for Calibrate {
    type Action = Action;
    const ABOUT: About = About {
        name: "calibrate",
        help: "levels of the channel against known values, and the curve through them",
        place: Place::Side(62),
    };

    fn bindings() -> Vec<(&'static Key, Action)> {
        listed(KEYS)
    }

    fn act(&mut self, action: Action, session: &mut Session) -> Vec<Effect> {
        match action {
            Action::LevelUp => self.move_level(-1, session),
            Action::LevelDown => self.move_level(1, session),
            Action::Type => return self.ask_true(session),
            Action::Forget => self.forget(false, session),
            Action::ForgetAll => self.forget(true, session),
            Action::PreviousCurve => self.next_curve(-1),
            Action::NextCurve => self.next_curve(1),
            Action::Accept => self.add_to_scale(session),
            Action::Figure => {
                let own = session.channel().and_then(|channel| channel.settings().scale.calibration());
                if own.is_some() {
                    return vec![crate::session::Request::Figure.into()];
                }
                session.say("no calibration is in the scale yet: a adds the curve to it", true);
            }
            Action::Close => return vec![Effect::Close],
        }
        Vec::new()
    }

    fn scroll(&mut self, by: i32, session: &mut Session) -> bool {
        self.move_level(by.signum(), session);
        true
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        view::draw(self, session, theme, area, buffer);
    }
}

/// A level, as it is compared.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Row {
    number: u64,
    from: Stamp,
    seconds: f64,
    open: bool,
    /// The mean behind the sensor's own steps, and its standard error.
    came: f64,
    error: f64,
    /// What the scale makes of it now.
    reads: f64,
    /// Its true value, where that was typed.
    pub(crate) truth: Option<f64>,
}

impl Calibrate {
    #[cfg(test)]
    pub(crate) fn curve(&self) -> Curve {
        self.curve
    }

    /// The levels of the selected channel, the oldest first.
    pub(crate) fn rows(&self, session: &Session) -> Vec<Row> {
        let Some(channel) = session.channel() else { return Vec::new() };
        let scale = &channel.settings().scale;
        let sensor = scale.sensor_steps();
        let reference = session.reference(session.selected);
        let known = session.known();
        let row = |level: &amber_core::levels::Level| {
            let behind = |raw: f64| scale.walk(raw, reference).get(sensor).copied().unwrap_or(f64::NAN);
            let half = level.spread / (level.count as f64).sqrt() / 2.0;
            Row {
                number: level.number,
                from: level.from,
                seconds: level.seconds(),
                open: level.open,
                came: behind(level.mean),
                error: (behind(level.mean + half) - behind(level.mean - half)).abs(),
                reads: channel.quantity_of(level.mean),
                truth: known.iter().find(|(row, _)| level.rows.contains(row)).map(|(_, truth)| *truth),
            }
        };
        channel.levels().found().iter().map(row).collect()
    }

    /// The place of the chosen level among the rows.
    fn selected_level(&self, rows: &[Row]) -> usize {
        let chosen = self.selected.and_then(|number| rows.iter().position(|row| row.number == number));
        chosen.unwrap_or(rows.len().saturating_sub(1))
    }

    fn move_level(&mut self, by: i32, session: &Session) {
        let rows = self.rows(session);
        let last = rows.len().saturating_sub(1);
        let at = (self.selected_level(&rows) as i32 + by).clamp(0, last as i32) as usize;
        // The newest one is followed as new ones come.
        self.selected = rows.get(at).filter(|_| at < last).map(|row| row.number);
    }

    /// Asks for the true value of the selected level.
    fn ask_true(&self, session: &mut Session) -> Vec<Effect> {
        let rows = self.rows(session);
        let Some(row) = rows.get(self.selected_level(&rows)) else {
            session.say("no level yet: hold the channel still until one is found", true);
            return Vec::new();
        };
        let (number, unit) = (row.number, self.unit(session));
        vec![Effect::Ask(Prompt::new(
            format!("true value of level {number}"),
            "as in: 50, or 50 mm to name the unit too",
            row.truth.map(|truth| with_unit(truth, &unit)).unwrap_or_default(),
            move |app, text| {
                app.rooms.calibrate.take_true(number, text, &mut app.session)?;
                Ok(Vec::new())
            },
        ))]
    }

    /// The unit of the true values.
    fn unit(&self, session: &Session) -> String {
        let typed = self.units.get(&session.title(session.selected)).cloned();
        typed
            .or_else(|| session.channel().map(|channel| channel.settings().scale.unit().to_owned()))
            .unwrap_or_default()
    }

    /// Takes the true value of a level.
    ///
    /// # Errors
    /// What is wrong with it.
    fn take_true(&mut self, number: u64, text: &str, session: &mut Session) -> Result<(), String> {
        let (value, unit) = text.trim().split_once(' ').unwrap_or((text, ""));
        let truth = typed(value)?;
        let found = session.channel().and_then(|channel| channel.levels().found().iter().find(|l| l.number == number));
        let Some(rows) = found.map(|level| level.rows.clone()) else {
            return Err("that level is not kept any more: choose another one".into());
        };
        if !unit.trim().is_empty() {
            self.units.insert(session.title(session.selected), unit.trim().to_owned());
        }
        session.edit_known(|known| {
            known.retain(|(row, _)| !rows.contains(row));
            known.push((rows.start + (rows.end - rows.start) / 2, truth));
        });
        Ok(())
    }

    /// Deletes the true value of the selected level, or of all.
    fn forget(&mut self, all: bool, session: &mut Session) {
        let at = self.selected_level(&self.rows(session));
        let level = session.channel().and_then(|channel| channel.levels().found().get(at));
        let selected = level.map(|level| level.rows.clone());
        let is_kept = |row: &u64| !all && selected.as_ref().is_none_or(|rows| !rows.contains(row));
        if session.known().iter().any(|(row, _)| !is_kept(row)) {
            session.edit_known(|known| known.retain(|(row, _)| is_kept(row)));
        }
    }

    fn next_curve(&mut self, by: i32) {
        self.curve = super::turned(&Curve::ALL, self.curve, by);
    }

    /// The curve through what was typed so far.
    ///
    /// # Errors
    /// What is missing.
    pub(crate) fn fit(&self, session: &Session) -> Result<Fit, String> {
        let rows = self.rows(session);
        let compared =
            rows.iter().filter_map(|row| Some(Compared { came: row.came, error: row.error, really: row.truth? }));
        fit(&compared.collect::<Vec<_>>(), self.curve)
    }

    /// How the scale as it is now reads the levels that were typed.
    fn verdict(&self, session: &Session) -> Option<String> {
        let channel = session.channel()?;
        let scale = &channel.settings().scale;
        // Volts are not compared with millimetres.
        if scale.is_plain() || scale.unit() != self.unit(session) {
            return None;
        }
        let rows = self.rows(session);
        let pairs: Vec<(f64, f64)> = rows.iter().filter_map(|row| Some((row.reads, row.truth?))).collect();
        let ends = pairs.iter().map(|(_, truth)| (*truth, *truth)).reduce(|a, b| (a.0.min(b.0), a.1.max(b.1)));
        let typed = ends.map_or(0.0, |(least, most)| most - least);
        let span = channel.settings().scale.calibration().map_or(typed, |calibration| calibration.span());
        verdict(&pairs, span)
    }

    /// Adds the curve to the scale.
    fn add_to_scale(&mut self, session: &mut Session) {
        let mut calibration = match self.fit(session) {
            Ok(fit) => fit.calibration,
            Err(wrong) => return session.say(wrong, true),
        };
        calibration.date = session.wall(session.now, "%Y-%m-%d %H:%M");
        calibration.unit = self.unit(session);
        let what = match (calibration.curve, self.line(&calibration.terms, session)) {
            (Curve::Line, Some(line)) => line,
            (curve, _) => curve.name().to_owned(),
        };
        let title = session.title(session.selected);
        let threshold = session.edit_channel(|channel| channel.scale.calibrate(calibration));
        let threshold = threshold.map_or(String::new(), |told| format!("; {told}"));
        session.lane_axes.clear();
        session.say(format!("{title} is calibrated: {what}{threshold}; s saves it, u undoes it"), false);
    }

    /// Gain and offset of a line, with their units.
    fn line(&self, terms: &[f64], session: &Session) -> Option<String> {
        let [constant, factor] = terms else { return None };
        let scale = &session.channel()?.settings().scale;
        let (before, behind) = (scale.unit_behind(scale.sensor_steps()).to_owned(), self.unit(session));
        let per = match (behind.as_str(), before.as_str()) {
            (unit, "") => unit.to_owned(),
            ("", unit) => format!("for each {unit}"),
            (unit, before) => format!("{unit}/{before}"),
        };
        let offset = -constant / factor;
        let places = decimals(factor.abs() / 1e5);
        let gain = with_unit(fixed(*factor, places), &per);
        Some(format!("gain {gain}, offset {}", measured(offset, offset.abs().max(1e-6) / 1e4, &before)))
    }
}
