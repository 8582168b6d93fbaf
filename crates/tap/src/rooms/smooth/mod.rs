//! The panel of stage 4: the filters of the selected channel, what they cost and what they give, and advice on them.

mod advice;

use super::panel::{Choice, Input, PartList, Row, Setting, SingleSetting, StagePanel, add_row, part_rows};
use super::{Effect, Follow, RoomId};
use crate::keys::{Binding, NONE, keys};
use crate::session::{ChannelId, Session, Stage};
use advice::Told;
use amber_core::Stamp;
use amber_core::digits::{fixed, hertz, short, with_unit};
use amber_core::part::Listed;
use amber_core::smooth::{Filter, smooths};
use amber_core::stats::{Basis, Measured};
use crossterm::event::KeyCode::Char;

pub(crate) use advice::{in_words, price_in_words};

/// Less than this share of the strongest wave left: the filters take what is measured.
const EATEN: f64 = 0.8;

/// Stage 4.
#[derive(Debug, Default)]
pub(crate) struct Smooth {
    /// What was told of the selected channel last.
    told: Option<Told>,
    /// When advice was asked for last, and of which channel.
    asked: Option<(ChannelId, Stamp)>,
    /// What is advised is to be used when it is known.
    uses: bool,
}

impl Smooth {
    /// Asks for advice on the selected channel.
    fn ask(&mut self, session: &mut Session, now: Stamp) {
        self.asked = Some((session.selected, now));
        match session.ask_for_advice() {
            Ok(()) => drop(self.take(session, now)),
            Err(why) => self.tell(Told::none(session, now, &why), session),
        }
    }

    /// Takes the advice that has come; whether some has.
    fn take(&mut self, session: &mut Session, now: Stamp) -> bool {
        let advised = session.take_advised().filter(|advised| advised.id == session.selected);
        let Some(advised) = advised else { return false };
        self.tell(Told::of(session, now, &advised), session);
        true
    }

    /// Tells it, and uses it where that was asked for.
    fn tell(&mut self, told: Told, session: &mut Session) {
        if std::mem::take(&mut self.uses) {
            match told.filters.clone() {
                Some(filters) => use_filters(filters, &told.sentence, session),
                None => session.say(told.sentence.clone(), true),
            }
        }
        self.told = Some(told);
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Advise,
    Trial,
    Listing,
}

impl StagePanel for Smooth {
    type Action = Action;
    const STAGE: Stage = Stage::Smooth;
    const HELP: &'static str = "less noise, and the delay it costs";
    const KEYS: &'static [Binding<Action>] = keys! {
        [(Char('A'), NONE)], Action::Advise, "A", "use the filters that are advised", Some("A advice"), channel;
        [(Char('T'), NONE)], Action::Trial, "T", "try up to four candidates side by side", Some("T trial"), channel;
        [(Char('B'), NONE)], Action::Listing, "B", "take it to the board, as a listing", Some("B board"), channel;
    };
    const PARTS: Option<PartList> = Some(PartList::Filters);

    fn settings() -> Vec<&'static SingleSetting> {
        Vec::new()
    }

    fn follow(&mut self, session: &mut Session, time: Follow) -> bool {
        if !time.is_open || session.channel().is_none() {
            return false;
        }
        let is_asked = self.asked.is_some_and(|(id, at)| {
            id == session.selected && (0.0..advice::PACE).contains(&time.now.seconds_since(at))
        });
        let is_due = self.told.as_ref().is_none_or(|told| told.is_due(session, time.now));
        if is_due && !is_asked && (time.refreshed || self.told.is_none()) {
            self.ask(session, time.now);
        }
        self.take(session, time.now) || is_due
    }

    fn rows(&self, session: &Session) -> Vec<Row> {
        let Some(channel) = session.channel() else { return vec![super::no_channel()] };
        let filters = &channel.wished().smooth;
        let interval = session.chain().interval();
        let mut rows = vec![super::channel_row(session)];
        for (at, filter) in filters.iter().enumerate() {
            let late = match interval {
                _ if channel.wished().zero_phase && session.chain().is_recorded() => "both ways".into(),
                Some(interval) => format!("{} late", session.across().length(filter.delay(interval))),
                None => "–".into(),
            };
            rows.extend(part_rows(PartList::Filters, at, late, session));
            let Some(interval) = interval else { continue };
            rows.extend(filter.in_other_terms(interval).map(|terms| Row::fact("    that is", terms)));
            rows.extend(filter.doubt(interval).iter().flat_map(|doubt| Row::text("", doubt)));
        }
        rows.extend(add_row(PartList::Filters, session));
        rows.extend(Row::setting(ZeroPhase, session));
        if let Some(told) = self.told.as_ref().filter(|told| told.id == session.selected) {
            rows.extend(Row::text("advice (A uses it)", &told.sentence));
        }
        rows.push(Row::blank());
        rows.extend(self.cost_and_gain(session, filters));
        rows
    }

    fn act(&mut self, action: Action, _: Option<&Row>, session: &mut Session) -> Vec<Effect> {
        match action {
            Action::Advise => {
                self.uses = true;
                self.ask(session, session.now);
                Vec::new()
            }
            Action::Trial => vec![Effect::Close, Effect::Show(RoomId::Trial)],
            Action::Listing => vec![Effect::Close, Effect::Show(RoomId::Listing)],
        }
    }
}

/// Whether recorded rows are smoothed both ways.
struct ZeroPhase;

const DIRECTIONS: [&str; 2] = ["forward", "forward and backward"];

impl Setting for ZeroPhase {
    fn name(&self, _: &Session) -> String {
        "direction".into()
    }

    fn help(&self, _: &Session) -> &'static str {
        "forward and backward: nothing comes out late, for recorded rows; live rows are smoothed forward"
    }

    fn shown(&self, session: &Session) -> Option<String> {
        let settings = session.channel()?.wished();
        let is_live = !session.chain().is_recorded();
        let later = if settings.zero_phase && is_live { " once recorded" } else { "" };
        let shown = format!("{}{later}", super::either(DIRECTIONS, settings.zero_phase));
        (settings.zero_phase || !settings.smooth.is_empty()).then_some(shown)
    }

    fn input(&self, session: &Session) -> Input {
        let chosen = session.channel().is_some_and(|channel| channel.wished().zero_phase);
        let choices = vec![
            Choice::new(DIRECTIONS[0], "as live rows are smoothed"),
            Choice::new(DIRECTIONS[1], "recorded rows only: no delay, and twice the smoothing"),
        ];
        Input::Choice(choices, usize::from(chosen))
    }

    fn set(&self, session: &mut Session, text: &str) -> Result<Vec<Effect>, String> {
        let Some(channel) = session.channel() else { return Ok(Vec::new()) };
        let settings =
            amber_core::bench::ChannelSettings { zero_phase: text == DIRECTIONS[1], ..channel.wished().clone() };
        session.take_settings(settings)?;
        Ok(Vec::new())
    }

    fn nudge(&self, session: &mut Session, _: i32) -> Vec<Effect> {
        let is_set = session.channel().is_some_and(|channel| channel.wished().zero_phase);
        // A choice that is on the list is always taken.
        let _ = self.set(session, super::either(DIRECTIONS, !is_set));
        Vec::new()
    }
}

/// Lets the selected channel be smoothed by these filters, and says so.
pub(crate) fn use_filters(filters: Vec<Filter>, said: &str, session: &mut Session) {
    let Some(channel) = session.channel() else { return };
    let settings = amber_core::bench::ChannelSettings { smooth: filters, ..channel.wished().clone() };
    match session.take_settings(settings) {
        Ok(()) => session.say(format!("{said} (u undoes it)"), false),
        Err(wrong) => session.say(wrong, true),
    }
}

impl Smooth {
    /// What the filters cost and give on the signal in view.
    fn cost_and_gain(&self, session: &Session, filters: &[Filter]) -> Vec<Row> {
        let Some(channel) = session.channel() else { return Vec::new() };
        let mut rows = Vec::new();
        let (unit, places) = (channel.settings().scale.unit(), channel.decimals() + 1);
        let shown = session.snapshot.of(session.selected);
        let lsb = channel.resolution();
        let said = |noise: Measured| {
            let text = with_unit(fixed(noise.deviation, places), unit);
            let codes = noise.deviation / lsb;
            let codes = if codes.is_finite() { format!(" = {} LSB", short(codes, 2)) } else { String::new() };
            let doubt = if noise.basis == Basis::White { " if white" } else { "" };
            format!("{text}{codes}{doubt}")
        };
        if let Some(noise) = shown.noise {
            rows.push(Row::fact("noise before", said(noise)));
            if let Some(after) = shown.noise_after {
                rows.push(Row::fact("noise after", said(after)));
                let times = noise.deviation / after.deviation;
                if times >= 1.0 && times.is_finite() {
                    rows.push(Row::fact("gain", format!("{} times less noise", short(times, 2))));
                } else if times < 1.0 {
                    rows.push(Row::fact("gain", "none: no less noise in view"));
                }
            }
            if noise.basis == Basis::White {
                rows.push(Row::fact("not measured", "the channel was never settled"));
            }
        }
        let price = session.snapshot.price(session.selected).filter(|_| smooths(filters));
        let Some(price) = price else { return rows };
        let delay = match price.delay {
            _ if price.is_both_ways => "none: forward and backward".into(),
            Some(delay) => session.across().length(delay),
            None => "slow changes do not pass".into(),
        };
        rows.push(Row::fact("delay", delay));
        rows.extend(
            price.rise.map(|rise| Row::fact("rise time", format!("{} (10 to 90 %)", session.across().length(rise)))),
        );
        if price.overshoot > 0.005 {
            rows.push(Row::fact("overshoot", format!("{} % of a step", short(100.0 * price.overshoot, 2))));
        }
        rows.extend(price.cutoff.map(|cutoff| Row::fact("cut-off (−3 dB)", hertz(cutoff))));
        let told = self.told.as_ref().filter(|told| told.id == session.selected);
        let wave = told.and_then(|told| told.wave);
        if let Some((at, amplitude)) = wave {
            let left = price.left_of_wave(at, amplitude);
            let size = with_unit(fixed(amplitude, channel.decimals()), unit);
            let left_of_it = format!("{}, {size}: {} % left", hertz(at), short(100.0 * left, 3));
            rows.push(Row::fact("strongest wave", left_of_it));
            if left < EATEN {
                rows.extend(Row::text(
                    "",
                    "these filters take the wave itself: make them weaker, if it is what you measure",
                ));
            }
        }
        let assumed = "rows are taken as evenly spaced for these figures";
        if filters.iter().any(|filter| !filter.is_bypassed()) && !session.chain().verdict().even {
            rows.extend(Row::text("", assumed));
        }
        rows
    }
}

/// The channel that a tool of this stage is for.
pub(crate) fn selected(session: &Session) -> Result<ChannelId, String> {
    match session.channel() {
        Some(_) => Ok(session.selected),
        None => Err("no channel yet: rows must arrive first".into()),
    }
}
