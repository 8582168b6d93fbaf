//! Trial: up to four candidates for the filters of the selected channel, side by side on the held stretch.

use super::smooth::{in_words, price_in_words, selected, use_filters};
use super::{About, Effect, Follow, Place, Room, listed};
use crate::figure::analysis::{self, Of};
use crate::keys::{Binding, Key, NONE, keys};
use crate::rooms::list::{Item, List};
use crate::screen::plot::{GUTTER, Spans, limits, spans, trace, x_axis, y_axis};
use crate::screen::text::{cut, put, wrapped};
use crate::session::{ChannelId, Session};
use crate::theme::{Ink, Theme};
use amber_core::Stamp;
use amber_core::digits::{counted, duration, fixed, short, with_unit};
use amber_core::part::Listed;
use amber_core::smooth::advice::{self, strongest_wave};
use amber_core::smooth::{Filter, Price, Signal, Smoother};
use amber_core::spectrum::even::Even;
use amber_core::spectrum::{Maker, Recipe};
use amber_core::stats::Noise;
use crossterm::event::KeyCode::{BackTab, Char, Enter, Esc, Tab};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// The most candidates.
const MOST: usize = 4;

/// Rows of the stretch, the newest in view.
const MOST_ROWS: usize = 4096;

/// A candidate, and what it does to the stretch.
#[derive(Debug)]
struct Candidate {
    filters: Vec<Filter>,
    out: Vec<f64>,
    price: Price,
    /// The share of the strongest wave that is left.
    left: Option<f64>,
}

/// The trial.
#[derive(Debug, Default)]
pub(crate) struct Trial {
    of: Option<ChannelId>,
    stretch: Option<Even>,
    noise: f64,
    wave: Option<(f64, f64)>,
    candidates: Vec<Candidate>,
    selected: usize,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Next,
    Previous,
    Weaker,
    Stronger,
    Kind,
    Delete,
    Add,
    Use,
    Close,
}

const KEYS: &[Binding<Action>] = keys! {
    [(Tab, NONE)], Action::Next, "Tab", "the next candidate", Some("Tab candidate");
    [(BackTab, NONE)], Action::Previous, "Shift-Tab", "the candidate before", None;
    [(Char('<'), NONE)], Action::Weaker, "<", "weaker: more noise, less delay", Some("<> strength");
    [(Char('>'), NONE)], Action::Stronger, ">", "stronger: less noise, more delay", None;
    [(Char('c'), NONE)], Action::Kind, "c", "another filter for the selected candidate", Some("c filter");
    [(Char('a'), NONE)], Action::Add, "a", "add a candidate, up to four", Some("a add");
    [(Char('x'), NONE)], Action::Delete, "x", "delete the selected candidate", Some("x delete");
    [(Enter, NONE)], Action::Use, "Enter", "use the selected candidate", Some("Enter use"), channel;
    [(Esc, NONE)], Action::Close, "Esc", "back to the chart", Some("Esc chart");
};

impl Room for Trial {
    type Action = Action;
    const ABOUT: About =
        About { name: "trial", help: "up to four filters of the selected channel side by side", place: Place::Middle };

    fn bindings() -> Vec<(&'static Key, Action)> {
        listed(KEYS)
    }

    fn open(&mut self, session: &mut Session) -> Result<(), String> {
        let id = selected(session)?;
        let even = session.even_rows(id, false, MOST_ROWS)?;
        if !session.is_held() {
            session.hold();
        }
        let advised = advice::advise(&even.values, even.rate, &mut Maker::default());
        let found = Maker::default().spectrum(
            &even.values,
            even.rate,
            Recipe { length: even.values.len(), ..Recipe::default() },
        );
        self.wave = found.as_ref().and_then(strongest_wave);
        let mut noise = Noise::default();
        even.values.iter().for_each(|value| noise.push(*value));
        self.noise = advised.as_ref().map(|advice| advice.noise).or(noise.deviation()).unwrap_or(0.0);
        let mut lists: Vec<Vec<Filter>> = Vec::new();
        lists.push(session.channel().map(|channel| channel.wished().smooth.clone()).unwrap_or_default());
        if let Some(advice) = advised {
            lists.push(advice.best.filters);
            lists.extend(advice.candidates.into_iter().map(|candidate| candidate.filters));
        }
        // The first is what is in force now, or nothing.
        let mut seen: Vec<Vec<Filter>> = Vec::new();
        for list in lists {
            if !seen.contains(&list) && seen.len() < MOST {
                seen.push(list);
            }
        }
        (self.of, self.stretch) = (Some(id), Some(even));
        self.candidates = seen.into_iter().filter_map(|filters| self.tried(filters)).collect();
        self.selected = 1.min(self.candidates.len().saturating_sub(1));
        Ok(())
    }

    fn act(&mut self, action: Action, session: &mut Session) -> Vec<Effect> {
        let count = self.candidates.len();
        match action {
            Action::Next => self.selected = (self.selected + 1) % count.max(1),
            Action::Previous => self.selected = (self.selected + count.max(1) - 1) % count.max(1),
            Action::Weaker => self.nudge(-1),
            Action::Stronger => self.nudge(1),
            Action::Kind => return self.choose_kind(false),
            Action::Add if count >= MOST => session.say(format!("there are at most {MOST} candidates"), true),
            Action::Add => return self.choose_kind(true),
            Action::Delete => {
                if count > 1 {
                    self.candidates.remove(self.selected);
                    self.selected = self.selected.min(count - 2);
                } else {
                    session.say("the last candidate stays", true);
                }
            }
            Action::Use => {
                let chosen = self.candidates.get(self.selected).zip(self.of.filter(|id| *id == session.selected));
                if let Some((candidate, _)) = chosen {
                    let said = format!("smoothed by {}", in_words(&candidate.filters));
                    use_filters(candidate.filters.clone(), &said, session);
                    return vec![Effect::Close];
                }
                session.say("another channel is selected: open the trial again (4 T)", true);
            }
            Action::Close => return vec![Effect::Close],
        }
        Vec::new()
    }

    fn follow(&mut self, session: &mut Session, time: Follow) -> bool {
        // Another channel is another trial.
        if time.is_open && self.of.is_some_and(|id| id != session.selected) && session.channel().is_some() {
            if let Err(why) = self.open(session) {
                session.say(why, true);
                self.of = Some(session.selected);
                self.candidates.clear();
            }
            return true;
        }
        false
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        put(buffer, area, 0, 0, &"─".repeat(usize::from(area.width)), theme.style(Ink::Faint));
        let (Some(id), Some(stretch)) = (self.of, &self.stretch) else {
            put(buffer, area, 2, 2, "no channel yet: rows must arrive first", theme.style(Ink::Text));
            return;
        };
        if !session.channel_ids().any(|known| known == id) {
            return;
        }
        let title = format!(
            " trial on {} {}: {}, {}; raw pale, filtered bright ",
            session.letter(id),
            session.title(id),
            counted(stretch.values.len() as u64, "row"),
            duration(stretch.values.len() as f64 / stretch.rate)
        );
        put(buffer, area, 1, 0, &cut(title, area.width.saturating_sub(2)), theme.style(Ink::Bright));
        let count = self.candidates.len() as u16;
        if count == 0 {
            put(buffer, area, 2, 2, "no candidate: a adds one", theme.style(Ink::Text));
            return;
        }
        // Two beside one another where there is room, so that differences can be seen.
        let across = if area.width >= 120 && count > 1 { 2 } else { 1 };
        let down = count.div_ceil(across);
        let (width, height) = (area.width / across, (area.height.saturating_sub(1)) / down);
        let columns = usize::from(width.saturating_sub(GUTTER + 2)) * 2;
        let raw = self.spans_of(&stretch.values, columns);
        let Some(ends) = self.limits(columns) else { return };
        for (at, candidate) in self.candidates.iter().enumerate() {
            let (x, y) = (at as u16 % across * width, at as u16 / across * height);
            let place = Rect { x: area.x + x, y: area.y + 1 + y, width, height };
            self.draw_candidate(at, candidate, (&raw, ends), session, theme, place, buffer);
        }
    }
}

impl Trial {
    /// The candidates, as a figure; `None` without one.
    pub(crate) fn figure(&self, session: &Session) -> Option<amber_plot::Figure> {
        let id = self.of.filter(|id| session.channel_ids().any(|known| known == *id))?;
        let stretch = self.stretch.as_ref().filter(|_| !self.candidates.is_empty())?;
        let name =
            |candidate: &Candidate| format!("{}: {}", in_words(&candidate.filters), price_in_words(&candidate.price));
        let candidates: Vec<(String, &[f64])> =
            self.candidates.iter().map(|candidate| (name(candidate), &candidate.out[..])).collect();
        let limits = self.limits(1800)?;
        let of = Of::channel(session, id);
        Some(analysis::trial(&of, stretch.rate, &stretch.values, &candidates, limits))
    }

    /// From where to where the plots reach. Spikes would make all else small: they are cut off at the edge.
    fn limits(&self, columns: usize) -> Option<(f64, f64)> {
        let mut sorted = self.stretch.as_ref()?.values.clone();
        sorted.sort_by(f64::total_cmp);
        let cut = sorted.len() / 200;
        let (low, high) = (*sorted.get(cut)?, *sorted.get(sorted.len() - 1 - cut)?);
        let calm = vec![Some((low, high))];
        let all: Vec<Spans> = self.candidates.iter().map(|candidate| self.spans_of(&candidate.out, columns)).collect();
        let room = high - low;
        let is_calm = |spans: &&Spans| spans.iter().flatten().all(|span| span.0 >= low - room && span.1 <= high + room);
        limits(all.iter().filter(is_calm).chain([&calm]))
    }

    fn spans_of(&self, values: &[f64], columns: usize) -> Spans {
        let last = values.len().saturating_sub(1).max(1) as f64;
        spans(values.iter().enumerate().map(|(row, value)| (row as f64 / last, *value)), columns)
    }

    fn tried(&self, filters: Vec<Filter>) -> Option<Candidate> {
        let stretch = self.stretch.as_ref()?;
        let times: Vec<Stamp> =
            (0..stretch.values.len()).map(|row| stretch.begin.plus(row as f64 / stretch.rate)).collect();
        let mut out = stretch.values.clone();
        Smoother::new(&filters).push_all(&times, &mut out);
        let signal = Signal { interval: 1.0 / stretch.rate, noise: self.noise, step: 20.0 * self.noise };
        let price = Price::of(&filters, signal);
        let left = self.wave.map(|(hertz, amplitude)| price.left_of_wave(hertz, amplitude));
        Some(Candidate { filters, out, price, left })
    }

    fn replace(&mut self, at: usize, filters: Vec<Filter>) {
        if let Some(candidate) = self.tried(filters) {
            match self.candidates.get_mut(at) {
                Some(own) => *own = candidate,
                None => self.candidates.push(candidate),
            }
            self.selected = at.min(self.candidates.len().saturating_sub(1));
        }
    }

    /// Moves the strength of the last filter of the selected candidate.
    fn nudge(&mut self, by: i32) {
        let Some(candidate) = self.candidates.get(self.selected) else { return };
        let mut filters = candidate.filters.clone();
        let Some(last) = filters.last_mut() else { return };
        let views = last.settings("");
        // Its strength is the first number that has a unit; a lower frequency is stronger.
        let at = views.iter().position(|view| ["rows)", "s)", "Hz)"].iter().any(|unit| view.range.ends_with(unit)));
        let at = at.or(views.iter().position(|view| !view.is_choice)).unwrap_or(0);
        let is_frequency = views.get(at).is_some_and(|view| view.range.ends_with("Hz)"));
        last.nudge(at, if is_frequency { -by } else { by }, self.noise.max(1e-9));
        self.replace(self.selected, filters);
    }

    /// Another filter for the selected candidate, or for a new one.
    fn choose_kind(&self, is_new: bool) -> Vec<Effect> {
        let at = if is_new { self.candidates.len() } else { self.selected };
        let item = |kind: &amber_core::part::Kind| {
            let name = kind.name;
            Item::new(name, kind.help, move |app| {
                app.rooms.trial.replace(at, Filter::of_kind(name).into_iter().collect());
                Vec::new()
            })
        };
        let items = Filter::KINDS.iter().filter(|kind| kind.is_added).map(item).collect();
        vec![Effect::Choose(List::new(format!("filter of candidate {}", at + 1), items, 0))]
    }

    #[allow(clippy::too_many_arguments, reason = "what is drawn, where and how")]
    fn draw_candidate(
        &self,
        at: usize,
        candidate: &Candidate,
        (raw, ends): (&Spans, (f64, f64)),
        session: &Session,
        theme: Theme,
        place: Rect,
        buffer: &mut Buffer,
    ) {
        let (Some(id), Some(stretch)) = (self.of, &self.stretch) else { return };
        let channel = session.channel_at(id);
        let (unit, places) = (channel.settings().scale.unit(), channel.decimals() + 1);
        let chosen = at == self.selected;
        let head = format!(" {} {} ", at + 1, in_words(&candidate.filters));
        let ink = if chosen { Ink::Chosen } else { Ink::Bright };
        let sign = if chosen { "▸" } else { " " };
        put(buffer, place, 0, 0, sign, theme.style(Ink::Bright));
        put(buffer, place, 1, 0, &cut(head, place.width.saturating_sub(2)), theme.style(ink));
        let price = &candidate.price;
        let after = with_unit(fixed(self.noise * price.noise_gain, places), unit);
        let times = 1.0 / price.noise_gain;
        let times = if times < 1.05 { "as before".into() } else { format!("{} times less", short(times, 2)) };
        let mut figures = format!("noise {after} ({times}), {}", price_in_words(price));
        if let Some(rise) = price.rise.filter(|rise| *rise > 0.0) {
            figures += &format!(", rise time {}", duration(rise));
        }
        if let Some(left) = candidate.left {
            figures += &format!(", {} % of the wave left", short(100.0 * left, 3));
        }
        let figures = wrapped(&figures, usize::from(place.width.saturating_sub(3)));
        let lines = (figures.len() as u16).min(2);
        for (line, y) in figures.into_iter().take(2).zip(1..) {
            put(buffer, place, 2, y, &line, theme.style(Ink::Text));
        }
        let plot = Rect {
            x: place.x + GUTTER,
            y: place.y + 1 + lines,
            width: place.width.saturating_sub(GUTTER + 2),
            height: place.height.saturating_sub(2 + lines),
        };
        if plot.height < 2 || plot.width < 10 {
            return;
        }
        y_axis(ends, plot, theme, buffer);
        let seconds = stretch.values.len() as f64 / stretch.rate;
        let across = session.across();
        x_axis((-across.of(seconds), 0.0), across.unit(), plot, theme, buffer);
        let ink = session.ink(id);
        trace(raw, ends, plot, theme.style(Ink::Pale(ink)), buffer);
        let out = self.spans_of(&candidate.out, usize::from(plot.width) * 2);
        trace(&out, ends, plot, theme.style(Ink::Trace(ink)), buffer);
    }
}
