//! A bell that wakes a thread which waits for a port, so that a line leaves at once rather than after the next bytes that come.

use rustix::event::{EventfdFlags, PollFd, PollFlags, Timespec, eventfd, poll};
use std::io;
use std::os::fd::{AsFd, BorrowedFd, OwnedFd};
use std::time::Duration;

/// The bell.
#[derive(Debug)]
pub(crate) struct Wake(OwnedFd);

impl Wake {
    /// A bell that nobody has rung.
    ///
    /// # Errors
    /// When the system has none to give.
    pub(crate) fn new() -> io::Result<Wake> {
        Ok(Wake(eventfd(0, EventfdFlags::NONBLOCK | EventfdFlags::CLOEXEC)?))
    }

    /// Rings it.
    pub(crate) fn ring(&self) {
        // A bell that has been rung more often than it can count is rung all the same.
        let _ = rustix::io::write(&self.0, &1u64.to_ne_bytes());
    }

    /// Waits, at most `patience`, until `port` has something to be read, or until the bell is rung; gives whether the former.
    pub(crate) fn wait(&self, port: BorrowedFd<'_>, patience: Duration) -> bool {
        let mut both = [PollFd::new(&port, PollFlags::IN), PollFd::new(&self.0, PollFlags::IN)];
        let patience = Timespec { tv_sec: 0, tv_nsec: i64::from(patience.subsec_nanos()) };
        let Ok(ready) = poll(&mut both, Some(&patience)) else { return true };
        let is_rung = !both[1].revents().is_empty();
        if is_rung {
            let _ = rustix::io::read(self.0.as_fd(), &mut [0u8; 8]);
        }
        // What is wrong with the port is told by reading it.
        ready == 0 || !both[0].revents().is_empty()
    }
}
