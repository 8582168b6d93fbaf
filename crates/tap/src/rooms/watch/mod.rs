//! The panel of stage 5: the threshold of the selected channel and its crossings, what counts as a level, and the last
//! levels.

mod advice;
mod settings;

use super::panel::{Row, SingleSetting, StagePanel};
use super::prompt::Prompt;
use super::{Effect, Follow, RoomId};
use crate::keys::{Binding, NONE, keys};
use crate::screen::text::side;
use crate::session::{ChannelId, Session, Stage};
use amber_core::bench::{Kind, Sides};
use amber_core::chain::Channel;
use amber_core::digits::{counted, duration, fixed, grouped, hertz, with_unit};
use amber_core::watch::Side;
use amber_core::watch::timing::{TimeInCode, Timing, time_in_codes};
use crossterm::event::KeyCode::Char;
use settings::{LEVELS, THRESHOLD};

/// Levels that are listed.
const LISTED: usize = 8;

/// Stage 5.
#[derive(Default)]
pub(crate) struct Watch {
    /// The timing of the channel that was selected when the numbers were refreshed last, up to a row.
    timing: Option<(ChannelId, u64, Timing)>,
    /// How long the selected channel had each code in view.
    codes: Option<(ChannelId, Vec<Row>)>,
    /// Stretches that were marked as states.
    marked: Vec<advice::Marked>,
    /// What was advised last, and of which channel.
    told: Option<(ChannelId, Vec<String>)>,
}

/// Stretches that are kept.
const MARKS: usize = 64;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Advise,
    Mark,
    Conditions,
    Events,
}

impl StagePanel for Watch {
    type Action = Action;
    const STAGE: Stage = Stage::Watch;
    const HELP: &'static str = "a threshold and its crossings, levels; conditions and events";
    const KEYS: &'static [Binding<Action>] = keys! {
        [(Char('A'), NONE)], Action::Advise, "A", "advise on a threshold between two levels, and use it", Some("A advice"), channel;
        [(Char('M'), NONE)], Action::Mark, "M", "mark the last 3 s as a state, such as covered", Some("M mark state"), channel;
        [(Char('c'), NONE)], Action::Conditions, "c", "conditions: what is watched for, and what is answered", Some("c conditions");
        [(Char('E'), NONE)], Action::Events, "E", "the list of events", Some("E events");
    };

    fn settings() -> Vec<&'static SingleSetting> {
        THRESHOLD.iter().chain(&LEVELS).collect()
    }

    fn rows(&self, session: &Session) -> Vec<Row> {
        let Some(channel) = session.channel() else { return vec![super::no_channel()] };
        let mut rows = vec![super::channel_row(session)];
        rows.extend(Row::settings(&THRESHOLD, session));
        rows.push(Row::blank());
        rows.extend(self.advice_rows(session));
        let state = session.snapshot.of(session.selected).watch;
        if channel.wished().watch.is_some() || channel.kind() == Kind::Digital {
            rows.push(Row::fact("now", side(channel, state.side)));
            rows.push(Row::fact("rising edges", grouped(state.rises)));
            rows.push(Row::fact("falling edges", grouped(state.falls)));
            let bounces = channel.watcher().bounces();
            if channel.settings().watch.is_some_and(|watch| watch.hold > 0.0) {
                let longest = if bounces.count > 0 {
                    format!(", longest {}", session.across().length(bounces.longest))
                } else {
                    String::new()
                };
                rows.push(Row::fact("bounces removed", format!("{}{longest}", grouped(bounces.count))));
            }
            if let Some((id, _, timing)) = &self.timing
                && *id == session.selected
            {
                rows.extend(timed(timing, session, channel));
            }
            rows.push(Row::blank());
        }
        if channel.kind() == Kind::Code {
            rows.extend(
                self.codes
                    .as_ref()
                    .filter(|(id, _)| *id == session.selected)
                    .map(|(_, rows)| rows.clone())
                    .unwrap_or_default(),
            );
        }
        if channel.kind() == Kind::Analog {
            rows.extend(Row::settings(&LEVELS, session));
            rows.extend(found(session, channel));
        }
        rows
    }

    fn follow(&mut self, session: &mut Session, time: Follow) -> bool {
        let Some(channel) = session.channel().filter(|_| time.is_open) else { return false };
        let id = session.selected;
        let end = session.viewport.row(session.place()).map_or(0, |row| row + 1);
        let is_new = self.timing.as_ref().is_none_or(|(of, _, _)| *of != id);
        let is_due = is_new || time.refreshed && self.timing.as_ref().is_some_and(|(_, until, _)| *until != end);
        if is_due {
            self.timing = Some((id, end, Timing::of(channel.watcher(), session.chain().store(), end)));
            self.codes = (channel.kind() == Kind::Code).then(|| (id, code_rows(session, channel)));
        }
        is_due
    }

    fn act(&mut self, action: Action, _: Option<&Row>, session: &mut Session) -> Vec<Effect> {
        match action {
            Action::Conditions => return vec![Effect::Show(RoomId::Conditions)],
            Action::Events => return vec![Effect::Show(RoomId::Events)],
            Action::Advise => self.advise(session),
            Action::Mark => {
                let rows = advice::present(session);
                if rows.is_empty() {
                    session.say("no rows to mark at the moment", true);
                    return Vec::new();
                }
                let hint = "its word, such as covered or open; nothing forgets all marked states of the channel";
                let prompt = Prompt::new("state of the last 3 s", hint, String::new(), move |app, text| {
                    app.rooms.watch.stage_mut().mark(text.trim(), rows.clone(), &mut app.session)
                });
                return vec![Effect::Ask(prompt)];
            }
        }
        Vec::new()
    }
}

impl Watch {
    /// Marks rows of the selected channel as a state.
    fn mark(&mut self, word: &str, rows: std::ops::Range<u64>, session: &mut Session) -> Result<Vec<Effect>, String> {
        if word.is_empty() {
            self.marked.retain(|own| own.channel != session.selected);
            session.say("no state of this channel is marked any more", false);
            return Ok(Vec::new());
        }
        let sides = Sides::parse(&format!("{word}, {word}"));
        if sides.is_err() {
            return Err("type a word of up to 32 characters without commas, such as covered".into());
        }
        let channel = session.selected;
        self.marked.push(advice::Marked { channel, word: word.into(), rows });
        if self.marked.len() > MARKS {
            self.marked.remove(0);
        }
        let mut words: Vec<&str> =
            self.marked.iter().filter(|own| own.channel == channel).map(|own| own.word.as_str()).collect();
        words.sort_unstable();
        words.dedup();
        if words.len() < 2 {
            session.say(format!("{word} is marked; bring it into the other state and mark that (M)"), false);
        } else {
            self.advise(session);
        }
        Ok(Vec::new())
    }

    fn advise(&mut self, session: &mut Session) {
        // The row numbers of what was made anew are others.
        let rows = session.chain().store().rows();
        self.marked.retain(|own| own.channel.source != session.place() || rows.contains(&own.rows.start));
        match advice::put_in_use(session, &self.marked) {
            Ok(told) => {
                session.say(told.first().cloned().unwrap_or_default(), false);
                self.told = Some((session.selected, told));
            }
            Err(why) => {
                session.say(why.clone(), true);
                self.told = Some((session.selected, vec![why]));
            }
        }
    }

    /// What was advised, and which states are marked.
    fn advice_rows(&self, session: &Session) -> Vec<Row> {
        let mut rows = Vec::new();
        let own = self.marked.iter().filter(|own| own.channel == session.selected);
        let mut words: Vec<&str> = own.map(|own| own.word.as_str()).collect();
        words.dedup();
        if !words.is_empty() {
            rows.push(Row::fact("states marked", words.join(", ")));
        }
        if let Some((_, told)) = self.told.as_ref().filter(|(id, _)| *id == session.selected) {
            rows.extend(
                told.iter().enumerate().flat_map(|(at, text)| Row::text(if at == 0 { "advice" } else { "" }, text)),
            );
            rows.push(Row::blank());
        }
        rows
    }
}

/// How long it has been so, how long it stayed so, period and duty.
fn timed(timing: &Timing, session: &Session, channel: &Channel) -> Vec<Row> {
    let mut rows = Vec::new();
    if let Some(since) = timing.since {
        rows.push(Row::fact("since", session.across().length(since)));
    }
    let [high, low] = [Side::Above, Side::Below].map(|now| format!("{} for", side(channel, now)));
    for (name, stays) in [(high, timing.high), (low, timing.low), ("period".into(), timing.period)] {
        let Some(stays) = stays else { continue };
        rows.push(Row::fact(name, session.across().length(stays.last)));
        if stays.count > 1 {
            let [shortest, longest] = [stays.shortest, stays.longest].map(duration);
            rows.push(Row::fact(format!("  {} times", grouped(stays.count)), format!("{shortest} to {longest}")));
        }
    }
    if let Some(period) = timing.period {
        rows.push(Row::fact("frequency", hertz(1.0 / period.mean())));
    }
    if let Some(duty) = timing.duty {
        rows.push(Row::fact("duty", format!("{} %", fixed(100.0 * duty, 1))));
    }
    if let Some(interval) = session.chain().interval().filter(|_| timing.since.is_some()) {
        rows.push(Row::fact("known to", format!("{}, one row", session.across().length(interval))));
    }
    rows
}

/// How long the channel had each code in view.
fn code_rows(session: &Session, channel: &Channel) -> Vec<Row> {
    let rows = session.viewport.rows_of(session.place());
    let Some(codes) = time_in_codes(channel.scaled(), session.chain().store(), rows) else {
        return Row::text("", "too many different values for a list of codes");
    };
    let all: f64 = codes.iter().map(|code| code.seconds).sum();
    let row = |code: &TimeInCode| {
        let word = channel.word(code.code).map_or_else(|| fixed(code.code, channel.decimals()), str::to_owned);
        let share = if all > 0.0 { 100.0 * code.seconds / all } else { 0.0 };
        let times = if code.times == 1 { "once".into() } else { format!("{} times", grouped(code.times)) };
        Row::fact(
            format!("  {word}"),
            format!("{}, {} %, {times}", session.across().length(code.seconds), fixed(share, 1)),
        )
    };
    [Row::fact("time in view with", "")].into_iter().chain(codes.iter().map(row)).collect()
}

/// The last levels.
fn found(session: &Session, channel: &Channel) -> Vec<Row> {
    let levels = channel.levels();
    let unit = channel.settings().scale.unit();
    let interval = session.chain().interval();
    let mut rows = Vec::new();
    if let Some(interval) = interval.filter(|interval| *interval > 0.0) {
        let (least, seconds) = session.shared().levels.needs(interval);
        rows.push(Row::fact(
            "a level needs",
            format!("{} in {}", counted(least, "row"), session.across().length(seconds)),
        ));
    }
    rows.push(Row::fact("levels so far", grouped(levels.count())));
    rows.extend(levels.found().iter().rev().take(LISTED).map(|level| {
        let mean = fixed(channel.quantity_of(level.mean), channel.decimals() + 1);
        let goes_on = if level.open { " …" } else { "" };
        let value = format!("{}  {:.1} s{goes_on}", with_unit(mean, unit), level.seconds());
        Row::fact(format!("  {}", session.when(level.from, "%H:%M:%S")), value)
    }));
    rows
}
