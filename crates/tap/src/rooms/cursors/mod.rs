//! Two cursors in time and two in value: what lies between them, per channel.

mod view;

use super::{About, Effect, Follow, Place, Room, listed};
use crate::keys::{Binding, Key, NONE, keys};
use crate::session::{self, ChannelId, Request, Session, Snap};
use crate::theme::Theme;
use amber_core::bench::Kind;
use amber_core::block::Statistics;
use amber_core::digits::{counted, duration, fixed, grouped, hertz, short, with_unit};
use crossterm::event::KeyCode::{Char, Down, Esc, Left, Right, Up};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The tool.
#[derive(Debug, Default)]
pub(crate) struct Cursors {
    /// What was measured, and of what.
    found: Option<(Of, Vec<[String; 4]>)>,
}

/// The cursors, the channel, the rows between and the settings.
type Of = (Option<session::Cursors>, ChannelId, std::ops::Range<u64>, u64);

/// The most rows between the cursors that statistics are made of: more would hold up the keys.
const MOST: u64 = 200_000;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Earlier,
    Later,
    MuchEarlier,
    MuchLater,
    RowBefore,
    NextRow,
    Other,
    PeakBefore,
    NextPeak,
    EdgeBefore,
    NextEdge,
    Higher,
    Lower,
    Copy,
    Close,
}

const KEYS: &[Binding<Action>] = keys! {
    [(Left, NONE)], Action::Earlier, "←", "the active cursor a little earlier", None;
    [(Right, NONE)], Action::Later, "→", "the active cursor a little later", Some("←→ cursor");
    [(Char('<'), NONE)], Action::MuchEarlier, "<", "the active cursor much earlier", None;
    [(Char('>'), NONE)], Action::MuchLater, ">", "the active cursor much later", Some("<> far");
    [(Char(','), NONE)], Action::RowBefore, ",", "the active cursor to the row before", None;
    [(Char('.'), NONE)], Action::NextRow, ".", "the active cursor to the next row", Some(",. row");
    [(Char('o'), NONE)], Action::Other, "o", "the other cursor becomes the active one", Some("o other");
    [(Char('P'), NONE)], Action::PeakBefore, "P", "to the peak before, of the selected channel", None, channel;
    [(Char('p'), NONE)], Action::NextPeak, "p", "to the next peak, high or low", Some("p peak"), channel;
    [(Char('E'), NONE)], Action::EdgeBefore, "E", "to the edge, crossing or code before", None, channel;
    [(Char('e'), NONE)], Action::NextEdge, "e", "to the next edge, crossing of the threshold, or code", Some("e edge"), channel;
    [(Up, NONE)], Action::Higher, "↑", "a cursor in value, up; it stands with the active one", Some("↑↓ value"), channel;
    [(Down, NONE)], Action::Lower, "↓", "a cursor in value, down", None, channel;
    [(Char('c'), NONE)], Action::Copy, "c", "copy what is measured to the clipboard", Some("c copy"), channel;
    [(Esc, NONE)], Action::Close, "Esc", "close the cursors", Some("Esc close");
};

impl Room for Cursors {
    type Action = Action;
    const ABOUT: About = About {
        name: "cursors",
        help: "measure between two instants and two values of a held picture",
        place: Place::Side(46),
    };

    fn bindings() -> Vec<(&'static Key, Action)> {
        listed(KEYS)
    }

    fn open(&mut self, session: &mut Session) -> Result<(), String> {
        if session.chain().store().rows().is_empty() {
            return Err("no rows to measure yet".into());
        }
        session.show_cursors();
        Ok(())
    }

    fn act(&mut self, action: Action, session: &mut Session) -> Vec<Effect> {
        let snap = |session: &mut Session, to: Snap, forward: bool| {
            if !session.snap_cursor(to, forward) {
                let what = if to == Snap::Peak { "peak" } else { "edge" };
                let way = if forward { "after" } else { "before" };
                session.say(format!("no {what} {way} the cursor"), true);
            }
        };
        match action {
            Action::Earlier => session.move_cursor(-1.0),
            Action::Later => session.move_cursor(1.0),
            Action::MuchEarlier => session.move_cursor(-16.0),
            Action::MuchLater => session.move_cursor(16.0),
            Action::RowBefore => session.move_cursor_by_rows(-1),
            Action::NextRow => session.move_cursor_by_rows(1),
            Action::Other => {
                if let Some(cursors) = &mut session.cursors {
                    cursors.active = 1 - cursors.active;
                }
                session.refresh_soon();
            }
            Action::PeakBefore => snap(session, Snap::Peak, false),
            Action::NextPeak => snap(session, Snap::Peak, true),
            Action::EdgeBefore => snap(session, Snap::Edge, false),
            Action::NextEdge => snap(session, Snap::Edge, true),
            Action::Higher => session.move_level(1.0),
            Action::Lower => session.move_level(-1.0),
            Action::Copy => {
                let lines: Vec<String> = measured(session).iter().map(|row| row.join("\t")).collect();
                return vec![Request::Copy(lines.join("\n")).into()];
            }
            Action::Close => {
                session.cursors = None;
                session.refresh_soon();
                return vec![Effect::Close];
            }
        }
        Vec::new()
    }

    fn follow(&mut self, session: &mut Session, time: Follow) -> bool {
        // Another panel took their place.
        if !time.is_open {
            self.found = None;
            let is_left = session.cursors.take().is_some();
            if is_left {
                session.refresh_soon();
            }
            return is_left;
        }
        let of = (session.cursors, session.selected, session.rows_between_cursors(), session.revision());
        let is_due = self.found.as_ref().is_none_or(|(known, _)| *known != of);
        if is_due {
            self.found = Some((of, measured(session)));
        }
        is_due
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        let rows = self.found.as_ref().map_or(&[][..], |(_, rows)| rows);
        view::draw(rows, session, theme, area, buffer);
    }
}

/// The value of a channel at a row, in words of its own where it has some.
fn value(session: &Session, id: ChannelId, row: Option<u64>) -> Option<f64> {
    let value = session.channel_at(id).output().get(row?)?;
    Some(value).filter(|value| value.is_finite())
}

/// What is measured, as a table: instants, their difference, then each channel at both and its difference, and what the
/// selected one amounts to between them.
fn measured(session: &Session) -> Vec<[String; 4]> {
    let Some(cursors) = session.cursors else { return Vec::new() };
    let none = || "–".to_owned();
    let [from, to] = cursors.at;
    let seconds = to.seconds_since(from);
    let wall = |at| session.wall(at, "%H:%M:%S%.3f");
    let mut rows = vec![
        [String::new(), "cursor 1".into(), "cursor 2".into(), "difference".into()],
        ["time".into(), wall(from), wall(to), duration(seconds)],
    ];
    if seconds != 0.0 {
        rows.push(["1 / time".into(), String::new(), String::new(), hertz(1.0 / seconds.abs())]);
    }
    let at = cursors.at.map(|at| session.cursor_row(at));
    for id in session.channel_ids().filter(|id| id.source == session.place()) {
        let channel = session.channel_at(id);
        if channel.kind() == Kind::Clock || channel.settings().hidden {
            continue;
        }
        let values = at.map(|row| value(session, id, row));
        let unit = channel.settings().scale.unit();
        let shown = |value: Option<f64>| {
            value.map_or_else(none, |value| {
                channel.word(value).map_or_else(|| fixed(value, channel.decimals()), str::to_owned)
            })
        };
        let difference = match values {
            [Some(a), Some(b)] if channel.kind() == Kind::Analog => with_unit(fixed(b - a, channel.decimals()), unit),
            _ => none(),
        };
        rows.push([session.title(id), shown(values[0]), shown(values[1]), difference]);
    }
    let id = session.selected;
    let Some(channel) = session.channel() else { return rows };
    let unit = channel.settings().scale.unit();
    let value = |value: f64, more: usize| with_unit(fixed(value, channel.decimals() + more), unit);
    let pair = |name: &str, text: String| [name.to_owned(), text, String::new(), String::new()];
    if let Some((_, levels)) = cursors.levels.filter(|(of, _)| *of == id) {
        let [a, b] = levels.map(|level| value(level, 0));
        rows.push(["values".into(), a, b, value(levels[1] - levels[0], 0)]);
    }
    let between = session.rows_between_cursors();
    let count = between.end - between.start;
    rows.push(pair(&format!("{} between", session.title(id)), counted(count, "row")));
    if count > MOST {
        rows.push(pair("statistics", format!("not of more than {} rows", grouped(MOST))));
        return rows;
    }
    let store = session.chain().store();
    let mut times = Vec::new();
    store.read_times(between.clone(), &mut times);
    let values: Vec<f64> = between.map(|row| channel.output().get(row).unwrap_or(f64::NAN)).collect();
    if let Some(found) = Statistics::of(&times, &values).filter(|_| channel.kind() == Kind::Analog) {
        rows.push(pair("mean", value(found.mean, 1)));
        rows.push(pair("deviation", if found.deviation.is_nan() { none() } else { value(found.deviation, 1) }));
        rows.push(pair("min", value(found.min, 0)));
        rows.push(pair("max", value(found.max, 0)));
        rows.push(pair("peak to peak", value(found.peak_to_peak(), 0)));
        let slope = found.slope;
        rows.push(pair(
            "slope",
            if slope.is_finite() { with_unit(short(slope, 3), &format!("{unit}/s")) } else { none() },
        ));
        if found.gaps > 0 {
            rows.push(pair("gaps", counted(found.gaps as u64, "row")));
        }
    }
    rows
}
