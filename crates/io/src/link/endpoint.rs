//! What a link watches.

use amber_core::bench::WireSettings;
use std::any::Any;
use std::fmt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// What a link watches.
#[derive(Clone, Debug)]
pub enum Endpoint {
    /// A serial port.
    Serial {
        /// The device.
        path: PathBuf,
        /// How the wire is set.
        source: WireSettings,
    },
    /// An address on the network.
    Network {
        /// How the wire is set, with the address as its port.
        source: WireSettings,
    },
    /// A simulated board behind a pseudo-terminal.
    Simulated {
        /// The board.
        board: Simulated,
        /// How the wire is set.
        source: WireSettings,
    },
    /// A text file.
    Text {
        /// Where.
        path: PathBuf,
        /// It is watched for more when it has been read.
        grows: bool,
    },
    /// Standard input.
    Input,
}

/// A simulated board that runs as long as a copy of this is held.
#[derive(Clone)]
pub struct Simulated {
    path: PathBuf,
    _runs: Arc<dyn Any + Send + Sync>,
}

impl Simulated {
    /// A board at the device `path` that runs as long as `board` is held.
    pub fn new(path: PathBuf, board: impl Any + Send + Sync) -> Simulated {
        Simulated { path, _runs: Arc::new(board) }
    }

    /// Its device.
    pub fn path(&self) -> &Path {
        &self.path
    }
}

impl fmt::Debug for Simulated {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Simulated").field("path", &self.path).finish_non_exhaustive()
    }
}

impl Endpoint {
    /// What `source` names, which may be the simulated board `board`.
    pub fn of(source: &WireSettings, board: Option<Simulated>) -> Endpoint {
        let source = source.clone();
        let path = PathBuf::from(&source.port);
        let is_file = || std::fs::metadata(&path).is_ok_and(|meta| meta.is_file());
        match board {
            Some(board) => Endpoint::Simulated { board, source },
            None if source.is_input() => Endpoint::Input,
            None if source.is_network() => Endpoint::Network { source },
            None if is_file() => Endpoint::Text { path, grows: true },
            None => Endpoint::Serial { path, source },
        }
    }

    /// The same, but a text file ends where it ends now.
    #[must_use]
    pub fn to_its_end(self) -> Endpoint {
        match self {
            Endpoint::Text { path, .. } => Endpoint::Text { path, grows: false },
            other => other,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_source_names_one_of_five_things() {
        let dir = tempfile::tempdir().unwrap();
        let file = dir.path().join("text.csv");
        std::fs::write(&file, "1\n").unwrap();
        let of = |port: &str, board: Option<Simulated>| Endpoint::of(&WireSettings::at(port), board);
        assert!(matches!(of("-", None), Endpoint::Input));
        assert!(matches!(of("tcp://basin:4000", None), Endpoint::Network { .. }));
        let text = of(&file.to_string_lossy(), None);
        assert!(matches!(&text, Endpoint::Text { path, grows: true } if *path == file));
        assert!(matches!(text.to_its_end(), Endpoint::Text { grows: false, .. }));
        // What is not there may be plugged in yet, and a folder says so when it is opened.
        for port in ["/dev/no-such-port", &dir.path().to_string_lossy()] {
            assert!(matches!(of(port, None), Endpoint::Serial { path, .. } if path == Path::new(port)));
        }
        // A board runs as long as somebody has it.
        let runs = Arc::new(());
        let board = Simulated::new("/dev/pts/9".into(), Arc::clone(&runs));
        let endpoint = of("flume", Some(board));
        assert!(matches!(&endpoint, Endpoint::Simulated { board, .. } if board.path() == Path::new("/dev/pts/9")));
        assert_eq!(Arc::strong_count(&runs), 2);
        drop(endpoint);
        assert_eq!(Arc::strong_count(&runs), 1);
    }
}
