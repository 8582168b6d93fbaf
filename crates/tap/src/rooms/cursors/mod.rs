//! Two cursors in time and two in value: what lies between them, per channel.

mod view;

use super::{About, Effect, Follow, Place, Room, listed};
use crate::keys::{Binding, Key, NONE, keys};
use crate::session::{self, ChannelId, Request, Session, Snap};
use crate::theme::Theme;
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
    Figure,
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
    [(Char('f'), NONE)], Action::Figure, "f", "write the chart with its cursors as SVG and PDF", Some("f figure"), channel;
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
                let lines: Vec<String> = session.measured().iter().map(|row| row.join("\t")).collect();
                return vec![Request::Copy(lines.join("\n")).into()];
            }
            Action::Figure => return vec![Request::Figure.into()],
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
            self.found = Some((of, session.measured()));
        }
        is_due
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        let rows = self.found.as_ref().map_or(&[][..], |(_, rows)| rows);
        view::draw(rows, session, theme, area, buffer);
    }
}
