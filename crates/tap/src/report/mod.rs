//! The report of what is watched or recorded: figure, statistics, settings in words, calibration, events, marks, stations,
//! stream health, and what it was made from. As pages, and as Markdown with its figures beside it.

pub(crate) mod markdown;

use crate::figure;
use crate::figure::analysis::Of;
use crate::rooms::smooth::in_words;
use crate::session::{ChannelId, Session, Source, Taking, name_of};
use amber_core::bench::Kind;
use amber_core::block::Statistics;
use amber_core::chain::Channel;
use amber_core::clock::Across;
use amber_core::digits::{bytes, cleaned, counted, duration, fixed, grouped, short, with_unit};
use amber_core::part::Listed;
use amber_core::scale::{Converter, Reference, Step};
use amber_core::stats::Noise;
use amber_core::store::{Series, Store};
use amber_core::tail::visible;
use amber_plot::{Block, Document, FIGURE_WIDTH, Figure, Paper, Table};
use std::ops::Range;

/// Rows of a list that are printed.
const LISTED: usize = 40;

/// Rows of which statistics are taken, the newest.
const MOST: u64 = 2_000_000;

/// A report whose statistics are still to be worked out, which takes long where there are many rows.
pub(crate) struct Draft {
    document: Document,
    /// Where the statistics stand among its blocks.
    place: usize,
    channels: Vec<ChannelDraft>,
    is_cut: bool,
}

/// The rows of a channel that statistics are taken of, with how they are written. Copies of a store and a series cost little.
struct ChannelDraft {
    store: Store,
    series: Series,
    rows: Range<u64>,
    title: String,
    unit: String,
    kind: Kind,
    decimals: usize,
}

impl ChannelDraft {
    /// The row of the table; `None` where there are only gaps.
    fn row(&self) -> Option<Vec<String>> {
        let mut times = Vec::new();
        self.store.read_times(self.rows.clone(), &mut times);
        let values: Vec<f64> = self.rows.clone().map(|row| self.series.get(row).unwrap_or(f64::NAN)).collect();
        let mut noise = Noise::default();
        values.iter().for_each(|value| noise.push(*value));
        let found = Statistics::of(&times, &values)?;
        let decimals = if self.kind == Kind::Digital { 3 } else { self.decimals + 1 };
        let noise = noise.deviation().filter(|_| self.kind == Kind::Analog);
        Some(vec![
            self.title.clone(),
            self.unit.clone(),
            grouped(found.count as u64),
            grouped(found.gaps as u64),
            cell(found.mean, decimals),
            cell(found.deviation, decimals),
            noise.map_or("–".into(), |noise| short(noise, 2)),
            cell(found.min, self.decimals),
            cell(found.max, self.decimals),
        ])
    }
}

impl Draft {
    /// The report.
    pub(crate) fn finish(self) -> Document {
        let Draft { mut document, place, channels, is_cut } = self;
        let header = ["channel", "unit", "rows", "gaps", "mean", "deviation", "noise", "min", "max"];
        let mut blocks = vec![table(&header, channels.iter().filter_map(ChannelDraft::row).collect(), 2)];
        if is_cut {
            blocks.push(Block::Text(format!("Statistics are those of the newest {} rows.", grouped(MOST))));
        }
        document.blocks.splice(place..place, blocks);
        document
    }
}

/// The report of what is in view, with these figures, but for its statistics.
pub(crate) fn draft(session: &Session, figures: Vec<Figure>) -> Draft {
    let (begin, end) = (session.viewport.begin, session.viewport.end);
    let stretch = if figure::has_wall(session) {
        let until = session.wall(end, "%H:%M:%S, UTC%:z");
        format!("{} to {until}", session.wall(begin, "%Y-%m-%d %H:%M:%S"))
    } else {
        let since = |at: amber_core::Stamp| short(session.across().of(at.seconds_since(session.oldest())), 6);
        format!("{0} {2} to {1} {2} from its start", since(begin), since(end), session.across().unit())
    };
    let name = &session.shared().name;
    let of = figure::source_of(session);
    let mut blocks = Vec::new();
    for figure in figures {
        let caption = if figure.subtitle.is_empty() { figure.title.clone() } else { figure.subtitle.clone() };
        let lanes = figure.lanes.len() as f64;
        let height = (60.0 + 34.0 * lanes + 8.0 * (figure.logic.len() + figure.events.len()) as f64).clamp(90.0, 200.0);
        let paper = Paper { width: FIGURE_WIDTH, height, is_dark: false };
        blocks.push(Block::Figure(Box::new(Figure { paper, ..figure }), caption));
    }
    blocks.push(Block::Heading("Statistics".into()));
    blocks.push(Block::Text(format!("Of the stretch shown: {stretch}.")));
    let place = blocks.len();
    let (channels, is_cut) = statistics(session);
    blocks.push(Block::Heading("Channels".into()));
    blocks.extend(chains(session));
    blocks.extend(calibrations(session));
    blocks.extend(conditions(session));
    blocks.extend(marks(session));
    blocks.extend(stations(session));
    blocks.push(Block::Heading("The stream".into()));
    blocks.push(Block::Facts(health(session)));
    blocks.push(Block::Heading("What this report was made from".into()));
    blocks.push(Block::Facts(made_from(session)));
    let title = if name.is_empty() { format!("Report of {of}") } else { visible(name.as_bytes()) };
    let document = Document { title, subtitle: format!("{of}, {stretch}"), blocks };
    Draft { document, place, channels, is_cut }
}

fn drawn(session: &Session) -> impl Iterator<Item = (ChannelId, &Channel)> {
    let ids = session.channel_ids().map(|id| (id, session.channel_at(id)));
    ids.filter(|(_, channel)| channel.kind() != Kind::Clock && !channel.settings().hidden)
}

fn title(session: &Session, id: ChannelId) -> String {
    visible(session.title(id).as_bytes())
}

/// A number in a table: nothing for a gap.
fn cell(value: f64, decimals: usize) -> String {
    if value.is_nan() { "–".into() } else { fixed(value, decimals) }
}

/// What statistics are to be taken of, and whether that is not all that is in view.
fn statistics(session: &Session) -> (Vec<ChannelDraft>, bool) {
    let mut is_cut = false;
    let of = |(id, channel): (ChannelId, &Channel)| {
        let store = session.chain_at(id.source).store();
        let all = store.kept(session.viewport.rows_of(id.source));
        let rows = all.start.max(all.end.saturating_sub(MOST))..all.end;
        is_cut |= rows != all;
        ChannelDraft {
            store: store.clone(),
            series: channel.output().clone(),
            rows,
            title: title(session, id),
            unit: visible(channel.settings().scale.unit().as_bytes()),
            kind: channel.kind(),
            decimals: channel.decimals(),
        }
    };
    let channels = drawn(session).map(of).collect();
    (channels, is_cut)
}

fn table(header: &[&str], rows: Vec<Vec<String>>, words: usize) -> Block {
    Block::Table(Table { header: header.iter().map(|text| (*text).to_owned()).collect(), rows, words })
}

/// A channel's scale as one formula of its raw value.
fn formula(channel: &Channel) -> String {
    let settings = channel.settings();
    let mut x = match &settings.formula {
        Some(formula) => formula.text().to_owned(),
        None => "raw".to_owned(),
    };
    let reference = settings.scale.converter().map(|(_, converter)| match &converter.reference {
        Reference::Volts(volts) => format!("{volts} V"),
        Reference::Channel(name) => name.clone(),
    });
    let mut untold = Vec::new();
    for step in settings.scale.steps.iter().filter(|step| !step.is_bypassed()) {
        if let Step::Converter(Converter { bits: Some(bits), top_is_reference, .. }) = step {
            // As the data sheet of a converter says it.
            let codes = (1u64 << bits) - u64::from(*top_is_reference);
            let whole = reference.as_deref().unwrap_or("reference");
            x = format!("{x} / {codes} * {whole}");
            continue;
        }
        let inner = if [" + ", " - "].iter().any(|sign| x.contains(sign)) { format!("({x})") } else { x.clone() };
        // What stands for the value may hold any words of a person's own.
        match step.in_code("\u{1}") {
            Some(code) => {
                x = code.replace("reference", reference.as_deref().unwrap_or("reference")).replace('\u{1}', &inner)
            }
            None => untold.push(step.short()),
        }
    }
    let x = x.replace(" * ", " × ").replace(" - ", " − ");
    let untold: Vec<String> = untold.into_iter().filter(|text| !text.is_empty()).collect();
    let then = if untold.is_empty() { String::new() } else { format!("; {}", untold.join(", ")) };
    with_unit(format!("{x}{then}"), &settings.scale.unit().replace(' ', "\u{a0}"))
}

/// The chain of each channel in words.
fn chains(session: &Session) -> Vec<Block> {
    let mut facts = Vec::new();
    for (id, channel) in drawn(session) {
        let settings = channel.settings();
        let mut parts = Vec::new();
        if settings.formula.is_some() || !settings.scale.is_plain() {
            parts.push(format!("= {}", formula(channel)));
        } else {
            parts.push(with_unit("as the board sends it", &settings.scale.unit().replace(' ', "\u{a0}")));
        }
        if settings.smooth.iter().any(|filter| !filter.is_bypassed()) {
            parts.push(format!("smoothed by {}", in_words(&settings.smooth)));
        }
        if let Some(watch) = settings.watch.filter(|_| channel.kind() == Kind::Analog) {
            let unit = settings.scale.unit();
            let [threshold, band] = [watch.threshold, watch.hysteresis].map(|value| with_unit(short(value, 6), unit));
            parts.push(format!("threshold {threshold}, hysteresis {band}"));
        }
        facts.push((title(session, id), visible(parts.join("; ").as_bytes())));
    }
    vec![Block::Facts(facts)]
}

fn calibrations(session: &Session) -> Vec<Block> {
    let mut blocks = Vec::new();
    for (id, channel) in drawn(session) {
        let Some(own) = channel.settings().scale.calibration() else { continue };
        if blocks.is_empty() {
            blocks.push(Block::Heading("Calibration".into()));
        }
        let unit = visible(own.unit.as_bytes());
        let largest = own.residuals.iter().fold(0.0, |most: f64, residual| most.max(residual.abs()));
        let date = if own.date.is_empty() { String::new() } else { format!(" of {}", visible(own.date.as_bytes())) };
        let told = format!(
            "{}: {}{date}, {}; largest residual {}.",
            title(session, id),
            own.curve.name(),
            counted(own.points.len() as u64, "point"),
            with_unit(short(largest, 4), &unit)
        );
        blocks.push(Block::Text(told));
        let number = |value: f64| short(cleaned(value), 6);
        let row = |(place, (came, really)): (usize, &(f64, f64))| {
            let residual = own.residuals.get(place).copied().unwrap_or(f64::NAN);
            vec![number(*came), number(*really), if residual.is_nan() { "–".into() } else { short(residual, 4) }]
        };
        if let Some(figure) = figure::analysis::calibration(&Of::channel(session, id), own) {
            let paper = Paper { width: FIGURE_WIDTH, height: 100.0, is_dark: false };
            let caption = format!("calibration of {}", title(session, id));
            blocks.push(Block::Figure(Box::new(Figure { paper, ..figure }), caption));
        }
        let rows = own.points.iter().enumerate().map(row).collect();
        blocks.push(table(&["measured", &with_unit("true value,", &unit), "fit − true (residual)"], rows, 0));
    }
    blocks
}

fn conditions(session: &Session) -> Vec<Block> {
    let mut blocks = Vec::new();
    let several = session.sources() > 1;
    for (place, chain) in session.chains().enumerate() {
        let settings = chain.conditions().settings();
        if settings.is_empty() {
            continue;
        }
        let of = if several { format!(" of {}", session.source_names()[place]) } else { String::new() };
        blocks.push(Block::Heading(format!("Events{of}")));
        let unit = |name: &str| {
            let own = chain.channels().iter().find(|own| own.name() == name || own.title() == name);
            own.map_or(String::new(), |own| own.settings().scale.unit().to_owned())
        };
        let facts =
            settings.iter().map(|own| (visible(own.name.as_bytes()), visible(own.in_words(unit).as_bytes()))).collect();
        blocks.push(Block::Facts(facts));
        let (begin, end) = (session.viewport.begin, session.viewport.end);
        let seen: Vec<_> = chain.events().iter().filter(|event| event.at >= begin && event.at <= end).collect();
        let row = |event: &&amber_core::watch::condition::Event| {
            vec![
                event.number.to_string(),
                settings.get(event.condition).map_or(String::new(), |own| visible(own.name.as_bytes())),
                session.when(event.at, "%H:%M:%S%.3f"),
                event.seconds().map_or("goes on".into(), duration),
            ]
        };
        let rows: Vec<_> = seen.iter().take(LISTED).map(row).collect();
        if rows.is_empty() {
            blocks.push(Block::Text("No event in the stretch shown.".into()));
        } else {
            blocks.push(table(&["event", "condition", "time", "lasted"], rows, 3));
        }
        blocks.extend(rest(seen.len(), "event"));
    }
    blocks
}

/// What is said of a list of which not all is printed.
fn rest(count: usize, noun: &str) -> Option<Block> {
    let more = count.checked_sub(LISTED).filter(|more| *more > 0)?;
    Some(Block::Text(format!("And {} more.", counted(more as u64, noun))))
}

fn marks(session: &Session) -> Vec<Block> {
    if session.marks.is_empty() {
        return Vec::new();
    }
    let row = |mark: &amber_io::take::Mark| {
        vec![
            mark.number.to_string(),
            session.when(mark.at, "%H:%M:%S%.3f"),
            visible(mark.note.as_bytes()),
            visible(mark.values.as_bytes()),
        ]
    };
    let rows = session.marks.iter().take(LISTED).map(row).collect();
    let mut blocks = vec![Block::Heading("Marks".into()), table(&["mark", "time", "note", "values"], rows, 4)];
    blocks.extend(rest(session.marks.len(), "mark"));
    blocks
}

fn stations(session: &Session) -> Vec<Block> {
    let list = &session.stations.list;
    if list.is_empty() {
        return Vec::new();
    }
    let mut rows = Vec::new();
    for station in list {
        for reading in &station.readings {
            let own = session.channel_ids().map(|id| session.channel_at(id)).find(|own| own.title() == reading.channel);
            let decimals = own.map_or(4, |own| own.decimals() + 2);
            rows.push(vec![
                station.number.to_string(),
                visible(station.name.as_bytes()),
                visible(reading.channel.as_bytes()),
                visible(reading.unit.as_bytes()),
                grouped(reading.rows),
                cell(reading.mean, decimals),
                cell(reading.deviation, decimals),
            ]);
        }
    }
    let header = ["station", "name", "channel", "unit", "rows", "mean", "deviation"];
    vec![Block::Heading("Stations".into()), table(&header, rows, 4)]
}

/// What became of the bytes, and how evenly rows are spaced.
fn health(session: &Session) -> Vec<(String, String)> {
    let mut facts = Vec::new();
    let several = session.sources() > 1;
    for (place, chain) in session.chains().enumerate() {
        let counts = chain.counts();
        let own = if several { format!("{}: ", session.source_names()[place]) } else { String::new() };
        let mut add = |name: &str, value: String| facts.push((format!("{own}{name}"), value));
        add("rows", format!("{}, {}", grouped(counts.rows), bytes(counts.bytes)));
        let reasons: Vec<String> =
            counts.reasons().map(|(reason, count)| format!("{} {}", grouped(count), reason.text())).collect();
        let reasons = if reasons.is_empty() { String::new() } else { format!(": {}", reasons.join(", ")) };
        add("rejected", format!("{}{reasons}", counted(counts.rejected(), "line")));
        add("messages", counted(counts.messages, "line"));
        let unseen = counts.skipped + counts.unkept + counts.cut_off;
        if unseen > 0 {
            add("not read", bytes(unseen));
        }
        if let Some(shape) = chain.shape() {
            add("lines", shape.sentence());
        }
        add("time of rows", chain.timer().sentence());
        if let Some(spacing) = chain.intervals().spacing().filter(|_| chain.timer().across() == Across::Seconds) {
            let (low, high) = spacing.spread;
            let gaps = if spacing.gaps > 0 { format!("; {} gaps", spacing.gaps) } else { String::new() };
            let text = format!(
                "median interval {}, 90 % within {} to {}, longest {}{gaps}",
                duration(spacing.middle),
                duration(low),
                duration(high),
                duration(spacing.longest)
            );
            add("spacing", text);
        }
        if let Some(Source::Take(take)) = session.watched.get(place).map(|watched| &watched.source) {
            take.told.iter().for_each(|told| add("note", visible(told.as_bytes())));
        }
    }
    facts
}

fn made_from(session: &Session) -> Vec<(String, String)> {
    let mut facts = vec![("program".to_owned(), format!("Amber Tap {}", env!("CARGO_PKG_VERSION")))];
    for watched in session.watched.iter() {
        match &watched.source {
            Source::Take(take) => {
                let about = &take.about;
                let by = if about.program.is_empty() {
                    "an unknown version".into()
                } else {
                    format!("version {}", visible(about.program.as_bytes()))
                };
                let begun = if figure::has_wall(session) {
                    format!(", begun {}", session.wall(take.start, "%Y-%m-%d %H:%M:%S"))
                } else {
                    String::new()
                };
                let told = format!(
                    "{}{begun}, written by {by}, format {}, decoder {}",
                    visible(name_of(&take.folder).as_bytes()),
                    about.format,
                    about.decoder
                );
                facts.push(("take".into(), told));
            }
            Source::Live { .. } => {
                let told = match &session.taking {
                    Taking::Yes { folder, since, .. } => {
                        let name = visible(name_of(folder).as_bytes());
                        match session.viewport.begin >= *since {
                            true => format!("live; these rows are in {name}, which was still running"),
                            false => {
                                let since = session.wall(*since, "%Y-%m-%d %H:%M:%S");
                                format!(
                                    "live; those since {since} are in {name}, which was still running, those before in no take"
                                )
                            }
                        }
                    }
                    _ => "live; no take was running".into(),
                };
                facts.push(("source".into(), told));
            }
        }
    }
    let bench = session.bench_file.as_ref().map(|path| visible(name_of(path).as_bytes()));
    facts.push(("bench".into(), bench.unwrap_or_else(|| "the settings of the take, or not saved".into())));
    facts.push(("made".into(), session.wall(session.now, "%Y-%m-%d %H:%M:%S, UTC%:z")));
    facts
}

#[cfg(test)]
mod tests;
