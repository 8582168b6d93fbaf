//! The pins of a board that are set up from here: a list of what each can do, and what is done with the one that is chosen.

use crate::app::App;
use crate::rooms::list::{Item, List};
use crate::rooms::prompt::Prompt;
use crate::rooms::{Effect, outside};
use crate::session::{LinkOrder, Request, Session};
use amber_core::ask::{Dialogue, Stage};
use amber_core::bench::Split;
use amber_core::split::Shape;
use amber_core::split::pins::{Pin, Pins, Use};
use amber_core::talk::Ending;

/// Pins and analog channels of a board that does not say what it has.
const USUAL_PINS: std::ops::Range<u8> = 2..20;
const USUAL_CHANNELS: std::ops::Range<u8> = 0..6;

/// The speed at which most of these programs talk.
const USUAL_BAUD: u32 = 57_600;

/// Opens the list, or begins the dialogue where there is none.
pub(super) fn open(session: &mut Session) -> Vec<Effect> {
    if session.is_take() {
        session.say("a take has no board to set up: watch a port", true);
        return Vec::new();
    }
    let Some(dialogue) = session.pins() else {
        if session.chain().shape().is_none() {
            return begin(session);
        }
        let begin = |app: &mut App| begin(&mut app.session);
        let items = vec![
            Item::new("leave it", "the stream is read as it is", |_| Vec::new()),
            Item::new("set up the pins", "the board is asked; what it sends is no longer read as it is now", begin),
        ];
        return vec![Effect::Choose(List::new("does this board let its pins be set up from here?", items, 0))];
    };
    if dialogue.stage() != Stage::Running {
        let state = dialogue.state();
        session.say(format!("{state}; i again lists the pins"), false);
        return Vec::new();
    }
    vec![Effect::Choose(list(dialogue))]
}

/// Begins the dialogue.
fn begin(session: &mut Session) -> Vec<Effect> {
    session.set_split(Split::Pinned(Shape::Pins(Pins::default())));
    // A board that only answers is silent at first, so that its speed is not found by listening.
    let has_speed = session.chain().settings().wire.baud.is_some() || session.chain().settings().wire.is_network();
    let requests = match has_speed {
        true => Vec::new(),
        false => session.edit_source(|wire| wire.baud = Some(USUAL_BAUD)),
    };
    let speed =
        if has_speed { String::new() } else { format!(" at {USUAL_BAUD} baud, the usual one (1 sets another)") };
    session.say(format!("the board is asked what its pins can do{speed}; i lists them, u goes back"), false);
    outside(requests)
}

fn list(dialogue: &Dialogue) -> List {
    let pins = dialogue.pins();
    let board = dialogue.board();
    let every = pins.every;
    let mut items = vec![Item::new(format!("read every {every} ms"), "Enter changes it", ask_every)];
    let mut add = |number: Option<u8>, channel: Option<u8>, modes: Vec<(u8, u8)>| {
        let place = match (number, channel) {
            (Some(number), Some(channel)) => format!("pin {number}, A{channel}"),
            (Some(number), None) => format!("pin {number}"),
            (None, channel) => format!("A{}", channel.unwrap_or(0)),
        };
        let can: Vec<String> = modes.iter().filter_map(|(mode, bits)| can(*mode, *bits)).collect();
        let can = if can.is_empty() { "not known what it can do".into() } else { can.join(", ") };
        let about = move |dialogue: &Dialogue| {
            let used = dialogue.pins().pins.iter().find(|pin| is_at(pin, number, channel));
            let now = used.map(|pin| format!("{}: {}{}", pin.name, name_of(pin.used), reading(dialogue, pin.used)));
            now.map_or_else(|| can.clone(), |now| format!("{now} ─ {can}"))
        };
        let item = Item::new(place.clone(), about(dialogue), move |app| choose(app, &place, number, channel, &modes));
        items.push(item.live(move |session| Some(about(session.pins()?))));
    };
    if board.modes.is_empty() {
        let digital = vec![(0, 1), (0x0b, 1), (1, 1), (3, 8)];
        USUAL_PINS.for_each(|pin| add(Some(pin), None, digital.clone()));
        USUAL_CHANNELS.for_each(|channel| add(None, Some(channel), vec![(2, 10)]));
    } else {
        for (number, modes) in board.modes.iter().enumerate().filter(|(_, modes)| !modes.is_empty()) {
            let channel = board.channels.get(number).copied().flatten();
            add(Some(number as u8), channel, modes.clone());
        }
    }
    List::new(format!("pins: {}", dialogue.state()), items, 0)
}

/// Whether it is the pin of this number, or the analog channel of this one.
fn is_at(pin: &Pin, number: Option<u8>, channel: Option<u8>) -> bool {
    match pin.used.channel() {
        Some(own) => Some(own) == channel,
        None => pin.used.pin() == number,
    }
}

fn can(mode: u8, bits: u8) -> Option<String> {
    Some(match mode {
        0 => "input".into(),
        1 => "output".into(),
        2 => format!("analog {bits} bit"),
        3 => format!("PWM {bits} bit"),
        0x0b => "pull-up".into(),
        _ => return None,
    })
}

fn name_of(used: Use) -> &'static str {
    match used {
        Use::Analog(_) => "analog",
        Use::Input(_) => "input",
        Use::PullUp(_) => "input with pull-up",
        Use::Output(_) => "output",
        Use::Pwm(_) => "PWM output",
    }
}

fn reading(dialogue: &Dialogue, used: Use) -> String {
    let value = match used {
        Use::Analog(channel) => dialogue.analog(channel).map(u32::from),
        Use::Input(pin) | Use::PullUp(pin) => dialogue.digital(pin).map(u32::from),
        Use::Output(pin) | Use::Pwm(pin) => dialogue.output_of(pin).map(u32::from),
    };
    match (value, used.is_read()) {
        (Some(value), _) => format!(", now {value}"),
        (None, true) => String::new(),
        (None, false) => ", not set yet".into(),
    }
}

/// What a pin may be used for, and what its output may be set to.
fn choose(app: &mut App, place: &str, number: Option<u8>, channel: Option<u8>, modes: &[(u8, u8)]) -> Vec<Effect> {
    let Some(dialogue) = app.session.pins() else { return Vec::new() };
    let now = dialogue.pins().pins.iter().find(|pin| is_at(pin, number, channel));
    let mut items = Vec::new();
    match now {
        Some(Pin { name, used: Use::Output(_) }) => {
            for value in [1, 0] {
                let (name, about) = (name.clone(), "sent to the board at once");
                items.push(Item::new(format!("set {name} to {value}"), about, move |app| {
                    send(app, &format!("{name} {value}"))
                }));
            }
        }
        Some(Pin { name, used: Use::Pwm(_) }) => {
            let name = name.clone();
            items.push(Item::new(format!("set {name}"), "to a duty cycle: 0 is off", move |_| {
                vec![ask_value(name.clone())]
            }));
        }
        _ => {}
    }
    let uses = modes.iter().filter_map(|(mode, bits)| {
        let used = match (mode, number, channel) {
            (0, Some(pin), _) => Use::Input(pin),
            (1, Some(pin), _) => Use::Output(pin),
            (2, _, Some(channel)) => Use::Analog(channel),
            (3, Some(pin), _) => Use::Pwm(pin),
            (0x0b, Some(pin), _) => Use::PullUp(pin),
            _ => return None,
        };
        Some((used, can(*mode, *bits)?))
    });
    let mut uses: Vec<(Use, String)> = uses.filter(|(used, _)| now.is_none_or(|now| now.used != *used)).collect();
    // What only few pins can is most likely wanted of them.
    uses.sort_by_key(|(used, _)| !matches!(used, Use::Analog(_)));
    for (used, can) in uses {
        items.push(Item::new(format!("use as {}", name_of(used)), can, move |app| {
            set(app, number, channel, Some(used))
        }));
    }
    if let Some(pin) = now {
        let about = format!("{} goes", pin.name);
        items.push(Item::new("use no longer", about, move |app| set(app, number, channel, None)));
    }
    vec![Effect::Choose(List::new(place.to_owned(), items, 0))]
}

/// Uses a pin as `used`, or no longer.
fn set(app: &mut App, number: Option<u8>, channel: Option<u8>, used: Option<Use>) -> Vec<Effect> {
    let Some(pins) = app.session.pins().map(|dialogue| dialogue.pins().clone()) else { return Vec::new() };
    let mut all: Vec<Pin> = pins.pins.iter().filter(|pin| !is_at(pin, number, channel)).cloned().collect();
    let named = |used: Use| match used {
        Use::Analog(channel) => format!("a{channel}"),
        Use::Input(pin) | Use::PullUp(pin) => format!("d{pin}"),
        Use::Output(pin) => format!("out{pin}"),
        Use::Pwm(pin) => format!("pwm{pin}"),
    };
    all.extend(used.map(|used| Pin { name: named(used), used }));
    take(&mut app.session, Pins::new(pins.every, all))
}

fn take(session: &mut Session, pins: Result<Pins, amber_core::split::NotAShape>) -> Vec<Effect> {
    match pins {
        Ok(pins) => {
            session.set_split(Split::Pinned(Shape::Pins(pins.clone())));
            session.say(format!("{}; i lists the pins", pins.sentence()), false);
        }
        Err(wrong) => session.say(wrong.to_string(), true),
    }
    Vec::new()
}

fn ask_every(app: &mut App) -> Vec<Effect> {
    let every = app.session.pins().map_or(20, |dialogue| dialogue.pins().every);
    let done = |app: &mut App, text: &str| {
        let every = text.trim().trim_end_matches("ms").trim().parse().map_err(|_| "type milliseconds, 1 to 16383")?;
        let pins = app.session.pins().map(|dialogue| dialogue.pins().pins.clone()).unwrap_or_default();
        let pins = Pins::new(every, pins).map_err(|wrong| wrong.to_string())?;
        Ok(take(&mut app.session, Ok(pins)))
    };
    vec![Effect::Ask(Prompt::new("milliseconds between two readings", "", every.to_string(), done))]
}

fn ask_value(name: String) -> Effect {
    let title = format!("duty cycle of {name}");
    Effect::Ask(Prompt::new(title, "", "0", move |app, text| {
        let place = app.session.place();
        let bytes = app.session.encode(place, &format!("{name} {}", text.trim()), Ending::None)?;
        Ok(vec![Request::Tell(place, LinkOrder::Send(bytes)).into()])
    }))
}

fn send(app: &mut App, text: &str) -> Vec<Effect> {
    let place = app.session.place();
    match app.session.encode(place, text, Ending::None) {
        Ok(bytes) => vec![Request::Tell(place, LinkOrder::Send(bytes)).into()],
        Err(wrong) => {
            app.session.say(wrong, true);
            Vec::new()
        }
    }
}
