//! Datagrams, each of them one line or several.

use super::PATIENCE;
use super::stream::timed_out;
use crate::link::device::Device;
use crate::link::wake::Wake;
use std::io::{self, ErrorKind, Read, Write};
use std::net::{Ipv6Addr, SocketAddr, UdpSocket};
use std::os::fd::AsFd;

/// The longest datagram.
const LONGEST: usize = 65_536;

/// A place where datagrams come in.
pub(super) struct Datagrams {
    socket: UdpSocket,
    /// What of the last one was not read yet.
    rest: Vec<u8>,
    /// Who sent it; lines to the board go there.
    from: Option<SocketAddr>,
}

impl Datagrams {
    /// Listens at `port` of the address `host` of this machine; empty for all of them.
    ///
    /// # Errors
    /// When that is no address of this machine, or another program listens there.
    pub(super) fn bind(host: &str, port: u16) -> io::Result<Datagrams> {
        let socket = match host {
            // All addresses of either version, where the system has both.
            "" => UdpSocket::bind((Ipv6Addr::UNSPECIFIED, port)).or_else(|_| UdpSocket::bind(("0.0.0.0", port)))?,
            host => UdpSocket::bind((host, port))?,
        };
        socket.set_read_timeout(Some(PATIENCE))?;
        Ok(Datagrams { socket, rest: Vec::new(), from: None })
    }
}

impl Read for Datagrams {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        if self.rest.is_empty() {
            let mut bytes = vec![0; LONGEST];
            let (length, from) = self.socket.recv_from(&mut bytes).map_err(timed_out)?;
            bytes.truncate(length);
            self.from = Some(from);
            // A datagram ends a line, whether it says so or not.
            if !matches!(bytes.last(), Some(b'\n' | b'\r')) {
                bytes.push(b'\n');
            }
            self.rest = bytes;
        }
        let length = self.rest.len().min(buffer.len());
        buffer[..length].copy_from_slice(&self.rest[..length]);
        self.rest.drain(..length);
        Ok(length)
    }
}

impl Write for Datagrams {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let to = self
            .from
            .ok_or_else(|| io::Error::new(ErrorKind::NotConnected, "no datagram came yet, so nobody is known"))?;
        self.socket.send_to(bytes, to)
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl Device for Datagrams {
    fn wait(&mut self, wake: &Wake) -> bool {
        !self.rest.is_empty() || wake.wait(self.socket.as_fd(), PATIENCE)
    }
}
