//! Comparison: what is watched and some takes laid over one another, their differences, their statistics side by side.

mod view;

use super::block::copied;
use super::list::{Item, List};
use super::{About, Effect, Follow, Place, Room, RoomId, listed};
use crate::comparison::{Align, Outcome, Wish};
use crate::figure::comparison as figure;
use crate::keys::{Binding, Key, NONE, keys};
use crate::rooms::prompt::Prompt;
use crate::session::Session;
use crate::theme::Theme;
use amber_core::digits::{cleaned, duration, short, typed};
use amber_core::tail::visible;
use amber_plot::Figure;
use crossterm::event::KeyCode::{Char, Down, Esc, Home, Left, Right, Up};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The comparison.
#[derive(Debug)]
pub(crate) struct Compare {
    align: Align,
    /// Seconds by which each run is moved by hand.
    shifts: Vec<f64>,
    /// The run that is selected.
    selected: usize,
    /// The stretch of the common axis that is shown; all where none is set.
    window: Option<(f64, f64)>,
    shows_difference: bool,
    /// What was shown last.
    shown: Option<Wish>,
}

impl Default for Compare {
    fn default() -> Compare {
        Compare {
            align: Align::Start,
            shifts: Vec::new(),
            selected: 1,
            window: None,
            shows_difference: true,
            shown: None,
        }
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Align,
    Shift,
    Up,
    Down,
    Difference,
    ZoomIn,
    ZoomOut,
    Earlier,
    Later,
    All,
    Takes,
    Write,
    Copy,
    Close,
}

const KEYS: &[Binding<Action>] = keys! {
    [(Char('e'), NONE)], Action::Align, "e", "what is laid over one another: start, mark, event, best match", Some("e align");
    [(Char('o'), NONE)], Action::Shift, "o", "move the selected run by so many seconds", Some("o move");
    [(Up, NONE)], Action::Up, "↑", "the run above", None;
    [(Down, NONE)], Action::Down, "↓", "the run below", Some("↑↓ run");
    [(Char('d'), NONE)], Action::Difference, "d", "show the differences, or not", Some("d difference");
    [(Char('+'), NONE), (Char('='), NONE)], Action::ZoomIn, "+", "zoom in", Some("+- zoom");
    [(Char('-'), NONE), (Char('_'), NONE)], Action::ZoomOut, "-", "zoom out", None;
    [(Left, NONE)], Action::Earlier, "←", "pan to earlier", Some("←→ pan");
    [(Right, NONE)], Action::Later, "→", "pan to later", None;
    [(Home, NONE)], Action::All, "Home", "all of the runs", Some("Home all");
    [(Char('k'), NONE)], Action::Takes, "k", "the takes: add others, or take some out", Some("k takes");
    [(Char('w'), NONE)], Action::Write, "w", "write the table as CSV", Some("w write");
    [(Char('C'), NONE)], Action::Copy, "C", "copy the table to the clipboard", Some("C copy");
    [(Esc, NONE)], Action::Close, "Esc", "back to the chart", Some("Esc chart");
};

/// Reads the takes that were chosen, and shows the comparison.
pub(crate) fn begin(session: &mut Session) -> Vec<Effect> {
    match session.read_compared() {
        Ok(()) => vec![Effect::Show(RoomId::Compare)],
        Err(why) => {
            session.say(why, true);
            Vec::new()
        }
    }
}

/// The columns of the table in a file.
const COLUMNS: [&str; 13] = [
    "run",
    "channel",
    "unit",
    "count",
    "mean",
    "deviation",
    "noise",
    "min",
    "max",
    "peak_to_peak",
    "difference_mean",
    "difference_deviation",
    "difference_largest",
];

/// The table of a comparison as CSV.
pub(crate) fn csv(channel: &str, unit: &str, outcomes: &[Outcome]) -> String {
    let mut writer = csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_writer(Vec::new());
    let number = |value: f64| if value.is_finite() { short(cleaned(value), 12) } else { String::new() };
    // Writing to a vector cannot fail.
    let _ = writer.write_record(COLUMNS);
    for own in outcomes {
        let mut row: Vec<String> = [&own.name, channel, unit].map(|text| visible(text.as_bytes())).into();
        match &own.amount {
            Some(amount) => {
                let found = amount.statistics;
                row.push(found.count.to_string());
                let noise = amount.noise.unwrap_or(f64::NAN);
                row.extend(
                    [found.mean, found.deviation, noise, found.min, found.max, found.peak_to_peak()].map(number),
                );
            }
            None => row.resize(10, String::new()),
        }
        let (mean, deviation, largest) = own.differs.unwrap_or((f64::NAN, f64::NAN, f64::NAN));
        row.extend([mean, deviation, largest].map(number));
        let _ = writer.write_record(&row);
    }
    String::from_utf8_lossy(&writer.into_inner().unwrap_or_default()).into_owned()
}

impl Compare {
    /// Has worked out what is not yet; gives whether something new is there.
    fn make(&mut self, session: &mut Session) -> bool {
        if session.comparing.runs.is_empty() || session.channel().is_none() {
            return false;
        }
        // A live history is followed by some hundred rows at once.
        let rows = session.chain().store().rows().end / 500;
        let wish = Wish {
            channel: session.channel().map_or_else(String::new, |channel| channel.title().to_owned()),
            revisions: (session.comparing.revision, session.revision(), rows),
            align: self.align.clone(),
            shifts: self.shifts.clone(),
            window: self.window,
        };
        let before = session.comparing.found.as_ref().map(|found| found.wish.clone());
        session.work_out(wish);
        let now = session.comparing.found.as_ref().map(|found| &found.wish);
        let is_new = now != self.shown.as_ref() || now != before.as_ref();
        self.shown = now.cloned();
        is_new
    }

    fn zoom(&mut self, by: f64, move_by: f64, session: &Session) {
        let all = session.comparing.found.as_ref().map(|found| found.window);
        let Some((from, to)) = self.window.or(all) else { return };
        let (middle, span) = ((from + to) / 2.0 + move_by * (to - from), ((to - from) * by).clamp(1e-3, 1e8));
        self.window = Some((middle - span / 2.0, middle + span / 2.0));
    }

    /// The comparison as a figure.
    pub(crate) fn figure(&self, session: &Session) -> Option<Figure> {
        let found = session.comparing.found.as_ref()?;
        let runs = session.runs();
        (found.laid.len() == runs.len()).then_some(())?;
        figure::figure(&runs, &found.laid, found.window, &found.outcomes, self.shows_difference, &self.align)
    }

    fn table(&self, session: &Session) -> Option<String> {
        let channel = session.channel()?;
        Some(csv(channel.title(), channel.settings().scale.unit(), &session.comparing.found.as_ref()?.outcomes))
    }
}

impl Room for Compare {
    type Action = Action;
    const ABOUT: About =
        About { name: "compare", help: "takes over one another, differences, statistics", place: Place::Middle };

    fn bindings() -> Vec<(&'static Key, Action)> {
        listed(KEYS)
    }

    fn act(&mut self, action: Action, session: &mut Session) -> Vec<Effect> {
        let runs = session.comparing.runs.len() + 1;
        match action {
            Action::Close => return vec![Effect::Show(RoomId::Chart)],
            Action::Takes => return vec![Effect::Show(RoomId::Takes)],
            _ if runs < 2 => session.say("nothing to compare yet: k lists the takes, a adds one, c compares", true),
            Action::Align => return vec![Effect::Choose(alignments(session))],
            Action::Shift => {
                let selected = self.selected.min(runs - 1);
                let now = self.shifts.get(selected).copied().unwrap_or(0.0);
                let shift = move |app: &mut crate::app::App, text: &str| {
                    let seconds = typed(text.trim().trim_end_matches('s').trim())?;
                    if seconds.abs() > 1e8 {
                        return Err("that is more than three years".into());
                    }
                    let shifts = &mut app.rooms.compare.shifts;
                    shifts.resize(shifts.len().max(selected + 1), 0.0);
                    shifts.iter_mut().skip(selected).take(1).for_each(|own| *own = seconds);
                    Ok(Vec::new())
                };
                let title = format!("move run {}", selected + 1);
                let hint = "seconds by which its zero lies later, so that it moves to the left; 0 moves it back";
                return vec![Effect::Ask(Prompt::new(title, hint, now.to_string(), shift))];
            }
            Action::Up => self.selected = self.selected.saturating_sub(1),
            Action::Down => self.selected = (self.selected + 1).min(runs - 1),
            Action::Difference => self.shows_difference = !self.shows_difference,
            Action::ZoomIn => self.zoom(0.5, 0.0, session),
            Action::ZoomOut => self.zoom(2.0, 0.0, session),
            Action::Earlier => self.zoom(1.0, -0.1, session),
            Action::Later => self.zoom(1.0, 0.1, session),
            Action::All => self.window = None,
            Action::Write => {
                let text = self.table(session);
                return text.map(|text| session.write_csv("comparison", text).into()).into_iter().collect();
            }
            Action::Copy => return self.table(session).map_or_else(Vec::new, |text| copied(text, session)),
        }
        Vec::new()
    }

    fn follow(&mut self, session: &mut Session, time: Follow) -> bool {
        time.is_open && self.make(session)
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        view::draw(self, session, theme, area, buffer);
    }
}

/// What runs can be aligned by.
fn alignments(session: &Session) -> List {
    let item = |align: Align, about: String| {
        let name = align.to_string();
        Item::new(name, about, move |app: &mut crate::app::App| {
            app.rooms.compare.align = align.clone();
            app.rooms.compare.window = None;
            if matches!(align, Align::Event(_)) {
                app.session.follow_conditions_compared();
            }
            Vec::new()
        })
    };
    let mut items = vec![
        item(Align::Start, "the first rows".into()),
        item(Align::Match, "where the selected channel matches the first run best".into()),
    ];
    for mark in session.marks.iter().take(50) {
        let note = amber_core::tail::visible(mark.note.as_bytes());
        items.push(item(Align::Mark(mark.number), format!("the marks with this number; {note}")));
    }
    let conditions = session.chain().conditions().settings();
    items.extend(conditions.iter().map(|own| item(Align::Event(own.name.clone()), "the first event of each".into())));
    List::new("align runs by", items, 0)
}

/// A moment on the common axis.
fn at(seconds: f64) -> String {
    if seconds.abs() < 1e-9 { "0 s".into() } else { duration(seconds) }
}
