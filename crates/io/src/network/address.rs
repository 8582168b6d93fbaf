//! Addresses on the network, as a person types them: `tcp://basin.local:4000`.

use crate::serial::Problem;
use amber_core::keep::host_and_port;

/// How bytes come.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Scheme {
    /// The bytes of a TCP connection.
    Tcp,
    /// The same with control of a serial port at its other end (RFC 2217).
    Rfc2217,
    /// Datagrams, whose lines are lines.
    Udp,
}

/// An address.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Address {
    pub(super) scheme: Scheme,
    /// A name, or a number; that of version 6 without its brackets. Empty for all of this machine.
    pub(super) host: String,
    pub(super) port: u16,
}

/// Reads an address.
///
/// # Errors
/// What was expected.
pub(super) fn parse(text: &str) -> Result<Address, Problem> {
    let fault = |expected| Problem::Address { address: text.to_owned(), expected };
    let schemes = [("tcp://", Scheme::Tcp), ("rfc2217://", Scheme::Rfc2217), ("udp://", Scheme::Udp)];
    let found = schemes.into_iter().find_map(|(name, scheme)| Some((scheme, text.strip_prefix(name)?)));
    let (scheme, rest) =
        found.ok_or_else(|| fault("it begins with tcp://, rfc2217://, udp://, mqtt:// or mqtts://"))?;
    // Datagrams may come to any address of this machine.
    let (host, port) = match (scheme, rest.strip_prefix(':')) {
        (Scheme::Udp, Some(_)) => ("", host_and_port(&format!("any{rest}")).map_err(fault)?.1),
        _ => host_and_port(rest).map_err(fault)?,
    };
    let port = port.ok_or_else(|| fault("a port stands behind the host, as in host:4000"))?;
    Ok(Address { scheme, host: host.to_owned(), port })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_are_read_and_mistakes_are_told() {
        let read = |text: &str| parse(text).map(|address| (address.scheme, address.host, address.port));
        assert_eq!(read("tcp://basin.local:4000"), Ok((Scheme::Tcp, "basin.local".into(), 4000)));
        assert_eq!(read("rfc2217://[::1]:2217"), Ok((Scheme::Rfc2217, "::1".into(), 2217)));
        assert_eq!(read("udp://:5000"), Ok((Scheme::Udp, String::new(), 5000)));
        for (text, expected) in [
            ("tcp://basin", "a port stands behind"),
            ("tcp://basin:0", "1 to 65535"),
            ("tcp://basin:70000", "1 to 65535"),
            ("tcp://::1:4000", "in brackets"),
            ("tcp://[::1:4000", "closes"),
            ("tcp://:4000", "a host stands"),
            ("tcp://a b\u{1b}:4", "nothing else"),
            ("ftp://a:4", "it begins with"),
        ] {
            let told = parse(text).unwrap_err().to_string();
            assert!(told.contains(expected), "{text}: {told}");
        }
    }
}
