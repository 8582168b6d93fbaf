//! The settings of what a take keeps, and when it begins and ends.

use super::super::panel::{Choice, Row, SingleSetting, Way};
use crate::session::{Session, Taking};
use amber_core::digits::duration;
use amber_core::keep::{Clocks, Keep, LONGEST_BEFORE, MOST_DECIMALS, seconds};

/// The one of `list` that lies `by` places from `now`; the first where `now` is none of them.
pub(super) fn along(list: &[&'static str], now: &str, by: i32) -> &'static str {
    let place = list.iter().position(|text| *text == now).map_or(0, |place| place as i32 + by);
    let place = place.clamp(0, list.len() as i32 - 1);
    list.get(place as usize).copied().unwrap_or_default()
}

/// A setting that is one text, and the texts through which it is nudged.
macro_rules! text_setting {
    ($name:literal, $help:literal, $range:literal, $table:ident.$field:ident, $list:expr) => {
        SingleSetting {
            name: $name,
            help: $help,
            range: $range,
            key: concat!(stringify!($table), ".", stringify!($field)),
            shown: |session| Some(session.shared().$table.$field.to_string()),
            way: Way::Typed {
                text: |session| session.shared().$table.$field.to_string(),
                set: |session, text| {
                    let value = text.parse()?;
                    session.edit_shared(|shared| shared.$table.$field = value);
                    Ok(Vec::new())
                },
                nudge: |session, by| {
                    let text =
                        $crate::rooms::keep::plan::along(&$list, &session.shared().$table.$field.to_string(), by);
                    // A text of the list is one that can be read.
                    if let Ok(value) = text.parse() {
                        session.edit_shared(|shared| shared.$table.$field = value);
                    }
                    Vec::new()
                },
            },
        }
    };
}
pub(super) use text_setting;

/// What stands in the table of a take.
const KEPT: [&str; 4] = ["scaled", "scaled and raw", "scaled and smoothed", "scaled, raw and smoothed"];

fn kept(session: &Session) -> usize {
    let keep = &session.shared().keep;
    usize::from(keep.raw) + 2 * usize::from(keep.smoothed)
}

const STYLES: [&str; 2] = ["1.5, columns by commas", "1,5, columns by semicolons"];

/// Times that can be had from before the start, in seconds.
const BEFORE: [f64; 6] = [0.0, 10.0, 60.0, 300.0, 600.0, 3600.0];

fn set_before(session: &mut Session, value: f64) {
    session.edit_shared(|shared| shared.keep.before = value);
}

/// What a take's table holds.
pub(super) static TABLE: [SingleSetting; 6] = [
    text_setting!(
        "rows in takes",
        "which rows go into readings.csv; wire.bin has every byte in any case",
        "every row; every 10; or 1 s, then any of: last mean min max",
        keep.pace,
        ["every row", "every 10", "1 s", "10 s", "60 s", "600 s"]
    ),
    SingleSetting {
        name: "channels in takes",
        help: "the channels that have columns in readings.csv",
        range: "names with commas; all",
        key: "keep.channels",
        shown: |session| Some(channels(&session.shared().keep)),
        way: Way::Typed {
            text: |session| channels(&session.shared().keep),
            set: |session, text| {
                let names: Vec<String> = text.split(',').map(|name| name.trim().to_owned()).collect();
                let names = if text.is_empty() || text == "all" { Vec::new() } else { names };
                let known: Vec<String> = session
                    .chains()
                    .flat_map(|chain| {
                        chain.channels().iter().flat_map(|own| [own.name().to_owned(), own.title().to_owned()])
                    })
                    .collect();
                if let Some(name) = names.iter().find(|name| !known.contains(name)) {
                    return Err(format!("there is no channel {name}: type names with commas, or all"));
                }
                session.edit_shared(|shared| shared.keep.channels = names);
                Ok(Vec::new())
            },
            nudge: |_, _| Vec::new(),
        },
    },
    SingleSetting {
        name: "values in takes",
        help: "the columns of readings.csv; wire.bin has every byte in any case",
        range: "",
        key: "keep.raw",
        shown: |session| KEPT.get(kept(session)).map(|kept| (*kept).into()),
        way: Way::Chosen {
            choices: |_| KEPT.iter().map(|kept| Choice::new(*kept, "")).collect(),
            now: kept,
            choose: |session, at| {
                session.edit_shared(|shared| (shared.keep.raw, shared.keep.smoothed) = (at & 1 == 1, at & 2 == 2));
                Vec::new()
            },
        },
    },
    SingleSetting {
        name: "clocks in takes",
        help: "columns beside time_s, the seconds since the start",
        range: "",
        key: "keep.clocks",
        shown: |session| Some(session.shared().keep.clocks.to_string()),
        way: Way::Chosen {
            choices: |_| Clocks::ALL.iter().map(|clocks| Choice::new(clocks.name(), "")).collect(),
            now: |session| session.shared().keep.clocks as usize,
            choose: |session, at| {
                let clocks = Clocks::ALL.get(at).copied().unwrap_or_default();
                session.edit_shared(|shared| shared.keep.clocks = clocks);
                Vec::new()
            },
        },
    },
    SingleSetting {
        name: "decimals in takes",
        help: "of all numbers; auto goes by each channel's resolution",
        range: "auto, 0 to 12",
        key: "keep.decimals",
        shown: |session| Some(decimals(&session.shared().keep)),
        way: Way::Typed {
            text: |session| decimals(&session.shared().keep),
            set: |session, text| {
                let value = match text {
                    "" | "auto" => None,
                    text => match text.parse::<u8>() {
                        Ok(value) if value <= MOST_DECIMALS => Some(value),
                        _ => return Err(format!("type auto, or 0 to {MOST_DECIMALS}")),
                    },
                };
                session.edit_shared(|shared| shared.keep.decimals = value);
                Ok(Vec::new())
            },
            nudge: |session, by| {
                let now = session.shared().keep.decimals.map_or(-1, i32::from);
                let value = u8::try_from(now + by).ok().map(|value| value.min(MOST_DECIMALS));
                session.edit_shared(|shared| shared.keep.decimals = value);
                Vec::new()
            },
        },
    },
    SingleSetting {
        name: "numbers in takes",
        help: "as the spreadsheet wants them: with a point, or with a decimal comma",
        range: "",
        key: "keep.decimal_comma",
        shown: |session| Some(super::super::either(STYLES, session.shared().keep.decimal_comma).into()),
        way: Way::Chosen {
            choices: |_| STYLES.iter().map(|style| Choice::new(*style, "")).collect(),
            now: |session| usize::from(session.shared().keep.decimal_comma),
            choose: |session, at| {
                session.edit_shared(|shared| shared.keep.decimal_comma = at == 1);
                Vec::new()
            },
        },
    },
];

/// When a take begins and ends.
pub(super) static TIMES: [SingleSetting; 4] = [
    text_setting!(
        "take starts",
        "what starts a take once t was pressed",
        "by key; in 10 s; at 14:30; on and a condition",
        keep.start,
        ["by key", "in 5 s", "in 10 s", "in 60 s"]
    ),
    SingleSetting {
        name: "from before",
        help: "time before the start that is part of the take, as far as it is in memory",
        range: "0 s to 24 h",
        key: "keep.before",
        shown: |session| Some(duration(session.shared().keep.before)),
        way: Way::Typed {
            text: |session| duration(session.shared().keep.before),
            set: |session, text| {
                let is_nothing = matches!(text, "" | "0" | "0 s");
                let value = if is_nothing { 0.0 } else { seconds(text)? };
                if value > LONGEST_BEFORE {
                    return Err("that is longer than 24 h".into());
                }
                set_before(session, value);
                Ok(Vec::new())
            },
            nudge: |session, by| {
                let now = session.shared().keep.before;
                set_before(session, amber_core::part::along(&BEFORE, now, by));
                Vec::new()
            },
        },
    },
    text_setting!(
        "take ends",
        "what ends a take, whichever comes first; t ends it in any case",
        "by key; 10 min; 1000 rows; 10 MB; on and a condition",
        keep.stop,
        ["by key", "10 s", "60 s", "600 s", "3600 s"]
    ),
    text_setting!(
        "parts of a take",
        "when its files are ended and the next ones begun, without a gap",
        "one; 8 h; 10 MB",
        keep.parts,
        ["one", "3600 s", "28800 s", "86400 s"]
    ),
];

fn channels(keep: &Keep) -> String {
    if keep.channels.is_empty() { "all".into() } else { keep.channels.join(", ") }
}

fn decimals(keep: &Keep) -> String {
    keep.decimals.map_or("auto".into(), |decimals| decimals.to_string())
}

/// The plan in a sentence, with the size that is expected.
pub(super) fn rows(session: &Session) -> Vec<Row> {
    if session.is_take() {
        return Vec::new();
    }
    let mut rows = Row::text("plan", &session.shared().keep.sentence(session.pace()));
    rows.extend(Row::text("size", &session.expected().0));
    if let Taking::Yes { .. } = session.taking {
        rows.extend(session.seconds_left().map(|left| Row::fact("time left", duration(left.round()))));
        rows.extend(session.part().map(|part| Row::fact("part", part)));
    }
    rows
}
