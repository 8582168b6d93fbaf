//! The session: all that is watched and set, which rooms look at and change. It has no terminal, files or clock: time
//! comes in, and what is to be done outside goes out as requests.

mod answers;
mod asking;
mod blocks;
mod channels;
mod checks;
mod compare;
mod cursors;
mod feed;
mod lanes;
mod loading;
mod plan;
mod play;
mod publishing;
mod request;
mod saving;
mod snapshot;
mod sources;
mod stage;
mod stations;
mod takes;
mod taking;
mod tasks;
mod time_axis;
mod titles;
mod trouble;
mod undo;
mod viewport;
mod zero;

pub(crate) use blocks::{Blocks, SHARES};
pub(crate) use channels::in_a_circle;
pub(crate) use checks::{Advised, Checked};
pub(crate) use cursors::{Cursors, Snap};
pub(crate) use lanes::{AnalogLane, Lanes, WatchedLine};
pub(crate) use loading::chain_of;
pub(crate) use publishing::{Publishing, news, published};
pub(crate) use request::{LinkOrder, Request};
pub(crate) use snapshot::{ChannelSnapshot, Snapshot};
pub(crate) use sources::{ChannelId, Sources, Watched};
pub(crate) use stage::Stage;
pub(crate) use takes::{LISTED, TakeChange};
pub(crate) use taking::{Taking, in_words, name_of};
use tasks::Underway;
pub(crate) use tasks::{Done, Search, Task, TaskKind};
pub(crate) use time_axis::TimeAxis;
pub(crate) use undo::Known;
pub(crate) use viewport::Viewport;

use crate::screen::text::more;
use amber_core::Stamp;
use amber_core::axis::FitAxis;
use amber_core::bench::{Bench, Kind, Shared};
use amber_core::chain::{Chain, Channel, ChannelValues};
use amber_core::clock::Across;
use amber_io::LinkState;
use amber_io::take::{Mark, OpenedTake};
use jiff::tz::TimeZone;
use std::collections::HashMap;
use std::path::PathBuf;

/// What is watched.
#[derive(Debug)]
pub(crate) enum Source {
    /// A port, live.
    Live {
        /// How the link stands.
        link: LinkState,
    },
    /// A take that was opened.
    Take(Box<OpenedTake>),
}

/// A passing message in the footer.
#[derive(Debug)]
pub(crate) struct Notice {
    pub(crate) text: String,
    /// Something went wrong, rather than well.
    pub(crate) bad: bool,
    pub(crate) until: Stamp,
}

/// All that is watched and set.
pub(crate) struct Session {
    /// The sources, in their order; there is at least one.
    pub(crate) watched: Sources,
    shared: Shared,
    pub(crate) taking: Taking,
    pub(crate) publishing: Publishing,
    /// The disk on which takes are written.
    space: plan::Space,
    /// What the take of each source holds, and how many of them have ended.
    summaries: Vec<Option<amber_io::take::Summary>>,
    stopped: usize,
    pub(crate) marks: Vec<Mark>,
    pub(crate) stations: stations::Stations,
    pub(crate) blocks: Blocks,
    pub(crate) axis: TimeAxis,
    pub(crate) play: play::Play,
    /// When it was looked last where the takes that are open lie.
    looked: Option<Stamp>,
    /// What shows all of the takes that are watched, as far as they are read.
    whole_axis: TimeAxis,
    /// What is shown in this frame.
    pub(crate) viewport: Viewport,
    pub(crate) snapshot: Snapshot,
    /// The selected channel, and with it the selected source.
    pub(crate) selected: ChannelId,
    /// The selected condition of the selected source, by its place.
    pub(crate) selected_condition: usize,
    /// What is done at events.
    pub(crate) answers: answers::Answers,
    /// A lent port is taken back when the other program is done with it.
    takes_back: bool,
    known: Known,
    undo: undo::Undo,
    /// What is to be done by somebody else, and whether long work is.
    tasks: Vec<Task>,
    defers: bool,
    /// The cursors, where they are shown.
    pub(crate) cursors: Option<Cursors>,
    pub(crate) notice: Option<Notice>,
    pub(crate) lane_axes: HashMap<String, FitAxis>,
    pub(crate) bench_file: Option<PathBuf>,
    /// The settings as they are in the file, or as they were at the start.
    saved_bench: Bench,
    is_unsaved: saving::IsUnsaved,
    /// What is to be done as soon as the bench is saved.
    pub(crate) after_saving: Option<Request>,
    /// The takes in the folder, as far as they are known.
    pub(crate) takes: takes::Takes,
    pub(crate) comparing: compare::Comparing,
    checks: checks::Checks,
    /// Where takes and figures go.
    folder: PathBuf,
    pub(crate) now: Stamp,
    pub(crate) zone: TimeZone,
    /// The screen's size in columns and rows, as last drawn or resized.
    pub(crate) size: (u16, u16),
}

impl Session {
    /// A live source that is about to be opened.
    pub(crate) fn live(
        chain: Chain,
        shared: Shared,
        folder: PathBuf,
        bench_file: Option<PathBuf>,
        now: Stamp,
    ) -> Session {
        let source = Source::Live { link: LinkState::Opening };
        Session::new(Watched::new(chain, source), shared, folder, bench_file, now)
    }

    /// A take, with its rows in `chain`, as far as they are read.
    pub(crate) fn take(chain: Chain, shared: Shared, take: OpenedTake, bench_file: Option<PathBuf>) -> Session {
        let end = take.end();
        let shelf = take.folder.parent().map(PathBuf::from).unwrap_or_default();
        let (marks, stations, told) = (take.marks.clone(), take.stations.clone(), take.told.clone());
        let source = Source::Take(Box::new(take));
        // Nothing is written beside what was opened.
        let mut session = Session::new(Watched::new(chain, source), shared, PathBuf::from("."), bench_file, end);
        session.takes.shelf = Some(shelf);
        session.marks = marks;
        session.stations.list = stations;
        session.show_all_takes();
        if let Some(first) = told.first() {
            session.say(format!("{first}{}", more(told.len())), true);
        }
        session
    }

    fn new(watched: Watched, shared: Shared, folder: PathBuf, bench_file: Option<PathBuf>, now: Stamp) -> Session {
        let sources = vec![watched.chain.live_settings()];
        Session {
            axis: TimeAxis::live(shared.screen.span),
            whole_axis: TimeAxis::live(shared.screen.span),
            saved_bench: Bench { shared: shared.clone(), sources },
            is_unsaved: saving::IsUnsaved::default(),
            watched: Sources::new(watched),
            shared,
            taking: Taking::default(),
            publishing: Publishing::default(),
            space: plan::Space::default(),
            summaries: Vec::new(),
            stopped: 0,
            marks: Vec::new(),
            stations: stations::Stations::default(),
            blocks: Blocks::default(),
            play: play::Play::default(),
            looked: None,
            viewport: Viewport::default(),
            snapshot: Snapshot::default(),
            selected: ChannelId::default(),
            selected_condition: 0,
            answers: answers::Answers::default(),
            takes_back: true,
            known: Known::default(),
            undo: undo::Undo::default(),
            tasks: Vec::new(),
            defers: false,
            cursors: None,
            notice: None,
            lane_axes: HashMap::new(),
            bench_file,
            after_saving: None,
            takes: takes::Takes::default(),
            comparing: compare::Comparing::default(),
            checks: checks::Checks::default(),
            folder,
            now,
            zone: amber_io::local_zone(),
            size: (0, 0),
        }
    }

    /// What is set once, for all sources.
    pub(crate) fn shared(&self) -> &Shared {
        &self.shared
    }

    /// Where takes and figures go.
    pub(crate) fn folder(&self) -> &PathBuf {
        &self.folder
    }

    /// Where the takes are that are listed: beside the one that was opened, else where takes go.
    pub(crate) fn shelf(&self) -> &PathBuf {
        self.takes.shelf.as_ref().unwrap_or(&self.folder)
    }

    /// Whether a lent port is taken back when the other program is done with it.
    pub(crate) fn takes_back(&self) -> bool {
        self.takes_back
    }

    /// The selected channel, if there is any.
    pub(crate) fn channel(&self) -> Option<&Channel> {
        self.chain().channels().get(self.selected.channel)
    }

    /// What the screen shows of channel `id`, if it has shown anything of it.
    pub(crate) fn reading(&self, id: ChannelId) -> Option<ChannelValues> {
        self.snapshot.of(id).reading
    }

    /// What the reference of channel `id`'s converter says, where that is a channel; NaN elsewhere.
    pub(crate) fn reference(&self, id: ChannelId) -> f64 {
        self.reading(id).and_then(|reading| reading.reference).unwrap_or(f64::NAN)
    }

    /// The letter that stands for a channel on the chart: channels that can be drawn are lettered in their order.
    pub(crate) fn letter(&self, channel: ChannelId) -> char {
        char::from(b'A' + (self.ink(channel) % 26) as u8)
    }

    /// The same, and a blank for channels that are not drawn.
    pub(crate) fn letter_or_blank(&self, channel: ChannelId) -> char {
        if self.channel_at(channel).kind() == Kind::Clock { ' ' } else { self.letter(channel) }
    }

    /// The number of a channel's ink, which goes with its letter.
    pub(crate) fn ink(&self, channel: ChannelId) -> usize {
        self.channel_ids()
            .take_while(|id| *id != channel)
            .filter(|id| self.channel_at(*id).kind() != Kind::Clock)
            .count()
    }

    /// What the rows of the selected source are counted by.
    pub(crate) fn across(&self) -> Across {
        self.chain().timer().across()
    }

    /// When a row was measured: as [`Session::wall`], or its number where nothing tells its time.
    pub(crate) fn when(&self, at: Stamp, format: &str) -> String {
        match self.across() {
            Across::Seconds => self.wall(at, format),
            across => format!("row {:.0}", across.of(at.seconds_since(self.oldest()))),
        }
    }

    /// An instant on the wall, in the person's own time zone.
    pub(crate) fn wall(&self, at: Stamp, format: &str) -> String {
        let moment = jiff::Timestamp::from_nanosecond(i128::from(at.0)).unwrap_or(jiff::Timestamp::UNIX_EPOCH);
        moment.to_zoned(self.zone.clone()).strftime(format).to_string()
    }

    /// The instant at the right edge of the chart.
    pub(crate) fn end(&self) -> Stamp {
        self.axis.held.unwrap_or_else(|| self.present())
    }

    /// The instant at the right edge when nothing is held: now; for takes, and for texts, whose rows have times of their own,
    /// that of the newest row.
    pub(crate) fn present(&self) -> Stamp {
        let is_take = self.is_take();
        let newest = |chain: &Chain| {
            let rows = chain.store().rows();
            chain.store().time(rows.end.checked_sub(1)?).filter(|_| is_take || chain.timer().is_text_time())
        };
        let of_texts = self.chains().map(newest).collect::<Option<Vec<Stamp>>>();
        of_texts.and_then(|times| times.into_iter().max()).unwrap_or(self.now)
    }

    /// Whether time stands still on the screen.
    pub(crate) fn is_held(&self) -> bool {
        self.axis.held.is_some()
    }

    /// Whether a take is watched, rather than a port.
    pub(crate) fn is_take(&self) -> bool {
        matches!(self.source(), Source::Take(_))
    }

    /// Puts a passing message into the footer.
    pub(crate) fn say(&mut self, text: impl Into<String>, bad: bool) {
        let seconds = if bad { 12.0 } else { 5.0 };
        self.notice = Some(Notice { text: text.into(), bad, until: self.now.plus(seconds) });
    }

    /// Says what is wrong in the bench file; the rest of it is in force. Of several mistakes the first; a list has all.
    pub(crate) fn say_mistakes(&mut self, mistakes: &[String]) {
        if let Some(first) = mistakes.first() {
            self.say(format!("{first}{}; the rest is loaded", more(mistakes.len())), true);
        }
    }
}

#[cfg(test)]
#[path = "tasks_tests.rs"]
mod tasks_tests;
