//! Keys as data: one table from which the program's behaviour, its footer, its help and the page of keys (docs/keys.md) come.

use crate::app::Stage;
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

/// Where a key means something.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Place {
    /// The main screen.
    Main,
    /// A stage's panel, before the main screen.
    Panel,
    /// A panel with a list of parts (steps, filters), before any panel.
    Parts,
    /// The panel of the scale, before its list.
    Scale,
    /// A calibration is open, before the main screen.
    Calibrate,
    /// A survey is open, before the main screen.
    Survey,
    /// The doctor's findings are open, before the main screen.
    Doctor,
    /// One of a list is being chosen.
    Pick,
    /// A line of text is being typed.
    Prompt,
    /// A question is being asked.
    Question,
    /// The wire's lines are open, before the main screen.
    Lines,
    /// A line to the board is being typed.
    Talk,
    /// What to watch is being chosen, before there is a main screen.
    Choose,
    /// The help is open.
    Help,
}

/// What a key does.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Panel(Stage),
    ClosePanel,
    NextChannel,
    PreviousChannel,
    ShowOrHide,
    Hold,
    Earlier,
    Later,
    PageEarlier,
    PageLater,
    Oldest,
    Newest,
    Closer,
    Wider,
    AxisRule,
    AxisLimits,
    Motion,
    Large,
    Table,
    Take,
    Mark,
    Figure,
    SaveBench,
    Help,
    Quit,
    FieldUp,
    FieldDown,
    Less,
    More,
    Edit,
    Accept,
    Cancel,
    StopAndQuit,
    QuitAnyway,
    SaveAndQuit,
    CloseHelp,
    Lines,
    LineUp,
    LineDown,
    LinesUp,
    LinesDown,
    OldestLine,
    NewestLine,
    HoldLines,
    LineForm,
    LineFilter,
    LineSearch,
    SearchOlder,
    SearchNewer,
    FewerLines,
    MoreLines,
    CopyLine,
    Talk,
    SendLine,
    SayingUp,
    SayingDown,
    Ending,
    NameSaying,
    RepeatSaying,
    CloseTalk,
    FindBaud,
    ResetBoard,
    LendPort,
    TakeOffer,
    ChannelUp,
    ChannelDown,
    CodeWords,
    NextSource,
    Calibrate,
    Survey,
    Doctor,
    CloseTool,
    LevelUp,
    LevelDown,
    PreviousCurve,
    NextCurve,
    TypeReally,
    ForgetReally,
    ForgetAll,
    TakeCalibration,
    TypeTravel,
    SurveyAgain,
    DoctorUp,
    DoctorDown,
    Zero,
    ZeroAll,
    Undo,
    Redo,
    NewFormula,
    RemoveComputed,
    RawBeside,
    AddPart,
    DeletePart,
    PartUp,
    PartDown,
    BypassPart,
    Advise,
    PickUp,
    PickDown,
    TakePick,
    PanelUp,
    PanelDown,
    ItemUp,
    ItemDown,
    FirstItem,
    LastItem,
    WatchItem,
    TypePath,
    LeaveList,
}

impl Action {
    /// Whether it is about the selected channel, so that there must be one.
    pub(crate) fn needs_channel(self) -> bool {
        use Action::*;
        matches!(
            self,
            NextChannel
                | PreviousChannel
                | ShowOrHide
                | AxisRule
                | AxisLimits
                | Zero
                | ZeroAll
                | Calibrate
                | Survey
                | AddPart
                | DeletePart
                | PartUp
                | PartDown
                | BypassPart
                | Advise
                | RawBeside
                | RemoveComputed
                | LevelUp
                | LevelDown
                | PreviousCurve
                | NextCurve
                | TypeReally
                | ForgetReally
                | ForgetAll
                | TakeCalibration
                | TypeTravel
                | SurveyAgain
                | ChannelUp
                | ChannelDown
                | CodeWords
        )
    }
}

/// One row of the table.
pub(crate) struct Binding {
    pub(crate) place: Place,
    pub(crate) keys: &'static [(KeyCode, KeyModifiers)],
    pub(crate) action: Action,
    /// The keys as a person reads them.
    pub(crate) label: &'static str,
    /// A sentence for the help.
    pub(crate) help: &'static str,
    /// A word for the footer, where it stands there.
    pub(crate) footer: Option<&'static str>,
}

const NONE: KeyModifiers = KeyModifiers::NONE;
const CTRL: KeyModifiers = KeyModifiers::CONTROL;

macro_rules! keys {
    ($($place:ident: [$(($code:expr, $mods:expr)),+], $action:expr, $label:literal, $help:literal, $footer:expr;)+) => {
        &[$(Binding {
            place: Place::$place,
            keys: &[$(($code, $mods)),+],
            action: $action,
            label: $label,
            help: $help,
            footer: $footer,
        }),+]
    };
}

use Action as A;
use KeyCode::{BackTab, Char, Down, End, Enter, Esc, F, Home, Left, PageDown, PageUp, Right, Tab, Up};

/// Every key of the program.
pub(crate) const KEYS: &[Binding] = keys! {
    Main: [(Char('1'), NONE)], A::Panel(Stage::Wire), "1", "wire: port, speed, what arrives", None;
    Main: [(Char('2'), NONE)], A::Panel(Stage::Split), "2", "split: how lines become fields, what was refused", None;
    Main: [(Char('3'), NONE)], A::Panel(Stage::Scale), "3", "scale: count to volts to quantity", None;
    Main: [(Char('4'), NONE)], A::Panel(Stage::Smooth), "4", "smooth: less noise, and the delay it costs", None;
    Main: [(Char('5'), NONE)], A::Panel(Stage::Watch), "5", "watch: a threshold and its crossings", None;
    Main: [(Char('6'), NONE)], A::Panel(Stage::Keep), "6", "keep: takes, marks, bench, folders", Some("1-6 stages");
    Main: [(Char(' '), NONE)], A::Hold, "Space", "hold the picture, or go on; counting and takes never stop", Some("Space hold");
    Main: [(Char('t'), NONE)], A::Take, "t", "start a take, or end it", Some("t take");
    Main: [(Char('m'), NONE)], A::Mark, "m", "set a mark with a note", Some("m mark");
    Main: [(Char('f'), NONE)], A::Figure, "f", "write what is in view as SVG and PDF", Some("f figure");
    Main: [(Char('z'), NONE)], A::Zero, "z", "zero: the settled value of the channel counts as 0", Some("z zero");
    Main: [(Char('Z'), NONE)], A::ZeroAll, "Z", "the same for all channels that are settled", None;
    Main: [(Char('c'), NONE)], A::Calibrate, "c", "calibrate the channel by its levels", Some("c calibrate");
    Main: [(Char('u'), NONE)], A::Undo, "u", "undo the last change of settings", Some("u undo");
    Main: [(Char('U'), NONE)], A::Redo, "U", "redo", None;
    Main: [(Tab, NONE), (Down, NONE)], A::NextChannel, "Tab", "next channel (also ↓)", Some("Tab channel");
    Main: [(BackTab, NONE), (Up, NONE)], A::PreviousChannel, "Shift-Tab", "previous channel (also ↑)", None;
    Main: [(Char('v'), NONE)], A::ShowOrHide, "v", "show or hide the channel; it is logged all the same", None;
    Main: [(Char('+'), NONE), (Char('='), NONE)], A::Closer, "+", "zoom in: less time across the chart", Some("+- zoom");
    Main: [(Char('-'), NONE), (Char('_'), NONE)], A::Wider, "-", "zoom out: more time across the chart", None;
    Main: [(Left, NONE)], A::Earlier, "←", "look earlier, which holds the picture", Some("←→ pan");
    Main: [(Right, NONE)], A::Later, "→", "look later", None;
    Main: [(PageUp, NONE)], A::PageEarlier, "PgUp", "a screen earlier", None;
    Main: [(PageDown, NONE)], A::PageLater, "PgDn", "a screen later", None;
    Main: [(Home, NONE)], A::Oldest, "Home", "the oldest that is kept", None;
    Main: [(End, NONE)], A::Newest, "End", "the newest; live again", None;
    Main: [(Char('y'), NONE)], A::AxisRule, "y", "y axis of the channel's lane: fit the data, or full scale", None;
    Main: [(Char('Y'), NONE)], A::AxisLimits, "Y", "type the limits of that y axis", None;
    Main: [(Char('w'), NONE)], A::Motion, "w", "let the chart scroll, or sweep and start over", None;
    Main: [(Char('n'), NONE)], A::Large, "n", "the channel's number as large as the screen", Some("n large");
    Main: [(Char('e'), NONE)], A::Table, "e", "each row in a table, or the chart again", Some("e table");
    Main: [(Char('l'), NONE)], A::Lines, "l", "read the wire's lines, or see the chart again", Some("l lines");
    Main: [(Char(':'), NONE)], A::Talk, ":", "send a line to the board", Some(": talk");
    Main: [(Char('\\'), NONE)], A::NextSource, "\\", "select the next source, where several are watched", None;
    Main: [(Char('o'), NONE)], A::TakeOffer, "o", "read the stream by the other shape that is offered", None;
    Main: [(Char('<'), NONE)], A::ChannelUp, "<", "move the channel up", None;
    Main: [(Char('>'), NONE)], A::ChannelDown, ">", "move the channel down", None;
    Main: [(Char('#'), NONE)], A::CodeWords, "#", "words for the channel's codes, shown and logged", None;
    Main: [(Char('r'), NONE)], A::Survey, "r", "survey the travel of a knob or lever", None;
    Main: [(Char('d'), NONE)], A::Doctor, "d", "check-up of all channels: what looks like a fault", None;
    Main: [(Char('F'), NONE)], A::NewFormula, "F", "a new channel, computed from others by a formula", None;
    Main: [(Char('X'), NONE)], A::RemoveComputed, "X", "delete the computed channel", None;
    Main: [(Char('b'), NONE)], A::RawBeside, "b", "show values as they came beside the scaled ones, or not", None;
    Main: [(Char('B'), NONE)], A::FindBaud, "B", "find the board's speed by listening", None;
    Main: [(Char('R'), NONE)], A::ResetBoard, "R", "reset the board", None;
    Main: [(Char('L'), NONE)], A::LendPort, "L", "lend the port to another program, or take it back", None;
    Main: [(Char('s'), NONE), (Char('s'), CTRL)], A::SaveBench, "s", "save all settings to the bench file", Some("s save");
    Main: [(Char('?'), NONE), (F(1), NONE)], A::Help, "?", "this help", Some("? help");
    Main: [(Char('q'), NONE), (Char('c'), CTRL)], A::Quit, "q", "quit; asks first when something would be lost", Some("q quit");
    Panel: [(Esc, NONE)], A::ClosePanel, "Esc", "close the panel (so does its number)", Some("Esc close");
    Panel: [(Up, NONE)], A::FieldUp, "↑", "the setting above", None;
    Panel: [(Down, NONE)], A::FieldDown, "↓", "the setting below", Some("↑↓ setting");
    Panel: [(Left, NONE)], A::Less, "←", "the choice before, or a little less", None;
    Panel: [(Right, NONE)], A::More, "→", "the next choice, or a little more", Some("←→ change");
    Panel: [(PageUp, NONE)], A::PanelUp, "PgUp", "scroll up, where the panel is too small", None;
    Panel: [(PageDown, NONE)], A::PanelDown, "PgDn", "scroll down", None;
    Panel: [(Enter, NONE)], A::Edit, "Enter", "type the setting", Some("Enter type");
    Parts: [(Char('a'), NONE)], A::AddPart, "a", "add a step or filter behind the selected one", Some("a add");
    Parts: [(Char('x'), NONE), (KeyCode::Delete, NONE)], A::DeletePart, "x", "delete the selected step or filter", Some("x delete");
    Parts: [(Char('<'), NONE)], A::PartUp, "<", "move it up", Some("<> move");
    Parts: [(Char('>'), NONE)], A::PartDown, ">", "move it down", None;
    Parts: [(Char('p'), NONE)], A::BypassPart, "p", "bypass it to compare, or use it again", Some("p bypass");
    Scale: [(Char('A'), NONE)], A::Advise, "A", "which fixed resistor suits the divider, by the range seen", None;
    Calibrate: [(Up, NONE)], A::LevelUp, "↑", "the level before", None;
    Calibrate: [(Down, NONE)], A::LevelDown, "↓", "the level after; at the end, the newest is followed", Some("↑↓ level");
    Calibrate: [(Enter, NONE)], A::TypeReally, "Enter", "type the true value of the level", Some("Enter true value");
    Calibrate: [(Char('x'), NONE), (KeyCode::Delete, NONE)], A::ForgetReally, "x", "forget what was typed for it", Some("x forget");
    Calibrate: [(Char('C'), NONE)], A::ForgetAll, "C", "forget all that was typed, to compare afresh", None;
    Calibrate: [(Left, NONE)], A::PreviousCurve, "←", "the curve before: line, degree 2 and 3, table", None;
    Calibrate: [(Right, NONE)], A::NextCurve, "→", "the next curve", Some("←→ curve");
    Calibrate: [(Char('a'), NONE)], A::TakeCalibration, "a", "take the curve into the scale", Some("a into the scale");
    Calibrate: [(Esc, NONE)], A::CloseTool, "Esc", "close (so does c)", Some("Esc close");
    Survey: [(Enter, NONE)], A::TypeTravel, "Enter", "let the travel become 0 to 100 %, or typed ends", Some("Enter map the travel");
    Survey: [(Char('x'), NONE)], A::SurveyAgain, "x", "begin again", Some("x again");
    Survey: [(Esc, NONE)], A::CloseTool, "Esc", "close (so does r)", Some("Esc close");
    Doctor: [(Up, NONE)], A::DoctorUp, "↑", "scroll up", None;
    Doctor: [(Down, NONE)], A::DoctorDown, "↓", "scroll down", Some("↑↓ read");
    Doctor: [(Esc, NONE)], A::CloseTool, "Esc", "close (so does d)", Some("Esc close");
    Lines: [(Esc, NONE)], A::Lines, "Esc", "the chart again", Some("Esc chart");
    Lines: [(Up, NONE)], A::LineUp, "↑", "the line before, which holds the lines", Some("↑↓ line");
    Lines: [(Down, NONE)], A::LineDown, "↓", "the line after", None;
    Lines: [(PageUp, NONE)], A::LinesUp, "PgUp", "twenty lines before", None;
    Lines: [(PageDown, NONE)], A::LinesDown, "PgDn", "twenty lines after", None;
    Lines: [(Home, NONE)], A::OldestLine, "Home", "the oldest line that is kept", None;
    Lines: [(End, NONE)], A::NewestLine, "End", "the newest; go on", None;
    Lines: [(Char(' '), NONE)], A::HoldLines, "Space", "hold the lines, or go on; the chart has its own hold", Some("Space hold");
    Lines: [(Char('x'), NONE)], A::LineForm, "x", "as text, as bytes in hexadecimal, or both", Some("x bytes");
    Lines: [(Char('/'), NONE)], A::LineSearch, "/", "look back for a text or pattern in all kept lines", Some("/ find");
    Lines: [(Char('n'), NONE)], A::SearchOlder, "n", "the next older one", Some("n older");
    Lines: [(Char('N'), NONE)], A::SearchNewer, "N", "the next newer one", None;
    Lines: [(Char('f'), NONE)], A::LineFilter, "f", "show only lines with a text or a pattern", Some("f filter");
    Lines: [(Char(','), NONE)], A::FewerLines, ",", "fewer lines a second, to be read; every line is kept", Some(",. pace");
    Lines: [(Char('.'), NONE)], A::MoreLines, ".", "more lines a second", None;
    Lines: [(Char('c'), NONE)], A::CopyLine, "c", "copy the line, for other programs to paste", Some("c copy");
    Talk: [(Enter, NONE)], A::SendLine, "Enter", "send the chosen line, or what is typed", Some("Enter send");
    Talk: [(Up, NONE)], A::SayingUp, "↑", "the line above in the list, or what is typed", None;
    Talk: [(Down, NONE)], A::SayingDown, "↓", "a line of the list: named ones, then those sent before", Some("↑↓ choose");
    Talk: [(Tab, NONE)], A::Ending, "Tab", "its ending, or that it is bytes in hexadecimal", Some("Tab ending");
    Talk: [(Char('n'), CTRL)], A::NameSaying, "Ctrl-N", "keep the line in the bench under a name", Some("Ctrl-N name");
    Talk: [(Char('e'), CTRL)], A::RepeatSaying, "Ctrl-E", "send the line again every so often", Some("Ctrl-E repeat");
    Talk: [(Esc, NONE), (Char('c'), CTRL)], A::CloseTalk, "Esc", "close", Some("Esc close");
    Prompt: [(Enter, NONE)], A::Accept, "Enter", "take what was typed", Some("Enter accept");
    Prompt: [(Esc, NONE), (Char('c'), CTRL)], A::Cancel, "Esc", "leave it as it was", Some("Esc cancel");
    Pick: [(Up, NONE)], A::PickUp, "↑", "the entry above", None;
    Pick: [(Down, NONE), (Tab, NONE)], A::PickDown, "↓", "the entry below", Some("↑↓ choose");
    Pick: [(Enter, NONE)], A::TakePick, "Enter", "take it", Some("Enter take");
    Pick: [(Esc, NONE), (Char('q'), NONE), (Char('c'), CTRL)], A::Cancel, "Esc", "leave the list", Some("Esc leave");
    Question: [(Char('q'), NONE), (Char('c'), CTRL)], A::QuitAnyway, "q", "quit; a take is ended properly, unsaved settings are dropped", None;
    Question: [(Char('s'), NONE)], A::SaveAndQuit, "s", "save the bench, then quit", None;
    Question: [(Char('t'), NONE)], A::StopAndQuit, "t", "end the take, then ask for the rest", None;
    Question: [(Esc, NONE)], A::Cancel, "Esc", "stay", None;
    Choose: [(Up, NONE)], A::ItemUp, "↑", "the entry above", None;
    Choose: [(Down, NONE), (Tab, NONE)], A::ItemDown, "↓", "the entry below", Some("↑↓ choose");
    Choose: [(Home, NONE)], A::FirstItem, "Home", "the first entry", None;
    Choose: [(End, NONE)], A::LastItem, "End", "the last entry", None;
    Choose: [(Enter, NONE)], A::WatchItem, "Enter", "watch it", Some("Enter watch");
    Choose: [(Char('p'), NONE)], A::TypePath, "p", "type a port, a text file, a take's folder or a bench", Some("p type a path");
    Choose: [(Char('q'), NONE), (Esc, NONE), (Char('c'), CTRL)], A::LeaveList, "q", "leave", Some("q quit");
    Help: [(Esc, NONE), (Char('?'), NONE), (F(1), NONE), (Char('q'), NONE), (Enter, NONE), (Char('c'), CTRL)], A::CloseHelp, "Esc", "close the help", Some("Esc close");
};

/// What `key` does where the places given are looked up in turn.
pub(crate) fn resolve(places: &[Place], key: KeyEvent) -> Option<Action> {
    // Terminals report Shift for capitals and Back-Tab in different ways.
    let mods = key.modifiers.difference(KeyModifiers::SHIFT);
    places.iter().find_map(|place| {
        let here = KEYS.iter().filter(|binding| binding.place == *place);
        here.flat_map(|b| b.keys.iter().map(move |key| (key, b.action)))
            .find(|((code, wanted), _)| *code == key.code && *wanted == mods)
            .map(|(_, action)| action)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_key_means_two_things_in_one_place_and_every_row_has_its_texts() {
        for (i, binding) in KEYS.iter().enumerate() {
            assert!(!binding.label.is_empty() && !binding.help.is_empty());
            for other in &KEYS[..i] {
                let both = binding.keys.iter().any(|key| other.keys.contains(key));
                assert!(binding.place != other.place || !both, "{} stands twice", binding.label);
                assert!(binding.place != other.place || binding.action != other.action, "{:?}", binding.action);
            }
        }
    }

    #[test]
    fn a_panel_comes_before_the_main_screen() {
        let key = |code| KeyEvent::new(code, KeyModifiers::SHIFT);
        assert_eq!(resolve(&[Place::Panel, Place::Main], key(Left)), Some(A::Less));
        assert_eq!(resolve(&[Place::Main], key(Left)), Some(A::Earlier));
        assert_eq!(resolve(&[Place::Panel, Place::Main], key(Char('Y'))), Some(A::AxisLimits));
        assert_eq!(resolve(&[Place::Prompt], key(Char('q'))), None);
    }

    /// The page of keys is this table.
    #[test]
    fn the_page_of_keys_lists_every_key() {
        let page = include_str!("../../../docs/keys.md");
        for binding in KEYS.iter().filter(|b| {
            matches!(
                b.place,
                Place::Main
                    | Place::Panel
                    | Place::Parts
                    | Place::Scale
                    | Place::Calibrate
                    | Place::Survey
                    | Place::Doctor
                    | Place::Lines
                    | Place::Talk
                    | Place::Choose
            )
        }) {
            let row = format!("| `{}` | {} |", binding.label, binding.help);
            assert!(page.contains(&row), "docs/keys.md lacks: {row}");
        }
    }
}
