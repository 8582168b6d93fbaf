//! Advice on a threshold: the states that it goes by, in use and in words.

use crate::screen::text::set_in;
use crate::session::{ChannelId, Session};
use amber_core::bench::Sides;
use amber_core::chain::Channel;
use amber_core::digits::{duration, fixed, set_value, short};
use amber_core::watch::advice::{Advice, FalseRate, State, Stretch, Verdict, advise};
use amber_core::watch::condition::{Condition, Inside, Test};
use amber_core::watch::{LONGEST_HOLD, Watch};
use std::ops::Range;

/// Seconds that a state is marked for, up to the moment.
pub(super) const MARKED: f64 = 3.0;

/// The most rows of a state.
const MOST: u64 = 50_000;

/// The most states that are found by themselves.
const STATES: usize = 6;

/// A stretch that was marked as a state.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Marked {
    pub(super) channel: ChannelId,
    pub(super) word: String,
    pub(super) rows: Range<u64>,
}

/// The rows of the last seconds before the moment.
pub(super) fn present(session: &Session) -> Range<u64> {
    let end = session.viewport.end;
    let rows = session.chain().store().between(end.plus(-MARKED), end);
    rows.start.max(rows.end.saturating_sub(MOST))..rows.end
}

fn values(channel: &Channel, rows: &Range<u64>) -> Vec<f64> {
    rows.clone().filter_map(|row| channel.output().get(row)).filter(|value| !value.is_nan()).collect()
}

/// The states of the selected channel: those that were marked, where there are two words of them; else its levels, those
/// that lie near one another as one.
fn stretches(session: &Session, channel: &Channel, marked: &[Marked]) -> Result<Vec<Stretch>, String> {
    let own: Vec<&Marked> = marked.iter().filter(|marked| marked.channel == session.selected).collect();
    if own.first().is_some_and(|first| own.iter().any(|marked| marked.word != first.word)) {
        let stretch = |marked: &&Marked| Stretch { word: marked.word.clone(), values: values(channel, &marked.rows) };
        return Ok(own.iter().map(stretch).collect());
    }
    let store = session.chain().store();
    let moment = session.viewport.end;
    let levels = channel.levels().found().iter().filter(|level| level.to <= moment);
    let mut found: Vec<(f64, Vec<f64>)> = levels
        .map(|level| values(channel, &store.between(level.from, level.to)))
        .filter(|values| !values.is_empty())
        .map(|values| (values.iter().sum::<f64>() / values.len() as f64, values))
        .collect();
    found.sort_by(|a, b| a.0.total_cmp(&b.0));
    let [lowest, .., highest] = found.as_slice() else {
        return Err(
            "two levels are needed: bring the channel into one state and the other, and leave it there for a while; \
                    or mark each of them (M)"
                .into(),
        );
    };
    let all = highest.0 - lowest.0;
    let mut groups: Vec<Vec<(f64, Vec<f64>)>> = Vec::new();
    for level in found {
        // What is nearer than a sixth of the whole way is the same state, come back to.
        match groups.last_mut() {
            Some(group) if group.last().is_some_and(|last| level.0 - last.0 < all / 6.0) => group.push(level),
            _ => groups.push(vec![level]),
        }
    }
    if groups.len() > STATES {
        return Err(format!("there are {} different levels: mark the two that count (M)", groups.len()));
    }
    let count = groups.len();
    let name = |at: usize| match (at, count) {
        (0, 2) => "the lower level".to_owned(),
        (1, 2) => "the upper level".to_owned(),
        _ => format!("level {}", at + 1),
    };
    let named = groups.into_iter().enumerate().flat_map(|(at, group)| {
        let word = name(at);
        group.into_iter().map(move |(_, values)| Stretch { word: word.clone(), values })
    });
    Ok(named.collect())
}

/// Finds advice for the selected channel and puts it in use; gives what is to be told.
pub(super) fn put_in_use(session: &mut Session, marked: &[Marked]) -> Result<Vec<String>, String> {
    let Some(channel) = session.channel() else { return Err("no channel yet: rows must arrive first".into()) };
    let interval = session.chain().interval().unwrap_or(0.01);
    let step = channel.resolution();
    let step = if step.is_finite() { step } else { 0.0 };
    let stretches = stretches(session, channel, marked)?;
    match advise(&stretches, interval, step) {
        Verdict::None(why) => Err(why),
        Verdict::Threshold(advice) => {
            let watch = rounded(&advice, channel);
            let told = in_words(&advice, watch, channel, interval);
            let own = advice.states.each_ref().map(|state| state.word.clone());
            let are_named = marked.iter().any(|marked| marked.word == own[0]);
            let lane = channel.wished().watch.is_some_and(|watch| watch.lane);
            session.edit_channel(|channel| {
                channel.watch = Some(Watch { lane, ..watch });
                if are_named {
                    let [below, above] = own;
                    channel.sides = Sides { below, above };
                }
            });
            Ok(told)
        }
        Verdict::Bands(states, limits) => bands(session, &states, &limits),
    }
}

/// The advised threshold in digits that the channel has.
fn rounded(advice: &Advice, channel: &Channel) -> Watch {
    let places = channel.decimals() + 1;
    let round = |value: f64| fixed(value, places).parse().unwrap_or(value);
    let hold = short(advice.watch.hold.min(LONGEST_HOLD), 3).parse().unwrap_or(advice.watch.hold);
    Watch { threshold: round(advice.watch.threshold), hysteresis: round(advice.watch.hysteresis), hold, lane: false }
}

fn of_state(state: &State, channel: &Channel) -> String {
    let [mean, noise] = [state.mean, state.noise].map(|value| fixed(value, channel.decimals() + 1));
    format!("{} {mean} ± {noise}", state.word)
}

fn in_words(advice: &Advice, watch: Watch, channel: &Channel, interval: f64) -> Vec<String> {
    let [threshold, band] = [watch.threshold, watch.hysteresis].map(|value| set_in(channel, value));
    let hold = if watch.hold > 0.0 { format!(", hold {}", duration(watch.hold)) } else { String::new() };
    let mut told = vec![format!("threshold {threshold}, hysteresis {band}{hold}")];
    let [low, high] = advice.states.each_ref().map(|state| of_state(state, channel));
    let margin =
        if advice.margin > 1e4 { "far more than".into() } else { format!("{} times", short(advice.margin, 2)) };
    told.push(format!("{low}, {high}: the nearer keeps {margin} its noise from switching"));
    let seldom = |rate: FalseRate| match rate {
        FalseRate::About(rate) => Some(format!("about {}", how_often(rate / interval))),
        FalseRate::Below(rate) => Some(format!("less than {}", how_often(rate / interval))),
        FalseRate::Unknown => None,
    };
    told.push(match seldom(advice.rate) {
        Some(rate) => format!("it will switch falsely {rate}, as long as the noise stays as it was"),
        None => "how often it will switch falsely cannot be told".into(),
    });
    if let Some(without) = seldom(advice.unheld).filter(|_| watch.hold > 0.0) {
        told.push(format!("without the hold time: {without}"));
    }
    told.extend(advice.doubts.iter().cloned());
    told
}

/// A rate a second, in words: `once in 3 days`.
fn how_often(rate: f64) -> String {
    let seconds = 1.0 / rate;
    let units = [(1.0, "second"), (60.0, "minute"), (3600.0, "hour"), (86_400.0, "day"), (31_557_600.0, "year")];
    if seconds < 1.0 {
        return format!("{} times a second", short(rate, 2));
    }
    let (size, name) = units.into_iter().rev().find(|(size, _)| seconds >= *size).unwrap_or((1.0, "second"));
    let count = seconds / size;
    if count > 1000.0 {
        return "once in 1000 years".into();
    }
    if count < 1.5 { format!("once a {name}") } else { format!("once in {} {name}s", short(count.round(), 2)) }
}

/// A condition for each of several states.
fn bands(session: &mut Session, states: &[State], limits: &[f64]) -> Result<Vec<String>, String> {
    let Some(channel) = session.channel() else { return Ok(Vec::new()) };
    let ends = states.first().zip(states.last()).zip(limits.first().zip(limits.last()));
    let Some(((lowest, highest), (first_limit, last_limit))) = ends else { return Ok(Vec::new()) };
    let (title, places) = (channel.title().to_owned(), channel.decimals() + 1);
    let round = |value: f64| fixed(value, places).parse().unwrap_or(value);
    let unit = channel.settings().scale.unit().to_owned();
    let mut conditions = session.conditions().clone();
    let mut told = vec![format!("{} states: a condition for each", states.len())];
    for (at, state) in states.iter().enumerate() {
        // The outer ones reach as far beyond their means as to the limit within.
        let first = first_limit - 2.0 * (first_limit - lowest.mean);
        let end = last_limit + 2.0 * (highest.mean - last_limit);
        let low = round(at.checked_sub(1).and_then(|before| limits.get(before)).copied().unwrap_or(first));
        let high = round(limits.get(at).copied().unwrap_or(end));
        let hysteresis = round((6.0 * state.noise).min((high - low) / 3.0));
        let name = format!("{title} {}", state.word).replace([',', '"'], " ").chars().take(32).collect::<String>();
        let test = Test::Inside(Inside { of: title.clone(), low, high, hysteresis });
        told.push(format!("{name}: {} to {}", set_value(low, ""), set_value(high, &unit)));
        let fresh = Condition { test: vec![test], ..Condition::named(&name) };
        match conditions.iter_mut().find(|own| own.name == name) {
            Some(own) => own.test = fresh.test,
            None => conditions.push(fresh),
        }
    }
    session.take_conditions(conditions)?;
    Ok(told)
}

#[cfg(test)]
mod tests {
    use super::how_often;

    #[test]
    fn rates_are_said_as_people_say_them() {
        let said = [3.0, 1.0, 1.0 / 90.0, 1.0 / 7200.0, 1.0 / 86_400.0 / 40.0, 1e-15].map(how_often);
        assert_eq!(
            said,
            [
                "3 times a second",
                "once a second",
                "once in 2 minutes",
                "once in 2 hours",
                "once in 40 days",
                "once in 1000 years"
            ]
        );
    }
}
