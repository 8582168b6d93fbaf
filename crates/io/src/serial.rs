//! Opening a serial port, and saying in plain words why it could not be opened.

use serialport::{ErrorKind, SerialPort, TTYPort};
use std::io;
use std::os::unix::fs::{FileTypeExt, MetadataExt};
use std::path::{Path, PathBuf};
use std::time::Duration;

/// The longest that a read waits; it returns as soon as there are bytes.
pub(crate) const PATIENCE: Duration = Duration::from_millis(100);

/// Why a link is not open. Each says what to do about it.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum Problem {
    /// There is no such device.
    #[error("{} is not there: plug the board in, or check the name", .0.display())]
    Missing(PathBuf),
    /// The person may not open it.
    #[error("no permission for {}: {}", .path.display(), remedy(.group))]
    NotAllowed {
        /// The device.
        path: PathBuf,
        /// The group that may.
        group: Option<String>,
    },
    /// Another program has it.
    #[error("{} is held by another program: close it there", .0.display())]
    Held(PathBuf),
    /// It is something else than a serial port.
    #[error("{} is not a serial port: give the path of one, such as /dev/ttyACM0", .0.display())]
    NotATty(PathBuf),
    /// It was open and went away.
    #[error("{} went away: check the cable and the board's power", .0.display())]
    Vanished(PathBuf),
    /// The port does not do that speed.
    #[error("{} cannot run at {baud} baud: choose another", .path.display())]
    Speed {
        /// The device.
        path: PathBuf,
        /// Bits a second.
        baud: u32,
    },
    /// Anything else, in the system's words.
    #[error("{} cannot be opened: {reason}", .path.display())]
    Other {
        /// The device.
        path: PathBuf,
        /// The system's words.
        reason: String,
    },
}

fn remedy(group: &Option<String>) -> String {
    match group {
        Some(group) => {
            format!("join group {group} (sudo usermod -aG {group} $USER), then log in again")
        }
        None => "ask who owns it for access".into(),
    }
}

/// Opens `path` for this program alone, 8 data bits, no parity, 1 stop bit.
pub(crate) fn open(path: &Path, baud: u32) -> Result<TTYPort, Problem> {
    let meta = std::fs::metadata(path).map_err(|error| told(path, error.kind(), &error.to_string()))?;
    if !meta.file_type().is_char_device() {
        return Err(Problem::NotATty(path.into()));
    }
    let port = serialport::new(path.to_string_lossy(), baud).timeout(PATIENCE).open_native();
    let port = port.map_err(|error| match error.kind() {
        // The device is there, as was just seen; so it is another's.
        ErrorKind::NoDevice => Problem::Held(path.into()),
        ErrorKind::Io(kind) => told(path, kind, &error.description),
        ErrorKind::InvalidInput => Problem::Speed { path: path.into(), baud },
        ErrorKind::Unknown => Problem::NotATty(path.into()),
    })?;
    // A driver may take another speed than the one asked for and say nothing.
    match port.baud_rate() {
        Ok(got) if got.abs_diff(baud) > baud / 20 => Err(Problem::Speed { path: path.into(), baud }),
        _ => Ok(port),
    }
}

fn told(path: &Path, kind: io::ErrorKind, reason: &str) -> Problem {
    let path = path.to_path_buf();
    match kind {
        io::ErrorKind::NotFound => Problem::Missing(path),
        io::ErrorKind::PermissionDenied => Problem::NotAllowed { group: group_of(&path), path },
        io::ErrorKind::ResourceBusy => Problem::Held(path),
        _ => Problem::Other { path, reason: reason.into() },
    }
}

/// The name of the group that `path` belongs to.
fn group_of(path: &Path) -> Option<String> {
    let id = std::fs::metadata(path).ok()?.gid().to_string();
    let groups = std::fs::read_to_string("/etc/group").ok()?;
    let mut lines = groups.lines().map(|line| line.split(':').collect::<Vec<_>>());
    lines.find(|fields| fields.get(2) == Some(&id.as_str())).map(|fields| fields[0].to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_way_to_fail_says_what_to_do() {
        let told = |path: &str| open(Path::new(path), 115_200).map(drop).unwrap_err().to_string();
        assert!(told("/dev/no-such-port").contains("plug the board in"));
        assert!(told("/dev/null").contains("not a serial port"));
        assert!(told("/").contains("not a serial port"));
        let denied = super::told(Path::new("/etc/passwd"), io::ErrorKind::PermissionDenied, "");
        assert!(denied.to_string().contains("join group root"), "{denied}");
    }

    #[test]
    fn a_port_is_held_for_one_program_alone() {
        let board = amber_boards::serve(amber_boards::by_name("flume", 1).unwrap()).unwrap();
        let first = open(board.path(), 115_200).unwrap();
        assert_eq!(open(board.path(), 115_200).map(drop), Err(Problem::Held(board.path().into())));
        drop(first);
        assert!(open(board.path(), 115_200).is_ok());
    }
}
