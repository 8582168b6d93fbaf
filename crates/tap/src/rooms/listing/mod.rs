//! Take it to the board: the chain of the selected channel as a listing, with a check of it against the chain, and the resistor
//! and capacitor that would do the same ahead of the converter.

use super::smooth::in_words;
use super::{About, Effect, Follow, Place, Room, listed};
use crate::keys::{Binding, Key, NONE, keys};
use crate::screen::text::{put, put_right, wrapped};
use crate::session::{Request, Session};
use crate::theme::{Ink, Theme};
use amber_core::bench::ChannelSettings;
use amber_core::digits::{counted, hertz, short, si, with_unit};
use amber_core::listing::{self, Checked};
use amber_core::scale::Step;
use amber_core::smooth::{Filter, Price, Signal, smooths};
use crossterm::event::KeyCode::{Char, Esc, PageDown, PageUp};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use std::cell::Cell;

/// Rows that a listing is checked on, the newest.
const CHECKED: u64 = 4000;

/// A listing in one column, a wider room shows both.
const COLUMN: u16 = 74;

/// One way to write the chain.
#[derive(Debug)]
struct Written {
    title: &'static str,
    /// The listing, or why there is none.
    text: Result<String, String>,
    /// What the check says.
    checked: Result<String, String>,
}

/// The listing.
#[derive(Debug, Default)]
pub(crate) struct Listing {
    /// Whole numbers, rather than floating point, where there is room for one.
    in_whole_numbers: bool,
    scroll: u16,
    /// How far it could be scrolled when it was drawn last.
    most: Cell<u16>,
    made_of: Option<(ChannelSettings, u64)>,
    float: Written,
    whole: Written,
    /// The resistor and the capacitor, in sentences.
    circuit: String,
}

impl Default for Written {
    fn default() -> Self {
        Written { title: "", text: Err(String::new()), checked: Err(String::new()) }
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Whole,
    Copy,
    Check,
    Up,
    Down,
    Close,
}

const KEYS: &[Binding<Action>] = keys! {
    [(Char('f'), NONE)], Action::Whole, "f", "floating point, or whole numbers", Some("f whole numbers");
    [(Char('c'), NONE)], Action::Copy, "c", "copy the listing to the clipboard", Some("c copy"), channel;
    [(Char('k'), NONE)], Action::Check, "k", "check it against the chain once more, on the newest rows", Some("k check"), channel;
    [(PageUp, NONE)], Action::Up, "PgUp", "scroll up", None;
    [(PageDown, NONE)], Action::Down, "PgDn", "scroll down", Some("PgDn scroll");
    [(Esc, NONE)], Action::Close, "Esc", "back to the chart", Some("Esc chart");
};

impl Room for Listing {
    type Action = Action;
    const ABOUT: About = About {
        name: "listing",
        help: "take it to the board: the channel's chain as code with its numbers",
        place: Place::Middle,
    };

    fn bindings() -> Vec<(&'static Key, Action)> {
        listed(KEYS)
    }

    fn open(&mut self, _: &mut Session) -> Result<(), String> {
        (self.made_of, self.scroll) = (None, 0);
        Ok(())
    }

    fn act(&mut self, action: Action, session: &mut Session) -> Vec<Effect> {
        match action {
            Action::Whole => self.in_whole_numbers = !self.in_whole_numbers,
            Action::Check => self.made_of = None,
            Action::Up => self.scroll_by(-10),
            Action::Down => self.scroll_by(10),
            Action::Close => return vec![Effect::Close],
            Action::Copy => {
                self.make(session);
                let written = if self.in_whole_numbers { &self.whole } else { &self.float };
                match &written.text {
                    Ok(text) => {
                        session.say("the listing is copied, where the terminal allows it", false);
                        return vec![Request::Copy(text.clone()).into()];
                    }
                    Err(why) => session.say(format!("no listing: {why}"), true),
                }
            }
        }
        Vec::new()
    }

    fn follow(&mut self, session: &mut Session, time: Follow) -> bool {
        let Some(channel) = session.channel().filter(|_| time.is_open) else { return false };
        let pace = session.chain().interval().map_or(0, |interval| (1e5 / interval).round() as u64 / 1000);
        let is_same = self.made_of.as_ref().is_some_and(|(settings, of)| {
            // The pace may waver by a hundredth.
            settings == channel.wished() && of.abs_diff(pace) <= pace / 50
        });
        if is_same || (session.chain().interval().is_none() && self.made_of.is_some()) {
            return false;
        }
        self.make(session);
        self.made_of = session.channel().map(|channel| (channel.wished().clone(), pace));
        true
    }

    fn scroll(&mut self, by: i32, _: &mut Session) -> bool {
        self.scroll_by(by);
        true
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        put(buffer, area, 0, 0, &"─".repeat(usize::from(area.width)), theme.style(Ink::Faint));
        let Some(channel) = session.channel() else {
            put(buffer, area, 2, 2, "no channel yet: rows must arrive first", theme.style(Ink::Text));
            return;
        };
        let title = format!(" take it to the board: {} {} ", session.letter(session.selected), channel.title());
        put(buffer, area, 1, 0, &title, theme.style(Ink::Bright));
        let both = area.width >= 2 * COLUMN;
        let columns = if both {
            vec![&self.float, &self.whole]
        } else if self.in_whole_numbers {
            vec![&self.whole]
        } else {
            vec![&self.float]
        };
        let room = usize::from(area.width.saturating_sub(4));
        let circuit = wrapped(&self.circuit, room);
        let foot = circuit.len() as u16 + 1;
        let width = area.width / columns.len() as u16;
        self.most.set(0);
        for (written, x) in columns.into_iter().zip((0..).step_by(usize::from(width))) {
            let column = Rect {
                x: area.x + x + 1,
                y: area.y + 1,
                width: width.saturating_sub(2),
                height: area.height.saturating_sub(foot + 1),
            };
            let hidden = written.draw(self.scroll, theme, column, buffer);
            self.most.set(self.most.get().max(hidden));
        }
        let below = Rect { y: area.bottom().saturating_sub(foot), height: foot, ..area };
        for (line, y) in circuit.iter().zip(0..) {
            put(buffer, below, 2, y, line, theme.style(Ink::Text));
        }
    }
}

impl Written {
    /// Draws it; gives how many lines there is no room for.
    fn draw(&self, scroll: u16, theme: Theme, area: Rect, buffer: &mut Buffer) -> u16 {
        put(buffer, area, 0, 0, self.title, theme.style(Ink::Bright));
        let (checked, ink) = match &self.checked {
            Ok(text) => (text, Ink::Text),
            Err(text) => (text, Ink::Alert),
        };
        let width = usize::from(area.width).saturating_sub(2);
        let checked = wrapped(checked, width);
        for (line, y) in checked.iter().zip(1..) {
            put(buffer, area, 0, y, line, theme.style(ink));
        }
        let mut list = Rect {
            y: area.y + 2 + checked.len() as u16,
            height: area.height.saturating_sub(2 + checked.len() as u16),
            ..area
        };
        let lines: Vec<(String, Ink)> = match &self.text {
            Err(why) => wrapped(&format!("none: {why}"), width).into_iter().map(|line| (line, Ink::Text)).collect(),
            Ok(text) => text.lines().flat_map(|line| broken(line, width)).collect(),
        };
        if lines.len() > usize::from(list.height) {
            // A row of its own says how much is below.
            list.height = list.height.saturating_sub(1);
        }
        let hidden = lines.len().saturating_sub(usize::from(list.height));
        let scroll = usize::from(scroll).min(hidden);
        for ((line, ink), y) in lines.iter().skip(scroll).zip(0..list.height) {
            put(buffer, list, 0, y, line, theme.style(*ink));
        }
        if hidden > scroll {
            let text = format!(" {} below: PgDn ", counted((hidden - scroll) as u64, "line"));
            put_right(buffer, Rect { y: list.bottom(), height: 1, ..list }, 0, &text, theme.style(Ink::Alert));
        }
        hidden as u16
    }
}

/// A line of a listing, in parts where it is too long; remarks are quieter.
fn broken(line: &str, width: usize) -> Vec<(String, Ink)> {
    let ink = if line.trim_start().starts_with('#') { Ink::Dim } else { Ink::Text };
    let lines = wrapped(line, width.saturating_sub(4).max(8));
    lines.into_iter().enumerate().map(|(at, part)| (if at == 0 { part } else { format!("    {part}") }, ink)).collect()
}

impl Listing {
    fn scroll_by(&mut self, by: i32) {
        self.scroll = (i32::from(self.scroll) + by).clamp(0, i32::from(self.most.get())) as u16;
    }

    fn make(&mut self, session: &Session) {
        let Some(channel) = session.channel() else { return };
        let settings = channel.wished();
        let Some(interval) = session.chain().interval() else {
            let why = "the pace of the rows is not known yet".to_owned();
            self.float = Written { title: "floating point", text: Err(why.clone()), checked: Ok(String::new()) };
            self.whole = Written { title: "whole numbers", text: Err(why), checked: Ok(String::new()) };
            self.circuit.clear();
            return;
        };
        // A board's own clock has a round number.
        let interval = format!("{interval:.2e}").parse().unwrap_or(interval);
        let rows = session.chain().store().rows();
        let mut raw = Vec::new();
        let from = rows.end.saturating_sub(CHECKED).max(rows.start);
        session.chain().store().read_raw(session.selected.channel, from..rows.end, &mut raw);
        let unit = settings.scale.unit();
        let check = |text: &Result<String, String>, units: f64, is_whole: bool| {
            let Ok(text) = text else { return Ok(String::new()) };
            match Checked::of(text, settings, interval, &raw, units) {
                Ok(checked) if checked.rows == 0 => {
                    let first = listing::unlike_at_first(settings, interval).max(1) as u64;
                    Err(format!("not checked: that needs more than {}; k checks it again", counted(first, "row")))
                }
                Ok(checked) => {
                    let allowed = if is_whole { 2.0 * channel.resolution() } else { checked.allowed() };
                    let text = told(&checked, unit);
                    if checked.largest <= allowed || allowed.is_nan() { Ok(text) } else { Err(text) }
                }
                Err(wrong) => Err(format!("the listing cannot be read: {wrong}")),
            }
        };
        let float = listing::floating_point(settings, interval);
        let whole = listing::fixed_point(settings, interval);
        let units = whole.as_ref().map_or(1.0, |whole| whole.1);
        let whole = whole.map(|whole| whole.0);
        let checked = [check(&float, 1.0, false), check(&whole, units, true)];
        let [of_float, of_whole] = checked;
        self.float = Written { title: "floating point", text: float, checked: of_float };
        self.whole = Written { title: "whole numbers", text: whole, checked: of_whole };
        self.circuit = circuit(session, settings, interval);
    }
}

/// What a check says.
fn told(checked: &Checked, unit: &str) -> String {
    let off = with_unit(short(checked.largest, 2), unit);
    let rows = counted(checked.rows as u64, "row");
    let states = match checked.states {
        0 => String::new(),
        states => format!("; the state differs in {}", counted(states as u64, "row")),
    };
    if checked.largest <= 1e-9 * checked.span.max(checked.size) {
        format!("checked on {rows}, evenly spaced: the same as the chain{states}")
    } else {
        format!("checked on {rows}, evenly spaced: at most {off} from the chain{states}")
    }
}

/// The resistor and the capacitor that do the same as the filters, and what they do to a divider.
fn circuit(session: &Session, settings: &ChannelSettings, interval: f64) -> String {
    let price = |filters: &[Filter]| Price::of(filters, Signal { interval, noise: 1.0, step: 10.0 });
    // Those that are a low-pass, one behind another.
    let is_low_pass = |filter: &&Filter| price(std::slice::from_ref(*filter)).cutoff.is_some();
    let low_pass: Vec<Filter> = settings.smooth.iter().filter(is_low_pass).cloned().collect();
    let Some(cutoff) = price(&low_pass).cutoff.filter(|_| smooths(&low_pass)) else {
        return if smooths(&settings.smooth) {
            "resistor and capacitor: these filters are no low-pass, so that none do the same ahead of the converter"
                .into()
        } else {
            "resistor and capacitor: there is no filter to put ahead of the converter".into()
        };
    };
    // What the divider itself has: the fixed resistor beside the sensor as it is now.
    let reading = session.reading(session.selected);
    let divider = settings.scale.steps.iter().position(|step| matches!(step, Step::Divider(_)));
    let source = divider.zip(reading).and_then(|(at, reading)| {
        let Step::Divider(divider) = settings.scale.steps.get(at)? else { return None };
        let walk = settings.scale.walk(reading.raw, reading.reference.unwrap_or(f64::NAN));
        let sensor = walk.get(at + 1).copied().filter(|ohms| ohms.is_finite() && !divider.ohms_to_volts)?;
        Some((divider.fixed * sensor / (divider.fixed + sensor), divider.fixed))
    });
    let ohms = source.map_or(0.0, |source| source.0);
    let Some(found) = listing::low_pass(cutoff, ohms) else {
        return format!(
            "resistor and capacitor: {} would need more than 10 µF with at most {} ahead of the converter: filter on the board",
            hertz(cutoff),
            si(listing::MOST_OHMS, "Ω")
        );
    };
    let capacitor = si(found.farads, "F");
    let resistor = if found.ohms > 0.0 { format!("{} in series and ", si(found.ohms, "Ω")) } else { String::new() };
    let mut text = format!(
        "ahead of the converter, {resistor}{capacitor} to ground do nearly the same as {}: cut-off {} instead of {}, first order. ",
        in_words(&low_pass),
        hertz(found.cutoff),
        hertz(cutoff)
    );
    text += &match source {
        Some((own, fixed)) => format!(
            "The divider ({} fixed) has {} of its own now, which counts: {} in all. Its ratio stays the same, but the cut-off moves \
             with the sensor.",
            si(fixed, "Ω"),
            si(own, "Ω"),
            si(found.seen, "Ω")
        ),
        None => format!(
            "The resistance of the sensor adds to {}: behind a divider of two equal resistors R it is R / 2, and the ratio stays the \
             same.",
            si(found.ohms, "Ω")
        ),
    };
    if found.seen > listing::MOST_OHMS {
        text += &format!(
            " More than {} makes many converters read low: put an amplifier between.",
            si(listing::MOST_OHMS, "Ω")
        );
    }
    text
}
