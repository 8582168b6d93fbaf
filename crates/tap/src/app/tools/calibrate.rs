//! Calibrating: levels of the selected channel against what they really were.

use super::super::{App, Effect, Overlay, Prompt, Purpose};
use amber_core::Stamp;
use amber_core::calibrate::{Compared, Fit, fit, verdict};
use amber_core::digits::{measured, typed, with_unit};
use amber_core::scale::Curve;
use std::collections::HashMap;

/// For each channel, by its title: a row in the middle of a level, and what that level really was. Rows keep their numbers
/// when levels are found anew by another rule.
pub(crate) type Known = HashMap<String, Vec<(u64, f64)>>;

/// What was typed.
#[derive(Debug, Default)]
pub(crate) struct Calibrating {
    pub(in crate::app) known: Known,
    /// The unit of what it really was, where one was typed.
    units: HashMap<String, String>,
    /// The number of the chosen level; the newest otherwise.
    chosen: Option<u64>,
    pub(crate) curve: Curve,
}

/// A level, as it is compared.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Row {
    pub(crate) number: u64,
    pub(crate) from: Stamp,
    pub(crate) seconds: f64,
    pub(crate) open: bool,
    /// The mean behind the sensor's own steps, and its standard error.
    pub(crate) came: f64,
    pub(crate) error: f64,
    /// What the scale makes of it now.
    pub(crate) reads: f64,
    /// What it really was, where that was typed.
    pub(crate) really: Option<f64>,
}

impl App {
    /// The levels of the selected channel, the oldest first.
    pub(crate) fn calibration_rows(&self) -> Vec<Row> {
        let Some(channel) = self.channel() else { return Vec::new() };
        let scale = &channel.settings().scale;
        let sensor = scale.sensor_steps();
        let reference = self.reference(self.selected);
        let known = self.calibrating.known.get(&self.title(self.selected));
        let row = |level: &amber_core::levels::Level| {
            let behind = |raw: f64| scale.walk(raw, reference)[sensor];
            let half = level.spread / (level.count as f64).sqrt() / 2.0;
            Row {
                number: level.number,
                from: level.from,
                seconds: level.seconds(),
                open: level.open,
                came: behind(level.mean),
                error: (behind(level.mean + half) - behind(level.mean - half)).abs(),
                reads: channel.quantity_of(level.mean),
                really: known
                    .and_then(|known| known.iter().find(|(row, _)| level.rows.contains(row)))
                    .map(|(_, really)| *really),
            }
        };
        channel.levels().found().iter().map(row).collect()
    }

    /// The place of the chosen level among the rows.
    pub(crate) fn chosen_level(&self, rows: &[Row]) -> usize {
        let chosen = self.calibrating.chosen.and_then(|number| rows.iter().position(|row| row.number == number));
        chosen.unwrap_or(rows.len().saturating_sub(1))
    }

    pub(crate) fn move_level(&mut self, by: i32) {
        let rows = self.calibration_rows();
        let last = rows.len().saturating_sub(1);
        let at = (self.chosen_level(&rows) as i32 + by).clamp(0, last as i32) as usize;
        // The newest one is followed as new ones come.
        self.calibrating.chosen = rows.get(at).filter(|_| at < last).map(|row| row.number);
    }

    /// Asks what the chosen level really was.
    pub(crate) fn ask_really(&mut self) {
        let rows = self.calibration_rows();
        let Some(row) = rows.get(self.chosen_level(&rows)) else {
            return self.say("no level yet: hold the channel still until one is found", true);
        };
        let unit = self.calibration_unit();
        self.overlays.push(Overlay::Prompt(Prompt::new(
            format!("true value of level {}", row.number),
            "as in: 50, or 50 mm to name the unit too",
            row.really.map(|really| with_unit(really, &unit)).unwrap_or_default(),
            Purpose::Really(row.number),
        )));
    }

    /// The unit of what it really was.
    pub(crate) fn calibration_unit(&self) -> String {
        let typed = self.calibrating.units.get(&self.title(self.selected)).cloned();
        typed.or_else(|| self.channel().map(|channel| channel.settings().scale.unit().to_owned())).unwrap_or_default()
    }

    /// Takes what a level really was.
    ///
    /// # Errors
    /// What is wrong with it.
    pub(crate) fn type_really(&mut self, number: u64, text: &str) -> Result<Vec<Effect>, String> {
        let (value, unit) = text.trim().split_once(' ').unwrap_or((text, ""));
        let really = typed(value)?;
        let found = self.channel().and_then(|channel| channel.levels().found().iter().find(|l| l.number == number));
        let Some(rows) = found.map(|level| level.rows.clone()) else {
            return Err("that level is not kept any more: choose another one".into());
        };
        let title = self.title(self.selected);
        if !unit.trim().is_empty() {
            self.calibrating.units.insert(title.clone(), unit.trim().to_owned());
        }
        let known = self.calibrating.known.entry(title).or_default();
        known.retain(|(row, _)| !rows.contains(row));
        known.push((rows.start + (rows.end - rows.start) / 2, really));
        Ok(Vec::new())
    }

    /// Forgets what was typed for the chosen level, or for all.
    pub(crate) fn forget_really(&mut self, all: bool) {
        let at = self.chosen_level(&self.calibration_rows());
        let chosen =
            self.channel().and_then(|channel| channel.levels().found().get(at).map(|level| level.rows.clone()));
        let title = self.title(self.selected);
        if let Some(known) = self.calibrating.known.get_mut(&title) {
            known.retain(|(row, _)| !all && chosen.as_ref().is_none_or(|rows| !rows.contains(row)));
        }
    }

    pub(crate) fn next_curve(&mut self, by: i32) {
        let at = Curve::ALL.iter().position(|curve| *curve == self.calibrating.curve).unwrap_or(0) as i32;
        self.calibrating.curve = Curve::ALL[(at + by).rem_euclid(Curve::ALL.len() as i32) as usize];
    }

    /// The curve through what was typed so far.
    ///
    /// # Errors
    /// What is missing.
    pub(crate) fn calibration_fit(&self) -> Result<Fit, String> {
        let rows = self.calibration_rows();
        let compared =
            rows.iter().filter_map(|row| Some(Compared { came: row.came, error: row.error, really: row.really? }));
        fit(&compared.collect::<Vec<_>>(), self.calibrating.curve)
    }

    /// How the scale as it is now reads the levels that were typed.
    pub(crate) fn calibration_verdict(&self) -> Option<String> {
        let channel = self.channel()?;
        let scale = &channel.settings().scale;
        // Volts are not compared with millimetres.
        if scale.is_plain() || scale.unit() != self.calibration_unit() {
            return None;
        }
        let rows = self.calibration_rows();
        let pairs: Vec<(f64, f64)> = rows.iter().filter_map(|row| Some((row.reads, row.really?))).collect();
        let ends = pairs.iter().map(|(_, really)| (*really, *really)).reduce(|a, b| (a.0.min(b.0), a.1.max(b.1)));
        let typed = ends.map_or(0.0, |(least, most)| most - least);
        let span = channel.settings().scale.calibration().map_or(typed, |calibration| calibration.span());
        verdict(&pairs, span)
    }

    /// Takes the curve into the scale.
    pub(crate) fn take_calibration(&mut self) {
        let mut calibration = match self.calibration_fit() {
            Ok(fit) => fit.calibration,
            Err(wrong) => return self.say(wrong, true),
        };
        calibration.date = self.wall(self.now, "%Y-%m-%d %H:%M");
        calibration.unit = self.calibration_unit();
        let what = match (calibration.curve, self.calibration_line(&calibration.terms)) {
            (Curve::Line, Some(line)) => line,
            (curve, _) => curve.name().to_owned(),
        };
        let title = self.title(self.selected);
        self.edit_channel(|channel| channel.scale.calibrate(calibration));
        self.axes.clear();
        self.say(format!("{title} is calibrated: {what}; s saves it, u undoes it"), false);
    }

    /// Gain and offset of a line, with their units.
    pub(crate) fn calibration_line(&self, terms: &[f64]) -> Option<String> {
        let [constant, factor] = terms else { return None };
        let scale = &self.channel()?.settings().scale;
        let (before, behind) = (scale.unit_behind(scale.sensor_steps()).to_owned(), self.calibration_unit());
        let per = match (behind.as_str(), before.as_str()) {
            (unit, "") => unit.to_owned(),
            ("", unit) => format!("for each {unit}"),
            (unit, before) => format!("{unit}/{before}"),
        };
        let offset = -constant / factor;
        let places = amber_core::digits::decimals(factor.abs() / 1e5);
        let gain = with_unit(amber_core::digits::fixed(*factor, places), &per);
        Some(format!("gain {gain}, offset {}", measured(offset, offset.abs().max(1e-6) / 1e4, &before)))
    }
}
