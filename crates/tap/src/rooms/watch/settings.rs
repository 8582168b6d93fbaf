//! What can be set in the panel of stage 5: the threshold of the selected channel, and what counts as a level.

use super::super::Effect;
use super::super::panel::{Choice, SingleSetting, Way};
use crate::session::Session;
use amber_core::axis::round_step;
use amber_core::bench::{Kind, Sides};
use amber_core::chain::{Channel, LOGIC};
use amber_core::digits::{fixed, set_value, typed};
use amber_core::levels::LevelRule;
use amber_core::part::along;
use amber_core::watch::Watch as Threshold;

const HOLDS: [f64; 12] = [0.0, 0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1.0, 5.0];
const LEVEL_SECONDS: [f64; 8] = [0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 30.0];
const LEVEL_SPREADS: [f64; 7] = [0.5, 1.0, 2.0, 3.0, 5.0, 10.0, 20.0];

pub(super) static THRESHOLD: [SingleSetting; 6] = [
    SingleSetting {
        name: "watching",
        help: "a line on the chart, and a count of its crossings",
        range: "",
        key: "source.channel.watch",
        shown: |session| {
            let is_logic = session.channel()?.is_logic();
            (!is_logic).then(|| if watch_of(session).is_some() { "a threshold" } else { "off" }.into())
        },
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
        shown: |session| Some(set_value(line_of(session)?.threshold, unit_of(session))),
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
        shown: |session| Some(set_value(line_of(session)?.hysteresis, unit_of(session))),
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
        shown: |session| Some(session.across().length(held_by(session)?.hold)),
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

pub(super) static LEVELS: [SingleSetting; 3] = [
    SingleSetting {
        name: "shortest level",
        help: "how long a channel must be settled, for all channels",
        range: "0.05 to 3600 s",
        key: "levels.seconds",
        shown: |session| Some(session.across().length(session.shared().levels.seconds)),
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

/// The threshold of the selected channel, where it is one of its own.
fn line_of(session: &Session) -> Option<Threshold> {
    watch_of(session).filter(|_| session.channel().is_some_and(|channel| !channel.is_logic()))
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
