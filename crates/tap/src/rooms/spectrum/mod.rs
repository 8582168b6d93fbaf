//! The spectrum of the selected channel: of what is in view, peaks with their names, and a waterfall of the last minutes.

mod view;

use super::{About, Effect, Follow, Place, Room, listed};
use crate::figure::analysis;
use crate::keys::{Binding, Key, NONE, keys};
use crate::rooms::list::{Item, List};
use crate::session::{ChannelId, Session};
use crate::theme::Theme;
use amber_core::Stamp;
use amber_core::bench::Kind;
use amber_core::block::{Block, SIZES};
use amber_core::digits::counted;
use amber_core::spectrum::even::Even;
use amber_core::spectrum::follow::Follows;
use amber_core::spectrum::peaks::{self, Peaks};
use amber_core::spectrum::period::Period;
use amber_core::spectrum::waterfall::Waterfall;
use amber_core::spectrum::{Maker, Recipe, SHORTEST, Spectrum as Spectra, Window};
use amber_core::tail::visible;
use crossterm::event::KeyCode::{Char, Esc};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use std::sync::Arc;

/// Rows of the view that are looked at, the newest.
const MOST_ROWS: usize = 16_384;

/// Seconds after which it is made anew.
const PACE: f64 = 0.45;

/// The share of the screen's rows that the waterfall has, about.
const SHARE: f64 = 0.27;

/// Lines of the waterfall that are made at once.
const LINES_AT_ONCE: usize = 24;

/// How amplitudes are told.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
enum Scale {
    /// In the channel's unit.
    #[default]
    Linear,
    /// In decibels of the channel's unit.
    Decibels,
    /// As a density, in the channel's unit per root hertz, in decibels.
    Density,
}

/// What the spectrum is of.
#[derive(Clone, Debug, Default)]
enum Of {
    /// What is in view.
    #[default]
    View,
    /// The last rows, as many as a block has.
    LastRows,
    /// A named block.
    Block(Arc<Block>),
}

/// What was found last.
#[derive(Debug)]
struct Found {
    id: ChannelId,
    end: Stamp,
    spectrum: Spectra,
    peaks: Peaks,
    period: Option<Period>,
    /// How the rows were made even.
    told: String,
    even: Even,
    /// The channel that is compared, and how it follows.
    follows: Option<(ChannelId, Follows)>,
}

/// The spectrum.
#[derive(Debug, Default)]
pub(crate) struct Spectrum {
    recipe: Recipe,
    scale: Scale,
    of: Of,
    /// Of what leaves the filters, rather than what goes into them.
    is_smoothed: bool,
    /// The waterfall is left out.
    without_waterfall: bool,
    /// Another channel, by which the selected one is followed.
    compared: Option<ChannelId>,
    maker: Maker,
    waterfall: Waterfall,
    /// The channel, the settings and the rows that its lines are of.
    waterfall_of: Option<(ChannelId, bool, u64)>,
    /// Not all lines that should be there are there yet.
    is_behind: bool,
    at: Option<Stamp>,
    found: Option<Result<Found, String>>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Window,
    Length,
    Scale,
    Waterfall,
    Smoothed,
    Block,
    Compare,
    Close,
}

const KEYS: &[Binding<Action>] = keys! {
    [(Char('w'), NONE)], Action::Window, "w", "window: Hann, flat top, rectangular, Blackman-Harris", Some("w window");
    [(Char('l'), NONE)], Action::Length, "l", "rows of each part: longer tells closer frequencies apart", Some("l length");
    [(Char('d'), NONE)], Action::Scale, "d", "amplitudes linear, in decibels, or as a density", Some("d dB");
    [(Char('f'), NONE)], Action::Waterfall, "f", "show the waterfall, or leave it out", Some("f waterfall");
    [(Char('o'), NONE)], Action::Smoothed, "o", "of the channel before its filters, or after them", Some("o filters"), channel;
    [(Char('b'), NONE)], Action::Block, "b", "of what is in view, of the last rows, or of a named block", Some("b of a block"), channel;
    [(Char('c'), NONE)], Action::Compare, "c", "how late another channel follows the selected one", Some("c compare"), channel;
    [(Esc, NONE)], Action::Close, "Esc", "back to the chart", Some("Esc chart");
};

impl Room for Spectrum {
    type Action = Action;
    const ABOUT: About = About {
        name: "spectrum",
        help: "frequencies in the selected channel, with peaks and a waterfall",
        place: Place::Middle,
    };

    fn bindings() -> Vec<(&'static Key, Action)> {
        listed(KEYS)
    }

    fn open(&mut self, _: &mut Session) -> Result<(), String> {
        (self.at, self.found) = (None, None);
        Ok(())
    }

    fn act(&mut self, action: Action, session: &mut Session) -> Vec<Effect> {
        self.at = None;
        match action {
            Action::Window => {
                self.recipe.window = super::turned(&Window::ALL, self.recipe.window, 1);
                session.say(format!("window: {}, {}", self.recipe.window.name(), self.recipe.window.help()), false);
            }
            Action::Length => return vec![Effect::Choose(lengths(self.recipe.length))],
            Action::Scale => {
                self.scale = match self.scale {
                    Scale::Linear => Scale::Decibels,
                    Scale::Decibels => Scale::Density,
                    Scale::Density => Scale::Linear,
                }
            }
            Action::Waterfall => self.without_waterfall = !self.without_waterfall,
            Action::Smoothed => self.is_smoothed = !self.is_smoothed,
            Action::Block => return vec![Effect::Choose(self.stretches(session))],
            Action::Compare => return self.choose_compared(session),
            Action::Close => return vec![Effect::Close],
        }
        Vec::new()
    }

    fn follow(&mut self, session: &mut Session, time: Follow) -> bool {
        if !time.is_open || session.channel().is_none() {
            return false;
        }
        let is_moved = match &self.found {
            Some(Ok(found)) => found.id != session.selected || (session.is_held() && found.end != session.viewport.end),
            _ => false,
        };
        let is_due = self.at.is_none_or(|at| time.now.seconds_since(at) >= PACE || time.now < at);
        if !(is_due || is_moved || self.is_behind) {
            return false;
        }
        self.at = Some(time.now);
        self.found = Some(self.find(session));
        if !self.without_waterfall {
            self.follow_waterfall(session);
        }
        true
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        view::draw(self, session, theme, area, buffer);
    }
}

fn lengths(now: usize) -> List {
    let item = |rows: &usize| {
        let rows = *rows;
        Item::new(format!("{rows} rows"), "", move |app| {
            app.rooms.spectrum.set_length(rows);
            Vec::new()
        })
    };
    let all: Vec<usize> = SIZES.iter().copied().filter(|rows| *rows >= SHORTEST).collect();
    let items = all.iter().map(item).collect();
    List::new("rows of each part", items, all.iter().position(|rows| *rows == now).unwrap_or(0))
}

impl Spectrum {
    fn set_length(&mut self, rows: usize) {
        self.recipe.length = rows;
        self.at = None;
    }

    /// What is shown, as a figure; `None` while there is nothing.
    pub(crate) fn figure(&self, session: &Session) -> Option<amber_plot::Figure> {
        let found = self.found.as_ref()?.as_ref().ok()?;
        let lines: Vec<_> = if self.without_waterfall { Vec::new() } else { self.waterfall.lines().collect() };
        let hop = self.hop(found.even.rate, session);
        Some(analysis::spectrum(&analysis::Of::channel(session, found.id), &found.spectrum, &found.peaks, &lines, hop))
    }

    /// What the spectrum can be of.
    fn stretches(&self, session: &Session) -> List {
        let item = |name: &str, about: &str, of: Of| {
            Item::new(name, about, move |app: &mut crate::app::App| {
                (app.rooms.spectrum.of, app.rooms.spectrum.at) = (of.clone(), None);
                Vec::new()
            })
        };
        let blocks = session.blocks.named.iter().map(|block| {
            let rows = counted(block.times.len() as u64, "row");
            item(&visible(block.name.as_bytes()), &rows, Of::Block(Arc::clone(block)))
        });
        let first = [
            item("what is in view", "as the chart is zoomed and panned", Of::View),
            item("the last rows", "as many as a block has (v b, l)", Of::LastRows),
        ];
        List::new("spectrum of", first.into_iter().chain(blocks).collect(), 0)
    }

    /// The rows of a channel that it is of, made even.
    fn rows(&self, session: &Session, id: ChannelId) -> Result<Even, String> {
        match &self.of {
            Of::View => session.even_rows(id, self.is_smoothed, MOST_ROWS),
            Of::LastRows => session.even_stretch(id, self.is_smoothed, session.present_block()),
            Of::Block(block) => {
                let title = session.channel_at(id).title();
                let column = block.columns.iter().find(|column| column.name == title);
                let column = column.ok_or_else(|| format!("{} has no channel {title}", block.name))?;
                let values = if self.is_smoothed { column.output() } else { &column.quantity };
                Even::of(&block.times, values)
            }
        }
    }

    /// What it is of, in a few words.
    fn stretch_in_words(&self) -> String {
        match &self.of {
            Of::View => "in view".into(),
            Of::LastRows => "the last rows".into(),
            Of::Block(block) => block.name.clone(),
        }
    }

    fn choose_compared(&self, session: &Session) -> Vec<Effect> {
        let of_source = |id: &ChannelId| id.source == session.selected.source && *id != session.selected;
        let analog = session.channel_ids().filter(|id| session.channel_at(*id).kind() == Kind::Analog);
        let none = Item::new("none", "compare with no channel", |app: &mut crate::app::App| {
            (app.rooms.spectrum.compared, app.rooms.spectrum.at) = (None, None);
            Vec::new()
        });
        let item = |id: ChannelId| {
            Item::new(format!("{} {}", session.letter(id), session.title(id)), "", move |app| {
                (app.rooms.spectrum.compared, app.rooms.spectrum.at) = (Some(id), None);
                Vec::new()
            })
        };
        let items = analog.filter(of_source).map(item).chain([none]).collect();
        vec![Effect::Choose(List::new("how late does it follow the selected channel?", items, 0))]
    }

    fn find(&mut self, session: &Session) -> Result<Found, String> {
        let id = session.selected;
        let even = self.rows(session, id)?;
        let spectrum =
            self.maker.spectrum(&even.values, even.rate, self.recipe).ok_or("there is no spectrum of these rows")?;
        let peaks = peaks::find(&spectrum);
        let noise = session.snapshot.of(id).noise.map_or(0.0, |noise| noise.deviation);
        let period = even.period(noise);
        let follows = self.compared.filter(|other| session.channel_ids().any(|id| id == *other)).and_then(|other| {
            let theirs = self.rows(session, other).ok()?;
            let same = theirs.begin == even.begin && theirs.values.len() == even.values.len();
            let follows = self.maker.follows(&even.values, &theirs.values, even.rate).filter(|_| same)?;
            Some((other, follows))
        });
        Ok(Found { id, end: session.viewport.end, spectrum, peaks, period, told: even.told(), even, follows })
    }

    /// Rows of each line of the waterfall: shorter than those of the spectrum, so that it shows what changes.
    fn waterfall_length(&self) -> usize {
        (self.recipe.length / 4).max(64)
    }

    /// Seconds from one line to the next: so that the lines that there is room for reach back as far as the chart does.
    fn hop(&self, rate: f64, session: &Session) -> f64 {
        let lines = f64::from(session.size.1) * SHARE;
        let hop = (self.waterfall_length() as f64 / 2.0 / rate).max(session.viewport.span / lines.max(1.0)).max(0.1);
        // The same as long as the rate is about the same, so that lines stay.
        (10f64.powf((hop.log10() * 10.0).round() / 10.0) * 1e3).round() / 1e3
    }

    fn follow_waterfall(&mut self, session: &Session) {
        let Some(Ok(found)) = &self.found else { return };
        let (id, rate) = (found.id, found.even.rate);
        let of = (id, self.is_smoothed, session.revision());
        if self.waterfall_of != Some(of) {
            self.waterfall.clear();
            self.waterfall_of = Some(of);
        }
        let recipe = Recipe { length: self.waterfall_length(), ..self.recipe };
        let hop = self.hop(rate, session);
        let (chain, channel) = (session.chain_at(id.source), session.channel_at(id));
        let series = if self.is_smoothed { channel.output() } else { channel.scaled() };
        let most = usize::from(session.size.1);
        let rows = |until: Stamp, count: usize| {
            let store = chain.store();
            let end = store.first_at(until).clamp(store.rows().start, store.rows().end);
            let rows = end.saturating_sub(count as u64).max(store.rows().start)..end;
            let mut times = Vec::new();
            store.read_times(rows.clone(), &mut times);
            (times, rows.map(|row| series.get(row).unwrap_or(f64::NAN)).collect())
        };
        let end = (session.viewport.end, most);
        self.is_behind = !self.waterfall.follow(&mut self.maker, recipe, hop, end, LINES_AT_ONCE, rows);
    }
}
