//! Sources on the network, each in the place of a port: a TCP connection, one that controls a serial port at its other end
//! (RFC 2217), datagrams, and messages of a broker.
//!
//! They are opened again as ports are, with growing pauses.

mod address;
mod datagrams;
mod remote;
mod stream;
mod telnet;

pub(crate) use stream::timed_out;

use crate::broker::MessageStream;
use crate::link::device::{Device, Ports};
use crate::serial::Problem;
use address::Scheme;
use amber_core::bench::WireSettings;
use amber_core::keep::BrokerAddress;
use std::net::{SocketAddr, TcpStream, ToSocketAddrs};
use std::path::Path;
use std::time::Duration;

/// The longest that a read waits; it returns as soon as there are bytes.
pub(crate) const PATIENCE: Duration = Duration::from_millis(100);

/// The longest that a connection may take to come about.
const CONNECTING: Duration = Duration::from_secs(3);

/// The network.
pub(crate) struct Network;

impl Ports for Network {
    fn open(&self, path: &Path, source: &WireSettings, baud: u32) -> Result<Box<dyn Device>, Problem> {
        let text = path.to_string_lossy();
        if BrokerAddress::SCHEMES.iter().any(|scheme| text.starts_with(scheme)) {
            let address = BrokerAddress::parse(&text)
                .map_err(|expected| Problem::Address { address: text.to_string(), expected })?;
            return Ok(Box::new(MessageStream::open(&address)?));
        }
        let address = address::parse(&text)?;
        let reached =
            |error: std::io::Error| Problem::NotReached { address: text.to_string(), reason: error.to_string() };
        let all = (address.host.as_str(), address.port);
        Ok(match address.scheme {
            Scheme::Tcp => Box::new(stream::Stream::new(connect(all).map_err(reached)?).map_err(reached)?),
            Scheme::Rfc2217 => {
                let stream = stream::Stream::new(connect(all).map_err(reached)?).map_err(reached)?;
                Box::new(remote::Remote::open(stream, &text, source, baud)?)
            }
            Scheme::Udp => Box::new(datagrams::Datagrams::bind(&address.host, address.port).map_err(reached)?),
        })
    }

    fn has_speed(&self, path: &Path) -> bool {
        address::parse(&path.to_string_lossy()).is_ok_and(|address| address.scheme == Scheme::Rfc2217)
    }

    fn gone(&self, path: &Path) -> Problem {
        Problem::Closed(path.to_string_lossy().into_owned())
    }
}

/// Connects to the first of a host's addresses that answers.
fn connect(host: (&str, u16)) -> std::io::Result<TcpStream> {
    let mut last = std::io::Error::other("the name has no address");
    for address in host.to_socket_addrs()? {
        match connect_to(&address) {
            Ok(stream) => return Ok(stream),
            Err(error) => last = error,
        }
    }
    Err(last)
}

fn connect_to(address: &SocketAddr) -> std::io::Result<TcpStream> {
    TcpStream::connect_timeout(address, CONNECTING)
}
