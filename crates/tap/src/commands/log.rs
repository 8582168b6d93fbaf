//! A take without a screen.

use crate::print::{aside, line};
use crate::session::{LinkOrder, Request, Session};
use crate::shell::Signals;
use amber_core::Stamp;
use amber_core::bench::{Bench, Split};
use amber_core::chain::Chain;
use amber_core::digits::{bytes, clock as clock_text, counted, duration, fixed, grouped};
use amber_core::keep::{Limit, Start};
use amber_core::split::Shape;
use amber_io::take::{From, Keeper, Order, PublishOrder, Report, Summary, TakePlace};
use amber_io::{Command, Feed, HostClock, Link, LinkState, PublishState, Publisher};
use anyhow::{Context, bail};
use crossbeam_channel::{Sender, bounded};
use indicatif::{ProgressBar, ProgressStyle};
use std::io::IsTerminal;
use std::path::PathBuf;
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

/// How long a piece may take from its stamp to here, in seconds.
const SLACK: f64 = 0.02;

/// How long a step waits for news.
const STEP: Duration = Duration::from_millis(20);

/// What is to be done beside what the bench says.
pub(super) struct Wishes {
    /// The log ends after this time.
    pub(super) length: Option<Duration>,
    /// The take's folder; the next free one here where none is given.
    pub(super) out: Option<PathBuf>,
    /// The conditions send their lines.
    pub(super) arm: bool,
    /// The rows are published.
    pub(super) publishes: bool,
}

/// Logs what the bench's source sends, from when its plan says until that ends it, the time is over, a text ends, or Ctrl-C.
pub(super) fn run(bench: Bench, wishes: Wishes) -> anyhow::Result<u8> {
    let Wishes { length, out, arm, publishes } = wishes;
    let keep = &bench.shared.keep;
    let rows = keep.stop.rows();
    let waits = keep.start != Start::Key;
    let mut answers = Answers::of(&bench, arm)?;
    let clock = HostClock::start();
    let signals = Signals::watch()?;
    let is_network = bench.first().wire.is_network();
    let endpoint = super::endpoint(&bench.first().wire)?.to_its_end();
    let link = Link::start(endpoint, clock).context("no thread for the port")?;
    let place = out.map_or_else(|| TakePlace::Next(".".into()), TakePlace::Exactly);
    let publisher = publisher(&bench, publishes)?;
    let publish = publisher.as_ref().and_then(Publisher::outlet).map(|outlet| {
        let bench = bench.clone();
        Order::Publish(Box::new(PublishOrder { bench, outlet }))
    });
    let start = |from| Order::Start { place, bench: Box::new(bench), from };
    let (first, later) = if waits { (None, Some(start(From::Now))) } else { (Some(start(From::Opening)), None) };
    let first: Vec<Order> = first.into_iter().chain(publish).collect();
    let keeper = Keeper::start_with(link.keeper.clone(), clock, first).context("no thread for the take")?;
    let begun = Begun { opened: Instant::now(), take: None, waits };
    let progress = Progress::start(length, rows)?;
    if let Some(answers) = answers.as_mut().filter(|_| waits) {
        answers.wait(clock.now())?;
    }
    let (saved, keeper_ref) = (None, &keeper);
    let published = publisher.as_ref().map(|publisher| (publisher, PublishState::default()));
    let mut log =
        Log { link: &link, keeper: keeper_ref, clock, progress, rows, length, begun, saved, answers, later, published };
    let end = log.follow(&signals);
    let Log { progress, saved, answers, .. } = log;
    drop(link);
    let last = keeper.join();
    // The keeper has given the last rows.
    let published = publisher.map(Publisher::finish);
    // All is kept by now; a terminal that takes no words holds nobody up for long.
    signals.end_at_last();
    drop(progress);
    let end = end?;
    let mut summary = saved;
    for report in last {
        match report {
            Report::Stopped(stopped) => summary = Some(stopped),
            Report::Failed { error, kept } => {
                kept.iter().try_for_each(print)?;
                return Err(error.into());
            }
            _ => {}
        }
    }
    let interrupted = |signal: u8| 128 + signal;
    let Some(summary) = summary else {
        let hint =
            if is_network { "does anything send there?" } else { "is the board powered? --baud sets the baud rate" };
        aside(format_args!("amber-tap: no data arrived, so no take was made: {hint}"));
        return Ok(if let End::Interrupted(signal) = end { interrupted(signal) } else { 3 });
    };
    print(&summary)?;
    if let Some(state) = published {
        line(format!("published {}", crate::session::published(&state)), "the summary")?;
    }
    if let Some(sent) = answers.and_then(|answers| answers.session.sendings()) {
        line(format!("answers   {sent}"), "the summary")?;
    }
    if summary.tally.rows == 0 {
        let folder = summary.folder.display();
        let why = why_no_row(&summary);
        aside(format_args!("amber-tap: no row was received, {why}; the bytes are in {folder}/wire.bin"));
        return Ok(if let End::Interrupted(signal) = end { interrupted(signal) } else { 3 });
    }
    let all = rows.is_some_and(|rows| summary.tally.table_rows >= rows);
    let asked = rows.is_some() || length.is_some();
    Ok(match end {
        End::OfText if asked && !all => {
            aside("amber-tap: the text ended before that");
            0
        }
        End::Interrupted(signal) if asked && !all => interrupted(signal),
        _ => 0,
    })
}

/// Who publishes the rows, where they are to be.
fn publisher(bench: &Bench, publishes: bool) -> anyhow::Result<Option<Publisher>> {
    if !publishes {
        return Ok(None);
    }
    let publisher = super::publisher(&bench.shared.publish, &bench.shared.name);
    publisher.map(Some).map_err(|why| anyhow::anyhow!("nothing can be published: {why}"))
}

/// What is suspected where bytes came and no row, and what to try.
fn why_no_row(summary: &Summary) -> String {
    let tally = summary.tally;
    if tally.unread > 0 && tally.unread == summary.bytes {
        return "it was readable at none of the baud rates that were tried: set one with --baud".into();
    }
    if tally.unreadable * 2 > tally.rejected || (tally.rejected + tally.messages == 0 && summary.bytes > 0) {
        return "most of it is not readable text, perhaps the baud rate is wrong: leave out --baud to have it detected"
            .into();
    }
    if summary.bytes == 0 {
        return "nothing arrived: does anything send there?".into();
    }
    if tally.rejected == 0 {
        return format!(
            "only {} without numbers: does the board print its readings?",
            counted(tally.messages, "message")
        );
    }
    "the lines do not agree on a shape: look at them with amber-tap split, and pin a shape in the bench".into()
}

/// Why a log ended.
enum End {
    /// What was asked for is there.
    Reached,
    /// The text is over.
    OfText,
    /// Somebody ended it, by this signal.
    Interrupted(u8),
}

/// Since when it goes on.
struct Begun {
    /// The port was opened, or is being opened.
    opened: Instant,
    /// The take began.
    take: Option<Instant>,
    /// The take begins later, by its plan.
    waits: bool,
}

impl Begun {
    /// A time that was asked for counts from the take's beginning; while there is none, from the port's opening.
    fn elapsed(&self) -> Duration {
        self.take.unwrap_or(self.opened).elapsed()
    }

    /// Whether the time that was asked for is over.
    fn is_over(&self, length: Duration) -> bool {
        if self.waits && self.take.is_none() {
            return false;
        }
        self.elapsed() >= length
    }
}

struct Log<'a> {
    link: &'a Link,
    keeper: &'a Keeper,
    progress: Progress,
    rows: Option<u64>,
    length: Option<Duration>,
    begun: Begun,
    saved: Option<Summary>,
    clock: HostClock,
    answers: Option<Answers>,
    /// The order that begins the take, where it waits.
    later: Option<Order>,
    /// Who publishes the rows, and how that stood when it was looked at last.
    published: Option<(&'a Publisher, PublishState)>,
}

/// What the conditions of the bench are answered with, by the same session as behind a screen.
struct Answers {
    session: Session,
}

impl Answers {
    /// None where there is nothing to answer.
    fn of(bench: &Bench, arm: bool) -> anyhow::Result<Option<Answers>> {
        let conditions = &bench.first().condition;
        let keep = &bench.shared.keep;
        let has_plan = keep.start != Start::Key || keep.stop.0.iter().any(|limit| matches!(limit, Limit::On(_)));
        let is_asked = matches!(bench.first().split, Split::Pinned(Shape::Pins(_) | Shape::Polled(_)));
        if !has_plan
            && !is_asked
            && conditions.iter().all(|condition| condition.bypassed || condition.answer.is_empty())
        {
            if arm {
                bail!("--arm: no condition of the bench answers anything");
            }
            return Ok(None);
        }
        let chain = Chain::new(bench, 0, bench.shared.history);
        let mut session = Session::live(chain, bench.shared.clone(), ".".into(), None, Stamp(0));
        if arm {
            // Nothing has come yet that would be sent for at once.
            let _ = session.toggle_armed();
            if !session.is_armed() {
                bail!("--arm: no condition of the bench sends anything");
            }
        }
        Ok(Some(Answers { session }))
    }

    /// The take waits for what starts it.
    fn wait(&mut self, now: Stamp) -> anyhow::Result<()> {
        self.session.now = now;
        let _ = self.session.toggle_take();
        let notice = self.session.notice.take();
        if !self.session.taking.runs() {
            bail!(notice.map_or("the take cannot be started by its plan".to_owned(), |notice| notice.text));
        }
        aside(format_args!("the take starts {}; Ctrl-C cancels it", self.session.shared().keep.start));
        Ok(())
    }
}

impl Log<'_> {
    /// Follows the take, which the keeper writes, until it is to end.
    fn follow(&mut self, signals: &Signals) -> anyhow::Result<End> {
        loop {
            if let Some(signal) = signals.ended() {
                return self.stop(End::Interrupted(signal));
            }
            if self.length.is_some_and(|length| self.begun.is_over(length)) {
                return self.stop(End::Reached);
            }
            if let Some(answers) = self.answers.as_mut().filter(|_| signals.went_on()) {
                answers.session.goes_on();
            }
            if self.answer()? {
                return self.stop(End::Reached);
            }
            if let Some((publisher, before)) = &mut self.published {
                let state = publisher.state();
                let news = crate::session::news(before, &state);
                *before = state;
                news.into_iter().for_each(|(text, _)| self.progress.tell(Told::Line(text)));
            }
            crossbeam_channel::select! {
                recv(self.link.engine) -> feed => match feed.inspect(|feed| self.take_in(feed)) {
                    Ok(Feed::Ended(_)) => return self.stop(End::OfText),
                    Ok(Feed::State(LinkState::Waiting { problem, pause })) => {
                        // Nobody watches, so a port that does not open is an error and not something to wait for.
                        if self.begun.take.is_none() {
                            bail!("{problem}");
                        }
                        let pause = duration(pause.as_secs_f64());
                        self.progress.tell(Told::Line(format!("{problem}; retrying in {pause}")));
                    }
                    Ok(_) => {}
                    Err(_) => bail!("the port's thread has ended; what was recorded is kept"),
                },
                recv(self.keeper.reports) -> report => match report {
                    Ok(Report::Started { folder, since }) => {
                        self.begun.take = Some(Instant::now());
                        if let Some(answers) = &mut self.answers {
                            answers.session.hear_keeper(0, Report::Started { folder, since });
                        }
                    }
                    Ok(Report::Saved(summary)) => self.show(summary),
                    Ok(Report::Stopped(summary)) => {
                        self.saved = Some(summary);
                        return Ok(End::Reached);
                    }
                    Ok(Report::Failed { error, kept }) => {
                        kept.iter().try_for_each(print)?;
                        return Err(error.into());
                    }
                    Ok(Report::Moved(folder)) => {
                        let place = folder.display();
                        self.progress.tell(Told::Line(format!("the folder of the take was renamed: it goes on in {place}")));
                    }
                    Ok(Report::Renewed { error, folder, .. }) => {
                        let place = folder.display();
                        let text = format!("{error}: what is in memory is in {place}, and the take goes on there");
                        self.progress.tell(Told::Line(text));
                    }
                    Ok(Report::Marked(_)) => {}
                    Err(_) => bail!("the take's thread ended"),
                },
                default(STEP) => {}
            }
        }
    }

    /// What came goes to the conditions too.
    fn take_in(&mut self, feed: &Feed) {
        if let Some(answers) = &mut self.answers {
            answers.session.note_running(self.clock.now());
            answers.session.feed(0, feed.clone());
        }
    }

    /// Gives the answers that are due; gives whether one of them ends the take.
    fn answer(&mut self) -> anyhow::Result<bool> {
        let Some(Answers { session }) = &mut self.answers else { return Ok(false) };
        session.note_running(self.clock.now());
        let mut requests = session.answer(0);
        if self.link.engine.is_empty() {
            requests.extend(session.pass_time(self.clock.now().plus(-SLACK)));
        }
        requests.extend(session.ask(self.clock.now()));
        requests.extend(session.follow_plan(self.clock.now()));
        session.follow_blocks();
        requests.extend(session.blocks_to_write());
        let wrong = session.notice.take().filter(|notice| notice.bad).map(|notice| notice.text);
        wrong.into_iter().for_each(|text| self.progress.tell(Told::Line(text)));
        for request in requests {
            match request {
                Request::Mark(mark) => {
                    self.keeper.orders.send(Order::Mark(mark)).context("the take's thread ended")?;
                }
                Request::Tell(_, LinkOrder::Send(bytes)) => {
                    let is_told = self.link.tell(Command::Send(bytes)).is_ok();
                    let wrong = (!is_told).then(|| "the port is busy: a line was not sent".to_owned());
                    wrong.into_iter().for_each(|text| self.progress.tell(Told::Line(text)));
                }
                Request::KeepBlock { take, block } => {
                    if let Err(error) = amber_io::take::save_block(&take, &block) {
                        let why = amber_io::disk::remedy(&error);
                        self.progress.tell(Told::Line(format!("a block was not written: {why}")));
                    }
                }
                Request::StopTake => return Ok(true),
                Request::StartTake { .. } => {
                    let later = self.later.take();
                    later.map_or(Ok(()), |order| self.keeper.orders.send(order)).context("the take's thread ended")?;
                }
                // Bell and flash are for a screen.
                _ => {}
            }
        }
        Ok(false)
    }

    fn stop(&self, end: End) -> anyhow::Result<End> {
        self.keeper.orders.send(Order::Stop).context("the take's thread ended")?;
        Ok(end)
    }

    fn show(&mut self, summary: Summary) {
        let elapsed = self.begun.elapsed();
        let tally = summary.tally;
        let done = match (self.rows, self.length) {
            (Some(_), _) => tally.table_rows,
            _ => elapsed.as_millis() as u64,
        };
        let rejected =
            if tally.rejected > 0 { format!(", {} rejected", grouped(tally.rejected)) } else { String::new() };
        let message = format!("{}  {}{rejected}", clock_text(elapsed.as_secs_f64()), counted(tally.rows, "row"));
        self.progress.tell(Told::Done(done, message));
    }
}

/// A bar on standard error. A thread of its own draws it, so that a terminal that takes nothing holds nobody up.
struct Progress {
    tell: Option<Sender<Told>>,
    thread: Option<JoinHandle<()>>,
}

/// What it is told.
enum Told {
    /// So much is done, in rows or milliseconds, and a word on it.
    Done(u64, String),
    /// Something to be read.
    Line(String),
}

impl Progress {
    fn start(length: Option<Duration>, rows: Option<u64>) -> anyhow::Result<Progress> {
        let (tell, told) = bounded::<Told>(64);
        let draw = move || {
            let bar = bar(length, rows);
            for told in told {
                match told {
                    Told::Done(done, message) => {
                        bar.set_position(done);
                        bar.set_message(message);
                    }
                    Told::Line(text) => bar.suspend(|| aside(text)),
                }
            }
            bar.finish_and_clear();
        };
        let thread =
            std::thread::Builder::new().name("progress".into()).spawn(draw).context("no thread for the bar")?;
        Ok(Progress { tell: Some(tell), thread: Some(thread) })
    }

    fn tell(&self, told: Told) {
        // A bar that is behind is drawn with the next that it is told.
        if let Some(tell) = &self.tell {
            let _ = tell.try_send(told);
        }
    }
}

impl Drop for Progress {
    fn drop(&mut self) {
        self.tell = None;
        if let Some(thread) = self.thread.take() {
            // Its fault has been remembered.
            let _ = thread.join();
        }
    }
}

fn bar(length: Option<Duration>, rows: Option<u64>) -> ProgressBar {
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

fn print(summary: &Summary) -> anyhow::Result<()> {
    let tally = summary.tally;
    let over = tally.times.map(|(first, last)| last.seconds_since(first));
    let over = over.map_or(String::new(), |seconds| format!(" over {} s", fixed(seconds, 2)));
    let rate = tally.rate().map_or(String::new(), |rate| format!(", {} a second", fixed(rate, 1)));
    let mut lines = vec![
        format!("take      {}", summary.folder.display()),
        format!("rows      {}{over}{rate}", grouped(tally.rows)),
        format!("bytes     {}", bytes(summary.bytes)),
        format!("messages  {}", grouped(tally.messages)),
        format!("rejected  {}", grouped(tally.rejected)),
    ];
    if tally.events > 0 {
        lines.push(format!("events    {}", grouped(tally.events)));
    }
    if tally.late_values > 0 {
        let values = counted(tally.late_values, "value");
        lines.push(format!("late      {values} of channels that appeared after the header, in late.csv"));
    }
    if tally.text_times {
        lines.push("time      counted from the start of the text; when it was written is not known".into());
    }
    lines.extend(summary.troubles.iter().map(|trouble| format!("note      {trouble}")));
    line(lines.join("\n"), "the summary")
}
