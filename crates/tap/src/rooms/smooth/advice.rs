//! Advice on the filters of the selected channel, in a sentence with its price.

use crate::session::{Advised, ChannelId, Session};
use amber_core::Stamp;
use amber_core::digits::{counted, duration, fixed, hertz, short, with_unit};
use amber_core::part::Listed;
use amber_core::smooth::advice::{self, Advice};
use amber_core::smooth::{Filter, Price, Signal, smooths};

/// Seconds after which advice is taken anew.
pub(super) const PACE: f64 = 2.0;

/// What was told of a channel.
#[derive(Debug)]
pub(super) struct Told {
    pub(super) id: ChannelId,
    at: Stamp,
    end: Stamp,
    /// The filters that are advised; `None` where none is worth it.
    pub(super) filters: Option<Vec<Filter>>,
    pub(super) sentence: String,
    /// The strongest wave in view that is not the mains: frequency in hertz and amplitude.
    pub(super) wave: Option<(f64, f64)>,
}

impl Told {
    /// What there is to be told where there can be no advice.
    pub(super) fn none(session: &Session, now: Stamp, why: &str) -> Told {
        let (id, end, sentence) = (session.selected, session.viewport.end, format!("none: {why}"));
        Told { id, at: now, end, filters: None, sentence, wave: None }
    }

    /// What is to be told of advice on the selected channel.
    pub(super) fn of(session: &Session, now: Stamp, advised: &Advised) -> Told {
        let Some(advice) = &advised.advice else {
            let few = advised.rows < advice::FEWEST_ROWS;
            let why = if few { "there are too few rows in view" } else { "there is no noise in view" };
            return Told::none(session, now, why);
        };
        let filters = smooths(&advice.best.filters).then(|| advice.best.filters.clone());
        let sentence = sentence(session, advice, advised.rate);
        Told { filters, sentence, wave: advice.wave, ..Told::none(session, now, "") }
    }

    /// Whether something else may have to be told.
    pub(super) fn is_due(&self, session: &Session, now: Stamp) -> bool {
        let is_moved = session.is_held() && session.viewport.end != self.end;
        self.id != session.selected || is_moved || now.seconds_since(self.at) >= PACE || now < self.at
    }
}

/// Filters in a few words.
pub(crate) fn in_words(filters: &[Filter]) -> String {
    let names: Vec<String> = filters.iter().map(Filter::short).filter(|name| !name.is_empty()).collect();
    if names.is_empty() { "no filter".into() } else { names.join(", ") }
}

/// What filters cost, in a few words.
pub(crate) fn price_in_words(price: &Price) -> String {
    match price.delay {
        Some(delay) => format!("{} late", duration(delay)),
        None => "slow changes do not pass".into(),
    }
}

fn sentence(session: &Session, advice: &Advice, rate: f64) -> String {
    let channel = session.channel_at(session.selected);
    let (unit, places) = (channel.settings().scale.unit(), channel.decimals() + 1);
    let size = |value: f64| with_unit(fixed(value, places), unit);
    let mut found = vec![format!("noise {}", size(advice.noise))];
    if advice.spikes > 0 {
        found.push(counted(advice.spikes as u64, "spike"));
    }
    if let Some((at, amplitude)) = advice.hum.first() {
        found.push(format!("hum of {} at {}", size(*amplitude), hertz(*at)));
    }
    let found = found.join(", ");
    let filters = &advice.best.filters;
    if !smooths(filters) {
        return format!("none: {found}; no filter is worth its delay here");
    }
    let signal = Signal { interval: 1.0 / rate, noise: advice.noise, step: 10.0 * advice.noise };
    let price = Price::of(filters, signal);
    let left = advice.wave.map(|(hertz, amplitude)| price.left_of_wave(hertz, amplitude));
    let left = left.map_or(String::new(), |left| format!(", {} % of the wave left", short(100.0 * left, 3)));
    format!(
        "{}: for {found}; off by about {} instead of {}, {}{left}",
        in_words(filters),
        size(advice.best.error),
        size(advice.error),
        price_in_words(&price)
    )
}
