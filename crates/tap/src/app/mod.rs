//! The program's state and what changes it, with no terminal, files or clock: messages come in with the time, effects
//! go out as data for the shell to run.

mod accept;
mod edit;
mod fields;
mod lanes;
mod lines;
mod pick;
mod port;
mod prompt;
mod reading;
mod shown;
mod sight;
mod sources;
mod taking;
mod talk;
mod tasks;
mod tools;
mod trouble;
mod undo;
mod update;

pub(crate) use fields::{FieldId, PartList};
pub(crate) use lanes::{AnalogLane, Lanes};
pub(crate) use lines::{LineForm, Lines};
pub(crate) use pick::{Pick, Picked};
pub(crate) use prompt::Prompt;
pub(crate) use reading::chain_of;
pub(crate) use shown::{ChannelShown, Shown};
pub(crate) use sight::Sight;
pub(crate) use sources::{ChannelId, Watched};
pub(crate) use taking::{Taking, in_words, name_of};
pub(crate) use talk::Talk;
use tasks::Underway;
pub(crate) use tasks::{Done, Task, TaskKind};
pub(crate) use tools::{CalibrationRow, Tool};
pub(crate) use update::insert;

use amber_core::Stamp;
use amber_core::axis::FitAxis;
use amber_core::bench::{Bench, Kind, Shared};
use amber_core::chain::{Chain, Channel, Reading};
use amber_core::talk::Saying;
use amber_io::take::{Mark, OpenedTake, Place as TakePlace, Report};
use amber_io::{Feed, LinkState};
use crossterm::event::{KeyEvent, MouseEvent};
use jiff::tz::TimeZone;
use std::collections::HashMap;
use std::path::PathBuf;

/// The six stages of the chain, in their order.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Stage {
    Wire,
    Split,
    Scale,
    Smooth,
    Watch,
    Keep,
}

impl Stage {
    pub(crate) const ALL: [Stage; 6] =
        [Stage::Wire, Stage::Split, Stage::Scale, Stage::Smooth, Stage::Watch, Stage::Keep];

    pub(crate) fn name(self) -> &'static str {
        match self {
            Stage::Wire => "wire",
            Stage::Split => "split",
            Stage::Scale => "scale",
            Stage::Smooth => "smooth",
            Stage::Watch => "watch",
            Stage::Keep => "keep",
        }
    }

    /// The key that opens its panel.
    pub(crate) fn number(self) -> usize {
        self as usize + 1
    }
}

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

/// What stands in the middle of the screen.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum View {
    #[default]
    Chart,
    /// The selected channel's number, as large as there is room.
    Number,
    /// The rows.
    Table,
}

/// What stands over the screen, topmost last.
#[derive(Debug)]
pub(crate) enum Overlay {
    /// All keys; scrolled down by so many lines.
    Help(u16),
    /// A line is being typed.
    Prompt(Prompt),
    /// One of a list is being chosen.
    Pick(Pick),
    /// A line to the board is being typed.
    Talk,
    /// Quit, although something would be lost?
    QuitQuestion,
}

/// What a typed line is for.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Purpose {
    /// A mark's note; the moment is when the key was pressed.
    Mark(Stamp),
    /// The y limits of the lane of this unit.
    Limits(String),
    /// A setting in a panel.
    Field(FieldId),
    /// A new channel's name and formula.
    NewFormula,
    /// What the level of this number really was.
    Really(u64),
    /// What a channel's travel is to become.
    Travel,
    /// The bench file's path.
    /// Where to save the bench; the file that was said to be there already.
    BenchPath(Option<PathBuf>),
    /// What a channel is called.
    ChannelName(usize),
    /// The words for a channel's codes.
    ChannelWords(usize),
    /// Which lines of the wire are shown.
    LineFilter,
    /// Which line of the wire is looked for.
    LineSearch,
    /// The name under which a line to send is kept.
    SayingName(Saying),
    /// How often a line is sent.
    SayingEvery(Saying),
}

/// A passing message in the footer.
#[derive(Debug)]
pub(crate) struct Notice {
    pub(crate) text: String,
    /// Something went wrong, rather than well.
    pub(crate) bad: bool,
    pub(crate) until: Stamp,
}

/// What comes in.
#[derive(Debug)]
pub(crate) enum Message {
    Key(KeyEvent),
    Mouse(MouseEvent),
    /// Text came from another program at once; never keys.
    Paste(String),
    /// From the source at this place.
    Feed(usize, Feed),
    /// From the keeper of the source at this place.
    Report(usize, Report),
    /// A figure was written, or could not be.
    Figure(Result<Vec<PathBuf>, String>),
    /// The bench was written, or could not be.
    BenchSaved(Result<(PathBuf, Box<Bench>), String>),
    /// Another bench is in that file, so nothing was saved.
    BenchThere(PathBuf),
    /// What came of a task.
    Done(Done),
}

/// What goes out, for the shell to do.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Effect {
    /// Start a take, with the settings of each source.
    StartTake {
        place: TakePlace,
        benches: Vec<Bench>,
    },
    StopTake,
    Mark {
        at: Stamp,
        note: String,
    },
    /// Write the picture in view; the shell asks [`App`] for it.
    Figure,
    SaveBench {
        path: PathBuf,
        bench: Box<Bench>,
        /// Also into another bench that is there.
        may_replace: bool,
    },
    /// Let go of the source at this place and open this one.
    Open(usize, amber_core::bench::Source),
    /// Tell the link of the source at this place to do something.
    Tell(usize, LinkOrder),
    /// Ring the terminal's bell.
    Bell,
    /// Put this text where other programs paste from.
    Copy(String),
    Quit,
}

/// What the link is told from the keyboard.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum LinkOrder {
    Lend { back: bool },
    TakeBack,
    Reset,
    FindBaud,
    Send(Vec<u8>),
}

/// Everything that the screen shows.
pub(crate) struct App {
    /// The sources, in their order; there is at least one.
    pub(crate) watched: Vec<Watched>,
    /// What is set once, for all of them.
    pub(crate) shared: Shared,
    pub(crate) taking: Taking,
    /// What the take of each source holds, and how many of them have ended.
    summaries: Vec<Option<amber_io::take::Summary>>,
    stopped: usize,
    pub(crate) marks: Vec<Mark>,
    pub(crate) sight: Sight,
    /// What shows all of the takes that are watched, as far as they are read.
    all_in_sight: Sight,
    pub(crate) shown: Shown,
    /// The selected channel, and with it the selected source.
    pub(crate) selected: ChannelId,
    pub(crate) view: View,
    pub(crate) lines: Lines,
    pub(crate) talk: Talk,
    /// A lent port is taken back when the other program is done with it.
    pub(crate) takes_back: bool,
    pub(crate) panel: Option<(Stage, usize)>,
    /// Lines by which the panel is moved up, beyond what the chosen setting needs.
    pub(crate) panel_scroll: u16,
    pub(crate) overlays: Vec<Overlay>,
    undo: undo::Undo,
    /// What is to be done by somebody else, and whether long work is.
    tasks: Vec<Task>,
    defers: bool,
    /// What stands in a panel's place.
    pub(crate) tool: Option<Tool>,
    pub(crate) calibrating: tools::Calibrating,
    pub(crate) surveying: tools::Surveying,
    pub(crate) doctor: tools::Doctor,
    /// The levels of the selected channel that were told with a bell: its number, and theirs.
    rung: (ChannelId, u64),
    pub(crate) notice: Option<Notice>,
    pub(crate) axes: HashMap<String, FitAxis>,
    pub(crate) bench_file: Option<PathBuf>,
    /// The settings as they are in the file, or as they were at the start.
    pub(crate) saved_bench: Bench,
    /// Quit as soon as the bench is saved.
    pub(crate) quit_when_saved: bool,
    /// Where takes and figures go.
    pub(crate) folder: PathBuf,
    pub(crate) now: Stamp,
    pub(crate) zone: TimeZone,
    /// The screen's size in columns and rows, as last drawn or resized.
    pub(crate) size: (u16, u16),
}

impl App {
    /// A live source that is about to be opened.
    pub(crate) fn live(chain: Chain, shared: Shared, folder: PathBuf, bench_file: Option<PathBuf>, now: Stamp) -> App {
        let source = Source::Live { link: LinkState::Opening };
        App::new(Watched::new(chain, source), shared, folder, bench_file, now)
    }

    /// A take, with its rows in `chain`, as far as they are read.
    pub(crate) fn take(chain: Chain, shared: Shared, take: OpenedTake, bench_file: Option<PathBuf>) -> App {
        let end = take.end();
        let folder = take.folder.parent().map(PathBuf::from).unwrap_or_default();
        let (marks, told) = (take.marks.clone(), take.told.clone());
        let source = Source::Take(Box::new(take));
        let mut app = App::new(Watched::new(chain, source), shared, folder, bench_file, end);
        app.marks = marks;
        app.show_all_takes();
        if let Some(first) = told.first() {
            let more = told.len() - 1;
            let rest = if more > 0 { format!(" (and {more} more)") } else { String::new() };
            app.say(format!("{first}{rest}"), true);
        }
        app
    }

    fn new(watched: Watched, shared: Shared, folder: PathBuf, bench_file: Option<PathBuf>, now: Stamp) -> App {
        let sources = vec![watched.chain.live_settings()];
        App {
            sight: Sight::live(shared.screen.span),
            all_in_sight: Sight::live(shared.screen.span),
            saved_bench: Bench { shared: shared.clone(), sources },
            watched: vec![watched],
            shared,
            taking: Taking::default(),
            summaries: Vec::new(),
            stopped: 0,
            marks: Vec::new(),
            shown: Shown::default(),
            selected: ChannelId::default(),
            view: View::Chart,
            lines: Lines::default(),
            talk: Talk::default(),
            takes_back: true,
            panel: None,
            panel_scroll: 0,
            overlays: Vec::new(),
            undo: undo::Undo::default(),
            tasks: Vec::new(),
            defers: false,
            tool: None,
            calibrating: tools::Calibrating::default(),
            surveying: tools::Surveying::default(),
            doctor: tools::Doctor::default(),
            rung: (ChannelId::default(), 0),
            notice: None,
            axes: HashMap::new(),
            bench_file,
            quit_when_saved: false,
            folder,
            now,
            zone: TimeZone::system(),
            size: (0, 0),
        }
    }

    /// The selected channel, if there is any.
    pub(crate) fn channel(&self) -> Option<&Channel> {
        self.chain().channels().get(self.selected.channel)
    }

    /// What the screen shows of channel `id`, if it has shown anything of it.
    pub(crate) fn reading(&self, id: ChannelId) -> Option<Reading> {
        self.shown.of(id).reading
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

    /// An instant on the wall, in the person's own time zone.
    pub(crate) fn wall(&self, at: Stamp, format: &str) -> String {
        let moment = jiff::Timestamp::from_nanosecond(i128::from(at.0)).unwrap_or(jiff::Timestamp::UNIX_EPOCH);
        moment.to_zoned(self.zone.clone()).strftime(format).to_string()
    }

    /// The instant at the right edge of the chart.
    pub(crate) fn end(&self) -> Stamp {
        self.sight.held.unwrap_or_else(|| self.present())
    }

    /// The instant at the right edge when nothing is held: now; for texts, whose rows have times of their own, that of
    /// the newest row.
    pub(crate) fn present(&self) -> Stamp {
        let newest = |chain: &Chain| {
            let rows = chain.store().rows();
            chain.store().time(rows.end.checked_sub(1)?).filter(|_| chain.timer().is_text_time())
        };
        let of_texts = self.chains().map(newest).collect::<Option<Vec<Stamp>>>();
        of_texts.and_then(|times| times.into_iter().max()).unwrap_or(self.now)
    }

    /// Whether time stands still on the screen.
    pub(crate) fn is_held(&self) -> bool {
        self.sight.held.is_some()
    }

    /// Whether a take is watched, rather than a port.
    pub(crate) fn is_take(&self) -> bool {
        matches!(self.source(), Source::Take(_))
    }

    /// Whether settings differ from what is saved. Channels that were merely found do not count, nor does the zoom.
    pub(crate) fn unsaved(&self) -> bool {
        let plain = |bench: &Bench| {
            let mut bench = bench.clone();
            for (source, chain) in bench.sources.iter_mut().zip(self.chains()) {
                source.channel.retain(|channel| !chain.is_as_found(channel));
                source.channel.sort_by(|a, b| a.name.cmp(&b.name));
                source.wire.usb.clear();
            }
            bench.shared.screen.span = 0.0;
            bench
        };
        plain(&self.bench()) != plain(&self.saved_bench)
    }

    /// Puts a passing message into the footer.
    pub(crate) fn say(&mut self, text: impl Into<String>, bad: bool) {
        let seconds = if bad { 12.0 } else { 5.0 };
        self.notice = Some(Notice { text: text.into(), bad, until: self.now.plus(seconds) });
    }

    /// Says what is wrong in the bench file; the rest of it is in force.
    pub(crate) fn say_mistakes(&mut self, mistakes: &[String]) {
        if let Some(first) = mistakes.first() {
            let more = mistakes.len() - 1;
            let more = if more > 0 { format!(" (and {more} more)") } else { String::new() };
            self.say(format!("{first}{more}; the rest is loaded"), true);
        }
    }
}

#[cfg(test)]
#[path = "app_tests.rs"]
mod tests;

#[cfg(test)]
#[path = "wire_tests.rs"]
mod wire_tests;

#[cfg(test)]
#[path = "state_tests.rs"]
mod state_tests;

#[cfg(test)]
#[path = "keys_tests.rs"]
mod keys_tests;

#[cfg(test)]
#[path = "tools_tests.rs"]
mod tools_tests;

#[cfg(test)]
#[path = "tasks_tests.rs"]
mod tasks_tests;
