//! Settings of stage 2: the shape, and what each channel is called and carries.

use super::super::Effect;
use super::super::panel::{Choice, Input, Setting, SingleSetting, Way};
use crate::session::Session;
use amber_core::bench::{ChannelSettings, Kind, Split, Words};
use amber_core::digits::{fixed, typed};
use amber_core::split::{Plain, Shape};

/// The shape.
pub(super) static SHAPE: [SingleSetting; 4] = [
    SingleSetting {
        name: "read it that way",
        help: "split the stream by the shape that is offered, with all lines that are still kept",
        range: "",
        key: "",
        shown: |session| session.chain().doubts().1.map(|_| "press Enter".into()),
        way: Way::Pressed(|session| {
            take_offer(session);
            Vec::new()
        }),
    },
    SingleSetting {
        name: "pinned shape",
        help: "Enter pins the shape found, or one that you type: plain comma 3, labelled a b, json a.b, \
               pattern S,{a},{b}, also frames, pins and polled, of which the guide tells; empty: found again",
        range: "",
        key: "source.split.shape",
        shown: |session| {
            let pinned = session.chain().settings().split.shape().is_some();
            let shape = session.chain().shape().filter(|_| pinned);
            Some(shape.map_or("none".into(), ToString::to_string))
        },
        way: Way::Typed {
            text: |session| session.chain().shape().map(ToString::to_string).unwrap_or_default(),
            set: pin_shape,
            nudge: |_, _| Vec::new(),
        },
    },
    SingleSetting {
        name: "lines a row",
        help: "for plain numbers that alternate: so many lines make a row",
        range: "1 to 16",
        key: "",
        shown: |session| plain(session).map(|plain| plain.lines.to_string()),
        way: Way::Typed {
            text: |session| plain(session).map_or(String::new(), |plain| plain.lines.to_string()),
            set: |session, text| {
                let lines = typed(text)?;
                if lines.fract() != 0.0 || !(1.0..=256.0).contains(&lines) {
                    return Err("type a whole number from 1 on".into());
                }
                set_lines(session, lines as usize)?;
                Ok(Vec::new())
            },
            nudge: |session, by| {
                if let Some(lines) = plain(session).map(|plain| plain.lines) {
                    // The bounds keep it sound.
                    let _ = set_lines(session, (lines as i32 + by).clamp(1, 16) as usize);
                }
                Vec::new()
            },
        },
    },
    SingleSetting {
        name: "find the shape again",
        help: "find the shape again from the lines that are kept",
        range: "",
        key: "",
        shown: |session| session.chain().shape().map(|_| "press Enter".into()),
        way: Way::Pressed(|session| {
            session.set_split(Split::Auto);
            session.say("finding the shape again", false);
            Vec::new()
        }),
    },
];

/// Pins the shape that was typed; nothing lets it be found again.
fn pin_shape(session: &mut Session, text: &str) -> Result<Vec<Effect>, String> {
    if text.is_empty() || text == "none" {
        session.set_split(Split::Auto);
        return Ok(Vec::new());
    }
    let shape: Shape = text.parse().map_err(|error| format!("{error}"))?;
    // What was found beside what can be typed, such as units, stays.
    let shape = match session.chain().shape() {
        Some(found) if found.to_string() == shape.to_string() => found.clone(),
        _ => shape,
    };
    session.set_split(Split::Pinned(shape));
    Ok(Vec::new())
}

/// Reads the stream by the shape that is offered.
pub(super) fn take_offer(session: &mut Session) {
    if let (_, Some(offer)) = session.chain().doubts() {
        let shape = offer.shape.clone();
        session.say(format!("the shape is now: {}", shape.sentence()), false);
        session.set_split(Split::Pinned(shape));
    } else {
        session.say("no other shape is offered", true);
    }
}

fn plain(session: &Session) -> Option<&Plain> {
    match session.chain().shape() {
        Some(Shape::Plain(plain)) => Some(plain),
        _ => None,
    }
}

/// Makes so many lines a row.
fn set_lines(session: &mut Session, lines: usize) -> Result<(), String> {
    let Some(plain) = plain(session).filter(|plain| plain.lines != lines) else { return Ok(()) };
    let shape =
        Shape::Plain(Plain { lines, names: Vec::new(), units: Vec::new(), typical: Vec::new(), ..plain.clone() });
    if !(1..=amber_core::split::MAX_FIELDS).contains(&shape.columns()) {
        return Err(format!("a row would have {} numbers, the maximum is 64", shape.columns()));
    }
    session.set_split(Split::Pinned(shape));
    Ok(())
}

/// A channel of the selected source, by its place: what it is called, and what it carries.
pub(super) struct Column(pub(super) usize);

impl Setting for Column {
    fn name(&self, session: &Session) -> String {
        let title = session.chain().channels().get(self.0).map_or("", |channel| channel.title());
        format!("{} {title}", session.letter_or_blank(session.own(self.0)))
    }

    fn help(&self, _: &Session) -> &'static str {
        "Enter: its name   ←→ its kind   < > move   h hide   # words for its codes"
    }

    fn shown(&self, session: &Session) -> Option<String> {
        let channel = session.chain().channels().get(self.0)?;
        let kind = match channel.settings().kind {
            Kind::Auto => format!("{}?", channel.kind().name()),
            kind => kind.name().to_owned(),
        };
        let raw = session.reading(session.own(self.0)).map(|reading| reading.raw);
        let raw = raw.map_or("–".into(), |raw| fixed(raw, channel.raw_decimals()));
        let hidden = if channel.settings().hidden { " hidden" } else { "" };
        let from = if channel.settings().title.is_empty() { "" } else { channel.name() };
        Some(format!("{from} {raw}  {kind}{hidden}").trim_start().to_owned())
    }

    fn input(&self, session: &Session) -> Input {
        Input::Text(session.chain().channels().get(self.0).map_or("", |channel| channel.title()).to_owned())
    }

    fn range(&self, _: &Session) -> String {
        "the name on the screen and in tables; empty: as the board calls it".into()
    }

    fn set(&self, session: &mut Session, text: &str) -> Result<Vec<Effect>, String> {
        let text = text.trim();
        ChannelSettings::name_fault(text).map_or(Ok(()), Err)?;
        let channels: Vec<ChannelSettings> = session.chain().channels().iter().map(|c| c.wished().clone()).collect();
        if let Some(own) = channels.get(self.0).filter(|own| !text.is_empty() && own.name != text) {
            let wanted = ChannelSettings { title: text.into(), ..own.clone() };
            wanted.title_fault(&channels).map_or(Ok(()), Err)?;
        }
        session.with_channel(session.own(self.0), |channel| {
            channel.title = if text == channel.name { "".into() } else { text.into() }
        });
        Ok(Vec::new())
    }

    fn nudge(&self, session: &mut Session, by: i32) -> Vec<Effect> {
        session.with_channel(session.own(self.0), |channel| {
            channel.kind = super::super::turned(&Kind::ALL, channel.kind, by);
        });
        Vec::new()
    }
}

/// The words for the selected channel's codes.
pub(crate) static WORDS: SingleSetting = SingleSetting {
    name: "words for codes",
    help: "for numbers that mean states, as in: 0 idle, 3 blue; empty: none",
    range: "",
    key: "source.channel.words",
    shown: |session| {
        let settings = session.channel()?.wished();
        let words = settings.words.spelled();
        settings.formula.is_none().then(|| if words.is_empty() { "none".to_owned() } else { words })
    },
    way: Way::Typed {
        text: |session| {
            let Some(channel) = session.channel() else { return String::new() };
            // To be typed over.
            let states = channel.states().map(|count| (0..count).map(|code| format!("{code} state_{code}")).collect());
            states.map_or_else(|| channel.wished().words.spelled(), |states: Vec<String>| states.join(", "))
        },
        set: |session, text| {
            let words = Words::parse(text)?;
            session.edit_channel(|channel| {
                channel.kind = if words.is_empty() { Kind::Auto } else { Kind::Code };
                channel.words = words;
            });
            Ok(Vec::new())
        },
        nudge: |_, _| Vec::new(),
    },
};

/// Whether the selected channel is shown.
pub(super) static VISIBLE: SingleSetting = SingleSetting {
    name: "selected channel",
    help: "hidden channels are not drawn; they are logged all the same",
    range: "",
    key: "source.channel.hidden",
    shown: |session| Some(if session.channel()?.wished().hidden { "hidden" } else { "shown" }.into()),
    way: Way::Chosen {
        choices: |_| vec![Choice::new("shown", ""), Choice::new("hidden", "")],
        now: |session| usize::from(session.channel().is_some_and(|channel| channel.wished().hidden)),
        choose: |session, at| {
            session.edit_channel(|channel| channel.hidden = at == 1);
            Vec::new()
        },
    },
};
