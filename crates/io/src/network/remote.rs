//! A serial port at the other end of a TCP connection, with its speed and lines (RFC 2217).

use super::stream::Stream;
use super::telnet::{DTR_OFF, DTR_ON, NO_FLOW_CONTROL, RECEIVED, RTS_OFF, RTS_ON, Setting, Telnet};
use crate::link::device::Device;
use crate::link::wake::Wake;
use crate::serial::Problem;
use amber_core::bench::{Parity, WireSettings};
use std::io::{self, ErrorKind, Read, Write};
use std::time::{Duration, Instant};

/// The longest that an answer is waited for.
const ANSWER: Duration = Duration::from_secs(3);

/// Bytes that are held while an answer is waited for, at most: who sends more without one does not control a port.
const HELD: usize = 1 << 20;

/// A port at the other end.
pub(super) struct Remote {
    stream: Stream,
    telnet: Telnet,
    /// What the board sent and was not read yet.
    data: Vec<u8>,
}

impl Remote {
    /// Sets the port up as `source` says, at `baud`.
    ///
    /// # Errors
    /// When the other end does not control a port, does not do that speed, or closes the connection.
    pub(super) fn open(stream: Stream, address: &str, source: &WireSettings, baud: u32) -> Result<Remote, Problem> {
        let mut remote = Remote { stream, telnet: Telnet::default(), data: Vec::new() };
        let parity = match source.parity {
            Parity::None => 1,
            Parity::Odd => 2,
            Parity::Even => 3,
        };
        let settings = [
            (Setting::DataBits, source.data_bits),
            (Setting::Parity, parity),
            (Setting::StopBits, source.stop_bits),
            (Setting::Control, NO_FLOW_CONTROL),
        ];
        let said = remote.say(&Telnet::greeting()).and_then(|()| {
            settings.into_iter().try_for_each(|(setting, value)| remote.say(&Telnet::set(setting, &[value])))
        });
        let closed = |_| Problem::Closed(address.to_owned());
        said.map_err(closed)?;
        match remote.set_baud(baud) {
            Ok(()) => Ok(remote),
            Err(error) if error.kind() == ErrorKind::InvalidInput => Err(Problem::Speed { path: address.into(), baud }),
            Err(error) if error.kind() == ErrorKind::Unsupported => Err(Problem::NoControl(address.to_owned())),
            Err(error) => Err(closed(error)),
        }
    }

    fn say(&mut self, bytes: &[u8]) -> io::Result<()> {
        let begun = Instant::now();
        let mut rest = bytes;
        while !rest.is_empty() {
            match self.stream.write(rest) {
                Ok(0) => return Err(ErrorKind::WriteZero.into()),
                Ok(length) => rest = &rest[length..],
                Err(error) if error.kind() == ErrorKind::TimedOut && begun.elapsed() < ANSWER => {}
                Err(error) => return Err(error),
            }
        }
        Ok(())
    }

    /// Takes what has come; gives whether the connection is still there.
    fn hear(&mut self) -> io::Result<bool> {
        let mut buffer = [0; 4096];
        let length = self.stream.read(&mut buffer)?;
        let mut replies = Vec::new();
        self.telnet.take(&buffer[..length], &mut self.data, &mut replies);
        self.say(&replies)?;
        Ok(length > 0)
    }
}

impl Read for Remote {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        if self.data.is_empty() && !self.hear()? {
            return Ok(0);
        }
        if self.data.is_empty() {
            // Answers came, and no data.
            return Err(ErrorKind::TimedOut.into());
        }
        let length = self.data.len().min(buffer.len());
        buffer[..length].copy_from_slice(&self.data[..length]);
        self.data.drain(..length);
        Ok(length)
    }
}

impl Write for Remote {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.say(&Telnet::escaped(bytes))?;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        self.stream.flush()
    }
}

impl Device for Remote {
    fn wait(&mut self, wake: &Wake) -> bool {
        !self.data.is_empty() || self.stream.wait(wake)
    }

    fn set_baud(&mut self, baud: u32) -> io::Result<()> {
        self.telnet.baud = None;
        self.say(&Telnet::set(Setting::Baud, &baud.to_be_bytes()))?;
        let begun = Instant::now();
        let waits = |remote: &Remote| remote.telnet.baud.is_none() && remote.telnet.controls != Some(false);
        while waits(self) && begun.elapsed() < ANSWER && self.data.len() < HELD {
            match self.hear() {
                Ok(true) => {}
                Ok(false) => return Err(ErrorKind::ConnectionReset.into()),
                Err(error) if error.kind() == ErrorKind::TimedOut => {}
                Err(error) => return Err(error),
            }
        }
        match self.telnet.baud {
            // A driver may take another speed than the one asked for.
            Some(got) if got.abs_diff(baud) <= baud / 20 => Ok(()),
            Some(_) => Err(ErrorKind::InvalidInput.into()),
            None => Err(ErrorKind::Unsupported.into()),
        }
    }

    fn discard(&mut self) -> u64 {
        // What is on its way was sampled at the speed before, too.
        let _ = self.say(&Telnet::set(Setting::Purge, &[RECEIVED]));
        std::mem::take(&mut self.data).len() as u64
    }

    fn reset(&mut self, length: Duration) -> io::Result<()> {
        for lines in [[DTR_OFF, RTS_OFF], [DTR_ON, RTS_ON]] {
            for line in lines {
                self.say(&Telnet::set(Setting::Control, &[line]))?;
            }
            if lines[0] == DTR_OFF {
                std::thread::sleep(length);
            }
        }
        Ok(())
    }
}
