//! The event loop: drain all input, take in the data that waits, then draw if something changed and a frame is due.

mod requests;

use super::Signals;
use super::input::{Arrived, Gone, Input};
use super::jobs::Jobs;
use super::pacing::Pacer;
use super::terminal::Screen;
use crate::app::{App, Message};
use crate::crash;
use crate::recent::{Recent, stem};
use crate::screen::{self, Change, Drawn};
use crate::session::{Request, TaskKind};
use crate::theme::{Depth, Theme};
use amber_io::take::{Keeper, OpenedTake, Report};
use amber_io::{Command, Feed, HostClock, Link, LinkState, PublishState, Publisher};
use anyhow::bail;
use crossbeam_channel::{Receiver, Select, TryRecvError};
use crossterm::event::{Event, KeyCode, KeyEvent, KeyEventKind, KeyModifiers};
use std::time::{Duration, Instant};

/// How often the screen is looked after when nothing comes.
const TICK: Duration = Duration::from_millis(200);

/// So many pieces between two frames are few: a channel holds many times more.
const FEW: usize = 32;

/// How long a piece may take from its stamp to here, in seconds.
const SLACK: f64 = 0.02;

/// How long data are taken in before the next look at the keys.
const SLICE: Duration = Duration::from_millis(6);

/// A live source: the link and the keeper.
pub(crate) struct Live {
    pub(crate) link: Link,
    pub(crate) keeper: Keeper,
}

/// The terminal, taken over: what is shown and what is typed.
pub(crate) struct Front {
    pub(super) screen: Screen,
    pub(super) input: Input,
}

impl Front {
    /// Takes the terminal over; it is given back when this is dropped.
    ///
    /// # Errors
    /// When it cannot be had.
    pub(crate) fn take_over() -> anyhow::Result<Front> {
        Ok(Front { screen: Screen::take_over()?, input: Input::start()? })
    }
}

struct Shell<'a> {
    app: &'a mut App,
    /// The sources in their order; none for takes.
    live: &'a mut Vec<Live>,
    clock: HostClock,
    publisher: Option<Publisher>,
    jobs: Jobs<Kind, Message>,
    /// What the terminal is to do beside showing frames.
    aside: Vec<Aside>,
    over: bool,
    /// Something came from the sources that the screen has not looked at.
    has_news: bool,
    /// A person acted.
    has_acted: bool,
    /// Pieces that the sources gave when they were looked at last.
    pieces: usize,
    /// The takes that are to be shown next.
    next: Option<Takes>,
}

/// What is done by threads of their own: jobs of one kind come one after the other.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
enum Kind {
    Task(TaskKind),
    Bench,
    Figure,
    Publish,
}

/// Something that the terminal does beside showing frames.
enum Aside {
    Ring,
    Copy(String),
    Suspend,
}

/// Takes that were opened, each with the name of its source.
type Takes = Vec<(String, OpenedTake)>;

/// What is left when the screen is not shown any more.
pub(crate) struct Ended {
    /// The reports of takes that were ended by that.
    pub(crate) reports: Vec<Report>,
    /// What became of messages that were being published.
    pub(crate) published: Option<PublishState>,
    /// Why it failed, if it did.
    pub(crate) shown: anyhow::Result<()>,
    /// The takes that are to be shown next, on the same terminal; else that is given back.
    pub(crate) next: Option<(Takes, Front)>,
}

/// Shows `app` until the person quits, the end is asked for, or something fails.
/// `first`: what is to be done before anything else.
pub(crate) fn run(
    mut app: App,
    mut live: Vec<Live>,
    clock: HostClock,
    signals: &Signals,
    mut front: Front,
    first: Vec<Request>,
) -> Ended {
    let (jobs, aside) = (Jobs::new(), Vec::new());
    let mut shell = Shell {
        app: &mut app,
        live: &mut live,
        clock,
        publisher: None,
        jobs,
        aside,
        over: false,
        has_news: true,
        has_acted: false,
        pieces: 0,
        next: None,
    };
    shell.app.session.defer();
    let begun = first.into_iter().try_for_each(|request| shell.run_request(request));
    let shown = begun.and_then(|()| shell.show(signals, &mut front));
    shell.app.session.cancel_tasks();
    let next = shell.next.take().filter(|_| shown.is_ok()).map(|takes| (takes, front));
    shell.jobs.finish();
    let publisher = shell.publisher.take();
    let mut reports = Vec::new();
    for Live { link, keeper } in live {
        drop(link);
        reports.extend(keeper.join());
    }
    // The keepers have given the last rows.
    let published = publisher.map(Publisher::finish);
    Ended { reports, published, shown, next }
}

/// Whether this key stops the program, as it does at a shell.
pub(super) fn is_suspend(key: KeyEvent) -> bool {
    key.code == KeyCode::Char('z') && key.modifiers == KeyModifiers::CONTROL && key.kind != KeyEventKind::Release
}

impl Shell<'_> {
    fn show(&mut self, signals: &Signals, front: &mut Front) -> anyhow::Result<()> {
        let theme = Theme::new(Depth::from_environment(|name| std::env::var(name).ok()));
        let Front { screen, input } = front;
        let mut pacer = Pacer::new(Instant::now());
        let mut drawn = Drawn::default();
        let mut change = Change::All;
        let mut progress = None;
        while !self.over && signals.ended().is_none() {
            if let Some(fault) = crash::seen() {
                bail!(fault);
            }
            if signals.went_on() {
                self.app.session.goes_on();
                screen.begin_again()?;
                change = Change::All;
            }
            // What is played moves with every frame.
            self.has_news |= self.app.session.plays();
            // A terminal that is still busy with the last frame is not waited for; it says when it is done.
            let is_ready = screen.is_ready()?;
            let idle = change == Change::None && !self.has_news;
            let wait = if idle || !is_ready { TICK } else { pacer.wait(Instant::now()) };
            let next = self.app.rooms.talk.next_due(self.clock.now());
            let next = next.into_iter().chain(self.app.session.next_ask(self.clock.now())).reduce(f64::min);
            let wait = next.map_or(wait, |seconds| Duration::from_secs_f64(seconds).min(wait));
            // What had come by now is taken in before it is asked whether there was silence.
            let before = self.clock.now().plus(-SLACK);
            change = change.max(self.wait(input, screen, wait)?);
            if self.live.iter().all(|live| live.link.engine.is_empty()) {
                for request in self.app.session.pass_time(before) {
                    self.run_request(request)?;
                }
            }
            if let Some(publisher) = &self.publisher
                && self.app.session.hear_publisher(publisher.state())
            {
                change = Change::All;
            }
            for request in self.app.session.ask(self.clock.now()) {
                self.run_request(request)?;
            }
            if std::mem::take(&mut self.has_acted) {
                pacer.act(Instant::now());
            }
            for request in self.app.rooms.talk.due(self.clock.now()) {
                self.run_request(request)?;
            }
            for request in self.app.session.follow_plan(self.clock.now()) {
                self.run_request(request)?;
            }
            for task in self.app.session.take_tasks() {
                self.start_task(task)?;
            }
            for aside in std::mem::take(&mut self.aside) {
                match aside {
                    Aside::Ring => screen.ring(),
                    Aside::Copy(text) => screen.copy(&text),
                    Aside::Suspend => self.suspend(screen)?,
                }
                change = Change::All;
            }
            let percent = self.app.session.underway().map(|(what, share)| (what, (share * 100.0) as u8));
            if std::mem::replace(&mut progress, percent) != percent {
                change = Change::All;
            }
            let now = self.clock.now();
            let has_news = self.has_news || change != Change::None || self.app.session.numbers_due(now);
            if !screen.is_ready()? || !has_news || !pacer.may_draw(Instant::now()) {
                continue;
            }
            self.has_news = false;
            let size = screen.size();
            let refreshed = self.app.before_frame(now);
            for request in self.app.session.blocks_to_write() {
                self.run_request(request)?;
            }
            // Most rows of a fast board change nothing that is to be seen.
            change = change.max(drawn.change(self.app));
            if change == Change::None && !refreshed && size == self.app.session.size {
                continue;
            }
            pacer.drawn();
            let same_size = std::mem::replace(&mut self.app.session.size, size) == size;
            let whole = change == Change::All || !same_size || (change == Change::Chart && refreshed);
            let part = if whole { None } else { screen::draw_chart(self.app, change != Change::Chart, theme) };
            match part {
                Some(part) if !refreshed => screen.patch(&part)?,
                Some(edge) => {
                    // The numbers changed, the chart did not, but for its newest end.
                    let kept = screen::chart_area(self.app);
                    screen.draw(size, kept, |buffer| {
                        screen::draw(self.app, true, theme, buffer);
                        buffer.merge(&edge);
                    })?;
                }
                None => screen.draw(size, None, |buffer| screen::draw(self.app, false, theme, buffer))?,
            }
            drawn.remember(self.app);
            change = Change::None;
        }
        Ok(())
    }

    /// Stops until the shell lets the program go on.
    fn suspend(&mut self, screen: &mut Screen) -> anyhow::Result<()> {
        let session = &mut self.app.session;
        if session.taking.runs() || session.publishing.state.is_some() {
            let why = match session.taking.runs() {
                true => "a take is running and would miss data: end it first (t)",
                false => "rows are being published and some would be missed: end that first (6 p)",
            };
            session.say(why, true);
            return Ok(());
        }
        screen.suspend()?;
        // What the system could not keep meanwhile is lost.
        for place in 0..self.live.len() {
            self.command(place, Command::Missed);
        }
        Ok(())
    }

    /// Waits for something, at most `wait`, and takes in all that is there. Gives what it changed on the screen;
    /// whether rows changed the chart is for the caller to see.
    fn wait(&mut self, input: &mut Input, screen: &Screen, wait: Duration) -> anyhow::Result<Change> {
        let sources: Vec<(Receiver<Feed>, Receiver<Report>)> =
            self.live.iter().map(|live| (live.link.engine.clone(), live.keeper.reports.clone())).collect();
        let jobs = self.jobs.done.clone();
        let written = screen.written();
        let mut select = Select::new();
        let waiting = input.waiting().clone();
        select.recv(&waiting);
        select.recv(&written);
        select.recv(&jobs);
        // Until the next frame is due, a few more rows need not wake anybody: they are taken in before it is drawn.
        let until_frame = self.has_news && self.pieces < FEW && !self.app.session.is_armed();
        for (feed, reports) in sources.iter().filter(|_| !until_frame) {
            select.recv(feed);
            select.recv(reports);
        }
        if select.ready_timeout(wait).is_err() && !until_frame {
            self.app.session.note_running(self.clock.now());
            return Ok(Change::None);
        }
        self.pieces = 0;
        let mut change = Change::None;
        self.app.session.note_running(self.clock.now());
        let begun = Instant::now();
        // What is typed without end holds up nothing else.
        while begun.elapsed() < SLICE {
            let arrived = match input.take() {
                Ok(arrived) if arrived.is_empty() && input.waiting().is_empty() => break,
                Ok(arrived) => arrived,
                Err(Gone) => bail!("the keyboard is gone"),
            };
            for arrived in arrived {
                let changed = match arrived {
                    Arrived::Event(event) => self.event(event)?,
                    Arrived::Burst(keys) => {
                        self.has_acted = true;
                        self.tell(Message::Burst(keys))?
                    }
                };
                change = change.max(changed);
            }
        }
        while let Ok(job) = jobs.try_recv() {
            change = change.max(self.tell(job)?);
        }
        let begun = Instant::now();
        for (place, (feed, reports)) in sources.iter().enumerate() {
            // Each source has its share of the time.
            let slice = SLICE * (place as u32 + 1) / sources.len() as u32;
            while begun.elapsed() < slice {
                match feed.try_recv() {
                    Ok(piece) => {
                        self.pieces += 1;
                        change = change.max(self.feed(place, piece)?);
                    }
                    Err(TryRecvError::Empty) => break,
                    Err(TryRecvError::Disconnected) => bail!("the port's thread has ended; what was recorded is kept"),
                }
            }
            while let Ok(report) = reports.try_recv() {
                change = change.max(self.tell(Message::Report(place, report))?);
            }
        }
        Ok(change)
    }

    fn event(&mut self, event: Event) -> anyhow::Result<Change> {
        self.has_acted = true;
        match event {
            Event::Key(key) if is_suspend(key) => {
                self.aside.push(Aside::Suspend);
                Ok(Change::All)
            }
            Event::Paste(text) => self.tell(Message::Paste(text)),
            // Esc and the key after it, typed fast, reach us as one key with Alt.
            Event::Key(key) if key.modifiers.contains(KeyModifiers::ALT) => {
                self.event(Event::Key(KeyCode::Esc.into()))?;
                self.event(Event::Key(KeyEvent { modifiers: key.modifiers.difference(KeyModifiers::ALT), ..key }))
            }
            Event::Key(key) if key.kind != KeyEventKind::Release => self.tell(Message::Key(key)),
            Event::Mouse(mouse) => self.tell(Message::Mouse(mouse)),
            Event::Resize(..) => Ok(Change::All),
            _ => Ok(Change::None),
        }
    }

    fn feed(&mut self, place: usize, piece: Feed) -> anyhow::Result<Change> {
        self.has_news = true;
        let is_state = matches!(piece, Feed::State(_));
        let usb = match &piece {
            Feed::State(LinkState::Open { usb: Some(usb), .. }) if self.app.session.bench_file.is_none() => {
                Some(usb.clone())
            }
            _ => None,
        };
        self.tell(Message::Feed(place, piece))?;
        // The same board was used before: its bench is a word away.
        if let Some(used) = usb.and_then(|usb| Recent::load().of_board(&usb).cloned()) {
            let name = stem(&used.path);
            self.app
                .session
                .say(format!("this board was used last with the bench {name}: `amber-tap bench {name}`"), false);
        }
        Ok(if is_state { Change::All } else { Change::None })
    }

    fn tell(&mut self, message: Message) -> anyhow::Result<Change> {
        for request in self.app.update(self.clock.now(), message) {
            self.run_request(request)?;
        }
        Ok(Change::All)
    }
}
