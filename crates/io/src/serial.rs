//! Opening a serial port, and saying in plain words why it could not be opened.

use crate::link::device::{Device, Ports};
use crate::link::wake::Wake;
use amber_core::bench::{Parity, WireSettings};
use serialport::{ClearBuffer, DataBits, ErrorKind, SerialPort, SerialPortType, StopBits, TTYPort};
use std::io::{self, Read, Write};
use std::os::fd::{AsRawFd, BorrowedFd};
use std::os::unix::fs::{FileTypeExt, MetadataExt};
use std::path::{Path, PathBuf};
use std::time::Duration;

/// The longest that a read waits; it returns as soon as there are bytes.
const PATIENCE: Duration = Duration::from_millis(100);

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
    /// An address that makes no sense.
    #[error("{address} is no address: {expected}")]
    Address {
        /// As it was given.
        address: String,
        /// What was expected.
        expected: &'static str,
    },
    /// Nobody is reached at an address on the network.
    #[error("{address} is not reached ({reason}): check the address and that something listens there")]
    NotReached {
        /// The address.
        address: String,
        /// The system's words.
        reason: String,
    },
    /// A broker does not let this program in, or is not reached.
    #[error("the broker {broker}: {reason}")]
    Broker {
        /// Its host and port.
        broker: String,
        /// Why, and what to do about it where that is known.
        reason: String,
    },
    /// The other end of a connection closed it, or is gone.
    #[error("{0} closed the connection: check what runs there")]
    Closed(String),
    /// The other end does not control a serial port.
    #[error("{0} does not answer as RFC 2217 asks: use tcp:// for bare bytes")]
    NoControl(String),
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

/// The ports of this machine.
pub(crate) struct System;

impl Ports for System {
    fn open(&self, path: &Path, source: &WireSettings, baud: u32) -> Result<Box<dyn Device>, Problem> {
        open(path, source, baud).map(|port| Box::new(Tty { port, path: path.into() }) as Box<dyn Device>)
    }

    fn is_there(&self, path: &Path) -> bool {
        path.exists()
    }

    fn path_of(&self, usb: &str) -> Option<PathBuf> {
        path_of(usb)
    }

    fn is_in_use(&self, path: &Path) -> bool {
        is_in_use(path)
    }
}

/// A serial port of this machine.
struct Tty {
    port: TTYPort,
    path: PathBuf,
}

impl Read for Tty {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        self.port.read(buffer)
    }
}

impl Write for Tty {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.port.write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.port.flush()
    }
}

impl Device for Tty {
    fn wait(&mut self, wake: &Wake) -> bool {
        // SAFETY: the descriptor is that of `self.port`, which is open and lives longer than this borrow of it.
        #[allow(unsafe_code, reason = "see above")]
        let port = unsafe { BorrowedFd::borrow_raw(self.port.as_raw_fd()) };
        wake.wait(port, PATIENCE)
    }

    fn set_baud(&mut self, baud: u32) -> io::Result<()> {
        Ok(self.port.set_baud_rate(baud)?)
    }

    fn discard(&mut self) -> u64 {
        let waiting = self.port.bytes_to_read().unwrap_or(0);
        self.port.clear(ClearBuffer::Input).map_or(0, |()| u64::from(waiting))
    }

    fn identity(&self) -> Option<String> {
        usb_of(&self.path)
    }

    fn reset(&mut self, length: Duration) -> io::Result<()> {
        Ok(reset(&mut self.port, length)?)
    }
}

/// Opens `path` for this program alone, with the wire set as `source` says, at `baud`.
fn open(path: &Path, source: &WireSettings, baud: u32) -> Result<TTYPort, Problem> {
    let meta = std::fs::metadata(path).map_err(|error| told(path, error.kind(), &error.to_string()))?;
    if !meta.file_type().is_char_device() {
        return Err(Problem::NotATty(path.into()));
    }
    let parity = match source.parity {
        Parity::None => serialport::Parity::None,
        Parity::Even => serialport::Parity::Even,
        Parity::Odd => serialport::Parity::Odd,
    };
    let data_bits = match source.data_bits {
        5 => DataBits::Five,
        6 => DataBits::Six,
        7 => DataBits::Seven,
        _ => DataBits::Eight,
    };
    let stop_bits = if source.stop_bits == 2 { StopBits::Two } else { StopBits::One };
    if !source.reset_on_open {
        keep_running(path);
    }
    let builder =
        serialport::new(path.to_string_lossy(), baud).parity(parity).data_bits(data_bits).stop_bits(stop_bits);
    let port = builder.timeout(PATIENCE).open_native();
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

/// Lets the lines by which a board is reset stay as they are when the port is closed, so that the next opening does not
/// move them. The setting stays with the device.
fn keep_running(path: &Path) {
    use rustix::fs::{Mode, OFlags};
    use rustix::termios::{ControlModes, OptionalActions, tcgetattr, tcsetattr};
    let flags = OFlags::RDWR | OFlags::NOCTTY | OFlags::NONBLOCK | OFlags::CLOEXEC;
    // Whatever goes wrong here is told when the port is opened.
    let Ok(device) = rustix::fs::open(path, flags, Mode::empty()) else { return };
    if let Ok(mut settings) = tcgetattr(&device) {
        settings.control_modes.remove(ControlModes::HUPCL);
        let _ = tcsetattr(&device, OptionalActions::Now, &settings);
    }
}

/// Starts the board's program anew by its reset line, which boards wire to DTR, RTS or both.
///
/// # Errors
/// Where the port has no such lines.
fn reset(port: &mut TTYPort, length: Duration) -> serialport::Result<()> {
    port.write_data_terminal_ready(false)?;
    port.write_request_to_send(false)?;
    std::thread::sleep(length);
    port.write_data_terminal_ready(true)?;
    port.write_request_to_send(true)
}

/// A serial port that is there.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FoundPort {
    /// Its device.
    pub path: PathBuf,
    /// What the board calls itself on USB, and who made it; empty for others.
    pub product: String,
    /// The serial number that it gives on USB; empty when it gives none.
    pub usb: String,
}

/// The serial ports that are there, USB ones first. Pseudo-terminals are never listed.
pub fn ports() -> Vec<FoundPort> {
    // The library takes this folder for granted.
    if !Path::new("/sys/class/tty").is_dir() {
        return Vec::new();
    }
    let found = serialport::available_ports().unwrap_or_default();
    let mut ports: Vec<FoundPort> = found
        .into_iter()
        .map(|port| match port.port_type {
            SerialPortType::UsbPort(usb) => {
                let words = [usb.manufacturer, usb.product].into_iter().flatten().collect::<Vec<_>>().join(" ");
                let ids = format!("USB {:04x}:{:04x}", usb.vid, usb.pid);
                let product = if words.is_empty() { ids } else { words };
                FoundPort { path: port.port_name.into(), product, usb: usb.serial_number.unwrap_or_default() }
            }
            _ => FoundPort { path: port.port_name.into(), product: String::new(), usb: String::new() },
        })
        .collect();
    ports.sort_by(|a, b| (a.product.is_empty(), &a.path).cmp(&(b.product.is_empty(), &b.path)));
    ports
}

/// The serial number that the board at `path` gives on USB.
fn usb_of(path: &Path) -> Option<String> {
    let path = std::fs::canonicalize(path).ok()?;
    ports().into_iter().find(|port| port.path == path && !port.usb.is_empty()).map(|port| port.usb)
}

/// Where the board with this serial number is now.
fn path_of(usb: &str) -> Option<PathBuf> {
    at_serial_number(ports(), usb)
}

fn at_serial_number(ports: Vec<FoundPort>, usb: &str) -> Option<PathBuf> {
    ports.into_iter().find(|port| !usb.is_empty() && port.usb == usb).map(|port| port.path)
}

/// Whether another program has the device open, as far as this one may see.
fn is_in_use(path: &Path) -> bool {
    let Ok(device) = std::fs::canonicalize(path) else { return false };
    let Ok(processes) = std::fs::read_dir("/proc") else { return false };
    let own = std::process::id().to_string();
    let has_it = |process: std::fs::DirEntry| {
        let name = process.file_name();
        let number = name.to_string_lossy();
        if number == own || !number.bytes().all(|b| b.is_ascii_digit()) {
            return false;
        }
        let Ok(files) = std::fs::read_dir(process.path().join("fd")) else { return false };
        files.flatten().any(|file| std::fs::read_link(file.path()).is_ok_and(|target| target == device))
    };
    processes.flatten().any(has_it)
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

/// The name of the group that may read and write `path`; none when only others may, or when it is root's own, which
/// nobody should join.
fn group_of(path: &Path) -> Option<String> {
    let meta = std::fs::metadata(path).ok()?;
    if meta.mode() & 0o060 != 0o060 || meta.gid() == 0 {
        return None;
    }
    let id = meta.gid().to_string();
    let groups = std::fs::read_to_string("/etc/group").ok()?;
    let mut lines = groups.lines().map(|line| line.split(':').collect::<Vec<_>>());
    lines.find(|fields| fields.get(2) == Some(&id.as_str())).map(|fields| fields[0].to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::fs;

    #[test]
    fn each_way_to_fail_says_what_to_do() {
        let told =
            |path: &str| open(Path::new(path), &WireSettings::default(), 115_200).map(drop).unwrap_err().to_string();
        assert!(told("/dev/no-such-port").contains("plug the board in"));
        assert!(told("/dev/null").contains("not a serial port"));
        assert!(told("/").contains("not a serial port"));
        // A group is named when it may, and only then.
        let dir = tempfile::tempdir().unwrap();
        let path = dir.path().join("port");
        fs::write(&path, "").unwrap();
        for (mode, group, named) in [(0o660, 20, true), (0o600, 20, false), (0o660, 0, false)] {
            use std::os::unix::fs::PermissionsExt;
            if std::os::unix::fs::chown(&path, None, Some(group)).is_err() {
                continue; // Only root may give a file away.
            }
            fs::set_permissions(&path, fs::Permissions::from_mode(mode)).unwrap();
            let denied = super::told(&path, io::ErrorKind::PermissionDenied, "").to_string();
            assert_eq!(denied.contains("join group dialout"), named, "{mode:o} {group}: {denied}");
        }
    }

    #[test]
    fn a_board_is_found_again_by_its_serial_number() {
        let port = |path: &str, usb: &str| FoundPort { path: path.into(), product: String::new(), usb: usb.into() };
        let ports = || vec![port("/dev/ttyS0", ""), port("/dev/ttyACM1", "8C47"), port("/dev/ttyACM0", "11")];
        assert_eq!(at_serial_number(ports(), "8C47"), Some("/dev/ttyACM1".into()));
        assert_eq!(at_serial_number(ports(), ""), None);
        // Whatever this machine has, asking for it does no harm.
        super::ports();
    }

    #[test]
    fn a_port_is_held_for_one_program_alone() {
        let board = amber_boards::serve(amber_boards::by_name("flume", 1).unwrap()).unwrap();
        let first = open(board.path(), &WireSettings::default(), 115_200).unwrap();
        assert_eq!(
            open(board.path(), &WireSettings::default(), 115_200).map(drop),
            Err(Problem::Held(board.path().into()))
        );
        drop(first);
        // A board that is to go on running keeps its lines when the port is closed.
        let keep = WireSettings { reset_on_open: false, ..WireSettings::default() };
        drop(open(board.path(), &keep, 115_200).unwrap());
        let settings = rustix::termios::tcgetattr(fs::File::open(board.path()).unwrap()).unwrap();
        assert!(!settings.control_modes.contains(rustix::termios::ControlModes::HUPCL));
        assert!(!is_in_use(board.path()), "this program itself does not count");
    }
}
