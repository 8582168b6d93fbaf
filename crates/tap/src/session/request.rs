//! What the session wants done outside: on ports, disks and the terminal.

use amber_core::bench::{Bench, WireSettings};
use amber_core::block::Block;
use amber_core::keep::{Publish, Station};
use amber_io::take::{Mark, TakePlace};
use std::path::PathBuf;
use std::sync::Arc;

/// Something for the shell to do.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Request {
    /// Start a take, with the settings of each source.
    StartTake {
        place: TakePlace,
        benches: Vec<Bench>,
    },
    StopTake,
    /// Publish by this plan, with the settings of each source; what is published already goes on by them.
    Publish {
        plan: Publish,
        benches: Vec<Bench>,
    },
    StopPublishing,
    Mark(Mark),
    /// Put a station into the running take.
    Station(Box<Station>),
    /// Write the picture in view; the shell asks [`super::Session`] for it.
    Figure,
    /// Write the report of what is in view; the shell asks for its figures.
    Report,
    /// Write a text as a new file, under the next free number.
    WriteText {
        folder: PathBuf,
        stem: &'static str,
        ending: &'static str,
        text: String,
    },
    /// Write a block into the take in this folder.
    KeepBlock {
        take: PathBuf,
        block: Arc<Block>,
    },
    SaveBench {
        path: PathBuf,
        bench: Box<Bench>,
        /// Also into another bench that is there.
        may_replace: bool,
    },
    /// Close the source at this place and open this one.
    Open(usize, WireSettings),
    /// Tell the link of the source at this place to do something.
    Tell(usize, LinkOrder),
    /// Ring the terminal's bell.
    Bell,
    /// Put this text where other programs paste from.
    Copy(String),
    /// Leave what is watched, and open the take in this folder.
    OpenTake(PathBuf),
    /// So many hints of the first minute were seen, and are not to come back.
    HintsSeen(usize),
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
