//! The chain: six cells for the selected channel, each with its setting and the value as it leaves that stage.

use super::text::{cut, doubt, fitting, put, set_in, side, state};
use crate::app::App;
use crate::session::{Session, Source, Stage, Taking, name_of};
use crate::theme::{Ink, Theme};
use amber_core::bench::Kind;
use amber_core::chain::Channel;
use amber_core::digits::{self, NumberFormat, counted, duration, fixed, grouped, measured, with_unit};
use amber_core::part::Listed;
use amber_core::scale::Step;
use amber_core::smooth::{Filter, delay, smooths};
use amber_core::split::Shape;
use amber_core::tail::{hexadecimal, visible};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;

/// Shares of the width, in hundredths: values need more room in the middle.
const SHARES: [u16; 6] = [16, 14, 19, 20, 16, 15];

fn cells(area: Rect) -> impl Iterator<Item = (Stage, Rect)> {
    let mut x = 0;
    let width = area.width;
    Stage::ALL.into_iter().zip(SHARES).map(move |(stage, share)| {
        let begin = x;
        x += share;
        let (left, right) = (begin * width / 100, x * width / 100);
        (stage, Rect { x: area.x + left, width: right - left, ..area })
    })
}

/// The stage whose cell is in `column`.
pub(super) fn stage_at(area: Rect, column: u16) -> Option<Stage> {
    cells(area).find(|(_, cell)| (cell.x..cell.right()).contains(&column)).map(|(stage, _)| stage)
}

pub(super) fn draw(app: &App, theme: Theme, area: Rect, buffer: &mut Buffer) {
    let session = &app.session;
    let form = session.channel().map(|_| session.form(session.selected, &session.lanes()));
    for (stage, cell) in cells(area) {
        let open = app.is_open(stage);
        let name = format!(" {} {} ", stage.number(), stage.name());
        let x = put(buffer, cell, 0, 0, &name, theme.style(if open { Ink::Chosen } else { Ink::Bright }));
        let line = "─".repeat(usize::from(cell.width.saturating_sub(x + 1)));
        let x = put(buffer, cell, x, 0, &line, theme.style(Ink::Faint));
        put(buffer, cell, x, 0, if stage == Stage::Keep { "■" } else { "▶" }, theme.style(Ink::Dim));
        let room = cell.width.saturating_sub(2);
        let inside = Rect { x: cell.x + 1, width: room, ..cell };
        let (set, value) = texts(session, form.as_ref(), stage, room);
        put(buffer, inside, 0, 1, &cut(set, room), theme.style(Ink::Dim));
        let is_old = stage != Stage::Wire && stage != Stage::Keep && session.snapshot.age(session.selected).is_some();
        put(buffer, inside, 0, 2, &cut(value, room), theme.style(if is_old { Ink::Dim } else { Ink::Bright }));
    }
}

/// A stage's setting and value.
fn texts(session: &Session, form: Option<&NumberFormat>, stage: Stage, room: u16) -> (String, String) {
    let none = || ("".to_owned(), "–".to_owned());
    match stage {
        Stage::Wire => wire(session, room),
        Stage::Keep => keep(session, room),
        Stage::Split => match session.chain().shape() {
            None => ("finding the shape".into(), "–".into()),
            Some(shape) => {
                let set = fitting(room, [shape.sentence(), format!("{} {}", shape.kind(), shape.columns())]);
                let field = session.channel().zip(session.reading(session.selected));
                let text = field.map(|(channel, r)| (channel.title(), fixed(r.raw, channel.raw_decimals())));
                let value = text.map(|(name, raw)| fitting(room, [format!("{name} {raw}"), raw]));
                (set, value.unwrap_or_else(|| "–".into()))
            }
        },
        _ => session.channel().zip(form).map_or_else(none, |(channel, form)| match stage {
            Stage::Scale => scale(session, channel, form, room),
            Stage::Smooth => smooth(session, channel, form, room),
            _ => watch(session, channel, room),
        }),
    }
}

fn wire(session: &Session, room: u16) -> (String, String) {
    let settings = session.chain().settings();
    let set = match session.source() {
        Source::Take(_) => "recorded bytes".into(),
        Source::Live { .. } => {
            let port = &settings.wire.port;
            let name = port.rsplit('/').next().unwrap_or(port);
            let baud = session.baud().map(|baud| format!(" {baud}")).unwrap_or_default();
            match settings.wire.name.as_str() {
                "" => fitting(room, [format!("{port}{baud}"), format!("{name}{baud}"), name.into()]),
                own => fitting(room, [format!("{own} {port}{baud}"), format!("{own} {name}{baud}"), own.into()]),
            }
        }
    };
    let frames = session.chain().shape().is_some_and(Shape::is_binary);
    let text = |bytes: &[u8]| if frames { hexadecimal(bytes, " ") } else { visible(bytes) };
    let last = session.snapshot.lines.last().map(|line| text(&line.bytes));
    let bytes = session.chain().counts().bytes;
    let first = || if bytes == 0 { "nothing yet".into() } else { format!("{} so far", digits::bytes(bytes)) };
    (set, last.unwrap_or_else(first))
}

fn scale(session: &Session, channel: &Channel, form: &NumberFormat, room: u16) -> (String, String) {
    let scale = &channel.settings().scale;
    let plain = scale.is_plain();
    let formula = channel.settings().formula.as_ref().map(|formula| format!("= {}", formula.text()));
    let steps: Vec<String> = scale.steps.iter().map(Step::short).filter(|step| !step.is_empty()).collect();
    let all: Vec<String> = formula.into_iter().chain(steps).collect();
    let set = match &all[..] {
        [] => "raw".into(),
        all => fitting(room, (1..=all.len()).rev().map(|count| all[..count].join(" "))),
    };
    let Some(reading) = session.reading(session.selected) else { return (set, "–".into()) };
    let quantity = with_unit(form.number(reading.quantity, 0), &form.unit);
    let raw = fixed(reading.raw, channel.raw_decimals());
    let volts = reading.volts.map(|volts| measured(volts, scale.volts_per_count().unwrap_or(0.001), "V"));
    if let Some(word) = channel.word(reading.quantity) {
        let value = form.number(reading.quantity, 0);
        let steps = if plain { String::new() } else { format!("{raw} → ") };
        return (
            set,
            fitting(room, [format!("{steps}{value} = {word}"), format!("{value} = {word}"), word.to_owned()]),
        );
    }
    let value = match volts {
        Some(volts) if scale.unit() != "V" => {
            fitting(room, [format!("{raw} → {volts} → {quantity}"), format!("{raw} → {quantity}"), quantity])
        }
        _ if plain => quantity,
        _ => fitting(room, [format!("{raw} → {quantity}"), quantity]),
    };
    (set, value)
}

fn smooth(session: &Session, channel: &Channel, form: &NumberFormat, room: u16) -> (String, String) {
    let unit = form.unit.as_str();
    let reading = session.reading(session.selected);
    let word = |value: f64| channel.word(value).map(str::to_owned);
    let value = reading.map(|r| word(r.smoothed).unwrap_or_else(|| form.number(r.smoothed, 0)));
    let Some(value) = value else { return ("".into(), "–".into()) };
    let interval = session.chain().interval();
    let filters = &channel.settings().smooth;
    let names: Vec<String> = filters.iter().map(Filter::short).filter(|name| !name.is_empty()).collect();
    let set = match names[..] {
        [] => "off".into(),
        _ => fitting(room, [names.join(", "), counted(names.len() as u64, "filter")]),
    };
    let is_both_ways = channel.settings().zero_phase && session.chain().is_recorded();
    let late = interval.filter(|_| smooths(filters) && !is_both_ways);
    let late = late.map(|interval| duration(delay(filters, interval)));
    let shown = session.snapshot.of(session.selected);
    let noise = shown.noise_after.or(shown.noise).filter(|_| channel.kind() == Kind::Analog);
    // One digit more where the noise would read as nothing.
    let finer = |noise: f64| usize::from(noise < 0.5 * 10f64.powi(-(channel.decimals() as i32)));
    let noise =
        noise.map(|noise| format!(" ± {}{}", form.number(noise.deviation, finer(noise.deviation)), doubt(noise.basis)));
    let noise = noise.unwrap_or_default();
    let late = late.map(|late| format!(", {late} late")).unwrap_or_default();
    let noisy = with_unit(format!("{value}{noise}"), unit);
    (set, fitting(room, [format!("{noisy}{late}"), noisy, with_unit(value, unit)]))
}

fn watch(session: &Session, channel: &Channel, room: u16) -> (String, String) {
    let watcher = session.snapshot.of(session.selected).watch;
    let rises = counted(watcher.rises, "rising edge");
    let now = side(channel, watcher.side);
    let few = format!("{now}, {} ↑", grouped(watcher.rises));
    let watch = channel.settings().watch;
    if channel.is_logic() {
        let held =
            watch.filter(|watch| watch.hold > 0.0).map(|watch| format!("high or low, hold {}", duration(watch.hold)));
        let set = fitting(room, held.into_iter().chain(["high or low".into()]));
        return (set, fitting(room, [format!("{now}, {rises}"), few, now.into()]));
    }
    match watch {
        Some(watch) => (
            {
                let [threshold, band] = [watch.threshold, watch.hysteresis].map(|value| set_in(channel, value));
                fitting(room, [format!("{threshold}, band {band}"), threshold])
            },
            fitting(
                room,
                [format!("{}, {rises}", state(channel, watcher.side)), format!("{now}, {rises}"), few, now.into()],
            ),
        ),
        None => conditions(session, room),
    }
}

/// What is watched for, where the channel has no threshold of its own: which conditions are true.
fn conditions(session: &Session, room: u16) -> (String, String) {
    let all = session.conditions();
    if all.is_empty() {
        return ("off".into(), "–".into());
    }
    let moment = session.viewport.end;
    let events = session.chain().events().iter();
    let on = events.filter(|event| event.at <= moment && event.ended.is_none_or(|ended| ended > moment));
    let mut names: Vec<&str> = on.filter_map(|event| all.get(event.condition)).map(|own| own.name.as_str()).collect();
    names.dedup();
    let now = if names.is_empty() { "none is true".to_owned() } else { names.join(", ") };
    let few = format!("{} true", names.len());
    (counted(all.len() as u64, "condition"), fitting(room, [now, few]))
}

fn keep(session: &Session, room: u16) -> (String, String) {
    match &session.taking {
        Taking::No if session.is_take() => ("recorded".into(), counted(session.snapshot.rows, "row")),
        Taking::No => ("no take runs".into(), fitting(room, ["t starts a take".into(), "t: take".into()])),
        Taking::Waiting { .. } => ("take waits".into(), session.shared().keep.start.to_string()),
        Taking::Starting => ("take starts".into(), "–".into()),
        Taking::Yes { folder, saved, .. } => {
            let rows = saved.as_ref().map_or(0, |saved| saved.tally.rows);
            (name_of(folder), counted(rows, "row"))
        }
    }
}
