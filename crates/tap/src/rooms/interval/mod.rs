//! The times from an edge on the selected channel to an edge on another: their list, their statistics, their histogram.

mod view;

use super::list::{Item, List};
use super::{About, Effect, Follow, Place, Room, listed};
use crate::figure::analysis::{self, Of};
use crate::keys::{Binding, Key, NONE, keys};
use crate::session::{ChannelId, Session};
use crate::theme::Theme;
use amber_core::Stamp;
use amber_core::bench::Kind;
use amber_core::block::{Histogram, Statistics};
use amber_core::chain::Channel;
use amber_core::watch::interval::{Edge, EdgeInterval, EdgeIntervals, edge_intervals};
use crossterm::event::KeyCode::{Char, Down, Enter, Esc, Up};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The view of times between edges.
#[derive(Debug, Default)]
pub(crate) struct Interval {
    /// What was found, and what it is of.
    found: Option<(Basis, Option<EdgeIntervals>)>,
    /// What they come to, with a factor and a unit that suits them; none without one.
    statistics: Option<(Statistics, f64, &'static str)>,
    /// When the selected interval began; the newest where there is none.
    selected: Option<Stamp>,
    /// Only those that begin in view.
    in_view: bool,
}

/// The channel, the rows and the settings.
type Basis = (ChannelId, std::ops::Range<u64>, u64);

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    From,
    To,
    Edge,
    Stretch,
    Up,
    Down,
    Show,
    Delete,
    Close,
}

const KEYS: &[Binding<Action>] = keys! {
    [(Char('e'), NONE)], Action::From, "e", "the edge of the channel itself: rising, falling, either", Some("e from"), channel;
    [(Char('w'), NONE)], Action::To, "w", "the channel with whose edge an interval ends", Some("w to"), channel;
    [(Char('b'), NONE)], Action::Edge, "b", "the edge of that channel: rising, falling, either", Some("b its edge"), channel;
    [(Char('o'), NONE)], Action::Stretch, "o", "only intervals that begin in view, or all that are kept", Some("o in view"), channel;
    [(Up, NONE)], Action::Up, "↑", "the interval before", None;
    [(Down, NONE)], Action::Down, "↓", "the next interval", Some("↑↓ interval");
    [(Enter, NONE)], Action::Show, "Enter", "show the interval on the chart, which holds the picture", Some("Enter chart");
    [(Char('x'), NONE)], Action::Delete, "x", "delete what is set here", None, channel;
    [(Esc, NONE)], Action::Close, "Esc", "back to the chart", Some("Esc close");
};

impl Room for Interval {
    type Action = Action;
    const ABOUT: About = About {
        name: "intervals",
        help: "times from an edge on one channel to an edge on another: list, statistics, histogram",
        place: Place::Middle,
    };

    fn bindings() -> Vec<(&'static Key, Action)> {
        listed(KEYS)
    }

    fn act(&mut self, action: Action, session: &mut Session) -> Vec<Effect> {
        match action {
            Action::Close => return vec![Effect::Close],
            Action::To => return to_channel(session),
            Action::From => change(session, |own| own.from = next(own.from)),
            Action::Edge => change(session, |own| own.edge = next(own.edge)),
            Action::Delete => drop(session.edit_channel(|channel| channel.interval = None)),
            Action::Stretch => self.in_view = !self.in_view,
            Action::Up => self.step(-1),
            Action::Down => self.step(1),
            Action::Show => match self.chosen().and_then(|at| self.all()?.found.get(at)) {
                Some(found) => {
                    session.show_moment(found.at);
                    return vec![Effect::Close];
                }
                None => session.say("no interval to show: w chooses the channel that it ends with", true),
            },
        }
        Vec::new()
    }

    fn follow(&mut self, session: &mut Session, time: Follow) -> bool {
        let Some(channel) = session.channel().filter(|_| time.is_open) else { return false };
        let (place, view) = (session.place(), &session.viewport);
        let end = view.row(place).map_or(0, |row| row + 1);
        let rows = if self.in_view { view.rows_of(place) } else { session.chain().store().rows().start..end };
        let of = (session.selected, rows.clone(), session.revision());
        let is_due = match &self.found {
            None => true,
            Some((known, _)) if (known.0, known.2) != (of.0, of.2) => true,
            Some((known, _)) => time.refreshed && *known != of,
        };
        if is_due {
            let found = channel.settings().interval.as_ref().and_then(|own| found(session, channel, own, rows));
            if self.found.as_ref().is_none_or(|(known, _)| known.0 != of.0) {
                self.selected = None;
            }
            self.statistics = found.as_ref().and_then(statistics);
            self.found = Some((of, found));
        }
        is_due
    }

    fn scroll(&mut self, by: i32, _: &mut Session) -> bool {
        self.step(by.signum());
        true
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        view::draw(self, session, theme, area, buffer);
    }
}

/// The intervals of a channel as it is set; none where a channel is missing.
fn found(
    session: &Session,
    channel: &Channel,
    own: &EdgeInterval,
    rows: std::ops::Range<u64>,
) -> Option<EdgeIntervals> {
    let to = session.channel_of(own.to.trim())?;
    let other = (to != session.selected).then(|| session.channel_at(to).watcher());
    Some(edge_intervals((channel.watcher(), own.from), (other, own.edge), session.chain().store(), rows))
}

/// Whether a channel has edges: a digital one, or one with a threshold.
fn has_edges(channel: &Channel) -> bool {
    channel.kind() == Kind::Digital || channel.settings().watch.is_some()
}

fn next(edge: Edge) -> Edge {
    super::turned(&Edge::ALL, edge, 1)
}

/// Changes what is set of the selected channel; there must be something.
fn change(session: &mut Session, edit: impl FnOnce(&mut EdgeInterval)) {
    let Some(mut own) = session.channel().and_then(|channel| channel.wished().interval.clone()) else {
        session.say("no interval yet: w chooses the channel that it ends with", true);
        return;
    };
    edit(&mut own);
    session.edit_channel(|channel| channel.interval = Some(own));
}

/// Lets the channel be chosen with whose edge an interval ends.
fn to_channel(session: &Session) -> Vec<Effect> {
    let Some(channel) = session.channel() else { return Vec::new() };
    let own = channel.wished().interval.clone().unwrap_or_default();
    let item = |other: &Channel| {
        let about = match () {
            () if !has_edges(other) => "no threshold yet: 5 sets one",
            () if other.name() == channel.name() => "the channel itself: widths and periods",
            () => "",
        };
        let settings = EdgeInterval { to: other.name().to_owned(), ..own.clone() };
        Item::new(amber_core::tail::visible(other.title().as_bytes()), about, move |app: &mut crate::app::App| {
            let settings = settings.clone();
            app.session.edit_channel(|channel| channel.interval = Some(settings));
            Vec::new()
        })
    };
    let channels = session.chain().channels().iter().filter(|other| other.kind() != Kind::Clock);
    let at = channels.clone().position(|other| other.name() == own.to).unwrap_or(0);
    vec![Effect::Choose(List::new("the channel that it ends with", channels.map(item).collect(), at))]
}

impl Interval {
    fn all(&self) -> Option<&EdgeIntervals> {
        self.found.as_ref()?.1.as_ref()
    }

    /// The place of the selected interval.
    fn chosen(&self) -> Option<usize> {
        let found = &self.all()?.found;
        let known = self.selected.and_then(|at| found.iter().position(|found| found.at == at));
        known.or_else(|| found.len().checked_sub(1))
    }

    fn step(&mut self, by: i32) {
        let (Some(found), Some(now)) = (self.all().map(|all| &all.found), self.chosen()) else { return };
        let to = (now as i32 + by).min(found.len() as i32 - 1).max(0) as usize;
        // The newest is followed.
        self.selected = found.get(to).filter(|_| to + 1 < found.len()).map(|found| found.at);
    }

    /// The intervals in at most so many classes, in the unit of the statistics.
    fn histogram(&self, classes: usize, session: &Session) -> Option<(Histogram, &'static str)> {
        let (_, by, unit) = self.statistics?;
        // No edge is known better than to a row.
        let row = session.chain().interval().and_then(|row| format!("{:.1e}", row * by).parse().ok());
        let step: f64 = row.unwrap_or(f64::NAN);
        let values: Vec<f64> = self.all()?.found.iter().map(|found| found.seconds * by).collect();
        Some((Histogram::of(&values, step, classes)?, unit))
    }

    /// The histogram as a figure; none without an interval.
    pub(crate) fn figure(&self, session: &Session) -> Option<amber_plot::Figure> {
        let (found, unit) = self.histogram(analysis::CLASSES, session)?;
        let own = session.channel()?.settings().interval.as_ref()?;
        let of = Of { channel: told(session, own), unit: unit.into(), ..Of::channel(session, session.selected) };
        let mut figure = analysis::histogram(&of, &found, "intervals");
        let (statistics, by, unit) = self.statistics?;
        figure.subtitle += &format!(
            "; {}, mean {}, min {}, max {}",
            amber_core::digits::counted(statistics.count as u64, "interval"),
            view::time(statistics.mean, by, unit),
            view::time(statistics.min, by, unit),
            view::time(statistics.max, by, unit)
        );
        Some(figure)
    }
}

/// What intervals come to, with a factor and a unit that suits them; none without one.
fn statistics(all: &EdgeIntervals) -> Option<(Statistics, f64, &'static str)> {
    let times: Vec<Stamp> = all.found.iter().map(|found| found.at).collect();
    let seconds: Vec<f64> = all.found.iter().map(|found| found.seconds).collect();
    let statistics = Statistics::of(&times, &seconds)?;
    let (by, unit) = if statistics.max < 1.0 { (1e3, "ms") } else { (1.0, "s") };
    Some((statistics, by, unit))
}

/// From what to what, in words.
fn told(session: &Session, own: &EdgeInterval) -> String {
    let to = session.channel_of(own.to.trim()).map_or_else(|| own.to.clone(), |id| session.title(id));
    format!("time from {} of {} to {} of {to}", own.from.name(), session.title(session.selected), own.edge.name())
}
