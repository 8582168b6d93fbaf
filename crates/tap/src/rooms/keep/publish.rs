//! The settings of what is published, and how that stands.

use super::super::panel::{Choice, Row, SingleSetting, Way};
use super::plan::text_setting;
use crate::session::Session;
use amber_core::digits::grouped;
use amber_core::keep::{BrokerAddress, Topics};
use amber_io::BrokerState;

/// What is published, and where.
pub(super) static PUBLISH: [SingleSetting; 4] = [
    SingleSetting {
        name: "publish to",
        help: "a broker (MQTT 5) and a topic; p starts and ends it; user and password: see the guide",
        range: "mqtt://HOST/TOPIC; mqtts:// is encrypted",
        key: "publish.to",
        shown: |session| Some(session.shared().publish.to.as_ref().map_or("nowhere".into(), ToString::to_string)),
        way: Way::Typed {
            text: |session| session.shared().publish.to.as_ref().map_or(String::new(), ToString::to_string),
            set: |session, text| {
                if session.publishing.state.is_some() {
                    return Err("end publishing first (p)".into());
                }
                let to = match text.trim() {
                    "" | "nowhere" => None,
                    text => Some(text.parse::<BrokerAddress>()?),
                };
                if let Some(fault) = to.as_ref().and_then(BrokerAddress::publishing_fault) {
                    return Err(fault.into());
                }
                session.edit_shared(|shared| shared.publish.to = to);
                Ok(Vec::new())
            },
            nudge: |_, _| Vec::new(),
        },
    },
    text_setting!(
        "rows published",
        "which rows; channels, values and decimals as in takes",
        "every row; every 10; or 1 s, then any of: last mean min max",
        publish.rows,
        ["every row", "every 10", "1 s", "10 s", "60 s", "600 s"]
    ),
    SingleSetting {
        name: "messages made of",
        help: "rows: a message a row, with all channels; values: a topic for each channel",
        range: "",
        key: "publish.topics",
        shown: |session| Some(session.shared().publish.topics.name().into()),
        way: Way::Chosen {
            choices: |_| Topics::ALL.iter().map(|topics| Choice::new(topics.name(), topics.help())).collect(),
            now: |session| session.shared().publish.topics as usize,
            choose: |session, at| {
                let topics = Topics::ALL.get(at).copied().unwrap_or_default();
                session.edit_shared(|shared| shared.publish.topics = topics);
                Vec::new()
            },
        },
    },
    text_setting!(
        "spool",
        "what may wait on the disk while the broker is away; then the oldest goes, counted",
        "1 MB to 1000 GB",
        publish.spool,
        ["1.0 MB", "10 MB", "64 MB", "250 MB", "1.0 GB"]
    ),
];

/// How publishing stands.
pub(super) fn rows(session: &Session) -> Vec<Row> {
    let Some(state) = &session.publishing.state else {
        return vec![Row::fact("publishing", "no (p starts it)")];
    };
    let mut rows = match &state.broker {
        BrokerState::Connecting => vec![Row::fact("publishing", "connecting")],
        BrokerState::Connected => vec![Row::fact("publishing", "connected")],
        BrokerState::Waiting(why) => Row::text("publishing: the broker is away", why),
    };
    rows.push(Row::fact("  delivered", grouped(state.delivered)));
    rows.push(Row::fact("  waiting", grouped(state.waiting)));
    rows.push(Row::fact("  rejected", grouped(state.rejected)));
    rows.push(Row::fact("  lost", grouped(state.lost)));
    if state.damaged > 0 {
        rows.push(Row::fact("  damaged", format!("{} on the disk, not sent", grouped(state.damaged))));
    }
    rows.extend(state.trouble.iter().flat_map(|trouble| Row::text("", trouble)));
    rows
}

/// The same in the title: a text, and whether it needs attention.
pub(crate) fn in_title(session: &Session) -> Option<(String, bool)> {
    let state = session.publishing.state.as_ref()?;
    let lost = if state.lost > 0 { format!(", {} lost", grouped(state.lost)) } else { String::new() };
    Some(match &state.broker {
        BrokerState::Connected if state.lost == 0 => (format!("published {}", grouped(state.delivered)), false),
        BrokerState::Connected => (format!(" published {}{lost} ", grouped(state.delivered)), true),
        BrokerState::Connecting => (format!("connecting to the broker{lost}"), state.lost > 0),
        BrokerState::Waiting(_) => (format!(" broker away: {} wait{lost} ", grouped(state.waiting)), true),
    })
}
