//! Advice on the filters of the selected channel, in a sentence with its price.

use crate::session::{ChannelId, Session};
use amber_core::Stamp;
use amber_core::digits::{counted, duration, fixed, hertz, short, with_unit};
use amber_core::part::Listed;
use amber_core::smooth::advice::{self, Advice};
use amber_core::smooth::{Filter, Price, Signal, smooths};
use amber_core::spectrum::Maker;

/// Seconds after which advice is taken anew.
const PACE: f64 = 2.0;

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
    /// What is to be told of the selected channel now.
    pub(super) fn of(session: &Session, now: Stamp) -> Told {
        let id = session.selected;
        let mut told =
            Told { id, at: now, end: session.viewport.end, filters: None, sentence: String::new(), wave: None };
        let even = match session.even_rows(id, false, advice::MOST_ROWS) {
            Ok(even) => even,
            Err(why) => return Told { sentence: format!("none: {why}"), ..told },
        };
        let Some(advice) = advice::advise(&even.values, even.rate, &mut Maker::default()) else {
            let few = even.values.len() < advice::FEWEST_ROWS;
            let why = if few { "there are too few rows in view" } else { "there is no noise in view" };
            return Told { sentence: format!("none: {why}"), ..told };
        };
        told.wave = advice.wave;
        told.filters = smooths(&advice.best.filters).then(|| advice.best.filters.clone());
        told.sentence = sentence(session, &advice, even.rate);
        told
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
