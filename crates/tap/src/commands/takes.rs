//! `takes`: what is in a folder of takes.

use super::output::{Form, Output, csv_text, markdown_text};
use crate::choose::takes_in;
use amber_core::digits::{bytes, duration};
use amber_core::tail::visible;
use amber_io::take::{Glance, glance, iso8601};
use anyhow::bail;
use clap::Args;
use serde_json::{Value, json};
use std::path::PathBuf;

#[derive(Debug, Args)]
pub(crate) struct TakesArgs {
    /// The folder that the takes are in.
    #[arg(default_value = ".", value_name = "DIR")]
    folder: PathBuf,
    /// Only takes that hold these words, in their name, note, channels or bench.
    #[arg(long, value_name = "WORDS")]
    search: Option<String>,
    #[command(flatten)]
    output: Output,
}

/// Takes that are listed at most.
const MOST: usize = 100_000;

fn holds(glance: &Glance, search: &str) -> bool {
    let all = [&glance.name, &glance.note, &glance.bench, &glance.channels.join(" ")].map(|text| text.to_lowercase());
    let all = all.join("\n");
    search.to_lowercase().split_whitespace().all(|word| all.contains(word))
}

/// Lists the takes in a folder, the newest name first.
pub(super) fn run(args: &TakesArgs) -> anyhow::Result<u8> {
    let form = args.output.form(&[Form::Csv, Form::JsonLines, Form::Json, Form::Markdown])?;
    if !args.folder.is_dir() {
        bail!("{} is not a folder", args.folder.display());
    }
    let folders = takes_in(&args.folder, MOST);
    let seen = folders.iter().map(|folder| glance(folder));
    let seen: Vec<Glance> = seen.filter(|own| args.search.as_ref().is_none_or(|words| holds(own, words))).collect();
    let document = |own: &Glance| {
        json!({
            "name": own.name, "start": own.start.map(iso8601), "seconds": own.seconds, "bytes": own.bytes,
            "channels": own.channels, "sources": own.sources, "marks": own.marks, "bench": own.bench, "note": own.note,
            "being_written": own.grows,
        })
    };
    let text = match form {
        Form::JsonLines => seen.iter().map(|own| format!("{}\n", document(own))).collect::<String>().into_bytes(),
        Form::Json => format!("{:#}\n", Value::from(seen.iter().map(document).collect::<Vec<_>>())).into_bytes(),
        Form::Markdown => {
            let row = |own: &Glance| {
                vec![
                    own.name.clone(),
                    own.start.map_or(String::new(), iso8601),
                    own.seconds.map_or(String::new(), |seconds| duration(seconds.round())),
                    own.channels.join(", "),
                    own.note.clone(),
                    bytes(own.bytes),
                ]
            };
            let rows: Vec<_> = seen.iter().map(row).collect();
            markdown_text(&["take", "start", "length", "channels", "note", "size"], &rows, 5)
        }
        _ => {
            // What a terminal would obey is shown as a sign; --json has it as it is.
            let shown = |text: &str| visible(text.as_bytes());
            let row = |own: &Glance| {
                vec![
                    shown(&own.name),
                    own.start.map_or(String::new(), iso8601),
                    own.seconds.map_or(String::new(), |seconds| format!("{seconds:.6}")),
                    own.bytes.to_string(),
                    shown(&own.channels.join(" ")),
                    own.marks.to_string(),
                    shown(&own.bench),
                    shown(&own.note),
                ]
            };
            let rows: Vec<_> = seen.iter().map(row).collect();
            csv_text(&["name", "start", "seconds", "bytes", "channels", "marks", "bench", "note"], &rows)
        }
    };
    args.output.put(&text, "the list of takes")?;
    Ok(0)
}
