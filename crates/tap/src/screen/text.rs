//! Text in cells: written, cut, fitted and framed, the same way everywhere.

use crate::theme::{Ink, Theme};
use amber_core::bench::Kind;
use amber_core::chain::Channel;
use amber_core::digits::set_value;
use amber_core::stats::Basis;
use amber_core::tail::visible_char;
use amber_core::watch::Side;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;
use unicode_width::UnicodeWidthStr;

/// Writes `text` at column `x` and row `y` of `area`, cut at the edges of both `area` and `buffer`; gives the column
/// behind it. Names, units and paths come from files and people, so what a terminal would act on becomes a symbol here.
pub(crate) fn put(buffer: &mut Buffer, area: Rect, x: u16, y: u16, text: &str, style: Style) -> u16 {
    if y >= area.height || x >= area.width {
        return x;
    }
    let room = usize::from(area.width - x);
    let (left, row) = (area.x + x, area.y + y);
    let end = x + text.chars().count().min(room) as u16;
    if (buffer.area.y..buffer.area.bottom()).contains(&row) {
        let skip = usize::from(buffer.area.x.saturating_sub(left));
        let room = room.min(usize::from(buffer.area.right().saturating_sub(left)));
        for (c, column) in text.chars().take(room).zip(left..).skip(skip) {
            if let Some(cell) = buffer.cell_mut((column, row)) {
                cell.set_char(visible_char(c)).set_style(style);
            }
        }
    }
    end
}

/// Writes `text` so that it ends at the right edge of `area`.
pub(crate) fn put_right(buffer: &mut Buffer, area: Rect, y: u16, text: &str, style: Style) {
    let width = (text.width() as u16).min(area.width);
    put(buffer, area, area.width - width, y, text, style);
}

/// The first of `texts` that is no wider than `room`; the last one when none is.
pub(crate) fn fitting(room: u16, texts: impl IntoIterator<Item = String>) -> String {
    let mut last = String::new();
    for text in texts {
        if text.width() <= usize::from(room) {
            return text;
        }
        last = text;
    }
    last
}

/// A frame with a title over `area`; gives the room inside.
pub(crate) fn frame(buffer: &mut Buffer, area: Rect, title: &str, theme: Theme) -> Rect {
    use ratatui::widgets::{Block, BorderType, Clear, Widget};
    Clear.render(area, buffer);
    let block = Block::bordered()
        .border_type(BorderType::Thick)
        .border_style(theme.style(Ink::Faint))
        .style(theme.panel())
        .title(format!(" {} ", amber_core::tail::visible(title.as_bytes())))
        .title_style(theme.style(Ink::Bright));
    let inner = block.inner(area);
    block.render(area, buffer);
    Rect { x: inner.x + 1, width: inner.width.saturating_sub(2), ..inner }
}

/// A rectangle of this size in the middle of `area`.
pub(crate) fn centred(area: Rect, width: u16, height: u16) -> Rect {
    let (width, height) = (width.min(area.width), height.min(area.height));
    Rect { x: area.x + (area.width - width) / 2, y: area.y + (area.height - height) / 2, width, height }
}

/// `text` in lines no wider than `width`, broken between words.
pub(crate) fn wrapped(text: &str, width: usize) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    for word in text.split_whitespace() {
        match lines.last_mut() {
            Some(line) if line.chars().count() + 1 + word.chars().count() <= width => {
                line.push(' ');
                line.push_str(word);
            }
            _ => lines.push(word.to_owned()),
        }
    }
    lines
}

/// `text` with a sign at its end where it is too long. All its characters take one column.
pub(crate) fn cut(text: String, room: u16) -> String {
    let room = usize::from(room);
    if text.chars().count() <= room {
        return text;
    }
    text.chars().take(room.saturating_sub(1)).chain(['…']).collect()
}

/// How many more than one there are, in brackets; nothing for one.
pub(crate) fn more(count: usize) -> String {
    if count > 1 { format!(" (and {} more)", count - 1) } else { String::new() }
}

/// What stands behind a noise that was told from movement as if it were white.
pub(crate) fn doubt(basis: Basis) -> &'static str {
    if basis == Basis::White { "?" } else { "" }
}

/// A value that was set in a channel's quantity, such as its threshold, with its unit, and a digit more than the channel has.
pub(crate) fn set_in(channel: &Channel, value: f64) -> String {
    let size = 10f64.powi(channel.decimals() as i32 + 1);
    set_value((value * size).round() / size, channel.settings().scale.unit())
}

/// On which side of its threshold a channel is, and that threshold where it has one: `above 1.2 V`, `high`.
pub(crate) fn state(channel: &Channel, watched: Side) -> String {
    let word = side(channel, watched);
    let sides = &channel.settings().sides;
    // A word of a person's own says it without the number.
    let is_own = word == sides.above || word == sides.below;
    let watch = channel.settings().watch.filter(|_| !is_own);
    watch.map_or(word.into(), |watch| format!("{word} {}", set_in(channel, watch.threshold)))
}

/// On which side of its threshold a channel is, in a word.
pub(crate) fn side(channel: &Channel, side: Side) -> &str {
    let sides = &channel.settings().sides;
    match (side, channel.kind()) {
        (Side::Unknown, _) => "not yet known",
        (Side::Above, _) if !sides.above.is_empty() => &sides.above,
        (Side::Below, _) if !sides.below.is_empty() => &sides.below,
        (Side::Above, Kind::Digital) => channel.word(1.0).unwrap_or("high"),
        (Side::Below, Kind::Digital) => channel.word(0.0).unwrap_or("low"),
        (Side::Above, _) => "above",
        (Side::Below, _) => "below",
    }
}
