//! Text split into rows, without a screen: a file or standard input to CSV or JSON.

use amber_core::Stamp;
use amber_core::bench::{Bench, Split};
use amber_core::chain::Chain;
use amber_core::digits::grouped;
use amber_core::split::{Fate, Refusal, STATE_WORDS, Shape, Sink, Splitter};
use amber_core::store::Limits;
use amber_core::tail::visible;
use anyhow::Context;
use serde_json::{Value, json};
use std::fs::File;
use std::io::{self, BufWriter, Read, Write};
use std::path::Path;

/// Bytes that are read at once.
const PIECE: usize = 64 * 1024;

const CANNOT_WRITE: &str = "cannot write the rows";

/// Lines of a kind that the JSON document gives as examples.
const EXAMPLES: usize = 5;

/// Splits `file` (`-` is standard input) and prints its rows.
pub(super) fn run(file: &Path, shape: Option<Shape>, as_json: bool) -> anyhow::Result<u8> {
    let mut input: Box<dyn Read> = if file == Path::new("-") {
        Box::new(io::stdin().lock())
    } else {
        Box::new(File::open(file).with_context(|| format!("cannot read {}", file.display()))?)
    };
    let mut found = Found::new(shape.clone(), BufWriter::new(io::stdout().lock()), as_json);
    let bench = Bench { split: shape.map_or(Split::Auto, Split::Pinned), ..Bench::default() };
    let mut chain = as_json.then(|| Chain::new(bench, Limits::NONE));
    let mut piece = vec![0; PIECE];
    loop {
        let length = match input.read(&mut piece) {
            Ok(0) => break,
            Ok(length) => length,
            Err(error) if error.kind() == io::ErrorKind::Interrupted => continue,
            Err(error) => return Err(error).with_context(|| format!("cannot read {}", file.display())),
        };
        match found.feed(&piece[..length]) {
            // Whoever reads the rows has enough of them.
            Err(error) if error.kind() == io::ErrorKind::BrokenPipe => return Ok(0),
            fed => fed.context(CANNOT_WRITE)?,
        }
        if let Some(chain) = &mut chain {
            chain.feed(Stamp(0), &piece[..length]);
        }
    }
    // The last line may lack its ending.
    found.feed(b"\n").context(CANNOT_WRITE)?;
    match chain {
        Some(chain) => found.print_json(&chain)?,
        None => found.rows.out.flush().context(CANNOT_WRITE)?,
    }
    eprintln!("{}", found.sentence());
    Ok(if found.rows.count == 0 { 3 } else { 0 })
}

struct Found<W> {
    splitter: Splitter,
    rows: Rows<W>,
}

/// What comes of the lines.
struct Rows<W> {
    out: W,
    as_json: bool,
    columns: usize,
    count: u64,
    kept: Vec<Vec<f64>>,
    messages: u64,
    message_lines: Vec<String>,
    refused: [u64; Refusal::ALL.len()],
    refused_lines: Vec<(Refusal, String)>,
    /// Values of columns that came after the header was printed.
    late: u64,
    failed: io::Result<()>,
}

impl<W: Write> Found<W> {
    fn new(shape: Option<Shape>, out: W, as_json: bool) -> Self {
        let rows = Rows {
            out,
            as_json,
            columns: 0,
            count: 0,
            kept: Vec::new(),
            messages: 0,
            message_lines: Vec::new(),
            refused: [0; Refusal::ALL.len()],
            refused_lines: Vec::new(),
            late: 0,
            failed: Ok(()),
        };
        let mut found = Found { splitter: Splitter::new(shape), rows };
        if let Some(shape) = found.splitter.shape() {
            found.rows.shape(shape);
        }
        found
    }

    fn feed(&mut self, bytes: &[u8]) -> io::Result<()> {
        self.splitter.feed(Stamp(0), bytes, &mut self.rows);
        std::mem::replace(&mut self.rows.failed, Ok(()))
    }

    /// What was found, in a sentence.
    fn sentence(&self) -> String {
        let Some(shape) = self.splitter.shape() else {
            return "no shape found: no lines that agree on how numbers are laid out".into();
        };
        let sure = self.splitter.sure().map_or("unsure", |sure| sure.name());
        let mut text = format!("{} ({sure}): {} rows", shape.sentence(), grouped(self.rows.count));
        let refused: u64 = self.rows.refused.iter().sum();
        for (count, what) in
            [(self.rows.messages, "messages"), (refused, "lines refused"), (self.rows.late, "late fields left out")]
        {
            if count > 0 {
                text += &format!(", {} {what}", grouped(count));
            }
        }
        if let Some(offer) = self.splitter.offer() {
            text += &format!("; {}: perhaps --shape '{}'", offer.why, offer.shape);
        }
        text
    }

    fn print_json(&mut self, chain: &Chain) -> anyhow::Result<()> {
        let shape = self.splitter.shape();
        let channel = |channel: &amber_core::chain::Channel| {
            let words = channel.words().map(|pair| [STATE_WORDS[pair].0, STATE_WORDS[pair].1]);
            json!({ "name": channel.name(), "kind": channel.kind().name(), "unit": channel.settings().scale.unit(), "words": words })
        };
        let rows: Vec<Value> = self.rows.kept.iter().map(|row| json!(row)).collect();
        let reasons = Refusal::ALL.into_iter().filter(|why| self.rows.refused[*why as usize] > 0);
        let refused = reasons.map(|why| {
            let lines: Vec<_> =
                self.rows.refused_lines.iter().filter(|(w, _)| *w == why).map(|(_, line)| line).collect();
            json!({ "reason": why.text(), "count": self.rows.refused[why as usize], "examples": lines })
        });
        let document = json!({
            "shape": shape.map(|shape| json!({ "kind": shape.kind(), "spelled": shape.to_string(), "sentence": shape.sentence() })),
            "sure": self.splitter.sure().map(|sure| sure.name()),
            "fit": self.splitter.fit(),
            "offer": self.splitter.offer().map(|offer| json!({ "spelled": offer.shape.to_string(), "why": offer.why })),
            "channels": chain.channels().iter().map(channel).collect::<Vec<_>>(),
            "rows": rows,
            "messages": { "count": self.rows.messages, "examples": self.rows.message_lines },
            "refused": refused.collect::<Vec<_>>(),
        });
        writeln!(self.rows.out, "{document:#}")
            .and_then(|()| self.rows.out.flush())
            .context("cannot write the document")
    }
}

impl<W: Write> Rows<W> {
    fn write_row(&mut self, values: &[f64]) -> io::Result<()> {
        for (i, value) in values.iter().enumerate() {
            if i > 0 {
                self.out.write_all(b",")?;
            }
            if !value.is_nan() {
                write!(self.out, "{value}")?;
            }
        }
        self.out.write_all(b"\r\n")
    }
}

impl<W: Write> Sink for Rows<W> {
    fn shape(&mut self, shape: &Shape) {
        if self.columns > 0 {
            return; // A table cannot grow columns.
        }
        self.columns = shape.columns();
        if !self.as_json {
            // A header line may have named columns with more than plain characters, but never with a comma.
            let names: Vec<String> = (0..self.columns).map(|i| shape.label(i)).collect();
            self.failed = write!(self.out, "{}\r\n", names.join(","));
        }
    }

    fn line(&mut self, _: Stamp, fate: Fate, line: &[u8]) {
        match fate {
            Fate::Message => {
                self.messages += 1;
                if self.message_lines.len() < EXAMPLES {
                    self.message_lines.push(visible(line));
                }
            }
            Fate::Refused(why) => {
                self.refused[why as usize] += 1;
                if self.refused[why as usize] <= EXAMPLES as u64 {
                    self.refused_lines.push((why, visible(&line[..line.len().min(200)])));
                }
            }
            Fate::Row(_) | Fate::Half | Fate::Sent => {}
        }
    }

    fn row(&mut self, _: Stamp, values: &[f64]) {
        self.count += 1;
        let (values, late) = values.split_at(self.columns.min(values.len()));
        self.late += late.iter().filter(|value| !value.is_nan()).count() as u64;
        if self.as_json {
            self.kept.push(values.to_vec());
        } else if self.failed.is_ok() {
            self.failed = self.write_row(values);
        }
    }
}
