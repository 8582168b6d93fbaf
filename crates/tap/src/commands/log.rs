//! A take without a screen.

use crate::shell;
use amber_core::bench::Bench;
use amber_core::digits::{bytes, clock as clock_text, fixed, grouped};
use amber_io::take::{CHECKPOINT, Place, Summary, Writer};
use amber_io::{Feed, HostClock, Link, LinkState, Wanted};
use anyhow::{Context, bail};
use crossbeam_channel::RecvTimeoutError;
use indicatif::{ProgressBar, ProgressStyle};
use std::io::IsTerminal;
use std::path::PathBuf;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// How long a step waits for bytes.
const STEP: Duration = Duration::from_millis(20);

/// Logs what the bench's source sends until `length` or `rows` are reached, or Ctrl-C.
pub(super) fn run(
    bench: Bench,
    length: Option<Duration>,
    rows: Option<u64>,
    out: Option<PathBuf>,
) -> anyhow::Result<u8> {
    let clock = HostClock::start();
    let ended = shell::interrupted()?;
    let (path, board) = super::resolve(&bench.source.port)?;
    let link = Link::start(Wanted::of(&bench.source, path), clock).context("no thread for the port")?;
    wait_until_open(&link, &ended)?;
    let place = out.map_or_else(|| Place::Next(".".into()), Place::Exactly);
    let writer = Writer::create(&place, bench, clock.now(), true)?;
    let bar = progress(length, rows);
    let (writer, reached) = Logging { writer, link: &link, clock, bar: &bar, length, rows }.until(&ended)?;
    bar.finish_and_clear();
    let summary = writer.finish(clock.now())?;
    drop(link);
    drop(board);
    print(&summary);
    if summary.tally.rows == 0 {
        eprintln!("amber-tap: not a single row came; the bytes are in {}/wire.bin", summary.folder.display());
        return Ok(3);
    }
    let set = length.is_some() || rows.is_some();
    Ok(if set && !reached { 130 } else { 0 })
}

/// Nobody watches, so a port that does not open is an error and not something to wait for.
fn wait_until_open(link: &Link, ended: &AtomicBool) -> anyhow::Result<()> {
    while !ended.load(Ordering::Relaxed) {
        match link.keeper.recv_timeout(STEP) {
            Ok(Feed::State(LinkState::Open { .. })) => return Ok(()),
            Ok(Feed::State(LinkState::Waiting { problem, .. })) => bail!("{problem}"),
            Ok(_) | Err(RecvTimeoutError::Timeout) => {}
            Err(RecvTimeoutError::Disconnected) => bail!("the port's thread ended"),
        }
    }
    bail!("ended before the port was open")
}

fn progress(length: Option<Duration>, rows: Option<u64>) -> ProgressBar {
    if !std::io::stderr().is_terminal() {
        return ProgressBar::hidden();
    }
    let (bar, template) = match (rows, length) {
        (Some(rows), _) => (ProgressBar::new(rows), "{bar:40} {pos} of {len} rows  {msg}"),
        (None, Some(length)) => (ProgressBar::new(length.as_millis() as u64), "{bar:40} {percent} %  {msg}"),
        (None, None) => (ProgressBar::new_spinner(), "{spinner} {msg}  (Ctrl-C ends the take)"),
    };
    bar.with_style(ProgressStyle::with_template(template).unwrap_or_else(|_| ProgressStyle::default_bar()))
}

struct Logging<'a> {
    writer: Writer,
    link: &'a Link,
    clock: HostClock,
    bar: &'a ProgressBar,
    length: Option<Duration>,
    rows: Option<u64>,
}

impl Logging<'_> {
    /// Gives the writer back, and whether what was asked for was reached.
    fn until(mut self, ended: &AtomicBool) -> anyhow::Result<(Writer, bool)> {
        let begun = Instant::now();
        let mut saved = Instant::now();
        let mut reached = false;
        let mut done = Ok(());
        while !reached && done.is_ok() && !ended.load(Ordering::Relaxed) {
            // The engine's copy is of no use here.
            while self.link.engine.try_recv().is_ok() {}
            done = match self.link.keeper.recv_timeout(STEP) {
                Ok(Feed::Chunk(chunk)) => self.keep(chunk.at, &chunk.bytes),
                Ok(Feed::Joined(at) | Feed::Begun(at)) => {
                    self.writer.join(at);
                    Ok(())
                }
                Ok(Feed::State(LinkState::Ended)) => break,
                Ok(Feed::State(LinkState::Waiting { problem, pause })) => {
                    self.bar.suspend(|| eprintln!("{problem}; tried again in {}", clock_text(pause.as_secs_f64())));
                    Ok(())
                }
                Ok(_) | Err(_) => Ok(()),
            };
            reached = self.rows.is_some_and(|rows| self.writer.tally().rows >= rows)
                || self.length.is_some_and(|length| begun.elapsed() >= length);
            if done.is_ok() && saved.elapsed() >= CHECKPOINT {
                saved = Instant::now();
                done = self.writer.checkpoint(self.clock.now()).map(drop);
                self.show(begun.elapsed());
            }
        }
        match done {
            Ok(()) => Ok((self.writer, reached)),
            Err(error) => {
                self.bar.finish_and_clear();
                print(&self.writer.give_up());
                Err(error.into())
            }
        }
    }

    /// Keeps a chunk; the last one only up to the row that was asked for.
    fn keep(&mut self, at: amber_core::Stamp, bytes: &[u8]) -> Result<(), amber_io::take::TakeError> {
        let Some(rows) = self.rows else { return self.writer.chunk(at, bytes) };
        for line in bytes.split_inclusive(|b| matches!(b, b'\n' | b'\r')) {
            if self.writer.tally().rows >= rows {
                break;
            }
            self.writer.chunk(at, line)?;
        }
        Ok(())
    }

    fn show(&self, elapsed: Duration) {
        let tally = self.writer.tally();
        match (self.rows, self.length) {
            (Some(_), _) => self.bar.set_position(tally.rows),
            (None, Some(_)) => self.bar.set_position(elapsed.as_millis() as u64),
            (None, None) => self.bar.tick(),
        }
        let refused = if tally.refused > 0 { format!(", {} refused", grouped(tally.refused)) } else { String::new() };
        self.bar.set_message(format!("{}  {} rows{refused}", clock_text(elapsed.as_secs_f64()), grouped(tally.rows)));
    }
}

fn print(summary: &Summary) {
    let tally = summary.tally;
    let rate = tally.rows as f64 / summary.seconds.max(1e-9);
    println!("take      {}", summary.folder.display());
    println!("rows      {} in {} s, {} a second", grouped(tally.rows), fixed(summary.seconds, 1), fixed(rate, 1));
    println!("bytes     {}", bytes(summary.bytes));
    println!("messages  {}", grouped(tally.messages));
    println!("refused   {}", grouped(tally.refused));
    if tally.late_fields > 0 {
        println!(
            "late      {} fields of channels that came after the header, only in wire.bin",
            grouped(tally.late_fields)
        );
    }
}
