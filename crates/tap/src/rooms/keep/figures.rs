//! The settings of figures.

use super::super::panel::{Choice, SingleSetting, Way};
use super::plan::text_setting;
use crate::session::Session;

const GROUNDS: [&str; 2] = ["white, for paper", "dark, for a projector"];

/// The longest text on a figure.
const LONGEST: usize = 120;

fn words(text: &str) -> Result<String, String> {
    if text.chars().count() > LONGEST { Err(format!("at most {LONGEST} characters")) } else { Ok(text.to_owned()) }
}

fn or_auto(text: &str) -> String {
    if text.is_empty() { "auto".into() } else { text.to_owned() }
}

pub(super) static FIGURES: [SingleSetting; 4] = [
    text_setting!(
        "figure size",
        "of figures written by f, and of amber-tap plot",
        "160x100 mm; 1200x800 px",
        figure.size,
        ["80x60 mm", "160x100 mm", "297x210 mm", "420x297 mm"]
    ),
    SingleSetting {
        name: "figure ground",
        help: "what figures are drawn on",
        range: "",
        key: "figure.dark",
        shown: |session| Some(super::super::either(GROUNDS, session.shared().figure.dark).into()),
        way: Way::Chosen {
            choices: |_| GROUNDS.iter().map(|ground| Choice::new(*ground, "")).collect(),
            now: |session| usize::from(session.shared().figure.dark),
            choose: |session, at| {
                session.edit_shared(|shared| shared.figure.dark = at == 1);
                Vec::new()
            },
        },
    },
    SingleSetting {
        name: "figure title",
        help: "what stands above figures; nothing for the name of the bench",
        range: "",
        key: "figure.title",
        shown: |session: &Session| Some(or_auto(&session.shared().figure.title)),
        way: Way::Typed {
            text: |session| session.shared().figure.title.clone(),
            set: |session, text| {
                let title = words(text)?;
                session.edit_shared(|shared| shared.figure.title = title);
                Ok(Vec::new())
            },
            nudge: |_, _| Vec::new(),
        },
    },
    SingleSetting {
        name: "figure axis of time",
        help: "what it says; nothing for what it measures",
        range: "",
        key: "figure.x_label",
        shown: |session: &Session| Some(or_auto(&session.shared().figure.x_label)),
        way: Way::Typed {
            text: |session| session.shared().figure.x_label.clone(),
            set: |session, text| {
                let label = words(text)?;
                session.edit_shared(|shared| shared.figure.x_label = label);
                Ok(Vec::new())
            },
            nudge: |_, _| Vec::new(),
        },
    },
];
