//! One channel: its settings, its derived series and what is known of it.

use super::states::States;
use crate::Stamp;
use crate::bench::{ChannelSettings, Kind};
use crate::clock::{names_a_clock, numbers_rows};
use crate::derive::{GAP, LastValues, Values};
use crate::digits;
use crate::formula::{FormulaStep, SEEN, Stage};
use crate::levels::{LevelRule, Levels};
use crate::scale::Scaler;
use crate::smooth::smooths;
use crate::split::{Column, STATE_WORDS};
use crate::store::{Series, Spill, Store};
use crate::watch::{Watch, Watcher};
use std::ops::Range;

/// The threshold by which a digital channel's edges are counted.
pub const LOGIC: Watch = Watch { threshold: 0.5, hysteresis: 0.0, hold: 0.0, lane: false };

/// Before the first value.
const NOWHERE: (f64, f64) = (f64::INFINITY, f64::NEG_INFINITY);

/// A channel's value as it leaves each stage, in one row. NaN stands for a gap throughout.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ChannelValues {
    /// As it came.
    pub raw: f64,
    /// Behind the converter, when one is described.
    pub volts: Option<f64>,
    /// Scaled.
    pub quantity: f64,
    /// Smoothed; the quantity itself when smoothing is off.
    pub smoothed: f64,
    /// What the channel says that is the converter's reference, where one is.
    pub reference: Option<f64>,
}

/// One channel.
#[derive(Clone, Debug)]
pub struct Channel {
    /// Those that its history was made with.
    settings: ChannelSettings,
    /// Those that its history will be made with.
    wished: Option<ChannelSettings>,
    scaler: Scaler,
    /// The scale without its rounding.
    unrounded: Scaler,
    scaled: Series,
    smoothed: Option<Series>,
    watcher: Watcher,
    levels: Levels,
    /// How its raw text is written.
    column: Column,
    /// How fine the values of its formula are; NaN where that is not known.
    formula_step: f64,
    /// The same by its first rows, by which its levels go: they are to be the same however the rows came.
    first_step: f64,
    /// How many of the first rows were searched for levels.
    first_rows: usize,
    /// The quantity of one raw step.
    resolution: f64,
    /// Rows get their time from it, or it counts them.
    pub(super) is_timer: bool,
    only_bits: bool,
    states: States,
    rising: bool,
    /// Least and most raw value so far.
    ends: (f64, f64),
    last: LastValues,
    /// What the reference channel said last.
    reference: f64,
}

impl Default for Channel {
    /// One without a name and without a row.
    fn default() -> Channel {
        Channel::new(ChannelSettings::named(""), LevelRule::default(), 0..0)
    }
}

impl Channel {
    /// A channel whose history, of `rows`, is gaps.
    pub(super) fn new(settings: ChannelSettings, rule: LevelRule, rows: Range<u64>) -> Self {
        let mut channel = Channel {
            scaler: Scaler::default(),
            unrounded: Scaler::default(),
            scaled: Series::starting_at(rows.start),
            smoothed: None,
            watcher: Watcher::new(LOGIC, rows.end),
            levels: Levels::new(rule),
            column: Column::default(),
            formula_step: f64::NAN,
            first_step: f64::NAN,
            first_rows: 0,
            resolution: 1.0,
            is_timer: false,
            only_bits: true,
            states: States::default(),
            rising: true,
            ends: NOWHERE,
            last: GAP,
            reference: f64::NAN,
            settings: ChannelSettings::default(),
            wished: Some(settings),
        };
        channel.begin_anew(rows.end);
        channel.scaled = Series::gaps(rows.clone());
        channel.smoothed = smooths(&channel.settings.smooth).then(|| Series::gaps(rows));
        channel
    }

    /// Goes by the settings that are wished, and forgets what was made behind the raw values.
    pub(super) fn begin_anew(&mut self, first: u64) {
        if let Some(settings) = self.wished.take() {
            self.settings = settings;
        }
        let scale = &self.settings.scale;
        (self.scaler, self.unrounded) = (scale.scaler(), scale.without_rounding());
        self.scaled = Series::starting_at(first);
        self.smoothed = smooths(&self.settings.smooth).then(|| Series::starting_at(first));
        self.watcher = Watcher::new(self.settings.watch.unwrap_or(LOGIC), first);
        (self.formula_step, self.first_step) = (f64::NAN, f64::NAN);
        self.learn(self.column);
    }

    /// Forgets what was found in the raw values themselves, too.
    pub(super) fn look_anew(&mut self, rule: LevelRule) {
        self.levels = Levels::new(rule);
        self.first_rows = 0;
        self.levels.set_step(self.level_step());
        (self.only_bits, self.rising, self.last, self.ends) = (true, true, GAP, NOWHERE);
        self.states = States::default();
    }

    /// Learns how its raw text is written.
    pub(super) fn learn(&mut self, column: Column) {
        self.column = column;
        self.levels.set_step(self.level_step());
        self.resolution = self.settings.scale.resolution(self.raw_step());
    }

    /// Learns how fine the values of its formula are. A live value does not change its decimals to and fro: what it was finest
    /// holds until it is much coarser.
    pub(super) fn learn_step(&mut self, step: FormulaStep, first: Option<FormulaStep>) {
        if let Some(first) = first {
            self.first_step = first.size;
        }
        let coarser = self.formula_step * if step.is_from_inputs { 30.0 } else { f64::INFINITY };
        let is_finer = digits::decimals(step.size) > digits::decimals(self.formula_step) && step.size.is_finite();
        if self.formula_step.is_nan() || is_finer || step.size > coarser {
            self.formula_step = step.size;
            self.learn(self.column);
        }
    }

    /// Whether its levels still wait for the step of its first rows.
    pub(super) fn wants_first_step(&self) -> bool {
        self.settings.formula.is_some() && self.first_rows < SEEN
    }

    /// How fine it was in its first rows at that stage, by which the levels of what is computed from it go: unlike
    /// [`Channel::raw_step`], it does not depend on how the rows came.
    pub(super) fn first_step(&self, stage: Stage) -> f64 {
        let raw = if self.settings.formula.is_some() { self.first_step } else { self.raw_step() };
        match stage {
            Stage::Raw => raw,
            Stage::Quantity | Stage::Smoothed => self.settings.scale.resolution(raw),
        }
    }

    /// What is found in the raw values of the next rows themselves.
    pub(super) fn look(&mut self, raw: &[f64]) {
        let mut ends = self.ends;
        for raw in raw {
            // A gap is neither less nor more.
            if *raw < ends.0 {
                ends.0 = *raw;
            }
            if *raw > ends.1 {
                ends.1 = *raw;
            }
        }
        self.ends = ends;
        // Most channels are neither for long.
        if self.only_bits {
            self.only_bits = raw.iter().all(|raw| raw.is_nan() || *raw == 0.0 || *raw == 1.0);
        }
        self.states.take(raw);
        if self.rising {
            let mut last = self.last.raw;
            for raw in raw.iter().copied().filter(|raw| !raw.is_nan()) {
                // A clock that started over is still one.
                self.rising &= last.is_nan() || raw >= last || raw < last / 2.0;
                last = raw;
            }
        }
        if let Some(last) = raw.iter().rfind(|raw| !raw.is_nan()) {
            self.last.raw = *last;
        }
    }

    /// The levels and the noise in the raw values of the next rows, the first of which is `first`.
    pub(super) fn find_levels(&mut self, first: u64, times: &[Stamp], raw: &[f64]) {
        let head = if self.settings.formula.is_some() { (SEEN - self.first_rows).min(raw.len()) } else { 0 };
        if head > 0 {
            self.levels.extend(first, &times[..head], &raw[..head]);
            self.first_rows += head;
            self.levels.set_step(self.level_step());
        }
        self.levels.extend(first + head as u64, &times[head..], &raw[head..]);
    }

    /// How fine its raw values are, as far as its levels go by that.
    fn level_step(&self) -> f64 {
        match &self.settings.formula {
            None => self.raw_step(),
            Some(_) if self.first_rows < SEEN => f64::NAN,
            Some(_) => self.first_step,
        }
    }

    /// What is made behind the raw values. `reference` gives what the reference channel says in the row at a place among
    /// them.
    pub(super) fn take(&mut self, times: &[Stamp], values: &Values, reference: impl Fn(usize) -> f64) {
        self.scaled.extend(values.quantity());
        if let Some(series) = &mut self.smoothed {
            series.extend(values.smoothed());
        }
        self.watcher.extend(times, values.smoothed());
        if let Some(row) = values.raw.iter().rposition(|raw| !raw.is_nan()) {
            (self.last, self.reference) = (values.now(row), reference(row));
        }
    }

    /// Whether its filters are to go both ways over recorded rows.
    pub(super) fn is_zero_phase(&self) -> bool {
        self.settings.zero_phase && smooths(&self.settings.smooth)
    }

    /// What its filters gave is this instead, from row `first` on.
    pub(super) fn smooth_anew(&mut self, first: u64, times: &[Stamp], smoothed: &[f64]) {
        let mut series = Series::starting_at(first);
        series.extend(smoothed);
        self.smoothed = Some(series);
        self.watcher = Watcher::new(self.settings.watch.unwrap_or(LOGIC), first);
        self.watcher.extend(times, smoothed);
        if let Some(last) = smoothed.iter().rfind(|value| !value.is_nan()) {
            self.last.smoothed = *last;
        }
    }

    /// Wishes for settings. Those that change nothing of what was made hold at once; gives whether there are others that
    /// were not wished before.
    pub(super) fn wish(&mut self, settings: ChannelSettings) -> bool {
        let made = |settings: &ChannelSettings| {
            let ChannelSettings { formula, scale, smooth, zero_phase, watch, .. } = settings.clone();
            (formula, scale, smooth, zero_phase, watch)
        };
        let changes = made(self.wished()) != made(&settings);
        let (formula, scale, smooth, zero_phase, watch) = made(&self.settings);
        self.settings = ChannelSettings { formula, scale, smooth, zero_phase, watch, ..settings.clone() };
        self.wished = (self.settings != settings).then_some(settings);
        changes
    }

    /// Goes on with the settings that its history was made with; gives whether others were wished.
    pub(super) fn forget_wish(&mut self) -> bool {
        self.wished.take().is_some()
    }

    pub(super) fn has_wish(&self) -> bool {
        self.wished.is_some()
    }

    pub(super) fn column(&self) -> Column {
        self.column
    }

    /// Its quantity is its raw value, that of a column of `store`: it is kept once.
    pub(super) fn share(&mut self, store: &Store, column: usize) {
        store.share(column, &mut self.scaled);
    }

    /// Moves its series away, after those of column `column` of `store`, whose rows they have.
    pub(super) fn move_away(&mut self, store: &Store, column: usize, to: &mut dyn Spill) {
        for series in [&mut self.scaled].into_iter().chain(&mut self.smoothed) {
            store.move_series_away(column, series, to);
        }
    }

    pub(super) fn break_off(&mut self) {
        self.levels.break_off();
    }

    pub(super) fn forget_before(&mut self, first: u64) {
        self.scaled.forget_before(first);
        self.watcher.forget_before(first);
        if let Some(smoothed) = &mut self.smoothed {
            smoothed.forget_before(first);
        }
    }

    pub(super) fn smoothed_at(&self, row: u64) -> Option<f64> {
        self.smoothed.as_ref().and_then(|series| series.get(row))
    }

    /// The resolution of its raw value, as its column states it: 1 for whole numbers, 0.01 for two decimals. With a formula
    /// that which its inputs give it; NaN while that is not known.
    pub fn raw_step(&self) -> f64 {
        if self.settings.formula.is_some() { self.formula_step } else { self.column.resolution.step() }
    }

    /// The least and most raw value so far; `None` before the first.
    pub fn ends(&self) -> Option<(f64, f64)> {
        (self.ends.0 <= self.ends.1).then_some(self.ends)
    }

    /// The levels in its raw values.
    pub fn levels(&self) -> &Levels {
        &self.levels
    }

    /// The quantity that `raw` stands for, with the reference that was said last.
    pub fn quantity_of(&self, raw: f64) -> f64 {
        self.scaler.quantity(raw, self.reference)
    }

    /// How many units of the quantity a small difference of raw values makes at `raw`.
    pub fn difference_of(&self, difference: f64, raw: f64) -> f64 {
        self.unrounded.difference(raw, difference, self.reference)
    }

    /// Its title: as a person says, else the board's label.
    pub fn title(&self) -> &str {
        self.settings.title()
    }

    /// The word for `value` (scaled), where it is a state or a code with words.
    pub fn word(&self, value: f64) -> Option<&str> {
        let own = self.settings.words.word(value);
        let written = || {
            let (low, high) = STATE_WORDS[self.words().filter(|_| self.kind() == Kind::Digital)?];
            Some(if value >= 0.5 { high } else { low }).filter(|_| !value.is_nan())
        };
        own.or_else(written)
    }

    /// The board's label, by which it is known in a bench.
    pub fn name(&self) -> &str {
        &self.settings.name
    }

    /// The settings that are wished: the same as [`Channel::settings`], but for edits that have not taken effect yet.
    pub fn wished(&self) -> &ChannelSettings {
        self.wished.as_ref().unwrap_or(&self.settings)
    }

    /// Its settings, those that its history was made with.
    pub fn settings(&self) -> &ChannelSettings {
        &self.settings
    }

    /// What it carries, never [`Kind::Auto`].
    pub fn kind(&self) -> Kind {
        match self.settings.kind {
            Kind::Auto if self.is_timer || self.column.is_moment => Kind::Clock,
            Kind::Auto if self.rising && (names_a_clock(self.name()) || numbers_rows(self.name())) => Kind::Clock,
            Kind::Auto if !self.settings.words.is_empty() && !self.settings.words.is_pair() => Kind::Code,
            Kind::Auto if self.only_bits && !self.last.raw.is_nan() => Kind::Digital,
            Kind::Auto if !self.settings.words.is_empty() => Kind::Code,
            Kind::Auto => Kind::Analog,
            kind => kind,
        }
    }

    /// How many states its numbers seem to stand for, 0, 1, 2 and so on, where nobody has said what it carries: at least
    /// three; `None` where they do not.
    pub fn states(&self) -> Option<u32> {
        self.states.count().filter(|_| self.settings.kind == Kind::Auto && self.kind() == Kind::Analog)
    }

    /// The quantity in every row.
    pub fn scaled(&self) -> &Series {
        &self.scaled
    }

    /// The smoothed quantity in every row, when smoothing is on.
    pub fn smoothed(&self) -> Option<&Series> {
        self.smoothed.as_ref()
    }

    /// What leaves the chain's fourth stage: smoothed where smoothing is on, else the quantity.
    pub fn output(&self) -> &Series {
        self.smoothed.as_ref().unwrap_or(&self.scaled)
    }

    /// The threshold's state and counts; a digital channel without a threshold is watched at one half.
    pub fn watcher(&self) -> &Watcher {
        &self.watcher
    }

    /// The last raw value; NaN before the first.
    pub(super) fn last_raw(&self) -> f64 {
        self.last.raw
    }

    /// The quantity that one step of the raw value stands for; NaN where that is not known.
    pub fn resolution(&self) -> f64 {
        self.resolution
    }

    /// Whether it is digital without a threshold of its own: it is high or low without being told where.
    pub fn is_logic(&self) -> bool {
        let is_plain = |watch: Watch| (watch.threshold, watch.hysteresis) == (LOGIC.threshold, LOGIC.hysteresis);
        self.kind() == Kind::Digital && self.wished().watch.is_none_or(is_plain)
    }

    /// The decimals with which its quantity is shown.
    pub fn decimals(&self) -> usize {
        self.settings.scale.decimals().unwrap_or_else(|| digits::decimals(self.resolution))
    }

    /// The pair of [`crate::split::STATE_WORDS`] that the board writes instead of 0 and 1.
    pub fn words(&self) -> Option<usize> {
        self.column.words.map(usize::from)
    }

    /// The decimals with which its raw value is shown.
    pub fn raw_decimals(&self) -> usize {
        if self.settings.formula.is_some() {
            digits::decimals(self.formula_step)
        } else {
            self.column.resolution.decimals()
        }
    }
}
