//! The panel of stage 2: the shape and how sure it is, each field of the last row, what was rejected and why.

mod pins;
mod settings;

pub(crate) use settings::WORDS;

use super::Effect;
use super::panel::{Row, Setting, SingleSetting, StagePanel, ask_for};
use crate::keys::{Binding, NONE, keys};
use crate::session::{Session, Stage};
use amber_core::digits::grouped;
use amber_core::split::{LineOutcome, Shape};
use amber_core::tail::{hexadecimal, visible};
use crossterm::event::KeyCode::Char;

/// Rejected lines that are shown.
const EXAMPLES: usize = 4;

/// Lines among which they are looked for.
const RECENT: usize = 5000;

/// Stage 2.
#[derive(Debug, Default)]
pub(crate) struct Split;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    TakeOffer,
    Pins,
    ShowOrHide,
    Words,
    ChannelUp,
    ChannelDown,
}

impl StagePanel for Split {
    type Action = Action;
    const STAGE: Stage = Stage::Split;
    const HELP: &'static str = "how lines become fields and channels, what was rejected";
    const KEYS: &'static [Binding<Action>] = keys! {
        [(Char('h'), NONE)], Action::ShowOrHide, "h", "show or hide the channel; it is logged all the same", Some("h hide"), channel;
        [(Char('#'), NONE)], Action::Words, "#", "words for the channel's codes, shown and logged", Some("# words"), channel;
        [(Char('<'), NONE)], Action::ChannelUp, "<", "move the channel up", Some("<> move"), channel;
        [(Char('>'), NONE)], Action::ChannelDown, ">", "move the channel down", None, channel;
        [(Char('o'), NONE)], Action::TakeOffer, "o", "read the stream by the other shape that is offered", None;
        [(Char('i'), NONE)], Action::Pins, "i", "pins: set them up from here, on a board that lets you", None;
    };

    fn settings() -> Vec<&'static SingleSetting> {
        settings::SHAPE.iter().chain([&settings::VISIBLE, &WORDS]).collect()
    }

    fn rows(&self, session: &Session) -> Vec<Row> {
        let mut rows = shape(session);
        rows.push(Row::blank());
        let columns = (0..session.chain().channels().len()).filter_map(|index| {
            let row = Row::setting(settings::Column(index), session)?;
            Some(Row { channel: Some(index), ..row })
        });
        rows.extend(columns);
        for channel in session.chain().channels() {
            if let Some(count) = channel.states() {
                let most = count - 1;
                let told = format!("▲ {} takes only 0 to {most}, perhaps states: # names them", channel.title());
                rows.extend(Row::text("", &told));
            }
        }
        rows.push(Row::blank());
        rows.extend(outcomes(session));
        rows
    }

    fn act(&mut self, action: Action, _: Option<&Row>, session: &mut Session) -> Vec<Effect> {
        match action {
            Action::TakeOffer => settings::take_offer(session),
            Action::Pins => return pins::open(session),
            Action::ShowOrHide => return (&settings::VISIBLE).nudge(session, 1),
            Action::Words => return ask_for(&WORDS, session),
            Action::ChannelUp => session.move_channel(-1),
            Action::ChannelDown => session.move_channel(1),
        }
        Vec::new()
    }
}

fn shape(session: &Session) -> Vec<Row> {
    let Some(shape) = session.chain().shape() else {
        let mut rows = vec![Row::fact("shape", "looking at the first lines")];
        rows.extend(Row::settings(&settings::SHAPE, session));
        return rows;
    };
    let pinned = session.chain().settings().split.shape().is_some();
    let (sure, offer) = session.chain().doubts();
    let mut rows = Row::text("", &shape.sentence());
    let sure = match (pinned, sure) {
        (true, _) => "pinned".to_owned(),
        (false, Some(sure)) => format!("found, {}", sure.name()),
        (false, None) => "found".to_owned(),
    };
    if let Some(dialogue) = session.pins() {
        rows.extend(Row::text("", &dialogue.state()));
        for fault in dialogue.faults() {
            rows.extend(Row::text("", &format!("▲ {fault}")));
        }
        if dialogue.repeats() > 0 {
            rows.push(Row::fact("set up again", format!("{} times", grouped(dialogue.repeats()))));
        }
    }
    if let Some(poller) = session.poller() {
        let (asked, answered, late) = poller.counts();
        rows.push(Row::fact("questions", grouped(asked)));
        rows.push(Row::fact("  answered", grouped(answered)));
        rows.push(Row::fact("  timed out", grouped(late)));
    }
    let fit = session.chain().fit().map_or(String::new(), |fit| format!(", {:.1} % fit", fit * 100.0));
    rows.push(Row::fact("", format!("{sure}{fit}")));
    if let Some(uncertain) = session.chain().uncertain() {
        rows.extend(Row::text("", &format!("▲ {uncertain}")));
    }
    if let Some(offer) = offer {
        rows.extend(Row::text("", &format!("▲ {}: {}", offer.why, offer.shape.sentence())));
        rows.extend(Row::text("", &format!("o reads it as: {}", offer.shape)));
    }
    rows.extend(Row::settings(&settings::SHAPE, session));
    rows
}

/// What became of the lines.
fn outcomes(session: &Session) -> Vec<Row> {
    let counts = session.chain().counts();
    let frames = session.chain().shape().is_some_and(Shape::is_binary);
    let mut rows = vec![
        Row::fact("rows", grouped(session.snapshot.rows)),
        Row::fact("messages", grouped(counts.messages)),
        Row::fact("half lines", grouped(counts.half)),
        Row::fact("rejected", grouped(counts.rejected())),
    ];
    if let Some(missing) = session.chain().missing_frames() {
        rows.push(Row::fact("missing by count", grouped(missing)));
    }
    rows.extend(counts.reasons().map(|(why, count)| Row::fact(format!("  {}", why.text()), grouped(count))));
    if counts.rejected() > 0 {
        rows.push(Row::fact("last rejected", ""));
    }
    let recent = session.chain().tail().lines().rev().take(RECENT);
    for line in recent.filter(|line| matches!(line.outcome, LineOutcome::Rejected(_))).take(EXAMPLES) {
        let text = if frames { hexadecimal(line.bytes, " ") } else { visible(line.bytes) };
        let head: String = text.chars().take(60).collect();
        rows.push(Row::fact("", format!("▲ {head}")));
    }
    rows
}
