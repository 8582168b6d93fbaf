//! Settings of stage 3 beside the steps of the scale.

use super::super::panel::{Choice, SingleSetting, Way};
use amber_core::digits::{fixed, with_unit};

/// What comes in front of the first step.
pub(super) static INPUT: [SingleSetting; 1] = [SingleSetting {
    name: "raw value",
    help: "Enter: the input unit, of the value in front of the first step",
    range: "",
    key: "source.channel.scale.unit",
    shown: |session| {
        let channel = session.channel()?;
        let unit = &channel.wished().scale.unit;
        let raw = session.reading(session.selected).map(|reading| fixed(reading.raw, channel.raw_decimals()));
        Some(raw.map_or("–".into(), |raw| with_unit(raw, unit)))
    },
    way: Way::Typed {
        text: |session| session.channel().map_or(String::new(), |channel| channel.wished().scale.unit.clone()),
        set: |session, text| {
            session.edit_channel(|channel| channel.scale.unit = text.to_owned());
            Ok(Vec::new())
        },
        nudge: |_, _| Vec::new(),
    },
}];

/// Whether raw values are shown too.
pub(super) static RAW: [SingleSetting; 1] = [SingleSetting {
    name: "raw values on screen",
    help: "raw values beside the scaled ones, in readouts and table, for all channels",
    range: "",
    key: "screen.raw",
    shown: |session| Some(if session.shared().screen.raw { "shown" } else { "hidden" }.into()),
    way: Way::Chosen {
        choices: |_| vec![Choice::new("hidden", ""), Choice::new("shown", "")],
        now: |session| usize::from(session.shared().screen.raw),
        choose: |session, at| {
            session.edit_shared(|shared| shared.screen.raw = at == 1);
            Vec::new()
        },
    },
}];
