//! What a link needs of ports, so that it can be driven without one.

use super::wake::Wake;
use crate::serial::Problem;
use amber_core::bench::WireSettings;
use std::io::{self, Read, Write};
use std::path::{Path, PathBuf};
use std::time::Duration;

/// A port that is open. Reading returns as soon as there is something, and with `TimedOut` when nothing came for a while;
/// 0 bytes and other errors mean that the port is gone. What is no serial line has neither speed nor reset
/// line nor serial number.
pub(crate) trait Device: Read + Write {
    /// Waits until there is something to read, the port is gone, a while has passed, or `wake` is rung; gives whether reading is
    /// the next thing to do.
    fn wait(&mut self, _wake: &Wake) -> bool {
        true
    }

    /// Runs at another speed from now on.
    ///
    /// # Errors
    /// When it cannot; it then runs at the one before.
    fn set_baud(&mut self, _baud: u32) -> io::Result<()> {
        Err(io::ErrorKind::Unsupported.into())
    }

    /// Discards what has come and was not read. Gives how many bytes that were.
    fn discard(&mut self) -> u64 {
        0
    }

    /// The serial number that the board gives, by which it is found under another name; `None` where it gives none.
    fn identity(&self) -> Option<String> {
        None
    }

    /// Starts the board's program anew by its reset line, which is held for this long.
    ///
    /// # Errors
    /// Where there is no such line.
    fn reset(&mut self, _length: Duration) -> io::Result<()> {
        Err(io::ErrorKind::Unsupported.into())
    }
}

/// Where ports are.
pub(crate) trait Ports {
    /// Opens the port at `path` for this program alone, with the wire set as `source` says, at `baud`.
    ///
    /// # Errors
    /// Why not, and what to do about it.
    fn open(&self, path: &Path, source: &WireSettings, baud: u32) -> Result<Box<dyn Device>, Problem>;

    /// Whether what is at `path` runs at a speed that can be set, and found by listening.
    fn has_speed(&self, _path: &Path) -> bool {
        true
    }

    /// That it was open and went away.
    fn gone(&self, path: &Path) -> Problem {
        Problem::Vanished(path.into())
    }

    /// Whether there is something at `path`.
    fn is_there(&self, _path: &Path) -> bool {
        true
    }

    /// Where the board with this serial number is now.
    fn path_of(&self, _identity: &str) -> Option<PathBuf> {
        None
    }

    /// Whether another program has the port open, as far as this one may see.
    fn is_in_use(&self, _path: &Path) -> bool {
        false
    }
}
