//! Where commands put what they make: standard output, or a file in the form that its ending names.

use crate::print::printed;
use anyhow::bail;
use clap::Args;
use std::io::{self, Write};
use std::path::{Path, PathBuf};

/// Where it goes, and in which form.
#[derive(Debug, Default, Args)]
pub(crate) struct Output {
    /// JSON instead, for other programs.
    #[arg(long)]
    pub(crate) json: bool,
    /// Write it to this file, in the form that its ending names, instead of printing it.
    #[arg(long, value_name = "FILE")]
    pub(crate) out: Option<PathBuf>,
}

/// A form that something is written in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Form {
    Csv,
    Json,
    JsonLines,
    Markdown,
    Svg,
    Pdf,
    Vcd,
    Wav,
    Parquet,
}

impl Form {
    fn ending(self) -> &'static str {
        match self {
            Form::Csv => "csv",
            Form::Json => "json",
            Form::JsonLines => "jsonl",
            Form::Markdown => "md",
            Form::Svg => "svg",
            Form::Pdf => "pdf",
            Form::Vcd => "vcd",
            Form::Wav => "wav",
            Form::Parquet => "parquet",
        }
    }
}

impl Output {
    /// The form: the one that the file's name ends with, that of `--json` (the first of JSON that is allowed), else the first of
    /// those that are `allowed`.
    pub(crate) fn form(&self, allowed: &[Form]) -> anyhow::Result<Form> {
        let endings = || {
            let all: Vec<String> = allowed.iter().map(|form| format!(".{}", form.ending())).collect();
            match all.split_last() {
                Some((last, others)) if !others.is_empty() => format!("{} or {last}", others.join(", ")),
                _ => all.concat(),
            }
        };
        if let Some(path) = &self.out {
            let own = path.extension().and_then(|ending| ending.to_str()).map(str::to_lowercase).unwrap_or_default();
            let found = allowed.iter().find(|form| form.ending() == own).copied();
            let Some(form) = found else { bail!("{}: give a name that ends in {}", path.display(), endings()) };
            if self.json && !matches!(form, Form::Json | Form::JsonLines) {
                bail!("--json and {} ask for two forms: leave one out", path.display());
            }
            return Ok(form);
        }
        if self.json {
            let found = allowed.iter().find(|form| matches!(form, Form::Json | Form::JsonLines)).copied();
            let Some(form) = found else { bail!("there is no JSON of this: it has the forms {}", endings()) };
            return Ok(form);
        }
        Ok(allowed[0])
    }

    /// Puts all of it there.
    pub(crate) fn put(&self, bytes: &[u8], what: &str) -> anyhow::Result<()> {
        match &self.out {
            Some(path) => replace(path, bytes),
            None => {
                let mut out = io::stdout().lock();
                printed(out.write_all(bytes).and_then(|()| out.flush()), what)
            }
        }
    }
}

/// Writes a whole file; what is there is replaced.
pub(crate) fn replace(path: &Path, bytes: &[u8]) -> anyhow::Result<()> {
    amber_io::disk::replace(path, bytes)
        .map_err(|error| anyhow::anyhow!("cannot write {}: {}", path.display(), amber_io::disk::remedy(&error)))
}

/// A table as CSV.
pub(crate) fn csv_text(header: &[&str], rows: &[Vec<String>]) -> Vec<u8> {
    let mut writer = csv::Writer::from_writer(Vec::new());
    // Writing to a vector cannot fail.
    let _ = writer.write_record(header);
    rows.iter().for_each(|row| drop(writer.write_record(row)));
    writer.into_inner().unwrap_or_default()
}

/// A table as Markdown.
pub(crate) fn markdown_text(header: &[&str], rows: &[Vec<String>], words: usize) -> Vec<u8> {
    let header = header.iter().map(|text| (*text).to_owned()).collect();
    let table = amber_plot::Block::Table(amber_plot::Table { header, rows: rows.to_vec(), words });
    crate::report::markdown::block(&table).into_bytes()
}
