//! The help: every key, from the same table that the program works by.

use super::{centred, frame, put};
use crate::keys::{KEYS, Place};
use crate::theme::{Ink, Theme};
use amber_core::formula::FUNCTIONS;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

const NOTES: [&str; 7] = [
    "The strip at the top is the chain of the selected channel: each cell shows its setting and the value that",
    "leaves it, so you see at which step a number goes wrong. An edit redraws all history in memory.",
    "Mouse: the wheel zooms, a click on a readout or a trace's lane chooses the channel, on a cell opens its panel.",
    "Signs: » the board's own words   ← sent   ▲ refused   … half a line   dashed: a threshold   dotted upright: a mark.",
    "= behind a name: the channel is settled, and a bar over its trace shows the level's mean. Levels serve zero (z) and",
    "calibration (c); what counts as one is set in stage 5.",
    "While held, the chart, readouts and wire lines stand; rows, refused, take and watch counts go on.",
];

pub(super) fn draw(scroll: u16, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let width = area.width.saturating_sub(4).min(150);
    let lines = lines(width >= 134);
    let area = centred(area, width, area.height.saturating_sub(2).min(lines.len() as u16 + 2));
    let inner = frame(buffer, area, "keys", theme);
    let most = (lines.len() as u16).saturating_sub(inner.height);
    let scroll = scroll.min(most);
    for (line, y) in lines.iter().skip(usize::from(scroll)).zip(0..inner.height) {
        match line {
            Line::Heading(text) => {
                put(buffer, inner, 0, y, text, theme.style(Ink::Bright));
            }
            Line::Note(text) => {
                put(buffer, inner, 0, y, text, theme.style(Ink::Dim));
            }
            Line::Keys(pairs) => {
                for (pair, column) in pairs.iter().zip([0, inner.width / 2]) {
                    put(buffer, inner, column, y, pair.0, theme.style(Ink::Bright));
                    let room = Rect {
                        width: if pairs.len() > 1 && column == 0 { inner.width / 2 - 1 } else { inner.width },
                        ..inner
                    };
                    let at = (pair.0.chars().count() as u16 + 1).max(11);
                    put(buffer, room, column + at, y, pair.1, theme.style(Ink::Text));
                }
            }
        }
    }
    if most > 0 {
        let row = Rect { y: area.bottom() - 1, height: 1, ..area };
        put(buffer, row, 3, 0, &format!(" ↑↓ {} more lines ", most - scroll), theme.style(Ink::Bright));
    }
}

enum Line {
    Heading(&'static str),
    Note(&'static str),
    Keys(Vec<(&'static str, &'static str)>),
}

fn lines(two_columns: bool) -> Vec<Line> {
    let mut lines = Vec::new();
    let headings = [
        (Place::Main, "On the screen"),
        (Place::Panel, "In a stage's panel"),
        (Place::Parts, "In the panels of scale and smooth"),
        (Place::Scale, "In the panel of the scale"),
        (Place::Calibrate, "Calibrating (c)"),
        (Place::Survey, "Surveying a travel (r)"),
        (Place::Doctor, "Check-up (d)"),
        (Place::Lines, "Reading the wire's lines"),
        (Place::Talk, "Talking to the board"),
        (Place::Choose, "Choosing what to watch"),
        (Place::Prompt, "While typing"),
        (Place::Pick, "In a list"),
        (Place::Question, "When asked whether to quit"),
    ];
    for (place, heading) in headings {
        lines.push(Line::Heading(heading));
        let pairs: Vec<_> = KEYS.iter().filter(|b| b.place == place).map(|b| (b.label, b.help)).collect();
        lines.extend(paired(pairs, two_columns && place != Place::Question));
        lines.push(Line::Note(""));
    }
    lines.push(Line::Heading(
        "Formulas (F): x is a channel's name or any part of a formula; names with blanks stand in quotes",
    ));
    let pairs: Vec<_> = FUNCTIONS.iter().map(|help| (help.usage, help.gives)).collect();
    lines.extend(paired(pairs, two_columns));
    lines.push(Line::Note(""));
    lines.extend(NOTES.map(Line::Note));
    lines
}

/// Pairs below one another, in two columns where there is room.
fn paired(pairs: Vec<(&'static str, &'static str)>, two_columns: bool) -> Vec<Line> {
    let half = if two_columns { pairs.len().div_ceil(2) } else { pairs.len() };
    (0..half).map(|i| Line::Keys(pairs[i..].iter().step_by(half).take(2).copied().collect())).collect()
}
