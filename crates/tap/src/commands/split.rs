//! Text split into rows, without a screen: a file or standard input to CSV or JSON.

use super::unreadable;
use crate::print::{aside, printed};
use amber_core::Stamp;
use amber_core::bench::{Bench, SourceSettings, Split, WireSettings};
use amber_core::chain::Chain;
use amber_core::clock::Time;
use amber_core::digits::{are_shortest, counted, write_shortest};
use amber_core::interpret::{self, Interpreter, Layout, RowSink};
use amber_core::split::{LineOutcome, Rejection, STATE_WORDS, Shape};
use amber_core::store::Limits;
use amber_core::tail::visible;
use serde_json::json;
use std::fs::File;
use std::io::{self, BufWriter, Read, Write};
use std::path::Path;

/// Bytes that are read at once.
const PIECE: usize = 64 * 1024;

/// Rows that are kept in memory.
const HISTORY: Limits = Limits { seconds: f64::INFINITY, rows: 10_000 };

const ROWS: &str = "the rows";

/// Lines of a kind that the JSON document gives as examples.
const EXAMPLES: usize = 5;

/// Splits `file` (`-` is standard input) and prints its rows.
pub(super) fn run(file: &Path, shape: Option<Shape>, as_json: bool) -> anyhow::Result<u8> {
    let mut input: Box<dyn Read> = if file == Path::new(WireSettings::INPUT) {
        Box::new(io::stdin().lock())
    } else {
        Box::new(File::open(file).map_err(|error| unreadable(file, &error))?)
    };
    let mut found = Found::new(shape.clone(), BufWriter::new(io::stdout().lock()), as_json);
    let bench =
        Bench::of(SourceSettings { split: shape.map_or(Split::Auto, Split::Pinned), ..SourceSettings::default() });
    // Kinds and words of channels are told as the screen tells them; it needs no long history for that.
    let mut chain = as_json.then(|| Chain::new(&bench, 0, HISTORY));
    let mut piece = vec![0; PIECE];
    loop {
        let length = match input.read(&mut piece) {
            Ok(0) => break,
            Ok(length) => length,
            Err(error) if error.kind() == io::ErrorKind::Interrupted => continue,
            Err(error) => return Err(unreadable(file, &error)),
        };
        printed(found.feed(&piece[..length]), ROWS)?;
        if let Some(chain) = &mut chain {
            chain.feed(Stamp(0), &piece[..length]);
        }
    }
    printed(found.end(), ROWS)?;
    if let Some(chain) = &mut chain {
        chain.end();
    }
    match chain {
        Some(chain) => found.print_json(&chain)?,
        None => printed(found.rows.out.flush(), ROWS)?,
    }
    aside(found.sentence());
    Ok(if found.rows.count == 0 { 3 } else { 0 })
}

struct Found<W> {
    interpreter: Interpreter,
    rows: Rows<W>,
}

/// What comes of the lines.
struct Rows<W> {
    out: W,
    as_json: bool,
    layout: Layout,
    /// The channels that have a column, in order; none before the header is written.
    columns: Vec<usize>,
    count: u64,
    messages: u64,
    message_lines: Vec<String>,
    rejected: [u64; Rejection::ALL.len()],
    refused_lines: Vec<(Rejection, String)>,
    /// Values of columns that came after the header was printed.
    late: u64,
    /// Each line is a row, with commas between its numbers.
    is_csv: bool,
    /// Then the lines of the rows that come next, one behind the other, and where each ends; nowhere beyond the one before
    /// where it is not to be printed as it is.
    lines: Vec<u8>,
    ends: Vec<usize>,
    /// Rows as text, kept for its memory.
    text: Vec<u8>,
    failed: io::Result<()>,
}

impl<W: Write> Found<W> {
    fn new(shape: Option<Shape>, out: W, as_json: bool) -> Self {
        let rows = Rows {
            out,
            as_json,
            layout: Layout::default(),
            columns: Vec::new(),
            count: 0,
            messages: 0,
            message_lines: Vec::new(),
            rejected: [0; Rejection::ALL.len()],
            refused_lines: Vec::new(),
            late: 0,
            is_csv: false,
            lines: Vec::new(),
            ends: Vec::new(),
            text: Vec::new(),
            failed: Ok(()),
        };
        // Rows are printed without their times, so none has to wait for its time.
        let interpreter = Interpreter::new(shape, Time::Arrival, &[]).patient();
        let mut found = Found { interpreter, rows };
        found.interpreter.begin(&mut found.rows);
        found
    }

    fn feed(&mut self, bytes: &[u8]) -> io::Result<()> {
        self.interpreter.feed(Stamp(0), bytes, &mut self.rows);
        // No row waits now, so that lines and rows stay side by side.
        self.rows.is_csv = !self.rows.as_json
            && self.interpreter.splitter().is_decided()
            && matches!(self.interpreter.splitter().shape(), Some(Shape::Plain(bare)) if bare.is_csv());
        std::mem::replace(&mut self.rows.failed, Ok(()))
    }

    /// The text has ended; its last line may lack its ending.
    fn end(&mut self) -> io::Result<()> {
        self.interpreter.finish(Some(Stamp(0)), &mut self.rows);
        self.rows.begin();
        std::mem::replace(&mut self.rows.failed, Ok(()))
    }

    /// What was found, in a sentence.
    fn sentence(&self) -> String {
        let Some(shape) = self.interpreter.splitter().shape() else {
            return "no shape found: no lines that agree on how numbers are laid out".into();
        };
        let sure = self.interpreter.splitter().sure().map_or("unsure", |sure| sure.name());
        let mut text = format!("{} ({sure}): {}", shape.sentence(), counted(self.rows.count, "row"));
        let unit = if shape.is_binary() { "frame" } else { "line" };
        let rejected: u64 = self.rows.rejected.iter().sum();
        for (count, one, behind) in [
            (self.rows.messages, "message", ""),
            (rejected, unit, " rejected"),
            (self.rows.late, "late field", " left out"),
        ] {
            if count > 0 {
                text += &format!(", {}{behind}", counted(count, one));
            }
        }
        if let Some(missing) = self.interpreter.splitter().missing().filter(|missing| *missing > 0) {
            text += &format!(", {} missing by their count", counted(missing, "frame"));
        }
        if let Some(uncertain) = self.interpreter.splitter().uncertain() {
            text += &format!("; {uncertain}");
        }
        if let Some(offer) = self.interpreter.splitter().proposal() {
            text += &format!("; {}: perhaps --shape '{}'", offer.why, offer.shape);
        }
        text
    }

    fn print_json(&mut self, chain: &Chain) -> anyhow::Result<()> {
        let shape = self.interpreter.splitter().shape();
        let channel = |channel: &amber_core::chain::Channel| {
            let pair = channel.words().map(|pair| vec![STATE_WORDS[pair].0, STATE_WORDS[pair].1]);
            let codes = &channel.settings().words;
            // A board's own words stand for 0, 1, 2 …
            let own = || (0..).map_while(|code| codes.word(f64::from(code))).collect();
            let words = if codes.is_empty() { pair } else { Some(own()) };
            json!({ "name": channel.name(), "kind": channel.kind().name(), "unit": channel.settings().scale.unit(), "words": words, "states": channel.states() })
        };
        let reasons = Rejection::ALL.into_iter().filter(|why| self.rows.rejected[*why as usize] > 0);
        let rejected = reasons.map(|why| {
            let lines: Vec<_> =
                self.rows.refused_lines.iter().filter(|(w, _)| *w == why).map(|(_, line)| line).collect();
            json!({ "reason": why.text(), "count": self.rows.rejected[why as usize], "examples": lines })
        });
        let document = json!({
            "shape": shape.map(|shape| json!({ "kind": shape.kind(), "spelled": shape.to_string(), "sentence": shape.sentence() })),
            "sure": self.interpreter.splitter().sure().map(|sure| sure.name()),
            "missing": self.interpreter.splitter().missing(),
            "uncertain": self.interpreter.splitter().uncertain(),
            "fit": self.interpreter.splitter().fit(),
            "offer": self.interpreter.splitter().proposal().map(|offer| json!({ "spelled": offer.shape.to_string(), "why": offer.why })),
            "channels": chain.channels().iter().map(channel).collect::<Vec<_>>(),
            "messages": { "count": self.rows.messages, "examples": self.rows.message_lines },
            "rejected": rejected.collect::<Vec<_>>(),
        });
        // The rows stand before it, printed as they came.
        let (begin, rest) = (if self.rows.count == 0 { "{\"rows\":[" } else { "" }, document.to_string());
        let out = &mut self.rows.out;
        let done = writeln!(out, "{begin}],\n{}", rest.trim_start_matches('{')).and_then(|()| out.flush());
        printed(done, "the document")
    }
}

impl<W: Write> Rows<W> {
    /// Prints the header: the columns that are known by now.
    #[cold]
    fn begin(&mut self) {
        if !self.columns.is_empty() {
            return;
        }
        self.columns = self.layout.columns().to_vec();
        if !self.as_json && !self.columns.is_empty() {
            // A header line may have named columns with more than plain characters, but never with a comma.
            let names: Vec<&str> =
                self.columns.iter().map(|channel| self.layout.channels()[*channel].name.as_str()).collect();
            self.failed = write!(self.out, "{}\r\n", names.join(","));
        }
    }

    /// Adds a row to the text that is to be printed.
    fn add_row(&mut self, values: impl Iterator<Item = f64>) {
        self.count += 1;
        let (before, gap, end): (&[u8], &[u8], &[u8]) = match (self.as_json, self.count) {
            (false, _) => (b"", b"", b"\r\n"),
            (true, 1) => (b"{\"rows\":[\n[", b"null", b"]"),
            (true, _) => (b",\n[", b"null", b"]"),
        };
        self.text.extend_from_slice(before);
        for (i, value) in values.enumerate() {
            if i > 0 {
                self.text.push(b',');
            }
            // Neither CSV nor JSON has a word for an infinity.
            if value.is_finite() { write_shortest(value, &mut self.text) } else { self.text.extend_from_slice(gap) }
        }
        self.text.extend_from_slice(end);
    }
}

impl<W: Write> RowSink for Rows<W> {
    fn layout(&mut self, layout: &Layout) {
        self.layout = layout.clone();
    }

    fn gap(&mut self) {}

    fn line(&mut self, _: Stamp, outcome: LineOutcome, line: &[u8]) {
        match outcome {
            LineOutcome::Message => {
                self.messages += 1;
                if self.message_lines.len() < EXAMPLES {
                    self.message_lines.push(visible(line));
                }
            }
            LineOutcome::Rejected(why) => {
                self.rejected[why as usize] += 1;
                if self.rejected[why as usize] <= EXAMPLES as u64 {
                    self.refused_lines.push((why, visible(&line[..line.len().min(200)])));
                }
            }
            LineOutcome::Row(_) if self.is_csv => {
                if are_shortest(line) {
                    self.lines.extend_from_slice(line);
                }
                self.ends.push(self.lines.len());
            }
            LineOutcome::Row(_) | LineOutcome::Half | LineOutcome::Sent => {}
        }
    }

    fn rows(&mut self, rows: &interpret::Rows<'_>) {
        self.begin();
        // A table cannot grow columns.
        let late = rows.raw.iter().skip(self.columns.len()).flatten();
        self.late += late.filter(|raw| !raw.is_nan()).count() as u64;
        let columns = std::mem::take(&mut self.columns);
        self.text.clear();
        let mut begin = 0;
        for row in 0..rows.count() {
            let end = self.ends.get(row).copied().unwrap_or(begin);
            if end > begin {
                // Nothing changed its numbers.
                self.count += 1;
                self.text.extend_from_slice(&self.lines[begin..end]);
                self.text.extend_from_slice(b"\r\n");
                begin = end;
            } else {
                self.add_row(columns.iter().map(|channel| rows.raw[*channel][row]));
            }
        }
        // The line of a row comes before it, perhaps with the batch before.
        let after = rows.count().min(self.ends.len());
        self.ends.drain(..after);
        self.ends.iter_mut().for_each(|end| *end -= begin);
        self.lines.drain(..begin);
        if self.failed.is_ok() {
            self.failed = self.out.write_all(&self.text);
        }
        self.columns = columns;
    }
}
