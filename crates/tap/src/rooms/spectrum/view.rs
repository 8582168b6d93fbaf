//! The spectrum as it is drawn.

use super::{Found, Scale, Spectrum};
use crate::screen::plot::{GUTTER, limits, spans, trace, x_axis, y_axis};
use crate::screen::text::{cut, put, put_right, wrapped};
use crate::session::Session;
use crate::theme::{Ink, Theme};
use amber_core::digits::{counted, fixed, hertz, short, with_unit};
use amber_core::spectrum::{Spectrum as Spectra, names};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// Columns of the list of peaks.
const LIST: u16 = 40;

/// Rows of it below the plot, where there is no room beside it.
const FOOT: u16 = 5;

/// The least that is told, in decibels below the largest amplitude.
const DEPTH: f64 = 100.0;

/// Shades of the waterfall, from nothing to the largest, and the decibels below the largest from which each one stands.
const SHADES: [(f64, &str); 5] = [(-12.0, "█"), (-24.0, "▓"), (-36.0, "▒"), (-48.0, "░"), (-60.0, "·")];

/// Draws the room.
pub(super) fn draw(room: &Spectrum, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
    put(buffer, area, 0, 0, &"─".repeat(usize::from(area.width)), theme.style(Ink::Faint));
    let found = match &room.found {
        Some(Ok(found)) => found,
        Some(Err(why)) => return message(&format!("no spectrum: {why}"), theme, area, buffer),
        None if session.channel().is_none() => {
            return message("no channel yet: rows must arrive first", theme, area, buffer);
        }
        None => return message("working", theme, area, buffer),
    };
    let id = found.id;
    let spectrum = &found.spectrum;
    let title = format!(
        " spectrum of {} {}, {}{}: {}, {} of {} rows, {} apart ",
        session.letter(id),
        session.title(id),
        room.stretch_in_words(),
        match session.channel_at(id).smoothed() {
            Some(_) if room.is_smoothed => ", filtered",
            Some(_) => ", before its filters",
            None => "",
        },
        spectrum.window.name(),
        counted(spectrum.parts as u64, "part"),
        spectrum.length,
        hertz(spectrum.resolution())
    );
    let end = put(buffer, area, 1, 0, &cut(title, area.width.saturating_sub(2)), theme.style(Ink::Bright));
    let rate = format!(" {} rows/s, measured ", short(spectrum.rate, 5));
    if end + (rate.chars().count() as u16) < area.width {
        put_right(buffer, area, 0, &rate, theme.style(Ink::Dim));
    }
    let with_list = area.width >= 90;
    let width = if with_list { area.width.saturating_sub(LIST) } else { area.width };
    let left = Rect { width, ..area };
    let falls = if room.without_waterfall || area.height < 20 { 0 } else { (area.height.saturating_sub(4)) / 2 };
    // Without room beside the plot the list begins below it.
    let foot = if with_list || area.height < 12 { 0 } else { FOOT.min(area.height.saturating_sub(9)) };
    let left = Rect { height: left.height - foot, ..left };
    let falls = falls.saturating_sub(foot);
    let plot = Rect {
        x: left.x + GUTTER,
        y: left.y + 2,
        width: left.width.saturating_sub(GUTTER + 1),
        height: left.height.saturating_sub(4 + falls),
    };
    if plot.height >= 3 && plot.width >= 10 {
        draw_plot(room, found, session, theme, plot, buffer);
    }
    if falls >= 4 {
        let place = Rect { y: plot.bottom() + 1, height: falls, ..plot };
        draw_waterfall(room, found, session, theme, place, buffer);
    }
    if with_list {
        let list =
            Rect { x: area.x + width + 1, y: area.y + 1, width: LIST - 1, height: area.height.saturating_sub(1) };
        draw_list(found, session, theme, list, buffer);
    } else if foot > 0 {
        let list = Rect { x: area.x + 1, y: area.bottom() - foot, width: area.width.saturating_sub(2), height: foot };
        draw_list(found, session, theme, list, buffer);
    }
}

fn message(text: &str, theme: Theme, area: Rect, buffer: &mut Buffer) {
    for (line, y) in wrapped(text, usize::from(area.width.saturating_sub(4))).iter().zip(2..) {
        put(buffer, area, 2, y, line, theme.style(Ink::Text));
    }
}

/// An amplitude as the scale tells it.
fn told(scale: Scale, spectrum: &Spectra, amplitude: f64, largest: f64) -> f64 {
    let decibels = |value: f64, most: f64| (20.0 * value.max(most * 10f64.powf(-DEPTH / 20.0)).log10()).max(-400.0);
    match scale {
        Scale::Linear => amplitude,
        Scale::Decibels => decibels(amplitude, largest),
        Scale::Density => decibels(amplitude * spectrum.to_density(), largest * spectrum.to_density()),
    }
}

fn draw_plot(room: &Spectrum, found: &Found, session: &Session, theme: Theme, plot: Rect, buffer: &mut Buffer) {
    let spectrum = &found.spectrum;
    let unit = session.channel_at(found.id).settings().scale.unit();
    let largest = spectrum.amplitudes.iter().skip(1).copied().fold(0.0, f64::max);
    let last = (spectrum.amplitudes.len() - 1) as f64;
    let value = |amplitude: f64| told(room.scale, spectrum, amplitude, largest);
    // The mean is no wave.
    let points = spectrum.amplitudes.iter().enumerate().skip(1).map(|(bin, a)| (bin as f64 / last, value(*a)));
    let spans = spans(points, usize::from(plot.width) * 2);
    let Some(mut ends) = limits([&spans].into_iter()) else { return };
    if room.scale == Scale::Linear {
        ends = (0.0, ends.1 * 1.05);
    }
    let unit = if unit.is_empty() { "raw" } else { unit };
    let what = match room.scale {
        Scale::Linear => format!("amplitude in {unit}"),
        Scale::Decibels => format!("amplitude in dB of 1 {unit}"),
        Scale::Density => format!("density in dB of 1 {unit}/√Hz"),
    };
    put(buffer, Rect { y: plot.y - 1, height: 1, ..plot }, 0, 0, &what, theme.style(Ink::Dim));
    y_axis(ends, plot, theme, buffer);
    x_axis((0.0, spectrum.rate / 2.0), "Hz", plot, theme, buffer);
    trace(&spans, ends, plot, theme.style(Ink::Trace(session.ink(found.id))), buffer);
    for (number, peak) in found.peaks.found.iter().enumerate().rev() {
        let x = (peak.hertz / (spectrum.rate / 2.0) * f64::from(plot.width)) as u16;
        let share = (ends.1 - value(peak.amplitude)) / (ends.1 - ends.0);
        let y = ((share * f64::from(plot.height)) as u16).saturating_sub(1);
        put(buffer, plot, x, y.min(plot.height.saturating_sub(1)), &(number + 1).to_string(), theme.style(Ink::Bright));
    }
}

fn draw_waterfall(room: &Spectrum, found: &Found, session: &Session, theme: Theme, place: Rect, buffer: &mut Buffer) {
    let lines: Vec<_> = room.waterfall.lines().rev().take(usize::from(place.height.saturating_sub(1))).collect();
    let hop = room.hop(found.even.rate, session);
    let text = format!(" waterfall: one line every {} ", session.across().length(hop));
    put(buffer, Rect { height: 1, ..place }, 0, 0, &"─".repeat(usize::from(place.width)), theme.style(Ink::Faint));
    put(buffer, place, 1, 0, &text, theme.style(Ink::Bright));
    if room.is_behind {
        put_right(buffer, Rect { height: 1, ..place }, 0, " working ", theme.style(Ink::Dim));
    }
    let largest = lines.iter().flat_map(|line| line.amplitudes.iter().skip(2)).copied().fold(0f32, f32::max);
    let gutter = Rect { x: place.x - GUTTER, width: GUTTER - 1, ..place };
    let ink = theme.style(Ink::Trace(session.ink(found.id)));
    for (line, y) in lines.iter().zip(1u16..) {
        if y % 4 == 1 {
            let ago = f64::from(y - 1) * hop;
            let ago = if y == 1 {
                "newest".into()
            } else {
                format!("−{}", session.across().length((ago * 10.0).round() / 10.0))
            };
            put_right(buffer, gutter, y, &ago, theme.style(Ink::Dim));
        }
        let bins = line.amplitudes.len();
        if bins < 2 || largest <= 0.0 {
            continue;
        }
        // The largest in each column, so that no line is lost between columns.
        let top = line.rate / found.spectrum.rate;
        for x in 0..place.width {
            let at = |x: u16| (f64::from(x) / f64::from(place.width) / top * (bins - 1) as f64) as usize;
            let (from, to) = (at(x).max(1), at(x + 1).max(at(x) + 1).min(bins));
            let amplitude =
                line.amplitudes.get(from..to.max(from)).unwrap_or_default().iter().copied().fold(0f32, f32::max);
            let decibels = 20.0 * f64::from(amplitude / largest).log10();
            if let Some((_, shade)) = SHADES.iter().find(|(from, _)| decibels >= *from) {
                put(buffer, place, x, y, shade, ink);
            }
        }
    }
}

/// A wave's name, where it has one.
fn name_of(found: &Found, hertz: f64) -> Option<String> {
    names::mains(hertz, found.spectrum.rate, found.spectrum.resolution())
}

fn draw_list(found: &Found, session: &Session, theme: Theme, list: Rect, buffer: &mut Buffer) {
    let channel = session.channel_at(found.id);
    let unit = channel.settings().scale.unit();
    let places = channel.decimals() + 1;
    let mut lines: Vec<(String, Ink)> = vec![("peaks".into(), Ink::Bright)];
    if found.peaks.found.is_empty() {
        lines.push(("nothing stands out of the noise".into(), Ink::Text));
    }
    for (number, peak) in found.peaks.found.iter().enumerate() {
        let what = match (name_of(found, peak.hertz), peak.harmonic) {
            (Some(name), _) => name,
            (None, Some(1)) => "fundamental".into(),
            (None, Some(n)) => format!("{n} × the fundamental"),
            (None, None) => String::new(),
        };
        let size = with_unit(fixed(peak.amplitude, places), unit);
        lines.push((format!("{:>2} {:>9}  {:<11} {what}", number + 1, hertz(peak.hertz), size), Ink::Text));
    }
    lines.push((String::new(), Ink::Text));
    if let Some(distortion) = found.peaks.distortion {
        lines.push((format!("harmonic distortion {} %", short(100.0 * distortion, 2)), Ink::Text));
    }
    let noise = with_unit(fixed(found.peaks.noise, places), unit);
    let floor = with_unit(short(found.peaks.floor, 2), &format!("{unit}/√Hz"));
    lines.push((format!("noise floor {floor}, {noise} in all"), Ink::Text));
    if let Some(period) = &found.period {
        let spread = if period.spread.is_finite() {
            format!(" ± {}", session.across().length(period.spread))
        } else {
            String::new()
        };
        let text = format!(
            "by crossings {}: every {}{spread}, {}",
            hertz(period.hertz()),
            session.across().length(period.seconds),
            counted(period.count as u64, "period")
        );
        lines.extend(wrapped(&text, usize::from(list.width)).into_iter().map(|line| (line, Ink::Text)));
    }
    if let Some((other, follows)) = &found.follows {
        lines.push((String::new(), Ink::Text));
        let [own, theirs] = [found.id, *other].map(|id| session.title(id));
        let text = follows.told(&own, &theirs, found.peaks.found.first().map(|peak| peak.hertz));
        lines.extend(wrapped(&text, usize::from(list.width)).into_iter().map(|line| (line, Ink::Bright)));
    }
    lines.push((String::new(), Ink::Text));
    if let Some(peak) = found.peaks.found.first() {
        let rate = found.spectrum.rate;
        let [one, two] = names::others(peak.hertz, rate).map(hertz);
        let text = format!("at {} rows/s, {one} and {two} would also appear at {}", short(rate, 4), hertz(peak.hertz));
        lines.extend(wrapped(&text, usize::from(list.width)).into_iter().map(|line| (line, Ink::Dim)));
    }
    lines.extend(wrapped(&found.told, usize::from(list.width)).into_iter().map(|line| (line, Ink::Dim)));
    for ((line, ink), y) in lines.into_iter().zip(0..list.height) {
        put(buffer, list, 0, y, &cut(line, list.width), theme.style(ink));
    }
}
