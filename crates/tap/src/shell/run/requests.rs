//! Doing what the app asks for.

use super::{Aside, Kind, Shell};
use crate::app::Message;
use crate::figure;
use crate::save::Saved;
use crate::session::{Done, LinkOrder, Request, Task};
use amber_core::bench::{Bench, WireSettings};
use amber_core::keep::Publish;
use amber_io::Command;
use amber_io::Publisher;
use amber_io::take::{From, Order, PublishOrder, Report, TakePlace, next_folder};
use anyhow::Context;

/// Said when a keeper takes no more orders.
const BUSY: &str = "the disk is too slow: the command was not accepted, try again";

impl Shell<'_> {
    /// Does it, or starts it in the background.
    pub(super) fn run_request(&mut self, request: Request) -> anyhow::Result<()> {
        match request {
            Request::StartTake { place, benches } => self.start_take(place, benches)?,
            Request::StopTake => drop(self.order(&Order::Stop)),
            Request::Publish { plan, benches } => self.publish(&plan, benches)?,
            Request::StopPublishing => self.stop_publishing()?,
            Request::Mark(mark) => drop(self.order(&Order::Mark(mark))),
            Request::Station(station) => self.order_first(Order::Station(station)),
            Request::Figure => self.write_figure()?,
            Request::Report => self.write_report()?,
            Request::WriteText { folder, stem, ending, text } => {
                let write = move || Some(Message::Written("table", figure::write_text(&folder, stem, ending, &text)));
                let failed = |fault| Message::Written("table", Err(fault));
                self.jobs.start(Kind::Figure, "table", failed, write).context("no thread to write a table")?;
            }
            Request::KeepBlock { take, block } => {
                let keep = move || match amber_io::take::save_block(&take, &block) {
                    Ok(_) => None,
                    Err(error) => Some(Message::Written("block in the take", Err(amber_io::disk::remedy(&error)))),
                };
                let failed = |fault| Message::Written("block in the take", Err(fault));
                self.jobs.start(Kind::Figure, "block", failed, keep).context("no thread to keep a block")?;
            }
            Request::SaveBench { path, bench, may_replace } => {
                let save = move || {
                    Some(match crate::save::bench(&path, &bench, may_replace) {
                        Ok(Saved::Yes) => {
                            crate::recent::remember(&path, &bench.first().wire);
                            Message::BenchSaved(Ok((path, bench)))
                        }
                        Ok(Saved::OtherThere) => Message::BenchThere(path),
                        Err(error) => Message::BenchSaved(Err(error)),
                    })
                };
                let failed = |fault| Message::BenchSaved(Err(fault));
                self.jobs.start(Kind::Bench, "bench", failed, save).context("no thread to save the bench")?;
            }
            Request::Open(place, source) => self.open(place, &source),
            Request::Tell(place, order) => self.tell_link(place, order),
            Request::Bell => self.aside.push(Aside::Ring),
            Request::Copy(text) => self.aside.push(Aside::Copy(text)),
            Request::HintsSeen(seen) => {
                let remember = move || {
                    crate::recent::remember_hints(seen);
                    None
                };
                let failed = |fault| Message::BenchSaved(Err(fault));
                self.jobs.start(Kind::Bench, "hints", failed, remember).context("no thread to remember hints")?;
            }
            Request::OpenTake(folder) => match amber_io::take::open_all(&folder) {
                Ok(takes) => (self.next, self.over) = (Some(takes), true),
                Err(error) => self.app.session.say(error.to_string(), true),
            },
            Request::Quit => self.over = true,
        }
        Ok(())
    }

    /// Starts the keepers; several of them write below one folder.
    fn start_take(&mut self, place: TakePlace, benches: Vec<Bench>) -> anyhow::Result<()> {
        let places = if self.live.len() == 1 {
            vec![place]
        } else {
            let folder = match &place {
                TakePlace::Next(parent) => next_folder(parent),
                TakePlace::Exactly(folder) => Ok(folder.clone()),
            };
            match folder {
                Ok(folder) => {
                    self.app.session.source_names().iter().map(|name| TakePlace::Exactly(folder.join(name))).collect()
                }
                Err(error) => {
                    self.tell(Message::Report(0, Report::Failed { error, kept: None }))?;
                    return Ok(());
                }
            }
        };
        for ((live, place), bench) in self.live.iter().zip(places).zip(benches) {
            if live.keeper.orders.try_send(Order::Start { place, bench: Box::new(bench), from: From::Now }).is_err() {
                self.app.session.say(BUSY, true);
            }
        }
        Ok(())
    }

    /// Starts to publish, or goes on by other settings.
    fn publish(&mut self, plan: &Publish, benches: Vec<Bench>) -> anyhow::Result<()> {
        if self.publisher.is_none() {
            match crate::commands::publisher(plan, &self.app.session.shared().name) {
                Ok(publisher) => self.publisher = Some(publisher),
                Err(why) => {
                    self.tell(Message::PublishingEnded(Err(why)))?;
                    return Ok(());
                }
            }
        }
        let Some(outlet) = self.publisher.as_ref().and_then(Publisher::outlet) else { return Ok(()) };
        let names = self.app.session.source_names();
        for ((live, name), bench) in self.live.iter().zip(&names).zip(benches) {
            let outlet = outlet.by(plan);
            let outlet = if names.len() > 1 { outlet.of_source(name) } else { outlet };
            let order = Order::Publish(Box::new(PublishOrder { bench, outlet }));
            if live.keeper.orders.try_send(order).is_err() {
                self.app.session.say(BUSY, true);
            }
        }
        Ok(())
    }

    /// Publishes no more; what is under way is waited for in the background.
    fn stop_publishing(&mut self) -> anyhow::Result<()> {
        if !self.order(&Order::StopPublishing) {
            return Ok(());
        }
        let Some(publisher) = self.publisher.take() else { return Ok(()) };
        let end = move || Some(Message::PublishingEnded(Ok(publisher.finish())));
        self.jobs
            .start(Kind::Publish, "publishing", |fault| Message::PublishingEnded(Err(fault)), end)
            .context("no thread to end publishing")
    }

    /// Gives all keepers the same order; gives whether all of them accepted it.
    fn order(&mut self, order: &Order) -> bool {
        let accepted = self.live.iter().filter(|live| live.keeper.orders.try_send(order.clone()).is_ok()).count();
        let is_given = accepted == self.live.len();
        if !is_given {
            self.app.session.say(BUSY, true);
        }
        is_given
    }

    /// Gives the keeper of the first source an order: what belongs to all sources stands in its take.
    fn order_first(&mut self, order: Order) {
        let first = self.live.first().map(|live| live.keeper.orders.try_send(order));
        if first.is_some_and(|given| given.is_err()) {
            self.app.session.say(BUSY, true);
        }
    }

    fn open(&mut self, place: usize, source: &WireSettings) {
        match crate::commands::endpoint(source) {
            Ok(endpoint) => self.command(place, Command::Open(Box::new(endpoint))),
            Err(error) => self.app.session.say(format!("{error:#}"), true),
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

    pub(super) fn command(&mut self, place: usize, command: Command) {
        if let Some(live) = self.live.get(place)
            && live.link.tell(command).is_err()
        {
            self.app.session.say("the port is busy: the command was not accepted, try again", true);
        }
    }

    /// Draws and writes in the background, so that the screen goes on.
    fn write_figure(&mut self) -> anyhow::Result<()> {
        let figures = self.app.figures();
        let folder = self.app.session.folder().clone();
        let draw =
            move || Some(Message::Figure(figure::write_all(&figures, &folder).map_err(|error| format!("{error:#}"))));
        self.jobs
            .start(Kind::Figure, "figure", |fault| Message::Figure(Err(fault)), draw)
            .context("no thread for the figure")
    }

    /// The same with the report.
    fn write_report(&mut self) -> anyhow::Result<()> {
        let draft = crate::report::draft(&self.app.session, self.app.report_figures());
        let folder = self.app.session.folder().clone();
        let write = move || {
            let written = figure::write_report(&draft.finish(), &folder).map_err(|error| format!("{error:#}"));
            Some(Message::ReportWritten(written))
        };
        self.jobs
            .start(Kind::Figure, "report", |fault| Message::ReportWritten(Err(fault)), write)
            .context("no thread for the report")
    }

    pub(super) fn start_task(&mut self, task: Task) -> anyhow::Result<()> {
        let (kind, name) = task.kind();
        let failed = move |fault| Message::Done(Done::Faulted(kind, fault));
        let job = move || task.run().map(Message::Done);
        self.jobs.start(Kind::Task(kind), name, failed, job).context("no thread for the work")
    }
}
