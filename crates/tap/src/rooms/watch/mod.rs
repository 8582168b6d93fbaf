//! The panel of stage 5: the threshold of the selected channel and its crossings, what counts as a level, and the last
//! levels.

mod advice;

use super::panel::{Choice, Row, SingleSetting, StagePanel, Way};
use super::prompt::Prompt;
use super::{Effect, Follow, RoomId};
use crate::keys::{Binding, NONE, keys};
use crate::screen::text::side;
use crate::session::{ChannelId, Session, Stage};
use amber_core::axis::round_step;
use amber_core::bench::{Kind, Sides};
use amber_core::chain::{Channel, LOGIC};
use amber_core::digits::{counted, duration, fixed, grouped, hertz, set_value, typed, with_unit};
use amber_core::levels::LevelRule;
use amber_core::part::along;
use amber_core::watch::timing::{TimeInCode, Timing, time_in_codes};
use amber_core::watch::{Side, Watch as Threshold};
use crossterm::event::KeyCode::Char;

const HOLDS: [f64; 12] = [0.0, 0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1.0, 5.0];
const LEVEL_SECONDS: [f64; 8] = [0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 30.0];
const LEVEL_SPREADS: [f64; 7] = [0.5, 1.0, 2.0, 3.0, 5.0, 10.0, 20.0];

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

static THRESHOLD: [SingleSetting; 6] = [
    SingleSetting {
        name: "watching",
        help: "a line on the chart, and a count of its crossings",
        range: "",
        key: "source.channel.watch",
        shown: |session| Some(if session.channel()?.wished().watch.is_some() { "a threshold" } else { "off" }.into()),
        way: Way::Chosen {
            choices: |_| vec![Choice::new("off", ""), Choice::new("a threshold", "")],
            now: |session| usize::from(watch_of(session).is_some()),
            choose: |session, _| toggle(session),
        },
    },
    SingleSetting {
        name: "threshold",
        help: "the value that is watched",
        range: "a number, in the unit of the channel",
        key: "source.channel.watch.threshold",
        shown: |session| Some(set_value(watch_of(session)?.threshold, unit_of(session))),
        way: Way::Typed {
            text: |session| watch_of(session).map_or(String::new(), |watch| watch.threshold.to_string()),
            set: |session, text| set(session, |watch, value| watch.threshold = value, text),
            nudge: |session, by| nudge(session, |watch, step| watch.threshold = tidy(watch.threshold + step), by),
        },
    },
    SingleSetting {
        name: "hysteresis",
        help: "width of the dead band around it; wider than the noise stops flicker",
        range: "0 or more, in the unit of the channel",
        key: "source.channel.watch.hysteresis",
        shown: |session| Some(set_value(watch_of(session)?.hysteresis, unit_of(session))),
        way: Way::Typed {
            text: |session| watch_of(session).map_or(String::new(), |watch| watch.hysteresis.to_string()),
            set: |session, text| set(session, |watch, value| watch.hysteresis = value, text),
            nudge: |session, by| {
                nudge(session, |watch, step| watch.hysteresis = tidy(watch.hysteresis + step).max(0.0), by)
            },
        },
    },
    SingleSetting {
        name: "hold",
        help: "so long it must stay on the other side before that counts: against bounces and flicker",
        range: "0 to 3600 s",
        key: "source.channel.watch.hold",
        shown: |session| Some(duration(held_by(session)?.hold)),
        way: Way::Typed {
            text: |session| held_by(session).map_or(String::new(), |watch| watch.hold.to_string()),
            set: |session, text| {
                let hold = typed(text)?;
                set_hold(session, |_| hold)
            },
            nudge: |session, by| set_hold(session, |hold| along(&HOLDS, hold, by)).unwrap_or_default(),
        },
    },
    SingleSetting {
        name: "words",
        help: "what it is below and above the threshold, in words of your own",
        range: "two words with a comma, such as dry, wet",
        key: "source.channel.sides",
        shown: |session| {
            held_by(session)?;
            let spelled = session.channel()?.wished().sides.spelled();
            Some(if spelled.is_empty() { "none of your own".into() } else { spelled })
        },
        way: Way::Typed {
            text: |session| session.channel().map_or(String::new(), |channel| channel.wished().sides.spelled()),
            set: |session, text| {
                let sides = Sides::parse(text)?;
                session.edit_channel(|channel| channel.sides = sides);
                Ok(Vec::new())
            },
            nudge: |_, _| Vec::new(),
        },
    },
    SingleSetting {
        name: "digital lane",
        help: "a lane below the traces, high while it is above the threshold",
        range: "",
        key: "source.channel.watch.lane",
        shown: |session| {
            let is_analog = session.channel().is_some_and(|channel| channel.kind() == Kind::Analog);
            Some(if watch_of(session).filter(|_| is_analog)?.lane { "shown" } else { "off" }.into())
        },
        way: Way::Chosen {
            choices: |_| vec![Choice::new("off", ""), Choice::new("shown", "")],
            now: |session| usize::from(watch_of(session).is_some_and(|watch| watch.lane)),
            choose: |session, at| {
                session.edit_channel(|channel| {
                    if let Some(watch) = &mut channel.watch {
                        watch.lane = at == 1;
                    }
                });
                Vec::new()
            },
        },
    },
];

static LEVELS: [SingleSetting; 3] = [
    SingleSetting {
        name: "shortest level",
        help: "how long a channel must be settled, for all channels",
        range: "0.05 to 3600 s",
        key: "levels.seconds",
        shown: |session| Some(duration(session.shared().levels.seconds)),
        way: Way::Typed {
            text: |session| session.shared().levels.seconds.to_string(),
            set: |session, text| set_levels(session, |rule, value| rule.seconds = value, text),
            nudge: |session, by| {
                session.edit_shared(|shared| shared.levels.seconds = along(&LEVEL_SECONDS, shared.levels.seconds, by));
                Vec::new()
            },
        },
    },
    SingleSetting {
        name: "allowed spread",
        help: "1; more for a board that smooths what it sends, so that it never seems settled",
        range: "× the noise",
        key: "levels.spread",
        shown: |session| Some(format!("{} × the noise", session.shared().levels.spread)),
        way: Way::Typed {
            text: |session| session.shared().levels.spread.to_string(),
            set: |session, text| set_levels(session, |rule, value| rule.spread = value, text),
            nudge: |session, by| {
                session.edit_shared(|shared| shared.levels.spread = along(&LEVEL_SPREADS, shared.levels.spread, by));
                Vec::new()
            },
        },
    },
    SingleSetting {
        name: "bell",
        help: "rings when the selected channel settles",
        range: "",
        key: "levels.bell",
        shown: |session| Some(if session.shared().levels.bell { "at each level" } else { "off" }.into()),
        way: Way::Chosen {
            choices: |_| vec![Choice::new("off", ""), Choice::new("at each level", "")],
            now: |session| usize::from(session.shared().levels.bell),
            choose: |session, at| {
                session.edit_shared(|shared| shared.levels.bell = at == 1);
                Vec::new()
            },
        },
    },
];

fn watch_of(session: &Session) -> Option<Threshold> {
    session.channel()?.wished().watch
}

/// What is watched of the selected channel: a digital one is, without being told to.
fn held_by(session: &Session) -> Option<Threshold> {
    let channel = session.channel()?;
    channel.wished().watch.or_else(|| (channel.kind() == Kind::Digital).then_some(LOGIC))
}

fn set_hold(session: &mut Session, hold: impl FnOnce(f64) -> f64) -> Result<Vec<Effect>, String> {
    let Some(mut watch) = held_by(session) else { return Ok(Vec::new()) };
    watch.hold = hold(watch.hold);
    watch.fault().map_or(Ok(()), Err)?;
    // A digital channel with nothing set of it has no threshold of its own.
    let kept = (watch != LOGIC).then_some(watch);
    session.edit_channel(|channel| channel.watch = kept);
    Ok(Vec::new())
}

fn unit_of(session: &Session) -> &str {
    session.channel().map_or("", |channel| channel.settings().scale.unit())
}

fn set(session: &mut Session, put: impl FnOnce(&mut Threshold, f64), text: &str) -> Result<Vec<Effect>, String> {
    let value = typed(text)?;
    let Some(mut watch) = watch_of(session) else { return Ok(Vec::new()) };
    put(&mut watch, value);
    watch.fault().map_or(Ok(()), Err)?;
    session.edit_channel(|channel| channel.watch = Some(watch));
    Ok(Vec::new())
}

/// Adding round steps leaves rounding behind: it is cut off where nobody will miss it.
fn tidy(value: f64) -> f64 {
    (value * 1e9).round() / 1e9
}

fn nudge(session: &mut Session, put: impl FnOnce(&mut Threshold, f64), by: i32) -> Vec<Effect> {
    let resolution = session.channel().map_or(0.0, Channel::resolution);
    session.edit_channel(|channel| {
        if let Some(watch) = &mut channel.watch {
            let size = round_step((watch.threshold.abs() / 100.0).max(1e-6)).max(round_step(resolution.max(1e-9)));
            put(watch, f64::from(by) * size);
        }
    });
    Vec::new()
}

/// Starts to watch at the present value with a dead band of six times the noise, or stops watching.
fn toggle(session: &mut Session) -> Vec<Effect> {
    let Some(channel) = session.channel() else { return Vec::new() };
    let places = channel.decimals();
    let round = |value: f64| fixed(value, places).parse().unwrap_or(0.0);
    let present = session.reading(session.selected).map_or(0.0, |reading| reading.smoothed);
    let noise = session.snapshot.of(session.selected).noise.map_or(0.0, |noise| noise.deviation);
    let fresh = Threshold { threshold: round(present), hysteresis: round(noise * 6.0), ..Threshold::default() };
    session.edit_channel(|channel| channel.watch = if channel.watch.is_some() { None } else { Some(fresh) });
    Vec::new()
}

fn set_levels(session: &mut Session, put: impl FnOnce(&mut LevelRule, f64), text: &str) -> Result<Vec<Effect>, String> {
    let mut rule = session.shared().levels;
    put(&mut rule, typed(text)?);
    rule.fault().map_or(Ok(()), Err)?;
    session.edit_shared(|shared| shared.levels = rule);
    Ok(Vec::new())
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
                let longest =
                    if bounces.count > 0 { format!(", longest {}", duration(bounces.longest)) } else { String::new() };
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
                session.say(told[0].clone(), false);
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
        rows.push(Row::fact("since", duration(since)));
    }
    let [high, low] = [Side::Above, Side::Below].map(|now| format!("{} for", side(channel, now)));
    for (name, stays) in [(high, timing.high), (low, timing.low), ("period".into(), timing.period)] {
        let Some(stays) = stays else { continue };
        rows.push(Row::fact(name, duration(stays.last)));
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
        rows.push(Row::fact("known to", format!("{}, one row", duration(interval))));
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
        Row::fact(format!("  {word}"), format!("{}, {} %, {times}", duration(code.seconds), fixed(share, 1)))
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
        rows.push(Row::fact("a level needs", format!("{} in {}", counted(least, "row"), duration(seconds))));
    }
    rows.push(Row::fact("levels so far", grouped(levels.count())));
    rows.extend(levels.found().iter().rev().take(LISTED).map(|level| {
        let mean = fixed(channel.quantity_of(level.mean), channel.decimals() + 1);
        let goes_on = if level.open { " …" } else { "" };
        let value = format!("{}  {:.1} s{goes_on}", with_unit(mean, unit), level.seconds());
        Row::fact(format!("  {}", session.wall(level.from, "%H:%M:%S")), value)
    }));
    rows
}
