//! The drawing: layout and strokes, in hundredths of a millimetre, since the drawing library knows whole units only.

use crate::page::FAMILIES;
use crate::{EventLane, Figure, Lane, LevelLine, LogicLane, Paper, PlotError, Threshold, Trace, embed};
use plotters::coord::Shift;
use plotters::prelude::*;
use plotters::style::text_anchor::{HPos, Pos, VPos};

/// The width of A4, landscape, for which text and margins are made; smaller paper has smaller ones, down to this share.
const WIDE: f64 = 297.0;
const SMALLEST: f64 = 0.5;

const LEFT: i32 = 2_600;
const RIGHT: i32 = 1_500;
const TOP: i32 = 3_700;

/// The last line of the legend stands above this.
const LEGEND_END: i32 = 3_100;

/// Rows of marks that are listed below the figure, and of notes.
const LISTED: usize = 6;

/// The size of marks and notes.
const NOTE: i32 = 360;

/// Shades that are told apart.
const SHADES: f32 = 12.0;

/// Height of the events of a condition.
const EVENTS: i32 = 560;

/// Height of a digital lane.
const LOGIC: i32 = 900;

/// The colours of a figure: those of its ground, its text, its lines, and its inks.
struct Palette {
    paper: RGBColor,
    text: RGBColor,
    grey: RGBColor,
    rule: RGBColor,
    inks: [RGBColor; 6],
}

/// Dark enough for paper, apart for colour-blind eyes; after Okabe and Ito (2008), as on the screen.
static LIGHT: Palette = Palette {
    paper: WHITE,
    text: RGBColor(0x22, 0x1E, 0x18),
    grey: RGBColor(0x6B, 0x63, 0x58),
    rule: RGBColor(0xDD, 0xD6, 0xCA),
    inks: [
        RGBColor(0x0B, 0x6F, 0xB8),
        RGBColor(0x3A, 0x3A, 0x3A),
        RGBColor(0xB0, 0x3F, 0x86),
        RGBColor(0x00, 0x85, 0x62),
        RGBColor(0x5A, 0x4F, 0xD6),
        RGBColor(0xC8, 0x3A, 0x1E),
    ],
};

/// The same inks, light enough for a dark ground.
static DARK: Palette = Palette {
    paper: RGBColor(0x10, 0x0D, 0x08),
    text: RGBColor(0xF2, 0xE4, 0xC8),
    grey: RGBColor(0xA3, 0x90, 0x6E),
    rule: RGBColor(0x3A, 0x32, 0x26),
    inks: [
        RGBColor(0x5A, 0xB8, 0xF0),
        RGBColor(0xF4, 0xF4, 0xEC),
        RGBColor(0xE0, 0x84, 0xBE),
        RGBColor(0x2F, 0xCB, 0x9F),
        RGBColor(0x97, 0x8D, 0xFF),
        RGBColor(0xFF, 0x62, 0x48),
    ],
};

type Area<'a> = DrawingArea<SVGBackend<'a>, Shift>;

fn rejected<E: std::fmt::Display>(error: E) -> PlotError {
    PlotError::Drawing(error.to_string())
}

pub(crate) fn svg(figure: &Figure) -> Result<String, PlotError> {
    let Paper { width, height, is_dark } = figure.paper;
    let scale = (width / WIDE).clamp(SMALLEST, 1.0);
    let units = |millimetres: f64| (millimetres * 100.0 / scale).round().clamp(100.0, 1e6) as i32;
    let (wide, high) = (units(width), units(height));
    let palette = if is_dark { &DARK } else { &LIGHT };
    let mut text = String::new();
    {
        let area = SVGBackend::with_string(&mut text, (wide as u32, high as u32)).into_drawing_area();
        let widths = embed::Widths::new()?;
        Drawing { area: &area, figure, palette, widths, wide, high }.all()?;
        area.present().map_err(rejected)?;
    }
    // The size on paper, in place of the size in units.
    let size = format!("<svg width=\"{wide}\" height=\"{high}\"");
    let text = text.replacen(&size, &format!("<svg width=\"{width}mm\" height=\"{height}mm\""), 1);
    // The font comes first, before what is set in it.
    let style = embed::style(&text)?;
    let head = text.find('>').map_or(0, |end| end + 1);
    Ok(format!("{}\n{style}{}", &text[..head], &text[head..]))
}

struct Drawing<'a, 'b> {
    area: &'a Area<'b>,
    figure: &'a Figure,
    palette: &'static Palette,
    widths: embed::Widths,
    /// The paper in units.
    wide: i32,
    high: i32,
}

impl Drawing<'_, '_> {
    fn all(&self) -> Result<(), PlotError> {
        self.area.fill(&self.palette.paper).map_err(rejected)?;
        let figure = self.figure;
        self.text(
            &self.widths.cut(&figure.title, self.wide - LEFT - RIGHT, 640),
            LEFT,
            1_300,
            640,
            &self.palette.text,
            HPos::Left,
        )?;
        self.text(
            &self.widths.cut(&figure.subtitle, self.wide - LEFT - RIGHT, 400),
            LEFT,
            1_950,
            400,
            &self.palette.grey,
            HPos::Left,
        )?;
        self.legend()?;
        let listed = figure.marks.iter().filter(|mark| !mark.note.is_empty()).count().min(LISTED) as i32;
        let notes = self.notes();
        let listed = listed + notes.len() as i32;
        let bottom = self.high - 2_300 - listed * 480;
        // Where there are many, they leave the traces room.
        let wanted = figure.events.len() as i32 * EVENTS + figure.logic.len() as i32 * LOGIC;
        let room = if figure.lanes.is_empty() { bottom - TOP } else { (bottom - TOP) * 3 / 5 };
        let fit = |height: i32| if wanted > room { height * room / wanted } else { height };
        let (each_event, each_logic) = (fit(EVENTS), fit(LOGIC));
        let events_top = bottom - figure.events.len() as i32 * each_event;
        let logic_top = events_top - figure.logic.len() as i32 * each_logic;
        let lanes = figure.lanes.len().max(1) as i32;
        let gap = 350;
        let height = (logic_top - TOP - gap * lanes) / lanes;
        self.x_axis(bottom)?;
        for (index, lane) in (0..).zip(&figure.lanes) {
            let top = TOP + index * (height + gap);
            self.lane(lane, top, top + height)?;
        }
        for (index, lane) in (0..).zip(&figure.logic) {
            self.logic(lane, logic_top + index * each_logic, each_logic)?;
        }
        for (index, lane) in (0..).zip(&figure.events) {
            self.events(lane, events_top + index * each_event, each_event)?;
        }
        for (number, at) in (1..).zip(&figure.cursors).filter(|(_, at)| (figure.x.0..=figure.x.1).contains(*at)) {
            let x = self.x(*at);
            self.line(vec![(x, TOP - 450), (x, bottom)], &self.palette.grey, 20)?;
            self.text(&format!("cursor {number}"), x, TOP - 640, 340, &self.palette.grey, HPos::Center)?;
        }
        let listed = self.marks(bottom)?;
        for (line, note) in (listed..).zip(&notes) {
            self.text(note, LEFT, bottom + 1_650 + line * 480, NOTE, &self.palette.text, HPos::Left)?;
        }
        Ok(())
    }

    /// The notes in lines that fit, as many as there is room for.
    fn notes(&self) -> Vec<String> {
        let room = self.wide - LEFT - RIGHT;
        let lines = self.figure.notes.iter().flat_map(|note| self.widths.wrapped(note, room, NOTE));
        lines.take(LISTED).collect()
    }

    fn ink(&self, number: usize) -> RGBColor {
        self.palette.inks[number % self.palette.inks.len()]
    }

    /// A lighter shade for what lies behind.
    fn pale(&self, ink: RGBColor) -> RGBColor {
        mixed(ink, self.palette.paper, 0.35)
    }

    fn x(&self, seconds: f64) -> i32 {
        let (from, to) = self.figure.x;
        let share = (seconds - from) / (to - from).max(f64::MIN_POSITIVE);
        LEFT + (share.clamp(0.0, 1.0) * f64::from(self.wide - LEFT - RIGHT)).round() as i32
    }

    fn text(&self, text: &str, x: i32, y: i32, size: i32, colour: &RGBColor, side: HPos) -> Result<(), PlotError> {
        // The library writes sizes 1.24 times smaller than it is told.
        let style = (FAMILIES, f64::from(size) * 1.24).into_text_style(self.area).color(colour);
        self.area.draw_text(&printable(text), &style.pos(Pos::new(side, VPos::Center)), (x, y)).map_err(rejected)
    }

    fn line(&self, points: Vec<(i32, i32)>, colour: &RGBColor, width: u32) -> Result<(), PlotError> {
        self.area.draw(&PathElement::new(points, ShapeStyle::from(colour).stroke_width(width))).map_err(rejected)
    }

    /// The channels side by side above the lanes, in as many lines as there is room for; one without a name has been named.
    fn legend(&self) -> Result<(), PlotError> {
        const SIZE: i32 = 380;
        let (mut x, mut y) = (LEFT, 2_650);
        for (lane, trace) in
            self.figure.lanes.iter().flat_map(|lane| lane.traces.iter().map(move |trace| (lane, trace)))
        {
            if trace.name.is_empty() {
                continue;
            }
            let unit = if lane.unit.is_empty() { String::new() } else { format!(" in {}", lane.unit) };
            let note = if trace.note.is_empty() { String::new() } else { format!(", {}", trace.note) };
            let text = format!("{} {}{unit}{note}", trace.letter, trace.name);
            let wide = 850 + self.widths.of(&text, SIZE);
            if x > LEFT && x + wide > self.wide - RIGHT {
                (x, y) = (LEFT, y + 440);
                if y > LEGEND_END {
                    return Ok(());
                }
            }
            let ink = self.ink(trace.ink);
            for part in dashed(vec![(x, y), (x + 700, y)], trace.ink) {
                self.line(part, &ink, 90)?;
            }
            self.text(
                &self.widths.cut(&text, self.wide - RIGHT - x - 850, SIZE),
                x + 850,
                y,
                SIZE,
                &self.palette.text,
                HPos::Left,
            )?;
            x += wide + 500;
        }
        Ok(())
    }

    fn x_axis(&self, bottom: i32) -> Result<(), PlotError> {
        let (from, to) = self.figure.x;
        for (value, label) in ticks(from, to, 12) {
            let x = self.x(value);
            self.line(vec![(x, TOP), (x, bottom)], &self.palette.rule, 8)?;
            self.line(vec![(x, bottom), (x, bottom + 150)], &self.palette.grey, 12)?;
            self.text(&label, x, bottom + 420, 380, &self.palette.text, HPos::Center)?;
        }
        self.line(vec![(LEFT, bottom), (self.wide - RIGHT, bottom)], &self.palette.grey, 14)?;
        self.text(
            &self.figure.x_label,
            (LEFT + self.wide - RIGHT) / 2,
            bottom + 1_050,
            400,
            &self.palette.text,
            HPos::Center,
        )
    }

    fn lane(&self, lane: &Lane, top: i32, bottom: i32) -> Result<(), PlotError> {
        let (low, high) = lane.limits;
        let y = |value: f64| {
            let share = ((high - value) / (high - low)).clamp(0.0, 1.0);
            top + (share * f64::from(bottom - top)).round() as i32
        };
        for (value, label) in ticks(low, high, ((bottom - top) / 900).clamp(2, 8) as usize) {
            self.line(vec![(LEFT, y(value)), (self.wide - RIGHT, y(value))], &self.palette.rule, 8)?;
            self.text(&label, LEFT - 220, y(value), 380, &self.palette.text, HPos::Right)?;
        }
        let frame = vec![(LEFT, top), (LEFT, bottom), (self.wide - RIGHT, bottom)];
        self.line(frame, &self.palette.grey, 14)?;
        self.shades(lane, &y)?;
        let label = if lane.label.is_empty() { "counts" } else { &lane.label };
        let style = (FAMILIES, 440.0 * 1.24).into_text_style(self.area).color(&self.palette.text);
        let style = style.transform(FontTransform::Rotate270).pos(Pos::new(HPos::Center, VPos::Center));
        self.area.draw_text(&printable(label), &style, (900, (top + bottom) / 2)).map_err(rejected)?;
        for level in lane.levels.iter().filter(|level| (low..=high).contains(&level.value)) {
            self.level(level, &y, top)?;
        }
        for trace in &lane.traces {
            let ink = self.ink(trace.ink);
            self.runs(&trace.pale, &y, &self.pale(ink), 14)?;
        }
        let in_view = |line: &&Threshold| (low..=high).contains(&line.value);
        for line in lane.thresholds.iter().filter(in_view) {
            let ink = self.ink(line.ink);
            let half = if line.hysteresis.is_finite() { line.hysteresis.abs() / 2.0 } else { 0.0 };
            for edge in [line.value - half, line.value + half]
                .into_iter()
                .filter(|edge| half > 0.0 && (low..=high).contains(edge))
            {
                for x in (LEFT..self.wide - RIGHT - 60).step_by(240) {
                    self.line(vec![(x, y(edge)), (x + 60, y(edge))], &self.pale(ink), 14)?;
                }
            }
            for x in (LEFT..self.wide - RIGHT - 250).step_by(500) {
                self.line(vec![(x, y(line.value)), (x + 250, y(line.value))], &ink, 16)?;
            }
        }
        for trace in &lane.traces {
            for points in trace.runs.iter().map(|run| run.iter().map(|(t, v)| (self.x(*t), y(*v))).collect()) {
                for part in dashed(points, trace.ink) {
                    self.line(part, &self.ink(trace.ink), 34)?;
                }
            }
        }
        // Beside one another where they would fall on one another.
        let mut placed: Vec<(i32, i32, i32)> = Vec::new();
        for line in lane.thresholds.iter().filter(in_view) {
            let at = y(line.value) + if y(line.value) - 330 > top { -250 } else { 250 };
            let wide = line.label.chars().count() as i32 * 190 + 300;
            let mut left = LEFT + 200;
            let is_hit = |left: i32, other: &&(i32, i32, i32)| {
                (other.2 - at).abs() < 380 && left < other.1 && other.0 < left + wide
            };
            while let Some(other) = placed.iter().find(|other| is_hit(left, other)) {
                left = other.1;
            }
            placed.push((left, left + wide, at));
            if left + wide < self.wide - RIGHT || left == LEFT + 200 {
                self.text(&line.label, left, at, 340, &self.ink(line.ink), HPos::Left)?;
            }
        }
        self.letters(&lane.traces, &y)
    }

    /// A level as a bar along its values, with what it is above it where there is room.
    fn level(&self, level: &LevelLine, y: &impl Fn(f64) -> i32, top: i32) -> Result<(), PlotError> {
        let (from, to) = self.figure.x;
        if !(level.from < to && level.to > from) {
            return Ok(());
        }
        let (left, right, at) = (self.x(level.from), self.x(level.to), y(level.value));
        let ink = self.ink(level.ink);
        self.line(vec![(left, at), (right, at)], &self.pale(ink), 130)?;
        let wide = level.label.chars().count() as i32 * 180;
        if wide > right - left {
            return Ok(());
        }
        let above = if at - 560 > top { at - 330 } else { at + 330 };
        self.text(&level.label, (left + right) / 2, above, 330, &ink, HPos::Center)
    }

    fn runs(
        &self,
        runs: &[Vec<(f64, f64)>],
        y: &impl Fn(f64) -> i32,
        ink: &RGBColor,
        width: u32,
    ) -> Result<(), PlotError> {
        runs.iter().try_for_each(|run| {
            let points = run.iter().map(|(t, v)| (self.x(*t), y(*v))).collect();
            self.line(points, ink, width)
        })
    }

    /// Rows of shades as filled rectangles, those of one shade beside one another as one.
    fn shades(&self, lane: &Lane, y: &impl Fn(f64) -> i32) -> Result<(), PlotError> {
        for row in &lane.shades {
            let (top, bottom) = (y(row.to), y(row.from));
            let count = row.shares.len();
            let (from, to) = row.x;
            let place = |at: usize| self.x(from + (to - from) * at as f64 / count.max(1) as f64);
            // What is no number is blank.
            let shade = |share: f32| if share.is_nan() { 0.0 } else { (share.clamp(0.0, 1.0) * SHADES).round() };
            let mut at = 0;
            while at < count {
                let own = shade(row.shares[at]);
                let run = row.shares[at..].iter().take_while(|share| shade(**share) == own).count();
                if own > 0.0 {
                    let mix = |c: u8| (255.0 - (255.0 - f32::from(c)) * own / SHADES).round() as u8;
                    let ink = self.ink(row.ink);
                    let colour = RGBColor(mix(ink.0), mix(ink.1), mix(ink.2));
                    let corners = [(place(at), top), (place(at + run), bottom)];
                    self.area.draw(&Rectangle::new(corners, colour.filled())).map_err(rejected)?;
                }
                at += run;
            }
        }
        Ok(())
    }

    /// The traces' letters beside their ends, moved apart where they would fall on one another.
    fn letters(&self, traces: &[Trace], y: &impl Fn(f64) -> i32) -> Result<(), PlotError> {
        let end = |trace: &Trace| trace.runs.last().and_then(|run| run.last()).map(|(_, value)| y(*value));
        let mut ends: Vec<(i32, &Trace)> = traces.iter().filter_map(|trace| Some((end(trace)?, trace))).collect();
        ends.sort_by_key(|(y, _)| *y);
        let mut least = i32::MIN;
        for (y, trace) in ends {
            let y = y.max(least);
            least = y + 430;
            let ink = self.ink(trace.ink);
            self.text(&trace.letter.to_string(), self.wide - RIGHT + 300, y, 420, &ink, HPos::Left)?;
        }
        Ok(())
    }

    /// The name of a lane left of it, as large as there is room.
    fn name(&self, name: &str, y: i32) -> Result<(), PlotError> {
        let letters = name.chars().count().max(1) as i32;
        let size = (LEFT * 2 / letters * 17 / 20).clamp(200, 360);
        let most = (LEFT * 17 / 10 / size).max(1) as usize;
        let cut: String = name.chars().take(most - 1).chain(['…']).collect();
        self.text(
            if letters as usize > most { &cut } else { name },
            LEFT - 220,
            y,
            size,
            &self.palette.text,
            HPos::Right,
        )
    }

    fn logic(&self, lane: &LogicLane, top: i32, height: i32) -> Result<(), PlotError> {
        let ink = self.ink(lane.ink);
        let (high, low) = (top + height / 4, top + height * 4 / 5);
        self.name(&lane.name, (high + low) / 2)?;
        self.text(&lane.letter.to_string(), self.wide - RIGHT + 300, (high + low) / 2, 420, &ink, HPos::Left)?;
        for (from, to, word) in &lane.words {
            self.word((*from, *to), word, (high, low), ink)?;
        }
        let mut points: Vec<(i32, i32)> = Vec::new();
        let mut end = f64::NAN;
        let rounding = (self.figure.x.1 - self.figure.x.0) * 1e-6;
        for (from, to, is_high) in &lane.levels {
            if *from - end > rounding {
                self.line(std::mem::take(&mut points), &ink, 34)?;
            }
            let y = if *is_high { high } else { low };
            points.extend([(self.x(*from), y), (self.x(*to), y)]);
            end = *to;
        }
        self.line(points, &ink, 34)
    }

    /// A stretch of a code as a box with its word, where there is room for that.
    fn word(
        &self,
        (from, to): (f64, f64),
        word: &str,
        (top, bottom): (i32, i32),
        ink: RGBColor,
    ) -> Result<(), PlotError> {
        if !(from <= self.figure.x.1 && to >= self.figure.x.0) {
            return Ok(());
        }
        let (left, right) = (self.x(from), self.x(to).max(self.x(from) + 20));
        let corners = [(left, top), (right, bottom)];
        self.area.draw(&Rectangle::new(corners, self.pale(ink).filled())).map_err(rejected)?;
        self.area.draw(&Rectangle::new(corners, ShapeStyle::from(&ink).stroke_width(14))).map_err(rejected)?;
        if word.chars().count() as i32 * 180 + 120 > right - left {
            return Ok(());
        }
        self.text(word, (left + right) / 2, (top + bottom) / 2, 320, &self.palette.text, HPos::Center)
    }

    /// Each event as a bar for as long as it was true, with a sign where it began.
    fn events(&self, lane: &EventLane, top: i32, height: i32) -> Result<(), PlotError> {
        let middle = top + height / 2;
        self.name(&lane.name, middle)?;
        self.line(vec![(LEFT, middle), (self.wide - RIGHT, middle)], &self.palette.rule, 8)?;
        let (from, to) = self.figure.x;
        for (begin, end) in &lane.spans {
            let end = end.unwrap_or(to);
            if *begin > to || end < from {
                continue;
            }
            let corners = [(self.x(*begin), middle - height / 6), (self.x(end), middle + height / 6)];
            self.area.draw(&Rectangle::new(corners, self.pale(self.palette.text).filled())).map_err(rejected)?;
            if *begin >= from {
                let (x, reach) = (self.x(*begin), height * 3 / 10);
                let sign = vec![(x, middle - reach), (x + 110, middle), (x, middle + reach), (x - 110, middle)];
                self.area.draw(&Polygon::new(sign, self.palette.text)).map_err(rejected)?;
            }
        }
        Ok(())
    }

    /// Gives how many of them are listed.
    fn marks(&self, bottom: i32) -> Result<i32, PlotError> {
        let (from, to) = self.figure.x;
        let mut listed = 0;
        for mark in self.figure.marks.iter().filter(|mark| (from..=to).contains(&mark.at)) {
            let x = self.x(mark.at);
            for y in (TOP - 100..bottom).step_by(260) {
                self.line(vec![(x, y), (x, (y + 110).min(bottom))], &self.palette.text, 14)?;
            }
            self.text(&mark.number.to_string(), x, TOP - 330, 380, &self.palette.text, HPos::Center)?;
            if !mark.note.is_empty() && listed < LISTED as i32 {
                let text = format!("{}  {}", mark.number, mark.note);
                let text = self.widths.cut(&text, self.wide - LEFT - RIGHT, NOTE);
                self.text(&text, LEFT, bottom + 1_650 + listed * 480, NOTE, &self.palette.text, HPos::Left)?;
                listed += 1;
            }
        }
        Ok(listed)
    }
}

/// The parts of a line that are drawn: all of it for the first six inks, dashes for the next six, dots for the others.
fn dashed(points: Vec<(i32, i32)>, ink: usize) -> Vec<Vec<(i32, i32)>> {
    let (on, off) = match ink / LIGHT.inks.len() {
        0 => return vec![points],
        1 => (180.0, 90.0),
        _ => (50.0, 80.0),
    };
    let mut parts = Vec::new();
    let mut part: Vec<(i32, i32)> = points.first().copied().into_iter().collect();
    let (mut is_on, mut left) = (true, on);
    for pair in points.windows(2) {
        let (from, to) = ((f64::from(pair[0].0), f64::from(pair[0].1)), (f64::from(pair[1].0), f64::from(pair[1].1)));
        let length = (to.0 - from.0).hypot(to.1 - from.1);
        let mut at = 0.0;
        while length - at > left {
            at += left;
            let share = at / length;
            let place = (from.0 + (to.0 - from.0) * share, from.1 + (to.1 - from.1) * share);
            let place = (place.0.round() as i32, place.1.round() as i32);
            if is_on {
                part.push(place);
                parts.push(std::mem::take(&mut part));
            } else {
                part = vec![place];
            }
            is_on = !is_on;
            left = if is_on { on } else { off };
        }
        left -= length - at;
        if is_on {
            part.push(pair[1]);
        }
    }
    if is_on && part.len() > 1 {
        parts.push(part);
    }
    parts
}

/// A text in which nothing is that a document may not hold: symbols stand for control characters.
pub(crate) fn printable(text: &str) -> String {
    let is_allowed = |c: &char| !c.is_control() && !matches!(c, '\u{fffe}' | '\u{ffff}');
    text.chars().map(|c| if is_allowed(&c) { c } else { amber_core::tail::visible_char(c) }).collect()
}

/// `ink` on `paper`, at so much of its strength, 0 to 1.
fn mixed(ink: RGBColor, paper: RGBColor, share: f64) -> RGBColor {
    let mix = |ink: u8, paper: u8| (f64::from(ink) * share + f64::from(paper) * (1.0 - share)).round() as u8;
    RGBColor(mix(ink.0, paper.0), mix(ink.1, paper.1), mix(ink.2, paper.2))
}

/// Round values between the limits with their labels.
fn ticks(low: f64, high: f64, most: usize) -> Vec<(f64, String)> {
    let (values, places) = amber_core::axis::ticks(low, high, most);
    values.into_iter().map(|value| (value, amber_core::digits::fixed(value, places))).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{FigureMark, Shades, pdf};

    fn figure() -> Figure {
        let wave = |phase: f64| {
            (0..400).map(|i| f64::from(i) / 40.0).map(move |t| (t, 100.0 + 20.0 * (t * 5.0 + phase).sin()))
        };
        let trace = |letter, name: &str, ink, phase| Trace {
            letter,
            name: name.into(),
            note: "",
            ink,
            runs: vec![wave(phase).take(200).collect(), wave(phase).skip(220).collect()],
            pale: Vec::new(),
        };
        Figure {
            title: "wave <flume> & \"friends\"".into(),
            subtitle: "take-0001".into(),
            x: (0.0, 10.0),
            x_label: "seconds since the start".into(),
            lanes: vec![Lane {
                label: "mm".into(),
                unit: "mm".into(),
                limits: (60.0, 140.0),
                traces: vec![trace('A', "gauge_a", 0, 0.0), trace('B', "gauge_b", 1, 1.0)],
                thresholds: vec![Threshold { value: 120.0, hysteresis: 4.0, ink: 0, label: "A 120 mm".into() }],
                shades: Vec::new(),
                levels: vec![LevelLine { from: 1.0, to: 4.0, value: 100.0, ink: 0, label: "100.0 mm".into() }],
            }],
            logic: vec![LogicLane {
                letter: 'C',
                name: "pump".into(),
                ink: 3,
                levels: vec![(0.0, 4.0, false), (4.0, 9.0, true)],
                words: vec![(1.0, 6.0, "idle <".into()), (6.0, 99.0, "run".into())],
            }],
            events: vec![EventLane { name: "high water".into(), spans: vec![(2.0, Some(2.5)), (9.0, None)] }],
            marks: vec![FigureMark { number: 1, at: 3.0, note: "50 mm weight".into() }],
            cursors: vec![5.0, 77.0],
            notes: vec!["overshoot 2 mm".into()],
            paper: Paper::default(),
        }
    }

    #[test]
    fn the_svg_is_text_and_lines_and_nothing_breaks_out() {
        let text = svg(&figure()).unwrap();
        assert!(text.contains("width=\"297mm\" height=\"210mm\" viewBox=\"0 0 29700 21000\""), "{}", &text[..300]);
        for part in [
            "&lt;flume&gt;",
            "gauge_a in mm",
            "seconds since the start",
            "1  50 mm weight",
            "pump",
            "high water",
            "overshoot 2 mm",
            "cursor 1",
            "A 120 mm",
            "100.0 mm",
            "idle &lt;",
        ] {
            assert!(text.contains(part), "{part} is missing");
        }
        assert!(text.matches("<polyline").count() > 20);
        let font = text.split("base64,").nth(1).unwrap().split(')').next().unwrap().len();
        assert!((3_000..60_000).contains(&font), "the font's used glyphs, and no more: {font}");
    }

    #[test]
    fn the_pdf_carries_its_font_and_its_text_on_a_page_of_a4() {
        let page = pdf(&svg(&figure()).unwrap()).unwrap();
        let text = String::from_utf8_lossy(&page);
        assert!(text.starts_with("%PDF-1."));
        assert!(text.contains("/FontFile") && text.contains("/ToUnicode"), "no font: text would be lost");
        assert!(text.contains("/MediaBox [0 0 841.8") || text.contains("/MediaBox [0 0 841.9"), "not A4");
        assert!(pdf("no svg").is_err());
    }

    #[test]
    fn every_inked_line_stays_on_the_page_whatever_the_data() {
        let mut wild = figure();
        wild.lanes[0].traces[0].runs = vec![vec![(-1e9, -1e9), (1e9, 1e12)], vec![], vec![(5.0, 100.0)]];
        let far = |value, hysteresis| Threshold { value, hysteresis, ink: 1, label: "far".into() };
        wild.lanes[0].thresholds.extend([far(1e9, 1.0), far(100.0, 1e300), far(100.0, f64::NAN)]);
        wild.logic[0].levels.push((9.0, 1e6, true));
        wild.events[0].spans.extend([(-1e9, Some(1e9)), (99.0, None), (-5.0, Some(-4.0)), (f64::NAN, Some(3.0))]);
        wild.lanes[0].shades = vec![
            Shades { from: -1e9, to: 90.0, x: (-5.0, 99.0), ink: 2, shares: vec![0.5, 0.5, f32::NAN, 7.0, -1.0] },
            Shades::default(),
        ];
        wild.marks.push(FigureMark { number: 9, at: 77.0, note: "not in view".into() });
        let text = svg(&wild).unwrap();
        for points in text.split("points=\"").skip(1).map(|rest| rest.split('"').next().unwrap()) {
            for (x, y) in points.split_whitespace().filter_map(|point| point.split_once(',')) {
                let (x, y): (i32, i32) = (x.parse().unwrap(), y.parse().unwrap());
                assert!((0..=29_700).contains(&x) && (0..=21_000).contains(&y), "{x},{y}");
            }
        }
        assert!(!text.contains("not in view"));
        assert!(pdf(&text).is_ok());
    }

    #[test]
    fn an_empty_figure_and_many_lanes_can_be_drawn_too() {
        let empty = Figure { x: (0.0, 1.0), ..Figure::default() };
        assert!(svg(&empty).unwrap().contains("</svg>"));
        let mut many = figure();
        many.lanes = vec![many.lanes[0].clone(); 6];
        many.logic = vec![many.logic[0].clone(); 5];
        many.marks = (1..20).map(|i| FigureMark { number: i, at: i as f64 / 2.0, note: format!("note {i}") }).collect();
        let text = svg(&many).unwrap();
        assert_eq!(text.matches("rotate(270").count(), 6, "each lane has its label");
        assert!(text.contains("note 6") && !text.contains("note 7"), "six notes are listed");
    }

    #[test]
    fn the_paper_may_be_of_any_size_and_dark() {
        for (width, height) in [(80.0, 60.0), (160.0, 100.0), (420.0, 297.0)] {
            let text = svg(&Figure { paper: Paper { width, height, is_dark: true }, ..figure() }).unwrap();
            assert!(text.contains(&format!("<svg width=\"{width}mm\" height=\"{height}mm\"")), "{}", &text[..200]);
            assert!(!text.contains("#FFFFFF") && text.contains("#100D08"), "{width}");
            assert!(pdf(&text).is_ok());
        }
    }

    #[test]
    fn ticks_have_as_many_decimals_as_they_need() {
        let labels = |low, high| ticks(low, high, 5).into_iter().map(|(_, label)| label).collect::<Vec<_>>();
        assert_eq!(labels(0.0, 1.0), ["0.0", "0.2", "0.4", "0.6", "0.8", "1.0"]);
        assert_eq!(labels(-20.0, 0.0), ["-20", "-15", "-10", "-5", "0"]);
    }
}
