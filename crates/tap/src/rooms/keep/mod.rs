//! The panel of stage 6: takes, marks, figures, the bench file, and how much history stays in memory.

mod figures;
mod plan;
mod publish;

pub(crate) use publish::in_title;

use super::list::{Item, List};
use super::panel::{Row, SingleSetting, StagePanel, Way};
use super::prompt::Prompt;
use super::{Effect, RoomId, outside};
use crate::keys::{Binding, NONE, keys};
use crate::session::{Request, Session, Stage, Taking, name_of};
use amber_core::digits::{bytes, counted, duration, grouped, typed};
use amber_core::part::along;
use amber_core::tail::visible;
use crossterm::event::KeyCode::Char;
use std::path::PathBuf;

const HISTORIES: [f64; 7] = [60.0, 300.0, 600.0, 1800.0, 3600.0, 14_400.0, 86_400.0];
const HISTORY_ROWS: [u64; 5] = [100_000, 300_000, 1_000_000, 3_000_000, 10_000_000];

/// Marks that are listed.
const MARKS: usize = 3;

/// Stage 6.
#[derive(Debug, Default)]
pub(crate) struct Keep;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Figure,
    Report,
    Takes,
    Stations,
    Rule,
    Reading,
    Publish,
}

static FILES: [SingleSetting; 3] = [
    SingleSetting {
        name: "folder",
        help: "where takes and figures go",
        range: "",
        key: "",
        shown: |session| Some(session.folder().display().to_string()),
        way: Way::Typed {
            text: |session| session.folder().display().to_string(),
            set: |session, text| {
                if text.is_empty() {
                    return Err("type a folder; . is where the program was started".into());
                }
                session.set_folder(PathBuf::from(text));
                Ok(Vec::new())
            },
            nudge: |_, _| Vec::new(),
        },
    },
    SingleSetting {
        name: "name of the bench",
        help: "a name for all these settings",
        range: "",
        key: "name",
        shown: |session| Some(session.shared().name.clone()),
        way: Way::Typed {
            text: |session| session.shared().name.clone(),
            set: |session, text| {
                session.edit_shared(|shared| shared.name = text.to_owned());
                Ok(Vec::new())
            },
            nudge: |_, _| Vec::new(),
        },
    },
    SingleSetting {
        name: "about the bench",
        help: "what whoever opens it should know; it is said when the bench is opened",
        range: "",
        key: "about",
        shown: |session| Some(session.shared().about.clone()),
        way: Way::Typed {
            text: |session| session.shared().about.clone(),
            set: |session, text| {
                session.edit_shared(|shared| shared.about = text.to_owned());
                Ok(Vec::new())
            },
            nudge: |_, _| Vec::new(),
        },
    },
];

static HISTORY: [SingleSetting; 2] = [
    SingleSetting {
        name: "history",
        help: "seconds that stay in memory, to look back at",
        range: "1 s or more",
        key: "history.seconds",
        shown: |session| Some(duration(session.shared().history.seconds)),
        way: Way::Typed {
            text: |session| session.shared().history.seconds.to_string(),
            set: |session, text| {
                let seconds = typed(text)?;
                if seconds < 1.0 {
                    return Err("keep at least 1 second".into());
                }
                session.edit_shared(|shared| shared.history.seconds = seconds);
                Ok(Vec::new())
            },
            nudge: |session, by| {
                session.edit_shared(|shared| shared.history.seconds = along(&HISTORIES, shared.history.seconds, by));
                Vec::new()
            },
        },
    },
    SingleSetting {
        name: "history, at most",
        help: "rows that stay in memory; whichever is less",
        range: "1 row or more",
        key: "history.rows",
        shown: |session| Some(counted(session.shared().history.rows, "row")),
        way: Way::Typed {
            text: |session| session.shared().history.rows.to_string(),
            set: |session, text| {
                let rows = typed(text)?;
                if rows < 1.0 || rows.fract() != 0.0 {
                    return Err("type a whole number: keep at least 1 row".into());
                }
                session.edit_shared(|shared| shared.history.rows = rows as u64);
                Ok(Vec::new())
            },
            nudge: |session, by| {
                session.edit_shared(|shared| shared.history.rows = along(&HISTORY_ROWS, shared.history.rows, by));
                Vec::new()
            },
        },
    },
];

impl StagePanel for Keep {
    type Action = Action;
    const STAGE: Stage = Stage::Keep;
    const HELP: &'static str = "takes, marks, figures, bench, folders";
    const KEYS: &'static [Binding<Action>] = keys! {
        [(Char('f'), NONE)], Action::Figure, "f", "write what is in view as SVG and PDF", Some("f figure");
    [(Char('R'), NONE)], Action::Report, "R", "write a report: figures, statistics, settings, events, stations", Some("R report");
    [(Char('k'), NONE)], Action::Takes, "k", "the takes in the folder: open, note, rename, compare", Some("k takes");
    [(Char('o'), NONE)], Action::Stations, "o", "the stations: means and spreads at numbered places", None;
    [(Char('e'), NONE)], Action::Rule, "e", "what a station takes: a number of rows, or the next level", None;
    [(Char('p'), NONE)], Action::Publish, "p", "publish the rows at a broker, or end that", Some("p publish");
    [(Char('r'), NONE)], Action::Reading, "r", "keep what these settings make of the take as another reading", None;
    };

    fn settings() -> Vec<&'static SingleSetting> {
        plan::TIMES
            .iter()
            .chain(&plan::TABLE)
            .chain(&publish::PUBLISH)
            .chain(&figures::FIGURES)
            .chain(&FILES)
            .chain(&HISTORY)
            .collect()
    }

    fn rows(&self, session: &Session) -> Vec<Row> {
        let mut rows = plan::rows(session);
        rows.extend(take_rows(session));
        let start = session.marks.len().saturating_sub(MARKS);
        rows.extend(session.marks.iter().skip(start).flat_map(|mark| {
            let note = Row::fact(format!("  mark {}", mark.number), visible(mark.note.as_bytes()));
            [note].into_iter().chain(Row::text("", &visible(mark.values.as_bytes())))
        }));
        rows.push(Row::blank());
        if !session.is_take() {
            rows.extend(Row::settings(&plan::TIMES, session));
        }
        rows.extend(Row::settings(&plan::TABLE, session));
        rows.push(Row::blank());
        if !session.is_take() {
            rows.extend(publish::rows(session));
            rows.extend(Row::settings(&publish::PUBLISH, session));
            rows.push(Row::blank());
        }
        rows.extend(Row::settings(&figures::FIGURES, session));
        rows.push(Row::blank());
        rows.extend(Row::settings(&FILES, session));
        let bench = session.bench_file.as_ref().map_or("not saved yet (s)".into(), |path| path.display().to_string());
        rows.push(Row::fact("bench file", bench));
        if !session.is_take() {
            rows.extend(Row::settings(&HISTORY, session));
        }
        let kept = session.chain().store().rows();
        let count = kept.end - kept.start;
        rows.push(Row::fact("rows kept", grouped(count)));
        let size = session.chain().size() as u64;
        if let Some(per_row) = size.checked_div(count) {
            rows.push(Row::fact("in memory", format!("{per_row} bytes a row, {}", bytes(size))));
        }
        rows
    }

    fn act(&mut self, action: Action, _: Option<&Row>, session: &mut Session) -> Vec<Effect> {
        match action {
            Action::Figure | Action::Report if session.chains().all(|chain| chain.store().rows().is_empty()) => {
                session.say("nothing to draw yet", true);
                Vec::new()
            }
            Action::Figure => vec![Request::Figure.into()],
            Action::Report => report(session),
            Action::Takes => vec![Effect::Close, Effect::Show(RoomId::Takes)],
            Action::Stations => vec![Effect::Close, Effect::Show(RoomId::Stations)],
            Action::Rule => vec![super::stations::ask_rule(session)],
            Action::Publish => outside(session.toggle_publishing()),
            Action::Reading => {
                session.keep_reading();
                Vec::new()
            }
        }
    }
}

/// The running take.
fn take_rows(session: &Session) -> Vec<Row> {
    match &session.taking {
        Taking::No if session.is_take() => vec![Row::fact("take", "opened, not running")],
        Taking::No => vec![Row::fact("take", "none runs (t starts one)")],
        Taking::Waiting { .. } => vec![Row::fact("take", "waits (t cancels it)")],
        Taking::Starting => vec![Row::fact("take", "starting")],
        Taking::Yes { folder, saved, .. } => {
            let mut rows = vec![Row::fact("take", name_of(folder))];
            if let Some(saved) = saved {
                rows.push(Row::fact("  rows", grouped(saved.tally.rows)));
                rows.push(Row::fact("  bytes", bytes(saved.bytes)));
                rows.push(Row::fact("  rejected", grouped(saved.tally.rejected)));
            }
            rows
        }
    }
}

/// Saves all settings: to the bench file, or to one that is asked for.
pub(crate) fn save(session: &Session) -> Vec<Effect> {
    if let Some(path) = session.bench_file.clone() {
        return outside(vec![session.write_bench(path, true)]);
    }
    vec![Effect::Ask(bench_prompt(session.offered_bench(), "where to save all settings".into(), None))]
}

/// Another bench is in the file that was named: asks again.
pub(crate) fn ask_over(path: PathBuf) -> Prompt {
    let hint = format!("{} already exists: press Enter again to save into it, or type another name", name_of(&path));
    bench_prompt(path.display().to_string(), hint, Some(path))
}

fn bench_prompt(path: String, hint: String, there: Option<PathBuf>) -> Prompt {
    Prompt::new("bench file", hint, path, move |app, text| {
        if text.trim().is_empty() {
            return Err("type a file name".into());
        }
        let path = PathBuf::from(text.trim());
        let may_replace = there.as_ref() == Some(&path);
        Ok(outside(vec![app.session.write_bench(path, may_replace)]))
    })
}

/// Has a report written; while a take runs, a person says of what.
pub(crate) fn report(session: &Session) -> Vec<Effect> {
    let Taking::Yes { folder, since, .. } = &session.taking else { return vec![Request::Report.into()] };
    let (name, since) = (name_of(folder), *since);
    let of_take = move |app: &mut crate::app::App| {
        app.session.show_stretch(since, app.session.present());
        vec![Request::Report.into()]
    };
    let of_view = |_: &mut crate::app::App| vec![Request::Report.into()];
    let begun = session.wall(since, "%H:%M:%S");
    let items = vec![
        Item::new(format!("of {name}, which is running"), format!("all rows since it began at {begun}"), of_take),
        Item::new("of what is in view", "the stretch that the chart shows", of_view),
    ];
    vec![Effect::Choose(List::new("write a report", items, 0))]
}
