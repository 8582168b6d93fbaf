//! The bytes of a TCP connection.

use super::PATIENCE;
use crate::link::device::Device;
use crate::link::wake::Wake;
use std::io::{self, ErrorKind, Read, Write};
use std::net::TcpStream;
use std::os::fd::AsFd;
use std::time::Duration;

/// Silence after which the other end is asked whether it is still there, how often, and how many answers may be missing: a
/// cable that was pulled is so noticed within half a minute.
const SILENCE: Duration = Duration::from_secs(10);
const ASK: Duration = Duration::from_secs(5);
const MISSING: u32 = 4;

/// An open connection.
pub(super) struct Stream(TcpStream);

impl Stream {
    /// # Errors
    /// When the system refuses what the connection needs.
    pub(super) fn new(stream: TcpStream) -> io::Result<Stream> {
        use rustix::net::sockopt;
        stream.set_read_timeout(Some(PATIENCE))?;
        stream.set_write_timeout(Some(PATIENCE))?;
        // A line to the board leaves at once.
        stream.set_nodelay(true)?;
        sockopt::set_socket_keepalive(&stream, true)?;
        sockopt::set_tcp_keepidle(&stream, SILENCE)?;
        sockopt::set_tcp_keepintvl(&stream, ASK)?;
        sockopt::set_tcp_keepcnt(&stream, MISSING)?;
        Ok(Stream(stream))
    }
}

/// What a socket says when nothing came in time, as a port says it.
pub(crate) fn timed_out(error: io::Error) -> io::Error {
    if error.kind() == ErrorKind::WouldBlock { ErrorKind::TimedOut.into() } else { error }
}

impl Read for Stream {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        self.0.read(buffer).map_err(timed_out)
    }
}

impl Write for Stream {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0.write(bytes).map_err(timed_out)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.0.flush()
    }
}

impl Device for Stream {
    fn wait(&mut self, wake: &Wake) -> bool {
        wake.wait(self.0.as_fd(), PATIENCE)
    }
}
