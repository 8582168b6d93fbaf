//! Settings of stage 1: how the source is opened, how often numbers change, and what gives rows their times.

use super::super::panel::{Choice, SingleSetting, Way, number_along};
use super::super::{Effect, outside};
use crate::session::{Session, Source};
use amber_core::bench::{Kind, Parity, WireSettings};
use amber_core::clock::{Tick, Time};
use amber_core::digits::{fixed, typed};
use amber_core::part::along;
use amber_io::LinkState;

const BAUDS: [u32; 15] = [
    300, 1200, 2400, 4800, 9600, 19_200, 38_400, 57_600, 115_200, 230_400, 460_800, 921_600, 1_000_000, 2_000_000,
    3_000_000,
];
const RATES: [f64; 10] = [1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 200.0, 500.0, 1000.0];
const PACES: [f64; 7] = [0.5, 1.0, 2.0, 4.0, 8.0, 15.0, 30.0];
const BITS: [u8; 3] = [16, 24, 32];
const DATA_BITS: [u8; 4] = [5, 6, 7, 8];
const STOP_BITS: [u8; 2] = [1, 2];

fn wire(session: &Session) -> &WireSettings {
    &session.chain().settings().wire
}

fn is_live(session: &Session) -> bool {
    !session.is_take()
}

/// Whether the source is a serial line, so far as is known.
fn is_serial(session: &Session) -> bool {
    match session.source() {
        Source::Take(_) => false,
        Source::Live { .. } if wire(session).is_bare_network() => false,
        Source::Live { link } => !matches!(link, LinkState::Ended | LinkState::Open { baud: None, .. }),
    }
}

fn edit(session: &mut Session, edit: impl FnOnce(&mut WireSettings)) -> Vec<Effect> {
    outside(session.edit_source(edit))
}

/// The same, where it may be wrong.
fn try_edit(session: &mut Session, edit_source: impl FnOnce(&mut WireSettings)) -> Result<Vec<Effect>, String> {
    let mut source = wire(session).clone();
    edit_source(&mut source);
    source.fault().map_or(Ok(()), |(_, fault)| Err(fault))?;
    Ok(edit(session, |own| *own = source))
}

fn whole(text: &str) -> Result<u32, String> {
    let value = typed(text)?;
    let is_whole = value.fract() == 0.0 && (0.0..=f64::from(u32::MAX)).contains(&value);
    is_whole.then_some(value as u32).ok_or_else(|| "type a whole number".into())
}

fn small(text: &str) -> Result<u8, String> {
    u8::try_from(whole(text)?).map_err(|_| "type a whole number below 256".into())
}

/// How the source is opened.
pub(super) static LINE: [SingleSetting; 7] = [
    SingleSetting {
        name: "port",
        help: "a device, a text file, - for standard input, tcp://host:port, mqtt://host/topic, or a simulated board",
        range: "",
        key: "source.wire.port",
        shown: |session| is_live(session).then(|| wire(session).port.clone()),
        way: Way::Typed {
            text: |session| wire(session).port.clone(),
            set: |session, text| {
                if text.is_empty() {
                    return Err("type the path of a port, such as /dev/ttyACM0".into());
                }
                Ok(edit(session, |source| source.port = text.to_owned()))
            },
            nudge: |_, _| Vec::new(),
        },
    },
    SingleSetting {
        name: "baud rate",
        help: "bits a second; empty: detected by listening",
        range: "50 to 20000000 bits/s",
        key: "source.wire.baud",
        shown: |session| {
            is_serial(session).then(|| match (wire(session).baud, session.baud()) {
                (Some(baud), _) => baud.to_string(),
                (None, Some(baud)) => format!("{baud}, detected"),
                (None, None) => "detected by listening".into(),
            })
        },
        way: Way::Typed {
            text: |session| wire(session).baud.map_or(String::new(), |baud| baud.to_string()),
            set: |session, text| {
                if text.is_empty() {
                    return Ok(edit(session, |source| source.baud = None));
                }
                let baud = Some(whole(text)?).filter(|baud| (50..=20_000_000).contains(baud));
                let baud = baud.ok_or("a baud rate is 50 to 20000000 bits a second")?;
                Ok(edit(session, |source| source.baud = Some(baud)))
            },
            nudge: |session, by| {
                let baud = number_along(&BAUDS, wire(session).baud, by);
                edit(session, |source| source.baud = baud)
            },
        },
    },
    SingleSetting {
        name: "data bits",
        help: "of a character, nearly always 8",
        range: "5 to 8",
        key: "source.wire.data_bits",
        shown: |session| is_serial(session).then(|| wire(session).data_bits.to_string()),
        way: Way::Typed {
            text: |session| wire(session).data_bits.to_string(),
            set: |session, text| {
                let bits = small(text)?;
                try_edit(session, |source| source.data_bits = bits)
            },
            nudge: |session, by| edit(session, |source| source.data_bits = along(&DATA_BITS, source.data_bits, by)),
        },
    },
    SingleSetting {
        name: "parity",
        help: "the parity bit, nearly always none",
        range: "",
        key: "source.wire.parity",
        shown: |session| is_serial(session).then(|| wire(session).parity.name().into()),
        way: Way::Chosen {
            choices: |_| Parity::ALL.iter().map(|parity| Choice::new(parity.name(), "")).collect(),
            now: |session| Parity::ALL.iter().position(|parity| *parity == wire(session).parity).unwrap_or(0),
            choose: |session, at| {
                let parity = Parity::ALL.get(at).copied().unwrap_or_default();
                edit(session, |source| source.parity = parity)
            },
        },
    },
    SingleSetting {
        name: "stop bits",
        help: "nearly always 1",
        range: "1 or 2",
        key: "source.wire.stop_bits",
        shown: |session| is_serial(session).then(|| wire(session).stop_bits.to_string()),
        way: Way::Typed {
            text: |session| wire(session).stop_bits.to_string(),
            set: |session, text| {
                let bits = small(text)?;
                try_edit(session, |source| source.stop_bits = bits)
            },
            nudge: |session, by| edit(session, |source| source.stop_bits = along(&STOP_BITS, source.stop_bits, by)),
        },
    },
    SingleSetting {
        name: "opening the port",
        help: "whether the board is reset when its port is opened; R resets it on purpose",
        range: "",
        key: "source.wire.reset_on_open",
        shown: |session| {
            is_serial(session)
                .then(|| if wire(session).reset_on_open { "resets the board" } else { "does not reset" }.into())
        },
        way: Way::Chosen {
            choices: |_| vec![Choice::new("does not reset", ""), Choice::new("resets the board", "")],
            now: |session| usize::from(wire(session).reset_on_open),
            choose: |session, at| edit(session, |source| source.reset_on_open = at == 1),
        },
    },
    SingleSetting {
        name: "take the port back",
        help: "L lends the port, to program the board; automatically: as soon as that program has closed it",
        range: "",
        key: "",
        shown: |session| {
            is_serial(session).then(|| if session.takes_back() { "automatically" } else { "with L" }.into())
        },
        way: Way::Chosen {
            choices: |_| vec![Choice::new("with L", ""), Choice::new("automatically", "")],
            now: |session| usize::from(session.takes_back()),
            choose: |session, at| {
                session.set_takes_back(at == 1);
                Vec::new()
            },
        },
    },
];

/// How often numbers change.
pub(super) static PACE: [SingleSetting; 1] = [SingleSetting {
    name: "refresh rate",
    help: "how often numbers and wire lines change on the screen; every row is kept",
    range: "0.2 to 60 times a second",
    key: "screen.refresh_rate",
    shown: |session| Some(format!("{} times a second", fixed(session.shared().screen.refresh_rate, 1))),
    way: Way::Typed {
        text: |session| session.shared().screen.refresh_rate.to_string(),
        set: |session, text| {
            let pace = typed(text)?;
            if !(0.2..=60.0).contains(&pace) {
                return Err("0.2 to 60 times a second".into());
            }
            session.edit_shared(|shared| shared.screen.refresh_rate = pace);
            Ok(Vec::new())
        },
        nudge: |session, by| {
            session.edit_shared(|shared| shared.screen.refresh_rate = along(&PACES, shared.screen.refresh_rate, by));
            Vec::new()
        },
    },
}];

/// What gives rows their times.
pub(super) static TIME: [SingleSetting; 4] = [
    SingleSetting {
        name: "row time",
        help: "what gives a row its time; the history follows at once",
        range: "",
        key: "source.time.from",
        shown: |session| {
            let timer = session.chain().timer();
            Some(match timer.rule() {
                Time::Auto => format!("{}, detected", timer.sentence()),
                set => set.sentence(),
            })
        },
        way: Way::Chosen {
            choices: |session| {
                let name = |rule: &Time| match rule {
                    Time::Auto => Choice::new("detected", "the rule that the first rows speak for"),
                    rule => Choice::new(rule.sentence(), ""),
                };
                rules(session).iter().map(name).collect()
            },
            now: |session| {
                let kind = std::mem::discriminant(session.chain().timer().rule());
                rules(session).iter().position(|rule| std::mem::discriminant(rule) == kind).unwrap_or(0)
            },
            choose: |session, at| {
                let rule = rules(session).swap_remove(at);
                session.set_time(rule);
                Vec::new()
            },
        },
    },
    SingleSetting {
        name: "rows a second",
        help: "as the board's program says",
        range: "a number above 0",
        key: "source.time.hz",
        shown: |session| match session.chain().timer().rule() {
            Time::Rate { hz } => Some(hz.to_string()),
            _ => None,
        },
        way: Way::Typed {
            text: |session| match session.chain().timer().rule() {
                Time::Rate { hz } => hz.to_string(),
                _ => String::new(),
            },
            set: |session, text| {
                let hz = typed(text)?;
                set_time(session, |_| Time::Rate { hz })
            },
            nudge: |session, by| {
                told(session, |session| {
                    set_time(session, |set| match set {
                        Time::Rate { hz } => Time::Rate { hz: along(&RATES, hz, by) },
                        other => other,
                    })
                })
            },
        },
    },
    SingleSetting {
        name: "unit of its clock",
        help: "what the board's clock counts in",
        range: "",
        key: "source.time.tick",
        shown: |session| match session.chain().timer().rule() {
            Time::Board { tick, .. } => Some(tick.name().into()),
            _ => None,
        },
        way: Way::Chosen {
            choices: |_| Tick::ALL.iter().map(|tick| Choice::new(tick.name(), "")).collect(),
            now: |session| match session.chain().timer().rule() {
                Time::Board { tick: set, .. } => Tick::ALL.iter().position(|tick| tick == set).unwrap_or(0),
                _ => 0,
            },
            choose: |session, at| {
                let tick = Tick::ALL.get(at).copied().unwrap_or_default();
                told(session, |session| {
                    set_time(session, |set| match set {
                        Time::Board { channel, bits, .. } => Time::Board { channel, tick, bits },
                        other => other,
                    })
                })
            },
        },
    },
    SingleSetting {
        name: "width of its clock",
        help: "after so many bits it wraps; empty: detected",
        range: "8 to 64 bits",
        key: "source.time.bits",
        shown: |session| match session.chain().timer().rule() {
            Time::Board { bits, .. } => Some(bits.map_or("detected".into(), |bits| format!("{bits} bits"))),
            _ => None,
        },
        way: Way::Typed {
            text: |session| match session.chain().timer().rule() {
                Time::Board { bits: Some(bits), .. } => bits.to_string(),
                _ => String::new(),
            },
            set: |session, text| {
                let bits = if text.is_empty() { None } else { Some(small(text)?) };
                set_time(session, |set| with_bits(set, bits))
            },
            nudge: |session, by| {
                told(session, |session| {
                    set_time(session, |set| {
                        let now = if let Time::Board { bits, .. } = set { bits } else { None };
                        with_bits(set, number_along(&BITS, now, by))
                    })
                })
            },
        },
    },
];

fn with_bits(set: Time, bits: Option<u8>) -> Time {
    match set {
        Time::Board { channel, tick, .. } => Time::Board { channel, tick, bits },
        other => other,
    }
}

fn set_time(session: &mut Session, change: impl FnOnce(Time) -> Time) -> Result<Vec<Effect>, String> {
    let time = change(session.chain().timer().rule().clone());
    time.fault().map_or(Ok(()), Err)?;
    session.set_time(time);
    Ok(Vec::new())
}

fn told(session: &mut Session, run: impl FnOnce(&mut Session) -> Result<Vec<Effect>, String>) -> Vec<Effect> {
    run(session).unwrap_or_else(|wrong| {
        session.say(wrong, true);
        Vec::new()
    })
}

/// The rules that a person can choose from here; the board's clock where a channel can be one.
fn rules(session: &Session) -> Vec<Time> {
    let channels = session.chain().channels();
    let clock = channels.iter().find(|channel| channel.kind() == Kind::Clock).or(session.channel());
    let tick = match clock.map(|channel| channel.name().to_ascii_lowercase()) {
        Some(name) if name.contains("us") || name.contains("micro") => Tick::Us,
        Some(name) if name.ends_with("_s") || name.contains("sec") => Tick::S,
        _ => Tick::Ms,
    };
    let board = clock.map(|channel| Time::Board { channel: channel.name().into(), tick, bits: None });
    let hz = session.chain().rate().rate(session.now).round().max(1.0);
    [Time::Auto, Time::Arrival, Time::Even].into_iter().chain(board).chain([Time::Rate { hz }]).collect()
}
