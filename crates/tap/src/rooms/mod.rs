//! The rooms: each panel, tool and view is a folder of its own with its state, actions, keys, update, view and tests. A
//! room is handed the session, to look at and to set, and gives effects: what it wants done. Adding one touches its
//! folder and one line of the registry below.

pub(crate) mod block;
pub(crate) mod calibrate;
pub(crate) mod chart;
pub(crate) mod checkup;
pub(crate) mod compare;
pub(crate) mod conditions;
pub(crate) mod cursors;
pub(crate) mod dial;
pub(crate) mod events;
pub(crate) mod finder;
pub(crate) mod help;
pub(crate) mod home;
pub(crate) mod interval;
pub(crate) mod keep;
pub(crate) mod lines;
pub(crate) mod list;
pub(crate) mod listing;
pub(crate) mod number;
pub(crate) mod panel;
pub(crate) mod prompt;
pub(crate) mod quit;
pub(crate) mod scale;
pub(crate) mod smooth;
pub(crate) mod spectrum;
pub(crate) mod split;
pub(crate) mod stations;
pub(crate) mod survey;
pub(crate) mod table;
pub(crate) mod takes;
pub(crate) mod talk;
pub(crate) mod target;
pub(crate) mod trial;
pub(crate) mod watch;
pub(crate) mod wire;

use crate::keys::{Binding, Key};
use crate::session::{Request, Session};
use crate::theme::Theme;
use crossterm::event::KeyEvent;
use list::List;
use panel::{Panel, PartList, Row, SingleSetting};
use prompt::Prompt;
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use std::fmt::Debug;

/// What a room is.
#[derive(Debug)]
pub(crate) struct About {
    /// What it is called.
    pub(crate) name: &'static str,
    /// What it is for, in a few words.
    pub(crate) help: &'static str,
    pub(crate) place: Place,
}

/// Where a room stands on the screen.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Place {
    /// Nowhere: its keys work everywhere else.
    Everywhere,
    /// Beside the view, in so many columns where there is room.
    Side(u16),
    /// In the middle: a view.
    Middle,
    /// Over the others.
    Over,
}

/// What a room wants done.
#[derive(Debug)]
pub(crate) enum Effect {
    /// Ask for a line of text.
    Ask(Prompt),
    /// Let one of a list be chosen.
    Choose(List),
    /// Open the finder.
    Find,
    /// Show a room; close it if it is open already.
    Show(RoomId),
    /// Close the room that is shown.
    Close,
    /// Do something outside the program.
    Outside(Request),
}

impl From<Request> for Effect {
    fn from(request: Request) -> Effect {
        Effect::Outside(request)
    }
}

/// Requests as effects.
pub(crate) fn outside(requests: Vec<Request>) -> Vec<Effect> {
    requests.into_iter().map(Effect::Outside).collect()
}

/// A panel, tool or view.
pub(crate) trait Room: Default {
    /// What its keys do.
    type Action: Copy + PartialEq + Debug + 'static;

    const ABOUT: About;

    /// Its table of keys.
    fn bindings() -> Vec<(&'static Key, Self::Action)>;

    /// Does what a key says.
    fn act(&mut self, action: Self::Action, session: &mut Session) -> Vec<Effect>;

    /// It is being shown.
    ///
    /// # Errors
    /// Why it cannot be.
    fn open(&mut self, _session: &mut Session) -> Result<(), String> {
        Ok(())
    }

    /// Every key is typed here now, whatever the tables say.
    fn is_typing(&self) -> bool {
        false
    }

    /// A key came that is in no table; gives whether it was typed here.
    fn type_key(&mut self, _key: KeyEvent) -> bool {
        false
    }

    /// Text was pasted; gives whether it was taken in.
    fn paste(&mut self, _text: &str) -> bool {
        false
    }

    /// Time passed, and the numbers were perhaps refreshed; gives whether something else is to be seen.
    fn follow(&mut self, _session: &mut Session, _time: Follow) -> bool {
        false
    }

    /// The settings of a panel that stand alone.
    fn settings() -> Vec<&'static SingleSetting> {
        Vec::new()
    }

    /// The rows of a panel.
    fn rows(&self, _session: &Session) -> Vec<Row> {
        Vec::new()
    }

    /// Selects a row of a panel, by its place among those that can be.
    fn select(&mut self, _at: usize, _session: &mut Session) {}

    /// The wheel was turned over it, by so many lines (negative: up); gives whether it scrolls.
    fn scroll(&mut self, _by: i32, _session: &mut Session) -> bool {
        false
    }

    /// A place of it was clicked, in an area as it is drawn.
    fn click(&mut self, _at: (u16, u16), _area: Rect, _session: &mut Session) -> Vec<Effect> {
        Vec::new()
    }

    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer);
}

/// What a room may follow.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Follow {
    pub(crate) now: amber_core::Stamp,
    /// The numbers on the screen were refreshed.
    pub(crate) refreshed: bool,
    /// The room is shown.
    pub(crate) is_open: bool,
}

/// Any room, its actions by their places in its table.
pub(crate) trait AnyRoom {
    /// Does what row `index` of its table says.
    fn act_at(&mut self, index: usize, session: &mut Session) -> Vec<Effect>;
    /// [`Room::open`].
    ///
    /// # Errors
    /// Why it cannot be shown.
    fn open(&mut self, session: &mut Session) -> Result<(), String>;
    fn is_typing(&self) -> bool;
    fn type_key(&mut self, key: KeyEvent) -> bool;
    fn paste(&mut self, text: &str) -> bool;
    fn follow(&mut self, session: &mut Session, time: Follow) -> bool;
    fn rows(&self, session: &Session) -> Vec<Row>;
    fn select(&mut self, at: usize, session: &mut Session);
    fn scroll(&mut self, by: i32, session: &mut Session) -> bool;
    fn click(&mut self, at: (u16, u16), area: Rect, session: &mut Session) -> Vec<Effect>;
    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer);
}

impl<R: Room> AnyRoom for R {
    fn act_at(&mut self, index: usize, session: &mut Session) -> Vec<Effect> {
        let action = R::bindings().get(index).map(|(_, action)| *action);
        action.map_or_else(Vec::new, |action| self.act(action, session))
    }
    fn open(&mut self, session: &mut Session) -> Result<(), String> {
        Room::open(self, session)
    }
    fn is_typing(&self) -> bool {
        Room::is_typing(self)
    }
    fn type_key(&mut self, key: KeyEvent) -> bool {
        Room::type_key(self, key)
    }
    fn paste(&mut self, text: &str) -> bool {
        Room::paste(self, text)
    }
    fn follow(&mut self, session: &mut Session, time: Follow) -> bool {
        Room::follow(self, session, time)
    }
    fn rows(&self, session: &Session) -> Vec<Row> {
        Room::rows(self, session)
    }
    fn select(&mut self, at: usize, session: &mut Session) {
        Room::select(self, at, session);
    }
    fn scroll(&mut self, by: i32, session: &mut Session) -> bool {
        Room::scroll(self, by, session)
    }
    fn click(&mut self, at: (u16, u16), area: Rect, session: &mut Session) -> Vec<Effect> {
        Room::click(self, at, area, session)
    }
    fn draw(&self, session: &Session, theme: Theme, area: Rect, buffer: &mut Buffer) {
        Room::draw(self, session, theme, area, buffer);
    }
}

/// A table as [`Room::bindings`] gives it.
pub(crate) fn listed<A: Copy>(table: &'static [Binding<A>]) -> Vec<(&'static Key, A)> {
    table.iter().map(|binding| (&binding.key, binding.action)).collect()
}

macro_rules! rooms {
    ($($name:ident $field:ident: $room:ty;)+) => {
        /// A room, by its name.
        #[derive(Clone, Copy, Debug, PartialEq, Eq)]
        pub(crate) enum RoomId {
            $($name),+
        }

        /// All rooms with their state.
        #[derive(Default)]
        pub(crate) struct Rooms {
            $(pub(crate) $field: $room),+
        }

        impl RoomId {
            pub(crate) const ALL: &'static [RoomId] = &[$(RoomId::$name),+];

            pub(crate) fn about(self) -> &'static About {
                match self {
                    $(RoomId::$name => &<$room as Room>::ABOUT),+
                }
            }

            /// Its settings that stand alone, where it is a panel.
            pub(crate) fn settings(self) -> Vec<&'static SingleSetting> {
                match self {
                    $(RoomId::$name => <$room as Room>::settings()),+
                }
            }

            /// Its table of keys.
            pub(crate) fn keys(self) -> Vec<&'static Key> {
                match self {
                    $(RoomId::$name => <$room as Room>::bindings().into_iter().map(|(key, _)| key).collect()),+
                }
            }
        }

        impl Rooms {
            pub(crate) fn get(&self, id: RoomId) -> &dyn AnyRoom {
                match id {
                    $(RoomId::$name => &self.$field),+
                }
            }

            pub(crate) fn get_mut(&mut self, id: RoomId) -> &mut dyn AnyRoom {
                match id {
                    $(RoomId::$name => &mut self.$field),+
                }
            }
        }
    };
}

rooms! {
    Home home: home::Home;
    Wire wire: Panel<wire::Wire>;
    Split split: Panel<split::Split>;
    Scale scale: Panel<scale::Scale>;
    Smooth smooth: Panel<smooth::Smooth>;
    Watch watch: Panel<watch::Watch>;
    Keep keep: Panel<keep::Keep>;
    Conditions conditions: Panel<conditions::Conditions>;
    Cursors cursors: cursors::Cursors;
    Calibrate calibrate: calibrate::Calibrate;
    Survey survey: survey::Survey;
    Checkup checkup: checkup::Checkup;
    Chart chart: chart::Chart;
    Table table: table::Table;
    Lines lines: lines::Lines;
    Number number: number::Number;
    Dial dial: dial::Dial;
    Spectrum spectrum: spectrum::Spectrum;
    Block block: block::Block;
    Trial trial: trial::Trial;
    Events events: events::Events;
    Target target: target::Target;
    Interval interval: interval::Interval;
    Listing listing: listing::Listing;
    Stations stations: stations::Stations;
    Takes takes: takes::Takes;
    Compare compare: compare::Compare;
    Talk talk: talk::Talk;
    Help help: help::Help;
    Quit quit: quit::Quit;
}

impl Rooms {
    /// Selects a part in the room of its list.
    pub(crate) fn select_part(&mut self, list: PartList, part: usize, session: &mut Session) {
        match list {
            PartList::Steps => self.scale.select_part(list, part, session),
            PartList::Filters => self.smooth.select_part(list, part, session),
            PartList::Conditions | PartList::Tests | PartList::Answers => {
                self.conditions.select_part(list, part, session);
            }
        }
    }
}

impl RoomId {
    /// The panel of a stage.
    pub(crate) fn of_stage(stage: crate::session::Stage) -> RoomId {
        use crate::session::Stage;
        match stage {
            Stage::Wire => RoomId::Wire,
            Stage::Split => RoomId::Split,
            Stage::Scale => RoomId::Scale,
            Stage::Smooth => RoomId::Smooth,
            Stage::Watch => RoomId::Watch,
            Stage::Keep => RoomId::Keep,
        }
    }
}

/// The row that says that there is no channel yet.
fn no_channel() -> Row {
    Row::fact("no channel yet", "rows must arrive first")
}

/// The one of `all` that lies `by` places behind `now`, around the end; `now` itself where it is none of them.
fn turned<T: Copy + PartialEq>(all: &[T], now: T, by: i32) -> T {
    let place = all.iter().position(|own| *own == now);
    let place = place.map(|place| (place as i32 + by).rem_euclid(all.len() as i32) as usize);
    place.and_then(|place| all.get(place)).copied().unwrap_or(now)
}

/// The second of two words, or the first.
fn either([first, second]: [&'static str; 2], is_second: bool) -> &'static str {
    if is_second { second } else { first }
}

/// The row that says which channel a panel is of.
fn channel_row(session: &Session) -> Row {
    let id = session.selected;
    Row::fact("channel", format!("{} {}", session.letter(id), session.channel_at(id).title()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_key_means_two_things_in_one_room_and_every_row_has_its_texts() {
        for id in RoomId::ALL {
            let keys = id.keys();
            for (i, key) in keys.iter().enumerate() {
                assert!(!key.label.is_empty() && !key.help.is_empty(), "{id:?}");
                let twice = keys[..i].iter().any(|other| key.presses.iter().any(|press| other.presses.contains(press)));
                assert!(!twice, "{} appears twice in {id:?}", key.label);
            }
        }
    }

    #[test]
    fn the_main_screen_has_at_most_thirty_keys() {
        assert!(RoomId::Home.keys().len() <= 30, "{}", RoomId::Home.keys().len());
    }
}

#[cfg(test)]
#[path = "page_tests.rs"]
mod page_tests;
