//! A take without a screen.

use crate::shell;
use amber_core::bench::Bench;
use amber_core::digits::{bytes, clock as clock_text, counted, fixed, grouped};
use amber_io::take::{From, Keeper, Order, Place, Report, Summary};
use amber_io::{Feed, HostClock, Link, LinkState, Wanted};
use anyhow::{Context, bail};
use indicatif::{ProgressBar, ProgressStyle};
use std::io::IsTerminal;
use std::path::PathBuf;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// How long a step waits for news.
const STEP: Duration = Duration::from_millis(20);

/// Logs what the bench's source sends until `length` or `rows` are reached, a text ends, or Ctrl-C.
pub(super) fn run(
    bench: Bench,
    length: Option<Duration>,
    rows: Option<u64>,
    out: Option<PathBuf>,
) -> anyhow::Result<u8> {
    let clock = HostClock::start();
    let ended = shell::interrupted()?;
    let (path, board) = super::resolve(&bench.first().wire.port)?;
    let link =
        Link::start(Wanted::of(&bench.first().wire, path).to_its_end(), clock).context("no thread for the port")?;
    let place = out.map_or_else(|| Place::Next(".".into()), Place::Exactly);
    let start = Order::Start { place, bench: Box::new(bench), from: From::Opening, rows };
    let keeper = Keeper::start_with(link.keeper.clone(), clock, Some(start)).context("no thread for the take")?;
    let mut log =
        Log { link: &link, keeper: &keeper, bar: progress(length, rows), rows, length, begun: None, saved: None };
    let end = log.follow(&ended);
    log.bar.finish_and_clear();
    let saved = log.saved.take();
    drop(link);
    let last = keeper.join();
    drop(board);
    let end = end?;
    let mut summary = saved;
    for report in last {
        match report {
            Report::Stopped(stopped) => summary = Some(stopped),
            Report::Failed { error, kept } => {
                kept.iter().for_each(print);
                return Err(error.into());
            }
            _ => {}
        }
    }
    let Some(summary) = summary else { bail!("ended before the port was open") };
    print(&summary);
    if summary.tally.rows == 0 {
        eprintln!("amber-tap: not a single row came; the bytes are in {}/wire.bin", summary.folder.display());
        return Ok(3);
    }
    let all = rows.is_some_and(|rows| summary.tally.rows >= rows);
    let asked = rows.is_some() || length.is_some();
    Ok(match end {
        End::OfText if asked && !all => {
            eprintln!("amber-tap: the text ended before that");
            0
        }
        End::Interrupted if asked && !all => 130,
        _ => 0,
    })
}

/// Why a log ended.
enum End {
    /// What was asked for is there.
    Reached,
    /// The text is over.
    OfText,
    /// Somebody ended it.
    Interrupted,
}

struct Log<'a> {
    link: &'a Link,
    keeper: &'a Keeper,
    bar: ProgressBar,
    rows: Option<u64>,
    length: Option<Duration>,
    /// When the take began.
    begun: Option<Instant>,
    saved: Option<Summary>,
}

impl Log<'_> {
    /// Follows the take, which the keeper writes, until it is to end.
    fn follow(&mut self, ended: &AtomicBool) -> anyhow::Result<End> {
        loop {
            if ended.load(Ordering::Relaxed) {
                return self.stop(End::Interrupted);
            }
            if self.length.zip(self.begun).is_some_and(|(length, begun)| begun.elapsed() >= length) {
                return self.stop(End::Reached);
            }
            crossbeam_channel::select! {
                recv(self.link.engine) -> feed => match feed {
                    Ok(Feed::Ended(_)) => return self.stop(End::OfText),
                    Ok(Feed::State(LinkState::Waiting { problem, pause })) => {
                        // Nobody watches, so a port that does not open is an error and not something to wait for.
                        if self.begun.is_none() {
                            bail!("{problem}");
                        }
                        let pause = clock_text(pause.as_secs_f64());
                        self.bar.suspend(|| eprintln!("{problem}; tried again in {pause}"));
                    }
                    Ok(_) => {}
                    Err(_) => bail!("the port's thread ended"),
                },
                recv(self.keeper.reports) -> report => match report {
                    Ok(Report::Started(_)) => self.begun = Some(Instant::now()),
                    Ok(Report::Saved(summary)) => self.show(summary),
                    Ok(Report::Stopped(summary)) => {
                        self.saved = Some(summary);
                        return Ok(End::Reached);
                    }
                    Ok(Report::Failed { error, kept }) => {
                        self.bar.finish_and_clear();
                        kept.iter().for_each(print);
                        return Err(error.into());
                    }
                    Ok(Report::Marked { .. }) => {}
                    Err(_) => bail!("the take's thread ended"),
                },
                default(STEP) => {}
            }
        }
    }

    fn stop(&self, end: End) -> anyhow::Result<End> {
        self.keeper.orders.send(Order::Stop).context("the take's thread ended")?;
        Ok(end)
    }

    fn show(&mut self, summary: Summary) {
        let elapsed = self.begun.map_or(Duration::ZERO, |begun| begun.elapsed());
        let tally = summary.tally;
        match (self.rows, self.length) {
            (Some(_), _) => self.bar.set_position(tally.rows),
            (None, Some(_)) => self.bar.set_position(elapsed.as_millis() as u64),
            (None, None) => self.bar.tick(),
        }
        let refused = if tally.refused > 0 { format!(", {} refused", grouped(tally.refused)) } else { String::new() };
        self.bar.set_message(format!("{}  {}{refused}", clock_text(elapsed.as_secs_f64()), counted(tally.rows, "row")));
    }
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

fn print(summary: &Summary) {
    let tally = summary.tally;
    println!("take      {}", summary.folder.display());
    let over = tally.times.map(|(first, last)| last.seconds_since(first));
    let over = over.map_or(String::new(), |seconds| format!(" over {} s", fixed(seconds, 2)));
    let rate = tally.rate().map_or(String::new(), |rate| format!(", {} a second", fixed(rate, 1)));
    println!("rows      {}{over}{rate}", grouped(tally.rows));
    println!("bytes     {}", bytes(summary.bytes));
    println!("messages  {}", grouped(tally.messages));
    println!("refused   {}", grouped(tally.refused));
    if tally.late_fields > 0 {
        let fields = counted(tally.late_fields, "field");
        println!("late      {fields} of channels that came after the header, only in wire.bin");
    }
    if tally.text_times {
        println!("time      counted from the start of the text; when it was written is not known");
    }
    summary.troubles.iter().for_each(|trouble| println!("note      {trouble}"));
}
