//! `plot` and `report`: what the screen would show of a take or a file, as a figure or as pages.

use super::output::{Form, Output};
use super::stretch::{Stretch, takes_of};
use crate::figure;
use crate::print::{aside, line};
use crate::report;
use crate::session::Session;
use amber_core::keep::PaperSize;
use amber_plot::{Block, Document, Figure, Paper};
use anyhow::bail;
use clap::Args;
use serde_json::{Value, json};

#[derive(Debug, Args)]
pub(crate) struct PlotArgs {
    #[command(flatten)]
    stretch: Stretch,
    /// The channel, by its name; may be given several times [default: all that are shown].
    #[arg(long, value_name = "NAME")]
    channel: Vec<String>,
    /// The size: '160x100 mm', '1200x800 px' [default: as the bench says, else A4].
    #[arg(long)]
    size: Option<PaperSize>,
    /// A dark ground, as for a projector.
    #[arg(long)]
    dark: bool,
    /// What stands above it [default: as the bench says, else its name].
    #[arg(long)]
    title: Option<String>,
    /// What the axis of time says.
    #[arg(long, value_name = "TEXT")]
    x_label: Option<String>,
    /// What the axis of values says, where there is one lane.
    #[arg(long, value_name = "TEXT")]
    y_label: Option<String>,
    #[command(flatten)]
    output: Output,
}

#[derive(Debug, Args)]
pub(crate) struct ReportArgs {
    #[command(flatten)]
    stretch: Stretch,
    /// The channel, by its name; may be given several times [default: all that are shown].
    #[arg(long, value_name = "NAME")]
    channel: Vec<String>,
    #[command(flatten)]
    output: Output,
}

/// A session that shows the stretch that is asked for.
fn shown(stretch: &Stretch, wanted: &[String]) -> anyhow::Result<Session> {
    let (takes, bench) = takes_of(stretch)?;
    for (_, take) in &takes {
        take.told.iter().for_each(|sentence| aside(format_args!("{}: {sentence}", take.folder.display())));
    }
    let mut session = super::session_of(takes, bench, None)?;
    // What is known of the takes has been said.
    session.notice = None;
    session.read_takes();
    if let Some(notice) = session.notice.as_ref().filter(|notice| notice.bad) {
        aside(&notice.text);
    }
    if session.chains().all(|chain| chain.store().rows().is_empty()) {
        bail!("{} holds no rows to draw", stretch.source.display());
    }
    if !wanted.is_empty() {
        let ids: Vec<_> = session.channel_ids().collect();
        let named = |name: &String| {
            let is_it = |id: &&crate::session::ChannelId| {
                session.title(**id) == *name || session.channel_at(**id).name() == name
            };
            match ids.iter().find(is_it) {
                Some(id) => Ok(*id),
                None => {
                    let names: Vec<String> = ids.iter().map(|id| session.title(*id)).collect();
                    bail!(
                        "there is no channel '{name}' in {}; there are {}",
                        stretch.source.display(),
                        names.join(", ")
                    )
                }
            }
        };
        let kept: Vec<_> = wanted.iter().map(named).collect::<Result<_, _>>()?;
        for id in ids.iter().filter(|id| !kept.contains(id)) {
            session.with_channel(*id, |settings| settings.hidden = true);
        }
        session.select(kept[0]);
    }
    if stretch.from.is_some() || stretch.to.is_some() {
        let (first, last) = (session.oldest(), session.present());
        let zero = super::stretch::zero_of(&session);
        let across = session.across();
        let begin = stretch.from.map_or(first, |of| zero.plus(across.seconds(of)));
        let end = stretch.to.map_or(last, |of| zero.plus(across.seconds(of)));
        let span = end.seconds_since(begin);
        if span <= 0.0 {
            bail!("--from must lie before --to");
        }
        (session.axis.span, session.axis.held) = (span, Some(end));
    }
    session.before_frame(session.now);
    // What is written says when that was.
    session.now = amber_io::HostClock::start().now();
    Ok(session)
}

/// Draws a stretch.
pub(super) fn plot(args: &PlotArgs) -> anyhow::Result<u8> {
    let form = args.output.form(&[Form::Svg, Form::Pdf])?;
    let session = shown(&args.stretch, &args.channel)?;
    let figure = figure::styled(figure::of(&session), &session);
    let paper = args.size.map_or(figure.paper, |size| Paper { width: size.width, height: size.height, ..figure.paper });
    let paper = Paper { is_dark: figure.paper.is_dark || args.dark, ..paper };
    let mut figure = Figure { paper, ..figure };
    if let Some(title) = &args.title {
        figure.title = amber_core::tail::visible(title.as_bytes());
    }
    if let Some(label) = &args.x_label {
        figure.x_label = amber_core::tail::visible(label.as_bytes());
    }
    if let Some(label) = &args.y_label {
        match &mut figure.lanes[..] {
            [lane] => lane.label = amber_core::tail::visible(label.as_bytes()),
            lanes => bail!("--y-label is for one lane, and there are {}: choose channels with --channel", lanes.len()),
        }
    }
    args.output.put(&figure::bytes_as(&figure, form == Form::Pdf)?, "the figure")?;
    if let Some(out) = &args.output.out {
        line(out.display(), "the figure's name")?;
    }
    Ok(0)
}

/// Writes a report on a stretch.
pub(super) fn report(args: &ReportArgs) -> anyhow::Result<u8> {
    let form = args.output.form(&[Form::Markdown, Form::Pdf, Form::Json])?;
    let session = shown(&args.stretch, &args.channel)?;
    let document = report::draft(&session, vec![figure::of(&session)]).finish();
    match (form, &args.output.out) {
        (Form::Pdf, _) => args.output.put(&amber_plot::document_pdf(&document)?, "the report")?,
        (Form::Json, _) => args.output.put(format!("{:#}\n", of_document(&document)).as_bytes(), "the report")?,
        (_, Some(path)) => {
            let stem = path.file_stem().map_or_else(String::new, |stem| stem.to_string_lossy().into_owned());
            figure::write_markdown(&document, path, &stem)?;
        }
        (_, None) => {
            let blocks = document.blocks.iter().filter(|block| !matches!(block, Block::Figure(..))).cloned().collect();
            let (text, _) = report::markdown::markdown(&Document { blocks, ..document.clone() }, "report");
            args.output.put(text.as_bytes(), "the report")?;
            aside("the figure is left out: --out FILE.md writes it beside the text, --out FILE.pdf makes pages");
        }
    }
    if let Some(out) = &args.output.out {
        line(out.display(), "the report's name")?;
    }
    Ok(0)
}

/// A report as a document of JSON; figures are left out.
fn of_document(document: &Document) -> Value {
    let block = |block: &Block| match block {
        Block::Heading(heading) => Some(json!({ "heading": heading })),
        Block::Text(text) => Some(json!({ "text": text })),
        Block::Facts(facts) => {
            let facts: Vec<Value> = facts.iter().map(|(name, value)| json!({ "name": name, "value": value })).collect();
            Some(json!({ "facts": facts }))
        }
        Block::Table(table) => Some(json!({ "header": table.header, "rows": table.rows })),
        Block::Figure(..) => None,
    };
    let blocks: Vec<Value> = document.blocks.iter().filter_map(block).collect();
    json!({ "format": 1, "title": document.title, "subtitle": document.subtitle, "blocks": blocks })
}
