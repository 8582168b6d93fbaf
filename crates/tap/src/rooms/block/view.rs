//! A block as it is drawn: table, statistics, histogram; or two over each other.

use super::{Block, Rows};
use crate::screen::plot::{GUTTER, bars, limits, spans, trace, x_axis, y_axis};
use crate::screen::text::{cut, put, put_right};
use crate::session::Session;
use crate::theme::{Ink, Theme};
use amber_core::block::{Column, Length, Statistics, laid_over};
use amber_core::digits::{counted, fixed, grouped, short, with_unit};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// Columns of the statistics.
const FIGURES: u16 = 44;

/// Columns of index, time and interval.
const HEAD: u16 = 30;

/// Columns that tell how many channels have no room.
const MORE: u16 = 9;

/// Draws the room.
pub(super) fn draw(room: &Block, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
    put(buffer, area, 0, 0, &"─".repeat(usize::from(area.width)), theme.style(Ink::Faint));
    let block = room.block(session);
    let seconds = block.as_ref().and_then(|own| Some(own.times.last()?.seconds_since(*own.times.first()?)));
    let Some((block, seconds)) = block.zip(seconds) else {
        put(buffer, area, 2, 2, "no rows yet: they must arrive first", theme.style(Ink::Text));
        return;
    };
    let length = match session.blocks.length {
        Length::Rows(rows) => counted(rows as u64, "row"),
        Length::Seconds(seconds) => session.across().length(seconds),
    };
    let title =
        format!(" {}: {}, {} ", block.name, counted(block.times.len() as u64, "row"), session.across().length(seconds));
    let end = put(buffer, area, 1, 0, &cut(title, area.width.saturating_sub(2)), theme.style(Ink::Bright));
    let percent = (session.blocks.share * 100.0).round();
    let set = format!(" next: {length}, {percent} % before; {} named ", session.blocks.named.len());
    let told = session.blocks.waits().map_or(set, |waits| format!(" {waits} "));
    let ink = if session.blocks.waits().is_some() { Ink::Alert } else { Ink::Dim };
    if end + (told.chars().count() as u16) < area.width {
        put_right(buffer, area, 0, &told, theme.style(ink));
    }
    let body = Rect { y: area.y + 1, height: area.height.saturating_sub(1), ..area };
    let chosen = chosen_column(&block, session);
    let other = room.compared.and_then(|at| session.blocks.named.get(at)).cloned();
    let with_table = area.width >= FIGURES + HEAD + 24;
    let width = if with_table { area.width.saturating_sub(FIGURES) } else { area.width };
    let figures = Rect {
        x: area.x + if with_table { width } else { 0 } + 1,
        width: if with_table { FIGURES - 1 } else { width.saturating_sub(1) },
        ..body
    };
    if with_table {
        let left = Rect { width, ..body };
        match &other {
            Some(other) => over_each_other(&block, other, chosen, session, theme, left, buffer),
            None => table(room, &block, chosen, session, theme, left, buffer),
        }
    }
    let Some(column) = block.columns.get(chosen) else { return };
    let theirs = other.as_ref().and_then(|other| Some((other, other.columns.iter().find(|c| c.name == column.name)?)));
    let used = statistics(&block, column, theirs.map(|(other, column)| (&**other, column)), theme, figures, buffer);
    let below = Rect { y: figures.y + used + 1, height: figures.height.saturating_sub(used + 1), ..figures };
    histogram(column, session, theme, below, buffer);
}

/// The column of the selected channel, by its name; the first one where it is another source's.
pub(super) fn chosen_column(block: &Rows, session: &Session) -> usize {
    let title = session.channel().map_or("", |channel| channel.title());
    block.columns.iter().position(|column| column.name == title).unwrap_or(0)
}

fn table(room: &Block, block: &Rows, chosen: usize, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let width = |column: &Column| {
        let widest = [column.output().first(), column.output().last()].into_iter().flatten();
        let widest = widest.map(|value| fixed(*value, column.decimals).chars().count()).max().unwrap_or(0);
        (widest.max(column.name.chars().count()).clamp(8, 16) + 2) as u16
    };
    // As many columns as there is room for, the selected one among them.
    let all = block.columns.len();
    let whole = HEAD + block.columns.iter().map(width).sum::<u16>();
    let room_for = if whole <= area.width { area.width } else { area.width.saturating_sub(MORE) };
    let fits = |from: usize| {
        let mut x = HEAD;
        let taken = block.columns.iter().skip(from).take_while(|column| {
            x += width(column);
            x <= room_for
        });
        taken.count()
    };
    let from = (0..all).find(|from| chosen < from + fits(*from).max(1)).unwrap_or(0);
    let columns: Vec<&Column> = block.columns.iter().skip(from).take(fits(from)).collect();
    put(buffer, area, 0, 0, &format!("{:>6} {:>12} {:>9}", "index", "time s", "interval"), theme.style(Ink::Bright));
    let mut x = HEAD;
    for (at, column) in columns.iter().enumerate() {
        let place = Rect { x: area.x + x, width: width(column) - 1, ..area };
        let ink = if from + at == chosen { Ink::Chosen } else { Ink::Bright };
        put_right(buffer, place, 0, &cut(column.name.clone(), place.width), theme.style(ink));
        put_right(buffer, place, 1, &column.unit, theme.style(Ink::Dim));
        x += width(column);
    }
    if columns.len() < all {
        put_right(buffer, area, 0, &format!("{} more ", all - columns.len()), theme.style(Ink::Dim));
    }
    let rows = usize::from(area.height.saturating_sub(2));
    // The newest at the bottom, as the table of rows has it, until it is scrolled.
    let last = block.times.len();
    let first = last.saturating_sub(rows + room.scroll);
    for (row, y) in (first..last).take(rows).zip(2u16..) {
        let interval = block.interval(row);
        let interval = if interval.is_nan() { "–".into() } else { session.across().length(interval) };
        let text = format!("{row:>6} {:>12} {interval:>9}", fixed(block.seconds(row), 6));
        put(buffer, area, 0, y, &text, theme.style(Ink::Dim));
        let mut x = HEAD;
        for (at, column) in columns.iter().enumerate() {
            let place = Rect { x: area.x + x, width: width(column) - 1, ..area };
            let id = session.own(from + at);
            let known = session.channel_ids().any(|known| known == id);
            let ink = if known { Ink::Trace(session.ink(id)) } else { Ink::Text };
            put_right(
                buffer,
                place,
                y,
                &fixed(column.output().get(row).copied().unwrap_or(f64::NAN), column.decimals),
                theme.style(ink),
            );
            x += width(column);
        }
    }
}

/// Draws the statistics of a column, beside those of another; gives the rows that it took.
fn statistics(
    block: &Rows,
    column: &Column,
    other: Option<(&Rows, &Column)>,
    theme: Theme,
    area: Rect,
    buffer: &mut Buffer,
) -> u16 {
    let what = if column.smoothed.is_some() { ", smoothed" } else { "" };
    put(buffer, area, 0, 0, &cut(format!("{}{what}", column.name), area.width), theme.style(Ink::Bright));
    if let Some((other, _)) = other {
        put_right(buffer, area, 0, &cut(other.name.clone(), area.width / 2), theme.style(Ink::Bright));
    }
    let of = |block: &Rows, column: &Column| -> Vec<String> {
        let Some(found) = Statistics::of(&block.times, column.output()) else { return Vec::new() };
        let (unit, places) = (&column.unit, column.decimals);
        let value = |value: f64, more: usize| with_unit(fixed(value, places + more), unit);
        let bits = column.effective_bits().map_or("– (no converter)".into(), |(bits, moves)| {
            format!("{}{}", fixed(bits, 1), if moves { " if noise is white" } else { "" })
        });
        let codes = Statistics::of(&block.times, &column.raw).map_or(0, |raw| raw.distinct);
        vec![
            format!(
                "{}{}",
                grouped(found.count as u64),
                if found.gaps > 0 { format!(", {}", counted(found.gaps as u64, "gap")) } else { String::new() }
            ),
            value(found.mean, 1),
            value(found.median, 0),
            value(found.deviation, 1),
            value(found.rms, 1),
            value(found.min, 0),
            value(found.max, 0),
            value(found.peak_to_peak(), 0),
            if found.slope.is_finite() {
                with_unit(short(block.across.slope(found.slope), 3), &block.across.slope_unit(unit))
            } else {
                "–".into()
            },
            grouped(codes as u64),
            bits,
        ]
    };
    const NAMES: [&str; 11] = [
        "count",
        "mean",
        "median",
        "deviation",
        "RMS",
        "min",
        "max",
        "peak to peak",
        "slope",
        "distinct codes",
        "effective bits",
    ];
    let own = of(block, column);
    let theirs = other.map(|(block, column)| of(block, column)).unwrap_or_default();
    for (at, (name, value)) in NAMES.iter().zip(&own).enumerate() {
        let y = at as u16 + 1;
        put(buffer, area, 0, y, name, theme.style(Ink::Dim));
        put(buffer, area, 16, y, value, theme.style(Ink::Text));
        if let Some(value) = theirs.get(at) {
            put_right(buffer, area, y, value, theme.style(Ink::Text));
        }
    }
    own.len() as u16 + 1
}

fn histogram(column: &Column, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let Some(found) = column.histogram(usize::from(area.height.saturating_sub(1)).max(1)) else { return };
    bars(&found, &column.unit, theme.style(Ink::Trace(session.ink(session.selected))), theme, area, buffer);
}

/// Two blocks on one time axis, told from their moments, and the difference below.
fn over_each_other(
    block: &Rows,
    other: &Rows,
    chosen: usize,
    session: &Session,
    theme: Theme,
    area: Rect,
    buffer: &mut Buffer,
) {
    let Some(column) = block.columns.get(chosen) else { return };
    let Some(theirs) = other.columns.iter().find(|other| other.name == column.name) else {
        put(buffer, area, 2, 1, &format!("{} has no channel {}", other.name, column.name), theme.style(Ink::Text));
        return;
    };
    let ends = |block: &Rows| (block.seconds(0), block.seconds(block.times.len() - 1));
    let (a, b) = (ends(block), ends(other));
    let (from, to) = (a.0.min(b.0), a.1.max(b.1));
    let wide = (to - from).max(1e-9);
    let plot_of =
        |y: u16, height: u16| Rect { x: area.x + GUTTER, y, width: area.width.saturating_sub(GUTTER + 2), height };
    let third = area.height.saturating_sub(4) / 3;
    let (over, apart) = (plot_of(area.y + 1, area.height.saturating_sub(4 + third)), third);
    if over.height < 3 || over.width < 10 {
        return;
    }
    let columns = usize::from(over.width) * 2;
    let drawn = |block: &Rows, values: &[f64]| {
        spans(values.iter().enumerate().map(|(row, value)| ((block.seconds(row) - from) / wide, *value)), columns)
    };
    let (own, theirs_drawn) = (drawn(block, column.output()), drawn(other, theirs.output()));
    let ink = session.ink(session.selected);
    put(
        buffer,
        area,
        1,
        0,
        &cut(format!("bright: {}, pale: {}, told from their moments", block.name, other.name), area.width),
        theme.style(Ink::Text),
    );
    if let Some(ends) = limits([&own, &theirs_drawn].into_iter()) {
        y_axis(ends, over, theme, buffer);
        x_axis((block.across.of(from), block.across.of(to)), block.across.unit(), over, theme, buffer);
        trace(&theirs_drawn, ends, over, theme.style(Ink::Pale(ink)), buffer);
        trace(&own, ends, over, theme.style(Ink::Trace(ink)), buffer);
    }
    let below = plot_of(over.bottom() + 2, apart);
    let there = laid_over(block, other, theirs.output());
    let difference: Vec<f64> = column.output().iter().zip(&there).map(|(own, theirs)| own - theirs).collect();
    put(buffer, Rect { y: below.y - 1, height: 1, ..area }, 1, 0, "difference", theme.style(Ink::Text));
    let apart = drawn(block, &difference);
    match limits([&apart].into_iter()) {
        Some(ends) if below.height >= 2 => {
            y_axis(ends, below, theme, buffer);
            trace(&apart, ends, below, theme.style(Ink::Trace(ink)), buffer);
        }
        _ => drop(put(buffer, below, 0, 0, "they have no moment in common", theme.style(Ink::Text))),
    }
}
