//! The event loop: drain all input, take in the data that waits, then draw if something changed and a frame is due.

use super::pacing::Pacer;
use super::terminal::Screen;
use crate::app::{App, Effect, LinkOrder, Message};
use crate::figure;
use crate::recent::{Recent, stem};
use crate::screen::{self, Change, Drawn};
use crate::theme::{Depth, Theme};
use amber_core::bench::{Bench, Source};
use amber_io::take::{From, Keeper, Order, Place, Report, next_folder};
use amber_io::{Command, Feed, HostClock, Link, LinkState, Wanted};
use anyhow::{Context, bail};
use crossbeam_channel::{Receiver, Select, Sender, TryRecvError, bounded};
use crossterm::event::{Event, KeyCode, KeyEvent, KeyEventKind, KeyModifiers, MouseEventKind};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

/// How often the screen is looked after when nothing comes.
const TICK: Duration = Duration::from_millis(200);

/// Said when a keeper takes no more orders.
const BUSY: &str = "the disk does not keep up: the order was not taken, try again";

/// How long data are taken in before the next look at the keys.
const SLICE: Duration = Duration::from_millis(6);

/// A live source: the link, the keeper and the board behind it when it is a simulated one.
pub(crate) struct Live {
    pub(crate) link: Link,
    pub(crate) keeper: Keeper,
    pub(crate) board: Option<amber_boards::ServedBoard>,
}

/// The terminal, taken over: what is shown and what is typed.
pub(crate) struct Front {
    pub(super) screen: Screen,
    pub(super) input: Receiver<Event>,
}

impl Front {
    /// Takes the terminal over; it is given back when this is dropped.
    ///
    /// # Errors
    /// When it cannot be had.
    pub(crate) fn take_over() -> anyhow::Result<Front> {
        Ok(Front { screen: Screen::take_over()?, input: read_input()? })
    }
}

struct Shell<'a> {
    app: &'a mut App,
    /// The sources in their order; none for takes.
    live: &'a mut Vec<Live>,
    clock: HostClock,
    jobs: (Sender<Message>, Receiver<Message>),
    /// Figures that are being written.
    figures: Vec<JoinHandle<()>>,
    over: bool,
}

/// Shows `app` until the person quits. Gives the reports of a take that was ended by quitting.
pub(crate) fn run(
    mut app: App,
    mut live: Vec<Live>,
    clock: HostClock,
    ended: &AtomicBool,
    front: Front,
) -> anyhow::Result<Vec<Report>> {
    let theme = Theme::new(Depth::from_environment(|name| std::env::var(name).ok()));
    let Front { mut screen, input } = front;
    let mut shell =
        Shell { app: &mut app, live: &mut live, clock, jobs: bounded(16), figures: Vec::new(), over: false };
    let mut pacer = Pacer::new(Instant::now());
    let mut drawn = Drawn::default();
    let mut change = Change::All;
    while !shell.over && !ended.load(Ordering::Relaxed) {
        let wait = if change == Change::None { TICK } else { pacer.wait(Instant::now()) };
        let next =
            shell.app.next_saying(clock.now()).map_or(wait, |seconds| Duration::from_secs_f64(seconds).min(wait));
        change = change.max(shell.wait(&input, next)?).max(drawn.change(shell.app));
        for effect in shell.app.due_sayings(clock.now()) {
            shell.run_effect(effect)?;
        }
        if change == Change::None && !shell.app.numbers_due(clock.now()) {
            continue;
        }
        if !pacer.draw(Instant::now()) {
            change = change.max(Change::Edge);
            continue;
        }
        let size = screen.size();
        let refreshed = shell.app.before_frame(clock.now());
        // Time has gone on, axes have followed.
        change = change.max(drawn.change(shell.app));
        let edge = if change == Change::All || refreshed || size != shell.app.size {
            None
        } else {
            screen::draw_edge(shell.app, theme)
        };
        shell.app.size = size;
        match edge {
            Some(edge) => screen.patch(&edge)?,
            None => screen.draw(size, |buffer| screen::draw(shell.app, theme, buffer))?,
        }
        drawn.remember(shell.app);
        change = Change::None;
    }
    drop(screen);
    for figure in shell.figures {
        // A panic has been printed by its own thread already.
        let _ = figure.join();
    }
    let mut reports = Vec::new();
    for Live { link, keeper, board } in live {
        drop(link);
        reports.extend(keeper.join());
        drop(board);
    }
    Ok(reports)
}

/// Keys, mouse and resizing, from a thread of their own.
fn read_input() -> anyhow::Result<Receiver<Event>> {
    let (send, receive) = bounded(1024);
    let read = move || {
        while let Ok(event) = crossterm::event::read() {
            if send.send(event).is_err() {
                return;
            }
        }
    };
    std::thread::Builder::new().name("input".into()).spawn(read).context("no thread for the keyboard")?;
    Ok(receive)
}

impl Shell<'_> {
    /// Waits for something, at most `wait`, and takes in all that is there. Gives what it changed on the screen;
    /// whether rows changed the chart is for the caller to see.
    fn wait(&mut self, input: &Receiver<Event>, wait: Duration) -> anyhow::Result<Change> {
        let sources: Vec<(Receiver<Feed>, Receiver<Report>)> =
            self.live.iter().map(|live| (live.link.engine.clone(), live.keeper.reports.clone())).collect();
        let jobs = self.jobs.1.clone();
        let mut select = Select::new();
        select.recv(input);
        select.recv(&jobs);
        for (feed, reports) in &sources {
            select.recv(feed);
            select.recv(reports);
        }
        if select.ready_timeout(wait).is_err() {
            return Ok(Change::None);
        }
        let mut change = Change::None;
        loop {
            match input.try_recv() {
                Ok(event) => change = change.max(self.event(event)?),
                Err(TryRecvError::Empty) => break,
                Err(TryRecvError::Disconnected) => bail!("the keyboard is gone"),
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
                    Ok(piece) => change = change.max(self.feed(place, piece)?),
                    Err(TryRecvError::Empty) => break,
                    Err(TryRecvError::Disconnected) => {
                        self.over = true;
                        break;
                    }
                }
            }
            while let Ok(report) = reports.try_recv() {
                change = change.max(self.tell(Message::Report(place, report))?);
            }
        }
        Ok(change)
    }

    fn event(&mut self, event: Event) -> anyhow::Result<Change> {
        match event {
            // Esc and the key after it, typed fast, reach us as one key with Alt.
            Event::Key(key) if key.modifiers.contains(KeyModifiers::ALT) => {
                self.event(Event::Key(KeyCode::Esc.into()))?;
                self.event(Event::Key(KeyEvent { modifiers: key.modifiers.difference(KeyModifiers::ALT), ..key }))
            }
            Event::Key(key) if key.kind != KeyEventKind::Release => self.tell(Message::Key(key)),
            // Moving the mouse changes nothing.
            Event::Mouse(mouse) if !matches!(mouse.kind, MouseEventKind::Moved | MouseEventKind::Drag(_)) => {
                self.tell(Message::Mouse(mouse))
            }
            Event::Resize(..) => Ok(Change::All),
            _ => Ok(Change::None),
        }
    }

    fn feed(&mut self, place: usize, piece: Feed) -> anyhow::Result<Change> {
        let is_state = matches!(piece, Feed::State(_));
        let usb = match &piece {
            Feed::State(LinkState::Open { usb: Some(usb), .. }) if self.app.bench_file.is_none() => Some(usb.clone()),
            _ => None,
        };
        self.tell(Message::Feed(place, piece))?;
        // The same board was used before: its bench is a word away.
        if let Some(used) = usb.and_then(|usb| Recent::load().of_board(&usb).cloned()) {
            let name = stem(&used.path);
            self.app.say(format!("this board was used last with the bench {name}: `amber-tap bench {name}`"), false);
        }
        Ok(if is_state { Change::All } else { Change::None })
    }

    fn tell(&mut self, message: Message) -> anyhow::Result<Change> {
        for effect in self.app.update(self.clock.now(), message) {
            self.run_effect(effect)?;
        }
        Ok(Change::All)
    }

    fn run_effect(&mut self, effect: Effect) -> anyhow::Result<()> {
        match effect {
            Effect::StartTake { place, benches } => self.start_take(place, benches)?,
            Effect::StopTake => self.order(&Order::Stop),
            Effect::Mark { at, note } => self.order(&Order::Mark { at, note }),
            Effect::Figure => self.write_figure()?,
            Effect::SaveBench { path, bench } => {
                let done = save_bench(&path, &bench).map_err(|error| format!("{error:#}"));
                let done = done.map(|()| {
                    crate::recent::remember(&path, &bench.first().wire);
                    (path, bench)
                });
                // The channel has room: it is emptied after each effect that fills it.
                let _ = self.jobs.0.try_send(Message::BenchSaved(done));
            }
            Effect::Open(place, source) => self.open(place, &source),
            Effect::Tell(place, order) => self.tell_link(place, order),
            Effect::Bell => super::terminal::ring(),
            Effect::Copy(text) => super::terminal::copy(&text),
            Effect::Quit => self.over = true,
        }
        Ok(())
    }

    /// Starts the keepers; several of them write below one folder.
    fn start_take(&mut self, place: Place, benches: Vec<Bench>) -> anyhow::Result<()> {
        let places = if self.live.len() == 1 {
            vec![place]
        } else {
            let folder = match &place {
                Place::Next(parent) => next_folder(parent),
                Place::Exactly(folder) => Ok(folder.clone()),
            };
            match folder {
                Ok(folder) => self.app.source_names().iter().map(|name| Place::Exactly(folder.join(name))).collect(),
                Err(error) => {
                    self.tell(Message::Report(0, Report::Failed { error, kept: None }))?;
                    return Ok(());
                }
            }
        };
        for ((live, place), bench) in self.live.iter().zip(places).zip(benches) {
            if live
                .keeper
                .orders
                .try_send(Order::Start { place, bench: Box::new(bench), from: From::Now, rows: None })
                .is_err()
            {
                self.app.say(BUSY, true);
            }
        }
        Ok(())
    }

    /// Gives all keepers the same order.
    fn order(&mut self, order: &Order) {
        for live in self.live.iter() {
            if live.keeper.orders.try_send(order.clone()).is_err() {
                self.app.say(BUSY, true);
            }
        }
    }

    fn open(&mut self, place: usize, source: &Source) {
        match crate::commands::resolve(&source.port) {
            Ok((path, board)) => {
                self.command(place, Command::Open(Wanted::of(source, path)));
                if let (Some(live), true) = (self.live.get_mut(place), board.is_some()) {
                    live.board = board;
                }
            }
            Err(error) => self.app.say(format!("{error:#}"), true),
        }
    }

    fn tell_link(&mut self, place: usize, order: LinkOrder) {
        let command = match order {
            LinkOrder::Lend { back } => Command::Lend { back },
            LinkOrder::TakeBack => Command::TakeBack,
            LinkOrder::Reset => Command::Reset,
            LinkOrder::FindBaud => Command::FindBaud,
            LinkOrder::Send(bytes) => Command::Send(bytes),
        };
        self.command(place, command);
    }

    fn command(&mut self, place: usize, command: Command) {
        if let Some(live) = self.live.get(place)
            && live.link.tell(command).is_err()
        {
            self.app.say("the port is busy: the order was not taken, try again", true);
        }
    }

    /// Draws and writes in the background, so that the screen goes on.
    fn write_figure(&mut self) -> anyhow::Result<()> {
        let figure = figure::of(self.app);
        let (folder, send) = (self.app.folder.clone(), self.jobs.0.clone());
        let job = move || {
            let done = figure::write_both(&figure, &folder).map_err(|error| format!("{error:#}"));
            // The screen may have ended meanwhile, and nobody may make room any more.
            let _ = send.try_send(Message::Figure(done));
        };
        let thread =
            std::thread::Builder::new().name("figure".into()).spawn(job).context("no thread for the figure")?;
        self.figures.push(thread);
        Ok(())
    }
}

/// Writes the bench beside its place first and then moves it there, so that the old one is never half gone.
fn save_bench(path: &Path, bench: &Bench) -> anyhow::Result<()> {
    let text = match std::fs::read_to_string(path) {
        Ok(old) => bench.write_into(&old).map_err(|error| {
            anyhow::anyhow!("{} is there and is no bench ({error}): choose another name", path.display())
        })?,
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => bench.new_file("Amber Tap bench"),
        Err(error) => return Err(error).context(format!("cannot read {}", path.display())),
    };
    let mut beside = path.as_os_str().to_owned();
    beside.push(".new");
    let beside = PathBuf::from(beside);
    std::fs::write(&beside, text).with_context(|| format!("cannot write {}", beside.display()))?;
    std::fs::rename(&beside, path).with_context(|| format!("cannot write {}", path.display()))
}
