//! The codec of `events.csv`: the events of the conditions, a row each, with what the channels said then.

use super::columns::{Column, Style};
use super::sheet::free_name;
use super::when::{self, WallClock};
use amber_core::Stamp;
use amber_core::bench::ChannelSettings;
use amber_core::clock::Across;
use amber_core::derive::Values;
use amber_core::watch::condition::{Change, Condition, Conditions, Event};
use std::io::Write;

/// A column: its name, datatype, unit and meaning.
type OwnColumn = (&'static str, &'static str, &'static str, &'static str);

/// The columns in front of those of the channels.
pub(super) fn own_columns(across: Across) -> [OwnColumn; 6] {
    let [at, began, duration]: [OwnColumn; 3] = match across {
        Across::Seconds => [
            (
                "time_s",
                "decimal",
                "s",
                "when it had held for as long as it must, in seconds since the start of the take",
            ),
            ("began_s", "decimal", "s", "since when its tests said so"),
            (
                "duration_s",
                "decimal",
                "s",
                "from began_s until they did so no longer; empty where that is not in the take",
            ),
        ],
        Across::Rows(_) => [
            ("row", "decimal", "rows", "the row, from 0, at which it had held for as long as it must"),
            ("began_row", "decimal", "rows", "the row since which its tests said so"),
            (
                "rows",
                "decimal",
                "rows",
                "from began_row until they did so no longer; empty where that is not in the take",
            ),
        ],
    };
    [
        ("number", "integer", "", "in the order in which events came; rows stand in the order in which they ended"),
        ("condition", "string", "", "the condition that came true, by its name in bench.toml"),
        at,
        ("wall_clock", "dateTime", "", "when it came true, on the host's clock, UTC; empty for rows of a text"),
        began,
        duration,
    ]
}

/// The names of all columns, those of `channels` last; none comes twice.
pub(super) fn names(channels: &[Column], across: Across) -> Vec<String> {
    let mut names: Vec<String> = own_columns(across).iter().map(|(name, ..)| (*name).to_owned()).collect();
    for channel in channels {
        names.push(free_name(channel.name.clone(), |name| names.iter().any(|own| own == name)));
    }
    names
}

/// Finds the events in the rows of a table, and writes them.
#[derive(Debug)]
pub(super) struct Events {
    conditions: Conditions,
    changes: Vec<Change>,
    /// Those that go on, with their cells of the channels.
    open: Vec<(Event, Vec<u8>)>,
    wall: WallClock,
    has_header: bool,
    written: u64,
    out: Vec<u8>,
}

/// What an event's row needs of the table.
pub(super) struct Context<'a> {
    pub(super) columns: &'a [Column],
    /// The instant that is 0.
    pub(super) origin: Stamp,
    pub(super) is_text_time: bool,
    pub(super) across: Across,
    pub(super) style: Style,
}

impl Events {
    pub(super) fn new(conditions: &[Condition]) -> Events {
        Events {
            conditions: Conditions::new(conditions, &[]),
            changes: Vec::new(),
            open: Vec::new(),
            wall: WallClock::default(),
            has_header: false,
            written: 0,
            out: Vec::new(),
        }
    }

    /// Whether there is anything to watch for.
    pub(super) fn are_watched_for(&self) -> bool {
        !self.conditions.is_empty()
    }

    pub(super) fn follow(&mut self, channels: &[ChannelSettings]) {
        self.conditions.follow(channels);
    }

    pub(super) fn break_off(&mut self) {
        self.conditions.break_off();
    }

    /// What cannot be tested, in sentences.
    pub(super) fn troubles(&self) -> Vec<String> {
        self.conditions.troubles()
    }

    /// Takes rows that follow one another, the first of which has the number `first`.
    pub(super) fn rows(&mut self, first: u64, times: &[Stamp], values: &[Values], context: &Context<'_>) {
        if !self.are_watched_for() {
            return;
        }
        self.conditions.rows(first, times, values, &mut self.changes);
        self.note(context, |event, out| {
            for column in context.columns {
                out.push(context.style.delimiter());
                // Between rows no channel says anything.
                if let Some(row) = event.row {
                    column.write_row(values, (row - first) as usize, context.style, out);
                }
            }
        });
    }

    /// Nothing comes any more, and time has passed until `now`: what goes on is written without its end.
    pub(super) fn finish(&mut self, now: Option<Stamp>, context: &Context<'_>) {
        if let Some(now) = now {
            self.conditions.tick(now, &mut self.changes);
            self.note(context, |_, out| {
                out.extend(std::iter::repeat_n(context.style.delimiter(), context.columns.len()))
            });
        }
        for (event, cells) in std::mem::take(&mut self.open) {
            self.write(&event, &cells, context);
        }
    }

    /// The part of the file that was made since the last call.
    pub(super) fn take_output(&mut self) -> Vec<u8> {
        std::mem::take(&mut self.out)
    }

    /// Events so far, those that go on included.
    pub(super) fn count(&self) -> u64 {
        self.written + self.open.len() as u64
    }

    fn note(&mut self, context: &Context<'_>, cells: impl Fn(&Event, &mut Vec<u8>)) {
        for change in std::mem::take(&mut self.changes) {
            match change {
                Change::Fired(event) => {
                    let mut out = Vec::new();
                    cells(&event, &mut out);
                    self.open.push((event, out));
                }
                Change::Ended { number, at } => {
                    if let Some(place) = self.open.iter().position(|(event, _)| event.number == number) {
                        let (event, cells) = self.open.remove(place);
                        self.write(&Event { ended: Some(at), ..event }, &cells, context);
                    }
                }
            }
        }
    }

    /// Writes the header, once the columns are known.
    pub(super) fn begin(&mut self, columns: &[Column], across: Across, style: Style) {
        if std::mem::replace(&mut self.has_header, true) || !self.are_watched_for() {
            return;
        }
        self.out.extend_from_slice(names(columns, across).join(&char::from(style.delimiter()).to_string()).as_bytes());
        self.out.extend_from_slice(b"\r\n");
    }

    fn write(&mut self, event: &Event, cells: &[u8], context: &Context<'_>) {
        self.begin(context.columns, context.across, context.style);
        self.written += 1;
        let (style, comma) = (context.style, context.style.delimiter());
        let time = |nanoseconds: i64, out: &mut Vec<u8>| when::along(context.across, nanoseconds, style, out);
        let name = &self.conditions.settings()[event.condition].name;
        // Writing to a vector cannot fail. A name is plain, so that it needs no quotes.
        let _ = write!(self.out, "{0}{1}{name}{1}", event.number, char::from(comma));
        time(event.at.0 - context.origin.0, &mut self.out);
        self.out.push(comma);
        if !context.is_text_time {
            self.wall.write(event.at, &mut self.out);
        }
        self.out.push(comma);
        time(event.began.0 - context.origin.0, &mut self.out);
        self.out.push(comma);
        if let Some(ended) = event.ended {
            time(ended.0 - event.began.0, &mut self.out);
        }
        self.out.extend_from_slice(cells);
        self.out.extend_from_slice(b"\r\n");
    }
}
