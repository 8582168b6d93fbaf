//! One channel: its settings, its derived series and what is known of it.

use crate::Stamp;
use crate::bench::{ChannelSettings, Kind};
use crate::clock::names_a_clock;
use crate::digits;
use crate::smooth::Smoother;
use crate::split::{STATE_WORDS, Seen};
use crate::stats::Noise;
use crate::store::{Series, Store};
use crate::watch::{Watch, Watcher};

/// The threshold by which a digital channel's edges are counted.
const LOGIC: Watch = Watch { threshold: 0.5, hysteresis: 0.0 };

/// A channel's value as it leaves each stage, in one row. NaN stands for a gap throughout.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Reading {
    /// As it came.
    pub raw: f64,
    /// Behind the converter, when one is described.
    pub volts: Option<f64>,
    /// Scaled.
    pub quantity: f64,
    /// Smoothed; the quantity itself when smoothing is off.
    pub smoothed: f64,
}

/// One channel.
#[derive(Debug)]
pub struct Channel {
    settings: ChannelSettings,
    scaled: Series,
    smoothed: Option<Series>,
    smoother: Option<Smoother>,
    watcher: Watcher,
    noise: Noise,
    /// How its raw text is written.
    pub(super) seen: Seen,
    /// Rows get their time from it, or it counts them.
    pub(super) is_timer: bool,
    only_bits: bool,
    rising: bool,
    last_raw: f64,
}

impl Channel {
    pub(super) fn new(settings: ChannelSettings, first: u64) -> Self {
        let mut channel = Channel {
            scaled: Series::starting_at(first),
            smoothed: None,
            smoother: None,
            watcher: Watcher::new(LOGIC),
            noise: Noise::default(),
            seen: Seen::default(),
            is_timer: false,
            only_bits: true,
            rising: true,
            last_raw: f64::NAN,
            settings,
        };
        channel.restart(first);
        channel
    }

    fn restart(&mut self, first: u64) {
        self.scaled = Series::starting_at(first);
        self.smoothed = self.settings.smooth.map(|_| Series::starting_at(first));
        self.smoother = self.settings.smooth.map(Smoother::new);
        self.watcher = Watcher::new(self.settings.watch.unwrap_or(LOGIC));
        self.noise = Noise::default();
    }

    /// Takes the settings and makes everything derived from the raw values anew.
    pub(super) fn set(&mut self, settings: ChannelSettings, store: &Store, column: usize) {
        self.settings = settings;
        let rows = store.rows();
        self.restart(rows.start);
        for row in rows.clone() {
            if row > rows.start && store.broken_between(row - 1, row) {
                self.break_off();
            }
            if let (Some(at), Some(raw)) = (store.time(row), store.raw(column, row)) {
                self.derive(at, raw);
            }
        }
    }

    #[inline]
    pub(super) fn push(&mut self, at: Stamp, raw: f64) {
        if !raw.is_nan() {
            self.only_bits &= raw == 0.0 || raw == 1.0;
            // A clock that started over is still one.
            self.rising &= self.last_raw.is_nan() || raw >= self.last_raw || raw < self.last_raw / 2.0;
            self.last_raw = raw;
        }
        self.derive(at, raw);
    }

    #[inline]
    fn derive(&mut self, at: Stamp, raw: f64) {
        let quantity = self.settings.scale.quantity(raw);
        self.scaled.push(quantity);
        self.noise.push(quantity);
        let smoothed = match (&mut self.smoother, &mut self.smoothed) {
            (Some(smoother), Some(series)) => {
                let smoothed = smoother.push(at, quantity);
                series.push(smoothed);
                smoothed
            }
            _ => quantity,
        };
        self.watcher.push(smoothed);
    }

    pub(super) fn break_off(&mut self) {
        self.noise.push(f64::NAN);
        if let Some(smoother) = &mut self.smoother {
            smoother.reset();
        }
    }

    pub(super) fn forget_before(&mut self, first: u64) {
        self.scaled.forget_before(first);
        if let Some(smoothed) = &mut self.smoothed {
            smoothed.forget_before(first);
        }
    }

    pub(super) fn reading(&self, raw: f64, row: u64) -> Option<Reading> {
        let quantity = self.settings.scale.quantity(raw);
        let smoothed = match &self.smoothed {
            Some(series) => f64::from(series.get(row)?),
            None => quantity,
        };
        Some(Reading { raw, volts: self.settings.scale.volts(raw), quantity, smoothed })
    }

    /// What it is called: as a person says, else the board's label.
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

    /// Its settings.
    pub fn settings(&self) -> &ChannelSettings {
        &self.settings
    }

    /// What it carries, never [`Kind::Auto`].
    pub fn kind(&self) -> Kind {
        match self.settings.kind {
            Kind::Auto if self.is_timer || (self.rising && names_a_clock(self.name())) => Kind::Clock,
            Kind::Auto if !self.settings.words.is_empty() => Kind::Code,
            Kind::Auto if self.only_bits && !self.last_raw.is_nan() => Kind::Digital,
            Kind::Auto => Kind::Analog,
            kind => kind,
        }
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

    /// The standard deviation of the quantity's noise, once known.
    pub fn noise(&self) -> Option<f64> {
        self.noise.deviation()
    }

    /// The quantity that one step of the raw value stands for.
    pub fn resolution(&self) -> f64 {
        self.settings.scale.resolution(10f64.powi(-i32::from(self.seen.decimals)))
    }

    /// The decimals with which its quantity is shown.
    pub fn decimals(&self) -> usize {
        digits::decimals(self.resolution())
    }

    /// The pair of [`crate::split::STATE_WORDS`] that the board writes instead of 0 and 1.
    pub fn words(&self) -> Option<usize> {
        self.seen.words.map(usize::from)
    }

    /// The decimals with which its raw value is shown.
    pub fn raw_decimals(&self) -> usize {
        usize::from(self.seen.decimals)
    }
}
